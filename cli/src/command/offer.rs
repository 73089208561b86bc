//! `run --offer-link`: a board that is driven over its debug link, with its console on a line of its own.

use super::live::MOST_TYPED;
use crate::arguments::{RunArguments, Speed};
use crate::disk;
use crate::say::Failure;
use crate::serial::log::Log;
use crate::serial::{Far, Place};
use crate::signals;
use plain_byte::link::LinkServer;
use plain_byte::machine::Event;
use plain_byte::session::Session;
use std::io::Write;
use std::time::{Duration, Instant};

/// The board runs in stretches of so much time.
const FRAME: Duration = Duration::from_millis(20);

/// A run goes on for so long when standard input has come to its end.
const ALONE: Duration = Duration::from_secs(10);

pub fn run(mut session: Session, arguments: &RunArguments) -> Result<(), Failure> {
    let Some(place) = arguments.offer_link else { return Ok(()) };
    if arguments.console == Some(Place::Stdio) && place == Place::Stdio {
        let help = "give one of them a pty or tcp:0";
        return Err(Failure::usage("the console and the debug link cannot both be standard output", help));
    }
    let log = arguments.link.log.as_deref().map(Log::open).transpose()?;
    let console =
        arguments.console.map(|place| Far::open_for(session.machine(), place, log.as_ref())).transpose()?;
    let link = Far::open_for_lines(place)?;
    let mut told = std::io::stderr();
    if let Some(console) = &console {
        let _ = writeln!(told, "console at {}", console.title);
    }
    let _ = writeln!(told, "debug link at {}", link.title);
    let speed = arguments.speed.unwrap_or(Speed::Real);
    let mut board = Offered {
        server: LinkServer::default(),
        link,
        console,
        sent: 0,
        alone: Duration::ZERO,
        visitor: 0,
        deaf: false,
    };
    while board.turn(&mut session, speed) {
        disk::look(&session);
        if signals::was_stopped() {
            break;
        }
    }
    if let Some(console) = board.console {
        console.close();
    }
    board.link.close();
    disk::save(&session)
}

struct Offered {
    server: LinkServer,
    link: Far,
    console: Option<Far>,
    /// How much of what the console said was sent on.
    sent: usize,
    /// How long it has run since nobody can ask any more.
    alone: Duration,
    /// Who is there, by number.
    visitor: usize,
    /// Who is there is not listened to any more.
    deaf: bool,
}

impl Offered {
    /// Ends the talk with who has all the answers and asks for nothing more, or is not to be listened to.
    fn let_go(&mut self, session: &mut Session) {
        if self.server.hangs_up() {
            self.server.begin(session);
            self.link.hang_up(self.visitor);
            // One who cannot be hung up on begins anew.
            self.deaf = self.visitor > 0;
        } else if self.link.is_silent() && self.link.is_sent() {
            self.alone += FRAME;
            if !self.server.is_running() || self.alone > ALONE || self.link.is_awaited() {
                self.server.begin(session);
                self.link.hang_up(self.visitor);
            }
        }
    }

    /// A frame of time; false where it was the last.
    fn turn(&mut self, session: &mut Session, speed: Speed) -> bool {
        let begin = Instant::now();
        // A board that stands waits for what comes; one that runs looks whether something came.
        let patience = if self.server.is_running() { Duration::ZERO } else { FRAME };
        let bytes = match self.link.typed_within(patience) {
            Some(bytes) => bytes,
            // What was asked last is still done, but not for ever.
            None if self.server.is_running() && self.alone < ALONE => {
                self.alone += FRAME;
                Vec::new()
            }
            None => return false,
        };
        if self.link.visitor() != self.visitor {
            // Nobody answers for who was there before.
            self.visitor = self.link.visitor();
            self.server.begin(session);
            (self.alone, self.deaf) = (Duration::ZERO, false);
        }
        let bytes = if self.deaf { Vec::new() } else { bytes };
        let said = self.server.feed(session, &bytes);
        self.link.send(said.as_bytes());
        self.let_go(session);
        let has_room = session.machine().input_waiting() < MOST_TYPED;
        let console = self.console.as_ref().filter(|_| has_room);
        let typed = console.map(Far::typed).unwrap_or_default();
        if !typed.is_empty() {
            let _ = session.happen(Event::Typed(typed));
        }
        let ran = self.server.is_running();
        if ran {
            let clock = session.machine().board().clock;
            let cycles = (u128::from(clock) * FRAME.as_micros() / 1_000_000) as u64;
            let before = session.machine().cycles();
            let said = self.server.go_on(session, cycles.max(1));
            if speed == Speed::Real {
                let spent =
                    u128::from(session.machine().cycles() - before) * 1_000_000 / u128::from(clock.max(1));
                std::thread::sleep(Duration::from_micros(spent as u64).saturating_sub(begin.elapsed()));
            }
            self.link.send(said.unwrap_or_default().as_bytes());
            // What came while it ran.
            let said = self.server.feed(session, b"");
            self.link.send(said.as_bytes());
        }
        if let Some(console) = &mut self.console {
            console.send(session.machine().output().get(self.sent..).unwrap_or_default());
        }
        self.sent = session.machine().output().len();
        !self.link.is_ended() && !self.console.as_ref().is_some_and(Far::is_ended)
    }
}
