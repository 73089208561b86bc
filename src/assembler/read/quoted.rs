//! Texts in quotes: their bytes, with the escapes replaced.

use super::lexer::Kind;
use super::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};

impl Parser<'_> {
    /// The bytes of a text token, escapes replaced; reports what is wrong with it.
    pub(crate) fn text_bytes(&mut self, cursor: &mut Cursor<'_>) -> Option<Vec<u8>> {
        let token = cursor.token;
        let span = cursor.span();
        let text = cursor.text(token);
        cursor.next();
        if token.kind == Kind::OpenText {
            let quote = &text[..1];
            let message = format!("the text has no closing {quote}");
            let help = format!("add {quote} where the text ends");
            self.report(Diagnostic::error("open-text", span, message, help));
            return None;
        }
        match unescape(&text[1..text.len() - 1], text.chars().next()) {
            Ok(bytes) => Some(bytes),
            Err((at, message, help)) => {
                let start = span.start + 1 + at as u32;
                let wide = text[1 + at..].chars().next().map_or(1, char::len_utf8) as u32;
                self.report(Diagnostic::error(
                    "text",
                    Span { start, end: start + wide, ..span },
                    message,
                    help,
                ));
                None
            }
        }
    }
}

/// Replaces escapes and doubled quotes; the error has its place in the text, a message and help.
fn unescape(text: &str, quote: Option<char>) -> Result<Vec<u8>, (usize, String, &'static str)> {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text.char_indices();
    while let Some((at, c)) = rest.next() {
        let byte = match c {
            '\\' => match rest.next().map(|(_, c)| c) {
                Some('n') => b'\n',
                Some('r') => b'\r',
                Some('t') => b'\t',
                Some('0') => 0,
                Some(c @ ('\\' | '"' | '\'')) => c as u8,
                Some('x') => {
                    let digits =
                        text.get(at + 2..at + 4).and_then(|digits| u8::from_str_radix(digits, 16).ok());
                    let Some(byte) = digits else {
                        return Err((at, "`\\x` wants two hex digits".to_string(), "write \\x1B"));
                    };
                    rest.nth(1);
                    byte
                }
                other => {
                    let other = other.map(String::from).unwrap_or_default();
                    let help = "there are \\n \\r \\t \\0 \\\\ \\\" \\' and \\x with two hex digits";
                    return Err((at, format!("`\\{other}` is not an escape"), help));
                }
            },
            c if Some(c) == quote => {
                rest.next();
                c as u8
            }
            c if c.is_ascii() => c as u8,
            c => {
                let message = format!("`{}` has no code in a single byte", c.escape_debug());
                return Err((at, message, "write its code as a number or with \\x"));
            }
        };
        bytes.push(byte);
    }
    Ok(bytes)
}
