//! Macros and repetitions: a stretch of source is kept as a template and written out with its parameters filled in.
//!
//! What is written out becomes a text of its own, read like any other; every piece of it remembers where it was copied
//! from, so that messages point at the macro and at the call. Labels and constants that the template defines get a
//! number at each writing (`loop@3`), which makes them its own.

use super::habits::is_named;
use super::lexer::{Kind, Token};
use super::parser::{Cursor, Parser};
use super::template::{Argument, Parameter, Template, is_operator};
use crate::assembler::output::line::LineKind;
use crate::assembler::value::symbols::SymbolKind;
use crate::diagnostic::{Diagnostic, Expansion, Source, Span, nearest};
use std::sync::Arc;

/// Macros called by macros, deeper than this, are refused.
const DEEPEST: u32 = 100;
/// More text than this is not written out, in bytes: macros that call each other twice grow without end.
const MOST_TEXT: usize = 256 << 20;
/// More pieces of one macro's or repetition's lines than this are refused: each is remembered with where it was copied from.
const MOST_PIECES: usize = 1 << 22;

/// The state of writing out.
#[derive(Default)]
pub(crate) struct Expanding {
    depth: u32,
    written: usize,
    numbers: u32,
    /// A limit was met and reported; nothing more is written out.
    refused: bool,
}

