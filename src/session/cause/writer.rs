//! Who wrote something: the last time, or every time.

use super::atom::{Atom, atoms, atoms_named};
use super::follow::{Item, ItemKind};
use super::search::{Loc, Wanted};
use crate::assembler::Formula;
use crate::diagnostic::Diagnostic;
use crate::machine::{NameKind, Snapshot, StopMap};
use crate::session::time::Way;
use crate::session::{Moment, Session, step};
use serde::Serialize;
use std::collections::BTreeMap;

/// Where a value is that somebody asks for.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Whereabouts {
    /// In a register or a flag, by its name.
    Register(String),
    /// In a cell, or in a chip's register among the memory.
    Cell(u32),
    /// What was written to a port.
    Port(u32),
}

/// Somebody wrote a value.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Written {
    /// The moment in front of it.
    pub moment: Moment,
    /// The instruction's address; `None` where it was no instruction.
    pub address: Option<u32>,
    /// The value that was written.
    pub value: u64,
    /// What wrote it.
    pub by: WriteKind,
}

/// What wrote a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum WriteKind {
    /// An instruction.
    Instruction,
    /// An interrupt that was taken.
    Interrupt,
    /// A service of the board.
    Service,
    /// Somebody did it by hand.
    Hand,
}

impl WriteKind {
    pub(super) fn of(kind: ItemKind) -> Self {
        match kind {
            ItemKind::Instruction => Self::Instruction,
            ItemKind::Interrupt => Self::Interrupt,
            ItemKind::Service => Self::Service,
            ItemKind::Act => Self::Hand,
        }
    }
}

/// A step takes more time where an expression is looked at after each; so many cycles are looked through at first.
const NEAR: u64 = 20_000;

