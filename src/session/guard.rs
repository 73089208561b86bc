//! Where and when a run stops: breakpoints, what they ask before, and conditions that hold anywhere.

use super::{Limits, Session, Stop};
use crate::assembler::Formula;
use std::collections::BTreeMap;

/// What must be so for a breakpoint to stop a run.
#[derive(Debug, Clone, Default)]
pub struct Guard {
    /// It stops only where this is not 0.
    pub condition: Option<Formula>,
    /// So often execution passes it in a run before it stops.
    pub passes: u32,
}

/// The guards of breakpoints by their addresses, and how often each was passed in the run that goes on.
#[derive(Debug, Clone, Default)]
pub(super) struct Guards {
    all: BTreeMap<u32, Guard>,
    passed: BTreeMap<u32, u32>,
}

impl Guards {
    /// A run begins: nothing has been passed in it.
    pub fn begin(&mut self) {
        self.passed.clear();
    }

    /// Execution comes to a breakpoint once more: it was not passed yet.
    pub fn not_yet(&mut self, address: u32) {
        if let Some(passed) = self.passed.get_mut(&address) {
            *passed = passed.saturating_sub(1);
        }
    }

    pub fn remove(&mut self, address: u32) -> Option<Guard> {
        self.all.remove(&address)
    }
}

impl Session {
    /// The addresses with breakpoints.
    pub fn breakpoints(&self) -> &[u32] {
        self.stops.addresses()
    }

    /// Sets a breakpoint. False where there was one already.
    pub fn add_breakpoint(&mut self, address: u32) -> bool {
        self.stops.insert(address)
    }

    /// Takes a breakpoint away. False where there was none.
    pub fn remove_breakpoint(&mut self, address: u32) -> bool {
        self.guards.remove(address);
        self.stops.remove(address)
    }

    /// The stop conditions.
    pub fn conditions(&self) -> &[Formula] {
        &self.conditions
    }

    /// Adds a condition that is looked at before every instruction.
    pub fn add_condition(&mut self, condition: Formula) {
        self.conditions.push(condition);
    }

    /// Takes away the condition with this text. False where there is none.
    pub fn remove_condition(&mut self, text: &str) -> bool {
        let count = self.conditions.len();
        self.conditions.retain(|condition| !condition.text().eq_ignore_ascii_case(text));
        self.conditions.len() != count
    }

    /// Takes away every condition.
    pub fn clear_conditions(&mut self) {
        self.conditions.clear();
    }

    /// Sets a breakpoint that stops only where its guard lets it; one that stands there already has this guard from then on.
    pub fn guard_breakpoint(&mut self, address: u32, guard: Guard) {
        self.add_breakpoint(address);
        self.guards.all.insert(address, guard);
    }

    /// What the breakpoint at an address asks before it stops a run.
    pub fn guard(&self, address: u32) -> Option<&Guard> {
        self.guards.all.get(&address)
    }

    /// True where the condition of the breakpoint at an address holds now; one without a condition always does.
    pub(super) fn guard_holds(&self, address: u32) -> bool {
        let condition = self.guards.all.get(&address).and_then(|guard| guard.condition.as_ref());
        condition.is_none_or(|one| one.quick(self).is_some_and(|value| value != 0))
    }

    /// Execution has come to a breakpoint: whether it is passed.
    pub(super) fn passes(&mut self, address: u32) -> bool {
        let Some(guard) = self.guards.all.get(&address) else { return false };
        if !self.guard_holds(address) {
            return true;
        }
        let passed = self.guards.passed.entry(address).or_default();
        *passed += 1;
        *passed <= guard.passes
    }

    /// A run has come to one of its stops: why it ends, or `None` where a breakpoint is passed.
    pub(super) fn which_stop(&mut self, limits: Limits) -> Option<Stop> {
        let place = self.machine.place();
        let is_until = limits.until == Some(place);
        let is_back = self.way_back(limits) == Some(place);
        match self.breakpoints().contains(&place) {
            true if !self.passes(place) => Some(Stop::Breakpoint),
            _ if is_until => Some(Stop::Until),
            _ if is_back => Some(Stop::ToFirmware),
            // Whoever put a stop of its own there decides.
            false => Some(Stop::Breakpoint),
            true => None,
        }
    }
}
