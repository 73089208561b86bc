//! Logic that steps a processor: while a pin has a level, every instruction fetched outside the resident program pulls an
//! interrupt input, so that the processor comes back after that one instruction.

use super::Wire;
use crate::machine::io::Fitted;

/// The step logic.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stepper {
    /// The pin that switches it on.
    pub wire: Wire,
    /// The level at which it is on.
    pub active: bool,
    /// The input it pulls.
    pub input: &'static str,
    /// First and last address where it does not.
    pub except: (u32, u32),
}

impl Stepper {
    /// True where it is on.
    pub(in crate::machine) fn is_on(&self, chips: &[Fitted]) -> bool {
        chips[self.wire.chip].chip.level(self.wire.pin) == Some(self.active)
    }

    /// True where an instruction fetched at the address pulls the input.
    pub(in crate::machine) fn sees(&self, address: u32) -> bool {
        !(self.except.0..=self.except.1).contains(&address)
    }
}
