//! Steps, runs and traces, to a stop.

use super::fold::{Fold, Territory};
use super::rounds::Looks;
use super::services::Called;
use super::{Change, Limits, Session, Step, Stop, step};
use crate::assembler::Formula;
use crate::machine::{StopMap, Watching};
use crate::processor::{Flow, Role};

/// Writes to ports that are told of what was done in one go.
const MOST_WRITES: usize = 8;

/// Steps between two questions whether to go on.
const PATIENCE: u32 = 4096;

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

    /// Executes one instruction of the program, with all that the firmware does for it: that is one step, also for
    /// [`back`](Self::back). Outside of the program, and on a board at the other end of a link, as [`step`](Self::step).
    pub fn step_whole(&mut self) -> Step {
        self.step_whole_within(self.machine.board().clock)
    }

    /// The same, for at most so many cycles.
    pub fn step_whole_within(&mut self, cycles: u64) -> Step {
        if self.machine.is_linked() {
            return self.step_within(cycles);
        }
        self.remember();
        let (began, executed) = (self.machine.cycles(), self.machine.instructions());
        let fold = Fold::of(self, &self.stops.clone());
        let limit = began.saturating_add(cycles);
        let step = self.folded_step(&fold, limit);
        if self.machine.instructions() > executed + 1 {
            self.timeline.leap(began, self.machine.cycles());
        }
        step
    }

    /// What [`step`](Self::step) would do now, tried on a copy of the machine.
    pub fn preview(&self) -> Step {
        step::step(&mut self.machine.clone(), self.machine.cycles() + self.machine.board().clock)
    }

    /// What the service would be asked that the next instruction calls, and what would come of it, tried on a copy of the machine.
    pub fn preview_service(&self) -> Option<Step> {
        self.service()?;
        let mut ahead =
            Self { machine: self.machine.clone(), ..Self::with_machine(self.machine.clone(), None) };
        ahead.machine.stop_at_rest(true);
        let limit = ahead.machine.cycles() + ahead.machine.board().clock;
        Some(ahead.folded_step(&Fold::of(&ahead, &StopMap::default()), limit))
    }

    /// Runs until something stops it.
    pub fn run(&mut self, limits: Limits) -> Stop {
        self.run_while(limits, &mut |_| true)
    }

    /// Runs until something stops it, asking between slices of a few milliseconds whether to go on.
    pub fn run_while(&mut self, limits: Limits, go_on: &mut dyn FnMut(&Self) -> bool) -> Stop {
        self.looks = limits.rest.then(|| Looks::from(self.machine.cycles()));
        let stop = self.run_to_stop(limits, go_on);
        self.looks = None;
        self.machine.stop_at_rest(false);
        stop
    }

    fn run_to_stop(&mut self, limits: Limits, go_on: &mut dyn FnMut(&Self) -> bool) -> Stop {
        // The board at the other end of a line runs in its own time, and is asked ten times a second.
        let whole = if self.machine.is_linked() { self.machine.board().clock / 10 } else { SLICE };
        let end = limits.cycles.map_or(u64::MAX, |cycles| self.machine.cycles().saturating_add(cycles));
        let stops = self.all_stops(limits);
        self.machine.stop_at_rest(limits.rest);
        self.remember();
        let territory = limits.counted.then(|| Territory::of(self, &stops)).flatten();
        if !limits.continued {
            self.guards.begin();
        }
        let mut passes = !limits.continued;
        loop {
            // The instruction at a stop is executed when the run begins there, or passes it.
            let is_there = passes && stops.contains(self.machine.place()) && self.machine.cycles() < end;
            passes = false;
            if is_there
                && let Some(stop) = self.past_stop(end.min(self.machine.cycles() + whole.max(1)), &territory)
            {
                return stop;
            }
            let slice = end.min(self.machine.cycles().saturating_add(whole.max(1))).min(self.mark_due());
            let stop = match &territory {
                Some(territory) if self.conditions.is_empty() => self.counted_slice(territory, &stops, slice),
                _ => self.slice(&stops, slice),
            };
            match stop {
                Stop::Cycles if self.machine.cycles() < end => {}
                Stop::Breakpoint => match self.which_stop(limits) {
                    Some(stop) => return stop,
                    None if self.machine.cycles() >= end => {
                        self.guards.not_yet(self.machine.place());
                        return Stop::Cycles;
                    }
                    None => passes = true,
                },
                other => return other,
            }
            if !passes && !go_on(self) {
                return Stop::Operator;
            }
            self.remember();
        }
    }

    /// Executes the instruction at a stop; why the run ends with it.
    fn past_stop(&mut self, limit: u64, territory: &Option<Territory>) -> Option<Stop> {
        let began = self.machine.cycles();
        let step = step::step(&mut self.machine, limit);
        if territory.as_ref().is_some_and(|territory| territory.is_own(step.address)) {
            self.count(step.cycles, 1);
        }
        if territory.is_some() {
            self.count_all(began);
        }
        step.stop
    }

    fn slice(&mut self, stops: &StopMap, limit: u64) -> Stop {
        if self.conditions.is_empty() {
            return self.run_machine(limit, &mut || match stops.addresses().is_empty() {
                true => Watching::Nothing,
                false => Watching::Stops(stops),
            });
        }
        // Conditions look at registers and cells, so that the run goes instruction by instruction.
        self.walk(stops, limit, How { remember: false, inside: true }, &mut |_, _| true)
    }

    /// Runs instruction by instruction and shows each to `see`, which may end the run by returning false. It ends where a run does,
    /// and with the same reason.
    fn walk(
        &mut self,
        stops: &StopMap,
        limit: u64,
        how: How,
        see: &mut dyn FnMut(&Self, &Step) -> bool,
    ) -> Stop {
        let fold = (!how.inside).then(|| Fold::of(self, stops));
        while self.machine.cycles() < limit {
            if self.is_at(stops, limit) {
                return Stop::Breakpoint;
            }
            if let Some(stop) = self.look_if_due() {
                return stop;
            }
            if how.remember {
                self.remember();
            }
            let step = match &fold {
                Some(fold) => self.folded_step(fold, limit),
                None => step::step(&mut self.machine, limit),
            };
            // Waiting in a halt is not a step.
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
        stops.contains(self.machine.place())
            && step::step(&mut self.machine.clone(), limit).instruction.is_some()
    }

    /// Where the firmware waits for the operator, where that ends a run.
    pub(super) fn way_back(&self, limits: Limits) -> Option<u32> {
        let ready = self.machine.board().firmware.as_ref()?.ready.as_ref().filter(|_| limits.back)?;
        self.firmware.as_ref()?.symbols.value(ready).map(|address| address as u32)
    }

    /// Where a run stopped: the program counter, and for a halt the halt itself.
    pub fn stopped_at(&self, stop: &Stop) -> u32 {
        let halt = if stop.is_halt() { self.machine.halted_at() } else { None };
        halt.unwrap_or_else(|| self.machine.place())
    }

    /// Runs step by step and shows each to `see`, which may end the run by returning false. What the firmware does for the program
    /// belongs to the step that led there, unless the limits ask for what is inside.
    pub fn trace(&mut self, limits: Limits, see: &mut dyn FnMut(&Self, &Step) -> bool) -> Stop {
        self.machine.stop_at_rest(limits.rest);
        self.looks = limits.rest.then(|| Looks::from(self.machine.cycles()));
        let stop = self.trace_to_stop(limits, see);
        self.looks = None;
        self.machine.stop_at_rest(false);
        stop
    }

    fn trace_to_stop(&mut self, limits: Limits, see: &mut dyn FnMut(&Self, &Step) -> bool) -> Stop {
        let end = limits.cycles.map_or(u64::MAX, |cycles| self.machine.cycles().saturating_add(cycles));
        let stops = self.all_stops(limits);
        self.guards.begin();
        loop {
            // The instruction at a stop is executed when the run begins there, or passes it.
            if stops.contains(self.machine.place()) && self.machine.cycles() < end {
                let step = self.step_within(end - self.machine.cycles());
                if !step.nothing_done() && !see(self, &step) {
                    return Stop::Operator;
                }
                if let Some(stop) = step.stop {
                    return stop;
                }
            }
            let how = How { remember: true, inside: limits.inside };
            match self.walk(&stops, end, how, see) {
                Stop::Breakpoint => {
                    if let Some(stop) = self.which_stop(limits) {
                        return stop;
                    }
                }
                other => return other,
            }
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

/// How a walk goes.
#[derive(Debug, Clone, Copy)]
struct How {
    /// It can be gone back.
    remember: bool,
    /// What the firmware does is shown step by step.
    inside: bool,
}

/// How far after a call of a word machine its routine may come back: some skip a cell or two.
const MOST_SKIPPED: u32 = 2;

impl Session {
    /// Executes one instruction, a call with all that it calls, an interrupt with its routine. What the whole of it changed is told
    /// as one step, and can be taken back as one. `go_on` is asked now and then.
    pub fn over(&mut self, go_on: &mut dyn FnMut(&Self) -> bool) -> Step {
        let service = self.service().map(|number| Called::of(&self.machine, number));
        let mut step = self.over_all(go_on);
        if let Some(called) = service.filter(|_| step.many) {
            step.service = Some(called.words(&self.machine));
            step.changes.retain(|change| !matches!(change, Change::Out { .. } | Change::In { .. }));
        }
        step
    }

    fn over_all(&mut self, go_on: &mut dyn FnMut(&Self) -> bool) -> Step {
        self.leap(|session| {
            let stack = session.stack();
            let step = session.step();
            let behind = match step.instruction.map(|one| one.row.flow) {
                Some(Flow::Break(cells)) => step.behind(cells),
                Some(flow) if flow.is_call() => step.behind(step.cells.len() as u32),
                _ if step.interrupt => step.address,
                _ => return step,
            };
            if step.stop.is_some() || !step.went_elsewhere {
                return step;
            }
            let stop = match stack {
                Some(stack) => session.come_back(behind, stack, go_on),
                None => session.leave(None, go_on).stop,
            };
            Step { stop, ..step }
        })
    }

    /// Runs on until the routine that is being executed has returned. What that changed is told as one step.
    pub fn out(&mut self, go_on: &mut dyn FnMut(&Self) -> bool) -> Step {
        self.leap(|session| {
            let stack = session.stack();
            session.leave(stack, go_on)
        })
    }

    /// Steps on until the routine that is being executed has returned; the last step.
    fn leave(&mut self, stack: Option<u32>, go_on: &mut dyn FnMut(&Self) -> bool) -> Step {
        let breakpoints = self.stops.clone();
        self.guards.begin();
        // Whether what was entered meanwhile was so by an interrupt.
        let mut entered: Vec<bool> = Vec::new();
        let mut count = 0u32;
        loop {
            let step = self.step();
            count += 1;
            let stop = match &step.stop {
                Some(stop) => Some(stop.clone()),
                None if self.has_returned(&step, stack, &mut entered) => return step,
                None if breakpoints.contains(step.next) && !self.passes(step.next) => Some(Stop::Breakpoint),
                None if count.is_multiple_of(PATIENCE) && !go_on(self) => Some(Stop::Operator),
                None => continue,
            };
            return Step { stop, ..step };
        }
    }

    /// Does something of several steps and makes one of it.
    fn leap(&mut self, run: impl FnOnce(&mut Self) -> Step) -> Step {
        let (begin, address) = (self.machine.cycles(), self.machine.place());
        let window = self.machine.window();
        let (seen, written) = (step::Seen::of(&self.machine), self.machine.port_writes().len());
        let last = run(self);
        let cycles = self.machine.cycles() - begin;
        if last.cycles + last.waited == cycles {
            return last;
        }
        self.timeline.leap(begin, self.machine.cycles());
        let (instruction, cells) = self.instruction_at(address);
        let mut changes = seen.changes(&self.machine, self.processor(), &[]);
        let writes = self.machine.port_writes().get(written..).unwrap_or_default();
        changes.extend(writes.iter().take(MOST_WRITES).map(|write| Change::Out {
            port: write.port,
            value: write.value,
            took_effect: true,
        }));
        Step {
            address,
            window,
            instruction,
            cells,
            interrupt: false,
            causes: Vec::new(),
            reads: Vec::new(),
            changes,
            next: self.machine.place(),
            went_elsewhere: false,
            cycles,
            waited: 0,
            no_memory: false,
            service: None,
            many: true,
            stop: last.stop,
        }
    }

    /// The stack pointer, where the processor has one.
    fn stack(&self) -> Option<u32> {
        self.machine.stack_place()
    }

    /// Runs until a call comes back with the stack as it was; `None`, or why it stopped before.
    fn come_back(&mut self, behind: u32, stack: u32, go_on: &mut dyn FnMut(&Self) -> bool) -> Option<Stop> {
        loop {
            let (breakpoints, guard) = (self.stops.clone(), self.guards.remove(behind));
            self.stops.insert(behind);
            let stop = self.run_while(Limits::none(), go_on);
            self.stops = breakpoints;
            guard.into_iter().for_each(|guard| self.guard_breakpoint(behind, guard));
            let is_behind = stop == Stop::Breakpoint && self.machine.place() == behind;
            match is_behind {
                true if self.machine.stack_place() == Some(stack) => return None,
                true if !self.stops.contains(behind) => {}
                _ => return Some(stop),
            }
        }
    }

    /// True where the stack is shorter than it was.
    fn is_above(&self, stack: u32) -> bool {
        let set = self.processor();
        let bits = set.place_of(Role::Stack).map_or(16, |place| set.registers()[place].bits);
        let pulled = self.machine.stack_place().unwrap_or(stack).wrapping_sub(stack) & ((1 << bits) - 1);
        (1..1 << (bits - 1)).contains(&pulled)
    }

    /// True where a step left the routine that was entered before all of `entered`.
    fn has_returned(&self, step: &Step, stack: Option<u32>, entered: &mut Vec<bool>) -> bool {
        let flow = step.instruction.map(|one| one.row.flow);
        let returns = step.went_elsewhere && matches!(flow, Some(Flow::Return | Flow::ReturnIf));
        if let Some(stack) = stack {
            return returns && self.is_above(stack);
        }
        if step.interrupt || step.went_elsewhere && flow.is_some_and(Flow::is_call) {
            entered.push(step.interrupt);
            return false;
        }
        // To an address that the instruction itself does not name.
        let jumps = matches!(flow, Some(Flow::Indirect | Flow::Jump));
        let leaves =
            step.went_elsewhere && jumps && step.instruction.is_some_and(|one| one.goes_to().is_none());
        let is_call = |at: u32| self.instruction_at(at).0.is_some_and(|one| one.row.flow.is_call());
        let behind_call = || (1..=1 + MOST_SKIPPED).any(|back| is_call(step.next.wrapping_sub(back)));
        match entered.last() {
            Some(true) => leaves && entered.pop().is_none(),
            Some(false) => (returns || leaves && behind_call()) && entered.pop().is_none(),
            None => returns || leaves && behind_call(),
        }
    }
}
