//! Programs as files: one [`Image`] type, one file of code per format.
//!
//! To add a format: a file beside [`hex`] and a line in [`FORMATS`].

pub mod boot;
pub mod cassette;
pub mod com;
pub mod data_lines;
mod digits;
pub mod exe;
mod format;
pub mod hex;
pub mod prefixed;
pub mod raw;
mod records;
pub mod roms;
pub mod srec;
mod sums;
mod tape12;
mod tape36;

pub use format::{FORMATS, Format, Place, ReadError, SETTINGS, SettingError, Settings, WriteError, Written};
pub use sums::{Sums, sums};

use crate::processor::InstructionSet;
use serde::Serialize;

/// A memory cell's value: 8, 12 or 36 bits, as the image says.
pub type Cell = u64;

/// Cells that stand one after the other.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Segment {
    /// Address of the first cell.
    pub start: u32,
    /// The cells.
    pub cells: Vec<Cell>,
}

impl Segment {
    /// Address after the last cell.
    pub fn end(&self) -> u64 {
        u64::from(self.start) + self.cells.len() as u64
    }
}

/// A program as it stands in memory: sparse segments, in order of address, none touching or overlapping another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Image {
    cell_bits: u8,
    start: Option<Start>,
    segments: Vec<Segment>,
    /// The addresses of words that hold the number of a segment, which moves with the program.
    #[serde(skip)]
    relocations: Vec<u32>,
    /// Where the stack begins, for programs that say so: the segment's first cell, and the pointer.
    #[serde(skip)]
    stack: Option<Start>,
    /// Address after everything it takes, reserved cells included; 0 where that is not known.
    #[serde(skip)]
    extent: u32,
    /// Which set the instructions are of, in order of address, where there are several: modes, or processors. Known of what was
    /// assembled here, and kept by no format.
    #[serde(skip)]
    sets: Vec<SetRange>,
}

/// Instructions that stand in a row, all of them of the same set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[doc(hidden)]
pub struct SetRange {
    /// Address of the first cell.
    pub first: u32,
    /// Address after the last one.
    pub end: u32,
    /// The set.
    pub set: &'static InstructionSet,
}

/// Where a program says that running starts: so many cells after the base of a window of memory, which is 0 where addresses reach
/// all of memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub struct Start {
    /// Address of the window's first cell.
    pub base: u32,
    /// Cells from there.
    pub offset: u32,
}

impl Start {
    /// A place that is named by its address alone.
    pub const fn at(address: u32) -> Self {
        Self { base: 0, offset: address }
    }

    /// Its address.
    pub const fn address(self) -> u32 {
        self.base.wrapping_add(self.offset)
    }
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

/// Cells of which no image can be made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ImageError {
    /// A width that no cell has.
    #[error("cells of {0} bits; an image has cells of 1 to {MOST_BITS}")]
    CellBits(u8),
    /// A value wider than a cell.
    #[error("the cell at {address:X}h is to be {value:X}h, and a cell has {bits} bits")]
    Value {
        /// The cell's address.
        address: u64,
        /// The value.
        value: Cell,
        /// Bits in a cell.
        bits: u8,
    },
    /// Cells after the last address.
    #[error("{cells} cells from {start:X}h on reach past the last address, FFFFFFFFh")]
    Address {
        /// Address of the first of them.
        start: u32,
        /// How many there are.
        cells: usize,
    },
}

/// The widest cell that an image can have.
const MOST_BITS: u8 = 63;

impl Image {
    /// An empty image.
    ///
    /// # Errors
    /// [`ImageError::CellBits`].
    pub fn new(cell_bits: u8) -> Result<Self, ImageError> {
        let is_width = (1..=MOST_BITS).contains(&cell_bits);
        if is_width { Ok(Self::empty(cell_bits)) } else { Err(ImageError::CellBits(cell_bits)) }
    }

