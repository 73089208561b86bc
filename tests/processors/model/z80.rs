//! A second definition of the Z80, written for reading and not for speed: opcodes are taken apart by their fields, sums are made bit by
//! bit, and time is counted machine cycle by machine cycle.

/// Flags, one to a name.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Flags {
    pub s: bool,
    pub z: bool,
    pub y: bool,
    pub h: bool,
    pub x: bool,
    pub pv: bool,
    pub n: bool,
    pub c: bool,
}

impl Flags {
    pub fn byte(self) -> u8 {
        let bits = [self.c, self.n, self.pv, self.x, self.h, self.y, self.z, self.s];
        bits.iter().enumerate().map(|(at, &bit)| u8::from(bit) << at).sum()
    }

    pub fn of(byte: u8) -> Self {
        let bit = |at: u8| byte >> at & 1 != 0;
        Self { s: bit(7), z: bit(6), y: bit(5), h: bit(4), x: bit(3), pv: bit(2), n: bit(1), c: bit(0) }
    }
}

#[derive(Debug, Clone)]
pub struct Model {
    /// B C D E H L - A, as opcodes number them.
    pub r: [u8; 8],
    pub f: Flags,
    pub second: [u16; 4],
    pub ix: u16,
    pub iy: u16,
    pub sp: u16,
    pub pc: u16,
    pub wz: u16,
    pub i: u8,
    pub refresh: u8,
    pub enabled: (bool, bool),
    pub mode: u8,
    pub halted: bool,
    /// The instruction before set flags.
    pub flags_set: bool,
    pub memory: Vec<u8>,
    pub port_in: u8,
    pub put_out: Vec<(u8, u8)>,
    pub states: u64,
    undocumented: bool,
}

/// The register pair that an index prefix puts in the place of HL.
#[derive(Clone, Copy, PartialEq)]
enum Place {
    Hl,
    Ix,
    Iy,
}

impl Model {
    pub fn new(undocumented: bool, memory: Vec<u8>) -> Self {
        Self {
            r: [0; 8],
            f: Flags::default(),
            second: [0; 4],
            ix: 0,
            iy: 0,
            sp: 0,
            pc: 0,
            wz: 0,
            i: 0,
            refresh: 0,
            enabled: (false, false),
            mode: 0,
            halted: false,
            flags_set: false,
            memory,
            port_in: 0,
            put_out: vec![],
            states: 0,
            undocumented,
        }
    }

    pub fn pair(&self, high: usize) -> u16 {
        u16::from(self.r[high]) * 256 + u16::from(self.r[high + 1])
    }

    fn set_pair(&mut self, high: usize, value: u16) {
        self.r[high] = (value / 256) as u8;
        self.r[high + 1] = (value % 256) as u8;
    }

    fn fetch(&mut self) -> u8 {
        self.states += 4;
        self.refresh = self.refresh & 0x80 | self.refresh.wrapping_add(1) & 0x7F;
        self.pc = self.pc.wrapping_add(1);
        self.memory[usize::from(self.pc.wrapping_sub(1))]
    }

    fn read(&mut self, address: u16) -> u8 {
        self.states += 3;
        self.memory[usize::from(address)]
    }

    fn write(&mut self, address: u16, value: u8) {
        self.states += 3;
        self.memory[usize::from(address)] = value;
    }

    fn next(&mut self) -> u8 {
        self.pc = self.pc.wrapping_add(1);
        self.read(self.pc.wrapping_sub(1))
    }

    fn next_word(&mut self) -> u16 {
        let low = self.next();
        u16::from(self.next()) * 256 + u16::from(low)
    }

    fn push(&mut self, value: u16) {
        self.sp = self.sp.wrapping_sub(1);
        self.write(self.sp, (value / 256) as u8);
        self.sp = self.sp.wrapping_sub(1);
        self.write(self.sp, (value % 256) as u8);
    }

    fn pop(&mut self) -> u16 {
        let low = self.read(self.sp);
        let high = self.read(self.sp.wrapping_add(1));
        self.sp = self.sp.wrapping_add(2);
        u16::from(high) * 256 + u16::from(low)
    }

    fn output(&mut self, port: u8, value: u8) {
        self.states += 4;
        self.put_out.push((port, value));
    }

    fn input(&mut self) -> u8 {
        self.states += 4;
        self.port_in
    }

