//! A second definition of the 6502 and 65C02, written from the maker's manuals access by access: the processor uses the bus
//! once in every cycle, so a cycle is counted where something is read or written and nowhere else. Opcodes are taken apart by
//! their fields, flags are kept one by one. The executor and the table are held against it.

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Chip {
    Nmos,
    Cmos,
    Undocumented,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Model {
    pub chip: Chip,
    pub a: u8,
    pub x: u8,
    pub y: u8,
    pub s: u8,
    pub pc: u16,
    pub n: bool,
    pub v: bool,
    pub d: bool,
    pub i: bool,
    pub z: bool,
    pub c: bool,
    pub memory: Vec<u8>,
    pub cycles: u64,
    pub stopped: bool,
}

/// What an operand is.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Operand {
    Number(u8),
    Cell(u16),
    Accumulator,
}

impl Model {
    pub fn p(&self) -> u8 {
        [(self.n, 128), (self.v, 64), (true, 32), (self.d, 8), (self.i, 4), (self.z, 2), (self.c, 1)]
            .iter()
            .map(|&(flag, weight)| if flag { weight } else { 0 })
            .sum()
    }

    pub fn set_p(&mut self, p: u8) {
        let bit = |weight: u8| p / weight % 2 == 1;
        (self.n, self.v, self.d) = (bit(128), bit(64), bit(8));
        (self.i, self.z, self.c) = (bit(4), bit(2), bit(1));
    }

    fn cmos(&self) -> bool {
        self.chip == Chip::Cmos
    }

    fn read(&mut self, at: u16) -> u8 {
        self.cycles += 1;
        self.memory[usize::from(at)]
    }

    fn write(&mut self, at: u16, value: u8) {
        self.cycles += 1;
        self.memory[usize::from(at)] = value;
    }

    fn next(&mut self) -> u8 {
        let value = self.read(self.pc);
        self.pc = self.pc.wrapping_add(1);
        value
    }

    fn next_word(&mut self) -> u16 {
        let low = u16::from(self.next());
        low + 256 * u16::from(self.next())
    }

    fn push(&mut self, value: u8) {
        self.write(0x100 + u16::from(self.s), value);
        self.s = self.s.wrapping_sub(1);
    }

    fn pull(&mut self) -> u8 {
        self.s = self.s.wrapping_add(1);
        self.read(0x100 + u16::from(self.s))
    }

    fn result(&mut self, value: u8) -> u8 {
        (self.n, self.z) = (value > 127, value == 0);
        value
    }

    /// A zero-page pointer; its second byte is in page zero, too.
    fn pointer(&mut self, at: u8) -> u16 {
        let low = u16::from(self.read(at.into()));
        low + 256 * u16::from(self.read(at.wrapping_add(1).into()))
    }

    /// Indexing: where the sum leaves the page, or where something is written, there is a read in between.
    fn indexed(&mut self, base: u16, index: u8, always: bool) -> u16 {
        let address = base.wrapping_add(index.into());
        if always || address / 256 != base / 256 {
            self.read(base / 256 * 256 + address % 256);
        }
        address
    }

    /// The operand by the field bbb, for the columns whose last two bits are 01.
    fn operand_01(&mut self, bbb: u8, writes: bool) -> Operand {
        Operand::Cell(match bbb {
            0 => {
                let at = self.next();
                self.read(at.into());
                self.pointer(at.wrapping_add(self.x))
            }
            1 => self.next().into(),
            2 => return Operand::Number(self.next()),
            3 => self.next_word(),
            4 => {
                let at = self.next();
                let base = self.pointer(at);
                self.indexed(base, self.y, writes)
            }
            5 => self.zero_page(self.x),
            6 => {
                let base = self.next_word();
                self.indexed(base, self.y, writes)
            }
            _ => {
                let base = self.next_word();
                self.indexed(base, self.x, writes)
            }
        })
    }

    fn zero_page(&mut self, index: u8) -> u16 {
        let at = self.next();
        self.read(at.into());
        at.wrapping_add(index).into()
    }

    fn value(&mut self, operand: Operand) -> u8 {
        match operand {
            Operand::Number(value) => value,
            Operand::Cell(at) => self.read(at),
            Operand::Accumulator => self.a,
        }
    }

