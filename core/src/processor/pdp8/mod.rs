//! Digital Equipment Corporation PDP-8, as the PDP-8/E has it: 12-bit words, eight fields of 4096 of them, the extended
//! arithmetic element KE8-E and the memory extension KM8-E.
//!
//! Interrupts: a request is taken between two instructions where interrupts are on; after ION one more instruction runs, and
//! after a change of the instruction field none is taken before the next jump (*PDP-8/E & PDP-8/M Small Computer Handbook*,
//! "Program interrupt", "Memory extension").

mod arithmetic;
mod execute;
mod table;

use super::set::{condition, register};
use super::{
    Bus, Cells, Condition, Exit, Flag, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Opcodes,
    Processor, Register, RegisterFile, Requests, Role, Starter, Table, Watch, index_words, no_advice,
    no_trap,
};
use crate::number::Habit;
use execute::Left;
use table::{GROUPS, PDP8 as MODEL, ROWS};

const REGISTERS: &[Register] = &[
    register("L", 1, Role::Flags),
    register("AC", 12, Role::Data),
    register("MQ", 12, Role::Data),
    register("PC", 15, Role::Program),
    register("DF", 3, Role::Data),
    register("IB", 3, Role::Control),
    register("SF", 6, Role::Control),
    register("SR", 12, Role::Data),
    register("SC", 5, Role::Control),
    register("GT", 1, Role::Control),
    register("MB", 1, Role::Control),
    register("ION", 1, Role::Control),
    register("EID", 1, Role::Internal),
];

const FLAGS: &[Flag] = &[Flag { name: "L", mask: 1, meaning: "link" }];

/// By the letters of the skips: a jump stands after the skip that passes over it.
const CONDITIONS: &[Condition] = &[
    condition(&["z", "eq"], "SZA", "SNA"),
    condition(&["nz", "ne"], "SNA", "SZA"),
    condition(&["mi", "m"], "SMA", "SPA"),
    condition(&["pl", "p"], "SPA", "SMA"),
    condition(&["l", "nl"], "SNL", "SZL"),
    condition(&["zl"], "SZL", "SNL"),
];

static MNEMONICS: Mnemonics = Mnemonics::new(ROWS, MODEL);
pub(super) static INDEX: [u16; 0o10000] = index_words(ROWS, 0);

/// Digital Equipment Corporation PDP-8.
pub static PDP8: InstructionSet = InstructionSet {
    identity: Identity {
        name: "pdp8",
        title: "Digital Equipment Corporation PDP-8/E",
        cycle_name: "ticks",
        clock: 10_000_000,
        ancestors: &[],
    },
    table: Table {
        rows: ROWS,
        model: MODEL,
        column: 0,
        opcodes: Opcodes { index: &INDEX, shift: 0, pages: &[], operand: None },
        notation: "pdp8",
        groups: GROUPS,
        mnemonics: &MNEMONICS,
        operand_names: &[],
        conditions: CONDITIONS,
        jump: "JMP",
        near_jump: None,
        zero_page_forms: false,
        stack_users: &[],
    },
    registers: RegisterFile { list: REGISTERS, flags: FLAGS, stack_page: 0 },
    interrupts: InterruptInputs {
        inputs: &["INT"],
        level_input: Some("INT"),
        vectors: &[("INT", 1)],
        restarts: &[],
        pointers: &[],
    },
    cells: Cells {
        port_bits: 12,
        last_port: 0xFF,
        bits: 12,
        address_bits: 15,
        window_bits: 12,
        segment_shift: 0,
        habit: Habit::Octal,
    },
    hints: Hints {
        other_mnemonics: &[],
        register_aliases: &[],
        foreign: &[],
        advice: no_advice,
        trap: no_trap,
        example: "iac",
        starter: Starter {
            program: include_str!("start.asm"),
            origin: "org 100h",
            cases: include_str!("start.cases.toml"),
            output: ("ptape", "ptape"),
        },
    },
    status: None,
    modes: None,
};

