//! A processor as the machine holds it: one call a time slice, the loops compiled for each bus and watcher inside.

use super::bus::{MachineBus, Noted};
use super::io::Io;
use super::memory::{Area, Memory};
use crate::processor::{Exit, InstructionSet, NoWatch, Watch, i8080};
use std::fmt::Debug;

/// Sees each instruction: its address and the cycle it begins at.
pub type Callback<'a> = &'a mut dyn FnMut(u32, u64);

/// Addresses to stop at, and a mark for each of those below 64K.
///
/// PERF: bytes are a load and a compare an instruction, bits three instructions more.
#[derive(Debug, Clone)]
pub struct StopMap {
    marks: Box<[bool; 0x1_0000]>,
    addresses: Vec<u32>,
}

impl Default for StopMap {
    fn default() -> Self {
        Self { marks: Box::new([false; 0x1_0000]), addresses: Vec::new() }
    }
}

impl StopMap {
    /// Adds an address. False where it was there already.
    pub fn insert(&mut self, address: u32) -> bool {
        let new = !self.addresses.contains(&address);
        if new {
            self.addresses.push(address);
            self.addresses.sort_unstable();
            if let Some(mark) = self.marks.get_mut(address as usize) {
                *mark = true;
            }
        }
        new
    }

    /// Takes an address away. False where it was not there.
    pub fn remove(&mut self, address: u32) -> bool {
        let kept: Vec<u32> = self.addresses.iter().copied().filter(|&other| other != address).collect();
        let had = kept.len() != self.addresses.len();
        *self = kept.into_iter().collect();
        had
    }

    /// The addresses in order.
    pub fn addresses(&self) -> &[u32] {
        &self.addresses
    }

    /// True where the run stops at the address.
    pub fn contains(&self, address: u32) -> bool {
        self.addresses.binary_search(&address).is_ok()
    }
}

impl FromIterator<u32> for StopMap {
    fn from_iter<I: IntoIterator<Item = u32>>(addresses: I) -> Self {
        let mut map = Self::default();
        for address in addresses {
            map.insert(address);
        }
        map
    }
}

/// What is watched during a slice.
pub enum Watching<'a> {
    /// Nothing.
    Nothing,
    /// The program counter.
    Stops(&'a StopMap),
    /// Every instruction.
    Each(Callback<'a>),
    /// A single instruction whose accesses are noted.
    Step(&'a mut Vec<Noted>),
}

struct AtStops<'a>(&'a StopMap);

impl Watch<i8080::Registers> for AtStops<'_> {
    const PURE: bool = true;
    type Local<'l>
        = &'l [bool; 0x1_0000]
    where
        Self: 'l;

    fn local(&mut self) -> Self::Local<'_> {
        &self.0.marks
    }

    #[inline(always)]
    fn before<'l>(marks: &mut &'l [bool; 0x1_0000], registers: &i8080::Registers, _: u64) -> bool
    where
        Self: 'l,
    {
        marks[usize::from(registers.pc)]
    }
}

/// PERF: showing the registers too costs ten stores and as many loads an instruction around the call, and doubles what
/// the call costs; docs/performance.md has the figures. Whoever wants registers and cells steps.
struct EachInstruction<'a>(Callback<'a>);

impl Watch<i8080::Registers> for EachInstruction<'_> {
    const PURE: bool = false;
    type Local<'l>
        = &'l mut dyn FnMut(u32, u64)
    where
        Self: 'l;

    fn local(&mut self) -> Self::Local<'_> {
        &mut *self.0
    }

    #[inline(always)]
    fn before<'l>(callback: &mut &'l mut dyn FnMut(u32, u64), registers: &i8080::Registers, now: u64) -> bool
    where
        Self: 'l,
    {
        callback(registers.pc.into(), now);
        false
    }
}

