//! Operand shapes: where an operand stands in the cells, what it accepts and how it is written.

use super::micro::Group;
use super::modrm::{Size, displacement_cells, is_memory};

/// A named set of register (or condition) names that share a field; the name's place is the field's value.
#[derive(Debug, PartialEq, Eq)]
pub struct Names {
    /// What the set is called in a message: `register`.
    pub what: &'static str,
    /// The place-holder in an instruction form: `r`.
    pub place: &'static str,
    /// The names; an empty one is a hole that this shape never takes.
    pub list: &'static [&'static str],
    /// For conditions: what each of them says, in words.
    pub words: &'static [&'static str],
}

impl Names {
    /// The place of a name, capitals or not.
    #[inline]
    pub fn find(&self, name: &str) -> Option<usize> {
        // PERF: nearly all names are a single letter, and this is asked for every operand.
        if let [letter] = name.as_bytes() {
            let letter = letter.to_ascii_uppercase();
            return self.list.iter().position(|known| known.as_bytes() == [letter]);
        }
        if name.is_empty() {
            return None;
        }
        self.list.iter().position(|known| known.eq_ignore_ascii_case(name))
    }
}

/// The shape of one operand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A name in a field of the opcode, `shift` bits from its right end.
    Name {
        /// The names to choose from.
        names: &'static Names,
        /// Distance of the field from the right end, in bits.
        shift: u8,
    },
    /// A register of that kind and a signed distance, `IX+d`: the distance in the next cell. As a value, the register's place and
    /// the eight bits of the distance.
    Indexed {
        /// The registers to choose from.
        names: &'static Names,
        /// Distance of the field from the right end, in bits.
        shift: u8,
    },
    /// A multiple of 8 up to 56, in bits 3 to 5 of the opcode.
    Vector,
    /// A name that is written but takes no bits.
    Fixed(&'static str),
    /// A small number in a field of the first cell.
    Digit {
        /// Distance of the field from the right end, in bits.
        shift: u8,
        /// The largest value; the field is as wide as this needs.
        last: u8,
    },
    /// The same, left out where it is 0.
    OptionalDigit {
        /// Distance of the field from the right end, in bits.
        shift: u8,
        /// The largest value.
        last: u8,
    },
    /// The same, never 0.
    NonZeroDigit {
        /// Distance of the field from the right end, in bits.
        shift: u8,
        /// The largest value.
        last: u8,
    },
    /// The code of a device, a multiple of 4, in bits 3 to 9 of a 36-bit word; those that have names, with them.
    Device(&'static [(&'static str, u16)]),
    /// An address as a 36-bit machine finds it, `@addr(index)`, in the 23 bits on the right: whether the cell there has the
    /// address, which accumulator is added, and 18 bits.
    Effective(Reach),
    /// A number in the next cells.
    Number(Number),
    /// The address of code in the next cell, as the signed distance from the end of the instruction.
    Relative,
    /// An operand between signs that belong to the notation.
    Within(&'static Within),
    /// An address in the lower 128 cells of the memory field or in the 128 cells around the instruction, in the low eight bits
    /// of the first cell.
    Page,
    /// A number that goes into these bits of the first cell as it stands.
    Bits(u64),
    /// The operations of a group, in the first cell.
    Micro(&'static Group),
    /// A place in memory, as the operand byte at the end of the opcode and the displacement after it say. As a value, the fields of the
    /// byte above 16 bits of displacement.
    Memory(Size),
    /// A place in memory whose offset is in the next two cells. As a value, as the other.
    Direct(Size),
    /// The address of code in the next two cells, as the signed distance from the end of the instruction.
    Relative16,
    /// Six bits for another processor: three of the first cell of the opcode, three of its operand byte.
    Escape,
}

/// A number in cells of its own after the opcode, its lowest bits in the first of them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Number {
    /// How many cells.
    pub cells: u8,
    /// Bits in each of them.
    pub cell_bits: u8,
    /// Bits that the number may have; those that the cells have no room for are the window's.
    pub bits: u8,
    /// What it is used for.
    pub of: NumberOf,
}

/// What a number of an instruction is used for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NumberOf {
    /// As it is, signed or not.
    Data,
    /// A port.
    Port,
    /// The address of data in page zero.
    ZeroPage,
    /// The address of data, in the window of the program where it is short.
    Address,
    /// The address of data in another window, which a register tells.
    Elsewhere,
    /// The address of code.
    Code,
    /// The low byte of a word whose high byte is its sign.
    Extended,
    /// An offset, and a segment above it: an address of code.
    Far,
}

