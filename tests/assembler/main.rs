//! From source text to cells and listing.

#[path = "../common/mod.rs"]
mod common;

mod assembler;
mod habits;
mod i8086;
mod language;
mod lexer;
mod routines;
mod segments;
mod several;
mod structured;
mod translate;
mod widths;
