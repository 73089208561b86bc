//! What a run took under each label, to stand beside what the assembler knows.

use super::sizes::Sizes;
use crate::session::Step;
use serde::Serialize;
use std::collections::HashMap;

/// What a run took under a label.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
pub struct Measured {
    /// Cycles of its instructions, with what the firmware did for them.
    pub cycles: u64,
    /// How often its first instruction was executed.
    pub times: u64,
}

/// Takes the steps of a run.
#[derive(Debug, Clone, Default)]
pub struct Measuring {
    cells: HashMap<u32, Measured>,
}

impl Measuring {
    /// Takes a step.
    pub fn take(&mut self, step: &Step) {
        let cell = self.cells.entry(step.address).or_default();
        cell.cycles += step.cycles;
        cell.times += u64::from(!step.interrupt);
    }
}

impl Sizes {
    /// The same, with what a run took beside it.
    #[must_use]
    pub fn with(mut self, run: &Measuring) -> Self {
        // Padding that an instruction stands in is none.
        for (&address, cell) in &run.cells {
            let at = self.labels.partition_point(|label| label.first <= address);
            let Some(label) = at.checked_sub(1).and_then(|at| self.labels.get_mut(at)) else { continue };
            if u64::from(address - label.first) >= label.cells {
                continue;
            }
            let measured = label.measured.get_or_insert_default();
            measured.cycles += cell.cycles;
            measured.times += if address == label.first { cell.times } else { 0 };
        }
        self
    }
}
