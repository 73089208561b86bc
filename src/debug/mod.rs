//! A program being debugged, as a screen shows it: the source with the line that comes next, what registers, stack and memory hold, and
//! the whole run as a strip of time. What is shown is data here; who draws it, and which keys there are, is no matter of this module.

mod strip;
mod view;

pub use strip::{Mark, MarkKind, Strip};
pub use view::{Cell, RegisterView, SourceRow, StackRow, View};

use crate::monitor::{Complaint, Host, Monitor, Reply};
use crate::session::{Limits, Session, Stop};
use crate::text::Text;

/// Something that is done with the program.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Deed {
    /// One instruction, with what the firmware does for it.
    Step,
    /// One instruction, a call with all that it calls.
    Over,
    /// To the end of the routine.
    Out,
    /// One instruction back.
    Back,
    /// One instruction forth again.
    Forth,
    /// To the next stop.
    Run,
    /// Back to the last stop, or to the beginning.
    RunBack,
    /// To the line of the cursor.
    ToCursor,
    /// Back to the last time that the line of the cursor came next.
    BackToCursor,
    /// Sets a breakpoint at the line of the cursor, or takes it away.
    Breakpoint,
    /// Moves the cursor by so many lines.
    Cursor(i64),
    /// The cursor goes to the line that comes next.
    Home,
    /// Moves along the strip by so many hundredths of the run.
    Along(i64),
    /// To a place of the strip, in thousandths.
    At(u64),
    /// To the beginning of the run, or to its end.
    Start,
    /// To its end.
    End,
    /// Explains what the line of the cursor works on.
    Why,
    /// To the first hazard, and from one to the next.
    Hazard,
    /// The next text of the program is shown.
    NextText,
    /// A line for the monitor.
    Line(String),
}

/// A program being debugged.
#[derive(Debug)]
pub struct Debugger {
    monitor: Monitor,
    /// The text that is shown and the line of the cursor, from 1; `None` where there is no source.
    cursor: Option<(String, usize)>,
    /// The registers as they were before the last deed.
    before: Vec<u64>,
    /// Cells before the last deed, where the memory pane shows them.
    cells_before: Vec<u64>,
    /// The first address of the memory pane.
    memory: u32,
    /// What was said last.
    said: Text,
    strip: Strip,
}

impl Debugger {
    /// A debugger over a session with a program.
    pub fn new(session: Session) -> Self {
        let memory = first_data(&session);
        let mut debugger = Self {
            monitor: Monitor::new(session),
            cursor: None,
            before: Vec::new(),
            cells_before: Vec::new(),
            memory,
            said: Text::new(),
            strip: Strip::default(),
        };
        debugger.home();
        debugger.before = debugger.registers();
        debugger.cells_before = debugger.cells();
        debugger
    }

    /// The session.
    pub fn session(&self) -> &Session {
        self.monitor.session()
    }

    /// What was said last.
    pub fn said(&self) -> &Text {
        &self.said
    }

    /// What may stand at the end of a line that is being typed.
    pub fn complete(&self, line: &str) -> (usize, Vec<String>) {
        self.monitor.complete(line)
    }

    fn registers(&self) -> Vec<u64> {
        let machine = self.session().machine();
        (0..machine.set().registers().len()).map(|place| machine.register(place)).collect()
    }

    /// Where execution stands: at a halt, the halt.
    fn place(&self) -> u32 {
        let machine = self.session().machine();
        machine.halted_at().unwrap_or(machine.place())
    }

    /// The cursor goes to the line that comes next, where it has one.
    fn home(&mut self) {
        if let Some(line) = self.session().source_line(self.place()) {
            self.cursor = Some((line.file.clone(), line.number));
        }
    }

    /// The address of the first instruction that a line of the shown text made.
    fn address_of(&self, file: &str, number: usize) -> Option<u32> {
        let programs = self.session().texts_and_programs();
        let mut lines = programs.into_iter().flat_map(|program| program.lines());
        lines.find(|(_, line)| line.code && line.number == number && line.file == file).map(|row| row.0)
    }

