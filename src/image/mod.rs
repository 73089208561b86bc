//! Programs as files: one [`Image`] type, one file of code per format.
//!
//! To add a format: a file beside [`hex`] and a line in [`Kind`].

pub mod hex;
pub mod raw;

use serde::Serialize;

/// A memory cell's value: 8, 12 or 36 bits, as the image says.
pub type Cell = u64;

/// Cells that stand one behind the other.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Segment {
    /// Address of the first cell.
    pub start: u32,
    /// The cells.
    pub cells: Vec<Cell>,
}

impl Segment {
    /// Address behind the last cell.
    pub fn end(&self) -> u64 {
        u64::from(self.start) + self.cells.len() as u64
    }
}

/// A program as it stands in memory: sparse segments, in order of address, none touching or overlapping another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Image {
    /// Bits in a cell.
    pub cell_bits: u8,
    /// Where running starts, if the program says so.
    pub entry: Option<u32>,
    segments: Vec<Segment>,
}

/// Two pieces of a program claim the same cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the cells from {first:X}h to {last:X}h are given twice")]
pub struct Overlap {
    /// First cell given twice.
    pub first: u32,
    /// Last one.
    pub last: u32,
    /// Which of the pieces, in the order given, comes later.
    pub piece: usize,
    /// Which piece it collides with.
    pub earlier: usize,
}

impl Image {
    /// An empty image.
    pub fn new(cell_bits: u8) -> Self {
        Self { cell_bits, entry: None, segments: Vec::new() }
    }

    /// An image of one segment.
    pub fn from_cells(cell_bits: u8, start: u32, cells: Vec<Cell>) -> Self {
        let segments = if cells.is_empty() { vec![] } else { vec![Segment { start, cells }] };
        Self { cell_bits, entry: None, segments }
    }

    /// Sorts the pieces and joins those that touch. Overlapping pieces are all reported; the later piece's cells win
    /// in the image that comes back with them.
    pub fn from_pieces(cell_bits: u8, pieces: Vec<Segment>) -> (Self, Vec<Overlap>) {
        let mut order: Vec<(usize, Segment)> =
            pieces.into_iter().enumerate().filter(|(_, piece)| !piece.cells.is_empty()).collect();
        order.sort_by_key(|(number, piece)| (piece.start, *number));
        let mut overlaps = Vec::new();
        let mut segments: Vec<Segment> = Vec::new();
        let mut reaching = (0, 0);
        for (number, piece) in order {
            let end = piece.end();
            match segments.last_mut() {
                Some(last) if last.end() >= u64::from(piece.start) => {
                    if last.end() > u64::from(piece.start) {
                        let (_, other) = reaching;
                        overlaps.push(Overlap {
                            first: piece.start,
                            last: (last.end().min(end) - 1) as u32,
                            piece: number.max(other),
                            earlier: number.min(other),
                        });
                    }
                    let at = (piece.start - last.start) as usize;
                    let common = piece.cells.len().min(last.cells.len() - at);
                    last.cells[at..at + common].copy_from_slice(&piece.cells[..common]);
                    last.cells.extend_from_slice(&piece.cells[common..]);
                }
                _ => segments.push(piece),
            }
            if end >= reaching.0 {
                reaching = (end, number);
            }
        }
        overlaps.sort_by_key(|overlap| overlap.piece);
        (Self { cell_bits, entry: None, segments }, overlaps)
    }

    /// The segments in order of address.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    /// How many cells there are.
    pub fn cells(&self) -> usize {
        self.segments.iter().map(|segment| segment.cells.len()).sum()
    }

    /// True where there are no cells.
    pub fn is_empty(&self) -> bool {
        self.segments.is_empty()
    }

    /// First and last address, where there are any cells.
    pub fn bounds(&self) -> Option<(u32, u32)> {
        Some((self.segments.first()?.start, (self.segments.last()?.end() - 1) as u32))
    }

    /// The cell at an address.
    pub fn cell(&self, address: u32) -> Option<Cell> {
        let after = self.segments.partition_point(|segment| segment.start <= address);
        let segment = self.segments[..after].last()?;
        segment.cells.get((address - segment.start) as usize).copied()
    }

    /// The cells from an address on, at most `count`; fewer where the segment ends, none where there is none.
    pub fn cells_at(&self, address: u32, count: usize) -> &[Cell] {
        let after = self.segments.partition_point(|segment| segment.start <= address);
        let Some(segment) = self.segments[..after].last() else { return &[] };
        let rest = segment.cells.get((address - segment.start) as usize..).unwrap_or_default();
        &rest[..rest.len().min(count)]
    }

    /// Where running starts: the entry, else the first address.
    pub fn start(&self) -> Option<u32> {
        self.entry.or_else(|| self.bounds().map(|(first, _)| first))
    }
}

/// The formats there are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// The bare cells.
    Raw,
    /// Intel HEX.
    Hex,
}

impl Kind {
    /// Every format with the name it has in `--output` and the endings its files have.
    pub const ALL: &[(Kind, &'static str, &'static [&'static str])] =
        &[(Kind::Raw, "raw", &["bin", "rom", "raw"]), (Kind::Hex, "hex", &["hex", "ihx"])];

    /// A format by its name.
    pub fn named(name: &str) -> Option<Kind> {
        Self::ALL.iter().find(|(_, known, _)| known.eq_ignore_ascii_case(name)).map(|row| row.0)
    }

    /// The format that a file's ending tells.
    pub fn of_ending(ending: &str) -> Option<Kind> {
        let ending = ending.to_ascii_lowercase();
        Self::ALL.iter().find(|(_, _, endings)| endings.contains(&ending.as_str())).map(|row| row.0)
    }

    /// Writes an image.
    ///
    /// # Errors
    /// [`WriteError`] where the format cannot hold the image.
    pub fn write(self, image: &Image) -> Result<Vec<u8>, WriteError> {
        match self {
            Kind::Raw => raw::write(image),
            Kind::Hex => hex::write(image),
        }
    }

    /// Reads an image of 8-bit cells. A format without addresses is placed at `at`.
    ///
    /// # Errors
    /// Every place that is wrong; nothing is read in part.
    pub fn read(self, file: &[u8], at: u32) -> Result<Image, Vec<ReadError>> {
        match self {
            Kind::Raw => Ok(raw::read(file, at)),
            Kind::Hex => hex::read(file),
        }
    }
}

/// One thing wrong in a file.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error, Serialize)]
#[error("line {line}: {problem}; {help}")]
pub struct ReadError {
    /// The line, from 1.
    pub line: usize,
    /// What is wrong there.
    pub problem: String,
    /// What to do about it.
    pub help: String,
}

/// An image that a format cannot hold.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
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
    /// The format is made of bytes.
    #[error("the format holds cells of 8 bits, and the program has cells of {0}")]
    CellBits(u8),
}
