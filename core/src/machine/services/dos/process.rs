//! Programs: their prefix, their memory, how they start and end.

use super::files::{HANDLES, first_handles};
use super::memory;
use super::search::pattern_of;
use super::{Answer, Dos, Frame, LONGEST_TAIL, Refused, Served};
use crate::image::exe::Exe;
use serde::Serialize;

/// A program that runs.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Process {
    /// The segment of its prefix.
    pub prefix: u16,
    /// What its handles lead to among what is open.
    pub handles: [Option<u8>; HANDLES],
    /// Segment and offset of the transfer area.
    pub transfer: (u16, u16),
    /// SS, SP, DS and ES as they were when it started another program.
    waits_with: [u16; 4],
    /// It was started from outside: with it the run ends.
    is_first: bool,
}

impl Process {
    /// The prompt, which has no prefix.
    pub fn prompt() -> Self {
        Self {
            prefix: 0x40,
            handles: first_handles(),
            transfer: (0, 0x80),
            waits_with: [0; 4],
            is_first: false,
        }
    }
}

/// Where a program was put: what a session needs to show it at its addresses.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Start {
    /// The segment of its prefix.
    pub prefix: u16,
    /// The segment that its own segments are counted from: the prefix's for COM.
    pub base: u16,
}

/// Why a program cannot be started.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum LoadFault {
    /// The file says something of itself that is not so.
    #[error("{0}")]
    Format(String),
    /// It has no room.
    #[error("the program needs {needed} paragraphs of 16 bytes, and {free} are free")]
    Room {
        /// Paragraphs it needs.
        needed: u32,
        /// Paragraphs there are.
        free: u16,
    },
}

/// Places in a prefix.
const TOP: u16 = 0x02;
const VECTORS: u16 = 0x0A;
const PARENT: u16 = 0x16;
const HANDLE_TABLE: u16 = 0x18;
const ENVIRONMENT: u16 = 0x2C;
const CALLER: u16 = 0x50;
const FIRST_BLOCK: u16 = 0x5C;
const SECOND_BLOCK: u16 = 0x6C;
const TAIL: u16 = 0x80;

/// The prefix's paragraphs.
const PREFIX: u16 = 0x10;

/// The three vectors that a program may change for itself: end, break, critical error.
const OWN_VECTORS: [u8; 3] = [0x22, 0x23, 0x24];

/// Registers that a program has again when the one that it started has ended.
const KEPT: [&str; 4] = ["SS", "SP", "DS", "ES"];

/// A program as it is about to be started.
struct Starting<'p> {
    file: &'p [u8],
    name: Vec<u8>,
    environment: Vec<u8>,
    tail: Vec<u8>,
    blocks: [[u8; 16]; 2],
}

/// Registers that a program starts with.
struct Begin {
    start: Start,
    cs_ip: (u16, u16),
    ss_sp: (u16, u16),
}

impl Dos {
    /// Starts a program from outside, in place of whatever runs.
    pub(super) fn start_from_outside(
        &mut self,
        frame: &mut Frame<'_, '_>,
        file: &[u8],
        name: &str,
        words: &[String],
    ) -> Result<Start, LoadFault> {
        memory::clear(frame);
        self.processes.truncate(1);
        self.exit_code = None;
        let tail: Vec<u8> = words.iter().flat_map(|word| format!(" {word}").into_bytes()).collect();
        let block = |at: usize| words.get(at).map_or_else(empty_block, |word| name_block(word.as_bytes()));
        let starting = Starting {
            file,
            name: name.to_ascii_uppercase().into_bytes(),
            environment: vec![0],
            tail: tail.into_iter().take(LONGEST_TAIL).collect(),
            blocks: [block(0), block(1)],
        };
        let begin = self.place(frame, &starting)?;
        let start = begin.start;
        self.enter(frame, &begin, true);
        Ok(start)
    }

