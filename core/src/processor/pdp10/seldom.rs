//! Operations that take long or come seldom: floating point, bytes, blocks, long products, user operations, special jumps.

use super::execute::{INDIRECT, LINK, LONGEST_CHAIN, Left, RIGHT, address};
use super::fixed;
use super::floating::{self, Cut, Floating};
use super::{BIS, Cpu, FLAG_BITS, HALF, LEFT, WORD};
use crate::processor::{Bus, Exit};

/// What comes after an operation.
pub(super) enum After {
    /// The next one.
    Next,
    /// This word, as an instruction.
    Execute(u64),
    /// Nothing more in this loop.
    Leave(Left),
    /// Nothing more, and the operation stays the next one.
    Stays(Exit),
}

/// Where the result of a floating point operation goes, by its last three bits.
const TO_CELL: [bool; 8] = [false, false, true, true, false, false, true, true];
const TO_ACCUMULATOR: [bool; 8] = [true, true, false, true, true, true, false, true];

impl Cpu {
    /// Executes what the loop has no arm for. Registers, flags and time are in `self`.
    #[inline(never)]
    pub(super) fn seldom<B: Bus<Cell = u64>>(&mut self, bus: &mut B, word: u64, e: u32) -> After {
        let accumulator = (word >> 23) as u32 & 0o17;
        match word >> 27 {
            0o001..=0o077 => return self.user_operation(bus, word, e, 0o40),
            0o130 => {
                let sum = floating::add_unnormalized(bus.register(accumulator), bus.read(e, self.now));
                self.registers.flags |= sum.flags;
                bus.set_register((accumulator + 1) & 0o17, sum.word);
            }
            0o131 => {
                let (high, low) = floating::negate_double(bus.register(accumulator), bus.read(e, self.now));
                bus.set_register(accumulator, high);
                bus.write(e, low, self.now);
            }
            0o132 => {
                let found = floating::scale(bus.register(accumulator), fixed::places(e));
                self.registers.flags |= found.flags;
                bus.set_register(accumulator, found.word);
            }
            operation @ 0o133..=0o137 => return self.byte(bus, (operation, accumulator, e)),
            operation @ 0o140..=0o177 => self.floating(bus, (operation, accumulator, e)),
            operation @ 0o224..=0o227 => self.long_product(bus, operation, accumulator, e),
            operation @ 0o230..=0o237 => self.quotient(bus, operation, accumulator, e),
            0o251 => self.block(bus, accumulator, e),
            0o254 => return self.special_jump(bus, word, e),
            0o700..=0o777 => {
                self.serve(bus, word, e);
                // The processor's own conditions may let an interrupt in, now or later.
                if word >> 24 & 0o774 <= 4 {
                    return After::Leave(Left::Looks);
                }
            }
            // What the machine has no operation for.
            _ => return self.user_operation(bus, word, e, if word >> 27 == 0 { 0o40 } else { 0o60 }),
        }
        After::Next
    }

    /// Puts itself, with the address that was found, into a cell and executes the next one. Where that is empty it would do so
    /// for ever, and the machine says so instead.
    fn user_operation<B: Bus<Cell = u64>>(&mut self, bus: &mut B, word: u64, e: u32, cell: u32) -> After {
        let next = bus.read(cell + 1, self.now);
        if next == 0 {
            return After::Stays(Exit::Undefined);
        }
        bus.write(cell, word & (0o77_7740 << 18) | u64::from(e), self.now);
        After::Execute(next)
    }

    fn floating<B: Bus<Cell = u64>>(&mut self, bus: &mut B, (operation, accumulator, e): (u64, u32, u32)) {
        let mode = (operation & 7) as usize;
        let own = bus.register(accumulator);
        let next = (accumulator + 1) & 0o17;
        let cell = if mode == 5 { u64::from(e) << 18 } else { bus.read(e, self.now) };
        let cut = match mode {
            1 => Cut::Long,
            4.. => Cut::Rounded,
            _ => Cut::Short,
        };
        let found = match (operation >> 3 & 3, mode) {
            (0, _) => Ok(floating::add(own, cell, cut)),
            (1, _) => Ok(floating::subtract(own, cell, cut)),
            (2, _) => Ok(floating::multiply(own, cell, cut)),
            (_, 1) => floating::divide_long(own, bus.register(next), cell),
            _ => floating::divide(own, cell, cut),
        };
        let Floating { word, low, flags } = match found {
            Ok(found) => found,
            Err(flags) => {
                self.registers.flags |= flags;
                return;
            }
        };
        self.registers.flags |= flags;
        if TO_CELL[mode] {
            bus.write(e, word, self.now);
        }
        if TO_ACCUMULATOR[mode] {
            bus.set_register(accumulator, word);
        }
        if mode == 1 {
            bus.set_register(next, low);
        }
    }

    /// The other factor or the divisor, by the mode.
    fn other<B: Bus<Cell = u64>>(&self, bus: &mut B, operation: u64, e: u32) -> u64 {
        if operation & 3 == 1 { e.into() } else { bus.read(e, self.now) }
    }