impl Number {
    const fn bytes(cells: u8, of: NumberOf) -> Self {
        Self { cells, cell_bits: 8, bits: 8 * cells, of }
    }

    /// The number in the cells after an opcode.
    #[inline]
    pub fn read(self, cells: &[u64]) -> u64 {
        let cells = cells.iter().take(self.cells.into()).rev();
        cells.fold(0, |number, &cell| number << self.cell_bits | cell)
    }

    /// Puts a number into cells; bits beyond them are dropped.
    #[inline]
    pub fn write(self, mut number: u64, cells: &mut [u64]) {
        for cell in cells.iter_mut().take(self.cells.into()) {
            *cell = number & ((1 << self.cell_bits) - 1);
            number >>= self.cell_bits;
        }
    }

    /// True where it is the address of a place in memory.
    pub const fn is_address(self) -> bool {
        matches!(self.of, NumberOf::ZeroPage | NumberOf::Address | NumberOf::Elsewhere | NumberOf::Code)
    }

    /// True where it names a place by its number in the window of the program.
    pub(crate) const fn is_in_window(self) -> bool {
        matches!(self.of, NumberOf::ZeroPage | NumberOf::Address | NumberOf::Code)
    }
}

/// What is at an address that a machine finds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    /// Data.
    Data,
    /// Code.
    Code,
    /// Nothing: the address itself is the operand.
    Number,
}

/// An address of a 36-bit machine, as an instruction has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Effective {
    /// The cell there has the address.
    pub indirect: bool,
    /// The accumulator that is added; none for 0.
    pub index: u8,
    /// What it is added to.
    pub address: u32,
}

impl Effective {
    /// Takes the field of an instruction apart.
    pub const fn of(field: u64) -> Self {
        Self {
            indirect: field >> 22 & 1 != 0,
            index: (field >> 18 & 0o17) as u8,
            address: (field & 0o777777) as u32,
        }
    }

    /// The address, where it stands in the instruction as it is.
    pub const fn plain(self) -> Option<u32> {
        if self.indirect || self.index != 0 { None } else { Some(self.address) }
    }
}

/// An operand with the signs around it: `#data8`, `(zp), y`.
#[derive(Debug, PartialEq, Eq)]
pub struct Within {
    /// What stands before it.
    pub open: &'static str,
    /// The operand.
    pub inner: Shape,
    /// What stands after it.
    pub close: &'static str,
    /// The whole as the place-holder in an instruction form.
    pub place: &'static str,
}

impl Shape {
    /// Eight bits of data.
    pub const DATA8: Self = Self::Number(Number::bytes(1, NumberOf::Data));
    /// Sixteen bits of data.
    pub const DATA16: Self = Self::Number(Number::bytes(2, NumberOf::Data));
    /// Twenty-four bits of data.
    pub const DATA24: Self = Self::Number(Number::bytes(3, NumberOf::Data));
    /// The address of data, of sixteen bits.
    pub const ADDRESS: Self = Self::Number(Number::bytes(2, NumberOf::Address));
    /// The address of data, of twenty-four bits.
    pub const ADDRESS24: Self = Self::Number(Number::bytes(3, NumberOf::Address));
    /// The address of code, of sixteen bits.
    pub const TARGET: Self = Self::Number(Number::bytes(2, NumberOf::Code));
    /// The address of code, of twenty-four bits.
    pub(crate) const TARGET24: Self = Self::Number(Number::bytes(3, NumberOf::Code));
    /// A port number.
    pub const PORT: Self = Self::Number(Number::bytes(1, NumberOf::Port));
    /// The address of data in page zero.
    pub(crate) const ZERO_PAGE: Self = Self::Number(Number::bytes(1, NumberOf::ZeroPage));
    /// Twelve bits of data in a cell of as many.
    pub(crate) const DATA12: Self =
        Self::Number(Number { cells: 1, cell_bits: 12, bits: 12, of: NumberOf::Data });
    /// The address of data in a cell of twelve bits, without its field.
    pub(crate) const ADDRESS12: Self =
        Self::Number(Number { cells: 1, cell_bits: 12, bits: 15, of: NumberOf::Elsewhere });

    /// How many cells the operand takes after an opcode.
    pub const fn cells_in(self, opcode: u64) -> usize {
        match self {
            Shape::Memory(_) => displacement_cells(opcode & 0xFF),
            other => other.cells(),
        }
    }

