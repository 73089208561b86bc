//! The walk over the source: lines, labels, conditions, includes. Cells are emitted as they come; values that wait for
//! symbols further down are patched at the end.

use super::again::Again;
use super::directive;
use super::expression::{Expression, Value};
use super::habits::{is_named, opens_condition};
use super::lexer::{Kind, Lexer, Token};
use super::template::Template;
use crate::assembler::Loaded;
use crate::assembler::Loader;
use crate::assembler::layout::Layout;
use crate::assembler::notation::block::Block;
use crate::assembler::notation::{self, Family, Notation};
use crate::assembler::output::Record;
use crate::assembler::output::line::{Line, LineKind};
use crate::assembler::value::Values;
use crate::assembler::value::symbols::SymbolKind;
use crate::diagnostic::{Diagnostic, Problem, Severity, Sources, Span};
use crate::image::Format;
use crate::processor::{self, InstructionSet};
use std::sync::Arc;

/// More errors than this are counted and not kept.
pub(in crate::assembler) const MOST_DIAGNOSTICS: usize = 500;
/// With so many more the rest of the source is not read.
pub(in crate::assembler) const MOST_COUNTED: usize = 10_000;
/// A source has a symbol in so many bytes, more or less.
const BYTES_A_SYMBOL: usize = 100;
/// A source has a line that does something in so many bytes.
const BYTES_A_LINE: usize = 30;
/// Includes nested deeper than this are refused.
const DEEPEST_INCLUDE: usize = 64;
/// More included text than this is refused: a file that includes another many times over would never end.
const MOST_INCLUDES: usize = 10_000;

/// The lexer with one token of look-ahead.
#[derive(Clone)]
pub(crate) struct Cursor<'a> {
    text: &'a str,
    lexer: Lexer<'a>,
    pub(in crate::assembler) source: u32,
    /// The token to be read next.
    pub token: Token,
    /// Where the token before it ended.
    pub last_end: u32,
}

impl<'a> Cursor<'a> {
    pub fn new(text: &'a str, source: u32) -> Self {
        let mut lexer = Lexer::new(text);
        let token = lexer.token();
        Self { text, lexer, source, token, last_end: 0 }
    }

    #[inline]
    pub fn next(&mut self) {
        self.last_end = self.token.end;
        self.token = self.lexer.token();
    }

    #[inline]
    pub fn text(&self, token: Token) -> &'a str {
        self.text.get(token.start as usize..token.end as usize).unwrap_or_default()
    }

    /// The byte at a place in the text.
    pub(super) fn character_at(&self, at: u32) -> Option<u8> {
        self.text.as_bytes().get(at as usize).copied()
    }

    /// The whole line that a token stands in.
    pub(crate) fn line_of(&self, token: Token) -> &'a str {
        // A place may lie inside a character; line ends never do.
        let bytes = self.text.as_bytes();
        let at = bytes.len().min(token.start as usize);
        let is_end = |byte: &u8| *byte == b'\n';
        let start = bytes[..at].iter().rposition(is_end).map_or(0, |at| at + 1);
        let end = bytes[at..].iter().position(is_end).map_or(bytes.len(), |after| at + after);
        &self.text[start..end]
    }

    #[inline]
    pub(crate) fn span_of(&self, token: Token) -> Span {
        Span { source: self.source, start: token.start, end: token.end }
    }

    /// The span of the token to be read next.
    #[inline]
    pub fn span(&self) -> Span {
        self.span_of(self.token)
    }

    #[inline]
    pub(crate) fn at_line_end(&self) -> bool {
        matches!(self.token.kind, Kind::Line | Kind::End)
    }

    /// The whole text.
    #[inline]
    pub(super) fn bytes(&self) -> &'a [u8] {
        self.text.as_bytes()
    }

    /// Goes on after a place where a token ends.
    #[inline]
    pub(super) fn go_to(&mut self, at: u32) {
        self.last_end = at;
        self.lexer.go_to(at);
        self.token = self.lexer.token();
    }

    /// True where a token stands at the left edge of its line.
    pub(in crate::assembler) fn is_line_start(&self, token: Token) -> bool {
        token.start == 0 || self.character_at(token.start - 1) == Some(b'\n')
    }

    /// True where nothing stands after the token on its line.
    pub(crate) fn is_last(&self) -> bool {
        matches!(self.lexer.clone().token().kind, Kind::Line | Kind::End)
    }

    /// Takes so many bytes of the token as one of their own and reads on after them.
    pub fn split(&mut self, bytes: u32) {
        self.last_end = self.token.start + bytes;
        self.lexer.go_to(self.last_end);
        self.token = self.lexer.token();
    }

    /// Goes to the end of the text. Returns the first token on a later line, where there is one.
    pub(super) fn skip_text(&mut self) -> Option<Token> {
        while self.token.kind == Kind::Line {
            self.next();
        }
        let more = (self.token.kind != Kind::End).then_some(self.token);
        self.lexer.go_to(self.text.len() as u32);
        self.next();
        more
    }

    /// Goes to the end of the line.
    pub fn skip_line(&mut self) {
        if !self.at_line_end() {
            self.last_end = self.token.end;
            self.lexer.skip_line();
            self.token = self.lexer.token();
        }
    }
}

