//! `text-screen`, a video generator of our own: 40 by 24 characters from memory, a border, a cursor, an interrupt each frame.
//!
//! ```text
//! 0 BORDER   colour of the border, bits 0 to 3
//! 1 CELLS    page of the 960 character cells: they begin at 256 times its value
//! 2 COLOURS  page of their 960 colour cells: ink in bits 0 to 3, ground in bits 4 to 7
//! 3 STATUS   bit 7: a picture is complete; writing a 1 there clears it. Bit 0: it asks for an interrupt then
//! 4 LINE     the line that is drawn, halved; read only
//! 5 CURSOR   number of the character cell with the cursor, low half
//! 6          high half in bits 0 and 1; bit 7: there is a cursor
//! ```
//!
//! A picture has 312 lines of 64 cycles: 32 of border, 192 of text, 32 of border, then 56 that are dark. STATUS says that it is
//! complete when the dark ones begin. The generator reads memory in the half of each cycle in which the processor does not, so
//! that it costs no time. A character is eight lines high; codes from 80h on are the others with ink and ground exchanged.

use super::picture::{Colouring, OWN_COLOURS, OWN_SIGNS, Raster};
use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, Screen, facet};

/// Characters in a line of the screen.
const COLUMNS: usize = 40;
/// Lines of characters.
const ROWS: usize = 24;

/// Cycles that a line takes.
const LINE: u64 = 64;
/// Lines of a picture.
const LINES: u64 = 312;
/// Lines that can be seen.
const SEEN: u64 = 256;
/// Cycles that a picture takes.
const PICTURE: u64 = LINE * LINES;
/// The cursor is there for so many pictures, then gone for as many.
const BLINK: u64 = 16;

/// The chip.
#[derive(Debug, Clone)]
pub struct TextScreen {
    border: u8,
    cells: u8,
    colours: u8,
    /// Bit 7 and bit 0 of STATUS.
    complete: bool,
    asks: bool,
    cursor: u16,
    request: Request,
    /// The cycle at which a picture began; it may lie before the counting of cycles.
    began: i64,
    now: u64,
    /// The border's colour at every line as it was drawn last, up to this line since `began`.
    drawn: [u8; LINES as usize],
    drawn_to: i64,
}

impl Default for TextScreen {
    fn default() -> Self {
        Self {
            border: 0,
            cells: 0,
            colours: 0,
            complete: false,
            asks: false,
            cursor: 0,
            request: Request::default(),
            began: 0,
            now: 0,
            drawn: [0; LINES as usize],
            drawn_to: 0,
        }
    }
}

impl TextScreen {
    /// Cycles since a picture began, at cycle `now`.
    fn since(&self, now: u64) -> i64 {
        now as i64 - self.began
    }

    /// The cycle at which the first picture after cycle `now` is complete.
    fn completes(&self, now: u64) -> u64 {
        let (picture, seen) = (PICTURE as i64, (SEEN * LINE) as i64);
        let complete = (self.since(now) - seen).div_euclid(picture) + 1;
        (self.began + complete * picture + seen) as u64
    }

    /// Draws the border in its present colour up to the line that is drawn at cycle `now`.
    fn draw(&mut self, now: u64) {
        let line = self.since(now).div_euclid(LINE as i64);
        for at in self.drawn_to.max(line - LINES as i64)..line {
            self.drawn[at.rem_euclid(LINES as i64) as usize] = self.border;
        }
        self.drawn_to = line;
    }

    fn ask(&mut self, at: u64) {
        self.request.follow(self.complete && self.asks, at);
    }
}

impl Chip for TextScreen {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let value = match offset & 15 {
            0 => self.border,
            1 => self.cells,
            2 => self.colours,
            3 => u8::from(self.complete) << 7 | u8::from(self.asks),
            4 => (self.since(now).rem_euclid(PICTURE as i64) as u64 / LINE / 2) as u8,
            5 => self.cursor as u8,
            6 => (self.cursor >> 8) as u8,
            _ => return None,
        };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let value = value as u8;
        match offset & 15 {
            0 => {
                self.draw(now);
                self.border = value & 15;
            }
            1 => self.cells = value,
            2 => self.colours = value,
            3 => {
                self.complete &= value & 0x80 == 0;
                self.asks = value & 1 != 0;
                self.ask(now);
            }
            5 => self.cursor = self.cursor & 0xFF00 | u16::from(value),
            6 => self.cursor = self.cursor & 0xFF | u16::from(value & 0x83) << 8,
            _ => return false,
        }
        true
    }

    fn advance(&mut self, now: u64) {
        let completes = self.completes(self.now);
        if completes <= now {
            self.complete = true;
            self.ask(completes);
        }
        self.now = self.now.max(now);
    }

    /// Only an interrupt is seen by itself; a program that looks at STATUS brings the chip to its own time.
    fn next(&self) -> Option<u64> {
        (self.asks && !self.complete).then(|| self.completes(self.now))
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn reset(&mut self, now: u64) {
        self.advance(now);
        self.asks = false;
        self.cursor = 0;
        self.ask(now);
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        self.began -= now as i64;
        self.now = 0;
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Screen, screen, screen_mut);
}

impl Screen for TextScreen {
    fn raster(&self, now: u64) -> Raster {
        let mut drawn = self.clone();
        drawn.draw(now);
        let lit = (self.since(now) as u64 / PICTURE / BLINK).is_multiple_of(2);
        let place = usize::from(self.cursor & 0x3FF);
        Raster {
            size: (COLUMNS, ROWS),
            memory: (0, 0xFFFF),
            cells: u32::from(self.cells) << 8,
            colours: u32::from(self.colours) << 8,
            step: 1,
            colouring: Colouring::Inverting,
            signs: &OWN_SIGNS,
            palette: &OWN_COLOURS,
            cursor: (self.cursor & 0x8000 != 0 && place < COLUMNS * ROWS).then_some(place),
            cursor_lit: lit,
            border: drawn.drawn[..SEEN as usize].to_vec(),
        }
    }
}
