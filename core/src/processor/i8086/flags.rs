//! The flags while the run loop runs.
//!
//! PERF: arithmetic keeps its result and its carries, two stores; which flags they are is worked out where somebody asks. Most results
//! are overwritten unseen. A condition asks for one or two flags, each a shift and a test.

use super::alu::{ALWAYS, ARITHMETIC};
use super::alu::{AUXILIARY, CARRY, OVERFLOW, PARITY, SIGN, Value, ZERO};

/// The last result and its carries, and the flags that no arithmetic sets.
#[derive(Debug, Clone, Copy)]
pub(super) struct Flags {
    /// With its sign up to bit 31, which is SF. ZF where bits 0 to 15 are clear. PF where bits 0 to 7, turned over by bits 16 to 23, have
    /// an even number of ones: eight bits of a sign change nothing about that.
    result: u32,
    /// Carries into bits: AF into bit 4, OF where those into bits 15 and 16 differ. Others say nothing.
    carries: u32,
    /// Bit 16 is CF, which increments leave alone.
    carry: u32,
    /// TF, IF, DF and the bits that are always ones; the others are clear.
    pub control: u16,
}

impl Flags {
    /// Of the word as it is pushed.
    pub fn of(word: u16) -> Self {
        let mut flags = Self { result: 0, carries: 0, carry: 0, control: word & !ARITHMETIC | ALWAYS };
        flags.set_word(word);
        flags
    }

    /// The word as it is pushed.
    #[inline(always)]
    pub fn word(self) -> u16 {
        self.control | arithmetic(self.result, self.carries, self.carry)
    }

    /// Sets the flags of arithmetic as they are in a word.
    #[inline(always)]
    pub fn set_word(&mut self, word: u16) {
        (self.result, self.carries) = parts(word);
        self.carry = u32::from(word & CARRY) << 16;
    }

    /// Sets them by a result and the carries into its bits, of which [`super::alu`] gives `BITS` + 1.
    #[inline(always)]
    pub fn set<V: Value>(&mut self, value: V, carries: u32) {
        self.set_but_carry(value, carries);
        self.carry = self.carries;
    }

    /// The same, but for the carry, which stays.
    #[inline(always)]
    pub fn set_but_carry<V: Value>(&mut self, value: V, carries: u32) {
        self.result = value.signed() as u32;
        // A byte's carries stand eight bits lower; AF stays.
        self.carries = if V::BITS == 8 { carries << 8 | carries & u32::from(AUXILIARY) } else { carries };
    }

    /// Sets the carry and the overflow alone.
    #[inline(always)]
    pub fn set_carry_and_overflow(&mut self, carry: u32, overflow: u32) {
        self.set_carry(carry);
        self.carries = self.carries & u32::from(AUXILIARY) | overflow << 15;
    }

    /// Sets the carry alone.
    #[inline(always)]
    pub fn set_carry(&mut self, carry: u32) {
        self.carry = carry << 16;
    }

    /// 0 or 1.
    #[inline(always)]
    pub fn carry(self) -> u32 {
        self.carry >> 16 & 1
    }

    #[inline(always)]
    fn overflow(self) -> u32 {
        (self.carries >> 16 ^ self.carries >> 15) & 1
    }

    #[inline(always)]
    pub fn has_overflow(self) -> bool {
        self.overflow() != 0
    }

    #[inline(always)]
    pub fn is_zero(self) -> bool {
        self.result as u16 == 0
    }

    #[inline(always)]
    fn is_minus(self) -> bool {
        (self.result as i32) < 0
    }

    #[inline(always)]
    fn is_even(self) -> bool {
        ((self.result ^ self.result >> 16) as u8).count_ones().is_multiple_of(2)
    }

    /// True where the result as numbers with a sign is less than zero, whatever overflowed.
    #[inline(always)]
    fn is_less(self) -> bool {
        (self.result >> 31 ^ self.carries >> 16 ^ self.carries >> 15) & 1 != 0
    }

    /// One of the sixteen conditions by its code.
    #[inline(always)]
    pub fn holds(self, code: u8) -> bool {
        let holds = match code >> 1 & 7 {
            0 => self.has_overflow(),
            1 => self.carry() != 0,
            2 => self.is_zero(),
            3 => self.carry() != 0 || self.is_zero(),
            4 => self.is_minus(),
            5 => self.is_even(),
            6 => self.is_less(),
            _ => self.is_less() || self.is_zero(),
        };
        holds != (code & 1 != 0)
    }

    /// True where a flag that arithmetic does not set is set.
    #[inline(always)]
    pub fn has(self, flag: u16) -> bool {
        self.control & flag != 0
    }
}

/// The flags of arithmetic.
///
/// PERF: seldom asked for, and a call by values, so that nothing takes the address of the flags.
#[inline(never)]
fn arithmetic(result: u32, carries: u32, carry: u32) -> u16 {
    let flags = Flags { result, carries, carry, control: 0 };
    let flag = |holds: bool, flag: u16| if holds { flag } else { 0 };
    flags.carry() as u16
        | flag(flags.is_even(), PARITY)
        | carries as u16 & AUXILIARY
        | flag(flags.is_zero(), ZERO)
        | flag(flags.is_minus(), SIGN)
        | flag(flags.has_overflow(), OVERFLOW)
}

/// A result and carries of which these flags come.
#[inline(never)]
fn parts(word: u16) -> (u32, u32) {
    let bit = |flag: u16| u32::from(word & flag != 0);
    let odd = bit(ZERO) ^ 1;
    let result = odd | (bit(PARITY) ^ odd ^ 1) << 16 | bit(SIGN) << 31;
    let carries = bit(OVERFLOW) << 15 | u32::from(word & AUXILIARY);
    (result, carries)
}
