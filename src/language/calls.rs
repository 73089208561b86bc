//! What an operand may be while it is typed, and who calls what.

use super::line::Parts;
use super::{Analysis, NamedKind, Range};
use crate::assembler::{LineKind, SymbolKind};
use crate::report::chart;
use std::collections::BTreeMap;

/// A form of what is typed: the whole, and where its operands stand in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Form {
    /// `mvi b, data8`.
    pub text: String,
    /// The operands, in bytes of the text.
    pub operands: Vec<(usize, usize)>,
    /// Which of them are written as they stand, and are no names of values.
    pub literal: Vec<bool>,
    /// What it does; cells and cycles.
    pub meaning: String,
}

/// Forms of what is typed, and the operand that the cursor is at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Forms {
    /// The forms.
    pub forms: Vec<Form>,
    /// The one that what is typed fits first.
    pub fits: usize,
    /// The operand, from 0.
    pub operand: usize,
}

/// A routine that calls another, or is called, and the places of the calls.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Call {
    /// The routine: its name, and where that is defined.
    pub routine: (String, Range),
    /// The places, in the text of the caller.
    pub places: Vec<Range>,
}

/// Forms beyond this many are left out.
const MOST_FORMS: usize = 64;

/// A form with its operands found.
pub(super) fn form(text: String, meaning: String) -> Form {
    let mut operands = Vec::new();
    if let Some(by) = text.find(' ') {
        let mut start = by + 1;
        for part in text[by + 1..].split(',') {
            let from = start + (part.len() - part.trim_start().len());
            operands.push((from, start + part.trim_end().len()));
            start += part.len() + 1;
        }
    }
    // What the chart writes in capitals stands as it is.
    let literal =
        operands.iter().map(|&(start, end)| !text[start..end].contains(|c: char| c.is_ascii_lowercase()));
    let literal = literal.collect();
    Form { text: text.to_lowercase(), operands, literal, meaning }
}

impl Analysis {
    /// The forms of the instruction or the macro at a place where an operand is typed.
    pub fn forms(&self, file: &str, offset: usize) -> Option<Forms> {
        let (_, text) = self.text(file)?;
        let parts = Parts::at(text, offset);
        let operand = parts.operand_at(text, offset)?;
        let word = parts.word(text);
        if let Some(head) = self.macro_head(word) {
            return Some(Forms { forms: vec![form(head, "macro".to_string())], fits: 0, operand });
        }
        let entries = chart::select(self.set?, word).ok()?;
        let is_it = |one: &&chart::Entry| {
            one.instruction.split_whitespace().next().is_some_and(|first| first.eq_ignore_ascii_case(word))
        };
        let forms = entries.iter().filter(is_it).take(MOST_FORMS).map(|one| {
            let cycles = self.set.map_or("cycles", |set| set.identity.cycle_name);
            let cells = super::cells_text(one.cells as u64);
            form(one.instruction.clone(), format!("{}; {cells}, {} {cycles}", one.meaning, one.cycles))
        });
        let forms: Vec<Form> = forms.collect();
        let typed: Vec<&str> = parts.operands.iter().filter_map(|one| text.get(one.clone())).collect();
        let agrees = |one: &Form| {
            let own = one.operands.iter().map(|&(start, end)| &one.text[start..end]);
            own.len() > operand
                && own.zip(&typed).take(operand).all(|(own, typed)| {
                    own.eq_ignore_ascii_case(typed)
                        || own.chars().next_back().is_some_and(|c| c.is_ascii_digit())
                })
        };
        let fits = forms.iter().position(agrees).unwrap_or(0);
        (!forms.is_empty()).then_some(Forms { forms, fits, operand })
    }

    /// The name of a macro with its parameters, as its first line gives them.
    pub(super) fn macro_head(&self, word: &str) -> Option<String> {
        let symbol = self.assembly.symbols.macros().find(|one| one.name.eq_ignore_ascii_case(word))?;
        let defined = self.range(symbol.defined);
        let (_, text) = self.text(&defined.file)?;
        let parts = Parts::at(text, defined.start);
        text.get(defined.start..parts.statement()?.end)
            .map(|head| head.split_whitespace().collect::<Vec<_>>().join(" "))
    }

