//! Why things are as they are: who wrote what, and from what, back to the beginning of a run.

pub(in crate::session) mod atom;
pub(in crate::session) mod effect;
pub(in crate::session) mod follow;
mod learning;
pub(in crate::session) mod search;
mod tell;
mod why;
mod writer;

pub use why::{Origin, Why};
pub use writer::{Whereabouts, WriteKind, Written};
