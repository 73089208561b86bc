//! Operands of the 8086: registers, numbers, and places in memory between brackets, `es:[bx+si+4]`; prefixes in front of the mnemonic.
//!
//! Brackets always mean memory; a name alone is its number. The rows of a mnemonic are tried in order, so that the shortest form stands
//! first in the table.

use super::Notation;
use super::instruction::{Rows, rows_of};
use crate::assembler::layout::emit::Field;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{
    BASES, InstructionSet, LONGEST, MOST_OPERANDS, NumberOf, Prefixes, Repeat, Row, Shape, Size, encode,
};

/// Brackets, sizes and prefixes.
pub(in crate::assembler) static I8086: Notation = Notation {
    name: "8086",
    instruction: |parser, cursor, found, name, line| {
        parser.memory_instruction(cursor, found, name, line, Prefixes::default());
    },
    // `ds` reserves cells, but in front of a mnemonic, which is no number, it is the segment.
    claims: |parser, cursor, name| {
        let next = cursor.text(cursor.token);
        let is_mnemonic =
            |set| rows_of(set, next).is_some() || with_prefix(set, next, Prefixes::default()).is_some();
        cursor.text(name).eq_ignore_ascii_case("ds") && parser.set.is_some_and(is_mnemonic)
    },
    statement: |parser, cursor, name, line| parser.prefixed(cursor, name, line),
    finish: |_| {},
};

/// A place in memory as it is written.
#[derive(Clone, Copy)]
struct Place {
    size: Option<Size>,
    /// The code of the segment register in front of it.
    segment: Option<u8>,
    /// Which sum of registers, as the operand byte has it.
    base: Option<u64>,
    displacement: Value,
}

/// An operand as it is written.
#[derive(Clone, Copy)]
enum Operand {
    /// A register by its name.
    Register(Token),
    Memory(Place),
    /// A number, and the word in front of it.
    Number(Value, Option<Width>),
    /// A segment and an offset.
    Far(Value, Value),
}

/// What is asked of a number.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Width {
    Short,
    Near,
    Byte,
    Word,
}

/// The operands of an instruction, with their places in the source.
struct Written {
    list: [(Operand, Span); MOST_OPERANDS],
    count: usize,
}

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

/// The code of a segment register.
fn segment_code(set: &InstructionSet, text: &str) -> Option<u8> {
    let place = set.register(text).filter(|_| text.len() == 2 && text.ends_with(['s', 'S']))?;
    // ES, CS, SS and DS stand in the list behind the eight others.
    u8::try_from(place).ok()?.checked_sub(8).filter(|&code| code < 4)
}

fn size_of(text: &str) -> Option<Size> {
    [("byte", Size::Byte), ("word", Size::Word), ("dword", Size::Far)]
        .into_iter()
        .find_map(|(word, size)| word.eq_ignore_ascii_case(text).then_some(size))
}

