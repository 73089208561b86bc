//! The flow chart of a program, computed from its cells: what is done, asked and called, and where it goes from there.
//!
//! Every routine is a column of its own. Its boxes stand in order of address; what goes on downwards is a line, a jump
//! back a line on the left, a jump ahead one on the right.

mod layout;
mod picture;
mod text;

use super::blocks::{Block, Exit, blocks_of};
use super::comparison;
use super::reach::{Reach, reach};
use crate::assembler::{Assembly, Line, LineKind, SymbolKind, statement};
use crate::image::Image;
use crate::processor::{Decoded, Flow, InstructionSet};
use layout::Routine;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// What an instruction is shown as.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct Words {
    /// The instruction.
    pub text: String,
    /// The comment beside it.
    pub comment: String,
}

/// What a box is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum Shape {
    /// Where a routine begins.
    Start,
    /// Instructions.
    Process,
    /// A subroutine called.
    Call,
    /// A question.
    Decision,
    /// Where it ends.
    End,
}

/// A box.
#[derive(Debug, Clone, Serialize)]
pub(super) struct Node {
    pub shape: Shape,
    pub label: Option<String>,
    pub lines: Vec<Words>,
}

/// A way from one box to another.
#[derive(Debug, Clone, Copy, Serialize)]
pub(super) struct Way {
    pub from: usize,
    pub to: usize,
    pub words: &'static str,
}

/// A flow chart.
#[derive(Debug)]
pub struct FlowChart {
    title: String,
    routines: Vec<Routine>,
}

/// The boxes of each routine and the ways between them, by the places of the boxes.
impl Serialize for FlowChart {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        use serde::ser::SerializeStruct;
        #[derive(Serialize)]
        struct Drawn<'a> {
            boxes: &'a [Node],
            ways: &'a [Way],
        }
        let routines: Vec<Drawn<'_>> =
            self.routines.iter().map(|one| Drawn { boxes: &one.nodes, ways: &one.ways }).collect();
        let mut fields = serializer.serialize_struct("FlowChart", 2)?;
        fields.serialize_field("title", &self.title)?;
        fields.serialize_field("routines", &routines)?;
        fields.end()
    }
}

/// Where names and words come from.
pub trait Names {
    /// The label at an address.
    fn label(&self, address: u32) -> Option<String>;
    /// The instruction at an address as it is to be shown.
    fn words(&self, address: u32, decoded: &Decoded) -> Words;
}

/// Computes the flow chart of a program, from its entries.
pub fn flow_chart(
    title: &str,
    set: &'static InstructionSet,
    image: &Image,
    entries: &[u32],
    names: &dyn Names,
) -> FlowChart {
    let reach = reach(set, image, entries);
    let blocks = blocks_of(&reach, entries);
    let mut taken: BTreeSet<u32> = BTreeSet::new();
    let called = blocks.values().filter(|block| block.called).map(|block| block.first);
    let starts: Vec<u32> = entries.iter().copied().chain(called).collect();
    let mut routines = Vec::new();
    // What is left was reached otherwise: after a halt that an interrupt ended.
    let rest = blocks.keys().copied();
    for start in starts.iter().copied().chain(rest) {
        if taken.contains(&start) || !blocks.contains_key(&start) {
            continue;
        }
        let own = routine_blocks(&blocks, start, &starts, &mut taken);
        let builder = Builder { set, names, blocks: &blocks, own, nodes: Vec::new(), ways: Vec::new() };
        routines.push(builder.build(start, &reach));
    }
    FlowChart { title: title.to_string(), routines }
}

/// The blocks that belong to the routine: those it reaches and that no other begins with.
fn routine_blocks(
    blocks: &BTreeMap<u32, Block>,
    start: u32,
    starts: &[u32],
    taken: &mut BTreeSet<u32>,
) -> BTreeSet<u32> {
    let mut own = BTreeSet::new();
    let mut open = vec![start];
    while let Some(at) = open.pop() {
        let Some(block) = blocks.get(&at) else { continue };
        if (at != start && starts.contains(&at)) || !taken.insert(at) {
            continue;
        }
        own.insert(at);
        open.extend(block.followers());
    }
    own
}

/// So many blocks back a comparison is looked for.
const LOOKS_BACK: usize = 4;

/// What an instruction does beside going elsewhere: `adds 1 to accumulator 2` of `aojn 2, again`.
fn work(decoded: &Decoded) -> Option<String> {
    let meaning = decoded.row.meaning;
    let ends = ["; jump", "; skip", " and goes to the label", " and skip if"];
    let end = ends.iter().filter_map(|end| meaning.find(end)).min()?;
    let (verb, rest) = meaning[..end].split_once(' ')?;
    let verb = if verb.ends_with('s') { verb.to_string() } else { format!("{verb}s") };
    let accumulator = format!("accumulator {:o}", decoded.operands[0]);
    let rest = match decoded.row.operands.first() {
        Some(crate::processor::Shape::Digit { .. }) => rest.replace("the accumulator", &accumulator),
        _ => rest.to_string(),
    };
    // What only asks does no work.
    (!matches!(verb.as_str(), "skips" | "jumps" | "goes")).then(|| format!("{verb} {rest}"))
}

