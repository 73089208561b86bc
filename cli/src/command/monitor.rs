//! `monitor`: the machine monitor at a terminal, or reading a script.

use crate::arguments::{MonitorArguments, RecordArguments};
use crate::disk;
use crate::files::Files;
use crate::link;
use crate::open;
use crate::paint;
use crate::platform;
use crate::project;
use crate::record;
use crate::say::Failure;
use crate::signals;
use crate::terminal::{Shows, Taken};
use plain_byte::assembler::{Loaded, Loader};
use plain_byte::diagnostic::Problem;
use plain_byte::monitor::{Host, Monitor, Reply};
use rustyline::completion::{Completer, Pair};
use rustyline::error::ReadlineError;
use rustyline::history::DefaultHistory;
use rustyline::{Context, Editor, Helper, Highlighter, Hinter, Validator};
use std::io::{BufRead, IsTerminal, Write};

pub fn run(arguments: &MonitorArguments) -> Result<(), Failure> {
    let mut target = arguments.target.clone();
    let of_project = arguments.program.is_none() && project::look()?.is_some();
    let mut session = match &arguments.program {
        named if let Some(place) = &arguments.link.link => match named {
            Some(program) => link::loaded(program, &target, place, arguments.link.log.as_deref())?,
            None => {
                link::has_no_disk(&target.disk)?;
                link::open(place, arguments.link.log.as_deref())?
            }
        },
        named if named.is_some() || of_project => {
            let program = project::program(named.as_ref(), &mut target)?;
            open::session(&program, &target)?
        }
        _ => open::empty(target.board.as_deref().unwrap_or("bare"), &target)?,
    };
    signals::listen();
    open::heed(&mut session, &target.warnings);
    let monitor = Monitor::new(session);
    let record = &arguments.target.record;
    if std::io::stdin().is_terminal() { converse(monitor, record) } else { read_script(monitor, record) }
}

/// A script on standard input: every line is carried out, and the first that cannot be ends it.
fn read_script(mut monitor: Monitor, record: &RecordArguments) -> Result<(), Failure> {
    let carried_out = carry_out(&mut monitor);
    // Whatever ended it, what the program has changed is written back.
    let saved = record::keep(monitor.session(), record);
    carried_out.and(saved)
}

/// How often a line of a script is asked whether it goes on; nobody is there to stop it.
pub const TURNS: u32 = 500;

/// The files, and the end of a line that has none.
pub struct Script {
    pub left: u32,
}

impl Loader for Script {
    fn resolve(&self, name: &str, from: Option<&str>) -> String {
        Files.resolve(name, from)
    }

    fn load(&mut self, name: &str, from: Option<&str>) -> Result<Loaded, Problem> {
        Files.load(name, from)
    }
}

impl Host for Script {
    fn write(&mut self, name: &str, bytes: &[u8]) -> Result<(), Problem> {
        Files.write(name, bytes)
    }

    fn go_on(&mut self) -> bool {
        self.left = self.left.saturating_sub(1);
        self.left > 0 && Files.go_on()
    }
}

fn carry_out(monitor: &mut Monitor) -> Result<(), Failure> {
    for (number, line) in std::io::stdin().lock().split(b'\n').enumerate() {
        let line = String::from_utf8_lossy(&line?).trim_end().to_string();
        let mut host =
            Script { left: if monitor.session().machine().is_linked() { u32::MAX } else { TURNS } };
        let done = monitor.line(&line, &mut host);
        if host.left == 0 {
            let message = format!(
                "line {} of the script, `{line}`, does not end within {TURNS} turns of 4 000 000 cycles",
                number + 1
            );
            return Err(Failure::input(message, "give it an end with `until` or `stop at`"));
        }
        match done {
            Ok(Reply::Done(text)) => paint::show(&text)?,
            Ok(Reply::Quit) => break,
            Err(complaint) => {
                let message = format!("line {} of the script, `{line}`: {}", number + 1, complaint.message);
                return Err(Failure::input(message, complaint.help));
            }
        }
        disk::look(monitor.session());
        if signals::is_ended() {
            break;
        }
    }
    Ok(())
}

fn converse(monitor: Monitor, record: &RecordArguments) -> Result<(), Failure> {
    paint::show(&monitor.greeting())?;
    let terminal =
        |error: ReadlineError| Failure::input(format!("the terminal does not answer: {error}"), "");
    platform::keep_terminal();
    let mut editor: Editor<Words, DefaultHistory> = Editor::new().map_err(terminal)?;
    editor.set_helper(Some(Words { monitor }));
    let _taken = Taken::new(give_back, Shows::Lines)?;
    let history = history_file();
    if let Some(file) = &history {
        let _ = editor.load_history(file);
    }
    loop {
        let prompt = editor.helper().map(|words| words.monitor.prompt()).unwrap_or_default();
        match editor.readline(&prompt) {
            Ok(line) => {
                // What is pasted may be several lines.
                let mut ends = false;
                let is_empty = line.trim().is_empty();
                let lines = if is_empty { vec![""] } else { line.lines().collect() };
                for line in lines {
                    if !is_empty {
                        let _ = editor.add_history_entry(line);
                    }
                    let Some(words) = editor.helper_mut() else { break };
                    let done = match is_empty {
                        true => words.monitor.again(&mut Files),
                        false => words.monitor.line(line, &mut Files),
                    };
                    match done {
                        Ok(Reply::Done(text)) => paint::show(&text)?,
                        Ok(Reply::Quit) => ends = true,
                        Err(complaint) => paint::complain(&complaint.message, &complaint.help),
                    }
                    if ends || signals::is_ended() {
                        ends = true;
                        break;
                    }
                }
                // Who waits for a line cannot write anything back: a signal ends that.
                if let Some(words) = editor.helper() {
                    let _ = record::keep_going(words.monitor.session(), record);
                }
                if ends {
                    break;
                }
            }
            // Ctrl-C leaves the line, Ctrl-D leaves the monitor.
            Err(ReadlineError::Interrupted) => {}
            Err(ReadlineError::Eof) => break,
            Err(error) => return Err(terminal(error)),
        }
    }
    if let Some(file) = &history {
        let _ = editor.save_history(file);
    }
    editor.helper().map_or(Ok(()), |words| record::keep(words.monitor.session(), record))
}

/// Gives the terminal back in the middle of a line.
fn give_back() {
    platform::give_terminal_back();
    // What is pasted comes as it is typed again.
    let mut out = std::io::stdout();
    let _ = out.write_all(b"\x1b[?2004l").and_then(|()| out.flush());
}

/// Where lines are remembered from one evening to the next.
fn history_file() -> Option<std::path::PathBuf> {
    let state = std::env::var_os("XDG_STATE_HOME").map(std::path::PathBuf::from);
    let home = || std::env::var_os("HOME").map(|home| std::path::PathBuf::from(home).join(".local/state"));
    let folder = state.or_else(home)?.join("plainbyte");
    std::fs::create_dir_all(&folder).ok()?;
    Some(folder.join("monitor-history"))
}

#[derive(Helper, Highlighter, Hinter, Validator)]
struct Words {
    monitor: Monitor,
}

impl Completer for Words {
    type Candidate = Pair;

    fn complete(&self, line: &str, at: usize, _: &Context<'_>) -> rustyline::Result<(usize, Vec<Pair>)> {
        let (start, names) = self.monitor.complete(&line[..at]);
        Ok((start, names.into_iter().map(|name| Pair { display: name.clone(), replacement: name }).collect()))
    }
}
