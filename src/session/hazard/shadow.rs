//! What is known of every cell: who put something there, and what it is.

use crate::machine::{Machine, MemoryKind};
use crate::session::Session;

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

/// What is known of every cell.
///
/// PERF: a flag for each address, in pages that the system brings when they are touched first.
#[derive(Clone)]
pub(super) struct Shadow(Vec<u16>);

impl Shadow {
    fn of(last: u32) -> Self {
        Self(vec![0; last as usize + 1])
    }

    #[inline]
    pub fn get(&self, address: u32) -> u16 {
        self.0.get(address as usize).copied().unwrap_or(0)
    }

    /// The flags of a cell, to be changed.
    #[inline]
    pub fn at(&mut self, address: u32) -> Option<&mut u16> {
        self.0.get_mut(address as usize)
    }

    /// Nothing is quiet any more.
    pub fn wake(&mut self) {
        self.0.iter_mut().for_each(|flags| *flags &= !QUIET);
    }
}

/// So many cells above the stack pointer belong to whoever called the program.
const CALLERS: u32 = 64;
/// The 8086's interrupts have their addresses below.
const VECTORS: u32 = 0x400;
/// Cells in front of a program that the disk services have put there.
const PREFIX: u32 = 0x100;

/// The cells of a session's program and firmware, as they are when its run begins.
pub(super) fn shadow(session: &Session, begin: &Machine) -> Shadow {
    let mut pages = Shadow::of(session.processor().last_address());
    let mut mark = |address: u32, flags: u16| {
        if let Some(cell) = pages.at(address) {
            *cell |= flags;
        }
    };
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
                    (false, _) if is_text => TEXT,
                    (false, _) => 0,
                };
                mark(address + at, flags);
            }
        }
    }
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
