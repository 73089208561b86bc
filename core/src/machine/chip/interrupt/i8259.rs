//! Intel 8259A, programmable interrupt controller (Intel, *8259A/8259A-2/8259A-8 programmable interrupt controller* data sheet).
//!
//! ```text
//! A0=0  ICW1  - - - 1 LTIM ADI SNGL IC4     begins the programming
//!       OCW2  R SL EOI 0 0 L2 L1 L0         end of interrupt, priorities
//!       OCW3  0 ESMM SMM 0 1 P RR RIS       special mask, poll, what is read
//! A0=1  ICW2  T7 T6 T5 T4 T3 - - -          what it sends: T7 to T3, the level
//!       ICW3  which levels have a slave; ICW4  - - - SFNM BUF M/S AEOI uPM
//!       OCW1  the mask
//! ```
//!
//! Read at A0=0: requests or levels in service, or the level of a poll; at A0=1 the mask. It sends one byte, as the 8086 wants it; to
//! an 8080 or 8085 it sends the opcode of CALL. The lines to slaves lead nowhere: boards here have one.

use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, Interrupting, Pin, Pins, facet};

const LEVEL_TRIGGERED: u8 = 0x08;
const SINGLE: u8 = 0x02;
const NEEDS_ICW4: u8 = 0x01;
const AUTOMATIC_END: u8 = 0x02;
const FOR_8086: u8 = 0x01;

/// The opcode of CALL.
const CALL: u8 = 0xCD;

/// Which command word is expected at A0=1.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Expects {
    Mask,
    Icw2,
    Icw3,
    Icw4,
}

/// The chip.
#[derive(Debug, Clone)]
pub struct I8259 {
    expects: Expects,
    icw1: u8,
    vector: u8,
    icw4: u8,
    mask: u8,
    /// The levels on the pins.
    pins: u8,
    /// Levels that have risen since they were last taken.
    risen: u8,
    in_service: u8,
    /// The level that has the lowest priority.
    lowest: u8,
    special_mask: bool,
    reads_service: bool,
    polls: bool,
    rotates: bool,
    request: Request,
}

impl Default for I8259 {
    fn default() -> Self {
        Self {
            expects: Expects::Mask,
            icw1: 0,
            vector: 0,
            icw4: 0,
            // Nothing asks before it is programmed.
            mask: 0xFF,
            pins: 0,
            risen: 0,
            in_service: 0,
            lowest: 7,
            special_mask: false,
            reads_service: false,
            polls: false,
            rotates: false,
            request: Request::default(),
        }
    }
}

impl I8259 {
    fn requests_now(&self) -> u8 {
        if self.icw1 & LEVEL_TRIGGERED != 0 { self.pins } else { self.risen & self.pins }
    }

    /// The levels from the highest priority down.
    fn order(&self) -> impl Iterator<Item = u8> + use<> {
        let lowest = self.lowest;
        (1..=8).map(move |step| (lowest + step) & 7)
    }

    /// The level that asks and is not held back by one in service.
    fn next_level(&self) -> Option<u8> {
        let asking = self.requests_now() & !self.mask;
        // In special mask mode only the masked levels in service are let out of account.
        let serving = if self.special_mask { self.in_service & !self.mask } else { self.in_service };
        for level in self.order() {
            let bit = 1 << level;
            if self.special_mask && serving & bit != 0 {
                continue;
            }
            if serving & bit != 0 {
                return None;
            }
            if asking & bit != 0 {
                return Some(level);
            }
        }
        None
    }

    fn settle(&mut self, at: u64) {
        let asks = self.expects == Expects::Mask && self.next_level().is_some();
        self.request.follow(asks, at);
    }

    /// Takes the level that asks; level 7 where the request is gone.
    fn take(&mut self) -> (u8, bool) {
        let Some(level) = self.next_level() else { return (7, false) };
        let bit = 1 << level;
        self.risen &= !bit;
        if self.icw4 & AUTOMATIC_END == 0 {
            self.in_service |= bit;
        } else if self.rotates {
            self.lowest = level;
        }
        (level, true)
    }

    fn initialize(&mut self, value: u8) {
        *self = Self {
            icw1: value,
            expects: Expects::Icw2,
            mask: 0,
            pins: self.pins,
            // What is high already must fall and rise again.
            risen: 0,
            request: self.request,
            ..Self::default()
        };
    }

    fn end(&mut self, value: u8) {
        let (rotate, specific, end) = (value & 0x80 != 0, value & 0x40 != 0, value & 0x20 != 0);
        let highest = self.order().find(|level| self.in_service >> level & 1 != 0);
        let level = if specific { Some(value & 7) } else { highest };
        match (end, specific) {
            (true, _) => {
                if let Some(level) = level {
                    self.in_service &= !(1 << level);
                    if rotate {
                        self.lowest = level;
                    }
                }
            }
            (false, true) if rotate => self.lowest = value & 7,
            (false, true) => {}
            (false, false) => self.rotates = rotate,
        }
    }

    fn command(&mut self, value: u8) {
        if value & 0x10 != 0 {
            self.initialize(value);
        } else if value & 0x08 == 0 {
            self.end(value);
        } else {
            if value & 0x40 != 0 {
                self.special_mask = value & 0x20 != 0;
            }
            if value & 0x02 != 0 {
                self.reads_service = value & 0x01 != 0;
            }
            self.polls = value & 0x04 != 0;
        }
    }

    fn data(&mut self, value: u8) {
        let behind_icw3 = if self.icw1 & NEEDS_ICW4 != 0 { Expects::Icw4 } else { Expects::Mask };
        self.expects = match self.expects {
            Expects::Mask => {
                self.mask = value;
                Expects::Mask
            }
            Expects::Icw2 => {
                self.vector = value & 0xF8;
                if self.icw1 & SINGLE == 0 { Expects::Icw3 } else { behind_icw3 }
            }
            Expects::Icw3 => behind_icw3,
            Expects::Icw4 => {
                self.icw4 = value;
                Expects::Mask
            }
        };
    }
}

impl Chip for I8259 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        let value = if offset & 1 != 0 {
            self.mask
        } else if std::mem::take(&mut self.polls) {
            let (level, is_there) = self.take();
            self.settle(now);
            if is_there { 0x80 | level } else { 0 }
        } else if self.reads_service {
            self.in_service
        } else {
            self.requests_now()
        };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        if offset & 1 == 0 {
            self.command(value as u8);
        } else {
            self.data(value as u8);
        }
        self.settle(now);
        true
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn asks_high(&self) -> bool {
        true
    }

    fn restart(&mut self, _now: u64) {
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Interrupting, interrupting, interrupting_mut);
    facet!(Pins, pins, pins_mut);
}

impl Interrupting for I8259 {
    fn acknowledge(&mut self, now: u64) -> Option<u8> {
        let (level, _) = self.take();
        self.settle(now);
        Some(if self.icw4 & FOR_8086 != 0 { self.vector | level } else { CALL })
    }
}

impl Pins for I8259 {
    fn level(&self, _: Pin) -> Option<bool> {
        None
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        let bit = 1 << pin.bit;
        let is_high = level == Some(true);
        if is_high && self.pins & bit == 0 {
            self.risen |= bit;
        }
        self.pins = if is_high { self.pins | bit } else { self.pins & !bit };
        if !is_high {
            self.risen &= !bit;
        }
        self.settle(now);
    }
}
