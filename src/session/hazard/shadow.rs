//! What is known of every cell: who put something there, and what it is.

use super::extent::Extents;
use crate::machine::{CODE_CELL, Machine, MemoryKind, QUIET_CODE, QUIET_READ, QUIET_WRITE, TrailMarks};
use crate::session::Session;
use std::cell::Cell;

/// Something was loaded into it or written to it.
pub(super) const KNOWN: u16 = 1;
/// It belongs to the program.
pub(super) const OWN: u16 = 2;
/// An instruction of the program's source begins in it.
pub(super) const BEGINS: u16 = 4;
/// It is part of an instruction of the program's source, and not its first cell.
pub(super) const INSIDE: u16 = 8;
/// It is part of a text of the program.
pub(super) const TEXT: u16 = 16;
/// It is part of an instruction that has been executed.
pub(super) const CODE: u16 = 32;
/// Execution has been here, and there is nothing to tell of it.
pub(super) const SEEN: u16 = 64;
/// It is part of the firmware.
pub(super) const FIRMWARE: u16 = 128;
/// There is nothing to look at in the instruction here but what it reads and writes.
pub(super) const QUIET: u16 = 256;
/// A call comes back here, and what is here is never quiet: so it shows where returns go.
pub(super) const RETURNS: u16 = 512;

/// It is near the end of a region: writes are always told.
pub(super) const EDGE: u16 = 1024;
/// It is data that the source calls constant.
pub(super) const CONSTANT: u16 = 2048;
/// What makes a write to a cell worth a look.
pub(super) const WATCHED: u16 = CODE | TEXT | CONSTANT | BEGINS | INSIDE | EDGE;

/// What is known of every cell, and what of it a run has to tell.
///
/// PERF: a flag for each address, in pages that the system brings when they are touched first.
#[derive(Clone)]
pub(super) struct Shadow {
    flags: Vec<u16>,
    /// Addresses whose flags have changed since the marks were made.
    changed: Vec<u32>,
    /// All marks are to be made anew.
    wakes: bool,
}

impl Shadow {
    fn of(last: u32) -> Self {
        Self { flags: vec![0; last as usize + 1], changed: Vec::new(), wakes: true }
    }

    /// Marks that tell everything.
    pub fn marks(&self) -> Box<TrailMarks> {
        vec![0u8; self.flags.len()].into_iter().map(Cell::new).collect()
    }

    #[inline]
    pub fn get(&self, address: u32) -> u16 {
        self.flags.get(address as usize).copied().unwrap_or(0)
    }

    /// Sets flags of a cell, and takes others away.
    pub fn change(&mut self, address: u32, set: u16, clear: u16) {
        let Some(flags) = self.flags.get_mut(address as usize) else { return };
        let new = *flags & !clear | set;
        if new != *flags {
            *flags = new;
            self.changed.push(address);
        }
    }

    /// Nothing is quiet any more.
    pub fn wake(&mut self) {
        self.flags.iter_mut().for_each(|flags| *flags &= !QUIET);
        self.wakes = true;
    }

    /// Brings the marks to what is known now.
    pub fn tell(&mut self, marks: &TrailMarks) {
        if std::mem::take(&mut self.wakes) {
            self.changed.clear();
            for (mark, &flags) in marks.iter().zip(&self.flags).filter(|row| *row.1 != 0) {
                mark.set(mark_of(flags));
            }
            return;
        }
        for address in self.changed.drain(..) {
            if let (Some(mark), Some(&flags)) =
                (marks.get(address as usize), self.flags.get(address as usize))
            {
                mark.set(mark_of(flags));
            }
        }
    }
}

/// What a run need not tell of a cell.
fn mark_of(flags: u16) -> u8 {
    let bit = |is: bool, bit: u8| if is { bit } else { 0 };
    bit(flags & QUIET != 0, QUIET_CODE)
        | bit(flags & KNOWN != 0, QUIET_READ)
        | bit(flags & (KNOWN | WATCHED) == KNOWN, QUIET_WRITE)
        | bit(flags & (CODE | BEGINS | INSIDE) != 0, CODE_CELL)
}

/// So many cells above the stack pointer belong to whoever called the program.
const CALLERS: u32 = 64;
/// The 8086's interrupts have their addresses below.
const VECTORS: u32 = 0x400;
/// Cells in front of a program that the disk services have put there.
const PREFIX: u32 = 0x100;

/// The cells of a session's program and firmware, as they are when its run begins.
pub(super) fn shadow(session: &Session, begin: &Machine, extents: &Extents) -> Shadow {
    let mut pages = Shadow::of(session.processor().last_address());
    let mut mark = |address: u32, flags: u16| pages.change(address, flags, 0);
    let programs = [(&session.program, OWN), (&session.firmware, FIRMWARE), (&session.services, FIRMWARE)];
    for (program, flags) in programs {
        let Some(program) = program else { continue };
        for segment in program.image.segments() {
            (segment.start..).zip(&segment.cells).for_each(|(at, _)| mark(at, flags | KNOWN));
        }
        for (address, line) in program.lines() {
            let is_text = !line.code && line.text.contains(['"', '\'']);
            for at in 0..line.cells {
                let flags = match (line.code, at) {
                    (true, 0) => BEGINS,
                    (true, _) => INSIDE,
                    (false, _) if line.is_constant => CONSTANT,
                    (false, _) if is_text => TEXT,
                    (false, _) => 0,
                };
                mark(address + at, flags);
            }
        }
    }
    extents.edges().for_each(|at| mark(at, EDGE));
    if let Some(stack) = begin.stack_place() {
        (0..CALLERS).for_each(|at| mark(stack.wrapping_add(at), KNOWN));
    }
    if let Some(start) =
        session.program.as_ref().and_then(|one| one.image.segments().first()).map(|one| one.start)
        && session.machine.board().disk.is_some()
    {
        (start.saturating_sub(PREFIX)..start).for_each(|at| mark(at, KNOWN));
    }
    pages
}

/// True where a cell that nothing is known of holds something all the same: ROM, or what the firmware has left there.
pub(super) fn holds_something(session: &Session, address: u32, value: u64) -> bool {
    let board = session.machine.board();
    // Of an interrupt's vector one half may be 0.
    let vector = address & !3;
    let is_vector = session.processor().is_segmented() && address < VECTORS;
    let value = if is_vector { (0..4).map(|at| session.machine.cell(vector + at)).sum() } else { value };
    session.machine.kind(address) == Some(MemoryKind::Rom)
        || board.firmware.is_some() && value != board.power_on
        || board.names().iter().any(|name| name.value == address)
}
