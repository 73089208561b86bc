//! The run loop and the opcodes without a prefix.
//!
//! PERF: explicit arms with constant registers, as in the other processors' loops; lengths stand in the arms' fetches, T-states come
//! from the table. A prefix adds the instruction, the page after it the T-states.

use super::alu::{self, C, H, N, PV, S, X, Y, Z};
use super::stretch::{Left, Stretch};
use super::{Engine, Second, bits, extended, indexed};
use crate::processor::z80::table::{ROWS, Z80U};
use crate::processor::{Bus, Exit, Tally, Watch, index_page};

/// T-states of each opcode of a page when its condition fails, and how many more when it holds, as a [`Tally`] adds them.
pub(super) const fn states(prefix: u32, cells: u8) -> ([i64; 256], [i64; 256]) {
    let index = index_page(ROWS, Z80U, (prefix, cells), &[]);
    let mut step = [0; 256];
    let mut more = [0; 256];
    let mut opcode = 0;
    while opcode < 256 {
        if index[opcode] != 0 {
            let timing = ROWS[index[opcode] as usize - 1].timing[0];
            step[opcode] = Tally::more(timing.base);
            more[opcode] = Tally::more(timing.taken - timing.base);
        }
        opcode += 1;
    }
    (step, more)
}

/// What an opcode without a prefix adds; a prefix adds the instruction alone.
const STEP: [i64; 256] = {
    let mut step = states(0, 1).0;
    let mut opcode = 0;
    while opcode < 256 {
        step[opcode] = match opcode {
            0xCB | 0xDD | 0xED | 0xFD => 1,
            _ => step[opcode] + 1,
        };
        opcode += 1;
    }
    step
};
const MORE: [i64; 256] = states(0, 1).1;

