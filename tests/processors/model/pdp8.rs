//! A second definition of the PDP-8, written event by event from the handbook's tables: bits are lists, arithmetic is done bit by
//! bit, nothing is shared with the library.

/// What an instruction can reach.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct State {
    pub link: bool,
    pub ac: u16,
    pub mq: u16,
    pub pc: u16,
    pub field: u16,
    pub next_field: u16,
    pub data: u16,
    pub saved: u16,
    pub switches: u16,
    pub steps: u16,
    pub greater: bool,
    pub mode_b: bool,
    pub enabled: bool,
    pub inhibit: bool,
    pub memory: Vec<u16>,
    /// The cells that were written.
    pub written: Vec<usize>,
}

/// What the instruction came to.
#[derive(Debug, PartialEq, Eq)]
pub enum Outcome {
    Done,
    Stopped,
    Undefined,
    /// A transfer with a device: its number and function.
    Device(u32, u32),
}

/// Bit 0 is the leftmost of twelve.
fn bit(word: u16, number: u16) -> bool {
    word >> (11 - number) & 1 == 1
}

/// The bits of a number, the leftmost first.
fn bits(value: u32, count: u32) -> Vec<bool> {
    (0..count).rev().map(|at| value >> at & 1 == 1).collect()
}

fn number(bits: &[bool]) -> u32 {
    bits.iter().fold(0, |value, &bit| value * 2 + u32::from(bit))
}

impl State {
    fn cell(&self, field: u16, address: u16) -> u16 {
        self.memory[usize::from(field) * 4096 + usize::from(address)]
    }

    fn set_cell(&mut self, field: u16, address: u16, value: u16) {
        let at = usize::from(field) * 4096 + usize::from(address);
        self.memory[at] = value % 4096;
        self.written.push(at);
    }

    fn skip_if(&mut self, condition: bool) {
        self.pc = (self.pc + u16::from(condition)) % 4096;
    }

    /// The next word of the program.
    fn word(&mut self) -> u16 {
        let word = self.cell(self.field, self.pc);
        self.pc = (self.pc + 1) % 4096;
        word
    }

    pub fn step(&mut self) -> Outcome {
        let at = self.pc;
        let word = self.word();
        match word / 0o1000 {
            6 => return self.transfer(word),
            7 if !bit(word, 3) => return self.group1(word, at),
            7 if !bit(word, 11) => return self.group2(word),
            7 => self.group3(word),
            operation => self.reference(operation, word, at),
        }
        Outcome::Done
    }

    fn reference(&mut self, operation: u16, word: u16, at: u16) {
        let page = if bit(word, 4) { at / 128 * 128 } else { 0 };
        let mut address = page + word % 128;
        let mut field = self.field;
        if bit(word, 3) {
            let mut pointer = self.cell(self.field, address);
            if (0o10..=0o17).contains(&address) {
                pointer = (pointer + 1) % 4096;
                self.set_cell(self.field, address, pointer);
            }
            address = pointer;
            field = self.data;
        }
        match operation {
            0 => self.ac = number(&both(self.ac, self.cell(field, address), |a, b| a && b)) as u16,
            1 => {
                let sum = self.ac + self.cell(field, address);
                self.link ^= sum >= 4096;
                self.ac = sum % 4096;
            }
            2 => {
                let value = (self.cell(field, address) + 1) % 4096;
                self.set_cell(field, address, value);
                self.skip_if(value == 0);
            }
            3 => {
                self.set_cell(field, address, self.ac);
                self.ac = 0;
            }
            _ => {
                self.field = self.next_field;
                self.inhibit = false;
                if operation == 4 {
                    self.set_cell(self.field, address, self.pc);
                    address += 1;
                }
                self.pc = address % 4096;
            }
        }
    }

