//! Going back: snapshots now and then, and exact replay from the last one.
//!
//! A machine is deterministic, so that a snapshot and the number of cycles since are enough to be anywhere again.
//! Whatever the operator changes by hand makes a new snapshot, so that no replay runs over such a change.

use super::{Session, Step, step};
use crate::machine::{Snapshot, Watching};
use std::collections::VecDeque;

/// Snapshots kept: 64 of some 70 KB.
const MOST: usize = 64;
/// Cycles between two of them.
const APART: u64 = 2_000_000;
/// More than any instruction with an interrupt takes.
const LONGEST_STEP: u64 = 256;

/// A step of the past, the cycle it began at, and the snapshot it was replayed from.
struct Past {
    snapshot: usize,
    begin: u64,
    step: Step,
}

/// The snapshots of a session, oldest first.
#[derive(Debug, Clone, Default)]
pub(super) struct Timeline {
    snapshots: VecDeque<Snapshot>,
    touched: bool,
}

impl Timeline {
    pub fn clear(&mut self) {
        *self = Self::default();
    }

    /// The operator changed something.
    pub fn touched(&mut self) {
        self.touched = true;
    }
}

impl Session {
    /// Takes a snapshot where one is due.
    #[inline]
    pub(super) fn remember(&mut self) {
        // What a board at the other end of a line has done it cannot take back.
        if self.machine.is_linked() {
            return;
        }
        let now = self.machine.cycles();
        let due = self.timeline.snapshots.back().is_none_or(|last| now >= last.cycles() + APART);
        if due || self.timeline.touched {
            self.take_snapshot();
        }
    }

    #[cold]
    fn take_snapshot(&mut self) {
        if self.timeline.snapshots.len() >= MOST {
            self.timeline.snapshots.pop_front();
        }
        self.timeline.snapshots.push_back(self.machine.snapshot());
        self.timeline.touched = false;
    }

    /// Goes back by `steps` instructions and returns how many it could go. Where the operator changed something by
    /// hand, that is undone too.
    pub fn back(&mut self, steps: usize) -> usize {
        let here = self.machine.snapshot();
        let past = self.past(steps);
        let gone = past.len();
        let Some(first) = past.into_iter().next() else {
            self.machine.restore(&here);
            return 0;
        };
        let snapshot = self.timeline.snapshots[first.snapshot].clone();
        self.machine.restore(&snapshot);
        self.replay(first.begin, 0);
        self.timeline.snapshots.truncate(first.snapshot + 1);
        self.timeline.touched = false;
        gone
    }

    /// The last steps that led here, oldest first, at most `most`.
    pub fn history(&mut self, most: usize) -> Vec<Step> {
        let here = self.machine.snapshot();
        let past = self.past(most);
        self.machine.restore(&here);
        past.into_iter().map(|one| one.step).collect()
    }

    /// The last steps. The machine is left somewhere in the past.
    fn past(&mut self, most: usize) -> VecDeque<Past> {
        let mut found: VecDeque<Past> = VecDeque::new();
        let mut end = self.machine.cycles();
        for at in (0..self.timeline.snapshots.len()).rev() {
            let snapshot = self.timeline.snapshots[at].clone();
            if found.len() >= most {
                break;
            }
            if snapshot.cycles() >= end {
                continue;
            }
            let wanted = most - found.len();
            // Steps are short; where they waited in halts it takes a longer way to find so many.
            let mut reach = LONGEST_STEP.saturating_mul(wanted as u64 + 1);
            let mut steps = loop {
                self.machine.restore(&snapshot);
                let skip = end.saturating_sub(reach).max(snapshot.cycles());
                if skip > snapshot.cycles() {
                    self.machine.run(skip, Watching::Nothing);
                }
                let steps = self.replay(end, wanted);
                if steps.len() >= wanted || skip == snapshot.cycles() {
                    break steps;
                }
                reach = reach.saturating_mul(16);
            };
            steps.iter_mut().for_each(|one| one.snapshot = at);
            steps.extend(found);
            found = steps;
            end = snapshot.cycles();
        }
        found
    }

    /// Goes on by single steps to cycle `end`, and gives the last ones, at most `most`.
    fn replay(&mut self, end: u64, most: usize) -> VecDeque<Past> {
        let mut steps = VecDeque::new();
        while self.machine.cycles() < end {
            let begin = self.machine.cycles();
            let step = step::step(&mut self.machine, end);
            if step.stop.is_some() && step.cycles + step.waited == 0 {
                break;
            }
            // Waiting in a halt is no step.
            if !step.nothing_done() {
                steps.push_back(Past { snapshot: 0, begin, step });
            }
            if steps.len() > most {
                steps.pop_front();
            }
        }
        steps
    }
}
