//! What a person reads, and programs as files.

#[path = "../common/mod.rs"]
mod common;

mod analysis;
mod cassette;
mod formats;
mod image;
mod language;
mod prom;
mod quiz;
mod report;
mod warnings;
