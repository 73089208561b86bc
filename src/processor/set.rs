//! What is known about an instruction set as a whole.

use super::{Mnemonics, Row, Usage};
use crate::number::Habit;

/// An instruction set: its table, its registers and the habits of the people who use it.
pub struct InstructionSet {
    /// The name in `cpu NAME` and `--cpu NAME`.
    pub name: &'static str,
    /// The maker and the part.
    pub title: &'static str,
    /// Every row of the family; those with this set's [`model`](Self::model) bit belong to it.
    pub rows: &'static [Row],
    /// This set's bit in [`Row::models`].
    pub model: u8,
    /// This set's place in [`Row::timing`] and [`Row::flags`].
    pub column: usize,
    /// What the maker calls a clock cycle in the timing tables.
    pub cycle_name: &'static str,
    /// How many of them a second has on the board `bare`.
    pub bare_clock: u64,
    /// The rows by the cells that an instruction begins with.
    pub opcodes: Opcodes,
    /// Groups of operations that stand in one word.
    pub groups: &'static [&'static super::micro::Group],
    /// The mnemonics with their rows.
    pub mnemonics: &'static Mnemonics,
    /// Every register name that an operand may have.
    pub operand_names: &'static [&'static str],
    /// What people used to other processors call a register, and what it is called here.
    pub register_aliases: &'static [(&'static str, &'static str)],
    /// The registers that have a name, in the order they are shown.
    pub registers: &'static [Register],
    /// The flags, most significant first.
    pub flags: &'static [Flag],
    /// The conditions of `when`, `leave` and `endcycle`.
    pub conditions: &'static [Condition],
    /// The mnemonic of the jump without a condition.
    pub jump: &'static str,
    /// The mnemonic of the jump that reaches near labels only, where there is one.
    pub near_jump: Option<&'static str>,
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
    /// Mnemonics of other processors, sorted, with what to write here.
    pub foreign: &'static [super::Foreign],
    /// Some operands have a narrow form and a wide one, chosen by value or by a word before the operand.
    pub zero_page_forms: bool,
    /// Mnemonics that use the stack, beside calls and returns.
    pub stack_users: &'static [&'static str],
    /// What is added to the stack pointer to give an address.
    pub stack_page: u32,
    /// What it puts out about each machine cycle, where it does.
    pub status: Option<&'static Status>,
    /// Sets of other tables whose programs it executes all the same.
    pub ancestors: &'static [&'static str],
    /// What it is by a mode bit, where a processor has two widths of word.
    pub modes: Option<&'static Modes>,
    /// Bits with which the address of a port, or the code of a device, is written.
    pub port_bits: u8,
    /// The largest port, or the last register of a device.
    pub last_port: u32,
    /// Bits in a memory cell.
    pub cell_bits: u8,
    /// Bits in an address.
    pub address_bits: u8,
    /// How its people write numbers.
    pub habit: Habit,
}

/// The rows of a set by the cells that an instruction begins with.
#[derive(Clone, Copy)]
pub struct Opcodes {
    /// The row of every first cell, plus one; 0 where there is none, [`PREFIX`] and the number of a page where the opcode goes on.
    pub index: &'static [u16],
    /// Bits of a first cell on the right that the index does without.
    pub shift: u8,
    /// The pages that prefixes lead to.
    pub pages: &'static [Page],
}

/// What follows a prefix.
#[derive(Debug, Clone, Copy)]
pub struct Page {
    /// The prefix, its cells in a number, the first one highest.
    pub prefix: u32,
    /// Where the next cell of the opcode stands, counted from the first.
    pub at: usize,
    /// The row of every such cell, as in [`Opcodes::index`].
    pub index: &'static [u16; 256],
    /// The row, plus one, that the prefix is by itself where the page has none; 0 without one.
    pub alone: u16,
}

/// One of the two widths of word that a processor has, by a bit of its own.
///
/// Each width is a set over the same registers; a jump with a suffix leads from one to the other.
#[derive(Debug, Clone, Copy)]
pub struct Modes {
    /// What the maker calls this one.
    pub name: &'static str,
    /// The register that has the bit, and its value in this mode.
    pub register: (&'static str, u64),
    /// The set of the other mode.
    pub other: &'static InstructionSet,
    /// Cells in front of an instruction that give it widths of its own.
    pub suffixes: &'static [Suffix],
    /// Addresses have no more than a word's bits; what stands above them is that of the program.
    pub short_addresses: bool,
}

/// A cell in front of an instruction that gives it the widths of another set.
#[derive(Debug, Clone, Copy)]
pub struct Suffix {
    /// The cell.
    pub cell: u64,
    /// How it is written behind the mnemonic, the full name first.
    pub names: &'static [&'static str],
    /// The set by which the rest is read.
    pub set: &'static InstructionSet,
    /// The instruction's data are of the long width.
    pub long_data: bool,
    /// The instruction's own words are of the long width: a jump leads to that mode.
    pub long_words: bool,
}

