//! The seam between a processor and the machine around it.

/// Memory, ports and lines as a processor sees them. Executors are generic over it, so that each machine's accesses
/// are compiled into the run loop.
pub trait Bus {
    /// A memory cell.
    type Cell: Copy;

    /// True where any access may ask for [`attention`](Self::attention). Where it is false the processor looks only
    /// behind port and line accesses.
    const WATCHED: bool;

    /// Reads the cell at the program counter.
    fn fetch(&mut self, address: u32) -> Self::Cell;
    /// Reads a data cell.
    fn read(&mut self, address: u32) -> Self::Cell;
    /// Writes a data cell.
    fn write(&mut self, address: u32, value: Self::Cell);
    /// Reads a port at cycle `now`.
    fn input(&mut self, port: u32, now: u64) -> Self::Cell;
    /// Writes a port at cycle `now`.
    fn output(&mut self, port: u32, value: Self::Cell, now: u64);
    /// The level of an input line at cycle `now`.
    fn sense(&mut self, line: InputLine, now: u64) -> bool;
    /// Sets an output line at cycle `now`.
    fn drive(&mut self, line: OutputLine, level: bool, now: u64);
    /// True where the machine wants the processor to return behind this instruction.
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
pub trait Watch<Registers> {
    /// True where [`before`](Self::before) only looks, and may be asked once more than there are instructions. Its
    /// answer counts only then.
    const PURE: bool;
    /// What the run loop keeps at hand while it runs.
    type Local<'l>
    where
        Self: 'l;

    /// What to keep at hand.
    fn local(&mut self) -> Self::Local<'_>;

    /// Called before each instruction with the registers as they are; true stops the run there.
    fn before<'l>(local: &mut Self::Local<'l>, registers: &Registers, now: u64) -> bool
    where
        Self: 'l;
}

/// Watches nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoWatch;

impl<Registers> Watch<Registers> for NoWatch {
    const PURE: bool = true;
    type Local<'l> = ();

    fn local(&mut self) {}

    #[inline(always)]
    fn before<'l>((): &mut (), _: &Registers, _: u64) -> bool
    where
        Self: 'l,
    {
        false
    }
}

/// Why a processor returned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    /// The cycle limit was reached.
    Limit,
    /// It waits for an interrupt.
    Halt,
    /// The next instruction jumps to itself: nothing but an event from outside can change anything.
    Idle,
    /// The next cell is no instruction of this set.
    Undefined,
    /// The bus asked for attention.
    Attention,
    /// The watcher stopped it.
    Watched,
}
