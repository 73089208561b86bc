//! Intel 8253 and 8254, programmable interval timer (Intel, *8253/8253-5* and *8254* data sheets): three counters of sixteen bits.
//!
//! ```text
//! 0 to 2  a counter        3  control word  SC1 SC0 RL1 RL0 M2 M1 M0 BCD
//! ```
//!
//! RL 00 latches the count; on the 8254 SC 11 reads back. Every counter has its own gate, which is high where nothing drives it, and all
//! count the pulses of the clock pins. A pulse is where the processor's time passes a multiple of the pulses' length, so that both
//! counts agree for ever.

use crate::image::Cell;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Pin, Pins, facet};

/// The rows of pins.
const GATES: u8 = 0;
const OUTS: u8 = 1;

/// What a counter does, its mode.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Mode {
    TerminalCount,
    OneShot,
    Rate,
    Square,
    SoftwareStrobe,
    HardwareStrobe,
}

impl Mode {
    fn of(control: u8) -> Self {
        match control >> 1 & 7 {
            0 => Self::TerminalCount,
            1 => Self::OneShot,
            2 | 6 => Self::Rate,
            3 | 7 => Self::Square,
            4 => Self::SoftwareStrobe,
            _ => Self::HardwareStrobe,
        }
    }

    fn repeats(self) -> bool {
        matches!(self, Self::Rate | Self::Square)
    }

    /// A rising gate begins the count.
    fn is_triggered(self) -> bool {
        matches!(self, Self::OneShot | Self::HardwareStrobe)
    }
}

/// Which bytes are read and written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Bytes {
    Low,
    High,
    Both,
}

/// A stretch of counting.
#[derive(Debug, Clone, Copy)]
struct Running {
    /// Pulses left, at pulse `since`.
    left: u32,
    since: u64,
    /// What it began with.
    whole: u32,
}

#[derive(Debug, Clone, Copy)]
struct Counter {
    mode: Mode,
    is_bcd: bool,
    bytes: Bytes,
    /// The low byte is written, the high one follows.
    half_written: Option<u8>,
    reads_high: bool,
    /// The count as it was when its low byte was read.
    seen: u16,
    latched: Option<u16>,
    status: Option<u8>,
    control: u8,
    /// What was written last, as a number of pulses; `None` before the first.
    initial: Option<u32>,
    /// It comes into force with the next round, or where the gate rises.
    waits: bool,
    running: Option<Running>,
    gate: bool,
    out: bool,
}

impl Default for Counter {
    fn default() -> Self {
        Self {
            mode: Mode::TerminalCount,
            is_bcd: false,
            bytes: Bytes::Both,
            half_written: None,
            reads_high: false,
            seen: 0,
            latched: None,
            status: None,
            control: 0,
            initial: None,
            waits: false,
            running: None,
            gate: true,
            out: true,
        }
    }
}

impl Counter {
    fn control(&mut self, value: u8) {
        let gate = self.gate;
        let mode = Mode::of(value);
        let bytes = match value >> 4 & 3 {
            1 => Bytes::Low,
            2 => Bytes::High,
            _ => Bytes::Both,
        };
        let out = mode != Mode::TerminalCount;
        *self =
            Self { mode, bytes, is_bcd: value & 1 != 0, control: value & 0x3F, gate, out, ..Self::default() };
    }

    fn modulus(&self) -> u32 {
        if self.is_bcd { 10_000 } else { 0x1_0000 }
    }

    /// The number of pulses that a count means.
    fn pulses(&self, count: u16) -> u32 {
        let number = match self.is_bcd {
            false => count.into(),
            true => (0..4).rev().fold(0, |sum, digit| sum * 10 + u32::from(count >> (4 * digit) & 15)),
        };
        if number == 0 { self.modulus() } else { number }
    }

    fn count_of(&self, pulses: u32) -> u16 {
        let number = pulses % self.modulus();
        match self.is_bcd {
            false => number as u16,
            true => {
                (0..4).fold(0, |sum, digit| sum | ((number / 10u32.pow(digit) % 10) as u16) << (4 * digit))
            }
        }
    }

    fn write(&mut self, value: u8, pulse: u64) {
        let count = match (self.bytes, self.half_written.take()) {
            (Bytes::Low, _) => value.into(),
            (Bytes::High, _) => u16::from(value) << 8,
            (Bytes::Both, Some(low)) => u16::from_le_bytes([low, value]),
            (Bytes::Both, None) => {
                self.half_written = Some(value);
                if self.mode == Mode::TerminalCount {
                    // The first byte stops it.
                    (self.running, self.out) = (None, false);
                }
                return;
            }
        };
        let whole = self.pulses(count);
        self.initial = Some(whole);
        // What is to come in with the next pulse is what stands there then.
        if let Some(running) = self.running.as_mut().filter(|running| running.since > pulse) {
            (running.left, running.whole) = (whole, whole);
        }
        match self.mode {
            Mode::TerminalCount => self.out = false,
            mode if mode.is_triggered() => return,
            // A new count waits for the end of the round.
            mode if mode.repeats() && self.running.is_some() => {
                self.waits = true;
                return;
            }
            _ => {}
        }
        self.load(pulse);
    }

