//! The service link: ports by which the resident services of a board hand calls over, one port to a kind of call. What is written does not
//! matter, so that a program's registers are as it called.

use crate::image::Cell;
use crate::machine::chip::{Chip, Door, facet};

/// The port that was written last.
#[derive(Debug, Clone, Copy, Default)]
pub struct ServiceLink {
    asked: Option<u8>,
}

impl Chip for ServiceLink {
    fn write(&mut self, offset: u32, _: Cell, _: u64) -> bool {
        self.asked = Some(offset as u8);
        true
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(*self)
    }

    facet!(Door, door, door_mut);
}

impl Door for ServiceLink {
    fn take_call(&mut self) -> Option<u8> {
        self.asked.take()
    }
}
