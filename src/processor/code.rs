//! Encoding and decoding, both driven by the rows of a table alone.

use super::set::Suffix;
use super::shape::Effective;
use super::{Flow, InstructionSet, Reach, Row, Shape, Timing};
use crate::number::push_decimal;
use std::borrow::Cow;

/// How a row speaks of the condition that one of its operands names.
const ANY_CONDITION: &str = "the condition holds";

/// The longest instruction of any processor here, in cells.
pub const LONGEST: usize = 8;

/// The most operands of any row.
pub const MOST_OPERANDS: usize = 3;

/// A decoded instruction: the row and the value of each operand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Decoded {
    /// Where it stands.
    pub at: u32,
    /// The row.
    pub row: &'static Row,
    /// The set it was read by.
    pub set: &'static InstructionSet,
    /// The cell in front of it that gives it the widths of another set.
    pub suffix: Option<&'static Suffix>,
    /// Operand values in writing order: a name's place in its set, or the number itself.
    pub operands: [u64; MOST_OPERANDS],
}

/// More cells are needed to decode.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the instruction goes on for {missing} more cells")]
pub struct NotEnough {
    /// How many cells are missing.
    pub missing: usize,
}

/// Decodes the instruction at the start of `cells`, which stand at the address `at`. `Ok(None)` means the cell is no
/// instruction of this set.
///
/// # Errors
/// [`NotEnough`] where `cells` ends inside the instruction.
pub fn decode(
    set: &'static InstructionSet,
    cells: &[u64],
    address: u32,
) -> Result<Option<Decoded>, NotEnough> {
    if let Some(suffix) = cells.first().and_then(|&first| set.suffix(first)) {
        return suffixed(set, suffix, &cells[1..], address);
    }
    let Some(found) = set.opcode(cells)? else { return Ok(None) };
    let (row, first) = (found.row, found.value);
    if cells.len() < row.cells() {
        return Err(NotEnough { missing: row.cells() - cells.len() });
    }
    let mut operands = [0; MOST_OPERANDS];
    let mut at = row.operands_at();
    for (operand, shape) in operands.iter_mut().zip(row.operands) {
        *operand = match shape.cells() {
            0 if shape.inner() == Shape::Page => page_address(first, address),
            0 => shape.field(first).unwrap_or(0),
            1 if *shape == Shape::Relative => {
                let end = i64::from(address) + at as i64 + 1;
                (end + i64::from(cells[at] as i8)) as u64 & u64::from(set.last_address())
            }
            1 if matches!(shape.inner(), Shape::Indexed { .. }) => {
                shape.field(first).unwrap_or(0) << 8 | cells[at]
            }
            1 => cells[at],
            2 => set.in_page(*shape, cells[at] | cells[at + 1] << 8, address),
            _ => cells[at] | cells[at + 1] << 8 | cells[at + 2] << 16,
        };
        at += shape.cells();
    }
    Ok(Some(Decoded { at: address, row, set, suffix: None, operands }))
}

/// An instruction behind a suffix, which no other may follow.
fn suffixed(
    set: &'static InstructionSet,
    suffix: &'static Suffix,
    cells: &[u64],
    address: u32,
) -> Result<Option<Decoded>, NotEnough> {
    if cells.first().is_some_and(|&next| suffix.set.suffix(next).is_some()) {
        return Ok(None);
    }
    let found = decode(suffix.set, cells, address.wrapping_add(1))?;
    Ok(found.map(|decoded| Decoded { at: address, set, suffix: Some(suffix), ..decoded }))
}

impl InstructionSet {
    /// An address of a word's bits as the program that stands at `at` means it.
    fn in_page(&self, shape: Shape, value: u64, at: u32) -> u64 {
        match self.modes {
            Some(modes) if modes.short_addresses && shape.is_address() => value | u64::from(at) & !0xFFFF,
            _ => value,
        }
    }
}

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
            Shape::Data12 | Shape::Address12 => out[at] = operand & 0o7777,
            Shape::Fixed(_) | Shape::Within(_) => {}
            Shape::Data8 | Shape::Port | Shape::ZeroPage => out[at] = operand & 0xFF,
            Shape::Relative => {
                let end = u64::from(address) + at as u64 + 1;
                out[at] = operand.wrapping_sub(end) & 0xFF;
            }
            Shape::Data16 | Shape::Address | Shape::Target => {
                out[at] = operand & 0xFF;
                out[at + 1] = operand >> 8 & 0xFF;
            }
            Shape::Data24 | Shape::Address24 | Shape::Target24 => {
                for (place, cell) in out[at..at + 3].iter_mut().enumerate() {
                    *cell = operand >> (8 * place) & 0xFF;
                }
            }
        }
        at += shape.cells();
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

