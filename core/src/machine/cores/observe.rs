//! What is observed while a machine runs: accesses, addresses to stop at, every instruction, or nothing.
//!
//! Here alone it is chosen which run loops there are; another observer is another type that implements [`Observe`] and a line in
//! [`run`].

use super::Core;
use super::bus::{CHECKED, MAPPED, Noted, PLAIN};
use super::trail::{Leaving, OnTrail, Trail, TrailCallback, TrailMarks};
use crate::machine::chip::Misuse;
use crate::machine::io::Io;
use crate::processor::{Exit, NoWatch, Tally, Watch};

/// Sees every access on a bus. The run loops are compiled for each observer, so that [`Unseen`] costs nothing.
pub(super) trait Observe {
    /// False where nothing is looked at.
    const SEES: bool;

    /// An access was done.
    fn saw(&mut self, noted: Noted);
    /// A chip is accessed next; `find` tells what its data sheet says against that.
    fn before_chip(&mut self, _find: impl FnOnce() -> Option<(u32, Misuse)>) {}
    /// The accesses that follow belong to the instruction that was executed last, or they do no more.
    fn goes_on(&mut self, _on: bool) {}
}

/// Sees nothing.
pub(super) struct Unseen;

impl Observe for Unseen {
    const SEES: bool = false;

    #[inline(always)]
    fn saw(&mut self, _: Noted) {}
}

/// Whoever sees the accesses on the checked bus.
pub(super) enum AnyObserver<'a> {
    Nobody,
    Notes(&'a mut Vec<Noted>),
    Trail(OnTrail<'a>),
}

impl Observe for AnyObserver<'_> {
    const SEES: bool = true;

    #[inline]
    fn saw(&mut self, noted: Noted) {
        match self {
            AnyObserver::Nobody => {}
            AnyObserver::Notes(notes) => notes.push(noted),
            AnyObserver::Trail(trail) => trail.saw(noted),
        }
    }

    fn before_chip(&mut self, find: impl FnOnce() -> Option<(u32, Misuse)>) {
        if let AnyObserver::Trail(trail) = self {
            trail.before_chip(find);
        }
    }

    fn goes_on(&mut self, on: bool) {
        if let AnyObserver::Trail(trail) = self {
            trail.goes_on(on);
        }
    }
}

/// A processor with its memory, for whose buses the loops are compiled.
pub(super) trait Observed: Core {
    /// Its loops are compiled for the checked bus, and no other.
    const SELDOM: bool;
    /// Chips may answer at addresses of its memory.
    const MAPS: bool;

    /// The form of bus that it needs now: [`PLAIN`], [`MAPPED`] or [`CHECKED`].
    fn mode(&self, io: &Io) -> u8;
    /// Room for what is noted of each instruction between two calls of whoever sees them.
    fn room(&mut self) -> &mut Option<Box<Notes>>;
    /// Room for the trail of a run between two calls of whoever follows it.
    fn trail(&mut self) -> &mut Option<Box<Trail>>;
    /// The largest address.
    fn last_address(&self) -> u32;
    /// Runs to cycle `limit` on a form of bus.
    fn run_on<const MODE: u8, O: Observe, W: Watch>(
        &mut self,
        io: &mut Io,
        observer: O,
        watch: &mut W,
        limit: u64,
    ) -> Exit;
}

