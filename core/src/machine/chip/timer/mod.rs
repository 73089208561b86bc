//! Counters and timers.

pub(super) mod i8253;
pub(super) mod z8430;
