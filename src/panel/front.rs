//! A front panel: switches that say what the machine shall hold, and the operator's actions. The actions are the same on every board.

use super::Panel;
use crate::processor::Window;
use crate::session::{StateError, Stop};

/// What an operator does at a front panel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Action {
    /// The address lights take what the switches say, and the machine goes on from there. Looking at other cells afterwards does not
    /// change where it goes on.
    Load,
    /// The memory fields take what the switches say: the instruction field bits 6 to 8, the data field bits 9 to 11.
    LoadFields,
    /// The data lights show the cell at the address.
    Examine,
    /// The same for the next address.
    ExamineNext,
    /// The cell at the address takes what the switches say.
    Deposit,
    /// The same for the next address.
    DepositNext,
    /// The registers are cleared and the machine runs from the address on.
    Start,
    /// The machine runs on where it stands.
    Continue,
    /// It stops after the instruction.
    Stop,
    /// A single instruction.
    Single,
    /// The action before is done again and again, as fast as the speed says, until this or `stop` ends it.
    Repeat,
    /// The processor and the devices are as they are when the power comes on; memory stays.
    Reset,
    /// The power is switched off and on again: what memory keeps without it stays.
    Power,
}

/// Every action by its words, with what it does.
pub const ACTIONS: &[(&str, Action, &str)] = &[
    ("load", Action::Load, "the address from the switches"),
    ("load fields", Action::LoadFields, "the memory fields from the switches"),
    ("examine", Action::Examine, "show the cell at the address"),
    ("examine next", Action::ExamineNext, "show the next cell"),
    ("deposit", Action::Deposit, "put the switches into the cell"),
    ("deposit next", Action::DepositNext, "put the switches into the next cell"),
    ("start", Action::Start, "run from the address on"),
    ("continue", Action::Continue, "run on"),
    ("stop", Action::Stop, "stop after the instruction"),
    ("single", Action::Single, "one instruction"),
    ("repeat", Action::Repeat, "the action before, at the speed chosen"),
    ("reset", Action::Reset, "processor and devices as at power-on"),
    ("power", Action::Power, "off and on again"),
];

/// Actions that can be repeated.
const REPEATABLE: &[Action] = &[
    Action::Examine,
    Action::ExamineNext,
    Action::Deposit,
    Action::DepositNext,
    Action::Single,
    Action::Continue,
];

impl Action {
    /// An action by its words.
    pub fn named(words: &str) -> Option<Self> {
        let words = words.split_whitespace().collect::<Vec<_>>().join(" ");
        ACTIONS.iter().find(|row| row.0.eq_ignore_ascii_case(&words)).map(|row| row.1)
    }

    /// Its words.
    pub fn words(self) -> &'static str {
        ACTIONS.iter().find(|row| row.1 == self).map_or("", |row| row.0)
    }
}

/// The panel's own state.
#[derive(Debug, Clone, Default)]
pub(super) struct Front {
    address: u32,
    switches: u64,
    running: bool,
    /// What was done last of that which can be repeated, and whether it is.
    last: Option<Action>,
    repeats: bool,
}

