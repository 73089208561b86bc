//! What every format is to the rest: a name, settings, a writer and a reader.

use super::{
    Image, Segment, boot, cassette, com, data_lines, exe, hex, prefixed, raw, roms, srec, tape12, tape36,
};
use crate::diagnostic::nearest;
use serde::Serialize;

/// A format: ours are in [`FORMATS`], and one of your own is a value of this type (`examples/format.rs`).
pub struct Format {
    /// Its name in `--output` and `image`.
    pub name: &'static str,
    /// What it is, in a few words.
    pub about: &'static str,
    /// True where the file is a paper tape, a byte for each frame.
    pub tape: bool,
    /// The endings its files have; the first is given to new ones.
    pub endings: &'static [&'static str],
    /// The settings it heeds.
    pub settings: &'static [&'static str],
    /// Writes an image.
    pub write: fn(&Image, &Settings) -> Result<Vec<Written>, WriteError>,
    /// Reads an image.
    pub read: fn(&[u8], &Settings) -> Result<Image, Vec<ReadError>>,
}

/// Every format there is.
pub static FORMATS: &[&Format] = &[
    &raw::FORMAT,
    &hex::FORMAT,
    &srec::FORMAT,
    &com::FORMAT,
    &exe::FORMAT,
    &boot::FORMAT,
    &prefixed::FORMAT,
    &data_lines::FORMAT,
    &roms::FORMAT,
    &tape12::BINARY,
    &tape12::READ_IN,
    &tape36::BLOCKS,
    &cassette::FORMAT,
];

impl std::fmt::Debug for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name)
    }
}

impl PartialEq for Format {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl Format {
    /// A format by its name.
    pub fn named(name: &str) -> Option<&'static Format> {
        FORMATS.iter().copied().find(|one| one.name.eq_ignore_ascii_case(name))
    }

    /// The format that a file's ending tells.
    pub fn of_ending(ending: &str) -> Option<&'static Format> {
        let ending = ending.to_ascii_lowercase();
        FORMATS.iter().copied().find(|one| one.endings.contains(&ending.as_str()))
    }

    /// Writes an image; nearly every format makes one file.
    ///
    /// # Errors
    /// [`WriteError`] where the format cannot hold the image.
    pub fn write(&self, image: &Image, settings: &Settings) -> Result<Vec<Written>, WriteError> {
        (self.write)(image, settings)
    }

    /// Reads an image. A format without addresses is placed at `settings.first`.
    ///
    /// # Errors
    /// Every place that is wrong; nothing is read in part.
    pub fn read(&self, file: &[u8], settings: &Settings) -> Result<Image, Vec<ReadError>> {
        (self.read)(file, settings)
    }
}

/// One file of a written image.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// What is added to the file's name, before its ending.
    pub suffix: String,
    /// The file.
    pub bytes: Vec<u8>,
}

impl Written {
    /// The only file of an image.
    pub fn only(bytes: Vec<u8>) -> Vec<Self> {
        vec![Self { suffix: String::new(), bytes }]
    }
}

/// Joins what a file has; one whose cells reach past the last address cannot be read.
pub(super) fn join(
    cell_bits: u8,
    pieces: Vec<Segment>,
) -> Result<(Image, Vec<super::Overlap>), Vec<ReadError>> {
    Image::from_pieces(cell_bits, pieces).map_err(|error| {
        let help = "place it lower, or get the file again".to_string();
        vec![ReadError { place: Place::Byte(0), problem: error.to_string(), help }]
    })
}

/// What may be decided about a file; a format has a default for what is not. Every value is within its range.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Settings {
    /// Address of the first byte.
    pub(crate) first: Option<u32>,
    /// Exact length in bytes.
    pub(crate) length: Option<u32>,
    /// What stands where the image has nothing.
    pub(crate) fill: Option<u8>,
    /// Data bytes in a record.
    pub(crate) record: Option<u32>,
    /// Number of the first line.
    pub(crate) line: Option<u32>,
    /// Distance of line numbers.
    pub(crate) step: Option<u32>,
    /// The most characters of a line.
    pub(crate) width: Option<u32>,
    /// Bytes in a chip.
    pub(crate) size: Option<u32>,
    /// Chips side by side.
    pub(crate) lanes: Option<u32>,
    /// What the program is called, for a format that says so.
    pub(crate) name: Option<String>,
    /// Settings that one format alone has.
    pub(crate) others: Vec<(&'static str, u32)>,
}

