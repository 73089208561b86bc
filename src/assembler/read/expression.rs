//! Expressions: 64-bit signed integers, the operators of C, folded while they are read.
//!
//! What cannot be computed yet, because a symbol stands further down, is kept as postfix code and computed at the end.
//!
//! Semantics: values are 64-bit two's complement; a result that does not fit is an error. `/` cuts towards zero and
//! `%` has the sign of its left operand. Shifts take 0 to 63 places, `>>` keeps the sign. Comparisons, `!`, `&&` and
//! `||` yield 1 or 0. `low` and `high` are the two lowest bytes.

use super::lexer::{Kind, Token};
use super::parser::{Cursor, Parser};
use crate::assembler::value::symbols::{SymbolId, SymbolKind};
use crate::diagnostic::{Diagnostic, Span};
use crate::number;

/// One step of postfix code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Code {
    Number(i64),
    Symbol(SymbolId),
    /// The number of the segment that a label stands in.
    Segment(SymbolId),
    Unary(Unary),
    Binary(Binary),
}

/// A stretch of postfix code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CodeRange {
    pub(crate) start: u32,
    pub(crate) end: u32,
}

/// Operators with one operand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Unary {
    Negate,
    Invert,
    Not,
    Low,
    High,
    /// What a cell holds; only where there is a machine.
    Cell,
}

/// Operators with two operands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Binary {
    Or,
    And,
    BitOr,
    BitXor,
    BitAnd,
    Equal,
    NotEqual,
    Less,
    LessEqual,
    Greater,
    GreaterEqual,
    ShiftLeft,
    ShiftRight,
    Add,
    Subtract,
    Multiply,
    Divide,
    Remainder,
}

/// What an expression came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Value {
    Known(i64),
    /// Waits for a symbol; the code ends where the code area ended when it was made.
    Later(CodeRange),
    /// Wrong, and already reported.
    Broken,
}

/// An expression that was read.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Expression {
    pub value: Value,
    pub span: Span,
}

/// Parentheses and signs nested deeper than this are refused.
const DEEPEST: u32 = 200;

const fn binary(kind: Kind) -> Option<(Binary, u8)> {
    Some(match kind {
        Kind::OrOr => (Binary::Or, 1),
        Kind::AndAnd => (Binary::And, 2),
        Kind::Or => (Binary::BitOr, 3),
        Kind::Caret => (Binary::BitXor, 4),
        Kind::And => (Binary::BitAnd, 5),
        Kind::EqualEqual => (Binary::Equal, 6),
        Kind::NotEqual => (Binary::NotEqual, 6),
        Kind::Less => (Binary::Less, 7),
        Kind::LessEqual => (Binary::LessEqual, 7),
        Kind::Greater => (Binary::Greater, 7),
        Kind::GreaterEqual => (Binary::GreaterEqual, 7),
        Kind::ShiftLeft => (Binary::ShiftLeft, 8),
        Kind::ShiftRight => (Binary::ShiftRight, 8),
        Kind::Plus => (Binary::Add, 9),
        Kind::Minus => (Binary::Subtract, 9),
        Kind::Star => (Binary::Multiply, 10),
        Kind::Slash => (Binary::Divide, 10),
        Kind::Percent => (Binary::Remainder, 10),
        _ => return None,
    })
}

/// Operators that are words, as the makers' own languages have them.
fn word_operator(word: &str) -> Option<(Binary, u8)> {
    const WORDS: [(&str, Kind); 6] = [
        ("and", Kind::And),
        ("or", Kind::Or),
        ("xor", Kind::Caret),
        ("shl", Kind::ShiftLeft),
        ("shr", Kind::ShiftRight),
        ("mod", Kind::Percent),
    ];
    binary(WORDS.iter().find(|row| row.0.eq_ignore_ascii_case(word))?.1)
}

/// The character of `'A` without its second quote, where nothing else can be meant.
fn half_quoted(text: &str) -> Option<u8> {
    let rest = text.strip_prefix('\'')?;
    let mut characters = rest.bytes();
    let first = characters.next().filter(|byte| byte.is_ascii_graphic() && *byte != b'\\')?;
    // A text that is closed later on, or goes on with letters, is one.
    let ends = characters.next().is_none_or(|next| matches!(next, b' ' | b'\t' | b'\r' | b';'));
    let quotes = rest.split(';').next().unwrap_or_default().bytes().filter(|byte| *byte == b'\'').count();
    (ends && quotes == 0).then_some(first)
}

