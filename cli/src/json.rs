//! What the commands print for scripts: one form, with its version and the command's name in it, also where the command fails.

use crate::say::Failure;
use plain_byte::diagnostic::{Diagnostic, Severity, Sources};
use serde::Serialize;
use std::io::Write;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

/// The version of the form; it changes where a script would have to.
const VERSION: u32 = 1;

/// A document.
#[derive(Serialize)]
struct Document<'a, T: Serialize> {
    version: u32,
    command: &'a str,
    #[serde(flatten)]
    result: T,
}

/// Something that was told on standard error.
#[derive(Debug, Clone, Serialize)]
pub struct Told {
    severity: Severity,
    /// Of an error or a warning with a page of its own; `usage` or `input` otherwise.
    code: String,
    message: String,
    file: Option<String>,
    line: Option<usize>,
    column: Option<usize>,
    end_line: Option<usize>,
    end_column: Option<usize>,
    help: String,
    labels: Vec<OtherPlace>,
}

/// Another place that matters.
#[derive(Debug, Clone, Serialize)]
struct OtherPlace {
    file: String,
    line: usize,
    column: usize,
    end_line: usize,
    end_column: usize,
    text: String,
}

impl Told {
    /// A diagnostic with its places.
    pub fn of(sources: &Sources, one: &Diagnostic) -> Self {
        let name =
            |span: plain_byte::diagnostic::Span| sources.get(span.source).map(|source| source.name.clone());
        let file = name(one.span);
        let place = sources.place(one.span);
        let end = sources.end(one.span);
        let is_placed = file.is_some();
        let at = |number: usize| is_placed.then_some(number);
        let labels = one.labels.iter().filter_map(|label| {
            let (place, end) = (sources.place(label.span), sources.end(label.span));
            Some(OtherPlace {
                file: name(label.span)?,
                line: place.line,
                column: place.column,
                end_line: end.line,
                end_column: end.column,
                text: label.text.clone(),
            })
        });
        Self {
            severity: one.severity,
            code: one.code.to_string(),
            message: one.message.clone(),
            line: at(place.line),
            column: at(place.column),
            end_line: at(end.line),
            end_column: at(end.column),
            file,
            help: one.help.clone(),
            labels: labels.collect(),
        }
    }

    /// A sentence without a place.
    pub fn sentence(severity: Severity, code: &str, message: &str, help: &str) -> Self {
        Self {
            severity,
            code: code.to_string(),
            message: message.to_string(),
            file: None,
            line: None,
            column: None,
            end_line: None,
            end_column: None,
            help: help.to_string(),
            labels: Vec::new(),
        }
    }
}

static COMMAND: Mutex<String> = Mutex::new(String::new());
static TOLD: Mutex<Vec<Told>> = Mutex::new(Vec::new());
static PRINTED: AtomicBool = AtomicBool::new(false);
static WANTED: AtomicBool = AtomicBool::new(false);

/// The command that is carried out, and whether it prints JSON.
pub fn begin(command: &str, wanted: bool) {
    if let Ok(mut own) = COMMAND.lock() {
        *own = command.to_string();
    }
    WANTED.store(wanted, Ordering::Relaxed);
}

/// True where the result is JSON.
pub fn is_wanted() -> bool {
    WANTED.load(Ordering::Relaxed)
}

/// Keeps what was told, for a document about a failure.
pub fn keep(told: Told) {
    if is_wanted()
        && let Ok(mut list) = TOLD.lock()
    {
        list.push(told);
    }
}

/// Prints a result, whose fields stand beside the version and the command's name.
pub fn print(result: &impl Serialize) -> Result<(), Failure> {
    PRINTED.store(true, Ordering::Relaxed);
    let command = COMMAND.lock().map(|command| command.clone()).unwrap_or_default();
    let mut out = std::io::BufWriter::new(std::io::stdout().lock());
    let document = Document { version: VERSION, command: &command, result };
    serde_json::to_writer(&mut out, &document).map_err(std::io::Error::from)?;
    writeln!(out)?;
    out.flush()?;
    Ok(())
}

/// Prints what was told, where a command failed before it had a result.
pub fn print_failure() {
    if !is_wanted() || PRINTED.load(Ordering::Relaxed) {
        return;
    }
    let diagnostics = TOLD.lock().map(|told| told.clone()).unwrap_or_default();
    let _ = print(&serde_json::json!({ "diagnostics": diagnostics }));
}

/// The fields that every file of ours for scripts begins with.
pub fn versioned(command: &str, result: &impl Serialize) -> String {
    let document = Document { version: VERSION, command, result };
    serde_json::to_string(&document).unwrap_or_default()
}
