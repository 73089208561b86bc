//! `raw`: the bytes from the first address to the last, gaps filled with 0FFh as an erased ROM has it.

use super::{Format, Image, ReadError, Segment, Settings, WriteError, Written};

/// The format.
pub const FORMAT: Format = Format {
    name: "raw",
    about: "the bare bytes from the first address to the last",
    tape: false,
    endings: &["bin", "rom", "raw"],
    settings: &["first", "length", "fill"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, settings| read(file, settings.first.unwrap_or(0)),
};

/// What stands in the gaps between segments.
pub const FILL: u8 = 0xFF;

const LONGEST: u64 = 1 << 24;

/// Writes the image. `first` is the address of the file's first byte, `length` its exact length; both may go beyond
/// the image and not into it.
///
/// # Errors
/// [`WriteError`] for an empty image, cells wider than a byte, cells outside `first` and `length`, or gaps that would
/// make the file longer than 16 MiB.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (own_first, last) = image.byte_bounds()?;
    let first = settings.first.unwrap_or(own_first);
    let length =
        settings.length.map_or_else(|| (u64::from(last) + 1).saturating_sub(first.into()), u64::from);
    if length > LONGEST {
        return Err(WriteError::TooLong { first, last, length });
    }
    bytes(image, first, length as usize, settings.fill.unwrap_or(FILL))
}

/// The bytes from an address on, gaps filled.
pub(super) fn bytes(image: &Image, first: u32, length: usize, fill: u8) -> Result<Vec<u8>, WriteError> {
    let end = u64::from(first) + length as u64;
    let mut file = vec![fill; length];
    for segment in image.segments() {
        if segment.start < first || segment.end() > end {
            let last = (segment.end() - 1) as u32;
            return Err(WriteError::Outside { start: segment.start, last, first, length: length as u64 });
        }
        let at = (segment.start - first) as usize;
        for (byte, cell) in file[at..].iter_mut().zip(&segment.cells) {
            *byte = *cell as u8;
        }
    }
    Ok(file)
}

/// Reads bytes as an image that starts at `at`.
///
/// # Errors
/// Where it reaches past the last address.
pub fn read(file: &[u8], at: u32) -> Result<Image, Vec<ReadError>> {
    let cells = file.iter().map(|&byte| byte.into()).collect();
    super::format::join(8, vec![Segment { start: at, cells }]).map(|(image, _)| image)
}
