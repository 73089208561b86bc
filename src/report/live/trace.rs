//! Steps and states as text: the trace line, the final card.

use crate::machine::Machine;
use crate::number::{character, digits};
use crate::processor::{Flag, Flow, InstructionSet, Role, Shape, Window};
use crate::session::{Change, Session, Step};
use crate::text::{Text, Tone};

/// Lays out the lines of a trace: one an instruction, with only what changed.
#[derive(Debug, Clone, Default)]
pub struct Tracer {
    number: u64,
}

/// Columns for the cells and the instruction's text.
const INSTRUCTION: usize = 24;

fn cells_width(set: &'static InstructionSet) -> usize {
    let is_long = set.modes.is_some() || set.table.opcodes.operand.is_some();
    let cells = if is_long { set.longest() } else { 3 };
    cells * (set.cell(0).len() + 1)
}

impl Tracer {
    /// One whose next line has this number.
    pub fn from_number(number: u64) -> Self {
        Self { number: number.saturating_sub(1) }
    }

    /// The head: what the columns are, and the state before the first instruction.
    pub fn head(&self, session: &Session) -> Text {
        let set = session.processor();
        let mut text = Text::new();
        let (address, cells) = (set.address(0).len(), cells_width(set));
        let head = format!(
            "{:>5}  {:address$}  {:cells$} {:INSTRUCTION$}  changes",
            "step", "addr", "cells", "instruction"
        );
        text.line().tone(Tone::Faint, head);
        let state = registers_line(session.machine());
        text.line()
            .tone(Tone::Faint, format!("{:>5}  ", "start"))
            .tone(Tone::Strong, set.spell(session.machine().place(), session.machine().window()));
        text.put(format!("  {:cells$} ", "")).put(state);
        text
    }

    /// The line of a step.
    pub fn line(&mut self, session: &Session, step: &Step) -> Text {
        self.number += 1;
        let set = session.processor();
        let cells: Vec<String> = step.cells.iter().map(|&cell| set.cell(cell)).collect();
        let width = cells_width(set);
        let mut text = Text::new();
        text.line().tone(Tone::Faint, format!("{:>5}  ", self.number));
        text.tone(Tone::Strong, set.spell(step.address, step.window));
        text.tone(Tone::Faint, format!("  {:width$} ", cells.join(" ")));
        text.put(format!("{:INSTRUCTION$}  ", describe(session, step)));
        changes(session, step, &mut text);
        text
    }
}

/// The instruction of a step: its source text where it is known, else its disassembly.
pub fn describe(session: &Session, step: &Step) -> String {
    if step.interrupt {
        return match step.causes.is_empty() {
            true => "(interrupt taken)".to_string(),
            false => format!("(interrupt: {})", step.causes.join(", ")),
        };
    }
    if step.many && step.instruction.is_none_or(|one| !one.row.flow.is_call()) {
        return "(out of the routine)".to_string();
    }
    match (session.source_line(step.address), &step.instruction) {
        // A line that changed itself away is shown as what was executed.
        (Some(line), _) if line.code => line.text.clone(),
        (_, Some(decoded)) => {
            decoded.text(session.processor(), &|address| session.label(address as u32).map(String::from))
        }
        _ => "(no instruction)".to_string(),
    }
}

fn changes(session: &Session, step: &Step, text: &mut Text) {
    let mut first = true;
    let mut gap = |text: &mut Text| {
        if !std::mem::take(&mut first) {
            text.put("  ");
        }
    };
    if let Some(service) = &step.service {
        gap(text);
        text.put(service.clone());
    }
    for change in &with_pairs(session.machine(), step) {
        // What a service shows it has told.
        if step.service.is_some() && matches!(change, Change::Console { .. }) {
            continue;
        }
        gap(text);
        change_text(session.machine(), change, text);
    }
    for (address, value) in cells_read(step) {
        gap(text);
        let machine = session.machine();
        text.tone(Tone::Faint, format!("[{}] is {}", machine.spell(address), machine.set().cell(value)));
    }
    let conditional = step.instruction.is_some_and(|one| one.timing().is_conditional());
    // The 8080's conditional jumps take the same time either way; their target tells them from JMP.
    let may_branch = conditional || step.instruction.is_some_and(|one| one.target().is_some());
    if step.no_memory {
        gap(text);
        text.tone(Tone::Wrong, "fetched where no memory is");
    }
    if step.interrupt && step.next == step.address {
        gap(text);
        text.tone(Tone::Faint, "the firmware answers it");
    }
    if step.went_elsewhere {
        gap(text);
        let address = session.machine().spell(step.next);
        match session.label(step.next) {
            Some(label) => text.put(format!("goes to {label} ({address})")),
            None => text.put(format!("goes to {address}")),
        };
    } else if session.machine().halted_at() == Some(step.address) {
        gap(text);
        text.tone(Tone::Faint, "waits");
    } else if may_branch && !step.many && step.stop.is_none() {
        gap(text);
        text.tone(Tone::Faint, "goes on");
    }
}

