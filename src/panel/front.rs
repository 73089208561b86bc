//! A front panel: lights that show what the machine holds, switches that say what it shall hold, and the operator's actions between
//! them. The actions are the same on every board.
//!
//! The lights show the machine as it is while it stands still. While it runs they are looked at many times a frame, and each is as
//! bright as it was lit often.

use super::Panel;
use crate::machine::{FrontRow, Shows};
use crate::number::digits;
use crate::session::{Limits, Stop, instruction_at};

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
    /// It stops behind the instruction.
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
    ("stop", Action::Stop, "stop behind the instruction"),
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
#[derive(Debug, Clone)]
pub(super) struct Front {
    address: u32,
    switches: u64,
    running: bool,
    /// What was done last of that which can be repeated, and whether it is.
    last: Option<Action>,
    repeats: bool,
    /// For each row how often each bit was lit, and how often that was looked at.
    lit: Vec<[u32; 36]>,
    looks: u32,
    /// Numbers for looking at moments that have nothing to do with the program's loops.
    moment: u64,
}

/// So often the lights are looked at in a stretch of running.
const LOOKS: u64 = 64;

/// A row of lights.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// What it shows.
    pub name: String,
    /// How bright each light is, 0 to 1, the leftmost first.
    pub lights: Vec<f32>,
    /// What it shows as a number, where it stands still.
    pub value: Option<u64>,
    /// The radix in which it is read: lights stand together by its digits.
    pub radix: u32,
}

impl Row {
    /// How many lights stand together.
    pub fn group(&self) -> usize {
        group(self.radix)
    }

    /// What it shows as digits, where it stands still.
    pub fn digits(&self) -> Option<String> {
        self.value.map(|value| digits(value, self.radix, self.lights.len() as u8))
    }
}

/// How many lights or switches make a digit.
pub fn group(radix: u32) -> usize {
    if radix == 8 { 3 } else { 4 }
}

impl Front {
    pub(super) fn new(rows: usize) -> Self {
        Self {
            address: 0,
            switches: 0,
            running: false,
            last: None,
            repeats: false,
            lit: vec![[0; 36]; rows],
            looks: 0,
            moment: 0x2545_F491_4F6C_DD1D,
        }
    }

    /// A number up to `most`, another one each time.
    fn any(&mut self, most: u64) -> u64 {
        self.moment ^= self.moment << 13;
        self.moment ^= self.moment >> 7;
        self.moment ^= self.moment << 17;
        self.moment % most.max(1)
    }
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
            _ => self.session.machine().pc(),
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
        if set.is_word_machine() { set.cell_bits } else { set.address_bits }
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
    pub fn repeat_once(&mut self) -> Result<(), String> {
        let Some(action) = self.repeats() else { return Ok(()) };
        let done = self.do_action(action);
        if let Some(front) = self.front.as_mut().filter(|_| done.is_err()) {
            front.repeats = false;
        }
        done
    }

    /// `repeat`: begins or ends.
    fn toggle_repeat(&mut self) -> Result<(), String> {
        let Some(front) = &mut self.front else { return Ok(()) };
        if front.last.is_none() {
            let words = "there is nothing to repeat: do `single`, `examine next` or `deposit next` first";
            return Err(words.to_string());
        }
        front.repeats = !front.repeats;
        Ok(())
    }

