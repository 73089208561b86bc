//! How the instructions of each family are written: from a mnemonic and its operands to a row of the table.
//!
//! A set names its notation in its table. Most are written plainly, a mnemonic and operands whose shapes stand in the rows; what else
//! a family has is a file here, which leads back to the plain one for the rest, and a line in [`NOTATIONS`].

pub(super) mod block;
pub(super) mod i8086;
pub(super) mod instruction;
pub(super) mod modes;
pub(super) mod operations;
pub(super) mod pdp10;
pub(super) mod pdp8;
pub(super) mod transfers;
pub(super) mod translate;
pub(super) mod width;

use super::read::lexer::Token;
use super::read::parser::{Cursor, Parser};
use crate::image::SetRange;
use crate::processor::InstructionSet;
use instruction::Rows;
use std::collections::HashMap;

/// Reads the operands of an instruction and puts its cells out.
type ReadInstruction = fn(&mut Parser<'_>, &mut Cursor<'_>, (&'static InstructionSet, Rows), Token, u32);

/// How the instructions of a family are written.
pub(super) struct Notation {
    /// The name by which a set asks for it.
    name: &'static str,
    /// Reads an instruction whose mnemonic has rows.
    pub instruction: ReadInstruction,
    /// True where what begins like a directive is a statement of this family.
    pub claims: fn(&Parser<'_>, &Cursor<'_>, Token) -> bool,
    /// Reads a statement that only this family has. False where it is none.
    pub statement: fn(&mut Parser<'_>, &mut Cursor<'_>, Token, u32) -> bool,
    /// Puts out what waited for the end of the source.
    pub finish: fn(&mut Parser<'_>),
}

/// A mnemonic and its operands, nothing else.
pub(super) static PLAIN: Notation = Notation {
    name: "plain",
    instruction: |parser, cursor, found, name, line| parser.instruction(cursor, found, name, line),
    claims: |_, _, _| false,
    statement: |_, _, _, _| false,
    finish: |_| {},
};

/// Every notation there is.
static NOTATIONS: &[&Notation] = &[&PLAIN, &modes::MODES, &pdp8::PDP8, &pdp10::PDP10, &i8086::I8086];

/// The notation of a name; the plain one where there is none of it.
pub(super) fn find(name: &str) -> &'static Notation {
    NOTATIONS.iter().find(|one| one.name == name).copied().unwrap_or(&PLAIN)
}

/// Puts out what waited for the end of the source, whatever families it was for.
pub(super) fn finish(parser: &mut Parser<'_>) {
    for notation in NOTATIONS {
        (notation.finish)(parser);
    }
}

/// What the notations of some families keep.
#[derive(Default)]
pub(super) struct Family {
    /// The suffix in front of the instruction that is being read, and the set of the mode around it.
    pub suffix: Option<(u64, &'static InstructionSet)>,
    /// The sets of the instructions so far, of those that have modes.
    pub sets: Vec<SetRange>,
    /// The sets that were chosen, and how many lines were read before.
    pub chosen: Vec<(usize, &'static InstructionSet)>,
    /// Operands that wait for their page, and the cells that were made for them.
    pub pages: pdp8::Pages,
    /// Between brackets: the registers that are added there, each of which counts as 0 in the expression.
    pub bases: Option<Vec<Token>>,
    /// Short jumps to what is not known yet, by where their distances stand: the numbers of these branches.
    pub jumps: HashMap<(u32, u32), u32>,
}
