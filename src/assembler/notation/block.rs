//! Blocks without labels: `cycle`, `when` and `space`. A branch whose end is not known yet leaves a hole that is filled
//! where the block ends.

use super::instruction::{Rows, rows_of};
use super::pdp8::Reference;
use crate::assembler::layout::emit::Field;
use crate::assembler::output::line::LineKind;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::Kind;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::assembler::value::symbols::SymbolId;
use crate::diagnostic::{Diagnostic, Span, nearest};
use crate::processor::{Condition, Flow, InstructionSet, LONGEST, MOST_OPERANDS, Row, Shape, encode};

/// An operand that waits for the address of the block's end.
#[derive(Debug, Clone, Copy)]
pub(in crate::assembler) struct Hole {
    place: (u32, u32),
    field: Field,
    /// Which branch of the blocks it belongs to.
    number: u32,
    span: Span,
}

/// An open block.
#[derive(Debug)]
pub(crate) enum Block {
    Cycle { span: Span, top: u64, leaves: Vec<Hole> },
    When { span: Span, skip: Option<Hole>, end: Option<Hole>, otherwise: bool },
    Space { span: Span, outer: usize, scope: Option<SymbolId> },
}

impl Block {
    /// The word that opens it, the one that closes it, and where it was opened.
    fn words(&self) -> (&'static str, &'static str, Span) {
        match self {
            Block::Cycle { span, .. } => ("cycle", "endcycle", *span),
            Block::When { span, .. } => ("when", "endwhen", *span),
            Block::Space { span, .. } => ("space", "endspace", *span),
        }
    }
}

/// A branch by its mnemonic and its condition: the rows, which of them it is, and the condition's value.
#[derive(Clone, Copy)]
struct Branch {
    rows: Rows,
    at: usize,
    condition: Option<u64>,
}

impl Branch {
    /// The branch written so: `JNZ`, `JR NZ`. `None` where the set has none.
    fn find(set: &'static InstructionSet, form: &str) -> Option<Self> {
        let (mnemonic, condition) = form.split_once(' ').unzip();
        let rows = rows_of(set, mnemonic.unwrap_or(form))?;
        let own = rows.rows.iter().enumerate().filter(|(at, _)| rows.own & 1u64 << at != 0);
        own.map(|(at, row)| (at, row.operands.first())).find_map(|(at, first)| match (condition, first) {
            (None, _) => Some(Self { rows, at, condition: None }),
            (Some(name), Some(Shape::Name { names, .. })) => {
                Some(Self { rows, at, condition: Some(names.find(name)? as u64) })
            }
            _ => None,
        })
    }

    fn row(&self) -> &'static Row {
        &self.rows.rows[self.at]
    }

    fn is_near(&self) -> bool {
        self.row().operands.last() == Some(&Shape::Relative)
    }
}

/// What a block tests: a condition, and the accumulator that it is about where the machine tests accumulators.
#[derive(Debug, Clone, Copy)]
struct Test {
    condition: &'static Condition,
    of: u64,
}

/// The jump under the condition of a near branch, where the set has one.
fn far_form(set: &'static InstructionSet, near: &str) -> Option<String> {
    let (_, condition) = near.split_once(' ')?;
    let form = format!("{} {condition}", set.table.jump);
    Branch::find(set, &form).map(|_| form)
}

