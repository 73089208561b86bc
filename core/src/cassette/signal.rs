//! A tape as the comparator of a cassette interface hears it: a level that turns over, at moments in microseconds.

use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Microseconds of a second.
const SECOND: u64 = 1_000_000;
/// The longest tape, in seconds.
const LONGEST: u64 = 4 * 3600;

/// The moments at which the level of a tape turns over. Copies share what is the same in them, second by second, so that a machine with
/// a tape can be copied at every moment.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "Vec<u64>", try_from = "Vec<u64>")]
pub struct Signal {
    /// For each second its turns, in microseconds from its beginning, in their order.
    seconds: Arc<Vec<Arc<Vec<u32>>>>,
    /// How long the tape is, in microseconds.
    length: u64,
}

impl Signal {
    /// A tape with nothing on it, so many seconds long, at most four hours.
    pub fn blank(seconds: u64) -> Self {
        let mut blank = Self::default();
        blank.lengthen(seconds.min(LONGEST) * SECOND);
        blank
    }

    /// How long the tape is, in microseconds.
    pub fn length(&self) -> u64 {
        self.length
    }

    /// The end of what is on it, in microseconds; `None` for a blank one.
    pub fn used(&self) -> Option<u64> {
        self.turns().next_back()
    }

    /// Makes the tape at least so long.
    fn lengthen(&mut self, length: u64) {
        if length > self.length {
            self.length = length.min(LONGEST * SECOND);
            let seconds = (self.length / SECOND + 1) as usize;
            if seconds > self.seconds.len() {
                Arc::make_mut(&mut self.seconds).resize_with(seconds, Arc::default);
            }
        }
    }

    /// The moments at which the level turns over.
    pub fn turns(&self) -> impl DoubleEndedIterator<Item = u64> + '_ {
        let of = |(at, turns): (usize, &Arc<Vec<u32>>)| {
            let turns = Arc::clone(turns);
            (0..turns.len()).map(move |one| at as u64 * SECOND + u64::from(turns[one]))
        };
        self.seconds.iter().enumerate().flat_map(of)
    }

    /// The first turn after a moment.
    pub fn next_turn(&self, behind: u64) -> Option<u64> {
        let first = (behind / SECOND) as usize;
        self.seconds.iter().enumerate().skip(first).find_map(|(at, turns)| {
            let begin = at as u64 * SECOND;
            let place = turns.partition_point(|&turn| begin + u64::from(turn) <= behind);
            turns.get(place).map(|&turn| begin + u64::from(turn))
        })
    }

    /// The second of a moment, to change it, and the moment in it.
    fn second(&mut self, moment: u64) -> Option<(&mut Vec<u32>, u32)> {
        let second = Arc::make_mut(&mut self.seconds).get_mut((moment / SECOND) as usize)?;
        Some((Arc::make_mut(second), (moment % SECOND) as u32))
    }

    /// The level turns over at a moment, too. After the end of the tape nothing is kept.
    pub fn turn(&mut self, moment: u64) {
        if moment > self.length {
            return;
        }
        if let Some((second, moment)) = self.second(moment) {
            let place = second.partition_point(|&turn| turn < moment);
            if second.get(place) != Some(&moment) {
                second.insert(place, moment);
            }
        }
    }

    /// Nothing is left from one moment on up to another.
    pub fn erase(&mut self, from: u64, to: u64) {
        for at in (from / SECOND)..=(to / SECOND) {
            let begin = at * SECOND;
            let inside = |turn: &u32| (from..to).contains(&(begin + u64::from(*turn)));
            if self.seconds.get(at as usize).is_some_and(|turns| turns.iter().any(inside))
                && let Some((second, _)) = self.second(begin)
            {
                second.retain(|turn| !inside(turn));
            }
        }
    }

    /// The tape as samples from -1 to 1, up to a moment after what is on it: a wave between two turns, and silence where they are far
    /// apart.
    pub fn samples(&self, rate: u32) -> Vec<f32> {
        /// Longer than half a wave of any tone.
        const LONGEST_HALF: u64 = 1_000;
        const LEVEL: f64 = 0.7;
        let per_sample = SECOND as f64 / f64::from(rate);
        let mut samples = Vec::new();
        let (mut from, mut up) = (0, true);
        for to in self.turns().chain(self.used().map(|used| used + SECOND / 2)) {
            let half = (to - from).clamp(1, LONGEST_HALF) as f64;
            let sign = if up { LEVEL } else { -LEVEL };
            while (samples.len() as f64 * per_sample) < to as f64 {
                let part = (samples.len() as f64 * per_sample - from as f64) / half;
                let is_tone = from > 0 && part <= 1.0;
                samples.push(if is_tone { (sign * (part * std::f64::consts::PI).sin()) as f32 } else { 0.0 });
            }
            (from, up) = (to, !up);
        }
        samples
    }
}

