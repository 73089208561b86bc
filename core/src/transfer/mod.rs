//! Sending an image to a machine at the end of a serial line, as Intel HEX, each character held against its echo, or by XMODEM; and taking
//! one from it.
//!
//! Nothing here opens a line or waits: a sender is told what came, or that nothing did for a while, and says what to put on the line.

mod echo;
mod receive;
mod xmodem;

pub use echo::EchoSender;
pub use receive::{RecordReceiver, XmodemReceiver};
pub use xmodem::{BlockSize, XmodemSender, crc16};

/// What a sender wants.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// These bytes go on the line; then it waits.
    Send(Vec<u8>),
    /// It waits for what comes, or for the line to be silent for as long as [`patience`](Sender::patience) says.
    Wait,
    /// Everything has arrived.
    Done,
    /// It has given up.
    Failed(SendError),
}

/// Why a transfer was given up.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SendError {
    /// Nothing came from the far side at all.
    #[error("the far side does not answer")]
    NoAnswer,
    /// The far side asked for an end.
    #[error("the far side has cancelled")]
    Cancelled,
    /// It refused the same block too often.
    #[error("the far side refused block {block} {times} times")]
    Refused {
        /// The block, from 1.
        block: usize,
        /// How often.
        times: usize,
    },
    /// A block came that is neither the next nor the last one.
    #[error("block {block} was lost on the line")]
    Lost {
        /// The block that was wanted, from 1.
        block: usize,
    },
    /// The line fell silent in front of the last record.
    #[error("the far side fell silent before its last record")]
    Unended,
    /// What came back is not what was sent.
    #[error("`{sent}` came back as `{came}`")]
    Echo {
        /// The line.
        sent: String,
        /// Its echo.
        came: String,
    },
}

/// A transfer under way.
pub trait Sender {
    /// What to do first, and whenever the line is free.
    fn step(&mut self) -> Step;
    /// A byte came from the far side.
    fn take(&mut self, byte: u8);
    /// Nothing came for as long as it had patience.
    fn silence(&mut self);
    /// How long it waits for the next byte, in milliseconds.
    fn patience(&self) -> u64;
    /// How many bytes of the image have arrived, as far as the far side has said so, and how many there are.
    fn progress(&self) -> (usize, usize);
}
