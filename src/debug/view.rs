//! What a screen shows of a program that stands at a moment.

use super::{Debugger, Strip};
use crate::number::{character, digits};
use crate::processor::Role;
use crate::report::written_at;
use crate::session::instruction_at;

/// A line of the source, or an instruction where there is none.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceRow {
    /// The line's number, or the address.
    pub number: String,
    /// The line.
    pub text: String,
    /// It comes next.
    pub is_next: bool,
    /// The cursor stands here.
    pub is_cursor: bool,
    /// A breakpoint stands here.
    pub has_stop: bool,
    /// It has instructions.
    pub has_code: bool,
}

/// A register or a flag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegisterView {
    /// Its name.
    pub name: &'static str,
    /// Its value, in the processor's habitual radix.
    pub value: String,
    /// The same in decimal; empty for a flag.
    pub decimal: String,
    /// It is not what it was before the last deed.
    pub changed: bool,
}

/// A cell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cell {
    /// Its value.
    pub value: String,
    /// As a character.
    pub character: char,
    /// It is not what it was before the last deed.
    pub changed: bool,
}

/// What is on the stack.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StackRow {
    /// The address.
    pub address: String,
    /// The value: of an address two cells or more.
    pub value: String,
    /// What it is, where that shows: `return to again`.
    pub what: String,
}

/// Everything that is shown.
#[derive(Debug, Clone)]
pub struct View {
    /// The name of the text; empty where there is only what memory holds.
    pub file: String,
    /// Its lines around the cursor.
    pub source: Vec<SourceRow>,
    /// Registers.
    pub registers: Vec<RegisterView>,
    /// Flags.
    pub flags: Vec<RegisterView>,
    /// The stack, its top first.
    pub stack: Vec<StackRow>,
    /// Rows of memory: the address, and cells.
    pub memory: Vec<(String, Vec<Cell>)>,
    /// The strip of time.
    pub strip: Strip,
    /// Where the machine stands: cycles, instructions, and the last of each that is known.
    pub now: (u64, u64, u64, u64),
    /// It stands in the past.
    pub is_past: bool,
}

/// Cells in a row of memory, and rows that are kept to see what changes.
const PER_ROW: u32 = 8;
const ROWS: u32 = 16;

impl Debugger {
    /// What there is to be seen: so many lines of source, of memory and of the stack.
    pub fn view(&self, lines: usize, memory: usize, stack: usize) -> View {
        let session = self.session();
        let last = session.known().map_or(session.moment(), |known| known.1);
        let now = session.moment();
        let (file, source) = self.source(lines);
        View {
            file,
            source,
            registers: self.register_views(),
            flags: self.flag_views(),
            stack: self.stack_rows(stack),
            memory: self.memory_rows(memory),
            strip: self.strip.clone(),
            now: (now.cycle, now.instructions, last.cycle, last.instructions),
            is_past: session.is_in_the_past(),
        }
    }

    fn source(&self, lines: usize) -> (String, Vec<SourceRow>) {
        let session = self.session();
        let next = session.source_line(self.place());
        let is_next =
            |file: &str, number: usize| next.is_some_and(|one| one.file == file && one.number == number);
        let shown =
            self.cursor.as_ref().and_then(|(file, number)| Some((file, *number, session.text(file)?)));
        // Where execution stands outside of every text, what memory holds is shown.
        let Some((file, cursor, text)) =
            shown.filter(|_| next.is_some() || session.has_text_at(self.place()))
        else {
            return (String::new(), self.disassembled(lines));
        };
        let all: Vec<&str> = text.lines().collect();
        let first = cursor.saturating_sub(lines / 2 + 1).min(all.len().saturating_sub(lines));
        let stops: Vec<usize> = session
            .breakpoints()
            .iter()
            .filter_map(|&at| session.line_of(at).filter(|line| line.file == *file).map(|line| line.number))
            .collect();
        let code: std::collections::BTreeSet<usize> = session
            .texts_and_programs()
            .into_iter()
            .flat_map(|program| program.lines().collect::<Vec<_>>())
            .filter(|(_, line)| line.code && line.file == *file)
            .map(|(_, line)| line.number)
            .collect();
        let rows = all.iter().enumerate().skip(first).take(lines).map(|(at, line)| SourceRow {
            number: (at + 1).to_string(),
            text: (*line).to_string(),
            is_next: is_next(file, at + 1),
            is_cursor: at + 1 == cursor,
            has_stop: stops.contains(&(at + 1)),
            has_code: code.contains(&(at + 1)),
        });
        (file.clone(), rows.collect())
    }

