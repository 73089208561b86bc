//! The instruction table.
//!
//! Digital Equipment Corporation, *PDP-8/E & PDP-8/M Small Computer Handbook*: chapters on the memory reference, operate and
//! input/output transfer instructions, the extended arithmetic element KE8-E and the memory extension KM8-E. Times there are
//! in microseconds; here they are in ticks, tenths of one.

use crate::processor::micro::{Group, Operation};
use crate::processor::{Flow, Row, Shape, Timing, Usage, Within};

/// Bit in [`Row::models`].
pub(super) const PDP8: u8 = 1;

const fn operation(name: &'static str, mask: u64, value: u64) -> Operation {
    Operation { name, mask, value, shown: true }
}

const fn together(name: &'static str, value: u64) -> Operation {
    Operation { name, mask: value, value, shown: false }
}

/// An operation of mode A, which leaves bit 6 to the step counter.
const fn in_mode_a(name: &'static str, value: u64) -> Operation {
    Operation { name, mask: 0o016, value, shown: false }
}

/// Group 1.
pub(super) const GROUP1: Group = Group {
    title: "operate group 1",
    base: 0o7000,
    bits: 0o377,
    operations: &[
        together("STL", 0o120),
        together("GLK", 0o204),
        together("STA", 0o240),
        together("CIA", 0o041),
        operation("CLA", 0o200, 0o200),
        operation("CLL", 0o100, 0o100),
        operation("CMA", 0o040, 0o040),
        operation("CML", 0o020, 0o020),
        operation("IAC", 0o001, 0o001),
        operation("RAR", 0o016, 0o010),
        operation("RAL", 0o016, 0o004),
        operation("RTR", 0o016, 0o012),
        operation("RTL", 0o016, 0o006),
        operation("BSW", 0o016, 0o002),
    ],
    rule: "the accumulator goes one way only: one of RAR, RAL, RTR, RTL and BSW",
};

/// Group 2.
pub(super) const GROUP2: Group = Group {
    title: "operate group 2",
    base: 0o7400,
    bits: 0o376,
    operations: &[
        together("LAS", 0o204),
        operation("SMA", 0o110, 0o100),
        operation("SZA", 0o050, 0o040),
        operation("SNL", 0o030, 0o020),
        operation("SPA", 0o110, 0o110),
        operation("SNA", 0o050, 0o050),
        operation("SZL", 0o030, 0o030),
        operation("SKP", 0o170, 0o010),
        operation("CLA", 0o200, 0o200),
        operation("OSR", 0o004, 0o004),
        operation("HLT", 0o002, 0o002),
    ],
    rule: "one bit turns all tests round: SMA, SZA and SNL skip where one of them holds, SPA, SNA and SZL where all of them hold, SKP always",
};

/// Group 3: the multiplier quotient register and the extended arithmetic element.
pub(super) const GROUP3: Group = Group {
    title: "operate group 3",
    base: 0o7401,
    bits: 0o376,
    operations: &[
        together("CAM", 0o220),
        together("ACL", 0o300),
        together("DLD", 0o262),
        together("DDZ", 0o264),
        together("SCA", 0o040),
        in_mode_a("SCL", 0o002),
        in_mode_a("MUY", 0o004),
        in_mode_a("DVI", 0o006),
        in_mode_a("NMI", 0o010),
        in_mode_a("SHL", 0o012),
        in_mode_a("ASR", 0o014),
        in_mode_a("LSR", 0o016),
        together("MQA", 0o100),
        together("MQL", 0o020),
        operation("CLA", 0o200, 0o200),
        operation("MQA", 0o120, 0o100),
        operation("MQL", 0o120, 0o020),
        operation("SWP", 0o120, 0o120),
        operation("SCA", 0o056, 0o040),
        operation("SCL", 0o056, 0o002),
        Operation { name: "ACS", mask: 0o056, value: 0o002, shown: false },
        operation("MUY", 0o056, 0o004),
        operation("DVI", 0o056, 0o006),
        operation("NMI", 0o056, 0o010),
        operation("SHL", 0o056, 0o012),
        operation("ASR", 0o056, 0o014),
        operation("LSR", 0o056, 0o016),
        operation("DAD", 0o056, 0o042),
        operation("DST", 0o056, 0o044),
        operation("DPSZ", 0o056, 0o050),
        operation("SAM", 0o056, 0o056),
    ],
    rule: "one operation of the arithmetic element a word; SCA goes with those of mode A, MQA and MQL together are SWP",
};

