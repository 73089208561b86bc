//! The seam between a processor and the machine around it.

use super::{InstructionSet, Role, Tally, Window};
use std::fmt::Debug;

/// Memory, ports and lines as a processor sees them. Executors are generic over it, so that each machine's accesses
/// are compiled into the run loop.
pub trait Bus {
    /// A memory cell.
    type Cell: Copy + Default;

    /// True where any access may ask for [`attention`](Self::attention). Where it is false the processor looks only
    /// after port and line accesses.
    const WATCHED: bool;
    /// True where a read can have an effect, so that those count, too, whose value is thrown away.
    const MAPPED: bool;

    /// True where nothing sees which cells are fetched, so that more may be than an instruction has.
    const AHEAD: bool = false;

    /// Reads the cell at the program counter.
    fn fetch(&mut self, address: u32) -> Self::Cell;
    /// Reads eight cells at the program counter. Where memory ends among them, those after say nothing.
    fn fetch_ahead(&mut self, address: u32) -> [Self::Cell; 8] {
        std::array::from_fn(|by| self.fetch(address + by as u32))
    }
    /// Reads two data cells, at an even address and the one above it, in the cycle that ends at `now`.
    fn read_pair(&mut self, address: u32, now: u64) -> [Self::Cell; 2] {
        [self.read(address, now), self.read(address | 1, now)]
    }
    /// Writes two data cells, at an even address and the one above it, in the cycle that ends at `now`.
    fn write_pair(&mut self, address: u32, [low, high]: [Self::Cell; 2], now: u64) {
        self.write(address, low, now);
        self.write(address | 1, high, now);
    }
    /// Reads a data cell in the cycle that ends at `now`.
    fn read(&mut self, address: u32, now: u64) -> Self::Cell;
    /// Writes a data cell in the cycle that ends at `now`.
    fn write(&mut self, address: u32, value: Self::Cell, now: u64);
    /// Reads a cell and throws the value away, as some processors do between the accesses that count.
    fn touch(&mut self, _address: u32, _now: u64) {}
    /// Reads a port at cycle `now`.
    fn input(&mut self, _port: u32, _now: u64) -> Self::Cell {
        Self::Cell::default()
    }
    /// Writes a port at cycle `now`.
    fn output(&mut self, _port: u32, _value: Self::Cell, _now: u64) {}
    /// The level of an input line at cycle `now`; `None` where nothing drives it.
    fn sense(&mut self, _line: InputLine, _now: u64) -> Option<bool> {
        None
    }
    /// Sets an output line at cycle `now`.
    fn drive(&mut self, _line: OutputLine, _level: bool, _now: u64) {}
    /// Acknowledges an interrupt at cycle `now`: what the chip that asks puts on the data bus; `None` where none does.
    fn acknowledge(&mut self, _now: u64) -> Option<Self::Cell> {
        None
    }
    /// The accesses that follow belong to the instruction that was executed last, though the run loop has been left; or they do no more.
    fn goes_on(&mut self, _on: bool) {}
    /// An instruction that returns from an interrupt has gone by, which chips look for.
    fn returned(&mut self, _now: u64) {}
    /// On a word machine: a transfer with a device at cycle `now`, with the accumulator; what the accumulator is after it, and
    /// whether the next instruction is skipped.
    fn transfer(&mut self, _device: u32, _function: u32, value: Self::Cell, _now: u64) -> (Self::Cell, bool) {
        (value, false)
    }
    /// An accumulator that is a memory cell, too, by its number.
    fn register(&self, _number: u32) -> Self::Cell {
        Self::Cell::default()
    }
    /// Sets such an accumulator.
    fn set_register(&mut self, _number: u32, _value: Self::Cell) {}
    /// On a word machine: the program clears the flags of all devices.
    fn clear_devices(&mut self, _now: u64) {}
    /// True where the machine wants the processor to return after this instruction.
    fn attention(&self) -> bool;
}

/// An input line that a program can read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum InputLine {
    /// The 8085's serial input data.
    Sid,
}

/// An output line that a program can set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OutputLine {
    /// The 8085's serial output data.
    Sod,
}

/// Watches the processor between instructions. The run loop is compiled once for each watcher, so that
/// [`NoWatch`] costs nothing.
pub trait Watch {
    /// What the run loop keeps at hand while it runs.
    type Local<'l>
    where
        Self: 'l;

