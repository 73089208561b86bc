//! A processor as the machine holds it: one call a time slice, the loops compiled for each bus and watcher inside.

use super::bus::{CHECKED, MAPPED, MachineBus, PLAIN, RECORDED};
use super::memory::{Area, Blocks, Cells, Flat, Memory};
use super::observe::{AtStops, EachInstruction, MARKS, Notes, Watching};
use super::words::Words;
use crate::machine::board::{Bank, Unmapped};
use crate::machine::io::Io;
use crate::processor::{
    Exit, InstructionSet, NoWatch, Processor, Requests, Role, ez80, i8080, mos6502, pdp8, pdp10, z80,
};
use std::fmt::Debug;

/// A processor in a machine, with the memory that only its own run loop can reach fast.
pub trait Core: Debug + Send {
    /// Its instruction set, in the mode that it is in.
    fn set(&self) -> &'static InstructionSet;
    /// A register by its place in the set's list.
    fn register(&self, place: usize) -> u64;
    /// Sets a register; bits that do not exist are dropped.
    fn set_register(&mut self, place: usize, value: u64);
    /// The reset line.
    fn reset(&mut self);
    /// A request on an interrupt input, by its name. False where there is no such input.
    fn request(&mut self, input: &str) -> bool;
    /// What the chips ask for together has changed.
    fn requested(&mut self, requests: Requests);
    /// The cell at an address, as the processor would read it.
    fn cell(&self, address: u32) -> u64;
    /// The stretches of its memory.
    fn areas(&self) -> &[Area];
    /// Sets a cell whatever it is made of. False where nothing is.
    fn put(&mut self, address: u32, value: u64) -> bool;
    /// Sets all cells of a stretch of memory.
    fn fill(&mut self, first: u32, last: u32, value: u64) {
        for address in first..=last {
            self.put(address, value);
        }
    }
    /// Puts another bank of memory into its stretch of addresses.
    fn choose_bank(&mut self, _bank: Bank, _number: u32) {}
    /// The address of the halt in which it waits, where no interrupt is pending that it would take.
    fn halted_at(&self) -> Option<u32>;
    /// Cycles and instructions since power-on.
    fn counters(&self) -> (u64, u64);
    /// The counting of both begins again.
    fn restart(&mut self);
    /// Lets time pass to cycle `now` in a halt.
    fn pass(&mut self, now: u64);
    /// Goes on with a jump to itself for as many turns as end by cycle `until`, without executing each.
    fn idle(&mut self, io: &mut Io, until: u64);
    /// Cycles since power-on.
    fn now(&self) -> u64 {
        self.counters().0
    }
    /// Instructions since power-on.
    fn instructions(&self) -> u64 {
        self.counters().1
    }
    /// Runs a slice.
    fn run(&mut self, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit;
    /// True where the processor is at the other end of a debug link.
    fn is_linked(&self) -> bool {
        false
    }
    /// Why the line to it is of no use any more.
    fn link_failure(&self) -> Option<String> {
        None
    }
    /// A copy, for going back to an earlier state.
    fn copy(&self) -> Box<dyn Core>;
}

impl Clone for Box<dyn Core> {
    fn clone(&self) -> Self {
        self.copy()
    }
}

type Maker = fn(&'static InstructionSet, Vec<Area>, &[(u32, u32)]) -> Box<dyn Core>;

/// Every processor that can be run.
const MAKERS: &[(&str, Maker)] = &[
    ("8080", Bytes::<i8080::Cpu<{ i8080::I80 }>, Flat>::boxed),
    ("8085", Bytes::<i8080::Cpu<{ i8080::I85 }>, Flat>::boxed),
    ("8085u", Bytes::<i8080::Cpu<{ i8080::U85 }>, Flat>::boxed),
    ("6502", Bytes::<mos6502::Cpu<{ mos6502::NMOS }>, Flat>::boxed),
    ("65c02", Bytes::<mos6502::Cpu<{ mos6502::C02 }>, Flat>::boxed),
    ("6502u", Bytes::<mos6502::Cpu<{ mos6502::NMOS }>, Flat>::boxed),
    ("z80", Bytes::<z80::Cpu, Flat>::boxed),
    ("ez80", Bytes::<ez80::Cpu, Blocks>::boxed),
    ("ez80adl", Bytes::<ez80::Cpu, Blocks>::boxed),
    ("z80u", Bytes::<z80::Cpu, Flat>::boxed),
    ("pdp8", Words::<pdp8::Cpu, 0o100000>::boxed),
    ("pdp10", Words::<pdp10::Cpu, 0o1000000>::boxed),
];

/// Makes the processor of an instruction set, with its memory and the stretches of addresses where chips answer.
pub fn make(set: &'static InstructionSet, areas: Vec<Area>, chips: &[(u32, u32)]) -> Option<Box<dyn Core>> {
    MAKERS.iter().find(|(name, _)| *name == set.name()).map(|(_, make)| make(set, areas, chips))
}

/// A processor with cells of 8 bits.
#[derive(Debug, Clone)]
struct Bytes<P, C: Cells> {
    processor: P,
    memory: Memory<C>,
    /// Chips answer at memory addresses.
    mapped: bool,
    /// What is noted of each instruction between two calls of whoever sees them.
    notes: Box<Notes>,
}

impl<P: Processor<Cell = u8> + 'static, C: Cells> Bytes<P, C> {
    fn boxed(set: &'static InstructionSet, areas: Vec<Area>, chips: &[(u32, u32)]) -> Box<dyn Core> {
        let memory = Memory::new(areas, chips);
        Box::new(Self { processor: P::of(set), memory, mapped: !chips.is_empty(), notes: Notes::boxed() })
    }
}

/// What every machine leaves to its processor: the first items of an `impl Core`.
macro_rules! of_its_processor {
    () => {
        fn set(&self) -> &'static InstructionSet {
            self.processor.set()
        }

        fn request(&mut self, input: &str) -> bool {
            let known = self.processor.set().interrupts.inputs.contains(&input);
            if known {
                self.processor.request(input);
            }
            known
        }

        fn requested(&mut self, requests: $crate::processor::Requests) {
            self.processor.requested(requests);
        }

        fn counters(&self) -> (u64, u64) {
            self.processor.counters()
        }

        fn restart(&mut self) {
            self.processor.restart();
        }

        fn pass(&mut self, now: u64) {
            self.processor.set_counters(now, self.processor.counters().1);
        }

        fn idle(&mut self, io: &mut Io, until: u64) {
            let before = self.processor.clone();
            let begin = before.counters().0;
            if begin < until {
                self.run(io, &mut Watching::Nothing, begin + 1);
                let now = self.processor.counters().0;
                self.processor.repeat(&before, until.saturating_sub(now) / (now - begin).max(1));
            }
        }

        fn halted_at(&self) -> Option<u32> {
            self.processor.waits_at()
        }
    };
}
pub(in crate::machine) use of_its_processor;

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
        let checked = match io.unmapped {
            Unmapped::Float => false,
            Unmapped::Hold => self.memory.has_holes(),
            Unmapped::Stop => true,
        };
        let Self { processor, memory, mapped, notes: room } = self;
        let (cells, pages, areas) = memory.parts();
        let marks = watching.marks();
        let notes = &mut Vec::new();
        macro_rules! run {
            ($mode:ident, $notes:expr, $watch:expr) => {
                run!($mode, $notes, $watch, limit)
            };
            ($mode:ident, $notes:expr, $watch:expr, $limit:expr) => {{
                let bus = &mut MachineBus::<C, $mode> { cells, pages, areas, io, notes: $notes };
                processor.run(bus, $watch, $limit)
            }};
        }
        // PERF: each pair of bus and watcher is a loop of its own of 256 arms; only the pairs that earn it are made.
        match (&mut *watching, marks) {
            (Watching::Step(notes), _) => run!(RECORDED, notes, &mut NoWatch),
            (Watching::Each(callback), _) => loop {
                let watch = &mut EachInstruction::new(room, callback);
                let exit = match (checked, *mapped) {
                    (true, _) => run!(CHECKED, notes, watch),
                    (false, true) => run!(MAPPED, notes, watch),
                    (false, false) => run!(PLAIN, notes, watch),
                };
                if exit != Exit::Watched {
                    break exit;
                }
            },
            (_, None) if checked => run!(CHECKED, notes, &mut NoWatch),
            (_, None) if *mapped => run!(MAPPED, notes, &mut NoWatch),
            (_, None) => run!(PLAIN, notes, &mut NoWatch),
            (Watching::Stops(stops), Some(marks)) => loop {
                let exit = match (checked, *mapped) {
                    (true, _) => run!(CHECKED, notes, &mut AtStops(marks)),
                    (false, true) => run!(MAPPED, notes, &mut AtStops(marks)),
                    (false, false) => run!(PLAIN, notes, &mut AtStops(marks)),
                };
                let program = || processor.set().registers().iter().position(|one| one.role == Role::Program);
                let shared = exit == Exit::Watched && C::LAST as usize >= MARKS;
                if !shared || program().is_none_or(|at| stops.contains(processor.register(at) as u32)) {
                    break exit;
                }
                // The mark is another address's: one instruction, and on.
                let next = processor.counters().0 + 1;
                match run!(CHECKED, notes, &mut NoWatch, next) {
                    Exit::Limit if next < limit => {}
                    exit => break exit,
                }
            },
            (_, Some(_)) => unreachable!("only stops have marks"),
        }
    }

    fn copy(&self) -> Box<dyn Core> {
        Box::new(self.clone())
    }
}
