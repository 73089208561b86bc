//! The chain that explains a value: by which instruction it came to be, and from what, and so on to its beginning.
//!
//! The past is gone through once, backwards, with a list of what is wanted: what writes something that is wanted is a link, and what that
//! was made from is wanted next. Where a loop goes the same way again and again its links are one, with a count.

use super::follow::{Chunk, Follower, Item, ItemKind};
use super::search::{Hit, Loc, Wanted};
use super::{Whereabouts, effect::Inputs};
use crate::machine::What;
use crate::session::{Act, Moment, Session, Step};
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
    /// True where there is more after it than was asked for.
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
pub(super) struct Node {
    pub loc: Loc,
    /// Where it comes from; `None` as long as nothing is found.
    pub by: Option<(ItemKind, u32, u64)>,
    pub value: Option<u64>,
    pub turns: u64,
    pub children: Vec<usize>,
    pub parent: Option<usize>,
    pub depth: usize,
    /// What of its inputs leads round again to a link that is there.
    pub loops: Vec<Loc>,
    pub is_input: bool,
    pub goes_on: bool,
    pub is_address: bool,
}

/// The links, and what is wanted: each location by the links that were made from it.
pub(super) struct Chain {
    pub nodes: Vec<Node>,
    wanted: Wanted,
    waiting: BTreeMap<Loc, Vec<Option<usize>>>,
    pub roots: Vec<(Loc, Option<usize>)>,
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
}