/// A change as words: `A 12→15`, `CY 0→1`, `[4100] 00→07`, `port 10 ← 55`.
pub(super) fn change_text(machine: &Machine, change: &Change, text: &mut Text) {
    let set = machine.set();
    match change {
        Change::Register { name, bits, before, after } => {
            let show = |value: u64| digits(value, set.habit().table_radix(), *bits);
            text.put(format!("{name} {}→", show(*before))).tone(Tone::Live, show(*after));
        }
        Change::Flag { name, after } => {
            let (before, after) = (u8::from(!after), u8::from(*after));
            let name = set.flag(name).map_or(name.to_string(), |flag| set.flag_name(flag));
            text.put(format!("{name} {before}→")).tone(Tone::Live, after.to_string());
        }
        Change::Cell { address, before, after, took_effect } => {
            let place = machine.spell(*address);
            text.put(format!("[{place}] {}→", set.cell(*before))).tone(Tone::Live, set.cell(*after));
            if !took_effect {
                text.tone(Tone::Wrong, " (no RAM there)");
            }
        }
        Change::Chip { address, value, written } => {
            let word = if *written { "gets" } else { "gives" };
            let name = machine.chip_register(*address, false, *written);
            let place = name.unwrap_or_else(|| format!("[{}]", machine.spell(*address)));
            text.put(format!("{place} {word} ")).tone(Tone::Live, set.cell(*value));
        }
        Change::In { port, value } => {
            text.put(format!("{} gives ", port_text(machine, *port, false)))
                .tone(Tone::Live, set.cell(*value));
        }
        Change::Out { port, value, took_effect } => {
            text.put(format!("{} gets ", port_text(machine, *port, true))).tone(Tone::Live, set.cell(*value));
            if !took_effect {
                text.tone(Tone::Wrong, " (nothing there)");
            }
        }
        Change::Console { bytes } => {
            text.put("console ").tone(Tone::Live, format!("{:?}", String::from_utf8_lossy(bytes)));
        }
    }
}

/// A port with what is there: `port 10 (lamps)`.
fn port_text(machine: &Machine, port: u32, written: bool) -> String {
    let set = machine.set();
    let name = machine.chip_register(port, true, written).map_or(String::new(), |name| format!(" ({name})"));
    format!("{} {}{name}", set.port_word(), set.port(port))
}

/// Halves that were changed as a pair, told as one: `HL 2000→2041`. A half that the instruction itself names stays alone.
fn with_pairs(machine: &Machine, step: &Step) -> Vec<Change> {
    let set = machine.set();
    let names_half = |half: &str| {
        step.instruction.is_some_and(|one| {
            one.row.operands.iter().zip(one.operands).any(|(shape, value)| match shape.inner() {
                Shape::Name { names, .. } if !names.what.contains("pair") => {
                    names.list.get(value as usize).is_some_and(|name| name.eq_ignore_ascii_case(half))
                }
                Shape::Fixed(name) => name.eq_ignore_ascii_case(half),
                _ => false,
            })
        })
    };
    let mut changes = step.changes.clone();
    let pairs = set.registers().iter().enumerate().filter(|(_, one)| one.role == Role::Pair);
    for (place, pair) in pairs.filter(|(_, pair)| pair.name.len() == 2 && pair.bits == 16) {
        let (high, low) = pair.name.split_at(1);
        let find = |changes: &[Change], half: &str| {
            changes
                .iter()
                .position(|one| matches!(one, Change::Register { name, bits: 8, .. } if *name == half))
        };
        let found: Vec<usize> = [high, low].iter().filter_map(|half| find(&changes, half)).collect();
        let Some(&first) = found.iter().min() else { continue };
        if names_half(high) || names_half(low) {
            continue;
        }
        let after = machine.register(place);
        let mut before = after;
        for &at in &found {
            if let Change::Register { name, before: was, .. } = changes[at] {
                let shift = if name == high { 8 } else { 0 };
                before = before & !(0xFF << shift) | was << shift;
            }
        }
        changes[first] = Change::Register { name: pair.name, bits: 16, before, after };
        if let Some(&second) = found.iter().max().filter(|&&second| second != first) {
            changes.remove(second);
        }
    }
    changes
}

