//! Disk-system services: the file calls of programs that begin at 100h and call 0005h, on the files of a [`Volume`].
//!
//! The console calls are routines of the board's resident services; what they do not do themselves they hand over by writing to the
//! board's disk link. There the machine looks at the registers, does what the call says, and sets the registers of its result, all
//! between two instructions. A call is its number in C with a value in DE; the result is in A and L, its high half in B and H.

use super::volume::Full;
use super::{Caller, LONGEST_TAIL, Served, Service, ServiceFault, WhyNot};
pub use super::{FileChange, FileName, NoPlace, Volume};
use std::hash::{Hash, Hasher};

/// Where a call is, and the first control block and the transfer area of a program.
pub const CALL: u32 = 0x0005;
/// Where a program begins.
pub const PROGRAM: u32 = 0x0100;
const FIRST_BLOCK: u32 = 0x005C;
const SECOND_BLOCK: u32 = 0x006C;
const TRANSFER: u16 = 0x0080;

/// What a program wrote to the disk link.
pub(crate) const LINK_CALL: u8 = 0;
/// The program has ended.
pub(crate) const LINK_END: u8 = 1;

/// Places in a file control block.
const NAME: u32 = 1;
const EXTENT: u32 = 12;
const MODULE: u32 = 14;
const RECORDS: u32 = 15;
const NEW_NAME: u32 = 17;
const CURRENT: u32 = 32;
const RANDOM: u32 = 33;

/// Records of an extent, and extents of a module.
const EXTENT_RECORDS: usize = 128;
const MODULE_EXTENTS: usize = 32;

/// A random record beyond this is none.
const MOST_RECORDS: usize = 1 << 16;

/// What a call answers.
const DONE: u16 = 0;
const END_OF_FILE: u16 = 1;
const NO_ROOM: u16 = 2;
const BEYOND: u16 = 6;
const NOT_FOUND: u16 = 0xFF;

/// The calls by their numbers, as messages name them.
pub const CALLS: &[(u8, &str)] = &[
    (0, "system reset"),
    (1, "console input"),
    (2, "console output"),
    (3, "reader input"),
    (4, "punch output"),
    (5, "list output"),
    (6, "direct console input and output"),
    (7, "get input/output byte"),
    (8, "set input/output byte"),
    (9, "print string"),
    (10, "read console line"),
    (11, "console status"),
    (12, "version"),
    (13, "reset disk system"),
    (14, "select disk"),
    (15, "open file"),
    (16, "close file"),
    (17, "search for first"),
    (18, "search for next"),
    (19, "delete file"),
    (20, "read sequential"),
    (21, "write sequential"),
    (22, "make file"),
    (23, "rename file"),
    (24, "login vector"),
    (25, "current disk"),
    (26, "set transfer address"),
    (27, "allocation vector"),
    (28, "write protect disk"),
    (29, "read-only vector"),
    (30, "set file attributes"),
    (31, "disk parameters"),
    (32, "user number"),
    (33, "read random"),
    (34, "write random"),
    (35, "file size"),
    (36, "set random record"),
    (37, "reset drive"),
    (40, "write random with zero fill"),
];

/// The name of a call.
pub const fn call_name(number: u8) -> &'static str {
    let mut at = 0;
    while at < CALLS.len() {
        if CALLS[at].0 == number {
            return CALLS[at].1;
        }
        at += 1;
    }
    "unknown"
}

/// A call that ends the run.
pub const fn fault(number: u8, why: WhyNot) -> ServiceFault {
    ServiceFault { service: "disk system", call: (number, call_name(number)), why }
}

/// A disk in a machine, and what its services remember between calls.
#[derive(Debug, Clone)]
pub struct Disk {
    /// Its files.
    pub volume: Volume,
    transfer: u16,
    /// What a search goes on with: the pattern and how many entries were told.
    search: Option<([u8; 11], u8, usize)>,
}

impl Service for Disk {
    fn serve(&mut self, asked: u8, caller: &mut Caller<'_>) -> Served {
        match asked {
            LINK_CALL => self.call(caller).err().map_or(Served::GoesOn, Served::Fault),
            LINK_END => Served::Ended,
            _ => Served::Fault(fault(0, WhyNot::Direct)),
        }
    }

    fn volume(&self) -> Option<&Volume> {
        Some(&self.volume)
    }

