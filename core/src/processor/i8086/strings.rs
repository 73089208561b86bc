//! The string instructions, alone and repeated.
//!
//! A turn of a repeated one is an instruction of its own as far as stops, steps and interrupts go: IP goes back to the prefixes as long as
//! there is more to do.

use super::alu::{self, DIRECTION, ZERO};
use super::stretch::Stretch;
use super::{CX, DS, ES};
use crate::processor::{Bus, Repeat};

const SI: usize = 6;
const DI: usize = 7;

/// Clocks before the first turn of a repeated one.
pub(super) const BEGIN: u8 = 9;

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    fn step(&mut self, register: usize, wide: bool) {
        let by = 1 + u16::from(wide);
        let word = &mut self.r.words[register];
        *word = if self.r.flags & DIRECTION == 0 { word.wrapping_add(by) } else { word.wrapping_sub(by) };
    }

    /// One turn, by the opcode.
    fn turn(&mut self, opcode: u8) {
        let wide = opcode & 1 != 0;
        let from = (self.segment.unwrap_or(DS), self.r.words[SI]);
        let to = (ES, self.r.words[DI]);
        match opcode & 0xFE {
            0xA4 if wide => {
                let value = self.load_word(from);
                self.store_word(to, value);
            }
            0xA4 => {
                let value = self.load_byte(from);
                self.store_byte(to, value);
            }
            0xA6 if wide => {
                let (left, right) = (self.load_word(from), self.load_word(to));
                self.set_flags(alu::subtract(left, right, 0).1);
            }
            0xA6 => {
                let (left, right) = (self.load_byte(from), self.load_byte(to));
                self.set_flags(alu::subtract(left, right, 0).1);
            }
            0xAA if wide => self.store_word(to, self.r.words[0]),
            0xAA => self.store_byte(to, self.r.words[0] as u8),
            0xAC if wide => self.r.words[0] = self.load_word(from),
            0xAC => {
                let value = self.load_byte(from);
                self.set_byte_register(0, value);
            }
            _ if wide => {
                let right = self.load_word(to);
                self.set_flags(alu::subtract(self.r.words[0], right, 0).1);
            }
            _ => {
                let right = self.load_byte(to);
                self.set_flags(alu::subtract(self.r.words[0] as u8, right, 0).1);
            }
        }
        if matches!(opcode & 0xFE, 0xA4 | 0xA6 | 0xAC) {
            self.step(SI, wide);
        }
        if opcode & 0xFE != 0xAC {
            self.step(DI, wide);
        }
    }

    /// A string instruction that begins at `start` with its prefixes: `once` clocks alone, `each` for a turn where it is repeated. True
    /// where it goes on, with IP there again.
    #[inline(never)]
    pub(super) fn string(&mut self, opcode: u8, [once, each]: [u8; 2], start: u16, goes_on: bool) -> bool {
        let Some(repeat) = self.repeat else {
            self.spend(once);
            self.turn(opcode);
            return false;
        };
        if !goes_on {
            self.spend(BEGIN);
        }
        if self.r.words[CX] == 0 {
            return false;
        }
        self.spend(each);
        self.turn(opcode);
        self.r.words[CX] = self.r.words[CX].wrapping_sub(1);
        let compares = matches!(opcode & 0xFE, 0xA6 | 0xAE);
        let ends = compares && self.has(ZERO) != (repeat == Repeat::Equal);
        if self.r.words[CX] == 0 || ends {
            return false;
        }
        self.r.ip = start;
        true
    }
}
