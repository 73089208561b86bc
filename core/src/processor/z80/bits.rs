//! The page after CB: shifts, rotations and single bits of a register or of the cell at HL.

use super::alu;
use super::execute::states;
use super::stretch::Stretch;
use crate::processor::Bus;

pub(super) const STATES: [i64; 256] = states(0xCB, 2).0;

/// Executes the opcode that follows. False where there is none: the shift that brings a 1 in is not in the maker's manual.
///
/// PERF: shifts have an arm each, so that the kind is a constant; bits an arm a register.
#[inline(always)]
pub(super) fn page<B: Bus<Cell = u8>>(l: &mut Stretch<'_, B>, undocumented: bool) -> bool {
    let opcode = l.byte();
    l.more_fetches = l.more_fetches.wrapping_add(1);
    l.tally.add(STATES[usize::from(opcode)]);
    let bit = opcode >> 3 & 7;
    if opcode < 0x40 {
        if bit == 6 && !undocumented {
            return false;
        }
        match opcode {
            0x00 => l.r.b = l.shift(0, l.r.b),
            0x01 => l.r.c = l.shift(0, l.r.c),
            0x02 => l.r.d = l.shift(0, l.r.d),
            0x03 => l.r.e = l.shift(0, l.r.e),
            0x04 => l.r.h = l.shift(0, l.r.h),
            0x05 => l.r.l = l.shift(0, l.r.l),
            0x06 => on_cell(l, opcode),
            0x07 => l.r.a = l.shift(0, l.r.a),
            0x08 => l.r.b = l.shift(1, l.r.b),
            0x09 => l.r.c = l.shift(1, l.r.c),
            0x0A => l.r.d = l.shift(1, l.r.d),
            0x0B => l.r.e = l.shift(1, l.r.e),
            0x0C => l.r.h = l.shift(1, l.r.h),
            0x0D => l.r.l = l.shift(1, l.r.l),
            0x0E => on_cell(l, opcode),
            0x0F => l.r.a = l.shift(1, l.r.a),
            0x10 => l.r.b = l.shift(2, l.r.b),
            0x11 => l.r.c = l.shift(2, l.r.c),
            0x12 => l.r.d = l.shift(2, l.r.d),
            0x13 => l.r.e = l.shift(2, l.r.e),
            0x14 => l.r.h = l.shift(2, l.r.h),
            0x15 => l.r.l = l.shift(2, l.r.l),
            0x16 => on_cell(l, opcode),
            0x17 => l.r.a = l.shift(2, l.r.a),
            0x18 => l.r.b = l.shift(3, l.r.b),
            0x19 => l.r.c = l.shift(3, l.r.c),
            0x1A => l.r.d = l.shift(3, l.r.d),
            0x1B => l.r.e = l.shift(3, l.r.e),
            0x1C => l.r.h = l.shift(3, l.r.h),
            0x1D => l.r.l = l.shift(3, l.r.l),
            0x1E => on_cell(l, opcode),
            0x1F => l.r.a = l.shift(3, l.r.a),
            0x20 => l.r.b = l.shift(4, l.r.b),
            0x21 => l.r.c = l.shift(4, l.r.c),
            0x22 => l.r.d = l.shift(4, l.r.d),
            0x23 => l.r.e = l.shift(4, l.r.e),
            0x24 => l.r.h = l.shift(4, l.r.h),
            0x25 => l.r.l = l.shift(4, l.r.l),
            0x26 => on_cell(l, opcode),
            0x27 => l.r.a = l.shift(4, l.r.a),
            0x28 => l.r.b = l.shift(5, l.r.b),
            0x29 => l.r.c = l.shift(5, l.r.c),
            0x2A => l.r.d = l.shift(5, l.r.d),
            0x2B => l.r.e = l.shift(5, l.r.e),
            0x2C => l.r.h = l.shift(5, l.r.h),
            0x2D => l.r.l = l.shift(5, l.r.l),
            0x2E => on_cell(l, opcode),
            0x2F => l.r.a = l.shift(5, l.r.a),
            0x30 => l.r.b = l.shift(6, l.r.b),
            0x31 => l.r.c = l.shift(6, l.r.c),
            0x32 => l.r.d = l.shift(6, l.r.d),
            0x33 => l.r.e = l.shift(6, l.r.e),
            0x34 => l.r.h = l.shift(6, l.r.h),
            0x35 => l.r.l = l.shift(6, l.r.l),
            0x36 => on_cell(l, opcode),
            0x37 => l.r.a = l.shift(6, l.r.a),
            0x38 => l.r.b = l.shift(7, l.r.b),
            0x39 => l.r.c = l.shift(7, l.r.c),
            0x3A => l.r.d = l.shift(7, l.r.d),
            0x3B => l.r.e = l.shift(7, l.r.e),
            0x3C => l.r.h = l.shift(7, l.r.h),
            0x3D => l.r.l = l.shift(7, l.r.l),
            0x3E => on_cell(l, opcode),
            0x3F => l.r.a = l.shift(7, l.r.a),
            _ => {}
        }
    } else {
        match opcode & 0xC7 {
            0x40 => l.set_flags(alu::test_bit(l.r.b, bit, l.r.b, l.r.f)),
            0x41 => l.set_flags(alu::test_bit(l.r.c, bit, l.r.c, l.r.f)),
            0x42 => l.set_flags(alu::test_bit(l.r.d, bit, l.r.d, l.r.f)),
            0x43 => l.set_flags(alu::test_bit(l.r.e, bit, l.r.e, l.r.f)),
            0x44 => l.set_flags(alu::test_bit(l.r.h, bit, l.r.h, l.r.f)),
            0x45 => l.set_flags(alu::test_bit(l.r.l, bit, l.r.l, l.r.f)),
            0x46 => on_cell(l, opcode),
            0x47 => l.set_flags(alu::test_bit(l.r.a, bit, l.r.a, l.r.f)),
            0x80 => l.r.b &= !(1 << bit),
            0x81 => l.r.c &= !(1 << bit),
            0x82 => l.r.d &= !(1 << bit),
            0x83 => l.r.e &= !(1 << bit),
            0x84 => l.r.h &= !(1 << bit),
            0x85 => l.r.l &= !(1 << bit),
            0x86 => on_cell(l, opcode),
            0x87 => l.r.a &= !(1 << bit),
            0xC0 => l.r.b |= 1 << bit,
            0xC1 => l.r.c |= 1 << bit,
            0xC2 => l.r.d |= 1 << bit,
            0xC3 => l.r.e |= 1 << bit,
            0xC4 => l.r.h |= 1 << bit,
            0xC5 => l.r.l |= 1 << bit,
            0xC6 => on_cell(l, opcode),
            0xC7 => l.r.a |= 1 << bit,
            _ => {}
        }
    }
    true
}

/// The same for the cell at HL.
#[inline(always)]
fn on_cell<B: Bus<Cell = u8>>(l: &mut Stretch<'_, B>, opcode: u8) {
    let bit = opcode >> 3 & 7;
    let cell = l.load_at_hl();
    let cell = match opcode >> 6 {
        0 => l.shift(bit, cell),
        // The internal latch shows here.
        1 => return l.set_flags(alu::test_bit(cell, bit, (l.r.wz >> 8) as u8, l.r.f)),
        2 => cell & !(1 << bit),
        _ => cell | 1 << bit,
    };
    l.store_at_hl(cell);
}
