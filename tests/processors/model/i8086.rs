//! The 8086 as its user's manual describes it: slow, bit by bit, one instruction or one turn of a repeated one at a time.

use std::collections::BTreeMap;

/// Memory that is made up until it is written to, and ports that answer with one value.
#[derive(Clone, Default)]
pub struct Memory {
    pub seed: u64,
    pub written: BTreeMap<u32, u8>,
}

impl Memory {
    pub fn get(&self, address: u32) -> u8 {
        let made_up = (u64::from(address) ^ self.seed).wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 56;
        self.written.get(&address).copied().unwrap_or(made_up as u8)
    }

    pub fn set(&mut self, address: u32, value: u8) {
        self.written.insert(address, value);
    }
}

/// The flags one by one: OF DF IF TF SF ZF AF PF CF.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Flags {
    pub o: bool,
    pub d: bool,
    pub i: bool,
    pub t: bool,
    pub s: bool,
    pub z: bool,
    pub a: bool,
    pub p: bool,
    pub c: bool,
}

impl Flags {
    pub fn of(word: u16) -> Self {
        let bit = |at: u32| word >> at & 1 == 1;
        let [o, d, i, t, s, z, a, p, c] = [11, 10, 9, 8, 7, 6, 4, 2, 0].map(bit);
        Self { o, d, i, t, s, z, a, p, c }
    }

    pub fn word(self) -> u16 {
        let Self { o, d, i, t, s, z, a, p, c } = self;
        let bits = [(o, 11), (d, 10), (i, 9), (t, 8), (s, 7), (z, 6), (a, 4), (p, 2), (c, 0)];
        0xF002 + bits.into_iter().map(|(flag, at)| u16::from(flag) << at).sum::<u16>()
    }
}

/// How a step went.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Went {
    On,
    Undefined,
    Halted,
    /// A repeated instruction has more to do.
    Again,
}

#[derive(Clone)]
pub struct Model {
    pub undocumented: bool,
    /// AX CX DX BX SP BP SI DI.
    pub r: [u16; 8],
    /// ES CS SS DS.
    pub s: [u16; 4],
    pub ip: u16,
    pub f: Flags,
    pub memory: Memory,
    pub port_in: u8,
    pub put_out: Vec<(u32, u8)>,
    /// Words at odd addresses and at any, in this step.
    pub odd_words: u64,
    pub words: u64,
    /// A branch was taken.
    pub taken: bool,
    /// A division had no room for its quotient.
    pub divide_error: bool,
}

/// Where an operand is.
#[derive(Clone, Copy)]
enum Place {
    Register(usize),
    Memory(usize, u16),
}

impl Model {
    fn linear(&self, segment: usize, offset: u16) -> u32 {
        (u32::from(self.s[segment]) * 16 + u32::from(offset)) % 0x10_0000
    }

    fn read(&self, segment: usize, offset: u16) -> u8 {
        self.memory.get(self.linear(segment, offset))
    }

    fn write(&mut self, segment: usize, offset: u16, value: u8) {
        self.memory.set(self.linear(segment, offset), value);
    }

    fn count_word(&mut self, address: u32) {
        self.words += 1;
        self.odd_words += u64::from(address % 2);
    }

    fn read_word(&mut self, segment: usize, offset: u16) -> u16 {
        self.count_word(self.linear(segment, offset));
        u16::from(self.read(segment, offset)) + 256 * u16::from(self.read(segment, offset.wrapping_add(1)))
    }

    fn write_word(&mut self, segment: usize, offset: u16, value: u16) {
        self.count_word(self.linear(segment, offset));
        self.write(segment, offset, (value % 256) as u8);
        self.write(segment, offset.wrapping_add(1), (value / 256) as u8);
    }

    fn next(&mut self) -> u8 {
        let value = self.read(1, self.ip);
        self.ip = self.ip.wrapping_add(1);
        value
    }

    fn next_word(&mut self) -> u16 {
        u16::from(self.next()) + 256 * u16::from(self.next())
    }

