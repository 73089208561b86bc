//! The commands, one file each.

pub mod boards;
pub mod build;
pub mod card;
pub mod cases;
pub mod chart;
pub mod convert;
pub mod demo;
pub mod disassemble;
mod drawing;
mod first_screen;
pub mod flow;
pub mod inspect;
mod live;
pub mod monitor;
pub mod new;
mod offer;
pub mod panel;
pub mod replay;
pub mod run;
pub mod send;
mod trace;
pub mod value;

use crate::say::Failure;
use std::io::Write;

/// Prints a value as one JSON document.
pub fn print_json(value: &impl serde::Serialize) -> Result<(), Failure> {
    let mut out = std::io::BufWriter::new(std::io::stdout().lock());
    serde_json::to_writer(&mut out, value).map_err(std::io::Error::from)?;
    writeln!(out)?;
    out.flush()?;
    Ok(())
}
