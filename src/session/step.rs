//! One instruction and everything it changed.

use super::Stop;
use crate::image::Cell;
use crate::machine::{Access, InterruptLine, Machine, Noted, Stopped};
use crate::processor::{Context, Decoded, InstructionSet, LONGEST, Role, Window, decode_in};
use serde::Serialize;

/// Something that an instruction changed or did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "what")]
#[non_exhaustive]
pub enum Change {
    /// A register has another value. Pairs and the program counter are left out: their halves and the next address
    /// say the same.
    Register {
        /// The maker's name.
        name: &'static str,
        /// Its width.
        bits: u8,
        /// The value before.
        before: u64,
        /// The value after.
        after: u64,
    },
    /// A flag has another value.
    Flag {
        /// The maker's name.
        name: &'static str,
        /// The value after; before it was the other.
        after: bool,
    },
    /// A cell was written.
    Cell {
        /// The address.
        address: u32,
        /// The value before.
        before: Cell,
        /// The value after; equal to `before` where the same was written or nothing was changed.
        after: Cell,
        /// False where the write had no effect: ROM, or no memory at all.
        took_effect: bool,
    },
    /// A chip's register among the memory was read or written.
    Chip {
        /// The address.
        address: u32,
        /// The value that it gave or got.
        value: Cell,
        /// True where it was written.
        written: bool,
    },
    /// A port was read.
    In {
        /// The port.
        port: u32,
        /// The value.
        value: Cell,
    },
    /// A port was written.
    Out {
        /// The port.
        port: u32,
        /// The value.
        value: Cell,
        /// False where nothing took it.
        took_effect: bool,
    },
    /// The console received characters.
    Console {
        /// The bytes.
        bytes: Vec<u8>,
    },
}

/// What one step did.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Address of the instruction.
    pub address: u32,
    /// Where its program counts its places.
    pub window: Window,
    /// Its cells; empty where an interrupt was taken in its place, or nothing was done.
    pub cells: Vec<Cell>,
    /// The instruction; `None` where the cells are none of this processor, or where an interrupt was taken.
    pub instruction: Option<Decoded>,
    /// True where an interrupt was taken in place of the instruction.
    pub interrupt: bool,
    /// The chips that asked for that interrupt, as far as it shows.
    pub causes: Vec<String>,
    /// What it changed, registers first.
    pub changes: Vec<Change>,
    /// Cells it read as data, address and value.
    pub reads: Vec<(u32, Cell)>,
    /// True where it was fetched from where no memory is: its cells are what was on the bus.
    pub no_memory: bool,
    /// The program counter after it.
    pub next: u32,
    /// True where the next instruction is not the one that follows in memory.
    pub went_elsewhere: bool,
    /// Cycles it took.
    pub cycles: u64,
    /// Cycles that passed in a halt before it.
    pub waited: u64,
    /// What it asked of the firmware and what came of that, where it is a call of a service with all that the service does.
    pub service: Option<String>,
    /// True where it stands for many: a call with all that it calls, or the way out of a routine.
    pub many: bool,
    /// Why the machine stopped after it, if it did.
    pub stop: Option<Stop>,
}

impl Step {
    /// The address so many cells after its own.
    pub fn behind(&self, cells: u32) -> u32 {
        self.window.behind(self.address, cells)
    }

    /// True where nothing was executed and no interrupt taken: the machine waits or cannot go on.
    pub fn nothing_done(&self) -> bool {
        self.cells.is_empty() && !self.interrupt
    }
}

/// The instruction at an address, and its cells; a single cell where it is not an instruction.
pub fn instruction_at(machine: &Machine, address: u32) -> (Option<Decoded>, Vec<Cell>) {
    instruction_of(machine, machine.context_at(address), address)
}

/// The same read in another way.
pub(super) fn instruction_of(
    machine: &Machine,
    context: Context,
    address: u32,
) -> (Option<Decoded>, Vec<Cell>) {
    instruction_in(context, cells_at(machine, context.window, address), address)
}

/// As many cells from an address on as an instruction can have.
fn cells_at(machine: &Machine, window: Window, address: u32) -> Vec<Cell> {
    (0..LONGEST as u32).map(|at| machine.cell(window.behind(address, at))).collect()
}

fn instruction_in(context: Context, mut cells: Vec<Cell>, address: u32) -> (Option<Decoded>, Vec<Cell>) {
    let decoded = decode_in(context, &cells, address).ok().flatten();
    cells.truncate(decoded.map_or(1, |decoded| decoded.cells()));
    (decoded, cells)
}

/// The registers and flags of a machine, as far as a step tells their changes.
pub(super) struct Seen {
    registers: Vec<u64>,
    output: usize,
}

fn is_told(role: Role) -> bool {
    matches!(role, Role::Data | Role::Cell | Role::Stack | Role::Control)
}

impl Seen {
    pub fn of(machine: &Machine) -> Self {
        let count = machine.set().registers().len();
        Self {
            registers: (0..count).map(|place| machine.register(place)).collect(),
            output: machine.output().len(),
        }
    }

