//! Ports, lines and what was seen on them.

use super::board::{ChipAt, ChipPlace, InterruptLine, Unmapped};
use super::chip::{Chip, ChipAccess, Misuse, Pin, part};
use super::cores::bus::{Access, Missing};
use super::line::SerialLine;
use super::part::{Digits, Keyboard, Keypad, Lamp, LampChange, Recorder, Speaker, Stepper, Wire};
use crate::image::Cell;
use crate::processor::Requests;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A value written to a port.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct PortWrite {
    /// The port.
    pub port: u32,
    /// The value.
    pub value: Cell,
    /// The cycle.
    #[serde(skip)]
    pub at: u64,
}

/// Writes beyond this many are counted and not kept.
const MOST_WRITES: usize = 1 << 20;

/// Values that wait at a port: taken in turn, the last one again and again.
#[derive(Debug, Clone, Default)]
struct ScriptedInput {
    values: Vec<Cell>,
    next: usize,
}

/// A chip in its place.
#[derive(Debug, Clone)]
pub struct Fitted {
    /// Its place on the board.
    pub place: ChipPlace,
    /// The chip.
    pub chip: Box<dyn Chip>,
    /// It held its interrupt line when somebody last looked.
    held: bool,
}

impl Fitted {
    /// What a person looks at on it, and its state: a row of lamps, or a row of switches.
    pub fn seen(&self) -> Option<(&'static str, Cell)> {
        let lamps = self.chip.lamps().map(|value| ("lamps", value));
        lamps.or_else(|| self.chip.switches().map(|value| ("switches", value)))
    }

    /// The registers that a program could read at a time, each by its name in the data sheet. The chip stays as it is: a copy is read.
    pub fn registers(&self, now: u64) -> Vec<(&'static str, Cell)> {
        let Some(part) = part(&self.place.part) else { return Vec::new() };
        let read = |offset: u32| Some((part.register(offset, false)?, self.chip.copy().read(offset, now)?));
        (0..part.registers).filter_map(read).collect()
    }
}

/// A line from one chip to a pin of another.
#[derive(Debug, Clone, Copy)]
struct Relay {
    from: usize,
    /// The pin that it comes from; `None` for the interrupt line.
    pin: Option<Pin>,
    to: Wire,
    /// What it was when somebody last looked.
    level: Option<Option<bool>>,
}

/// Changes of lamps beyond this many are not kept.
const MOST_CHANGES: usize = 1 << 16;

/// Everything outside memory.
#[derive(Debug, Clone)]
pub struct Io {
    pub(super) unmapped: Unmapped,
    pub(super) missing: Option<Missing>,
    /// The machine wants to be asked before the next instruction.
    pub(super) attention: bool,
    /// The value that was last on the data bus, where that is kept.
    pub(super) on_bus: u8,
    given: BTreeMap<u32, ScriptedInput>,
    /// The chip of each port, plus one; copies of a machine share it.
    chip_of: Arc<Vec<u16>>,
    /// First and last address of each chip among the memory, and which one it is.
    spaces: Vec<(u32, u32, usize)>,
    pub(super) chips: Vec<Fitted>,
    /// Interrupt lines that go from chip to chip.
    relays: Vec<Relay>,
    pub(super) lamps: Vec<Lamp>,
    pub(super) lamp_changes: Vec<LampChange>,
    pub(super) digits: Vec<Digits>,
    pub(super) keypads: Vec<Keypad>,
    pub(super) keyboard: Option<Keyboard>,
    pub(super) stepper: Option<Stepper>,
    pub(super) speaker: Option<Speaker>,
    pub(super) recorder: Option<Recorder>,
    /// The step logic is on.
    pub(super) steps: bool,
    pub(super) line: Option<SerialLine>,
    pub(super) writes: Vec<PortWrite>,
    pub(super) writes_not_kept: u64,
    /// The cycle up to which the processor runs without looking back.
    pub(super) slice: u64,
    /// The chip that answered the last acknowledgement, and when.
    pub(super) answered: Option<(u64, usize)>,
    /// What was asked of a service.
    pub(super) call: Option<u8>,
    /// The bank of memory that a latch chooses.
    pub(super) bank: Cell,
    /// The chips' requests for an interrupt.
    pub(super) requested: Requests,
    /// Edges on other inputs that the processor has not been told of.
    pub(super) edges: Vec<&'static str>,
}

