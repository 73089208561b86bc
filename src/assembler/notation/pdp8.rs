//! Operands that name a cell of page zero or of the instruction's own page; literals, and links to other pages.
//!
//! What a page cannot hold in its instructions stands in its pool: cells at the page's upper end, from the last one down. They are
//! chosen when all values are known, so that the layout does not depend on them; the same value is kept once a page.

use super::Notation;
use super::instruction::Operands;
use crate::assembler::layout::emit::Field;
use crate::assembler::output::line::LineKind;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::Kind;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::{FIELD_BITS, PAGE, Row, Shape, Window, page_field};
use std::collections::BTreeMap;

/// How an operand in a page is written.
#[derive(Debug, Clone, Copy, Default)]
pub(in crate::assembler) struct Reference {
    /// `#`: the cell is one that holds this value.
    pub literal: bool,
    /// `Z`: it is in page zero.
    zero: bool,
    /// `I`: the address is in the cell.
    indirect: bool,
}

/// An operand that waits for the pool, or for its value.
pub(in crate::assembler) struct Waiting {
    /// Where its instruction stands in the output.
    place: (u32, u32),
    /// The address of the instruction.
    at: u32,
    value: Value,
    reference: Reference,
    span: Span,
    /// The line of the instruction, whose row changes where a link is put in.
    line: usize,
}

/// A cell of a pool.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PoolCell {
    /// Its address.
    pub address: u32,
    /// What it holds.
    pub value: u64,
    /// True where it is a link: the address of a cell in another page.
    pub link: bool,
}

/// What the pages need.
#[derive(Default)]
pub(in crate::assembler) struct Pages {
    pub(in crate::assembler) waiting: Vec<Waiting>,
    /// A cell of another page is reached through a link; otherwise that is an error.
    pub(in crate::assembler) links_off: bool,
    /// Cells that are reserved and not put out.
    pub(in crate::assembler) reserved: Vec<(u64, u64)>,
    pub pool: Vec<PoolCell>,
}

/// Operations that stand together in a word, and operands in a page, which may wait for cells made at the end.
pub(in crate::assembler) static PDP8: Notation = Notation {
    name: "pdp8",
    instruction: |parser, cursor, found, name, line| {
        if !parser.operations(cursor, found.0, name, line) && !parser.transfers(cursor, found.0, name, line) {
            parser.instruction(cursor, found, name, line);
        }
    },
    claims: |_, _, _| false,
    statement: |_, _, _, _| false,
    finish: |parser| parser.finish_pages(),
};

