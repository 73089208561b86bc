//! Several operations in one instruction word: `cla cll iac`.

use super::instruction::rows_of;
use crate::assembler::read::expression::Value;
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span};
use crate::processor::micro::{Group, Operation};
use crate::processor::{InstructionSet, Shape};

use crate::assembler::layout::emit::Field;

/// An operation as it is written.
struct Written<'t> {
    name: &'t str,
    span: Span,
}

impl Parser<'_> {
    /// Reads the operations that stand after the first one. False where there are none: then it is an instruction like others.
    pub(in crate::assembler) fn operations(
        &mut self,
        cursor: &mut Cursor<'_>,
        set: &'static InstructionSet,
        name: Token,
        line: u32,
    ) -> bool {
        let known = |text: &str| set.table.groups.iter().any(|group| group.find(text).is_some());
        let follows = cursor.token.kind == Kind::Name && known(cursor.text(cursor.token));
        if !follows || !known(cursor.text(name)) {
            return false;
        }
        let span = cursor.span_of(name);
        let mut written = vec![Written { name: cursor.text(name), span }];
        while cursor.token.kind == Kind::Name && known(cursor.text(cursor.token)) {
            written.push(Written { name: cursor.text(cursor.token), span: cursor.span() });
            cursor.next();
        }
        let before = self.layout.location;
        let takes_word = written.iter().filter_map(|one| operand_of(set, one.name)).next_back();
        let word = match combine(set, &written) {
            Ok(word) => word,
            Err(error) => {
                self.report(*error);
                0
            }
        };
        let row = set.opcode(&[word]).ok().flatten().map_or(0, |found| found.number + 1);
        let mut cells = vec![word];
        let mut waits = None;
        if let Some(shape) = takes_word {
            let value = self.word_behind(cursor, shape);
            cells.push(match value {
                (Value::Known(value), _) => value as u64 & set.last_cell(),
                _ => 0,
            });
            waits = Some((shape, value));
        }
        let (piece, offset) = self.place();
        self.emit(&cells, span);
        if let Some((shape, (value @ Value::Later(_), place))) = waits {
            self.wait((piece, offset + 1), Field::Operand(shape), value, place);
        }
        self.record_cells(span.source, line, before, row);
        true
    }

    fn word_behind(&mut self, cursor: &mut Cursor<'_>, shape: Shape) -> (Value, Span) {
        if cursor.at_line_end() {
            let message = format!("{} is missing after the operations", shape.wanted());
            let place = Span { start: cursor.last_end, end: cursor.last_end, ..cursor.span() };
            self.report(Diagnostic::error("operand-count", place, message, "it stands in the next cell"));
            return (Value::Broken, place);
        }
        let source = cursor.span().source;
        let expression = self.expression(cursor);
        let place = Span { source, ..expression.span };
        let value = match expression.value {
            Value::Known(value) if !self.fits(value, Field::Operand(shape), place) => Value::Broken,
            value => value,
        };
        (value, place)
    }
}

/// What the word after an operation is, where there is one.
fn operand_of(set: &'static InstructionSet, name: &str) -> Option<Shape> {
    rows_of(set, name)?.rows[0].operands.first().copied()
}

/// The word of all operations, or what keeps them apart.
fn combine(set: &'static InstructionSet, written: &[Written<'_>]) -> Result<u64, Box<Diagnostic>> {
    let mut apart = None;
    for group in set.table.groups {
        let Some(all) = written.iter().map(|one| group.find(one.name)).collect::<Option<Vec<_>>>() else {
            continue;
        };
        match put_together(group, &all) {
            Ok(word) => return Ok(word),
            Err(at) => {
                apart.get_or_insert((group, at));
            }
        }
    }
    let error = match apart {
        Some((group, at)) => {
            let name = written[at].name.to_uppercase();
            let message = format!("{name} does not go together with what stands before it");
            Diagnostic::error("operations", written[at].span, message, group.rule)
        }
        None => strangers(set, written),
    };
    Err(Box::new(error))
}

/// The word, or which operation does not fit those before it.
fn put_together(group: &Group, all: &[&Operation]) -> Result<u64, usize> {
    let (mut mask, mut bits) = (0, 0);
    for (at, one) in all.iter().enumerate() {
        let differs = (bits ^ one.value) & mask & one.mask != 0;
        if differs || bits | one.value == bits {
            return Err(at);
        }
        mask |= one.mask;
        bits |= one.value;
    }
    Ok(group.base | bits)
}

/// Operations of different groups.
fn strangers(set: &InstructionSet, written: &[Written<'_>]) -> Diagnostic {
    let groups = |name: &str| -> Vec<&Group> {
        set.table.groups.iter().copied().filter(|group| group.find(name).is_some()).collect()
    };
    let first = groups(written[0].name);
    let at = (1..written.len()).find(|&at| {
        let own = groups(written[at].name);
        !first.iter().any(|group| own.contains(group))
    });
    let at = at.unwrap_or(written.len() - 1);
    let title = |list: Vec<&Group>| list.iter().map(|group| group.title).collect::<Vec<_>>().join(" or ");
    let (one, other) = (written[0].name.to_uppercase(), written[at].name.to_uppercase());
    let message = format!(
        "{other} is of {} and {one} of {}: they cannot stand in one word",
        title(groups(written[at].name)),
        title(first)
    );
    Diagnostic::error("operations", written[at].span, message, "write two instructions")
}
