//! `data-lines`: a BASIC program that puts the image into memory, for machines that are fed by typing.
//!
//! The listing reads blocks of an address, a count and so many bytes; a count of zero ends them, and the sum of all
//! bytes follows. Everything is decimal, and the program tells a mistyped number by the sum:
//!
//! ```text
//! 10 S=0
//! 20 READ A,N: IF N=0 THEN 50
//! 30 FOR I=1 TO N: READ B: POKE A,B: S=S+B: A=A+1: NEXT I
//! 40 GOTO 20
//! 50 READ C: IF S<>C THEN PRINT "DATA LINES WRONG": STOP
//! 60 END
//! 70 DATA 16384,3
//! 80 DATA 62,18,118
//! 90 DATA 0,0,198
//! ```

use super::{Format, Image, Place, ReadError, Segment, Settings, WriteError, Written};
use std::fmt::Write as _;

/// The format.
pub const FORMAT: Format = Format {
    name: "data-lines",
    about: "a BASIC loader with the bytes in decimal DATA lines and a checksum",
    tape: false,
    endings: &["bas"],
    settings: &["line", "step", "width"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, _| read(file),
};

/// The largest line number that every BASIC takes.
const LAST_LINE: u32 = 32_767;

/// Writes the loader. `line` is the first line number, `step` the distance of the next, `width` the most characters of a
/// DATA line.
///
/// # Errors
/// [`WriteError`] for an empty image, cells wider than a byte, or more lines than there are numbers.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    image.byte_bounds()?;
    let (first, step) = (settings.line.unwrap_or(10), settings.step.unwrap_or(10).max(1));
    let width = settings.width.unwrap_or(60) as usize;
    let mut listing = Listing { text: String::new(), number: first, step };
    let line = |number: u32| first + number * step;
    listing.line("S=0");
    listing.line(&format!("READ A,N: IF N=0 THEN {}", line(4)));
    listing.line("FOR I=1 TO N: READ B: POKE A,B: S=S+B: A=A+1: NEXT I");
    listing.line(&format!("GOTO {}", line(1)));
    listing.line("READ C: IF S<>C THEN PRINT \"DATA LINES WRONG\": STOP");
    listing.line("END");
    let mut sum = 0;
    for segment in image.segments() {
        listing.line(&format!("DATA {},{}", segment.start, segment.cells.len()));
        let mut data = String::new();
        for &cell in &segment.cells {
            sum += cell & 0xFF;
            let number = (cell & 0xFF).to_string();
            let head = listing.number.to_string().len() + " DATA ".len();
            if !data.is_empty() && head + data.len() + 1 + number.len() > width {
                listing.line(&format!("DATA {data}"));
                data.clear();
            }
            if !data.is_empty() {
                data.push(',');
            }
            data.push_str(&number);
        }
        listing.line(&format!("DATA {data}"));
    }
    listing.line(&format!("DATA 0,0,{sum}"));
    let last = listing.number - step;
    if last > LAST_LINE {
        return Err(WriteError::TooManyLines { last, most: LAST_LINE });
    }
    Ok(listing.text.into_bytes())
}

struct Listing {
    text: String,
    number: u32,
    step: u32,
}

impl Listing {
    fn line(&mut self, statement: &str) {
        let _ = writeln!(self.text, "{} {statement}", self.number);
        self.number = self.number.saturating_add(self.step);
    }
}

/// A number of a DATA line and the place it stands.
struct Datum {
    value: u64,
    line: usize,
}

/// Reads the DATA lines of such a listing; the loader's own lines may be any.
///
/// # Errors
/// What is not a number, what is not a byte, what is missing, and a sum that is wrong.
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    let text = String::from_utf8_lossy(file);
    let mut data = Vec::new();
    let mut last_line = 1;
    for (number, line) in text.lines().enumerate() {
        last_line = number + 1;
        let statement = line.trim_start().trim_start_matches(|c: char| c.is_ascii_digit()).trim_start();
        let Some(list) = statement.get(..4).filter(|word| word.eq_ignore_ascii_case("data")) else {
            continue;
        };
        for word in statement[list.len()..].split(',') {
            let value = word.trim().parse().map_err(|_| {
                wrong(
                    number + 1,
                    format!("`{}` is not a decimal number", word.trim().escape_debug()),
                    "DATA lines hold whole numbers with commas between",
                )
            })?;
            data.push(Datum { value, line: number + 1 });
        }
    }
    if data.is_empty() {
        return Err(wrong(
            last_line,
            "there is no DATA line in the file".to_string(),
            "this may be no listing of DATA lines",
        ));
    }
    gather(&data)
}

fn wrong(line: usize, problem: String, help: &str) -> Vec<ReadError> {
    vec![ReadError { place: Place::Line(line), problem, help: help.to_string() }]
}

fn gather(data: &[Datum]) -> Result<Image, Vec<ReadError>> {
    let last = data.last().map_or(1, |one| one.line);
    let cut = || {
        wrong(
            last,
            "the numbers end too early".to_string(),
            "the listing is cut off, or a number was left out",
        )
    };
    let mut rest = data.iter();
    let mut pieces: Vec<Segment> = Vec::new();
    let mut sum = 0u64;
    loop {
        let (address, count) = rest.next().zip(rest.next()).ok_or_else(cut)?;
        if count.value == 0 {
            break;
        }
        let end = address.value.checked_add(count.value).filter(|&end| end <= 1 << 24);
        if end.is_none() {
            let problem =
                format!("a block of {} bytes at {} is not a stretch of memory", count.value, address.value);
            return Err(wrong(address.line, problem, "a number was left out or mistyped further up"));
        }
        let mut cells = Vec::new();
        for _ in 0..count.value {
            let byte = rest.next().ok_or_else(cut)?;
            if byte.value > 0xFF {
                return Err(wrong(
                    byte.line,
                    format!("{} is not a byte", byte.value),
                    "bytes go from 0 to 255",
                ));
            }
            sum += byte.value;
            cells.push(byte.value);
        }
        pieces.push(Segment { start: address.value as u32, cells });
    }
    let told = rest.next().ok_or_else(cut)?;
    if told.value != sum {
        let problem = format!("the bytes add up to {sum}, and the listing says {}", told.value);
        return Err(wrong(told.line, problem, "a number was mistyped; compare the lines"));
    }
    if let Some(more) = rest.next() {
        return Err(wrong(more.line, "there are numbers after the sum".to_string(), "remove them"));
    }
    let (image, overlaps) = super::format::join(8, pieces)?;
    match overlaps.first() {
        None => Ok(image),
        Some(overlap) => {
            let problem = format!("the cells {} to {} are given twice", overlap.first, overlap.last);
            Err(wrong(last, problem, "keep one of the two blocks"))
        }
    }
}
