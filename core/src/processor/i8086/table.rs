//! The one table of the 8086 and 8088.
//!
//! Encodings, clocks, word transfers and flags: Intel, *The 8086 Family User's Manual* (October 1979), tables 2-20, 2-21 and 4-12 to 4-14.
//! Where the maker gives a span of clocks, for multiplication and division, the middle of it stands here. What the maker left out of the
//! manual is well known from many parts: the conditional jumps once more at 60h to 6Fh, returns at C0h, C1h, C8h and C9h, `POP CS`, and an
//! instruction that fills AL with the carry.

use crate::processor::{Flow, Names, Number, NumberOf, Row, Shape, Size, Timing, Usage};

/// Model bits: the 8086.
pub(crate) const M8086: u8 = 1;
/// The 8088.
pub(crate) const M8088: u8 = 2;
/// The 8086 with what the maker left out of the manual.
pub(crate) const M8086U: u8 = 4;

const ALL: u8 = M8086 | M8088 | M8086U;

/// The byte registers by their codes.
pub(super) const BYTES: Names = Names {
    what: "byte register",
    place: "r8",
    list: &["AL", "CL", "DL", "BL", "AH", "CH", "DH", "BH"],
    words: &[],
};
/// The registers by their codes.
pub(super) const WORDS: Names = Names {
    what: "register",
    place: "r16",
    list: &["AX", "CX", "DX", "BX", "SP", "BP", "SI", "DI"],
    words: &[],
};
/// The segment registers by their codes.
pub(super) const SEGMENTS: Names =
    Names { what: "segment register", place: "seg", list: &["ES", "CS", "SS", "DS"], words: &[] };
/// Those that can be taken from the stack, and loaded: CS only by jumps.
const TAKEN: Names =
    Names { what: "segment register", place: "seg", list: &["ES", "", "SS", "DS"], words: &[] };

const RM8: Shape = Shape::Name { names: &BYTES, shift: 0 };
const RM16: Shape = Shape::Name { names: &WORDS, shift: 0 };
const R8: Shape = Shape::Name { names: &BYTES, shift: 3 };
const R16: Shape = Shape::Name { names: &WORDS, shift: 3 };
const SEGMENT: Shape = Shape::Name { names: &SEGMENTS, shift: 3 };
const LOADED: Shape = Shape::Name { names: &TAKEN, shift: 3 };
const MEM8: Shape = Shape::Memory(Size::Byte);
const MEM16: Shape = Shape::Memory(Size::Word);
const MEM32: Shape = Shape::Memory(Size::Far);
const MEMORY: Shape = Shape::Memory(Size::Any);
const DIRECT8: Shape = Shape::Direct(Size::Byte);
const DIRECT16: Shape = Shape::Direct(Size::Word);
const DATA8: Shape = Shape::DATA8;
const DATA16: Shape = Shape::DATA16;
const SIGNED8: Shape = Shape::Number(Number { cells: 1, cell_bits: 8, bits: 16, of: NumberOf::Extended });
const FAR: Shape = Shape::Number(Number { cells: 4, cell_bits: 8, bits: 32, of: NumberOf::Far });
const PORT: Shape = Shape::PORT;
const NEAR: Shape = Shape::Relative;
const NEAR16: Shape = Shape::Relative16;
const ESCAPE: Shape = Shape::Escape;
const AL: Shape = Shape::Fixed("AL");
const AX: Shape = Shape::Fixed("AX");
const DX: Shape = Shape::Fixed("DX");
const CL: Shape = Shape::Fixed("CL");
const CS: Shape = Shape::Fixed("CS");
const ONE: Shape = Shape::Fixed("1");
const THREE: Shape = Shape::Fixed("3");

/// Clocks with so many transfers of words: the 8088 takes four more for each, the 8086 where the address is odd.
const fn t(clocks: u8, words: u8) -> [Timing; 2] {
    [Timing { words, ..Timing::always(clocks) }, Timing::always(clocks + 4 * words)]
}

/// The same, and the clocks of the effective address.
const fn ea(clocks: u8, words: u8) -> [Timing; 2] {
    let [on_8086, on_8088] = t(clocks, words);
    [Timing { effective: true, ..on_8086 }, Timing { effective: true, ..on_8088 }]
}

/// The same, and four clocks for each bit of a shift.
const fn count(clocks: u8, words: u8) -> [Timing; 2] {
    let [on_8086, on_8088] = t(clocks, words);
    [Timing { each: 4, ..on_8086 }, Timing { each: 4, ..on_8088 }]
}

const fn count_ea(clocks: u8, words: u8) -> [Timing; 2] {
    let [on_8086, on_8088] = ea(clocks, words);
    [Timing { each: 4, ..on_8086 }, Timing { each: 4, ..on_8088 }]
}

/// A string instruction by itself, and each turn of it when it is repeated.
const fn string(clocks: u8, each: u8, words: u8) -> [Timing; 2] {
    let [on_8086, on_8088] = t(clocks, words);
    [Timing { each, ..on_8086 }, Timing { each: each + 4 * words, ..on_8088 }]
}

const fn branch(base: u8, taken: u8) -> [Timing; 2] {
    [Timing { taken, ..Timing::always(base) }; 2]
}

/// INTO moves its five words only where it calls.
const fn into() -> [Timing; 2] {
    [Timing { taken: 53, words: 5, ..Timing::always(4) }, Timing { taken: 53 + 4 * 5, ..Timing::always(4) }]
}

const fn row(
    mnemonic: &'static str,
    operands: &'static [Shape],
    opcode_cells: u8,
    (mask, value): (u64, u64),
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
        models: ALL,
        usage: Usage::Whole,
        flow: Flow::On,
        meaning,
    }
}

const fn flow(flow: Flow, row: Row) -> Row {
    Row { flow, ..row }
}

const fn found(row: Row) -> Row {
    Row { usage: Usage::Found, ..row }
}

const fn written(row: Row) -> Row {
    Row { usage: Usage::Written, ..row }
}

const fn undocumented(row: Row) -> Row {
    Row { models: M8086U, ..row }
}

