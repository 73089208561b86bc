//! Notations: reading and writing numbers in hex, octal, decimal, binary and as characters.

pub mod floating;

use serde::Serialize;

/// How the people of a processor write numbers and addresses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Habit {
    /// `0FFh`, four hex digits to an address (Intel).
    IntelHex,
    /// `$FF`, four hex digits to an address (MOS Technology).
    DollarHex,
    /// Octal without a mark, as on word machines (Digital Equipment); `12.` is decimal.
    Octal,
}

impl Habit {
    /// The radix of a number without any mark.
    pub const fn default_radix(self) -> u32 {
        match self {
            Habit::IntelHex | Habit::DollarHex => 10,
            Habit::Octal => 8,
        }
    }

    /// The radix of addresses and cells in listings and tables.
    pub const fn table_radix(self) -> u32 {
        match self {
            Habit::IntelHex | Habit::DollarHex => 16,
            Habit::Octal => 8,
        }
    }

    /// Full width without decoration: `00FF`.
    pub fn plain(self, value: u64, bits: u8) -> String {
        digits(value, self.table_radix(), bits)
    }

    /// As it is written in source text: `0FFh`, small numbers as a single digit.
    pub fn literal(self, value: u64, bits: u8) -> String {
        match self {
            Habit::IntelHex => {
                let text = digits(value, 16, bits);
                let zero = if text.starts_with(|c: char| c.is_ascii_alphabetic()) { "0" } else { "" };
                format!("{zero}{text}h")
            }
            Habit::DollarHex => format!("${}", digits(value, 16, bits)),
            Habit::Octal => digits(value, 8, bits),
        }
    }
}

/// The value in a radix, padded with zeros to the width of `bits` bits (not padded in decimal).
pub fn digits(value: u64, radix: u32, bits: u8) -> String {
    let mut text = String::new();
    push_digits(&mut text, value, radix, bits);
    text
}

/// Two digits of every number below a radix squared, one number after the other.
const fn pairs<const LENGTH: usize>(radix: usize) -> [u8; LENGTH] {
    let mut pairs = [0; LENGTH];
    let mut at = 0;
    while at < LENGTH {
        let number = at / 2;
        let digit = if at % 2 == 0 { number / radix } else { number % radix };
        pairs[at] = b"0123456789ABCDEF"[digit];
        at += 1;
    }
    pairs
}

/// Such digits as text.
const fn ascii(digits: &[u8]) -> &str {
    match std::str::from_utf8(digits) {
        Ok(text) => text,
        Err(_) => panic!("digits are ASCII"),
    }
}

/// Every byte in hex: `000102…FF`.
const HEX_PAIRS: &str = ascii(&pairs::<512>(16));

/// The numbers below a hundred: `000102…99`.
const DECIMAL_PAIRS: &str = ascii(&pairs::<200>(10));

/// The same, added to a text.
///
/// PERF: a listing of a million lines spends most of its time here; digits by hand take a third of the time that
/// `format!` does.
#[inline]
pub fn push_digits(text: &mut String, value: u64, radix: u32, bits: u8) {
    if radix == 16 && bits.is_multiple_of(8) && bits < 64 && value >> bits == 0 {
        for at in (0..bits / 8).rev() {
            let byte = usize::from((value >> (8 * at)) as u8);
            text.push_str(&HEX_PAIRS[2 * byte..2 * byte + 2]);
        }
        return;
    }
    let digit_bits = match radix {
        2 => 1,
        8 => 3,
        16 => 4,
        _ => return push_decimal(text, value, 0),
    };
    let needed = 64 - value.leading_zeros();
    let digits = needed.max(u32::from(bits)).max(1).div_ceil(digit_bits);
    for at in (0..digits).rev() {
        let digit = (value >> (at * digit_bits)) as u8 & ((1 << digit_bits) - 1);
        text.push(char::from(b"0123456789ABCDEF"[usize::from(digit)]));
    }
}

/// A decimal number to the right of a column.
pub fn push_decimal(text: &mut String, mut value: u64, width: usize) {
    // Pairs of digits, the lowest first: 64 bits have twenty digits.
    let mut pairs = [0; 10];
    let mut count = 0;
    loop {
        pairs[count] = 2 * (value % 100) as usize;
        count += 1;
        value /= 100;
        if value == 0 {
            break;
        }
    }
    let [rest @ .., highest] = &pairs[..count] else { return };
    let short = usize::from(*highest < 20);
    push_blanks(text, width.saturating_sub(2 * count - short));
    text.push_str(&DECIMAL_PAIRS[highest + short..highest + 2]);
    rest.iter().rev().for_each(|&pair| text.push_str(&DECIMAL_PAIRS[pair..pair + 2]));
}

