//! The string instructions, alone and repeated.
//!
//! A turn of a repeated one is an instruction of its own as far as stops, steps and interrupts go: IP goes back to the prefixes as long as
//! there is more to do.

use super::CX;
use super::DS;
use super::alu::{DIRECTION, Value};
use super::stretch::{Flow, Stretch};
use super::timing::MORE;
use crate::processor::{Bus, Repeat};

const SI: usize = 6;
const DI: usize = 7;

/// Clocks before the first turn of a repeated one.
const BEGIN: u8 = 9;

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    #[inline(always)]
    fn step(&mut self, register: usize, wide: bool) {
        let by = 1 + u16::from(wide);
        let word = self.word(register);
        let stepped = if self.flags.has(DIRECTION) { word.wrapping_sub(by) } else { word.wrapping_add(by) };
        self.set_word(register, stepped);
    }

    #[inline(always)]
    fn compare<V: Value>(&mut self, left: V, right: V) {
        self.operate(7, left, right);
    }

    /// One turn, by the opcode.
    #[inline(always)]
    fn turn<const OP: u8>(&mut self) {
        let from = self.place_in(DS, self.word(SI));
        let to = self.place_in_extra(self.word(DI));
        match OP {
            0xA5 => {
                let value = self.load_word(from);
                self.store_word(to, value);
            }
            0xA4 => {
                let value = self.load_byte(from);
                self.store_byte(to, value);
            }
            0xA7 => {
                let (left, right) = (self.load_word(from), self.load_word(to));
                self.compare(left, right);
            }
            0xA6 => {
                let (left, right) = (self.load_byte(from), self.load_byte(to));
                self.compare(left, right);
            }
            0xAB => self.store_word(to, self.word(0)),
            0xAA => self.store_byte(to, self.byte(0)),
            0xAD => {
                let value = self.load_word(from);
                self.set_word(0, value);
            }
            0xAC => {
                let value = self.load_byte(from);
                self.set_byte(0, value);
            }
            0xAF => {
                let right = self.load_word(to);
                self.compare(self.word(0), right);
            }
            _ => {
                let right = self.load_byte(to);
                self.compare(self.byte(0), right);
            }
        }
        if matches!(OP & 0xFE, 0xA4 | 0xA6 | 0xAC) {
            self.step(SI, OP & 1 != 0);
        }
        if OP & 0xFE != 0xAC {
            self.step(DI, OP & 1 != 0);
        }
    }

    /// A string instruction that begins at `start` with its prefixes. Where it goes on, IP is there again.
    #[inline(always)]
    pub(super) fn string<const OP: u8>(&mut self, start: u16) -> Flow {
        let [once, each] = MORE[OP as usize];
        let Some(repeat) = self.prefixes.repeat() else {
            self.spend(once);
            self.turn::<OP>();
            return Flow::Next;
        };
        if !self.prefixes.are_paid() {
            self.spend(BEGIN);
        }
        if self.word(CX) == 0 {
            return Flow::Next;
        }
        self.spend(each);
        self.turn::<OP>();
        self.set_word(CX, self.word(CX).wrapping_sub(1));
        let compares = matches!(OP & 0xFE, 0xA6 | 0xAE);
        let ends = compares && self.flags.is_zero() != (repeat == Repeat::Equal);
        if self.word(CX) == 0 || ends {
            return Flow::Next;
        }
        self.ip = start;
        Flow::Again
    }
}
