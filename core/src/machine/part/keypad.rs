//! Keys in a matrix: a decoder pulls one line low at a time, and a pressed key in it pulls its row low.

use super::{Wire, selected};
use crate::machine::io::Fitted;

/// A keypad.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keypad {
    /// The name in the board description.
    pub name: String,
    /// The inputs of the decoder that selects the line.
    pub select: Vec<Wire>,
    /// The pins that the rows hang on.
    pub rows: Vec<Wire>,
    /// The legends, row by row; a key's place in its row is its line.
    pub legends: Vec<Vec<String>>,
    /// The pressed keys: row and line.
    pressed: Vec<(usize, usize)>,
    /// The rows that are pulled low.
    low: u64,
}

impl Keypad {
    pub(in crate::machine) fn new(
        name: String,
        select: Vec<Wire>,
        rows: Vec<Wire>,
        legends: Vec<Vec<String>>,
    ) -> Self {
        Self { name, select, rows, legends, pressed: Vec::new(), low: 0 }
    }

    /// Row and line of a key by its legend.
    fn place(&self, legend: &str) -> Option<(usize, usize)> {
        let is = |key: &String| !key.is_empty() && key.eq_ignore_ascii_case(legend);
        self.legends.iter().enumerate().find_map(|(row, keys)| Some((row, keys.iter().position(is)?)))
    }

    /// True where it has a key of that legend.
    pub fn has(&self, legend: &str) -> bool {
        self.place(legend).is_some()
    }

    /// Presses a key, or lets it go. False where there is none of that legend.
    pub(in crate::machine) fn press(&mut self, legend: &str, down: bool) -> bool {
        let Some(place) = self.place(legend) else { return false };
        self.pressed.retain(|other| *other != place);
        if down {
            self.pressed.push(place);
        }
        true
    }

    /// Pulls the rows as the selected line and the pressed keys say.
    pub(in crate::machine) fn settle(&mut self, chips: &mut [Fitted], now: u64) {
        let line = selected(&self.select, chips);
        let pressed = self.pressed.iter().filter(|place| place.1 == line);
        let low = pressed.fold(0, |low, place| low | 1u64 << place.0);
        if low == self.low {
            return;
        }
        for (row, wire) in self.rows.iter().enumerate() {
            let level = (low >> row & 1 != 0).then_some(false);
            chips[wire.chip].chip.drive(wire.pin, level, now);
        }
        self.low = low;
    }
}
