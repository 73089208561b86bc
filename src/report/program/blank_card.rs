//! The empty card: addresses, and room to write down what is keyed in there.

use super::card::{GROUP, Grouping, MARGIN, PAGE, Sheet, TooLong, groups};
use super::picture::{Ground, Ink, Picture, letter};
use crate::number::digits;
use crate::processor::InstructionSet;
use crate::text::{Text, Tone};

/// A card with nothing on it but addresses.
#[derive(Debug, Clone)]
pub struct BlankCard {
    set: &'static InstructionSet,
    first: u32,
    count: u32,
    grouping: Grouping,
}

impl BlankCard {
    /// Room for `count` cells from an address on, or for as many as there are up to the last address.
    pub fn new(set: &'static InstructionSet, first: u32, count: u32, grouping: Grouping) -> Self {
        let most = u64::from(set.last_address()) + 1 - u64::from(first.min(set.last_address()));
        Self { set, first, count: count.min(most.min(u32::MAX.into()) as u32), grouping }
    }

    /// Digits that a cell is written with.
    fn digits(&self) -> usize {
        let radix = match self.grouping {
            Grouping::Fours => 16,
            Grouping::Threes => 8,
        };
        digits(self.set.last_cell(), radix, self.set.cell_bits()).len()
    }

    /// The places of the switches of a cell, empty.
    fn switches(&self) -> Vec<Vec<bool>> {
        groups(0, self.set.cell_bits(), self.grouping)
    }

    /// The card as lines to print.
    pub fn text(&self) -> Text {
        let switches: Vec<String> = self.switches().iter().map(|group| "▽".repeat(group.len())).collect();
        let cell = "_".repeat(self.digits());
        let mut text = Text::new();
        for at in 0..self.count {
            text.line().put(format!("{}  {cell}  ", self.set.address((self.first + at).into())));
            text.tone(Tone::Faint, switches.join(" ")).put(format!("  {}", "_".repeat(32)));
            if (at as usize + 1).is_multiple_of(GROUP) {
                text.line()
                    .tone(Tone::Faint, format!("      sum of these cells {cell}, of all so far {cell}"));
            }
        }
        text
    }

    /// The card as a page of A4, in SVG.
    ///
    /// # Errors
    /// [`TooLong`] where the cells do not fit on a page.
    pub fn svg(&self, ground: Ground) -> Result<String, TooLong> {
        let cells = self.count as usize;
        let lines = cells + cells / GROUP;
        let sheet = Sheet::with(lines).map_err(|room| TooLong { cells, room: room * GROUP / (GROUP + 1) })?;
        let mut picture = Picture::new(ground, PAGE.0, PAGE.1);
        picture.text((MARGIN, MARGIN + 14.0), 16.0, Ink::Plain, "start", "program");
        let under = MARGIN + 17.0;
        picture.line(&[(MARGIN + 80.0, under), (PAGE.0 - MARGIN, under)], Ink::Faint, 0.6, false);
        let head = format!("{}, start at", self.set.name());
        picture.text((MARGIN, MARGIN + 34.0), 10.0, Ink::Faint, "start", &head);
        let mut line = 0;
        for at in 0..self.count {
            self.draw_row(&mut picture, &sheet, line, self.first + at);
            line += 1;
            if (at as usize + 1).is_multiple_of(GROUP) {
                let (x, y) = sheet.place(line);
                let words = "sum of 8:          so far";
                picture.text((x, y), sheet.size, Ink::Faint, "start", words);
                let under = y + sheet.height * 0.32;
                picture.line(&[(x, under), (x + sheet.width - 14.0, under)], Ink::Faint, 0.5, false);
                line += 1;
            }
        }
        Ok(picture.finish())
    }

    /// An address, a box for each digit, switches to be filled in, and a line for the instruction.
    fn draw_row(&self, picture: &mut Picture, sheet: &Sheet, line: usize, address: u32) {
        let ((x, y), size) = (sheet.place(line), sheet.size);
        let address = self.set.address(address.into());
        picture.text((x, y), size, Ink::Plain, "start", &address);
        let mut at = x + letter(size) * (address.len() + 2) as f64;
        let (w, h) = (size * 0.9, size * 1.15);
        for _ in 0..self.digits() {
            picture.rect((at, y - h + size * 0.15), (w, h), 0.0, Ink::Ground, Some(Ink::Faint));
            at += w;
        }
        at += size;
        for group in self.switches() {
            for _ in group {
                let w = size * 0.52;
                picture.rect((at, y - size * 0.82), (w, size * 0.9), w * 0.3, Ink::Ground, Some(Ink::Faint));
                at += w * 1.25;
            }
            at += size * 0.36;
        }
        let end = x + sheet.width - 14.0;
        picture.line(&[(at + size * 0.5, y + 1.0), (end, y + 1.0)], Ink::Faint, 0.5, false);
    }
}
