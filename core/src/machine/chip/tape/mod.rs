//! Paper tape.

pub(super) mod byte_tape;
pub(super) mod paper_tape;
pub(super) mod roll;
pub(super) mod tape36;
