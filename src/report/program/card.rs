//! The card: the sheet that a person holds while keying a program in. Every cell with its address, in the radixes that
//! fit, as the switches stand, and beside it the instruction; a sum every eight cells tells a slip.

use super::picture::{Ground, Ink, Picture, cut, letter};
use crate::image::Cell;
use crate::machine::Keying;
use crate::number::digits;
use crate::processor::InstructionSet;
use crate::report::DisassembledLine;
use crate::text::{Text, Tone};

/// A check stands after so many cells.
pub(super) const GROUP: usize = 8;

/// How the bits of a cell are grouped.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Grouping {
    /// In fours, for those who read hex.
    Fours,
    /// In threes, for those who read octal.
    Threes,
}

/// A cell to be keyed in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CardRow {
    /// Its address.
    pub address: u32,
    /// What is keyed in.
    pub cell: Cell,
    /// The label that stands there.
    pub label: Option<String>,
    /// The instruction that begins there; empty inside one.
    pub text: String,
    /// After the last cell of eight, or of a stretch: how many they are, their sum, and the sum from the beginning, both
    /// cut to a cell.
    pub check: Option<(usize, Cell, Cell)>,
    /// The address switches must be set: the cells before end elsewhere.
    pub begins: bool,
}

/// A card.
#[derive(Debug, Clone)]
pub struct Card {
    title: String,
    set: &'static InstructionSet,
    grouping: Grouping,
    rows: Vec<CardRow>,
    start: Option<u32>,
}

/// A program that does not fit on a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the program has {cells} cells, and a page has room for {room}")]
pub struct TooLong {
    /// Cells there are.
    pub cells: usize,
    /// Cells that fit.
    pub room: usize,
}

/// A4 at 96 points an inch, and its margin.
pub(super) const PAGE: (f64, f64) = (794.0, 1123.0);
pub(super) const MARGIN: f64 = 36.0;
const HEAD: f64 = 66.0;

/// Columns and the size of the letters, largest first.
const LAYOUTS: &[(usize, f64)] = &[(1, 11.5), (2, 10.0), (2, 9.0), (3, 7.4), (4, 5.6)];

/// Where the lines of a card stand on a page of A4.
#[derive(Debug, Clone, Copy)]
pub(super) struct Sheet {
    /// The size of the letters.
    pub(super) size: f64,
    /// The height of a line.
    pub(super) height: f64,
    /// The width of a column.
    pub(super) width: f64,
    /// Lines in a column.
    pub(super) room: usize,
}

impl Sheet {
    /// The page with the largest letters that has room for so many lines; else how many there is room for.
    pub(super) fn with(lines: usize) -> Result<Self, usize> {
        let mut most = 0;
        for &(columns, size) in LAYOUTS {
            let height = size * 1.5;
            let room = ((PAGE.1 - 2.0 * MARGIN - HEAD) / height) as usize;
            if lines <= columns * room {
                return Ok(Self { size, height, width: (PAGE.0 - 2.0 * MARGIN) / columns as f64, room });
            }
            most = columns * room;
        }
        Err(most)
    }

    /// Where a line begins.
    pub(super) fn place(&self, line: usize) -> (f64, f64) {
        let (column, row) = (line / self.room, line % self.room);
        (MARGIN + column as f64 * self.width, MARGIN + HEAD + (row as f64 + 0.75) * self.height)
    }
}

/// Makes the card of a program.
pub fn card(
    title: &str,
    set: &'static InstructionSet,
    lines: &[DisassembledLine],
    start: Option<u32>,
    grouping: Grouping,
) -> Card {
    let mut rows: Vec<CardRow> = Vec::new();
    for line in lines {
        for (at, &cell) in line.cells.iter().enumerate() {
            let address = line.address + at as u32;
            let begins = rows.last().is_none_or(|last| last.address.checked_add(1) != Some(address));
            rows.push(CardRow {
                address,
                cell,
                label: line.label.clone().filter(|_| at == 0),
                text: if at == 0 { line.text.clone() } else { String::new() },
                check: None,
                begins,
            });
        }
    }
    let (mut count, mut sum, mut total) = (0, 0u64, 0u64);
    for at in 0..rows.len() {
        count += 1;
        (sum, total) = ((sum + rows[at].cell) & set.last_cell(), (total + rows[at].cell) & set.last_cell());
        if count == GROUP || rows.get(at + 1).is_none_or(|next| next.begins) {
            rows[at].check = Some((count, sum, total));
            (count, sum) = (0, 0);
        }
    }
    Card { title: title.to_string(), set, grouping, rows, start }
}

