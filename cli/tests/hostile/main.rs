//! What must not happen, tried: a file of the user lost or half-written, a hang, a terminal left as it should not be.
#![cfg(unix)]

#[path = "../common/mod.rs"]
mod common;

mod disk;
mod kills;
mod limits;
mod link;
mod outputs;
mod silent;
mod sources;
