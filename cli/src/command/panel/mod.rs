//! `panel`: the operator's view of a board, at the full screen or from a script.

mod front;
mod keys;
mod lately;
mod lights;
mod operator;
mod picture;
mod places;
mod screen;
mod text_screen;

pub use picture::svg as buffer_svg;
pub use screen::{AMBER, FAINT, LINE, SLATE, TEXT, digits_and_lamps, toned};
pub use text_screen::{draw as text_screen, whole as screen_size};

use super::{cassette, drawing};
use crate::arguments::PanelArguments;
use crate::files;
use crate::say::Failure;
use crate::serial::{Far, Place};
use crate::{open, paint, project, record};
use plain_byte::cassette::Signal;
use plain_byte::diagnostic::Problem;
use plain_byte::machine::Machine;
use plain_byte::panel::{Files, Panel, Script};
use plain_byte::session::Session;
use std::io::IsTerminal;

pub fn run(arguments: &PanelArguments) -> Result<(), Failure> {
    let size = size(&arguments.size)?;
    // A script in the place of the program would be answered as a source full of mistakes.
    if let Some(script) = arguments.program.as_deref().filter(|name| name.ends_with(".panel")) {
        let help = format!("give it with --script {script}, and the board with --board NAME");
        return Err(Failure::usage(format!("{script} is a panel script, not a program"), help));
    }
    let mut session = session(arguments)?;
    if let Some(tape) = &arguments.tape {
        let tape = plain_byte::machine::Event::Tape(files::must_read(tape)?);
        session.happen(tape).map_err(|error| {
            Failure::usage(error.to_string(), "`plainbyte boards` shows which have a reader")
        })?;
    }
    if let Some(file) = &arguments.cassette {
        cassette::insert(&mut session, file)?;
    }
    if arguments.punch.is_some() && session.machine().punched().is_none() {
        let message = format!("the board {} has no tape punch", session.machine().board().name);
        return Err(Failure::usage(message, "leave --punch out"));
    }
    let mut panel = Panel::new(session);
    let record = &arguments.target.record;
    if let Some(script) = &arguments.script {
        let ran = run_script(script, &mut panel, size, arguments.json);
        ran.and(record::keep(panel.session(), record))?;
        if let (Some(file), Some(tape)) = (&arguments.punch, panel.session().machine().punched()) {
            files::must_write(file, tape)?;
        }
        keep_cassette(panel.session().machine(), arguments.cassette.as_deref())?;
    } else if arguments.picture.is_some() {
        panel.look();
    } else if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        let help = "open it at a terminal, or give it a script with --script";
        return Err(Failure::usage("the panel needs a terminal", help));
    } else {
        let place = arguments.console;
        if place == Some(Place::Stdio) {
            let help = "the panel has this terminal; use pty or tcp:PORT, or `plainbyte run --console stdio`";
            return Err(Failure::usage("the console cannot be here as well", help));
        }
        let far = place.map(|place| Far::open_for(panel.session().machine(), place, None)).transpose()?;
        return operator::operate(panel, far, arguments);
    }
    match &arguments.picture {
        Some(file) => drawing::write(file, &seen(&mut panel, size)),
        None => Ok(()),
    }
}

/// Keeps what was recorded on the cassette that was put in from a file.
fn keep_cassette(machine: &Machine, file: Option<&str>) -> Result<(), Failure> {
    let (Some(file), Some(wav)) = (file, cassette::recorded(machine)) else { return Ok(()) };
    let name = cassette::kept_as(file);
    files::must_write(&name, &wav)?;
    paint::note(&format!("what was recorded is in {name}"));
    Ok(())
}

/// Columns and lines, with an `x` between.
pub fn size(text: &str) -> Result<(u16, u16), Failure> {
    let sides = text.split_once(['x', 'X']);
    let sides = sides.and_then(|(columns, lines)| Some((columns.parse().ok()?, lines.parse().ok()?)));
    sides.filter(|(columns, lines)| (20..=400).contains(columns) && (8..=200).contains(lines)).ok_or_else(
        || {
            Failure::usage(
                format!("`{text}` is not a size of a panel"),
                "write columns and lines from 20x8 to 400x200, such as 128x40",
            )
        },
    )
}

/// A picture of what is to be seen now, as the eye sees it: lights that come in turn are averaged.
fn seen(panel: &mut Panel, size: (u16, u16)) -> String {
    let mut view = panel.look();
    for _ in 0..8 {
        view = panel.look().behind(&view);
    }
    picture::of_panel(panel, &view, size, None)
}

/// The board, with the program in its memory.
fn session(arguments: &PanelArguments) -> Result<Session, Failure> {
    let mut target = arguments.target.clone();
    if arguments.program.is_some() || project::look()?.is_some() {
        let program = project::program(arguments.program.as_ref(), &mut target)?;
        return open::session(&program, &target);
    }
    match target.board.as_deref() {
        Some(board) => open::empty(board, &target),
        None => Err(Failure::usage("which board's panel?", "name it with --board, for example --board tern")),
    }
}

fn run_script(name: &str, panel: &mut Panel, size: (u16, u16), json: bool) -> Result<(), Failure> {
    let name = if name == "-" { name.to_string() } else { files::find(name, &["panel"]) };
    let text = String::from_utf8_lossy(&files::must_read(&name)?).into_owned();
    let script = Script::parse(&text).map_err(|diagnostics| {
        let mut sources = plain_byte::diagnostic::Sources::default();
        sources.add(&name, &text, None);
        Failure::Places { sources, diagnostics, more: 0, status: 1 }
    })?;
    let ran =
        script.run(panel, &mut Disk { size }).map_err(|wrong| Failure::in_text(&name, &text, *wrong, 1))?;
    if json {
        let lines: Vec<String> = ran.text.to_string().lines().map(String::from).collect();
        super::print_json(&serde_json::json!({ "failed": ran.failed, "lines": lines }))?;
    } else {
        paint::show(&ran.text)?;
    }
    match ran.failed {
        0 => Ok(()),
        1 => Err(Failure::input("one look saw something else", "the line above says what")),
        many => Err(Failure::input(format!("{many} looks saw something else"), "the lines above say what")),
    }
}

/// The files that a script names, as seen from here.
struct Disk {
    /// Of pictures.
    size: (u16, u16),
}

impl Files for Disk {
    fn picture(&mut self, panel: &mut Panel, file: &str) -> Result<(), Problem> {
        drawing::save(file, &seen(panel, self.size)).map_err(|failure| failure.sentence().into())
    }

    fn tape(&mut self, file: &str) -> Result<Vec<u8>, Problem> {
        files::read(file).map_err(|problem| format!("{file} cannot be read: {problem}").into())
    }

    fn punched(&mut self, file: &str, tape: &[u8]) -> Result<(), Problem> {
        files::must_write(file, tape).map_err(|failure| failure.sentence().into())
    }

    fn cassette(&mut self, file: &str) -> Result<Signal, Problem> {
        cassette::cassette(file).map_err(|failure| failure.sentence().into())
    }

    fn recorded(&mut self, file: &str, tape: &Signal) -> Result<(), Problem> {
        files::must_write(file, &cassette::wav_of(tape)).map_err(|failure| failure.sentence().into())
    }
}
