//! Intel 8080 and 8085.

pub(crate) mod alu;
mod execute;
mod foreign;
mod hints;
mod interrupts;
mod status;
mod table;

pub use execute::{I80, I85, U85};
pub use interrupts::{Input, Interrupts};

use super::set::{condition, register};
use super::{
    Bus, Cells, Condition, Exit, Flag, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Opcodes,
    Processor, Register, RegisterFile, Requests, Role, Starter, Table, Watch, index_rows,
};
use crate::number::Habit;
use table::{M8080, M8085, M8085U, ROWS};

const REGISTERS: &[Register] = &[
    register("A", 8, Role::Data),
    register("F", 8, Role::Flags),
    register("B", 8, Role::Data),
    register("C", 8, Role::Data),
    register("D", 8, Role::Data),
    register("E", 8, Role::Data),
    register("H", 8, Role::Data),
    register("L", 8, Role::Data),
    register("SP", 16, Role::Stack),
    register("PC", 16, Role::Program),
    register("BC", 16, Role::Pair),
    register("DE", 16, Role::Pair),
    register("HL", 16, Role::Pair),
    register("PSW", 16, Role::Pair),
    register("IE", 1, Role::Control),
    register("EID", 1, Role::Internal),
    register("HLTA", 1, Role::Internal),
    register("INTA", 8, Role::Line),
    register("IM", 3, Role::Control),
    register("IP", 4, Role::Control),
    register("SID", 1, Role::Line),
];

/// The 8080 has neither masks nor inputs of its own.
const REGISTERS_8080: &[Register] = REGISTERS.split_at(18).0;

const FLAGS: &[Flag] = &[
    Flag { name: "S", mask: alu::S as u64, meaning: "minus" },
    Flag { name: "Z", mask: alu::Z as u64, meaning: "zero" },
    Flag { name: "AC", mask: alu::AC as u64, meaning: "carry out of bit 3" },
    Flag { name: "P", mask: alu::P as u64, meaning: "even parity" },
    Flag { name: "CY", mask: alu::CY as u64, meaning: "carry" },
];

const FLAGS_8085U: &[Flag] = &[
    FLAGS[0],
    FLAGS[1],
    FLAGS[2],
    FLAGS[3],
    FLAGS[4],
    Flag { name: "X5", mask: alu::X5 as u64, meaning: "signed less" },
    Flag { name: "V", mask: alu::V as u64, meaning: "signed overflow" },
];

/// By the maker's letters; `eq` and `ne` speak of a comparison, `mi` and `pl` of the sign.
const CONDITIONS_8085U: &[Condition] = &[
    condition(&["z", "eq"], "JZ", "JNZ"),
    condition(&["nz", "ne"], "JNZ", "JZ"),
    condition(&["c"], "JC", "JNC"),
    condition(&["nc"], "JNC", "JC"),
    condition(&["m", "mi"], "JM", "JP"),
    condition(&["p", "pl"], "JP", "JM"),
    condition(&["pe"], "JPE", "JPO"),
    condition(&["po"], "JPO", "JPE"),
    condition(&["x5"], "JX5", "JNX5"),
    condition(&["nx5"], "JNX5", "JX5"),
];

const CONDITIONS: &[Condition] = CONDITIONS_8085U.split_at(8).0;

static MNEMONICS_8080: Mnemonics = Mnemonics::new(ROWS, M8080);
static MNEMONICS_8085: Mnemonics = Mnemonics::new(ROWS, M8085);
static MNEMONICS_8085U: Mnemonics = Mnemonics::new(ROWS, M8085U);
static INDEX_8080: [u16; 256] = index_rows(ROWS, M8080);
static INDEX_8085: [u16; 256] = index_rows(ROWS, M8085);
static INDEX_8085U: [u16; 256] = index_rows(ROWS, M8085U);

