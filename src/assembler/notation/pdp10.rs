//! Operands of a 36-bit machine: `AC, @ADDR(INDEX)`, in one word, and the data words that have the same parts.

use super::Notation;
use super::instruction::Rows;
use crate::assembler::layout::emit::Field;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::number;
use crate::processor::{LONGEST, Reach, Row, Shape, encode};

/// The accumulator that is added to an address.
const INDEX: Shape = Shape::NonZeroDigit { shift: 18, last: 0o17 };

/// An address.
const DATA: Shape = Shape::Effective(Reach::Data);

/// A part of a word: where it goes, its value, and where it is written.
type Part = (Field, Value, Span);

/// A word that is put together.
#[derive(Default)]
struct Word {
    bits: u64,
    parts: Vec<Part>,
}

/// An accumulator and an address that the machine finds, `@addr(index)`.
pub(in crate::assembler) static PDP10: Notation = Notation {
    name: "pdp10",
    instruction: |parser, cursor, found, name, line| match found.1.rows[0].operands.last() {
        Some(Shape::Effective(_)) => parser.effective_instruction(cursor, found.1, name, line),
        _ => parser.instruction(cursor, found, name, line),
    },
    claims: |_, _, _| false,
    statement: |_, _, _, _| false,
    finish: |_| {},
};

impl Parser<'_> {
    /// Reads the operands of an instruction whose address may be indexed and indirect.
    pub(in crate::assembler) fn effective_instruction(
        &mut self,
        cursor: &mut Cursor<'_>,
        Rows { first, rows, own }: Rows,
        name: Token,
        line: u32,
    ) {
        let at = own.trailing_zeros() as usize;
        let row = &rows[at];
        let span = cursor.span_of(name);
        let mut cells = [0; LONGEST];
        encode(row, self.layout.location as u32, &[], &mut cells);
        let mut word = Word { bits: cells[0], parts: Vec::new() };
        let shapes = &row.operands[..row.operands.len() - 1];
        let read = self.operands_in_front(cursor, row, shapes, &mut word)
            && (cursor.at_line_end() || self.effective(cursor, &mut word));
        let number = if read { (first + at) as u16 + 1 } else { 0 };
        if !read {
            cursor.skip_line();
        }
        let before = self.layout.location;
        self.put_word(&word, span);
        self.record_cells(span.source, line, before, number);
    }

    /// Reads what stands in front of the address, each with a comma after it. False where something is wrong.
    fn operands_in_front(
        &mut self,
        cursor: &mut Cursor<'_>,
        row: &Row,
        shapes: &[Shape],
        word: &mut Word,
    ) -> bool {
        for &shape in shapes {
            // An accumulator that is left out is 0; a device has to be named.
            let optional = matches!(shape, Shape::OptionalDigit { .. } | Shape::Digit { .. });
            if optional && self.begins_address(cursor) {
                return true;
            }
            if cursor.at_line_end() {
                self.missing_operand(cursor, row, shape);
                return false;
            }
            let start = cursor.span();
            let value = match (shape, device(shape, cursor)) {
                (_, Some(code)) => {
                    cursor.next();
                    Value::Known(code.into())
                }
                _ => self.expression(cursor).value,
            };
            let span = Span { end: cursor.last_end.max(start.start), ..start };
            if cursor.token.kind == Kind::Comma {
                cursor.next();
                self.add(word, Field::Operand(shape), value, span);
            } else if optional {
                // It was the address.
                return self.address(cursor, word, (value, span));
            } else if matches!(value, Value::Broken) {
                return false;
            } else {
                self.missing_operand(cursor, row, DATA);
                return false;
            }
        }
        true
    }

    /// True where an address begins with a sign that nothing else begins with.
    fn begins_address(&self, cursor: &Cursor<'_>) -> bool {
        cursor.token.kind == Kind::Open || cursor.text(cursor.token).starts_with('@')
    }

    #[cold]
    fn missing_operand(&mut self, cursor: &Cursor<'_>, row: &Row, wanted: Shape) {
        let place = if cursor.at_line_end() {
            Span { start: cursor.last_end, end: cursor.last_end, ..cursor.span() }
        } else {
            cursor.span()
        };
        let message = format!("{} wants {} here", row.mnemonic, wanted.wanted());
        let help =
            format!("write `{}`; an accumulator stands in front of its comma", row.form().to_lowercase());
        self.report(Diagnostic::error("operand-count", place, message, help));
    }

    /// Reads an address: `@`, a number or a name, an index in parentheses; each may be left out. False where it is wrong.
    fn effective(&mut self, cursor: &mut Cursor<'_>, word: &mut Word) -> bool {
        if cursor.text(cursor.token).starts_with('@') {
            word.bits |= 1 << 22;
            cursor.split(1);
        }
        let start = cursor.span();
        if cursor.token.kind == Kind::Open {
            return self.address(cursor, word, (Value::Known(0), start));
        }
        let value = self.expression(cursor).value;
        let span = Span { end: cursor.last_end.max(start.start), ..start };
        self.address(cursor, word, (value, span))
    }

    /// An address that was read, and its index where there is one.
    fn address(&mut self, cursor: &mut Cursor<'_>, word: &mut Word, (value, span): (Value, Span)) -> bool {
        self.add(word, Field::Operand(DATA), value, span);
        if cursor.token.kind != Kind::Open {
            return !matches!(value, Value::Broken);
        }
        cursor.next();
        let start = cursor.span();
        let index = self.expression(cursor).value;
        let place = Span { end: cursor.last_end.max(start.start), ..start };
        if matches!(index, Value::Broken) {
            return false;
        }
        if cursor.token.kind != Kind::Close {
            let help = "an index is an accumulator in parentheses: `table(2)`";
            self.report(Diagnostic::error(
                "closing",
                cursor.span(),
                "a closing parenthesis is missing",
                help,
            ));
            return false;
        }
        cursor.next();
        self.add(word, Field::Operand(INDEX), index, place);
        true
    }

    /// Puts a part into a word, now or when its value is known.
    fn add(&mut self, word: &mut Word, field: Field, value: Value, span: Span) {
        match value {
            Value::Known(value) if self.fits(value, field, span) => word.bits |= field.in_word(value as u64),
            Value::Later(_) => word.parts.push((field, value, span)),
            _ => {}
        }
    }

    fn put_word(&mut self, word: &Word, span: Span) {
        let place = self.place();
        self.emit(&[word.bits], span);
        for &(field, value, span) in &word.parts {
            self.wait(place, field, value, span);
        }
    }

    /// `halves LEFT, RIGHT`, as often as there are pairs: two numbers of half a word each.
    pub(in crate::assembler) fn halves(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let before = self.layout.location;
        loop {
            let mut word = Word::default();
            for (at, field) in [Field::LeftHalf, Field::RightHalf].into_iter().enumerate() {
                if at == 1 {
                    if cursor.token.kind != Kind::Comma {
                        let help = "write `halves LEFT, RIGHT`";
                        let message = "`halves` wants its numbers in pairs";
                        self.report(Diagnostic::error("operand-count", cursor.span(), message, help));
                        cursor.skip_line();
                        break;
                    }
                    cursor.next();
                }
                let expression = self.expression(cursor);
                self.add(&mut word, field, expression.value, expression.span);
            }
            self.put_word(&word, span);
            if cursor.token.kind != Kind::Comma {
                break;
            }
            cursor.next();
        }
        self.record_cells(span.source, line, before, 0);
    }

    /// `pointer SIZE, ADDRESS` or `pointer SIZE, ADDRESS, LAST`: a byte pointer in front of the first byte of a word, or to the
    /// byte whose last bit is given, counted from the left.
    pub(in crate::assembler) fn byte_pointer(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let before = self.layout.location;
        let mut word = Word::default();
        let size = self.expression(cursor);
        self.add(&mut word, Field::ByteSize, size.value, size.span);
        let mut position = Value::Known(-1);
        let mut place = span;
        if cursor.token.kind == Kind::Comma {
            cursor.next();
            if self.effective(cursor, &mut word) && cursor.token.kind == Kind::Comma {
                cursor.next();
                let last = self.expression(cursor);
                (position, place) = (last.value, last.span);
            }
        } else {
            let help = "write `pointer SIZE, ADDRESS`";
            let message = "`pointer` wants a size and an address";
            self.report(Diagnostic::error("operand-count", cursor.span(), message, help));
            cursor.skip_line();
        }
        self.add(&mut word, Field::LastBit, position, place);
        self.put_word(&word, span);
        self.record_cells(span.source, line, before, 0);
    }
}

