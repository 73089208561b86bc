//! Zilog Z8440, Z80 SIO: two serial channels, asynchronous (Zilog, *Z8440 Z80 SIO technical manual*). A terminal hangs on channel A,
//! nothing on channel B.
//!
//! ```text
//! 0 data A   1 data B   2 control A   3 control B
//!
//! WR0  command and register     RR0  break underrun CTS sync DCD TBE interrupt(A) RCA
//! WR1  interrupts               RR1  - framing overrun parity - - - all sent
//! WR2  vector (B)               RR2  vector (B)
//! WR3  receiver    WR4  clock, stop bits, parity    WR5  transmitter
//! ```
//!
//! The far end uses the same format, sends the next character when the last one was taken, and is always there: CTS and DCD are
//! active. The synchronous modes are not built: WR6, WR7 and the commands that belong to them are taken and have no effect.

use crate::image::Cell;
use crate::machine::chip::far_end::FarEnd;
use crate::machine::chip::{Chip, ChipAccess, Interrupting, Misuse, Serial, facet};
use std::collections::VecDeque;

/// RR0.
const RECEIVED: u8 = 0x01;
const PENDING: u8 = 0x02;
const EMPTY: u8 = 0x04;
const LINES: u8 = 0x08 | 0x20;
/// RR1.
const ALL_SENT: u8 = 0x01;
const OVERRUN: u8 = 0x20;

/// How many characters the receiver holds.
const FIFO: usize = 3;

/// What a channel interrupts for, in the order of priority; as the two bits of the vector that tell it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Cause {
    Received,
    Special,
    Sent,
}

impl Cause {
    fn code(self) -> u8 {
        match self {
            Cause::Sent => 0,
            Cause::Received => 2,
            Cause::Special => 3,
        }
    }
}

#[derive(Debug, Clone)]
struct Channel {
    line: FarEnd,
    write: [u8; 8],
    pointer: usize,
    fifo: VecDeque<u8>,
    overrun: bool,
    waiting: Option<u8>,
    /// Since which cycle the transmitter's buffer has become empty and nobody was told.
    sent: Option<u64>,
    /// Since which cycle characters wait that nobody was told of.
    came: Option<u64>,
    /// The first character of a message was told of; the others are not.
    first_told: bool,
    in_service: Option<Cause>,
}

impl Channel {
    fn new(line: FarEnd) -> Self {
        Self {
            line,
            write: [0; 8],
            pointer: 0,
            fifo: VecDeque::new(),
            overrun: false,
            waiting: None,
            sent: None,
            came: None,
            first_told: false,
            in_service: None,
        }
    }

    fn receives(&self) -> bool {
        self.write[3] & 1 != 0
    }

    fn sends(&self) -> bool {
        self.write[5] & 8 != 0
    }

    fn data_bits(setting: u8) -> u32 {
        [5, 7, 6, 8][usize::from(setting & 3)]
    }

    /// Processor cycles that a character of so many data bits takes.
    fn character(&self, data_bits: u32) -> u64 {
        let format = self.write[4];
        // In halves of a bit: start, data, parity, stop.
        let stop = [2, 2, 3, 4][usize::from(format >> 2 & 3)];
        let halves = 2 + 2 * u64::from(data_bits) + 2 * u64::from(format & 1) + stop;
        let divide = [1, 16, 32, 64][usize::from(format >> 6)];
        self.line.cycles(halves, divide)
    }

    fn mask(bits: u32) -> u8 {
        (0xFFu32 >> (8 - bits)) as u8
    }

    fn send_character(&self) -> u64 {
        self.character(Self::data_bits(self.write[5] >> 5))
    }

    fn receive_mode(&self) -> u8 {
        self.write[1] >> 3 & 3
    }

    fn type_next(&mut self, now: u64) {
        if self.receives() && self.fifo.is_empty() {
            let bits = Self::data_bits(self.write[3] >> 6);
            // Bits that are not received read as ones.
            let read = |value| value & Self::mask(bits) | !Self::mask(bits);
            self.line.type_next(now + self.character(bits), read);
        }
    }

