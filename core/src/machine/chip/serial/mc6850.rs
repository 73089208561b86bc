//! Motorola 6850, asynchronous communications interface adapter, with a terminal at the far end of its line (Motorola,
//! *MC6850 data sheet*).
//!
//! ```text
//! 0 write control  IE TC1 TC0 WS2 WS1 WS0 CD1 CD0     read status  IRQ PE OVRN FE CTS DCD TDRE RDRF
//! 1 write transmit data                               read receive data
//! ```
//!
//! The far end uses the same word format, sends the next character when the last one was taken, and is always there, so that
//! CTS and DCD are low.

use crate::image::Cell;
use crate::machine::chip::far_end::FarEnd;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Serial, facet};

/// Status bits.
const RECEIVED: u8 = 0x01;
const EMPTY: u8 = 0x02;
const REQUEST: u8 = 0x80;

/// The divide bits that reset the chip.
const MASTER_RESET: u8 = 3;

/// The chip and its far end.
#[derive(Debug, Clone)]
pub struct Mc6850 {
    line: FarEnd,
    control: u8,
    /// The transmit data register, where it is full.
    waiting: Option<u8>,
    received: Option<u8>,
    request: Request,
}

impl Mc6850 {
    /// The chip at a processor clock and a clock of its own, in Hz.
    pub fn new(processor: u64, clock: Option<u64>) -> Self {
        Self {
            line: FarEnd::new(processor, clock),
            control: MASTER_RESET,
            waiting: None,
            received: None,
            request: Request::default(),
        }
    }

    fn is_reset(&self) -> bool {
        self.control & 3 == MASTER_RESET
    }

    /// Bits of a character: start, data, parity, stop.
    fn bits(&self) -> u64 {
        match self.control >> 2 & 7 {
            0 | 1 | 4 | 6 | 7 => 11,
            _ => 10,
        }
    }

    /// The data bits that are sent.
    fn mask(&self) -> u8 {
        if self.control & 0x10 == 0 { 0x7F } else { 0xFF }
    }

    /// Processor cycles a character takes.
    fn character(&self) -> u64 {
        let divide = [1, 16, 64, 64][usize::from(self.control & 3)];
        self.line.cycles(2 * self.bits(), divide)
    }

    fn look(&mut self, at: u64) {
        let receive = self.control & 0x80 != 0 && self.received.is_some();
        let transmit = self.control & 0x60 == 0x20 && self.waiting.is_none();
        self.request.follow((receive || transmit) && !self.is_reset(), at);
    }

    /// The far end sends the next character as soon as the last one was taken.
    fn type_next(&mut self, now: u64) {
        if self.received.is_none() && !self.is_reset() {
            let mask = self.mask();
            self.line.type_next(now + self.character(), |value| value & mask);
        }
    }

    fn status(&self) -> u8 {
        if self.is_reset() {
            return 0;
        }
        let received = if self.received.is_some() { RECEIVED } else { 0 };
        let empty = if self.waiting.is_none() { EMPTY } else { 0 };
        received | empty | if self.request.0.is_some() { REQUEST } else { 0 }
    }
}

impl Chip for Mc6850 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        if offset & 1 == 0 {
            return Some(self.status().into());
        }
        let value = self.received.take().unwrap_or(0);
        self.look(now);
        self.type_next(now);
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let value = value as u8;
        if offset & 1 == 0 {
            self.control = value;
            if self.is_reset() {
                (self.waiting, self.received) = (None, None);
                self.line.break_off();
            }
            self.type_next(now);
        } else if self.is_reset() {
            return false;
        } else if !self.line.is_sending() {
            self.line.send(value & self.mask(), now + self.character());
        } else {
            // A character that still waits is overwritten.
            self.waiting = Some(value & self.mask());
        }
        self.look(now + 1);
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        match access {
            ChipAccess::Write(offset, _) if offset & 1 == 0 => None,
            ChipAccess::Write(..) if self.is_reset() => Some(Misuse::NotSetUp),
            ChipAccess::Write(..) => self.waiting.map(|_| Misuse::TransmitterFull),
            _ => None,
        }
    }

    fn advance(&mut self, now: u64) {
        while let Some((value, at)) = self.line.sent(now) {
            self.line.hear(value);
            if let Some(next) = self.waiting.take() {
                self.line.send(next, at + self.character());
            }
            self.look(at);
        }
        if let Some((value, at)) = self.line.came(now) {
            self.received = Some(value);
            self.look(at);
        }
        self.type_next(now);
    }

    fn next(&self) -> Option<u64> {
        // A character that is out is seen at the far end, one that is in only where it asks for an interrupt.
        let came = self.line.comes_at().filter(|_| self.control & 0x80 != 0);
        self.line.sent_at().into_iter().chain(came).min()
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        self.line.restart(now);
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Serial, serial, serial_mut);
}

impl Serial for Mc6850 {
    fn type_in(&mut self, bytes: &[u8], now: u64) {
        self.line.type_in(bytes);
        self.advance(now);
    }

    fn would_interrupt(&self) -> bool {
        self.control & 0x80 != 0 && !self.is_reset()
    }

    fn take_received(&mut self) -> Vec<u8> {
        self.line.take_heard()
    }

    fn waiting(&self) -> usize {
        self.line.waiting()
    }
}
