//! Arithmetic of words of 16 or 24 bits: operands in, result and flag byte out.
//!
//! Zilog, *eZ80 CPU User Manual* (UM0077): H is the carry out of bit 11 in both modes, the other flags are those of the whole word.

use crate::processor::z80::alu::{C, H, N, PV, S, Z};

/// Bits of a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Width {
    mask: u32,
    sign: u32,
}

impl Width {
    /// The long width, or the short one.
    #[inline]
    pub const fn of(long: bool) -> Self {
        if long { Self { mask: 0xFF_FFFF, sign: 0x80_0000 } } else { Self { mask: 0xFFFF, sign: 0x8000 } }
    }

    /// The bits of a value that a word has.
    #[inline]
    pub const fn cut(self, value: u32) -> u32 {
        value & self.mask
    }

    /// Bytes of a word.
    #[inline]
    pub const fn bytes(self) -> u32 {
        if self.mask > 0xFFFF { 3 } else { 2 }
    }

    #[inline]
    fn carries(self, word: u32, value: u32, result: u32) -> u8 {
        ((word ^ value ^ result) >> 8) as u8 & H
    }

    #[inline]
    fn sign_and_zero(self, word: u32) -> u8 {
        let sign = if word & self.sign != 0 { S } else { 0 };
        sign | if word == 0 { Z } else { 0 }
    }

    /// Adds; S, Z and P/V stay.
    #[inline]
    pub fn add(self, word: u32, value: u32, flags: u8) -> (u32, u8) {
        let wide = word + value;
        let sum = self.cut(wide);
        (sum, flags & (S | Z | PV) | self.carries(word, value, sum) | u8::from(wide > self.mask))
    }

    /// Adds with a carry of 0 or 1.
    #[inline]
    pub(crate) fn add_with_carry(self, word: u32, value: u32, carry: u8) -> (u32, u8) {
        let wide = word + value + u32::from(carry);
        let sum = self.cut(wide);
        let overflow = if (word ^ sum) & (value ^ sum) & self.sign != 0 { PV } else { 0 };
        let carry = u8::from(wide > self.mask);
        (sum, self.sign_and_zero(sum) | self.carries(word, value, sum) | overflow | carry)
    }

    /// Subtracts with a borrow of 0 or 1.
    #[inline]
    pub fn subtract(self, word: u32, value: u32, borrow: u8) -> (u32, u8) {
        let wide = word.wrapping_sub(value).wrapping_sub(u32::from(borrow));
        let difference = self.cut(wide);
        let overflow = if (word ^ value) & (word ^ difference) & self.sign != 0 { PV } else { 0 };
        let carry = if wide > self.mask { C } else { 0 };
        (
            difference,
            self.sign_and_zero(difference) | self.carries(word, value, difference) | overflow | N | carry,
        )
    }
}