    fn index(&mut self, place: Place) -> u16 {
        match place {
            Place::Hl => self.pair(4),
            Place::Ix => self.ix,
            Place::Iy => self.iy,
        }
    }

    fn set_index(&mut self, place: Place, value: u16) {
        match place {
            Place::Hl => self.set_pair(4, value),
            Place::Ix => self.ix = value,
            Place::Iy => self.iy = value,
        }
    }

    /// The register of a field, H and L being halves of what stands in the place of HL.
    fn get(&mut self, field: usize, place: Place) -> u8 {
        match (field, place) {
            (4, Place::Ix | Place::Iy) => (self.index(place) >> 8) as u8,
            (5, Place::Ix | Place::Iy) => self.index(place) as u8,
            _ => self.r[field],
        }
    }

    fn put(&mut self, field: usize, place: Place, value: u8) {
        let index = self.index(place);
        match (field, place) {
            (4, Place::Ix | Place::Iy) => self.set_index(place, index & 0xFF | u16::from(value) << 8),
            (5, Place::Ix | Place::Iy) => self.set_index(place, index & 0xFF00 | u16::from(value)),
            _ => self.r[field] = value,
        }
    }

    /// The address of the cell at HL, or at an index register and a distance, which takes so many states to add.
    fn address(&mut self, place: Place, adding: u64) -> u16 {
        if place == Place::Hl {
            return self.pair(4);
        }
        let distance = self.next() as i8;
        self.states += adding;
        self.wz = self.index(place).wrapping_add(distance as u16);
        self.wz
    }

    // Arithmetic, bit by bit.

    /// Adds numbers of so many bits; the sum, and the carries out of every bit.
    fn sum(a: u32, b: u32, carry: bool, bits: u32) -> (u32, Vec<bool>) {
        let (mut sum, mut carry, mut carries) = (0, carry, vec![]);
        for at in 0..bits {
            let ones = (a >> at & 1) + (b >> at & 1) + u32::from(carry);
            sum |= (ones & 1) << at;
            carry = ones > 1;
            carries.push(carry);
        }
        (sum, carries)
    }

    fn unused(&mut self, from: u8) {
        (self.f.y, self.f.x) = (from & 0x20 != 0, from & 0x08 != 0);
    }

    fn by_result(&mut self, value: u8) {
        (self.f.s, self.f.z) = (value >= 0x80, value == 0);
        self.unused(value);
    }

    fn even(value: u8) -> bool {
        (0..8).filter(|at| value >> at & 1 != 0).count() % 2 == 0
    }

    fn add(&mut self, value: u8, carry: bool) -> u8 {
        let (sum, carries) = Self::sum(self.r[7].into(), value.into(), carry, 8);
        self.by_result(sum as u8);
        (self.f.h, self.f.c, self.f.n) = (carries[3], carries[7], false);
        self.f.pv = carries[7] != carries[6];
        sum as u8
    }

    fn subtract(&mut self, value: u8, borrow: bool) -> u8 {
        let (sum, carries) = Self::sum(self.r[7].into(), (!value).into(), !borrow, 8);
        self.by_result(sum as u8);
        (self.f.h, self.f.c, self.f.n) = (!carries[3], !carries[7], true);
        self.f.pv = carries[7] != carries[6];
        sum as u8
    }

    fn logic(&mut self, value: u8, half: bool) {
        self.r[7] = value;
        self.by_result(value);
        (self.f.h, self.f.n, self.f.c, self.f.pv) = (half, false, false, Self::even(value));
    }

    fn arithmetic(&mut self, kind: u8, value: u8) {
        match kind {
            0 => self.r[7] = self.add(value, false),
            1 => self.r[7] = self.add(value, self.f.c),
            2 => self.r[7] = self.subtract(value, false),
            3 => self.r[7] = self.subtract(value, self.f.c),
            4 => self.logic(self.r[7] & value, true),
            5 => self.logic(self.r[7] ^ value, false),
            6 => self.logic(self.r[7] | value, false),
            _ => {
                self.subtract(value, false);
                self.unused(value);
            }
        }
    }

    fn count(&mut self, value: u8, down: bool) -> u8 {
        let (a, carry) = (std::mem::replace(&mut self.r[7], value), self.f.c);
        let result = if down { self.subtract(1, false) } else { self.add(1, false) };
        (self.r[7], self.f.c) = (a, carry);
        result
    }