/// The bits of a value in groups, leftmost first; the first group holds what is left over.
pub(super) fn groups(value: u64, bits: u8, grouping: Grouping) -> Vec<Vec<bool>> {
    let size = match grouping {
        Grouping::Fours => 4,
        Grouping::Threes => 3,
    };
    let all: Vec<bool> = (0..bits).rev().map(|bit| value >> bit & 1 == 1).collect();
    let first = usize::from(bits) % size;
    let (head, rest) = all.split_at(first);
    let head = (!head.is_empty()).then(|| head.to_vec());
    head.into_iter().chain(rest.chunks(size).map(<[bool]>::to_vec)).collect()
}

/// Switches as letters: filled and pointing up, or hollow and pointing down.
fn switches(value: u64, bits: u8, grouping: Grouping) -> String {
    let group = |group: Vec<bool>| group.iter().map(|&up| if up { '▲' } else { '▽' }).collect::<String>();
    groups(value, bits, grouping).into_iter().map(group).collect::<Vec<_>>().join(" ")
}

impl Card {
    /// Its rows.
    pub fn rows(&self) -> &[CardRow] {
        &self.rows
    }

    fn radixes(&self, cell: Cell) -> [String; 3] {
        let bits = self.set.cell_bits();
        [
            digits(cell, 16, bits),
            format!("{cell:>width$}", width = digits(self.set.last_cell(), 10, 0).len()),
            digits(cell, 8, bits),
        ]
    }

    fn head(&self) -> String {
        let start = self.start.map(|start| format!(", start at {}", self.set.address(start.into())));
        format!("{} cells for the {}{}", self.rows.len(), self.set.name(), start.unwrap_or_default())
    }

    /// The card as text.
    pub fn text(&self) -> Text {
        let set = self.set;
        let mut text = Text::new();
        text.line().tone(Tone::Strong, self.title.clone()).put(format!("  {}", self.head()));
        text.line()
            .tone(Tone::Faint, "▲ a switch that is up (1), ▽ one that is down (0); sums are cut to a cell");
        let address_width = set.address(set.last_address().into()).len();
        let pattern = switches(0, set.cell_bits(), self.grouping).chars().count();
        let [hex, decimal, octal] = self.radixes(set.last_cell());
        let (hex, decimal, octal) = (hex.len().max(3), decimal.len().max(3), octal.len().max(3));
        text.line().line().tone(
            Tone::Faint,
            format!(
                "{:address_width$}  {:>hex$}  {:>decimal$}  {:>octal$}  {:pattern$}  instruction",
                "addr", "hex", "dec", "oct", "switches"
            ),
        );
        for row in &self.rows {
            if row.begins {
                text.line().tone(Tone::Faint, "set address ");
                text.tone(Tone::Strong, set.address(row.address.into()));
                text.put(format!("  {}", switches(row.address.into(), set.address_bits(), self.grouping)));
            }
            let [in_hex, in_decimal, in_octal] = self.radixes(row.cell);
            text.line().tone(Tone::Strong, format!("{:address_width$}", set.address(row.address.into())));
            text.put(format!("  {in_hex:>hex$}  {in_decimal:>decimal$}  {in_octal:>octal$}  "));
            text.tone(Tone::Live, format!("{:pattern$}", switches(row.cell, set.cell_bits(), self.grouping)))
                .put("  ");
            if let Some(label) = &row.label {
                text.tone(Tone::Faint, format!("{label}: "));
            }
            text.put(row.text.clone());
            if let Some((count, sum, total)) = row.check {
                let (sum, total) = (set.cell(sum), set.cell(total));
                let cells = if count == 1 { "this cell".to_string() } else { format!("these {count} cells") };
                text.line().tone(
                    Tone::Faint,
                    format!("{:address_width$}  sum of {cells} {sum}, of all so far {total}", ""),
                );
            }
        }
        text.line().line().tone(Tone::Faint, "look back   ");
        text.put("set each address once more, and hold cell after cell against the card");
        if let Some(start) = self.start {
            text.line().tone(Tone::Faint, "start       ");
            text.tone(Tone::Strong, set.address(start.into()));
            text.put(format!("  {}", switches(start.into(), set.address_bits(), self.grouping)));
        }
        text
    }

