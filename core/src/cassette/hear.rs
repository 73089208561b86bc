//! Tones to bytes. Worn tapes run too fast, too slowly and unevenly, are noisy, quiet, cut off or upside down; so nothing here counts on a
//! level or on time alone: how fast the tape runs is measured at every cycle of the wave, and what a bit is by how much there is of each
//! tone in just its time.

use super::filter::Filter;
use super::tape::Hearing;
use super::tone::{Baud, MARK, SPACE};
use std::f32::consts::TAU;

/// A byte that was heard.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Heard {
    /// The byte.
    pub byte: u8,
    /// The sample at which its first bit begins.
    pub at: u64,
    /// How fast the tape ran, as a share of what it should.
    pub speed: f32,
    /// How loud it was there, from 0 to 1.
    pub level: f32,
    /// How sure its least sure bit is, from 0 to 1.
    pub sure: f32,
    /// Its last bit was a one, as it has to be.
    pub is_framed: bool,
}

/// Bits that are less sure than this may be wrong.
pub const DOUBTFUL: f32 = 0.25;

/// So many bits of a tone tell how loud it is.
const LEARNT: u8 = 6;
/// One tone may be so much louder than the other, as squares.
const MOST_GAIN: f32 = 64.0;

/// How far from its speed a tape may run.
const SLOWEST: f32 = 0.84;
const FASTEST: f32 = 1.18;

/// Measures how fast the tape runs, by the time between crossings of the middle.
#[derive(Debug, Clone)]
struct Speed {
    /// Samples of a cycle of a one, where the tape runs as it should.
    cycle: f32,
    before: f32,
    /// Samples since the last crossings, upwards and downwards.
    since: [f32; 2],
    /// The measure.
    now: f32,
}

impl Speed {
    fn new(rate: f64) -> Self {
        Self { cycle: (rate / MARK) as f32, before: 0.0, since: [0.0; 2], now: 1.0 }
    }

    #[inline]
    fn next(&mut self, x: f32) {
        self.since[0] += 1.0;
        self.since[1] += 1.0;
        let is_up = x >= 0.0;
        if is_up != (self.before >= 0.0) {
            // The crossing lies so far in front of this sample.
            let part = x / (x - self.before);
            let length = self.since[usize::from(is_up)] - part;
            self.since[usize::from(is_up)] = part;
            self.measure(length);
        }
        self.before = x;
    }

    /// A whole cycle took so many samples. One of 2400 Hz and one of 1200 Hz cannot be taken for each other.
    fn measure(&mut self, length: f32) {
        let (one, zero) = (self.cycle / length, 2.0 * self.cycle / length);
        let within = |speed: f32| (SLOWEST..FASTEST).contains(&speed);
        let speed = match (within(one), within(zero)) {
            (true, _) => one,
            (_, true) => zero,
            _ => return,
        };
        // What is far from what was measured before counts less: it is noise, or the tape was caught.
        let off = speed - self.now;
        let weight = 0.06 / (1.0 + (off / 0.05).powi(2));
        self.now += off * weight;
    }
}

/// How it is where an ear listens: how loud, how fast, after how many samples, and how many of them make one.
#[derive(Debug, Clone, Copy)]
struct Around {
    level: f32,
    speed: f32,
    now: u64,
    each: u32,
}

/// What there is of a one and of a zero now and a sample ago, where somebody has to look.
#[derive(Debug, Clone, Copy)]
struct Turned {
    now: [f32; 2],
    before: [f32; 2],
    turned: bool,
    is_asked: bool,
}

/// A turning arrow, as a number with two parts.
type Turn = [f32; 2];

/// An arrow that has turned by a small angle.
fn turn(angle: f32) -> Turn {
    [angle.cos(), angle.sin()]
}

#[inline]
fn times(a: Turn, b: Turn) -> Turn {
    [a[0] * b[0] - a[1] * b[1], a[0] * b[1] + a[1] * b[0]]
}

