//! A chip of one's own in a machine.

use super::board::{ChipAt, ChipPlace, Input, InterruptLine};
use super::chip::Chip;
use crate::processor::InstructionSet;
use std::ops::RangeInclusive;

/// A chip and where it goes on the board, beside those that the board's description names.
///
/// ```
/// use plain_byte::image::Cell;
/// use plain_byte::machine::chip::Chip;
/// use plain_byte::machine::{Board, Fitting, Machine};
///
/// /// Counts the boats that pass: reading takes the count, writing sets it.
/// #[derive(Debug, Clone)]
/// struct Boats(u8);
///
/// impl Chip for Boats {
///     fn read(&mut self, _: u32, _: u64) -> Option<Cell> {
///         self.0 = self.0.wrapping_add(1);
///         Some(self.0.into())
///     }
///     fn write(&mut self, _: u32, value: Cell, _: u64) -> bool {
///         self.0 = value as u8;
///         true
///     }
///     fn copy(&self) -> Box<dyn Chip> {
///         Box::new(self.clone())
///     }
/// }
///
/// let board = Board::bare(plain_byte::processor::find("8080")?);
/// let fitting = Fitting::at_port("boats", 0x30, 1, Boats(6));
/// let mut machine = Machine::fitted(&board, vec![fitting]).expect("a machine of the 8080");
/// machine.put(0, 0xDB);                            // IN 30h
/// machine.put(1, 0x30);
/// machine.step(100, &mut vec![]);
/// assert_eq!(machine.register(0), 7);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct Fitting {
    pub(super) place: ChipPlace,
    pub(super) registers: u32,
    pub(super) chip: Box<dyn Chip>,
}

impl Fitting {
    fn new(name: &str, at: ChipAt, registers: u32, chip: Box<dyn Chip>) -> Self {
        let (part, name) = (String::new(), name.to_string());
        let place = ChipPlace { part, name, at, wiring: None, interrupt: None, clock: None };
        Self { place, registers, chip }
    }

    /// A chip whose registers stand at so many ports, or devices, from one on.
    pub fn at_port(name: &str, port: u32, registers: u32, chip: impl Chip + 'static) -> Self {
        Self::new(name, ChipAt::Port(port), registers, Box::new(chip))
    }

    /// A chip whose registers stand among the memory, again and again where the stretch is longer.
    pub fn in_memory(name: &str, addresses: RangeInclusive<u32>, chip: impl Chip + 'static) -> Self {
        let (first, last) = addresses.into_inner();
        Self::new(name, ChipAt::Memory { first, last }, last.saturating_sub(first) + 1, Box::new(chip))
    }

    /// Its interrupt line goes to an input of the processor, by the name printed on the pin; to none where there is no such input.
    #[must_use]
    pub fn interrupting(mut self, set: &InstructionSet, input: &str) -> Self {
        let name = set.interrupts.inputs.iter().copied().find(|name| name.eq_ignore_ascii_case(input));
        let input = name.map(|name| Input { name, level: set.interrupts.level_input == Some(name) });
        self.place.interrupt = input.map(InterruptLine::Processor);
        self
    }
}
