//! Files by file blocks in the program's memory.
//!
//! ```text
//! 0 drive  1 name  9 ending  12 current block of 128 records  14 bytes of a record  16 bytes of the file
//! 20 date  22 time  32 current record  33 random record
//! ```
//!
//! An extended block has seven bytes in front, the first of them FFh.

use super::process::name_block;
use super::search::Search;
use super::{Answer, Dos, FileName, Frame};

const NAME: u16 = 1;
const BLOCK: u16 = 12;
const RECORD_SIZE: u16 = 14;
const SIZE: u16 = 16;
const DATE: u16 = 20;
const TIME: u16 = 22;
const CURRENT: u16 = 32;
const RANDOM: u16 = 33;
const NEW_NAME: u16 = 17;

/// What AL says.
const DONE: u8 = 0;
const AT_END: u8 = 1;
const NO_ROOM: u8 = 1;
const WRAPS: u8 = 2;
const PART: u8 = 3;
const FAILED: u8 = 0xFF;

/// A file block where DS:DX is.
#[derive(Debug, Clone, Copy)]
struct FileBlock {
    segment: u16,
    offset: u16,
    is_extended: bool,
}

impl FileBlock {
    fn of(frame: &Frame<'_, '_>) -> Self {
        let (segment, offset) = (frame.get("DS"), frame.get("DX"));
        let is_extended = frame.byte(Frame::address(segment, offset)) == 0xFF;
        Self { segment, offset: offset.wrapping_add(if is_extended { 7 } else { 0 }), is_extended }
    }

    fn place(self, at: u16) -> u32 {
        Frame::address(self.segment, self.offset.wrapping_add(at))
    }

    fn pattern(self, frame: &Frame<'_, '_>) -> [u8; 11] {
        std::array::from_fn(|at| frame.byte(self.place(NAME + at as u16)))
    }

    /// The current drive, or A.
    fn is_own_drive(self, frame: &Frame<'_, '_>) -> bool {
        matches!(frame.byte(self.place(0)), 0 | 1)
    }

    /// The record that comes next.
    fn record(self, frame: &Frame<'_, '_>) -> u32 {
        let block = frame.word_at(self.place(BLOCK));
        u32::from(block) * 128 + u32::from(frame.byte(self.place(CURRENT)))
    }

    fn set_record(self, frame: &mut Frame<'_, '_>, record: u32) {
        frame.put_word_at(self.place(BLOCK), (record / 128) as u16);
        frame.put(self.place(CURRENT), (record % 128) as u8);
    }

    fn record_size(self, frame: &Frame<'_, '_>) -> u16 {
        frame.word_at(self.place(RECORD_SIZE)).max(1)
    }

    /// The random record; its highest byte counts for records of fewer than 64 bytes only.
    fn random(self, frame: &Frame<'_, '_>) -> u32 {
        let word = |at| u32::from(frame.word_at(self.place(RANDOM + at)));
        let number = word(0) | word(2) << 16;
        if self.record_size(frame) < 64 { number } else { number & 0xFF_FFFF }
    }

    fn set_random(self, frame: &mut Frame<'_, '_>, record: u32) {
        frame.put_word_at(self.place(RANDOM), record as u16);
        frame.put(self.place(RANDOM + 2), (record >> 16) as u8);
        if self.record_size(frame) < 64 {
            frame.put(self.place(RANDOM + 3), (record >> 24) as u8);
        }
    }
}

impl Dos {
    /// Calls 0Fh to 17h, 21h to 24h, 27h to 29h.
    pub(super) fn block_call(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let number = frame.ah();
        if matches!(number, 0x13 | 0x15..=0x17 | 0x22 | 0x28) {
            self.writable(frame)?;
        }
        let block = FileBlock::of(frame);
        let al = match number {
            0x29 => parse(frame),
            _ if !block.is_own_drive(frame) => FAILED,
            0x0F => self.open_block(frame, block),
            0x10 => match self.file_of(frame, block) {
                Some(name) => {
                    self.volume.close(name);
                    DONE
                }
                None => FAILED,
            },
            0x11 => {
                let pattern = block.pattern(frame).map(|byte| byte.to_ascii_uppercase());
                // There is one search by blocks at a time.
                self.block_search = Some(Search { pattern, last: None });
                self.next_entry(frame, block)
            }
            0x12 => self.next_entry(frame, block),
            0x13 => {
                let pattern = block.pattern(frame);
                let names: Vec<FileName> = self.volume.names().filter(|name| name.fits(pattern)).collect();
                names.iter().for_each(|&name| self.volume.remove(name));
                if names.is_empty() { FAILED } else { DONE }
            }
            0x16 => match FileName::of_block(block.pattern(frame)) {
                Some(name) => {
                    let stamp = self.clock.stamp(frame);
                    self.volume.make(name);
                    self.volume.set_stamp(name, stamp);
                    self.open_block(frame, block)
                }
                None => FAILED,
            },
            0x17 => self.rename_block(frame, block),
            0x23 => match self.size_of(frame, block) {
                Some(size) => {
                    let records = size.div_ceil(block.record_size(frame).into());
                    block.set_random(frame, records);
                    DONE
                }
                None => FAILED,
            },
            0x24 => {
                let record = block.record(frame);
                block.set_random(frame, record);
                DONE
            }
            0x14 | 0x15 => {
                let record = block.record(frame);
                let (status, done) = self.records(frame, block, (record, 1), number == 0x15);
                block.set_record(frame, record + done);
                status
            }
            0x21 | 0x22 => {
                let record = block.random(frame);
                block.set_record(frame, record);
                self.records(frame, block, (record, 1), number == 0x22).0
            }
            _ => self.many_records(frame, block, number == 0x28),
        };
        frame.set_low("AX", al);
        Ok(())
    }

