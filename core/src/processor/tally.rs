//! Time and instructions of one stretch of a run, as a run loop keeps them.

/// The longest stretch, in cycles.
const LONGEST: u64 = (1 << 31) - 1;

/// Cycles and instructions in one number: cycles up to the limit, negative, in the upper half, instructions done in the lower.
///
/// PERF: a run loop has more values to keep than the host has registers. This way time, limit and instructions are one, an
/// instruction adds one constant from a table, and the sign says that the limit is reached.
#[derive(Debug, Clone, Copy)]
pub struct Tally {
    value: i64,
    limit: u64,
}

impl Tally {
    /// A stretch from cycle `now` to `limit`, or to the longest there is.
    #[inline]
    pub fn new(now: u64, limit: u64) -> Self {
        let length = limit.saturating_sub(now).min(LONGEST);
        Self { value: -((length as i64) << 32), limit: now + length }
    }

    /// What an instruction of so many cycles adds.
    #[inline]
    pub const fn step(cycles: u8) -> i64 {
        Self::more(cycles) + 1
    }

    /// What so many more cycles add.
    #[inline]
    pub const fn more(cycles: u8) -> i64 {
        (cycles as i64) << 32
    }

    /// The same for a number that no table has.
    #[inline]
    pub(crate) const fn more_of(cycles: u64) -> i64 {
        (cycles as i64) << 32
    }

    /// Adds what [`step`](Self::step) or [`more`](Self::more) gave.
    #[inline(always)]
    pub fn add(&mut self, amount: i64) {
        self.value = self.value.wrapping_add(amount);
    }

    /// Time and instructions as they are kept, negative up to the limit, from which [`at`](Self::at) tells the cycle later.
    #[inline(always)]
    pub fn raw(self) -> i64 {
        self.value
    }

    /// The cycle of a [`raw`](Self::raw) number of the same stretch.
    #[inline(always)]
    pub fn at(self, raw: i64) -> u64 {
        self.limit.wrapping_add_signed(raw >> 32)
    }

    /// Takes back what was added for an instruction that there is not.
    #[inline]
    pub fn undo(&mut self, amount: i64) {
        self.value -= amount;
    }

    /// True where the limit is reached.
    #[inline(always)]
    pub fn due(self) -> bool {
        self.value >= 0
    }

    /// The cycle.
    #[inline(always)]
    pub fn now(self) -> u64 {
        self.at(self.value)
    }

    /// The number of instructions done, as a loop compares it.
    #[inline(always)]
    pub fn count(self) -> u32 {
        self.value as u32
    }

    /// The instructions done.
    #[inline]
    pub fn instructions(self) -> u64 {
        u64::from(self.value as u32)
    }
}

/// Tells the compiler that this way is seldom taken.
#[cold]
#[inline(never)]
pub(super) fn unlikely() {}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn time_limit_and_instructions_are_told_apart() {
        for (now, limit) in [(0, 1), (7, 7), (100, u64::MAX), (1 << 40, (1 << 40) + 1000), (9, 3)] {
            let mut tally = Tally::new(now, limit);
            assert_eq!((tally.now(), tally.instructions()), (now, 0));
            assert_eq!(tally.due(), limit <= now, "{now} to {limit}");
            let (mut cycles, mut instructions) = (0, 0);
            while !tally.due() && instructions < 400 {
                tally.add(Tally::step(4));
                tally.add(Tally::more(3));
                cycles += 7;
                instructions += 1;
                assert_eq!((tally.now(), tally.instructions()), (now + cycles, instructions));
                assert_eq!(tally.due(), now + cycles >= limit.min(now + LONGEST));
            }
            if instructions > 0 {
                tally.undo(Tally::step(4));
                assert_eq!((tally.now(), tally.instructions()), (now + cycles - 4, instructions - 1));
            }
        }
    }
}
