//! Board descriptions: TOML, versioned, unknown fields refused with the nearest known one.

mod check;
mod description;
mod names;
mod wiring;

use super::cores::memory::{Area, MemoryKind};
use super::part::{RecorderPlace, Stepper, Wire};
use crate::diagnostic::{Diagnostic, Span, nearest};
use crate::processor::InstructionSet;
use check::Check;
use description::Description;
pub use names::{BoardName, NameKind};
use serde::Deserialize;
use std::ops::Range;

/// The version of the description language that is read here.
pub const VERSION: i64 = 1;

/// What is soldered to a chip's pins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Wiring {
    /// A lamp on each pin.
    Lamps,
    /// A switch on each pin.
    Switches,
    /// The address lines that choose a bank of memory.
    Bank,
}

/// What happens when a program reaches for memory or a port that does not exist.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Unmapped {
    /// Reads are 0FFh, writes have no effect.
    #[default]
    Float,
    /// Reads give what was last on the data bus, writes have no effect.
    Hold,
    /// The run stops and says so.
    Stop,
}

/// A board: what a machine is built from.
#[derive(Debug, Clone)]
pub struct Board {
    /// Its name.
    pub name: String,
    /// What it is, in a few words.
    pub title: String,
    /// Its processor.
    pub set: &'static InstructionSet,
    /// Clock frequency in Hz.
    pub clock: u64,
    /// What reaching for nothing does.
    pub unmapped: Unmapped,
    /// Where a program without addresses of its own is placed, and where one without `org` begins.
    pub load: u32,
    /// What the cells of RAM hold when the power comes on.
    pub power_on: u64,
    /// Where the reset logic leads the processor, where that is not its own reset address.
    pub start: Option<u32>,
    /// The stretch of memory that is one of several banks.
    pub bank: Option<Bank>,
    /// The disk services, where programs for them can run.
    pub disk: Option<DiskServices>,
    /// The resident firmware's source, and the label where it waits for the operator.
    pub firmware: Option<Firmware>,
    /// Its memory.
    pub memory: Vec<Area>,
    /// Its chips.
    pub chips: Vec<ChipPlace>,
    /// Wires from pins of chips to pins of others.
    pub wires: Vec<(Wire, Wire)>,
    /// Lamps on pins of chips.
    pub lamps: Vec<PinPlace>,
    /// Buttons on pins of chips.
    pub buttons: Vec<PinPlace>,
    /// Rows of digits.
    pub digits: Vec<DigitsPlace>,
    /// Keypads.
    pub keypads: Vec<KeypadPlace>,
    /// Its keyboard.
    pub keyboard: Option<KeyboardPlace>,
    /// Jumpers: the name, and the legend of the place in a keypad that it closes.
    pub jumpers: Vec<(String, String)>,
    /// The logic that steps the processor.
    pub stepper: Option<Stepper>,
    /// The pins that its speaker hangs on.
    pub speaker: Option<Vec<Wire>>,
    /// Its interface for a cassette recorder.
    pub recorder: Option<RecorderPlace>,
    /// Its rows of lights, from above.
    pub lights: Vec<LightRow>,
    /// Its front panel.
    pub front: Option<FrontPlace>,
    /// How a program is keyed in.
    pub keying: Option<Keying>,
    /// Its console.
    pub console: Option<Console>,
    /// Its keys.
    pub keys: Vec<Key>,
    /// The firmware's routines that programs call.
    pub services: Vec<Routine>,
    /// Places in memory that mean something to the firmware.
    pub places: Vec<Place>,
}

/// Where the services stand that programs on a disk call.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DiskServices {
    /// In a source of their own, which is loaded with a program.
    Source(String),
    /// In the firmware.
    Resident,
}

/// A stretch of RAM of which there are several, one at a time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bank {
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// How many there are.
    pub count: u32,
    /// The chip whose outputs choose one, from 0.
    pub chip: usize,
}

/// A routine of the firmware that programs call.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Routine {
    /// What it is called.
    pub name: String,
    /// Its address.
    pub at: u32,
    /// What it does, in a few words.
    pub does: String,
    /// The text that it is given, where it is given one.
    pub text: Option<GivenText>,
}

/// How a routine is given a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GivenText {
    /// The register that holds its address.
    pub register: String,
    /// The cell that ends it.
    pub end: u64,
}