    pub fn changes(&self, machine: &Machine, set: &InstructionSet, notes: &[Noted]) -> Vec<Change> {
        let mut changes = Vec::new();
        let mut flags = Vec::new();
        for (place, register) in set.registers().iter().enumerate() {
            let (before, after) = (self.registers[place], machine.register(place));
            if before == after {
                continue;
            }
            if is_told(register.role) {
                changes.push(Change::Register { name: register.name, bits: register.bits, before, after });
            } else if register.role == Role::Flags {
                let changed = set.flags().iter().filter(|flag| (before ^ after) & flag.mask != 0);
                flags.extend(
                    changed.map(|flag| Change::Flag { name: flag.name, after: after & flag.mask != 0 }),
                );
            }
        }
        changes.append(&mut flags);
        // A register that is a cell is told as a register.
        let is_register = |note: &&Noted| {
            let register = set.registers().get(note.address as usize);
            note.access == Access::Write && register.is_some_and(|one| one.role == Role::Cell)
        };
        changes.extend(notes.iter().filter(|note| !is_register(note)).filter_map(|note| match note.access {
            Access::Read | Access::Write if machine.is_chip(note.address) => Some(Change::Chip {
                address: note.address,
                value: note.value,
                written: note.access == Access::Write,
            }),
            Access::Write => Some(Change::Cell {
                address: note.address,
                before: note.before,
                after: if note.took_effect { note.value } else { note.before },
                took_effect: note.took_effect,
            }),
            Access::In if !note.took_effect => None,
            Access::In => Some(Change::In { port: note.address, value: note.value }),
            Access::Out => {
                Some(Change::Out { port: note.address, value: note.value, took_effect: note.took_effect })
            }
            Access::Read | Access::Fetch => None,
        }));
        let output = machine.output().get(self.output..).unwrap_or_default();
        if !output.is_empty() {
            changes.push(Change::Console { bytes: output.to_vec() });
        }
        changes
    }
}

/// Executes one instruction, or takes one interrupt; waits for it in a halt at most to cycle `limit`.
pub(super) fn step(machine: &mut Machine, limit: u64) -> Step {
    let address = machine.place();
    let context = machine.context_at(address);
    let window = context.window;
    let mut all = cells_at(machine, window, address);
    let seen = Seen::of(machine);
    let (cycles, count) = (machine.cycles(), machine.instructions());
    let mut notes = Vec::new();
    let asked = asking(machine);
    let (stopped, waited) = machine.step(limit, &mut notes);
    let spent = machine.cycles() - cycles - waited;
    let executed = machine.instructions() != count;
    let is_before = matches!(stopped, Stopped::Undefined | Stopped::Chain);
    let interrupt = !executed && !notes.is_empty() && !is_before;
    // Where there is no memory, what was on the bus is what was executed.
    let fetches = notes.iter().filter(|note| note.access == Access::Fetch);
    for note in fetches.clone() {
        let at = window.number(note.address).wrapping_sub(window.number(address)) & window.last();
        if let Some(cell) = all.get_mut(at as usize) {
            *cell = note.value;
        }
    }
    let no_memory =
        executed && fetches.clone().any(|note| note.address == address && machine.kind(address).is_none());
    let (instruction, cells) = if executed { instruction_in(context, all, address) } else { (None, vec![]) };
    let next = machine.place();
    let following = window.behind(address, cells.len() as u32);
    let stop = match stopped {
        // The jump to itself, or the halt, is told where it happens; the next step says that nothing goes on.
        Stopped::Cycles => None,
        other => Some(Stop::of(other)),
    };
    let reads =
        notes.iter().filter(|note| note.access == Access::Read).map(|note| (note.address, note.value));
    Step {
        address,
        window,
        instruction,
        interrupt,
        reads: reads.collect(),
        changes: seen.changes(machine, machine.set(), &notes),
        next,
        went_elsewhere: (executed || interrupt) && next != following,
        cycles: spent,
        waited,
        no_memory,
        service: None,
        many: false,
        cells,
        stop,
        causes: if interrupt { causes(machine, (asked, cycles)) } else { Vec::new() },
    }
}

/// The chips that ask for an interrupt, a bit each.
fn asking(machine: &Machine) -> u64 {
    let chips = machine.chips().iter().take(64).enumerate();
    chips.filter(|(_, one)| one.chip.requests().is_some()).fold(0, |bits, (at, _)| bits | 1 << at)
}

/// The names of those that asked for what has just been taken: who answered, else who still asks, or did before. A chip that others ask
/// through is none.
fn causes(machine: &Machine, (before, since): (u64, u64)) -> Vec<String> {
    let chips = machine.chips();
    let leads_on = |name: &str| {
        chips.iter().any(|one| match one.place.interrupt {
            Some(InterruptLine::Pin(wire)) => chips.get(wire.chip).is_some_and(|to| to.place.name == name),
            _ => false,
        })
    };
    let answered =
        machine.answered().filter(|answered| answered.0 >= since).map(|answered| &answered.1.place.name);
    if let Some(name) = answered.filter(|name| !leads_on(name)) {
        return vec![name.clone()];
    }
    let now = asking(machine);
    let bits = if now == 0 { before } else { now };
    let asks = chips.iter().enumerate().filter(|(at, _)| *at < 64 && bits >> at & 1 != 0);
    asks.map(|(_, one)| one.place.name.clone()).filter(|name| !leads_on(name)).collect()
}
