//! Ports with pins.

pub(super) mod count;
mod eight;
pub(super) mod i8212;
pub(super) mod i8255;
pub(super) mod mos6522;
pub(super) mod mos6532;
