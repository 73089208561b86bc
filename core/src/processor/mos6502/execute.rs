//! The executor: one loop, 256 explicit arms, the registers in locals.
//!
//! The arms hold no length and no cycles: both come from the table, as constant arrays per chip. A data access is given the
//! cycle it ends in. N and Z are kept as the value they came from and put together only where somebody looks.

use super::alu::{self, B, C, D, I, N, ONE, Sum, V, Z};
use super::table::{M65C02, M6502, M6502U, ROWS};
use super::{Cpu, IRQ, NMI, Registers, Rest};
use crate::processor::{Bus, Exit, Tally, Watch, index_rows, unlikely};

/// Chip parameter of [`Cpu`]: the NMOS part as documented.
pub const NMOS: u8 = M6502;
/// Chip parameter of [`Cpu`]: the CMOS part.
pub const C02: u8 = M65C02;
/// Chip parameter of [`Cpu`]: the NMOS part with its undocumented instructions.
pub const NMOSU: u8 = M6502U;

/// What the table says of every opcode, times as a [`Tally`] adds them: an instruction, more where a branch is taken, more
/// where a page is crossed, more in decimal mode; cells.
struct Facts {
    step: [i64; 256],
    taken: [i64; 256],
    page: [i64; 256],
    decimal: [i64; 256],
    cells: [u8; 256],
}

const fn facts(chip: u8) -> Facts {
    let index = index_rows(ROWS, chip);
    let column = if chip == C02 { 1 } else { 0 };
    let mut facts =
        Facts { step: [1; 256], taken: [0; 256], page: [0; 256], decimal: [0; 256], cells: [1; 256] };
    let mut opcode = 0;
    while opcode < 256 {
        if index[opcode] != 0 {
            let row = &ROWS[index[opcode] as usize - 1];
            let timing = row.timing[column];
            facts.step[opcode] = Tally::step(timing.base);
            facts.taken[opcode] = Tally::more(timing.taken - timing.base);
            facts.page[opcode] = Tally::more(timing.page);
            facts.decimal[opcode] = Tally::more(timing.decimal);
            facts.cells[opcode] = row.cells() as u8;
        }
        opcode += 1;
    }
    facts
}

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// The lines are to be looked at: at the cycle limit, or after an instruction that changed I.
    Looks,
    /// To the caller.
    Exit(Exit),
}

/// N and Z as one value: Z where the low byte is 0, N where bit 7 or bit 15 is set.
fn nz_of(negative: bool, zero: bool) -> u16 {
    u16::from(negative) << 15 | u16::from(!zero)
}

/// The flag byte. PERF: out of line, or the compiler puts it together in front of every dispatch.
#[cold]
#[inline(never)]
fn flag_byte(p: u8, carry: u8, nz: u16) -> u8 {
    p | carry | if nz & 0x8080 != 0 { N } else { 0 } | if nz as u8 == 0 { Z } else { 0 } | ONE
}

