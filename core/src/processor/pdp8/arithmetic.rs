//! Operate group 3: the multiplier quotient register and the extended arithmetic element.
//!
//! Digital Equipment Corporation, *PDP-8/E & PDP-8/M Small Computer Handbook*, "KE8-E extended arithmetic element". Not told
//! there, or not clearly, and taken here as follows: a division that overflows leaves both registers as they are; the step
//! counter is 0 after a shift in mode A and 37 after one in mode B; SWAB does nothing to the registers.

use super::Cpu;
use super::table::ROWS;
use crate::processor::Bus;

const WORD: u32 = 0o7777;
/// Both registers as one number.
const DOUBLE: u32 = 0o7777_7777;
const SIGN: u32 = 0o4000_0000;

/// Tenths of a microsecond for each step of a shift.
const STEP: u8 = 3;

impl Cpu {
    /// Executes a word of the group; returns what it takes longer than an operate instruction, in tenths of a microsecond.
    pub(super) fn arithmetic<B: Bus<Cell = u16>>(&mut self, bus: &mut B, word: u32) -> u8 {
        if word == 0o7431 && !self.registers.mode_b {
            self.registers.mode_b = true;
            return 0;
        }
        let (mut ac, mut mq) = (u32::from(self.registers.lac) & WORD, u32::from(self.registers.mq));
        if word & 0o200 != 0 {
            ac = 0;
        }
        let before = (ac, mq);
        if word & 0o100 != 0 {
            ac = if word & 0o020 != 0 { mq } else { ac | mq };
        }
        if word & 0o020 != 0 {
            mq = before.0;
            ac = if word & 0o100 != 0 { ac } else { 0 };
        }
        let b = self.registers.mode_b;
        // In mode A bit 6 is the step counter, in mode B it belongs to the number of the operation.
        let operation = word >> 1 & 7 | if b { word >> 2 & 0o10 } else { 0 };
        if word & 0o040 != 0 && (!b || operation == 0o10) {
            ac |= u32::from(self.registers.steps);
        }
        self.set(ac, mq);
        match (operation, b) {
            (1, false) => {
                self.registers.steps = !self.next(bus) as u8 & 0o37;
                Self::longer(0o7403)
            }
            (1, true) => {
                self.registers.steps = (ac & 0o37) as u8;
                self.set(0, mq);
                0
            }
            (2, _) => self.multiply(bus),
            (3, _) => self.divide(bus),
            (4, _) => self.normalize(),
            (5..=7, _) => self.shift(bus, operation),
            (9, _) => self.add(bus),
            (10, _) => self.store(bus),
            (11, _) => {
                self.registers.mode_b = false;
                self.registers.greater = false;
                0
            }
            (12, _) => {
                if ac | mq == 0 {
                    self.skip();
                }
                0
            }
            (13, _) => self.count(mq << 12 | ac),
            (14, _) => self.count((mq << 12 | ac) ^ DOUBLE),
            (15, _) => self.subtract(ac, mq),
            _ => 0,
        }
    }

    /// What the table says an instruction takes longer than an operate instruction.
    #[inline]
    const fn longer(word: usize) -> u8 {
        ROWS[super::INDEX[word] as usize - 1].timing[0].base
            - ROWS[super::INDEX[0o7000] as usize - 1].timing[0].base
    }

    #[inline]
    fn set(&mut self, ac: u32, mq: u32) {
        self.registers.lac = self.registers.lac & 0o10000 | (ac & WORD) as u16;
        self.registers.mq = (mq & WORD) as u16;
    }

    #[inline]
    fn set_link(&mut self, link: bool) {
        self.registers.lac = self.registers.lac & 0o7777 | u16::from(link) << 12;
    }

    #[inline]
    fn both(&self) -> u32 {
        u32::from(self.registers.lac) << 12 & DOUBLE | u32::from(self.registers.mq)
    }

    #[inline]
    fn set_both(&mut self, value: u32) {
        self.set(value >> 12, value);
    }

    #[inline]
    fn skip(&mut self) {
        self.registers.pc = (self.registers.pc + 1) & 0o7777;
    }

    /// The word after the instruction.
    fn next<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> u32 {
        let at = u32::from(self.registers.field) << 12 | u32::from(self.registers.pc);
        self.skip();
        u32::from(bus.read(at, self.now)) & WORD
    }