impl Io {
    pub fn new(unmapped: Unmapped, last_port: u32) -> Self {
        Self {
            unmapped,
            missing: None,
            attention: false,
            on_bus: 0xFF,
            given: BTreeMap::new(),
            chip_of: Arc::new(vec![0; last_port as usize + 1]),
            spaces: Vec::new(),
            chips: Vec::new(),
            relays: Vec::new(),
            lamps: Vec::new(),
            lamp_changes: Vec::new(),
            digits: Vec::new(),
            keypads: Vec::new(),
            keyboard: None,
            stepper: None,
            speaker: None,
            recorder: None,
            steps: false,
            line: None,
            writes: Vec::new(),
            writes_not_kept: 0,
            slice: 0,
            answered: None,
            call: None,
            bank: 0,
            requested: Requests::default(),
            edges: Vec::new(),
        }
    }

    pub fn fit(&mut self, place: &ChipPlace, registers: u32, chip: Box<dyn Chip>) {
        if let Some(InterruptLine::Pin(to)) = place.interrupt {
            self.relays.push(Relay { from: self.chips.len(), pin: None, to, level: None });
        }
        self.chips.push(Fitted { place: place.clone(), chip, held: false });
        match place.at {
            ChipAt::Port(port) => {
                for port in port..port + registers {
                    if let Some(chip) = Arc::make_mut(&mut self.chip_of).get_mut(port as usize) {
                        *chip = self.chips.len() as u16;
                    }
                }
            }
            ChipAt::Memory { first, last } => self.spaces.push((first, last, self.chips.len() - 1)),
        }
    }

    /// Runs a wire from a pin of a chip to one of another.
    pub fn wire(&mut self, from: Wire, to: Wire) {
        self.relays.push(Relay { from: from.chip, pin: Some(from.pin), to, level: None });
    }

    /// The stretches of memory addresses where chips answer.
    pub fn spaces(&self) -> Vec<(u32, u32)> {
        self.spaces.iter().map(|&(first, last, _)| (first, last)).collect()
    }

    /// True where a chip answers at a memory address.
    pub(super) fn is_space(&self, address: u32) -> bool {
        self.space(address).is_some()
    }

    fn space(&self, address: u32) -> Option<(usize, u32)> {
        let found = self.spaces.iter().find(|(first, last, _)| (*first..=*last).contains(&address));
        found.map(|&(first, _, chip)| (chip, address - first))
    }

    /// Reads from the chip at a memory address; `None` where there is none.
    pub(super) fn read_space(&mut self, address: u32, now: u64) -> Option<Option<Cell>> {
        let (chip, offset) = self.space(address)?;
        let value = self.chips[chip].chip.read(offset, now);
        self.settle(now);
        Some(value)
    }

    /// Writes to the chip at a memory address and tells whether that has an effect; `None` where there is none.
    pub(super) fn write_space(&mut self, address: u32, value: Cell, now: u64) -> Option<bool> {
        let (chip, offset) = self.space(address)?;
        let took_effect = self.chips[chip].chip.write(offset, value, now);
        self.settle(now);
        Some(took_effect)
    }

    /// What the data sheet says against an access that comes next. The chip is brought to cycle `now`, as the access will do.
    pub(super) fn misuse(&mut self, access: Access, address: u32, value: Cell, now: u64) -> Option<Misuse> {
        let (chip, offset) = match access {
            Access::Read | Access::Write => self.space(address)?,
            _ if self.given.contains_key(&address) => return None,
            _ => {
                let chip = usize::from(*self.chip_of.get(address as usize)?).checked_sub(1)?;
                (chip, address - self.chips[chip].place.at.first())
            }
        };
        let access = match access {
            Access::Write | Access::Out => ChipAccess::Write(offset, value),
            _ => ChipAccess::Read(offset),
        };
        let chip = &mut self.chips[chip].chip;
        chip.advance(now);
        chip.misuse(access, now)
    }

    /// The same of a transfer of a word machine.
    pub(super) fn transfer_misuse(&mut self, device: u32, function: u32, now: u64) -> Option<Misuse> {
        let chip = usize::from(*self.chip_of.get(device as usize)?).checked_sub(1)?;
        let Fitted { place, chip, .. } = &mut self.chips[chip];
        chip.advance(now);
        chip.misuse(ChipAccess::Transfer(device - place.at.first(), function), now)
    }

