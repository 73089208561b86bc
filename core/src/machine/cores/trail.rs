//! A trail: every instruction that a run did and every access of it, in order, told in long rows.
//!
//! PERF: what a row has room for is noted without a call, as [`Each`](super::observe::Watching::Each) notes addresses; whoever wants to
//! know what was read and written can follow a run at a fraction of the cost of single steps.

use super::bus::{Access, Noted};
use super::observe::Observe;
use crate::machine::chip::Misuse;
use crate::processor::{Tally, Watch};
use std::cell::{Cell, RefCell};

/// Something that a run did.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Done {
    /// What it was.
    pub what: What,
    /// False where a write had no effect.
    pub took_effect: bool,
    /// The address or the port.
    pub address: u32,
    /// The value that was read or written; of an instruction the cycle that it began at.
    pub value: u64,
    /// Of a write the value that the cell had before.
    pub before: u64,
}

/// What a run did.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum What {
    /// An instruction began. The accesses that follow are its.
    Instruction,
    /// The accesses that follow are of no instruction: an interrupt is taken, or nothing follows.
    Between,
    /// A data cell was read.
    Read,
    /// A cell was written.
    Write,
    /// A port was read.
    In,
    /// A port was written.
    Out,
    /// The access that follows is against the chip's data sheet: the value is a [`Misuse`] by its place in [`Misuse::ALL`].
    Misused,
    /// A service put a cell into memory.
    Served,
    /// A service gave a register another value: its place in the set's list for the address.
    ServedRegister,
}

/// A stretch of what a run did, and memory as it is at its end.
#[derive(Clone, Copy)]
pub struct TrailRow<'a> {
    entries: &'a [Cell<Done>],
    more: &'a [Done],
    memory: &'a dyn Fn(u32) -> u64,
}

impl TrailRow<'_> {
    /// How many things were done.
    pub fn len(&self) -> usize {
        self.entries.len() + self.more.len()
    }

    /// True where nothing was done.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// What was done, by its place.
    #[inline]
    pub fn get(&self, at: usize) -> Option<Done> {
        match self.entries.get(at) {
            Some(entry) => Some(entry.get()),
            None => self.more.get(at - self.entries.len()).copied(),
        }
    }

    /// One after the other.
    pub fn iter(&self) -> impl Iterator<Item = Done> {
        self.entries.iter().map(Cell::get).chain(self.more.iter().copied())
    }

    /// The cell at an address as it was in front of what was done at a place.
    pub fn cell_before(&self, at: usize, address: u32) -> u64 {
        let writes = |one: &Done| matches!(one.what, What::Write | What::Served) && one.took_effect;
        let later = (at..self.len()).filter_map(|at| self.get(at));
        let first = later.into_iter().find(|one| one.address == address && writes(one));
        first.map_or_else(|| (self.memory)(address), |one| one.before)
    }
}

/// Sees what a run did, much in a row with a call.
pub type TrailCallback<'a> = &'a mut dyn FnMut(TrailRow<'_>);

/// The instruction that begins at this address is not told, nor what it does where that is not told.
pub const QUIET_CODE: u8 = 1;
/// Reads of this address are not told where the instruction is not.
pub const QUIET_READ: u8 = 2;
/// Writes to it likewise.
pub const QUIET_WRITE: u8 = 4;
/// A write to it is told before the next instruction, since that may be another one then.
pub const CODE_CELL: u8 = 8;

/// What of a run is told: for each address some of these bits. Addresses after its end are told.
pub type TrailMarks = [Cell<u8>];

/// Tells what was no instruction's doing.
pub(in crate::machine) fn tell_alone(
    all: &[Done],
    memory: &dyn Fn(u32) -> u64,
    callback: &mut dyn FnMut(TrailRow<'_>),
) {
    callback(TrailRow { entries: &[], more: all, memory });
}

/// How much is noted before it is told.
const ROOM: usize = 2048;
/// So much an instruction may do beyond that.
const SPARE: usize = 64;

/// Room for what a run does between two calls of whoever is told.
pub(in crate::machine) struct Trail {
    entries: Box<[Cell<Done>; ROOM]>,
    count: Cell<usize>,
    /// What did not find room: of an instruction that moves many cells.
    more: RefCell<Vec<Done>>,
    /// The instruction that is being executed, and when it began.
    place: Cell<u32>,
    time: Cell<i64>,
    /// The marks of addresses that keep their accesses quiet: none of them where the instruction is told.
    hush: Cell<u8>,
    begin: Cell<Tally>,
    /// The marks of addresses that keep their instructions quiet: none of them where what was noted is to be told before the next one.
    calm: Cell<u8>,
}

/// Accesses are quiet where their addresses are.
const HUSHED: u8 = QUIET_READ | QUIET_WRITE;

const NOTHING: Done = Done { what: What::Between, took_effect: true, address: 0, value: 0, before: 0 };

impl Trail {
    pub fn new() -> Self {
        let entries: Box<[Cell<Done>]> = vec![Cell::new(NOTHING); ROOM].into();
        let Ok(entries) = entries.try_into() else { unreachable!("there are so many") };
        let begin = Cell::new(Tally::new(0, 0));
        let (place, time, hush) = (Cell::new(0), Cell::new(0), Cell::new(0));
        let calm = Cell::new(QUIET_CODE);
        Self { entries, count: Cell::new(0), more: RefCell::default(), place, time, hush, begin, calm }
    }

    #[inline(always)]
    fn note(&self, done: Done) {
        let at = self.count.get();
        match self.entries.get(at) {
            Some(entry) => {
                entry.set(done);
                self.count.set(at + 1);
                if at >= ROOM - SPARE {
                    self.calm.set(0);
                }
            }
            None => self.note_more(done),
        }
    }

    #[cold]
    #[inline(never)]
    fn note_more(&self, done: Done) {
        self.more.borrow_mut().push(done);
    }

    /// Tells what was noted, and forgets it.
    pub fn tell(&mut self, memory: &dyn Fn(u32) -> u64, callback: &mut dyn FnMut(TrailRow<'_>)) {
        let Self { entries, count, more, calm, .. } = self;
        calm.set(QUIET_CODE);
        let more = more.get_mut();
        let noted = &entries[..count.replace(0)];
        if !noted.is_empty() {
            callback(TrailRow { entries: noted, more, memory });
        }
        more.clear();
    }
}

/// A trail, where one was needed. A copy of a machine makes its own.
#[derive(Default)]
pub(in crate::machine) struct TrailRoom(pub Option<Box<Trail>>);

impl std::fmt::Debug for TrailRoom {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("TrailRoom")
    }
}

impl Clone for TrailRoom {
    fn clone(&self) -> Self {
        Self(None)
    }
}

impl Trail {
    /// Notes the instruction that is being executed.
    #[inline(never)]
    fn note_instruction(&self) {
        let (address, value) = (self.place.get(), self.begin.get().at(self.time.get()));
        self.note(Done { what: What::Instruction, took_effect: true, address, value, before: 0 });
        self.hush.set(0);
    }

    /// Notes an access, and the instruction that it belongs to where that is not noted yet.
    #[inline(never)]
    fn note_access(&self, what: What, noted: Noted) {
        if self.hush.get() != 0 {
            self.note_instruction();
        }
        let Noted { address, value, took_effect, before, .. } = noted;
        self.note(Done { what, took_effect, address, value, before });
    }
}

/// Leaves a trail of what is to be told.
///
/// PERF: what is not told costs a look at a byte, so that whoever waits for what is seldom pays little more than for stops.
#[derive(Clone, Copy)]
pub(in crate::machine) struct OnTrail<'a> {
    pub trail: &'a Trail,
    pub marks: &'a TrailMarks,
}

impl OnTrail<'_> {
    #[inline(always)]
    fn is_quiet(&self, address: u32, bit: u8) -> bool {
        self.marks.get(address as usize).is_some_and(|mark| mark.get() & bit != 0)
    }
}

