//! MOS Technology 6502 and the CMOS part 65C02.
//!
//! Interrupts: the processor looks at its lines in the last cycle but one of an instruction (MOS Technology, *MCS6500
//! Microcomputer Family Hardware Manual*, "Interrupts"), so a request that comes later waits for another one; after CLI,
//! SEI and PLP it still goes by the old I. Not followed, since the maker does not speak of them: a taken branch that
//! looks a cycle earlier, and a request that comes in the middle of another one's sequence.

pub(crate) mod alu;
mod execute;
mod foreign;
mod table;

pub use execute::{C02, NMOS, NMOSU};

use super::set::{condition, register};
use super::{
    Bus, Cells, Condition, Decoded, Exit, Flag, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics,
    Opcodes, Processor, Register, RegisterFile, Requests, Role, Starter, Table, Trap, Watch, index_rows,
    no_advice, no_trap,
};
use crate::number::Habit;
use alu::{B, D, I, ONE};
use table::{M65C02, M6502, M6502U, ROWS};

const REGISTERS: &[Register] = &[
    register("A", 8, Role::Data),
    register("P", 8, Role::Flags),
    register("X", 8, Role::Data),
    register("Y", 8, Role::Data),
    register("S", 8, Role::Stack),
    register("PC", 16, Role::Program),
    register("NMI", 1, Role::Control),
    register("IRQ", 1, Role::Control),
    register("EID", 1, Role::Internal),
    register("HLTA", 2, Role::Internal),
];

const FLAGS: &[Flag] = &[
    Flag { name: "N", mask: alu::N as u64, meaning: "minus" },
    Flag { name: "V", mask: alu::V as u64, meaning: "signed overflow" },
    Flag { name: "D", mask: alu::D as u64, meaning: "decimal mode" },
    Flag { name: "I", mask: alu::I as u64, meaning: "interrupt requests disabled" },
    Flag { name: "Z", mask: alu::Z as u64, meaning: "zero" },
    Flag { name: "C", mask: alu::C as u64, meaning: "carry, or no borrow" },
];

/// By the letters of the branches.
const CONDITIONS: &[Condition] = &[
    condition(&["eq", "z"], "BEQ", "BNE"),
    condition(&["ne", "nz"], "BNE", "BEQ"),
    condition(&["cs", "c"], "BCS", "BCC"),
    condition(&["cc", "nc"], "BCC", "BCS"),
    condition(&["mi", "m"], "BMI", "BPL"),
    condition(&["pl", "p"], "BPL", "BMI"),
    condition(&["vs", "v"], "BVS", "BVC"),
    condition(&["vc", "nv"], "BVC", "BVS"),
];

static MNEMONICS_6502: Mnemonics = Mnemonics::new(ROWS, M6502);
static MNEMONICS_65C02: Mnemonics = Mnemonics::new(ROWS, M65C02);
static MNEMONICS_6502U: Mnemonics = Mnemonics::new(ROWS, M6502U);
static INDEX_6502: [u16; 256] = index_rows(ROWS, M6502);
static INDEX_65C02: [u16; 256] = index_rows(ROWS, M65C02);
static INDEX_6502U: [u16; 256] = index_rows(ROWS, M6502U);

/// Where the processor finds the addresses of its interrupt routines and of its start.
const POINTERS: &[(&str, u32)] = &[("NMI", 0xFFFA), ("RESET", 0xFFFC), ("IRQ", 0xFFFE)];

/// The NMOS part takes both bytes of a pointer from one page.
fn page_bound_pointer(decoded: &Decoded) -> Option<Trap> {
    let pointer = decoded.operands[0];
    let at_end = decoded.row.value == 0x6C && pointer & 0xFF == 0xFF;
    at_end.then(|| Trap {
        message: format!(
            "this processor takes the high byte of the address from ${:04X}, not from ${:04X}",
            pointer & 0xFF00,
            (pointer + 1) & 0xFFFF
        ),
        help: "keep the pointer away from the end of a page; the 65c02 does what is expected",
    })
}

/// Other names of mnemonics: of branches after a comparison, and of the CMOS part's counts of the accumulator.
const OTHER_MNEMONICS: &[(&str, &str)] = &[("BLT", "BCC"), ("BGE", "BCS"), ("INA", "INC"), ("DEA", "DEC")];

