//! Why a run stopped, and how far one may go.

use super::Round;
use crate::machine::services::ServiceFault;
use crate::machine::{Access, Missing, Stopped};
use crate::processor::InstructionSet;
use serde::Serialize;

/// Why a run stopped.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Stop {
    /// The processor waits for an interrupt, and none is coming.
    Halt,
    /// The processor has stopped until the operator lets it go on, which running it again does.
    HaltForOperator,
    /// The program jumps to itself for ever.
    Endless,
    /// The program goes round, and everything in its loop is the same each time.
    Repeats(Round),
    /// The program goes round, and waits for something from outside that does not come.
    Polls(Round),
    /// The firmware waits for a key, and nobody types.
    Input,
    /// A breakpoint.
    Breakpoint,
    /// The address that the run was to go to.
    Until,
    /// The program went back to the firmware, which waits for the operator.
    ToFirmware,
    /// A stop condition holds.
    Condition(String),
    /// The cycle limit.
    Cycles,
    /// The cell at the program counter is not an instruction.
    Undefined,
    /// An address, or an instruction that executes others, leads through cells without end.
    Chain,
    /// The program reached for memory or a port that does not exist.
    Unmapped(Missing),
    /// The program has ended, as it told a service.
    Ended,
    /// What it asked of a service cannot be done.
    Service(ServiceFault),
    /// The operator stopped it.
    Operator,
}

impl Stop {
    pub(super) fn of(stopped: Stopped) -> Self {
        match stopped {
            Stopped::Cycles => Self::Cycles,
            Stopped::Halt => Self::Halt,
            Stopped::Stop => Self::HaltForOperator,
            Stopped::Endless => Self::Endless,
            Stopped::Waits => Self::Input,
            Stopped::Undefined => Self::Undefined,
            Stopped::Chain => Self::Chain,
            Stopped::Unmapped(missing) => Self::Unmapped(missing),
            Stopped::Ended => Self::Ended,
            Stopped::Service(fault) => Self::Service(fault),
            Stopped::Watched => Self::Breakpoint,
        }
    }

    /// The stable name of the reason.
    pub fn reason(&self) -> &'static str {
        match self {
            Self::Halt | Self::HaltForOperator => "halt",
            Self::Endless | Self::Repeats(_) => "endless",
            Self::Input | Self::Polls(_) => "input",
            Self::Breakpoint => "breakpoint",
            Self::Until => "until",
            Self::ToFirmware => "back",
            Self::Condition(_) => "condition",
            Self::Cycles => "cycles",
            Self::Undefined => "undefined",
            Self::Chain => "chain",
            Self::Unmapped(_) => "unmapped",
            Self::Ended => "ended",
            Self::Service(_) => "disk",
            Self::Operator => "operator",
        }
    }

    /// The reason in words, to follow "stopped at ADDRESS: ".
    pub fn words(&self, set: &InstructionSet) -> String {
        match self {
            Self::HaltForOperator => "the processor halted; it can be continued from here".to_string(),
            Self::Halt => "the processor waits for an interrupt, and none is coming".to_string(),
            Self::Endless => "the program jumps to itself for ever".to_string(),
            Self::Input => "the program waits for a key, and nothing more is typed".to_string(),
            Self::Repeats(round) => {
                let cycles = format!("{} {}", round.cycles, set.identity.cycle_name);
                format!("the program goes round for ever: after {cycles} everything is as it was")
            }
            Self::Polls(round) => {
                format!("the program waits for {}, and nothing comes", round.reads.join(", "))
            }
            Self::Breakpoint => "a breakpoint stands here".to_string(),
            Self::Until => "the run reached the place where it was to stop".to_string(),
            Self::ToFirmware => "the program has ended, and the firmware waits for the operator".to_string(),
            Self::Condition(text) => format!("the condition {text} holds"),
            Self::Cycles => format!("the limit of {} was reached", set.identity.cycle_name),
            Self::Undefined => format!("the cell here is not an instruction of the {}", set.name()),
            Self::Chain => {
                "the addresses that the instruction here follows lead round in a circle".to_string()
            }
            Self::Unmapped(missing) => {
                let place = set.address(missing.address.into());
                let port = set.port(missing.address);
                match missing.access {
                    Access::Read => {
                        format!("the instruction before this one read {place}, where there is no memory")
                    }
                    Access::Write => {
                        format!("the instruction before this one wrote to {place}, where there is no memory")
                    }
                    Access::Fetch => format!("the processor fetched from {place}, where there is no memory"),
                    Access::In | Access::Out if set.is_word_machine() => {
                        format!("the instruction before this one reached for device {port}, where nothing is")
                    }
                    Access::In => {
                        format!("the instruction before this one read port {port}, where nothing is")
                    }
                    Access::Out => {
                        format!("the instruction before this one wrote to port {port}, where nothing is")
                    }
                }
            }
            Self::Ended => "the program has ended".to_string(),
            Self::Service(fault) => fault.to_string(),
            Self::Operator => "the operator stopped it".to_string(),
        }
    }

    /// True where the processor stands at a halt, whoever may let it go on.
    pub fn is_halt(&self) -> bool {
        matches!(self, Self::Halt | Self::HaltForOperator)
    }

    /// True where the program ended by its own doing: a halt, a jump to itself, a way back to the firmware.
    pub fn is_end(&self) -> bool {
        self.is_halt()
            || matches!(
                self,
                Self::Endless
                    | Self::Repeats(_)
                    | Self::Polls(_)
                    | Self::Input
                    | Self::ToFirmware
                    | Self::Ended
            )
    }
}

