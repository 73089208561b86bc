//! `hex`: Intel HEX (Intel, *Hexadecimal Object File Format Specification*, revision A).
//!
//! ```text
//! : LL AAAA TT DD… CC     LL data bytes, AAAA offset, TT record type, CC two's complement of the sum
//! ```

use super::{Image, ReadError, Segment, WriteError};
use std::fmt::Write as _;

const DATA: u8 = 0;
const END: u8 = 1;
const SEGMENT_BASE: u8 = 2;
const SEGMENT_START: u8 = 3;
const LINEAR_BASE: u8 = 4;
const LINEAR_START: u8 = 5;

/// Bytes in a written data record.
const RECORD: usize = 16;

/// More errors than this are not worth reading.
const MOST_ERRORS: usize = 20;

/// Writes the image: extended linear addresses where it goes past 0FFFFh, a start record where the entry is not the
/// first address.
///
/// # Errors
/// [`WriteError`] for an empty image or cells wider than a byte.
pub fn write(image: &Image) -> Result<Vec<u8>, WriteError> {
    if image.cell_bits != 8 {
        return Err(WriteError::CellBits(image.cell_bits));
    }
    let (first, _) = image.bounds().ok_or(WriteError::Empty)?;
    let mut text = String::new();
    let mut high = 0;
    for segment in image.segments() {
        let mut at = 0;
        while at < segment.cells.len() {
            let address = segment.start + at as u32;
            if address >> 16 != high {
                high = address >> 16;
                record(&mut text, 0, LINEAR_BASE, &[(high >> 8) as u8, high as u8]);
            }
            let before_carry = 0x1_0000 - (address & 0xFFFF) as usize;
            let length = RECORD.min(segment.cells.len() - at).min(before_carry);
            let mut bytes = [0; RECORD];
            for (byte, cell) in bytes.iter_mut().zip(&segment.cells[at..at + length]) {
                *byte = *cell as u8;
            }
            record(&mut text, address as u16, DATA, &bytes[..length]);
            at += length;
        }
    }
    if let Some(entry) = image.entry.filter(|&entry| entry != first) {
        record(&mut text, 0, LINEAR_START, &entry.to_be_bytes());
    }
    record(&mut text, 0, END, &[]);
    Ok(text.into_bytes())
}

fn record(text: &mut String, offset: u16, kind: u8, data: &[u8]) {
    let head = [data.len() as u8, (offset >> 8) as u8, offset as u8, kind];
    let sum = head.iter().chain(data).fold(0u8, |sum, &byte| sum.wrapping_add(byte));
    text.push(':');
    for byte in head.iter().chain(data).chain([&sum.wrapping_neg()]) {
        let _ = write!(text, "{byte:02X}");
    }
    text.push('\n');
}

/// Reads an image, whole or not at all.
///
/// # Errors
/// Every damaged line up to twenty: what is wrong there and what to do.
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    let mut reader = Reader::default();
    for (number, line) in file.split(|&byte| byte == b'\n').enumerate() {
        reader.line = number + 1;
        // A file may end with the end-of-file character of old disk systems.
        let line = line.trim_ascii();
        let line = line.strip_suffix(b"\x1A").unwrap_or(line);
        if !line.is_empty() {
            if let Err((problem, help)) = reader.take(line) {
                reader.errors.push(ReadError { line: reader.line, problem, help: help.to_string() });
            }
            if reader.errors.len() >= MOST_ERRORS {
                return Err(reader.errors);
            }
        }
    }
    reader.finish()
}

#[derive(Default)]
struct Reader {
    line: usize,
    base: Base,
    pieces: Vec<Segment>,
    lines: Vec<usize>,
    entry: Option<u32>,
    ended: Option<usize>,
    errors: Vec<ReadError>,
}

#[derive(Clone, Copy)]
enum Base {
    /// Offsets wrap inside 64K.
    Segment(u32),
    Linear(u32),
}

impl Default for Base {
    fn default() -> Self {
        Base::Linear(0)
    }
}

