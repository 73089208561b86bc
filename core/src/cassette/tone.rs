//! Bytes to tones: the byte standard for cassettes. A one is whole cycles of 2400 Hz, a zero half as many of 1200 Hz.

/// The frequency of a one in Hz, at the speed that the tape was made for.
pub const MARK: f64 = 2400.0;
/// The frequency of a zero.
pub const SPACE: f64 = 1200.0;

/// How fast bytes go over the tape.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Baud {
    /// 300 bits a second: a one is eight cycles, a zero four.
    B300,
    /// 1200 bits a second, four times as fast: a one is two cycles, a zero one.
    B1200,
}

impl Baud {
    /// Both.
    pub const ALL: [Self; 2] = [Self::B300, Self::B1200];

    /// Bits a second.
    pub fn bits(self) -> u32 {
        match self {
            Self::B300 => 300,
            Self::B1200 => 1200,
        }
    }

    /// The one that has so many bits a second.
    pub fn of(bits: u32) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.bits() == bits)
    }
}

/// The form of a wave.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Wave {
    /// As an output with a filter makes it.
    #[default]
    Sine,
    /// As a pin makes it.
    Square,
}

/// How tones are written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tones {
    /// Samples a second.
    pub rate: u32,
    /// Bits a second.
    pub baud: Baud,
    /// The form of the wave.
    pub wave: Wave,
    /// The highest level, from 0 to 1.
    pub level: f32,
}

/// Writes tones as samples from -1 to 1. The wave goes on through all of it, without a jump.
#[derive(Debug, Clone)]
pub struct Player {
    tones: Tones,
    /// Where the wave is, in cycles.
    phase: f64,
    /// What is left of a sample by what was written before, in samples.
    over: f64,
    /// The samples.
    pub samples: Vec<f32>,
}

impl Player {
    /// One that has written nothing.
    pub fn new(tones: Tones) -> Self {
        Self { tones, phase: 0.0, over: 0.0, samples: Vec::new() }
    }

    /// A tone for so many seconds.
    fn tone(&mut self, frequency: f64, seconds: f64) {
        let rate = f64::from(self.tones.rate);
        let end = self.over + seconds * rate;
        let count = end.floor();
        let step = frequency / rate;
        // The wave begins between two samples.
        let mut phase = self.phase + (1.0 - self.over).rem_euclid(1.0) * step;
        if self.over == 0.0 {
            phase = self.phase;
        }
        for _ in 0..count as usize {
            let value = match self.tones.wave {
                Wave::Sine => (phase * std::f64::consts::TAU).sin(),
                Wave::Square if phase.rem_euclid(1.0) < 0.5 => 1.0,
                Wave::Square => -1.0,
            };
            self.samples.push(value as f32 * self.tones.level);
            phase += step;
        }
        self.phase = (self.phase + frequency * seconds).rem_euclid(1.0);
        self.over = end - count;
    }

    /// Ones for so many seconds, as in front of every block.
    pub fn leader(&mut self, seconds: f64) {
        self.tone(MARK, seconds);
    }

    /// Silence for so many seconds.
    pub fn silence(&mut self, seconds: f64) {
        let end = self.over + seconds * f64::from(self.tones.rate);
        self.samples.resize(self.samples.len() + end.floor() as usize, 0.0);
        (self.over, self.phase) = (end.fract(), 0.0);
    }

    fn bit(&mut self, one: bool) {
        self.tone(if one { MARK } else { SPACE }, 1.0 / f64::from(self.tones.baud.bits()));
    }

    /// A byte: a zero, eight bits with the lowest first, two ones.
    pub fn byte(&mut self, byte: u8) {
        self.bit(false);
        (0..8).for_each(|at| self.bit(byte >> at & 1 != 0));
        self.bit(true);
        self.bit(true);
    }
}
