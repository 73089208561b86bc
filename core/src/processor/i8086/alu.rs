//! Arithmetic and logic of the 8086: values in; out come the result and its carries, or its flags where those are seldom.
//!
//! Intel, *The 8086 Family User's Manual* (October 1979), "Flags" and the instruction descriptions. Flags that the maker leaves undefined
//! are what the part is known to leave where that is simple: those of the last step of the operation.

/// The flags by their bits.
pub(super) const CARRY: u16 = 0x0001;
pub(super) const PARITY: u16 = 0x0004;
pub(super) const AUXILIARY: u16 = 0x0010;
pub(super) const ZERO: u16 = 0x0040;
pub(super) const SIGN: u16 = 0x0080;
pub(super) const TRAP: u16 = 0x0100;
pub(super) const INTERRUPT: u16 = 0x0200;
pub(super) const DIRECTION: u16 = 0x0400;
pub(super) const OVERFLOW: u16 = 0x0800;
/// Bits that always read as ones.
pub(super) const ALWAYS: u16 = 0xF002;
/// Those that arithmetic sets.
pub(super) const ARITHMETIC: u16 = CARRY | PARITY | AUXILIARY | ZERO | SIGN | OVERFLOW;
/// Bits that a program can set.
const SETTABLE: u16 = ARITHMETIC | TRAP | INTERRUPT | DIRECTION;

/// The flags as they are kept of a word that is loaded into them.
pub(super) const fn stored(word: u16) -> u16 {
    word & SETTABLE | ALWAYS
}

/// SF, ZF and PF of each byte.
const RESULT: [u8; 256] = {
    let mut flags = [0; 256];
    let mut value = 0;
    while value < 256 {
        let parity = if (value as u8).count_ones().is_multiple_of(2) { PARITY as u8 } else { 0 };
        let zero = if value == 0 { ZERO as u8 } else { 0 };
        flags[value] = value as u8 & SIGN as u8 | zero | parity;
        value += 1;
    }
    flags
};

/// Bytes and words alike.
pub(super) trait Value: Copy + Into<u32> + PartialEq {
    const BITS: u32;
    fn of(value: u32) -> Self;
    /// As a number with a sign.
    fn signed(self) -> i32;
}

impl Value for u8 {
    const BITS: u32 = 8;
    #[inline(always)]
    fn of(value: u32) -> Self {
        value as u8
    }
    #[inline(always)]
    fn signed(self) -> i32 {
        (self as i8).into()
    }
}

impl Value for u16 {
    const BITS: u32 = 16;
    #[inline(always)]
    fn of(value: u32) -> Self {
        value as u16
    }
    #[inline(always)]
    fn signed(self) -> i32 {
        (self as i16).into()
    }
}

/// SF, ZF and PF of a result; PF looks at the low byte alone.
#[inline(always)]
pub(super) fn result<V: Value>(value: V) -> u16 {
    let value: u32 = value.into();
    let low = u16::from(RESULT[value as usize & 0xFF]);
    if V::BITS == 8 {
        return low;
    }
    let zero = if value & 0xFFFF == 0 { ZERO } else { 0 };
    low & PARITY | zero | (value >> 8) as u16 & SIGN
}

/// The sum, and the carries into its bits and the one after.
#[inline(always)]
pub(super) fn add<V: Value>(left: V, right: V, carry: u32) -> (V, u32) {
    let (left, right) = (left.into(), right.into());
    let sum = left + right + carry;
    (V::of(sum), left ^ right ^ sum)
}

/// The difference, and the borrows out of its bits, by the bits they are taken for.
#[inline(always)]
pub(super) fn subtract<V: Value>(left: V, right: V, borrow: u32) -> (V, u32) {
    let (left, right): (u32, u32) = (left.into(), right.into());
    let difference = left.wrapping_sub(right).wrapping_sub(borrow);
    (V::of(difference), left ^ right ^ difference)
}

/// One of the eight operations of two operands, by its code: ADD OR ADC SBB AND SUB XOR CMP, which subtracts, too.
#[inline(always)]
pub(super) fn operate<V: Value>(code: u8, left: V, right: V, carry: u32) -> (V, u32) {
    match code & 7 {
        0 => add(left, right, 0),
        1 => (V::of(left.into() | right.into()), 0),
        2 => add(left, right, carry),
        3 => subtract(left, right, carry),
        4 => (V::of(left.into() & right.into()), 0),
        6 => (V::of(left.into() ^ right.into()), 0),
        _ => subtract(left, right, 0),
    }
}

/// What a rotation or a shift comes to: the result, the bit that went out last, and the overflow of the last step.
pub(super) struct Shifted<V> {
    pub value: V,
    pub out: u32,
    pub overflow: u32,
}

