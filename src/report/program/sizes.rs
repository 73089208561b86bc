//! Sizes and times: for every label its cells and T-states, for every loop what a pass takes; and two versions compared.

use super::blocks::{Block, Exit, blocks_of};
use super::measured::Measured;
use super::reach::reach;
use crate::assembler::{Assembly, LineKind, SymbolKind};
use crate::number::{thousands, time_text};
use crate::processor::InstructionSet;
use crate::report::starts;
use crate::text::{Text, Tone};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// The name of cells that no label stands over: those above the first one, or after an `org` or a padding.
pub const NO_LABEL: &str = "(no label)";
/// The name of cells that fill up to a place.
pub const PADDING: &str = "(padding)";

/// The size and time of what stands under a label, up to the next.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LabelSize {
    /// The label; [`NO_LABEL`] for what stands under none, [`PADDING`] for what `pad` and `align` fill.
    pub name: String,
    /// Its first cell.
    pub first: u32,
    /// Cells.
    pub cells: u64,
    /// Cells that are reserved and not part of the image.
    pub reserved: u64,
    /// What a run took, where one was measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub measured: Option<Measured>,
    /// T-states from top to bottom, every branch as short and as long as it can be; `None` where there are no instructions.
    pub cycles: Option<(u64, u64)>,
}

/// The size and time of a loop.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct LoopSize {
    /// The label at its top, or the address.
    pub name: String,
    /// Its first cell.
    pub first: u32,
    /// Its last cell.
    pub last: u32,
    /// Cells of its blocks.
    pub cells: u64,
    /// T-states of the shortest and the longest way through it once, loops inside counted as one pass.
    pub cycles: (u64, u64),
    /// True where it calls subroutines, whose time is not counted.
    pub calls: bool,
}

/// Sizes and times of a program.
#[derive(Debug, Clone, Serialize)]
pub struct Sizes {
    /// For every label with cells.
    pub labels: Vec<LabelSize>,
    /// For every loop, the outer ones first.
    pub loops: Vec<LoopSize>,
    /// How many more loops there are, nested so deep that they are not measured.
    pub loops_left_out: usize,
    /// Cells in all.
    pub cells: u64,
    /// What a clock cycle is called.
    pub cycle_name: &'static str,
    #[serde(skip)]
    set: Option<&'static InstructionSet>,
}

/// Sizes and times of an assembled program.
pub fn sizes(assembly: &Assembly) -> Sizes {
    let set = assembly.set;
    let mut labels: BTreeMap<u32, String> = BTreeMap::new();
    for symbol in assembly.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Label) {
        // Local labels belong to the label above them; what a macro made, to where it was called.
        let is_local = assembly.sources.text(symbol.defined).starts_with('.') || symbol.name.contains('@');
        if let Some(address) = symbol.address()
            && !is_local
        {
            labels.entry(address).or_insert_with(|| symbol.name.to_string());
        }
    }
    let mut sizes: BTreeMap<u32, LabelSize> = BTreeMap::new();
    // A label counts for what follows it without a gap.
    let (mut begin, mut end) = (0, None);
    for line in &assembly.lines {
        let (count, row) = match line.kind {
            LineKind::Reserved(count) => (count, None),
            kind => match kind.cells() {
                Some((count, row)) => (count, Some(row)),
                None => continue,
            },
        };
        if end != Some(line.address) {
            begin = line.address;
        }
        end = line.address.checked_add(count);
        let label = labels.range(begin..=line.address).next_back();
        let is_own = label.is_none_or(|(&at, _)| at != line.address);
        let (first, name) = match label {
            _ if is_own && matches!(line.kind, LineKind::Padding(_)) => {
                begin = end.unwrap_or(begin);
                (line.address, PADDING.to_string())
            }
            Some((&at, name)) => (at, name.clone()),
            None => (begin, NO_LABEL.to_string()),
        };
        let size = sizes.entry(first).or_insert_with(|| LabelSize {
            name,
            first,
            cells: 0,
            reserved: 0,
            measured: None,
            cycles: None,
        });
        let Some(row) = row else {
            size.reserved += u64::from(count);
            continue;
        };
        size.cells += u64::from(count);
        if let Some(timing) = assembly.timing_at(line.address, row) {
            let (shortest, longest) = timing.range();
            let (least, most) = size.cycles.unwrap_or((0, 0));
            size.cycles = Some((least + shortest, most + longest));
        }
    }
    let (loops, loops_left_out) = set.map_or((Vec::new(), 0), |set| {
        let mut entries = starts(set, &assembly.image);
        entries.extend(labels.keys());
        let reach = reach(set, &assembly.image, &entries);
        let blocks = blocks_of(&reach, &entries);
        let name = |address: u32| match labels.range(..=address).next_back() {
            Some((&at, label)) if at == address => label.clone(),
            // A loop without a label stands so far after one.
            Some((&at, label)) => format!("{label} + {}", address - at),
            None => set.address(address.into()),
        };
        loops(&blocks, &name)
    });
    Sizes {
        labels: sizes.into_values().collect(),
        loops,
        loops_left_out,
        cells: assembly.image.cells() as u64,
        cycle_name: set.map_or("cycles", |set| set.identity.cycle_name),
        set,
    }
}

