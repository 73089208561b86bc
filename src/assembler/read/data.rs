//! Data that is more than numbers: texts in an encoding, the bytes of a file; and the files a source asks to be written.

use super::lexer::Kind;
use super::parser::{Cursor, Parser};
use crate::assembler::layout::emit::Field;
use crate::diagnostic::{Diagnostic, Span, nearest};
use crate::image::{FORMATS, Format, Settings};

/// An image that the source asks to be written.
#[derive(Debug, Clone, PartialEq)]
pub struct ImageRequest {
    /// Its format.
    pub format: &'static Format,
    /// The file, as seen from the source that names it.
    pub file: String,
    /// What is decided about it.
    pub settings: Settings,
    /// Where it is asked for.
    pub span: Span,
}

/// How a text is put into cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Encoding {
    Zero,
    Marker(u8),
    Ff,
    HighBit,
    Counted,
    SixBit,
    SevenBit,
}

const ENCODINGS: &[(&str, Encoding)] = &[
    ("zero", Encoding::Zero),
    ("marker", Encoding::Marker(0)),
    ("ff", Encoding::Ff),
    ("high-bit", Encoding::HighBit),
    ("counted", Encoding::Counted),
    ("six-bit", Encoding::SixBit),
    ("seven-bit", Encoding::SevenBit),
];

/// The cells of a text, or what is wrong with it.
fn encode(encoding: Encoding, text: &[u8], cell_bits: u8) -> Result<Vec<u64>, (String, String)> {
    let cells = || text.iter().map(|&byte| u64::from(byte));
    let ends = |end: u8| match text.contains(&end) {
        true => Err((
            format!("the text has the character {end:02X}h, which ends it, inside"),
            "choose another encoding, or leave the character out".to_string(),
        )),
        false => Ok(cells().chain([end.into()]).collect()),
    };
    match encoding {
        Encoding::Zero => ends(0),
        Encoding::Ff => ends(0xFF),
        Encoding::Marker(marker) => ends(marker),
        Encoding::HighBit => {
            if text.is_empty() || text.iter().any(|&byte| byte >= 0x80) {
                let problem = match text.is_empty() {
                    true => "an empty text has no last character to mark",
                    false => "the text has a character above 7Fh, which would end it",
                };
                let help = "the high bit marks the last character; use another encoding for this text";
                return Err((problem.to_string(), help.to_string()));
            }
            let last = text.len() - 1;
            Ok(cells().enumerate().map(|(at, cell)| if at == last { cell | 0x80 } else { cell }).collect())
        }
        Encoding::Counted => match u8::try_from(text.len()) {
            Ok(count) => Ok([u64::from(count)].into_iter().chain(cells()).collect()),
            Err(_) => Err((
                format!("the text has {} characters, and one cell counts to 255", text.len()),
                "split it, or use another encoding".to_string(),
            )),
        },
        Encoding::SixBit => {
            if let Some(wrong) = text.iter().find(|byte| !(0x20..0x60).contains(*byte)) {
                let problem = format!("the character {wrong:02X}h has no six-bit code");
                return Err((problem, "six bits hold capitals, digits and signs: 20h to 5Fh".to_string()));
            }
            let codes: Vec<u8> = text.iter().map(|byte| byte - 0x20).collect();
            Ok(packed(&codes, 6, cell_bits))
        }
        Encoding::SevenBit => {
            if let Some(wrong) = text.iter().find(|&&byte| byte >= 0x80) {
                let problem = format!("the character {wrong:02X}h has no seven-bit code");
                return Err((problem, "seven bits hold 00h to 7Fh".to_string()));
            }
            Ok(packed(text, 7, cell_bits))
        }
    }
}