/// MOS Technology 6502.
pub static MOS6502: InstructionSet = InstructionSet {
    identity: Identity {
        name: "6502",
        title: "MOS Technology 6502",
        cycle_name: "cycles",
        clock: 1_000_000,
        ancestors: &[],
    },
    table: Table {
        rows: ROWS,
        model: M6502,
        column: 0,
        opcodes: Opcodes { index: &INDEX_6502, shift: 0, pages: &[], operand: None },
        notation: "plain",
        groups: &[],
        mnemonics: &MNEMONICS_6502,
        operand_names: &["A", "X", "Y"],
        conditions: CONDITIONS,
        jump: "JMP",
        near_jump: None,
        zero_page_forms: true,
        stack_users: &["PHA", "PHP", "PHX", "PHY", "PLA", "PLP", "PLX", "PLY"],
    },
    registers: RegisterFile { list: REGISTERS, flags: FLAGS, stack_page: 0x100 },
    interrupts: InterruptInputs {
        inputs: &["NMI", "IRQ", "SO"],
        level_input: Some("IRQ"),
        vectors: &[],
        restarts: &[],
        pointers: POINTERS,
    },
    cells: Cells {
        port_bits: 8,
        last_port: 0xFF,
        bits: 8,
        address_bits: 16,
        window_bits: 16,
        segment_shift: 0,
        habit: Habit::DollarHex,
    },
    hints: Hints {
        other_mnemonics: OTHER_MNEMONICS,
        register_aliases: &[],
        foreign: foreign::FOREIGN,
        advice: no_advice,
        trap: page_bound_pointer,
        example: "lda #5",
        starter: Starter::bytes(include_str!("start.asm"), "org $200"),
    },
    status: None,
    modes: None,
};

/// Western Design Center 65C02, the CMOS part.
pub static C65C02: InstructionSet = InstructionSet {
    identity: Identity { name: "65c02", title: "Western Design Center W65C02S", ..MOS6502.identity },
    table: Table {
        model: M65C02,
        column: 1,
        opcodes: Opcodes { index: &INDEX_65C02, shift: 0, pages: &[], operand: None },
        mnemonics: &MNEMONICS_65C02,
        near_jump: Some("BRA"),
        ..MOS6502.table
    },
    hints: Hints { trap: no_trap, ..MOS6502.hints },
    ..MOS6502
};

/// MOS Technology 6502 with the instructions that its maker left out of the manual.
pub static MOS6502U: InstructionSet = InstructionSet {
    identity: Identity {
        name: "6502u",
        title: "MOS Technology 6502 with undocumented instructions",
        ..MOS6502.identity
    },
    table: Table {
        model: M6502U,
        opcodes: Opcodes { index: &INDEX_6502U, shift: 0, pages: &[], operand: None },
        mnemonics: &MNEMONICS_6502U,
        ..MOS6502.table
    },
    ..MOS6502
};

/// The registers of the run loop.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Registers {
    pub a: u8,
    pub p: u8,
    pub x: u8,
    pub y: u8,
    pub s: u8,
    pub pc: u16,
}

/// Cycles of an interrupt sequence, and of a reset.
const SEQUENCE: u64 = 7;

/// A line that goes down this many cycles before the end of an instruction is seen at its end.
const LOOK_AHEAD: u64 = 2;

const NMI: u16 = 0xFFFA;
const RESET: u16 = 0xFFFC;
const IRQ: u16 = 0xFFFE;

/// What keeps the processor from going on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Rest {
    /// Nothing.
    None,
    /// WAI: until an interrupt.
    Waiting,
    /// STP, or an undocumented opcode that stops the NMOS part: until a reset.
    Stopped,
}

/// A processor of the family; `CHIP` is [`NMOS`], [`C02`] or [`NMOSU`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cpu<const CHIP: u8> {
    /// The registers.
    pub registers: Registers,
    /// Cycles since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    /// The cycle from which a falling edge on NMI is seen, until it is taken.
    nmi: Option<u64>,
    /// The cycle from which the chips' low level on IRQ is seen.
    irq: Option<u64>,
    /// The cycle from which the operator's request on IRQ is seen, which the board holds until it is taken.
    asked: Option<u64>,
    /// I as the processor saw it when it last looked, where that is not what it is now.
    seen: Option<bool>,
    rest: Rest,
}

impl<const CHIP: u8> Default for Cpu<CHIP> {
    fn default() -> Self {
        let registers = Registers { p: ONE | I, s: 0xFD, ..Registers::default() };
        Self {
            registers,
            now: 0,
            instructions: 0,
            nmi: None,
            irq: None,
            asked: None,
            seen: None,
            rest: Rest::None,
        }
    }
}

impl<const CHIP: u8> Cpu<CHIP> {
    /// The cycle from which IRQ is seen low.
    fn irq(&self) -> Option<u64> {
        self.irq.into_iter().chain(self.asked).min()
    }

