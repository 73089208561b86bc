//! `roms`: an image as the chips that hold it: pieces of one size, filled, and on a 16-bit bus even and odd halves.

use super::{Format, Image, Place, ReadError, Segment, Settings, WriteError, Written, raw};

/// The format.
pub const FORMAT: Format = Format {
    name: "roms",
    about: "a set of ROM chips: a file a chip of `size` bytes, `lanes` chips side by side",
    tape: false,
    endings: &[],
    settings: &["size", "lanes", "first", "fill"],
    write,
    read: |_, _| {
        let problem = "a ROM set is read from several files".to_string();
        let help = "name all of them: `plainbyte convert EVEN ODD --lanes 2 --output …`".to_string();
        Err(vec![ReadError { place: Place::Byte(0), problem, help }])
    },
};

/// Bytes in a chip, where the settings say nothing else: 8K.
pub const SIZE: u32 = 0x2000;

/// The most files that are written.
const MOST_CHIPS: usize = 256;

/// What a lane is called in a file's name.
fn lane_name(lane: usize, lanes: usize) -> String {
    match (lane, lanes) {
        (_, 1) => String::new(),
        (0, 2) => "-even".to_string(),
        (1, 2) => "-odd".to_string(),
        _ => format!("-lane{lane}"),
    }
}

/// Writes a file a chip. The first chip begins at `first`, or at the image's first address.
///
/// # Errors
/// [`WriteError`] for an empty image, cells wider than a byte or outside `first`, or more than 256 chips.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<Written>, WriteError> {
    let (own_first, last) = image.byte_bounds()?;
    let first = settings.first.unwrap_or(own_first);
    let size = settings.size.unwrap_or(SIZE).max(1) as usize;
    let lanes = settings.lanes.unwrap_or(1).max(1) as usize;
    let row = size * lanes;
    let rows = (u64::from(last) + 1).saturating_sub(first.into()).div_ceil(row as u64) as usize;
    if rows * lanes > MOST_CHIPS {
        return Err(WriteError::TooManyChips { chips: rows * lanes, most: MOST_CHIPS });
    }
    let bytes = raw::bytes(image, first, rows * row, settings.fill.unwrap_or(raw::FILL))?;
    let mut files = Vec::new();
    for (number, part) in bytes.chunks(row).enumerate() {
        for lane in 0..lanes {
            let bytes = part.iter().copied().skip(lane).step_by(lanes).collect();
            let number = if rows > 1 { format!("-{number}") } else { String::new() };
            files.push(Written { suffix: format!("{number}{}", lane_name(lane, lanes)), bytes });
        }
    }
    Ok(files)
}

/// Puts the contents of chips together again: `lanes` of them side by side, one such row after the other, from
/// `first` on.
///
/// # Errors
/// Where chips are missing, or chips of a row are of different size.
pub fn join(chips: &[Vec<u8>], lanes: usize, first: u32) -> Result<Image, Vec<ReadError>> {
    let wrong = |problem: String, help: &str| {
        Err(vec![ReadError { place: Place::Byte(0), problem, help: help.to_string() }])
    };
    let lanes = lanes.max(1);
    if chips.is_empty() || !chips.len().is_multiple_of(lanes) {
        let problem = format!("{} files are no whole number of rows of {lanes}", chips.len());
        return wrong(problem, "name the chips of a row one after the other, the lowest lane first");
    }
    let mut cells = Vec::new();
    for row in chips.chunks(lanes) {
        let length = row[0].len();
        if let Some(other) = row.iter().find(|chip| chip.len() != length) {
            let problem = format!("chips side by side have {length} and {} bytes", other.len());
            return wrong(problem, "they must be of one size; one of the files may be cut off");
        }
        for at in 0..length {
            cells.extend(row.iter().map(|chip| u64::from(chip[at])));
        }
    }
    super::format::join(8, vec![Segment { start: first, cells }]).map(|(image, _)| image)
}