/// The blocks' predecessors.
fn predecessors(blocks: &BTreeMap<u32, Block>) -> BTreeMap<u32, Vec<u32>> {
    let mut before: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
    for block in blocks.values() {
        for next in block.followers() {
            before.entry(next).or_default().push(block.first);
        }
    }
    before
}

/// Loops inside loops inside loops have so many blocks together that they are no loops that anybody wrote.
const MOST_BLOCKS: usize = 1_000_000;

/// Loops: for every jump back, the blocks from which it is reached without leaving its top; and how many are left out because they
/// have too many blocks together.
fn loops(blocks: &BTreeMap<u32, Block>, name: &dyn Fn(u32) -> String) -> (Vec<LoopSize>, usize) {
    let before = predecessors(blocks);
    let mut bodies: BTreeMap<u32, BTreeSet<u32>> = BTreeMap::new();
    let (mut met, mut left_out) = (0, BTreeSet::new());
    for block in blocks.values() {
        for top in block.followers().filter(|&next| next <= block.first && blocks.contains_key(&next)) {
            if met > MOST_BLOCKS {
                left_out.insert(top);
                continue;
            }
            let body = bodies.entry(top).or_insert_with(|| BTreeSet::from([top]));
            let mut open = vec![block.first];
            while let Some(at) = open.pop() {
                // What stands above the top is not a part of it: a jump into the middle is not followed back.
                if at >= top && body.insert(at) {
                    met += 1;
                    open.extend(before.get(&at).into_iter().flatten());
                }
            }
        }
    }
    bodies.retain(|top, _| !left_out.contains(top));
    let mut loops: Vec<LoopSize> = bodies
        .into_iter()
        .filter_map(|(top, body)| {
            let own: Vec<&Block> = body.iter().filter_map(|at| blocks.get(at)).collect();
            let last = own.iter().map(|block| block.end - 1).max()?;
            let calls =
                own.iter().any(|block| block.instructions.iter().any(|(_, one)| one.row.flow.is_call()));
            let cells = own.iter().map(|block| u64::from(block.cells())).sum();
            let cycles = pass(blocks, &body, top)?;
            Some(LoopSize { name: name(top), first: top, last, cells, cycles, calls })
        })
        .collect();
    loops.sort_by_key(|one| (one.first, std::cmp::Reverse(one.last)));
    (loops, left_out.len())
}

