//! Word machines: a cell is a whole number, and devices are reached by transfers, not by addresses.

use super::bus::{Access, CHECKED, Noted, PLAIN};
use super::memory::{self, Area, HOLES, LIVE, MemoryKind};
use super::observe::{self, Notes, Observe, Observed, Watching};
use super::pieces::Pieces;
use super::trail::{Trail, TrailRoom};
use super::{Core, of_its_processor};
use crate::machine::board::Unmapped;
use crate::machine::chip::Misuse;
use crate::machine::io::Io;
use crate::processor::{Bus, Exit, InstructionSet, Processor, Role, Watch};
use std::fmt::Debug;

/// What a cell of a word machine is kept in.
pub trait Word: Copy + PartialEq + Default + Debug + Send + Sync + Into<u64> + 'static {
    /// The lower bits of a number.
    fn of(value: u64) -> Self;
}

impl Word for u16 {
    fn of(value: u64) -> Self {
        value as u16
    }
}

/// A processor with `N` cells, a power of two.
#[derive(Clone)]
pub(super) struct Words<P: Processor, const N: usize> {
    processor: P,
    /// `None` in a snapshot, which has kept them in pieces.
    cells: Option<Box<[P::Cell; N]>>,
    kept: Option<Pieces<P::Cell>>,
    /// The attribute of each page of 256 cells.
    pages: Vec<u8>,
    areas: Vec<Area>,
    notes: Option<Box<Notes>>,
    trail: TrailRoom,
}

impl<P: Processor, const N: usize> Debug for Words<P, N> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { processor, areas, .. } = self;
        f.debug_struct("Words").field("processor", processor).field("areas", areas).finish_non_exhaustive()
    }
}

impl Word for u64 {
    fn of(value: u64) -> Self {
        value
    }
}

impl<P, const N: usize> Words<P, N>
where
    P: Processor + 'static,
    P::Cell: Word,
{
    pub fn boxed(set: &'static InstructionSet, areas: Vec<Area>, _: &[(u32, u32)]) -> Box<dyn Core> {
        const { assert!(N.is_power_of_two() && N > 0xFF, "memory comes in pages of 256 cells") };
        let pages = memory::attributes(&areas, &[], N >> 8);
        Box::new(Self {
            processor: P::of(set),
            cells: Some(Self::empty()),
            kept: None,
            pages,
            areas,
            notes: None,
            trail: TrailRoom::default(),
        })
    }

    fn empty() -> Box<[P::Cell; N]> {
        let cells: Box<[P::Cell]> = vec![P::Cell::default(); N].into();
        let Ok(cells) = cells.try_into() else { unreachable!("it has N cells") };
        cells
    }

    fn cells(&self) -> &[P::Cell; N] {
        self.cells.as_ref().expect(LIVE)
    }

    fn cells_mut(&mut self) -> &mut [P::Cell; N] {
        self.cells.as_mut().expect(LIVE)
    }

    /// The same with the cells in another form.
    fn with(&self, cells: Option<Box<[P::Cell; N]>>, kept: Option<Pieces<P::Cell>>) -> Box<dyn Core> {
        let (processor, pages, areas) = (self.processor.clone(), self.pages.clone(), self.areas.clone());
        Box::new(Self { processor, cells, kept, pages, areas, notes: None, trail: TrailRoom::default() })
    }
}

/// The bus of a word machine, in the same modes as that of bytes.
struct WordBus<'a, T, O, const N: usize, const MODE: u8> {
    cells: &'a mut [T; N],
    pages: &'a [u8],
    areas: &'a [Area],
    io: &'a mut Io,
    observer: O,
}

