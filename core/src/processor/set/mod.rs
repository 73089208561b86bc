//! What is known about an instruction set as a whole.

mod hints;
mod index;
mod modes;
mod named;
mod registers;
mod table;

pub(super) use hints::of;
pub use hints::{Foreign, Hints, Mistake, MistakeKind, Starter, Trap, foreign, no_advice, no_trap};
pub use index::{index_operands, index_page, index_rows, index_words, row_number};
pub use modes::{Modes, Suffix};
pub use named::Named;
pub(super) use registers::register;
pub use registers::{Flag, Register, RegisterFile, Role};
pub(super) use table::condition;
pub use table::{Condition, Opcode, Opcodes, OperandIndex, PREFIX, Page, Table};

use super::{Decoded, Row, Window};
use crate::number::Habit;

/// An instruction set: its table, its registers and the habits of the people who use it.
pub struct InstructionSet {
    /// Who it is.
    pub identity: Identity,
    /// Its instructions.
    pub table: Table,
    /// Its registers and flags.
    pub registers: RegisterFile,
    /// Where requests come in and where they lead.
    pub interrupts: InterruptInputs,
    /// How wide its cells and addresses are, and how they are written.
    pub cells: Cells,
    /// What to say to people who are used to others, and how to begin.
    pub hints: Hints,
    /// What it puts out about each machine cycle, where it does.
    pub status: Option<&'static Status>,
    /// What it is by a mode bit, where a processor has two widths of word.
    pub modes: Option<&'static Modes>,
}

/// Who an instruction set is.
#[derive(Debug, Clone, Copy)]
pub struct Identity {
    /// The name in `cpu NAME` and `--cpu NAME`.
    pub name: &'static str,
    /// The maker and the part.
    pub title: &'static str,
    /// What the maker calls a clock cycle in the timing tables.
    pub cycle_name: &'static str,
    /// How many of them a second has on the board `bare`.
    pub clock: u64,
    /// Sets of other tables whose programs it executes all the same.
    pub ancestors: &'static [&'static str],
}

/// Where requests for interrupts come in and where they lead.
#[derive(Debug, Clone, Copy)]
pub struct InterruptInputs {
    /// The interrupt inputs by the names printed on the pins.
    pub inputs: &'static [&'static str],
    /// The one of them that chips share, and that asks for as long as its level does.
    pub level_input: Option<&'static str>,
    /// Where the interrupt inputs with an address of their own lead.
    pub vectors: &'static [(&'static str, u32)],
    /// Where the restart instructions lead, the start among them.
    pub restarts: &'static [(&'static str, u32)],
    /// The cells that hold the addresses where the interrupts and the reset lead.
    pub pointers: &'static [(&'static str, u32)],
}

/// How wide cells, addresses and ports are, and how its people write them.
#[derive(Debug, Clone, Copy)]
pub struct Cells {
    /// Bits in a memory cell.
    pub bits: u8,
    /// Bits in an address.
    pub address_bits: u8,
    /// Bits of the numbers by which a program names its places: those of an address, or fewer where it has a window of memory.
    pub window_bits: u8,
    /// By how many bits the number of a segment is shifted to the address that its window begins at; 0 where there are no segments.
    pub segment_shift: u8,
    /// Bits with which the address of a port, or the code of a device, is written.
    pub port_bits: u8,
    /// The largest port, or the last register of a device.
    pub last_port: u32,
    /// How its people write numbers.
    pub habit: Habit,
}

/// What a processor puts out about each of its machine cycles.
#[derive(Debug)]
pub struct Status {
    /// The names of the bits, from the right.
    pub names: &'static [&'static str],
    /// While it waits in a halt.
    pub halted: u8,
    /// In an instruction that takes so many cycles, at one of them.
    pub at: fn(&Decoded, u64, u64) -> u8,
}

impl PartialEq for InstructionSet {
    fn eq(&self, other: &Self) -> bool {
        std::ptr::eq(self, other)
    }
}

impl Eq for InstructionSet {}