    /// The address at the cursor, or why there is none.
    fn at_cursor(&self) -> Result<u32, Complaint> {
        let help = "move the cursor to a line with an instruction";
        let (file, number) =
            self.cursor.clone().ok_or_else(|| Complaint::new("there is no source here", help))?;
        self.address_of(&file, number)
            .ok_or_else(|| Complaint::new(format!("line {number} has no instruction"), help))
    }

    /// Does something; what came of it is said.
    pub fn act(&mut self, deed: &Deed, host: &mut dyn Host) {
        if !matches!(deed, Deed::Cursor(_) | Deed::Home | Deed::NextText | Deed::Why | Deed::Breakpoint) {
            self.before = self.registers();
            self.cells_before = self.cells();
        }
        let done = self.try_to(deed, host);
        match done {
            Ok(Some(text)) => self.said = text,
            Ok(None) => {}
            Err(complaint) => {
                let mut text = Text::new();
                text.line().tone(crate::text::Tone::Wrong, complaint.message);
                text.put("; ").put(complaint.help);
                self.said = text;
            }
        }
        if !matches!(deed, Deed::Cursor(_) | Deed::NextText | Deed::Breakpoint | Deed::Why) {
            self.home();
        }
        self.strip.follow(self.monitor.session_mut(), host);
    }

    fn line(&mut self, line: &str, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        match self.monitor.line(line, host)? {
            Reply::Done(text) => Ok(Some(text)),
            Reply::Quit => Ok(None),
        }
    }

    fn try_to(&mut self, deed: &Deed, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        match deed {
            Deed::Step => self.line("step", host),
            Deed::Over => self.line("over", host),
            Deed::Out => self.line("out", host),
            Deed::Back => self.line("back", host),
            Deed::Forth => self.line("forth", host),
            Deed::Run => self.line("run", host),
            Deed::RunBack => {
                let has_stops =
                    !self.session().breakpoints().is_empty() || !self.session().conditions().is_empty();
                let gone = has_stops && self.monitor.session_mut().back_to_stop(&mut || host.go_on());
                if gone { self.line("moment", host) } else { self.line("moment start", host) }
            }
            Deed::ToCursor => {
                let address = self.at_cursor()?;
                let limits = Limits::none().back().until(address);
                let stop = self.monitor.session_mut().run_while(limits, &mut |_| host.go_on());
                Ok(Some(self.stopped(&stop)))
            }
            Deed::BackToCursor => {
                let address = self.at_cursor()?;
                let session = self.monitor.session_mut();
                match session.back_to_address(address, &mut || host.go_on()) {
                    true => self.line("moment", host),
                    false => {
                        let message = "the run has not come to this line before";
                        Err(Complaint::new(message, "the strip shows where it has been"))
                    }
                }
            }
            Deed::Breakpoint => {
                let address = self.at_cursor()?;
                let session = self.monitor.session_mut();
                if !session.add_breakpoint(address) {
                    session.remove_breakpoint(address);
                }
                Ok(None)
            }
            Deed::Cursor(by) => {
                if let Some((file, number)) = &mut self.cursor {
                    let lines =
                        self.monitor.session().text(file).map_or(1, |text| text.lines().count()) as i64;
                    *number = (*number as i64 + by).clamp(1, lines.max(1)) as usize;
                }
                Ok(None)
            }
            Deed::Home => {
                self.home();
                Ok(None)
            }
            Deed::Along(by) => {
                let Some((first, last)) = self.session().known() else { return self.line("moment", host) };
                let length = last.cycle - first.cycle;
                let step = (length / 100).max(1);
                let now = self.session().moment();
                let to = match *by {
                    ..0 => now.cycle.saturating_sub(step * by.unsigned_abs()).max(first.cycle),
                    by => (now.cycle + step * by as u64).min(last.cycle),
                };
                let said = self.line(&format!("moment cycle {to}"), host)?;
                // Of a short run a hundredth may be less than an instruction.
                if self.session().moment() == now && *by < 0 {
                    return self.line("back", host);
                }
                Ok(said)
            }
            Deed::At(thousandths) => {
                let Some((first, last)) = self.session().known() else { return self.line("moment", host) };
                let length = u128::from(last.cycle - first.cycle);
                let to = first.cycle + (length * u128::from((*thousandths).min(1000)) / 1000) as u64;
                self.line(&format!("moment cycle {to}"), host)
            }
            Deed::Start => self.line("moment start", host),
            Deed::End => self.line("moment end", host),
            Deed::Why => {
                let of = self.worked_on()?;
                self.line(&format!("why {of}"), host)
            }
            Deed::Hazard => self.next_hazard(host),
            Deed::NextText => {
                self.next_text();
                Ok(None)
            }
            Deed::Line(line) => {
                // Where memory is asked for, its pane goes there, too.
                let words: Vec<&str> = line.split_whitespace().collect();
                if let ["memory" | "m", first, ..] = words.as_slice()
                    && let Ok(address) = self.session().evaluate(first.split("..").next().unwrap_or(first))
                {
                    self.memory = (address as u32) & self.session().processor().last_address();
                    self.cells_before = self.cells();
                }
                self.line(line, host)
            }
        }
    }

