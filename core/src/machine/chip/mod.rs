//! Chips, one file each, named by their part number and built after the maker's data sheet.
//!
//! To add a chip: a file here and a row in [`PARTS`].

mod device36;
mod disk_link;
mod facets;
mod far_end;
mod interrupt;
mod keys;
mod misuse;
mod port;
mod request;
mod screen;
mod serial;
mod service_link;
mod tape;
mod timer;

pub use crate::chip_facet as facet;
pub use disk_link::DiskLink;
pub use facets::{Door, Interrupting, Keys, Pins, Screen, Serial, Tape, Wired};
pub use interrupt::i8259::I8259;
pub use keys::legends::{SCAN_KEYS, ScanKey};
pub use keys::scan_keyboard::ScanKeyboard;
pub use misuse::{ChipAccess, Misuse};
pub use port::i8212::I8212;
pub use port::i8255::I8255;
pub use port::mos6522::Mos6522;
pub use port::mos6532::Mos6532;
pub use screen::picture::{
    CODE_PAGE_437, Colour, Colouring, Glyph, LINE_COLOURS, OWN_COLOURS, OWN_SIGNS, Picture, Raster,
};
pub use screen::text_adapter::TextAdapter;
pub use screen::text_screen::TextScreen;
pub use serial::mc6850::Mc6850;
pub use serial::ns16550::Ns16550;
pub use serial::tap::ConsoleTap;
pub use serial::teleprinter::Teleprinter;
pub use serial::teleprinter36::Teleprinter36;
pub use serial::z8440::Z8440;
pub use service_link::ServiceLink;
pub use tape::byte_tape::ByteTape;
pub use tape::paper_tape::PaperTape;
pub use tape::roll::Roll;
pub use tape::tape36::Tape36;
pub use timer::i8253::I8253;
pub use timer::z8430::Z8430;

use super::board::ChipPlace;
use crate::image::Cell;
use std::fmt::Debug;
use std::ops::RangeInclusive;

/// A pin that a lamp, a key or another part can be wired to: which port of the chip, and which bit of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pin {
    /// The row of pins, from 0: a port, or the control lines of one.
    pub port: u8,
    /// Its number in the row.
    pub bit: u8,
}

/// A chip on the bus. Cycles count from power-on; `now` is the end of the cycle in which something happens.
///
/// What only some chips have is a facet of its own ([`Serial`], [`Pins`] and so on): a chip that has it implements the trait and says
/// so by [`facet!`](facet).
pub trait Chip: Debug + Send {
    /// Reads the register at `offset` from the chip's first address; `None` where nothing answers.
    fn read(&mut self, _offset: u32, _now: u64) -> Option<Cell> {
        None
    }
    /// Writes the register at `offset`. False where it has no effect.
    fn write(&mut self, _offset: u32, _value: Cell, _now: u64) -> bool {
        false
    }
    /// On a word machine: a transfer with device `offset` from its first one, with the accumulator; what the accumulator is after
    /// it, and whether the next instruction is skipped.
    fn transfer(&mut self, _offset: u32, _function: u32, value: Cell, _now: u64) -> (Cell, bool) {
        (value, false)
    }
    /// What the data sheet warns of in an access that comes next, the chip as it is at that time; `None` where nothing is wrong with it.
    fn misuse(&self, _access: ChipAccess, _now: u64) -> Option<Misuse> {
        None
    }
    /// Lets time pass up to cycle `now`.
    fn advance(&mut self, _now: u64) {}
    /// The next cycle at which it does something by itself that can be seen from outside.
    fn next(&self) -> Option<u64> {
        None
    }
    /// The next cycle at which something is done that was begun and ends by itself; what goes on for ever is none.
    fn finishes(&self) -> Option<u64> {
        self.next()
    }
    /// Since which cycle it asks for an interrupt.
    fn requests(&self) -> Option<u64> {
        None
    }
    /// The level of its interrupt line while it asks; most chips pull it low.
    fn asks_high(&self) -> bool {
        false
    }
    /// The reset line.
    fn reset(&mut self, _now: u64) {}
    /// The counting of cycles begins again: what was cycle `now` is cycle 0.
    fn restart(&mut self, _now: u64) {}
    /// A copy, for going back to an earlier state.
    fn copy(&self) -> Box<dyn Chip>;
    /// Its [`Interrupting`] facet.
    fn interrupting(&self) -> Option<&dyn Interrupting> {
        None
    }
    /// The same, to change it.
    fn interrupting_mut(&mut self) -> Option<&mut dyn Interrupting> {
        None
    }
    /// Its [`Pins`] facet.
    fn pins(&self) -> Option<&dyn Pins> {
        None
    }
    /// The same, to change it.
    fn pins_mut(&mut self) -> Option<&mut dyn Pins> {
        None
    }
    /// Its [`Wired`] facet.
    fn wired(&self) -> Option<&dyn Wired> {
        None
    }
    /// The same, to change it.
    fn wired_mut(&mut self) -> Option<&mut dyn Wired> {
        None
    }
    /// Its [`Serial`] facet.
    fn serial(&self) -> Option<&dyn Serial> {
        None
    }
    /// The same, to change it.
    fn serial_mut(&mut self) -> Option<&mut dyn Serial> {
        None
    }
    /// Its [`Tape`] facet.
    fn tape(&self) -> Option<&dyn Tape> {
        None
    }
    /// The same, to change it.
    fn tape_mut(&mut self) -> Option<&mut dyn Tape> {
        None
    }
    /// Its [`Screen`] facet.
    fn screen(&self) -> Option<&dyn Screen> {
        None
    }
    /// The same, to change it.
    fn screen_mut(&mut self) -> Option<&mut dyn Screen> {
        None
    }
    /// Its [`Keys`] facet.
    fn keys(&self) -> Option<&dyn Keys> {
        None
    }
    /// The same, to change it.
    fn keys_mut(&mut self) -> Option<&mut dyn Keys> {
        None
    }
    /// Its [`Door`] facet.
    fn door(&self) -> Option<&dyn Door> {
        None
    }
    /// The same, to change it.
    fn door_mut(&mut self) -> Option<&mut dyn Door> {
        None
    }
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
    /// The registers' names by their offsets, as the data sheet has them; with a stroke where reading and writing mean different ones.
    pub names: &'static [(u32, &'static str)],
    /// Its pins, row by row.
    pub ports: &'static [PinRow],
    /// True where a console can hang on it.
    pub console: bool,
    /// What its description must have beside part, name and place.
    pub needs: Needs,
    make: fn(&ChipPlace, u64) -> Box<dyn Chip>,
}

