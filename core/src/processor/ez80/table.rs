//! The one table of the eZ80, written once and read in two widths of word.
//!
//! Encodings, cycles and flags: Zilog, *eZ80 CPU User Manual* (UM0077, "eZ80 CPU instruction set"). A cycle is an access to memory or
//! a port, or one inside; what an access to wait states adds is the board's. Where the manual gives a time for each mode, they differ
//! by the third byte of a word: fetched, read or written.

use crate::processor::{Flow, Names, Row, Shape, Timing, Usage, Within};

/// Model bit of all its sets; the rows themselves differ.
pub const EZ80: u8 = 1;

const fn names(what: &'static str, place: &'static str, list: &'static [&'static str]) -> Names {
    Names { what, place, list, words: &[] }
}

const REGISTERS: Names = names("register", "r", &["B", "C", "D", "E", "H", "L", "", "A"]);
/// `LD B, B` and the like would be suffixes.
const OTHER_THAN_B: Names = names("register", "r", &["", "C", "D", "E", "H", "L", "", "A"]);
const OTHER_THAN_C: Names = names("register", "r", &["B", "", "D", "E", "H", "L", "", "A"]);
const OTHER_THAN_D: Names = names("register", "r", &["B", "C", "", "E", "H", "L", "", "A"]);
const OTHER_THAN_E: Names = names("register", "r", &["B", "C", "D", "", "H", "L", "", "A"]);
const LAST: Names = names("register", "r", &["", "", "", "", "H", "L", "", "A"]);
const OTHERS: Names = names("register", "r", &["B", "C", "D", "E", "", "", "", "A"]);
const IX_HALVES: Names = names("half", "ixh|ixl", &["", "", "", "", "IXH", "IXL", "", ""]);
const IY_HALVES: Names = names("half", "iyh|iyl", &["", "", "", "", "IYH", "IYL", "", ""]);
const PAIRS: Names = names("register pair", "rr", &["BC", "DE", "HL", "SP"]);
const IX_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "IX", "SP"]);
const IY_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "IY", "SP"]);
const OTHER_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "", "SP"]);
const STACK_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "HL", "AF"]);
const WORD_PAIRS: Names = names("register pair", "rr", &["BC", "DE", "HL", ""]);
const POINTERS: Names = names("register pair", "rr", &["BC", "DE"]);
const INDICES: Names = names("index register", "xy", &["IX", "IY"]);
const ONLY_IX: Names = names("index register", "ix", &["IX"]);
const ONLY_IY: Names = names("index register", "iy", &["IY"]);
const SPECIALS: Names = names("register", "i|r", &["I", "R"]);
const MODES: Names = names("mode", "mode", &["0", "", "1", "2"]);
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
const NOT_B: Shape = Shape::Name { names: &OTHER_THAN_B, shift: 0 };
const NOT_C: Shape = Shape::Name { names: &OTHER_THAN_C, shift: 0 };
const NOT_D: Shape = Shape::Name { names: &OTHER_THAN_D, shift: 0 };
const NOT_E: Shape = Shape::Name { names: &OTHER_THAN_E, shift: 0 };
const HIGHER: Shape = Shape::Name { names: &LAST, shift: 3 };
const OTHER_DESTINATION: Shape = Shape::Name { names: &OTHERS, shift: 3 };
const OTHER: Shape = Shape::Name { names: &OTHERS, shift: 0 };
const IX_HALF_DESTINATION: Shape = Shape::Name { names: &IX_HALVES, shift: 3 };
const IX_HALF: Shape = Shape::Name { names: &IX_HALVES, shift: 0 };
const IY_HALF_DESTINATION: Shape = Shape::Name { names: &IY_HALVES, shift: 3 };
const IY_HALF: Shape = Shape::Name { names: &IY_HALVES, shift: 0 };
const PAIR: Shape = Shape::Name { names: &PAIRS, shift: 4 };
const MULTIPLIED: Shape = Shape::Name { names: &PAIRS, shift: 4 };
const IX_PAIR: Shape = Shape::Name { names: &IX_PAIRS, shift: 4 };
const IY_PAIR: Shape = Shape::Name { names: &IY_PAIRS, shift: 4 };
const OTHER_PAIR: Shape = Shape::Name { names: &OTHER_PAIRS, shift: 4 };
const STACK_PAIR: Shape = Shape::Name { names: &STACK_PAIRS, shift: 4 };
const POP_PAIR: Shape = Shape::Name { names: &WORD_PAIRS, shift: 4 };
const WORDS: Shape = Shape::Name { names: &WORD_PAIRS, shift: 4 };
const SPECIAL: Shape = Shape::Name { names: &SPECIALS, shift: 3 };
const MODE: Shape = Shape::Name { names: &MODES, shift: 3 };
const CONDITION: Shape = Shape::Name { names: &CONDITIONS, shift: 3 };
const NEAR_CONDITION: Shape = Shape::Name { names: &NEAR_CONDITIONS, shift: 3 };
const A: Shape = Shape::Fixed("A");
const AF: Shape = Shape::Fixed("AF");
const B: Shape = Shape::Fixed("B");
const C: Shape = Shape::Fixed("C");
const D: Shape = Shape::Fixed("D");
const E: Shape = Shape::Fixed("E");
const DE: Shape = Shape::Fixed("DE");
const HL: Shape = Shape::Fixed("HL");
const SP: Shape = Shape::Fixed("SP");
const IX: Shape = Shape::Fixed("IX");
const IY: Shape = Shape::Fixed("IY");
const MB: Shape = Shape::Fixed("MB");
const SECOND_AF: Shape = Shape::Fixed("AF'");
const DATA8: Shape = Shape::DATA8;
const RELATIVE: Shape = Shape::Relative;
const VECTOR: Shape = Shape::Vector;
const BIT: Shape = Shape::Digit { shift: 3, last: 7 };
/// The prefix of an opcode of two cells says which index register.
const INDEX: Shape = Shape::Name { names: &INDICES, shift: 13 };
const IX_PLUS: Shape = Shape::Indexed { names: &ONLY_IX, shift: 0 };
const IY_PLUS: Shape = Shape::Indexed { names: &ONLY_IY, shift: 0 };

const fn within(inner: Shape, place: &'static str) -> Within {
    Within { open: "(", inner, close: ")", place }
}

const AT_HL: Shape = Shape::Within(&within(HL, "(HL)"));
const AT_SP: Shape = Shape::Within(&within(SP, "(SP)"));
const AT_C: Shape = Shape::Within(&within(C, "(C)"));
const AT_BC: Shape = Shape::Within(&within(Shape::Fixed("BC"), "(BC)"));
const AT_POINTER: Shape = Shape::Within(&within(Shape::Name { names: &POINTERS, shift: 4 }, "(rr)"));
const AT_INDEX: Shape = Shape::Within(&within(INDEX, "(xy)"));
const AT_PORT: Shape = Shape::Within(&within(Shape::PORT, "(port)"));
const INDEXED: Shape = Shape::Within(&within(Shape::Indexed { names: &INDICES, shift: 13 }, "(xy+d)"));
const INDEXED_IX: Shape = Shape::Within(&within(IX_PLUS, "(ix+d)"));
const INDEXED_IY: Shape = Shape::Within(&within(IY_PLUS, "(iy+d)"));
/// The same in an opcode of three cells.
const INDEXED_BITS: Shape = Shape::Within(&within(Shape::Indexed { names: &INDICES, shift: 21 }, "(xy+d)"));

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

