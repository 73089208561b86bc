//! A chain of causes as it is told: with values, steps and names.

use super::Whereabouts;
use super::atom::Atom;
use super::follow::ItemKind;
use super::search::Loc;
use super::why::{Chain, Node, Origin, Why};
use super::writer::{SOON, Visitor};
use crate::session::{Act, Change, Moment, Session, Step, step};
use std::collections::BTreeMap;

impl Session {
    /// The chain as it is told: with values, steps and names.
    pub(super) fn tell(&mut self, chain: &Chain) -> Vec<Why> {
        // All moments in order, so that the way to each is short.
        let mut moments: BTreeMap<(u64, bool), Option<Seen>> = BTreeMap::new();
        for (kind, _, cycle) in chain.nodes.iter().filter_map(|node| node.by) {
            if kind != ItemKind::Act {
                moments.insert((cycle, kind == ItemKind::Interrupt), None);
            }
        }
        let mut visitor = self.visitor();
        let registers = |machine: &crate::machine::Machine| -> Vec<u64> {
            (0..machine.set().registers().len()).map(|place| machine.register(place)).collect()
        };
        for (&(cycle, is_interrupt), seen) in &mut moments {
            visitor.go_to(self, cycle);
            let mut after = visitor.machine.unseen();
            // An interrupt comes after the instruction that is known.
            for _ in 0..SOON {
                let moment = Moment::of(&after);
                let step = step::step(&mut after, u64::MAX);
                let is_it = step.interrupt == is_interrupt;
                *seen = Some(Seen { moment, step, after: registers(&after) });
                if is_it {
                    break;
                }
            }
        }
        let atoms = super::atom::atoms(self.processor());
        let first = self.timeline.snapshots().next().map(|kept| kept.0.cycles());
        let mut begin = self.visitor();
        if let Some(first) = first {
            begin.go_to(self, first);
        }
        let telling = Telling { session: self, chain, moments: &moments, atoms: &atoms, begin: &begin };
        chain.roots.iter().filter_map(|root| Some(telling.why(root.1?, LONGEST_CHAIN))).collect()
    }
}

/// What there is to tell of a moment: what was done, and the registers after it.
struct Seen {
    moment: Moment,
    step: Step,
    after: Vec<u64>,
}

/// A chain is told no deeper than this.
const LONGEST_CHAIN: usize = 200;

struct Telling<'t> {
    session: &'t Session,
    chain: &'t Chain,
    moments: &'t BTreeMap<(u64, bool), Option<Seen>>,
    atoms: &'t [Atom],
    begin: &'t Visitor,
}

