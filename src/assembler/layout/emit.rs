//! Cells as they are put out, and the patches that wait for symbols.

use crate::assembler::notation;
use crate::assembler::read::expression::{Code, CodeRange, Value};
use crate::assembler::read::parser::Parser;
use crate::assembler::value::symbols::{SymbolId, SymbolKind};
use crate::diagnostic::{Diagnostic, Span};
use crate::image::{Cell, Segment};
use crate::number::Habit;
use crate::processor::{InstructionSet, Shape, Window};

/// What a patched value looks like in the cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Field {
    /// An operand of an instruction.
    Operand(Shape),
    /// Eight bits in a cell: `db`.
    Byte,
    /// A cell: what fills memory.
    Cell,
    /// `dw`: two bytes, the low one first, or a cell of a word machine.
    Word,
    /// `dt`: three bytes, the low one first.
    Triple,
    /// `dd`: two words, the low one first; on a 36-bit machine the high one.
    Double,
    /// The left half of a 36-bit word.
    LeftHalf,
    /// The right half.
    RightHalf,
    /// The size in a byte pointer.
    ByteSize,
    /// The last bit of the byte that a pointer names, from the left; -1 in front of the first byte.
    LastBit,
}

impl Field {
    /// The least and greatest value on a machine with cells of so many bits; both readings of the bits are taken.
    pub fn range(self, cell_bits: u8) -> (i64, i64) {
        let word = if cell_bits > 8 { cell_bits } else { 16 };
        let bits = match self {
            Field::Operand(shape) => return shape.range().unwrap_or((0, 0)),
            Field::LeftHalf | Field::RightHalf => 18,
            Field::ByteSize => return (1, 36),
            Field::LastBit => return (-1, 35),
            Field::Byte => 8,
            Field::Cell => cell_bits,
            Field::Word => word,
            Field::Triple => 24,
            Field::Double if cell_bits == 36 => 71,
            Field::Double => 2 * word,
        };
        if bits >= 64 { (i64::MIN, i64::MAX) } else { (-(1 << (bits - 1)), (1 << bits) - 1) }
    }

    /// True where it is a word of so many bits in an instruction.
    fn is_word_of(self, bits: u8) -> bool {
        matches!(self, Field::Operand(Shape::Number(number)) if number.cells * number.cell_bits == bits)
    }

    /// How many cells it takes.
    pub fn cells(self, cell_bits: u8) -> usize {
        let word = if cell_bits > 8 { 1 } else { 2 };
        match self {
            Field::Operand(shape) => shape.cells().max(1),
            Field::Byte | Field::Cell => 1,
            Field::LeftHalf | Field::RightHalf | Field::ByteSize | Field::LastBit => 1,
            Field::Word => word,
            Field::Triple => 3,
            Field::Double => 2 * word,
        }
    }
}

impl Field {
    /// The bits that a value gives to the one word that it shares with others.
    pub(crate) fn in_word(self, value: u64) -> u64 {
        match self {
            Field::Operand(
                Shape::Digit { shift, last }
                | Shape::OptionalDigit { shift, last }
                | Shape::NonZeroDigit { shift, last },
            ) => (value & u64::from(last)) << shift,
            Field::Operand(Shape::Bits(mask)) => value & mask,
            Field::Operand(Shape::Vector) => value & 0x38,
            Field::Operand(Shape::Device(_)) => (value & 0o774) << 24,
            Field::Operand(Shape::Effective(_)) | Field::RightHalf => value & 0o777777,
            Field::LeftHalf => (value & 0o777777) << 18,
            Field::ByteSize => (value & 0o77) << 24,
            Field::LastBit => (35u64.wrapping_sub(value) & 0o77) << 30,
            _ => 0,
        }
    }

    /// True where it shares its word with others.
    fn shares_word(self) -> bool {
        match self {
            Field::Operand(shape) => shape.cells() == 0,
            Field::LeftHalf | Field::RightHalf | Field::ByteSize | Field::LastBit => true,
            _ => false,
        }
    }

    /// True where the value has no bits that the field does not take.
    fn has_bits(self, value: i64) -> bool {
        match self {
            Field::Operand(Shape::Bits(mask)) => value as u64 & !mask == 0,
            Field::Operand(Shape::Vector) => value & 7 == 0,
            Field::Operand(Shape::Device(_)) => value & 3 == 0,
            _ => true,
        }
    }
}