    fn remembers(&self, mut into: &mut dyn Hasher) {
        (self.transfer, self.search).hash(&mut into);
    }

    fn copy(&self) -> Box<dyn Service> {
        Box::new(self.clone())
    }
}

impl Disk {
    /// A disk with these files.
    pub fn new(volume: Volume) -> Self {
        Self { volume, transfer: TRANSFER, search: None }
    }

    /// Does the call that the registers hold.
    fn call(&mut self, caller: &mut Caller<'_>) -> Result<(), ServiceFault> {
        let number = caller.register("C") as u8;
        let value = (caller.register("D") << 8 | caller.register("E")) as u16;
        let [low, high] = self.answer(caller, number, value)?.to_le_bytes();
        for (name, value) in [("A", low), ("L", low), ("B", high), ("H", high)] {
            caller.set_register(name, value.into());
        }
        Ok(())
    }

    fn answer(&mut self, caller: &mut Caller<'_>, number: u8, value: u16) -> Result<u16, ServiceFault> {
        let changes = matches!(number, 19 | 21 | 22 | 23 | 30 | 34 | 40);
        if changes && !self.volume.is_writable() {
            return Err(fault(number, WhyNot::ReadOnly));
        }
        let block = Block { caller, at: value.into() };
        Ok(match number {
            13 => {
                self.transfer = TRANSFER;
                DONE
            }
            14 => {
                if value & 0xFF == 0 {
                    DONE
                } else {
                    NOT_FOUND
                }
            }
            15 => self.open(block),
            16 => {
                if let Some(name) = block.file(&self.volume) {
                    self.volume.close(name);
                    DONE
                } else {
                    NOT_FOUND
                }
            }
            17 => {
                self.search = Some((block.pattern(), block.get(EXTENT), 0));
                self.find_next(caller)
            }
            18 => self.find_next(caller),
            19 => self.delete(&block),
            20 => self.read_next(block),
            21 => self.write_next(block),
            22 => self.make(block),
            23 => self.rename(&block),
            24 => 1,
            25 => DONE,
            26 => {
                self.transfer = value;
                DONE
            }
            29 => u16::from(!self.volume.is_writable()),
            30 => {
                if block.file(&self.volume).is_some() {
                    DONE
                } else {
                    NOT_FOUND
                }
            }
            32 => DONE,
            33 => self.read_random(block),
            34 | 40 => self.write_random(block),
            35 => self.size(block),
            36 => {
                let mut block = block;
                let record = block.record();
                block.set_random(record);
                DONE
            }
            37 => DONE,
            _ => return Err(fault(number, WhyNot::NotCovered)),
        })
    }

    fn open(&mut self, mut block: Block<'_, '_>) -> u16 {
        let pattern = block.pattern();
        let Some(name) = self.volume.names().find(|name| name.fits(pattern)) else { return NOT_FOUND };
        if !block.is_own_drive() {
            return NOT_FOUND;
        }
        block.set_name(name);
        block.set(MODULE, 0);
        block.fit_extent(&self.volume, name);
        DONE
    }

    fn make(&mut self, mut block: Block<'_, '_>) -> u16 {
        let Some(name) = block.name().filter(|_| block.is_own_drive()) else { return NOT_FOUND };
        self.volume.make(name);
        for place in [EXTENT, MODULE, RECORDS] {
            block.set(place, 0);
        }
        DONE
    }

    fn delete(&mut self, block: &Block<'_, '_>) -> u16 {
        let pattern = block.pattern();
        let names: Vec<FileName> = self.volume.names().filter(|name| name.fits(pattern)).collect();
        for &name in &names {
            self.volume.remove(name);
        }
        if names.is_empty() { NOT_FOUND } else { DONE }
    }

    fn rename(&mut self, block: &Block<'_, '_>) -> u16 {
        let new = FileName::of_block(block.eleven(NEW_NAME));
        match (block.file(&self.volume), new) {
            (Some(old), Some(new)) if self.volume.rename(old, new) => DONE,
            _ => NOT_FOUND,
        }
    }