    fn push(&mut self, value: u16) {
        self.r[4] = self.r[4].wrapping_sub(2);
        self.write_word(2, self.r[4], value);
    }

    fn pop(&mut self) -> u16 {
        let value = self.read_word(2, self.r[4]);
        self.r[4] = self.r[4].wrapping_add(2);
        value
    }

    fn interrupt(&mut self, number: u8) {
        self.push(self.f.word());
        self.push(self.s[1]);
        self.push(self.ip);
        (self.f.i, self.f.t) = (false, false);
        let at = u32::from(number) * 4;
        let word =
            |model: &Self, at| u16::from(model.memory.get(at)) + 256 * u16::from(model.memory.get(at + 1));
        self.words += 2;
        (self.ip, self.s[1]) = (word(self, at), word(self, at + 2));
    }

    fn byte_register(&self, code: usize) -> u16 {
        if code < 4 { self.r[code] % 256 } else { self.r[code - 4] / 256 }
    }

    fn set_byte_register(&mut self, code: usize, value: u16) {
        if code < 4 {
            self.r[code] = self.r[code] / 256 * 256 + value % 256;
        } else {
            self.r[code - 4] = self.r[code - 4] % 256 + value % 256 * 256;
        }
    }

    fn get(&mut self, place: Place, wide: bool) -> u16 {
        match (place, wide) {
            (Place::Register(code), true) => self.r[code],
            (Place::Register(code), false) => self.byte_register(code),
            (Place::Memory(segment, offset), true) => self.read_word(segment, offset),
            (Place::Memory(segment, offset), false) => self.read(segment, offset).into(),
        }
    }

    fn put(&mut self, place: Place, wide: bool, value: u16) {
        match (place, wide) {
            (Place::Register(code), true) => self.r[code] = value,
            (Place::Register(code), false) => self.set_byte_register(code, value),
            (Place::Memory(segment, offset), true) => self.write_word(segment, offset, value),
            (Place::Memory(segment, offset), false) => self.write(segment, offset, value as u8),
        }
    }

    /// Mode, middle field, and the operand.
    fn operand(&mut self, segment: Option<usize>) -> (u8, usize, Place) {
        let byte = self.next();
        let (mode, middle, low) = (byte / 64, usize::from(byte / 8 % 8), usize::from(byte % 8));
        if mode == 3 {
            return (mode, middle, Place::Register(low));
        }
        let [_, _, _, bx, _, bp, si, di] = self.r;
        // Base, index, and the usual segment.
        let (mut sum, mut usual) = [
            (bx.wrapping_add(si), 3),
            (bx.wrapping_add(di), 3),
            (bp.wrapping_add(si), 2),
            (bp.wrapping_add(di), 2),
            (si, 3),
            (di, 3),
            (bp, 2),
            (bx, 3),
        ][low];
        match (mode, low) {
            (0, 6) => (sum, usual) = (self.next_word(), 3),
            (1, _) => sum = sum.wrapping_add(i16::from(self.next() as i8) as u16),
            (2, _) => sum = sum.wrapping_add(self.next_word()),
            _ => {}
        }
        (mode, middle, Place::Memory(segment.unwrap_or(usual), sum))
    }

    fn of_result(&mut self, value: u16, wide: bool) {
        let bits = if wide { 16 } else { 8 };
        self.f.s = value >> (bits - 1) & 1 == 1;
        self.f.z = if wide { value == 0 } else { value.is_multiple_of(256) };
        self.f.p = (0..8).filter(|at| value >> at & 1 == 1).count() % 2 == 0;
    }

    /// A sum bit by bit.
    fn sum(&mut self, left: u16, right: u16, carry: bool, wide: bool) -> u16 {
        let (mut sum, mut carry, mut before) = (0, carry, false);
        for at in 0..if wide { 16 } else { 8 } {
            let ones = (left >> at & 1) + (right >> at & 1) + u16::from(carry);
            sum |= (ones & 1) << at;
            before = carry;
            carry = ones > 1;
            if at == 3 {
                self.f.a = carry;
            }
        }
        self.f.c = carry;
        self.f.o = carry != before;
        self.of_result(sum, wide);
        sum
    }