/// Why a value cannot be computed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fault {
    TooLarge,
    DivideByZero,
    Shift(i64),
    Undefined(SymbolId),
    NoCell(i64),
    Broken,
}

impl Fault {
    /// Code, message and help.
    pub fn words(self) -> (&'static str, String, &'static str) {
        match self {
            Fault::TooLarge => {
                ("too-large", "the value does not fit in 64 bits".to_string(), "use smaller numbers")
            }
            Fault::DivideByZero => {
                ("divide-by-zero", "this divides by zero".to_string(), "check the right operand")
            }
            Fault::Shift(places) => {
                ("shift", format!("a shift by {places} places"), "shifts go from 0 to 63 places")
            }
            Fault::NoCell(address) => (
                "no-cell",
                format!("there is no cell at {address}"),
                "give an address of the machine's memory",
            ),
            Fault::Undefined(_) | Fault::Broken => {
                ("operand", "there is no value here".to_string(), "write a number or a name")
            }
        }
    }
}

pub(crate) fn unary_value(operator: Unary, value: i64) -> Result<i64, Fault> {
    match operator {
        Unary::Negate => value.checked_neg().ok_or(Fault::TooLarge),
        Unary::Invert => Ok(!value),
        Unary::Not => Ok(i64::from(value == 0)),
        Unary::Low => Ok(value & 0xFF),
        Unary::High => Ok(value >> 8 & 0xFF),
        Unary::Cell => Err(Fault::NoCell(value)),
    }
}

pub(crate) fn binary_value(operator: Binary, left: i64, right: i64) -> Result<i64, Fault> {
    let shift = || u32::try_from(right).ok().filter(|&places| places < 64).ok_or(Fault::Shift(right));
    let value = match operator {
        Binary::Or => Some(i64::from(left != 0 || right != 0)),
        Binary::And => Some(i64::from(left != 0 && right != 0)),
        Binary::BitOr => Some(left | right),
        Binary::BitXor => Some(left ^ right),
        Binary::BitAnd => Some(left & right),
        Binary::Equal => Some(i64::from(left == right)),
        Binary::NotEqual => Some(i64::from(left != right)),
        Binary::Less => Some(i64::from(left < right)),
        Binary::LessEqual => Some(i64::from(left <= right)),
        Binary::Greater => Some(i64::from(left > right)),
        Binary::GreaterEqual => Some(i64::from(left >= right)),
        Binary::ShiftLeft => {
            let places = shift()?;
            let shifted = left << places;
            (shifted >> places == left).then_some(shifted)
        }
        Binary::ShiftRight => Some(left >> shift()?),
        Binary::Add => left.checked_add(right),
        Binary::Subtract => left.checked_sub(right),
        Binary::Multiply => left.checked_mul(right),
        Binary::Divide | Binary::Remainder if right == 0 => return Err(Fault::DivideByZero),
        Binary::Divide => left.checked_div(right),
        Binary::Remainder => left.checked_rem(right),
    };
    value.ok_or(Fault::TooLarge)
}

