//! Intel 8086 and 8088.
//!
//! The prefetch queue is not followed: an instruction takes the clocks of the maker's tables, what a jump costs to fill the queue again
//! included, and code that changes the cells right after itself is executed as it was changed.

mod alu;
pub(super) mod choice;
mod execute;
mod flags;
mod foreign;
mod interrupts;
mod opcodes;
mod stretch;
mod strings;
mod table;
mod timing;

use super::set::{condition, register};
use super::{
    Bus, Cells, Condition, Exit, Flag, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Opcodes,
    OperandIndex, Processor, Register, RegisterFile, Requests, Role, Starter, Table, Watch, Window,
    index_operands, no_advice, no_trap,
};
use crate::number::Habit;
use interrupts::Interrupts;
use table::{M8086, M8086U, M8088, ROWS, SEGMENTS};

/// The name of a segment register by its code.
pub(super) fn segment_name(code: u8) -> &'static str {
    SEGMENTS.list[usize::from(code & 3)]
}

const REGISTERS: &[Register] = &[
    register("AX", 16, Role::Data),
    register("CX", 16, Role::Data),
    register("DX", 16, Role::Data),
    register("BX", 16, Role::Data),
    register("SP", 16, Role::Stack),
    register("BP", 16, Role::Data),
    register("SI", 16, Role::Data),
    register("DI", 16, Role::Data),
    register("ES", 16, Role::Data),
    register("CS", 16, Role::Data),
    register("SS", 16, Role::Data),
    register("DS", 16, Role::Data),
    register("IP", 16, Role::Program),
    register("FLAGS", 16, Role::Flags),
    register("AL", 8, Role::Pair),
    register("CL", 8, Role::Pair),
    register("DL", 8, Role::Pair),
    register("BL", 8, Role::Pair),
    register("AH", 8, Role::Pair),
    register("CH", 8, Role::Pair),
    register("DH", 8, Role::Pair),
    register("BH", 8, Role::Pair),
    register("EID", 1, Role::Internal),
    register("HLTA", 1, Role::Internal),
    register("TRAP", 1, Role::Internal),
    register("REP", 1, Role::Internal),
    register("INTA", 8, Role::Line),
];

const FLAGS: &[Flag] = &[
    Flag { name: "OF", mask: alu::OVERFLOW as u64, meaning: "signed overflow" },
    Flag { name: "DF", mask: alu::DIRECTION as u64, meaning: "string instructions count down" },
    Flag { name: "IF", mask: alu::INTERRUPT as u64, meaning: "interrupts are taken" },
    Flag { name: "TF", mask: alu::TRAP as u64, meaning: "single steps" },
    Flag { name: "SF", mask: alu::SIGN as u64, meaning: "minus" },
    Flag { name: "ZF", mask: alu::ZERO as u64, meaning: "zero" },
    Flag { name: "AF", mask: alu::AUXILIARY as u64, meaning: "carry out of bit 3" },
    Flag { name: "PF", mask: alu::PARITY as u64, meaning: "even parity" },
    Flag { name: "CF", mask: alu::CARRY as u64, meaning: "carry, or borrow" },
];

/// By the maker's letters after the J.
const CONDITIONS: &[Condition] = &[
    condition(&["e", "z", "eq"], "JE", "JNE"),
    condition(&["ne", "nz"], "JNE", "JE"),
    condition(&["b", "c", "nae"], "JB", "JAE"),
    condition(&["ae", "nc", "nb"], "JAE", "JB"),
    condition(&["be", "na"], "JBE", "JA"),
    condition(&["a", "nbe"], "JA", "JBE"),
    condition(&["l", "nge"], "JL", "JGE"),
    condition(&["ge", "nl"], "JGE", "JL"),
    condition(&["le", "ng"], "JLE", "JG"),
    condition(&["g", "nle"], "JG", "JLE"),
    condition(&["s", "mi"], "JS", "JNS"),
    condition(&["ns", "pl"], "JNS", "JS"),
    condition(&["o", "v"], "JO", "JNO"),
    condition(&["no", "nv"], "JNO", "JO"),
    condition(&["p", "pe"], "JP", "JNP"),
    condition(&["np", "po"], "JNP", "JP"),
    condition(&["loop"], "LOOP", ""),
    condition(&["loope", "loopz"], "LOOPE", ""),
    condition(&["loopne", "loopnz"], "LOOPNE", ""),
];

static INDEX_8086: OperandIndex = index_operands(ROWS, M8086);
static INDEX_8088: OperandIndex = index_operands(ROWS, M8088);
static INDEX_8086U: OperandIndex = index_operands(ROWS, M8086U);
static MNEMONICS_8086: Mnemonics = Mnemonics::new(ROWS, M8086);
static MNEMONICS_8088: Mnemonics = Mnemonics::new(ROWS, M8088);
static MNEMONICS_8086U: Mnemonics = Mnemonics::new(ROWS, M8086U);