/// The registers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Registers {
    /// Link, in bit 12, and accumulator.
    pub lac: u16,
    /// The multiplier quotient.
    pub mq: u16,
    /// The program counter within its field.
    pub pc: u16,
    /// The instruction field.
    pub field: u8,
    /// What it will be after the next jump, where [`inhibit`](Self::inhibit) says that one was chosen; else the same.
    pub next_field: u8,
    /// The data field.
    pub data: u8,
    /// Both fields as they were before an interrupt, the instruction field in the upper three bits.
    pub saved: u8,
    /// The switches.
    pub switches: u16,
    /// The step counter.
    pub steps: u8,
    /// The greater than flag.
    pub greater: bool,
    /// The arithmetic element is in mode B.
    pub mode_b: bool,
    /// Interrupts are on.
    pub enabled: bool,
    /// None is taken before the next jump.
    pub inhibit: bool,
}

/// The processor.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Cpu {
    /// The registers.
    pub registers: Registers,
    /// Tenths of a microsecond since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    /// The devices ask for an interrupt.
    requested: bool,
    /// The operator asks for one, which is held until it is taken.
    asked: bool,
    /// After ION one instruction runs first.
    delayed: bool,
    stopped: bool,
}

/// Tenths of a microsecond that an interrupt takes: the jump to a subroutine at 0.
const INTERRUPT: u64 = 26;

impl Cpu {
    fn interrupts(&self) -> bool {
        self.registers.enabled && !self.registers.inhibit && (self.requested || self.asked)
    }

    /// Takes an interrupt: both fields are saved, the program counter goes into cell 0 of field 0.
    fn interrupt<B: Bus<Cell = u16>>(&mut self, bus: &mut B) {
        let own = &mut self.registers;
        own.saved = own.field << 3 | own.data;
        (own.field, own.next_field, own.data, own.enabled) = (0, 0, 0, false);
        self.now += INTERRUPT;
        bus.write(0, own.pc, self.now);
        own.pc = 1;
        self.asked = false;
    }

    /// An input/output transfer; where it returns something the loop is left.
    fn transfer<B: Bus<Cell = u16>>(&mut self, bus: &mut B, word: u32) -> Option<Left> {
        let own = &mut self.registers;
        let ac = own.lac & 0o7777;
        match word {
            0o6000..0o6010 => return self.own_transfer(bus, word & 7),
            0o6200..0o6300 => {
                let field = (word >> 3 & 7) as u8;
                match (word & 7, field) {
                    (function @ 1..=3, _) => {
                        if function & 1 != 0 {
                            own.data = field;
                        }
                        if function & 2 != 0 {
                            (own.next_field, own.inhibit) = (field, true);
                        }
                    }
                    (4, 1) => own.lac |= u16::from(own.data) << 3,
                    (4, 2) => own.lac |= u16::from(own.field) << 3,
                    (4, 3) => own.lac |= u16::from(own.saved),
                    (4, 4) => {
                        (own.next_field, own.data, own.inhibit) = (own.saved >> 3, own.saved & 7, true);
                    }
                    _ => {}
                }
            }
            _ => {
                let (value, skips) = bus.transfer(word >> 3 & 0o77, word & 7, ac, self.now);
                own.lac = own.lac & 0o10000 | value & 0o7777;
                own.pc = (own.pc + u16::from(skips)) & 0o7777;
            }
        }
        None
    }

