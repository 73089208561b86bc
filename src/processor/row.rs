//! The row of an instruction table: one instruction form with every fact about it.

use super::shape::Shape;

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
    /// Bits of the first cell that are fixed.
    pub mask: u64,
    /// Value of the fixed bits.
    pub value: u64,
    /// Clock cycles, one entry for each chip of the family.
    pub timing: [Timing; 2],
    /// What happens to the flags, one entry for each chip of the family: a character for each flag in the order of
    /// [`InstructionSet::flags`](super::InstructionSet::flags): `*` by the result, `-` unchanged, `0` cleared,
    /// `1` set.
    pub flags: [&'static str; 2],
    /// Bit set of the processors that have the row (see [`InstructionSet::model`](super::InstructionSet::model)).
    pub models: u8,
    /// Where execution goes behind it.
    pub flow: Flow,
    /// One line of plain words.
    pub meaning: &'static str,
}

/// Where execution goes behind an instruction.
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
    /// To its target, and later to the next one.
    Call,
    /// The same under a condition.
    CallIf,
    /// A call to the operand's number times this.
    Restart(u32),
    /// A call to this address under a condition.
    Trap(u32),
    /// Back to where it was called from.
    Return,
    /// The same, or to the next one.
    ReturnIf,
    /// To an address that a register holds.
    Away,
    /// Nowhere, until an interrupt comes.
    Halt,
}

/// Clock cycles (Intel: T-states) of an instruction.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Timing {
    /// Cycles when the condition fails, or always where there is no condition.
    pub base: u8,
    /// Cycles when the condition holds; equal to `base` where there is no condition.
    pub taken: u8,
}

impl Timing {
    /// True where the time depends on a condition.
    pub const fn is_conditional(self) -> bool {
        self.base != self.taken
    }
}

impl std::fmt::Display for Timing {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        if self.is_conditional() {
            write!(f, "{}/{}", self.base, self.taken)
        } else {
            write!(f, "{}", self.base)
        }
    }
}

impl Row {
    /// Length in cells, the opcode included.
    pub const fn cells(&self) -> usize {
        let mut cells = 1;
        let mut at = 0;
        while at < self.operands.len() {
            cells += self.operands[at].cells();
            at += 1;
        }
        cells
    }

    /// True where `first` is this row's first cell: the fixed bits agree and no operand field falls into a hole.
    pub const fn matches(&self, first: u64) -> bool {
        if first & self.mask != self.value {
            return false;
        }
        let mut at = 0;
        while at < self.operands.len() {
            if !self.operands[at].accepts(first) {
                return false;
            }
            at += 1;
        }
        true
    }

    /// The condition in words, where the instruction has one: `the result was zero`.
    pub fn condition(&self) -> Option<&'static str> {
        match self.flow {
            Flow::Branch | Flow::CallIf | Flow::ReturnIf | Flow::Trap(_) => {
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
