//! Accesses that a run comes to: the first one to some cells since a moment, found by following the run again, so that the run itself
//! is the same whether somebody waits for one or not.

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
    /// The cycle behind it.
    pub end: u64,
}

impl Session {
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
