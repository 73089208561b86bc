//! Other ways to write the same, which people bring along: what cannot mean anything else is taken, and what can is answered with
//! the line to write.

use super::directive::{self, Directive};
use super::lexer::{Kind, Token};
use super::parser::{Cursor, Parser};
use crate::assembler::layout::emit::Field;
use crate::assembler::notation::instruction::{Rows, rows_of};
use crate::assembler::output::line::LineKind;
use crate::diagnostic::{Diagnostic, Severity};
use crate::processor::InstructionSet;

/// What another name of a statement stands for.
#[derive(Clone, Copy)]
enum Other {
    /// A directive that takes the same operands.
    Same(Directive),
    /// A text with a zero byte after it.
    ZeroText,
    /// The source ends here.
    End,
    /// Lines for the case that a symbol is defined, or is not.
    Defined(bool),
    /// Something else is to be written; this.
    Write(&'static str),
}

use Other::{Defined, End, Same, Write, ZeroText};

/// Other names of statements, in small letters.
const OTHERS: &[(&str, Other)] = &[
    (".byte", Same(Directive::Bytes)),
    (".db", Same(Directive::Bytes)),
    (".ascii", Same(Directive::Bytes)),
    ("byte", Same(Directive::Bytes)),
    ("defb", Same(Directive::Bytes)),
    ("defm", Same(Directive::Bytes)),
    ("dm", Same(Directive::Bytes)),
    ("dc.b", Same(Directive::Bytes)),
    ("fcb", Same(Directive::Bytes)),
    ("fcc", Same(Directive::Bytes)),
    (".word", Same(Directive::Words)),
    (".dw", Same(Directive::Words)),
    (".addr", Same(Directive::Words)),
    ("word", Same(Directive::Words)),
    ("defw", Same(Directive::Words)),
    ("dc.w", Same(Directive::Words)),
    ("exp", Same(Directive::Words)),
    (".dword", Same(Directive::Doubles)),
    (".long", Same(Directive::Doubles)),
    ("dc.l", Same(Directive::Doubles)),
    (".ds", Same(Directive::Space)),
    (".res", Same(Directive::Space)),
    (".block", Same(Directive::Space)),
    (".space", Same(Directive::Space)),
    ("block", Same(Directive::Space)),
    ("defs", Same(Directive::Space)),
    ("ds.b", Same(Directive::Space)),
    ("rmb", Same(Directive::Space)),
    ("xwd", Same(Directive::Halves)),
    (".org", Same(Directive::Org)),
    ("loc", Same(Directive::Org)),
    (".include", Same(Directive::Include)),
    ("incbin", Same(Directive::Embed)),
    (".incbin", Same(Directive::Embed)),
    (".if", Same(Directive::If)),
    (".else", Same(Directive::Else)),
    (".endif", Same(Directive::EndIf)),
    ("endc", Same(Directive::EndIf)),
    (".macro", Same(Directive::Macro)),
    (".asciz", ZeroText),
    (".asciiz", ZeroText),
    ("asciz", ZeroText),
    ("defz", ZeroText),
    ("end", End),
    (".end", End),
    ("ifdef", Defined(true)),
    (".ifdef", Defined(true)),
    ("ifndef", Defined(false)),
    (".ifndef", Defined(false)),
    (".text", Write("`db \"…\"`, or `text zero, \"…\"` with its end")),
    (".equ", Write("`NAME equ VALUE`")),
    (".set", Write("`NAME let VALUE`")),
    (".dbyte", Write("`db high VALUE, low VALUE`")),
    ("fdb", Write("`db high VALUE, low VALUE`")),
    (".fill", Write("`ds COUNT, VALUE`")),
    ("zblock", Write("`ds COUNT, 0`")),
    (".align", Write("`align N`, which goes on at a multiple of N")),
    ("even", Write("`align 2`")),
    (".cpu", Write("`cpu NAME`")),
    ("processor", Write("`cpu NAME`")),
    (".processor", Write("`cpu NAME`")),
    (".title", Write("a comment after `;`")),
    ("title", Write("a comment after `;`")),
    ("subttl", Write("a comment after `;`")),
    ("name", Write("a comment after `;`")),
    ("rept", Write("`copies N` … `endcopies`")),
    (".rept", Write("`copies N` … `endcopies`")),
    (".proc", Write("`NAME:`, with local labels such as `.again` below it")),
    ("aseg", Write("nothing here; `org` sets the location")),
    ("cseg", Write("`part code`")),
    ("dseg", Write("`part data`")),
    (".code", Write("`part code`")),
    (".data", Write("`part data`")),
    (".stack", Write("`stack 100h` and `image exe, \"NAME.exe\"`")),
    (
        ".model",
        Write("`image exe, \"NAME.exe\"` with `part code` and `part data`, or `org 100h` for a COM program"),
    ),
    ("assume", Write("nothing here; `es:[NAME]` asks for another segment, and DS is loaded by the program")),
    ("public", Write("nothing here; every symbol may be used from an `include`")),
    ("extrn", Write("`include \"FILE\"`, which brings the other source in")),
    ("offset", Write("`mov ax, NAME`; a name alone is its offset")),
    ("decimal", Write("`10.`: a point makes a number decimal, each by itself")),
    ("octal", Write("nothing here; numbers without a point are octal")),
    ("radix", Write("`10.` or `0FFh`; each number says its radix itself")),
    ("page", Write("`align 200`, which goes on at the next page")),
    ("field", Write("`org 10000`: the field is the first digit of the address")),
    ("point", Write("`pointer SIZE, ADDRESS`, a byte pointer")),
    ("sixbit", Write("`text six-bit, \"…\"`")),
    ("iowd", Write("`halves -COUNT, ADDRESS - 1`")),
];

/// Words that stand after a name in other languages, and what to write instead.
const BEHIND_A_NAME: &[(&str, &str)] = &[
    ("proc", "`NAME:`"),
    ("endp", "nothing here; a routine ends with its `ret`"),
    ("segment", "`part code`, `part data` or `part stack`"),
    ("ends", "nothing here; a part ends where the next one begins"),
    ("label", "`NAME:`"),
    ("macro", "`macro NAME PARAMETER, PARAMETER`"),
];

fn other(name: &str) -> Option<Other> {
    OTHERS.iter().find(|row| row.0.eq_ignore_ascii_case(name)).map(|row| row.1)
}

/// True for a directive under one of its other names, or with a point in front.
pub(super) fn is_named(word: &str, own: &str) -> bool {
    word.strip_prefix('.').unwrap_or(word).eq_ignore_ascii_case(own)
}

/// What a condition's word does to lines that are left out.
pub(super) fn opens_condition(word: &str) -> bool {
    ["if", "ifdef", "ifndef"].iter().any(|own| is_named(word, own))
}

/// The rows of a mnemonic that is another name of one that the set has.
pub(in crate::assembler) fn other_rows(set: &'static InstructionSet, name: &str) -> Option<Rows> {
    let own = set.hints.other_mnemonics.iter().find(|row| row.0.eq_ignore_ascii_case(name))?.1;
    rows_of(set, own)
}

/// True where a line may go on with that word after a label.
pub(in crate::assembler) fn is_statement(set: &'static InstructionSet, word: &str) -> bool {
    rows_of(set, word).is_some()
        || directive::find(word).is_some()
        || other_rows(set, word).is_some()
        || matches!(other(word), Some(Same(_) | ZeroText))
}

impl Parser<'_> {
    /// A statement under another name than ours. False where there is none of that name.
    pub(super) fn other_name(&mut self, cursor: &mut Cursor<'_>, name: Token, line: u32) -> bool {
        let text = cursor.text(name);
        let span = cursor.span_of(name);
        if text == "." && cursor.token.kind == Kind::Equal {
            cursor.next();
            self.directive(cursor, Directive::Org, name, line);
            return true;
        }
        if let Some(set) = self.set
            && let Some(rows) = other_rows(set, text)
        {
            (self.notation.instruction)(self, cursor, (set, rows), name, line);
            return true;
        }
        match other(text) {
            Some(Same(directive)) => self.directive(cursor, directive, name, line),
            Some(ZeroText) => self.zero_text(cursor, span, line),
            Some(End) => self.end(cursor, name, line),
            Some(Defined(wanted)) => {
                let known = self.visible(cursor.text(cursor.token));
                let is = known.is_some_and(|symbol| self.values.symbols.is_defined(symbol));
                cursor.next();
                self.condition(is == wanted, span);
            }
            // `page tad count` is a label without its colon.
            Some(Write(_)) if self.statement_follows(cursor) => return false,
            Some(Write(instead)) => {
                let message = format!("`{text}` is not a directive here");
                self.report(Diagnostic::error("directive", span, message, format!("write {instead}")));
                cursor.skip_line();
            }
            None => return self.named_before(cursor, name),
        }
        true
    }