impl From<Signal> for Vec<u64> {
    /// How long it takes to each turn from the one before, and to the end of the tape.
    fn from(signal: Signal) -> Self {
        let mut before = 0;
        signal
            .turns()
            .chain([signal.length])
            .map(|turn| turn - std::mem::replace(&mut before, turn))
            .collect()
    }
}

impl TryFrom<Vec<u64>> for Signal {
    type Error = String;

    fn try_from(intervals: Vec<u64>) -> Result<Self, String> {
        let length = intervals.iter().try_fold(0u64, |sum, &one| sum.checked_add(one));
        let Some(length) = length.filter(|&length| length <= LONGEST * SECOND) else {
            return Err(format!("a tape is at most {} hours long", LONGEST / 3600));
        };
        let mut signal = Self::default();
        signal.lengthen(length);
        let mut moment = 0;
        let Some((_, turns)) = intervals.split_last() else { return Ok(signal) };
        for one in turns {
            moment += one;
            signal.turn(moment);
        }
        Ok(signal)
    }
}

/// A comparator with a filter in front of it: samples in, turns out. It listens for the sign of the wave; what is much weaker than the
/// tones before it turns nothing over.
#[derive(Debug, Clone)]
pub struct Comparator {
    rate: u32,
    /// Samples so far.
    count: u64,
    /// What the filter takes away: hum, and a level that the recording has besides its tones.
    mean: f32,
    keeps: f32,
    /// How loud it was of late.
    loud: f32,
    fades: f32,
    before: f32,
    is_high: bool,
    /// Where the wave went through zero last, in samples.
    crossed: f64,
    signal: Signal,
}

impl Comparator {
    /// One that has heard nothing, for samples of so many a second.
    pub fn new(rate: u32) -> Self {
        /// The filter lets half of this frequency through, in Hz.
        const LOWEST: f32 = 200.0;
        /// It forgets how loud it was in so many seconds.
        const FORGETS: f32 = 0.01;
        let rate_of = |hertz: f32| (std::f32::consts::TAU * hertz / rate as f32).min(0.5);
        Self {
            rate,
            count: 0,
            mean: 0.0,
            keeps: rate_of(LOWEST),
            loud: 0.0,
            fades: 1.0 - 1.0 / (FORGETS * rate as f32).max(2.0),
            before: 0.0,
            is_high: false,
            crossed: 0.0,
            signal: Signal::default(),
        }
    }

    /// Hears samples from -1 to 1.
    pub fn hear(&mut self, samples: &[f32]) {
        /// The share of how loud it was that turns the level over, and the least that does.
        const SHARE: f32 = 0.25;
        const LEAST: f32 = 0.008;
        for &sample in samples {
            self.mean += (sample - self.mean) * self.keeps;
            let value = sample - self.mean;
            if (value > 0.0) != (self.before > 0.0) {
                let part = self.before / (self.before - value);
                self.crossed = (self.count as f64 - 1.0 + f64::from(part)).max(0.0);
            }
            self.loud = (self.loud * self.fades).max(value.abs());
            let enough = (self.loud * SHARE).max(LEAST);
            if value.abs() > enough && (value > 0.0) != self.is_high {
                self.is_high = !self.is_high;
                let moment = (self.crossed * SECOND as f64 / f64::from(self.rate)).round() as u64;
                self.signal.lengthen(moment);
                self.signal.turn(moment);
            }
            self.before = value;
            self.count += 1;
        }
    }

    /// The tape that it heard.
    pub fn finish(mut self) -> Signal {
        self.signal.lengthen(self.count * SECOND / u64::from(self.rate.max(1)));
        self.signal
    }
}
