//! The facts of an image: where its cells are and what they hold, vectors, sums, and what looks wrong.

use super::map::{Content, contents, map};
use super::reach::{reach, starts};
use crate::assembler::Region;
use crate::image::{Cell, Image, Segment, Sums, sums};
use crate::number::{Habit, thousands};
use crate::processor::{InstructionSet, decode};
use crate::text::{Text, Tone};
use serde::Serialize;

/// Cells shown at each end of a segment.
const SHOWN: usize = 8;

/// The facts of one segment.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SegmentFacts {
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// Number of cells.
    pub cells: usize,
    /// Cells of instructions that execution reaches.
    pub code: usize,
    /// Cells that are neither instructions nor fill.
    pub data: usize,
    /// Equal cells in long runs.
    pub fill: usize,
    /// The first cells, eight at most.
    pub begin: Vec<Cell>,
    /// The last cells, eight at most.
    pub end: Vec<Cell>,
    /// Sum and checksums of cells that are bytes.
    #[serde(flatten)]
    pub sums: Option<Sums>,
    /// The value of every cell, where they are all the same.
    pub all: Option<Cell>,
}

/// A place that interrupts or restarts lead to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct VectorFacts {
    /// Its name: the input, or the instruction.
    pub name: &'static str,
    /// Its address.
    pub address: u32,
    /// What stands there.
    pub cells: Vec<Cell>,
    /// The same as an instruction; empty where it is none.
    pub text: String,
    /// True where nothing but fill stands there.
    pub empty: bool,
}

/// How full a region is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct RegionFacts {
    /// Its name.
    pub name: String,
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// Cells it has.
    pub cells: u64,
    /// Cells that the program uses, fill not counted.
    pub used: u64,
}

/// The facts of an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Inspection {
    /// Bits in a cell.
    pub cell_bits: u8,
    /// Where running starts: as the image says, else its first cell.
    pub start: Option<u32>,
    /// True where the image says so itself.
    pub has_entry: bool,
    /// Cells in all.
    pub cells: usize,
    /// Its segments.
    pub segments: Vec<SegmentFacts>,
    /// The regions that the source names.
    pub regions: Vec<RegionFacts>,
    /// The vectors that the image reaches to.
    pub vectors: Vec<VectorFacts>,
    /// What looks wrong, each a sentence.
    pub warnings: Vec<String>,
    #[serde(skip)]
    map: Text,
}

/// Looks an image over. Instructions, vectors and the habit of writing numbers come from the processor, where it is
/// known; `regions` from the source.
pub fn inspect(image: &Image, set: Option<&'static InstructionSet>, regions: &[Region]) -> Inspection {
    let reach = set.map(|set| reach(set, image, &starts(set, image)));
    let contents: Vec<Vec<Content>> = image
        .segments()
        .iter()
        .map(|segment| contents(segment.start, &segment.cells, reach.as_ref()))
        .collect();
    let segments: Vec<SegmentFacts> = image
        .segments()
        .iter()
        .zip(&contents)
        .map(|(one, contents)| segment_facts(image, one, contents))
        .collect();
    let vectors = set.map_or(Vec::new(), |set| vector_facts(set, image));
    let habit = set.map_or(Habit::IntelHex, |set| set.habit());
    let bits = set.map_or(16, |set| set.address_bits());
    let region_facts = |region: &Region| {
        let used = image.segments().iter().zip(&contents).flat_map(|(segment, contents)| {
            (segment.start..).zip(contents).filter(|(at, content)| {
                (region.first..=region.last).contains(at) && **content > Content::Fill
            })
        });
        RegionFacts {
            name: region.name.clone(),
            first: region.first,
            last: region.last,
            cells: u64::from(region.last) - u64::from(region.first) + 1,
            used: used.count() as u64,
        }
    };
    let mut inspection = Inspection {
        cell_bits: image.cell_bits(),
        start: set.map_or_else(|| image.start(), |set| image.start_for(set)),
        has_entry: image.entry().is_some(),
        cells: image.cells(),
        regions: regions.iter().map(region_facts).collect(),
        warnings: Vec::new(),
        map: map(image, &contents, habit, bits),
        segments,
        vectors,
    };
    inspection.warnings = warnings(&inspection, set.map_or(&[], |set| set.interrupts.vectors), habit, bits);
    inspection
}