    /// True where a statement stands at the cursor.
    fn statement_follows(&self, cursor: &Cursor<'_>) -> bool {
        let word = cursor.text(cursor.token);
        cursor.token.kind == Kind::Name && self.set.is_some_and(|set| is_statement(set, word))
    }

    /// `flash macro port` and the like, where the name comes first.
    fn named_before(&mut self, cursor: &mut Cursor<'_>, name: Token) -> bool {
        let word = cursor.text(cursor.token);
        let Some((_, form)) = BEHIND_A_NAME.iter().find(|row| row.0.eq_ignore_ascii_case(word)) else {
            return false;
        };
        let text = cursor.text(name);
        let message = format!("`{word}` does not stand after a name here");
        let help = format!("write {}", form.replace("NAME", text));
        self.report(Diagnostic::error("directive", cursor.span(), message, help));
        if word.eq_ignore_ascii_case("macro") {
            self.skip_macro(cursor);
        } else {
            if word.eq_ignore_ascii_case("proc") || word.eq_ignore_ascii_case("label") {
                self.label(cursor, name, name.start);
            }
            cursor.skip_line();
        }
        true
    }

    /// A sign that begins a line: `*=200h`, `*200`, `/ remark`, and on word machines a number that is a cell. False where it is none
    /// of them.
    pub(super) fn sign_first(&mut self, cursor: &mut Cursor<'_>, line: u32) -> bool {
        let first = cursor.token;
        let is_word_machine = self.cell_bits() > 8;
        match first.kind {
            Kind::Star => {
                cursor.next();
                if cursor.token.kind == Kind::Equal {
                    cursor.next();
                }
                self.directive(cursor, Directive::Org, first, line);
            }
            Kind::Slash if is_word_machine => cursor.skip_line(),
            Kind::Number | Kind::Minus if is_word_machine => {
                let span = cursor.span();
                self.data(cursor, Field::Word, span, line);
            }
            Kind::Here if is_word_machine && cursor.is_last() => self.end(cursor, first, line),
            _ => return false,
        }
        true
    }

