//! Follows a run by its trail: every instruction with what it takes and gives.

use super::atom::Atom;
use super::effect::{Effect, Effects};
use crate::image::Cell;
use crate::machine::{Done, Machine, TrailRow, What};
use crate::processor::{Context, InstructionSet, LONGEST, Window, decode_in};
use std::sync::Arc;

/// Something that was done in a run.
#[derive(Debug, Clone, Copy)]
pub(in crate::session) struct Item {
    /// What it was.
    pub kind: ItemKind,
    /// Of an instruction its address, of an act its number.
    pub address: u32,
    /// The cycle it began at.
    pub cycle: u64,
    /// The effect of an instruction, by its place in [`Follower::effects`].
    pub effect: u32,
    /// The first of its accesses, and how many they are.
    first: u32,
    count: u32,
}

/// What kind of thing was done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::session) enum ItemKind {
    /// An instruction.
    Instruction,
    /// An interrupt was taken.
    Interrupt,
    /// A service did something.
    Service,
    /// Something was done by hand.
    Act,
}

/// A stretch of a run, in order.
#[derive(Debug, Default)]
pub(in crate::session) struct Chunk {
    pub items: Vec<Item>,
    accesses: Vec<Done>,
}

impl Chunk {
    /// What an item read and wrote, in order.
    pub fn accesses(&self, item: &Item) -> &[Done] {
        &self.accesses[item.first as usize..(item.first + item.count) as usize]
    }
}

const PAGE: usize = 256;

/// Something for each address, in pages that are made where they are needed.
#[derive(Clone)]
pub(in crate::session) struct Pages<T> {
    pages: Vec<Option<Box<[T; PAGE]>>>,
}

impl<T: Copy + Default> Pages<T> {
    pub fn of(last: u32) -> Self {
        Self { pages: vec![None; (last as usize + 1).div_ceil(PAGE)] }
    }

    #[inline]
    pub fn get(&self, address: u32) -> Option<&T> {
        let page = self.pages.get(address as usize / PAGE)?.as_deref()?;
        Some(&page[address as usize % PAGE])
    }

    #[inline]
    pub fn page(&mut self, address: u32, fill: impl FnOnce(u32) -> Box<[T; PAGE]>) -> Option<&mut T> {
        let page = self.pages.get_mut(address as usize / PAGE)?;
        let page = page.get_or_insert_with(|| fill(address & !(PAGE as u32 - 1)));
        Some(&mut page[address as usize % PAGE])
    }

    /// The one at an address, to be changed.
    #[inline]
    pub fn at(&mut self, address: u32) -> Option<&mut T> {
        self.page(address, |_| Box::new([T::default(); PAGE]))
    }

    fn clear(&mut self) {
        self.pages.iter_mut().for_each(|page| *page = None);
    }
}

/// What is known of the instruction at an address: the kinds of its accesses and its effect plus one, as it went either way.
#[derive(Clone, Copy, Default)]
struct Slot {
    known: [(u32, u32); 2],
    /// Cells of instructions that reach over this address begin so far before it, at most.
    covered: u8,
}

/// Follows a run.
pub(in crate::session) struct Follower {
    set: &'static InstructionSet,
    learning: Effects,
    /// The effects that were met.
    pub effects: Vec<Arc<Effect>>,
    slots: Pages<Slot>,
    chunk: Chunk,
    /// The cycle at which the last instruction began.
    last: u64,
}

impl Follower {
    /// One for a machine.
    pub fn of(machine: &Machine) -> Self {
        let set = machine.set();
        Self {
            set,
            learning: Effects::of(machine.board().set),
            effects: Vec::new(),
            slots: Pages::of(set.last_address()),
            last: machine.cycles(),
            chunk: Chunk::default(),
        }
    }

    /// The pieces of the processor's state.
    pub fn atoms(&self) -> &[Atom] {
        &self.learning.atoms
    }

    /// Goes on from another machine, or from this one after something was done to it by hand.
    pub fn rebase(&mut self, machine: &Machine) {
        self.set = machine.set();
        self.last = machine.cycles();
        self.slots.clear();
    }

    /// What was followed since the last time.
    pub fn take(&mut self) -> Chunk {
        std::mem::take(&mut self.chunk)
    }

    /// Something was done by hand, and the machine is so now.
    pub fn acted(&mut self, number: usize, machine: &Machine) {
        let cycle = machine.cycles();
        self.open(ItemKind::Act, number as u32, cycle);
        self.rebase(machine);
    }