impl<const CHIP: u8> Cpu<CHIP> {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
    ///
    /// PERF: in one file with the loop, so that both come into one part of the compiled crate and the compiler sees that nobody else
    /// calls it.
    pub(super) fn run_until<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        while self.now < limit {
            // Only a reset leads out of it.
            if self.rest == Rest::Stopped {
                return Exit::Halt;
            }
            let masked = self.registers.p & I != 0;
            let before = self.seen.take();
            let seen = before.unwrap_or(masked);
            let mut inner_limit = limit;
            match (self.nmi, self.irq()) {
                (Some(from), _) if from <= self.now => {
                    self.nmi = None;
                    if self.interrupt(bus, NMI) {
                        return Exit::Attention;
                    }
                    continue;
                }
                (_, Some(from)) if from <= self.now && !seen => {
                    self.asked = None;
                    if self.interrupt(bus, IRQ) {
                        return Exit::Attention;
                    }
                    continue;
                }
                (nmi, irq) => {
                    // What is not seen yet will be after the next instruction that reaches that cycle.
                    let irq = irq.filter(|_| !masked).map(|from| from.max(self.now + 1));
                    for from in nmi.into_iter().chain(irq) {
                        inner_limit = inner_limit.min(from);
                    }
                }
            }
            match self.rest {
                Rest::None => {}
                // A wait ends as soon as the line is seen; only then is it decided whether the interrupt is taken.
                Rest::Waiting if self.nmi.or(self.irq()).is_some() => {
                    let from = self.nmi.into_iter().chain(self.irq()).min().unwrap_or(self.now);
                    self.now = self.now.max(from);
                    self.rest = Rest::None;
                    continue;
                }
                Rest::Waiting | Rest::Stopped => return Exit::Halt,
            }
            match self.execute(bus, watch, inner_limit) {
                Left::Looks => {}
                // It was asked for already, and is seen only after another turn.
                Left::Exit(Exit::Idle) if self.is_due() => {}
                Left::Exit(exit) => {
                    if exit.is_before() {
                        self.seen = before;
                    }
                    return exit;
                }
            }
        }
        Exit::Limit
    }

    const FACTS: Facts = facts(CHIP);
    const STEP: [i64; 256] = Self::FACTS.step;
    const TAKEN: [i64; 256] = Self::FACTS.taken;
    const PAGE: [i64; 256] = Self::FACTS.page;
    const DECIMAL: [i64; 256] = Self::FACTS.decimal;
    const CELLS: [u8; 256] = Self::FACTS.cells;

    /// True where a request is there. PERF: out of line, or the compiler keeps the answer in a register all the time and A or the
    /// carry in memory.
    #[cold]
    #[inline(never)]
    fn has_request(&self) -> bool {
        self.irq().is_some()
    }

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's.
    #[inline(never)]
    // The macros keep every flag; where the next line sets it again, the compiler drops it.
    #[allow(unused_assignments)]
    pub(super) fn execute<Bu, W>(&mut self, bus: &mut Bu, watch: &mut W, limit: u64) -> Left
    where
        Bu: Bus<Cell = u8>,
        W: Watch,
    {
        let Registers { mut a, mut p, mut x, mut y, mut s, pc } = self.registers;
        // PERF: kept in 32 bits of which the upper ones count for nothing; 16 bits the compiler takes apart into bytes.
        let mut pc = u32::from(pc);
        let mut carry = p & C;
        let mut nz = nz_of(p & N != 0, p & Z != 0);
        p &= V | D | I;
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);

        macro_rules! flags {
            () => {
                flag_byte(p, carry, nz)
            };
        }
        macro_rules! registers {
            () => {
                Registers { a, p: flags!(), x, y, s, pc: pc as u16 }
            };
        }
        macro_rules! leave {
            ($left:expr) => {{
                self.registers = registers!();
                self.now = tally.now();
                self.instructions += tally.instructions();
                W::after(local, tally);
                return $left;
            }};
        }
        macro_rules! take_flags {
            ($value:expr) => {{
                let value: u8 = $value;
                carry = value & C;
                nz = nz_of(value & N != 0, value & Z != 0);
                p = value & (V | D | I);
            }};
        }
        macro_rules! take_sum {
            ($sum:expr) => {{
                let Sum { result, negative, overflow, zero, carry: out } = $sum;
                nz = nz_of(negative, zero);
                p = p & !V | if overflow { V } else { 0 };
                carry = u8::from(out);
                result
            }};
        }
        // Operands
        macro_rules! byte {
            () => {{
                let value = bus.fetch(pc & 0xFFFF);
                pc = pc.wrapping_add(1);
                value
            }};
        }
        macro_rules! word {
            () => {{
                let low = byte!();
                u16::from(low) | u16::from(byte!()) << 8
            }};
        }
        macro_rules! load {
            ($address:expr) => {{
                let address: u16 = $address;
                bus.read(u32::from(address), tally.now())
            }};
        }
        macro_rules! store {
            ($address:expr, $value:expr) => {{
                let address: u16 = $address;
                bus.write(u32::from(address), $value, tally.now())
            }};
        }
        macro_rules! zero_page {
            () => {
                u16::from(byte!())
            };
            ($index:ident) => {
                u16::from(byte!().wrapping_add($index))
            };
        }
        macro_rules! pointer {
            ($at:expr) => {{
                let at: u8 = $at;
                let low = load!(u16::from(at));
                u16::from_le_bytes([low, load!(u16::from(at.wrapping_add(1)))])
            }};
        }
        // The read that goes astray while the high byte of the address is being corrected.
        macro_rules! astray {
            ($base:ident, $address:ident) => {
                if Bu::MAPPED {
                    let wrong = if CHIP == C02 {
                        pc.wrapping_sub(1) as u16
                    } else {
                        $base & 0xFF00 | $address & 0xFF
                    };
                    bus.touch(u32::from(wrong), tally.now() - 1);
                }
            };
        }
        // An indexed address of an instruction that only reads: a cycle more where a page is crossed.
        macro_rules! indexed {
            ($opcode:ident, $base:expr, $index:ident) => {{
                let base: u16 = $base;
                let address = base.wrapping_add(u16::from($index));
                if (base ^ address) & 0xFF00 != 0 {
                    tally.add(Self::PAGE[usize::from($opcode)]);
                    astray!(base, address);
                }
                address
            }};
        }
        // An indexed address of an instruction that writes: always the longer way.
        macro_rules! indexed_always {
            ($base:expr, $index:ident) => {{
                let base: u16 = $base;
                let address = base.wrapping_add(u16::from($index));
                astray!(base, address);
                address
            }};
        }
        macro_rules! set {
            ($register:ident, $value:expr) => {{
                $register = $value;
                nz = u16::from($register);
            }};
        }
        // Arithmetic and logic
        macro_rules! adc {
            ($opcode:ident, $value:expr) => {{
                let value: u8 = $value;
                if p & D == 0 {
                    let sum = u16::from(a) + u16::from(value) + u16::from(carry);
                    p = p & !V | (!(a ^ value) & (a ^ sum as u8) & 0x80) >> 1;
                    carry = (sum >> 8) as u8;
                    set!(a, sum as u8);
                } else {
                    a = take_sum!(alu::add_decimal(a, value, carry, CHIP == C02));
                    tally.add(Self::DECIMAL[usize::from($opcode)]);
                }
            }};
        }
        macro_rules! sbc {
            ($opcode:ident, $value:expr) => {{
                let value: u8 = $value;
                if p & D == 0 {
                    let sum = u16::from(a) + u16::from(!value) + u16::from(carry);
                    p = p & !V | ((a ^ value) & (a ^ sum as u8) & 0x80) >> 1;
                    carry = (sum >> 8) as u8;
                    set!(a, sum as u8);
                } else {
                    a = take_sum!(alu::subtract_decimal(a, value, carry, CHIP == C02));
                    tally.add(Self::DECIMAL[usize::from($opcode)]);
                }
            }};
        }
        macro_rules! compare {
            ($register:expr, $value:expr) => {{
                let value: u8 = $value;
                carry = u8::from($register >= value);
                nz = u16::from($register.wrapping_sub(value));
            }};
        }
        macro_rules! bit {
            ($value:expr) => {{
                let value: u8 = $value;
                nz = nz_of(value & N != 0, a & value == 0);
                p = p & !V | value & V;
            }};
        }
        macro_rules! only_z {
            ($zero:expr) => {
                nz = nz_of(nz & 0x8080 != 0, $zero)
            };
        }
        // Reads a cell, changes it, writes it back. In between the NMOS part writes what it read, the CMOS part reads again.
        macro_rules! change {
            ($address:expr, $change:ident) => {{
                let address: u16 = $address;
                let mut cell = bus.read(u32::from(address), tally.now() - 2);
                if Bu::MAPPED {
                    match CHIP {
                        C02 => bus.touch(u32::from(address), tally.now() - 1),
                        _ => bus.write(u32::from(address), cell, tally.now() - 1),
                    }
                }
                $change!(cell);
                store!(address, cell);
                cell
            }};
        }
        macro_rules! asl {
            ($cell:ident) => {{
                carry = $cell >> 7;
                set!($cell, $cell << 1);
            }};
        }
        macro_rules! lsr {
            ($cell:ident) => {{
                carry = $cell & 1;
                set!($cell, $cell >> 1);
            }};
        }
        macro_rules! rol {
            ($cell:ident) => {{
                let out = $cell >> 7;
                set!($cell, $cell << 1 | carry);
                carry = out;
            }};
        }
        macro_rules! ror {
            ($cell:ident) => {{
                let out = $cell & 1;
                set!($cell, $cell >> 1 | carry << 7);
                carry = out;
            }};
        }
        macro_rules! inc {
            ($cell:ident) => {
                set!($cell, $cell.wrapping_add(1))
            };
        }
        macro_rules! dec {
            ($cell:ident) => {
                set!($cell, $cell.wrapping_sub(1))
            };
        }
        macro_rules! trb {
            ($cell:ident) => {{
                only_z!($cell & a == 0);
                $cell &= !a;
            }};
        }
        macro_rules! tsb {
            ($cell:ident) => {{
                only_z!($cell & a == 0);
                $cell |= a;
            }};
        }
        // Stack and branches
        macro_rules! push {
            ($value:expr) => {{
                store!(0x100 | u16::from(s), $value);
                s = s.wrapping_sub(1);
            }};
        }
        macro_rules! push_word {
            ($value:expr) => {{
                let value: u32 = $value;
                push!((value >> 8) as u8);
                push!(value as u8);
            }};
        }
        // After an opcode without operand the processor reads the next cell and throws it away.
        macro_rules! throw_away {
            () => {
                if Bu::MAPPED {
                    bus.touch(pc & 0xFFFF, tally.now());
                }
            };
        }
        macro_rules! pull {
            () => {{
                s = s.wrapping_add(1);
                load!(0x100 | u16::from(s))
            }};
        }
        macro_rules! pull_word {
            () => {{
                let low = pull!();
                u16::from_le_bytes([low, pull!()])
            }};
        }
        macro_rules! look {
            () => {{
                let attention = Bu::WATCHED && bus.attention();
                leave!(if attention { Left::Exit(Exit::Attention) } else { Left::Looks });
            }};
        }
        // After CLI, SEI and PLP a request is judged once more by the old I.
        macro_rules! change_i {
            ($change:expr) => {{
                let before = p & I != 0;
                $change;
                if self.has_request() {
                    self.seen = Some(before);
                    look!();
                }
            }};
        }
        macro_rules! jump {
            ($opcode:ident, $target:expr) => {{
                let target: u32 = $target;
                let own = pc.wrapping_sub(u32::from(Self::CELLS[usize::from($opcode)]));
                pc = target;
                if target as u16 == own as u16 {
                    leave!(Left::Exit(Exit::Idle));
                }
            }};
        }
        macro_rules! branch {
            ($opcode:ident, $condition:expr) => {{
                let offset = byte!();
                if $condition {
                    tally.add(Self::TAKEN[usize::from($opcode)]);
                    let target = pc.wrapping_add_signed(i32::from(offset as i8));
                    if (target ^ pc) & 0xFF00 != 0 {
                        tally.add(Self::PAGE[usize::from($opcode)]);
                    }
                    jump!($opcode, target);
                }
            }};
        }
        macro_rules! jsr {
            () => {{
                let low = byte!();
                push_word!(pc);
                pc = u32::from(low) | u32::from(bus.fetch(pc & 0xFFFF)) << 8;
            }};
        }
        macro_rules! rts {
            () => {{
                throw_away!();
                pc = u32::from(pull_word!()) + 1;
            }};
        }
        macro_rules! rti {
            () => {{
                throw_away!();
                take_flags!(pull!());
                pc = u32::from(pull_word!());
                if self.has_request() {
                    look!();
                }
            }};
        }
        macro_rules! brk {
            () => {{
                push_word!(pc.wrapping_add(1));
                push!(flags!() | B);
                p |= I;
                if CHIP == C02 {
                    p &= !D;
                }
                let low = load!(IRQ);
                pc = u32::from(low) | u32::from(load!(IRQ + 1)) << 8;
            }};
        }
        // The NMOS part does not carry into the high byte of the pointer's second address.
        macro_rules! jmp_indirect {
            () => {{
                let at = word!();
                let next = at.wrapping_add(1);
                let next = if CHIP == C02 { next } else { at & 0xFF00 | next & 0xFF };
                let low = load!(at);
                pc = u32::from(low) | u32::from(load!(next)) << 8;
            }};
        }
        macro_rules! jmp_indirect_x {
            () => {{
                let at = word!().wrapping_add(u16::from(x));
                let low = load!(at);
                pc = u32::from(low) | u32::from(load!(at.wrapping_add(1))) << 8;
            }};
        }
        macro_rules! rest {
            ($rest:ident) => {{
                self.rest = Rest::$rest;
                leave!(Left::Looks);
            }};
        }
        // The bit instructions name their bit in the opcode.
        macro_rules! bit_mask {
            ($opcode:ident) => {
                1u8 << ($opcode >> 4 & 7)
            };
        }
        macro_rules! set_bit {
            ($opcode:ident, $value:literal) => {{
                let address = zero_page!();
                let cell = bus.read(u32::from(address), tally.now() - 2);
                let mask = bit_mask!($opcode);
                store!(address, if $value { cell | mask } else { cell & !mask });
            }};
        }
        macro_rules! branch_on_bit {
            ($opcode:ident, $value:literal) => {{
                let cell = load!(zero_page!());
                branch!($opcode, (cell & bit_mask!($opcode) != 0) == $value)
            }};
        }
        // Undocumented on the NMOS part
        macro_rules! slo {
            ($address:expr) => {{
                let cell = change!($address, asl);
                set!(a, a | cell);
            }};
        }
        macro_rules! rla {
            ($address:expr) => {{
                let cell = change!($address, rol);
                set!(a, a & cell);
            }};
        }
        macro_rules! sre {
            ($address:expr) => {{
                let cell = change!($address, lsr);
                set!(a, a ^ cell);
            }};
        }
        macro_rules! rra {
            ($opcode:ident, $address:expr) => {{
                let cell = change!($address, ror);
                adc!($opcode, cell);
            }};
        }
        macro_rules! dcp {
            ($address:expr) => {{
                let cell = change!($address, dec);
                compare!(a, cell);
            }};
        }
        macro_rules! isc {
            ($opcode:ident, $address:expr) => {{
                let cell = change!($address, inc);
                sbc!($opcode, cell);
            }};
        }
        macro_rules! lax {
            ($value:expr) => {{
                set!(a, $value);
                x = a;
            }};
        }
        // The high byte of the address plus 1 gets into the value, and where a page is crossed the value into the address.
        macro_rules! store_masked {
            ($base:expr, $index:ident, $value:expr) => {{
                let base: u16 = $base;
                let address = base.wrapping_add(u16::from($index));
                astray!(base, address);
                let value = $value & ((base >> 8) as u8).wrapping_add(1);
                let crossed = (base ^ address) & 0xFF00 != 0;
                store!(if crossed { u16::from(value) << 8 | address & 0xFF } else { address }, value);
            }};
        }
        // Some bits of A read as 1; which ones differs from part to part, and these are common.
        const UNSTEADY: u8 = 0xEE;

        loop {
            // PERF: two branches, the second one marked as seldom taken; as one condition the stops cost a third more here.
            if tally.due() {
                break;
            }
            if W::before(&mut local, pc & 0xFFFF, tally) {
                unlikely();
                break;
            }
            let opcode = bus.fetch(pc & 0xFFFF);
            pc = pc.wrapping_add(1);
            tally.add(Self::STEP[usize::from(opcode)]);
            match opcode {
                0x00 => brk!(),
                0x01 => set!(a, a | load!(pointer!(byte!().wrapping_add(x)))),
                0x03 if CHIP == NMOSU => slo!(pointer!(byte!().wrapping_add(x))),
                0x04 if CHIP == C02 => {
                    change!(zero_page!(), tsb);
                }
                0x05 => set!(a, a | load!(zero_page!())),
                0x06 => {
                    change!(zero_page!(), asl);
                }
                0x07 if CHIP == NMOSU => slo!(zero_page!()),
                0x08 => push!(flags!() | B),
                0x09 => set!(a, a | byte!()),
                0x0A => asl!(a),
                0x0C if CHIP == C02 => {
                    change!(word!(), tsb);
                }
                0x0D => set!(a, a | load!(word!())),
                0x0E => {
                    change!(word!(), asl);
                }
                0x0F if CHIP == NMOSU => slo!(word!()),
                0x10 => branch!(opcode, nz & 0x8080 == 0),
                0x11 => set!(a, a | load!(indexed!(opcode, pointer!(byte!()), y))),
                0x12 if CHIP == C02 => set!(a, a | load!(pointer!(byte!()))),
                0x13 if CHIP == NMOSU => slo!(indexed_always!(pointer!(byte!()), y)),
                0x14 if CHIP == C02 => {
                    change!(zero_page!(), trb);
                }
                0x15 => set!(a, a | load!(zero_page!(x))),
                0x16 => {
                    change!(zero_page!(x), asl);
                }
                0x17 if CHIP == NMOSU => slo!(zero_page!(x)),
                0x18 => carry = 0,
                0x19 => set!(a, a | load!(indexed!(opcode, word!(), y))),
                0x1A if CHIP == C02 => inc!(a),
                0x1B if CHIP == NMOSU => slo!(indexed_always!(word!(), y)),
                0x1C if CHIP == C02 => {
                    change!(word!(), trb);
                }
                0x1D => set!(a, a | load!(indexed!(opcode, word!(), x))),
                0x1E if CHIP == C02 => {
                    change!(indexed!(opcode, word!(), x), asl);
                }
                0x1E => {
                    change!(indexed_always!(word!(), x), asl);
                }
                0x1F if CHIP == NMOSU => slo!(indexed_always!(word!(), x)),
                0x20 => jsr!(),
                0x21 => set!(a, a & load!(pointer!(byte!().wrapping_add(x)))),
                0x23 if CHIP == NMOSU => rla!(pointer!(byte!().wrapping_add(x))),
                0x24 => bit!(load!(zero_page!())),
                0x25 => set!(a, a & load!(zero_page!())),
                0x26 => {
                    change!(zero_page!(), rol);
                }
                0x27 if CHIP == NMOSU => rla!(zero_page!()),
                0x28 => {
                    throw_away!();
                    let value = pull!();
                    change_i!(take_flags!(value));
                }
                0x29 => set!(a, a & byte!()),
                0x2A => rol!(a),
                0x2C => bit!(load!(word!())),
                0x2D => set!(a, a & load!(word!())),
                0x2E => {
                    change!(word!(), rol);
                }
                0x2F if CHIP == NMOSU => rla!(word!()),
                0x30 => branch!(opcode, nz & 0x8080 != 0),
                0x31 => set!(a, a & load!(indexed!(opcode, pointer!(byte!()), y))),
                0x32 if CHIP == C02 => set!(a, a & load!(pointer!(byte!()))),
                0x33 if CHIP == NMOSU => rla!(indexed_always!(pointer!(byte!()), y)),
                0x34 if CHIP == C02 => bit!(load!(zero_page!(x))),
                0x35 => set!(a, a & load!(zero_page!(x))),
                0x36 => {
                    change!(zero_page!(x), rol);
                }
                0x37 if CHIP == NMOSU => rla!(zero_page!(x)),
                0x38 => carry = 1,
                0x39 => set!(a, a & load!(indexed!(opcode, word!(), y))),
                0x3A if CHIP == C02 => dec!(a),
                0x3B if CHIP == NMOSU => rla!(indexed_always!(word!(), y)),
                0x3C if CHIP == C02 => bit!(load!(indexed!(opcode, word!(), x))),
                0x3D => set!(a, a & load!(indexed!(opcode, word!(), x))),
                0x3E if CHIP == C02 => {
                    change!(indexed!(opcode, word!(), x), rol);
                }
                0x3E => {
                    change!(indexed_always!(word!(), x), rol);
                }
                0x3F if CHIP == NMOSU => rla!(indexed_always!(word!(), x)),
                0x40 => rti!(),
                0x41 => set!(a, a ^ load!(pointer!(byte!().wrapping_add(x)))),
                0x43 if CHIP == NMOSU => sre!(pointer!(byte!().wrapping_add(x))),
                0x45 => set!(a, a ^ load!(zero_page!())),
                0x46 => {
                    change!(zero_page!(), lsr);
                }
                0x47 if CHIP == NMOSU => sre!(zero_page!()),
                0x48 => push!(a),
                0x49 => set!(a, a ^ byte!()),
                0x4A => lsr!(a),
                0x4B if CHIP == NMOSU => {
                    a &= byte!();
                    lsr!(a);
                }
                0x4C => jump!(opcode, u32::from(word!())),
                0x4D => set!(a, a ^ load!(word!())),
                0x4E => {
                    change!(word!(), lsr);
                }
                0x4F if CHIP == NMOSU => sre!(word!()),
                0x50 => branch!(opcode, p & V == 0),
                0x51 => set!(a, a ^ load!(indexed!(opcode, pointer!(byte!()), y))),
                0x52 if CHIP == C02 => set!(a, a ^ load!(pointer!(byte!()))),
                0x53 if CHIP == NMOSU => sre!(indexed_always!(pointer!(byte!()), y)),
                0x55 => set!(a, a ^ load!(zero_page!(x))),
                0x56 => {
                    change!(zero_page!(x), lsr);
                }
                0x57 if CHIP == NMOSU => sre!(zero_page!(x)),
                0x58 => change_i!(p &= !I),
                0x59 => set!(a, a ^ load!(indexed!(opcode, word!(), y))),
                0x5A if CHIP == C02 => push!(y),
                0x5B if CHIP == NMOSU => sre!(indexed_always!(word!(), y)),
                0x5D => set!(a, a ^ load!(indexed!(opcode, word!(), x))),
                0x5E if CHIP == C02 => {
                    change!(indexed!(opcode, word!(), x), lsr);
                }
                0x5E => {
                    change!(indexed_always!(word!(), x), lsr);
                }
                0x5F if CHIP == NMOSU => sre!(indexed_always!(word!(), x)),
                0x60 => rts!(),
                0x61 => adc!(opcode, load!(pointer!(byte!().wrapping_add(x)))),
                0x63 if CHIP == NMOSU => rra!(opcode, pointer!(byte!().wrapping_add(x))),
                0x64 if CHIP == C02 => store!(zero_page!(), 0),
                0x65 => adc!(opcode, load!(zero_page!())),
                0x66 => {
                    change!(zero_page!(), ror);
                }
                0x67 if CHIP == NMOSU => rra!(opcode, zero_page!()),
                0x68 => {
                    throw_away!();
                    set!(a, pull!());
                }
                0x69 => adc!(opcode, byte!()),
                0x6A => ror!(a),
                0x6B if CHIP == NMOSU => {
                    a &= byte!();
                    a = take_sum!(alu::rotate_masked(a, carry, p & D != 0));
                }
                0x6C => jmp_indirect!(),
                0x6D => adc!(opcode, load!(word!())),
                0x6E => {
                    change!(word!(), ror);
                }
                0x6F if CHIP == NMOSU => rra!(opcode, word!()),
                0x70 => branch!(opcode, p & V != 0),
                0x71 => adc!(opcode, load!(indexed!(opcode, pointer!(byte!()), y))),
                0x72 if CHIP == C02 => adc!(opcode, load!(pointer!(byte!()))),
                0x73 if CHIP == NMOSU => rra!(opcode, indexed_always!(pointer!(byte!()), y)),
                0x74 if CHIP == C02 => store!(zero_page!(x), 0),
                0x75 => adc!(opcode, load!(zero_page!(x))),
                0x76 => {
                    change!(zero_page!(x), ror);
                }
                0x77 if CHIP == NMOSU => rra!(opcode, zero_page!(x)),
                0x78 => change_i!(p |= I),
                0x79 => adc!(opcode, load!(indexed!(opcode, word!(), y))),
                0x7A if CHIP == C02 => {
                    throw_away!();
                    set!(y, pull!());
                }
                0x7B if CHIP == NMOSU => rra!(opcode, indexed_always!(word!(), y)),
                0x7C if CHIP == C02 => jmp_indirect_x!(),
                0x7D => adc!(opcode, load!(indexed!(opcode, word!(), x))),
                0x7E if CHIP == C02 => {
                    change!(indexed!(opcode, word!(), x), ror);
                }
                0x7E => {
                    change!(indexed_always!(word!(), x), ror);
                }
                0x7F if CHIP == NMOSU => rra!(opcode, indexed_always!(word!(), x)),
                0x80 if CHIP == C02 => branch!(opcode, true),
                0x81 => store!(pointer!(byte!().wrapping_add(x)), a),
                0x83 if CHIP == NMOSU => store!(pointer!(byte!().wrapping_add(x)), a & x),
                0x84 => store!(zero_page!(), y),
                0x85 => store!(zero_page!(), a),
                0x86 => store!(zero_page!(), x),
                0x87 if CHIP == NMOSU => store!(zero_page!(), a & x),
                0x88 => dec!(y),
                0x89 if CHIP == C02 => only_z!(byte!() & a == 0),
                0x8A => set!(a, x),
                0x8B if CHIP == NMOSU => set!(a, (a | UNSTEADY) & x & byte!()),
                0x8C => store!(word!(), y),
                0x8D => store!(word!(), a),
                0x8E => store!(word!(), x),
                0x8F if CHIP == NMOSU => store!(word!(), a & x),
                0x90 => branch!(opcode, carry == 0),
                0x91 => store!(indexed_always!(pointer!(byte!()), y), a),
                0x92 if CHIP == C02 => store!(pointer!(byte!()), a),
                0x93 if CHIP == NMOSU => store_masked!(pointer!(byte!()), y, a & x),
                0x94 => store!(zero_page!(x), y),
                0x95 => store!(zero_page!(x), a),
                0x96 => store!(zero_page!(y), x),
                0x97 if CHIP == NMOSU => store!(zero_page!(y), a & x),
                0x98 => set!(a, y),
                0x99 => store!(indexed_always!(word!(), y), a),
                0x9A => s = x,
                0x9B if CHIP == NMOSU => {
                    s = a & x;
                    store_masked!(word!(), y, s);
                }
                0x9C if CHIP == C02 => store!(word!(), 0),
                0x9C if CHIP == NMOSU => store_masked!(word!(), x, y),
                0x9D => store!(indexed_always!(word!(), x), a),
                0x9E if CHIP == C02 => store!(indexed_always!(word!(), x), 0),
                0x9E if CHIP == NMOSU => store_masked!(word!(), y, x),
                0x9F if CHIP == NMOSU => store_masked!(word!(), y, a & x),
                0xA0 => set!(y, byte!()),
                0xA1 => set!(a, load!(pointer!(byte!().wrapping_add(x)))),
                0xA2 => set!(x, byte!()),
                0xA3 if CHIP == NMOSU => lax!(load!(pointer!(byte!().wrapping_add(x)))),
                0xA4 => set!(y, load!(zero_page!())),
                0xA5 => set!(a, load!(zero_page!())),
                0xA6 => set!(x, load!(zero_page!())),
                0xA7 if CHIP == NMOSU => lax!(load!(zero_page!())),
                0xA8 => set!(y, a),
                0xA9 => set!(a, byte!()),
                0xAA => set!(x, a),
                0xAB if CHIP == NMOSU => lax!((a | UNSTEADY) & byte!()),
                0xAC => set!(y, load!(word!())),
                0xAD => set!(a, load!(word!())),
                0xAE => set!(x, load!(word!())),
                0xAF if CHIP == NMOSU => lax!(load!(word!())),
                0xB0 => branch!(opcode, carry != 0),
                0xB1 => set!(a, load!(indexed!(opcode, pointer!(byte!()), y))),
                0xB2 if CHIP == C02 => set!(a, load!(pointer!(byte!()))),
                0xB3 if CHIP == NMOSU => lax!(load!(indexed!(opcode, pointer!(byte!()), y))),
                0xB4 => set!(y, load!(zero_page!(x))),
                0xB5 => set!(a, load!(zero_page!(x))),
                0xB6 => set!(x, load!(zero_page!(y))),
                0xB7 if CHIP == NMOSU => lax!(load!(zero_page!(y))),
                0xB8 => p &= !V,
                0xB9 => set!(a, load!(indexed!(opcode, word!(), y))),
                0xBA => set!(x, s),
                0xBB if CHIP == NMOSU => {
                    s &= load!(indexed!(opcode, word!(), y));
                    lax!(s);
                }
                0xBC => set!(y, load!(indexed!(opcode, word!(), x))),
                0xBD => set!(a, load!(indexed!(opcode, word!(), x))),
                0xBE => set!(x, load!(indexed!(opcode, word!(), y))),
                0xBF if CHIP == NMOSU => lax!(load!(indexed!(opcode, word!(), y))),
                0xC0 => compare!(y, byte!()),
                0xC1 => compare!(a, load!(pointer!(byte!().wrapping_add(x)))),
                0xC3 if CHIP == NMOSU => dcp!(pointer!(byte!().wrapping_add(x))),
                0xC4 => compare!(y, load!(zero_page!())),
                0xC5 => compare!(a, load!(zero_page!())),
                0xC6 => {
                    change!(zero_page!(), dec);
                }
                0xC7 if CHIP == NMOSU => dcp!(zero_page!()),
                0xC8 => inc!(y),
                0xC9 => compare!(a, byte!()),
                0xCA => dec!(x),
                0xCB if CHIP == C02 => rest!(Waiting),
                0xCB if CHIP == NMOSU => {
                    let value = byte!();
                    compare!((a & x), value);
                    x = nz as u8;
                }
                0xCC => compare!(y, load!(word!())),
                0xCD => compare!(a, load!(word!())),
                0xCE => {
                    change!(word!(), dec);
                }
                0xCF if CHIP == NMOSU => dcp!(word!()),
                0xD0 => branch!(opcode, nz as u8 != 0),
                0xD1 => compare!(a, load!(indexed!(opcode, pointer!(byte!()), y))),
                0xD2 if CHIP == C02 => compare!(a, load!(pointer!(byte!()))),
                0xD3 if CHIP == NMOSU => dcp!(indexed_always!(pointer!(byte!()), y)),
                0xD5 => compare!(a, load!(zero_page!(x))),
                0xD6 => {
                    change!(zero_page!(x), dec);
                }
                0xD7 if CHIP == NMOSU => dcp!(zero_page!(x)),
                0xD8 => p &= !D,
                0xD9 => compare!(a, load!(indexed!(opcode, word!(), y))),
                0xDA if CHIP == C02 => push!(x),
                0xDB if CHIP == C02 => rest!(Stopped),
                0xDB if CHIP == NMOSU => dcp!(indexed_always!(word!(), y)),
                0xDD => compare!(a, load!(indexed!(opcode, word!(), x))),
                0xDE => {
                    change!(indexed_always!(word!(), x), dec);
                }
                0xDF if CHIP == NMOSU => dcp!(indexed_always!(word!(), x)),
                0xE0 => compare!(x, byte!()),
                0xE1 => sbc!(opcode, load!(pointer!(byte!().wrapping_add(x)))),
                0xE3 if CHIP == NMOSU => isc!(opcode, pointer!(byte!().wrapping_add(x))),
                0xE4 => compare!(x, load!(zero_page!())),
                0xE5 => sbc!(opcode, load!(zero_page!())),
                0xE6 => {
                    change!(zero_page!(), inc);
                }
                0xE7 if CHIP == NMOSU => isc!(opcode, zero_page!()),
                0xE8 => inc!(x),
                0xE9 => sbc!(opcode, byte!()),
                0xEA => {}
                0xEB if CHIP == NMOSU => sbc!(opcode, byte!()),
                0xEC => compare!(x, load!(word!())),
                0xED => sbc!(opcode, load!(word!())),
                0xEE => {
                    change!(word!(), inc);
                }
                0xEF if CHIP == NMOSU => isc!(opcode, word!()),
                0xF0 => branch!(opcode, nz as u8 == 0),
                0xF1 => sbc!(opcode, load!(indexed!(opcode, pointer!(byte!()), y))),
                0xF2 if CHIP == C02 => sbc!(opcode, load!(pointer!(byte!()))),
                0xF3 if CHIP == NMOSU => isc!(opcode, indexed_always!(pointer!(byte!()), y)),
                0xF5 => sbc!(opcode, load!(zero_page!(x))),
                0xF6 => {
                    change!(zero_page!(x), inc);
                }
                0xF7 if CHIP == NMOSU => isc!(opcode, zero_page!(x)),
                0xF8 => p |= D,
                0xF9 => sbc!(opcode, load!(indexed!(opcode, word!(), y))),
                0xFA if CHIP == C02 => {
                    throw_away!();
                    set!(x, pull!());
                }
                0xFB if CHIP == NMOSU => isc!(opcode, indexed_always!(word!(), y)),
                0xFD => sbc!(opcode, load!(indexed!(opcode, word!(), x))),
                0xFE => {
                    change!(indexed_always!(word!(), x), inc);
                }
                0xFF if CHIP == NMOSU => isc!(opcode, indexed_always!(word!(), x)),
                0x07 | 0x17 | 0x27 | 0x37 | 0x47 | 0x57 | 0x67 | 0x77 if CHIP == C02 => {
                    set_bit!(opcode, false)
                }
                0x87 | 0x97 | 0xA7 | 0xB7 | 0xC7 | 0xD7 | 0xE7 | 0xF7 if CHIP == C02 => {
                    set_bit!(opcode, true)
                }
                0x0F | 0x1F | 0x2F | 0x3F | 0x4F | 0x5F | 0x6F | 0x7F if CHIP == C02 => {
                    branch_on_bit!(opcode, false)
                }
                0x8F | 0x9F | 0xAF | 0xBF | 0xCF | 0xDF | 0xEF | 0xFF if CHIP == C02 => {
                    branch_on_bit!(opcode, true)
                }
                0x0B | 0x2B if CHIP == NMOSU => {
                    set!(a, a & byte!());
                    carry = a >> 7;
                }
                0x1A | 0x3A | 0x5A | 0x7A | 0xDA | 0xFA if CHIP == NMOSU => {}
                0x80 | 0x82 | 0x89 | 0xC2 | 0xE2 if CHIP == NMOSU => _ = byte!(),
                0x04 | 0x44 | 0x64 if CHIP == NMOSU => _ = load!(zero_page!()),
                0x14 | 0x34 | 0x54 | 0x74 | 0xD4 | 0xF4 if CHIP == NMOSU => _ = load!(zero_page!(x)),
                0x0C if CHIP == NMOSU => _ = load!(word!()),
                0x1C | 0x3C | 0x5C | 0x7C | 0xDC | 0xFC if CHIP == NMOSU => {
                    _ = load!(indexed!(opcode, word!(), x))
                }
                0x02 | 0x12 | 0x22 | 0x32 | 0x42 | 0x52 | 0x62 | 0x72 | 0x92 | 0xB2 | 0xD2 | 0xF2
                    if CHIP == NMOSU =>
                {
                    rest!(Stopped)
                }
                // The maker keeps the other opcodes for later; they do nothing, each in its own time.
                _ if CHIP == C02 => {
                    pc = pc.wrapping_add(u32::from(Self::CELLS[usize::from(opcode)]) - 1);
                }
                _ => {
                    pc = pc.wrapping_sub(1);
                    tally.undo(Tally::step(0));
                    leave!(Left::Exit(Exit::Undefined));
                }
            }
            if Bu::WATCHED && bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(if tally.due() { Left::Looks } else { Left::Exit(Exit::Watched) })
    }
}
