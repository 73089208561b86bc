//! Recordings of cassettes: listened to, told, put together.

use crate::files;
use crate::paint;
use crate::say::Failure;
use crate::signals;
use indicatif::{ProgressBar, ProgressStyle};
use plain_byte::cassette::{
    DOUBTFUL, Hearing, Recording, Signal, Tape, compare, gather, is_wav, listen, samples_of, write_wav,
};
use plain_byte::image::cassette::{damages, image_of, of_tape};
use plain_byte::image::{Image, Settings};
use plain_byte::machine::{Deck, Event, Machine};
use plain_byte::session::Session;
use std::fs::File;
use std::io::{BufReader, IsTerminal, Read};
use std::path::Path;

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
        let problem = |error: &dyn std::fmt::Display| unheard(name, error);
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
    let (mut wanted, mut count) = (Vec::new(), 0u64);
    let file = File::open(name).map_err(|error| unheard(name, &error))?;
    let over = std::cell::Cell::new(false);
    let recording = samples_of(BufReader::new(file), &mut |_| !over.get(), &mut |recording, frames| {
        let rate = f64::from(recording.rate);
        for frame in frames.chunks_exact(recording.channels.into()) {
            let second = count as f64 / rate;
            over.set(second >= to);
            if second >= from && second < to {
                wanted.push(frame[0]);
            }
            count += 1;
        }
    });
    Ok((wanted, recording.map_err(|error| unheard(name, &error))?.rate))
}

fn unheard(name: &str, error: &dyn std::fmt::Display) -> Failure {
    Failure::input(format!("{name} cannot be read: {error}"), "name a recording of a tape, as a WAV file")
}

/// A cassette for a recorder, as the interface of a board hears it.
pub fn cassette(name: &str) -> Result<Signal, Failure> {
    files::note(name);
    let file = File::open(name).map_err(|error| unheard(name, &error))?;
    compare(BufReader::new(file), &mut |_| !signals::was_stopped()).map_err(|error| unheard(name, &error))
}

/// Minutes of a new cassette.
const BLANK: u64 = 30;

/// Puts a cassette into the recorder of a board. With a recording play is down; a file that is not there is a new tape, and record is.
pub fn insert(session: &mut Session, name: &str) -> Result<(), Failure> {
    let is_new = !Path::new(name).exists();
    let tape = if is_new { Signal::blank(BLANK * 60) } else { cassette(name)? };
    let key = if is_new { Deck::Record } else { Deck::Play };
    for event in [Event::Cassette(tape), Event::Recorder(key)] {
        session.happen(event).map_err(|error| {
            Failure::usage(error.to_string(), "`plainbyte boards NAME` shows whether a board has a recorder")
        })?;
    }
    Ok(())
}

/// Where what was recorded on the cassette of a file is kept: in the file itself where it was not there before, else beside it, so that no
/// recording is lost.
pub fn kept_as(name: &str) -> String {
    if !Path::new(name).exists() {
        return name.to_string();
    }
    let stem = name.strip_suffix(".wav").unwrap_or(name);
    format!("{stem}-recorded.wav")
}

/// What was recorded on the cassette that is in a machine's recorder, as a WAV file.
pub fn recorded(machine: &Machine) -> Option<Vec<u8>> {
    let recorder = machine.recorder().filter(|recorder| recorder.has_recorded())?;
    recorder.tape(machine.cycles()).map(|tape| wav_of(&tape))
}

/// A cassette as a WAV file.
pub fn wav_of(tape: &Signal) -> Vec<u8> {
    const RATE: u32 = 44_100;
    write_wav(&tape.samples(RATE), RATE, 16)
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
