//! Memory of 8-bit machines: a flat array and an attribute for each page of 256 cells.
//!
//! PERF: fetches go straight to the array, and reads do where no chip stands among the memory; only writes look at the
//! attribute. In the `emulate` bench this costs nothing measurable over bare flat memory, while a page table costs ten
//! host instructions an access.

use super::board::Bank;
use serde::{Deserialize, Serialize};

/// What a stretch of memory is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum MemoryKind {
    /// Read and written.
    Ram,
    /// Read only; writes have no effect.
    Rom,
    /// Read and written, and kept without power.
    Core,
}

impl MemoryKind {
    /// True where the processor's writes take effect.
    pub fn is_writable(self) -> bool {
        self != MemoryKind::Rom
    }

    /// As it is told.
    pub fn title(self) -> &'static str {
        match self {
            MemoryKind::Ram => "RAM",
            MemoryKind::Rom => "ROM",
            MemoryKind::Core => "core",
        }
    }
}

/// A stretch of memory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Area {
    /// What it is.
    pub kind: MemoryKind,
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// What the board calls it, where it can be left out.
    pub name: Option<String>,
}

/// Every cell of the page is RAM.
const RAM: u8 = 0;
/// The page is not RAM throughout: look for the area.
const OTHER: u8 = 1;
/// The page has cells that do not exist.
pub(super) const HOLES: u8 = 2;
/// A chip answers somewhere in the page.
pub(super) const CHIPS: u8 = 4;

/// What an empty place on the data bus reads as.
pub const OPEN_BUS: u8 = 0xFF;

/// 65536 cells of 8 bits.
#[derive(Debug, Clone)]
pub struct Memory {
    cells: Box<[u8; 0x1_0000]>,
    pages: Box<[u8; 0x100]>,
    areas: Vec<Area>,
    banks: Banks,
}

/// The banks that are not among the cells now; made when they are chosen first.
#[derive(Debug, Clone, Default)]
struct Banks {
    chosen: u32,
    others: std::collections::BTreeMap<u32, Vec<u8>>,
}

impl Memory {
    /// RAM filled with 0, ROM and places where nothing is with 0FFh; `chips` are the stretches, first to last, where chips
    /// answer instead.
    pub fn new(areas: Vec<Area>, chips: &[(u32, u32)]) -> Self {
        let mut pages = Box::new([0; 0x100]);
        pages.copy_from_slice(&attributes(&areas, chips, 0x100));
        let mut memory =
            Self { cells: Box::new([OPEN_BUS; 0x1_0000]), pages, areas, banks: Banks::default() };
        for area in &memory.areas {
            if area.kind.is_writable() {
                memory.cells[area.first as usize..=area.last as usize].fill(0);
            }
        }
        memory
    }

    /// The stretches of memory.
    pub fn areas(&self) -> &[Area] {
        &self.areas
    }

    /// The cell at an address, as the processor would read it.
    pub fn cell(&self, address: u32) -> u64 {
        self.cells[address as usize & 0xFFFF].into()
    }

    /// Sets a cell whatever it is made of, as an operator or a programmer of ROMs does. False where nothing is.
    pub fn put(&mut self, address: u32, value: u64) -> bool {
        let exists = address <= 0xFFFF && kind(&self.areas, address).is_some();
        if exists {
            self.cells[address as usize] = value as u8;
        }
        exists
    }

    /// Puts another bank into its stretch of addresses.
    ///
    /// PERF: the cells change places, so that an access costs what it costs without banks.
    pub fn choose_bank(&mut self, bank: Bank, number: u32) {
        let number = number % bank.count;
        if number == self.banks.chosen {
            return;
        }
        let cells = &mut self.cells[bank.first as usize..=bank.last as usize];
        let new = self.banks.others.remove(&number).unwrap_or_else(|| vec![0; cells.len()]);
        self.banks.others.insert(self.banks.chosen, cells.to_vec());
        cells.copy_from_slice(&new);
        self.banks.chosen = number;
    }

    /// True where some address has neither memory nor a chip.
    pub fn has_holes(&self) -> bool {
        self.pages.iter().any(|page| page & HOLES != 0)
    }

    /// The parts that a bus works on: cells, page attributes, areas.
    pub(super) fn parts(&mut self) -> (&mut [u8; 0x1_0000], &[u8; 0x100], &[Area]) {
        (&mut self.cells, &self.pages, &self.areas)
    }
}

/// What is at an address; `None` where nothing is.
pub(super) fn kind(areas: &[Area], address: u32) -> Option<MemoryKind> {
    areas.iter().find(|area| (area.first..=area.last).contains(&address)).map(|area| area.kind)
}

/// The attribute of each page of 256 cells; `chips` are the stretches, first to last, where chips answer.
pub(super) fn attributes(areas: &[Area], chips: &[(u32, u32)], pages: usize) -> Vec<u8> {
    let attribute = |page: u32| {
        let (first, last) = (page << 8, page << 8 | 0xFF);
        let covered = |area: &&Area| (area.last.min(last) + 1).saturating_sub(area.first.max(first));
        let shared = |&&(from, to): &&(u32, u32)| (to.min(last) + 1).saturating_sub(from.max(first));
        let chips: u32 = chips.iter().map(|chip| shared(&chip)).sum();
        let all: u32 = chips + areas.iter().map(|area| covered(&area)).sum::<u32>();
        let ram = areas.iter().filter(|area| area.kind.is_writable());
        let own = match (ram.map(|area| covered(&area)).sum::<u32>(), all) {
            (0x100, _) => RAM,
            (_, 0x100) => OTHER,
            _ => OTHER | HOLES,
        };
        own | if chips > 0 { CHIPS } else { 0 }
    };
    (0..pages as u32).map(attribute).collect()
}

/// True where every cell of a page with this attribute is RAM.
#[inline(always)]
pub(super) fn is_ram(attribute: u8) -> bool {
    attribute == RAM
}

/// True where the processor's write takes effect.
#[inline(always)]
pub(super) fn is_plain_ram(pages: &[u8; 0x100], address: u32) -> bool {
    pages[(address >> 8) as usize & 0xFF] == RAM
}

/// True where the page has one of the attributes.
#[inline(always)]
pub(super) fn has(pages: &[u8; 0x100], address: u32, attributes: u8) -> bool {
    pages[(address >> 8) as usize & 0xFF] & attributes != 0
}
