//! What an operator does by hand: registers, flags and cells by name, keys and signals at a moment, reset and power.

use super::{Act, Session, Stretch};
use crate::image::Cell;
use crate::machine::Event;
use crate::processor::{Named, Role};

/// No register, flag, cell or port of that name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum StateError {
    /// Unknown name.
    #[error("the {processor} has no register or flag `{name}`; it has {known}")]
    Unknown {
        /// The name.
        name: String,
        /// The processor.
        processor: &'static str,
        /// Registers and flags.
        known: String,
    },
    /// The value does not fit.
    #[error("{value} does not fit in {name}, which has {bits} bits")]
    Range {
        /// The register or flag.
        name: String,
        /// The value.
        value: i64,
        /// Its width.
        bits: u8,
    },
    /// A value that a cell cannot hold.
    #[error("{value} does not fit in a cell, which has {bits} bits")]
    Value {
        /// The value.
        value: Cell,
        /// Bits in a cell.
        bits: u8,
    },
    /// No memory at the address.
    #[error("the board has no memory at {0}")]
    NoMemory(String),
    /// The board has no such thing.
    #[error("{0}")]
    NoSuch(String),
}

impl Session {
    /// The value of a register or flag, by its name in any case: see [`InstructionSet::named`](crate::processor::InstructionSet::named).
    pub fn get(&self, name: &str) -> Option<u64> {
        self.machine.get(name)
    }

    fn flags(&self) -> u64 {
        let set = self.processor();
        set.flags_register().map_or(0, |place| self.machine.register(place))
    }

    /// Sets a register or flag by its name. Negative values are taken as two's complement.
    ///
    /// # Errors
    /// [`StateError`] for an unknown name or a value that does not fit.
    pub fn set(&mut self, name: &str, value: i64) -> Result<(), StateError> {
        let (place, value) = self.setting(name, value)?;
        self.set_register(place, value);
        Ok(())
    }

    /// Looks whether a register or flag of that name can be set to a value, and changes nothing.
    ///
    /// # Errors
    /// As [`set`](Self::set).
    pub fn can_set(&self, name: &str, value: i64) -> Result<(), StateError> {
        self.setting(name, value).map(|_| ())
    }

    /// The place of the register that is set, and what it gets.
    fn setting(&self, name: &str, value: i64) -> Result<(usize, u64), StateError> {
        let set = self.processor();
        let range = |name: String, bits: u8| StateError::Range { name, value, bits };
        match set.named(name) {
            Some(Named::Register(place)) => {
                let bits = set.registers()[place].bits;
                if value < -(1i64 << (bits - 1)) || value >= 1i64 << bits {
                    return Err(range(set.registers()[place].name.to_string(), bits));
                }
                Ok((place, value as u64 & ((1 << bits) - 1)))
            }
            Some(Named::Flag(flag)) => {
                let flags = match value {
                    0 => self.flags() & !flag.mask,
                    1 => self.flags() | flag.mask,
                    _ => return Err(range(set.flag_name(flag), 1)),
                };
                Ok((set.flags_register().unwrap_or_default(), flags))
            }
            None => {
                let known: Vec<_> = set.state_names().collect();
                Err(StateError::Unknown {
                    name: name.to_string(),
                    processor: set.name(),
                    known: known.join(", "),
                })
            }
        }
    }

    /// The cell at an address.
    pub fn cell(&self, address: u32) -> Cell {
        self.machine.cell(address)
    }

    /// Sets cells from an address on, ROM included, as an operator does with the machine stopped.
    ///
    /// # Errors
    /// [`StateError::NoMemory`] names the first address without memory, [`StateError::Value`] the first value that does not fit;
    /// nothing is changed then.
    pub fn put(&mut self, address: u32, cells: &[Cell]) -> Result<(), StateError> {
        let set = self.processor();
        let missing = (0..cells.len() as u64).map(|at| u64::from(address) + at).find(|&at| {
            u32::try_from(at).map_or(true, |at| at > set.last_address() || self.machine.kind(at).is_none())
        });
        if let Some(missing) = missing {
            return Err(StateError::NoMemory(set.address(missing)));
        }
        self.fit(cells)?;
        self.act(Act::Cells(Stretch { start: address, cells: cells.to_vec() }));
        Ok(())
    }

