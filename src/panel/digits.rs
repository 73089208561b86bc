//! Seven-segment digits as characters, and drawn large.

use crate::machine::{lit_segments, read_segments};
use crate::text::{Text, Tone};

/// A row of digits as characters; a lit point stands after its digit, and `?` for what is not a character.
pub fn glyphs(row: &[[f32; 8]]) -> String {
    let mut text = String::new();
    for digit in row {
        let bits = lit_segments(digit);
        text.push(read_segments(bits).unwrap_or('?'));
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
            let bits = lit_segments(digit);
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
