//! A console on a serial line that the program makes and reads bit by bit (SOD and SID of the 8085).
//!
//! ```text
//! 1 ‾‾‾‾\____/‾0‾/‾1‾/‾2‾/‾3‾/‾4‾/‾5‾/‾6‾/‾7‾/‾‾‾‾‾     one start bit, eight data bits, low first, stop
//! ```

use std::collections::VecDeque;

/// Bits of a frame: start, eight data, stop.
const FRAME: u64 = 10;

/// The far end of the line: it listens to what the program sends, and types when the program looks.
#[derive(Debug, Clone)]
pub struct SerialLine {
    /// Clock cycles a bit.
    bit: u64,
    level: bool,
    receiving: Option<Receiving>,
    received: Vec<u8>,
    /// Frames whose stop bit was not there.
    pub framing_errors: u64,
    typed: VecDeque<u8>,
    sending: Option<(u64, u8)>,
    quiet_until: u64,
}

#[derive(Debug, Clone, Copy)]
struct Receiving {
    begin: u64,
    /// Samples taken.
    taken: u64,
    value: u8,
}

impl SerialLine {
    /// A line of `baud` bits a second at a clock of `clock` Hz.
    pub fn new(clock: u64, baud: u64) -> Self {
        let bit = (clock + baud / 2).checked_div(baud).unwrap_or(1).max(1);
        Self {
            bit,
            level: true,
            receiving: None,
            received: Vec::new(),
            framing_errors: 0,
            typed: VecDeque::new(),
            sending: None,
            quiet_until: 0,
        }
    }

    /// Queues characters to be typed.
    pub fn type_in(&mut self, bytes: &[u8]) {
        self.typed.extend(bytes);
    }

    /// The program sets the line.
    pub fn drive(&mut self, level: bool, now: u64) {
        self.listen(now);
        if self.level && !level && self.receiving.is_none() {
            self.receiving = Some(Receiving { begin: now, taken: 0, value: 0 });
        }
        self.level = level;
    }

    /// Samples the middle of every bit that has passed by `now`.
    pub fn listen(&mut self, now: u64) {
        while let Some(frame) = &mut self.receiving {
            let sample = frame.begin + frame.taken * self.bit + self.bit / 2;
            if sample >= now {
                return;
            }
            match (frame.taken, self.level) {
                (0, true) => {
                    // Too short for a start bit.
                    self.receiving = None;
                    return;
                }
                (0, false) => {}
                (bit @ 1..9, level) => frame.value |= u8::from(level) << (bit - 1),
                (_, true) => {
                    self.received.push(frame.value);
                    self.receiving = None;
                    return;
                }
                (_, false) => {
                    self.framing_errors += 1;
                    self.receiving = None;
                    return;
                }
            }
            frame.taken += 1;
        }
    }

    /// The program looks at the line. Where it is quiet and something waits to be typed, a frame begins: the person at
    /// the far end types when the program listens, so that nothing is lost and every run is the same.
    pub fn sense(&mut self, now: u64) -> bool {
        if let Some((begin, value)) = self.sending {
            let bit = (now - begin) / self.bit;
            if bit < FRAME {
                return match bit {
                    0 => false,
                    1..9 => value >> (bit - 1) & 1 != 0,
                    _ => true,
                };
            }
            self.sending = None;
            self.quiet_until = begin + (FRAME + 1) * self.bit;
        }
        if now >= self.quiet_until
            && let Some(value) = self.typed.pop_front()
        {
            self.sending = Some((now, value));
            return false;
        }
        true
    }

    /// Takes what the far end has received.
    pub fn take_received(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.received)
    }

    /// How many characters wait to be typed.
    pub fn waiting(&self) -> usize {
        self.typed.len()
    }
}
