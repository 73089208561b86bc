//! Operands as they are written: registers, places in memory between brackets, numbers, far addresses.

use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::assembler::value::symbols::{SymbolId, SymbolKind};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{BASES, InstructionSet, MOST_OPERANDS, Size};

/// A place in memory as it is written.
#[derive(Clone, Copy)]
pub(super) struct Place {
    pub size: Option<Size>,
    /// The code of the segment register in front of it.
    pub segment: Option<u8>,
    /// Which sum of registers, as the operand byte has it.
    pub base: Option<u64>,
    pub displacement: Value,
    /// The label in it.
    pub label: Option<SymbolId>,
}

/// An operand as it is written.
#[derive(Clone, Copy)]
pub(super) enum Operand {
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
pub(super) enum Width {
    Short,
    Near,
    Byte,
    Word,
}

/// The operands of an instruction, with their places in the source.
pub(super) struct Written {
    pub list: [(Operand, Span); MOST_OPERANDS],
    pub count: usize,
}

/// The code of a segment register.
pub(super) fn segment_code(set: &InstructionSet, text: &str) -> Option<u8> {
    let place = set.register(text).filter(|_| text.len() == 2 && text.ends_with(['s', 'S']))?;
    // ES, CS, SS and DS stand in the list after the eight others.
    u8::try_from(place).ok()?.checked_sub(8).filter(|&code| code < 4)
}

pub(super) fn size_of(text: &str) -> Option<Size> {
    [("byte", Size::Byte), ("word", Size::Word), ("dword", Size::Far)]
        .into_iter()
        .find_map(|(word, size)| word.eq_ignore_ascii_case(text).then_some(size))
}

impl Parser<'_> {
    /// Reads one operand; `None` where it was reported as wrong.
    pub(super) fn memory_operand(&mut self, cursor: &mut Cursor<'_>) -> Option<Operand> {
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
        if text.eq_ignore_ascii_case("far") {
            cursor.next();
            if cursor.text(cursor.token).eq_ignore_ascii_case("ptr") {
                cursor.next();
            }
            return self.far_operand(cursor);
        }
        if width.is_some() || text.eq_ignore_ascii_case("offset") {
            cursor.next();
            if width.is_some() && cursor.text(cursor.token).eq_ignore_ascii_case("ptr") {
                cursor.next();
            }
        }
        let value = self.expression(cursor).value;
        if cursor.token.kind == Kind::Colon {
            cursor.next();
            return Some(Operand::Far(value, self.expression(cursor).value));
        }
        (value != Value::Broken).then_some(Operand::Number(value, width))
    }

    /// What stands after `far`: a label, which is meant with its segment.
    fn far_operand(&mut self, cursor: &mut Cursor<'_>) -> Option<Operand> {
        let span = cursor.span();
        let uses = self.values.symbols.uses.len();
        let offset = self.expression(cursor).value;
        let label = self.values.symbols.uses.get(uses).map(|one| one.symbol);
        if cursor.token.kind == Kind::Colon {
            cursor.next();
            return Some(Operand::Far(offset, self.expression(cursor).value));
        }
        let Some(label) = label.filter(|_| offset != Value::Broken) else {
            if offset != Value::Broken {
                let help = "write `call far NAME`, or segment and offset: `call 0F000h:0E05Bh`";
                let message = "`far` wants the name of a label";
                self.report(Diagnostic::error("operand", span, message, help));
            }
            return None;
        };
        // The offset first: what waits stands in order.
        let segment = Value::Later(self.segment_code(label));
        Some(Operand::Far(segment, offset))
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
        let uses = self.values.symbols.uses.len();
        let displacement = self.expression(cursor).value;
        let label = self.values.symbols.uses.get(uses).map(|one| one.symbol);
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
        Some(Operand::Memory(Place { size: None, segment, base, displacement, label }))
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
}

impl Written {
    /// No operands.
    pub fn none(span: Span) -> Self {
        Self { list: [(Operand::Number(Value::Known(0), None), span); MOST_OPERANDS], count: 0 }
    }
}

impl Parser<'_> {
    /// Cells of a datum after a label, where data stand there: as this walk has found, or the one before.
    pub(super) fn unit_of(&self, label: SymbolId) -> Option<u8> {
        let known = self.values.symbols.get(label);
        let unit = match known.kind {
            SymbolKind::Undefined => self.layout.settling.unit_before(self.values.symbols.name(label))?,
            _ => known.unit,
        };
        Some(unit).filter(|&unit| unit > 0)
    }
}
