//! Steps, runs and traces, to a stop.

use super::{Limits, Session, Step, Stop, step};
use crate::assembler::Formula;
use crate::machine::{StopMap, Watching};

/// Cycles of a run between two questions whether to go on.
const SLICE: u64 = 4_000_000;

impl Session {
    /// Executes one instruction, or takes one interrupt. In a halt it waits for one, at most a second of the machine's time.
    pub fn step(&mut self) -> Step {
        self.step_within(self.machine.board().clock)
    }

    /// The same, waiting at most so many cycles. A step for which there is no time is [`Step::nothing_done`].
    pub fn step_within(&mut self, cycles: u64) -> Step {
        self.remember();
        let limit = self.machine.cycles().saturating_add(cycles);
        step::step(&mut self.machine, limit)
    }

    /// Runs until something stops it.
    pub fn run(&mut self, limits: Limits) -> Stop {
        self.run_while(limits, &mut |_| true)
    }

    /// Runs until something stops it, asking between slices of a few milliseconds whether to go on.
    pub fn run_while(&mut self, limits: Limits, go_on: &mut dyn FnMut(&Self) -> bool) -> Stop {
        // The board at the other end of a line runs in its own time, and is asked ten times a second.
        let whole = if self.machine.is_linked() { self.machine.board().clock / 10 } else { SLICE };
        let end = limits.cycles.map_or(u64::MAX, |cycles| self.machine.cycles().saturating_add(cycles));
        let stops = self.all_stops(limits);
        self.remember();
        // The instruction at a stop is executed when the run begins there.
        if stops.contains(self.machine.pc()) && self.machine.cycles() < end {
            let step = step::step(&mut self.machine, end);
            if let Some(stop) = step.stop {
                return stop;
            }
        }
        loop {
            let slice = end.min(self.machine.cycles().saturating_add(whole.max(1)));
            let stop = self.slice(&stops, slice);
            match stop {
                Stop::Cycles if self.machine.cycles() < end => {}
                Stop::Breakpoint => return self.which_stop(limits),
                other => return other,
            }
            if !go_on(self) {
                return Stop::Operator;
            }
            self.remember();
        }
    }

    fn slice(&mut self, stops: &StopMap, limit: u64) -> Stop {
        if self.conditions.is_empty() {
            let watching =
                if stops.addresses().is_empty() { Watching::Nothing } else { Watching::Stops(stops) };
            return Stop::of(self.machine.run(limit, watching));
        }
        // Conditions look at registers and cells, so that the run goes instruction by instruction.
        self.walk(stops, limit, false, &mut |_, _| true)
    }

    /// Runs instruction by instruction and shows each to `see`, which may end the run by returning false. It ends where a run does,
    /// and with the same reason.
    fn walk(
        &mut self,
        stops: &StopMap,
        limit: u64,
        remember: bool,
        see: &mut dyn FnMut(&Self, &Step) -> bool,
    ) -> Stop {
        while self.machine.cycles() < limit {
            if self.is_at(stops, limit) {
                return Stop::Breakpoint;
            }
            if remember {
                self.remember();
            }
            let step = step::step(&mut self.machine, limit);
            // Waiting in a halt is no step.
            if !step.nothing_done() && !see(self, &step) {
                return Stop::Operator;
            }
            if let Some(stop) = step.stop {
                return stop;
            }
            let holds = |one: &&Formula| one.quick(self).is_some_and(|value| value != 0);
            if let Some(condition) = self.conditions.iter().find(holds) {
                return Stop::Condition(condition.text().to_string());
            }
        }
        if self.machine.waits_for_good() { Stop::Halt } else { Stop::Cycles }
    }

    /// True where the instruction at a stop comes next; an interrupt may come before it.
    fn is_at(&self, stops: &StopMap, limit: u64) -> bool {
        stops.contains(self.machine.pc())
            && step::step(&mut self.machine.clone(), limit).instruction.is_some()
    }

    fn which_stop(&self, limits: Limits) -> Stop {
        let pc = self.machine.pc();
        match self.stops.contains(pc) {
            false if limits.until == Some(pc) => Stop::Until,
            false if self.way_back(limits) == Some(pc) => Stop::Back,
            _ => Stop::Breakpoint,
        }
    }

    /// Where the firmware waits for the operator, where that ends a run.
    fn way_back(&self, limits: Limits) -> Option<u32> {
        let ready = self.machine.board().firmware.as_ref()?.ready.as_ref().filter(|_| limits.back)?;
        self.firmware.as_ref()?.symbols.value(ready).map(|address| address as u32)
    }

    /// Where a run stopped: the program counter, and for a halt the halt itself.
    pub fn stopped_at(&self, stop: &Stop) -> u32 {
        let halt = if stop.is_halt() { self.machine.halted_at() } else { None };
        halt.unwrap_or_else(|| self.machine.pc())
    }

    /// Runs step by step and shows each to `see`, which may end the run by returning false.
    pub fn trace(&mut self, limits: Limits, see: &mut dyn FnMut(&Self, &Step) -> bool) -> Stop {
        let end = limits.cycles.map_or(u64::MAX, |cycles| self.machine.cycles().saturating_add(cycles));
        let stops = self.all_stops(limits);
        // The instruction at a stop is executed when the run begins there.
        if stops.contains(self.machine.pc()) && self.machine.cycles() < end {
            let step = self.step_within(end - self.machine.cycles());
            if !step.nothing_done() && !see(self, &step) {
                return Stop::Operator;
            }
            if let Some(stop) = step.stop {
                return stop;
            }
        }
        match self.walk(&stops, end, true, see) {
            Stop::Breakpoint => self.which_stop(limits),
            other => other,
        }
    }

    /// The breakpoints, and where the limits end a run.
    fn all_stops(&self, limits: Limits) -> StopMap {
        let mut stops = self.stops.clone();
        for place in limits.until.into_iter().chain(self.way_back(limits)) {
            stops.insert(place);
        }
        stops
    }
}
