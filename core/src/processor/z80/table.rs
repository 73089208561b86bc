//! The one table of the Z80.
//!
//! Encodings, T-states and flags: Zilog, *Z80 CPU User Manual* (UM0080, "Z80 Instruction Set"). What the manual leaves out (the
//! halves of the index registers, the shift that brings a 1 in, results that go into a register, too, the other codes of NEG, RETN
//! and IM) is what the parts do, by the names in common use; `PREFIX` is a name of ours.

use crate::processor::{Flow, Names, Row, Shape, Timing, Usage, Within};

/// Model bits, one for each processor of the family.
pub const Z80: u8 = 1;
/// The Z80 with its undocumented instructions.
pub const Z80U: u8 = 2;

const ALL_MODELS: u8 = Z80 | Z80U;

const fn names(what: &'static str, place: &'static str, list: &'static [&'static str]) -> Names {
    Names { what, place, list, words: &[] }
}

const REGISTERS: Names = names("register", "r", &["B", "C", "D", "E", "H", "L", "", "A"]);
const OTHERS: Names = names("register", "r", &["B", "C", "D", "E", "", "", "", "A"]);
const IX_HALVES: Names = names("half", "ixh|ixl", &["", "", "", "", "IXH", "IXL", "", ""]);
const IY_HALVES: Names = names("half", "iyh|iyl", &["", "", "", "", "IYH", "IYL", "", ""]);
const PAIRS: Names = names("register pair", "rr", &["BC", "DE", "HL", "SP"]);
const OTHER_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "", "SP"]);
const STACK_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "HL", "AF"]);
const POP_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "HL", ""]);
const POINTERS: Names = names("register pair", "rr", &["BC", "DE"]);
const INDICES: Names = names("index register", "xy", &["IX", "IY"]);
const SPECIALS: Names = names("register", "i|r", &["I", "R"]);
const MODES: Names = names("mode", "mode", &["0", "", "1", "2"]);
const FOUND_MODES: Names = names("mode", "mode", &["0", "0", "1", "2", "0", "0", "1", "2"]);
const CONDITIONS: Names = Names {
    what: "condition",
    place: "cc",
    list: &["NZ", "Z", "NC", "C", "PO", "PE", "P", "M"],
    words: &[
        "the result was not zero",
        "the result was zero",
        "there was no carry",
        "there was a carry",
        "the parity is odd, or there was no overflow",
        "the parity is even, or there was an overflow",
        "the result was plus",
        "the result was minus",
    ],
};
const NEAR_CONDITIONS: Names =
    Names { list: CONDITIONS.list.split_at(4).0, words: CONDITIONS.words.split_at(4).0, ..CONDITIONS };

const DESTINATION: Shape = Shape::Name { names: &REGISTERS, shift: 3 };
const SOURCE: Shape = Shape::Name { names: &REGISTERS, shift: 0 };
const OTHER_DESTINATION: Shape = Shape::Name { names: &OTHERS, shift: 3 };
const OTHER: Shape = Shape::Name { names: &OTHERS, shift: 0 };
const IX_HALF_DESTINATION: Shape = Shape::Name { names: &IX_HALVES, shift: 3 };
const IX_HALF: Shape = Shape::Name { names: &IX_HALVES, shift: 0 };
const IY_HALF_DESTINATION: Shape = Shape::Name { names: &IY_HALVES, shift: 3 };
const IY_HALF: Shape = Shape::Name { names: &IY_HALVES, shift: 0 };
const PAIR: Shape = Shape::Name { names: &PAIRS, shift: 4 };
const OTHER_PAIR: Shape = Shape::Name { names: &OTHER_PAIRS, shift: 4 };
const STACK_PAIR: Shape = Shape::Name { names: &STACK_PAIRS, shift: 4 };
const POP_PAIR: Shape = Shape::Name { names: &POP_PAIRS, shift: 4 };
const SPECIAL: Shape = Shape::Name { names: &SPECIALS, shift: 3 };
const MODE: Shape = Shape::Name { names: &MODES, shift: 3 };
const FOUND_MODE: Shape = Shape::Name { names: &FOUND_MODES, shift: 3 };
const CONDITION: Shape = Shape::Name { names: &CONDITIONS, shift: 3 };
const NEAR_CONDITION: Shape = Shape::Name { names: &NEAR_CONDITIONS, shift: 3 };
const A: Shape = Shape::Fixed("A");
const F: Shape = Shape::Fixed("F");
const AF: Shape = Shape::Fixed("AF");
const SECOND_AF: Shape = Shape::Fixed("AF'");
const DE: Shape = Shape::Fixed("DE");
const HL: Shape = Shape::Fixed("HL");
const SP: Shape = Shape::Fixed("SP");
const IX: Shape = Shape::Fixed("IX");
const IY: Shape = Shape::Fixed("IY");
const ZERO: Shape = Shape::Fixed("0");
const DATA8: Shape = Shape::DATA8;
const DATA16: Shape = Shape::DATA16;
const TARGET: Shape = Shape::TARGET;
const RELATIVE: Shape = Shape::Relative;
const VECTOR: Shape = Shape::Vector;
const BIT: Shape = Shape::Digit { shift: 3, last: 7 };
/// The prefix of an opcode of two cells says which index register.
const INDEX: Shape = Shape::Name { names: &INDICES, shift: 13 };

const AT_HL: Shape = Shape::Within(&Within { open: "(", inner: HL, close: ")", place: "(HL)" });
const AT_SP: Shape = Shape::Within(&Within { open: "(", inner: SP, close: ")", place: "(SP)" });
const AT_C: Shape = Shape::Within(&Within { open: "(", inner: Shape::Fixed("C"), close: ")", place: "(C)" });
const AT_POINTER: Shape = Shape::Within(&Within {
    open: "(",
    inner: Shape::Name { names: &POINTERS, shift: 4 },
    close: ")",
    place: "(rr)",
});
const AT_INDEX: Shape = Shape::Within(&Within { open: "(", inner: INDEX, close: ")", place: "(xy)" });
const AT_ADDRESS: Shape =
    Shape::Within(&Within { open: "(", inner: Shape::ADDRESS, close: ")", place: "(addr)" });
const AT_PORT: Shape = Shape::Within(&Within { open: "(", inner: Shape::PORT, close: ")", place: "(port)" });
const INDEXED: Shape = Shape::Within(&Within {
    open: "(",
    inner: Shape::Indexed { names: &INDICES, shift: 13 },
    close: ")",
    place: "(xy+d)",
});
/// The same in an opcode of three cells.
const INDEXED_BITS: Shape = Shape::Within(&Within {
    open: "(",
    inner: Shape::Indexed { names: &INDICES, shift: 21 },
    close: ")",
    place: "(xy+d)",
});

/// The opcode of a row: its cells, and mask and value of their fixed bits.
type Opcode = (u8, u64, u64);

