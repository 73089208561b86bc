//! What an instruction works on: cells of the program, memory, the stack, registers by the fields of an opcode.

use super::words::Width;
use super::{Cpu, Registers, Space};
use crate::processor::z80::alu::{self, C, H, PV, S, Z};
use crate::processor::{Bus, Tally};

/// A stretch of a run: the registers at hand, the bus, the time, and one instruction under way.
///
/// PERF: the loop and the opcodes without a prefix are inlined into one function, so that the compiler takes the structure apart. What is
/// called out of line is given a copy.
pub(super) struct Step<'a, B> {
    pub r: Registers,
    /// Of the rest of the processor: the second registers, the interrupts.
    pub cpu: &'a mut Cpu,
    pub bus: &'a mut B,
    pub tally: Tally,
    /// Fetches of opcodes, which the register R counts when it is asked.
    pub fetches: u8,
    /// Where the program is.
    program: Space,
    /// Where data is.
    data: Space,
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

impl<'a, B: Bus<Cell = u8>> Step<'a, B> {
    /// At the registers of a processor, up to a cycle.
    #[inline(always)]
    pub fn new(cpu: &'a mut Cpu, bus: &'a mut B, limit: u64) -> Self {
        let (r, tally) = (cpu.registers, Tally::new(cpu.now, limit));
        let space = r.space(r.adl);
        let (long, long_words) = (r.adl, r.adl);
        Self {
            r,
            cpu,
            bus,
            tally,
            fetches: 0,
            program: space,
            data: space,
            long,
            long_words,
            suffixed: false,
        }
    }

    /// Gives the processor its registers and counts back.
    #[inline(always)]
    pub fn give_back(&mut self) {
        self.count_fetches();
        self.cpu.registers = self.r;
        self.cpu.now = self.tally.now();
        self.cpu.instructions += self.tally.instructions();
    }

    /// An instruction without a suffix begins.
    #[inline(always)]
    pub fn begin(&mut self) {
        (self.data, self.suffixed) = (self.program, false);
        self.long = self.r.adl;
        self.long_words = self.r.adl;
    }

    /// Gives the instruction widths of its own.
    pub fn choose_widths(&mut self, long: bool, long_words: bool) {
        (self.long, self.long_words, self.suffixed) = (long, long_words, true);
        self.data = self.r.space(long);
    }

    /// The mode, or MBASE, may have changed.
    pub fn choose_space(&mut self) {
        self.program = self.r.space(self.r.adl);
        self.r.pc &= self.program.mask;
    }

    /// The address of the program counter as it goes out.
    #[inline(always)]
    pub fn program(&self) -> u32 {
        self.program.base | self.r.pc
    }

    /// Goes to an address of the program.
    #[inline(always)]
    pub fn go_to(&mut self, address: u32) {
        self.r.pc = address & self.program.mask;
    }

    /// The width of data.
    #[inline(always)]
    pub fn width(&self) -> Width {
        Width::of(self.long)
    }

    /// Cycles inside.
    #[inline(always)]
    pub(crate) fn spend(&mut self, cycles: u64) {
        self.tally.add(Tally::more_of(cycles));
    }

    /// The next cell of the program.
    #[inline(always)]
    pub fn byte(&mut self) -> u8 {
        let cell = self.bus.fetch(self.program());
        self.go_to(self.r.pc + 1);
        self.spend(1);
        cell
    }

    /// The next cell of an opcode, which R counts.
    #[inline(always)]
    pub fn opcode(&mut self) -> u8 {
        self.fetches = self.fetches.wrapping_add(1);
        self.byte()
    }

    /// R with what was fetched up to now.
    pub fn count_fetches(&mut self) {
        self.r.r = self.r.r & 0x80 | self.r.r.wrapping_add(std::mem::take(&mut self.fetches)) & 0x7F;
    }

    /// A word in the instruction.
    #[inline(always)]
    pub fn word(&mut self) -> u32 {
        let low = u32::from(self.byte()) | u32::from(self.byte()) << 8;
        if self.long_words { low | u32::from(self.byte()) << 16 } else { low }
    }

    #[inline(always)]
    pub fn read(&mut self, address: u32) -> u8 {
        self.spend(1);
        self.bus.read(self.data.place(address), self.tally.now())
    }

    #[inline(always)]
    pub fn write(&mut self, address: u32, value: u8) {
        self.spend(1);
        self.bus.write(self.data.place(address), value, self.tally.now());
    }

    #[inline(always)]
    pub fn read_word(&mut self, address: u32) -> u32 {
        let low = u32::from(self.read(address)) | u32::from(self.read(address.wrapping_add(1))) << 8;
        if self.long { low | u32::from(self.read(address.wrapping_add(2))) << 16 } else { low }
    }

    #[inline(always)]
    pub fn write_word(&mut self, address: u32, value: u32) {
        self.write(address, value as u8);
        self.write(address.wrapping_add(1), (value >> 8) as u8);
        if self.long {
            self.write(address.wrapping_add(2), (value >> 16) as u8);
        }
    }

    /// The stack pointer of a width.
    #[inline(always)]
    pub(crate) fn stack_pointer(&self, long: bool) -> u32 {
        if long { self.r.spl } else { self.r.sps.into() }
    }

    #[inline(always)]
    pub(crate) fn set_stack_pointer(&mut self, long: bool, value: u32) {
        if long { self.r.spl = value & 0xFF_FFFF } else { self.r.sps = value as u16 }
    }

    /// Puts a byte on the stack of a width.
    #[inline(always)]
    pub fn push_byte(&mut self, long: bool, value: u8) {
        let to = self.stack_pointer(long).wrapping_sub(1);
        self.set_stack_pointer(long, to);
        self.spend(1);
        self.bus.write(self.r.space(long).place(to), value, self.tally.now());
    }

