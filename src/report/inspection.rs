//! The facts of an image: where its cells are, how many, what they begin and end with, their sum.

use super::{Text, Tone};
use crate::image::{Cell, Image};
use crate::number::{Habit, thousands};
use crate::processor::InstructionSet;
use serde::Serialize;

/// Cells shown at each end of a segment.
const SHOWN: usize = 8;

/// The facts of one segment.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SegmentFacts {
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// Number of cells.
    pub cells: usize,
    /// The first cells, eight at most.
    pub begin: Vec<Cell>,
    /// The last cells, eight at most.
    pub end: Vec<Cell>,
    /// The sum of all cells, cut to sixteen bits.
    pub sum: u16,
    /// The value of every cell, where they are all the same.
    pub all: Option<Cell>,
}

/// The facts of an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Inspection {
    /// Bits in a cell.
    pub cell_bits: u8,
    /// Where running starts: as the image says, else its first cell.
    pub start: Option<u32>,
    /// True where the image says so itself.
    pub has_entry: bool,
    /// Cells in all.
    pub cells: usize,
    /// Its segments.
    pub segments: Vec<SegmentFacts>,
}

/// Looks an image over.
pub fn inspect(image: &Image) -> Inspection {
    let facts = |segment: &crate::image::Segment| {
        let cells = &segment.cells;
        SegmentFacts {
            first: segment.start,
            last: (segment.end() - 1) as u32,
            cells: cells.len(),
            begin: cells[..cells.len().min(SHOWN)].to_vec(),
            end: cells[cells.len().saturating_sub(SHOWN)..].to_vec(),
            sum: cells.iter().fold(0u16, |sum, &cell| sum.wrapping_add(cell as u16)),
            all: cells.first().copied().filter(|first| cells.iter().all(|cell| cell == first)),
        }
    };
    Inspection {
        cell_bits: image.cell_bits,
        start: image.start(),
        has_entry: image.entry.is_some(),
        cells: image.cells(),
        segments: image.segments().iter().map(facts).collect(),
    }
}

impl Inspection {
    /// The facts as text; addresses as the set's people write them, in hex where no set is known.
    pub fn text(&self, set: Option<&InstructionSet>) -> Text {
        let habit = set.map_or(Habit::IntelHex, |set| set.habit);
        let bits = set.map_or(16, |set| set.address_bits);
        let address = |address: u32| habit.plain(address.into(), bits);
        let cells = |cells: &[Cell]| {
            cells.iter().map(|&cell| habit.plain(cell, self.cell_bits)).collect::<Vec<_>>().join(" ")
        };
        let mut text = Text::new();
        let total = thousands(self.cells as u64);
        text.line().tone(Tone::Faint, "size    ").put(format!(
            "{total} cells of {} bits in {} segment{}",
            self.cell_bits,
            self.segments.len(),
            if self.segments.len() == 1 { "" } else { "s" }
        ));
        if let Some(start) = self.start {
            let why =
                if self.has_entry { "as the image says" } else { "the first cell; the image names no other" };
            text.line()
                .tone(Tone::Faint, "start   ")
                .tone(Tone::Strong, address(start))
                .put(format!("  {why}"));
        }
        for segment in &self.segments {
            let (first, last) = (address(segment.first), address(segment.last));
            let count = thousands(segment.cells as u64);
            text.line().tone(Tone::Faint, "segment ").tone(Tone::Strong, format!("{first}..{last}"));
            text.put(format!("  {count} cells, sum {:04X}h", segment.sum));
            if let Some(all) = segment.all.filter(|_| segment.cells > 1) {
                text.tone(Tone::Wrong, format!("  every cell is {}", habit.plain(all, self.cell_bits)));
            }
            text.line().tone(Tone::Faint, "  first ").put(cells(&segment.begin));
            text.line().tone(Tone::Faint, "  last  ").put(cells(&segment.end));
        }
        text
    }
}