impl Parser<'_> {
    /// Reports the blocks that the text being read leaves open.
    pub(in crate::assembler) fn close_blocks(&mut self) {
        while self.reading.blocks.len() > self.reading.floor.1 {
            let Some(block) = self.reading.blocks.pop() else { return };
            let (open, close, span) = block.words();
            if let Block::Space { outer, scope, .. } = block {
                self.values.prefix.truncate(outer);
                self.values.scope = scope;
            }
            let message = format!("this `{open}` is never closed");
            self.report(Diagnostic::error(
                "open-block",
                span,
                message,
                format!("add `{close}` where it ends"),
            ));
        }
    }

    /// The innermost block of this text, if it is the one that `word` closes; reports where it is not.
    fn innermost(&mut self, word: &str, opener: &str, span: Span) -> Option<Block> {
        let block = self.reading.blocks.len().checked_sub(1).filter(|&at| at >= self.reading.floor.1);
        let Some(last) = block.map(|at| &self.reading.blocks[at]) else {
            let help = format!("add the `{opener}`, or remove this");
            self.report(Diagnostic::error("block", span, format!("`{word}` without `{opener}`"), help));
            return None;
        };
        let (open, close, place) = last.words();
        if open == opener {
            return self.reading.blocks.pop();
        }
        let message = format!("`{word}` stands inside a `{open}` that is still open");
        let error = Diagnostic::error("block", span, message, format!("close it first with `{close}`"));
        self.report(error.with_label(place, format!("the `{open}`")));
        None
    }

    /// The condition at the cursor.
    fn condition_of(&mut self, cursor: &mut Cursor<'_>, word: &str) -> Option<Test> {
        let span = cursor.span();
        let set = self.need_set(span)?;
        let text = cursor.text(cursor.token);
        if cursor.token.kind == Kind::Name
            && let Some(condition) = set.condition(text)
        {
            if condition.fails.is_empty() && word != "endcycle" {
                let message = format!("`{word} {text}` cannot be: it counts and goes back");
                let help = format!("write it at the end of a loop: `endcycle {text}`");
                self.report(Diagnostic::error("condition", span, message, help));
                cursor.skip_line();
                return None;
            }
            cursor.next();
            let of = self.tested(cursor, set, condition);
            return Some(Test { condition, of });
        }
        let all = set.table.conditions.iter().flat_map(|one| one.names.iter().copied());
        let list = || all.clone().collect::<Vec<_>>().join(" ");
        let (message, help) = if cursor.at_line_end() {
            (format!("`{word}` wants a condition"), format!("write one of {}", list()))
        } else {
            let near = nearest(text, all.clone()).filter(|_| cursor.token.kind == Kind::Name);
            let help = near
                .map_or_else(|| format!("write one of {}", list()), |near| format!("did you mean `{near}`?"));
            (format!("`{text}` is not a condition of the {}", set.name()), help)
        };
        self.report(Diagnostic::error("condition", span, message, help));
        cursor.skip_line();
        None
    }

    /// The accumulator that a condition is about, on a machine that tests accumulators; the first one where none is written.
    fn tested(
        &mut self,
        cursor: &mut Cursor<'_>,
        set: &'static InstructionSet,
        condition: &'static Condition,
    ) -> u64 {
        let shape = rows_of(set, condition.holds).and_then(|found| found.rows[0].operands.first().copied());
        let (Some(shape @ Shape::Digit { .. }), Kind::Comma) = (shape, cursor.token.kind) else { return 0 };
        cursor.next();
        let expression = self.expression(cursor);
        let value = self.known(expression, "a condition");
        let value = value.filter(|&value| self.fits(value, Field::Operand(shape), expression.span));
        value.unwrap_or(0) as u64
    }

    /// Puts out an instruction that goes to an address, or to a hole.
    fn transfer(
        &mut self,
        set: &'static InstructionSet,
        (mnemonic, of): (&str, u64),
        target: Option<u64>,
        span: Span,
        line: u32,
    ) -> Option<Hole> {
        let branch = Branch::find(set, mnemonic)?;
        let row = branch.row();
        let mut operands = [0; MOST_OPERANDS];
        // The address stands last, after a condition or an accumulator where the machine has them.
        operands[0] = branch.condition.unwrap_or(of);
        operands[row.operands.len().saturating_sub(1)] = target.unwrap_or(0);
        let mut cells = [0; LONGEST];
        let before = self.layout.location;
        let count = encode(row, before as u32, &operands[..row.operands.len()], &mut cells);
        let (piece, offset) = self.place();
        self.emit(&cells[..count], span);
        let shape = row.operands.last().copied();
        if let (Some(Shape::Page), Some(target)) = (shape, target) {
            self.refer((piece, offset), before, Reference::default(), Value::Known(target as i64), span);
        }
        let kind = LineKind::Generated {
            count: (self.layout.location - before) as u32,
            row: (branch.rows.first + branch.at) as u16 + 1,
        };
        self.record(span.source, line, before, kind);
        // The operand stands in the first cell or after the opcode.
        let behind = if shape?.cells() > 0 { row.operands_at() as u32 } else { 0 };
        let number = self.layout.settling.branches;
        (target.is_none() && !self.layout.output.overrun).then_some(Hole {
            place: (piece, offset + behind),
            field: Field::Operand(shape?),
            number,
            span,
        })
    }

    /// Branches where the condition holds (or does not), always where there is none, by the shortest way: a near branch, or
    /// where that does not reach a jump, with the opposite branch around it.
    fn branch_if(
        &mut self,
        test: Option<Test>,
        holds: bool,
        target: Option<u64>,
        span: Span,
        line: u32,
    ) -> Option<Hole> {
        let set = self.need_set(span)?;
        let (condition, of) = (test.map(|test| test.condition), test.map_or(0, |test| test.of));
        self.layout.settling.branches += 1;
        let number = self.layout.settling.branches;
        let near = match condition {
            Some(one) => Some(if holds { one.holds } else { one.fails }),
            None => set.table.near_jump,
        };
        let near_branch = near.and_then(|near| Branch::find(set, near));
        let near_row = near_branch.map(|branch| branch.row());
        if let (Some(one), true) = (condition, near_row.is_some_and(|row| row.flow == Flow::Skip)) {
            // A skip passes over the jump where it is not to be taken.
            let around = if holds { one.fails } else { one.holds };
            self.transfer(set, (around, of), None, span, line);
            return self.transfer(set, (set.table.jump, 0), target, span, line);
        }
        let is_near = near_branch.is_some_and(|branch| branch.is_near());
        let reaches = match (near_row, target) {
            (Some(row), Some(target)) if is_near => {
                let distance = self.distance(target as i64, self.layout.location as i64 + row.cells() as i64);
                (-0x80..=0x7F).contains(&distance)
            }
            _ => !self.layout.settling.is_far(number),
        };
        match (near, condition) {
            (Some(near), Some(one)) if one.fails.is_empty() => {
                let hole = self.transfer(set, (near, of), target, span, line);
                if let Some(target) = target {
                    self.reaches(target as i64, self.layout.location, span);
                }
                hole
            }
            (Some(near), _) if reaches || !is_near => self.transfer(set, (near, of), target, span, line),
            (_, None) => self.transfer(set, (set.table.jump, 0), target, span, line),
            (Some(near), Some(_)) if far_form(set, near).is_some() => {
                let far = far_form(set, near).unwrap_or_default();
                self.transfer(set, (&far, of), target, span, line)
            }
            (_, Some(one)) => {
                let around = if holds { one.fails } else { one.holds };
                let jump = rows_of(set, set.table.jump).map_or(0, |found| found.rows[0].cells());
                let behind =
                    self.layout.location + near_row.map_or(0, |row| row.cells() as u64) + jump as u64;
                self.transfer(set, (around, of), Some(behind), span, line);
                self.transfer(set, (set.table.jump, 0), target, span, line)
            }
        }
    }

    fn fill_hole(&mut self, hole: Option<Hole>) {
        let Some(hole) = hole else { return };
        let start = self.layout.output.pieces.get(hole.place.0 as usize).map_or(0, |piece| piece.number(0));
        if hole.field == Field::Operand(Shape::Page) {
            return self.reach(hole.place, start + hole.place.1, self.layout.location, hole.span);
        }
        let distance = self.layout.location as i64 - (i64::from(start + hole.place.1) + 1);
        if hole.field == Field::Operand(Shape::Relative) && distance > 0x7F {
            // The walk is repeated with a jump here.
            self.layout.settling.far.insert(hole.number);
            self.layout.settling.again = true;
        }
        self.patch(hole.place, hole.field, self.layout.location);
    }

    pub(in crate::assembler) fn cycle(&mut self, span: Span, line: u32) {
        self.record(span.source, line, self.layout.location, LineKind::Location);
        self.reading.blocks.push(Block::Cycle { span, top: self.layout.location, leaves: Vec::new() });
    }

    pub(in crate::assembler) fn leave(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let floor = self.reading.floor.1;
        let is_cycle = |block: &Block| matches!(block, Block::Cycle { .. });
        let Some(at) = self.reading.blocks[floor..].iter().rposition(is_cycle).map(|at| at + floor) else {
            let help = "it leaves the lines between `cycle` and `endcycle`";
            self.report(Diagnostic::error("block", span, "`leave` outside a `cycle`", help));
            return cursor.skip_line();
        };
        let condition = match cursor.at_line_end() {
            true => None,
            false => match self.condition_of(cursor, "leave") {
                Some(condition) => Some(condition),
                None => return,
            },
        };
        let hole = self.branch_if(condition, true, None, span, line);
        if let Block::Cycle { leaves, .. } = &mut self.reading.blocks[at] {
            leaves.extend(hole);
        }
    }

    pub(in crate::assembler) fn end_cycle(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let Some(Block::Cycle { top, leaves, .. }) = self.innermost("endcycle", "cycle", span) else {
            return cursor.skip_line();
        };
        let condition = if cursor.at_line_end() { None } else { self.condition_of(cursor, "endcycle") };
        self.branch_if(condition, true, Some(top), span, line);
        for hole in leaves {
            self.fill_hole(Some(hole));
        }
    }

    pub(in crate::assembler) fn when(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let condition = self.condition_of(cursor, "when");
        // Where the condition is wrong the block is open all the same, so that its end is not told to be alone.
        let skip = condition.and_then(|one| self.branch_if(Some(one), false, None, span, line));
        self.reading.blocks.push(Block::When { span, skip, end: None, otherwise: false });
    }

    pub(in crate::assembler) fn when_otherwise(&mut self, span: Span, line: u32) {
        let Some(block) = self.innermost("otherwise", "when", span) else { return };
        let Block::When { span: opened, skip, end, otherwise } = block else { return };
        if otherwise {
            let error =
                Diagnostic::error("block", span, "a second `otherwise`", "a `when` has one; remove one");
            self.report(error.with_label(opened, "the `when`"));
            self.reading.blocks.push(Block::When { span: opened, skip, end, otherwise });
            return;
        }
        let end = self.branch_if(None, true, None, span, line);
        self.fill_hole(skip);
        self.reading.blocks.push(Block::When { span: opened, skip: None, end, otherwise: true });
    }

    pub(in crate::assembler) fn end_when(&mut self, span: Span, line: u32) {
        let Some(Block::When { skip, end, .. }) = self.innermost("endwhen", "when", span) else { return };
        self.fill_hole(skip);
        self.fill_hole(end);
        self.record(span.source, line, self.layout.location, LineKind::Location);
    }

    pub(in crate::assembler) fn open_space(&mut self, cursor: &mut Cursor<'_>, span: Span) {
        let outer = self.values.prefix.len();
        let name = cursor.text(cursor.token);
        if cursor.token.kind == Kind::Name && !name.starts_with('.') {
            self.check_reserved(name, cursor.span(), false);
            self.values.prefix.push_str(name);
            self.values.prefix.push('.');
            cursor.next();
        } else {
            let help = "write `space NAME`; outside, its symbols are NAME.symbol";
            self.report(Diagnostic::error("space", cursor.span(), "the space has no name", help));
            cursor.skip_line();
        }
        let scope = self.values.scope.take();
        self.reading.blocks.push(Block::Space { span, outer, scope });
    }

    pub(in crate::assembler) fn end_space(&mut self, span: Span) {
        if let Some(Block::Space { outer, scope, .. }) = self.innermost("endspace", "space", span) {
            self.values.prefix.truncate(outer);
            self.values.scope = scope;
        }
    }
}
