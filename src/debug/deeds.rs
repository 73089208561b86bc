//! What the keys do: most of it in the words of the monitor.

use super::{Debugger, Pane};
use crate::monitor::{Complaint, Host, Reply};
use crate::session::{Limits, Stop};
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
    /// Moves the cursor by so many rows.
    Cursor(i64),
    /// Moves the cursor by so many values to the right, or to the left.
    Sideways(i64),
    /// The cursor goes to the next pane.
    NextPane,
    /// What the cursor stands on gets another value.
    Change(String),
    /// Takes the last change in place back.
    Undo,
    /// Shows what the line of the cursor wrote out, or no more.
    Unfold,
    /// Watches what the cursor stands on, or no more.
    Watch,
    /// The next radix of the memory pane.
    Radix,
    /// Prepares a case of the table, by its place in the list.
    Case(usize),
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

impl Deed {
    /// True where the machine may stand elsewhere afterwards, or hold something else.
    pub(super) fn moves_machine(&self) -> bool {
        use Deed::{Breakpoint, Cursor, NextPane, NextText, Radix, Sideways, Unfold, Watch, Why};
        !matches!(
            self,
            Cursor(_) | Sideways(_) | NextPane | NextText | Radix | Breakpoint | Unfold | Watch | Why
        )
    }
}

impl Debugger {
    pub(super) fn line(&mut self, line: &str, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        match self.monitor.line(line, host)? {
            Reply::Done(text) => Ok(Some(text)),
            Reply::Quit => Ok(None),
        }
    }

    pub(super) fn try_to(&mut self, deed: &Deed, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
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
                let begin = self.session().moment();
                let limits = Limits::none().back().until(address);
                let stop = self.monitor.session_mut().run_while(limits, &mut |_| host.go_on());
                match self.monitor.stop_at_denied(begin, host) {
                    Some(said) => said.map(Some),
                    None => Ok(Some(self.stopped(&stop))),
                }
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
                match self.pane {
                    Pane::Source => self.move_cursor(*by),
                    Pane::Registers => self.move_spot(*by),
                    Pane::Memory => self.move_spot(by * i64::from(self.per_row())),
                }
                Ok(None)
            }
            Deed::Sideways(by) => {
                self.move_spot(*by);
                Ok(None)
            }
            Deed::NextPane => {
                self.next_pane();
                Ok(None)
            }
            Deed::Change(value) => self.change(value, host),
            Deed::Undo => self.undo(host),
            Deed::Unfold => self.unfold().map(|()| None),
            Deed::Watch => self.watch_spot(host),
            Deed::Radix => Ok(Some(self.next_radix())),
            Deed::Case(number) => self.start_case(*number),
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
                    self.cell = self.memory;
                    self.cells_before = self.cells();
                }
                self.line(line, host)
            }
        }
    }

    /// Runs on for so many cycles, as part of a run that somebody watches: true where it goes on after that. What ends it is said.
    pub fn run_for(&mut self, cycles: u64, host: &mut dyn Host) -> bool {
        let continued = std::mem::replace(&mut self.is_running, true);
        if !continued {
            self.note_before();
        }
        let begin = self.session().moment();
        let limits = Limits::none().back().cycles(cycles).continued(continued);
        let stop = self.monitor.session_mut().run_while(limits, &mut |_| host.go_on());
        let denied = self.monitor.stop_at_denied(begin, host);
        self.home();
        self.look_at_board();
        if let Some(Ok(said)) = denied {
            self.end_run(host);
            self.said = said;
            return false;
        }
        if stop == Stop::Cycles {
            return true;
        }
        self.end_run(host);
        self.said = self.stopped(&stop);
        false
    }

    /// The run that somebody watches ends here.
    pub fn end_run(&mut self, host: &mut dyn Host) {
        self.is_running = false;
        self.said = self.stopped(&Stop::Operator);
        self.strip.follow(self.monitor.session_mut(), host);
    }

    /// True while a run goes on that somebody watches.
    pub fn is_running(&self) -> bool {
        self.is_running
    }

    /// Somebody types characters at the board's console.
    pub fn type_at_console(&mut self, text: &str) {
        let typed = crate::machine::Event::Typed(text.as_bytes().to_vec());
        if let Err(error) = self.monitor.session_mut().happen(typed) {
            self.said = Text::plain(error.to_string());
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

    /// Watches what the cursor stands on; what is watched already is no longer watched.
    fn watch_spot(&mut self, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        let of = match self.worked_on()? {
            // A label means its cell.
            name if self.is_label(&name) => format!("cell {name}"),
            words => words.strip_prefix("flag ").map_or(words.clone(), str::to_string),
        };
        let is_watched = self.monitor.watches().iter().any(|one| one.text().eq_ignore_ascii_case(&of));
        match is_watched {
            true => self.line(&format!("forget {of}"), host),
            false => {
                self.line(&format!("watch {of}"), host).map(|_| Some(Text::plain(format!("{of} is watched"))))
            }
        }
    }

    fn is_label(&self, name: &str) -> bool {
        self.session().texts_and_programs().iter().any(|one| one.symbols.value(name).is_some())
    }

    fn stopped(&self, stop: &Stop) -> Text {
        let at = self.session().machine().spell(self.session().stopped_at(stop));
        Text::plain(format!("stopped at {at}: {}", stop.words(self.session().processor())))
    }

    /// What the line of the cursor works on: a label or a register that it names, a value that it writes rather than one that it reads.
    fn worked_on(&self) -> Result<String, Complaint> {
        if let Some(words) = self.spot_words() {
            return Ok(words);
        }
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
}
