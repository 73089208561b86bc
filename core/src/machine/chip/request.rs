//! The interrupt line of a chip.

/// Since which cycle the line is low.
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