    fn advance(&mut self, now: u64) {
        while let Some((value, at)) = self.line.sent(now) {
            self.line.hear(value);
            if let Some(next) = self.waiting.take() {
                self.line.send(next, at + self.send_character());
                self.emptied(at);
            }
        }
        if let Some((value, at)) = self.line.came(now) {
            if self.fifo.len() == FIFO {
                self.overrun = true;
                self.fifo.pop_back();
            }
            self.fifo.push_back(value);
            if self.receive_mode() > 1
                || self.receive_mode() == 1 && !std::mem::replace(&mut self.first_told, true)
            {
                self.came.get_or_insert(at);
            }
        }
        self.type_next(now);
    }

    /// The transmitter's buffer has become empty.
    fn emptied(&mut self, at: u64) {
        if self.write[1] & 2 != 0 {
            self.sent.get_or_insert(at);
        }
    }

    fn put(&mut self, value: u8, now: u64) -> bool {
        if !self.sends() {
            return false;
        }
        let value = value & Self::mask(Self::data_bits(self.write[5] >> 5));
        self.sent = None;
        if !self.line.is_sending() {
            self.line.send(value, now + self.send_character());
            self.emptied(now);
        } else {
            self.waiting = Some(value);
        }
        true
    }

    fn take(&mut self, now: u64) -> u8 {
        let value = self.fifo.pop_front().unwrap_or(0);
        self.came = if self.receive_mode() > 1 && !self.fifo.is_empty() { Some(now) } else { None };
        self.type_next(now);
        value
    }

    fn set_register(&mut self, value: u8, now: u64) {
        let at = std::mem::take(&mut self.pointer);
        if at == 0 {
            self.pointer = usize::from(value & 7);
            return self.command(value >> 3 & 7);
        }
        self.write[at] = value;
        if at == 1 {
            if self.receive_mode() == 0 {
                self.came = None;
            } else if !self.fifo.is_empty() {
                self.came.get_or_insert(now);
            }
            if value & 2 == 0 {
                self.sent = None;
            }
        }
        self.type_next(now);
    }

    fn command(&mut self, command: u8) {
        match command {
            3 => {
                let mut line = self.line.clone();
                line.reset();
                *self = Self::new(line);
            }
            4 => self.first_told = false,
            5 => self.sent = None,
            6 => self.overrun = false,
            _ => {}
        }
    }

    /// What it asks for, with the cycle since when.
    fn cause(&self) -> Option<(Cause, u64)> {
        let special = self.overrun && self.receive_mode() != 0;
        let received = self.came.map(|at| (if special { Cause::Special } else { Cause::Received }, at));
        received.or(self.sent.map(|at| (Cause::Sent, at)))
    }

    /// The same where nothing of at least its priority is in service.
    fn asks(&self) -> Option<(Cause, u64)> {
        let open = |cause: &Cause| match self.in_service {
            None => true,
            Some(Cause::Sent) => *cause != Cause::Sent,
            Some(_) => false,
        };
        self.cause().filter(|(cause, _)| open(cause))
    }
}

/// The chip and the far end of channel A.
#[derive(Debug, Clone)]
pub struct Z8440 {
    channels: [Channel; 2],
}

impl Z8440 {
    /// The chip at a processor clock and the clock of its lines, in Hz.
    pub fn new(processor: u64, clock: Option<u64>) -> Self {
        Self { channels: [(); 2].map(|()| Channel::new(FarEnd::new(processor, clock))) }
    }

    /// The channel whose interrupt would be taken, and its cause.
    fn asking(&self) -> Option<(usize, Cause, u64)> {
        let [a, b] = &self.channels;
        if let Some((cause, at)) = a.asks() {
            return Some((0, cause, at));
        }
        let (cause, at) = b.asks().filter(|_| a.in_service.is_none())?;
        Some((1, cause, at))
    }

