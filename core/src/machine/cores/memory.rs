//! Memory of 8-bit machines: cells and an attribute for each page of 256 cells.
//!
//! PERF: fetches go straight to the array, and reads do where no chip stands among the memory; only writes look at the
//! attribute. In the `emulate` bench this costs nothing measurable over bare flat memory, while a page table costs ten
//! host instructions an access.

use super::pieces::Pieces;
use crate::machine::board::Bank;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

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
const MIXED: u8 = 1;
/// The page has cells that do not exist.
pub(in crate::machine) const HOLES: u8 = 2;
/// A chip answers somewhere in the page.
pub(in crate::machine) const CHIPS: u8 = 4;

/// What an empty place on the data bus reads as.
pub(crate) const OPEN_BUS: u8 = 0xFF;

/// Cells of 8 bits, as many as addresses reach.
pub(in crate::machine) trait Cells: std::fmt::Debug + Clone + Send + 'static {
    /// An attribute for each page.
    type Pages: std::fmt::Debug + Clone + Send;
    /// The cells as a snapshot keeps them, where that is not a copy of them all.
    type Kept: std::fmt::Debug + Clone + Send;

    /// The last address.
    const LAST: u32;

    /// Cells that hold what an empty place on the data bus reads as.
    fn empty() -> Box<Self>;
    /// The pages, of so many attributes.
    fn pages(attributes: &[u8]) -> Self::Pages;
    /// The attribute of an address's page.
    fn attribute(pages: &Self::Pages, address: u32) -> u8;
    /// The cell at an address; what is above the last one is dropped.
    fn get(&self, address: u32) -> u8;
    /// Sets it.
    fn set(&mut self, address: u32, value: u8);
    /// Two cells, at an even address and the one above it.
    #[inline(always)]
    fn pair(&self, address: u32) -> [u8; 2] {
        [self.get(address), self.get(address | 1)]
    }
    /// Sets them.
    #[inline(always)]
    fn set_pair(&mut self, address: u32, [low, high]: [u8; 2]) {
        self.set(address, low);
        self.set(address | 1, high);
    }
    /// Eight cells in a row; those after the last address say nothing.
    #[inline(always)]
    fn eight(&self, address: u32) -> [u8; 8] {
        std::array::from_fn(|by| self.get(address + by as u32))
    }
    /// Sets a stretch of cells.
    fn fill(&mut self, first: u32, last: u32, value: u8);
    /// The cells as a snapshot keeps them, sharing what is the same with an earlier one; `None` where a copy does.
    fn keep(&self, _like: Option<&Self::Kept>) -> Option<Self::Kept> {
        None
    }
    /// Bytes of a snapshot that an earlier one does not share: of the cells as they are, or as they were kept.
    fn own_bytes(&self, _earlier: Option<&Self>) -> usize {
        size_of::<Self>()
    }
    /// The same of what was kept.
    fn kept_bytes(_kept: &Self::Kept, _earlier: Option<&Self::Kept>) -> usize {
        0
    }
    /// The cells that a snapshot has kept.
    fn live(_kept: &Self::Kept) -> Box<Self> {
        Self::empty()
    }
    /// Exchanges a stretch of cells with others.
    fn exchange(&mut self, first: u32, others: &mut [u8]) {
        for (address, other) in (first..).zip(others) {
            let own = self.get(address);
            self.set(address, std::mem::replace(other, own));
        }
    }
}

/// 64K cells in a row.
///
/// PERF: the array itself, so that the bus points at the cells and not at a box of them: a load less an access.
pub(in crate::machine) type Flat = [u8; 0x1_0000];

impl Cells for Flat {
    type Pages = [u8; 0x100];
    type Kept = ();
    const LAST: u32 = 0xFFFF;

    fn empty() -> Box<Self> {
        Box::new([OPEN_BUS; 0x1_0000])
    }

    fn pages(attributes: &[u8]) -> Self::Pages {
        let mut pages = [0; 0x100];
        pages.copy_from_slice(attributes);
        pages
    }

    #[inline(always)]
    fn attribute(pages: &Self::Pages, address: u32) -> u8 {
        pages[(address >> 8) as usize & 0xFF]
    }