    /// How many cells the operand takes after the first, at least.
    pub const fn cells(self) -> usize {
        match self {
            Shape::Number(number) => number.cells as usize,
            Shape::Relative | Shape::Indexed { .. } => 1,
            Shape::Relative16 | Shape::Direct(_) => 2,
            Shape::Within(within) => within.inner.cells(),
            _ => 0,
        }
    }

    /// The operand without the signs around it.
    pub const fn inner(self) -> Shape {
        match self {
            Shape::Within(within) => within.inner,
            other => other,
        }
    }

    /// The place of a register's name where the operand begins with one.
    pub fn register(self, name: &str) -> Option<u64> {
        match self.inner() {
            Shape::Name { names, .. } | Shape::Indexed { names, .. } => {
                names.find(name).map(|place| place as u64)
            }
            Shape::Fixed(own) => own.eq_ignore_ascii_case(name).then_some(0),
            _ => None,
        }
    }

    /// The word before an operand that asks for this width of address, where a processor has more than one.
    pub const fn width_word(self) -> Option<&'static str> {
        match self {
            Shape::ZERO_PAGE => Some("zeropage"),
            Shape::ADDRESS => Some("absolute"),
            _ => None,
        }
    }

    /// The field's value in the opcode, for shapes that have one there.
    pub const fn field(self, first: u64) -> Option<u64> {
        match self.inner() {
            Shape::Name { names, shift } | Shape::Indexed { names, shift } => {
                Some((first >> shift) & (names.list.len() as u64 - 1))
            }
            Shape::Digit { shift, last }
            | Shape::OptionalDigit { shift, last }
            | Shape::NonZeroDigit { shift, last } => Some((first >> shift) & last as u64),
            Shape::Device(_) => Some(first >> 24 & 0o774),
            Shape::Effective(_) => Some(first & 0o37_777777),
            Shape::Vector => Some(first & 0x38),
            Shape::Bits(mask) => Some(first & mask),
            Shape::Micro(group) => Some(first & group.bits),
            Shape::Escape => Some(first >> 5 & 0x38 | first >> 3 & 7),
            _ => None,
        }
    }

    /// True where the opcode's field is not a hole of the shape.
    pub const fn accepts(self, first: u64) -> bool {
        match (self.inner(), self.field(first)) {
            (Shape::Name { names, .. } | Shape::Indexed { names, .. }, Some(field)) => {
                !names.list[field as usize].is_empty()
            }
            (Shape::Micro(group), _) => group.accepts(first),
            (Shape::Memory(_), _) => is_memory(first),
            (Shape::NonZeroDigit { .. }, Some(0)) => false,
            _ => true,
        }
    }

    /// The place-holder in an instruction form.
    pub const fn place(self) -> &'static str {
        match self {
            Shape::Name { names, .. } | Shape::Indexed { names, .. } => names.place,
            Shape::Fixed(name) => name,
            Shape::Vector => "p",
            Shape::Digit { shift: 23, .. } | Shape::OptionalDigit { .. } => "ac",
            Shape::Digit { .. } | Shape::NonZeroDigit { .. } => "n",
            Shape::Device(_) => "dev",
            Shape::Effective(Reach::Number) => "number",
            Shape::Effective(Reach::Data) => "addr",
            Shape::Effective(Reach::Code) => "label",
            Shape::DATA8 => "data8",
            Shape::DATA16 => "data16",
            Shape::DATA24 => "data24",
            Shape::Number(Number { of: NumberOf::Data, .. }) => "word",
            Shape::Number(Number { of: NumberOf::Address | NumberOf::Elsewhere, .. }) => "addr",
            Shape::Number(Number { of: NumberOf::Code, .. }) => "label",
            Shape::Number(Number { of: NumberOf::Port, .. }) => "port",
            Shape::Number(Number { of: NumberOf::ZeroPage, .. }) => "zp",
            Shape::Number(Number { of: NumberOf::Extended, .. }) => "data8",
            Shape::Number(Number { of: NumberOf::Far, .. }) => "seg:off",
            Shape::Relative => "label",
            Shape::Relative16 => "label",
            Shape::Memory(Size::Byte) => "mem8",
            Shape::Memory(Size::Word) => "mem16",
            Shape::Memory(Size::Far) => "mem32",
            Shape::Memory(Size::Any) => "mem",
            Shape::Direct(_) => "[addr]",
            Shape::Escape => "n",
            Shape::Within(within) => within.place,
            Shape::Page => "addr",
            Shape::Bits(_) => "field",
            Shape::Micro(_) => "operations",
        }
    }

    /// What the operand may be, for a message.
    pub fn wanted(self) -> String {
        match self {
            Shape::Name { names, .. } => {
                let list: Vec<_> = names.list.iter().copied().filter(|name| !name.is_empty()).collect();
                let article = if names.what.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" };
                format!("{article} {} ({})", names.what, list.join(" "))
            }
            Shape::Indexed { .. } => "a distance from an index register".to_string(),
            Shape::Fixed(name) => name.to_string(),
            Shape::Vector => "a multiple of 8 up to 56".to_string(),
            Shape::Digit { shift: 23, .. } | Shape::OptionalDigit { .. } => {
                "an accumulator from 0 to 17".to_string()
            }
            Shape::Digit { last, .. } => format!("a number from 0 to {last}"),
            Shape::NonZeroDigit { last, .. } => format!("a number from 1 to {last:o}"),
            Shape::Device(names) => {
                let names: Vec<_> = names.iter().map(|row| row.0).collect();
                format!("a device ({}, or a multiple of 4 up to 774)", names.join(" "))
            }
            Shape::Effective(_) => "an address, `@addr(index)` in full".to_string(),
            Shape::Number(number) => match number.of {
                NumberOf::Data => {
                    format!("{} {}-bit number", if number.bits == 8 { "an" } else { "a" }, number.bits)
                }
                NumberOf::Port => "a port number from 0 to 255".to_string(),
                NumberOf::ZeroPage => "an address in page zero".to_string(),
                NumberOf::Address | NumberOf::Elsewhere => "an address".to_string(),
                NumberOf::Code => "a label or an address".to_string(),
                NumberOf::Extended => "a number from -128 to 127".to_string(),
                NumberOf::Far => "a segment and an offset".to_string(),
            },
            Shape::Relative | Shape::Relative16 => "a label or an address".to_string(),
            Shape::Memory(_) | Shape::Direct(_) => "a place in memory".to_string(),
            Shape::Escape => "a number from 0 to 63".to_string(),
            Shape::Within(within) => format!("`{}`", within.place.to_lowercase()),
            Shape::Page => "an address".to_string(),
            Shape::Bits(mask) => format!("a number of the bits {mask:o}, such as 10"),
            Shape::Micro(group) => format!("operations of {}", group.title),
        }
    }

    /// The range of numbers the operand takes, both ends included; `None` for names.
    ///
    /// Eight and sixteen bits take signed and unsigned readings alike, since the assembler cannot know which is
    /// meant.
    pub const fn range(self) -> Option<(i64, i64)> {
        match self {
            Shape::Name { .. } | Shape::Fixed(_) => None,
            Shape::Digit { last, .. } | Shape::OptionalDigit { last, .. } => Some((0, last as i64)),
            Shape::NonZeroDigit { last, .. } => Some((1, last as i64)),
            Shape::Device(_) => Some((0, 0o774)),
            Shape::Effective(_) => Some((-0o400000, 0o777777)),
            Shape::Vector => Some((0, 0x38)),
            Shape::Indexed { .. } => Some((-0x80, 0x7F)),
            Shape::Number(Number { of: NumberOf::Data, bits, .. }) => {
                Some((-(1 << (bits - 1)), (1 << bits) - 1))
            }
            Shape::Number(Number { of: NumberOf::Extended, .. }) => Some((-0x80, 0x7F)),
            Shape::Number(Number { bits, .. }) => Some((0, (1 << bits) - 1)),
            Shape::Memory(_) | Shape::Direct(_) => Some((-0x8000, 0xFFFF)),
            Shape::Relative16 => Some((0, 0xF_FFFF)),
            Shape::Escape => Some((0, 0x3F)),
            // How far it reaches is looked at by itself.
            Shape::Relative => Some((0, 0xFF_FFFF)),
            Shape::Within(within) => within.inner.range(),
            Shape::Page => Some((0, 0o77777)),
            Shape::Bits(mask) => Some((0, mask as i64)),
            Shape::Micro(_) => None,
        }
    }

    /// True for operands that hold an address of code, where they stand by themselves.
    pub fn is_code(self) -> bool {
        match self {
            Shape::Number(number) => matches!(number.of, NumberOf::Code | NumberOf::Far),
            Shape::Relative | Shape::Relative16 | Shape::Effective(Reach::Code) => true,
            _ => false,
        }
    }

    /// True for operands that hold an address of memory.
    pub const fn is_address(self) -> bool {
        match self.inner() {
            Shape::Number(number) => number.is_address(),
            Shape::Relative
            | Shape::Relative16
            | Shape::Page
            | Shape::Effective(Reach::Data | Reach::Code) => true,
            _ => false,
        }
    }
}
