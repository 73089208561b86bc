//! What the port chips have in common: eight pins that are inputs or outputs one by one, and a line that asks for interrupts.

/// Eight pins with their output register and their directions.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::machine::chip) struct Port {
    /// Output register.
    pub out: u8,
    /// Data direction: 1 is an output.
    pub direction: u8,
    /// What drives the pins from outside, and which of them.
    outside: (u8, u8),
}

impl Port {
    /// The levels on the pins: outputs first, then what drives from outside, else high.
    pub fn pins(&self) -> u8 {
        let (levels, driven) = self.outside;
        let inputs = levels & driven | !driven;
        self.out & self.direction | inputs & !self.direction
    }

    /// The level that the chip gives a pin; `None` for an input.
    pub fn level(&self, bit: u8) -> Option<bool> {
        (self.direction >> bit & 1 != 0).then_some(self.out >> bit & 1 != 0)
    }

    /// Sets the level of a pin from outside, or leaves it to its pull-up.
    pub fn drive(&mut self, bit: u8, level: Option<bool>) {
        let (levels, driven) = &mut self.outside;
        let mask = 1 << bit;
        *driven = *driven & !mask | if level.is_some() { mask } else { 0 };
        *levels = *levels & !mask | if level == Some(true) { mask } else { 0 };
    }
}
