//! The run loop and the opcodes without a prefix.
//!
//! A cycle is an access; what an instruction spends inside beside them stands in its arm. A test holds the sums against the table.

use super::interrupts::{FROM_ADL, FROM_Z80};
use super::operands::{Index, Step};
use super::{Cpu, Second};
use crate::processor::arms::each_opcode;
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
    /// A port was used: a chip may want to be looked at.
    Looks,
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

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's.
    #[inline(never)]
    fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        let mut step = Step::new(self, bus, limit);
        let mut local = watch.local(step.tally);
        macro_rules! leave {
            ($left:expr) => {{
                let left = $left;
                step.give_back();
                W::after(local, step.tally);
                return left;
            }};
        }
        // PERF: what is called is given a copy, so that this one stays taken apart.
        macro_rules! apart {
            (|$apart:ident| $call:expr) => {{
                let mut $apart = step;
                let done = $call;
                $apart.choose_space();
                step = $apart;
                done
            }};
        }
        while !step.tally.due() {
            let at = step.program();
            if W::before(&mut local, at, step.tally) {
                leave!(Left::Exit(Exit::Watched));
            }
            let before = (step.tally, step.r.pc, step.fetches);
            step.begin();
            step.tally.add(Tally::step(0));
            let opcode = step.opcode();
            macro_rules! arm {
                ($code:literal) => {{
                    let done = match $code {
                        0x40 | 0x49 | 0x52 | 0x5B => apart!(|copy| copy.with_suffix($code)),
                        0xCB | 0xDD | 0xED | 0xFD => apart!(|copy| copy.page($code)),
                        _ => step.plain($code),
                    };
                    match done {
                        Done::On => {}
                        // Nothing but an event from outside can change anything.
                        Done::Jumped => {
                            if step.program() == at {
                                leave!(Left::Exit(Exit::Idle));
                            }
                        }
                        Done::Looks => {
                            if !B::WATCHED && step.bus.attention() {
                                leave!(Left::Exit(Exit::Attention));
                            }
                        }
                        Done::Shadow => leave!(Left::Shadow),
                        Done::Enabled => leave!(Left::Enabled),
                        Done::Halt => {
                            step.cpu.halted = Some(at);
                            leave!(Left::Exit(Exit::Halt));
                        }
                        Done::Undefined => {
                            (step.tally, step.r.pc, step.fetches) = before;
                            leave!(Left::Exit(Exit::Undefined));
                        }
                    }
                }};
            }
            each_opcode!(opcode, arm);
            if B::WATCHED && step.bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(Left::Limit)
    }
}