    /// Reads, changes, writes back; in between the bus is used once more.
    fn modify(&mut self, operand: Operand, change: impl Fn(&mut Self, u8) -> u8) -> u8 {
        let Operand::Cell(at) = operand else {
            self.read(self.pc);
            self.a = change(self, self.a);
            return self.a;
        };
        let before = self.read(at);
        match self.cmos() {
            true => _ = self.read(at),
            false => self.write(at, before),
        }
        let after = change(self, before);
        self.write(at, after);
        after
    }

    fn add(&mut self, value: u8) {
        let carry = u8::from(self.c);
        let binary = u16::from(self.a) + u16::from(value) + u16::from(carry);
        if !self.d {
            self.v = (self.a > 127) == (value > 127) && (binary % 256 > 127) != (self.a > 127);
            self.c = binary > 255;
            self.a = self.result((binary % 256) as u8);
            return;
        }
        let low = self.a % 16 + value % 16 + carry;
        let (low, over) = if low > 9 { ((low + 6) % 16, 1) } else { (low, 0) };
        let high = self.a / 16 + value / 16 + over;
        let uncorrected = high % 16;
        self.v = (self.a > 127) == (value > 127) && (uncorrected > 7) != (self.a > 127);
        self.c = high > 9;
        let high = if self.c { (high + 6) % 16 } else { high };
        self.a = 16 * high + low;
        if self.cmos() {
            self.result(self.a);
            self.cycles += 1;
        } else {
            (self.n, self.z) = (uncorrected > 7, binary % 256 == 0);
        }
    }

    fn subtract(&mut self, value: u8) {
        if !self.d {
            return self.add(255 - value);
        }
        let borrow = i16::from(!self.c);
        let (a, value) = (i16::from(self.a), i16::from(value));
        let binary = a - value - borrow;
        let signed = i16::from(self.a as i8) - i16::from(value as u8 as i8) - borrow;
        self.v = !(-128..128).contains(&signed);
        self.c = binary >= 0;
        let low = a % 16 - value % 16 - borrow;
        let result = if self.cmos() {
            // Each digit that went below 0 takes its share off the whole.
            binary - if binary < 0 { 0x60 } else { 0 } - if low < 0 { 0x06 } else { 0 }
        } else {
            let (low, under) = if low < 0 { ((low + 10) & 15, 1) } else { (low, 0) };
            let high = a / 16 - value / 16 - under;
            16 * (if high < 0 { high + 10 } else { high } & 15) + low
        };
        self.a = (result & 255) as u8;
        if self.cmos() {
            self.result(self.a);
            self.cycles += 1;
        } else {
            self.result((binary & 255) as u8);
        }
    }

    fn compare(&mut self, register: u8, value: u8) {
        self.c = register >= value;
        self.result(register.wrapping_sub(value));
    }

    /// ASL, ROL, LSR, ROR by the field aaa.
    fn shift(&mut self, aaa: u8, value: u8) -> u8 {
        let carry = u8::from(self.c);
        let after = match aaa & 3 {
            0 => value << 1,
            1 => value << 1 | carry,
            2 => value >> 1,
            _ => value >> 1 | carry << 7,
        };
        self.c = if aaa & 2 == 0 { value > 127 } else { value % 2 == 1 };
        self.result(after)
    }

    /// ORA AND EOR ADC STA LDA CMP SBC by the field aaa.
    fn accumulate(&mut self, aaa: u8, value: u8) {
        match aaa {
            0 => self.a = self.result(self.a | value),
            1 => self.a = self.result(self.a & value),
            2 => self.a = self.result(self.a ^ value),
            3 => self.add(value),
            5 => self.a = self.result(value),
            6 => self.compare(self.a, value),
            _ => self.subtract(value),
        }
    }

    fn branch(&mut self, taken: bool) {
        let offset = self.next();
        if !taken {
            return;
        }
        self.read(self.pc);
        let target = self.pc.wrapping_add(offset as i8 as u16);
        if target / 256 != self.pc / 256 {
            self.read(self.pc / 256 * 256 + target % 256);
        }
        self.pc = target;
    }

