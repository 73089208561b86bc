//! What hangs on the pins of chips: lamps, digits, keys, keyboards, a speaker, a cassette recorder, the logic that steps a processor.

mod digits;
mod keyboard;
mod keypad;
mod lamp;
mod recorder;
mod speaker;
mod step;

pub use digits::{Digits, lit_segments, read_segments};
pub use keyboard::Keyboard;
pub use keypad::Keypad;
pub use lamp::{Lamp, LampChange};
pub use recorder::{Deck, Recorder, RecorderPlace};
pub use speaker::{Speaker, Tone};
pub use step::Stepper;

use super::chip::Pin;
use super::io::Fitted;

/// A pin of one of the board's chips.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Wire {
    /// Which chip of the board, from 0.
    pub chip: usize,
    /// The pin.
    pub pin: Pin,
}

impl Wire {
    /// The level that the chip gives it, high where it gives none.
    pub(super) fn level(self, chips: &[Fitted]) -> bool {
        chips[self.chip].chip.level(self.pin).unwrap_or(true)
    }
}

/// The line that a decoder selects by the number on its inputs, the first wire the lowest bit.
pub(super) fn selected(wires: &[Wire], chips: &[Fitted]) -> usize {
    wires.iter().enumerate().fold(0, |number, (bit, wire)| number | usize::from(wire.level(chips)) << bit)
}