/// Why an action of the operator does nothing.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NoEffect {
    /// The board has no switches.
    #[error("the board has no front panel")]
    NoPanel,
    /// The panel was opened without a program.
    #[error("there is no program to start; name one after `panel`")]
    NoProgram,
    /// The action is for a machine that stands still.
    #[error("the machine runs, and `{}` waits for `stop`", .0.words())]
    Running(Action),
    /// Nothing was done that can be repeated.
    #[error("there is nothing to repeat: do `single`, `examine next` or `deposit next` first")]
    Repeat,
    /// The processor's memory is in one piece.
    #[error("the {0} has no memory fields")]
    NoFields(&'static str),
    /// The cell cannot be set.
    #[error(transparent)]
    Put(#[from] StateError),
}

impl Panel {
    /// True where the board has a front panel.
    pub fn has_front(&self) -> bool {
        self.front.is_some()
    }

    /// The address that the operator looks at, or where the program is.
    pub fn shown_address(&self) -> u32 {
        match &self.front {
            Some(front) if !front.running => front.address,
            _ => self.session.machine().place(),
        }
    }

    /// True where the machine runs: always, but with a front panel where nobody started it.
    pub fn is_running(&self) -> bool {
        self.front.as_ref().is_none_or(|front| front.running)
    }

    /// What the switches say, and how many there are.
    pub fn switches(&self) -> Option<(u64, u8)> {
        Some((self.front.as_ref()?.switches, self.switch_count()))
    }

    /// The rows of switches that the program reads: names and positions.
    pub fn program_switches(&self) -> Vec<(String, u64)> {
        let chips = self.session.machine().chips().iter();
        chips.filter_map(|one| Some((one.place.name.clone(), one.chip.switches()?))).collect()
    }

    /// As many as a word has bits, or an address where cells are narrower.
    fn switch_count(&self) -> u8 {
        let set = self.session.processor();
        if set.is_word_machine() { set.cell_bits() } else { set.address_bits() }
    }

    /// Sets the switches. False where there is no front panel, or the value has more bits than there are switches.
    pub fn set_switches(&mut self, value: u64) -> bool {
        let fits = value >> self.switch_count() == 0;
        let Some(front) = self.front.as_mut().filter(|_| fits) else { return false };
        front.switches = value;
        if let Some(register) = self.session.machine().board().front.as_ref().and_then(|front| front.switches)
        {
            self.session.set_register(register, value);
        }
        true
    }

    /// The action that is repeated.
    pub fn repeats(&self) -> Option<Action> {
        self.front.as_ref().and_then(|front| front.last.filter(|_| front.repeats))
    }

    /// Does the repeated action once more. Where it cannot be done any more, repeating ends.
    ///
    /// # Errors
    /// As for [`act`](Self::act).
    pub fn repeat_once(&mut self) -> Result<(), NoEffect> {
        let Some(action) = self.repeats() else { return Ok(()) };
        let done = self.do_action(action);
        if let Some(front) = self.front.as_mut().filter(|_| done.is_err()) {
            front.repeats = false;
        }
        done
    }

    /// `repeat`: begins or ends.
    fn toggle_repeat(&mut self) -> Result<(), NoEffect> {
        let Some(front) = &mut self.front else { return Ok(()) };
        if front.last.is_none() {
            return Err(NoEffect::Repeat);
        }
        front.repeats = !front.repeats;
        Ok(())
    }

    /// Does what the operator does.
    ///
    /// # Errors
    /// [`NoEffect`], which says why.
    pub fn act(&mut self, action: Action) -> Result<(), NoEffect> {
        if self.front.is_some() && action == Action::Repeat {
            return self.toggle_repeat();
        }
        let done = self.do_action(action);
        if let Some(front) = self.front.as_mut().filter(|_| done.is_ok()) {
            front.repeats = false;
            front.last = REPEATABLE.contains(&action).then_some(action);
        }
        done
    }

    fn do_action(&mut self, action: Action) -> Result<(), NoEffect> {
        let looks_apart = self.session.machine().board().front.is_some_and(|front| front.looks_apart);
        let Some(front) = &mut self.front else {
            return Err(NoEffect::NoPanel);
        };
        if front.running
            && !matches!(
                action,
                Action::Stop | Action::Reset | Action::Power | Action::Single | Action::Continue
            )
        {
            return Err(NoEffect::Running(action));
        }
        let set = self.session.processor();
        // The switches and the counter count in the window that the operator looks at.
        let bits = if set.is_word_machine() { set.smallest_window() } else { set.address_bits() };
        let window = Window::around(front.address, bits);
        let next = window.behind(front.address, 1);
        match action {
            Action::Load => {
                front.address = window.address(front.switches);
                let address = front.address;
                self.session.set_place(address);
            }
            Action::LoadFields => {
                if set.register("DF").is_none() {
                    return Err(NoEffect::NoFields(set.name()));
                }
                let (field, data) = (front.switches >> 3 & 7, front.switches & 7);
                front.address = window.number(front.address) | (field as u32) << bits;
                let address = front.address;
                self.session.set_place(address);
                let _ = self.session.set("DF", data as i64);
            }
            // Where a cell is looked at by the switches, the program goes on where it was.
            Action::Examine if looks_apart => front.address = window.address(front.switches),
            Action::Examine | Action::Repeat => {}
            Action::ExamineNext => front.address = next,
            Action::Deposit | Action::DepositNext => {
                if action == Action::DepositNext {
                    front.address = next;
                }
                let (address, value) = (front.address, front.switches & set.last_cell());
                self.session.put(address, &[value])?;
            }
            Action::Start => self.start(),
            Action::Continue => front.running = true,
            Action::Stop => self.stopped(),
            Action::Single => {
                front.running = false;
                self.session.step();
                self.stopped();
            }
            Action::Reset => {
                self.session.reset();
                self.stopped();
            }
            Action::Power => {
                self.session.power();
                self.stopped();
            }
        }
        Ok(())
    }

    /// The registers are cleared, but the data field stays as it was loaded.
    fn start(&mut self) {
        let data = self.session.get("DF");
        self.session.reset();
        if let Some(data) = data {
            let _ = self.session.set("DF", data as i64);
        }
        let Some(front) = &mut self.front else { return };
        front.running = true;
        let address = front.address;
        self.session.set_place(address);
    }

    /// The machine stands still; the lights show where.
    pub(super) fn stopped(&mut self) {
        let pc = self.session.machine().place();
        if let Some(front) = &mut self.front {
            front.running = false;
            front.address = pc;
        }
    }

    /// The run has ended. Where it waits at a halt for an interrupt, the operator has not stopped it.
    pub(super) fn stopped_by(&mut self, stop: &Stop) {
        let waits = matches!(stop, Stop::Halt | Stop::Endless);
        if self.session.processor().stops_for_operator() || !waits {
            self.stopped();
        }
    }
}