/// True for the codes of rotations, which leave all flags but CF and OF alone.
#[inline(always)]
pub(super) fn is_rotation(code: u8) -> bool {
    code & 4 == 0
}

/// So many steps of a rotation or a shift, at least one, by its code: ROL ROR RCL RCR SHL SHR, nothing, SAR.
#[inline(always)]
pub(super) fn shift<V: Value>(code: u8, value: V, count: u8, carry: u32) -> Shifted<V> {
    let bits = V::BITS;
    let (mut value, mut out): (u32, u32) = (value.into(), carry);
    for _ in 0..count {
        let (high, low) = (value >> (bits - 1) & 1, value & 1);
        let (shifted, next) = match code & 7 {
            0 => (value << 1 | high, high),
            1 => (value >> 1 | low << (bits - 1), low),
            2 => (value << 1 | out, high),
            3 => (value >> 1 | out << (bits - 1), low),
            5 => (value >> 1, low),
            7 => (value >> 1 | high << (bits - 1), low),
            _ => (value << 1, high),
        };
        (value, out) = (V::of(shifted).into(), next);
    }
    let top = value >> (bits - 1) & 1;
    let overflow = match code & 7 {
        // To the left: the sign is not the carry. To the right: the two highest bits differ.
        0 | 2 | 4 | 6 => top ^ out,
        _ => top ^ value >> (bits - 2) & 1,
    };
    Shifted { value: V::of(value), out, overflow }
}

/// DAA and DAS.
pub(super) fn decimal_adjust(al: u8, flags: u16, subtracts: bool) -> (u8, u16) {
    let mut value = al;
    let mut new = flags & (CARRY | AUXILIARY);
    let step = |value: u8, by: u8| if subtracts { value.wrapping_sub(by) } else { value.wrapping_add(by) };
    // The limit of the high digit is one lower where the low one has just been adjusted by a carry alone.
    let limit = if flags & AUXILIARY != 0 { 0x9F } else { 0x99 };
    if al & 0x0F > 9 || flags & AUXILIARY != 0 {
        value = step(value, 6);
        new |= AUXILIARY;
    }
    if al > limit || flags & CARRY != 0 {
        value = step(value, 0x60);
        new |= CARRY;
    }
    (value, new | result(value))
}

/// AAA and AAS: AX and the flags.
pub(super) fn digit_adjust(ax: u16, flags: u16, subtracts: bool) -> (u16, u16) {
    let [mut al, mut ah] = ax.to_le_bytes();
    let adjusts = al & 0x0F > 9 || flags & AUXILIARY != 0;
    if adjusts && subtracts {
        (al, ah) = (al.wrapping_sub(6), ah.wrapping_sub(1));
    } else if adjusts {
        (al, ah) = (al.wrapping_add(6), ah.wrapping_add(1));
    }
    let carry = if adjusts { CARRY | AUXILIARY } else { 0 };
    (u16::from_le_bytes([al & 0x0F, ah]), carry | result(al))
}

/// Multiplies: the low and the high half, and whether the high one says anything.
pub(super) fn multiply<V: Value>(left: V, right: V, signed: bool) -> (V, V, bool) {
    let bits = V::BITS;
    let wide = |value: V| {
        let value: u32 = value.into();
        if signed { i64::from((value << (32 - bits)) as i32 >> (32 - bits)) } else { i64::from(value) }
    };
    let product = wide(left) * wide(right);
    let (low, high) = (V::of(product as u32), V::of((product >> bits) as u32));
    let says = if signed { product != wide(low) } else { product >> bits != 0 };
    (low, high, says)
}

/// Divides a number of twice the width: quotient and rest. `None` where the quotient has no room; the least number counts as such.
pub(super) fn divide<V: Value>(high: V, low: V, by: V, signed: bool) -> Option<(V, V)> {
    let bits = V::BITS;
    let (high, low, by): (u32, u32, u32) = (high.into(), low.into(), by.into());
    let dividend = high << bits | low;
    if by == 0 {
        return None;
    }
    if !signed {
        let (quotient, rest) = (dividend / by, dividend % by);
        return (quotient >> bits == 0).then(|| (V::of(quotient), V::of(rest)));
    }
    let wide = |value: u32, bits: u32| i64::from((value << (32 - bits)) as i32 >> (32 - bits));
    let (dividend, by) = (wide(dividend, 2 * bits), wide(by, bits));
    let (quotient, rest) = (dividend / by, dividend % by);
    let most = (1 << (bits - 1)) - 1;
    (-most..=most).contains(&quotient).then(|| (V::of(quotient as u32), V::of(rest as u32)))
}
