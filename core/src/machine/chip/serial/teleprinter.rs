//! Control of a teleprinter, with the teleprinter: two devices, its keyboard and its printer (Digital Equipment Corporation,
//! *PDP-8/E & PDP-8/M Small Computer Handbook*, "KL8-E asynchronous data control").
//!
//! ```text
//! keyboard  0 clear flag   1 skip if flag   2 clear flag and accumulator   4 or the character   5 interrupts by bit 11
//! printer   0 set flag     1 skip if flag   2 clear flag   4 print   5 skip if it asks for an interrupt
//! ```
//!
//! Functions that are sums do both. A teleprinter sends its eighth bit as 1, and prints the other seven. A character takes eleven
//! bits of the line.

use super::teletype::Teletype;
use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Serial, facet};

/// The control and the teleprinter.
#[derive(Debug, Clone)]
pub struct Teleprinter {
    teletype: Teletype,
    /// The keyboard's character, and its flag.
    received: (u8, bool),
    /// The printer is ready.
    ready: bool,
    interrupts: bool,
    request: Request,
}

impl Teleprinter {
    /// A teleprinter on a line of so many bits a second.
    pub fn new(processor: u64, baud: Option<u64>) -> Self {
        Self {
            teletype: Teletype::new(processor, baud),
            received: (0, false),
            ready: false,
            interrupts: true,
            request: Request::default(),
        }
    }

    fn asks(&self) -> bool {
        self.interrupts && (self.received.1 || self.ready)
    }

    /// The operator's next character is sent when the last one was taken.
    fn type_next(&mut self, now: u64) {
        if !self.received.1 {
            self.teletype.send_next(now);
        }
    }

    fn keyboard(&mut self, function: u32, mut value: Cell, now: u64) -> (Cell, bool) {
        let skips = function == 1 && self.received.1;
        if function == 5 {
            self.interrupts = value & 1 != 0;
            return (value, false);
        }
        if function & 2 != 0 {
            value = 0;
        }
        if function & 4 != 0 {
            value |= Cell::from(self.received.0);
        }
        if function & 2 != 0 || function == 0 {
            self.received.1 = false;
            self.type_next(now);
        }
        (value, skips)
    }

    fn printer(&mut self, function: u32, value: Cell, now: u64) -> (Cell, bool) {
        let skips = match function {
            1 => self.ready,
            5 => self.asks(),
            _ => false,
        };
        match function {
            0 => self.ready = true,
            2 | 6 => self.ready = false,
            _ => {}
        }
        if function & 4 != 0 && function != 5 {
            // A character that is still being printed is spoilt.
            self.teletype.print(value as u8, now);
        }
        (value, skips)
    }
}

impl Chip for Teleprinter {
    fn read(&mut self, _offset: u32, _now: u64) -> Option<Cell> {
        None
    }

    fn write(&mut self, _offset: u32, _value: Cell, _now: u64) -> bool {
        false
    }

    fn transfer(&mut self, offset: u32, function: u32, value: Cell, now: u64) -> (Cell, bool) {
        self.advance(now);
        let done = match offset {
            0 => self.keyboard(function, value, now),
            _ => self.printer(function, value, now),
        };
        self.request.follow(self.asks(), now + 1);
        done
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        // Function 5 asks, every other with a 4 in it prints.
        let prints = matches!(access, ChipAccess::Transfer(1, 4 | 6 | 7));
        (prints && self.teletype.is_printing()).then_some(Misuse::StillPrinting)
    }

    fn advance(&mut self, now: u64) {
        if let Some((value, at)) = self.teletype.received(now) {
            self.received = (value, true);
            self.request.follow(self.asks(), at);
        }
        if let Some(at) = self.teletype.printed(now) {
            self.ready = true;
            self.request.follow(self.asks(), at);
        }
        self.type_next(now);
    }

    fn next(&self) -> Option<u64> {
        self.teletype.next()
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    /// Flags are cleared, and interrupts allowed; what is on the line or being printed goes on.
    fn reset(&mut self, now: u64) {
        (self.received.1, self.ready, self.interrupts) = (false, false, true);
        self.type_next(now);
        self.request.follow(false, now);
    }

    fn restart(&mut self, now: u64) {
        self.teletype.restart(now);
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Serial, serial, serial_mut);
}

impl Serial for Teleprinter {
    fn type_in(&mut self, bytes: &[u8], now: u64) {
        self.teletype.strike(bytes);
        self.type_next(now);
    }

    fn would_interrupt(&self) -> bool {
        self.interrupts
    }

    fn take_received(&mut self) -> Vec<u8> {
        self.teletype.take_printed()
    }

    fn waiting(&self) -> usize {
        self.teletype.waiting()
    }
}
