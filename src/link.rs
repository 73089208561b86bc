//! The board's end of a debug link: lines come in, answers go out, and a session does what they ask.
//!
//! The language is that of docs/debug-link.md. Nothing is read or written here; whoever holds the line hands the bytes over.

use crate::machine::{Access, Event, LINK_VERSION, MOST_LINK_CELLS};
use crate::session::{Change, Limits, Session, Step, Stop};
use std::fmt::Write;

/// A longer line is not taken.
const LONGEST: usize = 4096;

/// Every request.
const WORDS: &[&str] = &[
    "hello",
    "map",
    "registers",
    "set",
    "read",
    "write",
    "break",
    "forget",
    "step",
    "run",
    "stop",
    "interrupt",
    "reset",
];

/// Bytes that wait while the board runs.
const MOST_WAITING: usize = 1 << 16;

/// The board's end.
#[derive(Debug, Default)]
pub struct LinkServer {
    /// What came and is no whole line yet.
    waiting: Vec<u8>,
    /// The rest of a line that was too long is being thrown away.
    skipping: bool,
    /// The run goes on to this cycle.
    running: Option<u64>,
    /// Where the last run stopped at a breakpoint.
    stood: Option<u32>,
    /// Somebody has spoken this language.
    is_spoken: bool,
    /// Whoever is there is not to be listened to any more.
    hangs_up: bool,
}

impl LinkServer {
    /// True while the board runs.
    pub fn is_running(&self) -> bool {
        self.running.is_some()
    }

    /// True where whoever is there does not speak this language, or sends more than can wait: the line is to be hung up, and what comes
    /// next is for a new server.
    pub fn hangs_up(&self) -> bool {
        self.hangs_up
    }

    /// Somebody else is there now: nothing of who was there before is left, a run and breakpoints included.
    pub fn begin(&mut self, session: &mut Session) {
        *self = Self::default();
        for address in session.breakpoints().to_vec() {
            session.remove_breakpoint(address);
        }
    }

    /// Takes what came over the line; what is to be said.
    pub fn feed(&mut self, session: &mut Session, bytes: &[u8]) -> String {
        if self.hangs_up {
            return String::new();
        }
        if self.waiting.len() + bytes.len() > MOST_WAITING {
            self.hangs_up = true;
            self.running = None;
            return "no more waits than there is room for; the line is hung up\n".to_string();
        }
        self.waiting.extend(bytes);
        let mut said = String::new();
        while let Some(line) = self.line() {
            let answer = match line {
                Ok(line) => self.request(session, &line),
                Err(why) => Some(format!("no {why}")),
            };
            if let Some(answer) = answer {
                said.push_str(&answer);
                said.push('\n');
            }
        }
        said
    }

    /// A `stop` among the whole lines that wait, whatever stands before it; it is taken out.
    fn takes_stop(&mut self) -> bool {
        let mut from = 0;
        while let Some(length) = self.waiting[from..].iter().position(|&byte| byte == b'\n') {
            if is_stop(&self.waiting[from..from + length]) {
                self.waiting.drain(from..=from + length);
                return true;
            }
            from += length + 1;
        }
        false
    }