    /// A difference is a sum with the complement, and borrows where that does not carry.
    fn difference(&mut self, left: u16, right: u16, borrow: bool, wide: bool) -> u16 {
        let value = self.sum(left, !right, !borrow, wide);
        (self.f.c, self.f.a) = (!self.f.c, !self.f.a);
        value
    }

    fn logic(&mut self, value: u16, wide: bool) -> u16 {
        (self.f.c, self.f.o, self.f.a) = (false, false, false);
        self.of_result(value, wide);
        value
    }

    /// ADD OR ADC SBB AND SUB XOR CMP; nothing is to be written after a comparison.
    fn operate(&mut self, code: usize, left: u16, right: u16, wide: bool) -> Option<u16> {
        let carry = self.f.c;
        Some(match code {
            0 => self.sum(left, right, false, wide),
            1 => self.logic(left | right, wide),
            2 => self.sum(left, right, carry, wide),
            3 => self.difference(left, right, carry, wide),
            4 => self.logic(left & right, wide),
            5 => self.difference(left, right, false, wide),
            6 => self.logic(left ^ right, wide),
            _ => {
                self.difference(left, right, false, wide);
                return None;
            }
        })
    }

    fn shift_once(&mut self, code: usize, value: u16, wide: bool) -> u16 {
        let bits = if wide { 16 } else { 8 };
        let mut row: Vec<bool> = (0..bits).map(|at| value >> at & 1 == 1).collect();
        let (low, high) = (row[0], row[bits - 1]);
        let left = code.is_multiple_of(2);
        let fills = match code {
            0 => high,
            1 => low,
            2 | 3 => self.f.c,
            7 => high,
            _ => false,
        };
        if left {
            row.pop();
            row.insert(0, fills);
        } else {
            row.remove(0);
            row.push(fills);
        }
        self.f.c = if left { high } else { low };
        self.f.o = if left { row[bits - 1] != self.f.c } else { row[bits - 1] != row[bits - 2] };
        let value = row.iter().rev().fold(0, |value, &bit| value << 1 | u16::from(bit));
        if code > 3 {
            self.of_result(value, wide);
        }
        value
    }

    fn condition(&self, code: u8) -> bool {
        let Flags { o, s, z, p, c, .. } = self.f;
        [o, !o, c, !c, z, !z, c || z, !(c || z), s, !s, p, !p, s != o, s == o, z || s != o, !z && s == o]
            [usize::from(code)]
    }

    fn near(&mut self, distance: u16, holds: bool) {
        self.taken = holds;
        if holds {
            self.ip = self.ip.wrapping_add(distance);
        }
    }

    /// One turn of a string instruction. False where its comparison ends a repetition.
    fn string(&mut self, opcode: u8, segment: Option<usize>) {
        let wide = opcode % 2 == 1;
        let by = if wide { 2 } else { 1 };
        let step = |model: &mut Self, register: usize| {
            let word = model.r[register];
            model.r[register] = if model.f.d { word.wrapping_sub(by) } else { word.wrapping_add(by) };
        };
        let from = Place::Memory(segment.unwrap_or(3), self.r[6]);
        let to = Place::Memory(0, self.r[7]);
        let (takes, puts) = (matches!(opcode, 0xA4..=0xA7 | 0xAC..=0xAD), !matches!(opcode, 0xAC..=0xAD));
        match opcode & 0xFE {
            0xA4 => {
                let value = self.get(from, wide);
                self.put(to, wide, value);
            }
            0xA6 => {
                let (left, right) = (self.get(from, wide), self.get(to, wide));
                self.difference(left, right, false, wide);
            }
            0xAA => self.put(to, wide, self.r[0]),
            0xAC => {
                let value = self.get(from, wide);
                self.put(Place::Register(0), wide, value);
            }
            _ => {
                let right = self.get(to, wide);
                self.difference(self.r[0], right, false, wide);
            }
        }
        if takes {
            step(self, 6);
        }
        if puts {
            step(self, 7);
        }
    }