    #[inline(always)]
    fn get(&self, address: u32) -> u8 {
        self[address as usize & 0xFFFF]
    }

    #[inline(always)]
    fn set(&mut self, address: u32, value: u8) {
        self[address as usize & 0xFFFF] = value;
    }

    fn fill(&mut self, first: u32, last: u32, value: u8) {
        self[first as usize..=last as usize].fill(value);
    }

    fn exchange(&mut self, first: u32, others: &mut [u8]) {
        self[first as usize..][..others.len()].swap_with_slice(others);
    }
}

/// 1M cells in a row, and seven that are none after the last, so that eight can be read from each on.
pub(in crate::machine) type Megabyte = [u8; 0x10_0007];

impl Cells for Megabyte {
    type Pages = [u8; 0x1000];
    type Kept = Pieces<u8>;
    const LAST: u32 = 0xF_FFFF;

    fn empty() -> Box<Self> {
        vec![OPEN_BUS; 0x10_0007].into_boxed_slice().try_into().expect("a megabyte")
    }

    fn pages(attributes: &[u8]) -> Self::Pages {
        let mut pages = [0; 0x1000];
        pages.copy_from_slice(attributes);
        pages
    }

    #[inline(always)]
    fn attribute(pages: &Self::Pages, address: u32) -> u8 {
        pages[(address >> 8) as usize & 0xFFF]
    }

    #[inline(always)]
    fn get(&self, address: u32) -> u8 {
        self[address as usize & 0xF_FFFF]
    }

    #[inline(always)]
    fn set(&mut self, address: u32, value: u8) {
        self[address as usize & 0xF_FFFF] = value;
    }

    #[inline(always)]
    fn eight(&self, address: u32) -> [u8; 8] {
        let mut cells = [0; 8];
        let first = address as usize & 0xF_FFFF;
        cells.copy_from_slice(&self[first..first + 8]);
        cells
    }

    fn fill(&mut self, first: u32, last: u32, value: u8) {
        self[first as usize..=last as usize].fill(value);
    }

    fn keep(&self, like: Option<&Self::Kept>) -> Option<Self::Kept> {
        Some(Pieces::of(&self[..=Self::LAST as usize], like))
    }

    fn kept_bytes(kept: &Self::Kept, earlier: Option<&Self::Kept>) -> usize {
        kept.own_bytes(earlier)
    }

    fn live(kept: &Self::Kept) -> Box<Self> {
        let mut cells = Self::empty();
        kept.copy_to(&mut cells[..]);
        cells
    }
}

/// Cells of a block.
type Block = [u8; 0x1_0000];

/// 16M cells in blocks of 64K: those that were written to are this memory's own, the others are shared with its copies.
///
/// PERF: a block that is shared until it is written to would have its owners counted at each write, by an instruction that locks the bus.
#[derive(Debug)]
pub(in crate::machine) struct Blocks {
    own: [Option<Box<Block>>; 0x100],
    shared: [Arc<Block>; 0x100],
}

impl Clone for Blocks {
    /// What is its own becomes shared by whoever copies the copy.
    fn clone(&self) -> Self {
        let shared = |at: usize| match &self.own[at] {
            Some(block) => Arc::new(**block),
            None => Arc::clone(&self.shared[at]),
        };
        Self { own: std::array::from_fn(|_| None), shared: std::array::from_fn(shared) }
    }
}

impl Blocks {
    #[inline(always)]
    fn block(&self, at: usize) -> &Block {
        match &self.own[at] {
            Some(block) => block,
            None => &self.shared[at],
        }
    }

    #[inline(always)]
    fn block_mut(&mut self, at: usize) -> &mut Block {
        if self.own[at].is_none() {
            self.take(at);
        }
        self.own[at].as_mut().expect("it was taken")
    }

    #[cold]
    fn take(&mut self, at: usize) {
        self.own[at] = Some(Box::new(*self.shared[at]));
    }
}

impl Cells for Blocks {
    type Pages = Arc<[u8]>;
    type Kept = ();
    const LAST: u32 = 0xFF_FFFF;

    fn empty() -> Box<Self> {
        let block = Arc::new([OPEN_BUS; 0x1_0000]);
        let shared = std::array::from_fn(|_| Arc::clone(&block));
        Box::new(Self { own: std::array::from_fn(|_| None), shared })
    }

