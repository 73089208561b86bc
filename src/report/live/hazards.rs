//! Hazards as text: what happened, where, when, how often, what to do.

use crate::session::{Hazard, Session};
use crate::text::{Text, Tone};
use std::collections::BTreeMap;

/// So many of a kind are shown where no line of a source stands: a program that ran astray does the same at every cell it meets.
const MOST_OUTSIDE: usize = 4;

/// The hazards of a run, three lines each. Where no line of a source stands, the first few of a kind are shown and the
/// others are counted.
pub fn hazards(session: &Session, all: &[Hazard]) -> Text {
    let mut text = Text::new();
    let mut outside: BTreeMap<&str, usize> = BTreeMap::new();
    for one in all {
        let Hazard { code, address, file, line, message, help, moment, count } = one;
        if file.is_none() {
            let so_far = outside.entry(*code).or_default();
            *so_far += 1;
            if *so_far > MOST_OUTSIDE {
                continue;
            }
        }
        text.line().tone(Tone::Wrong, format!("hazard[{code}]")).tone(Tone::Strong, format!(": {message}"));
        let place = match (file, line) {
            (Some(file), Some(line)) => format!("{file}:{line}"),
            _ => session.machine().spell(*address),
        };
        let times = match count {
            1 => String::new(),
            count => format!(", {count} times in all"),
        };
        let when = format!("instruction {}, cycle {}", moment.instructions + 1, moment.cycle);
        text.line().tone(Tone::Faint, format!(" --> {place}: {when}{times}"));
        if !help.is_empty() {
            text.line().tone(Tone::Faint, "help: ").put(help.as_str());
        }
    }
    for (code, count) in outside.into_iter().filter(|(_, count)| *count > MOST_OUTSIDE) {
        text.line().tone(Tone::Wrong, format!("hazard[{code}]"));
        let more = match count - MOST_OUTSIDE {
            1 => "1 more place".to_string(),
            more => format!("{more} more places"),
        };
        text.put(format!(": {more} where no line of the program stands"));
    }
    text
}
