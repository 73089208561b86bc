//! The page after ED: words with carry, blocks, ports, interrupts.

use super::Engine;
use super::alu::{self, C, H, N, PV, S, X, Y, Z};
use super::execute::states;
use super::stretch::{Left, Stretch};
use super::table::{ROWS, Z80};
use crate::processor::{Bus, index_page};

pub(super) const STATES: [i64; 256] = states(0xED, 2).0;
const MORE: [i64; 256] = states(0xED, 2).1;
const DOCUMENTED: [u16; 256] = index_page(ROWS, Z80, (0xED, 2), &[]);

/// What became of an opcode of the page.
pub(super) enum Done {
    /// It is done.
    On,
    /// The bus may want attention.
    Look,
    /// The loop has to be left.
    Left(Left),
    /// There is no such opcode.
    Undefined,
}

/// Executes the opcode that follows.
#[inline(never)]
pub(super) fn page<B: Bus<Cell = u8>>(
    l: &mut Stretch<'_, B>,
    engine: &mut Engine,
    undocumented: bool,
) -> Done {
    let opcode = l.byte();
    l.more_fetches = l.more_fetches.wrapping_add(1);
    l.tally.add(STATES[usize::from(opcode)]);
    if !undocumented && DOCUMENTED[usize::from(opcode)] == 0 {
        return Done::Undefined;
    }
    let more = MORE[usize::from(opcode)];
    macro_rules! into_register {
        ($register:ident) => {{
            l.r.$register = l.input_with_flags();
            return Done::Look;
        }};
    }
    macro_rules! from_register {
        ($value:expr) => {{
            l.output_to_c($value);
            return Done::Look;
        }};
    }
    match opcode {
        0x40 => into_register!(b),
        0x48 => into_register!(c),
        0x50 => into_register!(d),
        0x58 => into_register!(e),
        0x60 => into_register!(h),
        0x68 => into_register!(l),
        0x70 => {
            l.input_with_flags();
            return Done::Look;
        }
        0x78 => into_register!(a),
        0x41 => from_register!(l.r.b),
        0x49 => from_register!(l.r.c),
        0x51 => from_register!(l.r.d),
        0x59 => from_register!(l.r.e),
        0x61 => from_register!(l.r.h),
        0x69 => from_register!(l.r.l),
        0x71 => from_register!(0),
        0x79 => from_register!(l.r.a),
        0x42 => l.subtract_pair(l.bc()),
        0x52 => l.subtract_pair(l.de()),
        0x62 => l.subtract_pair(l.hl()),
        0x72 => l.subtract_pair(l.r.sp),
        0x4A => l.add_pair_with_carry(l.bc()),
        0x5A => l.add_pair_with_carry(l.de()),
        0x6A => l.add_pair_with_carry(l.hl()),
        0x7A => l.add_pair_with_carry(l.r.sp),
        0x43 => l.store_direct(l.bc()),
        0x53 => l.store_direct(l.de()),
        0x63 => l.store_direct(l.hl()),
        0x73 => l.store_direct(l.r.sp),
        0x4B => {
            let word = l.load_direct();
            l.set_bc(word);
        }
        0x5B => {
            let word = l.load_direct();
            l.set_de(word);
        }
        0x6B => {
            let word = l.load_direct();
            l.set_hl(word);
        }
        0x7B => l.r.sp = l.load_direct(),
        0x44 | 0x4C | 0x54 | 0x5C | 0x64 | 0x6C | 0x74 | 0x7C => {
            let (a, flags) = alu::subtract(0, l.r.a, 0);
            l.r.a = a;
            l.set_flags(flags);
        }
        0x45 | 0x4D | 0x55 | 0x5D | 0x65 | 0x6D | 0x75 | 0x7D => {
            l.return_back();
            if opcode == 0x4D {
                l.bus.returned(l.tally.now());
            }
            engine.interrupts.restore();
            return Done::Left(Left::Enabled);
        }
        0x46 | 0x4E | 0x66 | 0x6E => engine.interrupts.mode = 0,
        0x56 | 0x76 => engine.interrupts.mode = 1,
        0x5E | 0x7E => engine.interrupts.mode = 2,
        0x47 => engine.i = l.r.a,
        0x4F => engine.set_refresh(l.r.a, l.fetches()),
        0x57 => l.load_special(engine.i, engine.interrupts.second),
        0x5F => l.load_special(engine.refresh(l.fetches()), engine.interrupts.second),
        0x67 | 0x6F => l.rotate_digits(opcode == 0x6F),
        0xA0 | 0xA8 | 0xB0 | 0xB8 => l.copy_block(opcode, more),
        0xA1 | 0xA9 | 0xB1 | 0xB9 => l.compare_block(opcode, more),
        0xA2 | 0xAA | 0xB2 | 0xBA => {
            l.input_block(opcode, more);
            return Done::Look;
        }
        0xA3 | 0xAB | 0xB3 | 0xBB => {
            l.output_block(opcode, more);
            return Done::Look;
        }
        _ => {}
    }
    Done::On
}

/// Bit of a block instruction's opcode that makes it repeat.
const REPEATS: u8 = 0x10;
/// Bit that makes it count down.
const DOWN: u8 = 0x08;