impl Telling<'_> {
    fn seen(&self, (kind, _, cycle): (ItemKind, u32, u64)) -> Option<&Seen> {
        self.moments.get(&(cycle, kind == ItemKind::Interrupt))?.as_ref()
    }

    fn why(&self, number: usize, deepest: usize) -> Why {
        let node = &self.chain.nodes[number];
        let session = self.session;
        let seen = node.by.and_then(|by| self.seen(by));
        let (name, whereabouts, bits) = self.named(node.loc);
        let at_begin = || match node.loc {
            Loc::Atom(at) => self.atoms[at as usize].value(&self.begin.machine),
            Loc::Cell(address) => self.begin.machine.cell(address),
            Loc::Port(_) => 0,
        };
        let origin = match (node.by, seen) {
            (Some((ItemKind::Instruction, ..)), Some(Seen { moment, step, .. })) => {
                Origin::Instruction { moment: *moment, step: Box::new(step.clone()) }
            }
            (Some((ItemKind::Interrupt, ..)), Some(Seen { moment, .. })) => Origin::Interrupt(*moment),
            (Some((ItemKind::Service, ..)), Some(Seen { moment, .. })) => Origin::Service(*moment),
            (Some((ItemKind::Act, act, cycle)), _) => match session.timeline.act(act as usize) {
                Some(act) => Origin::Hand(Moment { cycle, instructions: 0 }, act.clone()),
                None => Origin::NeverSet,
            },
            _ if node.is_input => Origin::Input,
            _ => match node.loc {
                Loc::Cell(address) if session.is_loaded(address) => Origin::Loaded,
                _ => Origin::NeverSet,
            },
        };
        let value = match (&origin, node.loc, seen) {
            (Origin::Instruction { .. } | Origin::Interrupt(_), Loc::Atom(at), Some(Seen { after, .. })) => {
                let atom = &self.atoms[at as usize];
                (after[atom.place] & atom.mask) >> atom.shift()
            }
            (Origin::Input, loc, _) => self.input_value(node.parent, loc),
            (Origin::Hand(_, act), loc, _) => self.value_by_hand(act, loc),
            _ => node.value.unwrap_or_else(at_begin),
        };
        let children: Vec<usize> = if deepest == 0 { Vec::new() } else { node.children.clone() };
        let mut from: Vec<Why> = children.into_iter().map(|child| self.why(child, deepest - 1)).collect();
        // Where segments lie the loader has said.
        let by_loader = |one: &Why| {
            one.is_address
                && one.origin == Origin::NeverSet
                && matches!(one.name.as_str(), "DS" | "ES" | "SS")
        };
        from.retain(|one| !by_loader(one));
        // What goes on in the same place comes first.
        from.sort_by_key(|one| (one.is_address, one.name != name));
        let Node { turns, goes_on, is_address, .. } = *node;
        Why { name, whereabouts, value, bits, origin, turns, from, goes_on, is_address }
    }

    /// What was read from outside by the instruction of a link.
    fn input_value(&self, parent: Option<usize>, loc: Loc) -> u64 {
        let by = parent.and_then(|parent| self.chain.nodes[parent].by);
        let seen = by.and_then(|by| self.seen(by));
        let Some(Seen { step, .. }) = seen else { return 0 };
        let found = step.changes.iter().find_map(|change| match (change, loc) {
            (Change::In { port, value }, Loc::Port(wanted)) if *port == wanted => Some(*value),
            (Change::Chip { address, value, written: false }, Loc::Cell(wanted)) if *address == wanted => {
                Some(*value)
            }
            _ => None,
        });
        found.unwrap_or(0)
    }

    fn value_by_hand(&self, act: &Act, loc: Loc) -> u64 {
        match (act, loc) {
            (Act::Register { value, .. }, Loc::Atom(at)) => {
                let atom = &self.atoms[at as usize];
                let name = match act {
                    Act::Register { name, .. } => name.as_str(),
                    _ => "",
                };
                let place = self.session.processor().register(name);
                if place == Some(atom.place) {
                    (value & atom.mask) >> atom.shift()
                } else {
                    *value & (atom.mask >> atom.shift())
                }
            }
            (Act::Cells(cells), Loc::Cell(address)) => {
                cells.cells.get(address.wrapping_sub(cells.start) as usize).copied().unwrap_or(0)
            }
            (Act::Fill { value, .. }, _) => *value,
            _ => 0,
        }
    }

    fn named(&self, loc: Loc) -> (String, Whereabouts, u8) {
        let set = self.session.processor();
        match loc {
            Loc::Atom(at) => {
                let atom = &self.atoms[at as usize];
                let name = match set.flag(atom.name).filter(|_| atom.is_flag) {
                    Some(flag) => set.flag_name(flag),
                    None => atom.name.to_string(),
                };
                (name.clone(), Whereabouts::Register(name), atom.bits())
            }
            Loc::Cell(address) => {
                (self.session.cell_name(address), Whereabouts::Cell(address), set.cell_bits())
            }
            Loc::Port(port) => (format!("port {}", set.port(port)), Whereabouts::Port(port), set.cell_bits()),
        }
    }
}

impl Session {
    /// A cell as it is told: by its label, by the one before it and the distance, by a chip's register, or by its address.
    pub fn cell_name(&self, address: u32) -> String {
        /// A label further off says nothing of a cell.
        const FAR: u32 = 64;
        if let Some(label) = self.label(address) {
            return label.to_string();
        }
        if self.machine.is_chip(address) {
            let names = self.machine.board().names();
            if let Some(name) = names.iter().find(|one| one.value == address) {
                return name.name.clone();
            }
        }
        let labels = self.labels();
        let before = labels.range(..address).next_back().filter(|row| address - row.0 < FAR);
        // After a label of an instruction only its own cells are.
        let line = |at: u32| self.texts().find_map(|one| one.line(at));
        let has = |at: u32| line(at).is_none_or(|line| !line.code || address - at < line.cells);
        match before.filter(|row| has(*row.0)) {
            Some((at, label)) => format!("{label} + {}", address - at),
            None => format!("[{}]", self.machine.spell(address)),
        }
    }

    /// True where a cell came with the program or the firmware.
    pub(in crate::session) fn is_loaded(&self, address: u32) -> bool {
        self.texts().any(|one| one.image.cell(address).is_some())
    }
}
