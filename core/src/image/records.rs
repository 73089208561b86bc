//! What the formats of records share: lines with an address, data and a checksum each, gathered to an image.

use super::digits::BadDigits;
use super::{Image, Place, ReadError, Segment, Start};

/// More errors than this are not worth reading.
const MOST_ERRORS: usize = 20;

pub(super) type Wrong = (String, &'static str);

pub(super) const DAMAGED: &str = "the line is damaged; get the file again or build it again";

/// The pieces of a file of records as they are read.
#[derive(Default)]
pub(super) struct Records {
    pub line: usize,
    pub entry: Option<Start>,
    /// The line of the end record.
    pub ended: Option<usize>,
    pieces: Vec<Segment>,
    lines: Vec<usize>,
    errors: Vec<ReadError>,
}

impl Records {
    /// Reads every line that is not blank.
    pub fn read(file: &[u8], mut take: impl FnMut(&mut Self, &[u8]) -> Result<(), Wrong>) -> Self {
        let mut records = Self::default();
        let mut from = 0;
        for (number, end) in memchr::memchr_iter(b'\n', file).chain([file.len()]).enumerate() {
            records.line = number + 1;
            let line = file[from.min(end)..end].trim_ascii();
            from = end + 1;
            // A file may end with the end-of-file character of old disk systems.
            let line = line.strip_suffix(b"\x1A").unwrap_or(line);
            if line.is_empty() {
                continue;
            }
            let taken = match records.ended {
                Some(end) => Err((
                    format!("there is more after the end record of line {end}"),
                    "remove what follows it",
                )),
                None => take(&mut records, line),
            };
            if let Err((problem, help)) = taken {
                records.error(problem, help);
                if records.errors.len() >= MOST_ERRORS {
                    break;
                }
            }
        }
        records
    }

    pub fn error(&mut self, problem: String, help: &str) {
        let place = Place::Line(self.line);
        self.errors.push(ReadError { place, problem, help: help.to_string() });
    }

    /// Adds the data of a line.
    #[inline]
    pub fn piece(&mut self, start: u32, data: &[u8]) {
        if data.is_empty() {
            return;
        }
        let cells = data.iter().map(|&byte| u64::from(byte));
        match self.pieces.last_mut() {
            Some(last) if last.end() == u64::from(start) => last.cells.extend(cells),
            _ => {
                self.pieces.push(Segment { start, cells: cells.collect() });
                self.lines.push(self.line);
            }
        }
    }

    /// The image, or everything that is wrong.
    pub fn finish(mut self) -> Result<Image, Vec<ReadError>> {
        if self.ended.is_none() && self.errors.is_empty() {
            self.error(
                "the file ends without an end record".to_string(),
                "the file is cut off; get it again or build it again",
            );
        }
        if !self.errors.is_empty() {
            return Err(self.errors);
        }
        let (mut image, overlaps) = super::format::join(8, self.pieces)?;
        image.set_entry_place(self.entry);
        let errors: Vec<_> = overlaps
            .iter()
            .take(MOST_ERRORS)
            .map(|overlap| ReadError {
                place: Place::Line(self.lines[overlap.piece]),
                problem: format!(
                    "the data from here gives the cells {:04X}h to {:04X}h again, which the data from line {} gives already",
                    overlap.first, overlap.last, self.lines[overlap.earlier]
                ),
                help: "keep one of the two".to_string(),
            })
            .collect();
        if errors.is_empty() { Ok(image) } else { Err(errors) }
    }
}

/// What is wrong with the digits of a line, `before` columns of which were cut off.
#[cold]
pub(super) fn bad_digits(digits: &[u8], bad: &BadDigits, before: usize) -> Wrong {
    match *bad {
        BadDigits::NoDigit(at) => {
            let shown = char::from(digits[at]).escape_default();
            (format!("`{shown}` in column {} is not a hex digit", at + before + 1), DAMAGED)
        }
        BadDigits::Half => ("the line ends in the middle of a byte".to_string(), DAMAGED),
        BadDigits::TooLong => ("the line is longer than any record".to_string(), DAMAGED),
    }
}
