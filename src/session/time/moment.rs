//! Moments of a run, and the ways to them: back, forth, to an instruction by its number, to a cycle.

use super::{Future, Kept, LONGEST_STEP, Past, Session, Step, Timeline, VecDeque, run_on, step};
use crate::machine::Machine;
use serde::Serialize;

/// A moment of a run: between two instructions.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Moment {
    /// The cycle.
    pub cycle: u64,
    /// How many instructions were executed before it.
    pub instructions: u64,
}

impl Moment {
    pub(in crate::session) fn of(machine: &Machine) -> Self {
        Self { cycle: machine.cycles(), instructions: machine.instructions() }
    }
}

/// Why a moment cannot be gone to.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NoMoment {
    /// What is known begins later.
    #[error("what is known of the run begins with instruction {} at cycle {}", .0.instructions + 1, .0.cycle)]
    Before(Moment),
    /// The run has not come so far.
    #[error("the run has come to instruction {} at cycle {}, and no further", .0.instructions, .0.cycle)]
    After(Moment),
    /// The board at the other end of a link keeps nothing of its past.
    #[error("the board at the other end of the link keeps nothing of its past")]
    Linked,
    /// Nothing has been run yet.
    #[error("nothing has been executed yet")]
    Nothing,
}

/// Where this many instructions are left, they are gone one by one.
const NEAR: u64 = 24;

impl Session {
    /// The moment at which the machine stands.
    pub fn moment(&self) -> Moment {
        Moment::of(&self.machine)
    }

    /// The first moment that is known and the last one, where the machine stands in between or at one of them.
    pub fn known(&self) -> Option<(Moment, Moment)> {
        let first = &self.timeline.snapshots.first()?.snapshot;
        let first = Moment { cycle: first.cycles(), instructions: first.instructions() };
        let end = self.timeline.future.as_ref().map_or(self.moment(), |future| future.end);
        Some((first, end.max(self.moment())))
    }

    /// True where the machine stands at an earlier moment than it has been at, and what came then is known.
    pub fn is_in_the_past(&self) -> bool {
        self.timeline.future.as_ref().is_some_and(|future| self.moment() < future.end)
    }

    /// What was done by hand since the beginning of what is known, each with its cycle; what comes later in it, too.
    pub fn acts(&self) -> impl Iterator<Item = &(u64, super::Act)> {
        (0..self.timeline.journal.count()).filter_map(|at| self.timeline.journal.get(at))
    }

    /// Goes to the moment at which so many instructions have been executed, earlier or later in the run that is known. What was done by
    /// hand on the way is done again.
    ///
    /// # Errors
    /// [`NoMoment`] where that moment is not known; the machine stays where it is then.
    pub fn go_to_instruction(&mut self, instructions: u64) -> Result<Moment, NoMoment> {
        self.check(|moment| moment.instructions.cmp(&instructions))?;
        let end = self.known().map_or(0, |known| known.1.cycle);
        // Where it waits in a halt, the first of the moments is meant.
        let at = self.timeline.snapshots.partition_point(|kept| kept.snapshot.instructions() < instructions);
        self.depart(at.max(1), |here| here.instructions < instructions);
        let least = self.least_cycles();
        let Self { machine, timeline, .. } = self;
        let mut next = timeline.done;
        loop {
            let left = instructions - machine.instructions().min(instructions);
            let before = Moment::of(machine);
            if left == 0 || before.cycle >= end {
                break;
            }
            if left > NEAR {
                timeline.bring(machine, &mut next, before.cycle + left * least, &mut run_on);
            }
            // One by one, and where the machine waits in a halt.
            if left <= NEAR || machine.instructions() == before.instructions {
                let count = machine.instructions();
                timeline.bring(machine, &mut next, end, &mut |machine, limit| {
                    if machine.instructions() == count {
                        machine.step(limit, &mut Vec::new());
                    }
                });
            }
            if Moment::of(machine) == before {
                break;
            }
        }
        self.arrive(next);
        Ok(self.moment())
    }

    /// Goes to a cycle, earlier or later in the run that is known: to the first moment between two instructions that is not before it.
    /// What was done by hand on the way is done again.
    ///
    /// # Errors
    /// As [`go_to_instruction`](Self::go_to_instruction).
    pub fn go_to_cycle(&mut self, cycle: u64) -> Result<Moment, NoMoment> {
        self.check(|moment| moment.cycle.cmp(&cycle))?;
        self.bring_to(cycle);
        Ok(self.moment())
    }

    /// Looks whether something lies in what is known, as it compares with its ends.
    fn check(&self, compare: impl Fn(Moment) -> std::cmp::Ordering) -> Result<(), NoMoment> {
        if self.machine.is_linked() {
            return Err(NoMoment::Linked);
        }
        let (first, last) = self.known().ok_or(NoMoment::Nothing)?;
        match (compare(first), compare(last)) {
            (std::cmp::Ordering::Greater, _) => Err(NoMoment::Before(first)),
            (_, std::cmp::Ordering::Less) => Err(NoMoment::After(last)),
            _ => Ok(()),
        }
    }

    /// Goes to a cycle of what is known.
    pub(in crate::session) fn bring_to(&mut self, cycle: u64) {
        let at = self.timeline.snapshots.partition_point(|kept| kept.snapshot.cycles() <= cycle);
        self.depart(at, |here| here.cycle <= cycle);
        let Self { machine, timeline, .. } = self;
        let mut next = timeline.done;
        timeline.bring(machine, &mut next, cycle, &mut run_on);
        self.arrive(next);
    }