/// Products of the signal with both tones that are kept: as many as the longest bit has at the highest rate that is listened at.
const KEPT: usize = 128;
/// How fast the tape runs is looked at after so many samples.
const PACE: usize = 8;
/// Sums are taken anew after so many samples, since small errors add up.
const FRESH: usize = 4096;

/// The last products of the signal with both tones.
#[derive(Debug, Clone)]
struct Ring {
    kept: Box<[[f32; 4]; KEPT]>,
    at: usize,
}

impl Ring {
    #[inline]
    fn push(&mut self, product: [f32; 4]) {
        self.at = self.at.wrapping_add(1);
        self.kept[self.at % KEPT] = product;
    }

    /// The one so many before the last.
    #[inline]
    fn before(&self, by: usize) -> [f32; 4] {
        self.kept[self.at.wrapping_sub(by) % KEPT]
    }
}

#[inline]
fn plus(a: [f32; 4], b: [f32; 4]) -> [f32; 4] {
    [a[0] + b[0], a[1] + b[1], a[2] + b[2], a[3] + b[3]]
}

#[inline]
fn minus(a: [f32; 4], b: [f32; 4]) -> [f32; 4] {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2], a[3] - b[3]]
}

/// What the products come to over the time of a bit.
#[derive(Debug, Clone)]
struct Window {
    length: usize,
    sum: [f32; 4],
}

impl Window {
    /// Takes the last product in; how much there is of a one and of a zero in the last `length` samples, as squares.
    #[inline]
    fn next(&mut self, ring: &Ring, product: [f32; 4], length: usize) -> [f32; 2] {
        self.sum = plus(self.sum, product);
        self.length += 1;
        // The oldest leave; where the tape begins to run slower, they stay.
        while self.length > length {
            self.length -= 1;
            self.sum = minus(self.sum, ring.before(self.length));
        }
        let [a, b, c, d] = self.sum;
        [a * a + b * b, c * c + d * d]
    }

    /// Takes the sum anew.
    fn refresh(&mut self, ring: &Ring) {
        self.sum = (0..self.length).fold([0.0; 4], |sum, by| plus(sum, ring.before(by)));
    }
}

/// Where the bits of a byte are.
#[derive(Debug, Clone, Copy)]
enum Place {
    /// Between bytes.
    Between,
    /// In a byte: the next bit, and the samples until it is asked for.
    In { bit: u8, left: f32, byte: u8, sure: f32, at: u64, level: f32, speed: f32 },
}

/// What a window leans to, by the squares of what there is of a one and of a zero: -1 is nothing but a zero, 1 nothing but a one.
/// `gain` makes up for a tone that the tape gives back weaker than the other.
fn lean([one, zero]: [f32; 2], gain: f32, length: f32) -> f32 {
    let (one, zero) = ((one * gain).sqrt(), zero.sqrt());
    (one - zero) / (one + zero + 1e-3 * length)
}

/// Listens for bytes of one speed.
#[derive(Debug, Clone)]
struct Ear {
    baud: Baud,
    /// Samples of a bit, where the tape runs as it should.
    bit: f32,
    /// The same at the speed that it runs at, and rounded.
    now: f32,
    length: usize,
    window: Window,
    before: [f32; 2],
    /// How loud a one and a zero are where they are asked for, as squares; from how many bits that is known; how many times as loud a
    /// zero is.
    loud: [f32; 2],
    known: [u8; 2],
    gain: f32,
    place: Place,
    heard: Vec<Heard>,
}

impl Ear {
    fn new(baud: Baud, rate: f64) -> Self {
        let bit = (rate / f64::from(baud.bits())) as f32;
        Self {
            baud,
            bit,
            now: bit,
            length: 1,
            window: Window { length: 0, sum: [0.0; 4] },
            before: [0.0; 2],
            loud: [0.0; 2],
            known: [0; 2],
            gain: 1.0,
            place: Place::Between,
            heard: Vec::new(),
        }
    }

    /// The tape runs otherwise now.
    fn keep_pace(&mut self, slow: f32) {
        self.now = self.bit * slow;
        self.length = ((self.now + 0.5) as usize).clamp(1, KEPT - 2);
    }

