//! Where a run went and what that took: how often every instruction ran, which ways its branches went, and the time of each chain of
//! calls. Found afterwards, by following the run that the session remembers.

use super::Session;
use super::cause::follow::Pages;
use super::time::Way;
use crate::machine::Watching;
use crate::processor::Flow;
use serde::Serialize;
use std::collections::BTreeMap;

/// What a run did at an instruction.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
pub struct Counted {
    /// How often it was executed.
    pub times: u64,
    /// Cycles that it took, with waits in it and what an interrupt took after it.
    pub cycles: u64,
    /// Of an instruction with a condition how often that held, and how often not.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ways: Option<[u64; 2]>,
}

impl Counted {
    /// True where an instruction with a condition was executed and went one way only.
    pub fn is_one_way(self) -> bool {
        self.times > 0 && self.ways.is_some_and(|ways| ways.contains(&0))
    }
}

/// What a run did at each instruction, and the time of each chain of calls.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Profile {
    /// By the address of the instruction.
    pub counted: BTreeMap<u32, Counted>,
    /// Cycles of each chain of calls, its names from the outermost on with `;` between.
    pub stacks: BTreeMap<String, u64>,
}

impl Profile {
    /// Adds another run of the same program.
    pub fn add(&mut self, other: &Self) {
        for (&address, one) in &other.counted {
            let own = self.counted.entry(address).or_default();
            own.times += one.times;
            own.cycles += one.cycles;
            if let Some([yes, no]) = one.ways {
                let ways = own.ways.get_or_insert_default();
                *ways = [ways[0] + yes, ways[1] + no];
            }
        }
        for (chain, cycles) in &other.stacks {
            *self.stacks.entry(chain.clone()).or_default() += cycles;
        }
    }

    /// Cycles of the whole run.
    pub fn cycles(&self) -> u64 {
        self.counted.values().map(|one| one.cycles).sum()
    }
}

/// What is known of an instruction.
#[derive(Debug, Clone, Copy)]
struct Facts {
    address: u32,
    /// The address after it.
    follow: u32,
    flow: Option<Flow>,
    counted: Counted,
}

/// A routine that was called in a chain.
#[derive(Debug)]
struct Node {
    name: String,
    parent: Option<usize>,
    children: Vec<usize>,
    cycles: u64,
}

/// A chain deeper than this is told no deeper.
const DEEPEST: usize = 256;

struct Profiler<'s> {
    session: &'s Session,
    /// The place of an instruction among the facts, plus one.
    places: Pages<u32>,
    facts: Vec<Facts>,
    nodes: Vec<Node>,
    /// Where each open call goes back to, and the node it was made in.
    open: Vec<(u32, usize)>,
    node: usize,
    last: Option<(usize, u64)>,
}

impl<'s> Profiler<'s> {
    fn of(session: &'s Session, start: u32) -> Self {
        let name = session.label(start).map_or_else(|| session.machine.spell(start), str::to_string);
        let root = Node { name, parent: None, children: Vec::new(), cycles: 0 };
        let places = Pages::of(session.processor().last_address());
        Self { session, places, facts: Vec::new(), nodes: vec![root], open: Vec::new(), node: 0, last: None }
    }

    fn place(&mut self, address: u32) -> usize {
        match self.places.get(address) {
            Some(&place) if place > 0 => place as usize - 1,
            _ => self.learn(address),
        }
    }

    #[cold]
    fn learn(&mut self, address: u32) -> usize {
        let decoded = self.session.instruction_at(address).0;
        let length = decoded.map_or(1, |one| one.cells() as u32);
        let flow = decoded.map(|one| one.row.flow);
        let has_condition = matches!(
            flow,
            Some(Flow::Branch | Flow::Skip | Flow::CallIf | Flow::ReturnIf | Flow::RestartIf(_))
        );
        let counted = Counted { ways: has_condition.then_some([0, 0]), ..Counted::default() };
        let follow = address.wrapping_add(length) & self.session.processor().last_address();
        self.facts.push(Facts { address, follow, flow, counted });
        if let Some(place) = self.places.at(address) {
            *place = self.facts.len() as u32;
        }
        self.facts.len() - 1
    }

    /// An instruction began.
    fn saw(&mut self, address: u32, cycle: u64) {
        let place = self.place(address);
        if let Some((last, began)) = self.last {
            self.went(last, cycle - began, address);
        }
        self.facts[place].counted.times += 1;
        self.last = Some((place, cycle));
    }

