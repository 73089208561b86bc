//! A keyboard: the keys of a matrix with the characters that they make, and somebody who types them one after the other.

use super::Keypad;
use std::collections::VecDeque;

/// For so many milliseconds a key is down, and none is before the next one.
const STROKE_MS: u64 = 30;

/// What is typed on a keyboard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keyboard {
    /// Which keypad of the board its keys are.
    pub keypad: usize,
    /// The legend of the key that makes the others' second characters.
    pub shift: String,
    /// Legends with the characters that their keys make, alone and with the shift key.
    pub makes: Vec<(String, Vec<u8>)>,
    waiting: VecDeque<u8>,
    /// The keys that are down.
    down: Vec<String>,
    /// The cycle at which the next key goes down or the last one comes up.
    due: Option<u64>,
    /// Cycles of half a stroke.
    stroke: u64,
}

impl Keyboard {
    pub(in crate::machine) fn new(
        keypad: usize,
        shift: String,
        makes: Vec<(String, Vec<u8>)>,
        clock: u64,
    ) -> Self {
        let stroke = (clock * STROKE_MS / 1000).max(1);
        Self { keypad, shift, makes, waiting: VecDeque::new(), down: Vec::new(), due: None, stroke }
    }

    /// The keys that make a character.
    pub fn keys(&self, character: u8) -> Option<Vec<&str>> {
        let character = if character == b'\n' { b'\r' } else { character };
        let at = |place: usize| self.makes.iter().find(|row| row.1.get(place) == Some(&character));
        let plain = at(0).map(|row| vec![row.0.as_str()]);
        plain.or_else(|| at(1).map(|row| vec![self.shift.as_str(), row.0.as_str()]))
    }

    /// Characters to be typed from cycle `now` on; those that no key makes are left out.
    pub(in crate::machine) fn type_in(&mut self, bytes: &[u8], now: u64) {
        let known: Vec<u8> = bytes.iter().copied().filter(|&one| self.keys(one).is_some()).collect();
        self.waiting.extend(known);
        if !self.waiting.is_empty() {
            self.due.get_or_insert(now);
        }
    }

    /// How many characters wait.
    pub fn waiting(&self) -> usize {
        self.waiting.len()
    }

    /// When a key goes down or comes up next.
    pub(in crate::machine) fn next(&self) -> Option<u64> {
        self.due
    }

    /// Strikes or lets go what is due at cycle `now`.
    pub(in crate::machine) fn advance(&mut self, keypads: &mut [Keypad], now: u64) {
        if self.due.is_none_or(|due| due > now) {
            return;
        }
        let Some(keypad) = keypads.get_mut(self.keypad) else { return };
        self.due = Some(now + self.stroke);
        if !self.down.is_empty() {
            for legend in self.down.drain(..) {
                keypad.press(&legend, false);
            }
        } else if let Some(character) = self.waiting.pop_front() {
            self.down = self.keys(character).unwrap_or_default().into_iter().map(String::from).collect();
            for legend in &self.down {
                keypad.press(legend, true);
            }
        } else {
            self.due = None;
        }
    }

    /// What was cycle `now` is cycle 0.
    pub(in crate::machine) fn restart(&mut self, now: u64) {
        self.due = self.due.map(|due| due.saturating_sub(now));
    }
}
