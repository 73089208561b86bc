//! Zilog Z8430, Z80 CTC: four counter and timer channels (Zilog, *Z8430 Z80 CTC product specification*).
//!
//! ```text
//! control  IE  counter  /256  rising  by trigger  constant follows  reset  1
//! vector   V7 V6 V5 V4 V3 - - 0      what it sends: V7 to V3, the channel, 0
//! ```
//!
//! A register to a channel: writing control words, time constants and the vector, reading the down counter. The clock is the
//! processor's. Pins TRG0 to TRG3 count or start the channels; the pulses at ZC/TO are shorter than anything that hangs on a pin here.

use crate::image::Cell;
use crate::machine::chip::{Chip, Interrupting, Pin, Pins, facet};

const INTERRUPTS: u8 = 0x80;
const COUNTER: u8 = 0x40;
const BY_256: u8 = 0x20;
const RISING: u8 = 0x10;
const BY_TRIGGER: u8 = 0x08;
const CONSTANT_FOLLOWS: u8 = 0x04;
const RESET: u8 = 0x02;
const CONTROL: u8 = 0x01;

#[derive(Debug, Clone, Copy, Default)]
struct Channel {
    control: u8,
    /// The next byte written is a time constant.
    expects_constant: bool,
    /// Counts of a round, 1 to 256; 0 before the first time constant.
    constant: u16,
    /// As a counter: counts left.
    left: u16,
    /// As a running timer: the cycle at which it reaches zero next.
    zero_at: Option<u64>,
    /// As a timer: it waits for the trigger.
    armed: bool,
    /// Level at the trigger pin.
    trigger: Option<bool>,
    /// Since which cycle it asks for an interrupt.
    pending: Option<u64>,
    in_service: bool,
}

impl Channel {
    fn is(&self, bit: u8) -> bool {
        self.control & bit != 0
    }

    fn prescaler(&self) -> u64 {
        if self.is(BY_256) { 256 } else { 16 }
    }

    /// Cycles of a round as a timer.
    fn period(&self) -> u64 {
        self.prescaler() * u64::from(self.constant)
    }

    fn ask(&mut self, at: u64) {
        if self.is(INTERRUPTS) {
            self.pending.get_or_insert(at);
        }
    }

    fn set_control(&mut self, value: u8) {
        self.control = value;
        self.expects_constant = value & CONSTANT_FOLLOWS != 0;
        if value & RESET != 0 || value & COUNTER != 0 {
            (self.zero_at, self.armed) = (None, false);
        }
        if value & RESET != 0 {
            self.constant = 0;
        }
        if value & INTERRUPTS == 0 {
            self.pending = None;
        }
    }

    fn set_constant(&mut self, value: u8, now: u64) {
        self.expects_constant = false;
        let stands = self.constant == 0;
        self.constant = if value == 0 { 256 } else { value.into() };
        if self.is(COUNTER) {
            // A channel that counts takes the new constant with its next round.
            if stands || self.left == 0 {
                self.left = self.constant;
            }
        } else if self.zero_at.is_none() {
            if self.is(BY_TRIGGER) {
                self.armed = true;
            } else {
                self.zero_at = Some(now + self.period());
            }
        }
    }

    fn advance(&mut self, now: u64) {
        let Some(zero) = self.zero_at.filter(|&at| at <= now) else { return };
        self.ask(zero);
        self.zero_at = Some(zero + ((now - zero) / self.period() + 1) * self.period());
    }

    /// An edge at the trigger pin.
    fn pulse(&mut self, now: u64) {
        if self.is(COUNTER) && self.constant > 0 {
            self.left -= 1;
            if self.left == 0 {
                self.left = self.constant;
                self.ask(now);
            }
        } else if std::mem::take(&mut self.armed) {
            self.zero_at = Some(now + self.period());
        }
    }

    fn down_counter(&self, now: u64) -> u8 {
        match self.zero_at {
            _ if self.is(COUNTER) => self.left as u8,
            Some(at) => at.saturating_sub(now).div_ceil(self.prescaler()) as u8,
            None => self.constant as u8,
        }
    }
}

/// The chip.
#[derive(Debug, Clone, Copy, Default)]
pub struct Z8430 {
    channels: [Channel; 4],
    vector: u8,
}

impl Z8430 {
    /// The channel whose interrupt would be taken: none where one of at least its priority is in service.
    fn asking(&self) -> Option<usize> {
        let open = self.channels.iter().position(|one| one.in_service).unwrap_or(4);
        self.channels[..open].iter().position(|one| one.pending.is_some())
    }
}

impl Chip for Z8430 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        Some(self.channels[offset as usize & 3].down_counter(now).into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let channel = &mut self.channels[offset as usize & 3];
        let value = value as u8;
        if channel.expects_constant {
            channel.set_constant(value, now);
        } else if value & CONTROL != 0 {
            channel.set_control(value);
        } else if offset & 3 == 0 {
            self.vector = value & 0xF8;
        } else {
            return false;
        }
        true
    }

    fn advance(&mut self, now: u64) {
        for channel in &mut self.channels {
            channel.advance(now);
        }
    }

    fn next(&self) -> Option<u64> {
        let asks = |one: &&Channel| one.is(INTERRUPTS) && one.pending.is_none();
        self.channels.iter().filter(asks).filter_map(|one| one.zero_at).min()
    }

    fn requests(&self) -> Option<u64> {
        self.channels[self.asking()?].pending
    }

    fn reset(&mut self, _: u64) {
        for channel in &mut self.channels {
            *channel = Channel { trigger: channel.trigger, ..Channel::default() };
        }
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        for channel in &mut self.channels {
            channel.zero_at = channel.zero_at.map(|at| at - now);
            channel.pending = channel.pending.map(|_| 0);
        }
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(*self)
    }

    facet!(Interrupting, interrupting, interrupting_mut);
    facet!(Pins, pins, pins_mut);
}

impl Interrupting for Z8430 {
    fn acknowledge(&mut self, _: u64) -> Option<u8> {
        let at = self.asking()?;
        (self.channels[at].pending, self.channels[at].in_service) = (None, true);
        Some(self.vector | (at as u8) << 1)
    }

    fn in_service(&self) -> bool {
        self.channels.iter().any(|one| one.in_service)
    }

    fn end_of_interrupt(&mut self, _: u64) {
        if let Some(channel) = self.channels.iter_mut().find(|one| one.in_service) {
            channel.in_service = false;
        }
    }
}

impl Pins for Z8430 {
    /// Its trigger pins are inputs.
    fn level(&self, _: Pin) -> Option<bool> {
        None
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        self.advance(now);
        let channel = &mut self.channels[usize::from(pin.bit) & 3];
        let before = std::mem::replace(&mut channel.trigger, level).unwrap_or(true);
        let level = level.unwrap_or(true);
        if before != level && level == channel.is(RISING) {
            channel.pulse(now);
        }
    }
}
