//! Follows a run and looks at each instruction.

use super::extent::{Deeper, Extents};
use super::shadow::{
    BEGINS, CODE, CONSTANT, EDGE, FIRMWARE, INSIDE, KNOWN, OWN, QUIET, RETURNS, SEEN, Shadow, WATCHED,
    holds_something, shadow,
};
use super::stack::{Frames, Pending};
use super::told::{About, Found, told};
use super::{Hazard, Moment, Session};
use crate::machine::chip::Misuse;
use crate::machine::{Done, Machine, MemoryKind, TrailMarks, TrailRow, Watching, What};
use crate::processor::{Flow, Role};
use crate::session::cause::atom::Atom;
use crate::session::cause::effect::Effect;
use crate::session::cause::follow::Follower;
use crate::session::time::{Act, Stretch, Way};
use std::collections::HashMap;
use std::sync::Arc;

/// Cycles between two questions whether to go on.
const PATIENCE: u64 = 4_000_000;

/// Follows a run from its beginning.
#[derive(Clone)]
pub(in crate::session) struct Watcher {
    machine: Machine,
    next: usize,
    futures: u64,
    looking: Looking,
    follower: Arc<std::sync::Mutex<Follower>>,
    /// What of the run is told.
    marks: Box<TrailMarks>,
}

impl std::fmt::Debug for Watcher {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Watcher")
    }
}

/// What is known of the run so far.
#[derive(Clone)]
pub(super) struct Looking {
    pub cells: Shadow,
    extents: Extents,
    /// Atoms that nothing has set.
    unset: u64,
    pub frames: Frames,
    pub pending: Option<Pending>,
    found: Vec<Found>,
    known: HashMap<(&'static str, u32), usize>,
    /// The first cell of a stack that has a page of its own, and whether the processor keeps return addresses on a stack.
    has_stack: bool,
    /// The instruction that is looked at, and the cycle that it began at.
    pub at: u32,
    pub cycle: u64,
    /// The instruction that put each cell onto the stack last.
    pushed: HashMap<u32, u32>,
    /// The cycles of the first interrupts.
    pub interrupts: Vec<u64>,
    /// Room for its accesses.
    accesses: Vec<Done>,
}

impl Watcher {
    pub fn of(session: &mut Session) -> Self {
        let (snapshot, acts) = session.timeline.snapshots().next().expect("there is a beginning");
        let (begin, futures) = (snapshot.clone(), session.timeline.futures());
        let mut machine = session.machine.unseen();
        machine.restore(&begin);
        let follower = Follower::of(&machine);
        let extents = Extents::of(session);
        let looking = Looking {
            cells: shadow(session, &machine, &extents),
            extents,
            unset: unset(session, follower.atoms()),
            frames: Frames::default(),
            pending: None,
            found: Vec::new(),
            known: HashMap::new(),
            has_stack: session.processor().place_of(Role::Stack).is_some(),
            at: 0,
            cycle: 0,
            pushed: HashMap::new(),
            interrupts: Vec::new(),
            accesses: Vec::new(),
        };
        let follower = Arc::new(std::sync::Mutex::new(follower));
        let marks = looking.cells.marks();
        Self { machine, next: acts, futures, looking, follower, marks }
    }

    /// True where what it knows is of this run, up to a cycle or before it.
    pub fn knows(&self, futures: u64, cycle: u64) -> bool {
        self.futures == futures && self.machine.cycles() <= cycle
    }

