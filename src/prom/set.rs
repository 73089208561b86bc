//! ROM sets: which bytes of which images go into which chip of a board, lane by lane and bank by bank; their sums, and what differs in
//! chips that were read back.

use super::part::{Part, part};
use super::program::Refusal;
use crate::diagnostic::Problem;
use crate::image::{Image, Sums, sums};
use serde::Deserialize;
use std::collections::BTreeMap;

/// The version of the form of a set's file.
const VERSION: u32 = 1;

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct SetFile {
    version: u32,
    #[serde(default)]
    name: String,
    part: Option<String>,
    fill: Option<u8>,
    #[serde(default)]
    chip: Vec<ChipEntry>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct ChipEntry {
    socket: String,
    part: Option<String>,
    image: Option<String>,
    base: Option<u32>,
    lane: Option<u32>,
    lanes: Option<u32>,
    #[serde(default)]
    bank: Vec<BankEntry>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct BankEntry {
    image: String,
    base: u32,
    #[serde(default)]
    at: u32,
    bytes: Option<u32>,
    #[serde(default)]
    lane: u32,
    #[serde(default = "one")]
    lanes: u32,
}

fn one() -> u32 {
    1
}

/// A stretch of a chip, and what of memory it holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetBank {
    /// The image.
    pub image: String,
    /// First and last cell of the chip.
    pub cells: (u32, u32),
    /// The address in memory of the first cell, and of the last one.
    pub addresses: (u32, u32),
    /// Which of so many chips side by side it is, from 0; the lowest lane has the lowest address.
    pub lane: (u32, u32),
    /// How many bytes of the image are in it.
    pub used: usize,
}

/// A chip of a set.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetChip {
    /// The socket that it goes into.
    pub socket: String,
    /// What it is.
    pub part: &'static Part,
    /// All of its cells.
    pub cells: Vec<u8>,
    /// What is in it, in the order of its cells.
    pub banks: Vec<SetBank>,
}

impl SetChip {
    /// Its sums.
    pub fn sums(&self) -> Sums {
        sums(&self.cells)
    }

    /// How many of its cells come from images.
    pub fn used(&self) -> usize {
        self.banks.iter().map(|bank| bank.used).sum()
    }
}

/// The chips of a board, in the order in which they are programmed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RomSet {
    /// What it is called on its labels.
    pub name: String,
    /// The chips.
    pub chips: Vec<SetChip>,
}

/// What a chip that was read back is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ReadBack {
    /// What it should be.
    Same,
    /// Nothing was burnt into it.
    Blank,
    /// It is what belongs into another socket.
    Swapped(String),
    /// It has another size.
    Size(usize),
    /// The places that differ: place, what it holds, what it should.
    Differs(Vec<(u32, u8, u8)>),
}

fn refuse<T>(problem: impl Into<String>, help: impl Into<String>) -> Result<T, Refusal> {
    Err(Refusal::new(problem, help))
}

impl RomSet {
    /// Reads the file of a set, with the images that it names.
    ///
    /// # Errors
    /// The file is none, an image does not fit, two stretches of a chip overlap, or no chip takes some bytes of an image.
    pub fn read(text: &str, images: &mut dyn FnMut(&str) -> Result<Image, Problem>) -> Result<Self, Refusal> {
        let help = "docs/burn.md describes the file of a set";
        let file: SetFile =
            toml::from_str(text).map_err(|error| Refusal::new(error.message().to_string(), help))?;
        if file.version != VERSION {
            return refuse(format!("version {} of a set's file is unknown", file.version), help);
        }
        if file.chip.is_empty() {
            return refuse("the set has no chip", "add a [[chip]] with a socket and an image");
        }
        let mut known: BTreeMap<String, Image> = BTreeMap::new();
        let mut taken: BTreeMap<String, Vec<SetBank>> = BTreeMap::new();
        let mut chips: Vec<SetChip> = Vec::new();
        for entry in file.chip {
            let socket = entry.socket.clone();
            if chips.iter().any(|chip| chip.socket == socket) {
                return refuse(
                    format!("two chips go into the socket {socket}"),
                    "give each a socket of its own",
                );
            }
            let chip = chip_of(entry, file.part.as_deref(), file.fill.unwrap_or(0xFF), &mut known, images)?;
            for bank in &chip.banks {
                taken.entry(bank.image.clone()).or_default().push(bank.clone());
            }
            chips.push(chip);
        }
        for (name, image) in &known {
            all_taken(name, image, &taken[name])?;
        }
        Ok(Self { name: file.name, chips })
    }

    /// The sums of all chips one after the other, in the order in which they are programmed.
    pub fn sums(&self) -> Sums {
        let all: Vec<u8> = self.chips.iter().flat_map(|chip| chip.cells.iter().copied()).collect();
        sums(&all)
    }

    /// Compares what was read from the chip in a socket; `None` where there is no such socket.
    pub fn compare(&self, socket: &str, bytes: &[u8]) -> Option<ReadBack> {
        let chip = self.chips.iter().find(|chip| chip.socket == socket)?;
        if bytes == chip.cells {
            return Some(ReadBack::Same);
        }
        if let Some(other) = self.chips.iter().find(|other| other.cells == bytes) {
            return Some(ReadBack::Swapped(other.socket.clone()));
        }
        if bytes.len() != chip.cells.len() {
            return Some(ReadBack::Size(bytes.len()));
        }
        if bytes.iter().all(|&byte| byte == 0xFF) {
            return Some(ReadBack::Blank);
        }
        let pairs = bytes.iter().zip(&chip.cells).enumerate();
        let differs = pairs.filter(|(_, (is, should))| is != should);
        Some(ReadBack::Differs(differs.map(|(at, (&is, &should))| (at as u32, is, should)).collect()))
    }
}