    /// The same for a width that a processor here has.
    pub(crate) fn empty(cell_bits: u8) -> Self {
        Self {
            cell_bits,
            start: None,
            segments: Vec::new(),
            relocations: Vec::new(),
            stack: None,
            extent: 0,
            sets: Vec::new(),
        }
    }

    /// An image of one segment.
    ///
    /// # Errors
    /// [`ImageError`] where a cell does not fit.
    pub fn from_cells(cell_bits: u8, start: u32, cells: Vec<Cell>) -> Result<Self, ImageError> {
        Self::from_pieces(cell_bits, vec![Segment { start, cells }]).map(|(image, _)| image)
    }

    /// Sorts the pieces and joins those that touch. Overlapping pieces are all reported; the later piece's cells win
    /// in the image that comes back with them.
    ///
    /// # Errors
    /// [`ImageError`] where a cell does not fit.
    pub fn from_pieces(cell_bits: u8, pieces: Vec<Segment>) -> Result<(Self, Vec<Overlap>), ImageError> {
        Self::new(cell_bits)?;
        for piece in &pieces {
            if piece.end() > 1 << 32 {
                return Err(ImageError::Address { start: piece.start, cells: piece.cells.len() });
            }
            if let Some(at) = piece.cells.iter().position(|&cell| cell >> cell_bits != 0) {
                let (address, value) = (u64::from(piece.start) + at as u64, piece.cells[at]);
                return Err(ImageError::Value { address, value, bits: cell_bits });
            }
        }
        Ok(Self::joined(cell_bits, pieces))
    }

    /// Tells which set the instructions are of, in any order.
    #[doc(hidden)]
    pub fn note_sets(&mut self, mut sets: Vec<SetRange>) {
        sets.sort_by_key(|range| range.first);
        self.sets = sets;
    }

