//! MOS Technology 6522, versatile interface adapter: two ports with handshake, two timers, a shift register, interrupt flags
//! (MOS Technology, *MCS6522 data sheet*; Western Design Center, *W65C22 data sheet*).
//!
//! ```text
//! 0 ORB/IRB   2 DDRB   4 T1C-L   6 T1L-L   8 T2C-L   A SR    C PCR   E IER
//! 1 ORA/IRA   3 DDRA   5 T1C-H   7 T1L-H   9 T2C-H   B ACR   D IFR   F ORA without handshake
//! ```
//!
//! A timer that was loaded with N in the cycle that ends at t shows N in the next one, reaches 0 after N more, and its flag is
//! there from the one after that on: reads that end at t + N + 2 see it.

use super::count::Timer;
use super::eight::Port;
use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Pin, Pins, facet};

/// Flags of IFR and IER.
const CA2: u8 = 0x01;
const CA1: u8 = 0x02;
const SHIFT: u8 = 0x04;
const CB2: u8 = 0x08;
const CB1: u8 = 0x10;
const T2: u8 = 0x20;
const T1: u8 = 0x40;
const ANY: u8 = 0x80;

/// A port with its two control lines.
#[derive(Debug, Clone, Copy)]
struct Side {
    port: Port,
    /// The pins as they were when the first control line was active, where they are latched.
    latched: Option<u8>,
    /// Levels of the control lines from outside.
    lines: [bool; 2],
    /// The second control line as an output.
    handshake: bool,
    /// It goes high again at the end of this cycle.
    pulse: Option<u64>,
}

impl Default for Side {
    fn default() -> Self {
        Self { port: Port::default(), latched: None, lines: [true; 2], handshake: true, pulse: None }
    }
}

/// The shift register at work: bits to come, and the cycle of the next one where the chip itself sets the pace.
#[derive(Debug, Clone, Copy, Default)]
struct Shifting {
    bits: u8,
    next: Option<u64>,
}

/// The chip.
#[derive(Debug, Clone)]
pub struct Mos6522 {
    sides: [Side; 2],
    timers: [Timer; 2],
    /// PB7 as timer 1 drives it.
    pb7: bool,
    shift: u8,
    shifting: Shifting,
    auxiliary: u8,
    peripheral: u8,
    flags: u8,
    enabled: u8,
    request: Request,
    now: u64,
}

const A: usize = 0;
const B: usize = 1;

impl Default for Mos6522 {
    fn default() -> Self {
        let timer = Timer { latch: 0xFFFF, count: (0xFFFF, 0), armed: false, seen: None };
        Self {
            sides: [Side::default(); 2],
            timers: [timer; 2],
            pb7: true,
            shift: 0,
            shifting: Shifting::default(),
            auxiliary: 0,
            peripheral: 0,
            flags: 0,
            enabled: 0,
            request: Request::default(),
            now: 0,
        }
    }
}

impl Mos6522 {
    fn raise(&mut self, flag: u8, at: u64) {
        self.flags |= flag;
        self.look(at);
    }

    fn drop_flags(&mut self, flags: u8, at: u64) {
        self.flags &= !flags;
        self.look(at);
    }

    /// The interrupt line follows flags and enables.
    fn look(&mut self, at: u64) {
        self.request.follow(self.flags & self.enabled & 0x7F != 0, at);
    }

    fn free_running(&self) -> bool {
        self.auxiliary & 0x40 != 0
    }

    fn drives_pb7(&self) -> bool {
        self.auxiliary & 0x80 != 0
    }

    fn counts_pulses(&self) -> bool {
        self.auxiliary & 0x20 != 0
    }

    fn shift_mode(&self) -> u8 {
        self.auxiliary >> 2 & 7
    }

    /// Mode of a port's second control line: PCR bits 3 to 1 or 7 to 5.
    fn second_mode(&self, port: usize) -> u8 {
        self.peripheral >> (4 * port + 1) & 7
    }

    /// Timer 1 has ended at a cycle up to `now`; what happened several times since is done at once.
    fn timer_1_ends(&mut self, at: u64, now: u64) {
        let timer = &mut self.timers[0];
        let period = u64::from(timer.latch) + 2;
        let more = (now - at) / period;
        if timer.armed {
            self.pb7 = if self.auxiliary & 0x40 != 0 { self.pb7 == (more % 2 == 1) } else { true };
        }
        let armed = timer.armed;
        if self.auxiliary & 0x40 != 0 {
            timer.load(at + more * period);
        } else {
            timer.armed = false;
        }
        if armed {
            self.raise(T1, at);
        }
    }

