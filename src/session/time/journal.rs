//! What was done to a machine by hand, and when: with a snapshot from before enough to be there again.

use crate::image::{Cell, Image};
use crate::machine::{Event, Machine};
use std::collections::VecDeque;

/// Something done by hand, which a replay does again.
#[derive(Debug, Clone)]
pub(in crate::session) enum Act {
    /// A register, by its place, gets a value.
    Register(usize, u64),
    /// The next instruction stands at this address.
    Place(u32),
    /// Cells from an address on get values.
    Cells(u32, Vec<Cell>),
    /// An image is put into memory.
    Load(Box<Image>),
    /// Something happens at a cycle, this one or a later one.
    Event(u64, Event),
    /// The reset key.
    Reset,
    /// The power is switched off and on.
    Power,
}

impl Act {
    /// Does it. False where the machine has nothing of the kind.
    pub fn on(&self, machine: &mut Machine) -> bool {
        match self {
            Act::Register(place, value) => machine.set_register(*place, *value),
            Act::Place(address) => machine.set_place(*address),
            Act::Cells(address, cells) => {
                return cells.iter().zip(*address..).all(|(&cell, at)| machine.put(at, cell));
            }
            Act::Load(image) => return machine.load(image).is_ok(),
            Act::Event(cycle, event) => return machine.happen(*cycle, event.clone()),
            Act::Reset => machine.reset(),
            Act::Power => machine.power(),
        }
        true
    }
}

/// The acts since the oldest snapshot, each with the cycle at which it was done. They are counted from the beginning of the session.
#[derive(Debug, Clone, Default)]
pub(super) struct Journal {
    acts: VecDeque<(u64, Act)>,
    forgotten: usize,
}

impl Journal {
    /// How many there have been.
    pub fn count(&self) -> usize {
        self.forgotten + self.acts.len()
    }

    pub fn note(&mut self, cycle: u64, act: Act) {
        self.acts.push_back((cycle, act));
    }

    /// The act of a number, with its cycle.
    pub fn get(&self, number: usize) -> Option<&(u64, Act)> {
        self.acts.get(number.checked_sub(self.forgotten)?)
    }

    /// Takes back all from a number on.
    pub(crate) fn take_back(&mut self, from: usize) {
        self.acts.truncate(from.saturating_sub(self.forgotten));
    }

    /// Forgets those before a number.
    pub fn forget(&mut self, before: usize) {
        while self.forgotten < before && self.acts.pop_front().is_some() {
            self.forgotten += 1;
        }
    }
}
