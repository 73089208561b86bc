//! A cassette recorder at a board's interface: a pin whose level goes to the tape, a pin that a comparator drives, and a line that lets
//! the motor run. Keys of its own are the operator's.

use super::Wire;
use crate::cassette::Signal;
use crate::machine::io::Fitted;
use serde::{Deserialize, Serialize};

/// Microseconds of a second.
const SECOND: u64 = 1_000_000;
/// So many times as fast it winds.
const WINDS: u64 = 20;
/// The level lamp stays lit for so many microseconds after a turn.
const GLOWS: u64 = 50_000;

/// A key of a recorder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Deck {
    /// Plays.
    Play,
    /// Records what the board sends, over what is there.
    Record,
    /// Goes back to the beginning.
    Rewind,
    /// Goes on to the end, fast.
    Wind,
    /// Stands still.
    Stop,
    /// The counter begins at zero where the tape is.
    Zero,
}

impl Deck {
    /// All of them, with their legends.
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Play, "play"),
        (Self::Record, "record"),
        (Self::Rewind, "rewind"),
        (Self::Wind, "wind"),
        (Self::Stop, "stop"),
        (Self::Zero, "zero"),
    ];

    /// The key of a legend.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.iter().find(|row| row.1.eq_ignore_ascii_case(name)).map(|row| row.0)
    }

    /// Its legend.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|row| row.0 == self).map_or("", |row| row.1)
    }
}

/// The pins that a recorder hangs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RecorderPlace {
    /// The pin whose level goes to the tape.
    pub out: Option<Wire>,
    /// The pin that the comparator drives.
    pub input: Option<Wire>,
    /// The pin that lets the motor run, and the level at which it does; without one it always runs.
    pub motor: Option<(Wire, bool)>,
}

/// A recorder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Recorder {
    place: RecorderPlace,
    clock: u64,
    tape: Option<Signal>,
    deck: Deck,
    motor: bool,
    /// Where the tape was, in microseconds, at a cycle; since then it has moved as it does now.
    anchor: (u64, u64),
    /// Where the counter is zero.
    zero: u64,
    /// The level that the tape gives, and the one that the pin was given.
    level: bool,
    given: Option<bool>,
    /// The level that the board gives.
    out: bool,
    /// Up to here the turns of the tape have been heard, or what was there is erased.
    done: u64,
    has_recorded: bool,
    /// When the level turns over next, or the tape comes to an end.
    due: Option<u64>,
}

impl Recorder {
    pub(in crate::machine) fn new(place: RecorderPlace, clock: u64) -> Self {
        Self {
            place,
            clock,
            tape: None,
            deck: Deck::Stop,
            motor: place.motor.is_none(),
            anchor: (0, 0),
            zero: 0,
            level: false,
            given: None,
            out: true,
            done: 0,
            has_recorded: false,
            due: None,
        }
    }

    /// The key that is down.
    pub fn deck(&self) -> Deck {
        self.deck
    }

    /// True where the board lets the motor run.
    pub fn motor(&self) -> bool {
        self.motor
    }

    /// True where a tape is in it.
    pub fn has_tape(&self) -> bool {
        self.tape.is_some()
    }

    /// True where something was recorded on the tape that is in it.
    pub fn has_recorded(&self) -> bool {
        self.has_recorded
    }

    /// True while the tape moves. Winding does not ask the motor line.
    pub fn moves(&self) -> bool {
        let lets = match self.deck {
            Deck::Play | Deck::Record => self.motor,
            Deck::Rewind | Deck::Wind => true,
            Deck::Stop | Deck::Zero => false,
        };
        lets && self.tape.is_some()
    }

    fn is_recording(&self) -> bool {
        self.deck == Deck::Record && self.moves()
    }

    /// Where the tape is at cycle `now`, in microseconds.
    pub fn position(&self, now: u64) -> u64 {
        let (cycle, position) = self.anchor;
        let length = self.tape.as_ref().map_or(0, Signal::length);
        if !self.moves() {
            return position;
        }
        let cycles = u128::from(now.saturating_sub(cycle));
        let passed = u64::try_from(cycles * u128::from(SECOND) / u128::from(self.clock)).unwrap_or(u64::MAX);
        match self.deck {
            Deck::Rewind => position.saturating_sub(passed.saturating_mul(WINDS)),
            Deck::Wind => position.saturating_add(passed.saturating_mul(WINDS)).min(length),
            _ => position.saturating_add(passed).min(length),
        }
    }

    /// What the counter shows at cycle `now`: microseconds, and whether they are in front of its zero.
    pub fn counter(&self, now: u64) -> (u64, bool) {
        let position = self.position(now);
        (position.abs_diff(self.zero), position < self.zero)
    }

    /// True where something is heard, or goes to the tape, at cycle `now`.
    pub fn hears(&self, now: u64) -> bool {
        let position = self.position(now);
        let recent = |tape: &Signal| {
            tape.next_turn(position.saturating_sub(GLOWS)).is_some_and(|turn| turn <= position)
        };
        matches!(self.deck, Deck::Play | Deck::Record)
            && self.moves()
            && self.tape(now).is_some_and(|tape| recent(&tape))
    }

