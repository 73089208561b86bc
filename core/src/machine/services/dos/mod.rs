//! Disk services behind interrupts: the calls of programs that begin at offset 100h of a segment, or come as EXE files, on the files of a
//! [`Volume`]; and the drive with a floppy disk.
//!
//! The console calls are routines of the board's firmware; all others it hands over at its service link, between the entry of interrupt
//! 21h and its return, with every register as the program called. What comes back goes into registers and into the flags that the
//! interrupt has put on the stack. What a program finds in memory is laid out as such programs expect it: its prefix with the words
//! after its name and two file blocks, the environment, memory in blocks with a header in front of each.

mod blocks;
mod clock;
mod drive;
mod files;
mod frame;
mod memory;
mod names;
mod process;
mod search;

pub use drive::{Floppy, FloppyError};
pub use names::{CALLS, call_name};
pub use process::{LoadFault, Start};

use super::{Caller, DriveAccess, FileName, LONGEST_TAIL, Served, Service, ServiceFault, Volume, WhyNot};
use clock::Clock;
use files::Opened;
use frame::Frame;
use process::Process;
use search::Search;
use std::hash::{Hash, Hasher};

/// Which port of the service link was written.
const LINK_CALL: u8 = 0;
const LINK_END: u8 = 1;
const LINK_DRIVE: u8 = 2;

/// What a call answers where it cannot be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u16)]
enum Refused {
    Function = 1,
    File = 2,
    Path = 3,
    Handles = 4,
    Denied = 5,
    Handle = 6,
    BlocksBroken = 7,
    Memory = 8,
    Block = 9,
    Format = 11,
    Drive = 15,
    NoMoreFiles = 18,
}

/// What becomes of a call that is no answer.
enum Otherwise {
    /// The carry flag, and why in AX.
    Refused(Refused),
    /// The run ends.
    Fault(ServiceFault),
}

impl From<Refused> for Otherwise {
    fn from(refused: Refused) -> Self {
        Self::Refused(refused)
    }
}

type Answer<T = ()> = Result<T, Otherwise>;

/// The disk, the drive, and what the services remember of the programs that run.
#[derive(Debug, Clone)]
pub struct Dos {
    volume: Volume,
    floppy: Option<Floppy>,
    drive_status: u8,
    /// The programs that run, each started by the one before; the first one is the prompt.
    processes: Vec<Process>,
    /// What is open, however many handles it has.
    open: Vec<Option<Opened>>,
    searches: Vec<Search>,
    block_search: Option<Search>,
    clock: Clock,
    verifies: bool,
    breaks: bool,
    /// What the last program ended with: its code, and how.
    last: (u8, u8),
    /// The same for a program that was started from outside.
    exit_code: Option<u8>,
    access: Option<DriveAccess>,
}

impl Service for Dos {
    fn serve(&mut self, asked: u8, caller: &mut Caller<'_>) -> Served {
        let mut frame = Frame::of(caller);
        match asked {
            LINK_CALL => self.call(&mut frame),
            LINK_END => self.end(&mut frame, 0, 0),
            LINK_DRIVE => {
                self.drive(&mut frame);
                Served::GoesOn
            }
            _ => Served::Fault(fault(&frame, WhyNot::NotCovered)),
        }
    }

    fn volume(&self) -> Option<&Volume> {
        Some(&self.volume)
    }

    fn exit_code(&self) -> Option<u8> {
        self.exit_code
    }

    fn floppy(&self) -> Option<&Floppy> {
        self.floppy.as_ref()
    }

    fn drive_access(&self) -> Option<DriveAccess> {
        self.access
    }

    fn remembers(&self, mut into: &mut dyn Hasher) {
        // A disk as it was put in says nothing new.
        let written = self.floppy.as_ref().filter(|floppy| floppy.is_changed()).map(Floppy::bytes);
        (written, self.drive_status, &self.processes, &self.open).hash(&mut into);
        (&self.searches, &self.block_search, self.clock, self.verifies, self.breaks).hash(&mut into);
        (self.last, self.exit_code, self.access).hash(&mut into);
    }

