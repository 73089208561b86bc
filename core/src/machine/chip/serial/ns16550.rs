//! National Semiconductor NS16550A, a serial line with FIFOs (National Semiconductor, *PC16550D data sheet*, whose registers are those
//! of the NS16550A), with a terminal at the far end.
//!
//! ```text
//! 0 RBR, THR; DLL    1 IER; DLM    2 IIR, FCR    3 LCR    4 MCR    5 LSR    6 MSR    7 SCR        DLL and DLM while LCR 7 is 1
//! ```
//!
//! The far end uses the same format, sends while there is room for a character, and is always there: CTS, DSR and DCD are active and
//! never change, so that there are no interrupts of the modem's status outside the loop of MCR 4.

use crate::image::Cell;
use crate::machine::chip::far_end::FarEnd;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, ChipAccess, Misuse, Serial, facet};
use std::collections::VecDeque;

/// IER.
const ON_DATA: u8 = 0x01;
const ON_EMPTY: u8 = 0x02;
const ON_ERROR: u8 = 0x04;
/// LCR.
const DIVISOR: u8 = 0x80;
/// FCR.
const FIFOS: u8 = 0x01;
/// MCR.
const LOOP: u8 = 0x10;
/// LSR.
const DATA: u8 = 0x01;
const OVERRUN: u8 = 0x02;
const EMPTY: u8 = 0x20;
const ALL_SENT: u8 = 0x40;
/// MSR: DCD, DSR, CTS.
const LINES: u8 = 0xB0;

/// What a FIFO holds.
const DEPTH: usize = 16;

/// IIR without its highest bits.
const NOTHING: u8 = 0x01;
const LINE_STATUS: u8 = 0x06;
const RECEIVED: u8 = 0x04;
const TIME_OUT: u8 = 0x0C;
const SENT: u8 = 0x02;

/// The chip and its far end.
#[derive(Debug, Clone)]
pub struct Ns16550 {
    line: FarEnd,
    divisor: u16,
    ier: u8,
    fcr: u8,
    lcr: u8,
    mcr: u8,
    scratch: u8,
    received: VecDeque<u8>,
    overrun: bool,
    to_send: VecDeque<u8>,
    /// The transmitter has become empty, and nobody was told.
    sent: bool,
    /// The cycle from which a FIFO with something in it counts as forgotten.
    forgotten_at: Option<u64>,
    request: Request,
}

impl Ns16550 {
    /// The chip at a processor clock and a clock of its own, in Hz.
    pub fn new(processor: u64, clock: Option<u64>) -> Self {
        Self {
            line: FarEnd::new(processor, clock),
            divisor: 0,
            ier: 0,
            fcr: 0,
            lcr: 0,
            mcr: 0,
            scratch: 0,
            received: VecDeque::new(),
            overrun: false,
            to_send: VecDeque::new(),
            sent: false,
            forgotten_at: None,
            request: Request::default(),
        }
    }

    fn has_fifos(&self) -> bool {
        self.fcr & FIFOS != 0
    }

    fn depth(&self) -> usize {
        if self.has_fifos() { DEPTH } else { 1 }
    }

    fn mask(&self) -> u8 {
        0xFF >> (3 - (self.lcr & 3))
    }

    /// Processor cycles of a character.
    fn character(&self) -> u64 {
        let data = 5 + u64::from(self.lcr & 3);
        // In halves of a bit: start, data, parity, stop.
        let stop = match (self.lcr & 4 != 0, data) {
            (false, _) => 2,
            (true, 5) => 3,
            (true, _) => 4,
        };
        let halves = 2 + 2 * data + 2 * u64::from(self.lcr >> 3 & 1) + stop;
        self.line.cycles(halves, 16 * u64::from(self.divisor.max(1)))
    }

    /// So many characters in the FIFO ask for an interrupt.
    fn trigger(&self) -> usize {
        if self.has_fifos() { [1, 4, 8, 14][usize::from(self.fcr >> 6)] } else { 1 }
    }

    /// What would be told first.
    fn cause(&self, now: u64) -> u8 {
        let is = |bit: u8| self.ier & bit != 0;
        if is(ON_ERROR) && self.overrun {
            LINE_STATUS
        } else if is(ON_DATA) && self.received.len() >= self.trigger() {
            RECEIVED
        } else if is(ON_DATA) && self.forgotten_at.is_some_and(|at| at <= now) {
            TIME_OUT
        } else if is(ON_EMPTY) && self.sent {
            SENT
        } else {
            NOTHING
        }
    }

    fn look(&mut self, at: u64) {
        self.request.follow(self.cause(at) != NOTHING, at);
    }

    /// What is in the FIFO is forgotten four characters from now, where nothing comes or goes.
    fn touched(&mut self, now: u64) {
        let waits = self.has_fifos() && !self.received.is_empty();
        self.forgotten_at = waits.then(|| now + 4 * self.character());
    }

    fn type_next(&mut self, now: u64) {
        if self.mcr & LOOP == 0 && self.received.len() < self.depth() {
            let mask = self.mask();
            self.line.type_next(now + self.character(), |value| value & mask);
        }
    }

    fn came(&mut self, value: u8, at: u64) {
        if self.received.len() == self.depth() {
            // A full FIFO keeps what it has, the single register the new one.
            self.overrun = true;
            if !self.has_fifos() {
                self.received[0] = value;
            }
        } else {
            self.received.push_back(value);
        }
        self.touched(at);
    }

    fn begin_sending(&mut self, now: u64) {
        if let Some(value) = self.to_send.pop_front() {
            self.line.send(value, now + self.character());
            self.sent |= self.to_send.is_empty();
        }
    }