impl Engine {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
    ///
    /// PERF: in one file with the loop, so that both come into one part of the compiled crate and the compiler sees that nobody else
    /// calls it.
    pub(super) fn run_until<B, W>(
        &mut self,
        bus: &mut B,
        watch: &mut W,
        limit: u64,
        undocumented: bool,
    ) -> Exit
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        while self.now < limit {
            let mut inner_limit = limit;
            let shadow = std::mem::take(&mut self.shadow);
            if shadow {
                inner_limit = self.now + 1;
            } else if self.interrupt(bus) {
                // The acknowledgement has changed what the chips ask for.
                if bus.attention() {
                    return Exit::Attention;
                }
                continue;
            }
            if self.halted.is_some() {
                return Exit::Halt;
            }
            match self.execute(bus, watch, inner_limit, undocumented) {
                Left::Limit => {}
                Left::Shadow => self.shadow = true,
                // What waits after EI ends the waiting at once.
                Left::Exit(Exit::Halt | Exit::Idle) if self.interrupts.acceptable(self.now).is_some() => {}
                Left::Enabled if bus.attention() => return Exit::Attention,
                Left::Enabled => {}
                Left::Exit(exit) => {
                    if exit == Exit::Undefined {
                        self.take_back(bus);
                    }
                    self.shadow = shadow && exit.is_before();
                    return exit;
                }
            }
        }
        Exit::Limit
    }

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's. `undocumented`: what the maker left out of
    /// the manual is done, too.
    #[inline(never)]
    pub(super) fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64, undocumented: bool) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        let tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);
        let flags_set = if self.flags_set { 0 } else { u32::MAX };
        let mut l = Stretch { r: self.registers, bus, tally, more_fetches: 0, flags_set };

        macro_rules! leave {
            ($left:expr) => {{
                let left = $left;
                self.registers = l.r;
                self.now = l.tally.now();
                self.instructions += l.tally.instructions();
                self.flags_set = l.flags_set == l.tally.count();
                self.refresh = self.refresh.wrapping_add(l.tally.count() as u8).wrapping_add(l.more_fetches);
                W::after(local, l.tally);
                return left;
            }};
        }
        // Where a jump leads to itself, nothing but an event from outside can change anything.
        macro_rules! idle {
            ($itself:expr) => {
                if $itself {
                    leave!(Left::Exit(Exit::Idle));
                }
            };
        }
        macro_rules! look_around {
            () => {
                if l.bus.attention() {
                    leave!(Left::Exit(Exit::Attention));
                }
            };
        }
        macro_rules! undefined {
            ($cells:expr) => {{
                l.r.pc = l.r.pc.wrapping_sub($cells);
                l.tally.undo(Tally::step(0));
                leave!(Left::Exit(Exit::Undefined));
            }};
        }

        // PERF: a page that is called is given a copy, so that this one stays taken apart.
        macro_rules! apart {
            (|$apart:ident| $call:expr) => {{
                let mut copy = l;
                let $apart = &mut copy;
                let done = $call;
                l = copy;
                done
            }};
        }

        loop {
            // PERF: two branches. Marked as seldom taken, the loop with stops took 13 % more: the compiler then kept an old tally.
            if l.tally.due() {
                break;
            }
            if W::before(&mut local, l.r.pc.into(), l.tally) {
                break;
            }
            let opcode = l.byte();
            l.tally.add(STEP[usize::from(opcode)]);
            match opcode {
                0x00 => {}
                0x01 => {
                    let word = l.word();
                    l.set_bc(word);
                }
                0x02 => l.store_a(l.bc()),
                0x03 => l.set_bc(l.bc().wrapping_add(1)),
                0x04 => l.r.b = l.increment(l.r.b),
                0x05 => l.r.b = l.decrement(l.r.b),
                0x06 => l.r.b = l.byte(),
                0x07 => l.rotate_a(0),
                0x08 => l.exchange_af(&mut self.second),
                0x09 => {
                    let sum = l.add_pair(l.hl(), l.bc());
                    l.set_hl(sum);
                }
                0x0A => l.load_a(l.bc()),
                0x0B => l.set_bc(l.bc().wrapping_sub(1)),
                0x0C => l.r.c = l.increment(l.r.c),
                0x0D => l.r.c = l.decrement(l.r.c),
                0x0E => l.r.c = l.byte(),
                0x0F => l.rotate_a(1),
                0x10 => {
                    l.r.b = l.r.b.wrapping_sub(1);
                    // It counts, so that to itself it is no idling.
                    l.jump_near_if(l.r.b != 0, MORE[0x10]);
                }
                0x11 => {
                    let word = l.word();
                    l.set_de(word);
                }
                0x12 => l.store_a(l.de()),
                0x13 => l.set_de(l.de().wrapping_add(1)),
                0x14 => l.r.d = l.increment(l.r.d),
                0x15 => l.r.d = l.decrement(l.r.d),
                0x16 => l.r.d = l.byte(),
                0x17 => l.rotate_a(2),
                0x18 => idle!(l.jump_near()),
                0x19 => {
                    let sum = l.add_pair(l.hl(), l.de());
                    l.set_hl(sum);
                }
                0x1A => l.load_a(l.de()),
                0x1B => l.set_de(l.de().wrapping_sub(1)),
                0x1C => l.r.e = l.increment(l.r.e),
                0x1D => l.r.e = l.decrement(l.r.e),
                0x1E => l.r.e = l.byte(),
                0x1F => l.rotate_a(3),
                0x20 => idle!(l.jump_near_if(l.r.f & Z == 0, MORE[0x20])),
                0x21 => {
                    let word = l.word();
                    l.set_hl(word);
                }
                0x22 => l.store_direct(l.hl()),
                0x23 => l.set_hl(l.hl().wrapping_add(1)),
                0x24 => l.r.h = l.increment(l.r.h),
                0x25 => l.r.h = l.decrement(l.r.h),
                0x26 => l.r.h = l.byte(),
                0x27 => l.adjust_decimal(),
                0x28 => idle!(l.jump_near_if(l.r.f & Z != 0, MORE[0x28])),
                0x29 => {
                    let sum = l.add_pair(l.hl(), l.hl());
                    l.set_hl(sum);
                }
                0x2A => {
                    let word = l.load_direct();
                    l.set_hl(word);
                }
                0x2B => l.set_hl(l.hl().wrapping_sub(1)),
                0x2C => l.r.l = l.increment(l.r.l),
                0x2D => l.r.l = l.decrement(l.r.l),
                0x2E => l.r.l = l.byte(),
                0x2F => l.complement(),
                0x30 => idle!(l.jump_near_if(l.r.f & C == 0, MORE[0x30])),
                0x31 => {
                    let word = l.word();
                    l.r.sp = word;
                }
                0x32 => {
                    let address = l.word();
                    l.store_a(address);
                }
                0x33 => l.r.sp = l.r.sp.wrapping_add(1),
                0x34 => {
                    let cell = l.load_at_hl();
                    let cell = l.increment(cell);
                    l.store_at_hl(cell);
                }
                0x35 => {
                    let cell = l.load_at_hl();
                    let cell = l.decrement(cell);
                    l.store_at_hl(cell);
                }
                0x36 => {
                    let value = l.byte();
                    l.store_at_hl(value);
                }
                0x37 => l.carry(true),
                0x38 => idle!(l.jump_near_if(l.r.f & C != 0, MORE[0x38])),
                0x39 => {
                    let sum = l.add_pair(l.hl(), l.r.sp);
                    l.set_hl(sum);
                }
                0x3A => {
                    let address = l.word();
                    l.load_a(address);
                }
                0x3B => l.r.sp = l.r.sp.wrapping_sub(1),
                0x3C => l.r.a = l.increment(l.r.a),
                0x3D => l.r.a = l.decrement(l.r.a),
                0x3E => l.r.a = l.byte(),
                0x3F => l.carry(false),
                0x40 => {}
                0x41 => l.r.b = l.r.c,
                0x42 => l.r.b = l.r.d,
                0x43 => l.r.b = l.r.e,
                0x44 => l.r.b = l.r.h,
                0x45 => l.r.b = l.r.l,
                0x46 => l.r.b = l.load_at_hl(),
                0x47 => l.r.b = l.r.a,
                0x48 => l.r.c = l.r.b,
                0x49 => {}
                0x4A => l.r.c = l.r.d,
                0x4B => l.r.c = l.r.e,
                0x4C => l.r.c = l.r.h,
                0x4D => l.r.c = l.r.l,
                0x4E => l.r.c = l.load_at_hl(),
                0x4F => l.r.c = l.r.a,
                0x50 => l.r.d = l.r.b,
                0x51 => l.r.d = l.r.c,
                0x52 => {}
                0x53 => l.r.d = l.r.e,
                0x54 => l.r.d = l.r.h,
                0x55 => l.r.d = l.r.l,
                0x56 => l.r.d = l.load_at_hl(),
                0x57 => l.r.d = l.r.a,
                0x58 => l.r.e = l.r.b,
                0x59 => l.r.e = l.r.c,
                0x5A => l.r.e = l.r.d,
                0x5B => {}
                0x5C => l.r.e = l.r.h,
                0x5D => l.r.e = l.r.l,
                0x5E => l.r.e = l.load_at_hl(),
                0x5F => l.r.e = l.r.a,
                0x60 => l.r.h = l.r.b,
                0x61 => l.r.h = l.r.c,
                0x62 => l.r.h = l.r.d,
                0x63 => l.r.h = l.r.e,
                0x64 => {}
                0x65 => l.r.h = l.r.l,
                0x66 => l.r.h = l.load_at_hl(),
                0x67 => l.r.h = l.r.a,
                0x68 => l.r.l = l.r.b,
                0x69 => l.r.l = l.r.c,
                0x6A => l.r.l = l.r.d,
                0x6B => l.r.l = l.r.e,
                0x6C => l.r.l = l.r.h,
                0x6D => {}
                0x6E => l.r.l = l.load_at_hl(),
                0x6F => l.r.l = l.r.a,
                0x70 => l.store_at_hl(l.r.b),
                0x71 => l.store_at_hl(l.r.c),
                0x72 => l.store_at_hl(l.r.d),
                0x73 => l.store_at_hl(l.r.e),
                0x74 => l.store_at_hl(l.r.h),
                0x75 => l.store_at_hl(l.r.l),
                0x76 => {
                    self.halt(l.tally.now());
                    leave!(Left::Exit(Exit::Halt))
                }
                0x77 => l.store_at_hl(l.r.a),
                0x78 => l.r.a = l.r.b,
                0x79 => l.r.a = l.r.c,
                0x7A => l.r.a = l.r.d,
                0x7B => l.r.a = l.r.e,
                0x7C => l.r.a = l.r.h,
                0x7D => l.r.a = l.r.l,
                0x7E => l.r.a = l.load_at_hl(),
                0x7F => {}
                0x80 => l.add(l.r.b),
                0x81 => l.add(l.r.c),
                0x82 => l.add(l.r.d),
                0x83 => l.add(l.r.e),
                0x84 => l.add(l.r.h),
                0x85 => l.add(l.r.l),
                0x86 => {
                    let value = l.load_at_hl();
                    l.add(value);
                }
                0x87 => l.add(l.r.a),
                0x88 => l.add_with_carry(l.r.b),
                0x89 => l.add_with_carry(l.r.c),
                0x8A => l.add_with_carry(l.r.d),
                0x8B => l.add_with_carry(l.r.e),
                0x8C => l.add_with_carry(l.r.h),
                0x8D => l.add_with_carry(l.r.l),
                0x8E => {
                    let value = l.load_at_hl();
                    l.add_with_carry(value);
                }
                0x8F => l.add_with_carry(l.r.a),
                0x90 => l.subtract(l.r.b),
                0x91 => l.subtract(l.r.c),
                0x92 => l.subtract(l.r.d),
                0x93 => l.subtract(l.r.e),
                0x94 => l.subtract(l.r.h),
                0x95 => l.subtract(l.r.l),
                0x96 => {
                    let value = l.load_at_hl();
                    l.subtract(value);
                }
                0x97 => l.subtract(l.r.a),
                0x98 => l.subtract_with_carry(l.r.b),
                0x99 => l.subtract_with_carry(l.r.c),
                0x9A => l.subtract_with_carry(l.r.d),
                0x9B => l.subtract_with_carry(l.r.e),
                0x9C => l.subtract_with_carry(l.r.h),
                0x9D => l.subtract_with_carry(l.r.l),
                0x9E => {
                    let value = l.load_at_hl();
                    l.subtract_with_carry(value);
                }
                0x9F => l.subtract_with_carry(l.r.a),
                0xA0 => l.and(l.r.b),
                0xA1 => l.and(l.r.c),
                0xA2 => l.and(l.r.d),
                0xA3 => l.and(l.r.e),
                0xA4 => l.and(l.r.h),
                0xA5 => l.and(l.r.l),
                0xA6 => {
                    let value = l.load_at_hl();
                    l.and(value);
                }
                0xA7 => l.and(l.r.a),
                0xA8 => l.xor(l.r.b),
                0xA9 => l.xor(l.r.c),
                0xAA => l.xor(l.r.d),
                0xAB => l.xor(l.r.e),
                0xAC => l.xor(l.r.h),
                0xAD => l.xor(l.r.l),
                0xAE => {
                    let value = l.load_at_hl();
                    l.xor(value);
                }
                0xAF => l.xor(l.r.a),
                0xB0 => l.or(l.r.b),
                0xB1 => l.or(l.r.c),
                0xB2 => l.or(l.r.d),
                0xB3 => l.or(l.r.e),
                0xB4 => l.or(l.r.h),
                0xB5 => l.or(l.r.l),
                0xB6 => {
                    let value = l.load_at_hl();
                    l.or(value);
                }
                0xB7 => l.or(l.r.a),
                0xB8 => l.compare(l.r.b),
                0xB9 => l.compare(l.r.c),
                0xBA => l.compare(l.r.d),
                0xBB => l.compare(l.r.e),
                0xBC => l.compare(l.r.h),
                0xBD => l.compare(l.r.l),
                0xBE => {
                    let value = l.load_at_hl();
                    l.compare(value);
                }
                0xBF => l.compare(l.r.a),
                0xC0 => l.return_if(l.r.f & Z == 0, MORE[0xC0]),
                0xC1 => {
                    let word = l.pop();
                    l.set_bc(word);
                }
                0xC2 => idle!(l.jump_if(l.r.f & Z == 0)),
                0xC3 => idle!(l.jump_if(true)),
                0xC4 => l.call_if(l.r.f & Z == 0, MORE[0xC4]),
                0xC5 => l.push(l.bc()),
                0xC6 => {
                    let value = l.byte();
                    l.add(value);
                }
                0xC7 => l.call(0x00),
                0xC8 => l.return_if(l.r.f & Z != 0, MORE[0xC8]),
                0xC9 => l.return_back(),
                0xCA => idle!(l.jump_if(l.r.f & Z != 0)),
                0xCB => {
                    if !bits::page(&mut l, undocumented) {
                        undefined!(2);
                    }
                }
                0xCC => l.call_if(l.r.f & Z != 0, MORE[0xCC]),
                0xCD => {
                    let target = l.word();
                    l.call(target);
                }
                0xCE => {
                    let value = l.byte();
                    l.add_with_carry(value);
                }
                0xCF => l.call(0x08),
                0xD0 => l.return_if(l.r.f & C == 0, MORE[0xD0]),
                0xD1 => {
                    let word = l.pop();
                    l.set_de(word);
                }
                0xD2 => idle!(l.jump_if(l.r.f & C == 0)),
                0xD3 => {
                    let port = l.byte();
                    l.out(u16::from(l.r.a) << 8 | u16::from(port), l.r.a);
                    l.r.wz = u16::from(l.r.a) << 8 | u16::from(port.wrapping_add(1));
                    look_around!();
                }
                0xD4 => l.call_if(l.r.f & C == 0, MORE[0xD4]),
                0xD5 => l.push(l.de()),
                0xD6 => {
                    let value = l.byte();
                    l.subtract(value);
                }
                0xD7 => l.call(0x10),
                0xD8 => l.return_if(l.r.f & C != 0, MORE[0xD8]),
                0xD9 => l.exchange_all(&mut self.second),
                0xDA => idle!(l.jump_if(l.r.f & C != 0)),
                0xDB => {
                    let port = u16::from(l.r.a) << 8 | u16::from(l.byte());
                    l.r.a = l.input(port);
                    l.r.wz = port.wrapping_add(1);
                    look_around!();
                }
                0xDC => l.call_if(l.r.f & C != 0, MORE[0xDC]),
                0xDE => {
                    let value = l.byte();
                    l.subtract_with_carry(value);
                }
                0xDF => l.call(0x18),
                0xE0 => l.return_if(l.r.f & PV == 0, MORE[0xE0]),
                0xE1 => {
                    let word = l.pop();
                    l.set_hl(word);
                }
                0xE2 => idle!(l.jump_if(l.r.f & PV == 0)),
                0xE3 => {
                    let top = l.exchange_top(l.hl());
                    l.set_hl(top);
                }
                0xE4 => l.call_if(l.r.f & PV == 0, MORE[0xE4]),
                0xE5 => l.push(l.hl()),
                0xE6 => {
                    let value = l.byte();
                    l.and(value);
                }
                0xE7 => l.call(0x20),
                0xE8 => l.return_if(l.r.f & PV != 0, MORE[0xE8]),
                0xE9 => {
                    let target = l.hl();
                    idle!(l.jump(target, 1))
                }
                0xEA => idle!(l.jump_if(l.r.f & PV != 0)),
                0xEB => l.exchange_de_hl(),
                0xEC => l.call_if(l.r.f & PV != 0, MORE[0xEC]),
                0xED => match apart!(|apart| extended::page(apart, self, undocumented)) {
                    extended::Done::On => {}
                    extended::Done::Look => look_around!(),
                    extended::Done::Left(left) => leave!(left),
                    extended::Done::Undefined => undefined!(2),
                },
                0xEE => {
                    let value = l.byte();
                    l.xor(value);
                }
                0xEF => l.call(0x28),
                0xF0 => l.return_if(l.r.f & S == 0, MORE[0xF0]),
                0xF1 => {
                    let word = l.pop();
                    l.set_af(word);
                }
                0xF2 => idle!(l.jump_if(l.r.f & S == 0)),
                0xF3 => self.interrupts.disable(),
                0xF4 => l.call_if(l.r.f & S == 0, MORE[0xF4]),
                0xF5 => l.push(l.af()),
                0xF6 => {
                    let value = l.byte();
                    l.or(value);
                }
                0xF7 => l.call(0x30),
                0xF8 => l.return_if(l.r.f & S != 0, MORE[0xF8]),
                0xF9 => l.r.sp = l.hl(),
                0xFA => idle!(l.jump_if(l.r.f & S != 0)),
                0xFB => {
                    self.interrupts.enable();
                    leave!(Left::Shadow)
                }
                0xFC => l.call_if(l.r.f & S != 0, MORE[0xFC]),
                0xFE => {
                    let value = l.byte();
                    l.compare(value);
                }
                0xFF => l.call(0x38),
                0xDD | 0xFD => match apart!(|apart| indexed::page(apart, opcode, undocumented)) {
                    indexed::Done::On => {}
                    indexed::Done::Idle => leave!(Left::Exit(Exit::Idle)),
                    indexed::Done::Prefix => leave!(Left::Shadow),
                    indexed::Done::Undefined => undefined!(2),
                },
            }
            if B::WATCHED && l.bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(if l.tally.due() { Left::Limit } else { Left::Exit(Exit::Watched) })
    }
}