/// A table is told by its name.
impl std::fmt::Debug for InstructionSet {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "InstructionSet({})", self.name())
    }
}

impl InstructionSet {
    /// The name in `cpu NAME` and `--cpu NAME`.
    pub const fn name(&self) -> &'static str {
        self.identity.name
    }

    /// The maker and the part.
    pub const fn title(&self) -> &'static str {
        self.identity.title
    }

    /// Every row of the family, this set's and others'; see [`own_rows`](Self::own_rows).
    #[inline]
    pub const fn rows(&self) -> &'static [Row] {
        self.table.rows
    }

    /// The registers that have a name, in the order they are shown.
    #[inline]
    pub const fn registers(&self) -> &'static [Register] {
        self.registers.list
    }

    /// The flags, most significant first.
    #[inline]
    pub const fn flags(&self) -> &'static [Flag] {
        self.registers.flags
    }

    /// How its people write numbers.
    #[inline]
    pub const fn habit(&self) -> Habit {
        self.cells.habit
    }

    /// Bits in a memory cell.
    #[inline]
    pub const fn cell_bits(&self) -> u8 {
        self.cells.bits
    }

    /// Bits in an address.
    #[inline]
    pub const fn address_bits(&self) -> u8 {
        self.cells.address_bits
    }

    /// True where a program names its places by a segment and an offset.
    pub const fn is_segmented(&self) -> bool {
        self.cells.segment_shift > 0
    }

    /// True where a memory cell holds a number, not a part of one.
    pub fn is_word_machine(&self) -> bool {
        self.cell_bits() > 8
    }

    /// True where this processor executes the programs of the other: it has all of its instructions.
    pub fn runs(&self, other: &InstructionSet) -> bool {
        let same = std::ptr::eq(self.rows(), other.rows());
        same && other.own_rows().all(|row| row.models & self.table.model != 0)
            || self.identity.ancestors.contains(&other.name())
    }

    /// The largest address.
    pub fn last_address(&self) -> u32 {
        ((1u64 << self.address_bits()) - 1) as u32
    }

    /// The largest value of a cell.
    pub fn last_cell(&self) -> u64 {
        (1 << self.cell_bits()) - 1
    }

    /// An address in the habitual radix, full width, without decoration.
    ///
    /// Where there are segments it is segment and offset, `0000:7C00`: of the segments that lie side by side the one that holds it.
    pub fn address(&self, address: u64) -> String {
        if self.is_segmented() {
            return self.spell(address as u32, Window::around(address as u32, self.cells.window_bits));
        }
        self.habit().plain(address, self.address_bits())
    }

    /// An address as a place in a window: segment and offset, where there are segments.
    pub fn spell(&self, address: u32, window: Window) -> String {
        if !self.is_segmented() {
            return self.address(address.into());
        }
        let bits = self.cells.window_bits;
        let segment = self.habit().plain((window.base() >> self.cells.segment_shift).into(), bits);
        format!("{segment}:{}", self.habit().plain(window.number(address).into(), bits))
    }

    /// The number by which a program names an address in its segment; the address where there are none.
    pub fn number(&self, address: u32, base: u32) -> String {
        self.habit().plain(address.wrapping_sub(base).into(), self.number_bits())
    }

    /// Bits of the number by which a listing tells a place: in its segment, where there are some.
    pub fn number_bits(&self) -> u8 {
        if self.is_segmented() { self.cells.window_bits } else { self.address_bits() }
    }

    /// A port, or the code of a device, in the habitual radix without decoration.
    pub fn port(&self, port: u32) -> String {
        self.habit().plain(port.into(), self.cells.port_bits)
    }

    /// What its people call the places where devices are reached.
    pub fn port_word(&self) -> &'static str {
        if self.is_word_machine() { "device" } else { "port" }
    }

    /// A cell in the habitual radix, full width, without decoration.
    pub fn cell(&self, cell: u64) -> String {
        self.habit().plain(cell, self.cell_bits())
    }
}