/// Intel 8080A.
pub static I8080: InstructionSet = InstructionSet {
    identity: Identity {
        name: "8080",
        title: "Intel 8080A",
        cycle_name: "T-states",
        clock: 1_000_000,
        ancestors: &[],
    },
    table: Table {
        rows: ROWS,
        model: M8080,
        column: 0,
        opcodes: Opcodes { index: &INDEX_8080, shift: 0, pages: &[], operand: None },
        notation: "plain",
        groups: &[],
        mnemonics: &MNEMONICS_8080,
        operand_names: &["A", "B", "C", "D", "E", "H", "L", "M", "SP", "PSW"],
        conditions: CONDITIONS,
        jump: "JMP",
        near_jump: None,
        zero_page_forms: false,
        stack_users: &["PUSH", "POP", "XTHL"],
    },
    registers: RegisterFile { list: REGISTERS_8080, flags: FLAGS, stack_page: 0 },
    interrupts: InterruptInputs {
        inputs: &["INTR"],
        level_input: Some("INTR"),
        vectors: &[],
        restarts: &[
            ("RST 0", 0x00),
            ("RST 1", 0x08),
            ("RST 2", 0x10),
            ("RST 3", 0x18),
            ("RST 4", 0x20),
            ("RST 5", 0x28),
            ("RST 6", 0x30),
            ("RST 7", 0x38),
        ],
        pointers: &[],
    },
    cells: Cells {
        port_bits: 8,
        last_port: 0xFF,
        bits: 8,
        address_bits: 16,
        window_bits: 16,
        segment_shift: 0,
        habit: Habit::IntelHex,
    },
    hints: Hints {
        other_mnemonics: &[],
        register_aliases: &[("BC", "B"), ("DE", "D"), ("HL", "H"), ("AF", "PSW"), ("A", "PSW"), ("F", "PSW")],
        foreign: foreign::FOREIGN,
        advice: hints::advice,
        trap: super::no_trap,
        example: "mvi a, 5",
        starter: Starter::bytes(include_str!("start.asm"), "org 100h"),
    },
    status: Some(&status::STATUS),
    modes: None,
};

/// Intel 8085A.
pub static I8085: InstructionSet = InstructionSet {
    identity: Identity { name: "8085", title: "Intel 8085A", ..I8080.identity },
    table: Table {
        model: M8085,
        column: 1,
        opcodes: Opcodes { index: &INDEX_8085, shift: 0, pages: &[], operand: None },
        mnemonics: &MNEMONICS_8085,
        ..I8080.table
    },
    registers: RegisterFile { list: REGISTERS, ..I8080.registers },
    interrupts: InterruptInputs {
        inputs: &["TRAP", "RST7.5", "RST6.5", "RST5.5", "INTR"],
        vectors: &[("TRAP", 0x24), ("RST5.5", 0x2C), ("RST6.5", 0x34), ("RST7.5", 0x3C)],
        ..I8080.interrupts
    },
    ..I8080
};

/// Intel 8085A with the instructions that its maker left out of the manual.
pub static I8085U: InstructionSet = InstructionSet {
    identity: Identity {
        name: "8085u",
        title: "Intel 8085A with undocumented instructions",
        ..I8085.identity
    },
    table: Table {
        model: M8085U,
        opcodes: Opcodes { index: &INDEX_8085U, shift: 0, pages: &[], operand: None },
        mnemonics: &MNEMONICS_8085U,
        conditions: CONDITIONS_8085U,
        ..I8085.table
    },
    registers: RegisterFile { flags: FLAGS_8085U, ..I8085.registers },
    ..I8085
};

/// The registers of the run loop.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Registers {
    pub a: u8,
    pub f: u8,
    pub b: u8,
    pub c: u8,
    pub d: u8,
    pub e: u8,
    pub h: u8,
    pub l: u8,
    pub sp: u16,
    pub pc: u16,
}

/// T-states of an accepted interrupt: as the RST instruction of the chip.
const ACCEPT_8080: u64 = 11;
const ACCEPT_8085: u64 = 12;

/// A processor of the family; `CHIP` is [`I80`], [`I85`] or [`U85`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cpu<const CHIP: u8> {
    /// The registers.
    pub registers: Registers,
    /// The interrupt logic.
    pub interrupts: Interrupts,
    /// T-states since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    /// True after HLT, until an interrupt.
    pub halted: bool,
    /// True after EI, for one instruction.
    shadow: bool,
    /// The level at SID where nothing drives it, or when it was looked at last.
    serial_in: bool,
}

impl<const CHIP: u8> Default for Cpu<CHIP> {
    fn default() -> Self {
        let registers = Registers { f: Self::flag_byte(0), ..Registers::default() };
        Self {
            registers,
            interrupts: Interrupts::default(),
            now: 0,
            instructions: 0,
            halted: false,
            shadow: false,
            serial_in: true,
        }
    }
}