/// Runs a slice with what is watched in it.
///
/// PERF: each combination of bus, observer and watcher is a loop of its own of 256 arms and costs a second of build time; only those
/// are made that earn it. On the checked bus, which looks at every access anyway, one loop does everything.
pub(super) fn run<R: Observed>(core: &mut R, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit {
    let mode = core.mode(io);
    if R::SELDOM || mode == CHECKED || matches!(watching, Watching::Step(_)) {
        return run_checked(core, io, watching, limit);
    }
    macro_rules! run {
        ($core:ident, $io:ident, $watch:expr) => {
            match mode {
                MAPPED if R::MAPS => $core.run_on::<MAPPED, _, _>($io, Unseen, $watch, limit),
                _ => $core.run_on::<PLAIN, _, _>($io, Unseen, $watch, limit),
            }
        };
    }
    let marks = watching.marks();
    match (watching, marks) {
        (Watching::Trail(marks, callback), _) => trail(core, marks, callback, |core, on| match mode {
            MAPPED if R::MAPS => core.run_on::<MAPPED, _, _>(io, on, &mut { on }, limit),
            _ => core.run_on::<PLAIN, _, _>(io, on, &mut { on }, limit),
        }),
        (Watching::Each(callback), _) => each(core, callback, |core, mut each| run!(core, io, &mut each)),
        (Watching::Stops(stops), Some(marks)) => {
            to_stop(core, io, stops, limit, |core, io| run!(core, io, &mut AtStops(marks)))
        }
        _ => run!(core, io, &mut NoWatch),
    }
}

/// The same on the bus that can do everything, by the one loop that is made for it.
#[cold]
fn run_checked<R: Observed>(core: &mut R, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit {
    let marks = watching.marks();
    match (watching, marks) {
        (Watching::Step(notes), _) => {
            core.run_on::<CHECKED, _, _>(io, AnyObserver::Notes(notes), &mut AnyWatch::Nothing, limit)
        }
        (Watching::Trail(marks, callback), _) => trail(core, marks, callback, |core, on| {
            core.run_on::<CHECKED, _, _>(io, AnyObserver::Trail(on), &mut AnyWatch::Trail(on), limit)
        }),
        (Watching::Each(callback), _) => each(core, callback, |core, each| {
            core.run_on::<CHECKED, _, _>(io, AnyObserver::Nobody, &mut AnyWatch::Each(each), limit)
        }),
        (Watching::Stops(stops), Some(marks)) => to_stop(core, io, stops, limit, |core, io| {
            core.run_on::<CHECKED, _, _>(io, AnyObserver::Nobody, &mut AnyWatch::Stops(AtStops(marks)), limit)
        }),
        _ => core.run_on::<CHECKED, _, _>(io, AnyObserver::Nobody, &mut AnyWatch::Nothing, limit),
    }
}

/// Runs on as often as the notes are full and told.
fn each<R: Observed>(
    core: &mut R,
    callback: &mut Callback<'_>,
    mut run: impl FnMut(&mut R, EachInstruction<'_>) -> Exit,
) -> Exit {
    let mut room = core.room().take().unwrap_or_else(Notes::boxed);
    let exit = loop {
        let exit = run(core, EachInstruction::new(&mut room, callback));
        if exit != Exit::Watched {
            break exit;
        }
    };
    *core.room() = Some(room);
    exit
}

/// Runs on as often as the trail is full and told.
fn trail<R: Observed>(
    core: &mut R,
    marks: &TrailMarks,
    callback: &mut TrailCallback<'_>,
    mut run: impl FnMut(&mut R, OnTrail<'_>) -> Exit,
) -> Exit {
    let mut trail = core.trail().take().unwrap_or_else(|| Box::new(Trail::new()));
    let exit = loop {
        let exit = run(core, OnTrail { trail: &trail, marks });
        trail.tell(&|address| core.cell(address), callback);
        if exit != Exit::Watched {
            break exit;
        }
    };
    *core.trail() = Some(trail);
    exit
}

/// Runs to one of the addresses, past marks that are other addresses'.
fn to_stop<R: Observed>(
    core: &mut R,
    io: &mut Io,
    stops: &StopMap,
    limit: u64,
    mut run: impl FnMut(&mut R, &mut Io) -> Exit,
) -> Exit {
    loop {
        let exit = run(core, io);
        if !is_shared(core, stops, exit) {
            return exit;
        }
        if let Some(exit) = pass_mark(core, io, limit) {
            return exit;
        }
    }
}

/// True where a run stopped at a mark that is another address's.
fn is_shared(core: &impl Observed, stops: &StopMap, exit: Exit) -> bool {
    let shared = exit == Exit::Watched && core.last_address() as usize >= MARKS;
    shared && !stops.contains(core.place())
}

/// Executes the instruction at such a mark; why the run ends there, where it does.
fn pass_mark(core: &mut impl Observed, io: &mut Io, limit: u64) -> Option<Exit> {
    let until = core.now() + 1;
    match core.run_on::<CHECKED, _, _>(io, AnyObserver::Nobody, &mut AnyWatch::Nothing, until) {
        Exit::Limit if core.now() < limit => None,
        exit => Some(exit),
    }
}

/// Any of the watchers, looked up at each instruction.
enum AnyWatch<'a> {
    Nothing,
    Stops(AtStops<'a>),
    Each(EachInstruction<'a>),
    Trail(OnTrail<'a>),
}

/// What it keeps at hand.
enum AnyLocal<'l> {
    Nothing,
    Stops(&'l Marks),
    Each((&'l mut Notes, &'l mut usize)),
    Trail(Leaving<'l>),
}

impl Watch for AnyWatch<'_> {
    type Local<'l>
        = AnyLocal<'l>
    where
        Self: 'l;

    fn local(&mut self, begin: Tally) -> Self::Local<'_> {
        match self {
            AnyWatch::Nothing => AnyLocal::Nothing,
            AnyWatch::Stops(stops) => AnyLocal::Stops(stops.local(begin)),
            AnyWatch::Each(each) => AnyLocal::Each(each.local(begin)),
            AnyWatch::Trail(trail) => AnyLocal::Trail(trail.local(begin)),
        }
    }

    #[inline]
    fn before<'l>(local: &mut Self::Local<'l>, pc: u32, tally: Tally) -> bool
    where
        Self: 'l,
    {
        match local {
            AnyLocal::Nothing => false,
            AnyLocal::Stops(marks) => AtStops::before(marks, pc, tally),
            AnyLocal::Each(each) => EachInstruction::before(each, pc, tally),
            AnyLocal::Trail(trail) => OnTrail::before(trail, pc, tally),
        }
    }

    fn after<'l>(local: Self::Local<'l>, tally: Tally)
    where
        Self: 'l,
    {
        match local {
            AnyLocal::Each(each) => EachInstruction::after(each, tally),
            AnyLocal::Trail(trail) => OnTrail::after(trail, tally),
            AnyLocal::Nothing | AnyLocal::Stops(_) => {}
        }
    }
}

/// An instruction that was run.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Seen {
    /// Its address.
    pub address: u32,
    /// The cycle it began at.
    pub cycle: u64,
}

/// Instructions that were run one after the other.
#[derive(Debug, Clone, Copy)]
pub struct SeenRow<'a> {
    addresses: &'a [u32],
    /// When they began, as the run loop keeps the time.
    times: &'a [i64],
    begin: Tally,
}

impl SeenRow<'_> {
    /// How many they are.
    pub fn len(&self) -> usize {
        self.addresses.len()
    }

    /// True where there is none.
    pub fn is_empty(&self) -> bool {
        self.addresses.is_empty()
    }

    /// One after the other.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = Seen> {
        let begin = self.begin;
        let both = self.addresses.iter().zip(self.times);
        both.map(move |(&address, &time)| Seen { address, cycle: begin.at(time) })
    }
}

