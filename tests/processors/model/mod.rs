//! A second definition of each processor, written from the makers' manuals without a look at the first.

pub mod ez80;
pub mod flat;
pub mod i8080;
pub mod i8086;
pub mod mos6502;
pub mod pdp10;
pub mod pdp8;
pub mod random;
pub mod z80;