    fn put_disk(&mut self, volume: Volume) -> bool {
        self.volume = volume;
        true
    }

    fn put_floppy(&mut self, floppy: Floppy) -> bool {
        self.floppy = Some(floppy);
        true
    }

    fn start(
        &mut self,
        caller: &mut Caller<'_>,
        program: &[u8],
        name: &str,
        words: &[String],
    ) -> Option<Result<Start, LoadFault>> {
        Some(self.start_from_outside(&mut Frame::of(caller), program, name, words))
    }

    fn copy(&self) -> Box<dyn Service> {
        Box::new(self.clone())
    }
}

/// A call that ends the run.
fn fault(frame: &Frame<'_, '_>, why: WhyNot) -> ServiceFault {
    let number = frame.ah();
    ServiceFault { service: "disk services", call: (number, call_name(number)), why }
}

impl Dos {
    /// Services for a disk with these files.
    pub fn new(volume: Volume) -> Self {
        Self {
            volume,
            floppy: None,
            drive_status: 0,
            processes: vec![Process::prompt()],
            open: files::devices(),
            searches: Vec::new(),
            block_search: None,
            clock: Clock::default(),
            verifies: false,
            breaks: false,
            last: (0, 0),
            exit_code: None,
            access: None,
        }
    }

    /// Does the call in AH.
    fn call(&mut self, frame: &mut Frame<'_, '_>) -> Served {
        match frame.ah() {
            0x00 => return self.end(frame, 0, 0),
            0x31 => return self.stay(frame),
            0x4C => {
                let code = frame.al();
                return self.end(frame, code, 0);
            }
            _ => {}
        }
        if let Some(writes) = self.goes_to_disk(frame) {
            self.access = Some(DriveAccess { at: frame.now(), writes, sector: None });
        }
        match self.answer(frame) {
            Ok(()) => Served::GoesOn,
            Err(Otherwise::Refused(why)) => {
                frame.set("AX", why as u16);
                frame.set_carry(true);
                Served::GoesOn
            }
            Err(Otherwise::Fault(fault)) => Served::Fault(fault),
        }
    }

    /// Whether a call writes to the disk with the files; `None` where it leaves the disk alone.
    fn goes_to_disk(&mut self, frame: &Frame<'_, '_>) -> Option<bool> {
        let number = frame.ah();
        match number {
            0x13 | 0x15..=0x17 | 0x22 | 0x28 | 0x3C | 0x41 | 0x56 => Some(true),
            0x0F..=0x12 | 0x14 | 0x21 | 0x23 | 0x27 | 0x3D | 0x4B | 0x4E | 0x4F => Some(false),
            0x3F | 0x40 => self.is_file(frame.get("BX")).then_some(number == 0x40),
            _ => None,
        }
    }

    fn answer(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let number = frame.ah();
        // Calls from 2Fh on tell by the carry flag how they went; those before leave it alone.
        if matches!(number, 0x38..=0x4B | 0x4E..=0x4F | 0x56..=0x57) {
            frame.set_carry(false);
        }
        match number {
            0x0D | 0x2E | 0x33 | 0x54 | 0x0E | 0x19 | 0x30 | 0x36 | 0x47 => self.about_disk(frame),
            0x0F..=0x17 | 0x21..=0x24 | 0x27..=0x29 => return self.block_call(frame),
            0x1A => {
                let transfer = (frame.get("DS"), frame.get("DX"));
                self.process_mut().transfer = transfer;
            }
            0x2F => {
                let (segment, offset) = self.process().transfer;
                frame.set("ES", segment);
                frame.set("BX", offset);
            }
            0x25 => {
                let vector = u32::from(frame.al()) * 4;
                let (offset, segment) = (frame.get("DX"), frame.get("DS"));
                frame.put_word_at(vector, offset);
                frame.put_word_at(vector + 2, segment);
            }
            0x35 => {
                let vector = u32::from(frame.al()) * 4;
                let (offset, segment) = (frame.word_at(vector), frame.word_at(vector + 2));
                frame.set("BX", offset);
                frame.set("ES", segment);
            }
            0x2A..=0x2D => self.clock.call(frame),
            0x39..=0x3B => return Err(Refused::Path.into()),
            0x3C..=0x46 | 0x56 | 0x57 => return self.file_call(frame),
            0x48..=0x4A => return self.memory_call(frame),
            0x4B => return self.execute(frame),
            0x4D => {
                let (code, how) = std::mem::take(&mut self.last);
                frame.set("AX", u16::from_le_bytes([code, how]));
            }
            0x4E => return self.find_first(frame),
            0x4F => return self.find_next(frame),
            0x50 => {
                let prefix = frame.get("BX");
                self.process_mut().prefix = prefix;
            }
            0x51 | 0x62 => {
                let prefix = self.process().prefix;
                frame.set("BX", prefix);
            }
            _ => return Err(Otherwise::Fault(fault(frame, WhyNot::NotCovered))),
        }
        Ok(())
    }

