//! Paper tape reader and punch on two ports of a byte machine; a control of our own.
//!
//! ```text
//! 0  read: the frame; fetches the next one     write: punches a frame
//! 1  read: 01 a frame is there, 02 the punch is ready, 80 the tape has more     write: 01 fetches a frame
//! ```
//!
//! The reader takes 300 frames a second, the punch 50. At the end of a tape the reader waits.

use crate::image::Cell;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Roll, Tape, facet};

const THERE: Cell = 0x01;
const READY: Cell = 0x02;
const MORE: Cell = 0x80;

/// Reader and punch.
#[derive(Debug, Clone)]
pub struct ByteTape {
    roll: Roll,
    frame: Option<u8>,
    /// The cycle at whose end the next frame is read.
    reading: Option<u64>,
    /// What is punched, and the cycle at whose end it is done.
    punching: Option<(u8, u64)>,
}

impl ByteTape {
    /// Reader and punch at a processor clock in Hz; no tape is in the reader.
    pub fn new(clock: u64) -> Self {
        Self { roll: Roll::new(clock), frame: None, reading: None, punching: None }
    }

    fn fetch(&mut self, now: u64) {
        self.frame = None;
        self.reading = (self.roll.left() > 0).then_some(now + self.roll.reads_in);
    }
}

impl Chip for ByteTape {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        if offset == 0 {
            let frame = self.frame.unwrap_or(0);
            self.fetch(now);
            return Some(frame.into());
        }
        let bits =
            [(self.frame.is_some(), THERE), (self.punching.is_none(), READY), (self.roll.left() > 0, MORE)];
        Some(bits.iter().filter(|bit| bit.0).map(|bit| bit.1).sum())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        match offset {
            // A frame that is still being punched is spoilt.
            0 => self.punching = Some((value as u8, now + self.roll.punches_in)),
            _ if value & THERE != 0 => self.fetch(now),
            _ => {}
        }
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let punches = matches!(access, ChipAccess::Write(0, _));
        (punches && self.punching.is_some()).then_some(Misuse::StillPunching)
    }

    fn advance(&mut self, now: u64) {
        if self.reading.is_some_and(|at| at <= now) {
            self.reading = None;
            self.frame = self.roll.read();
        }
        if let Some((frame, _)) = self.punching.filter(|&(_, at)| at <= now) {
            self.punching = None;
            self.roll.punch(frame);
        }
    }

    fn next(&self) -> Option<u64> {
        self.reading.into_iter().chain(self.punching.map(|(_, at)| at)).min()
    }

    fn reset(&mut self, _now: u64) {
        (self.frame, self.reading) = (None, None);
    }

    fn restart(&mut self, now: u64) {
        self.reading = self.reading.map(|at| at.saturating_sub(now));
        self.punching = self.punching.map(|(frame, at)| (frame, at.saturating_sub(now)));
        self.roll.clear();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Tape, tape, tape_mut);
}

impl Tape for ByteTape {
    fn mount(&mut self, tape: &[u8]) {
        self.roll.mount(tape);
        (self.frame, self.reading) = (None, None);
    }

    fn roll(&self) -> &Roll {
        &self.roll
    }
}
