//! Instruction sets: tables and executors against a second definition, every opcode, every flag.

mod ez80;
mod i8086;
mod model;
mod mos6502;
mod pdp10;
mod pdp8;
mod processor;
mod z80;
