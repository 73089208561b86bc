//! Processors in a machine: one call a time slice, the loops compiled for each bus, observer and watcher inside.

pub(super) mod bus;
mod bytes;
pub(super) mod linked;
pub(super) mod memory;
pub(super) mod observe;
mod pieces;
pub(super) mod trail;
mod words;

use super::board::Bank;
use super::io::Io;
use crate::processor::{
    Exit, InstructionSet, Processor, Requests, Role, Window, ez80, i8080, i8086, mos6502, pdp8, pdp10, z80,
};
use bytes::Bytes;
use memory::{Area, Blocks, Flat, Megabyte};
use observe::Watching;
use std::fmt::Debug;
pub use words::Word;
use words::Words;

/// A processor with cells of eight bits, in memory of the form that its addresses need.
pub fn bytes<P>(set: &'static InstructionSet, areas: Vec<Area>, chips: &[(u32, u32)]) -> Box<dyn Core>
where
    P: Processor<Cell = u8> + 'static,
{
    if set.address_bits() > 16 {
        Bytes::<P, Blocks>::boxed(set, areas, chips)
    } else {
        Bytes::<P, Flat>::boxed(set, areas, chips)
    }
}

/// A word machine with `N` cells.
pub fn words<P, const N: usize>(
    set: &'static InstructionSet,
    areas: Vec<Area>,
    chips: &[(u32, u32)],
) -> Box<dyn Core>
where
    P: Processor + 'static,
    P::Cell: Word,
{
    Words::<P, N>::boxed(set, areas, chips)
}

/// A processor in a machine, with the memory that only its own run loop can reach fast.
pub trait Core: Debug + Send {
    /// Its instruction set, in the mode that it is in.
    fn set(&self) -> &'static InstructionSet;
    /// A register by its place in the set's list.
    fn register(&self, place: usize) -> u64;
    /// Sets a register; bits that do not exist are dropped.
    fn set_register(&mut self, place: usize, value: u64);
    /// The address of the next instruction.
    fn place(&self) -> u32 {
        self.set().place_of(Role::Program).map_or(0, |place| self.register(place) as u32)
    }
    /// Goes on at an address.
    fn set_place(&mut self, address: u32) {
        if let Some(place) = self.set().place_of(Role::Program) {
            self.set_register(place, address.into());
        }
    }
    /// Where the program counts its places.
    fn window(&self) -> Window {
        self.set().window(self.place())
    }
    /// The segments that its registers name, where there are segments.
    fn segments(&self) -> Vec<Window> {
        let set = self.set();
        if !set.is_segmented() {
            return Vec::new();
        }
        let is_segment = |name: &str| matches!(name, "CS" | "DS" | "SS" | "ES");
        let named = set.registers().iter().enumerate().filter(|(_, one)| is_segment(one.name));
        named.map(|(place, _)| Window::of_segment(set, self.register(place) as u32)).collect()
    }
    /// The address that the stack pointer means, where there is one.
    fn stack_place(&self) -> Option<u32> {
        let set = self.set();
        let place = set.place_of(Role::Stack)?;
        Some(self.register(place) as u32 + set.registers.stack_page)
    }
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
    /// True where it waits in a halt and takes no request.
    fn is_deaf(&self) -> bool {
        false
    }
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
    /// What a snapshot keeps: as little as it can that an earlier one has not kept already.
    fn keep(&self, _like: Option<&dyn Core>) -> Box<dyn Core> {
        self.copy()
    }
    /// About how many bytes of memory it keeps as a snapshot that an earlier one does not share.
    fn kept_bytes(&self, _earlier: Option<&dyn Core>) -> usize {
        0
    }
    /// What a snapshot has kept, to go on with.
    fn live(&self) -> Box<dyn Core> {
        self.copy()
    }
    /// Its memory, for another of the same kind to be kept beside it.
    fn kept_memory(&self) -> Option<&dyn std::any::Any> {
        None
    }
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
    ("6502u", Bytes::<mos6502::Cpu<{ mos6502::NMOSU }>, Flat>::boxed),
    ("z80", Bytes::<z80::Cpu<false>, Flat>::boxed),
    ("ez80", Bytes::<ez80::Cpu, Blocks>::boxed),
    ("ez80adl", Bytes::<ez80::Cpu, Blocks>::boxed),
    ("z80u", Bytes::<z80::Cpu<true>, Flat>::boxed),
    ("8086", Bytes::<i8086::Cpu, Megabyte>::boxed),
    ("8088", Bytes::<i8086::Cpu, Megabyte>::boxed),
    ("8086u", Bytes::<i8086::Cpu, Megabyte>::boxed),
    ("pdp8", Words::<pdp8::Cpu, 0o100000>::boxed),
    ("pdp10", Words::<pdp10::Cpu, 0o1000000>::boxed),
];

/// Makes the processor of an instruction set, with its memory and the stretches of addresses where chips answer.
pub fn make(set: &'static InstructionSet, areas: Vec<Area>, chips: &[(u32, u32)]) -> Option<Box<dyn Core>> {
    MAKERS.iter().find(|(name, _)| *name == set.name()).map(|(_, make)| make(set, areas, chips))
}

/// What every machine leaves to its processor: the first items of an `impl Core`.
macro_rules! of_its_processor {
    () => {
        fn set(&self) -> &'static InstructionSet {
            self.processor.set()
        }

        fn place(&self) -> u32 {
            self.processor.place()
        }

        fn set_place(&mut self, address: u32) {
            self.processor.set_place(address);
        }

        fn window(&self) -> $crate::processor::Window {
            self.processor.window()
        }

        fn stack_place(&self) -> Option<u32> {
            self.processor.stack_place()
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

        fn is_deaf(&self) -> bool {
            self.processor.is_deaf()
        }

        fn halted_at(&self) -> Option<u32> {
            self.processor.waits_at()
        }
    };
}
use of_its_processor;
