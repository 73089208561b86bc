//! Operands between signs, and operands that come in two widths: `#5`, `(table), y`, page zero or absolute.

use super::instruction::Operands;
use crate::assembler::layout::emit::Field;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::Kind;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{Row, Shape, Within};

/// What follows the closing parenthesis that belongs to an opening one.
struct Parentheses<'t> {
    /// The name they begin with.
    register: &'t str,
    /// A comma stands in them, as in `(table, x)`.
    comma: bool,
    /// The operand ends after them.
    whole: bool,
}

impl Parser<'_> {
    /// Reads an operand with signs around it, where there is one: `None` where what stands here is a plain operand, else the
    /// rows that fit, or `None` in it where it was reported as wrong.
    pub(in crate::assembler) fn signed_operand(
        &mut self,
        cursor: &mut Cursor<'_>,
        rows: &'static [Row],
        (within, numeric): (u64, Option<u64>),
        operands: &mut Operands,
    ) -> Option<Option<u64>> {
        let at = operands.count - 1;
        let begin = cursor.span();
        let of = |row: usize| match rows[row].operands[at] {
            Shape::Within(within) => Some(within),
            _ => None,
        };
        let forms = || {
            (0..rows.len()).filter(|row| within & 1u64 << row != 0).filter_map(|row| Some((row, of(row)?)))
        };
        let fits = |wanted: &dyn Fn(&Within) -> bool| {
            forms().filter(|(_, form)| wanted(form)).fold(0, |mask, (row, _)| mask | 1u64 << row)
        };
        let fitting = match cursor.token.kind {
            Kind::Hash => fits(&|form| form.open == "#"),
            Kind::Open => {
                let found = parentheses(cursor);
                if !found.whole && numeric.is_some() {
                    return None;
                }
                match fits(&|form| form.open == "(" && form.inner.register(found.register).is_some()) {
                    0 => fits(&|form| {
                        let number =
                            form.inner.range().is_some() && !matches!(form.inner, Shape::Indexed { .. });
                        form.open == "(" && number && form.close.contains(',') == found.comma
                    }),
                    registers => registers,
                }
            }
            _ if numeric.is_some() => return None,
            _ => 0,
        };
        if fitting == 0 {
            self.no_form_of(cursor, rows, within | numeric.unwrap_or(0));
            return Some(None);
        }
        let form = of(fitting.trailing_zeros() as usize)?;
        cursor.next();
        let value = match form.inner.register(cursor.text(cursor.token)) {
            Some(place) if matches!(form.inner, Shape::Indexed { .. }) => {
                operands.registers[at] = place;
                self.distance_behind(cursor, form.inner, at, operands)
            }
            Some(place) => {
                cursor.next();
                Value::Known(place as i64)
            }
            None => self.number_within(cursor, form.inner, at, operands),
        };
        operands.spans[at].source = begin.source;
        operands.values[at] = value;
        if !close(cursor, form.close) && value != Value::Broken {
            let message = format!("`{}` is not closed here", form.place.to_lowercase());
            let help = format!("write `{}`", form.place.to_lowercase());
            self.report(Diagnostic::error("closing", cursor.span(), message, help));
            cursor.skip_line();
            return Some(None);
        }
        Some(Some(fitting))
    }

    /// The number inside the signs.
    fn number_within(
        &mut self,
        cursor: &mut Cursor<'_>,
        shape: Shape,
        at: usize,
        operands: &mut Operands,
    ) -> Value {
        let expression = self.expression(cursor);
        operands.spans[at] = expression.span;
        self.checked(expression.value, shape, expression.span)
    }

    /// What stands after an index register: `+ 5`, `- offset`, or nothing.
    pub(in crate::assembler) fn distance_behind(
        &mut self,
        cursor: &mut Cursor<'_>,
        shape: Shape,
        at: usize,
        operands: &mut Operands,
    ) -> Value {
        cursor.next();
        match cursor.token.kind {
            Kind::Plus => cursor.next(),
            Kind::Minus => {}
            _ => return Value::Known(0),
        }
        self.number_within(cursor, shape, at, operands)
    }

    /// The forms of a mnemonic, where it has several with signs of their own.
    pub(in crate::assembler) fn forms(&self, row: &Row) -> Option<String> {
        let set = self.set?;
        let own = || set.own_rows().filter(|one| one.mnemonic == row.mnemonic);
        let forms: Vec<String> = own().map(|row| format!("`{}`", row.form().to_lowercase())).collect();
        (set.table.zero_page_forms && forms.len() > 1).then(|| format!("it is written {}", forms.join(", ")))
    }

    /// The same where some of the rows fitted what stood before.
    #[cold]
    fn no_form_of(&mut self, cursor: &mut Cursor<'_>, rows: &'static [Row], fitting: u64) {
        let alive = (0..rows.len()).filter(|row| fitting & 1u64 << row != 0).map(|row| &rows[row]);
        let forms: Vec<String> = alive.map(|row| format!("`{}`", row.form().to_lowercase())).collect();
        let first = &rows[fitting.trailing_zeros() as usize];
        let zero_page_forms = self.set.is_some_and(|set| set.table.zero_page_forms);
        if zero_page_forms || forms.len() < 2 {
            return self.no_such_form(cursor, first);
        }
        let help = format!("with what stands before it, it is written {}", forms.join(", "));
        self.no_form(cursor, first, help);
    }

    fn no_form(&mut self, cursor: &mut Cursor<'_>, row: &Row, help: String) {
        let set = self.set.map_or("", |set| set.name());
        let message = format!("{} of the {set} has no form with this operand", row.mnemonic);
        self.report(Diagnostic::error("operand", cursor.span(), message, help));
        cursor.skip_line();
    }

    #[cold]
    pub(in crate::assembler) fn no_such_form(&mut self, cursor: &mut Cursor<'_>, row: &Row) {
        let help = self.forms(row).unwrap_or_else(|| format!("write `{}`", row.form().to_lowercase()));
        self.no_form(cursor, row, help);
    }

    /// The rows left by a word that asks for a width, `zeropage` or `absolute`; all of them without one.
    pub(in crate::assembler) fn width_word(
        &mut self,
        cursor: &mut Cursor<'_>,
        rows: &'static [Row],
        fitting: u64,
        at: usize,
    ) -> u64 {
        let text = cursor.text(cursor.token);
        let word = |row: usize| rows[row].operands[at].width_word();
        let asks = |row: &usize| word(*row).is_some_and(|word| word.eq_ignore_ascii_case(text));
        let mine = (0..rows.len()).filter(|row| fitting & 1u64 << row != 0).filter(asks);
        let left = mine.fold(0, |mask, row| mask | 1u64 << row);
        if left == 0 || cursor.token.kind != Kind::Name {
            return fitting;
        }
        cursor.next();
        left
    }

    /// The one row among those that differ in the width of an operand: the narrow one where the value is known to fit.
    pub(in crate::assembler) fn choose_width(
        &mut self,
        rows: &'static [Row],
        complete: u64,
        at: usize,
        operands: &mut Operands,
    ) -> u64 {
        let of = |row: usize| (row, rows[row].operands[at]);
        let mut alive = (0..rows.len()).filter(|row| complete & 1u64 << row != 0).map(of);
        let Some((mut chosen, mut shape)) = alive.next() else { return complete };
        for (row, other) in alive {
            let (narrow, wide) = match other.cells() < shape.cells() {
                true => ((row, other), (chosen, shape)),
                false => ((chosen, shape), (row, other)),
            };
            let range = narrow.1.range().unwrap_or((0, 0));
            let fits = match operands.values[at] {
                Value::Known(value) => (range.0..=range.1).contains(&value),
                Value::Later(code) => self.assume_narrow(code, operands.spans[at], range),
                Value::Broken => false,
            };
            (chosen, shape) = if fits { narrow } else { wide };
        }
        if let Value::Known(value) = operands.values[at]
            && !self.fits(value, Field::Operand(shape), operands.spans[at])
        {
            operands.values[at] = Value::Broken;
        }
        1 << chosen
    }

    /// Reports a branch whose target is out of reach. `next` is the address after the branch.
    #[inline]
    pub(in crate::assembler) fn reaches(&mut self, target: i64, next: u64, span: Span) -> bool {
        let distance = self.distance(target, next as i64);
        let near = (-0x80..=0x7F).contains(&distance);
        if !near && !self.layout.output.overrun {
            self.out_of_reach(distance, span);
        }
        near
    }

    /// How far the target is from the address after a branch; the window of the program closes in a circle.
    pub(in crate::assembler) fn distance(&self, target: i64, next: i64) -> i64 {
        let size = 1i64 << self.set.map_or(24, |set| set.cells.window_bits);
        let distance = target.wrapping_sub(next).rem_euclid(size);
        if distance >= size / 2 { distance - size } else { distance }
    }

    #[cold]
    fn out_of_reach(&mut self, distance: i64, span: Span) {
        let (way, most) = if distance < 0 { ("back", 128) } else { ("on", 127) };
        let message = format!(
            "the label is {} cells {way} from the end of the branch, which reaches {most}",
            distance.unsigned_abs()
        );
        let help = "branch around a jump by the opposite condition, or let `when` and `cycle` do that";
        self.report(Diagnostic::error("branch-range", span, message, help));
    }
}