impl Parser<'_> {
    /// Goes over the lines up to the word that closes what `open` opens, and returns the stretch between.
    fn body(&mut self, cursor: &mut Cursor<'_>, header: Span, open: &str, close: &str) -> Option<Span> {
        cursor.skip_line();
        let start = cursor.token.end;
        let mut line = start;
        let mut depth = 0;
        while cursor.token.kind != Kind::End {
            cursor.next();
            while cursor.token.kind == Kind::Name {
                let word = cursor.text(cursor.token);
                cursor.next();
                if cursor.token.kind == Kind::Colon {
                    // A label before the word.
                    cursor.next();
                    continue;
                }
                if is_named(word, open) {
                    depth += 1;
                } else if is_named(word, close) {
                    if depth == 0 {
                        return Some(Span { start: start.min(line), end: line, ..header });
                    }
                    depth -= 1;
                }
                break;
            }
            cursor.skip_line();
            line = cursor.token.end;
        }
        let message = format!("this `{open}` is never closed");
        self.report(Diagnostic::error(
            "open-block",
            header,
            message,
            format!("add `{close}` after its lines"),
        ));
        None
    }

    /// Goes over a macro that is not taken.
    pub(super) fn skip_macro(&mut self, cursor: &mut Cursor<'_>) {
        let header = cursor.span();
        self.body(cursor, header, "macro", "endm");
    }

    /// `macro NAME PARAMETER, PARAMETER = DEFAULT …` up to `endm`.
    pub(in crate::assembler) fn define_macro(&mut self, cursor: &mut Cursor<'_>, header: Span) {
        let token = cursor.token;
        let name = cursor.text(token).to_string();
        let span = cursor.span();
        if token.kind != Kind::Name {
            let help = "write `macro NAME PARAMETER, PARAMETER = DEFAULT`";
            self.report(Diagnostic::error("macro", span, "the macro has no name", help));
            self.body(cursor, header, "macro", "endm");
            return;
        }
        cursor.next();
        let parameters = self.parameters(cursor);
        let Some(body) = self.body(cursor, header, "macro", "endm") else { return };
        self.check_reserved(&name, span, false);
        let symbol = self.intern(&name);
        let known = self.values.symbols.get_mut(symbol);
        if known.kind != SymbolKind::Undefined {
            let first = known.defined;
            let message = format!("`{name}` is defined twice");
            let error = Diagnostic::error("defined-twice", span, message, "give one of them another name");
            self.report(error.with_label(first, "the first definition"));
            return;
        }
        known.kind = SymbolKind::Macro(self.reading.templates.len() as u32);
        known.defined = span;
        self.explain_early_calls(&name);
        let Some(source) = self.sources.get(body.source) else { return };
        let of = format!("the macro `{name}`");
        let template = Template::new(of, &source.text, body, span, parameters);
        self.reading.templates.push(Arc::new(template));
    }

    /// A call above the definition was told to be unknown; now it is known why.
    fn explain_early_calls(&mut self, name: &str) {
        let begin = format!("`{name}` is ");
        let early =
            |one: &&mut Diagnostic| one.code == "unknown-instruction" && one.message.starts_with(&begin);
        for one in self.record.diagnostics.iter_mut().filter(early) {
            one.help = format!("the macro `{name}` is defined further down; move it above its first use");
        }
    }

    fn parameters(&mut self, cursor: &mut Cursor<'_>) -> Vec<Parameter> {
        let mut parameters: Vec<Parameter> = Vec::new();
        while !cursor.at_line_end() {
            let span = cursor.span();
            let name = cursor.text(cursor.token);
            if cursor.token.kind != Kind::Name || name.starts_with('.') {
                let help = "parameters are names with commas between: `macro blink port, times = 3`";
                self.report(Diagnostic::error("macro", span, "a parameter's name is wanted here", help));
                cursor.skip_line();
                break;
            }
            if parameters.iter().any(|one| one.name == name) {
                let message = format!("two parameters are called `{name}`");
                self.report(Diagnostic::error("macro", span, message, "give one of them another name"));
            }
            self.check_reserved(name, span, false);
            cursor.next();
            let mut default = None;
            if cursor.token.kind == Kind::Equal {
                cursor.next();
                default = Some(self.argument(cursor));
            }
            parameters.push(Parameter { name: name.to_string(), default });
            match cursor.token.kind {
                Kind::Comma => cursor.next(),
                Kind::Line | Kind::End => {}
                _ => self.extra(cursor),
            }
        }
        parameters
    }

    /// The tokens up to a comma outside parentheses.
    fn argument(&mut self, cursor: &mut Cursor<'_>) -> Argument {
        let start = cursor.span();
        let mut text = String::new();
        let mut compound = false;
        let mut depth = 0;
        let mut end = start.start;
        while !cursor.at_line_end() && (depth > 0 || cursor.token.kind != Kind::Comma) {
            let token = cursor.token;
            match token.kind {
                Kind::Open => depth += 1,
                Kind::Close => depth -= 1,
                kind => compound |= is_operator(kind),
            }
            // As many blanks as there were, so that `%1010` stays one number.
            let gap = (token.start - end).min(1) as usize;
            text.push_str(&" "[..gap]);
            let word = cursor.text(token);
            match self.values.scope {
                // A local label means the one at the call, whatever labels the macro has.
                Some(scope) if token.kind == Kind::Name && word.starts_with('.') => {
                    text.push_str(self.values.symbols.name(scope));
                }
                _ => {}
            }
            text.push_str(word);
            end = token.end;
            cursor.next();
        }
        Argument { text, span: Span { end, ..start }, compound }
    }

    /// A macro's call.
    pub(in crate::assembler) fn call(
        &mut self,
        cursor: &mut Cursor<'_>,
        template: u32,
        name: Token,
        line: u32,
    ) {
        let template = Arc::clone(&self.reading.templates[template as usize]);
        let span = cursor.span_of(name);
        let mut given: Vec<Option<Argument>> = vec![None; template.parameters.len()];
        let mut next = 0;
        while !cursor.at_line_end() {
            let place = cursor.token;
            let mut index = next;
            let mut argument = self.argument(cursor);
            // `NAME = VALUE` gives a parameter by its name.
            if place.kind == Kind::Name
                && let Some((word, value)) = argument.text.split_once('=')
                && word.trim_end() == cursor.text(place)
                && !value.starts_with('=')
            {
                let word = word.trim_end();
                let Some(found) = template.parameters.iter().position(|one| one.name == word) else {
                    self.no_parameter(&template, word, cursor.span_of(place));
                    return cursor.skip_line();
                };
                index = found;
                let value = value.trim_start();
                let skipped = (argument.text.len() - value.len()) as u32;
                argument.span.start = (argument.span.start + skipped).min(argument.span.end);
                argument.text = value.to_string();
            } else {
                next += 1;
            }
            match given.get_mut(index) {
                None => {
                    let message = format!(
                        "{} takes {} value{}, and this is one more",
                        template.of,
                        template.parameters.len(),
                        if template.parameters.len() == 1 { "" } else { "s" }
                    );
                    let error = Diagnostic::error(
                        "macro-call",
                        argument.span,
                        message,
                        "remove it, or put an expression in parentheses",
                    );
                    self.report(error.with_label(template.defined, "defined here"));
                    return cursor.skip_line();
                }
                Some(place) if argument.text.is_empty() => *place = None,
                Some(place) => *place = Some(argument),
            }
            if cursor.token.kind == Kind::Comma {
                cursor.next();
            }
        }
        let mut arguments = Vec::with_capacity(given.len());
        for (parameter, given) in template.parameters.iter().zip(given) {
            let Some(argument) = given.or_else(|| parameter.default.clone()) else {
                let message = format!("{} wants a value for `{}`", template.of, parameter.name);
                let help = "give it, or give the parameter a default in the definition";
                let error = Diagnostic::error("macro-call", span, message, help);
                return self.report(error.with_label(template.defined, "defined here"));
            };
            arguments.push(argument);
        }
        let call = Span { end: cursor.last_end.max(span.end), ..span };
        self.expand(&template, std::iter::once(arguments), call, line);
    }

    fn no_parameter(&mut self, template: &Template, word: &str, span: Span) {
        let names = template.parameters.iter().map(|one| one.name.as_str());
        let help = match nearest(word, names.clone()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("its parameters are {}", names.collect::<Vec<_>>().join(", ")),
        };
        let message = format!("{} has no parameter `{word}`", template.of);
        let error = Diagnostic::error("macro-call", span, message, help);
        self.report(error.with_label(template.defined, "defined here"));
    }

    /// `copies N, COUNTER` up to `endcopies`.
    pub(in crate::assembler) fn copies(&mut self, cursor: &mut Cursor<'_>, header: Span) {
        let count = self.expression(cursor);
        let mut parameters = Vec::new();
        if cursor.token.kind == Kind::Comma {
            cursor.next();
            parameters = self.parameters(cursor);
            parameters.truncate(1);
        }
        if !cursor.at_line_end() {
            self.extra(cursor);
        }
        let number = self.known(count, "`copies`");
        let Some(body) = self.body(cursor, header, "copies", "endcopies") else { return };
        let line = body.end;
        let Some(number) = number else { return };
        let Ok(number) = u32::try_from(number) else {
            let message = format!("`copies` cannot write the lines {number} times");
            self.report(Diagnostic::error("count", count.span, message, "give a count of 0 or more"));
            return;
        };
        let Some(source) = self.sources.get(body.source) else { return };
        let template = Template::new("the repetition".to_string(), &source.text, body, header, parameters);
        let point = if self.radix == 10 { "" } else { "." };
        let has_counter = !template.parameters.is_empty();
        let copies = (0..number).map(|counter| match has_counter {
            true => {
                let text = format!("{counter}{point}");
                vec![Argument { text, span: count.span, compound: false }]
            }
            false => Vec::new(),
        });
        self.expand(&template, copies, header, line);
    }

    /// Writes a template out, once for each set of arguments, and reads the result.
    fn expand(
        &mut self,
        template: &Template,
        copies: impl Iterator<Item = Vec<Argument>>,
        call: Span,
        line: u32,
    ) {
        if self.reading.expanding.refused || template.pieces.is_empty() {
            return;
        }
        if self.reading.expanding.depth >= DEEPEST {
            self.reading.expanding.refused = true;
            let message = format!("{} is called inside itself, more than {DEEPEST} deep", template.of);
            let help = "end the calls with `if`: a parameter that gets smaller, and no call when it is 0";
            return self.report(Diagnostic::error("recursion", call, message, help));
        }
        let Some(source) = self.sources.get(template.body.source) else { return };
        let (from, name) = (Arc::clone(&source.text), source.name.clone());
        let (least, _) = copies.size_hint();
        let body = (template.body.end - template.body.start) as usize;
        let mut text =
            String::with_capacity((body + template.pieces.len() * 8).saturating_mul(least).min(MOST_TEXT));
        let mut places = Vec::with_capacity(template.pieces.len().saturating_mul(least).min(MOST_PIECES));
        for arguments in copies {
            self.reading.expanding.numbers += u32::from(template.names_own);
            template.write(&from, &arguments, self.reading.expanding.numbers, &mut text, &mut places);
            if self.reading.expanding.written + text.len() > MOST_TEXT || places.len() > MOST_PIECES {
                self.reading.expanding.refused = true;
                let message = format!(
                    "the macros write out more than {} MiB, or more than {MOST_PIECES} pieces at once",
                    MOST_TEXT >> 20
                );
                let help = "look for a macro that calls itself twice, or for a very large `copies`";
                return self.report(Diagnostic::error("recursion", call, message, help));
            }
        }
        self.reading.expanding.written += text.len();
        let of = Arc::clone(&template.of);
        let expansion = Expansion { of, body: template.body, pieces: places.into() };
        let text = Arc::new(text);
        let source =
            self.sources.push(Source { name, text, included: Some(call), expansion: Some(expansion) });
        self.record(call.source, line, self.layout.location, LineKind::Expansion(source));
        let scope = self.values.scope;
        self.reading.expanding.depth += 1;
        self.text(source);
        self.reading.expanding.depth -= 1;
        self.values.scope = scope;
    }
}