impl<const CHIP: u8> Cpu<CHIP> {
    fn accept_interrupt<B: Bus<Cell = u8>>(&mut self, bus: &mut B) -> bool {
        let Some(vector) = self.interrupts.accept() else { return false };
        let Registers { sp, pc, .. } = &mut self.registers;
        bus.write(u32::from(sp.wrapping_sub(1)), (*pc >> 8) as u8, self.now);
        bus.write(u32::from(sp.wrapping_sub(2)), *pc as u8, self.now);
        *sp = sp.wrapping_sub(2);
        *pc = vector;
        self.halted = false;
        self.now += if CHIP == I80 { ACCEPT_8080 } else { ACCEPT_8085 };
        true
    }
}

impl<const CHIP: u8> Processor for Cpu<CHIP> {
    type Cell = u8;
    const SELDOM: bool = CHIP == U85;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        match CHIP {
            I80 => &I8080,
            I85 => &I8085,
            _ => &I8085U,
        }
    }

    fn request(&mut self, input: &str) {
        if let Some(input) = Input::named(input) {
            self.interrupts.request(input);
        }
    }

    fn requested(&mut self, Requests { since, .. }: Requests) {
        self.interrupts.held = since.is_some();
    }

    fn counters(&self) -> (u64, u64) {
        (self.now, self.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.now, self.instructions) = (now, instructions);
    }

    /// RESET IN: the program counter to 0, interrupts off, masks set. The other registers stay as they are.
    fn reset(&mut self, _: impl Fn(u32) -> u8) {
        self.registers.pc = 0;
        self.interrupts.reset();
        self.halted = false;
        self.shadow = false;
    }

    /// Runs until `now` has reached `limit` or there is another reason to return. An instruction that has begun is
    /// finished, so `now` may end after `limit`; an accepted interrupt counts as an instruction would.
    #[inline]
    fn run<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        self.run_until(bus, watch, limit)
    }

    /// True where it is halted and nothing that is pending would wake it.
    fn waits_at(&self) -> Option<u32> {
        let waits = self.halted && !self.interrupts.acceptable();
        waits.then(|| self.registers.pc.wrapping_sub(1).into())
    }

    /// The value of the register at `place` in the instruction set's list.
    fn register(&self, place: usize) -> u64 {
        match place {
            14 => self.interrupts.enabled.into(),
            15 => self.shadow.into(),
            16 => self.halted.into(),
            17 => self.interrupts.sent.into(),
            18 => self.interrupts.masks.into(),
            19 => self.interrupts.pending.into(),
            20 => self.serial_in.into(),
            _ => get(&self.registers, place),
        }
    }

    /// Sets the register at `place`; bits that do not exist are dropped. Setting PC ends a halt.
    fn set_register(&mut self, place: usize, value: u64) {
        let (high, low, word) = ((value >> 8) as u8, value as u8, value as u16);
        let r = &mut self.registers;
        match place {
            0 => r.a = low,
            1 => r.f = Self::flag_byte(low),
            2 => r.b = low,
            3 => r.c = low,
            4 => r.d = low,
            5 => r.e = low,
            6 => r.h = low,
            7 => r.l = low,
            8 => r.sp = word,
            9 => {
                r.pc = word;
                self.halted = false;
            }
            10 => (r.b, r.c) = (high, low),
            11 => (r.d, r.e) = (high, low),
            12 => (r.h, r.l) = (high, low),
            13 => (r.a, r.f) = (high, Self::flag_byte(low)),
            14 => self.interrupts.enabled = value & 1 != 0,
            15 => self.shadow = value & 1 != 0,
            16 => self.halted = value & 1 != 0,
            17 => self.interrupts.sent = low,
            18 => self.interrupts.masks = low & 7,
            19 => self.interrupts.pending = low & 15,
            _ => self.serial_in = value & 1 != 0,
        }
    }
}

/// The value of one of the run loop's registers by its place in the instruction set's list; 0 for the interrupt state.
pub fn get(r: &Registers, place: usize) -> u64 {
    let pair = |high: u8, low: u8| u64::from(high) << 8 | u64::from(low);
    match place {
        0 => r.a.into(),
        1 => r.f.into(),
        2 => r.b.into(),
        3 => r.c.into(),
        4 => r.d.into(),
        5 => r.e.into(),
        6 => r.h.into(),
        7 => r.l.into(),
        8 => r.sp.into(),
        9 => r.pc.into(),
        10 => pair(r.b, r.c),
        11 => pair(r.d, r.e),
        12 => pair(r.h, r.l),
        13 => pair(r.a, r.f),
        _ => 0,
    }
}
