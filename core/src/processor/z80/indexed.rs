//! The pages after DD and FD: what speaks of an index register. Both have the same opcodes.

use super::alu;
use super::execute::states;
use super::stretch::Stretch;
use super::table::{ROWS, Z80};
use crate::processor::{Bus, Tally, index_page};

const STATES: [i64; 256] = states(0xDD, 2).0;
const BIT_STATES: [i64; 256] = states(0xDD_CB, 3).0;
const DOCUMENTED: [u16; 256] = index_page(ROWS, Z80, (0xDD, 2), &[]);
const DOCUMENTED_BITS: [u16; 256] = index_page(ROWS, Z80, (0xDD_CB, 3), &[]);

/// T-states of a prefix that does nothing.
const PREFIX_STATES: u8 = 4;

/// What became of an opcode of the page.
pub(super) enum Done {
    /// It is done.
    On,
    /// A jump to itself.
    Idle,
    /// The prefix did nothing, and the opcode is still to come.
    Prefix,
    /// There is no such opcode.
    Undefined,
}

/// Executes the opcode that follows the prefix.
#[inline(never)]
pub(super) fn page<B: Bus<Cell = u8>>(l: &mut Stretch<'_, B>, prefix: u8, undocumented: bool) -> Done {
    let mut index = if prefix == 0xDD { l.r.ix } else { l.r.iy };
    let opcode = l.byte();
    l.more_fetches = l.more_fetches.wrapping_add(1);
    if opcode == 0xCB {
        return bits(l, index, undocumented);
    }
    if !undocumented && DOCUMENTED[usize::from(opcode)] == 0 {
        return Done::Undefined;
    }
    l.tally.add(STATES[usize::from(opcode)]);
    macro_rules! high {
        ($value:expr) => {{
            let value: u8 = $value;
            index = u16::from(value) << 8 | index & 0xFF;
        }};
    }
    macro_rules! low {
        ($value:expr) => {{
            let value: u8 = $value;
            index = index & 0xFF00 | u16::from(value);
        }};
    }
    let (high, low) = ((index >> 8) as u8, index as u8);
    match opcode {
        0x09 => index = l.add_pair(index, l.bc()),
        0x19 => index = l.add_pair(index, l.de()),
        0x29 => index = l.add_pair(index, index),
        0x39 => index = l.add_pair(index, l.r.sp),
        0x21 => index = l.word(),
        0x22 => l.store_direct(index),
        0x2A => index = l.load_direct(),
        0x23 => index = index.wrapping_add(1),
        0x2B => index = index.wrapping_sub(1),
        0x24 => high!(l.increment(high)),
        0x25 => high!(l.decrement(high)),
        0x26 => high!(l.byte()),
        0x2C => low!(l.increment(low)),
        0x2D => low!(l.decrement(low)),
        0x2E => low!(l.byte()),
        0x34 => l.change_indexed(index, 1),
        0x35 => l.change_indexed(index, -1),
        0x36 => {
            let address = l.displaced(index);
            let value = l.byte();
            l.store(address, value);
        }
        0x44 => l.r.b = high,
        0x4C => l.r.c = high,
        0x54 => l.r.d = high,
        0x5C => l.r.e = high,
        0x7C => l.r.a = high,
        0x45 => l.r.b = low,
        0x4D => l.r.c = low,
        0x55 => l.r.d = low,
        0x5D => l.r.e = low,
        0x7D => l.r.a = low,
        0x60 => high!(l.r.b),
        0x61 => high!(l.r.c),
        0x62 => high!(l.r.d),
        0x63 => high!(l.r.e),
        0x64 => {}
        0x65 => high!(low),
        0x67 => high!(l.r.a),
        0x68 => low!(l.r.b),
        0x69 => low!(l.r.c),
        0x6A => low!(l.r.d),
        0x6B => low!(l.r.e),
        0x6C => low!(high),
        0x6D => {}
        0x6F => low!(l.r.a),
        0x46 => l.r.b = l.load_indexed(index),
        0x4E => l.r.c = l.load_indexed(index),
        0x56 => l.r.d = l.load_indexed(index),
        0x5E => l.r.e = l.load_indexed(index),
        0x66 => l.r.h = l.load_indexed(index),
        0x6E => l.r.l = l.load_indexed(index),
        0x7E => l.r.a = l.load_indexed(index),
        0x70 => l.store_indexed(index, l.r.b),
        0x71 => l.store_indexed(index, l.r.c),
        0x72 => l.store_indexed(index, l.r.d),
        0x73 => l.store_indexed(index, l.r.e),
        0x74 => l.store_indexed(index, l.r.h),
        0x75 => l.store_indexed(index, l.r.l),
        0x77 => l.store_indexed(index, l.r.a),
        0x84 | 0x8C | 0x94 | 0x9C | 0xA4 | 0xAC | 0xB4 | 0xBC => l.arithmetic(opcode >> 3, high),
        0x85 | 0x8D | 0x95 | 0x9D | 0xA5 | 0xAD | 0xB5 | 0xBD => l.arithmetic(opcode >> 3, low),
        0x86 | 0x8E | 0x96 | 0x9E | 0xA6 | 0xAE | 0xB6 | 0xBE => {
            let value = l.load_indexed(index);
            l.arithmetic(opcode >> 3, value);
        }
        0xE1 => index = l.pop(),
        0xE3 => index = l.exchange_top(index),
        0xE5 => l.push(index),
        0xE9 => {
            return if l.jump(index, 2) { Done::Idle } else { Done::On };
        }
        0xF9 => l.r.sp = index,
        _ => {
            // The opcode is fetched again as one without a prefix.
            l.r.pc = l.r.pc.wrapping_sub(1);
            l.more_fetches = l.more_fetches.wrapping_sub(1);
            l.tally.add(Tally::more(PREFIX_STATES));
            return Done::Prefix;
        }
    }
    if prefix == 0xDD {
        l.r.ix = index;
    } else {
        l.r.iy = index;
    }
    Done::On
}

