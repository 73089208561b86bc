//! Parts: code, data and stack, written wherever they belong in the source and joined part by part.
//!
//! A place in a part is a base and an offset. The base depends on how long the parts before it come out, so that [`link`](super::link)
//! lays it down at the end of a walk and the next walk begins with it: in the last walk every address is final while it is read.

use crate::assembler::output::line::LineKind;
use crate::assembler::read::lexer::Kind;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::assembler::value::symbols::SymbolId;
use crate::diagnostic::{Diagnostic, Span, nearest};
use serde::Serialize;

/// What a part holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum PartKind {
    /// Instructions.
    Code,
    /// What they work on.
    Data,
    /// Room for the stack.
    Stack,
}

impl PartKind {
    const NAMES: [(&'static str, Self); 3] =
        [("code", Self::Code), ("data", Self::Data), ("stack", Self::Stack)];

    /// Its word after `part`.
    pub fn word(self) -> &'static str {
        Self::NAMES[self as usize].0
    }

    fn find(word: &str) -> Option<Self> {
        Self::NAMES.iter().find(|(name, _)| name.eq_ignore_ascii_case(word)).map(|&(_, kind)| kind)
    }
}

/// A part of a program: all that stands after the `part` lines of one kind and name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Part {
    /// What it holds.
    pub kind: PartKind,
    /// Its name; empty where the source gives none.
    pub name: String,
    /// Address of its first cell.
    pub base: u32,
    /// How many cells it takes, reserved ones included.
    pub cells: u32,
    /// Where it is opened first.
    #[serde(skip)]
    pub defined: Span,
}

impl Part {
    /// Its kind and its name.
    pub fn title(&self) -> String {
        let Self { kind, name, .. } = self;
        if name.is_empty() { kind.word().to_string() } else { format!("{} {name}", kind.word()) }
    }

    /// Address after its last cell.
    pub fn end(&self) -> u64 {
        u64::from(self.base) + u64::from(self.cells)
    }
}

/// The parts of a source, in the order in which they are opened first.
#[derive(Default)]
pub(crate) struct Parts {
    pub list: Vec<Part>,
    /// The part that the location is in.
    pub(in crate::assembler) current: Option<usize>,
    /// Where the first part begins: the location in front of the first `part` line.
    pub home: u64,
    /// The label that local labels belonged to where each part of code was left.
    scopes: Vec<(usize, Option<SymbolId>)>,
}

/// The first address from here on at which a segment can begin.
pub(super) fn aligned(address: u64, segment_shift: u8) -> u64 {
    address.next_multiple_of(1 << segment_shift)
}

impl Parser<'_> {
    /// `part code`, `part data NAME`: what follows stands in that part.
    pub(in crate::assembler) fn part(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let word = cursor.text(cursor.token);
        let Some(kind) = PartKind::find(word).filter(|_| cursor.token.kind == Kind::Name) else {
            let near = nearest(word, PartKind::NAMES.iter().map(|(name, _)| *name));
            let help = near.map_or("write `part code`, `part data` or `part stack`".to_string(), |near| {
                format!("did you mean `part {near}`?")
            });
            let message = "`part` wants to know what it holds";
            self.report(Diagnostic::error("part", cursor.span(), message, help));
            return cursor.skip_line();
        };
        cursor.next();
        let mut name = String::new();
        if cursor.token.kind == Kind::Name {
            name = cursor.text(cursor.token).to_string();
            cursor.next();
        }
        self.leave_region();
        self.leave_part();
        self.enter_part(kind, name, span);
        self.record(span.source, line, self.layout.location, LineKind::Location);
    }

    /// `stack N`: so many cells for the stack, in a part of their own; the location stays where it is.
    pub(in crate::assembler) fn stack_part(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let count = self.expression(cursor);
        let Some(cells) = self.known(count, "`stack`") else { return };
        let Some(cells) = u64::try_from(cells).ok().filter(|cells| (1..=0x1_0000).contains(cells)) else {
            let message = format!("`stack` cannot reserve {cells} cells");
            self.report(Diagnostic::error("count", count.span, message, "give 1 to 65536"));
            return;
        };
        if !self.parts_are_segments() {
            let message = "only a program in segments has a stack of its own";
            let help = "leave `org` out for an EXE program; others use the stack that they are started with";
            self.report(Diagnostic::error("part", span, message, help));
            return;
        }
        let (current, scope) = (self.layout.parts.current, self.values.scope);
        let (location, base) = (self.layout.location, self.layout.base);
        self.leave_part();
        self.enter_part(PartKind::Stack, String::new(), span);
        self.record(span.source, line, self.layout.location, LineKind::Reserved(cells as u32));
        self.reserve(cells, span);
        self.leave_part();
        self.values.scope = scope;
        (self.layout.base, self.layout.parts.current) = (base, current);
        self.set_location(location);
    }

    fn enter_part(&mut self, kind: PartKind, name: String, defined: Span) {
        let shift = self.part_shift();
        let here = self.location_address();
        let parts = &mut self.layout.parts;
        if parts.list.is_empty() {
            parts.home = here;
        }
        let known = parts.list.iter().position(|part| part.kind == kind && part.name == name);
        let at = known.unwrap_or_else(|| {
            let number = parts.list.len();
            // Where no walk knows better, parts that are opened once each stand one after the other already.
            let behind = parts.list.last().map_or(parts.home, Part::end);
            let base = self.layout.settling.base_before(number).unwrap_or(aligned(behind, shift) as u32);
            parts.list.push(Part { kind, name, base, cells: 0, defined });
            number
        });
        let location = parts.list[at].end();
        let base = parts.list[at].base;
        parts.current = Some(at);
        // Data beside a routine may be local to it; labels of data do not come between the routine's own.
        let scope = parts.scopes.iter().find(|one| one.0 == at).map(|one| one.1);
        if let Some(scope) = scope {
            self.values.scope = scope;
        }
        if self.parts_are_segments() {
            self.layout.base = base;
            return self.set_location(location - u64::from(base));
        }
        self.set_location(location);
    }

    /// True where each part is a segment of its own: the processor has some, and the source does not say where the program stands.
    pub(in crate::assembler) fn parts_are_segments(&self) -> bool {
        self.has_segments() && !self.layout.has_origin
    }

    /// Parts begin where a segment can begin, where they are some.
    pub(super) fn part_shift(&self) -> u8 {
        self.set.filter(|_| self.parts_are_segments()).map_or(0, |set| set.cells.segment_shift)
    }

    /// The location leaves the part it is in, for `org`, for a region, for another part and at the end.
    pub(in crate::assembler) fn leave_part(&mut self) {
        if let Some(at) = self.layout.parts.current.take() {
            let address = self.location_address();
            let part = &mut self.layout.parts.list[at];
            let cells = address.saturating_sub(part.base.into());
            part.cells = u32::try_from(cells).unwrap_or(u32::MAX);
            if part.kind == PartKind::Code {
                let scopes = &mut self.layout.parts.scopes;
                scopes.retain(|one| one.0 != at);
                scopes.push((at, self.values.scope));
            }
        }
    }
}