/// Cells that an instruction looked at for its operand; not what it took from the stack, nor what it changed there.
fn cells_read(step: &Step) -> impl Iterator<Item = (u32, u64)> {
    const MOST: usize = 2;
    let from_stack = step.instruction.is_none_or(|one| matches!(one.row.flow, Flow::Return | Flow::ReturnIf))
        || step.changes.iter().any(|change| matches!(change, Change::Register { name: "SP" | "S", .. }));
    let is_changed = |at: u32| {
        step.changes.iter().any(|change| matches!(change, Change::Cell { address, .. } if *address == at))
    };
    let is_told = !from_stack && !step.many && step.service.is_none() && step.reads.len() <= MOST;
    step.reads.iter().copied().filter(move |(at, _)| is_told && !is_changed(*at))
}

/// The data registers and flags in one line: `A=00 B=00 … SP=FFC0  S=0 Z=1 …`.
pub(super) fn registers_line(machine: &Machine) -> String {
    let set = machine.set();
    let shown = set.registers().iter().enumerate();
    let registers =
        shown.filter(|(_, one)| matches!(one.role, Role::Data | Role::Stack)).map(|(place, one)| {
            format!("{}={}", one.name, digits(machine.register(place), set.habit().table_radix(), one.bits))
        });
    let flags = flags_by(machine, |flag| set.flag_name(flag));
    format!("{}  {flags}", registers.collect::<Vec<_>>().join(" "))
}

/// The flags by name: `S=0 Z=1 AC=0 P=1 CY=0`.
pub fn flags_text(machine: &Machine) -> String {
    flags_by(machine, |flag| flag.name.to_string())
}

fn flags_by(machine: &Machine, name: impl Fn(&Flag) -> String) -> String {
    let set = machine.set();
    let flags = set.flags_register().map_or(0, |place| machine.register(place));
    let flags = set.flags().iter().map(|flag| format!("{}={}", name(flag), u8::from(flags & flag.mask != 0)));
    flags.collect::<Vec<_>>().join(" ")
}

/// The instruction at an address as its source has it, or disassembled.
pub fn written_at(session: &Session, address: u32) -> String {
    let set = session.processor();
    if let Some(line) = session.source_line(address).filter(|line| line.code) {
        return line.text.clone();
    }
    if session.machine().kind(address).is_none() {
        return "(no memory there)".to_string();
    }
    match session.instruction_at(address) {
        (Some(decoded), _) => decoded.text(set, &|at| session.label(at as u32).map(String::from)),
        (None, cells) => {
            let directive = if set.is_word_machine() { "dw" } else { "db" };
            format!("{directive} {}", set.habit().literal(cells[0], set.cell_bits()))
        }
    }
}

