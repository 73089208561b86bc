//! What happens to a machine from outside, at cycles of its own time.

use super::{Console, Deck, Machine};
use crate::cassette::Signal;
use serde::{Deserialize, Serialize};

/// Something that happens to a machine from outside at a cycle of its own time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Event {
    /// A request on an interrupt input, by the name in
    /// [`InterruptInputs::inputs`](crate::processor::InterruptInputs::inputs); or a key is pressed, by its legend.
    Interrupt(String),
    /// The switches of the chip with that name are set; or the button with that name is let go, with 0, or pressed.
    Switches(String, u64),
    /// The key of a keypad with that legend is pressed, or let go.
    Press(String, bool),
    /// Characters are typed at the console.
    Typed(Vec<u8>),
    /// Values are given to a port, to be read in turn.
    Port(u32, Vec<u64>),
    /// A paper tape is put into the reader.
    Tape(Vec<u8>),
    /// A cassette is put into the recorder, wound back: the times in microseconds between the turns of its level, and up to its end.
    Cassette(Signal),
    /// A key of the recorder is pressed.
    Recorder(Deck),
}

impl Machine {
    /// Lets something happen at a cycle; at once where that is now or past. False where the board has no such input,
    /// chip or console, or a value is wider than a cell.
    pub fn happen(&mut self, at: u64, event: Event) -> bool {
        let possible = match &event {
            Event::Interrupt(name) => self.pressed(name).is_some(),
            Event::Switches(name, value) => self.has_switches(name) && self.holds(*value),
            Event::Press(legend, _) => self.has_key(legend),
            Event::Typed(bytes) => self.takes_typing() && bytes.iter().all(|&one| self.can_type(one)),
            Event::Port(port, values) => {
                *port <= self.board.set.cells.last_port.max(0xFF)
                    && values.iter().all(|&value| self.holds(value))
            }
            Event::Tape(_) => self.tape_left().is_some(),
            Event::Cassette(_) | Event::Recorder(_) => self.recorder().is_some(),
        };
        if possible {
            let place = self.events.partition_point(|(other, _)| *other <= at);
            self.events.insert(place, (at, event));
            self.busy_until = 0;
            self.take_events();
        }
        possible
    }

    /// True where a cell can hold a value.
    fn holds(&self, value: u64) -> bool {
        value <= self.set().last_cell()
    }

    /// What happens when the key or button of that legend is pressed or let go. `None` where letting it go does nothing: an
    /// interrupt or reset key.
    pub fn key_event(&self, legend: &str, down: bool) -> Option<Event> {
        let legend_of = || legend.to_string();
        if self.has_key(legend) {
            Some(Event::Press(legend_of(), down))
        } else if self.has_switches(legend) {
            Some(Event::Switches(legend_of(), down.into()))
        } else {
            down.then(|| Event::Interrupt(legend_of()))
        }
    }

    /// True where a keypad or a keyboard has a key with that legend.
    pub fn has_key(&self, legend: &str) -> bool {
        let codes = |one: &super::Fitted| one.chip.keys().is_some_and(|keys| keys.has(legend));
        self.io.keypads.iter().any(|pad| pad.has(legend)) || self.io.chips.iter().any(codes)
    }

    /// What a key's legend or an input's name asks for: an input, or with `None` in it the reset.
    fn pressed(&self, name: &str) -> Option<Option<String>> {
        let key = self.board.keys.iter().find(|key| key.name.eq_ignore_ascii_case(name));
        let plain = name.to_uppercase().replace(' ', "");
        let input = || self.set().interrupts.inputs.contains(&plain.as_str()).then_some(Some(plain.clone()));
        key.map(|key| key.input.clone()).or_else(input)
    }

    /// Brings the chips to the processor's time, and lets everything happen that is due.
    pub(super) fn take_events(&mut self) {
        let now = self.core.now();
        // What they did by themselves came first.
        self.io.advance(now);
        while self.events.front().is_some_and(|(at, _)| *at <= now) {
            let Some((_, event)) = self.events.pop_front() else { return };
            match event {
                Event::Interrupt(name) => match self.pressed(&name) {
                    Some(Some(input)) => _ = self.core.request(&input),
                    _ => self.reset(),
                },
                Event::Switches(name, value) => {
                    for fitted in self.io.chips.iter_mut().filter(|fitted| fitted.place.name == name) {
                        fitted.chip.set_switches(value);
                    }
                    for button in self.board.buttons.iter().filter(|button| button.name == name) {
                        let level = match value {
                            0 => button.active.then_some(false),
                            _ => Some(button.active),
                        };
                        self.io.chips[button.wire.chip].chip.drive(button.wire.pin, level, now);
                    }
                    self.io.settle(now);
                }
                Event::Typed(bytes) => {
                    if let Some(keyboard) = &mut self.io.keyboard {
                        keyboard.type_in(&bytes, now);
                    } else if let Some(keys) = self.io.chips.iter_mut().find_map(|one| one.chip.keys_mut()) {
                        keys.type_in(&bytes, now);
                        self.io.settle(now);
                    } else if let Some(line) = &mut self.io.line {
                        line.type_in(&bytes);
                    } else if let Some(Console::Chip(chip)) = self.board.console {
                        self.io.chips[chip].chip.type_in(&bytes, now);
                        self.io.settle(now);
                    }
                }
                Event::Press(legend, down) => {
                    for keypad in &mut self.io.keypads {
                        keypad.press(&legend, down);
                    }
                    for keys in self.io.chips.iter_mut().filter_map(|one| one.chip.keys_mut()) {
                        keys.press(&legend, down, now);
                    }
                    self.io.settle(now);
                }
                Event::Port(port, values) => self.io.give(port, &values),
                Event::Cassette(tape) => {
                    if let Some(recorder) = &mut self.io.recorder {
                        recorder.insert(tape, now);
                    }
                    self.io.settle(now);
                }
                Event::Recorder(key) => {
                    if let Some(recorder) = &mut self.io.recorder {
                        recorder.press(key, now);
                    }
                    self.io.settle(now);
                }
                Event::Tape(tape) => {
                    for fitted in &mut self.io.chips {
                        fitted.chip.mount(&tape);
                    }
                }
            }
        }
    }
}
