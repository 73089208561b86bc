//! What a program may call by name on a board: the registers of its chips, its ports, the firmware's routines, and places in memory
//! that mean something to the firmware or the processor.

use super::{Board, ChipAt, DiskServices};
use crate::machine::chip;
use serde::Serialize;

/// A name that a board gives.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct BoardName {
    /// The name, in small letters: `via.ddrb`, `lamps`, `print`.
    pub name: String,
    /// An address, or a port.
    pub value: u32,
    /// What it names.
    pub what: NameKind,
    /// What is there, in a few words.
    pub does: String,
}

/// What a board's name names.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum NameKind {
    /// A register of a chip in memory, or the first of them.
    Register,
    /// A port, or a device of a word machine.
    Port,
    /// A routine of the firmware.
    Call,
    /// A place in memory.
    Place,
    /// Where the processor finds the address of a routine.
    Vector,
}

impl NameKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            NameKind::Register => "register",
            NameKind::Port => "port",
            NameKind::Call => "call",
            NameKind::Place => "place",
            NameKind::Vector => "vector",
        }
    }
}

/// A name as a source may have it: `disk link` is `disk_link`.
fn spelt(name: &str) -> String {
    let letter = |c: char| if c.is_ascii_alphanumeric() || c == '_' { c.to_ascii_lowercase() } else { '_' };
    name.chars().map(letter).collect()
}

impl Board {
    /// The same names with their values, as an assembler takes them.
    pub fn symbols(&self) -> Vec<(String, i64)> {
        self.names().into_iter().map(|one| (one.name, one.value.into())).collect()
    }

    /// The names that it gives to programs. Where two are the same, the first one counts.
    pub fn names(&self) -> Vec<BoardName> {
        let mut names = Vec::new();
        let mut add = |name: String, value: u32, what: NameKind, does: String| {
            if !names.iter().any(|one: &BoardName| one.name == name) {
                names.push(BoardName { name, value, what, does });
            }
        };
        for call in &self.services {
            add(spelt(&call.name), call.at, NameKind::Call, call.does.clone());
        }
        for place in &self.places {
            add(place.name.to_lowercase(), place.at, NameKind::Place, place.does.clone());
        }
        if let Some(DiskServices::Source(_)) = self.disk {
            add("system".to_string(), 5, NameKind::Call, "the disk system: a call by C and DE".to_string());
        }
        for &(name, at) in self.set.interrupts.pointers {
            let does = format!("the address that {name} goes to");
            add(format!("vector.{}", name.to_lowercase()), at, NameKind::Vector, does);
        }
        for chip in &self.chips {
            let Some(part) = chip::part(&chip.part) else { continue };
            let name = spelt(&chip.name);
            let (first, what) = match chip.at {
                ChipAt::Port(first) => (first, NameKind::Port),
                ChipAt::Memory { first, .. } => (first, NameKind::Register),
            };
            add(name.clone(), first, what, part.title.to_string());
            for (offset, registers) in part.names {
                for register in registers.split('/') {
                    add(format!("{name}.{}", spelt(register)), first + offset, what, String::new());
                }
            }
        }
        names
    }
}
