//! `cassette`: a recording of a cassette tape, a WAV file of tones.

use super::{Format, Image, Place, ReadError, Segment, Settings, WriteError, Written};
use crate::cassette::{
    Baud, Record, Stretch, Tape, Tones, Wave, Writing, gather, listen, write as tones, write_wav,
};

/// The format.
pub const FORMAT: Format = Format {
    name: "cassette",
    about: "a recording of a cassette tape: a WAV file of tones",
    tape: false,
    endings: &["wav"],
    settings: &[
        "baud", "rate", "bits", "level", "leader", "gap", "square", "record", "bare", "program", "first",
    ],
    write: |image, settings| write(image, settings).map(Written::only),
    read,
};

/// A name for what has none.
const NAMELESS: &str = "PROGRAM";

/// How the tape is written, as the settings say.
fn writing(settings: &Settings) -> Result<(Writing, u16), WriteError> {
    let one_of = |name: &str, value: u32, values: [u32; 2]| match values.contains(&value) {
        true => Ok(value),
        false => Err(WriteError::Refused(format!("`{name}` is {} or {}", values[0], values[1]))),
    };
    let usual = Writing::default();
    let get = |name: &str, usual: u32| settings.get(name).unwrap_or(usual);
    let baud = one_of("baud", get("baud", usual.tones.baud.bits()), [300, 1200])?;
    let bits = one_of("bits", get("bits", 16), [8, 16])? as u16;
    let tones = Tones {
        rate: get("rate", usual.tones.rate),
        baud: Baud::of(baud).unwrap_or(usual.tones.baud),
        wave: if get("square", 0) == 1 { Wave::Square } else { Wave::Sine },
        level: get("level", (usual.tones.level * 100.0) as u32) as f32 / 100.0,
    };
    let tenths = |name: &str, usual: f64| settings.get(name).map_or(usual, |tenths| f64::from(tenths) / 10.0);
    let writing = Writing {
        tones,
        leader: tenths("leader", usual.leader),
        gap: tenths("gap", usual.gap),
        per_block: get("record", usual.per_block as u32) as usize,
        bare: get("bare", 0) == 1,
    };
    Ok((writing, bits))
}

/// The longest recording that is written, in seconds.
const LONGEST: f64 = 7_200.0;

/// Writes a recording.
///
/// # Errors
/// [`WriteError`] for an empty image, cells wider than a byte, addresses past 0FFFFFFh, and where the tape would be longer than any.
pub fn write(image: &Image, settings: &Settings) -> Result<Vec<u8>, WriteError> {
    let (_, last) = image.byte_bounds()?;
    if last > 0xFF_FFFF {
        return Err(WriteError::Outside { start: last, last, first: 0, length: 0x100_0000 });
    }
    let (writing, bits) = writing(settings)?;
    let stretches: Vec<Stretch> = image
        .segments()
        .iter()
        .map(|one| Stretch { first: one.start, bytes: one.cells.iter().map(|&cell| cell as u8).collect() })
        .collect();
    let bytes: usize = stretches.iter().map(|one| one.bytes.len()).sum();
    let seconds = bytes as f64 * 11.0 / f64::from(writing.tones.baud.bits());
    if seconds > LONGEST {
        let minutes = seconds / 60.0;
        return Err(WriteError::Refused(format!(
            "{bytes} bytes would be {minutes:.0} minutes of tape; write `baud=1200`, or a shorter program"
        )));
    }
    let name = settings.name().unwrap_or(NAMELESS).to_ascii_uppercase();
    let samples = tones(&name, &stretches, image.entry(), &writing);
    Ok(write_wav(&samples, writing.tones.rate, bits))
}

fn wrong<T>(place: Place, problem: impl Into<String>, help: impl Into<String>) -> Result<T, Vec<ReadError>> {
    Err(vec![ReadError { place, problem: problem.into(), help: help.into() }])
}

fn millis(seconds: f64) -> Place {
    Place::Time((seconds * 1000.0) as u64)
}

/// Reads a program from a recording. `program` chooses one where there are several; without blocks the bytes alone are taken, from `first`
/// on.
///
/// # Errors
/// What cannot be read, each with its time on the tape; nothing is read in part.
pub fn read(file: &[u8], settings: &Settings) -> Result<Image, Vec<ReadError>> {
    let (_, hearings) = match listen(file, &mut |_| true) {
        Ok(heard) => heard,
        Err(error) => {
            return wrong(Place::Byte(0), error.to_string(), "name a recording of a tape, as a WAV file");
        }
    };
    of_tape(&gather(&hearings), settings)
}

