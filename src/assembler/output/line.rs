//! What each line of source did.

use crate::assembler::value::symbols::SymbolId;
use crate::diagnostic::Span;

/// What stands in a source line, for the listing and for source-level watching.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum LineKind {
    /// Cells: how many, and the table row plus one for an instruction.
    Cells {
        /// How many.
        count: u32,
        /// The instruction's row plus one; 0 for data.
        row: u16,
    },
    /// So many cells that fill up to a place.
    Padding(u32),
    /// Reserved cells.
    Reserved(u32),
    /// A symbol's value.
    Value(SymbolId),
    /// A variable's new value, by its number in [`Assembly::settings`](crate::assembler::Assembly::settings).
    Setting(u32),
    /// The mode from here on, by the maker's name.
    Mode(&'static str),
    /// A location: a label alone, `org`.
    Location,
    /// Another text is read here.
    Include(u32),
    /// A macro or a repetition was written out here, as this text.
    Expansion(u32),
    /// Cells that the line stands for, of an instruction it does not show: how many, and the row plus one.
    Generated {
        /// How many.
        count: u32,
        /// The instruction's row plus one.
        row: u16,
    },
}

impl LineKind {
    /// The cells the line made and the table row plus one, 0 for data.
    pub fn cells(self) -> Option<(u32, u16)> {
        match self {
            LineKind::Cells { count, row } | LineKind::Generated { count, row } if count > 0 => {
                Some((count, row))
            }
            LineKind::Padding(count) if count > 0 => Some((count, 0)),
            _ => None,
        }
    }
}

/// A line of source that did something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Line {
    /// The text.
    pub source: u32,
    /// Where the line starts in it.
    pub start: u32,
    /// The location before the line.
    pub address: u32,
    /// The address that its segment begins at; 0 where there are no segments.
    pub base: u32,
    /// What it did.
    pub kind: LineKind,
}

impl Line {
    /// The beginning of the line in its text.
    pub fn span(&self) -> Span {
        Span { source: self.source, start: self.start, end: self.start }
    }
}
