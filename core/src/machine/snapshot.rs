//! A machine as it was, to come back to.

use super::io::Io;
use super::{LampChange, Machine, PortWrite, Speaker};

/// A machine at an earlier moment.
#[derive(Debug, Clone)]
pub struct Snapshot {
    machine: Box<Machine>,
    /// Lengths of its records: port writes, changes of lamps, output, turns of the speaker.
    lengths: [usize; 4],
}

/// What was seen of a machine from outside. It only ever grows: the record of a moment begins as that of every earlier one.
#[derive(Debug, Clone, Default)]
pub struct Records {
    writes: Vec<PortWrite>,
    lamp_changes: Vec<LampChange>,
    output: Vec<u8>,
    turns: Vec<u64>,
}

impl Records {
    fn lengths(&self) -> [usize; 4] {
        [self.writes.len(), self.lamp_changes.len(), self.output.len(), self.turns.len()]
    }

    fn truncate(&mut self, [writes, lamp_changes, output, turns]: [usize; 4]) {
        self.writes.truncate(writes);
        self.lamp_changes.truncate(lamp_changes);
        self.output.truncate(output);
        self.turns.truncate(turns);
    }

    /// Their beginnings, so long.
    fn first(&self, [writes, lamp_changes, output, turns]: [usize; 4]) -> Self {
        fn first<T: Clone>(all: &[T], count: usize) -> Vec<T> {
            all.get(..count).unwrap_or(all).to_vec()
        }
        Self {
            writes: first(&self.writes, writes),
            lamp_changes: first(&self.lamp_changes, lamp_changes),
            output: first(&self.output, output),
            turns: first(&self.turns, turns),
        }
    }
}

impl Snapshot {
    /// The cycle it was taken at.
    pub fn cycles(&self) -> u64 {
        self.machine.cycles()
    }

    /// The instructions that were executed before it.
    pub fn instructions(&self) -> u64 {
        self.machine.instructions()
    }

    /// About how many bytes it holds that an earlier snapshot does not share.
    pub fn bytes_beside(&self, earlier: Option<&Snapshot>) -> usize {
        let earlier = earlier.map(|earlier| earlier.machine.core.as_ref());
        let of_core = self.machine.core.kept_bytes(earlier);
        of_core + size_of::<Machine>() + 256 * self.machine.io.chips.len()
    }
}

impl Machine {
    /// The records of what was seen.
    pub fn take_records(&mut self) -> Records {
        let Io { writes, lamp_changes, speaker, .. } = &mut self.io;
        Records {
            writes: std::mem::take(writes),
            lamp_changes: std::mem::take(lamp_changes),
            output: std::mem::take(&mut self.output),
            turns: speaker.as_mut().map(Speaker::take_turns).unwrap_or_default(),
        }
    }

    fn give_records(&mut self, records: Records) {
        (self.io.writes, self.io.lamp_changes) = (records.writes, records.lamp_changes);
        self.output = records.output;
        if let Some(speaker) = &mut self.io.speaker {
            speaker.give_turns(records.turns);
        }
    }

    /// A copy that has seen nothing, to look ahead or back with: what was recorded of a long run is not copied.
    pub fn unseen(&mut self) -> Self {
        let records = self.take_records();
        let copy = self.clone();
        self.give_records(records);
        copy
    }

    /// The machine as it is, to come back to.
    pub fn snapshot(&mut self) -> Snapshot {
        self.snapshot_beside(None)
    }

    /// The same, sharing with an earlier snapshot what has stayed the same.
    pub fn snapshot_beside(&mut self, earlier: Option<&Snapshot>) -> Snapshot {
        let records = self.take_records();
        let lengths = records.lengths();
        let earlier = earlier.map(|earlier| earlier.machine.core.as_ref());
        let kept = self.core.keep(earlier);
        // The machine without its memory is copied with what was kept in its place.
        let live = std::mem::replace(&mut self.core, kept);
        let snapshot = Snapshot { machine: Box::new(self.clone()), lengths };
        self.core = live;
        self.give_records(records);
        snapshot
    }

    /// Back to a snapshot of this same machine, taken earlier.
    pub fn restore(&mut self, snapshot: &Snapshot) {
        let mut records = self.take_records();
        records.truncate(snapshot.lengths);
        self.become_as(snapshot, records);
    }

    /// To a snapshot of this same machine, earlier or later, with what had been seen by then: `records` are those of a later moment.
    pub fn restore_with(&mut self, snapshot: &Snapshot, records: &Records) {
        self.become_as(snapshot, records.first(snapshot.lengths));
    }

    fn become_as(&mut self, snapshot: &Snapshot, records: Records) {
        *self = (*snapshot.machine).clone();
        self.core = self.core.live();
        self.give_records(records);
    }
}