struct Builder<'a> {
    set: &'static InstructionSet,
    names: &'a dyn Names,
    blocks: &'a BTreeMap<u32, Block>,
    own: BTreeSet<u32>,
    nodes: Vec<Node>,
    ways: Vec<(usize, Target, &'static str)>,
}

#[derive(Clone, Copy)]
enum Target {
    Node(usize),
    Block(u32),
}

impl Builder<'_> {
    fn node(&mut self, shape: Shape, text: impl Into<String>) -> usize {
        let lines = vec![Words { text: text.into(), comment: String::new() }];
        self.nodes.push(Node { shape, label: None, lines });
        self.nodes.len() - 1
    }

    /// What the branch at the end of a block asks, in terms of what was compared before it; in the block itself, or in the only one that
    /// leads to it.
    fn asks(&self, block: &Block) -> Option<String> {
        let (branch, before) = block.instructions.split_last()?;
        let mut instructions = before.to_vec();
        let mut first = block;
        for _ in 0..LOOKS_BACK {
            if let Some(at) = comparison::setter(&instructions, &branch.1) {
                let (address, setter) = &instructions[at];
                let text = self.names.words(*address, setter).text;
                return comparison::comparison(setter, &text, &branch.1).map(|one| one.words());
            }
            let mut before = self.blocks.values().filter(|one| one.followers().any(|to| to == first.first));
            let (only, None) = (before.next()?, before.next()) else { return None };
            if first.called || only.first == first.first {
                return None;
            }
            instructions.splice(0..0, only.instructions.iter().copied());
            first = only;
        }
        None
    }

    fn name(&self, address: u32) -> String {
        self.names.label(address).unwrap_or_else(|| self.set.address(address.into()))
    }

    fn build(mut self, start: u32, reach: &Reach<'_>) -> Routine {
        let begin = match self.name(start) {
            name if reach.is_called(start) || name == "start" => name,
            name => format!("start {name}"),
        };
        let first = self.node(Shape::Start, begin);
        self.ways.push((first, Target::Block(start), ""));
        let mut firsts: HashMap<u32, usize> = HashMap::new();
        // The routine's beginning comes first, wherever it stands in memory.
        let order: Vec<u32> = self.own.range(start..).chain(self.own.range(..start)).copied().collect();
        for at in order {
            let block = &self.blocks[&at];
            if let Some(node) = self.block(block, at == start) {
                firsts.insert(at, node);
            }
        }
        let mut ways = Vec::new();
        for (from, target, words) in std::mem::take(&mut self.ways) {
            let to = match target {
                Target::Node(node) => node,
                Target::Block(address) => self.first_of(address, &firsts),
            };
            ways.push(Way { from, to, words });
        }
        Routine::new(self.nodes, ways)
    }

    /// The first box of a block; a block that is nothing but a jump is where it leads.
    fn first_of(&mut self, address: u32, firsts: &HashMap<u32, usize>) -> usize {
        let mut at = address;
        for _ in 0..self.blocks.len() {
            if let Some(&node) = firsts.get(&at) {
                return node;
            }
            match self.blocks.get(&at) {
                Some(Block { exit: Exit::Jump(next), .. }) if self.own.contains(&at) => at = *next,
                _ => break,
            }
        }
        let words = format!("goes on at {}", self.name(address));
        self.node(Shape::End, words)
    }

    /// The boxes of a block, one after the other; returns the first.
    fn block(&mut self, block: &Block, is_start: bool) -> Option<usize> {
        let mut first = None;
        let mut last: Option<(usize, &'static str)> = None;
        let mut lines: Vec<Words> = Vec::new();
        let mut label = self.names.label(block.first).filter(|_| !is_start);
        let mut skips: Vec<usize> = Vec::new();
        for (address, decoded) in &block.instructions {
            let flow = decoded.row.flow;
            let words = self.names.words(*address, decoded);
            match flow {
                Flow::On | Flow::Enable | Flow::Repeat => lines.push(words),
                _ if flow.is_call() => {
                    self.flush(&mut lines, &mut label, &mut first, &mut last, &mut skips);
                    if let Some(condition) = decoded.condition() {
                        let question = self.node(Shape::Decision, format!("{condition}?"));
                        self.nodes[question].label = label.take();
                        self.join(question, &mut first, &mut last, &mut skips);
                        last = Some((question, "yes"));
                        let call = self.call(decoded, &words);
                        self.join(call, &mut first, &mut last, &mut skips);
                        skips.push(question);
                    } else {
                        let call = self.call(decoded, &words);
                        self.nodes[call].label = label.take();
                        self.join(call, &mut first, &mut last, &mut skips);
                    }
                }
                _ => lines.extend(work(decoded).map(|text| Words { text, comment: words.comment })),
            }
        }
        self.flush(&mut lines, &mut label, &mut first, &mut last, &mut skips);
        self.exit(block, label, &mut first, &mut last, &mut skips);
        first
    }

    fn call(&mut self, decoded: &Decoded, words: &Words) -> usize {
        // What calls a service by a number says so itself.
        let text = match decoded.goes_to() {
            Some(to) => format!("call {}", self.name(to)),
            None => words.text.clone(),
        };
        let node = self.node(Shape::Call, text);
        self.nodes[node].lines[0].comment.clone_from(&words.comment);
        node
    }

    /// Makes a box of the instructions gathered so far.
    fn flush(
        &mut self,
        lines: &mut Vec<Words>,
        label: &mut Option<String>,
        first: &mut Option<usize>,
        last: &mut Option<(usize, &'static str)>,
        skips: &mut Vec<usize>,
    ) {
        if !lines.is_empty() {
            let lines = std::mem::take(lines);
            self.nodes.push(Node { shape: Shape::Process, label: label.take(), lines });
            self.join(self.nodes.len() - 1, first, last, skips);
        }
    }

    /// Puts a box after the last one.
    fn join(
        &mut self,
        node: usize,
        first: &mut Option<usize>,
        last: &mut Option<(usize, &'static str)>,
        skips: &mut Vec<usize>,
    ) {
        first.get_or_insert(node);
        if let Some((before, words)) = last.replace((node, "")) {
            self.ways.push((before, Target::Node(node), words));
        }
        for skip in skips.drain(..) {
            self.ways.push((skip, Target::Node(node), "no"));
        }
    }

    fn exit(
        &mut self,
        block: &Block,
        label: Option<String>,
        first: &mut Option<usize>,
        last: &mut Option<(usize, &'static str)>,
        skips: &mut Vec<usize>,
    ) {
        let end = |builder: &mut Self,
                   text: &str,
                   label: Option<String>,
                   first: &mut Option<usize>,
                   last: &mut Option<(usize, &'static str)>,
                   skips: &mut Vec<usize>| {
            let node = builder.node(Shape::End, text);
            builder.nodes[node].label = label;
            builder.join(node, first, last, skips);
        };
        match block.exit {
            Exit::Return => end(self, "returns", label, first, last, skips),
            Exit::Halt => end(self, "stops", label, first, last, skips),
            Exit::Away => end(self, "goes where a register says", label, first, last, skips),
            Exit::Jump(to) if to == block.first && last.is_none() => {
                end(self, "stays here", label, first, last, skips);
            }
            Exit::Jump(to) | Exit::On(to) => {
                if let Some((from, words)) = *last {
                    self.ways.push((from, Target::Block(to), words));
                }
                for skip in skips.drain(..) {
                    self.ways.push((skip, Target::Block(to), "no"));
                }
            }
            Exit::Branch { taken, next, condition } => {
                let asks = self.asks(block).unwrap_or_else(|| condition.to_string());
                let question = self.node(Shape::Decision, format!("{asks}?"));
                self.nodes[question].label = label;
                self.join(question, first, last, skips);
                match taken {
                    Some(taken) => {
                        self.ways.push((question, Target::Block(next), "no"));
                        self.ways.push((question, Target::Block(taken), "yes"));
                    }
                    None => {
                        let back = self.node(Shape::End, "returns");
                        self.ways.push((question, Target::Node(back), "yes"));
                        self.ways.push((question, Target::Block(next), "no"));
                    }
                }
            }
        }
    }
}

/// The names and words of an assembled program.
#[derive(Debug)]
pub struct SourceNames<'a> {
    assembly: &'a Assembly,
    labels: BTreeMap<u32, &'a str>,
    lines: HashMap<u32, &'a Line>,
}

impl<'a> SourceNames<'a> {
    /// Those of a program.
    pub fn new(assembly: &'a Assembly) -> Self {
        let mut labels = assembly.symbols.labels();
        // A firmware routine is often named by a constant; at an address outside the program that is its name.
        for symbol in assembly.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Constant) {
            if let Ok(address) = u32::try_from(symbol.value)
                && assembly.image.cell(address).is_none()
            {
                labels.entry(address).or_insert(symbol.name);
            }
        }
        let lines = assembly.lines.iter().filter(|line| line.kind.cells().is_some());
        Self { assembly, labels, lines: lines.map(|line| (line.address, line)).collect() }
    }
}

impl Names for SourceNames<'_> {
    fn label(&self, address: u32) -> Option<String> {
        self.labels.get(&address).map(|name| (*name).to_string())
    }

    fn words(&self, address: u32, decoded: &Decoded) -> Words {
        let set = self.assembly.set_at(address);
        let made = || set.map_or(String::new(), |set| decoded.text(set, &|at| self.label(at as u32)));
        let Some(line) = self.lines.get(&address) else { return Words { text: made(), ..Words::default() } };
        let text = self.assembly.sources.line(line.span());
        let comment = text.split_once(';').map_or("", |(_, comment)| comment.trim());
        let text = match line.kind {
            LineKind::Cells { row: 1.., .. } => statement(text),
            _ => made(),
        };
        Words { text, comment: comment.to_string() }
    }
}