/// Codes of a few bits each, the first one leftmost. Words hold whole codes; bytes are one stream of bits, since not
/// even two codes fit into one.
fn packed(codes: &[u8], bits: u8, cell_bits: u8) -> Vec<u64> {
    let whole = cell_bits / bits * bits;
    let per_cell = if cell_bits > 8 { whole } else { cell_bits };
    let stream = codes.iter().flat_map(|&code| (0..bits).rev().map(move |bit| u64::from(code >> bit & 1)));
    let stream: Vec<u64> = stream.collect();
    stream
        .chunks(usize::from(per_cell))
        .map(|chunk| {
            let value = chunk.iter().fold(0, |value, bit| value << 1 | bit);
            value << (usize::from(cell_bits) - chunk.len())
        })
        .collect()
}

impl Parser<'_> {
    /// A word whose parts are joined by hyphens: `high-bit`.
    fn hyphenated(&self, cursor: &mut Cursor<'_>) -> (String, Span) {
        let mut span = cursor.span();
        let mut word = String::new();
        while cursor.token.kind == Kind::Name {
            word.push_str(cursor.text(cursor.token));
            span.end = cursor.token.end;
            cursor.next();
            if cursor.token.kind != Kind::Minus || cursor.token.start != span.end {
                break;
            }
            word.push('-');
            cursor.next();
        }
        (word, span)
    }

    fn comma(&mut self, cursor: &mut Cursor<'_>, form: &str) -> bool {
        if cursor.token.kind == Kind::Comma {
            cursor.next();
            return true;
        }
        let help = format!("write `{form}`");
        self.report(Diagnostic::error("operand", cursor.span(), "a comma is wanted here", help));
        cursor.skip_line();
        false
    }

    /// A text with a zero byte after it.
    pub(super) fn zero_text(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let before = self.layout.location;
        self.note_unit(Field::Byte);
        self.values_of(cursor, Field::Byte, span);
        self.emit(&[0], span);
        self.record_cells(span.source, line, before, 0);
    }

    /// `text ENCODING, "…", …`.
    pub(in crate::assembler) fn encoded_text(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let before = self.layout.location;
        let (name, place) = self.hyphenated(cursor);
        let found = ENCODINGS.iter().find(|row| row.0.eq_ignore_ascii_case(&name)).map(|row| row.1);
        let Some(mut encoding) = found else {
            let names = ENCODINGS.iter().map(|row| row.0);
            let help = match nearest(&name, names.clone()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!(
                    "write `text ENCODING, \"…\"`; the encodings are {}",
                    names.collect::<Vec<_>>().join(", ")
                ),
            };
            let message = if name.is_empty() {
                "`text` wants an encoding first".to_string()
            } else {
                format!("`{name}` is not an encoding of texts")
            };
            self.report(Diagnostic::error("text", place, message, help));
            return cursor.skip_line();
        };
        if let Encoding::Marker(marker) = &mut encoding {
            if cursor.token.kind != Kind::Open {
                let help = "write `text marker('$'), \"…\"`";
                self.report(Diagnostic::error(
                    "text",
                    cursor.span(),
                    "`marker` wants a character in parentheses",
                    help,
                ));
                return cursor.skip_line();
            }
            let expression = self.expression(cursor);
            let value = self
                .known(expression, "`marker`")
                .filter(|&value| self.fits(value, Field::Byte, expression.span));
            *marker = value.unwrap_or(0) as u8;
        }
        if !self.comma(cursor, "text ENCODING, \"…\"") {
            return;
        }
        let mut text = Vec::new();
        let start = cursor.span();
        loop {
            if matches!(cursor.token.kind, Kind::Text | Kind::OpenText) {
                match self.text_bytes(cursor) {
                    Some(bytes) => text.extend(bytes),
                    None => return cursor.skip_line(),
                }
            } else {
                // A character by its code: `text zero, "fog", 13, 10`.
                let expression = self.expression(cursor);
                let Some(value) = self.known(expression, "`text`") else { return cursor.skip_line() };
                if self.fits(value, Field::Byte, expression.span) {
                    text.push(value as u8);
                }
            }
            if cursor.token.kind != Kind::Comma {
                break;
            }
            cursor.next();
        }
        let cell_bits = self.set.map_or(8, |set| set.cell_bits());
        match encode(encoding, &text, cell_bits) {
            Ok(cells) => self.emit(&cells, span),
            Err((problem, help)) => {
                let place = Span { end: cursor.last_end.max(start.end), ..start };
                self.report(Diagnostic::error("text", place, problem, help));
            }
        }
        self.record_cells(span.source, line, before, 0);
    }

    /// `embed "F", OFFSET, LENGTH`.
    pub(in crate::assembler) fn embed(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let before = self.layout.location;
        let place = cursor.span();
        let Some(name) = self.quoted(cursor, "a file name") else { return };
        let mut bounds = [None; 2];
        for bound in &mut bounds {
            if cursor.token.kind == Kind::Comma {
                cursor.next();
                let expression = self.expression(cursor);
                *bound = self.known(expression, "`embed`").map(|value| (value, expression.span));
            }
        }
        let from = self.sources.get(place.source).map(|source| source.name.clone());
        let bytes = match self.loader.load(&name, from.as_deref()) {
            Ok(loaded) => loaded.bytes,
            Err(problem) => {
                let message = format!("`{name}` cannot be read: {problem}");
                return self.report(Diagnostic::error(
                    "file",
                    place,
                    message,
                    "check the name and the folder",
                ));
            }
        };
        let mut part = &bytes[..];
        for (number, bound) in bounds.into_iter().enumerate() {
            let Some((value, span)) = bound else { continue };
            let Some(value) = usize::try_from(value).ok().filter(|&value| value <= part.len()) else {
                let what = ["an offset", "a length"][number];
                let message =
                    format!("{value} is not {what} in `{name}`, which has {} bytes there", part.len());
                return self.report(Diagnostic::error(
                    "embed",
                    span,
                    message,
                    format!("give {what} of 0 to {}", part.len()),
                ));
            };
            part = if number == 0 { &part[value..] } else { &part[..value] };
        }
        let cells: Vec<u64> = part.iter().map(|&byte| byte.into()).collect();
        self.emit(&cells, span);
        self.record_cells(span.source, line, before, 0);
    }

    /// `image KIND, "FILE", NAME = VALUE, …`.
    pub(in crate::assembler) fn image_request(&mut self, cursor: &mut Cursor<'_>, span: Span) {
        const FORM: &str = "image KIND, \"FILE\", NAME = VALUE";
        let (name, place) = self.hyphenated(cursor);
        let known = self.formats.iter().chain(FORMATS).copied();
        let Some(format) = known.clone().find(|one| one.name.eq_ignore_ascii_case(&name)) else {
            let names = known.map(|one| one.name);
            let help = match nearest(&name, names.clone()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("write `{FORM}`; the kinds are {}", names.collect::<Vec<_>>().join(", ")),
            };
            let message = match name.as_str() {
                "" => "`image` wants a kind first".to_string(),
                name => format!("there is no kind of image `{name}`"),
            };
            self.report(Diagnostic::error("image", place, message, help));
            return cursor.skip_line();
        };
        if !self.comma(cursor, FORM) {
            return;
        }
        let Some(file) = self.quoted(cursor, "a file name") else { return };
        let mut settings = Settings::default();
        while cursor.token.kind == Kind::Comma {
            cursor.next();
            let (name, place) = self.hyphenated(cursor);
            if cursor.token.kind != Kind::Equal {
                let help = format!("write `{FORM}`");
                self.report(Diagnostic::error("image", place, "a setting is written NAME = VALUE", help));
                return cursor.skip_line();
            }
            cursor.next();
            let expression = self.expression(cursor);
            let Some(value) = self.known(expression, "`image`") else { continue };
            if let Err(error) = settings.set(format, &name, value) {
                let span = Span { end: expression.span.end, ..place };
                self.report(Diagnostic::error("image", span, error.problem, error.help));
            }
        }
        self.record.images.push(ImageRequest { format, file, settings, span });
    }
}
