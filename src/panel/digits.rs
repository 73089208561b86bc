//! Seven-segment digits as characters, and drawn large.

use crate::text::{Text, Tone};

/// A segment counts as lit from this share of the brightness that it can have.
const LIT: f32 = 0.25;

/// Segments a to g as bits 0 to 6, and the character that people read there.
const GLYPHS: &[(u8, char)] = &[
    (0x00, ' '),
    (0x3F, '0'),
    (0x06, '1'),
    (0x5B, '2'),
    (0x4F, '3'),
    (0x66, '4'),
    (0x6D, '5'),
    (0x7D, '6'),
    (0x07, '7'),
    (0x7F, '8'),
    (0x6F, '9'),
    (0x77, 'A'),
    (0x7C, 'b'),
    (0x39, 'C'),
    (0x5E, 'd'),
    (0x79, 'E'),
    (0x71, 'F'),
    (0x40, '-'),
    (0x08, '_'),
    (0x48, '='),
    (0x76, 'H'),
    (0x38, 'L'),
    (0x73, 'P'),
    (0x58, 'c'),
    (0x74, 'h'),
    (0x10, 'i'),
    (0x54, 'n'),
    (0x5C, 'o'),
    (0x50, 'r'),
    (0x78, 't'),
    (0x1C, 'u'),
    (0x6E, 'y'),
];

fn bits(digit: &[f32; 8]) -> u8 {
    digit.iter().enumerate().map(|(bit, bright)| u8::from(*bright >= LIT) << bit).sum()
}

/// A row of digits as characters; a lit point stands after its digit, and `?` for what is no character.
pub fn glyphs(row: &[[f32; 8]]) -> String {
    let mut text = String::new();
    for digit in row {
        let bits = bits(digit);
        let glyph = GLYPHS.iter().find(|(segments, _)| *segments == bits & 0x7F);
        text.push(glyph.map_or('?', |row| row.1));
        if bits & 0x80 != 0 {
            text.push('.');
        }
    }
    text
}

/// A row of digits drawn in five lines, lit segments live and the others faint.
///
/// ```text
///  ━
/// ┃ ┃
///  ━
/// ┃ ┃
///  ━ ●
/// ```
pub fn drawn(row: &[[f32; 8]]) -> Text {
    let mut text = Text::new();
    // For each line of the picture: left, middle and right segment of a digit.
    let lines: [[Option<usize>; 3]; 5] = [
        [None, Some(0), None],
        [Some(5), None, Some(1)],
        [None, Some(6), None],
        [Some(4), None, Some(2)],
        [None, Some(3), Some(7)],
    ];
    for (number, segments) in lines.iter().enumerate() {
        text.line().put("  ");
        for digit in row {
            let bits = bits(digit);
            for (place, segment) in segments.iter().enumerate() {
                let is_lit = segment.is_some_and(|segment| bits >> segment & 1 != 0);
                let mark = match (segment, place, is_lit) {
                    (Some(7), _, true) => " ● ",
                    (Some(7), _, false) | (None, 1, _) | (Some(_), 1, false) => "   ",
                    (Some(_), 1, true) => "━━━",
                    (Some(_), _, true) => "┃",
                    _ => " ",
                };
                text.tone(if is_lit { Tone::Live } else { Tone::Faint }, mark);
            }
            text.put(if number == 4 { "" } else { "  " });
        }
    }
    text
}
