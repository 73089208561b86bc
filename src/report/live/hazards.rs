//! Hazards as text: what happened, where, when, how often, what to do.

use crate::session::{Hazard, Session};
use crate::text::{Text, Tone};

/// The hazards of a run, three lines each.
pub fn hazards(session: &Session, all: &[Hazard]) -> Text {
    let mut text = Text::new();
    for one in all {
        let Hazard { code, address, file, line, message, help, moment, count } = one;
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
    text
}