impl Parser<'_> {
    /// Reads an expression at the cursor.
    #[inline]
    pub(crate) fn expression(&mut self, cursor: &mut Cursor<'_>) -> Expression {
        let start = cursor.span();
        let value = self.binary_expression(cursor, 0, 0);
        let end = if cursor.last_end > start.start { cursor.last_end } else { start.end };
        Expression { value, span: Span { end, ..start } }
    }

    fn binary_expression(&mut self, cursor: &mut Cursor<'_>, least: u8, depth: u32) -> Value {
        let start = cursor.span();
        let mut left = self.primary(cursor, depth);
        while let Some((operator, precedence)) = self.operator(cursor)
            && precedence > least
        {
            cursor.next();
            let right = self.binary_expression(cursor, precedence, depth + 1);
            let span = Span { end: cursor.last_end, ..start };
            left = self.combine(operator, left, right, span);
        }
        left
    }

    /// The operator at the cursor.
    #[inline]
    fn operator(&mut self, cursor: &mut Cursor<'_>) -> Option<(Binary, u8)> {
        match cursor.token.kind {
            Kind::Name => word_operator(cursor.text(cursor.token)),
            Kind::Slash if self.is_remark(cursor) => {
                let help = "put `;` before a comment; to divide, put blanks on both sides of `/` or on none";
                self.report(Diagnostic::error(
                    "comment",
                    cursor.span(),
                    "`/` does not begin a comment here",
                    help,
                ));
                cursor.skip_line();
                None
            }
            kind => binary(kind),
        }
    }

    /// `tad count /how many`: on word machines that is how people begin a comment.
    fn is_remark(&self, cursor: &Cursor<'_>) -> bool {
        let slash = cursor.token;
        self.cell_bits() > 8
            && !self.formula
            && slash.start > cursor.last_end
            && cursor.character_at(slash.end).is_some_and(|next| next.is_ascii_alphabetic())
    }

    fn combine(&mut self, operator: Binary, left: Value, right: Value, span: Span) -> Value {
        let end = self.values.code.len() as u32;
        let start = match (left, right) {
            (Value::Broken, _) | (_, Value::Broken) => return Value::Broken,
            (Value::Known(left), Value::Known(right)) => {
                return match binary_value(operator, left, right) {
                    Ok(value) => Value::Known(value),
                    Err(fault) => self.fault(fault, span),
                };
            }
            (Value::Known(left), Value::Later(right)) => {
                self.values.code.insert(right.start as usize, Code::Number(left));
                right.start
            }
            (Value::Later(left), Value::Known(right)) => {
                debug_assert_eq!(left.end, end);
                self.values.code.push(Code::Number(right));
                left.start
            }
            (Value::Later(left), Value::Later(_)) => left.start,
        };
        self.values.code.push(Code::Binary(operator));
        Value::Later(CodeRange { start, end: self.values.code.len() as u32 })
    }

    fn unary(&mut self, cursor: &mut Cursor<'_>, operator: Unary, depth: u32) -> Value {
        let start = cursor.span();
        cursor.next();
        let value = self.primary(cursor, depth + 1);
        self.apply(operator, value, Span { end: cursor.last_end, ..start })
    }

    fn apply(&mut self, operator: Unary, value: Value, span: Span) -> Value {
        match value {
            Value::Known(value) if operator == Unary::Cell => {
                let start = self.values.code.len() as u32;
                self.values.code.extend([Code::Number(value), Code::Unary(operator)]);
                Value::Later(CodeRange { start, end: start + 2 })
            }
            Value::Known(value) => match unary_value(operator, value) {
                Ok(value) => Value::Known(value),
                Err(fault) => self.fault(fault, span),
            },
            Value::Later(range) => {
                self.values.code.push(Code::Unary(operator));
                Value::Later(CodeRange { end: self.values.code.len() as u32, ..range })
            }
            Value::Broken => Value::Broken,
        }
    }

    #[inline]
    fn primary(&mut self, cursor: &mut Cursor<'_>, depth: u32) -> Value {
        if depth > DEEPEST {
            return self.refuse(
                cursor,
                "nesting",
                format!("the expression is nested more than {DEEPEST} deep"),
                "give parts of it a name with `equ`",
            );
        }
        let token = cursor.token;
        match token.kind {
            Kind::Number => {
                let text = cursor.text(token);
                if self.radix == 10
                    && let Some(value) = simple_number(text)
                {
                    cursor.next();
                    return Value::Known(value);
                }
                let value = number::parse(text, self.radix);
                self.number(cursor, token, value)
            }
            Kind::Name => self.name(cursor, depth),
            Kind::Here if self.formula => self.name(cursor, depth),
            Kind::Here => {
                cursor.next();
                Value::Known(self.layout.location as i64)
            }
            Kind::Text | Kind::OpenText => self.character(cursor),
            Kind::Open => {
                cursor.next();
                let value = self.binary_expression(cursor, 0, depth + 1);
                if cursor.token.kind == Kind::Close {
                    cursor.next();
                    return value;
                }
                if value == Value::Broken {
                    return value;
                }
                self.refuse(cursor, "closing", "a closing parenthesis is missing here", "add `)`")
            }
            Kind::Star if !self.formula => {
                cursor.next();
                Value::Known(self.layout.location as i64)
            }
            Kind::Less => self.half(cursor, Unary::Low, depth),
            Kind::Greater => self.half(cursor, Unary::High, depth),
            Kind::Minus => self.unary(cursor, Unary::Negate, depth),
            Kind::Plus => {
                cursor.next();
                self.primary(cursor, depth + 1)
            }
            Kind::Tilde => self.unary(cursor, Unary::Invert, depth),
            Kind::Not => self.unary(cursor, Unary::Not, depth),
            Kind::Percent => self.percent_number(cursor),
            _ => self.no_operand(cursor),
        }
    }

    /// `<table + 1`: a half of all that follows.
    fn half(&mut self, cursor: &mut Cursor<'_>, operator: Unary, depth: u32) -> Value {
        let start = cursor.span();
        cursor.next();
        let value = self.binary_expression(cursor, 0, depth + 1);
        self.apply(operator, value, Span { end: cursor.last_end, ..start })
    }

    fn number(
        &mut self,
        cursor: &mut Cursor<'_>,
        token: Token,
        value: Result<u64, number::NumberError>,
    ) -> Value {
        let span = cursor.span_of(token);
        cursor.next();
        match value {
            Ok(value) if i64::try_from(value).is_ok() => Value::Known(value as i64),
            Ok(_) => self.fault(Fault::TooLarge, span),
            Err(error) => {
                let text = cursor.text(token).to_string();
                let help = if matches!(error, number::NumberError::Digit { radix: "hex", .. }) {
                    "hex digits are 0 to 9 and A to F"
                } else if text
                    .bytes()
                    .skip(1)
                    .any(|byte| byte.is_ascii_hexdigit() && byte.is_ascii_alphabetic())
                {
                    "a hex number ends with `h` (0FFh) or begins with `0x` or `$`"
                } else {
                    "numbers are written 0FFh, 0xFF, $FF, 255, 1010b, 17o"
                };
                self.report(Diagnostic::error(
                    "number",
                    span,
                    format!("`{text}` is not a number: {error}"),
                    help,
                ));
                Value::Broken
            }
        }
    }

    /// `%1010`: the percent sign and the digits that touch it.
    fn percent_number(&mut self, cursor: &mut Cursor<'_>) -> Value {
        let percent = cursor.token;
        cursor.next();
        let digits = cursor.token;
        if digits.kind != Kind::Number || digits.start != percent.end {
            return self.refuse(cursor, "operand", "`%` begins a binary number or divides", "write %1010");
        }
        let whole = Token { start: percent.start, ..digits };
        let value = number::parse(cursor.text(whole), 2);
        self.number(cursor, whole, value)
    }

    fn character(&mut self, cursor: &mut Cursor<'_>) -> Value {
        let token = cursor.token;
        let span = cursor.span();
        if let Some(character) = half_quoted(cursor.text(token)) {
            cursor.split(2);
            return Value::Known(character.into());
        }
        let Some(bytes) = self.text_bytes(cursor) else { return Value::Broken };
        match bytes[..] {
            [byte] => Value::Known(byte.into()),
            _ => {
                let text = cursor.text(token).to_string();
                let message = format!("{text} is {} characters where one number is wanted", bytes.len());
                self.report(Diagnostic::error("text-as-number", span, message, "put texts after `db`"));
                Value::Broken
            }
        }
    }

    #[inline]
    fn name(&mut self, cursor: &mut Cursor<'_>, depth: u32) -> Value {
        let token = cursor.token;
        let text = cursor.text(token);
        if (3..=7).contains(&text.len()) {
            match text {
                _ if self.formula && text.eq_ignore_ascii_case("cell") => {
                    return self.unary(cursor, Unary::Cell, depth);
                }
                _ if self.formula && text.eq_ignore_ascii_case("flag") => {
                    cursor.next();
                    if cursor.token.kind == Kind::Name {
                        return self.flag(cursor);
                    }
                    // A label of that name.
                    let symbol = self.mention(cursor, token);
                    return self.value_of(symbol);
                }
                _ if !self.formula && text.eq_ignore_ascii_case("seg") && self.has_segments() => {
                    return self.segment_of(cursor);
                }
                _ if text.eq_ignore_ascii_case("not") => return self.not_or_name(cursor, depth),
                _ if text.eq_ignore_ascii_case("low") => return self.unary(cursor, Unary::Low, depth),
                _ if text.eq_ignore_ascii_case("high") => return self.unary(cursor, Unary::High, depth),
                _ if text.eq_ignore_ascii_case("defined") => return self.defined(cursor),
                _ => {}
            }
        }
        if text == "." && !self.formula {
            cursor.next();
            return Value::Known(self.layout.location as i64);
        }
        if text.len() <= 3 && self.is_register(text) {
            if let Some(bases) = &mut self.family.bases {
                bases.push(token);
                cursor.next();
                return Value::Known(0);
            }
            let message = format!("`{text}` is a register, and a number is wanted here");
            let help = "use a number, a constant or a label; the chart shows which forms take a register";
            self.report(Diagnostic::error("register-as-number", cursor.span(), message, help));
            cursor.next();
            return Value::Broken;
        }
        let symbol = self.mention(cursor, token);
        cursor.next();
        self.value_of(symbol)
    }

    /// `not mask`, or a symbol called `not`.
    fn not_or_name(&mut self, cursor: &mut Cursor<'_>, depth: u32) -> Value {
        let token = cursor.token;
        let start = cursor.span();
        cursor.next();
        if matches!(cursor.token.kind, Kind::Number | Kind::Name | Kind::Open | Kind::Text | Kind::Here) {
            let value = self.primary(cursor, depth + 1);
            return self.apply(Unary::Invert, value, Span { end: cursor.last_end, ..start });
        }
        let symbol = self.mention(cursor, token);
        self.value_of(symbol)
    }

    pub(in crate::assembler) fn has_segments(&self) -> bool {
        self.set.is_some_and(|set| set.is_segmented())
    }

    /// `seg NAME`: known at the end, and noted where it is put out.
    fn segment_of(&mut self, cursor: &mut Cursor<'_>) -> Value {
        cursor.next();
        if cursor.token.kind != Kind::Name {
            return self.refuse(cursor, "operand", "`seg` wants the name of a label", "write `seg NAME`");
        }
        let symbol = self.mention(cursor, cursor.token);
        cursor.next();
        Value::Later(self.segment_code(symbol))
    }

    /// The code of a label's segment.
    pub(in crate::assembler) fn segment_code(&mut self, symbol: SymbolId) -> CodeRange {
        let start = self.values.code.len() as u32;
        self.values.code.push(Code::Segment(symbol));
        CodeRange { start, end: start + 1 }
    }

    #[inline]
    fn value_of(&mut self, symbol: SymbolId) -> Value {
        let known = self.values.symbols.get(symbol);
        match known.kind {
            SymbolKind::Label
            | SymbolKind::Constant
            | SymbolKind::Variable
            | SymbolKind::Given
            | SymbolKind::Board => Value::Known(known.value),
            SymbolKind::Broken => Value::Broken,
            SymbolKind::Undefined | SymbolKind::Waiting(_) | SymbolKind::Macro(_) => {
                let start = self.values.code.len() as u32;
                self.values.code.push(Code::Symbol(symbol));
                Value::Later(CodeRange { start, end: start + 1 })
            }
        }
    }

    /// A flag by its name after the word `flag`.
    fn flag(&mut self, cursor: &mut Cursor<'_>) -> Value {
        let symbol = self.intern(&format!("flag {}", cursor.text(cursor.token)));
        self.note_use(symbol, cursor.source, cursor.token);
        cursor.next();
        self.value_of(symbol)
    }

    /// `defined(NAME)`: 1 where the symbol is defined above or from outside.
    fn defined(&mut self, cursor: &mut Cursor<'_>) -> Value {
        cursor.next();
        let open = cursor.token.kind == Kind::Open;
        if open {
            cursor.next();
        }
        if cursor.token.kind != Kind::Name {
            return self.refuse(cursor, "operand", "`defined` wants a name", "write defined(NAME)");
        }
        let name = cursor.text(cursor.token);
        cursor.next();
        if open && cursor.token.kind == Kind::Close {
            cursor.next();
        }
        let found = self.visible(name).is_some_and(|symbol| self.values.symbols.is_defined(symbol));
        Value::Known(found.into())
    }

    fn no_operand(&mut self, cursor: &mut Cursor<'_>) -> Value {
        let (message, help) = match cursor.token.kind {
            Kind::Line | Kind::End => ("an operand is missing at the end of the line".to_string(), "add it"),
            Kind::Hash => (
                "`#` does not belong here".to_string(),
                "leave it out, unless the chart shows the instruction with it",
            ),
            Kind::Bad => match cursor.text(cursor.token) {
                "[" => {
                    ("`[` does not belong here".to_string(), "a cell is named by its address alone, or by M")
                }
                other => (format!("the character {} does not belong here", shown(other)), "remove it"),
            },
            _ => (
                format!("`{}` stands where an operand is wanted", cursor.text(cursor.token)),
                "write a number, a name or `$`",
            ),
        };
        self.refuse(cursor, "operand", message, help)
    }

    /// Reports an error at the cursor; the line is not read further.
    #[cold]
    fn refuse(
        &mut self,
        cursor: &mut Cursor<'_>,
        code: &'static str,
        message: impl Into<String>,
        help: &str,
    ) -> Value {
        self.report(Diagnostic::error(code, cursor.span(), message, help));
        cursor.skip_line();
        Value::Broken
    }

    /// Reports why a value cannot be computed.
    #[cold]
    pub(crate) fn fault(&mut self, fault: Fault, span: Span) -> Value {
        match fault {
            Fault::Undefined(symbol) => self.report_undefined(symbol, span),
            Fault::Broken => {}
            _ => {
                let (code, message, help) = fault.words();
                self.report(Diagnostic::error(code, span, message, help));
            }
        }
        Value::Broken
    }

    /// Computes postfix code whose symbols have been resolved.
    pub(crate) fn compute(&self, range: CodeRange) -> Result<i64, Fault> {
        let shift = self.set.map_or(0, |set| set.cells.segment_shift);
        let symbol = |id, of| match (self.values.symbols.get(id).kind, of) {
            (SymbolKind::Undefined | SymbolKind::Macro(_), _) => Err(Fault::Undefined(id)),
            (SymbolKind::Broken | SymbolKind::Waiting(_), _) => Err(Fault::Broken),
            (_, Of::Value) => Ok(self.values.symbols.get(id).value),
            (_, Of::Segment) => Ok((self.values.symbols.get(id).base >> shift).into()),
        };
        let code = &self.values.code[range.start as usize..range.end as usize];
        execute(code, symbol, |address| Err(Fault::NoCell(address)))
    }
}

