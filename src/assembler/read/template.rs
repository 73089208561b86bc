//! Templates: stretches of source with places for parameters and for names of their own.

use super::lexer::{Kind, Lexer, Token};
use crate::diagnostic::Span;
use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

/// A stretch of source that can be written out.
pub(crate) struct Template {
    /// ``the macro `blink` ``, ``the repetition``.
    pub of: Arc<str>,
    pub body: Span,
    pub defined: Span,
    pub parameters: Vec<Parameter>,
    pub pieces: Vec<Piece>,
    pub names_own: bool,
}

pub(in crate::assembler) struct Parameter {
    pub name: String,
    pub default: Option<Argument>,
}

#[derive(Clone, Copy)]
pub(in crate::assembler) enum Piece {
    /// As it stands.
    Text(Span),
    /// A name that the template defines, to be numbered.
    Own(Span),
    /// What was given; in parentheses where an operator stands beside it and the argument has operators itself.
    Parameter { index: usize, beside_operator: bool },
}

/// What is put in place of a parameter.
#[derive(Clone)]
pub(in crate::assembler) struct Argument {
    pub text: String,
    pub span: Span,
    pub compound: bool,
}

pub(in crate::assembler) const fn is_operator(kind: Kind) -> bool {
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
            (Kind::Equal, Some(name)) => {
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
    pub fn new(of: String, text: &str, body: Span, defined: Span, parameters: Vec<Parameter>) -> Self {
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
    pub fn write(
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
