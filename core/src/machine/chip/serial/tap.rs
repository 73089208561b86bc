//! `console-tap`: a port that repeats what firmware shows, character by character, for whoever follows the console from outside.

use crate::image::Cell;
use crate::machine::chip::{Chip, Serial, facet};

/// The port.
#[derive(Debug, Clone, Default)]
pub struct ConsoleTap {
    told: Vec<u8>,
}

impl Chip for ConsoleTap {
    fn write(&mut self, _: u32, value: Cell, _: u64) -> bool {
        self.told.push(value as u8);
        true
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Serial, serial, serial_mut);
}

/// Nothing can be typed at it: that is the keyboard's.
impl Serial for ConsoleTap {
    fn type_in(&mut self, _: &[u8], _: u64) {}

    fn would_interrupt(&self) -> bool {
        false
    }

    fn take_received(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.told)
    }

    fn waiting(&self) -> usize {
        0
    }
}
