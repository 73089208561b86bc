//! The command on a line: links, senders, serial ports.

#[path = "../common/mod.rs"]
mod common;

mod link;
mod send;
mod serial;

#[path = "../hostile/mod.rs"]
mod hostile;
