//! The run loop and the opcodes without a prefix.
//!
//! A cycle is an access; what an instruction spends inside beside them stands in its arm. A test holds the sums against the table.

use super::interrupts::{FROM_ADL, FROM_Z80};
use super::operands::{Index, Step};
use super::{Cpu, Second};
use crate::processor::z80::alu::{self, C, H, N, PV, S, Z};
use crate::processor::{Bus, Exit, Tally, Watch};
use std::mem::{replace, swap};

/// What an instruction came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Done {
    /// On to the next one.
    On,
    /// A jump was taken that has nothing else to it.
    Jumped,
    /// Interrupts stay away for one more instruction.
    Shadow,
    /// Interrupts may have been enabled again.
    Enabled,
    /// It waits.
    Halt,
    /// No instruction.
    Undefined,
}

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Left {
    Limit,
    Shadow,
    Enabled,
    Exit(Exit),
}

impl Cpu {
    pub(super) fn run_until<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit
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
            match self.execute(bus, watch, inner_limit) {
                Left::Limit => {}
                Left::Shadow => self.shadow = true,
                // What waits after EI ends the waiting at once.
                Left::Exit(Exit::Halt | Exit::Idle) if self.interrupts.acceptable(self.now).is_some() => {}
                Left::Enabled if bus.attention() => return Exit::Attention,
                Left::Enabled => {}
                Left::Exit(exit) => {
                    self.shadow = shadow && exit.is_before();
                    return exit;
                }
            }
        }
        Exit::Limit
    }

    fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);
        let left = self.stretch::<B, W>(bus, &mut local, &mut tally);
        W::after(local, tally);
        left
    }

    fn stretch<'w, B, W>(&mut self, bus: &mut B, local: &mut W::Local<'w>, tally: &mut Tally) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch + 'w,
    {
        loop {
            if tally.due() {
                return Left::Limit;
            }
            let (begin, pc) = (self.now, self.registers.pc);
            let at = self.registers.program();
            if W::before(local, at, *tally) {
                return Left::Exit(Exit::Watched);
            }
            let refreshed = self.registers.r;
            let adl = self.registers.adl;
            let mut step = Step { cpu: self, bus, long: adl, long_words: adl, suffixed: false };
            let done = step.instruction();
            if done == Done::Undefined {
                (self.now, self.registers.pc, self.registers.r) = (begin, pc, refreshed);
                return Left::Exit(Exit::Undefined);
            }
            self.instructions += 1;
            tally.add(Tally::more_of(self.now - begin) + 1);
            match done {
                Done::Halt => {
                    self.halted = Some(at);
                    return Left::Exit(Exit::Halt);
                }
                Done::Shadow => return Left::Shadow,
                Done::Enabled => return Left::Enabled,
                // Nothing but an event from outside can change anything.
                Done::Jumped if self.registers.program() == at => return Left::Exit(Exit::Idle),
                _ if bus.attention() => return Left::Exit(Exit::Attention),
                _ => {}
            }
        }
    }
}

