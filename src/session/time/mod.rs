//! Going back: snapshots now and then, a journal of what was done by hand, and exact replay.
//!
//! A machine is deterministic, so that a snapshot, the number of cycles since and what was done by hand in them are enough to be
//! anywhere again.

mod departure;
mod journal;

pub use departure::Departure;
pub(super) use journal::puts;
pub use journal::{Act, DiskFiles, Stretch};

use super::{Session, Step, step};
use crate::machine::{Machine, Snapshot, Watching};
use journal::Journal;
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

/// A snapshot, and how many acts came before it.
#[derive(Debug, Clone)]
struct Kept {
    snapshot: Snapshot,
    acts: usize,
}

/// The past of a session, the oldest first.
#[derive(Debug, Clone, Default)]
pub(super) struct Timeline {
    snapshots: VecDeque<Kept>,
    journal: Journal,
    /// What was done in one go, from cycle to cycle, though it is many steps.
    leaps: Vec<(u64, u64)>,
}

impl Timeline {
    pub fn clear(&mut self) {
        *self = Self::default();
    }

    /// What goes from one cycle to the other is taken back as one.
    pub(crate) fn leap(&mut self, begin: u64, end: u64) {
        if !self.snapshots.is_empty() {
            self.leaps.push((begin, end));
        }
    }

    /// Brings a machine that stands where act `next` comes next to cycle `to`, the acts on the way done again. `go` takes it on,
    /// at most to a cycle. Acts at cycle `to` are done, too: they came before whatever goes on from there.
    fn bring(&self, machine: &mut Machine, next: &mut usize, to: u64, go: &mut dyn FnMut(&mut Machine, u64)) {
        loop {
            let mut act = self.journal.get(*next);
            while let Some((_, due)) = act.filter(|(at, _)| *at <= machine.cycles()) {
                due.on(machine);
                *next += 1;
                act = self.journal.get(*next);
            }
            let before = machine.cycles();
            if before >= to {
                return;
            }
            go(machine, act.map_or(to, |(at, _)| to.min(*at)));
            if machine.cycles() == before {
                return;
            }
        }
    }
}

impl Session {
    /// Does something by hand, and notes it. False where the machine has nothing of the kind.
    pub(super) fn act(&mut self, act: Act) -> bool {
        let now = self.machine.cycles();
        let done = act.on(&mut self.machine);
        if done && let Some(recording) = &mut self.recording {
            recording.note(now, &act);
        }
        // Before the first snapshot there is nothing to come back to.
        if done && !self.timeline.snapshots.is_empty() {
            self.timeline.journal.note(now, act);
        }
        done
    }

    /// Takes a snapshot where one is due.
    #[inline]
    pub(super) fn remember(&mut self) {
        if self.recording.is_some() {
            self.take_mark();
        }
        // What a board at the other end of a line has done it cannot take back.
        if self.machine.is_linked() {
            return;
        }
        let now = self.machine.cycles();
        if self.timeline.snapshots.back().is_none_or(|last| now >= last.snapshot.cycles() + APART) {
            self.take_snapshot();
        }
    }

    #[cold]
    fn take_snapshot(&mut self) {
        let Timeline { snapshots, journal, .. } = &mut self.timeline;
        if snapshots.len() >= MOST {
            snapshots.pop_front();
        }
        let snapshot = self.machine.snapshot_beside(snapshots.back().map(|kept| &kept.snapshot));
        snapshots.push_back(Kept { snapshot, acts: journal.count() });
        journal.forget(snapshots.front().map_or(0, |first| first.acts));
    }

    /// Goes back by `steps` instructions, each [`over`](Self::over) or [`out`](Self::out) taken as one, and returns how many it
    /// could go. Where the operator changed something by hand, that is undone too.
    pub fn back(&mut self, steps: usize) -> usize {
        let mut gone = 0;
        while gone < steps {
            let now = self.machine.cycles();
            self.timeline.leaps.retain(|leap| leap.1 <= now);
            let leap = self.timeline.leaps.last().copied();
            if let Some((begin, _)) = leap.filter(|leap| leap.1 == now) {
                let before = |kept: &Kept| kept.snapshot.cycles() <= begin;
                let Some(at) = self.timeline.snapshots.iter().rposition(before) else { return gone };
                self.return_to(at, begin);
                gone += 1;
                continue;
            }
            let here = self.machine.snapshot();
            let mut past = self.past(steps - gone);
            // As far as the last thing that was done in one go.
            let from = leap.map_or(0, |leap| leap.1);
            past.retain(|one| one.begin >= from);
            let Some(first) = past.front() else {
                self.machine.restore(&here);
                return gone;
            };
            self.return_to(first.snapshot, first.begin);
            gone += past.len();
        }
        gone
    }

    /// Back to a cycle behind a snapshot; what came later is forgotten.
    fn return_to(&mut self, at: usize, cycle: u64) {
        let Kept { snapshot, acts: mut next } = self.timeline.snapshots[at].clone();
        self.machine.restore(&snapshot);
        self.timeline.bring(&mut self.machine, &mut next, cycle, &mut run_on);
        self.timeline.snapshots.truncate(at + 1);
        // What was counted is not of this past.
        self.share = None;
        self.timeline.journal.take_back(next);
        if let Some(recording) = &mut self.recording {
            recording.take_back(self.machine.cycles());
        }
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
            let Kept { snapshot, acts } = self.timeline.snapshots[at].clone();
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
                let mut next = acts;
                let skip = end.saturating_sub(reach).max(snapshot.cycles());
                self.timeline.bring(&mut self.machine, &mut next, skip, &mut run_on);
                let steps = self.steps_to(&mut next, end, wanted);
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
    fn steps_to(&mut self, next: &mut usize, end: u64, most: usize) -> VecDeque<Past> {
        let mut steps = VecDeque::new();
        self.timeline.bring(&mut self.machine, next, end, &mut |machine, limit| {
            let begin = machine.cycles();
            let step = step::step(machine, limit);
            // Waiting in a halt is no step.
            if !step.nothing_done() {
                steps.push_back(Past { snapshot: 0, begin, step });
            }
            if steps.len() > most {
                steps.pop_front();
            }
        });
        steps
    }
}

/// Takes a machine on, past halts that the operator let it go on from.
fn run_on(machine: &mut Machine, limit: u64) {
    machine.run(limit, Watching::Nothing);
}