    /// Follows the run up to now.
    pub fn follow(&mut self, session: &Session, go_on: &mut dyn FnMut() -> bool) {
        let end = session.machine.cycles();
        let Self { machine, next, looking, follower, marks, .. } = self;
        let Ok(mut follower) = follower.lock() else { return };
        let follower = &mut *follower;
        let atoms = follower.atoms().to_vec();
        looking.cells.tell(marks);
        // Another one, a copy of this, may have followed something else meanwhile.
        follower.rebase(machine);
        while machine.cycles() < end && go_on() {
            let (before, to) = (machine.cycles(), end.min(machine.cycles() + PATIENCE));
            session.timeline.bring_told(machine, next, to, &mut |machine, way| match way {
                Way::To(limit) => {
                    let mut follow = |row: TrailRow<'_>| {
                        looking.row(session, &atoms, follower, row);
                        looking.cells.tell(marks);
                    };
                    machine.run(limit, Watching::Trail(marks, &mut follow));
                }
                Way::Acted(number) => {
                    follower.rebase(machine);
                    looking.acted(session, number);
                    looking.cells.tell(marks);
                }
            });
            if machine.cycles() == before {
                break;
            }
        }
        // Where the run has come to it may not be able to go on.
        looking.arrived(session, machine.place(), machine.cycles());
    }

    /// The instruction that put a cell onto the stack.
    pub fn pushed_by(&self, cell: u32) -> Option<u32> {
        self.looking.pushed.get(&cell).copied()
    }

    /// The cycles of interrupts that were taken, the first ones.
    pub fn interrupts(&self) -> &[u64] {
        &self.looking.interrupts
    }

    /// What was found, as it is told.
    pub fn hazards(&self, session: &mut Session) -> Vec<Hazard> {
        let mut visitor = session.visitor();
        let mut all = Vec::new();
        for one in &self.looking.found {
            let mut one = one.clone();
            // Instructions in front of an interrupt that are as they always are have not been looked at.
            if let About::Interrupt(_) = one.what
                && let Some((address, cycle)) = visitor.before_interrupt(session, one.cycle)
            {
                (one.address, one.cycle) = (address, cycle);
            }
            visitor.go_to(session, one.cycle);
            let line = session.line_in(&visitor.machine, one.address).cloned();
            let own = line.as_ref().map_or(&[][..], |line| &line.allows);
            let is_allowed = |code: &String| code == one.code || code == "all";
            if own.iter().chain(&session.allowed).any(is_allowed) {
                continue;
            }
            let moment = Moment::of(&visitor.machine);
            let (message, help) = told(session, &one, &visitor.machine);
            let (file, number) = line.map(|line| (line.file, line.number)).unzip();
            let Found { code, address, count, .. } = one;
            all.push(Hazard { code, address, file, line: number, message, help, moment, count });
        }
        all
    }
}

/// What nothing has set when a program begins: everything but the stack pointer, modes and what a loader or a key sets.
fn unset(session: &Session, atoms: &[Atom]) -> u64 {
    let set = session.processor();
    let is_set = |atom: &Atom| {
        let by_loader = set.is_segmented() && matches!(atom.name, "DS" | "ES" | "SS");
        // Flags that choose how the processor works.
        let is_mode = atom.is_flag && matches!(atom.name, "D" | "I" | "DF" | "IF" | "BIS");
        // The start key of the PDP-8 clears the accumulator and the link; the others are switches and fields.
        let by_key = set.register("AC").is_some() && matches!(atom.name, "AC" | "L" | "DF" | "SR");
        let by_panel = matches!(atom.name, "SW" | "MI" | "MB");
        matches!(atom.role, Role::Stack) || by_loader || is_mode || by_key || by_panel
    };
    atoms.iter().enumerate().filter(|(_, atom)| !is_set(atom)).fold(0, |bits, (at, _)| bits | 1 << at)
}

impl Looking {
    pub(super) fn note(&mut self, code: &'static str, what: About) {
        let (address, cycle) = (self.at, self.cycle);
        self.note_at(code, address, cycle, what);
    }

    pub(super) fn note_at(&mut self, code: &'static str, address: u32, cycle: u64, what: About) {
        if let Some(&at) = self.known.get(&(code, address)) {
            self.found[at].count += 1;
            return;
        }
        self.known.insert((code, address), self.found.len());
        self.found.push(Found { code, address, cycle, count: 1, what });
    }