    fn transfer(&mut self, word: u16) -> Outcome {
        let (device, function) = (word / 8 % 64, word % 8);
        match (device, function) {
            (0, 0) => {
                self.skip_if(self.enabled);
                self.enabled = false;
            }
            (0, 1) => self.enabled = true,
            (0, 2) => self.enabled = false,
            (0, 3) => {}
            (0, 4) => {
                let flags = [self.link, self.greater, false, self.inhibit, self.enabled, false];
                self.ac = number(&flags) as u16 * 64 + self.saved;
            }
            (0, 5) => {
                (self.link, self.greater) = (bit(self.ac, 0), bit(self.ac, 1));
                (self.next_field, self.data) = (self.ac / 8 % 8, self.ac % 8);
                (self.enabled, self.inhibit) = (true, true);
            }
            (0, 6) => self.skip_if(self.greater),
            (0, _) => {
                (self.ac, self.link) = (0, false);
                (self.enabled, self.mode_b, self.greater) = (false, false, false);
            }
            (0o20..=0o27, function) => {
                let field = device - 0o20;
                if function == 1 || function == 3 {
                    self.data = field;
                }
                if function == 2 || function == 3 {
                    (self.next_field, self.inhibit) = (field, true);
                }
                let seen = match (function, field) {
                    (4, 1) => self.data * 8,
                    (4, 2) => self.field * 8,
                    (4, 3) => self.saved,
                    _ => 0,
                };
                self.ac = number(&both(self.ac, seen, |a, b| a || b)) as u16;
                if (function, field) == (4, 4) {
                    (self.next_field, self.data) = (self.saved / 8, self.saved % 8);
                    self.inhibit = true;
                }
            }
            _ => return Outcome::Device(device.into(), function.into()),
        }
        Outcome::Done
    }

    fn group1(&mut self, word: u16, at: u16) -> Outcome {
        if bit(word, 8) && bit(word, 9) {
            self.pc = at;
            return Outcome::Undefined;
        }
        if bit(word, 4) {
            self.ac = 0;
        }
        if bit(word, 5) {
            self.link = false;
        }
        if bit(word, 6) {
            self.ac = 4095 - self.ac;
        }
        if bit(word, 7) {
            self.link = !self.link;
        }
        if bit(word, 11) {
            self.link ^= self.ac == 4095;
            self.ac = (self.ac + 1) % 4096;
        }
        let mut ring = vec![self.link];
        ring.extend(bits(self.ac.into(), 12));
        let twice = 1 + usize::from(bit(word, 10));
        match (bit(word, 8), bit(word, 9)) {
            (true, _) => ring.rotate_right(twice),
            (_, true) => ring.rotate_left(twice),
            _ if bit(word, 10) => ring[1..].rotate_left(6),
            _ => {}
        }
        self.link = ring[0];
        self.ac = number(&ring[1..]) as u16;
        Outcome::Done
    }

    fn group2(&mut self, word: u16) -> Outcome {
        let minus = bit(self.ac, 0);
        if bit(word, 8) {
            let fails = bit(word, 5) && minus || bit(word, 6) && self.ac == 0 || bit(word, 7) && self.link;
            self.skip_if(!fails);
        } else {
            let holds = [bit(word, 5) && minus, bit(word, 6) && self.ac == 0, bit(word, 7) && self.link];
            self.skip_if(holds.contains(&true));
        }
        if bit(word, 4) {
            self.ac = 0;
        }
        if bit(word, 9) {
            self.ac = number(&both(self.ac, self.switches, |a, b| a || b)) as u16;
        }
        if bit(word, 10) { Outcome::Stopped } else { Outcome::Done }
    }

    fn group3(&mut self, word: u16) {
        if word == 0o7431 && !self.mode_b {
            self.mode_b = true;
            return;
        }
        if bit(word, 4) {
            self.ac = 0;
        }
        match (bit(word, 5), bit(word, 7)) {
            (true, true) => std::mem::swap(&mut self.ac, &mut self.mq),
            (true, false) => self.ac = number(&both(self.ac, self.mq, |a, b| a || b)) as u16,
            (false, true) => (self.mq, self.ac) = (self.ac, 0),
            _ => {}
        }
        let operation = number(&[bit(word, 8), bit(word, 9), bit(word, 10)]);
        if bit(word, 6) && (!self.mode_b || operation == 0) {
            self.ac = number(&both(self.ac, self.steps, |a, b| a || b)) as u16;
        }
        if self.mode_b && bit(word, 6) { self.mode_b_only(operation) } else { self.arithmetic(operation) }
    }

    fn pair(&self) -> Vec<bool> {
        bits(u32::from(self.ac) * 4096 + u32::from(self.mq), 24)
    }

    fn set_pair(&mut self, pair: &[bool]) {
        (self.ac, self.mq) = (number(&pair[..12]) as u16, number(&pair[12..]) as u16);
    }