    /// The first hazard is mostly the cause of the others; from one it goes on to the next.
    fn next_hazard(&mut self, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        let session = self.monitor.session_mut();
        let (here, end) = (session.moment(), session.known().map(|known| known.1));
        // They are known as far as the run has come.
        if let Some(end) = end {
            session.go_to_cycle(end.cycle)?;
        }
        let mut found = session.hazards(&mut || host.go_on());
        found.sort_by_key(|one| one.moment);
        let next =
            found.iter().find(|one| one.moment > here && Some(one.moment) < end).or(found.first()).cloned();
        let Some(next) = next else {
            session.go_to_cycle(here.cycle)?;
            return Err(Complaint::new("there is no hazard so far", "`why PLACE` explains a value"));
        };
        session.go_to_cycle(next.moment.cycle)?;
        let mut text = crate::report::hazards(self.session(), &[next]);
        if found.len() > 1 {
            let words = format!("{} hazards in all; the same key goes to the next", found.len());
            text.line().tone(crate::text::Tone::Faint, words);
        }
        Ok(Some(text))
    }

    fn stopped(&self, stop: &Stop) -> Text {
        let at = self.session().machine().spell(self.session().stopped_at(stop));
        Text::plain(format!("stopped at {at}: {}", stop.words(self.session().processor())))
    }

    /// What the line of the cursor works on: a label or a register that it names, a value that it writes rather than one that it reads.
    fn worked_on(&self) -> Result<String, Complaint> {
        let help = "type it: `why PLACE`";
        let nothing = || Complaint::new("the line of the cursor names nothing that has a value", help);
        let address = self.at_cursor().map_err(|_| nothing())?;
        let line = self.session().line_of(address).ok_or_else(nothing)?;
        let names = line.text.split(|c: char| !(c.is_ascii_alphanumeric() || "_.?@'".contains(c))).skip(1);
        let is_code = |name: &str| {
            let value = self.session().evaluate(name).ok();
            value.is_some_and(|at| self.session().line_of(at as u32).is_some_and(|line| line.code))
        };
        let mut found = names.filter(|name| {
            let is_name = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
            is_name && !is_code(name) && self.session().whereabouts(name).is_ok()
        });
        found.next().map(str::to_string).ok_or_else(nothing)
    }

    fn next_text(&mut self) {
        let programs = self.session().texts_and_programs();
        let names: Vec<String> = programs
            .into_iter()
            .flat_map(|program| program.texts().map(|text| text.0.to_string()).collect::<Vec<_>>())
            .collect();
        let shown = self.cursor.as_ref().and_then(|cursor| names.iter().position(|name| *name == cursor.0));
        let next = shown.map_or(0, |at| (at + 1) % names.len().max(1));
        if let Some(name) = names.get(next) {
            self.cursor = Some((name.clone(), 1));
        }
    }
}

/// The first data of a program that is not in its instructions: what somebody wants to see of memory at first.
fn first_data(session: &Session) -> u32 {
    let program = session.program();
    let labels = program.map(|program| program.symbols.labels()).unwrap_or_default();
    let is_data = |at: u32| program.and_then(|program| program.line(at)).is_none_or(|line| !line.code);
    let is_own = |at: &u32| session.machine().kind(*at).is_some() && is_data(*at);
    labels.into_keys().find(is_own).unwrap_or(session.machine().place())
}