impl PartialEq for InstructionSet {
    fn eq(&self, other: &Self) -> bool {
        std::ptr::eq(self, other)
    }
}

impl Eq for InstructionSet {}

impl PartialEq for Suffix {
    fn eq(&self, other: &Self) -> bool {
        (self.cell, self.names) == (other.cell, other.names)
    }
}

impl Eq for Suffix {}

/// From this number on an index names pages, not rows.
pub const PREFIX: u16 = 0xFF00;

/// What the cells of an instruction begin with: a row of its set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Opcode {
    /// The row.
    pub row: &'static Row,
    /// Its number in the set's table.
    pub number: u16,
    /// The cells of the opcode in one number, the first one highest.
    pub value: u64,
}

/// A register of a set's list.
pub(super) const fn register(name: &'static str, bits: u8, role: Role) -> Register {
    Register { name, bits, role }
}

/// A condition of a set's list.
pub(super) const fn condition(
    names: &'static [&'static str],
    holds: &'static str,
    fails: &'static str,
) -> Condition {
    Condition { names, holds, fails }
}

/// A register that a person can name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Register {
    /// The maker's name.
    pub name: &'static str,
    /// Its width.
    pub bits: u8,
    /// What it is for.
    pub role: Role,
}

/// What a register is, as far as showing it goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// Holds data.
    Data,
    /// Holds the flags.
    Flags,
    /// The stack pointer.
    Stack,
    /// The program counter.
    Program,
    /// Is the memory cell whose address is the register's place in the list.
    Cell,
    /// Two others seen as one; shown only when asked for.
    Pair,
    /// Interrupt state and the like.
    Control,
    /// Changes with nearly every instruction by itself; shown only when asked for.
    Internal,
    /// What a line of the board carries where nothing there drives it: an input, or the bus at an acknowledgement; shown only when
    /// asked for.
    Line,
}

/// A flag: its name and its bit in the flag register.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Flag {
    /// The maker's name.
    pub name: &'static str,
    /// The bit's weight in the flag register.
    pub mask: u64,
    /// What a 1 says, in words.
    pub meaning: &'static str,
}

/// What a processor puts out about each of its machine cycles.
#[derive(Debug)]
pub struct Status {
    /// The names of the bits, from the right.
    pub names: &'static [&'static str],
    /// While it waits in a halt.
    pub halted: u8,
    /// In an instruction that takes so many cycles, at one of them.
    pub at: fn(&super::Decoded, u64, u64) -> u8,
}

/// A condition that a branch can test.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Condition {
    /// Its names, the maker's first.
    pub names: &'static [&'static str],
    /// The mnemonic of the branch that is taken where it holds.
    pub holds: &'static str,
    /// The mnemonic of the branch that is taken where it does not.
    pub fails: &'static str,
}

impl std::fmt::Debug for Opcodes {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Opcodes").field("shift", &self.shift).finish_non_exhaustive()
    }
}

/// A table is told by its name.
impl std::fmt::Debug for InstructionSet {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "InstructionSet({})", self.name)
    }
}

