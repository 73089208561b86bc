//! `block-tape`: paper tape of 36-bit words in blocks, each with its sum (Digital Equipment Corporation, *PDP-10 System Reference
//! Manual*, "Readin mode").
//!
//! A frame that counts has channel 8 punched and six bits of a word; six of them are a word, the leftmost first. Frames without
//! channel 8 are blank tape and passed over.
//!
//! ```text
//! block   -count,,first - 1     count words     the sum of all of them and of the first word, cut to 36 bits
//! end     an instruction: a jump to where the program begins
//! ```

use super::{Cell, Format, Image, Place, ReadError, Segment, Settings, WriteError, Written};

/// The format.
pub const BLOCKS: Format = Format {
    name: "block-tape",
    about: "paper tape of 36-bit words in blocks with sums",
    tape: true,
    endings: &["btape"],
    settings: &[],
    write: |image, _| write(image).map(Written::only),
    read: |file, _: &Settings| read(file),
};

const HOLE_8: u8 = 0o200;
/// Blank frames in front, after and between blocks.
const BLANK: usize = 60;
const GAP: usize = 6;
/// The most words of a block.
const LONGEST: usize = 0o40;
const WORD: u64 = 0o777777_777777;
const HALF: u64 = 0o777777;
/// JRST, and HALT where there is no beginning.
const JRST: u64 = 0o254 << 27;
const HALT: u64 = JRST | 0o4 << 23;

fn put(tape: &mut Vec<u8>, word: Cell) {
    tape.extend((0..6).rev().map(|at| HOLE_8 | (word >> (6 * at)) as u8 & 0o77));
}

fn write(image: &Image) -> Result<Vec<u8>, WriteError> {
    match image.cell_bits() {
        _ if image.cells() == 0 => return Err(WriteError::Empty),
        36 => {}
        program => return Err(WriteError::WordBits { format: 36, program }),
    }
    let mut tape = vec![0; BLANK];
    for segment in image.segments() {
        for (number, words) in segment.cells.chunks(LONGEST).enumerate() {
            let first = u64::from(segment.start) + (number * LONGEST) as u64;
            let count = (words.len() as u64).wrapping_neg() & HALF;
            let head = count << 18 | first.wrapping_sub(1) & HALF;
            let sum = words.iter().fold(head, |sum, word| (sum + word) & WORD);
            [head].iter().chain(words).chain([&sum]).for_each(|&word| put(&mut tape, word));
            tape.extend([0; GAP]);
        }
    }
    put(&mut tape, image.start().map_or(HALT, |start| JRST | u64::from(start)));
    tape.extend([0; BLANK]);
    Ok(tape)
}

type Wrong = Vec<ReadError>;

fn wrong(frame: usize, problem: impl Into<String>, help: &str) -> Wrong {
    vec![ReadError { place: Place::Frame(frame), problem: problem.into(), help: help.to_string() }]
}

const TORN: &str = "the tape is torn off, or it is of another kind";

/// The next word and the frame it began at. `None` where only blank tape is left.
fn word(tape: &[u8], at: &mut usize) -> Result<Option<(Cell, usize)>, Wrong> {
    let counts = |frame: &u8| frame & HOLE_8 != 0;
    let Some(blank) = tape[*at..].iter().position(counts) else { return Ok(None) };
    let begin = *at + blank;
    let (mut value, mut parts) = (0, 0);
    for (place, frame) in tape.iter().enumerate().skip(begin).filter(|(_, frame)| counts(frame)) {
        if frame & 0o100 != 0 {
            return Err(wrong(place, format!("the frame {frame:03o} has channel 7 punched"), TORN));
        }
        (value, parts, *at) = (value << 6 | Cell::from(frame & 0o77), parts + 1, place + 1);
        if parts == 6 {
            return Ok(Some((value, begin)));
        }
    }
    Err(wrong(tape.len(), format!("the tape ends after {parts} of the six frames of a word"), TORN))
}

fn read(tape: &[u8]) -> Result<Image, Wrong> {
    let (mut at, mut pieces) = (0, Vec::new());
    let mut want = |what: &str| {
        let end = tape.len();
        word(tape, &mut at)?
            .ok_or_else(|| wrong(end, format!("the tape ends where {what} would stand"), TORN))
    };
    loop {
        let (head, begin) = want("a block, or the jump at the end,")?;
        if head >> 35 == 0 {
            let (mut image, overlaps) = Image::joined(36, pieces);
            if !overlaps.is_empty() {
                return Err(wrong(
                    begin,
                    "two blocks go to the same cells",
                    "the tapes of two programs may be mixed",
                ));
            }
            if head & !HALF == JRST {
                image.set_entry(Some((head & HALF) as u32));
            } else if head != HALT {
                let problem = format!("the word {head:012o} stands where a jump to the program would");
                return Err(wrong(begin, problem, TORN));
            }
            return Ok(image);
        }
        let count = (head >> 18).wrapping_neg() & HALF;
        let first = ((head & HALF) + 1) & HALF;
        let (mut cells, mut sum) = (Vec::new(), head);
        for _ in 0..count {
            let (cell, _) = want("a word of a block")?;
            cells.push(cell);
            sum = (sum + cell) & WORD;
        }
        let (told, place) = want("the sum of a block")?;
        if told != sum {
            let problem =
                format!("the sum on the tape is {told:012o}, and the block's words come to {sum:012o}");
            return Err(wrong(place, problem, "a frame was read or punched wrongly; read the tape again"));
        }
        if first + count > HALF + 1 {
            return Err(wrong(begin, format!("a block of {count:o} words at {first:06o} has no room"), TORN));
        }
        pieces.push(Segment { start: first as u32, cells });
    }
}
