//! Places as the protocol counts them: lines and characters from 0, a character being a byte or a unit of UTF-16; files as URIs.

use lsp_types::{Position, Range, Uri};
use std::str::FromStr;

/// What a character of a position is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Counts {
    Bytes,
    Utf16,
}

impl Counts {
    fn of(self, text: &str) -> u32 {
        match self {
            Self::Bytes => text.len() as u32,
            Self::Utf16 => text.encode_utf16().count() as u32,
        }
    }

    /// The position of a byte of a text.
    pub fn position(self, text: &str, offset: usize) -> Position {
        let offset = (0..=offset.min(text.len())).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
        let before = &text[..offset];
        let line = before.bytes().filter(|&byte| byte == b'\n').count() as u32;
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        Position { line, character: self.of(&before[start..]) }
    }

    pub fn range(self, text: &str, start: usize, end: usize) -> Range {
        Range { start: self.position(text, start), end: self.position(text, end) }
    }

    /// The byte of a position; past the end of a line its end.
    pub fn offset(self, text: &str, position: Position) -> usize {
        let mut start = 0;
        for _ in 0..position.line {
            match text[start..].find('\n') {
                Some(at) => start += at + 1,
                None => return text.len(),
            }
        }
        let line = text[start..].split('\n').next().unwrap_or_default();
        let mut left = position.character;
        for (at, sign) in line.char_indices() {
            if left == 0 {
                return start + at;
            }
            left = left.saturating_sub(self.of(&line[at..at + sign.len_utf8()]));
        }
        start + line.len()
    }
}

/// A text with where its lines begin, for who has many places in it.
pub struct Lines<'t> {
    text: &'t str,
    starts: Vec<usize>,
    counts: Counts,
}

impl<'t> Lines<'t> {
    pub fn of(counts: Counts, text: &'t str) -> Self {
        let breaks = text.bytes().enumerate().filter(|row| row.1 == b'\n').map(|row| row.0 + 1);
        Self { text, starts: std::iter::once(0).chain(breaks).collect(), counts }
    }

    pub fn position(&self, offset: usize) -> Position {
        let offset =
            (0..=offset.min(self.text.len())).rev().find(|&at| self.text.is_char_boundary(at)).unwrap_or(0);
        let line = self.starts.partition_point(|&start| start <= offset) - 1;
        Position { line: line as u32, character: self.counts.of(&self.text[self.starts[line]..offset]) }
    }

    pub fn range(&self, start: usize, end: usize) -> Range {
        Range { start: self.position(start), end: self.position(end) }
    }

    /// Where a line begins, counted from 0; `None` past the last.
    pub fn start_of(&self, line: usize) -> Option<usize> {
        self.starts.get(line).copied()
    }

    /// How many characters a stretch has, as the editor counts them.
    pub fn length(&self, start: usize, end: usize) -> u32 {
        self.text.get(start..end).map_or(0, |text| self.counts.of(text))
    }
}

/// The file of a URI; `None` where it is none.
pub fn file_of(uri: &Uri) -> Option<String> {
    let path = uri.as_str().strip_prefix("file://")?;
    let bytes = path.as_bytes();
    let (mut out, mut at) = (Vec::with_capacity(bytes.len()), 0);
    while let Some(&byte) = bytes.get(at) {
        let digits = bytes.get(at + 1..at + 3).and_then(|two| std::str::from_utf8(two).ok());
        match digits.and_then(|two| u8::from_str_radix(two, 16).ok()).filter(|_| byte == b'%') {
            Some(value) => {
                out.push(value);
                at += 3;
            }
            None => {
                out.push(byte);
                at += 1;
            }
        }
    }
    String::from_utf8(out).ok()
}

/// The URI of a file.
pub fn uri_of(file: &str) -> Option<Uri> {
    let path = std::path::absolute(file).ok()?;
    let mut uri = "file://".to_string();
    for byte in path.to_str()?.bytes() {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'/' | b'-' | b'.' | b'_' | b'~' => {
                uri.push(byte.into())
            }
            other => uri += &format!("%{other:02X}"),
        }
    }
    Uri::from_str(&uri).ok()
}
