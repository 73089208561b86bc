//! The one table of the 6502 and 65C02.
//!
//! Encodings, cycles and flags: MOS Technology, *MCS6500 Microcomputer Family Programming Manual* (appendix B, summary of
//! the instruction set); Western Design Center, *W65C02S data sheet* (tables of op codes, addressing modes and cycles),
//! which also names the bit instructions that Rockwell added (Rockwell, *R65C02 data sheet*). The maker has published
//! nothing about the undocumented NMOS instructions; what stands here is what the parts do, by the names in common use.

use crate::processor::{Flow, Row, Shape, Timing, Usage, Within};

/// Model bits, one for each processor of the family.
pub(crate) const M6502: u8 = 1;
/// The CMOS part.
pub(crate) const M65C02: u8 = 2;
/// The NMOS part with its undocumented instructions.
pub(crate) const M6502U: u8 = 4;

const ALL: u8 = M6502 | M65C02 | M6502U;

const A: Shape = Shape::Fixed("A");
const X: Shape = Shape::Fixed("X");
const Y: Shape = Shape::Fixed("Y");
const ZERO_PAGE: Shape = Shape::ZERO_PAGE;
const ADDRESS: Shape = Shape::ADDRESS;

const IMMEDIATE: Shape =
    Shape::Within(&Within { open: "#", inner: Shape::DATA8, close: "", place: "#data8" });
const POINTER: Shape = Shape::Within(&Within { open: "(", inner: ZERO_PAGE, close: ")", place: "(zp)" });
const POINTER_X: Shape =
    Shape::Within(&Within { open: "(", inner: ZERO_PAGE, close: ", X)", place: "(zp, X)" });
const INDIRECT: Shape = Shape::Within(&Within { open: "(", inner: ADDRESS, close: ")", place: "(addr)" });
const INDIRECT_X: Shape =
    Shape::Within(&Within { open: "(", inner: ADDRESS, close: ", X)", place: "(addr, X)" });

/// The same number of cycles on both parts.
const fn t(cycles: u8) -> [Timing; 2] {
    parts(cycles, cycles)
}

/// Cycles on the NMOS and on the CMOS part.
const fn parts(nmos: u8, cmos: u8) -> [Timing; 2] {
    [Timing::always(nmos), Timing::always(cmos)]
}

/// One more where indexing crosses a page.
const fn p(cycles: u8) -> [Timing; 2] {
    [Timing::always(cycles).paged(), Timing::always(cycles).paged()]
}

/// One more in decimal mode on the CMOS part.
const fn d(cycles: u8) -> [Timing; 2] {
    [Timing::always(cycles), Timing::always(cycles).decimal()]
}

/// Both.
const fn pd(cycles: u8) -> [Timing; 2] {
    [Timing::always(cycles).paged(), Timing::always(cycles).paged().decimal()]
}

/// Shifts of an indexed cell: the CMOS part needs the seventh cycle only where a page is crossed.
const fn shift_x() -> [Timing; 2] {
    [Timing::always(7), Timing::always(6).paged()]
}

/// A branch: one more where it is taken, and another where it leads into another page.
const fn branch(cycles: u8) -> [Timing; 2] {
    let timing = Timing { base: cycles, taken: cycles + 1, ..Timing::always(cycles) }.paged();
    [timing, timing]
}

/// A branch that is always taken.
const fn always(cycles: u8) -> [Timing; 2] {
    p(cycles)
}

const fn row(
    mnemonic: &'static str,
    operands: &'static [Shape],
    opcode: u64,
    timing: [Timing; 2],
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    Row {
        mnemonic,
        operands,
        opcode_cells: 1,
        mask: 0xFF,
        value: opcode,
        timing,
        flags: [flags, flags],
        models: ALL,
        usage: Usage::Whole,
        flow: Flow::On,
        meaning,
    }
}

/// BRK ends decimal mode on the CMOS part only.
const fn brk(operands: &'static [Shape]) -> Row {
    let row =
        row("BRK", operands, 0x00, t(7), NONE, "interrupts; returning leads past the byte that follows");
    Row { flags: ["---1--", "--01--"], ..row }
}

const fn cmos(row: Row) -> Row {
    Row { models: M65C02, ..row }
}

