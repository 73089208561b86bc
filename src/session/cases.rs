//! Case tables: with these inputs, these results. One TOML file beside a program proves it for the next reader.
//!
//! ```toml
//! version = 1
//! program = "divide.asm"          # source or image, as seen from this file
//! board = "plover"
//!
//! [[case]]
//! name = "17 by 5"
//! given.memory = { dividend = 17, divisor = 5 }
//! expect.memory = { quotient = 3, remainder = 2 }
//! expect.stop = "halt"
//! ```

use super::case_compare::add_writers;
use super::case_screen::OnScreen;
use super::{Hazard, Limits, PlaceUse, Session, StateError};
use crate::diagnostic::{Diagnostic, Span};
use crate::image::Cell;
use crate::machine::services::transient::Volume;
use crate::machine::{Event, board::toml_error};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ops::Range;
use toml::Spanned;

/// The version of the case language that is read here.
pub(crate) const VERSION: i64 = 1;

/// A case that does not stop by itself is ended after this many cycles.
const DEFAULT_CYCLES: u64 = 10_000_000;

/// A value as it is written: a number, an expression, or several of them for cells in a row.
#[derive(Debug, Clone, Deserialize)]
#[serde(untagged)]
pub(super) enum Value {
    Number(i64),
    Truth(bool),
    Expression(String),
    List(Vec<Value>),
}

pub(super) type Table = BTreeMap<String, Spanned<Value>>;

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    version: Spanned<i64>,
    program: String,
    board: Option<String>,
    processor: Option<String>,
    #[serde(default)]
    without: Vec<String>,
    #[serde(default)]
    define: BTreeMap<String, i64>,
    cycles: Option<u64>,
    /// `full` where the cases together have to reach every line, and send every condition both ways.
    coverage: Option<Spanned<String>>,
    #[serde(default)]
    case: Vec<Spanned<CaseTable>>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct CaseTable {
    name: String,
    /// What kind of case it is, where whoever runs the table is told no more than that of it.
    hidden: Option<String>,
    #[serde(default)]
    given: Given,
    #[serde(default)]
    run: RunTable,
    expect: Expected,
}

#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Given {
    #[serde(default)]
    registers: Table,
    #[serde(default)]
    memory: Table,
    #[serde(default)]
    ports: Table,
    #[serde(default)]
    switches: Table,
    input: Option<String>,
    /// Interrupt inputs with the cycle at which each is requested.
    #[serde(default)]
    interrupts: Table,
    /// For a program of a disk system: the files on its disk, each a text.
    #[serde(default)]
    disk: BTreeMap<String, Spanned<String>>,
    /// What is typed after its name.
    #[serde(default)]
    words: Vec<String>,
    /// Its disk may only be read.
    #[serde(default)]
    protected: bool,
}

#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RunTable {
    from: Option<Spanned<Value>>,
    until: Option<Spanned<Value>>,
    pub(super) cycles: Option<u64>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Expected {
    #[serde(default)]
    pub(super) registers: Table,
    #[serde(default)]
    pub(super) memory: Table,
    #[serde(default)]
    pub(super) lamps: Table,
    #[serde(default)]
    pub(super) ports: Table,
    pub(super) output: Option<String>,
    /// Texts that must stand somewhere in a line of the screen.
    #[serde(default)]
    pub(super) screen: Vec<OnScreen>,
    /// The files on the disk of a program of a disk system, each a text; those that are not named are not looked at.
    #[serde(default)]
    pub(super) files: BTreeMap<String, String>,
    pub(super) stop: Option<String>,
    /// What the program ended with, where it tells a service.
    pub(super) exit: Option<u8>,
    /// The codes of the hazards of the run: these, and no others.
    pub(super) hazards: Option<Vec<String>>,
    pub(super) cycles: Option<u64>,
    pub(super) most_cycles: Option<u64>,
}

/// A case table that was read.
#[derive(Debug, Clone)]
pub struct Cases {
    /// The program's name as it is written.
    pub program: String,
    /// The board's name; `bare` where none is given.
    pub board: Option<String>,
    /// The processor's name, where it is given.
    pub processor: Option<String>,
    /// Memories of the board that are left out.
    pub without: Vec<String>,
    /// Symbols to define.
    pub defines: Vec<(String, i64)>,
    covers: bool,
    cycles: u64,
    cases: Vec<(CaseTable, Range<usize>)>,
}