    /// What to keep at hand in a stretch that begins with this tally.
    fn local(&mut self, tally: Tally) -> Self::Local<'_>;

    /// Called before each instruction with its address; true stops the run there.
    fn before<'l>(local: &mut Self::Local<'l>, pc: u32, tally: Tally) -> bool
    where
        Self: 'l;

    /// Called where the stretch ends.
    fn after<'l>(_local: Self::Local<'l>, _tally: Tally)
    where
        Self: 'l,
    {
    }
}

/// Watches nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoWatch;

impl Watch for NoWatch {
    type Local<'l> = ();

    fn local(&mut self, _: Tally) {}

    #[inline(always)]
    fn before<'l>((): &mut (), _: u32, _: Tally) -> bool
    where
        Self: 'l,
    {
        false
    }
}

/// The interrupt requests of all chips.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Requests {
    /// Since which cycle their common line asks.
    pub since: Option<u64>,
    /// On a processor with seven channels: those that are asked for, channel 1 on the left.
    pub channels: u8,
}

/// A processor as a machine holds it.
pub trait Processor: Clone + Debug + Send {
    /// What its memory cells are kept in.
    type Cell: Copy + Default + Debug + Send;

    /// Few programs need it: its loops are compiled for the bus that can do everything, and no other.
    const SELDOM: bool = false;

    /// The processor that executes a set, one of those it is made for, as it is when it is switched on.
    fn of(set: &'static InstructionSet) -> Self;
    /// Its instruction set, in the mode that it is in where it has several.
    fn set(&self) -> &'static InstructionSet;
    /// Runs until cycle `limit` or a reason to return; see [`Exit`].
    fn run<B: Bus<Cell = Self::Cell>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit;
    /// The reset line; `cell` reads memory.
    fn reset(&mut self, cell: impl Fn(u32) -> Self::Cell);
    /// A request on an interrupt input, by the name in [`InterruptInputs::inputs`](super::InterruptInputs::inputs).
    fn request(&mut self, input: &str);
    /// What the chips ask for together has changed.
    fn requested(&mut self, requests: Requests);
    /// True where it waits in a halt and takes no request of chips.
    fn is_deaf(&self) -> bool {
        false
    }
    /// The address of the halt in which it rests, where nothing that is there would wake it.
    fn waits_at(&self) -> Option<u32>;
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
    /// The address that the stack pointer means, where there is one.
    fn stack_place(&self) -> Option<u32> {
        let set = self.set();
        let place = set.place_of(Role::Stack)?;
        Some(self.register(place) as u32 + set.registers.stack_page)
    }
    /// Cycles and instructions.
    fn counters(&self) -> (u64, u64);
    /// Sets cycles and instructions, and nothing else.
    fn set_counters(&mut self, now: u64, instructions: u64);
    /// The counting begins again: what was this cycle is cycle 0, and no instruction was executed yet.
    fn restart(&mut self) {
        self.set_counters(0, 0);
    }
    /// The part of [`repeat`](Self::repeat) that all processors have in common.
    fn repeat_counters(&mut self, before: &Self, turns: u64) {
        let ((begin, count), (now, counted)) = (before.counters(), self.counters());
        self.set_counters(now + turns * (now - begin), counted + turns * (counted - count));
    }
    /// Does so many times more what it has done since `before`: one turn of a jump to itself.
    fn repeat(&mut self, before: &Self, turns: u64) {
        self.repeat_counters(before, turns);
    }
}

/// Why a processor returned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    /// The cycle limit was reached.
    Limit,
    /// It waits for an interrupt, and nothing that asks for one already will end that.
    Halt,
    /// It has stopped until the operator lets it go on.
    Stop,
    /// The instruction that was executed last jumps to itself, and no interrupt that is asked for already will end that: nothing but
    /// an event from outside can change anything.
    Idle,
    /// The next cell is not an instruction of this set.
    Undefined,
    /// An address, or an instruction that executes others, leads through cells without end.
    Chain,
    /// The bus asked for attention.
    Attention,
    /// The watcher stopped it.
    Watched,
}

impl Exit {
    /// True where the instruction that was next was not executed: what was to hold for it holds for it still.
    pub(super) fn is_before(self) -> bool {
        matches!(self, Exit::Watched | Exit::Undefined | Exit::Chain)
    }
}
