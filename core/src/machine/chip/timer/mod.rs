//! Counters and timers.

pub(super) mod z8430;
