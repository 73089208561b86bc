//! Hazards: what a program did in a run that it hardly means. It reads what nothing has set, changes its own code, returns astray.
//!
//! Hazards are found afterwards, by following the run that the session remembers, so that a run is the same whether somebody looks for
//! them or not, and costs nothing where nobody does.

mod extent;
mod shadow;
mod stack;
mod told;
mod watch;

pub(super) use watch::Watcher;

use super::{Moment, Session};
use serde::Serialize;

/// Every kind of hazard: its code and what it says, in a few words.
pub const HAZARDS: &[(&str, &str)] = &[
    ("chip-misused", "a chip is used against its data sheet"),
    ("code-changed", "a write into an instruction"),
    ("constant-written", "a write into data that the source calls constant"),
    ("inside-instruction", "execution in the middle of an instruction"),
    ("not-loaded", "execution of cells that nothing has loaded or written"),
    ("nothing-there", "an access to an address or a port where the board has nothing"),
    ("region-left", "a loop writes past the end of a region"),
    ("return-astray", "a return to where no instruction of the program begins"),
    ("rom-written", "a write to ROM"),
    ("stack-in-program", "the stack grows into the program"),
    ("stack-no-ram", "something is put on the stack where the board has no RAM"),
    ("stack-not-level", "a routine leaves the stack higher or lower than it found it"),
    ("stack-too-deep", "the stack grows below the cells that are there for it"),
    ("text-written", "a write into a text of the program"),
    ("unset-cell", "a cell is read that nothing has loaded or written"),
    ("unset-register", "a register or a flag is used that nothing has set"),
    ("unset-vector", "an interrupt comes through a vector that nothing has set"),
];

/// Something that a program did and hardly means.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Hazard {
    /// The code of its kind, one of [`HAZARDS`].
    pub code: &'static str,
    /// The address of the instruction; of an interrupt, where it was taken.
    pub address: u32,
    /// The file and the line of the instruction, where they are known.
    pub file: Option<String>,
    /// The line, from 1.
    pub line: Option<usize>,
    /// What happened, a sentence.
    pub message: String,
    /// What to do.
    pub help: String,
    /// The moment in front of it, the first time.
    pub moment: Moment,
    /// How often it happened at that instruction.
    pub count: u64,
}

impl Session {
    /// The hazards of the run up to now, in the order in which they came first. A line of the source is not told whose comment allows
    /// them: `; allow unset-cell`. `go_on` is asked now and then, and ends the search by false.
    pub fn hazards(&mut self, go_on: &mut dyn FnMut() -> bool) -> Vec<Hazard> {
        if self.machine.is_linked() || self.timeline.snapshots().next().is_none() {
            return Vec::new();
        }
        let is_usable = |watcher: &Watcher| watcher.knows(self.timeline.futures(), self.machine.cycles());
        let mut watcher = match self.watcher.take().filter(|one| is_usable(one)) {
            Some(watcher) => watcher,
            None => Box::new(Watcher::of(self)),
        };
        watcher.follow(self, go_on);
        let hazards = watcher.hazards(self);
        self.watcher = Some(watcher);
        hazards
    }

    /// Kinds of hazards, by their codes, that this session does not tell; `all` means every kind.
    pub fn allow_hazards(&mut self, codes: &[String]) {
        self.allowed = codes.to_vec();
    }

    /// Kinds of hazards, by their codes, in front of which a run in the monitor or the debugger stops; `all` means every kind.
    pub fn deny_hazards(&mut self, codes: &[String]) {
        self.denied = codes.to_vec();
    }

    /// The codes that [`deny_hazards`](Self::deny_hazards) was given.
    pub fn denied_hazards(&self) -> &[String] {
        &self.denied
    }

    /// The instruction that put a cell onto the stack, as far as hazards were looked for; it may have been taken off since.
    pub fn pushed_by(&self, cell: u32) -> Option<u32> {
        self.watcher.as_ref()?.pushed_by(cell)
    }

    /// The cycles of interrupts that were taken in the run up to now, the first ones; as far as hazards were looked for.
    pub fn interrupts(&self) -> &[u64] {
        self.watcher.as_ref().map_or(&[], |watcher| watcher.interrupts())
    }

    /// Goes back to the moment in front of the last hazard. `None`, and nothing is changed, where there was none.
    pub fn back_to_hazard(&mut self, go_on: &mut dyn FnMut() -> bool) -> Option<Hazard> {
        let now = self.machine.cycles();
        let last = self.hazards(go_on).into_iter().rfind(|one| one.moment.cycle < now)?;
        self.bring_to(last.moment.cycle);
        Some(last)
    }
}
