//! Processors with two widths of word.

use super::InstructionSet;

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
    /// It is the one with the long words.
    pub long: bool,
}

/// A cell in front of an instruction that gives it the widths of another set.
#[derive(Debug, Clone, Copy)]
pub struct Suffix {
    /// The cell.
    pub cell: u64,
    /// How it is written after the mnemonic, the full name first.
    pub names: &'static [&'static str],
    /// The set by which the rest is read.
    pub set: &'static InstructionSet,
    /// The instruction's data are of the long width.
    pub long_data: bool,
    /// The instruction's own words are of the long width: a jump leads to that mode.
    pub long_words: bool,
}

impl PartialEq for Suffix {
    fn eq(&self, other: &Self) -> bool {
        (self.cell, self.names) == (other.cell, other.names)
    }
}

impl Eq for Suffix {}

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
            Some(modes) if modes.long != long => modes.other,
            _ => self,
        }
    }
}
