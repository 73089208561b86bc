//! The whole run as a strip of time, with marks.

use crate::monitor::Host;
use crate::session::{Moment, Session};

/// Something at a moment of the run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Mark {
    /// The cycle.
    pub cycle: u64,
    /// What it was.
    pub kind: MarkKind,
}

/// What a mark stands for; where several fall together the last of these is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum MarkKind {
    /// Something was written to a port.
    Output,
    /// A lamp was lit or put out.
    Lamp,
    /// An interrupt was taken.
    Interrupt,
    /// Something was done by hand.
    Hand,
    /// The run stood here.
    Stop,
    /// The program did something that it hardly means.
    Hazard,
}

/// More marks of a kind are not shown.
const MOST: usize = 4096;
/// Hazards are looked for in runs that are no longer, so that no key has to wait.
const SHORT: u64 = 20_000_000;

/// The strip.
#[derive(Debug, Clone, Default)]
pub struct Strip {
    stops: Vec<Moment>,
    /// What is there to be seen, in the order of time.
    pub marks: Vec<Mark>,
    /// The first moment that is known, and the last.
    pub ends: (u64, u64),
}

impl Strip {
    /// Takes in what the run has come to.
    pub(super) fn follow(&mut self, session: &mut Session, host: &mut dyn Host) {
        let Some((first, last)) = session.known() else { return };
        self.ends = (first.cycle, last.cycle);
        let now = session.moment();
        if !session.is_in_the_past() && !self.stops.contains(&now) {
            self.stops.push(now);
        }
        self.stops.retain(|stop| *stop <= last);
        let mut marks: Vec<Mark> = Vec::new();
        let mut add = |cycle: u64, kind| marks.push(Mark { cycle, kind });
        let machine = session.machine();
        machine.port_writes().iter().take(MOST).for_each(|one| add(one.at, MarkKind::Output));
        machine.lamp_changes().iter().take(MOST).for_each(|one| add(one.at, MarkKind::Lamp));
        session.acts().take(MOST).for_each(|row| add(row.0, MarkKind::Hand));
        self.stops.iter().for_each(|stop| add(stop.cycle, MarkKind::Stop));
        if last.cycle - first.cycle <= SHORT {
            let hazards = session.hazards(&mut || host.go_on());
            hazards.iter().for_each(|one| add(one.moment.cycle, MarkKind::Hazard));
            session.interrupts().iter().for_each(|&cycle| add(cycle, MarkKind::Interrupt));
        }
        marks.sort_unstable();
        marks.dedup();
        self.marks = marks;
    }

    /// The strip in so many columns: the mark of each, and the column of a cycle.
    pub fn columns(&self, width: usize, now: u64) -> (Vec<Option<MarkKind>>, usize) {
        let (first, last) = self.ends;
        let length = u128::from(last.saturating_sub(first)).max(1);
        let column = |cycle: u64| {
            let at = u128::from(cycle.saturating_sub(first)).min(length);
            (at * (width.max(1) as u128 - 1) / length) as usize
        };
        let mut columns = vec![None; width];
        for mark in &self.marks {
            if let Some(place) = columns.get_mut(column(mark.cycle)) {
                *place = (*place).max(Some(mark.kind));
            }
        }
        (columns, column(now))
    }
}