/// How one case went.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Outcome {
    /// The case's name.
    pub name: String,
    /// True where everything was as expected.
    pub passed: bool,
    /// What was not, each a sentence.
    pub differences: Vec<String>,
    /// Why the run stopped.
    pub stop: String,
    /// Cycles it took.
    pub cycles: u64,
    /// Instructions it took.
    pub instructions: u64,
    /// The hazards of its run, where somebody asked for them.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub hazards: Vec<Hazard>,
    /// The codes of hazards that the case states.
    #[serde(skip)]
    pub expected_hazards: Vec<String>,
    /// What kind of case it is, where no more than that shall be told of it.
    #[serde(skip)]
    pub hidden: Option<String>,
}

impl Outcome {
    /// What may be told of it: of a hidden case only its kind, and whether it passed.
    pub fn told(self) -> Self {
        let Some(kind) = self.hidden else { return self };
        let differences =
            if self.passed { Vec::new() } else { vec![format!("it fails where the case is: {kind}")] };
        Self { name: format!("hidden: {kind}"), differences, hazards: Vec::new(), hidden: None, ..self }
    }
}

impl Cases {
    /// Reads a table.
    ///
    /// # Errors
    /// What is wrong with it, with its place in `text`.
    pub fn parse(text: &str) -> Result<Self, Box<Diagnostic>> {
        let file: File = toml::from_str(text).map_err(|error| {
            let wrong = toml_error(&error, "cases");
            Box::new(wrong)
        })?;
        let version = *file.version.get_ref();
        if version != VERSION {
            let message = format!("version {version} of the case table is unknown");
            return Err(wrong_at(&file.version.span(), message, format!("this is version {VERSION}")));
        }
        if file.case.is_empty() {
            return Err(wrong_at(&(0..0), "there are no cases", "add a [[case]] with `name` and `expect`"));
        }
        if let Some(coverage) = file.coverage.as_ref().filter(|one| one.get_ref() != "full") {
            let message = format!("`{}` is not a coverage that can be demanded", coverage.get_ref());
            return Err(wrong_at(&coverage.span(), message, "write `coverage = \"full\"`"));
        }
        Ok(Self {
            covers: file.coverage.is_some(),
            program: file.program,
            board: file.board,
            processor: file.processor,
            without: file.without,
            defines: file.define.into_iter().collect(),
            cycles: file.cycles.unwrap_or(DEFAULT_CYCLES),
            cases: file.case.into_iter().map(|case| (case.get_ref().clone(), case.span())).collect(),
        })
    }

    /// True where the cases together have to reach every line of the program, and send every condition both ways.
    pub fn wants_coverage(&self) -> bool {
        self.covers
    }

    /// How many cases there are.
    pub fn len(&self) -> usize {
        self.cases.len()
    }

    /// True where there are none; a table that was read has at least one.
    pub fn is_empty(&self) -> bool {
        self.cases.is_empty()
    }

    /// Gives a session what the first case gives it.
    ///
    /// # Errors
    /// As [`run`](Self::run).
    pub fn give_first(&self, session: &mut Session) -> Result<(), Box<Diagnostic>> {
        self.cases.first().map_or(Ok(()), |(case, _)| case.given.apply(session))
    }

    /// Runs every case on a copy of a session with the program loaded.
    ///
    /// # Errors
    /// A name, an expression or a value in the table that makes no sense; spans point into the table's text.
    pub fn run(&self, session: &Session) -> Result<Vec<Outcome>, Box<Diagnostic>> {
        let played = self.play(session)?;
        Ok(played.into_iter().map(|(outcome, _)| outcome).collect())
    }

    /// The same, with the sessions as the cases have left them: to look further, or at what they recorded.
    ///
    /// # Errors
    /// As [`run`](Self::run).
    pub fn play(&self, session: &Session) -> Result<Vec<(Outcome, Session)>, Box<Diagnostic>> {
        self.cases.iter().map(|(case, _)| self.run_case(case, session.clone())).collect()
    }

