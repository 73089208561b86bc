//! Lines of text, each held against its echo: for a monitor that shows what it is sent.

use super::{SendError, Sender, Step};

/// So long it waits for an echo, in milliseconds.
const PATIENCE: u64 = 3_000;

/// A text under way, line by line.
#[derive(Debug, Clone)]
pub struct EchoSender {
    lines: Vec<String>,
    /// The line that is under way, and what came back of it.
    at: usize,
    came: Vec<u8>,
    is_out: bool,
    checks: bool,
    failed: Option<SendError>,
}

impl EchoSender {
    /// Sends a text from one of its lines on; where the far side does not echo, nothing is held against anything.
    pub fn new(text: &str, from: usize, checks: bool) -> Self {
        let lines: Vec<String> = text.lines().map(String::from).collect();
        let at = from.min(lines.len());
        Self { lines, at, came: Vec::new(), is_out: false, checks, failed: None }
    }

    /// The line that comes next: one begun again from here goes on where this one ended.
    pub fn line(&self) -> usize {
        self.at
    }

    /// What came back of the line, without what only moves the place where it is shown.
    fn shown(&self) -> String {
        self.came.iter().filter(|byte| (0x20..0x7F).contains(*byte)).map(|&byte| char::from(byte)).collect()
    }
}

impl Sender for EchoSender {
    fn step(&mut self) -> Step {
        if let Some(error) = &self.failed {
            return Step::Failed(error.clone());
        }
        let Some(line) = self.lines.get(self.at) else { return Step::Done };
        if !self.is_out {
            self.is_out = true;
            self.came.clear();
            return Step::Send([line.as_bytes(), b"\r\n"].concat());
        }
        let shown = self.shown();
        if !self.checks || shown == *line {
            (self.at, self.is_out) = (self.at + 1, false);
            return self.step();
        }
        if !line.starts_with(&shown) {
            self.failed = Some(SendError::Echo { sent: line.clone(), came: shown });
            return self.step();
        }
        Step::Wait
    }

    fn take(&mut self, byte: u8) {
        self.came.push(byte);
    }

    fn silence(&mut self) {
        let shown = self.shown();
        self.failed = Some(match self.lines.get(self.at) {
            Some(line) if !shown.is_empty() => SendError::Echo { sent: line.clone(), came: shown },
            _ => SendError::NoAnswer,
        });
    }

    fn patience(&self) -> u64 {
        PATIENCE
    }

    fn progress(&self) -> (usize, usize) {
        (self.at, self.lines.len())
    }
}
