//! Names of a program: where they are defined and used.

use super::{Analysis, Range};
use crate::assembler::{SymbolKind, SymbolView};

/// What a name stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum NamedKind {
    /// An address in the program.
    Label,
    /// A number.
    Constant,
    /// A number that may change.
    Variable,
    /// A macro.
    Macro,
    /// A space of names.
    Space,
}

/// A name that a text defines.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Named {
    /// The name.
    pub name: String,
    /// What it stands for.
    pub kind: NamedKind,
    /// Where it is defined.
    pub range: Range,
    /// Its value as it is written; empty for a macro.
    pub value: String,
}

impl Analysis {
    /// The symbol whose name stands at a place, defined or used there.
    pub(super) fn symbol_at(&self, file: &str, offset: usize) -> Option<SymbolView<'_>> {
        let uses = self.assembly.symbols.uses();
        let holds = |range: &Range| range.file == file && (range.start..=range.end).contains(&offset);
        self.symbols().find(|symbol| {
            holds(&self.range(symbol.defined))
                || uses.of(symbol.id).iter().any(|&span| holds(&self.range(span)))
        })
    }

    /// Everything that has a name, macros last.
    pub(super) fn symbols(&self) -> impl Iterator<Item = SymbolView<'_>> {
        self.assembly.symbols.iter().chain(self.assembly.symbols.macros())
    }

    /// Where the name at a place is defined.
    pub fn definition(&self, file: &str, offset: usize) -> Option<Range> {
        let symbol = self.symbol_at(file, offset)?;
        Some(self.range(symbol.defined)).filter(|range| !range.file.is_empty())
    }

    /// Everywhere that the name at a place is used, its definition first where that is wanted.
    pub fn references(&self, file: &str, offset: usize, with_definition: bool) -> Vec<Range> {
        let Some(symbol) = self.symbol_at(file, offset) else { return Vec::new() };
        let uses = self.assembly.symbols.uses();
        let mut all: Vec<Range> = uses.of(symbol.id).iter().map(|&span| self.range(span)).collect();
        all.sort();
        all.dedup();
        let defined = with_definition.then(|| self.range(symbol.defined));
        defined.into_iter().chain(all).collect()
    }

    /// The names that a text defines, in the order of their places.
    pub fn names_in(&self, file: &str) -> Vec<Named> {
        let mut all: Vec<Named> = self
            .symbols()
            .filter_map(|symbol| {
                let kind = match symbol.kind {
                    SymbolKind::Label => NamedKind::Label,
                    SymbolKind::Constant => NamedKind::Constant,
                    SymbolKind::Variable => NamedKind::Variable,
                    SymbolKind::Macro(_) => NamedKind::Macro,
                    _ => return None,
                };
                let range = self.range(symbol.defined);
                let value = if kind == NamedKind::Macro { String::new() } else { self.value(&symbol) };
                (range.file == file).then(|| Named { name: symbol.name.to_string(), kind, range, value })
            })
            .collect();
        all.sort_by_key(|one| one.range.start);
        all
    }

    /// The value of a symbol in the processor's habit.
    pub(super) fn value(&self, symbol: &SymbolView<'_>) -> String {
        match (self.set, u64::try_from(symbol.value)) {
            (Some(set), Ok(value)) => {
                let bits =
                    if symbol.kind == SymbolKind::Label { set.address_bits() } else { set.cell_bits() };
                set.habit().literal(value, bits)
            }
            _ => symbol.value.to_string(),
        }
    }
}
