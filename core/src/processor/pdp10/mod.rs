//! Digital Equipment Corporation PDP-10 with the KA10 processor: 36-bit words, addresses of 18 bits, sixteen accumulators that are
//! the first cells of memory too, seven interrupt channels (*PDP-10 System Reference Manual*).
//!
//! It runs in executive mode without relocation: the bits that enter user mode do nothing.

mod execute;
mod fixed;
mod floating;
mod inout;
mod seldom;
mod table;

use super::set::{condition, register};
use super::{
    Bus, Cells, Condition, Exit, Flag, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Opcodes,
    Processor, Register, RegisterFile, Role, Starter, Table, Watch, index_words, no_advice, no_trap,
};
use crate::number::Habit;
use table::{PDP10 as MODEL, ROWS};

/// 36 bits.
const WORD: u64 = (1 << 36) - 1;
/// The left bit.
const SIGN: u64 = 1 << 35;
/// The right half.
const HALF: u64 = 0o777777;
/// The left bit of the right half.
const HALF_SIGN: u64 = 0o400000;
/// The left half.
const LEFT: u64 = WORD ^ HALF;

// The flags as they stand in the left half of a word with a program counter.
const OV: u64 = SIGN;
const FOV: u64 = 1 << 32;
/// The byte pointer of an instruction that was interrupted counts no further.
const BIS: u64 = 1 << 31;
const FXU: u64 = 1 << 24;
const DCK: u64 = 1 << 23;
/// The flags that there are without user mode.
const FLAG_BITS: u64 = 0o17 << 32 | BIS | FXU | DCK;

/// A stack's pointer passed zero: a condition of the processor as a device.
const PDL_OVERFLOW: u32 = 0o200000;

const fn accumulator(name: &'static str) -> Register {
    register(name, 36, Role::Cell)
}

const REGISTERS: &[Register] = &[
    accumulator("AC0"),
    accumulator("AC1"),
    accumulator("AC2"),
    accumulator("AC3"),
    accumulator("AC4"),
    accumulator("AC5"),
    accumulator("AC6"),
    accumulator("AC7"),
    accumulator("AC10"),
    accumulator("AC11"),
    accumulator("AC12"),
    accumulator("AC13"),
    accumulator("AC14"),
    accumulator("AC15"),
    accumulator("AC16"),
    accumulator("AC17"),
    register("FLAGS", 13, Role::Flags),
    register("PC", 18, Role::Program),
    register("SW", 36, Role::Data),
    register("MI", 36, Role::Data),
    register("PION", 1, Role::Control),
    register("PIA", 7, Role::Control),
    register("PIH", 7, Role::Control),
    register("PIR", 7, Role::Control),
    register("APR", 18, Role::Control),
];

const fn flag(name: &'static str, word: u64, meaning: &'static str) -> Flag {
    Flag { name, mask: word >> FLAGS_SHIFT, meaning }
}

/// Where the flags stand in a word, from the right.
const FLAGS_SHIFT: u32 = 23;

const FLAGS: &[Flag] = &[
    flag("OV", OV, "overflow"),
    flag("CRY0", OV >> 1, "carry out of the sign"),
    flag("CRY1", OV >> 2, "carry into the sign"),
    flag("FOV", FOV, "floating overflow"),
    flag("BIS", BIS, "byte pointer counted already"),
    flag("FXU", FXU, "floating underflow"),
    flag("DCK", DCK, "no divide"),
];

/// What accumulator 0 is, compared with zero.
const CONDITIONS: &[Condition] = &[
    condition(&["e", "z"], "JUMPE", "JUMPN"),
    condition(&["n", "nz"], "JUMPN", "JUMPE"),
    condition(&["l", "mi"], "JUMPL", "JUMPGE"),
    condition(&["ge", "pl"], "JUMPGE", "JUMPL"),
    condition(&["g"], "JUMPG", "JUMPLE"),
    condition(&["le"], "JUMPLE", "JUMPG"),
];

static MNEMONICS: Mnemonics = Mnemonics::new(ROWS, MODEL);

/// Bits to the right of those by which the row is found: operation and accumulator.
const INDEX_SHIFT: u8 = 23;
static INDEX: [u16; 0o20000] = index_words(ROWS, INDEX_SHIFT);

/// The manual's other names of operations, with their modes.
const OTHER_MNEMONICS: &[(&str, &str)] = &[
    ("OR", "IOR"),
    ("ORI", "IORI"),
    ("ORM", "IORM"),
    ("ORB", "IORB"),
    ("CLEAR", "SETZ"),
    ("CLEARI", "SETZI"),
    ("CLEARM", "SETZM"),
    ("CLEARB", "SETZB"),
];

