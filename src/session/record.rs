//! A run written down and played again: where it began, what was done to it from outside, and marks of its state.
//!
//! A machine is deterministic, so that these are enough to be there again on any other computer. Where it does not go the same way, the
//! first mark that differs says between which cycles to look.
//!
//! ```
//! use plain_byte::assembler::{Options, Texts, assemble};
//! use plain_byte::session::{Limits, Replayed, Session};
//!
//! let source = "        cpu 8085\n        org 4000h\nloop:   inr a\n        jnz loop\n        hlt\n";
//! let assembly = assemble("dusk.asm", &mut Texts::one("dusk.asm", source), &Options::default());
//! let mut session = Session::shipped("plover")?;
//! session.record("plover", &[], 1000);
//! session.load_assembly(&assembly)?;
//! session.set("A", 7)?;
//! session.run(Limits::none());
//! let lines = session.recorded();
//!
//! let mut again = Session::shipped("plover")?;
//! assert!(matches!(again.replay(&lines, &mut || true), Replayed::Same { .. }));
//! assert_eq!(again.get("A"), Some(0));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

use super::{Act, Limits, Session};
use crate::machine::Mark;
use serde::{Deserialize, Serialize};

/// The version of the lines of a record.
pub const RECORD_VERSION: u32 = 1;

/// A line of a record. Written as JSON it is one line of text.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Line {
    /// Where it began: always the first line.
    Begin(Begin),
    /// Something was done from outside, at this cycle.
    Done {
        /// The cycle.
        cycle: u64,
        /// What was done.
        act: Act,
    },
    /// What the machine was.
    Mark(Mark),
}

/// Where a record begins: at a board that has just been switched on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Begin {
    /// [`RECORD_VERSION`].
    pub record: u32,
    /// The board, as it was named.
    pub board: String,
    /// Its processor.
    pub processor: String,
    /// Memories that were left out of the board.
    #[serde(default)]
    pub without: Vec<String>,
}

/// How a replay went.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Replayed {
    /// Every mark was met.
    Same {
        /// How many there are.
        marks: usize,
        /// The last one's cycle.
        cycle: u64,
    },
    /// A mark was not.
    Differs(Difference),
    /// A line cannot be done here.
    Impossible {
        /// Its place in the record, the first 0.
        line: usize,
        /// Why, a sentence.
        why: String,
    },
    /// Whoever watched ended it, at this cycle.
    Ended(u64),
}

/// The first mark of a record that was not met.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// Its place in the record, the first 0.
    pub line: usize,
    /// The cycle of the last mark that was met.
    pub same: Option<u64>,
    /// The mark's cycle.
    pub cycle: u64,
    /// What differs, each a phrase.
    pub what: Vec<String>,
}

/// A record being written.
#[derive(Debug, Clone)]
pub(super) struct Recording {
    lines: Vec<Line>,
    every: u64,
    due: u64,
}

impl Recording {
    pub(super) fn note(&mut self, cycle: u64, act: &Act) {
        self.lines.push(Line::Done { cycle, act: act.clone() });
        if matches!(act, Act::Anew) {
            // Cycles are counted anew.
            self.due = self.every;
        }
    }

    /// Takes back what came after a cycle.
    pub(super) fn take_back(&mut self, to: u64) {
        let later = |line: &Line| match line {
            Line::Begin(_) | Line::Done { act: Act::Anew, .. } => false,
            Line::Done { cycle, .. } => *cycle > to,
            Line::Mark(mark) => mark.cycle > to,
        };
        while self.lines.last().is_some_and(later) {
            self.lines.pop();
        }
        self.due = self.due.min(to.saturating_add(self.every));
    }
}

impl Begin {
    /// Why this is no record for a machine, where it is none.
    fn check(&self, session: &Session) -> Result<(), String> {
        let own = session.machine.board().set.name();
        if self.record != RECORD_VERSION {
            let known = format!("this is version {RECORD_VERSION}");
            return Err(format!("version {} of records is unknown; {known}", self.record));
        }
        if self.processor != own {
            return Err(format!("it was recorded on the {}, and the board has the {own}", self.processor));
        }
        Ok(())
    }
}

