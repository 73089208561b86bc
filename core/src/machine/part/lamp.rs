//! Lamps on the pins of chips, and what they have shown.

use super::Wire;
use serde::Serialize;

/// A change of a lamp.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct LampChange {
    /// Which lamp of the board, from 0.
    pub lamp: usize,
    /// True where it was lit.
    pub lit: bool,
    /// The cycle.
    pub at: u64,
}

/// A lamp wired to a pin.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lamp {
    /// The name in the board description.
    pub name: String,
    /// The pin it hangs on.
    pub wire: Wire,
    /// The level at which it is lit.
    pub lit_at: bool,
    /// True where it is lit.
    pub lit: bool,
    since: u64,
    lit_cycles: u64,
}

impl Lamp {
    pub(in crate::machine) fn new(name: String, wire: Wire, lit_at: bool) -> Self {
        Self { name, wire, lit_at, lit: false, since: 0, lit_cycles: 0 }
    }

    /// The pin is given a level from cycle `at` on, or none. True where the lamp changes.
    pub(in crate::machine) fn drive(&mut self, level: Option<bool>, at: u64) -> bool {
        let lit = level == Some(self.lit_at);
        let changes = lit != self.lit;
        if changes {
            self.lit_cycles = self.lit_cycles(at);
            (self.lit, self.since) = (lit, at);
        }
        changes
    }

    /// For how many cycles it has been lit up to cycle `now`.
    pub fn lit_cycles(&self, now: u64) -> u64 {
        self.lit_cycles + if self.lit { now.saturating_sub(self.since) } else { 0 }
    }

    /// The counting begins at cycle 0 again.
    pub(in crate::machine) fn clear(&mut self) {
        (self.since, self.lit_cycles) = (0, 0);
    }
}
