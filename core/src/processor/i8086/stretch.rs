//! A stretch of a run: the registers at hand, the bus, the time.
//!
//! PERF: everything here is inlined into one loop, so that the compiler takes the structure apart and keeps its parts in the host's
//! registers.

use super::alu::{self, ARITHMETIC, Value};
use super::{CS, DS, LAST, Registers, SP, SS};
use crate::processor::{Bus, Exit, Repeat, Tally, effective_clocks, is_in_stack};

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// The cycle limit.
    Limit,
    /// One more instruction runs before interrupts are looked at.
    Shadow,
    /// Interrupts may have been enabled, or single steps.
    Looks,
    /// The program asks for the interrupt of this number.
    Interrupt(u8),
    /// To the caller.
    Exit(Exit),
}

/// What the loop keeps at hand.
pub(super) struct Stretch<'b, B> {
    pub r: Registers,
    pub bus: &'b mut B,
    pub tally: Tally,
    /// 1 where the data bus has eight bits: every word is at an odd address then.
    pub narrow: u32,
    /// The segment register that a prefix chose.
    pub segment: Option<usize>,
    pub repeat: Option<Repeat>,
    /// The operand byte.
    pub operand: u8,
    /// Where the operand in memory is: segment register and offset.
    pub place: (usize, u16),
}

