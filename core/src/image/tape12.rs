//! `ptape` and `read-in`: paper tapes of 12-bit words, for the binary loader and for the read-in mode loader (Digital Equipment
//! Corporation, *PDP-8/E & PDP-8/M Small Computer Handbook*, "Paper tape formats").
//!
//! A frame has eight channels; a word is two frames of six bits, the upper half first. Both tapes begin and end with frames in
//! which channel 8 alone is punched.
//!
//! ```text
//! 1 0 0 0 0 0 0 0   leader and trailer
//! 0 1 a a a a a a   upper half of an address; the lower half follows as 0 0 a a a a a a
//! 0 0 d d d d d d   upper and lower half of a word
//! 1 1 f f f 0 0 0   binary: the memory field from here on
//! ```
//!
//! On a binary tape words follow each other, and the last one is the sum of all frames but those of fields, cut to twelve bits. On a
//! read-in tape each word has its address in front, and there is no sum.

use super::{Cell, Format, Image, Place, ReadError, Segment, Settings, WriteError, Written};

/// The format with fields and a sum.
pub(crate) const BINARY: Format = Format {
    name: "ptape",
    about: "paper tape of 12-bit words for the binary loader, with fields and a sum",
    tape: true,
    endings: &["ptape"],
    settings: &[],
    write: |image, _| write_binary(image).map(Written::only),
    read: |file, _: &Settings| read_binary(file),
};

/// The format of the loader that is short enough to be keyed in.
pub(crate) const READ_IN: Format = Format {
    name: "read-in",
    about: "paper tape of 12-bit words for the read-in mode loader, each with its address",
    tape: true,
    endings: &["readin"],
    settings: &[],
    write: |image, _| write_read_in(image).map(Written::only),
    read: |file, _: &Settings| read_read_in(file),
};

const LEADER: u8 = 0o200;
const ADDRESS: u8 = 0o100;
const FIELD: u8 = 0o300;
/// All channels: what was punched wrongly and is passed over, up to the next one.
const RUBOUT: u8 = 0o377;
/// Frames of leader and of trailer: a hand's breadth and a half.
const BLANK: usize = 60;

fn check(image: &Image) -> Result<(), WriteError> {
    match image.cell_bits() {
        _ if image.cells() == 0 => Err(WriteError::Empty),
        12 => Ok(()),
        program => Err(WriteError::WordBits { format: 12, program }),
    }
}

fn halves(word: Cell, mark: u8) -> [u8; 2] {
    [mark | (word >> 6 & 0o77) as u8, (word & 0o77) as u8]
}

fn write_binary(image: &Image) -> Result<Vec<u8>, WriteError> {
    check(image)?;
    let mut tape = vec![LEADER; BLANK];
    let mut sum = 0u64;
    let mut put = |tape: &mut Vec<u8>, frames: [u8; 2]| {
        sum += frames.iter().map(|&frame| u64::from(frame)).sum::<u64>();
        tape.extend(frames);
    };
    let mut field = None;
    for segment in image.segments() {
        for (at, &cell) in (segment.start..).zip(&segment.cells) {
            let begins = at == segment.start || at & 0o7777 == 0;
            if begins && field != Some(at >> 12) {
                field = Some(at >> 12);
                tape.push(FIELD | (at >> 12 << 3) as u8);
            }
            if begins {
                put(&mut tape, halves(Cell::from(at & 0o7777), ADDRESS));
            }
            put(&mut tape, halves(cell, 0));
        }
    }
    tape.extend(halves(sum & 0o7777, 0));
    tape.extend([LEADER; BLANK]);
    Ok(tape)
}

fn write_read_in(image: &Image) -> Result<Vec<u8>, WriteError> {
    check(image)?;
    let mut tape = vec![LEADER; BLANK];
    for segment in image.segments() {
        let last = segment.start + segment.cells.len() as u32 - 1;
        if last > 0o7777 {
            return Err(WriteError::Field { last });
        }
        for (at, &cell) in (segment.start..).zip(&segment.cells) {
            tape.extend(halves(at.into(), ADDRESS));
            tape.extend(halves(cell, 0));
        }
    }
    tape.extend([LEADER; BLANK]);
    Ok(tape)
}

/// Frames that count, with their numbers on the tape.
struct Frames<'t> {
    tape: &'t [u8],
    at: usize,
}

type Wrong = Vec<ReadError>;

fn wrong(frame: usize, problem: impl Into<String>, help: &str) -> Wrong {
    vec![ReadError { place: Place::Frame(frame), problem: problem.into(), help: help.to_string() }]
}

const TORN: &str = "the tape is torn off, or it is of another kind";