impl Session {
    /// Writes down from here on what is done from outside, with a mark of the state about every so many cycles. The board has just
    /// been switched on, and is named as it was found; some memories may have been left out of it.
    pub fn record(&mut self, board: &str, without: &[String], every: u64) {
        let begin = Begin {
            record: RECORD_VERSION,
            board: board.to_string(),
            processor: self.machine.board().set.name().to_string(),
            without: without.to_vec(),
        };
        let lines = vec![Line::Begin(begin), Line::Mark(self.machine.mark())];
        let every = every.max(1);
        let due = self.machine.cycles().saturating_add(every);
        self.recording = Some(Box::new(Recording { lines, every, due }));
    }

    /// What was written down so far, with a mark of now after it. Empty where nothing is recorded.
    pub fn recorded(&self) -> Vec<Line> {
        let Some(recording) = &self.recording else { return Vec::new() };
        let mut recording = recording.clone();
        if self.is_in_the_past() {
            recording.take_back(self.machine.cycles());
        }
        let mut lines = recording.lines;
        let mark = Line::Mark(self.machine.mark());
        if lines.last() != Some(&mark) {
            lines.push(mark);
        }
        lines
    }

    /// The cycle of the next mark, where one is to be taken.
    pub(super) fn mark_due(&self) -> u64 {
        self.recording.as_ref().map_or(u64::MAX, |recording| recording.due)
    }

    #[cold]
    pub(super) fn take_mark(&mut self) {
        let now = self.machine.cycles();
        if let Some(recording) = self.recording.as_mut().filter(|recording| now >= recording.due) {
            recording.lines.push(Line::Mark(self.machine.mark()));
            recording.due = now.saturating_add(recording.every);
        }
    }

    /// Plays a record on a board that has just been switched on, and compares every mark. `go_on` is asked now and then.
    pub fn replay(&mut self, lines: &[Line], go_on: &mut dyn FnMut() -> bool) -> Replayed {
        let impossible = |line: usize, why: &str| Replayed::Impossible { line, why: why.to_string() };
        let Some(Line::Begin(begin)) = lines.first() else {
            return impossible(0, "the first line does not say where it began");
        };
        if let Err(why) = begin.check(self) {
            return impossible(0, &why);
        }
        let (mut marks, mut same) = (0, None);
        for (line, what) in lines.iter().enumerate().skip(1) {
            let cycle = match what {
                Line::Begin(_) => return impossible(line, "only the first line says where it began"),
                Line::Done { cycle, .. } => *cycle,
                Line::Mark(mark) => mark.cycle,
            };
            if !self.play_to_cycle(cycle, go_on) {
                return Replayed::Ended(self.machine.cycles());
            }
            match what {
                Line::Done { act, .. } if !self.act(act.clone()) => {
                    return impossible(line, "the board has nothing of the kind");
                }
                Line::Mark(mark) => {
                    let what = self.machine.mark().differences(mark, self.processor());
                    if !what.is_empty() {
                        return Replayed::Differs(Difference { line, same, cycle, what });
                    }
                    (marks, same) = (marks + 1, Some(cycle));
                }
                _ => {}
            }
        }
        Replayed::Same { marks, cycle: same.unwrap_or_default() }
    }

    /// Runs to a cycle, past halts that the operator let it go on from, as far as it goes. False where whoever watches ends it.
    fn play_to_cycle(&mut self, cycle: u64, go_on: &mut dyn FnMut() -> bool) -> bool {
        let mut ended = false;
        while self.machine.cycles() < cycle && !ended {
            let before = self.machine.cycles();
            self.run_while(Limits::none().cycles(cycle - before), &mut |_| {
                ended = !go_on();
                !ended
            });
            if self.machine.cycles() == before {
                break;
            }
        }
        !ended
    }
}
