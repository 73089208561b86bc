//! Arithmetic and logic of the Z80: operands in, result and flag byte out.
//!
//! Zilog, *Z80 CPU User Manual* (UM0080), "Z80 status indicator flags". The two flags that the manual calls not used follow bits 5
//! and 3 of the result, of the operand in a comparison.

/// Sign.
pub const S: u8 = 0x80;
/// Zero.
pub const Z: u8 = 0x40;
/// Not used by the maker: bit 5 of what was worked on.
pub const Y: u8 = 0x20;
/// Carry out of bit 3.
pub const H: u8 = 0x10;
/// Not used by the maker: bit 3 of what was worked on.
pub const X: u8 = 0x08;
/// Even parity, or signed overflow.
pub(crate) const PV: u8 = 0x04;
/// The last arithmetic was a subtraction.
pub const N: u8 = 0x02;
/// Carry, or borrow.
pub const C: u8 = 0x01;

/// The flags of every value, by what is done with it.
///
/// PERF: a load an instruction in place of eight steps (`cargo bench --bench emulate`).
struct Tables {
    /// S, Z, Y, X and parity of a result.
    result: [u8; 256],
    /// S, Z, Y and X of a result.
    sign: [u8; 256],
    /// S and Z of a result.
    sign_and_zero: [u8; 256],
    /// All but the carry, of what was added 1 to.
    increment: [u8; 256],
    /// All but the carry, of what 1 was subtracted from.
    decrement: [u8; 256],
}

static TABLES: Tables = {
    let mut tables = Tables {
        result: [0; 256],
        sign: [0; 256],
        sign_and_zero: [0; 256],
        increment: [0; 256],
        decrement: [0; 256],
    };
    let mut value = 0;
    while value < 256 {
        let byte = value as u8;
        let sign_and_zero = byte & S | if byte == 0 { Z } else { 0 };
        let sign = sign_and_zero | byte & (Y | X);
        tables.sign_and_zero[value] = sign_and_zero;
        tables.sign[value] = sign;
        tables.result[value] = sign | if byte.count_ones() & 1 == 0 { PV } else { 0 };
        let half = if byte & 0x0F == 0 { H } else { 0 };
        let overflow = if byte == 0x80 { PV } else { 0 };
        tables.increment[byte.wrapping_sub(1) as usize] = sign | half | overflow;
        let half = if byte & 0x0F == 0x0F { H } else { 0 };
        let overflow = if byte == 0x7F { PV } else { 0 };
        tables.decrement[byte.wrapping_add(1) as usize] = sign | half | overflow | N;
        value += 1;
    }
    tables
};

/// S, Z, Y, X and the parity of a value.
#[inline(always)]
pub fn result(value: u8) -> u8 {
    TABLES.result[usize::from(value)]
}

/// H, P/V and C of a sum or a difference of nine bits. `carries`: both operands and the result, bit by bit exclusive.
#[inline(always)]
fn carry_flags(carries: u16) -> u8 {
    carries as u8 & H | (carries >> 5 ^ carries >> 6) as u8 & PV | (carries >> 8) as u8 & C
}

/// Adds with a carry of 0 or 1.
#[inline(always)]
pub fn add(a: u8, value: u8, carry: u8) -> (u8, u8) {
    let sum = u16::from(a) + u16::from(value) + u16::from(carry);
    let byte = sum as u8;
    (byte, TABLES.sign[usize::from(byte)] | carry_flags(u16::from(a ^ value) ^ sum))
}

/// Subtracts with a borrow of 0 or 1.
#[inline(always)]
pub fn subtract(a: u8, value: u8, borrow: u8) -> (u8, u8) {
    let difference = u16::from(a).wrapping_sub(u16::from(value)).wrapping_sub(u16::from(borrow));
    let byte = difference as u8;
    (byte, TABLES.sign[usize::from(byte)] | carry_flags(u16::from(a ^ value) ^ difference) | N)
}

/// The flags of a comparison; Y and X are the operand's.
#[inline(always)]
pub fn compare(a: u8, value: u8) -> u8 {
    let difference = u16::from(a).wrapping_sub(u16::from(value));
    let carries = carry_flags(u16::from(a ^ value) ^ difference);
    TABLES.sign_and_zero[usize::from(difference as u8)] | value & (Y | X) | carries | N
}