/// Adds blanks.
#[inline]
pub fn push_blanks(text: &mut String, mut count: usize) {
    const BLANKS: &str = "                                                                ";
    while count > 0 {
        let now = count.min(BLANKS.len());
        text.push_str(&BLANKS[..now]);
        count -= now;
    }
}

/// Why a text is not a number.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NumberError {
    /// A character that is not a digit of the radix.
    #[error("`{digit}` is not {} {radix} digit", article(radix))]
    Digit {
        /// The character.
        digit: char,
        /// The radix by name.
        radix: &'static str,
    },
    /// No digits at all.
    #[error("there are no digits in `{0}`")]
    Empty(String),
    /// More than 64 bits.
    #[error("the number is larger than 64 bits")]
    TooLarge,
}

/// `a` or `an`, as a word wants it.
fn article(word: &str) -> &'static str {
    if word.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" }
}

fn radix_name(radix: u32) -> &'static str {
    match radix {
        2 => "binary",
        8 => "octal",
        10 => "decimal",
        _ => "hex",
    }
}

/// Reads an unsigned number in any notation of the source language: `0FFh`, `0xFF`, `$FF`, `0b1010`, `1010b`,
/// `%1010`, `0o17`, `17o`, `12.` (decimal), and bare digits in `default_radix`. Underscores may separate digits.
///
/// # Errors
/// [`NumberError`] names the first character that does not fit.
///
/// ```
/// assert_eq!(plain_byte::number::parse("0FFh", 10), Ok(255));
/// assert_eq!(plain_byte::number::parse("1010b", 10), Ok(10));
/// assert_eq!(plain_byte::number::parse("17", 8), Ok(15));
/// ```
pub fn parse(text: &str, default_radix: u32) -> Result<u64, NumberError> {
    let bytes = text.as_bytes();
    let last = bytes.last().copied().unwrap_or(b' ') | 0x20;
    let second = bytes.get(1).copied().unwrap_or(b' ') | 0x20;
    let (body, radix) = match (bytes.first().copied(), second, last) {
        (Some(b'$'), ..) => (&text[1..], 16),
        (Some(b'%'), ..) => (&text[1..], 2),
        (Some(b'0'), b'x', _) => (&text[2..], 16),
        (_, _, b'h') => (&text[..text.len() - 1], 16),
        (Some(b'0'), b'o', _) => (&text[2..], 8),
        (Some(b'0'), b'b', _) if text.len() > 2 => (&text[2..], 2),
        (_, _, b'b') => (&text[..text.len() - 1], 2),
        (_, _, b'o') => (&text[..text.len() - 1], 8),
        (Some(b'0'..=b'9'), ..) if text.ends_with('.') => (&text[..text.len() - 1], 10),
        _ => (text, default_radix),
    };
    let mut value: u64 = 0;
    let mut any = false;
    for c in body.chars() {
        if c == '_' {
            continue;
        }
        let digit = c.to_digit(radix).ok_or(NumberError::Digit { digit: c, radix: radix_name(radix) })?;
        value = value
            .checked_mul(u64::from(radix))
            .and_then(|value| value.checked_add(u64::from(digit)))
            .ok_or(NumberError::TooLarge)?;
        any = true;
    }
    if any { Ok(value) } else { Err(NumberError::Empty(text.to_string())) }
}

/// Reads a number as it stands on a panel: digits of the radix alone, even where a letter at its end would mean another one, or any
/// notation of the source language.
///
/// # Errors
/// As for [`parse`].
pub fn parse_digits(text: &str, radix: u32) -> Result<u64, NumberError> {
    let is_plain = !text.is_empty() && text.len() <= 16 && text.chars().all(|c| c.is_digit(radix));
    if is_plain {
        u64::from_str_radix(text, radix).map_err(|_| NumberError::TooLarge)
    } else {
        parse(text, radix)
    }
}

/// A character as it is shown in a table: itself where it is printable ASCII, else a point.
pub fn character(value: u64) -> char {
    match u8::try_from(value) {
        Ok(byte @ 0x20..=0x7E) => char::from(byte),
        _ => '.',
    }
}

