//! Runs and steps: the processor in stretches from one thing that comes from outside to the next.

use super::cores::bus::{Missing, Noted};
use super::cores::observe::Watching;
use super::cores::trail::{self, Done, What};
use super::services::{Caller, Served, ServiceFault};
use super::{Console, Machine};
use crate::processor::Exit;
use serde::Serialize;

/// Why a machine stopped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Stopped {
    /// The cycle limit.
    Cycles,
    /// It waits for an interrupt, and none is coming.
    Halt,
    /// It has stopped until the operator lets it go on, which running it again does.
    Stop,
    /// It jumps to itself for ever.
    Endless,
    /// The firmware waits for a key, and nothing is typed; see [`Machine::stop_at_rest`].
    Waits,
    /// The cell at the program counter is not an instruction.
    Undefined,
    /// An address, or an instruction that executes others, leads through cells without end.
    Chain,
    /// It reached for memory or a port that does not exist.
    Unmapped(Missing),
    /// The program has ended, as it told a service.
    Ended,
    /// What it asked of a service cannot be done.
    Service(ServiceFault),
    /// A watcher stopped it.
    Watched,
}

/// It looks ahead for this part of a second: some ticks of a clock.
const LOOKS_AHEAD: u64 = 6;

/// Seconds that firmware may wait in halts for something else than a key.
const LONGEST_WAIT: u64 = 2;

/// How a stretch of a run ended.
enum Stretch {
    /// The run goes on.
    Over,
    /// It does not.
    Stopped(Stopped),
}

impl Machine {
    /// Runs until cycle `limit` or a reason to stop. An instruction that has begun is finished.
    pub fn run(&mut self, limit: u64, mut watching: Watching<'_>) -> Stopped {
        let stopped = loop {
            if let Stretch::Stopped(stopped) = self.stretch(limit, limit, &mut watching) {
                break stopped;
            }
        };
        self.arrive();
        stopped
    }

    /// Executes one instruction, or takes one interrupt, and notes every access. In a halt time passes up to what ends it, or to
    /// cycle `limit`. Gives why it ended, and for how many cycles it waited before.
    pub fn step(&mut self, limit: u64, notes: &mut Vec<Noted>) -> (Stopped, u64) {
        let before = self.core.now();
        if before >= limit {
            return (Stopped::Cycles, 0);
        }
        let count = self.core.instructions();
        let noted = notes.len();
        let (mut begin, mut until) = (before, before + 1);
        let stopped = loop {
            let stretch = self.stretch(until, limit, &mut Watching::Step(notes));
            // An interrupt counts as no instruction, but puts something on the stack.
            let is_done = self.core.instructions() != count || notes.len() != noted;
            match stretch {
                Stretch::Stopped(Stopped::Cycles) | Stretch::Over if !is_done && self.core.now() < limit => {
                    begin = self.core.now();
                    until = begin + 1;
                }
                Stretch::Over => {}
                Stretch::Stopped(stopped) => {
                    if !is_done {
                        begin = self.core.now();
                    }
                    break stopped;
                }
            }
        };
        self.arrive();
        (stopped, begin - before)
    }

    /// Runs to the next thing that comes from outside the processor, at most to cycle `limit`; in a halt at most to cycle `wait`.
    ///
    /// Everything that may change what the processor does is looked at in front of every stretch, and whatever makes one necessary
    /// earlier ends it, so that it makes no difference how a run is cut into them.
    fn stretch(&mut self, limit: u64, wait: u64, watching: &mut Watching<'_>) -> Stretch {
        self.take_events();
        self.tell_processor();
        let mut slice = self.next_event().map_or(limit, |at| at.min(limit));
        if self.io.steps {
            slice = slice.min(self.core.now() + 1);
            self.pull_step();
        }
        self.io.slice = slice;
        let count = self.core.instructions();
        let exit = self.core.run(&mut self.io, watching, slice);
        let stopped = match exit {
            Exit::Limit if self.core.now() >= limit && self.waits_for_good() => Stopped::Halt,
            Exit::Limit if self.core.now() >= limit => Stopped::Cycles,
            Exit::Limit => return Stretch::Over,
            Exit::Watched => Stopped::Watched,
            Exit::Stop => {
                self.let_devices_finish();
                Stopped::Stop
            }
            Exit::Undefined => Stopped::Undefined,
            Exit::Chain => Stopped::Chain,
            Exit::Attention => {
                self.io.attention = false;
                self.choose_bank();
                if let Some(stopped) = self.serve(watching) {
                    stopped
                } else if let Some(missing) = self.io.missing.take() {
                    Stopped::Unmapped(missing)
                } else {
                    return Stretch::Over;
                }
            }
            // A step that ends in a halt ends there; the next one waits.
            Exit::Halt if matches!(watching, Watching::Step(_)) && self.core.instructions() != count => {
                Stopped::Cycles
            }
            // What the processor has just set going may be the first thing to come.
            Exit::Halt if self.is_deaf() && self.events.is_empty() => Stopped::Halt,
            Exit::Halt if self.is_at_rest() => Stopped::Waits,
            Exit::Halt => match self.next_event() {
                None => Stopped::Halt,
                Some(at) => {
                    self.core.pass(at.min(wait).max(self.core.now()));
                    if at < wait {
                        return Stretch::Over;
                    }
                    Stopped::Cycles
                }
            },
            Exit::Idle => {
                match self.next_event() {
                    _ if self.io.steps => {}
                    None => return Stretch::Stopped(Stopped::Endless),
                    Some(_) if self.is_at_rest() => return Stretch::Stopped(Stopped::Endless),
                    Some(_)
                        if matches!(
                            watching,
                            Watching::Step(_) | Watching::Each(_) | Watching::Trail(..)
                        ) => {}
                    Some(at) => self.core.idle(&mut self.io, at.min(limit)),
                }
                return Stretch::Over;
            }
        };
        Stretch::Stopped(stopped)
    }

