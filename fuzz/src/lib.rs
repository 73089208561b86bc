//! What the fuzzer tries: everything of the library in `tries`, and the whole command.

pub mod command;

#[path = "../tries/mod.rs"]
mod tries;

pub use tries::*;
