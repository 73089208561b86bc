//! A second definition of the eZ80, written for reading and not for speed: an instruction is taken by its name and its operands, as a
//! programmer reads them, and arithmetic is made bit by bit. Only opcodes and times are the table's.

use plain_byte::processor::ez80::{EZ80, EZ80_ADL};
use plain_byte::processor::{Decoded, LONGEST, Shape, decode};
use std::collections::BTreeMap;

/// Sixteen million cells, of which those hold a number of their own that nobody wrote to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sparse {
    pub seed: u64,
    pub written: BTreeMap<u32, u8>,
}

impl Sparse {
    pub fn read(&self, address: u32) -> u8 {
        let mixed = (u64::from(address) + 1).wrapping_mul(self.seed | 1).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        self.written.get(&address).copied().unwrap_or((mixed >> 40) as u8)
    }
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Flags {
    pub s: bool,
    pub z: bool,
    pub h: bool,
    pub pv: bool,
    pub n: bool,
    pub c: bool,
}

impl Flags {
    pub fn byte(self) -> u8 {
        let bits = [(7, self.s), (6, self.z), (4, self.h), (2, self.pv), (1, self.n), (0, self.c)];
        bits.iter().map(|&(at, bit)| u8::from(bit) << at).sum()
    }

    pub fn of(byte: u8) -> Self {
        let bit = |at: u8| byte >> at & 1 != 0;
        Self { s: bit(7), z: bit(6), h: bit(4), pv: bit(2), n: bit(1), c: bit(0) }
    }
}

#[derive(Debug, Clone, Default)]
pub struct Model {
    pub a: u8,
    pub f: Flags,
    /// BC, DE, HL, IX, IY.
    pub words: [u32; 5],
    pub sps: u32,
    pub spl: u32,
    pub pc: u32,
    pub adl: bool,
    pub madl: bool,
    pub mb: u8,
    pub i: u32,
    /// AF', BC', DE', HL'.
    pub second: [u32; 4],
    pub iff: (bool, bool),
    pub mode: u8,
    pub memory: Sparse,
    pub port_in: u8,
    pub put_out: Vec<(u32, u8)>,
    pub read_in: Vec<u32>,
    pub halted: bool,
    /// The instruction's data are long.
    pub long: bool,
}

/// An operand as it is written.
#[derive(Debug, Clone, Copy)]
enum Operand {
    Name(&'static str),
    At(&'static str),
    Number(u32),
    AtNumber(u32),
    Indexed(&'static str, i8),
    AtIndexed(&'static str, i8),
}

fn operand(shape: Shape, value: u64) -> Operand {
    let within = matches!(shape, Shape::Within(_));
    match shape.inner() {
        Shape::Name { names, .. } if within => Operand::At(names.list[value as usize]),
        Shape::Name { names, .. } => Operand::Name(names.list[value as usize]),
        Shape::Fixed(name) if within => Operand::At(name),
        Shape::Fixed(name) => Operand::Name(name),
        Shape::Indexed { names, .. } if within => {
            Operand::AtIndexed(names.list[(value >> 8) as usize], value as i8)
        }
        Shape::Indexed { names, .. } => Operand::Indexed(names.list[(value >> 8) as usize], value as i8),
        _ if within => Operand::AtNumber(value as u32),
        _ => Operand::Number(value as u32),
    }
}

fn word_place(name: &str) -> Option<usize> {
    ["BC", "DE", "HL", "IX", "IY"].iter().position(|known| *known == name)
}

/// Word and shift of a byte register.
fn byte_place(name: &str) -> Option<(usize, u32)> {
    let names = ["C", "B", "E", "D", "L", "H", "IXL", "IXH", "IYL", "IYH"];
    names.iter().position(|known| *known == name).map(|at| (at / 2, 8 * (at as u32 % 2)))
}

/// Adds numbers of so many bits; the sum, and the carries out of every bit.
fn sum(a: u32, b: u32, carry: bool, bits: usize) -> (u32, Vec<bool>) {
    let (mut sum, mut carry, mut carries) = (0, carry, vec![]);
    for at in 0..bits {
        let ones = (a >> at & 1) + (b >> at & 1) + u32::from(carry);
        sum |= (ones & 1) << at;
        carry = ones > 1;
        carries.push(carry);
    }
    (sum, carries)
}

fn even(byte: u8) -> bool {
    byte.count_ones().is_multiple_of(2)
}

impl Model {
    /// Where the program is.
    pub fn place(&self) -> u32 {
        self.address(self.pc, self.adl)
    }

    fn address(&self, address: u32, long: bool) -> u32 {
        if long { address & 0xFF_FFFF } else { u32::from(self.mb) << 16 | address & 0xFFFF }
    }

    fn bits(&self) -> usize {
        if self.long { 24 } else { 16 }
    }

    fn cut(&self, value: u32) -> u32 {
        value & ((1 << self.bits()) - 1)
    }

    fn read(&self, address: u32) -> u8 {
        self.memory.read(self.address(address, self.long))
    }

    fn write(&mut self, address: u32, value: u8) {
        let address = self.address(address, self.long);
        self.memory.written.insert(address, value);
    }

    fn stack(&mut self, long: bool) -> &mut u32 {
        if long { &mut self.spl } else { &mut self.sps }
    }

    fn push_byte(&mut self, long: bool, value: u8) {
        let mask = if long { 0xFF_FFFF } else { 0xFFFF };
        let sp = self.stack(long);
        *sp = sp.wrapping_sub(1) & mask;
        let at = *sp;
        let address = self.address(at, long);
        self.memory.written.insert(address, value);
    }

    fn pop_byte(&mut self, long: bool) -> u8 {
        let mask = if long { 0xFF_FFFF } else { 0xFFFF };
        let sp = self.stack(long);
        let at = *sp;
        *sp = (*sp + 1) & mask;
        self.memory.read(self.address(at, long))
    }

    fn push(&mut self, value: u32) {
        for byte in (0..self.bits() / 8).rev() {
            self.push_byte(self.long, (value >> (8 * byte)) as u8);
        }
    }

    fn pop(&mut self) -> u32 {
        (0..self.bits() / 8).map(|byte| u32::from(self.pop_byte(self.long)) << (8 * byte)).sum()
    }

    /// A register of a word, whole.
    fn whole(&self, name: &str) -> u32 {
        match (name, word_place(name)) {
            (_, Some(place)) => self.words[place],
            ("SP", _) if self.long => self.spl,
            ("SP", _) => self.sps,
            ("AF", _) => u32::from(self.a) << 8 | u32::from(self.f.byte()),
            ("I", _) => self.i,
            _ => unreachable!("{name} is not a word"),
        }
    }

    fn set_word(&mut self, name: &str, value: u32) {
        let value = self.cut(value);
        match (name, word_place(name)) {
            (_, Some(place)) => self.words[place] = value,
            ("SP", _) => *self.stack(self.long) = value,
            ("AF", _) => (self.a, self.f) = ((value >> 8) as u8, Flags::of(value as u8)),
            ("I", _) => self.i = value & 0xFFFF,
            _ => unreachable!("{name} is not a word"),
        }
    }

    /// The address of an operand in memory.
    fn at(&self, operand: Operand) -> Option<u32> {
        match operand {
            Operand::At(name) => Some(self.cut(self.whole(name))),
            Operand::AtNumber(address) => Some(address),
            Operand::AtIndexed(name, d) => Some(self.cut(self.whole(name).wrapping_add_signed(d.into()))),
            _ => None,
        }
    }

    fn is_word(operand: Operand) -> bool {
        matches!(operand, Operand::Name(name) if word_place(name).is_some() || ["SP", "AF"].contains(&name))
    }

    fn word(&self, operand: Operand) -> u32 {
        match operand {
            Operand::Name(name) => self.whole(name),
            Operand::Number(value) => self.cut(value),
            Operand::Indexed(name, d) => self.cut(self.whole(name).wrapping_add_signed(d.into())),
            _ => {
                let at = self.at(operand).expect("an address");
                (0..self.bits() / 8)
                    .map(|byte| u32::from(self.read(at.wrapping_add(byte as u32))) << (8 * byte))
                    .sum()
            }
        }
    }

    fn byte(&self, operand: Operand) -> u8 {
        match operand {
            Operand::Name("A") => self.a,
            Operand::Name("MB") => self.mb,
            Operand::Name("I") => self.i as u8,
            Operand::Name(name) => {
                let (word, shift) = byte_place(name).expect("a byte");
                (self.words[word] >> shift) as u8
            }
            Operand::Number(value) => value as u8,
            _ => self.read(self.at(operand).expect("an address")),
        }
    }

    fn set_byte(&mut self, operand: Operand, value: u8) {
        match operand {
            Operand::Name("A") => self.a = value,
            Operand::Name("MB") => self.mb = if self.adl { value } else { self.mb },
            Operand::Name("I") => self.i = self.i & 0xFF00 | u32::from(value),
            Operand::Name(name) => {
                let (word, shift) = byte_place(name).expect("a byte");
                self.words[word] = self.words[word] & !(0xFF << shift) | u32::from(value) << shift;
            }
            _ => {
                let at = self.at(operand).expect("an address");
                self.write(at, value);
            }
        }
    }

    fn sign_and_zero(&mut self, value: u32, bits: usize) {
        self.f.s = value >> (bits - 1) & 1 != 0;
        self.f.z = value == 0;
    }

    /// A sum or a difference, with all flags.
    fn add(&mut self, (a, b, carry): (u32, u32, bool), subtract: bool, bits: usize) -> u32 {
        let mask = (1 << bits) - 1;
        let (result, carries) =
            if subtract { sum(a, !b & mask, !carry, bits) } else { sum(a, b, carry, bits) };
        self.sign_and_zero(result, bits);
        self.f.pv = carries[bits - 1] != carries[bits - 2];
        self.f.h = carries[if bits == 8 { 3 } else { 11 }] != subtract;
        self.f.c = carries[bits - 1] != subtract;
        self.f.n = subtract;
        result
    }

    fn logic(&mut self, value: u8, h: bool) {
        self.sign_and_zero(value.into(), 8);
        (self.f.h, self.f.pv, self.f.n, self.f.c) = (h, even(value), false, false);
    }

    fn arithmetic(&mut self, mnemonic: &str, value: u8) {
        let (a, value_, c) = (u32::from(self.a), u32::from(value), self.f.c);
        match mnemonic {
            "ADD" => self.a = self.add((a, value_, false), false, 8) as u8,
            "ADC" => self.a = self.add((a, value_, c), false, 8) as u8,
            "SUB" => self.a = self.add((a, value_, false), true, 8) as u8,
            "SBC" => self.a = self.add((a, value_, c), true, 8) as u8,
            "CP" => {
                self.add((a, value_, false), true, 8);
            }
            "AND" => {
                self.a &= value;
                self.logic(self.a, true);
            }
            "TST" => self.logic(self.a & value, true),
            "OR" => {
                self.a |= value;
                self.logic(self.a, false);
            }
            _ => {
                self.a ^= value;
                self.logic(self.a, false);
            }
        }
    }

    fn shifted(&mut self, mnemonic: &str, value: u8) -> u8 {
        let (high, low, c) = (value & 0x80, value & 1, u8::from(self.f.c));
        let (result, out) = match mnemonic {
            "RLC" => (value << 1 | high >> 7, high),
            "RRC" => (value >> 1 | low << 7, low),
            "RL" => (value << 1 | c, high),
            "RR" => (value >> 1 | c << 7, low),
            "SLA" => (value << 1, high),
            "SRA" => (value >> 1 | high, low),
            _ => (value >> 1, low),
        };
        self.logic(result, false);
        self.f.c = out != 0;
        result
    }

    fn holds(&self, condition: &str) -> bool {
        match condition {
            "NZ" => !self.f.z,
            "Z" => self.f.z,
            "NC" => !self.f.c,
            "C" => self.f.c,
            "PO" => !self.f.pv,
            "PE" => self.f.pv,
            "P" => !self.f.s,
            _ => self.f.s,
        }
    }

    fn input(&mut self, port: u32) -> u8 {
        self.read_in.push(port);
        self.port_in
    }

    fn output(&mut self, port: u32, value: u8) {
        self.put_out.push((port, value));
    }

    fn in_flags(&mut self, value: u8) {
        self.sign_and_zero(value.into(), 8);
        (self.f.h, self.f.pv, self.f.n) = (false, even(value), false);
    }

    fn call(&mut self, target: u32, to_long: Option<bool>) {
        let pc = self.pc;
        let Some(long) = to_long else {
            self.long = self.adl;
            self.push(pc);
            return self.go(target);
        };
        let bytes = if self.adl { 3 } else { 2 };
        for byte in (0..bytes).rev() {
            // The lower two go to the stack of the routine's mode, the rest to the long one.
            self.push_byte(long || byte == 2, (pc >> (8 * byte)) as u8);
        }
        // On a short stack the upper byte would have come first all the same: the stacks are two.
        self.push_byte(true, if self.adl { 3 } else { 2 });
        self.adl = long;
        self.go(target);
    }

    fn go(&mut self, target: u32) {
        self.pc = target & if self.adl { 0xFF_FFFF } else { 0xFFFF };
    }

    fn go_back(&mut self, by_mark: bool) {
        if !by_mark {
            let target = self.pop();
            return self.go(target);
        }
        let to_long = self.pop_byte(true) & 1 != 0;
        let mut target = 0;
        if self.adl {
            for byte in 0..if to_long { 3 } else { 2 } {
                target |= u32::from(self.pop_byte(true)) << (8 * byte);
            }
        } else {
            if to_long {
                target |= u32::from(self.pop_byte(true)) << 16;
            }
            target |= u32::from(self.pop_byte(false));
            target |= u32::from(self.pop_byte(false)) << 8;
        }
        self.adl = to_long;
        self.go(target);
    }

    /// A step of a block of ports; true where it is not the last.
    fn port_block(&mut self, mnemonic: &str) -> bool {
        let writes = mnemonic.starts_with('O');
        let down = mnemonic.contains('D');
        let body = mnemonic.trim_start_matches("OUT").trim_start_matches("OT").trim_start_matches("IN");
        let wide = body.ends_with("2R") || body.ends_with("RX");
        let one = |value: u32| if down { value.wrapping_sub(1) } else { value.wrapping_add(1) };
        let (bc, de, hl) = (self.words[0], self.words[1], self.words[2]);
        let port = match body {
            _ if wide => de & 0xFFFF,
            _ if body.contains('M') => bc & 0xFF,
            _ => bc & 0xFFFF,
        };
        let data = if writes {
            let data = self.read(hl);
            self.output(port, data);
            data
        } else {
            let data = self.input(port);
            self.write(hl, data);
            data
        };
        self.set_word("HL", one(hl));
        let left = if wide {
            self.set_word("BC", bc.wrapping_sub(1));
            if body.ends_with("2R") {
                self.set_word("DE", one(de));
            }
            self.words[0]
        } else {
            let (b, c) = ((bc >> 8) as u8, bc as u8);
            self.set_byte(Operand::Name("B"), b.wrapping_sub(1));
            if body.contains('M') || body.contains('2') {
                self.set_byte(Operand::Name("C"), one(c.into()) as u8);
            }
            b.wrapping_sub(1).into()
        };
        (self.f.z, self.f.n) = (left == 0, data >= 0x80);
        left != 0
    }

    /// Executes the next instruction: what it was, and whether it took the time of one that goes elsewhere. `None` where the cells
    /// are no instruction.
    pub fn step(&mut self) -> Option<(Decoded, bool)> {
        let mask = if self.adl { 0xFF_FFFF } else { 0xFFFF };
        let cells: Vec<u64> = (0..LONGEST as u32)
            .map(|at| self.memory.read(self.address(self.pc.wrapping_add(at) & mask, self.adl)).into())
            .collect();
        let begin = self.pc;
        let set = if self.adl { &EZ80_ADL } else { &EZ80 };
        let decoded = decode(set, &cells, self.place()).ok().flatten()?;
        self.pc = (self.pc + decoded.cells() as u32) & mask;
        self.long = decoded.suffix.map_or(self.adl, |suffix| suffix.long_data);
        let taken = self.execute(&decoded, begin);
        Some((decoded, taken))
    }

    fn execute(&mut self, decoded: &Decoded, begin: u32) -> bool {
        let operands: Vec<Operand> = decoded
            .row
            .operands
            .iter()
            .zip(decoded.operands)
            .map(|(&shape, value)| operand(shape, value))
            .collect();
        let mnemonic = decoded.row.mnemonic;
        let suffix = decoded.suffix;
        // Words of a jump lead to a mode after a suffix.
        let to_words = suffix.map(|suffix| suffix.long_words);
        let to_data = suffix.map(|suffix| suffix.long_data);
        match (mnemonic, &operands[..]) {
            // R counts by itself; the test that knows its count looks at it.
            ("LD", &[Operand::Name("A"), Operand::Name("R")]) => {}
            ("LD", &[Operand::Name("A"), from @ Operand::Name("I")]) => {
                let value = self.byte(from);
                self.a = value;
                self.in_flags(value);
                self.f.pv = self.iff.1;
            }
            ("LD", &[Operand::Name("R"), _]) => {}
            ("LD", &[Operand::Name("I"), Operand::Name("HL")]) => self.i = self.words[2] & 0xFFFF,
            ("LD", &[to, from]) if Self::is_word(to) => {
                let value = self.word(from);
                let Operand::Name(name) = to else { unreachable!("a word has a name") };
                self.set_word(name, value);
            }
            ("LD", &[to, from]) if Self::is_word(from) => {
                let (value, at) = (self.word(from), self.at(to).expect("an address"));
                for byte in 0..self.bits() / 8 {
                    self.write(at.wrapping_add(byte as u32), (value >> (8 * byte)) as u8);
                }
            }
            ("LD", &[to, from]) => {
                let value = self.byte(from);
                self.set_byte(to, value);
            }
            ("LEA", &[Operand::Name(to), from]) => {
                let value = self.word(from);
                self.set_word(to, value);
            }
            ("PEA" | "PUSH", &[from]) => {
                let value = self.word(from);
                self.push(value);
            }
            ("POP", &[Operand::Name(to)]) => {
                let value = self.pop();
                self.set_word(to, value);
            }
            ("EX", &[Operand::Name("DE"), _]) => self.words.swap(1, 2),
            ("EX", &[Operand::Name("AF"), _]) => {
                let own = self.whole("AF");
                let other = std::mem::replace(&mut self.second[0], own);
                (self.a, self.f) = ((other >> 8) as u8, Flags::of(other as u8));
            }
            ("EX", &[_, Operand::Name(name)]) => {
                let (own, top) = (self.whole(name), self.pop());
                self.push(own);
                self.set_word(name, top);
            }
            ("EXX", _) => {
                for at in 0..3 {
                    std::mem::swap(&mut self.words[at], &mut self.second[at + 1]);
                }
            }
            ("LDI" | "LDIR" | "LDD" | "LDDR", _) => {
                let value = self.read(self.words[2]);
                self.write(self.words[1], value);
                return self.count(mnemonic, begin, &["HL", "DE"], true);
            }
            ("CPI" | "CPIR" | "CPD" | "CPDR", _) => {
                let (value, carry) = (self.read(self.words[2]), self.f.c);
                self.arithmetic("CP", value);
                self.f.c = carry;
                return self.count(mnemonic, begin, &["HL"], false);
            }
            ("ADD" | "ADC" | "SBC", &[Operand::Name(to @ ("HL" | "IX" | "IY")), from]) => {
                let (a, b) = (self.cut(self.whole(to)), self.cut(self.word(from)));
                let (bits, before) = (self.bits(), self.f);
                let carry = mnemonic != "ADD" && self.f.c;
                let result = self.add((a, b, carry), mnemonic == "SBC", bits);
                self.set_word(to, result);
                if mnemonic == "ADD" {
                    self.f = Flags { s: before.s, z: before.z, pv: before.pv, ..self.f };
                }
            }
            ("ADD" | "ADC" | "SUB" | "SBC" | "AND" | "XOR" | "OR" | "CP" | "TST", operands) => {
                let value = self.byte(*operands.last().expect("an operand"));
                self.arithmetic(mnemonic, value);
            }
            ("INC" | "DEC", &[Operand::Name(name)]) if Self::is_word(operands[0]) => {
                let one = if mnemonic == "INC" { 1 } else { u32::MAX };
                self.set_word(name, self.whole(name).wrapping_add(one));
            }
            ("INC" | "DEC", &[place]) => {
                let (value, carry) = (self.byte(place), self.f.c);
                let result = self.add((value.into(), 1, false), mnemonic == "DEC", 8);
                self.f.c = carry;
                self.set_byte(place, result as u8);
            }
            ("DAA", _) => {
                let (mut more, carry) = (0, self.f.c || self.a > 0x99);
                more += if self.f.h || self.a % 16 > 9 { 6 } else { 0 };
                more += if carry { 0x60 } else { 0 };
                let n = self.f.n;
                let a = if n { self.a.wrapping_sub(more) } else { self.a.wrapping_add(more) };
                let h = (self.a ^ a) & 0x10 != 0;
                self.logic(a, h);
                (self.a, self.f.n, self.f.c) = (a, n, carry);
            }
            ("CPL", _) => {
                self.a = !self.a;
                (self.f.h, self.f.n) = (true, true);
            }
            ("NEG", _) => {
                let a = std::mem::take(&mut self.a);
                self.arithmetic("SUB", a);
            }
            ("CCF", _) => (self.f.h, self.f.n, self.f.c) = (self.f.c, false, !self.f.c),
            ("SCF", _) => (self.f.h, self.f.n, self.f.c) = (false, false, true),
            ("MLT", &[Operand::Name(name)]) => {
                let word = self.whole(name);
                self.set_word(name, (word >> 8 & 0xFF) * (word & 0xFF));
            }
            ("TSTIO", &[Operand::Number(mask)]) => {
                let value = self.input(self.words[0] & 0xFF);
                self.logic(value & mask as u8, true);
            }
            ("RLCA" | "RLA" | "RRCA" | "RRA", _) => {
                let before = self.f;
                self.a = self.shifted(mnemonic.trim_end_matches('A'), self.a);
                self.f = Flags { s: before.s, z: before.z, pv: before.pv, ..self.f };
            }
            ("RLC" | "RL" | "RRC" | "RR" | "SLA" | "SRA" | "SRL", &[place]) => {
                let value = self.byte(place);
                let value = self.shifted(mnemonic, value);
                self.set_byte(place, value);
            }
            ("RLD" | "RRD", _) => {
                let cell = self.read(self.words[2]);
                let digits = [self.a & 15, cell >> 4, cell & 15];
                let [a, high, low] = match mnemonic {
                    "RLD" => [digits[1], digits[2], digits[0]],
                    _ => [digits[2], digits[0], digits[1]],
                };
                self.a = self.a & 0xF0 | a;
                self.write(self.words[2], high << 4 | low);
                self.in_flags(self.a);
            }
            ("BIT", &[Operand::Number(bit), place]) => {
                let one = self.byte(place) >> bit & 1 != 0;
                (self.f.z, self.f.h, self.f.n) = (!one, true, false);
                // What the manual leaves open is as on the Z80.
                (self.f.s, self.f.pv) = (one && bit == 7, !one);
            }
            ("RES" | "SET", &[Operand::Number(bit), place]) => {
                let value = self.byte(place);
                self.set_byte(place, if mnemonic == "SET" { value | 1 << bit } else { value & !(1 << bit) });
            }
            ("JR" | "DJNZ", operands) => {
                let taken = match operands {
                    [Operand::Name(condition), _] => self.holds(condition),
                    _ if mnemonic == "DJNZ" => {
                        self.words[0] = self.words[0] & !0xFF00 | self.words[0].wrapping_sub(0x100) & 0xFF00;
                        self.words[0] & 0xFF00 != 0
                    }
                    _ => true,
                };
                if taken && let Some(&Operand::Number(target)) = operands.last() {
                    self.go(target);
                }
                return taken;
            }
            ("JP", &[Operand::At(name)]) => {
                self.adl = to_data.unwrap_or(self.adl);
                self.go(self.whole(name));
            }
            ("JP" | "CALL", operands) => {
                if let [Operand::Name(condition), _] = operands
                    && !self.holds(condition)
                {
                    return false;
                }
                let Some(&Operand::Number(target)) = operands.last() else { unreachable!("a target") };
                if mnemonic == "CALL" {
                    self.call(target, to_words);
                } else {
                    self.adl = to_words.unwrap_or(self.adl);
                    self.go(target);
                }
                return true;
            }
            ("RST", &[Operand::Number(target)]) => self.call(target, to_data),
            ("RET" | "RETI" | "RETN", operands) => {
                if let [Operand::Name(condition)] = operands
                    && !self.holds(condition)
                {
                    return false;
                }
                if mnemonic == "RETN" {
                    self.iff.0 = self.iff.1;
                }
                self.go_back(to_data == Some(true));
                return true;
            }
            ("IN", &[Operand::Name("A"), Operand::AtNumber(port)]) => {
                self.a = self.input(u32::from(self.a) << 8 | port);
            }
            ("IN" | "IN0", &[to, port]) => {
                let port = if let Operand::AtNumber(port) = port { port } else { self.words[0] & 0xFFFF };
                let value = self.input(port);
                self.set_byte(to, value);
                self.in_flags(value);
            }
            ("OUT", &[Operand::AtNumber(port), _]) => self.output(u32::from(self.a) << 8 | port, self.a),
            ("OUT" | "OUT0", &[port, from]) => {
                let port = if let Operand::AtNumber(port) = port { port } else { self.words[0] & 0xFFFF };
                self.output(port, self.byte(from));
            }
            ("NOP", _) => {}
            ("HALT" | "SLP", _) => self.halted = true,
            ("DI", _) => self.iff = (false, false),
            ("EI", _) => self.iff = (true, true),
            ("IM", &[Operand::Name(mode)]) => self.mode = mode.parse().expect("a digit"),
            ("STMIX", _) => self.madl = true,
            ("RSMIX", _) => self.madl = false,
            _ => {
                let again = self.port_block(mnemonic) && mnemonic.contains('R');
                if again {
                    self.go(begin);
                }
                return again;
            }
        }
        true
    }

    /// The end of a copy or a search: pointers, count, and whether it goes on.
    fn count(&mut self, mnemonic: &str, begin: u32, moved: &[&str], copy: bool) -> bool {
        let one = if mnemonic.contains("DD") || mnemonic.contains("PD") { u32::MAX } else { 1 };
        for name in moved {
            self.set_word(name, self.whole(name).wrapping_add(one));
        }
        self.set_word("BC", self.words[0].wrapping_sub(1));
        self.f.pv = self.words[0] != 0;
        if copy {
            (self.f.h, self.f.n) = (false, false);
        }
        let again = mnemonic.ends_with('R') && self.f.pv && (copy || !self.f.z);
        if again {
            self.go(begin);
        }
        again
    }
}