/// Every setting: its name, its least and greatest value, what it is.
pub const SETTINGS: &[(&str, i64, i64, &str)] = &[
    ("first", 0, 0xFFFF_FFFF, "address of the first byte"),
    ("length", 1, 1 << 24, "exact length in bytes"),
    ("fill", 0, 0xFF, "what stands where the program has nothing"),
    ("record", 1, 255, "data bytes in a record"),
    ("line", 0, 30_000, "number of the first line"),
    ("step", 1, 1000, "distance of line numbers"),
    ("width", 20, 250, "the most characters of a line"),
    ("size", 1, 1 << 24, "bytes in a chip"),
    ("lanes", 1, 8, "chips side by side"),
    ("baud", 300, 1200, "bits a second on a cassette, 300 or 1200"),
    ("rate", 8_000, 192_000, "samples a second"),
    ("bits", 8, 16, "bits of a sample, 8 or 16"),
    ("level", 1, 100, "the highest level in hundredths"),
    ("leader", 0, 600, "the tone before a program, in tenths of a second"),
    ("gap", 0, 100, "the tone between blocks, in tenths of a second"),
    ("square", 0, 1, "1: the wave is a square, as a pin makes it"),
    ("bare", 0, 1, "1: bytes alone, without blocks"),
    ("program", 1, 999, "which program of a tape, from 1"),
];

/// Why a setting cannot be made.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{problem}")]
pub struct SettingError {
    /// What is wrong.
    pub problem: String,
    /// What to do.
    pub help: String,
}

impl Settings {
    /// The address of the first byte, for a format without addresses.
    #[must_use]
    pub fn first(self, address: u32) -> Self {
        Self { first: Some(address), ..self }
    }

    /// What was set, by its name in [`SETTINGS`].
    pub fn get(&self, name: &str) -> Option<u32> {
        match name {
            "fill" => self.fill.map(u32::from),
            "first" => self.first,
            "length" => self.length,
            "record" => self.record,
            "line" => self.line,
            "step" => self.step,
            "width" => self.width,
            "size" => self.size,
            "lanes" => self.lanes,
            other => self.others.iter().find(|row| row.0 == other).map(|row| row.1),
        }
    }

    /// Makes a setting for a format.
    ///
    /// # Errors
    /// Where the format has no such setting, or the value is out of range.
    pub fn set(&mut self, format: &Format, name: &str, value: i64) -> Result<(), SettingError> {
        let known = format.settings.iter().find(|known| known.eq_ignore_ascii_case(name));
        let Some((name, least, greatest, about)) =
            known.and_then(|known| SETTINGS.iter().find(|row| row.0 == *known))
        else {
            let help = match nearest(name, format.settings.iter().copied()) {
                Some(near) => format!("did you mean `{near}`?"),
                None if format.settings.is_empty() => "leave it out".to_string(),
                None => format!("it has {}", format.settings.join(", ")),
            };
            let problem = format!("`{}` has no setting `{name}`", format.name);
            return Err(SettingError { problem, help });
        };
        if !(*least..=*greatest).contains(&value) {
            let problem = format!("{value} is not a value for `{name}`, {about}");
            return Err(SettingError { problem, help: format!("give {least} to {greatest}") });
        }
        self.put(name, value);
        Ok(())
    }

    /// What the program is called.
    #[must_use]
    pub fn named(self, name: impl Into<String>) -> Self {
        Self { name: Some(name.into()), ..self }
    }

    /// What the program is called, where that was said.
    pub fn name(&self) -> Option<&str> {
        self.name.as_deref()
    }

    /// A value that was looked at, in its place.
    fn put(&mut self, name: &'static str, value: i64) {
        let place = match name {
            "fill" => return self.fill = Some(value as u8),
            "first" => &mut self.first,
            "length" => &mut self.length,
            "record" => &mut self.record,
            "line" => &mut self.line,
            "step" => &mut self.step,
            "width" => &mut self.width,
            "size" => &mut self.size,
            "lanes" => &mut self.lanes,
            other => {
                self.others.retain(|row| row.0 != other);
                return self.others.push((other, value as u32));
            }
        };
        *place = Some(value as u32);
    }
}