impl Session {
    /// Where something is that a person names: a register, `flag NAME`, `cell EXPRESSION`, `port EXPRESSION`, `screen ROW COLUMN` (counted
    /// from 1), `stack` (the cell on top of it), a chip's register by its name, or a label, which means its cell.
    ///
    /// # Errors
    /// The diagnostic says what is wrong; its span points into `text`.
    pub fn whereabouts(&self, text: &str) -> Result<Whereabouts, Box<Diagnostic>> {
        let text = text.trim();
        let (first, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
        let address = |text: &str| -> Result<u32, Box<Diagnostic>> {
            let value = Formula::parse(text, Some(self.processor()))?.value(self)?;
            let last = i64::from(self.processor().last_address());
            let is_address = (0..=last).contains(&value);
            is_address.then_some(value as u32).ok_or_else(|| {
                let last = self.processor().address(last as u64);
                wrong(format!("{value} is not an address"), format!("addresses go from 0 to {last}"))
            })
        };
        match first.to_ascii_lowercase().as_str() {
            "cell" if !rest.is_empty() => return address(rest).map(Whereabouts::Cell),
            "port" if !rest.is_empty() => return address(rest).map(Whereabouts::Port),
            "screen" if !rest.is_empty() => return self.on_screen(rest),
            "stack" if rest.is_empty() => {
                let top = self.stack_top().ok_or_else(|| {
                    let why = format!("the {} has no stack pointer", self.processor().name());
                    wrong(why, "name the cell: `cell ADDRESS`")
                })?;
                return Ok(Whereabouts::Cell(top));
            }
            _ => {}
        }
        let known = atoms(self.processor());
        let is_label = self.texts().any(|one| one.symbols.value(text).is_some());
        if !is_label && atoms_named(self.processor(), &known, text) != 0 {
            return Ok(Whereabouts::Register(text.to_string()));
        }
        let own = text.strip_prefix("board.").unwrap_or(text);
        let names = self.machine.board().names();
        let named = names.iter().find(|one| one.name.eq_ignore_ascii_case(own) && !is_label);
        if let Some(port) = named.filter(|one| one.what == NameKind::Port) {
            return Ok(Whereabouts::Port(port.value));
        }
        address(text).map(Whereabouts::Cell)
    }

    /// The cell of a place on the screen.
    fn on_screen(&self, text: &str) -> Result<Whereabouts, Box<Diagnostic>> {
        let help = "write `screen ROW COLUMN`, both counted from 1";
        let mut numbers = text.split_whitespace().map(|one| self.evaluate(one));
        let (Some(row), Some(column), None) = (numbers.next(), numbers.next(), numbers.next()) else {
            return Err(wrong("a row and a column are wanted", help));
        };
        let (row, column) = (row?, column?);
        let raster = self.machine.raster().ok_or_else(|| {
            let board = &self.machine.board().name;
            wrong(
                format!("the board {board} has no screen"),
                "boards with a screen are `fulmar` and `petrel`",
            )
        })?;
        let (columns, rows) = raster.size;
        if !(1..=rows as i64).contains(&row) || !(1..=columns as i64).contains(&column) {
            let message = format!("the screen has {rows} rows and {columns} columns");
            return Err(wrong(message, help));
        }
        Ok(Whereabouts::Cell(raster.cell_at(row as usize - 1, column as usize - 1)))
    }

    /// The cell that was put onto the stack last.
    pub fn stack_top(&self) -> Option<u32> {
        let set = self.processor();
        let pointer = self.machine.stack_place()?;
        // In a page of its own the pointer names the next free cell.
        let page = set.registers.stack_page;
        Some(if page > 0 { page | pointer.wrapping_add(1) & 0xFF } else { pointer })
    }

    pub(super) fn locations(&self, of: &Whereabouts) -> Vec<Loc> {
        let atoms = atoms(self.processor());
        match of {
            Whereabouts::Register(name) => {
                let bits = atoms_named(self.processor(), &atoms, name);
                (0..64).filter(|at| bits >> at & 1 != 0).map(Loc::Atom).collect()
            }
            Whereabouts::Cell(address) => vec![self.loc_of_cell(*address, &atoms)],
            Whereabouts::Port(port) => vec![Loc::Port(*port)],
        }
    }

    /// Who wrote something, the last one first, at most `most`. `go_on` is asked now and then.
    pub fn writers(
        &mut self,
        of: &Whereabouts,
        most: usize,
        go_on: &mut dyn FnMut() -> bool,
    ) -> Vec<Written> {
        let wanted: Wanted = self.locations(of).into_iter().collect();
        let mut found: Vec<(u64, Written)> = Vec::new();
        let mut hits = Vec::new();
        let mut visitor = self.visitor();
        self.backwards(go_on, &mut |session, chunk, follower| {
            for item in chunk.items.iter().rev() {
                let effect = (item.kind == ItemKind::Instruction)
                    .then(|| follower.effects.get(item.effect as usize).map(AsRef::as_ref))
                    .flatten();
                wanted.written(item, chunk, effect, follower.atoms(), &mut hits);
                if item.kind == ItemKind::Interrupt && wanted.atoms != 0 {
                    let set = visitor.set_by_interrupt(session, item.cycle, follower.atoms());
                    hits.extend(wanted.atoms_of(set));
                }
                let by_hand = item.kind == ItemKind::Act
                    && session
                        .timeline
                        .act(item.address as usize)
                        .is_some_and(|act| !wanted.set_by(act, session, follower.atoms()).is_empty());
                if hits.is_empty() && !by_hand {
                    continue;
                }
                let address = (item.kind == ItemKind::Instruction).then_some(item.address);
                let moment = Moment { cycle: item.cycle, instructions: 0 };
                let value = hits.last().map_or(0, |hit| hit.value);
                found.push((item.cycle, Written { moment, address, value, by: WriteKind::of(item.kind) }));
                if found.len() >= most {
                    return false;
                }
            }
            true
        });
        self.complete(of, &mut found);
        found.into_iter().map(|row| row.1).collect()
    }

    /// The numbers of the instructions, and the values of registers, which a trail does not tell.
    fn complete(&mut self, of: &Whereabouts, found: &mut [(u64, Written)]) {
        let mut visitor = self.visitor();
        for (cycle, written) in found.iter_mut().rev() {
            visitor.go_to(self, *cycle);
            written.moment.instructions = visitor.machine.instructions();
            if let Whereabouts::Register(name) = of {
                let mut after = visitor.machine.unseen();
                if written.by == WriteKind::Instruction {
                    step::step(&mut after, u64::MAX);
                }
                written.value = after.get(name).unwrap_or(0);
            }
        }
    }

    /// Goes back to the moment in front of the instruction, or whatever it was, that wrote something last. `None`, and nothing is
    /// changed, where nothing did.
    pub fn back_to_writer(&mut self, of: &Whereabouts, go_on: &mut dyn FnMut() -> bool) -> Option<Written> {
        let written = self.writers(of, 1, go_on).pop()?;
        self.bring_to(written.moment.cycle);
        Some(written)
    }

    /// Goes back to the last time that the run came to a breakpoint, or that one of the conditions began to hold. False, and nothing is
    /// changed, where there was none.
    pub fn back_to_stop(&mut self, go_on: &mut dyn FnMut() -> bool) -> bool {
        let stops = self.stops.clone();
        let at_stop = self.last_at(&stops, true, go_on);
        let conditions = self.conditions.clone();
        let holds = |session: &Self| {
            i64::from(conditions.iter().any(|one| one.quick(session).is_some_and(|value| value != 0)))
        };
        let began = match conditions.is_empty() {
            true => None,
            false => self.last_change(&holds, true, go_on),
        };
        let Some(cycle) = at_stop.max(began) else { return false };
        self.bring_to(cycle);
        true
    }

    /// Goes back to the moment in front of the last interrupt that was taken. False, and nothing is changed, where none was.
    pub fn back_to_interrupt(&mut self, go_on: &mut dyn FnMut() -> bool) -> bool {
        let (mut found, now) = (None, self.machine.cycles());
        self.backwards(go_on, &mut |_, chunk, _| {
            let is_it = |item: &&Item| item.kind == ItemKind::Interrupt && item.cycle < now;
            found = chunk.items.iter().rev().find(is_it).map(|item| item.cycle);
            found.is_none()
        });
        let Some(cycle) = found else { return false };
        // It was taken after the instruction that began there.
        let mut visitor = self.visitor();
        visitor.go_to(self, cycle);
        visitor.machine.step(now, &mut Vec::new());
        self.bring_to(visitor.machine.cycles().min(now));
        true
    }

    /// Goes back to the moment at which something was done by hand last: a key, a character, a value. False, and nothing is changed, where
    /// nothing was done before now.
    pub fn back_to_act(&mut self) -> bool {
        let now = self.machine.cycles();
        let last = self.acts().map(|row| row.0).filter(|&cycle| cycle < now).last();
        last.into_iter().for_each(|cycle| self.bring_to(cycle));
        last.is_some()
    }

    /// Goes back to the last time that an instruction came next. False, and nothing is changed, where it never did.
    pub fn back_to_address(&mut self, address: u32, go_on: &mut dyn FnMut() -> bool) -> bool {
        let stops: StopMap = [address].into_iter().collect();
        let found = self.last_at(&stops, false, go_on);
        found.into_iter().for_each(|cycle| self.bring_to(cycle));
        found.is_some()
    }

    /// The last cycle before now at which an instruction at one of the addresses began. A guard is asked on the way back as on the way
    /// forth: its condition holds, and it is passed as often as it says before it stops.
    fn last_at(&mut self, stops: &StopMap, guarded: bool, go_on: &mut dyn FnMut() -> bool) -> Option<u64> {
        if stops.addresses().is_empty() {
            return None;
        }
        let (mut found, now) = (None, self.machine.cycles());
        let (mut probe, mut visitor) = (self.probe(), self.visitor());
        let mut passed: BTreeMap<u32, u32> = BTreeMap::new();
        self.backwards(go_on, &mut |session, chunk, _| {
            let mut stops_there = |item: &&Item| {
                if item.kind != ItemKind::Instruction || item.cycle >= now || !stops.contains(item.address) {
                    return false;
                }
                let Some(guard) = session.guard(item.address).filter(|_| guarded) else { return true };
                if guard.condition.is_some() {
                    visitor.go_to(session, item.cycle);
                    std::mem::swap(&mut probe.machine, &mut visitor.machine);
                    let holds = probe.guard_holds(item.address);
                    std::mem::swap(&mut probe.machine, &mut visitor.machine);
                    if !holds {
                        return false;
                    }
                }
                let times = passed.entry(item.address).or_default();
                *times += 1;
                *times > guard.passes
            };
            found = chunk.items.iter().rev().find(&mut stops_there).map(|item| item.cycle);
            found.is_none()
        });
        found
    }

    /// A session with this one's programs, breakpoints and what they ask, which knows no past: to ask something about another machine.
    fn probe(&mut self) -> Self {
        let mut probe = Self::with_machine(self.machine.unseen(), self.firmware.clone());
        (probe.program, probe.services) = (self.program.clone(), self.services.clone());
        probe.guards = self.guards.clone();
        probe
    }

    /// Goes back to the moment in front of the last instruction after which an expression had another value than before. False, and
    /// nothing is changed, where it has always been as it is.
    ///
    /// # Errors
    /// The diagnostic says what is wrong with the expression.
    pub fn back_to_change(
        &mut self,
        of: &Formula,
        go_on: &mut dyn FnMut() -> bool,
    ) -> Result<bool, Box<Diagnostic>> {
        of.value(self)?;
        let value = |session: &Self| of.quick(session).unwrap_or(i64::MIN);
        let Some(cycle) = self.last_change(&value, false, go_on) else { return Ok(false) };
        self.bring_to(cycle);
        Ok(true)
    }

    /// The cycle of the last instruction after which something was not as in front of it; `behind` it, where that is asked for, and then only
    /// where it had become something else than 0.
    fn last_change(
        &mut self,
        value: &dyn Fn(&Self) -> i64,
        behind: bool,
        go_on: &mut dyn FnMut() -> bool,
    ) -> Option<u64> {
        let mut probe = self.probe();
        let (mut end, mut reach) = (self.machine.cycles(), NEAR);
        let kept: Vec<(Snapshot, usize)> =
            self.timeline.snapshots().map(|(snapshot, acts)| (snapshot.clone(), acts)).collect();
        for (snapshot, acts) in kept.iter().rev().filter(|kept| kept.0.cycles() <= self.machine.cycles()) {
            // The latest part first, since steps take long.
            loop {
                let begin = end.saturating_sub(reach).max(snapshot.cycles());
                probe.machine.restore(snapshot);
                let mut next = *acts;
                self.timeline.go(&mut probe.machine, &mut next, begin);
                let (mut found, mut before) = (None, value(&probe));
                while probe.machine.cycles() < end {
                    let cycle = probe.machine.cycles();
                    self.timeline.bring_told(&mut probe.machine, &mut next, end, &mut |machine, way| {
                        if let crate::session::time::Way::To(limit) = way
                            && machine.cycles() == cycle
                        {
                            machine.step(limit, &mut Vec::new());
                        }
                    });
                    let after = value(&probe);
                    if after != before && (!behind || after != 0) && (!behind || probe.machine.cycles() < end)
                    {
                        found = Some(if behind { probe.machine.cycles() } else { cycle });
                    }
                    before = after;
                    if probe.machine.cycles() == cycle || !go_on() {
                        break;
                    }
                }
                if found.is_some() || !go_on() {
                    return found;
                }
                end = begin;
                reach = reach.saturating_mul(8);
                if begin == snapshot.cycles() {
                    break;
                }
            }
        }
        None
    }

    /// A machine as it was at a cycle of the past, without what it recorded; as it is now where nothing is known of that.
    pub fn machine_at(&mut self, cycle: u64) -> crate::machine::Machine {
        if self.timeline.snapshots().next().is_none_or(|first| first.0.cycles() > cycle) {
            return self.machine.unseen();
        }
        let mut visitor = self.visitor();
        visitor.go_to(self, cycle);
        visitor.machine
    }

    /// Somebody who goes to moments of the past, one after the other, while the session stays where it is.
    pub(in crate::session) fn visitor(&mut self) -> Visitor {
        Visitor { machine: self.machine.unseen(), next: None }
    }
}

/// So many steps after the instruction before it an interrupt is taken at most.
pub(super) const SOON: usize = 4;

/// Goes to moments of the past.
pub(in crate::session) struct Visitor {
    pub machine: crate::machine::Machine,
    next: Option<usize>,
}

impl Visitor {
    /// Goes to a cycle.
    pub fn go_to(&mut self, session: &Session, cycle: u64) {
        let best = session.timeline.snapshots().rfind(|kept| kept.0.cycles() <= cycle);
        let here = self.machine.cycles();
        let is_near = |kept: &(&Snapshot, usize)| here < kept.0.cycles() || here > cycle;
        if let Some((snapshot, acts)) = best.filter(|kept| self.next.is_none() || is_near(kept)) {
            self.machine.restore(snapshot);
            self.next = Some(acts);
        }
        let mut next = self.next.unwrap_or(0);
        session.timeline.go(&mut self.machine, &mut next, cycle);
        self.next = Some(next);
    }
}

impl Visitor {
    /// How many acts are done where it stands.
    pub fn acts_done(&self) -> usize {
        self.next.unwrap_or(0)
    }

