//! The chains of calls as a picture: the whole run at the top, below each routine what it calls, as wide as the time that it took.

use crate::number::thousands;
use crate::report::program::picture::{Ground, Ink, Picture, letter};
use crate::session::Profile;
use std::collections::BTreeMap;

/// A routine in a chain, with what it calls.
#[derive(Debug, Default)]
struct Bar {
    /// Cycles of its own, and with those of what it calls.
    own: u64,
    all: u64,
    calls: BTreeMap<String, Bar>,
}

const WIDTH: f64 = 1240.0;
const MARGIN: f64 = 20.0;
const ROW: f64 = 26.0;
const HEAD: f64 = 64.0;
const SIZE: f64 = 13.0;
/// Narrower bars are not drawn.
const NARROWEST: f64 = 1.5;

/// The picture of a run, as SVG.
pub fn flame(name: &str, cycle_name: &str, profile: &Profile, ground: Ground) -> String {
    let mut root = Bar::default();
    for (chain, &cycles) in &profile.stacks {
        let mut bar = &mut root;
        bar.all += cycles;
        for part in chain.split(';') {
            bar = bar.calls.entry(part.to_string()).or_default();
            bar.all += cycles;
        }
        bar.own += cycles;
    }
    let depth = deepest(&root, WIDTH / root.all.max(1) as f64);
    let height = HEAD + ROW * depth as f64 + MARGIN;
    let mut picture = Picture::new(ground, WIDTH + 2.0 * MARGIN, height);
    picture.text((MARGIN, 30.0), 17.0, Ink::Plain, "start", &format!("{name}: where the time goes"));
    let head = format!(
        "{} {cycle_name}; each bar is as wide as the time of the routine with all that it calls, an amber edge is its own part",
        thousands(root.all)
    );
    picture.text((MARGIN, 50.0), 12.0, Ink::Faint, "start", &head);
    let mut x = MARGIN;
    for (name, bar) in &root.calls {
        let width = WIDTH * bar.all as f64 / root.all.max(1) as f64;
        draw(&mut picture, name, bar, (x, HEAD), width, root.all);
        x += width;
    }
    picture.finish()
}

fn deepest(bar: &Bar, scale: f64) -> usize {
    let seen = bar.calls.values().filter(|one| one.all as f64 * scale >= NARROWEST);
    seen.map(|one| 1 + deepest(one, scale)).max().unwrap_or(0)
}

fn draw(picture: &mut Picture, name: &str, bar: &Bar, (x, y): (f64, f64), width: f64, whole: u64) {
    if width < NARROWEST {
        return;
    }
    picture.rect((x, y), (width - 1.0, ROW - 3.0), 2.0, Ink::Fill, Some(Ink::Faint));
    // Its own part of the time stands under its left side.
    let own = (width - 1.0) * bar.own as f64 / bar.all.max(1) as f64;
    if own >= 1.0 {
        picture.rect((x, y + ROW - 6.0), (own, 3.0), 0.0, Ink::Accent, None);
    }
    let percent = 100.0 * bar.all as f64 / whole.max(1) as f64;
    let full = format!("{name}  {percent:.1}%");
    let room = ((width - 10.0) / letter(SIZE)).max(0.0) as usize;
    let shown = match (full.chars().count() <= room, name.chars().count() <= room) {
        (true, _) => full,
        (_, true) => name.to_string(),
        _ => name.chars().take(room.saturating_sub(1)).chain(['…']).collect(),
    };
    if room >= 2 {
        picture.text((x + 5.0, y + 16.0), SIZE, Ink::Plain, "start", &shown);
    }
    // What it calls begins where its own part ends.
    let mut inner = x + own;
    for (name, one) in &bar.calls {
        let part = width * one.all as f64 / bar.all.max(1) as f64;
        draw(picture, name, one, (inner, y + ROW), part, whole);
        inner += part;
    }
}
