//! Paper tape: the one in the reader and the one that is punched. How they are controlled differs from machine to machine.

/// Frames that the reader takes in a second.
const READER: u64 = 300;
/// Frames that the punch makes in a second.
const PUNCH: u64 = 50;

/// The tapes, and how long a frame takes.
#[derive(Debug, Clone)]
pub struct Roll {
    tape: Vec<u8>,
    /// The next frame to be read.
    next: usize,
    punched: Vec<u8>,
    /// Cycles of a frame in the reader and in the punch.
    pub(in crate::machine::chip) reads_in: u64,
    pub(in crate::machine::chip) punches_in: u64,
}

impl Roll {
    /// No tape in the reader, at a processor clock in Hz.
    pub(in crate::machine::chip) fn new(clock: u64) -> Self {
        Self {
            tape: Vec::new(),
            next: 0,
            punched: Vec::new(),
            reads_in: clock.div_ceil(READER),
            punches_in: clock.div_ceil(PUNCH),
        }
    }

    /// Puts a tape into the reader.
    pub(in crate::machine::chip) fn mount(&mut self, tape: &[u8]) {
        (self.tape, self.next) = (tape.to_vec(), 0);
    }

    /// Reads the next frame.
    pub(in crate::machine::chip) fn read(&mut self) -> Option<u8> {
        let frame = self.tape.get(self.next).copied();
        self.next += usize::from(frame.is_some());
        frame
    }

    /// Frames that are still to be read.
    pub fn left(&self) -> usize {
        self.tape.len() - self.next
    }

    /// Punches a frame.
    pub(in crate::machine::chip) fn punch(&mut self, frame: u8) {
        self.punched.push(frame);
    }

    /// What was punched.
    pub fn punched(&self) -> &[u8] {
        &self.punched
    }

    /// A new tape into the punch.
    pub(in crate::machine::chip) fn clear(&mut self) {
        self.punched.clear();
    }
}
