//! Name spaces: what a name means inside `space`, where it may stand for a symbol of the space or of one around it.

use super::symbols::{SymbolId, SymbolKind, Use};
use crate::assembler::read::parser::Parser;
use crate::diagnostic::Span;

impl Parser<'_> {
    /// The full names that a name may have here, innermost space first; `use_name` says where it is enough.
    fn full_names<T>(
        &mut self,
        name: &str,
        mut use_name: impl FnMut(&mut Self, &str) -> Option<T>,
    ) -> Option<T> {
        let mut scratch = std::mem::take(&mut self.values.scratch);
        let local = name.starts_with('.');
        let mut end = if local { 0 } else { self.values.prefix.len() };
        let found = loop {
            scratch.clear();
            match self.values.scope {
                Some(scope) if local => scratch.push_str(self.values.symbols.name(scope)),
                _ => scratch.push_str(&self.values.prefix[..end]),
            }
            scratch.push_str(name);
            let found = use_name(self, &scratch);
            if found.is_some() || end == 0 {
                break found;
            }
            end = self.values.prefix[..end - 1].rfind('.').map_or(0, |at| at + 1);
        };
        self.values.scratch = scratch;
        found
    }

    /// The symbol that a name means here, if one is defined so far.
    pub(in crate::assembler) fn visible(&mut self, name: &str) -> Option<SymbolId> {
        self.full_names(name, |parser, full| {
            let symbol = parser.values.symbols.id_of(full)?;
            parser.values.symbols.is_defined(symbol).then_some(symbol)
        })
    }

    /// The symbol that a name used in a space means: the innermost one that is defined above, or anywhere as far as the
    /// walk before this one knows. Where there is none yet, the name waits for [`settle_spaces`](Self::settle_spaces).
    pub(in crate::assembler) fn meant(&mut self, name: &str) -> SymbolId {
        let mut innermost = None;
        let found = self.full_names(name, |parser, full| {
            let known_before = parser.layout.settling.defined_before(full);
            let symbol = parser.values.symbols.id_of(full);
            match symbol {
                Some(symbol) if known_before || parser.values.symbols.is_defined(symbol) => Some(symbol),
                None if known_before => Some(parser.values.symbols.intern(full)),
                _ => {
                    innermost
                        .get_or_insert_with(|| symbol.unwrap_or_else(|| parser.values.symbols.intern(full)));
                    None
                }
            }
        });
        match (found, innermost) {
            (Some(found), None) => found,
            (Some(found), Some(innermost)) => {
                self.layout.settling.passed_over.insert(innermost);
                found
            }
            (None, innermost) => {
                let symbol = innermost.unwrap_or_else(|| self.values.symbols.intern(name));
                self.layout.settling.waiting.push((symbol, self.values.prefix.len() as u32));
                symbol
            }
        }
    }

    /// The variable that `let` sets: one of this space or of one around it, else a new one here.
    pub(in crate::assembler) fn variable(&mut self, name: &str) -> SymbolId {
        match self.visible(name) {
            Some(symbol) if self.values.symbols.get(symbol).kind == SymbolKind::Variable => symbol,
            _ => self.intern(name),
        }
    }

    /// A symbol is defined that a use further up did not see: that use meant it, and the next walk knows.
    pub(in crate::assembler) fn hides(&mut self, symbol: SymbolId) {
        if self.layout.settling.passed_over.contains(&symbol) {
            self.layout.settling.again = true;
        }
    }

    /// Gives names that were used in a space and are not defined there to the spaces around it.
    /// Gives symbols that are used and defined nowhere the values that the board has for them.
    pub(in crate::assembler) fn take_board_names(&mut self) {
        let board = self.board;
        if board.is_empty() {
            return;
        }
        for id in 0..self.values.symbols.list.len() as u32 {
            let id = SymbolId(id);
            if self.values.symbols.get(id).kind != SymbolKind::Undefined {
                continue;
            }
            let name = self.values.symbols.name(id);
            let own = name.strip_prefix("board.").unwrap_or(name);
            let Some(&(_, value)) = board.iter().find(|row| row.0.eq_ignore_ascii_case(own)) else {
                continue;
            };
            // `.lamps` under `print` is no `print.lamps`.
            let is_local = |one: &Use| {
                let span = Span { source: one.source, start: one.start, end: one.end };
                one.symbol == id && self.sources.text(span).starts_with('.')
            };
            if self.values.symbols.uses.iter().any(is_local) {
                continue;
            }
            let symbol = self.values.symbols.get_mut(id);
            (symbol.kind, symbol.value) = (SymbolKind::Board, value);
        }
    }

    pub(in crate::assembler) fn settle_spaces(&mut self) {
        let waiting = std::mem::take(&mut self.layout.settling.waiting);
        let mut means = std::collections::HashMap::new();
        for (symbol, space) in waiting {
            if !self.values.symbols.is_defined(symbol) && !means.contains_key(&symbol) {
                let (prefix, name) = self.values.symbols.name(symbol).split_at(space as usize);
                let name = name.to_string();
                self.values.prefix = prefix.to_string();
                let other = self.visible(&name);
                // Where it is defined nowhere, the message speaks of the name as it is written.
                means.insert(symbol, other.unwrap_or_else(|| self.values.symbols.intern(&name)));
            }
        }
        self.values.prefix.clear();
        if means.is_empty() {
            return;
        }
        for code in &mut self.values.code {
            if let crate::assembler::read::expression::Code::Symbol(symbol) = code {
                *symbol = *means.get(symbol).unwrap_or(symbol);
            }
        }
        for one in &mut self.values.symbols.uses {
            one.symbol = *means.get(&one.symbol).unwrap_or(&one.symbol);
        }
    }
}
