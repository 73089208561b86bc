//! Programming a chip: first it is said what would happen, then it happens, page by page, and can break off.

use super::chip::{Chip, ERASED};
use super::part::Kind;
use crate::image::Image;
use crate::number::thousands;
use std::collections::BTreeMap;

/// Why a chip cannot be programmed so. Nothing was changed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{problem}")]
pub struct Refusal {
    /// What is wrong.
    pub problem: String,
    /// What to do.
    pub help: String,
}

impl Refusal {
    pub(super) fn new(problem: impl Into<String>, help: impl Into<String>) -> Self {
        Self { problem: problem.into(), help: help.into() }
    }
}

/// Where an image comes to lie in a chip.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Landing {
    /// The address in memory that the chip's first cell has.
    pub base: u32,
    /// The bytes with their places in the chip.
    pub bytes: Vec<(u32, u8)>,
    /// First and last place that is used.
    pub places: (u32, u32),
    /// What a person should look at twice.
    pub doubts: Vec<String>,
}

/// Finds where an image comes to lie in a chip of so many bytes whose first cell has an address; without one, the chip is taken to begin at
/// the multiple of its size that the image begins in.
///
/// # Errors
/// The image does not lie in the chip; the refusal says which address would do.
pub fn landing(image: &Image, size: u32, base: Option<u32>) -> Result<Landing, Refusal> {
    let Some((first, last)) = image.bounds() else {
        return Err(Refusal::new("the image has no bytes", "name another one"));
    };
    if image.cell_bits() != 8 {
        let bits = image.cell_bits();
        return Err(Refusal::new(
            format!("the image has cells of {bits} bits, and the chip has bytes"),
            "split it into bytes first",
        ));
    }
    let natural = first / size * size;
    let own = base.unwrap_or(natural);
    let end = u64::from(own) + u64::from(size);
    if first < own || u64::from(last) >= end {
        let problem = format!(
            "the image lies at {first:04X}..{last:04X}, and the chip has {} bytes at {own:04X}..{:04X}",
            thousands(size.into()),
            end - 1
        );
        let help = match u64::from(last) < u64::from(natural) + u64::from(size) {
            true => format!("the chip would hold it from {natural:04X}h on: `--base {natural:04X}h`"),
            false if last - first < size => format!(
                "it goes past the chip's end: begin it at {natural:04X}h or after, so that all of it has room"
            ),
            false => format!(
                "it takes a chip of {} bytes",
                thousands(u64::from(last - first + 1).next_power_of_two())
            ),
        };
        return Err(Refusal::new(problem, help));
    }
    let bytes: Vec<(u32, u8)> = image
        .segments()
        .iter()
        .flat_map(|one| {
            one.cells.iter().enumerate().map(move |(at, &cell)| (one.start + at as u32 - own, cell as u8))
        })
        .collect();
    let places = (first - own, last - own);
    let mut doubts = Vec::new();
    if base.is_none() && own != 0 {
        doubts.push(format!("the chip is taken to begin at {own:04X}h in memory; `--base` says otherwise"));
    }
    if places.0 > 0 && places.1 < size / 2 {
        doubts.push(
            "the upper half of the chip stays empty; are its size and its beginning right?".to_string(),
        );
    }
    Ok(Landing { base: own, bytes, places, doubts })
}

/// What programming a chip comes to, before anything is changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Programming {
    /// Bytes that are given.
    pub given: usize,
    /// Cells that become others.
    pub changes: usize,
    /// What is written, page by page.
    steps: Vec<Vec<(u32, u8)>>,
}

impl Programming {
    /// Looks what has to be done.
    ///
    /// # Errors
    /// A bit would have to go from 0 to 1 where the part cannot do that, the chip is locked, or a place is not in it.
    pub fn plan(chip: &Chip, bytes: &[(u32, u8)]) -> Result<Self, Refusal> {
        let part = chip.part();
        if chip.is_locked() {
            return Err(Refusal::new(
                "the chip is locked against writing",
                "unlock it first: `burn lock CHIP --off`",
            ));
        }
        let page = if part.page == 0 { 1 } else { part.page };
        let mut pages: BTreeMap<u32, Vec<(u32, u8)>> = BTreeMap::new();
        let mut changes = 0;
        for &(at, byte) in bytes {
            let Some(&cell) = chip.cells().get(at as usize) else {
                let problem = format!("the chip has no cell {at:04X}h; its last is {:04X}h", part.bytes - 1);
                return Err(Refusal::new(problem, "look at the chip's size and where it begins"));
            };
            changes += usize::from(cell != byte);
            pages.entry(at / page).or_default().push((at, byte));
        }
        let cannot = |at: u32, byte: u8| {
            let cell = chip.cells()[at as usize];
            (cell & byte != byte).then_some((at, cell, byte))
        };
        let wrong = bytes.iter().find_map(|&(at, byte)| cannot(at, byte));
        if let (Kind::Uv | Kind::Flash, Some((at, cell, byte))) = (part.kind, wrong) {
            let problem = format!(
                "the cell {at:04X}h holds {cell:02X}h, and {byte:02X}h needs bits that are burnt to 0 already"
            );
            let help = match part.kind {
                Kind::Uv => "erase the chip under the lamp first: `burn erase CHIP`",
                _ => "erase its sector first: `burn erase CHIP --sector ADDRESS`",
            };
            return Err(Refusal::new(problem, help));
        }
        let steps = pages.into_values().collect();
        Ok(Self { given: bytes.len(), changes, steps })
    }

    /// Pages that are written.
    pub fn pages(&self) -> usize {
        self.steps.len()
    }

    /// Does it, page by page; `go_on` gets the number of pages that are done, and false breaks it off. The chip keeps what was burnt.
    ///
    /// # Errors
    /// It was broken off.
    pub fn run(&self, chip: &mut Chip, go_on: &mut dyn FnMut(usize) -> bool) -> Result<(), Refusal> {
        let kind = chip.part.kind;
        if kind == Kind::PageFlash || kind == Kind::Eeprom {
            chip.erased += u32::from(!self.steps.is_empty());
        }
        chip.programmed += 1;
        for (number, bytes) in self.steps.iter().enumerate() {
            for &(at, byte) in bytes {
                let cell = &mut chip.cells[at as usize];
                *cell = match kind {
                    Kind::Uv | Kind::Flash => *cell & byte,
                    // What of a sector is not given is written as it was.
                    Kind::Eeprom | Kind::PageFlash => byte,
                };
            }
            if !go_on(number + 1) && number + 1 < self.steps.len() {
                let problem =
                    format!("programming was broken off after {} of {} pages", number + 1, self.steps.len());
                return Err(Refusal::new(
                    problem,
                    "the chip keeps what was burnt; program it again, or erase it",
                ));
            }
        }
        Ok(())
    }

    /// The places where a chip does not hold what it was given: place, what it holds, what it should.
    pub fn differences(chip: &Chip, bytes: &[(u32, u8)]) -> Vec<(u32, u8, u8)> {
        let differs = |&(at, byte): &(u32, u8)| {
            let cell = chip.cells().get(at as usize).copied().unwrap_or(ERASED);
            (cell != byte).then_some((at, cell, byte))
        };
        bytes.iter().filter_map(differs).collect()
    }
}
