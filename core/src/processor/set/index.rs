//! The index of a table, made at compile time.

use super::table::{OperandIndex, PREFIX};
use crate::processor::{Row, Usage};

/// Finds the row of each of the 256 first cells, at compile time.
///
/// # Panics
/// At compile time, where two rows of a set claim the same first cell.
pub const fn index_rows(rows: &[Row], model: u8) -> [u16; 256] {
    index_page(rows, model, (0, 1), &[])
}

/// The same for the cells after a prefix, given with how many cells the whole opcode has. `further` are cells that lead on to
/// pages. What is found only takes what the rows above it leave.
///
/// # Panics
/// As [`index_rows`].
pub const fn index_page(
    rows: &[Row],
    model: u8,
    (prefix, cells): (u32, u8),
    further: &[(u8, u16)],
) -> [u16; 256] {
    let mut index = [0; 256];
    let mut at = 0;
    while at < rows.len() {
        let row = &rows[at];
        let mut last = 0;
        while last < 256 && row.opcode_cells == cells && row.models & model != 0 {
            let spare = matches!(row.usage, Usage::Found);
            if !matches!(row.usage, Usage::Written) && row.matches((prefix as u64) << 8 | last as u64) {
                assert!(index[last] == 0 || spare, "two rows claim one opcode");
                if index[last] == 0 {
                    index[last] = at as u16 + 1;
                }
            }
            last += 1;
        }
        at += 1;
    }
    let mut at = 0;
    while at < further.len() {
        index[further[at].0 as usize] = PREFIX + further[at].1;
        at += 1;
    }
    index
}

/// The rows of a model by first cell and operand byte, at compile time. What is found only takes what the others leave.
pub const fn index_operands(rows: &[Row], model: u8) -> OperandIndex {
    let mut index = [[0; 16]; 256];
    let mut at = 0;
    while at < rows.len() {
        let row = &rows[at];
        let mut first = 0;
        while first < 256 && row.models & model != 0 && !matches!(row.usage, Usage::Written) {
            let two = row.opcode_cells == 2;
            let own = if two { row.mask >> 8 } else { row.mask };
            let is_own = first as u64 & own == if two { row.value >> 8 } else { row.value };
            let mut class = 0;
            while class < 16 && is_own {
                // A byte of the class: one that the row fixes wholly is its own.
                let byte = if row.mask & 7 == 7 && two {
                    row.value & 0xFF
                } else {
                    ((class as u64 >> 3) * 0xC0) | ((class as u64 & 7) << 3)
                };
                let of_class =
                    (byte >> 6 == 3) as u64 == class as u64 >> 3 && byte >> 3 & 7 == class as u64 & 7;
                let opcode = if two { (first as u64) << 8 | byte } else { first as u64 };
                if index[first][class] == 0 && (!two || of_class) && row.matches(opcode) {
                    index[first][class] = at as u16 + 1;
                }
                class += 1;
            }
            first += 1;
        }
        at += 1;
    }
    index
}

/// The number of a row, plus one, by model, cells and value of its opcode; 0 where there is none.
pub const fn row_number(rows: &[Row], model: u8, cells: u8, value: u64) -> u16 {
    let mut at = 0;
    while at < rows.len() {
        if rows[at].models & model != 0 && rows[at].opcode_cells == cells && rows[at].value == value {
            return at as u16 + 1;
        }
        at += 1;
    }
    0
}

/// The same for words, by those of their bits that are left without `shift` ones on the right: `N` values. A row stands after
/// those that it leaves some of its words to.
pub const fn index_words<const N: usize>(rows: &[Row], shift: u8) -> [u16; N] {
    let mut index = [0; N];
    let mut at = rows.len();
    while at > 0 {
        at -= 1;
        if matches!(rows[at].usage, Usage::Written) {
            continue;
        }
        // Every value of the bits that are not fixed.
        let free = !(rows[at].mask >> shift) & (N as u64 - 1);
        let mut bits = free;
        loop {
            let first = rows[at].value >> shift | bits;
            if rows[at].matches(first << shift) {
                index[first as usize] = at as u16 + 1;
            }
            if bits == 0 {
                break;
            }
            bits = (bits - 1) & free;
        }
    }
    index
}
