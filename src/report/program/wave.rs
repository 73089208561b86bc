//! The wave of a recording round a place, with the bytes that are heard in it.

use super::picture::{Ground, Ink, Picture, letter};
use crate::cassette::{DOUBTFUL, Heard, Listener};
use crate::image::Place;

/// Rows of a picture, and seconds of each.
const ROWS: usize = 4;
const SECONDS: f64 = 0.08;
/// Seconds in front of the first row that are listened to as well.
const BEFORE: f64 = 0.6;
const WIDTH: f64 = 1280.0;
const LEFT: f64 = 90.0;
const RIGHT: f64 = 24.0;
const TOP: f64 = 64.0;
const ROW: f64 = 150.0;
/// Half of what a wave may take of its row.
const HALF: f64 = 48.0;

/// The stretch of a recording that a picture round a second needs: from the first second to the last.
pub fn wave_stretch(second: f64) -> (f64, f64) {
    let begin = (second - SECONDS * 1.5).max(0.0);
    ((begin - BEFORE).max(0.0), begin + SECONDS * ROWS as f64 + 0.2)
}

/// Draws the wave round a second of a recording. `samples` begin at the second `from`, so many a second; [`wave_stretch`] says which are
/// needed. Bytes stand below the place where they begin; those that may be wrong are marked.
pub fn wave(samples: &[f32], rate: u32, from: f64, second: f64, ground: Ground) -> String {
    let mut picture = Picture::new(ground, WIDTH, TOP + ROW * ROWS as f64 + 8.0);
    let begin = (second - SECONDS * 1.5).max(0.0);
    let title = format!("the wave from {} on", time(begin));
    picture.text((LEFT, 34.0), 20.0, Ink::Plain, "start", &title);
    let note = "bytes stand where they begin; ? may be wrong";
    picture.text((WIDTH - RIGHT, 34.0), 14.0, Ink::Faint, "end", note);
    let rate = f64::from(rate);
    let loudest = samples.iter().fold(0.02f32, |most, one| most.max(one.abs()));
    let heard = bytes(samples, rate as u32);
    for row in 0..ROWS {
        let (start, middle) = (begin + SECONDS * row as f64, TOP + ROW * row as f64 + HALF + 6.0);
        let across = |at: f64| LEFT + (at - start) / SECONDS * (WIDTH - LEFT - RIGHT);
        picture.text((LEFT - 12.0, middle + 5.0), 14.0, Ink::Faint, "end", &time(start));
        picture.line(&[(LEFT, middle), (WIDTH - RIGHT, middle)], Ink::Faint, 0.5, false);
        let sample_at = |at: f64| ((at - from) * rate).max(0.0) as usize;
        let shown = sample_at(start)..sample_at(start + SECONDS).min(samples.len());
        let points = shown.clone().map(|at| {
            let level = f64::from(samples[at] / loudest);
            (across(from + at as f64 / rate), middle - level * HALF)
        });
        let points: Vec<(f64, f64)> = points.collect();
        if points.len() > 1 {
            picture.line(&points, Ink::Plain, 1.2, false);
        } else {
            picture.text((LEFT, middle - 8.0), 14.0, Ink::Faint, "start", "the recording has ended");
        }
        let mut free = LEFT;
        for one in &heard {
            let at = from + one.at as f64 / rate;
            if !(start..start + SECONDS).contains(&at) {
                continue;
            }
            let doubtful = one.sure < DOUBTFUL || !one.is_framed;
            let (x, ink) = (across(at), if doubtful { Ink::Accent } else { Ink::Plain });
            picture.line(&[(x, middle - HALF), (x, middle + HALF + 10.0)], ink, 0.8, false);
            let text = format!("{:02X}{}", one.byte, if doubtful { "?" } else { "" });
            if x >= free {
                picture.text((x + 3.0, middle + HALF + 18.0), 14.0, ink, "start", &text);
                free = x + letter(14.0) * (text.len() as f64 + 1.0);
            }
        }
    }
    picture.finish()
}

/// The bytes of the speed that is surer.
fn bytes(samples: &[f32], rate: u32) -> Vec<Heard> {
    let mut listener = Listener::new(rate);
    listener.hear(samples);
    let sure = |heard: &[Heard]| heard.iter().map(|one| one.sure).sum::<f32>() / heard.len().max(1) as f32;
    let both = listener.finish().heard.into_iter().map(|row| row.1).filter(|heard| !heard.is_empty());
    both.max_by(|one, other| sure(one).total_cmp(&sure(other))).unwrap_or_default()
}

fn time(seconds: f64) -> String {
    Place::Time((seconds * 1000.0).round() as u64).to_string()
}