    /// Takes a byte from the stack of a width.
    #[inline(always)]
    pub fn pop_byte(&mut self, long: bool) -> u8 {
        let from = self.stack_pointer(long);
        self.set_stack_pointer(long, from.wrapping_add(1));
        self.spend(1);
        self.bus.read(self.r.space(long).place(from), self.tally.now())
    }

    #[inline(always)]
    pub fn push(&mut self, value: u32) {
        let mut sp = self.stack_pointer(self.long);
        for byte in (0..self.width().bytes()).rev() {
            sp = sp.wrapping_sub(1);
            self.write(sp, (value >> (8 * byte)) as u8);
        }
        self.set_stack_pointer(self.long, sp);
    }

    #[inline(always)]
    pub fn pop(&mut self) -> u32 {
        let sp = self.stack_pointer(self.long);
        let word = self.read_word(sp);
        self.set_stack_pointer(self.long, sp.wrapping_add(self.width().bytes()));
        word
    }

    #[inline(always)]
    pub fn hl(&self) -> u32 {
        self.r.hl
    }

    #[inline(always)]
    pub fn index(&self, index: Index) -> u32 {
        match index {
            Index::Ix => self.r.ix,
            Index::Iy => self.r.iy,
        }
    }

    /// Results of short data leave the upper byte 0.
    #[inline(always)]
    pub fn set_index(&mut self, index: Index, value: u32) {
        let value = self.width().cut(value);
        match index {
            Index::Ix => self.r.ix = value,
            Index::Iy => self.r.iy = value,
        }
    }

    /// The address at a distance from an index register; the distance is the next cell of the program.
    #[inline(always)]
    pub fn indexed(&mut self, index: Index) -> u32 {
        let distance = self.byte() as i8;
        self.width().cut(self.index(index).wrapping_add_signed(distance.into()))
    }

    /// A byte register by its field; field 6 is none.
    #[inline(always)]
    pub fn register(&self, field: u8) -> u8 {
        let r = &self.r;
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

    #[inline(always)]
    pub fn set_register(&mut self, field: u8, value: u8) {
        let r = &mut self.r;
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
    #[inline(always)]
    pub fn half(&self, index: Index, field: u8) -> u8 {
        let word = self.index(index);
        if field & 1 == 0 { (word >> 8) as u8 } else { word as u8 }
    }

    #[inline(always)]
    pub(crate) fn set_half(&mut self, index: Index, field: u8, value: u8) {
        let word = match index {
            Index::Ix => &mut self.r.ix,
            Index::Iy => &mut self.r.iy,
        };
        let shift = if field & 1 == 0 { 8 } else { 0 };
        *word = *word & !(0xFF << shift) | u32::from(value) << shift;
    }

    /// A byte register, or the cell at HL for field 6.
    #[inline(always)]
    pub fn source(&mut self, field: u8) -> u8 {
        if field & 7 == 6 { self.read(self.hl()) } else { self.register(field) }
    }

    /// A register pair by its field with all its bits; the stack pointer has those of the width.
    #[inline(always)]
    pub(crate) fn whole_pair(&self, field: u8) -> u32 {
        let r = &self.r;
        match field & 3 {
            0 => r.bc,
            1 => r.de,
            2 => r.hl,
            _ => self.stack_pointer(self.long),
        }
    }

    /// A register pair by its field, the bits that data has.
    #[inline(always)]
    pub fn pair(&self, field: u8) -> u32 {
        self.width().cut(self.whole_pair(field))
    }

    /// Results of short data leave the upper byte 0.
    #[inline(always)]
    pub fn set_pair(&mut self, field: u8, value: u32) {
        let value = self.width().cut(value);
        match field & 3 {
            0 => self.r.bc = value,
            1 => self.r.de = value,
            2 => self.r.hl = value,
            _ => self.set_stack_pointer(self.long, value),
        }
    }

    #[inline(always)]
    pub fn flags(&self) -> u8 {
        self.r.f
    }

    #[inline(always)]
    pub(crate) fn set_flags(&mut self, flags: u8) {
        self.r.f = flags;
    }

    /// The condition of a field.
    #[inline(always)]
    pub fn condition(&self, field: u8) -> bool {
        let mask = [Z, C, PV, S][usize::from(field >> 1 & 3)];
        (self.flags() & mask != 0) == (field & 1 != 0)
    }

    /// The eight operations of A with a byte.
    #[inline(always)]
    pub fn arithmetic(&mut self, operation: u8, value: u8) {
        let (a, flags) = (self.r.a, self.flags());
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
        self.r.a = a;
        self.set_flags(flags);
    }

    /// Adds 1 to a byte, or subtracts it.
    #[inline(always)]
    pub fn count(&mut self, value: u8, down: bool) -> u8 {
        let flags = self.flags();
        let (value, flags) = if down { alu::decrement(value, flags) } else { alu::increment(value, flags) };
        self.set_flags(flags);
        value
    }

    /// The flags of a byte that came in, the carry kept.
    #[inline(always)]
    pub(crate) fn flags_of(&mut self, value: u8) {
        let flags = alu::result(value) | self.flags() & C;
        self.set_flags(flags);
    }

    /// Reads a port.
    pub fn input(&mut self, port: u32) -> u8 {
        self.spend(1);
        self.bus.input(port & 0xFFFF, self.tally.now())
    }

    pub fn output(&mut self, port: u32, value: u8) {
        self.spend(1);
        self.bus.output(port & 0xFFFF, value, self.tally.now());
    }

    /// A rotation, a shift or a test, a change of a bit, by the opcode after CB; `None` where there is none. What is not to be
    /// written is the second result.
    #[inline(always)]
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