    fn file_of(&self, frame: &Frame<'_, '_>, block: FileBlock) -> Option<FileName> {
        FileName::of_block(block.pattern(frame)).filter(|name| self.volume.bytes(*name).is_some())
    }

    fn size_of(&self, frame: &Frame<'_, '_>, block: FileBlock) -> Option<u32> {
        let name = self.file_of(frame, block)?;
        Some(self.volume.bytes(name)?.len() as u32)
    }

    fn open_block(&mut self, frame: &mut Frame<'_, '_>, block: FileBlock) -> u8 {
        let pattern = block.pattern(frame);
        let Some(name) = self.volume.names().find(|name| name.fits(pattern)) else { return FAILED };
        frame.put_all(block.place(NAME), &name.bytes());
        frame.put(block.place(0), 1);
        frame.put_word_at(block.place(BLOCK), 0);
        frame.put_word_at(block.place(RECORD_SIZE), 128);
        self.note_size(frame, block, name);
        DONE
    }

    /// The size and the date of the file go into its block.
    fn note_size(&self, frame: &mut Frame<'_, '_>, block: FileBlock, name: FileName) {
        let size = self.volume.bytes(name).map_or(0, <[u8]>::len) as u32;
        frame.put_all(block.place(SIZE), &size.to_le_bytes());
        let (date, time) = self.volume.stamp(name);
        frame.put_word_at(block.place(DATE), date);
        frame.put_word_at(block.place(TIME), time);
    }

    fn rename_block(&mut self, frame: &Frame<'_, '_>, block: FileBlock) -> u8 {
        let (from, wanted) = (block.pattern(frame), {
            let at = |at: usize| frame.byte(block.place(NEW_NAME + at as u16));
            std::array::from_fn::<u8, 11, _>(at)
        });
        let names: Vec<FileName> = self.volume.names().filter(|name| name.fits(from)).collect();
        let mut status = if names.is_empty() { FAILED } else { DONE };
        for name in names {
            // A question mark keeps what is there.
            let own = name.bytes();
            let new = std::array::from_fn(|at| if wanted[at] == b'?' { own[at] } else { wanted[at] });
            let renamed = FileName::of_block(new).is_some_and(|new| self.volume.rename(name, new));
            if !renamed {
                status = FAILED;
            }
        }
        status
    }

    /// The next entry of the directory goes to the transfer area.
    fn next_entry(&mut self, frame: &mut Frame<'_, '_>, block: FileBlock) -> u8 {
        let Some(mut search) = self.block_search.take() else { return FAILED };
        let Some(name) = self.next_of(&search) else { return FAILED };
        search.last = Some(name);
        self.block_search = Some(search);
        let (date, time) = self.volume.stamp(name);
        let size = self.volume.bytes(name).map_or(0, <[u8]>::len) as u32;
        let mut entry = Vec::new();
        if block.is_extended {
            entry.extend([0xFF, 0, 0, 0, 0, 0, 0]);
        }
        entry.push(1);
        entry.extend(name.bytes());
        entry.push(0x20);
        entry.extend([0; 10]);
        entry.extend(time.to_le_bytes());
        entry.extend(date.to_le_bytes());
        entry.extend([0; 2]);
        entry.extend(size.to_le_bytes());
        let (segment, offset) = self.process().transfer;
        frame.put_bytes(segment, offset, &entry);
        DONE
    }

