//! `debug`: a program at the full screen, source, registers, memory and the whole run as a strip of time; or its keys from a script.

mod keys;
mod screen;

use super::drawing;
use super::monitor::{Script, TURNS};
use super::panel::{buffer_svg, size};
use crate::arguments::DebugArguments;
use crate::say::Failure;
use crate::terminal::{Shows, Taken};
use crate::{open, project, record, signals};
use crossterm::event::{self, Event as Input, KeyEventKind, MouseButton, MouseEventKind};
use keys::{Key, Pressed, Typing};
use plain_byte::debug::{Debugger, Deed};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use screen::{Screen, Spot};
use std::io::IsTerminal;

pub fn run(arguments: &DebugArguments) -> Result<(), Failure> {
    let size = size(&arguments.size)?;
    let mut target = arguments.target.clone();
    let program = project::program(arguments.program.as_ref(), &mut target)?;
    let session = open::session(&program, &target)?;
    let patience = if arguments.keys.is_some() { TURNS } else { u32::MAX };
    let mut work =
        Work { debugger: Debugger::new(session), typing: None, help: false, quit: false, patience };
    if let Some(keys) = &arguments.keys {
        for key in keys::script(keys)? {
            work.press(key);
        }
    } else if arguments.picture.is_none() {
        if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
            let help = "open it at a terminal, or give it keys with --keys";
            return Err(Failure::usage("the debugger needs a terminal", help));
        }
        let left = operate(&mut work);
        // Whatever ended it, what the program has changed is written back.
        let kept = record::keep(work.debugger.session(), &target.record);
        return left.and(kept);
    }
    record::keep(work.debugger.session(), &target.record)?;
    // Drawing into memory cannot fail.
    let Ok(mut terminal) = Terminal::new(TestBackend::new(size.0, size.1));
    let Ok(_) = terminal.draw(|frame| Screen::default().draw(frame, &work));
    match &arguments.picture {
        Some(file) => drawing::write(file, &buffer_svg(terminal.backend().buffer())),
        None => {
            let buffer = terminal.backend().buffer();
            for y in 0..buffer.area.height {
                let line: String = (0..buffer.area.width).map(|x| buffer[(x, y)].symbol()).collect();
                println!("{}", line.trim_end());
            }
            Ok(())
        }
    }
}

/// A debugger that somebody works, and what is being typed.
pub struct Work {
    pub debugger: Debugger,
    pub typing: Option<Typing>,
    pub help: bool,
    quit: bool,
    /// So often a key of a script is asked whether it goes on; nobody is there to stop it.
    patience: u32,
}

impl Work {
    fn act(&mut self, deed: &Deed) {
        // What was pressed before this has nothing to do with it.
        let _ = signals::was_stopped();
        self.debugger.act(deed, &mut Script { left: self.patience });
    }

    fn press(&mut self, key: Key) {
        if std::mem::take(&mut self.help) {
            return;
        }
        match keys::pressed(&mut self.typing, key, &self.debugger) {
            Pressed::Nothing => {}
            Pressed::Deed(deed) => self.act(&deed),
            Pressed::Help => self.help = true,
            Pressed::Quit => self.quit = true,
        }
    }
}

/// Works it at the terminal until somebody leaves.
fn operate(work: &mut Work) -> Result<(), Failure> {
    let wrong = |error: std::io::Error| Failure::input(format!("the terminal: {error}"), "try another one");
    let mut terminal = ratatui::try_init().map_err(wrong)?;
    let taken = Taken::new(
        || {
            let _ = crossterm::execute!(std::io::stdout(), event::DisableMouseCapture);
            ratatui::restore();
        },
        Shows::Picture,
    )?;
    let _ = crossterm::execute!(std::io::stdout(), event::EnableMouseCapture);
    let mut screen = Screen::default();
    while !work.quit && !taken.is_ended() {
        terminal.draw(|frame| screen.draw(frame, work)).map_err(wrong)?;
        match event::read().map_err(wrong)? {
            Input::Key(key) if key.kind != KeyEventKind::Release => {
                if let Some(key) = keys::of_terminal(key) {
                    work.press(key);
                }
            }
            Input::Mouse(mouse) => {
                let deed = match mouse.kind {
                    MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) => {
                        match screen.spot(mouse.column, mouse.row) {
                            Some(Spot::Strip(thousandths)) => Some(Deed::At(thousandths)),
                            Some(Spot::Line(by)) => Some(Deed::Cursor(by)),
                            None => None,
                        }
                    }
                    MouseEventKind::Down(MouseButton::Right) => match screen.spot(mouse.column, mouse.row) {
                        Some(Spot::Line(by)) => {
                            work.act(&Deed::Cursor(by));
                            Some(Deed::Breakpoint)
                        }
                        _ => None,
                    },
                    MouseEventKind::ScrollUp => Some(Deed::Cursor(-3)),
                    MouseEventKind::ScrollDown => Some(Deed::Cursor(3)),
                    _ => None,
                };
                deed.iter().for_each(|deed| work.act(deed));
            }
            _ => {}
        }
    }
    drop(taken);
    Ok(())
}
