//! `exe`: a program in segments, with a header that says where it starts, where its stack is, and which words hold the number of a segment.
//!
//! ```text
//! 0 "MZ"   2 bytes of the last page of 512   4 pages   6 relocations   8 paragraphs of the header   10 least, 12 most paragraphs after it
//! 14 SS    16 SP    18 sum    20 IP    22 CS    24 where the relocations are    26 overlay
//! ```

use super::{Cell, Format, Image, Place, ReadError, Segment, Settings, Start, WriteError, Written};

/// The format.
pub const FORMAT: Format = Format {
    name: "exe",
    about: "a program in segments: header, relocations, stack",
    tape: false,
    endings: &["exe"],
    settings: &["fill"],
    write: |image, settings| write(image, settings).map(Written::only),
    read: |file, _| read(file),
};

const SIGNATURES: [&[u8]; 2] = [b"MZ", b"ZM"];
const HEADER: usize = 28;
const PAGE: usize = 512;
const PARAGRAPH: usize = 16;

/// What a program takes after itself where there is so much: all there is.
const MOST: u16 = 0xFFFF;

/// A stack for a program that has none of its own.
const OWN_STACK: u32 = 0x200;

/// Where the segments of the memory of such a machine end.
const MEMORY: u32 = 0x10_0000;

/// A program as its file has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Exe {
    /// The bytes that are loaded.
    pub image: Vec<u8>,
    /// Words that hold the number of a segment: segment and offset of each.
    pub relocations: Vec<(u16, u16)>,
    /// Paragraphs that it needs after its bytes.
    pub least: u16,
    /// Paragraphs that it takes after its bytes, where there are so many.
    pub most: u16,
    /// Segment and offset where it starts.
    pub code: (u16, u16),
    /// Segment and pointer of its stack.
    pub stack: (u16, u16),
    /// The sum in its header.
    pub sum: u16,
    /// Bytes of its header.
    pub header: usize,
}

/// What is wrong with a file: where, and what.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{problem}")]
pub struct ExeError {
    /// The byte of the file.
    pub at: usize,
    /// What is wrong.
    pub problem: String,
}

fn address((segment, offset): (u16, u16)) -> usize {
    usize::from(segment) * PARAGRAPH + usize::from(offset)
}

impl Exe {
    /// True where a file begins as such a program does.
    pub fn is_exe(file: &[u8]) -> bool {
        file.get(..2).is_some_and(|sign| SIGNATURES.contains(&sign))
    }

    /// Reads a file.
    ///
    /// # Errors
    /// [`ExeError`] where the header says what cannot be.
    pub fn read(file: &[u8]) -> Result<Self, ExeError> {
        let wrong = |at: usize, problem: String| Err(ExeError { at, problem });
        if !Self::is_exe(file) {
            return wrong(0, "the file does not begin with the letters MZ".to_string());
        }
        if file.len() < HEADER {
            return wrong(file.len(), format!("the header has {} of its {HEADER} bytes", file.len()));
        }
        let word = |at: usize| u16::from_le_bytes([file[at], file[at + 1]]);
        let (last, pages) = (usize::from(word(2)), usize::from(word(4)));
        if last >= PAGE || pages == 0 {
            return wrong(
                2,
                format!("{last} bytes on the last of {pages} pages of {PAGE} make no sense as a size"),
            );
        }
        let size = if last == 0 { pages * PAGE } else { (pages - 1) * PAGE + last };
        if size > file.len() {
            return wrong(
                2,
                format!("the header gives a size of {size} bytes, and the file has {}", file.len()),
            );
        }
        let header = usize::from(word(8)) * PARAGRAPH;
        if header < HEADER || header > size {
            return wrong(8, format!("a header of {header} bytes in a program of {size}"));
        }
        let image = file[header..size].to_vec();
        let (count, table) = (usize::from(word(6)), usize::from(word(24)));
        if count > 0 && (table < HEADER || table + 4 * count > header) {
            return wrong(24, format!("{count} relocations at byte {table} do not lie in the header"));
        }
        let mut relocations = Vec::with_capacity(count);
        for at in (table..).step_by(4).take(count) {
            let one = (word(at + 2), word(at));
            if address(one) + 2 > image.len() {
                let problem =
                    format!("the relocation at {:04X}:{:04X} lies outside the program", one.0, one.1);
                return wrong(at, problem);
            }
            relocations.push(one);
        }
        let (code, stack) = ((word(22), word(20)), (word(14), word(16)));
        if address(code) >= image.len() {
            return wrong(20, format!("the start {:04X}:{:04X} lies outside the program", code.0, code.1));
        }
        let (least, most) = (word(10), word(12));
        Ok(Self { image, relocations, least, most, code, stack, sum: word(18), header })
    }

