//! The arithmetic of the family: pure functions from operands to result and flags.
//!
//! Intel, *8080/8085 Assembly Language Programming Manual*: subtraction is addition of the complement, so the auxiliary
//! carry of a subtraction is the carry out of bit 3 of that addition, while CY is complemented into a borrow.

/// Sign.
pub const S: u8 = 0x80;
/// Zero.
pub const Z: u8 = 0x40;
/// 8085: the undocumented X5, the sign of the true result.
pub const X5: u8 = 0x20;
/// Auxiliary carry, out of bit 3.
pub const AC: u8 = 0x10;
/// Even parity.
pub const P: u8 = 0x04;
/// 8085: the undocumented V, two's complement overflow.
pub const V: u8 = 0x02;
/// Carry, or borrow after a subtraction.
pub const CY: u8 = 0x01;

/// S, Z and P of each result.
pub const SZP: [u8; 256] = {
    let mut table = [0; 256];
    let mut value = 0;
    while value < 256 {
        let byte = value as u8;
        let sign = byte & S;
        let zero = if byte == 0 { Z } else { 0 };
        let parity = if byte.count_ones().is_multiple_of(2) { P } else { 0 };
        table[value] = sign | zero | parity;
        value += 1;
    }
    table
};

/// The 8085's V and X5 from the sign bits: `overflowed` has its answer in bit 7.
#[inline(always)]
fn overflow_flags(overflowed: u8, result: u8) -> u8 {
    (overflowed & 0x80) >> 6 | ((overflowed ^ result) & 0x80) >> 2
}

/// `a + value + carry`; `overflow` adds the 8085's undocumented flags.
#[inline(always)]
pub fn add(a: u8, value: u8, carry: u8, overflow: bool) -> (u8, u8) {
    let sum = u16::from(a) + u16::from(value) + u16::from(carry);
    let result = sum as u8;
    let mut flags = SZP[usize::from(result)] | (sum >> 8) as u8 | (a ^ value ^ result) & AC;
    if overflow {
        flags |= overflow_flags((a ^ result) & (value ^ result), result);
    }
    (result, flags)
}

/// `a - value - borrow`; `overflow` adds the 8085's undocumented flags.
#[inline(always)]
pub fn subtract(a: u8, value: u8, borrow: u8, overflow: bool) -> (u8, u8) {
    let difference = u16::from(a).wrapping_sub(u16::from(value)).wrapping_sub(u16::from(borrow));
    let result = difference as u8;
    let mut flags = SZP[usize::from(result)] | (difference >> 8) as u8 & CY | !(a ^ value ^ result) & AC;
    if overflow {
        flags |= overflow_flags((a ^ value) & (a ^ result), result);
    }
    (result, flags)
}

/// `value + 1`, keeping the carry of `flags`.
#[inline(always)]
pub fn increment(value: u8, flags: u8, overflow: bool) -> (u8, u8) {
    let result = value.wrapping_add(1);
    let half = if result & 0xF == 0 { AC } else { 0 };
    let mut flags = SZP[usize::from(result)] | half | flags & CY;
    if overflow {
        flags |= overflow_flags(!value & result, result);
    }
    (result, flags)
}

/// `value - 1`, keeping the carry of `flags`.
#[inline(always)]
pub(crate) fn decrement(value: u8, flags: u8, overflow: bool) -> (u8, u8) {
    let result = value.wrapping_sub(1);
    let half = if result & 0xF == 0xF { 0 } else { AC };
    let mut flags = SZP[usize::from(result)] | half | flags & CY;
    if overflow {
        flags |= overflow_flags(value & !result, result);
    }
    (result, flags)
}

/// The flags of a logical result; `half` is the auxiliary carry.
#[inline(always)]
pub fn logic(result: u8, half: u8, overflow: bool) -> u8 {
    let mut flags = SZP[usize::from(result)] | half;
    if overflow {
        flags |= overflow_flags(0, result);
    }
    flags
}

/// Decimal adjust: adds 6 to each digit above 9 or that carried.
#[inline(always)]
pub(crate) fn decimal_adjust(a: u8, flags: u8, overflow: bool) -> (u8, u8) {
    let mut correction = 0;
    let mut carry = flags & CY;
    if flags & AC != 0 || a & 0xF > 9 {
        correction |= 0x06;
    }
    if carry != 0 || a > 0x99 {
        correction |= 0x60;
        carry = CY;
    }
    let (result, flags) = add(a, correction, 0, overflow);
    (result, flags & !CY | carry)
}