impl<B: Bus<Cell = u8>> Step<'_, B> {
    /// The instruction after a suffix.
    #[inline(never)]
    fn with_suffix(&mut self, suffix: u8) -> Done {
        self.choose_widths(suffix & 1 != 0, suffix & 0x10 != 0);
        let opcode = self.opcode();
        match opcode {
            0x40 | 0x49 | 0x52 | 0x5B => Done::Undefined,
            0xCB | 0xDD | 0xED | 0xFD => self.page(opcode),
            _ => self.plain(opcode),
        }
    }

    /// The opcode after one that begins a page of others.
    #[inline(never)]
    fn page(&mut self, prefix: u8) -> Done {
        match prefix {
            0xCB => self.bit_page(),
            0xED => match self.extended() {
                // Many of them use a port.
                Done::On => Done::Looks,
                done => done,
            },
            0xDD => self.index_page(Index::Ix),
            _ => self.index_page(Index::Iy),
        }
    }

    /// An opcode that is neither a suffix nor begins a page.
    ///
    /// PERF: of what follows only the arm of the opcode is compiled, where that is a constant.
    #[inline(always)]
    fn plain(&mut self, opcode: u8) -> Done {
        match opcode >> 6 {
            0 => self.lower(opcode),
            1 => self.load(opcode),
            2 => {
                let value = self.source(opcode);
                self.arithmetic(opcode >> 3, value);
                Done::On
            }
            _ => self.upper(opcode),
        }
    }

    /// LD r, r' and HALT.
    #[inline(always)]
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
    #[inline(always)]
    fn lower(&mut self, opcode: u8) -> Done {
        let (field, pair) = (opcode >> 3 & 7, opcode >> 4 & 3);
        match opcode {
            0x00 => {}
            0x08 => {
                let r = &mut self.r;
                let own = u16::from(r.a) << 8 | u16::from(r.f);
                let second = replace(&mut self.cpu.second.af, own);
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
            0x02 | 0x12 => self.write(self.pair(pair), self.r.a),
            0x0A | 0x1A => {
                let value = self.read(self.pair(pair));
                self.r.a = value;
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
                self.write(address, self.r.a);
            }
            0x3A => {
                let address = self.word();
                let value = self.read(address);
                self.r.a = value;
            }
            0x07 | 0x0F | 0x17 | 0x1F => {
                let (a, flags) = alu::shift(field, self.r.a, self.flags());
                self.set_flags(self.flags() & (S | Z | PV) | flags & C);
                self.r.a = a;
            }
            0x27 => {
                let (a, flags) = alu::decimal_adjust(self.r.a, self.flags());
                self.r.a = a;
                self.set_flags(flags);
            }
            0x2F => {
                self.r.a = !self.r.a;
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
    #[inline(always)]
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
    #[inline(always)]
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
                let r = &mut self.r;
                swap(&mut r.de, &mut r.hl);
            }
            0xE3 => {
                let value = self.exchange_with_stack(self.hl());
                self.set_pair(2, value);
            }
            0xF9 => self.set_stack_pointer(self.long, self.pair(2)),
            0xD3 => {
                let port = self.port_of_a();
                self.output(port, self.r.a);
                return Done::Looks;
            }
            0xDB => {
                let port = self.port_of_a();
                let value = self.input(port);
                self.r.a = value;
                return Done::Looks;
            }
            0xF3 => self.cpu.interrupts.disable(),
            0xFB => {
                self.cpu.interrupts.enable();
                return Done::Shadow;
            }
            0xF1 => {
                let value = self.pop();
                let r = &mut self.r;
                (r.a, r.f) = ((value >> 8) as u8, value as u8);
            }
            0xF5 => {
                let r = &mut self.r;
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

    #[inline(always)]
    fn jump_by(&mut self, distance: u8) {
        self.spend(1);
        self.go_to(self.r.pc.wrapping_add_signed((distance as i8).into()));
    }

    /// Goes to an address; after a suffix to its mode.
    #[inline(always)]
    pub(super) fn jump_to(&mut self, target: u32, long: bool) -> Done {
        self.spend(1);
        if self.suffixed {
            self.r.adl = long;
            self.choose_space();
        }
        self.go_to(target);
        Done::Jumped
    }

    /// Calls a routine; after a suffix one of its mode.
    #[inline(always)]
    fn call(&mut self, target: u32, long: bool) {
        if self.suffixed {
            return self.call_mode(target, long);
        }
        self.push(self.r.pc);
        self.go_to(target);
    }

    /// Calls a routine of a mode, with a mark of this one on the long stack.
    #[inline(never)]
    fn call_mode(&mut self, target: u32, long: bool) {
        let (pc, adl) = (self.r.pc, self.r.adl);
        if long {
            self.push_marked(pc);
        } else {
            self.push_byte(false, (pc >> 8) as u8);
            self.push_byte(false, pc as u8);
            if adl {
                self.push_byte(true, (pc >> 16) as u8);
            }
            self.push_byte(true, if adl { FROM_ADL } else { FROM_Z80 });
            self.r.adl = false;
        }
        self.choose_space();
        self.go_to(target);
    }

    /// Returns; after a long suffix to the mode that the mark on the long stack says.
    #[inline(always)]
    pub(super) fn go_back(&mut self) {
        self.spend(2);
        if self.suffixed && self.long {
            return self.go_back_to_mode();
        }
        let target = self.pop();
        self.go_to(target);
    }

    #[inline(never)]
    fn go_back_to_mode(&mut self) {
        let to_adl = self.pop_byte(true) & 1 != 0;
        let from_adl = self.r.adl;
        // What a routine in Z80 mode was called with lies on its own stack, but for the upper byte.
        let upper = if to_adl && !from_adl { self.pop_byte(true) } else { 0 };
        let low = u32::from(self.pop_byte(from_adl)) | u32::from(self.pop_byte(from_adl)) << 8;
        let upper = if to_adl && from_adl { self.pop_byte(true) } else { upper };
        self.r.adl = to_adl;
        self.choose_space();
        self.go_to(u32::from(upper) << 16 | low);
    }

    #[inline(always)]
    fn exchange_sets(&mut self) {
        let r = &mut self.r;
        let Second { bc, de, hl, .. } = &mut self.cpu.second;
        swap(&mut r.bc, bc);
        swap(&mut r.de, de);
        swap(&mut r.hl, hl);
    }

    /// Exchanges a word with the top of the stack, whose word comes back.
    #[inline(always)]
    pub(super) fn exchange_with_stack(&mut self, value: u32) -> u32 {
        let at = self.stack_pointer(self.long);
        let top = self.read_word(at);
        self.write_word(at, value);
        top
    }

    /// The port whose low byte is the next cell of the program; A is the high one.
    #[inline(always)]
    fn port_of_a(&mut self) -> u32 {
        u32::from(self.r.a) << 8 | u32::from(self.byte())
    }
}
