//! Walking again: where the layout depends on a symbol further down, the walk over the source is repeated with the values
//! of the walk before, until what was assumed is what comes out.
//!
//! Nearly every source settles in the first walk, since nothing is assumed. A source whose layout depends on itself may
//! never settle; after [`MOST_WALKS`] that is an error which names the place and the two values.

use crate::assembler::Loaded;
use crate::assembler::read::expression::{CodeRange, Fault, Of, execute};
use crate::assembler::read::parser::Parser;
use crate::assembler::value::symbols::{SymbolId, SymbolKind, Symbols};
use crate::diagnostic::{Diagnostic, Sources, Span};
use std::collections::HashSet;
use std::sync::Arc;

/// A layout that has not settled by then is taken for one that never does.
pub(in crate::assembler) const MOST_WALKS: u32 = 12;

/// In this walk and later ones an operand that waits gets the wide form, which is right wherever its value lies: a program
/// whose forms depend on each other settles so.
const WIDE_FROM: u32 = 8;

/// What the layout was made with.
struct Assumption {
    code: CodeRange,
    span: Span,
    what: Assumed,
}

enum Assumed {
    /// This value, of what; `None` where nothing was known.
    Value(String, Option<i64>),
    /// That the value lies in the range, or that it does not.
    Narrow((i64, i64), bool),
}

/// What one walk hands to the next.
pub(in crate::assembler) struct Walk {
    symbols: Symbols,
    texts: Vec<(String, Option<String>, Loaded)>,
    far: HashSet<u32>,
    bases: Vec<u32>,
}

/// What is assumed, and what the walk before knows.
#[derive(Default)]
pub(crate) struct Settling {
    /// Which walk this is, from 1.
    walk: u32,
    before: Option<Walk>,
    /// The branches of blocks, by number, that a near one does not reach.
    pub(in crate::assembler) far: HashSet<u32>,
    /// Where the parts begin, as the link at the end of this walk has it.
    pub(in crate::assembler) bases: Vec<u32>,
    /// How many branches blocks have put out.
    pub(in crate::assembler) branches: u32,
    /// The texts read: as asked for, from where, and their number.
    pub(in crate::assembler) texts: Vec<(String, Option<String>, u32)>,
    assumptions: Vec<Assumption>,
    /// Symbols of a space that a use did not see because they were not defined yet.
    pub(in crate::assembler) passed_over: HashSet<SymbolId>,
    /// Names used in a space that are not defined yet, and how much of them is the space.
    pub(in crate::assembler) waiting: Vec<(SymbolId, u32)>,
    /// Something came out otherwise than it was assumed.
    pub(in crate::assembler) again: bool,
    /// The first assumption that did not hold: where, what, assumed, came out.
    mismatch: Option<(Span, String, i64, i64)>,
    /// The addresses given by `org`, `pad` and `region`, in order.
    pub(in crate::assembler) places: Vec<i64>,
    /// Moves each origin equal to the recorded one by so much (`inspect --moved`).
    pub(in crate::assembler) moved: Option<(i64, Vec<i64>)>,
}

impl Settling {
    pub(in crate::assembler) fn new(
        walk: u32,
        mut before: Option<Walk>,
        moved: Option<(i64, Vec<i64>)>,
    ) -> Self {
        let far = before.as_mut().map(|walk| std::mem::take(&mut walk.far)).unwrap_or_default();
        Self { walk, before, moved, far, ..Self::default() }
    }

    /// A text that the walk before read already.
    pub(in crate::assembler) fn text(&self, name: &str, from: Option<&str>) -> Option<Loaded> {
        let walk = self.before.as_ref()?;
        let same = |(other, beside, _): &&(String, Option<String>, Loaded)| {
            other == name && beside.as_deref() == from
        };
        walk.texts.iter().find(same).map(|(_, _, loaded)| loaded.clone())
    }

    /// True where a branch, by its number, is a long one: a near one was found not to reach, or the walks come to no end otherwise.
    pub(in crate::assembler) fn is_far(&self, branch: u32) -> bool {
        self.walk >= WIDE_FROM || self.far.contains(&branch)
    }

    /// Where a part, by its number, begins as the walk before came to know.
    pub(in crate::assembler) fn base_before(&self, part: usize) -> Option<u32> {
        self.before.as_ref()?.bases.get(part).copied()
    }

    /// Something came out otherwise than it was taken to be: where, what, as it was taken, as it came out.
    pub(in crate::assembler) fn disagrees(&mut self, mismatch: (Span, String, i64, i64)) {
        self.again = true;
        self.mismatch.get_or_insert(mismatch);
    }

    /// True in the first walk, which knows nothing of what stands further down.
    pub(in crate::assembler) fn is_first(&self) -> bool {
        self.before.is_none()
    }

    /// Cells of the datum after a label, as the walk before found it.
    pub(in crate::assembler) fn unit_before(&self, name: &str) -> Option<u8> {
        self.before.as_ref()?.symbols.find(name).map(|symbol| symbol.unit)
    }

