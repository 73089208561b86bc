//! Zilog eZ80.
//!
//! Two widths of word, and a mode bit (ADL) that chooses between them: in Z80 mode words and addresses have 16 bits, and MBASE gives
//! the upper eight bits of an address; in ADL mode they have 24. A suffix gives one instruction widths of its own.

mod blocks;
mod execute;
mod extended;
mod hints;
mod interrupts;
mod operands;
mod table;
mod words;

use super::set::register;
use super::z80::{CONDITIONS, FLAGS, Interrupts, RESTARTS, foreign};
use super::{
    Bus, Cells, Exit, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Modes, Opcodes, Page,
    Processor, Register, RegisterFile, Requests, Role, Row, Starter, Suffix, Table, Watch, index_page,
};
use crate::number::Habit;
use table::{EZ80 as MODEL, long, short};

const REGISTERS: &[Register] = &[
    register("A", 8, Role::Data),
    register("F", 8, Role::Flags),
    register("BC", 24, Role::Data),
    register("DE", 24, Role::Data),
    register("HL", 24, Role::Data),
    register("IX", 24, Role::Data),
    register("IY", 24, Role::Data),
    register("SP", 24, Role::Stack),
    register("PC", 24, Role::Program),
    register("ADL", 1, Role::Control),
    register("MB", 8, Role::Control),
    register("MADL", 1, Role::Control),
    register("SPS", 16, Role::Internal),
    register("SPL", 24, Role::Internal),
    register("AF'", 16, Role::Control),
    register("BC'", 24, Role::Control),
    register("DE'", 24, Role::Control),
    register("HL'", 24, Role::Control),
    register("I", 16, Role::Control),
    register("R", 8, Role::Internal),
    register("IFF1", 1, Role::Control),
    register("IFF2", 1, Role::Control),
    register("IM", 2, Role::Control),
    register("B", 8, Role::Pair),
    register("C", 8, Role::Pair),
    register("D", 8, Role::Pair),
    register("E", 8, Role::Pair),
    register("H", 8, Role::Pair),
    register("L", 8, Role::Pair),
    register("AF", 16, Role::Pair),
    register("EID", 1, Role::Internal),
    register("HLTA", 1, Role::Internal),
    register("INTA", 8, Role::Line),
];

const OPERAND_NAMES: &[&str] = &[
    "A", "B", "C", "D", "E", "H", "L", "I", "R", "MB", "AF", "BC", "DE", "HL", "SP", "IX", "IY", "IXH",
    "IXL", "IYH", "IYL", "AF'", "NZ", "Z", "NC", "PO", "PE", "P", "M",
];

/// The opcodes of both widths are the same, and so are the numbers of their rows.
static FIRST: [u16; 256] =
    index_page(short::ROWS, MODEL, (0, 1), &[(0xCB, 0), (0xED, 1), (0xDD, 2), (0xFD, 3)]);
static CB: [u16; 256] = index_page(short::ROWS, MODEL, (0xCB, 2), &[]);
static ED: [u16; 256] = index_page(short::ROWS, MODEL, (0xED, 2), &[]);
static DD: [u16; 256] = index_page(short::ROWS, MODEL, (0xDD, 2), &[(0xCB, 4)]);
static FD: [u16; 256] = index_page(short::ROWS, MODEL, (0xFD, 2), &[(0xCB, 5)]);
static DD_CB: [u16; 256] = index_page(short::ROWS, MODEL, (0xDD_CB, 3), &[]);
static FD_CB: [u16; 256] = index_page(short::ROWS, MODEL, (0xFD_CB, 3), &[]);
static PAGES: [Page; 6] = [
    Page { prefix: 0xCB, at: 1, index: &CB, alone: 0 },
    Page { prefix: 0xED, at: 1, index: &ED, alone: 0 },
    Page { prefix: 0xDD, at: 1, index: &DD, alone: 0 },
    Page { prefix: 0xFD, at: 1, index: &FD, alone: 0 },
    Page { prefix: 0xDD_CB, at: 3, index: &DD_CB, alone: 0 },
    Page { prefix: 0xFD_CB, at: 3, index: &FD_CB, alone: 0 },
];
static MNEMONICS: Mnemonics = Mnemonics::new(short::ROWS, MODEL);

