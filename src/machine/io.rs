//! Ports, lines and what was seen on them.

use super::bus::{Access, Missing};
use super::chip::Chip;
use super::line::SerialLine;
use crate::image::Cell;
use serde::Serialize;

/// A value written to a port.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct PortWrite {
    /// The port.
    pub port: u32,
    /// The value.
    pub value: Cell,
    /// The cycle.
    #[serde(skip)]
    pub at: u64,
}

/// Writes beyond this many are counted and not kept.
const MOST_WRITES: usize = 1 << 20;

/// Values that wait at a port: taken in turn, the last one again and again.
#[derive(Debug, Clone, Default)]
struct Given {
    values: Vec<Cell>,
    next: usize,
}

/// A chip with its first port and name.
#[derive(Debug, Clone)]
pub struct Fitted {
    /// The name in the board description.
    pub name: String,
    /// First port.
    pub port: u32,
    /// The chip.
    pub chip: Box<dyn Chip>,
}

/// Everything outside memory.
#[derive(Debug, Clone)]
pub struct Io {
    pub(super) stop_unmapped: bool,
    pub(super) missing: Option<Missing>,
    given: Vec<Option<Given>>,
    /// The chip of each port, plus one.
    chip_of: Box<[u8; 256]>,
    pub(super) chips: Vec<Fitted>,
    pub(super) line: Option<SerialLine>,
    pub(super) writes: Vec<PortWrite>,
    pub(super) writes_not_kept: u64,
}

impl Io {
    pub fn new(stop_unmapped: bool, line: Option<SerialLine>) -> Self {
        Self {
            stop_unmapped,
            missing: None,
            given: vec![None; 256],
            chip_of: Box::new([0; 256]),
            chips: Vec::new(),
            line,
            writes: Vec::new(),
            writes_not_kept: 0,
        }
    }

    pub fn fit(&mut self, name: &str, port: u32, chip: Box<dyn Chip>) {
        self.chips.push(Fitted { name: name.to_string(), port, chip });
        self.chip_of[port as usize & 0xFF] = self.chips.len() as u8;
    }

    /// Gives the values that a port will read, in turn.
    pub fn give(&mut self, port: u32, values: &[Cell]) {
        self.given[port as usize & 0xFF] =
            (!values.is_empty()).then(|| Given { values: values.to_vec(), next: 0 });
    }

    fn chip(&mut self, port: u32) -> Option<&mut Fitted> {
        let at = self.chip_of[port as usize & 0xFF];
        self.chips.get_mut(usize::from(at).checked_sub(1)?)
    }

    /// Values given from outside come before the chip; `None` where nothing answers.
    pub(super) fn input(&mut self, port: u32, now: u64) -> Option<Cell> {
        if let Some(given) = &mut self.given[port as usize & 0xFF] {
            let value = given.values[given.next];
            given.next = (given.next + 1).min(given.values.len() - 1);
            return Some(value);
        }
        match self.chip(port) {
            Some(fitted) => {
                let offset = port - fitted.port;
                fitted.chip.read(offset, now)
            }
            None => {
                self.miss(Access::In, port);
                None
            }
        }
    }

    pub(super) fn output(&mut self, port: u32, value: Cell, now: u64) -> bool {
        if self.writes.len() < MOST_WRITES {
            self.writes.push(PortWrite { port, value, at: now });
        } else {
            self.writes_not_kept += 1;
        }
        match self.chip(port) {
            Some(fitted) => {
                let offset = port - fitted.port;
                fitted.chip.write(offset, value, now)
            }
            None => {
                if self.given[port as usize & 0xFF].is_none() {
                    self.miss(Access::Out, port);
                }
                !self.stop_unmapped
            }
        }
    }

    fn miss(&mut self, access: Access, address: u32) {
        if self.stop_unmapped && self.missing.is_none() {
            self.missing = Some(Missing { access, address });
        }
    }

    pub(super) fn serial_in(&mut self, now: u64) -> bool {
        self.line.as_mut().is_none_or(|line| line.sense(now))
    }

    pub(super) fn serial_out(&mut self, level: bool, now: u64) {
        if let Some(line) = &mut self.line {
            line.drive(level, now);
        }
    }
}
