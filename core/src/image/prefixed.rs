//! `prefixed`: the load address in two bytes, low byte first, then the bare bytes.

use super::{Format, Image, Place, ReadError, Settings, WriteError, Written, raw};

/// The format.
pub const FORMAT: Format = Format {
    name: "prefixed",
    about: "the load address in two bytes, low byte first, then the bare bytes",
    tape: false,
    endings: &["pfx"],
    settings: &["fill"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, _| read(file),
};

/// Writes the address and the bytes from the first to the last, gaps filled.
///
/// # Errors
/// [`WriteError`] for an empty image, cells wider than a byte or addresses past 0FFFFh.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (first, last) = image.byte_bounds()?;
    if last > 0xFFFF {
        return Err(WriteError::Outside { start: last, last, first: 0, length: 0x1_0000 });
    }
    let mut file = vec![first as u8, (first >> 8) as u8];
    file.extend(raw::bytes(image, first, (last - first + 1) as usize, settings.fill.unwrap_or(raw::FILL))?);
    Ok(file)
}

/// Reads an image.
///
/// # Errors
/// Where the file is shorter than an address, or runs past the end of memory.
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    let wrong = |at, problem: &str, help: &str| {
        Err(vec![ReadError { place: Place::Byte(at), problem: problem.to_string(), help: help.to_string() }])
    };
    let [low, high, bytes @ ..] = file else {
        return wrong(file.len(), "the file ends inside the load address", "it needs two bytes for that");
    };
    let at = u32::from(u16::from_le_bytes([*low, *high]));
    let room = 0x1_0000 - at as usize;
    if bytes.len() > room {
        return wrong(
            2 + room,
            "the bytes go on past the address FFFFh",
            "this may be a raw file without an address at its start",
        );
    }
    raw::read(bytes, at)
}
