//! The bus of an 8-bit machine, in three forms: open (places without memory read 0FFh), checked (an access to one asks
//! for attention) and recorded (checked as the board says, and every access is noted for a step).

use super::io::Io;
use super::memory::{self, Area, MemoryKind, OPEN_BUS};
use crate::processor::{Bus, InputLine, OutputLine};
use serde::Serialize;

/// What an access did.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Access {
    /// A data cell was read.
    Read,
    /// A cell was written.
    Write,
    /// A port was read.
    In,
    /// A port was written.
    Out,
    /// An instruction was fetched.
    Fetch,
}

/// An access to something that does not exist.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Missing {
    /// What was tried.
    pub access: Access,
    /// The address or the port.
    pub address: u32,
}

/// A noted access.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Noted {
    /// What was done.
    pub access: Access,
    /// The address or the port.
    pub address: u32,
    /// The value before, for a write to memory.
    pub before: u64,
    /// The value read or written.
    pub value: u64,
    /// False where a write had no effect.
    pub took_effect: bool,
}

pub(super) struct MachineBus<'a, const CHECKED: bool, const RECORDED: bool> {
    // PERF: cells and attributes without another pointer between, so that the run loop keeps both addresses.
    pub cells: &'a mut [u8; 0x1_0000],
    pub pages: &'a [u8; 0x100],
    pub areas: &'a [Area],
    pub io: &'a mut Io,
    pub notes: &'a mut Vec<Noted>,
}

impl<const CHECKED: bool, const RECORDED: bool> MachineBus<'_, CHECKED, RECORDED> {
    #[inline(always)]
    fn look(&mut self, address: u32, access: Access) {
        if CHECKED && memory::may_miss(self.pages, address) {
            self.miss(address, access);
        }
    }

    #[cold]
    fn miss(&mut self, address: u32, access: Access) {
        if self.io.stop_unmapped && memory::kind(self.areas, address).is_none() && self.io.missing.is_none() {
            self.io.missing = Some(Missing { access, address });
        }
    }

    #[cold]
    #[inline(never)]
    fn write_elsewhere(&mut self, address: u32, value: u8) -> bool {
        match memory::kind(self.areas, address) {
            Some(MemoryKind::Ram) => {
                self.cells[address as usize & 0xFFFF] = value;
                true
            }
            Some(MemoryKind::Rom) => false,
            None => {
                self.miss(address, Access::Write);
                false
            }
        }
    }

    fn note(&mut self, access: Access, address: u32, before: u64, value: u64, took_effect: bool) {
        if RECORDED {
            self.notes.push(Noted { access, address, before, value, took_effect });
        }
    }
}

impl<const CHECKED: bool, const RECORDED: bool> Bus for MachineBus<'_, CHECKED, RECORDED> {
    type Cell = u8;
    const WATCHED: bool = CHECKED;

    #[inline(always)]
    fn fetch(&mut self, address: u32) -> u8 {
        self.look(address, Access::Fetch);
        self.cells[address as usize & 0xFFFF]
    }

    #[inline(always)]
    fn read(&mut self, address: u32) -> u8 {
        self.look(address, Access::Read);
        let value = self.cells[address as usize & 0xFFFF];
        self.note(Access::Read, address, value.into(), value.into(), true);
        value
    }

    #[inline(always)]
    fn write(&mut self, address: u32, value: u8) {
        let before = if RECORDED { self.cells[address as usize & 0xFFFF].into() } else { 0 };
        let took_effect = if memory::is_plain_ram(self.pages, address) {
            self.cells[address as usize & 0xFFFF] = value;
            true
        } else {
            self.write_elsewhere(address, value)
        };
        self.note(Access::Write, address, before, value.into(), took_effect);
    }

    fn input(&mut self, port: u32, now: u64) -> u8 {
        let value = self.io.input(port, now).map_or(OPEN_BUS, |value| value as u8);
        self.note(Access::In, port, value.into(), value.into(), true);
        value
    }

    fn output(&mut self, port: u32, value: u8, now: u64) {
        let took_effect = self.io.output(port, value.into(), now);
        self.note(Access::Out, port, 0, value.into(), took_effect);
    }

    fn sense(&mut self, line: InputLine, now: u64) -> bool {
        match line {
            InputLine::Sid => self.io.serial_in(now),
        }
    }

    fn drive(&mut self, line: OutputLine, level: bool, now: u64) {
        match line {
            OutputLine::Sod => self.io.serial_out(level, now),
        }
    }

    #[inline(always)]
    fn attention(&self) -> bool {
        self.io.missing.is_some()
    }
}
