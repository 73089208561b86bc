//! What a person reads, and programs as files.

#[path = "../common/mod.rs"]
mod common;

mod analysis;
mod formats;
mod image;
mod language;
mod report;
mod warnings;