    fn bit(&mut self, value: u8) {
        (self.n, self.v, self.z) = (value & 128 != 0, value & 64 != 0, self.a & value == 0);
    }

    /// Executes one instruction. False where the chip has none there; then nothing has changed.
    pub fn step(&mut self) -> bool {
        let before = self.clone();
        let opcode = self.next();
        let (aaa, bbb) = (opcode >> 5, opcode >> 2 & 7);
        let known = match opcode & 3 {
            1 => self.column_01(opcode, aaa, bbb),
            2 => self.column_10(opcode, aaa, bbb),
            0 => self.column_00(opcode, aaa, bbb),
            _ => self.column_11(opcode, aaa, bbb),
        };
        if !known {
            *self = before;
        }
        known
    }

    fn column_01(&mut self, opcode: u8, aaa: u8, bbb: u8) -> bool {
        if opcode == 0x89 {
            let value = self.next();
            if self.cmos() {
                self.z = self.a & value == 0;
            }
            return self.chip != Chip::Nmos;
        }
        let operand = self.operand_01(bbb, aaa == 4);
        if aaa == 4 {
            self.store(operand, self.a);
        } else {
            let value = self.value(operand);
            self.accumulate(aaa, value);
        }
        true
    }

    fn store(&mut self, operand: Operand, value: u8) {
        if let Operand::Cell(at) = operand {
            self.write(at, value);
        }
    }

    /// The zero-page pointer without an index, of the CMOS part.
    fn plain_pointer(&mut self) -> Operand {
        let at = self.next();
        Operand::Cell(self.pointer(at))
    }

    fn column_10(&mut self, opcode: u8, aaa: u8, bbb: u8) -> bool {
        match bbb {
            // ASL ROL LSR ROR of A, and what stands in their column.
            2 => {
                self.read(self.pc);
                match aaa {
                    0..=3 => self.a = self.shift(aaa, self.a),
                    4 => self.a = self.result(self.x),
                    5 => self.x = self.result(self.a),
                    6 => self.x = self.result(self.x.wrapping_sub(1)),
                    _ => {}
                }
                return true;
            }
            0 if aaa == 5 => {
                let value = self.next();
                self.x = self.result(value);
                return true;
            }
            // Two cells, two cycles, nothing else.
            0 if self.cmos() || (self.chip == Chip::Undocumented && matches!(aaa, 4 | 6 | 7)) => {
                self.next();
                return true;
            }
            4 if self.cmos() => {
                let operand = self.plain_pointer();
                if aaa == 4 {
                    self.store(operand, self.a);
                } else {
                    let value = self.value(operand);
                    self.accumulate(aaa, value);
                }
                return true;
            }
            0 | 4 => {
                self.read(self.pc);
                self.stopped = true;
                return self.chip == Chip::Undocumented;
            }
            6 => return self.column_1a(aaa),
            _ => {}
        }
        if opcode == 0x9E {
            return self.opcode_9e();
        }
        let by_y = matches!(aaa, 4 | 5);
        let operand = Operand::Cell(match bbb {
            1 => self.next().into(),
            3 => self.next_word(),
            5 => {
                let index = if by_y { self.y } else { self.x };
                self.zero_page(index)
            }
            _ => {
                let base = self.next_word();
                // The CMOS part shifts an indexed cell in six cycles where it stays in the page.
                let always = aaa != 5 && !(self.cmos() && aaa < 4);
                self.indexed(base, if by_y { self.y } else { self.x }, always)
            }
        });
        match aaa {
            0..=3 => _ = self.modify(operand, |model, value| model.shift(aaa, value)),
            4 => self.store(operand, self.x),
            5 => {
                let value = self.value(operand);
                self.x = self.result(value);
            }
            6 => _ = self.modify(operand, |model, value| model.result(value.wrapping_sub(1))),
            _ => _ = self.modify(operand, |model, value| model.result(value.wrapping_add(1))),
        }
        true
    }