/// The program of a tape.
///
/// # Errors
/// As [`read`].
pub fn of_tape(tape: &Tape, settings: &Settings) -> Result<Image, Vec<ReadError>> {
    let names = || {
        let name = |one: &Record| one.header.as_ref().map_or("?".to_string(), |header| header.name.clone());
        tape.records.iter().map(name).collect::<Vec<_>>().join(", ")
    };
    let record = match (settings.get("program"), tape.records.as_slice()) {
        (None, []) => return bare(tape, settings),
        (None, [one]) => one,
        (None, _) => {
            let help = format!(
                "choose one by its number: `convert --from cassette,program=1`; there are {}",
                names()
            );
            return wrong(Place::Time(0), format!("the tape has {} programs", tape.records.len()), help);
        }
        (Some(number), all) => match all.get(number as usize - 1) {
            Some(one) => one,
            None => {
                return wrong(
                    Place::Time(0),
                    format!("the tape has no program {number}"),
                    format!("there are {}", names()),
                );
            }
        },
    };
    let errors = damages(record);
    if errors.is_empty() {
        image_of(record).map_or_else(|problem| wrong(Place::Time(0), problem, "give another tape"), Ok)
    } else {
        Err(errors)
    }
}

/// What of a program cannot be read, each with its time on the tape.
pub fn damages(record: &Record) -> Vec<ReadError> {
    let help = "play it again at another level, clean the head, or give another recording of the same tape beside it";
    let time = |number: u16| {
        let known =
            record.blocks.iter().filter_map(|(second, one)| Some((one.block.as_ref()?.number, *second)));
        let before = known.filter(|row| row.0 < number).map(|row| row.1).fold(record.seconds.0, f64::max);
        // It was heard broken, after the last good one.
        let broken = record.blocks.iter().filter(|(_, one)| one.block.is_none()).map(|row| row.0);
        broken
            .filter(|&second| second > before)
            .fold(None, |first: Option<f64>, one| Some(first.map_or(one, |first| first.min(one))))
            .unwrap_or(before)
    };
    let missing = record.missing.iter().map(|&number| ReadError {
        place: millis(time(number)),
        problem: format!("block {number} cannot be read"),
        help: help.to_string(),
    });
    let mut all: Vec<ReadError> = missing.collect();
    if all.is_empty() && !record.is_whole {
        let problem =
            "the beginning or the end of the program is missing, and so nobody can say whether it is whole";
        all.push(ReadError {
            place: millis(record.seconds.0),
            problem: problem.to_string(),
            help: help.to_string(),
        });
    }
    all
}

/// What was read of a program, as an image.
///
/// # Errors
/// A sentence where its parts overlap or reach past the end of memory.
pub fn image_of(record: &Record) -> Result<Image, String> {
    let pieces = record
        .stretches
        .iter()
        .map(|one| Segment { start: one.first, cells: one.bytes.iter().map(|&byte| byte.into()).collect() });
    let (mut image, _) = Image::from_pieces(8, pieces.collect()).map_err(|error| error.to_string())?;
    image.set_entry(record.header.as_ref().and_then(|header| header.start));
    Ok(image)
}

/// Bytes that are in no block.
fn bare(tape: &Tape, settings: &Settings) -> Result<Image, Vec<ReadError>> {
    let longest = tape.loose.iter().max_by_key(|one| one.bytes.len());
    let Some(one) = longest else {
        return wrong(
            Place::Time(0),
            "no bytes can be heard",
            "look whether this is the right recording, and play it louder",
        );
    };
    let help =
        "bytes without blocks have no sum: play the tape again, or give another recording of it beside";
    let doubtful = one.doubtful.iter().map(|&at| ReadError {
        place: millis(one.second + at as f64 * 11.0 / f64::from(one.baud.bits())),
        problem: format!("the byte {:02X}h may be wrong", one.bytes[at]),
        help: help.to_string(),
    });
    let doubtful: Vec<ReadError> = doubtful.collect();
    if !doubtful.is_empty() {
        return Err(doubtful);
    }
    super::raw::read(&one.bytes, settings.get("first").unwrap_or(0))
}