    fn add_words(&mut self, place: Place, value: u16, carry: Option<bool>) {
        let word = self.index(place);
        let (sum, carries) = Self::sum(word.into(), value.into(), carry.unwrap_or(false), 16);
        self.word_flags(sum as u16, &carries, carry.is_some());
        self.wz = word.wrapping_add(1);
        self.set_index(place, sum as u16);
        self.states += 7;
    }

    fn word_flags(&mut self, word: u16, carries: &[bool], all: bool) {
        let kept = self.f;
        self.by_result((word >> 8) as u8);
        (self.f.h, self.f.n, self.f.c) = (carries[11], false, carries[15]);
        (self.f.z, self.f.pv) = (word == 0, carries[15] != carries[14]);
        if !all {
            (self.f.s, self.f.z, self.f.pv) = (kept.s, kept.z, kept.pv);
        }
    }

    fn shift(&mut self, kind: u8, value: u8) -> u8 {
        let bits: Vec<bool> = (0..8).map(|at| value >> at & 1 != 0).collect();
        let left = kind.is_multiple_of(2);
        let out = if left { bits[7] } else { bits[0] };
        let comes_in = match kind {
            0 | 1 => out,
            2 | 3 => self.f.c,
            5 => bits[7],
            6 => true,
            _ => false,
        };
        let moved: Vec<bool> = match left {
            true => [comes_in].into_iter().chain(bits[..7].iter().copied()).collect(),
            false => bits[1..].iter().copied().chain([comes_in]).collect(),
        };
        let value: u8 = moved.iter().enumerate().map(|(at, &bit)| u8::from(bit) << at).sum();
        self.by_result(value);
        (self.f.h, self.f.n, self.f.c, self.f.pv) = (false, false, out, Self::even(value));
        value
    }

    fn test_bit(&mut self, value: u8, bit: u8, seen: u8) {
        let one = value >> bit & 1 != 0;
        (self.f.z, self.f.pv, self.f.s) = (!one, !one, one && bit == 7);
        (self.f.h, self.f.n) = (true, false);
        self.unused(seen);
    }

    fn adjust(&mut self) {
        let (old, a) = (self.f, self.r[7]);
        let low = old.h || a % 16 > 9;
        let high = old.c || a > 0x99;
        let by = if low { 6 } else { 0 } + if high { 0x60 } else { 0 };
        let result = if old.n { a.wrapping_sub(by) } else { a.wrapping_add(by) };
        self.by_result(result);
        // The carry out of the low digit of what was added or taken away.
        self.f.h = if old.n { a % 16 < by % 16 } else { a % 16 + by % 16 > 15 };
        (self.f.pv, self.f.c) = (Self::even(result), high);
        self.r[7] = result;
    }

    fn holds(&self, condition: u8) -> bool {
        let flag = [self.f.z, self.f.c, self.f.pv, self.f.s][usize::from(condition / 2)];
        flag == (condition % 2 == 1)
    }

    /// Executes one instruction; false where there is none.
    pub fn step(&mut self) -> bool {
        let memory = std::mem::take(&mut self.memory);
        let before = self.clone();
        self.memory = memory;
        let writes_flags = self.prefixed(Place::Hl);
        if writes_flags.is_none() {
            // Nothing was written yet.
            let memory = std::mem::take(&mut self.memory);
            *self = Self { memory, ..before };
            return false;
        }
        self.flags_set = writes_flags == Some(true);
        true
    }

    /// An instruction after the prefixes so far: whether it works flags out, `None` where there is none.
    fn prefixed(&mut self, place: Place) -> Option<bool> {
        let opcode = self.fetch();
        match (opcode, place) {
            (0xDD, Place::Hl) => self.behind(Place::Ix),
            (0xFD, Place::Hl) => self.behind(Place::Iy),
            (0xCB, _) => self.bits(place),
            (0xED, Place::Hl) => self.extended(),
            _ => self.plain(opcode, place),
        }
    }

