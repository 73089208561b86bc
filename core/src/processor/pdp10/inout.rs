//! Interrupts, and the instructions for devices (Digital Equipment Corporation, *PDP-10 System Reference Manual*, "Input-output").
//!
//! ```text
//! APR  CONO  clear 400000 stack, 100 floating overflow, 10 overflow    200000 reset all devices
//!            overflow asks: 40 no, 20 yes    floating overflow asks: 400 no, 200 yes    7 channel
//!      CONI  the same places: 200000 stack, 200 and 20 what asks, 100 and 10 the flags, 7 channel
//!      DATAI the data switches
//! PI   CONO  10000 reset   4000 ask on channels   2000 channels on   1000 off   400 all off   200 all on   177 channels
//!      CONI  77400 channels held, 200 on, 177 channels on
//!      DATAO the program's lights
//! ```

use super::execute::Left;
use super::fixed::BOTH_HALVES;
use super::{Cpu, FOV, HALF, Interrupts, LEFT, OV, PDL_OVERFLOW, WORD, channel_bit};
use crate::processor::{Bus, Watch};

/// The processor as a device.
const APR: u32 = 0;
/// The interrupt system as a device.
const PI: u32 = 0o004;

/// Overflow asks for an interrupt.
const OV_ASKS: u32 = 0o20;
/// Floating overflow does.
const FOV_ASKS: u32 = 0o200;
/// The overflow flags among the conditions.
const OV_BIT: u32 = 0o10;
const FOV_BIT: u32 = 0o100;

/// Ticks between a request and the first instruction of its channel.
const INTERRUPT: u64 = 15;

impl Cpu {
    /// The channels that ask.
    fn asking(&self) -> u8 {
        let flags = self.registers.flags;
        let own = self.apr & OV_ASKS != 0 && flags & OV != 0
            || self.apr & FOV_ASKS != 0 && flags & FOV != 0
            || self.apr & PDL_OVERFLOW != 0;
        let devices = self.requested | if own { channel_bit(self.apr) } else { 0 };
        devices & self.interrupts.active | self.interrupts.asked
    }

    /// The channel whose interrupt is to be taken: the first one that asks, in front of those that are held.
    pub(super) fn next_channel(&self) -> Option<u32> {
        if !self.interrupts.on {
            return None;
        }
        let asking = self.asking();
        (asking > self.interrupts.held && asking.leading_zeros() < self.interrupts.held.leading_zeros())
            .then(|| asking.leading_zeros())
    }

    /// Takes an interrupt: executes the instruction in the channel's first cell, and the one in its second where the first is
    /// a skip that does not skip. One that skips, or that serves a device, lets the channel go.
    #[cold]
    #[inline(never)]
    pub(super) fn interrupt<B: Bus<Cell = u64>, W: Watch>(
        &mut self,
        bus: &mut B,
        watch: &mut W,
        channel: u32,
    ) -> Left {
        let bit = channel_bit(channel);
        self.interrupts.held |= bit;
        self.interrupts.asked &= !bit;
        self.now += INTERRUPT;
        let (pc, instructions) = (self.registers.pc, self.instructions);
        let mut left = Left::Looks;
        for cell in [0o40 + 2 * channel, 0o41 + 2 * channel] {
            let word = bus.read(cell, self.now);
            left = self.execute(bus, watch, self.now + 1, Some(word));
            self.instructions = instructions;
            let skipped = self.registers.pc == pc.wrapping_add(1) & HALF as u32;
            match word >> 27 & 0o777 {
                // A skip, or the transfer of a block.
                0o330..=0o337 | 0o350..=0o357 | 0o370..=0o377 => {}
                0o700..=0o777 if matches!(word >> 23 & 7, 0 | 2 | 6 | 7) => {}
                0o700..=0o777 => {
                    self.interrupts.held &= !bit;
                    break;
                }
                _ => break,
            }
            self.registers.pc = pc;
            if skipped {
                self.interrupts.held &= !bit;
                break;
            }
        }
        left
    }

    /// Ends the interrupt of the first channel that is held.
    pub(super) fn dismiss(&mut self) {
        let held = self.interrupts.held;
        if held != 0 {
            self.interrupts.held &= !(0o200 >> held.leading_zeros());
        }
    }

