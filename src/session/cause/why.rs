//! The chain that explains a value: by which instruction it came to be, and from what, and so on to its beginning.
//!
//! The past is gone through once, backwards, with a list of what is wanted: what writes something that is wanted is a link, and what that
//! was made from is wanted next. Where a loop goes the same way again and again its links are one, with a count.

use super::follow::{Chunk, Follower, Item, ItemKind};
use super::search::{Hit, Loc, Wanted};
use super::writer::{SOON, Visitor};
use super::{Whereabouts, effect::Inputs};
use crate::machine::What;
use crate::session::{Act, Moment, Session, Step, step};
use std::collections::BTreeMap;

/// A value, and why it is so.
#[derive(Debug, Clone, PartialEq)]
pub struct Why {
    /// What has it: `A`, `CY`, `nights`, `[4013]`, `port 10`.
    pub name: String,
    /// Where it is.
    pub whereabouts: Whereabouts,
    /// The value.
    pub value: u64,
    /// Its width.
    pub bits: u8,
    /// How it came to be.
    pub origin: Origin,
    /// How often the same instruction had given it its value since the link that follows.
    pub turns: u64,
    /// What the instruction made it from; empty where that is nothing but a constant, or where it is not asked further.
    pub from: Vec<Why>,
    /// True where there is more behind it than was asked for.
    pub goes_on: bool,
    /// True where it is what the address was made from that the instruction reached for, and no part of the value. Only for the value that
    /// was asked for is that followed.
    pub is_address: bool,
}

/// How a value came to be.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Origin {
    /// By an instruction.
    Instruction {
        /// The moment in front of it.
        moment: Moment,
        /// What it did.
        step: Box<Step>,
    },
    /// By an interrupt that was taken at that moment.
    Interrupt(Moment),
    /// By a service of the board at that moment.
    Service(Moment),
    /// By hand at that moment.
    Hand(Moment, Act),
    /// It was read from outside: from a port, or from a chip's register.
    Input,
    /// It was loaded with the program, or is the firmware's.
    Loaded,
    /// Nothing has set it since the program began.
    NeverSet,
}

/// So many links there are at most.
const MOST_LINKS: usize = 400;
/// So far back in the chain the same instruction is looked for.
const LONGEST_LOOP: usize = 24;

/// A link while the chain is being found.
struct Node {
    loc: Loc,
    /// Where it comes from; `None` as long as nothing is found.
    by: Option<(ItemKind, u32, u64)>,
    value: Option<u64>,
    turns: u64,
    children: Vec<usize>,
    parent: Option<usize>,
    depth: usize,
    /// What of its inputs leads round again to a link that is there.
    loops: Vec<Loc>,
    is_input: bool,
    goes_on: bool,
    is_address: bool,
}

/// The links, and what is wanted: each location by the links that were made from it.
struct Chain {
    nodes: Vec<Node>,
    wanted: Wanted,
    waiting: BTreeMap<Loc, Vec<Option<usize>>>,
    roots: Vec<(Loc, Option<usize>)>,
    depth: usize,
    /// What only addresses were made from.
    addresses: Vec<Loc>,
}

/// Something that an item wrote, and what it was made from: by the processor, and from outside.
struct Found {
    hit: Hit,
    inputs: Vec<Loc>,
    outside: Vec<Loc>,
    /// What the address was made from that it reached for.
    address: Vec<Loc>,
}

impl Chain {
    fn new(roots: Vec<Loc>, depth: usize) -> Self {
        let mut chain = Self {
            nodes: Vec::new(),
            wanted: Wanted::default(),
            waiting: BTreeMap::new(),
            roots: roots.iter().map(|&loc| (loc, None)).collect(),
            depth,
            addresses: Vec::new(),
        };
        roots.into_iter().for_each(|loc| chain.want(loc, None));
        chain
    }

    fn want(&mut self, loc: Loc, parent: Option<usize>) {
        self.wanted.add(loc);
        let waiting = self.waiting.entry(loc).or_default();
        if !waiting.contains(&parent) {
            waiting.push(parent);
        }
    }

