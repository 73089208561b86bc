//! The row of an instruction table: one instruction form with every fact about it.

use super::Shape;

/// One instruction form.
///
/// A processor's table is a `const` slice of these rows. The encoder, the decoder, the opcode chart, the
/// listing and the explanations read nothing else.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Row {
    /// The maker's mnemonic, in capitals.
    pub mnemonic: &'static str,
    /// The operands in the order they are written.
    pub operands: &'static [Shape],
    /// Cells of the opcode. With three of them (DD CB d op) the displacement stands before the last.
    pub opcode_cells: u8,
    /// Bits of the opcode that are fixed; its cells stand in one number, the first one highest.
    pub mask: u64,
    /// Value of the fixed bits.
    pub value: u64,
    /// Clock cycles, one entry for each chip of the family.
    pub timing: [Timing; 2],
    /// What happens to the flags, one entry for each chip of the family: a character for each flag in the order of
    /// [`RegisterFile::flags`](super::RegisterFile::flags): `*` by the result, `-` unchanged, `0` cleared,
    /// `1` set.
    pub flags: [&'static str; 2],
    /// Bit set of the processors that have the row (see [`Table::model`](super::Table::model)).
    pub models: u8,
    /// Whether it is written, found or both.
    pub usage: Usage,
    /// Where execution goes after it.
    pub flow: Flow,
    /// One line of plain words.
    pub meaning: &'static str,
}

/// Where a row counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Usage {
    /// In source text and in memory.
    Whole,
    /// In source text only: another way to write what the set has under the same opcode.
    Written,
    /// In memory only: an opcode that does what another one does, and that no source text yields.
    Found,
    /// In memory, where no row above it is meant: several operations of a [`Group`](super::micro::Group) in one word.
    Combined,
}

/// Where execution goes after an instruction.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Flow {
    /// To the next one.
    On,
    /// To the next one, and from then on interrupts may come.
    Enable,
    /// To its target.
    Jump,
    /// To its target or to the next one.
    Branch,
    /// To the next one, or over the cell after.
    Skip,
    /// Over the cell after.
    SkipAlways,
    /// To its target, and later to the next one.
    Call,
    /// The same under a condition.
    CallIf,
    /// Stores the return address in the target cell, starts after it, and later goes to the next one.
    CallStoring,
    /// A call to the operand's number times this.
    Restart(u32),
    /// A call to this address under a condition.
    RestartIf(u32),
    /// Through the break's vector, and later to so many cells after its own first one.
    Break(u32),
    /// Back to where it was called from.
    Return,
    /// The same, or to the next one.
    ReturnIf,
    /// To an address that a register holds.
    Indirect,
    /// To the next one, or once more to itself.
    Repeat,
    /// Nowhere, until an interrupt comes.
    Halt,
    /// Nowhere, until the operator lets it go on to the next one.
    Stop,
}

impl Flow {
    /// True where it goes elsewhere and comes back to the next one.
    pub const fn is_call(self) -> bool {
        matches!(self, Flow::Call | Flow::CallIf | Flow::CallStoring | Flow::Restart(_) | Flow::RestartIf(_))
    }
}

/// Clock cycles (Intel: T-states) of an instruction.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Timing {
    /// Cycles when the condition fails, or always where there is no condition.
    pub base: u8,
    /// Cycles when the condition holds; equal to `base` where there is no condition.
    pub taken: u8,
    /// Cycles more where an indexed address, or the target of a taken branch, lies in another page.
    pub page: u8,
    /// Cycles more in decimal mode.
    pub decimal: u8,
    /// What the address of an operand in memory takes comes on top, by how it is written.
    pub effective: bool,
    /// Words that are transferred, each of which takes four cycles more where its address is odd.
    pub words: u8,
    /// Cycles of each turn where it is repeated, or of each bit where it shifts by a count.
    pub each: u8,
}

impl Timing {
    /// The same number of cycles always.
    pub const fn always(cycles: u8) -> Self {
        Self { base: cycles, taken: cycles, page: 0, decimal: 0, effective: false, words: 0, each: 0 }
    }

    /// A cycle more where a page is crossed.
    pub(crate) const fn paged(self) -> Self {
        Self { page: 1, ..self }
    }

    /// A cycle more in decimal mode.
    pub const fn decimal(self) -> Self {
        Self { decimal: 1, ..self }
    }

