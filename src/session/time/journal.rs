//! What was done to a machine by hand, and when: with a snapshot from before enough to be there again.

use crate::image::Cell;
use crate::machine::services::Volume;
use crate::machine::services::dos::Floppy;
use crate::machine::{Event, Machine};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Something done by hand, which a replay does again. Records are made of them.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[non_exhaustive]
pub enum Act {
    /// A register gets a value.
    Register {
        /// Its name.
        name: String,
        /// The value.
        value: u64,
    },
    /// The next instruction stands at this address.
    Place(u32),
    /// Cells get values.
    Cells(Stretch),
    /// Cells get the same value.
    Fill {
        /// Address of the first.
        start: u32,
        /// How many.
        count: u32,
        /// The value.
        value: Cell,
    },
    /// The mode with the long words is chosen, or the other one.
    Mode(bool),
    /// Everything is counted from here.
    Anew,
    /// Something happens at a cycle.
    Event {
        /// The cycle, this one or a later one.
        at: u64,
        /// What happens.
        event: Event,
    },
    /// The reset key.
    Reset,
    /// The power is switched off and on.
    Power,
    /// A disk is put into the drive.
    Disk(DiskFiles),
    /// A floppy disk is put into its drive.
    Floppy {
        /// Its bytes.
        bytes: Vec<u8>,
        /// A program may change it.
        writable: bool,
    },
    /// A program of the disk is started.
    Program {
        /// The bytes of its file.
        file: Vec<u8>,
        /// Its name.
        name: String,
        /// What is typed after it.
        words: Vec<String>,
    },
}

/// Cells in a row.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Stretch {
    /// Address of the first.
    pub start: u32,
    /// Their values.
    pub cells: Vec<Cell>,
}

/// What is on a disk.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DiskFiles {
    /// A program may change it.
    pub writable: bool,
    /// Bytes that all files may have together.
    pub capacity: usize,
    /// The bytes of the files by their names.
    pub files: BTreeMap<String, Vec<u8>>,
}

impl DiskFiles {
    /// The files of a disk as somebody put it into the drive.
    pub(crate) fn of(volume: &Volume) -> Self {
        let files = volume.from_outside().map(|(name, bytes)| (name.to_string(), bytes.to_vec()));
        Self { writable: volume.is_writable(), capacity: volume.capacity(), files: files.collect() }
    }

    fn volume(&self) -> Option<Volume> {
        let mut volume = Volume::new(self.capacity, self.writable);
        self.files.iter().try_for_each(|(name, bytes)| volume.add(name, bytes.clone())).ok()?;
        Some(volume)
    }
}

impl Act {
    /// Does it. False where the machine has nothing of the kind.
    pub(in crate::session) fn on(&self, machine: &mut Machine) -> bool {
        match self {
            Self::Register { name, value } => {
                let Some(place) = machine.set().register(name) else { return false };
                machine.set_register(place, *value);
            }
            Self::Place(address) => machine.set_place(*address),
            Self::Cells(Stretch { start, cells }) => {
                return put(machine, *start, cells.len(), |at| cells[at]);
            }
            Self::Fill { start, count, value } => {
                return put(machine, *start, *count as usize, |_| *value);
            }
            Self::Mode(long) => machine.choose_mode(*long),
            Self::Anew => machine.clear_record(),
            Self::Event { at, event } => return machine.happen(*at, event.clone()),
            Self::Reset => machine.reset(),
            Self::Power => machine.power(),
            Self::Disk(disk) => {
                let Some(volume) = disk.volume() else { return false };
                machine.insert_disk(volume);
            }
            Self::Floppy { bytes, writable } => {
                let Ok(floppy) = Floppy::new(bytes.clone(), *writable) else { return false };
                return machine.insert_floppy(floppy);
            }
            Self::Program { file, name, words } => {
                return matches!(machine.start_program(file, name, words), Some(Ok(_)));
            }
        }
        true
    }
}

/// Puts so many cells into memory; false, and nothing is changed, where one of them has no place there.
fn put(machine: &mut Machine, start: u32, count: usize, cell: impl Fn(usize) -> Cell) -> bool {
    let last = machine.set().last_cell();
    let address = |at: usize| u32::try_from(u64::from(start) + at as u64).ok();
    let has_place = |at| cell(at) <= last && address(at).is_some_and(|at| machine.kind(at).is_some());
    (0..count).all(has_place) && (0..count).zip(start..).all(|(at, address)| machine.put(address, cell(at)))
}

/// What puts cells into memory, long runs of one value apart: an image of a ROM is mostly these.
pub(in crate::session) fn puts(start: u32, cells: &[Cell]) -> Vec<Act> {
    const LONG: usize = 32;
    let mut acts = Vec::new();
    let mut plain: Vec<Cell> = Vec::new();
    let mut at = start;
    let put_plain = |plain: &mut Vec<Cell>, at: u32, acts: &mut Vec<Act>| {
        if !plain.is_empty() {
            let start = at.wrapping_sub(plain.len() as u32);
            acts.push(Act::Cells(Stretch { start, cells: std::mem::take(plain) }));
        }
    };
    for run in cells.chunk_by(|one, other| one == other) {
        if run.len() < LONG {
            plain.extend(run);
        } else {
            put_plain(&mut plain, at, &mut acts);
            acts.push(Act::Fill { start: at, count: run.len() as u32, value: run[0] });
        }
        at = at.wrapping_add(run.len() as u32);
    }
    put_plain(&mut plain, at, &mut acts);
    acts
}

/// The acts since the first snapshot, each with the cycle at which it was done.
#[derive(Debug, Clone, Default)]
pub(super) struct Journal {
    acts: Vec<(u64, Act)>,
}

impl Journal {
    /// How many there are.
    pub fn count(&self) -> usize {
        self.acts.len()
    }

    pub fn note(&mut self, cycle: u64, act: Act) {
        self.acts.push((cycle, act));
    }

    /// The act of a number, with its cycle.
    pub fn get(&self, number: usize) -> Option<&(u64, Act)> {
        self.acts.get(number)
    }

    /// Takes back all from a number on.
    pub(crate) fn take_back(&mut self, from: usize) {
        self.acts.truncate(from);
    }
}