    /// One bit moves through the shift register.
    fn shift_bit(&mut self, at: u64, now: u64) {
        let out = self.shift_mode() & 4 != 0;
        let bit = if out { self.shift >> 7 } else { u8::from(self.sides[B].lines[1]) };
        self.shift = self.shift << 1 | bit;
        if out {
            self.sides[B].handshake = bit != 0;
        }
        if self.shift_mode() == 4 {
            // Eight bits further the register is the same again.
            let rounds = now.saturating_sub(at) / (8 * self.shift_pace());
            self.shifting.next = Some(at + self.shift_pace() * (8 * rounds + 1));
            return;
        }
        self.shifting.bits = self.shifting.bits.saturating_sub(1);
        self.shifting.next = match self.shifting.bits {
            0 => None,
            _ => self.shifting.next.map(|_| at + self.shift_pace()),
        };
        if self.shifting.bits == 0 {
            self.raise(SHIFT, at);
        }
    }

    /// Cycles a bit: two half periods of the shift clock.
    fn shift_pace(&self) -> u64 {
        match self.shift_mode() {
            2 | 6 => 2,
            _ => 2 * (u64::from(self.timers[1].latch & 0xFF) + 2),
        }
    }

    /// Reading or writing SR starts a shift of eight bits.
    fn start_shift(&mut self, now: u64) {
        self.drop_flags(SHIFT, now);
        let own_pace = !matches!(self.shift_mode(), 0 | 3 | 7);
        self.shifting = Shifting {
            bits: if self.shift_mode() == 0 { 0 } else { 8 },
            next: own_pace.then(|| now + self.shift_pace()),
        };
    }

    /// What reading or writing a port does to its handshake lines.
    fn handshake(&mut self, port: usize, now: u64) {
        let (first, second) = if port == A { (CA1, CA2) } else { (CB1, CB2) };
        let mode = self.second_mode(port);
        // In the independent modes the second line's flag stays.
        self.drop_flags(if matches!(mode, 1 | 3) { first } else { first | second }, now);
        self.sides[port].latched = None;
        match mode {
            4 => self.sides[port].handshake = false,
            5 => {
                self.sides[port].handshake = false;
                self.sides[port].pulse = Some(now + 1);
            }
            _ => {}
        }
    }

    fn read_port(&self, port: usize) -> u8 {
        let own = &self.sides[port];
        let latching = self.auxiliary >> port & 1 != 0;
        let pins = own.latched.filter(|_| latching).unwrap_or(own.port.pins());
        match port {
            A => pins,
            // Port B reads its output register where it puts out.
            _ => {
                let value = own.port.out & own.port.direction | pins & !own.port.direction;
                if self.drives_pb7() { value & 0x7F | u8::from(self.pb7) << 7 } else { value }
            }
        }
    }

    /// A control line, CA1 to CB2, gets a level from outside.
    pub fn set_line(&mut self, port: usize, line: usize, level: bool, now: u64) {
        self.advance(now);
        let before = std::mem::replace(&mut self.sides[port].lines[line], level);
        if before == level {
            return;
        }
        if line == 0 {
            if port == B && matches!(self.shift_mode(), 3 | 7) && level {
                self.shift_bit(now, now);
            }
            let rising = self.peripheral >> (4 * port) & 1 != 0;
            if level == rising {
                let pins = self.sides[port].port.pins();
                self.sides[port].latched.get_or_insert(pins);
                if self.second_mode(port) == 4 {
                    self.sides[port].handshake = true;
                }
                self.raise(if port == A { CA1 } else { CB1 }, now);
            }
        } else if self.second_mode(port) < 4 && level == (self.second_mode(port) & 2 != 0) {
            self.raise(if port == A { CA2 } else { CB2 }, now);
        }
    }

    /// True where the second control line of a port is an output: in four of its modes, and as the data of what is shifted out.
    fn drives_second(&self, port: usize) -> bool {
        self.second_mode(port) >= 4 || port == B && self.shift_mode() & 4 != 0
    }

