//! From a row and its operands to cells.

use super::modrm;
use super::{LONGEST, Row, Shape, page_field};

/// Encodes a row at an address with its operand values into `out` and returns how many cells it took.
///
/// Values are masked to their field; the caller has checked them against [`Shape::range`].
pub fn encode(row: &Row, address: u32, operands: &[u64], out: &mut [u64; LONGEST]) -> usize {
    let mut first = row.value;
    let mut at = row.operands_at();
    for (&operand, shape) in operands.iter().zip(row.operands) {
        match shape.inner() {
            Shape::Name { names, shift } => first |= (operand & (names.list.len() as u64 - 1)) << shift,
            Shape::Digit { shift, last }
            | Shape::OptionalDigit { shift, last }
            | Shape::NonZeroDigit { shift, last } => {
                first |= (operand & u64::from(last)) << shift;
            }
            Shape::Indexed { names, shift } => {
                first |= (operand >> 8 & (names.list.len() as u64 - 1)) << shift;
                out[at] = operand & 0xFF;
            }
            Shape::Vector => first |= operand & 0x38,
            Shape::Device(_) => first |= (operand & 0o774) << 24,
            Shape::Effective(_) => first |= operand & 0o37_777777,
            Shape::Bits(mask) => first |= operand & mask,
            Shape::Micro(group) => first |= operand & group.bits,
            Shape::Page => first |= page_field(operand, address).unwrap_or(0),
            Shape::Memory(_) => {
                first |= operand >> 16 & 0xC7;
                modrm::write(operand, &mut out[at..]);
            }
            Shape::Direct(_) => modrm::write(operand, &mut out[at..]),
            Shape::Escape => first |= (operand & 0x38) << 5 | (operand & 7) << 3,
            Shape::Relative16 => {
                let distance = operand.wrapping_sub(u64::from(address) + at as u64 + 2);
                (out[at], out[at + 1]) = (distance & 0xFF, distance >> 8 & 0xFF);
            }
            Shape::Fixed(_) | Shape::Within(_) => {}
            Shape::Number(number) => number.write(operand, &mut out[at..]),
            Shape::Relative => {
                let end = u64::from(address) + at as u64 + 1;
                out[at] = operand.wrapping_sub(end) & 0xFF;
            }
        }
        at += shape.cells_in(first);
    }
    match row.opcode_cells {
        1 => out[0] = first,
        2 => (out[0], out[1]) = (first >> 8, first & 0xFF),
        _ => {
            (out[0], out[1], out[at]) = (first >> 16, first >> 8 & 0xFF, first & 0xFF);
            return at + 1;
        }
    }
    at
}