    fn add(&mut self, loc: Loc, parent: Option<usize>, by: Option<(ItemKind, u32, u64)>) -> usize {
        let depth = parent.map_or(0, |parent| self.nodes[parent].depth + 1);
        let number = self.nodes.len();
        let (children, loops) = (Vec::new(), Vec::new());
        self.nodes.push(Node {
            loc,
            by,
            value: None,
            turns: 1,
            children,
            parent,
            depth,
            loops,
            is_input: false,
            goes_on: false,
            is_address: false,
        });
        match parent {
            Some(parent) => {
                self.nodes[number].is_address =
                    self.nodes[parent].depth == 0 && self.addresses.contains(&loc);
                self.nodes[parent].children.push(number);
            }
            None => {
                let root = self.roots.iter_mut().find(|root| root.0 == loc && root.1.is_none());
                root.into_iter().for_each(|root| root.1 = Some(number));
            }
        }
        number
    }

    /// The link of the same instruction to which a loop leads back: a child of `parent`, or one on the way to it.
    fn same(&self, parent: usize, loc: Loc, address: u32) -> Option<usize> {
        let is_same = |node: &Node| {
            node.loc == loc && node.by.is_some_and(|by| by.0 == ItemKind::Instruction && by.1 == address)
        };
        let child = self.nodes[parent].children.iter().copied().find(|&child| is_same(&self.nodes[child]));
        let mut above = Some(parent);
        child.or_else(|| {
            (0..LONGEST_LOOP).find_map(|_| {
                let at = above?;
                above = self.nodes[at].parent;
                is_same(&self.nodes[at]).then_some(at)
            })
        })
    }

    /// An item wrote what is wanted. What it took for that it took before, so that all of it is wanted only when all is found.
    fn hit(&mut self, item: &Item, found: Vec<Found>) {
        let mut next: Vec<(Loc, usize)> = Vec::new();
        let parents: Vec<Vec<Option<usize>>> = found
            .iter()
            .map(|one| {
                self.wanted.remove(one.hit.loc);
                self.waiting.remove(&one.hit.loc).unwrap_or_default()
            })
            .collect();
        for (found, parents) in found.iter().zip(parents) {
            for parent in parents {
                self.link(item, found, parent, &mut next);
            }
        }
        next.into_iter().for_each(|(loc, node)| self.want(loc, Some(node)));
    }

    fn link(&mut self, item: &Item, found: &Found, parent: Option<usize>, next: &mut Vec<(Loc, usize)>) {
        let Found { hit, inputs, outside, address } = found;
        let is_instruction = item.kind == ItemKind::Instruction;
        let same = parent.filter(|_| is_instruction).and_then(|at| self.same(at, hit.loc, item.address));
        if let (Some(same), Some(parent)) = (same, parent) {
            self.nodes[same].turns += 1;
            if !self.nodes[parent].children.contains(&same) && !self.nodes[parent].loops.contains(&hit.loc) {
                self.nodes[parent].loops.push(hit.loc);
            }
            let node = &self.nodes[same];
            let leads = |loc: &Loc| {
                node.loops.contains(loc) || node.children.iter().any(|&child| self.nodes[child].loc == *loc)
            };
            next.extend(inputs.iter().filter(|loc| leads(loc)).map(|&loc| (loc, same)));
            return;
        }
        let node = self.add(hit.loc, parent, Some((item.kind, item.address, item.cycle)));
        let is_known = item.kind == ItemKind::Service || !matches!(hit.loc, Loc::Atom(_));
        self.nodes[node].value = is_known.then_some(hit.value);
        if self.nodes[node].depth + 1 >= self.depth || self.nodes.len() >= MOST_LINKS {
            self.nodes[node].goes_on = !inputs.is_empty();
            return;
        }
        for &loc in outside {
            let input = self.add(loc, Some(node), None);
            self.nodes[input].is_input = true;
        }
        next.extend(inputs.iter().map(|&loc| (loc, node)));
        if self.nodes[node].depth == 0 {
            let more: Vec<Loc> = address.iter().copied().filter(|loc| !inputs.contains(loc)).collect();
            next.extend(more.iter().map(|&loc| (loc, node)));
            self.addresses.extend(more);
        }
    }

    /// What is still wanted was never written.
    fn finish(&mut self) {
        for (loc, parents) in std::mem::take(&mut self.waiting) {
            for parent in parents {
                self.add(loc, parent, None);
            }
        }
    }
}

