//! What a hazard is, and what to do, in words.

use super::Session;
use super::extent::Extent;
use super::stack::Frame;
use crate::machine::Machine;
use crate::machine::board::ChipAt;
use crate::machine::chip::{Misuse, part};
use crate::number::digits;
use crate::session::cause::atom::atoms;

/// A hazard as it is found: what there is to say of it is put together when somebody asks.
#[derive(Debug, Clone)]
pub(super) struct Found {
    pub code: &'static str,
    pub address: u32,
    pub cycle: u64,
    pub count: u64,
    pub what: About,
}

/// What a hazard is about.
#[derive(Debug, Clone, Copy)]
pub(super) enum About {
    /// A piece of the processor's state, by its number.
    Atom(u32),
    /// A cell, with the value that was read or written.
    Cell { address: u32, value: u64 },
    /// The cell of the stack that an interrupt was to be put into.
    Interrupt(u32),
    /// A port.
    Port(u32),
    /// A call that did not come back, and where its return led instead.
    Frame(Frame, u32),
    /// A write just outside of a stretch of memory.
    Left { address: u32, from: Extent },
    /// A chip's address or port, and what its data sheet warns of.
    Chip(u32, Misuse),
    /// The address alone.
    Nothing,
}

/// Who tells of a hazard: the session now, the machine as it was in front of it, and the instruction.
struct Teller<'t> {
    session: &'t Session,
    machine: &'t Machine,
    address: u32,
    instruction: String,
}

/// What happened, and what to do.
pub(super) fn told(session: &Session, found: &Found, machine: &Machine) -> (String, String) {
    let set = session.processor();
    let label = |address: u64| session.label(address as u32).map(String::from);
    let instruction = match session.line_in(machine, found.address).filter(|line| line.code) {
        Some(line) => format!("`{}`", line.text),
        None => match crate::session::instruction_at(machine, found.address).0 {
            Some(one) => format!("`{}`", one.text(set, &label)),
            None => format!("the instruction at {}", session.machine.spell(found.address)),
        },
    };
    let teller = Teller { session, machine, address: found.address, instruction };
    let (message, help) = match found.what {
        About::Atom(at) => teller.register(at),
        About::Cell { address, value } => teller.cell(found.code, address, value),
        About::Interrupt(cell) => {
            let message = format!(
                "an interrupt, taken after {}, puts its way back on the stack at {}, where there is no RAM",
                teller.instruction,
                teller.named(cell)
            );
            (
                message,
                "set the stack pointer to RAM before interrupts are allowed, or fit the RAM".to_string(),
            )
        }
        About::Port(port) => {
            let port = set.port(port);
            let message =
                format!("{} writes to port {port}, where the board has nothing", teller.instruction);
            (message, "`boards NAME` shows the ports".to_string())
        }
        About::Frame(frame, next) => teller.way_back(found.code, frame, next),
        About::Left { address, from } => teller.left(found.code, address, from),
        About::Chip(at, misuse) => teller.chip(at, misuse),
        About::Nothing => teller.place(found.code),
    };
    (message, help)
}