fn chip_of(
    entry: ChipEntry,
    usual: Option<&str>,
    fill: u8,
    known: &mut BTreeMap<String, Image>,
    images: &mut dyn FnMut(&str) -> Result<Image, Problem>,
) -> Result<SetChip, Refusal> {
    let ChipEntry { socket, part: own, image, base, lane, lanes, bank } = entry;
    let Some(name) = own.as_deref().or(usual) else {
        return refuse(
            format!("the chip of {socket} has no part"),
            "write part = \"2764\", for it or for all",
        );
    };
    let Some(part) = part(name) else {
        return refuse(format!("there is no part `{name}` here"), "`plainbyte burn parts` lists them");
    };
    let banks = match (image, bank.is_empty()) {
        (Some(image), true) => {
            let Some(base) = base else {
                let help = "write base = 0x8000, the address in memory that its first cell has";
                return refuse(format!("the chip of {socket} does not say where it begins"), help);
            };
            let (lane, lanes) = (lane.unwrap_or(0), lanes.unwrap_or(1));
            vec![BankEntry { image, base, at: 0, bytes: None, lane, lanes }]
        }
        (None, false) => bank,
        _ => {
            let help = "write image and base, or [[chip.bank]] for each of several stretches";
            return refuse(format!("the chip of {socket} has no image, or one beside its banks"), help);
        }
    };
    let mut chip = SetChip { socket, part, cells: vec![fill; part.bytes as usize], banks: Vec::new() };
    for bank in banks {
        if !known.contains_key(&bank.image) {
            let image = images(&bank.image).map_err(|problem| {
                Refusal::new(
                    format!("{}: {problem}", bank.image),
                    "name an image, by its way from the set's file",
                )
            })?;
            known.insert(bank.image.clone(), image);
        }
        put(&mut chip, &bank, &known[&bank.image])?;
    }
    chip.banks.sort_by_key(|bank| bank.cells);
    let overlap = chip.banks.windows(2).find(|pair| pair[1].cells.0 <= pair[0].cells.1);
    if let Some([one, two]) = overlap {
        let problem = format!(
            "in the chip of {} the cells {:04X}..{:04X} of {} overlap those of {}",
            chip.socket,
            two.cells.0,
            one.cells.1.min(two.cells.1),
            two.image,
            one.image
        );
        return refuse(problem, "give the second one a higher `at`, or the first one fewer `bytes`");
    }
    Ok(chip)
}

/// Puts what an image has for a stretch of a chip into its cells.
fn put(chip: &mut SetChip, bank: &BankEntry, image: &Image) -> Result<(), Refusal> {
    let BankEntry { image: ref name, base, at, bytes, lane, lanes } = *bank;
    let size = chip.part.bytes;
    let bytes = bytes.unwrap_or(size.saturating_sub(at));
    if image.cell_bits() != 8 {
        return refuse(format!("{name} has no bytes"), "split its words into bytes first");
    }
    if at.checked_add(bytes).is_none_or(|end| end > size) || bytes == 0 {
        let problem = format!("{bytes} cells from {at:04X} on are not in a {} of {size}", chip.part.name);
        return refuse(problem, "lower `at` or `bytes`");
    }
    if lane >= lanes || lanes > 8 {
        let problem = format!("in the chip of {} lane {lane} of {lanes} does not exist", chip.socket);
        return refuse(problem, "lanes are 1 to 8, and the first lane is 0");
    }
    let mut used = 0;
    for segment in image.segments() {
        for (address, &cell) in (segment.start..).zip(&segment.cells) {
            let Some(place) = address.checked_sub(base).filter(|by| by % lanes == lane) else { continue };
            if place / lanes < bytes {
                chip.cells[(at + place / lanes) as usize] = cell as u8;
                used += 1;
            }
        }
    }
    if used == 0 {
        let problem = format!("nothing of {name} goes into the chip of {}", chip.socket);
        let (first, last) = image.bounds().unwrap_or_default();
        return refuse(problem, format!("the image lies at {first:04X}..{last:04X}; look at `base`"));
    }
    let last = u64::from(base) + u64::from(bytes - 1) * u64::from(lanes) + u64::from(lane);
    let last = u32::try_from(last).unwrap_or(u32::MAX);
    chip.banks.push(SetBank {
        image: name.clone(),
        cells: (at, at + bytes - 1),
        addresses: (base + lane, last),
        lane: (lane, lanes),
        used,
    });
    Ok(())
}

/// Every byte of an image goes into some chip.
fn all_taken(name: &str, image: &Image, banks: &[SetBank]) -> Result<(), Refusal> {
    let is_taken = |address: u32| {
        banks.iter().any(|bank| {
            let (first, last) = bank.addresses;
            (first..=last).contains(&address) && (address - first).is_multiple_of(bank.lane.1)
        })
    };
    let left =
        image.segments().iter().flat_map(|one| (one.start..).take(one.cells.len())).find(|&at| !is_taken(at));
    match left {
        None => Ok(()),
        Some(at) => refuse(
            format!("no chip takes the byte of {name} at {at:04X}"),
            "add a chip for it, or look at `base`, `lanes` and the size of the parts",
        ),
    }
}
