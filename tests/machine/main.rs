//! Machines and sessions: chips, steps, stops, going back, lines.

#[path = "../common/mod.rs"]
mod common;

mod back;
mod chips;
mod debugger;
mod hazards;
mod link;
mod machine;
mod over;
mod past;
mod pc_chips;
mod session;
mod transfer;
mod watchers;
