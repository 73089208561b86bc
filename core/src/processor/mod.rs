//! Instruction sets: one folder each, one table each.
//!
//! A [`Row`] holds every fact about an instruction form. [`decode`] and [`encode`] read the rows; the executors are
//! hand-written for speed and held against the rows by tests.
//!
//! To add a processor: a folder beside [`i8080`] with its table and executor, and a line in [`ALL`].

mod arms;
mod bus;
mod decode;
mod encode;
pub mod ez80;
mod field;
pub mod i8080;
pub mod i8086;
pub mod micro;
mod mnemonics;
mod modrm;
pub mod mos6502;
mod operand;
pub mod pdp10;
pub mod pdp8;
mod prefix;
mod row;
mod set;
mod spell;
mod tally;
mod window;
pub mod z80;

pub use bus::{Bus, Exit, InputLine, NoWatch, OutputLine, Processor, Requests, Watch};
pub use decode::{Decoded, LONGEST, MOST_OPERANDS, NotEnough, decode, decode_in};
pub use encode::encode;
pub(crate) use field::page_address;
pub use field::{FIELD_BITS, PAGE, page_field};
pub use mnemonics::{Mnemonics, pack};
pub use modrm::{BASES, Size, displacement_cells, effective_clocks, is_in_stack, is_memory};
pub use operand::{Effective, Names, Number, NumberOf, Reach, Shape, Within};
pub(crate) use pdp10::channel_bit;
pub use prefix::{PREFIX_CLOCKS, PREFIXES, Prefix, Prefixes, Repeat};
pub use row::{Flow, Row, Timing, Usage};
pub use set::{
    Cells, Condition, Flag, Foreign, Hints, Identity, InstructionSet, InterruptInputs, Mistake, MistakeKind,
    Modes, Named, Opcode, Opcodes, OperandIndex, PREFIX, Page, Register, RegisterFile, Role, Starter, Status,
    Suffix, Table, Trap, foreign, index_operands, index_page, index_rows, index_words, no_advice, no_trap,
};
pub use tally::Tally;
use tally::unlikely;
pub use window::{Context, Window};

/// Every instruction set there is.
pub static ALL: &[&InstructionSet] = &[
    &i8080::I8080,
    &i8080::I8085,
    &i8080::I8085U,
    &mos6502::MOS6502,
    &mos6502::C65C02,
    &mos6502::MOS6502U,
    &pdp8::PDP8,
    &pdp10::PDP10,
    &z80::Z80,
    &z80::Z80U,
    &ez80::EZ80,
    &ez80::EZ80_ADL,
    &i8086::I8086,
    &i8086::I8088,
    &i8086::I8086U,
];

/// An instruction set by its name, capitals or not.
///
/// # Errors
/// [`UnknownProcessor`] with the nearest name.
pub fn find(name: &str) -> Result<&'static InstructionSet, UnknownProcessor> {
    ALL.iter().copied().find(|set| set.name().eq_ignore_ascii_case(name)).ok_or_else(|| UnknownProcessor {
        name: name.to_string(),
        known: ALL.iter().map(|set| set.name()).collect::<Vec<_>>().join(", "),
    })
}

/// No processor has that name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("there is no processor `{name}` here; there are {known}")]
pub struct UnknownProcessor {
    /// The name that was asked for.
    pub name: String,
    /// The names that exist.
    pub known: String,
}
