//! Cassette tape: programs as tones, and back.
//!
//! Bytes go over the tape as the byte standard of home computers has them (1200 and 2400 Hz, a start bit, eight bits, two stop bits), at
//! 300 bits a second or at 1200. On top of that stands a form of blocks of our own; `docs/tape.md` describes it. Samples come in and go
//! out as numbers from -1 to 1.

mod filter;
mod hear;
mod record;
mod signal;
mod tape;
mod tone;
mod wav;

pub use hear::{DOUBTFUL, Heard, Listener};
pub use record::{Block, Found, Header, Kind, NAME, PER_BLOCK, Stretch, blocks};
pub use signal::{Comparator, Signal};
pub use tape::{Hearing, Loose, Record, Tape, gather};
pub use tone::{Baud, Player, Tones, Wave};
pub use wav::{Recording, WavError, compare, is_wav, listen, samples_of, write_wav};

/// How a tape is written.
#[derive(Debug, Clone, PartialEq)]
pub struct Writing {
    /// The tones.
    pub tones: Tones,
    /// Seconds of ones in front of the first block.
    pub leader: f64,
    /// Seconds of ones in front of every other block.
    pub gap: f64,
    /// Bytes of a program in a block.
    pub per_block: usize,
    /// No blocks: the bytes alone.
    pub bare: bool,
}

impl Default for Writing {
    fn default() -> Self {
        let tones = Tones { rate: 44_100, baud: Baud::B300, wave: Wave::Sine, level: 0.7 };
        Self { tones, leader: 5.0, gap: 0.3, per_block: PER_BLOCK, bare: false }
    }
}

/// Silence in front of a program and after it, in seconds.
const SILENCE: f64 = 0.5;
/// Ones after the last byte, in seconds: a reader that works slowly still sees the end.
const TAIL: f64 = 0.3;

/// A program as samples.
pub fn write(name: &str, stretches: &[Stretch], start: Option<u32>, writing: &Writing) -> Vec<f32> {
    let mut player = Player::new(writing.tones);
    player.silence(SILENCE);
    player.leader(writing.leader);
    if writing.bare {
        let mut next: Option<u32> = None;
        for one in stretches {
            // What lies between is filled, as it is in a chip that is not written.
            let empty = next.map_or(0, |next| one.first.saturating_sub(next));
            (0..empty).for_each(|_| player.byte(0xFF));
            one.bytes.iter().for_each(|&byte| player.byte(byte));
            next = Some(one.first.wrapping_add(one.bytes.len() as u32));
        }
    } else {
        for (number, block) in blocks(name, stretches, start, writing.per_block).iter().enumerate() {
            if number > 0 {
                player.leader(writing.gap);
            }
            block.bytes().into_iter().for_each(|byte| player.byte(byte));
        }
    }
    player.leader(TAIL);
    player.silence(SILENCE);
    player.samples
}

/// What is on a tape, of which there are one or several channels or recordings, each with its samples a second.
pub fn read(channels: &[(u32, &[f32])]) -> Tape {
    let hearings: Vec<Hearing> = channels
        .iter()
        .map(|&(rate, samples)| {
            let mut listener = Listener::new(rate);
            listener.hear(samples);
            listener.finish()
        })
        .collect();
    gather(&hearings)
}