impl Parser<'_> {
    /// `float NUMBER, …`: numbers in decimal, with a point or an exponent or both.
    pub(in crate::assembler) fn floats(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let before = self.layout.location;
        loop {
            let start = cursor.span();
            let text = decimal(cursor);
            let place = Span { end: cursor.last_end.max(start.end), ..start };
            let word = match number::floating::parse(&text) {
                Ok(word) => word,
                Err(problem) => {
                    let help = "write a decimal number such as 3.25, -0.5 or 1.5e6";
                    self.report(Diagnostic::error("number", place, problem.to_string(), help));
                    if !cursor.at_line_end() && cursor.token.kind != Kind::Comma {
                        cursor.skip_line();
                    }
                    0
                }
            };
            self.emit(&[word], span);
            if cursor.token.kind != Kind::Comma {
                break;
            }
            cursor.next();
        }
        self.record_cells(span.source, line, before, 0);
    }
}

/// A decimal number with its signs, which the lexer cuts apart.
fn decimal(cursor: &mut Cursor<'_>) -> String {
    let mut text = String::new();
    while matches!(cursor.token.kind, Kind::Minus | Kind::Plus | Kind::Number | Kind::Name) {
        let part = cursor.text(cursor.token);
        text.push_str(part);
        let goes_on = matches!(cursor.token.kind, Kind::Minus | Kind::Plus)
            || part.ends_with(['e', 'E']) && part.starts_with(|c: char| c.is_ascii_digit());
        cursor.next();
        if !goes_on {
            break;
        }
    }
    text
}

/// The code of the device that is named at the cursor.
fn device(shape: Shape, cursor: &Cursor<'_>) -> Option<u16> {
    let Shape::Device(names) = shape else { return None };
    let text = cursor.text(cursor.token);
    names.iter().find(|row| row.0.eq_ignore_ascii_case(text)).map(|row| row.1)
}