/// An open `if`.
struct Condition {
    span: Span,
    /// Lines are being read.
    active: bool,
    /// A branch was taken already, or the whole lies in a part that is not read.
    done: bool,
    otherwise: bool,
}

/// Everything known while assembling.
pub(crate) struct Parser<'l> {
    pub loader: &'l mut dyn Loader,
    /// Formats that `image` knows beside ours.
    pub formats: &'l [&'static Format],
    /// Names of the board, for what the source does not define.
    pub board: &'l [(String, i64)],
    pub sources: Sources,
    pub set: Option<&'static InstructionSet>,
    /// How its instructions are written.
    pub notation: &'static Notation,
    /// The first set chosen; the program's.
    pub first_set: Option<&'static InstructionSet>,
    pub radix: u32,
    /// A single expression is read, not a source: names wait for the machine that is asked.
    pub formula: bool,
    /// Where the walk is in its texts.
    pub reading: Reading,
    /// What names are worth.
    pub values: Values,
    /// Where cells go.
    pub layout: Layout,
    /// What the notations of some families keep.
    pub family: Family,
    /// What is told of the walk beside its cells.
    pub record: Record,
}

/// Where the walk is in its texts.
#[derive(Default)]
pub(in crate::assembler) struct Reading {
    conditions: Vec<Condition>,
    /// Open `cycle`, `when` and `space`.
    pub blocks: Vec<Block>,
    /// Conditions and blocks that belong to the texts around the one being read.
    pub floor: (usize, usize),
    /// Instructions that were read before.
    pub again: Again,
    pub templates: Vec<Arc<Template>>,
    /// How deep macros are in macros now, how much was written out, and how many got names of their own.
    pub expanding: super::expand::Expanding,
    including: Vec<String>,
}

impl<'l> Parser<'l> {
    pub fn new(loader: &'l mut dyn Loader) -> Self {
        Self {
            loader,
            formats: &[],
            board: &[],
            sources: Sources::default(),
            set: None,
            notation: &notation::PLAIN,
            first_set: None,
            radix: 10,
            formula: false,
            reading: Reading::default(),
            values: Values::default(),
            layout: Layout::default(),
            family: Family::default(),
            record: Record::default(),
        }
    }

    #[cold]
    pub fn report(&mut self, diagnostic: Diagnostic) {
        if self.record.diagnostics.len() < MOST_DIAGNOSTICS {
            self.record.diagnostics.push(self.sources.outside(diagnostic));
        } else if diagnostic.severity == Severity::Error {
            self.record.more_errors += 1;
        }
    }

    pub fn choose(&mut self, set: &'static InstructionSet) {
        self.set = Some(set);
        self.reading.again.forget();
        self.notation = notation::find(set.table.notation);
        // A choice in front of everything is the program's, whoever made one before.
        if self.is_empty() {
            self.first_set = Some(set);
        }
        self.first_set.get_or_insert(set);
        self.family.chosen.push((self.record.lines.len(), set));
        self.radix = set.habit().default_radix();
        self.update_limit();
    }

