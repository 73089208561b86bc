//! A speaker on the pins of chips: its cone stands out while all of them are high.

use super::Wire;
use crate::machine::io::Fitted;

/// Turns of the cone beyond this many are not kept.
const MOST_TURNS: usize = 1 << 20;

/// A silence of this part of a second ends a tone.
const SILENCE: u64 = 30;

/// The speaker, with every turn of its cone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Speaker {
    wires: Vec<Wire>,
    is_out: bool,
    /// The cycles at which the cone moved; outwards first.
    turns: Vec<u64>,
}

/// A tone: from a cycle to a cycle, at a pitch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Tone {
    /// When it began.
    pub from: u64,
    /// When the cone moved for the last time.
    pub to: u64,
    /// Its pitch in Hz.
    pub hertz: u64,
}

impl Speaker {
    pub(in crate::machine) fn new(wires: Vec<Wire>) -> Self {
        Self { wires, is_out: false, turns: Vec::new() }
    }

    /// Takes note of where the cone stands at cycle `now`.
    pub(in crate::machine) fn settle(&mut self, chips: &[Fitted], now: u64) {
        let is_out = self.wires.iter().all(|wire| wire.level(chips));
        if is_out != self.is_out && self.turns.len() < MOST_TURNS {
            self.is_out = is_out;
            self.turns.push(now);
        }
    }

    /// The cycles at which the cone moved, outwards and back by turns.
    pub fn turns(&self) -> &[u64] {
        &self.turns
    }

    /// What was sounded: a tone goes on as long as the cone moves without a longer silence at about the same pitch.
    pub fn tones(&self, clock: u64) -> Vec<Tone> {
        let silence = clock / SILENCE;
        let mut tones = Vec::new();
        for stretch in self.turns.chunk_by(|one, next| next - one < silence) {
            let (Some(&from), Some(&to)) = (stretch.first(), stretch.last()) else { continue };
            // Out and back is a whole wave.
            let halves = stretch.len() as u64 - 1;
            if halves > 1 && to > from {
                let hertz = (halves * clock + (to - from)) / (2 * (to - from));
                tones.push(Tone { from, to, hertz });
            }
        }
        tones
    }

    /// The pitch in Hz that sounds at cycle `now`, as one hears it.
    pub fn pitch(&self, now: u64, clock: u64) -> Option<u64> {
        const HEARD: usize = 64;
        let recent = &self.turns[self.turns.len().saturating_sub(HEARD)..];
        let heard = Self { wires: Vec::new(), is_out: false, turns: recent.to_vec() };
        let last = heard.tones(clock).pop()?;
        (last.to + clock / SILENCE > now).then_some(last.hertz)
    }

    /// What is kept is taken out, and put back, by whoever copies the machine.
    pub(in crate::machine) fn take_turns(&mut self) -> Vec<u64> {
        std::mem::take(&mut self.turns)
    }

    pub(in crate::machine) fn give_turns(&mut self, turns: Vec<u64>) {
        self.turns = turns;
    }

    /// The counting of cycles begins again.
    pub(in crate::machine) fn restart(&mut self) {
        self.turns.clear();
        self.is_out = false;
    }
}
