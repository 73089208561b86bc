//! Chips, one file each, named by their part number and built after the maker's data sheet.
//!
//! To add a chip: a file here and a line in [`make`].

mod i8212;

pub use i8212::I8212;

use super::board::Wiring;
use crate::image::Cell;
use std::fmt::Debug;

/// A chip on the I/O bus.
pub trait Chip: Debug + Send {
    /// Reads the register at `offset` from the chip's first port.
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell>;
    /// Writes the register at `offset`. False where it has no effect.
    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool;
    /// What its lamps show, where it drives lamps.
    fn lamps(&self) -> Option<Cell> {
        None
    }
    /// Sets the switches wired to it. False where there are none.
    fn set_switches(&mut self, _value: Cell) -> bool {
        false
    }
    /// The position of the switches wired to it.
    fn switches(&self) -> Option<Cell> {
        None
    }
    /// A copy, for going back to an earlier state.
    fn copy(&self) -> Box<dyn Chip>;
}

impl Clone for Box<dyn Chip> {
    fn clone(&self) -> Self {
        self.copy()
    }
}

/// The parts there are.
pub const PARTS: &[&str] = &["8212"];

/// Makes a chip by its part number.
pub fn make(part: &str, wiring: Wiring) -> Option<Box<dyn Chip>> {
    match part {
        "8212" => Some(Box::new(I8212::new(wiring))),
        _ => None,
    }
}
