//! Intel 8255A, programmable peripheral interface (Intel, *8255A/8255A-5 programmable peripheral interface* data sheet): ports A, B
//! and C.
//!
//! ```text
//! 0 to 2  A, B, C      3  1 MA1 MA0 A C-high MB B C-low    the modes; 1 is an input
//!                         0 - - - b2 b1 b0 value           sets or clears a bit of C
//! ```
//!
//! Mode 1 strobes a port by pins of C, mode 2 makes A a bus of both directions:
//!
//! ```text
//!              in: STB IBF INTR enable    out: OBF ACK INTR enable
//! A, mode 1        C4  C5  C3   bit 4          C7  C6  C3   bit 6       mode 2 has all of them
//! B, mode 1        C2  C1  C0   bit 2          C1  C2  C0   bit 2
//! ```
//!
//! A request for an interrupt is a level at C3 or C0, which a board wires on.

use crate::image::Cell;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Pin, Pins, facet};

const A: usize = 0;
const C: usize = 2;

/// The pins of C that strobe a port.
struct Strobes {
    strobe: u8,
    full: u8,
    in_enable: u8,
    empty: u8,
    taken: u8,
    out_enable: u8,
    request: u8,
}

const STROBES: [Strobes; 2] = [
    Strobes { strobe: 4, full: 5, in_enable: 4, empty: 7, taken: 6, out_enable: 6, request: 3 },
    Strobes { strobe: 2, full: 1, in_enable: 2, empty: 1, taken: 2, out_enable: 2, request: 0 },
];

/// How a port is strobed.
#[derive(Debug, Clone, Copy, Default)]
struct Strobed {
    /// What came in with the strobe.
    latched: u8,
    full: bool,
    /// What was written has not been taken.
    holds: bool,
    /// The two bits that enable its requests.
    in_enabled: bool,
    out_enabled: bool,
}

/// The chip.
#[derive(Debug, Clone)]
pub struct I8255 {
    control: u8,
    out: [u8; 3],
    /// The levels from outside; high where nothing drives a pin.
    outside: [u8; 3],
    strobed: [Strobed; 2],
}

impl Default for I8255 {
    fn default() -> Self {
        Self { control: 0x9B, out: [0; 3], outside: [0xFF; 3], strobed: [Strobed::default(); 2] }
    }
}

impl I8255 {
    /// The mode of port A or B.
    fn mode(&self, port: usize) -> u8 {
        match port {
            A if self.control & 0x40 != 0 => 2,
            A => self.control >> 5 & 1,
            _ => self.control >> 2 & 1,
        }
    }

    fn is_input(&self, port: usize) -> bool {
        self.control & if port == A { 0x10 } else { 0x02 } != 0
    }

    /// True where the strobes of a port's way in, or out, are in force.
    fn strobes(&self, port: usize, input: bool) -> bool {
        match self.mode(port) {
            0 => false,
            1 => self.is_input(port) == input,
            _ => true,
        }
    }

    /// The level that C gives a pin as a signal of a strobed port.
    fn signal(&self, bit: u8) -> Option<bool> {
        (0..2).find_map(|port| {
            let (pins, state) = (&STROBES[port], &self.strobed[port]);
            let (input, output) = (self.strobes(port, true), self.strobes(port, false));
            if input && bit == pins.full {
                return Some(state.full);
            }
            if output && bit == pins.empty {
                return Some(!state.holds);
            }
            if (input || output) && bit == pins.request {
                let asks = input && state.in_enabled && state.full && self.outside(C, pins.strobe)
                    || output && state.out_enabled && !state.holds && self.outside(C, pins.taken);
                return Some(asks);
            }
            None
        })
    }

    /// True where C listens at a pin to a strobe.
    fn is_strobe(&self, bit: u8) -> bool {
        (0..2).any(|port| {
            let pins = &STROBES[port];
            self.strobes(port, true) && bit == pins.strobe || self.strobes(port, false) && bit == pins.taken
        })
    }

    fn outside(&self, port: usize, bit: u8) -> bool {
        self.outside[port] >> bit & 1 != 0
    }

