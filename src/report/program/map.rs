//! A map of memory, to scale: what is code, data, text and fill, and where nothing is.

use super::reach::Reach;
use crate::image::{Cell, Image};
use crate::number::Habit;
use crate::text::{Text, Tone};
use serde::Serialize;

/// What a cell holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Content {
    /// One of many equal cells.
    Fill,
    /// Anything else.
    Data,
    /// Part of an instruction that execution reaches.
    Code,
}

/// So many equal cells in a row are fill.
const LEAST_FILL: usize = 16;
/// Columns of a row, and the most rows that are drawn.
const COLUMNS: u64 = 64;
const MOST_ROWS: u64 = 16;

impl Content {
    const fn mark(self) -> char {
        match self {
            Content::Code => '█',
            Content::Data => '▒',
            Content::Fill => '·',
        }
    }
}

/// What each cell of a segment holds.
pub(super) fn contents(first: u32, cells: &[Cell], reach: Option<&Reach<'_>>) -> Vec<Content> {
    let mut contents: Vec<Content> = (0..cells.len() as u32)
        .map(|at| match reach {
            Some(reach) if reach.is_code(first + at) => Content::Code,
            _ => Content::Data,
        })
        .collect();
    let mut at = 0;
    while at < cells.len() {
        let run = cells[at..].iter().take_while(|&&cell| cell == cells[at]).count();
        if run >= LEAST_FILL {
            // Instructions that fall through fill are fill all the same.
            contents[at..at + run].fill(Content::Fill);
        }
        at += run;
    }
    contents
}

/// Draws the map; a mark stands for `scale` cells, and shows what most matters among them.
pub(super) fn map(image: &Image, contents: &[Vec<Content>], habit: Habit, address_bits: u8) -> Text {
    let mut text = Text::new();
    let mut scale = 1;
    let rows = |scale: u64| {
        let mut rows: Vec<u64> = Vec::new();
        for segment in image.segments() {
            let row = scale * COLUMNS;
            rows.extend(u64::from(segment.start) / row..=(segment.end() - 1) / row);
        }
        rows.dedup();
        rows
    };
    // Segments far apart would make the list of rows long before it is shortened.
    while image.segments().iter().map(|one| one.cells.len() as u64 / (scale * COLUMNS) + 1).sum::<u64>()
        > MOST_ROWS.max(image.segments().len() as u64 + 4)
    {
        scale *= 2;
    }
    let mut before = None;
    for row in rows(scale) {
        if before.is_some_and(|before| row > before + 1) {
            text.line().tone(Tone::Faint, "  …");
        }
        before = Some(row);
        let start = row * scale * COLUMNS;
        text.line().tone(Tone::Faint, format!("  {} ", habit.plain(start, address_bits)));
        let marks: Vec<Option<Content>> =
            (0..COLUMNS).map(|column| most(image, contents, start + column * scale, scale)).collect();
        for run in marks.chunk_by(|left, right| left == right) {
            let mark = run[0].map_or(' ', Content::mark);
            let tone = match run[0] {
                Some(Content::Code) => Tone::Live,
                Some(Content::Data) => Tone::Plain,
                _ => Tone::Faint,
            };
            text.tone(tone, mark.to_string().repeat(run.len()));
        }
    }
    let cells = if scale == 1 { "a cell".to_string() } else { format!("{scale} cells") };
    text.line().tone(Tone::Faint, format!("  a mark is {cells}: "));
    text.tone(Tone::Live, "█")
        .put(" instructions  ")
        .put("▒ data  ")
        .tone(Tone::Faint, "·")
        .put(" fill  (blank) nothing");
    text
}

/// What matters most in a stretch.
fn most(image: &Image, contents: &[Vec<Content>], from: u64, count: u64) -> Option<Content> {
    let segments = image.segments();
    let after = segments.partition_point(|segment| u64::from(segment.start) < from + count);
    let before = segments[..after].partition_point(|segment| segment.end() <= from);
    (before..after)
        .flat_map(|at| {
            let start = u64::from(segments[at].start);
            let first = from.saturating_sub(start) as usize;
            let end = ((from + count - start) as usize).min(contents[at].len());
            contents[at][first.min(end)..end].iter().copied().max()
        })
        .max()
}
