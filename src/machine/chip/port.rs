//! What the port chips have in common: eight pins that are inputs or outputs one by one, and a line that asks for interrupts.

/// Eight pins with their output register and their directions.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Port {
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

/// The interrupt line of a chip: since which cycle it is low.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Request(pub Option<u64>);

impl Request {
    /// The line follows its cause, which can be seen from the end of cycle `at` on; it falls in the middle of that cycle.
    pub fn follow(&mut self, asks: bool, at: u64) {
        match asks {
            true => _ = self.0.get_or_insert(at.saturating_sub(1)),
            false => self.0 = None,
        }
    }

    /// What was cycle `now` is cycle 0: a line that is low has been so from the beginning.
    pub fn restart(&mut self) {
        self.0 = self.0.map(|_| 0);
    }
}
