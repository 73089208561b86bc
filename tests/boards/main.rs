//! The shipped boards with their firmware, panels, monitors and programs.

#[path = "../common/mod.rs"]
mod common;

mod board;
mod cassette;
mod curlew;
mod firmware;
mod fulmar;
mod heron;
mod monitor;
mod osprey;
mod panel;
mod petrel;
mod programs;
mod puffin;
mod records;
mod tern;
