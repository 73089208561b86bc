//! Records of runs as files: lines of JSON, each a [`Line`].

use crate::arguments::{RecordArguments, TargetArguments};
use crate::disk;
use crate::files::{self, Outputs};
use crate::say::Failure;
use plain_byte::session::{Begin, Line, Session};

/// Cycles between two marks, where nobody says.
const EVERY: u64 = 1_000_000;

/// Keeps what is left of a run: what the program has changed on its disk, and the record.
pub fn keep(session: &Session, arguments: &RecordArguments) -> Result<(), Failure> {
    keep_with(session, arguments, Outputs::default())
}

/// The same in between, while the program may still go on.
pub fn keep_going(session: &Session, arguments: &RecordArguments) -> Result<(), Failure> {
    disk::look(session);
    match arguments.record {
        Some(_) => keep_outputs(session, arguments, Outputs::default()),
        None => Ok(()),
    }
}

/// The same with other outputs: all of them are written, or none.
pub fn keep_with(session: &Session, arguments: &RecordArguments, outputs: Outputs) -> Result<(), Failure> {
    let saved = disk::save(session);
    saved.and(keep_outputs(session, arguments, outputs))
}

fn keep_outputs(session: &Session, arguments: &RecordArguments, mut outputs: Outputs) -> Result<(), Failure> {
    if let Some(file) = &arguments.record {
        outputs.add(file, text(session)?);
    }
    outputs.write()
}

/// What was recorded, a line each.
fn text(session: &Session) -> Result<String, Failure> {
    let mut text = String::new();
    for line in session.recorded() {
        text.push_str(&serde_json::to_string(&line).map_err(std::io::Error::from)?);
        text.push('\n');
    }
    Ok(text)
}

/// Begins a record, where that was asked for, of a board that has just been switched on.
pub fn begin(session: &mut Session, board: &str, target: &TargetArguments) -> Result<(), Failure> {
    let Some(file) = &target.record.record else { return Ok(()) };
    if file == "-" {
        let help = "give it a file: --record night.jsonl";
        return Err(Failure::usage("the record and the result would both go to standard output", help));
    }
    let mut outputs = Outputs::default();
    outputs.add(file, "");
    outputs.check()?;
    session.record(board, &target.without, target.record.record_every.unwrap_or(EVERY));
    Ok(())
}

/// Reads a record.
pub fn read(file: &str) -> Result<(Begin, Vec<Line>), Failure> {
    let bytes = files::must_read(file)?;
    let mut lines = Vec::new();
    for (number, text) in bytes.split(|&byte| byte == b'\n').enumerate() {
        if text.trim_ascii().is_empty() {
            continue;
        }
        let line = serde_json::from_slice(text).map_err(|error| {
            let why = format!("{file}, line {}: {error}", number + 1);
            Failure::input(why, "docs/records.md says what stands in a line; --record writes them")
        })?;
        lines.push(line);
    }
    match lines.first() {
        Some(Line::Begin(begin)) => Ok((begin.clone(), lines)),
        _ => Err(Failure::input(
            format!("{file} is not a record: its first line does not say where it begins"),
            "make one with `plainbyte run PROGRAM --record FILE`",
        )),
    }
}
