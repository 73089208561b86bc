//! Recordings as WAV files: samples out of them, piece by piece, and into them.

use super::{Comparator, Hearing, Listener, Signal};
use hound::{SampleFormat, WavReader, WavSpec, WavWriter};
use std::io::{Cursor, Read};

/// What a recording is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Recording {
    /// Samples a second.
    pub rate: u32,
    /// Channels.
    pub channels: u16,
    /// Bits of a sample.
    pub bits: u16,
    /// Samples are numbers with a point.
    pub is_float: bool,
    /// Samples of each channel that were there.
    pub samples: u64,
    /// Samples that its head promised; `None` where it does not say.
    pub promised: Option<u64>,
}

/// Why a file is not a recording that can be listened to.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WavError {
    /// The file is not a WAV file, or one of a kind that nobody writes from a tape.
    #[error("it is not a usable WAV recording: {0}")]
    Unreadable(String),
    /// So few or so many samples a second.
    #[error("the recording has {0} samples a second")]
    Rate(u32),
    /// No channel, or too many.
    #[error("the recording has {0} channels")]
    Channels(u16),
}

/// Rates that are listened to.
const RATES: std::ops::RangeInclusive<u32> = 7_000..=400_000;
/// Channels beyond these have no tape in them.
const MOST_CHANNELS: u16 = 8;
/// Bytes that are read at once.
const PIECE: usize = 1 << 16;

/// True for what begins as a WAV file does.
pub fn is_wav(bytes: &[u8]) -> bool {
    bytes.starts_with(b"RIFF") && bytes.get(8..12) == Some(b"WAVE")
}

/// Samples of all channels by turns, with what the recording is.
type Hears<'h> = dyn FnMut(&Recording, &[f32]) + 'h;

/// Listens to a recording as it is read: to each of its channels, and of two channels to both together.
///
/// # Errors
/// The file is not a recording. One that is cut off is listened to as far as it goes.
pub fn listen(
    file: impl Read,
    go_on: &mut dyn FnMut(u64) -> bool,
) -> Result<(Recording, Vec<Hearing>), WavError> {
    let (mut ears, mut one): (Vec<Listener>, Vec<f32>) = (Vec::new(), Vec::new());
    let mut hear = |recording: &Recording, frames: &[f32]| {
        let count = usize::from(recording.channels);
        ears.resize_with(count + usize::from(count == 2), || Listener::new(recording.rate));
        if count == 1 {
            ears[0].hear(frames);
            return;
        }
        for (at, ear) in ears.iter_mut().enumerate() {
            one.clear();
            match at < count {
                true => one.extend(frames.chunks_exact(count).map(|frame| frame[at])),
                false => one.extend(frames.chunks_exact(count).map(|frame| 0.5 * (frame[0] + frame[1]))),
            }
            ear.hear(&one);
        }
    };
    let recording = samples_of(file, go_on, &mut hear)?;
    if ears.is_empty() {
        ears.push(Listener::new(recording.rate));
    }
    Ok((recording, ears.into_iter().map(Listener::finish).collect()))
}

/// A recording as the comparator of a cassette interface hears it; a recorder has one head, so that all channels are added up.
///
/// # Errors
/// The file is not a recording.
pub fn compare(file: impl Read, go_on: &mut dyn FnMut(u64) -> bool) -> Result<Signal, WavError> {
    let (mut comparator, mut one): (Option<Comparator>, Vec<f32>) = (None, Vec::new());
    let mut hear = |recording: &Recording, frames: &[f32]| {
        let count = usize::from(recording.channels);
        one.clear();
        one.extend(frames.chunks_exact(count).map(|frame| frame.iter().sum::<f32>() / count as f32));
        comparator.get_or_insert_with(|| Comparator::new(recording.rate)).hear(&one);
    };
    samples_of(file, go_on, &mut hear)?;
    Ok(comparator.map(Comparator::finish).unwrap_or_default())
}

/// The samples of a recording, from -1 to 1, whole frames at a time.
///
/// # Errors
/// The file is not a recording. One that is cut off is read as far as it goes.
pub fn samples_of(
    file: impl Read,
    go_on: &mut dyn FnMut(u64) -> bool,
    hear: &mut Hears<'_>,
) -> Result<Recording, WavError> {
    let reader =
        WavReader::new(with_whole_frames(file)).map_err(|error| WavError::Unreadable(error.to_string()))?;
    let WavSpec { channels, sample_rate, bits_per_sample, sample_format } = reader.spec();
    if !RATES.contains(&sample_rate) {
        return Err(WavError::Rate(sample_rate));
    }
    if !(1..=MOST_CHANNELS).contains(&channels) {
        return Err(WavError::Channels(channels));
    }
    let promised = u64::from(reader.duration());
    let is_float = sample_format == SampleFormat::Float;
    let mut recording = Recording {
        rate: sample_rate,
        channels,
        bits: bits_per_sample,
        is_float,
        samples: 0,
        promised: (promised > 0 && promised < u64::from(u32::MAX) / 8).then_some(promised),
    };
    let mut hear = |frames: &[f32]| {
        recording.samples += (frames.len() / usize::from(channels)) as u64;
        hear(&recording, frames);
    };
    match (bits_per_sample, is_float) {
        (16, false) => {
            pieces(reader.into_inner(), 2 * usize::from(channels), go_on, &mut hear, &|bytes, out| {
                out.extend(
                    bytes.as_chunks::<2>().0.iter().map(|&two| f32::from(i16::from_le_bytes(two)) / 32_768.0),
                );
            })
        }
        (8, false) => pieces(reader.into_inner(), usize::from(channels), go_on, &mut hear, &|bytes, out| {
            out.extend(bytes.iter().map(|&byte| (f32::from(byte) - 128.0) / 128.0));
        }),
        (32, true) => one_by_one(reader.into_samples::<f32>(), 1.0, channels, go_on, &mut hear),
        (bits, false) => {
            let full = (1u64 << (bits.clamp(1, 32) - 1)) as f32;
            let samples = reader.into_samples::<i32>().map(|one| one.map(|value| value as f32));
            one_by_one(samples, full, channels, go_on, &mut hear);
        }
        (bits, true) => return Err(WavError::Unreadable(format!("samples of {bits} bits with a point"))),
    }
    Ok(recording)
}