/// The shortest and the longest way from the top back to it; ways back to other tops are not taken twice.
fn pass(blocks: &BTreeMap<u32, Block>, body: &BTreeSet<u32>, top: u32) -> Option<(u64, u64)> {
    // Going through blocks by address, every way ahead is known before it is needed.
    let mut reached: BTreeMap<u32, (u64, u64)> = BTreeMap::from([(top, (0, 0))]);
    let mut back: Option<(u64, u64)> = None;
    for at in body {
        let (Some(block), Some(&(least, most))) = (blocks.get(at), reached.get(at)) else { continue };
        let (_, last) = block.instructions.last()?;
        let timing = last.timing();
        let (on, away) = (timing.going_on(), timing.going_away());
        let (inner_least, inner_most) = block.cycles();
        let (least_of_last, most_of_last) = timing.range();
        let (before_least, before_most) = (inner_least - least_of_last, inner_most - most_of_last);
        let ways: Vec<(u32, (u64, u64))> = match block.exit {
            Exit::On(next) | Exit::Jump(next) => vec![(next, away)],
            Exit::Branch { taken: to, next, .. } => {
                to.map(|to| (to, away)).into_iter().chain([(next, on)]).collect()
            }
            _ => Vec::new(),
        };
        for (next, (shortest, longest)) in ways {
            let (new_least, new_most) = (least + before_least + shortest, most + before_most + longest);
            let place = if next == top {
                &mut back
            } else if body.contains(&next) && next > *at {
                let known = reached.entry(next).or_insert((new_least, new_most));
                *known = (known.0.min(new_least), known.1.max(new_most));
                continue;
            } else {
                continue;
            };
            let known = place.get_or_insert((new_least, new_most));
            *known = (known.0.min(new_least), known.1.max(new_most));
        }
    }
    back
}

/// How often, how long and what part of the whole.
fn measured_columns(one: Measured, whole: u64) -> String {
    let share = if whole == 0 { 0.0 } else { one.cycles as f64 * 100.0 / whole as f64 };
    format!("  {:>9}  {:>16}  {share:4.1} %", thousands(one.times), thousands(one.cycles))
}

fn span((least, most): (u64, u64)) -> String {
    if least == most { thousands(least) } else { format!("{}..{}", thousands(least), thousands(most)) }
}

impl Sizes {
    fn address(&self, address: u32) -> String {
        self.set.map_or_else(|| format!("{address:04X}"), |set| set.address(address.into()))
    }

    /// The report; times at `clock` Hz where that is known.
    pub fn text(&self, clock: Option<u64>) -> Text {
        let mut text = Text::new();
        let names = self.labels.iter().map(|one| &one.name).chain(self.loops.iter().map(|one| &one.name));
        let width = names.map(|name| name.chars().count()).max().unwrap_or(0).clamp(5, 32);
        let time = |cycles: (u64, u64)| match clock {
            Some(clock) if cycles.0 == cycles.1 => time_text(cycles.0, clock),
            Some(clock) => format!("{}..{}", time_text(cycles.0, clock), time_text(cycles.1, clock)),
            None => String::new(),
        };
        let is_measured = self.labels.iter().any(|one| one.measured.is_some());
        let head = |what: &str, cycles: &str| {
            let time = if clock.is_some() && !is_measured { "time" } else { "" };
            format!("{what:width$}  from  {:>8}  {cycles:>14}  {time}", "cells")
        };
        let measured: u64 = self.labels.iter().filter_map(|one| one.measured).map(|one| one.cycles).sum();
        let measured = is_measured.then_some(measured);
        text.line().tone(Tone::Faint, head("label", self.cycle_name));
        if measured.is_some() {
            text.tone(Tone::Faint, format!("{:>9}  {:>16}  share", "times", "measured"));
        }
        for one in &self.labels {
            text.line().tone(Tone::Strong, format!("{:width$}", one.name));
            let cycles = one.cycles.map_or(String::new(), span);
            let time = one.cycles.map_or(String::new(), time);
            text.put(format!("  {}  {:>8}  {cycles:>14}", self.address(one.first), thousands(one.cells)));
            if let Some(whole) = measured {
                text.put(one.measured.map_or(String::new(), |one| measured_columns(one, whole)));
            } else if !time.is_empty() {
                text.put(format!("  {time}"));
            }
            if one.reserved > 0 {
                let more = if one.cells > 0 { "and " } else { "" };
                text.tone(Tone::Faint, format!("  {more}{} reserved", thousands(one.reserved)));
            }
        }
        text.line().tone(Tone::Faint, format!("{:width$}        {:>8}", "in all", thousands(self.cells)));
        if !self.loops.is_empty() {
            text.line().line().tone(Tone::Faint, head("loop", "a pass"));
            let mut holds_another = false;
            for (at, one) in self.loops.iter().enumerate() {
                holds_another |= self.loops[at + 1..].iter().any(|inner| inner.last <= one.last);
                text.line().tone(Tone::Strong, format!("{:width$}", one.name));
                text.put(format!(
                    "  {}  {:>8}  {:>14}  {}",
                    self.address(one.first),
                    thousands(one.cells),
                    span(one.cycles),
                    time(one.cycles)
                ));
                if one.calls {
                    text.tone(Tone::Faint, "  and what it calls");
                }
            }
            if holds_another {
                text.line()
                    .tone(Tone::Faint, "of a loop that lies inside another, one pass is counted there");
            }
        }
        if self.loops_left_out > 0 {
            let count = thousands(self.loops_left_out as u64);
            text.line()
                .tone(Tone::Faint, format!("{count} more loops lie in each other too deep to be measured"));
        }
        text
    }

