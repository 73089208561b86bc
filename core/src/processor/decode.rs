//! From cells to a row and its operands, and what that says about the flow.

use super::i8086::choice;
use super::modrm;
use super::prefix::{MOST, PREFIX_CLOCKS, Prefixes};
use super::set::{Opcode, Suffix};
use super::{
    Context, Effective, Flow, InstructionSet, NumberOf, Row, Shape, Timing, Window, encode::encode,
    page_address,
};
use std::borrow::Cow;

/// How a row speaks of the condition that one of its operands names.
const ANY_CONDITION: &str = "the condition holds";

/// The longest instruction of any processor here, in cells.
pub const LONGEST: usize = 9;

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
    /// Where its program is, so that its short addresses mean something.
    pub window: Window,
    /// The cell in front of it that gives it the widths of another set.
    pub suffix: Option<&'static Suffix>,
    /// What stands in front of it and changes it.
    pub prefixes: Prefixes,
    /// Operand values in writing order: a name's place in its set, or the number itself.
    pub operands: [u64; MOST_OPERANDS],
    /// Length in cells.
    length: u8,
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
    decode_in(set.context(address), cells, address)
}

/// The same where more is known of the program than the address tells.
///
/// # Errors
/// As [`decode`].
pub fn decode_in(context: Context, cells: &[u64], address: u32) -> Result<Option<Decoded>, NotEnough> {
    let set = context.set;
    if let Some(suffix) = cells.first().and_then(|&first| set.suffix(first)) {
        return suffixed(context, suffix, &cells[1..], address);
    }
    if set.table.opcodes.operand.is_some() {
        return prefixed(context, cells, address);
    }
    let found = set.opcode(cells)?;
    found.map_or(Ok(None), |found| read_operands(context, found, cells, address))
}

/// An instruction that prefixes may stand in front of.
fn prefixed(context: Context, cells: &[u64], address: u32) -> Result<Option<Decoded>, NotEnough> {
    let prefixes = Prefixes::of(cells);
    if prefixes.count > MOST {
        return Ok(None);
    }
    let (cells, begin) =
        (&cells[prefixes.count.into()..], context.window.behind(address, prefixes.count.into()));
    let Some(found) = context.set.opcode(cells)? else { return Ok(None) };
    let decoded = read_operands(context, found, cells, begin)?;
    Ok(decoded.map(|one| Decoded { at: address, prefixes, length: one.length + prefixes.count, ..one }))
}

/// The operands of a row that was found.
fn read_operands(
    context: Context,
    found: Opcode,
    cells: &[u64],
    address: u32,
) -> Result<Option<Decoded>, NotEnough> {
    let Context { set, window } = context;
    let (row, first) = (found.row, found.value);
    let length = row.cells_in(first);
    if cells.len() < length {
        return Err(NotEnough { missing: length - cells.len() });
    }
    // After a suffix words may be of another width than the program's.
    let short = set.window(address);
    let short = if short.last() == window.last() { window } else { short };
    let mut operands = [0; MOST_OPERANDS];
    let mut at = row.operands_at();
    for (operand, shape) in operands.iter_mut().zip(row.operands) {
        *operand = match shape.inner() {
            Shape::Page => page_address(first, address),
            Shape::Relative => {
                let end = window.behind(address, at as u32 + 1);
                window.behind(end, cells[at] as i8 as u32).into()
            }
            Shape::Relative16 => {
                let end = window.behind(address, at as u32 + 2);
                window.behind(end, (cells[at + 1] << 8 | cells[at]) as u32).into()
            }
            Shape::Memory(_) => modrm::read(first, &cells[at..]),
            Shape::Direct(_) => modrm::DIRECT << 16 | cells[at + 1] << 8 | cells[at],
            Shape::Indexed { .. } => shape.field(first).unwrap_or(0) << 8 | cells[at],
            Shape::Number(number) if number.is_in_window() && 8 * number.cells <= set.cells.window_bits => {
                short.address(number.read(&cells[at..])).into()
            }
            Shape::Number(number) => number.read(&cells[at..]),
            inner => inner.field(first).unwrap_or(0),
        };
        at += shape.cells_in(first);
    }
    let (length, prefixes) = (length as u8, Prefixes::default());
    Ok(Some(Decoded { at: address, row, set, window, suffix: None, prefixes, operands, length }))
}