    fn pages(attributes: &[u8]) -> Self::Pages {
        attributes.into()
    }

    #[inline(always)]
    fn attribute(pages: &Self::Pages, address: u32) -> u8 {
        pages[(address >> 8) as usize & 0xFFFF]
    }

    #[inline(always)]
    fn get(&self, address: u32) -> u8 {
        self.block((address >> 16) as usize & 0xFF)[address as usize & 0xFFFF]
    }

    #[inline(always)]
    fn set(&mut self, address: u32, value: u8) {
        self.block_mut((address >> 16) as usize & 0xFF)[address as usize & 0xFFFF] = value;
    }

    fn own_bytes(&self, earlier: Option<&Self>) -> usize {
        let is_own = |at: usize| match (&self.own[at], earlier) {
            (Some(_), _) => true,
            (None, Some(earlier)) => !Arc::ptr_eq(&earlier.shared[at], &self.shared[at]),
            (None, None) => false,
        };
        (0..0x100).filter(|&at| is_own(at)).count() * size_of::<Block>() + size_of::<Self>()
    }

    fn fill(&mut self, first: u32, last: u32, value: u8) {
        let whole = Arc::new([value; 0x1_0000]);
        let mut address = first;
        while address <= last {
            let end = (address | 0xFFFF).min(last);
            let block = (address >> 16) as usize;
            if end - address == 0xFFFF {
                (self.own[block], self.shared[block]) = (None, Arc::clone(&whole));
            } else {
                self.block_mut(block)[address as usize & 0xFFFF..=end as usize & 0xFFFF].fill(value);
            }
            address = end + 1;
        }
    }
}

/// The cells of a machine.
#[derive(Clone)]
pub(in crate::machine) struct Memory<C: Cells> {
    /// `None` in a snapshot that has kept them otherwise.
    cells: Option<Box<C>>,
    kept: Option<C::Kept>,
    pages: C::Pages,
    areas: Vec<Area>,
    banks: Banks,
    has_holes: bool,
}

/// The banks that are not among the cells now; made when they are chosen first.
#[derive(Debug, Clone, Default)]
struct Banks {
    chosen: u32,
    others: std::collections::BTreeMap<u32, Vec<u8>>,
}

/// What it is made of, not what it holds.
impl<C: Cells> std::fmt::Debug for Memory<C> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Memory")
            .field("areas", &self.areas)
            .field("bank", &self.banks.chosen)
            .finish_non_exhaustive()
    }
}

/// Nobody looks into a snapshot before it is live again.
pub(super) const LIVE: &str = "the memory is live";

impl<C: Cells> Memory<C> {
    /// RAM filled with 0, ROM and places where nothing is with 0FFh; `chips` are the stretches, first to last, where chips
    /// answer instead.
    pub fn new(areas: Vec<Area>, chips: &[(u32, u32)]) -> Self {
        let attributes = attributes(&areas, chips, (C::LAST as usize + 1) >> 8);
        let has_holes = attributes.iter().any(|page| page & HOLES != 0);
        let mut cells = C::empty();
        for area in areas.iter().filter(|area| area.kind.is_writable()) {
            cells.fill(area.first, area.last, 0);
        }
        let (cells, pages) = (Some(cells), C::pages(&attributes));
        Self { cells, kept: None, pages, areas, banks: Banks::default(), has_holes }
    }

    fn cells(&self) -> &C {
        self.cells.as_ref().expect(LIVE)
    }

    fn cells_mut(&mut self) -> &mut C {
        self.cells.as_mut().expect(LIVE)
    }

    /// As a snapshot keeps it, sharing what is the same with an earlier one.
    pub fn keep(&self, like: Option<&Self>) -> Self {
        match self.cells().keep(like.and_then(|like| like.kept.as_ref())) {
            None => self.clone(),
            kept => {
                let (pages, areas, banks) = (self.pages.clone(), self.areas.clone(), self.banks.clone());
                Self { cells: None, kept, pages, areas, banks, has_holes: self.has_holes }
            }
        }
    }