    /// After an index prefix: what does not speak of HL leaves the prefix without effect.
    fn behind(&mut self, place: Place) -> Option<bool> {
        let opcode = self.memory[usize::from(self.pc)];
        let (x, y, z) = (opcode >> 6, opcode >> 3 & 7, opcode & 7);
        let halves = |field: u8| matches!(field, 4 | 5);
        let speaks = match (x, z) {
            _ if matches!(opcode, 0xCB | 0xE1 | 0xE3 | 0xE5 | 0xE9 | 0xF9) => true,
            (0, 1) => y % 2 == 1 || y == 4,
            (0, 2 | 3) => matches!(y, 4 | 5),
            (0, 4..=6) => y == 6 || self.undocumented && halves(y),
            (1, _) if opcode != 0x76 => {
                let cell = y == 6 || z == 6;
                cell || self.undocumented && (halves(y) || halves(z))
            }
            (2, _) => z == 6 || self.undocumented && halves(z),
            _ => false,
        };
        match (speaks, self.undocumented) {
            (true, _) => self.prefixed(place),
            (false, true) => Some(false),
            (false, false) => None,
        }
    }

    fn plain(&mut self, opcode: u8, place: Place) -> Option<bool> {
        let (x, y, z) = (opcode >> 6, opcode >> 3 & 7, opcode & 7);
        let (p, q) = (y / 2, y % 2);
        let mut flags = false;
        match (x, z) {
            (0, 0) => match y {
                0 => {}
                1 => {
                    let own = u16::from(self.r[7]) * 256 + u16::from(self.f.byte());
                    let other = std::mem::replace(&mut self.second[0], own);
                    (self.r[7], self.f) = ((other / 256) as u8, Flags::of(other as u8));
                }
                2 => {
                    self.states += 1;
                    self.r[0] = self.r[0].wrapping_sub(1);
                    self.near(self.r[0] != 0);
                }
                3 => self.near(true),
                _ => self.near(self.holds(y - 4)),
            },
            (0, 1) if q == 0 => {
                let word = self.next_word();
                match p {
                    2 => self.set_index(place, word),
                    3 => self.sp = word,
                    _ => self.set_pair(usize::from(2 * p), word),
                }
            }
            (0, 1) => {
                let value = self.second_operand(p, place);
                self.add_words(place, value, None);
                flags = true;
            }
            (0, 2) => self.indirect(y, place),
            (0, 3) => {
                self.states += 2;
                let by = if q == 0 { 1 } else { 0xFFFF };
                let value = self.second_operand(p, place).wrapping_add(by);
                match p {
                    2 => self.set_index(place, value),
                    3 => self.sp = value,
                    _ => self.set_pair(usize::from(2 * p), value),
                }
            }
            (0, 4 | 5) => {
                flags = true;
                if y == 6 {
                    let at = self.address(place, 5);
                    let cell = self.read(at);
                    self.states += 1;
                    let cell = self.count(cell, z == 5);
                    self.write(at, cell);
                } else {
                    let value = self.get(y.into(), place);
                    let value = self.count(value, z == 5);
                    self.put(y.into(), place, value);
                }
            }
            (0, 6) if y == 6 => {
                let at = self.address(place, 2);
                let value = self.next();
                self.write(at, value);
            }
            (0, 6) => {
                let value = self.next();
                self.put(y.into(), place, value);
            }
            (0, _) => {
                flags = true;
                self.accumulator(y);
            }
            (1, _) if opcode == 0x76 => self.halted = true,
            (1, 6) => {
                let at = self.address(place, 5);
                self.r[usize::from(y)] = self.read(at);
            }
            (1, _) if y == 6 => {
                let at = self.address(place, 5);
                self.write(at, self.r[usize::from(z)]);
            }
            (1, _) => {
                let value = self.get(z.into(), place);
                self.put(y.into(), place, value);
            }
            (2, _) => {
                flags = true;
                let value = if z == 6 {
                    let at = self.address(place, 5);
                    self.read(at)
                } else {
                    self.get(z.into(), place)
                };
                self.arithmetic(y, value);
            }
            (3, 6) => {
                flags = true;
                let value = self.next();
                self.arithmetic(y, value);
            }
            _ => self.control(opcode, place),
        }
        Some(flags)
    }

    fn second_operand(&mut self, p: u8, place: Place) -> u16 {
        match p {
            2 => self.index(place),
            3 => self.sp,
            _ => self.pair(usize::from(2 * p)),
        }
    }

    fn near(&mut self, taken: bool) {
        let distance = self.next() as i8;
        if taken {
            self.states += 5;
            self.pc = self.pc.wrapping_add(distance as u16);
            self.wz = self.pc;
        }
    }

