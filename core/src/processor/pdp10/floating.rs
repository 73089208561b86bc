//! Floating point arithmetic as pure functions (Digital Equipment Corporation, *PDP-10 System Reference Manual*, "Floating
//! point arithmetic").
//!
//! ```text
//! | s | exponent + 128: 8 bits | fraction: 27 bits |      a negative number is the two's complement of the whole word
//! ```
//!
//! Every operation first finds the exact result as a whole number times a power of two, with a mark where bits are left below it;
//! then it is brought to its normal form and cut towards minus infinity, or rounded to the nearest, halves away from zero.

use super::fixed::signed;
use super::{DCK, FOV, FXU, OV, WORD};

/// Bits of a fraction.
const FRACTION: u32 = 27;
const FRACTION_MASK: u64 = (1 << FRACTION) - 1;
/// What is added to an exponent.
const EXCESS: i32 = 128;

/// A result: the word, the word after it for those that have two, and the flags to set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Floating {
    /// The word.
    pub word: u64,
    /// The lower part.
    pub low: u64,
    /// The flags.
    pub flags: u64,
}

/// How a result is brought to 27 bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Cut {
    /// Lower bits are left out.
    Short,
    /// Lower bits go into a second word.
    Long,
    /// To the nearest.
    Rounded,
}

/// Fraction, as a whole number of 27 bits with its sign, and exponent of a word.
const fn parts(word: u64) -> (i64, i32) {
    let number = signed(word);
    let field = (if number < 0 { word ^ WORD } else { word }) >> FRACTION & 0xFF;
    // The exponent's bits are turned round in a negative number; the fraction is what is left with the sign in front.
    let fraction = word & FRACTION_MASK;
    let fraction = if number < 0 { fraction as i64 - (1 << FRACTION) } else { fraction as i64 };
    (fraction, field as i32 - EXCESS)
}

/// A word of a fraction below one and an exponent of which eight bits count.
fn packed(fraction: i64, exponent: i32) -> u64 {
    let field = (exponent + EXCESS) as u64 & 0xFF;
    // In a negative number the exponent stands turned round: adding the fraction's borrow to it does that.
    let field = if fraction < 0 { field ^ 0xFF } else { field };
    let sign = if fraction < 0 { 1 << 35 } else { 0 };
    sign | field << FRACTION | fraction as u64 & FRACTION_MASK
}

/// What exponents that have no room say.
fn range_flags(exponent: i32) -> u64 {
    match exponent {
        ..-128 => OV | FOV | FXU,
        -128..=127 => 0,
        _ => OV | FOV,
    }
}

/// Brings `number` times two to the power of `exponent` to its normal form.
fn normal(number: i128, exponent: i32, cut: Cut) -> Floating {
    if number == 0 {
        return Floating { word: 0, low: 0, flags: 0 };
    }
    // As many bits as the magnitude has; the least number of a width needs one less.
    let bits = 128 - if number < 0 { (!number).leading_zeros() } else { number.leading_zeros() } as i32;
    let mut exponent = exponent + bits;
    let drop = bits - FRACTION as i32;
    let (mut fraction, rest, mut rest_bits) = if drop > 0 {
        let fraction = (number >> drop) as i64;
        (fraction, number & ((1 << drop) - 1), drop)
    } else {
        ((number << -drop) as i64, 0, 0)
    };
    if cut == Cut::Rounded && rest_bits > 0 {
        let half = 1i128 << (rest_bits - 1);
        let up = if number < 0 { rest > half } else { rest >= half };
        fraction += i64::from(up);
    }
    // Rounding may have carried; and a fraction of exactly minus one is not in its normal form.
    if fraction == 1 << FRACTION || fraction == -1 << FRACTION {
        fraction >>= 1;
        (exponent, rest_bits) = (exponent + 1, rest_bits + 1);
    }
    let low = if cut == Cut::Long { low_word(rest, rest_bits, exponent) } else { 0 };
    Floating { word: packed(fraction, exponent), low, flags: range_flags(exponent) }
}

/// The word of the lower bits: positive, with an exponent that is 27 less; 0 where there are none or that has no room.
fn low_word(rest: i128, bits: i32, exponent: i32) -> u64 {
    let fraction = match bits - FRACTION as i32 {
        more @ 1.. => rest >> more,
        fewer => rest << -fewer,
    } as u64;
    let exponent = exponent - FRACTION as i32;
    if fraction == 0 || exponent < -EXCESS { 0 } else { packed(fraction as i64, exponent) }
}

/// Exponents that are further apart than this leave nothing of the smaller number.
const FARTHEST: i32 = 64;

/// The one with the larger exponent first.
fn in_order(a: (i64, i32), b: (i64, i32)) -> ((i64, i32), (i64, i32)) {
    if a.1 >= b.1 { (a, b) } else { (b, a) }
}