    fn open(&mut self, kind: ItemKind, address: u32, cycle: u64) {
        let first = self.chunk.accesses.len() as u32;
        self.chunk.items.push(Item { kind, address, cycle, effect: 0, first, count: 0 });
    }

    /// Follows what a run did.
    pub fn row(&mut self, row: TrailRow<'_>) {
        // Where the item that is open began.
        let mut open = None;
        for (at, done) in row.iter().enumerate() {
            match done.what {
                What::Instruction => {
                    self.close(open, row);
                    self.open(ItemKind::Instruction, done.address, done.value);
                    self.last = done.value;
                    open = Some(at);
                    continue;
                }
                What::Between => {
                    self.close(open, row);
                    open = None;
                    continue;
                }
                What::Misused => continue,
                _ if open.is_some() => {}
                other => {
                    let by_service = matches!(other, What::Served | What::ServedRegister);
                    let kind = if by_service { ItemKind::Service } else { ItemKind::Interrupt };
                    self.open(kind, 0, self.last);
                    open = Some(at);
                }
            }
            self.chunk.accesses.push(done);
        }
        self.close(open, row);
    }

    /// An item is over that began at a place of a row: what it takes and gives is looked up.
    fn close(&mut self, began: Option<usize>, row: TrailRow<'_>) {
        let count = self.chunk.accesses.len() as u32;
        let (Some(began), Some(item)) = (began, self.chunk.items.last_mut()) else { return };
        item.count = count - item.first;
        let item = *item;
        if item.kind == ItemKind::Instruction {
            let accesses = std::mem::take(&mut self.chunk.accesses);
            let effect = self.effect_of(item.address, &accesses[item.first as usize..], row, began);
            self.chunk.accesses = accesses;
            if let Some(item) = self.chunk.items.last_mut() {
                item.effect = effect;
            }
        }
        for at in item.first..count {
            let done = self.chunk.accesses[at as usize];
            if matches!(done.what, What::Write | What::Served) && done.took_effect {
                self.write(done.address);
            }
        }
    }

    /// The effect of an instruction that did these accesses, by its number: it was done at a place of a row.
    pub fn effect_of(&mut self, address: u32, accesses: &[Done], row: TrailRow<'_>, at: usize) -> u32 {
        let kinds = accesses
            .iter()
            .take(8)
            .fold(accesses.len() as u32, |all, done| all.wrapping_mul(31).wrapping_add(done.what as u32 + 1));
        if let Some(slot) = self.slots.get(address) {
            for (known, effect) in slot.known {
                if effect > 0 && known == kinds {
                    return effect - 1;
                }
            }
        }
        self.learn(address, accesses, kinds, row, at)
    }

    #[cold]
    fn learn(&mut self, address: u32, accesses: &[Done], kinds: u32, row: TrailRow<'_>, at: usize) -> u32 {
        let last = self.set.last_address();
        let cell = |by: u32| row.cell_before(at, address.wrapping_add(by) & last);
        let cells: Vec<Cell> = (0..LONGEST as u32).map(cell).collect();
        // Where segments lie is of no importance for what an instruction takes.
        let window = match self.set.is_segmented() {
            true => Window::new(0, 32),
            false => self.set.window(address),
        };
        let context = Context { set: self.set, window };
        let decoded = decode_in(context, &cells, address).ok().flatten();
        let length = decoded.map_or(1, |decoded| decoded.cells());
        let effect = match decoded {
            None => Arc::new(Effect::default()),
            Some(decoded) => {
                let kinds: Vec<What> = accesses.iter().map(|done| done.what).collect();
                self.learning.of_instruction(&decoded, &cells[..length], &kinds)
            }
        };
        let known = self.effects.iter().position(|known| Arc::ptr_eq(known, &effect));
        let number = known.unwrap_or_else(|| {
            self.effects.push(effect);
            self.effects.len() - 1
        }) as u32;
        if let Some(slot) = self.slots.at(address) {
            slot.known[1] = slot.known[0];
            slot.known[0] = (kinds, number + 1);
        }
        for at in 0..length as u32 {
            if let Some(slot) = self.slots.at(address.wrapping_add(at)) {
                slot.covered = slot.covered.max(at as u8 + 1);
            }
        }
        number
    }

    /// A cell was written: the instructions that it belongs to are not what they were.
    #[inline]
    pub fn write(&mut self, address: u32) {
        let covered = self.slots.get(address).map_or(0, |slot| slot.covered);
        for back in 0..u32::from(covered) {
            if let Some(slot) = self.slots.at(address.wrapping_sub(back)) {
                slot.known = Default::default();
            }
        }
    }
}