    fn line_status(&mut self) -> u8 {
        let data = if self.received.is_empty() { 0 } else { DATA };
        let overrun = if std::mem::take(&mut self.overrun) { OVERRUN } else { 0 };
        let empty = if self.to_send.is_empty() { EMPTY } else { 0 };
        let all = if empty != 0 && !self.line.is_sending() { ALL_SENT } else { 0 };
        data | overrun | empty | all
    }

    fn modem_status(&self) -> u8 {
        if self.mcr & LOOP == 0 {
            return LINES;
        }
        // RTS is CTS, DTR is DSR, OUT1 is RI, OUT2 is DCD.
        let [dtr, rts, out1, out2] = [0, 1, 2, 3].map(|bit| self.mcr >> bit & 1);
        rts << 4 | dtr << 5 | out1 << 6 | out2 << 7
    }

    fn set_fifos(&mut self, value: u8) {
        if (value ^ self.fcr) & FIFOS != 0 {
            self.received.clear();
            self.to_send.clear();
        }
        // The other bits are only taken together with the first.
        self.fcr = if value & FIFOS != 0 { value & 0xC1 } else { 0 };
        if value & FIFOS != 0 && value & 2 != 0 {
            self.received.clear();
        }
        if value & FIFOS != 0 && value & 4 != 0 {
            self.to_send.clear();
            self.sent = true;
        }
    }
}

impl Chip for Ns16550 {
    fn read(&mut self, offset: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        let value = match (offset & 7, self.lcr & DIVISOR != 0) {
            (0, true) => self.divisor as u8,
            (1, true) => (self.divisor >> 8) as u8,
            (0, false) => {
                let value = self.received.pop_front().unwrap_or(0);
                self.touched(now);
                value
            }
            (1, false) => self.ier,
            (2, _) => {
                let cause = self.cause(now);
                self.sent &= cause != SENT;
                cause | if self.has_fifos() { 0xC0 } else { 0 }
            }
            (3, _) => self.lcr,
            (4, _) => self.mcr,
            (5, _) => self.line_status(),
            (6, _) => self.modem_status(),
            _ => self.scratch,
        };
        self.type_next(now);
        self.look(now);
        Some(value.into())
    }

    fn write(&mut self, offset: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        let value = value as u8;
        match (offset & 7, self.lcr & DIVISOR != 0) {
            (0, true) => self.divisor = self.divisor & 0xFF00 | u16::from(value),
            (1, true) => self.divisor = self.divisor & 0xFF | u16::from(value) << 8,
            (0, false) => {
                self.sent = false;
                if self.to_send.len() == self.depth() {
                    self.to_send.pop_back();
                }
                self.to_send.push_back(value & self.mask());
                if !self.line.is_sending() {
                    self.begin_sending(now);
                }
            }
            (1, false) => {
                // Enabling it tells at once that the transmitter is empty.
                self.sent |= value & !self.ier & ON_EMPTY != 0 && self.to_send.is_empty();
                self.ier = value & 0x0F;
            }
            (2, _) => self.set_fifos(value),
            (3, _) => self.lcr = value,
            (4, _) => self.mcr = value & 0x1F,
            (7, _) => self.scratch = value,
            _ => return false,
        }
        self.type_next(now);
        self.look(now + 1);
        true
    }

    fn misuse(&self, access: ChipAccess, _: u64) -> Option<Misuse> {
        let sends =
            matches!(access, ChipAccess::Write(offset, _) if offset & 7 == 0) && self.lcr & DIVISOR == 0;
        (sends && self.to_send.len() == self.depth()).then_some(Misuse::TransmitterFull)
    }

    fn advance(&mut self, now: u64) {
        loop {
            // What is out and what is in, in the order of their times.
            let first = self.line.comes_at().map_or(now, |at| at.min(now));
            match self.line.sent(first) {
                Some((value, at)) => {
                    if self.mcr & LOOP != 0 {
                        self.came(value, at);
                    } else {
                        self.line.hear(value);
                    }
                    self.begin_sending(at);
                    self.look(at);
                }
                None => {
                    let Some((value, at)) = self.line.came(now) else { break };
                    self.came(value, at);
                    self.type_next(at);
                    self.look(at);
                }
            }
        }
        if let Some(at) = self.forgotten_at.filter(|&at| at <= now) {
            self.look(at);
        }
        self.type_next(now);
    }

    fn next(&self) -> Option<u64> {
        let sent = self.line.sent_at();
        let listens = self.ier & ON_DATA != 0;
        let came = self.line.comes_at().filter(|_| listens);
        let forgotten = self.forgotten_at.filter(|_| listens && self.request.0.is_none());
        sent.into_iter().chain(came).chain(forgotten).min()
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn asks_high(&self) -> bool {
        true
    }

    fn reset(&mut self, now: u64) {
        let (divisor, scratch, mut line) = (self.divisor, self.scratch, self.line.clone());
        line.reset();
        *self = Self { line, divisor, scratch, ..Self::new(1, None) };
        self.look(now);
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        self.line.restart(now);
        self.forgotten_at = self.forgotten_at.map(|at| at.saturating_sub(now));
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Serial, serial, serial_mut);
}

impl Serial for Ns16550 {
    fn type_in(&mut self, bytes: &[u8], now: u64) {
        self.line.type_in(bytes);
        self.advance(now);
    }

    fn would_interrupt(&self) -> bool {
        self.ier & ON_DATA != 0
    }

    fn take_received(&mut self) -> Vec<u8> {
        self.line.take_heard()
    }

    fn waiting(&self) -> usize {
        self.line.waiting()
    }
}