const fn one(mask: u64, value: u64) -> Opcode {
    (1, mask, value)
}

const fn two(prefix: u64, mask: u64, value: u64) -> Opcode {
    (2, 0xFF00 | mask, prefix << 8 | value)
}

const fn cb(mask: u64, value: u64) -> Opcode {
    two(0xCB, mask, value)
}

const fn ed(mask: u64, value: u64) -> Opcode {
    two(0xED, mask, value)
}

/// After DD for IX or FD for IY.
const fn index(mask: u64, value: u64) -> Opcode {
    (2, 0xDF00 | mask, 0xDD00 | value)
}

const fn index_cb(mask: u64, value: u64) -> Opcode {
    (3, 0xDF_FF00 | mask, 0xDD_CB00 | value)
}

/// T-states.
const fn t(states: u8) -> [Timing; 2] {
    [Timing::always(states); 2]
}

/// T-states not taken and taken.
const fn branch(not_taken: u8, taken: u8) -> [Timing; 2] {
    [Timing { taken, ..Timing::always(not_taken) }; 2]
}

const fn row(
    mnemonic: &'static str,
    operands: &'static [Shape],
    (opcode_cells, mask, value): Opcode,
    timing: [Timing; 2],
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    Row {
        mnemonic,
        operands,
        opcode_cells,
        mask,
        value,
        timing,
        flags: [flags, flags],
        models: ALL_MODELS,
        usage: Usage::Whole,
        flow: Flow::On,
        meaning,
    }
}

const fn flow(flow: Flow, row: Row) -> Row {
    Row { flow, ..row }
}

const fn written(row: Row) -> Row {
    Row { usage: Usage::Written, ..row }
}

const fn undocumented(row: Row) -> Row {
    Row { models: Z80U, ..row }
}

const fn found(row: Row) -> Row {
    Row { usage: Usage::Found, ..undocumented(row) }
}

// S, Z, H, P/V, N, C.
const NONE: &str = "------";
const ALL: &str = "******";
const SPECIAL_LOAD: &str = "**0*0-";
const BLOCK_COPY: &str = "--0*0-";
const BLOCK_COMPARE: &str = "****1-";
const BLOCK_PORT: &str = "******";
const ADD_FLAGS: &str = "****0*";
const SUB_FLAGS: &str = "****1*";
const AND_FLAGS: &str = "**1*00";
const OR_FLAGS: &str = "**0*00";
const INC_FLAGS: &str = "****0-";
const DEC_FLAGS: &str = "****1-";
const ADD_PAIR_FLAGS: &str = "--*-0*";
const DAA_FLAGS: &str = "****-*";
const CPL_FLAGS: &str = "--1-1-";
const CCF_FLAGS: &str = "--*-0*";
const SCF_FLAGS: &str = "--0-01";
const ROTATE_A_FLAGS: &str = "--0-0*";
const SHIFT_FLAGS: &str = "**0*0*";
const DIGIT_FLAGS: &str = "**0*0-";
const BIT_FLAGS: &str = "**1*0-";
const IN_FLAGS: &str = "**0*0-";