impl<'t> Frames<'t> {
    /// The frames after the leader.
    fn new(tape: &'t [u8]) -> Result<Self, Wrong> {
        let begin = tape.iter().position(|&frame| frame == LEADER);
        let begin = begin.ok_or_else(|| {
            wrong(
                0,
                "there is no leader: no frame with channel 8 alone",
                "this may be no tape of 12-bit words",
            )
        })?;
        let leader = tape[begin..].iter().take_while(|&&frame| frame == LEADER).count();
        Ok(Self { tape, at: begin + leader })
    }

    /// The next frame; what stands between two rubouts is passed over.
    fn next(&mut self) -> Option<(usize, u8)> {
        let mut skips = false;
        loop {
            let frame = *self.tape.get(self.at)?;
            self.at += 1;
            match (frame, skips) {
                (RUBOUT, _) => skips = !skips,
                (_, true) => {}
                _ => return Some((self.at - 1, frame)),
            }
        }
    }

    fn want(&mut self, what: &str) -> Result<(usize, u8), Wrong> {
        let end = self.tape.len();
        self.next().ok_or_else(|| wrong(end, format!("the tape ends where {what} would stand"), TORN))
    }

    /// The lower half of a word whose upper half is there.
    fn word(&mut self, upper: u8) -> Result<Cell, Wrong> {
        let (at, lower) = self.want("the second half of a word")?;
        if lower > 0o77 {
            let problem = format!("the frame {lower:03o} stands where the second half of a word would");
            return Err(wrong(at, problem, TORN));
        }
        Ok(Cell::from(upper & 0o77) << 6 | Cell::from(lower))
    }
}

fn finished(pieces: Vec<Segment>) -> Image {
    Image::joined(12, pieces).0
}

fn put(pieces: &mut Vec<Segment>, at: u32, cell: Cell) {
    match pieces.last_mut() {
        Some(last) if last.end() == u64::from(at) => last.cells.push(cell),
        _ => pieces.push(Segment { start: at, cells: vec![cell] }),
    }
}

fn read_binary(tape: &[u8]) -> Result<Image, Wrong> {
    let mut frames = Frames::new(tape)?;
    let mut pieces = Vec::new();
    let (mut field, mut address, mut sum) = (0, None, 0u64);
    // A word counts once another follows: the last one is the sum.
    let mut last: Option<(Cell, u64, usize)> = None;
    loop {
        let (at, frame) = frames.want("the trailer")?;
        if frame == LEADER {
            break;
        }
        if let Some((word, frames, _)) = last.take_if(|_| frame & FIELD != FIELD) {
            let Some(next) = &mut address else {
                return Err(wrong(at, "a word without an address before it", TORN));
            };
            put(&mut pieces, field | *next, word);
            *next = (*next + 1) & 0o7777;
            sum += frames;
        }
        match frame {
            FIELD.. => {
                if let Some((word, frames, _)) = last.take() {
                    put(&mut pieces, field | address.unwrap_or(0), word);
                    address = address.map(|next| (next + 1) & 0o7777);
                    sum += frames;
                }
                if frame & 7 != 0 {
                    return Err(wrong(at, format!("the frame {frame:03o} is not a memory field"), TORN));
                }
                field = u32::from(frame >> 3 & 7) << 12;
            }
            LEADER.. => return Err(wrong(at, format!("the frame {frame:03o} has channel 8 punched"), TORN)),
            ADDRESS.. => {
                let word = frames.word(frame)?;
                sum += u64::from(frame) + (word & 0o77);
                address = Some(word as u32);
            }
            _ => {
                let word = frames.word(frame)?;
                last = Some((word, u64::from(frame) + (word & 0o77), at));
            }
        }
    }
    let Some((told, _, at)) = last else {
        return Err(wrong(
            frames.at,
            "the tape ends without a sum",
            "a binary tape has it before its trailer",
        ));
    };
    let sum = sum & 0o7777;
    if told != sum {
        let problem = format!("the sum on the tape is {told:04o}, and its frames come to {sum:04o}");
        return Err(wrong(at, problem, "a frame was read or punched wrongly; read the tape again"));
    }
    Ok(finished(pieces))
}

fn read_read_in(tape: &[u8]) -> Result<Image, Wrong> {
    let mut frames = Frames::new(tape)?;
    let mut pieces = Vec::new();
    loop {
        let (at, frame) = frames.want("the trailer")?;
        if frame == LEADER {
            return Ok(finished(pieces));
        }
        if frame & 0o300 != ADDRESS {
            let problem = format!("the frame {frame:03o} stands where an address would");
            return Err(wrong(at, problem, "this may be a binary tape: `ptape`"));
        }
        let address = frames.word(frame)? as u32;
        let (at, upper) = frames.want("a word")?;
        if upper > 0o77 {
            return Err(wrong(at, format!("the frame {upper:03o} stands where a word would"), TORN));
        }
        put(&mut pieces, address, frames.word(upper)?);
    }
}
