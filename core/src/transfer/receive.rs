//! Taking a file from a machine: XMODEM, the receiving side, and text in records.

use super::xmodem::{ACK, CAN, EOT, NAK, SOH, STX, crc16};
use super::{SendError, Sender, Step};

/// How often the sender is asked to begin, by CRC first, and how often a block is refused before it is given up.
const ASKS: usize = 6;
const ASKS_BY_SUM: usize = 6;
const TRIES: usize = 10;
/// Silence for so long, in milliseconds, before it asks again; inside a block; between two of them.
const BEGIN: u64 = 3_000;
const INSIDE: u64 = 1_000;
const BETWEEN: u64 = 10_000;

#[derive(Debug, Clone, PartialEq, Eq)]
enum State {
    /// The sender is asked to begin.
    Asking,
    Taking,
    Done,
    Failed(SendError),
}

/// A file that comes by XMODEM: blocks of 128 or 1024 bytes, with a CRC or, where the sender knows none, a checksum.
#[derive(Debug, Clone)]
pub struct XmodemReceiver {
    data: Vec<u8>,
    state: State,
    by_crc: bool,
    asks: usize,
    tries: usize,
    /// The block that is wanted, from 1.
    number: u8,
    blocks: usize,
    block: Vec<u8>,
    /// A block was broken: what still comes of it is thrown away until the line is silent.
    drains: bool,
    cancels: usize,
    out: Option<Vec<u8>>,
}

impl Default for XmodemReceiver {
    fn default() -> Self {
        Self::new()
    }
}

impl XmodemReceiver {
    /// One that asks for the first block.
    pub fn new() -> Self {
        Self {
            data: Vec::new(),
            state: State::Asking,
            by_crc: true,
            asks: 0,
            tries: 0,
            number: 1,
            blocks: 1,
            block: Vec::new(),
            drains: false,
            cancels: 0,
            out: Some(vec![b'C']),
        }
    }

    /// What has come so far, in whole blocks: the last one is filled up by the sender.
    pub fn data(&self) -> &[u8] {
        &self.data
    }

    /// How long the block is that has begun.
    fn length(&self) -> usize {
        let data = if self.block.first() == Some(&STX) { 1024 } else { 128 };
        3 + data + if self.by_crc { 2 } else { 1 }
    }

    fn fail(&mut self, error: SendError) {
        self.out = (error != SendError::Cancelled).then(|| vec![CAN, CAN]);
        self.state = State::Failed(error);
    }

    fn refuse(&mut self) {
        self.block.clear();
        self.drains = false;
        self.tries += 1;
        if self.tries > TRIES {
            return self.fail(SendError::Refused { block: self.blocks, times: TRIES });
        }
        self.out = Some(vec![NAK]);
    }

    /// A whole block is here.
    fn judge(&mut self) {
        let block = std::mem::take(&mut self.block);
        let check = if self.by_crc { 2 } else { 1 };
        let (data, sum) = block[3..].split_at(block.len() - 3 - check);
        let is_right = match self.by_crc {
            true => sum == crc16(data).to_be_bytes(),
            false => sum[0] == data.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte)),
        };
        if block[1] != !block[2] || !is_right {
            self.drains = true;
            return;
        }
        if block[1] == self.number {
            self.data.extend(data);
            self.number = self.number.wrapping_add(1);
            self.blocks += 1;
        } else if block[1] != self.number.wrapping_sub(1) {
            // Neither the next one nor the one before, whose answer was lost.
            return self.fail(SendError::Lost { block: self.blocks });
        }
        (self.state, self.tries) = (State::Taking, 0);
        self.out = Some(vec![ACK]);
    }
}

impl Sender for XmodemReceiver {
    fn step(&mut self) -> Step {
        match (self.out.take(), &self.state) {
            (Some(bytes), _) => Step::Send(bytes),
            (None, State::Done) => Step::Done,
            (None, State::Failed(error)) => Step::Failed(error.clone()),
            (None, _) => Step::Wait,
        }
    }

