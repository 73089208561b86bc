//! A stretch of a run: the registers at hand, the bus, the time. What all pages of opcodes are made of.
//!
//! PERF: everything here is inlined into one loop, so that the compiler takes the structure apart and keeps its parts in the host's
//! registers. What is called out of line must not be given a reference to it.

use super::alu::{self, C};
use super::{Registers, Second};
use crate::processor::{Bus, Exit, Tally};

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// The cycle limit.
    Limit,
    /// After EI, or a prefix that did nothing: one more instruction runs before interrupts are looked at.
    Shadow,
    /// Interrupts may have been enabled again.
    Enabled,
    /// To the caller.
    Exit(Exit),
}

/// What the loop keeps at hand.
pub(super) struct Stretch<'b, B> {
    pub r: Registers,
    pub bus: &'b mut B,
    pub tally: Tally,
    /// Opcode fetches beyond one an instruction.
    pub more_fetches: u8,
    /// The number of the instruction that set flags last, in this stretch.
    pub flags_set: u32,
}

macro_rules! pairs {
    ($($name:ident $set:ident $high:ident $low:ident),*) => {$(
        #[inline(always)]
        pub fn $name(&self) -> u16 {
            u16::from(self.r.$high) << 8 | u16::from(self.r.$low)
        }

        #[inline(always)]
        pub fn $set(&mut self, value: u16) {
            self.r.$high = (value >> 8) as u8;
            self.r.$low = value as u8;
        }
    )*};
}

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    pairs!(af set_af a f, bc set_bc b c, de set_de d e, hl set_hl h l);

    // Cells

    #[inline(always)]
    pub fn byte(&mut self) -> u8 {
        let value = self.bus.fetch(u32::from(self.r.pc));
        self.r.pc = self.r.pc.wrapping_add(1);
        value
    }

    #[inline(always)]
    pub fn word(&mut self) -> u16 {
        let low = self.byte();
        u16::from(self.byte()) << 8 | u16::from(low)
    }

    #[inline(always)]
    pub fn load(&mut self, address: u16) -> u8 {
        self.bus.read(u32::from(address), self.tally.now())
    }

    #[inline(always)]
    pub fn store(&mut self, address: u16, value: u8) {
        self.bus.write(u32::from(address), value, self.tally.now());
    }

    #[inline(always)]
    pub(crate) fn load_word(&mut self, address: u16) -> u16 {
        let low = self.load(address);
        u16::from(self.load(address.wrapping_add(1))) << 8 | u16::from(low)
    }

    #[inline(always)]
    pub(crate) fn store_word(&mut self, address: u16, value: u16) {
        self.store(address, value as u8);
        self.store(address.wrapping_add(1), (value >> 8) as u8);
    }

    /// A word at the address that follows.
    #[inline(always)]
    pub(crate) fn load_direct(&mut self) -> u16 {
        let address = self.word();
        self.r.wz = address.wrapping_add(1);
        self.load_word(address)
    }

    #[inline(always)]
    pub(crate) fn store_direct(&mut self, value: u16) {
        let address = self.word();
        self.r.wz = address.wrapping_add(1);
        self.store_word(address, value);
    }

    #[inline(always)]
    pub(crate) fn load_at_hl(&mut self) -> u8 {
        self.load(self.hl())
    }

    #[inline(always)]
    pub(crate) fn store_at_hl(&mut self, value: u8) {
        self.store(self.hl(), value);
    }

    /// A at an address; the internal latch gets A above.
    #[inline(always)]
    pub(crate) fn store_a(&mut self, address: u16) {
        self.store(address, self.r.a);
        self.r.wz = u16::from(self.r.a) << 8 | address.wrapping_add(1) & 0xFF;
    }

    #[inline(always)]
    pub(crate) fn load_a(&mut self, address: u16) {
        self.r.a = self.load(address);
        self.r.wz = address.wrapping_add(1);
    }

    // Flags

    #[inline(always)]
    pub(crate) fn set_flags(&mut self, flags: u8) {
        self.r.f = flags;
        self.flags_set = self.tally.count();
    }

    /// True where the instruction before this one set flags.
    #[inline(always)]
    pub(crate) fn flags_just_set(&self) -> bool {
        self.flags_set == self.tally.count().wrapping_sub(1)
    }

    #[inline(always)]
    pub fn add(&mut self, value: u8) {
        let (a, flags) = alu::add(self.r.a, value, 0);
        self.r.a = a;
        self.set_flags(flags);
    }

    #[inline(always)]
    pub(crate) fn add_with_carry(&mut self, value: u8) {
        let (a, flags) = alu::add(self.r.a, value, self.r.f & C);
        self.r.a = a;
        self.set_flags(flags);
    }

    #[inline(always)]
    pub fn subtract(&mut self, value: u8) {
        let (a, flags) = alu::subtract(self.r.a, value, 0);
        self.r.a = a;
        self.set_flags(flags);
    }

    #[inline(always)]
    pub(crate) fn subtract_with_carry(&mut self, value: u8) {
        let (a, flags) = alu::subtract(self.r.a, value, self.r.f & C);
        self.r.a = a;
        self.set_flags(flags);
    }

    #[inline(always)]
    pub fn and(&mut self, value: u8) {
        self.r.a &= value;
        self.set_flags(alu::result(self.r.a) | alu::H);
    }

    #[inline(always)]
    pub fn xor(&mut self, value: u8) {
        self.r.a ^= value;
        self.set_flags(alu::result(self.r.a));
    }

    #[inline(always)]
    pub fn or(&mut self, value: u8) {
        self.r.a |= value;
        self.set_flags(alu::result(self.r.a));
    }

    #[inline(always)]
    pub fn compare(&mut self, value: u8) {
        self.set_flags(alu::compare(self.r.a, value));
    }

    /// The operation of two that bits 3 to 5 of its opcode name.
    #[inline(always)]
    pub fn arithmetic(&mut self, kind: u8, value: u8) {
        match kind & 7 {
            0 => self.add(value),
            1 => self.add_with_carry(value),
            2 => self.subtract(value),
            3 => self.subtract_with_carry(value),
            4 => self.and(value),
            5 => self.xor(value),
            6 => self.or(value),
            _ => self.compare(value),
        }
    }

    #[inline(always)]
    pub fn increment(&mut self, value: u8) -> u8 {
        let (value, flags) = alu::increment(value, self.r.f);
        self.set_flags(flags);
        value
    }

    #[inline(always)]
    pub(crate) fn decrement(&mut self, value: u8) -> u8 {
        let (value, flags) = alu::decrement(value, self.r.f);
        self.set_flags(flags);
        value
    }

    #[inline(always)]
    pub fn shift(&mut self, kind: u8, value: u8) -> u8 {
        let (value, flags) = alu::shift(kind, value, self.r.f);
        self.set_flags(flags);
        value
    }

    /// The rotations of A alone keep S, Z and P/V.
    #[inline(always)]
    pub(crate) fn rotate_a(&mut self, kind: u8) {
        let (a, flags) = alu::shift(kind, self.r.a, self.r.f);
        self.r.a = a;
        self.set_flags(self.r.f & (alu::S | alu::Z | alu::PV) | a & (alu::Y | alu::X) | flags & C);
    }

    #[inline(always)]
    pub(crate) fn add_pair(&mut self, word: u16, value: u16) -> u16 {
        let (sum, flags) = alu::add_word(word, value, self.r.f);
        self.r.wz = word.wrapping_add(1);
        self.set_flags(flags);
        sum
    }

    // Stack and branches

    #[inline(always)]
    pub fn push(&mut self, value: u16) {
        self.store(self.r.sp.wrapping_sub(1), (value >> 8) as u8);
        self.store(self.r.sp.wrapping_sub(2), value as u8);
        self.r.sp = self.r.sp.wrapping_sub(2);
    }

    #[inline(always)]
    pub fn pop(&mut self) -> u16 {
        let value = self.load_word(self.r.sp);
        self.r.sp = self.r.sp.wrapping_add(2);
        value
    }

    /// Exchanges a word with the top of the stack.
    #[inline(always)]
    pub(crate) fn exchange_top(&mut self, value: u16) -> u16 {
        let top = self.load_word(self.r.sp);
        self.store(self.r.sp.wrapping_add(1), (value >> 8) as u8);
        self.store(self.r.sp, value as u8);
        self.r.wz = top;
        top
    }

    /// Calls `target`; after the two cells of its address.
    #[inline(always)]
    pub fn call(&mut self, target: u16) {
        self.push(self.r.pc);
        self.r.wz = target;
        self.r.pc = target;
    }

    #[inline(always)]
    pub(crate) fn call_if(&mut self, condition: bool, more: i64) {
        let target = self.word();
        self.r.wz = target;
        if condition {
            self.tally.add(more);
            self.call(target);
        }
    }

    #[inline(always)]
    pub(crate) fn return_back(&mut self) {
        self.r.pc = self.pop();
        self.r.wz = self.r.pc;
    }

    #[inline(always)]
    pub(crate) fn return_if(&mut self, condition: bool, more: i64) {
        if condition {
            self.tally.add(more);
            self.return_back();
        }
    }

    /// Goes to `target`; true where that is the jump itself, of so many cells.
    #[inline(always)]
    pub fn jump(&mut self, target: u16, cells: u16) -> bool {
        let idle = target == self.r.pc.wrapping_sub(cells);
        self.r.pc = target;
        idle
    }

    #[inline(always)]
    pub fn jump_if(&mut self, condition: bool) -> bool {
        let target = self.word();
        self.r.wz = target;
        condition && self.jump(target, 3)
    }

    #[inline(always)]
    pub(crate) fn jump_near(&mut self) -> bool {
        let distance = self.byte() as i8;
        let target = self.r.pc.wrapping_add_signed(i16::from(distance));
        self.r.wz = target;
        self.jump(target, 2)
    }

    #[inline(always)]
    pub(crate) fn jump_near_if(&mut self, condition: bool, more: i64) -> bool {
        if condition {
            self.tally.add(more);
            self.jump_near()
        } else {
            self.r.pc = self.r.pc.wrapping_add(1);
            false
        }
    }

    /// Does a block instruction of two cells once more.
    #[inline(always)]
    pub fn repeat(&mut self, more: i64) {
        self.tally.add(more);
        self.r.pc = self.r.pc.wrapping_sub(2);
        self.r.wz = self.r.pc.wrapping_add(1);
    }

    // Registers

    #[inline(always)]
    pub(crate) fn exchange_all(&mut self, second: &mut Second) {
        let Registers { b, c, d, e, h, l, .. } = &mut self.r;
        let pairs = [(b, c, &mut second.bc), (d, e, &mut second.de), (h, l, &mut second.hl)];
        for (high, low, other) in pairs {
            let own = u16::from(*high) << 8 | u16::from(*low);
            (*high, *low) = ((*other >> 8) as u8, *other as u8);
            *other = own;
        }
    }
}
