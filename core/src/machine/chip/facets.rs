//! What only some chips have, a trait each, and the way to it from a chip of which nothing is known.

use super::{Chip, Pin, Raster, Roll};
use crate::image::Cell;

/// An interrupt with an acknowledgement: in a daisy chain, or on one of several channels.
pub trait Interrupting {
    /// The channels that its requests go to, where the processor has seven: channel 1 on the left.
    fn channels(&self) -> u8 {
        0
    }
    /// The processor takes its interrupt: what it puts on the data bus. It is in service from then on.
    fn acknowledge(&mut self, _now: u64) -> Option<u8> {
        None
    }
    /// True from the acknowledgement to the end of its interrupt routine: it keeps those after it in the daisy chain quiet.
    fn in_service(&self) -> bool {
        false
    }
    /// Its interrupt routine has returned.
    fn end_of_interrupt(&mut self, _now: u64) {}
}

/// Pins that lamps, keys and other parts can be wired to.
pub trait Pins {
    /// The level that it gives a pin; `None` where it leaves it alone.
    fn level(&self, pin: Pin) -> Option<bool>;
    /// Sets the level of a pin from outside, or leaves it to its pull-up.
    fn drive(&mut self, _pin: Pin, _level: Option<bool>, _now: u64) {}
}

/// A row of lamps, of switches, or a bank of memory, wired to its lines.
pub trait Wired {
    /// What its lamps show, where it drives a row of lamps.
    fn lamps(&self) -> Option<Cell> {
        None
    }
    /// Sets the switches wired to it. False where there are none.
    fn set_switches(&mut self, _value: Cell) -> bool {
        false
    }
    /// The position of the switches wired to it.
    fn switches(&self) -> Option<Cell> {
        None
    }
    /// Which bank of memory its outputs choose, where it is wired so.
    fn bank(&self) -> Option<Cell> {
        None
    }
}

/// A serial line with a terminal at its far end.
pub trait Serial {
    /// Characters are typed at the far end.
    fn type_in(&mut self, bytes: &[u8], now: u64);
    /// True where a character that comes in would ask for an interrupt.
    fn would_interrupt(&self) -> bool;
    /// Takes what the far end has received.
    fn take_received(&mut self) -> Vec<u8>;
    /// How many characters wait to be typed.
    fn waiting(&self) -> usize;
}

/// A paper tape reader and punch.
pub trait Tape {
    /// Puts a tape into the reader.
    fn mount(&mut self, tape: &[u8]);
    /// Its tapes.
    fn roll(&self) -> &Roll;
}

/// A keyboard that sends a code for each key.
pub trait Keys {
    /// True where its keys make the character.
    fn makes(&self, character: u8) -> bool;
    /// True where it has the key with that legend.
    fn has(&self, legend: &str) -> bool;
    /// A key goes down, or comes up.
    fn press(&mut self, legend: &str, down: bool, now: u64);
    /// Somebody types characters; those that no keys make are left out.
    fn type_in(&mut self, bytes: &[u8], now: u64);
    /// How many characters wait to be typed.
    fn waiting(&self) -> usize;
}

/// A picture that it makes out of memory.
pub trait Screen {
    /// What it makes the picture of at cycle `now`, and from where in memory.
    fn raster(&self, now: u64) -> Raster;
}

/// A door to a service of the machine: what is written to it is a call, done between two instructions.
pub trait Door {
    /// What was asked since somebody last looked.
    fn take_call(&mut self) -> Option<u8>;
}

/// Inside an `impl Chip`: the chip has the facet.
///
/// ```
/// # use plain_byte::machine::chip::{Chip, Pin, Pins, facet};
/// #[derive(Debug, Clone)]
/// struct Relay(bool);
///
/// impl Chip for Relay {
///     facet!(Pins, pins, pins_mut);
///
///     fn copy(&self) -> Box<dyn Chip> {
///         Box::new(self.clone())
///     }
/// }
///
/// impl Pins for Relay {
///     fn level(&self, _: Pin) -> Option<bool> {
///         Some(self.0)
///     }
/// }
/// let chip: Box<dyn Chip> = Box::new(Relay(true));
/// assert_eq!(chip.level(Pin { port: 0, bit: 0 }), Some(true));
/// ```
#[macro_export]
#[doc(hidden)]
macro_rules! chip_facet {
    ($facet:ident, $get:ident, $get_mut:ident) => {
        fn $get(&self) -> Option<&dyn $facet> {
            Some(self)
        }

        fn $get_mut(&mut self) -> Option<&mut dyn $facet> {
            Some(self)
        }
    };
}

/// A chip of which nothing is known can be asked for everything; where it has not the facet, nothing happens.
impl dyn Chip {
    /// See [`Interrupting::channels`].
    pub fn channels(&self) -> u8 {
        self.interrupting().map_or(0, Interrupting::channels)
    }

    /// See [`Interrupting::acknowledge`].
    pub fn acknowledge(&mut self, now: u64) -> Option<u8> {
        self.interrupting_mut()?.acknowledge(now)
    }

    /// See [`Interrupting::in_service`].
    pub fn in_service(&self) -> bool {
        self.interrupting().is_some_and(Interrupting::in_service)
    }

    /// See [`Interrupting::end_of_interrupt`].
    pub fn end_of_interrupt(&mut self, now: u64) {
        if let Some(one) = self.interrupting_mut() {
            one.end_of_interrupt(now);
        }
    }

    /// See [`Pins::level`].
    pub fn level(&self, pin: Pin) -> Option<bool> {
        self.pins()?.level(pin)
    }

    /// See [`Pins::drive`].
    pub fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        if let Some(one) = self.pins_mut() {
            one.drive(pin, level, now);
        }
    }

    /// See [`Wired::lamps`].
    pub fn lamps(&self) -> Option<Cell> {
        self.wired()?.lamps()
    }

    /// See [`Wired::set_switches`].
    pub fn set_switches(&mut self, value: Cell) -> bool {
        self.wired_mut().is_some_and(|one| one.set_switches(value))
    }

    /// See [`Wired::switches`].
    pub fn switches(&self) -> Option<Cell> {
        self.wired()?.switches()
    }

    /// See [`Wired::bank`].
    pub fn bank(&self) -> Option<Cell> {
        self.wired()?.bank()
    }

    /// See [`Serial::type_in`]. False where it has no line.
    pub fn type_in(&mut self, bytes: &[u8], now: u64) -> bool {
        self.serial_mut().map(|one| one.type_in(bytes, now)).is_some()
    }

    /// See [`Serial::would_interrupt`].
    pub fn would_interrupt(&self) -> bool {
        self.serial().is_some_and(Serial::would_interrupt)
    }

    /// See [`Serial::take_received`].
    pub fn take_received(&mut self) -> Vec<u8> {
        self.serial_mut().map_or_else(Vec::new, Serial::take_received)
    }

    /// See [`Serial::waiting`].
    pub fn waiting(&self) -> usize {
        self.serial().map_or(0, Serial::waiting)
    }

    /// See [`Tape::mount`]. False where it has no reader.
    pub fn mount(&mut self, tape: &[u8]) -> bool {
        self.tape_mut().map(|one| one.mount(tape)).is_some()
    }

    /// See [`Tape::roll`].
    pub fn roll(&self) -> Option<&Roll> {
        self.tape().map(Tape::roll)
    }

    /// See [`Screen::raster`].
    pub fn raster(&self, now: u64) -> Option<Raster> {
        self.screen().map(|one| one.raster(now))
    }

    /// See [`Door::take_call`].
    pub fn take_call(&mut self) -> Option<u8> {
        self.door_mut()?.take_call()
    }
}