impl<T: Word, O: Observe, const N: usize, const MODE: u8> WordBus<'_, T, O, N, MODE> {
    #[inline(always)]
    fn look(&mut self, address: u32, access: Access) -> T {
        if MODE >= CHECKED && self.pages[(address as usize & (N - 1)) >> 8] & HOLES != 0 {
            return self.look_elsewhere(address, access);
        }
        self.cells[address as usize & (N - 1)]
    }

    /// Cells that do not exist read as 0.
    #[cold]
    #[inline(never)]
    fn look_elsewhere(&mut self, address: u32, access: Access) -> T {
        if memory::kind(self.areas, address).is_none() {
            self.io.miss(access, address);
            return T::default();
        }
        self.cells[address as usize & (N - 1)]
    }

    #[cold]
    #[inline(never)]
    fn write_elsewhere(&mut self, address: u32, value: T) -> bool {
        let kind = memory::kind(self.areas, address);
        let writable = kind.is_some_and(MemoryKind::is_writable);
        if writable {
            self.cells[address as usize & (N - 1)] = value;
        } else if kind.is_none() {
            self.io.miss(Access::Write, address);
        }
        writable
    }

    /// What the chip's data sheet says against an access is seen before it is done.
    #[cold]
    #[inline(never)]
    fn before_chip(&mut self, address: u32, find: impl FnOnce(&mut Io) -> Option<Misuse>) {
        if O::SEES {
            let Self { observer, io, .. } = self;
            observer.before_chip(|| Some((address, find(io)?)));
        }
    }

    #[inline(always)]
    fn note(&mut self, access: Access, address: u32, (before, value): (T, T), took_effect: bool) {
        if O::SEES {
            let (before, value) = (before.into(), value.into());
            self.observer.saw(Noted { access, address, before, value, took_effect });
        }
    }
}

impl<T: Word, O: Observe, const N: usize, const MODE: u8> Bus for WordBus<'_, T, O, N, MODE> {
    type Cell = T;
    const WATCHED: bool = MODE != PLAIN;
    const MAPPED: bool = false;

    #[inline(always)]
    fn fetch(&mut self, address: u32) -> T {
        let value = self.look(address, Access::Fetch);
        self.note(Access::Fetch, address, (value, value), true);
        value
    }

    #[inline(always)]
    fn read(&mut self, address: u32, _: u64) -> T {
        let value = self.look(address, Access::Read);
        self.note(Access::Read, address, (value, value), true);
        value
    }

    #[inline(always)]
    fn write(&mut self, address: u32, value: T, _: u64) {
        let at = address as usize & (N - 1);
        let before = if O::SEES { self.cells[at] } else { value };
        let took_effect = if MODE == PLAIN || memory::is_ram(self.pages[at >> 8]) {
            self.cells[at] = value;
            true
        } else {
            self.write_elsewhere(address, value)
        };
        self.note(Access::Write, address, (before, value), took_effect);
    }

    fn transfer(&mut self, device: u32, function: u32, value: T, now: u64) -> (T, bool) {
        let before: u64 = value.into();
        self.before_chip(device, |io| io.transfer_misuse(device, function, now));
        let (after, skips) = self.io.transfer(device, function, before, now);
        // The first pulse alone asks whether the device is ready; nothing goes over.
        let asks = function == 1;
        let access = if after != before || asks { Access::In } else { Access::Out };
        self.note(access, device, (value, T::of(after)), !asks);
        (T::of(after), skips)
    }

    fn input(&mut self, port: u32, now: u64) -> T {
        self.before_chip(port, |io| io.misuse(Access::In, port, 0, now));
        let value = T::of(self.io.input(port, now).unwrap_or(0));
        self.note(Access::In, port, (value, value), true);
        value
    }

    fn output(&mut self, port: u32, value: T, now: u64) {
        self.before_chip(port, |io| io.misuse(Access::Out, port, value.into(), now));
        let took_effect = self.io.output(port, value.into(), now);
        self.note(Access::Out, port, (T::default(), value), took_effect);
    }

    #[inline(always)]
    fn register(&self, number: u32) -> T {
        self.cells[number as usize & 0o17]
    }

    #[inline(always)]
    fn set_register(&mut self, number: u32, value: T) {
        self.cells[number as usize & 0o17] = value;
    }

    fn clear_devices(&mut self, now: u64) {
        self.io.reset_chips(now);
    }

    #[inline(always)]
    fn attention(&self) -> bool {
        self.io.attention
    }
}