    /// What stands under a name, all of it together where that is several stretches.
    fn named(&self, name: &str) -> Option<LabelSize> {
        self.labels.iter().filter(|one| one.name == name).cloned().reduce(|sum, one| LabelSize {
            cells: sum.cells + one.cells,
            reserved: sum.reserved + one.reserved,
            cycles: match (sum.cycles, one.cycles) {
                (Some(sum), Some(one)) => Some((sum.0 + one.0, sum.1 + one.1)),
                (sum, one) => sum.or(one),
            },
            ..sum
        })
    }

    /// This version compared with an older one, label by label.
    pub fn against(&self, old: &Sizes) -> Text {
        let mut text = Text::new();
        let names: Vec<&str> = self
            .labels
            .iter()
            .map(|one| one.name.as_str())
            .chain(old.labels.iter().map(|one| one.name.as_str()))
            .collect();
        let width = names.iter().map(|name| name.chars().count()).max().unwrap_or(0).clamp(6, 32);
        text.line()
            .tone(Tone::Faint, format!("{:width$}  {:>20}  {:>28}", "label", "cells", self.cycle_name));
        let mut told = BTreeSet::new();
        for name in names {
            if !told.insert(name) {
                continue;
            }
            let find = |sizes: &Sizes| sizes.named(name);
            let (new, old) = (find(self), find(old));
            let cells = change(old.as_ref().map(|one| one.cells), new.as_ref().map(|one| one.cells));
            let cycles_of = |one: &Option<LabelSize>| one.as_ref().and_then(|one| one.cycles);
            let (before, after) = (cycles_of(&old), cycles_of(&new));
            let same =
                before == after && old.as_ref().map(|one| one.cells) == new.as_ref().map(|one| one.cells);
            let times = match (before, after) {
                (Some(before), Some(after)) if before == after => span(after),
                (Some(before), Some(after)) => format!("{} → {}", span(before), span(after)),
                (None, Some(after)) => span(after),
                (Some(before), None) => span(before),
                (None, None) => String::new(),
            };
            let mark = match (&old, &new) {
                (None, _) => "  new",
                (_, None) => "  gone",
                _ if same => "",
                _ => "  changed",
            };
            let tone = if same { Tone::Faint } else { Tone::Plain };
            text.line().tone(if same { Tone::Faint } else { Tone::Strong }, format!("{name:width$}"));
            text.tone(tone, format!("  {cells:>20}  {times:>28}")).tone(Tone::Live, mark);
        }
        let total = change(Some(old.cells), Some(self.cells));
        text.line().tone(Tone::Strong, format!("{:width$}  {total:>20}", "in all"));
        text
    }
}

/// `12 → 10 (-2)`.
fn change(old: Option<u64>, new: Option<u64>) -> String {
    match (old, new) {
        (Some(old), Some(new)) if old == new => thousands(new),
        (Some(old), Some(new)) => {
            format!("{} → {} ({:+})", thousands(old), thousands(new), new as i64 - old as i64)
        }
        (Some(one), None) | (None, Some(one)) => thousands(one),
        (None, None) => String::new(),
    }
}