const CELLS_ON: Shape = Shape::DATA12;

const INDIRECT: Within = Within { open: "I ", inner: Shape::Page, close: "", place: "I addr" };

/// An instruction with its own word.
const fn word(mnemonic: &'static str, value: u64, flags: &'static str, meaning: &'static str) -> Row {
    Row {
        mnemonic,
        operands: &[],
        opcode_cells: 1,
        mask: 0o7777,
        value,
        timing: [Timing::always(12); 2],
        flags: [flags; 2],
        models: PDP8,
        usage: Usage::Whole,
        flow: Flow::On,
        meaning,
    }
}

/// A skip.
const fn skip(mnemonic: &'static str, value: u64, meaning: &'static str) -> Row {
    Row { flow: Flow::Skip, ..word(mnemonic, value, "-", meaning) }
}

/// An operate instruction; one that may also stand for several is written only.
const fn written(row: Row) -> Row {
    Row { usage: Usage::Written, ..row }
}

const fn at(row: Row, tenths: u8) -> Row {
    Row { timing: [Timing::always(tenths); 2], ..row }
}

/// An instruction with the word after it.
const fn with_word(row: Row, tenths: u8) -> Row {
    Row { operands: &[CELLS_ON], timing: [Timing::always(tenths); 2], ..row }
}

/// An instruction with the address of two words after it.
const fn with_address(row: Row, tenths: u8) -> Row {
    Row { operands: &[Shape::ADDRESS12], timing: [Timing::always(tenths); 2], ..row }
}

const fn direct(
    mnemonic: &'static str,
    value: u64,
    tenths: u8,
    flow: Flow,
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    Row {
        mask: 0o7400,
        operands: &[Shape::Page],
        timing: [Timing::always(tenths); 2],
        flow,
        ..word(mnemonic, value, flags, meaning)
    }
}

const fn indirect(
    mnemonic: &'static str,
    value: u64,
    tenths: u8,
    flow: Flow,
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    let timing = Timing { page: 2, ..Timing::always(tenths) };
    Row {
        mask: 0o7400,
        operands: &[Shape::Within(&INDIRECT)],
        timing: [timing; 2],
        flow,
        ..word(mnemonic, value | 0o400, flags, meaning)
    }
}

/// Words with several operations.
const fn combined(
    group: &'static [Shape],
    mask: u64,
    value: u64,
    flow: Flow,
    flags: &'static str,
    meaning: &'static str,
) -> Row {
    Row {
        mnemonic: "",
        operands: group,
        opcode_cells: 1,
        mask,
        usage: Usage::Combined,
        flow,
        ..word("", value, flags, meaning)
    }
}

const fn field(mnemonic: &'static str, value: u64, meaning: &'static str) -> Row {
    Row { mask: 0o7707, operands: &[Shape::Bits(0o70)], ..word(mnemonic, value, "-", meaning) }
}

/// Where a combined word has another operation in its bits 8 to 10.
const OPERATION: u64 = 0o7417;

