//! A second definition of the 8080 and 8085, written from Intel's manuals bit by bit and as plainly as can be: no
//! tables, one flag at a time, opcodes taken apart by their fields. The executor is held against it.

/// Which chip.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Chip {
    I8080,
    I8085,
    U8085,
}

/// Everything a program can see.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Model {
    pub chip: Chip,
    /// B, C, D, E, H, L, (unused), A, as the instructions number them.
    pub r: [u8; 8],
    pub sign: bool,
    pub zero: bool,
    pub half: bool,
    pub parity: bool,
    pub carry: bool,
    pub overflow: bool,
    pub x5: bool,
    pub sp: u16,
    pub pc: u16,
    pub memory: Vec<u8>,
    pub port_in: u8,
    pub written: Vec<(u8, u8)>,
    pub enabled: bool,
    pub halted: bool,
    pub states: u64,
}

impl Model {
    fn is_80(&self) -> bool {
        self.chip == Chip::I8080
    }

    fn undocumented(&self) -> bool {
        self.chip == Chip::U8085
    }

    pub fn flag_byte(&self) -> u8 {
        let bit = |flag: bool, at: u32| u8::from(flag) << at;
        let documented = bit(self.sign, 7)
            | bit(self.zero, 6)
            | bit(self.half, 4)
            | bit(self.parity, 2)
            | bit(self.carry, 0);
        match self.chip {
            Chip::I8080 => documented | 2,
            Chip::I8085 => documented,
            Chip::U8085 => documented | bit(self.x5, 5) | bit(self.overflow, 1),
        }
    }

    pub fn set_flag_byte(&mut self, f: u8) {
        let bit = |at: u32| f >> at & 1 == 1;
        (self.sign, self.zero, self.half, self.parity, self.carry) = (bit(7), bit(6), bit(4), bit(2), bit(0));
        if self.undocumented() {
            (self.x5, self.overflow) = (bit(5), bit(1));
        }
    }

    fn get(&self, number: u8) -> u8 {
        if number == 6 { self.memory[usize::from(self.pair(2))] } else { self.r[usize::from(number)] }
    }

    fn set(&mut self, number: u8, value: u8) {
        if number == 6 {
            let at = usize::from(self.pair(2));
            self.memory[at] = value;
        } else {
            self.r[usize::from(number)] = value;
        }
    }

    /// BC, DE, HL, SP.
    fn pair(&self, number: u8) -> u16 {
        if number == 3 {
            return self.sp;
        }
        let at = usize::from(number) * 2;
        u16::from(self.r[at]) * 256 + u16::from(self.r[at + 1])
    }

    fn set_pair(&mut self, number: u8, value: u16) {
        if number == 3 {
            self.sp = value;
        } else {
            let at = usize::from(number) * 2;
            self.r[at] = (value / 256) as u8;
            self.r[at + 1] = (value % 256) as u8;
        }
    }

    fn read(&self, at: u16) -> u8 {
        self.memory[usize::from(at)]
    }

    fn read_word(&self, at: u16) -> u16 {
        u16::from(self.read(at)) + 256 * u16::from(self.read(at.wrapping_add(1)))
    }

    fn write_word(&mut self, at: u16, value: u16) {
        self.memory[usize::from(at)] = (value % 256) as u8;
        self.memory[usize::from(at.wrapping_add(1))] = (value / 256) as u8;
    }

    fn next_byte(&mut self) -> u8 {
        let byte = self.read(self.pc);
        self.pc = self.pc.wrapping_add(1);
        byte
    }

    fn next_word(&mut self) -> u16 {
        let word = self.read_word(self.pc);
        self.pc = self.pc.wrapping_add(2);
        word
    }

    fn push(&mut self, value: u16) {
        self.sp = self.sp.wrapping_sub(2);
        // The high byte goes first, to the higher address.
        self.memory[usize::from(self.sp.wrapping_add(1))] = (value / 256) as u8;
        self.memory[usize::from(self.sp)] = (value % 256) as u8;
    }

    fn pop(&mut self) -> u16 {
        let value = self.read_word(self.sp);
        self.sp = self.sp.wrapping_add(2);
        value
    }

