//! Searches the past backwards: stretch by stretch from now to the beginning, each followed forwards and looked through from its end.

use super::atom::{Atom, atoms_named};
use super::effect::Effect;
use super::follow::{Chunk, Follower, Item, ItemKind};
use crate::machine::{Event, Watching, What};
use crate::processor::Role;
use crate::session::Session;
use crate::session::time::{Act, Stretch, Way};

/// Cycles of a stretch that is followed at once.
const STRETCH: u64 = 1_000_000;

/// Where a value is: a piece of the processor's state by its number, a cell, a port that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(in crate::session) enum Loc {
    Atom(u32),
    Cell(u32),
    Port(u32),
}

/// What is looked for.
#[derive(Debug, Clone, Default)]
pub(in crate::session) struct Wanted {
    pub atoms: u64,
    pub cells: Vec<u32>,
    pub ports: Vec<u32>,
}

impl FromIterator<Loc> for Wanted {
    fn from_iter<I: IntoIterator<Item = Loc>>(locs: I) -> Self {
        let mut wanted = Self::default();
        locs.into_iter().for_each(|loc| wanted.add(loc));
        wanted
    }
}

/// Something that is looked for, written by an item.
#[derive(Debug, Clone, Copy)]
pub(in crate::session) struct Hit {
    pub loc: Loc,
    /// Of a cell or a port, which of the item's writes it was, and the value.
    pub write: usize,
    pub value: u64,
}

impl Hit {
    /// The bit of the atom that was written; none where it is not an atom.
    pub fn atom(&self) -> u64 {
        if let Loc::Atom(at) = self.loc { 1 << at } else { 0 }
    }
}

impl Wanted {
    pub fn add(&mut self, loc: Loc) {
        match loc {
            Loc::Atom(at) => self.atoms |= 1 << at,
            Loc::Cell(address) if !self.cells.contains(&address) => self.cells.push(address),
            Loc::Port(port) if !self.ports.contains(&port) => self.ports.push(port),
            _ => {}
        }
    }

    pub fn remove(&mut self, loc: Loc) {
        match loc {
            Loc::Atom(at) => self.atoms &= !(1 << at),
            Loc::Cell(address) => self.cells.retain(|&one| one != address),
            Loc::Port(port) => self.ports.retain(|&one| one != port),
        }
    }

    pub fn is_empty(&self) -> bool {
        self.atoms == 0 && self.cells.is_empty() && self.ports.is_empty()
    }

    /// The atoms of it that are among these bits.
    pub fn atoms_of(&self, bits: u64) -> impl Iterator<Item = Hit> {
        let all = bits & self.atoms;
        (0..64).filter(move |at| all >> at & 1 != 0).map(|at| Hit { loc: Loc::Atom(at), write: 0, value: 0 })
    }

    /// What of it an instruction, an interrupt or a service writes.
    pub fn written(
        &self,
        item: &Item,
        chunk: &Chunk,
        effect: Option<&Effect>,
        atoms: &[Atom],
        hits: &mut Vec<Hit>,
    ) {
        hits.clear();
        let mut bits = effect.map_or(0, |effect| effect.defines & self.atoms);
        while bits != 0 {
            hits.push(Hit { loc: Loc::Atom(bits.trailing_zeros()), write: 0, value: 0 });
            bits &= bits - 1;
        }
        let looks_at_accesses =
            !self.cells.is_empty() || !self.ports.is_empty() || item.kind == ItemKind::Service;
        if !looks_at_accesses {
            return;
        }
        let mut write = 0;
        for done in chunk.accesses(item) {
            let loc = match done.what {
                What::Write | What::Served if done.took_effect && self.cells.contains(&done.address) => {
                    Some(Loc::Cell(done.address))
                }
                What::Out if self.ports.contains(&done.address) => Some(Loc::Port(done.address)),
                _ => None,
            };
            if let Some(loc) = loc {
                // Of several writes of an instruction the last one counts.
                hits.retain(|hit| hit.loc != loc);
                hits.push(Hit { loc, write, value: done.value });
            }
            if done.what == What::ServedRegister {
                let is = |atom: &&(usize, &Atom)| {
                    atom.1.place == done.address as usize && self.atoms >> atom.0 & 1 != 0
                };
                let numbered: Vec<(usize, &Atom)> = atoms.iter().enumerate().collect();
                hits.extend(numbered.iter().filter(is).map(|(at, atom)| Hit {
                    loc: Loc::Atom(*at as u32),
                    write,
                    value: (done.value & atom.mask) >> atom.shift(),
                }));
            }
            write += usize::from(matches!(done.what, What::Write | What::Out));
        }
    }

