//! What may be typed next.

use super::{Analysis, line_at, word_at};
use crate::assembler::{SymbolKind, directive_names};
use crate::report::chart;
use std::collections::BTreeMap;

/// What a completion is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum CompletionKind {
    /// An instruction.
    Instruction,
    /// A directive.
    Directive,
    /// A macro.
    Macro,
    /// A label.
    Label,
    /// A constant or a variable.
    Constant,
    /// A register.
    Register,
    /// A name of the board.
    Board,
}

/// Something that may be typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Completion {
    /// What is typed.
    pub text: String,
    /// What it is.
    pub kind: CompletionKind,
    /// A few words: a value, a meaning.
    pub detail: String,
}

impl Analysis {
    /// What may be typed at a place: instructions, directives and macros where a statement begins, names and registers behind one.
    pub fn complete(&self, file: &str, offset: usize) -> Vec<Completion> {
        let Some((_, text)) = self.text(file) else { return Vec::new() };
        let (begin, line) = line_at(text, offset);
        let start = word_at(text, offset).map_or(offset, |word| word.0).max(begin);
        let before = line.get(..start - begin).unwrap_or_default();
        if before.contains(';') {
            return Vec::new();
        }
        let statement = before.rsplit_once(':').map_or(before, |row| row.1);
        match statement.trim().is_empty() {
            true => self.statements(),
            false => self.operands(),
        }
    }

    fn statements(&self) -> Vec<Completion> {
        let mut all: BTreeMap<(CompletionKind, String), String> = BTreeMap::new();
        if let Some(set) = self.set {
            for entry in chart::entries(set) {
                let first =
                    entry.instruction.split_whitespace().next().unwrap_or_default().to_ascii_lowercase();
                all.entry((CompletionKind::Instruction, first)).or_insert_with(|| entry.meaning.to_string());
            }
        }
        for name in directive_names() {
            all.insert((CompletionKind::Directive, name.to_string()), "directive".to_string());
        }
        for symbol in self.assembly.symbols.macros() {
            all.insert((CompletionKind::Macro, symbol.name.to_string()), "macro".to_string());
        }
        all.into_iter().map(|((kind, text), detail)| Completion { text, kind, detail }).collect()
    }

    fn operands(&self) -> Vec<Completion> {
        let symbols = self.assembly.symbols.iter().filter_map(|symbol| {
            let kind = match symbol.kind {
                SymbolKind::Label => CompletionKind::Label,
                SymbolKind::Constant | SymbolKind::Variable | SymbolKind::Given => CompletionKind::Constant,
                _ => return None,
            };
            Some(Completion { text: symbol.name.to_string(), kind, detail: self.value(&symbol) })
        });
        let mut all: Vec<Completion> = symbols.collect();
        all.sort_by(|one, other| (one.kind, &one.text).cmp(&(other.kind, &other.text)));
        if let Some(set) = self.set {
            all.extend(set.registers().iter().map(|one| Completion {
                text: one.name.to_ascii_lowercase(),
                kind: CompletionKind::Register,
                detail: format!("{} bits", one.bits),
            }));
        }
        let board = self.board.iter().flat_map(|found| found.board.symbols());
        all.extend(board.map(|(name, value)| Completion {
            text: name,
            kind: CompletionKind::Board,
            detail: self.set.map_or(value.to_string(), |set| {
                set.habit().literal(value as u64 & u64::from(u32::MAX), set.address_bits())
            }),
        }));
        all
    }
}