    fn take(&mut self, byte: u8) {
        if matches!(self.state, State::Done | State::Failed(_)) || self.drains {
            return;
        }
        if !self.block.is_empty() {
            self.block.push(byte);
            if self.block.len() == self.length() {
                self.judge();
            }
            return;
        }
        self.cancels = if byte == CAN { self.cancels + 1 } else { 0 };
        match byte {
            SOH | STX => self.block.push(byte),
            EOT if self.state == State::Taking || self.asks > 0 => {
                (self.state, self.out) = (State::Done, Some(vec![ACK]));
            }
            CAN if self.cancels == 2 => self.fail(SendError::Cancelled),
            // What a monitor says before it begins.
            _ => {}
        }
    }

    fn silence(&mut self) {
        match self.state {
            State::Asking if self.block.is_empty() && !self.drains => {
                self.asks += 1;
                if self.asks >= ASKS + ASKS_BY_SUM {
                    return self.fail(SendError::NoAnswer);
                }
                self.by_crc = self.asks < ASKS;
                self.out = Some(vec![if self.by_crc { b'C' } else { NAK }]);
            }
            State::Asking | State::Taking => self.refuse(),
            _ => {}
        }
    }

    fn patience(&self) -> u64 {
        match self.state {
            _ if !self.block.is_empty() || self.drains => INSIDE,
            State::Asking => BEGIN,
            _ => BETWEEN,
        }
    }

    fn progress(&self) -> (usize, usize) {
        (self.data.len(), 0)
    }
}

/// Records of text that come from a machine, each begun by a sign: Intel HEX by a colon, S-records by an `S`. What stands around them, a
/// monitor's prompt and echo, is left out.
#[derive(Debug, Clone)]
pub struct RecordReceiver {
    sign: u8,
    records: String,
    line: String,
    is_over: bool,
    is_done: bool,
    silent: usize,
}

impl RecordReceiver {
    /// For Intel HEX.
    pub fn hex() -> Self {
        Self::of(b':')
    }

    /// For S-records.
    pub fn srec() -> Self {
        Self::of(b'S')
    }

    fn of(sign: u8) -> Self {
        let (records, line) = (String::new(), String::new());
        Self { sign, records, line, is_over: false, is_done: false, silent: 0 }
    }

    /// The records that have come so far, a line each.
    pub fn text(&self) -> &str {
        &self.records
    }

    fn end_of_line(&mut self) {
        let line = std::mem::take(&mut self.line);
        let is_record = line.len() > 3 && line[1..].bytes().all(|byte| byte.is_ascii_hexdigit());
        if !is_record {
            return;
        }
        // An end record of HEX is one of the kind 1; S-records end with one of three.
        let is_last = match self.sign {
            b':' => line.starts_with(":00") && line.get(7..9) == Some("01"),
            _ => ['7', '8', '9'].iter().any(|&kind| line[1..].starts_with(kind)),
        };
        self.records.push_str(&line);
        self.records.push('\n');
        self.is_done |= is_last;
    }
}

impl Sender for RecordReceiver {
    fn step(&mut self) -> Step {
        match (self.is_done, self.is_over) {
            (true, _) => Step::Done,
            (false, true) if self.records.is_empty() => Step::Failed(SendError::NoAnswer),
            (false, true) => Step::Failed(SendError::Unended),
            (false, false) => Step::Wait,
        }
    }

    fn take(&mut self, byte: u8) {
        self.silent = 0;
        match byte {
            b'\r' | b'\n' => self.end_of_line(),
            sign if sign == self.sign => self.line = char::from(sign).to_string(),
            other if !self.line.is_empty() => self.line.push(char::from(other)),
            _ => {}
        }
    }

    fn silence(&mut self) {
        /// So often silence for as long as it has patience is the end.
        const PATIENT: usize = 5;
        self.end_of_line();
        self.silent += 1;
        self.is_over = self.silent >= PATIENT;
    }

    fn patience(&self) -> u64 {
        BEGIN
    }

    fn progress(&self) -> (usize, usize) {
        (self.records.lines().count(), 0)
    }
}
