//! The machine monitor: a command language over a session, in whole words of which any unambiguous beginning will do.
//!
//! The monitor reads no terminal and opens no file: a line comes in, text goes out, and files are the [`Host`]'s.
//! To add a word: a function in one of the files here and a row in [`WORDS`].

mod go;
mod past;
mod program;
mod state;
mod words;

pub use go::spell_value;
pub use words::{WORDS, Word};

use crate::assembler::{Formula, Loader};
use crate::diagnostic::{Diagnostic, Problem, nearest};
use crate::processor::Window;
use crate::report::Tracer;
use crate::session::{Moment, Session, Step};
use crate::text::{Text, Tone};
use std::cell::RefCell;

/// What the monitor needs from whoever runs it.
pub trait Host: Loader {
    /// Writes a file.
    ///
    /// # Errors
    /// A phrase that says what is wrong.
    fn write(&mut self, name: &str, bytes: &[u8]) -> Result<(), Problem>;

    /// Asked now and then while the machine runs: false ends the run.
    fn go_on(&mut self) -> bool {
        true
    }
}

/// Why a line was not carried out.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct Complaint {
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

impl Complaint {
    pub(crate) fn new(message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { message: message.into(), help: help.into() }
    }
}

impl From<Box<Diagnostic>> for Complaint {
    fn from(wrong: Box<Diagnostic>) -> Self {
        Self { message: wrong.message, help: wrong.help }
    }
}

impl From<crate::session::StateError> for Complaint {
    fn from(error: crate::session::StateError) -> Self {
        Self::new(error.to_string(), "`registers` and `memory` show what there is")
    }
}

/// What came of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Reply {
    /// It was carried out.
    Done(Text),
    /// The person wants to leave.
    Quit,
}

/// A monitor with its session.
#[derive(Debug)]
pub struct Monitor {
    session: Session,
    watches: Vec<Formula>,
    /// The address where `code` puts the next instruction, while it does.
    coding: Option<u32>,
    /// Where `memory` and `list` go on.
    next_memory: u32,
    /// The segment in which memory was asked for last, where one was named.
    memory_window: Option<Window>,
    next_list: Option<u32>,
    /// How numbers without a mark are read, where not as the processor's people do.
    radix: Option<u32>,
    /// The step that an empty line does again.
    last_step: Option<String>,
    /// The hazard that `until hazard` came to last.
    at_hazard: Option<Moment>,
    /// What was taken otherwise than it was typed.
    taken: RefCell<Vec<String>>,
}

type Done = Result<Text, Complaint>;

impl Monitor {
    /// A monitor over a session.
    pub fn new(session: Session) -> Self {
        let next_memory = session.machine().place();
        Self {
            session,
            watches: Vec::new(),
            coding: None,
            next_memory,
            memory_window: None,
            next_list: None,
            radix: None,
            last_step: None,
            at_hazard: None,
            taken: RefCell::default(),
        }
    }

    /// The session.
    pub fn session(&self) -> &Session {
        &self.session
    }

    /// The session, for who does something with it that is not a word of the monitor's.
    pub fn session_mut(&mut self) -> &mut Session {
        self.next_list = None;
        &mut self.session
    }

    /// What is shown at every stop.
    pub fn watches(&self) -> &[Formula] {
        &self.watches
    }

    /// Goes on with another session; what is watched stays.
    pub fn exchange(&mut self, session: Session) {
        let watches = std::mem::take(&mut self.watches);
        *self = Self { watches, radix: self.radix, ..Self::new(session) };
    }

    /// What stands before the line that is typed: the address while instructions are put in.
    pub fn prompt(&self) -> String {
        match self.coding {
            Some(address) => format!("{}: ", self.session.machine().spell(address)),
            None => "> ".to_string(),
        }
    }

    /// Where the machine stands, for the beginning.
    pub fn greeting(&self) -> Text {
        let board = self.session.machine().board();
        let clock = crate::number::clock_text(board.clock);
        let mut text = Text::new();
        text.line().tone(Tone::Strong, board.name.clone());
        text.put(format!(": {} at {clock}. `help` lists the words.", board.set.title()));
        text.append(self.here());
        text
    }

