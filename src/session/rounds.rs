//! Runs that go round for ever: a look now and then at what the program does, on a copy of the machine, so that the run itself is the same.
//!
//! Where registers and memory come back as they were, and nothing was sent out in between, nothing new will ever come, unless a chip brings
//! it. A loop that reads chips is let go on for some seconds of the machine's time first.

use super::{Session, Stop};
use crate::machine::{Access, Console, Machine, Noted, Stopped, Watching};
use crate::processor::Role;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// The first look, in cycles from the beginning of a run; each later one comes after so many times as many.
const FIRST_LOOK: u64 = 1_000_000;
const LATER: u64 = 4;

/// So many instructions a look takes at most.
const PATIENCE: u32 = 20_000;

/// For so many seconds nothing may come of a loop that reads chips.
const SECONDS: u64 = 4;

/// A loop that never ends.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Round {
    /// Its first and its last instruction.
    pub first: u32,
    /// The last one.
    pub last: u32,
    /// Cycles of a turn.
    pub cycles: u64,
    /// What it reads from outside, as a person calls it; empty where it reads nothing.
    pub reads: Vec<String>,
}

/// Where a program goes round at the end of a run, seen for a while.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Circle {
    /// The instructions of the program that are executed there, in order of their addresses.
    pub places: Vec<u32>,
    /// Registers that stay as they are.
    pub unchanged: Vec<&'static str>,
}

/// When the next look is due, from the beginning of a run on.
#[derive(Debug, Clone, Copy)]
pub(super) struct Looks {
    began: u64,
    apart: u64,
}

impl Looks {
    pub fn from(began: u64) -> Self {
        Self { began, apart: FIRST_LOOK }
    }

    fn due(self) -> u64 {
        self.began + self.apart
    }
}

impl Session {
    /// Runs the machine as it does by itself, with a look where one is due.
    pub(super) fn run_machine<'w>(&mut self, limit: u64, watching: &mut dyn FnMut() -> Watching<'w>) -> Stop {
        loop {
            let due = self.looks.map_or(u64::MAX, Looks::due);
            let stop = Stop::of(self.machine.run(limit.min(due), watching()));
            if stop != Stop::Cycles || self.machine.cycles() < due {
                return stop;
            }
            if let Some(stop) = self.look() {
                return stop;
            }
        }
    }

    /// Where the program goes round when a run was broken off or found to be without end; `None` where it does not come to the same
    /// instructions again.
    pub fn circle(&self) -> Option<Circle> {
        // A copy of a board at the other end of a line is that board.
        if self.machine.is_linked() {
            return None;
        }
        let mut ahead = self.machine.clone();
        ahead.stop_at_rest(false);
        let set = self.processor();
        let before = registers(&ahead);
        let is_told = |place: usize| matches!(set.registers()[place].role, Role::Data);
        let mut stays: Vec<bool> = (0..before.len()).map(is_told).collect();
        let own = self.program.as_ref().map(|program| program.addresses());
        let is_own = |at: u32| own.as_ref().is_none_or(|own| own.contains(at));
        let mut visits: BTreeMap<u32, u32> = BTreeMap::new();
        let mut notes = Vec::new();
        for _ in 0..PATIENCE {
            *visits.entry(ahead.place()).or_default() += 1;
            notes.clear();
            if ahead.step(u64::MAX, &mut notes).0 != Stopped::Cycles {
                return None;
            }
            let now = registers(&ahead);
            stays.iter_mut().enumerate().for_each(|(at, stays)| *stays &= now[at] == before[at]);
        }
        let places: Vec<u32> =
            visits.into_iter().filter(|&(at, count)| count > 1 && is_own(at)).map(|row| row.0).collect();
        let unchanged = stays.iter().zip(set.registers()).filter(|(stays, _)| **stays);
        (!places.is_empty())
            .then(|| Circle { places, unchanged: unchanged.map(|(_, one)| one.name).collect() })
    }

    /// A look, where one is due: whether the run is over.
    pub(super) fn look_if_due(&mut self) -> Option<Stop> {
        let is_due = self.looks.is_some_and(|looks| self.machine.cycles() >= looks.due());
        if is_due { self.look() } else { None }
    }

    fn look(&mut self) -> Option<Stop> {
        let looks = self.looks.as_mut()?;
        while looks.due() <= self.machine.cycles() {
            looks.apart = looks.apart.saturating_mul(LATER);
        }
        self.round()
            .map(|round| if round.reads.is_empty() { Stop::Repeats(round) } else { Stop::Polls(round) })
    }

    /// The loop in which the program is for ever, where it is in one.
    fn round(&self) -> Option<Round> {
        if self.machine.has_events() || self.machine.keys_waiting() > 0 || self.machine.is_linked() {
            return None;
        }
        let found = Turn::find(&self.machine)?;
        let is_quiet = found.reads.is_empty() && !self.machine.chips_go_on();
        if !is_quiet && !stays(&self.machine, found.cycles) {
            return None;
        }
        let reads: BTreeSet<String> = found.reads.iter().map(|&read| self.source(read)).collect();
        let (first, last) = (*found.places.first()?, *found.places.last()?);
        Some(Round { first, last, cycles: found.cycles, reads: reads.into_iter().collect() })
    }

    /// What a program reads there, as a person calls it.
    fn source(&self, read: Read) -> String {
        let (at, is_port) = match read {
            Read::Line => return CONSOLE.to_string(),
            Read::Port(port) => (port, true),
            Read::Address(address) => (address, false),
        };
        match self.machine.chip_at(at, is_port) {
            Some((fitted, _)) if self.is_console(&fitted.place.name) => CONSOLE.to_string(),
            Some((fitted, _)) => fitted.place.name.clone(),
            None if is_port => format!("{} {}", self.processor().port_word(), self.processor().port(at)),
            None => self.machine.spell(at),
        }
    }

    fn is_console(&self, name: &str) -> bool {
        let board = self.machine.board();
        matches!(board.console, Some(Console::Chip(chip)) if board.chips[chip].name == name)
    }
}

