//! Why a value is so, and who wrote something: a line a link.

use super::trace::describe;
use crate::number::digits;
use crate::session::{Act, Origin, Session, Why, WriteKind, Written};
use crate::text::{Text, Tone};

/// A line of a chain before its columns are laid out.
struct Row {
    indent: usize,
    value: String,
    by: String,
    details: Vec<(Tone, String)>,
}

/// The chains that explain a value, a line a link: what has which value, by which instruction, when. What an instruction made a value
/// from stands below it, indented where it is more than one thing.
pub fn why(session: &Session, chains: &[Why]) -> Text {
    let mut rows = Vec::new();
    for chain in chains {
        link(session, chain, 0, &mut rows);
        // Where the instruction reached for it is not a part of the value, and comes last.
        chain.from.iter().filter(|one| one.is_address).for_each(|one| link(session, one, 2, &mut rows));
    }
    let width = |of: &dyn Fn(&Row) -> usize| rows.iter().map(of).max().unwrap_or(0);
    let left = width(&|row| row.indent + row.value.chars().count());
    let middle = width(&|row| row.by.chars().count()).min(WIDEST);
    let mut text = Text::new();
    for row in rows {
        let Row { indent, value, by, details } = row;
        let gap = left - indent - value.chars().count();
        text.line().put(" ".repeat(indent)).tone(Tone::Live, value);
        text.put(format!("{}   ", " ".repeat(gap))).tone(Tone::Strong, format!("{by:middle$}"));
        let mut separator = "   ";
        for (tone, detail) in details {
            text.tone(Tone::Faint, separator).tone(tone, detail);
            separator = ", ";
        }
    }
    text
}

/// The column of instructions is no wider.
const WIDEST: usize = 28;

fn link(session: &Session, why: &Why, indent: usize, rows: &mut Vec<Row>) {
    let set = session.processor();
    let radix = set.habit().table_radix();
    let value = match why.bits {
        1 => why.value.to_string(),
        bits => digits(why.value, radix, bits),
    };
    let faint = |text: String| (Tone::Faint, text);
    let mut details = Vec::new();
    let by = match &why.origin {
        Origin::Instruction { moment, step } => {
            details.push(faint(format!("instruction {}", moment.instructions + 1)));
            if why.turns > 1 {
                details.push((Tone::Plain, format!("the {} time", ordinal(why.turns))));
            }
            if let Some(line) = session.source_line(step.address) {
                details.push(faint(format!("line {} of {}", line.number, line.file)));
            } else {
                details.push(faint(format!("at {}", session.machine().spell(step.address))));
            }
            if why.goes_on {
                details.push(faint("and so on".to_string()));
            }
            format!("by {}", describe(session, step))
        }
        Origin::Interrupt(moment) => {
            details.push(faint(format!("before instruction {}", moment.instructions + 1)));
            "by an interrupt".to_string()
        }
        Origin::Service(moment) => {
            details.push(faint(format!("at instruction {}", moment.instructions + 1)));
            "by a service of the board".to_string()
        }
        Origin::Hand(moment, act) => {
            details.push(faint(format!("at cycle {}", moment.cycle)));
            match act {
                Act::Power => "by switching the power off and on".to_string(),
                Act::Program { name, .. } => format!("by the start of {name}"),
                _ => "set by hand".to_string(),
            }
        }
        Origin::Input => "read from outside".to_string(),
        Origin::Loaded => {
            let line = match why.whereabouts {
                // Whatever it holds now.
                crate::session::Whereabouts::Cell(address) => {
                    session.program().and_then(|one| one.line_of_cell(address))
                }
                _ => None,
            };
            if let Some(line) = line {
                details.push(faint(format!("line {} of {}: {}", line.number, line.file, line.text)));
            }
            "loaded with the program".to_string()
        }
        Origin::NeverSet => {
            details.push((Tone::Wrong, "nothing has set it since the program began".to_string()));
            "never set".to_string()
        }
    };
    let at = if why.is_address { "at " } else { "" };
    rows.push(Row { indent, value: format!("{at}{} = {value}", why.name), by, details });
    // A chain goes straight down; what is joined to it stands to the right.
    let parts = || why.from.iter().filter(|one| !one.is_address);
    let inner = if parts().count() > 1 { indent + 2 } else { indent };
    parts().for_each(|one| link(session, one, inner, rows));
}

/// `8th`.
fn ordinal(number: u64) -> String {
    let ending = match (number % 10, number % 100) {
        (1, rest) if rest != 11 => "st",
        (2, rest) if rest != 12 => "nd",
        (3, rest) if rest != 13 => "rd",
        _ => "th",
    };
    format!("{number}{ending}")
}

/// Who wrote something, a line each, the last one first.
pub fn writers(session: &Session, bits: u8, all: &[Written]) -> Text {
    let set = session.processor();
    let radix = set.habit().table_radix();
    let mut text = Text::new();
    for Written { moment, address, value, by } in all {
        let value = if bits == 1 { value.to_string() } else { digits(*value, radix, bits) };
        text.line().tone(Tone::Live, format!("{value:>6}"));
        text.tone(Tone::Faint, format!("  cycle {:>9}  ", moment.cycle));
        match (by, address) {
            (WriteKind::Instruction, Some(address)) => {
                text.tone(Tone::Faint, format!("instruction {:>8}  ", moment.instructions + 1));
                let mut line = Text::new();
                super::list_line(session, *address, &mut line);
                let line = line.to_string();
                text.put(line.trim_end().trim_start_matches(['▸', '*', ' ']).to_string());
            }
            (WriteKind::Interrupt, _) => _ = text.put("an interrupt was taken"),
            (WriteKind::Service, _) => _ = text.put("a service of the board"),
            _ => _ = text.put("set by hand"),
        }
    }
    text
}
