//! The command at a terminal, in a pipe, with wrong arguments.

#[path = "../common/mod.rs"]
mod common;

mod boards;
mod command;
mod debug;
mod debugger;
mod disk;
mod grade;
mod guide;
mod outside;
mod remote;
mod report;
mod scripts;
mod serve;
mod tape;
mod tools;
mod traces;
mod words;
