//! Decimal arithmetic of the 6502 and 65C02, pure: operands in, result and flags out.
//!
//! The maker's manual says that N, V and Z are not to be used after decimal arithmetic on the NMOS part; what it leaves
//! there all the same is established on the silicon and followed here: N and V are taken before the high digit is
//! corrected, Z from the binary sum. The CMOS part sets N and Z by the result (W65C02S data sheet, "Enhancements").

/// N of the flag byte.
pub const N: u8 = 0x80;
/// V of the flag byte.
pub const V: u8 = 0x40;
/// The bit of the flag byte that always reads as 1.
pub(crate) const ONE: u8 = 0x20;
/// B of a pushed flag byte: 1 from PHP and BRK, 0 from an interrupt.
pub const B: u8 = 0x10;
/// D of the flag byte.
pub const D: u8 = 0x08;
/// I of the flag byte.
pub const I: u8 = 0x04;
/// Z of the flag byte.
pub const Z: u8 = 0x02;
/// C of the flag byte.
pub const C: u8 = 0x01;

/// A result with the flags it sets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sum {
    /// The result.
    pub result: u8,
    /// N.
    pub negative: bool,
    /// V.
    pub overflow: bool,
    /// Z.
    pub zero: bool,
    /// C.
    pub carry: bool,
}

/// A plus the value plus the carry, in binary.
#[inline]
pub fn add(a: u8, value: u8, carry: u8) -> Sum {
    let sum = u16::from(a) + u16::from(value) + u16::from(carry);
    let result = sum as u8;
    Sum {
        result,
        negative: result & 0x80 != 0,
        overflow: !(a ^ value) & (a ^ result) & 0x80 != 0,
        zero: result == 0,
        carry: sum > 0xFF,
    }
}

/// A plus the value plus the carry, as decimal digits.
#[cold]
pub(crate) fn add_decimal(a: u8, value: u8, carry: u8, cmos: bool) -> Sum {
    let binary = add(a, value, carry);
    let mut low = i32::from(a & 0x0F) + i32::from(value & 0x0F) + i32::from(carry);
    if low > 9 {
        low = ((low + 6) & 0x0F) + 0x10;
    }
    // The high digits as they are, and as signed numbers: N and V come from the latter.
    let high = i32::from(a & 0xF0) + i32::from(value & 0xF0) + low;
    let signed = i32::from((a & 0xF0) as i8) + i32::from((value & 0xF0) as i8) + low;
    let whole = if high >= 0xA0 { high + 0x60 } else { high };
    let result = whole as u8;
    let overflow = !(-128..=127).contains(&signed);
    let carry = whole > 0xFF;
    match cmos {
        true => Sum { result, negative: result & 0x80 != 0, overflow, zero: result == 0, carry },
        false => Sum { result, negative: high & 0x80 != 0, overflow, zero: binary.zero, carry },
    }
}

/// A minus the value minus the borrow, as decimal digits. A carry of 1 is no borrow.
#[cold]
pub(crate) fn subtract_decimal(a: u8, value: u8, carry: u8, cmos: bool) -> Sum {
    let binary = add(a, !value, carry);
    let borrow = 1 - i32::from(carry);
    let low = i32::from(a & 0x0F) - i32::from(value & 0x0F) - borrow;
    let whole = if cmos {
        let mut whole = i32::from(a) - i32::from(value) - borrow;
        whole -= if whole < 0 { 0x60 } else { 0 };
        whole - if low < 0 { 6 } else { 0 }
    } else {
        let low = if low < 0 { ((low - 6) & 0x0F) - 0x10 } else { low };
        let whole = i32::from(a & 0xF0) - i32::from(value & 0xF0) + low;
        whole - if whole < 0 { 0x60 } else { 0 }
    };
    let result = whole as u8;
    match cmos {
        true => Sum { result, negative: result & 0x80 != 0, zero: result == 0, ..binary },
        false => Sum { result, ..binary },
    }
}

/// The undocumented ARR after its AND: rotates right, with C and V from the upper bits, or corrected as decimal digits.
#[inline]
pub fn rotate_masked(masked: u8, carry: u8, decimal: bool) -> Sum {
    let rotated = masked >> 1 | carry << 7;
    let mut sum = Sum {
        result: rotated,
        negative: carry != 0,
        overflow: (rotated ^ rotated << 1) & 0x40 != 0,
        zero: rotated == 0,
        carry: rotated & 0x40 != 0,
    };
    if decimal {
        sum.overflow = (masked ^ rotated) & 0x40 != 0;
        if (masked & 0x0F) + (masked & 1) > 5 {
            sum.result = sum.result & 0xF0 | (sum.result.wrapping_add(6) & 0x0F);
        }
        sum.carry = u16::from(masked & 0xF0) + u16::from(masked & 0x10) > 0x50;
        if sum.carry {
            sum.result = sum.result.wrapping_add(0x60);
        }
    }
    sum
}