    fn column_1a(&mut self, aaa: u8) -> bool {
        match (self.chip, aaa) {
            (_, 4) => {
                self.read(self.pc);
                self.s = self.x;
            }
            (_, 5) => {
                self.read(self.pc);
                self.x = self.result(self.s);
            }
            (Chip::Nmos, _) => return false,
            (Chip::Undocumented, _) => _ = self.read(self.pc),
            (Chip::Cmos, 0) => {
                _ = self.modify(Operand::Accumulator, |model, value| model.result(value.wrapping_add(1)))
            }
            (Chip::Cmos, 1) => {
                _ = self.modify(Operand::Accumulator, |model, value| model.result(value.wrapping_sub(1)))
            }
            (Chip::Cmos, 2 | 6) => {
                self.read(self.pc);
                self.push(if aaa == 2 { self.y } else { self.x });
            }
            (Chip::Cmos, _) => {
                self.read(self.pc);
                self.read(0x100 + u16::from(self.s));
                let value = self.pull();
                *(if aaa == 3 { &mut self.y } else { &mut self.x }) = value;
                self.result(value);
            }
        }
        true
    }

    fn opcode_9e(&mut self) -> bool {
        let base = self.next_word();
        match self.chip {
            Chip::Nmos => return false,
            Chip::Cmos => {
                let at = self.indexed(base, self.x, true);
                self.write(at, 0);
            }
            Chip::Undocumented => self.store_masked(base, self.y, self.x),
        }
        true
    }

    /// The high byte of the address plus 1 gets into the value, and the value into the address where a page is crossed.
    fn store_masked(&mut self, base: u16, index: u8, value: u8) {
        let at = self.indexed(base, index, true);
        let value = value & ((base / 256) as u8).wrapping_add(1);
        let at = if at / 256 == base / 256 { at } else { 256 * u16::from(value) + at % 256 };
        self.write(at, value);
    }

    fn interrupt_return(&mut self) {
        self.read(self.pc);
        self.read(0x100 + u16::from(self.s));
        let p = self.pull();
        self.set_p(p);
        let low = u16::from(self.pull());
        self.pc = low + 256 * u16::from(self.pull());
    }

    fn column_00(&mut self, opcode: u8, aaa: u8, bbb: u8) -> bool {
        match (bbb, opcode) {
            (4, _) => {
                let flag = [self.n, self.v, self.c, self.z][usize::from(aaa >> 1)];
                self.branch(flag == (aaa & 1 == 1));
                return true;
            }
            (6, 0x98) => {
                self.read(self.pc);
                self.a = self.result(self.y);
            }
            (6, _) => {
                self.read(self.pc);
                let value = aaa & 1 == 1;
                match aaa {
                    0 | 1 => self.c = value,
                    2 | 3 => self.i = value,
                    5 => self.v = false,
                    _ => self.d = value,
                }
            }
            (2, _) => self.stack_and_y(aaa),
            (0, 0x00) => {
                self.next();
                let pc = self.pc;
                self.push((pc / 256) as u8);
                self.push((pc % 256) as u8);
                self.push(self.p() | 16);
                self.i = true;
                self.d &= !self.cmos();
                let low = u16::from(self.read(0xFFFE));
                self.pc = low + 256 * u16::from(self.read(0xFFFF));
            }
            (0, 0x20) => {
                let low = u16::from(self.next());
                self.read(0x100 + u16::from(self.s));
                let pc = self.pc;
                self.push((pc / 256) as u8);
                self.push((pc % 256) as u8);
                self.pc = low + 256 * u16::from(self.read(pc));
            }
            (0, 0x40) => self.interrupt_return(),
            (0, 0x60) => {
                self.read(self.pc);
                self.read(0x100 + u16::from(self.s));
                let low = u16::from(self.pull());
                self.pc = low + 256 * u16::from(self.pull());
                self.next();
            }
            (0, 0x80) => match self.chip {
                Chip::Nmos => return false,
                Chip::Cmos => self.branch(true),
                Chip::Undocumented => _ = self.next(),
            },
            (0, _) => {
                let value = self.next();
                match aaa {
                    5 => self.y = self.result(value),
                    6 => self.compare(self.y, value),
                    _ => self.compare(self.x, value),
                }
            }
            (3, 0x4C) => self.pc = self.next_word(),
            (3, 0x6C) => {
                let at = self.next_word();
                let low = u16::from(self.read(at));
                let carried = at.wrapping_add(1);
                let second = if self.cmos() { carried } else { at / 256 * 256 + carried % 256 };
                if self.cmos() {
                    self.read(at / 256 * 256 + carried % 256);
                }
                self.pc = low + 256 * u16::from(self.read(second));
            }
            (7, 0x7C) if self.cmos() => {
                let at = self.next_word().wrapping_add(self.x.into());
                self.read(self.pc.wrapping_sub(1));
                let low = u16::from(self.read(at));
                self.pc = low + 256 * u16::from(self.read(at.wrapping_add(1)));
            }
            _ => return self.memory_00(opcode, aaa, bbb),
        }
        true
    }

