//! The run loop and every opcode.
//!
//! PERF: explicit opcodes in the arms, no ranges, so that the loop is one jump table. Clocks come from the table: those of an opcode
//! alone when it is fetched, those of an operand byte with it.

use super::alu::{self, CARRY, DIRECTION, INTERRUPT, OVERFLOW, TRAP, ZERO};
use super::interrupts::{DIVIDE, OVERFLOW as ON_OVERFLOW};
use super::stretch::{Left, Stretch};
use super::table::{M8086U, ROWS};
use super::{CS, CX, DS, ES, Engine, SP, SS};
use crate::processor::prefix::PREFIX_CLOCKS;
use crate::processor::{Bus, Exit, OperandIndex, Repeat, Tally, Watch, index_operands};

const INDEX: OperandIndex = index_operands(ROWS, M8086U);

/// True for the cells that stand in front of an opcode.
const fn is_prefix(cell: u8) -> bool {
    matches!(cell, 0x26 | 0x2E | 0x36 | 0x3E | 0xF0 | 0xF2 | 0xF3)
}

/// What an opcode without an operand byte adds, the instruction with it; one with an operand byte the instruction alone.
const STEP: [i64; 256] = {
    let mut step = [1; 256];
    let mut opcode = 0;
    while opcode < 256 {
        if is_prefix(opcode as u8) {
            step[opcode] = 0;
        }
        let row = INDEX[opcode][0];
        if row != 0 && ROWS[row as usize - 1].opcode_cells == 1 && ROWS[row as usize - 1].timing[0].each == 0
        {
            step[opcode] = Tally::step(ROWS[row as usize - 1].timing[0].base);
        }
        opcode += 1;
    }
    step
};

/// Clocks of an operand byte behind an opcode; 0 where there is no such instruction.
const OPERAND: [[u8; 16]; 256] = {
    let mut clocks = [[0; 16]; 256];
    let mut opcode = 0;
    while opcode < 256 {
        let mut class = 0;
        while class < 16 {
            let row = INDEX[opcode][class];
            if row != 0 && ROWS[row as usize - 1].opcode_cells == 2 {
                clocks[opcode][class] = ROWS[row as usize - 1].timing[0].base;
            }
            class += 1;
        }
        opcode += 1;
    }
    clocks
};

/// What a branch that is taken takes more, and a string instruction alone and for each turn.
const MORE: [[u8; 2]; 256] = {
    let mut more = [[0; 2]; 256];
    let mut opcode = 0;
    while opcode < 256 {
        let row = INDEX[opcode][0];
        if row != 0 && ROWS[row as usize - 1].opcode_cells == 1 {
            let timing = ROWS[row as usize - 1].timing[0];
            more[opcode] =
                if timing.each == 0 { [timing.taken - timing.base, 0] } else { [timing.base, timing.each] };
        }
        opcode += 1;
    }
    more
};

/// Clocks of an interrupt that the program or a division asks for.
const INTERRUPT_CLOCKS: u8 = 51;

/// More prefixes than this go round the segment without end.
const MOST_PREFIXES: u32 = 0x1_0000;