impl Parser<'_> {
    /// Reads the operand of a memory reference instruction and returns the row that it chooses.
    pub(in crate::assembler) fn page_operand(
        &mut self,
        cursor: &mut Cursor<'_>,
        rows: &'static [Row],
        fitting: u64,
        operands: &mut Operands,
    ) -> Option<u64> {
        let mut reference = Reference::default();
        while cursor.token.kind == Kind::Name && !cursor.is_last() {
            match cursor.text(cursor.token) {
                "I" | "i" => reference.indirect = true,
                "Z" | "z" => reference.zero = true,
                _ => break,
            }
            cursor.next();
        }
        if cursor.token.kind == Kind::Hash {
            reference.literal = true;
            cursor.next();
        }
        let begin = cursor.span();
        if self.is_in_parentheses(cursor) {
            let help = "a literal is written `#5`, in page zero `z #5`; for the cell of that address leave the parentheses out";
            let message = "parentheses around the whole operand mean nothing here";
            self.report(Diagnostic::error("operand", begin, message, help));
            cursor.skip_line();
            return None;
        }
        let expression = self.expression(cursor);
        let at = operands.count - 1;
        operands.spans[at] = Span { source: begin.source, ..expression.span };
        operands.values[at] = expression.value;
        operands.reference = Some(reference);
        let row = (0..rows.len()).find(|&row| {
            let shape = rows[row].operands.first();
            fitting & 1u64 << row != 0 && matches!(shape, Some(Shape::Within(_))) == reference.indirect
        })?;
        Some(1 << row)
    }

    /// `tad (5)` and `tad (5`, and the same in brackets: people are used to literals in that form.
    fn is_in_parentheses(&self, cursor: &Cursor<'_>) -> bool {
        if cursor.text(cursor.token) == "[" {
            return true;
        }
        let mut ahead = cursor.clone();
        let mut depth = 0;
        loop {
            match ahead.token.kind {
                Kind::Open => depth += 1,
                Kind::Close => depth -= 1,
                Kind::Line | Kind::End => return depth != 0,
                _ => {}
            }
            ahead.next();
            if depth == 0 {
                return ahead.last_end > cursor.token.end && ahead.at_line_end();
            }
        }
    }

    /// Takes note of an operand that is not settled with the instruction.
    pub(in crate::assembler) fn refer(
        &mut self,
        place: (u32, u32),
        at: u64,
        reference: Reference,
        value: Value,
        span: Span,
    ) {
        if let Value::Known(value) = value
            && !reference.literal
            && u32::try_from(value).is_ok_and(|value| page_field(value.into(), at as u32).is_some())
            && (!reference.zero
                || Window::around(value as u32, FIELD_BITS).number(value as u32) < PAGE as u32)
        {
            return;
        }
        if !matches!(value, Value::Broken) && !self.layout.output.overrun {
            let line = self.record.lines.len();
            self.family.pages.waiting.push(Waiting { place, at: at as u32, value, reference, span, line });
        }
    }

    /// Lets an instruction at `at` that is out already name the cell.
    pub(in crate::assembler) fn reach(&mut self, place: (u32, u32), at: u32, address: u64, span: Span) {
        match page_field(address, at) {
            Some(bits) => self.patch_word(place, bits),
            None => {
                let (value, reference) = (Value::Known(address as i64), Reference::default());
                self.family.pages.waiting.push(Waiting {
                    place,
                    at,
                    value,
                    reference,
                    span,
                    line: usize::MAX,
                });
            }
        }
    }

    /// Settles the operands that wait, and puts the pools out.
    pub(in crate::assembler) fn finish_pages(&mut self) {
        for waiting in std::mem::take(&mut self.family.pages.waiting) {
            let value = match waiting.value {
                Value::Known(value) => value,
                Value::Later(code) => match self.compute(code) {
                    Ok(value) => value,
                    Err(fault) => {
                        self.fault(fault, waiting.span);
                        continue;
                    }
                },
                Value::Broken => continue,
            };
            if let Some(field) = self.page_bits(&waiting, value) {
                self.patch_word(waiting.place, field);
            }
        }
        self.put_pools();
    }

    /// The bits of an instruction word that name the cell, where there is one.
    fn page_bits(&mut self, waiting: &Waiting, value: i64) -> Option<u64> {
        let Waiting { at, reference, span, .. } = *waiting;
        let set = self.set?;
        if reference.literal {
            let (least, greatest) = (-(1i64 << (set.cell_bits() - 1)), set.last_cell() as i64);
            let value = self.in_window(value, at.into(), Field::Cell);
            if !(least..=greatest).contains(&value) {
                let message = format!("{value} does not fit into a cell");
                let help = format!("a literal takes {least} to {greatest}");
                self.report(Diagnostic::error("value-range", span, message, help));
                return None;
            }
            let page = if reference.zero { set.window(at).base() } else { at & !(PAGE as u32 - 1) };
            let cell = self.pool_cell(page, value as u64 & set.last_cell(), false, span)?;
            return page_field(cell.into(), at);
        }
        let Some(address) = u32::try_from(value).ok().filter(|&address| address <= set.last_address()) else {
            let message = format!("{value} is not an address");
            let help = format!("addresses go from 0 to {}", set.address(set.last_address().into()));
            self.report(Diagnostic::error("value-range", span, message, help));
            return None;
        };
        let shown = set.address(address.into());
        if reference.zero && set.window(address).number(address) >= PAGE as u32 {
            let message = format!("{shown} is not in page zero, as Z says");
            self.report(Diagnostic::error(
                "page",
                span,
                message,
                "leave Z out; the assembler chooses the page",
            ));
            return None;
        }
        if let Some(field) = page_field(address.into(), at) {
            return Some(field);
        }
        let page = set.address((at & !(PAGE as u32 - 1)).into());
        if !set.window(at).contains(address) {
            let message = format!("{shown} is in another memory field");
            let help = "choose the field with CDF or CIF and reach the cell with I through one of this page";
            self.report(Diagnostic::error("page", span, message, help));
        } else if reference.indirect {
            let message = format!("{shown} is neither in page zero nor in the page from {page} on");
            let help = "I goes through one cell, and that must be in one of these pages";
            self.report(Diagnostic::error("page", span, message, help));
        } else if self.family.pages.links_off {
            let message = format!("{shown} is neither in page zero nor in the page from {page} on");
            let help = "go through a cell with its address and I, or let the assembler do it: `links on`";
            self.report(Diagnostic::error("page", span, message, help));
        } else {
            let cell = self.pool_cell(
                at & !(PAGE as u32 - 1),
                set.window(address).number(address).into(),
                true,
                span,
            )?;
            self.becomes_indirect(waiting.line);
            return Some(page_field(cell.into(), at)? | 0o400);
        }
        None
    }

    /// The line's instruction is the one with I now.
    fn becomes_indirect(&mut self, line: usize) {
        let Some(set) = self.set else { return };
        if let Some(LineKind::Cells { row, .. } | LineKind::Generated { row, .. }) =
            self.record.lines.get_mut(line).map(|line| &mut line.kind)
            && let Some(direct) = row.checked_sub(1)
        {
            let own = &set.rows()[usize::from(direct)];
            let other = set
                .rows()
                .iter()
                .position(|other| other.value == own.value | 0o400 && other.mask == own.mask);
            *row = other.map_or(*row, |at| at as u16 + 1);
        }
    }

    fn patch_word(&mut self, (piece, offset): (u32, u32), bits: u64) {
        if let Some(cell) = self
            .layout
            .output
            .pieces
            .get_mut(piece as usize)
            .and_then(|piece| piece.cells.get_mut(offset as usize))
        {
            *cell |= bits;
        }
    }

    /// The cell of the page's pool that holds the value.
    fn pool_cell(&mut self, page: u32, value: u64, link: bool, span: Span) -> Option<u32> {
        let own = |cell: &&PoolCell| cell.address & !(PAGE as u32 - 1) == page;
        let pool = self.family.pages.pool.iter().filter(own);
        if let Some(cell) = pool.clone().find(|cell| cell.value == value) {
            return Some(cell.address);
        }
        let taken: Vec<u32> = pool.map(|cell| cell.address).collect();
        let is_free = |address: &u32| {
            let at = u64::from(*address);
            let put = self.layout.output.pieces.iter().any(|piece| {
                let start = u64::from(piece.start);
                (start..start + piece.cells.len() as u64).contains(&at)
            });
            let reserved =
                self.family.pages.reserved.iter().any(|&(first, count)| (first..first + count).contains(&at));
            !put && !reserved && !taken.contains(address)
        };
        let Some(address) = (page..page + PAGE as u32).rev().find(is_free) else {
            let first = self.set.map_or_else(String::new, |set| set.address(page.into()));
            let message = format!("the page from {first} on has no cell left for its pool");
            let help = "literals and links stand at the end of their page; move code to another one with `align 200`";
            self.report(Diagnostic::error("page-full", span, message, help));
            return None;
        };
        self.family.pages.pool.push(PoolCell { address, value, link });
        Some(address)
    }

    fn put_pools(&mut self) {
        self.family.pages.pool.sort_by_key(|cell| cell.address);
        let mut runs: BTreeMap<u32, Vec<u64>> = BTreeMap::new();
        for cell in &self.family.pages.pool {
            match runs.last_entry() {
                Some(mut run) if run.key() + run.get().len() as u32 == cell.address => {
                    run.get_mut().push(cell.value);
                }
                _ => _ = runs.insert(cell.address, vec![cell.value]),
            }
        }
        let span = Span { source: 0, start: 0, end: 0 };
        for (start, cells) in runs {
            self.layout.output.pieces.push(crate::assembler::layout::emit::Piece {
                start,
                base: 0,
                cells,
                span,
            });
        }
    }
}
