//! Interrupt inputs of the 8080 and 8085, and the bytes of RIM and SIM.
//!
//! Intel, *MCS-80/85 Family User's Manual*, "8085A interrupts": TRAP, RST 7.5, RST 6.5, RST 5.5 and INTR in that
//! order of priority.
//!
//! ```text
//! SIM  SOD SDE  -  R7.5 MSE M7.5 M6.5 M5.5        RIM  SID I7.5 I6.5 I5.5 IE M7.5 M6.5 M5.5
//! ```

/// An interrupt input.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Input {
    /// 8085: not maskable; edge and level.
    Trap,
    /// 8085: the rising edge is remembered.
    Rst75,
    /// 8085: level.
    Rst65,
    /// 8085: level.
    Rst55,
    /// Level; the board puts an opcode on the bus.
    Intr,
}

impl Input {
    /// The input by the name printed on its pin.
    pub fn named(name: &str) -> Option<Self> {
        Some(match name {
            "TRAP" => Self::Trap,
            "RST7.5" => Self::Rst75,
            "RST6.5" => Self::Rst65,
            "RST5.5" => Self::Rst55,
            "INTR" => Self::Intr,
            _ => return None,
        })
    }
}

/// The interrupt logic's state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Interrupts {
    /// The interrupt enable flip-flop.
    pub enabled: bool,
    /// Masks as SIM sets them: M7.5, M6.5, M5.5 in bits 2 to 0.
    pub masks: u8,
    /// Requests that wait: TRAP 3, RST 7.5 2, RST 6.5 1, RST 5.5 0.
    pub pending: u8,
    /// The operator asks on INTR; the board holds that until it is taken.
    pub asked: bool,
    /// The chips hold INTR.
    pub held: bool,
    /// What is on the bus when INTR is acknowledged: the opcode of a RST. RST 7 is what an undriven bus has. Of any other opcode the
    /// bits of a RST are taken.
    pub sent: u8,
    /// The flip-flop's state before a TRAP; the first RIM after it shows this.
    before_trap: Option<bool>,
}

const TRAP: u8 = 8;
const RST75: u8 = 4;

impl Default for Interrupts {
    /// Nothing enabled, all masks set, nobody asks.
    fn default() -> Self {
        Self {
            enabled: false,
            masks: 7,
            pending: 0,
            asked: false,
            held: false,
            sent: 0xFF,
            before_trap: None,
        }
    }
}

impl Interrupts {
    /// The reset line: what the operator asked for is forgotten, what the chips hold they go on holding.
    pub(super) fn reset(&mut self) {
        *self = Self { held: self.held, sent: self.sent, ..Self::default() };
    }

    /// A request arrives. Each board holds the level until it is acknowledged.
    pub fn request(&mut self, input: Input) {
        match input {
            Input::Trap => self.pending |= TRAP,
            Input::Rst75 => self.pending |= RST75,
            Input::Rst65 => self.pending |= 2,
            Input::Rst55 => self.pending |= 1,
            Input::Intr => self.asked = true,
        }
    }

    /// True where a request would be taken now.
    pub(super) fn acceptable(&self) -> bool {
        let open = self.pending & !self.masks & 7 != 0 || self.asked || self.held;
        self.pending & TRAP != 0 || self.enabled && open
    }

    /// The address to call now, taking the request; `None` where nothing may interrupt.
    pub(super) fn accept(&mut self) -> Option<u16> {
        if self.pending & TRAP != 0 {
            self.pending &= !TRAP;
            self.before_trap = Some(self.enabled);
            self.enabled = false;
            return Some(0x24);
        }
        if !self.enabled {
            return None;
        }
        let open = self.pending & !self.masks;
        let vector = if open == 0 {
            if !std::mem::take(&mut self.asked) && !self.held {
                return None;
            }
            u16::from(self.sent & 0x38)
        } else {
            let bit = 7 - open.leading_zeros() as u8;
            self.pending &= !(1 << bit);
            0x2C + 8 * u16::from(bit)
        };
        self.enabled = false;
        Some(vector)
    }

    /// What RIM reads.
    pub(super) fn read_masks(&mut self, serial: bool) -> u8 {
        let enabled = self.before_trap.take().unwrap_or(self.enabled);
        u8::from(serial) << 7 | (self.pending & 7) << 4 | u8::from(enabled) << 3 | self.masks
    }

    /// What SIM does with A; the new level of SOD where it sets one.
    pub(super) fn set_masks(&mut self, a: u8) -> Option<bool> {
        if a & 0x10 != 0 {
            self.pending &= !RST75;
        }
        if a & 0x08 != 0 {
            self.masks = a & 7;
        }
        (a & 0x40 != 0).then_some(a & 0x80 != 0)
    }
}
