//! The past of a session: snapshots now and then, a journal of what was done by hand, and exact replay.
//!
//! A machine is deterministic, so that a snapshot, the number of cycles since and what was done by hand in them are enough to be
//! anywhere again. Who goes back keeps what came later, and can go forth to it, until something else is done.

mod departure;
mod journal;
mod moment;

pub use departure::Departure;
pub(super) use journal::puts;
pub use journal::{Act, DiskFiles, Stretch};
pub use moment::{Moment, NoMoment};

use super::{Session, Step, step};
use crate::machine::{Machine, Records, Snapshot, Watching};
use journal::Journal;
use std::collections::VecDeque;

/// Bytes that the snapshots of a session may hold together, where nobody says otherwise.
pub(super) const PAST_BYTES: usize = 64 << 20;
/// Cycles between two snapshots at first. Where there is no more room every second one goes, and they stand twice as far apart.
const APART: u64 = 4_000_000;
/// PERF: a large memory takes longer to copy, so that its snapshots stand further apart: so many cycles for each byte.
const CYCLES_PER_BYTE: u64 = 20;
/// More than any instruction with an interrupt takes.
const LONGEST_STEP: u64 = 256;

/// A step of the past, and the cycle it began at.
struct Past {
    begin: u64,
    step: Step,
}

/// A snapshot, and how many acts came before it.
#[derive(Debug, Clone)]
struct Kept {
    snapshot: Snapshot,
    acts: usize,
}

impl Kept {
    /// About how many bytes it holds that the one before it does not share.
    fn bytes_beside(&self, earlier: Option<&Self>) -> usize {
        self.snapshot.bytes_beside(earlier.map(|kept| &kept.snapshot))
    }
}

/// What is known of the run of a session, the oldest first.
#[derive(Debug, Clone)]
pub(super) struct Timeline {
    snapshots: Vec<Kept>,
    journal: Journal,
    /// What was done in one go, from cycle to cycle, though it is many steps.
    leaps: Vec<(u64, u64)>,
    /// How many of the acts are done where the machine stands.
    done: usize,
    /// What came later, where somebody went back from it.
    future: Option<Future>,
    /// Cycles between two snapshots.
    apart: u64,
    /// Bytes that the snapshots hold, and may hold.
    bytes: usize,
    most_bytes: usize,
    /// A program has been loaded: what is done by hand from then on is part of its run.
    has_program: bool,
    /// How often another future has begun: what was found out of the one before does not hold.
    futures: u64,
}

/// The latest moment that is known, where the machine stands before it.
#[derive(Debug, Clone)]
struct Future {
    end: Moment,
    records: Records,
}

impl Default for Timeline {
    fn default() -> Self {
        Self {
            snapshots: Vec::new(),
            journal: Journal::default(),
            leaps: Vec::new(),
            done: 0,
            future: None,
            apart: APART,
            bytes: 0,
            most_bytes: PAST_BYTES,
            has_program: false,
            futures: 0,
        }
    }
}

impl Timeline {
    pub fn clear(&mut self) {
        *self = Self { most_bytes: self.most_bytes, futures: self.futures + 1, ..Self::default() };
    }

    /// A program has been loaded.
    pub fn begin(&mut self) {
        self.has_program = true;
    }

    /// What goes from one cycle to the other is taken back as one.
    pub(crate) fn leap(&mut self, begin: u64, end: u64) {
        let at = self.leaps.partition_point(|leap| leap.1 < end);
        let is_known = self.leaps[at..].iter().take_while(|leap| leap.1 == end).any(|leap| leap.0 == begin);
        if !self.snapshots.is_empty() && !is_known {
            self.leaps.insert(at, (begin, end));
        }
    }

    /// Something else comes than what had come: from this cycle on nothing is known any more.
    fn begin_anew(&mut self, now: u64) {
        if self.future.take().is_some() {
            self.futures += 1;
            self.snapshots.retain(|kept| kept.snapshot.cycles() <= now && kept.acts <= self.done);
            self.count_bytes();
            self.leaps.retain(|leap| leap.1 <= now);
            self.journal.take_back(self.done);
        }
    }

    /// What a snapshot that has gone had shared with a later one is the later one's own.
    fn count_bytes(&mut self) {
        let earlier = std::iter::once(None).chain(self.snapshots.iter().map(Some));
        let bytes = self.snapshots.iter().zip(earlier).map(|(kept, earlier)| kept.bytes_beside(earlier));
        self.bytes = bytes.sum();
    }

    /// Where there is no more room every second snapshot goes: that leaves the way to every moment at most twice as long.
    fn make_room(&mut self) {
        while self.bytes > self.most_bytes && self.snapshots.len() > 2 {
            let mut number = 0;
            self.snapshots.retain(|_| {
                number += 1;
                number % 2 == 1
            });
            self.count_bytes();
            self.apart = self.apart.saturating_mul(2);
        }
    }

    /// The last snapshot at a cycle or before it that comes before so many acts.
    fn before(&self, cycle: u64) -> Option<&Kept> {
        let at = self.snapshots.partition_point(|kept| kept.snapshot.cycles() <= cycle);
        self.snapshots.get(at.checked_sub(1)?)
    }