/// A distance, then one of the opcodes of bits. Their results go into a register, too, where the opcode names one.
#[inline(always)]
fn bits<B: Bus<Cell = u8>>(l: &mut Stretch<'_, B>, index: u16, undocumented: bool) -> Done {
    let distance = l.byte();
    let opcode = l.byte();
    if !undocumented && DOCUMENTED_BITS[usize::from(opcode)] == 0 {
        l.r.pc = l.r.pc.wrapping_sub(2);
        return Done::Undefined;
    }
    let address = l.displaced_by(index, distance);
    l.tally.add(BIT_STATES[usize::from(opcode)]);
    let cell = l.load(address);
    let bit = opcode >> 3 & 7;
    let value = match opcode >> 6 {
        0 => l.shift(bit, cell),
        1 => {
            l.set_flags(alu::test_bit(cell, bit, (address >> 8) as u8, l.r.f));
            return Done::On;
        }
        2 => cell & !(1 << bit),
        _ => cell | 1 << bit,
    };
    l.store(address, value);
    match opcode & 7 {
        0 => l.r.b = value,
        1 => l.r.c = value,
        2 => l.r.d = value,
        3 => l.r.e = value,
        4 => l.r.h = value,
        5 => l.r.l = value,
        7 => l.r.a = value,
        _ => {}
    }
    Done::On
}

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    /// The address that the distance after the opcode leads to.
    #[inline(always)]
    fn displaced(&mut self, index: u16) -> u16 {
        let distance = self.byte();
        self.displaced_by(index, distance)
    }

    #[inline(always)]
    fn displaced_by(&mut self, index: u16, distance: u8) -> u16 {
        self.r.wz = index.wrapping_add_signed(i16::from(distance as i8));
        self.r.wz
    }

    #[inline(always)]
    fn load_indexed(&mut self, index: u16) -> u8 {
        let address = self.displaced(index);
        self.load(address)
    }

    #[inline(always)]
    fn store_indexed(&mut self, index: u16, value: u8) {
        let address = self.displaced(index);
        self.store(address, value);
    }

    #[inline(always)]
    fn change_indexed(&mut self, index: u16, by: i8) {
        let address = self.displaced(index);
        let cell = self.load(address);
        let cell = if by > 0 { self.increment(cell) } else { self.decrement(cell) };
        self.store(address, cell);
    }
}