impl<P, const N: usize> Observed for Words<P, N>
where
    P: Processor + 'static,
    P::Cell: Word,
{
    const SELDOM: bool = P::SELDOM;
    const MAPS: bool = false;

    fn mode(&self, io: &Io) -> u8 {
        let plain = self.pages.iter().all(|&page| memory::is_ram(page));
        if plain && io.unmapped != Unmapped::Stop { PLAIN } else { CHECKED }
    }

    fn room(&mut self) -> &mut Option<Box<Notes>> {
        &mut self.notes
    }

    fn trail(&mut self) -> &mut Option<Box<Trail>> {
        &mut self.trail.0
    }

    fn last_address(&self) -> u32 {
        N as u32 - 1
    }

    fn run_on<const MODE: u8, O: Observe, W: Watch>(
        &mut self,
        io: &mut Io,
        observer: O,
        watch: &mut W,
        limit: u64,
    ) -> Exit {
        let Self { processor, cells, pages, areas, .. } = self;
        let cells = cells.as_mut().expect(LIVE);
        let bus = &mut WordBus::<P::Cell, O, N, MODE> { cells, pages, areas, io, observer };
        processor.run(bus, watch, limit)
    }
}

impl<P, const N: usize> Core for Words<P, N>
where
    P: Processor + 'static,
    P::Cell: Word,
{
    of_its_processor!();

    fn register(&self, place: usize) -> u64 {
        match self.processor.set().registers()[place].role {
            Role::Cell => self.cells()[place].into(),
            _ => self.processor.register(place),
        }
    }

    fn set_register(&mut self, place: usize, value: u64) {
        match self.processor.set().registers()[place].role {
            Role::Cell => {
                let value = P::Cell::of(value & self.processor.set().last_cell());
                self.cells_mut()[place] = value;
            }
            _ => self.processor.set_register(place, value),
        }
    }

    fn reset(&mut self) {
        let Self { processor, cells, .. } = self;
        let cells = cells.as_ref().expect(LIVE);
        processor.reset(|address| cells[address as usize & (N - 1)]);
    }

    fn cell(&self, address: u32) -> u64 {
        self.cells().get(address as usize).map_or(0, |&cell| cell.into())
    }

    fn areas(&self) -> &[Area] {
        &self.areas
    }

    fn put(&mut self, address: u32, value: u64) -> bool {
        let exists = memory::kind(&self.areas, address).is_some();
        let value = P::Cell::of(value & self.processor.set().last_cell());
        if let Some(cell) = self.cells_mut().get_mut(address as usize).filter(|_| exists) {
            *cell = value;
        }
        exists
    }

    fn run(&mut self, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit {
        observe::run(self, io, watching, limit)
    }

    fn copy(&self) -> Box<dyn Core> {
        Box::new(self.clone())
    }

    fn keep(&self, like: Option<&dyn Core>) -> Box<dyn Core> {
        let like = like.and_then(|like| like.kept_memory()?.downcast_ref());
        self.with(None, Some(Pieces::of(self.cells(), like)))
    }

    fn kept_bytes(&self, earlier: Option<&dyn Core>) -> usize {
        let earlier = earlier.and_then(|earlier| earlier.kept_memory()?.downcast_ref());
        self.kept.as_ref().map_or(size_of::<[P::Cell; N]>(), |kept| kept.own_bytes(earlier))
    }

    fn live(&self) -> Box<dyn Core> {
        let Some(kept) = &self.kept else { return self.copy() };
        let mut cells = Self::empty();
        kept.copy_to(&mut cells[..]);
        self.with(Some(cells), None)
    }

    fn kept_memory(&self) -> Option<&dyn std::any::Any> {
        self.kept.as_ref().map(|kept| kept as &dyn std::any::Any)
    }
}