/// The name of a control character, where the byte is one.
pub(crate) fn control_name(value: u64) -> Option<&'static str> {
    const NAMES: [&str; 33] = [
        "NUL", "SOH", "STX", "ETX", "EOT", "ENQ", "ACK", "BEL", "BS", "HT", "LF", "VT", "FF", "CR", "SO",
        "SI", "DLE", "DC1", "DC2", "DC3", "DC4", "NAK", "SYN", "ETB", "CAN", "EM", "SUB", "ESC", "FS", "GS",
        "RS", "US", "space",
    ];
    match value {
        0x7F => Some("DEL"),
        _ => NAMES.get(usize::try_from(value).ok()?).copied(),
    }
}

/// Every notation of a value at once.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Notations {
    /// The width that was taken: 8, 16, 32 or 64 bits, or that of a word.
    pub bits: u8,
    /// Hex as Intel's people write it.
    pub hex: String,
    /// Octal, all digits.
    pub octal: String,
    /// Binary in groups of four.
    pub binary: String,
    /// Decimal, read as unsigned.
    pub unsigned: u64,
    /// Decimal, read as two's complement.
    pub signed: i64,
    /// High byte, for 16 bits.
    pub high: Option<u8>,
    /// Low byte, for 16 bits.
    pub low: Option<u8>,
    /// The character or the control character's name, for values below 128.
    pub character: Option<String>,
    /// The halves of a word in octal, the left one first.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub halves: Option<[String; 2]>,
    /// A word as six-bit text, 20h to 5Fh from 0 on.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub six_bit: Option<String>,
    /// A word as seven-bit text, where more than one character goes into it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seven_bit: Option<String>,
    /// What a 36-bit word is as a floating point number.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub floating: Option<f64>,
}

impl Notations {
    /// Takes the narrowest of 8, 16, 32 and 64 bits that holds the value, as unsigned or as two's complement.
    pub fn of(value: i64) -> Self {
        let bits = [8u8, 16, 32].into_iter().find(|&bits| fits(value, bits)).unwrap_or(64);
        Self::in_bits(value, bits)
    }

    /// A word of so many bits; `None` where the value has more.
    pub fn of_word(value: i64, bits: u8) -> Option<Self> {
        fits(value, bits).then(|| {
            let plain = Self::in_bits(value, bits);
            let word = plain.unsigned;
            let half = bits / 2;
            let halves = [word >> half, word & ((1 << half) - 1)].map(|one| digits(one, 8, half));
            let text = |width: u8, first: u64| -> String {
                let codes =
                    (0..bits / width).map(|at| word >> (bits - width * (at + 1)) & ((1 << width) - 1));
                codes.map(|code| character(code + first)).collect()
            };
            Self {
                binary: grouped(&digits(word, 2, bits), 3),
                halves: Some(halves),
                six_bit: Some(text(6, 0x20)),
                seven_bit: (bits >= 14).then(|| text(7, 0)),
                floating: (bits == 36).then(|| floating::value(word)),
                ..plain
            }
        })
    }

    fn in_bits(value: i64, bits: u8) -> Self {
        let mask = if bits == 64 { u64::MAX } else { (1 << bits) - 1 };
        let unsigned = value as u64 & mask;
        let shift = 64 - u32::from(bits);
        let character = (unsigned < 0x80).then(|| match control_name(unsigned) {
            Some(name) => name.to_string(),
            None => format!("'{}'", character(unsigned)),
        });
        Self {
            bits,
            hex: Habit::IntelHex.literal(unsigned, bits),
            octal: digits(unsigned, 8, bits),
            binary: grouped(&digits(unsigned, 2, bits), 4),
            unsigned,
            signed: ((unsigned << shift) as i64) >> shift,
            high: (bits == 16).then_some((unsigned >> 8) as u8),
            low: (bits == 16).then_some(unsigned as u8),
            character,
            halves: None,
            six_bit: None,
            seven_bit: None,
            floating: None,
        }
    }
}

/// True where so many bits hold the value, as unsigned or as two's complement.
fn fits(value: i64, bits: u8) -> bool {
    value >= -(1i64 << (bits - 1)) && value < 1i64 << bits
}

/// Digits in groups, counted from the right, with a blank between.
pub fn grouped(digits: &str, group: usize) -> String {
    let mut text = String::with_capacity(digits.len() * 2);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(group) {
            text.push(' ');
        }
        text.push(digit);
    }
    text
}

