//! Calls of services that do not come back: after them execution does not go on.
//!
//! Which call an interrupt 21h is, AH says; it is known where it was set in the same straight line.

use crate::processor::{Decoded, NumberOf, Shape};

/// What AH holds along a straight line, as far as the instructions tell.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct KnownCall(Option<u8>);

/// Interrupts that never come back: the system is loaded, the prompt, the program ends, ends and stays.
const ENDS: [u64; 4] = [0x18, 0x19, 0x20, 0x27];

/// Calls of interrupt 21h that end the program.
const ENDING_CALLS: [u8; 3] = [0x00, 0x31, 0x4C];

impl KnownCall {
    /// Takes note of an instruction that has gone by.
    pub fn follow(&mut self, decoded: &Decoded) {
        if !decoded.set.is_segmented() {
            return;
        }
        let operands = decoded.row.operands;
        let register = |at: usize| match operands.get(at) {
            Some(Shape::Name { names, .. }) => names.list.get(decoded.operands[at] as usize).copied(),
            Some(Shape::Fixed(name)) => Some(*name),
            _ => None,
        };
        let number = |at: usize| match operands.get(at) {
            Some(Shape::Number(number)) if number.of != NumberOf::Far => Some(decoded.operands[at]),
            _ => None,
        };
        match (decoded.row.mnemonic, register(0), number(1)) {
            ("MOV", Some("AH"), Some(value)) => self.0 = Some(value as u8),
            ("MOV", Some("AX"), Some(value)) => self.0 = Some((value >> 8) as u8),
            ("XOR" | "SUB", Some("AX" | "AH"), None) if register(0) == register(1) => self.0 = Some(0),
            // What writes another register, or none, leaves it.
            (
                "MOV" | "LEA" | "ADD" | "SUB" | "AND" | "OR" | "XOR" | "INC" | "DEC" | "SHL" | "SHR",
                Some(other),
                _,
            ) if !matches!(other, "AX" | "AH") => {}
            ("CMP" | "TEST" | "PUSH" | "STI" | "CLI" | "CLD" | "STD", _, _) => {}
            _ => self.0 = None,
        }
    }

    /// True where AH is known to hold the number of a call.
    pub fn is(self, call: u8) -> bool {
        self.0 == Some(call)
    }

    /// True where an instruction calls a service that does not come back.
    pub fn ends(self, decoded: &Decoded) -> bool {
        if decoded.row.mnemonic != "INT" || !decoded.set.is_segmented() || decoded.row.operands.is_empty() {
            return false;
        }
        let number = decoded.operands[0];
        ENDS.contains(&number) || number == 0x21 && self.0.is_some_and(|call| ENDING_CALLS.contains(&call))
    }
}
