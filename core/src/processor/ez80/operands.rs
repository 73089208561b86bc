//! What an instruction works on: cells of the program, memory, the stack, registers by the fields of an opcode.

use super::words::Width;
use super::{Cpu, Registers};
use crate::processor::Bus;
use crate::processor::z80::alu::{self, C, H, PV, S, Z};

/// One instruction under way.
pub(super) struct Step<'a, B> {
    pub cpu: &'a mut Cpu,
    pub bus: &'a mut B,
    /// Data and addresses are long.
    pub long: bool,
    /// Words in the instruction are long.
    pub long_words: bool,
    /// A suffix stands in front.
    pub suffixed: bool,
}

/// IX or IY.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Index {
    Ix,
    Iy,
}

impl<B: Bus<Cell = u8>> Step<'_, B> {
    pub fn r(&mut self) -> &mut Registers {
        &mut self.cpu.registers
    }

    /// The width of data.
    pub fn width(&self) -> Width {
        Width::of(self.long)
    }

    /// Cycles inside.
    pub(crate) fn spend(&mut self, cycles: u64) {
        self.cpu.now += cycles;
    }

    /// The next cell of the program.
    pub fn byte(&mut self) -> u8 {
        let r = &mut self.cpu.registers;
        let cell = self.bus.fetch(r.program());
        r.go_to(r.pc + 1);
        self.cpu.now += 1;
        cell
    }

    /// The next cell of an opcode, which R counts.
    pub fn opcode(&mut self) -> u8 {
        let r = &mut self.cpu.registers;
        r.r = r.r & 0x80 | r.r.wrapping_add(1) & 0x7F;
        self.byte()
    }

    /// A word in the instruction.
    pub fn word(&mut self) -> u32 {
        let low = u32::from(self.byte()) | u32::from(self.byte()) << 8;
        if self.long_words { low | u32::from(self.byte()) << 16 } else { low }
    }

    pub fn read(&mut self, address: u32) -> u8 {
        self.cpu.now += 1;
        self.bus.read(self.cpu.registers.place(address, self.long), self.cpu.now)
    }

    pub fn write(&mut self, address: u32, value: u8) {
        self.cpu.now += 1;
        self.bus.write(self.cpu.registers.place(address, self.long), value, self.cpu.now);
    }

    pub fn read_word(&mut self, address: u32) -> u32 {
        (0..self.width().bytes())
            .fold(0, |word, byte| word | u32::from(self.read(address.wrapping_add(byte))) << (8 * byte))
    }

    pub fn write_word(&mut self, address: u32, value: u32) {
        for byte in 0..self.width().bytes() {
            self.write(address.wrapping_add(byte), (value >> (8 * byte)) as u8);
        }
    }

    /// The stack pointer of a width.
    pub(crate) fn stack_pointer(&self, long: bool) -> u32 {
        if long { self.cpu.registers.spl } else { self.cpu.registers.sps.into() }
    }

    pub(crate) fn set_stack_pointer(&mut self, long: bool, value: u32) {
        if long { self.r().spl = value & 0xFF_FFFF } else { self.r().sps = value as u16 }
    }

    /// Puts a byte on the stack of a width.
    pub fn push_byte(&mut self, long: bool, value: u8) {
        let to = self.stack_pointer(long).wrapping_sub(1);
        self.set_stack_pointer(long, to);
        self.cpu.now += 1;
        self.bus.write(self.cpu.registers.place(to, long), value, self.cpu.now);
    }

    /// Takes a byte from the stack of a width.
    pub fn pop_byte(&mut self, long: bool) -> u8 {
        let from = self.stack_pointer(long);
        self.set_stack_pointer(long, from.wrapping_add(1));
        self.cpu.now += 1;
        self.bus.read(self.cpu.registers.place(from, long), self.cpu.now)
    }

    pub fn push(&mut self, value: u32) {
        for byte in (0..self.width().bytes()).rev() {
            self.push_byte(self.long, (value >> (8 * byte)) as u8);
        }
    }

    pub fn pop(&mut self) -> u32 {
        (0..self.width().bytes())
            .fold(0, |word, byte| word | u32::from(self.pop_byte(self.long)) << (8 * byte))
    }

    pub fn hl(&self) -> u32 {
        self.cpu.registers.hl
    }

    pub fn index(&self, index: Index) -> u32 {
        match index {
            Index::Ix => self.cpu.registers.ix,
            Index::Iy => self.cpu.registers.iy,
        }
    }

    /// Results of short data leave the upper byte 0.
    pub fn set_index(&mut self, index: Index, value: u32) {
        let value = self.width().cut(value);
        match index {
            Index::Ix => self.r().ix = value,
            Index::Iy => self.r().iy = value,
        }
    }

    /// The address at a distance from an index register; the distance is the next cell of the program.
    pub fn indexed(&mut self, index: Index) -> u32 {
        let distance = self.byte() as i8;
        self.width().cut(self.index(index).wrapping_add_signed(distance.into()))
    }

    /// A byte register by its field; field 6 is none.
    pub fn register(&self, field: u8) -> u8 {
        let r = &self.cpu.registers;
        match field & 7 {
            0 => (r.bc >> 8) as u8,
            1 => r.bc as u8,
            2 => (r.de >> 8) as u8,
            3 => r.de as u8,
            4 => (r.hl >> 8) as u8,
            5 => r.hl as u8,
            _ => r.a,
        }
    }

    pub fn set_register(&mut self, field: u8, value: u8) {
        let r = &mut self.cpu.registers;
        let high = |word: &mut u32| *word = *word & !0xFF00 | u32::from(value) << 8;
        let low = |word: &mut u32| *word = *word & !0xFF | u32::from(value);
        match field & 7 {
            0 => high(&mut r.bc),
            1 => low(&mut r.bc),
            2 => high(&mut r.de),
            3 => low(&mut r.de),
            4 => high(&mut r.hl),
            5 => low(&mut r.hl),
            _ => r.a = value,
        }
    }

    /// A half of an index register: field 4 is the high one, 5 the low one.
    pub fn half(&self, index: Index, field: u8) -> u8 {
        let word = self.index(index);
        if field & 1 == 0 { (word >> 8) as u8 } else { word as u8 }
    }

    pub(crate) fn set_half(&mut self, index: Index, field: u8, value: u8) {
        let word = match index {
            Index::Ix => &mut self.cpu.registers.ix,
            Index::Iy => &mut self.cpu.registers.iy,
        };
        let shift = if field & 1 == 0 { 8 } else { 0 };
        *word = *word & !(0xFF << shift) | u32::from(value) << shift;
    }

    /// A byte register, or the cell at HL for field 6.
    pub fn source(&mut self, field: u8) -> u8 {
        if field & 7 == 6 { self.read(self.hl()) } else { self.register(field) }
    }

    /// A register pair by its field with all its bits; the stack pointer has those of the width.
    pub(crate) fn whole_pair(&self, field: u8) -> u32 {
        let r = &self.cpu.registers;
        match field & 3 {
            0 => r.bc,
            1 => r.de,
            2 => r.hl,
            _ => self.stack_pointer(self.long),
        }
    }

    /// A register pair by its field, the bits that data has.
    pub fn pair(&self, field: u8) -> u32 {
        self.width().cut(self.whole_pair(field))
    }

    /// Results of short data leave the upper byte 0.
    pub fn set_pair(&mut self, field: u8, value: u32) {
        let value = self.width().cut(value);
        match field & 3 {
            0 => self.r().bc = value,
            1 => self.r().de = value,
            2 => self.r().hl = value,
            _ => self.set_stack_pointer(self.long, value),
        }
    }

    pub fn flags(&self) -> u8 {
        self.cpu.registers.f
    }

    pub(crate) fn set_flags(&mut self, flags: u8) {
        self.r().f = flags;
    }

    /// The condition of a field.
    pub fn condition(&self, field: u8) -> bool {
        let mask = [Z, C, PV, S][usize::from(field >> 1 & 3)];
        (self.flags() & mask != 0) == (field & 1 != 0)
    }

    /// The eight operations of A with a byte.
    pub fn arithmetic(&mut self, operation: u8, value: u8) {
        let (a, flags) = (self.cpu.registers.a, self.flags());
        let (a, flags) = match operation & 7 {
            0 => alu::add(a, value, 0),
            1 => alu::add(a, value, flags & C),
            2 => alu::subtract(a, value, 0),
            3 => alu::subtract(a, value, flags & C),
            4 => (a & value, alu::result(a & value) | H),
            5 => (a ^ value, alu::result(a ^ value)),
            6 => (a | value, alu::result(a | value)),
            _ => (a, alu::compare(a, value)),
        };
        self.r().a = a;
        self.set_flags(flags);
    }

    /// Adds 1 to a byte, or subtracts it.
    pub fn count(&mut self, value: u8, down: bool) -> u8 {
        let flags = self.flags();
        let (value, flags) = if down { alu::decrement(value, flags) } else { alu::increment(value, flags) };
        self.set_flags(flags);
        value
    }

    /// The flags of a byte that came in, the carry kept.
    pub(crate) fn flags_of(&mut self, value: u8) {
        let flags = alu::result(value) | self.flags() & C;
        self.set_flags(flags);
    }

    /// Reads a port.
    pub fn input(&mut self, port: u32) -> u8 {
        self.cpu.now += 1;
        self.bus.input(port & 0xFFFF, self.cpu.now)
    }

    pub fn output(&mut self, port: u32, value: u8) {
        self.cpu.now += 1;
        self.bus.output(port & 0xFFFF, value, self.cpu.now);
    }

    /// A rotation, a shift or a test, a change of a bit, by the opcode after CB; `None` where there is none. What is not to be
    /// written is the second result.
    pub fn bits(&mut self, opcode: u8, value: u8) -> Option<(u8, bool)> {
        let bit = opcode >> 3 & 7;
        let flags = self.flags();
        Some(match opcode >> 6 {
            0 if bit == 6 => return None,
            0 => {
                let (value, flags) = alu::shift(bit, value, flags);
                self.set_flags(flags);
                (value, true)
            }
            1 => {
                self.set_flags(alu::test_bit(value, bit, value, flags));
                (value, false)
            }
            2 => (value & !(1 << bit), true),
            _ => (value | 1 << bit, true),
        })
    }
}