/// How far a run may go. Without any limit it goes to a halt, a breakpoint or something that cannot be done.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Limits {
    pub(super) until: Option<u32>,
    pub(super) cycles: Option<u64>,
    pub(super) back: bool,
    pub(super) rest: bool,
    pub(super) inside: bool,
    pub(super) counted: bool,
    pub(super) continued: bool,
}

impl Limits {
    /// None.
    pub fn none() -> Self {
        Self::default()
    }

    /// Up to an address; the instruction there is not executed.
    #[must_use]
    pub fn until(self, address: u32) -> Self {
        Self { until: Some(address), ..self }
    }

    /// As part of a run that was begun before: breakpoints that are passed some times first count on.
    #[must_use]
    pub fn continued(self, continued: bool) -> Self {
        Self { continued, ..self }
    }

    /// Until the program is back in the firmware, where the board has one that waits for the operator.
    #[must_use]
    pub fn back(self) -> Self {
        Self { back: true, ..self }
    }

    /// Until nothing more comes of it: the program jumps to itself or waits for a key, nothing from outside is due, and all that goes on
    /// is the firmware's own, such as the tick of a clock.
    #[must_use]
    pub fn rest(self) -> Self {
        Self { rest: true, ..self }
    }

    /// A trace shows what services of the firmware do inside, not each as one step.
    #[must_use]
    pub fn inside(self) -> Self {
        Self { inside: true, ..self }
    }

    /// What is the program's own share of a run is counted: see [`Session::share`](super::Session::share).
    #[must_use]
    pub fn counted(self) -> Self {
        Self { counted: true, ..self }
    }

    /// These limits for a slice of a longer run that began at cycle `began` and now stands at `now`.
    #[must_use]
    pub fn within(self, began: u64, slice: u64, now: u64) -> Self {
        let left = self.cycles.map_or(slice, |cycles| began.saturating_add(cycles).saturating_sub(now));
        Self { cycles: Some(slice.min(left)), ..self }
    }

    /// True where a run that began at cycle `began` has used its cycles up by `now`.
    pub fn reached(self, began: u64, now: u64) -> bool {
        self.cycles.is_some_and(|cycles| now >= began.saturating_add(cycles))
    }

    /// For so many cycles from here. An instruction that has begun is finished.
    #[must_use]
    pub fn cycles(self, cycles: u64) -> Self {
        Self { cycles: Some(cycles), ..self }
    }
}