    /// The next whole line. While the board runs, only `stop` is looked at; what else came waits for the end of the run.
    fn line(&mut self) -> Option<Result<String, &'static str>> {
        if self.hangs_up {
            return None;
        }
        if self.running.is_some() {
            return self.takes_stop().then(|| Ok("stop".to_string()));
        }
        loop {
            let Some(end) = self.waiting.iter().position(|&byte| byte == b'\n') else {
                if self.waiting.len() > LONGEST {
                    self.waiting.clear();
                    self.skipping = true;
                }
                return None;
            };
            let line: Vec<u8> = self.waiting.drain(..=end).take(end).collect();
            if std::mem::take(&mut self.skipping) || line.len() > LONGEST {
                return Some(Err("the line is longer than 4096 characters"));
            }
            let text = line.strip_suffix(b"\r").unwrap_or(&line);
            match std::str::from_utf8(text) {
                Ok(text) if text.trim().is_empty() => {}
                Ok(text) if text.bytes().all(|byte| (0x20..0x7F).contains(&byte)) => {
                    return Some(Ok(text.trim().to_string()));
                }
                _ => return Some(Err("the line has characters that are no plain text")),
            }
        }
    }

    /// Carries a request out; a run has its answer when it is over, and `stop` has none of its own.
    fn request(&mut self, session: &mut Session, line: &str) -> Option<String> {
        let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
        let rest = rest.trim();
        if !self.is_spoken && !WORDS.contains(&word) {
            self.hangs_up = true;
            return Some(
                "no this is a debug link, and begins with `hello 1`; the line is hung up".to_string(),
            );
        }
        self.is_spoken = true;
        let done = match word {
            "hello" => hello(session, rest),
            "map" => Ok(map(session)),
            "registers" => Ok(registers(session)),
            "set" => set(session, rest),
            "read" => read(session, rest),
            "write" => write(session, rest),
            "break" => address(session, rest).map(|at| {
                session.add_breakpoint(at);
                String::new()
            }),
            "forget" => forget(session, rest),
            "reset" => {
                session.reset();
                self.stood = None;
                Ok(String::new())
            }
            "interrupt" => session
                .happen(Event::Interrupt(rest.to_string()))
                .map(|()| String::new())
                .map_err(|error| error.to_string()),
            "step" => {
                self.stood = None;
                return Some(stepped(&session.step()));
            }
            "run" => match self.run(session, rest) {
                Ok(answer) => return answer,
                Err(why) => Err(why),
            },
            "stop" => return self.running.take().map(|_| stopped(session, &Stop::Operator)),
            _ => Err(format!(
                "there is no request `{}`; there are {}",
                word.chars().take(20).collect::<String>(),
                WORDS.join(", ")
            )),
        };
        Some(match done {
            Ok(answer) if answer.is_empty() => "ok".to_string(),
            Ok(answer) => format!("ok {answer}"),
            Err(why) => format!("no {}", why.replace('\n', " ")),
        })
    }

    fn run(&mut self, session: &Session, rest: &str) -> Result<Option<String>, String> {
        let cycles = if rest.is_empty() { u64::MAX / 4 } else { number(rest)? };
        let pc = session.machine().place();
        if session.breakpoints().contains(&pc) && self.stood != Some(pc) {
            self.stood = Some(pc);
            return Ok(Some(stopped(session, &Stop::Breakpoint)));
        }
        self.running = Some(session.machine().cycles().saturating_add(cycles.clamp(1, u64::MAX / 4)));
        Ok(None)
    }

    /// Runs on for so many cycles at most; the answer when the run is over.
    pub fn go_on(&mut self, session: &mut Session, cycles: u64) -> Option<String> {
        let end = self.running?;
        let now = session.machine().cycles();
        let stop = session.run(Limits::none().cycles(cycles.min(end.saturating_sub(now)).max(1)));
        let over = session.machine().cycles() >= end;
        if stop == Stop::Cycles && !over {
            return None;
        }
        self.running = None;
        self.stood = (stop == Stop::Breakpoint).then(|| session.machine().place());
        let waits = matches!(stop, Stop::Halt | Stop::Endless) && session.machine().typing_interrupts();
        let mut answer = if waits { stopped_for(session, "waiting", &stop) } else { stopped(session, &stop) };
        answer.push('\n');
        Some(answer)
    }
}

fn is_stop(line: &[u8]) -> bool {
    line.trim_ascii() == b"stop"
}

fn number(text: &str) -> Result<u64, String> {
    u64::from_str_radix(text, 16).map_err(|_| format!("`{text}` is not a number; numbers are hex digits"))
}

fn address(session: &Session, text: &str) -> Result<u32, String> {
    let last = session.processor().last_address();
    let address = number(text)?;
    u32::try_from(address)
        .ok()
        .filter(|&at| at <= last)
        .ok_or_else(|| format!("{text} is not an address; the last one is {last:X}"))
}

fn hello(session: &Session, rest: &str) -> Result<String, String> {
    if number(rest)? != u64::from(LINK_VERSION) {
        return Err(format!("version {rest} is not spoken here, {LINK_VERSION} is"));
    }
    let board = session.machine().board();
    Ok(format!("link={LINK_VERSION} board={} cpu={} clock={}", board.name, board.set.name(), board.clock))
}

fn map(session: &Session) -> String {
    let areas = session.machine().areas().iter();
    let areas =
        areas.map(|area| format!("{}:{:X}-{:X}", area.kind.title().to_lowercase(), area.first, area.last));
    areas.collect::<Vec<_>>().join(" ")
}