    /// True where the walk before came to define that name.
    pub(in crate::assembler) fn defined_before(&self, name: &str) -> bool {
        let defined = |walk: &Walk| walk.symbols.id_of(name).is_some_and(|id| walk.symbols.is_defined(id));
        self.before.as_ref().is_some_and(defined)
    }

    /// An address that the source gives for the location. Where the program is moved, an address that did not move by
    /// itself, as one computed from labels does, moves now.
    pub(in crate::assembler) fn place(&mut self, address: i64) -> i64 {
        let number = self.places.len();
        self.places.push(address);
        match &self.moved {
            Some((by, first)) if first.get(number) == Some(&address) => address.saturating_add(*by),
            _ => address,
        }
    }
}

impl Parser<'_> {
    /// The value of an expression that the layout depends on and that is not known here: as the walk before found it.
    #[cold]
    pub(in crate::assembler) fn assume(&mut self, code: CodeRange, span: Span, what: &str) -> Option<i64> {
        let value = self.predicted(code).ok();
        let what = Assumed::Value(what.to_string(), value);
        self.layout.settling.assumptions.push(Assumption { code, span, what });
        Some(value.unwrap_or(0))
    }

    /// True where the value of an expression, as the walk before found it, lies in the range of the narrow form.
    #[cold]
    pub(in crate::assembler) fn assume_narrow(
        &mut self,
        code: CodeRange,
        span: Span,
        range: (i64, i64),
    ) -> bool {
        if self.layout.settling.walk >= WIDE_FROM {
            return false;
        }
        let narrow = self.predicted(code).is_ok_and(|value| (range.0..=range.1).contains(&value));
        self.layout.settling.assumptions.push(Assumption {
            code,
            span,
            what: Assumed::Narrow(range, narrow),
        });
        narrow
    }

    fn predicted(&self, range: CodeRange) -> Result<i64, Fault> {
        let shift = self.set.map_or(0, |set| set.cells.segment_shift);
        let part = |value: i64, base: u32, of| match of {
            Of::Value => value,
            Of::Segment => (base >> shift).into(),
        };
        let symbol = |id, of| match self.values.symbols.get(id).kind {
            SymbolKind::Broken | SymbolKind::Macro(_) => Err(Fault::Broken),
            SymbolKind::Undefined | SymbolKind::Waiting(_) => {
                let before = self.layout.settling.before.as_ref();
                let found = before.and_then(|walk| walk.symbols.find(self.values.symbols.name(id)));
                found.map(|found| part(found.value, found.base, of)).ok_or(Fault::Undefined(id))
            }
            _ => {
                let known = self.values.symbols.get(id);
                Ok(part(known.value, known.base, of))
            }
        };
        let code = &self.values.code[range.start as usize..range.end as usize];
        execute(code, symbol, |address| Err(Fault::NoCell(address)))
    }

    /// Compares what was assumed with what came out.
    pub(in crate::assembler) fn check_assumptions(&mut self) {
        for Assumption { code, span, what } in std::mem::take(&mut self.layout.settling.assumptions) {
            match (self.compute(code), what) {
                (Ok(came), Assumed::Value(_, value)) if value == Some(came) => {}
                (Ok(came), Assumed::Value(what, value)) => {
                    self.layout.settling.disagrees((span, what, value.unwrap_or(0), came));
                }
                (Ok(came), Assumed::Narrow(range, narrow)) => {
                    self.layout.settling.again |= narrow != (range.0..=range.1).contains(&came);
                }
                // What waits for the value reports the fault where it is an operand.
                (Err(_), Assumed::Narrow(..)) => {}
                (Err(fault), Assumed::Value(..)) => {
                    self.fault(fault, span);
                }
            }
        }
    }

    /// True where another walk is needed; the last walk reports instead.
    pub(in crate::assembler) fn is_unsettled(&mut self, walk: u32) -> bool {
        if !self.layout.settling.again || self.record.diagnostics.iter().any(|one| one.code == "not-utf8") {
            return false;
        }
        if walk < MOST_WALKS {
            return true;
        }
        if let Some((span, what, assumed, came)) = self.layout.settling.mismatch.take() {
            let message = format!(
                "{what} needs a value that depends on it: taken as {assumed}, it comes out as {came}"
            );
            let help = format!(
                "the layout does not settle in {MOST_WALKS} passes over the source; use a value that does not change with it"
            );
            self.report(Diagnostic::error("unsettled", span, message, help));
        }
        false
    }

    /// What the next walk needs to know.
    pub(in crate::assembler) fn into_walk(self) -> Walk {
        let loaded = |sources: &Sources, source: u32| {
            sources.get(source).map(|source| Loaded {
                name: source.name.clone(),
                bytes: Arc::unwrap_or_clone(Arc::clone(&source.text)).into_bytes(),
            })
        };
        let texts = self
            .layout
            .settling
            .texts
            .into_iter()
            .filter_map(|(name, from, source)| Some((name, from, loaded(&self.sources, source)?)))
            .collect();
        Walk {
            symbols: self.values.symbols,
            texts,
            far: self.layout.settling.far,
            bases: self.layout.settling.bases,
        }
    }
}