    /// Calls about the disk as a whole, and settings.
    fn about_disk(&mut self, frame: &mut Frame<'_, '_>) {
        match frame.ah() {
            0x2E => self.verifies = frame.al() != 0,
            0x54 => frame.set_low("AX", self.verifies.into()),
            0x33 => match frame.al() {
                0 => frame.set_low("DX", self.breaks.into()),
                1 => self.breaks = frame.get("DX") & 0xFF != 0,
                _ => frame.set_low("AX", 0xFF),
            },
            // One drive, A.
            0x0E => frame.set_low("AX", 1),
            0x19 => frame.set_low("AX", 0),
            // Version 2.10: what these calls are.
            0x30 => {
                frame.set("AX", 0x0A02);
                frame.set("BX", 0);
                frame.set("CX", 0);
            }
            0x36 => self.free_space(frame),
            0x47 => {
                // The root: an empty path.
                if frame.get("DX") & 0xFF > 1 {
                    frame.set("AX", Refused::Drive as u16);
                    frame.set_carry(true);
                } else {
                    let place = frame.at("DS", "SI");
                    frame.put(place, 0);
                }
            }
            _ => {}
        }
    }

    /// Clusters of a kilobyte.
    fn free_space(&self, frame: &mut Frame<'_, '_>) {
        if frame.get("DX") & 0xFF > 1 {
            return frame.set("AX", 0xFFFF);
        }
        let clusters = |bytes: usize| u16::try_from(bytes / 1024).unwrap_or(u16::MAX);
        frame.set("AX", 2);
        frame.set("BX", clusters(self.volume.capacity() - self.volume.used()));
        frame.set("CX", 512);
        frame.set("DX", clusters(self.volume.capacity()));
    }

    fn process(&self) -> &Process {
        self.processes.last().expect("the prompt always runs")
    }

    fn process_mut(&mut self) -> &mut Process {
        self.processes.last_mut().expect("the prompt always runs")
    }

    /// What changes the disk ends the run where the disk may only be read.
    fn writable(&self, frame: &Frame<'_, '_>) -> Answer {
        if self.volume.is_writable() {
            return Ok(());
        }
        Err(Otherwise::Fault(fault(frame, WhyNot::ReadOnly)))
    }

    /// The file that a name means: without a drive, or on the only one, in the root.
    fn file_name(path: &[u8]) -> Answer<FileName> {
        let plain = root_name(path)?;
        let text = std::str::from_utf8(plain).map_err(|_| Refused::File)?;
        Ok(FileName::of_host(text).ok_or(Refused::File)?)
    }
}

/// A path without its drive and the root's sign.
fn root_name(path: &[u8]) -> Answer<&[u8]> {
    let behind_drive = match path {
        [drive, b':', rest @ ..] if drive.eq_ignore_ascii_case(&b'A') => rest,
        [_, b':', ..] => return Err(Refused::Drive.into()),
        whole => whole,
    };
    let plain = match behind_drive {
        [b'\\' | b'/', rest @ ..] | [b'.', b'\\' | b'/', rest @ ..] => rest,
        whole => whole,
    };
    if plain.iter().any(|byte| matches!(byte, b'\\' | b'/')) {
        return Err(Refused::Path.into());
    }
    Ok(plain)
}
