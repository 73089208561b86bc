//! The text that is shown, row by row: its lines, and below a line that is open what a macro or a block wrote out for it.

use super::Debugger;
use crate::monitor::Complaint;
use crate::session::{LineCode, instruction_at};

/// Where the cursor stands in a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Cursor {
    pub file: String,
    /// The line, from 1.
    pub number: usize,
    /// The address of an instruction that the line wrote out.
    pub written: Option<u32>,
}

impl Cursor {
    pub fn at(file: &str, number: usize) -> Self {
        Self { file: file.to_string(), number, written: None }
    }
}

/// A row: a line, or an instruction that a line wrote out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct RowAt {
    pub number: usize,
    pub written: Option<u32>,
}

/// Words that stand for instructions that they do not name.
const BLOCKS: &[&str] = &["when", "otherwise", "endwhen", "cycle", "leave", "endcycle"];

/// True where a line says something else than the instruction that it made.
fn is_block(text: &str) -> bool {
    let first = text.split_whitespace().next().unwrap_or_default();
    BLOCKS.iter().any(|word| first.eq_ignore_ascii_case(word))
}

impl Debugger {
    /// How many instructions a line wrote out that it does not say itself; 0 where it is one.
    pub(super) fn folds(&self, addresses: &[u32]) -> usize {
        let is_plain = match addresses {
            [] => true,
            [one] => {
                self.session().line_of(*one).is_none_or(|line| line.call.is_none() && !is_block(&line.text))
            }
            _ => false,
        };
        if is_plain { 0 } else { addresses.len() }
    }

    /// An instruction that a line wrote out.
    pub(super) fn written_text(&self, address: u32) -> String {
        match self.session().line_of(address).filter(|line| !is_block(&line.text)) {
            Some(line) => line.text.clone(),
            None => {
                let session = self.session();
                let label = |at: u64| session.label(at as u32).map(String::from);
                let decoded = instruction_at(session.machine(), address).0;
                decoded.map_or_else(String::new, |one| one.text(session.processor(), &label))
            }
        }
    }

    /// Every row of a text, as its lines are open.
    pub(super) fn rows(&self, file: &str, made: &LineCode) -> Vec<RowAt> {
        let lines = self.session().text(file).map_or(0, |text| text.lines().count());
        let mut rows = Vec::with_capacity(lines);
        for number in 1..=lines {
            rows.push(RowAt { number, written: None });
            if self.is_open(file, number)
                && let Some(addresses) = made.get(&number)
            {
                rows.extend(addresses.iter().map(|&at| RowAt { number, written: Some(at) }));
            }
        }
        rows
    }

    pub(super) fn is_open(&self, file: &str, number: usize) -> bool {
        self.open.contains(&(file.to_string(), number))
    }

    /// The place of the cursor among the rows.
    pub(super) fn cursor_row(&self, rows: &[RowAt]) -> Option<usize> {
        let cursor = self.cursor.as_ref()?;
        let at = RowAt { number: cursor.number, written: cursor.written };
        rows.iter().position(|row| *row == at).or_else(|| rows.iter().position(|row| row.number == at.number))
    }

    /// Moves the cursor by so many rows.
    pub(super) fn move_cursor(&mut self, by: i64) {
        let Some(file) = self.cursor.as_ref().map(|cursor| cursor.file.clone()) else { return };
        let rows = self.rows(&file, self.session().code_by_line(&file));
        let Some(at) = self.cursor_row(&rows) else { return };
        let to = (at as i64 + by).clamp(0, rows.len().max(1) as i64 - 1) as usize;
        if let (Some(row), Some(cursor)) = (rows.get(to), &mut self.cursor) {
            (cursor.number, cursor.written) = (row.number, row.written);
        }
    }

    /// Shows below the line of the cursor what it wrote out, or no more.
    pub(super) fn unfold(&mut self) -> Result<(), Complaint> {
        let help = "move the cursor to a line with a macro or a block; it has a number at its right";
        let cursor = self.cursor.clone().ok_or_else(|| Complaint::new("there is no source here", help))?;
        let count = self
            .session()
            .code_by_line(&cursor.file)
            .get(&cursor.number)
            .map_or(0, |addresses| self.folds(addresses));
        if count == 0 {
            let message = format!("line {} wrote out nothing else than it says", cursor.number);
            return Err(Complaint::new(message, help));
        }
        let key = (cursor.file.clone(), cursor.number);
        if !self.open.remove(&key) {
            self.open.insert(key);
        }
        if let Some(cursor) = &mut self.cursor {
            cursor.written = None;
        }
        Ok(())
    }

    /// The cursor goes to the row that comes next, where it has one.
    pub(super) fn home(&mut self) {
        let place = self.place();
        let Some(line) = self.session().source_line(place) else { return };
        let (file, number) = line.written_at();
        let mut cursor = Cursor::at(file, number);
        cursor.written = self.is_open(&cursor.file, cursor.number).then_some(place);
        self.cursor = Some(cursor);
    }

    /// The address at the cursor, or why there is none.
    pub(super) fn at_cursor(&self) -> Result<u32, Complaint> {
        let help = "move the cursor to a line with an instruction";
        let cursor = self.cursor.as_ref().ok_or_else(|| Complaint::new("there is no source here", help))?;
        let Cursor { file, number, written } = cursor;
        let first = || self.session().code_by_line(file).get(number)?.first().copied();
        written
            .or_else(first)
            .ok_or_else(|| Complaint::new(format!("line {number} has no instruction"), help))
    }

    /// The address at the cursor as it is written, where there is an instruction.
    pub fn cursor_place(&self) -> Option<String> {
        let address = self.at_cursor().ok()?;
        let set = self.session().processor();
        let label = self.session().label(address).map(String::from);
        Some(label.unwrap_or_else(|| set.habit().literal(address.into(), set.address_bits())))
    }

    /// The next text of the program.
    pub(super) fn next_text(&mut self) {
        let programs = self.session().texts_and_programs();
        let names: Vec<String> = programs
            .into_iter()
            .flat_map(|program| program.texts().map(|text| text.0.to_string()).collect::<Vec<_>>())
            .collect();
        let shown =
            self.cursor.as_ref().and_then(|cursor| names.iter().position(|name| *name == cursor.file));
        let next = shown.map_or(0, |at| (at + 1) % names.len().max(1));
        if let Some(name) = names.get(next) {
            self.cursor = Some(Cursor::at(name, 1));
        }
    }
}