/// Clocks for the effective address, by operand byte.
const EFFECTIVE: [u8; 256] = {
    let mut clocks = [0; 256];
    let mut operand = 0;
    while operand < 256 {
        clocks[operand] = effective_clocks(operand as u64);
        operand += 1;
    }
    clocks
};

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    // Time

    #[inline(always)]
    pub fn spend(&mut self, clocks: u8) {
        self.tally.add(Tally::more(clocks));
    }

    #[inline(always)]
    fn pay(&mut self, address: u32) {
        self.tally.add(Tally::more_of(4 * u64::from((address | self.narrow) & 1)));
    }

    // Cells

    #[inline(always)]
    pub fn linear(&self, segment: usize, offset: u16) -> u32 {
        (u32::from(self.r.segments[segment & 3]) << 4).wrapping_add(offset.into()) & LAST
    }

    #[inline(always)]
    pub fn byte(&mut self) -> u8 {
        let value = self.bus.fetch(self.linear(CS, self.r.ip));
        self.r.ip = self.r.ip.wrapping_add(1);
        value
    }

    #[inline(always)]
    pub fn word(&mut self) -> u16 {
        let low = self.byte();
        u16::from_le_bytes([low, self.byte()])
    }

    #[inline(always)]
    pub fn load_byte(&mut self, (segment, offset): (usize, u16)) -> u8 {
        self.bus.read(self.linear(segment, offset), self.tally.now())
    }

    #[inline(always)]
    pub fn store_byte(&mut self, (segment, offset): (usize, u16), value: u8) {
        self.bus.write(self.linear(segment, offset), value, self.tally.now());
    }

    /// A word: its second byte wraps inside the segment.
    #[inline(always)]
    pub fn load_word(&mut self, (segment, offset): (usize, u16)) -> u16 {
        self.pay(self.linear(segment, offset));
        let low = self.load_byte((segment, offset));
        u16::from_le_bytes([low, self.load_byte((segment, offset.wrapping_add(1)))])
    }

    #[inline(always)]
    pub fn store_word(&mut self, (segment, offset): (usize, u16), value: u16) {
        self.pay(self.linear(segment, offset));
        let [low, high] = value.to_le_bytes();
        self.store_byte((segment, offset), low);
        self.store_byte((segment, offset.wrapping_add(1)), high);
    }

    #[inline(always)]
    pub fn push(&mut self, value: u16) {
        self.r.words[SP] = self.r.words[SP].wrapping_sub(2);
        self.store_word((SS, self.r.words[SP]), value);
    }

    #[inline(always)]
    pub fn pop(&mut self) -> u16 {
        let value = self.load_word((SS, self.r.words[SP]));
        self.r.words[SP] = self.r.words[SP].wrapping_add(2);
        value
    }

    // Operands

    /// Finds the operand of the operand byte, where it is in memory.
    #[inline(always)]
    pub fn find(&mut self) {
        if self.operand < 0xC0 {
            self.find_in_memory();
        }
    }

    #[inline(always)]
    fn find_in_memory(&mut self) {
        let operand = self.operand;
        let w = &self.r.words;
        let base = match operand & 7 {
            0 => w[3].wrapping_add(w[6]),
            1 => w[3].wrapping_add(w[7]),
            2 => w[5].wrapping_add(w[6]),
            3 => w[5].wrapping_add(w[7]),
            4 => w[6],
            5 => w[7],
            6 => w[5],
            _ => w[3],
        };
        let offset = match operand >> 6 {
            0 if operand & 7 == 6 => self.word(),
            0 => base,
            1 => base.wrapping_add_signed(i16::from(self.byte() as i8)),
            _ => base.wrapping_add(self.word()),
        };
        let own = if is_in_stack(operand.into()) { SS } else { DS };
        self.place = (self.segment.unwrap_or(own), offset);
        self.spend(EFFECTIVE[usize::from(operand)]);
    }

    #[inline(always)]
    pub fn is_memory(&self) -> bool {
        self.operand < 0xC0
    }

    /// The middle field of the operand byte.
    #[inline(always)]
    pub fn field(&self) -> u8 {
        self.operand >> 3 & 7
    }

    #[inline(always)]
    pub fn byte_register(&self, code: u8) -> u8 {
        let word = self.r.words[usize::from(code & 3)];
        if code & 4 == 0 { word as u8 } else { (word >> 8) as u8 }
    }

    #[inline(always)]
    pub fn set_byte_register(&mut self, code: u8, value: u8) {
        let word = &mut self.r.words[usize::from(code & 3)];
        *word = if code & 4 == 0 {
            *word & 0xFF00 | u16::from(value)
        } else {
            *word & 0xFF | u16::from(value) << 8
        };
    }

    #[inline(always)]
    pub fn operand_byte(&mut self) -> u8 {
        if self.is_memory() { self.load_byte(self.place) } else { self.byte_register(self.operand & 7) }
    }

    #[inline(always)]
    pub fn set_operand_byte(&mut self, value: u8) {
        if self.is_memory() {
            self.store_byte(self.place, value);
        } else {
            self.set_byte_register(self.operand & 7, value);
        }
    }

    #[inline(always)]
    pub fn operand_word(&mut self) -> u16 {
        if self.is_memory() {
            self.load_word(self.place)
        } else {
            self.r.words[usize::from(self.operand & 7)]
        }
    }

    #[inline(always)]
    pub fn set_operand_word(&mut self, value: u16) {
        if self.is_memory() {
            self.store_word(self.place, value);
        } else {
            self.r.words[usize::from(self.operand & 7)] = value;
        }
    }

    /// The far pointer in memory: offset and segment.
    #[inline(always)]
    pub fn far_pointer(&mut self) -> (u16, u16) {
        let (segment, offset) = self.place;
        (self.load_word(self.place), self.load_word((segment, offset.wrapping_add(2))))
    }

    // Flags

    #[inline(always)]
    pub fn set_flags(&mut self, flags: u16) {
        self.r.flags = self.r.flags & !ARITHMETIC | flags;
    }

    /// All but the carry.
    #[inline(always)]
    pub fn set_flags_but_carry(&mut self, flags: u16) {
        let kept = !ARITHMETIC | alu::CARRY;
        self.r.flags = self.r.flags & kept | flags & !alu::CARRY;
    }

    #[inline(always)]
    pub fn has(&self, flag: u16) -> bool {
        self.r.flags & flag != 0
    }

    #[inline(always)]
    pub fn set(&mut self, flag: u16, value: bool) {
        self.r.flags = if value { self.r.flags | flag } else { self.r.flags & !flag };
    }

    /// One of the sixteen conditions by its code.
    #[inline(always)]
    pub fn holds(&self, code: u8) -> bool {
        let less = self.has(alu::SIGN) != self.has(alu::OVERFLOW);
        let holds = match code >> 1 & 7 {
            0 => self.has(alu::OVERFLOW),
            1 => self.has(alu::CARRY),
            2 => self.has(alu::ZERO),
            3 => self.has(alu::CARRY | alu::ZERO),
            4 => self.has(alu::SIGN),
            5 => self.has(alu::PARITY),
            6 => less,
            _ => less || self.has(alu::ZERO),
        };
        holds != (code & 1 != 0)
    }

    // Operations

    #[inline(always)]
    pub fn operate<V: Value>(&mut self, code: u8, left: V, right: V) -> V {
        let (value, flags) = alu::operate(code, left, right, self.r.flags);
        self.set_flags(flags);
        value
    }

    /// The operand and a byte; a comparison writes nothing.
    #[inline(always)]
    pub fn operate_on_byte(&mut self, code: u8, right: u8) {
        let left = self.operand_byte();
        let value = self.operate(code, left, right);
        if code & 7 != 7 {
            self.set_operand_byte(value);
        }
    }

    #[inline(always)]
    pub fn operate_on_word(&mut self, code: u8, right: u16) {
        let left = self.operand_word();
        let value = self.operate(code, left, right);
        if code & 7 != 7 {
            self.set_operand_word(value);
        }
    }

    /// Shifts so many times; nothing changes where that is none.
    #[inline(always)]
    pub fn shift<V: Value>(&mut self, value: V, count: u8) -> V {
        let mut shifted = value;
        for _ in 0..count {
            let (next, flags) = alu::shift(self.field(), shifted, self.r.flags);
            shifted = next;
            self.set_flags(flags);
        }
        shifted
    }

    // Jumps

    /// A near jump by a distance; true where that is the instruction itself, of so many cells.
    #[inline(always)]
    pub fn jump(&mut self, distance: u16, cells: u16) -> bool {
        self.r.ip = self.r.ip.wrapping_add(distance);
        distance == cells.wrapping_neg()
    }

    #[inline(always)]
    pub fn branch(&mut self, holds: bool, more: u8) {
        let distance = self.byte() as i8 as u16;
        if holds {
            self.spend(more);
            self.jump(distance, 0);
        }
    }

    /// A word at a port and the next one.
    pub fn input_word(&mut self, port: u16) -> u16 {
        self.pay(port.into());
        let now = self.tally.now();
        let low = self.bus.input(port.into(), now);
        u16::from_le_bytes([low, self.bus.input(port.wrapping_add(1).into(), now)])
    }

    pub fn output_word(&mut self, port: u16, value: u16) {
        self.pay(port.into());
        let now = self.tally.now();
        self.bus.output(port.into(), value as u8, now);
        self.bus.output(port.wrapping_add(1).into(), (value >> 8) as u8, now);
    }
}