/// Adds the line of the instruction at an address: marks for the place and for a breakpoint, cells, label, and the source or the
/// disassembly. Gives the address after it.
pub fn list_line(session: &Session, address: u32, text: &mut Text) -> u32 {
    let set = session.processor();
    let (_, cells) = session.instruction_at(address);
    let here = address == session.machine().halted_at().unwrap_or(session.machine().place());
    let mark = if here { "▸" } else { " " };
    let stop = if session.breakpoints().contains(&address) { "*" } else { " " };
    let shown: Vec<String> = cells.iter().map(|&cell| set.cell(cell)).collect();
    let width = set.longest() * (set.cell(0).len() + 1);
    let label = session.label(address).map(|label| format!("{label}:")).unwrap_or_default();
    let written = written_at(session, address);
    text.line()
        .tone(Tone::Live, format!("{mark}{stop}"))
        .tone(Tone::Strong, session.machine().spell(address));
    text.tone(Tone::Faint, format!("  {:width$} ", shown.join(" ")));
    text.tone(Tone::Strong, format!("{label:10} ")).put(written);
    address.wrapping_add(cells.len() as u32) & set.last_address()
}

/// Cells in rows of sixteen, addresses in front: in the habitual radix, in another one, or as characters.
pub fn memory_text(machine: &Machine, first: u32, last: u32, radix: Radix) -> Text {
    memory_in(machine, None, (first, last), radix)
}

/// The same with the addresses as places in a segment, and where that begins.
pub fn memory_in(machine: &Machine, window: Option<Window>, (first, last): (u32, u32), radix: Radix) -> Text {
    let set = machine.set();
    let mut text = Text::new();
    if let Some(window) = window {
        let linear = set.habit().plain(first.into(), set.address_bits());
        text.line().tone(Tone::Faint, format!("{} is the address {linear}", set.spell(first, window)));
    }
    let spell = |address: u32| match window {
        Some(window) => set.spell(address, window),
        None => machine.spell(address),
    };
    let per_line = match (radix, set.cell_bits()) {
        (Radix::Binary, 36) => 2,
        (_, 36) => 4,
        (Radix::Binary, _) => 8,
        _ => 16,
    };
    let mut at = u64::from(first);
    while at <= u64::from(last) {
        // A short range stands in one row; longer ones keep to addresses that are round.
        let short = u64::from(last - first) < per_line;
        let before = if short { 0 } else { at % per_line };
        let end = (at - before + per_line - 1).min(last.into());
        text.line().tone(Tone::Strong, spell(at as u32)).put(" ");
        let width = radix.width(set) + 1;
        text.put(" ".repeat(before as usize * width));
        let mut characters = " ".repeat(before as usize * if set.cell_bits() == 36 { 5 } else { 1 });
        for address in at..=end {
            let cell = machine.cell(address as u32);
            let exists = machine.kind(address as u32).is_some();
            match set.cell_bits() {
                // Five of seven bits are in a word.
                36 => characters.extend((0..5).map(|at| character(cell >> (29 - 7 * at) & 0x7F))),
                _ => characters.push(if exists { character(cell) } else { ' ' }),
            }
            let shown = if exists { radix.show(set, cell) } else { "-".repeat(radix.width(set)) };
            text.put(format!(" {shown:>width$}", width = width - 1));
        }
        if radix == Radix::Habit {
            let missing = (per_line - before - (end - at + 1)) as usize * width;
            text.put(format!("{:missing$}  ", "")).tone(Tone::Faint, characters);
        }
        at = end + 1;
    }
    text
}

/// How cells are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Radix {
    /// As the processor's people write them, characters beside.
    #[default]
    Habit,
    /// Hexadecimal.
    Hex,
    /// Decimal.
    Decimal,
    /// Octal.
    Octal,
    /// Binary, eight to a line.
    Binary,
    /// Characters.
    Character,
}

impl Radix {
    /// The names that people may use.
    pub const NAMES: &[(&str, Radix)] = &[
        ("hex", Radix::Hex),
        ("decimal", Radix::Decimal),
        ("octal", Radix::Octal),
        ("binary", Radix::Binary),
        ("characters", Radix::Character),
    ];

    fn show(self, set: &InstructionSet, cell: u64) -> String {
        match self {
            Radix::Habit => set.cell(cell),
            Radix::Hex => digits(cell, 16, set.cell_bits()),
            Radix::Decimal => cell.to_string(),
            Radix::Octal => digits(cell, 8, set.cell_bits()),
            Radix::Binary => digits(cell, 2, set.cell_bits()),
            Radix::Character => character(cell).to_string(),
        }
    }

    fn width(self, set: &InstructionSet) -> usize {
        self.show(set, set.last_cell()).len()
    }
}