    /// Executes one instruction, or one turn of a repeated one.
    pub fn step(&mut self) -> Went {
        let start = self.ip;
        (self.odd_words, self.words, self.taken, self.divide_error) = (0, 0, false, false);
        let (mut segment, mut repeat) = (None, None);
        let opcode = loop {
            match self.next() {
                prefix @ (0x26 | 0x2E | 0x36 | 0x3E) => segment = Some(usize::from(prefix / 8 % 4)),
                0xF0 => {}
                prefix @ (0xF2 | 0xF3) => repeat = Some(prefix == 0xF3),
                other => break other,
            }
        };
        if matches!(opcode, 0xA4..=0xA7 | 0xAA..=0xAF) {
            let Some(equal) = repeat else {
                self.string(opcode, segment);
                return Went::On;
            };
            if self.r[1] == 0 {
                return Went::On;
            }
            self.string(opcode, segment);
            self.r[1] -= 1;
            let compares = matches!(opcode, 0xA6..=0xA7 | 0xAE..=0xAF);
            if self.r[1] == 0 || compares && self.f.z != equal {
                return Went::On;
            }
            self.ip = start;
            return Went::Again;
        }
        let before = self.clone();
        let went = self.execute(opcode, segment);
        if went == Went::Undefined {
            *self = Self { ip: start, ..before };
        }
        went
    }

