//! Instructions that were read before. Many lines of a program are the same to the letter, and where they name nothing they mean the same:
//! their cells are put out again without a look at their operands.
//!
//! PERF: `inx h` is recognised in some hundred host instructions and read in some eight hundred (`cargo bench --bench assemble`).

use super::lexer::{Kind, Lexer, Token};
use super::parser::{Cursor, Parser};
use crate::assembler::output::line::LineKind;
use crate::image::Cell;
use crate::processor::Shape;

/// The longest text that is remembered, in bytes.
const LONGEST_TEXT: usize = 24;
/// The most cells of an instruction that is remembered.
const MOST_CELLS: usize = 8;
/// Places for texts, a power of two.
const PLACES: usize = 512;

/// The text of a statement up to its comment, as three words; bytes after its end are 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(in crate::assembler) struct Key([u64; 3]);

impl Key {
    fn place(self) -> usize {
        let [one, two, three] = self.0;
        let mixed = (one ^ two.rotate_left(23) ^ three.rotate_left(41)).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        (mixed >> 32) as usize % PLACES
    }
}

/// An instruction that was read.
#[derive(Debug, Clone, Copy, Default)]
struct Known {
    key: Key,
    cells: [u8; MOST_CELLS],
    /// 0 where the text was seen once and not looked at.
    count: u8,
    row: u16,
    /// Which choice of a processor it was read under.
    choice: u32,
}

/// The instructions that were read, and how often a processor was chosen.
#[derive(Debug, Default)]
pub(in crate::assembler) struct Again {
    known: Vec<Known>,
    choice: u32,
}

impl Again {
    /// A processor or a mode is chosen: what was read means something else.
    pub fn forget(&mut self) {
        self.choice += 1;
    }
}

/// What there was of everything before an instruction was read.
#[derive(Debug, Clone, Copy)]
pub(in crate::assembler) struct Before {
    key: Key,
    uses: usize,
    fixups: usize,
    lines: usize,
    diagnostics: usize,
    location: u64,
}

/// The same byte eight times.
const fn eight(byte: u8) -> u64 {
    u64::from_ne_bytes([byte; 8])
}

/// The high bit of every byte of a word that is a certain byte; of bytes above the lowest such it may be set, too.
#[inline(always)]
fn where_byte(word: u64, byte: u8) -> u64 {
    let zero = word ^ eight(byte);
    zero.wrapping_sub(eight(0x01)) & !zero & eight(0x80)
}

/// The high bit of every byte of a word that is more than a blank.
#[inline(always)]
fn where_text(word: u64) -> u64 {
    ((word & eight(0x7F)).wrapping_add(eight(0x5F)) | word) & eight(0x80)
}

/// The text from a place on up to its comment, where it is short and has no quotes, and where it ends.
///
/// PERF: eight bytes at once, since a loop over them ends at another byte each time, which no processor foresees.
#[inline(always)]
fn statement_at(text: &[u8], start: usize) -> Option<(Key, usize)> {
    let window: &[u8; LONGEST_TEXT] = text.get(start..start + LONGEST_TEXT)?.try_into().ok()?;
    let word = |at: usize| {
        let mut bytes = [0; 8];
        bytes.copy_from_slice(&window[at..at + 8]);
        u64::from_le_bytes(bytes)
    };
    let mut words = [word(0), word(8), word(16)];
    let stops = words.map(|word| {
        where_byte(word, b';') | where_byte(word, b'\n') | where_byte(word, b'"') | where_byte(word, b'\'')
    });
    let first = (0..3).find(|&at| stops[at] != 0)?;
    let stop = 8 * first + stops[first].trailing_zeros() as usize / 8;
    if let b'"' | b'\'' = window[stop] {
        return None;
    }
    let cut = |words: &mut [u64; 3], end: usize| {
        for (at, word) in words.iter_mut().enumerate() {
            let inside = end.saturating_sub(8 * at).min(8) as u32;
            *word &= u64::MAX.checked_shr(64 - 8 * inside).unwrap_or(0);
        }
    };
    cut(&mut words, stop);
    let last = (0..3).rev().find(|&at| where_text(words[at]) != 0)?;
    let end = 8 * (last + 1) - where_text(words[last]).leading_zeros() as usize / 8;
    if end < stop {
        cut(&mut words, end);
    }
    Some((Key(words), start + end))
}

