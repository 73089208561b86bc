//! `hex`: Intel HEX (Intel, *Hexadecimal Object File Format Specification*, revision A).
//!
//! ```text
//! : LL AAAA TT DD… CC     LL data bytes, AAAA offset, TT record type, CC two's complement of the sum
//! ```

use super::digits::{Line, MOST, read_pairs};
use super::records::{DAMAGED, Records, Wrong, bad_digits};
use super::{Format, Image, ReadError, Settings, Start, WriteError, Written};

/// The format.
pub const FORMAT: Format = Format {
    name: "hex",
    about: "Intel HEX, with addresses and a checksum a line",
    tape: false,
    endings: &["hex", "ihx"],
    settings: &["record"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, _| read(file),
};

const DATA: u8 = 0;
const END: u8 = 1;
const SEGMENT_BASE: u8 = 2;
const SEGMENT_START: u8 = 3;
const LINEAR_BASE: u8 = 4;
const LINEAR_START: u8 = 5;

/// Bytes in a written data record, where the settings say nothing else.
const RECORD: usize = 16;

/// The data of a segment start record; none for a start that is named by its address alone.
fn segment_start(start: Start) -> Option<[u64; 4]> {
    let segment =
        u16::try_from(start.base >> 4).ok().filter(|&segment| segment > 0 && start.base & 0xF == 0)?;
    let ([a, b], [c, d]) = (segment.to_be_bytes(), u16::try_from(start.offset).ok()?.to_be_bytes());
    Some([a, b, c, d].map(u64::from))
}

/// Writes the image: extended linear addresses where it goes past 0FFFFh, a start record where the entry is not the
/// first address: the segment and the offset where the program has them.
///
/// # Errors
/// [`WriteError`] for an empty image or cells wider than a byte.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (first, _) = image.byte_bounds()?;
    let length = settings.record.map_or(RECORD, |length| length as usize);
    let mut file = Vec::with_capacity(image.cells() * 3);
    let mut high = 0;
    for segment in image.segments() {
        let mut at = 0;
        while at < segment.cells.len() {
            let address = segment.start + at as u32;
            if address >> 16 != high {
                high = address >> 16;
                record(&mut file, 0, LINEAR_BASE, &[u64::from(high >> 8), u64::from(high)]);
            }
            let before_carry = 0x1_0000 - (address & 0xFFFF) as usize;
            let length = length.min(segment.cells.len() - at).min(before_carry);
            record(&mut file, address as u16, DATA, &segment.cells[at..at + length]);
            at += length;
        }
    }
    match image.entry_place() {
        Some(start) if let Some(pair) = segment_start(start) => record(&mut file, 0, SEGMENT_START, &pair),
        Some(start) if start.address() != first => {
            record(&mut file, 0, LINEAR_START, &start.address().to_be_bytes().map(u64::from));
        }
        _ => {}
    }
    record(&mut file, 0, END, &[]);
    Ok(file)
}

fn record(file: &mut Vec<u8>, offset: u16, kind: u8, data: &[u64]) {
    let mut line = Line::begin(b":");
    for byte in [data.len() as u8, (offset >> 8) as u8, offset as u8, kind] {
        line.byte(byte);
    }
    line.cells(data);
    line.byte(line.sum.wrapping_neg());
    line.end(file);
}

/// Reads an image, whole or not at all.
///
/// # Errors
/// Every damaged line up to twenty: what is wrong there and what to do.
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    let mut base = Base::Linear(0);
    Records::read(file, |records, line| take(records, &mut base, line)).finish()
}

#[derive(Clone, Copy)]
enum Base {
    /// Offsets wrap inside 64K.
    Segment(u32),
    Linear(u32),
}

fn take(records: &mut Records, base: &mut Base, line: &[u8]) -> Result<(), Wrong> {
    let Some(digits) = line.strip_prefix(b":") else {
        return Err(("the line does not begin with a colon".to_string(), "this may be no Intel HEX file"));
    };
    let mut bytes = [0; MOST];
    let count = read_pairs(digits, &mut bytes).map_err(|bad| bad_digits(digits, &bad, 1))?;
    let bytes = &bytes[..count];
    let [length, high, low, kind, rest @ ..] = bytes else {
        return Err((format!("the line is too short: {count} bytes of at least 5"), DAMAGED));
    };
    let expected = usize::from(*length) + 1;
    if rest.len() != expected {
        let (have, want) = (rest.len() as i64 - 1, length);
        return Err((format!("the line says {want} data bytes and has {have}"), DAMAGED));
    }
    let (sum, data) = rest.split_last().expect("the length was checked");
    let right = bytes[..count - 1].iter().fold(0u8, |sum, &byte| sum.wrapping_sub(byte));
    if *sum != right {
        return Err((format!("the checksum is {sum:02X}h and should be {right:02X}h"), DAMAGED));
    }
    record_read(records, base, u16::from_be_bytes([*high, *low]), *kind, data)
}

fn record_read(
    records: &mut Records,
    base: &mut Base,
    offset: u16,
    kind: u8,
    data: &[u8],
) -> Result<(), Wrong> {
    match (kind, data) {
        (DATA, _) => data_read(records, *base, offset, data)?,
        (END, []) => {
            records.ended = Some(records.line);
            // The oldest writers put the start address into the end record.
            if offset != 0 && records.entry.is_none() {
                records.entry = Some(Start::at(offset.into()));
            }
        }
        (SEGMENT_BASE, &[high, low]) => {
            *base = Base::Segment(u32::from(u16::from_be_bytes([high, low])) << 4);
        }
        (LINEAR_BASE, &[high, low]) => {
            *base = Base::Linear(u32::from(u16::from_be_bytes([high, low])) << 16);
        }
        (SEGMENT_START, &[a, b, c, d]) => {
            let (segment, offset) = (u16::from_be_bytes([a, b]), u16::from_be_bytes([c, d]));
            records.entry = Some(Start { base: u32::from(segment) << 4, offset: u32::from(offset) });
        }
        (LINEAR_START, &[a, b, c, d]) => records.entry = Some(Start::at(u32::from_be_bytes([a, b, c, d]))),
        (END | SEGMENT_BASE | SEGMENT_START | LINEAR_BASE | LINEAR_START, _) => {
            return Err((
                format!("a record of type {kind:02X} cannot have {} data bytes", data.len()),
                DAMAGED,
            ));
        }
        _ => return Err((format!("record type {kind:02X} is unknown"), "the types are 00 to 05")),
    }
    Ok(())
}

fn data_read(records: &mut Records, base: Base, offset: u16, data: &[u8]) -> Result<(), Wrong> {
    match base {
        Base::Segment(base) => {
            let wrap = 0x1_0000 - usize::from(offset);
            let (here, wrapped) = data.split_at(data.len().min(wrap));
            records.piece(base + u32::from(offset), here);
            records.piece(base, wrapped);
        }
        Base::Linear(base) => {
            let start = base + u32::from(offset);
            if u64::from(start) + data.len() as u64 > 1 << 32 {
                return Err(("the data goes past the address FFFFFFFFh".to_string(), DAMAGED));
            }
            records.piece(start, data);
        }
    }
    Ok(())
}