    /// Call 4Bh: runs a program of the disk, or puts an overlay into memory.
    pub(super) fn execute(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let path = frame.text("DS", "DX");
        let name = Self::file_name(&path)?;
        let file = self.volume.bytes(name).ok_or(Refused::File)?.to_vec();
        let at = frame.at("ES", "BX");
        let how = frame.al();
        if how == 3 {
            return overlay(frame, &file, (frame.word_at(at), frame.word_at(at + 2)));
        }
        if how > 1 {
            return Err(Refused::Function.into());
        }
        let pointer = |frame: &Frame<'_, '_>, at: u32| (frame.word_at(at + 2), frame.word_at(at));
        let own = self.process().prefix;
        let environment = match frame.word_at(at) {
            0 if self.processes.len() > 1 => frame.word_at(Frame::address(own, ENVIRONMENT)),
            given => given,
        };
        let (segment, offset) = pointer(frame, at + 2);
        let count = usize::from(frame.byte(Frame::address(segment, offset))).min(LONGEST_TAIL);
        let tail = frame.bytes(segment, offset.wrapping_add(1), count as u16);
        let block = |frame: &Frame<'_, '_>, place: u32| {
            let (segment, offset) = pointer(frame, place);
            let bytes = frame.bytes(segment, offset, 16);
            std::array::from_fn(|at| bytes[at])
        };
        let words: Vec<&[u8]> = tail.split(|&byte| byte <= b' ').filter(|word| !word.is_empty()).collect();
        let typed = |at: usize| words.get(at).map_or_else(empty_block, |word| name_block(word));
        // The prompt leaves it to us to make blocks of what was typed.
        let blocks = match self.processes.len() {
            1 => [typed(0), typed(1)],
            _ => [block(frame, at + 6), block(frame, at + 10)],
        };
        let starting = Starting {
            file: &file,
            name: name.to_string().into_bytes(),
            environment: environment_at(frame, environment),
            tail: tail.clone(),
            blocks,
        };
        let begin = self.place(frame, &starting).map_err(|fault| match fault {
            LoadFault::Format(_) => Refused::Format,
            LoadFault::Room { .. } => Refused::Memory,
        })?;
        if how == 1 {
            // Loaded only: its registers go after the parameters.
            let (sp, ss) = (begin.ss_sp.1, begin.ss_sp.0);
            for (place, value) in [(14, sp), (16, ss), (18, begin.cs_ip.1), (20, begin.cs_ip.0)] {
                frame.put_word_at(at + place, value);
            }
            return Ok(());
        }
        self.process_mut().waits_with = KEPT.map(|register| frame.get(register));
        self.enter(frame, &begin, false);
        Ok(())
    }

