//! Paper tape punch and reader of a 36-bit machine: two devices, each with its data and its conditions (Digital Equipment
//! Corporation, *PDP-10 System Reference Manual*, "Paper tape reader", "Paper tape punch", devices PTR and PTP).
//!
//! ```text
//! punch   +0 data, +1 conditions     reader  +4 data, +5 conditions
//! conditions  40 binary   20 busy   10 done   7 channel     the reader's 400: there is tape
//! ```
//!
//! A word in binary is six frames with hole 8 punched and six bits each, the leftmost first; frames without hole 8 are passed over.
//! Otherwise a word is one frame. The reader takes 300 frames a second, the punch 50. Busy starts either; at the end of a tape the
//! reader waits.

use crate::image::Cell;
use crate::machine::chip::device36::Channel;
use crate::machine::chip::{Chip, ChipAccess, Interrupting, Misuse, Roll, Tape, facet};

const BINARY: Cell = 0o40;
const BUSY: Cell = 0o20;
const DONE: Cell = 0o10;
const FLAGS: Cell = BINARY | BUSY | DONE;
const TAPE: Cell = 0o400;

/// The hole that says that a frame is a part of a word.
const HOLE_8: u8 = 0x80;

/// One of the two devices.
#[derive(Debug, Clone, Copy, Default)]
struct Device {
    flags: Cell,
    channel: Channel,
    data: Cell,
    /// Frames that are still to come for the word.
    left: u32,
    /// The cycle at whose end the next frame is done.
    at: Option<u64>,
}

impl Device {
    fn follow(&mut self, at: u64) {
        self.channel.follow(self.flags & DONE != 0, at);
    }

    fn begin(&mut self, now: u64, frame: u64) {
        self.flags = self.flags & !DONE | BUSY;
        self.left = if self.flags & BINARY != 0 { 6 } else { 1 };
        self.at = Some(now + frame);
    }

    fn end(&mut self, at: u64) {
        self.flags = self.flags & !BUSY | DONE;
        self.at = None;
        self.follow(at);
    }

    fn set_conditions(&mut self, value: Cell) {
        self.flags = value & FLAGS;
        self.channel.choose(value);
    }
}

/// Punch and reader.
#[derive(Debug, Clone)]
pub struct Tape36 {
    punch: Device,
    reader: Device,
    roll: Roll,
}

impl Tape36 {
    /// Punch and reader at a processor clock in Hz; no tape is in the reader.
    pub fn new(clock: u64) -> Self {
        Self { punch: Device::default(), reader: Device::default(), roll: Roll::new(clock) }
    }

    /// A frame is read at the end of cycle `at`.
    fn read_frame(&mut self, at: u64) {
        let Some(frame) = self.roll.read() else {
            self.reader.at = None;
            return;
        };
        self.reader.at = Some(at + self.roll.reads_in);
        if self.reader.flags & BINARY == 0 {
            self.reader.data = frame.into();
            return self.reader.end(at);
        }
        if frame & HOLE_8 == 0 {
            return;
        }
        self.reader.data = (self.reader.data << 6 | Cell::from(frame & 0o77)) & 0o777777_777777;
        self.reader.left = self.reader.left.saturating_sub(1);
        if self.reader.left == 0 {
            self.reader.end(at);
        }
    }

    fn punch_frame(&mut self, at: u64) {
        let device = &mut self.punch;
        device.left = device.left.saturating_sub(1);
        let frame = match device.flags & BINARY {
            0 => device.data as u8,
            _ => HOLE_8 | (device.data >> (6 * device.left)) as u8 & 0o77,
        };
        device.at = Some(at + self.roll.punches_in);
        if device.left == 0 {
            device.end(at);
        }
        self.roll.punch(frame);
    }
}

impl Chip for Tape36 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let is_tape = self.roll.left() > 0;
        match offset {
            1 => Some(self.punch.flags | self.punch.channel.shown()),
            5 => {
                let tape = if is_tape { TAPE } else { 0 };
                Some(self.reader.flags | self.reader.channel.shown() | tape)
            }
            // The next frames come by themselves.
            4 => {
                let data = self.reader.data;
                self.reader.begin(now, self.roll.reads_in);
                self.reader.follow(now + 1);
                Some(data)
            }
            _ => Some(0),
        }
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        match offset {
            0 => {
                self.punch.data = value;
                self.punch.begin(now, self.roll.punches_in);
                self.punch.follow(now + 1);
            }
            1 => {
                self.punch.set_conditions(value);
                self.punch.follow(now + 1);
            }
            5 => {
                self.reader.set_conditions(value);
                if value & BUSY != 0 {
                    self.reader.begin(now, self.roll.reads_in);
                }
                self.reader.follow(now + 1);
            }
            _ => return false,
        }
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let punches = matches!(access, ChipAccess::Write(0, _));
        (punches && self.punch.left > 0).then_some(Misuse::StillPunching)
    }

    fn advance(&mut self, now: u64) {
        while let Some(at) = self.reader.at.filter(|&at| at <= now) {
            self.read_frame(at);
        }
        while let Some(at) = self.punch.at.filter(|&at| at <= now) {
            self.punch_frame(at);
        }
    }

    fn next(&self) -> Option<u64> {
        [self.reader.at, self.punch.at].into_iter().flatten().min()
    }

    fn requests(&self) -> Option<u64> {
        [self.reader, self.punch].iter().filter_map(|one| one.channel.request.0).min()
    }

    /// Conditions are cleared; the tape stays where it is.
    fn reset(&mut self, _now: u64) {
        (self.punch, self.reader) = (Device::default(), Device::default());
    }

    fn restart(&mut self, now: u64) {
        for device in [&mut self.reader, &mut self.punch] {
            device.at = device.at.map(|at| at.saturating_sub(now));
            device.channel.request.restart();
        }
        self.roll.clear();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Interrupting, interrupting, interrupting_mut);
    facet!(Tape, tape, tape_mut);
}

impl Interrupting for Tape36 {
    fn channels(&self) -> u8 {
        let asking = [self.reader, self.punch].into_iter().filter(|one| one.channel.request.0.is_some());
        asking.fold(0, |channels, one| channels | one.channel.bit())
    }
}

impl Tape for Tape36 {
    fn mount(&mut self, tape: &[u8]) {
        self.roll.mount(tape);
    }

    fn roll(&self) -> &Roll {
        &self.roll
    }
}