fn step(opcode: u8) -> u16 {
    if opcode & DOWN != 0 { 0xFFFF } else { 1 }
}

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    /// Opcode fetches of this stretch, this one among them.
    #[inline(always)]
    fn fetches(&self) -> u8 {
        (self.tally.count() as u8).wrapping_add(self.more_fetches)
    }

    #[inline(always)]
    fn input_with_flags(&mut self) -> u8 {
        let value = self.input(self.bc());
        self.r.wz = self.bc().wrapping_add(1);
        self.set_flags(alu::result(value) | self.r.f & C);
        value
    }

    #[inline(always)]
    fn output_to_c(&mut self, value: u8) {
        self.out(self.bc(), value);
        self.r.wz = self.bc().wrapping_add(1);
    }

    #[inline(always)]
    fn subtract_pair(&mut self, value: u16) {
        let (word, flags) = alu::subtract_word(self.hl(), value, self.r.f & C);
        self.r.wz = self.hl().wrapping_add(1);
        self.set_hl(word);
        self.set_flags(flags);
    }

    #[inline(always)]
    fn add_pair_with_carry(&mut self, value: u16) {
        let (word, flags) = alu::add_word_with_carry(self.hl(), value, self.r.f & C);
        self.r.wz = self.hl().wrapping_add(1);
        self.set_hl(word);
        self.set_flags(flags);
    }

    #[inline(always)]
    fn load_special(&mut self, value: u8, enabled: bool) {
        self.r.a = value;
        let enabled = if enabled { PV } else { 0 };
        self.set_flags(alu::result(value) & !PV | enabled | self.r.f & C);
    }

    /// RLD and RRD.
    #[inline(always)]
    fn rotate_digits(&mut self, left: bool) {
        let cell = self.load_at_hl();
        let digit = self.r.a & 0x0F;
        let (cell, digit) =
            if left { (cell << 4 | digit, cell >> 4) } else { (digit << 4 | cell >> 4, cell & 0x0F) };
        self.store_at_hl(cell);
        self.r.wz = self.hl().wrapping_add(1);
        self.r.a = self.r.a & 0xF0 | digit;
        self.set_flags(alu::result(self.r.a) | self.r.f & C);
    }

    /// Y and X of a block instruction that will be repeated are those of the high half of its address, as far as is known.
    #[inline(always)]
    fn repeat_block(&mut self, more: i64) {
        self.repeat(more);
        self.r.f = self.r.f & !(Y | X) | (self.r.pc >> 8) as u8 & (Y | X);
    }

    /// LDI, LDD, LDIR and LDDR.
    #[inline(always)]
    fn copy_block(&mut self, opcode: u8, more: i64) {
        let value = self.load_at_hl();
        self.store(self.de(), value);
        self.set_hl(self.hl().wrapping_add(step(opcode)));
        self.set_de(self.de().wrapping_add(step(opcode)));
        self.set_bc(self.bc().wrapping_sub(1));
        let seen = self.r.a.wrapping_add(value);
        let left = if self.bc() != 0 { PV } else { 0 };
        self.set_flags(self.r.f & (S | Z | C) | left | seen & X | seen << 4 & Y);
        if opcode & REPEATS != 0 && left != 0 {
            self.repeat_block(more);
        }
    }

    /// CPI, CPD, CPIR and CPDR.
    #[inline(always)]
    fn compare_block(&mut self, opcode: u8, more: i64) {
        let value = self.load_at_hl();
        let flags = alu::subtract(self.r.a, value, 0).1 & (S | Z | H | N);
        let seen = self.r.a.wrapping_sub(value).wrapping_sub(u8::from(flags & H != 0));
        self.set_hl(self.hl().wrapping_add(step(opcode)));
        self.set_bc(self.bc().wrapping_sub(1));
        self.r.wz = self.r.wz.wrapping_add(step(opcode));
        let left = if self.bc() != 0 { PV } else { 0 };
        self.set_flags(flags | left | self.r.f & C | seen & X | seen << 4 & Y);
        if opcode & REPEATS != 0 && left != 0 && flags & Z == 0 {
            self.repeat_block(more);
        }
    }

    /// What all transfers of blocks with ports do to the flags. `other`: what is added to the value.
    #[inline(always)]
    fn port_block_flags(&mut self, opcode: u8, value: u8, other: u8, more: i64) {
        let sum = u16::from(value) + u16::from(other);
        let b = self.r.b;
        let carries = if sum > 0xFF { H | C } else { 0 };
        let parity = alu::result(sum as u8 & 7 ^ b) & PV;
        self.set_flags(alu::result(b) & !PV | carries | parity | value >> 6 & N);
        if opcode & REPEATS == 0 || b == 0 {
            return;
        }
        self.repeat_block(more);
        // From measurements of parts; no manual speaks of it.
        let (looked_at, half) = match (carries != 0, value & 0x80 != 0) {
            (true, true) => (b.wrapping_sub(1), b & 0x0F == 0),
            (true, false) => (b.wrapping_add(1), b & 0x0F == 0x0F),
            (false, _) => (b, false),
        };
        let turned = !alu::result(looked_at & 7) & PV;
        self.r.f = (self.r.f ^ turned) & !H | if half { H } else { 0 };
    }

    /// INI, IND, INIR and INDR.
    #[inline(always)]
    fn input_block(&mut self, opcode: u8, more: i64) {
        let port = self.bc();
        let value = self.input(port);
        self.r.wz = port.wrapping_add(step(opcode));
        self.r.b = self.r.b.wrapping_sub(1);
        self.store_at_hl(value);
        self.set_hl(self.hl().wrapping_add(step(opcode)));
        self.port_block_flags(opcode, value, self.r.c.wrapping_add(step(opcode) as u8), more);
    }

    /// OUTI, OUTD, OTIR and OTDR.
    #[inline(always)]
    fn output_block(&mut self, opcode: u8, more: i64) {
        let value = self.load_at_hl();
        self.r.b = self.r.b.wrapping_sub(1);
        self.r.wz = self.bc().wrapping_add(step(opcode));
        self.out(self.bc(), value);
        self.set_hl(self.hl().wrapping_add(step(opcode)));
        self.port_block_flags(opcode, value, self.r.l, more);
    }
}