    /// True where an interrupt that was asked for will be taken.
    fn is_due(&self) -> bool {
        self.nmi.is_some() || self.registers.p & I == 0 && self.irq().is_some()
    }

    /// Takes an interrupt. True where the bus wants attention.
    fn interrupt<Bu: Bus<Cell = u8>>(&mut self, bus: &mut Bu, vector: u16) -> bool {
        let Registers { p, s, pc, .. } = &mut self.registers;
        self.now += SEQUENCE;
        let mut push = |value: u8| {
            bus.write(0x100 | u32::from(*s), value, self.now);
            *s = s.wrapping_sub(1);
        };
        push((*pc >> 8) as u8);
        push(*pc as u8);
        push(*p & !B | ONE);
        *p |= I;
        if CHIP == C02 {
            *p &= !D;
        }
        let low = bus.read(u32::from(vector), self.now);
        let high = bus.read(u32::from(vector) + 1, self.now);
        *pc = u16::from_le_bytes([low, high]);
        self.rest = Rest::None;
        Bu::WATCHED && bus.attention()
    }
}

impl<const CHIP: u8> Processor for Cpu<CHIP> {
    type Cell = u8;
    const SELDOM: bool = CHIP == NMOSU;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        match CHIP {
            NMOS => &MOS6502,
            C02 => &C65C02,
            _ => &MOS6502U,
        }
    }

    fn request(&mut self, input: &str) {
        match input {
            "NMI" => _ = self.nmi.get_or_insert(self.now + LOOK_AHEAD),
            "IRQ" => _ = self.asked.get_or_insert(self.now + LOOK_AHEAD),
            _ => self.registers.p |= alu::V,
        }
    }

    fn requested(&mut self, requests: Requests) {
        self.irq = requests.since.map(|since| since + LOOK_AHEAD);
    }

    fn counters(&self) -> (u64, u64) {
        (self.now, self.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.now, self.instructions) = (now, instructions);
    }

    fn restart(&mut self) {
        for from in [&mut self.nmi, &mut self.irq, &mut self.asked].into_iter().flatten() {
            *from = from.saturating_sub(self.now);
        }
        self.set_counters(0, 0);
    }

    /// RES: three pushes that write nothing, I set, on the CMOS part D cleared, and on to where the reset pointer says;
    /// `cell` reads memory. A, X, Y and the other flags stay as they are.
    fn reset(&mut self, cell: impl Fn(u32) -> u8) {
        self.registers.s = self.registers.s.wrapping_sub(3);
        self.registers.p |= I;
        if CHIP == C02 {
            self.registers.p &= !D;
        }
        self.registers.pc = u16::from_le_bytes([RESET, RESET + 1].map(|at| cell(at.into())));
        self.now += SEQUENCE;
        (self.nmi, self.asked, self.seen, self.rest) = (None, None, None, Rest::None);
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

    /// True where it rests and nothing that is there would wake it.
    fn waits_at(&self) -> Option<u32> {
        let waits = match self.rest {
            Rest::None => false,
            Rest::Waiting => self.nmi.is_none() && self.irq().is_none(),
            Rest::Stopped => true,
        };
        waits.then(|| self.registers.pc.wrapping_sub(1).into())
    }

    /// The value of the register at `place` in the instruction set's list.
    fn register(&self, place: usize) -> u64 {
        let Registers { a, p, x, y, s, pc } = self.registers;
        match place {
            0 => a.into(),
            1 => p.into(),
            2 => x.into(),
            3 => y.into(),
            4 => s.into(),
            5 => pc.into(),
            6 => self.nmi.is_some().into(),
            7 => self.irq().is_some().into(),
            8 => self.seen.is_some_and(|seen| seen != (p & I != 0)).into(),
            _ => self.rest as u64,
        }
    }

    /// Sets the register at `place`; bits that do not exist are dropped. Setting PC ends a wait.
    fn set_register(&mut self, place: usize, value: u64) {
        let (low, now) = (value as u8, self.now);
        let r = &mut self.registers;
        match place {
            0 => r.a = low,
            1 => r.p = low & !B | ONE,
            2 => r.x = low,
            3 => r.y = low,
            4 => r.s = low,
            5 => {
                r.pc = value as u16;
                self.rest = Rest::None;
            }
            6 => self.nmi = (value & 1 != 0).then_some(now),
            7 => self.asked = (value & 1 != 0).then_some(now),
            8 => self.seen = (value & 1 != 0).then_some(r.p & I == 0),
            _ => {
                self.rest = match value & 3 {
                    0 => Rest::None,
                    1 => Rest::Waiting,
                    _ => Rest::Stopped,
                }
            }
        }
    }
}
