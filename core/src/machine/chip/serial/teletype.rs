//! A teleprinter at the end of a line: what is typed comes character by character, what is sent is printed. Its controls differ from
//! machine to machine.

use std::collections::VecDeque;

/// Bits of a character on the line: start, eight of data, two of stop.
const BITS: u64 = 11;

/// The bit that teleprinters send as 1.
pub(in crate::machine::chip) const MARK: u8 = 0x80;

/// The teleprinter and its line.
#[derive(Debug, Clone)]
pub(in crate::machine::chip) struct Teletype {
    /// Cycles of a character.
    character: u64,
    /// What comes in, and the cycle at whose end it is there.
    receiving: Option<(u8, u64)>,
    typed: VecDeque<u8>,
    /// What is printed, and the cycle at whose end it is done.
    printing: Option<(u8, u64)>,
    told: Vec<u8>,
}

impl Teletype {
    /// On a line of so many bits a second, at a processor clock in Hz.
    pub fn new(processor: u64, baud: Option<u64>) -> Self {
        Self {
            character: (BITS * processor).div_ceil(baud.unwrap_or(110).max(1)).max(1),
            receiving: None,
            typed: VecDeque::new(),
            printing: None,
            told: Vec::new(),
        }
    }

    /// The operator strikes keys.
    pub fn strike(&mut self, bytes: &[u8]) {
        self.typed.extend(bytes);
    }

    /// Sends the next character that was typed. False where there is none, or one is on the line.
    pub(crate) fn send_next(&mut self, now: u64) -> bool {
        let next = if self.receiving.is_none() { self.typed.pop_front() } else { None };
        self.receiving = self.receiving.or(next.map(|value| (value | MARK, now + self.character)));
        next.is_some()
    }

    /// A character that has come in up to cycle `now`, and when.
    pub fn received(&mut self, now: u64) -> Option<(u8, u64)> {
        self.receiving.take_if(|(_, at)| *at <= now)
    }

    /// Prints a character without its eighth bit; one that is still being printed is spoilt.
    pub fn print(&mut self, value: u8, now: u64) {
        self.printing = Some((value & !MARK, now + self.character));
    }

    /// True while a character is being printed.
    pub(crate) fn is_printing(&self) -> bool {
        self.printing.is_some()
    }

    /// When the character was printed, where that is done up to cycle `now`.
    pub fn printed(&mut self, now: u64) -> Option<u64> {
        let (value, at) = self.printing.take_if(|(_, at)| *at <= now)?;
        self.told.push(value);
        Some(at)
    }

    /// When something is done next.
    pub fn next(&self) -> Option<u64> {
        [self.receiving, self.printing].into_iter().flatten().map(|(_, at)| at).min()
    }

    /// Takes what was printed.
    pub(crate) fn take_printed(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.told)
    }

    /// Characters that were typed and have not come in.
    pub fn waiting(&self) -> usize {
        self.typed.len() + usize::from(self.receiving.is_some())
    }

    /// What was cycle `now` is cycle 0, and nothing was printed yet.
    pub fn restart(&mut self, now: u64) {
        for (_, at) in [&mut self.receiving, &mut self.printing].into_iter().flatten() {
            *at = at.saturating_sub(now);
        }
        self.told.clear();
    }
}
