//! Processors with two widths of word: the mode that the source chooses, and suffixes that give one instruction another.

use super::Notation;
use super::instruction::rows_of;
use crate::assembler::Assembly;
use crate::assembler::output::line::LineKind;
use crate::assembler::read::lexer::Token;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::image::SetRange;
use crate::processor::{InstructionSet, LONGEST, Shape, Timing, decode};

/// Suffixes after mnemonics, and the directive that chooses the mode.
pub(in crate::assembler) static MODES: Notation = Notation {
    name: "modes",
    instruction: |parser, cursor, found, name, line| parser.instruction(cursor, found, name, line),
    claims: |_, _, _| false,
    statement: |parser, cursor, name, line| parser.suffixed(cursor, name, line),
    finish: |_| {},
};

impl Parser<'_> {
    /// `mode adl` or `mode z80`.
    pub(in crate::assembler) fn mode(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let word = cursor.text(cursor.token);
        let Some(set) = self.need_set(span) else { return cursor.skip_line() };
        let Some(modes) = set.modes else {
            let message = format!("the {} has no modes to choose from", set.name());
            let help = "`mode` is for the ez80; write `cpu ez80` if the machine has one";
            self.report(Diagnostic::error("mode", span, message, help));
            return cursor.skip_line();
        };
        let other = modes.other.modes.map_or("", |modes| modes.name);
        if word.eq_ignore_ascii_case(other) {
            self.set = Some(modes.other);
            self.reading.again.forget();
        } else if !word.eq_ignore_ascii_case(modes.name) {
            let help = "`mode adl` has words and addresses of 24 bits, `mode z80` of 16";
            self.report(Diagnostic::error("mode", cursor.span(), "`mode` wants `adl` or `z80`", help));
            return cursor.skip_line();
        }
        cursor.next();
        self.record_mode(span.source, line);
    }

    /// Notes the mode that the set has, for the listing.
    pub(in crate::assembler) fn record_mode(&mut self, source: u32, line: u32) {
        if let Some(modes) = self.set.and_then(|set| set.modes) {
            self.record(source, line, self.layout.location, LineKind::Mode(modes.name));
        }
    }

    /// An instruction with a suffix after its mnemonic, `ld.lil`. False where it is none.
    #[cold]
    pub(in crate::assembler) fn suffixed(&mut self, cursor: &mut Cursor<'_>, name: Token, line: u32) -> bool {
        let text = cursor.text(name);
        let Some(set) = self.set.filter(|set| set.modes.is_some()) else { return false };
        let Some((mnemonic, _)) = text.split_once('.') else { return false };
        let Some(suffix) = set.suffix_named(&text[mnemonic.len()..]) else { return false };
        let Some(rows) = rows_of(suffix.set, mnemonic) else { return false };
        self.set = Some(suffix.set);
        self.family.suffix = Some((suffix.cell, set));
        self.instruction(cursor, (suffix.set, rows), name, line);
        self.family.suffix = None;
        self.set = Some(set);
        true
    }

    /// Notes the mode of the instruction that was put out since the location was `before`.
    #[inline]
    pub(in crate::assembler) fn note_mode(&mut self, before: u64) {
        if let Some(set) = self.set
            && let set = self.family.suffix.map_or(set, |(_, set)| set)
            && set.modes.is_some()
        {
            let (first, end) = (before as u32, self.layout.location as u32);
            match self.family.sets.last_mut() {
                Some(range) if range.end == first && std::ptr::eq(range.set, set) => range.end = end,
                _ => self.family.sets.push(SetRange { first, end, set }),
            }
        }
    }
}

impl Assembly {
    /// The time of the instruction at an address, of the row that its line tells, plus one: that of the row, or what a suffix, prefixes
    /// or an operand in memory make of it. `None` where the line tells of none.
    pub(crate) fn timing_at(&self, address: u32, row: u16) -> Option<Timing> {
        let set = self.set_at(address)?;
        let row = set.rows().get(usize::from(row.checked_sub(1)?))?;
        let has_operand = set.table.opcodes.operand.is_some();
        let is_branch = row.operands.last() == Some(&Shape::Relative) && set.timing(row).page > 0;
        let depends = set.modes.is_some() || has_operand || is_branch;
        let decoded = depends.then(|| decode(set, self.image.cells_at(address, LONGEST), address).ok()?);
        let own = decoded.flatten().filter(|decoded| decoded.suffix.is_some() || has_operand || is_branch);
        Some(own.map_or_else(|| set.timing(row), |decoded| decoded.timing()))
    }

    /// The set of the instruction at an address: that of its mode or its `cpu` line, where there are several.
    pub(crate) fn set_at(&self, address: u32) -> Option<&'static InstructionSet> {
        self.image.set_at(address).or(self.set)
    }
}