    fn indirect(&mut self, y: u8, place: Place) {
        let latch = |a: u8, address: u16| u16::from(a) * 256 + address.wrapping_add(1) % 256;
        match y {
            0 | 2 => {
                let at = self.pair(usize::from(y));
                self.write(at, self.r[7]);
                self.wz = latch(self.r[7], at);
            }
            1 | 3 => {
                let at = self.pair(usize::from(y - 1));
                self.r[7] = self.read(at);
                self.wz = at.wrapping_add(1);
            }
            4 | 5 => {
                let at = self.next_word();
                self.wz = at.wrapping_add(1);
                let value = self.index(place);
                if y == 4 {
                    self.write(at, value as u8);
                    self.write(self.wz, (value / 256) as u8);
                } else {
                    let low = self.read(at);
                    let high = self.read(self.wz);
                    self.set_index(place, u16::from(high) * 256 + u16::from(low));
                }
            }
            6 => {
                let at = self.next_word();
                self.write(at, self.r[7]);
                self.wz = latch(self.r[7], at);
            }
            _ => {
                let at = self.next_word();
                self.r[7] = self.read(at);
                self.wz = at.wrapping_add(1);
            }
        }
    }

    /// Rotations of A, DAA, CPL, SCF and CCF.
    fn accumulator(&mut self, y: u8) {
        let old = self.f;
        match y {
            0..=3 => {
                self.r[7] = self.shift(y, self.r[7]);
                (self.f.s, self.f.z, self.f.pv) = (old.s, old.z, old.pv);
            }
            4 => self.adjust(),
            5 => {
                self.r[7] = !self.r[7];
                (self.f.h, self.f.n) = (true, true);
                self.unused(self.r[7]);
            }
            _ => {
                let kept = if self.flags_set { 0 } else { old.byte() };
                self.unused(self.r[7] | kept);
                (self.f.h, self.f.c, self.f.n) = (y == 7 && old.c, y == 6 || !old.c, false);
            }
        }
    }

    fn control(&mut self, opcode: u8, place: Place) {
        let (y, z) = (opcode >> 3 & 7, opcode & 7);
        match z {
            0 => {
                self.states += 1;
                if self.holds(y) {
                    self.pc = self.pop();
                    self.wz = self.pc;
                }
            }
            2 | 4 => {
                self.wz = self.next_word();
                match (self.holds(y), z) {
                    (false, _) => {}
                    (true, 2) => self.pc = self.wz,
                    (true, _) => self.call(self.wz),
                }
            }
            7 => self.call(u16::from(y) * 8),
            1 | 5 if y % 2 == 0 => {
                let high = usize::from(y);
                if z == 1 {
                    let value = self.pop();
                    match y {
                        4 => self.set_index(place, value),
                        6 => (self.r[7], self.f) = ((value / 256) as u8, Flags::of(value as u8)),
                        _ => self.set_pair(high, value),
                    }
                } else {
                    self.states += 1;
                    let value = match y {
                        4 => self.index(place),
                        6 => u16::from(self.r[7]) * 256 + u16::from(self.f.byte()),
                        _ => self.pair(high),
                    };
                    self.push(value);
                }
            }
            1 => match y {
                1 => {
                    self.pc = self.pop();
                    self.wz = self.pc;
                }
                3 => {
                    for (at, high) in [0, 2, 4].into_iter().enumerate() {
                        let own = self.pair(high);
                        let other = std::mem::replace(&mut self.second[at + 1], own);
                        self.set_pair(high, other);
                    }
                }
                5 => self.pc = self.index(place),
                _ => {
                    self.states += 2;
                    self.sp = self.index(place);
                }
            },
            5 => {
                let target = self.next_word();
                self.wz = target;
                self.call(target);
            }
            _ => self.single(y, place),
        }
    }

    fn call(&mut self, target: u16) {
        self.states += 1;
        self.push(self.pc);
        (self.pc, self.wz) = (target, target);
    }

    fn single(&mut self, y: u8, place: Place) {
        match y {
            0 => {
                self.pc = self.next_word();
                self.wz = self.pc;
            }
            2 => {
                let port = self.next();
                self.wz = u16::from(self.r[7]) * 256 + u16::from(port.wrapping_add(1));
                self.output(port, self.r[7]);
            }
            3 => {
                let port = u16::from(self.r[7]) * 256 + u16::from(self.next());
                self.wz = port.wrapping_add(1);
                self.r[7] = self.input();
            }
            4 => {
                let value = self.index(place);
                let top = self.pop();
                self.states += 3;
                self.push(value);
                self.set_index(place, top);
                self.wz = top;
            }
            5 => {
                let (de, hl) = (self.pair(2), self.pair(4));
                self.set_pair(2, hl);
                self.set_pair(4, de);
            }
            6 => self.enabled = (false, false),
            _ => self.enabled = (true, true),
        }
    }