    fn run_case(&self, case: &CaseTable, session: Session) -> Result<(Outcome, Session), Box<Diagnostic>> {
        let (mut session, limits) = self.begin(case, session)?;
        let start = session.clone();
        let stop = session.run(limits);
        let mut differences = case.expect.compare(&session, &stop, &case.run)?;
        if !session.machine().is_linked() {
            add_writers(start, limits, session.machine().instructions(), &mut differences);
        }
        let mut differences: Vec<String> = differences.into_iter().map(|one| one.text).collect();
        if let Some(expected) = &case.expect.hazards {
            differences.extend(hazards_differ(&mut session, expected));
        }
        let outcome = Outcome {
            name: case.name.clone(),
            passed: differences.is_empty(),
            differences,
            stop: stop.reason().to_string(),
            cycles: session.machine().cycles(),
            instructions: session.machine().instructions(),
            hazards: Vec::new(),
            expected_hazards: case.expect.hazards.clone().unwrap_or_default(),
            hidden: case.hidden.clone(),
        };
        Ok((outcome, session))
    }

    /// Every case ends after at most so many cycles, whatever it says.
    #[must_use]
    pub fn at_most(mut self, cycles: u64) -> Self {
        self.cycles = self.cycles.min(cycles);
        for (case, _) in &mut self.cases {
            case.run.cycles = case.run.cycles.map(|own| own.min(cycles));
        }
        self
    }

    /// Keeps one case.
    ///
    /// # Errors
    /// The names there are, where there is none of that name.
    pub fn only(mut self, name: &str) -> Result<Self, Vec<String>> {
        let names = self.cases.iter().map(|(case, _)| case.name.clone()).collect();
        self.cases.retain(|(case, _)| case.name == name);
        if self.cases.is_empty() { Err(names) } else { Ok(self) }
    }

    /// The first case as it is before its run, and what ends the run.
    ///
    /// # Errors
    /// As [`run`](Self::run).
    pub fn begin_first(&self, session: Session) -> Result<(Session, Limits), Box<Diagnostic>> {
        match self.cases.first() {
            Some((case, _)) => self.begin(case, session),
            None => Ok((session, Limits::none().cycles(self.cycles))),
        }
    }

    fn begin(&self, case: &CaseTable, mut session: Session) -> Result<(Session, Limits), Box<Diagnostic>> {
        case.given.apply(&mut session)?;
        if let Some(from) = &case.run.from {
            let from = number(&session, from.get_ref(), &from.span())?;
            session.go_to(from).map_err(|error| state_error(&error, &(0..0)))?;
        }
        let mut limits = Limits::none().back().rest().cycles(case.run.cycles.unwrap_or(self.cycles));
        if let Some(until) = &case.run.until {
            let address = number(&session, until.get_ref(), &until.span())?;
            limits = limits.until(address as u32);
        }
        Ok((session, limits))
    }
}

/// What is wrong with the hazards of a run that should have these and no others.
fn hazards_differ(session: &mut Session, expected: &[String]) -> Vec<String> {
    let found = session.hazards(&mut || true);
    let unexpected = found.iter().filter(|one| !expected.iter().any(|code| code == one.code));
    let line = |one: &Hazard| one.line.map_or(String::new(), |line| format!("line {line}: "));
    let mut differences: Vec<String> =
        unexpected.map(|one| format!("hazard {}: {}{}", one.code, line(one), one.message)).collect();
    let missing = expected.iter().filter(|code| !found.iter().any(|one| one.code == code.as_str()));
    differences.extend(missing.map(|code| format!("there is no hazard {code}, which is expected")));
    differences
}

pub(super) fn wrong_at(
    range: &Range<usize>,
    message: impl Into<String>,
    help: impl Into<String>,
) -> Box<Diagnostic> {
    let span = Span { source: 0, start: range.start as u32, end: range.end as u32 };
    Box::new(Diagnostic::error("case", span, message, help))
}

fn state_error(error: &StateError, range: &Range<usize>) -> Box<Diagnostic> {
    wrong_at(range, error.to_string(), "docs/cases.md lists what a case can set and state")
}

/// A number or an expression in the session's symbols and registers.
pub(super) fn number(session: &Session, value: &Value, range: &Range<usize>) -> Result<i64, Box<Diagnostic>> {
    match value {
        Value::Number(number) => Ok(*number),
        Value::Truth(truth) => Ok((*truth).into()),
        Value::Expression(text) => session
            .evaluate(text)
            .map_err(|error| wrong_at(range, format!("in `{text}`: {}", error.message), error.help)),
        Value::List(_) => {
            Err(wrong_at(range, "one value is wanted here, not a list", "write a number or an expression"))
        }
    }
}

