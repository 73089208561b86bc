//! What must not happen, tried: a file of the user lost or half-written, a hang, a terminal left as it should not be. In one binary with
//! the lines, since both mostly wait.
#![cfg(unix)]

mod disk;
mod kills;
mod limits;
mod link;
mod outputs;
mod silent;
mod sources;
