//! `--link`: a session whose processor is at the other end of a debug link.

use crate::arguments::{DiskArguments, TargetArguments};
use crate::far_side::FarSide;
use crate::open;
use crate::say::Failure;
use crate::serial::log::Log;
use plain_byte::diagnostic::Problem;
use plain_byte::machine::{LINK_VERSION, Link};
use plain_byte::session::Session;
use std::time::{Duration, Instant};

/// How long the board has for an answer; a run is asked for in stretches of a tenth of a second.
const PATIENCE: Duration = Duration::from_secs(5);

/// A board that ran has told that it stopped by then.
const SETTLE: Duration = Duration::from_millis(100);

/// A longer answer is none.
const LONGEST: usize = 1 << 16;

struct Line(FarSide);

impl std::fmt::Debug for Line {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a line to a board")
    }
}

impl Link for Line {
    fn ask(&mut self, request: &str) -> Result<String, Problem> {
        let (begin, lost) = (Instant::now(), |failure: Failure| failure.sentence());
        self.0.write(format!("{request}\n").as_bytes()).map_err(lost)?;
        self.line(begin)
    }
}

impl Line {
    /// The next line that the board says, in the time for an answer to what was asked at `begin`.
    fn line(&mut self, begin: Instant) -> Result<String, Problem> {
        let lost = |failure: Failure| failure.sentence();
        let mut answer = Vec::new();
        loop {
            match self.0.take(PATIENCE.saturating_sub(begin.elapsed())).map_err(lost)? {
                Some(b'\n') => break,
                Some(byte) => answer.push(byte),
                None => return Err("the board does not answer".into()),
            }
            if answer.len() > LONGEST {
                return Err("the board answers with a line that has no end".into());
            }
        }
        String::from_utf8(answer).map_err(|_| "the board answers with what is not text".into())
    }
}

fn failed(why: &str) -> Failure {
    Failure::input(
        format!("the debug link: {why}"),
        "look at the far side; docs/debug-link.md has the language",
    )
}

/// A disk is where the board is.
pub fn has_no_disk(disk: &DiskArguments) -> Result<(), Failure> {
    if disk.disk.is_none() && disk.words.is_empty() {
        return Ok(());
    }
    let help = "give --disk where the board is, beside --offer-link";
    Err(Failure::usage("a board at the other end of a link has no disk here", help))
}

/// A session over a link, without a program.
pub fn open(place: &str, log: Option<&str>) -> Result<Session, Failure> {
    let log = log.map(Log::open).transpose()?;
    let mut line = FarSide::open(place, None, log.as_ref())?;
    // Whoever was here before may have left half a line, or a board that runs.
    line.write(b"\nstop\n").map_err(|failure| failed(&failure.sentence()))?;
    line.drain(SETTLE);
    // One that is slow tells only now that it stopped: what it says to a first question goes by.
    let mut line = Line(line);
    let begin = Instant::now();
    let mut said = line.ask(&format!("hello {LINK_VERSION}"));
    while said.as_ref().is_ok_and(|said| said.is_empty() || said.starts_with("stopped")) {
        said = line.line(begin);
    }
    said.map_err(|why| failed(why.phrase()))?;
    Session::linked(Box::new(line)).map_err(|why| failed(why.phrase()))
}

/// The same with a program that was sent, and read back.
pub fn loaded(
    program: &str,
    target: &TargetArguments,
    place: &str,
    log: Option<&str>,
) -> Result<Session, Failure> {
    has_no_disk(&target.disk)?;
    let mut session = open(place, log)?;
    let mut target = target.clone();
    let name = session.machine().board().name.clone();
    if target.board.is_none() && plain_byte::session::board_names().contains(&name.as_str()) {
        target.board = Some(name);
    }
    open::put(&mut session, program, &target)?;
    check(&session)?;
    let image = session.program().map(|program| program.image.clone());
    for segment in image.iter().flat_map(|image| image.segments()) {
        for (at, &cell) in (segment.start..).zip(&segment.cells) {
            let held = session.cell(at);
            check(&session)?;
            if held != cell {
                let set = session.processor();
                let (place, sent, held) = (set.address(at.into()), set.cell(cell), set.cell(held));
                let message = format!("at {place} the board holds {held}, and {sent} was sent");
                return Err(Failure::input(message, "is there RAM at that address?"));
            }
        }
    }
    Ok(session)
}

/// A failure where the line to the board is of no use any more.
pub fn check(session: &Session) -> Result<(), Failure> {
    session.machine().link_failure().map_or(Ok(()), |why| Err(failed(&why)))
}
