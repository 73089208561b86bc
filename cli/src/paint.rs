//! Text and diagnostics on a terminal: the palette, and the drawing of source lines.

use crate::json::{self, Told};
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use anstyle::{Color, RgbColor, Style};
use plain_byte::diagnostic::{Diagnostic, Severity, Sources, Span};
use plain_byte::text::{Text, Tone};
use std::io::{self, IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};

/// Lamp amber, the one accent.
const AMBER: Style = Style::new().fg_color(Some(Color::Rgb(RgbColor(240, 168, 48)))).bold();
const FAINT: Style = Style::new().dimmed();
const STRONG: Style = Style::new().bold();
/// Reddish purple, told from amber by every eye.
const WRONG: Style = Style::new().fg_color(Some(Color::Rgb(RgbColor(204, 121, 167)))).bold();

/// Errors drawn; the rest is counted.
const MOST_DRAWN: usize = 20;
/// A line longer than this is cut to the part around the place.
const WIDEST: usize = 400;

fn style(tone: Tone) -> Style {
    match tone {
        Tone::Plain => Style::new(),
        Tone::Faint => FAINT,
        Tone::Strong => STRONG,
        Tone::Live => AMBER,
        Tone::Wrong => WRONG,
    }
}

static QUIET: AtomicBool = AtomicBool::new(false);
static ONE_LINE: AtomicBool = AtomicBool::new(false);

/// How the command speaks.
pub fn behave(quiet: bool, one_line: bool, colour: Option<&str>) {
    QUIET.store(quiet, Ordering::Relaxed);
    ONE_LINE.store(one_line, Ordering::Relaxed);
    match colour {
        Some("always") => anstream::ColorChoice::Always.write_global(),
        Some("never") => anstream::ColorChoice::Never.write_global(),
        _ => {}
    }
}

/// True where only results and errors are wanted.
pub fn is_quiet() -> bool {
    QUIET.load(Ordering::Relaxed)
}

/// Writes what was done to standard output, where somebody wants to know.
pub fn report(text: &Text) -> io::Result<()> {
    if is_quiet() { Ok(()) } else { show(text) }
}

/// Columns of the output: those of the terminal, or 100.
pub fn width() -> usize {
    if io::stdout().is_terminal() { terminal_width() } else { 100 }
}

/// The beginning of a sentence, as many whole words as fit.
pub fn cut(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_string();
    }
    let head: String = text.chars().take(most).collect();
    format!("{} …", head.rsplit_once(' ').map_or(head.as_str(), |(head, _)| head))
}

/// A paragraph in lines that fit the terminal, or 100 characters.
pub fn filled(text: &str) -> String {
    let width = if io::stdout().is_terminal() { terminal_width().min(100) } else { 100 };
    let mut lines = String::new();
    let mut used = 0;
    for word in text.split_whitespace() {
        let letters = word.chars().count();
        if used > 0 && used + 1 + letters > width {
            lines.push('\n');
            used = 0;
        } else if used > 0 {
            lines.push(' ');
            used += 1;
        }
        lines.push_str(word);
        used += letters;
    }
    lines
}

/// Standard output, buffered; without colours where it is not a terminal or NO_COLOR is set.
pub struct Out {
    to: io::BufWriter<anstream::AutoStream<io::Stdout>>,
    /// The same without colours.
    plain: io::BufWriter<io::Stdout>,
    has_colours: bool,
}

/// Standard output, as it takes colours now.
pub fn out() -> Out {
    const ROOM: usize = 1 << 16;
    let choice = anstream::AutoStream::choice(&io::stdout());
    let has_colours = choice != anstream::ColorChoice::Never;
    let to = anstream::AutoStream::new(io::stdout(), choice);
    let (room, plain) = if has_colours { (ROOM, 0) } else { (0, ROOM) };
    let plain = io::BufWriter::with_capacity(plain, io::stdout());
    Out { to: io::BufWriter::with_capacity(room, to), plain, has_colours }
}

impl Write for Out {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        // PERF: to look for what has to be stripped costs much more than to write what has nothing of the kind.
        let is_plain = |byte: &u8| !byte.is_ascii_control() || matches!(byte, b'\n' | b'\t' | b'\r');
        if self.has_colours {
            self.to.write(bytes)
        } else if bytes.iter().all(is_plain) {
            self.plain.write(bytes)
        } else {
            self.plain.write_all(&anstream::adapter::strip_bytes(bytes).into_vec())?;
            Ok(bytes.len())
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        if self.has_colours { self.to.flush() } else { self.plain.flush() }
    }
}

