//! A processor with cells of 8 bits.

use super::bus::{ByteBus, CHECKED, MAPPED, PLAIN};
use super::memory::{Area, Cells, Memory};
use super::observe::{self, Notes, Observe, Observed, Watching};
use super::trail::{Trail, TrailRoom};
use super::{Core, of_its_processor};
use crate::machine::board::{Bank, Unmapped};
use crate::machine::io::Io;
use crate::processor::{Exit, InstructionSet, Processor, Watch};

/// A processor with cells of 8 bits.
#[derive(Debug, Clone)]
pub(super) struct Bytes<P, C: Cells> {
    processor: P,
    memory: Memory<C>,
    /// Chips answer at memory addresses.
    mapped: bool,
    /// What is noted of each instruction between two calls of whoever sees them.
    notes: Option<Box<Notes>>,
    trail: TrailRoom,
}

impl<P: Processor<Cell = u8> + 'static, C: Cells> Bytes<P, C> {
    pub fn boxed(set: &'static InstructionSet, areas: Vec<Area>, chips: &[(u32, u32)]) -> Box<dyn Core> {
        let memory = Memory::new(areas, chips);
        Box::new(Self {
            processor: P::of(set),
            memory,
            mapped: !chips.is_empty(),
            notes: None,
            trail: TrailRoom::default(),
        })
    }
}

impl<P: Processor<Cell = u8> + 'static, C: Cells> Observed for Bytes<P, C> {
    const SELDOM: bool = P::SELDOM;
    const MAPS: bool = true;

    fn mode(&self, io: &Io) -> u8 {
        match io.unmapped {
            Unmapped::Hold if self.memory.has_holes() => CHECKED,
            Unmapped::Stop => CHECKED,
            _ if self.mapped => MAPPED,
            _ => PLAIN,
        }
    }

    fn room(&mut self) -> &mut Option<Box<Notes>> {
        &mut self.notes
    }

    fn trail(&mut self) -> &mut Option<Box<Trail>> {
        &mut self.trail.0
    }

    fn last_address(&self) -> u32 {
        C::LAST
    }

    fn run_on<const MODE: u8, O: Observe, W: Watch>(
        &mut self,
        io: &mut Io,
        observer: O,
        watch: &mut W,
        limit: u64,
    ) -> Exit {
        let (cells, pages, areas) = self.memory.parts();
        let bus = &mut ByteBus::<C, O, MODE> { cells, pages, areas, io, observer };
        self.processor.run(bus, watch, limit)
    }
}

impl<P: Processor<Cell = u8> + 'static, C: Cells> Core for Bytes<P, C> {
    of_its_processor!();

    fn register(&self, place: usize) -> u64 {
        self.processor.register(place)
    }

    fn set_register(&mut self, place: usize, value: u64) {
        self.processor.set_register(place, value);
    }

    fn reset(&mut self) {
        let Self { processor, memory, .. } = self;
        processor.reset(|address| memory.cell(address) as u8);
    }

    fn cell(&self, address: u32) -> u64 {
        self.memory.cell(address)
    }

    fn areas(&self) -> &[Area] {
        self.memory.areas()
    }

    fn put(&mut self, address: u32, value: u64) -> bool {
        self.memory.put(address, value)
    }

    fn fill(&mut self, first: u32, last: u32, value: u64) {
        self.memory.fill(first, last, value);
    }

    fn choose_bank(&mut self, bank: Bank, number: u32) {
        self.memory.choose_bank(bank, number);
    }

    fn run(&mut self, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit {
        observe::run(self, io, watching, limit)
    }

    fn copy(&self) -> Box<dyn Core> {
        Box::new(self.clone())
    }

    fn keep(&self, like: Option<&dyn Core>) -> Box<dyn Core> {
        let like = like.and_then(|like| like.kept_memory()?.downcast_ref());
        let (processor, memory) = (self.processor.clone(), self.memory.keep(like));
        Box::new(Self { processor, memory, mapped: self.mapped, notes: None, trail: TrailRoom::default() })
    }

    fn kept_bytes(&self, earlier: Option<&dyn Core>) -> usize {
        let earlier = earlier.and_then(|earlier| earlier.kept_memory()?.downcast_ref());
        self.memory.kept_bytes(earlier)
    }

    fn live(&self) -> Box<dyn Core> {
        let (processor, memory) = (self.processor.clone(), self.memory.live());
        Box::new(Self { processor, memory, mapped: self.mapped, notes: None, trail: TrailRoom::default() })
    }

    fn kept_memory(&self) -> Option<&dyn std::any::Any> {
        Some(&self.memory)
    }
}
