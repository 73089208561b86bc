//! The directives, one function each.

use super::expression::{Expression, Value};
use super::lexer::{Kind, Token};
use super::parser::{Cursor, Parser};
use crate::assembler::layout::emit::Field;
use crate::assembler::output::line::LineKind;
use crate::diagnostic::{Diagnostic, Severity, Span, nearest};
use crate::processor::{self, pack};

/// A directive.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Directive {
    Cpu,
    Org,
    Bytes,
    Words,
    Doubles,
    Triples,
    Space,
    Include,
    Pad,
    Align,
    If,
    Else,
    EndIf,
    Entry,
    Demand,
    Note,
    Macro,
    Copies,
    SpaceOpen,
    SpaceEnd,
    Cycle,
    Leave,
    EndCycle,
    When,
    Otherwise,
    EndWhen,
    Embed,
    Region,
    Part,
    Text,
    Image,
    Links,
    Halves,
    Pointer,
    Float,
    /// A word that closes what is not open.
    Closes(&'static str),
    /// `equ` or `let` without a name.
    Nameless,
}

/// Every directive by its name.
pub(crate) const DIRECTIVES: &[(&str, Directive)] = &[
    ("cpu", Directive::Cpu),
    ("org", Directive::Org),
    ("db", Directive::Bytes),
    ("dw", Directive::Words),
    ("dd", Directive::Doubles),
    ("dt", Directive::Triples),
    ("ds", Directive::Space),
    ("include", Directive::Include),
    ("pad", Directive::Pad),
    ("align", Directive::Align),
    ("if", Directive::If),
    ("else", Directive::Else),
    ("endif", Directive::EndIf),
    ("entry", Directive::Entry),
    ("demand", Directive::Demand),
    ("note", Directive::Note),
    ("macro", Directive::Macro),
    ("endm", Directive::Closes("macro")),
    ("copies", Directive::Copies),
    ("endcopies", Directive::Closes("copies")),
    ("space", Directive::SpaceOpen),
    ("endspace", Directive::SpaceEnd),
    ("cycle", Directive::Cycle),
    ("leave", Directive::Leave),
    ("endcycle", Directive::EndCycle),
    ("when", Directive::When),
    ("otherwise", Directive::Otherwise),
    ("endwhen", Directive::EndWhen),
    ("embed", Directive::Embed),
    ("region", Directive::Region),
    ("part", Directive::Part),
    ("text", Directive::Text),
    ("image", Directive::Image),
    ("links", Directive::Links),
    ("halves", Directive::Halves),
    ("pointer", Directive::Pointer),
    ("float", Directive::Float),
    ("equ", Directive::Nameless),
    ("let", Directive::Nameless),
];

const fn key(name: &str) -> u64 {
    let bytes = name.as_bytes();
    let mut packed = 0;
    let mut at = 0;
    while at < bytes.len() {
        packed |= (bytes[at].to_ascii_uppercase() as u64) << (8 * at);
        at += 1;
    }
    packed
}

/// The directives of at most eight letters in a table of 128 places by a multiplication, made at compile time.
const TABLE: [(u64, u8); 128] = {
    let mut table = [(0, 0); 128];
    let mut at = 0;
    while at < DIRECTIVES.len() {
        if DIRECTIVES[at].0.len() > 8 {
            at += 1;
            continue;
        }
        let packed = key(DIRECTIVES[at].0);
        let mut place = place_of(packed);
        while table[place].0 != 0 {
            place = (place + 1) % 128;
        }
        table[place] = (packed, at as u8);
        at += 1;
    }
    table
};

const fn place_of(packed: u64) -> usize {
    (packed.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 57) as usize
}

/// The directive of that name, capitals or not.
#[inline]
pub(crate) fn find(name: &str) -> Option<Directive> {
    match pack(name) {
        Some(packed) => find_packed(packed),
        None => DIRECTIVES.iter().find(|row| row.0.eq_ignore_ascii_case(name)).map(|row| row.1),
    }
}