/// A place in memory with a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// Its name.
    pub name: String,
    /// Its address.
    pub at: u32,
    /// What stands there, in a few words.
    pub does: String,
}

/// The resident firmware of a board.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Firmware {
    /// Name of the source text.
    pub source: String,
    /// The label that the machine reaches when it is ready for a program.
    pub ready: Option<String>,
}

/// A chip's place on the board.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChipPlace {
    /// Part number.
    pub part: String,
    /// What the board calls it.
    pub name: String,
    /// Where its registers are.
    pub at: ChipAt,
    /// What is soldered to it, where that is a row of lamps or switches.
    pub wiring: Option<Wiring>,
    /// Where its interrupt line goes.
    pub interrupt: Option<InterruptLine>,
    /// The frequency at its clock pins in Hz, where that is not the processor's.
    pub clock: Option<u64>,
}

impl ChipPlace {
    /// The input of the processor that its interrupt line goes to.
    pub fn input(&self) -> Option<Input> {
        match self.interrupt? {
            InterruptLine::Processor(input) => Some(input),
            InterruptLine::Pin(_) => None,
        }
    }
}

/// Where a chip's interrupt line goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum InterruptLine {
    /// To an input of the processor.
    Processor(Input),
    /// To a pin of another chip.
    Pin(Wire),
}

/// Where a chip's registers are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChipAt {
    /// From this port on.
    Port(u32),
    /// In this stretch of memory addresses, again and again where that is longer.
    Memory {
        /// First address.
        first: u32,
        /// Last address.
        last: u32,
    },
}

impl ChipAt {
    /// The first port or address.
    pub fn first(self) -> u32 {
        match self {
            Self::Port(port) => port,
            Self::Memory { first, .. } => first,
        }
    }
}

/// An interrupt input as a chip or a key is wired to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Input {
    /// The name printed on the pin.
    pub name: &'static str,
    /// True where the processor looks at its level, false where an edge counts.
    pub level: bool,
}

/// A part on a pin of a chip.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PinPlace {
    /// What the board calls it.
    pub name: String,
    /// The pin.
    pub wire: Wire,
    /// The level at which a lamp is lit, or which a pressed button gives.
    pub active: bool,
}

/// A row of seven-segment digits.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DigitsPlace {
    /// What the board calls it.
    pub name: String,
    /// The pins of the segments, a to g and the point.
    pub segments: Vec<Wire>,
    /// The inputs of the decoder that selects the digit.
    pub select: Vec<Wire>,
    /// How many digits there are.
    pub count: usize,
}

/// A matrix of keys.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeypadPlace {
    /// What the board calls it.
    pub name: String,
    /// The inputs of the decoder that selects the line.
    pub select: Vec<Wire>,
    /// The pins of the rows.
    pub rows: Vec<Wire>,
    /// The legends, row by row.
    pub legends: Vec<Vec<String>>,
}

/// A keypad that is a keyboard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeyboardPlace {
    /// Which keypad of the board, from 0.
    pub keypad: usize,
    /// The legend of the shift key.
    pub shift: String,
    /// Legends with the characters that their keys make, alone and with the shift key.
    pub makes: Vec<(String, Vec<u8>)>,
}

/// The keys of a keypad with which a program is keyed in; digits are keys of their own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keying {
    /// The digits beside it choose an address.
    pub address: String,
    /// The digits beside it change the cell.
    pub data: String,
    /// The next cell; none where the key for data goes there by itself.
    pub next: Option<String>,
    /// Shows the next cell, where `next` is none.
    pub up: Option<String>,
    /// Starts the program at the address.
    pub start: String,
    /// The digits are typed before their key, and not after it.
    pub number_first: bool,
}

/// A front panel: switches that say what the processor itself shall hold, and the operator's actions.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FrontPlace {
    /// The register in which a program reads the switches, by its place.
    pub switches: Option<usize>,
    /// `examine` takes the address from the switches and leaves where the program goes on; elsewhere it looks where `load` has led.
    pub looks_apart: bool,
}

/// A row of lights.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LightRow {
    /// What is printed beside it.
    pub name: String,
    /// What it shows.
    pub shows: Shows,
}

/// What a row of lights shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shows {
    /// The address that the operator chose, or where the program is.
    Address,
    /// The cell there.
    Data,
    /// A register, by its place.
    Register(usize),
    /// A flag, by its place.
    Flag(usize),
    /// A bit of what the processor puts out about its machine cycles.
    Status(u8),
    /// The lamps of a chip, from 0.
    Lamps(usize),
    /// The pins of a chip's row: the chip, from 0, and the row.
    Pins(usize, u8),
    /// That the machine runs.
    Run,
}

