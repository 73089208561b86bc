//! What is on a cassette, block by block, as a person reads it.

use crate::cassette::{DOUBTFUL, Found, Kind, Recording, Tape};
use crate::image::cassette::damages;
use crate::number::thousands;
use crate::text::{Text, Tone};
use serde::Serialize;

/// The facts of a recording, for scripts.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct CassetteFacts {
    /// Samples a second.
    pub rate: u32,
    /// Channels.
    pub channels: u16,
    /// Bits of a sample.
    pub bits: u16,
    /// How long it is, in seconds.
    pub seconds: f64,
    /// The programs on it.
    pub programs: Vec<ProgramFacts>,
    /// Bytes in no block.
    pub loose: Vec<LooseFacts>,
}

/// A program on a cassette.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ProgramFacts {
    /// Its name; null where its header cannot be read.
    pub name: Option<String>,
    /// The second at which it begins.
    pub second: f64,
    /// Its stretches: the first address, and how many bytes were read.
    pub stretches: Vec<(u32, usize)>,
    /// Where it starts, where it says so.
    pub start: Option<u32>,
    /// Blocks of data that it has.
    pub blocks: usize,
    /// The numbers of those that cannot be read.
    pub missing: Vec<u16>,
    /// Everything was read.
    pub whole: bool,
    /// The sum of all of it was there and agrees.
    pub checked: bool,
}

/// Bytes in no block.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LooseFacts {
    /// The second at which they begin.
    pub second: f64,
    /// Bits a second.
    pub baud: u32,
    /// How many they are.
    pub bytes: usize,
    /// How many of them may be wrong.
    pub doubtful: usize,
}

/// The facts of a recording.
pub fn cassette_facts(recording: &Recording, tape: &Tape) -> CassetteFacts {
    let programs = tape.records.iter().map(|one| ProgramFacts {
        name: one.header.as_ref().map(|header| header.name.clone()),
        second: one.seconds.0,
        stretches: one.stretches.iter().map(|one| (one.first, one.bytes.len())).collect(),
        start: one.header.as_ref().and_then(|header| header.start),
        blocks: one.header.as_ref().map_or(one.blocks.len(), |header| header.blocks.into()),
        missing: one.missing.clone(),
        whole: one.is_whole,
        checked: one.is_checked,
    });
    let loose = tape.loose.iter().map(|one| LooseFacts {
        second: one.second,
        baud: one.baud.bits(),
        bytes: one.bytes.len(),
        doubtful: one.doubtful.len(),
    });
    CassetteFacts {
        rate: recording.rate,
        channels: recording.channels,
        bits: recording.bits,
        seconds: seconds_of(recording),
        programs: programs.collect(),
        loose: loose.collect(),
    }
}

fn seconds_of(recording: &Recording) -> f64 {
    recording.samples as f64 / f64::from(recording.rate)
}

/// A time on the tape: minutes, seconds and their tenths.
fn time(seconds: f64) -> String {
    let tenths = (seconds * 10.0).round() as u64;
    format!("{}:{:02}.{}", tenths / 600, tenths % 600 / 10, tenths % 10)
}

fn percent(share: f32) -> String {
    format!("{:.0} %", share * 100.0)
}

/// How much faster than it should the tape ran.
fn pace(speed: f32) -> String {
    let tenths = ((speed - 1.0) * 1000.0).round() as i32;
    format!("{}{}.{} %", if tenths < 0 { '-' } else { '+' }, tenths.abs() / 10, tenths.abs() % 10)
}

/// What is on a recording, as a table of its blocks. A block that cannot be read is marked.
pub fn cassette(recording: &Recording, tape: &Tape) -> Text {
    let mut text = Text::new();
    let channels = if recording.channels == 1 {
        "1 channel".to_string()
    } else {
        format!("{} channels", recording.channels)
    };
    text.line().tone(Tone::Faint, "recording  ").put(format!(
        "{}, {} samples a second of {} bits, {channels}",
        time(seconds_of(recording)),
        thousands(recording.rate.into()),
        recording.bits
    ));
    if recording
        .promised
        .is_some_and(|promised| promised > recording.samples + u64::from(recording.rate) / 100)
    {
        text.line().tone(Tone::Wrong, "its header promises more than there is: the file was cut off");
    }
    if tape.records.is_empty() && tape.loose.is_empty() {
        text.line().tone(Tone::Wrong, "no bytes can be heard on it");
    }
    for (number, record) in tape.records.iter().enumerate() {
        let name = record.header.as_ref().map_or("its header cannot be read", |header| header.name.as_str());
        text.line();
        text.line().tone(Tone::Strong, format!("program {}  {name}", number + 1));
        let places: Vec<String> = record
            .stretches
            .iter()
            .map(|one| format!("{:04X}..{:04X}", one.first, one.first as usize + one.bytes.len() - 1))
            .collect();
        let bytes: usize = record.stretches.iter().map(|one| one.bytes.len()).sum();
        text.put(format!("  {} bytes", thousands(bytes as u64)));
        if !places.is_empty() {
            text.put(format!(" at {}", places.join(", ")));
        }
        if let Some(start) = record.header.as_ref().and_then(|header| header.start) {
            text.put(format!(", start {start:04X}"));
        }
        let state = match (record.is_checked, record.is_whole) {
            (true, _) => (Tone::Plain, "  every block was read, and the sum of all agrees"),
            (_, true) => (Tone::Plain, "  every block was read; the sum of all was not there"),
            _ => (Tone::Wrong, "  not everything could be read"),
        };
        text.line().tone(state.0, state.1);
        text.line().tone(Tone::Faint, "     time  block   baud   speed  level   sure");
        for (second, found) in &record.blocks {
            row(&mut text, *second, found);
        }
        for damage in damages(record) {
            text.line().tone(Tone::Wrong, format!("  {}  {}", damage.place, damage.problem));
        }
    }
    for one in &tape.loose {
        text.line();
        text.line().tone(Tone::Strong, format!("{} bytes in no block", thousands(one.bytes.len() as u64)));
        text.put(format!(
            "  from {}, {} baud, speed {}, level {}",
            time(one.second),
            one.baud.bits(),
            pace(one.speed),
            percent(one.level)
        ));
        if !one.doubtful.is_empty() {
            text.line().tone(Tone::Wrong, format!("  {} of them may be wrong", one.doubtful.len()));
        }
    }
    text
}

fn row(text: &mut Text, second: f64, found: &Found) {
    let (tone, what) = match &found.block {
        Some(block) => {
            let what = match block.kind {
                Kind::Header => "header".to_string(),
                Kind::Data => block.number.to_string(),
                Kind::End => "end".to_string(),
            };
            (Tone::Plain, what)
        }
        None => (Tone::Wrong, "broken".to_string()),
    };
    text.line().tone(
        tone,
        format!(
            "{:>9}  {what:6} {:>5}  {:>6}  {:>5}  {:>5}",
            time(second),
            found.baud.bits(),
            pace(found.speed),
            percent(found.level),
            percent(found.sure)
        ),
    );
    if found.sure < DOUBTFUL && found.block.is_some() {
        text.tone(Tone::Faint, "  faint, and right by its sum");
    } else if found.block.is_none() {
        let doubtful =
            if found.doubtful == 1 { "1 byte".to_string() } else { format!("{} bytes", found.doubtful) };
        text.tone(Tone::Wrong, format!("  {doubtful} in doubt"));
    }
}