    /// Reads a file and everything it includes.
    pub fn file(&mut self, name: &str, from: Option<Span>) {
        let origin = from.and_then(|span| self.sources.get(span.source)).map(|source| source.name.clone());
        let remembered = self.layout.settling.text(name, origin.as_deref());
        // A routine that travels with the library steps in where there is no file of its name.
        let carried = |problem: Problem| match crate::routines::find(name) {
            Some(text) => Ok(Loaded { name: name.to_string(), bytes: text.into() }),
            None => Err(problem),
        };
        let load = || self.loader.load(name, origin.as_deref()).or_else(carried);
        let loaded = match remembered.map_or_else(load, Ok) {
            Ok(loaded) => loaded,
            Err(problem) => {
                let span = from.unwrap_or_default();
                let message = format!("`{name}` cannot be read: {problem}");
                self.report(Diagnostic::error("file", span, message, "check the name and the folder"));
                return;
            }
        };
        let (text, bad_byte) = match String::from_utf8(loaded.bytes) {
            Ok(text) => (text, None),
            Err(error) => {
                let at = error.utf8_error().valid_up_to();
                let bytes = error.into_bytes();
                let byte = bytes[at];
                (String::from_utf8_lossy(&bytes).into_owned(), Some((at, byte)))
            }
        };
        if u32::try_from(text.len()).is_err() {
            let message = format!("`{name}` is larger than 4 GiB");
            let span = from.unwrap_or_default();
            self.report(Diagnostic::error("file", span, message, "split it into several files"));
            return;
        }
        // A guess at how much there will be, kept low: growing costs little, room that is never used is only reserved.
        self.values.symbols.expect(text.len() / BYTES_A_SYMBOL);
        self.record.lines.reserve(text.len() / BYTES_A_LINE);
        let source = self.sources.add(&loaded.name, text, from);
        self.layout.settling.texts.push((name.to_string(), origin.clone(), source));
        if let Some((at, byte)) = bad_byte {
            let span = Span { source, start: at as u32, end: at as u32 + 3 };
            let message = format!("the byte {byte:02X}h is not UTF-8 text");
            self.report(Diagnostic::error("not-utf8", span, message, "save the file as UTF-8 or ASCII"));
        }
        let resolved = self.loader.resolve(name, origin.as_deref());
        self.reading.including.push(resolved);
        self.text(source);
        self.reading.including.pop();
    }

    pub fn include(&mut self, name: &str, span: Span) {
        let origin = self.sources.get(span.source).map(|source| source.name.clone());
        let resolved = self.loader.resolve(name, origin.as_deref());
        let problem = if self.reading.including.contains(&resolved) {
            format!("`{name}` includes itself")
        } else if self.reading.including.len() >= DEEPEST_INCLUDE {
            format!("includes are nested more than {DEEPEST_INCLUDE} deep")
        } else if self.sources.iter().count() >= MOST_INCLUDES {
            format!("there are more than {MOST_INCLUDES} includes")
        } else {
            self.file(name, Some(span));
            return;
        };
        self.report(Diagnostic::error("include", span, problem, "remove one of the includes"));
    }

    pub(in crate::assembler) fn text(&mut self, source: u32) {
        let Some(text) = self.sources.get(source).map(|source| Arc::clone(&source.text)) else { return };
        let mut cursor = Cursor::new(&text, source);
        let open = self.reading.conditions.len();
        let floor = std::mem::replace(&mut self.reading.floor, (open, self.reading.blocks.len()));
        while cursor.token.kind != Kind::End && self.record.more_errors < MOST_COUNTED {
            self.line(&mut cursor);
            if !cursor.at_line_end() {
                self.extra(&mut cursor);
            }
            if cursor.token.kind == Kind::Line {
                cursor.next();
            }
        }
        for condition in self.reading.conditions.split_off(open.min(self.reading.conditions.len())) {
            let help = "add `endif` where the condition ends";
            self.report(Diagnostic::error("open-if", condition.span, "this `if` is never closed", help));
        }
        self.close_blocks();
        self.reading.floor = floor;
    }

