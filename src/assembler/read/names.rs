//! Names: labels, constants and variables as they are defined, used and missed.

use super::directive;
use super::expression::Value;
use super::habits::is_statement;
use super::lexer::{Kind, Token};
use super::parser::{Cursor, MOST_DIAGNOSTICS, Parser};
use crate::assembler::output::line::LineKind;
use crate::assembler::value::symbols::{SymbolId, SymbolKind, Use};
use crate::diagnostic::{Diagnostic, Span, nearest};

/// A misspelt name is compared with this many others.
const MOST_NEAR: usize = 20_000;

impl Parser<'_> {
    #[inline]
    pub(in crate::assembler) fn intern(&mut self, name: &str) -> SymbolId {
        let local = name.starts_with('.');
        if !local && self.values.prefix.is_empty() {
            return self.values.symbols.intern(name);
        }
        let mut scratch = std::mem::take(&mut self.values.scratch);
        scratch.clear();
        match self.values.scope {
            Some(scope) if local => scratch.push_str(self.values.symbols.name(scope)),
            _ => scratch.push_str(&self.values.prefix),
        }
        scratch.push_str(name);
        let symbol = self.values.symbols.intern(&scratch);
        self.values.scratch = scratch;
        symbol
    }

    /// A symbol that is used, as against defined.
    #[inline]
    pub fn mention(&mut self, cursor: &Cursor<'_>, token: Token) -> SymbolId {
        let name = cursor.text(token);
        let symbol = if self.values.prefix.is_empty() || name.starts_with('.') {
            self.intern(name)
        } else {
            self.meant(name)
        };
        self.note_use(symbol, cursor.source, token);
        symbol
    }

    #[inline]
    pub(in crate::assembler) fn note_use(&mut self, symbol: SymbolId, source: u32, token: Token) {
        self.values.symbols.uses.push(Use { symbol, source, start: token.start, end: token.end });
    }

    pub(in crate::assembler) fn label(&mut self, cursor: &mut Cursor<'_>, token: Token, line_start: u32) {
        let name = cursor.text(token);
        // `count: equ 3`: the colon cannot mean anything else there.
        if self.definition(cursor, token, line_start) {
            return;
        }
        let value = Value::Known(self.layout.location as i64);
        let symbol = self.define(cursor, token, value, SymbolKind::Label);
        self.values.last_label = Some(symbol);
        if !name.starts_with('.') {
            self.values.scope = Some(symbol);
        }
    }

    /// `NAME equ EXPR` and `NAME let EXPR`, under their other names too; false where the line is neither.
    #[inline]
    pub(in crate::assembler) fn definition(
        &mut self,
        cursor: &mut Cursor<'_>,
        name: Token,
        line_start: u32,
    ) -> bool {
        let variable = match cursor.token.kind {
            Kind::Equal if cursor.text(name) != "." => false,
            Kind::Name if matches!(cursor.token.end - cursor.token.start, 3 | 4) => {
                match self.defines(cursor.text(name), cursor.text(cursor.token)) {
                    Some(variable) => variable,
                    None => return false,
                }
            }
            _ => return false,
        };
        cursor.next();
        self.define_value(cursor, name, variable, line_start);
        true
    }

    /// Whether a word gives a name its value: `Some(true)` for one that may change.
    #[inline]
    fn defines(&self, name: &str, word: &str) -> Option<bool> {
        const OTHERS: [(&str, bool); 4] = [(".equ", false), (".set", true), ("defl", true), ("set", true)];
        let is = |own: &str| word.eq_ignore_ascii_case(own);
        if is("equ") {
            return Some(false);
        }
        if is("let") {
            return Some(true);
        }
        let variable = OTHERS.iter().find(|row| is(row.0))?.1;
        // `je .set` jumps to a label, and `set` is an instruction of some processors.
        let is_known = |word| self.set.is_some_and(|set| is_statement(set, word));
        (!is_known(name) && !is_known(word)).then_some(variable)
    }

    fn define_value(&mut self, cursor: &mut Cursor<'_>, name: Token, variable: bool, line_start: u32) {
        let expression = self.expression(cursor);
        let kind = if variable { SymbolKind::Variable } else { SymbolKind::Constant };
        let value = match (variable, expression.value) {
            (true, Value::Later(_)) => self.known(expression, "`let`").map_or(Value::Broken, Value::Known),
            (_, value) => value,
        };
        let symbol = self.define(cursor, name, value, kind);
        let kind = match (variable, value) {
            (true, Value::Known(value)) => {
                self.record.settings.push(value);
                LineKind::Setting(self.record.settings.len() as u32 - 1)
            }
            _ => LineKind::Value(symbol),
        };
        self.record(cursor.source, line_start, self.layout.location, kind);
    }

    fn define(&mut self, cursor: &Cursor<'_>, token: Token, value: Value, kind: SymbolKind) -> SymbolId {
        let name = cursor.text(token);
        let span = cursor.span_of(token);
        if name.starts_with('.') && self.values.scope.is_none() {
            let message = format!("the local label `{name}` has no label above it");
            self.report(Diagnostic::error(
                "local-label",
                span,
                message,
                "put a label without a point above it",
            ));
        }
        if name.len() <= 8 {
            self.check_reserved(name, span, kind == SymbolKind::Label);
        }
        let symbol = match kind {
            // A variable of a space around this one is changed, not hidden.
            SymbolKind::Variable if !self.values.prefix.is_empty() => self.variable(name),
            _ => self.intern(name),
        };
        if !self.layout.settling.passed_over.is_empty() {
            self.hides(symbol);
        }
        let known = self.values.symbols.get_mut(symbol);
        let redefined = match known.kind {
            SymbolKind::Undefined => false,
            SymbolKind::Variable => kind != SymbolKind::Variable,
            _ => true,
        };
        if redefined {
            let (first, given) = (known.defined, known.kind == SymbolKind::Given);
            let message = format!("`{name}` is defined twice");
            if given {
                let help = format!(
                    "it is defined from outside; put the line between `if !defined({name})` and `endif`"
                );
                self.report(Diagnostic::error("defined-twice", span, message, help));
            } else {
                let help = "give one of them another name, or make it local with a point in front";
                let error = Diagnostic::error("defined-twice", span, message, help);
                self.report(error.with_label(first, "the first definition"));
            }
            return symbol;
        }
        known.defined = span;
        (known.kind, known.value) = match value {
            Value::Known(value) => (kind, value),
            Value::Later(range) if kind == SymbolKind::Constant => (SymbolKind::Waiting(range), 0),
            Value::Later(_) | Value::Broken => (SymbolKind::Broken, 0),
        };
        if kind == SymbolKind::Label {
            known.base = self.layout.base;
        }
        symbol
    }

    #[inline]
    pub(in crate::assembler) fn check_reserved(&mut self, name: &str, span: Span, is_label: bool) {
        let set = self.set.map_or("", |set| set.name());
        let what = if self.is_register(name) {
            format!("a register of the {set}")
        } else if self
            .set
            .is_some_and(|set| crate::assembler::notation::instruction::rows_of(set, name).is_some())
        {
            format!("an instruction of the {set}")
        } else if is_label {
            // Its colon tells it from a directive; in an expression it must not be an operator.
            match ["low", "high", "defined"].iter().find(|word| word.eq_ignore_ascii_case(name)) {
                Some(_) => "an operator".to_string(),
                None => return,
            }
        } else if directive::find(name).is_some() {
            "a directive".to_string()
        } else {
            return;
        };
        let message = format!("`{name}` is {what} and cannot be a symbol");
        self.report(Diagnostic::error("reserved", span, message, format!("call it `{name}_1` or the like")));
    }

    /// True where the current processor has a register of that name as an operand.
    #[inline]
    pub(crate) fn is_register(&self, name: &str) -> bool {
        name.len() <= 3
            && self.set.is_some_and(|set| crate::assembler::notation::instruction::is_register(set, name))
    }

    /// Reports an undefined symbol once, at its first use, with the nearest defined name.
    #[cold]
    pub(crate) fn report_undefined(&mut self, symbol: SymbolId, span: Span) {
        if self.record.diagnostics.len() >= MOST_DIAGNOSTICS {
            self.record.more_errors += 1;
            self.values.symbols.get_mut(symbol).kind = SymbolKind::Broken;
            return;
        }
        let name = self.values.symbols.name(symbol).to_string();
        let uses: Vec<Span> = self
            .values
            .symbols
            .uses
            .iter()
            .filter(|one| one.symbol == symbol)
            .take(4)
            .map(|one| Span { source: one.source, start: one.start, end: one.start })
            .collect();
        let written = name.rsplit_once('.').map_or(name.as_str(), |(_, local)| local);
        let mut first = uses.first().copied().unwrap_or(span);
        first.end = first.start + written.len() as u32 + u32::from(written.len() != name.len());
        if matches!(self.values.symbols.get(symbol).kind, SymbolKind::Macro(_)) {
            let message = format!("`{name}` is a macro and has no value");
            let help = "a macro stands where an instruction may stand";
            return self.report(Diagnostic::error("undefined-symbol", span, message, help));
        }
        let help = self.undefined_help(&name);
        let message = match name.rsplit_once('.') {
            Some((label, local)) if self.sources.text(first).starts_with('.') => {
                format!("the local label `.{local}` is not defined under `{label}`")
            }
            _ => format!("`{name}` is not defined anywhere"),
        };
        let mut error = Diagnostic::error("undefined-symbol", first, message, help);
        for more in uses.iter().skip(1) {
            error = error
                .with_label(Span { end: more.start + (first.end - first.start), ..*more }, "used here too");
        }
        self.report(error);
        self.values.symbols.get_mut(symbol).kind = SymbolKind::Broken;
    }

    fn undefined_help(&self, name: &str) -> String {
        let digits = name.trim_end_matches(['h', 'H']);
        if digits.len() < name.len()
            && !digits.is_empty()
            && digits.bytes().all(|byte| byte.is_ascii_hexdigit())
        {
            return format!("a hex number begins with a digit: 0{name}");
        }
        // A local label is compared with those under the same label, other names with names without a point.
        let scope = name.rsplit_once('.').map(|(label, _)| label);
        let near = |symbol: &crate::assembler::SymbolView<'_>| {
            symbol.name.rsplit_once('.').map(|(label, _)| label) == scope
        };
        let defined = self.values.symbols.iter().take(MOST_NEAR).filter(near).map(|symbol| symbol.name);
        if let Some(near) = nearest(name, defined) {
            let near = scope.map_or(near, |label| &near[label.len()..]);
            return format!("did you mean `{near}`?");
        }
        if let Some(near) = nearest(name, self.board.iter().map(|row| row.0.as_str())) {
            return format!("did you mean `{near}`, which the board has?");
        }
        if self.set.is_some_and(|set| set.register(name).is_some()) {
            return "this is a register; the instruction takes an address or a number here".to_string();
        }
        if let Some((label, local)) = name.rsplit_once('.') {
            return format!("put `.{local}:` between `{label}:` and the next label without a point");
        }
        format!("define it: `{name}:` as a label or `{name} equ …` as a constant")
    }
}