/// Looks ahead from an opening parenthesis.
fn parentheses<'t>(cursor: &Cursor<'t>) -> Parentheses<'t> {
    let mut ahead = cursor.clone();
    ahead.next();
    let register = if ahead.token.kind == Kind::Name { ahead.text(ahead.token) } else { "" };
    let mut ahead = cursor.clone();
    let mut depth = 0;
    let mut comma = false;
    loop {
        match ahead.token.kind {
            Kind::Open => depth += 1,
            Kind::Close => depth -= 1,
            Kind::Comma if depth == 1 => comma = true,
            Kind::Line | Kind::End => return Parentheses { register, comma, whole: false },
            _ => {}
        }
        ahead.next();
        if depth == 0 {
            return Parentheses {
                register,
                comma,
                whole: ahead.at_line_end() || ahead.token.kind == Kind::Comma,
            };
        }
    }
}

/// Reads what closes an operand: the characters of the notation.
fn close(cursor: &mut Cursor<'_>, signs: &str) -> bool {
    for sign in signs.chars().filter(|sign| *sign != ' ') {
        let right = match sign {
            ',' => cursor.token.kind == Kind::Comma,
            ')' => cursor.token.kind == Kind::Close,
            letter => cursor.text(cursor.token).eq_ignore_ascii_case(letter.encode_utf8(&mut [0; 4])),
        };
        if !right {
            return false;
        }
        cursor.next();
    }
    true
}