    /// Does what the operator does.
    ///
    /// # Errors
    /// A sentence that says why it has no effect.
    pub fn act(&mut self, action: Action) -> Result<(), String> {
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

    fn do_action(&mut self, action: Action) -> Result<(), String> {
        let Some(front) = &mut self.front else {
            return Err("the board has no front panel".to_string());
        };
        if front.running
            && !matches!(
                action,
                Action::Stop | Action::Reset | Action::Power | Action::Single | Action::Continue
            )
        {
            return Err(format!("the machine runs, and `{}` waits for `stop`", action.words()));
        }
        let set = self.session.processor();
        let last = set.last_address();
        // As much of an address as the switches and the counter have.
        let within = if set.is_word_machine() { set.last_cell() as u32 & last } else { last };
        // The next address lies in the same memory field.
        let next = if within < last {
            front.address & !within | front.address.wrapping_add(1) & within
        } else {
            front.address.wrapping_add(1) & last
        };
        match action {
            Action::Load => {
                let fields = if within < last { front.address & !within } else { 0 };
                front.address = fields | front.switches as u32 & within;
                let address = front.address;
                self.session.set_pc(address);
            }
            Action::LoadFields => {
                if set.register("DF").is_none() {
                    return Err(format!("the {} has no memory fields", set.name));
                }
                let (field, data) = (front.switches >> 3 & 7, front.switches & 7);
                front.address = front.address & within | (field as u32) << 12;
                let address = front.address;
                self.session.set_pc(address);
                let _ = self.session.set("DF", data as i64);
            }
            Action::Examine | Action::Repeat => {}
            Action::ExamineNext => front.address = next,
            Action::Deposit | Action::DepositNext => {
                if action == Action::DepositNext {
                    front.address = next;
                }
                let (address, value) = (front.address, front.switches & set.last_cell());
                self.session.put(address, &[value]).map_err(|error| error.to_string())?;
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
        self.session.set_pc(address);
    }

    /// The machine stands still; the lights show where.
    pub(super) fn stopped(&mut self) {
        let pc = self.session.machine().pc();
        if let Some(front) = &mut self.front {
            front.running = false;
            front.address = pc;
        }
    }

    /// Lets a machine with a front panel run, and looks at its lights now and then.
    pub(super) fn pass_front(&mut self, cycles: u64) -> Stop {
        let end = self.session.machine().cycles() + cycles;
        loop {
            let now = self.session.machine().cycles();
            let Some(front) = self.front.as_mut().filter(|front| front.running && now < end) else {
                return Stop::Cycles;
            };
            let most = 2 * (cycles / LOOKS).max(1);
            let slice = (1 + front.any(most)).min(end - now);
            let stop = self.session.run(Limits::none().cycles(slice));
            self.look_at_lights();
            if stop != Stop::Cycles {
                if self.session.processor().stops_for_operator()
                    || !matches!(stop, Stop::Halt | Stop::Endless)
                {
                    self.stopped();
                }
                return stop;
            }
        }
    }

    fn look_at_lights(&mut self) {
        let moment = self.front.as_mut().map_or(0, |front| front.any(u64::MAX));
        let values: Vec<(u64, u8)> = self.values(moment);
        let Some(front) = &mut self.front else { return };
        front.looks += 1;
        for (lit, (value, _)) in front.lit.iter_mut().zip(values) {
            for (bit, count) in lit.iter_mut().enumerate() {
                *count += (value >> bit & 1) as u32;
            }
        }
    }

    /// What the processor puts out in the cycle that is so far behind the beginning of its instruction.
    fn status(&self, moment: u64) -> u8 {
        let machine = self.session.machine();
        let set = machine.set();
        let Some(status) = set.status else { return 0 };
        if machine.halted_at().is_some() {
            return status.halted;
        }
        let decoded = instruction_at(machine, machine.pc()).0;
        decoded.map_or(0, |decoded| (status.at)(&decoded, decoded.timing().base.into(), moment))
    }

    /// What each row shows now, in the cycle so far behind the beginning of an instruction, and how many lights it has.
    fn values(&self, moment: u64) -> Vec<(u64, u8)> {
        let status = self.status(moment);
        let machine = self.session.machine();
        let set = machine.set();
        let address = self.shown_address();
        let value = |row: &FrontRow| match row.shows {
            Shows::Address => (address.into(), set.address_bits),
            Shows::Data => (machine.cell(address), set.cell_bits),
            Shows::Register(place) => (machine.register(place), set.registers[place].bits),
            Shows::Flag(place) => {
                let flags = set.flags_register().map_or(0, |place| machine.register(place));
                ((flags & set.flags[place].mask != 0).into(), 1)
            }
            Shows::Status(bit) => (u64::from(status >> bit & 1), 1),
            Shows::Lamps(chip) => (machine.chips()[chip].chip.lamps().unwrap_or(0), 8),
            Shows::Run => (self.is_running().into(), 1),
        };
        machine.board().front.as_ref().map_or(Vec::new(), |front| front.rows.iter().map(value).collect())
    }

    /// On a board without a front panel: the lamps that its ports drive.
    fn port_rows(&self) -> Vec<Row> {
        let radix = self.session.processor().habit.table_radix();
        let chips = self.session.machine().chips().iter();
        let rows =
            chips.filter_map(|one| Some((&one.place.name, one.chip.lamps()?))).map(|(name, value)| Row {
                name: name.clone(),
                lights: (0..8).rev().map(|bit| (value >> bit & 1) as f32).collect(),
                value: Some(value),
                radix,
            });
        rows.collect()
    }

    /// The rows of lights as they were since the last look.
    pub(super) fn rows(&mut self) -> Vec<Row> {
        let values = self.values(0);
        let Some(front) = &mut self.front else { return self.port_rows() };
        let names = self.session.machine().board().front.iter().flat_map(|front| &front.rows);
        let steady = !front.running || front.looks == 0;
        let radix = self.session.processor().habit.table_radix();
        let rows = names.zip(&values).zip(&front.lit).map(|((row, &(value, bits)), lit)| {
            let bright = |bit: u8| match steady {
                true => (value >> bit & 1) as f32,
                false => lit[usize::from(bit)] as f32 / front.looks as f32,
            };
            let lights = (0..bits).rev().map(bright).collect();
            Row { name: row.name.clone(), lights, value: steady.then_some(value), radix }
        });
        let rows = rows.collect();
        front.looks = 0;
        front.lit.iter_mut().for_each(|lit| *lit = [0; 36]);
        rows
    }
}
