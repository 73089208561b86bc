//! Fixed point arithmetic and shifts of one word and of two, as pure functions.

use super::{DCK, OV, SIGN, WORD};

/// The number that a word holds as two's complement.
#[inline]
pub(super) const fn signed(word: u64) -> i64 {
    (word << 28) as i64 >> 28
}

/// 35 bits: a number without its sign.
const MAGNITUDE: u64 = SIGN - 1;

/// Adds two words and a carry. The second result has the flags to set.
#[inline(always)]
pub(super) fn add(a: u64, b: u64, carry: u64) -> (u64, u64) {
    let sum = a + b + carry;
    // Bit n: the carry into bit n from the right. Those out of the sign and into it are the carry flags, just below overflow.
    let carries = a ^ b ^ sum;
    (sum & WORD, (carries >> 2) & 3 << 33 | (carries >> 1 ^ carries) & OV)
}

/// Subtracts: adds the complement and 1.
#[inline(always)]
pub(super) fn subtract(a: u64, b: u64) -> (u64, u64) {
    add(a, b ^ WORD, 1)
}

/// A number of 70 bits and its sign in two words, each of which has the sign.
#[inline]
fn double(number: i128) -> (u64, u64) {
    let high = (number >> 35) as u64 & WORD;
    (high, number as u64 & MAGNITUDE | high & SIGN)
}

/// The number in two words; the sign of the second one does not count.
#[inline]
fn joined(high: u64, low: u64) -> i128 {
    i128::from(signed(high)) << 35 | i128::from(low & MAGNITUDE)
}

/// The product in two words, and the flags to set.
#[inline]
pub(super) fn multiply(a: u64, b: u64) -> ((u64, u64), u64) {
    let overflows = a == SIGN && b == SIGN;
    (double(i128::from(signed(a)) * i128::from(signed(b))), if overflows { OV } else { 0 })
}

/// The lower half of the product with the product's sign, and the flags to set.
#[inline]
pub(super) fn multiply_integer(a: u64, b: u64) -> (u64, u64) {
    let product = i128::from(signed(a)) * i128::from(signed(b));
    let word = product as u64 & MAGNITUDE | if product < 0 { SIGN } else { 0 };
    (word, if i128::from(signed(word)) == product { 0 } else { OV })
}

/// Quotient and remainder of two words by one; `None` where the quotient has no room.
#[inline]
fn divide_number(dividend: i128, divisor: u64) -> Option<(u64, u64)> {
    let divisor = i128::from(signed(divisor));
    if dividend.unsigned_abs() >> 35 >= divisor.unsigned_abs() {
        return None;
    }
    Some(((dividend / divisor) as u64 & WORD, (dividend % divisor) as u64 & WORD))
}

/// Quotient and remainder of the number in two words, or the flags to set.
#[inline]
pub(super) fn divide(high: u64, low: u64, divisor: u64) -> Result<(u64, u64), u64> {
    divide_number(joined(high, low), divisor).ok_or(OV | DCK)
}

/// Quotient and remainder of a word, or the flags to set. The least number of all has no room for its magnitude.
#[inline]
pub(super) fn divide_integer(dividend: u64, divisor: u64) -> Result<(u64, u64), u64> {
    divide_number(signed(dividend).into(), divisor).ok_or(OV | DCK)
}

/// How far an address says to shift: to the left where it is positive. Its sign and its eight lowest bits count.
#[inline]
pub(super) const fn places(address: u32) -> i32 {
    (address & 0o377) as i32 - if address & 0o400000 != 0 { 0o400 } else { 0 }
}

#[inline]
fn shifted(value: u128, places: i32) -> u128 {
    match places {
        0..128 => value << places,
        -127..0 => value >> -places,
        _ => 0,
    }
}

/// Shifts a word; bits that leave it are lost.
#[inline]
pub(super) fn logical(word: u64, places: i32) -> u64 {
    shifted(word.into(), places) as u64 & WORD
}

/// Shifts two words as one.
#[inline]
pub(super) fn logical_double((high, low): (u64, u64), places: i32) -> (u64, u64) {
    apart(shifted(u128::from(high) << 36 | u128::from(low), places))
}

/// Turns a word round.
#[inline]
pub(super) fn rotated(word: u64, places: i32) -> u64 {
    let places = places.rem_euclid(36);
    (word << places | word >> (36 - places)) & WORD
}

/// Turns two words round as one.
#[inline]
pub(super) fn rotated_double((high, low): (u64, u64), places: i32) -> (u64, u64) {
    let (both, places) = (u128::from(high) << 36 | u128::from(low), places.rem_euclid(72));
    apart(both << places | both >> (72 - places))
}

#[inline]
const fn apart(both: u128) -> (u64, u64) {
    ((both >> 36) as u64 & WORD, both as u64 & WORD)
}

/// Shifts a number of so many bits without its sign, and tells whether bits were lost that are not like the sign.
#[inline]
fn scaled(number: i128, bits: u32, places: i32) -> (i128, bool) {
    if places <= 0 {
        return (number >> (-places).min(127), false);
    }
    // After the number's own bits zeros come out, which are not like the sign of a negative one.
    let zeros_lost = places as u32 > bits && number < 0;
    let places = (places as u32).min(bits);
    let moved = (number << places) & ((1 << bits) - 1);
    let whole = if number < 0 { moved - (1 << bits) } else { moved };
    (whole, zeros_lost || number >> (bits - places) != if number < 0 { -1 } else { 0 })
}

/// Shifts a number; the sign stays. The second result has the flags to set.
#[inline]
pub(super) fn arithmetic(word: u64, places: i32) -> (u64, u64) {
    let (number, lost) = scaled(signed(word).into(), 35, places);
    (number as u64 & WORD, if lost { OV } else { 0 })
}

/// The same for a number in two words, which both get its sign where they move at all.
#[inline]
pub(super) fn arithmetic_double((high, low): (u64, u64), places: i32) -> ((u64, u64), u64) {
    if places == 0 {
        return ((high, low), 0);
    }
    let (number, lost) = scaled(joined(high, low), 70, places);
    (double(number), if lost { OV } else { 0 })
}

/// The halves of a word exchanged.
#[inline]
pub(super) const fn swapped(word: u64) -> u64 {
    (word << 18 | word >> 18) & WORD
}

/// What counts an address and a number of words in one word on: 1 in each half.
pub(super) const BOTH_HALVES: u64 = 1 << 18 | 1;
