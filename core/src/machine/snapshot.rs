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

/// What was seen of a machine from outside.
struct Records {
    writes: Vec<PortWrite>,
    lamp_changes: Vec<LampChange>,
    output: Vec<u8>,
    turns: Vec<u64>,
}

impl Snapshot {
    /// The cycle it was taken at.
    pub fn cycles(&self) -> u64 {
        self.machine.cycles()
    }
}

impl Machine {
    /// The records of what was seen. They only ever grow, so that their lengths are enough to go back to.
    fn take_records(&mut self) -> Records {
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

    /// The machine as it is, to come back to.
    pub fn snapshot(&mut self) -> Snapshot {
        self.snapshot_beside(None)
    }

    /// The same, sharing with an earlier snapshot what has stayed the same.
    pub fn snapshot_beside(&mut self, earlier: Option<&Snapshot>) -> Snapshot {
        let records = self.take_records();
        let lengths =
            [records.writes.len(), records.lamp_changes.len(), records.output.len(), records.turns.len()];
        let kept = self.core.keep(earlier.map(|earlier| earlier.machine.core.as_ref()));
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
        let [writes, lamp_changes, output, turns] = snapshot.lengths;
        records.writes.truncate(writes);
        records.lamp_changes.truncate(lamp_changes);
        records.output.truncate(output);
        records.turns.truncate(turns);
        *self = (*snapshot.machine).clone();
        self.core = self.core.live();
        self.give_records(records);
    }
}