/// Cells in a row, each checked against the cell's width.
pub(super) fn cells(
    session: &Session,
    value: &Value,
    range: &Range<usize>,
) -> Result<Vec<Cell>, Box<Diagnostic>> {
    let values = match value {
        Value::List(values) => {
            values.iter().map(|value| number(session, value, range)).collect::<Result<_, _>>()?
        }
        value => vec![number(session, value, range)?],
    };
    let bits = session.processor().cell_bits();
    values
        .into_iter()
        .map(|value| {
            if value < -(1i64 << (bits - 1)) || value >= 1i64 << bits {
                let words = if bits == 8 { "; give a word as [\"low(N)\", \"high(N)\"]" } else { "" };
                let help = format!("a cell has {bits} bits{words}");
                return Err(wrong_at(range, format!("{value} does not fit in a cell"), help));
            }
            Ok(value as u64 & ((1 << bits) - 1))
        })
        .collect()
}

pub(super) fn address(session: &Session, text: &str, range: &Range<usize>) -> Result<u32, Box<Diagnostic>> {
    let value = number(session, &Value::Expression(text.to_string()), range)?;
    u32::try_from(value)
        .ok()
        .filter(|&address| address <= session.processor().last_address())
        .ok_or_else(|| wrong_at(range, format!("`{text}` is not an address"), "give a label or an address"))
}

impl Given {
    /// The disk of a program for a disk system, and its command line.
    fn insert_disk(&self, session: &mut Session) -> Result<(), Box<Diagnostic>> {
        if session.machine().disk().is_none() {
            let Some((_, text)) = self.disk.first_key_value() else { return Ok(()) };
            let help = "that is for programs with `image com` on a board with a disk system";
            return Err(wrong_at(&text.span(), "this program has no disk", help));
        }
        let mut volume = Volume::new(Volume::CAPACITY, !self.protected);
        for (name, text) in &self.disk {
            let help = "write eight characters, a point and three at most";
            let bytes = text.get_ref().clone().into_bytes();
            volume.add(name, bytes).map_err(|problem| wrong_at(&text.span(), problem.to_string(), help))?;
        }
        session.insert_disk(volume, &self.words);
        Ok(())
    }

    fn apply(&self, session: &mut Session) -> Result<(), Box<Diagnostic>> {
        self.insert_disk(session)?;
        for (name, value) in &self.registers {
            let range = value.span();
            let number = number(session, value.get_ref(), &range)?;
            session.set(name, number).map_err(|error| state_error(&error, &range))?;
        }
        for (place, value) in &self.memory {
            let range = value.span();
            let address = address(session, place, &range)?;
            let cells = cells(session, value.get_ref(), &range)?;
            if let Some(doubt) =
                session.doubt(place, address, PlaceUse::Set(cells.len() as u32)).filter(|one| one.is_wrong)
            {
                return Err(wrong_at(&range, doubt.message, doubt.help));
            }
            session.put(address, &cells).map_err(|error| state_error(&error, &range))?;
        }
        for (port, value) in &self.ports {
            let range = value.span();
            let event =
                Event::Port(address(session, port, &range)?, cells(session, value.get_ref(), &range)?);
            session.happen(event).map_err(|error| state_error(&error, &range))?;
        }
        for (name, value) in &self.switches {
            let range = value.span();
            let event = Event::Switches(name.clone(), number(session, value.get_ref(), &range)? as u64);
            session.happen(event).map_err(|error| state_error(&error, &range))?;
        }
        for (name, value) in &self.interrupts {
            let range = value.span();
            let at = number(session, value.get_ref(), &range)?.max(0) as u64;
            session
                .happen_at(at, Event::Interrupt(name.clone()))
                .map_err(|error| state_error(&error, &range))?;
        }
        if let Some(input) = &self.input {
            let typed = Event::Typed(input.clone().into_bytes());
            session.happen(typed).map_err(|error| state_error(&error, &(0..0)))?;
        }
        Ok(())
    }
}