    /// Puts a program into memory: prefix, environment, cells.
    fn place(&mut self, frame: &mut Frame<'_, '_>, starting: &Starting<'_>) -> Result<Begin, LoadFault> {
        let broken = |_| LoadFault::Format("the headers of the memory blocks are broken".to_string());
        let exe = match Exe::is_exe(starting.file) {
            true => Some(Exe::read(starting.file).map_err(|error| LoadFault::Format(error.to_string()))?),
            false => None,
        };
        let room = |needed: u32, free: u16| LoadFault::Room { needed, free };
        let mut environment = starting.environment.clone();
        environment.extend([0, 1, 0]);
        environment.extend(b"A:\\");
        environment.extend(&starting.name);
        environment.push(0);
        let paragraphs = environment.len().div_ceil(16) as u16;
        let segment = memory::allocate(frame, paragraphs, 0xFFFF).map_err(broken)?;
        let segment = segment.map_err(|free| room(paragraphs.into(), free))?;
        frame.put_bytes(segment, 0, &environment);
        let (least, most) = needs(starting.file, exe.as_ref());
        let largest = match memory::allocate(frame, 0xFFFF, 0).map_err(broken)? {
            Ok(_) => 0xFFFF,
            Err(free) => free,
        };
        if least > largest.into() {
            memory::free_all(frame, 0xFFFF);
            return Err(room(least, largest));
        }
        let size = most.min(largest.into()) as u16;
        let prefix = memory::allocate(frame, size, 0xFFFF).map_err(broken)?;
        let prefix = prefix.map_err(|free| room(least, free))?;
        memory::give(frame, prefix, prefix);
        memory::give(frame, segment, prefix);
        self.write_prefix(frame, prefix, prefix + size, segment, starting);
        Ok(match exe {
            Some(exe) => {
                let base = prefix + PREFIX;
                for (at, byte) in exe.relocated(base).into_iter().enumerate() {
                    frame.put((u32::from(base) << 4) + at as u32, byte);
                }
                Begin {
                    start: Start { prefix, base },
                    cs_ip: (base.wrapping_add(exe.code.0), exe.code.1),
                    ss_sp: (base.wrapping_add(exe.stack.0), exe.stack.1),
                }
            }
            None => {
                frame.put_bytes(prefix, 0x100, starting.file);
                // A return at the end of the program leads to the prefix's first instruction.
                let sp = if size >= 0x1000 { 0xFFFE } else { (size << 4) - 2 };
                frame.put_word_at(Frame::address(prefix, sp), 0);
                Begin { start: Start { prefix, base: prefix }, cs_ip: (prefix, 0x100), ss_sp: (prefix, sp) }
            }
        })
    }

    fn write_prefix(
        &self,
        frame: &mut Frame<'_, '_>,
        prefix: u16,
        end: u16,
        environment: u16,
        starting: &Starting<'_>,
    ) {
        let place = |offset: u16| Frame::address(prefix, offset);
        frame.put_all(place(0), &[0; 256]);
        frame.put_all(place(0), &[0xCD, 0x20]);
        frame.put_word_at(place(TOP), end);
        for (at, vector) in (0u32..).zip(OWN_VECTORS) {
            for half in [0, 2] {
                let value = frame.word_at(u32::from(vector) * 4 + half);
                frame.put_word_at(place(VECTORS) + 4 * at + half, value);
            }
        }
        frame.put_word_at(place(PARENT), self.process().prefix);
        let handles = self.process().handles.map(|open| open.unwrap_or(0xFF));
        frame.put_all(place(HANDLE_TABLE), &handles);
        frame.put_word_at(place(ENVIRONMENT), environment);
        frame.put_all(place(CALLER), &[0xCD, 0x21, 0xCB]);
        frame.put_all(place(FIRST_BLOCK), &starting.blocks[0]);
        frame.put_all(place(SECOND_BLOCK), &starting.blocks[1]);
        frame.put(place(TAIL), starting.tail.len() as u8);
        frame.put_all(place(TAIL + 1), &starting.tail);
        frame.put(place(TAIL + 1 + starting.tail.len() as u16), 13);
    }

    /// The program has the machine.
    fn enter(&mut self, frame: &mut Frame<'_, '_>, begin: &Begin, is_first: bool) {
        let Begin { start: Start { prefix, .. }, cs_ip, ss_sp } = *begin;
        let handles = self.process().handles;
        handles.into_iter().flatten().for_each(|place| self.share(place));
        self.processes.push(Process {
            prefix,
            handles,
            transfer: (prefix, TAIL),
            waits_with: [0; 4],
            is_first,
        });
        for register in ["AX", "BX", "CX", "DX", "SI", "DI", "BP"] {
            frame.set(register, 0);
        }
        let (cs, ip) = cs_ip;
        let (ss, sp) = ss_sp;
        for (register, value) in [
            ("DS", prefix),
            ("ES", prefix),
            ("SS", ss),
            ("SP", sp),
            ("CS", cs),
            ("IP", ip),
            ("FLAGS", 0x0202),
        ] {
            frame.set(register, value);
        }
    }

    /// The program that runs ends: its files are closed, its memory is free, and the one that started it goes on.
    pub(super) fn end(&mut self, frame: &mut Frame<'_, '_>, code: u8, how: u8) -> Served {
        self.leave(frame, code, how, true)
    }