type Problem = (String, &'static str);

const DAMAGED: &str = "the line is damaged; get the file again or build it again";

impl Reader {
    fn take(&mut self, line: &[u8]) -> Result<(), Problem> {
        if let Some(end) = self.ended {
            return Err((
                format!("there is more behind the end record of line {end}"),
                "remove what follows it",
            ));
        }
        let Some(digits) = line.strip_prefix(b":") else {
            return Err((
                "the line does not begin with a colon".to_string(),
                "this may be no Intel HEX file",
            ));
        };
        let bytes = unhex(digits)?;
        let [length, high, low, kind, rest @ ..] = &bytes[..] else {
            return Err((format!("the line is too short: {} bytes of at least 5", bytes.len()), DAMAGED));
        };
        let expected = usize::from(*length) + 1;
        if rest.len() != expected {
            let (have, want) = (rest.len() as i64 - 1, length);
            return Err((format!("the line says {want} data bytes and has {have}"), DAMAGED));
        }
        let (sum, data) = rest.split_last().expect("the length was checked");
        let right = bytes[..bytes.len() - 1].iter().fold(0u8, |sum, &byte| sum.wrapping_sub(byte));
        if *sum != right {
            return Err((format!("the checksum is {sum:02X}h and should be {right:02X}h"), DAMAGED));
        }
        self.record(u16::from_be_bytes([*high, *low]), *kind, data)
    }

    fn record(&mut self, offset: u16, kind: u8, data: &[u8]) -> Result<(), Problem> {
        match (kind, data) {
            (DATA, _) => self.data(offset, data)?,
            (END, []) => {
                self.ended = Some(self.line);
                // The oldest writers put the start address into the end record.
                if offset != 0 && self.entry.is_none() {
                    self.entry = Some(offset.into());
                }
            }
            (SEGMENT_BASE, &[high, low]) => {
                self.base = Base::Segment(u32::from(u16::from_be_bytes([high, low])) << 4);
            }
            (LINEAR_BASE, &[high, low]) => {
                self.base = Base::Linear(u32::from(u16::from_be_bytes([high, low])) << 16);
            }
            (SEGMENT_START, &[a, b, c, d]) => {
                let (segment, offset) = (u16::from_be_bytes([a, b]), u16::from_be_bytes([c, d]));
                self.entry = Some((u32::from(segment) << 4) + u32::from(offset));
            }
            (LINEAR_START, &[a, b, c, d]) => self.entry = Some(u32::from_be_bytes([a, b, c, d])),
            (END | SEGMENT_BASE | SEGMENT_START | LINEAR_BASE | LINEAR_START, _) => {
                return Err((
                    format!("a record of type {kind:02X} cannot have {} data bytes", data.len()),
                    DAMAGED,
                ));
            }
            _ => {
                return Err((format!("record type {kind:02X} is unknown"), "the types are 00 to 05"));
            }
        }
        Ok(())
    }

    fn data(&mut self, offset: u16, data: &[u8]) -> Result<(), Problem> {
        let wrap = 0x1_0000 - usize::from(offset);
        let (here, wrapped) = data.split_at(data.len().min(wrap));
        match self.base {
            Base::Segment(base) => {
                self.piece(base + u32::from(offset), here);
                self.piece(base, wrapped);
            }
            Base::Linear(base) => {
                let start = base + u32::from(offset);
                if u64::from(start) + data.len() as u64 > 1 << 32 {
                    return Err(("the data goes past the address FFFFFFFFh".to_string(), DAMAGED));
                }
                self.piece(start, data);
            }
        }
        Ok(())
    }

    fn piece(&mut self, start: u32, data: &[u8]) {
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

    fn finish(mut self) -> Result<Image, Vec<ReadError>> {
        if self.ended.is_none() && self.errors.is_empty() {
            let problem = "the file ends without an end record".to_string();
            let help = "the file is cut off; get it again or build it again".to_string();
            self.errors.push(ReadError { line: self.line, problem, help });
        }
        if !self.errors.is_empty() {
            return Err(self.errors);
        }
        let (mut image, overlaps) = Image::from_pieces(8, self.pieces);
        image.entry = self.entry;
        let errors: Vec<_> = overlaps
            .iter()
            .take(MOST_ERRORS)
            .map(|overlap| ReadError {
                line: self.lines[overlap.piece],
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

fn unhex(digits: &[u8]) -> Result<Vec<u8>, Problem> {
    let value = |at: usize| -> Result<u8, Problem> {
        char::from(digits[at]).to_digit(16).map(|digit| digit as u8).ok_or_else(|| {
            let shown = char::from(digits[at]).escape_default();
            (format!("`{shown}` in column {} is no hex digit", at + 2), DAMAGED)
        })
    };
    let mut bytes = Vec::with_capacity(digits.len() / 2);
    for at in (0..digits.len().saturating_sub(1)).step_by(2) {
        bytes.push(value(at)? << 4 | value(at + 1)?);
    }
    if digits.len() % 2 == 1 {
        value(digits.len() - 1)?;
        return Err(("the line ends in the middle of a byte".to_string(), DAMAGED));
    }
    Ok(bytes)
}