/// The same for a packed name.
#[inline]
pub(crate) fn find_packed(packed: u64) -> Option<Directive> {
    let mut place = place_of(packed);
    loop {
        let (known, at) = TABLE[place];
        if known == packed {
            return Some(DIRECTIVES[usize::from(at)].1);
        }
        if known == 0 {
            return None;
        }
        place = (place + 1) % 128;
    }
}

/// A `demand` to be checked at the end.
#[derive(Debug)]
pub(crate) struct Demand {
    condition: Expression,
    why: String,
}

impl Parser<'_> {
    pub(crate) fn directive(
        &mut self,
        cursor: &mut Cursor<'_>,
        directive: Directive,
        name: Token,
        line: u32,
    ) {
        let span = cursor.span_of(name);
        let source = span.source;
        let before = self.layout.location;
        match directive {
            Directive::Cpu => {
                self.cpu(cursor);
                self.record_mode(source, line);
            }
            Directive::Org => {
                self.org(cursor, line);
                self.move_labels(source, line);
            }
            Directive::Bytes => self.data(cursor, Field::Byte, span, line),
            Directive::Words => self.data(cursor, Field::Word, span, line),
            Directive::Doubles => self.data(cursor, Field::Double, span, line),
            Directive::Triples if self.cell_bits() == 8 => self.data(cursor, Field::Triple, span, line),
            Directive::Triples => {
                let message =
                    format!("`dt` makes three bytes, and a cell here has {} bits", self.cell_bits());
                self.report(Diagnostic::error("word-width", span, message, "use `dw` here"));
                cursor.skip_line();
            }
            Directive::Space => self.space(cursor, span, line),
            Directive::Include => self.include_file(cursor, line),
            Directive::Pad => self.pad(cursor, span, line),
            Directive::Align => self.align(cursor, span, line),
            Directive::If => {
                let condition = self.expression(cursor);
                let holds = self.known(condition, "`if`");
                // An unknown condition is reported; reading both branches would report more that follows from it.
                self.condition(holds.is_some_and(|value| value != 0), span);
            }
            Directive::Else => self.otherwise(span),
            Directive::EndIf => self.end_condition(span),
            Directive::Entry => {
                let name = cursor.token;
                let entry = self.expression(cursor);
                let is_name = name.kind == Kind::Name && cursor.last_end == name.end;
                let label = match entry.value {
                    Value::Later(code) => self.values.only_symbol(code),
                    _ => self.visible(cursor.text(name)),
                };
                let label = label.filter(|_| is_name);
                if let Some((_, _, first)) = self.record.entry.replace((entry, label, span)) {
                    let error = Diagnostic::error("entry", span, "a second `entry`", "keep one of them");
                    self.report(error.with_label(first, "the first one"));
                }
                self.record(source, line, before, LineKind::Location);
            }
            Directive::Demand => self.demand(cursor),
            Directive::Note => {
                if let Some(text) = self.quoted(cursor, "a remark") {
                    self.report(Diagnostic {
                        severity: Severity::Note,
                        ..Diagnostic::error("note", span, text, "")
                    });
                }
            }
            Directive::Macro => self.define_macro(cursor, span),
            Directive::Copies => self.copies(cursor, span),
            Directive::SpaceOpen => self.open_space(cursor, span),
            Directive::SpaceEnd => self.end_space(span),
            Directive::Cycle => self.cycle(span, line),
            Directive::Leave => self.leave(cursor, span, line),
            Directive::EndCycle => self.end_cycle(cursor, span, line),
            Directive::When => self.when(cursor, span, line),
            Directive::Otherwise => self.when_otherwise(span, line),
            Directive::EndWhen => self.end_when(span, line),
            Directive::Embed => self.embed(cursor, span, line),
            Directive::Region => self.region(cursor, span, line),
            Directive::Part => self.part(cursor, span, line),
            Directive::Text => self.encoded_text(cursor, span, line),
            Directive::Image => self.image_request(cursor, span),
            Directive::Links => self.links(cursor),
            Directive::Halves | Directive::Pointer | Directive::Float if self.cell_bits() != 36 => {
                let word = cursor.text(name);
                let message =
                    format!("`{word}` makes words of 36 bits, and the cells here have {}", self.cell_bits());
                self.report(Diagnostic::error(
                    "word-width",
                    span,
                    message,
                    "it is for the pdp10; use `dw` here",
                ));
                cursor.skip_line();
            }
            Directive::Halves => self.halves(cursor, span, line),
            Directive::Pointer => self.byte_pointer(cursor, span, line),
            Directive::Float => self.floats(cursor, span, line),
            Directive::Closes(opener) => {
                let word = cursor.text(name);
                let message = format!("`{word}` without `{opener}`");
                let help = format!("add the `{opener}`, or remove this");
                self.report(Diagnostic::error("block", span, message, help));
            }
            Directive::Nameless => {
                let word = cursor.text(name);
                let message = format!("`{word}` has no name in front");
                self.report(Diagnostic::error(
                    "nameless",
                    span,
                    message,
                    format!("write `NAME {word} VALUE`"),
                ));
                cursor.skip_line();
            }
        }
    }

    /// `links on` or `links off`.
    fn links(&mut self, cursor: &mut Cursor<'_>) {
        let word = cursor.text(cursor.token);
        match word.to_ascii_lowercase().as_str() {
            "on" => self.family.pages.links_off = false,
            "off" => self.family.pages.links_off = true,
            _ => {
                let help = "`links on` reaches other pages through cells of the pool, `links off` makes that an error";
                let message = "`links` wants `on` or `off`";
                self.report(Diagnostic::error("links", cursor.span(), message, help));
                return cursor.skip_line();
            }
        }
        cursor.next();
    }

    fn cpu(&mut self, cursor: &mut Cursor<'_>) {
        let span = cursor.span();
        let first = cursor.token;
        // A name like 8085u is a number and a name to the lexer's eye only when a blank stands between.
        if !matches!(first.kind, Kind::Name | Kind::Number) {
            let help = "write `cpu 8085` or the like";
            self.report(Diagnostic::error("cpu", span, "`cpu` wants the name of a processor", help));
            return cursor.skip_line();
        }
        let name = cursor.text(first);
        cursor.next();
        match processor::find(name) {
            Ok(set)
                if self.set.is_some_and(|other| other.cell_bits() != set.cell_bits()) && !self.is_empty() =>
            {
                let bits = self.cell_bits();
                let message = format!(
                    "the {} has cells of {} bits, and what stands above has cells of {bits}",
                    set.name(),
                    set.cell_bits()
                );
                self.report(Diagnostic::error("cpu", span, message, "put it into a program of its own"));
                // Its lines are read all the same, so that one mistake is told once.
                self.choose(set);
            }
            Ok(set) => self.choose(set),
            Err(error) => {
                let near = nearest(name, processor::ALL.iter().map(|set| set.name()));
                let help =
                    near.map_or("choose one of them".to_string(), |near| format!("did you mean `{near}`?"));
                self.report(Diagnostic::error("cpu", span, error.to_string(), help));
            }
        }
    }

    fn org(&mut self, cursor: &mut Cursor<'_>, line: u32) {
        let mut address = self.expression(cursor);
        let Some(mut value) = self.known(address, "`org`") else { return };
        let mut segment = 0;
        if cursor.token.kind == Kind::Colon && self.has_segments() {
            cursor.next();
            segment = value;
            let offset = self.expression(cursor);
            address.span.end = offset.span.end;
            let Some(offset) = self.known(offset, "`org`") else { return };
            value = offset;
        }
        let value = self.layout.settling.place(value);
        let last = self.last_address();
        match (u64::try_from(value), u32::try_from(segment)) {
            (Ok(value), Ok(segment)) if value <= last && segment <= 0xFFFF => {
                self.leave_part();
                self.org_and_regions(value);
                let shift = self.set.map_or(0, |set| set.cells.segment_shift);
                self.layout.base = segment << shift;
                self.layout.has_origin = true;
                self.set_location(value);
            }
            _ => {
                let message = format!("{value} is not an address");
                let last = self.set.map_or_else(
                    || format!("{last:X}h"),
                    |set| set.habit().literal(last, set.address_bits()),
                );
                let help = format!("addresses go from 0 to {last}");
                self.report(Diagnostic::error("org", address.span, message, help));
            }
        }
        self.record(address.span.source, line, self.layout.location, LineKind::Location);
    }

    /// The label that stands here is one of data of that size.
    pub(super) fn note_unit(&mut self, field: Field) {
        let (here, base) = (self.layout.location as i64, self.layout.base);
        let Some(label) = self.values.last_label else { return };
        let unit = field.cells(self.cell_bits()) as u8;
        let symbol = self.values.symbols.get_mut(label);
        if symbol.value == here && symbol.base == base && symbol.unit == 0 {
            symbol.unit = unit;
        }
    }

    pub(super) fn data(&mut self, cursor: &mut Cursor<'_>, field: Field, span: Span, line: u32) {
        let before = self.layout.location;
        self.note_unit(field);
        self.values_of(cursor, field, span);
        self.record_cells(span.source, line, before, 0);
    }

    /// Values and texts with commas between.
    pub(super) fn values_of(&mut self, cursor: &mut Cursor<'_>, field: Field, span: Span) {
        if cursor.at_line_end() {
            let help = "give values with commas between; `ds` reserves cells";
            self.report(Diagnostic::error("no-data", span, "there is no data here", help));
        }
        while !cursor.at_line_end() {
            if field == Field::Byte && cursor.token.kind == Kind::Text && self.is_whole_text(cursor) {
                if let Some(bytes) = self.text_bytes(cursor) {
                    let cells: Vec<u64> = bytes.into_iter().map(u64::from).collect();
                    self.emit(&cells, span);
                }
            } else {
                self.datum(cursor, field, span);
            }
            if cursor.token.kind != Kind::Comma {
                break;
            }
            cursor.next();
            if cursor.at_line_end() {
                let message = "a value is missing after the comma";
                self.report(Diagnostic::error(
                    "operand",
                    cursor.span(),
                    message,
                    "add it, or remove the comma",
                ));
            }
        }
    }

    /// True where a text stands alone between commas, and is not part of an expression such as 'A' + 1.
    fn is_whole_text(&self, cursor: &Cursor<'_>) -> bool {
        let text = cursor.text(cursor.token);
        let single_character = text.len() == 3 || text.len() == 4 && text.as_bytes()[1] == b'\\';
        !single_character
    }

    fn datum(&mut self, cursor: &mut Cursor<'_>, field: Field, line_span: Span) {
        let expression = self.expression(cursor);
        let place = self.place();
        let known = match expression.value {
            Value::Known(value) => Value::Known(self.in_window(value, self.layout.location, field)),
            later => later,
        };
        let value = match known {
            Value::Known(value) if self.fits(value, field, expression.span) => value as u64,
            _ => 0,
        };
        let cell_bits = self.cell_bits();
        let cells: [u64; 4] =
            std::array::from_fn(|at| crate::assembler::layout::emit::part(field, value, at, cell_bits));
        self.emit(&cells[..field.cells(cell_bits)], line_span);
        self.wait(place, field, expression.value, expression.span);
    }

    /// Notes the cells put out since the location was `before`.
    #[inline]
    pub(crate) fn record_cells(&mut self, source: u32, line: u32, before: u64, row: u16) {
        let count = (self.layout.location - before) as u32;
        let kind = LineKind::Cells { count, row };
        self.record(source, line, before, kind);
    }

    fn space(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let count = self.expression(cursor);
        let value = self.fill_value(cursor);
        let before = self.layout.location;
        let Some(count_value) = self.known(count, "`ds`") else { return };
        let Ok(number) = u64::try_from(count_value) else {
            let message = format!("`ds` cannot reserve {count_value} cells");
            self.report(Diagnostic::error("count", count.span, message, "give a count of 0 or more"));
            return;
        };
        match value {
            Some(value) => {
                self.fill(number, value, span);
                if number <= self.last_address() + 1 {
                    self.record_cells(span.source, line, before, 0);
                }
            }
            None => {
                self.reserve(number, span);
                let shown = u32::try_from(number).unwrap_or(u32::MAX);
                self.record(span.source, line, before, LineKind::Reserved(shown));
            }
        }
    }

    /// `, VALUE` where it is given: the byte to fill with.
    fn fill_value(&mut self, cursor: &mut Cursor<'_>) -> Option<u64> {
        if cursor.token.kind != Kind::Comma {
            return None;
        }
        cursor.next();
        let value = self.expression(cursor);
        let known = self.known(value, "the fill value")?;
        let cell = crate::assembler::layout::emit::part(Field::Cell, known as u64, 0, self.cell_bits());
        self.fits(known, Field::Cell, value.span).then_some(cell)
    }

    fn include_file(&mut self, cursor: &mut Cursor<'_>, line: u32) {
        let span = cursor.span();
        let Some(name) = self.quoted(cursor, "a file name") else { return };
        if !cursor.at_line_end() {
            return;
        }
        let next = self.sources.iter().count() as u32;
        let before = self.layout.location;
        self.record(span.source, line, before, LineKind::Include(next));
        self.include(&name, span);
    }

    pub(in crate::assembler) fn quoted(&mut self, cursor: &mut Cursor<'_>, what: &str) -> Option<String> {
        if !matches!(cursor.token.kind, Kind::Text | Kind::OpenText) {
            let message = format!("{what} in double quotes is wanted here");
            self.report(Diagnostic::error("text", cursor.span(), message, "write \"…\""));
            cursor.skip_line();
            return None;
        }
        self.text_bytes(cursor).map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
    }

    fn pad(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let target = self.expression(cursor);
        let value = self.fill_value(cursor).unwrap_or(0);
        let before = self.layout.location;
        let Some(address) = self.known(target, "`pad`") else { return };
        let address = self.layout.settling.place(address);
        let Some(count) =
            u64::try_from(address).ok().and_then(|address| address.checked_sub(self.layout.location))
        else {
            let message =
                format!("`pad` to {address:X}h, and the location is past it at {:X}h", self.layout.location);
            let over = (self.layout.location as i64).saturating_sub(address);
            let help = format!("the program is {over} cells too long; make it shorter or pad further");
            self.report(Diagnostic::error("pad", target.span, message, help));
            return;
        };
        self.fill(count, value, span);
        if count <= self.last_address() + 1 {
            self.record_padding(span.source, line, before);
        }
    }

    fn record_padding(&mut self, source: u32, line: u32, before: u64) {
        self.record(source, line, before, LineKind::Padding((self.layout.location - before) as u32));
    }

    fn align(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let multiple = self.expression(cursor);
        let value = self.fill_value(cursor);
        let before = self.layout.location;
        let Some(number) = self.known(multiple, "`align`") else { return };
        if number < 1 || number as u64 > self.last_address() + 1 {
            let help = "give a number from 1 up, such as 256 for a page";
            let message = format!("`align` to a multiple of {number}");
            self.report(Diagnostic::error("align", multiple.span, message, help));
            return;
        }
        let count = self.layout.location.next_multiple_of(number as u64) - self.layout.location;
        self.fill(count, value.unwrap_or(0), span);
        self.record_padding(span.source, line, before);
    }

    fn demand(&mut self, cursor: &mut Cursor<'_>) {
        let condition = self.expression(cursor);
        let mut why = String::new();
        if cursor.token.kind == Kind::Comma {
            cursor.next();
            why = self.quoted(cursor, "the reason").unwrap_or_default();
        }
        self.record.demands.push(Demand { condition, why });
    }

    /// What the directives left for the end: demands, and the entry.
    pub(crate) fn finish_directives(&mut self) {
        for demand in std::mem::take(&mut self.record.demands) {
            if self.settled(demand.condition) == Some(0) {
                let message = if demand.why.is_empty() {
                    "what is demanded here does not hold".to_string()
                } else {
                    demand.why
                };
                let help = "change the program so that the condition holds";
                self.report(Diagnostic::error("demand", demand.condition.span, message, help));
            }
        }
    }

    /// The value of an expression at the end of assembly; reports where there is none.
    pub(crate) fn settled(&mut self, expression: Expression) -> Option<i64> {
        match expression.value {
            Value::Known(value) => Some(value),
            Value::Later(range) => match self.compute(range) {
                Ok(value) => Some(value),
                Err(fault) => {
                    self.fault(fault, expression.span);
                    None
                }
            },
            Value::Broken => None,
        }
    }
}