    /// Brings a machine that stands where act `next` comes next to cycle `to`, the acts on the way done again. `go` takes it on,
    /// at most to a cycle. Acts at cycle `to` are done, too: they came before whatever goes on from there.
    fn bring(&self, machine: &mut Machine, next: &mut usize, to: u64, go: &mut dyn FnMut(&mut Machine, u64)) {
        self.bring_told(machine, next, to, &mut |machine, way| {
            if let Way::To(limit) = way {
                go(machine, limit);
            }
        });
    }

    /// The snapshots, each with the number of acts before it, the oldest first.
    pub(super) fn snapshots(&self) -> impl DoubleEndedIterator<Item = (&Snapshot, usize)> {
        self.snapshots.iter().map(|kept| (&kept.snapshot, kept.acts))
    }

    /// How often another future has begun.
    pub(super) fn futures(&self) -> u64 {
        self.futures
    }

    /// How many acts are done where the machine stands.
    pub(super) fn done(&self) -> usize {
        self.done
    }

    /// Takes a machine to a cycle.
    pub(super) fn go(&self, machine: &mut Machine, next: &mut usize, to: u64) {
        self.bring(machine, next, to, &mut run_on);
    }

    /// The act of a number.
    pub(super) fn act(&self, number: usize) -> Option<&Act> {
        self.journal.get(number).map(|row| &row.1)
    }

    /// The same, each act told when it has been done.
    pub(super) fn bring_told(
        &self,
        machine: &mut Machine,
        next: &mut usize,
        to: u64,
        go: &mut dyn FnMut(&mut Machine, Way),
    ) {
        loop {
            let mut act = self.journal.get(*next);
            while let Some((_, due)) = act.filter(|(at, _)| *at <= machine.cycles()) {
                due.on(machine);
                go(machine, Way::Acted(*next));
                *next += 1;
                act = self.journal.get(*next);
            }
            let before = machine.cycles();
            if before >= to {
                return;
            }
            go(machine, Way::To(act.map_or(to, |(at, _)| to.min(*at))));
            if machine.cycles() == before {
                return;
            }
        }
    }
}

/// The way of a machine that is brought somewhere.
pub(super) enum Way {
    /// It is to be taken on, at most to this cycle.
    To(u64),
    /// An act of this number has been done.
    Acted(usize),
}

impl Session {
    /// Does something by hand, and notes it. False where the machine has nothing of the kind.
    pub(super) fn act(&mut self, act: Act) -> bool {
        if self.timeline.has_program && self.timeline.snapshots.is_empty() {
            self.remember();
        }
        let now = self.machine.cycles();
        let done = act.on(&mut self.machine);
        if done {
            self.begin_anew(now);
        }
        if done && act == Act::Anew {
            // Cycles are counted from here: what was before has no place any more.
            let has_program = self.timeline.has_program;
            self.timeline.clear();
            self.timeline.has_program = has_program;
        }
        if done && let Some(recording) = &mut self.recording {
            recording.note(now, &act);
        }
        // Before the first snapshot there is nothing to come back to.
        if done && !self.timeline.snapshots.is_empty() {
            self.timeline.journal.note(now, act);
            self.timeline.done = self.timeline.journal.count();
        }
        done
    }

    /// What was known to come later is not what comes now.
    fn begin_anew(&mut self, now: u64) {
        if self.timeline.future.is_some() {
            self.timeline.begin_anew(now);
            if let Some(recording) = &mut self.recording {
                recording.take_back(now);
            }
        }
    }

    /// How many bytes the session may keep of its past; 64 MB where nothing is said. With less, the way to a moment is longer.
    pub fn keep_of_past(&mut self, bytes: usize) {
        self.timeline.most_bytes = bytes;
        self.timeline.make_room();
    }

    /// About how many bytes it keeps of its past.
    pub fn kept_of_past(&self) -> usize {
        self.timeline.bytes
    }

    /// Takes a snapshot where one is due.
    #[inline]
    pub(super) fn remember(&mut self) {
        if self.timeline.future.is_some() {
            self.go_on_in_the_past();
        }
        if self.recording.is_some() {
            self.take_mark();
        }
        // What a board at the other end of a line has done it cannot take back.
        if self.machine.is_linked() {
            return;
        }
        let now = self.machine.cycles();
        let Timeline { snapshots, apart, .. } = &self.timeline;
        if snapshots.last().is_none_or(|last| now >= last.snapshot.cycles() + apart) {
            self.take_snapshot();
        }
    }

    /// The machine goes on by itself from a moment of the past. Without what was done by hand later on, it goes another way.
    #[cold]
    fn go_on_in_the_past(&mut self) {
        let Some(future) = &self.timeline.future else { return };
        if self.timeline.done < self.timeline.journal.count() {
            self.begin_anew(self.machine.cycles());
        } else if self.machine.cycles() >= future.end.cycle {
            self.timeline.future = None;
        }
    }

    #[cold]
    fn take_snapshot(&mut self) {
        let timeline = &mut self.timeline;
        let last = timeline.snapshots.last();
        let snapshot = self.machine.snapshot_beside(last.map(|kept| &kept.snapshot));
        let kept = Kept { snapshot, acts: timeline.done };
        let bytes = kept.bytes_beside(last);
        if last.is_none() {
            timeline.apart = APART.max(CYCLES_PER_BYTE * bytes as u64);
        }
        timeline.bytes += bytes;
        timeline.snapshots.push(kept);
        timeline.make_room();
    }
}

/// Takes a machine on, past halts that the operator let it go on from.
fn run_on(machine: &mut Machine, limit: u64) {
    machine.run(limit, Watching::Nothing);
}
