//! `com`: a program for the transient area of a disk system: bare bytes that are loaded at 100h and started there.

use super::{Format, Image, Place, ReadError, Settings, WriteError, Written, raw};

/// The format.
pub const FORMAT: Format = Format {
    name: "com",
    about: "a COM program: bare bytes loaded and started at 100h",
    tape: false,
    endings: &["com"],
    settings: &["fill"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, _| read(file),
};

/// Where every COM program is loaded and started.
pub const ORIGIN: u32 = 0x100;

/// The addresses from 100h to 0FFFFh.
const LONGEST: usize = 0xFF00;

/// Writes the bytes from 100h to the last; gaps are filled with zero unless the settings say otherwise. A program that is assembled for
/// elsewhere and begins with its first cell is written as it is: it starts, and misses its data.
///
/// # Errors
/// [`WriteError`] where the program is longer than the memory it is loaded into, or starts elsewhere than with its first byte.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (own_first, last) = image.byte_bounds()?;
    let start = image.start().unwrap_or(own_first);
    if start != ORIGIN && start != own_first {
        return Err(WriteError::Start { format: "com", start, wanted: ORIGIN });
    }
    let length = (u64::from(last) + 1).saturating_sub(start.into()) as usize;
    raw::bytes(image, start, length.min(LONGEST), settings.fill.unwrap_or(0))
}

/// Reads a program.
///
/// # Errors
/// Where the file is longer than the memory it is loaded into.
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    if file.len() > LONGEST {
        let problem = format!("the program goes on past the {LONGEST} bytes from 100h to FFFFh");
        let help = "this is not a COM program".to_string();
        return Err(vec![ReadError { place: Place::Byte(LONGEST), problem, help }]);
    }
    let mut image = raw::read(file, ORIGIN)?;
    image.set_entry((!image.is_empty()).then_some(ORIGIN));
    Ok(image)
}
