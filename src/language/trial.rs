//! A program run from the editor: where it came to, what is wrong with the run, and how its cases stand.

use super::{Analysis, Range};
use crate::assembler::Loader;
use crate::machine::services::transient::Volume;
use crate::session::cases::{Cases, Outcome};
use crate::session::{Hazard, Limits, Session, Stop, starts_from_disk};
use crate::workspace::{Program, Resolved, Target};

/// How a run went.
#[derive(Debug, Clone)]
pub struct Trial {
    /// Why it ended, in a word, as `run --json` has it.
    pub reason: &'static str,
    /// The same in words.
    pub stop: String,
    /// It ended by itself.
    pub is_end: bool,
    /// The cycles that it took.
    pub cycles: u64,
    /// The instructions that it took.
    pub instructions: u64,
    /// What its console printed.
    pub output: Vec<u8>,
    /// The hazards that it met, each where it came first.
    pub hazards: Vec<Hazard>,
}

/// A session with a program that was assembled, as `run` begins it.
fn begin(mut resolved: Resolved, target: &Target, loader: &mut dyn Loader) -> Result<Session, String> {
    let found = target.board_for(&mut resolved, loader).map_err(|error| error.to_string())?;
    let Program::Assembled(assembly) = resolved.program else { unreachable!("a source was assembled") };
    if !assembly.succeeded() {
        return Err("the program has mistakes; mend them first".to_string());
    }
    let mut session = Session::open(&found, loader).map_err(|error| error.to_string())?;
    if !starts_from_disk(&found.board, &assembly) {
        session.load_assembly(&assembly).map_err(|error| error.to_string())?;
        return Ok(session);
    }
    let program = session.program_of(&assembly).map_err(|error| error.to_string())?;
    let started = session.start_transient(&found, loader, program, &[], Volume::new(Volume::CAPACITY, true));
    started.map_err(|error| error.to_string())?;
    Ok(session)
}

impl Analysis {
    /// Runs the program as its texts are now, from its entry, so many cycles at most and while `go_on` says so.
    ///
    /// # Errors
    /// A sentence where it does not assemble, or its board cannot hold it.
    pub fn run(
        &self,
        loader: &mut dyn Loader,
        most: u64,
        go_on: &mut dyn FnMut() -> bool,
    ) -> Result<Trial, String> {
        let prepared = self.target.prepare(loader).map_err(|error| error.to_string())?;
        let mut session = begin(prepared.assembled(&self.name, loader), &self.target, loader)?;
        let stop = session.run_while(Limits::none().back().cycles(most), &mut |_| go_on());
        let moment = session.moment();
        let words = match stop {
            Stop::Cycles | Stop::Operator => "it still ran when its time was over".to_string(),
            ref other => other.words(session.processor()),
        };
        Ok(Trial {
            reason: stop.reason(),
            stop: words,
            is_end: stop.is_end(),
            cycles: moment.cycle,
            instructions: moment.instructions,
            output: session.machine().output().to_vec(),
            hazards: session.hazards(go_on),
        })
    }

    /// Runs a case table over the program as its texts are now. The table's own board and symbols count.
    ///
    /// # Errors
    /// A sentence where the table is wrong, the program does not assemble, or the board cannot hold it.
    pub fn run_cases(&self, table: &str, loader: &mut dyn Loader) -> Result<Vec<Outcome>, String> {
        let told = |wrong: Box<crate::diagnostic::Diagnostic>| format!("{}; {}", wrong.message, wrong.help);
        let cases = Cases::parse(table).map_err(told)?;
        let mut target = self.target.clone();
        if let Some(name) = &cases.processor {
            target.processor = Some(crate::processor::find(name).map_err(|error| error.to_string())?);
        }
        target.board = cases.board.clone().or(target.board);
        target.without.clone_from(&cases.without);
        target.define.extend(cases.defines.iter().cloned());
        let prepared = target.prepare(loader).map_err(|error| error.to_string())?;
        let session = begin(prepared.assembled(&self.name, loader), &target, loader)?;
        cases.run(&session).map_err(told)
    }

    /// Where the program begins: the line of its entry, else the first line that made something.
    pub fn entry(&self) -> Option<Range> {
        let lines = &self.assembly.lines;
        let entry = self.assembly.image.entry();
        let made = |line: &&crate::assembler::Line| line.kind.cells().is_some_and(|(cells, _)| cells > 0);
        let at_entry = lines.iter().filter(made).find(|line| Some(line.address) == entry);
        Some(self.range(at_entry.or_else(|| lines.iter().find(made))?.span()))
    }
}
