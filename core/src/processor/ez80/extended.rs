//! The opcodes after ED, and those after DD and FD.

use super::execute::Done;
use super::operands::{Index, Step};
use crate::processor::Bus;
use crate::processor::z80::alu::{self, C, PV};

impl<B: Bus<Cell = u8>> Step<'_, B> {
    pub(super) fn extended(&mut self) -> Done {
        let opcode = self.opcode();
        let (field, pair) = (opcode >> 3 & 7, opcode >> 4 & 3);
        match opcode {
            0x02 | 0x12 | 0x22 => {
                let address = self.indexed(Index::Ix);
                self.set_pair(pair, address);
            }
            0x03 | 0x13 | 0x23 => {
                let address = self.indexed(Index::Iy);
                self.set_pair(pair, address);
            }
            0x32 | 0x55 => {
                let address = self.indexed(Index::Ix);
                self.set_index(if opcode == 0x32 { Index::Ix } else { Index::Iy }, address);
            }
            0x33 | 0x54 => {
                let address = self.indexed(Index::Iy);
                self.set_index(if opcode == 0x33 { Index::Iy } else { Index::Ix }, address);
            }
            0x65 | 0x66 => {
                let address = self.indexed(if opcode == 0x65 { Index::Ix } else { Index::Iy });
                self.push(address);
            }
            0x07 | 0x17 | 0x27 => {
                let value = self.read_word(self.hl());
                self.set_pair(pair, value);
            }
            0x0F | 0x1F | 0x2F => {
                self.write_word(self.hl(), self.whole_pair(pair));
            }
            0x31 | 0x37 => {
                let value = self.read_word(self.hl());
                self.set_index(if opcode == 0x31 { Index::Iy } else { Index::Ix }, value);
            }
            0x3E | 0x3F => {
                let value = self.index(if opcode == 0x3E { Index::Iy } else { Index::Ix });
                self.write_word(self.hl(), value);
            }
            0x00..=0x3F => return self.zero_page_port(opcode, field),
            0x44 => {
                let a = std::mem::take(&mut self.r.a);
                self.arithmetic(2, a);
            }
            0x45 | 0x4D => {
                self.go_back();
                if opcode == 0x4D {
                    self.bus.returned(self.tally.now());
                } else {
                    self.cpu.interrupts.restore();
                }
                return Done::Enabled;
            }
            0x46 | 0x56 | 0x5E => self.cpu.interrupts.mode = [0, 1, 2][usize::from(field.saturating_sub(1))],
            0x47 => self.r.i = self.r.i & 0xFF00 | u16::from(self.r.a),
            0x4F => (self.r.r, self.fetches) = (self.r.a, 0),
            0x57 | 0x5F => {
                self.count_fetches();
                let r = &mut self.r;
                let value = if opcode == 0x57 { r.i as u8 } else { r.r };
                r.a = value;
                self.flags_of(value);
                let enabled = if self.cpu.interrupts.second { PV } else { 0 };
                self.set_flags(self.flags() & !PV | enabled);
            }
            0x64 => {
                let value = self.byte();
                self.test(self.r.a, value);
            }
            0x67 | 0x6F => self.rotate_digits(opcode == 0x6F),
            0x6D => {
                if self.r.adl {
                    self.r.mbase = self.r.a;
                }
            }
            0x6E => self.r.a = self.r.mbase,
            0x74 => {
                let value = self.byte();
                let seen = self.input(self.r.bc & 0xFF);
                self.test(seen, value);
            }
            0x76 => return Done::Halt,
            0x7D | 0x7E => self.r.mixed = opcode == 0x7D,
            0x70 | 0x71 => return Done::Undefined,
            0x40..=0x7F => return self.regular_extended(opcode, field, pair),
            0xC7 => self.r.i = self.hl() as u16,
            0xD7 => {
                let i = self.r.i;
                self.set_pair(2, i.into());
            }
            _ => return self.block(opcode),
        }
        Done::On
    }

    /// IN0, OUT0 and TST.
    fn zero_page_port(&mut self, opcode: u8, field: u8) -> Done {
        match opcode & 7 {
            0 if field != 6 => {
                let port = self.byte();
                let value = self.input(port.into());
                self.set_register(field, value);
                self.flags_of(value);
            }
            1 if field != 6 => {
                let port = self.byte();
                self.output(port.into(), self.register(field));
            }
            4 => {
                let value = self.source(field);
                self.test(self.r.a, value);
            }
            _ => return Done::Undefined,
        }
        Done::On
    }

    /// Those from 40h to 7Fh that fall into columns.
    fn regular_extended(&mut self, opcode: u8, field: u8, pair: u8) -> Done {
        match opcode & 0x0F {
            0x00 | 0x08 => {
                let value = self.input(self.r.bc);
                self.set_register(field, value);
                self.flags_of(value);
            }
            0x01 | 0x09 => self.output(self.r.bc, self.register(field)),
            0x02 => {
                let borrow = self.flags() & C;
                let (difference, flags) = self.width().subtract(self.pair(2), self.pair(pair), borrow);
                self.set_pair(2, difference);
                self.set_flags(flags);
            }
            0x0A => {
                let carry = self.flags() & C;
                let (sum, flags) = self.width().add_with_carry(self.pair(2), self.pair(pair), carry);
                self.set_pair(2, sum);
                self.set_flags(flags);
            }
            0x03 => {
                let address = self.word();
                self.write_word(address, self.whole_pair(pair));
            }
            0x0B => {
                let address = self.word();
                let value = self.read_word(address);
                self.set_pair(pair, value);
            }
            0x0C => {
                self.spend(4);
                let word = self.pair(pair);
                self.set_pair(pair, (word >> 8 & 0xFF) * (word & 0xFF));
            }
            _ => return Done::Undefined,
        }
        Done::On
    }

    /// The flags of two bytes, bit by bit.
    fn test(&mut self, one: u8, other: u8) {
        self.set_flags(alu::result(one & other) | alu::H);
    }

    fn rotate_digits(&mut self, left: bool) {
        let cell = self.read(self.hl());
        let a = self.r.a;
        let (new, digit) =
            if left { (cell << 4 | a & 0x0F, cell >> 4) } else { (a << 4 | cell >> 4, cell & 0x0F) };
        self.spend(1);
        self.write(self.hl(), new);
        let a = a & 0xF0 | digit;
        self.r.a = a;
        self.flags_of(a);
    }

    /// The opcodes after DD or FD.
    pub(super) fn index_page(&mut self, index: Index) -> Done {
        let opcode = self.opcode();
        let (field, pair) = (opcode >> 3 & 7, opcode >> 4 & 3);
        let other = if index == Index::Ix { Index::Iy } else { Index::Ix };
        let is_half = |field: u8| field & 6 == 4;
        match opcode {
            0x09 | 0x19 | 0x29 | 0x39 => {
                let own = self.width().cut(self.index(index));
                let value = if pair == 2 { own } else { self.pair(pair) };
                let (sum, flags) = self.width().add(own, value, self.flags());
                self.set_index(index, sum);
                self.set_flags(flags);
            }
            0x21 => {
                let value = self.word();
                self.set_index(index, value);
            }
            0x22 => {
                let address = self.word();
                self.write_word(address, self.index(index));
            }
            0x2A => {
                let address = self.word();
                let value = self.read_word(address);
                self.set_index(index, value);
            }
            0x23 => self.set_index(index, self.index(index).wrapping_add(1)),
            0x2B => self.set_index(index, self.index(index).wrapping_sub(1)),
            0x24 | 0x2C | 0x25 | 0x2D => {
                let value = self.count(self.half(index, field), opcode & 1 != 0);
                self.set_half(index, field, value);
            }
            0x26 | 0x2E => {
                let value = self.byte();
                self.set_half(index, field, value);
            }
            0x34 | 0x35 => {
                let address = self.indexed(index);
                let value = self.read(address);
                self.spend(1);
                let value = self.count(value, opcode & 1 != 0);
                self.write(address, value);
            }
            0x36 => {
                let address = self.indexed(index);
                let value = self.byte();
                self.write(address, value);
            }
            0x07 | 0x17 | 0x27 | 0x31 | 0x37 => {
                let address = self.indexed(index);
                let value = self.read_word(address);
                match opcode {
                    0x31 => self.set_index(other, value),
                    0x37 => self.set_index(index, value),
                    _ => self.set_pair(pair, value),
                }
            }
            0x0F | 0x1F | 0x2F | 0x3E | 0x3F => {
                let address = self.indexed(index);
                let value = match opcode {
                    0x3E => self.index(other),
                    0x3F => self.index(index),
                    _ => self.whole_pair(pair),
                };
                self.write_word(address, value);
            }
            0x76 => return Done::Undefined,
            0x40..=0x7F if opcode & 7 == 6 => {
                let address = self.indexed(index);
                let value = self.read(address);
                self.set_register(field, value);
            }
            0x70..=0x77 => {
                let address = self.indexed(index);
                self.write(address, self.register(opcode));
            }
            0x40..=0x7F if is_half(opcode) || is_half(field) => {
                let from = opcode & 7;
                let value = if is_half(from) { self.half(index, from) } else { self.register(from) };
                if is_half(field) {
                    self.set_half(index, field, value)
                } else {
                    self.set_register(field, value)
                }
            }
            0x80..=0xBF if opcode & 7 == 6 => {
                let address = self.indexed(index);
                let value = self.read(address);
                self.arithmetic(field, value);
            }
            0x80..=0xBF if is_half(opcode) => {
                let value = self.half(index, opcode);
                self.arithmetic(field, value);
            }
            0xCB => return self.indexed_bits(index),
            0xE1 => {
                let value = self.pop();
                self.set_index(index, value);
            }
            0xE3 => {
                let value = self.exchange_with_stack(self.index(index));
                self.set_index(index, value);
            }
            0xE5 => self.push(self.index(index)),
            0xE9 => {
                self.spend(1);
                return self.jump_to(self.index(index), self.long);
            }
            0xF9 => self.set_stack_pointer(self.long, self.index(index)),
            _ => return Done::Undefined,
        }
        Done::On
    }

    fn indexed_bits(&mut self, index: Index) -> Done {
        let address = self.indexed(index);
        let opcode = self.byte();
        if opcode & 7 != 6 || opcode & 0xF8 == 0x30 {
            return Done::Undefined;
        }
        let value = self.read(address);
        if let Some((value, true)) = self.bits(opcode, value) {
            self.spend(1);
            self.write(address, value);
        }
        Done::On
    }
}