impl Observe for OnTrail<'_> {
    const SEES: bool = true;

    #[inline(always)]
    fn saw(&mut self, noted: Noted) {
        let (what, bit) = match noted.access {
            Access::Fetch => return,
            Access::Read => (What::Read, QUIET_READ),
            Access::Write => (What::Write, QUIET_WRITE),
            Access::In => (What::In, 0),
            Access::Out => (What::Out, 0),
        };
        let is_lost = noted.access == Access::Write && !noted.took_effect;
        if is_lost || !self.is_quiet(noted.address, bit & self.trail.hush.get()) {
            self.trail.note_access(what, noted);
            if bit == QUIET_WRITE && self.is_quiet(noted.address, CODE_CELL) {
                self.trail.calm.set(0);
            }
        }
    }

    fn before_chip(&mut self, find: impl FnOnce() -> Option<(u32, Misuse)>) {
        let Some((address, misuse)) = find() else { return };
        if self.trail.hush.get() != 0 {
            self.trail.note_instruction();
        }
        let value = misuse as u64;
        self.trail.note(Done { what: What::Misused, took_effect: true, address, value, before: 0 });
    }

    fn goes_on(&mut self, on: bool) {
        if !on {
            return self.trail.note(NOTHING);
        }
        let last = self.trail.count.get().wrapping_sub(1);
        if self.trail.entries.get(last).is_some_and(|entry| entry.get().what == What::Between) {
            self.trail.count.set(last);
        }
    }
}

/// What a run loop keeps at hand.
pub(in crate::machine) struct Leaving<'l> {
    on: OnTrail<'l>,
    /// Where the last instruction was noted, and how many had been done before it.
    last: Option<(usize, u32)>,
}

impl Leaving<'_> {
    /// An instruction that is told comes next, unless there is no room or what was noted has to be told first.
    #[inline(never)]
    fn told(&mut self, pc: u32, tally: Tally) -> bool {
        let trail = self.on.trail;
        if trail.calm.get() == 0 {
            return true;
        }
        trail.place.set(pc);
        trail.time.set(tally.raw());
        self.last = Some((trail.count.get(), tally.count()));
        trail.note_instruction();
        false
    }
}

impl Watch for OnTrail<'_> {
    type Local<'l>
        = Leaving<'l>
    where
        Self: 'l;

    fn local(&mut self, begin: Tally) -> Self::Local<'_> {
        self.trail.begin.set(begin);
        Leaving { on: *self, last: None }
    }

    #[inline(always)]
    fn before<'l>(local: &mut Self::Local<'l>, pc: u32, tally: Tally) -> bool
    where
        Self: 'l,
    {
        let trail = local.on.trail;
        if local.on.is_quiet(pc, trail.calm.get()) {
            trail.place.set(pc);
            trail.time.set(tally.raw());
            trail.hush.set(HUSHED);
            return false;
        }
        local.told(pc, tally)
    }

    fn after<'l>(local: Self::Local<'l>, tally: Tally)
    where
        Self: 'l,
    {
        let trail = local.on.trail;
        // What could not be done is not told.
        if let Some((at, count)) = local.last
            && tally.count() == count
        {
            trail.count.set(at);
        }
        trail.hush.set(0);
        trail.note(NOTHING);
    }
}