    /// The keys that put each cell in its place at a keypad, row by row, and those that start the program.
    pub fn keys(&self, keying: &Keying) -> (Vec<Vec<String>>, Vec<String>) {
        let digits_of = |value: u64, bits: u8| {
            let text = digits(value, 16, bits);
            text.chars().map(String::from).collect::<Vec<_>>()
        };
        // A key and its number, in the order in which they are pressed.
        let pressed = |key: &String, mut number: Vec<String>| {
            let at = if keying.number_first { number.len() } else { 0 };
            number.insert(at, key.clone());
            number
        };
        let address =
            |address: u32| pressed(&keying.address, digits_of(address.into(), self.set.address_bits()));
        let rows = self.rows.iter().map(|row| {
            let cell = digits_of(row.cell, self.set.cell_bits());
            let mut keys = if row.begins { address(row.address) } else { Vec::new() };
            match &keying.next {
                // The key for data is pressed once, then one for the next cell.
                Some(next) if !row.begins => keys.push(next.clone()),
                Some(_) => keys.push(keying.data.clone()),
                None => return [keys, pressed(&keying.data, cell)].concat(),
            }
            keys.extend(cell);
            keys
        });
        let start = match self.start {
            Some(start) => [address(start), vec![keying.start.clone()]].concat(),
            None => vec![keying.start.clone()],
        };
        (rows.collect(), start)
    }

    /// The keys that lead to a cell to look at it, and from one to the next.
    fn look_back(&self, keying: &Keying) -> Option<(Vec<String>, Option<String>)> {
        let first = self.rows.first()?;
        let digits = digits(first.address.into(), 16, self.set.address_bits());
        let mut keys: Vec<String> = digits.chars().map(String::from).collect();
        let at = if keying.number_first { keys.len() } else { 0 };
        keys.insert(at, keying.address.clone());
        Some((keys, keying.next.clone().or_else(|| keying.up.clone())))
    }

    /// The card for a keypad as text. It is a panel script, too: what is not a key stands in comments.
    pub fn keypad_text(&self, keying: &Keying) -> Text {
        let set = self.set;
        let mut text = Text::new();
        text.line().tone(Tone::Faint, "; ").tone(Tone::Strong, self.title.clone());
        text.put(format!("  {}", self.head()));
        let (rows, start) = self.keys(keying);
        for (row, keys) in self.rows.iter().zip(&rows) {
            if row.begins {
                text.line();
            }
            text.line().tone(Tone::Faint, "press ").tone(Tone::Live, format!("{:24}", keys.join(" ")));
            text.tone(Tone::Faint, "; ").put(format!(
                "{}  {}",
                set.address(row.address.into()),
                set.cell(row.cell)
            ));
            let label = row.label.as_ref().map_or(String::new(), |label| format!("{label}: "));
            text.tone(Tone::Faint, format!("  {label}")).put(row.text.clone());
        }
        if let Some((keys, next)) = self.look_back(keying) {
            text.line();
            text.line().tone(Tone::Faint, "press ").tone(Tone::Live, format!("{:24}", keys.join(" ")));
            let next = next.map_or(String::new(), |next| format!("; {next} goes to the next cell"));
            text.tone(Tone::Faint, format!("; look back: the first cell is shown{next}"));
        }
        text.line();
        text.line().tone(Tone::Faint, "press ").tone(Tone::Live, format!("{:24}", start.join(" ")));
        text.tone(Tone::Faint, "; start");
        text
    }

