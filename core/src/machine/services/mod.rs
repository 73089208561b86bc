//! What a board's firmware asks the machine to do for it, by a door among its chips.
//!
//! To add a service: a file here that implements [`Service`]. Whoever opens the board puts it in by
//! [`Machine::install`](super::Machine::install).

pub mod dos;
mod name;
pub mod transient;
mod volume;

pub use name::FileName;
pub use volume::{FileChange, NoPlace, Volume};

use super::cores::Core;
use crate::image::Cell;
use crate::processor::InstructionSet;
use dos::{Floppy, LoadFault, Start};
use serde::Serialize;
use std::fmt::Debug;
use std::hash::Hasher;

/// What stands after a program's name has so many characters at most: a byte tells how many, a last one ends them.
pub const LONGEST_TAIL: usize = 126;

/// Does what a program asks for, between two instructions.
pub trait Service: Debug + Send {
    /// Does what was asked: what was written to the door, with the registers and the memory of the program.
    fn serve(&mut self, asked: u8, caller: &mut Caller<'_>) -> Served;
    /// The files that it works on.
    fn volume(&self) -> Option<&Volume> {
        None
    }
    /// What the program ended with that was started from outside.
    fn exit_code(&self) -> Option<u8> {
        None
    }
    /// The floppy disk in its drive.
    fn floppy(&self) -> Option<&Floppy> {
        None
    }
    /// Other files in place of those it works on. False where it has none.
    fn put_disk(&mut self, _volume: Volume) -> bool {
        false
    }
    /// What its drive did last.
    fn drive_access(&self) -> Option<DriveAccess> {
        None
    }
    /// Everything that it remembers between calls, but for the files of its disk.
    fn remembers(&self, into: &mut dyn Hasher);
    /// Puts a floppy disk into its drive. False where it has none.
    fn put_floppy(&mut self, _floppy: Floppy) -> bool {
        false
    }
    /// Puts a program into memory, by the bytes of its file, its name and the words after that, and gives it the machine. `None` where
    /// the service starts none.
    fn start(
        &mut self,
        _caller: &mut Caller<'_>,
        _program: &[u8],
        _name: &str,
        _words: &[String],
    ) -> Option<Result<Start, LoadFault>> {
        None
    }
    /// A copy, for going back to an earlier state.
    fn copy(&self) -> Box<dyn Service>;
}

impl Clone for Box<dyn Service> {
    fn clone(&self) -> Self {
        self.copy()
    }
}

/// What a drive did last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct DriveAccess {
    /// The cycle.
    pub at: u64,
    /// Whether something was written.
    pub writes: bool,
    /// Track, side and sector of a floppy disk; none for the disk with the files.
    pub sector: Option<(u16, u8, u8)>,
}

/// What becomes of the program that asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Served {
    /// It goes on.
    GoesOn,
    /// It has ended.
    Ended,
    /// What it asked for cannot be done; the run ends.
    Fault(ServiceFault),
}

/// Why a call ends the run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct ServiceFault {
    /// What the service is called in a message: `disk system`.
    pub service: &'static str,
    /// The number of the call and its name.
    pub call: (u8, &'static str),
    /// What is wrong with it.
    pub why: WhyNot,
}

/// What is wrong with a call.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum WhyNot {
    /// The service does not have it.
    NotCovered,
    /// It changes what may only be read.
    ReadOnly,
    /// It goes past the calls, for the device itself.
    Direct,
}

impl std::fmt::Display for ServiceFault {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { service, call: (number, name), why } = self;
        match why {
            WhyNot::NotCovered => write!(f, "the {service} has no call {number} ({name}) here"),
            WhyNot::ReadOnly => write!(
                f,
                "call {number} ({name}) changes the disk, which may only be read; --writable allows it"
            ),
            WhyNot::Direct => {
                f.write_str("the program goes for the disk drive itself; only the file calls are here")
            }
        }
    }
}

impl std::error::Error for ServiceFault {}

/// The program that asks: its registers and its memory.
pub struct Caller<'m> {
    pub(super) core: &'m mut dyn Core,
    /// The cells that were set, each with its value before and after, where somebody wants to know.
    pub(super) put: Option<Vec<(u32, (Cell, Cell))>>,
}

impl Caller<'_> {
    /// The cycle.
    pub fn now(&self) -> u64 {
        self.core.now()
    }

    /// The processor's instruction set.
    pub fn set(&self) -> &'static InstructionSet {
        self.core.set()
    }

    /// A register by its name; 0 where there is none.
    pub fn register(&self, name: &str) -> u64 {
        self.set().register(name).map_or(0, |place| self.core.register(place))
    }

    /// Sets a register by its name; bits that do not exist are dropped.
    pub fn set_register(&mut self, name: &str, value: u64) {
        if let Some(place) = self.set().register(name) {
            self.core.set_register(place, value);
        }
    }

    /// The cell at an address.
    pub fn cell(&self, address: u32) -> Cell {
        self.core.cell(address)
    }

    /// Sets a cell. False where no memory is.
    pub fn put(&mut self, address: u32, value: Cell) -> bool {
        let before = if self.put.is_some() { self.core.cell(address) } else { 0 };
        let is_put = self.core.put(address, value);
        if let Some(put) = self.put.as_mut().filter(|_| is_put) {
            put.push((address, (before, value)));
        }
        is_put
    }
}