    fn execute(&mut self, opcode: u8, segment: Option<usize>) -> Went {
        let wide = opcode % 2 == 1;
        let low = usize::from(opcode % 8);
        match opcode {
            0x00..=0x3F if low < 6 => {
                let code = usize::from(opcode / 8);
                let (to, right, left) = match low {
                    4 | 5 => {
                        let right = if wide { self.next_word() } else { self.next().into() };
                        (Place::Register(0), right, self.get(Place::Register(0), wide))
                    }
                    _ => {
                        let (_, middle, operand) = self.operand(segment);
                        let own = Place::Register(middle);
                        let (to, from) = if low < 2 { (operand, own) } else { (own, operand) };
                        (to, self.get(from, wide), self.get(to, wide))
                    }
                };
                if let Some(value) = self.operate(code, left, right, wide) {
                    self.put(to, wide, value);
                }
            }
            0x06 | 0x0E | 0x16 | 0x1E => self.push(self.s[usize::from(opcode / 8)]),
            0x0F if !self.undocumented => return Went::Undefined,
            0x07 | 0x0F | 0x17 | 0x1F => self.s[usize::from(opcode / 8)] = self.pop(),
            0x27 | 0x2F => self.decimal(opcode == 0x2F),
            0x37 | 0x3F => self.digit(opcode == 0x3F),
            0x40..=0x4F => {
                let carry = self.f.c;
                let left = self.r[low];
                let value = if opcode < 0x48 {
                    self.sum(left, 1, false, true)
                } else {
                    self.difference(left, 1, false, true)
                };
                (self.r[low], self.f.c) = (value, carry);
            }
            // The pointer itself is put there as it is then.
            0x54 => self.push(self.r[4].wrapping_sub(2)),
            0x50..=0x57 => self.push(self.r[low]),
            0x58..=0x5F => self.r[low] = self.pop(),
            0x60..=0x6F if !self.undocumented => return Went::Undefined,
            0x60..=0x7F => {
                let distance = self.next() as i8 as u16;
                self.near(distance, self.condition(opcode % 16));
            }
            0x80..=0x83 => {
                let (_, middle, operand) = self.operand(segment);
                let left = self.get(operand, wide);
                let right = match opcode {
                    0x81 => self.next_word(),
                    0x83 => self.next() as i8 as u16,
                    _ => self.next().into(),
                };
                if let Some(value) = self.operate(middle, left, right, wide) {
                    self.put(operand, wide, value);
                }
            }
            0x84..=0x87 => {
                let (_, middle, operand) = self.operand(segment);
                let own = Place::Register(middle);
                let (left, right) = (self.get(operand, wide), self.get(own, wide));
                if opcode < 0x86 {
                    self.logic(left & right, wide);
                } else {
                    self.put(operand, wide, right);
                    self.put(own, wide, left);
                }
            }
            0x88..=0x8B => {
                let (_, middle, operand) = self.operand(segment);
                let own = Place::Register(middle);
                let (to, from) = if opcode < 0x8A { (operand, own) } else { (own, operand) };
                let value = self.get(from, wide);
                self.put(to, wide, value);
            }
            0x8C | 0x8E => {
                let (_, middle, operand) = self.operand(segment);
                match (opcode, middle) {
                    (_, 4..) | (0x8E, 1) => return Went::Undefined,
                    (0x8C, _) => self.put(operand, true, self.s[middle]),
                    _ => self.s[middle] = self.get(operand, true),
                }
            }
            0x8D | 0xC4 | 0xC5 => {
                let (_, middle, operand) = self.operand(segment);
                let Place::Memory(of, offset) = operand else { return Went::Undefined };
                if opcode == 0x8D {
                    self.r[middle] = offset;
                } else {
                    let (word, next) =
                        (self.read_word(of, offset), self.read_word(of, offset.wrapping_add(2)));
                    (self.r[middle], self.s[if opcode == 0xC4 { 0 } else { 3 }]) = (word, next);
                }
            }
            0x8F => {
                let (_, middle, operand) = self.operand(segment);
                if middle != 0 {
                    return Went::Undefined;
                }
                let value = self.pop();
                self.put(operand, true, value);
            }
            0x90..=0x97 => self.r.swap(0, low),
            0x98 => self.r[0] = self.r[0] as u8 as i8 as u16,
            0x99 => self.r[2] = if self.r[0] > 0x7FFF { 0xFFFF } else { 0 },
            0x9A | 0xEA => {
                let (offset, target) = (self.next_word(), self.next_word());
                if opcode == 0x9A {
                    self.push(self.s[1]);
                    self.push(self.ip);
                }
                (self.ip, self.s[1]) = (offset, target);
            }
            0x9B => {}
            0x9C => self.push(self.f.word()),
            0x9D => self.f = Flags::of(self.pop()),
            0x9E => self.f = Flags::of(self.f.word() / 256 * 256 + self.r[0] / 256),
            0x9F => self.set_byte_register(4, self.f.word()),
            0xA0..=0xA3 => {
                let (own, there) =
                    (Place::Register(0), Place::Memory(segment.unwrap_or(3), self.next_word()));
                let (to, from) = if opcode < 0xA2 { (own, there) } else { (there, own) };
                let value = self.get(from, wide);
                self.put(to, wide, value);
            }
            0xA8 | 0xA9 => {
                let right = if wide { self.next_word() } else { self.next().into() };
                self.logic(self.r[0] & right, wide);
            }
            0xB0..=0xB7 => {
                let value = self.next().into();
                self.set_byte_register(low, value);
            }
            0xB8..=0xBF => self.r[low] = self.next_word(),
            0xC0 | 0xC1 | 0xC8 | 0xC9 if !self.undocumented => return Went::Undefined,
            0xC0..=0xC3 | 0xC8..=0xCB => {
                let more = if wide { 0 } else { self.next_word() };
                self.ip = self.pop();
                if opcode > 0xC7 {
                    self.s[1] = self.pop();
                }
                self.r[4] = self.r[4].wrapping_add(more);
            }
            0xC6 | 0xC7 => {
                let (_, middle, operand) = self.operand(segment);
                if middle != 0 {
                    return Went::Undefined;
                }
                let value = if wide { self.next_word() } else { self.next().into() };
                self.put(operand, wide, value);
            }
            0xCC => self.interrupt(3),
            0xCD => {
                let number = self.next();
                self.interrupt(number);
            }
            0xCE => {
                self.taken = self.f.o;
                if self.f.o {
                    self.interrupt(4);
                }
            }
            0xCF => {
                self.ip = self.pop();
                self.s[1] = self.pop();
                self.f = Flags::of(self.pop());
            }
            0xD0..=0xD3 => {
                let (_, middle, operand) = self.operand(segment);
                if middle == 6 {
                    return Went::Undefined;
                }
                let count = if opcode < 0xD2 { 1 } else { self.r[1] % 256 };
                let mut value = self.get(operand, wide);
                for _ in 0..count {
                    value = self.shift_once(middle, value, wide);
                }
                self.put(operand, wide, value);
            }
            0xD4 | 0xD5 => {
                if self.next() != 10 {
                    return Went::Undefined;
                }
                let (al, ah) = (self.r[0] % 256, self.r[0] / 256);
                self.r[0] = if opcode == 0xD4 { al / 10 * 256 + al % 10 } else { (ah * 10 + al) % 256 };
                self.of_result(self.r[0], false);
            }
            0xD6 if !self.undocumented => return Went::Undefined,
            0xD6 => self.set_byte_register(0, if self.f.c { 255 } else { 0 }),
            0xD7 => {
                let value = self.read(segment.unwrap_or(3), self.r[3].wrapping_add(self.r[0] % 256));
                self.set_byte_register(0, value.into());
            }
            0xD8..=0xDF => {
                let (_, _, operand) = self.operand(segment);
                if matches!(operand, Place::Memory(..)) {
                    self.get(operand, true);
                }
            }
            0xE0..=0xE3 => {
                let distance = self.next() as i8 as u16;
                if opcode != 0xE3 {
                    self.r[1] = self.r[1].wrapping_sub(1);
                }
                let rest = self.r[1] != 0;
                self.near(distance, [rest && !self.f.z, rest && self.f.z, rest, !rest][low]);
            }
            0xE4..=0xE7 | 0xEC..=0xEF => {
                let port = if opcode < 0xE8 { u16::from(self.next()) } else { self.r[2] };
                if wide {
                    self.count_word(port.into());
                }
                let second = port.wrapping_add(1);
                if opcode & 2 == 0 {
                    let both = u16::from(self.port_in) * 257;
                    self.put(Place::Register(0), wide, both);
                } else {
                    self.put_out.push((port.into(), self.r[0] as u8));
                    if wide {
                        self.put_out.push((second.into(), (self.r[0] / 256) as u8));
                    }
                }
            }
            0xE8 | 0xE9 => {
                let distance = self.next_word();
                if opcode == 0xE8 {
                    self.push(self.ip);
                }
                self.near(distance, true);
            }
            0xEB => {
                let distance = self.next() as i8 as u16;
                self.near(distance, true);
            }
            0xF4 => return Went::Halted,
            0xF5 => self.f.c = !self.f.c,
            0xF8 | 0xF9 => self.f.c = wide,
            0xFA | 0xFB => self.f.i = wide,
            0xFC | 0xFD => self.f.d = wide,
            0xF6 | 0xF7 => return self.products(segment, wide),
            0xFE | 0xFF => return self.steps(segment, wide),
            _ => return Went::Undefined,
        }
        Went::On
    }