    /// The last product; what the window leans to and did before, where that has turned or a bit is asked for.
    #[inline]
    fn next(&mut self, ring: &Ring, product: [f32; 4]) -> Option<Turned> {
        let now = self.window.next(ring, product, self.length);
        let before = std::mem::replace(&mut self.before, now);
        // Roots are taken where something turns or is asked for alone.
        let gain = self.gain;
        let turned = (now[0] * gain < now[1]) != (before[0] * gain < before[1]);
        let is_asked = match &mut self.place {
            Place::Between => false,
            Place::In { left, .. } => {
                *left -= 1.0;
                *left <= 0.0
            }
        };
        (turned || is_asked).then_some(Turned { now, before, turned, is_asked })
    }

    /// The lean has turned, or a bit is asked for.
    fn turned(&mut self, Turned { now, before, turned, is_asked }: Turned, around: Around) {
        let [lean, was] = [now, before].map(|one| lean(one, self.gain, self.length as f32));
        if is_asked {
            self.balance(now, lean);
        }
        self.turn(lean, was, turned, around);
    }

    /// A worn head loses the high tone, a filter the low one: how loud each is is learnt at bits that are sure.
    fn balance(&mut self, now: [f32; 2], lean: f32) {
        if lean.abs() < DOUBTFUL {
            return;
        }
        let tone = usize::from(lean < 0.0);
        let share = if self.known[tone] < LEARNT { 1.0 / (1.0 + f32::from(self.known[tone])) } else { 0.1 };
        self.known[tone] = self.known[tone].saturating_add(1);
        self.loud[tone] += (now[tone] - self.loud[tone]) * share;
        if self.known.iter().all(|&count| count >= LEARNT) {
            self.gain = (self.loud[1] / (self.loud[0] + f32::MIN_POSITIVE)).clamp(1.0 / MOST_GAIN, MOST_GAIN);
        }
    }

    /// The lean has turned, or a bit is asked for.
    fn turn(&mut self, lean: f32, before: f32, turned: bool, around: Around) {
        let (Around { level, speed, now, each }, bit) = (around, self.now);
        match &mut self.place {
            Place::Between => {
                if turned && lean < 0.0 {
                    let part = lean / (lean - before);
                    // Half a bit of the zero is in the window now; it is asked for when it fills it.
                    let begin = now.saturating_sub(((0.5 * bit + part) * each as f32) as u64);
                    let left = 0.5 * bit - part;
                    self.place = Place::In { bit: 0, left, byte: 0, sure: 1.0, at: begin, level, speed };
                }
            }
            Place::In { bit: number, left, byte, sure, at, level, speed } => {
                // A turn should come in the middle between two bits; where it does not, the tape has been caught or let go.
                if turned && *number > 0 {
                    let part = lean / (lean - before);
                    let off = *left + part - 0.5 * bit;
                    if off.abs() < 0.4 * bit {
                        *left -= off * 0.3;
                    }
                }
                if *left > 0.0 {
                    return;
                }
                *left += bit;
                let is_one = lean > 0.0;
                match *number {
                    0 if is_one || lean > -DOUBTFUL * 0.5 => self.place = Place::Between,
                    0 => (*number, *sure) = (1, lean.abs()),
                    1..=8 => {
                        *byte = *byte >> 1 | u8::from(is_one) << 7;
                        *sure = sure.min(lean.abs());
                        *number += 1;
                    }
                    _ => {
                        let (byte, at, level, speed) = (*byte, *at, *level, *speed);
                        let sure = sure.min(lean.abs());
                        self.heard.push(Heard { byte, at, speed, level, sure, is_framed: is_one });
                        if !is_one {
                            // This was no byte: nothing is learnt from it.
                            (self.known, self.gain) = ([0; 2], 1.0);
                        }
                        self.place = Place::Between;
                    }
                }
            }
        }
    }
}