    /// About how many bytes it keeps that an earlier one does not share.
    pub fn kept_bytes(&self, earlier: Option<&Self>) -> usize {
        let banks: usize = self.banks.others.values().map(Vec::len).sum();
        let cells = match (&self.cells, &self.kept) {
            (Some(cells), _) => cells.own_bytes(earlier.and_then(|one| one.cells.as_deref())),
            (None, Some(kept)) => C::kept_bytes(kept, earlier.and_then(|one| one.kept.as_ref())),
            (None, None) => 0,
        };
        cells + banks + size_of_val(&self.pages)
    }

    /// What a snapshot has kept, to go on with.
    pub fn live(&self) -> Self {
        match &self.kept {
            None => self.clone(),
            Some(kept) => {
                let (pages, areas, banks) = (self.pages.clone(), self.areas.clone(), self.banks.clone());
                let cells = Some(C::live(kept));
                Self { cells, kept: None, pages, areas, banks, has_holes: self.has_holes }
            }
        }
    }

    /// The stretches of memory.
    pub fn areas(&self) -> &[Area] {
        &self.areas
    }

    /// The cell at an address, as the processor would read it.
    pub fn cell(&self, address: u32) -> u64 {
        self.cells().get(address).into()
    }

    /// Sets a cell whatever it is made of, as an operator or a programmer of ROMs does. False where nothing is.
    pub fn put(&mut self, address: u32, value: u64) -> bool {
        let exists = address <= C::LAST && kind(&self.areas, address).is_some();
        if exists {
            self.cells_mut().set(address, value as u8);
        }
        exists
    }

    /// Sets all cells of a stretch.
    pub fn fill(&mut self, first: u32, last: u32, value: u64) {
        self.cells_mut().fill(first, last, value as u8);
    }

    /// Puts another bank into its stretch of addresses.
    ///
    /// PERF: the cells change places, so that an access costs what it costs without banks.
    pub(crate) fn choose_bank(&mut self, bank: Bank, number: u32) {
        let number = number % bank.count;
        if number == self.banks.chosen {
            return;
        }
        let length = (bank.last - bank.first + 1) as usize;
        let mut cells = self.banks.others.remove(&number).unwrap_or_else(|| vec![0; length]);
        self.cells_mut().exchange(bank.first, &mut cells);
        self.banks.others.insert(self.banks.chosen, cells);
        self.banks.chosen = number;
    }

    /// True where some address has neither memory nor a chip.
    pub(crate) fn has_holes(&self) -> bool {
        self.has_holes
    }

    /// The parts that a bus works on: cells, page attributes, areas.
    pub(in crate::machine) fn parts(&mut self) -> (&mut C, &C::Pages, &[Area]) {
        (self.cells.as_mut().expect(LIVE), &self.pages, &self.areas)
    }
}

/// What is at an address; `None` where nothing is.
pub(in crate::machine) fn kind(areas: &[Area], address: u32) -> Option<MemoryKind> {
    areas.iter().find(|area| (area.first..=area.last).contains(&address)).map(|area| area.kind)
}

/// The attribute of each page of 256 cells; `chips` are the stretches, first to last, where chips answer.
pub(in crate::machine) fn attributes(areas: &[Area], chips: &[(u32, u32)], pages: usize) -> Vec<u8> {
    let attribute = |page: u32| {
        let (first, last) = (page << 8, page << 8 | 0xFF);
        let covered = |area: &&Area| (area.last.min(last) + 1).saturating_sub(area.first.max(first));
        let shared = |&&(from, to): &&(u32, u32)| (to.min(last) + 1).saturating_sub(from.max(first));
        let chips: u32 = chips.iter().map(|chip| shared(&chip)).sum();
        let all: u32 = chips + areas.iter().map(|area| covered(&area)).sum::<u32>();
        let ram = areas.iter().filter(|area| area.kind.is_writable());
        let own = match (ram.map(|area| covered(&area)).sum::<u32>(), all) {
            (0x100, _) => RAM,
            (_, 0x100) => MIXED,
            _ => MIXED | HOLES,
        };
        own | if chips > 0 { CHIPS } else { 0 }
    };
    (0..pages as u32).map(attribute).collect()
}

/// True where every cell of a page with this attribute is RAM.
#[inline(always)]
pub(in crate::machine) fn is_ram(attribute: u8) -> bool {
    attribute == RAM
}