/// Adds 1 and keeps the carry.
#[inline(always)]
pub fn increment(value: u8, flags: u8) -> (u8, u8) {
    (value.wrapping_add(1), TABLES.increment[usize::from(value)] | flags & C)
}

/// Subtracts 1 and keeps the carry.
#[inline(always)]
pub(crate) fn decrement(value: u8, flags: u8) -> (u8, u8) {
    (value.wrapping_sub(1), TABLES.decrement[usize::from(value)] | flags & C)
}

/// Corrects A to two decimal digits.
#[inline]
pub(crate) fn decimal_adjust(a: u8, flags: u8) -> (u8, u8) {
    let mut correction = 0;
    if flags & H != 0 || a & 0x0F > 9 {
        correction |= 0x06;
    }
    let carry = if flags & C != 0 || a > 0x99 { C } else { 0 };
    if carry != 0 {
        correction |= 0x60;
    }
    let byte = if flags & N == 0 { a.wrapping_add(correction) } else { a.wrapping_sub(correction) };
    (byte, result(byte) | (a ^ byte) & H | flags & N | carry)
}

/// Adds two words; S, Z and P/V stay.
#[inline(always)]
pub(crate) fn add_word(word: u16, value: u16, flags: u8) -> (u16, u8) {
    let (sum, carry) = word.overflowing_add(value);
    let high = (sum >> 8) as u8;
    let half = ((word ^ value ^ sum) >> 8) as u8 & H;
    (sum, flags & (S | Z | PV) | high & (Y | X) | half | u8::from(carry))
}

#[inline]
fn word_flags(word: u16) -> u8 {
    let high = (word >> 8) as u8;
    high & (S | Y | X) | if word == 0 { Z } else { 0 }
}

/// Adds two words and a carry.
#[inline]
pub(crate) fn add_word_with_carry(word: u16, value: u16, carry: u8) -> (u16, u8) {
    let wide = u32::from(word) + u32::from(value) + u32::from(carry);
    let sum = wide as u16;
    let half = ((word ^ value ^ sum) >> 8) as u8 & H;
    let overflow = ((word ^ sum) & (value ^ sum) & 0x8000) >> 13;
    (sum, word_flags(sum) | half | overflow as u8 | (wide >> 16) as u8)
}

/// Subtracts a word and a borrow from a word.
#[inline]
pub(crate) fn subtract_word(word: u16, value: u16, borrow: u8) -> (u16, u8) {
    let wide = u32::from(word).wrapping_sub(u32::from(value)).wrapping_sub(u32::from(borrow));
    let difference = wide as u16;
    let half = ((word ^ value ^ difference) >> 8) as u8 & H;
    let overflow = ((word ^ value) & (word ^ difference) & 0x8000) >> 13;
    (difference, word_flags(difference) | half | overflow as u8 | N | (wide >> 16) as u8 & C)
}

/// The shift or rotation that bits 3 to 5 of its opcode name.
#[inline(always)]
pub fn shift(kind: u8, value: u8, flags: u8) -> (u8, u8) {
    let carry = flags & C;
    let (byte, out) = match kind & 7 {
        0 => (value.rotate_left(1), value >> 7),
        1 => (value.rotate_right(1), value & 1),
        2 => (value << 1 | carry, value >> 7),
        3 => (value >> 1 | carry << 7, value & 1),
        4 => (value << 1, value >> 7),
        5 => (value >> 1 | value & 0x80, value & 1),
        6 => (value << 1 | 1, value >> 7),
        _ => (value >> 1, value & 1),
    };
    (byte, result(byte) | out)
}

/// The flags of a test of a bit; Y and X are those of `seen`.
#[inline(always)]
pub fn test_bit(value: u8, bit: u8, seen: u8, flags: u8) -> u8 {
    let one = value & 1 << bit;
    let zero = if one == 0 { Z | PV } else { 0 };
    zero | one & S | seen & (Y | X) | H | flags & C
}
