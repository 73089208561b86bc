//! XMODEM, the sending side: blocks of 128 bytes or of 1024, a checksum or a CRC as the receiver asks.
//!
//! ```text
//! SOH or STX, number, its complement, 128 or 1024 bytes, sum or CRC-16      NAK or `C` asks, ACK takes, NAK refuses, CAN CAN ends
//! ```

use super::{SendError, Sender, Step};

pub(super) const SOH: u8 = 0x01;
pub(super) const STX: u8 = 0x02;
pub(super) const EOT: u8 = 0x04;
pub(super) const ACK: u8 = 0x06;
pub(super) const NAK: u8 = 0x15;
pub(super) const CAN: u8 = 0x18;
/// What fills the last block up.
const FILL: u8 = 0x1A;

/// How often a block is sent before it is given up.
const TRIES: usize = 10;

/// Silence for so long, in milliseconds, is an answer that was lost.
const PATIENCE: u64 = 10_000;
/// So long it waits for the receiver to ask.
const BEGIN: u64 = 60_000;

/// CRC-16 as XMODEM has it: polynomial 1021h, begun with 0.
pub fn crc16(bytes: &[u8]) -> u16 {
    const XMODEM: crc::Crc<u16> = crc::Crc::<u16>::new(&crc::CRC_16_XMODEM);
    XMODEM.checksum(bytes)
}

/// Bytes of a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BlockSize {
    /// 128.
    Small,
    /// 1024, where a receiver that asks for a CRC takes them; the rest of a file goes in small ones.
    Large,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum State {
    /// The receiver has not asked yet.
    Waiting,
    /// A block is out, and its answer is not here.
    Sent,
    /// The end was told.
    Ended,
    Done,
    Failed(SendError),
}

/// A file under way.
#[derive(Debug, Clone)]
pub struct XmodemSender {
    data: Vec<u8>,
    size: BlockSize,
    by_crc: bool,
    state: State,
    /// The first byte of the block that is under way, how long it is, and its number.
    at: usize,
    length: usize,
    number: u8,
    blocks: usize,
    tries: usize,
    cancels: usize,
    out: Option<Vec<u8>>,
}

impl XmodemSender {
    /// Sends these bytes.
    pub fn new(data: Vec<u8>, size: BlockSize) -> Self {
        Self {
            data,
            size,
            by_crc: false,
            state: State::Waiting,
            at: 0,
            length: 0,
            number: 1,
            blocks: 1,
            tries: 0,
            cancels: 0,
            out: None,
        }
    }

    fn block(&mut self) {
        let left = &self.data[self.at..];
        let large = self.size == BlockSize::Large && self.by_crc && left.len() > 7 * 128;
        self.length = if large { 1024 } else { 128 };
        let mut data: Vec<u8> = left[..left.len().min(self.length)].to_vec();
        data.resize(self.length, FILL);
        let mut block = vec![if large { STX } else { SOH }, self.number, !self.number];
        block.extend(&data);
        if self.by_crc {
            block.extend(crc16(&data).to_be_bytes());
        } else {
            block.push(data.iter().fold(0, |sum: u8, byte| sum.wrapping_add(*byte)));
        }
        self.put(block, State::Sent);
    }

    fn put(&mut self, bytes: Vec<u8>, state: State) {
        (self.out, self.state) = (Some(bytes), state);
        self.tries += 1;
        if self.tries > TRIES {
            self.fail(SendError::Refused { block: self.blocks, times: TRIES });
        }
    }

    fn fail(&mut self, error: SendError) {
        // The receiver is told, too, unless it was the one that ended it.
        self.out = (error != SendError::Cancelled).then(|| vec![CAN, CAN]);
        self.state = State::Failed(error);
    }

    fn next(&mut self) {
        self.tries = 0;
        if self.at >= self.data.len() {
            return self.put(vec![EOT], State::Ended);
        }
        self.block();
    }
}

impl Sender for XmodemSender {
    fn step(&mut self) -> Step {
        match (self.out.take(), &self.state) {
            (Some(bytes), _) => Step::Send(bytes),
            (None, State::Done) => Step::Done,
            (None, State::Failed(error)) => Step::Failed(error.clone()),
            (None, _) => Step::Wait,
        }
    }

    fn take(&mut self, byte: u8) {
        self.cancels = if byte == CAN { self.cancels + 1 } else { 0 };
        if self.cancels == 2 && !matches!(self.state, State::Done) {
            return self.fail(SendError::Cancelled);
        }
        match (&self.state, byte) {
            (State::Waiting, NAK | b'C') => {
                self.by_crc = byte == b'C';
                self.next();
            }
            (State::Sent, ACK) => {
                self.at += self.length;
                self.number = self.number.wrapping_add(1);
                self.blocks += 1;
                self.next();
            }
            // A receiver that asks for the first block again has not seen it.
            (State::Sent, b'C') if self.at == 0 => self.block(),
            (State::Sent, NAK) => self.block(),
            (State::Ended, ACK) => self.state = State::Done,
            (State::Ended, NAK) => self.put(vec![EOT], State::Ended),
            _ => {}
        }
    }

    fn silence(&mut self) {
        match self.state {
            State::Waiting => self.fail(SendError::NoAnswer),
            State::Sent => self.block(),
            State::Ended => self.put(vec![EOT], State::Ended),
            _ => {}
        }
    }

    fn patience(&self) -> u64 {
        if self.state == State::Waiting { BEGIN } else { PATIENCE }
    }

    fn progress(&self) -> (usize, usize) {
        (self.at.min(self.data.len()), self.data.len())
    }
}
