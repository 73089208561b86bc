//! Chips, one file each, named by their part number and built after the maker's data sheet.
//!
//! To add a chip: a file here and a row in [`PARTS`].

mod device36;
mod disk_link;
mod port;
mod request;
mod screen;
mod serial;
mod tape;
mod timer;

pub use disk_link::DiskLink;
pub use port::i8212::I8212;
pub use port::mos6522::Mos6522;
pub use port::mos6532::Mos6532;
pub use screen::text_screen::{COLOURS, COLUMNS, Glyph, Picture, ROWS, Raster, TextScreen};
pub use serial::mc6850::Mc6850;
pub use serial::ns16550::Ns16550;
pub use serial::teleprinter::Teleprinter;
pub use serial::teleprinter36::Teleprinter36;
pub use serial::z8440::Z8440;
pub use tape::byte_tape::ByteTape;
pub use tape::paper_tape::Tape;
pub use tape::roll::Roll;
pub use tape::tape36::Tape36;
pub use timer::z8430::Z8430;

use super::board::ChipPlace;
use crate::image::Cell;
use std::fmt::Debug;

/// A pin that a lamp, a key or another part can be wired to: which port of the chip, and which bit of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pin {
    /// The port, from 0.
    pub port: u8,
    /// The bit, from 0.
    pub bit: u8,
}

/// A chip on the bus. Cycles count from power-on; `now` is the end of the cycle in which something happens.
pub trait Chip: Debug + Send {
    /// Reads the register at `offset` from the chip's first address.
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell>;
    /// Writes the register at `offset`. False where it has no effect.
    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool;
    /// On a word machine: a transfer with device `offset` from its first one, with the accumulator; what the accumulator is behind
    /// it, and whether the next instruction is skipped.
    fn transfer(&mut self, _offset: u32, _function: u32, value: Cell, _now: u64) -> (Cell, bool) {
        (value, false)
    }
    /// Lets time pass up to cycle `now`.
    fn advance(&mut self, _now: u64) {}
    /// The next cycle at which it does something by itself that can be seen from outside.
    fn next(&self) -> Option<u64> {
        None
    }
    /// Since which cycle it asks for an interrupt.
    fn requests(&self) -> Option<u64> {
        None
    }
    /// The channels that its requests go to, where the processor has seven: channel 1 on the left.
    fn channels(&self) -> u8 {
        0
    }
    /// The processor takes its interrupt: what it puts on the data bus. It is in service from then on.
    fn acknowledge(&mut self, _now: u64) -> Option<u8> {
        None
    }
    /// True from the acknowledgement to the end of its interrupt routine: it keeps those behind it in the daisy chain quiet.
    fn in_service(&self) -> bool {
        false
    }
    /// Its interrupt routine has returned.
    fn end_of_interrupt(&mut self, _now: u64) {}
    /// The reset line.
    fn reset(&mut self, _now: u64) {}
    /// The level that it gives a pin; `None` where it leaves it alone.
    fn level(&self, _pin: Pin) -> Option<bool> {
        None
    }
    /// Sets the level of a pin from outside, or leaves it to its pull-up.
    fn drive(&mut self, _pin: Pin, _level: Option<bool>, _now: u64) {}
    /// What its lamps show, where it drives a row of lamps.
    fn lamps(&self) -> Option<Cell> {
        None
    }
    /// What was asked of the disk system since somebody last looked.
    fn take_call(&mut self) -> Option<u8> {
        None
    }
    /// Which bank of memory its outputs choose, where it is wired so.
    fn bank(&self) -> Option<Cell> {
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
    /// Characters are typed at the far end of its serial line. False where it has none.
    fn type_in(&mut self, _bytes: &[u8], _now: u64) -> bool {
        false
    }
    /// True where a character that comes in on its serial line would ask for an interrupt.
    fn would_interrupt(&self) -> bool {
        false
    }
    /// Takes what the far end has received.
    fn take_received(&mut self) -> Vec<u8> {
        Vec::new()
    }
    /// How many characters wait to be typed.
    fn waiting(&self) -> usize {
        0
    }
    /// Puts a paper tape into its reader. False where it has none.
    fn mount(&mut self, _tape: &[u8]) -> bool {
        false
    }
    /// Its paper tapes, where it has a reader and a punch.
    fn roll(&self) -> Option<&Roll> {
        None
    }
    /// Where it takes a picture from, where it makes one.
    fn screen(&self, _now: u64) -> Option<Raster> {
        None
    }
    /// The counting of cycles begins again: what was cycle `now` is cycle 0.
    fn restart(&mut self, _now: u64) {}
    /// A copy, for going back to an earlier state.
    fn copy(&self) -> Box<dyn Chip>;
}

impl Clone for Box<dyn Chip> {
    fn clone(&self) -> Self {
        self.copy()
    }
}

/// A part that a board can have.
#[derive(Debug)]
pub struct Part {
    /// The part number.
    pub name: &'static str,
    /// What it is.
    pub title: &'static str,
    /// How many addresses its registers take.
    pub registers: u32,
    /// The letters of its ports, each with eight pins: pin 3 of the second is `PB3`.
    pub ports: &'static [&'static str],
    /// True where a console can hang on it.
    pub console: bool,
    /// What its description must have beside part, name and place.
    pub needs: Needs,
    make: fn(&ChipPlace, u64) -> Box<dyn Chip>,
}

