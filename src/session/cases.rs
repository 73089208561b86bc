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

use super::case_screen::OnScreen;
use super::{Limits, PlaceUse, Session, StateError, Stop};
use crate::diagnostic::{Diagnostic, Span};
use crate::image::Cell;
use crate::machine::services::transient::{FileName, Volume};
use crate::machine::{Event, board::toml_error};
use crate::number::Habit;
use crate::processor::Named;
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
enum Value {
    Number(i64),
    Truth(bool),
    Expression(String),
    List(Vec<Value>),
}

type Table = BTreeMap<String, Spanned<Value>>;

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
    #[serde(default)]
    case: Vec<Spanned<CaseTable>>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct CaseTable {
    name: String,
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
    /// What is typed behind its name.
    #[serde(default)]
    words: Vec<String>,
    /// Its disk may only be read.
    #[serde(default)]
    protected: bool,
}

#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct RunTable {
    from: Option<Spanned<Value>>,
    until: Option<Spanned<Value>>,
    cycles: Option<u64>,
}

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct Expected {
    #[serde(default)]
    registers: Table,
    #[serde(default)]
    memory: Table,
    #[serde(default)]
    lamps: Table,
    #[serde(default)]
    ports: Table,
    output: Option<String>,
    /// Texts that must stand somewhere in a line of the screen.
    #[serde(default)]
    screen: Vec<OnScreen>,
    /// The files on the disk of a program of a disk system, each a text; those that are not named are not looked at.
    #[serde(default)]
    files: BTreeMap<String, String>,
    stop: Option<String>,
    /// What the program ended with, where it tells a service.
    exit: Option<u8>,
    cycles: Option<u64>,
    most_cycles: Option<u64>,
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
        Ok(Self {
            program: file.program,
            board: file.board,
            processor: file.processor,
            without: file.without,
            defines: file.define.into_iter().collect(),
            cycles: file.cycles.unwrap_or(DEFAULT_CYCLES),
            cases: file.case.into_iter().map(|case| (case.get_ref().clone(), case.span())).collect(),
        })
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

    fn run_case(
        &self,
        case: &CaseTable,
        mut session: Session,
    ) -> Result<(Outcome, Session), Box<Diagnostic>> {
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
        let stop = session.run(limits);
        let differences = case.expect.compare(&session, &stop, &case.run)?;
        let outcome = Outcome {
            name: case.name.clone(),
            passed: differences.is_empty(),
            differences,
            stop: stop.reason().to_string(),
            cycles: session.machine().cycles(),
            instructions: session.machine().instructions(),
        };
        Ok((outcome, session))
    }
}

fn wrong_at(range: &Range<usize>, message: impl Into<String>, help: impl Into<String>) -> Box<Diagnostic> {
    let span = Span { source: 0, start: range.start as u32, end: range.end as u32 };
    Box::new(Diagnostic::error("case", span, message, help))
}

fn state_error(error: &StateError, range: &Range<usize>) -> Box<Diagnostic> {
    wrong_at(range, error.to_string(), "docs/cases.md lists what a case can set and state")
}

