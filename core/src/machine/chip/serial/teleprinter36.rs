//! Console teleprinter of a 36-bit machine: one device, its data and its conditions (Digital Equipment Corporation, *PDP-10 System
//! Reference Manual*, "Console in-out equipment", device TTY).
//!
//! ```text
//! data        read: the keyboard's character; clears input done    write: prints the low eight bits; sets output busy
//! conditions  100 input busy   40 input done   20 output busy   10 output done   7 channel
//!             writing sets these and clears those that stand four places to the left
//! ```
//!
//! A teleprinter sends its eighth bit as 1, and prints the other seven. A character takes eleven bits of the line.

use super::teletype::Teletype;
use crate::image::Cell;
use crate::machine::chip::device36::Channel;
use crate::machine::chip::{Chip, ChipAccess, Interrupting, Misuse, Serial, facet};

const INPUT_BUSY: Cell = 0o100;
const INPUT_DONE: Cell = 0o40;
const OUTPUT_BUSY: Cell = 0o20;
const OUTPUT_DONE: Cell = 0o10;
const DONE: Cell = INPUT_DONE | OUTPUT_DONE;
const FLAGS: Cell = INPUT_BUSY | OUTPUT_BUSY | DONE;

/// The control and the teleprinter.
#[derive(Debug, Clone)]
pub struct Teleprinter36 {
    teletype: Teletype,
    flags: Cell,
    received: u8,
    channel: Channel,
}

impl Teleprinter36 {
    /// A teleprinter on a line of so many bits a second.
    pub fn new(processor: u64, baud: Option<u64>) -> Self {
        Self { teletype: Teletype::new(processor, baud), flags: 0, received: 0, channel: Channel::default() }
    }

    /// The operator's next character is sent when the last one was taken.
    fn type_next(&mut self, now: u64) {
        if self.flags & INPUT_DONE == 0 && self.teletype.send_next(now) {
            self.flags |= INPUT_BUSY;
        }
    }

    fn follow(&mut self, at: u64) {
        self.channel.follow(self.flags & DONE != 0, at);
    }
}

impl Chip for Teleprinter36 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        if offset != 0 {
            return Some(self.flags | self.channel.shown());
        }
        self.flags &= !INPUT_DONE;
        self.type_next(now);
        self.follow(now + 1);
        Some(self.received.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        if offset == 0 {
            // A character that is still being printed is spoilt.
            self.teletype.print(value as u8, now);
            self.flags = self.flags & !OUTPUT_DONE | OUTPUT_BUSY;
        } else {
            self.flags = self.flags & !(value >> 4) & FLAGS | value & FLAGS;
            self.channel.choose(value);
            self.type_next(now);
        }
        self.follow(now + 1);
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let prints = matches!(access, ChipAccess::Write(0, _));
        (prints && self.teletype.is_printing()).then_some(Misuse::StillPrinting)
    }

    fn advance(&mut self, now: u64) {
        if let Some((value, at)) = self.teletype.received(now) {
            self.received = value;
            self.flags = self.flags & !INPUT_BUSY | INPUT_DONE;
            self.follow(at);
        }
        if let Some(at) = self.teletype.printed(now) {
            self.flags = self.flags & !OUTPUT_BUSY | OUTPUT_DONE;
            self.follow(at);
        }
        self.type_next(now);
    }

    fn next(&self) -> Option<u64> {
        self.teletype.next()
    }

    fn requests(&self) -> Option<u64> {
        self.channel.request.0
    }

    /// Flags and channel are cleared; what is on the line or being printed goes on.
    fn reset(&mut self, now: u64) {
        (self.flags, self.channel) = (0, Channel::default());
        self.type_next(now);
    }

    fn restart(&mut self, now: u64) {
        self.teletype.restart(now);
        self.channel.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Interrupting, interrupting, interrupting_mut);
    facet!(Serial, serial, serial_mut);
}

impl Interrupting for Teleprinter36 {
    fn channels(&self) -> u8 {
        self.channel.bit()
    }
}

impl Serial for Teleprinter36 {
    fn type_in(&mut self, bytes: &[u8], now: u64) {
        self.teletype.strike(bytes);
        self.type_next(now);
    }

    fn would_interrupt(&self) -> bool {
        self.channel.bit() != 0
    }

    fn take_received(&mut self) -> Vec<u8> {
        self.teletype.take_printed()
    }

    fn waiting(&self) -> usize {
        self.teletype.waiting()
    }
}
