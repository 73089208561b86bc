//! The demo programs of Skerrow Rock, which travel inside the library: sources, case tables, panel scripts, data and recordings.
//!
//! To add one: its files in `demo/`, a line for each here, and a chapter in the command's tour.

/// Every text, by its name.
pub const TEXTS: &[(&str, &str)] = &[
    ("beacon.asm", include_str!("../demo/beacon.asm")),
    ("beacon.cases.toml", include_str!("../demo/beacon.cases.toml")),
    ("bell.panel", include_str!("../demo/bell.panel")),
    ("blink.asm", include_str!("../demo/blink.asm")),
    ("blink.cases.toml", include_str!("../demo/blink.cases.toml")),
    ("blocks.asm", include_str!("../demo/blocks.asm")),
    ("blocks.cases.toml", include_str!("../demo/blocks.cases.toml")),
    ("blocks.panel", include_str!("../demo/blocks.panel")),
    ("border.asm", include_str!("../demo/border.asm")),
    ("border.cases.toml", include_str!("../demo/border.cases.toml")),
    ("border.panel", include_str!("../demo/border.panel")),
    ("character.asm", include_str!("../demo/character.asm")),
    ("character.cases.toml", include_str!("../demo/character.cases.toml")),
    ("clock.asm", include_str!("../demo/clock.asm")),
    ("clock.cases.toml", include_str!("../demo/clock.cases.toml")),
    ("divide.asm", include_str!("../demo/divide.asm")),
    ("divide.cases.toml", include_str!("../demo/divide.cases.toml")),
    ("dump.asm", include_str!("../demo/dump.asm")),
    ("dump.cases.toml", include_str!("../demo/dump.cases.toml")),
    ("dusk.asm", include_str!("../demo/dusk.asm")),
    ("dusk.cases.toml", include_str!("../demo/dusk.cases.toml")),
    ("dusk.panel", include_str!("../demo/dusk.panel")),
    ("entries.asm", include_str!("../demo/entries.asm")),
    ("entries.cases.toml", include_str!("../demo/entries.cases.toml")),
    ("exchange.asm", include_str!("../demo/exchange.asm")),
    ("exchange.cases.toml", include_str!("../demo/exchange.cases.toml")),
    ("fair-copy.asm", include_str!("../demo/fair-copy.asm")),
    ("fair-copy.cases.toml", include_str!("../demo/fair-copy.cases.toml")),
    ("first-light.asm", include_str!("../demo/first-light.asm")),
    ("first-light.cases.toml", include_str!("../demo/first-light.cases.toml")),
    ("fog.asm", include_str!("../demo/fog.asm")),
    ("fog.cases.toml", include_str!("../demo/fog.cases.toml")),
    ("horn-key.asm", include_str!("../demo/horn-key.asm")),
    ("horn-key.cases.toml", include_str!("../demo/horn-key.cases.toml")),
    ("horn.asm", include_str!("../demo/horn.asm")),
    ("horn.cases.toml", include_str!("../demo/horn.cases.toml")),
    ("keeper.panel", include_str!("../demo/keeper.panel")),
    ("lamp-character.panel", include_str!("../demo/lamp-character.panel")),
    ("lamp-sign.asm", include_str!("../demo/lamp-sign.asm")),
    ("lamp-sign.cases.toml", include_str!("../demo/lamp-sign.cases.toml")),
    ("lamps.asm", include_str!("../demo/lamps.asm")),
    ("lamps.cases.toml", include_str!("../demo/lamps.cases.toml")),
    ("log.asm", include_str!("../demo/log.asm")),
    ("log.cases.toml", include_str!("../demo/log.cases.toml")),
    ("meters.asm", include_str!("../demo/meters.asm")),
    ("meters.cases.toml", include_str!("../demo/meters.cases.toml")),
    ("new-horn.asm", include_str!("../demo/new-horn.asm")),
    ("new-horn.cases.toml", include_str!("../demo/new-horn.cases.toml")),
    ("new-horn.roms.toml", include_str!("../demo/new-horn.roms.toml")),
    ("night-log.asm", include_str!("../demo/night-log.asm")),
    ("night-log.cases.toml", include_str!("../demo/night-log.cases.toml")),
    ("notice.asm", include_str!("../demo/notice.asm")),
    ("notice.cases.toml", include_str!("../demo/notice.cases.toml")),
    ("oil.asm", include_str!("../demo/oil.asm")),
    ("oil.cases.toml", include_str!("../demo/oil.cases.toml")),
    ("older.asm", include_str!("../demo/older.asm")),
    ("paces.asm", include_str!("../demo/paces.asm")),
    ("paces.cases.toml", include_str!("../demo/paces.cases.toml")),
    ("paces.panel", include_str!("../demo/paces.panel")),
    ("papers/log.txt", include_str!("../demo/papers/log.txt")),
    ("papers/tides.txt", include_str!("../demo/papers/tides.txt")),
    ("passages-tape.asm", include_str!("../demo/passages-tape.asm")),
    ("passages-tape.cases.toml", include_str!("../demo/passages-tape.cases.toml")),
    ("passages.asm", include_str!("../demo/passages.asm")),
    ("passages.cases.toml", include_str!("../demo/passages.cases.toml")),
    ("prompt.panel", include_str!("../demo/prompt.panel")),
    ("read-in.asm", include_str!("../demo/read-in.asm")),
    ("read-in.cases.toml", include_str!("../demo/read-in.cases.toml")),
    ("read-in.panel", include_str!("../demo/read-in.panel")),
    ("signal.asm", include_str!("../demo/signal.asm")),
    ("signal.cases.toml", include_str!("../demo/signal.cases.toml")),
    ("signal.panel", include_str!("../demo/signal.panel")),
    ("slips.asm", include_str!("../demo/slips.asm")),
    ("slips.panel", include_str!("../demo/slips.panel")),
    ("sort-boats.asm", include_str!("../demo/sort-boats.asm")),
    ("sort-boats.cases.toml", include_str!("../demo/sort-boats.cases.toml")),
    ("station-book.asm", include_str!("../demo/station-book.asm")),
    ("station-book.cases.toml", include_str!("../demo/station-book.cases.toml")),
    ("tide-table.asm", include_str!("../demo/tide-table.asm")),
    ("tide-table.cases.toml", include_str!("../demo/tide-table.cases.toml")),
    ("tides.asm", include_str!("../demo/tides.asm")),
    ("tides.cases.toml", include_str!("../demo/tides.cases.toml")),
    ("tides.txt", include_str!("../demo/tides.txt")),
    ("tonight.asm", include_str!("../demo/tonight.asm")),
    ("tonight.cases.toml", include_str!("../demo/tonight.cases.toml")),
    ("tonight.panel", include_str!("../demo/tonight.panel")),
    ("turn.asm", include_str!("../demo/turn.asm")),
    ("turn.cases.toml", include_str!("../demo/turn.cases.toml")),
    ("unset.panel", include_str!("../demo/unset.panel")),
    ("visibility.asm", include_str!("../demo/visibility.asm")),
    ("visibility.cases.toml", include_str!("../demo/visibility.cases.toml")),
    ("watches.asm", include_str!("../demo/watches.asm")),
    ("watches.cases.toml", include_str!("../demo/watches.cases.toml")),
];