impl Engine {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
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
            if self.halted {
                return Exit::Halt;
            }
            let traced = self.registers.flags & TRAP != 0;
            if traced {
                inner_limit = self.now + 1;
            }
            let left = self.execute(bus, watch, inner_limit);
            let is_done = !matches!(left, Left::Exit(exit) if exit.is_before());
            self.interrupts.trap |= traced && is_done && left != Left::Shadow;
            match left {
                Left::Limit => {}
                Left::Shadow => self.shadow = true,
                Left::Interrupt(number) => {
                    self.enter(bus, number);
                    if bus.attention() {
                        return Exit::Attention;
                    }
                }
                // What waits ends the waiting at once.
                Left::Exit(Exit::Halt | Exit::Idle)
                    if self.interrupts.is_acceptable(self.now, self.registers.flags) => {}
                Left::Looks if bus.attention() => return Exit::Attention,
                Left::Looks => {}
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
    #[expect(
        clippy::manual_range_patterns,
        reason = "a range becomes comparisons in front of the jump table"
    )]
    fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        let tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);
        let mut repeats = self.repeats;
        let mut l = Stretch {
            r: self.registers,
            bus,
            tally,
            narrow: self.narrow.into(),
            segment: None,
            repeat: None,
            operand: 0,
            place: (DS, 0),
        };
        macro_rules! leave {
            ($left:expr) => {{
                let left = $left;
                self.registers = l.r;
                self.now = l.tally.now();
                self.instructions += l.tally.instructions();
                self.repeats = repeats;
                W::after(local, l.tally);
                return left;
            }};
        }
        while !l.tally.due() {
            let start = l.r.ip;
            if W::before(&mut local, l.linear(CS, start), l.tally) {
                leave!(Left::Exit(Exit::Watched));
            }
            let before = l.tally;
            let goes_on = std::mem::take(&mut repeats);
            (l.segment, l.repeat) = (None, None);
            let mut prefixes = 0;
            macro_rules! undo {
                ($exit:expr) => {{
                    (l.r.ip, l.tally, repeats) = (start, before, goes_on);
                    leave!(Left::Exit($exit));
                }};
            }
            // PERF: prefixes are arms as all others, so that an instruction without one costs a single jump table.
            macro_rules! prefix {
                () => {{
                    if !goes_on {
                        l.spend(PREFIX_CLOCKS);
                    }
                    prefixes += 1;
                    if prefixes > MOST_PREFIXES {
                        undo!(Exit::Chain);
                    }
                    continue;
                }};
            }
            loop {
                let opcode = l.byte();
                l.tally.add(STEP[usize::from(opcode)]);
                // Reads the operand byte, finds the operand, and pays for it.
                macro_rules! operand {
                    () => {{
                        l.operand = l.byte();
                        let class = usize::from(l.operand >= 0xC0) << 3 | usize::from(l.field());
                        let clocks = OPERAND[usize::from(opcode)][class];
                        if clocks == 0 {
                            undo!(Exit::Undefined);
                        }
                        l.spend(clocks);
                        l.find();
                    }};
                }
                macro_rules! undocumented {
                    () => {
                        if !self.undocumented {
                            undo!(Exit::Undefined);
                        }
                    };
                }
                macro_rules! ports {
                    () => {
                        if l.bus.attention() {
                            leave!(Left::Exit(Exit::Attention));
                        }
                    };
                }
                match opcode {
                    // ADD
                    0x00 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(0, right);
                    }
                    0x01 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(0, right);
                    }
                    0x02 => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(0, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x03 => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(0, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x04 => {
                        let right = l.byte();
                        let value = l.operate(0, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x05 => {
                        let right = l.word();
                        l.r.words[0] = l.operate(0, l.r.words[0], right);
                    }
                    // OR
                    0x08 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(1, right);
                    }
                    0x09 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(1, right);
                    }
                    0x0A => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(1, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x0B => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(1, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x0C => {
                        let right = l.byte();
                        let value = l.operate(1, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x0D => {
                        let right = l.word();
                        l.r.words[0] = l.operate(1, l.r.words[0], right);
                    }
                    // ADC
                    0x10 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(2, right);
                    }
                    0x11 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(2, right);
                    }
                    0x12 => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(2, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x13 => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(2, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x14 => {
                        let right = l.byte();
                        let value = l.operate(2, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x15 => {
                        let right = l.word();
                        l.r.words[0] = l.operate(2, l.r.words[0], right);
                    }
                    // SBB
                    0x18 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(3, right);
                    }
                    0x19 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(3, right);
                    }
                    0x1A => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(3, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x1B => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(3, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x1C => {
                        let right = l.byte();
                        let value = l.operate(3, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x1D => {
                        let right = l.word();
                        l.r.words[0] = l.operate(3, l.r.words[0], right);
                    }
                    // AND
                    0x20 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(4, right);
                    }
                    0x21 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(4, right);
                    }
                    0x22 => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(4, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x23 => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(4, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x24 => {
                        let right = l.byte();
                        let value = l.operate(4, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x25 => {
                        let right = l.word();
                        l.r.words[0] = l.operate(4, l.r.words[0], right);
                    }
                    // SUB
                    0x28 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(5, right);
                    }
                    0x29 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(5, right);
                    }
                    0x2A => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(5, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x2B => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(5, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x2C => {
                        let right = l.byte();
                        let value = l.operate(5, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x2D => {
                        let right = l.word();
                        l.r.words[0] = l.operate(5, l.r.words[0], right);
                    }
                    // XOR
                    0x30 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(6, right);
                    }
                    0x31 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(6, right);
                    }
                    0x32 => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(6, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x33 => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(6, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x34 => {
                        let right = l.byte();
                        let value = l.operate(6, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x35 => {
                        let right = l.word();
                        l.r.words[0] = l.operate(6, l.r.words[0], right);
                    }
                    // CMP
                    0x38 => {
                        operand!();
                        let right = l.byte_register(l.field());
                        l.operate_on_byte(7, right);
                    }
                    0x39 => {
                        operand!();
                        let right = l.r.words[usize::from(l.field())];
                        l.operate_on_word(7, right);
                    }
                    0x3A => {
                        operand!();
                        let right = l.operand_byte();
                        let left = l.byte_register(l.field());
                        let value = l.operate(7, left, right);
                        l.set_byte_register(l.field(), value);
                    }
                    0x3B => {
                        operand!();
                        let right = l.operand_word();
                        let left = l.r.words[usize::from(l.field())];
                        let value = l.operate(7, left, right);
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x3C => {
                        let right = l.byte();
                        let value = l.operate(7, l.r.words[0] as u8, right);
                        l.set_byte_register(0, value);
                    }
                    0x3D => {
                        let right = l.word();
                        l.r.words[0] = l.operate(7, l.r.words[0], right);
                    }
                    // Segments on the stack
                    0x06 | 0x0E | 0x16 | 0x1E => l.push(l.r.segments[usize::from(opcode >> 3)]),
                    0x07 | 0x17 | 0x1F => {
                        l.r.segments[usize::from(opcode >> 3)] = l.pop();
                        leave!(Left::Shadow);
                    }
                    0x0F => {
                        undocumented!();
                        l.r.segments[CS] = l.pop();
                    }
                    0x27 | 0x2F => {
                        let (al, flags) = alu::decimal_adjust(l.r.words[0] as u8, l.r.flags, opcode == 0x2F);
                        l.set_byte_register(0, al);
                        l.set_flags(flags);
                    }
                    0x37 | 0x3F => {
                        let (ax, flags) = alu::digit_adjust(l.r.words[0], l.r.flags, opcode == 0x3F);
                        l.r.words[0] = ax;
                        l.set_flags(flags);
                    }
                    0x40 => {
                        let (value, flags) = alu::add(l.r.words[0], 1, 0);
                        l.r.words[0] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x48 => {
                        let (value, flags) = alu::subtract(l.r.words[0], 1, 0);
                        l.r.words[0] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x50 => l.push(l.r.words[0]),
                    0x58 => l.r.words[0] = l.pop(),
                    0x41 => {
                        let (value, flags) = alu::add(l.r.words[1], 1, 0);
                        l.r.words[1] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x49 => {
                        let (value, flags) = alu::subtract(l.r.words[1], 1, 0);
                        l.r.words[1] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x51 => l.push(l.r.words[1]),
                    0x59 => l.r.words[1] = l.pop(),
                    0x42 => {
                        let (value, flags) = alu::add(l.r.words[2], 1, 0);
                        l.r.words[2] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x4A => {
                        let (value, flags) = alu::subtract(l.r.words[2], 1, 0);
                        l.r.words[2] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x52 => l.push(l.r.words[2]),
                    0x5A => l.r.words[2] = l.pop(),
                    0x43 => {
                        let (value, flags) = alu::add(l.r.words[3], 1, 0);
                        l.r.words[3] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x4B => {
                        let (value, flags) = alu::subtract(l.r.words[3], 1, 0);
                        l.r.words[3] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x53 => l.push(l.r.words[3]),
                    0x5B => l.r.words[3] = l.pop(),
                    0x44 => {
                        let (value, flags) = alu::add(l.r.words[4], 1, 0);
                        l.r.words[4] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x4C => {
                        let (value, flags) = alu::subtract(l.r.words[4], 1, 0);
                        l.r.words[4] = value;
                        l.set_flags_but_carry(flags);
                    }
                    // SP is put there as it is behind the instruction.
                    0x54 => {
                        let sp = l.r.words[SP].wrapping_sub(2);
                        l.push(sp);
                    }
                    0x5C => l.r.words[SP] = l.pop(),
                    0x45 => {
                        let (value, flags) = alu::add(l.r.words[5], 1, 0);
                        l.r.words[5] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x4D => {
                        let (value, flags) = alu::subtract(l.r.words[5], 1, 0);
                        l.r.words[5] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x55 => l.push(l.r.words[5]),
                    0x5D => l.r.words[5] = l.pop(),
                    0x46 => {
                        let (value, flags) = alu::add(l.r.words[6], 1, 0);
                        l.r.words[6] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x4E => {
                        let (value, flags) = alu::subtract(l.r.words[6], 1, 0);
                        l.r.words[6] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x56 => l.push(l.r.words[6]),
                    0x5E => l.r.words[6] = l.pop(),
                    0x47 => {
                        let (value, flags) = alu::add(l.r.words[7], 1, 0);
                        l.r.words[7] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x4F => {
                        let (value, flags) = alu::subtract(l.r.words[7], 1, 0);
                        l.r.words[7] = value;
                        l.set_flags_but_carry(flags);
                    }
                    0x57 => l.push(l.r.words[7]),
                    0x5F => l.r.words[7] = l.pop(),
                    0x70 => l.branch(l.holds(0), MORE[0x70][0]),
                    0x71 => l.branch(l.holds(1), MORE[0x71][0]),
                    0x72 => l.branch(l.holds(2), MORE[0x72][0]),
                    0x73 => l.branch(l.holds(3), MORE[0x73][0]),
                    0x74 => l.branch(l.holds(4), MORE[0x74][0]),
                    0x75 => l.branch(l.holds(5), MORE[0x75][0]),
                    0x76 => l.branch(l.holds(6), MORE[0x76][0]),
                    0x77 => l.branch(l.holds(7), MORE[0x77][0]),
                    0x78 => l.branch(l.holds(8), MORE[0x78][0]),
                    0x79 => l.branch(l.holds(9), MORE[0x79][0]),
                    0x7A => l.branch(l.holds(10), MORE[0x7A][0]),
                    0x7B => l.branch(l.holds(11), MORE[0x7B][0]),
                    0x7C => l.branch(l.holds(12), MORE[0x7C][0]),
                    0x7D => l.branch(l.holds(13), MORE[0x7D][0]),
                    0x7E => l.branch(l.holds(14), MORE[0x7E][0]),
                    0x7F => l.branch(l.holds(15), MORE[0x7F][0]),
                    0x60 | 0x61 | 0x62 | 0x63 | 0x64 | 0x65 | 0x66 | 0x67 | 0x68 | 0x69 | 0x6A | 0x6B
                    | 0x6C | 0x6D | 0x6E | 0x6F => {
                        undocumented!();
                        l.branch(l.holds(opcode & 15), MORE[0x60][0]);
                    }
                    // A number and an operand
                    0x80 | 0x82 => {
                        operand!();
                        let left = l.operand_byte();
                        let right = l.byte();
                        let value = l.operate(l.field(), left, right);
                        if l.field() != 7 {
                            l.set_operand_byte(value);
                        }
                    }
                    0x81 | 0x83 => {
                        operand!();
                        let left = l.operand_word();
                        let right = if opcode == 0x81 { l.word() } else { l.byte() as i8 as u16 };
                        let value = l.operate(l.field(), left, right);
                        if l.field() != 7 {
                            l.set_operand_word(value);
                        }
                    }
                    0x84 => {
                        operand!();
                        let (left, right) = (l.operand_byte(), l.byte_register(l.field()));
                        l.operate(4, left, right);
                    }
                    0x85 => {
                        operand!();
                        let (left, right) = (l.operand_word(), l.r.words[usize::from(l.field())]);
                        l.operate(4, left, right);
                    }
                    0x86 => {
                        operand!();
                        let (other, own) = (l.operand_byte(), l.byte_register(l.field()));
                        l.set_operand_byte(own);
                        l.set_byte_register(l.field(), other);
                    }
                    0x87 => {
                        operand!();
                        let (other, own) = (l.operand_word(), l.r.words[usize::from(l.field())]);
                        l.set_operand_word(own);
                        l.r.words[usize::from(l.field())] = other;
                    }
                    // Moves
                    0x88 => {
                        operand!();
                        l.set_operand_byte(l.byte_register(l.field()));
                    }
                    0x89 => {
                        operand!();
                        l.set_operand_word(l.r.words[usize::from(l.field())]);
                    }
                    0x8A => {
                        operand!();
                        let value = l.operand_byte();
                        l.set_byte_register(l.field(), value);
                    }
                    0x8B => {
                        operand!();
                        let value = l.operand_word();
                        l.r.words[usize::from(l.field())] = value;
                    }
                    0x8C => {
                        operand!();
                        l.set_operand_word(l.r.segments[usize::from(l.field() & 3)]);
                    }
                    0x8D => {
                        operand!();
                        l.r.words[usize::from(l.field())] = l.place.1;
                    }
                    0x8E => {
                        operand!();
                        l.r.segments[usize::from(l.field() & 3)] = l.operand_word();
                        leave!(Left::Shadow);
                    }
                    0x8F => {
                        operand!();
                        let value = l.pop();
                        l.set_operand_word(value);
                    }
                    0x90 => {}
                    0x91 => l.r.words.swap(0, 1),
                    0x92 => l.r.words.swap(0, 2),
                    0x93 => l.r.words.swap(0, 3),
                    0x94 => l.r.words.swap(0, 4),
                    0x95 => l.r.words.swap(0, 5),
                    0x96 => l.r.words.swap(0, 6),
                    0x97 => l.r.words.swap(0, 7),
                    0x98 => l.r.words[0] = l.r.words[0] as u8 as i8 as u16,
                    0x99 => l.r.words[2] = if l.r.words[0] & 0x8000 == 0 { 0 } else { 0xFFFF },
                    0x9A => {
                        let (offset, segment) = (l.word(), l.word());
                        l.push(l.r.segments[CS]);
                        l.push(l.r.ip);
                        (l.r.ip, l.r.segments[CS]) = (offset, segment);
                    }
                    // Nothing holds TEST high.
                    0x9B => {}
                    0x9C => l.push(l.r.flags),
                    0x9D => {
                        l.r.flags = alu::stored(l.pop());
                        leave!(Left::Looks);
                    }
                    0x9E => l.r.flags = alu::stored(l.r.flags & 0xFF00 | l.r.words[0] >> 8),
                    0x9F => l.set_byte_register(4, l.r.flags as u8),
                    0xA0 | 0xA1 | 0xA2 | 0xA3 => {
                        let place = (l.segment.unwrap_or(DS), l.word());
                        match opcode {
                            0xA0 => {
                                let value = l.load_byte(place);
                                l.set_byte_register(0, value);
                            }
                            0xA1 => l.r.words[0] = l.load_word(place),
                            0xA2 => l.store_byte(place, l.r.words[0] as u8),
                            _ => l.store_word(place, l.r.words[0]),
                        }
                    }
                    0xA4 | 0xA5 | 0xA6 | 0xA7 | 0xAA | 0xAB | 0xAC | 0xAD | 0xAE | 0xAF => {
                        repeats = l.string(opcode, MORE[usize::from(opcode)], start, goes_on);
                    }
                    0xA8 => {
                        let right = l.byte();
                        l.operate(4, l.r.words[0] as u8, right);
                    }
                    0xA9 => {
                        let right = l.word();
                        l.operate(4, l.r.words[0], right);
                    }
                    0xB0 => {
                        let value = l.byte();
                        l.set_byte_register(0, value);
                    }
                    0xB8 => l.r.words[0] = l.word(),
                    0xB1 => {
                        let value = l.byte();
                        l.set_byte_register(1, value);
                    }
                    0xB9 => l.r.words[1] = l.word(),
                    0xB2 => {
                        let value = l.byte();
                        l.set_byte_register(2, value);
                    }
                    0xBA => l.r.words[2] = l.word(),
                    0xB3 => {
                        let value = l.byte();
                        l.set_byte_register(3, value);
                    }
                    0xBB => l.r.words[3] = l.word(),
                    0xB4 => {
                        let value = l.byte();
                        l.set_byte_register(4, value);
                    }
                    0xBC => l.r.words[4] = l.word(),
                    0xB5 => {
                        let value = l.byte();
                        l.set_byte_register(5, value);
                    }
                    0xBD => l.r.words[5] = l.word(),
                    0xB6 => {
                        let value = l.byte();
                        l.set_byte_register(6, value);
                    }
                    0xBE => l.r.words[6] = l.word(),
                    0xB7 => {
                        let value = l.byte();
                        l.set_byte_register(7, value);
                    }
                    0xBF => l.r.words[7] = l.word(),
                    // Returns
                    0xC0 | 0xC1 | 0xC2 | 0xC3 => {
                        if opcode & 2 == 0 {
                            undocumented!();
                        }
                        let more = if opcode & 1 == 0 { l.word() } else { 0 };
                        l.r.ip = l.pop();
                        l.r.words[SP] = l.r.words[SP].wrapping_add(more);
                    }
                    0xC8 | 0xC9 | 0xCA | 0xCB => {
                        if opcode & 2 == 0 {
                            undocumented!();
                        }
                        let more = if opcode & 1 == 0 { l.word() } else { 0 };
                        l.r.ip = l.pop();
                        l.r.segments[CS] = l.pop();
                        l.r.words[SP] = l.r.words[SP].wrapping_add(more);
                    }
                    0xC4 | 0xC5 => {
                        operand!();
                        let (offset, segment) = l.far_pointer();
                        l.r.words[usize::from(l.field())] = offset;
                        l.r.segments[if opcode == 0xC4 { ES } else { DS }] = segment;
                    }
                    0xC6 => {
                        operand!();
                        let value = l.byte();
                        l.set_operand_byte(value);
                    }
                    0xC7 => {
                        operand!();
                        let value = l.word();
                        l.set_operand_word(value);
                    }
                    0xCC => leave!(Left::Interrupt(3)),
                    0xCD => {
                        let number = l.byte();
                        leave!(Left::Interrupt(number));
                    }
                    0xCE => {
                        if l.has(OVERFLOW) {
                            l.spend(MORE[0xCE][0]);
                            leave!(Left::Interrupt(ON_OVERFLOW));
                        }
                    }
                    0xCF => {
                        l.r.ip = l.pop();
                        l.r.segments[CS] = l.pop();
                        l.r.flags = alu::stored(l.pop());
                        leave!(Left::Looks);
                    }
                    // Shifts
                    0xD0 | 0xD2 => {
                        operand!();
                        let count = if opcode == 0xD0 { 1 } else { l.r.words[CX] as u8 };
                        if opcode == 0xD2 {
                            l.tally.add(Tally::more_of(4 * u64::from(count)));
                        }
                        let value = l.operand_byte();
                        let value = l.shift(value, count);
                        l.set_operand_byte(value);
                    }
                    0xD1 | 0xD3 => {
                        operand!();
                        let count = if opcode == 0xD1 { 1 } else { l.r.words[CX] as u8 };
                        if opcode == 0xD3 {
                            l.tally.add(Tally::more_of(4 * u64::from(count)));
                        }
                        let value = l.operand_word();
                        let value = l.shift(value, count);
                        l.set_operand_word(value);
                    }
                    // In both the base is a byte of its own, of which the manual knows ten alone.
                    0xD4 | 0xD5 => {
                        if l.byte() != 10 {
                            undo!(Exit::Undefined);
                        }
                        l.spend(OPERAND[usize::from(opcode)][1]);
                        let [al, ah] = l.r.words[0].to_le_bytes();
                        let pair = if opcode == 0xD4 {
                            [al % 10, al / 10]
                        } else {
                            [ah.wrapping_mul(10).wrapping_add(al), 0]
                        };
                        l.r.words[0] = u16::from_le_bytes(pair);
                        l.set_flags(alu::result(pair[0]));
                    }
                    0xD6 => {
                        undocumented!();
                        l.set_byte_register(0, if l.has(CARRY) { 0xFF } else { 0 });
                    }
                    0xD7 => {
                        let offset = l.r.words[3].wrapping_add(l.r.words[0] & 0xFF);
                        let value = l.load_byte((l.segment.unwrap_or(DS), offset));
                        l.set_byte_register(0, value);
                    }
                    // Another processor would see the operand; here nobody takes it.
                    0xD8 | 0xD9 | 0xDA | 0xDB | 0xDC | 0xDD | 0xDE | 0xDF => {
                        operand!();
                        if l.is_memory() {
                            l.operand_word();
                        }
                    }
                    // Loops
                    0xE0 | 0xE1 | 0xE2 => {
                        l.r.words[CX] = l.r.words[CX].wrapping_sub(1);
                        let zero = l.has(ZERO);
                        let holds = match opcode {
                            0xE0 => !zero,
                            0xE1 => zero,
                            _ => true,
                        };
                        l.branch(holds && l.r.words[CX] != 0, MORE[usize::from(opcode)][0]);
                    }
                    0xE3 => l.branch(l.r.words[CX] == 0, MORE[0xE3][0]),
                    // Ports
                    0xE4 | 0xEC => {
                        let port = if opcode == 0xE4 { l.byte().into() } else { l.r.words[2] };
                        let value = l.bus.input(port.into(), l.tally.now());
                        l.set_byte_register(0, value);
                        ports!();
                    }
                    0xE5 | 0xED => {
                        let port = if opcode == 0xE5 { l.byte().into() } else { l.r.words[2] };
                        l.r.words[0] = l.input_word(port);
                        ports!();
                    }
                    0xE6 | 0xEE => {
                        let port = if opcode == 0xE6 { l.byte().into() } else { l.r.words[2] };
                        l.bus.output(port.into(), l.r.words[0] as u8, l.tally.now());
                        ports!();
                    }
                    0xE7 | 0xEF => {
                        let port = if opcode == 0xE7 { l.byte().into() } else { l.r.words[2] };
                        l.output_word(port, l.r.words[0]);
                        ports!();
                    }
                    0xE8 => {
                        let distance = l.word();
                        l.push(l.r.ip);
                        l.jump(distance, 0);
                    }
                    0xE9 => {
                        let distance = l.word();
                        if l.jump(distance, 3) && prefixes == 0 {
                            leave!(Left::Exit(Exit::Idle));
                        }
                    }
                    0xEA => (l.r.ip, l.r.segments[CS]) = (l.word(), l.word()),
                    0xEB => {
                        let distance = l.byte() as i8 as u16;
                        if l.jump(distance, 2) && prefixes == 0 {
                            leave!(Left::Exit(Exit::Idle));
                        }
                    }
                    0xF4 => {
                        self.halted = true;
                        leave!(Left::Exit(Exit::Halt));
                    }
                    0xF5 => l.r.flags ^= CARRY,
                    0xF8 => l.set(CARRY, false),
                    0xF9 => l.set(CARRY, true),
                    0xFA => l.set(INTERRUPT, false),
                    0xFB => {
                        l.set(INTERRUPT, true);
                        leave!(Left::Shadow);
                    }
                    0xFC => l.set(DIRECTION, false),
                    0xFD => l.set(DIRECTION, true),
                    0xF6 | 0xF7 | 0xFE | 0xFF => {
                        operand!();
                        let done = if opcode >= 0xFE {
                            l.group_of_steps(opcode);
                            true
                        } else {
                            l.group_of_products(opcode)
                        };
                        if !done {
                            l.spend(INTERRUPT_CLOCKS);
                            leave!(Left::Interrupt(DIVIDE));
                        }
                    }
                    0x26 => {
                        l.segment = Some(ES);
                        prefix!();
                    }
                    0x2E => {
                        l.segment = Some(CS);
                        prefix!();
                    }
                    0x36 => {
                        l.segment = Some(SS);
                        prefix!();
                    }
                    0x3E => {
                        l.segment = Some(DS);
                        prefix!();
                    }
                    0xF0 => prefix!(),
                    0xF2 => {
                        l.repeat = Some(Repeat::NotEqual);
                        prefix!();
                    }
                    0xF3 => {
                        l.repeat = Some(Repeat::Equal);
                        prefix!();
                    }
                    0xF1 => undo!(Exit::Undefined),
                }
                break;
            }
            if B::WATCHED && l.bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(Left::Limit)
    }
}
