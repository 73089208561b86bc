//! A chip: its cells, how worn it is, and what was done to it.

use super::part::{Kind, Part};

/// What an erased cell holds.
pub(super) const ERASED: u8 = 0xFF;
/// So long a lamp takes to erase a chip, in minutes.
pub(super) const LAMP_MINUTES: u32 = 20;

/// Something that was done to a chip.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Deed {
    /// When, as whoever did it says.
    pub when: String,
    /// What.
    pub what: String,
}

/// A chip.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chip {
    pub(super) part: &'static Part,
    pub(super) cells: Vec<u8>,
    /// How often it was erased, or its most worn page written.
    pub(super) erased: u32,
    pub(super) programmed: u32,
    pub(super) locked: bool,
    pub(super) label: String,
    pub(super) deeds: Vec<Deed>,
}

impl Chip {
    /// A new one, as it comes from its maker: erased.
    pub fn new(part: &'static Part) -> Self {
        let cells = vec![ERASED; part.bytes as usize];
        Self { part, cells, erased: 0, programmed: 0, locked: false, label: String::new(), deeds: Vec::new() }
    }

    /// What it is.
    pub fn part(&self) -> &'static Part {
        self.part
    }

    /// Its cells.
    pub fn cells(&self) -> &[u8] {
        &self.cells
    }

    /// How often it was erased.
    pub fn erased(&self) -> u32 {
        self.erased
    }

    /// How often it was programmed.
    pub fn programmed(&self) -> u32 {
        self.programmed
    }

    /// It cannot be written.
    pub fn is_locked(&self) -> bool {
        self.locked
    }

    /// What stands on its label.
    pub fn label(&self) -> &str {
        &self.label
    }

    /// Sticks a label on it.
    pub fn set_label(&mut self, label: impl Into<String>) {
        self.label = label.into();
    }

    /// What was done to it, in order.
    pub fn deeds(&self) -> &[Deed] {
        &self.deeds
    }

    /// Notes what was done.
    pub fn note(&mut self, when: impl Into<String>, what: impl Into<String>) {
        self.deeds.push(Deed { when: when.into(), what: what.into() });
    }

    /// The first cell that is not erased; `None` for a blank chip.
    pub fn first_written(&self) -> Option<u32> {
        self.cells.iter().position(|&cell| cell != ERASED).map(|at| at as u32)
    }

    /// It was erased more often than its data sheet promises.
    pub fn is_worn(&self) -> bool {
        self.erased > self.part.erasures
    }

    /// Puts it under the lamp for so many minutes. Too few leave some bits as they were burnt. False where it has no window.
    pub fn expose(&mut self, minutes: u32) -> bool {
        if self.part.kind != Kind::Uv {
            return false;
        }
        if minutes >= LAMP_MINUTES {
            self.cells.fill(ERASED);
            self.erased += 1;
            return true;
        }
        // A share of the bits has come back, others not; which, is a matter of the chip.
        for (at, cell) in self.cells.iter_mut().enumerate() {
            for bit in 0..8 {
                let mixed = (at as u32).wrapping_mul(8).wrapping_add(bit).wrapping_mul(0x9E37_79B1) >> 16;
                if mixed % LAMP_MINUTES < minutes {
                    *cell |= 1 << bit;
                }
            }
        }
        true
    }

    /// Erases it by its command: all of it, or the sector at an address. False where it has no such command.
    pub fn erase(&mut self, sector: Option<u32>) -> bool {
        if self.part.kind == Kind::Uv || self.locked {
            return false;
        }
        let (first, end) = match sector.zip((self.part.page > 0).then_some(self.part.page)) {
            Some((at, page)) => (at / page * page, (at / page + 1) * page),
            None => (0, self.part.bytes),
        };
        let Some(cells) = self.cells.get_mut(first as usize..end as usize) else { return false };
        cells.fill(ERASED);
        self.erased += 1;
        true
    }

    /// Locks it against writing, or unlocks it. False where the part knows no lock.
    pub fn lock(&mut self, locked: bool) -> bool {
        if self.part.lock {
            self.locked = locked;
        }
        self.part.lock
    }
}