/// Cycles with data of the short width and of the long one.
const fn t(cycles: u8) -> [Timing; 2] {
    [Timing::always(cycles); 2]
}

/// The same where a word goes to memory or comes from there.
const fn w(cycles: u8) -> [Timing; 2] {
    [Timing::always(cycles), Timing::always(cycles + 1)]
}

/// The same for two words.
const fn ww(cycles: u8) -> [Timing; 2] {
    [Timing::always(cycles), Timing::always(cycles + 2)]
}

/// Cycles not taken and taken.
const fn branch(not_taken: u8, taken: u8) -> [Timing; 2] {
    [Timing { taken, ..Timing::always(not_taken) }; 2]
}

/// The same where a word goes to memory or comes from there when it is taken.
const fn branch_w(not_taken: u8, taken: u8) -> [Timing; 2] {
    let timing = Timing { taken, ..Timing::always(not_taken) };
    [timing, Timing { taken: taken + 1, ..timing }]
}

/// A cycle more to fetch the third byte of a word.
const fn fetched(timing: Timing) -> Timing {
    Timing { base: timing.base + 1, taken: timing.taken + 1, ..timing }
}

const fn row(
    mnemonic: &'static str,
    operands: &'static [Shape],
    (opcode_cells, mask, value): Opcode,
    mut timing: [Timing; 2],
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    let mut at = 0;
    while at < operands.len() {
        if operands[at].cells() == 3 {
            timing = [fetched(timing[0]), fetched(timing[1])];
        }
        at += 1;
    }
    Row {
        mnemonic,
        operands,
        opcode_cells,
        mask,
        value,
        timing,
        flags: [flags, flags],
        models: EZ80,
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

const fn found(row: Row) -> Row {
    Row { usage: Usage::Found, ..row }
}

// S, Z, H, P/V, N, C.
const NONE: &str = "------";
const ALL: &str = "******";
const SPECIAL_LOAD: &str = "**0*0-";
const BLOCK_COPY: &str = "--0*0-";
const BLOCK_COMPARE: &str = "****1-";
const BLOCK_PORT: &str = "-*--*-";
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

/// Every row, with the word operands of the place where it is written out; the rows of a mnemonic stand together. Bits are grouped
/// by their fields.
macro_rules! rows {
    () => {
        &[
            // 8-bit loads
            row("LD",     &[B, NOT_B],                            one(0b11_111_000, 0b01_000_000),                  t(1),            NONE,           "copies the second register into B"),
            row("LD",     &[C, NOT_C],                            one(0b11_111_000, 0b01_001_000),                  t(1),            NONE,           "copies the second register into C"),
            row("LD",     &[D, NOT_D],                            one(0b11_111_000, 0b01_010_000),                  t(1),            NONE,           "copies the second register into D"),
            row("LD",     &[E, NOT_E],                            one(0b11_111_000, 0b01_011_000),                  t(1),            NONE,           "copies the second register into E"),
            row("LD",     &[HIGHER, SOURCE],                      one(0b11_000_000, 0b01_000_000),                  t(1),            NONE,           "copies the second register into the first"),
            row("LD",     &[DESTINATION, DATA8],                  one(0b11_000_111, 0b00_000_110),                  t(2),            NONE,           "puts the number into a register"),
            row("LD",     &[DESTINATION, AT_HL],                  one(0b11_000_111, 0b01_000_110),                  t(2),            NONE,           "loads a register from the cell at HL"),
            row("LD",     &[DESTINATION, INDEXED],                index(0b11_000_111, 0b01_000_110),                t(4),            NONE,           "loads a register from the cell at the index register plus d"),
            row("LD",     &[AT_HL, SOURCE],                       one(0b11_111_000, 0b01_110_000),                  t(2),            NONE,           "stores a register in the cell at HL"),
            row("LD",     &[INDEXED, SOURCE],                     index(0b11_111_000, 0b01_110_000),                t(4),            NONE,           "stores a register in the cell at the index register plus d"),
            row("LD",     &[AT_HL, DATA8],                        one(0xFF, 0x36),                                  t(3),            NONE,           "puts the number into the cell at HL"),
            row("LD",     &[INDEXED, DATA8],                      index(0xFF, 0x36),                                t(5),            NONE,           "puts the number into the cell at the index register plus d"),
            row("LD",     &[A, AT_POINTER],                       one(0b11_10_1111, 0b00_00_1010),                  t(2),            NONE,           "loads A from the cell at the pair"),
            row("LD",     &[A, AT_ADDRESS],                       one(0xFF, 0x3A),                                  t(4),            NONE,           "loads A from the cell at the address"),
            row("LD",     &[AT_POINTER, A],                       one(0b11_10_1111, 0b00_00_0010),                  t(2),            NONE,           "stores A in the cell at the pair"),
            row("LD",     &[AT_ADDRESS, A],                       one(0xFF, 0x32),                                  t(4),            NONE,           "stores A in the cell at the address"),
            row("LD",     &[A, SPECIAL],                          ed(0b11_11_0_111, 0b01_01_0_111),                 t(2),            SPECIAL_LOAD,   "copies I or R into A, and whether interrupts are enabled into P/V"),
            row("LD",     &[SPECIAL, A],                          ed(0b11_11_0_111, 0b01_00_0_111),                 t(2),            NONE,           "copies A into I or R"),
            row("LD",     &[A, MB],                               ed(0xFF, 0x6E),                                   t(2),            NONE,           "copies MBASE into A"),
            row("LD",     &[MB, A],                               ed(0xFF, 0x6D),                                   t(2),            NONE,           "copies A into MBASE in ADL mode; does nothing in Z80 mode"),
            row("LD",     &[OTHER_DESTINATION, IX_HALF],          two(0xDD, 0b11_000_000, 0b01_000_000),            t(2),            NONE,           "copies a half of IX into a register"),
            row("LD",     &[IX_HALF_DESTINATION, OTHER],          two(0xDD, 0b11_000_000, 0b01_000_000),            t(2),            NONE,           "copies a register into a half of IX"),
            row("LD",     &[IX_HALF_DESTINATION, IX_HALF],        two(0xDD, 0b11_000_000, 0b01_000_000),            t(2),            NONE,           "copies a half of IX into a half of it"),
            row("LD",     &[IX_HALF_DESTINATION, DATA8],          two(0xDD, 0b11_000_111, 0b00_000_110),            t(3),            NONE,           "puts the number into a half of IX"),
            row("LD",     &[OTHER_DESTINATION, IY_HALF],          two(0xFD, 0b11_000_000, 0b01_000_000),            t(2),            NONE,           "copies a half of IY into a register"),
            row("LD",     &[IY_HALF_DESTINATION, OTHER],          two(0xFD, 0b11_000_000, 0b01_000_000),            t(2),            NONE,           "copies a register into a half of IY"),
            row("LD",     &[IY_HALF_DESTINATION, IY_HALF],        two(0xFD, 0b11_000_000, 0b01_000_000),            t(2),            NONE,           "copies a half of IY into a half of it"),
            row("LD",     &[IY_HALF_DESTINATION, DATA8],          two(0xFD, 0b11_000_111, 0b00_000_110),            t(3),            NONE,           "puts the number into a half of IY"),
            // Words
            row("LD",     &[PAIR, DATA],                          one(0b11_00_1111, 0b00_00_0001),                  t(3),            NONE,           "puts the number into a register pair"),
            row("LD",     &[INDEX, DATA],                         index(0xFF, 0x21),                                t(4),            NONE,           "puts the number into an index register"),
            row("LD",     &[HL, AT_ADDRESS],                      one(0xFF, 0x2A),                                  w(5),            NONE,           "loads HL from the address, the low byte first"),
            row("LD",     &[OTHER_PAIR, AT_ADDRESS],              ed(0b11_00_1111, 0b01_00_1011),                   w(6),            NONE,           "loads a register pair from the address, the low byte first"),
            row("LD",     &[INDEX, AT_ADDRESS],                   index(0xFF, 0x2A),                                w(6),            NONE,           "loads an index register from the address, the low byte first"),
            row("LD",     &[AT_ADDRESS, HL],                      one(0xFF, 0x22),                                  w(5),            NONE,           "stores HL at the address, the low byte first"),
            row("LD",     &[AT_ADDRESS, OTHER_PAIR],              ed(0b11_00_1111, 0b01_00_0011),                   w(6),            NONE,           "stores a register pair at the address, the low byte first"),
            row("LD",     &[AT_ADDRESS, INDEX],                   index(0xFF, 0x22),                                w(6),            NONE,           "stores an index register at the address, the low byte first"),
            row("LD",     &[WORDS, AT_HL],                        ed(0b11_00_1111, 0b00_00_0111),                   w(4),            NONE,           "loads a register pair from the cells at HL, the low byte first"),
            row("LD",     &[IX, AT_HL],                           ed(0xFF, 0x37),                                   w(4),            NONE,           "loads IX from the cells at HL, the low byte first"),
            row("LD",     &[IY, AT_HL],                           ed(0xFF, 0x31),                                   w(4),            NONE,           "loads IY from the cells at HL, the low byte first"),
            row("LD",     &[AT_HL, WORDS],                        ed(0b11_00_1111, 0b00_00_1111),                   w(4),            NONE,           "stores a register pair in the cells at HL, the low byte first"),
            row("LD",     &[AT_HL, IX],                           ed(0xFF, 0x3F),                                   w(4),            NONE,           "stores IX in the cells at HL, the low byte first"),
            row("LD",     &[AT_HL, IY],                           ed(0xFF, 0x3E),                                   w(4),            NONE,           "stores IY in the cells at HL, the low byte first"),
            row("LD",     &[WORDS, INDEXED],                      index(0b11_00_1111, 0b00_00_0111),                w(5),            NONE,           "loads a register pair from the cells at the index register plus d, the low byte first"),
            row("LD",     &[IX, INDEXED_IX],                      two(0xDD, 0xFF, 0x37),                            w(5),            NONE,           "loads IX from the cells at IX plus d, the low byte first"),
            row("LD",     &[IY, INDEXED_IX],                      two(0xDD, 0xFF, 0x31),                            w(5),            NONE,           "loads IY from the cells at IX plus d, the low byte first"),
            row("LD",     &[IX, INDEXED_IY],                      two(0xFD, 0xFF, 0x31),                            w(5),            NONE,           "loads IX from the cells at IY plus d, the low byte first"),
            row("LD",     &[IY, INDEXED_IY],                      two(0xFD, 0xFF, 0x37),                            w(5),            NONE,           "loads IY from the cells at IY plus d, the low byte first"),
            row("LD",     &[INDEXED, WORDS],                      index(0b11_00_1111, 0b00_00_1111),                w(5),            NONE,           "stores a register pair in the cells at the index register plus d, the low byte first"),
            row("LD",     &[INDEXED_IX, IX],                      two(0xDD, 0xFF, 0x3F),                            w(5),            NONE,           "stores IX in the cells at IX plus d, the low byte first"),
            row("LD",     &[INDEXED_IX, IY],                      two(0xDD, 0xFF, 0x3E),                            w(5),            NONE,           "stores IY in the cells at IX plus d, the low byte first"),
            row("LD",     &[INDEXED_IY, IX],                      two(0xFD, 0xFF, 0x3E),                            w(5),            NONE,           "stores IX in the cells at IY plus d, the low byte first"),
            row("LD",     &[INDEXED_IY, IY],                      two(0xFD, 0xFF, 0x3F),                            w(5),            NONE,           "stores IY in the cells at IY plus d, the low byte first"),
            row("LD",     &[SP, HL],                              one(0xFF, 0xF9),                                  t(1),            NONE,           "copies HL into the stack pointer"),
            row("LD",     &[SP, INDEX],                           index(0xFF, 0xF9),                                t(2),            NONE,           "copies an index register into the stack pointer"),
            row("LD",     &[HL, Shape::Fixed("I")],               ed(0xFF, 0xD7),                                   t(2),            NONE,           "copies the 16 bits of I into HL"),
            row("LD",     &[Shape::Fixed("I"), HL],               ed(0xFF, 0xC7),                                   t(2),            NONE,           "copies the 16 bits of HL into I"),
            row("LEA",    &[WORDS, IX_PLUS],                      ed(0b11_00_1111, 0b00_00_0010),                   t(3),            NONE,           "puts IX plus d into a register pair"),
            row("LEA",    &[WORDS, IY_PLUS],                      ed(0b11_00_1111, 0b00_00_0011),                   t(3),            NONE,           "puts IY plus d into a register pair"),
            row("LEA",    &[IX, IX_PLUS],                         ed(0xFF, 0x32),                                   t(3),            NONE,           "adds d to IX"),
            row("LEA",    &[IY, IY_PLUS],                         ed(0xFF, 0x33),                                   t(3),            NONE,           "adds d to IY"),
            row("LEA",    &[IX, IY_PLUS],                         ed(0xFF, 0x54),                                   t(3),            NONE,           "puts IY plus d into IX"),
            row("LEA",    &[IY, IX_PLUS],                         ed(0xFF, 0x55),                                   t(3),            NONE,           "puts IX plus d into IY"),
            row("PEA",    &[IX_PLUS],                             ed(0xFF, 0x65),                                   w(5),            NONE,           "puts IX plus d on the stack"),
            row("PEA",    &[IY_PLUS],                             ed(0xFF, 0x66),                                   w(5),            NONE,           "puts IY plus d on the stack"),
            // Stack and exchanges
            row("PUSH",   &[STACK_PAIR],                          one(0b11_00_1111, 0b11_00_0101),                  w(3),            NONE,           "puts a register pair on the stack"),
            row("PUSH",   &[INDEX],                               index(0xFF, 0xE5),                                w(4),            NONE,           "puts an index register on the stack"),
            row("POP",    &[POP_PAIR],                            one(0b11_00_1111, 0b11_00_0001),                  w(3),            NONE,           "takes a register pair from the stack"),
            row("POP",    &[AF],                                  one(0xFF, 0xF1),                                  w(3),            ALL,            "takes A and the flags from the stack"),
            row("POP",    &[INDEX],                               index(0xFF, 0xE1),                                w(4),            NONE,           "takes an index register from the stack"),
            row("EX",     &[DE, HL],                              one(0xFF, 0xEB),                                  t(1),            NONE,           "exchanges DE and HL"),
            row("EX",     &[AF, SECOND_AF],                       one(0xFF, 0x08),                                  t(1),            ALL,            "exchanges A and the flags with the second set"),
            row("EX",     &[AT_SP, HL],                           one(0xFF, 0xE3),                                  ww(5),           NONE,           "exchanges HL with the top of the stack"),
            row("EX",     &[AT_SP, INDEX],                        index(0xFF, 0xE3),                                ww(6),           NONE,           "exchanges an index register with the top of the stack"),
            row("EXX",    &[],                                    one(0xFF, 0xD9),                                  t(1),            NONE,           "exchanges BC, DE and HL with the second set"),
            // Blocks
            row("LDI",    &[],                                    ed(0xFF, 0xA0),                                   t(5),            BLOCK_COPY,     "copies the cell at HL to DE, adds 1 to both and subtracts 1 from BC"),
            flow(Flow::Repeat, row("LDIR",   &[],                                    ed(0xFF, 0xB0),                                   branch(5, 3),    BLOCK_COPY,     "copies the cell at HL to DE, adds 1 to both, subtracts 1 from BC and repeats if BC is not 0")),
            row("LDD",    &[],                                    ed(0xFF, 0xA8),                                   t(5),            BLOCK_COPY,     "copies the cell at HL to DE and subtracts 1 from both and from BC"),
            flow(Flow::Repeat, row("LDDR",   &[],                                    ed(0xFF, 0xB8),                                   branch(5, 3),    BLOCK_COPY,     "copies the cell at HL to DE, subtracts 1 from both, subtracts 1 from BC and repeats if BC is not 0")),
            row("CPI",    &[],                                    ed(0xFF, 0xA1),                                   t(3),            BLOCK_COMPARE,  "compares A with the cell at HL, adds 1 to HL and subtracts 1 from BC"),
            flow(Flow::Repeat, row("CPIR",   &[],                                    ed(0xFF, 0xB1),                                   branch(4, 3),    BLOCK_COMPARE,  "compares A with the cell at HL, adds 1 to HL, subtracts 1 from BC and repeats if BC is not 0 and they differ")),
            row("CPD",    &[],                                    ed(0xFF, 0xA9),                                   t(3),            BLOCK_COMPARE,  "compares A with the cell at HL and subtracts 1 from HL and from BC"),
            flow(Flow::Repeat, row("CPDR",   &[],                                    ed(0xFF, 0xB9),                                   branch(4, 3),    BLOCK_COMPARE,  "compares A with the cell at HL, subtracts 1 from HL, subtracts 1 from BC and repeats if BC is not 0 and they differ")),
            // 8-bit arithmetic and logic
            row("ADD",    &[A, SOURCE],                           one(0b11_111_000, 0b10_000_000),                  t(1),            ADD_FLAGS,      "adds a register to A"),
            row("ADD",    &[A, DATA8],                            one(0xFF, 0b11_000_110),                          t(2),            ADD_FLAGS,      "adds the number to A"),
            row("ADD",    &[A, AT_HL],                            one(0xFF, 0b10_000_110),                          t(2),            ADD_FLAGS,      "adds the cell at HL to A"),
            row("ADD",    &[A, INDEXED],                          index(0xFF, 0b10_000_110),                        t(4),            ADD_FLAGS,      "adds the cell at the index register plus d to A"),
            row("ADD",    &[A, IX_HALF],                          two(0xDD, 0b11_111_000, 0b10_000_000),            t(2),            ADD_FLAGS,      "adds a half of IX to A"),
            row("ADD",    &[A, IY_HALF],                          two(0xFD, 0b11_111_000, 0b10_000_000),            t(2),            ADD_FLAGS,      "adds a half of IY to A"),
            row("ADD",    &[HL, PAIR],                            one(0b11_00_1111, 0b00_00_1001),                  t(1),            ADD_PAIR_FLAGS, "adds a register pair to HL"),
            row("ADD",    &[IX, IX_PAIR],                         two(0xDD, 0b11_00_1111, 0b00_00_1001),            t(2),            ADD_PAIR_FLAGS, "adds a register pair to IX"),
            row("ADD",    &[IY, IY_PAIR],                         two(0xFD, 0b11_00_1111, 0b00_00_1001),            t(2),            ADD_PAIR_FLAGS, "adds a register pair to IY"),
            row("ADC",    &[A, SOURCE],                           one(0b11_111_000, 0b10_001_000),                  t(1),            ADD_FLAGS,      "adds a register and the carry to A"),
            row("ADC",    &[A, DATA8],                            one(0xFF, 0b11_001_110),                          t(2),            ADD_FLAGS,      "adds the number and the carry to A"),
            row("ADC",    &[A, AT_HL],                            one(0xFF, 0b10_001_110),                          t(2),            ADD_FLAGS,      "adds the cell at HL and the carry to A"),
            row("ADC",    &[A, INDEXED],                          index(0xFF, 0b10_001_110),                        t(4),            ADD_FLAGS,      "adds the cell at the index register plus d and the carry to A"),
            row("ADC",    &[A, IX_HALF],                          two(0xDD, 0b11_111_000, 0b10_001_000),            t(2),            ADD_FLAGS,      "adds a half of IX and the carry to A"),
            row("ADC",    &[A, IY_HALF],                          two(0xFD, 0b11_111_000, 0b10_001_000),            t(2),            ADD_FLAGS,      "adds a half of IY and the carry to A"),
            row("ADC",    &[HL, PAIR],                            ed(0b11_00_1111, 0b01_00_1010),                   t(2),            ADD_FLAGS,      "adds a register pair and the carry to HL"),
            row("SUB",    &[SOURCE],                              one(0b11_111_000, 0b10_010_000),                  t(1),            SUB_FLAGS,      "subtracts a register from A"),
            row("SUB",    &[DATA8],                               one(0xFF, 0b11_010_110),                          t(2),            SUB_FLAGS,      "subtracts the number from A"),
            row("SUB",    &[AT_HL],                               one(0xFF, 0b10_010_110),                          t(2),            SUB_FLAGS,      "subtracts the cell at HL from A"),
            row("SUB",    &[INDEXED],                             index(0xFF, 0b10_010_110),                        t(4),            SUB_FLAGS,      "subtracts the cell at the index register plus d from A"),
            row("SUB",    &[IX_HALF],                             two(0xDD, 0b11_111_000, 0b10_010_000),            t(2),            SUB_FLAGS,      "subtracts a half of IX from A"),
            row("SUB",    &[IY_HALF],                             two(0xFD, 0b11_111_000, 0b10_010_000),            t(2),            SUB_FLAGS,      "subtracts a half of IY from A"),
            row("SBC",    &[A, SOURCE],                           one(0b11_111_000, 0b10_011_000),                  t(1),            SUB_FLAGS,      "subtracts a register and the borrow from A"),
            row("SBC",    &[A, DATA8],                            one(0xFF, 0b11_011_110),                          t(2),            SUB_FLAGS,      "subtracts the number and the borrow from A"),
            row("SBC",    &[A, AT_HL],                            one(0xFF, 0b10_011_110),                          t(2),            SUB_FLAGS,      "subtracts the cell at HL and the borrow from A"),
            row("SBC",    &[A, INDEXED],                          index(0xFF, 0b10_011_110),                        t(4),            SUB_FLAGS,      "subtracts the cell at the index register plus d and the borrow from A"),
            row("SBC",    &[A, IX_HALF],                          two(0xDD, 0b11_111_000, 0b10_011_000),            t(2),            SUB_FLAGS,      "subtracts a half of IX and the borrow from A"),
            row("SBC",    &[A, IY_HALF],                          two(0xFD, 0b11_111_000, 0b10_011_000),            t(2),            SUB_FLAGS,      "subtracts a half of IY and the borrow from A"),
            row("SBC",    &[HL, PAIR],                            ed(0b11_00_1111, 0b01_00_0010),                   t(2),            SUB_FLAGS,      "subtracts a register pair and the borrow from HL"),
            row("AND",    &[SOURCE],                              one(0b11_111_000, 0b10_100_000),                  t(1),            AND_FLAGS,      "combines a register with A, bit by bit and"),
            row("AND",    &[DATA8],                               one(0xFF, 0b11_100_110),                          t(2),            AND_FLAGS,      "combines the number with A, bit by bit and"),
            row("AND",    &[AT_HL],                               one(0xFF, 0b10_100_110),                          t(2),            AND_FLAGS,      "combines the cell at HL with A, bit by bit and"),
            row("AND",    &[INDEXED],                             index(0xFF, 0b10_100_110),                        t(4),            AND_FLAGS,      "combines the cell at the index register plus d with A, bit by bit and"),
            row("AND",    &[IX_HALF],                             two(0xDD, 0b11_111_000, 0b10_100_000),            t(2),            AND_FLAGS,      "combines a half of IX with A, bit by bit and"),
            row("AND",    &[IY_HALF],                             two(0xFD, 0b11_111_000, 0b10_100_000),            t(2),            AND_FLAGS,      "combines a half of IY with A, bit by bit and"),
            row("XOR",    &[SOURCE],                              one(0b11_111_000, 0b10_101_000),                  t(1),            OR_FLAGS,       "combines a register with A, bit by bit exclusive or"),
            row("XOR",    &[DATA8],                               one(0xFF, 0b11_101_110),                          t(2),            OR_FLAGS,       "combines the number with A, bit by bit exclusive or"),
            row("XOR",    &[AT_HL],                               one(0xFF, 0b10_101_110),                          t(2),            OR_FLAGS,       "combines the cell at HL with A, bit by bit exclusive or"),
            row("XOR",    &[INDEXED],                             index(0xFF, 0b10_101_110),                        t(4),            OR_FLAGS,       "combines the cell at the index register plus d with A, bit by bit exclusive or"),
            row("XOR",    &[IX_HALF],                             two(0xDD, 0b11_111_000, 0b10_101_000),            t(2),            OR_FLAGS,       "combines a half of IX with A, bit by bit exclusive or"),
            row("XOR",    &[IY_HALF],                             two(0xFD, 0b11_111_000, 0b10_101_000),            t(2),            OR_FLAGS,       "combines a half of IY with A, bit by bit exclusive or"),
            row("OR",     &[SOURCE],                              one(0b11_111_000, 0b10_110_000),                  t(1),            OR_FLAGS,       "combines a register with A, bit by bit or"),
            row("OR",     &[DATA8],                               one(0xFF, 0b11_110_110),                          t(2),            OR_FLAGS,       "combines the number with A, bit by bit or"),
            row("OR",     &[AT_HL],                               one(0xFF, 0b10_110_110),                          t(2),            OR_FLAGS,       "combines the cell at HL with A, bit by bit or"),
            row("OR",     &[INDEXED],                             index(0xFF, 0b10_110_110),                        t(4),            OR_FLAGS,       "combines the cell at the index register plus d with A, bit by bit or"),
            row("OR",     &[IX_HALF],                             two(0xDD, 0b11_111_000, 0b10_110_000),            t(2),            OR_FLAGS,       "combines a half of IX with A, bit by bit or"),
            row("OR",     &[IY_HALF],                             two(0xFD, 0b11_111_000, 0b10_110_000),            t(2),            OR_FLAGS,       "combines a half of IY with A, bit by bit or"),
            row("CP",     &[SOURCE],                              one(0b11_111_000, 0b10_111_000),                  t(1),            SUB_FLAGS,      "compares A with a register"),
            row("CP",     &[DATA8],                               one(0xFF, 0b11_111_110),                          t(2),            SUB_FLAGS,      "compares A with the number"),
            row("CP",     &[AT_HL],                               one(0xFF, 0b10_111_110),                          t(2),            SUB_FLAGS,      "compares A with the cell at HL"),
            row("CP",     &[INDEXED],                             index(0xFF, 0b10_111_110),                        t(4),            SUB_FLAGS,      "compares A with the cell at the index register plus d"),
            row("CP",     &[IX_HALF],                             two(0xDD, 0b11_111_000, 0b10_111_000),            t(2),            SUB_FLAGS,      "compares A with a half of IX"),
            row("CP",     &[IY_HALF],                             two(0xFD, 0b11_111_000, 0b10_111_000),            t(2),            SUB_FLAGS,      "compares A with a half of IY"),
            row("INC",    &[DESTINATION],                         one(0b11_000_111, 0b00_000_100),                  t(1),            INC_FLAGS,      "adds 1 to a register"),
            row("INC",    &[AT_HL],                               one(0xFF, 0b00_110_100),                          t(4),            INC_FLAGS,      "adds 1 to the cell at HL"),
            row("INC",    &[INDEXED],                             index(0xFF, 0b00_110_100),                        t(6),            INC_FLAGS,      "adds 1 to the cell at the index register plus d"),
            row("INC",    &[IX_HALF_DESTINATION],                 two(0xDD, 0b11_000_111, 0b00_000_100),            t(2),            INC_FLAGS,      "adds 1 to a half of IX"),
            row("INC",    &[IY_HALF_DESTINATION],                 two(0xFD, 0b11_000_111, 0b00_000_100),            t(2),            INC_FLAGS,      "adds 1 to a half of IY"),
            row("INC",    &[PAIR],                                one(0b11_00_1111, 0b00_00_0011),                  t(1),            NONE,           "adds 1 to a register pair"),
            row("INC",    &[INDEX],                               index(0xFF, 0x23),                                t(2),            NONE,           "adds 1 to an index register"),
            row("DEC",    &[DESTINATION],                         one(0b11_000_111, 0b00_000_101),                  t(1),            DEC_FLAGS,      "subtracts 1 from a register"),
            row("DEC",    &[AT_HL],                               one(0xFF, 0b00_110_101),                          t(4),            DEC_FLAGS,      "subtracts 1 from the cell at HL"),
            row("DEC",    &[INDEXED],                             index(0xFF, 0b00_110_101),                        t(6),            DEC_FLAGS,      "subtracts 1 from the cell at the index register plus d"),
            row("DEC",    &[IX_HALF_DESTINATION],                 two(0xDD, 0b11_000_111, 0b00_000_101),            t(2),            DEC_FLAGS,      "subtracts 1 from a half of IX"),
            row("DEC",    &[IY_HALF_DESTINATION],                 two(0xFD, 0b11_000_111, 0b00_000_101),            t(2),            DEC_FLAGS,      "subtracts 1 from a half of IY"),
            row("DEC",    &[PAIR],                                one(0b11_00_1111, 0b00_00_1011),                  t(1),            NONE,           "subtracts 1 from a register pair"),
            row("DEC",    &[INDEX],                               index(0xFF, 0x2B),                                t(2),            NONE,           "subtracts 1 from an index register"),
            row("DAA",    &[],                                    one(0xFF, 0x27),                                  t(1),            DAA_FLAGS,      "corrects A to two decimal digits after an addition or a subtraction"),
            row("CPL",    &[],                                    one(0xFF, 0x2F),                                  t(1),            CPL_FLAGS,      "inverts every bit of A"),
            row("NEG",    &[],                                    ed(0xFF, 0x44),                                   t(2),            SUB_FLAGS,      "subtracts A from 0"),
            row("CCF",    &[],                                    one(0xFF, 0x3F),                                  t(1),            CCF_FLAGS,      "inverts the carry"),
            row("SCF",    &[],                                    one(0xFF, 0x37),                                  t(1),            SCF_FLAGS,      "sets the carry"),
            row("MLT",    &[MULTIPLIED],                          ed(0b11_00_1111, 0b01_00_1100),                   t(6),            NONE,           "multiplies the two bytes of a pair; the product is the pair"),
            row("TST",    &[A, DESTINATION],                      ed(0b11_000_111, 0b00_000_100),                   t(2),            AND_FLAGS,      "sets the flags by a register and A, bit by bit; both stay"),
            row("TST",    &[A, AT_HL],                            ed(0xFF, 0x34),                                   t(3),            AND_FLAGS,      "sets the flags by the cell at HL and A, bit by bit; both stay"),
            row("TST",    &[A, DATA8],                            ed(0xFF, 0x64),                                   t(3),            AND_FLAGS,      "sets the flags by the number and A, bit by bit"),
            row("TSTIO",  &[DATA8],                               ed(0xFF, 0x74),                                   t(4),            AND_FLAGS,      "sets the flags by the number and the port 00xxh in C, bit by bit"),
            // Rotations and shifts
            row("RLCA",   &[],                                    one(0xFF, 0x07),                                  t(1),            ROTATE_A_FLAGS, "rotates A left; the bit that goes out is the carry, too"),
            row("RLA",    &[],                                    one(0xFF, 0x17),                                  t(1),            ROTATE_A_FLAGS, "rotates A left through the carry"),
            row("RRCA",   &[],                                    one(0xFF, 0x0F),                                  t(1),            ROTATE_A_FLAGS, "rotates A right; the bit that goes out is the carry, too"),
            row("RRA",    &[],                                    one(0xFF, 0x1F),                                  t(1),            ROTATE_A_FLAGS, "rotates A right through the carry"),
            row("RLC",    &[SOURCE],                              cb(0b11_111_000, 0b00_000_000),                   t(2),            SHIFT_FLAGS,    "rotates a register left; the bit that goes out is the carry, too"),
            row("RLC",    &[AT_HL],                               cb(0xFF, 0b00_000_110),                           t(5),            SHIFT_FLAGS,    "rotates the cell at HL left; the bit that goes out is the carry, too"),
            row("RLC",    &[INDEXED_BITS],                        index_cb(0xFF, 0b00_000_110),                     t(7),            SHIFT_FLAGS,    "rotates the cell at the index register plus d left; the bit that goes out is the carry, too"),
            row("RL",     &[SOURCE],                              cb(0b11_111_000, 0b00_010_000),                   t(2),            SHIFT_FLAGS,    "rotates a register left through the carry"),
            row("RL",     &[AT_HL],                               cb(0xFF, 0b00_010_110),                           t(5),            SHIFT_FLAGS,    "rotates the cell at HL left through the carry"),
            row("RL",     &[INDEXED_BITS],                        index_cb(0xFF, 0b00_010_110),                     t(7),            SHIFT_FLAGS,    "rotates the cell at the index register plus d left through the carry"),
            row("RRC",    &[SOURCE],                              cb(0b11_111_000, 0b00_001_000),                   t(2),            SHIFT_FLAGS,    "rotates a register right; the bit that goes out is the carry, too"),
            row("RRC",    &[AT_HL],                               cb(0xFF, 0b00_001_110),                           t(5),            SHIFT_FLAGS,    "rotates the cell at HL right; the bit that goes out is the carry, too"),
            row("RRC",    &[INDEXED_BITS],                        index_cb(0xFF, 0b00_001_110),                     t(7),            SHIFT_FLAGS,    "rotates the cell at the index register plus d right; the bit that goes out is the carry, too"),
            row("RR",     &[SOURCE],                              cb(0b11_111_000, 0b00_011_000),                   t(2),            SHIFT_FLAGS,    "rotates a register right through the carry"),
            row("RR",     &[AT_HL],                               cb(0xFF, 0b00_011_110),                           t(5),            SHIFT_FLAGS,    "rotates the cell at HL right through the carry"),
            row("RR",     &[INDEXED_BITS],                        index_cb(0xFF, 0b00_011_110),                     t(7),            SHIFT_FLAGS,    "rotates the cell at the index register plus d right through the carry"),
            row("SLA",    &[SOURCE],                              cb(0b11_111_000, 0b00_100_000),                   t(2),            SHIFT_FLAGS,    "shifts a register left; 0 comes in"),
            row("SLA",    &[AT_HL],                               cb(0xFF, 0b00_100_110),                           t(5),            SHIFT_FLAGS,    "shifts the cell at HL left; 0 comes in"),
            row("SLA",    &[INDEXED_BITS],                        index_cb(0xFF, 0b00_100_110),                     t(7),            SHIFT_FLAGS,    "shifts the cell at the index register plus d left; 0 comes in"),
            row("SRA",    &[SOURCE],                              cb(0b11_111_000, 0b00_101_000),                   t(2),            SHIFT_FLAGS,    "shifts a register right, keeping its sign"),
            row("SRA",    &[AT_HL],                               cb(0xFF, 0b00_101_110),                           t(5),            SHIFT_FLAGS,    "shifts the cell at HL right, keeping its sign"),
            row("SRA",    &[INDEXED_BITS],                        index_cb(0xFF, 0b00_101_110),                     t(7),            SHIFT_FLAGS,    "shifts the cell at the index register plus d right, keeping its sign"),
            row("SRL",    &[SOURCE],                              cb(0b11_111_000, 0b00_111_000),                   t(2),            SHIFT_FLAGS,    "shifts a register right; 0 comes in"),
            row("SRL",    &[AT_HL],                               cb(0xFF, 0b00_111_110),                           t(5),            SHIFT_FLAGS,    "shifts the cell at HL right; 0 comes in"),
            row("SRL",    &[INDEXED_BITS],                        index_cb(0xFF, 0b00_111_110),                     t(7),            SHIFT_FLAGS,    "shifts the cell at the index register plus d right; 0 comes in"),
            row("RLD",    &[],                                    ed(0xFF, 0x6F),                                   t(5),            DIGIT_FLAGS,    "rotates the low digit of A and the two of the cell at HL left"),
            row("RRD",    &[],                                    ed(0xFF, 0x67),                                   t(5),            DIGIT_FLAGS,    "rotates the low digit of A and the two of the cell at HL right"),
            // Bits
            row("BIT",    &[BIT, SOURCE],                         cb(0b11_000_000, 0b01_000_000),                   t(2),            BIT_FLAGS,      "Z says that the bit of a register is 0"),
            row("BIT",    &[BIT, AT_HL],                          cb(0b11_000_111, 0b01_000_110),                   t(3),            BIT_FLAGS,      "Z says that the bit of the cell at HL is 0"),
            row("BIT",    &[BIT, INDEXED_BITS],                   index_cb(0b11_000_111, 0b01_000_110),             t(5),            BIT_FLAGS,      "Z says that the bit of the cell at the index register plus d is 0"),
            row("RES",    &[BIT, SOURCE],                         cb(0b11_000_000, 0b10_000_000),                   t(2),            NONE,           "clears the bit of a register"),
            row("RES",    &[BIT, AT_HL],                          cb(0b11_000_111, 0b10_000_110),                   t(5),            NONE,           "clears the bit of the cell at HL"),
            row("RES",    &[BIT, INDEXED_BITS],                   index_cb(0b11_000_111, 0b10_000_110),             t(7),            NONE,           "clears the bit of the cell at the index register plus d"),
            row("SET",    &[BIT, SOURCE],                         cb(0b11_000_000, 0b11_000_000),                   t(2),            NONE,           "sets the bit of a register"),
            row("SET",    &[BIT, AT_HL],                          cb(0b11_000_111, 0b11_000_110),                   t(5),            NONE,           "sets the bit of the cell at HL"),
            row("SET",    &[BIT, INDEXED_BITS],                   index_cb(0b11_000_111, 0b11_000_110),             t(7),            NONE,           "sets the bit of the cell at the index register plus d"),
            // Branches
            flow(Flow::Jump, row("JP",     &[TARGET],                              one(0xFF, 0xC3),                                  t(4),            NONE,           "goes to the label")),
            flow(Flow::Branch, row("JP",     &[CONDITION, TARGET],                   one(0b11_000_111, 0b11_000_010),                  branch(3, 4),    NONE,           "goes to the label if the condition holds")),
            flow(Flow::Indirect, row("JP",     &[AT_HL],                               one(0xFF, 0xE9),                                  t(3),            NONE,           "goes to the address in HL")),
            flow(Flow::Indirect, row("JP",     &[AT_INDEX],                            index(0xFF, 0xE9),                                t(4),            NONE,           "goes to the address in an index register")),
            flow(Flow::Jump, row("JR",     &[RELATIVE],                            one(0xFF, 0x18),                                  t(3),            NONE,           "goes to the near label")),
            flow(Flow::Branch, row("JR",     &[NEAR_CONDITION, RELATIVE],            one(0b111_00_111, 0b001_00_000),                  branch(2, 3),    NONE,           "goes to the near label if the condition holds")),
            flow(Flow::Branch, row("DJNZ",   &[RELATIVE],                            one(0xFF, 0x10),                                  branch(2, 4),    NONE,           "subtracts 1 from B and goes to the near label if B is not 0")),
            flow(Flow::Call, row("CALL",   &[TARGET],                              one(0xFF, 0xCD),                                  w(5),            NONE,           "calls the subroutine at the label")),
            flow(Flow::CallIf, row("CALL",   &[CONDITION, TARGET],                   one(0b11_000_111, 0b11_000_100),                  branch_w(3, 6),  NONE,           "calls the subroutine if the condition holds")),
            flow(Flow::Return, row("RET",    &[],                                    one(0xFF, 0xC9),                                  w(5),            NONE,           "returns from the subroutine")),
            flow(Flow::ReturnIf, row("RET",    &[CONDITION],                           one(0b11_000_111, 0b11_000_000),                  branch_w(2, 6),  NONE,           "returns if the condition holds")),
            flow(Flow::Return, row("RETI",   &[],                                    ed(0xFF, 0x4D),                                   w(6),            NONE,           "returns from an interrupt; the chip that asked for it sees that")),
            flow(Flow::Return, row("RETN",   &[],                                    ed(0xFF, 0x45),                                   w(6),            NONE,           "returns from a non-maskable interrupt; interrupts are as they were")),
            flow(Flow::Restart(1), row("RST",    &[VECTOR],                              one(0b11_000_111, 0b11_000_111),                  w(5),            NONE,           "calls the subroutine at p")),
            // Ports
            row("IN",     &[A, AT_PORT],                          one(0xFF, 0xDB),                                  t(3),            NONE,           "reads a port into A; A is the high byte of its address"),
            row("IN",     &[DESTINATION, AT_BC],                  ed(0b11_000_111, 0b01_000_000),                   t(3),            IN_FLAGS,       "reads the port at the address in BC into a register"),
            written(row("IN",     &[DESTINATION, AT_C],                   ed(0b11_000_111, 0b01_000_000),                   t(3),            IN_FLAGS,       "reads the port at the address in BC into a register")),
            row("IN0",    &[DESTINATION, AT_PORT],                ed(0b11_000_111, 0b00_000_000),                   t(4),            IN_FLAGS,       "reads a port from 0000h to 00FFh into a register"),
            row("OUT",    &[AT_PORT, A],                          one(0xFF, 0xD3),                                  t(3),            NONE,           "writes A to a port; A is the high byte of its address"),
            row("OUT",    &[AT_BC, DESTINATION],                  ed(0b11_000_111, 0b01_000_001),                   t(3),            NONE,           "writes a register to the port at the address in BC"),
            written(row("OUT",    &[AT_C, DESTINATION],                   ed(0b11_000_111, 0b01_000_001),                   t(3),            NONE,           "writes a register to the port at the address in BC")),
            row("OUT0",   &[AT_PORT, DESTINATION],                ed(0b11_000_111, 0b00_000_001),                   t(4),            NONE,           "writes a register to a port from 0000h to 00FFh"),
            row("INI",    &[],                                    ed(0xFF, 0xA2),                                   t(5),            BLOCK_PORT,     "reads the port in BC into the cell at HL, adds 1 to HL and subtracts 1 from B"),
            row("IND",    &[],                                    ed(0xFF, 0xAA),                                   t(5),            BLOCK_PORT,     "reads the port in BC into the cell at HL, subtracts 1 from HL and from B"),
            flow(Flow::Repeat, row("INIR",   &[],                                    ed(0xFF, 0xB2),                                   branch(5, 3),    BLOCK_PORT,     "reads the port in BC into the cell at HL, adds 1 to HL, subtracts 1 from B and repeats if B is not 0")),
            flow(Flow::Repeat, row("INDR",   &[],                                    ed(0xFF, 0xBA),                                   branch(5, 3),    BLOCK_PORT,     "reads the port in BC into the cell at HL, subtracts 1 from HL, subtracts 1 from B and repeats if B is not 0")),
            row("INIM",   &[],                                    ed(0xFF, 0x82),                                   t(5),            BLOCK_PORT,     "reads the port 00xxh in C into the cell at HL, adds 1 to HL and C and subtracts 1 from B"),
            row("INDM",   &[],                                    ed(0xFF, 0x8A),                                   t(5),            BLOCK_PORT,     "reads the port 00xxh in C into the cell at HL and subtracts 1 from HL, C and B"),
            flow(Flow::Repeat, row("INIMR",  &[],                                    ed(0xFF, 0x92),                                   branch(5, 3),    BLOCK_PORT,     "reads the port 00xxh in C into the cell at HL, adds 1 to HL and C, subtracts 1 from B and repeats if B is not 0")),
            flow(Flow::Repeat, row("INDMR",  &[],                                    ed(0xFF, 0x9A),                                   branch(5, 3),    BLOCK_PORT,     "reads the port 00xxh in C into the cell at HL, subtracts 1 from HL and C, subtracts 1 from B and repeats if B is not 0")),
            row("INI2",   &[],                                    ed(0xFF, 0x84),                                   t(5),            BLOCK_PORT,     "reads the port in BC into the cell at HL, adds 1 to HL and C and subtracts 1 from B"),
            row("IND2",   &[],                                    ed(0xFF, 0x8C),                                   t(5),            BLOCK_PORT,     "reads the port in BC into the cell at HL and subtracts 1 from HL, C and B"),
            flow(Flow::Repeat, row("INI2R",  &[],                                    ed(0xFF, 0x94),                                   branch(5, 3),    BLOCK_PORT,     "reads the port in DE into the cell at HL, adds 1 to HL and DE, subtracts 1 from BC and repeats if BC is not 0")),
            flow(Flow::Repeat, row("IND2R",  &[],                                    ed(0xFF, 0x9C),                                   branch(5, 3),    BLOCK_PORT,     "reads the port in DE into the cell at HL, subtracts 1 from HL and DE, subtracts 1 from BC and repeats if BC is not 0")),
            flow(Flow::Repeat, row("INIRX",  &[],                                    ed(0xFF, 0xC2),                                   branch(5, 3),    BLOCK_PORT,     "reads the port in DE into the cell at HL, adds 1 to HL, subtracts 1 from BC and repeats if BC is not 0")),
            flow(Flow::Repeat, row("INDRX",  &[],                                    ed(0xFF, 0xCA),                                   branch(5, 3),    BLOCK_PORT,     "reads the port in DE into the cell at HL, subtracts 1 from HL, subtracts 1 from BC and repeats if BC is not 0")),
            row("OUTI",   &[],                                    ed(0xFF, 0xA3),                                   t(5),            BLOCK_PORT,     "writes the cell at HL to the port in BC, adds 1 to HL and subtracts 1 from B"),
            row("OUTD",   &[],                                    ed(0xFF, 0xAB),                                   t(5),            BLOCK_PORT,     "writes the cell at HL to the port in BC, subtracts 1 from HL and from B"),
            flow(Flow::Repeat, row("OTIR",   &[],                                    ed(0xFF, 0xB3),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port in BC, adds 1 to HL, subtracts 1 from B and repeats if B is not 0")),
            flow(Flow::Repeat, row("OTDR",   &[],                                    ed(0xFF, 0xBB),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port in BC, subtracts 1 from HL, subtracts 1 from B and repeats if B is not 0")),
            row("OTIM",   &[],                                    ed(0xFF, 0x83),                                   t(5),            BLOCK_PORT,     "writes the cell at HL to the port 00xxh in C, adds 1 to HL and C and subtracts 1 from B"),
            row("OTDM",   &[],                                    ed(0xFF, 0x8B),                                   t(5),            BLOCK_PORT,     "writes the cell at HL to the port 00xxh in C and subtracts 1 from HL, C and B"),
            flow(Flow::Repeat, row("OTIMR",  &[],                                    ed(0xFF, 0x93),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port 00xxh in C, adds 1 to HL and C, subtracts 1 from B and repeats if B is not 0")),
            flow(Flow::Repeat, row("OTDMR",  &[],                                    ed(0xFF, 0x9B),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port 00xxh in C, subtracts 1 from HL and C, subtracts 1 from B and repeats if B is not 0")),
            row("OUTI2",  &[],                                    ed(0xFF, 0xA4),                                   t(5),            BLOCK_PORT,     "writes the cell at HL to the port in BC, adds 1 to HL and C and subtracts 1 from B"),
            row("OUTD2",  &[],                                    ed(0xFF, 0xAC),                                   t(5),            BLOCK_PORT,     "writes the cell at HL to the port in BC and subtracts 1 from HL, C and B"),
            flow(Flow::Repeat, row("OTI2R",  &[],                                    ed(0xFF, 0xB4),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port in DE, adds 1 to HL and DE, subtracts 1 from BC and repeats if BC is not 0")),
            flow(Flow::Repeat, row("OTD2R",  &[],                                    ed(0xFF, 0xBC),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port in DE, subtracts 1 from HL and DE, subtracts 1 from BC and repeats if BC is not 0")),
            flow(Flow::Repeat, row("OTIRX",  &[],                                    ed(0xFF, 0xC3),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port in DE, adds 1 to HL, subtracts 1 from BC and repeats if BC is not 0")),
            flow(Flow::Repeat, row("OTDRX",  &[],                                    ed(0xFF, 0xCB),                                   branch(5, 3),    BLOCK_PORT,     "writes the cell at HL to the port in DE, subtracts 1 from HL, subtracts 1 from BC and repeats if BC is not 0")),
            // Control
            row("NOP",    &[],                                    one(0xFF, 0x00),                                  t(1),            NONE,           "does nothing"),
            flow(Flow::Halt, row("HALT",   &[],                                    one(0xFF, 0x76),                                  t(1),            NONE,           "stops until an interrupt")),
            flow(Flow::Halt, row("SLP",    &[],                                    ed(0xFF, 0x76),                                   t(2),            NONE,           "stops, and the clock with it, until an interrupt")),
            row("DI",     &[],                                    one(0xFF, 0xF3),                                  t(1),            NONE,           "forbids interrupts"),
            flow(Flow::Enable, row("EI",     &[],                                    one(0xFF, 0xFB),                                  t(1),            NONE,           "allows interrupts after the next instruction")),
            row("IM",     &[MODE],                                ed(0b111_00_111, 0b010_00_110),                   t(2),            NONE,           "chooses what an interrupt does: 0 runs what the chip sends, 1 calls 0038h, 2 calls through the table at I"),
            row("STMIX",  &[],                                    ed(0xFF, 0x7D),                                   t(2),            NONE,           "lets every interrupt be served in ADL mode, with a mark of the mode it came from"),
            row("RSMIX",  &[],                                    ed(0xFF, 0x7E),                                   t(2),            NONE,           "lets interrupts be served in the mode of the program"),
            // Longer codes of what has a shorter one
            found(row("LD",     &[HL, AT_ADDRESS],                      ed(0xFF, 0x6B),                                   w(6),            NONE,           "loads HL from the address, the low byte first")),
            found(row("LD",     &[AT_ADDRESS, HL],                      ed(0xFF, 0x63),                                   w(6),            NONE,           "stores HL at the address, the low byte first")),
        ]
    };
}

/// Words in instructions are of 16 bits.
pub mod short {
    use super::*;

    const DATA: Shape = Shape::DATA16;
    const TARGET: Shape = Shape::TARGET;
    const AT_ADDRESS: Shape = Shape::Within(&within(Shape::ADDRESS, "(addr)"));

    /// The rows of Z80 mode.
    #[allow(clippy::unusual_byte_groupings)]
    pub const ROWS: &[Row] = rows!();
}

/// Words in instructions are of 24 bits.
pub mod long {
    use super::*;

    const DATA: Shape = Shape::DATA24;
    const TARGET: Shape = Shape::TARGET24;
    const AT_ADDRESS: Shape = Shape::Within(&within(Shape::ADDRESS24, "(addr)"));

    /// The rows of ADL mode.
    #[allow(clippy::unusual_byte_groupings)]
    pub const ROWS: &[Row] = rows!();
}