/// A number or an expression in the session's symbols and registers.
fn number(session: &Session, value: &Value, range: &Range<usize>) -> Result<i64, Box<Diagnostic>> {
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
fn cells(session: &Session, value: &Value, range: &Range<usize>) -> Result<Vec<Cell>, Box<Diagnostic>> {
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

fn address(session: &Session, text: &str, range: &Range<usize>) -> Result<u32, Box<Diagnostic>> {
    let value = number(session, &Value::Expression(text.to_string()), range)?;
    u32::try_from(value)
        .ok()
        .filter(|&address| address <= session.processor().last_address())
        .ok_or_else(|| wrong_at(range, format!("`{text}` is no address"), "give a label or an address"))
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

impl Expected {
    fn compare(
        &self,
        session: &Session,
        stop: &Stop,
        run: &RunTable,
    ) -> Result<Vec<String>, Box<Diagnostic>> {
        let set = session.processor();
        let mut differences = Vec::new();
        // A case that states no stop must at least have come to its end, or to the place or time it names.
        let arrived = stop.is_end() || *stop == Stop::Until || *stop == Stop::Cycles && run.cycles.is_some();
        match &self.stop {
            Some(wanted) if wanted != stop.reason() => {
                differences.push(format!("it stopped by {}, wanted {wanted}", stop.reason()));
            }
            None if !arrived => {
                let pc = session.machine().spell(session.machine().place());
                differences.push(format!("it stopped at {pc}: {}", stop.words(set)));
            }
            _ => {}
        }
        // Firmware that the program went back to has registers of its own.
        let left = session.as_left(stop).filter(|_| !self.registers.is_empty());
        let machine = left.as_ref().map_or(session.machine(), |left| &left.machine);
        for (name, value) in &self.registers {
            let wanted = number(session, value.get_ref(), &value.span())?;
            let Some(is) = machine.get(name) else {
                let message = format!("the {} has no register or flag `{name}`", set.name());
                return Err(wrong_at(
                    &value.span(),
                    message,
                    "`plainbyte chart` shows the registers and flags",
                ));
            };
            let bits = match set.named(name) {
                Some(Named::Register(place)) => set.registers()[place].bits,
                _ => 1,
            };
            if is != wanted as u64 & ((1 << bits) - 1) {
                differences.push(format!(
                    "{name} is {}, wanted {}",
                    both(session, is),
                    both(session, wanted as u64 & ((1 << bits) - 1))
                ));
            }
        }
        for (place, value) in &self.memory {
            let range = value.span();
            let first = address(session, place, &range)?;
            let wanted = cells(session, value.get_ref(), &range)?;
            let is: Vec<Cell> = (0..wanted.len() as u32).map(|at| session.cell(first + at)).collect();
            if is != wanted {
                differences.push(format!(
                    "{place} is {}, wanted {}",
                    list(session, &is),
                    list(session, &wanted)
                ));
            }
        }
        for (port, value) in &self.ports {
            let range = value.span();
            let number = address(session, port, &range)?;
            let wanted = cells(session, value.get_ref(), &range)?;
            let writes = session.machine().port_writes().iter();
            let is: Vec<Cell> =
                writes.filter(|write| write.port == number).map(|write| write.value).collect();
            if is != wanted {
                differences.push(format!(
                    "port {port} got {}, wanted {}",
                    list(session, &is),
                    list(session, &wanted)
                ));
            }
        }
        self.compare_outside(session, &mut differences)?;
        Ok(differences)
    }

    fn compare_outside(
        &self,
        session: &Session,
        differences: &mut Vec<String>,
    ) -> Result<(), Box<Diagnostic>> {
        for (name, value) in &self.lamps {
            let wanted = number(session, value.get_ref(), &value.span())? as u64;
            let Some(is) = session.machine().lamps_named(name) else {
                let message = format!("the board {} has no lamps `{name}`", session.machine().board().name);
                return Err(wrong_at(&value.span(), message, "`plainbyte boards NAME` shows its chips"));
            };
            if is != wanted {
                differences.push(format!(
                    "the lamps {name} show {}, wanted {}",
                    both(session, is),
                    both(session, wanted)
                ));
            }
        }
        if let Some(wanted) = &self.output {
            let is = String::from_utf8_lossy(session.machine().output());
            if is != *wanted {
                differences.push(format!("the console shows {is:?}, wanted {wanted:?}"));
            }
        }
        let picture = session.machine().screen();
        differences.extend(self.screen.iter().filter_map(|wanted| wanted.difference(picture.as_ref())));
        let exit = session.machine().exit_code();
        if let Some(wanted) = self.exit.filter(|&wanted| Some(wanted) != exit) {
            let is = exit
                .map_or_else(|| "it did not end with a code".to_string(), |is| format!("it ended with {is}"));
            differences.push(format!("{is}, wanted {wanted}"));
        }
        for (name, wanted) in &self.files {
            let file = FileName::of_host(name).zip(session.machine().disk());
            let is = file.and_then(|(name, disk)| disk.text(name));
            if is.as_ref() != Some(wanted) {
                let is = is.map_or_else(|| "is not there".to_string(), |is| format!("is {is:?}"));
                differences.push(format!("the file {name} {is}, wanted {wanted:?}"));
            }
        }
        let cycles = session.machine().cycles();
        let name = session.processor().identity.cycle_name;
        if let Some(wanted) = self.cycles.filter(|&wanted| wanted != cycles) {
            differences.push(format!("it took {cycles} {name}, wanted {wanted}"));
        }
        if let Some(most) = self.most_cycles.filter(|&most| most < cycles) {
            differences.push(format!("it took {cycles} {name}, wanted {most} at most"));
        }
        Ok(())
    }
}

/// A value in the two radixes that the processor's people read, their usual one first.
fn both(session: &Session, value: u64) -> String {
    match session.processor().habit() {
        Habit::Octal => format!("{value:o} ({value}.)"),
        Habit::DollarHex => format!("{value} (${value:X})"),
        Habit::IntelHex => format!("{value} ({value:X}h)"),
    }
}

fn list(session: &Session, values: &[u64]) -> String {
    let octal = session.processor().habit() == Habit::Octal;
    let value = |value: &u64| if octal { format!("{value:o}") } else { value.to_string() };
    let values: Vec<String> = values.iter().map(value).collect();
    format!("[{}]", values.join(" "))
}