    /// The instruction after which the next interrupt from a cycle on is taken, and the cycle that it began at.
    pub fn before_interrupt(&mut self, session: &Session, cycle: u64) -> Option<(u32, u64)> {
        /// Instructions that are looked at, one by one.
        const PATIENCE: u32 = 1_000_000;
        self.go_to(session, cycle);
        let mut next = self.next.unwrap_or(0);
        let (mut last, mut found, mut left) = (None, false, PATIENCE);
        session.timeline.bring_told(
            &mut self.machine,
            &mut next,
            session.machine.cycles(),
            &mut |machine, way| {
                let Way::To(limit) = way else { return };
                while !found && left > 0 && machine.cycles() < limit {
                    let (place, begin, count) = (machine.place(), machine.cycles(), machine.instructions());
                    let mut notes = Vec::new();
                    machine.step(limit, &mut notes);
                    found = machine.instructions() == count && !notes.is_empty();
                    last = if found { last } else { Some((place, begin)) };
                    left -= 1;
                }
            },
        );
        self.next = Some(next);
        last.filter(|_| found)
    }

    /// The atoms that an interrupt sets which is taken after the instruction at a cycle.
    pub fn set_by_interrupt(&mut self, session: &Session, cycle: u64, atoms: &[Atom]) -> u64 {
        self.go_to(session, cycle);
        let mut machine = self.machine.clone();
        for _ in 0..SOON {
            let before: Vec<u64> = atoms.iter().map(|atom| atom.value(&machine)).collect();
            let count = machine.instructions();
            let mut notes = Vec::new();
            machine.step(u64::MAX, &mut notes);
            if machine.instructions() == count {
                let changed = atoms.iter().zip(before).enumerate();
                let changed = changed.filter(|(_, (atom, before))| atom.value(&machine) != *before);
                return changed.fold(0, |bits, (at, _)| bits | 1 << at);
            }
        }
        0
    }
}

fn wrong(message: impl Into<String>, help: impl Into<String>) -> Box<Diagnostic> {
    let span = crate::diagnostic::Span::default();
    Box::new(Diagnostic::error("whereabouts", span, message, help))
}
