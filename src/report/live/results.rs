//! What came of a run, without being asked: cells with labels that changed, and what went out at the ports.

use crate::assembler::SymbolKind;
use crate::machine::{ChipAt, Machine, PortWrite};
use crate::number::{thousands, time_text};
use crate::processor::InstructionSet;
use crate::session::Session;
use crate::text::{Text, Tone};

/// So many labels and ports are shown.
const MOST: usize = 12;
/// So many cells of a label, and so many writes at the beginning of what went to a port.
const CELLS: u32 = 16;
const WRITES: usize = 6;

/// Data with a label.
struct Datum<'s> {
    name: &'s str,
    address: u32,
    /// Cells of a number there.
    unit: u32,
    cells: u32,
}

/// What is not as it was before the run; nothing where nothing is.
pub fn results(session: &Session, before: &Machine) -> Text {
    let machine = session.machine();
    let mut text = Text::new();
    // What a board at the other end of a line held before is not known.
    if machine.is_linked() {
        return text;
    }
    let data = data(session);
    let changed: Vec<&Datum<'_>> = data
        .iter()
        .filter(|datum| (0..datum.cells).any(|at| differs(machine, before, datum.address + at)))
        .collect();
    let wide = changed.iter().map(|datum| datum.name.chars().count()).max().unwrap_or(0).max(10);
    for datum in changed.iter().take(MOST) {
        text.line().tone(Tone::Faint, format!("{:wide$} ", datum.name));
        put_datum(datum, (machine, before), &mut text);
    }
    if changed.len() > MOST {
        text.line()
            .tone(Tone::Faint, format!("and {} other labels whose cells changed", changed.len() - MOST));
    }
    text.append(ports(machine, wide));
    text
}

fn differs(machine: &Machine, before: &Machine, address: u32) -> bool {
    machine.cell(address) != before.cell(address)
}

/// The program's data by its labels, each up to the next label or the end of its lines.
fn data(session: &Session) -> Vec<Datum<'_>> {
    let Some(program) = session.program() else { return Vec::new() };
    let labels = program.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Label);
    let mut places: Vec<(u32, &str, u8)> =
        labels.filter_map(|symbol| Some((symbol.address()?, symbol.name, symbol.unit))).collect();
    places.sort_unstable();
    places.dedup_by_key(|place| place.0);
    let ends = places.iter().skip(1).map(|place| place.0).chain([u32::MAX]);
    let with_ends = places.iter().zip(ends);
    with_ends
        .filter_map(|(&(address, name, unit), next)| {
            let mut end = address;
            while let Some(further) = program.data_end(end).filter(|_| end < next) {
                end = further;
            }
            let cells = end.min(next) - address;
            (cells > 0).then(|| Datum { name, address, unit: u32::from(unit.max(1)), cells })
        })
        .collect()
}

/// A number as before and after, a text as a text, of several cells those that are there now.
fn put_datum(datum: &Datum<'_>, (machine, before): (&Machine, &Machine), text: &mut Text) {
    let set = machine.set();
    let cells = |from: &Machine| -> Vec<u64> {
        (0..datum.cells.min(CELLS * 4)).map(|at| from.cell(datum.address + at)).collect()
    };
    let (was, is) = (cells(before), cells(machine));
    if datum.cells == datum.unit {
        let (was, is) = (number(set, &was), number(set, &is));
        let shown =
            |value: u64| crate::number::digits(value, set.habit().table_radix(), bits(set, datum.unit));
        text.put(format!("{}→", shown(was))).tone(Tone::Live, shown(is)).put(format!("  ({is})"));
        return;
    }
    if let Some(words) = words(&is) {
        text.tone(Tone::Live, format!("\"{words}\""));
        return;
    }
    for (at, value) in is.iter().take(CELLS as usize).enumerate() {
        let tone = if was[at] == *value { Tone::Plain } else { Tone::Live };
        text.tone(tone, format!("{} ", set.cell(*value)));
    }
    if datum.cells > CELLS {
        text.tone(Tone::Faint, format!("… {} cells", datum.cells));
    }
}

fn bits(set: &InstructionSet, unit: u32) -> u8 {
    (unit * u32::from(set.cell_bits())).min(64) as u8
}

/// Cells as one number, the lowest first, as on every processor here whose numbers have several.
fn number(set: &InstructionSet, cells: &[u64]) -> u64 {
    let bits = u32::from(set.cell_bits());
    cells.iter().rev().fold(0u64, |number, cell| number.checked_shl(bits).unwrap_or(0) | cell)
}

/// Cells that are a text: characters that can be printed, and an end after them.
fn words(cells: &[u64]) -> Option<String> {
    const LEAST: usize = 3;
    let end = cells.iter().position(|cell| !(0x20..0x7F).contains(cell)).unwrap_or(cells.len());
    let rest_is_end = cells[end..].iter().all(|cell| matches!(cell, 0 | 0x0A | 0x0D | 0xFF));
    (end >= LEAST && rest_is_end).then(|| cells[..end].iter().map(|&cell| char::from(cell as u8)).collect())
}

/// What a port is called whose values a person looks at: of lamps, and any where there are no chips. What firmware says to its chips is
/// its own.
fn seen_port(machine: &Machine, port: u32) -> Option<String> {
    if machine.chips().is_empty() {
        return Some(format!("{} {}", machine.set().port_word(), machine.set().port(port)));
    }
    let lamps =
        machine.chips().iter().find(|one| one.place.at == ChipAt::Port(port) && one.chip.lamps().is_some());
    lamps.map(|one| one.place.name.clone())
}

/// What went to each port, in order.
fn ports(machine: &Machine, wide: usize) -> Text {
    let mut text = Text::new();
    let set = machine.set();
    let writes = machine.port_writes();
    let mut ports: Vec<u32> = writes.iter().map(|write| write.port).collect();
    ports.sort_unstable();
    ports.dedup();
    for (port, name) in ports.iter().filter_map(|&port| Some((port, seen_port(machine, port)?))).take(MOST) {
        let own: Vec<&PortWrite> = writes.iter().filter(|write| write.port == port).collect();
        // What lamps show in the end is told beside them.
        if own.len() == 1 && !machine.chips().is_empty() {
            continue;
        }
        text.line().tone(Tone::Faint, format!("{name:wide$} "));
        for write in own.iter().take(WRITES) {
            text.tone(Tone::Live, format!("{} ", set.cell(write.value)));
        }
        if own.len() > WRITES {
            let last = own.last().map_or(0, |write| write.value);
            text.put("… ").tone(Tone::Live, set.cell(last));
            let span = time_text(own[own.len() - 1].at - own[0].at, machine.board().clock);
            text.tone(Tone::Faint, format!("  {} writes in {span}", thousands(own.len() as u64)));
        }
    }
    text
}