impl InstructionSet {
    /// The suffix that a cell is.
    #[inline]
    pub fn suffix(&self, cell: u64) -> Option<&'static Suffix> {
        self.modes?.suffixes.iter().find(|suffix| suffix.cell == cell)
    }

    /// The suffix of a name with its point, `.lil`.
    pub fn suffix_named(&self, name: &str) -> Option<&'static Suffix> {
        let is = |suffix: &&Suffix| suffix.names.iter().any(|known| known.eq_ignore_ascii_case(name));
        self.modes?.suffixes.iter().find(is)
    }

    /// This mode of the processor, or the other one.
    pub fn in_mode(&'static self, long: bool) -> &'static InstructionSet {
        match self.modes {
            Some(modes) if modes.short_addresses == long => modes.other,
            _ => self,
        }
    }

    /// A condition by one of its names, capitals or not.
    pub fn condition(&self, name: &str) -> Option<&'static Condition> {
        self.conditions.iter().find(|one| one.names.iter().any(|known| known.eq_ignore_ascii_case(name)))
    }

    /// The row that cells belong to by the first of them.
    ///
    /// # Errors
    /// [`NotEnough`](super::NotEnough) where the cells end inside the opcode.
    #[inline]
    pub fn opcode(&self, cells: &[u64]) -> Result<Option<Opcode>, super::NotEnough> {
        let Some(&first) = cells.first() else { return Err(super::NotEnough { missing: 1 }) };
        let found = usize::try_from(first >> self.opcodes.shift).ok();
        let number = found.and_then(|at| self.opcodes.index.get(at)).copied().unwrap_or(0);
        if number < PREFIX {
            return Ok(self.numbered(number, first));
        }
        let (mut number, mut value, mut alone) = (number, first, (0, first));
        while let Some(page) = number.checked_sub(PREFIX).map(|page| &self.opcodes.pages[usize::from(page)]) {
            if page.alone != 0 {
                alone = (page.alone, value);
            }
            let Some(&cell) = cells.get(page.at) else {
                return Err(super::NotEnough { missing: page.at + 1 - cells.len() });
            };
            number = page.index[cell as usize & 0xFF];
            value = value << 8 | cell;
        }
        Ok(self.numbered(number, value).or_else(|| self.numbered(alone.0, alone.1)))
    }

    fn numbered(&self, number: u16, value: u64) -> Option<Opcode> {
        let number = number.checked_sub(1)?;
        Some(Opcode { row: &self.rows[usize::from(number)], number, value })
    }

    /// The row of an opcode whose cells stand in one number; see [`Opcode::value`].
    pub fn row_of(&self, opcode: u64) -> Option<&'static Row> {
        let cells = self.opcode_cells(opcode);
        self.opcode(&cells).ok().flatten().filter(|found| found.value == opcode).map(|found| found.row)
    }

    /// Cells that begin with an opcode whose cells stand in one number.
    pub fn opcode_cells(&self, opcode: u64) -> Vec<u64> {
        if self.opcodes.pages.is_empty() {
            return vec![opcode];
        }
        let bytes: Vec<u64> = opcode.to_be_bytes().into_iter().map(u64::from).collect();
        let used = (64 - opcode.leading_zeros()).div_ceil(8).max(1) as usize;
        let mut cells = bytes[8 - used..].to_vec();
        if used == 3 {
            // The operand stands in front of the last one.
            cells.insert(2, 0);
        }
        cells
    }

    /// Every opcode there is, in order, those of the pages behind the others.
    pub fn every_opcode(&self) -> impl Iterator<Item = Opcode> {
        let firsts = (0..self.opcodes.index.len() as u64).map(|first| first << self.opcodes.shift);
        let pages = self.opcodes.pages.iter();
        let paged = pages.flat_map(|page| (0..256).map(|cell| u64::from(page.prefix) << 8 | cell));
        firsts.chain(paged).filter_map(|opcode| {
            let found = self.opcode(&self.opcode_cells(opcode)).ok().flatten()?;
            (found.value == opcode).then_some(found)
        })
    }

    /// Cells of its longest instruction, in the mode where that is longest, without a suffix.
    pub fn longest(&'static self) -> usize {
        let of = |set: &InstructionSet| set.own_rows().map(Row::cells).max().unwrap_or(1);
        self.modes.map_or_else(|| of(self), |modes| of(self).max(of(modes.other)))
    }

    /// This set's rows in table order.
    pub fn own_rows(&self) -> impl Iterator<Item = &'static Row> {
        let model = self.model;
        self.rows.iter().filter(move |row| row.models & model != 0)
    }

    /// The row's time on this chip.
    pub fn timing(&self, row: &Row) -> super::Timing {
        row.timing[self.column]
    }

    /// What the row does to the flags on this chip.
    pub fn flag_effect(&self, row: &Row) -> &'static str {
        row.flags[self.column]
    }

    /// The place of a register by its name, capitals or not.
    pub fn register(&self, name: &str) -> Option<usize> {
        self.registers.iter().position(|register| register.name.eq_ignore_ascii_case(name))
    }

    /// A flag by its name, capitals or not.
    pub fn flag(&self, name: &str) -> Option<&'static Flag> {
        self.flags.iter().find(|flag| flag.name.eq_ignore_ascii_case(name))
    }

    /// The place of the register that holds the flags.
    pub fn flags_register(&self) -> Option<usize> {
        self.registers.iter().position(|register| register.role == Role::Flags)
    }

    /// True where its halt hands over to the operator, who lets it go on; elsewhere an interrupt does.
    pub fn stops_for_operator(&self) -> bool {
        self.rows.iter().any(|row| row.flow == super::Flow::Stop)
    }

    /// True where a memory cell holds a number, not a part of one.
    pub fn is_word_machine(&self) -> bool {
        self.cell_bits > 8
    }

    /// True where this processor executes the programs of the other: it has all of its instructions.
    pub fn runs(&self, other: &InstructionSet) -> bool {
        let same = std::ptr::eq(self.rows, other.rows);
        same && other.own_rows().all(|row| row.models & self.model != 0)
            || self.ancestors.contains(&other.name)
    }

    /// The largest address.
    pub fn last_address(&self) -> u32 {
        ((1u64 << self.address_bits) - 1) as u32
    }

    /// The largest value of a cell.
    pub fn last_cell(&self) -> u64 {
        (1 << self.cell_bits) - 1
    }

    /// An address in the habitual radix, full width, without decoration.
    pub fn address(&self, address: u64) -> String {
        self.habit.plain(address, self.address_bits)
    }

    /// A port, or the code of a device, in the habitual radix without decoration.
    pub fn port(&self, port: u32) -> String {
        self.habit.plain(port.into(), self.port_bits)
    }

    /// What its people call the places where devices are reached.
    pub fn port_word(&self) -> &'static str {
        if self.is_word_machine() { "device" } else { "port" }
    }

    /// A cell in the habitual radix, full width, without decoration.
    pub fn cell(&self, cell: u64) -> String {
        self.habit.plain(cell, self.cell_bits)
    }
}