    #[inline]
    pub(super) fn flags(&self, address: u32) -> u16 {
        self.cells.get(address)
    }

    fn acted(&mut self, session: &Session, number: usize) {
        match session.timeline.act(number) {
            Some(Act::Cells(Stretch { start, cells })) => self.set(*start, cells.len() as u32),
            Some(Act::Fill { start, count, .. }) => self.set(*start, *count),
            Some(Act::Register { .. } | Act::Program { .. } | Act::Power) => self.unset = 0,
            _ => {}
        }
    }

    pub(super) fn set(&mut self, first: u32, count: u32) {
        for address in first..first.saturating_add(count) {
            self.cells.change(address, KNOWN, CODE | SEEN | QUIET);
        }
    }

    /// Looks through a stretch of the run.
    ///
    /// PERF: of an instruction that has been looked at before nearly always only the accesses are of interest.
    fn row(&mut self, session: &Session, atoms: &[Atom], follower: &mut Follower, row: TrailRow<'_>) {
        let (mut at, count) = (0, row.len());
        while at < count {
            let Some(done) = row.get(at) else { return };
            match done.what {
                What::Instruction => {
                    let flags = self.flags(done.address);
                    if flags & QUIET != 0 && self.pending.is_none() {
                        (self.at, self.cycle) = (done.address, done.value);
                        at += 1;
                        continue;
                    }
                    at = self.look(session, atoms, follower, row, at);
                }
                What::Read => {
                    if self.flags(done.address) & KNOWN == 0 {
                        self.quiet_access(session, &done);
                    }
                    at += 1;
                }
                What::Write => {
                    let flags = self.flags(done.address);
                    if flags & (KNOWN | WATCHED) != KNOWN || !done.took_effect {
                        follower.write(done.address);
                        self.quiet_access(session, &done);
                    }
                    at += 1;
                }
                What::In => at += 1,
                What::Misused => {
                    self.misused(&done);
                    at += 1;
                }
                What::Out => {
                    self.quiet_access(session, &done);
                    at += 1;
                }
                What::Between | What::Served | What::ServedRegister => {
                    at = self.between(session, atoms, follower, row, at);
                }
            }
        }
    }

    /// The accesses of a row from a place on, up to the next instruction.
    fn accesses(&mut self, row: TrailRow<'_>, mut at: usize) -> usize {
        self.accesses.clear();
        while let Some(done) = row.get(at) {
            if matches!(done.what, What::Instruction | What::Between) {
                break;
            }
            match done.what {
                What::Misused => self.misused(&done),
                _ => self.accesses.push(done),
            }
            at += 1;
        }
        at
    }

    /// An instruction that is not known yet, or with which there is always something to do; where the next thing stands in the row.
    fn look(
        &mut self,
        session: &Session,
        atoms: &[Atom],
        follower: &mut Follower,
        row: TrailRow<'_>,
        at: usize,
    ) -> usize {
        let Some(Done { address, value: cycle, .. }) = row.get(at) else { return at + 1 };
        (self.at, self.cycle) = (address, cycle);
        let end = self.accesses(row, at + 1);
        let accesses = std::mem::take(&mut self.accesses);
        let effect = follower.effect_of(address, &accesses, row, at);
        let effect = Arc::clone(&follower.effects[effect as usize]);
        self.instruction(session, atoms, &effect, &accesses);
        accesses.iter().filter(|done| done.what == What::Write).for_each(|done| follower.write(done.address));
        self.accesses = accesses;
        let copies = effect.copies.iter().any(|copy| self.unset >> copy.1 & 1 != 0);
        let is_plain =
            matches!(effect.flow, Some(Flow::On | Flow::Jump | Flow::Branch | Flow::Skip | Flow::SkipAlways));
        let is_quiet =
            is_plain && (effect.uses | effect.defines) & self.unset == 0 && !copies && !effect.moves_stack;
        if is_quiet && self.flags(address) & (SEEN | RETURNS) == SEEN {
            self.cells.change(address, QUIET, 0);
        }
        end
    }