/// What the console is called, whatever it hangs on.
const CONSOLE: &str = "the console";

/// Where something comes from outside.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Read {
    Port(u32),
    Address(u32),
    /// The processor's own serial line.
    Line,
}

/// What was seen of a loop until registers and memory were as before.
struct Turn {
    cycles: u64,
    places: BTreeSet<u32>,
    reads: BTreeSet<Read>,
}

/// The state that is to come again.
struct Anchor {
    place: u32,
    registers: Vec<u64>,
    /// Cells that are not as they were, with what they held.
    changed: BTreeMap<u32, u64>,
    turn: Turn,
    began: u64,
}

impl Anchor {
    fn at(machine: &Machine) -> Self {
        let turn = Turn { cycles: 0, places: BTreeSet::new(), reads: BTreeSet::new() };
        Self {
            place: machine.place(),
            registers: registers(machine),
            changed: BTreeMap::new(),
            turn,
            began: machine.cycles(),
        }
    }

    /// Takes what an instruction did. False where it did something that is seen from outside.
    fn takes(&mut self, machine: &Machine, note: &Noted) -> bool {
        match note.access {
            Access::Write if machine.is_chip(note.address) => return false,
            Access::Write if note.took_effect => {
                let original = *self.changed.entry(note.address).or_insert(note.before);
                if original == note.value {
                    self.changed.remove(&note.address);
                }
            }
            Access::Out => return false,
            Access::In => _ = self.turn.reads.insert(Read::Port(note.address)),
            Access::Read if machine.is_chip(note.address) => {
                self.turn.reads.insert(Read::Address(note.address));
            }
            Access::Write | Access::Read | Access::Fetch => {}
        }
        true
    }

    fn is_met(&self, machine: &Machine) -> bool {
        machine.place() == self.place && self.changed.is_empty() && registers(machine) == self.registers
    }
}

fn registers(machine: &Machine) -> Vec<u64> {
    (0..machine.set().registers().len()).map(|place| machine.register(place)).collect()
}

impl Turn {
    /// Goes on with a copy until it is as it was. What it may be as is chosen anew from time to time, since a loop may still be at its
    /// first turn.
    fn find(machine: &Machine) -> Option<Self> {
        let mut ahead = machine.clone();
        ahead.stop_at_rest(false);
        let has_line = matches!(machine.board().console, Some(Console::Line(_)));
        let (mut anchor, mut again) = (Anchor::at(&ahead), 16);
        let mut notes = Vec::new();
        for count in 1..=PATIENCE {
            notes.clear();
            let place = ahead.place();
            let (decoded, _) = super::instruction_at(&ahead, place);
            let (stopped, waited) = ahead.step(u64::MAX, &mut notes);
            if stopped != Stopped::Cycles
                || waited > 0
                || !notes.iter().all(|note| anchor.takes(&ahead, note))
            {
                return None;
            }
            anchor.turn.places.insert(place);
            if has_line && decoded.is_some_and(|one| one.row.mnemonic == "RIM") {
                anchor.turn.reads.insert(Read::Line);
            }
            if anchor.is_met(&ahead) {
                anchor.turn.cycles = ahead.cycles() - anchor.began;
                return Some(anchor.turn);
            }
            if count == again {
                (anchor, again) = (Anchor::at(&ahead), again * 2);
            }
        }
        None
    }
}

/// True where a machine is the same after some seconds in a loop of so many cycles.
fn stays(machine: &Machine, turn: u64) -> bool {
    let long = machine.board().clock * SECONDS;
    let end = machine.cycles() + long.div_ceil(turn) * turn;
    let mut ahead = machine.clone();
    ahead.stop_at_rest(false);
    let cells = |one: &Machine, at: u32| one.cell(at);
    ahead.run(end, Watching::Nothing) == Stopped::Cycles
        && ahead.output().len() == machine.output().len()
        && Turn::find(&ahead).is_some()
        && machine
            .areas()
            .iter()
            .flat_map(|area| area.first..=area.last)
            .all(|at| cells(machine, at) == cells(&ahead, at))
}