    fn stack_and_y(&mut self, aaa: u8) {
        self.read(self.pc);
        match aaa {
            0 => self.push(self.p() | 16),
            2 => self.push(self.a),
            1 => {
                self.read(0x100 + u16::from(self.s));
                let p = self.pull();
                self.set_p(p);
            }
            3 => {
                self.read(0x100 + u16::from(self.s));
                let value = self.pull();
                self.a = self.result(value);
            }
            4 => self.y = self.result(self.y.wrapping_sub(1)),
            5 => self.y = self.result(self.a),
            6 => self.y = self.result(self.y.wrapping_add(1)),
            _ => self.x = self.result(self.x.wrapping_add(1)),
        }
    }

    /// The cells of the column 00: BIT, STY, LDY, CPY, CPX, and what the CMOS part has besides.
    fn memory_00(&mut self, opcode: u8, aaa: u8, bbb: u8) -> bool {
        let documented = match aaa {
            1 => matches!(bbb, 1 | 3),
            4 => matches!(bbb, 1 | 3 | 5),
            5 => true,
            6 | 7 => matches!(bbb, 1 | 3),
            _ => false,
        };
        let cmos_only = self.cmos()
            && (aaa == 0 && matches!(bbb, 1 | 3 | 5 | 7)
                || aaa == 1
                || aaa == 3 && matches!(bbb, 1 | 5)
                || aaa == 4);
        if self.chip == Chip::Nmos && !documented {
            return false;
        }
        if opcode == 0x9C && self.chip == Chip::Undocumented {
            let base = self.next_word();
            self.store_masked(base, self.x, self.y);
            return true;
        }
        if self.cmos() && !documented && !cmos_only {
            return self.reserved(opcode);
        }
        let operand = Operand::Cell(match bbb {
            1 => self.next().into(),
            3 => self.next_word(),
            // TRB stands where the others are indexed.
            5 if self.cmos() && aaa == 0 => self.next().into(),
            5 => self.zero_page(self.x),
            _ if self.cmos() && aaa == 0 || self.cmos() && opcode == 0x9C => self.next_word(),
            _ => {
                let base = self.next_word();
                self.indexed(base, self.x, false)
            }
        });
        match (aaa, documented || cmos_only) {
            (0, true) => {
                let (a, clears) = (self.a, bbb >= 4);
                self.modify(operand, |model, value| {
                    model.z = value & a == 0;
                    if clears { value & !a } else { value | a }
                });
            }
            (1, true) => {
                let value = self.value(operand);
                self.bit(value);
            }
            (3, true) => self.store(operand, 0),
            (4, true) => self.store(operand, if documented { self.y } else { 0 }),
            (5, true) => {
                let value = self.value(operand);
                self.y = self.result(value);
            }
            (6, true) => {
                let value = self.value(operand);
                self.compare(self.y, value);
            }
            (7, true) => {
                let value = self.value(operand);
                self.compare(self.x, value);
            }
            _ => _ = self.value(operand),
        }
        true
    }

    /// Opcodes that the maker of the CMOS part keeps for later: cells and cycles as its data sheet says.
    fn reserved(&mut self, opcode: u8) -> bool {
        let (cells, cycles) = match opcode {
            0x44 => (2, 3),
            0x54 | 0xD4 | 0xF4 => (2, 4),
            0x5C => (3, 8),
            0xDC | 0xFC => (3, 4),
            _ => (1, 1),
        };
        (self.cycles, self.pc) = (cycles, self.pc.wrapping_add(cells - 1));
        true
    }