/// An address of a 36-bit machine as it is written. An index may stand behind a small negative number.
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

/// The cells of a page.
pub const PAGE: u64 = 0o200;

/// The address that an instruction word at `at` names: in the first page of the memory field, or in its own.
pub fn page_address(word: u64, at: u32) -> u64 {
    let page = if word & PAGE != 0 { u64::from(at) & !(PAGE - 1) } else { u64::from(at) & !0o7777 };
    page | word & (PAGE - 1)
}

/// The low eight bits of an instruction word at `at` that names the address; `None` where it does not reach it. The first page
/// is that of its own memory field.
pub fn page_field(address: u64, at: u32) -> Option<u64> {
    let at = u64::from(at);
    match (address & !(PAGE - 1), at & !(PAGE - 1)) {
        (page, _) if page == 0 || page == at & !0o7777 => Some(address & (PAGE - 1)),
        (page, own) if page == own => Some(PAGE | address & (PAGE - 1)),
        _ => None,
    }
}

impl Decoded {
    /// Length in cells.
    pub fn cells(&self) -> usize {
        self.row.cells() + usize::from(self.suffix.is_some())
    }

    /// Its time.
    pub fn timing(&self) -> Timing {
        let Some(suffix) = self.suffix else { return self.set.timing(self.row) };
        // The suffix is fetched, and what goes elsewhere by one leaves a mark of its mode on the stack.
        let marked = self.row.flow.is_call() || self.returns_by_mark();
        let column = match self.row.flow {
            // What is put on the stack is an address of the mode it comes from.
            Flow::Call | Flow::CallIf | Flow::Restart(_) => self.set.table.column,
            _ => suffix.set.table.column,
        };
        let own = self.row.timing[column];
        // All turns but the last do without the fetches.
        let fetched = u8::from(self.row.flow != Flow::Repeat);
        let taken = own.taken + fetched + u8::from(marked);
        Timing { base: if own.is_conditional() { own.base + 1 } else { taken }, taken, ..own }
    }

    /// True for a return that finds the mode of its caller on the stack.
    fn returns_by_mark(&self) -> bool {
        let returns = matches!(self.row.flow, Flow::Return | Flow::ReturnIf);
        returns && self.suffix.is_some_and(|suffix| suffix.long_data)
    }

