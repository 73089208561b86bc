//! Which row of a mnemonic the operands fit, and what is told where none does.

use super::operand::{Operand, Place, Width, Written};
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::Token;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{NumberOf, Row, Shape, Size};

impl Parser<'_> {
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

    pub(super) fn fits_row(&mut self, cursor: &Cursor<'_>, row: &Row, written: &Written) -> bool {
        row.operands.len() == written.count
            && (0..written.count).all(|at| self.fits_shape(cursor, row, at, written))
    }

    /// True where a place in memory has no size, and nothing beside it tells: another row would fit as well.
    pub(super) fn size_is_open<'r>(
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
    pub(super) fn no_size(&mut self, row: &Row, written: &Written) {
        let at = row.operands.iter().position(|shape| matches!(shape, Shape::Memory(_))).unwrap_or(0);
        let message = format!("{} does not say how large its operand in memory is", row.mnemonic);
        let help = "write `byte ptr [bx]` or `word ptr [bx]`; a register as the other operand says it, too";
        self.report(Diagnostic::error("size", written.list[at].1, message, help));
    }

    #[cold]
    pub(super) fn no_row<'r>(
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
        let help = self.bracketed(cursor, row, written).unwrap_or(help);
        let end = if cursor.at_line_end() { cursor.last_end } else { cursor.token.start };
        let span = if written.count == 0 { span } else { Span { end, ..written.list[0].1 } };
        self.report(Diagnostic::error("operand", span, message, help));
    }

    /// Where a label alone stands as a destination, the line with brackets: that it is meant so is nearly sure.
    fn bracketed(&self, cursor: &Cursor<'_>, row: &Row, written: &Written) -> Option<String> {
        let (Operand::Number(_, None), span) = written.list[0] else { return None };
        let text = |span: Span| cursor.text(Token { start: span.start, end: span.end, ..cursor.token });
        let name = text(span).trim();
        let is_name = name.starts_with(|c: char| c.is_ascii_alphabetic() || "._".contains(c));
        let others: Vec<&str> = (1..written.count).map(|at| text(written.list[at].1)).collect();
        let others: String = others.iter().map(|other| format!(", {}", other.trim())).collect();
        is_name.then(|| {
            let mnemonic = row.mnemonic.to_lowercase();
            format!("`{name}` alone is its address; its content is `{mnemonic} [{name}]{others}`")
        })
    }
}
