//! A decoded instruction as source text.

use super::i8086::segment_name;
use super::modrm;
use super::{Decoded, Effective, InstructionSet, Number, NumberOf, Prefixes, Reach, Repeat, Shape};
use crate::number::push_decimal;

/// An address of a 36-bit machine as it is written. An index may stand after a small negative number.
fn push_effective(
    text: &mut String,
    set: &InstructionSet,
    reach: Reach,
    field: u64,
    name_of: &dyn Fn(u64) -> Option<String>,
) {
    let Effective { indirect, index, address } = Effective::of(field);
    text.push_str(if indirect { "@" } else { "" });
    let value = u64::from(address);
    let name = if reach == Reach::Number { None } else { name_of(value) };
    match name {
        Some(name) => text.push_str(&name),
        None if index != 0 && address == 0 => {}
        None if index != 0 && address >= 0o400000 => {
            text.push('-');
            text.push_str(&set.habit().literal(0o1000000 - value, 1));
        }
        None => text.push_str(&set.habit().literal(value, 1)),
    }
    if index != 0 {
        text.push('(');
        text.push_str(&set.habit().literal(index.into(), 1));
        text.push(')');
    }
}

impl Decoded {
    /// The instruction as source text. `name_of` may give a symbol for an address; numbers are written as the
    /// processor's people write them.
    pub fn text(&self, set: &InstructionSet, name_of: &dyn Fn(u64) -> Option<String>) -> String {
        let mut text = String::with_capacity(24);
        let lower = |text: &mut String, name: &str| {
            text.extend(name.bytes().map(|byte| char::from(byte.to_ascii_lowercase())));
        };
        self.push_prefixes(&mut text);
        lower(&mut text, self.row.mnemonic);
        lower(&mut text, self.suffix.map_or("", |suffix| suffix.names[0]));
        let shown = self.row.operands.iter().zip(&self.operands);
        let shown =
            shown.filter(|(shape, value)| !matches!((shape, value), (Shape::OptionalDigit { .. }, 0)));
        for (at, (shape, &value)) in shown.enumerate() {
            text.push_str(match (at, self.row.operands[..at].last()) {
                (0, _) if self.row.mnemonic.is_empty() => "",
                (0, _) | (_, Some(Shape::Micro(_))) => " ",
                _ => ", ",
            });
            if let Shape::Within(within) = shape {
                lower(&mut text, within.open);
            }
            let inner = shape.inner();
            match inner {
                Shape::Name { names, .. } => lower(&mut text, names.list[value as usize]),
                Shape::Fixed(name) => lower(&mut text, name),
                Shape::Indexed { names, .. } => {
                    let distance = value as u8 as i8;
                    lower(&mut text, names.list[(value >> 8) as usize]);
                    text.push(if distance < 0 { '-' } else { '+' });
                    push_decimal(&mut text, distance.unsigned_abs().into(), 0);
                }
                Shape::Vector => text.push_str(&set.habit().literal(value, 8)),
                Shape::Device(names) => match names.iter().find(|row| u64::from(row.1) == value) {
                    Some((name, _)) => lower(&mut text, name),
                    None => text.push_str(&set.habit().literal(value, 1)),
                },
                Shape::Effective(reach) => push_effective(&mut text, set, reach, value, name_of),
                Shape::OptionalDigit { .. } | Shape::NonZeroDigit { .. } => {
                    text.push_str(&set.habit().literal(value, 1))
                }
                Shape::Digit { .. } if set.habit().default_radix() == 8 => {
                    text.push_str(&set.habit().literal(value, 1));
                }
                Shape::Digit { .. } => push_decimal(&mut text, value, 0),
                Shape::Number(number) => self.push_number(&mut text, set, number, (at, value), name_of),
                Shape::Relative => self.push_address(&mut text, set, value, name_of),
                Shape::Relative16 => self.push_address(&mut text, set, value, name_of),
                Shape::Memory(size) | Shape::Direct(size) => {
                    if let Some(words) = size.words().filter(|_| !self.register_tells_size()) {
                        text.push_str(words);
                        text.push(' ');
                    }
                    let segment = self.prefixes.segment.map(segment_name);
                    modrm::push(&mut text, set, value, segment, name_of);
                }
                Shape::Escape => push_decimal(&mut text, value, 0),
                Shape::Page => text.push_str(
                    &name_of(value).unwrap_or_else(|| set.habit().literal(value, set.address_bits())),
                ),
                Shape::Bits(_) => text.push_str(&set.habit().literal(value, 6)),
                Shape::Micro(group) => {
                    let operations = group.in_word(self.row.value | value).unwrap_or_default();
                    for (at, one) in operations.iter().enumerate() {
                        text.push_str(if at == 0 { "" } else { " " });
                        lower(&mut text, one.name);
                    }
                }
                Shape::Within(_) => {}
            }
            if let Shape::Within(within) = shape {
                lower(&mut text, within.close);
            }
        }
        text
    }

