//! Somebody at work with the debugger: keys and what they do, the list of cases, a build after a save.

use super::keys::{self, Key, Pressed, Typing};
use crate::arguments::TargetArguments;
use crate::command::monitor::{Script, TURNS};
use crate::files;
use crate::open;
use crate::say::Failure;
use crate::signals;
use plain_byte::debug::{CaseRow, Debugger, Deed};
use plain_byte::session::cases::Cases;
use plain_byte::text::{Text, Tone};

/// A run that somebody watches goes on for so long at most where a script presses the key.
const SECOND: u64 = 1;

/// What lies over the screen.
#[derive(Debug, Default)]
pub enum Over {
    #[default]
    Nothing,
    Help,
    /// The cases, and which of them the cursor is at.
    Cases(Vec<CaseRow>, usize),
}

/// A debugger that somebody works, and what is being typed.
pub struct Work {
    pub debugger: Debugger,
    pub typing: Option<Typing>,
    pub over: Over,
    /// The board is shown in place of the source.
    pub board: bool,
    pub quit: bool,
    /// A run goes on: at the board's own speed, or not.
    pub running: Option<bool>,
    /// So often a key of a script is asked whether it goes on; nobody is there to stop it.
    patience: u32,
    /// It is worked at a terminal.
    is_live: bool,
    program: String,
    target: TargetArguments,
    /// The case table, where one is named.
    cases: Option<String>,
}

impl Work {
    /// Somebody at a program, with its case table; at a terminal, or with a script of keys.
    pub fn new(
        program: String,
        target: TargetArguments,
        cases: Option<String>,
        is_live: bool,
    ) -> Result<Self, Failure> {
        let mut session = open::session(&program, &target)?;
        open::heed(&mut session, &target.warnings);
        let debugger = Debugger::new(session);
        let (typing, over) = (None, Over::Nothing);
        let (board, quit, running) = (false, false, None);
        let patience = if is_live { u32::MAX } else { TURNS };
        let mut work =
            Self { debugger, typing, over, board, quit, running, patience, is_live, program, target, cases };
        work.read_cases()?;
        Ok(work)
    }

    pub fn host(&self) -> Script {
        Script { left: self.patience }
    }

    pub fn act(&mut self, deed: &Deed) {
        // What was pressed before this has nothing to do with it.
        let _ = signals::was_stopped();
        let mut host = self.host();
        self.debugger.act(deed, &mut host);
    }

    pub fn press(&mut self, key: Key) {
        match &mut self.over {
            Over::Nothing => {}
            Over::Help => return self.over = Over::Nothing,
            Over::Cases(rows, at) => {
                match key {
                    Key::Up => *at = at.saturating_sub(1),
                    Key::Down => *at = (*at + 1).min(rows.len().saturating_sub(1)),
                    Key::Enter => {
                        let number = *at;
                        self.over = Over::Nothing;
                        self.act(&Deed::Case(number));
                    }
                    _ => self.over = Over::Nothing,
                }
                return;
            }
        }
        match keys::pressed(&mut self.typing, key, &self.debugger) {
            Pressed::Nothing => {}
            Pressed::Deed(deed) => self.act(&deed),
            Pressed::Help => self.over = Over::Help,
            Pressed::Quit => self.quit = true,
            Pressed::Board => self.board = !self.board,
            Pressed::Again => self.build_again(),
            Pressed::Cases => self.show_cases(),
            Pressed::Run { real } if self.is_live => self.running = Some(real),
            Pressed::Run { real: false } => self.act(&Deed::Run),
            Pressed::Run { real: true } => {
                let (mut host, clock) = (self.host(), self.debugger.session().machine().board().clock);
                if self.debugger.run_for(SECOND * clock, &mut host) {
                    self.debugger.end_run(&mut host);
                }
            }
        }
    }

    fn complain(&mut self, message: &str, help: &str) {
        let mut text = Text::toned(Tone::Wrong, message);
        if !help.is_empty() {
            text.put("; ").put(help);
        }
        self.debugger.say(text);
    }

    fn show_cases(&mut self) {
        match self.debugger.case_rows() {
            Ok(rows) => self.over = Over::Cases(rows, 0),
            Err(complaint) => self.complain(&complaint.message, &complaint.help),
        }
    }

    /// Reads the case table, and gives it to the debugger: the one that is named, or the one beside the program.
    fn read_cases(&mut self) -> Result<(), Failure> {
        let beside = || {
            let file = files::table_beside(&self.program);
            std::path::Path::new(&file).is_file().then_some(file)
        };
        let named = self.cases.as_ref().map(|name| files::find_table(name));
        let Some(file) = named.or_else(beside) else {
            return Ok(());
        };
        let text = String::from_utf8_lossy(&files::must_read(&file)?).into_owned();
        let cases = Cases::parse(&text).map_err(|wrong| Failure::in_text(&file, &text, *wrong, 1))?;
        // The board of the table counts for it alone.
        let mut target = TargetArguments { warnings: open::no_warnings(), ..self.target.clone() };
        target.without.extend(cases.without.iter().cloned());
        target.define.extend(cases.defines.iter().map(|(name, value)| format!("{name}={value}")));
        target.record = crate::arguments::RecordArguments::default();
        let mut fresh = open::session(&self.program, &target)?;
        open::heed(&mut fresh, &self.target.warnings);
        self.debugger.set_cases(cases, fresh);
        Ok(())
    }

    /// Builds the program again and goes on with it; where it has errors the first is said, and the old one stays.
    pub fn build_again(&mut self) {
        match open::again(&self.program, &self.target) {
            Ok(mut session) => {
                open::heed(&mut session, &self.target.warnings);
                self.running = None;
                self.debugger.exchange(session);
                if self.debugger.has_cases()
                    && let Err(failure) = self.read_cases()
                {
                    self.complain(&format!("the case table: {}", failure.sentence()), "the old one stays");
                }
            }
            Err(Failure::Places { sources, diagnostics, .. }) if !diagnostics.is_empty() => {
                use plain_byte::diagnostic::Severity;
                let errors = diagnostics.iter().filter(|one| one.severity == Severity::Error);
                let first = errors.clone().next().unwrap_or(&diagnostics[0]);
                let span = sources.origin(first.span);
                let (place, file) =
                    (sources.place(span), sources.get(span.source).map_or("", |one| &one.name));
                let more = match errors.count() {
                    0 | 1 => String::new(),
                    count => format!(" (and {} more)", count - 1),
                };
                let message =
                    format!("not built, the old one stays: {}:{}: {}{more}", file, place.line, first.message);
                let help = first.help.clone();
                self.complain(&message, &help);
            }
            Err(failure) => self.complain(&format!("not built: {}", failure.sentence()), ""),
        }
    }
}