const fn opcodes(index: &'static OperandIndex) -> Opcodes {
    Opcodes { index: &[], shift: 0, pages: &[], operand: Some(index) }
}

/// Other names of mnemonics in the maker's manuals.
const OTHER_MNEMONICS: &[(&str, &str)] =
    &[("SAL", "SHL"), ("XLATB", "XLAT"), ("RETN", "RET"), ("FWAIT", "WAIT"), ("JMPS", "JMP")];

/// Intel 8086.
pub static I8086: InstructionSet = InstructionSet {
    identity: Identity {
        name: "8086",
        title: "Intel 8086",
        cycle_name: "clocks",
        clock: 5_000_000,
        ancestors: &[],
    },
    table: Table {
        rows: ROWS,
        model: M8086,
        column: 0,
        opcodes: opcodes(&INDEX_8086),
        notation: "8086",
        groups: &[],
        mnemonics: &MNEMONICS_8086,
        operand_names: &[
            "AL", "CL", "DL", "BL", "AH", "CH", "DH", "BH", "AX", "CX", "DX", "BX", "SP", "BP", "SI", "DI",
            "ES", "CS", "SS", "DS",
        ],
        conditions: CONDITIONS,
        jump: "JMP",
        near_jump: None,
        zero_page_forms: false,
        stack_users: &["PUSH", "POP", "PUSHF", "POPF"],
    },
    registers: RegisterFile { list: REGISTERS, flags: FLAGS, stack_page: 0 },
    interrupts: InterruptInputs {
        inputs: &["NMI", "INTR"],
        level_input: Some("INTR"),
        vectors: &[],
        restarts: &[],
        pointers: &[],
    },
    cells: Cells {
        port_bits: 16,
        last_port: 0xFFFF,
        bits: 8,
        address_bits: 20,
        window_bits: 16,
        segment_shift: 4,
        habit: Habit::IntelHex,
    },
    hints: Hints {
        other_mnemonics: OTHER_MNEMONICS,
        register_aliases: &[],
        foreign: foreign::FOREIGN,
        advice: no_advice,
        trap: no_trap,
        example: "mov al, 5",
        starter: Starter::bytes(include_str!("start.asm"), "org 100h"),
    },
    status: None,
    modes: None,
};

/// Intel 8088: the 8086 with a data bus of eight bits.
pub static I8088: InstructionSet = InstructionSet {
    identity: Identity { name: "8088", title: "Intel 8088", ancestors: &["8086"], ..I8086.identity },
    table: Table {
        model: M8088,
        column: 1,
        opcodes: opcodes(&INDEX_8088),
        mnemonics: &MNEMONICS_8088,
        ..I8086.table
    },
    ..I8086
};

/// Intel 8086 with the instructions that its maker left out of the manual.
pub static I8086U: InstructionSet = InstructionSet {
    identity: Identity {
        name: "8086u",
        title: "Intel 8086 with undocumented instructions",
        ..I8086.identity
    },
    table: Table {
        model: M8086U,
        opcodes: opcodes(&INDEX_8086U),
        mnemonics: &MNEMONICS_8086U,
        ..I8086.table
    },
    ..I8086
};

/// Codes of registers.
pub(super) const CX: usize = 1;
const SP: usize = 4;
const ES: usize = 0;
const CS: usize = 1;
const SS: usize = 2;
const DS: usize = 3;

/// Addresses reach a megabyte; after it they begin again.
pub(super) const LAST: u32 = 0xF_FFFF;

/// The registers of the run loop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Registers {
    /// AX CX DX BX SP BP SI DI.
    pub words: [u16; 8],
    /// ES CS SS DS.
    pub segments: [u16; 4],
    pub ip: u16,
    pub flags: u16,
}

/// All of a processor but for which of the family it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Engine {
    /// The registers of the run loop.
    pub registers: Registers,
    /// The interrupt logic.
    pub interrupts: Interrupts,
    /// Clocks since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    halted: bool,
    /// For one instruction interrupts are kept away.
    shadow: bool,
    /// A repeated string instruction goes on: the prefixes were paid for.
    repeats: bool,
    /// The data bus has eight bits.
    narrow: bool,
    /// What the maker left out of the manual is done, too.
    undocumented: bool,
}

impl Default for Engine {
    /// As after the reset line: CS has ones, and the rest is clear.
    fn default() -> Self {
        let registers = Registers { words: [0; 8], segments: [0, 0xFFFF, 0, 0], ip: 0, flags: alu::ALWAYS };
        Self {
            registers,
            interrupts: Interrupts::default(),
            now: 0,
            instructions: 0,
            halted: false,
            shadow: false,
            repeats: false,
            narrow: false,
            undocumented: false,
        }
    }
}