/// Listens to a recording, piece by piece, for bytes of both speeds at once.
#[derive(Debug, Clone)]
pub struct Listener {
    /// Samples a second, as they come.
    given: u32,
    filter: Filter,
    speed: Speed,
    /// How far the arrow turns with a sample, where the tape runs as it should.
    angle: f32,
    turn: Turn,
    arrow: Turn,
    ring: Ring,
    ears: [Ear; 2],
    /// Samples that came in.
    samples: u64,
    /// Samples that do not make one yet.
    rest: Vec<f32>,
}

impl Listener {
    /// One for a recording of so many samples a second.
    pub fn new(rate: u32) -> Self {
        let given = rate.max(1);
        let filter = Filter::new(given);
        let rate = filter.rate;
        Self {
            given,
            speed: Speed::new(rate),
            angle: (f64::from(TAU) * SPACE / rate) as f32,
            turn: [1.0, 0.0],
            arrow: [1.0, 0.0],
            ring: Ring { kept: Box::new([[0.0; 4]; KEPT]), at: 0 },
            ears: Baud::ALL.map(|baud| Ear::new(baud, rate)),
            filter,
            samples: 0,
            rest: Vec::new(),
        }
    }

    /// Samples that came in so far.
    pub fn samples(&self) -> u64 {
        self.samples
    }

    /// The next samples, from -1 to 1.
    pub fn hear(&mut self, samples: &[f32]) {
        let each = self.filter.each as usize;
        // What is left of the piece before, with what makes it whole.
        let missing = (each - self.rest.len()) % each;
        let (first, samples) = samples.split_at(missing.min(samples.len()));
        self.rest.extend_from_slice(first);
        if self.rest.len() == each {
            let sum: f32 = self.rest.iter().sum();
            self.rest.clear();
            self.one(sum);
        }
        let whole = samples.chunks_exact(each);
        self.rest.extend_from_slice(whole.remainder());
        match each {
            // What most recordings have.
            4 => samples
                .as_chunks::<4>()
                .0
                .iter()
                .for_each(|four| self.one(four[0] + four[1] + four[2] + four[3])),
            _ => whole.for_each(|some| self.one(some.iter().sum())),
        }
    }

    /// The sum of as many samples as make one.
    #[inline]
    fn one(&mut self, sum: f32) {
        let each = self.filter.each;
        self.samples += u64::from(each);
        let (x, level) = self.filter.next(sum / each as f32);
        self.speed.next(x);
        let speed = self.speed.now;
        // A tape does not change its speed from one sample to the next.
        if self.ring.at.is_multiple_of(PACE) {
            self.turn = turn(self.angle * speed);
            let slow = 1.0 / speed;
            let is_old = self.ring.at.is_multiple_of(FRESH);
            for ear in &mut self.ears {
                ear.keep_pace(slow);
                if is_old {
                    ear.window.refresh(&self.ring);
                }
            }
        }
        // The arrow turns with 1200 Hz, its square with 2400 Hz.
        let arrow = times(self.arrow, self.turn);
        // It keeps its length.
        let keep = 1.5 - 0.5 * (arrow[0] * arrow[0] + arrow[1] * arrow[1]);
        self.arrow = [arrow[0] * keep, arrow[1] * keep];
        let double = times(self.arrow, self.arrow);
        let product = [x * double[0], x * double[1], x * self.arrow[0], x * self.arrow[1]];
        self.ring.push(product);
        for ear in &mut self.ears {
            if let Some(turned) = ear.next(&self.ring, product) {
                ear.turned(turned, Around { level, speed, now: self.samples, each });
            }
        }
    }

    /// What was heard.
    pub fn finish(mut self) -> Hearing {
        let samples = self.samples + self.rest.len() as u64;
        // The window of the last bit has to be filled.
        let bit = self.filter.each as usize * self.ears[0].bit as usize;
        self.hear(&vec![0.0; 2 * bit]);
        Hearing { rate: self.given, samples, heard: self.ears.map(|ear| (ear.baud, ear.heard)) }
    }
}