    /// An instruction for a device.
    pub(super) fn serve<B: Bus<Cell = u64>>(&mut self, bus: &mut B, word: u64, e: u32) {
        let device = (word >> 24) as u32 & 0o774;
        match word >> 23 & 7 {
            function @ (0 | 2) => {
                let pointer = (bus.read(e, self.now) + BOTH_HALVES) & WORD;
                bus.write(e, pointer, self.now);
                self.data(bus, device, function == 2, (pointer & HALF) as u32);
                self.skip_if(pointer & LEFT != 0);
            }
            function @ (1 | 3) => self.data(bus, device, function == 3, e),
            4 => self.set_conditions(bus, device, e),
            5 => {
                let conditions = self.conditions(bus, device);
                bus.write(e, conditions, self.now);
            }
            6 => {
                let zeros = self.conditions(bus, device) & u64::from(e) == 0;
                self.skip_if(zeros);
            }
            _ => {
                let ones = self.conditions(bus, device) & u64::from(e) != 0;
                self.skip_if(ones);
            }
        }
    }

    pub(super) fn skip_if(&mut self, holds: bool) {
        self.registers.pc += u32::from(holds);
    }

    /// A word goes between a cell and a device.
    fn data<B: Bus<Cell = u64>>(&mut self, bus: &mut B, device: u32, out: bool, cell: u32) {
        if out {
            let word = bus.read(cell, self.now);
            match device {
                APR => {}
                PI => self.registers.lights = word,
                _ => bus.output(device, word, self.now),
            }
        } else {
            let word = match device {
                APR => self.registers.switches,
                PI => 0,
                _ => bus.input(device, self.now),
            };
            bus.write(cell, word, self.now);
        }
    }

    /// The conditions of a device. Its second register has them.
    fn conditions<B: Bus<Cell = u64>>(&self, bus: &mut B, device: u32) -> u64 {
        let own = &self.interrupts;
        match device {
            APR => {
                let flags = self.registers.flags;
                let overflow = if flags & OV != 0 { OV_BIT } else { 0 };
                u64::from(self.apr | overflow | if flags & FOV != 0 { FOV_BIT } else { 0 })
            }
            PI => u64::from(own.held) << 8 | u64::from(own.on) << 7 | u64::from(own.active),
            _ => bus.input(device | 1, self.now),
        }
    }

    fn set_conditions<B: Bus<Cell = u64>>(&mut self, bus: &mut B, device: u32, e: u32) {
        match device {
            APR => self.set_apr(bus, e),
            PI => self.set_pi(e),
            _ => bus.output(device | 1, e.into(), self.now),
        }
    }

    fn set_apr<B: Bus<Cell = u64>>(&mut self, bus: &mut B, e: u32) {
        if e & 0o200000 != 0 {
            self.interrupts = Interrupts::default();
            self.apr = 0;
            bus.clear_devices(self.now);
        }
        if e & 0o400000 != 0 {
            self.apr &= !PDL_OVERFLOW;
        }
        let clears = [(FOV_BIT, FOV), (OV_BIT, OV)];
        for (_, flag) in clears.iter().filter(|(bit, _)| e & bit != 0) {
            self.registers.flags &= !flag;
        }
        for asks in [FOV_ASKS, OV_ASKS] {
            // The bit to the left of it forbids.
            if e & asks << 1 != 0 {
                self.apr &= !asks;
            }
            self.apr |= e & asks;
        }
        self.apr = self.apr & !7 | e & 7;
    }

    fn set_pi(&mut self, e: u32) {
        let (own, channels) = (&mut self.interrupts, (e & 0o177) as u8);
        if e & 0o10000 != 0 {
            *own = Interrupts::default();
        }
        if e & 0o4000 != 0 {
            own.asked |= channels;
        }
        if e & 0o2000 != 0 {
            own.active |= channels;
        }
        if e & 0o1000 != 0 {
            own.active &= !channels;
        }
        if e & 0o600 != 0 {
            own.on = e & 0o200 != 0;
        }
    }
}
