//! What cells that are no instructions are best written as.

use crate::image::Cell;
use crate::processor::InstructionSet;

/// The most characters and the most numbers in a line of data.
const TEXT: usize = 40;
pub(super) const NUMBERS: usize = 8;
/// So many printable characters in a row are taken for a text.
const LEAST_TEXT: usize = 4;
/// So many equal cells in a row are written as `ds`.
const LEAST_RUN: usize = 16;

/// The character that ends a text for many services.
const MARKER: Cell = b'$' as Cell;

/// What the first cells are best written as, and how many they are.
pub(super) fn datum(set: &InstructionSet, cells: &[Cell]) -> (usize, String) {
    let literal = |cell: Cell| set.habit().literal(cell, set.cell_bits());
    let run = cells.iter().take_while(|&&cell| cell == cells[0]).count();
    if run >= LEAST_RUN {
        let count = if set.is_word_machine() { format!("{run}.") } else { run.to_string() };
        return (run, format!("ds {count}, {}", literal(cells[0])));
    }
    let printable = text_length(cells);
    if printable >= LEAST_TEXT {
        let mut text = String::from("db \"");
        for &cell in &cells[..printable] {
            if matches!(cell as u8, b'"' | b'\\') {
                text.push('\\');
            }
            text.push(char::from(cell as u8));
        }
        text.push('"');
        // What ends a text, or goes with its end, stands in the same line.
        let tail = cells[printable..].iter().take(3).take_while(|&&cell| matches!(cell, 0 | 0x0A | 0x0D));
        let tail: Vec<Cell> = tail.copied().collect();
        for &cell in &tail {
            text.push_str(", ");
            text.push_str(&literal(cell));
        }
        let mut length = printable + tail.len();
        if !tail.is_empty() && cells.get(length) == Some(&MARKER) {
            text.push_str(", \"$\"");
            length += 1;
        }
        return (length, text);
    }
    let mut length = 1;
    while length < cells.len().min(NUMBERS) && !begins_other(&cells[length..]) {
        length += 1;
    }
    (length, numbers(set, &cells[..length]))
}

/// Cells as numbers after `db`, or `dw` where a cell is a word.
pub(super) fn numbers(set: &InstructionSet, cells: &[Cell]) -> String {
    let numbers: Vec<String> = cells.iter().map(|&cell| set.habit().literal(cell, set.cell_bits())).collect();
    let directive = if set.is_word_machine() { "dw" } else { "db" };
    format!("{directive} {}", numbers.join(", "))
}

fn begins_other(cells: &[Cell]) -> bool {
    let run = || cells.iter().take(LEAST_RUN).take_while(|&&cell| cell == cells[0]).count();
    text_length(cells) >= LEAST_TEXT || run() >= LEAST_RUN
}

fn text_length(cells: &[Cell]) -> usize {
    let printable = cells.iter().take(TEXT).take_while(|cell| (0x20..0x7F).contains(*cell)).count();
    // A marker ends a text, where what stands in front of it is one.
    let marker = cells[..printable].iter().position(|&cell| cell == MARKER).map(|at| at + 1);
    marker.filter(|&length| length >= LEAST_TEXT).unwrap_or(printable)
}
