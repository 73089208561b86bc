//! The commands, one file each.

pub mod boards;
pub mod build;
pub mod burn;
pub mod card;
pub mod cases;
mod cassette;
pub mod chart;
pub mod convert;
pub mod coverage;
pub mod debug;
pub mod demo;
pub mod disassemble;
mod drawing;
pub mod explain;
mod first_screen;
pub mod flow;
mod grade;
pub mod inspect;
mod live;
pub mod monitor;
pub mod new;
mod offer;
pub mod panel;
pub mod receive;
pub mod replay;
pub mod report;
mod rom_set;
pub mod run;
pub mod send;
pub mod shell;
mod trace;
pub mod value;

pub use crate::json::print as print_json;
