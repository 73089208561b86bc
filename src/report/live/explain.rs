//! What the next instruction will do, in words, with the values as they stand.

use crate::session::{Session, Step};

use super::trace;
use crate::machine::Machine;
use crate::number::digits;
use crate::report::program::comparison::{Relation, comparison, setter};
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

/// So many steps back a comparison is looked for.
const LOOKS_BACK: usize = 8;

/// What the branch at the program counter asks, with the values that were compared: `A = 1F is not below limit = 20`. Nothing where it is no
/// branch, or where the last instructions do not tell what was compared.
pub fn explain_branch(session: &mut Session) -> Option<Text> {
    let branch = session.instruction_at(session.machine().place()).0?;
    branch.condition()?;
    let sets = |step: &Step| {
        let instruction = step.instruction.map(|one| (step.address, one));
        instruction.is_some_and(|one| setter(&[one], &branch).is_some())
    };
    let passes = |step: &Step| step.instruction.is_some_and(|one| one.row.flow.is_call());
    let (step, before) = session.last_step(LOOKS_BACK, |step| sets(step) || passes(step))?;
    let instruction = step.instruction.filter(|_| sets(&step))?;
    let text = trace::describe(session, &step);
    let asked = comparison(&instruction, &text, &branch)?;
    let set = session.processor();
    let holds = session.preview().went_elsewhere;
    let number = |value: u64, bits: u8| digits(value, set.habit().table_radix(), bits);
    let register = |machine: &Machine, name: &str| {
        let place = set.register(name)?;
        Some(number(machine.register(place), set.registers()[place].bits))
    };
    // What was compared is told as it was; of one value what it has become.
    let is_one = asked.right == "0";
    let left = match register(if is_one { session.machine() } else { &before }, &asked.left) {
        Some(value) => format!("{} = {value}", asked.left),
        None => asked.left.clone(),
    };
    let right = match (step.reads.first(), register(&before, &asked.right)) {
        _ if is_one => asked.right.clone(),
        (_, Some(value)) => format!("{} = {value}", asked.right),
        (Some((_, value)), _) => format!("{} = {}", asked.right, set.cell(*value)),
        (None, None) => match session.evaluate(&asked.right) {
            Ok(value) => {
                let cut = number(value as u64 & set.last_cell(), set.cell_bits());
                if cut.eq_ignore_ascii_case(&asked.right) { cut } else { format!("{} = {cut}", asked.right) }
            }
            Err(_) => asked.right.clone(),
        },
    };
    let relation = if holds { asked.relation } else { asked.relation.opposite() };
    let mut text = Text::new();
    text.line().tone(Tone::Faint, "  the condition ").put(if holds { "holds: " } else { "does not hold: " });
    let is = if asked.was { "was" } else { "is" };
    let words = match (relation, is_one) {
        (Relation::Equal, true) => format!("{left} {is} 0"),
        (Relation::NotEqual, true) => format!("{left} {is} not 0"),
        _ => format!("{left} {is} {} {right}", relation.words()),
    };
    text.tone(Tone::Strong, words);
    Some(text)
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
