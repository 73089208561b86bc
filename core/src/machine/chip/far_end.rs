//! The terminal at the far end of a serial line, and the two characters that are under way.
//!
//! The far end uses the chip's own word format, sends the next character when the chip has room for it, and is always there. What is
//! in a character, and when there is room, the chip knows.

use std::collections::VecDeque;

/// A character that is being shifted, and the cycle at whose end it is through.
type UnderWay = Option<(u8, u64)>;

/// A line with a terminal at its far end.
#[derive(Debug, Clone)]
pub(super) struct FarEnd {
    /// Frequencies of the processor and at the line's clock pins, in Hz.
    clocks: (u64, u64),
    typed: VecDeque<u8>,
    heard: Vec<u8>,
    sending: UnderWay,
    receiving: UnderWay,
}

impl FarEnd {
    /// A line at a processor clock and a clock of its own, in Hz.
    pub fn new(processor: u64, clock: Option<u64>) -> Self {
        let clocks = (processor.max(1), clock.unwrap_or(processor).max(1));
        Self { clocks, typed: VecDeque::new(), heard: Vec::new(), sending: None, receiving: None }
    }

    /// Processor cycles of so many half bits, each bit so many cycles of the line's clock.
    pub fn cycles(&self, half_bits: u64, divide: u64) -> u64 {
        let (processor, own) = self.clocks;
        (half_bits * divide * processor).div_ceil(2 * own).max(1)
    }

    /// Begins to send a character, which is out at the end of cycle `at`.
    pub fn send(&mut self, value: u8, at: u64) {
        self.sending = Some((value, at));
    }

    /// True while a character goes out.
    pub(crate) fn is_sending(&self) -> bool {
        self.sending.is_some()
    }

    /// The character that is out by cycle `now`, and since when.
    pub fn sent(&mut self, now: u64) -> UnderWay {
        self.sending.take_if(|(_, at)| *at <= now)
    }

    /// The character that is in by cycle `now`, and since when.
    pub fn came(&mut self, now: u64) -> UnderWay {
        self.receiving.take_if(|(_, at)| *at <= now)
    }

    /// The cycle at whose end the character is out that goes out.
    pub(crate) fn sent_at(&self) -> Option<u64> {
        self.sending.map(|(_, at)| at)
    }

    /// The cycle at whose end the character is in that comes in.
    pub(crate) fn comes_at(&self) -> Option<u64> {
        self.receiving.map(|(_, at)| at)
    }

    /// The far end has received a character.
    pub fn hear(&mut self, value: u8) {
        self.heard.push(value);
    }

    /// The far end sends its next character, which is in at the end of cycle `at`, as the chip reads it.
    pub(crate) fn type_next(&mut self, at: u64, read: impl Fn(u8) -> u8) {
        if self.receiving.is_none()
            && let Some(value) = self.typed.pop_front()
        {
            self.receiving = Some((read(value), at));
        }
    }

    /// What goes out is cut off.
    pub(crate) fn break_off(&mut self) {
        self.sending = None;
    }

    /// What is under way is lost; what was typed and heard stays.
    pub fn reset(&mut self) {
        (self.sending, self.receiving) = (None, None);
    }

    /// What was cycle `now` is cycle 0.
    pub fn restart(&mut self, now: u64) {
        for (_, at) in [&mut self.sending, &mut self.receiving].into_iter().flatten() {
            *at = at.saturating_sub(now);
        }
    }

    /// Characters are typed.
    pub fn type_in(&mut self, bytes: &[u8]) {
        self.typed.extend(bytes);
    }

    /// Takes what was heard.
    pub(crate) fn take_heard(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.heard)
    }

    /// How many characters wait to be typed.
    pub fn waiting(&self) -> usize {
        self.typed.len()
    }
}
