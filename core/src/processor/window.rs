//! Where a program counts its places: all of memory, or a part of it that short addresses reach.

use super::{InstructionSet, Role};

/// A stretch of addresses in which a program counts its places: a memory field, 64K that a base register names, a segment. Where
/// addresses reach all of memory it is all of memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Window {
    base: u32,
    mask: u32,
    /// The last address of memory, after which the first one follows.
    memory: u32,
}

impl Window {
    /// The window of `bits` bits of address that begins at `base`, which need not be a multiple of its size.
    pub const fn new(base: u32, bits: u8) -> Self {
        Self::wrapped(base, bits, u32::MAX)
    }

    /// The same in a memory after whose last address the first one follows, `memory` being one less than a power of two.
    pub const fn wrapped(base: u32, bits: u8, memory: u32) -> Self {
        Self { base, mask: if bits >= 32 { u32::MAX } else { (1 << bits) - 1 }, memory }
    }

    /// Of the windows of `bits` bits that lie side by side from address 0, the one that `address` lies in.
    pub const fn around(address: u32, bits: u8) -> Self {
        let Self { mask, .. } = Self::new(0, bits);
        Self::new(address & !mask, bits)
    }

    /// The window of a segment, by its number.
    pub const fn of_segment(set: &InstructionSet, segment: u32) -> Self {
        let memory = (1 << set.cells.address_bits) - 1;
        Self::wrapped(segment << set.cells.segment_shift & memory, set.cells.window_bits, memory)
    }

    /// Its first address.
    pub const fn base(self) -> u32 {
        self.base
    }

    /// The largest number that names a place in it.
    pub const fn last(self) -> u32 {
        self.mask
    }

    /// The address that a number means in it; the bits that it has no use for are dropped.
    pub const fn address(self, number: u64) -> u32 {
        self.base.wrapping_add(number as u32 & self.mask) & self.memory
    }

    /// The number that an address has in it.
    pub const fn number(self, address: u32) -> u32 {
        address.wrapping_sub(self.base) & self.memory & self.mask
    }

    /// True where the address lies in it.
    pub const fn contains(self, address: u32) -> bool {
        address.wrapping_sub(self.base) & self.memory <= self.mask
    }

    /// The address so many cells further on; its end is followed by its beginning.
    pub const fn behind(self, address: u32, cells: u32) -> u32 {
        self.address(self.number(address) as u64 + cells as u64)
    }
}

/// How cells are read as an instruction.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Context {
    /// The set.
    pub set: &'static InstructionSet,
    /// Where the program is.
    pub window: Window,
}

impl InstructionSet {
    /// The window of a program at an address, as far as the address alone tells.
    pub const fn window(&self, address: u32) -> Window {
        Window::around(address, self.cells.window_bits)
    }

    /// How an instruction at an address is read, as far as the address alone tells.
    pub const fn context(&'static self, address: u32) -> Context {
        Context { set: self, window: self.window(address) }
    }

    /// Bits of the smallest window that a program of any mode may have.
    pub fn smallest_window(&self) -> u8 {
        let other = self.modes.map_or(self.cells.window_bits, |modes| modes.other.cells.window_bits);
        other.min(self.cells.window_bits)
    }

    /// The place of the first register with a role.
    pub fn place_of(&self, role: Role) -> Option<usize> {
        self.registers().iter().position(|register| register.role == role)
    }
}