    /// The level that the chip gives a pin.
    fn given(&self, port: usize, bit: u8) -> Option<bool> {
        let latched = || self.out[port] >> bit & 1 != 0;
        if port == C {
            let input = self.control & if bit < 4 { 0x01 } else { 0x08 } != 0;
            return match self.signal(bit) {
                _ if self.is_strobe(bit) => None,
                Some(level) => Some(level),
                None => (!input).then(latched),
            };
        }
        match self.mode(port) {
            // In mode 2 what is in the latch comes out only while it is being taken.
            2 => (!self.outside(C, STROBES[A].taken)).then(latched),
            _ => (!self.is_input(port)).then(latched),
        }
    }

    /// The levels of a port as the processor reads them.
    fn pins(&self, port: usize) -> u8 {
        (0..8).fold(0, |levels, bit| {
            let level = self.given(port, bit).unwrap_or(self.outside(port, bit));
            levels | u8::from(level) << bit
        })
    }

    /// What C reads: in strobed modes the bits that enable requests stand where strobes come in.
    fn status(&self) -> u8 {
        (0..2).fold(self.pins(C), |levels, port| {
            let (pins, state) = (&STROBES[port], &self.strobed[port]);
            let mut levels = levels;
            let mut put = |bit: u8, level: bool| levels = levels & !(1 << bit) | u8::from(level) << bit;
            if self.strobes(port, true) {
                put(pins.in_enable, state.in_enabled);
            }
            if self.strobes(port, false) {
                put(pins.out_enable, state.out_enabled);
            }
            levels
        })
    }

    fn set_bit(&mut self, bit: u8, level: bool) {
        for (port, pins) in STROBES.iter().enumerate() {
            if self.strobes(port, true) && bit == pins.in_enable {
                self.strobed[port].in_enabled = level;
                return;
            }
            if self.strobes(port, false) && bit == pins.out_enable {
                self.strobed[port].out_enabled = level;
                return;
            }
        }
        self.out[C] = self.out[C] & !(1 << bit) | u8::from(level) << bit;
    }
}

impl Chip for I8255 {
    fn read(&mut self, offset: u32, _: u64) -> Option<Cell> {
        let value = match offset {
            port @ 0..=1 => {
                let port = port as usize;
                if self.strobes(port, true) {
                    self.strobed[port].full = false;
                    self.strobed[port].latched
                } else {
                    self.pins(port)
                }
            }
            2 => self.status(),
            _ => return None,
        };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, _: u64) -> bool {
        let value = value as u8;
        match offset {
            port @ 0..=1 => {
                let port = port as usize;
                self.out[port] = value;
                if self.strobes(port, false) {
                    self.strobed[port].holds = true;
                }
            }
            2 => self.out[C] = value,
            _ if value & 0x80 != 0 => {
                // A new mode clears every latch.
                *self = Self { control: value, outside: self.outside, ..Self::default() };
            }
            _ => self.set_bit(value >> 1 & 7, value & 1 != 0),
        }
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let ChipAccess::Write(port @ 0..=1, _) = access else { return None };
        let port = port as usize;
        (self.mode(port) < 2 && self.is_input(port)).then_some(Misuse::PortIsInput)
    }

    fn reset(&mut self, _: u64) {
        *self = Self { outside: self.outside, ..Self::default() };
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Pins, pins, pins_mut);
}

impl Pins for I8255 {
    fn level(&self, pin: Pin) -> Option<bool> {
        self.given(usize::from(pin.port), pin.bit)
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, _: u64) {
        let (at, bit) = (usize::from(pin.port), pin.bit);
        let is_high = level.unwrap_or(true);
        let fell = self.outside(at, bit) && !is_high;
        self.outside[at] = self.outside[at] & !(1 << bit) | u8::from(is_high) << bit;
        if at != C || !fell {
            return;
        }
        for (port, pins) in STROBES.iter().enumerate() {
            if self.strobes(port, true) && bit == pins.strobe {
                self.strobed[port].latched = self.outside[port];
                self.strobed[port].full = true;
            }
            if self.strobes(port, false) && bit == pins.taken {
                self.strobed[port].holds = false;
            }
        }
    }
}
