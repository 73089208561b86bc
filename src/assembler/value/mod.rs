//! What names and expressions are worth: symbols, name spaces, single formulas.

pub(super) mod formula;
pub(super) mod space;
pub(super) mod symbols;

use super::read::expression::{Code, CodeRange};
use symbols::{SymbolId, Symbols};

/// What names are worth, and what waits for them.
#[derive(Default)]
pub(super) struct Values {
    pub symbols: Symbols,
    /// Postfix code of values that wait.
    pub code: Vec<Code>,
    /// The spaces around the line, with points after: `lamp.`.
    pub prefix: String,
    /// The global label that local labels belong to.
    pub scope: Option<SymbolId>,
    /// The label that was met last.
    pub last_label: Option<SymbolId>,
    /// The name of a local label, put together.
    pub scratch: String,
}

impl Values {
    /// The symbol that a value is, where it is nothing else.
    pub fn only_symbol(&self, code: CodeRange) -> Option<SymbolId> {
        match self.code[code.start as usize..code.end as usize] {
            [Code::Symbol(symbol)] => Some(symbol),
            _ => None,
        }
    }
}
