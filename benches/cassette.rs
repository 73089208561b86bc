//! Cassettes: how long an hour takes, and how often worn tapes are read: `cargo bench --bench cassette`.

use plain_byte::cassette::{Baud, Listener, Stretch, Tones, Wave, Writing, read, write};
use std::time::Instant;

const RATE: u32 = 22_050;
/// Tapes of each kind, at each speed.
const TAPES: usize = 500;
/// Bytes of a program.
const BYTES: usize = 100;

struct Noise(u64);

impl Noise {
    fn even(&mut self) -> f32 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 40) as f32 / (1u64 << 24) as f32
    }

    fn bell(&mut self) -> f32 {
        ((0..6).map(|_| self.even()).sum::<f32>() - 3.0) * 2f32.sqrt()
    }
}

/// A kind of damage: its name, and what it does to samples with a strength from 0 to 1.
type Kind = (&'static str, fn(&mut Vec<f32>, f32, &mut Noise));

fn run_at(samples: &mut Vec<f32>, speed: impl Fn(f32) -> f32) {
    let (mut out, mut at, mut step) = (Vec::with_capacity(samples.len()), 0.0f64, 0.0f32);
    while (at as usize) + 1 < samples.len() {
        let (part, here) = (at.fract() as f32, at as usize);
        out.push(samples[here] * (1.0 - part) + samples[here + 1] * part);
        at += f64::from(speed(step / RATE as f32));
        step += 1.0;
    }
    *samples = out;
}

const KINDS: [Kind; 10] = [
    ("speed, up to 12 % off", |samples, strength, noise| {
        let speed = 1.0 + 0.12 * strength * if noise.even() < 0.5 { 1.0 } else { -1.0 };
        run_at(samples, |_| speed);
    }),
    ("wow up to 3 %, flutter up to 1 %", |samples, strength, _| {
        run_at(samples, |time| 1.0 + strength * (0.03 * (time * 5.0).sin() + 0.01 * (time * 44.0).sin()));
    }),
    ("noise, down to 6 dB", |samples, strength, noise| {
        samples.iter_mut().for_each(|one| *one += 0.25 * strength * noise.bell());
    }),
    ("noise, down to 0 dB", |samples, strength, noise| {
        samples.iter_mut().for_each(|one| *one += 0.5 * strength * noise.bell());
    }),
    ("hum as loud as the tones", |samples, strength, _| {
        samples
            .iter_mut()
            .enumerate()
            .for_each(|(at, one)| *one += 0.7 * strength * (at as f32 * 0.01425).sin());
    }),
    ("highs lost from 1500 Hz on", |samples, strength, _| {
        let keep = 1.0 - (-std::f32::consts::TAU * (8000.0 - 6500.0 * strength) / RATE as f32).exp();
        let mut out = 0.0;
        samples.iter_mut().for_each(|one| {
            out += (*one - out) * keep;
            *one = out;
        });
    }),
    ("clipped, up to 30 times", |samples, strength, _| {
        samples.iter_mut().for_each(|one| *one = (*one * (1.0 + 29.0 * strength)).clamp(-0.9, 0.9));
    }),
    ("8 bits, down to 3 steps", |samples, strength, _| {
        samples.iter_mut().for_each(|one| *one = (*one * (127.0 - 124.0 * strength)).round() / 127.0);
    }),
    ("clicks, up to 20 a second", |samples, strength, noise| {
        for _ in 0..(samples.len() as f32 / RATE as f32 * 20.0 * strength) as usize {
            let at = (noise.even() * samples.len() as f32) as usize % samples.len();
            samples[at] = 1.0;
        }
    }),
    ("a drop-out of up to 50 ms", |samples, strength, noise| {
        let length = (0.05 * strength * RATE as f32) as usize;
        let at = (noise.even() * (samples.len() - length) as f32) as usize;
        samples[at..at + length].fill(0.0);
    }),
];

fn main() {
    let mut noise = Noise(88_172_645_463_325_252);
    println!("{:36} {:>9} {:>9} {:>7}", "of 500 tapes at 300 and 1200 baud", "read", "told", "wrong");
    for (name, damage) in KINDS {
        let mut cells = Vec::new();
        for baud in Baud::ALL {
            let (mut good, mut wrong) = (0, 0);
            for _ in 0..TAPES {
                let bytes: Vec<u8> = (0..BYTES).map(|_| (noise.even() * 256.0) as u8).collect();
                let stretches = [Stretch { first: 0x4000, bytes }];
                let tones = Tones { rate: RATE, baud, wave: Wave::Sine, level: 0.7 };
                let writing = Writing { tones, leader: 0.5, gap: 0.1, ..Writing::default() };
                let mut samples = write("LAMP", &stretches, None, &writing);
                let strength = noise.even();
                damage(&mut samples, strength, &mut noise);
                let tape = read(&[(RATE, &samples)]);
                let whole = tape.records.iter().filter(|one| one.is_whole);
                let whole: Vec<bool> = whole.map(|one| one.stretches == stretches).collect();
                good += usize::from(whole == [true]);
                wrong += usize::from(whole.contains(&false));
            }
            cells.push((good, TAPES - good - wrong, wrong));
        }
        let [(a, b, c), (d, e, f)] = cells[..] else { unreachable!("two speeds") };
        println!("{name:36} {a:>4} {d:>4} {b:>4} {e:>4} {c:>3} {f:>3}");
    }
    let minutes = 10;
    let tone: Vec<f32> = (0..44_100 * 60 * minutes).map(|at| (at as f32 * 0.342).sin()).collect();
    let least = (0..5).map(|_| {
        let begin = Instant::now();
        let mut listener = Listener::new(44_100);
        tone.chunks(1 << 14).for_each(|piece| listener.hear(piece));
        std::hint::black_box(listener.finish());
        begin.elapsed().as_secs_f64()
    });
    let least = least.fold(f64::MAX, f64::min);
    println!("an hour at 44,100 samples a second: {:.2} s", least * 60.0 / minutes as f64);
}