    fn disassembled(&self, lines: usize) -> Vec<SourceRow> {
        let session = self.session();
        let machine = session.machine();
        let (mut address, mut rows) = (self.place(), Vec::new());
        while rows.len() < lines {
            rows.push(SourceRow {
                number: machine.spell(address),
                text: written_at(session, address),
                is_next: address == self.place(),
                is_cursor: false,
                has_stop: session.breakpoints().contains(&address),
                has_code: true,
            });
            let cells = instruction_at(machine, address).1.len() as u32;
            address = address.wrapping_add(cells) & machine.set().last_address();
        }
        rows
    }

    fn register_views(&self) -> Vec<RegisterView> {
        let machine = self.session().machine();
        let set = machine.set();
        let shown = |role: Role| matches!(role, Role::Data | Role::Cell | Role::Stack | Role::Program);
        let registers = set.registers().iter().enumerate().filter(|(_, one)| shown(one.role));
        registers
            .map(|(place, one)| {
                let value = machine.register(place);
                RegisterView {
                    name: one.name,
                    value: digits(value, set.habit().table_radix(), one.bits),
                    decimal: value.to_string(),
                    changed: self.before.get(place).is_some_and(|&before| before != value),
                }
            })
            .collect()
    }

    fn flag_views(&self) -> Vec<RegisterView> {
        let machine = self.session().machine();
        let set = machine.set();
        let Some(place) = set.flags_register() else { return Vec::new() };
        let (value, before) = (machine.register(place), self.before.get(place).copied());
        let flags = set.flags().iter().map(|flag| RegisterView {
            name: flag.name,
            value: u8::from(value & flag.mask != 0).to_string(),
            decimal: String::new(),
            changed: before.is_some_and(|before| (before ^ value) & flag.mask != 0),
        });
        flags.collect()
    }

    /// The cells of the memory pane.
    pub(super) fn cells(&self) -> Vec<u64> {
        let machine = self.session().machine();
        let last = machine.set().last_address();
        (0..PER_ROW * ROWS).map(|by| machine.cell(self.memory.wrapping_add(by) & last)).collect()
    }

    fn memory_rows(&self, rows: usize) -> Vec<(String, Vec<Cell>)> {
        let machine = self.session().machine();
        let set = machine.set();
        let per_row = if set.cell_bits() > 12 { 2 } else { PER_ROW as usize };
        let now = self.cells();
        let row = |row: usize| {
            let first = self.memory.wrapping_add((row * per_row) as u32) & set.last_address();
            let cells = (row * per_row..(row + 1) * per_row).filter_map(|at| {
                let value = *now.get(at)?;
                let changed = self.cells_before.get(at).is_some_and(|&before| before != value);
                Some(Cell { value: set.cell(value), character: character(value), changed })
            });
            (machine.spell(first), cells.collect())
        };
        (0..rows.min(ROWS as usize)).map(row).collect()
    }

    fn stack_rows(&self, rows: usize) -> Vec<StackRow> {
        let session = self.session();
        let machine = session.machine();
        let Some(top) = session.stack_top() else { return Vec::new() };
        let set = machine.set();
        let page = set.registers.stack_page;
        // A page of its own ends where it begins anew.
        let next = |at: u32, by: u32| {
            if page > 0 { page | (at + by) & 0xFF } else { (at + by) & set.last_address() }
        };
        let wide =
            usize::from(set.address_bits().min(if set.is_segmented() { 16 } else { 24 })).div_ceil(8) as u32;
        let (mut at, mut found) = (top, Vec::new());
        while found.len() < rows {
            let bytes = (0..wide).map(|by| machine.cell(next(at, by)));
            let word = bytes.enumerate().fold(0, |word, (by, cell)| word | cell << (8 * by));
            let back = session.return_address(word as u32);
            let (cells, what) = match back {
                Some(back) => (wide, format!("return to {}", session.cell_name(back))),
                None => (1, String::new()),
            };
            let value = match cells {
                1 => set.cell(machine.cell(at)),
                _ => digits(word, set.habit().table_radix(), 8 * wide as u8),
            };
            found.push(StackRow { address: machine.spell(at), value, what });
            at = next(at, cells);
            if at == 0 || page > 0 && at & 0xFF == 0 {
                break;
            }
        }
        found
    }
}