fn segment_facts(image: &Image, segment: &Segment, contents: &[Content]) -> SegmentFacts {
    let cells = &segment.cells;
    let count = |content| contents.iter().filter(|&&one| one == content).count();
    let bytes = || cells.iter().map(|&cell| cell as u8).collect::<Vec<_>>();
    SegmentFacts {
        first: segment.start,
        last: (segment.end() - 1) as u32,
        cells: cells.len(),
        code: count(Content::Code),
        data: count(Content::Data),
        fill: count(Content::Fill),
        begin: cells[..cells.len().min(SHOWN)].to_vec(),
        end: cells[cells.len().saturating_sub(SHOWN)..].to_vec(),
        sums: (image.cell_bits() == 8).then(|| sums(&bytes())),
        all: cells.first().copied().filter(|first| cells.iter().all(|cell| cell == first)),
    }
}

fn vector_facts(set: &'static InstructionSet, image: &Image) -> Vec<VectorFacts> {
    let mut rows: Vec<(&'static str, u32)> =
        set.interrupts.restarts.iter().chain(set.interrupts.vectors).copied().collect();
    rows.sort_by_key(|row| row.1);
    let pointers = set.interrupts.pointers.iter().filter_map(|&(name, address)| {
        let to = image.pointer_at(address)?;
        let text = format!("dw {}", set.habit().literal(to.into(), set.address_bits()));
        let empty = to == set.last_address() || to == 0;
        Some(VectorFacts { name, address, cells: image.cells_at(address, 2).to_vec(), text, empty })
    });
    rows.into_iter()
        .filter_map(|(name, address)| {
            let cells = image.cells_at(address, crate::processor::LONGEST);
            let first = *cells.first()?;
            let empty = first == set.last_cell() || cells.iter().take(4).all(|&cell| cell == 0);
            let decoded = decode(set, cells, address).ok().flatten();
            let length = decoded.map_or(1, |one| one.cells());
            let text = decoded.map_or(String::new(), |one| one.text(set, &|_| None));
            Some(VectorFacts { name, address, cells: cells[..length].to_vec(), text, empty })
        })
        .chain(pointers)
        .collect()
}

fn warnings(facts: &Inspection, inputs: &[(&str, u32)], habit: Habit, bits: u8) -> Vec<String> {
    let address = |address: u32| habit.plain(address.into(), bits);
    let mut warnings = Vec::new();
    for segment in facts.segments.iter().filter(|segment| segment.cells > 1) {
        if let Some(all) = segment.all {
            warnings.push(format!(
                "every cell from {} to {} is {}: an empty or unreadable chip?",
                address(segment.first),
                address(segment.last),
                habit.literal(all, facts.cell_bits)
            ));
        }
    }
    // Vectors matter in an image that fills the low memory, as a ROM does; elsewhere code runs through there.
    let begins_low = facts
        .segments
        .first()
        .is_some_and(|first| first.first == 0 && facts.vectors.iter().all(|one| one.address <= first.last));
    let is_input = |vector: &&VectorFacts| inputs.iter().any(|row| row.0 == vector.name);
    for vector in facts.vectors.iter().filter(|vector| begins_low && vector.empty).filter(is_input) {
        warnings.push(format!("the vector {} at {} is empty", vector.name, address(vector.address)));
    }
    for region in facts.regions.iter().filter(|region| region.used == 0) {
        warnings.push(format!("the region {} is empty", region.name));
    }
    warnings
}

fn percent(part: u64, whole: u64) -> String {
    format!("{:5.1} %", 100.0 * part as f64 / whole.max(1) as f64)
}

impl Inspection {
    /// The facts as text; addresses as the set's people write them, in hex where no set is known.
    pub fn text(&self, set: Option<&InstructionSet>) -> Text {
        let habit = set.map_or(Habit::IntelHex, |set| set.habit());
        let bits = set.map_or(16, |set| set.address_bits());
        let address = |address: u32| habit.plain(address.into(), bits);
        let mut text = Text::new();
        let total = thousands(self.cells as u64);
        text.line().tone(Tone::Faint, "size     ").put(format!(
            "{total} cells of {} bits in {} segment{}",
            self.cell_bits,
            self.segments.len(),
            if self.segments.len() == 1 { "" } else { "s" }
        ));
        if let Some(start) = self.start {
            let reset = self.vectors.iter().any(|one| one.name == "RESET" && !one.empty);
            let why = match (self.has_entry, reset) {
                (true, _) => "as the image says",
                (false, true) => "where RESET leads",
                (false, false) => "the first cell; the image names no other",
            };
            text.line()
                .tone(Tone::Faint, "start    ")
                .tone(Tone::Strong, address(start))
                .put(format!("  {why}"));
        }
        if self.cells > 0 {
            text.line().tone(Tone::Faint, "map");
            text.append(self.map.clone());
        }
        self.segment_text(&mut text, habit, bits);
        if !self.regions.is_empty() {
            let width =
                self.regions.iter().map(|region| region.name.chars().count()).max().unwrap_or(0).max(6);
            text.line()
                .tone(Tone::Faint, format!("{:9}{:width$}  {:11}   cells    used", "", "region", "from..to"));
            for region in &self.regions {
                let (first, last) = (address(region.first), address(region.last));
                text.line()
                    .tone(Tone::Faint, "region   ")
                    .tone(Tone::Strong, format!("{:width$}", region.name));
                let (cells, used) = (thousands(region.cells), percent(region.used, region.cells));
                text.put(format!("  {:11} {cells:>7}  {used}", format!("{first}..{last}")));
            }
        }
        for vector in &self.vectors {
            text.line().tone(Tone::Faint, "vector   ").tone(Tone::Strong, format!("{:7}", vector.name));
            let cells: Vec<String> =
                vector.cells.iter().map(|&cell| habit.plain(cell, self.cell_bits)).collect();
            text.put(format!("  {}  {:9} {}", address(vector.address), cells.join(" "), vector.text));
            if vector.empty {
                text.tone(Tone::Faint, "  empty");
            }
        }
        for warning in &self.warnings {
            text.line().tone(Tone::Wrong, "warning  ").put(warning.clone());
        }
        text
    }

    fn segment_text(&self, text: &mut Text, habit: Habit, bits: u8) {
        let address = |address: u32| habit.plain(address.into(), bits);
        let cells = |cells: &[Cell]| {
            cells.iter().map(|&cell| habit.plain(cell, self.cell_bits)).collect::<Vec<_>>().join(" ")
        };
        for segment in &self.segments {
            let (first, last) = (address(segment.first), address(segment.last));
            let whole = segment.cells as u64;
            text.line().tone(Tone::Faint, "segment  ").tone(Tone::Strong, format!("{first}..{last}"));
            text.put(format!("  {} cells:", thousands(whole)));
            let parts = [("instructions", segment.code), ("data", segment.data), ("fill", segment.fill)];
            let parts: Vec<String> = parts
                .iter()
                .filter(|(_, count)| *count > 0)
                .map(|(name, count)| {
                    format!("{} {name} ({})", thousands(*count as u64), percent(*count as u64, whole).trim())
                })
                .collect();
            text.put(format!(" {}", parts.join(", ")));
            if let Some(sums) = segment.sums {
                text.line().tone(Tone::Faint, "  sums   ").put(format!(
                    "sum {:04X}h  CRC-16 {:04X}h  CRC-32 {:08X}h",
                    sums.sum, sums.crc16, sums.crc32
                ));
            }
            text.line().tone(Tone::Faint, "  first  ").put(cells(&segment.begin));
            text.line().tone(Tone::Faint, "  last   ").put(cells(&segment.end));
        }
    }
}