impl Parser<'_> {
    /// Prefixes and the instruction behind them. False where there are none.
    fn prefixed(&mut self, cursor: &mut Cursor<'_>, name: Token, line: u32) -> bool {
        let Some(set) = self.set else { return false };
        let Some(mut prefixes) = with_prefix(set, cursor.text(name), Prefixes::default()) else {
            return false;
        };
        while let Some(more) = with_prefix(set, cursor.text(cursor.token), prefixes) {
            prefixes = more;
            cursor.next();
        }
        let mnemonic = cursor.token;
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
        let span = cursor.span_of(name);
        let mut written =
            Written { list: [(Operand::Number(Value::Known(0), None), span); MOST_OPERANDS], count: 0 };
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
        let fitting = own_rows().find(|(_, row)| self.fits_row(cursor, row, &written));
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

    /// Cells in place of an instruction that was reported as wrong.
    #[cold]
    fn broken_instruction(&mut self, span: Span, line: u32) {
        let before = self.layout.location;
        self.emit(&[0; 2], span);
        self.record_cells(span.source, line, before, 0);
    }

    /// Reads one operand; `None` where it was reported as wrong.
    fn memory_operand(&mut self, cursor: &mut Cursor<'_>) -> Option<Operand> {
        let set = self.set?;
        let token = cursor.token;
        let text = cursor.text(token);
        if let Some(size) = size_of(text) {
            let mut ahead = cursor.clone();
            ahead.next();
            let has_ptr = ahead.text(ahead.token).eq_ignore_ascii_case("ptr");
            if has_ptr {
                ahead.next();
            }
            let behind = ahead.text(ahead.token);
            if has_ptr || behind == "[" || segment_code(set, behind).is_some() {
                *cursor = ahead;
                let operand = self.memory_operand(cursor)?;
                let Operand::Memory(place) = operand else {
                    let help = "write brackets around it: `byte ptr [count]`";
                    let message = "a size is asked of something that is not in memory";
                    self.report(Diagnostic::error("operand", cursor.span_of(token), message, help));
                    return None;
                };
                return Some(Operand::Memory(Place { size: Some(size), ..place }));
            }
        }
        if text == "[" {
            return self.between_brackets(cursor, None);
        }
        if let Some(segment) = segment_code(set, text) {
            let mut ahead = cursor.clone();
            ahead.next();
            if ahead.token.kind == Kind::Colon {
                ahead.next();
                *cursor = ahead;
                return self.between_brackets(cursor, Some(segment));
            }
        }
        if token.kind == Kind::Name && self.is_register(text) {
            cursor.next();
            return Some(Operand::Register(token));
        }
        let width =
            [("short", Width::Short), ("near", Width::Near), ("byte", Width::Byte), ("word", Width::Word)]
                .into_iter()
                .find_map(|(word, width)| word.eq_ignore_ascii_case(text).then_some(width));
        if width.is_some() || text.eq_ignore_ascii_case("offset") {
            cursor.next();
        }
        let value = self.expression(cursor).value;
        if cursor.token.kind == Kind::Colon {
            cursor.next();
            return Some(Operand::Far(value, self.expression(cursor).value));
        }
        (value != Value::Broken).then_some(Operand::Number(value, width))
    }

    /// `[bx+si+4]`, at the bracket.
    fn between_brackets(&mut self, cursor: &mut Cursor<'_>, segment: Option<u8>) -> Option<Operand> {
        let open = cursor.token;
        let span = cursor.span();
        if cursor.text(open) != "[" {
            let message = "a place in memory stands between brackets";
            self.report(Diagnostic::error("operand", span, message, "write `es:[di]`"));
            return None;
        }
        cursor.next();
        self.family.bases = Some(Vec::new());
        let displacement = self.expression(cursor).value;
        let bases = self.family.bases.take().unwrap_or_default();
        let close = cursor.token;
        if displacement == Value::Broken {
            return None;
        }
        if cursor.text(close) != "]" {
            let message = "a closing bracket is missing here";
            self.report(Diagnostic::error("closing", cursor.span(), message, "add `]`"));
            return None;
        }
        cursor.next();
        let base = match self.sum_of(cursor, &bases, (open, close)) {
            Ok(base) => base,
            Err(help) => {
                let span = Span { end: close.end, ..span };
                let message = "the 8086 has no such sum of registers";
                self.report(Diagnostic::error("operand", span, message, help));
                return None;
            }
        };
        Some(Operand::Memory(Place { size: None, segment, base, displacement }))
    }

    /// The sum of registers between brackets, by its code.
    fn sum_of(
        &self,
        cursor: &Cursor<'_>,
        bases: &[Token],
        (open, close): (Token, Token),
    ) -> Result<Option<u64>, String> {
        let between = |start: u32, end: u32| cursor.text(Token { start, end, ..open }).trim();
        for base in bases {
            let before = between(open.end, base.start);
            let behind = between(base.end, close.start);
            let stands_alone = (before.is_empty() || before.ends_with('+'))
                && (behind.is_empty() || behind.starts_with(['+', '-']));
            if !stands_alone {
                return Err("a register is added by `+`, outside of parentheses".to_string());
            }
        }
        let mut names: Vec<String> = bases.iter().map(|&base| cursor.text(base).to_lowercase()).collect();
        names.sort_unstable_by_key(|name| !name.starts_with('b'));
        let sum = names.join("+");
        match BASES.iter().position(|known| **known == sum) {
            _ if names.is_empty() => Ok(None),
            Some(code) => Ok(Some(code as u64)),
            None => Err("add BX or BP, and SI or DI, and a number: `[bx+si+4]`".to_string()),
        }
    }

    /// True where an operand as it is written fits a shape of a row.
    fn fits_shape(&mut self, cursor: &Cursor<'_>, row: &Row, at: usize, written: &Written) -> bool {
        match (row.operands[at], written.list[at].0) {
            (Shape::Name { names, .. }, Operand::Register(token)) => names.find(cursor.text(token)).is_some(),
            (Shape::Fixed(name), Operand::Register(token)) => name.eq_ignore_ascii_case(cursor.text(token)),
            (Shape::Fixed(name), Operand::Number(Value::Known(value), None)) => name.parse() == Ok(value),
            (Shape::Memory(size), Operand::Memory(place)) => {
                place.size.is_none_or(|asked| asked == size || size == Size::Any)
            }
            (Shape::Direct(size), Operand::Memory(place)) => {
                place.base.is_none() && place.size.is_none_or(|asked| asked == size)
            }
            (Shape::Relative, Operand::Number(value, width)) => match (row.mnemonic, width, value) {
                ("JMP", Some(Width::Near), _) => false,
                (_, Some(Width::Short), _) | ("JMP", _, Value::Broken) => true,
                ("JMP", _, Value::Known(target)) => {
                    (-0x80..=0x7F).contains(&self.distance(target, self.layout.location as i64 + 2))
                }
                // Short until a walk finds that it does not reach.
                ("JMP", _, Value::Later(_)) => !self.layout.settling.is_far(self.layout.settling.branches),
                _ => true,
            },
            (Shape::Relative16 | Shape::Escape, Operand::Number(..)) => true,
            (Shape::Number(number), Operand::Number(value, width)) => match (number.of, value) {
                (NumberOf::Extended, _) if width == Some(Width::Word) => false,
                (NumberOf::Extended, Value::Known(value)) => {
                    (-0x80..=0x7F).contains(&value) || (0xFF80..=0xFFFF).contains(&value)
                }
                (NumberOf::Extended, _) => width == Some(Width::Byte),
                (NumberOf::Far, _) => false,
                _ => true,
            },
            (Shape::Number(number), Operand::Far(..)) => number.of == NumberOf::Far,
            _ => false,
        }
    }

    fn fits_row(&mut self, cursor: &Cursor<'_>, row: &Row, written: &Written) -> bool {
        row.operands.len() == written.count
            && (0..written.count).all(|at| self.fits_shape(cursor, row, at, written))
    }

    /// True where a place in memory has no size, and nothing beside it tells: another row would fit as well.
    fn size_is_open<'r>(
        &mut self,
        cursor: &Cursor<'_>,
        row: &Row,
        mut rows: impl Iterator<Item = &'r Row>,
        written: &Written,
    ) -> bool {
        let open =
            |&(operand, _): &(Operand, Span)| matches!(operand, Operand::Memory(Place { size: None, .. }));
        if !written.list[..written.count].iter().any(open)
            || !row.operands.contains(&Shape::Memory(Size::Byte))
        {
            return false;
        }
        let other = rows.find(|row| {
            row.operands.contains(&Shape::Memory(Size::Word)) && self.fits_row(cursor, row, written)
        });
        other.is_some()
    }

    #[cold]
    fn no_size(&mut self, row: &Row, written: &Written) {
        let at = row.operands.iter().position(|shape| matches!(shape, Shape::Memory(_))).unwrap_or(0);
        let message = format!("{} does not say how large its operand in memory is", row.mnemonic);
        let help = "write `byte ptr [bx]` or `word ptr [bx]`; a register as the other operand says it, too";
        self.report(Diagnostic::error("size", written.list[at].1, message, help));
    }

    #[cold]
    fn no_row<'r>(
        &mut self,
        cursor: &Cursor<'_>,
        rows: impl Iterator<Item = &'r Row> + Clone,
        written: &Written,
        span: Span,
    ) {
        let Some(row) = rows.clone().next() else { return };
        let forms: Vec<String> = rows
            .filter(|row| row.operands.len() == written.count)
            .map(|row| format!("`{}`", row.form().to_lowercase()))
            .take(6)
            .collect();
        let message = match written.count {
            0 => format!("{} has no form without operands", row.mnemonic),
            _ => format!("{} has no form with these operands", row.mnemonic),
        };
        let help = match forms.is_empty() {
            true => format!("write `{}`", row.form().to_lowercase()),
            false => format!("its forms are {}", forms.join(", ")),
        };
        let end = if cursor.at_line_end() { cursor.last_end } else { cursor.token.start };
        let span = if written.count == 0 { span } else { Span { end, ..written.list[0].1 } };
        self.report(Diagnostic::error("operand", span, message, help));
    }

    /// The value of an operand as its shape has it, and what of it waits: behind the operand's first cell, in which field.
    fn value_of_operand(
        &mut self,
        cursor: &Cursor<'_>,
        shape: Shape,
        (operand, span): (Operand, Span),
    ) -> (u64, Option<(u32, Field, Value)>) {
        let number = |value: Value| if let Value::Known(value) = value { value as u64 } else { 0 };
        let waits = |value: Value, field| matches!(value, Value::Later(_)).then_some((0, field, value));
        match (shape, operand) {
            (Shape::Name { names, .. }, Operand::Register(token)) => {
                (names.find(cursor.text(token)).unwrap_or(0) as u64, None)
            }
            (Shape::Memory(_) | Shape::Direct(_), Operand::Memory(place)) => {
                let field = Field::Operand(Shape::DATA16);
                let is_direct = place.base.is_none();
                let value = match place.displacement {
                    Value::Known(value) if !self.fits(value, field, span) => 0,
                    Value::Known(value) => value,
                    _ => 0,
                };
                let waiting = waits(place.displacement, field);
                let mode = match value as u16 as i16 {
                    _ if is_direct => 0,
                    _ if waiting.is_some() => 2,
                    0 if place.base != Some(6) => 0,
                    -0x80..=0x7F => 1,
                    _ => 2,
                };
                let byte = mode << 6 | place.base.unwrap_or(6);
                (byte << 16 | (value & 0xFFFF) as u64, waiting)
            }
            (Shape::Number(_), Operand::Far(segment, offset)) => {
                let word = Field::Operand(Shape::DATA16);
                for value in [segment, offset] {
                    if let Value::Known(value) = value {
                        self.fits(value, word, span);
                    }
                }
                if let Value::Later(_) = segment {
                    let help = "the segment of a far address is known where it stands";
                    self.report(Diagnostic::error("operand", span, "the segment is not known here", help));
                }
                ((number(segment) & 0xFFFF) << 16 | number(offset) & 0xFFFF, waits(offset, word))
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
                (number(value), waits(value, field))
            }
            _ => (0, None),
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
        let mut waiting = [None; MOST_OPERANDS];
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
            if let Some((inside, field, value)) = waiting[at] {
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
