//! Instructions: a mnemonic's rows are narrowed operand by operand; what is left is encoded.

use super::pdp8::Reference;
use crate::assembler::layout::emit::Field;
use crate::assembler::read::directive::DIRECTIVES;
use crate::assembler::read::expression::Value;
use crate::assembler::read::habits::is_statement;
use crate::assembler::read::lexer::{Kind, Token};
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span, nearest};
use crate::processor::{
    self, InstructionSet, LONGEST, MOST_OPERANDS, Mistake, MistakeKind, Row, Shape, encode, foreign, pack,
};

/// The rows of a mnemonic.
#[derive(Clone, Copy)]
pub(crate) struct Rows {
    /// Place of the first one in the table.
    pub first: usize,
    /// The rows, other models' among them.
    pub rows: &'static [Row],
    /// A bit for each that the set has.
    pub own: u64,
}

/// The rows of a mnemonic that the set has.
#[inline]
pub(crate) fn rows_of(set: &'static InstructionSet, name: &str) -> Option<Rows> {
    packed_rows(set, pack(name)?)
}

/// The same for a packed mnemonic.
#[inline]
pub(crate) fn packed_rows(set: &'static InstructionSet, packed: u64) -> Option<Rows> {
    let (range, own) = set.table.mnemonics.rows(packed)?;
    Some(Rows { first: range.start, rows: &set.rows()[range], own })
}

/// True where the set has a register of that name as an operand.
#[inline]
pub(crate) fn is_register(set: &InstructionSet, name: &str) -> bool {
    set.table.operand_names.iter().any(|known| known.eq_ignore_ascii_case(name))
}

/// No register or condition has a longer name.
pub const LONGEST_NAME: usize = 4;

/// The operands read so far.
pub(in crate::assembler) struct Operands {
    pub values: [Value; MOST_OPERANDS],
    pub spans: [Span; MOST_OPERANDS],
    /// The places of the registers that distances are counted from.
    pub registers: [u64; MOST_OPERANDS],
    pub count: usize,
    /// The operand for which rows of different widths still fit; its value is checked when one is chosen.
    pub wide: Option<usize>,
    /// How an operand in a page is written.
    pub reference: Option<Reference>,
}

