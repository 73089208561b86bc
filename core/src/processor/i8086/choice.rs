//! Which of several ways to say the same is written: the first row of the mnemonic that the operands fit, and the shortest displacement.

use super::table::ROWS;
use crate::processor::modrm::DIRECT;
use crate::processor::{Decoded, MOST_OPERANDS, NumberOf, Row, Shape, Usage};

/// Row and operands as a source text that says the same is assembled.
pub(in crate::processor) fn first_choice(decoded: &Decoded) -> (&'static Row, [u64; MOST_OPERANDS]) {
    let model = decoded.set.table.model;
    let is_earlier = |row: &&&Row| {
        row.mnemonic == decoded.row.mnemonic
            && row.models & model != 0
            && matches!(row.usage, Usage::Whole | Usage::Written)
            && row.operands.len() == decoded.row.operands.len()
    };
    let own = std::ptr::from_ref(decoded.row);
    let rows = ROWS.iter();
    for row in rows.take_while(|row| !std::ptr::eq(*row, own)).filter(|row| is_earlier(&row)) {
        if let Some(operands) = said_by(decoded, row) {
            return (row, shortest(row, operands));
        }
    }
    (decoded.row, shortest(decoded.row, decoded.operands))
}

/// Places in memory with their displacements as short as they can be.
fn shortest(row: &Row, mut operands: [u64; MOST_OPERANDS]) -> [u64; MOST_OPERANDS] {
    for (value, shape) in operands.iter_mut().zip(row.operands) {
        let operand = *value >> 16;
        if !matches!(shape, Shape::Memory(_)) || operand & 0xC7 == DIRECT {
            continue;
        }
        let mode = match *value as u16 as i16 {
            0 if operand & 7 != 6 => 0,
            -0x80..=0x7F => 1,
            _ => 2,
        };
        *value = mode << 22 | (operand & 7) << 16 | *value & 0xFFFF;
    }
    operands
}

/// The operands as another row says them; `None` where it cannot.
fn said_by(decoded: &Decoded, row: &Row) -> Option<[u64; MOST_OPERANDS]> {
    let mut operands = [0; MOST_OPERANDS];
    for (at, (&shape, &other)) in decoded.row.operands.iter().zip(row.operands).enumerate() {
        operands[at] = value_in(decoded, (shape, decoded.operands[at]), other)?;
    }
    Some(operands)
}

fn name_of(shape: Shape, value: u64) -> Option<&'static str> {
    match shape {
        Shape::Name { names, .. } => names.list.get(value as usize).copied(),
        Shape::Fixed(name) => Some(name),
        _ => None,
    }
}

fn value_in(decoded: &Decoded, (shape, value): (Shape, u64), other: Shape) -> Option<u64> {
    match (shape, other) {
        (_, Shape::Name { names, .. }) => names.find(name_of(shape, value)?).map(|place| place as u64),
        (Shape::Number(_), Shape::Fixed(name)) => (name.parse() == Ok(value)).then_some(0),
        (_, Shape::Fixed(name)) => (name_of(shape, value)? == name).then_some(0),
        (Shape::Memory(size), Shape::Direct(of)) => {
            (size == of && value >> 16 & 0xC7 == DIRECT).then_some(value)
        }
        (Shape::Memory(size), Shape::Memory(of)) => (size == of).then_some(value),
        (Shape::Number(number), Shape::Number(of)) if of.of == NumberOf::Extended => {
            let fits = number.bits == 16 && (-0x80..=0x7F).contains(&(value as u16 as i16));
            fits.then_some(value & 0xFF)
        }
        (Shape::Number(number), Shape::Number(of)) => (number == of).then_some(value),
        (Shape::Relative16, Shape::Relative) => {
            let begin = decoded.window.behind(decoded.at, decoded.prefixes.count.into());
            let next = decoded.window.behind(begin, 2);
            let distance =
                decoded.window.number(value as u32).wrapping_sub(decoded.window.number(next)) as u16;
            // One further than it reaches: a label there comes a cell nearer with the shorter jump.
            (-0x80..=0x80).contains(&(distance as i16)).then_some(value)
        }
        (one, other) => (one == other).then_some(value),
    }
}
