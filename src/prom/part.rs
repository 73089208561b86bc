//! The parts that a programmer knows.

use serde::Deserialize;
use std::sync::LazyLock;

/// The table of parts, as it travels with the library.
pub const PARTS_TABLE: &str = include_str!("parts.toml");

/// How a part is written and erased.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Bits go from 1 to 0; ultraviolet light makes all of them 1 again.
    Uv,
    /// Any byte can be written; bytes of a page go together.
    Eeprom,
    /// Bits go from 1 to 0; a sector is made 1 as a whole.
    Flash,
    /// A sector is erased and written in one go.
    PageFlash,
}

/// A part.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Part {
    /// Its number.
    pub name: String,
    /// How it is written and erased.
    pub kind: Kind,
    /// How many bytes it has.
    pub bytes: u32,
    /// Bytes of a page or a sector; 0 for parts that have none.
    #[serde(default)]
    pub page: u32,
    /// The data sheet, and what it says about writing.
    pub sheet: String,
    /// What it answers when it is asked who it is: maker and device. Older parts do not answer.
    pub signature: Option<[u8; 2]>,
    /// It can be locked against writing.
    #[serde(default)]
    pub lock: bool,
    /// How often it may be erased, or a byte of it be written.
    pub erasures: u32,
}

#[derive(Deserialize)]
struct Table {
    part: Vec<Part>,
}

static PARTS: LazyLock<Vec<Part>> = LazyLock::new(|| {
    let table: Result<Table, _> = toml::from_str(PARTS_TABLE);
    // The table is the library's own, and a test reads it.
    table.map(|table| table.part).unwrap_or_default()
});

/// Every part.
pub fn parts() -> &'static [Part] {
    &PARTS
}

/// A part by its number, in any case.
pub fn part(name: &str) -> Option<&'static Part> {
    parts().iter().find(|one| one.name.eq_ignore_ascii_case(name))
}