    /// What stands between two instructions: an interrupt, or what a service did.
    fn between(
        &mut self,
        session: &Session,
        atoms: &[Atom],
        follower: &mut Follower,
        row: TrailRow<'_>,
        at: usize,
    ) -> usize {
        let begins = row.get(at).is_some_and(|done| done.what == What::Between);
        let end = self.accesses(row, at + usize::from(begins));
        let accesses = std::mem::take(&mut self.accesses);
        accesses.iter().for_each(|done| follower.write(done.address));
        if accesses.iter().any(|done| matches!(done.what, What::Served | What::ServedRegister)) {
            accesses
                .iter()
                .filter(|done| done.what == What::Served)
                .for_each(|done| self.set(done.address, 1));
            // Registers that it gave a value.
            for done in accesses.iter().filter(|done| done.what == What::ServedRegister) {
                let is = |atom: &Atom| atom.place == done.address as usize;
                let bits = atoms.iter().enumerate().filter(|(_, atom)| is(atom));
                self.unset &= !bits.fold(0, |bits, (at, _)| bits | 1 << at);
            }
        } else if !accesses.is_empty() {
            self.interrupt(session, &accesses);
        }
        self.accesses = accesses;
        end.max(at + 1)
    }

    /// An access of a quiet instruction that is worth a look.
    #[cold]
    fn quiet_access(&mut self, session: &Session, done: &Done) {
        let is_own = self.is_own(self.flags(self.at));
        self.access(session, done, false, is_own);
    }

    #[cold]
    fn misused(&mut self, done: &Done) {
        if let Some(&misuse) = Misuse::ALL.get(done.value as usize)
            && self.is_own(self.flags(self.at))
        {
            self.note("chip-misused", About::Chip(done.address, misuse));
        }
    }

    fn is_own(&self, flags: u16) -> bool {
        flags & OWN != 0 || flags & FIRMWARE == 0
    }

    fn access(&mut self, session: &Session, done: &Done, moves_stack: bool, is_own: bool) {
        match done.what {
            What::Read if self.flags(done.address) & KNOWN == 0 && is_own => self.read(session, done),
            What::Write => self.write(session, moves_stack, done, is_own),
            What::Out if !done.took_effect && is_own && session.machine.board().name != "bare" => {
                self.note("nothing-there", About::Port(done.address));
            }
            _ => {}
        }
    }

    fn instruction(&mut self, session: &Session, atoms: &[Atom], effect: &Effect, accesses: &[Done]) {
        let flags = self.flags(self.at);
        if self.pending.is_some() {
            self.returned(self.at, flags);
        }
        if flags & SEEN == 0 {
            self.first_time(session, effect, flags);
        }
        let is_own = self.is_own(flags);
        if self.unset != 0 {
            self.registers(atoms, effect, is_own);
        }
        accesses.iter().for_each(|done| self.access(session, done, effect.moves_stack, is_own));
        if self.has_stack {
            self.calls(effect, accesses);
        }
    }

    /// The instruction at an address is executed for the first time, or after it was changed.
    #[cold]
    fn first_time(&mut self, session: &Session, effect: &Effect, flags: u16) {
        let address = self.at;
        let is_rom = session.machine.kind(address) == Some(MemoryKind::Rom);
        if flags & KNOWN == 0 && !is_rom {
            self.note("not-loaded", About::Nothing);
        } else if flags & INSIDE != 0 && flags & BEGINS == 0 {
            self.note("inside-instruction", About::Nothing);
            return;
        }
        for at in 0..effect.cells.max(1) {
            self.cells.change(address.wrapping_add(at), CODE, 0);
        }
        self.cells.change(address, SEEN, 0);
    }

