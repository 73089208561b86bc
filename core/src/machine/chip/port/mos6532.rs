//! MOS Technology 6532, RAM, two ports, an interval timer and an edge detector (MOS Technology, *MCS6532 data sheet*).
//!
//! ```text
//! 00..7F RAM      80 ORA   82 ORB   84, 8C timer (A3: interrupt off, on)     write 94..97, 9C..9F timer by 1, 8, 64, 1024
//!                 81 DDRA  83 DDRB  85 flags                                 write 84..87 edge of PA7
//! ```
//!
//! The RAM select pin is taken to be address line 7. A timer that was written with N shows N - 1 - k / prescale after k more
//! cycles; its flag comes when that passes 0, and from there on it counts every cycle.

use super::eight::Port;
use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, Pin, Pins, facet};

/// Flags.
const TIMER: u8 = 0x80;
const EDGE: u8 = 0x40;

/// The chip.
#[derive(Debug, Clone)]
pub struct Mos6532 {
    ram: [u8; 128],
    ports: [Port; 2],
    /// The cycle at whose end the timer passes 0, and the prescaler. It may lie before the counting of cycles began.
    ends: i64,
    prescale: u64,
    flags: u8,
    /// Which flags ask for an interrupt.
    enabled: u8,
    /// The edge of PA7 that counts: true for the rising one.
    rising: bool,
    request: Request,
    now: u64,
}

impl Default for Mos6532 {
    fn default() -> Self {
        Self {
            ram: [0; 128],
            ports: [Port::default(); 2],
            ends: 255 * 1024,
            prescale: 1024,
            flags: 0,
            enabled: 0,
            rising: false,
            request: Request::default(),
            now: 0,
        }
    }
}

impl Mos6532 {
    fn look(&mut self, at: u64) {
        self.request.follow(self.flags & self.enabled != 0, at);
    }

    fn count(&self, now: u64) -> u8 {
        match self.ends - now as i64 {
            left @ 1.. => ((left - 1) as u64 / self.prescale) as u8,
            past => 0xFF_u8.wrapping_add(past as u8),
        }
    }

    /// A write with address line 4 sets the timer; its lines 0 and 1 choose the prescaler, 3 the interrupt.
    fn set_timer(&mut self, offset: u32, value: u8, now: u64) {
        self.prescale = [1, 8, 64, 1024][offset as usize & 3];
        self.ends = (now + (u64::from(value) * self.prescale).max(1)) as i64;
        self.flags &= !TIMER;
        self.enable_timer(offset, now);
    }

    fn enable_timer(&mut self, offset: u32, now: u64) {
        self.enabled = self.enabled & !TIMER | if offset & 8 != 0 { TIMER } else { 0 };
        self.look(now + 1);
    }

    fn pa7_changes(&mut self, before: u8, now: u64) {
        let after = self.ports[0].pins();
        if (before ^ after) & 0x80 != 0 && (after & 0x80 != 0) == self.rising {
            self.flags |= EDGE;
            self.look(now);
        }
    }
}

impl Chip for Mos6532 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let value = match (offset & 0x80, offset & 7) {
            (0, _) => self.ram[offset as usize & 0x7F],
            (_, 0) => self.ports[0].pins(),
            (_, 1) => self.ports[0].direction,
            // Port B reads its output register where it puts out, and the pins agree.
            (_, 2) => self.ports[1].pins(),
            (_, 3) => self.ports[1].direction,
            (_, 4 | 6) => {
                let count = self.count(now);
                self.flags &= !TIMER;
                self.enable_timer(offset, now);
                count
            }
            _ => {
                let flags = self.flags;
                self.flags &= !EDGE;
                self.look(now);
                flags
            }
        };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let value = value as u8;
        let before = self.ports[0].pins();
        match (offset & 0x80, offset & 7) {
            (0, _) => self.ram[offset as usize & 0x7F] = value,
            (_, 0) => self.ports[0].out = value,
            (_, 1) => self.ports[0].direction = value,
            (_, 2) => self.ports[1].out = value,
            (_, 3) => self.ports[1].direction = value,
            _ if offset & 0x10 != 0 => self.set_timer(offset, value, now),
            _ => {
                self.rising = offset & 1 != 0;
                self.enabled = self.enabled & !EDGE | if offset & 2 != 0 { EDGE } else { 0 };
                self.look(now + 1);
            }
        }
        self.pa7_changes(before, now);
        true
    }

    fn advance(&mut self, now: u64) {
        if (self.now as i64) < self.ends && self.ends <= now as i64 {
            self.flags |= TIMER;
            self.look(self.ends as u64);
        }
        self.now = now;
    }

    fn next(&self) -> Option<u64> {
        ((self.now as i64) < self.ends && self.enabled & TIMER != 0).then_some(self.ends as u64)
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn reset(&mut self, now: u64) {
        self.advance(now);
        for port in &mut self.ports {
            (port.out, port.direction) = (0, 0);
        }
        (self.enabled, self.rising) = (0, false);
        self.flags &= !EDGE;
        self.look(now);
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        self.ends -= now as i64;
        self.request.restart();
        self.now = 0;
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Pins, pins, pins_mut);
}

impl Pins for Mos6532 {
    fn level(&self, pin: Pin) -> Option<bool> {
        self.ports[usize::from(pin.port & 1)].level(pin.bit)
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        self.advance(now);
        let before = self.ports[0].pins();
        self.ports[usize::from(pin.port & 1)].drive(pin.bit, level);
        self.pa7_changes(before, now);
    }
}
