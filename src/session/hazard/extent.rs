//! Stretches of memory that a program keeps apart, and whether something runs out of one: a loop that writes past the end of a region, a
//! stack that grows below what was reserved for it.

use super::Session;
use std::collections::HashMap;

/// A write this near to the last one goes on from it.
const NEAR: u32 = 4;
/// Data that is shorter is no stack.
const SHORTEST_STACK: u32 = 8;

/// A stretch from one address to another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Extent {
    pub first: u32,
    pub last: u32,
}

impl Extent {
    fn contains(self, address: u32) -> bool {
        (self.first..=self.last).contains(&address)
    }
}

/// The stretches of a program, and where it wrote near their ends.
#[derive(Debug, Clone, Default)]
pub(super) struct Extents {
    regions: Vec<Extent>,
    /// What is laid down or reserved by a line, in the order of addresses.
    data: Vec<Extent>,
    /// Where each instruction wrote last near the end of a region.
    writes: HashMap<u32, u32>,
    /// Where something was put on the stack last.
    pushed: Option<u32>,
}

impl Extents {
    pub fn of(session: &Session) -> Self {
        let Some(program) = &session.program else { return Self::default() };
        let regions = program.regions.iter().map(|one| Extent { first: one.first, last: one.last });
        let data = program.data().map(|(at, count)| Extent { first: at, last: at.saturating_add(count - 1) });
        let mut data: Vec<Extent> = data.collect();
        data.sort_unstable_by_key(|one| one.first);
        Self { regions: regions.collect(), data, ..Self::default() }
    }

    /// The cells on both sides of each end of a region.
    pub fn edges(&self) -> impl Iterator<Item = u32> {
        let around = |at: u32| at.saturating_sub(NEAR)..at.saturating_add(NEAR);
        self.regions.iter().flat_map(move |one| around(one.first).chain(around(one.last.saturating_add(1))))
    }

    fn region(&self, address: u32) -> Option<Extent> {
        self.regions.iter().copied().find(|one| one.contains(address))
    }

    fn data(&self, address: u32) -> Option<Extent> {
        let at = self.data.partition_point(|one| one.first <= address).checked_sub(1)?;
        self.data.get(at).copied().filter(|one| one.contains(address))
    }

    /// An instruction writes near the end of a region: the region that it runs out of with that.
    pub fn write(&mut self, instruction: u32, address: u32) -> Option<Extent> {
        let before = self.writes.insert(instruction, address)?;
        let left = self.region(before)?;
        (before.abs_diff(address) <= NEAR && !left.contains(address)).then_some(left)
    }

    /// Something is put on the stack: what it was in and is not any more, or the data that it comes down on.
    pub fn push(&mut self, address: u32) -> Option<Deeper> {
        let before = self.pushed.replace(address)?;
        if address >= before || before - address > NEAR {
            return None;
        }
        let (data, to) = (self.data(before), self.data(address));
        let region = self.region(before).filter(|one| !one.contains(address));
        match data.filter(|one| one.last - one.first >= SHORTEST_STACK - 1) {
            Some(stack) if !stack.contains(address) && (to.is_some() || region.is_some()) => {
                Some(Deeper::Than(stack))
            }
            Some(_) => None,
            None if region.is_some() => region.map(Deeper::Than),
            None => to.filter(|_| data.is_none()).map(|_| Deeper::OnData),
        }
    }
}

/// Where a stack has grown to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Deeper {
    /// Below what is there for it.
    Than(Extent),
    /// Onto data of the program.
    OnData,
}