    /// The prefixes in front of the mnemonic; a segment is written with the place in memory, where there is one.
    fn push_prefixes(&self, text: &mut String) {
        let Prefixes { lock, repeat, segment, .. } = self.prefixes;
        text.push_str(if lock { "lock " } else { "" });
        let compares =
            matches!(self.row.mnemonic.as_bytes(), [b'C', b'M', b'P', b'S', _] | [b'S', b'C', b'A', b'S', _]);
        text.push_str(match repeat {
            Some(Repeat::NotEqual) => "repne ",
            Some(Repeat::Equal) if compares => "repe ",
            Some(Repeat::Equal) => "rep ",
            None => "",
        });
        let in_memory = |shape: &Shape| matches!(shape, Shape::Memory(_) | Shape::Direct(_));
        if let Some(segment) = segment.filter(|_| !self.row.operands.iter().any(in_memory)) {
            text.push_str(&segment_name(segment).to_ascii_lowercase());
            text.push(' ');
        }
    }

    /// True where a register among the operands tells how large a place in memory is.
    fn register_tells_size(&self) -> bool {
        self.row.operands.iter().any(|shape| {
            matches!(shape, Shape::Name { .. } | Shape::Fixed("AL" | "AX")) && self.row.mnemonic != "ESC"
        })
    }

    fn push_number(
        &self,
        text: &mut String,
        set: &InstructionSet,
        number: Number,
        (at, value): (usize, u64),
        name_of: &dyn Fn(u64) -> Option<String>,
    ) {
        match number.of {
            NumberOf::Extended => {
                let signed = value as u8 as i8;
                text.push_str(if signed < 0 { "-" } else { "" });
                text.push_str(&set.habit().literal(signed.unsigned_abs().into(), 8));
            }
            NumberOf::Far => {
                text.push_str(&set.habit().literal(value >> 16, 16));
                text.push(':');
                text.push_str(&set.habit().literal(value & 0xFFFF, 16));
            }
            NumberOf::Data | NumberOf::Port => text.push_str(&set.habit().literal(value, number.bits)),
            NumberOf::ZeroPage => {
                text.push_str(&name_of(value).unwrap_or_else(|| set.habit().literal(value, number.bits)));
            }
            NumberOf::Elsewhere => {
                text.push_str(
                    &name_of(value).unwrap_or_else(|| set.habit().literal(value, set.address_bits())),
                );
            }
            NumberOf::Address | NumberOf::Code if number.cells > 2 => {
                text.push_str(&name_of(value).unwrap_or_else(|| set.habit().literal(value, number.bits)));
            }
            NumberOf::Address | NumberOf::Code => {
                if value <= 0xFF && number.of == NumberOf::Address && self.has_shorter(set, at) {
                    text.push_str("absolute ");
                }
                self.push_address(text, set, value, name_of);
            }
        }
    }

    /// An address of 16 bits, or one that its program's window makes longer.
    fn push_address(
        &self,
        text: &mut String,
        set: &InstructionSet,
        value: u64,
        name_of: &dyn Fn(u64) -> Option<String>,
    ) {
        let far = value > 0xFFFF || self.set.cells.window_bits > 16;
        let bits = if far { set.address_bits() } else { 16 };
        let own = || match set.is_segmented() {
            true => set.habit().literal(self.window.number(value as u32).into(), 16),
            false => set.habit().literal(value, bits),
        };
        text.push_str(&name_of(value).unwrap_or_else(own));
    }

    /// True where the assembler would choose a shorter form for an operand in page zero.
    fn has_shorter(&self, set: &InstructionSet, at: usize) -> bool {
        let rows = super::pack(self.row.mnemonic).and_then(|packed| set.table.mnemonics.rows(packed));
        rows.is_some_and(|(rows, _)| {
            set.rows()[rows].iter().any(|row| {
                row.models & set.table.model != 0
                    && row.operands.len() == self.row.operands.len()
                    && row.operands.get(at) == Some(&Shape::ZERO_PAGE)
                    && row.operands[at + 1..] == self.row.operands[at + 1..]
            })
        })
    }
}
