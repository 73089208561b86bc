//! Operands of the 8086: registers, numbers, and places in memory between brackets, `es:[bx+si+4]`; prefixes in front of the mnemonic.
//!
//! Brackets always mean memory; a name alone is its number. The rows of a mnemonic are tried in order, so that the shortest form stands
//! first in the table.

mod operand;
mod rows;
mod strings;

use super::Notation;
use super::instruction::{Rows, rows_of};
use crate::assembler::layout::emit::Field;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::assembler::value::symbols::SymbolKind;
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{
    InstructionSet, LONGEST, MOST_OPERANDS, NumberOf, Prefixes, Repeat, Row, Shape, Size, encode,
};
use operand::{Operand, Place, Width, Written, segment_code};

/// Brackets, sizes and prefixes.
pub(in crate::assembler) static I8086: Notation = Notation {
    name: "8086",
    instruction: |parser, cursor, found, name, line| {
        parser.memory_instruction(cursor, found, name, line, Prefixes::default());
    },
    // `ds` reserves cells, but in front of a mnemonic, which is not a number, it is the segment.
    claims: |parser, cursor, name| {
        let next = cursor.text(cursor.token);
        let is_mnemonic =
            |set| rows_of(set, next).is_some() || with_prefix(set, next, Prefixes::default()).is_some();
        cursor.text(name).eq_ignore_ascii_case("ds") && parser.set.is_some_and(is_mnemonic)
    },
    statement: |parser, cursor, name, line| parser.prefixed(cursor, name, line),
    finish: |_| {},
};

/// What of an operand waits: after its first cell, in which field, the value.
type Waiting = (u32, Field, Value);

/// The prefix that a word is, added to others. `None` where it is none.
fn with_prefix(set: &InstructionSet, text: &str, before: Prefixes) -> Option<Prefixes> {
    let is = |words: &[&str]| words.iter().any(|word| word.eq_ignore_ascii_case(text));
    let count = before.count + 1;
    if is(&["rep", "repe", "repz"]) {
        return Some(Prefixes { count, repeat: Some(Repeat::Equal), ..before });
    }
    if is(&["repne", "repnz"]) {
        return Some(Prefixes { count, repeat: Some(Repeat::NotEqual), ..before });
    }
    if is(&["lock"]) {
        return Some(Prefixes { count, lock: true, ..before });
    }
    let segment = segment_code(set, text)?;
    Some(Prefixes { count, segment: Some(segment), ..before })
}

