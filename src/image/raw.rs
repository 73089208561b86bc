//! `raw`: the bytes from the first address to the last, gaps filled with 0FFh as an erased ROM has it.

use super::{Image, WriteError};

/// What stands in the gaps between segments.
pub const FILL: u8 = 0xFF;

const LONGEST: u64 = 1 << 24;

/// Writes the image.
///
/// # Errors
/// [`WriteError`] for an empty image, cells wider than a byte, or gaps that would make the file longer than 16 MiB.
pub fn write(image: &Image) -> Result<Vec<u8>, WriteError> {
    if image.cell_bits != 8 {
        return Err(WriteError::CellBits(image.cell_bits));
    }
    let (first, last) = image.bounds().ok_or(WriteError::Empty)?;
    let length = u64::from(last) - u64::from(first) + 1;
    if length > LONGEST {
        return Err(WriteError::TooLong { first, last, length });
    }
    let mut file = vec![FILL; length as usize];
    for segment in image.segments() {
        let at = (segment.start - first) as usize;
        for (byte, cell) in file[at..].iter_mut().zip(&segment.cells) {
            *byte = *cell as u8;
        }
    }
    Ok(file)
}

/// Reads bytes as an image that starts at `at`.
pub fn read(file: &[u8], at: u32) -> Image {
    Image::from_cells(8, at, file.iter().map(|&byte| byte.into()).collect())
}
