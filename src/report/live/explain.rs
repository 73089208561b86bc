//! What the next instruction will do, in words, with the values as they stand.

use crate::session::{Session, Step};

use super::trace;
use crate::text::{Text, Tone};

/// Explains the instruction at an address; where that is the program counter, what it will change now.
pub fn explain(session: &Session, address: u32) -> Text {
    let machine = session.machine();
    let set = machine.set();
    let mut text = Text::new();
    let (decoded, cells) = session.instruction_at(address);
    let cells: Vec<String> = cells.iter().map(|&cell| set.cell(cell)).collect();
    let place = machine.spell(address);
    let Some(decoded) = decoded else {
        text.line().tone(Tone::Strong, place).put(format!(
            "  {}  no instruction of the {}",
            cells.join(" "),
            set.name()
        ));
        return text;
    };
    let written = decoded.text(set, &|address| session.label(address as u32).map(String::from));
    text.line().tone(Tone::Strong, place).put(format!("  {}  ", cells.join(" "))).tone(Tone::Strong, written);
    text.line().put(format!("  {}: {}", decoded.row.form(), decoded.meaning()));
    let timing = decoded.timing();
    let time = if timing.is_conditional() {
        format!("{} {}, {} where it goes elsewhere", timing.base, set.identity.cycle_name, timing.taken)
    } else {
        format!("{} {}", timing.base, set.identity.cycle_name)
    };
    let page = if timing.page > 0 { ", 1 more where a page is crossed" } else { "" };
    let decimal = if timing.decimal > 0 { ", 1 more in decimal mode" } else { "" };
    let plural = if decoded.cells() == 1 { "" } else { "s" };
    text.line().put(format!("  {} cell{plural}, {time}{page}{decimal}", decoded.cells()));
    text.line().put(format!("  flags: {}", flag_words(set, decoded.row)));
    // What a board at the other end of a line would do, only it could say.
    if address == machine.place() && !machine.is_linked() {
        let service = session.preview_service().and_then(|step| step.service);
        match service {
            Some(words) => drop(text.line().tone(Tone::Faint, "  now it would").put(format!("  {words}"))),
            None => outcome(session, &session.preview(), &mut text),
        }
    }
    text
}

/// What a row does to the flags, in words.
fn flag_words(set: &crate::processor::InstructionSet, row: &crate::processor::Row) -> String {
    let effect = set.flag_effect(row);
    let named = |mark: char| -> Vec<&str> {
        effect.chars().zip(set.flags()).filter(|(one, _)| *one == mark).map(|(_, flag)| flag.name).collect()
    };
    let parts: Vec<String> = [('*', "by the result"), ('0', "cleared"), ('1', "set")]
        .into_iter()
        .filter_map(|(mark, words)| {
            let names = named(mark);
            (!names.is_empty()).then(|| format!("{} {words}", names.join(" ")))
        })
        .collect();
    if parts.is_empty() { "unchanged".to_string() } else { parts.join(", ") }
}

fn outcome(session: &Session, step: &Step, text: &mut Text) {
    text.line().tone(Tone::Faint, "  now it would");
    if step.nothing_done() {
        text.put(" do nothing: the processor waits for an interrupt");
        return;
    }
    if step.interrupt {
        text.put(" wait: an interrupt is taken first");
        return;
    }
    if step.changes.is_empty() && !step.went_elsewhere {
        text.put(" change nothing but the program counter");
    }
    for change in &step.changes {
        text.put("  ");
        trace::change_text(session.machine(), change, text);
    }
    if step.went_elsewhere {
        let place = session.machine().spell(step.next);
        let label = session.label(step.next).map(|label| format!(" ({label})")).unwrap_or_default();
        text.put(format!("  go to {place}{label}"));
    }
}
