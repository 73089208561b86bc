//! The drive with a floppy disk, interrupt 13h: reset, status, read, write, verify, parameters.

use super::{Dos, DriveAccess, Frame};
use std::sync::Arc;

/// Bytes of a sector.
const SECTOR: usize = 512;

/// What the drive answers.
const DONE: u8 = 0;
const COMMAND: u8 = 1;
const PROTECTED: u8 = 3;
const NOT_FOUND: u8 = 4;
const NO_DISK: u8 = 0x80;

/// Sizes that disks have: bytes, heads, sectors of a track, tracks.
const FORMS: [(usize, u8, u8, u8); 7] = [
    (163_840, 1, 8, 40),
    (184_320, 1, 9, 40),
    (327_680, 2, 8, 40),
    (368_640, 2, 9, 40),
    (737_280, 2, 9, 80),
    (1_228_800, 2, 15, 80),
    (1_474_560, 2, 18, 80),
];

/// A floppy disk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Floppy {
    bytes: Arc<Vec<u8>>,
    heads: u8,
    sectors: u8,
    tracks: u8,
    writable: bool,
    changed: bool,
}

/// Bytes that are no floppy disk.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{bytes} bytes are no floppy disk; one has {}", sizes())]
pub struct FloppyError {
    /// How many there are.
    pub bytes: usize,
}

fn sizes() -> String {
    let sizes: Vec<String> = FORMS.iter().map(|form| form.0.to_string()).collect();
    format!("512 (its first sector) or {}", sizes.join(", "))
}

impl Floppy {
    /// A disk of the bytes of its sectors, in order. 512 bytes are the first sector of one with 360K.
    ///
    /// # Errors
    /// [`FloppyError`] where no disk has so many.
    pub fn new(mut bytes: Vec<u8>, writable: bool) -> Result<Self, FloppyError> {
        if bytes.len() == SECTOR {
            bytes.resize(368_640, 0);
        }
        let form = FORMS.iter().find(|form| form.0 == bytes.len());
        let &(_, heads, sectors, tracks) = form.ok_or(FloppyError { bytes: bytes.len() })?;
        Ok(Self { bytes: Arc::new(bytes), heads, sectors, tracks, writable, changed: false })
    }

    /// Its bytes.
    pub fn bytes(&self) -> &Arc<Vec<u8>> {
        &self.bytes
    }

    /// True where programs may write to it.
    pub fn is_writable(&self) -> bool {
        self.writable
    }

    /// True where a program has written to it.
    pub fn is_changed(&self) -> bool {
        self.changed
    }

    /// The first byte of a sector, by track, head and number from 1.
    fn place(&self, track: u16, head: u8, sector: u8) -> Option<usize> {
        let is_there =
            track < self.tracks.into() && head < self.heads && (1..=self.sectors).contains(&sector);
        let number =
            (usize::from(track) * usize::from(self.heads) + usize::from(head)) * usize::from(self.sectors);
        is_there.then(|| (number + usize::from(sector) - 1) * SECTOR)
    }
}

impl Dos {
    /// Does what AH says with the drive in DL.
    pub(super) fn drive(&mut self, frame: &mut Frame<'_, '_>) {
        let number = frame.get("DX") as u8;
        let (done, status) = match frame.ah() {
            0 => (None, DONE),
            1 => {
                frame.set_low("AX", self.drive_status);
                let status = self.drive_status;
                frame.set("AX", u16::from_le_bytes([status, status]));
                frame.set_carry(status != 0);
                return;
            }
            _ if number != 0 => (Some(0), NO_DISK),
            2..=4 => {
                let (count, status) = self.sectors(frame);
                (Some(count), status)
            }
            8 => match &self.floppy {
                Some(disk) => {
                    frame.set("CX", u16::from_be_bytes([disk.tracks - 1, disk.sectors]));
                    frame.set("DX", u16::from_be_bytes([disk.heads - 1, 1]));
                    (Some(0), DONE)
                }
                None => (None, NO_DISK),
            },
            0x15 => {
                let kind = u8::from(self.floppy.is_some());
                frame.set("AX", u16::from(kind) << 8);
                frame.set_carry(false);
                return;
            }
            _ => (None, COMMAND),
        };
        self.drive_status = status;
        let al = done.unwrap_or(frame.al());
        frame.set("AX", u16::from_le_bytes([al, status]));
        frame.set_carry(status != DONE);
    }

    /// Reads, writes or verifies AL sectors from the one in CX and DH on; how many were done, and how it went.
    fn sectors(&mut self, frame: &mut Frame<'_, '_>) -> (u8, u8) {
        let Some(disk) = &mut self.floppy else { return (0, NO_DISK) };
        let (count, call) = (frame.al(), frame.ah());
        let [low, high] = frame.get("CX").to_le_bytes();
        let head = (frame.get("DX") >> 8) as u8;
        let track = u16::from(high) | u16::from(low >> 6) << 8;
        let (segment, mut offset) = (frame.get("ES"), frame.get("BX"));
        if call == 3 && !disk.writable {
            return (0, PROTECTED);
        }
        for done in 0..count {
            // A call stays on its track and side.
            let place = (low & 0x3F).checked_add(done).and_then(|sector| disk.place(track, head, sector));
            let Some(place) = place else { return (done, NOT_FOUND) };
            let sector = Some((track, head, (low & 0x3F) + done));
            self.access = Some(DriveAccess { at: frame.now(), writes: call == 3, sector });
            match call {
                2 => frame.put_bytes(segment, offset, &disk.bytes[place..place + SECTOR]),
                3 => {
                    let bytes = frame.bytes(segment, offset, SECTOR as u16);
                    Arc::make_mut(&mut disk.bytes)[place..place + SECTOR].copy_from_slice(&bytes);
                    disk.changed = true;
                }
                _ => {}
            }
            offset = offset.wrapping_add(SECTOR as u16);
        }
        (count, DONE)
    }
}
