//! What a case expects of the screen: texts somewhere in a line, and their colours.

use crate::machine::chip::{Glyph, Picture};
use serde::Deserialize;

/// A text that must stand somewhere in a line of the screen, in any colours or in these.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(untagged)]
pub(super) enum OnScreen {
    Text(String),
    Coloured { text: String, ink: Option<String>, ground: Option<String>, blinks: Option<bool> },
}

impl OnScreen {
    fn text(&self) -> &str {
        match self {
            Self::Text(text) | Self::Coloured { text, .. } => text,
        }
    }

    /// What is otherwise on the screen; `None` where it is as it shall be.
    pub fn difference(&self, picture: Option<&Picture>) -> Option<String> {
        let wanted = self.text();
        let missing = || Some(format!("no line of the screen shows {wanted:?}"));
        let Some(picture) = picture else { return missing() };
        let places = places(picture, wanted);
        let Some(&first) = places.first() else { return missing() };
        let count = wanted.chars().count();
        if places.iter().any(|&place| self.fits(picture, &picture.glyphs[place..place + count])) {
            return None;
        }
        let glyph = picture.glyphs[first];
        let name = |number| picture.colour_name(number);
        let blinks = if glyph.blinks { ", blinking" } else { "" };
        Some(format!("{wanted:?} on the screen is {} on {}{blinks}", name(glyph.ink), name(glyph.ground)))
    }

    fn fits(&self, picture: &Picture, glyphs: &[Glyph]) -> bool {
        let Self::Coloured { ink, ground, blinks, .. } = self else { return true };
        let is = |wanted: &Option<String>, number: u8| {
            wanted.as_ref().is_none_or(|wanted| picture.colour_name(number).eq_ignore_ascii_case(wanted))
        };
        glyphs.iter().all(|glyph| {
            is(ink, glyph.ink)
                && is(ground, glyph.ground)
                && blinks.is_none_or(|wanted| wanted == glyph.blinks)
        })
    }
}

/// Where a text begins among the characters of the screen.
fn places(picture: &Picture, text: &str) -> Vec<usize> {
    let (wanted, columns) = (text.chars().collect::<Vec<char>>(), picture.size.0.max(1));
    let signs: Vec<char> = picture.glyphs.iter().map(|glyph| glyph.sign).collect();
    let lines = signs.chunks(columns).enumerate();
    let found = lines.flat_map(|(row, line)| {
        let starts = line.windows(wanted.len().max(1)).enumerate().filter(|(_, part)| *part == wanted);
        starts.map(move |(at, _)| row * columns + at).collect::<Vec<_>>()
    });
    found.collect()
}
