//! Interrupt controllers.

pub(in crate::machine::chip) mod i8259;
