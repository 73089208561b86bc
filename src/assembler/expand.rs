//! Macros and repetitions: a stretch of source is kept as a template and written out with its parameters filled in.
//!
//! What is written out becomes a text of its own, read like any other; every piece of it remembers where it was copied
//! from, so that messages point at the macro and at the call. Labels and constants that the template defines get a
//! number at each writing (`loop@3`), which makes them its own.

use super::lexer::{Kind, Lexer, Token};
use super::parser::{Cursor, LineKind, Parser};
use super::symbols::SymbolKind;
use crate::diagnostic::{Diagnostic, Expansion, Source, Span, nearest};
use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

/// Macros called by macros, deeper than this, are refused.
const DEEPEST: u32 = 100;
/// More text than this is not written out, in bytes: macros that call each other twice grow without end.
const MOST_TEXT: usize = 256 << 20;

/// A stretch of source that can be written out.
pub(crate) struct Template {
    /// ``the macro `blink` ``, ``the repetition``.
    of: Arc<str>,
    body: Span,
    defined: Span,
    parameters: Vec<Parameter>,
    pieces: Vec<Piece>,
    names_own: bool,
}

struct Parameter {
    name: String,
    default: Option<Argument>,
}

#[derive(Clone, Copy)]
enum Piece {
    /// As it stands.
    Text(Span),
    /// A name that the template defines, to be numbered.
    Own(Span),
    /// What was given; in parentheses where an operator stands beside it and the argument has operators itself.
    Parameter { index: usize, beside_operator: bool },
}

/// What is put in place of a parameter.
#[derive(Clone)]
struct Argument {
    text: String,
    span: Span,
    compound: bool,
}

/// The state of writing out.
#[derive(Default)]
pub(crate) struct Expanding {
    depth: u32,
    written: usize,
    numbers: u32,
    /// A limit was met and reported; nothing more is written out.
    refused: bool,
}

const fn is_operator(kind: Kind) -> bool {
    matches!(
        kind,
        Kind::Plus
            | Kind::Minus
            | Kind::Star
            | Kind::Slash
            | Kind::Percent
            | Kind::Tilde
            | Kind::Not
            | Kind::And
            | Kind::AndAnd
            | Kind::Or
            | Kind::OrOr
            | Kind::Caret
            | Kind::Less
            | Kind::LessEqual
            | Kind::ShiftLeft
            | Kind::Greater
            | Kind::GreaterEqual
            | Kind::ShiftRight
            | Kind::EqualEqual
            | Kind::NotEqual
    )
}

/// The tokens of a stretch of text, with the places they have in the whole.
fn tokens(text: &str, range: Range<u32>) -> impl Iterator<Item = (Token, &str)> {
    let part = text.get(range.start as usize..range.end as usize).unwrap_or_default();
    let mut lexer = Lexer::new(part);
    std::iter::from_fn(move || {
        let token = lexer.token();
        let text = &part[token.start as usize..token.end as usize];
        let (start, end) = (token.start + range.start, token.end + range.start);
        (token.kind != Kind::End).then_some((Token { start, end, ..token }, text))
    })
}

/// The names that a stretch of source defines: its labels and constants.
fn names_defined<'t>(text: &'t str, range: Range<u32>, parameters: &[Parameter]) -> BTreeSet<&'t str> {
    let mut names = BTreeSet::new();
    let mut first: Option<&str> = None;
    let mut at_start = true;
    for (token, text) in tokens(text, range) {
        let is_parameter = || parameters.iter().any(|one| one.name == text);
        match (token.kind, first) {
            (Kind::Line, _) => (first, at_start) = (None, true),
            (Kind::Name, None) if at_start && !is_parameter() => (first, at_start) = (Some(text), false),
            (Kind::Colon, Some(name)) => {
                names.insert(name);
                (first, at_start) = (None, true);
            }
            (Kind::Name, Some(name)) if text.eq_ignore_ascii_case("equ") => {
                names.insert(name);
                first = None;
            }
            (Kind::Colon, None) => at_start = true,
            _ => (first, at_start) = (None, false),
        }
    }
    names
}

impl Template {
    fn new(of: String, text: &str, body: Span, defined: Span, parameters: Vec<Parameter>) -> Self {
        let range = body.start..body.end;
        let own = names_defined(text, range.clone(), &parameters);
        let part = |start, end| Span { source: body.source, start, end };
        let mut pieces = Vec::new();
        let mut from = body.start;
        let mut last = Kind::Line;
        let mut around = tokens(text, range).peekable();
        while let Some((token, text)) = around.next() {
            // `loop.next` is a label under `loop`: it goes with it.
            let head = text.find('.').filter(|&at| at > 0).map_or(text, |at| &text[..at]);
            let parameter = || parameters.iter().position(|one| one.name == text);
            let end = match token.kind {
                Kind::Name if own.contains(text) => token.end,
                Kind::Name if own.contains(head) => token.start + head.len() as u32,
                Kind::Name => match parameter() {
                    Some(index) => {
                        let next = around.peek().map(|(token, _)| token.kind);
                        let beside_operator = is_operator(last) || next.is_some_and(is_operator);
                        pieces.push(Piece::Text(part(from, token.start)));
                        pieces.push(Piece::Parameter { index, beside_operator });
                        from = token.end;
                        last = Kind::Name;
                        continue;
                    }
                    None => {
                        // `low` and `high` bind like a sign.
                        let binds = text.eq_ignore_ascii_case("low") || text.eq_ignore_ascii_case("high");
                        last = if binds { Kind::Minus } else { Kind::Name };
                        continue;
                    }
                },
                kind => {
                    last = kind;
                    continue;
                }
            };
            last = Kind::Name;
            pieces.push(Piece::Text(part(from, token.start)));
            pieces.push(Piece::Own(part(token.start, end)));
            from = end;
        }
        pieces.push(Piece::Text(part(from, body.end)));
        pieces.retain(|piece| !matches!(piece, Piece::Text(span) if span.start == span.end));
        let names_own = pieces.iter().any(|piece| matches!(piece, Piece::Own(_)));
        Self { of: of.into(), body, defined, parameters, pieces, names_own }
    }

