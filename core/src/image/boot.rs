//! `boot`: a boot sector: 512 bytes, of which the last two are the signature 55h, 0AAh.

use super::{Format, Image, Place, ReadError, Settings, WriteError, Written, raw};

/// The format.
pub const FORMAT: Format = Format {
    name: "boot",
    about: "a boot sector: at most 510 bytes, filled, with the signature 55h AAh",
    tape: false,
    endings: &["boot", "img"],
    settings: &["first", "fill"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, settings| read(file, settings.first.unwrap_or(ORIGIN)),
};

/// Where a PC loads its boot sector.
pub const ORIGIN: u32 = 0x7C00;

/// Bytes in a sector.
pub const SECTOR: usize = 512;

/// The last two bytes.
pub const SIGNATURE: [u8; 2] = [0x55, 0xAA];

/// Writes a sector. A program that brings the signature itself, at its place, is taken as it is.
///
/// # Errors
/// [`WriteError`] where the program leaves no room for the signature.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (own_first, last) = image.byte_bounds()?;
    let first = settings.first.unwrap_or(own_first);
    let length = (u64::from(last) + 1).saturating_sub(first.into()) as usize;
    let room = SECTOR - SIGNATURE.len();
    let own = [0, 1].map(|at| image.cell(first.checked_add(room as u32 + at)?));
    let signed = length == SECTOR && own == SIGNATURE.map(|byte| Some(byte.into()));
    if length > room && !signed {
        return Err(WriteError::NoRoom { length, room });
    }
    let mut file = raw::bytes(image, first, length, settings.fill.unwrap_or(0))?;
    file.resize(room.max(length), settings.fill.unwrap_or(0));
    if !signed {
        file.extend(SIGNATURE);
    }
    Ok(file)
}

/// Reads a sector that stands at `at`, signature and all.
///
/// # Errors
/// Where it is not 512 bytes long, or has no signature.
pub fn read(file: &[u8], at: u32) -> Result<Image, Vec<ReadError>> {
    let wrong = |place, problem: String| {
        let help = "a boot sector has 512 bytes and ends with 55h AAh".to_string();
        Err(vec![ReadError { place: Place::Byte(place), problem, help }])
    };
    if file.len() != SECTOR {
        return wrong(file.len().min(SECTOR), format!("the file has {} bytes", file.len()));
    }
    if file[SECTOR - 2..] != SIGNATURE {
        let (low, high) = (file[SECTOR - 2], file[SECTOR - 1]);
        return wrong(SECTOR - 2, format!("{low:02X}h {high:02X}h stands in place of the signature"));
    }
    raw::read(file, at)
}
