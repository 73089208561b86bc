//! Why things are as they are: who wrote what, and from what, back to the beginning of a run.

mod atom;
mod effect;
mod follow;
mod search;
mod why;
mod writer;

pub use why::{Origin, Why};
pub use writer::{Whereabouts, WriteKind, Written};