/// A place in a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Place {
    /// A line, from 1.
    Line(usize),
    /// A byte, from 0.
    Byte(usize),
    /// A frame of a paper tape, from 0.
    Frame(usize),
    /// A time of a recording, in thousandths of a second.
    Time(u64),
}

impl std::fmt::Display for Place {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Place::Line(line) => write!(f, "line {line}"),
            Place::Byte(byte) => write!(f, "byte {byte}"),
            Place::Frame(frame) => write!(f, "frame {frame}"),
            Place::Time(millis) => {
                let (minutes, millis) = (millis / 60_000, millis % 60_000);
                write!(f, "{minutes}:{:02}.{:03}", millis / 1000, millis % 1000)
            }
        }
    }
}

/// One thing wrong in a file.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error, Serialize)]
#[error("{place}: {problem}; {help}")]
pub struct ReadError {
    /// Where.
    pub place: Place,
    /// What is wrong there.
    pub problem: String,
    /// What to do about it.
    pub help: String,
}

/// An image that a format cannot hold.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum WriteError {
    /// There is nothing to write.
    #[error("the program has no cells, so there is nothing to write")]
    Empty,
    /// Gaps of more than a raw file may sensibly have.
    #[error(
        "a raw file from {first:X}h to {last:X}h would be {length} bytes; write `hex`, which keeps gaps short"
    )]
    TooLong {
        /// First address.
        first: u32,
        /// Last address.
        last: u32,
        /// Bytes that would be written.
        length: u64,
    },
    /// A format from outside says why not.
    #[error("{0}")]
    Refused(String),
    /// The format is made of bytes.
    #[error("the format holds cells of 8 bits, and the program has cells of {0}")]
    CellBits(u8),
    /// The format is made of words.
    #[error("the format holds words of {format} bits, and the program has cells of {program}")]
    WordBits {
        /// The format's.
        format: u8,
        /// The program's.
        program: u8,
    },
    /// Words that the loader cannot reach.
    #[error("the loader knows no memory fields, and the program reaches {last:05o}; write `ptape`")]
    Field {
        /// The last address.
        last: u32,
    },
    /// Cells that the file does not reach.
    #[error(
        "the file holds {length} bytes from {first:X}h on, and the program has cells at {start:X}h to {last:X}h"
    )]
    Outside {
        /// First cell of the stretch that does not fit.
        start: u32,
        /// Its last cell.
        last: u32,
        /// Address of the file's first byte.
        first: u32,
        /// Bytes in the file.
        length: u64,
    },
    /// The format has a fixed start.
    #[error(
        "a {format} program starts at {wanted:X}h, and this one starts at {start:X}h; write `org {wanted:X}h`"
    )]
    Start {
        /// The format.
        format: &'static str,
        /// Where the program starts.
        start: u32,
        /// Where it would have to.
        wanted: u32,
    },
    /// More than the machine's memory.
    #[error("the program takes {cells} bytes, and a {format} program has {most} at most")]
    TooLarge {
        /// The format.
        format: &'static str,
        /// Bytes of the program.
        cells: usize,
        /// Bytes there are.
        most: usize,
    },
    /// No room for the signature.
    #[error("the program is {length} bytes long, and a boot sector has room for {room} before its signature")]
    NoRoom {
        /// Bytes of the program.
        length: usize,
        /// Bytes there are.
        room: usize,
    },
    /// BASIC runs out of line numbers.
    #[error(
        "the last line would be {last}, and BASIC counts to {most}; give a smaller `step` or a larger `width`"
    )]
    TooManyLines {
        /// Number of the last line.
        last: u32,
        /// The largest number.
        most: u32,
    },
    /// More chips than anybody has.
    #[error("the set would have {chips} chips, and {most} are the most; give a larger `size`")]
    TooManyChips {
        /// Chips needed.
        chips: usize,
        /// Chips allowed.
        most: usize,
    },
}
