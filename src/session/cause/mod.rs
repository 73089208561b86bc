//! Why things are as they are: who wrote what, and from what, back to the beginning of a run.

mod atom;
mod effect;
