//! Symbols: names interned once, values, places and uses.

use crate::assembler::read::expression::CodeRange;
use crate::diagnostic::Span;
use hashbrown::HashTable;
use hashbrown::hash_table::Entry;

/// A symbol's number, in order of first mention.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SymbolId(pub u32);

/// What a symbol is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SymbolKind {
    /// Mentioned, not defined.
    Undefined,
    /// An address.
    Label,
    /// `equ`.
    Constant,
    /// `equ` with a value that waits for symbols below.
    Waiting(CodeRange),
    /// `let`.
    Variable,
    /// Defined from outside.
    Given,
    /// Defined nowhere in the program, and a name of its board.
    Board,
    /// Its definition is wrong; whoever uses it is not told again.
    Broken,
    /// The name of a macro, by its number.
    Macro(u32),
}

/// A symbol.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Symbol {
    name: (u32, u32),
    /// The name's hash, so that a growing table need not read the names again.
    hash: u64,
    pub value: i64,
    /// The address that a label's segment begins at.
    pub base: u32,
    /// Cells of the datum after a label; 0 where there is none.
    pub unit: u8,
    pub kind: SymbolKind,
    pub defined: Span,
}

/// A place where a symbol is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Use {
    pub symbol: SymbolId,
    pub source: u32,
    pub start: u32,
    pub end: u32,
}

/// The symbols of one assembly.
#[derive(Debug, Clone, Default)]
pub struct Symbols {
    text: String,
    table: HashTable<u32>,
    pub(crate) list: Vec<Symbol>,
    pub(crate) uses: Vec<Use>,
}

/// Eight bytes at a time, rotated and multiplied, and mixed once more at the end: sequential labels differ only in
/// their last bytes, and without the mixing they would share the table's low bits.
#[inline]
fn hash(name: &str) -> u64 {
    const K: u64 = 0x9E37_79B9_7F4A_7C15;
    let mut hash = name.len() as u64;
    let mut chunks = name.as_bytes().chunks_exact(8);
    for chunk in &mut chunks {
        let word = u64::from_le_bytes(chunk.try_into().expect("eight bytes"));
        hash = (hash.rotate_left(5) ^ word).wrapping_mul(K);
    }
    let mut last = 0u64;
    for &byte in chunks.remainder() {
        last = last << 8 | u64::from(byte);
    }
    hash = (hash.rotate_left(5) ^ last).wrapping_mul(K);
    (hash ^ hash >> 29).wrapping_mul(K)
}

impl Symbols {
    /// The symbol of that name, made where there is none.
    #[inline]
    pub(crate) fn intern(&mut self, name: &str) -> SymbolId {
        let Self { text, table, list, .. } = self;
        let same = |&id: &u32| {
            let (start, end) = list[id as usize].name;
            &text.as_bytes()[start as usize..end as usize] == name.as_bytes()
        };
        let hash = hash(name);
        // A single probe finds the symbol or its place.
        let vacant = match table.entry(hash, same, |&other| list[other as usize].hash) {
            Entry::Occupied(found) => return SymbolId(*found.get()),
            Entry::Vacant(vacant) => vacant,
        };
        let id = list.len() as u32;
        vacant.insert(id);
        let start = text.len() as u32;
        text.push_str(name);
        let symbol = Symbol {
            name: (start, text.len() as u32),
            hash,
            value: 0,
            base: 0,
            unit: 0,
            kind: SymbolKind::Undefined,
            defined: Span::default(),
        };
        list.push(symbol);
        SymbolId(id)
    }

    /// Makes room for so many more symbols.
    pub(crate) fn expect(&mut self, more: usize) {
        let list = &mut self.list;
        list.reserve(more);
        self.text.reserve(8 * more);
        self.table.reserve(more, |&other| list[other as usize].hash);
    }

    pub(crate) fn get(&self, id: SymbolId) -> &Symbol {
        &self.list[id.0 as usize]
    }

    pub(crate) fn get_mut(&mut self, id: SymbolId) -> &mut Symbol {
        &mut self.list[id.0 as usize]
    }

    /// The name of a symbol.
    pub fn name(&self, id: SymbolId) -> &str {
        let (start, end) = self.list[id.0 as usize].name;
        &self.text[start as usize..end as usize]
    }

    /// The number of that exact name, if it was ever mentioned.
    pub(crate) fn id_of(&self, name: &str) -> Option<SymbolId> {
        let same = |&id: &u32| self.name(SymbolId(id)) == name;
        self.table.find(hash(name), same).map(|&id| SymbolId(id))
    }

