//! The header of an EXE file, word by word, and the words that a loader changes.

use crate::image::exe::Exe;
use crate::text::{Text, Tone};

/// Relocations in a line, and lines of them that are shown.
const IN_LINE: usize = 6;
const MOST_LINES: usize = 8;

fn pair((segment, offset): (u16, u16)) -> String {
    format!("{segment:04X}:{offset:04X}")
}

/// The header of a file that is one, in words.
pub fn exe_header(file: &[u8]) -> Option<Text> {
    let exe = Exe::read(file).ok()?;
    let mut text = Text::new();
    let mut row = |head: &str, words: String| {
        text.line().tone(Tone::Faint, format!("{head:9}")).put(words);
    };
    row("file", format!("{} bytes, of which {} are its header", file.len(), exe.header));
    row("loaded", format!("{} bytes ({:X}h)", exe.image.len(), exe.image.len()));
    let most = match exe.most {
        0xFFFF => "all there is".to_string(),
        most => format!("{} bytes", u32::from(most) * 16),
    };
    row("after", format!("at least {} bytes, at most {most}", u32::from(exe.least) * 16));
    row("start", format!("CS:IP {}", pair(exe.code)));
    row("stack", format!("SS:SP {}", pair(exe.stack)));
    row("sum", format!("{:04X}h", exe.sum));
    let count = exe.relocations.len();
    row("changed", format!("{count} word{} with the number of a segment", if count == 1 { "" } else { "s" }));
    for line in exe.relocations.chunks(IN_LINE).take(MOST_LINES) {
        let places: Vec<String> = line.iter().map(|&one| pair(one)).collect();
        text.line().put(format!("         {}", places.join("  ")));
    }
    let more = count.saturating_sub(IN_LINE * MOST_LINES);
    if more > 0 {
        text.line().tone(Tone::Faint, format!("         and {more} more"));
    }
    Some(text)
}