const fn suffix(
    cell: u64,
    names: &'static [&'static str],
    set: &'static InstructionSet,
    (long_data, long_words): (bool, bool),
) -> Suffix {
    Suffix { cell, names, set, long_data, long_words }
}

/// The short names say one of the two widths; the mode says the other.
static SUFFIXES: [Suffix; 4] = [
    suffix(0x40, &[".SIS", ".S", ".IS"], &EZ80, (false, false)),
    suffix(0x49, &[".LIS", ".L"], &SHORT_WORDS, (true, false)),
    suffix(0x52, &[".SIL", ".IL"], &LONG_WORDS, (false, true)),
    suffix(0x5B, &[".LIL"], &EZ80_ADL, (true, true)),
];
static SUFFIXES_ADL: [Suffix; 4] = [
    suffix(0x40, &[".SIS"], &EZ80, (false, false)),
    suffix(0x49, &[".LIS", ".IS"], &SHORT_WORDS, (true, false)),
    suffix(0x52, &[".SIL", ".S"], &LONG_WORDS, (false, true)),
    suffix(0x5B, &[".LIL", ".L", ".IL"], &EZ80_ADL, (true, true)),
];

static IN_Z80_MODE: Modes =
    Modes { name: "z80", register: ("ADL", 0), other: &EZ80_ADL, suffixes: &SUFFIXES, long: false };
static IN_ADL_MODE: Modes =
    Modes { name: "adl", register: ("ADL", 1), other: &EZ80, suffixes: &SUFFIXES_ADL, long: true };

/// Zilog eZ80, in Z80 mode.
pub static EZ80: InstructionSet =
    set(("ez80", "Zilog eZ80"), (short::ROWS, 0), &IN_Z80_MODE, &["ez80adl", "z80", "8080"]);

/// Zilog eZ80, in ADL mode.
pub static EZ80_ADL: InstructionSet =
    set(("ez80adl", "Zilog eZ80 in ADL mode"), (long::ROWS, 1), &IN_ADL_MODE, &["ez80", "z80", "8080"]);

/// After `.LIS`: long data, words of 16 bits in the instruction.
static SHORT_WORDS: InstructionSet = set(("ez80", "Zilog eZ80"), (short::ROWS, 1), &IN_ADL_MODE, &[]);

/// After `.SIL`: short data, words of 24 bits in the instruction.
static LONG_WORDS: InstructionSet = set(("ez80", "Zilog eZ80"), (long::ROWS, 0), &IN_Z80_MODE, &[]);

const fn set(
    (name, title): (&'static str, &'static str),
    (rows, column): (&'static [Row], usize),
    modes: &'static Modes,
    ancestors: &'static [&'static str],
) -> InstructionSet {
    InstructionSet {
        identity: Identity { name, title, cycle_name: "cycles", clock: 1_000_000, ancestors },
        table: Table {
            rows,
            model: MODEL,
            column,
            opcodes: Opcodes { index: &FIRST, shift: 0, pages: &PAGES, operand: None },
            notation: "modes",
            groups: &[],
            mnemonics: &MNEMONICS,
            operand_names: OPERAND_NAMES,
            conditions: CONDITIONS,
            jump: "JP",
            near_jump: Some("JR"),
            zero_page_forms: false,
            stack_users: &["PUSH", "POP", "PEA"],
        },
        registers: RegisterFile { list: REGISTERS, flags: FLAGS, stack_page: 0 },
        interrupts: InterruptInputs {
            inputs: &["NMI", "INT"],
            level_input: Some("INT"),
            vectors: &[("NMI", 0x66)],
            restarts: RESTARTS,
            pointers: &[],
        },
        cells: Cells {
            port_bits: 16,
            last_port: 0xFFFF,
            bits: 8,
            address_bits: 24,
            window_bits: if modes.long { 24 } else { 16 },
            segment_shift: 0,
            habit: Habit::IntelHex,
        },
        hints: Hints {
            other_mnemonics: &[],
            register_aliases: &[("M", "(HL)"), ("PSW", "AF")],
            foreign: foreign::FOREIGN,
            advice: hints::advice,
            trap: super::no_trap,
            example: "ld a, 5",
            starter: Starter::bytes(include_str!("../z80/start.asm"), "org 100h"),
        },
        status: None,
        modes: Some(modes),
    }
}