/// Finds the row of each of the 256 first cells, at compile time.
///
/// # Panics
/// At compile time, where two rows of a set claim the same first cell.
pub const fn index_rows(rows: &[Row], model: u8) -> [u16; 256] {
    index_page(rows, model, (0, 1), &[])
}

/// The same for the cells behind a prefix, given with how many cells the whole opcode has. `further` are cells that lead on to
/// pages. What is found only takes what the rows above it leave.
///
/// # Panics
/// As [`index_rows`].
pub const fn index_page(
    rows: &[Row],
    model: u8,
    (prefix, cells): (u32, u8),
    further: &[(u8, u16)],
) -> [u16; 256] {
    let mut index = [0; 256];
    let mut at = 0;
    while at < rows.len() {
        let row = &rows[at];
        let mut last = 0;
        while last < 256 && row.opcode_cells == cells && row.models & model != 0 {
            let spare = matches!(row.usage, Usage::Found);
            if !matches!(row.usage, Usage::Written) && row.matches((prefix as u64) << 8 | last as u64) {
                assert!(index[last] == 0 || spare, "two rows claim one opcode");
                if index[last] == 0 {
                    index[last] = at as u16 + 1;
                }
            }
            last += 1;
        }
        at += 1;
    }
    let mut at = 0;
    while at < further.len() {
        index[further[at].0 as usize] = PREFIX + further[at].1;
        at += 1;
    }
    index
}

/// The number of a row, plus one, by model, cells and value of its opcode; 0 where there is none.
pub const fn row_number(rows: &[Row], model: u8, cells: u8, value: u64) -> u16 {
    let mut at = 0;
    while at < rows.len() {
        if rows[at].models & model != 0 && rows[at].opcode_cells == cells && rows[at].value == value {
            return at as u16 + 1;
        }
        at += 1;
    }
    0
}

/// The same for words, by those of their bits that are left without `shift` ones on the right: `N` values. A row stands behind
/// those that it leaves some of its words to.
pub const fn index_words<const N: usize>(rows: &[Row], shift: u8) -> [u16; N] {
    let mut index = [0; N];
    let mut at = rows.len();
    while at > 0 {
        at -= 1;
        if matches!(rows[at].usage, Usage::Written) {
            continue;
        }
        // Every value of the bits that are not fixed.
        let free = !(rows[at].mask >> shift) & (N as u64 - 1);
        let mut bits = free;
        loop {
            let first = rows[at].value >> shift | bits;
            if rows[at].matches(first << shift) {
                index[first as usize] = at as u16 + 1;
            }
            if bits == 0 {
                break;
            }
            bits = (bits - 1) & free;
        }
    }
    index
}
