//! `scan-keyboard`: a keyboard of 83 keys that sends a number for each that goes down, and the same with bit 7 for each that comes up.
//!
//! A number stands at pins D0 to D7, and its interrupt line is high, until a pulse at pin CLR0 takes it; the next one comes after it.
//! While CLR0 is high nothing comes. Sixteen numbers are kept that were not taken; what comes then is lost.

use super::legends::{ScanKey, by_legend, for_character};
use crate::image::Cell;
use crate::machine::chip::request::Request;
use crate::machine::chip::{Chip, Keys, Pin, Pins, facet};
use std::collections::VecDeque;

/// The row of pins with the number; the other one is CLR0.
const DATA: u8 = 0;

/// Numbers that it keeps.
const KEPT: usize = 16;

/// Milliseconds between two strokes of somebody who types, down and up.
const STROKE_MS: u64 = 15;

/// Microseconds that a number takes on the line.
const SENDING_US: u64 = 1000;

/// The keyboard with its shift register.
#[derive(Debug, Clone)]
pub struct ScanKeyboard {
    /// Characters to be typed.
    typed: VecDeque<u8>,
    /// Numbers of keys that are down because somebody types.
    down: Vec<u8>,
    /// The cycle of the next stroke.
    due: Option<u64>,
    kept: VecDeque<u8>,
    /// The cycle at which the next number that is kept has come.
    comes: Option<u64>,
    /// What stands at the pins.
    stands: Option<u8>,
    clear: bool,
    request: Request,
    stroke: u64,
    sending: u64,
}

impl ScanKeyboard {
    /// At a processor clock in Hz.
    pub fn new(processor: u64) -> Self {
        Self {
            typed: VecDeque::new(),
            down: Vec::new(),
            due: None,
            kept: VecDeque::new(),
            comes: None,
            stands: None,
            clear: false,
            request: Request::default(),
            stroke: (processor * STROKE_MS / 1000).max(1),
            sending: (processor * SENDING_US / 1_000_000).max(1),
        }
    }

    fn send(&mut self, code: u8, now: u64) {
        if self.kept.len() < KEPT {
            self.kept.push_back(code);
        }
        self.follow(now);
    }

    /// The next number sets out where the way is free.
    fn follow(&mut self, now: u64) {
        let is_free = self.stands.is_none() && !self.clear && !self.kept.is_empty();
        self.comes = is_free.then(|| self.comes.unwrap_or(now + self.sending));
    }

    fn strike(&mut self, at: u64) {
        self.due = Some(at + self.stroke);
        if !self.down.is_empty() {
            for code in std::mem::take(&mut self.down).into_iter().rev() {
                self.send(code | 0x80, at);
            }
        } else if let Some((held, code)) = self.typed.pop_front().and_then(for_character) {
            self.down.extend(held);
            self.down.push(code);
            for code in self.down.clone() {
                self.send(code, at);
            }
        } else {
            self.due = None;
        }
    }
}

impl Chip for ScanKeyboard {
    fn advance(&mut self, now: u64) {
        while let Some(at) = self.next().filter(|&at| at <= now) {
            if self.comes == Some(at) {
                self.comes = None;
                self.stands = self.kept.pop_front();
                self.request.follow(self.stands.is_some(), at);
            }
            if self.due == Some(at) {
                self.strike(at);
            }
        }
    }

    fn next(&self) -> Option<u64> {
        self.due.into_iter().chain(self.comes).min()
    }

    fn requests(&self) -> Option<u64> {
        self.request.0
    }

    fn asks_high(&self) -> bool {
        true
    }

    fn write(&mut self, _: u32, _: Cell, _: u64) -> bool {
        false
    }

    fn finishes(&self) -> Option<u64> {
        None
    }

    fn restart(&mut self, now: u64) {
        for at in [&mut self.due, &mut self.comes].into_iter().flatten() {
            *at = at.saturating_sub(now);
        }
        self.request.restart();
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }

    facet!(Pins, pins, pins_mut);
    facet!(Keys, keys, keys_mut);
}

impl Pins for ScanKeyboard {
    fn level(&self, pin: Pin) -> Option<bool> {
        (pin.port == DATA).then(|| self.stands.unwrap_or(0) >> pin.bit & 1 != 0)
    }

    fn drive(&mut self, pin: Pin, level: Option<bool>, now: u64) {
        if pin.port == DATA {
            return;
        }
        let level = level == Some(true);
        let rose = level && !self.clear;
        self.clear = level;
        if rose {
            self.stands = None;
            self.request.follow(false, now);
        }
        self.follow(now);
    }
}

impl Keys for ScanKeyboard {
    fn makes(&self, character: u8) -> bool {
        for_character(character).is_some()
    }

    fn has(&self, legend: &str) -> bool {
        by_legend(legend).is_some()
    }

    fn press(&mut self, legend: &str, down: bool, now: u64) {
        if let Some(ScanKey { code, .. }) = by_legend(legend) {
            self.send(if down { *code } else { code | 0x80 }, now);
        }
    }

    fn type_in(&mut self, bytes: &[u8], now: u64) {
        self.typed.extend(bytes.iter().copied().filter(|&one| for_character(one).is_some()));
        if !self.typed.is_empty() {
            self.due.get_or_insert(now);
        }
    }

    fn waiting(&self) -> usize {
        self.typed.len() + usize::from(!self.down.is_empty())
    }
}