    /// The card for a front panel: what is done at it, first to key the program in and then to look it through. It is a panel
    /// script, too: switches are drawn and instructions written in comments.
    pub fn front_text(&self) -> Text {
        let set = self.set;
        let mut text = Text::new();
        text.line().tone(Tone::Faint, "; ").tone(Tone::Strong, self.title.clone());
        text.put(format!("  {}", self.head()));
        let bits = if set.is_word_machine() { set.cell_bits() } else { set.address_bits() };
        let all = (1u64 << bits) - 1;
        let mut field = 0;
        let act = |text: &mut Text, words: &str, note: &str| {
            text.line().tone(Tone::Live, format!("{words:22}"));
            if !note.is_empty() {
                text.tone(Tone::Faint, "; ").put(note.to_string());
            }
        };
        let positions = |value: u64| format!("switches {}", set.habit().plain(value, bits.min(36)));
        let drawn = |value: u64| switches(value, bits, self.grouping);
        let mut go_to = |text: &mut Text, address: u32| {
            let address = u64::from(address);
            // What the switches cannot say is a memory field.
            if address >> bits != field {
                field = address >> bits;
                let both = field << 3 | field;
                act(text, &positions(both), &drawn(both));
                act(text, "load fields", "");
            }
            act(text, &positions(address & all), &drawn(address & all));
            act(text, "load", &format!("the address {}", set.address(address)));
        };
        for row in &self.rows {
            if row.begins {
                text.line();
                go_to(&mut text, row.address);
            }
            let label = row.label.as_ref().map_or(String::new(), |label| format!("{label}: "));
            text.line().tone(Tone::Live, format!("{:22}", positions(row.cell)));
            text.tone(Tone::Faint, "; ").put(drawn(row.cell));
            text.line()
                .tone(Tone::Live, format!("{:22}", if row.begins { "deposit" } else { "deposit next" }));
            text.tone(Tone::Faint, format!("; {}  ", set.address(row.address.into())));
            text.put(format!("{label}{}", row.text));
        }
        text.line();
        text.line().tone(Tone::Faint, "; The same cells once more, looked at.");
        for row in &self.rows {
            if row.begins {
                go_to(&mut text, row.address);
            }
            text.line().tone(Tone::Live, if row.begins { "examine" } else { "examine next" });
            text.line().tone(Tone::Live, format!("see data {}", set.cell(row.cell)));
        }
        if let Some(start) = self.start {
            text.line();
            text.line().tone(Tone::Faint, "; Where it starts.");
            go_to(&mut text, start);
            act(&mut text, "start", "it runs");
        }
        text
    }

    /// The card as a page of A4, in SVG.
    ///
    /// # Errors
    /// [`TooLong`] where the cells do not fit on a page.
    pub fn svg(&self, ground: Ground) -> Result<String, TooLong> {
        let lines = self.lines();
        let sheet = Sheet::with(lines).map_err(|room| TooLong {
            cells: self.rows.len(),
            room: room * self.rows.len() / lines.max(1),
        })?;
        let Sheet { size, height, width, .. } = sheet;
        let place = |line: usize| sheet.place(line);
        let mut picture = Picture::new(ground, PAGE.0, PAGE.1);
        picture.text((MARGIN, MARGIN + 14.0), 16.0, Ink::Plain, "start", &self.title);
        picture.text((MARGIN, MARGIN + 32.0), 10.0, Ink::Faint, "start", &self.head());
        let key = "a filled knob at the top is a switch that is up (1); sums are cut to a cell";
        picture.text((PAGE.0 - MARGIN, MARGIN + 32.0), 10.0, Ink::Faint, "end", key);
        for column in 0..lines.div_ceil(sheet.room) {
            let (x, y) = place(column * sheet.room);
            self.draw_head(&mut picture, (x, y - height), size);
        }
        let mut line = 0;
        for row in &self.rows {
            if row.begins {
                let at = place(line);
                let address = self.set.address(row.address.into());
                picture.text(at, size, Ink::Accent, "start", &format!("set address {address}"));
                let x = at.0 + letter(size) * (13 + address.len()) as f64;
                self.draw_switches(
                    &mut picture,
                    (x, at.1),
                    size,
                    row.address.into(),
                    self.set.address_bits(),
                );
                line += 1;
            }
            self.draw_row(&mut picture, place(line), size, width, row);
            line += 1;
            if let Some((count, sum, total)) = row.check {
                let at = place(line);
                let (sum, total) = (self.set.cell(sum), self.set.cell(total));
                let words = format!("sum of {count}: {sum}   so far {total}");
                let indent = letter(size) * (self.set.address(0).len() + 2) as f64;
                picture.text((at.0 + indent, at.1), size, Ink::Faint, "start", &words);
                let under = at.1 + height * 0.32;
                picture.line(&[(at.0, under), (at.0 + width - 14.0, under)], Ink::Faint, 0.5, false);
                line += 1;
            }
        }
        Ok(picture.finish())
    }

