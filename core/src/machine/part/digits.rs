//! Seven-segment digits that a program lights one at a time, so fast that the eye sees all of them.

use super::{Wire, selected};
use crate::machine::io::Fitted;

/// A row of digits, and for how long each segment has been lit.
///
/// ```text
///     a          bits 0 to 6 of the segments: a to g, bit 7 the point
///   f   b
///     g
///   e   c
///     d   p
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Digits {
    /// The name in the board description.
    pub name: String,
    /// The pins of the segments, a to g and the point; a 1 lights them.
    pub segments: Vec<Wire>,
    /// The inputs of the decoder that selects the digit, counted from the left.
    pub select: Vec<Wire>,
    /// Cycles that each segment of each digit was lit.
    lit: Vec<[u64; 8]>,
    /// What is lit now, since when.
    now: (usize, u8, u64),
}

impl Digits {
    pub(in crate::machine) fn new(
        name: String,
        segments: Vec<Wire>,
        select: Vec<Wire>,
        count: usize,
    ) -> Self {
        Self { name, segments, select, lit: vec![[0; 8]; count], now: (usize::MAX, 0, 0) }
    }

    /// How many digits there are.
    pub fn count(&self) -> usize {
        self.lit.len()
    }

    /// Takes note of what the pins say from cycle `at` on.
    pub(in crate::machine) fn settle(&mut self, chips: &[Fitted], at: u64) {
        let digit = selected(&self.select, chips);
        let is_lit = |wire: &Wire| chips[wire.chip].chip.level(wire.pin) == Some(true);
        let segments =
            self.segments.iter().enumerate().map(|(bit, wire)| u8::from(is_lit(wire)) << bit).sum();
        if (digit, segments) != (self.now.0, self.now.1) {
            for (bit, cycles) in self.lit.get_mut(self.now.0).into_iter().flatten().enumerate() {
                *cycles += if self.now.1 >> bit & 1 != 0 { at.saturating_sub(self.now.2) } else { 0 };
            }
            self.now = (digit, segments, at);
        }
    }

    /// For how many cycles each segment of a digit was lit up to cycle `now`.
    pub fn lit_cycles(&self, digit: usize, now: u64) -> [u64; 8] {
        let mut lit = self.lit.get(digit).copied().unwrap_or_default();
        if digit == self.now.0 {
            for (bit, cycles) in lit.iter_mut().enumerate() {
                *cycles += if self.now.1 >> bit & 1 != 0 { now.saturating_sub(self.now.2) } else { 0 };
            }
        }
        lit
    }

    /// For how many cycles each segment of every digit was lit up to cycle `now`.
    pub fn all_lit_cycles(&self, now: u64) -> Vec<[u64; 8]> {
        (0..self.count()).map(|digit| self.lit_cycles(digit, now)).collect()
    }

    /// How bright every segment was from then, where `before` says how long it had been lit, to `now`: 0 to 1, where 1 is all of the
    /// digit's share of `span` cycles.
    pub fn brightness(&self, before: &[[u64; 8]], span: u64, now: u64) -> Vec<[f32; 8]> {
        let share = span.max(1) as f32 / self.count().max(1) as f32;
        let bright = |lit: u64, before: u64| (lit.saturating_sub(before) as f32 / share).clamp(0.0, 1.0);
        let digit =
            |(lit, before): ([u64; 8], &[u64; 8])| std::array::from_fn(|at| bright(lit[at], before[at]));
        self.all_lit_cycles(now).into_iter().zip(before).map(digit).collect()
    }

    /// The counting begins at cycle 0 again.
    pub(in crate::machine) fn clear(&mut self) {
        self.lit.fill([0; 8]);
        self.now.2 = 0;
    }
}

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

/// The segments of a digit that are lit to the eye: bits 0 to 6 for a to g, bit 7 for the point.
pub fn lit_segments(bright: &[f32; 8]) -> u8 {
    bright.iter().enumerate().map(|(bit, bright)| u8::from(*bright >= LIT) << bit).sum()
}

/// The character that people read in lit segments, whatever the point shows; `None` where it is not a character.
pub fn read_segments(segments: u8) -> Option<char> {
    GLYPHS.iter().find(|row| row.0 == segments & 0x7F).map(|row| row.1)
}
