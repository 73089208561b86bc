//! The operand byte of the 8086: mode and register-or-memory field, which say where an operand is.
//!
//! Intel, *The 8086 Family User's Manual* (October 1979), tables 4-8 to 4-10 and 2-20.

use super::InstructionSet;

/// How much of memory an operand is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Size {
    /// A byte.
    Byte,
    /// A word of two bytes.
    Word,
    /// An offset and a segment, four bytes.
    Far,
    /// It does not matter: the place is meant.
    Any,
}

impl Size {
    /// The words in front of the operand.
    pub const fn words(self) -> Option<&'static str> {
        match self {
            Size::Byte => Some("byte ptr"),
            Size::Word => Some("word ptr"),
            Size::Far => Some("dword ptr"),
            Size::Any => None,
        }
    }
}

/// The registers whose sum is an offset, by the lowest three bits.
pub const BASES: [&str; 8] = ["bx+si", "bx+di", "bp+si", "bp+di", "si", "di", "bp", "bx"];

/// The operand byte that is an offset alone.
pub(crate) const DIRECT: u64 = 0b00_000_110;

/// True where the byte says that the operand is in memory.
pub const fn is_memory(operand: u64) -> bool {
    operand & 0xC0 != 0xC0
}

/// True where the offset is counted in the stack's segment.
pub const fn is_in_stack(operand: u64) -> bool {
    matches!(operand & 7, 2 | 3) || operand & 7 == 6 && operand & 0xC0 != 0
}

/// How many cells of displacement follow the byte.
pub const fn displacement_cells(operand: u64) -> usize {
    match operand >> 6 & 3 {
        0 if operand & 0xC7 == DIRECT => 2,
        1 => 1,
        2 => 2,
        _ => 0,
    }
}

/// Clocks for the effective address.
pub const fn effective_clocks(operand: u64) -> u8 {
    let sum = match operand & 7 {
        0 | 3 => 7,
        1 | 2 => 8,
        _ => 5,
    };
    match operand >> 6 & 3 {
        0 if operand & 0xC7 == DIRECT => 6,
        0 => sum,
        3 => 0,
        _ => sum + 4,
    }
}

/// A memory operand as a value: the mode and register-or-memory fields above 16 bits of displacement, whose sign is extended.
pub(super) fn read(operand: u64, cells: &[u64]) -> u64 {
    let displacement = match displacement_cells(operand) {
        0 => 0,
        1 => cells[0] as i8 as u16,
        _ => (cells[1] << 8 | cells[0]) as u16,
    };
    (operand & 0xC7) << 16 | u64::from(displacement)
}

/// Puts the displacement of such a value into cells.
pub(super) fn write(value: u64, cells: &mut [u64]) {
    let bytes = [value & 0xFF, value >> 8 & 0xFF];
    cells.iter_mut().zip(bytes).take(displacement_cells(value >> 16)).for_each(|(cell, byte)| *cell = byte);
}

/// A memory operand as it is written: `es:[bx+si-4]`.
pub(super) fn push(
    text: &mut String,
    set: &InstructionSet,
    value: u64,
    segment: Option<&str>,
    name_of: &dyn Fn(u64) -> Option<String>,
) {
    let (operand, displacement) = (value >> 16, value & 0xFFFF);
    if let Some(segment) = segment {
        text.push_str(&segment.to_ascii_lowercase());
        text.push(':');
    }
    text.push('[');
    if operand & 0xC7 == DIRECT {
        text.push_str(&name_of(displacement).unwrap_or_else(|| set.habit().literal(displacement, 16)));
    } else {
        text.push_str(BASES[(operand & 7) as usize]);
        match operand >> 6 & 3 {
            1 => {
                let signed = displacement as u16 as i16;
                text.push(if signed < 0 { '-' } else { '+' });
                text.push_str(&set.habit().literal(signed.unsigned_abs().into(), 8));
            }
            2 => {
                text.push('+');
                text.push_str(&set.habit().literal(displacement, 16));
            }
            _ => {}
        }
    }
    text.push(']');
}
