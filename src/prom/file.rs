//! Chips in files: TOML, so that a person can read what a chip holds and what was done to it.

use super::chip::{Chip, Deed, ERASED};
use super::part::part;
use crate::image::{Image, Place, ReadError};
use serde::{Deserialize, Serialize};
use std::fmt::Write;

/// The version of the form.
const VERSION: i64 = 1;
/// Bytes in a row of cells.
const ROW: usize = 32;

/// Why a file is not a chip.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ChipError {
    /// The file is none of ours, or was cut.
    #[error("this is not a chip, or not all of it: {0}")]
    Unreadable(String),
    /// A later version wrote it.
    #[error("the chip is of version {0}, and this program knows version 1")]
    Version(i64),
    /// Nobody knows the part.
    #[error("the chip is a part `{0}`, which is not known here")]
    Part(String),
    /// Its cells are not those of the part.
    #[error("{0}")]
    Cells(String),
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    chip: i64,
    part: String,
    #[serde(default)]
    label: String,
    erased: u32,
    programmed: u32,
    #[serde(default)]
    locked: bool,
    /// Rows of cells that are not erased: their place, and 32 bytes.
    cells: Vec<String>,
    sum: u32,
    #[serde(default)]
    done: Vec<Done>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Done {
    when: String,
    what: String,
}

impl Chip {
    /// The file of a chip.
    pub fn to_file(&self) -> String {
        let rows =
            self.cells.chunks(ROW).enumerate().filter(|(_, row)| row.iter().any(|&cell| cell != ERASED));
        let rows = rows.map(|(number, row)| {
            let mut text = format!("{:05X}:", number * ROW);
            row.iter().for_each(|cell| _ = write!(text, " {cell:02X}"));
            text
        });
        let file = File {
            chip: VERSION,
            part: self.part.name.clone(),
            label: self.label.clone(),
            erased: self.erased,
            programmed: self.programmed,
            locked: self.locked,
            cells: rows.collect(),
            sum: crate::image::sums(&self.cells).crc32,
            done: self
                .deeds
                .iter()
                .map(|one| Done { when: one.when.clone(), what: one.what.clone() })
                .collect(),
        };
        // Nothing in it is what TOML has no form for.
        toml::to_string(&file).unwrap_or_default()
    }

    /// Reads the file of a chip.
    ///
    /// # Errors
    /// [`ChipError`] where it is none, or not whole.
    pub fn from_file(text: &str) -> Result<Self, ChipError> {
        #[derive(Deserialize)]
        struct Version {
            chip: i64,
        }
        let unreadable = |error: toml::de::Error| ChipError::Unreadable(error.message().to_string());
        let Version { chip: version } = toml::from_str(text).map_err(unreadable)?;
        if version != VERSION {
            return Err(ChipError::Version(version));
        }
        let file: File = toml::from_str(text).map_err(unreadable)?;
        let part = part(&file.part).ok_or_else(|| ChipError::Part(file.part.clone()))?;
        let mut chip = Self::new(part);
        for row in &file.cells {
            let wrong = || ChipError::Cells(format!("`{row}` is not a row of cells of a {}", part.name));
            let (place, bytes) = row.split_once(": ").ok_or_else(wrong)?;
            let place = usize::from_str_radix(place, 16).map_err(|_| wrong())?;
            let bytes: Option<Vec<u8>> =
                bytes.split(' ').map(|byte| u8::from_str_radix(byte, 16).ok()).collect();
            let bytes = bytes.filter(|bytes| bytes.len() <= ROW).ok_or_else(wrong)?;
            let cells = place.checked_add(bytes.len()).and_then(|end| chip.cells.get_mut(place..end));
            cells.ok_or_else(wrong)?.copy_from_slice(&bytes);
        }
        if crate::image::sums(&chip.cells).crc32 != file.sum {
            return Err(ChipError::Cells(
                "the sum of its cells is not what the file says: it was changed or cut".to_string(),
            ));
        }
        (chip.erased, chip.programmed, chip.locked, chip.label) =
            (file.erased, file.programmed, file.locked, file.label);
        chip.deeds = file.done.into_iter().map(|one| Deed { when: one.when, what: one.what }).collect();
        Ok(chip)
    }
}

/// What a chip holds, as an image that begins at an address.
///
/// # Errors
/// The file is not a chip, or its cells reach past the last address.
pub fn image_of(file: &[u8], first: u32) -> Result<Image, Vec<ReadError>> {
    let wrong = |problem: String, help: &str| {
        vec![ReadError { place: Place::Byte(0), problem, help: help.to_string() }]
    };
    let text = String::from_utf8_lossy(file);
    let chip =
        Chip::from_file(&text).map_err(|error| wrong(error.to_string(), "a damaged chip is thrown away"))?;
    let cells = chip.cells.iter().map(|&byte| byte.into()).collect();
    Image::from_cells(8, first, cells)
        .map_err(|error| wrong(error.to_string(), "let it begin at a lower address"))
}