    /// Reads or writes records at the transfer area: how it went, and how many were done.
    fn records(
        &mut self,
        frame: &mut Frame<'_, '_>,
        block: FileBlock,
        (record, count): (u32, u16),
        writes: bool,
    ) -> (u8, u32) {
        let Some(name) = self.file_of(frame, block) else { return (AT_END, 0) };
        let (segment, offset) = self.process().transfer;
        let size = u32::from(block.record_size(frame));
        let wanted = size * u32::from(count);
        if u32::from(offset) + wanted > 0x1_0000 {
            return (WRAPS, 0);
        }
        let from = (u64::from(record) * u64::from(size)).min(u32::MAX.into()) as usize;
        if writes {
            let bytes: Vec<u8> = frame.bytes(segment, offset, wanted as u16);
            let written = self.volume.write_at(name, from, &bytes);
            let stamp = self.clock.stamp(frame);
            self.volume.set_stamp(name, stamp);
            self.note_size(frame, block, name);
            return if written == Ok(true) { (DONE, count.into()) } else { (NO_ROOM, 0) };
        }
        let all = self.volume.bytes(name).unwrap_or_default();
        let rest = all.get(from..).unwrap_or_default();
        let mut bytes = rest[..rest.len().min(wanted as usize)].to_vec();
        if bytes.is_empty() {
            return (AT_END, 0);
        }
        let done = (bytes.len() as u32).div_ceil(size);
        let is_part = bytes.len() < wanted as usize;
        bytes.resize((done * size) as usize, 0);
        frame.put_bytes(segment, offset, &bytes);
        // What is missing of the last record is zero.
        let status = match (is_part, done == u32::from(count)) {
            (false, _) => DONE,
            (true, true) => PART,
            (true, false) => AT_END,
        };
        (status, done)
    }

    /// Calls 27h and 28h: CX records; writing none cuts the file off, or makes it longer.
    fn many_records(&mut self, frame: &mut Frame<'_, '_>, block: FileBlock, writes: bool) -> u8 {
        let (record, count) = (block.random(frame), frame.get("CX"));
        if count == 0 {
            let Some(name) = self.file_of(frame, block).filter(|_| writes) else { return DONE };
            let size = (u64::from(record) * u64::from(block.record_size(frame))).min(u32::MAX.into());
            let done = self.volume.resize(name, size as usize);
            self.note_size(frame, block, name);
            return if done == Ok(true) { DONE } else { NO_ROOM };
        }
        let (status, done) = self.records(frame, block, (record, count), writes);
        block.set_random(frame, record.wrapping_add(done));
        block.set_record(frame, record.wrapping_add(done));
        frame.set("CX", done as u16);
        status
    }
}

/// Call 29h: the name at DS:SI becomes a block at ES:DI; AL tells whether it is a pattern.
fn parse(frame: &mut Frame<'_, '_>) -> u8 {
    let how = frame.al();
    let (segment, mut offset) = (frame.get("DS"), frame.get("SI"));
    let byte = |frame: &Frame<'_, '_>, offset: u16| frame.byte(Frame::address(segment, offset));
    if how & 1 != 0 {
        while matches!(byte(frame, offset), b' ' | 9 | b':' | b';' | b',' | b'=' | b'+') {
            offset = offset.wrapping_add(1);
        }
    }
    let is_of_name = |byte: u8| byte > b' ' && !b":;,=+/\"[]<>|".contains(&byte);
    let mut word = Vec::new();
    if is_of_name(byte(frame, offset)) && byte(frame, offset.wrapping_add(1)) == b':' {
        word.extend([byte(frame, offset), b':']);
        offset = offset.wrapping_add(2);
    }
    while is_of_name(byte(frame, offset)) && word.len() < 32 {
        word.push(byte(frame, offset));
        offset = offset.wrapping_add(1);
    }
    frame.set("SI", offset);
    let made = name_block(&word);
    let (to, at) = (frame.get("ES"), frame.get("DI"));
    let has = |wanted: &[u8]| !wanted.is_empty() && wanted != [b' '; 8] && wanted != [b' '; 3];
    let parts = [(0..1, 2, made[0] != 0), (1..9, 4, has(&made[1..9])), (9..12, 8, has(&made[9..12]))];
    for (places, keeps, is_given) in parts {
        // What is not typed may stay as it was.
        if is_given || how & keeps == 0 {
            frame.put_bytes(to, at.wrapping_add(places.start as u16), &made[places]);
        }
    }
    for place in BLOCK..16 {
        frame.put(Frame::address(to, at.wrapping_add(place)), 0);
    }
    match (made[0] > 1, made[1..12].contains(&b'?')) {
        (true, _) => 0xFF,
        (false, true) => 1,
        (false, false) => 0,
    }
}
