//! Floating point of 36-bit words (Digital Equipment Corporation, *PDP-10 System Reference Manual*): a sign, eight bits of exponent
//! with 128 added, 27 bits of fraction; a negative number is the two's complement of the whole word.

/// Bits of a fraction.
const FRACTION: i32 = 27;
const WORD: u64 = (1 << 36) - 1;
const SIGN: u64 = 1 << 35;

/// The word of a decimal number, rounded to the nearest.
///
/// # Errors
/// [`FloatError`] where the text is not a number, or has no word.
pub fn parse(text: &str) -> Result<u64, FloatError> {
    let is_number = text.contains(|c: char| c.is_ascii_digit());
    let value = text.parse::<f64>().ok().filter(|value| is_number && value.is_finite());
    let value = value.ok_or_else(|| match text {
        "" => FloatError::Missing,
        _ => FloatError::NoNumber(text.to_string()),
    })?;
    word(value).ok_or_else(|| FloatError::Exponent(text.to_string()))
}

/// Why a text is not a floating-point word.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FloatError {
    /// It is empty.
    #[error("a decimal number is missing here")]
    Missing,
    /// It is something else.
    #[error("`{0}` is not a decimal number")]
    NoNumber(String),
    /// Its exponent has no room.
    #[error("{0} has no 36-bit word: they go from 1.47e-39 to 1.70e38")]
    Exponent(String),
}

/// The word that is nearest to a number; `None` where its exponent has no room.
pub fn word(value: f64) -> Option<u64> {
    if value == 0.0 {
        return Some(0);
    }
    // value = fraction * 2^exponent with a fraction from one half up to one.
    let mut exponent = value.abs().log2().floor() as i32 + 1;
    let mut fraction = (value.abs() * 2f64.powi(FRACTION - exponent)).round() as u64;
    if fraction >> FRACTION != 0 {
        (fraction, exponent) = (fraction >> 1, exponent + 1);
    } else if fraction >> (FRACTION - 1) == 0 {
        (fraction, exponent) = (fraction << 1, exponent - 1);
    }
    let positive = u64::try_from(exponent + 128).ok().filter(|&field| field < 256)? << FRACTION | fraction;
    Some(if value < 0.0 { positive.wrapping_neg() & WORD } else { positive })
}

/// The number that a word is.
pub fn value(word: u64) -> f64 {
    let negative = word & SIGN != 0;
    let magnitude = if negative { word.wrapping_neg() & WORD } else { word };
    let (exponent, fraction) =
        ((magnitude >> FRACTION & 0xFF) as i32 - 128, magnitude & ((1 << FRACTION) - 1));
    let value = fraction as f64 * 2f64.powi(exponent - FRACTION);
    if negative { -value } else { value }
}