    /// When something comes from outside, or a chip does something by itself.
    fn next_event(&self) -> Option<u64> {
        let event = self.events.front().map(|(at, _)| *at);
        event.into_iter().chain(self.io.next()).min()
    }

    /// True where it waits in a halt and nothing will come that could end that.
    pub fn waits_for_good(&self) -> bool {
        let nothing_comes = self.next_event().is_none() || self.is_deaf() && self.events.is_empty();
        self.core.halted_at().is_some() && nothing_comes && !self.set().stops_for_operator()
    }

    /// True where it waits in a halt that no chip can end: it takes no request, and no chip asks by an edge.
    fn is_deaf(&self) -> bool {
        let asks_by_edge = |one: &super::Fitted| one.place.input().is_some_and(|input| !input.level);
        self.core.is_deaf() && !self.io.chips.iter().any(asks_by_edge)
    }

    /// Says whether a run shall end where nothing more comes of it, though chips go on by themselves: where the program jumps to itself
    /// or waits in the firmware, nothing from outside is due, and for a while only the firmware does something.
    pub fn stop_at_rest(&mut self, stops: bool) {
        self.stops_at_rest = stops;
    }

    /// True where a run that ends at rest ends here. A copy of the machine tries what comes.
    fn is_at_rest(&mut self) -> bool {
        let has_firmware = self.board.firmware.is_some();
        if !self.stops_at_rest || !has_firmware || self.has_events() || self.keys_waiting() > 0 {
            return false;
        }
        if self.core.now() < self.busy_until {
            return false;
        }
        let here = self.place();
        let waits = self.core.halted_at();
        let mut ahead = self.clone();
        ahead.stops_at_rest = false;
        // Firmware that waits in a halt may wait for a time; what jumps to itself waits for nothing.
        let clock = ahead.board.clock;
        let end = ahead.cycles() + if waits.is_some() { clock * LONGEST_WAIT } else { clock / LOOKS_AHEAD };
        let mut notes = Vec::new();
        while ahead.cycles() < end {
            let place = ahead.place();
            let is_firmware = ahead.kind(place) == Some(super::MemoryKind::Rom);
            if !is_firmware && (waits.is_some() || place != here) {
                // Until then nobody need look again.
                self.busy_until = ahead.cycles();
                return false;
            }
            notes.clear();
            if !matches!(ahead.step(end, &mut notes).0, Stopped::Cycles) {
                return false;
            }
        }
        true
    }

    /// Does what was asked of the service; why the run ends there, where it does.
    fn serve(&mut self, watching: &mut Watching<'_>) -> Option<Stopped> {
        let asked = self.io.call.take()?;
        let Watching::Trail(_, callback) = watching else {
            let mut caller = Caller { core: self.core.as_mut(), put: None };
            let served = self.service.as_mut()?.serve(asked, &mut caller);
            return self.served(served);
        };
        let count = self.core.set().registers().len();
        let before: Vec<u64> = (0..count).map(|place| self.core.register(place)).collect();
        let mut caller = Caller { core: self.core.as_mut(), put: Some(Vec::new()) };
        let served = self.service.as_mut()?.serve(asked, &mut caller);
        let by_service =
            |what, address, (before, value)| Done { what, took_effect: true, address, value, before };
        let put = caller.put.unwrap_or_default().into_iter();
        let mut all: Vec<Done> =
            put.map(|(address, values)| by_service(What::Served, address, values)).collect();
        let changed = (0..count).map(|place| (place, (before[place], self.core.register(place))));
        let changed = changed.filter(|(_, (before, value))| before != value);
        all.extend(changed.map(|(place, values)| by_service(What::ServedRegister, place as u32, values)));
        trail::tell_alone(&all, &|address| self.core.cell(address), callback);
        self.served(served)
    }

    /// Why the run ends after a service, where it does.
    fn served(&mut self, served: Served) -> Option<Stopped> {
        match served {
            Served::GoesOn => None,
            Served::Fault(fault) => Some(Stopped::Service(fault)),
            Served::Ended => {
                self.let_devices_finish();
                Some(Stopped::Ended)
            }
        }
    }

    /// What devices have begun they end while the processor stands still: a character is printed, a frame punched.
    fn let_devices_finish(&mut self) {
        let longest = self.core.now() + self.board.clock;
        while let Some(at) = self.io.finishes().filter(|&at| at <= longest) {
            self.core.pass(at.max(self.core.now()));
            self.io.advance(at);
        }
    }

    /// The step logic sees the next instruction.
    fn pull_step(&mut self) {
        let address = self.place();
        if let Some(stepper) = self.io.stepper.filter(|stepper| stepper.sees(address)) {
            self.core.request(stepper.input);
        }
    }

    /// Tells the processor what the chips ask for.
    fn tell_processor(&mut self) {
        self.core.requested(self.io.requested);
        for input in std::mem::take(&mut self.io.edges) {
            self.core.request(input);
        }
    }

    /// Brings everything to the time at which a run has ended, and collects what the console line has received.
    fn arrive(&mut self) {
        let now = self.core.now();
        self.take_events();
        self.tell_processor();
        if let Some(line) = &mut self.io.line {
            line.listen(now);
            self.output.extend(line.take_received());
        }
        if let Some(Console::Chip(chip)) = self.board.console {
            self.output.extend(self.io.chips[chip].chip.take_received());
        }
    }
}