/// What a chip's description must have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Needs {
    /// Nothing.
    Nothing,
    /// `wiring`: a row of lamps or of switches.
    Wiring,
    /// `clock`: the frequency at its clock pins.
    Clock,
}

/// The parts there are.
pub const PARTS: &[Part] = &[
    Part {
        name: "8212",
        title: "8-bit latch",
        registers: 1,
        ports: &[],
        console: false,
        needs: Needs::Wiring,
        make: |place, _| Box::new(I8212::new(place.wiring)),
    },
    Part {
        name: "6522",
        title: "two ports, two timers, shift register",
        registers: 16,
        ports: &["PA", "PB"],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(Mos6522::default()),
    },
    Part {
        name: "6532",
        title: "128 cells of RAM, two ports, timer",
        registers: 256,
        ports: &["PA", "PB"],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(Mos6532::default()),
    },
    Part {
        name: "6850",
        title: "serial line",
        registers: 2,
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Mc6850::new(clock, place.clock)),
    },
    Part {
        name: "16550",
        title: "serial line with FIFOs",
        registers: 8,
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Ns16550::new(clock, place.clock)),
    },
    Part {
        name: "Z8430",
        title: "Z80 CTC: four counter and timer channels",
        registers: 4,
        ports: &["TRG"],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(Z8430::default()),
    },
    Part {
        name: "Z8440",
        title: "Z80 SIO: two serial channels, the console on the first",
        registers: 4,
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Z8440::new(clock, place.clock)),
    },
    Part {
        name: "teleprinter",
        title: "keyboard and printer of a word machine",
        registers: 2,
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Teleprinter::new(clock, place.clock)),
    },
    Part {
        name: "paper-tape",
        title: "paper tape reader and punch of a word machine",
        registers: 2,
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(Tape::new(clock)),
    },
    Part {
        name: "teleprinter-36",
        title: "console teleprinter of a 36-bit machine",
        registers: 2,
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Teleprinter36::new(clock, place.clock)),
    },
    Part {
        name: "tape-36",
        title: "paper tape punch and reader of a 36-bit machine",
        registers: 6,
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(Tape36::new(clock)),
    },
    Part {
        name: "tape",
        title: "paper tape reader and punch of a byte machine",
        registers: 2,
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(ByteTape::new(clock)),
    },
    Part {
        name: "disk-link",
        title: "hands calls over to the disk system",
        registers: 1,
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(DiskLink::default()),
    },
    Part {
        name: "text-screen",
        title: "40 by 24 characters from memory, border, frame interrupt",
        registers: 16,
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(TextScreen::default()),
    },
];

/// A part by its number.
pub fn part(name: &str) -> Option<&'static Part> {
    PARTS.iter().find(|part| part.name == name)
}

/// Makes the chip of a place on a board whose processor runs at `clock` Hz.
pub fn make(place: &ChipPlace, clock: u64) -> Option<Box<dyn Chip>> {
    part(&place.part).map(|part| (part.make)(place, clock))
}
