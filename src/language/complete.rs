//! What may be typed next.

use super::calls::form;
use super::{Analysis, Form, line_at, word_at};
use crate::assembler::{SymbolKind, directive_names};
use crate::report::chart;
use std::collections::{BTreeMap, BTreeSet};

/// What a completion is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum CompletionKind {
    /// An instruction.
    Instruction,
    /// An instruction or a macro with its operands.
    Form,
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
    /// Of a form, the operands that are still to be chosen, in bytes of the text.
    pub holes: Vec<(usize, usize)>,
}

impl Completion {
    fn of(text: String, kind: CompletionKind, detail: String) -> Self {
        Self { text, kind, detail, holes: Vec::new() }
    }
}

/// Forms beyond this many are left to the forms that are shown while operands are typed.
const MOST_FORMS: usize = 48;

impl Analysis {
    /// What may be typed at a place: instructions, directives and macros where a statement begins, names and registers after one.
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
            true => {
                let typed = text.get(start..offset).unwrap_or_default();
                self.statements().into_iter().chain(self.forms_of(typed)).collect()
            }
            false => self.operands(file, offset),
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
        all.into_iter().map(|((kind, text), detail)| Completion::of(text, kind, detail)).collect()
    }

    /// The forms of what is typed, with their operands: of every instruction and macro that begins so.
    fn forms_of(&self, typed: &str) -> Vec<Completion> {
        let typed = typed.to_ascii_lowercase();
        if typed.is_empty() {
            return Vec::new();
        }
        let entries = self.set.map(chart::entries).unwrap_or_default();
        let instructions = entries.into_iter().map(|one| form(one.instruction, one.meaning.to_string()));
        let macros = self.assembly.symbols.macros();
        let macros = macros
            .filter_map(|symbol| self.macro_head(symbol.name))
            .map(|head| form(head, "macro".to_string()));
        let begins = |one: &Form| one.text.starts_with(&typed) && !one.operands.is_empty();
        let forms = macros.chain(instructions).filter(begins).take(MOST_FORMS).map(|one| {
            let open = one.operands.iter().zip(&one.literal).filter(|row| !row.1);
            let holes = open.map(|row| *row.0).collect();
            Completion { text: one.text, kind: CompletionKind::Form, detail: one.meaning, holes }
        });
        forms.collect()
    }

    /// What an operand may be: the routine's own labels first, then others, constants, what the board names; registers where a form of the
    /// instruction has them there, and nothing else where every form has.
    fn operands(&self, file: &str, offset: usize) -> Vec<Completion> {
        let Some(places) = self.places_for(file, offset) else { return self.names(file, offset) };
        let literal = places.iter().filter(|row| row.1).map(|(text, _)| {
            let register = self
                .set
                .and_then(|set| set.registers().iter().find(|one| one.name.eq_ignore_ascii_case(text)));
            let detail = register.map_or("operand".to_string(), |one| format!("register, {} bits", one.bits));
            Completion::of(text.clone(), CompletionKind::Register, detail)
        });
        let literal: Vec<Completion> = literal.collect();
        match literal.len() == places.len() {
            true => literal,
            false => self.names(file, offset).into_iter().chain(literal).collect(),
        }
    }

    /// What the forms of the instruction have at the operand that is typed, each once, and whether it is written as it stands; `None` where
    /// it is not an instruction.
    fn places_for(&self, file: &str, offset: usize) -> Option<BTreeSet<(String, bool)>> {
        let forms = self.forms(file, offset)?;
        let texts = forms.forms.iter().filter_map(|one| {
            let &(start, end) = one.operands.get(forms.operand)?;
            Some((one.text[start..end].to_string(), one.literal[forms.operand]))
        });
        Some(texts.collect())
    }

    fn names(&self, file: &str, offset: usize) -> Vec<Completion> {
        // Local labels count in their routine alone.
        let routine = self.routine_around(file, offset).map(|name| format!("{name}."));
        let symbols = self.assembly.symbols.iter().filter_map(|symbol| {
            let (mut text, mut rank) = (symbol.name.to_string(), 1);
            let kind = match symbol.kind {
                SymbolKind::Label => CompletionKind::Label,
                SymbolKind::Constant | SymbolKind::Variable | SymbolKind::Given => CompletionKind::Constant,
                _ => return None,
            };
            let is_local = self.assembly.sources.text(symbol.defined).starts_with('.');
            match routine.as_deref().and_then(|routine| text.strip_prefix(routine)) {
                Some(own) if is_local => (text, rank) = (format!(".{own}"), 0),
                _ if is_local || text.contains('@') => return None,
                _ => {}
            }
            Some((rank, Completion::of(text, kind, self.value(&symbol))))
        });
        let mut names: Vec<(u8, Completion)> = symbols.collect();
        names.sort_by(|one, other| {
            (one.0, one.1.kind, &one.1.text).cmp(&(other.0, other.1.kind, &other.1.text))
        });
        let board = self.board.iter().flat_map(|found| found.board.names()).map(|one| {
            let value = self.set.map_or(one.value.to_string(), |set| {
                set.habit().literal(one.value.into(), set.address_bits())
            });
            let does = if one.does.is_empty() { one.what.word().to_string() } else { one.does };
            Completion::of(one.name, CompletionKind::Board, format!("{value}: {does}"))
        });
        // A name of the program's hides the board's.
        let own: BTreeSet<String> = names.iter().map(|row| row.1.text.to_ascii_lowercase()).collect();
        let board = board.filter(|one| !own.contains(&one.text.to_ascii_lowercase()));
        names.into_iter().map(|row| row.1).chain(board).collect()
    }
}
