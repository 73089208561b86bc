//! Intel 8212, 8-bit input/output port: a latch of eight bits with three-state outputs (Intel, *8212 data sheet*).
//!
//! With MD high it is an output port: a write latches the bus, and the outputs drive lamps. With MD low it is an input
//! port: a read puts the switches on the bus. The strobe and interrupt pins are not used here.

use crate::image::Cell;
use crate::machine::board::Wiring;
use crate::machine::chip::{Chip, Wired, facet};

/// The chip with what is soldered to it.
#[derive(Debug, Clone)]
pub struct I8212 {
    wiring: Option<Wiring>,
    /// The latch, or the switches.
    value: Cell,
}

impl I8212 {
    /// With all bits 0, as after CLR.
    pub fn new(wiring: Option<Wiring>) -> Self {
        Self { wiring, value: 0 }
    }
}

impl Chip for I8212 {
    fn read(&mut self, _: u32, _: u64) -> Option<Cell> {
        (self.wiring == Some(Wiring::Switches)).then_some(self.value)
    }

    fn write(&mut self, _: u32, value: Cell, _: u64) -> bool {
        let takes = matches!(self.wiring, Some(Wiring::Lamps | Wiring::Bank));
        if takes {
            self.value = value;
        }
        takes
    }

    /// CLR is wired where the outputs choose a bank; lamps stay as they are.
    fn reset(&mut self, _: u64) {
        if self.wiring == Some(Wiring::Bank) {
            self.value = 0;
        }
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Wired, wired, wired_mut);
}

impl Wired for I8212 {
    fn lamps(&self) -> Option<Cell> {
        (self.wiring == Some(Wiring::Lamps)).then_some(self.value)
    }

    fn bank(&self) -> Option<Cell> {
        (self.wiring == Some(Wiring::Bank)).then_some(self.value)
    }

    fn set_switches(&mut self, value: Cell) -> bool {
        let has = self.wiring == Some(Wiring::Switches);
        if has {
            self.value = value;
        }
        has
    }

    fn switches(&self) -> Option<Cell> {
        (self.wiring == Some(Wiring::Switches)).then_some(self.value)
    }
}