    fn result_flags(&mut self, result: u8) {
        self.sign = result >= 128;
        self.zero = result == 0;
        let mut ones = 0;
        for bit in 0..8 {
            ones += result >> bit & 1;
        }
        self.parity = ones % 2 == 0;
    }

    /// Adds bit by bit and sets every flag.
    fn add(&mut self, left: u8, right: u8, carry_in: bool) -> u8 {
        let mut carry = carry_in;
        let mut result = 0;
        let mut into_sign = false;
        for bit in 0..8 {
            let (a, b) = (left >> bit & 1 == 1, right >> bit & 1 == 1);
            if bit == 7 {
                into_sign = carry;
            }
            result |= u8::from(a ^ b ^ carry) << bit;
            carry = u8::from(a) + u8::from(b) + u8::from(carry) >= 2;
            if bit == 3 {
                self.half = carry;
            }
        }
        self.carry = carry;
        self.overflow = into_sign != carry;
        self.result_flags(result);
        self.x5 = self.overflow != self.sign;
        result
    }

    /// Subtraction is addition of the complement; the carry comes out complemented.
    fn subtract(&mut self, left: u8, right: u8, borrow: bool) -> u8 {
        let result = self.add(left, !right, !borrow);
        self.carry = !self.carry;
        result
    }

    fn logic(&mut self, result: u8, half: bool) -> u8 {
        self.result_flags(result);
        (self.carry, self.half, self.overflow) = (false, half, false);
        self.x5 = self.sign;
        result
    }

    fn accumulate(&mut self, operation: u8, value: u8) {
        let a = self.r[7];
        self.r[7] = match operation {
            0 => self.add(a, value, false),
            1 => self.add(a, value, self.carry),
            2 => self.subtract(a, value, false),
            3 => self.subtract(a, value, self.carry),
            4 => {
                let half = if self.is_80() { (a | value) & 8 != 0 } else { true };
                self.logic(a & value, half)
            }
            5 => self.logic(a ^ value, false),
            6 => self.logic(a | value, false),
            _ => {
                self.subtract(a, value, false);
                a
            }
        };
    }

    fn condition(&self, number: u8) -> bool {
        match number {
            0 => !self.zero,
            1 => self.zero,
            2 => !self.carry,
            3 => self.carry,
            4 => !self.parity,
            5 => self.parity,
            6 => !self.sign,
            _ => self.sign,
        }
    }

    /// T-states of the two chips.
    fn takes(&mut self, on_80: u64, on_85: u64) {
        self.states += if self.is_80() { on_80 } else { on_85 };
    }

    /// Executes one instruction; false where the opcode is none.
    pub fn step(&mut self) -> bool {
        let at = self.pc;
        let opcode = self.next_byte();
        let (high, middle, low) = (opcode >> 6, opcode >> 3 & 7, opcode & 7);
        let known = match high {
            1 if opcode == 0x76 => {
                self.takes(7, 5);
                self.halted = true;
                true
            }
            1 => {
                let memory = middle == 6 || low == 6;
                if memory {
                    self.takes(7, 7)
                } else {
                    self.takes(5, 4)
                }
                let value = self.get(low);
                self.set(middle, value);
                true
            }
            2 => {
                if low == 6 {
                    self.takes(7, 7)
                } else {
                    self.takes(4, 4)
                }
                let value = self.get(low);
                self.accumulate(middle, value);
                true
            }
            0 => self.first_quarter(middle, low),
            _ => self.last_quarter(middle, low),
        };
        if !known {
            self.pc = at;
        }
        known
    }