/// The head of a file up to its samples takes at most so many bytes.
const LONGEST_HEAD: u64 = 1 << 20;

/// The same file, its head promising whole frames: programs that did not know the length when they began promise anything.
fn with_whole_frames(mut file: impl Read) -> impl Read {
    let (mut head, mut frame) = (Vec::new(), 1u32);
    let mut take = |head: &mut Vec<u8>, count: u64| {
        let before = head.len();
        let left = LONGEST_HEAD.saturating_sub(before as u64);
        let taken = file.by_ref().take(count.min(left)).read_to_end(head);
        taken.is_ok() && head.len() - before == count as usize
    };
    let mut goes_on = take(&mut head, 12) && is_wav(&head);
    while goes_on {
        let at = head.len();
        take(&mut head, 8);
        let Some(&[a, b, c, d, length @ ..]) = head.get(at..).and_then(|chunk| chunk.first_chunk::<8>())
        else {
            break;
        };
        let length = u32::from_le_bytes(length);
        if [a, b, c, d] == *b"data" {
            let whole = length / frame * frame;
            head[at + 4..].copy_from_slice(&whole.to_le_bytes());
            break;
        }
        // Chunks begin at even places.
        goes_on = take(&mut head, u64::from(length) + u64::from(length & 1));
        if [a, b, c, d] == *b"fmt " {
            let align = head.get(at + 20..at + 22).map_or(1, |two| u16::from_le_bytes([two[0], two[1]]));
            frame = u32::from(align.max(1));
        }
    }
    Cursor::new(head).chain(file)
}

/// Reads whole frames until there are no more.
fn pieces(
    mut file: impl Read,
    frame: usize,
    go_on: &mut dyn FnMut(u64) -> bool,
    hear: &mut dyn FnMut(&[f32]),
    samples_of: &dyn Fn(&[u8], &mut Vec<f32>),
) {
    let mut piece = vec![0; PIECE / frame * frame];
    let (mut filled, mut done, mut samples) = (0, 0, Vec::new());
    loop {
        match file.read(&mut piece[filled..]) {
            // What is cut off ends there.
            Ok(0) | Err(_) => break,
            Ok(count) => filled += count,
        }
        let whole = filled / frame * frame;
        samples.clear();
        samples_of(&piece[..whole], &mut samples);
        hear(&samples);
        done += whole as u64;
        piece.copy_within(whole..filled, 0);
        filled -= whole;
        if !go_on(done) {
            break;
        }
    }
}

/// The same for samples that somebody else reads.
fn one_by_one(
    samples: impl Iterator<Item = hound::Result<f32>>,
    full: f32,
    channels: u16,
    go_on: &mut dyn FnMut(u64) -> bool,
    hear: &mut dyn FnMut(&[f32]),
) {
    let most = PIECE / usize::from(channels) * usize::from(channels);
    let (mut piece, mut done) = (Vec::with_capacity(most), 0);
    for sample in samples {
        let Ok(sample) = sample else { break };
        piece.push(if sample.is_finite() { sample / full } else { 0.0 });
        if piece.len() == most {
            hear(&piece);
            done += most as u64;
            piece.clear();
            if !go_on(done) {
                return;
            }
        }
    }
    let whole = piece.len() / usize::from(channels) * usize::from(channels);
    hear(&piece[..whole]);
}

/// Samples of one channel as a WAV file, with 8 or 16 bits each.
pub fn write_wav(samples: &[f32], rate: u32, bits: u16) -> Vec<u8> {
    let spec =
        WavSpec { channels: 1, sample_rate: rate, bits_per_sample: bits, sample_format: SampleFormat::Int };
    let mut file = Cursor::new(Vec::with_capacity(samples.len() * usize::from(bits / 8) + 44));
    let full = if bits == 8 { 127.0 } else { 32_767.0 };
    // Nothing can go wrong with memory, and a WAV file of more than 4 GB is not asked for.
    let mut write = || -> hound::Result<()> {
        let mut writer = WavWriter::new(&mut file, spec)?;
        for sample in samples {
            writer.write_sample((sample.clamp(-1.0, 1.0) * full).round() as i32)?;
        }
        writer.finalize()
    };
    let _ = write();
    file.into_inner()
}
