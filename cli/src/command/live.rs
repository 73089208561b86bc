//! A run with somebody at the console.

use crate::arguments::{RunArguments, Speed};
use crate::disk;
use crate::paint;
use crate::say::Failure;
use crate::serial::log::Log;
use crate::serial::{Far, Place};
use plain_byte::machine::Event;
use plain_byte::number::thousands;
use plain_byte::session::{Limits, Session, Stop};
use std::io::{IsTerminal, Write};
use std::sync::mpsc::Receiver;
use std::time::{Duration, Instant};

/// More characters than this do not wait in the machine.
pub const MOST_TYPED: usize = 1 << 16;

/// Who sees the console while the machine runs, and types at it.
pub enum Live {
    /// What the console says goes to standard output; lines are typed where that is a terminal.
    Lines { print: bool, typed: Option<Receiver<Vec<u8>>>, shown: bool },
    /// The far end of the serial line.
    Far(Far),
}

/// What is attached to the console, where the run has time for it.
pub fn live(session: &Session, arguments: &RunArguments, speed: Speed) -> Result<Option<Live>, Failure> {
    let Some(place) = arguments.console else {
        let typed = || std::io::stdin().is_terminal().then(read_keyboard);
        let lines = || Live::Lines { print: !arguments.json, typed: typed(), shown: false };
        return Ok((speed == Speed::Real && !arguments.trace.is_wanted()).then(lines));
    };
    if place == Place::Stdio && arguments.json {
        let help = "attach the console by pty or tcp:0, or leave --json out";
        return Err(Failure::usage("the console and the result would both go to standard output", help));
    }
    let log = arguments.link.log.as_deref().map(Log::open).transpose()?;
    let far = Far::open_for(session.machine(), place, log.as_ref())?;
    let _ = writeln!(std::io::stderr(), "console at {}", far.title);
    Ok(Some(Live::Far(far)))
}

impl Live {
    fn send(&mut self, bytes: &[u8]) -> Result<(), Failure> {
        match self {
            Self::Lines { print: true, shown, .. } => {
                std::io::stdout().lock().write_all(&paint::harmless(bytes))?;
                std::io::stdout().flush()?;
                *shown |= !bytes.is_empty();
            }
            Self::Lines { .. } => {}
            Self::Far(far) => far.send(bytes),
        }
        Ok(())
    }

    fn typed(&self) -> Vec<u8> {
        match self {
            Self::Lines { typed, .. } => typed.iter().flat_map(Receiver::try_iter).flatten().collect(),
            Self::Far(far) => far.typed(),
        }
    }
}

/// Runs with somebody at the console: no faster than the board's clock, or as fast as it can.
///
/// Where the console is a line to somewhere else, the board stays when its program has ended, as one on a bench does, until
/// somebody ends the command or hangs up.
pub fn run_live(
    session: &mut Session,
    limits: Limits,
    speed: Speed,
    live: &mut Live,
    end_now: &mut dyn FnMut() -> bool,
) -> Result<Stop, Failure> {
    const FRAME: Duration = Duration::from_millis(20);
    let clock = session.machine().board().clock;
    let began_at = session.machine().cycles();
    let (mut first, mut began) = (began_at, Instant::now());
    let mut sent = 0;
    let mut frame = 1;
    let stop = loop {
        // Whole frames from the beginning, so that rounding never adds up.
        let end = first + (u128::from(clock) * FRAME.as_micros() * frame / 1_000_000) as u64;
        let now = session.machine().cycles();
        let stop = session.run(limits.within(began_at, end.saturating_sub(now).max(1), now));
        disk::look(session);
        let output = &session.machine().output()[sent..];
        live.send(output)?;
        sent += output.len();
        // What the program does not read waits where it comes from.
        let has_room = session.machine().input_waiting() < MOST_TYPED;
        let typed = if has_room { live.typed() } else { Vec::new() };
        let anything = !typed.is_empty();
        if anything {
            let _ = session.happen(Event::Typed(typed));
        }
        let over = stop == Stop::Cycles && limits.reached(began_at, session.machine().cycles());
        let sleeps = matches!(stop, Stop::Halt | Stop::Endless)
            && matches!(live, Live::Far(_))
            && session.machine().typing_interrupts();
        if (stop != Stop::Cycles || over) && !sleeps {
            if matches!(live, Live::Far(far) if far.stays()) && !over && stop.is_end() {
                stay(session, &stop, live, end_now);
            }
            break stop;
        }
        if end_now() || matches!(live, Live::Far(far) if far.is_ended()) {
            break Stop::Operator;
        }
        if sleeps && !anything {
            // It waits for a key, and its time stands still.
            std::thread::sleep(FRAME);
            (first, began, frame) = (session.machine().cycles(), Instant::now(), 1);
            continue;
        }
        if speed == Speed::Real {
            std::thread::sleep((began + FRAME * frame as u32).saturating_duration_since(Instant::now()));
        }
        frame += 1;
    };
    if matches!(live, Live::Lines { shown: true, .. }) {
        let _ = writeln!(std::io::stdout());
    }
    Ok(stop)
}

/// Waits until somebody ends the command, or hangs up.
fn stay(session: &Session, stop: &Stop, live: &Live, end_now: &mut dyn FnMut() -> bool) {
    let at = session.machine().spell(session.stopped_at(stop));
    let words = stop.words(session.processor());
    paint::note(&format!("stopped at {at}: {words}; the board stays on its line, Ctrl-C ends it"));
    while !end_now() && !matches!(live, Live::Far(far) if far.is_ended()) {
        std::thread::sleep(Duration::from_millis(50));
    }
}

/// Lines from the keyboard; the line end is the key Return.
fn read_keyboard() -> Receiver<Vec<u8>> {
    let (sender, receiver) = std::sync::mpsc::channel();
    std::thread::spawn(move || {
        for line in std::io::stdin().lines().map_while(Result::ok) {
            if sender.send([line.as_bytes(), b"\r"].concat()).is_err() {
                return;
            }
        }
    });
    receiver
}

/// Gives the far end of the line back, and begins a new line where what the console said did not.
pub fn close(live: Option<Live>, session: &Session, console: Option<Place>) {
    if let Some(Live::Far(far)) = live {
        let lost = far.close();
        if lost > 0 {
            let lost = thousands(lost as u64);
            let _ = writeln!(
                std::io::stderr(),
                "{lost} characters were not taken by the far end of the serial line"
            );
        }
    }
    let is_open = session.machine().output().last().is_some_and(|&last| last != b'\n');
    if console == Some(Place::Stdio) && is_open {
        let _ = writeln!(std::io::stdout());
    }
}