    /// Brings the chips to cycle `now`, event by event.
    pub(super) fn advance(&mut self, now: u64) {
        while let Some(at) = self.next().filter(|&at| at <= now) {
            for fitted in &mut self.chips {
                fitted.chip.advance(at);
            }
            if let Some(keyboard) = &mut self.keyboard {
                keyboard.advance(&mut self.keypads, at);
            }
            if let Some(recorder) = &mut self.recorder {
                recorder.advance(at);
            }
            self.settle(at);
        }
        for fitted in &mut self.chips {
            fitted.chip.advance(now);
        }
    }

    /// The next cycle at which a chip does something by itself that can be seen from outside, or a key is struck.
    pub(super) fn next(&self) -> Option<u64> {
        let keyboard = self.keyboard.as_ref().and_then(Keyboard::next);
        let recorder = self.recorder.as_ref().and_then(Recorder::next);
        self.chips.iter().filter_map(|fitted| fitted.chip.next()).chain(keyboard).chain(recorder).min()
    }

    /// The next cycle at which something that was begun is done: a character is sent, a frame punched.
    pub(super) fn finishes(&self) -> Option<u64> {
        let keyboard = self.keyboard.as_ref().and_then(Keyboard::next);
        self.chips.iter().filter_map(|fitted| fitted.chip.finishes()).chain(keyboard).min()
    }

    /// Takes note of what changed at the chips: their interrupt lines, the lamps on their pins, when they want to be woken.
    pub(super) fn settle(&mut self, now: u64) {
        // Keys first: what they pull may be an interrupt.
        for keypad in &mut self.keypads {
            keypad.settle(&mut self.chips, now);
        }
        if let Some(recorder) = &mut self.recorder {
            recorder.settle(&mut self.chips, now);
        }
        self.relay(now);
        let mut requested = Requests::default();
        // Chips whose enable input a chip in service before them in the chain holds low are not heard.
        let mut quiet = false;
        for fitted in &mut self.chips {
            let Some(input) = fitted.place.input() else { continue };
            let since = fitted.chip.requests();
            let edge = since.is_some() && !std::mem::replace(&mut fitted.held, since.is_some());
            if input.level {
                let since = since.filter(|_| !quiet);
                quiet |= fitted.chip.in_service();
                requested.since = requested.since.into_iter().chain(since).min();
                if since.is_some() {
                    requested.channels |= fitted.chip.channels();
                }
            } else if edge {
                self.edges.push(input.name);
                self.attention = true;
            }
        }
        if requested != self.requested {
            self.requested = requested;
            self.attention = true;
        }
        if let Some(call) = self.chips.iter_mut().find_map(|fitted| fitted.chip.take_call()) {
            self.call = Some(call);
            self.attention = true;
        }
        if let Some(bank) = self.chips.iter().find_map(|fitted| fitted.chip.bank())
            && bank != self.bank
        {
            self.bank = bank;
            self.attention = true;
        }
        if self.next().is_some_and(|next| next < self.slice) {
            self.attention = true;
        }
        for digits in &mut self.digits {
            digits.settle(&self.chips, now);
        }
        if let Some(speaker) = &mut self.speaker {
            speaker.settle(&self.chips, now);
        }
        if self.stepper.is_some_and(|stepper| stepper.is_on(&self.chips)) != self.steps {
            self.steps = !self.steps;
            self.attention = true;
        }
        for (number, lamp) in self.lamps.iter_mut().enumerate() {
            let level = self.chips[lamp.wire.chip].chip.level(lamp.wire.pin);
            if lamp.drive(level, now) && self.lamp_changes.len() < MOST_CHANGES {
                self.lamp_changes.push(LampChange { lamp: number, lit: lamp.lit, at: now });
            }
        }
    }

    /// Takes the lines of chips to the pins of others that they are wired to.
    pub(super) fn relay(&mut self, now: u64) {
        // What a chip hears may make it ask the next: as many rounds as there are lines settle the longest chain.
        for _ in 0..self.relays.len() {
            let mut changed = false;
            for relay in &mut self.relays {
                let from = &*self.chips[relay.from].chip;
                let level = match relay.pin {
                    None => Some(from.requests().is_some() == from.asks_high()),
                    Some(pin) => from.level(pin),
                };
                if relay.level != Some(level) {
                    relay.level = Some(level);
                    changed = true;
                    self.chips[relay.to.chip].chip.drive(relay.to.pin, level, now);
                }
            }
            if !changed {
                break;
            }
        }
    }

    /// Gives the values that a port will read, in turn.
    pub fn give(&mut self, port: u32, values: &[Cell]) {
        if values.is_empty() {
            self.given.remove(&port);
        } else {
            self.given.insert(port, ScriptedInput { values: values.to_vec(), next: 0 });
        }
    }