    /// Carries out a line.
    ///
    /// # Errors
    /// A [`Complaint`]; nothing was changed then.
    pub fn line(&mut self, line: &str, host: &mut dyn Host) -> Result<Reply, Complaint> {
        if self.coding.is_some() {
            return self.code_line(line).map(Reply::Done);
        }
        let line = without_comment(line).trim();
        if line.is_empty() {
            return Ok(Reply::Done(Text::new()));
        }
        let (first, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
        let word = find(first)?;
        let rest = rest.trim();
        if word.form == word.name && !rest.is_empty() {
            let message = format!("`{}` takes nothing after it, and `{rest}` stands there", word.name);
            return Err(Complaint::new(message, format!("write `{}` alone", word.name)));
        }
        if word.name == "quit" {
            return Ok(Reply::Quit);
        }
        self.taken.borrow_mut().clear();
        self.last_step = matches!(word.name, "step" | "over").then(|| line.to_string());
        let done = (word.run)(self, rest, host)?;
        let mut text = Text::new();
        for taken in self.taken.borrow().iter() {
            text.line().tone(Tone::Faint, taken.as_str());
        }
        text.append(done);
        Ok(Reply::Done(text))
    }

    /// Does the last step again, as an empty line at a terminal means it; nothing where something else was done last.
    ///
    /// # Errors
    /// As [`line`](Self::line).
    pub fn again(&mut self, host: &mut dyn Host) -> Result<Reply, Complaint> {
        match self.last_step.clone().filter(|_| self.coding.is_none()) {
            Some(line) => self.line(&line, host),
            None => self.line("", host),
        }
    }

    /// The line of a step, with its number in the run.
    fn step_line(&self, step: &Step) -> Text {
        Tracer::from_number(self.session.machine().instructions()).line(&self.session, step)
    }

    /// What may stand at the end of a line that is being typed: where the last piece begins, and what it may become.
    pub fn complete(&self, line: &str) -> (usize, Vec<String>) {
        let start = line.rfind(|c: char| c.is_whitespace() || "=,.+-*/()".contains(c)).map_or(0, |at| at + 1);
        let begun = &line[start..];
        let fitting = |names: Vec<String>| -> Vec<String> {
            let lower = begun.to_lowercase();
            let mut names: Vec<String> =
                names.into_iter().filter(|name| name.to_lowercase().starts_with(&lower)).collect();
            names.sort();
            names.dedup();
            names
        };
        let first = line.trim_start();
        if !first.contains(char::is_whitespace) || first.starts_with("help ") {
            return (start, fitting(WORDS.iter().map(|word| word.name.to_string()).collect()));
        }
        let mut names = crate::assembler::Environment::names(&self.session);
        match find(first.split_whitespace().next().unwrap_or_default()).map(|word| word.name) {
            Ok("stop") => names.extend(["at".to_string(), "when".to_string()]),
            Ok("memory") => {
                names.extend(crate::report::Radix::NAMES.iter().map(|(name, _)| (*name).to_string()));
            }
            Ok("interrupt") => {
                names = self
                    .session
                    .processor()
                    .interrupts
                    .inputs
                    .iter()
                    .map(|name| (*name).to_string())
                    .collect();
            }
            Ok("set") => {
                names.extend(self.session.machine().chips().iter().map(|fitted| fitted.place.name.clone()));
            }
            _ => {}
        }
        (start, fitting(names))
    }

    fn value_of(&self, text: &str) -> Result<i64, Complaint> {
        if text.trim().is_empty() {
            return Err(Complaint::new("a number is missing", "`help WORD` shows the form with an example"));
        }
        match self.radix {
            Some(radix) => Ok(self.session.evaluate(&marked(text, radix, &self.session))?),
            None => Ok(self.session.evaluate(text)?),
        }
    }

    /// An address of the machine.
    fn address_of(&self, text: &str) -> Result<u32, Complaint> {
        if let Some(meant) = self.session.meant_in_hex(text).filter(|_| self.radix.is_none()) {
            let set = self.session.processor();
            let literal = set.habit().literal(meant.into(), 16);
            self.taken
                .borrow_mut()
                .push(format!("{} is taken as {literal}; `radix hex` reads all so", text.trim()));
            return Ok(meant);
        }
        let value = self.value_of(text)?;
        let last = self.session.processor().last_address();
        u32::try_from(value).ok().filter(|&value| value <= last).ok_or_else(|| {
            let last = self.session.processor().address(last.into());
            Complaint::new(format!("{value} is not an address"), format!("addresses go from 0 to {last}"))
        })
    }

    /// `FIRST..LAST`, or a single address.
    fn range_of(&self, text: &str) -> Result<(u32, u32), Complaint> {
        let (first, last) = match text.split_once("..") {
            Some((first, last)) => (self.address_of(first)?, self.address_of(last)?),
            None => {
                let address = self.address_of(text)?;
                (address, address)
            }
        };
        if last < first {
            return Err(Complaint::new(
                "the range ends before it begins",
                "write FIRST..LAST, the lower one first",
            ));
        }
        Ok((first, last))
    }

    /// Cells: expressions and texts with commas between.
    fn cells_of(&self, text: &str) -> Result<Vec<u64>, Complaint> {
        let bits = self.session.processor().cell_bits();
        let mut cells = Vec::new();
        for part in split_commas(text) {
            let part = part.trim();
            if part.len() > 2 && part.starts_with('"') && part.ends_with('"') {
                cells.extend(part[1..part.len() - 1].bytes().map(u64::from));
                continue;
            }
            let value = self.value_of(part)?;
            if value < -(1i64 << (bits - 1)) || value >= 1i64 << bits {
                let help = match bits {
                    8 => "write low(N), high(N) for the two bytes of a word".to_string(),
                    _ => {
                        format!("a cell takes 0 to octal {}", self.session.processor().cell((1 << bits) - 1))
                    }
                };
                return Err(Complaint::new(format!("{value} does not fit in a cell of {bits} bits"), help));
            }
            cells.push(value as u64 & ((1 << bits) - 1));
        }
        Ok(cells)
    }
}

/// A text whose numbers without a mark are written in a radix, with marks.
fn marked(text: &str, radix: u32, names: &dyn crate::assembler::Environment) -> String {
    let is_part = |c: char| c.is_ascii_alphanumeric() || "_.$%?@".contains(c);
    let mut out = String::with_capacity(text.len() + 4);
    let mut rest = text;
    let mut quoted = false;
    while let Some(first) = rest.chars().next() {
        let end = rest.find(|c| !is_part(c)).unwrap_or(rest.len()).max(first.len_utf8());
        let (word, behind) = rest.split_at(end);
        quoted ^= matches!(first, '"' | '\'');
        let is_number = !quoted && word.chars().all(|c| c.is_digit(radix)) && names.symbol(word).is_none();
        match radix {
            16 if is_number => out.push_str(&format!("0{word}h")),
            10 if is_number => out.push_str(&format!("{word}.")),
            8 if is_number => out.push_str(&format!("{word}o")),
            _ => out.push_str(word),
        }
        rest = behind;
    }
    out
}

/// The word that begins so.
fn find(begun: &str) -> Result<&'static Word, Complaint> {
    let lower = begun.to_lowercase();
    let fitting: Vec<&Word> = WORDS.iter().filter(|word| word.name.starts_with(&lower)).collect();
    match fitting[..] {
        [word] => Ok(word),
        [] if words::MEANT.iter().any(|row| row.0 == lower) => {
            let meant = words::MEANT.iter().find(|row| row.0 == lower).map_or("", |row| row.1);
            find(meant)
        }
        [] => {
            let near = nearest(&lower, WORDS.iter().map(|word| word.name));
            let help =
                near.map_or("`help` lists the words".to_string(), |near| format!("did you mean `{near}`?"));
            Err(Complaint::new(format!("there is no word `{begun}` here"), help))
        }
        ref several => {
            let meant = words::MEANT.iter().find(|row| row.0 == lower).map_or(lower.as_str(), |row| row.1);
            if let Some(exact) = several.iter().find(|word| word.name == meant) {
                return Ok(exact);
            }
            let names: Vec<_> = several.iter().map(|word| word.name).collect();
            Err(Complaint::new(format!("`{begun}` may be {}", names.join(" or ")), "write a letter more"))
        }
    }
}