impl Teller<'_> {
    fn number(&self, value: u64, bits: u8) -> String {
        digits(value, self.session.processor().habit().table_radix(), bits)
    }

    /// A cell with its name and its address.
    fn named(&self, address: u32) -> String {
        let name = self.session.cell_name(address);
        let place = self.session.machine.spell(address);
        if name.contains(&place) { place } else { format!("`{name}` ({place})") }
    }

    fn register(&self, at: u32) -> (String, String) {
        let atom = atoms(self.session.processor())[at as usize];
        let value = self.number(atom.value(self.machine), atom.bits());
        let what = if atom.is_flag { format!("the flag {}", atom.name) } else { atom.name.to_string() };
        let message = format!(
            "{} uses {what}, which nothing has set since the program began; it holds {value}",
            self.instruction
        );
        (message, "set it first".to_string())
    }

    fn cell(&self, code: &str, address: u32, value: u64) -> (String, String) {
        let Self { session, instruction, .. } = self;
        let (cell, value) = (self.named(address), session.processor().cell(value));
        let (message, help) = match code {
            "unset-cell" => (
                format!("{instruction} reads {cell}, which nothing has loaded or written; it holds {value}"),
                "write to it first, or lay its value down with the program",
            ),
            "code-changed" => (
                format!("{instruction} writes {value} into {cell}, where an instruction of the program is"),
                "look where the address comes from (`why`); if it is meant, allow it in the line",
            ),
            "constant-written" => (
                format!("{instruction} writes {value} into {cell}, which the source calls constant"),
                "look where the address comes from (`why`); a variable has another comment",
            ),
            "text-written" => (
                format!("{instruction} writes {value} into the text at {cell}"),
                "a buffer is reserved with `ds`; if the text is one, allow it in the line",
            ),
            "rom-written" => (
                format!("{instruction} writes to {cell}, which is ROM: nothing is changed"),
                "let the address lead to RAM",
            ),
            "stack-no-ram" => (
                format!("{instruction} puts something on the stack at {cell}, where there is no RAM"),
                "set the stack pointer to RAM before the first call",
            ),
            "stack-in-program" => (
                format!("{instruction} puts something on the stack at {cell}, in the program"),
                "set the stack pointer further up, or look for calls that never return",
            ),
            "unset-vector" => (
                format!("an interrupt comes through {cell}, which nothing has set"),
                "put the address of its routine there",
            ),
            _ => (
                format!("{instruction} reaches for {cell}, where the board has nothing"),
                "`boards NAME` shows what is where",
            ),
        };
        (message, help.to_string())
    }

    /// Out of a stretch of memory.
    fn left(&self, code: &str, address: u32, from: Extent) -> (String, String) {
        let Self { session, instruction, .. } = self;
        let name = |address: u32| {
            let regions = session.program.as_ref().map_or(&[][..], |program| &program.regions);
            let region = regions.iter().find(|one| one.contains(address));
            region.filter(|one| address != from.first || one.first == from.first).map(|one| one.name.clone())
        };
        let place = |address: u32| session.machine.spell(address);
        let stretch = format!("({} to {})", place(from.first), place(from.last));
        let whole = match name(from.first) {
            Some(name) => format!("the region `{name}` {stretch}"),
            None => format!("`{}` {stretch}", session.cell_name(from.first)),
        };
        let into = name(address).map_or(String::new(), |name| format!(", in the region `{name}`"));
        let cell = self.named(address);
        if code == "stack-too-deep" {
            let message = format!("{instruction} puts something on the stack at {cell}, below {whole}");
            return (message, "make room for it, or look for calls that never return".to_string());
        }
        let message = format!("{instruction} writes past the end of {whole} to {cell}{into}");
        (message, "let its loop end with the region, or make the region larger".to_string())
    }

    /// Against a data sheet.
    fn chip(&self, at: u32, misuse: Misuse) -> (String, String) {
        let chips = self.session.machine.chips();
        let is_there = |first: u32, count: u32| at >= first && at - first < count;
        let chip = chips.iter().find(|one| match one.place.at {
            ChipAt::Memory { first, last } => {
                self.session.machine.is_chip(at) && (first..=last).contains(&at)
            }
            ChipAt::Port(first) => {
                !self.session.machine.is_chip(at)
                    && is_there(first, part(&one.place.part).map_or(1, |part| part.registers))
            }
        });
        let chip = chip.map_or(String::new(), |one| format!(" ({}, `{}`)", one.place.part, one.place.name));
        (format!("{} {}{chip}", self.instruction, misuse.words()), misuse.help().to_string())
    }

    fn way_back(&self, code: &str, frame: Frame, next: u32) -> (String, String) {
        let Self { session, instruction, .. } = self;
        let next = session.machine.spell(next);
        let call = match session.line_of(frame.call) {
            Some(line) => format!("`{}` in line {}", line.text, line.number),
            None => format!("the call at {}", session.machine.spell(frame.call)),
        };
        match code {
            "return-astray" => {
                let cell = session.processor().habit().literal(frame.place.into(), 16);
                let message = format!(
                    "{instruction} goes to {next}, not to the instruction after {call}: the return address was changed"
                );
                (message, format!("`why cell {cell}` tells who changed it"))
            }
            _ => (
                format!("{instruction} goes to {next}: the stack is not as {call} has left it"),
                "count what the routine puts on the stack and takes from it".to_string(),
            ),
        }
    }

    fn place(&self, code: &str) -> (String, String) {
        let Self { session, address, .. } = self;
        let place = session.machine.spell(*address);
        match code {
            "inside-instruction" => {
                let before = (1..8).map(|back| address.wrapping_sub(back));
                let whole = before.into_iter().find_map(|at| session.line_of(at).filter(|line| line.code));
                let whole =
                    whole.map_or(String::new(), |line| format!(" `{}` (line {})", line.text, line.number));
                (
                    format!("execution came to {place}, in the middle of the instruction{whole}"),
                    "jump to a label; `back` shows where it came from".to_string(),
                )
            }
            _ => (
                format!("execution came to {place}, where nothing was loaded or written"),
                "end the program with a halt, a jump or a return; `back` shows where it came from"
                    .to_string(),
            ),
        }
    }
}