/// The pieces of a line without the blanks at its end.
fn pieces(line: &[(Tone, String)]) -> impl Iterator<Item = (Tone, &str)> {
    let last = line.iter().rposition(|(_, piece)| !piece.trim_end().is_empty());
    line.iter().enumerate().filter_map(move |(at, (tone, piece))| match last {
        Some(last) if at == last => Some((*tone, piece.trim_end())),
        Some(last) if at < last => Some((*tone, piece.as_str())),
        _ => None,
    })
}

/// Writes a text in its tones.
pub fn write(text: &Text, out: &mut Out) -> io::Result<()> {
    if out.has_colours {
        return write_styled(text, &mut out.to);
    }
    for line in text.lines() {
        for (_, piece) in pieces(line) {
            out.write_all(piece.as_bytes())?;
        }
        out.write_all(b"\n")?;
    }
    Ok(())
}

fn write_styled(text: &Text, out: &mut impl Write) -> io::Result<()> {
    for line in text.lines() {
        for (tone, piece) in pieces(line) {
            let style = style(tone);
            write!(out, "{style}{piece}{style:#}")?;
        }
        writeln!(out)?;
    }
    Ok(())
}

/// Writes a text to standard output.
pub fn show(text: &Text) -> io::Result<()> {
    let mut out = out();
    write(text, &mut out)?;
    out.flush()
}

/// Makes room for a new result: an empty screen on a terminal, an empty line elsewhere.
pub fn clear() -> io::Result<()> {
    let mut out = io::stdout().lock();
    if out.is_terminal() {
        write!(out, "\x1B[2J\x1B[H")?
    } else {
        writeln!(out)?
    }
    out.flush()
}

/// Says what is wrong and what to do.
pub fn complain(message: &str, help: &str) {
    complain_with("input", message, help);
}

/// The same, with a code for scripts.
pub fn complain_with(code: &str, message: &str, help: &str) {
    json::keep(Told::sentence(Severity::Error, code, message, help));
    if ONE_LINE.load(Ordering::Relaxed) {
        let _ = writeln!(io::stderr().lock(), "plainbyte: error: {}", one_line(message, help));
        return;
    }
    let mut error = anstream::stderr().lock();
    let _ = writeln!(error, "{WRONG}error{WRONG:#}: {message}");
    if !help.is_empty() {
        let _ = writeln!(error, "{FAINT}  help:{FAINT:#} {help}");
    }
}

/// Says what somebody should know.
pub fn warn(message: &str) {
    json::keep(Told::sentence(Severity::Warning, "input", message, ""));
    if is_quiet() {
        return;
    }
    let _ = writeln!(anstream::stderr().lock(), "{AMBER}warning{AMBER:#}: {message}");
}

/// Writes a text to standard error, where nobody wants only results.
pub fn tell(text: &Text) {
    if !is_quiet() {
        let _ = write_styled(text, &mut anstream::stderr().lock());
    }
}

/// Says what somebody may like to know.
pub fn note(message: &str) {
    if is_quiet() {
        return;
    }
    let _ = writeln!(anstream::stderr().lock(), "{FAINT}note{FAINT:#}: {message}");
}

/// What a program said, for standard output: at a terminal its control characters are shown and not obeyed, but for those that a
/// teleprinter has.
pub fn harmless(said: &[u8]) -> std::borrow::Cow<'_, [u8]> {
    let is_harmless = |byte: u8| matches!(byte, b'\n' | b'\r' | b'\t' | 7 | 8 | 0x20..0x7F);
    if said.iter().all(|&byte| is_harmless(byte)) || !io::stdout().is_terminal() {
        return said.into();
    }
    let shown = |c: char| match c {
        c if c.is_ascii() && is_harmless(c as u8) => c,
        '\0'..' ' => char::from_u32(0x2400 + c as u32).unwrap_or(' '),
        '\u{7F}' => '\u{2421}',
        '\u{80}'..'\u{A0}' => char::REPLACEMENT_CHARACTER,
        c => c,
    };
    String::from_utf8_lossy(said).chars().map(shown).collect::<String>().into_bytes().into()
}

/// Draws diagnostics on standard error, each with its source line.
pub fn diagnostics(sources: &Sources, list: &[Diagnostic], more: usize) {
    list.iter().for_each(|one| json::keep(Told::of(sources, one)));
    let list: Vec<&Diagnostic> =
        list.iter().filter(|one| !is_quiet() || one.severity == Severity::Error).collect();
    if ONE_LINE.load(Ordering::Relaxed) {
        return lines(sources, &list);
    }
    let colour = anstream::AutoStream::choice(&io::stderr()) != anstream::ColorChoice::Never;
    let styled = Renderer::styled()
        .error(WRONG)
        .warning(AMBER)
        .note(STRONG)
        .help(STRONG)
        .line_num(FAINT)
        .emphasis(STRONG)
        .context(FAINT);
    let renderer = if colour { styled } else { Renderer::plain() };
    let width = if io::stderr().is_terminal() { terminal_width() } else { 140 };
    let renderer = renderer.term_width(width);
    let mut error = anstream::stderr().lock();
    for diagnostic in list.iter().take(MOST_DRAWN) {
        let _ = writeln!(error, "{}\n", draw(sources, diagnostic, &renderer));
    }
    let errors = list.iter().filter(|one| one.severity == Severity::Error).count() + more;
    let hidden = list.len().saturating_sub(MOST_DRAWN) + more;
    if hidden > 0 {
        let _ =
            writeln!(error, "{hidden} more are not shown; the first ones often bring the others with them");
    }
    if errors > 1 {
        let _ = writeln!(error, "{errors} errors");
    }
}

