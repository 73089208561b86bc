//! Transfers of one device that are written one after the other and stand in one word: `rrb rfc`, `cdf cif 10`.

use super::instruction::{Rows, rows_of};
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::Diagnostic;
use crate::processor::{InstructionSet, Row};

/// The operation of transfers, in the left three bits of a word.
const TRANSFER: u64 = 0o6000;
/// The bits that choose what a device does; a memory field has its own, which stand between.
const FUNCTION: u64 = 7;

/// The row of a transfer with a name of its own.
fn transfer(set: &'static InstructionSet, name: &str) -> Option<&'static Row> {
    let rows = rows_of(set, name)?;
    let row = &rows.rows[rows.own.trailing_zeros() as usize];
    // The general form has its device for an operand.
    (row.value & 0o7000 == TRANSFER && row.mask & 0o7000 == 0o7000 && row.mask & FUNCTION == FUNCTION)
        .then_some(row)
}

impl Parser<'_> {
    /// Reads transfers that stand after the first one. False where there are none: then it is an instruction like others.
    pub(super) fn transfers(
        &mut self,
        cursor: &mut Cursor<'_>,
        set: &'static InstructionSet,
        name: Token,
        line: u32,
    ) -> bool {
        let Some(first) = transfer(set, cursor.text(name)) else { return false };
        if cursor.token.kind != Kind::Name || transfer(set, cursor.text(cursor.token)).is_none() {
            return false;
        }
        let mut word = first.value;
        let mut operand = !first.operands.is_empty();
        while cursor.token.kind == Kind::Name
            && let Some(row) = transfer(set, cursor.text(cursor.token))
        {
            if (row.value ^ first.value) & row.mask & first.mask & !FUNCTION != 0 {
                let (one, other) = (first.mnemonic, row.mnemonic);
                let message =
                    format!("{other} and {one} are of different devices and cannot stand in one word");
                let help = "write two instructions";
                self.report(Diagnostic::error("operations", cursor.span(), message, help));
                cursor.skip_line();
                return true;
            }
            word |= row.value;
            operand |= !row.operands.is_empty();
            cursor.next();
        }
        let same = |row: &Row| {
            row.value == word && row.operands.is_empty() != operand && row.mask & FUNCTION == FUNCTION
        };
        match set.rows().iter().position(same) {
            Some(at) => {
                let rows = Rows { first: at, rows: &set.rows()[at..=at], own: 1 };
                self.instruction(cursor, (set, rows), name, line);
            }
            // No name of its own: the listing has it as a transfer of the device.
            None => {
                let before = self.layout.location;
                let span = cursor.span_of(name);
                self.emit(&[word], span);
                let row = set.opcode(&[word]).ok().flatten().map_or(0, |found| found.number + 1);
                self.record_cells(span.source, line, before, row);
            }
        }
        true
    }
}
