//! Zilog Z80.

pub(crate) mod alu;
mod bits;
mod execute;
mod extended;
pub(super) mod foreign;
mod indexed;
pub(super) mod interrupts;
mod stretch;
mod table;

pub use interrupts::Interrupts;

use super::set::{condition, register, row_number};
use super::{
    Bus, Cells, Condition, Exit, Flag, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Opcodes,
    Page, Processor, Register, RegisterFile, Requests, Role, Starter, Table, Watch, index_page, no_advice,
    no_trap,
};
use crate::number::Habit;
use interrupts::Taken;
use table::ROWS;

const REGISTERS: &[Register] = &[
    register("A", 8, Role::Data),
    register("F", 8, Role::Flags),
    register("B", 8, Role::Data),
    register("C", 8, Role::Data),
    register("D", 8, Role::Data),
    register("E", 8, Role::Data),
    register("H", 8, Role::Data),
    register("L", 8, Role::Data),
    register("IX", 16, Role::Data),
    register("IY", 16, Role::Data),
    register("SP", 16, Role::Stack),
    register("PC", 16, Role::Program),
    register("AF'", 16, Role::Control),
    register("BC'", 16, Role::Control),
    register("DE'", 16, Role::Control),
    register("HL'", 16, Role::Control),
    register("I", 8, Role::Control),
    register("R", 8, Role::Internal),
    register("IFF1", 1, Role::Control),
    register("IFF2", 1, Role::Control),
    register("IM", 2, Role::Control),
    register("WZ", 16, Role::Internal),
    register("BC", 16, Role::Pair),
    register("DE", 16, Role::Pair),
    register("HL", 16, Role::Pair),
    register("AF", 16, Role::Pair),
    register("EID", 1, Role::Internal),
    register("HLTA", 1, Role::Internal),
    register("INTA", 8, Role::Line),
];

const FLAGS_U: &[Flag] = &[
    Flag { name: "S", mask: alu::S as u64, meaning: "minus" },
    Flag { name: "Z", mask: alu::Z as u64, meaning: "zero" },
    Flag { name: "H", mask: alu::H as u64, meaning: "carry out of bit 3" },
    Flag { name: "PV", mask: alu::PV as u64, meaning: "even parity, or signed overflow" },
    Flag { name: "N", mask: alu::N as u64, meaning: "the last arithmetic was a subtraction" },
    Flag { name: "C", mask: alu::C as u64, meaning: "carry, or borrow" },
    Flag { name: "Y", mask: alu::Y as u64, meaning: "bit 5 of the result" },
    Flag { name: "X", mask: alu::X as u64, meaning: "bit 3 of the result" },
];

/// The flags that the maker names.
pub(super) const FLAGS: &[Flag] = FLAGS_U.split_at(6).0;

/// By the maker's letters; `eq` and `ne` speak of a comparison, `mi` and `pl` of the sign, `v` and `nv` of an overflow.
pub(super) const CONDITIONS: &[Condition] = &[
    condition(&["z", "eq"], "JR Z", "JR NZ"),
    condition(&["nz", "ne"], "JR NZ", "JR Z"),
    condition(&["c"], "JR C", "JR NC"),
    condition(&["nc"], "JR NC", "JR C"),
    condition(&["m", "mi"], "JP M", "JP P"),
    condition(&["p", "pl"], "JP P", "JP M"),
    condition(&["pe", "v"], "JP PE", "JP PO"),
    condition(&["po", "nv"], "JP PO", "JP PE"),
];

/// Where the restart instructions lead.
pub(super) const RESTARTS: &[(&str, u32)] = &[
    ("RST 00h", 0x00),
    ("RST 08h", 0x08),
    ("RST 10h", 0x10),
    ("RST 18h", 0x18),
    ("RST 20h", 0x20),
    ("RST 28h", 0x28),
    ("RST 30h", 0x30),
    ("RST 38h", 0x38),
];

const PAGE_CB: u16 = 0;
const PAGE_ED: u16 = 1;
const PAGE_DD: u16 = 2;
const PAGE_FD: u16 = 3;
const PAGE_DDCB: u16 = 4;
const PAGE_FDCB: u16 = 5;

/// The rows of a model by their opcodes.
struct Index {
    first: [u16; 256],
    pages: [[u16; 256]; 6],
    alone: [u16; 2],
}