impl Parser<'_> {
    /// The plain notation: each operand narrows the rows that still fit.
    pub(in crate::assembler) fn instruction(
        &mut self,
        cursor: &mut Cursor<'_>,
        (set, Rows { first: first_row, rows, own }): (&'static InstructionSet, Rows),
        name: Token,
        line: u32,
    ) {
        debug_assert!(self.set.is_some_and(|own| std::ptr::eq(own, set)));
        let span = cursor.span_of(name);
        let mut operands = Operands {
            values: [Value::Known(0); MOST_OPERANDS],
            spans: [span; MOST_OPERANDS],
            registers: [0; MOST_OPERANDS],
            count: 0,
            wide: None,
            reference: None,
        };
        // A bit for each row that still fits.
        let mut fitting = own;
        while !cursor.at_line_end() && self.can_follow(cursor, rows, own, operands.count) {
            let Some(left) = self.operand(cursor, rows, fitting, &mut operands) else {
                // The message is out; the line still takes its cells so that later addresses are right.
                return self.put_broken(rows[fitting.trailing_zeros() as usize], span, line);
            };
            fitting = left;
            if cursor.token.kind != Kind::Comma {
                break;
            }
            cursor.next();
            if operands.count >= MOST_OPERANDS || cursor.at_line_end() {
                break;
            }
        }
        let mut complete = 0;
        let mut alive = fitting;
        while alive != 0 {
            let row = alive.trailing_zeros() as usize;
            alive &= alive - 1;
            complete |= u64::from(rows[row].operands.len() == operands.count) << row;
        }
        if complete == 0 && operands.count == 0 {
            // `asl` alone shifts the accumulator.
            let is_implied = |row: &Row| matches!(row.operands, [Shape::Fixed("A")]);
            complete = (0..rows.len())
                .map(|row| u64::from(own & 1 << row != 0 && is_implied(&rows[row])) << row)
                .sum();
            operands.count = usize::from(complete != 0);
        }
        if let Some(at) = operands.wide
            && complete != 0
        {
            complete = self.choose_width(rows, complete, at, &mut operands);
        }
        match complete {
            1.. => {
                let at = complete.trailing_zeros() as usize;
                self.put(&rows[at], first_row + at, &operands, span, line);
            }
            0 => {
                self.wrong_count(cursor, &rows[fitting.trailing_zeros() as usize], operands.count, span);
                self.put_broken(rows[fitting.trailing_zeros() as usize], span, line);
            }
        }
    }

    /// False where no row takes another operand, so that what follows is an error of the line.
    fn can_follow(&mut self, cursor: &mut Cursor<'_>, rows: &[Row], own: u64, count: usize) -> bool {
        let mut alive = own;
        while alive != 0 {
            if rows[alive.trailing_zeros() as usize].operands.len() > count {
                return true;
            }
            alive &= alive - 1;
        }
        let row = &rows[own.trailing_zeros() as usize];
        let message = format!("{} takes {} here", row.mnemonic, operand_count(row));
        let help = self.habit(cursor).unwrap_or_else(|| format!("write `{}`", row.form().to_lowercase()));
        self.report(Diagnostic::error("operand-count", cursor.span(), message, help));
        cursor.skip_line();
        false
    }

    /// Reads one operand and returns the rows that still fit; `None` where it was reported as wrong.
    #[inline]
    fn operand(
        &mut self,
        cursor: &mut Cursor<'_>,
        rows: &'static [Row],
        fitting: u64,
        operands: &mut Operands,
    ) -> Option<u64> {
        let token = cursor.token;
        let span = cursor.span();
        let at = operands.count;
        let mut named = 0;
        let mut numeric: Option<(Shape, u64)> = None;
        let (mut within, mut several, mut indexed) = (0, false, None);
        let mut field = 0;
        // A number may be the name of a mode.
        let is_name = matches!(token.kind, Kind::Name | Kind::Number);
        let text = if is_name { cursor.text(token) } else { "" };
        let mut alive = fitting;
        while alive != 0 {
            let row = alive.trailing_zeros() as usize;
            alive &= alive - 1;
            match rows[row].operands.get(at).copied() {
                Some(Shape::Name { names, .. }) => {
                    if let Some(place) = names.find(text) {
                        field = place;
                        named |= 1 << row;
                    }
                }
                Some(Shape::Fixed(name)) if name.eq_ignore_ascii_case(text) => named |= 1 << row,
                Some(Shape::Fixed(_)) | None => {}
                Some(Shape::Within(_)) => within |= 1 << row,
                Some(shape @ Shape::Indexed { names, .. }) => {
                    if let Some(place) = names.find(text) {
                        operands.registers[at] = place as u64;
                        indexed = Some((shape, indexed.map_or(0, |(_, rows)| rows) | 1u64 << row));
                    }
                }
                Some(shape) => {
                    several |= numeric.is_some_and(|(other, _)| other != shape);
                    numeric = Some((shape, numeric.map_or(0, |(_, rows)| rows) | 1 << row));
                }
            }
        }
        operands.count += 1;
        if numeric.is_some_and(|(shape, _)| shape == Shape::Page) {
            return self.page_operand(cursor, rows, fitting, operands);
        }
        if named != 0 {
            cursor.next();
            operands.values[at] = Value::Known(field as i64);
            return Some(named);
        }
        if let Some((shape, rows)) = indexed {
            operands.values[at] = self.distance_behind(cursor, shape, at, operands);
            operands.spans[at].source = span.source;
            return Some(rows);
        }
        if within != 0
            && let Some(rows) =
                self.signed_operand(cursor, rows, (within, numeric.map(|row| row.1)), operands)
        {
            return rows;
        }
        let Some((shape, mut numeric)) = numeric else {
            self.wrong_name(cursor, rows, fitting, at);
            return None;
        };
        if !text.is_empty() && text.len() <= LONGEST_NAME && self.is_register(text) {
            // The last of several forms is the one that takes most.
            self.register_for_number(cursor, &rows[63 - numeric.leading_zeros() as usize], at);
            return None;
        }
        if several || shape.width_word().is_some() && self.set.is_some_and(|set| set.table.zero_page_forms) {
            operands.wide = Some(at);
            numeric = self.width_word(cursor, rows, numeric, at);
            let expression = self.expression(cursor);
            operands.spans[at] = Span { source: span.source, ..expression.span };
            operands.values[at] = expression.value;
            return Some(numeric);
        }
        let expression = self.expression(cursor);
        operands.spans[at] = Span { source: span.source, ..expression.span };
        operands.values[at] = self.checked(expression.value, shape, expression.span);
        Some(numeric)
    }

    #[inline]
    fn put(&mut self, row: &Row, number: usize, operands: &Operands, span: Span, line: u32) {
        let mut numbers = [0; MOST_OPERANDS];
        for (at, number) in numbers[..operands.count].iter_mut().enumerate() {
            if let Value::Known(value) = operands.values[at] {
                *number = value as u64;
            }
            if let Shape::Indexed { .. } = row.operands[at].inner() {
                *number = operands.registers[at] << 8 | *number & 0xFF;
            }
        }
        if operands.reference.is_some_and(|reference| reference.literal) {
            // What is written is not the address; that is known when the pool is.
            numbers[0] = 0;
        }
        let mut cells = [0; LONGEST];
        let before = self.layout.location;
        let lead = usize::from(self.family.suffix.is_some());
        let mut count = encode(row, before as u32 + lead as u32, &numbers[..operands.count], &mut cells);
        if let Some((suffix, _)) = self.family.suffix {
            cells.copy_within(..count, 1);
            cells[0] = suffix;
            count += 1;
        }
        let place = self.place();
        if row.operands.last() == Some(&Shape::Relative)
            && let Value::Known(target) = operands.values[operands.count - 1]
        {
            self.reaches(target, before + count as u64, operands.spans[operands.count - 1]);
        }
        self.emit(&cells[..count], span);
        if let Some(reference) = operands.reference {
            self.refer(place, before, reference, operands.values[0], operands.spans[0]);
            return self.record_cells(span.source, line, before, number as u16 + 1);
        }
        let mut offset = (row.operands_at() + lead) as u32;
        for (at, shape) in row.operands.iter().enumerate() {
            if let value @ Value::Later(_) = operands.values[at] {
                let start = if shape.cells() == 0 { (row.field_at() + lead) as u32 } else { offset };
                self.wait(
                    (place.0, place.1 + start),
                    Field::Operand(shape.inner()),
                    value,
                    operands.spans[at],
                );
            }
            offset += shape.cells() as u32;
        }
        self.note_mode(before);
        self.record_cells(span.source, line, before, number as u16 + 1);
    }

    /// A known value that does not fit its operand is reported and counts as broken.
    #[inline]
    pub(in crate::assembler) fn checked(&mut self, value: Value, shape: Shape, span: Span) -> Value {
        let Value::Known(value) = value else { return value };
        let value = self.in_window(value, self.layout.location, Field::Operand(shape));
        if self.fits(value, Field::Operand(shape), span) { Value::Known(value) } else { Value::Broken }
    }

    /// Cells in place of an instruction that was reported as wrong.
    #[cold]
    fn put_broken(&mut self, row: Row, span: Span, line: u32) {
        let before = self.layout.location;
        self.emit(&[0; LONGEST][..row.cells()], span);
        self.record_cells(span.source, line, before, 0);
    }

    /// What the line means on a processor whose people are used to other words, where it means something there.
    #[cold]
    fn habit(&self, cursor: &Cursor<'_>) -> Option<String> {
        // At the end of a line the cursor is after it.
        let token = Token { start: cursor.last_end.saturating_sub(1), ..cursor.token };
        let (other, same) = super::translate::instead(cursor.line_of(token), self.set?)?;
        Some(format!("that is how the {other} writes `{same}`"))
    }

    #[cold]
    fn wrong_count(&mut self, cursor: &Cursor<'_>, row: &Row, count: usize, span: Span) {
        let missing = row.operands.get(count).map(|shape| shape.wanted());
        let span = if cursor.at_line_end() { Span { end: cursor.last_end, ..span } } else { cursor.span() };
        let (message, help) = match missing {
            Some(wanted) => (
                format!(
                    "{} wants {} and has {}",
                    row.mnemonic,
                    operand_count(row),
                    ["none", "one", "two"][count.min(2)]
                ),
                match self.habit(cursor).or_else(|| self.forms(row)) {
                    Some(help) => help,
                    None => format!("add {wanted}: `{}`", row.form().to_lowercase()),
                },
            ),
            None => (
                format!("{} takes {}, not {count}", row.mnemonic, operand_count(row)),
                format!("write `{}`", row.form().to_lowercase()),
            ),
        };
        self.report(Diagnostic::error("operand-count", span, message, help));
    }

    /// A register or pair was wanted and something else stands there.
    #[cold]
    fn wrong_name(&mut self, cursor: &mut Cursor<'_>, rows: &[Row], fitting: u64, at: usize) {
        let alive = rows.iter().enumerate().filter(|(row, _)| fitting & 1u64 << row != 0).map(|(_, row)| row);
        let shapes: Vec<Shape> = alive.clone().filter_map(|row| row.operands.get(at).copied()).collect();
        if shapes.is_empty() {
            return self.no_such_form(cursor, &rows[0]);
        }
        let mut wanted: Vec<String> = shapes.iter().map(|shape| shape.wanted()).collect();
        wanted.dedup();
        let mnemonic = rows[0].mnemonic;
        let text = cursor.text(cursor.token);
        let place = ["first", "second", "third"][at.min(2)];
        let written = if cursor.token.kind == Kind::Bad || text.is_empty() {
            crate::assembler::read::expression::shown(text)
        } else {
            format!("`{text}`")
        };
        let message =
            format!("{mnemonic} wants {} as its {place} operand, not {written}", wanted.join(" or "));
        let set = self.set.expect("a row was found in it");
        let names = shapes.iter().flat_map(|shape| match shape {
            Shape::Name { names, .. } | Shape::Indexed { names, .. } => names.list.to_vec(),
            Shape::Fixed(name) => vec![*name],
            Shape::Within(within) => vec![within.place],
            _ => vec![],
        });
        let names: Vec<&str> = names.filter(|name| !name.is_empty()).collect();
        let alias = set
            .hints
            .register_aliases
            .iter()
            .find(|(other, _)| other.eq_ignore_ascii_case(text))
            .map(|row| row.1);
        let kind = match cursor.token.kind {
            Kind::Open => MistakeKind::Bracket,
            _ if text == "[" => MistakeKind::Bracket,
            Kind::Number | Kind::Text | Kind::Minus | Kind::Here => MistakeKind::Number,
            _ if self.is_register(text) => MistakeKind::Register,
            _ => MistakeKind::Other,
        };
        let mistake = Mistake::NoSuchName { mnemonic, at, text, kind, names: &names };
        let help = if let Some(help) = self.habit(cursor).or_else(|| (set.hints.advice)(&mistake)) {
            help
        } else if let Some(own) = alias.filter(|own| names.contains(own)) {
            format!("the {} calls it {own}: write `{}`", set.name(), own.to_lowercase())
        } else if let Some(near) =
            nearest(text, names.iter().copied()).filter(|_| cursor.token.kind == Kind::Name)
        {
            format!("did you mean `{}`?", near.to_lowercase())
        } else {
            format!("write one of {}", names.join(", "))
        };
        self.report(Diagnostic::error("operand", cursor.span(), message, help));
        cursor.skip_line();
    }

    #[cold]
    fn register_for_number(&mut self, cursor: &mut Cursor<'_>, row: &Row, at: usize) {
        let text = cursor.text(cursor.token);
        let wanted = row.operands[at].wanted();
        let message = format!("{} wants {wanted} here, and `{text}` is a register", row.mnemonic);
        let alias = self.set.and_then(|set| {
            let own =
                set.hints.register_aliases.iter().find(|(other, _)| other.eq_ignore_ascii_case(text))?.1;
            own.starts_with('(')
                .then(|| format!("the {} calls it {own}: write `{}`", set.name(), own.to_lowercase()))
        });
        let mistake = Mistake::RegisterForNumber { mnemonic: row.mnemonic, at, text };
        let advice = || self.set.and_then(|set| (set.hints.advice)(&mistake));
        let help = alias
            .or_else(advice)
            .unwrap_or_else(|| format!("write {wanted}; a number such as 0Bh begins with a digit"));
        self.report(Diagnostic::error("operand", cursor.span(), message, help));
        cursor.skip_line();
    }

    /// A word that is not an instruction here, or that cannot be told from one because no processor was chosen.
    #[cold]
    pub(crate) fn no_instruction(&mut self, cursor: &mut Cursor<'_>, name: Token) {
        match self.need_set(cursor.span_of(name)) {
            Some(set) => self.unknown(cursor, set, name),
            None => cursor.skip_line(),
        }
    }

    /// No instruction of that name: a misspelling, another processor's, or a label without its colon.
    #[cold]
    fn unknown(&mut self, cursor: &mut Cursor<'_>, set: &'static InstructionSet, name: Token) {
        let text = cursor.text(name);
        let span = cursor.span_of(name);
        let next = cursor.text(cursor.token);
        let goes_on = cursor.token.kind == Kind::Name && is_statement(set, next);
        let is_first = cursor.is_line_start(name);
        // At the edge a name that nothing follows is a label, unless it is a mnemonic with a slip in it.
        let alone = is_first && cursor.at_line_end() && text.len() > 1;
        let has = |other: &&&'static InstructionSet| rows_of(other, text).is_some();
        let sibling = processor::ALL.iter().filter(|other| std::ptr::eq(other.rows(), set.rows())).find(has);
        let stranger = processor::ALL.iter().find(has);
        let mnemonics = set.own_rows().map(|row| row.mnemonic);
        let near = nearest(text, mnemonics.chain(DIRECTIVES.iter().map(|row| row.0)));
        let code = "unknown-instruction";
        let is_strange = stranger.is_some() || foreign(set, text).is_some();
        if goes_on && (is_first || !is_strange) || alone && near.is_none() && !is_strange {
            return self.forgotten_colon(cursor, name);
        }
        let error = if let Some(other) = sibling.or(stranger.filter(|_| foreign(set, text).is_none())) {
            let message =
                format!("`{text}` is an instruction of the {}, not of the {}", other.name(), set.name());
            Diagnostic::error(
                code,
                span,
                message,
                format!("write `cpu {}` if the machine has one", other.name()),
            )
        } else if let Some(foreign) = foreign(set, text) {
            let message =
                format!("`{text}` is an instruction of the {}, not of the {}", foreign.owner, set.name());
            // The very line, where it has the same opcode here.
            let same = super::translate::instead(cursor.line_of(name), set);
            let instead = same.map_or_else(|| foreign.instead.to_string(), |(_, same)| format!("`{same}`"));
            Diagnostic::error(code, span, message, format!("on the {} write {instead}", set.name()))
        } else if let Some(near) = near {
            let message = format!("`{text}` is not an instruction of the {}", set.name());
            Diagnostic::error(code, span, message, format!("did you mean `{}`?", near.to_lowercase()))
        } else {
            let message = format!("`{text}` is not an instruction of the {}", set.name());
            let known = |(mnemonic, _): (&str, &str)| set.modes.is_some() && rows_of(set, mnemonic).is_some();
            let help = if text.split_once('.').is_some_and(known) {
                "the suffixes are .sis, .sil, .lis and .lil, or .s, .l, .is and .il for the half that differs"
                    .to_string()
            } else {
                format!("see `plainbyte chart {}`; a label ends with a colon", set.name())
            };
            Diagnostic::error(code, span, message, help)
        };
        if alone && is_strange {
            let help = format!("{}; if it is a label, end it with a colon: `{text}:`", error.help);
            self.report(Diagnostic { help, ..error });
            return self.label(cursor, name, name.start);
        }
        self.report(error);
        cursor.skip_line();
    }
}

fn operand_count(row: &Row) -> String {
    match row.operands.len() {
        0 => "no operand".to_string(),
        1 => "one operand".to_string(),
        2 => "two operands".to_string(),
        more => format!("{more} operands"),
    }
}
