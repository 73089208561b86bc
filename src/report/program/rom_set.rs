//! A ROM set as a person needs it at the programmer: what goes into which chip, in which order, with sums; and labels to stick on.

use super::picture::{Ground, Ink, Picture, cut};
use crate::number::{counted, thousands};
use crate::prom::{RomSet, SetBank};
use crate::text::{Text, Tone};

/// Differences beyond these are counted.
pub const MOST_SHOWN: usize = 6;

fn bank_text(bank: &SetBank) -> String {
    let (first, last) = bank.addresses;
    let lane = match bank.lane {
        (_, 1) => String::new(),
        (0, 2) => ", even".to_string(),
        (1, 2) => ", odd".to_string(),
        (lane, lanes) => format!(", lane {lane} of {lanes}"),
    };
    format!("{} at {first:04X}..{last:04X}{lane}", bank.image)
}

/// The chips in the order in which they are programmed, what is in each of them, their sums and that of all.
pub fn rom_set(set: &RomSet) -> Text {
    let mut text = Text::new();
    text.line().tone(Tone::Strong, if set.name.is_empty() { "ROM set" } else { &set.name });
    text.put(format!(", {}", counted(set.chips.len(), "chip")));
    text.line().tone(Tone::Faint, " no.  socket    part     cells used  sum    CRC-16  CRC-32    what");
    for (at, chip) in set.chips.iter().enumerate() {
        let sums = chip.sums();
        for (number, bank) in chip.banks.iter().enumerate() {
            text.line();
            if number == 0 {
                text.put(format!("{:>4}  ", at + 1)).tone(Tone::Strong, format!("{:8}", chip.socket));
                text.put(format!(
                    "  {:7}  {:>10}  {:04X}   {:04X}    {:08X}  ",
                    chip.part.name,
                    thousands(chip.used() as u64),
                    sums.sum,
                    sums.crc16,
                    sums.crc32
                ));
            } else {
                text.put(" ".repeat(60));
            }
            if chip.banks.len() > 1 {
                text.tone(Tone::Faint, format!("{:04X}..{:04X}  ", bank.cells.0, bank.cells.1));
            }
            text.put(bank_text(bank));
        }
    }
    let sums = set.sums();
    text.line().tone(Tone::Faint, format!("{:35}", "      all in this order"));
    text.put(format!("{:04X}   {:04X}    {:08X}", sums.sum, sums.crc16, sums.crc32));
    text
}

/// Millimetres of a label: it covers the window of a chip with 28 pins and stays between their rows.
const LABEL: (f64, f64) = (34.0, 13.0);
/// Millimetres between two of them, and around the sheet.
const GAP: f64 = 3.0;
const MARGIN: f64 = 12.0;
/// A sheet of A4.
const SHEET: (f64, f64) = (210.0, 297.0);
/// Units of a picture in a millimetre.
const UNITS: f64 = 96.0 / 25.4;

/// A sheet of labels to print and cut out, in the size of the chips: the set, the socket, the part, the sum, and a day where one is given.
pub fn rom_labels(set: &RomSet, day: &str) -> String {
    let mut picture = Picture::new(Ground::Print, SHEET.0 * UNITS, SHEET.1 * UNITS);
    let across = ((SHEET.0 - 2.0 * MARGIN + GAP) / (LABEL.0 + GAP)) as usize;
    let name = if set.name.is_empty() { "ROM set" } else { &set.name };
    let sums = set.sums();
    let title = format!("{name}: {}, CRC-32 of all {:08X}", counted(set.chips.len(), "chip"), sums.crc32);
    picture.text((MARGIN * UNITS, MARGIN * UNITS), 12.0, Ink::Plain, "start", &title);
    for (at, chip) in set.chips.iter().enumerate() {
        let x = MARGIN + (at % across) as f64 * (LABEL.0 + GAP);
        let y = MARGIN + 6.0 + (at / across) as f64 * (LABEL.1 + GAP);
        let size = (LABEL.0 * UNITS, LABEL.1 * UNITS);
        picture.rect((x * UNITS, y * UNITS), size, 3.0, Ink::Ground, Some(Ink::Faint));
        let mut put = |across: f64, down: f64, size: f64, ink: Ink, anchor: &str, words: &str| {
            picture.text(((x + across) * UNITS, (y + down) * UNITS), size, ink, anchor, words);
        };
        put(1.5, 4.2, 12.0, Ink::Plain, "start", &chip.socket);
        put(LABEL.0 - 1.5, 4.2, 9.0, Ink::Plain, "end", &chip.part.name);
        put(1.5, 8.0, 8.0, Ink::Plain, "start", &cut(name, 22));
        let sum = format!("{:08X}", chip.sums().crc32);
        put(1.5, 11.6, 8.0, Ink::Plain, "start", &sum);
        put(LABEL.0 - 1.5, 11.6, 7.0, Ink::Faint, "end", day);
    }
    picture.finish()
}