    /// The operand of a multiplication or division: the word after, or in mode B the cell whose address that is.
    fn factor<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> u32 {
        let word = self.next(bus);
        if !self.registers.mode_b {
            return word;
        }
        let at = self.address(word, bus);
        u32::from(bus.read(at, self.now)) & WORD
    }

    /// The address of an operand in the data field; the word that holds it may count itself up.
    fn address<B: Bus<Cell = u16>>(&mut self, mut word: u32, bus: &mut B) -> u32 {
        let held = u32::from(self.registers.pc.wrapping_sub(1)) & WORD;
        if held & 0o7770 == 0o10 {
            word = (word + 1) & WORD;
            bus.write(u32::from(self.registers.field) << 12 | held, word as u16, self.now);
        }
        u32::from(self.registers.data) << 12 | word
    }

    fn multiply<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> u8 {
        let factor = self.factor(bus);
        let ac = u32::from(self.registers.lac) & WORD;
        self.set_both(u32::from(self.registers.mq) * factor + ac);
        self.set_link(false);
        self.registers.steps = 0o14;
        Self::longer(0o7405)
    }

    fn divide<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> u8 {
        let divisor = self.factor(bus);
        let overflow = u32::from(self.registers.lac) & WORD >= divisor;
        self.set_link(overflow);
        if !overflow {
            let dividend = self.both();
            self.set(dividend % divisor, dividend / divisor);
            self.registers.steps = 0o15;
        }
        Self::longer(0o7407)
    }

    #[inline]
    fn normalize(&mut self) -> u8 {
        let mut value = self.both();
        let mut steps = 0;
        // The first two bits differ, or nothing but these two is left, or nothing at all.
        while (value << 1 ^ value) & SIGN == 0 && value & 0o1777_7777 != 0 {
            self.set_link(value & SIGN != 0);
            value = value << 1 & DOUBLE;
            steps += 1;
        }
        if self.registers.mode_b && value == SIGN {
            value = 0;
        }
        self.set_both(value);
        self.registers.steps = steps;
        Self::longer(0o7411) + STEP * steps
    }

    fn shift<B: Bus<Cell = u16>>(&mut self, bus: &mut B, operation: u32) -> u8 {
        let b = self.registers.mode_b;
        let count = (self.next(bus) & 0o37) as u8 + u8::from(!b);
        let mut value = self.both();
        match operation {
            5 => {
                for _ in 0..count {
                    self.set_link(value & SIGN != 0);
                    value = value << 1 & DOUBLE;
                }
            }
            _ => {
                let sign = if operation == 6 { value & SIGN } else { 0 };
                self.set_link(sign != 0);
                for _ in 0..count {
                    if b {
                        self.registers.greater = value & 1 != 0;
                    }
                    value = value >> 1 | sign;
                }
            }
        }
        self.set_both(value);
        self.registers.steps = if b { 0o37 } else { 0 };
        Self::longer(0o7413) + STEP * count
    }

    fn add<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> u8 {
        let (low, high) = self.pair(bus);
        let value =
            u32::from(bus.read(low, self.now)) & WORD | (u32::from(bus.read(high, self.now)) & WORD) << 12;
        let sum = self.both() + value;
        self.set_both(sum & DOUBLE);
        self.set_link(sum > DOUBLE);
        Self::longer(0o7443)
    }

    fn store<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> u8 {
        let (low, high) = self.pair(bus);
        bus.write(low, self.registers.mq, self.now);
        bus.write(high, self.registers.lac & 0o7777, self.now);
        Self::longer(0o7445)
    }

    /// The addresses of two cells, the low one first.
    fn pair<B: Bus<Cell = u16>>(&mut self, bus: &mut B) -> (u32, u32) {
        let word = self.next(bus);
        let low = self.address(word, bus);
        (low, low & !WORD | (low + 1) & WORD)
    }

    /// Counts a number up whose halves have been exchanged; they are exchanged back.
    #[inline]
    fn count(&mut self, value: u32) -> u8 {
        let sum = value + 1;
        self.set_both(sum & DOUBLE);
        self.set_link(sum > DOUBLE);
        Self::longer(0o7573)
    }

    #[inline]
    fn subtract(&mut self, ac: u32, mq: u32) -> u8 {
        let signed = |word: u32| (word ^ 0o4000) as i32 - 0o4000;
        self.registers.greater = signed(mq) >= signed(ac);
        self.set(mq.wrapping_sub(ac), mq);
        self.set_link(mq >= ac);
        0
    }
}