    /// The symbol of that exact name, if it is defined.
    pub fn find(&self, name: &str) -> Option<SymbolView<'_>> {
        self.view(self.id_of(name)?)
    }

    /// The value of the symbol of that name.
    pub fn value(&self, name: &str) -> Option<i64> {
        self.find(name).map(|symbol| symbol.value)
    }

    /// True where it has a value, or is going to have one.
    pub(crate) fn is_defined(&self, id: SymbolId) -> bool {
        self.get(id).kind != SymbolKind::Undefined
    }

    fn view(&self, id: SymbolId) -> Option<SymbolView<'_>> {
        let has_value = !matches!(
            self.get(id).kind,
            SymbolKind::Undefined | SymbolKind::Broken | SymbolKind::Waiting(_) | SymbolKind::Macro(_)
        );
        has_value.then(|| self.any_view(id))
    }

    fn any_view(&self, id: SymbolId) -> SymbolView<'_> {
        let Symbol { value, base, unit, kind, defined, .. } = *self.get(id);
        SymbolView { id, name: self.name(id), value, base, unit, kind, defined }
    }

    /// The macros, which have no value.
    pub fn macros(&self) -> impl Iterator<Item = SymbolView<'_>> {
        let all = (0..self.list.len() as u32).map(|id| self.any_view(SymbolId(id)));
        all.filter(|symbol| matches!(symbol.kind, SymbolKind::Macro(_)))
    }

    /// Every defined symbol, in order of first mention.
    pub fn iter(&self) -> impl Iterator<Item = SymbolView<'_>> {
        (0..self.list.len() as u32).filter_map(|id| self.view(SymbolId(id)))
    }

    /// The labels by their address, the first one where several stand at one.
    pub fn labels(&self) -> std::collections::BTreeMap<u32, &str> {
        let mut labels = std::collections::BTreeMap::new();
        for symbol in self.iter().filter(|symbol| symbol.kind == SymbolKind::Label) {
            if let Some(address) = symbol.address() {
                labels.entry(address).or_insert(symbol.name);
            }
        }
        labels
    }

    /// The same with addresses in place of the numbers of labels, moved by so many cells.
    #[must_use]
    pub(crate) fn moved(&self, by: u32) -> Self {
        let mut moved = self.clone();
        for symbol in moved.list.iter_mut().filter(|symbol| symbol.kind == SymbolKind::Label) {
            symbol.value += i64::from(symbol.base) + i64::from(by);
            symbol.base = 0;
        }
        moved
    }

    /// Every name, defined or not.
    pub(crate) fn names(&self) -> impl Iterator<Item = (SymbolId, &str)> {
        (0..self.list.len() as u32).map(|id| (SymbolId(id), self.name(SymbolId(id))))
    }

    /// The places where each symbol is used, in order.
    pub fn uses(&self) -> Uses {
        let mut ends = vec![0u32; self.list.len()];
        for one in &self.uses {
            ends[one.symbol.0 as usize] += 1;
        }
        let mut sum = 0;
        for end in &mut ends {
            sum += *end;
            *end = sum - *end;
        }
        // `ends` holds where each list begins, and moves to its end as the list is filled.
        let mut places = vec![Span::default(); self.uses.len()];
        for one in &self.uses {
            let end = &mut ends[one.symbol.0 as usize];
            places[*end as usize] = Span { source: one.source, start: one.start, end: one.end };
            *end += 1;
        }
        Uses { ends, places }
    }
}

/// Where symbols are used.
#[derive(Debug, Clone)]
pub struct Uses {
    ends: Vec<u32>,
    places: Vec<Span>,
}

impl Uses {
    /// Where a symbol is used, in the order of reading.
    pub fn of(&self, symbol: SymbolId) -> &[Span] {
        let at = symbol.0 as usize;
        let begin = at.checked_sub(1).map_or(0, |before| self.ends[before]);
        self.ends.get(at).map_or(&[], |&end| &self.places[begin as usize..end as usize])
    }
}

/// A defined symbol.
#[derive(Debug, Clone, Copy)]
pub struct SymbolView<'a> {
    /// Its number.
    pub id: SymbolId,
    /// Its name; a local label's is `LABEL.local`.
    pub name: &'a str,
    /// Its value.
    pub value: i64,
    /// The address that a label's segment begins at; 0 where there are no segments.
    pub base: u32,
    /// Cells of the datum after a label, by the directive there; 0 where none stands there.
    pub unit: u8,
    /// What it is.
    pub kind: SymbolKind,
    /// Where it is defined.
    pub defined: Span,
}

impl SymbolView<'_> {
    /// The address that its value means.
    pub fn address(&self) -> Option<u32> {
        u32::try_from(self.value).ok()?.checked_add(self.base)
    }
}
