//! `text-adapter`: a 6845 with 16K of memory at B8000h, characters and attributes in turn, in code page 437.
//!
//! ```text
//! 0  the 6845's address register     1  the register that it chooses     (2 and 3, 6 and 7 the same)
//! 4  MODE    - - BLINK - VIDEO - - WIDE     bit 5: attribute bit 7 blinks, else it is the ground's brightness
//! 5  BORDER  colour in bits 0 to 3
//! 6  STATUS  - - - - SYNC - - BLANK         read only; bit 3: vertical sync, bit 0: no character is displayed
//! ```
//!
//! At an even address is the code of a character, after it ink in bits 0 to 3, ground in 4 to 6, blinking in 7. Its memory answers
//! without waiting. It comes up with 80 columns and 25 lines.

use super::mc6845::{CursorForm, Mc6845};
use super::picture::{CODE_PAGE_437, Colouring, LINE_COLOURS, Raster};
use crate::image::Cell;
use crate::machine::chip::{Chip, Screen, facet};

/// Its memory, and the mask of the offsets in it.
const MEMORY: (u32, u32) = (0xB_8000, 0x3FFF);

const BLINK: u8 = 0x20;
const VIDEO: u8 = 0x08;

/// Registers 0 to 15 for 80 columns and 25 lines of eight scan lines.
const WIDE: [u8; 16] = [113, 80, 90, 10, 31, 6, 25, 28, 2, 7, 6, 7, 0, 0, 0, 0];

/// Characters blink with so many pictures lit and as many dark.
const CHARACTER_BLINK: u64 = 16;

/// The cursor, with so many lit and as many dark.
const CURSOR_BLINK: u64 = 8;

/// A clock of characters where the board gives none.
const CHARACTERS: u64 = 1_789_772;

/// The chip.
#[derive(Debug, Clone)]
pub struct TextAdapter {
    controller: Mc6845,
    mode: u8,
    border: u8,
    /// The processor's clock and that of the characters.
    clocks: (u64, u64),
    /// The cycle of its first character; it may lie before the counting of cycles.
    began: i64,
}

impl TextAdapter {
    /// At a processor clock, with so many characters a second.
    pub fn new(processor: u64, characters: Option<u64>) -> Self {
        let clocks = (processor.max(1), characters.unwrap_or(CHARACTERS).max(1));
        Self { controller: Mc6845::new(&WIDE), mode: 0x29, border: 0, clocks, began: 0 }
    }

    /// Characters that have been scanned up to cycle `now`.
    fn time(&self, now: u64) -> u64 {
        let since = (now as i64 - self.began) as u128;
        (since * u128::from(self.clocks.1) / u128::from(self.clocks.0)) as u64
    }
}

impl Chip for TextAdapter {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        let value = match offset {
            1 | 3 => self.controller.read()?,
            6 => {
                let time = self.time(now);
                let sync = if self.controller.syncs(time) { 8 } else { 0 };
                0xF0 | sync | u8::from(!self.controller.displays(time))
            }
            _ => return None,
        };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, _: u64) -> bool {
        let value = value as u8;
        match offset {
            0 | 2 => self.controller.choose(value),
            1 | 3 => return self.controller.write(value),
            4 => self.mode = value & 0x3F,
            5 => self.border = value & 0x0F,
            _ => return false,
        }
        true
    }

    fn restart(&mut self, now: u64) {
        self.began -= now as i64;
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Screen, screen, screen_mut);
}

impl Screen for TextAdapter {
    fn raster(&self, now: u64) -> Raster {
        let controller = &self.controller;
        let pictures = self.time(now) / controller.picture();
        let (columns, rows) = if self.mode & VIDEO != 0 { controller.size() } else { (0, 0) };
        let start = u32::from(controller.start());
        let place = u32::from(controller.cursor()).wrapping_sub(start) as usize & 0x3FFF;
        let form = controller.cursor_form();
        let is_dark = !(pictures / CHARACTER_BLINK).is_multiple_of(2);
        Raster {
            size: (columns, rows),
            memory: MEMORY,
            cells: 2 * start,
            colours: 2 * start + 1,
            step: 2,
            colouring: if self.mode & BLINK != 0 {
                Colouring::Blinking { is_dark }
            } else {
                Colouring::Bright
            },
            signs: &CODE_PAGE_437,
            palette: &LINE_COLOURS,
            cursor: (form != CursorForm::None && place < columns * rows).then_some(place),
            cursor_lit: match form {
                CursorForm::Blinks(lit) => (pictures / lit).is_multiple_of(2),
                // A cursor that the 6845 shows steadily blinks by the adapter.
                _ => (pictures / CURSOR_BLINK).is_multiple_of(2),
            },
            border: vec![self.border],
        }
    }
}