    /// An image of eight-bit cells in a row from an address on.
    ///
    /// # Errors
    /// [`ImageError`] where the bytes reach past the last address.
    ///
    /// ```
    /// let image = plain_byte::image::Image::from_bytes(0x4000, b"lamp lit")?;
    /// assert_eq!(image.cell(0x4005), Some(u64::from(b'l')));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn from_bytes(start: u32, bytes: &[u8]) -> Result<Self, ImageError> {
        Self::from_cells(8, start, bytes.iter().copied().map(Cell::from).collect())
    }

    /// The same as [`from_pieces`](Self::from_pieces) for pieces that are known to fit.
    #[doc(hidden)]
    pub fn joined(cell_bits: u8, pieces: Vec<Segment>) -> (Self, Vec<Overlap>) {
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
        (Self { segments, ..Self::empty(cell_bits) }, overlaps)
    }

    /// The address where running starts, if the program says so.
    pub fn entry(&self) -> Option<u32> {
        self.start.map(Start::address)
    }

    /// The same with the window that the program names it in.
    pub fn entry_place(&self) -> Option<Start> {
        self.start
    }

    /// Says where running starts; `None`: nowhere in particular.
    pub fn set_entry(&mut self, address: Option<u32>) {
        self.start = address.map(Start::at);
    }

    /// The same in a window.
    pub fn set_entry_place(&mut self, start: Option<Start>) {
        self.start = start;
    }

    /// The addresses of words that hold the number of a segment.
    pub fn relocations(&self) -> &[u32] {
        &self.relocations
    }

    /// Says which words hold the number of a segment.
    pub fn set_relocations(&mut self, mut addresses: Vec<u32>) {
        addresses.sort_unstable();
        self.relocations = addresses;
    }

    /// Where the stack begins, where the program says so.
    pub fn stack(&self) -> Option<Start> {
        self.stack
    }

    /// Says where the stack begins.
    pub fn set_stack(&mut self, stack: Option<Start>) {
        self.stack = stack;
    }

    /// Address after everything it takes, reserved cells included; 0 where that is not known.
    pub fn extent(&self) -> u32 {
        self.extent
    }

    /// Says where everything it takes ends.
    pub fn set_extent(&mut self, end: u32) {
        self.extent = end;
    }

    /// The same program further on in memory: what holds the number of a segment is changed, what is counted in segments stays.
    #[must_use]
    pub fn moved(mut self, by: u32, segment_shift: u8) -> Self {
        let segments = by >> segment_shift;
        for at in std::mem::take(&mut self.relocations) {
            if let Some(word) = self.pointer_at(at) {
                let moved = word.wrapping_add(segments);
                self.put(at, (moved & 0xFF).into());
                self.put(at + 1, (moved >> 8 & 0xFF).into());
            }
            self.relocations.push(at.wrapping_add(by));
        }
        for segment in &mut self.segments {
            segment.start = segment.start.wrapping_add(by);
        }
        for range in &mut self.sets {
            (range.first, range.end) = (range.first.wrapping_add(by), range.end.wrapping_add(by));
        }
        if self.extent > 0 {
            self.extent = self.extent.wrapping_add(by);
        }
        for place in self.start.iter_mut().chain(&mut self.stack) {
            place.base = place.base.wrapping_add(by);
        }
        self
    }

    /// Changes a cell that is there.
    fn put(&mut self, address: u32, value: Cell) {
        let after = self.segments.partition_point(|segment| segment.start <= address);
        let segment = self.segments[..after].last_mut();
        let cell = segment.and_then(|one| one.cells.get_mut((address - one.start) as usize));
        if let Some(cell) = cell {
            *cell = value;
        }
    }

    /// Bits in a cell.
    pub fn cell_bits(&self) -> u8 {
        self.cell_bits
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

    /// The address that two cells hold, low byte first, where both are in the image.
    pub fn pointer_at(&self, address: u32) -> Option<u32> {
        let [low, high] = self.cells_at(address, 2) else { return None };
        Some((low | high << 8) as u32)
    }

    /// Where a reset leads, where the image has the pointer to that, as a ROM does, and the cell that it points to.
    pub fn reset_for(&self, set: &InstructionSet) -> Option<u32> {
        let (_, at) = set.interrupts.pointers.iter().find(|(name, _)| *name == "RESET")?;
        // One that was not written leads among the pointers themselves, as cells of an empty ROM do.
        let is_pointer =
            |address: u32| set.interrupts.pointers.iter().any(|(_, at)| (*at..=at + 1).contains(&address));
        self.pointer_at(*at).filter(|&address| self.cell(address).is_some() && !is_pointer(address))
    }

    /// Where running starts on a processor: the entry, else where a reset leads, else the first address.
    pub fn start_for(&self, set: &InstructionSet) -> Option<u32> {
        self.entry().or_else(|| self.reset_for(set)).or_else(|| self.start())
    }

    /// First and last address of an image of bytes.
    ///
    /// # Errors
    /// Where there are no cells, or they are no bytes.
    pub(crate) fn byte_bounds(&self) -> Result<(u32, u32), WriteError> {
        match self.cell_bits {
            8 => self.bounds().ok_or(WriteError::Empty),
            bits => Err(WriteError::CellBits(bits)),
        }
    }

    /// The set that the instruction at an address is known to be of.
    pub fn set_at(&self, address: u32) -> Option<&'static InstructionSet> {
        let at = self.sets.partition_point(|range| range.first <= address).checked_sub(1)?;
        let range = self.sets[at];
        (address < range.end).then_some(range.set)
    }

    /// True where the instruction at an address is known to be of the mode with the long words, false where of the other one.
    pub fn long_mode_at(&self, address: u32) -> Option<bool> {
        Some(self.set_at(address)?.modes?.long)
    }

    /// Where running starts: the entry, else the first address.
    pub fn start(&self) -> Option<u32> {
        self.entry().or_else(|| self.bounds().map(|(first, _)| first))
    }
}