/// A sentence and what to do, on one line.
fn one_line(message: &str, help: &str) -> String {
    let text = if help.is_empty() { message.to_string() } else { format!("{message}; {help}") };
    text.lines().map(str::trim).collect::<Vec<_>>().join(" ")
}

/// Diagnostics, one a line: `file:line:column: error[code]: …`.
fn lines(sources: &Sources, list: &[&Diagnostic]) {
    let mut error = io::stderr().lock();
    for one in list {
        let file = sources.get(one.span.source).map_or("plainbyte", |source| &source.name);
        let place = sources.place(one.span);
        let said = one_line(&one.message, &one.help);
        let (line, column) = (place.line, place.column);
        let _ = writeln!(error, "{file}:{line}:{column}: {}[{}]: {said}", one.severity, one.code);
    }
}

/// The width of the terminal, as somebody says or as it is.
fn terminal_width() -> usize {
    let said = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    said.or_else(|| crossterm::terminal::size().ok().map(|(columns, _)| usize::from(columns)))
        .filter(|&columns| columns > 0)
        .unwrap_or(140)
}

fn draw(sources: &Sources, diagnostic: &Diagnostic, renderer: &Renderer) -> String {
    let level = match diagnostic.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    };
    let title = level.primary_title(&diagnostic.message);
    let title = if diagnostic.severity == Severity::Note { title } else { title.id(diagnostic.code) };
    let mut pieces = vec![Excerpt::of(sources, diagnostic.span, "", true)];
    pieces.extend(diagnostic.labels.iter().map(|label| Excerpt::of(sources, label.span, &label.text, false)));
    if pieces.iter().flatten().next().is_none() {
        // Nothing to point at: a file that is not there, say.
        let name = if diagnostic.severity == Severity::Error { "error" } else { "warning" };
        let (style, faint) = (WRONG, FAINT);
        return format!(
            "{style}{name}{style:#}: {}\n{faint}  help:{faint:#} {}",
            diagnostic.message, diagnostic.help
        );
    }
    let group =
        pieces.iter().flatten().fold(Group::with_title(title), |group, one| group.element(one.snippet()));
    let mut report = vec![group];
    if !diagnostic.help.is_empty() {
        report.push(Group::with_title(Level::HELP.secondary_title(&diagnostic.help)));
    }
    renderer.render(&report)
}

/// A source line with the place that is meant.
struct Excerpt {
    path: String,
    line: usize,
    text: String,
    span: std::ops::Range<usize>,
    label: String,
    primary: bool,
}

impl Excerpt {
    fn of(sources: &Sources, span: Span, label: &str, primary: bool) -> Option<Self> {
        let source = sources.get(span.source)?;
        let start = (span.start as usize).min(source.text.len());
        let from = source.text[..start].rfind('\n').map_or(0, |at| at + 1);
        let to = source.text[start..].find('\n').map_or(source.text.len(), |at| start + at);
        let (mut from, mut to) = (from, to);
        if to - from > WIDEST {
            let boundary = |at: usize| (at..=source.text.len()).find(|&at| source.text.is_char_boundary(at));
            from = boundary(from.max(start.saturating_sub(WIDEST / 4))).unwrap_or(from);
            to = boundary(to.min(start + WIDEST / 2)).unwrap_or(to);
        }
        let end = (span.end as usize).clamp(start, to);
        // Tabs and control characters are drawn as blanks so that the pointer stands right.
        let clean = |c: char| if c.is_control() { " ".repeat(c.len_utf8()) } else { c.to_string() };
        Some(Self {
            path: source.name.clone(),
            line: sources.place(span).line,
            text: source.text[from..to].chars().map(clean).collect(),
            span: start - from..end - from,
            label: label.to_string(),
            primary,
        })
    }

    fn snippet(&self) -> Snippet<'_, annotate_snippets::Annotation<'_>> {
        let kind = if self.primary { AnnotationKind::Primary } else { AnnotationKind::Context };
        let annotation = kind.span(self.span.clone());
        let annotation = if self.label.is_empty() { annotation } else { annotation.label(&self.label) };
        Snippet::source(&self.text).line_start(self.line).path(&self.path).annotation(annotation)
    }
}
