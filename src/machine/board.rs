//! Board descriptions: TOML, versioned, unknown fields refused with the nearest known one.

use super::chip::PARTS;
use super::memory::{Area, MemoryKind};
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
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct ChipDescription {
    part: Spanned<String>,
    name: String,
    port: Spanned<i64>,
    wiring: Wiring,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct ConsoleDescription {
    line: Spanned<String>,
    baud: Spanned<i64>,
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
    /// The baud rate of the console, where it has one on the serial lines.
    pub console_baud: Option<u64>,
    /// Its interrupt keys: legend and input.
    pub keys: Vec<(String, String)>,
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
    /// First port.
    pub port: u32,
    /// What is soldered to it.
    pub wiring: Wiring,
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
            memory: vec![Area { kind: MemoryKind::Ram, first: 0, last: set.last_address() }],
            chips: vec![],
            console_baud: None,
            keys: vec![],
            services: vec![],
        }
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
            memory: self.memory(&description.memory, last),
            chips: self.chips(description.chip),
            console_baud: description.console.map(|console| self.console(&console, clock)),
            keys: self.keys(description.key, set),
            services: self.services(description.service, set),
        })
    }

    fn memory(&mut self, list: &[Spanned<MemoryDescription>], last_address: i64) -> Vec<Area> {
        let mut areas: Vec<(Area, Range<usize>)> = Vec::new();
        for entry in list {
            let MemoryDescription { kind, first, last } = *entry.get_ref();
            if first < 0 || last > last_address || first > last {
                let message = format!("memory from {first} to {last} is no stretch of addresses");
                let help = format!("`first` is the lower one, and the last address is 0x{last_address:X}");
                self.wrong(entry.span(), message, help);
                continue;
            }
            let area = Area { kind, first: first as u32, last: last as u32 };
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

    fn chips(&mut self, list: Vec<Spanned<ChipDescription>>) -> Vec<ChipPlace> {
        let mut places: Vec<ChipPlace> = Vec::new();
        for entry in list {
            let span = entry.span();
            let chip = entry.into_inner();
            let part = chip.part.get_ref().clone();
            if !PARTS.contains(&part.as_str()) {
                let help = format!("the parts are {}", PARTS.join(", "));
                self.wrong(chip.part.span(), format!("there is no chip `{part}` here"), help);
            }
            let port = self.number(&chip.port, 0xFF, "the port");
            if let Some(other) = places.iter().find(|other| other.port == port) {
                let message = format!("the port {} belongs to `{}` already", set_hex(port), other.name);
                self.wrong(span, message, "give one of them another port");
            } else if places.iter().any(|other| other.name == chip.name) {
                self.wrong(span, format!("there are two chips `{}`", chip.name), "give one another name");
            }
            places.push(ChipPlace { part, name: chip.name, port, wiring: chip.wiring });
        }
        places
    }

    fn console(&mut self, console: &ConsoleDescription, clock: i64) -> u64 {
        if console.line.get_ref() != "sid-sod" {
            let message = format!("`{}` is no line for a console", console.line.get_ref());
            self.wrong(console.line.span(), message, "write line = \"sid-sod\"");
        }
        let baud = *console.baud.get_ref();
        if baud < 1 || baud > (clock / 8).max(1) {
            let message = format!("{baud} baud cannot be made at this clock");
            self.wrong(console.baud.span(), message, format!("give 1 to {}", (clock / 8).max(1)));
        }
        baud.max(1) as u64
    }

    fn keys(&mut self, list: Vec<Spanned<KeyDescription>>, set: &InstructionSet) -> Vec<(String, String)> {
        let inputs = set.inputs;
        let mut keys = Vec::new();
        for entry in list {
            let key = entry.into_inner();
            let input = key.input.get_ref().to_uppercase().replace(' ', "");
            if !inputs.contains(&input.as_str()) {
                let message = format!("the {} has no interrupt input `{input}`", set.name);
                self.wrong(key.input.span(), message, format!("its inputs are {}", inputs.join(", ")));
            }
            keys.push((key.name, input));
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