    /// The bytes as they stand in memory from a segment on.
    pub fn relocated(&self, base: u16) -> Vec<u8> {
        let mut bytes = self.image.clone();
        for &one in &self.relocations {
            let at = address(one);
            if let Some(word) = bytes.get_mut(at..at + 2) {
                let moved = u16::from_le_bytes([word[0], word[1]]).wrapping_add(base);
                word.copy_from_slice(&moved.to_le_bytes());
            }
        }
        bytes
    }

    /// The file.
    pub fn file(&self) -> Vec<u8> {
        let header = (HEADER + 4 * self.relocations.len()).next_multiple_of(PAGE);
        let size = header + self.image.len();
        let mut file = b"MZ".to_vec();
        let words = [
            (size % PAGE) as u16,
            size.div_ceil(PAGE) as u16,
            self.relocations.len() as u16,
            (header / PARAGRAPH) as u16,
            self.least,
            self.most,
            self.stack.0,
            self.stack.1,
            0,
            self.code.1,
            self.code.0,
            HEADER as u16,
            0,
        ];
        words.iter().for_each(|word| file.extend(word.to_le_bytes()));
        for (segment, offset) in &self.relocations {
            file.extend(offset.to_le_bytes());
            file.extend(segment.to_le_bytes());
        }
        file.resize(header, 0);
        file.extend(&self.image);
        // All words of the file together are to be FFFFh.
        let pairs =
            file.chunks(2).map(|pair| u16::from(pair[0]) | u16::from(*pair.get(1).unwrap_or(&0)) << 8);
        let sum = !pairs.fold(0u16, u16::wrapping_add);
        file[18..20].copy_from_slice(&sum.to_le_bytes());
        file
    }
}

fn pair(start: Start) -> (u16, u16) {
    ((start.base / PARAGRAPH as u32) as u16, start.offset as u16)
}

/// The address where the first segment of a program begins, be it of cells or of the stack.
pub fn first_segment(image: &Image) -> u32 {
    let cells = image.bounds().map_or(0, |(first, _)| first & !(PARAGRAPH as u32 - 1));
    image.stack().map_or(cells, |stack| stack.base.min(cells))
}

/// Writes a program; its first segment is segment 0 of the file.
///
/// # Errors
/// [`WriteError`] where it is larger than such a machine's memory, or has no cells.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (_, last) = image.byte_bounds()?;
    let base = first_segment(image);
    let end = image.extent().max(last + 1);
    if end - base > MEMORY {
        return Err(WriteError::TooLarge {
            format: "exe",
            cells: (end - base) as usize,
            most: MEMORY as usize,
        });
    }
    let image = image.clone().moved(base.wrapping_neg(), 4);
    let last = last - base;
    let bytes: Vec<u8> =
        (0..=last).map(|at| image.cell(at).map_or(settings.fill.unwrap_or(0), |cell| cell as u8)).collect();
    let end = end - base;
    let stack = image.stack().unwrap_or_else(|| {
        // One after everything.
        let base = end.next_multiple_of(PARAGRAPH as u32);
        Start { base, offset: OWN_STACK }
    });
    let end = end.max(stack.address());
    let behind = (end as usize).saturating_sub(bytes.len()).div_ceil(PARAGRAPH);
    let start = image.entry_place().unwrap_or(Start::at(0));
    let exe = Exe {
        image: bytes,
        relocations: image.relocations().iter().map(|&at| ((at >> 4) as u16, (at & 15) as u16)).collect(),
        least: u16::try_from(behind).unwrap_or(u16::MAX),
        most: MOST,
        code: pair(start),
        stack: pair(stack),
        sum: 0,
        header: 0,
    };
    Ok(exe.file())
}

/// Reads a program, its first segment at address 0.
///
/// # Errors
/// As [`Exe::read`].
pub fn read(file: &[u8]) -> Result<Image, Vec<ReadError>> {
    let exe = Exe::read(file).map_err(|error| {
        let help = "this is not an EXE program, or it was cut off".to_string();
        vec![ReadError { place: Place::Byte(error.at), problem: error.problem, help }]
    })?;
    let extent = exe.image.len() as u32 + u32::from(exe.least) * PARAGRAPH as u32;
    let cells = exe.image.iter().copied().map(Cell::from).collect();
    let mut image = super::format::join(8, vec![Segment { start: 0, cells }])?.0;
    let place = |(segment, offset): (u16, u16)| Start {
        base: u32::from(segment) * PARAGRAPH as u32,
        offset: offset.into(),
    };
    image.set_entry_place(Some(place(exe.code)));
    image.set_stack(Some(place(exe.stack)));
    image.set_relocations(exe.relocations.iter().map(|&one| address(one) as u32).collect());
    image.set_extent(extent);
    Ok(image)
}
