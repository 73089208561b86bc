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

    /// The counting begins at cycle 0 again.
    pub(in crate::machine) fn clear(&mut self) {
        self.lit.fill([0; 8]);
        self.now.2 = 0;
    }
}