impl<B: Bus<Cell = u8>> Stretch<'_, B> {
    #[inline(always)]
    fn exchange_de_hl(&mut self) {
        std::mem::swap(&mut self.r.d, &mut self.r.h);
        std::mem::swap(&mut self.r.e, &mut self.r.l);
    }

    #[inline(always)]
    fn exchange_af(&mut self, second: &mut Second) {
        let own = self.af();
        self.set_af(std::mem::replace(&mut second.af, own));
    }

    #[inline(always)]
    fn adjust_decimal(&mut self) {
        let (a, flags) = alu::decimal_adjust(self.r.a, self.r.f);
        self.r.a = a;
        self.set_flags(flags);
    }

    #[inline(always)]
    fn complement(&mut self) {
        self.r.a = !self.r.a;
        self.set_flags(self.r.f & (S | Z | PV | C) | self.r.a & (Y | X) | H | N);
    }

    /// SCF and CCF. Y and X are those of A, and the old ones, too, where the instruction before left the flags alone.
    #[inline(always)]
    fn carry(&mut self, set: bool) {
        let old = if self.flags_just_set() { 0 } else { self.r.f };
        let unused = (self.r.a | old) & (Y | X);
        let carry = if set {
            C
        } else if self.r.f & C != 0 {
            H
        } else {
            C
        };
        self.set_flags(self.r.f & (S | Z | PV) | unused | carry);
    }

    /// Reads a port. Boards of this processor decode the low half of its address.
    #[inline(always)]
    pub fn input(&mut self, port: u16) -> u8 {
        self.bus.input(u32::from(port as u8), self.tally.now())
    }

    #[inline(always)]
    pub fn out(&mut self, port: u16, value: u8) {
        self.bus.output(u32::from(port as u8), value, self.tally.now());
    }
}
