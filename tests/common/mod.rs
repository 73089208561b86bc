//! What several test files begin with.
#![allow(dead_code)]

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::diagnostic::Severity;
use plain_byte::session::Session;
use std::fmt::Write;

/// Assembles a text for the 8085.
pub fn assembled(source: &str) -> Assembly {
    let options = Options::default().cpu("8085").expect("a known processor");
    assemble("test.asm", &mut Texts::one("test.asm", source), &options)
}

/// A session on a shipped board, or on `bare`, with the program loaded.
pub fn session(board: &str, source: &str) -> Session {
    let assembly = assembled(source);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut session = match board {
        "bare" => Session::bare(&plain_byte::processor::i8080::I8085),
        name => Session::shipped(name),
    }
    .expect("the board opens");
    session.load_assembly(&assembly).expect("it fits");
    session
}

/// The same for another processor, which the source names.
pub fn session_for(board: &str, cpu: &str, source: &str) -> Session {
    let assembly = assemble("test.asm", &mut Texts::one("test.asm", source), &Options::default());
    assert!(assembly.succeeded(), "{source}{:?}", assembly.diagnostics);
    let mut session = match board {
        "bare" => Session::bare(plain_byte::processor::find(cpu).expect("a known processor")),
        name => Session::shipped(name),
    }
    .expect("the board opens");
    session.load_assembly(&assembly).unwrap_or_else(|error| panic!("{error}: {source}"));
    session
}

/// Diagnostics as lines: place, severity, code, message, help, other places.
pub fn told(assembly: &Assembly) -> String {
    let mut text = String::new();
    for one in &assembly.diagnostics {
        let place = assembly.sources.place(one.span);
        let under = assembly.sources.text(one.span).lines().next().unwrap_or_default();
        let severity = match one.severity {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        };
        let _ = writeln!(
            text,
            "{}:{} `{under}` {severity}[{}]: {}",
            place.line, place.column, one.code, one.message
        );
        let _ = writeln!(text, "        help: {}", one.help);
        for label in &one.labels {
            let _ = writeln!(text, "        {}: {}", assembly.sources.place(label.span).line, label.text);
        }
    }
    text
}

pub fn cells(source: &str) -> Vec<u64> {
    let assembly = assembled(source);
    assert!(assembly.succeeded(), "{source}: {}", told(&assembly));
    assembly.image.segments().iter().flat_map(|one| one.cells.clone()).collect()
}

/// The only error of a source.
pub fn error(source: &str) -> String {
    let text = told(&assembled(source));
    assert_eq!(text.matches("error[").count(), 1, "{source}: {text}");
    text
}