    fn decimal(&mut self, subtracts: bool) {
        let (al, carry, half) = (self.r[0] % 256, self.f.c, self.f.a);
        let adjust = |value: u16, by: u16| if subtracts { value.wrapping_sub(by) } else { value + by } % 256;
        let mut value = al;
        self.f.a = al % 16 > 9 || half;
        if self.f.a {
            value = adjust(value, 6);
        }
        self.f.c = carry || al > if half { 0x9F } else { 0x99 };
        if self.f.c {
            value = adjust(value, 0x60);
        }
        self.of_result(value, false);
        self.set_byte_register(0, value);
    }

    fn digit(&mut self, subtracts: bool) {
        let adjusts = self.r[0] % 16 > 9 || self.f.a;
        let (al, ah) = (self.r[0] % 256, self.r[0] / 256);
        let (al, ah) = match (adjusts, subtracts) {
            (true, false) => (al + 6, ah + 1),
            (true, true) => (al.wrapping_sub(6), ah.wrapping_sub(1)),
            _ => (al, ah),
        };
        (self.f.a, self.f.c) = (adjusts, adjusts);
        self.r[0] = ah % 256 * 256 + al % 16;
    }

    fn products(&mut self, segment: Option<usize>, wide: bool) -> Went {
        let (_, middle, operand) = self.operand(segment);
        if middle == 1 {
            return Went::Undefined;
        }
        let value = self.get(operand, wide);
        let bits = if wide { 16 } else { 8 };
        let signed =
            |value: i64, bits: u32| if value >> (bits - 1) & 1 == 1 { value - (1 << bits) } else { value };
        let low = i64::from(self.get(Place::Register(0), wide));
        let high = i64::from(if wide { self.r[2] } else { self.r[0] / 256 });
        let both = |model: &mut Self, low: i64, high: i64| {
            if wide {
                (model.r[0], model.r[2]) = (low as u16, high as u16);
            } else {
                model.r[0] = (low as u16) % 256 + (high as u16) % 256 * 256;
            }
        };
        match middle {
            0 => {
                let right = if wide { self.next_word() } else { self.next().into() };
                self.logic(value & right, wide);
            }
            2 => self.put(operand, wide, !value),
            3 => {
                let value = self.difference(0, value, false, wide);
                self.put(operand, wide, value);
            }
            4 | 5 => {
                let value = i64::from(value);
                let (left, right) =
                    if middle == 4 { (low, value) } else { (signed(low, bits), signed(value, bits)) };
                let product = left * right;
                both(self, product, product >> bits);
                let kept = product & ((1 << bits) - 1);
                self.f.c = product != if middle == 4 { kept } else { signed(kept, bits) };
                self.f.o = self.f.c;
            }
            _ => {
                let (all, by) = (high << bits | low, i64::from(value));
                let (all, by) =
                    if middle == 6 { (all, by) } else { (signed(all, 2 * bits), signed(by, bits)) };
                let most = if middle == 6 { (1 << bits) - 1 } else { (1 << (bits - 1)) - 1 };
                let least = if middle == 6 { 0 } else { -most };
                if by == 0 || !(least..=most).contains(&(all / by)) {
                    self.divide_error = true;
                    self.interrupt(0);
                } else {
                    both(self, all / by, all % by);
                }
            }
        }
        Went::On
    }