    /// The set by which the instruction is read that it leads to.
    pub fn leads_to(&self) -> &'static InstructionSet {
        let set = self.set;
        let Some(suffix) = self.suffix else { return set };
        match self.row.flow {
            Flow::Jump | Flow::Branch if self.row.operands.last() == Some(&Shape::Relative) => set,
            Flow::Jump | Flow::Branch | Flow::Call | Flow::CallIf => set.in_mode(suffix.long_words),
            Flow::Restart(_) | Flow::Indirect => set.in_mode(suffix.long_data),
            _ => set,
        }
    }

    /// The instruction as source text. `name_of` may give a symbol for an address; numbers are written as the
    /// processor's people write them.
    pub fn text(&self, set: &InstructionSet, name_of: &dyn Fn(u64) -> Option<String>) -> String {
        let mut text = String::with_capacity(24);
        let lower = |text: &mut String, name: &str| {
            text.extend(name.bytes().map(|byte| char::from(byte.to_ascii_lowercase())));
        };
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
                Shape::Data8 | Shape::Port => text.push_str(&set.habit().literal(value, 8)),
                Shape::Data16 => text.push_str(&set.habit().literal(value, 16)),
                Shape::Data24 => text.push_str(&set.habit().literal(value, 24)),
                Shape::Address24 | Shape::Target24 => {
                    text.push_str(&name_of(value).unwrap_or_else(|| set.habit().literal(value, 24)));
                }
                Shape::Address | Shape::ZeroPage | Shape::Target | Shape::Relative => {
                    if value <= 0xFF && inner == Shape::Address && self.has_shorter(set, at) {
                        text.push_str("absolute ");
                    }
                    let far = value > 0xFFFF || self.set.modes.is_some_and(|modes| !modes.short_addresses);
                    let bits = if inner == Shape::ZeroPage { 8 } else { 16 + 8 * u8::from(far) };
                    text.push_str(&name_of(value).unwrap_or_else(|| set.habit().literal(value, bits)));
                }
                Shape::Page | Shape::Address12 => {
                    text.push_str(
                        &name_of(value).unwrap_or_else(|| set.habit().literal(value, set.address_bits())),
                    );
                }
                Shape::Data12 => text.push_str(&set.habit().literal(value, 12)),
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

    /// True where the assembler would choose a shorter form for an operand in page zero.
    fn has_shorter(&self, set: &InstructionSet, at: usize) -> bool {
        let rows = super::pack(self.row.mnemonic).and_then(|packed| set.table.mnemonics.rows(packed));
        rows.is_some_and(|(rows, _)| {
            set.rows()[rows].iter().any(|row| {
                row.models & set.table.model != 0
                    && row.operands.len() == self.row.operands.len()
                    && row.operands.get(at) == Some(&Shape::ZeroPage)
                    && row.operands[at + 1..] == self.row.operands[at + 1..]
            })
        })
    }

    /// What its condition says, where it has one: `the result was zero`.
    pub fn condition(&self) -> Option<&'static str> {
        let named = self.row.operands.iter().zip(self.operands).find_map(|(shape, value)| match shape {
            Shape::Name { names, .. } => names.words.get(value as usize).copied(),
            _ => None,
        });
        named.or_else(|| self.row.condition())
    }

    /// What it does, in words.
    pub fn meaning(&self) -> Cow<'static, str> {
        match self.condition() {
            Some(words) if self.row.meaning.ends_with(ANY_CONDITION) => {
                Cow::Owned(self.row.meaning.replace(ANY_CONDITION, words))
            }
            _ => Cow::Borrowed(self.row.meaning),
        }
    }

    /// The address that the instruction jumps to or calls, where it says so itself.
    pub fn goes_to(&self) -> Option<u32> {
        match self.row.flow {
            Flow::Restart(every) => Some(self.operands[0] as u32 * every),
            Flow::RestartIf(address) => Some(address),
            Flow::Skip | Flow::SkipAlways => Some(self.at + self.cells() as u32 + 1),
            Flow::CallStoring if self.effective().is_none() && self.pointer().is_none() => {
                Some(self.operands[0] as u32 + 1)
            }
            Flow::Jump if self.row.operands.first() == Some(&Shape::Page) => Some(self.operands[0] as u32),
            Flow::CallStoring => self.effective().and_then(Effective::plain).map(|address| address + 1),
            // A halt that names no address goes on behind itself as far as anybody knows.
            Flow::Stop => self.target().map(|target| target as u32).filter(|&target| target != 0),
            _ => self.target().map(|target| target as u32),
        }
    }

    /// The address as a 36-bit machine finds it, where the instruction has one.
    pub fn effective(&self) -> Option<Effective> {
        let at = self.row.operands.iter().position(|shape| matches!(shape, Shape::Effective(_)))?;
        Some(Effective::of(self.operands[at]))
    }

    /// The address of the cell that says where the instruction goes to.
    pub fn pointer(&self) -> Option<u32> {
        let through =
            matches!(self.row.operands.first(), Some(Shape::Within(within)) if within.inner == Shape::Page);
        (through && matches!(self.row.flow, Flow::Indirect | Flow::CallStoring))
            .then_some(self.operands[0] as u32)
    }

    /// The address of code that the instruction may go to, if it has one.
    pub fn target(&self) -> Option<u64> {
        let is_code = |shape: &Shape| {
            matches!(shape, Shape::Target | Shape::Target24 | Shape::Relative | Shape::Effective(Reach::Code))
        };
        let at = self.row.operands.iter().position(is_code)?;
        match self.row.operands[at] {
            Shape::Effective(_) => Effective::of(self.operands[at]).plain().map(u64::from),
            _ => Some(self.operands[at]),
        }
    }
}