impl Parser<'_> {
    /// Puts the instruction out that begins with a token, where it was read before. Otherwise what there is now, where it may be
    /// remembered.
    #[inline]
    pub(super) fn again(
        &mut self,
        cursor: &mut Cursor<'_>,
        first: Token,
        line: u32,
    ) -> Result<(), Option<Before>> {
        let Some((key, end)) = statement_at(cursor.bytes(), first.start as usize) else { return Err(None) };
        let place = key.place();
        let again = &self.reading.again;
        let known = again.known.get(place).filter(|known| known.key == key && known.choice == again.choice);
        let Some(&Known { cells, count, row, .. }) = known.filter(|known| known.count > 0) else {
            return Err(Some(Before {
                key,
                uses: self.values.symbols.uses.len(),
                fixups: self.layout.fixups.len(),
                lines: self.record.lines.len(),
                diagnostics: self.record.diagnostics.len() + self.record.more_errors,
                location: self.layout.location,
            }));
        };
        let before = self.layout.location;
        self.emit(&cells.map(Cell::from)[..usize::from(count)], cursor.span_of(first));
        self.record_cells(cursor.source, line, before, row);
        cursor.go_to(end as u32);
        Ok(())
    }

    /// Remembers an instruction that was read, where it means the same wherever it stands: seen for the second time.
    #[inline]
    pub(super) fn learn(&mut self, cursor: &Cursor<'_>, first: Token, before: Before) {
        let place = before.key.place();
        let choice = self.reading.again.choice;
        match self.reading.again.known.get(place) {
            Some(known) if known.key == before.key && known.choice == choice => {}
            known => {
                if known.is_none() {
                    self.reading.again.known.resize(PLACES, Known::default());
                }
                self.reading.again.known[place] = Known { key: before.key, choice, ..Known::default() };
                return;
            }
        }
        if let Some(known) = self.meaning(cursor, first, before) {
            self.reading.again.known[place] = known;
        }
    }

    /// What the instruction came to, where nothing but its text has a part in that.
    #[cold]
    fn meaning(&self, cursor: &Cursor<'_>, first: Token, before: Before) -> Option<Known> {
        let is_plain = |set: &&crate::processor::InstructionSet| {
            set.modes.is_none() && set.smallest_window() == set.address_bits()
        };
        let set = self.set.filter(|set| !set.is_word_machine()).filter(is_plain)?;
        let is_alone = self.values.symbols.uses.len() == before.uses
            && self.layout.fixups.len() == before.fixups
            && self.record.diagnostics.len() + self.record.more_errors == before.diagnostics
            && self.record.lines.len() == before.lines + 1
            && !self.layout.output.overrun;
        let LineKind::Cells { count, row } = self.record.lines.last()?.kind else { return None };
        let own = set.rows().get(usize::from(row).checked_sub(1)?)?;
        let moves = |shape: &Shape| matches!(shape, Shape::Relative | Shape::Relative16 | Shape::Page);
        let length = count as usize;
        if !is_alone || own.operands.iter().any(moves) || !(1..=MOST_CELLS).contains(&length) {
            return None;
        }
        let (_, end) = statement_at(cursor.bytes(), first.start as usize)?;
        let text = cursor.text(Token { end: end as u32, ..first });
        if names_a_place(text) {
            return None;
        }
        let piece = self.layout.output.pieces.last()?;
        let mut cells = [0; MOST_CELLS];
        let written = piece.cells.get(piece.cells.len().checked_sub(length)?..)?;
        for (cell, &written) in cells.iter_mut().zip(written) {
            *cell = u8::try_from(written).ok()?;
        }
        let choice = self.reading.again.choice;
        (self.layout.location == before.location + u64::from(count)).then_some(Known {
            key: before.key,
            cells,
            count: count as u8,
            row,
            choice,
        })
    }
}

/// True where a statement asks where it stands or what is defined, or has a label.
fn names_a_place(text: &str) -> bool {
    let mut lexer = Lexer::new(text);
    loop {
        let token = lexer.token();
        let word = &text[token.start as usize..token.end as usize];
        match token.kind {
            Kind::End => return false,
            // A label of its own, and the place.
            Kind::Colon | Kind::Here => return true,
            Kind::Name if word == "." || word.eq_ignore_ascii_case("defined") => return true,
            _ => {}
        }
    }
}
