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
    /// The machine where following began, and the cells that have been written since.
    start: Machine,
    written: Pages<Cell>,
    chunk: Chunk,
    /// The cycle at which the last instruction began.
    last: u64,
}

impl Follower {
    /// One that begins at a machine as it is.
    pub fn from(start: Machine) -> Self {
        let set = start.set();
        let last = set.last_address();
        Self {
            set,
            learning: Effects::of(start.board().set),
            effects: Vec::new(),
            slots: Pages::of(last),
            written: Pages::of(last),
            last: start.cycles(),
            start,
            chunk: Chunk::default(),
        }
    }

    /// The pieces of the processor's state.
    pub fn atoms(&self) -> &[Atom] {
        &self.learning.atoms
    }

    /// Goes on from another machine, or from this one after something was done to it by hand.
    pub fn rebase(&mut self, start: Machine) {
        self.set = start.set();
        self.last = start.cycles();
        self.start = start;
        self.slots.clear();
        self.written.clear();
    }

    /// What was followed and not yet taken, to be looked through; it is forgotten then.
    pub fn look(&mut self, see: impl FnOnce(&Chunk, &[Arc<Effect>])) {
        see(&self.chunk, &self.effects);
        self.chunk.items.clear();
        self.chunk.accesses.clear();
    }

    /// What was followed since the last time.
    pub fn take(&mut self) -> Chunk {
        std::mem::take(&mut self.chunk)
    }

    /// Something was done by hand, and the machine is so now.
    pub fn acted(&mut self, number: usize, machine: &mut Machine) {
        let cycle = machine.cycles();
        self.open(ItemKind::Act, number as u32, cycle);
        self.rebase(machine.unseen());
    }

    /// The cell that an address held where the run has come to.
    fn cell(&self, address: u32) -> Cell {
        self.written.get(address).copied().unwrap_or_else(|| self.start.cell(address))
    }

    fn open(&mut self, kind: ItemKind, address: u32, cycle: u64) {
        let first = self.chunk.accesses.len() as u32;
        self.chunk.items.push(Item { kind, address, cycle, effect: 0, first, count: 0 });
    }

    /// Follows what a run did.
    pub fn row(&mut self, row: TrailRow<'_>) {
        let mut is_open = false;
        for done in row.iter() {
            match done.what {
                What::Instruction => {
                    self.close(is_open);
                    self.open(ItemKind::Instruction, done.address, done.value);
                    self.last = done.value;
                    is_open = true;
                    continue;
                }
                What::Between => {
                    self.close(is_open);
                    is_open = false;
                    continue;
                }
                _ if is_open => {}
                other => {
                    let by_service = matches!(other, What::Served | What::ServedRegister);
                    let cycle = self.last;
                    self.open(if by_service { ItemKind::Service } else { ItemKind::Interrupt }, 0, cycle);
                    is_open = true;
                }
            }
            self.chunk.accesses.push(done);
        }
        self.close(is_open);
    }

    /// An item is over: what it takes and gives is looked up, and what it wrote is in memory.
    fn close(&mut self, is_open: bool) {
        let count = self.chunk.accesses.len() as u32;
        let Some(item) = self.chunk.items.last_mut().filter(|_| is_open) else { return };
        item.count = count - item.first;
        let item = *item;
        if item.kind == ItemKind::Instruction {
            let effect = self.effect_of(&item);
            if let Some(item) = self.chunk.items.last_mut() {
                item.effect = effect;
            }
        }
        for at in item.first..count {
            let done = self.chunk.accesses[at as usize];
            if matches!(done.what, What::Write | What::Served) && done.took_effect {
                self.write(done.address, done.value);
            }
        }
    }

    fn effect_of(&mut self, item: &Item) -> u32 {
        let accesses = &self.chunk.accesses[item.first as usize..(item.first + item.count) as usize];
        let kinds = accesses
            .iter()
            .take(8)
            .fold(accesses.len() as u32, |all, done| all.wrapping_mul(31).wrapping_add(done.what as u32 + 1));
        if let Some(slot) = self.slots.get(item.address) {
            for (known, effect) in slot.known {
                if effect > 0 && known == kinds {
                    return effect - 1;
                }
            }
        }
        self.learn(item, kinds)
    }

    #[cold]
    fn learn(&mut self, item: &Item, kinds: u32) -> u32 {
        let address = item.address;
        let cells: Vec<Cell> = (0..LONGEST as u32)
            .map(|at| self.cell(address.wrapping_add(at) & self.set.last_address()))
            .collect();
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
                let accesses = &self.chunk.accesses[item.first as usize..(item.first + item.count) as usize];
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

    fn write(&mut self, address: u32, value: Cell) {
        let Self { written, start, slots, .. } = self;
        let fill = |first: u32| Box::new(std::array::from_fn(|at| start.cell(first + at as u32)));
        if let Some(cell) = written.page(address, fill) {
            *cell = value;
        }
        let covered = slots.get(address).map_or(0, |slot| slot.covered);
        for back in 0..u32::from(covered) {
            if let Some(slot) = slots.at(address.wrapping_sub(back)) {
                slot.known = Default::default();
            }
        }
    }
}