    /// `text, dca count`: on a word machine a comma makes a label, too.
    pub(super) fn is_comma_label(&self, cursor: &Cursor<'_>, name: Token) -> bool {
        let known = |set: &'static InstructionSet| is_statement(set, cursor.text(name));
        cursor.token.kind == Kind::Comma && self.cell_bits() > 8 && !self.set.is_some_and(known)
    }

    /// `end` or `end START`: the text ends here, and what follows is not read.
    fn end(&mut self, cursor: &mut Cursor<'_>, name: Token, line: u32) {
        if name.kind == Kind::Here {
            cursor.next();
        }
        if !cursor.at_line_end() {
            self.directive(cursor, Directive::Entry, name, line);
        }
        if !cursor.at_line_end() {
            return;
        }
        if let Some(more) = cursor.skip_text() {
            let message = "what stands after `end` is not read";
            let help = "remove `end`, which a source here does not need, or what follows";
            let span = cursor.span_of(more);
            self.report(Diagnostic {
                severity: Severity::Warning,
                ..Diagnostic::error("after-end", span, message, help)
            });
        }
    }

    /// Where a label stands in front of `org` on its line, it is the label of the new location.
    pub(super) fn move_labels(&mut self, source: u32, line: u32) {
        let (location, base) = (self.layout.location as i64, self.layout.base);
        let Some(label) = self.values.last_label else { return };
        let symbol = self.values.symbols.get_mut(label);
        if symbol.defined.source == source && symbol.defined.start >= line {
            (symbol.value, symbol.base) = (location, base);
        }
    }

    /// A name at the beginning of a line whose colon is missing: it is told, and the name is a label all the same, so that nothing
    /// that uses it is told, too.
    #[cold]
    pub(in crate::assembler) fn forgotten_colon(&mut self, cursor: &mut Cursor<'_>, name: Token) {
        let text = cursor.text(name);
        let message = format!("`{text}` is neither an instruction nor a directive");
        let span = cursor.span_of(name);
        let help = format!("a label ends with a colon: `{text}:`");
        self.report(Diagnostic::error("unknown-instruction", span, message, help));
        self.label(cursor, name, name.start);
        let before = (self.layout.location, self.record.lines.len());
        if cursor.token.kind == Kind::Name {
            let first = cursor.token;
            cursor.next();
            self.statement(cursor, first, cursor.text(first), name.start);
        }
        if (self.layout.location, self.record.lines.len()) == before {
            self.record(cursor.source, name.start, self.layout.location, LineKind::Location);
        }
    }
}