/// Every row of the family; the rows of a mnemonic stand together. Bits are grouped by their fields.
#[rustfmt::skip]
#[allow(clippy::unusual_byte_groupings)]
pub const ROWS: &[Row] = &[
    // 8-bit loads
    row("LD",     &[DESTINATION, SOURCE],               one(0b11_000_000, 0b01_000_000),                t(4),           NONE,           "copies the second register into the first"),
    row("LD",     &[DESTINATION, DATA8],                one(0b11_000_111, 0b00_000_110),                t(7),           NONE,           "puts the number into a register"),
    row("LD",     &[DESTINATION, AT_HL],                one(0b11_000_111, 0b01_000_110),                t(7),           NONE,           "loads a register from the cell at HL"),
    row("LD",     &[DESTINATION, INDEXED],              index(0b11_000_111, 0b01_000_110),              t(19),          NONE,           "loads a register from the cell at the index register plus d"),
    row("LD",     &[AT_HL, SOURCE],                     one(0b11_111_000, 0b01_110_000),                t(7),           NONE,           "stores a register in the cell at HL"),
    row("LD",     &[INDEXED, SOURCE],                   index(0b11_111_000, 0b01_110_000),              t(19),          NONE,           "stores a register in the cell at the index register plus d"),
    row("LD",     &[AT_HL, DATA8],                      one(0xFF, 0x36),                                t(10),          NONE,           "puts the number into the cell at HL"),
    row("LD",     &[INDEXED, DATA8],                    index(0xFF, 0x36),                              t(19),          NONE,           "puts the number into the cell at the index register plus d"),
    row("LD",     &[A, AT_POINTER],                     one(0b11_10_1111, 0b00_00_1010),                t(7),           NONE,           "loads A from the cell at the pair"),
    row("LD",     &[A, AT_ADDRESS],                     one(0xFF, 0x3A),                                t(13),          NONE,           "loads A from the cell at the address"),
    row("LD",     &[AT_POINTER, A],                     one(0b11_10_1111, 0b00_00_0010),                t(7),           NONE,           "stores A in the cell at the pair"),
    row("LD",     &[AT_ADDRESS, A],                     one(0xFF, 0x32),                                t(13),          NONE,           "stores A in the cell at the address"),
    row("LD",     &[A, SPECIAL],                        ed(0b11_11_0_111, 0b01_01_0_111),               t(9),           SPECIAL_LOAD,   "copies I or R into A, and whether interrupts are enabled into P/V"),
    row("LD",     &[SPECIAL, A],                        ed(0b11_11_0_111, 0b01_00_0_111),               t(9),           NONE,           "copies A into I or R"),
    undocumented(row("LD",     &[OTHER_DESTINATION, IX_HALF],        two(0xDD, 0b11_000_000, 0b01_000_000),          t(8),           NONE,           "copies a half of IX into a register")),
    undocumented(row("LD",     &[IX_HALF_DESTINATION, OTHER],        two(0xDD, 0b11_000_000, 0b01_000_000),          t(8),           NONE,           "copies a register into a half of IX")),
    undocumented(row("LD",     &[IX_HALF_DESTINATION, IX_HALF],      two(0xDD, 0b11_000_000, 0b01_000_000),          t(8),           NONE,           "copies a half of IX into a half of it")),
    undocumented(row("LD",     &[IX_HALF_DESTINATION, DATA8],        two(0xDD, 0b11_000_111, 0b00_000_110),          t(11),          NONE,           "puts the number into a half of IX")),
    undocumented(row("LD",     &[OTHER_DESTINATION, IY_HALF],        two(0xFD, 0b11_000_000, 0b01_000_000),          t(8),           NONE,           "copies a half of IY into a register")),
    undocumented(row("LD",     &[IY_HALF_DESTINATION, OTHER],        two(0xFD, 0b11_000_000, 0b01_000_000),          t(8),           NONE,           "copies a register into a half of IY")),
    undocumented(row("LD",     &[IY_HALF_DESTINATION, IY_HALF],      two(0xFD, 0b11_000_000, 0b01_000_000),          t(8),           NONE,           "copies a half of IY into a half of it")),
    undocumented(row("LD",     &[IY_HALF_DESTINATION, DATA8],        two(0xFD, 0b11_000_111, 0b00_000_110),          t(11),          NONE,           "puts the number into a half of IY")),
    row("LD",     &[PAIR, DATA16],                      one(0b11_00_1111, 0b00_00_0001),                t(10),          NONE,           "puts the 16-bit number into a register pair"),
    row("LD",     &[INDEX, DATA16],                     index(0xFF, 0x21),                              t(14),          NONE,           "puts the 16-bit number into an index register"),
    row("LD",     &[HL, AT_ADDRESS],                    one(0xFF, 0x2A),                                t(16),          NONE,           "loads L from the address and H from the next cell"),
    row("LD",     &[OTHER_PAIR, AT_ADDRESS],                 ed(0b11_00_1111, 0b01_00_1011),                 t(20),          NONE,           "loads a register pair from the address, the low half first"),
    row("LD",     &[INDEX, AT_ADDRESS],                 index(0xFF, 0x2A),                              t(20),          NONE,           "loads an index register from the address, the low half first"),
    row("LD",     &[AT_ADDRESS, HL],                    one(0xFF, 0x22),                                t(16),          NONE,           "stores L at the address and H in the next cell"),
    row("LD",     &[AT_ADDRESS, OTHER_PAIR],                 ed(0b11_00_1111, 0b01_00_0011),                 t(20),          NONE,           "stores a register pair at the address, the low half first"),
    row("LD",     &[AT_ADDRESS, INDEX],                 index(0xFF, 0x22),                              t(20),          NONE,           "stores an index register at the address, the low half first"),
    row("LD",     &[SP, HL],                            one(0xFF, 0xF9),                                t(6),           NONE,           "copies HL into the stack pointer"),
    row("LD",     &[SP, INDEX],                         index(0xFF, 0xF9),                              t(10),          NONE,           "copies an index register into the stack pointer"),
    // Stack and exchanges
    row("PUSH",   &[STACK_PAIR],                        one(0b11_00_1111, 0b11_00_0101),                t(11),          NONE,           "puts a register pair on the stack"),
    row("PUSH",   &[INDEX],                             index(0xFF, 0xE5),                              t(15),          NONE,           "puts an index register on the stack"),
    row("POP",    &[POP_PAIR],                          one(0b11_00_1111, 0b11_00_0001),                t(10),          NONE,           "takes a register pair from the stack"),
    row("POP",    &[AF],                                one(0xFF, 0xF1),                                t(10),          ALL,            "takes A and the flags from the stack"),
    row("POP",    &[INDEX],                             index(0xFF, 0xE1),                              t(14),          NONE,           "takes an index register from the stack"),
    row("EX",     &[DE, HL],                            one(0xFF, 0xEB),                                t(4),           NONE,           "exchanges DE and HL"),
    row("EX",     &[AF, SECOND_AF],                     one(0xFF, 0x08),                                t(4),           ALL,            "exchanges A and the flags with the second ones"),
    row("EX",     &[AT_SP, HL],                         one(0xFF, 0xE3),                                t(19),          NONE,           "exchanges HL with the top of the stack"),
    row("EX",     &[AT_SP, INDEX],                      index(0xFF, 0xE3),                              t(23),          NONE,           "exchanges an index register with the top of the stack"),
    row("EXX",    &[],                                  one(0xFF, 0xD9),                                t(4),           NONE,           "exchanges BC, DE and HL with the second ones"),
    // Blocks
    row("LDI",    &[],                                  ed(0xFF, 0xA0),                                 t(16),          BLOCK_COPY,     "copies the cell at HL to DE, adds 1 to both and subtracts 1 from BC"),
    flow(Flow::Repeat, row("LDIR",   &[],                                  ed(0xFF, 0xB0),                                 branch(16, 21), BLOCK_COPY,     "copies the cell at HL to DE, adds 1 to both, subtracts 1 from BC and repeats if BC is not 0")),
    row("LDD",    &[],                                  ed(0xFF, 0xA8),                                 t(16),          BLOCK_COPY,     "copies the cell at HL to DE, subtracts 1 from both and from BC"),
    flow(Flow::Repeat, row("LDDR",   &[],                                  ed(0xFF, 0xB8),                                 branch(16, 21), BLOCK_COPY,     "copies the cell at HL to DE, subtracts 1 from both, subtracts 1 from BC and repeats if BC is not 0")),
    row("CPI",    &[],                                  ed(0xFF, 0xA1),                                 t(16),          BLOCK_COMPARE,  "compares A with the cell at HL, adds 1 to HL and subtracts 1 from BC"),
    flow(Flow::Repeat, row("CPIR",   &[],                                  ed(0xFF, 0xB1),                                 branch(16, 21), BLOCK_COMPARE,  "compares A with the cell at HL, adds 1 to HL, subtracts 1 from BC and repeats if BC is not 0 and they differ")),
    row("CPD",    &[],                                  ed(0xFF, 0xA9),                                 t(16),          BLOCK_COMPARE,  "compares A with the cell at HL, subtracts 1 from HL and from BC"),
    flow(Flow::Repeat, row("CPDR",   &[],                                  ed(0xFF, 0xB9),                                 branch(16, 21), BLOCK_COMPARE,  "compares A with the cell at HL, subtracts 1 from HL, subtracts 1 from BC and repeats if BC is not 0 and they differ")),
    // 8-bit arithmetic and logic
    row("ADD",    &[A, SOURCE],                         one(0b11_111_000, 0b10_000_000),                t(4),           ADD_FLAGS,      "adds a register to A"),
    row("ADD",    &[A, AT_HL],                          one(0xFF, 0b10_000_110),                        t(7),           ADD_FLAGS,      "adds the cell at HL to A"),
    row("ADD",    &[A, INDEXED],                        index(0xFF, 0b10_000_110),                      t(19),          ADD_FLAGS,      "adds the cell at the index register plus d to A"),
    row("ADD",    &[A, DATA8],                          one(0xFF, 0b11_000_110),                        t(7),           ADD_FLAGS,      "adds the number to A"),
    undocumented(row("ADD",    &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_000_000),          t(8),           ADD_FLAGS,      "adds a half of IX to A")),
    undocumented(row("ADD",    &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_000_000),          t(8),           ADD_FLAGS,      "adds a half of IY to A")),
    row("ADD",    &[HL, PAIR],                          one(0b11_00_1111, 0b00_00_1001),                t(11),          ADD_PAIR_FLAGS, "adds a register pair to HL"),
    row("ADD",    &[INDEX, OTHER_PAIR],                 index(0b11_00_1111, 0b00_00_1001),              t(15),          ADD_PAIR_FLAGS, "adds a register pair to an index register"),
    row("ADD",    &[IX, IX],                            two(0xDD, 0xFF, 0x29),                          t(15),          ADD_PAIR_FLAGS, "doubles IX"),
    row("ADD",    &[IY, IY],                            two(0xFD, 0xFF, 0x29),                          t(15),          ADD_PAIR_FLAGS, "doubles IY"),
    row("ADC",    &[A, SOURCE],                         one(0b11_111_000, 0b10_001_000),                t(4),           ADD_FLAGS,      "adds a register and the carry to A"),
    row("ADC",    &[A, AT_HL],                          one(0xFF, 0b10_001_110),                        t(7),           ADD_FLAGS,      "adds the cell at HL and the carry to A"),
    row("ADC",    &[A, INDEXED],                        index(0xFF, 0b10_001_110),                      t(19),          ADD_FLAGS,      "adds the cell at the index register plus d and the carry to A"),
    row("ADC",    &[A, DATA8],                          one(0xFF, 0b11_001_110),                        t(7),           ADD_FLAGS,      "adds the number and the carry to A"),
    undocumented(row("ADC",    &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_001_000),          t(8),           ADD_FLAGS,      "adds a half of IX and the carry to A")),
    undocumented(row("ADC",    &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_001_000),          t(8),           ADD_FLAGS,      "adds a half of IY and the carry to A")),
    row("ADC",    &[HL, PAIR],                          ed(0b11_00_1111, 0b01_00_1010),                 t(15),          ADD_FLAGS,      "adds a register pair and the carry to HL"),
    row("SUB",    &[SOURCE],                            one(0b11_111_000, 0b10_010_000),                t(4),           SUB_FLAGS,      "subtracts a register from A"),
    row("SUB",    &[AT_HL],                             one(0xFF, 0b10_010_110),                        t(7),           SUB_FLAGS,      "subtracts the cell at HL from A"),
    row("SUB",    &[INDEXED],                           index(0xFF, 0b10_010_110),                      t(19),          SUB_FLAGS,      "subtracts the cell at the index register plus d from A"),
    row("SUB",    &[DATA8],                             one(0xFF, 0b11_010_110),                        t(7),           SUB_FLAGS,      "subtracts the number from A"),
    undocumented(row("SUB",    &[IX_HALF],                           two(0xDD, 0b11_111_000, 0b10_010_000),          t(8),           SUB_FLAGS,      "subtracts a half of IX from A")),
    undocumented(row("SUB",    &[IY_HALF],                           two(0xFD, 0b11_111_000, 0b10_010_000),          t(8),           SUB_FLAGS,      "subtracts a half of IY from A")),
    written(row("SUB",    &[A, SOURCE],                         one(0b11_111_000, 0b10_010_000),                t(4),           SUB_FLAGS,      "subtracts a register from A")),
    written(row("SUB",    &[A, AT_HL],                          one(0xFF, 0b10_010_110),                        t(7),           SUB_FLAGS,      "subtracts the cell at HL from A")),
    written(row("SUB",    &[A, INDEXED],                        index(0xFF, 0b10_010_110),                      t(19),          SUB_FLAGS,      "subtracts the cell at the index register plus d from A")),
    written(row("SUB",    &[A, DATA8],                          one(0xFF, 0b11_010_110),                        t(7),           SUB_FLAGS,      "subtracts the number from A")),
    written(undocumented(row("SUB",    &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_010_000),          t(8),           SUB_FLAGS,      "subtracts a half of IX from A"))),
    written(undocumented(row("SUB",    &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_010_000),          t(8),           SUB_FLAGS,      "subtracts a half of IY from A"))),
    row("SBC",    &[A, SOURCE],                         one(0b11_111_000, 0b10_011_000),                t(4),           SUB_FLAGS,      "subtracts a register and the carry from A"),
    row("SBC",    &[A, AT_HL],                          one(0xFF, 0b10_011_110),                        t(7),           SUB_FLAGS,      "subtracts the cell at HL and the carry from A"),
    row("SBC",    &[A, INDEXED],                        index(0xFF, 0b10_011_110),                      t(19),          SUB_FLAGS,      "subtracts the cell at the index register plus d and the carry from A"),
    row("SBC",    &[A, DATA8],                          one(0xFF, 0b11_011_110),                        t(7),           SUB_FLAGS,      "subtracts the number and the carry from A"),
    undocumented(row("SBC",    &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_011_000),          t(8),           SUB_FLAGS,      "subtracts a half of IX and the carry from A")),
    undocumented(row("SBC",    &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_011_000),          t(8),           SUB_FLAGS,      "subtracts a half of IY and the carry from A")),
    row("SBC",    &[HL, PAIR],                          ed(0b11_00_1111, 0b01_00_0010),                 t(15),          SUB_FLAGS,      "subtracts a register pair and the carry from HL"),
    row("AND",    &[SOURCE],                            one(0b11_111_000, 0b10_100_000),                t(4),           AND_FLAGS,      "keeps the bits of A that are also set in a register"),
    row("AND",    &[AT_HL],                             one(0xFF, 0b10_100_110),                        t(7),           AND_FLAGS,      "keeps the bits of A that are also set in the cell at HL"),
    row("AND",    &[INDEXED],                           index(0xFF, 0b10_100_110),                      t(19),          AND_FLAGS,      "keeps the bits of A that are also set in the cell at the index register plus d"),
    row("AND",    &[DATA8],                             one(0xFF, 0b11_100_110),                        t(7),           AND_FLAGS,      "keeps the bits of A that are also set in the number"),
    undocumented(row("AND",    &[IX_HALF],                           two(0xDD, 0b11_111_000, 0b10_100_000),          t(8),           AND_FLAGS,      "keeps the bits of A that are also set in a half of IX")),
    undocumented(row("AND",    &[IY_HALF],                           two(0xFD, 0b11_111_000, 0b10_100_000),          t(8),           AND_FLAGS,      "keeps the bits of A that are also set in a half of IY")),
    written(row("AND",    &[A, SOURCE],                         one(0b11_111_000, 0b10_100_000),                t(4),           AND_FLAGS,      "keeps the bits of A that are also set in a register")),
    written(row("AND",    &[A, AT_HL],                          one(0xFF, 0b10_100_110),                        t(7),           AND_FLAGS,      "keeps the bits of A that are also set in the cell at HL")),
    written(row("AND",    &[A, INDEXED],                        index(0xFF, 0b10_100_110),                      t(19),          AND_FLAGS,      "keeps the bits of A that are also set in the cell at the index register plus d")),
    written(row("AND",    &[A, DATA8],                          one(0xFF, 0b11_100_110),                        t(7),           AND_FLAGS,      "keeps the bits of A that are also set in the number")),
    written(undocumented(row("AND",    &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_100_000),          t(8),           AND_FLAGS,      "keeps the bits of A that are also set in a half of IX"))),
    written(undocumented(row("AND",    &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_100_000),          t(8),           AND_FLAGS,      "keeps the bits of A that are also set in a half of IY"))),
    row("XOR",    &[SOURCE],                            one(0b11_111_000, 0b10_101_000),                t(4),           OR_FLAGS,       "inverts the bits of A that are set in a register"),
    row("XOR",    &[AT_HL],                             one(0xFF, 0b10_101_110),                        t(7),           OR_FLAGS,       "inverts the bits of A that are set in the cell at HL"),
    row("XOR",    &[INDEXED],                           index(0xFF, 0b10_101_110),                      t(19),          OR_FLAGS,       "inverts the bits of A that are set in the cell at the index register plus d"),
    row("XOR",    &[DATA8],                             one(0xFF, 0b11_101_110),                        t(7),           OR_FLAGS,       "inverts the bits of A that are set in the number"),
    undocumented(row("XOR",    &[IX_HALF],                           two(0xDD, 0b11_111_000, 0b10_101_000),          t(8),           OR_FLAGS,       "inverts the bits of A that are set in a half of IX")),
    undocumented(row("XOR",    &[IY_HALF],                           two(0xFD, 0b11_111_000, 0b10_101_000),          t(8),           OR_FLAGS,       "inverts the bits of A that are set in a half of IY")),
    written(row("XOR",    &[A, SOURCE],                         one(0b11_111_000, 0b10_101_000),                t(4),           OR_FLAGS,       "inverts the bits of A that are set in a register")),
    written(row("XOR",    &[A, AT_HL],                          one(0xFF, 0b10_101_110),                        t(7),           OR_FLAGS,       "inverts the bits of A that are set in the cell at HL")),
    written(row("XOR",    &[A, INDEXED],                        index(0xFF, 0b10_101_110),                      t(19),          OR_FLAGS,       "inverts the bits of A that are set in the cell at the index register plus d")),
    written(row("XOR",    &[A, DATA8],                          one(0xFF, 0b11_101_110),                        t(7),           OR_FLAGS,       "inverts the bits of A that are set in the number")),
    written(undocumented(row("XOR",    &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_101_000),          t(8),           OR_FLAGS,       "inverts the bits of A that are set in a half of IX"))),
    written(undocumented(row("XOR",    &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_101_000),          t(8),           OR_FLAGS,       "inverts the bits of A that are set in a half of IY"))),
    row("OR",     &[SOURCE],                            one(0b11_111_000, 0b10_110_000),                t(4),           OR_FLAGS,       "sets the bits of A that are set in a register"),
    row("OR",     &[AT_HL],                             one(0xFF, 0b10_110_110),                        t(7),           OR_FLAGS,       "sets the bits of A that are set in the cell at HL"),
    row("OR",     &[INDEXED],                           index(0xFF, 0b10_110_110),                      t(19),          OR_FLAGS,       "sets the bits of A that are set in the cell at the index register plus d"),
    row("OR",     &[DATA8],                             one(0xFF, 0b11_110_110),                        t(7),           OR_FLAGS,       "sets the bits of A that are set in the number"),
    undocumented(row("OR",     &[IX_HALF],                           two(0xDD, 0b11_111_000, 0b10_110_000),          t(8),           OR_FLAGS,       "sets the bits of A that are set in a half of IX")),
    undocumented(row("OR",     &[IY_HALF],                           two(0xFD, 0b11_111_000, 0b10_110_000),          t(8),           OR_FLAGS,       "sets the bits of A that are set in a half of IY")),
    written(row("OR",     &[A, SOURCE],                         one(0b11_111_000, 0b10_110_000),                t(4),           OR_FLAGS,       "sets the bits of A that are set in a register")),
    written(row("OR",     &[A, AT_HL],                          one(0xFF, 0b10_110_110),                        t(7),           OR_FLAGS,       "sets the bits of A that are set in the cell at HL")),
    written(row("OR",     &[A, INDEXED],                        index(0xFF, 0b10_110_110),                      t(19),          OR_FLAGS,       "sets the bits of A that are set in the cell at the index register plus d")),
    written(row("OR",     &[A, DATA8],                          one(0xFF, 0b11_110_110),                        t(7),           OR_FLAGS,       "sets the bits of A that are set in the number")),
    written(undocumented(row("OR",     &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_110_000),          t(8),           OR_FLAGS,       "sets the bits of A that are set in a half of IX"))),
    written(undocumented(row("OR",     &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_110_000),          t(8),           OR_FLAGS,       "sets the bits of A that are set in a half of IY"))),
    row("CP",     &[SOURCE],                            one(0b11_111_000, 0b10_111_000),                t(4),           SUB_FLAGS,      "compares A with a register: Z if equal, C if A is smaller"),
    row("CP",     &[AT_HL],                             one(0xFF, 0b10_111_110),                        t(7),           SUB_FLAGS,      "compares A with the cell at HL: Z if equal, C if A is smaller"),
    row("CP",     &[INDEXED],                           index(0xFF, 0b10_111_110),                      t(19),          SUB_FLAGS,      "compares A with the cell at the index register plus d: Z if equal, C if A is smaller"),
    row("CP",     &[DATA8],                             one(0xFF, 0b11_111_110),                        t(7),           SUB_FLAGS,      "compares A with the number: Z if equal, C if A is smaller"),
    undocumented(row("CP",     &[IX_HALF],                           two(0xDD, 0b11_111_000, 0b10_111_000),          t(8),           SUB_FLAGS,      "compares A with a half of IX: Z if equal, C if A is smaller")),
    undocumented(row("CP",     &[IY_HALF],                           two(0xFD, 0b11_111_000, 0b10_111_000),          t(8),           SUB_FLAGS,      "compares A with a half of IY: Z if equal, C if A is smaller")),
    written(row("CP",     &[A, SOURCE],                         one(0b11_111_000, 0b10_111_000),                t(4),           SUB_FLAGS,      "compares A with a register: Z if equal, C if A is smaller")),
    written(row("CP",     &[A, AT_HL],                          one(0xFF, 0b10_111_110),                        t(7),           SUB_FLAGS,      "compares A with the cell at HL: Z if equal, C if A is smaller")),
    written(row("CP",     &[A, INDEXED],                        index(0xFF, 0b10_111_110),                      t(19),          SUB_FLAGS,      "compares A with the cell at the index register plus d: Z if equal, C if A is smaller")),
    written(row("CP",     &[A, DATA8],                          one(0xFF, 0b11_111_110),                        t(7),           SUB_FLAGS,      "compares A with the number: Z if equal, C if A is smaller")),
    written(undocumented(row("CP",     &[A, IX_HALF],                        two(0xDD, 0b11_111_000, 0b10_111_000),          t(8),           SUB_FLAGS,      "compares A with a half of IX: Z if equal, C if A is smaller"))),
    written(undocumented(row("CP",     &[A, IY_HALF],                        two(0xFD, 0b11_111_000, 0b10_111_000),          t(8),           SUB_FLAGS,      "compares A with a half of IY: Z if equal, C if A is smaller"))),
    row("INC",    &[DESTINATION],                       one(0b11_000_111, 0b00_000_100),                t(4),           INC_FLAGS,      "adds 1 to a register"),
    row("INC",    &[AT_HL],                             one(0xFF, 0b00_110_100),                        t(11),          INC_FLAGS,      "adds 1 to the cell at HL"),
    row("INC",    &[INDEXED],                           index(0xFF, 0b00_110_100),                      t(23),          INC_FLAGS,      "adds 1 to the cell at the index register plus d"),
    row("INC",    &[PAIR],                              one(0b11_00_1111, 0b00_00_0011),                t(6),           NONE,           "adds 1 to a register pair"),
    row("INC",    &[INDEX],                             index(0xFF, 0b00_10_0011),                      t(10),          NONE,           "adds 1 to an index register"),
    undocumented(row("INC",    &[IX_HALF_DESTINATION],               two(0xDD, 0b11_000_111, 0b00_000_100),          t(8),           INC_FLAGS,      "adds 1 to a half of IX")),
    undocumented(row("INC",    &[IY_HALF_DESTINATION],               two(0xFD, 0b11_000_111, 0b00_000_100),          t(8),           INC_FLAGS,      "adds 1 to a half of IY")),
    row("DEC",    &[DESTINATION],                       one(0b11_000_111, 0b00_000_101),                t(4),           DEC_FLAGS,      "subtracts 1 from a register"),
    row("DEC",    &[AT_HL],                             one(0xFF, 0b00_110_101),                        t(11),          DEC_FLAGS,      "subtracts 1 from the cell at HL"),
    row("DEC",    &[INDEXED],                           index(0xFF, 0b00_110_101),                      t(23),          DEC_FLAGS,      "subtracts 1 from the cell at the index register plus d"),
    row("DEC",    &[PAIR],                              one(0b11_00_1111, 0b00_00_1011),                t(6),           NONE,           "subtracts 1 from a register pair"),
    row("DEC",    &[INDEX],                             index(0xFF, 0b00_10_1011),                      t(10),          NONE,           "subtracts 1 from an index register"),
    undocumented(row("DEC",    &[IX_HALF_DESTINATION],               two(0xDD, 0b11_000_111, 0b00_000_101),          t(8),           DEC_FLAGS,      "subtracts 1 from a half of IX")),
    undocumented(row("DEC",    &[IY_HALF_DESTINATION],               two(0xFD, 0b11_000_111, 0b00_000_101),          t(8),           DEC_FLAGS,      "subtracts 1 from a half of IY")),
    row("DAA",    &[],                                  one(0xFF, 0x27),                                t(4),           DAA_FLAGS,      "corrects A to two decimal digits after an addition or a subtraction"),
    row("CPL",    &[],                                  one(0xFF, 0x2F),                                t(4),           CPL_FLAGS,      "inverts every bit of A"),
    row("NEG",    &[],                                  ed(0xFF, 0x44),                                 t(8),           SUB_FLAGS,      "subtracts A from 0"),
    row("CCF",    &[],                                  one(0xFF, 0x3F),                                t(4),           CCF_FLAGS,      "inverts the carry; H gets the old one"),
    row("SCF",    &[],                                  one(0xFF, 0x37),                                t(4),           SCF_FLAGS,      "sets the carry"),
    // Rotations and shifts
    row("RLCA",   &[],                                  one(0xFF, 0x07),                                t(4),           ROTATE_A_FLAGS, "rotates A left; bit 7 goes to bit 0 and to the carry"),
    row("RRCA",   &[],                                  one(0xFF, 0x0F),                                t(4),           ROTATE_A_FLAGS, "rotates A right; bit 0 goes to bit 7 and to the carry"),
    row("RLA",    &[],                                  one(0xFF, 0x17),                                t(4),           ROTATE_A_FLAGS, "rotates A left through the carry"),
    row("RRA",    &[],                                  one(0xFF, 0x1F),                                t(4),           ROTATE_A_FLAGS, "rotates A right through the carry"),
    row("RLC",    &[SOURCE],                            cb(0b11_111_000, 0b00_000_000),                 t(8),           SHIFT_FLAGS,    "rotates a register left; bit 7 goes to bit 0 and to the carry"),
    row("RLC",    &[AT_HL],                             cb(0xFF, 0b00_000_110),                         t(15),          SHIFT_FLAGS,    "rotates the cell at HL left; bit 7 goes to bit 0 and to the carry"),
    row("RLC",    &[INDEXED_BITS],                      index_cb(0xFF, 0b00_000_110),                   t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d left; bit 7 goes to bit 0 and to the carry"),
    undocumented(row("RLC",    &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_000_000),           t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d left, into a register, too; bit 7 goes to bit 0 and to the carry")),
    row("RRC",    &[SOURCE],                            cb(0b11_111_000, 0b00_001_000),                 t(8),           SHIFT_FLAGS,    "rotates a register right; bit 0 goes to bit 7 and to the carry"),
    row("RRC",    &[AT_HL],                             cb(0xFF, 0b00_001_110),                         t(15),          SHIFT_FLAGS,    "rotates the cell at HL right; bit 0 goes to bit 7 and to the carry"),
    row("RRC",    &[INDEXED_BITS],                      index_cb(0xFF, 0b00_001_110),                   t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d right; bit 0 goes to bit 7 and to the carry"),
    undocumented(row("RRC",    &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_001_000),           t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d right, into a register, too; bit 0 goes to bit 7 and to the carry")),
    row("RL",     &[SOURCE],                            cb(0b11_111_000, 0b00_010_000),                 t(8),           SHIFT_FLAGS,    "rotates a register left through the carry"),
    row("RL",     &[AT_HL],                             cb(0xFF, 0b00_010_110),                         t(15),          SHIFT_FLAGS,    "rotates the cell at HL left through the carry"),
    row("RL",     &[INDEXED_BITS],                      index_cb(0xFF, 0b00_010_110),                   t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d left through the carry"),
    undocumented(row("RL",     &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_010_000),           t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d left through the carry, into a register, too")),
    row("RR",     &[SOURCE],                            cb(0b11_111_000, 0b00_011_000),                 t(8),           SHIFT_FLAGS,    "rotates a register right through the carry"),
    row("RR",     &[AT_HL],                             cb(0xFF, 0b00_011_110),                         t(15),          SHIFT_FLAGS,    "rotates the cell at HL right through the carry"),
    row("RR",     &[INDEXED_BITS],                      index_cb(0xFF, 0b00_011_110),                   t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d right through the carry"),
    undocumented(row("RR",     &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_011_000),           t(23),          SHIFT_FLAGS,    "rotates the cell at the index register plus d right through the carry, into a register, too")),
    row("SLA",    &[SOURCE],                            cb(0b11_111_000, 0b00_100_000),                 t(8),           SHIFT_FLAGS,    "shifts a register left; 0 comes in"),
    row("SLA",    &[AT_HL],                             cb(0xFF, 0b00_100_110),                         t(15),          SHIFT_FLAGS,    "shifts the cell at HL left; 0 comes in"),
    row("SLA",    &[INDEXED_BITS],                      index_cb(0xFF, 0b00_100_110),                   t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d left; 0 comes in"),
    undocumented(row("SLA",    &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_100_000),           t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d left, into a register, too; 0 comes in")),
    row("SRA",    &[SOURCE],                            cb(0b11_111_000, 0b00_101_000),                 t(8),           SHIFT_FLAGS,    "shifts a register right, keeping its sign"),
    row("SRA",    &[AT_HL],                             cb(0xFF, 0b00_101_110),                         t(15),          SHIFT_FLAGS,    "shifts the cell at HL right, keeping its sign"),
    row("SRA",    &[INDEXED_BITS],                      index_cb(0xFF, 0b00_101_110),                   t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d right, keeping its sign"),
    undocumented(row("SRA",    &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_101_000),           t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d right, keeping its sign, into a register, too")),
    undocumented(row("SLL",    &[SOURCE],                            cb(0b11_111_000, 0b00_110_000),                 t(8),           SHIFT_FLAGS,    "shifts a register left; 1 comes in")),
    undocumented(row("SLL",    &[AT_HL],                             cb(0xFF, 0b00_110_110),                         t(15),          SHIFT_FLAGS,    "shifts the cell at HL left; 1 comes in")),
    undocumented(row("SLL",    &[INDEXED_BITS],                      index_cb(0xFF, 0b00_110_110),                   t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d left; 1 comes in")),
    undocumented(row("SLL",    &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_110_000),           t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d left, into a register, too; 1 comes in")),
    row("SRL",    &[SOURCE],                            cb(0b11_111_000, 0b00_111_000),                 t(8),           SHIFT_FLAGS,    "shifts a register right; 0 comes in"),
    row("SRL",    &[AT_HL],                             cb(0xFF, 0b00_111_110),                         t(15),          SHIFT_FLAGS,    "shifts the cell at HL right; 0 comes in"),
    row("SRL",    &[INDEXED_BITS],                      index_cb(0xFF, 0b00_111_110),                   t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d right; 0 comes in"),
    undocumented(row("SRL",    &[INDEXED_BITS, SOURCE],              index_cb(0b11_111_000, 0b00_111_000),           t(23),          SHIFT_FLAGS,    "shifts the cell at the index register plus d right, into a register, too; 0 comes in")),
    row("RLD",    &[],                                  ed(0xFF, 0x6F),                                 t(18),          DIGIT_FLAGS,    "rotates the low digit of A and the two of the cell at HL left"),
    row("RRD",    &[],                                  ed(0xFF, 0x67),                                 t(18),          DIGIT_FLAGS,    "rotates the low digit of A and the two of the cell at HL right"),
    // Bits
    row("BIT",    &[BIT, SOURCE],                       cb(0b11_000_000, 0b01_000_000),                 t(8),           BIT_FLAGS,      "Z says that the bit of a register is 0"),
    row("BIT",    &[BIT, AT_HL],                        cb(0b11_000_111, 0b01_000_110),                 t(12),          BIT_FLAGS,      "Z says that the bit of the cell at HL is 0"),
    row("BIT",    &[BIT, INDEXED_BITS],                 index_cb(0b11_000_111, 0b01_000_110),           t(20),          BIT_FLAGS,      "Z says that the bit of the cell at the index register plus d is 0"),
    row("RES",    &[BIT, SOURCE],                       cb(0b11_000_000, 0b10_000_000),                 t(8),           NONE,           "clears the bit of a register"),
    row("RES",    &[BIT, AT_HL],                        cb(0b11_000_111, 0b10_000_110),                 t(15),          NONE,           "clears the bit of the cell at HL"),
    row("RES",    &[BIT, INDEXED_BITS],                 index_cb(0b11_000_111, 0b10_000_110),           t(23),          NONE,           "clears the bit of the cell at the index register plus d"),
    undocumented(row("RES",    &[BIT, INDEXED_BITS, SOURCE],         index_cb(0b11_000_000, 0b10_000_000),           t(23),          NONE,           "clears the bit of the cell at the index register plus d, which goes into a register, too")),
    row("SET",    &[BIT, SOURCE],                       cb(0b11_000_000, 0b11_000_000),                 t(8),           NONE,           "sets the bit of a register"),
    row("SET",    &[BIT, AT_HL],                        cb(0b11_000_111, 0b11_000_110),                 t(15),          NONE,           "sets the bit of the cell at HL"),
    row("SET",    &[BIT, INDEXED_BITS],                 index_cb(0b11_000_111, 0b11_000_110),           t(23),          NONE,           "sets the bit of the cell at the index register plus d"),
    undocumented(row("SET",    &[BIT, INDEXED_BITS, SOURCE],         index_cb(0b11_000_000, 0b11_000_000),           t(23),          NONE,           "sets the bit of the cell at the index register plus d, which goes into a register, too")),
    // Branches
    flow(Flow::Jump, row("JP",     &[TARGET],                            one(0xFF, 0xC3),                                t(10),          NONE,           "goes to the label")),
    flow(Flow::Branch, row("JP",     &[CONDITION, TARGET],                 one(0b11_000_111, 0b11_000_010),                t(10),          NONE,           "goes to the label if the condition holds")),
    flow(Flow::Indirect, row("JP",     &[AT_HL],                             one(0xFF, 0xE9),                                t(4),           NONE,           "goes to the address in HL")),
    flow(Flow::Indirect, row("JP",     &[AT_INDEX],                          index(0xFF, 0xE9),                              t(8),           NONE,           "goes to the address in an index register")),
    flow(Flow::Jump, row("JR",     &[RELATIVE],                          one(0xFF, 0x18),                                t(12),          NONE,           "goes to the near label")),
    flow(Flow::Branch, row("JR",     &[NEAR_CONDITION, RELATIVE],          one(0b111_00_111, 0b001_00_000),                branch(7, 12),  NONE,           "goes to the near label if the condition holds")),
    flow(Flow::Branch, row("DJNZ",   &[RELATIVE],                          one(0xFF, 0x10),                                branch(8, 13),  NONE,           "subtracts 1 from B and goes to the near label if B is not 0")),
    flow(Flow::Call, row("CALL",   &[TARGET],                            one(0xFF, 0xCD),                                t(17),          NONE,           "calls the subroutine at the label")),
    flow(Flow::CallIf, row("CALL",   &[CONDITION, TARGET],                 one(0b11_000_111, 0b11_000_100),                branch(10, 17), NONE,           "calls the subroutine if the condition holds")),
    flow(Flow::Return, row("RET",    &[],                                  one(0xFF, 0xC9),                                t(10),          NONE,           "returns from the subroutine")),
    flow(Flow::ReturnIf, row("RET",    &[CONDITION],                         one(0b11_000_111, 0b11_000_000),                branch(5, 11),  NONE,           "returns if the condition holds")),
    flow(Flow::Return, row("RETI",   &[],                                  ed(0xFF, 0x4D),                                 t(14),          NONE,           "returns from an interrupt; the chip that asked for it sees that")),
    flow(Flow::Return, row("RETN",   &[],                                  ed(0xFF, 0x45),                                 t(14),          NONE,           "returns from a non-maskable interrupt; interrupts are as they were")),
    flow(Flow::Restart(1), row("RST",    &[VECTOR],                            one(0b11_000_111, 0b11_000_111),                t(11),          NONE,           "calls the subroutine at p")),
    // Ports
    row("IN",     &[A, AT_PORT],                        one(0xFF, 0xDB),                                t(11),          NONE,           "reads a port into A; A is the high half of its address"),
    row("IN",     &[DESTINATION, AT_C],                 ed(0b11_000_111, 0b01_000_000),                 t(12),          IN_FLAGS,       "reads the port in C into a register; B is the high half of its address"),
    undocumented(row("IN",     &[F, AT_C],                           ed(0xFF, 0x70),                                 t(12),          IN_FLAGS,       "reads the port in C into the flags alone")),
    row("OUT",    &[AT_PORT, A],                        one(0xFF, 0xD3),                                t(11),          NONE,           "writes A to a port; A is the high half of its address"),
    row("OUT",    &[AT_C, DESTINATION],                 ed(0b11_000_111, 0b01_000_001),                 t(12),          NONE,           "writes a register to the port in C; B is the high half of its address"),
    undocumented(row("OUT",    &[AT_C, ZERO],                        ed(0xFF, 0x71),                                 t(12),          NONE,           "writes 0 to the port in C")),
    row("INI",    &[],                                  ed(0xFF, 0xA2),                                 t(16),          BLOCK_PORT,     "reads the port in C into the cell at HL, adds 1 to HL and subtracts 1 from B"),
    flow(Flow::Repeat, row("INIR",   &[],                                  ed(0xFF, 0xB2),                                 branch(16, 21), BLOCK_PORT,     "reads the port in C into the cell at HL, adds 1 to HL, subtracts 1 from B and repeats if B is not 0")),
    row("IND",    &[],                                  ed(0xFF, 0xAA),                                 t(16),          BLOCK_PORT,     "reads the port in C into the cell at HL, subtracts 1 from HL and from B"),
    flow(Flow::Repeat, row("INDR",   &[],                                  ed(0xFF, 0xBA),                                 branch(16, 21), BLOCK_PORT,     "reads the port in C into the cell at HL, subtracts 1 from HL, subtracts 1 from B and repeats if B is not 0")),
    row("OUTI",   &[],                                  ed(0xFF, 0xA3),                                 t(16),          BLOCK_PORT,     "writes the cell at HL to the port in C, adds 1 to HL and subtracts 1 from B"),
    flow(Flow::Repeat, row("OTIR",   &[],                                  ed(0xFF, 0xB3),                                 branch(16, 21), BLOCK_PORT,     "writes the cell at HL to the port in C, adds 1 to HL, subtracts 1 from B and repeats if B is not 0")),
    row("OUTD",   &[],                                  ed(0xFF, 0xAB),                                 t(16),          BLOCK_PORT,     "writes the cell at HL to the port in C, subtracts 1 from HL and from B"),
    flow(Flow::Repeat, row("OTDR",   &[],                                  ed(0xFF, 0xBB),                                 branch(16, 21), BLOCK_PORT,     "writes the cell at HL to the port in C, subtracts 1 from HL, subtracts 1 from B and repeats if B is not 0")),
    // Control
    row("NOP",    &[],                                  one(0xFF, 0x00),                                t(4),           NONE,           "does nothing"),
    flow(Flow::Halt, row("HALT",   &[],                                  one(0xFF, 0x76),                                t(4),           NONE,           "stops until an interrupt")),
    row("DI",     &[],                                  one(0xFF, 0xF3),                                t(4),           NONE,           "forbids interrupts"),
    flow(Flow::Enable, row("EI",     &[],                                  one(0xFF, 0xFB),                                t(4),           NONE,           "allows interrupts after the next instruction")),
    row("IM",     &[MODE],                              ed(0b111_00_111, 0b010_00_110),                 t(8),           NONE,           "chooses what an interrupt does: 0 runs what the chip sends, 1 calls 0038h, 2 calls through the table at I"),
    // Longer codes of what has a shorter one
    Row { models: ALL_MODELS, ..found(row("LD",     &[HL, AT_ADDRESS],                     ed(0xFF, 0x6B),                                 t(20),          NONE,           "loads L from the address and H from the next cell")) },
    Row { models: ALL_MODELS, ..found(row("LD",     &[AT_ADDRESS, HL],                     ed(0xFF, 0x63),                                 t(20),          NONE,           "stores L at the address and H in the next cell")) },
    // What the maker left out of the manual and the part does all the same
    undocumented(row("PREFIX", &[IX],                                one(0xFF, 0xDD),                                t(4),           NONE,           "does nothing in front of an instruction that speaks of no index register")),
    undocumented(row("PREFIX", &[IY],                                one(0xFF, 0xFD),                                t(4),           NONE,           "does nothing in front of an instruction that speaks of no index register")),
    found(row("NEG",    &[],                                  ed(0b11_000_111, 0b01_000_100),                 t(8),           SUB_FLAGS,      "subtracts A from 0")),
    found(flow(Flow::Return, row("RETN",   &[],                                  ed(0b11_000_111, 0b01_000_101),                 t(14),          NONE,           "returns from a non-maskable interrupt; interrupts are as they were"))),
    found(row("IM",     &[FOUND_MODE],                        ed(0b11_000_111, 0b01_000_110),                 t(8),           NONE,           "chooses what an interrupt does, as the other codes do")),
    found(row("BIT",    &[BIT, INDEXED_BITS],                 index_cb(0b11_000_000, 0b01_000_000),           t(20),          BIT_FLAGS,      "Z says that the bit of the cell at the index register plus d is 0")),
    found(row("NOP",    &[],                                  ed(0x00, 0x00),                                 t(8),           NONE,           "nothing, in twice the time")),];
