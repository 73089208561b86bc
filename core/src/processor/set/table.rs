//! The table of a set, and the rows by the cells that an instruction begins with.

use super::InstructionSet;
use crate::processor::{Flow, Mnemonics, NotEnough, Row, Timing, is_memory, micro};

/// A set's rows, and what of them is its own.
#[derive(Debug, Clone, Copy)]
pub struct Table {
    /// Every row of the family; those with this set's [`model`](Self::model) bit belong to it.
    pub rows: &'static [Row],
    /// This set's bit in [`Row::models`].
    pub model: u8,
    /// This set's place in [`Row::timing`] and [`Row::flags`].
    pub column: usize,
    /// The rows by the cells that an instruction begins with.
    pub opcodes: Opcodes,
    /// The name of the notation in which its instructions are written; `plain` for a mnemonic and its operands.
    pub notation: &'static str,
    /// Groups of operations that stand in one word.
    pub groups: &'static [&'static micro::Group],
    /// The mnemonics with their rows.
    pub mnemonics: &'static Mnemonics,
    /// Every register name that an operand may have.
    pub operand_names: &'static [&'static str],
    /// Some operands have a narrow form and a wide one, chosen by value or by a word before the operand.
    pub zero_page_forms: bool,
    /// The conditions of `when`, `leave` and `endcycle`.
    pub conditions: &'static [Condition],
    /// The mnemonic of the jump without a condition.
    pub jump: &'static str,
    /// The mnemonic of the jump that reaches near labels only, where there is one.
    pub near_jump: Option<&'static str>,
    /// Mnemonics that use the stack, beside calls and returns.
    pub stack_users: &'static [&'static str],
}

/// A condition that a branch can test.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Condition {
    /// Its names, the maker's first.
    pub names: &'static [&'static str],
    /// The mnemonic of the branch that is taken where it holds.
    pub holds: &'static str,
    /// The mnemonic of the branch that is taken where it does not; empty for one that counts, which stands at the end of a loop only.
    pub fails: &'static str,
}

/// A condition of a set's list.
pub(in crate::processor) const fn condition(
    names: &'static [&'static str],
    holds: &'static str,
    fails: &'static str,
) -> Condition {
    Condition { names, holds, fails }
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
    /// Where the second cell may be an operand byte: the rows by that, for each first cell; no index and no pages then.
    pub operand: Option<&'static OperandIndex>,
}

/// The rows of opcodes that an operand byte may follow: by the first cell, then by whether the operand is a register (8) and by the middle
/// three bits of the byte; plus one, 0 where there is none.
pub type OperandIndex = [[u16; 16]; 256];

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

/// Marks an opcode with an operand byte, so that one that begins with 0 is told from the one cell after it.
pub(in crate::processor) const WITH_OPERAND: u64 = 1 << 16;

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

impl std::fmt::Debug for Opcodes {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Opcodes").field("shift", &self.shift).finish_non_exhaustive()
    }
}

