//! What a text became: addresses, cells and cycles of its lines, sizes of its routines.

use super::line::Parts;
use super::{Analysis, Range};
use crate::assembler::LineKind;
use crate::processor::decode_in;
use crate::report::{NO_LABEL, PADDING, sizes};
use std::collections::BTreeMap;

/// What a line became.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LineHint {
    /// The byte at the end of the line's statement.
    pub at: usize,
    /// `4003 · 3 cells · 10 T-states`, and the instructions that it does not say itself.
    pub text: String,
}

/// What a routine became.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RoutineHint {
    /// Its label.
    pub name: String,
    /// Where that is defined.
    pub range: Range,
    /// `12 cells · 40 to 55 T-states · used 3 times`.
    pub text: String,
}

#[derive(Default)]
struct Made {
    first: Option<u32>,
    cells: u32,
    cycles: Option<(u64, u64)>,
    unsaid: Vec<String>,
}

fn span(least: u64, most: u64) -> String {
    if least == most { least.to_string() } else { format!("{least} to {most}") }
}

impl Analysis {
    /// What each line of a text became, in its order; of what a line wrote out by a macro all together.
    pub fn line_hints(&self, file: &str, stretch: std::ops::Range<usize>) -> Vec<LineHint> {
        let Some((_, text)) = self.text(file) else { return Vec::new() };
        let mut made: BTreeMap<usize, Made> = BTreeMap::new();
        let labels = self.assembly.symbols.labels();
        for line in &self.assembly.lines {
            let Some((cells, row)) = line.kind.cells() else { continue };
            // A macro's lines belong to the call that somebody wrote.
            let mut from = line.span();
            while let Some(source) = self.assembly.sources.get(from.source)
                && source.expansion.is_some()
                && let Some(call) = source.included
            {
                from = call;
            }
            if self.assembly.sources.get(from.source).is_none_or(|one| one.name != file) {
                continue;
            }
            let start = super::line_at(text, from.start as usize).0;
            if start < stretch.start || start >= stretch.end {
                continue;
            }
            let one = made.entry(start).or_default();
            one.first.get_or_insert(line.address);
            one.cells += cells;
            if let Some(timing) = self.assembly.timing_at(line.address, row) {
                let (least, most) = timing.range();
                let before = one.cycles.unwrap_or_default();
                one.cycles = Some((before.0 + least, before.1 + most));
            }
            if row > 0 && matches!(line.kind, LineKind::Generated { .. }) {
                one.unsaid.extend(self.instruction_text_at(line.address, cells, &labels));
            }
        }
        let hints = made.into_iter().filter_map(|(start, made)| {
            let parts = Parts::at(text, start);
            let at = parts.statement().map_or(parts.whole.end, |one| one.end);
            let set = self.assembly.set?;
            let mut text = set.address(made.first?.into());
            text += &format!(" · {}", super::cells_text(made.cells.into()));
            if let Some((least, most)) = made.cycles {
                text += &format!(" · {} {}", span(least, most), set.identity.cycle_name);
            }
            if !made.unsaid.is_empty() {
                text += &format!(" · {}", made.unsaid.join(", "));
            }
            Some(LineHint { at, text })
        });
        hints.collect()
    }

    /// The instruction that stands at an address, as it is written.
    fn instruction_text_at(&self, address: u32, cells: u32, labels: &BTreeMap<u32, &str>) -> Option<String> {
        let set = self.assembly.set?;
        let cells: Vec<u64> = (0..cells).filter_map(|by| self.assembly.image.cell(address + by)).collect();
        let set = self.assembly.image.long_mode_at(address).map_or(set, |long| set.in_mode(long));
        let decoded = decode_in(set.context(address), &cells, address).ok()??;
        Some(decoded.text(set, &|at| labels.get(&(at as u32)).map(|name| (*name).to_string())).to_lowercase())
    }

    /// What stands under each label of a text that has instructions.
    pub fn routine_hints(&self, file: &str) -> Vec<RoutineHint> {
        let sizes = sizes(&self.assembly);
        let uses = self.assembly.symbols.uses();
        let hints = sizes.labels.iter().filter_map(|one| {
            let (least, most) = one.cycles?;
            if one.name == NO_LABEL || one.name == PADDING {
                return None;
            }
            let symbol = self.assembly.symbols.find(&one.name)?;
            let range = self.range(symbol.defined);
            let used = match uses.of(symbol.id).len() {
                0 => "not used".to_string(),
                1 => "used once".to_string(),
                times => format!("used {times} times"),
            };
            let cells = super::cells_text(one.cells);
            let text = format!("{cells} · {} {} · {used}", span(least, most), sizes.cycle_name);
            (range.file == file).then(|| RoutineHint { name: one.name.clone(), range, text })
        });
        hints.collect()
    }
}
