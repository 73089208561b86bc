//! Paper tape reader and punch with their control: two devices (Digital Equipment Corporation, *PDP-8/E & PDP-8/M Small Computer
//! Handbook*, "PC8-E paper tape reader and punch").
//!
//! ```text
//! reader  0 allow interrupts   1 skip if flag   2 or the frame, clear flag   4 clear flag, fetch a frame
//! punch   0 forbid interrupts  1 skip if flag   2 clear flag                 4 punch the low eight bits
//! ```
//!
//! Functions that are sums do both. The reader takes 300 frames a second, the punch 50. At the end of a tape the reader waits.

use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Roll, Tape, facet};

/// Reader and punch.
#[derive(Debug, Clone)]
pub struct PaperTape {
    roll: Roll,
    /// The frame that was read, and its flag.
    frame: (u8, bool),
    /// The cycle at whose end the next frame is read.
    reading: Option<u64>,
    ready: bool,
    /// What is punched, and the cycle at whose end it is done.
    punching: Option<(u8, u64)>,
    interrupts: bool,
    request: Request,
}

impl PaperTape {
    /// Reader and punch at a processor clock in Hz; no tape is in the reader.
    pub fn new(clock: u64) -> Self {
        Self {
            roll: Roll::new(clock),
            frame: (0, false),
            reading: None,
            ready: false,
            punching: None,
            interrupts: true,
            request: Request::default(),
        }
    }

    fn asks(&self) -> bool {
        self.interrupts && (self.frame.1 || self.ready)
    }

    fn reader(&mut self, function: u32, mut value: Cell, now: u64) -> (Cell, bool) {
        let skips = function & 1 != 0 && self.frame.1;
        if function == 0 {
            self.interrupts = true;
        }
        if function & 2 != 0 {
            value |= Cell::from(self.frame.0);
            self.frame.1 = false;
        }
        if function & 4 != 0 {
            self.frame.1 = false;
            self.reading = (self.roll.left() > 0).then_some(now + self.roll.reads_in);
        }
        (value, skips)
    }

    fn punch(&mut self, function: u32, value: Cell, now: u64) -> (Cell, bool) {
        let skips = function & 1 != 0 && self.ready;
        if function == 0 {
            self.interrupts = false;
        }
        if function & 2 != 0 {
            self.ready = false;
        }
        if function & 4 != 0 {
            self.punching = Some((value as u8, now + self.roll.punches_in));
        }
        (value, skips)
    }
}

impl Chip for PaperTape {
    fn read(&mut self, _offset: u32, _now: u64) -> Option<Cell> {
        None
    }

    fn write(&mut self, _offset: u32, _value: Cell, _now: u64) -> bool {
        false
    }

    fn transfer(&mut self, offset: u32, function: u32, value: Cell, now: u64) -> (Cell, bool) {
        self.advance(now);
        let done = match offset {
            0 => self.reader(function, value, now),
            _ => self.punch(function, value, now),
        };
        self.request.follow(self.asks(), now + 1);
        done
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let punches = matches!(access, ChipAccess::Transfer(1, function) if function & 4 != 0);
        (punches && self.punching.is_some()).then_some(Misuse::StillPunching)
    }

    fn advance(&mut self, now: u64) {
        if let Some(at) = self.reading.filter(|&at| at <= now) {
            self.reading = None;
            if let Some(frame) = self.roll.read() {
                self.frame = (frame, true);
            }
            self.request.follow(self.asks(), at);
        }
        if let Some((value, at)) = self.punching.filter(|&(_, at)| at <= now) {
            self.punching = None;
            self.roll.punch(value);
            self.ready = true;
            self.request.follow(self.asks(), at);
        }
    }

    fn next(&self) -> Option<u64> {
        self.reading.into_iter().chain(self.punching.map(|(_, at)| at)).min()
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    /// Flags are cleared and interrupts allowed; the tape stays where it is.
    fn reset(&mut self, now: u64) {
        (self.frame.1, self.ready, self.interrupts) = (false, false, true);
        self.request.follow(false, now);
    }

    fn restart(&mut self, now: u64) {
        self.reading = self.reading.map(|at| at.saturating_sub(now));
        self.punching = self.punching.map(|(value, at)| (value, at.saturating_sub(now)));
        self.roll.clear();
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Tape, tape, tape_mut);
}

impl Tape for PaperTape {
    fn mount(&mut self, tape: &[u8]) {
        self.roll.mount(tape);
        self.reading = None;
    }

    fn roll(&self) -> &Roll {
        &self.roll
    }
}
