//! The cassette recorder beside a panel: what its keys, its counter and its lamps say, and its lines in scripts.

use super::Panel;
use crate::diagnostic::Problem;
use crate::machine::{Deck, Event, Machine};

/// A time on a tape: `0:37.2`.
pub fn time_on_tape(micros: u64) -> String {
    let tenths = micros / 100_000;
    format!("{}:{:02}.{}", tenths / 600, tenths / 10 % 60, tenths % 10)
}

/// What the counter shows, in front of its zero with a minus; `None` without a tape.
pub fn counter(machine: &Machine) -> Option<String> {
    let recorder = machine.recorder().filter(|recorder| recorder.has_tape())?;
    let (micros, is_before) = recorder.counter(machine.cycles());
    Some(format!("{}{}", if is_before { "-" } else { "" }, time_on_tape(micros)))
}

/// What the recorder does, and what its counter shows: `play, waits for the motor line, 0:37.2`; `None` without a tape.
pub fn words(machine: &Machine) -> Option<String> {
    let recorder = machine.recorder()?;
    let counter = counter(machine)?;
    let does = match (recorder.deck(), recorder.moves()) {
        (Deck::Stop | Deck::Zero, _) => "stopped",
        (Deck::Play, true) => "plays",
        (Deck::Record, true) => "records",
        (Deck::Play, false) => "play is down, the board holds the motor",
        (Deck::Record, false) => "record is down, the board holds the motor",
        (Deck::Rewind, _) => "rewinds",
        (Deck::Wind, _) => "winds on",
    };
    Some(format!("{does}, counter {counter}"))
}

/// Its lamps with how bright they are: the motor runs, something is heard. None without a tape.
pub fn lamps(machine: &Machine) -> Vec<(String, f32)> {
    let Some(recorder) = machine.recorder().filter(|recorder| recorder.has_tape()) else { return Vec::new() };
    let lit = |is: bool| f32::from(u8::from(is));
    vec![
        ("motor".to_string(), lit(recorder.moves())),
        ("level".to_string(), lit(recorder.hears(machine.cycles()))),
    ]
}

impl Panel {
    /// Presses a key of the recorder.
    ///
    /// # Errors
    /// A sentence: the board has no recorder, or nothing to play.
    pub fn press_recorder(&mut self, key: Deck) -> Result<(), Problem> {
        let recorder = self.session().machine().recorder();
        if recorder.is_some_and(|recorder| !recorder.has_tape()) && key != Deck::Stop {
            return Err("no cassette is in the recorder".into());
        }
        self.session_mut().happen(Event::Recorder(key)).map_err(|error| error.to_string().into())
    }
}