const fn index(model: u8) -> Index {
    let further = [(0xCB, PAGE_CB), (0xED, PAGE_ED), (0xDD, PAGE_DD), (0xFD, PAGE_FD)];
    Index {
        first: index_page(ROWS, model, (0, 1), &further),
        pages: [
            index_page(ROWS, model, (0xCB, 2), &[]),
            index_page(ROWS, model, (0xED, 2), &[]),
            index_page(ROWS, model, (0xDD, 2), &[(0xCB, PAGE_DDCB)]),
            index_page(ROWS, model, (0xFD, 2), &[(0xCB, PAGE_FDCB)]),
            index_page(ROWS, model, (0xDD_CB, 3), &[]),
            index_page(ROWS, model, (0xFD_CB, 3), &[]),
        ],
        alone: [row_number(ROWS, model, 1, 0xDD), row_number(ROWS, model, 1, 0xFD)],
    }
}

const fn page(prefix: u32, at: usize, index: &'static [u16; 256], alone: u16) -> Page {
    Page { prefix, at, index, alone }
}

const fn pages(index: &'static Index) -> [Page; 6] {
    let [ix, iy] = index.alone;
    [
        page(0xCB, 1, &index.pages[0], 0),
        page(0xED, 1, &index.pages[1], 0),
        page(0xDD, 1, &index.pages[2], ix),
        page(0xFD, 1, &index.pages[3], iy),
        page(0xDD_CB, 3, &index.pages[4], 0),
        page(0xFD_CB, 3, &index.pages[5], 0),
    ]
}

static INDEX_Z80: Index = index(table::Z80);
static INDEX_Z80U: Index = index(table::Z80U);
static PAGES_Z80: [Page; 6] = pages(&INDEX_Z80);
static PAGES_Z80U: [Page; 6] = pages(&INDEX_Z80U);
static MNEMONICS_Z80: Mnemonics = Mnemonics::new(ROWS, table::Z80);
static MNEMONICS_Z80U: Mnemonics = Mnemonics::new(ROWS, table::Z80U);

/// Zilog Z80.
pub static Z80: InstructionSet = InstructionSet {
    identity: Identity {
        name: "z80",
        title: "Zilog Z80",
        cycle_name: "T-states",
        clock: 1_000_000,
        ancestors: &["8080"],
    },
    table: Table {
        rows: ROWS,
        model: table::Z80,
        column: 0,
        opcodes: Opcodes { index: &INDEX_Z80.first, shift: 0, pages: &PAGES_Z80, operand: None },
        notation: "plain",
        groups: &[],
        mnemonics: &MNEMONICS_Z80,
        operand_names: &[
            "A", "B", "C", "D", "E", "H", "L", "I", "R", "AF", "BC", "DE", "HL", "SP", "IX", "IY", "AF'",
            "NZ", "Z", "NC", "PO", "PE", "P", "M",
        ],
        conditions: CONDITIONS,
        jump: "JP",
        near_jump: Some("JR"),
        zero_page_forms: false,
        stack_users: &["PUSH", "POP"],
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
        register_aliases: &[("M", "(HL)"), ("PSW", "AF")],
        foreign: foreign::FOREIGN,
        advice: no_advice,
        trap: no_trap,
        example: "ld a, 5",
        starter: Starter::bytes(include_str!("start.asm"), "org 100h"),
    },
    status: None,
    modes: None,
};

/// Zilog Z80 with the instructions that its maker left out of the manual.
pub static Z80U: InstructionSet = InstructionSet {
    identity: Identity { name: "z80u", title: "Zilog Z80 with undocumented instructions", ..Z80.identity },
    table: Table {
        model: table::Z80U,
        opcodes: Opcodes { index: &INDEX_Z80U.first, shift: 0, pages: &PAGES_Z80U, operand: None },
        mnemonics: &MNEMONICS_Z80U,
        operand_names: &[
            "A", "B", "C", "D", "E", "H", "L", "F", "I", "R", "AF", "BC", "DE", "HL", "SP", "IX", "IY",
            "IXH", "IXL", "IYH", "IYL", "AF'", "NZ", "Z", "NC", "PO", "PE", "P", "M",
        ],
        ..Z80.table
    },
    registers: RegisterFile { flags: FLAGS_U, ..Z80.registers },
    ..Z80
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
    pub ix: u16,
    pub iy: u16,
    pub sp: u16,
    pub pc: u16,
    /// The internal address latch.
    pub wz: u16,
}

/// The second set of registers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Second {
    pub af: u16,
    pub bc: u16,
    pub de: u16,
    pub hl: u16,
}

/// T-states of an accepted interrupt: NMI; a restart in mode 0; mode 1; mode 2.
const NMI_STATES: u64 = 11;
const MODE_STATES: [u64; 3] = [13, 13, 19];

