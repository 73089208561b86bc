//! The interrupt logic of the Z80.
//!
//! Zilog, *Z80 CPU User Manual* (UM0080), "Interrupt response" and "Interrupt enable/disable".

/// The interrupt logic's state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Interrupts {
    /// IFF1: INT is looked at.
    pub enabled: bool,
    /// IFF2: what IFF1 was before a non-maskable interrupt.
    pub second: bool,
    /// The mode that IM chose.
    pub mode: u8,
    /// A falling edge on NMI waits.
    pub nmi: bool,
    /// Since which cycle the chips hold INT.
    pub held_since: Option<u64>,
    /// The operator's request on INT, which the board holds until it is taken.
    pub asked: bool,
    /// What is on the bus at an acknowledgement where no chip sends anything: ones, where nothing drives it.
    pub sent: u8,
}

impl Default for Interrupts {
    fn default() -> Self {
        Self {
            enabled: false,
            second: false,
            mode: 0,
            nmi: false,
            held_since: None,
            asked: false,
            sent: 0xFF,
        }
    }
}

/// An interrupt that is taken now.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::processor) enum Taken {
    NonMaskable,
    Maskable,
}

impl Interrupts {
    /// The reset line: what the chips hold they go on holding.
    pub(in crate::processor) fn reset(&mut self) {
        *self = Self { held_since: self.held_since, sent: self.sent, ..Self::default() };
    }

    /// What was cycle `now` is cycle 0.
    pub(in crate::processor) fn restart(&mut self, now: u64) {
        self.held_since = self.held_since.map(|since| since.saturating_sub(now));
    }

    pub(in crate::processor) fn enable(&mut self) {
        (self.enabled, self.second) = (true, true);
    }

    pub(in crate::processor) fn disable(&mut self) {
        (self.enabled, self.second) = (false, false);
    }

    /// The return from a non-maskable interrupt.
    pub(in crate::processor) fn restore(&mut self) {
        self.enabled = self.second;
    }

    /// What would be taken at cycle `now`.
    pub(in crate::processor) fn acceptable(&self, now: u64) -> Option<Taken> {
        if self.nmi {
            return Some(Taken::NonMaskable);
        }
        let asked = self.asked || self.held_since.is_some_and(|since| since <= now);
        (self.enabled && asked).then_some(Taken::Maskable)
    }

    /// The chip's answer to a non-maskable interrupt: INT is kept away until RETN.
    pub(in crate::processor) fn enter_non_maskable(&mut self) {
        self.nmi = false;
        self.enabled = false;
    }

    pub(in crate::processor) fn enter(&mut self) {
        self.asked = false;
        self.disable();
    }
}