    fn factor(&mut self) -> u16 {
        if !self.mode_b {
            return self.word();
        }
        let address = self.address();
        self.cell(self.data, address)
    }

    fn address(&mut self) -> u16 {
        let held = self.pc;
        let address = self.word();
        if !(0o10..=0o17).contains(&held) {
            return address;
        }
        self.set_cell(self.field, held, address + 1);
        (address + 1) % 4096
    }

    fn arithmetic(&mut self, operation: u32) {
        match operation {
            1 if self.mode_b => (self.steps, self.ac) = (self.ac % 32, 0),
            1 => self.steps = 31 - self.word() % 32,
            2 => {
                let factor = u32::from(self.factor());
                let mut product = u32::from(self.ac);
                for (at, &one) in bits(self.mq.into(), 12).iter().rev().enumerate() {
                    product += if one { factor << at } else { 0 };
                }
                self.set_pair(&bits(product, 24));
                (self.link, self.steps) = (false, 12);
            }
            3 => {
                let divisor = u32::from(self.factor());
                self.link = u32::from(self.ac) >= divisor;
                if self.link {
                    return;
                }
                // Restoring division, a bit of the quotient at a time.
                let (mut rest, mut quotient) = (u32::from(self.ac), Vec::new());
                for one in bits(self.mq.into(), 12) {
                    rest = rest * 2 + u32::from(one);
                    quotient.push(rest >= divisor);
                    rest -= if rest >= divisor { divisor } else { 0 };
                }
                (self.ac, self.mq, self.steps) = (rest as u16, number(&quotient) as u16, 13);
            }
            4 => {
                self.steps = 0;
                let mut pair = self.pair();
                while pair[0] == pair[1] && pair[2..].contains(&true) {
                    self.link = pair.remove(0);
                    pair.push(false);
                    self.steps += 1;
                }
                if self.mode_b && number(&pair) == 0o4000_0000 {
                    pair[0] = false;
                }
                self.set_pair(&pair);
            }
            5..=7 => {
                let count = self.word() % 32 + u16::from(!self.mode_b);
                let mut pair = self.pair();
                let sign = operation == 6 && pair[0];
                if operation != 5 {
                    self.link = sign;
                }
                for _ in 0..count {
                    if operation == 5 {
                        self.link = pair.remove(0);
                        pair.push(false);
                    } else {
                        pair.insert(0, sign);
                        let out = pair.pop() == Some(true);
                        self.greater = if self.mode_b { out } else { self.greater };
                    }
                }
                self.set_pair(&pair);
                self.steps = if self.mode_b { 31 } else { 0 };
            }
            _ => {}
        }
    }

    fn mode_b_only(&mut self, operation: u32) {
        match operation {
            1 | 2 => {
                let low = self.address();
                let high = (low + 1) % 4096;
                if operation == 2 {
                    self.set_cell(self.data, low, self.mq);
                    self.set_cell(self.data, high, self.ac);
                    return;
                }
                let mq = self.mq + self.cell(self.data, low);
                let ac = self.ac + self.cell(self.data, high) + mq / 4096;
                (self.link, self.ac, self.mq) = (ac >= 4096, ac % 4096, mq % 4096);
            }
            3 => (self.mode_b, self.greater) = (false, false),
            4 => self.skip_if(self.ac == 0 && self.mq == 0),
            // The halves have been exchanged.
            5 | 6 => {
                let turn = |half: u16| if operation == 6 { 4095 - half } else { half };
                let low = turn(self.ac) + 1;
                let high = turn(self.mq) + low / 4096;
                (self.link, self.ac, self.mq) = (high >= 4096, high % 4096, low % 4096);
            }
            7 => {
                let signed = |word: u16| i32::from(word) - if bit(word, 0) { 4096 } else { 0 };
                self.greater = signed(self.mq) >= signed(self.ac);
                self.link = self.mq >= self.ac;
                self.ac = (4096 + self.mq - self.ac) % 4096;
            }
            _ => {}
        }
    }
}

fn both(one: u16, other: u16, join: fn(bool, bool) -> bool) -> Vec<bool> {
    bits(one.into(), 12)
        .into_iter()
        .zip(bits(other.into(), 12))
        .map(|(one, other)| join(one, other))
        .collect()
}