    /// Something is left on the line.
    #[cold]
    pub fn extra(&mut self, cursor: &mut Cursor<'_>) {
        let text = cursor.text(cursor.token);
        let (message, help) = match cursor.token.kind {
            Kind::Name if text.eq_ignore_ascii_case("dup") => (
                format!("`{text}` does not repeat data here"),
                "write `ds COUNT, VALUE`, or the lines between `copies COUNT` and `endcopies`",
            ),
            Kind::Number | Kind::Name | Kind::Text | Kind::Here | Kind::Open => (
                format!("`{text}` stands where the line should end"),
                "put a comma between operands, or `;` before a comment",
            ),
            Kind::Equal => (
                format!("`{text}` stands where the line should end"),
                "compare with `==`; a constant gets its value by `equ`",
            ),
            Kind::Bad => (
                format!("the character {} does not belong here", super::expression::shown(text)),
                "put `;` before a comment",
            ),
            _ => (format!("`{text}` stands where the line should end"), "put `;` before a comment"),
        };
        self.report(Diagnostic::error("line-end", cursor.span(), message, help));
        cursor.skip_line();
    }

    fn reading(&self) -> bool {
        self.reading.conditions.last().is_none_or(|condition| condition.active)
    }

    fn line(&mut self, cursor: &mut Cursor<'_>) {
        if !self.reading.conditions.is_empty() && !self.reading() {
            return self.passed_over(cursor);
        }
        let line_start = cursor.token.start;
        let mut labelled = false;
        loop {
            let first = cursor.token;
            match first.kind {
                Kind::Line | Kind::End => break,
                Kind::Name => {}
                _ if self.sign_first(cursor, line_start) => {
                    labelled = false;
                    break;
                }
                _ => {
                    let text = cursor.text(first);
                    let message = format!("a line cannot begin with {}", super::expression::shown(text));
                    let help = "begin with a label, an instruction, a directive or `;`";
                    self.report(Diagnostic::error("line-start", cursor.span(), message, help));
                    return cursor.skip_line();
                }
            }
            // PERF: what was read before is put out without a look at the token after its first.
            let unread = match cursor.character_at(first.end) {
                Some(b':') => None,
                _ => match self.again(cursor, first, line_start) {
                    Ok(()) => return,
                    Err(unread) => unread,
                },
            };
            cursor.next();
            let name = cursor.text(first);
            if cursor.token.kind == Kind::Colon || self.is_comma_label(cursor, first) {
                cursor.next();
                self.label(cursor, first, line_start);
                labelled = true;
                continue;
            }
            let before = (self.layout.location, self.record.lines.len());
            self.statement(cursor, first, name, line_start);
            if let Some(unread) = unread {
                self.learn(cursor, first, unread);
            }
            // Where cells came or the location moved, that line's own record shows the label's address.
            labelled &= (self.layout.location, self.record.lines.len()) == before;
            break;
        }
        if labelled {
            self.record(cursor.source, line_start, self.layout.location, LineKind::Location);
        }
    }

    /// What stands after the labels: an instruction, a directive or a definition, the most frequent first.
    #[inline]
    pub(super) fn statement(&mut self, cursor: &mut Cursor<'_>, first: Token, name: &str, line_start: u32) {
        let packed = processor::pack(name);
        let rows = match (self.set, packed) {
            (Some(set), Some(packed)) => crate::assembler::notation::instruction::packed_rows(set, packed),
            _ => None,
        };
        if let (Some(set), Some(rows)) = (self.set, rows) {
            if !self.definition(cursor, first, line_start) {
                (self.notation.instruction)(self, cursor, (set, rows), first, line_start);
            }
        } else if let Some(directive) = packed.and_then(directive::find_packed) {
            if (self.notation.claims)(self, cursor, first) {
                (self.notation.statement)(self, cursor, first, line_start);
            // `db equ 1` is a name that cannot be used, not data.
            } else if !self.definition(cursor, first, line_start) {
                self.directive(cursor, directive, first, line_start);
            }
        } else if !self.definition(cursor, first, line_start) {
            self.other_statement(cursor, first, name, line_start);
        }
    }

