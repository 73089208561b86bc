//! Errors and warnings as data. The command draws them; nothing in the library formats more than a sentence.

use serde::Serialize;

/// A stretch of a source text, in bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub struct Span {
    /// Which text of [`Sources`].
    pub source: u32,
    /// First byte.
    pub start: u32,
    /// After the last byte.
    pub end: u32,
}

impl Span {
    /// From this span's start to the other's end, both in one source.
    pub fn to(self, other: Span) -> Span {
        Span { end: other.end.max(self.end), ..self }
    }

    /// The place after the span, empty.
    pub fn behind(self) -> Span {
        Span { start: self.end, ..self }
    }
}

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Something the author asked to be told.
    Note,
    /// Legal, and probably not what was meant.
    Warning,
    /// There is no program.
    Error,
}

/// A second place that a diagnostic points to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Label {
    /// The place.
    pub span: Span,
    /// What is there.
    pub text: String,
}

/// One thing to tell the author.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnostic {
    /// How bad it is.
    pub severity: Severity,
    /// The stable name of its kind: `undefined-symbol`.
    pub code: &'static str,
    /// A whole sentence: what is wrong.
    pub message: String,
    /// Where.
    pub span: Span,
    /// Other places that matter.
    pub labels: Vec<Label>,
    /// What to do about it.
    pub help: String,
}

impl Diagnostic {
    /// An error.
    #[cold]
    pub fn error(
        code: &'static str,
        span: Span,
        message: impl Into<String>,
        help: impl Into<String>,
    ) -> Self {
        Self {
            severity: Severity::Error,
            code,
            message: message.into(),
            span,
            labels: vec![],
            help: help.into(),
        }
    }

    /// A warning.
    #[cold]
    pub fn warning(
        code: &'static str,
        span: Span,
        message: impl Into<String>,
        help: impl Into<String>,
    ) -> Self {
        Self { severity: Severity::Warning, ..Self::error(code, span, message, help) }
    }

    /// With a second place.
    #[must_use]
    pub fn with_label(mut self, span: Span, text: impl Into<String>) -> Self {
        self.labels.push(Label { span, text: text.into() });
        self
    }
}

/// The sentence and what to do; where it is, [`Sources::draw`] shows.
impl std::fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}[{}]: {}", self.severity, self.code, self.message)?;
        if self.help.is_empty() { Ok(()) } else { write!(f, "; {}", self.help) }
    }
}

impl std::error::Error for Diagnostic {}

/// Why somebody outside the library could not do what it asked for, as a phrase: `there is no such file`.
#[derive(Debug, Clone, PartialEq, Eq, Hash, thiserror::Error)]
#[error("{0}")]
pub struct Problem(String);

impl Problem {
    /// The phrase.
    pub fn phrase(&self) -> &str {
        &self.0
    }
}

impl From<String> for Problem {
    fn from(phrase: String) -> Self {
        Self(phrase)
    }
}

impl From<&str> for Problem {
    fn from(phrase: &str) -> Self {
        Self(phrase.to_string())
    }
}

impl From<std::io::Error> for Problem {
    fn from(error: std::io::Error) -> Self {
        Self(error.to_string())
    }
}

impl std::fmt::Display for Severity {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        })
    }
}

/// One text that was read.
#[derive(Debug, Clone)]
pub struct Source {
    /// The name it was read by.
    pub name: String,
    /// The text.
    pub text: std::sync::Arc<String>,
    /// Where it was included from, or where it was called for.
    pub included: Option<Span>,
    /// Where its pieces come from, where it is what a macro or a repetition wrote.
    pub expansion: Option<Expansion>,
}

/// A text that was written by expanding another.
#[derive(Debug, Clone)]
pub struct Expansion {
    /// What was expanded: ``the macro `blink` ``.
    pub of: std::sync::Arc<str>,
    /// The stretch that was expanded.
    pub body: Span,
    /// Where each piece begins in the text, and the place it was copied from.
    pub pieces: Box<[(u32, Span)]>,
}

/// Every text of one assembly, the main one first.
#[derive(Debug, Clone, Default)]
pub struct Sources {
    list: Vec<Source>,
}