/// The sum of two fractions with their exponents.
fn sum(a: (i64, i32), b: (i64, i32), cut: Cut) -> Floating {
    let ((fraction, exponent), (other, smaller)) = in_order(a, b);
    let apart = exponent - smaller;
    if apart > FARTHEST {
        return normal(fraction.into(), exponent - FRACTION as i32, cut);
    }
    let exact = (i128::from(fraction) << apart) + i128::from(other);
    normal(exact, smaller - FRACTION as i32, cut)
}

/// The sum.
pub(super) fn add(a: u64, b: u64, cut: Cut) -> Floating {
    sum(parts(a), parts(b), cut)
}

/// The difference.
pub(super) fn subtract(a: u64, b: u64, cut: Cut) -> Floating {
    let (fraction, exponent) = parts(b);
    sum(parts(a), (-fraction, exponent), cut)
}

/// The product.
pub(super) fn multiply(a: u64, b: u64, cut: Cut) -> Floating {
    let ((a, first), (b, second)) = (parts(a), parts(b));
    normal(i128::from(a) * i128::from(b), first + second - 2 * FRACTION as i32, cut)
}

/// The flags of a division that is not done.
const NO_DIVISION: u64 = OV | FOV | DCK;

/// The quotient, its magnitude cut or rounded.
///
/// # Errors
/// The flags to set where the dividend's fraction is not below twice the divisor's.
pub(super) fn divide(a: u64, b: u64, cut: Cut) -> Result<Floating, u64> {
    let ((dividend, first), (divisor, second)) = (parts(a), parts(b));
    let (top, below) = (i128::from(dividend.abs()), i128::from(divisor.abs()));
    if top >= 2 * below {
        return Err(NO_DIVISION);
    }
    // More bits than the fraction has, and a last one for all that is left.
    let places = 2 * FRACTION + 2;
    let scaled = top << places;
    let whole = (scaled / below) << 1 | i128::from(scaled % below != 0);
    let found = normal(whole, first - second - places as i32 - 1, cut);
    Ok(with_sign((dividend < 0) != (divisor < 0), found))
}

/// A magnitude with its sign.
fn with_sign(negative: bool, found: Floating) -> Floating {
    if negative { Floating { word: found.word.wrapping_neg() & WORD, ..found } } else { found }
}

/// Quotient and remainder of a number in two words.
///
/// # Errors
/// As for [`divide`].
pub(super) fn divide_long(high: u64, low: u64, b: u64) -> Result<Floating, u64> {
    let ((fraction, first), (divisor, second)) = (parts(high), parts(b));
    let dividend = i128::from(fraction) << FRACTION | i128::from(low & FRACTION_MASK);
    let (top, below) = (dividend.abs(), i128::from(divisor.abs()) << FRACTION);
    if top >= 2 * below {
        return Err(NO_DIVISION);
    }
    // A quotient of 27 bits, which begins one place further up where the dividend is not the smaller one.
    let up = u32::from(top >= below);
    let unit = i128::from(divisor.abs()) << up;
    let (whole, rest) = (top / unit, top % unit);
    let exponent = first - second + up as i32;
    let negative = (dividend < 0) != (divisor < 0);
    let found = with_sign(negative, normal(whole, exponent - FRACTION as i32, Cut::Short));
    // What is left counts 27 places below the dividend.
    let left = (rest >> up) as i64;
    let left_exponent = first - FRACTION as i32 + up as i32;
    let remainder = match left {
        0 => 0,
        _ if left_exponent < -EXCESS => 0,
        left => packed(left, left_exponent),
    };
    let low = if dividend < 0 { remainder.wrapping_neg() & WORD } else { remainder };
    Ok(Floating { low, ..found })
}

/// Adds to the exponent and brings the number to its normal form.
pub(super) fn scale(word: u64, by: i32) -> Floating {
    let (fraction, exponent) = parts(word);
    normal(fraction.into(), exponent + by - FRACTION as i32, Cut::Short)
}

/// The sum with the larger exponent, not in its normal form; one place is made where the fraction needs it.
pub(super) fn add_unnormalized(a: u64, b: u64) -> Floating {
    let ((fraction, exponent), (other, smaller)) = in_order(parts(a), parts(b));
    let apart = exponent - smaller;
    let other = if apart > FARTHEST { 0 } else { other >> apart.min(63) };
    let sum = fraction + other;
    let (fraction, exponent) = match sum {
        0 => return Floating { word: 0, low: 0, flags: 0 },
        sum if !(-1 << FRACTION..1 << FRACTION).contains(&sum) => (sum >> 1, exponent + 1),
        sum => (sum, exponent),
    };
    Floating { word: packed(fraction, exponent), low: 0, flags: range_flags(exponent) }
}

/// The opposite of a number in two words, of which the second keeps its exponent.
pub(super) fn negate_double(high: u64, low: u64) -> (u64, u64) {
    let fraction = (low & FRACTION_MASK).wrapping_neg() & FRACTION_MASK;
    let high = if fraction == 0 { high.wrapping_neg() } else { !high };
    (high & WORD, low & !FRACTION_MASK | fraction)
}
