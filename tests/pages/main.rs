//! What the pages say holds: documents and examples.

#[path = "../common/mod.rs"]
mod common;

mod docs;
mod examples;
mod messages;
