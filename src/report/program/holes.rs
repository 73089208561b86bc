//! A paper tape as it lies on the table: a column for each frame, channel 8 at the top, the feed holes between channels 4 and 3.

use crate::number::thousands;
use crate::text::{Text, Tone};

/// Frames beside each other.
const ACROSS: usize = 64;

/// So many equal frames at the beginning and at the end are shown.
const BLANK: usize = 4;

/// Draws up to `most` frames.
pub fn holes(tape: &[u8], most: usize) -> Text {
    let mut text = Text::new();
    let run = |frames: &mut dyn Iterator<Item = &u8>| {
        let mut frames = frames.peekable();
        let first = frames.peek().copied();
        frames.take_while(|frame| Some(*frame) == first).count()
    };
    let leader = run(&mut tape.iter());
    let trailer = run(&mut tape.iter().rev()).min(tape.len() - leader.min(tape.len()));
    text.line().tone(Tone::Faint, "tape     ").put(format!("{} frames", thousands(tape.len() as u64)));
    if leader > BLANK {
        text.put(format!(", the first {leader} alike"));
    }
    if trailer > BLANK {
        text.put(format!(", the last {trailer} alike"));
    }
    let begin = leader.saturating_sub(BLANK);
    let end = tape.len() - trailer.saturating_sub(BLANK);
    let shown = end.min(begin.saturating_add(most));
    for (number, row) in tape.get(begin..shown).unwrap_or_default().chunks(ACROSS).enumerate() {
        let first = begin + number * ACROSS;
        text.line().tone(Tone::Faint, format!("frame {first}"));
        for channel in (1..=8).rev() {
            text.line().tone(Tone::Faint, format!("  {channel}  "));
            for &frame in row {
                let punched = frame >> (channel - 1) & 1 != 0;
                text.tone(if punched { Tone::Live } else { Tone::Faint }, if punched { "●" } else { "·" });
            }
            if channel == 4 {
                text.line().tone(Tone::Faint, format!("     {}", "∘".repeat(row.len())));
            }
        }
    }
    if shown < end {
        let left = thousands((end - shown) as u64);
        text.line().tone(Tone::Faint, format!("     {left} more; `--holes` draws them all"));
    }
    text
}