/// What the console hangs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Console {
    /// The processor's own serial lines, at so many baud.
    Line(u64),
    /// A chip, from 0.
    Chip(usize),
}

/// A key of the board: reset, or one that asks for an interrupt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Key {
    /// Its legend.
    pub name: String,
    /// The interrupt input it goes to; `None` for the reset key.
    pub input: Option<String>,
}

impl Board {
    /// The board `bare` of a processor: all memory is RAM, there are no chips, nothing stops.
    pub fn bare(set: &'static InstructionSet) -> Self {
        Self {
            name: "bare".to_string(),
            title: "all memory is RAM, no chips".to_string(),
            set,
            clock: set.identity.clock,
            unmapped: Unmapped::Float,
            load: 0,
            power_on: 0,
            start: None,
            bank: None,
            disk: None,
            firmware: None,
            memory: vec![Area { kind: MemoryKind::Ram, first: 0, last: set.last_address(), name: None }],
            chips: vec![],
            wires: vec![],
            lamps: vec![],
            buttons: vec![],
            digits: vec![],
            keypads: vec![],
            keyboard: None,
            jumpers: vec![],
            stepper: None,
            speaker: None,
            recorder: None,
            lights: vec![],
            front: None,
            keying: None,
            console: None,
            keys: vec![],
            services: vec![],
            places: vec![],
        }
    }

    /// Leaves a memory or a jumper out that has a name, as it is taken from its socket.
    ///
    /// # Errors
    /// [`NoSocket`] with the names of those that can be left out.
    pub fn leave_out(&mut self, name: &str) -> Result<(), NoSocket> {
        let before = self.memory.len() + self.jumpers.len();
        self.memory.retain(|area| area.name.as_deref() != Some(name));
        self.jumpers.retain(|jumper| jumper.0 != name);
        if self.memory.len() + self.jumpers.len() < before {
            return Ok(());
        }
        let names = self.memory.iter().filter_map(|area| area.name.as_deref());
        let names = names.chain(self.jumpers.iter().map(|jumper| jumper.0.as_str()));
        let have = names.map(str::to_string).collect();
        Err(NoSocket { board: self.name.clone(), name: name.to_string(), have })
    }

    /// Reads a description. Spans of the diagnostics point into `text` as source 0.
    ///
    /// # Errors
    /// Everything that is wrong with it.
    pub fn parse(text: &str) -> Result<Self, Vec<Diagnostic>> {
        let description: Description =
            toml::from_str(text).map_err(|error| vec![toml_error(&error, "boards")])?;
        let mut check = Check::default();
        let board = check.board(description);
        if check.errors.is_empty() { board.ok_or_else(Vec::new) } else { Err(check.errors) }
    }
}

/// A board has no memory and no jumper of that name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the board {board} has no `{name}` to leave out; it can do without {}", self.names())]
pub struct NoSocket {
    /// The board.
    pub board: String,
    /// What was asked for.
    pub name: String,
    /// What can be left out.
    pub have: Vec<String>,
}

impl NoSocket {
    fn names(&self) -> String {
        if self.have.is_empty() { "nothing".to_string() } else { self.have.join(", ") }
    }
}

/// A TOML error as a diagnostic, with the nearest known field where one is unknown; the page of that name in `docs/` describes them.
pub fn toml_error(error: &toml::de::Error, page: &str) -> Diagnostic {
    let span = error.span().unwrap_or_default();
    let message = error.message();
    let mut quoted = message.split('`').skip(1).step_by(2);
    let help = match (message.starts_with("unknown field"), quoted.next()) {
        (true, Some(unknown)) => match nearest(unknown, quoted.clone()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("the fields here are {}", quoted.collect::<Vec<_>>().join(", ")),
        },
        _ => format!("docs/{page}.md describes every field with an example"),
    };
    let first_line = message.lines().next().unwrap_or("this is not TOML");
    Diagnostic::error("toml", span_of(&span), first_line.to_string(), help)
}

fn span_of(range: &Range<usize>) -> Span {
    Span { source: 0, start: range.start as u32, end: range.end as u32 }
}

fn set_hex(address: u32) -> String {
    format!("0x{address:X}")
}
