//! What each word of a text is, for its colour.

use super::Analysis;
use super::line::Parts;
use crate::assembler::lexer::Kind;
use crate::assembler::{SymbolKind, directive_names};
use std::collections::{BTreeMap, HashSet};

/// What a word is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum WordKind {
    /// An instruction.
    Instruction,
    /// A directive.
    Directive,
    /// A macro.
    Macro,
    /// A label.
    Label,
    /// A constant.
    Constant,
    /// A variable.
    Variable,
    /// A register.
    Register,
    /// A name of the board.
    Board,
    /// A number.
    Number,
    /// A text.
    Text,
    /// A comment.
    Comment,
}

/// A word of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Word {
    /// Where it begins, in bytes.
    pub start: usize,
    /// Where it ends.
    pub end: usize,
    /// What it is.
    pub kind: WordKind,
    /// It is defined here.
    pub is_definition: bool,
}

impl Analysis {
    /// The words of a text, in their order.
    pub fn words(&self, file: &str) -> Vec<Word> {
        let Some((_, text)) = self.text(file) else { return Vec::new() };
        let names = self.names_by_place(file);
        let mut instructions: HashSet<String> = HashSet::new();
        if let Some(set) = self.set {
            instructions.extend(set.own_rows().map(|row| row.mnemonic.to_ascii_lowercase()));
            instructions.extend(set.hints.other_mnemonics.iter().map(|row| row.0.to_ascii_lowercase()));
        }
        let directives: HashSet<&str> = directive_names().collect();
        let mut all = Vec::new();
        for line in Parts::all(text) {
            for token in &line.tokens {
                let (start, end) = (token.start as usize, token.end as usize);
                let Some(word) = text.get(start..end) else { continue };
                let (mut kind, mut is_definition) = match token.kind {
                    Kind::Number => (Some(WordKind::Number), false),
                    Kind::Text | Kind::OpenText => (Some(WordKind::Text), false),
                    Kind::Name => match names.get(&start) {
                        Some(&(kind, is_definition)) => (Some(kind), is_definition),
                        None => (None, false),
                    },
                    _ => continue,
                };
                if kind.is_none() {
                    let lower = word.to_ascii_lowercase();
                    let plain = lower.trim_start_matches('.');
                    kind = if instructions.contains(&lower) {
                        Some(WordKind::Instruction)
                    } else if directives.contains(plain) {
                        Some(WordKind::Directive)
                    } else if line.labels.iter().any(|label| label.start == start) {
                        is_definition = true;
                        Some(WordKind::Label)
                    } else if self
                        .set
                        .is_some_and(|set| set.register(word).is_some() || set.flag(word).is_some())
                    {
                        Some(WordKind::Register)
                    } else {
                        None
                    };
                }
                all.extend(kind.map(|kind| Word { start, end, kind, is_definition }));
            }
            if let Some(comment) = line.comment {
                all.push(Word {
                    start: comment.start,
                    end: comment.end,
                    kind: WordKind::Comment,
                    is_definition: false,
                });
            }
        }
        all
    }

    /// What the names of a text stand for, by where they begin, and whether they are defined there.
    fn names_by_place(&self, file: &str) -> BTreeMap<usize, (WordKind, bool)> {
        let uses = self.assembly.symbols.uses();
        let mut all = BTreeMap::new();
        for symbol in self.symbols() {
            let kind = match symbol.kind {
                SymbolKind::Label => WordKind::Label,
                SymbolKind::Constant | SymbolKind::Waiting(_) | SymbolKind::Given => WordKind::Constant,
                SymbolKind::Variable => WordKind::Variable,
                SymbolKind::Macro(_) => WordKind::Macro,
                SymbolKind::Board => WordKind::Board,
                _ => continue,
            };
            for &span in uses.of(symbol.id) {
                let range = self.range(span);
                if range.file == file {
                    all.insert(range.start, (kind, false));
                }
            }
            let defined = self.range(symbol.defined);
            if defined.file == file && defined.end > defined.start {
                all.insert(defined.start, (kind, true));
            }
        }
        all
    }
}