    fn first_quarter(&mut self, middle: u8, low: u8) -> bool {
        let pair = middle / 2;
        match (low, middle) {
            (0, 0) => self.takes(4, 4),
            (0, 4) if !self.is_80() => {
                self.takes(4, 4);
                // No serial input, nothing pending, all masks set.
                self.r[7] = 0x80 | u8::from(self.enabled) << 3 | 7;
            }
            (0, 6) if !self.is_80() => self.takes(4, 4),
            (0, _) => return self.undocumented() && self.undocumented_low(middle),
            (1, 0 | 2 | 4 | 6) => {
                self.takes(10, 10);
                let word = self.next_word();
                self.set_pair(pair, word);
            }
            (1, _) => {
                self.takes(10, 10);
                let (left, right) = (u32::from(self.pair(2)), u32::from(self.pair(pair)));
                self.carry = left + right > 0xFFFF;
                let sum = (left + right) as u16;
                let (a, b, c) = (left as u16 >= 0x8000, right as u16 >= 0x8000, sum >= 0x8000);
                self.overflow = a == b && a != c;
                self.set_pair(2, sum);
            }
            (2, 0 | 2) => {
                self.takes(7, 7);
                let at = self.pair(pair);
                self.memory[usize::from(at)] = self.r[7];
            }
            (2, 1 | 3) => {
                self.takes(7, 7);
                self.r[7] = self.read(self.pair(pair));
            }
            (2, 4) => {
                self.takes(16, 16);
                let at = self.next_word();
                self.write_word(at, self.pair(2));
            }
            (2, 5) => {
                self.takes(16, 16);
                let at = self.next_word();
                let word = self.read_word(at);
                self.set_pair(2, word);
            }
            (2, 6) => {
                self.takes(13, 13);
                let at = self.next_word();
                self.memory[usize::from(at)] = self.r[7];
            }
            (2, _) => {
                self.takes(13, 13);
                let at = self.next_word();
                self.r[7] = self.read(at);
            }
            (3, _) => {
                self.takes(5, 6);
                let up = middle.is_multiple_of(2);
                let before = self.pair(pair);
                let value = if up { before.wrapping_add(1) } else { before.wrapping_sub(1) };
                self.x5 = if up { before == 0xFFFF } else { before == 0 };
                self.set_pair(pair, value);
            }
            (4 | 5, _) => {
                if middle == 6 {
                    self.takes(10, 10)
                } else {
                    self.takes(5, 4)
                }
                let (before, carry) = (self.get(middle), self.carry);
                let after =
                    if low == 4 { self.add(before, 1, false) } else { self.subtract(before, 1, false) };
                self.carry = carry;
                self.set(middle, after);
            }
            (6, _) => {
                if middle == 6 {
                    self.takes(10, 10)
                } else {
                    self.takes(7, 7)
                }
                let value = self.next_byte();
                self.set(middle, value);
            }
            (_, _) => {
                self.takes(4, 4);
                self.accumulator(middle);
            }
        }
        true
    }

    fn accumulator(&mut self, which: u8) {
        let a = self.r[7];
        let (top, bottom, carry) = (a >= 128, a % 2 == 1, self.carry);
        match which {
            0 => (self.r[7], self.carry) = (a << 1 | u8::from(top), top),
            1 => (self.r[7], self.carry) = (a >> 1 | u8::from(bottom) << 7, bottom),
            2 => (self.r[7], self.carry) = (a << 1 | u8::from(carry), top),
            3 => (self.r[7], self.carry) = (a >> 1 | u8::from(carry) << 7, bottom),
            4 => {
                // Six to the low digit, then six to the high one, as the manual tells it.
                let (half, low) = (self.half, a % 16);
                let mut correction = if half || low > 9 { 6 } else { 0 };
                let high = a / 16;
                if carry || high > 9 || high == 9 && low > 9 {
                    correction += 0x60;
                }
                self.r[7] = self.add(a, correction, false);
                self.carry = carry || correction >= 0x60;
            }
            5 => self.r[7] = !a,
            6 => self.carry = true,
            _ => self.carry = !carry,
        }
    }

    fn undocumented_low(&mut self, middle: u8) -> bool {
        match middle {
            1 => {
                self.takes(10, 10);
                let (l, c, h, b) = (self.r[5], self.r[1], self.r[4], self.r[0]);
                self.r[5] = self.subtract(l, c, false);
                self.r[4] = self.subtract(h, b, self.carry);
                self.zero = self.pair(2) == 0;
            }
            2 => {
                self.takes(7, 7);
                let hl = self.pair(2);
                self.carry = hl % 2 == 1;
                self.set_pair(2, (hl / 2) | (hl & 0x8000));
            }
            3 => {
                self.takes(10, 10);
                let de = self.pair(1);
                let value = de << 1 | u16::from(self.carry);
                self.carry = de >= 0x8000;
                self.overflow = (de >= 0x8000) != (value >= 0x8000);
                self.set_pair(1, value);
            }
            5 | 7 => {
                self.takes(10, 10);
                let base = if middle == 5 { self.pair(2) } else { self.sp };
                let sum = base.wrapping_add(u16::from(self.next_byte()));
                self.set_pair(1, sum);
            }
            _ => return false,
        }
        true
    }

