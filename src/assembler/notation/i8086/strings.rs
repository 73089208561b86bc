//! String instructions that name their operands, `lods byte ptr cs:[si]`: the operands tell the size and the segment of the source; the
//! registers are always the same.

use super::operand::{Operand, Place};
use crate::assembler::notation::instruction::{Rows, rows_of};
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{InstructionSet, Prefixes, Size};

/// The mnemonics, with the sums of registers that their operands must be: SI, DI or BX.
const STRINGS: [(&str, &[u64]); 6] = [
    ("lods", &[SI]),
    ("stos", &[DI]),
    ("scas", &[DI]),
    ("movs", &[DI, SI]),
    ("cmps", &[SI, DI]),
    ("xlat", &[BX]),
];

/// The codes of the places, as the operand byte has them.
const SI: u64 = 4;
const DI: u64 = 5;
const BX: u64 = 7;

/// The code of ES, which DI always counts in.
const ES: u8 = 0;
const DS: u8 = 3;

/// The operands of a string instruction by its name, where there is one of that name that names them.
pub(super) fn string_operands(text: &str) -> Option<&'static [u64]> {
    STRINGS.iter().find(|row| row.0.eq_ignore_ascii_case(text)).map(|row| row.1)
}

impl Parser<'_> {
    /// Reads the operands, and puts the instruction without them out.
    pub(super) fn string_instruction(
        &mut self,
        cursor: &mut Cursor<'_>,
        set: &'static InstructionSet,
        name: Token,
        line: u32,
        mut prefixes: Prefixes,
    ) {
        let span = cursor.span_of(name);
        let wanted = string_operands(cursor.text(name)).unwrap_or_default();
        let mut size = None;
        for (at, &base) in wanted.iter().enumerate() {
            let start = cursor.span();
            let Some(operand) = self.memory_operand(cursor) else {
                cursor.skip_line();
                return self.broken_instruction(span, line);
            };
            let span = Span { end: cursor.last_end.max(start.start), ..start };
            let Operand::Memory(place) = operand else {
                return self.wrong_string(cursor, (name, line), base, span);
            };
            let is_destination = base == DI;
            let own = if is_destination { ES } else { DS };
            let segment = place.segment.unwrap_or(own);
            // A name alone stands for the register that the instruction uses all the same.
            if place.base.is_some_and(|given| given != base) || is_destination && segment != ES {
                return self.wrong_string(cursor, (name, line), base, span);
            }
            if !is_destination && segment != DS {
                prefixes.segment = Some(segment);
            }
            size = size.or(self.size_of_place(&place));
            if at + 1 < wanted.len() && cursor.token.kind == Kind::Comma {
                cursor.next();
            }
        }
        let is_xlat = wanted == [BX];
        let letter = match size {
            _ if is_xlat => "",
            Some(Size::Byte) => "b",
            Some(Size::Word) => "w",
            _ => {
                let word = cursor.text(name).to_lowercase();
                let message = format!("{} does not say how large its operand is", word.to_uppercase());
                let help = format!(
                    "write `{word}b` or `{word}w`, or `byte ptr` or `word ptr` in front of the operand"
                );
                self.report(Diagnostic::error("size", span, message, help));
                return self.broken_instruction(span, line);
            }
        };
        let mnemonic = format!("{}{letter}", cursor.text(name));
        if let Some(found) = rows_of(set, &mnemonic) {
            self.put_plain(cursor, found, name, line, prefixes);
        }
    }

    #[cold]
    fn wrong_string(&mut self, cursor: &mut Cursor<'_>, (name, line): (Token, u32), base: u64, span: Span) {
        let word = cursor.text(name).to_lowercase();
        let place = match base {
            SI => "[si], with another segment in front where that is wanted",
            DI => "es:[di], and no other segment",
            _ => "[bx]",
        };
        let message = format!("{} has no such operand", word.to_uppercase());
        self.report(Diagnostic::error("operand", span, message, format!("it always uses {place}")));
        cursor.skip_line();
        self.broken_instruction(cursor.span_of(name), line);
    }

    /// Puts an instruction without operands out.
    fn put_plain(
        &mut self,
        cursor: &mut Cursor<'_>,
        Rows { first, rows, own }: Rows,
        name: Token,
        line: u32,
        prefixes: Prefixes,
    ) {
        let plain = rows.iter().enumerate().find(|(at, row)| own >> at & 1 != 0 && row.operands.is_empty());
        if let Some((at, row)) = plain {
            let written = super::operand::Written::none(cursor.span_of(name));
            self.put_row(cursor, (row, first + at), &written, prefixes, (cursor.span_of(name), line));
        }
    }

    /// How large a place is by itself: as it is written, else as its label was laid down.
    pub(super) fn size_of_place(&self, place: &Place) -> Option<Size> {
        place.size.or_else(|| match self.unit_of(place.label?)? {
            1 => Some(Size::Byte),
            2 => Some(Size::Word),
            4 => Some(Size::Far),
            _ => None,
        })
    }
}
