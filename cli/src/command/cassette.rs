//! Recordings of cassettes: listened to, told, put together.

use crate::files;
use crate::paint;
use crate::say::Failure;
use crate::signals;
use indicatif::{ProgressBar, ProgressStyle};
use plain_byte::cassette::{DOUBTFUL, Hearing, Recording, Tape, gather, is_wav, listen};
use plain_byte::image::cassette::{damages, image_of, of_tape};
use plain_byte::image::{Image, Settings};
use std::fs::File;
use std::io::{BufReader, IsTerminal, Read};

/// True where the file is a recording.
pub fn is_recording(name: &str) -> bool {
    let mut begin = [0; 12];
    name != "-" && File::open(name).and_then(|mut file| file.read_exact(&mut begin)).is_ok() && is_wav(&begin)
}

/// Recordings of one tape, listened to and put together; what the first one is.
pub fn hear(names: &[String]) -> Result<(Recording, Tape), Failure> {
    let mut hearings: Vec<Hearing> = Vec::new();
    let mut first = None;
    for name in names {
        let problem = |error: &dyn std::fmt::Display| {
            Failure::input(
                format!("{name} cannot be read: {error}"),
                "name a recording of a tape, as a WAV file",
            )
        };
        files::note(name);
        let file = File::open(name).map_err(|error| problem(&error))?;
        let bar = bar(file.metadata().map_or(0, |facts| facts.len()));
        let mut go_on = |bytes: u64| {
            bar.set_position(bytes);
            !signals::was_stopped()
        };
        let (recording, heard) = listen(BufReader::new(file), &mut go_on).map_err(|error| problem(&error))?;
        bar.finish_and_clear();
        if signals::was_stopped() {
            return Err(Failure::input(format!("{name} was not heard to its end"), "nothing was written"));
        }
        first.get_or_insert(recording);
        hearings.extend(heard);
    }
    let recording = first.ok_or_else(|| Failure::usage("no recording is named", "name a WAV file"))?;
    Ok((recording, gather(&hearings)))
}

/// A long recording shows how far it is.
fn bar(length: u64) -> ProgressBar {
    const LONG: u64 = 64 << 20;
    if length < LONG || !std::io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let style = ProgressStyle::with_template("listening {wide_bar} {percent} %");
    ProgressBar::new(length).with_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()))
}

/// Samples of the first channel of a recording, from one second to another; and how many there are in a second.
pub fn samples(name: &str, from: f64, to: f64) -> Result<(Vec<f32>, u32), Failure> {
    let problem = |error: hound::Error| {
        Failure::input(format!("{name} cannot be read: {error}"), "name a recording of a tape, as a WAV file")
    };
    let mut reader = hound::WavReader::open(name).map_err(problem)?;
    let spec = reader.spec();
    let (first, last) =
        ((from * f64::from(spec.sample_rate)) as u32, (to * f64::from(spec.sample_rate)) as u32);
    let begin = first.min(reader.duration());
    reader.seek(begin).map_err(|error| problem(error.into()))?;
    let count = last.saturating_sub(begin) as usize * usize::from(spec.channels);
    let full = (1u64 << (spec.bits_per_sample.clamp(1, 32) - 1)) as f32;
    let all: Vec<f32> = match spec.sample_format {
        hound::SampleFormat::Float => reader.samples::<f32>().take(count).map_while(Result::ok).collect(),
        hound::SampleFormat::Int => reader
            .samples::<i32>()
            .take(count)
            .map_while(Result::ok)
            .map(|value| value as f32 / full)
            .collect(),
    };
    Ok((all.into_iter().step_by(spec.channels.max(1).into()).collect(), spec.sample_rate))
}

/// A time on a tape: seconds, or minutes and seconds with a colon between.
pub fn second(text: &str) -> Option<f64> {
    let (minutes, seconds) = text.split_once(':').unwrap_or(("0", text));
    let seconds = minutes.parse::<f64>().ok()? * 60.0 + seconds.parse::<f64>().ok()?;
    (0.0..1e6).contains(&seconds).then_some(seconds)
}

/// The first place that somebody wants to see: a damage, else the first byte.
pub fn worth_seeing(tape: &Tape) -> f64 {
    let broken = tape.records.iter().flat_map(|one| &one.blocks).find(|row| row.1.block.is_none());
    // The first byte of it that nobody is sure of.
    let damage = broken.map(|(second, found)| {
        let byte = found.heard.iter().position(|one| one.1 < DOUBTFUL).unwrap_or(0);
        second + byte as f64 * 11.0 / (f64::from(found.baud.bits()) * f64::from(found.speed))
    });
    let doubtful = tape.loose.iter().find_map(|one| {
        let at = *one.doubtful.first()?;
        Some(one.second + at as f64 * 11.0 / f64::from(one.baud.bits()))
    });
    let begin = || tape.records.first().map(|one| one.seconds.0).or(tape.loose.first().map(|one| one.second));
    damage.or(doubtful).or_else(begin).unwrap_or(0.0)
}

/// The program of recordings of one tape. What cannot be read is told; where there is something else, that comes back beside a false.
pub fn image(names: &[String], settings: &Settings) -> Result<(Image, bool), Failure> {
    let (_, tape) = hear(names)?;
    let errors = match of_tape(&tape, settings) {
        Ok(image) => return Ok((image, true)),
        Err(errors) => errors,
    };
    let chosen = settings.get("program").map_or(0, |number| number as usize - 1);
    let rest = tape.records.get(chosen).filter(|one| !one.stretches.is_empty() && errors == damages(one));
    let failure = crate::open::unreadable(&names.join(", "), &errors);
    match rest.map(image_of) {
        Some(Ok(image)) => {
            paint::note("the rest is saved");
            Ok((image, false))
        }
        _ => Err(failure),
    }
}
