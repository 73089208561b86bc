//! The one table of the 8080 and 8085.
//!
//! Encodings, T-states and flags: Intel, *8080/8085 Assembly Language Programming Manual* and *MCS-80/85 Family
//! User's Manual* (instruction set summaries). The ten undocumented 8085 instructions: W. Dehnhardt and V. Sorensen,
//! "Unspecified 8085 op codes enhance programming", *Electronics*, January 1979.

use crate::processor::{Flow, Names, Row, Shape, Timing, Usage};

/// Model bits, one for each processor of the family.
pub(crate) const M8080: u8 = 1;
/// The 8085 as documented.
pub(crate) const M8085: u8 = 2;
/// The 8085 with its undocumented instructions.
pub(crate) const M8085U: u8 = 4;

const ALL: u8 = M8080 | M8085 | M8085U;
const ONLY_85: u8 = M8085 | M8085U;

const REGISTERS: Names =
    Names { what: "register", place: "r", list: &["B", "C", "D", "E", "H", "L", "", "A"], words: &[] };
const PAIRS: Names = Names { what: "register pair", place: "rp", list: &["B", "D", "H", "SP"], words: &[] };
const STACK_PAIRS: Names =
    Names { what: "register pair", place: "rp", list: &["B", "D", "H", "PSW"], words: &[] };
const POP_PAIRS: Names = Names { what: "register pair", place: "rp", list: &["B", "D", "H", ""], words: &[] };
const POINTERS: Names = Names { what: "register pair", place: "rp", list: &["B", "D", "", ""], words: &[] };

const DESTINATION: Shape = Shape::Name { names: &REGISTERS, shift: 3 };
const SOURCE: Shape = Shape::Name { names: &REGISTERS, shift: 0 };
const M: Shape = Shape::Fixed("M");
const PAIR: Shape = Shape::Name { names: &PAIRS, shift: 4 };
const STACK_PAIR: Shape = Shape::Name { names: &STACK_PAIRS, shift: 4 };
const POP_PAIR: Shape = Shape::Name { names: &POP_PAIRS, shift: 4 };
const PSW: Shape = Shape::Fixed("PSW");
const POINTER: Shape = Shape::Name { names: &POINTERS, shift: 4 };
const VECTOR: Shape = Shape::Digit { shift: 3, last: 7 };

/// T-states on the 8080 and on the 8085.
const fn t(on_8080: u8, on_8085: u8) -> [Timing; 2] {
    [Timing::always(on_8080), Timing::always(on_8085)]
}

/// T-states not taken and taken, on the 8080 and on the 8085.
const fn branch(on_8080: (u8, u8), on_8085: (u8, u8)) -> [Timing; 2] {
    [
        Timing { taken: on_8080.1, ..Timing::always(on_8080.0) },
        Timing { taken: on_8085.1, ..Timing::always(on_8085.0) },
    ]
}

const fn row(
    mnemonic: &'static str,
    operands: &'static [Shape],
    (mask, value): (u64, u64),
    timing: [Timing; 2],
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    Row {
        mnemonic,
        operands,
        opcode_cells: 1,
        mask,
        value,
        timing,
        flags: [flags, flags],
        models: ALL,
        usage: Usage::Whole,
        flow: Flow::On,
        meaning,
    }
}

const fn only_85(row: Row) -> Row {
    Row { models: ONLY_85, ..row }
}

const fn flow(flow: Flow, row: Row) -> Row {
    Row { flow, ..row }
}

const fn undocumented(row: Row) -> Row {
    Row { models: M8085U, ..row }
}

/// AND sets the auxiliary carry on the 8085; the 8080 takes it from bit 3 of both operands.
const fn and(row: Row) -> Row {
    Row { flags: ["****0", "**1*0"], ..row }
}

const NONE: &str = "-----";
const BY_RESULT: &str = "*****";
const ALL_BUT_CARRY: &str = "****-";
const CARRY: &str = "----*";
const LOGIC: &str = "**0*0";