    /// Call 31h: it ends, and DX paragraphs of it stay.
    pub(super) fn stay(&mut self, frame: &mut Frame<'_, '_>) -> Served {
        let (code, size) = (frame.al(), frame.get("DX"));
        let prefix = self.process().prefix;
        let _ = memory::resize(frame, prefix, size.max(6));
        self.leave(frame, code, 3, false)
    }

    fn leave(&mut self, frame: &mut Frame<'_, '_>, code: u8, how: u8, frees: bool) -> Served {
        if self.processes.len() == 1 {
            // Nothing runs that could end: the machine begins anew.
            const BOOT: u32 = 4 * 0x19;
            let (ip, cs) = (frame.word_at(BOOT), frame.word_at(BOOT + 2));
            frame.set("IP", ip);
            frame.set("CS", cs);
            return Served::GoesOn;
        }
        for handle in 0..HANDLES {
            let _ = self.close_handle(handle);
        }
        let Some(process) = self.processes.pop() else { return Served::GoesOn };
        if frees {
            memory::free_all(frame, process.prefix);
        }
        for (at, vector) in (0u32..).zip(OWN_VECTORS) {
            for half in [0, 2] {
                let value = frame.word_at(Frame::address(process.prefix, VECTORS) + 4 * at + half);
                frame.put_word_at(u32::from(vector) * 4 + half, value);
            }
        }
        self.last = (code, how);
        if process.is_first {
            self.exit_code = Some(code);
            frame.back_to_call();
            return Served::Ended;
        }
        let kept = self.process().waits_with;
        KEPT.iter().zip(kept).for_each(|(register, value)| frame.set(register, value));
        frame.set_carry(false);
        frame.go_back();
        Served::GoesOn
    }
}

/// How many paragraphs a program needs, and how many it takes where there are so many.
fn needs(file: &[u8], exe: Option<&Exe>) -> (u32, u32) {
    let prefix = u32::from(PREFIX);
    match exe {
        Some(exe) => {
            let image = exe.image.len().div_ceil(16) as u32 + prefix;
            (image + u32::from(exe.least), image + u32::from(exe.most.max(exe.least)))
        }
        // A stack of some words after it.
        None => (prefix + (file.len() + 0x100).div_ceil(16) as u32, 0xFFFF),
    }
}

/// Puts an overlay to a segment.
fn overlay(frame: &mut Frame<'_, '_>, file: &[u8], (segment, factor): (u16, u16)) -> Answer {
    let bytes = match Exe::is_exe(file) {
        true => Exe::read(file).map_err(|_| Refused::Format)?.relocated(factor),
        false => file.to_vec(),
    };
    for (at, byte) in bytes.into_iter().enumerate() {
        frame.put((u32::from(segment) << 4) + at as u32, byte);
    }
    Ok(())
}

/// The texts of an environment, each with its zero byte, without the one that ends them.
fn environment_at(frame: &Frame<'_, '_>, segment: u16) -> Vec<u8> {
    const MOST: u16 = 0x2000;
    if segment == 0 {
        return vec![0];
    }
    let bytes = frame.bytes(segment, 0, MOST);
    let end = bytes.windows(2).position(|pair| pair == [0, 0]).unwrap_or(0);
    bytes[..=end].to_vec()
}

fn empty_block() -> [u8; 16] {
    let mut block = [0; 16];
    block[1..12].fill(b' ');
    block
}

/// The file block of a name that was typed.
pub(super) fn name_block(word: &[u8]) -> [u8; 16] {
    let mut block = empty_block();
    let (drive, name) = match word {
        [drive, b':', name @ ..] if drive.is_ascii_alphabetic() => (drive.to_ascii_uppercase() - b'@', name),
        name => (0, name),
    };
    block[0] = drive;
    block[1..12].copy_from_slice(&pattern_of(name));
    block
}