    /// True where the time depends on a condition.
    pub const fn is_conditional(self) -> bool {
        self.base != self.taken
    }

    /// What may come on top, as it is shown: `p` a cycle where a page is crossed, `d` one in decimal mode.
    pub const fn marks(self) -> &'static str {
        match (self.page, self.decimal) {
            (0, 0) => "",
            (_, 0) => "p",
            (0, _) => "d",
            _ => "pd",
        }
    }

    /// What comes on top at least and at most: the effective address, and words at odd addresses.
    const fn on_top(self) -> (u64, u64) {
        let (least, most) = if self.effective { (5, 12) } else { (0, 0) };
        (least, most + 4 * self.words as u64)
    }

    /// The least and the greatest number of cycles where it goes to the next instruction.
    pub const fn going_on(self) -> (u64, u64) {
        let page = if self.is_conditional() { 0 } else { self.page };
        let (least, most) = self.on_top();
        (self.base as u64 + least, (self.base + page + self.decimal) as u64 + most)
    }

    /// The least and the greatest number of cycles where it goes elsewhere.
    pub const fn going_away(self) -> (u64, u64) {
        let (least, most) = self.on_top();
        (self.taken as u64 + least, (self.taken + self.page + self.decimal) as u64 + most)
    }

    /// The least and the greatest number of cycles.
    pub const fn range(self) -> (u64, u64) {
        let ((on, on_most), (away, away_most)) = (self.going_on(), self.going_away());
        (if on < away { on } else { away }, if on_most > away_most { on_most } else { away_most })
    }
}

impl std::fmt::Display for Timing {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        if self.is_conditional() {
            write!(f, "{}/{}", self.base, self.taken)?;
        } else {
            write!(f, "{}", self.base)?;
        }
        f.write_str(if self.effective { "+ea" } else { "" })?;
        if self.each > 0 {
            write!(f, "+{}n", self.each)?;
        }
        f.write_str(self.marks())
    }
}

impl Row {
    /// Length in cells, the opcode included, at least.
    pub const fn cells(&self) -> usize {
        let mut cells = self.opcode_cells as usize;
        let mut at = 0;
        while at < self.operands.len() {
            cells += self.operands[at].cells();
            at += 1;
        }
        cells
    }

    /// The same, at most.
    pub fn most_cells(&self) -> usize {
        let in_memory = self.operands.iter().any(|shape| matches!(shape, Shape::Memory(_)));
        self.cells() + if in_memory { 2 } else { 0 }
    }

    /// The same for one of its opcodes: a displacement may stand after it.
    pub const fn cells_in(&self, opcode: u64) -> usize {
        let mut cells = self.opcode_cells as usize;
        let mut at = 0;
        while at < self.operands.len() {
            cells += self.operands[at].cells_in(opcode);
            at += 1;
        }
        cells
    }

    /// Where the cells of the operands begin, counted from the first cell.
    pub const fn operands_at(&self) -> usize {
        if self.opcode_cells < 3 { self.opcode_cells as usize } else { 2 }
    }

    /// Where the cell of the opcode stands that has the fields of numbers.
    pub const fn field_at(&self) -> usize {
        if self.opcode_cells < 3 { self.opcode_cells as usize - 1 } else { 3 }
    }

    /// True where `opcode` is this row's: the fixed bits agree and no operand field falls into a hole.
    pub const fn matches(&self, opcode: u64) -> bool {
        if opcode & self.mask != self.value {
            return false;
        }
        let mut at = 0;
        while at < self.operands.len() {
            if !self.operands[at].accepts(opcode) {
                return false;
            }
            at += 1;
        }
        true
    }

    /// The condition in words, where the instruction has one: `the result was zero`.
    pub fn condition(&self) -> Option<&'static str> {
        match self.flow {
            Flow::Branch | Flow::Skip | Flow::CallIf | Flow::ReturnIf | Flow::Repeat | Flow::RestartIf(_) => {
                self.meaning.split_once(" if ").map(|(_, words)| words)
            }
            _ => None,
        }
    }

    /// The form as it is written, with the operand places named: `MVI r, data8`.
    pub fn form(&self) -> String {
        let operands: Vec<_> = self.operands.iter().map(|shape| shape.place()).collect();
        let gap = if operands.is_empty() { "" } else { " " };
        format!("{}{gap}{}", self.mnemonic, operands.join(", "))
    }
}
