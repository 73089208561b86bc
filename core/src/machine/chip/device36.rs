//! What the devices of a 36-bit machine have in common: conditions with a priority channel, and flags that ask for interrupts.

use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::processor::channel_bit;

/// The channel and the request of a device. Its flags are its own.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Channel {
    number: u32,
    pub request: Request,
}

impl Channel {
    /// Three bits of the conditions choose the channel.
    pub fn choose(&mut self, conditions: Cell) {
        self.number = conditions as u32 & 7;
    }

    /// The channel among the conditions.
    pub fn shown(&self) -> Cell {
        self.number.into()
    }

    /// The request follows the flags, which can be seen from the end of cycle `at` on.
    pub fn follow(&mut self, flags: bool, at: u64) {
        self.request.follow(flags && self.number != 0, at);
    }

    /// The channel as a bit, channel 1 on the left.
    pub fn bit(&self) -> u8 {
        channel_bit(self.number)
    }
}
