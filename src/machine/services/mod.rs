//! What a board's firmware asks the machine to do for it.

pub mod transient;