    fn bits(&mut self, place: Place) -> Option<bool> {
        let (opcode, at) = if place == Place::Hl {
            let opcode = self.fetch();
            (opcode, (opcode & 7 == 6).then(|| self.pair(4)))
        } else {
            let at = self.address(place, 0);
            let opcode = self.next();
            self.states += 2;
            (opcode, Some(at))
        };
        let (x, y, z) = (opcode >> 6, opcode >> 3 & 7, usize::from(opcode & 7));
        if !self.undocumented && (place != Place::Hl && z != 6 || x == 0 && y == 6) {
            return None;
        }
        let value = match at {
            Some(at) => {
                self.states += 1;
                self.read(at)
            }
            None => self.r[z],
        };
        let result = match x {
            0 => self.shift(y, value),
            1 => {
                let seen = match at {
                    Some(_) => (self.wz / 256) as u8,
                    None => value,
                };
                self.test_bit(value, y, seen);
                return Some(true);
            }
            2 => value & !(1 << y),
            _ => value | 1 << y,
        };
        if let Some(at) = at {
            self.write(at, result);
        }
        if at.is_none() || z != 6 {
            self.r[z] = result;
        }
        Some(x == 0)
    }

    fn extended(&mut self) -> Option<bool> {
        let opcode = self.fetch();
        let (x, y, z) = (opcode >> 6, opcode >> 3 & 7, opcode & 7);
        let (p, carry) = (y / 2, self.f.c);
        let documented = match (x, z) {
            (1, 0 | 1) => y != 6,
            (1, 2) => true,
            (1, 3) => true,
            (1, 4) => y == 0,
            (1, 5) => y < 2,
            (1, 6) => matches!(y, 0 | 2 | 3),
            (1, _) => y < 6,
            (2, 0..=3) => y >= 4,
            _ => false,
        };
        if !documented && !self.undocumented {
            return None;
        }
        match (x, z) {
            (1, 0) => {
                self.wz = self.pair(0).wrapping_add(1);
                let value = self.input();
                if y != 6 {
                    self.r[usize::from(y)] = value;
                }
                self.by_result(value);
                (self.f.h, self.f.n, self.f.pv) = (false, false, Self::even(value));
                return Some(true);
            }
            (1, 1) => {
                self.wz = self.pair(0).wrapping_add(1);
                let value = if y == 6 { 0 } else { self.r[usize::from(y)] };
                self.output(self.r[1], value);
            }
            (1, 2) => {
                let value = self.second_operand(p, Place::Hl);
                if y % 2 == 1 {
                    self.add_words(Place::Hl, value, Some(carry));
                } else {
                    self.add_words(Place::Hl, !value, Some(!carry));
                    (self.f.h, self.f.c, self.f.n) = (!self.f.h, !self.f.c, true);
                }
                return Some(true);
            }
            (1, 3) => {
                let at = self.next_word();
                self.wz = at.wrapping_add(1);
                if y % 2 == 0 {
                    let value = self.second_operand(p, Place::Hl);
                    self.write(at, value as u8);
                    self.write(self.wz, (value / 256) as u8);
                } else {
                    let low = self.read(at);
                    let value = u16::from(self.read(self.wz)) * 256 + u16::from(low);
                    if p == 3 { self.sp = value } else { self.set_pair(usize::from(2 * p), value) }
                }
            }
            (1, 4) => {
                let value = std::mem::take(&mut self.r[7]);
                self.r[7] = self.subtract(value, false);
                return Some(true);
            }
            (1, 5) => {
                self.pc = self.pop();
                self.wz = self.pc;
                self.enabled.0 = self.enabled.1;
            }
            (1, 6) => self.mode = [0, 0, 1, 2][usize::from(y % 4)],
            (1, _) => return Some(self.special(y)),
            (2, 0..=3) if y >= 4 => {
                self.block(y, z);
                return Some(true);
            }
            _ => {}
        }
        Some(false)
    }