impl<B: Bus<Cell = u8>> Step<'_, B> {
    fn instruction(&mut self) -> Done {
        let mut opcode = self.opcode();
        if let 0x40 | 0x49 | 0x52 | 0x5B = opcode {
            (self.long, self.long_words) = (opcode & 1 != 0, opcode & 0x10 != 0);
            self.suffixed = true;
            opcode = self.opcode();
            if let 0x40 | 0x49 | 0x52 | 0x5B = opcode {
                return Done::Undefined;
            }
        }
        match opcode {
            0xCB => self.bit_page(),
            0xED => self.extended(),
            0xDD => self.index_page(Index::Ix),
            0xFD => self.index_page(Index::Iy),
            0x40..=0x7F => self.load(opcode),
            0x80..=0xBF => {
                let value = self.source(opcode);
                self.arithmetic(opcode >> 3, value);
                Done::On
            }
            0x00..=0x3F => self.lower(opcode),
            0xC0..=0xFF => self.upper(opcode),
        }
    }

    /// LD r, r' and HALT.
    fn load(&mut self, opcode: u8) -> Done {
        if opcode == 0x76 {
            return Done::Halt;
        }
        let value = self.source(opcode);
        match opcode >> 3 & 7 {
            6 => self.write(self.hl(), value),
            field => self.set_register(field, value),
        }
        Done::On
    }

    fn bit_page(&mut self) -> Done {
        let opcode = self.opcode();
        let value = self.source(opcode);
        let Some((value, changed)) = self.bits(opcode, value) else { return Done::Undefined };
        match opcode & 7 {
            6 if changed => {
                self.spend(1);
                self.write(self.hl(), value);
            }
            6 => {}
            field if changed => self.set_register(field, value),
            _ => {}
        }
        Done::On
    }

    /// Opcodes 00h to 3Fh.
    fn lower(&mut self, opcode: u8) -> Done {
        let (field, pair) = (opcode >> 3 & 7, opcode >> 4 & 3);
        match opcode {
            0x00 => {}
            0x08 => {
                let r = self.r();
                let own = u16::from(r.a) << 8 | u16::from(r.f);
                let second = replace(&mut r.second.af, own);
                (r.a, r.f) = ((second >> 8) as u8, second as u8);
            }
            0x10 => {
                let distance = self.byte();
                let b = self.register(0).wrapping_sub(1);
                self.set_register(0, b);
                if b != 0 {
                    self.spend(1);
                    self.jump_by(distance);
                }
            }
            0x18 => {
                let distance = self.byte();
                self.jump_by(distance);
                return Done::Jumped;
            }
            0x20 | 0x28 | 0x30 | 0x38 => {
                let distance = self.byte();
                if self.condition(field - 4) {
                    self.jump_by(distance);
                    return Done::Jumped;
                }
            }
            0x02 | 0x12 => self.write(self.pair(pair), self.cpu.registers.a),
            0x0A | 0x1A => {
                let value = self.read(self.pair(pair));
                self.r().a = value;
            }
            0x22 => {
                let address = self.word();
                self.write_word(address, self.hl());
            }
            0x2A => {
                let address = self.word();
                let value = self.read_word(address);
                self.set_pair(2, value);
            }
            0x32 => {
                let address = self.word();
                self.write(address, self.cpu.registers.a);
            }
            0x3A => {
                let address = self.word();
                let value = self.read(address);
                self.r().a = value;
            }
            0x07 | 0x0F | 0x17 | 0x1F => {
                let (a, flags) = alu::shift(field, self.cpu.registers.a, self.flags());
                self.set_flags(self.flags() & (S | Z | PV) | flags & C);
                self.r().a = a;
            }
            0x27 => {
                let (a, flags) = alu::decimal_adjust(self.cpu.registers.a, self.flags());
                self.r().a = a;
                self.set_flags(flags);
            }
            0x2F => {
                self.r().a = !self.cpu.registers.a;
                self.set_flags(self.flags() | H | N);
            }
            0x37 => self.set_flags(self.flags() & (S | Z | PV) | C),
            0x3F => {
                let carry = if self.flags() & C != 0 { H } else { C };
                self.set_flags(self.flags() & (S | Z | PV) | carry);
            }
            _ => self.regular(opcode, field, pair),
        }
        Done::On
    }

    /// Those of the lower opcodes that fall into columns.
    fn regular(&mut self, opcode: u8, field: u8, pair: u8) {
        match opcode & 0x0F {
            0x01 => {
                let value = self.word();
                self.set_pair(pair, value);
            }
            0x03 => self.set_pair(pair, self.pair(pair).wrapping_add(1)),
            0x0B => self.set_pair(pair, self.pair(pair).wrapping_sub(1)),
            0x09 => {
                let (sum, flags) = self.width().add(self.pair(2), self.pair(pair), self.flags());
                self.set_pair(2, sum);
                self.set_flags(flags);
            }
            _ => {
                let (load, down) = (opcode & 7 == 6, opcode & 1 != 0);
                let value = match (load, field) {
                    (true, _) => self.byte(),
                    (false, 6) => {
                        let value = self.read(self.hl());
                        self.spend(1);
                        self.count(value, down)
                    }
                    _ => self.count(self.register(field), down),
                };
                match field {
                    6 => self.write(self.hl(), value),
                    _ => self.set_register(field, value),
                }
            }
        }
    }

    /// Opcodes C0h to FFh.
    fn upper(&mut self, opcode: u8) -> Done {
        let (field, pair) = (opcode >> 3 & 7, opcode >> 4 & 3);
        match opcode {
            0xC3 => {
                let target = self.word();
                return self.jump_to(target, self.long_words);
            }
            0xCD => {
                let target = self.word();
                self.call(target, self.long_words);
            }
            0xC9 => self.go_back(),
            0xD9 => self.exchange_sets(),
            0xE9 => {
                self.spend(1);
                return self.jump_to(self.hl(), self.long);
            }
            0xEB => {
                let r = self.r();
                swap(&mut r.de, &mut r.hl);
            }
            0xE3 => {
                let value = self.exchange_with_stack(self.hl());
                self.set_pair(2, value);
            }
            0xF9 => self.set_stack_pointer(self.long, self.pair(2)),
            0xD3 => {
                let port = self.port_of_a();
                self.output(port, self.cpu.registers.a);
            }
            0xDB => {
                let port = self.port_of_a();
                let value = self.input(port);
                self.r().a = value;
            }
            0xF3 => self.cpu.interrupts.disable(),
            0xFB => {
                self.cpu.interrupts.enable();
                return Done::Shadow;
            }
            0xF1 => {
                let value = self.pop();
                let r = self.r();
                (r.a, r.f) = ((value >> 8) as u8, value as u8);
            }
            0xF5 => {
                let r = self.r();
                let value = u32::from(r.a) << 8 | u32::from(r.f);
                self.push(value);
            }
            _ => match opcode & 0x0F {
                0x01 => {
                    let value = self.pop();
                    self.set_pair(pair, value);
                }
                0x05 => self.push(self.whole_pair(pair)),
                0x00 | 0x08 => {
                    self.spend(1);
                    if self.condition(field) {
                        self.go_back();
                    }
                }
                0x02 | 0x0A => {
                    let target = self.word();
                    if self.condition(field) {
                        return self.jump_to(target, self.long_words);
                    }
                }
                0x04 | 0x0C => {
                    let target = self.word();
                    if self.condition(field) {
                        self.spend(1);
                        self.call(target, self.long_words);
                    }
                }
                0x06 | 0x0E => {
                    let value = self.byte();
                    self.arithmetic(field, value);
                }
                _ => {
                    self.spend(2);
                    self.call((opcode & 0x38).into(), self.long);
                }
            },
        }
        Done::On
    }

    fn jump_by(&mut self, distance: u8) {
        self.spend(1);
        let r = self.r();
        r.go_to(r.pc.wrapping_add_signed((distance as i8).into()));
    }

    /// Goes to an address; after a suffix to its mode.
    pub(super) fn jump_to(&mut self, target: u32, long: bool) -> Done {
        self.spend(1);
        if self.suffixed {
            self.r().adl = long;
        }
        self.r().go_to(target);
        Done::Jumped
    }

    /// Calls a routine; after a suffix one of its mode, with a mark of this one on the long stack.
    fn call(&mut self, target: u32, long: bool) {
        let (pc, adl) = (self.r().pc, self.r().adl);
        if !self.suffixed {
            self.push(pc);
            return self.r().go_to(target);
        }
        if long {
            self.push_marked(pc);
        } else {
            self.push_byte(false, (pc >> 8) as u8);
            self.push_byte(false, pc as u8);
            if adl {
                self.push_byte(true, (pc >> 16) as u8);
            }
            self.push_byte(true, if adl { FROM_ADL } else { FROM_Z80 });
            self.r().adl = false;
        }
        self.r().go_to(target);
    }

    /// Returns; after a long suffix to the mode that the mark on the long stack says.
    pub(super) fn go_back(&mut self) {
        self.spend(2);
        if !(self.suffixed && self.long) {
            let target = self.pop();
            return self.r().go_to(target);
        }
        let to_adl = self.pop_byte(true) & 1 != 0;
        let from_adl = self.r().adl;
        // What a routine in Z80 mode was called with lies on its own stack, but for the upper byte.
        let upper = if to_adl && !from_adl { self.pop_byte(true) } else { 0 };
        let low = u32::from(self.pop_byte(from_adl)) | u32::from(self.pop_byte(from_adl)) << 8;
        let upper = if to_adl && from_adl { self.pop_byte(true) } else { upper };
        self.r().adl = to_adl;
        self.r().go_to(u32::from(upper) << 16 | low);
    }

    fn exchange_sets(&mut self) {
        let r = self.r();
        let Second { bc, de, hl, .. } = &mut r.second;
        swap(&mut r.bc, bc);
        swap(&mut r.de, de);
        swap(&mut r.hl, hl);
    }

    /// Exchanges a word with the top of the stack, whose word comes back.
    pub(super) fn exchange_with_stack(&mut self, value: u32) -> u32 {
        let at = self.stack_pointer(self.long);
        let top = self.read_word(at);
        self.write_word(at, value);
        top
    }

    /// The port whose low byte is the next cell of the program; A is the high one.
    fn port_of_a(&mut self) -> u32 {
        u32::from(self.cpu.registers.a) << 8 | u32::from(self.byte())
    }
}