impl Seen {
    /// Tells it alone.
    pub(in crate::machine) fn tell(self, callback: &mut dyn FnMut(SeenRow<'_>)) {
        let begin = Tally::new(self.cycle, self.cycle);
        callback(SeenRow { addresses: &[self.address], times: &[begin.raw()], begin });
    }
}

/// Sees each instruction, many in a row with a call.
pub type Callback<'a> = &'a mut dyn FnMut(SeenRow<'_>);

/// Addresses to stop at, and a mark for each, below 256K its own.
///
/// PERF: bytes are a load and a compare an instruction, bits three instructions more.
#[derive(Clone, Default)]
pub struct StopMap {
    /// Made with the first address.
    marks: Option<Box<Marks>>,
    addresses: Vec<u32>,
}

pub(in crate::machine) type Marks = [bool; MARKS];

/// As many as the largest of the word machines has cells. Where there are more addresses several share a mark.
///
/// PERF: a map is made for every run, and more marks would have to be cleared.
pub(in crate::machine) const MARKS: usize = 1 << 18;

impl std::fmt::Debug for StopMap {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_set().entries(&self.addresses).finish()
    }
}

impl StopMap {
    /// Adds an address. False where it was there already.
    pub fn insert(&mut self, address: u32) -> bool {
        let new = !self.addresses.contains(&address);
        if new {
            self.addresses.push(address);
            self.addresses.sort_unstable();
            let marks = self.marks.get_or_insert_with(no_marks);
            marks[address as usize & (MARKS - 1)] = true;
        }
        new
    }

    /// Takes an address away. False where it was not there.
    pub fn remove(&mut self, address: u32) -> bool {
        let kept: Vec<u32> = self.addresses.iter().copied().filter(|&other| other != address).collect();
        let had = kept.len() != self.addresses.len();
        *self = kept.into_iter().collect();
        had
    }

    /// The addresses in order.
    pub fn addresses(&self) -> &[u32] {
        &self.addresses
    }

    /// The marks, where there is an address.
    pub(in crate::machine) fn marks(&self) -> Option<&Marks> {
        self.marks.as_deref()
    }

