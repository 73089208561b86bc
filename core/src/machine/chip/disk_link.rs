//! The disk link: a port by which the resident services of a board hand a call over to the disk system.

use crate::image::Cell;
use crate::machine::chip::{Chip, Door, facet};

/// The port with what was written to it last.
#[derive(Debug, Clone, Copy, Default)]
pub struct DiskLink {
    asked: Option<u8>,
}

impl Chip for DiskLink {
    fn read(&mut self, _: u32, _: u64) -> Option<Cell> {
        None
    }

    fn write(&mut self, _: u32, value: Cell, _: u64) -> bool {
        self.asked = Some(value as u8);
        true
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(*self)
    }

    facet!(Door, door, door_mut);
}

impl Door for DiskLink {
    fn take_call(&mut self) -> Option<u8> {
        self.asked.take()
    }
}