    /// An instruction is over, and execution went to an address.
    fn went(&mut self, place: usize, cycles: u64, next: u32) {
        let Facts { address, follow, flow, counted } = &mut self.facts[place];
        counted.cycles += cycles;
        self.nodes[self.node].cycles += cycles;
        let goes_on = next == *follow;
        if let Some(ways) = &mut counted.ways {
            ways[usize::from(goes_on)] += 1;
        }
        // Straight on, and round in itself, is most of what happens.
        if goes_on || next == *address {
            return;
        }
        let (follow, flow) = (*follow, *flow);
        match flow {
            Some(flow) if flow.is_call() || matches!(flow, Flow::Break(_)) => {
                let back = if let Flow::Break(cells) = flow { address.wrapping_add(cells) } else { follow };
                let is_storing = flow == Flow::CallStoring;
                self.call(if is_storing { next.wrapping_sub(1) } else { next }, back);
            }
            Some(Flow::Return | Flow::ReturnIf) => self.back(next),
            Some(Flow::Jump | Flow::Indirect) if self.open.last().is_some_and(|open| open.0 == next) => {
                self.back(next);
            }
            // Nothing leads there from here: an interrupt was taken.
            Some(Flow::On | Flow::Enable | Flow::Halt) | None => self.call(next, follow),
            _ => {}
        }
    }

    fn call(&mut self, to: u32, back: u32) {
        if self.open.len() >= DEEPEST {
            return;
        }
        let session = self.session;
        let name = session.label(to).map_or_else(|| session.machine.spell(to), str::to_string);
        let known = self.nodes[self.node].children.iter().copied().find(|&at| self.nodes[at].name == name);
        let node = known.unwrap_or_else(|| {
            self.nodes.push(Node { name, parent: Some(self.node), children: Vec::new(), cycles: 0 });
            let new = self.nodes.len() - 1;
            self.nodes[self.node].children.push(new);
            new
        });
        self.open.push((back, self.node));
        self.node = node;
    }

    /// Back to the call that leads there; calls that were made since are left. To an instruction in front of a call some skip a cell or two.
    fn back(&mut self, to: u32) {
        const MOST_SKIPPED: u32 = 2;
        let leads = |back: u32| to.wrapping_sub(back) <= MOST_SKIPPED;
        if let Some(at) = self.open.iter().rposition(|open| leads(open.0)) {
            self.node = self.open[at].1;
            self.open.truncate(at);
        }
    }

    fn finish(mut self, end: u64) -> Profile {
        if let Some((last, began)) = self.last {
            self.facts[last].counted.cycles += end.saturating_sub(began);
            self.nodes[self.node].cycles += end.saturating_sub(began);
        }
        let chain = |mut at: usize| {
            let mut names = vec![self.nodes[at].name.as_str()];
            while let Some(parent) = self.nodes[at].parent {
                names.push(self.nodes[parent].name.as_str());
                at = parent;
            }
            names.reverse();
            names.join(";")
        };
        let stacks = (0..self.nodes.len()).filter(|&at| self.nodes[at].cycles > 0);
        Profile {
            stacks: stacks.map(|at| (chain(at), self.nodes[at].cycles)).collect(),
            counted: self.facts.iter().map(|one| (one.address, one.counted)).collect(),
        }
    }
}

impl Session {
    /// Where the run up to now went, and what that took. `go_on` is asked now and then.
    pub fn profile(&mut self, go_on: &mut dyn FnMut() -> bool) -> Profile {
        const PATIENCE: u64 = 8_000_000;
        let mut machine = self.machine.unseen();
        let Some((first, mut next)) = self.timeline.snapshots().next() else { return Profile::default() };
        if self.machine.is_linked() {
            return Profile::default();
        }
        machine.restore(first);
        let end = self.machine.cycles();
        let mut profiler = Profiler::of(self, machine.place());
        while machine.cycles() < end && go_on() {
            let (before, to) = (machine.cycles(), end.min(machine.cycles() + PATIENCE));
            self.timeline.bring_told(&mut machine, &mut next, to, &mut |machine, way| {
                if let Way::To(limit) = way {
                    machine.run(
                        limit,
                        Watching::Each(&mut |row| {
                            row.iter().for_each(|seen| profiler.saw(seen.address, seen.cycle));
                        }),
                    );
                }
            });
            if machine.cycles() == before {
                break;
            }
        }
        profiler.finish(end)
    }
}