    /// The level that the second control line of a port has as an output.
    pub fn second_line(&self, port: usize) -> bool {
        match self.second_mode(port) {
            4 | 5 => self.sides[port].handshake,
            6 => false,
            7 => true,
            _ => self.sides[port].handshake || !(port == B && self.shift_mode() & 4 != 0),
        }
    }
}

impl Chip for Mos6522 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let value = match offset & 15 {
            0 => {
                let value = self.read_port(B);
                self.handshake(B, now);
                // Only writing makes the handshake of port B.
                if matches!(self.second_mode(B), 4 | 5) && self.sides[B].pulse != Some(now) {
                    (self.sides[B].handshake, self.sides[B].pulse) = (true, None);
                }
                value
            }
            1 => {
                let value = self.read_port(A);
                self.handshake(A, now);
                value
            }
            2 => self.sides[B].port.direction,
            3 => self.sides[A].port.direction,
            4 => {
                let count = self.timers[0].at(now);
                self.timers[0].seen = Some((count, now));
                self.drop_flags(T1, now);
                count as u8
            }
            5 => (self.timers[0].at(now) >> 8) as u8,
            6 => self.timers[0].latch as u8,
            7 => (self.timers[0].latch >> 8) as u8,
            8 => {
                let count =
                    if self.counts_pulses() { self.timers[1].count.0 } else { self.timers[1].at(now) };
                self.timers[1].seen = Some((count, now));
                self.drop_flags(T2, now);
                count as u8
            }
            9 if self.counts_pulses() => (self.timers[1].count.0 >> 8) as u8,
            9 => (self.timers[1].at(now) >> 8) as u8,
            10 => {
                let value = self.shift;
                self.start_shift(now);
                value
            }
            11 => self.auxiliary,
            12 => self.peripheral,
            13 => self.flags | if self.flags & self.enabled != 0 { ANY } else { 0 },
            14 => self.enabled | ANY,
            _ => self.read_port(A),
        };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let value = value as u8;
        let high = |latch: u16| latch & 0x00FF | u16::from(value) << 8;
        let low = |latch: u16| latch & 0xFF00 | u16::from(value);
        match offset & 15 {
            0 => {
                self.sides[B].port.out = value;
                self.handshake(B, now);
            }
            1 => {
                self.sides[A].port.out = value;
                self.handshake(A, now);
            }
            2 => self.sides[B].port.direction = value,
            3 => self.sides[A].port.direction = value,
            4 | 6 => self.timers[0].latch = low(self.timers[0].latch),
            5 => {
                self.timers[0].latch = high(self.timers[0].latch);
                self.timers[0].load(now);
                self.timers[0].armed = true;
                self.pb7 = false;
                self.drop_flags(T1, now);
            }
            7 => {
                self.timers[0].latch = high(self.timers[0].latch);
                self.drop_flags(T1, now);
            }
            8 => self.timers[1].latch = low(self.timers[1].latch),
            9 => {
                // Timer 2 has a latch for its low half only; the high half goes straight to the counter.
                let latch = high(self.timers[1].latch);
                self.timers[1].latch = latch;
                self.timers[1].load(now);
                self.timers[1].armed = true;
                self.drop_flags(T2, now);
            }
            10 => {
                self.shift = value;
                self.start_shift(now);
            }
            11 => {
                if (self.auxiliary ^ value) & 0x20 != 0 {
                    // The count stands still, or goes on from where it stood.
                    let count = self.timers[1].at(now);
                    self.timers[1].count =
                        (if self.counts_pulses() { self.timers[1].count.0 } else { count }, now);
                }
                if (self.auxiliary ^ value) & 0x40 != 0 {
                    // The next end is the next time the count runs out, and where it runs again and again that counts.
                    self.timers[0].count = (self.timers[0].at(now), now);
                    self.timers[0].armed |= value & 0x40 != 0;
                }
                let was = self.shift_mode();
                self.auxiliary = value;
                if self.shift_mode() != was {
                    let free = self.shift_mode() == 4;
                    self.shifting = Shifting { bits: 0, next: free.then(|| now + self.shift_pace()) };
                }
            }
            12 => self.peripheral = value,
            13 => self.drop_flags(value & 0x7F, now),
            14 => {
                let bits = value & 0x7F;
                self.enabled = if value & ANY != 0 { self.enabled | bits } else { self.enabled & !bits };
                self.look(now + 1);
            }
            _ => self.sides[A].port.out = value,
        }
        true
    }

    fn misuse(&self, access: ChipAccess, now: u64) -> Option<Misuse> {
        let torn = match access {
            ChipAccess::Read(offset) if offset & 15 == 5 => self.timers[0].is_torn(now),
            ChipAccess::Read(offset) if offset & 15 == 9 => {
                !self.counts_pulses() && self.timers[1].is_torn(now)
            }
            _ => false,
        };
        torn.then_some(Misuse::TornCount)
    }

    fn advance(&mut self, now: u64) {
        for side in &mut self.sides {
            if side.pulse.is_some_and(|end| end < now) {
                (side.handshake, side.pulse) = (true, None);
            }
        }
        while let Some(at) = self.shifting.next.filter(|&at| at <= now) {
            self.shift_bit(at, now);
        }
        while self.timers[0].ends() <= now && (self.timers[0].armed || self.free_running()) {
            self.timer_1_ends(self.timers[0].ends(), now);
        }
        if !self.counts_pulses() && self.timers[1].armed && self.timers[1].ends() <= now {
            self.timers[1].armed = false;
            self.raise(T2, self.timers[1].ends());
        }
        self.now = now;
    }

    fn next(&self) -> Option<u64> {
        let seen = |flag: u8| self.enabled & flag != 0 && self.flags & flag == 0;
        let timer_1 = self.timers[0].armed && (seen(T1) || self.drives_pb7());
        let timer_2 = self.timers[1].armed && seen(T2) && !self.counts_pulses();
        let events = [
            timer_1.then(|| self.timers[0].ends()),
            timer_2.then(|| self.timers[1].ends()),
            self.shifting.next.filter(|_| seen(SHIFT) || self.shift_mode() & 4 != 0),
            self.sides[A].pulse.map(|last| last + 1),
            self.sides[B].pulse.map(|last| last + 1),
        ];
        events.into_iter().flatten().min()
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn reset(&mut self, now: u64) {
        self.advance(now);
        for side in &mut self.sides {
            (side.port.out, side.port.direction, side.latched) = (0, 0, None);
            (side.handshake, side.pulse) = (true, None);
        }
        (self.auxiliary, self.peripheral, self.flags, self.enabled) = (0, 0, 0, 0);
        self.shifting = Shifting::default();
        self.timers.iter_mut().for_each(|timer| timer.armed = false);
        self.request = Request::default();
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        for at in 0..2 {
            let pulses = at == 1 && self.counts_pulses();
            let timer = &mut self.timers[at];
            let (count, since) = timer.count;
            // A count that begins in the next cycle goes on doing so.
            timer.count = if pulses { (count, 0) } else { (timer.at(now), since.saturating_sub(now)) };
        }
        self.shifting.next = self.shifting.next.map(|at| at.saturating_sub(now));
        for side in &mut self.sides {
            side.pulse = side.pulse.map(|at| at.saturating_sub(now));
        }
        self.request.restart();
        self.now = 0;
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Pins, pins, pins_mut);
}

impl Pins for Mos6522 {
    fn level(&self, pin: Pin) -> Option<bool> {
        if pin.port == 1 && pin.bit == 7 && self.drives_pb7() {
            return Some(self.pb7);
        }
        let port = usize::from(pin.port & 1);
        match (pin.port, pin.bit) {
            (..2, _) => self.sides[port].port.level(pin.bit),
            (_, 2) if self.drives_second(port) => Some(self.second_line(port)),
            _ => None,
        }
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        self.advance(now);
        if pin.port >= 2 {
            // The control lines: nothing pulls them down.
            let line = usize::from(pin.bit == 2);
            return self.set_line(usize::from(pin.port & 1), line, level.unwrap_or(true), now);
        }
        let port = &mut self.sides[usize::from(pin.port & 1)].port;
        let before = port.pins();
        port.drive(pin.bit, level);
        let falls = before & !port.pins() & 1 << pin.bit != 0;
        if falls && (pin.port, pin.bit) == (1, 6) && self.counts_pulses() {
            let timer = &mut self.timers[1];
            timer.count.0 = timer.count.0.wrapping_sub(1);
            if timer.count.0 == 0 && std::mem::take(&mut timer.armed) {
                self.raise(T2, now);
            }
        }
    }
}