/// An instruction after a suffix, which no other may follow.
fn suffixed(
    context: Context,
    suffix: &'static Suffix,
    cells: &[u64],
    address: u32,
) -> Result<Option<Decoded>, NotEnough> {
    if cells.first().is_some_and(|&next| suffix.set.suffix(next).is_some()) {
        return Ok(None);
    }
    let Context { set, window } = context;
    // Its branches stay where the program is.
    let own = Context { set: suffix.set, window };
    let found = decode_in(own, cells, window.behind(address, 1))?;
    let whole = |decoded: Decoded| Decoded {
        at: address,
        set,
        suffix: Some(suffix),
        length: decoded.length + 1,
        ..decoded
    };
    Ok(found.map(whole))
}

impl Decoded {
    /// The cells that a source text with this instruction is assembled to, put into `room`: others, where there is a shorter way to say
    /// the same.
    pub fn encoded<'r>(&self, room: &'r mut [u64; LONGEST]) -> &'r [u64] {
        let Self { at, suffix, .. } = self;
        let (row, operands) = match self.set.table.opcodes.operand {
            Some(_) => choice::first_choice(self),
            None => (self.row, self.operands),
        };
        let before = usize::from(suffix.is_some()) + self.prefixes.cells().count();
        let begin = self.window.behind(*at, before as u32);
        let mut count = encode(row, begin, &operands[..row.operands.len()], room);
        if before > 0 && suffix.is_none() {
            room.copy_within(..count, before);
            self.prefixes.cells().zip(room.iter_mut()).for_each(|(prefix, cell)| *cell = prefix);
            count += before;
        }
        if let Some(suffix) = suffix {
            room.copy_within(..count, 1);
            room[0] = suffix.cell;
            count += 1;
        }
        &room[..count]
    }

    /// Length in cells.
    pub fn cells(&self) -> usize {
        self.length.into()
    }

    /// Its time.
    pub fn timing(&self) -> Timing {
        if self.set.table.opcodes.operand.is_some() {
            return self.prefixed_timing();
        }
        let Some(suffix) = self.suffix else { return self.at_its_place(self.set.timing(self.row)) };
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

    /// Where it stands and where it leads are known, and so whether a taken branch crosses a page.
    fn at_its_place(&self, own: Timing) -> Timing {
        if own.page == 0 || self.row.operands.last() != Some(&Shape::Relative) {
            return own;
        }
        let Some(target) = self.near_target() else { return own };
        let next = u64::from(self.window.behind(self.at, self.cells() as u32));
        let more = if (next ^ target) & !0xFF != 0 { own.page } else { 0 };
        let base = if own.is_conditional() { own.base } else { own.base + more };
        Timing { base, taken: own.taken + more, page: 0, ..own }
    }

    /// With the clocks of its prefixes and of the effective address.
    fn prefixed_timing(&self) -> Timing {
        let own = self.set.timing(self.row);
        let in_memory = self.row.operands.iter().zip(self.operands);
        let place =
            in_memory.filter(|(shape, _)| matches!(shape, Shape::Memory(_))).map(|(_, value)| value >> 16);
        let effective = if own.effective { place.map(modrm::effective_clocks).sum() } else { 0 };
        let more = effective + PREFIX_CLOCKS * self.prefixes.count;
        Timing { base: own.base + more, taken: own.taken + more, effective: false, ..own }
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
            _ => match (self.row.flow, self.goes_to()) {
                (Flow::Restart(_), Some(to)) => {
                    let to = self.set.habit().literal(to.into(), self.set.address_bits());
                    Cow::Owned(format!("calls the subroutine at {to}"))
                }
                _ => Cow::Borrowed(self.row.meaning),
            },
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
            // A halt that names no address goes on after itself as far as anybody knows.
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
        let at = self.row.operands.iter().position(|shape| shape.is_code())?;
        match self.row.operands[at] {
            Shape::Effective(_) => Effective::of(self.operands[at]).plain().map(u64::from),
            Shape::Number(number) if number.of == NumberOf::Far => {
                let (segment, offset) = (self.operands[at] >> 16, self.operands[at] as u32 & 0xFFFF);
                Some(Window::of_segment(self.set, segment as u32).address(offset.into()).into())
            }
            _ => Some(self.operands[at]),
        }
    }

    /// The same, where it stays in the segment.
    pub fn near_target(&self) -> Option<u64> {
        let is_far = |shape: &Shape| matches!(shape, Shape::Number(number) if number.of == NumberOf::Far);
        self.target().filter(|_| !self.row.operands.iter().any(is_far))
    }
}