    /// The names of the columns.
    fn draw_head(&self, picture: &mut Picture, (x, y): (f64, f64), size: f64) {
        let [hex, decimal, octal] = self.radixes(self.set.last_cell());
        let address = self.set.address(0).len();
        let head = format!(
            "{:address$}  {:hex$} {:>decimal$} {:>octal$} switches",
            "addr",
            "hex",
            "dec",
            "oct",
            hex = hex.len(),
            decimal = decimal.len(),
            octal = octal.len()
        );
        picture.text((x, y), size, Ink::Faint, "start", &head);
    }

    /// Lines of the page: a cell each, a line for each address to be set, and one for each check.
    fn lines(&self) -> usize {
        self.rows.iter().map(|row| 1 + usize::from(row.begins) + usize::from(row.check.is_some())).sum()
    }

    fn draw_row(&self, picture: &mut Picture, (x, y): (f64, f64), size: f64, width: f64, row: &CardRow) {
        let step = letter(size);
        let [hex, decimal, octal] = self.radixes(row.cell);
        let address = self.set.address(row.address.into());
        picture.text((x, y), size, Ink::Plain, "start", &address);
        let mut at = x + step * (address.len() + 2) as f64;
        picture.text((at, y), size, Ink::Plain, "start", &hex);
        at += step * (hex.len() + 1) as f64;
        picture.text((at, y), size, Ink::Faint, "start", &format!("{decimal} {octal}"));
        at += step * (decimal.len() + octal.len() + 2) as f64;
        at += self.draw_switches(picture, (at, y), size, row.cell, self.set.cell_bits()) + step;
        let label = row.label.as_ref().map(|label| format!("{label}: ")).unwrap_or_default();
        let room = ((x + width - 8.0 - at) / step) as usize;
        let words = cut(&format!("{label}{}", row.text), room);
        picture.text((at, y), size, Ink::Plain, "start", &words);
    }

    /// Draws switches and returns how wide they are.
    fn draw_switches(
        &self,
        picture: &mut Picture,
        (x, y): (f64, f64),
        size: f64,
        value: u64,
        bits: u8,
    ) -> f64 {
        let (w, h) = (size * 0.52, size * 0.9);
        let mut at = x;
        for group in groups(value, bits, self.grouping) {
            for up in group {
                picture.rect((at, y - h + size * 0.08), (w, h), w * 0.3, Ink::Ground, Some(Ink::Faint));
                let knob = h * 0.46;
                let top = if up { y - h + size * 0.08 } else { y + size * 0.08 - knob };
                let fill = if up { Ink::Accent } else { Ink::Ground };
                picture.rect(
                    (at, top),
                    (w, knob),
                    w * 0.3,
                    fill,
                    Some(if up { Ink::Accent } else { Ink::Faint }),
                );
                at += w * 1.25;
            }
            at += w * 0.7;
        }
        at - x
    }
}