    /// The next entry of a search goes to the transfer area as the directory would have it.
    fn find_next(&mut self, caller: &mut Caller<'_>) -> u16 {
        let Some((pattern, extent, told)) = self.search else { return NOT_FOUND };
        let every = extent == b'?';
        let fitting = self.volume.names().filter(|name| name.fits(pattern));
        let mut entries = fitting.flat_map(|name| {
            let records = self.volume.records(name).unwrap_or(0);
            let extents = records.div_ceil(EXTENT_RECORDS).max(1);
            let wanted = if every { 0..extents } else { usize::from(extent)..usize::from(extent) + 1 };
            wanted.filter(move |&extent| extent < extents).map(move |extent| (name, extent, records))
        });
        let Some((name, extent, records)) = entries.nth(told) else { return NOT_FOUND };
        let mut entry = [0; 32];
        entry[1..12].copy_from_slice(&name.bytes());
        entry[12] = (extent % MODULE_EXTENTS) as u8;
        entry[14] = (extent / MODULE_EXTENTS) as u8;
        entry[15] = (records - extent * EXTENT_RECORDS).min(EXTENT_RECORDS) as u8;
        // Blocks of 16K that belong to it: which ones is nobody's business, but none would mean an empty file.
        entry[16] = u8::from(entry[15] > 0);
        for (at, byte) in entry.into_iter().enumerate() {
            caller.put(u32::from(self.transfer.wrapping_add(at as u16)), byte.into());
        }
        if let Some(search) = &mut self.search {
            search.2 += 1;
        }
        0
    }

    fn read_record(&self, block: &mut Block<'_, '_>, name: FileName, record: usize) -> bool {
        let Some(data) = self.volume.read(name, record) else { return false };
        for (at, byte) in data.into_iter().enumerate() {
            block.caller.put(u32::from(self.transfer.wrapping_add(at as u16)), byte.into());
        }
        true
    }

    fn write_record(&mut self, block: &mut Block<'_, '_>, name: FileName, record: usize) -> u16 {
        let data = std::array::from_fn(|at| {
            block.caller.cell(u32::from(self.transfer.wrapping_add(at as u16))) as u8
        });
        match self.volume.write(name, record, &data) {
            Ok(true) => DONE,
            Ok(false) => NOT_FOUND,
            Err(Full) => NO_ROOM,
        }
    }

    fn read_next(&mut self, mut block: Block<'_, '_>) -> u16 {
        let Some(name) = block.file(&self.volume) else { return NOT_FOUND };
        let record = block.record();
        if !self.read_record(&mut block, name, record) {
            return END_OF_FILE;
        }
        block.set_record(record + 1);
        block.fit_extent(&self.volume, name);
        DONE
    }

    fn write_next(&mut self, mut block: Block<'_, '_>) -> u16 {
        let Some(name) = block.file(&self.volume) else { return NOT_FOUND };
        let record = block.record();
        let result = self.write_record(&mut block, name, record);
        if result == DONE {
            block.set_record(record + 1);
            block.fit_extent(&self.volume, name);
        }
        result
    }

    fn read_random(&mut self, mut block: Block<'_, '_>) -> u16 {
        let (name, record) = match (block.file(&self.volume), block.random()) {
            (Some(name), Some(record)) => (name, record),
            (None, _) => return NOT_FOUND,
            (_, None) => return BEYOND,
        };
        block.set_record(record);
        block.fit_extent(&self.volume, name);
        if self.read_record(&mut block, name, record) { DONE } else { END_OF_FILE }
    }

    fn write_random(&mut self, mut block: Block<'_, '_>) -> u16 {
        let (name, record) = match (block.file(&self.volume), block.random()) {
            (Some(name), Some(record)) => (name, record),
            (None, _) => return NOT_FOUND,
            (_, None) => return BEYOND,
        };
        let result = self.write_record(&mut block, name, record);
        block.set_record(record);
        block.fit_extent(&self.volume, name);
        result
    }

    fn size(&mut self, mut block: Block<'_, '_>) -> u16 {
        let Some(name) = block.file(&self.volume) else {
            block.set_random(0);
            return NOT_FOUND;
        };
        block.set_random(self.volume.records(name).unwrap_or(0));
        DONE
    }
}

/// A file control block in the machine's memory.
struct Block<'c, 'm> {
    caller: &'c mut Caller<'m>,
    at: u32,
}

impl Block<'_, '_> {
    fn get(&self, place: u32) -> u8 {
        self.caller.cell((self.at + place) & 0xFFFF) as u8
    }

    fn set(&mut self, place: u32, value: u8) {
        self.caller.put((self.at + place) & 0xFFFF, value.into());
    }

