//! What a speaker played, as samples.

use crate::machine::Speaker;

/// The loudest sample.
const LOUD: f64 = 8000.0;

/// Samples of a machine's first `cycles` cycles, so many a second; each is the mean of where the cone stood in its time.
///
/// A machine whose cone never moved gives silence.
pub fn samples(speaker: &Speaker, clock: u64, cycles: u64, rate: u32) -> Vec<i16> {
    let per_sample = clock as f64 / f64::from(rate);
    let count = (cycles as f64 / per_sample).ceil() as usize;
    let mut samples = Vec::with_capacity(count);
    let mut turns = speaker.turns().iter().map(|&turn| turn as f64).peekable();
    let mut is_out = false;
    let mut moved = false;
    for at in 0..count {
        let (begin, end) = (at as f64 * per_sample, (at + 1) as f64 * per_sample);
        let (mut from, mut out) = (begin, 0.0);
        while let Some(turn) = turns.next_if(|&turn| turn < end) {
            if is_out {
                out += turn - from;
            }
            (from, is_out, moved) = (turn.max(begin), !is_out, true);
        }
        if is_out {
            out += end - from;
        }
        let mean = out / per_sample;
        // A cone that stands still makes no sound, wherever it stands.
        let still = out == 0.0 || out >= per_sample;
        let level = if moved || !still { mean * 2.0 - 1.0 } else { 0.0 };
        samples.push((level * LOUD) as i16);
    }
    // What stands still is silent: the mean of the last moments is taken away.
    quiet(&mut samples, rate);
    samples
}

/// Takes slow movement away, as the coil of a speaker does.
fn quiet(samples: &mut [i16], rate: u32) {
    let keep = 1.0 - 1.0 / (f64::from(rate) / 50.0);
    let (mut before, mut out) = (0.0, 0.0);
    for sample in samples {
        let value = f64::from(*sample);
        out = keep * (out + value - before);
        before = value;
        *sample = out as i16;
    }
}