    /// Neither an instruction nor a directive with a short name: a macro, or a mistake.
    fn other_statement(&mut self, cursor: &mut Cursor<'_>, first: Token, name: &str, line_start: u32) {
        if let Some(symbol) = self.visible(name)
            && let SymbolKind::Macro(template) = self.values.symbols.get(symbol).kind
        {
            self.note_use(symbol, cursor.source, first);
            return self.call(cursor, template, first, line_start);
        }
        match directive::find(name) {
            Some(directive) => self.directive(cursor, directive, first, line_start),
            None if name.eq_ignore_ascii_case("mode") => self.mode(cursor, cursor.span_of(first), line_start),
            None if (self.notation.statement)(self, cursor, first, line_start) => {}
            None if self.other_name(cursor, first, line_start) => {}
            None => self.no_instruction(cursor, first),
        }
    }

    /// A line that a condition leaves out: only `if`, `else` and `endif` matter.
    fn passed_over(&mut self, cursor: &mut Cursor<'_>) {
        if cursor.token.kind == Kind::Name {
            let first = cursor.token;
            let text = cursor.text(first);
            if opens_condition(text) {
                self.reading.conditions.push(Condition {
                    span: cursor.span(),
                    active: false,
                    done: true,
                    otherwise: false,
                });
            } else if is_named(text, "else") {
                cursor.next();
                return self.otherwise(cursor.span_of(first));
            } else if is_named(text, "endif") || text.eq_ignore_ascii_case("endc") {
                cursor.next();
                return self.end_condition(cursor.span_of(first));
            }
        }
        cursor.skip_line();
    }

    pub fn condition(&mut self, holds: bool, span: Span) {
        self.reading.conditions.push(Condition { span, active: holds, done: holds, otherwise: false });
    }

    pub fn otherwise(&mut self, span: Span) {
        let floor = self.reading.floor.0;
        match self.reading.conditions.get_mut(floor..).and_then(<[_]>::last_mut) {
            Some(condition) if !condition.otherwise => {
                condition.otherwise = true;
                condition.active = !condition.done;
                condition.done = true;
            }
            Some(condition) => {
                let first = condition.span;
                self.report(
                    Diagnostic::error("else", span, "a second `else`", "an `if` has one `else`; remove one")
                        .with_label(first, "the `if`"),
                );
            }
            None => {
                self.report(Diagnostic::error(
                    "else",
                    span,
                    "`else` without `if`",
                    "add the `if` or remove this",
                ));
            }
        }
    }

    pub(crate) fn end_condition(&mut self, span: Span) {
        if self.reading.conditions.len() > self.reading.floor.0 {
            self.reading.conditions.pop();
        } else {
            self.report(Diagnostic::error(
                "endif",
                span,
                "`endif` without `if`",
                "add the `if` or remove this",
            ));
        }
    }

    /// Notes what a line did.
    #[inline]
    pub fn record(&mut self, source: u32, start: u32, address: u64, kind: LineKind) {
        let address = address as u32 + self.layout.base;
        self.record.lines.push(Line { source, start, address, base: self.layout.base, kind });
    }

    /// The value of an expression that the layout depends on; see [`crate::assembler::layout::settle`].
    pub fn known(&mut self, expression: Expression, what: &str) -> Option<i64> {
        match expression.value {
            Value::Known(value) => Some(value),
            Value::Later(range) => self.assume(range, expression.span, what),
            Value::Broken => None,
        }
    }

    /// The instruction set, or an error once.
    pub(crate) fn need_set(&mut self, span: Span) -> Option<&'static InstructionSet> {
        if self.set.is_none() && !self.record.diagnostics.iter().any(|one| one.code == "no-processor") {
            let names: Vec<_> = processor::ALL.iter().map(|set| set.name()).collect();
            let message = "no processor is chosen for this instruction";
            let help = format!(
                "write `cpu NAME` in the first line or give --cpu NAME; there are {}",
                names.join(", ")
            );
            self.report(Diagnostic::error("no-processor", span, message, help));
        }
        self.set
    }
}