impl InstructionSet {
    /// A condition by one of its names, capitals or not.
    pub fn condition(&self, name: &str) -> Option<&'static Condition> {
        self.table
            .conditions
            .iter()
            .find(|one| one.names.iter().any(|known| known.eq_ignore_ascii_case(name)))
    }

    /// The row that cells belong to by the first of them.
    ///
    /// # Errors
    /// [`NotEnough`] where the cells end inside the opcode.
    #[inline]
    pub fn opcode(&self, cells: &[u64]) -> Result<Option<Opcode>, NotEnough> {
        if let Some(index) = self.table.opcodes.operand {
            return self.operand_opcode(index, cells);
        }
        let Some(&first) = cells.first() else { return Err(NotEnough { missing: 1 }) };
        let found = usize::try_from(first >> self.table.opcodes.shift).ok();
        let number = found.and_then(|at| self.table.opcodes.index.get(at)).copied().unwrap_or(0);
        if number < PREFIX {
            return Ok(self.numbered(number, first));
        }
        let (mut number, mut value, mut alone) = (number, first, (0, first));
        while let Some(page) =
            number.checked_sub(PREFIX).map(|page| &self.table.opcodes.pages[usize::from(page)])
        {
            if page.alone != 0 {
                alone = (page.alone, value);
            }
            let Some(&cell) = cells.get(page.at) else {
                return Err(NotEnough { missing: page.at + 1 - cells.len() });
            };
            number = page.index[cell as usize & 0xFF];
            value = value << 8 | cell;
        }
        Ok(self.numbered(number, value).or_else(|| self.numbered(alone.0, alone.1)))
    }

    fn numbered(&self, number: u16, value: u64) -> Option<Opcode> {
        let number = number.checked_sub(1)?;
        Some(Opcode { row: &self.rows()[usize::from(number)], number, value })
    }

    /// The same where an operand byte may follow the first cell.
    fn operand_opcode(&self, index: &OperandIndex, cells: &[u64]) -> Result<Option<Opcode>, NotEnough> {
        let Some(&first) = cells.first() else { return Err(NotEnough { missing: 1 }) };
        let rows = &index[first as usize & 0xFF];
        let row = |number: u16| self.rows()[usize::from(number) - 1].opcode_cells;
        if rows.iter().all(|&number| number == 0 || row(number) == 1) {
            return Ok(self.numbered(rows[0], first));
        }
        let Some(&operand) = cells.get(1) else { return Err(NotEnough { missing: 1 }) };
        let class = usize::from(!is_memory(operand)) << 3 | (operand >> 3 & 7) as usize;
        let found = self.numbered(rows[class], first << 8 | operand);
        Ok(found.filter(|found| found.row.matches(found.value)))
    }

    /// The row of an opcode whose cells stand in one number; see [`Opcode::value`].
    pub fn row_of(&self, opcode: u64) -> Option<&'static Row> {
        let cells = self.opcode_cells(opcode);
        self.opcode(&cells).ok().flatten().filter(|found| found.value == opcode).map(|found| found.row)
    }

    /// Cells that begin with an opcode whose cells stand in one number.
    pub fn opcode_cells(&self, opcode: u64) -> Vec<u64> {
        if let Some(index) = self.table.opcodes.operand {
            let is_alone = opcode < 0x100
                && index[opcode as usize][0] != 0
                && self.rows()[usize::from(index[opcode as usize][0]) - 1].opcode_cells == 1;
            return if is_alone { vec![opcode] } else { vec![opcode >> 8 & 0xFF, opcode & 0xFF] };
        }
        if self.table.opcodes.pages.is_empty() {
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

    /// Every opcode there is, in order, those of the pages after the others.
    pub fn every_opcode(&self) -> impl Iterator<Item = Opcode> {
        let operand =
            self.table.opcodes.operand.into_iter().flat_map(|index| self.every_operand_opcode(index));
        let firsts =
            (0..self.table.opcodes.index.len() as u64).map(|first| first << self.table.opcodes.shift);
        let pages = self.table.opcodes.pages.iter();
        let paged = pages.flat_map(|page| (0..256).map(|cell| u64::from(page.prefix) << 8 | cell));
        let plain = firsts.chain(paged).filter_map(|opcode| {
            let found = self.opcode(&self.opcode_cells(opcode)).ok().flatten()?;
            (found.value == opcode).then_some(found)
        });
        plain.chain(operand)
    }

    /// Of those that an operand byte may follow: each first cell once for every row that it has.
    fn every_operand_opcode(&self, index: &'static OperandIndex) -> impl Iterator<Item = Opcode> {
        (0..256u64).flat_map(move |first| {
            let rows = &index[first as usize];
            let is_first = move |class: &usize| rows[*class] != 0 && !rows[..*class].contains(&rows[*class]);
            (0..16).filter(is_first).filter_map(move |class| {
                let row = &self.rows()[usize::from(rows[class]) - 1];
                let byte = if row.mask & 7 == 7 {
                    row.value & 0xFF
                } else {
                    ((class as u64 >> 3) * 0xC0) | ((class as u64 & 7) << 3)
                };
                let value = if row.opcode_cells == 1 { first } else { WITH_OPERAND | first << 8 | byte };
                self.numbered(rows[class], value)
            })
        })
    }

    /// Cells of its longest instruction, in the mode where that is longest, without a suffix.
    pub fn longest(&'static self) -> usize {
        let of = |set: &InstructionSet| set.own_rows().map(Row::most_cells).max().unwrap_or(1);
        self.modes.map_or_else(|| of(self), |modes| of(self).max(of(modes.other)))
    }

    /// This set's rows in table order.
    pub fn own_rows(&self) -> impl Iterator<Item = &'static Row> {
        let model = self.table.model;
        self.rows().iter().filter(move |row| row.models & model != 0)
    }

    /// The row's time on this chip.
    pub fn timing(&self, row: &Row) -> Timing {
        row.timing[self.table.column]
    }

    /// What the row does to the flags on this chip.
    pub fn flag_effect(&self, row: &Row) -> &'static str {
        row.flags[self.table.column]
    }

    /// True where its halt hands over to the operator, who lets it go on; elsewhere an interrupt does.
    pub fn stops_for_operator(&self) -> bool {
        self.rows().iter().any(|row| row.flow == Flow::Stop)
    }
}