    /// The tape as it is at cycle `now`.
    pub fn tape(&self, now: u64) -> Option<Signal> {
        let mut tape = self.tape.clone()?;
        if self.is_recording() {
            tape.erase(self.done, self.position(now));
        }
        Some(tape)
    }

    /// The cycle at which the tape comes to a position that lies ahead of it.
    fn cycle_at(&self, position: u64) -> u64 {
        let (cycle, from) = self.anchor;
        let speed = if matches!(self.deck, Deck::Rewind | Deck::Wind) { WINDS } else { 1 };
        let micros = position.abs_diff(from).div_ceil(speed);
        let cycles = (u128::from(micros) * u128::from(self.clock)).div_ceil(u128::from(SECOND));
        cycle + u64::try_from(cycles).unwrap_or(u64::MAX / 2)
    }

    /// What comes next is worked out anew.
    fn look_ahead(&mut self, now: u64) {
        self.due = None;
        let Some(tape) = self.tape.as_ref().filter(|_| self.moves()) else { return };
        let next = match self.deck {
            Deck::Rewind => 0,
            Deck::Play => tape.next_turn(self.done).unwrap_or(tape.length()),
            _ => tape.length(),
        };
        self.due = Some(self.cycle_at(next).max(now + 1));
    }

    /// What was heard and recorded up to cycle `now` stays as it is, and the tape goes on from there in another way.
    fn change(&mut self, now: u64, change: impl FnOnce(&mut Self)) {
        let position = self.position(now);
        self.pass(position);
        self.anchor = (now, position);
        change(self);
        self.done = self.anchor.1;
        self.look_ahead(now);
    }

    /// The tape passes the head up to a position: the level turns over where it did on the tape, or what was there is erased.
    fn pass(&mut self, position: u64) {
        if !self.moves() || self.done >= position {
            return;
        }
        let Some(tape) = &mut self.tape else { return };
        match self.deck {
            Deck::Play => {
                while let Some(turn) = tape.next_turn(self.done).filter(|&turn| turn <= position) {
                    (self.level, self.done) = (!self.level, turn);
                }
            }
            Deck::Record => {
                tape.erase(self.done, position);
                self.has_recorded = true;
            }
            _ => {}
        }
        self.done = position;
    }

    /// Puts a tape in, wound back.
    pub(in crate::machine) fn insert(&mut self, tape: Signal, now: u64) {
        self.change(now, |recorder| {
            (recorder.tape, recorder.deck) = (Some(tape), Deck::Stop);
            (recorder.anchor.1, recorder.zero, recorder.has_recorded) = (0, 0, false);
        });
    }

    /// Presses a key.
    pub(in crate::machine) fn press(&mut self, key: Deck, now: u64) {
        self.change(now, |recorder| match key {
            Deck::Zero => recorder.zero = recorder.anchor.1,
            key => recorder.deck = key,
        });
    }

    /// The next cycle at which it does something by itself.
    pub(in crate::machine) fn next(&self) -> Option<u64> {
        self.due
    }

    /// The tape moves up to cycle `now`.
    pub(in crate::machine) fn advance(&mut self, now: u64) {
        if self.due.is_none_or(|due| due > now) {
            return;
        }
        let position = self.position(now);
        self.pass(position);
        let length = self.tape.as_ref().map_or(0, Signal::length);
        let is_over = if self.deck == Deck::Rewind { position == 0 } else { position >= length };
        if is_over {
            self.change(now, |recorder| recorder.deck = Deck::Stop);
        } else {
            self.look_ahead(now);
        }
    }

    /// Takes note of what the board's pins say at cycle `now`, and drives the other one.
    pub(in crate::machine) fn settle(&mut self, chips: &mut [Fitted], now: u64) {
        if let Some((wire, active)) = self.place.motor {
            let motor = wire.level(chips) == active;
            if motor != self.motor {
                self.change(now, |recorder| recorder.motor = motor);
            }
        }
        if let Some(wire) = self.place.out {
            let out = wire.level(chips);
            if out != self.out {
                self.out = out;
                if self.is_recording() {
                    let position = self.position(now);
                    self.pass(position);
                    if let Some(tape) = &mut self.tape {
                        tape.turn(position);
                        // The turn itself stays.
                        self.done = position + 1;
                    }
                }
            }
        }
        if let Some(wire) = self.place.input
            && self.given != Some(self.level)
        {
            self.given = Some(self.level);
            chips[wire.chip].chip.drive(wire.pin, Some(self.level), now);
        }
    }

    /// What was cycle `now` is cycle 0.
    pub(in crate::machine) fn restart(&mut self, now: u64) {
        self.change(now, |recorder| recorder.anchor.0 = 0);
        self.look_ahead(0);
    }
}