/// Where a non-maskable interrupt leads.
const NMI_ADDRESS: u16 = 0x66;

/// T-states of an opcode fetch that a halted processor does again and again.
const FETCH_STATES: u64 = 4;

/// All of a processor but for which of the family it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Engine {
    /// The registers of the run loop.
    pub registers: Registers,
    /// The second set.
    pub second: Second,
    /// The page of the interrupt table.
    pub i: u8,
    /// The interrupt logic.
    pub interrupts: Interrupts,
    /// T-states since the machine was switched on.
    pub now: u64,
    /// Instructions executed.
    pub instructions: u64,
    /// The low seven bits of R, and more of the count.
    refresh: u8,
    /// The highest bit of R, which nothing counts.
    refresh_high: u8,
    /// Since which cycle it is halted, which may lie before the counting of cycles began.
    halted: Option<i64>,
    /// For one instruction interrupts are kept away.
    shadow: bool,
    /// The last instruction set flags.
    flags_set: bool,
}

impl Default for Engine {
    /// As after the reset line. The manual promises nothing about the other registers; the part has ones in A, F and SP.
    fn default() -> Self {
        Self {
            registers: Registers { a: 0xFF, f: 0xFF, sp: 0xFFFF, ..Registers::default() },
            second: Second::default(),
            i: 0,
            interrupts: Interrupts::default(),
            now: 0,
            instructions: 0,
            refresh: 0,
            refresh_high: 0,
            halted: None,
            shadow: false,
            flags_set: false,
        }
    }
}

impl Engine {
    /// R, so many opcode fetches later than it was noted.
    fn refresh(&self, fetches: u8) -> u8 {
        self.refresh_high | self.refresh.wrapping_add(fetches) & 0x7F
    }

    fn set_refresh(&mut self, value: u8, fetches: u8) {
        self.refresh_high = value & 0x80;
        self.refresh = value.wrapping_sub(fetches);
    }

    fn halt(&mut self, now: u64) {
        self.halted = Some(now as i64);
    }

    fn set_halted(&mut self, halted: bool) {
        match (halted, self.halted) {
            (true, None) => self.halt(self.now),
            (false, Some(_)) => {
                self.refresh = self.refresh.wrapping_add(self.halt_fetches());
                self.halted = None;
            }
            _ => {}
        }
    }

    /// Opcode fetches of a halt so far.
    fn halt_fetches(&self) -> u8 {
        self.halted.map_or(0, |since| ((self.now as i64 - since) as u64 / FETCH_STATES) as u8)
    }

    /// Takes an interrupt where there is one to take.
    fn interrupt<B: Bus<Cell = u8>>(&mut self, bus: &mut B) -> bool {
        let Some(taken) = self.interrupts.acceptable(self.now) else { return false };
        self.set_halted(false);
        self.refresh = self.refresh.wrapping_add(1);
        self.flags_set = false;
        let mode = self.interrupts.mode;
        let sent = match taken {
            Taken::NonMaskable => {
                self.interrupts.enter_non_maskable();
                self.now += NMI_STATES;
                None
            }
            Taken::Maskable => {
                self.interrupts.enter();
                self.now += MODE_STATES[usize::from(mode)];
                Some(bus.acknowledge(self.now).unwrap_or(self.interrupts.sent))
            }
        };
        // The program counter is pushed before the vector is read: a stack that reaches into the table changes it.
        let Registers { sp, pc, .. } = &mut self.registers;
        bus.write(u32::from(sp.wrapping_sub(1)), (*pc >> 8) as u8, self.now);
        bus.write(u32::from(sp.wrapping_sub(2)), *pc as u8, self.now);
        *sp = sp.wrapping_sub(2);
        let target = match (sent, mode) {
            (None, _) => NMI_ADDRESS,
            (Some(sent), 0) => u16::from(sent & 0x38),
            (Some(_), 1) => 0x38,
            (Some(sent), _) => {
                let at = u16::from_be_bytes([self.i, sent]);
                let low = bus.read(at.into(), self.now);
                u16::from_le_bytes([low, bus.read(at.wrapping_add(1).into(), self.now)])
            }
        };
        (self.registers.pc, self.registers.wz) = (target, target);
        true
    }

    /// Takes back what the opcode at the program counter, which does not exist, has added after its prefix.
    ///
    /// PERF: here and not where it is found, since the run loop keeps its registers only as long as nothing is called with them.
    #[cold]
    fn take_back<B: Bus<Cell = u8>>(&mut self, bus: &mut B) {
        let pc = self.registers.pc;
        let [prefix, opcode] = [pc, pc.wrapping_add(1)].map(|at| bus.fetch(at.into()));
        let states = match prefix {
            0xCB => bits::STATES[usize::from(opcode)],
            0xED => extended::STATES[usize::from(opcode)],
            _ => 0,
        };
        self.now -= (states >> 32) as u64;
        self.refresh = self.refresh.wrapping_sub(1);
    }