    fn steps(&mut self, segment: Option<usize>, wide: bool) -> Went {
        let (mode, middle, operand) = self.operand(segment);
        match (middle, wide) {
            (0 | 1, _) => {
                let carry = self.f.c;
                let left = self.get(operand, wide);
                let value = if middle == 0 {
                    self.sum(left, 1, false, wide)
                } else {
                    self.difference(left, 1, false, wide)
                };
                self.put(operand, wide, value);
                self.f.c = carry;
            }
            (2, true) => {
                let target = self.get(operand, true);
                self.push(self.ip);
                self.ip = target;
            }
            (3 | 5, true) if mode != 3 => {
                let Place::Memory(of, offset) = operand else { return Went::Undefined };
                let (word, next) = (self.read_word(of, offset), self.read_word(of, offset.wrapping_add(2)));
                if middle == 3 {
                    self.push(self.s[1]);
                    self.push(self.ip);
                }
                (self.ip, self.s[1]) = (word, next);
            }
            (4, true) => self.ip = self.get(operand, true),
            (6, true) => {
                let value = match operand {
                    Place::Register(4) => self.r[4].wrapping_sub(2),
                    _ => self.get(operand, true),
                };
                self.push(value);
            }
            _ => return Went::Undefined,
        }
        Went::On
    }
}
