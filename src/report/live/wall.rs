//! A step in large figures, to be read from the back of a room: all registers and flags, and what changed.

use super::trace::{Tracer, describe};
use crate::processor::{Register, Role};
use crate::session::{Change, Session, Step};
use crate::text::{Text, Tone};

/// Rows of a figure.
const TALL: usize = 5;

/// The hex digits, five rows of three columns each.
const FIGURES: [[&str; TALL]; 16] = [
    ["███", "█ █", "█ █", "█ █", "███"],
    [" █ ", "██ ", " █ ", " █ ", "███"],
    ["███", "  █", "███", "█  ", "███"],
    ["███", "  █", " ██", "  █", "███"],
    ["█ █", "█ █", "███", "  █", "  █"],
    ["███", "█  ", "███", "  █", "███"],
    ["███", "█  ", "███", "█ █", "███"],
    ["███", "  █", "  █", " █ ", " █ "],
    ["███", "█ █", "███", "█ █", "███"],
    ["███", "█ █", "███", "  █", "███"],
    ["███", "█ █", "███", "█ █", "█ █"],
    ["██ ", "█ █", "██ ", "█ █", "██ "],
    ["███", "█  ", "█  ", "█  ", "███"],
    ["██ ", "█ █", "█ █", "█ █", "██ "],
    ["███", "█  ", "██ ", "█  ", "███"],
    ["███", "█  ", "██ ", "█  ", "█  "],
];

/// A register as it stands on the wall.
struct Shown {
    name: String,
    digits: String,
    changed: bool,
}

impl Shown {
    fn width(&self) -> usize {
        (self.digits.len() * 4).max(self.name.chars().count() + 3)
    }

    /// A row of its figures; one above them has the name.
    fn row(&self, row: usize) -> String {
        let figure = |digit: char| digit.to_digit(16).map_or("   ", |digit| FIGURES[digit as usize][row]);
        self.digits.chars().map(figure).collect::<Vec<_>>().join(" ")
    }
}

fn is_shown(register: &Register) -> bool {
    matches!(register.role, Role::Data | Role::Stack | Role::Program | Role::Cell)
}

/// The step with that number in so many columns.
pub fn wall(session: &Session, step: &Step, number: u64, width: usize) -> Text {
    let machine = session.machine();
    let set = machine.set();
    let mut text = Text::new();
    text.line().tone(Tone::Faint, format!("step {number}   "));
    text.tone(Tone::Strong, set.spell(step.address, step.window));
    if let Some(label) = session.label(step.address) {
        text.tone(Tone::Faint, format!("  {label}"));
    }
    text.line().line().put("    ").tone(Tone::Strong, describe(session, step));
    if let Some(decoded) = step.instruction.filter(|_| !step.interrupt) {
        text.line().tone(Tone::Faint, format!("    {}", decoded.meaning()));
    }
    let changed = |name: &str| {
        step.changes.iter().any(|change| matches!(change, Change::Register { name: own, .. } if *own == name))
    };
    let mut all: Vec<Shown> = Vec::new();
    for (place, register) in set.registers().iter().enumerate().filter(|(_, one)| is_shown(one)) {
        let value = machine.register(place);
        // Of many accumulators those are shown that hold something.
        if register.role == Role::Cell && value == 0 && !changed(register.name) {
            continue;
        }
        let is_program = register.role == Role::Program;
        all.push(Shown {
            name: register.name.to_string(),
            digits: set.habit().plain(value, register.bits),
            changed: changed(register.name) || is_program && step.went_elsewhere,
        });
    }
    let mut rest = all.as_slice();
    while !rest.is_empty() {
        let mut used = 4;
        let fits = |one: &&Shown| {
            used += one.width() + 3;
            used <= width + 3
        };
        let count = rest.iter().take_while(fits).count().max(1);
        let (now, later) = rest.split_at(count.min(rest.len()));
        rest = later;
        text.line().line().put("    ");
        for one in now {
            let name = if one.changed { format!("▸ {}", one.name) } else { one.name.clone() };
            let tone = if one.changed { Tone::Live } else { Tone::Faint };
            text.tone(tone, format!("{name:wide$}   ", wide = one.width()));
        }
        for row in 0..TALL {
            text.line().put("    ");
            for one in now {
                let tone = if one.changed { Tone::Live } else { Tone::Plain };
                text.tone(tone, format!("{:wide$}   ", one.row(row), wide = one.width()));
            }
        }
    }
    text.line().line().put("    ");
    let flags = set.flags_register().map_or(0, |place| machine.register(place));
    for flag in set.flags() {
        let is = flags & flag.mask != 0;
        let changes =
            step.changes.iter().any(|one| matches!(one, Change::Flag { name, .. } if *name == flag.name));
        let mark = if changes { "▸ " } else { "" };
        text.tone(
            if changes { Tone::Live } else { Tone::Plain },
            format!("{mark}{} {}   ", flag.name, u8::from(is)),
        );
    }
    // What else there is to tell stands in the trace's own words.
    let line = Tracer::from_number(number).line(session, step).to_string();
    let told: Vec<&str> = line.trim_end().rsplit("  ").take_while(|part| !part.is_empty()).collect();
    if let Some(last) = told.first().filter(|_| step.service.is_some() || step.reads.len() == 1) {
        text.line().line().put("    ").tone(Tone::Faint, (*last).to_string());
    }
    text
}