/// A place as people count it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Place {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}

impl Sources {
    /// Adds a text and returns its number.
    pub fn add(&mut self, name: &str, text: impl Into<String>, included: Option<Span>) -> u32 {
        let text = std::sync::Arc::new(text.into());
        self.push(Source { name: name.to_string(), text, included, expansion: None })
    }

    #[doc(hidden)]
    pub fn push(&mut self, source: Source) -> u32 {
        self.list.push(source);
        (self.list.len() - 1) as u32
    }

    /// The place in a file that a span comes from: expansions are followed back to what they were copied from.
    #[inline]
    pub fn origin(&self, span: Span) -> Span {
        match self.list.get(span.source as usize) {
            Some(Source { expansion: Some(_), .. }) => self.followed_back(span),
            _ => span,
        }
    }

    fn followed_back(&self, mut span: Span) -> Span {
        while let Some(Source { expansion: Some(expansion), .. }) = self.get(span.source) {
            let after = expansion.pieces.partition_point(|&(start, _)| start <= span.start);
            let Some((start, from)) = after.checked_sub(1).map(|at| expansion.pieces[at]) else { break };
            let place = (from.start + (span.start - start)).min(from.end);
            let end = (place + span.end.saturating_sub(span.start)).clamp(place, from.end.max(place));
            span = Span { source: from.source, start: place, end };
        }
        span
    }

    /// The diagnostic with its places in files, and the calls that led to a place inside an expansion.
    pub fn outside(&self, mut diagnostic: Diagnostic) -> Diagnostic {
        /// A deeper chain of calls says nothing new.
        const MOST_CALLS: usize = 4;
        for label in &mut diagnostic.labels {
            label.span = self.origin(label.span);
        }
        let mut source = diagnostic.span.source;
        if let Some(span) = self.parameter(diagnostic.span) {
            diagnostic.labels.push(Label { span: self.origin(span), text: "it is put in here".to_string() });
        }
        diagnostic.span = self.origin(diagnostic.span);
        let mut calls = 0;
        while let Some(Source { expansion: Some(expansion), included: Some(call), .. }) = self.get(source) {
            let label = Label { span: self.origin(*call), text: format!("in {} called here", expansion.of) };
            if calls < MOST_CALLS && !diagnostic.labels.contains(&label) {
                diagnostic.labels.push(label);
                calls += 1;
            }
            source = call.source;
        }
        diagnostic
    }

    /// The parameter in a template, where the span is what was put in its place.
    fn parameter(&self, span: Span) -> Option<Span> {
        let expansion = self.get(span.source)?.expansion.as_ref()?;
        let pieces = &expansion.pieces;
        let at = pieces.partition_point(|&(start, _)| start <= span.start).checked_sub(1)?;
        let inside = |from: Span| {
            let body = expansion.body;
            from.source == body.source && body.start <= from.start && from.end <= body.end
        };
        if inside(pieces[at].1) {
            return None;
        }
        let before = pieces.get(at.checked_sub(1)?)?.1;
        let after = pieces.get(at + 1)?.1;
        let is_gap = inside(before) && inside(after) && before.end < after.start;
        is_gap.then_some(Span { start: before.end, end: after.start, ..before })
    }

    /// A text by its number.
    pub fn get(&self, source: u32) -> Option<&Source> {
        self.list.get(source as usize)
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &Source> {
        self.list.iter()
    }

    /// The text that a span covers; empty where the span lies outside.
    pub fn text(&self, span: Span) -> &str {
        self.get(span.source)
            .and_then(|source| source.text.get(span.start as usize..span.end as usize))
            .unwrap_or_default()
    }

    /// The line from a span's start on, without its break.
    pub fn line(&self, span: Span) -> &str {
        let text = self.get(span.source).map_or("", |source| source.text.as_str());
        let rest = text.get(span.start as usize..).unwrap_or_default();
        rest.lines().next().unwrap_or_default()
    }

    /// Line and column of a span's start.
    pub fn place(&self, span: Span) -> Place {
        let text = self.get(span.source).map_or("", |source| source.text.as_str());
        let before = &text.as_bytes()[..(span.start as usize).min(text.len())];
        let line = memchr::memchr_iter(b'\n', before).count() + 1;
        let line_start = memchr::memrchr(b'\n', before).map_or(0, |at| at + 1);
        let column = String::from_utf8_lossy(&before[line_start..]).chars().count() + 1;
        Place { line, column }
    }
}

impl Sources {
    /// Line and column of a span's end, after its last character.
    pub fn end(&self, span: Span) -> Place {
        self.place(span.behind())
    }