    /// The count comes in with the pulse after `pulse`.
    fn load(&mut self, pulse: u64) {
        let Some(whole) = self.initial else { return };
        // Without its gate a counter that repeats does not begin.
        self.waits = self.mode.repeats() && !self.gate;
        self.running = (!self.waits).then_some(Running { left: whole, since: pulse + 1, whole });
    }

    /// True where the gate lets it count.
    fn counts(&self) -> bool {
        self.gate || self.mode.is_triggered()
    }

    /// Pulses from the beginning of a round to the next change of OUT.
    fn next_change(&self, Running { left, whole, .. }: Running) -> Option<u32> {
        match self.mode {
            Mode::TerminalCount => (left > 0).then_some(left),
            // Low from the pulse on that brings the count in.
            Mode::OneShot => (left > 0).then_some(if self.out { 0 } else { left }),
            // Low for the last pulse of a round.
            Mode::Rate => Some(if left > 1 { left - 1 } else { left.max(1) }),
            Mode::Square => {
                let low = whole / 2;
                Some(if left > low { left - low } else { left.max(1) })
            }
            Mode::SoftwareStrobe | Mode::HardwareStrobe => match (left, self.out) {
                (0, false) => Some(1),
                // A new count came in meanwhile.
                (_, false) => Some(0),
                (0, true) => None,
                (left, _) => Some(left),
            },
        }
    }

    /// The pulse at which OUT changes next.
    fn due(&self) -> Option<u64> {
        // The pulse of a strobe ends whatever the gate does.
        let strobes = matches!(self.mode, Mode::SoftwareStrobe | Mode::HardwareStrobe);
        let is_strobe = |_: &Running| strobes && !self.out;
        let running = self.running.filter(|running| self.counts() || is_strobe(running))?;
        Some(running.since + u64::from(self.next_change(running)?))
    }

    /// Lets the pulses up to `pulse` come in.
    fn advance(&mut self, pulse: u64) {
        while let Some(due) = self.due().filter(|&due| due <= pulse) {
            self.change(due);
        }
    }

    /// OUT changes at pulse `due`.
    fn change(&mut self, due: u64) {
        let Some(running) = &mut self.running else { return };
        let passed = (due - running.since) as u32;
        running.since = due;
        let left = running.left.saturating_sub(passed);
        match self.mode {
            Mode::OneShot if self.out => self.out = false,
            Mode::TerminalCount | Mode::OneShot => {
                running.left = 0;
                self.out = true;
            }
            Mode::Rate | Mode::Square => {
                running.left = left;
                if left == 0 {
                    let whole = self.initial.unwrap_or(running.whole);
                    (running.left, running.whole) = (whole, whole);
                    self.waits = false;
                    self.out = true;
                } else {
                    self.out = false;
                    if self.mode == Mode::Square && std::mem::take(&mut self.waits) {
                        // The new count comes in with the half round.
                        let whole = self.initial.unwrap_or(running.whole);
                        (running.left, running.whole) = (whole / 2, whole);
                        if running.left == 0 {
                            running.left = 1;
                        }
                    }
                }
            }
            Mode::SoftwareStrobe | Mode::HardwareStrobe if !self.out => self.out = true,
            Mode::SoftwareStrobe | Mode::HardwareStrobe => {
                running.left = 0;
                // Low for one pulse.
                self.out = false;
            }
        }
    }

    fn set_gate(&mut self, level: bool, pulse: u64) {
        let before = std::mem::replace(&mut self.gate, level);
        if before == level {
            return;
        }
        if level && (self.mode.is_triggered() || self.mode.repeats()) {
            self.load(pulse);
        } else if !level && self.mode.repeats() {
            self.out = true;
            self.waits = self.running.take().is_some() || self.waits;
        } else if let Some(running) = self.running.as_mut().filter(|_| !self.mode.is_triggered()) {
            if level {
                running.since = running.since.max(pulse);
            } else {
                let passed = pulse.saturating_sub(running.since) as u32;
                running.left = running.left.saturating_sub(passed);
                running.since = running.since.max(pulse);
            }
        }
    }

    /// The count at a pulse, as it is read.
    fn count(&self, pulse: u64) -> u16 {
        let Some(running) = self.running else { return self.count_of(self.initial.unwrap_or(0)) };
        let passed = if self.counts() { pulse.saturating_sub(running.since) } else { 0 };
        let modulus = u64::from(self.modulus());
        let left = match self.mode {
            // It counts by two, from the whole of its round in each half.
            Mode::Square => {
                let low = u64::from(running.whole / 2);
                let left = u64::from(running.left).saturating_sub(passed);
                let in_half = if left > low { left - low } else { left };
                2 * in_half
            }
            // What has come to its end counts on.
            _ => (u64::from(running.left) + modulus - passed % modulus) % modulus,
        };
        self.count_of((left % modulus) as u32)
    }

