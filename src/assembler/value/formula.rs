//! A single expression of the source language, read once and computed as often as wanted: what a person types at the
//! monitor, a stop condition, an address on the command line.

use crate::assembler::SymbolId;
use crate::assembler::Texts;
use crate::assembler::read::expression::{Binary, Code, Fault, Value, execute};
use crate::assembler::read::lexer::Kind;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Severity, Span, nearest};
use crate::processor::InstructionSet;

/// Where the names and cells of a formula get their values.
pub trait Environment {
    /// The value of a name: a symbol, a register, `$` for the current location.
    fn symbol(&self, name: &str) -> Option<i64>;
    /// The value of `cell ADDRESS`.
    fn cell(&self, _address: i64) -> Option<i64> {
        None
    }
    /// The names there are, for suggesting the nearest.
    fn names(&self) -> Vec<String> {
        Vec::new()
    }
}

/// No names at all.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoNames;

impl Environment for NoNames {
    fn symbol(&self, _: &str) -> Option<i64> {
        None
    }
}

impl Environment for crate::assembler::Symbols {
    fn symbol(&self, name: &str) -> Option<i64> {
        self.value(name)
    }

    fn names(&self) -> Vec<String> {
        self.iter().map(|symbol| symbol.name.to_string()).collect()
    }
}

/// An expression that was read.
#[derive(Debug, Clone)]
pub struct Formula {
    code: Vec<Code>,
    names: Vec<String>,
    text: String,
}

impl Formula {
    /// Reads an expression. Numbers are read as the set's people write them.
    ///
    /// # Errors
    /// The first thing that is wrong with it; spans point into `text`.
    ///
    /// ```
    /// use plain_byte::assembler::{Formula, NoNames};
    ///
    /// let formula = Formula::parse("high 4 * 0FFh + 1", None)?;
    /// assert_eq!(formula.value(&NoNames)?, 1);
    /// assert_eq!(Formula::parse("low(1234h) << 4", None)?.value(&NoNames)?, 0x340);
    /// # Ok::<(), Box<plain_byte::diagnostic::Diagnostic>>(())
    /// ```
    pub fn parse(text: &str, set: Option<&'static InstructionSet>) -> Result<Self, Box<Diagnostic>> {
        if let Some(set) = set.filter(|set| set.is_segmented())
            && let Some((segment, offset)) = text.split_once(':')
        {
            return Self::place(set, (segment, offset), text);
        }
        let mut loader = Texts::default();
        let mut parser = Parser::new(&mut loader);
        parser.formula = true;
        parser.radix = set.map_or(10, |set| set.habit().default_radix());
        let source = parser.sources.add("expression", text, None);
        let mut cursor = Cursor::new(text, source);
        let expression = parser.expression(&mut cursor);
        if !cursor.at_line_end() || cursor.token.kind == Kind::Line {
            parser.extra(&mut cursor);
        }
        if let Some(wrong) = parser.record.diagnostics.into_iter().find(|one| one.severity == Severity::Error)
        {
            return Err(Box::new(wrong));
        }
        let code = match expression.value {
            Value::Known(value) => vec![Code::Number(value)],
            Value::Later(range) => parser.values.code[range.start as usize..range.end as usize].to_vec(),
            Value::Broken => vec![],
        };
        let names = parser.values.symbols.names().map(|(_, name)| name.to_string()).collect();
        Ok(Self { code, names, text: text.trim().to_string() })
    }

    /// A segment and an offset, `b800:0` or `ds:si`: bare digits are hex, as addresses are told.
    fn place(
        set: &'static InstructionSet,
        (segment, offset): (&str, &str),
        text: &str,
    ) -> Result<Self, Box<Diagnostic>> {
        let half = |part: &str, start: usize| {
            let plain = part.trim();
            let is_hex = !plain.is_empty() && plain.bytes().all(|byte| byte.is_ascii_hexdigit());
            let read = if is_hex { format!("0{plain}h") } else { part.to_string() };
            Self::parse(&read, Some(set)).map_err(|mut wrong| {
                let end = if is_hex { start + part.len() } else { start + wrong.span.end as usize };
                wrong.span =
                    Span { start: (start + wrong.span.start as usize) as u32, end: end as u32, ..wrong.span };
                wrong
            })
        };
        let (segment, offset) = (half(segment, 0)?, half(offset, segment.len() + 1)?);
        let mask = |code: &mut Vec<Code>, bits: u8| {
            code.extend([Code::Number((1 << bits) - 1), Code::Binary(Binary::BitAnd)]);
        };
        let mut names = segment.names;
        let own = names.len() as u32;
        let mut code = segment.code;
        mask(&mut code, set.cells.window_bits);
        code.extend([Code::Number(set.cells.segment_shift.into()), Code::Binary(Binary::ShiftLeft)]);
        code.extend(offset.code.into_iter().map(|one| match one {
            Code::Symbol(id) => Code::Symbol(SymbolId(id.0 + own)),
            other => other,
        }));
        mask(&mut code, set.cells.window_bits);
        code.push(Code::Binary(Binary::Add));
        mask(&mut code, set.cells.address_bits);
        names.extend(offset.names);
        Ok(Self { code, names, text: text.trim().to_string() })
    }

    /// The text it was read from.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Its value.
    ///
    /// # Errors
    /// An unknown name, with the nearest known one; a cell that does not exist; arithmetic that has no result.
    pub fn value(&self, environment: &dyn Environment) -> Result<i64, Box<Diagnostic>> {
        self.compute(environment).map_err(|fault| Box::new(self.explain(fault, environment)))
    }

    /// Its value, for conditions that are computed after every instruction.
    pub(crate) fn quick(&self, environment: &dyn Environment) -> Option<i64> {
        self.compute(environment).ok()
    }

    fn compute(&self, environment: &dyn Environment) -> Result<i64, Fault> {
        let symbol = |id: crate::assembler::SymbolId, _| {
            environment.symbol(&self.names[id.0 as usize]).ok_or(Fault::Undefined(id))
        };
        execute(&self.code, symbol, |address| environment.cell(address).ok_or(Fault::NoCell(address)))
    }

    #[cold]
    fn explain(&self, fault: Fault, environment: &dyn Environment) -> Diagnostic {
        let span = Span { source: 0, start: 0, end: self.text.len() as u32 };
        let Fault::Undefined(id) = fault else {
            let (code, message, help) = fault.words();
            return Diagnostic::error(code, span, message, help);
        };
        let name = &self.names[id.0 as usize];
        let start = self.text.find(name.as_str()).unwrap_or(0) as u32;
        let span = Span { source: 0, start, end: start + name.len() as u32 };
        let known = environment.names();
        let digits = name.trim_end_matches(['h', 'H']);
        let is_hex = !digits.is_empty() && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
        let help = if is_hex && digits.len() < name.len() {
            format!("a hex number begins with a digit: 0{name}")
        } else if let Some(near) = nearest(name, known.iter().map(String::as_str)) {
            format!("did you mean `{near}`?")
        } else if is_hex {
            format!("for the hex number write 0{name}h")
        } else {
            "use a number, a register or a symbol of the program".to_string()
        };
        Diagnostic::error("undefined-symbol", span, format!("there is no `{name}`"), help)
    }
}