    /// True where the run stops at the address.
    pub fn contains(&self, address: u32) -> bool {
        self.addresses.binary_search(&address).is_ok()
    }
}

/// PERF: zeroed pages come from the system only where they are touched.
fn no_marks() -> Box<Marks> {
    let marks: Box<[bool]> = vec![false; MARKS].into();
    let Ok(marks) = marks.try_into() else { unreachable!("there are so many marks") };
    marks
}

impl FromIterator<u32> for StopMap {
    fn from_iter<I: IntoIterator<Item = u32>>(addresses: I) -> Self {
        let mut addresses: Vec<u32> = addresses.into_iter().collect();
        addresses.sort_unstable();
        addresses.dedup();
        let marks = (!addresses.is_empty()).then(|| {
            let mut marks = no_marks();
            addresses.iter().for_each(|&address| marks[address as usize & (MARKS - 1)] = true);
            marks
        });
        Self { marks, addresses }
    }
}

/// What is watched during a slice.
pub enum Watching<'a> {
    /// Nothing.
    Nothing,
    /// The program counter.
    Stops(&'a StopMap),
    /// Every instruction.
    Each(Callback<'a>),
    /// Every instruction and every access, but for those that are quiet.
    Trail(&'a TrailMarks, TrailCallback<'a>),
    /// A single instruction whose accesses are noted.
    Step(&'a mut Vec<Noted>),
}

impl<'a> Watching<'a> {
    /// The marks of the addresses to stop at.
    pub(in crate::machine) fn marks(&self) -> Option<&'a Marks> {
        match self {
            Watching::Stops(stops) => stops.marks(),
            _ => None,
        }
    }
}

struct AtStops<'a>(&'a Marks);

impl Watch for AtStops<'_> {
    type Local<'l>
        = &'l Marks
    where
        Self: 'l;

    fn local(&mut self, _: Tally) -> Self::Local<'_> {
        self.0
    }

    #[inline(always)]
    fn before<'l>(marks: &mut &'l Marks, pc: u32, _: Tally) -> bool
    where
        Self: 'l,
    {
        marks[pc as usize & (MARKS - 1)]
    }
}

/// How many instructions are noted before they are told.
const NOTED: usize = 256;

/// Room for what is noted of instructions.
#[derive(Clone)]
pub(super) struct Notes {
    addresses: [u32; NOTED],
    /// As the run loop keeps the time, which is negative up to its limit; 0 where nothing is noted.
    times: [i64; NOTED],
}

impl std::fmt::Debug for Notes {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Notes")
    }
}

impl Notes {
    fn boxed() -> Box<Self> {
        Box::new(Self { addresses: [0; NOTED], times: [0; NOTED] })
    }

    /// Drops empty slots: executed words have no address. Returns how many stay.
    #[cold]
    fn close_up(&mut self, count: usize) -> usize {
        let mut kept = 0;
        for at in 0..count {
            if self.times[at] < 0 {
                (self.addresses[kept], self.times[kept]) = (self.addresses[at], self.times[at]);
                kept += 1;
            }
        }
        kept
    }
}

/// Notes each instruction; the loop is left where the notes are full.
///
/// PERF: a call out of the loop costs ten stores and as many loads an instruction around it, more than the instruction
/// itself; noted and told in a row they cost a fraction. The place of a note is the count of instructions that the loop keeps anyway:
/// a pointer and an end of its own took two registers, and the Z80's program counter stood in memory instead. What cycle that was is
/// worked out by whoever is told. Whoever wants registers and cells steps.
struct EachInstruction<'a> {
    notes: &'a mut Notes,
    callback: Callback<'a>,
    /// The beginning of the stretch that is being noted, and how many instructions it had.
    begin: Tally,
    count: usize,
}

impl<'a> EachInstruction<'a> {
    fn new(notes: &'a mut Notes, callback: Callback<'a>) -> Self {
        Self { notes, callback, begin: Tally::new(0, 0), count: 0 }
    }

    /// Tells the notes of the stretch that is over.
    fn tell(&mut self) {
        let count = std::mem::take(&mut self.count);
        let all = self.notes.times[..count].iter().fold(i64::MIN, |all, time| all & time);
        let kept = if all < 0 { count } else { self.notes.close_up(count) };
        if kept > 0 {
            let Notes { addresses, times } = &*self.notes;
            (self.callback)(SeenRow {
                addresses: &addresses[..kept],
                times: &times[..kept],
                begin: self.begin,
            });
        }
        self.notes.times[..count].fill(0);
    }
}

impl Drop for EachInstruction<'_> {
    fn drop(&mut self) {
        self.tell();
    }
}

impl Watch for EachInstruction<'_> {
    type Local<'l>
        = (&'l mut Notes, &'l mut usize)
    where
        Self: 'l;

    fn local(&mut self, begin: Tally) -> Self::Local<'_> {
        self.tell();
        self.begin = begin;
        (self.notes, &mut self.count)
    }

    #[inline(always)]
    fn before<'l>((notes, _): &mut Self::Local<'l>, pc: u32, tally: Tally) -> bool
    where
        Self: 'l,
    {
        let count = tally.count() as usize;
        if count >= NOTED {
            return true;
        }
        notes.addresses[count] = pc;
        notes.times[count] = tally.raw();
        false
    }

    fn after<'l>((_, count): Self::Local<'l>, tally: Tally)
    where
        Self: 'l,
    {
        *count = (tally.count() as usize).min(NOTED);
    }
}