impl Session {
    /// Why something has the value that it has: the chain of instructions that led to it, at most so many links deep. A register that
    /// consists of several pieces gives a chain for each. `go_on` is asked now and then.
    pub fn why(&mut self, of: &Whereabouts, depth: usize, go_on: &mut dyn FnMut() -> bool) -> Vec<Why> {
        let mut chain = Chain::new(self.locations_of_word(of), depth.max(1));
        let mut hits = Vec::new();
        let mut visitor = self.visitor();
        self.backwards(go_on, &mut |session, chunk, follower| {
            for item in chunk.items.iter().rev() {
                let effect = match item.kind {
                    ItemKind::Instruction => follower.effects.get(item.effect as usize).map(AsRef::as_ref),
                    _ => None,
                };
                if item.kind == ItemKind::Act {
                    let act = session.timeline.act(item.address as usize);
                    let set =
                        act.map_or(Vec::new(), |act| chain.wanted.set_by(act, session, follower.atoms()));
                    hits.clear();
                    hits.extend(set.into_iter().map(|loc| Hit { loc, write: 0, value: 0 }));
                } else {
                    chain.wanted.written(item, chunk, effect, follower.atoms(), &mut hits);
                }
                if item.kind == ItemKind::Interrupt && chain.wanted.atoms != 0 {
                    let set = visitor.set_by_interrupt(session, item.cycle, follower.atoms());
                    hits.extend(chain.wanted.atoms_of(set));
                }
                if hits.is_empty() {
                    continue;
                }
                let found = hits.iter().map(|&hit| {
                    let inputs = effect.map_or(Inputs::default(), |effect| match hit.loc {
                        Loc::Atom(at) => effect.of_atom(at),
                        _ => effect.writes.get(hit.write).copied().unwrap_or_default(),
                    });
                    let (inputs, outside) = session.made_from(inputs, item, chunk, follower);
                    let address = match effect {
                        Some(effect) if !effect.moves_stack => {
                            session.made_from(effect.address, item, chunk, follower).0
                        }
                        _ => Vec::new(),
                    };
                    Found { hit, inputs, outside, address }
                });
                let found = found.collect();
                chain.hit(item, found);
                if chain.wanted.is_empty() {
                    return false;
                }
            }
            true
        });
        chain.finish();
        self.tell(&chain)
    }

    /// Where something is; of a label of a word of a few cells, all of them.
    fn locations_of_word(&self, of: &Whereabouts) -> Vec<Loc> {
        /// Data that is longer is a table.
        const LONGEST: u32 = 4;
        let mut all = self.locations(of);
        if let Whereabouts::Cell(address) = *of {
            let end = self.texts().find_map(|program| program.data_end(address));
            let whole = end.filter(|end| end - address <= LONGEST && self.label(address).is_some());
            all.extend((address + 1..whole.unwrap_or(address)).map(Loc::Cell));
        }
        all
    }

    /// The locations that something was made from, and those of them that are read from outside.
    fn made_from(
        &self,
        inputs: Inputs,
        item: &Item,
        chunk: &Chunk,
        follower: &Follower,
    ) -> (Vec<Loc>, Vec<Loc>) {
        let (mut own, mut outside) = (Vec::new(), Vec::new());
        own.extend((0..64).filter(|at| inputs.atoms >> at & 1 != 0).map(Loc::Atom));
        for (number, done) in chunk.accesses(item).iter().enumerate().take(64) {
            if inputs.accesses >> number & 1 == 0 {
                continue;
            }
            match done.what {
                What::Read if self.machine.is_chip(done.address) => outside.push(Loc::Cell(done.address)),
                What::Read => own.push(self.loc_of_cell(done.address, follower.atoms())),
                What::In => outside.push(Loc::Port(done.address)),
                _ => {}
            }
        }
        (own, outside)
    }

    /// The chain as it is told: with values, steps and names.
    fn tell(&mut self, chain: &Chain) -> Vec<Why> {
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

/// What there is to tell of a moment: what was done, and the registers behind it.
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
    atoms: &'t [super::atom::Atom],
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
        use crate::session::Change;
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
        // Behind a label of an instruction only its own cells are.
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