/// What is asked of a symbol.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Of {
    Value,
    Segment,
}

/// Runs postfix code.
pub(crate) fn execute(
    code: &[Code],
    symbol: impl Fn(SymbolId, Of) -> Result<i64, Fault>,
    cell: impl Fn(i64) -> Result<i64, Fault>,
) -> Result<i64, Fault> {
    let mut stack = Vec::with_capacity(8);
    for code in code {
        let value = match *code {
            Code::Number(value) => value,
            Code::Symbol(id) => symbol(id, Of::Value)?,
            Code::Segment(id) => symbol(id, Of::Segment)?,
            Code::Unary(Unary::Cell) => cell(stack.pop().unwrap_or(0))?,
            Code::Unary(operator) => unary_value(operator, stack.pop().unwrap_or(0))?,
            Code::Binary(operator) => {
                let right = stack.pop().unwrap_or(0);
                binary_value(operator, stack.pop().unwrap_or(0), right)?
            }
        };
        stack.push(value);
    }
    stack.pop().ok_or(Fault::Broken)
}

/// A few decimal digits, or a few hex digits and an `h`: most numbers of a source.
#[inline]
fn simple_number(text: &str) -> Option<i64> {
    let bytes = text.as_bytes();
    if bytes.len() > 6 {
        return None;
    }
    let (digits, radix) = match bytes.split_last() {
        Some((b'h' | b'H', digits)) => (digits, 16),
        _ => (bytes, 10),
    };
    let mut value = 0;
    for &byte in digits {
        let digit = match byte {
            b'0'..=b'9' => byte - b'0',
            b'A'..=b'F' if radix == 16 => byte - b'A' + 10,
            b'a'..=b'f' if radix == 16 => byte - b'a' + 10,
            _ => return None,
        };
        value = value * radix + i64::from(digit);
    }
    (!digits.is_empty()).then_some(value)
}

/// A character or a run of them as it may stand in a message.
pub(crate) fn shown(text: &str) -> String {
    let first: String = text.chars().take(1).flat_map(char::escape_default).collect();
    format!("`{first}`")
}
