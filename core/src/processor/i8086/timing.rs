//! Clocks of the opcodes, taken from the table for the run loop's arms.

use super::table::{M8086U, ROWS};
use crate::processor::{OperandIndex, Tally, index_operands};

const INDEX: OperandIndex = index_operands(ROWS, M8086U);

/// What an opcode without an operand byte adds, the instruction with it.
pub(super) const STEP: [i64; 256] = {
    let mut step = [1; 256];
    let mut opcode = 0;
    while opcode < 256 {
        let row = INDEX[opcode][0];
        if row != 0 && ROWS[row as usize - 1].opcode_cells == 1 && ROWS[row as usize - 1].timing[0].each == 0
        {
            step[opcode] = Tally::step(ROWS[row as usize - 1].timing[0].base);
        }
        opcode += 1;
    }
    step
};

/// Clocks of an operand byte after an opcode, by its middle field, from 8 on for registers; 0 where there is no such instruction.
pub(super) const OPERAND: [[u8; 16]; 256] = {
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

/// What the middle field of an operand byte has to say about an opcode.
#[derive(Debug, Clone, Copy)]
pub(super) struct Fields {
    /// A bit for each of which there is an instruction.
    pub defined: u8,
    /// The clocks of all of them; `None` where they differ.
    pub clocks: Option<u8>,
}

const fn fields(first: usize) -> [Fields; 256] {
    let mut fields = [Fields { defined: 0, clocks: Some(0) }; 256];
    let mut opcode = 0;
    while opcode < 256 {
        let mut field = 0;
        while field < 8 {
            let clocks = OPERAND[opcode][first + field];
            let Fields { defined, clocks: others } = fields[opcode];
            if clocks != 0 {
                let alike = match others {
                    Some(others) if defined == 0 || others == clocks => Some(clocks),
                    _ => None,
                };
                fields[opcode] = Fields { defined: defined | 1 << field, clocks: alike };
            }
            field += 1;
        }
        opcode += 1;
    }
    fields
}

/// Where the operand is in memory.
pub(super) const MEMORY: [Fields; 256] = fields(0);
/// Where it is a register.
pub(super) const REGISTER: [Fields; 256] = fields(8);

/// What a branch that is taken takes more, and a string instruction alone and for each turn.
pub(super) const MORE: [[u8; 2]; 256] = {
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
pub(super) const INTERRUPT_CLOCKS: u8 = 51;
