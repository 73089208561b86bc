//! The interrupt logic of the 8086.
//!
//! Intel, *The 8086 Family User's Manual* (October 1979), "Interrupts".

use super::alu::{INTERRUPT, TRAP};
use super::{CS, Engine, SP, SS};
use crate::processor::Bus;

/// Interrupts with numbers of their own.
pub(super) const DIVIDE: u8 = 0;
const SINGLE_STEP: u8 = 1;
const NON_MASKABLE: u8 = 2;
pub(super) const OVERFLOW: u8 = 4;

/// Clocks of an interrupt that comes from outside, from NMI, and of a single step, without what odd addresses cost.
const CLOCKS: [u64; 3] = [61, 50, 50];

/// The interrupt logic's state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Interrupts {
    /// A rising edge on NMI waits.
    pub nmi: bool,
    /// Since which cycle the chips hold INTR.
    pub held_since: Option<u64>,
    /// The operator's request on INTR, which the board holds until it is taken.
    pub asked: bool,
    /// A single step is over.
    pub trap: bool,
    /// What is on the bus at an acknowledgement where no chip sends anything: ones, where nothing drives it.
    pub sent: u8,
}

impl Default for Interrupts {
    fn default() -> Self {
        Self { nmi: false, held_since: None, asked: false, trap: false, sent: 0xFF }
    }
}

impl Interrupts {
    /// The reset line: what the chips hold they go on holding.
    pub(super) fn reset(&mut self) {
        *self = Self { held_since: self.held_since, sent: self.sent, ..Self::default() };
    }

    /// What was cycle `now` is cycle 0.
    pub(super) fn restart(&mut self, now: u64) {
        self.held_since = self.held_since.map(|since| since.saturating_sub(now));
    }

    fn is_asked(&self, now: u64) -> bool {
        self.asked || self.held_since.is_some_and(|since| since <= now)
    }

    /// True where something would be taken at cycle `now`.
    pub(super) fn is_acceptable(&self, now: u64, flags: u16) -> bool {
        self.nmi || self.trap || flags & INTERRUPT != 0 && self.is_asked(now)
    }
}

impl Engine {
    /// Takes an interrupt where there is one to take.
    pub(super) fn interrupt<B: Bus<Cell = u8>>(&mut self, bus: &mut B) -> bool {
        let Interrupts { nmi, trap, sent, .. } = self.interrupts;
        let is_enabled = self.registers.flags & INTERRUPT != 0;
        let number = if nmi {
            self.interrupts.nmi = false;
            self.now += CLOCKS[1];
            NON_MASKABLE
        } else if is_enabled && self.interrupts.is_asked(self.now) {
            self.interrupts.asked = false;
            self.now += CLOCKS[0];
            if self.narrow {
                // The two acknowledgements take four clocks more each.
                self.now += 8;
            }
            bus.acknowledge(self.now).unwrap_or(sent)
        } else if trap {
            self.interrupts.trap = false;
            self.now += CLOCKS[2];
            SINGLE_STEP
        } else {
            return false;
        };
        if std::mem::take(&mut self.repeats) {
            // Of the prefixes the last one is not lost.
            self.registers.ip = self.repeat_resumes(bus);
        }
        self.halted = false;
        self.enter(bus, number);
        true
    }

    /// The offset of the last prefix of the repeated instruction at IP.
    fn repeat_resumes<B: Bus<Cell = u8>>(&self, bus: &mut B) -> u16 {
        let mut last = self.registers.ip;
        let is_prefix = |cell: u8| matches!(cell, 0x26 | 0x2E | 0x36 | 0x3E | 0xF0 | 0xF2 | 0xF3);
        while is_prefix(bus.fetch(self.address(CS, last.wrapping_add(1)))) {
            last = last.wrapping_add(1);
        }
        last
    }

    /// Puts flags, CS and IP on the stack and goes where the interrupt's vector says.
    pub(super) fn enter<B: Bus<Cell = u8>>(&mut self, bus: &mut B, number: u8) {
        let (flags, cs, ip) = (self.registers.flags, self.registers.segments[CS], self.registers.ip);
        for word in [flags, cs, ip] {
            let sp = self.registers.words[SP].wrapping_sub(2);
            self.registers.words[SP] = sp;
            self.now += self.penalty(self.address(SS, sp));
            let [low, high] = word.to_le_bytes();
            bus.write(self.address(SS, sp), low, self.now);
            bus.write(self.address(SS, sp.wrapping_add(1)), high, self.now);
        }
        self.registers.flags &= !(INTERRUPT | TRAP);
        let at = u32::from(number) * 4;
        self.now += 2 * self.penalty(at);
        let mut word = |at: u32| {
            let low = bus.read(at, self.now);
            u16::from_le_bytes([low, bus.read(at + 1, self.now)])
        };
        (self.registers.ip, self.registers.segments[CS]) = (word(at), word(at + 2));
    }

    /// What the transfer of a word costs on top.
    fn penalty(&self, address: u32) -> u64 {
        if self.narrow || address & 1 != 0 { 4 } else { 0 }
    }
}
