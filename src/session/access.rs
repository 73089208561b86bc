//! Accesses that a run comes to: the first one to some cells or registers since a moment, found by following the run again, so that the
//! run itself is the same whether somebody waits for one or not.

use super::cause::atom::{atoms, atoms_named};
use super::cause::follow::{Follower, ItemKind};
use super::cause::search::Wanted;
use super::time::Way;
use super::{Moment, Session};
use crate::machine::{QUIET_CODE, QUIET_READ, QUIET_WRITE, TrailRow, Watching, What};
use std::cell::Cell;

/// Cells whose accesses somebody waits for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct AccessStop {
    /// The first.
    pub first: u32,
    /// The last.
    pub last: u32,
    /// Reads count.
    pub reads: bool,
    /// Writes count.
    pub writes: bool,
}

/// An access that was waited for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Accessed {
    /// The cell.
    pub address: u32,
    /// It was written.
    pub is_write: bool,
    /// The value.
    pub value: u64,
    /// The instruction.
    pub by: u32,
    /// The moment in front of it.
    pub begin: Moment,
    /// The cycle after it.
    pub end: u64,
}

/// A register or a flag whose use somebody waits for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegisterStop {
    /// Its name, as [`Session::whereabouts`] knows it.
    pub name: String,
    /// An instruction whose result depends on it counts.
    pub reads: bool,
    /// An instruction, an interrupt or a service that gives it a value counts, also the one that it has.
    pub writes: bool,
}

/// A use of a register that was waited for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegisterUsed {
    /// Which of the stops it is.
    pub stop: usize,
    /// It was given a value.
    pub is_write: bool,
    /// The value after it.
    pub value: u64,
    /// The cycle in front of it.
    pub begin: u64,
    /// The cycle after it.
    pub end: u64,
}

impl Session {
    /// The first use since a cycle, up to now, that one of the stops waits for.
    pub fn first_register_use(&mut self, since: u64, stops: &[RegisterStop]) -> Option<RegisterUsed> {
        if stops.is_empty() || self.machine.is_linked() {
            return None;
        }
        let set = self.processor();
        let known = atoms(set);
        let bits: Vec<u64> = stops.iter().map(|stop| atoms_named(set, &known, &stop.name)).collect();
        let wanted = Wanted { atoms: bits.iter().fold(0, |all, one| all | one), ..Wanted::default() };
        let now = self.machine.cycles();
        let mut visitor = self.visitor();
        visitor.go_to(self, since);
        let mut next = visitor.acts_done();
        let mut follower = Follower::of(&visitor.machine);
        self.timeline.bring_told(&mut visitor.machine, &mut next, now, &mut |machine, way| match way {
            Way::To(limit) => {
                _ = machine.run(limit, Watching::Trail(&[], &mut |row| follower.row(row)));
            }
            Way::Acted(number) => follower.acted(number, machine),
        });
        let chunk = follower.take();
        let mut hits = Vec::new();
        let mut found = None;
        for (at, item) in chunk.items.iter().enumerate() {
            let effect = match item.kind {
                ItemKind::Act => continue,
                ItemKind::Instruction => follower.effects.get(item.effect as usize).map(AsRef::as_ref),
                _ => None,
            };
            wanted.written(item, &chunk, effect, follower.atoms(), &mut hits);
            let mut written = hits.iter().fold(0, |all, hit| all | hit.atom());
            if item.kind == ItemKind::Interrupt {
                written |= visitor.set_by_interrupt(self, item.cycle, follower.atoms());
            }
            let read = effect.map_or(0, |effect| effect.reads(follower.atoms()));
            let uses = |at: &usize| {
                stops[*at].writes && written & bits[*at] != 0 || stops[*at].reads && read & bits[*at] != 0
            };
            if let Some(stop) = (0..stops.len()).find(uses) {
                let is_write = stops[stop].writes && written & bits[stop] != 0;
                let end = chunk.items[at + 1..].iter().map(|one| one.cycle).find(|&cycle| cycle > item.cycle);
                found = Some((stop, is_write, item.cycle, end.unwrap_or(now)));
                break;
            }
        }
        let (stop, is_write, begin, end) = found?;
        visitor.go_to(self, end);
        let value = visitor.machine.get(&stops[stop].name).unwrap_or(0);
        Some(RegisterUsed { stop, is_write, value, begin, end })
    }

    /// The first access since a cycle, up to now, that one of the stops waits for.
    pub fn first_access(&mut self, since: u64, stops: &[AccessStop]) -> Option<Accessed> {
        let last = self.processor().last_address();
        if stops.is_empty() || self.machine.is_linked() {
            return None;
        }
        let quiet = QUIET_CODE | QUIET_READ | QUIET_WRITE;
        let marks: Box<[Cell<u8>]> = vec![quiet; last as usize + 1].into_iter().map(Cell::new).collect();
        for stop in stops {
            let loud = if stop.reads { QUIET_READ } else { 0 } | if stop.writes { QUIET_WRITE } else { 0 };
            for address in stop.first..=stop.last.min(last) {
                let mark = &marks[address as usize];
                mark.set(mark.get() & !loud);
            }
        }
        let waits = |address: u32, is_write: bool| {
            stops.iter().any(|one| {
                (one.first..=one.last).contains(&address) && if is_write { one.writes } else { one.reads }
            })
        };
        let now = self.machine.cycles();
        let mut visitor = self.visitor();
        visitor.go_to(self, since);
        let mut next = visitor.acts_done();
        let machine = &mut visitor.machine;
        let mut found: Option<(u32, u64, u32, bool, u64)> = None;
        self.timeline.bring_told(machine, &mut next, now, &mut |machine, way| {
            let Way::To(limit) = way else { return };
            let mut see = |row: TrailRow<'_>| {
                let mut at = (0, 0);
                for done in row.iter() {
                    if found.is_some() {
                        return;
                    }
                    match done.what {
                        What::Instruction => at = (done.address, done.value),
                        What::Read | What::Write if waits(done.address, done.what == What::Write) => {
                            found = Some((at.0, at.1, done.address, done.what == What::Write, done.value));
                        }
                        _ => {}
                    }
                }
            };
            machine.run(limit, Watching::Trail(&marks, &mut see));
        });
        let (by, cycle, address, is_write, value) = found?;
        visitor.go_to(self, cycle);
        let begin = Moment::of(&visitor.machine);
        let mut after = visitor.machine.unseen();
        super::step::step(&mut after, u64::MAX);
        Some(Accessed { address, is_write, value, by, begin, end: after.cycles().min(now) })
    }
}