/// Every recording and tape, by its name.
pub const TAPES: &[(&str, &[u8])] = &[
    ("boats.tape", include_bytes!("../demo/boats.tape")),
    ("character.wav", include_bytes!("../demo/character.wav")),
    ("tonight.wav", include_bytes!("../demo/tonight.wav")),
];

const fn is_same(one: &str, other: &str) -> bool {
    let (one, other) = (one.as_bytes(), other.as_bytes());
    if one.len() != other.len() {
        return false;
    }
    let mut at = 0;
    while at < one.len() {
        if one[at] != other[at] {
            return false;
        }
        at += 1;
    }
    true
}

/// A text, looked up while the program that asks for it is compiled.
///
/// # Panics
/// There is none of that name: in a constant, that is an error of the compiler.
pub const fn text(name: &str) -> &'static str {
    let mut at = 0;
    while at < TEXTS.len() {
        if is_same(TEXTS[at].0, name) {
            return TEXTS[at].1;
        }
        at += 1;
    }
    panic!("there is no such text among the demos")
}

/// A recording or a tape, in the same way.
///
/// # Panics
/// There is none of that name.
pub const fn tape(name: &str) -> &'static [u8] {
    let mut at = 0;
    while at < TAPES.len() {
        if is_same(TAPES[at].0, name) {
            return TAPES[at].1;
        }
        at += 1;
    }
    panic!("there is no such tape among the demos")
}