    fn eleven(&self, place: u32) -> [u8; 11] {
        std::array::from_fn(|at| self.get(place + at as u32))
    }

    fn pattern(&self) -> [u8; 11] {
        self.eleven(NAME)
    }

    fn name(&self) -> Option<FileName> {
        FileName::of_block(self.pattern())
    }

    fn set_name(&mut self, name: FileName) {
        for (at, byte) in name.bytes().into_iter().enumerate() {
            self.set(NAME + at as u32, byte);
        }
    }

    /// There is a single drive: the current one, or the first.
    fn is_own_drive(&self) -> bool {
        matches!(self.get(0), 0 | 1 | b'?')
    }

    /// The file it names, where that exists.
    fn file(&self, volume: &Volume) -> Option<FileName> {
        self.name().filter(|name| volume.bytes(*name).is_some() && self.is_own_drive())
    }

    /// The record that comes next.
    fn record(&self) -> usize {
        let module = usize::from(self.get(MODULE) & 0x3F);
        let extent = usize::from(self.get(EXTENT) & 0x1F);
        (module * MODULE_EXTENTS + extent) * EXTENT_RECORDS + usize::from(self.get(CURRENT))
    }

    fn set_record(&mut self, record: usize) {
        let extent = record / EXTENT_RECORDS;
        self.set(CURRENT, (record % EXTENT_RECORDS) as u8);
        self.set(EXTENT, (extent % MODULE_EXTENTS) as u8);
        self.set(MODULE, (extent / MODULE_EXTENTS) as u8 & 0x3F);
    }

    /// How many records the file has in the extent.
    fn fit_extent(&mut self, volume: &Volume, name: FileName) {
        let before = self.record() / EXTENT_RECORDS * EXTENT_RECORDS;
        let records = volume.records(name).unwrap_or(0).saturating_sub(before);
        self.set(RECORDS, records.min(EXTENT_RECORDS) as u8);
    }

    fn random(&self) -> Option<usize> {
        let number = u32::from_le_bytes([self.get(RANDOM), self.get(RANDOM + 1), self.get(RANDOM + 2), 0]);
        Some(number as usize).filter(|&record| record < MOST_RECORDS)
    }

    fn set_random(&mut self, record: usize) {
        let bytes = (record as u32).to_le_bytes();
        for (at, byte) in bytes[..3].iter().enumerate() {
            self.set(RANDOM + at as u32, *byte);
        }
    }
}

/// The cells of page zero that tell a program what was typed after its name: two control blocks and the rest of the line.
pub fn command_line(arguments: &[String]) -> Vec<(u32, Vec<u8>)> {
    let tail: String = arguments.iter().map(|word| format!(" {}", word.to_ascii_uppercase())).collect();
    // One byte tells its length, and a zero ends it.
    let tail: Vec<u8> = tail.bytes().filter(u8::is_ascii).take(LONGEST_TAIL).collect();
    let block = |argument: Option<&String>| {
        let mut block = vec![0u8; 16];
        block[1..12].fill(b' ');
        let Some(argument) = argument else { return block };
        let upper = argument.to_ascii_uppercase();
        let (drive, name) = match upper.split_once(':') {
            Some((drive, name)) if drive.len() == 1 => (drive.bytes().next(), name),
            _ => (None, upper.as_str()),
        };
        block[0] = drive.filter(u8::is_ascii_uppercase).map_or(0, |drive| drive - b'A' + 1);
        let (stem, ending) = name.split_once('.').unwrap_or((name, ""));
        for (part, place, width) in [(stem, 1, 8), (ending, 9, 3)] {
            let mut bytes = part.bytes();
            for at in 0..width {
                match bytes.next() {
                    // A star stands for question marks up to the end of its part.
                    Some(b'*') => {
                        block[place + at..place + width].fill(b'?');
                        break;
                    }
                    Some(byte) => block[place + at] = byte,
                    None => break,
                }
            }
        }
        block
    };
    let mut line = vec![tail.len() as u8];
    line.extend(&tail);
    line.push(0);
    // The second block overlaps the end of the first, which opening fills: programs copy it away first.
    vec![
        (FIRST_BLOCK, block(arguments.first())),
        (SECOND_BLOCK, block(arguments.get(1))),
        (FIRST_BLOCK + CURRENT, vec![0; 4]),
        (u32::from(TRANSFER), line),
    ]
}