/// So many of something, in words: `1 byte`, `3 072 bytes`.
pub fn counted(count: usize, what: &str) -> String {
    format!("{} {what}{}", thousands(count as u64), if count == 1 { "" } else { "s" })
}

/// A whole number with a blank between thousands: `3 072 000`.
pub fn thousands(value: u64) -> String {
    grouped(&value.to_string(), 3)
}

/// A frequency with its unit: `3.072 MHz`.
pub fn clock_text(hertz: u64) -> String {
    let hertz = hertz as f64;
    let (value, unit) = match hertz {
        _ if hertz >= 1e6 => (hertz / 1e6, "MHz"),
        _ if hertz >= 1e3 => (hertz / 1e3, "kHz"),
        _ => (hertz, "Hz"),
    };
    format!("{value} {unit}")
}

/// How long so many cycles take, with a unit that fits: `75.2 µs`.
pub fn time_text(cycles: u64, hertz: u64) -> String {
    let seconds = cycles as f64 / hertz as f64;
    let (value, unit) = match seconds {
        _ if seconds == 0.0 => return "0 s".to_string(),
        _ if seconds < 1e-3 => (seconds * 1e6, "µs"),
        _ if seconds < 1.0 => (seconds * 1e3, "ms"),
        _ => (seconds, "s"),
    };
    let places = if value < 10.0 { 2 } else { 1 };
    format!("{value:.places$} {unit}")
}

/// A time as clock cycles: a number of them, `20ms`, `1.5s`, `40us`. `None` where it is not a time.
///
/// ```
/// assert_eq!(plain_byte::number::cycles_of("20ms", 1_000_000), Some(20_000));
/// ```
pub fn cycles_of(text: &str, clock: u64) -> Option<u64> {
    let units = [("ms", 1e-3), ("us", 1e-6), ("s", 1.0)];
    let unit = units.iter().find_map(|&(unit, scale)| Some((text.strip_suffix(unit)?, scale)));
    let value = match unit {
        Some((number, scale)) => number.trim().parse::<f64>().ok()? * scale * clock as f64,
        None => text.parse::<u64>().ok()? as f64,
    };
    (0.0..1e15).contains(&value).then(|| value.round() as u64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_notation_of_the_language_reads() {
        let cases: &[(&str, u32, Result<u64, &str>)] = &[
            ("0FFh", 10, Ok(255)),
            ("0xff", 10, Ok(255)),
            ("$FF", 10, Ok(255)),
            ("0b1010", 10, Ok(10)),
            ("1010b", 10, Ok(10)),
            ("0B1h", 10, Ok(0xB1)),
            ("0b", 10, Ok(0)),
            ("%1010", 10, Ok(10)),
            ("0o17", 10, Ok(15)),
            ("17o", 10, Ok(15)),
            ("17", 8, Ok(15)),
            ("17.", 8, Ok(17)),
            ("1_000", 10, Ok(1000)),
            ("18446744073709551615", 10, Ok(u64::MAX)),
            ("18446744073709551616", 10, Err("the number is larger than 64 bits")),
            ("12x", 10, Err("`x` is not a decimal digit")),
            ("0FGh", 10, Err("`G` is not a hex digit")),
            ("19", 8, Err("`9` is not an octal digit")),
            ("0x", 10, Err("there are no digits in `0x`")),
            ("", 10, Err("there are no digits in ``")),
        ];
        for &(text, radix, expected) in cases {
            assert_eq!(
                parse(text, radix).map_err(|e| e.to_string()),
                expected.map_err(String::from),
                "{text}"
            );
        }
    }

    #[test]
    fn literals_read_back() {
        for value in [0, 9, 10, 0x7F, 0x80, 0xFF, 0xABC, 0xFFFF] {
            assert_eq!(parse(&Habit::IntelHex.literal(value, 16), 10), Ok(value));
        }
    }

    #[test]
    fn notations_take_the_narrowest_width() {
        let of = |value| {
            let n = Notations::of(value);
            (n.bits, n.unsigned, n.signed)
        };
        assert_eq!(of(200), (8, 200, -56));
        assert_eq!(of(-1), (8, 255, -1));
        assert_eq!(of(-129), (16, 65407, -129));
        assert_eq!(of(65535), (16, 65535, -1));
        assert_eq!(of(i64::MIN), (64, 1 << 63, i64::MIN));
    }
}