    fn jump(&mut self, holds: bool, states: [(u64, u64); 2]) {
        let target = self.next_word();
        let (on_80, on_85) = states[usize::from(holds)];
        self.takes(on_80, on_85);
        if holds {
            self.pc = target;
        }
    }

    fn last_quarter(&mut self, middle: u8, low: u8) -> bool {
        let holds = self.condition(middle);
        match (low, middle) {
            (0, _) => {
                if holds {
                    self.takes(11, 12)
                } else {
                    self.takes(5, 6)
                }
                if holds {
                    self.pc = self.pop();
                }
            }
            (2, _) => self.jump(holds, [(10, 7), (10, 10)]),
            (3, 0) => self.jump(true, [(10, 10), (10, 10)]),
            (4, _) => {
                let target = self.next_word();
                if holds {
                    self.takes(17, 18)
                } else {
                    self.takes(11, 9)
                }
                if holds {
                    self.push(self.pc);
                    self.pc = target;
                }
            }
            (5, 1) => {
                self.takes(17, 18);
                let target = self.next_word();
                self.push(self.pc);
                self.pc = target;
            }
            (1, 1) => {
                self.takes(10, 10);
                self.pc = self.pop();
            }
            (7, _) => {
                self.takes(11, 12);
                self.push(self.pc);
                self.pc = u16::from(middle) * 8;
            }
            (6, _) => {
                self.takes(7, 7);
                let value = self.next_byte();
                self.accumulate(middle, value);
            }
            (5, 0 | 2 | 4) => {
                self.takes(11, 12);
                self.push(self.pair(middle / 2));
            }
            (5, 6) => {
                self.takes(11, 12);
                self.push(u16::from(self.r[7]) * 256 + u16::from(self.flag_byte()));
            }
            (1, 0 | 2 | 4) => {
                self.takes(10, 10);
                let word = self.pop();
                self.set_pair(middle / 2, word);
            }
            (1, 6) => {
                self.takes(10, 10);
                let word = self.pop();
                self.r[7] = (word / 256) as u8;
                self.set_flag_byte((word % 256) as u8);
            }
            (1, 5) => {
                self.takes(5, 6);
                self.pc = self.pair(2);
            }
            (1, 7) => {
                self.takes(5, 6);
                self.sp = self.pair(2);
            }
            (3, 2) => {
                self.takes(10, 10);
                let port = self.next_byte();
                self.written.push((port, self.r[7]));
            }
            (3, 3) => {
                self.takes(10, 10);
                self.next_byte();
                self.r[7] = self.port_in;
            }
            (3, 4) => {
                self.takes(18, 16);
                let (top, hl) = (self.read_word(self.sp), self.pair(2));
                self.write_word(self.sp, hl);
                self.set_pair(2, top);
            }
            (3, 5) => {
                self.takes(4, 4);
                self.r.swap(2, 4);
                self.r.swap(3, 5);
            }
            (3, 6 | 7) => {
                self.takes(4, 4);
                self.enabled = middle == 7;
            }
            _ => return self.undocumented() && self.undocumented_high(middle, low),
        }
        true
    }

    fn undocumented_high(&mut self, middle: u8, low: u8) -> bool {
        match (low, middle) {
            (3, 1) => {
                if self.overflow {
                    self.takes(12, 12)
                } else {
                    self.takes(6, 6)
                }
                if self.overflow {
                    self.push(self.pc);
                    self.pc = 0x40;
                }
            }
            (1, 3) => {
                self.takes(10, 10);
                self.write_word(self.pair(1), self.pair(2));
            }
            (5, 5) => {
                self.takes(10, 10);
                let word = self.read_word(self.pair(1));
                self.set_pair(2, word);
            }
            (5, 3) => self.jump(!self.x5, [(7, 7), (10, 10)]),
            (5, 7) => self.jump(self.x5, [(7, 7), (10, 10)]),
            _ => return false,
        }
        true
    }
}