const fn undocumented(row: Row) -> Row {
    Row { models: M6502U, ..row }
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

// In the order N V D I Z C.
const NONE: &str = "------";
const NZ: &str = "*---*-";
const SUM: &str = "**--**";
const COMPARED: &str = "*---**";
const SHIFTED: &str = "*---**";
const RIGHT: &str = "0---**";
const TESTED: &str = "**--*-";
const ZERO: &str = "----*-";
const PULLED: &str = "******";

/// Every row of the family; the rows of a mnemonic stand together.
#[rustfmt::skip]
pub const ROWS: &[Row] = &[
    // Loads, stores and transfers
    row("LDA", &[IMMEDIATE], 0xA9, t(2), NZ, "loads A with the number"),
    row("LDA", &[ZERO_PAGE], 0xA5, t(3), NZ, "loads A with the zero-page cell"),
    row("LDA", &[ZERO_PAGE, X], 0xB5, t(4), NZ, "loads A with the zero-page cell X further"),
    row("LDA", &[ADDRESS], 0xAD, t(4), NZ, "loads A with the cell"),
    row("LDA", &[ADDRESS, X], 0xBD, p(4), NZ, "loads A with the cell X further"),
    row("LDA", &[ADDRESS, Y], 0xB9, p(4), NZ, "loads A with the cell Y further"),
    row("LDA", &[POINTER_X], 0xA1, t(6), NZ, "loads A with the cell that the zero-page pointer X further names"),
    row("LDA", &[POINTER, Y], 0xB1, p(5), NZ, "loads A with the cell Y further than the zero-page pointer says"),
    cmos(row("LDA", &[POINTER], 0xB2, t(5), NZ, "loads A with the cell that the zero-page pointer names")),
    row("LDX", &[IMMEDIATE], 0xA2, t(2), NZ, "loads X with the number"),
    row("LDX", &[ZERO_PAGE], 0xA6, t(3), NZ, "loads X with the zero-page cell"),
    row("LDX", &[ZERO_PAGE, Y], 0xB6, t(4), NZ, "loads X with the zero-page cell Y further"),
    row("LDX", &[ADDRESS], 0xAE, t(4), NZ, "loads X with the cell"),
    row("LDX", &[ADDRESS, Y], 0xBE, p(4), NZ, "loads X with the cell Y further"),
    row("LDY", &[IMMEDIATE], 0xA0, t(2), NZ, "loads Y with the number"),
    row("LDY", &[ZERO_PAGE], 0xA4, t(3), NZ, "loads Y with the zero-page cell"),
    row("LDY", &[ZERO_PAGE, X], 0xB4, t(4), NZ, "loads Y with the zero-page cell X further"),
    row("LDY", &[ADDRESS], 0xAC, t(4), NZ, "loads Y with the cell"),
    row("LDY", &[ADDRESS, X], 0xBC, p(4), NZ, "loads Y with the cell X further"),
    row("STA", &[ZERO_PAGE], 0x85, t(3), NONE, "stores A in the zero-page cell"),
    row("STA", &[ZERO_PAGE, X], 0x95, t(4), NONE, "stores A in the zero-page cell X further"),
    row("STA", &[ADDRESS], 0x8D, t(4), NONE, "stores A in the cell"),
    row("STA", &[ADDRESS, X], 0x9D, t(5), NONE, "stores A in the cell X further"),
    row("STA", &[ADDRESS, Y], 0x99, t(5), NONE, "stores A in the cell Y further"),
    row("STA", &[POINTER_X], 0x81, t(6), NONE, "stores A in the cell that the zero-page pointer X further names"),
    row("STA", &[POINTER, Y], 0x91, t(6), NONE, "stores A in the cell Y further than the zero-page pointer says"),
    cmos(row("STA", &[POINTER], 0x92, t(5), NONE, "stores A in the cell that the zero-page pointer names")),
    row("STX", &[ZERO_PAGE], 0x86, t(3), NONE, "stores X in the zero-page cell"),
    row("STX", &[ZERO_PAGE, Y], 0x96, t(4), NONE, "stores X in the zero-page cell Y further"),
    row("STX", &[ADDRESS], 0x8E, t(4), NONE, "stores X in the cell"),
    row("STY", &[ZERO_PAGE], 0x84, t(3), NONE, "stores Y in the zero-page cell"),
    row("STY", &[ZERO_PAGE, X], 0x94, t(4), NONE, "stores Y in the zero-page cell X further"),
    row("STY", &[ADDRESS], 0x8C, t(4), NONE, "stores Y in the cell"),
    cmos(row("STZ", &[ZERO_PAGE], 0x64, t(3), NONE, "stores 0 in the zero-page cell")),
    cmos(row("STZ", &[ZERO_PAGE, X], 0x74, t(4), NONE, "stores 0 in the zero-page cell X further")),
    cmos(row("STZ", &[ADDRESS], 0x9C, t(4), NONE, "stores 0 in the cell")),
    cmos(row("STZ", &[ADDRESS, X], 0x9E, t(5), NONE, "stores 0 in the cell X further")),
    row("TAX", &[], 0xAA, t(2), NZ, "copies A into X"),
    row("TAY", &[], 0xA8, t(2), NZ, "copies A into Y"),
    row("TXA", &[], 0x8A, t(2), NZ, "copies X into A"),
    row("TYA", &[], 0x98, t(2), NZ, "copies Y into A"),
    row("TSX", &[], 0xBA, t(2), NZ, "copies the stack pointer into X"),
    row("TXS", &[], 0x9A, t(2), NONE, "copies X into the stack pointer"),
    // Stack
    row("PHA", &[], 0x48, t(3), NONE, "pushes A"),
    row("PHP", &[], 0x08, t(3), NONE, "pushes the flags, B set"),
    cmos(row("PHX", &[], 0xDA, t(3), NONE, "pushes X")),
    cmos(row("PHY", &[], 0x5A, t(3), NONE, "pushes Y")),
    row("PLA", &[], 0x68, t(4), NZ, "pulls A"),
    row("PLP", &[], 0x28, t(4), PULLED, "pulls the flags"),
    cmos(row("PLX", &[], 0xFA, t(4), NZ, "pulls X")),
    cmos(row("PLY", &[], 0x7A, t(4), NZ, "pulls Y")),
    // Arithmetic and logic
    row("ADC", &[IMMEDIATE], 0x69, d(2), SUM, "adds the number and the carry to A"),
    row("ADC", &[ZERO_PAGE], 0x65, d(3), SUM, "adds the zero-page cell and the carry to A"),
    row("ADC", &[ZERO_PAGE, X], 0x75, d(4), SUM, "adds the zero-page cell X further and the carry to A"),
    row("ADC", &[ADDRESS], 0x6D, d(4), SUM, "adds the cell and the carry to A"),
    row("ADC", &[ADDRESS, X], 0x7D, pd(4), SUM, "adds the cell X further and the carry to A"),
    row("ADC", &[ADDRESS, Y], 0x79, pd(4), SUM, "adds the cell Y further and the carry to A"),
    row("ADC", &[POINTER_X], 0x61, d(6), SUM, "adds the cell that the zero-page pointer X further names and the carry to A"),
    row("ADC", &[POINTER, Y], 0x71, pd(5), SUM, "adds the cell Y further than the zero-page pointer says and the carry to A"),
    cmos(row("ADC", &[POINTER], 0x72, d(5), SUM, "adds the cell that the zero-page pointer names and the carry to A")),
    row("SBC", &[IMMEDIATE], 0xE9, d(2), SUM, "subtracts the number and the borrow from A"),
    row("SBC", &[ZERO_PAGE], 0xE5, d(3), SUM, "subtracts the zero-page cell and the borrow from A"),
    row("SBC", &[ZERO_PAGE, X], 0xF5, d(4), SUM, "subtracts the zero-page cell X further and the borrow from A"),
    row("SBC", &[ADDRESS], 0xED, d(4), SUM, "subtracts the cell and the borrow from A"),
    row("SBC", &[ADDRESS, X], 0xFD, pd(4), SUM, "subtracts the cell X further and the borrow from A"),
    row("SBC", &[ADDRESS, Y], 0xF9, pd(4), SUM, "subtracts the cell Y further and the borrow from A"),
    row("SBC", &[POINTER_X], 0xE1, d(6), SUM, "subtracts the cell that the zero-page pointer X further names and the borrow from A"),
    row("SBC", &[POINTER, Y], 0xF1, pd(5), SUM, "subtracts the cell Y further than the zero-page pointer says and the borrow from A"),
    cmos(row("SBC", &[POINTER], 0xF2, d(5), SUM, "subtracts the cell that the zero-page pointer names and the borrow from A")),
    row("AND", &[IMMEDIATE], 0x29, t(2), NZ, "keeps the bits of A that are also set in the number"),
    row("AND", &[ZERO_PAGE], 0x25, t(3), NZ, "keeps the bits of A that are also set in the zero-page cell"),
    row("AND", &[ZERO_PAGE, X], 0x35, t(4), NZ, "keeps the bits of A that are also set in the zero-page cell X further"),
    row("AND", &[ADDRESS], 0x2D, t(4), NZ, "keeps the bits of A that are also set in the cell"),
    row("AND", &[ADDRESS, X], 0x3D, p(4), NZ, "keeps the bits of A that are also set in the cell X further"),
    row("AND", &[ADDRESS, Y], 0x39, p(4), NZ, "keeps the bits of A that are also set in the cell Y further"),
    row("AND", &[POINTER_X], 0x21, t(6), NZ, "keeps the bits of A that are also set in the cell that the zero-page pointer X further names"),
    row("AND", &[POINTER, Y], 0x31, p(5), NZ, "keeps the bits of A that are also set in the cell Y further than the zero-page pointer says"),
    cmos(row("AND", &[POINTER], 0x32, t(5), NZ, "keeps the bits of A that are also set in the cell that the zero-page pointer names")),
    row("ORA", &[IMMEDIATE], 0x09, t(2), NZ, "sets the bits of A that are set in the number"),
    row("ORA", &[ZERO_PAGE], 0x05, t(3), NZ, "sets the bits of A that are set in the zero-page cell"),
    row("ORA", &[ZERO_PAGE, X], 0x15, t(4), NZ, "sets the bits of A that are set in the zero-page cell X further"),
    row("ORA", &[ADDRESS], 0x0D, t(4), NZ, "sets the bits of A that are set in the cell"),
    row("ORA", &[ADDRESS, X], 0x1D, p(4), NZ, "sets the bits of A that are set in the cell X further"),
    row("ORA", &[ADDRESS, Y], 0x19, p(4), NZ, "sets the bits of A that are set in the cell Y further"),
    row("ORA", &[POINTER_X], 0x01, t(6), NZ, "sets the bits of A that are set in the cell that the zero-page pointer X further names"),
    row("ORA", &[POINTER, Y], 0x11, p(5), NZ, "sets the bits of A that are set in the cell Y further than the zero-page pointer says"),
    cmos(row("ORA", &[POINTER], 0x12, t(5), NZ, "sets the bits of A that are set in the cell that the zero-page pointer names")),
    row("EOR", &[IMMEDIATE], 0x49, t(2), NZ, "inverts the bits of A that are set in the number"),
    row("EOR", &[ZERO_PAGE], 0x45, t(3), NZ, "inverts the bits of A that are set in the zero-page cell"),
    row("EOR", &[ZERO_PAGE, X], 0x55, t(4), NZ, "inverts the bits of A that are set in the zero-page cell X further"),
    row("EOR", &[ADDRESS], 0x4D, t(4), NZ, "inverts the bits of A that are set in the cell"),
    row("EOR", &[ADDRESS, X], 0x5D, p(4), NZ, "inverts the bits of A that are set in the cell X further"),
    row("EOR", &[ADDRESS, Y], 0x59, p(4), NZ, "inverts the bits of A that are set in the cell Y further"),
    row("EOR", &[POINTER_X], 0x41, t(6), NZ, "inverts the bits of A that are set in the cell that the zero-page pointer X further names"),
    row("EOR", &[POINTER, Y], 0x51, p(5), NZ, "inverts the bits of A that are set in the cell Y further than the zero-page pointer says"),
    cmos(row("EOR", &[POINTER], 0x52, t(5), NZ, "inverts the bits of A that are set in the cell that the zero-page pointer names")),
    row("CMP", &[IMMEDIATE], 0xC9, t(2), COMPARED, "compares A with the number: Z if equal, C if A is not smaller"),
    row("CMP", &[ZERO_PAGE], 0xC5, t(3), COMPARED, "compares A with the zero-page cell: Z if equal, C if A is not smaller"),
    row("CMP", &[ZERO_PAGE, X], 0xD5, t(4), COMPARED, "compares A with the zero-page cell X further: Z if equal, C if A is not smaller"),
    row("CMP", &[ADDRESS], 0xCD, t(4), COMPARED, "compares A with the cell: Z if equal, C if A is not smaller"),
    row("CMP", &[ADDRESS, X], 0xDD, p(4), COMPARED, "compares A with the cell X further: Z if equal, C if A is not smaller"),
    row("CMP", &[ADDRESS, Y], 0xD9, p(4), COMPARED, "compares A with the cell Y further: Z if equal, C if A is not smaller"),
    row("CMP", &[POINTER_X], 0xC1, t(6), COMPARED, "compares A with the cell that the zero-page pointer X further names: Z if equal, C if A is not smaller"),
    row("CMP", &[POINTER, Y], 0xD1, p(5), COMPARED, "compares A with the cell Y further than the zero-page pointer says: Z if equal, C if A is not smaller"),
    cmos(row("CMP", &[POINTER], 0xD2, t(5), COMPARED, "compares A with the cell that the zero-page pointer names: Z if equal, C if A is not smaller")),
    row("CPX", &[IMMEDIATE], 0xE0, t(2), COMPARED, "compares X with the number: Z if equal, C if X is not smaller"),
    row("CPX", &[ZERO_PAGE], 0xE4, t(3), COMPARED, "compares X with the zero-page cell: Z if equal, C if X is not smaller"),
    row("CPX", &[ADDRESS], 0xEC, t(4), COMPARED, "compares X with the cell: Z if equal, C if X is not smaller"),
    row("CPY", &[IMMEDIATE], 0xC0, t(2), COMPARED, "compares Y with the number: Z if equal, C if Y is not smaller"),
    row("CPY", &[ZERO_PAGE], 0xC4, t(3), COMPARED, "compares Y with the zero-page cell: Z if equal, C if Y is not smaller"),
    row("CPY", &[ADDRESS], 0xCC, t(4), COMPARED, "compares Y with the cell: Z if equal, C if Y is not smaller"),
    row("BIT", &[ZERO_PAGE], 0x24, t(3), TESTED, "looks at bits 7 and 6 of the zero-page cell, and whether any bit is set in A, too"),
    row("BIT", &[ADDRESS], 0x2C, t(4), TESTED, "looks at bits 7 and 6 of the cell, and whether any bit is set in A, too"),
    cmos(row("BIT", &[IMMEDIATE], 0x89, t(2), ZERO, "looks whether any bit of the number is set in A, too")),
    cmos(row("BIT", &[ZERO_PAGE, X], 0x34, t(4), TESTED, "looks at bits 7 and 6 of the zero-page cell X further, and whether any bit is set in A, too")),
    cmos(row("BIT", &[ADDRESS, X], 0x3C, p(4), TESTED, "looks at bits 7 and 6 of the cell X further, and whether any bit is set in A, too")),
    cmos(row("TRB", &[ZERO_PAGE], 0x14, t(5), ZERO, "clears the bits in the zero-page cell that are set in A; Z if none was")),
    cmos(row("TRB", &[ADDRESS], 0x1C, t(6), ZERO, "clears the bits in the cell that are set in A; Z if none was")),
    cmos(row("TSB", &[ZERO_PAGE], 0x04, t(5), ZERO, "sets the bits in the zero-page cell that are set in A; Z if none was")),
    cmos(row("TSB", &[ADDRESS], 0x0C, t(6), ZERO, "sets the bits in the cell that are set in A; Z if none was")),
    row("INC", &[ZERO_PAGE], 0xE6, t(5), NZ, "adds 1 to the zero-page cell"),
    row("INC", &[ZERO_PAGE, X], 0xF6, t(6), NZ, "adds 1 to the zero-page cell X further"),
    row("INC", &[ADDRESS], 0xEE, t(6), NZ, "adds 1 to the cell"),
    row("INC", &[ADDRESS, X], 0xFE, t(7), NZ, "adds 1 to the cell X further"),
    cmos(row("INC", &[A], 0x1A, t(2), NZ, "adds 1 to A")),
    row("DEC", &[ZERO_PAGE], 0xC6, t(5), NZ, "subtracts 1 from the zero-page cell"),
    row("DEC", &[ZERO_PAGE, X], 0xD6, t(6), NZ, "subtracts 1 from the zero-page cell X further"),
    row("DEC", &[ADDRESS], 0xCE, t(6), NZ, "subtracts 1 from the cell"),
    row("DEC", &[ADDRESS, X], 0xDE, t(7), NZ, "subtracts 1 from the cell X further"),
    cmos(row("DEC", &[A], 0x3A, t(2), NZ, "subtracts 1 from A")),
    row("INX", &[], 0xE8, t(2), NZ, "adds 1 to X"),
    row("INY", &[], 0xC8, t(2), NZ, "adds 1 to Y"),
    row("DEX", &[], 0xCA, t(2), NZ, "subtracts 1 from X"),
    row("DEY", &[], 0x88, t(2), NZ, "subtracts 1 from Y"),
    row("ASL", &[A], 0x0A, t(2), SHIFTED, "shifts A left; bit 7 goes to the carry, 0 comes in"),
    row("ASL", &[ZERO_PAGE], 0x06, t(5), SHIFTED, "shifts the zero-page cell left; bit 7 goes to the carry, 0 comes in"),
    row("ASL", &[ZERO_PAGE, X], 0x16, t(6), SHIFTED, "shifts the zero-page cell X further left; bit 7 goes to the carry, 0 comes in"),
    row("ASL", &[ADDRESS], 0x0E, t(6), SHIFTED, "shifts the cell left; bit 7 goes to the carry, 0 comes in"),
    row("ASL", &[ADDRESS, X], 0x1E, shift_x(), SHIFTED, "shifts the cell X further left; bit 7 goes to the carry, 0 comes in"),
    row("LSR", &[A], 0x4A, t(2), RIGHT, "shifts A right; bit 0 goes to the carry, 0 comes in"),
    row("LSR", &[ZERO_PAGE], 0x46, t(5), RIGHT, "shifts the zero-page cell right; bit 0 goes to the carry, 0 comes in"),
    row("LSR", &[ZERO_PAGE, X], 0x56, t(6), RIGHT, "shifts the zero-page cell X further right; bit 0 goes to the carry, 0 comes in"),
    row("LSR", &[ADDRESS], 0x4E, t(6), RIGHT, "shifts the cell right; bit 0 goes to the carry, 0 comes in"),
    row("LSR", &[ADDRESS, X], 0x5E, shift_x(), RIGHT, "shifts the cell X further right; bit 0 goes to the carry, 0 comes in"),
    row("ROL", &[A], 0x2A, t(2), SHIFTED, "rotates A left through the carry"),
    row("ROL", &[ZERO_PAGE], 0x26, t(5), SHIFTED, "rotates the zero-page cell left through the carry"),
    row("ROL", &[ZERO_PAGE, X], 0x36, t(6), SHIFTED, "rotates the zero-page cell X further left through the carry"),
    row("ROL", &[ADDRESS], 0x2E, t(6), SHIFTED, "rotates the cell left through the carry"),
    row("ROL", &[ADDRESS, X], 0x3E, shift_x(), SHIFTED, "rotates the cell X further left through the carry"),
    row("ROR", &[A], 0x6A, t(2), SHIFTED, "rotates A right through the carry"),
    row("ROR", &[ZERO_PAGE], 0x66, t(5), SHIFTED, "rotates the zero-page cell right through the carry"),
    row("ROR", &[ZERO_PAGE, X], 0x76, t(6), SHIFTED, "rotates the zero-page cell X further right through the carry"),
    row("ROR", &[ADDRESS], 0x6E, t(6), SHIFTED, "rotates the cell right through the carry"),
    row("ROR", &[ADDRESS, X], 0x7E, shift_x(), SHIFTED, "rotates the cell X further right through the carry"),
    // Bits of a zero-page cell
    cmos(row("RMB0", &[ZERO_PAGE], 0x07, t(5), NONE, "clears bit 0 of the zero-page cell")),
    cmos(row("RMB1", &[ZERO_PAGE], 0x17, t(5), NONE, "clears bit 1 of the zero-page cell")),
    cmos(row("RMB2", &[ZERO_PAGE], 0x27, t(5), NONE, "clears bit 2 of the zero-page cell")),
    cmos(row("RMB3", &[ZERO_PAGE], 0x37, t(5), NONE, "clears bit 3 of the zero-page cell")),
    cmos(row("RMB4", &[ZERO_PAGE], 0x47, t(5), NONE, "clears bit 4 of the zero-page cell")),
    cmos(row("RMB5", &[ZERO_PAGE], 0x57, t(5), NONE, "clears bit 5 of the zero-page cell")),
    cmos(row("RMB6", &[ZERO_PAGE], 0x67, t(5), NONE, "clears bit 6 of the zero-page cell")),
    cmos(row("RMB7", &[ZERO_PAGE], 0x77, t(5), NONE, "clears bit 7 of the zero-page cell")),
    cmos(row("SMB0", &[ZERO_PAGE], 0x87, t(5), NONE, "sets bit 0 of the zero-page cell")),
    cmos(row("SMB1", &[ZERO_PAGE], 0x97, t(5), NONE, "sets bit 1 of the zero-page cell")),
    cmos(row("SMB2", &[ZERO_PAGE], 0xA7, t(5), NONE, "sets bit 2 of the zero-page cell")),
    cmos(row("SMB3", &[ZERO_PAGE], 0xB7, t(5), NONE, "sets bit 3 of the zero-page cell")),
    cmos(row("SMB4", &[ZERO_PAGE], 0xC7, t(5), NONE, "sets bit 4 of the zero-page cell")),
    cmos(row("SMB5", &[ZERO_PAGE], 0xD7, t(5), NONE, "sets bit 5 of the zero-page cell")),
    cmos(row("SMB6", &[ZERO_PAGE], 0xE7, t(5), NONE, "sets bit 6 of the zero-page cell")),
    cmos(row("SMB7", &[ZERO_PAGE], 0xF7, t(5), NONE, "sets bit 7 of the zero-page cell")),
    // Branches
    flow(Flow::Branch, row("BCC", &[Shape::Relative], 0x90, branch(2), NONE, "goes to the label if there was no carry")),
    flow(Flow::Branch, row("BCS", &[Shape::Relative], 0xB0, branch(2), NONE, "goes to the label if there was a carry")),
    flow(Flow::Branch, row("BEQ", &[Shape::Relative], 0xF0, branch(2), NONE, "goes to the label if the result was zero")),
    flow(Flow::Branch, row("BNE", &[Shape::Relative], 0xD0, branch(2), NONE, "goes to the label if the result was not zero")),
    flow(Flow::Branch, row("BMI", &[Shape::Relative], 0x30, branch(2), NONE, "goes to the label if the result was minus")),
    flow(Flow::Branch, row("BPL", &[Shape::Relative], 0x10, branch(2), NONE, "goes to the label if the result was plus")),
    flow(Flow::Branch, row("BVC", &[Shape::Relative], 0x50, branch(2), NONE, "goes to the label if there was no signed overflow")),
    flow(Flow::Branch, row("BVS", &[Shape::Relative], 0x70, branch(2), NONE, "goes to the label if there was a signed overflow")),
    cmos(flow(Flow::Jump, row("BRA", &[Shape::Relative], 0x80, always(3), NONE, "goes to the label"))),
    cmos(flow(Flow::Branch, row("BBR0", &[ZERO_PAGE, Shape::Relative], 0x0F, branch(5), NONE, "goes to the label if bit 0 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR1", &[ZERO_PAGE, Shape::Relative], 0x1F, branch(5), NONE, "goes to the label if bit 1 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR2", &[ZERO_PAGE, Shape::Relative], 0x2F, branch(5), NONE, "goes to the label if bit 2 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR3", &[ZERO_PAGE, Shape::Relative], 0x3F, branch(5), NONE, "goes to the label if bit 3 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR4", &[ZERO_PAGE, Shape::Relative], 0x4F, branch(5), NONE, "goes to the label if bit 4 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR5", &[ZERO_PAGE, Shape::Relative], 0x5F, branch(5), NONE, "goes to the label if bit 5 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR6", &[ZERO_PAGE, Shape::Relative], 0x6F, branch(5), NONE, "goes to the label if bit 6 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBR7", &[ZERO_PAGE, Shape::Relative], 0x7F, branch(5), NONE, "goes to the label if bit 7 of the zero-page cell is clear"))),
    cmos(flow(Flow::Branch, row("BBS0", &[ZERO_PAGE, Shape::Relative], 0x8F, branch(5), NONE, "goes to the label if bit 0 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS1", &[ZERO_PAGE, Shape::Relative], 0x9F, branch(5), NONE, "goes to the label if bit 1 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS2", &[ZERO_PAGE, Shape::Relative], 0xAF, branch(5), NONE, "goes to the label if bit 2 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS3", &[ZERO_PAGE, Shape::Relative], 0xBF, branch(5), NONE, "goes to the label if bit 3 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS4", &[ZERO_PAGE, Shape::Relative], 0xCF, branch(5), NONE, "goes to the label if bit 4 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS5", &[ZERO_PAGE, Shape::Relative], 0xDF, branch(5), NONE, "goes to the label if bit 5 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS6", &[ZERO_PAGE, Shape::Relative], 0xEF, branch(5), NONE, "goes to the label if bit 6 of the zero-page cell is set"))),
    cmos(flow(Flow::Branch, row("BBS7", &[ZERO_PAGE, Shape::Relative], 0xFF, branch(5), NONE, "goes to the label if bit 7 of the zero-page cell is set"))),
    flow(Flow::Jump, row("JMP", &[Shape::TARGET], 0x4C, t(3), NONE, "goes to the label")),
    flow(Flow::Indirect, row("JMP", &[INDIRECT], 0x6C, parts(5, 6), NONE, "goes where the pointer at the address says")),
    cmos(flow(Flow::Indirect, row("JMP", &[INDIRECT_X], 0x7C, t(6), NONE, "goes where the pointer X further than the address says"))),
    flow(Flow::Call, row("JSR", &[Shape::TARGET], 0x20, t(6), NONE, "calls the subroutine at the label")),
    flow(Flow::Return, row("RTS", &[], 0x60, t(6), NONE, "returns from a subroutine")),
    flow(Flow::Return, row("RTI", &[], 0x40, t(6), PULLED, "returns from an interrupt: pulls the flags and the address")),
    flow(Flow::Break(2), brk(&[])),
    written(flow(Flow::Break(2), brk(&[IMMEDIATE]))),
    // Flags and control
    row("CLC", &[], 0x18, t(2), "-----0", "clears the carry"),
    row("SEC", &[], 0x38, t(2), "-----1", "sets the carry"),
    flow(Flow::Enable, row("CLI", &[], 0x58, t(2), "---0--", "lets interrupt requests through")),
    row("SEI", &[], 0x78, t(2), "---1--", "keeps interrupt requests away"),
    row("CLD", &[], 0xD8, t(2), "--0---", "ends decimal mode"),
    row("SED", &[], 0xF8, t(2), "--1---", "begins decimal mode"),
    row("CLV", &[], 0xB8, t(2), "-0----", "clears the overflow"),
    cmos(row("WAI", &[], 0xCB, t(3), NONE, "waits for an interrupt")),
    cmos(flow(Flow::Halt, row("STP", &[], 0xDB, t(3), NONE, "stops the clock until a reset"))),
    row("NOP", &[], 0xEA, t(2), NONE, "does nothing"),
    undocumented(row("NOP", &[IMMEDIATE], 0x80, t(2), NONE, "does nothing")),
    undocumented(row("NOP", &[ZERO_PAGE], 0x04, t(3), NONE, "does nothing")),
    undocumented(row("NOP", &[ZERO_PAGE, X], 0x14, t(4), NONE, "does nothing")),
    undocumented(row("NOP", &[ADDRESS], 0x0C, t(4), NONE, "does nothing")),
    undocumented(row("NOP", &[ADDRESS, X], 0x1C, p(4), NONE, "does nothing")),
    // Undocumented on the NMOS part
    undocumented(row("LAX", &[ZERO_PAGE], 0xA7, t(3), NZ, "loads A and X with the zero-page cell")),
    undocumented(row("LAX", &[ZERO_PAGE, Y], 0xB7, t(4), NZ, "loads A and X with the zero-page cell Y further")),
    undocumented(row("LAX", &[ADDRESS], 0xAF, t(4), NZ, "loads A and X with the cell")),
    undocumented(row("LAX", &[ADDRESS, Y], 0xBF, p(4), NZ, "loads A and X with the cell Y further")),
    undocumented(row("LAX", &[POINTER_X], 0xA3, t(6), NZ, "loads A and X with the cell that the zero-page pointer X further names")),
    undocumented(row("LAX", &[POINTER, Y], 0xB3, p(5), NZ, "loads A and X with the cell Y further than the zero-page pointer says")),
    undocumented(row("SAX", &[ZERO_PAGE], 0x87, t(3), NONE, "stores A and X, bit by bit, in the zero-page cell")),
    undocumented(row("SAX", &[ZERO_PAGE, Y], 0x97, t(4), NONE, "stores A and X, bit by bit, in the zero-page cell Y further")),
    undocumented(row("SAX", &[ADDRESS], 0x8F, t(4), NONE, "stores A and X, bit by bit, in the cell")),
    undocumented(row("SAX", &[POINTER_X], 0x83, t(6), NONE, "stores A and X, bit by bit, in the cell that the zero-page pointer X further names")),
    undocumented(row("SLO", &[ZERO_PAGE], 0x07, t(5), SHIFTED, "shifts the zero-page cell left, then ORs A with it")),
    undocumented(row("SLO", &[ZERO_PAGE, X], 0x17, t(6), SHIFTED, "shifts the zero-page cell X further left, then ORs A with it")),
    undocumented(row("SLO", &[ADDRESS], 0x0F, t(6), SHIFTED, "shifts the cell left, then ORs A with it")),
    undocumented(row("SLO", &[ADDRESS, X], 0x1F, t(7), SHIFTED, "shifts the cell X further left, then ORs A with it")),
    undocumented(row("SLO", &[ADDRESS, Y], 0x1B, t(7), SHIFTED, "shifts the cell Y further left, then ORs A with it")),
    undocumented(row("SLO", &[POINTER_X], 0x03, t(8), SHIFTED, "shifts the cell that the zero-page pointer X further names left, then ORs A with it")),
    undocumented(row("SLO", &[POINTER, Y], 0x13, t(8), SHIFTED, "shifts the cell Y further than the zero-page pointer says left, then ORs A with it")),
    undocumented(row("RLA", &[ZERO_PAGE], 0x27, t(5), SHIFTED, "rotates the zero-page cell left, then ANDs A with it")),
    undocumented(row("RLA", &[ZERO_PAGE, X], 0x37, t(6), SHIFTED, "rotates the zero-page cell X further left, then ANDs A with it")),
    undocumented(row("RLA", &[ADDRESS], 0x2F, t(6), SHIFTED, "rotates the cell left, then ANDs A with it")),
    undocumented(row("RLA", &[ADDRESS, X], 0x3F, t(7), SHIFTED, "rotates the cell X further left, then ANDs A with it")),
    undocumented(row("RLA", &[ADDRESS, Y], 0x3B, t(7), SHIFTED, "rotates the cell Y further left, then ANDs A with it")),
    undocumented(row("RLA", &[POINTER_X], 0x23, t(8), SHIFTED, "rotates the cell that the zero-page pointer X further names left, then ANDs A with it")),
    undocumented(row("RLA", &[POINTER, Y], 0x33, t(8), SHIFTED, "rotates the cell Y further than the zero-page pointer says left, then ANDs A with it")),
    undocumented(row("SRE", &[ZERO_PAGE], 0x47, t(5), SHIFTED, "shifts the zero-page cell right, then EORs A with it")),
    undocumented(row("SRE", &[ZERO_PAGE, X], 0x57, t(6), SHIFTED, "shifts the zero-page cell X further right, then EORs A with it")),
    undocumented(row("SRE", &[ADDRESS], 0x4F, t(6), SHIFTED, "shifts the cell right, then EORs A with it")),
    undocumented(row("SRE", &[ADDRESS, X], 0x5F, t(7), SHIFTED, "shifts the cell X further right, then EORs A with it")),
    undocumented(row("SRE", &[ADDRESS, Y], 0x5B, t(7), SHIFTED, "shifts the cell Y further right, then EORs A with it")),
    undocumented(row("SRE", &[POINTER_X], 0x43, t(8), SHIFTED, "shifts the cell that the zero-page pointer X further names right, then EORs A with it")),
    undocumented(row("SRE", &[POINTER, Y], 0x53, t(8), SHIFTED, "shifts the cell Y further than the zero-page pointer says right, then EORs A with it")),
    undocumented(row("RRA", &[ZERO_PAGE], 0x67, t(5), SUM, "rotates the zero-page cell right, then adds it and the carry to A")),
    undocumented(row("RRA", &[ZERO_PAGE, X], 0x77, t(6), SUM, "rotates the zero-page cell X further right, then adds it and the carry to A")),
    undocumented(row("RRA", &[ADDRESS], 0x6F, t(6), SUM, "rotates the cell right, then adds it and the carry to A")),
    undocumented(row("RRA", &[ADDRESS, X], 0x7F, t(7), SUM, "rotates the cell X further right, then adds it and the carry to A")),
    undocumented(row("RRA", &[ADDRESS, Y], 0x7B, t(7), SUM, "rotates the cell Y further right, then adds it and the carry to A")),
    undocumented(row("RRA", &[POINTER_X], 0x63, t(8), SUM, "rotates the cell that the zero-page pointer X further names right, then adds it and the carry to A")),
    undocumented(row("RRA", &[POINTER, Y], 0x73, t(8), SUM, "rotates the cell Y further than the zero-page pointer says right, then adds it and the carry to A")),
    undocumented(row("DCP", &[ZERO_PAGE], 0xC7, t(5), COMPARED, "subtracts 1 from the zero-page cell, then compares A with it")),
    undocumented(row("DCP", &[ZERO_PAGE, X], 0xD7, t(6), COMPARED, "subtracts 1 from the zero-page cell X further, then compares A with it")),
    undocumented(row("DCP", &[ADDRESS], 0xCF, t(6), COMPARED, "subtracts 1 from the cell, then compares A with it")),
    undocumented(row("DCP", &[ADDRESS, X], 0xDF, t(7), COMPARED, "subtracts 1 from the cell X further, then compares A with it")),
    undocumented(row("DCP", &[ADDRESS, Y], 0xDB, t(7), COMPARED, "subtracts 1 from the cell Y further, then compares A with it")),
    undocumented(row("DCP", &[POINTER_X], 0xC3, t(8), COMPARED, "subtracts 1 from the cell that the zero-page pointer X further names, then compares A with it")),
    undocumented(row("DCP", &[POINTER, Y], 0xD3, t(8), COMPARED, "subtracts 1 from the cell Y further than the zero-page pointer says, then compares A with it")),
    undocumented(row("ISC", &[ZERO_PAGE], 0xE7, t(5), SUM, "adds 1 to the zero-page cell, then subtracts it and the borrow from A")),
    undocumented(row("ISC", &[ZERO_PAGE, X], 0xF7, t(6), SUM, "adds 1 to the zero-page cell X further, then subtracts it and the borrow from A")),
    undocumented(row("ISC", &[ADDRESS], 0xEF, t(6), SUM, "adds 1 to the cell, then subtracts it and the borrow from A")),
    undocumented(row("ISC", &[ADDRESS, X], 0xFF, t(7), SUM, "adds 1 to the cell X further, then subtracts it and the borrow from A")),
    undocumented(row("ISC", &[ADDRESS, Y], 0xFB, t(7), SUM, "adds 1 to the cell Y further, then subtracts it and the borrow from A")),
    undocumented(row("ISC", &[POINTER_X], 0xE3, t(8), SUM, "adds 1 to the cell that the zero-page pointer X further names, then subtracts it and the borrow from A")),
    undocumented(row("ISC", &[POINTER, Y], 0xF3, t(8), SUM, "adds 1 to the cell Y further than the zero-page pointer says, then subtracts it and the borrow from A")),
    undocumented(row("ANC", &[IMMEDIATE], 0x0B, t(2), SHIFTED, "ANDs A with the number; the carry is bit 7")),
    undocumented(row("ALR", &[IMMEDIATE], 0x4B, t(2), RIGHT, "ANDs A with the number, then shifts it right")),
    undocumented(row("ARR", &[IMMEDIATE], 0x6B, t(2), SUM, "ANDs A with the number, then rotates it right with flags of its own")),
    undocumented(row("ANE", &[IMMEDIATE], 0x8B, t(2), NZ, "ANDs A, of which some bits read as 1, with X and the number")),
    undocumented(row("LXA", &[IMMEDIATE], 0xAB, t(2), NZ, "ANDs A, of which some bits read as 1, with the number, into A and X")),
    undocumented(row("SBX", &[IMMEDIATE], 0xCB, t(2), COMPARED, "ANDs A and X, subtracts the number, into X")),
    undocumented(row("SHA", &[ADDRESS, Y], 0x9F, t(5), NONE, "stores A AND X AND the high address byte plus 1 in the cell Y further")),
    undocumented(row("SHA", &[POINTER, Y], 0x93, t(6), NONE, "stores A AND X AND the high address byte plus 1 in the cell Y further than the zero-page pointer says")),
    undocumented(row("SHX", &[ADDRESS, Y], 0x9E, t(5), NONE, "stores X AND the high address byte plus 1 in the cell Y further")),
    undocumented(row("SHY", &[ADDRESS, X], 0x9C, t(5), NONE, "stores Y AND the high address byte plus 1 in the cell X further")),
    undocumented(row("TAS", &[ADDRESS, Y], 0x9B, t(5), NONE, "puts A AND X into the stack pointer, and stores that AND the high address byte plus 1 in the cell Y further")),
    undocumented(row("LAS", &[ADDRESS, Y], 0xBB, p(4), NZ, "ANDs the cell Y further with the stack pointer, into A, X and the stack pointer")),
    undocumented(flow(Flow::Halt, row("JAM", &[], 0x02, t(2), NONE, "stops for good; only a reset helps"))),
    // Opcodes that do what another one of the set does, or nothing: found in a program and never written. The CMOS part
    // does nothing at those that its maker keeps for later.
    found(undocumented(row("SBC", &[IMMEDIATE], 0xEB, t(2), SUM, "subtracts the number and the borrow from A"))),
    found(cmos(row("NOP", &[], 0x03, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x13, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x23, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x33, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x43, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x53, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x63, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x73, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x83, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x93, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xA3, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xB3, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xC3, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xD3, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xE3, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xF3, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x0B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x1B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x2B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x3B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x4B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x5B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x6B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x7B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x8B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0x9B, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xAB, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xBB, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xEB, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[], 0xFB, t(1), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0x02, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0x22, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0x42, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0x62, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0x82, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0xC2, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[IMMEDIATE], 0xE2, t(2), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ZERO_PAGE], 0x44, t(3), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ZERO_PAGE, X], 0x54, t(4), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ZERO_PAGE, X], 0xD4, t(4), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ZERO_PAGE, X], 0xF4, t(4), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ADDRESS], 0x5C, t(8), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ADDRESS], 0xDC, t(4), NONE, "does nothing"))),
    found(cmos(row("NOP", &[ADDRESS], 0xFC, t(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[], 0x1A, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[], 0x3A, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[], 0x5A, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[], 0x7A, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[], 0xDA, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[], 0xFA, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[IMMEDIATE], 0x82, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[IMMEDIATE], 0x89, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[IMMEDIATE], 0xC2, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[IMMEDIATE], 0xE2, t(2), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE], 0x44, t(3), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE], 0x64, t(3), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE, X], 0x34, t(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE, X], 0x54, t(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE, X], 0x74, t(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE, X], 0xD4, t(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ZERO_PAGE, X], 0xF4, t(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ADDRESS, X], 0x3C, p(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ADDRESS, X], 0x5C, p(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ADDRESS, X], 0x7C, p(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ADDRESS, X], 0xDC, p(4), NONE, "does nothing"))),
    found(undocumented(row("NOP", &[ADDRESS, X], 0xFC, p(4), NONE, "does nothing"))),
    found(undocumented(row("ANC", &[IMMEDIATE], 0x2B, t(2), SHIFTED, "ANDs A with the number; the carry is bit 7"))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x12, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x22, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x32, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x42, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x52, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x62, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x72, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0x92, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0xB2, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0xD2, t(2), NONE, "stops for good; only a reset helps")))),
    found(undocumented(flow(Flow::Halt, row("JAM", &[], 0xF2, t(2), NONE, "stops for good; only a reset helps")))),
];