/// Every row; the rows of a mnemonic stand together.
pub(super) const ROWS: &[Row] = &[
    direct("AND", 0o0000, 26, Flow::On, "-", "and the cell into the accumulator"),
    indirect("AND", 0o0000, 38, Flow::On, "-", "and the cell into the accumulator, its address in a cell"),
    direct("TAD", 0o1000, 26, Flow::On, "*", "add the cell to the accumulator; a carry changes the link"),
    indirect("TAD", 0o1000, 38, Flow::On, "*", "add the cell to the accumulator, its address in a cell"),
    direct("ISZ", 0o2000, 26, Flow::Skip, "-", "count the cell up and skip if it is then zero"),
    indirect(
        "ISZ",
        0o2000,
        38,
        Flow::Skip,
        "-",
        "count the cell up and skip if it is then zero, its address in a cell",
    ),
    direct("DCA", 0o3000, 26, Flow::On, "-", "put the accumulator into the cell and clear the accumulator"),
    indirect(
        "DCA",
        0o3000,
        38,
        Flow::On,
        "-",
        "put the accumulator into the cell and clear it, the address in a cell",
    ),
    direct(
        "JMS",
        0o4000,
        26,
        Flow::CallStoring,
        "-",
        "put the next address into the cell and go on after it",
    ),
    indirect(
        "JMS",
        0o4000,
        38,
        Flow::CallStoring,
        "-",
        "put the next address into the cell and go on after it, its address in a cell",
    ),
    direct("JMP", 0o5000, 12, Flow::Jump, "-", "go to the address"),
    indirect("JMP", 0o5000, 24, Flow::Indirect, "-", "go to the address in the cell"),
    // Processor.
    skip("SKON", 0o6000, "skip if interrupts are on, and turn them off"),
    Row { flow: Flow::Enable, ..word("ION", 0o6001, "-", "interrupts on after the next instruction") },
    word("IOF", 0o6002, "-", "interrupts off"),
    skip("SRQ", 0o6003, "skip if a device asks for an interrupt"),
    word("GTF", 0o6004, "-", "the flags, the interrupt state and the save field into the accumulator"),
    word("RTF", 0o6005, "*", "the flags and fields from the accumulator, interrupts on after the next jump"),
    skip("SGT", 0o6006, "skip if the greater than flag is set"),
    word("CAF", 0o6007, "0", "clear the accumulator, the link and the flags of all devices, interrupts off"),
    // Paper tape reader and punch, keyboard and printer.
    word("RPE", 0o6010, "-", "let the reader and the punch ask for interrupts"),
    skip("RSF", 0o6011, "skip if the reader has a frame"),
    word("RRB", 0o6012, "-", "or the frame into the accumulator and clear the reader flag"),
    word("RFC", 0o6014, "-", "clear the reader flag and fetch a frame"),
    word("PCE", 0o6020, "-", "keep the reader and the punch from asking for interrupts"),
    skip("PSF", 0o6021, "skip if the punch is ready"),
    word("PCF", 0o6022, "-", "clear the punch flag"),
    word("PPC", 0o6024, "-", "punch the accumulator's low eight bits"),
    word("PLS", 0o6026, "-", "clear the punch flag and punch the accumulator's low eight bits"),
    word("KCF", 0o6030, "-", "clear the keyboard flag"),
    skip("KSF", 0o6031, "skip if the keyboard has a character"),
    word("KCC", 0o6032, "-", "clear the accumulator and the keyboard flag"),
    word("KRS", 0o6034, "-", "or the character into the accumulator"),
    word("KIE", 0o6035, "-", "let keyboard and printer ask for interrupts where bit 11 is 1, or not"),
    word("KRB", 0o6036, "-", "the character into the accumulator; clear the keyboard flag"),
    word("TFL", 0o6040, "-", "set the printer flag"),
    skip("TSF", 0o6041, "skip if the printer is ready"),
    word("TCF", 0o6042, "-", "clear the printer flag"),
    word("TPC", 0o6044, "-", "print the accumulator's low bits"),
    skip("TSK", 0o6045, "skip if keyboard or printer asks for an interrupt"),
    word("TLS", 0o6046, "-", "clear the printer flag and print the accumulator's low bits"),
    // Memory extension.
    field("CDF", 0o6201, "the data field is this one"),
    field("CIF", 0o6202, "the instruction field is this one after the next jump"),
    field("CDI", 0o6203, "both fields are this one, the instruction field after the next jump"),
    word("RDF", 0o6214, "-", "or the data field into bits 6 to 8 of the accumulator"),
    word("RIF", 0o6224, "-", "or the instruction field into bits 6 to 8 of the accumulator"),
    word("RIB", 0o6234, "-", "or the save field into bits 6 to 11 of the accumulator"),
    word("RMF", 0o6244, "-", "the fields from the save field, the instruction field after the next jump"),
    // Any other device.
    Row {
        mask: 0o7000,
        operands: &[Shape::Digit { shift: 3, last: 0o77 }, Shape::Digit { shift: 0, last: 7 }],
        usage: Usage::Whole,
        ..word("IOT", 0o6000, "-", "a transfer with the device: pulses 1, 2 and 4 of the number")
    },
    // Operate group 1.
    word("NOP", 0o7000, "-", "nothing"),
    word("CLA", 0o7200, "-", "clear the accumulator"),
    word("CLL", 0o7100, "0", "clear the link"),
    word("CMA", 0o7040, "-", "complement the accumulator"),
    word("CML", 0o7020, "*", "complement the link"),
    word("IAC", 0o7001, "*", "count the accumulator up; a carry changes the link"),
    word("RAR", 0o7010, "*", "turn accumulator and link right by one"),
    word("RTR", 0o7012, "*", "turn accumulator and link right by two"),
    word("RAL", 0o7004, "*", "turn accumulator and link left by one"),
    word("RTL", 0o7006, "*", "turn accumulator and link left by two"),
    word("BSW", 0o7002, "-", "exchange the halves of the accumulator"),
    word("CIA", 0o7041, "*", "complement the accumulator and count it up: its negative"),
    word("STL", 0o7120, "1", "set the link"),
    word("GLK", 0o7204, "*", "the link into the accumulator"),
    word("STA", 0o7240, "-", "all bits of the accumulator are 1"),
    // Operate group 2.
    skip("SMA", 0o7500, "skip if the accumulator is minus"),
    skip("SZA", 0o7440, "skip if the accumulator is zero"),
    skip("SNL", 0o7420, "skip if the link is 1"),
    skip("SPA", 0o7510, "skip if the accumulator is plus"),
    skip("SNA", 0o7450, "skip if the accumulator is not zero"),
    skip("SZL", 0o7430, "skip if the link is 0"),
    Row { flow: Flow::SkipAlways, ..word("SKP", 0o7410, "-", "skip") },
    word("OSR", 0o7404, "-", "or the switches into the accumulator"),
    word("LAS", 0o7604, "-", "the switches into the accumulator"),
    Row { flow: Flow::Stop, ..word("HLT", 0o7402, "-", "stop") },
    // Operate group 3.
    word("MQA", 0o7501, "-", "or the multiplier quotient into the accumulator"),
    word("MQL", 0o7421, "-", "the accumulator into the multiplier quotient; clear the accumulator"),
    word("SWP", 0o7521, "-", "exchange accumulator and multiplier quotient"),
    word("CAM", 0o7621, "-", "clear the accumulator and the multiplier quotient"),
    word("ACL", 0o7701, "-", "the multiplier quotient into the accumulator"),
    word("SCA", 0o7441, "-", "or the step counter into the accumulator"),
    with_word(word("SCL", 0o7403, "-", "mode A: the complement of the word after into the step counter"), 26),
    written(word("ACS", 0o7403, "-", "mode B: the accumulator into the step counter; clear the accumulator")),
    with_word(
        word(
            "MUY",
            0o7405,
            "0",
            "multiply the quotient register; mode A by the word after, mode B by the cell whose address it is",
        ),
        74,
    ),
    with_word(
        word(
            "DVI",
            0o7407,
            "*",
            "divide both registers; mode A by the word after, mode B by the cell whose address it is",
        ),
        74,
    ),
    at(
        word(
            "NMI",
            0o7411,
            "*",
            "shift both registers left until the first two bits differ; the step counter counts",
        ),
        15,
    ),
    with_word(
        word(
            "SHL",
            0o7413,
            "*",
            "shift link and both registers left, by the word after, in mode A by one more",
        ),
        26,
    ),
    with_word(
        word(
            "ASR",
            0o7415,
            "*",
            "shift both registers right with the sign, by the word after, in mode A by one more",
        ),
        26,
    ),
    with_word(
        word(
            "LSR",
            0o7417,
            "0",
            "shift both registers right with zeros, by the word after, in mode A by one more",
        ),
        26,
    ),
    word("SWAB", 0o7431, "-", "the arithmetic element into mode B"),
    with_address(word("DAD", 0o7443, "*", "mode B: add two cells to both registers, the low one first"), 52),
    with_address(
        word("DST", 0o7445, "-", "mode B: put both registers into two cells, the low one first"),
        54,
    ),
    word("SWBA", 0o7447, "-", "mode B: the arithmetic element into mode A"),
    skip("DPSZ", 0o7451, "mode B: skip if both registers are zero"),
    word("SAM", 0o7457, "*", "mode B: the quotient register less the accumulator into the accumulator"),
    at(word("DPIC", 0o7573, "*", "mode B: count both registers up, as one number"), 18),
    at(word("DCM", 0o7575, "*", "mode B: the negative of both registers, as one number"), 18),
    with_address(
        word("DLD", 0o7663, "0", "mode B: load both registers from two cells, the low one first"),
        52,
    ),
    with_address(word("DDZ", 0o7665, "-", "mode B: put zero into two cells"), 54),
    Row { usage: Usage::Found, ..word("NOP", 0o7400, "-", "nothing, as a skip that tests nothing") },
    Row { usage: Usage::Found, ..word("NOP", 0o7401, "-", "nothing, as an operation of group 3") },
    Row {
        usage: Usage::Found,
        ..word("CLA", 0o7600, "-", "clear the accumulator, as an operation of group 2")
    },
    Row {
        usage: Usage::Found,
        ..word("CLA", 0o7601, "-", "clear the accumulator, as an operation of group 3")
    },
    // Several operations in one word.
    combined(
        &[Shape::Micro(&GROUP1)],
        0o7400,
        0o7000,
        Flow::On,
        "*",
        "several operations of group 1, in the order shown",
    ),
    combined(
        &[Shape::Micro(&GROUP2)],
        0o7413,
        0o7400,
        Flow::Skip,
        "-",
        "skip if one of the tests holds; then the other operations",
    ),
    combined(
        &[Shape::Micro(&GROUP2)],
        0o7573,
        0o7410,
        Flow::SkipAlways,
        "-",
        "skip; then the other operations",
    ),
    combined(
        &[Shape::Micro(&GROUP2)],
        0o7413,
        0o7410,
        Flow::Skip,
        "-",
        "skip if all of the tests hold; then the other operations",
    ),
    combined(&[Shape::Micro(&GROUP2)], 0o7403, 0o7402, Flow::Stop, "-", "stop, after the other operations"),
    at(
        combined(
            &[Shape::Micro(&GROUP3), CELLS_ON],
            OPERATION,
            0o7403,
            Flow::On,
            "*",
            "the operations in the order shown, with the word after",
        ),
        26,
    ),
    at(
        combined(
            &[Shape::Micro(&GROUP3), CELLS_ON],
            OPERATION,
            0o7405,
            Flow::On,
            "*",
            "the operations in the order shown, with the word after",
        ),
        74,
    ),
    at(
        combined(
            &[Shape::Micro(&GROUP3), CELLS_ON],
            0o7457,
            0o7407,
            Flow::On,
            "*",
            "the operations in the order shown, with the word after",
        ),
        74,
    ),
    at(
        combined(
            &[Shape::Micro(&GROUP3), CELLS_ON],
            0o7457,
            0o7413,
            Flow::On,
            "*",
            "the operations in the order shown, with the word after",
        ),
        26,
    ),
    at(
        combined(
            &[Shape::Micro(&GROUP3), CELLS_ON],
            0o7457,
            0o7415,
            Flow::On,
            "*",
            "the operations in the order shown, with the word after",
        ),
        26,
    ),
    at(
        combined(
            &[Shape::Micro(&GROUP3), CELLS_ON],
            0o7457,
            0o7417,
            Flow::On,
            "*",
            "the operations in the order shown, with the word after",
        ),
        26,
    ),
    combined(
        &[Shape::Micro(&GROUP3)],
        0o7401,
        0o7401,
        Flow::On,
        "*",
        "several operations of group 3, in the order shown",
    ),
];

/// The groups of operations.
pub(super) const GROUPS: &[&Group] = &[&GROUP1, &GROUP2, &GROUP3];
