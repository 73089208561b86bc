//! The bus of an 8-bit machine, in three forms: plain (memory alone, and ports), mapped (chips answer at memory addresses) and
//! checked (an access to a place where nothing is can be answered or told). An observer may see every access.

use super::memory::{self, Area, CHIPS, Cells, HOLES, MemoryKind, OPEN_BUS};
use super::observe::Observe;
use crate::machine::board::Unmapped;
use crate::machine::io::Io;
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

/// No chip answers at a memory address.
pub(super) const PLAIN: u8 = 0;
/// Chips answer at memory addresses.
pub(super) const MAPPED: u8 = 1;
/// Places where nothing is are told, or keep what was last on the bus.
pub(super) const CHECKED: u8 = 2;

pub(super) struct ByteBus<'a, C: Cells, O, const MODE: u8> {
    // PERF: cells and attributes without another pointer between, so that the run loop keeps both addresses.
    pub cells: &'a mut C,
    pub pages: &'a C::Pages,
    pub areas: &'a [Area],
    pub io: &'a mut Io,
    /// Who sees the accesses.
    pub observer: O,
}

impl<C: Cells, O: Observe, const MODE: u8> ByteBus<'_, C, O, MODE> {
    /// The attributes of pages that reads do not go straight to.
    const SLOW: u8 = match MODE {
        PLAIN => 0,
        MAPPED => CHIPS,
        _ => CHIPS | HOLES,
    };

    /// What a read or a fetch puts on the bus.
    #[inline(always)]
    fn look(&mut self, address: u32, now: u64, access: Access) -> u8 {
        let value = if MODE != PLAIN && C::attribute(self.pages, address) & Self::SLOW != 0 {
            self.look_elsewhere(address, now, access)
        } else {
            self.cells.get(address)
        };
        if MODE >= CHECKED {
            self.io.on_bus = value;
        }
        value
    }

    #[cold]
    #[inline(never)]
    fn look_elsewhere(&mut self, address: u32, now: u64, access: Access) -> u8 {
        // Instructions are not fetched from registers.
        if access != Access::Fetch {
            self.before_chip(access, address, 0, now);
        }
        if access != Access::Fetch
            && let Some(value) = self.io.read_space(address, now)
        {
            return value.map_or(OPEN_BUS, |value| value as u8);
        }
        if memory::kind(self.areas, address).is_none() && !self.io.is_space(address) {
            self.io.miss(access, address);
            if self.io.unmapped == Unmapped::Hold {
                return self.io.on_bus;
            }
        }
        self.cells.get(address)
    }

    #[cold]
    #[inline(never)]
    fn write_elsewhere(&mut self, address: u32, value: u8, now: u64) -> bool {
        if MODE != PLAIN {
            self.before_chip(Access::Write, address, value, now);
        }
        if MODE != PLAIN
            && let Some(took_effect) = self.io.write_space(address, value.into(), now)
        {
            return took_effect;
        }
        match memory::kind(self.areas, address) {
            Some(MemoryKind::Ram | MemoryKind::Core) => {
                self.cells.set(address, value);
                true
            }
            Some(MemoryKind::Rom) => false,
            None => {
                self.io.miss(Access::Write, address);
                false
            }
        }
    }

    /// What the chip's data sheet says against an access is seen before it is done.
    #[cold]
    #[inline(never)]
    fn before_chip(&mut self, access: Access, address: u32, value: u8, now: u64) {
        if O::SEES {
            let Self { observer, io, .. } = self;
            observer.before_chip(|| Some((address, io.misuse(access, address, value.into(), now)?)));
        }
    }

    #[inline(always)]
    fn note(&mut self, access: Access, address: u32, before: u64, value: u64, took_effect: bool) {
        if O::SEES {
            self.observer.saw(Noted { access, address, before, value, took_effect });
        }
    }
}

impl<C: Cells, O: Observe, const MODE: u8> Bus for ByteBus<'_, C, O, MODE> {
    type Cell = u8;
    const WATCHED: bool = MODE != PLAIN;
    const MAPPED: bool = MODE != PLAIN;
    const AHEAD: bool = MODE < CHECKED;

    #[inline(always)]
    fn fetch_ahead(&mut self, address: u32) -> [u8; 8] {
        self.cells.eight(address)
    }

    #[inline(always)]
    fn read_pair(&mut self, address: u32, now: u64) -> [u8; 2] {
        let is_straight = MODE == PLAIN || C::attribute(self.pages, address) & Self::SLOW == 0;
        if MODE < CHECKED && !O::SEES && is_straight {
            return self.cells.pair(address);
        }
        [self.read(address, now), self.read(address | 1, now)]
    }

    #[inline(always)]
    fn write_pair(&mut self, address: u32, [low, high]: [u8; 2], now: u64) {
        if MODE < CHECKED && !O::SEES && memory::is_ram(C::attribute(self.pages, address)) {
            return self.cells.set_pair(address, [low, high]);
        }
        self.write(address, low, now);
        self.write(address | 1, high, now);
    }

    #[inline(always)]
    fn fetch(&mut self, address: u32) -> u8 {
        if MODE >= CHECKED {
            let value = self.look(address, 0, Access::Fetch);
            self.note(Access::Fetch, address, value.into(), value.into(), true);
            return value;
        }
        self.cells.get(address)
    }

    #[inline(always)]
    fn read(&mut self, address: u32, now: u64) -> u8 {
        let value = self.look(address, now, Access::Read);
        self.note(Access::Read, address, value.into(), value.into(), true);
        value
    }

    #[inline(always)]
    fn write(&mut self, address: u32, value: u8, now: u64) {
        let before = if O::SEES { self.cells.get(address).into() } else { 0 };
        let took_effect = if memory::is_ram(C::attribute(self.pages, address)) {
            self.cells.set(address, value);
            true
        } else {
            self.write_elsewhere(address, value, now)
        };
        if MODE >= CHECKED {
            self.io.on_bus = value;
        }
        self.note(Access::Write, address, before, value.into(), took_effect);
    }

    #[inline(always)]
    fn touch(&mut self, address: u32, now: u64) {
        if MODE != PLAIN {
            self.look(address, now, Access::Read);
        }
    }

    fn input(&mut self, port: u32, now: u64) -> u8 {
        self.before_chip(Access::In, port, 0, now);
        let value = self.io.input(port, now).map_or(OPEN_BUS, |value| value as u8);
        self.note(Access::In, port, value.into(), value.into(), true);
        value
    }

    fn output(&mut self, port: u32, value: u8, now: u64) {
        self.before_chip(Access::Out, port, value, now);
        let took_effect = self.io.output(port, value.into(), now);
        self.note(Access::Out, port, 0, value.into(), took_effect);
    }

    fn sense(&mut self, line: InputLine, now: u64) -> Option<bool> {
        match line {
            InputLine::Sid => self.io.serial_in(now),
        }
    }

    fn drive(&mut self, line: OutputLine, level: bool, now: u64) {
        match line {
            OutputLine::Sod => self.io.serial_out(level, now),
        }
    }

    fn acknowledge(&mut self, now: u64) -> Option<u8> {
        self.io.acknowledge(now)
    }

    fn goes_on(&mut self, on: bool) {
        self.observer.goes_on(on);
    }

    fn returned(&mut self, now: u64) {
        self.io.returned(now);
    }

    #[inline(always)]
    fn attention(&self) -> bool {
        self.io.attention
    }
}