    /// A number as a cell holds it, negative ones in two's complement.
    ///
    /// # Errors
    /// [`StateError::Value`].
    pub fn cell_of(&self, value: i64) -> Result<Cell, StateError> {
        let bits = self.processor().cell_bits();
        if value < -(1 << (bits - 1)) {
            return Err(StateError::Range { name: "a cell".to_string(), value, bits });
        }
        let cell = if value < 0 { value as Cell & self.processor().last_cell() } else { value as Cell };
        self.fit(&[cell]).map(|()| cell)
    }

    /// Looks whether values fit in cells.
    fn fit(&self, values: &[Cell]) -> Result<(), StateError> {
        let set = self.processor();
        let wide = values.iter().find(|&&value| value > set.last_cell());
        wide.map_or(Ok(()), |&value| Err(StateError::Value { value, bits: set.cell_bits() }))
    }

    /// Lets something happen to the machine: a key, switches, typed characters, values at a port.
    ///
    /// # Errors
    /// [`StateError::NoSuch`] where the board has nothing of the kind, [`StateError::Value`] where a value does not fit in a cell.
    pub fn happen(&mut self, event: Event) -> Result<(), StateError> {
        self.happen_at(self.machine.cycles(), event)
    }

    /// The same at a later cycle.
    ///
    /// # Errors
    /// As [`happen`](Self::happen).
    pub fn happen_at(&mut self, cycle: u64, event: Event) -> Result<(), StateError> {
        match &event {
            Event::Switches(_, value) => self.fit(&[*value])?,
            Event::Port(_, values) => self.fit(values)?,
            _ => {}
        }
        let board = self.machine.board().name.clone();
        let problem = match &event {
            Event::Interrupt(name) => {
                let keys = self.machine.board().keys.iter().map(|key| key.name.as_str());
                let keys: Vec<&str> =
                    keys.chain(self.processor().interrupts.inputs.iter().copied()).collect();
                format!(
                    "the board {board} has no key or interrupt input `{name}`; it has {}",
                    keys.join(", ")
                )
            }
            Event::Switches(name, _) => format!("the board {board} has no switches or button `{name}`"),
            Event::Press(legend, _) => format!("the board {board} has no key `{legend}`"),
            Event::Typed(bytes) if self.machine.has_keyboard() => {
                let text = String::from_utf8_lossy(bytes);
                let none = |one: &char| u8::try_from(*one).map_or(true, |one| !self.machine.can_type(one));
                let missing = text.chars().find(none).unwrap_or('?');
                format!("the keyboard of the board {board} has no key that makes {missing:?}")
            }
            Event::Typed(_) => format!("the board {board} has no console"),
            Event::Port(port, _) => format!("the processor has no port {port}"),
            Event::Tape(_) => format!("the board {board} has no tape reader"),
            Event::Cassette(_) | Event::Recorder(_) => {
                format!("the board {board} has no interface for a cassette recorder")
            }
            other => format!("the board {board} knows nothing of {other:?}"),
        };
        if self.act(Act::Event { at: cycle, event }) { Ok(()) } else { Err(StateError::NoSuch(problem)) }
    }

    /// The reset key: the processor starts again, memory stays.
    pub fn reset(&mut self) {
        self.act(Act::Reset);
    }

    /// The power is switched off and on again.
    pub fn power(&mut self) {
        self.act(Act::Power);
    }

    /// The same, and everything is counted from there: what was put into memory before was there when the power came on.
    pub fn begin_with_power(&mut self) {
        self.power();
        self.act(Act::Anew);
    }

    /// Sets a register by its place in the set's list; bits that do not exist are dropped.
    pub fn set_register(&mut self, place: usize, value: u64) {
        let Some(register) = self.processor().registers().get(place) else { return };
        self.act(Act::Register { name: register.name.to_string(), value });
    }

    /// Goes on at an address.
    ///
    /// # Errors
    /// [`StateError::Range`] where there is no such address.
    pub fn go_to(&mut self, address: i64) -> Result<(), StateError> {
        let set = self.processor();
        let Some(place) = u32::try_from(address).ok().filter(|&place| place <= set.last_address()) else {
            let name = set.place_of(Role::Program).map_or("PC", |place| set.registers()[place].name);
            let bits = set.address_bits();
            return Err(StateError::Range { name: name.to_string(), value: address, bits });
        };
        self.set_place(place);
        Ok(())
    }

    /// Goes on at an address, as far as there are such addresses.
    pub fn set_place(&mut self, address: u32) {
        self.act(Act::Place(address));
    }
}
