//! Every opcode, by the code itself.
//!
//! PERF: a function of the opcode as a constant, so that register numbers, operations and clocks are constants in each of the run loop's
//! arms. Codes are written out, without ranges: what cannot be is not compiled then.

use super::alu::{self, ALWAYS, ARITHMETIC, DIRECTION, INTERRUPT, Value};
use super::interrupts::{DIVIDE, OVERFLOW as ON_OVERFLOW};
use super::stretch::{Flow, Left, Operand, Prefixes, Stretch};
use super::timing::{INTERRUPT_CLOCKS, MORE, OPERAND};
use super::{CS, CX, DS, ES, SP};
use crate::processor::{Bus, Exit, Repeat, Tally};

/// What stands where there is no instruction.
macro_rules! defined {
    ($holds:expr) => {
        if !$holds {
            return Flow::Undefined;
        }
    };
}

/// The operand after an opcode.
macro_rules! operand {
    ($stretch:ident) => {
        match $stretch.find::<OP>() {
            Some(operand) => operand,
            None => return Flow::Undefined,
        }
    };
}

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    /// Executes an opcode whose instruction begins at the offset `start`.
    #[expect(
        clippy::manual_range_patterns,
        reason = "of a match without ranges only the arm in question is compiled"
    )]
    #[inline(always)]
    pub(super) fn opcode<const OP: u8>(&mut self, start: u16) -> Flow {
        let register = usize::from(OP & 7);
        match OP {
            // ADD OR ADC SBB AND SUB XOR CMP
            0x00 | 0x08 | 0x10 | 0x18 | 0x20 | 0x28 | 0x30 | 0x38 => {
                let operand = operand!(self);
                let (left, right) = (self.operand_byte(operand), self.field_byte(operand));
                let value = self.operate(OP >> 3, left, right);
                if OP != 0x38 {
                    self.set_operand_byte(operand, value);
                }
            }
            0x01 | 0x09 | 0x11 | 0x19 | 0x21 | 0x29 | 0x31 | 0x39 => {
                let operand = operand!(self);
                let (left, right) = (self.operand_word(operand), self.field_word(operand));
                let value = self.operate(OP >> 3, left, right);
                if OP != 0x39 {
                    self.set_operand_word(operand, value);
                }
            }
            0x02 | 0x0A | 0x12 | 0x1A | 0x22 | 0x2A | 0x32 | 0x3A => {
                let operand = operand!(self);
                let (left, right) = (self.field_byte(operand), self.operand_byte(operand));
                let value = self.operate(OP >> 3, left, right);
                if OP != 0x3A {
                    self.set_field_byte(operand, value);
                }
            }
            0x03 | 0x0B | 0x13 | 0x1B | 0x23 | 0x2B | 0x33 | 0x3B => {
                let operand = operand!(self);
                let (left, right) = (self.field_word(operand), self.operand_word(operand));
                let value = self.operate(OP >> 3, left, right);
                if OP != 0x3B {
                    self.set_field_word(operand, value);
                }
            }
            0x04 | 0x0C | 0x14 | 0x1C | 0x24 | 0x2C | 0x34 | 0x3C => {
                self.pay::<OP>();
                let right = self.code_byte();
                let value = self.operate(OP >> 3, self.byte(0), right);
                if OP != 0x3C {
                    self.set_byte(0, value);
                }
            }
            0x05 | 0x0D | 0x15 | 0x1D | 0x25 | 0x2D | 0x35 | 0x3D => {
                self.pay::<OP>();
                let right = self.code_word();
                let value = self.operate(OP >> 3, self.word(0), right);
                if OP != 0x3D {
                    self.set_word(0, value);
                }
            }
            // Segments on the stack
            0x06 | 0x0E | 0x16 | 0x1E => {
                self.pay::<OP>();
                self.push(self.segment((OP >> 3).into()));
            }
            0x07 | 0x17 | 0x1F => {
                self.pay::<OP>();
                let value = self.pop();
                self.set_segment((OP >> 3).into(), value);
                return Flow::Leave(Left::Shadow);
            }
            0x0F => {
                defined!(self.undocumented);
                self.pay::<OP>();
                let value = self.pop();
                self.set_code_segment(value);
            }
            // Prefixes
            0x26 | 0x2E | 0x36 | 0x3E => {
                self.prefixes.choose_segment(OP >> 3 & 3);
                return Flow::Prefix;
            }
            0xF0 => return Flow::Prefix,
            0xF2 => {
                self.prefixes.choose_repeat(Repeat::NotEqual);
                return Flow::Prefix;
            }
            0xF3 => {
                self.prefixes.choose_repeat(Repeat::Equal);
                return Flow::Prefix;
            }
            // Adjustments
            0x27 | 0x2F => {
                self.pay::<OP>();
                let (al, flags) = alu::decimal_adjust(self.byte(0), self.flags.word(), OP == 0x2F);
                self.set_byte(0, al);
                self.flags.set_word(flags);
            }
            0x37 | 0x3F => {
                self.pay::<OP>();
                let (ax, flags) = alu::digit_adjust(self.word(0), self.flags.word(), OP == 0x3F);
                self.set_word(0, ax);
                self.flags.set_word(flags);
            }
            // INC, DEC, PUSH, POP
            0x40 | 0x41 | 0x42 | 0x43 | 0x44 | 0x45 | 0x46 | 0x47 | 0x48 | 0x49 | 0x4A | 0x4B | 0x4C
            | 0x4D | 0x4E | 0x4F => {
                self.pay::<OP>();
                let value = self.count(self.word(register), OP & 8 != 0);
                self.set_word(register, value);
            }
            // SP is put there as it is after the instruction.
            0x54 => {
                self.pay::<OP>();
                self.push(self.word(SP).wrapping_sub(2));
            }
            0x50 | 0x51 | 0x52 | 0x53 | 0x55 | 0x56 | 0x57 => {
                self.pay::<OP>();
                self.push(self.word(register));
            }
            0x58 | 0x59 | 0x5A | 0x5B | 0x5C | 0x5D | 0x5E | 0x5F => {
                self.pay::<OP>();
                let value = self.pop();
                self.set_word(register, value);
            }
            // Conditional jumps
            0x60 | 0x61 | 0x62 | 0x63 | 0x64 | 0x65 | 0x66 | 0x67 | 0x68 | 0x69 | 0x6A | 0x6B | 0x6C
            | 0x6D | 0x6E | 0x6F => {
                defined!(self.undocumented);
                self.pay::<OP>();
                self.branch(self.flags.holds(OP & 15), MORE[OP as usize][0]);
            }
            0x70 | 0x71 | 0x72 | 0x73 | 0x74 | 0x75 | 0x76 | 0x77 | 0x78 | 0x79 | 0x7A | 0x7B | 0x7C
            | 0x7D | 0x7E | 0x7F => {
                self.pay::<OP>();
                self.branch(self.flags.holds(OP & 15), MORE[OP as usize][0]);
            }
            // A number and an operand
            0x80 | 0x82 => {
                let operand = operand!(self);
                let (left, right) = (self.operand_byte(operand), self.code_byte());
                let value = self.operate(operand.field() as u8, left, right);
                if operand.field() != 7 {
                    self.set_operand_byte(operand, value);
                }
            }
            0x81 | 0x83 => {
                let operand = operand!(self);
                let left = self.operand_word(operand);
                let right = if OP == 0x81 { self.code_word() } else { self.code_byte() as i8 as u16 };
                let value = self.operate(operand.field() as u8, left, right);
                if operand.field() != 7 {
                    self.set_operand_word(operand, value);
                }
            }
            0x84 => {
                let operand = operand!(self);
                let (left, right) = (self.operand_byte(operand), self.field_byte(operand));
                self.operate(4, left, right);
            }
            0x85 => {
                let operand = operand!(self);
                let (left, right) = (self.operand_word(operand), self.field_word(operand));
                self.operate(4, left, right);
            }
            0x86 => {
                let operand = operand!(self);
                let (other, own) = (self.operand_byte(operand), self.field_byte(operand));
                self.set_operand_byte(operand, own);
                self.set_field_byte(operand, other);
            }
            0x87 => {
                let operand = operand!(self);
                let (other, own) = (self.operand_word(operand), self.field_word(operand));
                self.set_operand_word(operand, own);
                self.set_field_word(operand, other);
            }
            // Moves
            0x88 => {
                let operand = operand!(self);
                self.set_operand_byte(operand, self.field_byte(operand));
            }
            0x89 => {
                let operand = operand!(self);
                self.set_operand_word(operand, self.field_word(operand));
            }
            0x8A => {
                let operand = operand!(self);
                let value = self.operand_byte(operand);
                self.set_field_byte(operand, value);
            }
            0x8B => {
                let operand = operand!(self);
                let value = self.operand_word(operand);
                self.set_field_word(operand, value);
            }
            0x8C => {
                let operand = operand!(self);
                self.set_operand_word(operand, self.segment(operand.field()));
            }
            0x8D => {
                let operand = operand!(self);
                self.set_field_word(operand, operand.place.offset);
            }
            0x8E => {
                let operand = operand!(self);
                let value = self.operand_word(operand);
                self.set_segment(operand.field(), value);
                return Flow::Leave(Left::Shadow);
            }
            0x8F => {
                let operand = operand!(self);
                let value = self.pop();
                self.set_operand_word(operand, value);
            }
            0xA0 | 0xA1 | 0xA2 | 0xA3 => {
                self.pay::<OP>();
                let offset = self.code_word();
                let place = self.place_in(DS, offset);
                match OP {
                    0xA0 => {
                        let value = self.load_byte(place);
                        self.set_byte(0, value);
                    }
                    0xA1 => {
                        let value = self.load_word(place);
                        self.set_word(0, value);
                    }
                    0xA2 => self.store_byte(place, self.byte(0)),
                    _ => self.store_word(place, self.word(0)),
                }
            }
            0xB0 | 0xB1 | 0xB2 | 0xB3 | 0xB4 | 0xB5 | 0xB6 | 0xB7 => {
                self.pay::<OP>();
                let value = self.code_byte();
                self.set_byte(OP & 7, value);
            }
            0xB8 | 0xB9 | 0xBA | 0xBB | 0xBC | 0xBD | 0xBE | 0xBF => {
                self.pay::<OP>();
                let value = self.code_word();
                self.set_word(register, value);
            }
            0xC6 => {
                let operand = operand!(self);
                let value = self.code_byte();
                self.set_operand_byte(operand, value);
            }
            0xC7 => {
                let operand = operand!(self);
                let value = self.code_word();
                self.set_operand_word(operand, value);
            }
            0xC4 | 0xC5 => {
                let operand = operand!(self);
                let (offset, segment) = self.far_pointer(operand);
                self.set_field_word(operand, offset);
                self.set_segment(if OP == 0xC4 { ES } else { DS }, segment);
            }
            0xD7 => {
                self.pay::<OP>();
                let offset = self.word(3).wrapping_add(self.byte(0).into());
                let place = self.place_in(DS, offset);
                let value = self.load_byte(place);
                self.set_byte(0, value);
            }
            // Exchanges and extensions; nothing holds TEST high.
            0x90 | 0x9B => self.pay::<OP>(),
            0x91 | 0x92 | 0x93 | 0x94 | 0x95 | 0x96 | 0x97 => {
                self.pay::<OP>();
                let (ax, other) = (self.word(0), self.word(register));
                self.set_word(0, other);
                self.set_word(register, ax);
            }
            0x98 => {
                self.pay::<OP>();
                self.set_word(0, self.byte(0) as i8 as u16);
            }
            0x99 => {
                self.pay::<OP>();
                self.set_word(2, if self.word(0) & 0x8000 == 0 { 0 } else { 0xFFFF });
            }
            // Flags
            0x9C => {
                self.pay::<OP>();
                self.push(self.flags.word());
            }
            0x9D => {
                self.pay::<OP>();
                let word = self.pop();
                self.set_all_flags(word);
                return Flow::Leave(Left::Looks);
            }
            0x9E => {
                self.pay::<OP>();
                let low = u16::from(self.byte(4));
                self.flags.set_word(self.flags.word() & 0xFF00 | low);
            }
            0x9F => {
                self.pay::<OP>();
                self.set_byte(4, self.flags.word() as u8);
            }
            0xF5 | 0xF8 | 0xF9 => {
                self.pay::<OP>();
                let carry = if OP == 0xF5 { self.flags.carry() ^ 1 } else { u32::from(OP & 1) };
                self.flags.set_carry(carry);
            }
            0xFA | 0xFC => {
                self.pay::<OP>();
                self.flags.control &= if OP == 0xFA { !INTERRUPT } else { !DIRECTION };
            }
            0xFB => {
                self.pay::<OP>();
                self.flags.control |= INTERRUPT;
                return Flow::Leave(Left::Shadow);
            }
            0xFD => {
                self.pay::<OP>();
                self.flags.control |= DIRECTION;
            }
            // Strings
            0xA4 | 0xA5 | 0xA6 | 0xA7 | 0xAA | 0xAB | 0xAC | 0xAD | 0xAE | 0xAF => {
                self.pay::<OP>();
                return self.string::<OP>(start);
            }
            0xA8 => {
                self.pay::<OP>();
                let right = self.code_byte();
                self.operate(4, self.byte(0), right);
            }
            0xA9 => {
                self.pay::<OP>();
                let right = self.code_word();
                self.operate(4, self.word(0), right);
            }
            // Calls, returns, jumps
            0x9A => {
                self.pay::<OP>();
                let (offset, segment) = (self.code_word(), self.code_word());
                self.push(self.segment(CS));
                self.push(self.ip);
                self.ip = offset;
                self.set_code_segment(segment);
            }
            0xC0 | 0xC1 | 0xC2 | 0xC3 | 0xC8 | 0xC9 | 0xCA | 0xCB => {
                if OP & 2 == 0 {
                    defined!(self.undocumented);
                }
                self.pay::<OP>();
                let more = if OP & 1 == 0 { self.code_word() } else { 0 };
                self.ip = self.pop();
                if OP & 8 != 0 {
                    let segment = self.pop();
                    self.set_code_segment(segment);
                }
                self.set_word(SP, self.word(SP).wrapping_add(more));
            }
            0xE8 => {
                self.pay::<OP>();
                let distance = self.code_word();
                self.push(self.ip);
                self.jump(distance, 0);
            }
            0xE9 | 0xEB => {
                self.pay::<OP>();
                let (distance, cells) =
                    if OP == 0xE9 { (self.code_word(), 3) } else { (self.code_byte() as i8 as u16, 2) };
                // Nothing but an event from outside can change anything then.
                if self.jump(distance, cells) && self.prefixes == Prefixes::NONE {
                    return Flow::Leave(Left::Exit(Exit::Idle));
                }
            }
            0xEA => {
                self.pay::<OP>();
                let (offset, segment) = (self.code_word(), self.code_word());
                self.ip = offset;
                self.set_code_segment(segment);
            }
            0xE0 | 0xE1 | 0xE2 => {
                self.pay::<OP>();
                let count = self.word(CX).wrapping_sub(1);
                self.set_word(CX, count);
                let holds = OP == 0xE2 || self.flags.is_zero() == (OP == 0xE1);
                self.branch(holds && count != 0, MORE[OP as usize][0]);
            }
            0xE3 => {
                self.pay::<OP>();
                self.branch(self.word(CX) == 0, MORE[OP as usize][0]);
            }
            // Interrupts
            0xCC => {
                self.pay::<OP>();
                return Flow::Leave(Left::Interrupt(3));
            }
            0xCD => {
                self.pay::<OP>();
                return Flow::Leave(Left::Interrupt(self.code_byte()));
            }
            0xCE => {
                self.pay::<OP>();
                if self.flags.has_overflow() {
                    self.spend(MORE[OP as usize][0]);
                    return Flow::Leave(Left::Interrupt(ON_OVERFLOW));
                }
            }
            0xCF => {
                self.pay::<OP>();
                self.ip = self.pop();
                let (segment, word) = (self.pop(), self.pop());
                self.set_code_segment(segment);
                self.set_all_flags(word);
                return Flow::Leave(Left::Looks);
            }
            0xF4 => {
                self.pay::<OP>();
                return Flow::Leave(Left::Exit(Exit::Halt));
            }
            // Shifts
            0xD0 | 0xD2 => {
                let operand = operand!(self);
                let count = self.turns::<OP>();
                let value = self.operand_byte(operand);
                let value = self.shift(operand.field(), value, count);
                self.set_operand_byte(operand, value);
            }
            0xD1 | 0xD3 => {
                let operand = operand!(self);
                let count = self.turns::<OP>();
                let value = self.operand_word(operand);
                let value = self.shift(operand.field(), value, count);
                self.set_operand_word(operand, value);
            }
            // In both the base is a byte of its own, of which the manual knows ten alone.
            0xD4 | 0xD5 => {
                defined!(self.code_byte() == 10);
                self.tally.add(const { Tally::step(OPERAND[OP as usize][1]) });
                let (al, ah) = (self.byte(0), self.byte(4));
                let (low, high) =
                    if OP == 0xD4 { (al % 10, al / 10) } else { (ah.wrapping_mul(10).wrapping_add(al), 0) };
                self.set_word(0, u16::from_le_bytes([low, high]));
                self.flags.set(low, 0);
            }
            0xD6 => {
                defined!(self.undocumented);
                self.pay::<OP>();
                self.set_byte(0, if self.flags.carry() != 0 { 0xFF } else { 0 });
            }
            // Another processor would see the operand; here nobody takes it.
            0xD8 | 0xD9 | 0xDA | 0xDB | 0xDC | 0xDD | 0xDE | 0xDF => {
                let operand = operand!(self);
                if operand.is_memory() {
                    self.operand_word(operand);
                }
            }
            // Ports
            0xE4 | 0xE5 | 0xE6 | 0xE7 | 0xEC | 0xED | 0xEE | 0xEF => {
                self.pay::<OP>();
                self.port::<OP>();
                if self.bus.attention() {
                    return Flow::Leave(Left::Exit(Exit::Attention));
                }
            }
            // Groups by the middle field
            0xF6 => {
                let operand = operand!(self);
                return self.byte_product(operand);
            }
            0xF7 => {
                let operand = operand!(self);
                return self.word_product(operand);
            }
            0xFE => {
                let operand = operand!(self);
                let value = self.operand_byte(operand);
                let value = self.count(value, operand.field() == 1);
                self.set_operand_byte(operand, value);
            }
            0xFF => {
                let operand = operand!(self);
                self.step_call_or_push(operand);
            }
            0xF1 => return Flow::Undefined,
        }
        Flow::Next
    }

    /// How often a shift shifts, where CL says it paid for.
    #[inline(always)]
    fn turns<const OP: u8>(&mut self) -> u8 {
        if OP & 2 == 0 {
            return 1;
        }
        let count = self.byte(CX as u8);
        self.tally.add(Tally::more_of(4 * u64::from(count)));
        count
    }

    #[inline(always)]
    fn set_all_flags(&mut self, word: u16) {
        let word = alu::stored(word);
        self.flags.control = word & !ARITHMETIC | ALWAYS;
        self.flags.set_word(word);
    }

    /// IN and OUT.
    #[inline(always)]
    fn port<const OP: u8>(&mut self) {
        let port = if OP & 8 == 0 { self.code_byte().into() } else { self.word(2) };
        let next = port.wrapping_add(1);
        match OP & 3 {
            0 => {
                let value = self.input(port);
                self.set_byte(0, value);
            }
            1 => {
                self.pay_for_port(port);
                let value = u16::from_le_bytes([self.input(port), self.input(next)]);
                self.set_word(0, value);
            }
            2 => self.output(port, self.byte(0)),
            _ => {
                self.pay_for_port(port);
                self.output(port, self.byte(0));
                self.output(next, self.byte(4));
            }
        }
    }

    /// F6h: TEST, NOT, NEG, MUL, IMUL, DIV, IDIV of a byte.
    #[inline(always)]
    fn byte_product(&mut self, operand: Operand) -> Flow {
        let value = self.operand_byte(operand);
        match operand.field() {
            0 | 1 => {
                let right = self.code_byte();
                self.operate(4, value, right);
            }
            2 => self.set_operand_byte(operand, !value),
            3 => {
                let value = self.operate(5, 0, value);
                self.set_operand_byte(operand, value);
            }
            field @ (4 | 5) => {
                let (low, high, says) = alu::multiply(self.byte(0), value, field == 5);
                self.set_word(0, u16::from_le_bytes([low, high]));
                self.set_product_flags(high, says);
            }
            field => {
                let divided = alu::divide(self.byte(4), self.byte(0), value, field == 7);
                let Some((quotient, rest)) = divided else { return self.division_error() };
                self.set_word(0, u16::from_le_bytes([quotient, rest]));
            }
        }
        Flow::Next
    }

    /// F7h: the same of a word.
    #[inline(always)]
    fn word_product(&mut self, operand: Operand) -> Flow {
        let value = self.operand_word(operand);
        match operand.field() {
            0 | 1 => {
                let right = self.code_word();
                self.operate(4, value, right);
            }
            2 => self.set_operand_word(operand, !value),
            3 => {
                let value = self.operate(5, 0, value);
                self.set_operand_word(operand, value);
            }
            field @ (4 | 5) => {
                let (low, high, says) = alu::multiply(self.word(0), value, field == 5);
                self.set_word(0, low);
                self.set_word(2, high);
                self.set_product_flags(high, says);
            }
            field => {
                let divided = alu::divide(self.word(2), self.word(0), value, field == 7);
                let Some((quotient, rest)) = divided else { return self.division_error() };
                self.set_word(0, quotient);
                self.set_word(2, rest);
            }
        }
        Flow::Next
    }

    #[inline(always)]
    fn division_error(&mut self) -> Flow {
        self.spend(INTERRUPT_CLOCKS);
        Flow::Leave(Left::Interrupt(DIVIDE))
    }

    /// CF and OF say whether the high half says anything; the others are undefined, and of the high half here.
    #[inline(always)]
    fn set_product_flags<V: Value>(&mut self, high: V, says: bool) {
        self.flags.set(high, 0);
        self.flags.set_carry_and_overflow(says.into(), says.into());
    }

    /// FFh: INC, DEC, calls and jumps through an operand, PUSH.
    #[inline(always)]
    fn step_call_or_push(&mut self, operand: Operand) {
        match operand.field() {
            field @ (0 | 1) => {
                let value = self.operand_word(operand);
                let value = self.count(value, field == 1);
                self.set_operand_word(operand, value);
            }
            2 => {
                let target = self.operand_word(operand);
                self.push(self.ip);
                self.ip = target;
            }
            3 => {
                let (offset, segment) = self.far_pointer(operand);
                self.push(self.segment(CS));
                self.push(self.ip);
                self.ip = offset;
                self.set_code_segment(segment);
            }
            4 => self.ip = self.operand_word(operand),
            5 => {
                let (offset, segment) = self.far_pointer(operand);
                self.ip = offset;
                self.set_code_segment(segment);
            }
            _ => {
                // SP is put there as it is after the instruction.
                let is_own = !operand.is_memory() && operand.last_field() == SP;
                let value = if is_own { self.word(SP).wrapping_sub(2) } else { self.operand_word(operand) };
                self.push(value);
            }
        }
    }
}
