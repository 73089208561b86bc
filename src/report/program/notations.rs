//! A value in every notation, as a small table.

use crate::number::{Notations, digits};
use crate::text::{Text, Tone};

/// The notations as text, a line each.
pub fn notations(value: &Notations) -> Text {
    let mut text = Text::new();
    let mut row = |name: &str, shown: String| {
        text.line().tone(Tone::Faint, format!("{name:11}")).put(shown);
    };
    row("hex", value.hex.clone());
    row("decimal", value.unsigned.to_string());
    if value.signed < 0 {
        row("signed", value.signed.to_string());
    }
    row("octal", value.octal.clone());
    row("binary", value.binary.clone());
    if let (Some(high), Some(low)) = (value.high, value.low) {
        row(
            "high, low",
            format!(
                "{}h {}h, decimal {high} {low}, octal {high:03o} {low:03o}",
                digits(high.into(), 16, 8),
                digits(low.into(), 16, 8)
            ),
        );
    }
    if let Some([left, right]) = &value.halves {
        row("halves", format!("{left} {right}"));
    }
    if let Some(text) = &value.six_bit {
        row("six-bit", format!("\"{text}\""));
    }
    if let Some(text) = &value.seven_bit {
        row("seven-bit", format!("\"{text}\""));
    }
    if let Some(number) = value.floating {
        row("floating", plain_floating(number));
    }
    if let Some(character) = &value.character {
        row("character", character.clone());
    }
    row("width", format!("{} bits", value.bits));
    text
}

/// As many digits as 27 bits of fraction have.
fn plain_floating(number: f64) -> String {
    let exponent = if number == 0.0 { 0 } else { number.abs().log10().floor() as i32 };
    if (-4..9).contains(&exponent) {
        let places = (8 - exponent).clamp(1, 12) as usize;
        let text = format!("{number:.places$}");
        let text = text.trim_end_matches('0');
        return format!("{text}{}", if text.ends_with('.') { "0" } else { "" });
    }
    format!("{number:.8e}")
}