/// A row of pins of a chip: the letters in front of their numbers, and the numbers that there are. `PB3` is pin 3 of the row `PB`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PinRow(pub &'static str, pub RangeInclusive<u8>);

impl Part {
    /// The register at an offset, as it is called where it is written or read.
    pub fn register(&self, offset: u32, written: bool) -> Option<&'static str> {
        let (_, name) = self.names.iter().find(|row| row.0 == offset)?;
        Some(match name.split_once('/') {
            Some((read, write)) => {
                if written {
                    write
                } else {
                    read
                }
            }
            None => name,
        })
    }
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
        names: &[],
        ports: &[],
        console: false,
        needs: Needs::Wiring,
        make: |place, _| Box::new(I8212::new(place.wiring)),
    },
    Part {
        name: "6522",
        title: "two ports, two timers, shift register",
        registers: 16,
        names: &[
            (0, "ORB"),
            (1, "ORA"),
            (2, "DDRB"),
            (3, "DDRA"),
            (4, "T1CL"),
            (5, "T1CH"),
            (6, "T1LL"),
            (7, "T1LH"),
            (8, "T2CL"),
            (9, "T2CH"),
            (10, "SR"),
            (11, "ACR"),
            (12, "PCR"),
            (13, "IFR"),
            (14, "IER"),
            (15, "ORAN"),
        ],
        ports: &[PinRow("PA", 0..=7), PinRow("PB", 0..=7), PinRow("CA", 1..=2), PinRow("CB", 1..=2)],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(Mos6522::default()),
    },
    Part {
        name: "6532",
        title: "128 cells of RAM, two ports, timer",
        registers: 256,
        names: &[
            (0x80, "ORA"),
            (0x81, "DDRA"),
            (0x82, "ORB"),
            (0x83, "DDRB"),
            (0x85, "FLAGS"),
            (0x94, "T1T"),
            (0x95, "T8T"),
            (0x96, "T64T"),
            (0x97, "T1024T"),
        ],
        ports: &[PinRow("PA", 0..=7), PinRow("PB", 0..=7)],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(Mos6532::default()),
    },
    Part {
        name: "6850",
        title: "serial line",
        registers: 2,
        names: &[(0, "SR/CR"), (1, "RDR/TDR")],
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Mc6850::new(clock, place.clock)),
    },
    Part {
        name: "16550",
        title: "serial line with FIFOs",
        registers: 8,
        names: &[
            (0, "RBR/THR"),
            (1, "IER"),
            (2, "IIR/FCR"),
            (3, "LCR"),
            (4, "MCR"),
            (5, "LSR"),
            (6, "MSR"),
            (7, "SCR"),
        ],
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Ns16550::new(clock, place.clock)),
    },
    Part {
        name: "Z8430",
        title: "Z80 CTC: four counter and timer channels",
        registers: 4,
        names: &[(0, "CH0"), (1, "CH1"), (2, "CH2"), (3, "CH3")],
        ports: &[PinRow("TRG", 0..=3)],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(Z8430::default()),
    },
    Part {
        name: "Z8440",
        title: "Z80 SIO: two serial channels, the console on the first",
        registers: 4,
        names: &[(0, "DATA_A"), (1, "DATA_B"), (2, "CONTROL_A"), (3, "CONTROL_B")],
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Z8440::new(clock, place.clock)),
    },
    Part {
        name: "teleprinter",
        title: "keyboard and printer of a word machine",
        registers: 2,
        names: &[],
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Teleprinter::new(clock, place.clock)),
    },
    Part {
        name: "paper-tape",
        title: "paper tape reader and punch of a word machine",
        registers: 2,
        names: &[],
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(PaperTape::new(clock)),
    },
    Part {
        name: "teleprinter-36",
        title: "console teleprinter of a 36-bit machine",
        registers: 2,
        names: &[],
        ports: &[],
        console: true,
        needs: Needs::Clock,
        make: |place, clock| Box::new(Teleprinter36::new(clock, place.clock)),
    },
    Part {
        name: "paper-tape-36",
        title: "paper tape punch and reader of a 36-bit machine",
        registers: 6,
        names: &[],
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(Tape36::new(clock)),
    },
    Part {
        name: "paper-tape-8",
        title: "paper tape reader and punch of a byte machine",
        registers: 2,
        names: &[(0, "FRAME"), (1, "STATUS/FETCH")],
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(ByteTape::new(clock)),
    },
    Part {
        name: "disk-link",
        title: "hands calls over to the disk system",
        registers: 1,
        names: &[],
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(DiskLink::default()),
    },
    Part {
        name: "8253",
        title: "three counters of sixteen bits",
        registers: 4,
        names: &[(0, "COUNTER0"), (1, "COUNTER1"), (2, "COUNTER2"), (3, "CONTROL")],
        ports: &[PinRow("GATE", 0..=2), PinRow("OUT", 0..=2)],
        console: false,
        needs: Needs::Clock,
        make: |place, clock| Box::new(I8253::new(clock, place.clock, false)),
    },
    Part {
        name: "8254",
        title: "three counters of sixteen bits that can be read back",
        registers: 4,
        names: &[(0, "COUNTER0"), (1, "COUNTER1"), (2, "COUNTER2"), (3, "CONTROL")],
        ports: &[PinRow("GATE", 0..=2), PinRow("OUT", 0..=2)],
        console: false,
        needs: Needs::Clock,
        make: |place, clock| Box::new(I8253::new(clock, place.clock, true)),
    },
    Part {
        name: "8255",
        title: "three ports",
        registers: 4,
        names: &[(0, "PA"), (1, "PB"), (2, "PC"), (3, "CONTROL")],
        ports: &[PinRow("PA", 0..=7), PinRow("PB", 0..=7), PinRow("PC", 0..=7)],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(I8255::default()),
    },
    Part {
        name: "8259",
        title: "eight interrupt levels",
        registers: 2,
        names: &[(0, "COMMAND"), (1, "MASK")],
        ports: &[PinRow("IR", 0..=7)],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(I8259::default()),
    },
    Part {
        name: "text-adapter",
        title: "6845 with 16K at B8000h: 80 by 25 characters with attributes",
        registers: 8,
        names: &[(0, "INDEX"), (1, "DATA"), (4, "MODE"), (5, "BORDER"), (6, "STATUS")],
        ports: &[],
        console: false,
        needs: Needs::Clock,
        make: |place, clock| Box::new(TextAdapter::new(clock, place.clock)),
    },
    Part {
        name: "scan-keyboard",
        title: "83 keys that send numbers",
        registers: 0,
        names: &[],
        ports: &[PinRow("D", 0..=7), PinRow("CLR", 0..=0)],
        console: false,
        needs: Needs::Nothing,
        make: |_, clock| Box::new(ScanKeyboard::new(clock)),
    },
    Part {
        name: "console-tap",
        title: "repeats what firmware shows",
        registers: 1,
        names: &[],
        ports: &[],
        console: true,
        needs: Needs::Nothing,
        make: |_, _| Box::new(ConsoleTap::default()),
    },
    Part {
        name: "service-link",
        title: "hands calls over to disk services, a port to a kind",
        registers: 4,
        names: &[],
        ports: &[],
        console: false,
        needs: Needs::Nothing,
        make: |_, _| Box::new(ServiceLink::default()),
    },
    Part {
        name: "text-screen",
        title: "40 by 24 characters from memory, border, frame interrupt",
        registers: 16,
        names: &[
            (0, "BORDER"),
            (1, "CELLS"),
            (2, "COLOURS"),
            (3, "STATUS"),
            (4, "LINE"),
            (5, "CURSOR"),
            (6, "CURSOR_HIGH"),
        ],
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
