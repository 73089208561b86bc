//! A timer of a 6522 (MOS Technology, *MCS6522 versatile interface adapter* data sheet).

/// Cycles within which two reads are of one count; who reads the low half alone drops the request.
const TOGETHER: u64 = 32;

/// A timer: its count is told by when it was loaded.
#[derive(Debug, Clone, Copy)]
pub(super) struct Timer {
    pub latch: u16,
    /// The count, and the cycle whose end it belongs to.
    pub count: (u16, u64),
    /// It counts to an interrupt that has not come yet.
    pub armed: bool,
    /// The count when its low half was read last, and the cycle.
    pub seen: Option<(u16, u64)>,
}

impl Timer {
    pub fn load(&mut self, now: u64) {
        // The first cycle after the load still shows the whole count.
        self.count = (self.latch, now + 1);
    }

    /// What the counter shows in the cycle that ends at `now`.
    pub fn at(&self, now: u64) -> u16 {
        let (count, since) = self.count;
        count.wrapping_sub(now.saturating_sub(since) as u16)
    }

    /// True where the high half that is read now belongs to another count than the low half read just before.
    pub fn is_torn(&self, now: u64) -> bool {
        let soon = |at: u64| now.saturating_sub(at) < TOGETHER;
        self.seen.is_some_and(|(count, at)| soon(at) && count >> 8 != self.at(now) >> 8)
    }

    /// The cycle from whose end on the time-out can be seen.
    pub fn ends(&self) -> u64 {
        let (count, since) = self.count;
        since + u64::from(count) + 1
    }
}