    fn chip(&mut self, port: u32) -> Option<&mut Fitted> {
        let at = *self.chip_of.get(port as usize)?;
        self.chips.get_mut(usize::from(at).checked_sub(1)?)
    }

    /// Values given from outside come before the chip; `None` where nothing answers.
    pub(super) fn input(&mut self, port: u32, now: u64) -> Option<Cell> {
        if let Some(given) = self.given.get_mut(&port) {
            let value = given.values[given.next];
            given.next = (given.next + 1).min(given.values.len() - 1);
            return Some(value);
        }
        match self.chip(port) {
            Some(fitted) => {
                let value = fitted.chip.read(port - fitted.place.at.first(), now);
                self.settle(now);
                value
            }
            None => {
                self.miss(Access::In, port);
                None
            }
        }
    }

    pub(super) fn output(&mut self, port: u32, value: Cell, now: u64) -> bool {
        if self.writes.len() < MOST_WRITES {
            self.writes.push(PortWrite { port, value, at: now });
        } else {
            self.writes_not_kept += 1;
        }
        match self.chip(port) {
            Some(fitted) => {
                let took_effect = fitted.chip.write(port - fitted.place.at.first(), value, now);
                self.settle(now);
                took_effect
            }
            None => {
                if !self.given.contains_key(&port) {
                    self.miss(Access::Out, port);
                }
                self.unmapped != Unmapped::Stop
            }
        }
    }

    /// A transfer of a word machine with a device, with the accumulator. Where no device is, the three pulses do what they do with
    /// nearly all of them: 1 skips if it is ready, 2 clears the accumulator, 4 brings what was given from outside, or takes what is
    /// in the accumulator.
    pub(super) fn transfer(&mut self, device: u32, function: u32, value: Cell, now: u64) -> (Cell, bool) {
        let given = self.given.contains_key(&device);
        let chip = if given { None } else { self.chip(device) };
        if let Some(fitted) = chip {
            let offset = device - fitted.place.at.first();
            let done = fitted.chip.transfer(offset, function, value, now);
            self.settle(now);
            return done;
        }
        if !given {
            self.miss(Access::In, device);
        }
        let kept = if function & 2 != 0 && given { 0 } else { value };
        let value = match (function & 4 != 0, given) {
            (false, _) => kept,
            (true, true) => kept | self.input(device, now).unwrap_or(0),
            (true, false) => {
                self.output(device, value, now);
                kept
            }
        };
        (value, function & 1 != 0)
    }

    /// The processor takes an interrupt: the first chip that asks answers.
    pub(super) fn acknowledge(&mut self, now: u64) -> Option<u8> {
        // What asks again while its request waits is one request with it.
        self.advance(now);
        let mut sent = None;
        for (at, fitted) in self.chips.iter_mut().enumerate() {
            let chip = &mut fitted.chip;
            if fitted.place.input().is_none_or(|input| !input.level) {
                continue;
            }
            if chip.requests().is_some() {
                sent = chip.acknowledge(now);
                self.answered = Some((now, at));
            }
            // What it holds low keeps all after it quiet.
            if sent.is_some() || chip.in_service() {
                break;
            }
        }
        self.settle(now);
        sent
    }

    /// An instruction that returns from an interrupt has gone by: the first chip in the chain that is in service sees that it is its
    /// own.
    pub(super) fn returned(&mut self, now: u64) {
        self.advance(now);
        if let Some(fitted) = self.chips.iter_mut().find(|fitted| fitted.chip.in_service()) {
            fitted.chip.end_of_interrupt(now);
        }
        self.settle(now);
    }

    /// The reset line of the chips.
    pub(super) fn reset_chips(&mut self, now: u64) {
        self.advance(now);
        for fitted in &mut self.chips {
            fitted.chip.reset(now);
        }
        self.settle(now);
    }

    pub(super) fn miss(&mut self, access: Access, address: u32) {
        if self.unmapped == Unmapped::Stop && self.missing.is_none() {
            self.missing = Some(Missing { access, address });
            self.attention = true;
        }
    }

    pub(super) fn serial_in(&mut self, now: u64) -> Option<bool> {
        self.line.as_mut().map(|line| line.sense(now))
    }

    pub(super) fn serial_out(&mut self, level: bool, now: u64) {
        if let Some(line) = &mut self.line {
            line.drive(level, now);
        }
    }
}