/// Digital Equipment Corporation PDP-10.
pub static PDP10: InstructionSet = InstructionSet {
    identity: Identity {
        name: "pdp10",
        title: "Digital Equipment Corporation PDP-10 (KA10)",
        cycle_name: "ticks",
        clock: 10_000_000,
        ancestors: &[],
    },
    table: Table {
        rows: ROWS,
        model: MODEL,
        column: 0,
        opcodes: Opcodes { index: &INDEX, shift: INDEX_SHIFT, pages: &[], operand: None },
        notation: "pdp10",
        groups: &[],
        mnemonics: &MNEMONICS,
        operand_names: &[],
        conditions: CONDITIONS,
        jump: "JRST",
        near_jump: None,
        zero_page_forms: false,
        stack_users: &["PUSH", "POP"],
    },
    registers: RegisterFile { list: REGISTERS, flags: FLAGS, stack_page: 0 },
    interrupts: InterruptInputs {
        inputs: &["PI", "1", "2", "3", "4", "5", "6", "7"],
        level_input: Some("PI"),
        vectors: &[],
        restarts: &[],
        pointers: &[],
    },
    cells: Cells {
        port_bits: 12,
        last_port: 0o777,
        bits: 36,
        address_bits: 18,
        window_bits: 18,
        segment_shift: 0,
        habit: Habit::Octal,
    },
    hints: Hints {
        other_mnemonics: OTHER_MNEMONICS,
        register_aliases: &[],
        foreign: &[],
        advice: no_advice,
        trap: no_trap,
        example: "movei 1, 5",
        starter: Starter {
            program: include_str!("start.asm"),
            origin: "org 100h",
            cases: include_str!("start.cases.toml"),
            output: ("block-tape", "tape"),
        },
    },
    status: None,
    modes: None,
};

/// The registers that are not cells of memory.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Registers {
    /// The program counter, 18 bits.
    pub pc: u32,
    /// The flags, in the places that they have in the left half of a word.
    pub flags: u64,
    /// The data switches.
    pub switches: u64,
    /// The lights that the program sets.
    pub lights: u64,
}

/// The interrupt system. A bit for each of the seven channels, channel 1 on the left.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Interrupts {
    /// It is on.
    pub on: bool,
    /// Channels that are on.
    pub active: u8,
    /// Channels whose interrupts have begun and not ended.
    pub held: u8,
    /// Channels on which the program, or the operator, asks for an interrupt.
    pub asked: u8,
}

/// The processor.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Cpu {
    /// The registers.
    pub registers: Registers,
    /// The interrupt system.
    pub interrupts: Interrupts,
    /// Tenths of a microsecond since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    /// The conditions of the processor as a device, as CONI APR shows them, without the two overflow flags.
    apr: u32,
    /// The channels on which devices ask.
    requested: u8,
    /// The word that the last address came from.
    last: u64,
    /// The halt that it stands at, until it is let go on.
    halt: Option<u32>,
}

/// The channel that a device is assigned to, as a bit; none for 0.
pub(crate) const fn channel_bit(channel: u32) -> u8 {
    if channel & 7 == 0 { 0 } else { 1 << (7 - (channel & 7)) }
}

impl Processor for Cpu {
    type Cell = u64;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        &PDP10
    }

    #[inline]
    fn run<B: Bus<Cell = u64>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit {
        self.run_until(bus, watch, limit)
    }

    /// The reset switch clears flags and devices; accumulators and program counter stay.
    fn reset(&mut self, _: impl Fn(u32) -> u64) {
        self.registers.flags = 0;
        self.registers.lights = 0;
        (self.interrupts, self.apr, self.halt) = (Interrupts::default(), 0, None);
    }

    fn request(&mut self, input: &str) {
        self.interrupts.asked |= channel_bit(input.parse().unwrap_or(0));
    }

    fn requested(&mut self, requests: super::Requests) {
        self.requested = requests.channels;
    }

    fn waits_at(&self) -> Option<u32> {
        self.halt
    }

    fn register(&self, place: usize) -> u64 {
        let own = &self.registers;
        match place {
            16 => own.flags >> FLAGS_SHIFT,
            17 => own.pc.into(),
            18 => own.switches,
            19 => own.lights,
            20 => self.interrupts.on.into(),
            21 => self.interrupts.active.into(),
            22 => self.interrupts.held.into(),
            23 => self.interrupts.asked.into(),
            _ => self.apr.into(),
        }
    }

    fn set_register(&mut self, place: usize, value: u64) {
        let own = &mut self.registers;
        let channels = (value & 0o177) as u8;
        match place {
            16 => own.flags = value << FLAGS_SHIFT & FLAG_BITS,
            17 => own.pc = (value & HALF) as u32,
            18 => own.switches = value & WORD,
            19 => own.lights = value & WORD,
            20 => self.interrupts.on = value & 1 != 0,
            21 => self.interrupts.active = channels,
            22 => self.interrupts.held = channels,
            23 => self.interrupts.asked = channels,
            _ => self.apr = (value & HALF) as u32,
        }
    }

    fn counters(&self) -> (u64, u64) {
        (self.now, self.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.now, self.instructions) = (now, instructions);
    }
}