    /// Departs for a moment before snapshot `at`: to the snapshot in front of it, unless that is not nearer than where the machine stands.
    fn depart(&mut self, at: usize, is_before: impl Fn(Moment) -> bool) {
        let Some(kept) = at.checked_sub(1).and_then(|at| self.timeline.snapshots.get(at)) else { return };
        let here = self.moment();
        if is_before(here) && here.cycle >= kept.snapshot.cycles() {
            return;
        }
        let Kept { snapshot, acts } = kept.clone();
        let machine = &mut self.machine;
        match &self.timeline.future {
            Some(future) => machine.restore_with(&snapshot, &future.records),
            None => {
                let records = machine.take_records();
                machine.restore_with(&snapshot, &records);
                self.timeline.future = Some(Future { end: here, records });
            }
        }
        self.timeline.done = acts;
        // What was counted is not of this past.
        self.share = None;
    }

    /// The machine has come to where act `next` comes next.
    fn arrive(&mut self, next: usize) {
        self.timeline.done = next;
        let is_at_end = next >= self.timeline.journal.count();
        let end = self.timeline.future.as_ref().map(|future| future.end.cycle);
        if is_at_end && end.is_some_and(|end| self.machine.cycles() >= end) {
            self.timeline.future = None;
        }
    }

    /// The fewest cycles that any instruction takes.
    fn least_cycles(&self) -> u64 {
        let rows = self.processor().rows().iter().map(|row| self.processor().timing(row).range().0);
        rows.min().unwrap_or(1).max(1)
    }

    /// Goes back by `steps` instructions, each [`over`](Self::over) or [`out`](Self::out) taken as one, and returns how many it
    /// could go. Where the operator changed something by hand, that is undone too. [`forth`](Self::forth) leads to where it was, until
    /// something else is done.
    pub fn back(&mut self, steps: usize) -> usize {
        let mut gone = 0;
        while gone < steps && !self.machine.is_linked() {
            let now = self.machine.cycles();
            let leap = self.timeline.leaps.iter().rfind(|leap| leap.1 <= now).copied();
            if let Some((begin, _)) = leap.filter(|leap| leap.1 == now) {
                if self.timeline.before(begin).is_none() {
                    return gone;
                }
                self.bring_to(begin);
                gone += 1;
                continue;
            }
            let mut past = self.past(steps - gone);
            // As far as the last thing that was done in one go.
            let from = leap.map_or(0, |leap| leap.1);
            past.retain(|one| one.begin >= from);
            let Some(first) = past.front() else { return gone };
            self.bring_to(first.begin);
            gone += past.len();
        }
        gone
    }

    /// Goes forth again by `steps` instructions of what is known, each that was [`over`](Self::over) or [`out`](Self::out) taken as one,
    /// what was done by hand in between done again; returns how many it could go.
    pub fn forth(&mut self, steps: usize) -> usize {
        for gone in 0..steps {
            let Some(end) = self.timeline.future.as_ref().map(|future| future.end.cycle) else { return gone };
            let now = self.machine.cycles();
            if now >= end {
                return gone;
            }
            let leap = self.timeline.leaps.iter().find(|leap| leap.0 == now && leap.1 <= end).copied();
            if let Some((_, to)) = leap {
                self.bring_to(to);
                continue;
            }
            let Self { machine, timeline, .. } = self;
            let mut next = timeline.done;
            let mut is_done = false;
            timeline.bring(machine, &mut next, end, &mut |machine, limit| {
                is_done = is_done || !step::step(machine, limit).nothing_done();
            });
            self.arrive(next);
        }
        steps
    }

    /// The last steps that led here, oldest first, at most `most`.
    pub fn history(&mut self, most: usize) -> Vec<Step> {
        self.past(most).into_iter().map(|one| one.step).collect()
    }

    /// The last of the steps that led here for which something holds, at most so many back, and the machine as it was before it.
    pub fn last_step(&mut self, most: usize, holds: impl Fn(&Step) -> bool) -> Option<(Step, Machine)> {
        let past = self.past(most);
        let found = past.into_iter().rev().find(|one| holds(&one.step))?;
        let mut visitor = self.visitor();
        visitor.go_to(self, found.begin);
        Some((found.step, visitor.machine))
    }

    /// The last steps, found on a copy of the machine.
    fn past(&mut self, most: usize) -> VecDeque<Past> {
        let mut found: VecDeque<Past> = VecDeque::new();
        let mut end = self.machine.cycles();
        let mut machine = self.machine.unseen();
        for Kept { snapshot, acts } in self.timeline.snapshots.iter().rev() {
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
                machine.restore(snapshot);
                let mut next = *acts;
                let skip = end.saturating_sub(reach).max(snapshot.cycles());
                self.timeline.bring(&mut machine, &mut next, skip, &mut run_on);
                let steps = self.timeline.steps_to(&mut machine, &mut next, end, wanted);
                if steps.len() >= wanted || skip == snapshot.cycles() {
                    break steps;
                }
                reach = reach.saturating_mul(16);
            };
            steps.extend(found);
            found = steps;
            end = snapshot.cycles();
        }
        found
    }
}

impl Timeline {
    /// Goes on by single steps to cycle `end`, and gives the last ones, at most `most`.
    fn steps_to(&self, machine: &mut Machine, next: &mut usize, end: u64, most: usize) -> VecDeque<Past> {
        let mut steps = VecDeque::new();
        self.bring(machine, next, end, &mut |machine, limit| {
            let begin = machine.cycles();
            let step = step::step(machine, limit);
            // Waiting in a halt is not a step.
            if !step.nothing_done() {
                steps.push_back(Past { begin, step });
            }
            if steps.len() > most {
                steps.pop_front();
            }
        });
        steps
    }
}