/// Cell `at` of a value that takes several, the low one first.
///
/// The 36-bit machine's double word is 35 bits in each of two cells, the high one first, and the sign in both.
pub(crate) fn part(field: Field, value: u64, at: usize, cell_bits: u8) -> u64 {
    if (field, cell_bits) == (Field::Double, 36) {
        let high = (value as i64 >> 35) as u64 & ((1 << 36) - 1);
        return if at == 0 { high } else { high & 1 << 35 | value & ((1 << 35) - 1) };
    }
    (value as i64 >> (usize::from(cell_bits) * at).min(63)) as u64 & ((1 << cell_bits) - 1)
}

/// A value to be put into the output at the end.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Fixup {
    pub piece: u32,
    pub offset: u32,
    pub field: Field,
    pub code: CodeRange,
    pub span: Span,
}

/// A location that has run past the end of memory goes no further than this, so that computing with it is safe.
const FAR: u64 = 1 << 40;

/// A run of cells.
#[derive(Debug, Clone)]
pub(crate) struct Piece {
    pub start: u32,
    /// The address of the segment that it stands in.
    pub base: u32,
    pub cells: Vec<Cell>,
    /// The line that began it.
    pub span: Span,
}

impl Piece {
    /// The number that its cell at an offset has for the program.
    pub fn number(&self, offset: u32) -> u32 {
        (self.start - self.base) + offset
    }
}

/// The cells put out so far.
#[derive(Debug, Default)]
pub(crate) struct Output {
    pub pieces: Vec<Piece>,
    /// Where the last piece ends; emitting elsewhere begins another.
    end: u64,
    /// The location has run past the end of memory or of its region.
    pub overrun: bool,
    /// The first location that is past the end of memory or of the region.
    pub limit: u64,
}