    /// The whole line that a span begins in, without its break.
    pub fn whole_line(&self, span: Span) -> &str {
        let text = self.get(span.source).map_or("", |source| source.text.as_str());
        let start = (span.start as usize).min(text.len());
        let before = memchr::memrchr(b'\n', &text.as_bytes()[..start]).map_or(0, |at| at + 1);
        text.get(before..).unwrap_or_default().lines().next().unwrap_or_default()
    }

    /// A diagnostic as text, without colours: its sentence, its place, the line with what is meant underlined, the other places, and what
    /// to do.
    ///
    /// ```
    /// use plain_byte::assembler::{Options, Texts, assemble};
    ///
    /// let options = Options::default().cpu("8085")?;
    /// let assembly = assemble("slip.asm", &mut Texts::one("slip.asm", "start:  mvo a, 5\n"), &options);
    /// let drawn = assembly.sources.draw(&assembly.diagnostics[0]);
    /// assert_eq!(drawn, "\
    /// error[unknown-instruction]: `mvo` is not an instruction of the 8085
    ///  --> slip.asm:1:9
    ///   |
    /// 1 | start:  mvo a, 5
    ///   |         ^^^
    ///   = did you mean `mov`?
    /// ");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn draw(&self, diagnostic: &Diagnostic) -> String {
        let Diagnostic { severity, code, message, span, labels, help } = diagnostic;
        let mut text = format!("{severity}[{code}]: {message}\n");
        let width = labels.iter().map(|label| label.span).chain([*span]);
        let width = width.map(|span| self.place(span).line.to_string().len()).max().unwrap_or(1);
        self.draw_place(&mut text, width, *span, "");
        for label in labels {
            self.draw_place(&mut text, width, label.span, &label.text);
        }
        if !help.is_empty() {
            text += &format!("{:width$} = {help}\n", "");
        }
        text
    }

    fn draw_place(&self, text: &mut String, width: usize, span: Span, what: &str) {
        let Some(source) = self.get(span.source) else { return };
        let (begin, end) = (self.place(span), self.end(span));
        // Control characters would move what stands after them.
        let plain = |character: char| if character.is_control() { ' ' } else { character };
        let line: String = self.whole_line(span).chars().map(plain).collect();
        let length = line.chars().count();
        let last = if end.line == begin.line { end.column } else { length + 1 };
        let marks = last.saturating_sub(begin.column).max(1);
        let gap = begin.column - 1;
        let what = if what.is_empty() { String::new() } else { format!(" {what}") };
        *text += &format!("{:width$}--> {}:{}:{}\n", "", source.name, begin.line, begin.column);
        *text += &format!("{:width$} |\n{:>width$} | {line}\n", "", begin.line);
        *text += &format!("{:width$} | {:gap$}{}{what}\n", "", "", "^".repeat(marks));
    }
}

/// The name in `known` nearest to `name`, if one is near enough to be what was meant. Capitals do not count.
pub fn nearest<'a>(name: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    if name.len() > 64 {
        return None;
    }
    let name = name.to_lowercase();
    let allowed = match name.chars().count() {
        0..=1 => 0,
        2..=4 => 1,
        5..=6 => 2,
        _ => 3,
    };
    let distance = |other: &str| strsim::osa_distance(&name, &other.to_lowercase());
    known
        .into_iter()
        .filter(|other| !other.is_empty() && other.len().abs_diff(name.len()) <= allowed)
        .map(|other| (distance(other), other))
        .filter(|&(distance, other)| distance <= allowed && distance < other.chars().count().max(2))
        .min_by_key(|&(distance, _)| distance)
        .map(|(_, other)| other)
}
