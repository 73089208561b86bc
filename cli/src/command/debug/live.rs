//! The debugger at the terminal: keys and the mouse, a run that can be watched, and a build after each save.

use super::keys::{self, Key};
use super::screen::{Screen, Spot, memory_width};
use super::work::Work;
use crate::say::Failure;
use crate::terminal::{Shows, Taken};
use crate::watch::Watcher;
use crossterm::event::{self, Event as Input, KeyEventKind, MouseButton, MouseEvent, MouseEventKind};
use plain_byte::debug::Deed;
use std::time::{Duration, Instant};

/// The screen is drawn anew so often while a run goes on.
const FRAME: Duration = Duration::from_millis(40);
/// Where nothing goes on, files are looked at so often.
const LOOK: Duration = Duration::from_millis(150);
/// Cycles of a run between two looks at the time.
const SLICE: u64 = 400_000;

/// Works it at the terminal until somebody leaves.
pub fn operate(work: &mut Work) -> Result<(), Failure> {
    let wrong = |error: std::io::Error| Failure::input(format!("the terminal: {error}"), "try another one");
    // Where files cannot be watched, a key builds again.
    let mut watcher = Watcher::new().ok();
    // It is given back below. Dropped, it would tell on a terminal that is gone that it is gone, and panic.
    let mut terminal = std::mem::ManuallyDrop::new(ratatui::try_init().map_err(wrong)?);
    let taken = Taken::new(
        || {
            let _ =
                crossterm::execute!(std::io::stdout(), event::DisableMouseCapture, crossterm::cursor::Show);
            let _ = ratatui::try_restore();
        },
        Shows::Picture,
    )?;
    let _ = crossterm::execute!(std::io::stdout(), event::EnableMouseCapture);
    let mut screen = Screen::default();
    let mut is_new = true;
    while !work.quit && !taken.is_ended() {
        if std::mem::take(&mut is_new) {
            let width = terminal.size().map_err(wrong)?.width;
            work.debugger.fit(memory_width(width), screen.memory);
            terminal.draw(|frame| screen.draw(frame, work)).map_err(wrong)?;
        }
        if let Some(watcher) = &mut watcher {
            let _ = watcher.follow();
            if watcher.changed() {
                work.build_again();
                is_new = true;
                continue;
            }
        }
        let wait = if work.running.is_some() { Duration::ZERO } else { LOOK };
        if event::poll(wait).map_err(wrong)? {
            is_new = true;
            match event::read().map_err(wrong)? {
                Input::Key(key) if key.kind != KeyEventKind::Release => {
                    if let Some(key) = keys::of_terminal(key) {
                        pressed(work, key);
                    }
                }
                Input::Mouse(mouse) => clicked(work, &screen, mouse),
                _ => {}
            }
        } else if let Some(real) = work.running {
            run_on(work, real);
            is_new = true;
        }
    }
    drop(taken);
    Ok(())
}

/// A key; while a run goes on it ends that, or goes to the board's console.
fn pressed(work: &mut Work, key: Key) {
    let Some(real) = work.running else { return work.press(key) };
    match key {
        Key::Letter(letter) if real => work.debugger.type_at_console(&letter.to_string()),
        Key::Enter if real => work.debugger.type_at_console("\r"),
        _ => {
            work.running = None;
            let mut host = work.host();
            work.debugger.end_run(&mut host);
        }
    }
}

/// Lets the machine run for the time of a frame.
fn run_on(work: &mut Work, real: bool) {
    let began = Instant::now();
    let clock = work.debugger.session().machine().board().clock;
    let frame = (u128::from(clock) * FRAME.as_millis() / 1000) as u64;
    let mut left = if real { frame.max(1) } else { u64::MAX };
    let mut host = work.host();
    while left > 0 && (real || began.elapsed() < FRAME) {
        let now = left.min(SLICE);
        left -= now;
        if !work.debugger.run_for(now, &mut host) {
            work.running = None;
            return;
        }
    }
    if real {
        // Keys are waited for meanwhile.
        let _ = event::poll(FRAME.saturating_sub(began.elapsed()));
    }
}

fn clicked(work: &mut Work, screen: &Screen, mouse: MouseEvent) {
    if work.running.is_some() {
        return;
    }
    let spot = screen.spot(mouse.column, mouse.row);
    let deed = match mouse.kind {
        MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) => match spot {
            Some(Spot::Strip(thousandths)) => Deed::At(thousandths),
            Some(Spot::Line(by)) => Deed::Cursor(by),
            None => return,
        },
        MouseEventKind::Down(MouseButton::Right) => {
            let Some(Spot::Line(by)) = spot else { return };
            work.act(&Deed::Cursor(by));
            Deed::Breakpoint
        }
        MouseEventKind::ScrollUp => Deed::Cursor(-3),
        MouseEventKind::ScrollDown => Deed::Cursor(3),
        _ => return,
    };
    work.act(&deed);
}