    fn special(&mut self, y: u8) -> bool {
        match y {
            0..=3 => self.states += 1,
            4 | 5 => {
                let at = self.pair(4);
                let cell = self.read(at);
                self.states += 4;
                let low = self.r[7] % 16;
                // Of three digits in a row, moved by one: A's low one and the cell's two.
                let (first, second, digit) = match y {
                    4 => (low, cell / 16, cell % 16),
                    _ => (cell % 16, low, cell / 16),
                };
                let cell = first * 16 + second;
                self.write(at, cell);
                self.r[7] = self.r[7] / 16 * 16 + digit;
                self.wz = at.wrapping_add(1);
            }
            _ => {}
        }
        match y {
            0 => self.i = self.r[7],
            1 => self.refresh = self.r[7],
            2 => self.r[7] = self.i,
            3 => self.r[7] = self.refresh,
            _ => {}
        }
        if !matches!(y, 2..=5) {
            return false;
        }
        self.by_result(self.r[7]);
        (self.f.h, self.f.n) = (false, false);
        self.f.pv = if y < 4 { self.enabled.1 } else { Self::even(self.r[7]) };
        true
    }

    /// Block instructions against what a plain loop does in one go round.
    fn block(&mut self, y: u8, z: u8) {
        let by = if y % 2 == 1 { 0xFFFF } else { 1u16 };
        let repeats = y >= 6;
        let hl = self.pair(4);
        let old = self.f;
        match z {
            0 => {
                let value = self.read(hl);
                let de = self.pair(2);
                self.write(de, value);
                self.states += 2;
                self.set_pair(2, de.wrapping_add(by));
                self.set_pair(0, self.pair(0).wrapping_sub(1));
                let seen = value.wrapping_add(self.r[7]);
                (self.f.x, self.f.y) = (seen & 8 != 0, seen & 2 != 0);
                (self.f.h, self.f.n, self.f.pv) = (false, false, self.pair(0) != 0);
            }
            1 => {
                let value = self.read(hl);
                self.states += 5;
                self.wz = self.wz.wrapping_add(by);
                let result = self.subtract(value, false);
                let seen = result.wrapping_sub(u8::from(self.f.h));
                self.set_pair(0, self.pair(0).wrapping_sub(1));
                (self.f.x, self.f.y) = (seen & 8 != 0, seen & 2 != 0);
                (self.f.c, self.f.pv) = (old.c, self.pair(0) != 0);
            }
            _ => self.port_block(z == 3, by, hl),
        }
        self.set_pair(4, hl.wrapping_add(by));
        if z == 3 {
            self.port_flags(self.memory[usize::from(hl)], self.r[5]);
        }
        let again = match z {
            0 => self.f.pv,
            1 => self.f.pv && !self.f.z,
            _ => self.r[0] != 0,
        };
        if repeats && again {
            self.states += 5;
            self.pc = self.pc.wrapping_sub(2);
            self.wz = self.pc.wrapping_add(1);
            self.unused((self.pc / 256) as u8);
            if z >= 2 {
                let value = if z == 3 { self.memory[usize::from(hl)] } else { self.port_in };
                self.interrupted_port_flags(value);
            }
        }
    }

    fn port_block(&mut self, out: bool, by: u16, hl: u16) {
        self.states += 1;
        let before = self.pair(0);
        self.r[0] = self.r[0].wrapping_sub(1);
        if out {
            let value = self.read(hl);
            self.output(self.r[1], value);
            self.wz = self.pair(0).wrapping_add(by);
        } else {
            let value = self.input();
            self.write(hl, value);
            self.wz = before.wrapping_add(by);
            self.port_flags(value, self.r[1].wrapping_add(by as u8));
        }
    }

    fn port_flags(&mut self, value: u8, other: u8) {
        self.by_result(self.r[0]);
        let sum = u32::from(value) + u32::from(other);
        (self.f.h, self.f.c, self.f.n) = (sum > 255, sum > 255, value >= 0x80);
        self.f.pv = Self::even((sum % 8) as u8 ^ self.r[0]);
    }

    fn interrupted_port_flags(&mut self, value: u8) {
        let b = self.r[0];
        let (turned, half) = match (self.f.c, value >= 0x80) {
            (false, _) => (b, false),
            (true, true) => (b.wrapping_sub(1), b.is_multiple_of(16)),
            (true, false) => (b.wrapping_add(1), b % 16 == 15),
        };
        self.f.pv ^= !Self::even(turned % 8);
        self.f.h = half;
    }
}
