//! The groups of operations that the middle field of the operand byte tells apart.

use super::alu::{self, ARITHMETIC, CARRY, OVERFLOW, Value};
use super::stretch::Stretch;
use super::{CS, SP};
use crate::processor::Bus;

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    /// F6h and F7h: TEST, NOT, NEG, MUL, IMUL, DIV, IDIV. False where a quotient has no room.
    #[inline(never)]
    pub(super) fn group_of_products(&mut self, opcode: u8) -> bool {
        if opcode & 1 == 0 { self.byte_product() } else { self.word_product() }
    }

    fn byte_product(&mut self) -> bool {
        let value = self.operand_byte();
        match self.field() {
            0 | 1 => {
                let right = self.byte();
                self.operate(4, value, right);
            }
            2 => self.set_operand_byte(!value),
            3 => {
                let value = self.operate(5, 0, value);
                self.set_operand_byte(value);
            }
            field @ (4 | 5) => {
                let (low, high, says) = alu::multiply(self.r.words[0] as u8, value, field == 5);
                self.r.words[0] = u16::from_le_bytes([low, high]);
                self.set_product_flags(high, says);
            }
            field => {
                let [low, high] = self.r.words[0].to_le_bytes();
                let Some((quotient, rest)) = alu::divide(high, low, value, field == 7) else { return false };
                self.r.words[0] = u16::from_le_bytes([quotient, rest]);
            }
        }
        true
    }

    fn word_product(&mut self) -> bool {
        let value = self.operand_word();
        match self.field() {
            0 | 1 => {
                let right = self.word();
                self.operate(4, value, right);
            }
            2 => self.set_operand_word(!value),
            3 => {
                let value = self.operate(5, 0, value);
                self.set_operand_word(value);
            }
            field @ (4 | 5) => {
                let (low, high, says) = alu::multiply(self.r.words[0], value, field == 5);
                (self.r.words[0], self.r.words[2]) = (low, high);
                self.set_product_flags(high, says);
            }
            field => {
                let (high, low) = (self.r.words[2], self.r.words[0]);
                let Some((quotient, rest)) = alu::divide(high, low, value, field == 7) else { return false };
                (self.r.words[0], self.r.words[2]) = (quotient, rest);
            }
        }
        true
    }

    /// CF and OF say whether the high half says anything; the others are undefined, and of the high half here.
    fn set_product_flags<V: Value>(&mut self, high: V, says: bool) {
        let flags = if says { CARRY | OVERFLOW } else { 0 };
        self.r.flags = self.r.flags & !ARITHMETIC | alu::result(high) | flags;
    }

    /// FEh and FFh: INC, DEC, calls and jumps through an operand, PUSH.
    #[inline(never)]
    pub(super) fn group_of_steps(&mut self, opcode: u8) {
        match (opcode, self.field()) {
            (0xFE, field) => {
                let left = self.operand_byte();
                let (value, flags) =
                    if field == 0 { alu::add(left, 1, 0) } else { alu::subtract(left, 1, 0) };
                self.set_operand_byte(value);
                self.set_flags_but_carry(flags);
            }
            (_, field @ (0 | 1)) => {
                let left = self.operand_word();
                let (value, flags) =
                    if field == 0 { alu::add(left, 1, 0) } else { alu::subtract(left, 1, 0) };
                self.set_operand_word(value);
                self.set_flags_but_carry(flags);
            }
            (_, 2) => {
                let target = self.operand_word();
                self.push(self.r.ip);
                self.r.ip = target;
            }
            (_, 3) => {
                let (offset, segment) = self.far_pointer();
                self.push(self.r.segments[CS]);
                self.push(self.r.ip);
                (self.r.ip, self.r.segments[CS]) = (offset, segment);
            }
            (_, 4) => self.r.ip = self.operand_word(),
            (_, 5) => (self.r.ip, self.r.segments[CS]) = self.far_pointer(),
            _ => {
                // SP is put there as it is behind the instruction.
                let is_own = !self.is_memory() && usize::from(self.operand & 7) == SP;
                let value = if is_own { self.r.words[SP].wrapping_sub(2) } else { self.operand_word() };
                self.push(value);
            }
        }
    }
}
