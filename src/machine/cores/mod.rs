//! Processors in a machine: memory, bus and what is observed on it.

pub(super) mod bus;
pub(super) mod bytes;
pub(super) mod linked;
pub(super) mod memory;
pub(super) mod observe;
pub(super) mod words;