/// Every row of the family; the rows of a mnemonic stand together, the one that is written first. Flags are OF DF IF TF SF ZF AF PF CF;
/// `?` leaves one as the maker does not say.
#[rustfmt::skip]
pub const ROWS: &[Row] = &[
    row("ADD", &[RM8, R8], 2, (0xFFC0, 0x00C0), t(3, 0), "*---*****", "adds the second to the first byte register"),
    row("ADD", &[RM16, R16], 2, (0xFFC0, 0x01C0), t(3, 0), "*---*****", "adds the second to the first register"),
    row("ADD", &[MEM8, R8], 2, (0xFF00, 0x0000), ea(16, 0), "*---*****", "adds the register to the byte in memory"),
    row("ADD", &[MEM16, R16], 2, (0xFF00, 0x0100), ea(16, 2), "*---*****", "adds the register to the word in memory"),
    row("ADD", &[R8, MEM8], 2, (0xFF00, 0x0200), ea(9, 0), "*---*****", "adds the byte in memory to the register"),
    row("ADD", &[R16, MEM16], 2, (0xFF00, 0x0300), ea(9, 1), "*---*****", "adds the word in memory to the register"),
    row("ADD", &[AL, DATA8], 1, (0xFF, 0x04), t(4, 0), "*---*****", "adds the number to AL"),
    row("ADD", &[RM16, SIGNED8], 2, (0xFFF8, 0x83C0), t(4, 0), "*---*****", "adds the number, whose sign is extended to the register"),
    row("ADD", &[AX, DATA16], 1, (0xFF, 0x05), t(4, 0), "*---*****", "adds the number to AX"),
    row("ADD", &[RM8, DATA8], 2, (0xFFF8, 0x80C0), t(4, 0), "*---*****", "adds the number to the register"),
    row("ADD", &[RM16, DATA16], 2, (0xFFF8, 0x81C0), t(4, 0), "*---*****", "adds the number to the register"),
    row("ADD", &[MEM8, DATA8], 2, (0xFF38, 0x8000), ea(17, 0), "*---*****", "adds the number to the byte in memory"),
    row("ADD", &[MEM16, SIGNED8], 2, (0xFF38, 0x8300), ea(17, 2), "*---*****", "adds the number, whose sign is extended to the word in memory"),
    row("ADD", &[MEM16, DATA16], 2, (0xFF38, 0x8100), ea(17, 2), "*---*****", "adds the number to the word in memory"),
    found(row("ADD", &[R8, RM8], 2, (0xFFC0, 0x02C0), t(3, 0), "*---*****", "adds the second to the first byte register")),
    found(row("ADD", &[R16, RM16], 2, (0xFFC0, 0x03C0), t(3, 0), "*---*****", "adds the second to the first register")),
    found(row("ADD", &[RM8, DATA8], 2, (0xFFF8, 0x82C0), t(4, 0), "*---*****", "adds the number to the register")),
    found(row("ADD", &[MEM8, DATA8], 2, (0xFF38, 0x8200), ea(17, 0), "*---*****", "adds the number to the byte in memory")),
    row("OR", &[RM8, R8], 2, (0xFFC0, 0x08C0), t(3, 0), "0---**?*0", "joins the second to the first byte register by OR"),
    row("OR", &[RM16, R16], 2, (0xFFC0, 0x09C0), t(3, 0), "0---**?*0", "joins the second to the first register by OR"),
    row("OR", &[MEM8, R8], 2, (0xFF00, 0x0800), ea(16, 0), "0---**?*0", "joins the register to the byte in memory by OR"),
    row("OR", &[MEM16, R16], 2, (0xFF00, 0x0900), ea(16, 2), "0---**?*0", "joins the register to the word in memory by OR"),
    row("OR", &[R8, MEM8], 2, (0xFF00, 0x0A00), ea(9, 0), "0---**?*0", "joins the byte in memory to the register by OR"),
    row("OR", &[R16, MEM16], 2, (0xFF00, 0x0B00), ea(9, 1), "0---**?*0", "joins the word in memory to the register by OR"),
    row("OR", &[AL, DATA8], 1, (0xFF, 0x0C), t(4, 0), "0---**?*0", "joins the number to AL by OR"),
    row("OR", &[AX, DATA16], 1, (0xFF, 0x0D), t(4, 0), "0---**?*0", "joins the number to AX by OR"),
    row("OR", &[RM8, DATA8], 2, (0xFFF8, 0x80C8), t(4, 0), "0---**?*0", "joins the number to the register by OR"),
    row("OR", &[RM16, DATA16], 2, (0xFFF8, 0x81C8), t(4, 0), "0---**?*0", "joins the number to the register by OR"),
    row("OR", &[MEM8, DATA8], 2, (0xFF38, 0x8008), ea(17, 0), "0---**?*0", "joins the number to the byte in memory by OR"),
    row("OR", &[MEM16, DATA16], 2, (0xFF38, 0x8108), ea(17, 2), "0---**?*0", "joins the number to the word in memory by OR"),
    found(row("OR", &[RM16, SIGNED8], 2, (0xFFF8, 0x83C8), t(4, 0), "0---**?*0", "joins the number, whose sign is extended to the register by OR")),
    found(row("OR", &[MEM16, SIGNED8], 2, (0xFF38, 0x8308), ea(17, 2), "0---**?*0", "joins the number, whose sign is extended to the word in memory by OR")),
    found(row("OR", &[R8, RM8], 2, (0xFFC0, 0x0AC0), t(3, 0), "0---**?*0", "joins the second to the first byte register by OR")),
    found(row("OR", &[R16, RM16], 2, (0xFFC0, 0x0BC0), t(3, 0), "0---**?*0", "joins the second to the first register by OR")),
    found(row("OR", &[RM8, DATA8], 2, (0xFFF8, 0x82C8), t(4, 0), "0---**?*0", "joins the number to the register by OR")),
    found(row("OR", &[MEM8, DATA8], 2, (0xFF38, 0x8208), ea(17, 0), "0---**?*0", "joins the number to the byte in memory by OR")),
    row("ADC", &[RM8, R8], 2, (0xFFC0, 0x10C0), t(3, 0), "*---*****", "adds the second and the carry to the first byte register"),
    row("ADC", &[RM16, R16], 2, (0xFFC0, 0x11C0), t(3, 0), "*---*****", "adds the second and the carry to the first register"),
    row("ADC", &[MEM8, R8], 2, (0xFF00, 0x1000), ea(16, 0), "*---*****", "adds the register and the carry to the byte in memory"),
    row("ADC", &[MEM16, R16], 2, (0xFF00, 0x1100), ea(16, 2), "*---*****", "adds the register and the carry to the word in memory"),
    row("ADC", &[R8, MEM8], 2, (0xFF00, 0x1200), ea(9, 0), "*---*****", "adds the byte in memory and the carry to the register"),
    row("ADC", &[R16, MEM16], 2, (0xFF00, 0x1300), ea(9, 1), "*---*****", "adds the word in memory and the carry to the register"),
    row("ADC", &[AL, DATA8], 1, (0xFF, 0x14), t(4, 0), "*---*****", "adds the number and the carry to AL"),
    row("ADC", &[RM16, SIGNED8], 2, (0xFFF8, 0x83D0), t(4, 0), "*---*****", "adds the number, whose sign is extended and the carry to the register"),
    row("ADC", &[AX, DATA16], 1, (0xFF, 0x15), t(4, 0), "*---*****", "adds the number and the carry to AX"),
    row("ADC", &[RM8, DATA8], 2, (0xFFF8, 0x80D0), t(4, 0), "*---*****", "adds the number and the carry to the register"),
    row("ADC", &[RM16, DATA16], 2, (0xFFF8, 0x81D0), t(4, 0), "*---*****", "adds the number and the carry to the register"),
    row("ADC", &[MEM8, DATA8], 2, (0xFF38, 0x8010), ea(17, 0), "*---*****", "adds the number and the carry to the byte in memory"),
    row("ADC", &[MEM16, SIGNED8], 2, (0xFF38, 0x8310), ea(17, 2), "*---*****", "adds the number, whose sign is extended and the carry to the word in memory"),
    row("ADC", &[MEM16, DATA16], 2, (0xFF38, 0x8110), ea(17, 2), "*---*****", "adds the number and the carry to the word in memory"),
    found(row("ADC", &[R8, RM8], 2, (0xFFC0, 0x12C0), t(3, 0), "*---*****", "adds the second and the carry to the first byte register")),
    found(row("ADC", &[R16, RM16], 2, (0xFFC0, 0x13C0), t(3, 0), "*---*****", "adds the second and the carry to the first register")),
    found(row("ADC", &[RM8, DATA8], 2, (0xFFF8, 0x82D0), t(4, 0), "*---*****", "adds the number and the carry to the register")),
    found(row("ADC", &[MEM8, DATA8], 2, (0xFF38, 0x8210), ea(17, 0), "*---*****", "adds the number and the carry to the byte in memory")),
    row("SBB", &[RM8, R8], 2, (0xFFC0, 0x18C0), t(3, 0), "*---*****", "subtracts the second and the borrow from the first byte register"),
    row("SBB", &[RM16, R16], 2, (0xFFC0, 0x19C0), t(3, 0), "*---*****", "subtracts the second and the borrow from the first register"),
    row("SBB", &[MEM8, R8], 2, (0xFF00, 0x1800), ea(16, 0), "*---*****", "subtracts the register and the borrow from the byte in memory"),
    row("SBB", &[MEM16, R16], 2, (0xFF00, 0x1900), ea(16, 2), "*---*****", "subtracts the register and the borrow from the word in memory"),
    row("SBB", &[R8, MEM8], 2, (0xFF00, 0x1A00), ea(9, 0), "*---*****", "subtracts the byte in memory and the borrow from the register"),
    row("SBB", &[R16, MEM16], 2, (0xFF00, 0x1B00), ea(9, 1), "*---*****", "subtracts the word in memory and the borrow from the register"),
    row("SBB", &[AL, DATA8], 1, (0xFF, 0x1C), t(4, 0), "*---*****", "subtracts the number and the borrow from AL"),
    row("SBB", &[RM16, SIGNED8], 2, (0xFFF8, 0x83D8), t(4, 0), "*---*****", "subtracts the number, whose sign is extended and the borrow from the register"),
    row("SBB", &[AX, DATA16], 1, (0xFF, 0x1D), t(4, 0), "*---*****", "subtracts the number and the borrow from AX"),
    row("SBB", &[RM8, DATA8], 2, (0xFFF8, 0x80D8), t(4, 0), "*---*****", "subtracts the number and the borrow from the register"),
    row("SBB", &[RM16, DATA16], 2, (0xFFF8, 0x81D8), t(4, 0), "*---*****", "subtracts the number and the borrow from the register"),
    row("SBB", &[MEM8, DATA8], 2, (0xFF38, 0x8018), ea(17, 0), "*---*****", "subtracts the number and the borrow from the byte in memory"),
    row("SBB", &[MEM16, SIGNED8], 2, (0xFF38, 0x8318), ea(17, 2), "*---*****", "subtracts the number, whose sign is extended and the borrow from the word in memory"),
    row("SBB", &[MEM16, DATA16], 2, (0xFF38, 0x8118), ea(17, 2), "*---*****", "subtracts the number and the borrow from the word in memory"),
    found(row("SBB", &[R8, RM8], 2, (0xFFC0, 0x1AC0), t(3, 0), "*---*****", "subtracts the second and the borrow from the first byte register")),
    found(row("SBB", &[R16, RM16], 2, (0xFFC0, 0x1BC0), t(3, 0), "*---*****", "subtracts the second and the borrow from the first register")),
    found(row("SBB", &[RM8, DATA8], 2, (0xFFF8, 0x82D8), t(4, 0), "*---*****", "subtracts the number and the borrow from the register")),
    found(row("SBB", &[MEM8, DATA8], 2, (0xFF38, 0x8218), ea(17, 0), "*---*****", "subtracts the number and the borrow from the byte in memory")),
    row("AND", &[RM8, R8], 2, (0xFFC0, 0x20C0), t(3, 0), "0---**?*0", "joins the second to the first byte register by AND"),
    row("AND", &[RM16, R16], 2, (0xFFC0, 0x21C0), t(3, 0), "0---**?*0", "joins the second to the first register by AND"),
    row("AND", &[MEM8, R8], 2, (0xFF00, 0x2000), ea(16, 0), "0---**?*0", "joins the register to the byte in memory by AND"),
    row("AND", &[MEM16, R16], 2, (0xFF00, 0x2100), ea(16, 2), "0---**?*0", "joins the register to the word in memory by AND"),
    row("AND", &[R8, MEM8], 2, (0xFF00, 0x2200), ea(9, 0), "0---**?*0", "joins the byte in memory to the register by AND"),
    row("AND", &[R16, MEM16], 2, (0xFF00, 0x2300), ea(9, 1), "0---**?*0", "joins the word in memory to the register by AND"),
    row("AND", &[AL, DATA8], 1, (0xFF, 0x24), t(4, 0), "0---**?*0", "joins the number to AL by AND"),
    row("AND", &[AX, DATA16], 1, (0xFF, 0x25), t(4, 0), "0---**?*0", "joins the number to AX by AND"),
    row("AND", &[RM8, DATA8], 2, (0xFFF8, 0x80E0), t(4, 0), "0---**?*0", "joins the number to the register by AND"),
    row("AND", &[RM16, DATA16], 2, (0xFFF8, 0x81E0), t(4, 0), "0---**?*0", "joins the number to the register by AND"),
    row("AND", &[MEM8, DATA8], 2, (0xFF38, 0x8020), ea(17, 0), "0---**?*0", "joins the number to the byte in memory by AND"),
    row("AND", &[MEM16, DATA16], 2, (0xFF38, 0x8120), ea(17, 2), "0---**?*0", "joins the number to the word in memory by AND"),
    found(row("AND", &[RM16, SIGNED8], 2, (0xFFF8, 0x83E0), t(4, 0), "0---**?*0", "joins the number, whose sign is extended to the register by AND")),
    found(row("AND", &[MEM16, SIGNED8], 2, (0xFF38, 0x8320), ea(17, 2), "0---**?*0", "joins the number, whose sign is extended to the word in memory by AND")),
    found(row("AND", &[R8, RM8], 2, (0xFFC0, 0x22C0), t(3, 0), "0---**?*0", "joins the second to the first byte register by AND")),
    found(row("AND", &[R16, RM16], 2, (0xFFC0, 0x23C0), t(3, 0), "0---**?*0", "joins the second to the first register by AND")),
    found(row("AND", &[RM8, DATA8], 2, (0xFFF8, 0x82E0), t(4, 0), "0---**?*0", "joins the number to the register by AND")),
    found(row("AND", &[MEM8, DATA8], 2, (0xFF38, 0x8220), ea(17, 0), "0---**?*0", "joins the number to the byte in memory by AND")),
    row("SUB", &[RM8, R8], 2, (0xFFC0, 0x28C0), t(3, 0), "*---*****", "subtracts the second from the first byte register"),
    row("SUB", &[RM16, R16], 2, (0xFFC0, 0x29C0), t(3, 0), "*---*****", "subtracts the second from the first register"),
    row("SUB", &[MEM8, R8], 2, (0xFF00, 0x2800), ea(16, 0), "*---*****", "subtracts the register from the byte in memory"),
    row("SUB", &[MEM16, R16], 2, (0xFF00, 0x2900), ea(16, 2), "*---*****", "subtracts the register from the word in memory"),
    row("SUB", &[R8, MEM8], 2, (0xFF00, 0x2A00), ea(9, 0), "*---*****", "subtracts the byte in memory from the register"),
    row("SUB", &[R16, MEM16], 2, (0xFF00, 0x2B00), ea(9, 1), "*---*****", "subtracts the word in memory from the register"),
    row("SUB", &[AL, DATA8], 1, (0xFF, 0x2C), t(4, 0), "*---*****", "subtracts the number from AL"),
    row("SUB", &[RM16, SIGNED8], 2, (0xFFF8, 0x83E8), t(4, 0), "*---*****", "subtracts the number, whose sign is extended from the register"),
    row("SUB", &[AX, DATA16], 1, (0xFF, 0x2D), t(4, 0), "*---*****", "subtracts the number from AX"),
    row("SUB", &[RM8, DATA8], 2, (0xFFF8, 0x80E8), t(4, 0), "*---*****", "subtracts the number from the register"),
    row("SUB", &[RM16, DATA16], 2, (0xFFF8, 0x81E8), t(4, 0), "*---*****", "subtracts the number from the register"),
    row("SUB", &[MEM8, DATA8], 2, (0xFF38, 0x8028), ea(17, 0), "*---*****", "subtracts the number from the byte in memory"),
    row("SUB", &[MEM16, SIGNED8], 2, (0xFF38, 0x8328), ea(17, 2), "*---*****", "subtracts the number, whose sign is extended from the word in memory"),
    row("SUB", &[MEM16, DATA16], 2, (0xFF38, 0x8128), ea(17, 2), "*---*****", "subtracts the number from the word in memory"),
    found(row("SUB", &[R8, RM8], 2, (0xFFC0, 0x2AC0), t(3, 0), "*---*****", "subtracts the second from the first byte register")),
    found(row("SUB", &[R16, RM16], 2, (0xFFC0, 0x2BC0), t(3, 0), "*---*****", "subtracts the second from the first register")),
    found(row("SUB", &[RM8, DATA8], 2, (0xFFF8, 0x82E8), t(4, 0), "*---*****", "subtracts the number from the register")),
    found(row("SUB", &[MEM8, DATA8], 2, (0xFF38, 0x8228), ea(17, 0), "*---*****", "subtracts the number from the byte in memory")),
    row("XOR", &[RM8, R8], 2, (0xFFC0, 0x30C0), t(3, 0), "0---**?*0", "joins the second to the first byte register by exclusive OR"),
    row("XOR", &[RM16, R16], 2, (0xFFC0, 0x31C0), t(3, 0), "0---**?*0", "joins the second to the first register by exclusive OR"),
    row("XOR", &[MEM8, R8], 2, (0xFF00, 0x3000), ea(16, 0), "0---**?*0", "joins the register to the byte in memory by exclusive OR"),
    row("XOR", &[MEM16, R16], 2, (0xFF00, 0x3100), ea(16, 2), "0---**?*0", "joins the register to the word in memory by exclusive OR"),
    row("XOR", &[R8, MEM8], 2, (0xFF00, 0x3200), ea(9, 0), "0---**?*0", "joins the byte in memory to the register by exclusive OR"),
    row("XOR", &[R16, MEM16], 2, (0xFF00, 0x3300), ea(9, 1), "0---**?*0", "joins the word in memory to the register by exclusive OR"),
    row("XOR", &[AL, DATA8], 1, (0xFF, 0x34), t(4, 0), "0---**?*0", "joins the number to AL by exclusive OR"),
    row("XOR", &[AX, DATA16], 1, (0xFF, 0x35), t(4, 0), "0---**?*0", "joins the number to AX by exclusive OR"),
    row("XOR", &[RM8, DATA8], 2, (0xFFF8, 0x80F0), t(4, 0), "0---**?*0", "joins the number to the register by exclusive OR"),
    row("XOR", &[RM16, DATA16], 2, (0xFFF8, 0x81F0), t(4, 0), "0---**?*0", "joins the number to the register by exclusive OR"),
    row("XOR", &[MEM8, DATA8], 2, (0xFF38, 0x8030), ea(17, 0), "0---**?*0", "joins the number to the byte in memory by exclusive OR"),
    row("XOR", &[MEM16, DATA16], 2, (0xFF38, 0x8130), ea(17, 2), "0---**?*0", "joins the number to the word in memory by exclusive OR"),
    found(row("XOR", &[RM16, SIGNED8], 2, (0xFFF8, 0x83F0), t(4, 0), "0---**?*0", "joins the number, whose sign is extended to the register by exclusive OR")),
    found(row("XOR", &[MEM16, SIGNED8], 2, (0xFF38, 0x8330), ea(17, 2), "0---**?*0", "joins the number, whose sign is extended to the word in memory by exclusive OR")),
    found(row("XOR", &[R8, RM8], 2, (0xFFC0, 0x32C0), t(3, 0), "0---**?*0", "joins the second to the first byte register by exclusive OR")),
    found(row("XOR", &[R16, RM16], 2, (0xFFC0, 0x33C0), t(3, 0), "0---**?*0", "joins the second to the first register by exclusive OR")),
    found(row("XOR", &[RM8, DATA8], 2, (0xFFF8, 0x82F0), t(4, 0), "0---**?*0", "joins the number to the register by exclusive OR")),
    found(row("XOR", &[MEM8, DATA8], 2, (0xFF38, 0x8230), ea(17, 0), "0---**?*0", "joins the number to the byte in memory by exclusive OR")),
    row("CMP", &[RM8, R8], 2, (0xFFC0, 0x38C0), t(3, 0), "*---*****", "compares the first byte register with the second: sets the flags of the difference"),
    row("CMP", &[RM16, R16], 2, (0xFFC0, 0x39C0), t(3, 0), "*---*****", "compares the first register with the second: sets the flags of the difference"),
    row("CMP", &[MEM8, R8], 2, (0xFF00, 0x3800), ea(9, 0), "*---*****", "compares the byte in memory with the register: sets the flags of the difference"),
    row("CMP", &[MEM16, R16], 2, (0xFF00, 0x3900), ea(9, 1), "*---*****", "compares the word in memory with the register: sets the flags of the difference"),
    row("CMP", &[R8, MEM8], 2, (0xFF00, 0x3A00), ea(9, 0), "*---*****", "compares the register with the byte in memory: sets the flags of the difference"),
    row("CMP", &[R16, MEM16], 2, (0xFF00, 0x3B00), ea(9, 1), "*---*****", "compares the register with the word in memory: sets the flags of the difference"),
    row("CMP", &[AL, DATA8], 1, (0xFF, 0x3C), t(4, 0), "*---*****", "compares AL with the number: sets the flags of the difference"),
    row("CMP", &[RM16, SIGNED8], 2, (0xFFF8, 0x83F8), t(4, 0), "*---*****", "compares the register with the number, whose sign is extended: sets the flags of the difference"),
    row("CMP", &[AX, DATA16], 1, (0xFF, 0x3D), t(4, 0), "*---*****", "compares AX with the number: sets the flags of the difference"),
    row("CMP", &[RM8, DATA8], 2, (0xFFF8, 0x80F8), t(4, 0), "*---*****", "compares the register with the number: sets the flags of the difference"),
    row("CMP", &[RM16, DATA16], 2, (0xFFF8, 0x81F8), t(4, 0), "*---*****", "compares the register with the number: sets the flags of the difference"),
    row("CMP", &[MEM8, DATA8], 2, (0xFF38, 0x8038), ea(10, 0), "*---*****", "compares the byte in memory with the number: sets the flags of the difference"),
    row("CMP", &[MEM16, SIGNED8], 2, (0xFF38, 0x8338), ea(10, 1), "*---*****", "compares the word in memory with the number, whose sign is extended: sets the flags of the difference"),
    row("CMP", &[MEM16, DATA16], 2, (0xFF38, 0x8138), ea(10, 1), "*---*****", "compares the word in memory with the number: sets the flags of the difference"),
    found(row("CMP", &[R8, RM8], 2, (0xFFC0, 0x3AC0), t(3, 0), "*---*****", "compares the first byte register with the second: sets the flags of the difference")),
    found(row("CMP", &[R16, RM16], 2, (0xFFC0, 0x3BC0), t(3, 0), "*---*****", "compares the first register with the second: sets the flags of the difference")),
    found(row("CMP", &[RM8, DATA8], 2, (0xFFF8, 0x82F8), t(4, 0), "*---*****", "compares the register with the number: sets the flags of the difference")),
    found(row("CMP", &[MEM8, DATA8], 2, (0xFF38, 0x8238), ea(10, 0), "*---*****", "compares the byte in memory with the number: sets the flags of the difference")),
    row("MOV", &[RM8, R8], 2, (0xFFC0, 0x88C0), t(2, 0), "---------", "copies the second byte register into the first"),
    row("MOV", &[RM16, R16], 2, (0xFFC0, 0x89C0), t(2, 0), "---------", "copies the second register into the first"),
    row("MOV", &[AL, DIRECT8], 1, (0xFF, 0xA0), t(10, 0), "---------", "loads AL from the byte at the offset"),
    row("MOV", &[AX, DIRECT16], 1, (0xFF, 0xA1), t(10, 1), "---------", "loads AX from the word at the offset"),
    row("MOV", &[DIRECT8, AL], 1, (0xFF, 0xA2), t(10, 0), "---------", "stores AL in the byte at the offset"),
    row("MOV", &[DIRECT16, AX], 1, (0xFF, 0xA3), t(10, 1), "---------", "stores AX in the word at the offset"),
    row("MOV", &[MEM8, R8], 2, (0xFF00, 0x8800), ea(9, 0), "---------", "stores a byte register in memory"),
    row("MOV", &[MEM16, R16], 2, (0xFF00, 0x8900), ea(9, 1), "---------", "stores a register in memory"),
    row("MOV", &[R8, MEM8], 2, (0xFF00, 0x8A00), ea(8, 0), "---------", "loads a byte register from memory"),
    row("MOV", &[R16, MEM16], 2, (0xFF00, 0x8B00), ea(8, 1), "---------", "loads a register from memory"),
    row("MOV", &[RM16, SEGMENT], 2, (0xFFE0, 0x8CC0), t(2, 0), "---------", "copies a segment register into a register"),
    row("MOV", &[MEM16, SEGMENT], 2, (0xFF20, 0x8C00), ea(9, 1), "---------", "stores a segment register in memory"),
    row("MOV", &[LOADED, RM16], 2, (0xFFE0, 0x8EC0), t(2, 0), "---------", "copies a register into a segment register; no interrupt comes before the next instruction"),
    row("MOV", &[LOADED, MEM16], 2, (0xFF20, 0x8E00), ea(8, 1), "---------", "loads a segment register from memory; no interrupt comes before the next instruction"),
    row("MOV", &[RM8, DATA8], 1, (0xF8, 0xB0), t(4, 0), "---------", "puts the number into a byte register"),
    row("MOV", &[RM16, DATA16], 1, (0xF8, 0xB8), t(4, 0), "---------", "puts the number into a register"),
    row("MOV", &[MEM8, DATA8], 2, (0xFF38, 0xC600), ea(10, 0), "---------", "puts the number into a byte in memory"),
    row("MOV", &[MEM16, DATA16], 2, (0xFF38, 0xC700), ea(10, 1), "---------", "puts the number into a word in memory"),
    found(row("MOV", &[R8, RM8], 2, (0xFFC0, 0x8AC0), t(2, 0), "---------", "copies the second byte register into the first")),
    found(row("MOV", &[R16, RM16], 2, (0xFFC0, 0x8BC0), t(2, 0), "---------", "copies the second register into the first")),
    found(row("MOV", &[RM8, DATA8], 2, (0xFFF8, 0xC6C0), t(10, 0), "---------", "puts the number into a byte register")),
    found(row("MOV", &[RM16, DATA16], 2, (0xFFF8, 0xC7C0), t(10, 0), "---------", "puts the number into a register")),
    row("PUSH", &[RM16], 1, (0xF8, 0x50), t(11, 1), "---------", "puts a register on the stack"),
    row("PUSH", &[SEGMENT], 1, (0xE7, 0x06), t(10, 1), "---------", "puts a segment register on the stack"),
    row("PUSH", &[MEM16], 2, (0xFF38, 0xFF30), ea(16, 2), "---------", "puts a word of memory on the stack"),
    found(row("PUSH", &[RM16], 2, (0xFFF8, 0xFFF0), t(11, 1), "---------", "puts a register on the stack")),
    row("POP", &[RM16], 1, (0xF8, 0x58), t(8, 1), "---------", "takes a register from the stack"),
    row("POP", &[LOADED], 1, (0xE7, 0x07), t(8, 1), "---------", "takes a segment register from the stack; no interrupt comes before the next instruction"),
    row("POP", &[MEM16], 2, (0xFF38, 0x8F00), ea(17, 2), "---------", "takes a word of memory from the stack"),
    undocumented(flow(Flow::Indirect, row("POP", &[CS], 1, (0xFF, 0x0F), t(8, 1), "---------", "takes the code segment from the stack"))),
    found(row("POP", &[RM16], 2, (0xFFF8, 0x8FC0), t(8, 1), "---------", "takes a register from the stack")),
    row("NOP", &[], 1, (0xFF, 0x90), t(3, 0), "---------", "does nothing"),
    row("XCHG", &[AX, RM16], 1, (0xF8, 0x90), t(3, 0), "---------", "exchanges AX and a register"),
    row("XCHG", &[RM8, R8], 2, (0xFFC0, 0x86C0), t(4, 0), "---------", "exchanges two byte registers"),
    row("XCHG", &[RM16, R16], 2, (0xFFC0, 0x87C0), t(4, 0), "---------", "exchanges two registers"),
    row("XCHG", &[MEM8, R8], 2, (0xFF00, 0x8600), ea(17, 0), "---------", "exchanges a byte in memory and a register"),
    row("XCHG", &[MEM16, R16], 2, (0xFF00, 0x8700), ea(17, 2), "---------", "exchanges a word in memory and a register"),
    row("IN", &[AL, PORT], 1, (0xFF, 0xE4), t(10, 0), "---------", "reads the port into AL"),
    row("IN", &[AX, PORT], 1, (0xFF, 0xE5), t(10, 1), "---------", "reads the port and the next one into AX"),
    row("IN", &[AL, DX], 1, (0xFF, 0xEC), t(8, 0), "---------", "reads the port that DX names into AL"),
    row("IN", &[AX, DX], 1, (0xFF, 0xED), t(8, 1), "---------", "reads the port that DX names and the next one into AX"),
    row("OUT", &[PORT, AL], 1, (0xFF, 0xE6), t(10, 0), "---------", "writes AL to the port"),
    row("OUT", &[PORT, AX], 1, (0xFF, 0xE7), t(10, 1), "---------", "writes AX to the port and the next one"),
    row("OUT", &[DX, AL], 1, (0xFF, 0xEE), t(8, 0), "---------", "writes AL to the port that DX names"),
    row("OUT", &[DX, AX], 1, (0xFF, 0xEF), t(8, 1), "---------", "writes AX to the port that DX names and the next one"),
    row("XLAT", &[], 1, (0xFF, 0xD7), t(11, 0), "---------", "loads AL from the byte at BX + AL"),
    row("LEA", &[R16, MEMORY], 2, (0xFF00, 0x8D00), ea(2, 0), "---------", "puts the offset of the place in memory into a register"),
    row("LDS", &[R16, MEM32], 2, (0xFF00, 0xC500), ea(16, 2), "---------", "loads a register and DS from a far pointer in memory"),
    row("LES", &[R16, MEM32], 2, (0xFF00, 0xC400), ea(16, 2), "---------", "loads a register and ES from a far pointer in memory"),
    row("LAHF", &[], 1, (0xFF, 0x9F), t(4, 0), "---------", "copies the low byte of the flags into AH"),
    row("SAHF", &[], 1, (0xFF, 0x9E), t(4, 0), "----*****", "copies AH into the low byte of the flags"),
    row("PUSHF", &[], 1, (0xFF, 0x9C), t(10, 1), "---------", "puts the flags on the stack"),
    row("POPF", &[], 1, (0xFF, 0x9D), t(8, 1), "*********", "takes the flags from the stack"),
    row("INC", &[RM16], 1, (0xF8, 0x40), t(2, 0), "*---****-", "adds 1 to a register"),
    row("INC", &[RM8], 2, (0xFFF8, 0xFEC0), t(3, 0), "*---****-", "adds 1 to a byte register"),
    row("INC", &[MEM8], 2, (0xFF38, 0xFE00), ea(15, 0), "*---****-", "adds 1 to a byte in memory"),
    row("INC", &[MEM16], 2, (0xFF38, 0xFF00), ea(15, 2), "*---****-", "adds 1 to a word in memory"),
    found(row("INC", &[RM16], 2, (0xFFF8, 0xFFC0), t(3, 0), "*---****-", "adds 1 to a register")),
    row("DEC", &[RM16], 1, (0xF8, 0x48), t(2, 0), "*---****-", "subtracts 1 from a register"),
    row("DEC", &[RM8], 2, (0xFFF8, 0xFEC8), t(3, 0), "*---****-", "subtracts 1 from a byte register"),
    row("DEC", &[MEM8], 2, (0xFF38, 0xFE08), ea(15, 0), "*---****-", "subtracts 1 from a byte in memory"),
    row("DEC", &[MEM16], 2, (0xFF38, 0xFF08), ea(15, 2), "*---****-", "subtracts 1 from a word in memory"),
    found(row("DEC", &[RM16], 2, (0xFFF8, 0xFFC8), t(3, 0), "*---****-", "subtracts 1 from a register")),
    row("TEST", &[RM8, R8], 2, (0xFFC0, 0x84C0), t(3, 0), "0---**?*0", "sets the flags of two byte registers joined by AND"),
    row("TEST", &[RM16, R16], 2, (0xFFC0, 0x85C0), t(3, 0), "0---**?*0", "sets the flags of two registers joined by AND"),
    row("TEST", &[MEM8, R8], 2, (0xFF00, 0x8400), ea(9, 0), "0---**?*0", "sets the flags of a byte in memory and a register joined by AND"),
    row("TEST", &[MEM16, R16], 2, (0xFF00, 0x8500), ea(9, 1), "0---**?*0", "sets the flags of a word in memory and a register joined by AND"),
    row("TEST", &[AL, DATA8], 1, (0xFF, 0xA8), t(4, 0), "0---**?*0", "sets the flags of AL and the number joined by AND"),
    row("TEST", &[AX, DATA16], 1, (0xFF, 0xA9), t(4, 0), "0---**?*0", "sets the flags of AX and the number joined by AND"),
    row("TEST", &[RM8, DATA8], 2, (0xFFF8, 0xF6C0), t(5, 0), "0---**?*0", "sets the flags of a register and the number joined by AND"),
    row("TEST", &[RM16, DATA16], 2, (0xFFF8, 0xF7C0), t(5, 0), "0---**?*0", "sets the flags of a register and the number joined by AND"),
    row("TEST", &[MEM8, DATA8], 2, (0xFF38, 0xF600), ea(11, 0), "0---**?*0", "sets the flags of a byte in memory and the number joined by AND"),
    row("TEST", &[MEM16, DATA16], 2, (0xFF38, 0xF700), ea(11, 1), "0---**?*0", "sets the flags of a word in memory and the number joined by AND"),
    row("NOT", &[RM8], 2, (0xFFF8, 0xF6D0), t(3, 0), "---------", "inverts every bit of a byte register"),
    row("NOT", &[RM16], 2, (0xFFF8, 0xF7D0), t(3, 0), "---------", "inverts every bit of a register"),
    row("NOT", &[MEM8], 2, (0xFF38, 0xF610), ea(16, 0), "---------", "inverts every bit of a byte in memory"),
    row("NOT", &[MEM16], 2, (0xFF38, 0xF710), ea(16, 2), "---------", "inverts every bit of a word in memory"),
    row("NEG", &[RM8], 2, (0xFFF8, 0xF6D8), t(3, 0), "*---*****", "changes the sign of a byte register"),
    row("NEG", &[RM16], 2, (0xFFF8, 0xF7D8), t(3, 0), "*---*****", "changes the sign of a register"),
    row("NEG", &[MEM8], 2, (0xFF38, 0xF618), ea(16, 0), "*---*****", "changes the sign of a byte in memory"),
    row("NEG", &[MEM16], 2, (0xFF38, 0xF718), ea(16, 2), "*---*****", "changes the sign of a word in memory"),
    row("MUL", &[RM8], 2, (0xFFF8, 0xF6E0), t(74, 0), "*---????*", "multiplies AL by a register, the product into AX"),
    row("MUL", &[RM16], 2, (0xFFF8, 0xF7E0), t(126, 0), "*---????*", "multiplies AX by a register, the product into DX and AX"),
    row("MUL", &[MEM8], 2, (0xFF38, 0xF620), ea(80, 0), "*---????*", "multiplies AL by a byte in memory, the product into AX"),
    row("MUL", &[MEM16], 2, (0xFF38, 0xF720), ea(132, 1), "*---????*", "multiplies AX by a word in memory, the product into DX and AX"),
    row("IMUL", &[RM8], 2, (0xFFF8, 0xF6E8), t(89, 0), "*---????*", "multiplies AL by a register with signs, the product into AX"),
    row("IMUL", &[RM16], 2, (0xFFF8, 0xF7E8), t(141, 0), "*---????*", "multiplies AX by a register with signs, the product into DX and AX"),
    row("IMUL", &[MEM8], 2, (0xFF38, 0xF628), ea(95, 0), "*---????*", "multiplies AL by a byte in memory with signs, the product into AX"),
    row("IMUL", &[MEM16], 2, (0xFF38, 0xF728), ea(147, 1), "*---????*", "multiplies AX by a word in memory with signs, the product into DX and AX"),
    row("DIV", &[RM8], 2, (0xFFF8, 0xF6F0), t(85, 0), "?---?????", "divides AX by a register: the quotient into AL, the rest into AH"),
    row("DIV", &[RM16], 2, (0xFFF8, 0xF7F0), t(153, 0), "?---?????", "divides DX and AX by a register: the quotient into AX, the rest into DX"),
    row("DIV", &[MEM8], 2, (0xFF38, 0xF630), ea(91, 0), "?---?????", "divides AX by a byte in memory: the quotient into AL, the rest into AH"),
    row("DIV", &[MEM16], 2, (0xFF38, 0xF730), ea(159, 1), "?---?????", "divides DX and AX by a word in memory: the quotient into AX, the rest into DX"),
    row("IDIV", &[RM8], 2, (0xFFF8, 0xF6F8), t(107, 0), "?---?????", "divides AX by a register with signs: the quotient into AL, the rest into AH"),
    row("IDIV", &[RM16], 2, (0xFFF8, 0xF7F8), t(175, 0), "?---?????", "divides DX and AX by a register with signs: the quotient into AX, the rest into DX"),
    row("IDIV", &[MEM8], 2, (0xFF38, 0xF638), ea(113, 0), "?---?????", "divides AX by a byte in memory with signs: the quotient into AL, the rest into AH"),
    row("IDIV", &[MEM16], 2, (0xFF38, 0xF738), ea(181, 1), "?---?????", "divides DX and AX by a word in memory with signs: the quotient into AX, the rest into DX"),
    row("ROL", &[RM8, ONE], 2, (0xFFF8, 0xD0C0), t(2, 0), "*-------*", "turns a byte register left, the highest bit into the lowest and the carry by one"),
    row("ROL", &[RM16, ONE], 2, (0xFFF8, 0xD1C0), t(2, 0), "*-------*", "turns a register left, the highest bit into the lowest and the carry by one"),
    row("ROL", &[MEM8, ONE], 2, (0xFF38, 0xD000), ea(15, 0), "*-------*", "turns a byte in memory left, the highest bit into the lowest and the carry by one"),
    row("ROL", &[MEM16, ONE], 2, (0xFF38, 0xD100), ea(15, 2), "*-------*", "turns a word in memory left, the highest bit into the lowest and the carry by one"),
    row("ROL", &[RM8, CL], 2, (0xFFF8, 0xD2C0), count(8, 0), "*-------*", "turns a byte register left, the highest bit into the lowest and the carry as often as CL says"),
    row("ROL", &[RM16, CL], 2, (0xFFF8, 0xD3C0), count(8, 0), "*-------*", "turns a register left, the highest bit into the lowest and the carry as often as CL says"),
    row("ROL", &[MEM8, CL], 2, (0xFF38, 0xD200), count_ea(20, 0), "*-------*", "turns a byte in memory left, the highest bit into the lowest and the carry as often as CL says"),
    row("ROL", &[MEM16, CL], 2, (0xFF38, 0xD300), count_ea(20, 2), "*-------*", "turns a word in memory left, the highest bit into the lowest and the carry as often as CL says"),
    row("ROR", &[RM8, ONE], 2, (0xFFF8, 0xD0C8), t(2, 0), "*-------*", "turns a byte register right, the lowest bit into the highest and the carry by one"),
    row("ROR", &[RM16, ONE], 2, (0xFFF8, 0xD1C8), t(2, 0), "*-------*", "turns a register right, the lowest bit into the highest and the carry by one"),
    row("ROR", &[MEM8, ONE], 2, (0xFF38, 0xD008), ea(15, 0), "*-------*", "turns a byte in memory right, the lowest bit into the highest and the carry by one"),
    row("ROR", &[MEM16, ONE], 2, (0xFF38, 0xD108), ea(15, 2), "*-------*", "turns a word in memory right, the lowest bit into the highest and the carry by one"),
    row("ROR", &[RM8, CL], 2, (0xFFF8, 0xD2C8), count(8, 0), "*-------*", "turns a byte register right, the lowest bit into the highest and the carry as often as CL says"),
    row("ROR", &[RM16, CL], 2, (0xFFF8, 0xD3C8), count(8, 0), "*-------*", "turns a register right, the lowest bit into the highest and the carry as often as CL says"),
    row("ROR", &[MEM8, CL], 2, (0xFF38, 0xD208), count_ea(20, 0), "*-------*", "turns a byte in memory right, the lowest bit into the highest and the carry as often as CL says"),
    row("ROR", &[MEM16, CL], 2, (0xFF38, 0xD308), count_ea(20, 2), "*-------*", "turns a word in memory right, the lowest bit into the highest and the carry as often as CL says"),
    row("RCL", &[RM8, ONE], 2, (0xFFF8, 0xD0D0), t(2, 0), "*-------*", "turns a byte register left through the carry by one"),
    row("RCL", &[RM16, ONE], 2, (0xFFF8, 0xD1D0), t(2, 0), "*-------*", "turns a register left through the carry by one"),
    row("RCL", &[MEM8, ONE], 2, (0xFF38, 0xD010), ea(15, 0), "*-------*", "turns a byte in memory left through the carry by one"),
    row("RCL", &[MEM16, ONE], 2, (0xFF38, 0xD110), ea(15, 2), "*-------*", "turns a word in memory left through the carry by one"),
    row("RCL", &[RM8, CL], 2, (0xFFF8, 0xD2D0), count(8, 0), "*-------*", "turns a byte register left through the carry as often as CL says"),
    row("RCL", &[RM16, CL], 2, (0xFFF8, 0xD3D0), count(8, 0), "*-------*", "turns a register left through the carry as often as CL says"),
    row("RCL", &[MEM8, CL], 2, (0xFF38, 0xD210), count_ea(20, 0), "*-------*", "turns a byte in memory left through the carry as often as CL says"),
    row("RCL", &[MEM16, CL], 2, (0xFF38, 0xD310), count_ea(20, 2), "*-------*", "turns a word in memory left through the carry as often as CL says"),
    row("RCR", &[RM8, ONE], 2, (0xFFF8, 0xD0D8), t(2, 0), "*-------*", "turns a byte register right through the carry by one"),
    row("RCR", &[RM16, ONE], 2, (0xFFF8, 0xD1D8), t(2, 0), "*-------*", "turns a register right through the carry by one"),
    row("RCR", &[MEM8, ONE], 2, (0xFF38, 0xD018), ea(15, 0), "*-------*", "turns a byte in memory right through the carry by one"),
    row("RCR", &[MEM16, ONE], 2, (0xFF38, 0xD118), ea(15, 2), "*-------*", "turns a word in memory right through the carry by one"),
    row("RCR", &[RM8, CL], 2, (0xFFF8, 0xD2D8), count(8, 0), "*-------*", "turns a byte register right through the carry as often as CL says"),
    row("RCR", &[RM16, CL], 2, (0xFFF8, 0xD3D8), count(8, 0), "*-------*", "turns a register right through the carry as often as CL says"),
    row("RCR", &[MEM8, CL], 2, (0xFF38, 0xD218), count_ea(20, 0), "*-------*", "turns a byte in memory right through the carry as often as CL says"),
    row("RCR", &[MEM16, CL], 2, (0xFF38, 0xD318), count_ea(20, 2), "*-------*", "turns a word in memory right through the carry as often as CL says"),
    row("SHL", &[RM8, ONE], 2, (0xFFF8, 0xD0E0), t(2, 0), "*---**?**", "shifts a byte register left by one"),
    row("SHL", &[RM16, ONE], 2, (0xFFF8, 0xD1E0), t(2, 0), "*---**?**", "shifts a register left by one"),
    row("SHL", &[MEM8, ONE], 2, (0xFF38, 0xD020), ea(15, 0), "*---**?**", "shifts a byte in memory left by one"),
    row("SHL", &[MEM16, ONE], 2, (0xFF38, 0xD120), ea(15, 2), "*---**?**", "shifts a word in memory left by one"),
    row("SHL", &[RM8, CL], 2, (0xFFF8, 0xD2E0), count(8, 0), "*---**?**", "shifts a byte register left as often as CL says"),
    row("SHL", &[RM16, CL], 2, (0xFFF8, 0xD3E0), count(8, 0), "*---**?**", "shifts a register left as often as CL says"),
    row("SHL", &[MEM8, CL], 2, (0xFF38, 0xD220), count_ea(20, 0), "*---**?**", "shifts a byte in memory left as often as CL says"),
    row("SHL", &[MEM16, CL], 2, (0xFF38, 0xD320), count_ea(20, 2), "*---**?**", "shifts a word in memory left as often as CL says"),
    row("SHR", &[RM8, ONE], 2, (0xFFF8, 0xD0E8), t(2, 0), "*---**?**", "shifts a byte register right by one"),
    row("SHR", &[RM16, ONE], 2, (0xFFF8, 0xD1E8), t(2, 0), "*---**?**", "shifts a register right by one"),
    row("SHR", &[MEM8, ONE], 2, (0xFF38, 0xD028), ea(15, 0), "*---**?**", "shifts a byte in memory right by one"),
    row("SHR", &[MEM16, ONE], 2, (0xFF38, 0xD128), ea(15, 2), "*---**?**", "shifts a word in memory right by one"),
    row("SHR", &[RM8, CL], 2, (0xFFF8, 0xD2E8), count(8, 0), "*---**?**", "shifts a byte register right as often as CL says"),
    row("SHR", &[RM16, CL], 2, (0xFFF8, 0xD3E8), count(8, 0), "*---**?**", "shifts a register right as often as CL says"),
    row("SHR", &[MEM8, CL], 2, (0xFF38, 0xD228), count_ea(20, 0), "*---**?**", "shifts a byte in memory right as often as CL says"),
    row("SHR", &[MEM16, CL], 2, (0xFF38, 0xD328), count_ea(20, 2), "*---**?**", "shifts a word in memory right as often as CL says"),
    row("SAR", &[RM8, ONE], 2, (0xFFF8, 0xD0F8), t(2, 0), "*---**?**", "shifts a byte register right, its sign stays by one"),
    row("SAR", &[RM16, ONE], 2, (0xFFF8, 0xD1F8), t(2, 0), "*---**?**", "shifts a register right, its sign stays by one"),
    row("SAR", &[MEM8, ONE], 2, (0xFF38, 0xD038), ea(15, 0), "*---**?**", "shifts a byte in memory right, its sign stays by one"),
    row("SAR", &[MEM16, ONE], 2, (0xFF38, 0xD138), ea(15, 2), "*---**?**", "shifts a word in memory right, its sign stays by one"),
    row("SAR", &[RM8, CL], 2, (0xFFF8, 0xD2F8), count(8, 0), "*---**?**", "shifts a byte register right, its sign stays as often as CL says"),
    row("SAR", &[RM16, CL], 2, (0xFFF8, 0xD3F8), count(8, 0), "*---**?**", "shifts a register right, its sign stays as often as CL says"),
    row("SAR", &[MEM8, CL], 2, (0xFF38, 0xD238), count_ea(20, 0), "*---**?**", "shifts a byte in memory right, its sign stays as often as CL says"),
    row("SAR", &[MEM16, CL], 2, (0xFF38, 0xD338), count_ea(20, 2), "*---**?**", "shifts a word in memory right, its sign stays as often as CL says"),
    row("AAA", &[], 1, (0xFF, 0x37), t(4, 0), "?---??*?*", "makes AL a decimal digit after an addition"),
    row("AAS", &[], 1, (0xFF, 0x3F), t(4, 0), "?---??*?*", "makes AL a decimal digit after a subtraction"),
    row("DAA", &[], 1, (0xFF, 0x27), t(4, 0), "?---*****", "makes AL two decimal digits after an addition"),
    row("DAS", &[], 1, (0xFF, 0x2F), t(4, 0), "?---*****", "makes AL two decimal digits after a subtraction"),
    row("CBW", &[], 1, (0xFF, 0x98), t(2, 0), "---------", "extends the sign of AL into AH"),
    row("CWD", &[], 1, (0xFF, 0x99), t(5, 0), "---------", "extends the sign of AX into DX"),
    row("AAM", &[], 2, (0xFFFF, 0xD40A), t(83, 0), "?---**?*?", "divides AL by ten: the quotient into AH, the rest into AL"),
    row("AAD", &[], 2, (0xFFFF, 0xD50A), t(60, 0), "?---**?*?", "adds ten times AH to AL, and clears AH"),
    row("MOVSB", &[], 1, (0xFF, 0xA4), string(18, 17, 0), "---------", "copies a byte from SI to DI in ES, and moves on"),
    row("MOVSW", &[], 1, (0xFF, 0xA5), string(18, 17, 2), "---------", "copies a word from SI to DI in ES, and moves on"),
    row("CMPSB", &[], 1, (0xFF, 0xA6), string(22, 22, 0), "*---*****", "compares the byte at SI with the one at DI in ES, and moves on"),
    row("CMPSW", &[], 1, (0xFF, 0xA7), string(22, 22, 2), "*---*****", "compares the word at SI with the one at DI in ES, and moves on"),
    row("STOSB", &[], 1, (0xFF, 0xAA), string(11, 10, 0), "---------", "stores AL at DI in ES, and moves on"),
    row("STOSW", &[], 1, (0xFF, 0xAB), string(11, 10, 1), "---------", "stores AX at DI in ES, and moves on"),
    row("LODSB", &[], 1, (0xFF, 0xAC), string(12, 13, 0), "---------", "loads AL from SI, and moves on"),
    row("LODSW", &[], 1, (0xFF, 0xAD), string(12, 13, 1), "---------", "loads AX from SI, and moves on"),
    row("SCASB", &[], 1, (0xFF, 0xAE), string(15, 15, 0), "*---*****", "compares AL with the byte at DI in ES, and moves on"),
    row("SCASW", &[], 1, (0xFF, 0xAF), string(15, 15, 1), "*---*****", "compares AX with the word at DI in ES, and moves on"),
    flow(Flow::Branch, row("JO", &[NEAR], 1, (0xFF, 0x70), branch(4, 16), "---------", "goes to the label if there was an overflow")),
    undocumented(found(flow(Flow::Branch, row("JO", &[NEAR], 1, (0xFF, 0x60), branch(4, 16), "---------", "goes to the label if there was an overflow")))),
    flow(Flow::Branch, row("JNO", &[NEAR], 1, (0xFF, 0x71), branch(4, 16), "---------", "goes to the label if there was no overflow")),
    undocumented(found(flow(Flow::Branch, row("JNO", &[NEAR], 1, (0xFF, 0x61), branch(4, 16), "---------", "goes to the label if there was no overflow")))),
    flow(Flow::Branch, row("JB", &[NEAR], 1, (0xFF, 0x72), branch(4, 16), "---------", "goes to the label if it was below, or there is a carry")),
    undocumented(found(flow(Flow::Branch, row("JB", &[NEAR], 1, (0xFF, 0x62), branch(4, 16), "---------", "goes to the label if it was below, or there is a carry")))),
    written(flow(Flow::Branch, row("JC", &[NEAR], 1, (0xFF, 0x72), branch(4, 16), "---------", "goes to the label if it was below, or there is a carry"))),
    written(flow(Flow::Branch, row("JNAE", &[NEAR], 1, (0xFF, 0x72), branch(4, 16), "---------", "goes to the label if it was below, or there is a carry"))),
    flow(Flow::Branch, row("JAE", &[NEAR], 1, (0xFF, 0x73), branch(4, 16), "---------", "goes to the label if it was not below, or there is no carry")),
    undocumented(found(flow(Flow::Branch, row("JAE", &[NEAR], 1, (0xFF, 0x63), branch(4, 16), "---------", "goes to the label if it was not below, or there is no carry")))),
    written(flow(Flow::Branch, row("JNC", &[NEAR], 1, (0xFF, 0x73), branch(4, 16), "---------", "goes to the label if it was not below, or there is no carry"))),
    written(flow(Flow::Branch, row("JNB", &[NEAR], 1, (0xFF, 0x73), branch(4, 16), "---------", "goes to the label if it was not below, or there is no carry"))),
    flow(Flow::Branch, row("JE", &[NEAR], 1, (0xFF, 0x74), branch(4, 16), "---------", "goes to the label if it was equal, or the result was zero")),
    undocumented(found(flow(Flow::Branch, row("JE", &[NEAR], 1, (0xFF, 0x64), branch(4, 16), "---------", "goes to the label if it was equal, or the result was zero")))),
    written(flow(Flow::Branch, row("JZ", &[NEAR], 1, (0xFF, 0x74), branch(4, 16), "---------", "goes to the label if it was equal, or the result was zero"))),
    flow(Flow::Branch, row("JNE", &[NEAR], 1, (0xFF, 0x75), branch(4, 16), "---------", "goes to the label if it was not equal, or the result was not zero")),
    undocumented(found(flow(Flow::Branch, row("JNE", &[NEAR], 1, (0xFF, 0x65), branch(4, 16), "---------", "goes to the label if it was not equal, or the result was not zero")))),
    written(flow(Flow::Branch, row("JNZ", &[NEAR], 1, (0xFF, 0x75), branch(4, 16), "---------", "goes to the label if it was not equal, or the result was not zero"))),
    flow(Flow::Branch, row("JBE", &[NEAR], 1, (0xFF, 0x76), branch(4, 16), "---------", "goes to the label if it was below or equal")),
    undocumented(found(flow(Flow::Branch, row("JBE", &[NEAR], 1, (0xFF, 0x66), branch(4, 16), "---------", "goes to the label if it was below or equal")))),
    written(flow(Flow::Branch, row("JNA", &[NEAR], 1, (0xFF, 0x76), branch(4, 16), "---------", "goes to the label if it was below or equal"))),
    flow(Flow::Branch, row("JA", &[NEAR], 1, (0xFF, 0x77), branch(4, 16), "---------", "goes to the label if it was above")),
    undocumented(found(flow(Flow::Branch, row("JA", &[NEAR], 1, (0xFF, 0x67), branch(4, 16), "---------", "goes to the label if it was above")))),
    written(flow(Flow::Branch, row("JNBE", &[NEAR], 1, (0xFF, 0x77), branch(4, 16), "---------", "goes to the label if it was above"))),
    flow(Flow::Branch, row("JS", &[NEAR], 1, (0xFF, 0x78), branch(4, 16), "---------", "goes to the label if the result was negative")),
    undocumented(found(flow(Flow::Branch, row("JS", &[NEAR], 1, (0xFF, 0x68), branch(4, 16), "---------", "goes to the label if the result was negative")))),
    flow(Flow::Branch, row("JNS", &[NEAR], 1, (0xFF, 0x79), branch(4, 16), "---------", "goes to the label if the result was not negative")),
    undocumented(found(flow(Flow::Branch, row("JNS", &[NEAR], 1, (0xFF, 0x69), branch(4, 16), "---------", "goes to the label if the result was not negative")))),
    flow(Flow::Branch, row("JP", &[NEAR], 1, (0xFF, 0x7A), branch(4, 16), "---------", "goes to the label if the parity is even")),
    undocumented(found(flow(Flow::Branch, row("JP", &[NEAR], 1, (0xFF, 0x6A), branch(4, 16), "---------", "goes to the label if the parity is even")))),
    written(flow(Flow::Branch, row("JPE", &[NEAR], 1, (0xFF, 0x7A), branch(4, 16), "---------", "goes to the label if the parity is even"))),
    flow(Flow::Branch, row("JNP", &[NEAR], 1, (0xFF, 0x7B), branch(4, 16), "---------", "goes to the label if the parity is odd")),
    undocumented(found(flow(Flow::Branch, row("JNP", &[NEAR], 1, (0xFF, 0x6B), branch(4, 16), "---------", "goes to the label if the parity is odd")))),
    written(flow(Flow::Branch, row("JPO", &[NEAR], 1, (0xFF, 0x7B), branch(4, 16), "---------", "goes to the label if the parity is odd"))),
    flow(Flow::Branch, row("JL", &[NEAR], 1, (0xFF, 0x7C), branch(4, 16), "---------", "goes to the label if it was less")),
    undocumented(found(flow(Flow::Branch, row("JL", &[NEAR], 1, (0xFF, 0x6C), branch(4, 16), "---------", "goes to the label if it was less")))),
    written(flow(Flow::Branch, row("JNGE", &[NEAR], 1, (0xFF, 0x7C), branch(4, 16), "---------", "goes to the label if it was less"))),
    flow(Flow::Branch, row("JGE", &[NEAR], 1, (0xFF, 0x7D), branch(4, 16), "---------", "goes to the label if it was not less")),
    undocumented(found(flow(Flow::Branch, row("JGE", &[NEAR], 1, (0xFF, 0x6D), branch(4, 16), "---------", "goes to the label if it was not less")))),
    written(flow(Flow::Branch, row("JNL", &[NEAR], 1, (0xFF, 0x7D), branch(4, 16), "---------", "goes to the label if it was not less"))),
    flow(Flow::Branch, row("JLE", &[NEAR], 1, (0xFF, 0x7E), branch(4, 16), "---------", "goes to the label if it was less or equal")),
    undocumented(found(flow(Flow::Branch, row("JLE", &[NEAR], 1, (0xFF, 0x6E), branch(4, 16), "---------", "goes to the label if it was less or equal")))),
    written(flow(Flow::Branch, row("JNG", &[NEAR], 1, (0xFF, 0x7E), branch(4, 16), "---------", "goes to the label if it was less or equal"))),
    flow(Flow::Branch, row("JG", &[NEAR], 1, (0xFF, 0x7F), branch(4, 16), "---------", "goes to the label if it was greater")),
    undocumented(found(flow(Flow::Branch, row("JG", &[NEAR], 1, (0xFF, 0x6F), branch(4, 16), "---------", "goes to the label if it was greater")))),
    written(flow(Flow::Branch, row("JNLE", &[NEAR], 1, (0xFF, 0x7F), branch(4, 16), "---------", "goes to the label if it was greater"))),
    flow(Flow::Branch, row("JCXZ", &[NEAR], 1, (0xFF, 0xE3), branch(6, 18), "---------", "goes to the label if CX is 0")),
    flow(Flow::Branch, row("LOOP", &[NEAR], 1, (0xFF, 0xE2), branch(5, 17), "---------", "subtracts 1 from CX and goes to the label if CX is not 0")),
    flow(Flow::Branch, row("LOOPE", &[NEAR], 1, (0xFF, 0xE1), branch(6, 18), "---------", "subtracts 1 from CX and goes to the label if CX is not 0 and it was equal")),
    written(flow(Flow::Branch, row("LOOPZ", &[NEAR], 1, (0xFF, 0xE1), branch(6, 18), "---------", "subtracts 1 from CX and goes to the label if CX is not 0 and it was equal"))),
    flow(Flow::Branch, row("LOOPNE", &[NEAR], 1, (0xFF, 0xE0), branch(5, 19), "---------", "subtracts 1 from CX and goes to the label if CX is not 0 and it was not equal")),
    written(flow(Flow::Branch, row("LOOPNZ", &[NEAR], 1, (0xFF, 0xE0), branch(5, 19), "---------", "subtracts 1 from CX and goes to the label if CX is not 0 and it was not equal"))),
    flow(Flow::Jump, row("JMP", &[NEAR], 1, (0xFF, 0xEB), t(15, 0), "---------", "goes to the label, which is near")),
    flow(Flow::Jump, row("JMP", &[NEAR16], 1, (0xFF, 0xE9), t(15, 0), "---------", "goes to the label")),
    flow(Flow::Jump, row("JMP", &[FAR], 1, (0xFF, 0xEA), t(15, 0), "---------", "goes to the segment and the offset")),
    flow(Flow::Indirect, row("JMP", &[RM16], 2, (0xFFF8, 0xFFE0), t(11, 0), "---------", "goes to the offset in a register")),
    flow(Flow::Indirect, row("JMP", &[MEM16], 2, (0xFF38, 0xFF20), ea(18, 1), "---------", "goes to the offset in memory")),
    flow(Flow::Indirect, row("JMP", &[MEM32], 2, (0xFF38, 0xFF28), ea(24, 2), "---------", "goes to the far pointer in memory")),
    flow(Flow::Call, row("CALL", &[NEAR16], 1, (0xFF, 0xE8), t(19, 1), "---------", "calls the label")),
    flow(Flow::Call, row("CALL", &[FAR], 1, (0xFF, 0x9A), t(28, 2), "---------", "calls the segment and the offset")),
    flow(Flow::Call, row("CALL", &[RM16], 2, (0xFFF8, 0xFFD0), t(16, 1), "---------", "calls the offset in a register")),
    flow(Flow::Call, row("CALL", &[MEM16], 2, (0xFF38, 0xFF10), ea(21, 2), "---------", "calls the offset in memory")),
    flow(Flow::Call, row("CALL", &[MEM32], 2, (0xFF38, 0xFF18), ea(37, 4), "---------", "calls the far pointer in memory")),
    flow(Flow::Return, row("RET", &[], 1, (0xFF, 0xC3), t(8, 1), "---------", "goes back to where it was called from")),
    flow(Flow::Return, row("RET", &[DATA16], 1, (0xFF, 0xC2), t(12, 1), "---------", "goes back, and takes so many bytes more from the stack")),
    undocumented(found(flow(Flow::Return, row("RET", &[], 1, (0xFF, 0xC1), t(8, 1), "---------", "goes back to where it was called from")))),
    undocumented(found(flow(Flow::Return, row("RET", &[DATA16], 1, (0xFF, 0xC0), t(12, 1), "---------", "goes back, and takes so many bytes more from the stack")))),
    flow(Flow::Return, row("RETF", &[], 1, (0xFF, 0xCB), t(18, 2), "---------", "goes back to another segment")),
    flow(Flow::Return, row("RETF", &[DATA16], 1, (0xFF, 0xCA), t(17, 2), "---------", "goes back to another segment, and takes so many bytes more from the stack")),
    undocumented(found(flow(Flow::Return, row("RETF", &[], 1, (0xFF, 0xC9), t(18, 2), "---------", "goes back to another segment")))),
    undocumented(found(flow(Flow::Return, row("RETF", &[DATA16], 1, (0xFF, 0xC8), t(17, 2), "---------", "goes back to another segment, and takes so many bytes more from the stack")))),
    flow(Flow::Call, row("INT", &[THREE], 1, (0xFF, 0xCC), t(52, 5), "--00-----", "calls the routine of interrupt 3")),
    flow(Flow::Call, row("INT", &[DATA8], 1, (0xFF, 0xCD), t(51, 5), "--00-----", "calls the routine of an interrupt")),
    flow(Flow::CallIf, row("INTO", &[], 1, (0xFF, 0xCE), into(), "--00-----", "calls the routine of interrupt 4 if there was an overflow")),
    flow(Flow::Return, row("IRET", &[], 1, (0xFF, 0xCF), t(24, 3), "*********", "goes back from an interrupt, and takes the flags from the stack")),
    row("CLC", &[], 1, (0xFF, 0xF8), t(2, 0), "--------0", "clears the carry"),
    row("STC", &[], 1, (0xFF, 0xF9), t(2, 0), "--------1", "sets the carry"),
    row("CMC", &[], 1, (0xFF, 0xF5), t(2, 0), "--------*", "inverts the carry"),
    row("CLD", &[], 1, (0xFF, 0xFC), t(2, 0), "-0-------", "strings go upwards"),
    row("STD", &[], 1, (0xFF, 0xFD), t(2, 0), "-1-------", "string instructions count down"),
    row("CLI", &[], 1, (0xFF, 0xFA), t(2, 0), "--0------", "interrupts are kept away"),
    flow(Flow::Enable, row("STI", &[], 1, (0xFF, 0xFB), t(2, 0), "--1------", "interrupts may come after the next instruction")),
    flow(Flow::Halt, row("HLT", &[], 1, (0xFF, 0xF4), t(2, 0), "---------", "waits for an interrupt")),
    row("WAIT", &[], 1, (0xFF, 0x9B), t(3, 0), "---------", "waits until the line TEST is low"),
    row("ESC", &[ESCAPE, RM16], 2, (0xF8C0, 0xD8C0), t(2, 0), "---------", "hands an operation to another processor"),
    row("ESC", &[ESCAPE, MEMORY], 2, (0xF800, 0xD800), ea(8, 1), "---------", "hands an operation and a place in memory to another processor"),
    undocumented(row("SALC", &[], 1, (0xFF, 0xD6), t(3, 0), "---------", "sets every bit of AL to the carry")),
];