    fn column_11(&mut self, opcode: u8, aaa: u8, bbb: u8) -> bool {
        match self.chip {
            Chip::Nmos => return false,
            Chip::Cmos => return self.bits(opcode),
            Chip::Undocumented => {}
        }
        match (bbb, aaa) {
            (2, _) => return self.immediate_11(aaa),
            (4, 4) => {
                let at = self.next();
                let base = self.pointer(at);
                self.store_masked(base, self.y, self.a & self.x);
                return true;
            }
            (6 | 7, 4) => {
                let base = self.next_word();
                if bbb == 6 {
                    self.s = self.a & self.x;
                }
                self.store_masked(base, self.y, self.a & self.x);
                return true;
            }
            _ => {}
        }
        let operand = match bbb {
            // SAX and LAX are indexed by Y, as STX and LDX are.
            5 if matches!(aaa, 4 | 5) => Operand::Cell(self.zero_page(self.y)),
            7 if aaa == 5 => {
                let base = self.next_word();
                Operand::Cell(self.indexed(base, self.y, false))
            }
            _ => self.operand_01(bbb, aaa != 5),
        };
        match (aaa, bbb) {
            (4, _) => self.store(operand, self.a & self.x),
            (5, 6) => {
                let value = self.value(operand) & self.s;
                (self.a, self.x, self.s) = (value, value, value);
                self.result(value);
            }
            (5, _) => {
                let value = self.value(operand);
                (self.a, self.x) = (value, value);
                self.result(value);
            }
            (0..=3, _) => {
                let value = self.modify(operand, |model, value| model.shift(aaa, value));
                self.accumulate(aaa, value);
            }
            (6, _) => {
                let value = self.modify(operand, |_, value| value.wrapping_sub(1));
                self.compare(self.a, value);
            }
            _ => {
                let value = self.modify(operand, |_, value| value.wrapping_add(1));
                self.subtract(value);
            }
        }
        true
    }

    fn immediate_11(&mut self, aaa: u8) -> bool {
        let value = self.next();
        match aaa {
            0 | 1 => {
                self.a = self.result(self.a & value);
                self.c = self.n;
            }
            2 => self.a = self.shift(2, self.a & value),
            3 => self.rotate_masked(value),
            4 => self.a = self.result((self.a | 0xEE) & self.x & value),
            5 => {
                self.a = self.result((self.a | 0xEE) & value);
                self.x = self.a;
            }
            6 => {
                let masked = self.a & self.x;
                self.compare(masked, value);
                self.x = masked.wrapping_sub(value);
            }
            _ => self.subtract(value),
        }
        true
    }

    /// ARR: in binary C is bit 6 and V whether bits 6 and 5 differ; in decimal each digit is corrected by itself.
    fn rotate_masked(&mut self, value: u8) {
        let masked = self.a & value;
        let rotated = masked / 2 + if self.c { 128 } else { 0 };
        (self.n, self.z) = (self.c, rotated == 0);
        if !self.d {
            self.a = rotated;
            self.c = rotated & 64 != 0;
            self.v = (rotated & 64 != 0) != (rotated & 32 != 0);
            return;
        }
        self.v = (masked ^ rotated) & 64 != 0;
        let (mut high, mut low) = (rotated / 16, rotated % 16);
        if masked % 16 + masked % 2 > 5 {
            low = (low + 6) % 16;
        }
        self.c = masked / 16 + masked / 16 % 2 > 5;
        if self.c {
            high = (high + 6) % 16;
        }
        self.a = 16 * high + low;
    }

    /// RMB, SMB, BBR and BBS, WAI and STP of the CMOS part; the rest of the column does nothing in one cycle.
    fn bits(&mut self, opcode: u8) -> bool {
        let mask = 1 << (opcode >> 4 & 7);
        let sets = opcode >= 0x80;
        match opcode & 0x0F {
            7 => {
                let at = Operand::Cell(self.next().into());
                self.modify(at, |_, value| if sets { value | mask } else { value & !mask });
            }
            15 => {
                let at = self.next();
                let value = self.read(at.into());
                self.read(at.into());
                self.branch((value & mask != 0) == sets);
            }
            _ if matches!(opcode, 0xCB | 0xDB) => {
                self.cycles = 3;
                self.stopped = true;
            }
            _ => {}
        }
        true
    }
}