    /// Puts two words of result where the mode says: the second one only beside the accumulator.
    fn put_two<B: Bus<Cell = u64>>(
        &self,
        bus: &mut B,
        (operation, accumulator, e): (u64, u32, u32),
        (first, second): (u64, u64),
    ) {
        if operation & 2 != 0 {
            bus.write(e, first, self.now);
        }
        if operation & 3 != 2 {
            bus.set_register(accumulator, first);
            bus.set_register((accumulator + 1) & 0o17, second);
        }
    }

    fn long_product<B: Bus<Cell = u64>>(&mut self, bus: &mut B, operation: u64, accumulator: u32, e: u32) {
        let other = self.other(bus, operation, e);
        let (product, flags) = fixed::multiply(bus.register(accumulator), other);
        self.registers.flags |= flags;
        self.put_two(bus, (operation, accumulator, e), product);
    }

    fn quotient<B: Bus<Cell = u64>>(&mut self, bus: &mut B, operation: u64, accumulator: u32, e: u32) {
        let other = self.other(bus, operation, e);
        let own = bus.register(accumulator);
        let found = match operation & 4 {
            0 => fixed::divide_integer(own, other),
            _ => fixed::divide(own, bus.register((accumulator + 1) & 0o17), other),
        };
        match found {
            Ok(result) => self.put_two(bus, (operation, accumulator, e), result),
            Err(flags) => self.registers.flags |= flags,
        }
    }

    /// Counts byte pointers, loads and deposits bytes. A pointer is position, size, and an address like that of an instruction.
    fn byte<B: Bus<Cell = u64>>(
        &mut self,
        bus: &mut B,
        (operation, accumulator, e): (u64, u32, u32),
    ) -> After {
        let mut pointer = bus.read(e, self.now);
        let size = pointer >> 24 & 0o77;
        let counts = matches!(operation, 0o133 | 0o134 | 0o136);
        if counts && (operation == 0o133 || self.registers.flags & BIS == 0) {
            pointer = match (pointer >> 30).checked_sub(size) {
                Some(position) => pointer & !(0o77 << 30) | position << 30,
                // The first byte of the next word.
                None => {
                    let position = 36u64.saturating_sub(size);
                    let next = ((pointer & HALF) + 1) & HALF;
                    pointer & LEFT & !(0o77 << 30) | position << 30 | next
                }
            };
            bus.write(e, pointer, self.now);
        }
        if operation == 0o133 {
            return After::Next;
        }
        self.registers.flags &= !BIS;
        let index = (pointer >> 18) as u32 & 0o17;
        let mut at = address(pointer);
        if index != 0 {
            at = (at + address(bus.register(index))) & RIGHT;
        }
        if pointer & INDIRECT != 0 {
            let (found, steps) = self.chain(bus, at, self.now);
            self.now += u64::from(steps) * u64::from(LINK);
            if steps > LONGEST_CHAIN {
                return After::Stays(Exit::Chain);
            }
            at = found;
        }
        let position = pointer >> 30;
        let ones = if size >= 36 { WORD } else { (1 << size) - 1 };
        let cell = bus.read(at, self.now);
        if operation < 0o136 {
            bus.set_register(accumulator, cell >> position & ones);
        } else {
            let mask = ones << position & WORD;
            let byte = bus.register(accumulator) << position & mask;
            bus.write(at, cell & !mask | byte, self.now);
        }
        After::Next
    }

    /// Copies cells, at least one, up to the address `last`.
    fn block<B: Bus<Cell = u64>>(&mut self, bus: &mut B, accumulator: u32, last: u32) {
        let pointer = bus.register(accumulator);
        let (mut from, mut to) = ((pointer >> 18) as u32, address(pointer));
        loop {
            let cell = bus.read(from, self.now);
            bus.write(to, cell, self.now);
            self.now += 24;
            if to >= last {
                return;
            }
            (from, to) = ((from + 1) & RIGHT, to + 1);
        }
    }

    /// JRST with bits in place of an accumulator.
    fn special_jump<B: Bus<Cell = u64>>(&mut self, bus: &mut B, word: u64, e: u32) -> After {
        let (bits, index) = ((word >> 23) as u32 & 0o17, (word >> 18) as u32 & 0o17);
        let own = self.registers.pc.wrapping_sub(1) & RIGHT;
        self.registers.pc = e;
        if bits & 0o10 != 0 {
            self.dismiss();
        }
        if bits & 0o2 != 0 {
            // What the address came from: the last cell of a chain, an accumulator, or the instruction.
            let from = match index {
                _ if word & INDIRECT != 0 => self.last,
                0 => word,
                index => bus.register(index),
            };
            self.registers.flags = from & FLAG_BITS;
        }
        if bits & 0o4 != 0 {
            self.halt = Some(own);
            return After::Leave(Left::Exit(Exit::Stop));
        }
        After::Leave(Left::Looks)
    }
}
