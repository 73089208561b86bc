//! Where execution went out of the program for the last time, found afterwards, so that no run pays for it.

use super::super::{Session, Stop, step};
use super::Timeline;
use crate::machine::{Machine, MemoryKind, StopMap, Watching};
use crate::processor::Flow;

/// How execution went out of the program for the last time.
#[derive(Debug, Clone)]
pub struct Departure {
    /// The instruction of the program that was executed last.
    pub from: u32,
    /// Where that led.
    pub to: u32,
    /// True for a call that did not come back: of a service that waits, or that something broke off.
    pub is_call: bool,
    /// True where an interrupt took the processor away.
    pub by_interrupt: bool,
    /// The machine behind it, with the registers as the program left them.
    pub machine: Machine,
}

impl Session {
    /// How execution went out of the program, where a run ended outside of it; as far back as the session remembers.
    pub fn departure(&self, stop: &Stop) -> Option<Departure> {
        let own = self.program.as_ref()?.addresses();
        let at = self.stopped_at(stop);
        let is_outside = !own.contains(at);
        let in_ram = self.machine.kind(at) == Some(MemoryKind::Ram);
        let may_have_left = match stop {
            Stop::ToFirmware
            | Stop::Undefined
            | Stop::Chain
            | Stop::Unmapped(_)
            | Stop::Input
            | Stop::Polls(_) => true,
            // What a program has put into memory to run it there is its own.
            Stop::Halt | Stop::HaltForOperator | Stop::Endless | Stop::Repeats(_) => !in_ram,
            Stop::Cycles => true,
            _ => false,
        };
        // PERF: to look back takes a step for each instruction of the program, so that it is asked last.
        if !is_outside || !may_have_left {
            return None;
        }
        let departure = self.timeline.departure(&self.machine, &own)?;
        // At the end of its time, or where it waits, the firmware may still come back.
        let may_return =
            matches!(stop, Stop::Cycles | Stop::Input | Stop::Polls(_)) && self.is_firmware(departure.to);
        let is_call = (departure.is_call || may_return) && *stop != Stop::ToFirmware;
        Some(Departure { is_call, ..departure })
    }

    /// The machine as the program left it: as it was when execution went out of the program, where it has done so.
    pub fn as_left(&self, stop: &Stop) -> Option<Departure> {
        self.departure(stop).filter(|departure| !departure.is_call)
    }
}

/// A step out of the program.
struct Out {
    from: u32,
    is_call: bool,
    by_interrupt: bool,
    /// The cycle after it.
    end: u64,
}

impl Timeline {
    /// The last step out of the program's own cells on the way to where a machine is.
    fn departure(&self, machine: &Machine, own: &StopMap) -> Option<Departure> {
        let mut end = machine.cycles();
        let mut machine = machine.clone();
        for kept in self.snapshots.iter().rev() {
            if kept.snapshot.cycles() >= end {
                continue;
            }
            let mut last = None;
            machine.restore(&kept.snapshot);
            self.bring(&mut machine, &mut kept.acts.clone(), end, &mut |machine, limit| {
                // Outside of it nothing is looked at.
                if own.contains(machine.place()) {
                    last = step_out(machine, own, limit).or(last.take());
                } else {
                    machine.run(limit, Watching::Stops(own));
                }
            });
            if let Some(Out { from, is_call, by_interrupt, end }) = last {
                machine.restore(&kept.snapshot);
                self.bring(&mut machine, &mut kept.acts.clone(), end, &mut super::run_on);
                return Some(Departure { from, to: machine.place(), is_call, by_interrupt, machine });
            }
            end = kept.snapshot.cycles();
        }
        None
    }
}

fn step_out(machine: &mut Machine, own: &StopMap, limit: u64) -> Option<Out> {
    let step = step::step(machine, limit);
    let is_out = !step.nothing_done() && !own.contains(machine.place());
    is_out.then(|| Out {
        from: step.address,
        is_call: step
            .instruction
            .is_some_and(|one| one.row.flow.is_call() || matches!(one.row.flow, Flow::Break(_))),
        by_interrupt: step.interrupt,
        end: machine.cycles(),
    })
}
