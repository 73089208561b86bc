//! What a screen shows of a program that stands at a moment.

use super::pane::is_shown;
use super::rows::RowAt;
use super::{Debugger, Pane, Strip};
use crate::number::{character, digits};
use crate::processor::Role;
use crate::report::written_at;
use crate::session::{StackWord, instruction_at};

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
    /// How many instructions it wrote out that it does not say itself; 0 where it is one.
    pub folds: usize,
    /// It is an instruction that the line above wrote out.
    pub is_written: bool,
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
    /// The cursor stands here.
    pub is_cursor: bool,
    /// It is the program counter.
    pub is_counter: bool,
}

/// A watched expression.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Watched {
    /// The expression.
    pub text: String,
    /// Its value, in the processor's habitual radix; or why it has none.
    pub value: String,
    /// The same in decimal; empty where it has none.
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
    /// The cursor stands here.
    pub is_cursor: bool,
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
    /// What is watched.
    pub watched: Vec<Watched>,
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
pub(super) const ROWS: u32 = 16;
pub(super) const CELLS: u32 = PER_ROW * ROWS;

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
            watched: self.watched(),
            stack: self.stack_rows(stack),
            memory: self.memory_rows(memory),
            strip: self.strip.clone(),
            now: (now.cycle, now.instructions, last.cycle, last.instructions),
            is_past: session.is_in_the_past(),
        }
    }

    fn source(&self, lines: usize) -> (String, Vec<SourceRow>) {
        let session = self.session();
        let place = self.place();
        let next = session.source_line(place);
        let shown = self.cursor.as_ref().and_then(|cursor| Some((&cursor.file, session.text(&cursor.file)?)));
        // Where execution stands outside of every text, what memory holds is shown.
        let Some((file, text)) = shown.filter(|_| next.is_some() || session.has_text_at(place)) else {
            return (String::new(), self.disassembled(lines));
        };
        let made = self.session().code_by_line(file);
        let rows = self.rows(file, made);
        let cursor = self.cursor_row(&rows).unwrap_or(0);
        let all: Vec<&str> = text.lines().collect();
        let first = (cursor + 1).saturating_sub(lines / 2 + 1).min(rows.len().saturating_sub(lines));
        let is_next = |row: &RowAt| match (row.written, next) {
            (Some(address), _) => address == place,
            (None, Some(line)) => line.written_at() == (file, row.number) && !self.is_open(file, row.number),
            _ => false,
        };
        let none = Vec::new();
        let row = |at: usize, row: &RowAt| {
            let addresses = made.get(&row.number).unwrap_or(&none);
            let own = match row.written {
                Some(address) => vec![address],
                None if self.is_open(file, row.number) => Vec::new(),
                None => addresses.clone(),
            };
            SourceRow {
                number: row
                    .written
                    .map_or(row.number.to_string(), |address| session.machine().spell(address)),
                text: match row.written {
                    Some(address) => self.written_text(address),
                    None => all[row.number - 1].to_string(),
                },
                is_next: is_next(row),
                is_cursor: at == cursor,
                has_stop: own.iter().any(|address| session.breakpoints().contains(address)),
                has_code: !addresses.is_empty(),
                folds: if row.written.is_some() { 0 } else { self.folds(addresses) },
                is_written: row.written.is_some(),
            }
        };
        let shown = rows.iter().enumerate().skip(first).take(lines);
        (file.clone(), shown.map(|(at, one)| row(at, one)).collect())
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
                folds: 0,
                is_written: false,
            });
            let cells = instruction_at(machine, address).1.len() as u32;
            address = address.wrapping_add(cells) & machine.set().last_address();
        }
        rows
    }

    fn register_views(&self) -> Vec<RegisterView> {
        let machine = self.session().machine();
        let set = machine.set();
        let registers = set.registers().iter().enumerate().filter(|(_, one)| is_shown(one.role));
        registers
            .enumerate()
            .map(|(number, (place, one))| {
                let value = machine.register(place);
                RegisterView {
                    name: one.name,
                    value: digits(value, set.habit().table_radix(), one.bits),
                    decimal: value.to_string(),
                    changed: self.before.get(place).is_some_and(|&before| before != value),
                    is_cursor: self.pane == Pane::Registers && number == self.register,
                    is_counter: one.role == Role::Program,
                }
            })
            .collect()
    }

    fn flag_views(&self) -> Vec<RegisterView> {
        let machine = self.session().machine();
        let set = machine.set();
        let Some(place) = set.flags_register() else { return Vec::new() };
        let (value, before) = (machine.register(place), self.before.get(place).copied());
        let first = self.names().len() - set.flags().len();
        let flags = set.flags().iter().enumerate().map(|(number, flag)| RegisterView {
            is_cursor: self.pane == Pane::Registers && first + number == self.register,
            is_counter: false,
            name: flag.name,
            value: u8::from(value & flag.mask != 0).to_string(),
            decimal: String::new(),
            changed: before.is_some_and(|before| (before ^ value) & flag.mask != 0),
        });
        flags.collect()
    }

    /// The values of what is watched.
    pub(super) fn watched_values(&self) -> Vec<Option<i64>> {
        self.monitor.watches().iter().map(|one| one.value(self.session()).ok()).collect()
    }

    fn watched(&self) -> Vec<Watched> {
        let values = self.monitor.watched().enumerate().map(|(at, one)| {
            let before = self.watched_before.get(at).copied();
            let now = one.value.as_ref().ok().map(|value| value.1);
            let changed = before.is_some_and(|before| before != now);
            let (value, decimal) = match one.value {
                Ok((value, decimal)) => (value, decimal.to_string()),
                Err(wrong) => (wrong, String::new()),
            };
            Watched { text: one.text.to_string(), value, decimal, changed }
        });
        values.collect()
    }

    /// Cells in a row of memory: as many as the pane has room for, and an even share of the address space.
    pub(super) fn per_row(&self) -> u32 {
        let machine = self.session().machine();
        let each = digits(machine.set().last_cell(), self.radix, machine.set().cell_bits()).len() + 1;
        let room = self.columns.saturating_sub(machine.spell(self.memory).len().max(5) + 1) / each;
        PER_ROW.min(1 << room.max(1).ilog2())
    }

    /// The memory pane has so many columns and rows.
    pub fn fit(&mut self, columns: usize, rows: usize) {
        self.columns = columns;
        self.memory_rows = (rows as u32).clamp(1, ROWS);
    }

    /// The cells of the memory pane.
    pub(super) fn cells(&self) -> Vec<u64> {
        let machine = self.session().machine();
        let last = machine.set().last_address();
        (0..CELLS).map(|by| machine.cell(self.memory.wrapping_add(by) & last)).collect()
    }

    fn memory_rows(&self, rows: usize) -> Vec<(String, Vec<Cell>)> {
        let machine = self.session().machine();
        let set = machine.set();
        let per_row = self.per_row() as usize;
        let spell = |value| match self.radix == set.habit().table_radix() {
            true => set.cell(value),
            // Without zeros in front, so that they stand below each other all the same.
            false => {
                let wide = digits(set.last_cell(), self.radix, set.cell_bits()).len();
                format!("{:>wide$}", digits(value, self.radix, set.cell_bits()))
            }
        };
        let now = self.cells();
        let row = |row: usize| {
            let first = self.memory.wrapping_add((row * per_row) as u32) & set.last_address();
            let cells = (row * per_row..(row + 1) * per_row).filter_map(|at| {
                let value = *now.get(at)?;
                let changed = self.cells_before.get(at).is_some_and(|&before| before != value);
                let address = self.memory.wrapping_add(at as u32) & set.last_address();
                let is_cursor = self.pane == Pane::Memory && address == self.cell;
                Some(Cell { value: spell(value), character: character(value), changed, is_cursor })
            });
            (machine.spell(first), cells.collect())
        };
        (0..rows.min(ROWS as usize)).map(row).collect()
    }

    /// What an instruction has put onto the stack, in its own words.
    fn saved(&self, by: u32) -> String {
        let line = self.session().line_of(by).filter(|line| line.code);
        line.map_or_else(
            || self.written_text(by),
            |line| format!("{}, line {}", line.text, line.written_at().1),
        )
    }

    fn stack_rows(&self, rows: usize) -> Vec<StackRow> {
        let session = self.session();
        let (machine, set) = (session.machine(), session.processor());
        let row = |word: StackWord| StackRow {
            address: machine.spell(word.address),
            value: match word.cells {
                1 => set.cell(word.value),
                cells => digits(word.value, set.habit().table_radix(), 8 * cells as u8),
            },
            what: match (word.back, word.by) {
                (Some(back), _) => format!("return to {}", session.cell_name(back)),
                (None, Some(by)) => self.saved(by),
                (None, None) => String::new(),
            },
        };
        session.stack_words(rows).into_iter().map(row).collect()
    }
}
