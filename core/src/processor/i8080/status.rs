//! What the 8080 puts out at the beginning of each machine cycle (Intel, *8080 Microcomputer Systems User's Manual*, "Status
//! information definition").

use crate::processor::{Decoded, Shape, Status};

const WO: u8 = 0x02;
const STACK: u8 = 0x04;
const HLTA: u8 = 0x08;
const OUT: u8 = 0x10;
const M1: u8 = 0x20;
const INP: u8 = 0x40;
const MEMR: u8 = 0x80;

const FETCH: u8 = MEMR | M1 | WO;
const READ: u8 = MEMR | WO;
const WRITE: u8 = 0;
const STACK_READ: u8 = MEMR | STACK | WO;
const STACK_WRITE: u8 = STACK;

/// The status byte, its bits by name from the right.
pub static STATUS: Status = Status {
    names: &["INTA", "WO", "STACK", "HLTA", "OUT", "M1", "INP", "MEMR"],
    halted: MEMR | HLTA | WO,
    at,
};

/// T-states of a machine cycle after the first.
const CYCLE: u64 = 3;

/// The machine cycles after those that fetch the instruction.
fn behind(decoded: &Decoded) -> &'static [u8] {
    // The cell that HL points to, as the first operand or the second.
    let at_hl = |place: usize| match (decoded.row.operands.get(place), decoded.operands.get(place)) {
        (Some(Shape::Name { names, .. }), Some(&value)) => names.list.get(value as usize) == Some(&"M"),
        (Some(Shape::Fixed(name)), _) => *name == "M",
        _ => false,
    };
    match decoded.row.mnemonic {
        "INR" | "DCR" if at_hl(0) => &[READ, WRITE],
        "MOV" | "MVI" if at_hl(0) => &[WRITE],
        "MOV" if at_hl(1) => &[READ],
        "ADD" | "ADC" | "SUB" | "SBB" | "ANA" | "XRA" | "ORA" | "CMP" if at_hl(0) => &[READ],
        "LDA" | "LDAX" => &[READ],
        "STA" | "STAX" => &[WRITE],
        "LHLD" => &[READ, READ],
        "SHLD" => &[WRITE, WRITE],
        "PUSH" | "CALL" | "RST" => &[STACK_WRITE, STACK_WRITE],
        "POP" | "RET" => &[STACK_READ, STACK_READ],
        "XTHL" => &[STACK_READ, STACK_READ, STACK_WRITE, STACK_WRITE],
        "IN" => &[INP | WO],
        "OUT" => &[OUT],
        _ => &[],
    }
}

/// The status at one of the T-states of an instruction that takes so many: what a condition decides is not done.
fn at(decoded: &Decoded, states: u64, moment: u64) -> u8 {
    let operands = decoded.cells() as u64 - 1;
    let behind = behind(decoded);
    let first = states.saturating_sub(CYCLE * (operands + behind.len() as u64));
    match (moment % states.max(1)).checked_sub(first).map(|after| after / CYCLE) {
        None => FETCH,
        Some(cycle) if cycle < operands => READ,
        Some(cycle) => behind.get((cycle - operands) as usize).copied().unwrap_or(FETCH),
    }
}