/// A line up to `;` outside quotes.
fn without_comment(line: &str) -> &str {
    let mut quote = None;
    for (at, c) in line.char_indices() {
        match quote {
            None if c == ';' => return &line[..at],
            None if c == '"' || c == '\'' => quote = Some(c),
            Some(open) if c == open => quote = None,
            _ => {}
        }
    }
    line
}

/// Splits at commas outside quotes and parentheses.
fn split_commas(text: &str) -> Vec<&str> {
    let mut parts = Vec::new();
    let (mut start, mut depth, mut quote) = (0, 0, None);
    for (at, c) in text.char_indices() {
        match (quote, c) {
            (None, '"' | '\'') => quote = Some(c),
            (Some(open), c) if c == open => quote = None,
            (None, '(') => depth += 1,
            (None, ')') => depth -= 1,
            (None, ',') if depth == 0 => {
                parts.push(&text[start..at]);
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(&text[start..]);
    parts
}

/// The two sides of `NAME = VALUE`.
fn sides(text: &str, form: &str) -> Result<(String, String), Complaint> {
    match text.split_once('=') {
        Some((left, right)) if !left.trim().is_empty() && !right.trim().is_empty() => {
            Ok((left.trim().to_string(), right.trim().to_string()))
        }
        _ => Err(Complaint::new(
            "an equals sign with something on both sides is wanted",
            format!("write `{form}`"),
        )),
    }
}