    fn register(&self, place: usize) -> u64 {
        let r = &self.registers;
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
            8 => r.ix.into(),
            9 => r.iy.into(),
            10 => r.sp.into(),
            11 => r.pc.into(),
            12 => self.second.af.into(),
            13 => self.second.bc.into(),
            14 => self.second.de.into(),
            15 => self.second.hl.into(),
            16 => self.i.into(),
            17 => self.refresh(self.halt_fetches()).into(),
            18 => self.interrupts.enabled.into(),
            19 => self.interrupts.second.into(),
            20 => self.interrupts.mode.into(),
            21 => r.wz.into(),
            22 => pair(r.b, r.c),
            23 => pair(r.d, r.e),
            24 => pair(r.h, r.l),
            25 => pair(r.a, r.f),
            26 => self.shadow.into(),
            27 => self.halted.is_some().into(),
            _ => self.interrupts.sent.into(),
        }
    }

    fn set_register(&mut self, place: usize, value: u64) {
        let (high, low, word) = ((value >> 8) as u8, value as u8, value as u16);
        let r = &mut self.registers;
        match place {
            0 => r.a = low,
            1 => r.f = low,
            2 => r.b = low,
            3 => r.c = low,
            4 => r.d = low,
            5 => r.e = low,
            6 => r.h = low,
            7 => r.l = low,
            8 => r.ix = word,
            9 => r.iy = word,
            10 => r.sp = word,
            11 => {
                r.pc = word;
                self.set_halted(false);
            }
            12 => self.second.af = word,
            13 => self.second.bc = word,
            14 => self.second.de = word,
            15 => self.second.hl = word,
            16 => self.i = low,
            17 => self.set_refresh(low, self.halt_fetches()),
            18 => self.interrupts.enabled = value & 1 != 0,
            19 => self.interrupts.second = value & 1 != 0,
            20 => self.interrupts.mode = low.min(2),
            21 => r.wz = word,
            22 => (r.b, r.c) = (high, low),
            23 => (r.d, r.e) = (high, low),
            24 => (r.h, r.l) = (high, low),
            25 => (r.a, r.f) = (high, low),
            26 => self.shadow = value & 1 != 0,
            27 => self.set_halted(value & 1 != 0),
            _ => self.interrupts.sent = low,
        }
    }
}

/// A processor of the family; with `UNDOCUMENTED` it does what the maker left out of the manual, too.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Cpu<const UNDOCUMENTED: bool> {
    /// Everything there is to it.
    pub engine: Engine,
}

impl<const UNDOCUMENTED: bool> Processor for Cpu<UNDOCUMENTED> {
    type Cell = u8;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        if UNDOCUMENTED { &Z80U } else { &Z80 }
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
        let now = self.engine.now;
        self.engine.halted = self.engine.halted.map(|since| since - now as i64);
        self.engine.interrupts.restart(now);
        self.set_counters(0, 0);
    }

    fn repeat(&mut self, before: &Self, turns: u64) {
        self.repeat_counters(before, turns);
        let fetches = self.engine.refresh.wrapping_sub(before.engine.refresh);
        self.engine.refresh = self.engine.refresh.wrapping_add(fetches.wrapping_mul(turns as u8));
    }

    /// RESET: PC, I and R to 0, interrupts off, mode 0. The other registers stay as they are.
    fn reset(&mut self, _: impl Fn(u32) -> u8) {
        let engine = &mut self.engine;
        engine.registers.pc = 0;
        engine.i = 0;
        engine.set_refresh(0, 0);
        engine.interrupts.reset();
        engine.halted = None;
        engine.shadow = false;
    }

    fn run<B: Bus<Cell = u8>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit {
        self.engine.run_until(bus, watch, limit, UNDOCUMENTED)
    }

    /// True where it is halted and nothing that is pending would wake it.
    fn waits_at(&self) -> Option<u32> {
        let engine = &self.engine;
        let waits = engine.halted.is_some() && engine.interrupts.acceptable(u64::MAX).is_none();
        waits.then(|| engine.registers.pc.wrapping_sub(1).into())
    }

    fn register(&self, place: usize) -> u64 {
        self.engine.register(place)
    }

    fn set_register(&mut self, place: usize, value: u64) {
        self.engine.set_register(place, value);
    }
}
