//! Board descriptions: TOML, versioned, unknown fields refused with the nearest known one.

use super::chip::{self, Needs, PARTS, Part, Pin};
use super::memory::{Area, MemoryKind};
use super::part::{Stepper, Wire};
use crate::diagnostic::{Diagnostic, Span, nearest};
use crate::processor::{self, InstructionSet};
use serde::Deserialize;
use std::ops::Range;
use toml::Spanned;

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

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Description {
    version: Spanned<i64>,
    name: Spanned<String>,
    #[serde(default)]
    title: String,
    processor: Spanned<String>,
    clock: Spanned<i64>,
    #[serde(default)]
    unmapped: Unmapped,
    load: Option<Spanned<i64>>,
    firmware: Option<FirmwareDescription>,
    memory: Vec<Spanned<MemoryDescription>>,
    #[serde(default)]
    chip: Vec<Spanned<ChipDescription>>,
    console: Option<ConsoleDescription>,
    #[serde(default)]
    key: Vec<Spanned<KeyDescription>>,
    #[serde(default)]
    lamp: Vec<Spanned<PinDescription>>,
    #[serde(default)]
    button: Vec<Spanned<PinDescription>>,
    #[serde(default)]
    digits: Vec<DigitsDescription>,
    #[serde(default)]
    keypad: Vec<KeypadDescription>,
    #[serde(default)]
    jumper: Vec<JumperDescription>,
    keying: Option<KeyingDescription>,
    step: Option<StepDescription>,
    #[serde(default)]
    service: Vec<Spanned<ServiceDescription>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct ServiceDescription {
    name: String,
    at: Spanned<i64>,
    text: Spanned<String>,
    end: i64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct FirmwareDescription {
    source: String,
    ready: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct MemoryDescription {
    kind: MemoryKind,
    first: i64,
    last: i64,
    name: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct ChipDescription {
    part: Spanned<String>,
    name: Spanned<String>,
    port: Option<Spanned<i64>>,
    first: Option<Spanned<i64>>,
    last: Option<Spanned<i64>>,
    wiring: Option<Wiring>,
    interrupt: Option<Spanned<String>>,
    clock: Option<Spanned<i64>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct PinDescription {
    name: String,
    pin: Spanned<String>,
    active: Option<i64>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct DigitsDescription {
    name: String,
    segments: Spanned<String>,
    select: Spanned<Vec<String>>,
    count: Spanned<i64>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct KeypadDescription {
    name: String,
    select: Spanned<Vec<String>>,
    rows: Spanned<Vec<String>>,
    legends: Spanned<Vec<Vec<String>>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct JumperDescription {
    name: String,
    closes: Spanned<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct KeyingDescription {
    address: Spanned<String>,
    data: Spanned<String>,
    next: Spanned<String>,
    start: Spanned<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct StepDescription {
    pin: Spanned<String>,
    active: Option<i64>,
    input: Spanned<String>,
    except: [i64; 2],
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct ConsoleDescription {
    line: Spanned<String>,
    baud: Option<Spanned<i64>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct KeyDescription {
    name: String,
    input: Spanned<String>,
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
    /// The resident firmware's source, and the label where it waits for the operator.
    pub firmware: Option<Firmware>,
    /// Its memory.
    pub memory: Vec<Area>,
    /// Its chips.
    pub chips: Vec<ChipPlace>,
    /// Lamps on pins of chips.
    pub lamps: Vec<PinPlace>,
    /// Buttons on pins of chips.
    pub buttons: Vec<PinPlace>,
    /// Rows of digits.
    pub digits: Vec<DigitsPlace>,
    /// Keypads.
    pub keypads: Vec<KeypadPlace>,
    /// Jumpers: the name, and the legend of the place in a keypad that it closes.
    pub jumpers: Vec<(String, String)>,
    /// The logic that steps the processor.
    pub stepper: Option<Stepper>,
    /// How a program is keyed in.
    pub keying: Option<Keying>,
    /// Its console.
    pub console: Option<Console>,
    /// Its keys.
    pub keys: Vec<Key>,
    /// The firmware's services that are given a text.
    pub services: Vec<Service>,
}

/// A routine of the firmware that takes a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Service {
    /// What it is called.
    pub name: String,
    /// Its address.
    pub at: u32,
    /// The register that holds the text's address.
    pub text: String,
    /// The cell that ends the text.
    pub end: u64,
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
    /// The input of the processor that its interrupt line goes to.
    pub interrupt: Option<Input>,
    /// The frequency at its clock pins in Hz, where that is not the processor's.
    pub clock: Option<u64>,
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

/// The keys of a keypad with which a program is keyed in; digits are keys of their own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keying {
    /// The digits behind it choose an address.
    pub address: String,
    /// The digits behind it change the cell.
    pub data: String,
    /// The next cell.
    pub next: String,
    /// Starts the program at the address.
    pub start: String,
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
            clock: 1_000_000,
            unmapped: Unmapped::Float,
            load: 0,
            firmware: None,
            memory: vec![Area { kind: MemoryKind::Ram, first: 0, last: set.last_address(), name: None }],
            chips: vec![],
            lamps: vec![],
            buttons: vec![],
            digits: vec![],
            keypads: vec![],
            jumpers: vec![],
            stepper: None,
            keying: None,
            console: None,
            keys: vec![],
            services: vec![],
        }
    }

    /// Leaves a memory or a jumper out that has a name, as it is taken from its socket.
    ///
    /// # Errors
    /// A sentence that names those that can be left out.
    pub fn leave_out(&mut self, name: &str) -> Result<(), String> {
        let before = self.memory.len() + self.jumpers.len();
        self.memory.retain(|area| area.name.as_deref() != Some(name));
        self.jumpers.retain(|jumper| jumper.0 != name);
        if self.memory.len() + self.jumpers.len() < before {
            return Ok(());
        }
        let names = self.memory.iter().filter_map(|area| area.name.as_deref());
        let names: Vec<&str> = names.chain(self.jumpers.iter().map(|jumper| jumper.0.as_str())).collect();
        let have = if names.is_empty() { "nothing".to_string() } else { names.join(", ") };
        Err(format!("the board {} has no `{name}` to leave out; it can do without {have}", self.name))
    }

    /// Reads a description. Spans of the diagnostics point into `text` as source 0.
    ///
    /// # Errors
    /// Everything that is wrong with it.
    pub fn parse(text: &str) -> Result<Self, Vec<Diagnostic>> {
        let description: Description = toml::from_str(text).map_err(|error| vec![toml_error(&error)])?;
        let mut check = Check::default();
        let board = check.board(description);
        if check.errors.is_empty() { board.ok_or_else(Vec::new) } else { Err(check.errors) }
    }
}

/// A TOML error as a diagnostic, with the nearest known field where one is unknown.
pub(crate) fn toml_error(error: &toml::de::Error) -> Diagnostic {
    let span = error.span().unwrap_or_default();
    let message = error.message();
    let mut quoted = message.split('`').skip(1).step_by(2);
    let help = match (message.starts_with("unknown field"), quoted.next()) {
        (true, Some(unknown)) => match nearest(unknown, quoted.clone()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("the fields here are {}", quoted.collect::<Vec<_>>().join(", ")),
        },
        _ => "docs/boards.md describes every field with an example".to_string(),
    };
    let first_line = message.lines().next().unwrap_or("this is no TOML");
    Diagnostic::error("toml", span_of(&span), first_line.to_string(), help)
}

fn span_of(range: &Range<usize>) -> Span {
    Span { source: 0, start: range.start as u32, end: range.end as u32 }
}

#[derive(Default)]
struct Check {
    errors: Vec<Diagnostic>,
}

impl Check {
    fn wrong(&mut self, range: Range<usize>, message: impl Into<String>, help: impl Into<String>) {
        self.errors.push(Diagnostic::error("board", span_of(&range), message, help));
    }

    fn number(&mut self, value: &Spanned<i64>, last: i64, what: &str) -> u32 {
        let number = *value.get_ref();
        if !(0..=last).contains(&number) {
            let message = format!("{what} {number} is out of range");
            self.wrong(value.span(), message, format!("give 0 to {last} (0x{last:X})"));
            return 0;
        }
        number as u32
    }

    fn board(&mut self, description: Description) -> Option<Board> {
        let version = *description.version.get_ref();
        if version != VERSION {
            let message = format!("version {version} of the board description is unknown");
            self.wrong(description.version.span(), message, format!("this is version {VERSION}"));
        }
        let name = description.name.get_ref().clone();
        let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        if name.is_empty() || !name.chars().all(plain) {
            let message = format!("`{name}` is no name for a board");
            self.wrong(description.name.span(), message, "use small letters, digits and hyphens");
        }
        let set = match processor::find(description.processor.get_ref()) {
            Ok(set) => set,
            Err(error) => {
                self.wrong(description.processor.span(), error.to_string(), "choose one of them");
                return None;
            }
        };
        let clock = *description.clock.get_ref();
        if !(1..=1_000_000_000).contains(&clock) {
            let message = format!("a clock of {clock} Hz");
            self.wrong(description.clock.span(), message, "give the frequency in Hz, such as 3_072_000");
        }
        let last = i64::from(set.last_address());
        let load = description.load.as_ref().map_or(0, |load| self.number(load, last, "the load address"));
        let memory = self.memory(&description.memory, last);
        let chips = self.chips(description.chip, set, &memory);
        let keypads = self.keypads(description.keypad, &chips);
        let jumpers = self.jumpers(description.jumper, &keypads);
        Some(Board {
            name,
            title: description.title,
            set,
            clock: clock.max(1) as u64,
            unmapped: description.unmapped,
            load,
            firmware: description
                .firmware
                .map(|firmware| Firmware { source: firmware.source, ready: firmware.ready }),
            memory,
            lamps: self.pins(description.lamp, &chips, true),
            buttons: self.pins(description.button, &chips, false),
            digits: self.digits(description.digits, &chips),
            keying: description.keying.map(|keying| self.keying(keying, &keypads)),
            keypads,
            jumpers,
            stepper: description.step.and_then(|step| self.stepper(&step, &chips, set)),
            console: description.console.map(|console| self.console(&console, clock, &chips)),
            chips,
            keys: self.keys(description.key, set),
            services: self.services(description.service, set),
        })
    }

    fn memory(&mut self, list: &[Spanned<MemoryDescription>], last_address: i64) -> Vec<Area> {
        let mut areas: Vec<(Area, Range<usize>)> = Vec::new();
        for entry in list {
            let MemoryDescription { kind, first, last, ref name } = *entry.get_ref();
            if first < 0 || last > last_address || first > last {
                let message = format!("memory from {first} to {last} is no stretch of addresses");
                let help = format!("`first` is the lower one, and the last address is 0x{last_address:X}");
                self.wrong(entry.span(), message, help);
                continue;
            }
            let name = name.clone();
            let area = Area { kind, first: first as u32, last: last as u32, name };
            let clash = areas.iter().find(|(other, _)| other.first <= area.last && area.first <= other.last);
            if let Some((other, place)) = clash {
                let first = area.first.max(other.first);
                let message = format!("two memories claim the address {}", set_hex(first));
                let error =
                    Diagnostic::error("board", span_of(&entry.span()), message, "shorten one of them");
                self.errors.push(error.with_label(span_of(place), "the other one"));
                continue;
            }
            areas.push((area, entry.span()));
        }
        if list.is_empty() {
            self.wrong(0..0, "the board has no memory", "add a [[memory]] entry");
        }
        areas.into_iter().map(|(area, _)| area).collect()
    }

    fn chips(
        &mut self,
        list: Vec<Spanned<ChipDescription>>,
        set: &'static InstructionSet,
        memory: &[Area],
    ) -> Vec<ChipPlace> {
        let mut places: Vec<ChipPlace> = Vec::new();
        for entry in list {
            let span = entry.span();
            let chip = entry.into_inner();
            let part = chip.part.get_ref().clone();
            let Some(known) = chip::part(&part) else {
                let names: Vec<&str> = PARTS.iter().map(|part| part.name).collect();
                let help = format!("the parts are {}", names.join(", "));
                self.wrong(chip.part.span(), format!("there is no chip `{part}` here"), help);
                continue;
            };
            self.needs(known, &chip, &span);
            let at = self.chip_place(known, &chip, span.clone(), set, memory);
            let overlaps = |other: &&ChipPlace| match (at, other.at) {
                (ChipAt::Port(one), ChipAt::Port(two)) => one == two,
                (ChipAt::Memory { first, last }, ChipAt::Memory { first: from, last: to }) => {
                    first <= to && from <= last
                }
                _ => false,
            };
            let name = chip.name.get_ref().clone();
            if let Some(other) = places.iter().find(overlaps) {
                let what = if matches!(at, ChipAt::Port(_)) { "port" } else { "address" };
                let first = at.first().max(other.at.first());
                let message = format!("the {what} {} belongs to `{}` already", set_hex(first), other.name);
                self.wrong(span, message, format!("give one of them another {what}"));
            } else if places.iter().any(|other| other.name == name) {
                self.wrong(span, format!("there are two chips `{name}`"), "give one another name");
            }
            let interrupt = chip.interrupt.as_ref().and_then(|input| self.input(input, set));
            let clock = chip.clock.as_ref().map(|clock| match *clock.get_ref() {
                hz @ 1..=1_000_000_000 => hz as u64,
                hz => {
                    self.wrong(clock.span(), format!("a clock of {hz} Hz"), "give the frequency in Hz");
                    1
                }
            });
            places.push(ChipPlace { part, name, at, wiring: chip.wiring, interrupt, clock });
        }
        places
    }

    /// What the part must have, and what it has no use for.
    fn needs(&mut self, part: &Part, chip: &ChipDescription, span: &Range<usize>) {
        let wanted = [
            (part.needs == Needs::Wiring, chip.wiring.is_some(), "wiring", "wiring = \"lamps\""),
            (part.needs == Needs::Clock, chip.clock.is_some(), "clock", "clock = 153_600"),
        ];
        for (needs, has, field, example) in wanted {
            if needs && !has {
                let message = format!("the chip {} needs the field `{field}`", part.name);
                self.wrong(span.clone(), message, format!("add a line such as {example}"));
            } else if has && !needs {
                let message = format!("the chip {} has no use for the field `{field}`", part.name);
                self.wrong(span.clone(), message, "remove it");
            }
        }
    }

    fn chip_place(
        &mut self,
        part: &Part,
        chip: &ChipDescription,
        span: Range<usize>,
        set: &InstructionSet,
        memory: &[Area],
    ) -> ChipAt {
        match (&chip.port, &chip.first, &chip.last) {
            (Some(port), None, None) => ChipAt::Port(self.number(port, 0xFF, "the port")),
            (None, Some(from), to) => {
                let top = i64::from(set.last_address());
                let first = self.number(from, top, "the address");
                let own = (first + part.registers - 1).min(set.last_address());
                let last = to.as_ref().map_or(own, |to| self.number(to, top, "the address"));
                if last < first {
                    self.wrong(span, "`last` is below `first`", "exchange them");
                } else if let Some(area) = memory.iter().find(|area| area.first <= last && first <= area.last)
                {
                    let address = set_hex(first.max(area.first));
                    let message = format!("memory and a chip claim the address {address}");
                    self.wrong(span, message, "end the memory before the chip, or begin it behind");
                }
                ChipAt::Memory { first, last: last.max(first) }
            }
            _ => {
                let help = "write `port = 0x10`, or `first = 0x7F00` and `last` for a stretch of memory";
                self.wrong(span, "the chip wants either a port or memory addresses", help);
                ChipAt::Port(0)
            }
        }
    }

    /// An interrupt input by its name.
    fn input(&mut self, wanted: &Spanned<String>, set: &'static InstructionSet) -> Option<Input> {
        let name = wanted.get_ref().to_uppercase().replace(' ', "");
        let found = set.inputs.iter().find(|input| **input == name);
        if found.is_none() {
            let message = format!("the {} has no interrupt input `{name}`", set.name);
            self.wrong(wanted.span(), message, format!("its inputs are {}", set.inputs.join(", ")));
        }
        found.map(|name| Input { name, level: set.level_input == Some(*name) })
    }

    /// A pin, written `CHIP.PB7`.
    fn wire(&mut self, wanted: &str, span: Range<usize>, chips: &[ChipPlace]) -> Option<Wire> {
        let found = wanted.split_once('.').and_then(|(chip, pin)| {
            let chip = chips.iter().position(|place| place.name == chip)?;
            let ports = chip::part(&chips[chip].part)?.ports;
            let (port, bit) = pin.split_at_checked(pin.len().checked_sub(1)?)?;
            let port = ports.iter().position(|one| one.eq_ignore_ascii_case(port))? as u8;
            let bit = bit.parse().ok().filter(|bit| *bit < 8)?;
            Some(Wire { chip, pin: Pin { port, bit } })
        });
        if found.is_none() {
            let ports = chips.iter().flat_map(|place| {
                let ports = chip::part(&place.part).map_or(&[][..], |part| part.ports);
                ports.iter().map(|port| format!("{}.{port}0 to {port}7", place.name))
            });
            let list: Vec<String> = ports.collect();
            let help = if list.is_empty() {
                "it has no chip with pins; add a 6522 or a 6532".to_string()
            } else {
                format!("its pins are {}", list.join(", "))
            };
            self.wrong(span, format!("`{wanted}` is no pin of this board"), help);
        }
        found
    }

    fn wires(&mut self, wanted: &Spanned<Vec<String>>, chips: &[ChipPlace]) -> Vec<Wire> {
        wanted.get_ref().iter().filter_map(|pin| self.wire(pin, wanted.span(), chips)).collect()
    }

    fn digits(&mut self, list: Vec<DigitsDescription>, chips: &[ChipPlace]) -> Vec<DigitsPlace> {
        let mut places = Vec::new();
        for DigitsDescription { name, segments, select, count } in list {
            // A whole port: `CHIP.PA` stands for its eight pins.
            let first = self.wire(&format!("{}0", segments.get_ref()), segments.span(), chips);
            let pin = |wire: Wire, bit| Wire { pin: Pin { bit, ..wire.pin }, ..wire };
            let wires = first.map_or(Vec::new(), |wire| (0..8).map(|bit| pin(wire, bit)).collect());
            let select = self.wires(&select, chips);
            let most = 1 << select.len().min(4);
            if !(1..=most).contains(count.get_ref()) {
                let message =
                    format!("{} digits cannot be selected by {} pins", count.get_ref(), select.len());
                self.wrong(count.span(), message, format!("give 1 to {most}"));
            }
            places.push(DigitsPlace {
                name,
                segments: wires,
                select,
                count: (*count.get_ref()).clamp(1, 16) as usize,
            });
        }
        places
    }

    fn keypads(&mut self, list: Vec<KeypadDescription>, chips: &[ChipPlace]) -> Vec<KeypadPlace> {
        let mut places: Vec<KeypadPlace> = Vec::new();
        for KeypadDescription { name, select, rows, legends } in list {
            let (select, wires) = (self.wires(&select, chips), self.wires(&rows, chips));
            let lines = 1usize << select.len().min(8);
            if legends.get_ref().len() != wires.len() || wires.len() > 64 {
                let message = format!("{} rows of legends on {} pins", legends.get_ref().len(), wires.len());
                self.wrong(legends.span(), message, "give each row a pin, and each pin a row");
            } else if legends.get_ref().iter().any(|row| row.len() > lines) {
                let message = format!("a row has more keys than the {lines} lines of the decoder");
                self.wrong(legends.span(), message, "begin another row, or select by more pins");
            }
            let all: Vec<&String> =
                legends.get_ref().iter().flatten().filter(|legend| !legend.is_empty()).collect();
            let twice = all
                .iter()
                .enumerate()
                .find(|(at, one)| all[..*at].iter().any(|two| two.eq_ignore_ascii_case(one)));
            if let Some((_, legend)) = twice {
                self.wrong(
                    legends.span(),
                    format!("there are two keys `{legend}`"),
                    "give one another legend",
                );
            }
            places.push(KeypadPlace { name, select, rows: wires, legends: legends.into_inner() });
        }
        places
    }

    fn keying(&mut self, keying: KeyingDescription, keypads: &[KeypadPlace]) -> Keying {
        let KeyingDescription { address, data, next, start } = keying;
        let [address, data, next, start] = [address, data, next, start].map(|legend| {
            if !keypads
                .iter()
                .any(|keypad| keypad.legends.iter().flatten().any(|one| one == legend.get_ref()))
            {
                let message = format!("no keypad has a key `{}`", legend.get_ref());
                self.wrong(legend.span(), message, "name a legend that stands in `legends`");
            }
            legend.into_inner()
        });
        Keying { address, data, next, start }
    }

    fn jumpers(&mut self, list: Vec<JumperDescription>, keypads: &[KeypadPlace]) -> Vec<(String, String)> {
        let mut jumpers = Vec::new();
        for JumperDescription { name, closes } in list {
            let legends = || keypads.iter().flat_map(|keypad| keypad.legends.iter().flatten());
            if !legends().any(|legend| legend == closes.get_ref()) {
                let message = format!("no keypad has a place `{}`", closes.get_ref());
                self.wrong(closes.span(), message, "name a legend that stands in `legends`");
            }
            jumpers.push((name, closes.into_inner()));
        }
        jumpers
    }

    fn stepper(
        &mut self,
        step: &StepDescription,
        chips: &[ChipPlace],
        set: &'static InstructionSet,
    ) -> Option<Stepper> {
        let wire = self.wire(step.pin.get_ref(), step.pin.span(), chips)?;
        let input = self.input(&step.input, set)?.name;
        let last = i64::from(set.last_address());
        let [from, to] = step.except.map(|address| address.clamp(0, last) as u32);
        Some(Stepper { wire, active: step.active != Some(0), input, except: (from, to) })
    }

    /// Lamps or buttons on pins.
    fn pins(
        &mut self,
        list: Vec<Spanned<PinDescription>>,
        chips: &[ChipPlace],
        lamps: bool,
    ) -> Vec<PinPlace> {
        let mut places: Vec<PinPlace> = Vec::new();
        for entry in list {
            let span = entry.span();
            let PinDescription { name, pin: wanted, active } = entry.into_inner();
            let Some(wire) = self.wire(wanted.get_ref(), wanted.span(), chips) else { continue };
            if places.iter().any(|other| other.name == name) {
                let what = if lamps { "lamps" } else { "buttons" };
                self.wrong(span, format!("there are two {what} `{name}`"), "give one another name");
            } else if active.is_some_and(|level| !(0..=1).contains(&level)) {
                self.wrong(span, "`active` is a level, 0 or 1", "write `active = 0` or `active = 1`");
            }
            // A lamp is lit by a 1, a button gives a 0, unless the description says otherwise.
            let active = active.map_or(lamps, |level| level == 1);
            places.push(PinPlace { name, wire, active });
        }
        places
    }

    fn console(&mut self, console: &ConsoleDescription, clock: i64, chips: &[ChipPlace]) -> Console {
        let line = console.line.get_ref();
        if let Some(chip) = chips.iter().position(|place| place.name == *line && place.part == "6850") {
            if let Some(baud) = &console.baud {
                self.wrong(baud.span(), "the chip's clock and program set the speed", "remove `baud`");
            }
            return Console::Chip(chip);
        }
        if line != "sid-sod" {
            let message = format!("`{line}` is no line for a console");
            self.wrong(
                console.line.span(),
                message,
                "write line = \"sid-sod\", or the name of a serial chip",
            );
        }
        let most = (clock / 8).max(1);
        let Some(baud) = &console.baud else {
            self.wrong(console.line.span(), "this line wants a speed", "add baud = 1200");
            return Console::Line(1);
        };
        if !(1..=most).contains(baud.get_ref()) {
            let message = format!("{} baud cannot be made at this clock", baud.get_ref());
            self.wrong(baud.span(), message, format!("give 1 to {most}"));
        }
        Console::Line((*baud.get_ref()).max(1) as u64)
    }

    fn keys(&mut self, list: Vec<Spanned<KeyDescription>>, set: &'static InstructionSet) -> Vec<Key> {
        let mut keys = Vec::new();
        for entry in list {
            let KeyDescription { name, input } = entry.into_inner();
            let resets = input.get_ref().eq_ignore_ascii_case("reset");
            let input =
                if resets { None } else { self.input(&input, set).map(|input| input.name.to_string()) };
            keys.push(Key { name, input });
        }
        keys
    }
}

impl Check {
    fn services(&mut self, list: Vec<Spanned<ServiceDescription>>, set: &InstructionSet) -> Vec<Service> {
        let mut services = Vec::new();
        for entry in list {
            let service = entry.into_inner();
            let text = service.text.get_ref().to_uppercase();
            if set.register(&text).is_none() {
                let message = format!("the {} has no register `{text}`", set.name);
                self.wrong(service.text.span(), message, "name the one that holds the text's address");
            }
            let at = self.number(&service.at, i64::from(set.last_address()), "the address");
            services.push(Service {
                name: service.name,
                at,
                text,
                end: service.end as u64 & set.last_cell(),
            });
        }
        services
    }
}

fn set_hex(address: u32) -> String {
    format!("0x{address:X}")
}