/// The registers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Registers {
    pub a: u8,
    pub f: u8,
    pub bc: u32,
    pub de: u32,
    pub hl: u32,
    pub ix: u32,
    pub iy: u32,
    /// The stack pointer of Z80 mode; MBASE is its upper byte.
    pub sps: u16,
    /// The stack pointer of ADL mode.
    pub spl: u32,
    /// The program counter; in Z80 mode its lower 16 bits.
    pub pc: u32,
    /// Bits 16 to 23 of every address in Z80 mode.
    pub mbase: u8,
    /// ADL mode.
    pub adl: bool,
    /// Interrupts are served in ADL mode, with a mark of the mode they came from.
    pub mixed: bool,
    pub i: u16,
    pub r: u8,
}

/// Where the addresses of a width go out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Space {
    base: u32,
    mask: u32,
}

impl Space {
    #[inline(always)]
    fn place(self, address: u32) -> u32 {
        self.base | address & self.mask
    }
}

/// The second set of registers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Second {
    pub af: u16,
    pub bc: u32,
    pub de: u32,
    pub hl: u32,
}

impl Registers {
    /// An address of a word's bits as it goes out.
    #[inline]
    fn place(&self, address: u32, long: bool) -> u32 {
        if long { address & 0xFF_FFFF } else { u32::from(self.mbase) << 16 | address & 0xFFFF }
    }

    /// The address of the program counter as it goes out.
    #[inline]
    fn program(&self) -> u32 {
        self.place(self.pc, self.adl)
    }

    /// The space of addresses of a width.
    #[inline]
    fn space(&self, long: bool) -> Space {
        if long {
            Space { base: 0, mask: 0xFF_FFFF }
        } else {
            Space { base: u32::from(self.mbase) << 16, mask: 0xFFFF }
        }
    }

    fn go_to(&mut self, address: u32) {
        self.pc = if self.adl { address & 0xFF_FFFF } else { address & 0xFFFF };
    }
}

/// The processor.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Cpu {
    /// The registers.
    pub registers: Registers,
    /// The second set of registers.
    pub second: Second,
    /// The interrupt logic.
    pub interrupts: Interrupts,
    /// Cycles since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    /// The halt it waits in.
    halted: Option<u32>,
    /// For one instruction interrupts are kept away.
    shadow: bool,
}

fn byte_of(word: u32, byte: u32) -> u64 {
    u64::from(word >> (8 * byte) & 0xFF)
}

fn with_byte(word: &mut u32, byte: u32, value: u64) {
    *word = *word & !(0xFF << (8 * byte)) | (value as u32 & 0xFF) << (8 * byte);
}