    /// The vector; where the status is to be seen in it, with the cause that asks, or as if a special one of B did.
    fn vector(&self, asking: Option<(usize, Cause)>) -> u8 {
        let [_, b] = &self.channels;
        if b.write[1] & 4 == 0 {
            return b.write[2];
        }
        let (channel, code) = asking.map_or((1, 3), |(channel, cause)| (channel, cause.code()));
        let a = if channel == 0 { 4 } else { 0 };
        b.write[2] & !0x0E | (a | code) << 1
    }

    fn status(&mut self, channel: usize) -> u8 {
        let asking = self.asking();
        let vector = self.vector(asking.map(|(channel, cause, _)| (channel, cause)));
        let one = &mut self.channels[channel];
        match std::mem::take(&mut one.pointer) {
            1 => {
                let sent = if !one.line.is_sending() { ALL_SENT } else { 0 };
                sent | if one.overrun { OVERRUN } else { 0 }
            }
            2 if channel == 1 => vector,
            _ => {
                let received = if one.fifo.is_empty() { 0 } else { RECEIVED };
                let empty = if one.waiting.is_none() { EMPTY } else { 0 };
                let pending = if channel == 0 && asking.is_some() { PENDING } else { 0 };
                received | empty | pending | LINES
            }
        }
    }
}

impl Chip for Z8440 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let channel = offset as usize & 1;
        let value = if offset & 2 == 0 { self.channels[channel].take(now) } else { self.status(channel) };
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let (at, value) = (offset as usize & 1, value as u8);
        if offset & 2 == 0 {
            return self.channels[at].put(value, now);
        }
        // The return from an interrupt by a command is for processors without RETI.
        if at == 0 && self.channels[0].pointer == 0 && value >> 3 & 7 == 7 {
            self.end_of_interrupt(now);
        }
        self.channels[at].set_register(value, now);
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let ChipAccess::Write(offset, _) = access else { return None };
        let channel = &self.channels[offset as usize & 1];
        match offset & 2 {
            0 if !channel.sends() => Some(Misuse::NotSetUp),
            0 => channel.waiting.map(|_| Misuse::TransmitterFull),
            _ => None,
        }
    }

    fn advance(&mut self, now: u64) {
        for channel in &mut self.channels {
            channel.advance(now);
        }
    }

    fn next(&self) -> Option<u64> {
        let each = self.channels.iter().flat_map(|one| {
            // A character that is out is seen at the far end, one that is in only where it asks for an interrupt.
            let came = one.line.comes_at().filter(|_| one.receive_mode() != 0);
            [one.line.sent_at(), came]
        });
        each.flatten().min()
    }

    fn requests(&self) -> Option<u64> {
        self.asking().map(|(_, _, at)| at)
    }

    fn reset(&mut self, _: u64) {
        for channel in &mut self.channels {
            channel.command(3);
        }
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        for one in &mut self.channels {
            one.line.restart(now);
            (one.sent, one.came) = (one.sent.map(|_| 0), one.came.map(|_| 0));
        }
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Interrupting, interrupting, interrupting_mut);
    facet!(Serial, serial, serial_mut);
}

impl Interrupting for Z8440 {
    fn acknowledge(&mut self, _: u64) -> Option<u8> {
        let (channel, cause, _) = self.asking()?;
        let vector = self.vector(Some((channel, cause)));
        self.channels[channel].in_service = Some(cause);
        if cause == Cause::Sent {
            self.channels[channel].sent = None;
        }
        Some(vector)
    }

    fn in_service(&self) -> bool {
        self.channels.iter().any(|one| one.in_service.is_some())
    }

    fn end_of_interrupt(&mut self, _: u64) {
        if let Some(channel) = self.channels.iter_mut().find(|one| one.in_service.is_some()) {
            channel.in_service = None;
        }
    }
}

impl Serial for Z8440 {
    fn type_in(&mut self, bytes: &[u8], now: u64) {
        self.channels[0].line.type_in(bytes);
        self.advance(now);
    }

    fn would_interrupt(&self) -> bool {
        self.channels[0].receive_mode() != 0 && self.channels[0].receives()
    }

    fn take_received(&mut self) -> Vec<u8> {
        self.channels[0].line.take_heard()
    }

    fn waiting(&self) -> usize {
        self.channels[0].line.waiting()
    }
}