    /// Adds the text with its parameters filled in.
    fn write(
        &self,
        source: &str,
        arguments: &[Argument],
        number: u32,
        text: &mut String,
        places: &mut Vec<(u32, Span)>,
    ) {
        for piece in &self.pieces {
            let at = text.len() as u32;
            match *piece {
                Piece::Text(span) => {
                    places.push((at, span));
                    text.push_str(&source[span.start as usize..span.end as usize]);
                }
                Piece::Own(span) => {
                    places.push((at, span));
                    text.push_str(&source[span.start as usize..span.end as usize]);
                    text.push('@');
                    crate::number::push_decimal(text, number.into(), 0);
                }
                Piece::Parameter { index, beside_operator } => {
                    let argument = &arguments[index];
                    places.push((at, argument.span));
                    if beside_operator && argument.compound {
                        text.push('(');
                        text.push_str(&argument.text);
                        text.push(')');
                    } else {
                        text.push_str(&argument.text);
                    }
                }
            }
        }
    }
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
                if word.eq_ignore_ascii_case(open) {
                    depth += 1;
                } else if word.eq_ignore_ascii_case(close) {
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
            format!("add `{close}` behind its lines"),
        ));
        None
    }

    /// `macro NAME PARAMETER, PARAMETER = DEFAULT …` up to `endm`.
    pub(super) fn define_macro(&mut self, cursor: &mut Cursor<'_>, header: Span) {
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
        self.check_reserved(&name, span);
        let symbol = self.intern(&name);
        let known = self.symbols.get_mut(symbol);
        if known.kind != SymbolKind::Undefined {
            let first = known.defined;
            let message = format!("`{name}` is defined twice");
            let error = Diagnostic::error("defined-twice", span, message, "give one of them another name");
            self.report(error.with_label(first, "the first definition"));
            return;
        }
        known.kind = SymbolKind::Macro(self.templates.len() as u32);
        known.defined = span;
        self.explain_early_calls(&name);
        let Some(source) = self.sources.get(body.source) else { return };
        let of = format!("the macro `{name}`");
        let template = Template::new(of, &source.text, body, span, parameters);
        self.templates.push(Arc::new(template));
    }

    /// A call above the definition was told to be unknown; now it is known why.
    fn explain_early_calls(&mut self, name: &str) {
        let begin = format!("`{name}` is ");
        let early =
            |one: &&mut Diagnostic| one.code == "unknown-instruction" && one.message.starts_with(&begin);
        for one in self.diagnostics.iter_mut().filter(early) {
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
            self.check_reserved(name, span);
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
            match self.scope {
                // A local label means the one at the call, whatever labels the macro has.
                Some(scope) if token.kind == Kind::Name && word.starts_with('.') => {
                    text.push_str(self.symbols.name(scope));
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
    pub(super) fn call(&mut self, cursor: &mut Cursor<'_>, template: u32, name: Token, line: u32) {
        let template = Arc::clone(&self.templates[template as usize]);
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
    pub(super) fn copies(&mut self, cursor: &mut Cursor<'_>, header: Span) {
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
        if self.expanding.refused || template.pieces.is_empty() {
            return;
        }
        if self.expanding.depth >= DEEPEST {
            self.expanding.refused = true;
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
        let mut places = Vec::with_capacity(template.pieces.len().saturating_mul(least).min(MOST_TEXT / 64));
        for arguments in copies {
            self.expanding.numbers += u32::from(template.names_own);
            template.write(&from, &arguments, self.expanding.numbers, &mut text, &mut places);
            if self.expanding.written + text.len() > MOST_TEXT {
                self.expanding.refused = true;
                let message = format!("the macros write out more than {} MiB", MOST_TEXT >> 20);
                let help = "look for a macro that calls itself twice, or for a very large `copies`";
                return self.report(Diagnostic::error("recursion", call, message, help));
            }
        }
        self.expanding.written += text.len();
        let of = Arc::clone(&template.of);
        let expansion = Expansion { of, body: template.body, pieces: places.into() };
        let text = Arc::new(text);
        let source =
            self.sources.push(Source { name, text, included: Some(call), expansion: Some(expansion) });
        self.record(call.source, line, self.location, LineKind::Expansion(source));
        let scope = self.scope;
        self.expanding.depth += 1;
        self.text(source);
        self.expanding.depth -= 1;
        self.scope = scope;
    }
}