    /// A transfer with the processor itself.
    fn own_transfer<B: Bus<Cell = u16>>(&mut self, bus: &mut B, function: u32) -> Option<Left> {
        let asked = self.requested || self.asked;
        let own = &mut self.registers;
        let link = own.lac & 0o10000;
        let mut skips = false;
        let mut left = None;
        match function {
            0 => skips = std::mem::take(&mut own.enabled),
            1 => {
                own.enabled = true;
                left = Some(Left::Enabled);
            }
            2 => own.enabled = false,
            3 => skips = asked,
            4 => {
                let flags = [
                    (link != 0, 0o4000),
                    (own.greater, 0o2000),
                    (asked, 0o1000),
                    (own.inhibit, 0o400),
                    (own.enabled, 0o200),
                ];
                let flags: u16 = flags.iter().filter(|one| one.0).map(|one| one.1).sum();
                own.lac = link | flags | u16::from(own.saved);
            }
            5 => {
                let ac = own.lac;
                own.lac = ac & 0o7777 | (ac & 0o4000) << 1;
                own.greater = ac & 0o2000 != 0;
                (own.next_field, own.data) = ((ac >> 3 & 7) as u8, (ac & 7) as u8);
                (own.enabled, own.inhibit) = (true, true);
            }
            6 => skips = own.greater,
            _ => {
                (own.lac, own.enabled, own.mode_b, own.greater) = (0, false, false, false);
                self.asked = false;
                bus.clear_devices(self.now);
            }
        }
        self.registers.pc = (self.registers.pc + u16::from(skips)) & 0o7777;
        left
    }
}

impl Processor for Cpu {
    type Cell = u16;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        &PDP8
    }

    #[inline]
    fn run<B: Bus<Cell = u16>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit {
        self.run_until(bus, watch, limit)
    }

    /// The start switch clears accumulator, link and flags; fields and program counter go to 0.
    fn reset(&mut self, _: impl Fn(u32) -> u16) {
        let switches = self.registers.switches;
        self.registers = Registers { switches, mq: self.registers.mq, ..Registers::default() };
        (self.asked, self.delayed, self.stopped) = (false, false, false);
    }

    fn request(&mut self, _: &str) {
        self.asked = true;
    }

    fn requested(&mut self, requests: Requests) {
        self.requested = requests.since.is_some();
    }

    fn waits_at(&self) -> Option<u32> {
        let own = &self.registers;
        let before = u32::from(own.pc.wrapping_sub(1) & 0o7777);
        self.stopped.then(|| u32::from(own.field) << 12 | before)
    }

    fn register(&self, place: usize) -> u64 {
        let own = &self.registers;
        match place {
            0 => u64::from(own.lac >> 12),
            1 => u64::from(own.lac & 0o7777),
            2 => own.mq.into(),
            3 => u64::from(own.field) << 12 | u64::from(own.pc),
            4 => own.data.into(),
            5 => own.next_field.into(),
            6 => own.saved.into(),
            7 => own.switches.into(),
            8 => own.steps.into(),
            9 => own.greater.into(),
            10 => own.mode_b.into(),
            11 => own.enabled.into(),
            _ => self.delayed.into(),
        }
    }

    fn set_register(&mut self, place: usize, value: u64) {
        let own = &mut self.registers;
        let word = (value & 0o7777) as u16;
        match place {
            0 => own.lac = own.lac & 0o7777 | (word & 1) << 12,
            1 => own.lac = own.lac & 0o10000 | word,
            2 => own.mq = word,
            3 => {
                (own.pc, own.field) = (word, (value >> 12 & 7) as u8);
                own.next_field = own.field;
            }
            4 => own.data = (value & 7) as u8,
            5 => {
                own.next_field = (value & 7) as u8;
                own.inhibit |= own.next_field != own.field;
            }
            6 => own.saved = (value & 0o77) as u8,
            7 => own.switches = word,
            8 => own.steps = (value & 0o37) as u8,
            9 => own.greater = value & 1 != 0,
            10 => own.mode_b = value & 1 != 0,
            11 => own.enabled = value & 1 != 0,
            _ => self.delayed = value & 1 != 0,
        }
    }

    fn counters(&self) -> (u64, u64) {
        (self.now, self.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.now, self.instructions) = (now, instructions);
    }
}
