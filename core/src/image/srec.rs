//! `srec`: Motorola S-records (Motorola, *M68000 Family Programmer's Reference Manual*, appendix C).
//!
//! ```text
//! S T LL AAAA DD… CC      T type, LL bytes that follow, address of 2, 3 or 4 bytes, CC ones' complement of the sum
//! ```

use super::digits::{Line, MOST, read_pairs};
use super::records::{DAMAGED, Records, Wrong, bad_digits};
use super::{Format, Image, ReadError, Settings, Start, WriteError, Written};

/// The format.
pub const FORMAT: Format = Format {
    name: "srec",
    about: "Motorola S-records: S1, S2 or S3 by the largest address",
    tape: false,
    endings: &["srec", "s19", "s28", "s37", "mot"],
    settings: &["record"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, _| read(file),
};

/// Bytes in a written data record, where the settings say nothing else.
const RECORD: usize = 16;

/// Writes a header, the data, the number of data records where it can be told, and the end with the start address.
///
/// # Errors
/// [`WriteError`] for an empty image or cells wider than a byte.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (first, last) = image.byte_bounds()?;
    let length = settings.record.map_or(RECORD, |length| length as usize).min(250);
    let start = image.entry().unwrap_or(first);
    let (data, end, width) = match last.max(start) {
        0..=0xFFFF => (b'1', b'9', 2),
        0x1_0000..=0xFF_FFFF => (b'2', b'8', 3),
        _ => (b'3', b'7', 4),
    };
    let mut file = Vec::with_capacity(image.cells() * 3);
    record(&mut file, b'0', 2, 0, &[]);
    let mut count = 0u32;
    for segment in image.segments() {
        for (at, cells) in segment.cells.chunks(length).enumerate() {
            record(&mut file, data, width, segment.start + (at * length) as u32, cells);
            count += 1;
        }
    }
    match count {
        0..=0xFFFF => record(&mut file, b'5', 2, count, &[]),
        0x1_0000..=0xFF_FFFF => record(&mut file, b'6', 3, count, &[]),
        _ => {}
    }
    record(&mut file, end, width, start, &[]);
    Ok(file)
}

fn record(file: &mut Vec<u8>, kind: u8, width: usize, address: u32, data: &[u64]) {
    let mut line = Line::begin(&[b'S', kind]);
    line.byte((width + data.len() + 1) as u8);
    for &byte in &address.to_be_bytes()[4 - width..] {
        line.byte(byte);
    }
    line.cells(data);
    line.byte(!line.sum);
    line.end(file);
}

/// Reads an image, whole or not at all. The start address becomes the entry.
///
/// # Errors
/// Every damaged line up to twenty: what is wrong there and what to do.
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    let mut count = 0;
    Records::read(file, |records, line| take(records, &mut count, line)).finish()
}

fn take(records: &mut Records, count: &mut u32, line: &[u8]) -> Result<(), Wrong> {
    let [b'S' | b's', kind, digits @ ..] = line else {
        return Err((
            "the line does not begin with S and a digit".to_string(),
            "this may be no file of S-records",
        ));
    };
    let width = match kind {
        b'0' | b'1' | b'5' | b'9' => 2,
        b'2' | b'6' | b'8' => 3,
        b'3' | b'7' => 4,
        _ => {
            let shown = char::from(*kind).escape_default();
            return Err((format!("record type S{shown} is unknown"), "the types are S0 to S3 and S5 to S9"));
        }
    };
    let mut bytes = [0; MOST];
    let length = read_pairs(digits, &mut bytes).map_err(|bad| bad_digits(digits, &bad, 2))?;
    let bytes = &bytes[..length];
    if length < width + 2 {
        return Err((format!("the line is too short: {length} bytes of at least {}", width + 2), DAMAGED));
    }
    if usize::from(bytes[0]) != length - 1 {
        return Err((format!("the line says {} bytes and has {}", bytes[0], length - 1), DAMAGED));
    }
    let (sum, rest) = bytes.split_last().expect("the length was checked");
    let right = !rest.iter().fold(0u8, |sum, &byte| sum.wrapping_add(byte));
    if *sum != right {
        return Err((format!("the checksum is {sum:02X}h and should be {right:02X}h"), DAMAGED));
    }
    let (address, data) = rest[1..].split_at(width);
    let address = address.iter().fold(0u32, |address, &byte| address << 8 | u32::from(byte));
    match kind {
        b'0' => {}
        b'1'..=b'3' => {
            let last = (1u64 << (8 * width)) - 1;
            if !data.is_empty() && u64::from(address) + data.len() as u64 - 1 > last {
                return Err((format!("the data goes past the address {last:X}h"), DAMAGED));
            }
            *count += 1;
            records.piece(address, data);
        }
        _ if !data.is_empty() => {
            let message = format!("a record of type S{} cannot have data", char::from(*kind));
            return Err((message, DAMAGED));
        }
        b'5' | b'6' => {
            if address != *count {
                let message = format!("there are {count} data records above, and this line counts {address}");
                return Err((message, "lines are missing or were added; get the file again"));
            }
        }
        _ => {
            records.ended = Some(records.line);
            records.entry = Some(Start::at(address));
        }
    }
    Ok(())
}