/// Every row of the family; the rows of a mnemonic stand together. Bits are grouped by their fields.
#[rustfmt::skip]
#[allow(clippy::unusual_byte_groupings)]
pub const ROWS: &[Row] = &[
    // Data transfer
    row("MOV",             &[DESTINATION, SOURCE],        (0b11_000_000, 0b01_000_000),   t(5, 4),                    NONE,          "copies the second register into the first"),
    row("MOV",             &[DESTINATION, M],             (0b11_000_111, 0b01_000_110),   t(7, 7),                    NONE,          "loads a register from the cell at HL"),
    row("MOV",             &[M, SOURCE],                  (0b11_111_000, 0b01_110_000),   t(7, 7),                    NONE,          "stores a register in the cell at HL"),
    row("MVI",             &[DESTINATION, Shape::DATA8],  (0b11_000_111, 0b00_000_110),   t(7, 7),                    NONE,          "puts the number into a register"),
    row("MVI",             &[M, Shape::DATA8],            (0xFF, 0x36),                   t(10, 10),                  NONE,          "puts the number into the cell at HL"),
    row("LXI",             &[PAIR, Shape::DATA16],        (0b11_00_1111, 0b00_00_0001),   t(10, 10),                  NONE,          "puts the 16-bit number into a register pair"),
    row("LDA",             &[Shape::ADDRESS],             (0xFF, 0x3A),                   t(13, 13),                  NONE,          "loads A from the cell at the address"),
    row("STA",             &[Shape::ADDRESS],             (0xFF, 0x32),                   t(13, 13),                  NONE,          "stores A in the cell at the address"),
    row("LHLD",            &[Shape::ADDRESS],             (0xFF, 0x2A),                   t(16, 16),                  NONE,          "loads L from the address and H from the next cell"),
    row("SHLD",            &[Shape::ADDRESS],             (0xFF, 0x22),                   t(16, 16),                  NONE,          "stores L at the address and H in the next cell"),
    row("LDAX",            &[POINTER],                    (0b11_00_1111, 0b00_00_1010),   t(7, 7),                    NONE,          "loads A from the cell at the pair"),
    row("STAX",            &[POINTER],                    (0b11_00_1111, 0b00_00_0010),   t(7, 7),                    NONE,          "stores A in the cell at the pair"),
    row("XCHG",            &[],                           (0xFF, 0xEB),                   t(4, 4),                    NONE,          "exchanges DE and HL"),
    // Arithmetic
    row("ADD",             &[SOURCE],                     (0b11_111_000, 0b10_000_000),   t(4, 4),                    BY_RESULT,     "adds a register to A"),
    row("ADD",             &[M],                          (0xFF, 0b10_000_110),           t(7, 7),                    BY_RESULT,     "adds the cell at HL to A"),
    row("ADC",             &[SOURCE],                     (0b11_111_000, 0b10_001_000),   t(4, 4),                    BY_RESULT,     "adds a register and the carry to A"),
    row("ADC",             &[M],                          (0xFF, 0b10_001_110),           t(7, 7),                    BY_RESULT,     "adds the cell at HL and the carry to A"),
    row("SUB",             &[SOURCE],                     (0b11_111_000, 0b10_010_000),   t(4, 4),                    BY_RESULT,     "subtracts a register from A"),
    row("SUB",             &[M],                          (0xFF, 0b10_010_110),           t(7, 7),                    BY_RESULT,     "subtracts the cell at HL from A"),
    row("SBB",             &[SOURCE],                     (0b11_111_000, 0b10_011_000),   t(4, 4),                    BY_RESULT,     "subtracts a register and the borrow from A"),
    row("SBB",             &[M],                          (0xFF, 0b10_011_110),           t(7, 7),                    BY_RESULT,     "subtracts the cell at HL and the borrow from A"),
    row("ADI",             &[Shape::DATA8],               (0xFF, 0b11_000_110),           t(7, 7),                    BY_RESULT,     "adds the number to A"),
    row("ACI",             &[Shape::DATA8],               (0xFF, 0b11_001_110),           t(7, 7),                    BY_RESULT,     "adds the number and the carry to A"),
    row("SUI",             &[Shape::DATA8],               (0xFF, 0b11_010_110),           t(7, 7),                    BY_RESULT,     "subtracts the number from A"),
    row("SBI",             &[Shape::DATA8],               (0xFF, 0b11_011_110),           t(7, 7),                    BY_RESULT,     "subtracts the number and the borrow from A"),
    row("INR",             &[DESTINATION],                (0b11_000_111, 0b00_000_100),   t(5, 4),                    ALL_BUT_CARRY, "adds 1 to a register"),
    row("INR",             &[M],                          (0xFF, 0x34),                   t(10, 10),                  ALL_BUT_CARRY, "adds 1 to the cell at HL"),
    row("DCR",             &[DESTINATION],                (0b11_000_111, 0b00_000_101),   t(5, 4),                    ALL_BUT_CARRY, "subtracts 1 from a register"),
    row("DCR",             &[M],                          (0xFF, 0x35),                   t(10, 10),                  ALL_BUT_CARRY, "subtracts 1 from the cell at HL"),
    row("INX",             &[PAIR],                       (0b11_00_1111, 0b00_00_0011),   t(5, 6),                    NONE,          "adds 1 to a register pair"),
    row("DCX",             &[PAIR],                       (0b11_00_1111, 0b00_00_1011),   t(5, 6),                    NONE,          "subtracts 1 from a register pair"),
    row("DAD",             &[PAIR],                       (0b11_00_1111, 0b00_00_1001),   t(10, 10),                  CARRY,         "adds a register pair to HL"),
    row("DAA",             &[],                           (0xFF, 0x27),                   t(4, 4),                    BY_RESULT,     "corrects A to two decimal digits after an addition"),
    // Logic
    and(row("ANA",         &[SOURCE],                     (0b11_111_000, 0b10_100_000),   t(4, 4),                    LOGIC,         "keeps the bits of A that are also set in a register")),
    and(row("ANA",         &[M],                          (0xFF, 0b10_100_110),           t(7, 7),                    LOGIC,         "keeps the bits of A that are also set in the cell at HL")),
    row("XRA",             &[SOURCE],                     (0b11_111_000, 0b10_101_000),   t(4, 4),                    LOGIC,         "inverts the bits of A that are set in a register"),
    row("XRA",             &[M],                          (0xFF, 0b10_101_110),           t(7, 7),                    LOGIC,         "inverts the bits of A that are set in the cell at HL"),
    row("ORA",             &[SOURCE],                     (0b11_111_000, 0b10_110_000),   t(4, 4),                    LOGIC,         "sets the bits of A that are set in a register"),
    row("ORA",             &[M],                          (0xFF, 0b10_110_110),           t(7, 7),                    LOGIC,         "sets the bits of A that are set in the cell at HL"),
    row("CMP",             &[SOURCE],                     (0b11_111_000, 0b10_111_000),   t(4, 4),                    BY_RESULT,     "compares A with a register: Z if equal, CY if A is smaller"),
    row("CMP",             &[M],                          (0xFF, 0b10_111_110),           t(7, 7),                    BY_RESULT,     "compares A with the cell at HL: Z if equal, CY if A is smaller"),
    and(row("ANI",         &[Shape::DATA8],               (0xFF, 0b11_100_110),           t(7, 7),                    LOGIC,         "keeps the bits of A that are also set in the number")),
    row("XRI",             &[Shape::DATA8],               (0xFF, 0b11_101_110),           t(7, 7),                    LOGIC,         "inverts the bits of A that are set in the number"),
    row("ORI",             &[Shape::DATA8],               (0xFF, 0b11_110_110),           t(7, 7),                    LOGIC,         "sets the bits of A that are set in the number"),
    row("CPI",             &[Shape::DATA8],               (0xFF, 0b11_111_110),           t(7, 7),                    BY_RESULT,     "compares A with the number: Z if equal, CY if A is smaller"),
    row("RLC",             &[],                           (0xFF, 0x07),                   t(4, 4),                    CARRY,         "rotates A left; bit 7 goes to bit 0 and to the carry"),
    row("RRC",             &[],                           (0xFF, 0x0F),                   t(4, 4),                    CARRY,         "rotates A right; bit 0 goes to bit 7 and to the carry"),
    row("RAL",             &[],                           (0xFF, 0x17),                   t(4, 4),                    CARRY,         "rotates A left through the carry"),
    row("RAR",             &[],                           (0xFF, 0x1F),                   t(4, 4),                    CARRY,         "rotates A right through the carry"),
    row("CMA",             &[],                           (0xFF, 0x2F),                   t(4, 4),                    NONE,          "inverts every bit of A"),
    row("CMC",             &[],                           (0xFF, 0x3F),                   t(4, 4),                    CARRY,         "inverts the carry"),
    row("STC",             &[],                           (0xFF, 0x37),                   t(4, 4),                    "----1",       "sets the carry"),
    // Branches
    flow(Flow::Jump, row("JMP",             &[Shape::TARGET],              (0xFF, 0xC3),                   t(10, 10),                  NONE,          "goes to the label")),
    flow(Flow::Branch, row("JNZ",             &[Shape::TARGET],              (0xFF, 0b11_000_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if the result was not zero")),
    flow(Flow::Branch, row("JZ",              &[Shape::TARGET],              (0xFF, 0b11_001_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if the result was zero")),
    flow(Flow::Branch, row("JNC",             &[Shape::TARGET],              (0xFF, 0b11_010_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if there was no carry")),
    flow(Flow::Branch, row("JC",              &[Shape::TARGET],              (0xFF, 0b11_011_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if there was a carry")),
    flow(Flow::Branch, row("JPO",             &[Shape::TARGET],              (0xFF, 0b11_100_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if the parity is odd")),
    flow(Flow::Branch, row("JPE",             &[Shape::TARGET],              (0xFF, 0b11_101_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if the parity is even")),
    flow(Flow::Branch, row("JP",              &[Shape::TARGET],              (0xFF, 0b11_110_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if the result was plus")),
    flow(Flow::Branch, row("JM",              &[Shape::TARGET],              (0xFF, 0b11_111_010),           branch((10, 10), (7, 10)),  NONE,          "goes to the label if the result was minus")),
    flow(Flow::Call, row("CALL",            &[Shape::TARGET],              (0xFF, 0xCD),                   t(17, 18),                  NONE,          "calls the subroutine at the label")),
    flow(Flow::CallIf, row("CNZ",             &[Shape::TARGET],              (0xFF, 0b11_000_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if the result was not zero")),
    flow(Flow::CallIf, row("CZ",              &[Shape::TARGET],              (0xFF, 0b11_001_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if the result was zero")),
    flow(Flow::CallIf, row("CNC",             &[Shape::TARGET],              (0xFF, 0b11_010_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if there was no carry")),
    flow(Flow::CallIf, row("CC",              &[Shape::TARGET],              (0xFF, 0b11_011_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if there was a carry")),
    flow(Flow::CallIf, row("CPO",             &[Shape::TARGET],              (0xFF, 0b11_100_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if the parity is odd")),
    flow(Flow::CallIf, row("CPE",             &[Shape::TARGET],              (0xFF, 0b11_101_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if the parity is even")),
    flow(Flow::CallIf, row("CP",              &[Shape::TARGET],              (0xFF, 0b11_110_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if the result was plus")),
    flow(Flow::CallIf, row("CM",              &[Shape::TARGET],              (0xFF, 0b11_111_100),           branch((11, 17), (9, 18)),  NONE,          "calls the subroutine if the result was minus")),
    flow(Flow::Return, row("RET",             &[],                           (0xFF, 0xC9),                   t(10, 10),                  NONE,          "returns from the subroutine")),
    flow(Flow::ReturnIf, row("RNZ",             &[],                           (0xFF, 0b11_000_000),           branch((5, 11), (6, 12)),   NONE,          "returns if the result was not zero")),
    flow(Flow::ReturnIf, row("RZ",              &[],                           (0xFF, 0b11_001_000),           branch((5, 11), (6, 12)),   NONE,          "returns if the result was zero")),
    flow(Flow::ReturnIf, row("RNC",             &[],                           (0xFF, 0b11_010_000),           branch((5, 11), (6, 12)),   NONE,          "returns if there was no carry")),
    flow(Flow::ReturnIf, row("RC",              &[],                           (0xFF, 0b11_011_000),           branch((5, 11), (6, 12)),   NONE,          "returns if there was a carry")),
    flow(Flow::ReturnIf, row("RPO",             &[],                           (0xFF, 0b11_100_000),           branch((5, 11), (6, 12)),   NONE,          "returns if the parity is odd")),
    flow(Flow::ReturnIf, row("RPE",             &[],                           (0xFF, 0b11_101_000),           branch((5, 11), (6, 12)),   NONE,          "returns if the parity is even")),
    flow(Flow::ReturnIf, row("RP",              &[],                           (0xFF, 0b11_110_000),           branch((5, 11), (6, 12)),   NONE,          "returns if the result was plus")),
    flow(Flow::ReturnIf, row("RM",              &[],                           (0xFF, 0b11_111_000),           branch((5, 11), (6, 12)),   NONE,          "returns if the result was minus")),
    flow(Flow::Restart(8), row("RST",             &[VECTOR],                     (0b11_000_111, 0b11_000_111),   t(11, 12),                  NONE,          "calls the subroutine at 8 times n")),
    flow(Flow::Indirect, row("PCHL",            &[],                           (0xFF, 0xE9),                   t(5, 6),                    NONE,          "goes to the address in HL")),
    // Stack, ports and control
    row("PUSH",            &[STACK_PAIR],                 (0b11_00_1111, 0b11_00_0101),   t(11, 12),                  NONE,          "puts a register pair on the stack"),
    row("POP",             &[POP_PAIR],                   (0b11_00_1111, 0b11_00_0001),   t(10, 10),                  NONE,          "takes a register pair from the stack"),
    row("POP",             &[PSW],                        (0xFF, 0xF1),                   t(10, 10),                  BY_RESULT,     "takes A and the flags from the stack"),
    row("XTHL",            &[],                           (0xFF, 0xE3),                   t(18, 16),                  NONE,          "exchanges HL with the top of the stack"),
    row("SPHL",            &[],                           (0xFF, 0xF9),                   t(5, 6),                    NONE,          "copies HL into the stack pointer"),
    row("IN",              &[Shape::PORT],                (0xFF, 0xDB),                   t(10, 10),                  NONE,          "reads a port into A"),
    row("OUT",             &[Shape::PORT],                (0xFF, 0xD3),                   t(10, 10),                  NONE,          "writes A to a port"),
    flow(Flow::Enable, row("EI",              &[],                           (0xFF, 0xFB),                   t(4, 4),                    NONE,          "allows interrupts after the next instruction")),
    row("DI",              &[],                           (0xFF, 0xF3),                   t(4, 4),                    NONE,          "forbids interrupts"),
    flow(Flow::Halt, row("HLT",             &[],                           (0xFF, 0x76),                   t(7, 5),                    NONE,          "stops until an interrupt")),
    row("NOP",             &[],                           (0xFF, 0x00),                   t(4, 4),                    NONE,          "does nothing"),
    only_85(row("RIM",     &[],                           (0xFF, 0x20),                   t(4, 4),                    NONE,          "reads the serial input, pending interrupts and masks into A")),
    only_85(row("SIM",     &[],                           (0xFF, 0x30),                   t(4, 4),                    NONE,          "sets the interrupt masks and the serial output from A")),
    // Undocumented on the 8085
    undocumented(row("DSUB",   &[],                           (0xFF, 0x08),                   t(10, 10),                  BY_RESULT,     "subtracts BC from HL")),
    undocumented(row("ARHL",   &[],                           (0xFF, 0x10),                   t(7, 7),                    CARRY,         "shifts HL right by one, keeping its sign")),
    undocumented(row("RDEL",   &[],                           (0xFF, 0x18),                   t(10, 10),                  CARRY,         "rotates DE left through the carry")),
    undocumented(row("LDHI",   &[Shape::DATA8],               (0xFF, 0x28),                   t(10, 10),                  NONE,          "puts HL plus the number into DE")),
    undocumented(row("LDSI",   &[Shape::DATA8],               (0xFF, 0x38),                   t(10, 10),                  NONE,          "puts SP plus the number into DE")),
    undocumented(flow(Flow::RestartIf(0x40), row("RSTV",   &[],                           (0xFF, 0xCB),                   branch((6, 12), (6, 12)),   NONE,          "calls 0040h if there was a signed overflow"))),
    undocumented(row("SHLX",   &[],                           (0xFF, 0xD9),                   t(10, 10),                  NONE,          "stores L in the cell at DE and H in the next")),
    undocumented(row("LHLX",   &[],                           (0xFF, 0xED),                   t(10, 10),                  NONE,          "loads L from the cell at DE and H from the next")),
    undocumented(flow(Flow::Branch, row("JNX5",   &[Shape::TARGET],              (0xFF, 0xDD),                   branch((7, 10), (7, 10)),   NONE,          "goes to the label if flag X5 is 0"))),
    undocumented(flow(Flow::Branch, row("JX5",    &[Shape::TARGET],              (0xFF, 0xFD),                   branch((7, 10), (7, 10)),   NONE,          "goes to the label if flag X5 is 1"))),
];
