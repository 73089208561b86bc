//! What to say to people who are used to other processors. Mnemonics of others are known, so that one met in a source text can be answered with what to write here.

use super::InstructionSet;
use crate::processor::Decoded;

/// What to say to people who are used to other processors.
#[derive(Debug, Clone, Copy)]
pub struct Hints {
    /// Mnemonics of other processors, sorted, with what to write here.
    pub foreign: &'static [Foreign],
    /// What people used to other processors call a register, and what it is called here.
    pub register_aliases: &'static [(&'static str, &'static str)],
    /// Other names of mnemonics, which the maker's or the trade's people write, and the one in the table.
    pub other_mnemonics: &'static [(&'static str, &'static str)],
    /// What to write instead of what its beginners write; none where there is nothing particular to say.
    pub advice: fn(&Mistake<'_>) -> Option<String>,
    /// What an instruction does otherwise than it reads; none where there is nothing particular to say.
    pub trap: fn(&Decoded) -> Option<Trap>,
    /// An instruction that people of this processor know, as an example.
    pub example: &'static str,
    /// How a new program begins.
    pub starter: Starter,
}

/// What an instruction does otherwise than it reads, and what to do about it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trap {
    /// What it does.
    pub message: String,
    /// What to do.
    pub help: &'static str,
}

/// Every instruction does what it reads.
pub fn no_trap(_: &Decoded) -> Option<Trap> {
    None
}

/// Something that is not an operand where it stands.
#[derive(Debug, Clone, Copy)]
pub enum Mistake<'a> {
    /// It is none of the names that may stand there.
    NoSuchName {
        /// The mnemonic, as the table has it.
        mnemonic: &'static str,
        /// The operand's place, from 0.
        at: usize,
        /// What is written there.
        text: &'a str,
        /// What it is.
        kind: MistakeKind,
        /// The names that may stand there.
        names: &'a [&'static str],
    },
    /// A register stands where a number should.
    RegisterForNumber {
        /// The mnemonic, as the table has it.
        mnemonic: &'static str,
        /// The operand's place, from 0.
        at: usize,
        /// The register.
        text: &'a str,
    },
}

/// What was written in the wrong place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MistakeKind {
    /// A number or a text.
    Number,
    /// The name of a register.
    Register,
    /// A bracket.
    Bracket,
    /// Something else.
    Other,
}

/// There is nothing particular to say.
pub fn no_advice(_: &Mistake<'_>) -> Option<String> {
    None
}

/// The program and the case table of a new project on a board that brings none, with `{name}`, `{board}` and `{processor}` to be
/// filled in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Starter {
    /// The source.
    pub program: &'static str,
    /// The origin in it, which a board may want elsewhere.
    pub origin: &'static str,
    /// The case table.
    pub cases: &'static str,
    /// The kind of image that is written, and the ending of its file.
    pub output: (&'static str, &'static str),
}

impl Starter {
    /// For a byte machine: a case table of its cells, and Intel HEX.
    pub const fn bytes(program: &'static str, origin: &'static str) -> Self {
        let cases = include_str!("../start.cases.toml");
        Self { program, origin, cases, output: ("hex", "hex") }
    }
}

/// A mnemonic that belongs to other processors.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Foreign {
    /// The mnemonic.
    pub mnemonic: &'static str,
    /// Whose it is.
    pub owner: &'static str,
    /// What this processor has instead.
    pub instead: &'static str,
}

pub(in crate::processor) const fn of(
    mnemonic: &'static str,
    owner: &'static str,
    instead: &'static str,
) -> Foreign {
    Foreign { mnemonic, owner, instead }
}

/// The foreign mnemonic of that name, capitals or not, as a set's people would meet it.
pub fn foreign(set: &InstructionSet, name: &str) -> Option<&'static Foreign> {
    let name = name.to_ascii_uppercase();
    set.hints
        .foreign
        .binary_search_by(|row| row.mnemonic.cmp(name.as_str()))
        .ok()
        .map(|at| &set.hints.foreign[at])
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_lists_are_sorted_and_foreign() {
        for set in crate::processor::ALL {
            assert!(set.hints.foreign.is_sorted_by(|a, b| a.mnemonic < b.mnemonic), "{}", set.name());
            let own = |row: &super::Foreign| set.own_rows().any(|one| one.mnemonic == row.mnemonic);
            let wrong = set.hints.foreign.iter().find(|row| own(row) && !row.owner.contains("65C02"));
            assert_eq!(wrong, None, "{}", set.name());
        }
    }
}