    fn read(&mut self, pulse: u64) -> u8 {
        if let Some(status) = self.status.take() {
            return status;
        }
        let count = self.latched.unwrap_or_else(|| self.count(pulse));
        let [low, high] = count.to_le_bytes();
        match self.bytes {
            Bytes::Low | Bytes::High => self.latched = None,
            Bytes::Both => {
                self.reads_high = !self.reads_high;
                if self.reads_high {
                    self.seen = count;
                    return low;
                }
                self.latched = None;
                return high;
            }
        }
        if self.bytes == Bytes::Low { low } else { high }
    }

    /// True where the high byte that is read next belongs to another count than the low one.
    fn is_torn(&self, pulse: u64) -> bool {
        let is_high = self.bytes == Bytes::Both && self.reads_high && self.status.is_none();
        is_high && self.latched.is_none() && self.count(pulse) >> 8 != self.seen >> 8
    }

    fn latch(&mut self, pulse: u64) {
        if self.latched.is_none() {
            self.latched = Some(self.count(pulse));
        }
    }

    fn latch_status(&mut self) {
        let empty = self.waits || self.initial.is_none();
        let status = u8::from(self.out) << 7 | u8::from(empty) << 6 | self.control;
        self.status.get_or_insert(status);
    }
}

/// The chip.
#[derive(Debug, Clone)]
pub struct I8253 {
    counters: [Counter; 3],
    /// It has the read-back command.
    reads_back: bool,
    /// The processor's clock and that of the clock pins.
    clocks: (u64, u64),
    /// The cycle of pulse 0; it may lie before the counting of cycles.
    began: i64,
}

impl I8253 {
    /// At a processor clock, with pulses of so many Hz at the clock pins; `reads_back` makes it an 8254.
    pub fn new(processor: u64, pulses: Option<u64>, reads_back: bool) -> Self {
        let pulses = pulses.unwrap_or(processor).max(1);
        Self { counters: [Counter::default(); 3], reads_back, clocks: (processor.max(1), pulses), began: 0 }
    }

    /// Pulses that have come up to cycle `now`.
    fn pulse(&self, now: u64) -> u64 {
        let since = (now as i64 - self.began) as u128;
        (since * u128::from(self.clocks.1) / u128::from(self.clocks.0)) as u64
    }

    /// The first cycle at which `pulse` has come.
    fn cycle(&self, pulse: u64) -> u64 {
        let since = (u128::from(pulse) * u128::from(self.clocks.0)).div_ceil(self.clocks.1.into());
        (self.began + since as i64).max(0) as u64
    }

    fn control(&mut self, value: u8, now: u64) {
        let pulse = self.pulse(now);
        match value >> 6 {
            3 if !self.reads_back => {}
            3 => {
                for (at, counter) in self.counters.iter_mut().enumerate() {
                    if value >> (at + 1) & 1 != 0 {
                        if value & 0x20 == 0 {
                            counter.latch(pulse);
                        }
                        if value & 0x10 == 0 {
                            counter.latch_status();
                        }
                    }
                }
            }
            at => {
                let counter = &mut self.counters[usize::from(at)];
                if value >> 4 & 3 == 0 { counter.latch(pulse) } else { counter.control(value) }
            }
        }
    }
}

impl Chip for I8253 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let pulse = self.pulse(now);
        self.counters.get_mut(offset as usize).map(|counter| counter.read(pulse).into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let pulse = self.pulse(now);
        match self.counters.get_mut(offset as usize) {
            Some(counter) => counter.write(value as u8, pulse),
            None => self.control(value as u8, now),
        }
        true
    }

    fn misuse(&self, access: ChipAccess, now: u64) -> Option<Misuse> {
        let pulse = self.pulse(now);
        match access {
            ChipAccess::Read(offset) => {
                let torn = self.counters.get(offset as usize).is_some_and(|counter| counter.is_torn(pulse));
                torn.then_some(Misuse::TornCount)
            }
            ChipAccess::Write(3, value) if value >> 4 & 3 == 0 => {
                let counter = self.counters.get(value as usize >> 6)?;
                (counter.latched.is_some() && counter.reads_high).then_some(Misuse::HalfLatched)
            }
            _ => None,
        }
    }

    fn advance(&mut self, now: u64) {
        let pulse = self.pulse(now);
        for counter in &mut self.counters {
            counter.advance(pulse);
        }
    }

    fn next(&self) -> Option<u64> {
        self.counters.iter().filter_map(Counter::due).min().map(|due| self.cycle(due))
    }

    fn finishes(&self) -> Option<u64> {
        None
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        self.began -= now as i64;
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Pins, pins, pins_mut);
}

impl Pins for I8253 {
    fn level(&self, pin: Pin) -> Option<bool> {
        let counter = self.counters.get(usize::from(pin.bit))?;
        (pin.port == OUTS).then_some(counter.out)
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        self.advance(now);
        let pulse = self.pulse(now);
        if pin.port == GATES
            && let Some(counter) = self.counters.get_mut(usize::from(pin.bit))
        {
            counter.set_gate(level.unwrap_or(true), pulse);
        }
    }
}