/// A processor in a machine, with the memory that only its own run loop can reach fast.
pub trait Core: Debug + Send {
    /// Its instruction set.
    fn set(&self) -> &'static InstructionSet;
    /// A register by its place in the set's list.
    fn register(&self, place: usize) -> u64;
    /// Sets a register; bits that do not exist are dropped.
    fn set_register(&mut self, place: usize, value: u64);
    /// The reset line.
    fn reset(&mut self);
    /// A request on an interrupt input, by its name. False where there is no such input.
    fn request(&mut self, input: &str) -> bool;
    /// Its memory.
    fn memory(&self) -> &Memory;
    /// Sets a cell whatever it is made of. False where nothing is.
    fn put(&mut self, address: u32, value: u64) -> bool;
    /// True where it waits for an interrupt, and none is pending that it would take.
    fn halted(&self) -> bool;
    /// Cycles since power-on.
    fn now(&self) -> u64;
    /// Instructions since power-on.
    fn instructions(&self) -> u64;
    /// Lets time pass: to cycle `now`, with so many more instructions.
    fn pass(&mut self, now: u64, instructions: u64);
    /// Sets both counters to 0.
    fn clear_counters(&mut self);
    /// Runs a slice.
    fn run(&mut self, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit;
    /// A copy, for going back to an earlier state.
    fn copy(&self) -> Box<dyn Core>;
}

impl Clone for Box<dyn Core> {
    fn clone(&self) -> Self {
        self.copy()
    }
}

type Maker = fn(Vec<Area>) -> Box<dyn Core>;

/// Every processor that can be run.
const MAKERS: &[(&str, Maker)] = &[
    ("8080", Bytes::<i8080::Cpu<{ i8080::I80 }>>::boxed),
    ("8085", Bytes::<i8080::Cpu<{ i8080::I85 }>>::boxed),
    ("8085u", Bytes::<i8080::Cpu<{ i8080::U85 }>>::boxed),
];

/// Makes the processor of an instruction set, with its memory.
pub fn make(set: &InstructionSet, areas: Vec<Area>) -> Option<Box<dyn Core>> {
    MAKERS.iter().find(|(name, _)| *name == set.name).map(|(_, make)| make(areas))
}

/// A processor with 64K cells of 8 bits.
#[derive(Debug, Clone)]
struct Bytes<P> {
    processor: P,
    memory: Memory,
}

impl<P: Default> Bytes<P>
where
    Self: Core + 'static,
{
    fn boxed(areas: Vec<Area>) -> Box<dyn Core> {
        Box::new(Self { processor: P::default(), memory: Memory::new(areas) })
    }
}

impl<const CHIP: u8> Core for Bytes<i8080::Cpu<CHIP>> {
    fn set(&self) -> &'static InstructionSet {
        match CHIP {
            i8080::I80 => &i8080::I8080,
            i8080::I85 => &i8080::I8085,
            _ => &i8080::I8085U,
        }
    }

    fn register(&self, place: usize) -> u64 {
        self.processor.register(place)
    }

    fn set_register(&mut self, place: usize, value: u64) {
        self.processor.set_register(place, value);
    }

    fn reset(&mut self) {
        self.processor.reset();
    }

    fn request(&mut self, input: &str) -> bool {
        let known = Core::set(self).inputs.contains(&input);
        if let Some(input) = i8080::Input::named(input).filter(|_| known) {
            self.processor.interrupts.request(input);
        }
        known
    }

    fn now(&self) -> u64 {
        self.processor.now
    }

    fn instructions(&self) -> u64 {
        self.processor.instructions
    }

    fn pass(&mut self, now: u64, instructions: u64) {
        self.processor.now = now;
        self.processor.instructions += instructions;
    }

    fn clear_counters(&mut self) {
        (self.processor.now, self.processor.instructions) = (0, 0);
    }

    fn halted(&self) -> bool {
        self.processor.waits()
    }

    fn memory(&self) -> &Memory {
        &self.memory
    }

    fn put(&mut self, address: u32, value: u64) -> bool {
        self.memory.put(address, value)
    }

    fn run(&mut self, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit {
        let Self { processor, memory } = self;
        let (cells, pages, areas) = memory.parts();
        let checked = io.stop_unmapped;
        let nothing = StopMap::default;
        let notes = &mut Vec::new();
        macro_rules! bus {
            ($checked:literal, $recorded:literal, $notes:expr) => {
                &mut MachineBus::<$checked, $recorded> { cells, pages, areas, io, notes: $notes }
            };
        }
        // PERF: each pair of bus and watcher is a loop of its own of 256 arms; only the pairs that earn it are made.
        match watching {
            Watching::Step(notes) => processor.run(bus!(true, true, notes), &mut NoWatch, limit),
            Watching::Each(callback) => {
                let mut each = EachInstruction(*callback);
                if checked {
                    processor.run(bus!(true, false, notes), &mut each, limit)
                } else {
                    processor.run(bus!(false, false, notes), &mut each, limit)
                }
            }
            Watching::Nothing if !checked => processor.run(bus!(false, false, notes), &mut NoWatch, limit),
            Watching::Nothing => processor.run(bus!(true, false, notes), &mut AtStops(&nothing()), limit),
            Watching::Stops(stops) if !checked => {
                processor.run(bus!(false, false, notes), &mut AtStops(stops), limit)
            }
            Watching::Stops(stops) => processor.run(bus!(true, false, notes), &mut AtStops(stops), limit),
        }
    }

    fn copy(&self) -> Box<dyn Core> {
        Box::new(self.clone())
    }
}