    /// What of it something done by hand sets.
    pub fn set_by(&self, act: &Act, session: &Session, atoms: &[Atom]) -> Vec<Loc> {
        let all_atoms = |bits: u64| (0..64).filter(move |at| bits >> at & 1 != 0).map(Loc::Atom);
        let cells = |first: u32, count: u64| {
            let is_in = move |&&cell: &&u32| cell >= first && u64::from(cell - first) < count;
            self.cells.iter().filter(is_in).map(|&cell| Loc::Cell(cell)).collect::<Vec<_>>()
        };
        match act {
            Act::Register { name, .. } => {
                all_atoms(atoms_named(session.processor(), atoms, name) & self.atoms).collect()
            }
            Act::Cells(Stretch { start, cells: values }) => cells(*start, values.len() as u64),
            Act::Fill { start, count, .. } => cells(*start, (*count).into()),
            Act::Power => {
                let ram = self
                    .cells
                    .iter()
                    .filter(|&&cell| session.machine.kind(cell).is_some_and(|kind| kind.is_writable()));
                all_atoms(self.atoms).chain(ram.map(|&cell| Loc::Cell(cell))).collect()
            }
            // The pin of the 6502 that sets the overflow flag.
            Act::Event { event: Event::Interrupt(name), .. } if name == "SO" => {
                all_atoms(atoms_named(session.processor(), atoms, "V") & self.atoms).collect()
            }
            Act::Program { .. } => {
                all_atoms(self.atoms).chain(self.cells.iter().map(|&cell| Loc::Cell(cell))).collect()
            }
            _ => Vec::new(),
        }
    }
}

impl Session {
    /// Follows the run up to now, the latest stretch first. `see` gets each and says whether to go on to the one before; `go_on` is asked
    /// now and then.
    pub(super) fn backwards(
        &mut self,
        go_on: &mut dyn FnMut() -> bool,
        see: &mut dyn FnMut(&Self, &Chunk, &Follower) -> bool,
    ) {
        let mut end = self.machine.cycles();
        let mut machine = self.machine.unseen();
        let mut follower = Follower::of(&machine);
        let mut acts_before = self.timeline.done();
        for (snapshot, acts) in self.timeline.snapshots().rev() {
            // What was done by hand at its cycle came after it.
            if snapshot.cycles() > end {
                continue;
            }
            machine.restore(snapshot);
            // Stations on the way, so that a stretch is not too long to be held.
            let mut next = acts;
            let mut stations = vec![(machine.snapshot(), next)];
            let apart = STRETCH.max((end - snapshot.cycles()) / 64);
            while machine.cycles() + apart < end {
                let before = machine.cycles();
                self.timeline.go(&mut machine, &mut next, before + apart);
                if machine.cycles() == before {
                    break;
                }
                stations.push((machine.snapshot(), next));
            }
            for (station, before) in stations.into_iter().rev() {
                if !go_on() {
                    return;
                }
                let mut next = before;
                machine.restore(&station);
                follower.rebase(&machine);
                self.timeline.bring_told(&mut machine, &mut next, end, &mut |machine, way| match way {
                    Way::To(limit) => {
                        _ = machine.run(limit, Watching::Trail(&[], &mut |row| follower.row(row)))
                    }
                    // What was done at the very end belongs to the stretch after.
                    Way::Acted(number) if number < acts_before => follower.acted(number, machine),
                    Way::Acted(_) => {}
                });
                if !see(self, &follower.take(), &follower) {
                    return;
                }
                (end, acts_before) = (station.cycles(), before);
            }
        }
    }

    /// A cell that is an accumulator is a piece of the processor's state.
    pub(super) fn loc_of_cell(&self, address: u32, atoms: &[Atom]) -> Loc {
        let is = |atom: &Atom| atom.role == Role::Cell && atom.place == address as usize;
        atoms.iter().position(is).map_or(Loc::Cell(address), |at| Loc::Atom(at as u32))
    }
}
