//! From source text to cells and listing.

#[path = "../common/mod.rs"]
mod common;

mod assembler;
mod language;
mod lexer;
mod routines;
mod several;
mod structured;
mod translate;
mod widths;