    /// The run has come to an address.
    fn arrived(&mut self, session: &Session, address: u32, cycle: u64) {
        let flags = self.flags(address);
        if self.pending.is_some() {
            self.returned(address, flags);
        }
        let is_ram = session.machine.kind(address).is_some_and(MemoryKind::is_writable);
        if flags & KNOWN == 0 && is_ram && session.instruction_at(address).0.is_none() {
            self.note_at("not-loaded", address, cycle, About::Nothing);
        }
    }

    fn registers(&mut self, atoms: &[Atom], effect: &Effect, is_own: bool) {
        let used = effect.uses & self.unset;
        if used != 0 && is_own {
            let first = used.trailing_zeros();
            // Of a flag register all flags are used where one is; a register is told before them.
            let told = (0..64)
                .find(|&at| used >> at & 1 != 0 && atoms.get(at as usize).is_some_and(|atom| !atom.is_flag));
            self.note("unset-register", About::Atom(told.unwrap_or(first)));
        }
        let copied: u64 = effect.copies.iter().map(|&(to, from)| (self.unset >> from & 1) << to).sum();
        let before = self.unset;
        self.unset = self.unset & !effect.defines | copied;
        if copied & !before != 0 {
            self.cells.wake();
        }
    }

    #[cold]
    fn read(&mut self, session: &Session, done: &Done) {
        let address = done.address;
        if session.machine.is_chip(address) || is_register(session, address) {
            return;
        }
        if session.machine.kind(address).is_none() {
            return self.note("nothing-there", About::Cell { address, value: done.value });
        }
        if holds_something(session, address, done.value) {
            return self.set(address, 1);
        }
        self.note("unset-cell", About::Cell { address, value: done.value });
    }

    fn write(&mut self, session: &Session, moves_stack: bool, done: &Done, is_own: bool) {
        let Done { address, value, took_effect, .. } = *done;
        let flags = self.flags(address);
        if !took_effect {
            return self.write_elsewhere(session, moves_stack, done, is_own);
        }
        if is_own && (moves_stack || flags & EDGE != 0) {
            self.extent(moves_stack, address, value);
        }
        if flags & (WATCHED & !EDGE) != 0 && is_own {
            let code = match flags {
                _ if moves_stack => "stack-in-program",
                _ if flags & (CODE | BEGINS | INSIDE) != 0 => "code-changed",
                _ if flags & CONSTANT != 0 => "constant-written",
                _ => "text-written",
            };
            self.note(code, About::Cell { address, value });
        }
        if flags & (KNOWN | SEEN | CODE) != KNOWN {
            self.cells.change(address, KNOWN, SEEN | CODE | QUIET);
        }
    }

    /// A write that may run out of a stretch of memory.
    fn extent(&mut self, moves_stack: bool, address: u32, value: u64) {
        if moves_stack {
            self.pushed.insert(address, self.at);
            match self.extents.push(address) {
                Some(Deeper::Than(from)) => self.note("stack-too-deep", About::Left { address, from }),
                Some(Deeper::OnData) => self.note("stack-in-program", About::Cell { address, value }),
                None => {}
            }
        } else if let Some(from) = self.extents.write(self.at, address) {
            self.note("region-left", About::Left { address, from });
        }
    }

    #[cold]
    fn write_elsewhere(&mut self, session: &Session, moves_stack: bool, done: &Done, is_own: bool) {
        let Done { address, value, .. } = *done;
        if !is_own || session.machine.is_chip(address) {
            return;
        }
        let code = match session.machine.kind(address) {
            _ if moves_stack => "stack-no-ram",
            None => "nothing-there",
            Some(_) => "rom-written",
        };
        self.note(code, About::Cell { address, value });
    }
}

/// An accumulator that is a cell is looked at as a register.
fn is_register(session: &Session, address: u32) -> bool {
    let register = session.processor().registers().get(address as usize);
    register.is_some_and(|one| one.role == Role::Cell)
}