impl Parser<'_> {
    /// Where the next cells will stand: piece and offset.
    #[inline]
    pub fn place(&self) -> (u32, u32) {
        match self.layout.output.pieces.last() {
            Some(piece) if self.goes_on(piece) => {
                (self.layout.output.pieces.len() as u32 - 1, piece.cells.len() as u32)
            }
            _ => (self.layout.output.pieces.len() as u32, 0),
        }
    }

    /// True where the next cell stands after the last one of a piece, in the same segment.
    #[inline]
    fn goes_on(&self, last: &Piece) -> bool {
        self.layout.output.end == self.location_address() && last.base == self.layout.base
    }

    /// The address of the location.
    #[inline]
    pub(crate) fn location_address(&self) -> u64 {
        u64::from(self.layout.base) + self.layout.location
    }

    /// Puts cells out at the location.
    #[inline]
    pub(crate) fn emit(&mut self, cells: &[Cell], span: Span) {
        // PERF: nearly always they stand after the last ones, and there is room.
        let end = self.layout.location + cells.len() as u64;
        let address = self.location_address();
        let Output { pieces, end: last, overrun, limit } = &mut self.layout.output;
        if let Some(piece) = pieces.last_mut()
            && !*overrun
            && end <= *limit
            && *last == address
            && piece.base == self.layout.base
        {
            piece.cells.extend_from_slice(cells);
            *last += cells.len() as u64;
            self.layout.location = end;
            return;
        }
        self.room(cells.len() as u64, span);
        self.cells(cells.len(), span, |own| own.extend_from_slice(cells));
    }

    /// Puts so many cells out at the location, as `add` adds them to a piece.
    #[inline]
    fn cells(&mut self, count: usize, span: Span, add: impl FnOnce(&mut Vec<Cell>)) {
        let count = count as u64;
        if !self.layout.output.overrun && count > 0 {
            let address = self.location_address();
            if !self.layout.output.pieces.last().is_some_and(|piece| self.goes_on(piece)) {
                self.layout.output.pieces.push(Piece {
                    start: address as u32,
                    base: self.layout.base,
                    cells: Vec::new(),
                    span,
                });
            }
            if let Some(piece) = self.layout.output.pieces.last_mut() {
                add(&mut piece.cells);
            }
            self.layout.output.end = address + count;
        }
        self.layout.location += count;
        if self.layout.output.overrun {
            self.layout.location = self.layout.location.min(FAR);
        }
    }

    /// Puts the same cell out many times.
    pub fn fill(&mut self, count: u64, cell: Cell, span: Span) {
        self.room(count, span);
        if self.layout.output.overrun {
            self.layout.location = self.layout.location.saturating_add(count).min(FAR);
        } else {
            let all = count as usize;
            self.cells(all, span, |own| own.resize(own.len() + all, cell));
        }
    }

    /// Moves the location over cells that are not put out.
    pub(crate) fn reserve(&mut self, count: u64, span: Span) {
        self.room(count, span);
        if self.set.is_some_and(|set| set.is_word_machine()) {
            self.family.pages.reserved.push((self.layout.location, count));
        }
        self.layout.location = self.layout.location.saturating_add(count).min(FAR);
    }

    /// The number by which an address goes in the window of the program at `at`, where the field has room for no more than that.
    pub(crate) fn in_window(&self, value: i64, at: u64, field: Field) -> i64 {
        let short = |set: &&InstructionSet| {
            let bits = set.smallest_window();
            bits < set.address_bits() && (set.is_word_machine() || field.is_word_of(bits))
        };
        let Some(set) = self.set.filter(short) else { return value };
        let window = Window::around(at as u32, set.smallest_window());
        match u32::try_from(value) {
            Ok(address) if address > window.last() && window.contains(address) => {
                window.number(address).into()
            }
            _ => value,
        }
    }

    /// True where no cells were put out yet.
    pub(crate) fn is_empty(&self) -> bool {
        self.layout.output.pieces.is_empty()
    }

    /// Bits in a cell.
    pub fn cell_bits(&self) -> u8 {
        self.set.map_or(8, |set| set.cell_bits())
    }

    /// Sets the location.
    pub(crate) fn set_location(&mut self, location: u64) {
        self.layout.location = location;
        self.update_limit();
        self.layout.output.overrun = location > self.layout.output.limit;
    }

    pub fn last_address(&self) -> u64 {
        self.set.map_or(0xFF_FFFF, |set| u64::from(set.last_address()))
    }

    /// True where a value is, or contains, the number of a segment that moves with the program: of a part.
    fn names_segment(&self, code: CodeRange) -> bool {
        let code = &self.values.code[code.start as usize..code.end as usize];
        let moves = |base| self.layout.parts.list.iter().any(|part| part.base == base);
        code.iter().any(|code| matches!(code, Code::Segment(id) if moves(self.values.symbols.get(*id).base)))
    }

    /// Reports the cells that would stand after the end of memory, once.
    #[inline]
    fn room(&mut self, count: u64, span: Span) {
        if self.layout.location.saturating_add(count) > self.layout.output.limit
            && !self.layout.output.overrun
        {
            self.overrun(span);
        }
    }

    #[cold]
    fn overrun(&mut self, span: Span) {
        self.layout.output.overrun = true;
        if self.region_overflows(span) {
            return;
        }
        let last = self.last_address();
        let text = self.set.map_or_else(|| format!("{last:X}"), |set| set.address(last));
        let message = format!("the program runs past the last address {text}");
        self.report(Diagnostic::error(
            "past-end",
            span,
            message,
            "begin lower with `org`, or make it shorter",
        ));
    }

    /// Adds a patch for a value that waits, at an offset from [`place`](Self::place) as it was before emitting.
    pub fn wait(&mut self, (piece, offset): (u32, u32), field: Field, value: Value, span: Span) {
        if let Value::Later(code) = value
            && !self.layout.output.overrun
        {
            self.layout.fixups.push(Fixup { piece, offset, field, code, span });
        }
    }

    /// Checks that a value fits its field; reports where not.
    #[inline]
    pub fn fits(&mut self, value: i64, field: Field, span: Span) -> bool {
        let (least, greatest) = field.range(self.cell_bits());
        if (least..=greatest).contains(&value) && field.has_bits(value) {
            return true;
        }
        self.report_range(value, field, span);
        false
    }

    #[cold]
    fn report_range(&mut self, value: i64, field: Field, span: Span) {
        let (least, greatest) = field.range(self.cell_bits());
        let sign = if value < 0 { "-" } else { "" };
        let hex = match self.set.map(|set| set.habit()) {
            Some(Habit::DollarHex) => format!("{sign}${:X}", value.unsigned_abs()),
            Some(Habit::Octal) => format!("octal {sign}{:o}", value.unsigned_abs()),
            _ => format!("{sign}{:X}h", value.unsigned_abs()),
        };
        let what = match field {
            Field::Operand(shape) => shape.wanted(),
            Field::Cell if self.cell_bits() > 8 => "a cell".to_string(),
            Field::Byte | Field::Cell => "a byte".to_string(),
            Field::Word => "a word".to_string(),
            Field::Triple => "a 24-bit number".to_string(),
            Field::Double => "a double word".to_string(),
            Field::LeftHalf | Field::RightHalf => "half a word".to_string(),
            Field::ByteSize => "the size of a byte".to_string(),
            Field::LastBit => "the number of a bit".to_string(),
        };
        let message = format!("{value} ({hex}) does not fit where {what} is wanted");
        let mut help = match self.set.map(|set| set.habit()) {
            Some(Habit::Octal) => {
                let sign = if least < 0 { "-" } else { "" };
                format!("it takes octal {sign}{:o} to {greatest:o}", least.unsigned_abs())
            }
            _ => format!("it takes {least} to {greatest}"),
        };
        if field == Field::Operand(Shape::Vector) && (0..=7).contains(&value) {
            help = format!("it takes the address: restart {value} is written `rst {:02X}h`", value * 8);
        }
        if self.cell_bits() == 8
            && matches!(field, Field::Byte | Field::Cell | Field::Operand(Shape::DATA8))
            && (0..=0xFFFF).contains(&value)
        {
            help += "; `low` and `high` give the two bytes of a word";
            if let Some(name) = self.label_at(span) {
                help = format!("`{name}` alone is its address; brackets give its content: `[{name}]`");
            }
        }
        self.report(Diagnostic::error("value-range", span, message, help));
    }

    /// The label whose name is all that stands at a place, where brackets would mean its content.
    fn label_at(&self, span: Span) -> Option<String> {
        self.set.filter(|set| set.is_segmented())?;
        let text = &self.sources.get(span.source)?.text;
        let name = text.get(span.start as usize..span.end as usize)?.trim();
        let symbol = self.values.symbols.find(name)?;
        (symbol.kind == SymbolKind::Label).then(|| name.to_string())
    }

    /// Resolves what waits: constants first, then the patches.
    pub(crate) fn finish(&mut self) {
        self.settle_spaces();
        self.take_board_names();
        for id in 0..self.values.symbols.list.len() as u32 {
            if let SymbolKind::Waiting(_) = self.values.symbols.get(SymbolId(id)).kind {
                self.resolve(SymbolId(id));
            }
        }
        for fixup in std::mem::take(&mut self.layout.fixups) {
            match self.compute(fixup.code) {
                Ok(value) => {
                    let piece = self.layout.output.pieces.get(fixup.piece as usize);
                    let at = u64::from(piece.map_or(0, |piece| piece.number(fixup.offset)));
                    let value = self.in_window(value, at, fixup.field);
                    if fixup.field == Field::Operand(Shape::Relative)
                        && let Some(&number) = self.family.jumps.get(&(fixup.piece, fixup.offset))
                        && !(-0x80..=0x7F).contains(&self.distance(value, at as i64 + 1))
                    {
                        // The walk is repeated with a longer jump here.
                        self.layout.settling.far.insert(number);
                        self.layout.settling.again = true;
                        continue;
                    }
                    if self.names_segment(fixup.code) {
                        self.layout.relocations.push((fixup.piece, fixup.offset));
                    }
                    let reaches = fixup.field != Field::Operand(Shape::Relative) || {
                        self.reaches(value, at + 1, fixup.span)
                    };
                    if reaches && self.fits(value, fixup.field, fixup.span) {
                        self.patch((fixup.piece, fixup.offset), fixup.field, value as u64);
                    }
                }
                Err(fault) => {
                    self.fault(fault, fixup.span);
                }
            }
        }
        notation::finish(self);
        self.finish_directives();
        self.finish_regions();
        self.link();
        self.check_assumptions();
    }

    /// Puts a value into cells that are out already.
    pub(in crate::assembler) fn patch(&mut self, (piece, offset): (u32, u32), field: Field, value: u64) {
        let cell_bits = self.cell_bits();
        let count = field.cells(cell_bits);
        let Some(piece) = self.layout.output.pieces.get_mut(piece as usize) else { return };
        let number = piece.number(offset);
        let Some(cells) = piece.cells.get_mut(offset as usize..offset as usize + count) else {
            return;
        };
        match field {
            field if field.shares_word() => cells[0] |= field.in_word(value),
            Field::Operand(Shape::Relative16) => {
                let distance = value.wrapping_sub(u64::from(number) + 2);
                (cells[0], cells[1]) = (distance & 0xFF, distance >> 8 & 0xFF);
            }
            Field::Operand(Shape::Relative) => {
                cells[0] = value.wrapping_sub(u64::from(number) + 1) & 0xFF;
            }
            _ => {
                for (at, cell) in cells.iter_mut().enumerate() {
                    *cell = part(field, value, at, cell_bits);
                }
            }
        }
    }

    /// Resolves a constant and those it needs, without recursion: a chain may be as long as the source.
    fn resolve(&mut self, first: SymbolId) {
        // Each entry remembers how far its code was looked through, so that long expressions are read once.
        let mut stack = vec![(first, 0)];
        let mut open = std::collections::HashSet::new();
        while let Some((id, seen)) = stack.last_mut() {
            let id = *id;
            let SymbolKind::Waiting(range) = self.values.symbols.get(id).kind else {
                stack.pop();
                continue;
            };
            open.insert(id);
            let code = &self.values.code[range.start as usize..range.end as usize];
            let waiting = |code: &Code| match code {
                Code::Symbol(other) | Code::Segment(other)
                    if matches!(self.values.symbols.get(*other).kind, SymbolKind::Waiting(_)) =>
                {
                    Some(*other)
                }
                _ => None,
            };
            let needs = code.iter().enumerate().skip(*seen).find_map(|(at, code)| Some((at, waiting(code)?)));
            match needs {
                Some((_, other)) if open.contains(&other) => {
                    let circle: Vec<_> = stack.iter().map(|&(id, _)| id).collect();
                    self.report_circle(&circle, other);
                }
                Some((at, other)) => {
                    *seen = at;
                    stack.push((other, 0));
                }
                None => {
                    self.settle(id, range);
                    stack.pop();
                }
            }
        }
    }

    /// Computes a constant whose symbols have their values.
    fn settle(&mut self, id: SymbolId, range: CodeRange) {
        match self.compute(range) {
            Ok(value) => {
                let symbol = self.values.symbols.get_mut(id);
                (symbol.kind, symbol.value) = (SymbolKind::Constant, value);
            }
            Err(fault) => {
                let span = self.values.symbols.get(id).defined;
                self.values.symbols.get_mut(id).kind = SymbolKind::Broken;
                self.fault(fault, span);
            }
        }
    }

    fn report_circle(&mut self, stack: &[SymbolId], back: SymbolId) {
        let from = stack.iter().position(|&id| id == back).unwrap_or(0);
        let circle = &stack[from..];
        let name = self.values.symbols.name(back).to_string();
        let message = format!("the value of `{name}` depends on itself");
        let span = self.values.symbols.get(back).defined;
        let mut error =
            Diagnostic::error("circular", span, message, "give one of the constants a value of its own");
        for &other in circle.iter().skip(1).take(3) {
            let text = format!("through `{}`", self.values.symbols.name(other));
            error = error.with_label(self.values.symbols.get(other).defined, text);
        }
        self.report(error);
        for &id in circle {
            self.values.symbols.get_mut(id).kind = SymbolKind::Broken;
        }
    }

    /// The addresses of the cells that hold the number of a segment which moves with the program.
    pub(crate) fn relocations(&self) -> Vec<u32> {
        let pieces = &self.layout.output.pieces;
        let address = |&(piece, offset): &(u32, u32)| Some(pieces.get(piece as usize)?.start + offset);
        self.layout.relocations.iter().filter_map(address).collect()
    }

    /// The pieces as image segments, with the spans that began them.
    pub(crate) fn take_pieces(&mut self) -> (Vec<Segment>, Vec<Span>) {
        let pieces = std::mem::take(&mut self.layout.output.pieces);
        let spans = pieces.iter().map(|piece| piece.span).collect();
        (pieces.into_iter().map(|piece| Segment { start: piece.start, cells: piece.cells }).collect(), spans)
    }
}