impl Engine {
    fn register(&self, place: usize) -> u64 {
        let r = &self.registers;
        match place {
            0..8 => r.words[place].into(),
            8..12 => r.segments[place - 8].into(),
            12 => r.ip.into(),
            13 => r.flags.into(),
            14..18 => (r.words[place - 14] & 0xFF).into(),
            18..22 => (r.words[place - 18] >> 8).into(),
            22 => self.shadow.into(),
            23 => self.halted.into(),
            24 => self.interrupts.trap.into(),
            25 => self.repeats.into(),
            _ => self.interrupts.sent.into(),
        }
    }

    fn set_register(&mut self, place: usize, value: u64) {
        let (word, bit) = (value as u16, value & 1 != 0);
        let r = &mut self.registers;
        match place {
            0..8 => r.words[place] = word,
            8..12 => r.segments[place - 8] = word,
            12 => {
                r.ip = word;
                (self.halted, self.repeats) = (false, false);
            }
            13 => r.flags = alu::stored(word),
            14..18 => r.words[place - 14] = r.words[place - 14] & 0xFF00 | word & 0xFF,
            18..22 => r.words[place - 18] = r.words[place - 18] & 0xFF | word << 8,
            22 => self.shadow = bit,
            23 => self.halted = bit,
            24 => self.interrupts.trap = bit,
            25 => self.repeats = bit,
            _ => self.interrupts.sent = value as u8,
        }
    }

    fn address(&self, segment: usize, offset: u16) -> u32 {
        (u32::from(self.registers.segments[segment]) << 4).wrapping_add(offset.into()) & LAST
    }
}

/// A processor of the family; an 8086 where nothing is said.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Cpu {
    /// Everything there is to it.
    pub engine: Engine,
}

impl Processor for Cpu {
    type Cell = u8;

    fn of(set: &'static InstructionSet) -> Self {
        let (narrow, undocumented) = (set.table.column == 1, set.table.model == M8086U);
        Self { engine: Engine { narrow, undocumented, ..Engine::default() } }
    }

    fn set(&self) -> &'static InstructionSet {
        match (self.engine.narrow, self.engine.undocumented) {
            (true, _) => &I8088,
            (false, false) => &I8086,
            (false, true) => &I8086U,
        }
    }

    fn request(&mut self, input: &str) {
        match input {
            "NMI" => self.engine.interrupts.nmi = true,
            _ => self.engine.interrupts.asked = true,
        }
    }

    fn requested(&mut self, Requests { since, .. }: Requests) {
        self.engine.interrupts.held_since = since;
    }

    fn counters(&self) -> (u64, u64) {
        (self.engine.now, self.engine.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.engine.now, self.engine.instructions) = (now, instructions);
    }

    fn restart(&mut self) {
        self.engine.interrupts.restart(self.engine.now);
        self.set_counters(0, 0);
    }

    /// RESET: CS to FFFFh, everything else that the manual names to 0.
    fn reset(&mut self, _: impl Fn(u32) -> u8) {
        let engine = &mut self.engine;
        engine.registers.segments = [0, 0xFFFF, 0, 0];
        (engine.registers.ip, engine.registers.flags) = (0, alu::ALWAYS);
        engine.interrupts.reset();
        (engine.halted, engine.shadow, engine.repeats) = (false, false, false);
    }

    fn run<B: Bus<Cell = u8>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit {
        self.engine.run_until(bus, watch, limit)
    }

    /// True where it is halted and nothing that is pending would wake it.
    fn waits_at(&self) -> Option<u32> {
        let engine = &self.engine;
        let waits = engine.halted && !engine.interrupts.is_acceptable(u64::MAX, engine.registers.flags);
        waits.then(|| engine.address(CS, engine.registers.ip.wrapping_sub(1)))
    }

    fn register(&self, place: usize) -> u64 {
        self.engine.register(place)
    }

    fn set_register(&mut self, place: usize, value: u64) {
        self.engine.set_register(place, value);
    }

    fn place(&self) -> u32 {
        self.engine.address(CS, self.engine.registers.ip)
    }

    fn is_deaf(&self) -> bool {
        self.engine.halted && self.engine.registers.flags & alu::INTERRUPT == 0
    }

    /// In the code segment as it is, where that reaches the address going up; else in the one that begins at its 64K.
    fn set_place(&mut self, address: u32) {
        let engine = &mut self.engine;
        let base = engine.address(CS, 0);
        let offset = address.checked_sub(base).and_then(|offset| u16::try_from(offset).ok());
        if let Some(offset) = offset {
            engine.registers.ip = offset;
        } else {
            engine.registers.segments[CS] = (address >> 4) as u16 & 0xF000;
            engine.registers.ip = address as u16;
        }
        (engine.halted, engine.repeats) = (false, false);
    }

    fn window(&self) -> Window {
        Window::wrapped(self.engine.address(CS, 0), 16, LAST)
    }

    fn stack_place(&self) -> Option<u32> {
        Some(self.engine.address(SS, self.engine.registers.words[SP]))
    }
}