fn registers(session: &Session) -> String {
    let machine = session.machine();
    let mut text = String::new();
    for (place, register) in machine.set().registers().iter().enumerate() {
        let _ = write!(text, "{}={:X} ", register.name, machine.register(place));
    }
    let _ = write!(text, "cycles={:X} instructions={:X}", machine.cycles(), machine.instructions());
    text
}

fn set(session: &mut Session, rest: &str) -> Result<String, String> {
    let (name, value) = rest.split_once('=').ok_or("write `set NAME=VALUE`")?;
    let value = i64::try_from(number(value)?).map_err(|_| format!("{value} is too large"))?;
    session.set(name, value).map(|()| String::new()).map_err(|error| error.to_string())
}

fn read(session: &Session, rest: &str) -> Result<String, String> {
    let (first, count) = rest.split_once(' ').ok_or("write `read ADDRESS COUNT`")?;
    let (first, count) = (address(session, first)?, number(count.trim())?);
    let set = session.processor();
    let room = u64::from(set.last_address()) - u64::from(first) + 1;
    if count == 0 || count > room.min(MOST_LINK_CELLS as u64) {
        return Err(format!("a count goes from 1 to {:X}", room.min(MOST_LINK_CELLS as u64)));
    }
    let width = usize::from(set.cell_bits().div_ceil(4));
    let mut text = String::with_capacity(width * count as usize);
    for at in 0..count as u32 {
        let _ = write!(text, "{:0width$X}", session.cell(first + at));
    }
    Ok(text)
}

fn write(session: &mut Session, rest: &str) -> Result<String, String> {
    let (first, digits) = rest.split_once(' ').ok_or("write `write ADDRESS CELLS`")?;
    let first = address(session, first)?;
    let width = usize::from(session.processor().cell_bits().div_ceil(4));
    let digits = digits.trim();
    if digits.is_empty() || !digits.len().is_multiple_of(width) || !digits.is_ascii() {
        return Err(format!("a cell has {width} digits"));
    }
    let cells: Vec<u64> = (0..digits.len())
        .step_by(width)
        .map(|at| number(&digits[at..at + width]))
        .collect::<Result<_, _>>()?;
    if cells.iter().any(|&cell| cell > session.processor().last_cell()) {
        return Err(format!("a cell has {} bits", session.processor().cell_bits()));
    }
    session.put(first, &cells).map(|()| String::new()).map_err(|error| error.to_string())
}

fn forget(session: &mut Session, rest: &str) -> Result<String, String> {
    if rest == "all" {
        for at in session.breakpoints().to_vec() {
            session.remove_breakpoint(at);
        }
        return Ok(String::new());
    }
    let at = address(session, rest)?;
    session.remove_breakpoint(at);
    Ok(String::new())
}

fn stopped_for(session: &Session, reason: &str, stop: &Stop) -> String {
    format!("stopped {reason} {:X}", session.stopped_at(stop))
}

fn stopped(session: &Session, stop: &Stop) -> String {
    let mut text = stopped_for(session, stop.reason(), stop);
    if let Stop::Unmapped(missing) = stop {
        let letter = letter(missing.access);
        let _ = write!(text, " {letter}:{:X}", missing.address);
    }
    text
}

fn letter(access: Access) -> char {
    match access {
        Access::Read => 'r',
        Access::Write => 'w',
        Access::In => 'i',
        Access::Out => 'o',
        Access::Fetch => 'f',
    }
}

/// What a step did: accesses in order, reads first.
fn stepped(step: &Step) -> String {
    let (reason, at) = match &step.stop {
        Some(stop) => (stop.reason(), step.address),
        None => ("step", step.next),
    };
    let mut text = format!("stopped {reason} {at:X}");
    for (address, value) in &step.reads {
        let _ = write!(text, " r:{address:X}:{value:X}");
    }
    for change in &step.changes {
        let _ = match *change {
            Change::Cell { address, before, after, .. } => {
                write!(text, " w:{address:X}:{before:X}:{after:X}")
            }
            Change::In { port, value } => write!(text, " i:{port:X}:{value:X}"),
            Change::Out { port, value, .. } => write!(text, " o:{port:X}:{value:X}"),
            _ => Ok(()),
        };
    }
    if let Some(Stop::Unmapped(missing)) = step.stop {
        let _ = write!(text, " {}:{:X}", letter(missing.access), missing.address);
    }
    text
}