impl Processor for Cpu {
    type Cell = u8;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        if self.registers.adl { &EZ80_ADL } else { &EZ80 }
    }

    fn request(&mut self, input: &str) {
        match input {
            "NMI" => self.interrupts.nmi = true,
            _ => self.interrupts.asked = true,
        }
    }

    fn requested(&mut self, Requests { since, .. }: Requests) {
        self.interrupts.held_since = since;
    }

    fn counters(&self) -> (u64, u64) {
        (self.now, self.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.now, self.instructions) = (now, instructions);
    }

    fn restart(&mut self) {
        self.interrupts.restart(self.now);
        self.set_counters(0, 0);
    }

    fn repeat(&mut self, before: &Self, turns: u64) {
        self.repeat_counters(before, turns);
        let (high, fetches) = (self.registers.r & 0x80, self.registers.r.wrapping_sub(before.registers.r));
        let r = self.registers.r.wrapping_add(fetches.wrapping_mul(turns as u8));
        self.registers.r = high | r & 0x7F;
    }

    /// RESET: Z80 mode, PC, MBASE, I and R to 0, interrupts off, mode 0. The other registers stay as they are.
    fn reset(&mut self, _: impl Fn(u32) -> u8) {
        let kept = self.registers;
        self.registers = Registers { pc: 0, mbase: 0, adl: false, mixed: false, i: 0, r: 0, ..kept };
        self.interrupts.reset();
        self.halted = None;
        self.shadow = false;
    }

    fn run<B: Bus<Cell = u8>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit {
        self.run_until(bus, watch, limit)
    }

    fn waits_at(&self) -> Option<u32> {
        self.halted.filter(|_| self.interrupts.acceptable(u64::MAX).is_none())
    }

    fn register(&self, place: usize) -> u64 {
        let r = &self.registers;
        match place {
            0 => r.a.into(),
            1 => r.f.into(),
            2 => r.bc.into(),
            3 => r.de.into(),
            4 => r.hl.into(),
            5 => r.ix.into(),
            6 => r.iy.into(),
            7 if r.adl => r.spl.into(),
            7 => r.place(r.sps.into(), false).into(),
            8 => r.program().into(),
            9 => r.adl.into(),
            10 => r.mbase.into(),
            11 => r.mixed.into(),
            12 => r.sps.into(),
            13 => r.spl.into(),
            14 => self.second.af.into(),
            15 => self.second.bc.into(),
            16 => self.second.de.into(),
            17 => self.second.hl.into(),
            18 => r.i.into(),
            19 => r.r.into(),
            20 => self.interrupts.enabled.into(),
            21 => self.interrupts.second.into(),
            22 => self.interrupts.mode.into(),
            23 => byte_of(r.bc, 1),
            24 => byte_of(r.bc, 0),
            25 => byte_of(r.de, 1),
            26 => byte_of(r.de, 0),
            27 => byte_of(r.hl, 1),
            28 => byte_of(r.hl, 0),
            29 => u64::from(r.a) << 8 | u64::from(r.f),
            30 => self.shadow.into(),
            31 => self.halted.is_some().into(),
            _ => self.interrupts.sent.into(),
        }
    }

    /// In Z80 mode the upper byte of the program counter and the stack pointer is MBASE; the program counter takes it along.
    fn set_register(&mut self, place: usize, value: u64) {
        let (low, short, word) = (value as u8, value as u16, value as u32 & 0xFF_FFFF);
        let r = &mut self.registers;
        match place {
            0 => r.a = low,
            1 => r.f = low,
            2 => r.bc = word,
            3 => r.de = word,
            4 => r.hl = word,
            5 => r.ix = word,
            6 => r.iy = word,
            7 if r.adl => r.spl = word,
            7 | 12 => r.sps = short,
            8 => {
                if !r.adl {
                    r.mbase = (word >> 16) as u8;
                }
                r.go_to(word);
                self.halted = None;
            }
            9 if r.adl != (value & 1 != 0) => {
                let program = r.program();
                r.adl = value & 1 != 0;
                r.go_to(program);
            }
            9 => {}
            10 => r.mbase = low,
            11 => r.mixed = value & 1 != 0,
            13 => r.spl = word,
            14 => self.second.af = short,
            15 => self.second.bc = word,
            16 => self.second.de = word,
            17 => self.second.hl = word,
            18 => r.i = short,
            19 => r.r = low,
            20 => self.interrupts.enabled = value & 1 != 0,
            21 => self.interrupts.second = value & 1 != 0,
            22 => self.interrupts.mode = low.min(2),
            23 => with_byte(&mut r.bc, 1, value),
            24 => with_byte(&mut r.bc, 0, value),
            25 => with_byte(&mut r.de, 1, value),
            26 => with_byte(&mut r.de, 0, value),
            27 => with_byte(&mut r.hl, 1, value),
            28 => with_byte(&mut r.hl, 0, value),
            29 => (r.a, r.f) = ((value >> 8) as u8, low),
            30 => self.shadow = value & 1 != 0,
            31 => {
                let before = r.place(r.pc.wrapping_sub(1), r.adl);
                self.halted = (value & 1 != 0).then(|| self.halted.unwrap_or(before));
            }
            _ => self.interrupts.sent = low,
        }
    }
}