impl Parser<'_> {
    /// Prefixes and the instruction after them. False where there are none.
    fn prefixed(&mut self, cursor: &mut Cursor<'_>, name: Token, line: u32) -> bool {
        let Some(set) = self.set else { return false };
        if self.is_string(cursor, name) {
            self.string_instruction(cursor, set, name, line, Prefixes::default());
            return true;
        }
        if cursor.text(name).eq_ignore_ascii_case("stack") && !cursor.at_line_end() {
            self.stack_part(cursor, cursor.span_of(name), line);
            return true;
        }
        let Some(mut prefixes) = with_prefix(set, cursor.text(name), Prefixes::default()) else {
            return false;
        };
        while let Some(more) = with_prefix(set, cursor.text(cursor.token), prefixes) {
            prefixes = more;
            cursor.next();
        }
        let mnemonic = cursor.token;
        if self.is_string(cursor, mnemonic) {
            cursor.next();
            self.string_instruction(cursor, set, mnemonic, line, prefixes);
            return true;
        }
        match rows_of(set, cursor.text(mnemonic)).filter(|_| mnemonic.kind == Kind::Name) {
            Some(rows) => {
                cursor.next();
                self.memory_instruction(cursor, (set, rows), mnemonic, line, prefixes);
            }
            None => {
                let word = cursor.text(name).to_lowercase();
                let message = format!("`{word}` stands in front of an instruction on the same line");
                let help = format!("write `{word} movsb`; a repetition is for string instructions");
                self.report(Diagnostic::error("prefix", cursor.span_of(name), message, help));
                cursor.skip_line();
            }
        }
        true
    }

    /// Reads the operands, finds the first row that they fit, and puts it out.
    fn memory_instruction(
        &mut self,
        cursor: &mut Cursor<'_>,
        (_, Rows { first, rows, own }): (&'static InstructionSet, Rows),
        name: Token,
        line: u32,
        mut prefixes: Prefixes,
    ) {
        if let Some(set) = self.set.filter(|_| self.is_string(cursor, name)) {
            return self.string_instruction(cursor, set, name, line, prefixes);
        }
        let span = cursor.span_of(name);
        let mut written = Written::none(span);
        while !cursor.at_line_end() && written.count < MOST_OPERANDS {
            let start = cursor.span();
            let Some(operand) = self.memory_operand(cursor) else {
                cursor.skip_line();
                return self.broken_instruction(span, line);
            };
            let span = Span { end: cursor.last_end.max(start.start), ..start };
            written.list[written.count] = (operand, span);
            written.count += 1;
            if cursor.token.kind != Kind::Comma {
                break;
            }
            cursor.next();
        }
        let own_rows = || rows.iter().enumerate().filter(|(at, _)| own >> at & 1 != 0);
        let mut fitting = own_rows().find(|(_, row)| self.fits_row(cursor, row, &written));
        if let Some((_, row)) = fitting
            && self.size_is_open(cursor, row, own_rows().map(|(_, row)| row), &written)
            && self.take_sizes(&mut written)
        {
            fitting = own_rows().find(|(_, row)| self.fits_row(cursor, row, &written));
        }
        let Some((at, row)) = fitting else {
            self.no_row(cursor, own_rows().map(|(_, row)| row), &written, span);
            return self.broken_instruction(span, line);
        };
        if self.size_is_open(cursor, row, own_rows().map(|(_, row)| row), &written) {
            self.no_size(row, &written);
            return self.broken_instruction(span, line);
        }
        for (operand, _) in &written.list[..written.count] {
            if let Operand::Memory(Place { segment: Some(segment), .. }) = operand {
                prefixes.segment = Some(*segment);
            }
        }
        self.put_row(cursor, (row, first + at), &written, prefixes, (span, line));
    }

    /// True for a string instruction that names its operands.
    fn is_string(&self, cursor: &Cursor<'_>, name: Token) -> bool {
        let mut ahead = cursor.clone();
        if ahead.token == name {
            ahead.next();
        }
        name.kind == Kind::Name
            && strings::string_operands(cursor.text(name)).is_some()
            && !ahead.at_line_end()
    }

    /// Gives places without a size that of their labels. True where one has one now, or the next walk may know it.
    fn take_sizes(&mut self, written: &mut Written) -> bool {
        let mut has = false;
        for at in 0..written.count {
            let Operand::Memory(place) = written.list[at].0 else { continue };
            let Some(label) = place.label.filter(|_| place.size.is_none()) else { continue };
            let is_unknown = self.values.symbols.get(label).kind == SymbolKind::Undefined;
            let size = match self.size_of_place(&place) {
                None if is_unknown && self.layout.settling.is_first() => {
                    // What stands after the label is seen further down: the walk is repeated.
                    self.layout.settling.again = true;
                    Some(Size::Word)
                }
                size => size,
            };
            has |= size.is_some();
            written.list[at].0 = Operand::Memory(Place { size, ..place });
        }
        has
    }

    /// Cells in place of an instruction that was reported as wrong.
    #[cold]
    fn broken_instruction(&mut self, span: Span, line: u32) {
        let before = self.layout.location;
        self.emit(&[0; 2], span);
        self.record_cells(span.source, line, before, 0);
    }

    /// The value of an operand as its shape has it, and what of it waits: after the operand's first cell, in which field.
    fn value_of_operand(
        &mut self,
        cursor: &Cursor<'_>,
        shape: Shape,
        (operand, span): (Operand, Span),
    ) -> (u64, [Option<Waiting>; 2]) {
        let number = |value: Value| if let Value::Known(value) = value { value as u64 } else { 0 };
        let waits =
            |value: Value, field, inside| matches!(value, Value::Later(_)).then_some((inside, field, value));
        let none = [None; 2];
        match (shape, operand) {
            (Shape::Name { names, .. }, Operand::Register(token)) => {
                (names.find(cursor.text(token)).unwrap_or(0) as u64, none)
            }
            (Shape::Memory(_) | Shape::Direct(_), Operand::Memory(place)) => {
                let field = Field::Operand(Shape::DATA16);
                let is_direct = place.base.is_none();
                let value = match place.displacement {
                    Value::Known(value) if !self.fits(value, field, span) => 0,
                    Value::Known(value) => value,
                    _ => 0,
                };
                let waiting = waits(place.displacement, field, 0);
                let mode = match value as u16 as i16 {
                    _ if is_direct => 0,
                    _ if waiting.is_some() => 2,
                    0 if place.base != Some(6) => 0,
                    -0x80..=0x7F => 1,
                    _ => 2,
                };
                let byte = mode << 6 | place.base.unwrap_or(6);
                (byte << 16 | (value & 0xFFFF) as u64, [waiting, None])
            }
            (Shape::Number(_), Operand::Far(segment, offset)) => {
                let word = Field::Operand(Shape::DATA16);
                for value in [segment, offset] {
                    if let Value::Known(value) = value {
                        self.fits(value, word, span);
                    }
                }
                let known = (number(segment) & 0xFFFF) << 16 | number(offset) & 0xFFFF;
                (known, [waits(offset, word, 0), waits(segment, word, 2)])
            }
            (shape, Operand::Number(value, _)) => {
                // A word whose high byte is the sign of the low one.
                let value = match (shape, value) {
                    (Shape::Number(of), Value::Known(value))
                        if of.of == NumberOf::Extended && value >= 0xFF80 =>
                    {
                        Value::Known(value - 0x1_0000)
                    }
                    _ => value,
                };
                let field = Field::Operand(shape);
                if let (Value::Known(value), false) = (value, matches!(shape, Shape::Fixed(_))) {
                    self.fits(value, field, span);
                }
                (number(value), [waits(value, field, 0), None])
            }
            _ => (0, none),
        }
    }

    /// Puts an instruction out.
    fn put_row(
        &mut self,
        cursor: &Cursor<'_>,
        (row, number): (&Row, usize),
        written: &Written,
        prefixes: Prefixes,
        (span, line): (Span, u32),
    ) {
        let mut values = [0; MOST_OPERANDS];
        let mut waiting = [[None; 2]; MOST_OPERANDS];
        for (at, &shape) in row.operands.iter().enumerate() {
            (values[at], waiting[at]) = self.value_of_operand(cursor, shape, written.list[at]);
        }
        let mut cells = [0; LONGEST];
        let lead = prefixes.cells().count();
        let before = self.layout.location;
        let begin = before as u32 + lead as u32;
        let count = encode(row, begin, &values[..written.count], &mut cells);
        cells.copy_within(..count, lead);
        prefixes.cells().zip(&mut cells).for_each(|(prefix, cell)| *cell = prefix);
        let place = self.place();
        let operand_byte = cells[lead + usize::from(row.opcode_cells) - 1];
        if let (Some(Shape::Relative), (Operand::Number(Value::Known(target), _), at)) =
            (row.operands.first(), written.list[0])
        {
            self.reaches(target, before + (lead + count) as u64, at);
        }
        self.emit(&cells[..lead + count], span);
        let mut offset = (lead + row.operands_at()) as u32;
        for (at, shape) in row.operands.iter().enumerate() {
            for (inside, field, value) in waiting[at].into_iter().flatten() {
                let asks_short = matches!(written.list[at].0, Operand::Number(_, Some(Width::Short)));
                if row.mnemonic == "JMP" && *shape == Shape::Relative && !asks_short {
                    self.family.jumps.insert((place.0, place.1 + offset), self.layout.settling.branches);
                }
                self.wait((place.0, place.1 + offset + inside), field, value, written.list[at].1);
            }
            offset += shape.cells_in(operand_byte) as u32;
        }
        if row.mnemonic == "JMP" {
            self.layout.settling.branches += 1;
        }
        self.record_cells(span.source, line, before, number as u16 + 1);
    }
}