    /// The routine at a place: the name there, or the label that the place stands under.
    pub fn routine_at(&self, file: &str, offset: usize) -> Option<(String, Range)> {
        let label = self.symbol_at(file, offset).filter(|one| one.kind == SymbolKind::Label);
        match label {
            Some(symbol) => Some((symbol.name.to_string(), self.range(symbol.defined))),
            None => self.under(file, offset),
        }
    }

    /// The name of the label that a place stands under.
    pub(super) fn routine_around(&self, file: &str, offset: usize) -> Option<String> {
        self.under(file, offset).map(|row| row.0)
    }

    /// The label that a place stands under.
    fn under(&self, file: &str, offset: usize) -> Option<(String, Range)> {
        let (_, text) = self.text(file)?;
        let is_label =
            |one: &super::Named| one.kind == NamedKind::Label && !text[one.range.start..].starts_with('.');
        let names = self.names_in(file);
        let last = names.into_iter().filter(is_label).take_while(|one| one.range.start <= offset).last()?;
        Some((last.name, last.range))
    }

    /// Who calls a routine, by its name.
    pub fn callers(&self, name: &str) -> Vec<Call> {
        let Some(symbol) = self.assembly.symbols.find(name) else { return Vec::new() };
        let uses = self.assembly.symbols.uses();
        let calls = self.call_lines();
        let places =
            uses.of(symbol.id).iter().map(|&span| self.range(span)).filter(|at| self.is_call(&calls, at));
        gather(places.filter_map(|place| Some((self.under(&place.file, place.start)?, place))))
    }

    /// What a routine calls, by its name: in its own lines, up to the next label.
    pub fn callees(&self, name: &str) -> Vec<Call> {
        let uses = self.assembly.symbols.uses();
        let calls = self.call_lines();
        let labels = self.assembly.symbols.iter().filter(|one| one.kind == SymbolKind::Label);
        let called = labels.flat_map(|symbol| {
            let places = uses.of(symbol.id).iter().map(|&span| self.range(span)).collect::<Vec<_>>();
            let target = (symbol.name.to_string(), self.range(symbol.defined));
            let own = places.into_iter().filter(|at| {
                self.is_call(&calls, at) && self.under(&at.file, at.start).is_some_and(|row| row.0 == name)
            });
            own.map(|place| (target.clone(), place)).collect::<Vec<_>>()
        });
        gather(called)
    }

    /// The lines that call something: text and first byte.
    fn call_lines(&self) -> BTreeMap<(String, usize), ()> {
        let Some(set) = self.assembly.set else { return BTreeMap::new() };
        let lines = self.assembly.lines.iter().filter_map(|line| {
            let (LineKind::Cells { row, .. } | LineKind::Generated { row, .. }) = line.kind else {
                return None;
            };
            let row = set.rows().get(usize::from(row.checked_sub(1)?))?;
            if !row.flow.is_call() {
                return None;
            }
            let range = self.range(line.span());
            let (_, text) = self.text(&range.file)?;
            Some(((range.file.clone(), super::line_at(text, range.start).0), ()))
        });
        lines.collect()
    }

    fn is_call(&self, calls: &BTreeMap<(String, usize), ()>, at: &Range) -> bool {
        let start = self.text(&at.file).map_or(0, |(_, text)| super::line_at(text, at.start).0);
        calls.contains_key(&(at.file.clone(), start))
    }
}

/// The places of each routine together.
fn gather(all: impl Iterator<Item = ((String, Range), Range)>) -> Vec<Call> {
    let mut by_routine: BTreeMap<(Range, String), Vec<Range>> = BTreeMap::new();
    for ((name, range), place) in all {
        by_routine.entry((range, name)).or_default().push(place);
    }
    let call = |((range, name), mut places): ((Range, String), Vec<Range>)| {
        places.sort();
        places.dedup();
        Call { routine: (name, range), places }
    };
    by_routine.into_iter().map(call).collect()
}
