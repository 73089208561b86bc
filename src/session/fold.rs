//! Steps of a program, with what its board's firmware does in between: a call of a routine or a service, and an interrupt that the
//! firmware answers, are one step each. Whatever of the program is executed meanwhile is a step again.

use super::services::{Called, quoted};
use super::{Change, Session, Step, Stop, step};
use crate::machine::services::transient;
use crate::machine::{MemoryKind, StopMap, Watching};
use crate::processor::{Flow, Window};

/// Where a system for disks is called.
const SYSTEM: u32 = 5;

/// What is the program's, for as long as a trace goes on.
pub(super) struct Fold {
    program: StopMap,
    /// Where the firmware is left, or the run ends.
    until: StopMap,
}

impl Fold {
    pub fn of(session: &Session, stops: &StopMap) -> Self {
        let program = session.program.as_ref().map(|program| program.addresses()).unwrap_or_default();
        let until = program.addresses().iter().chain(stops.addresses()).copied().collect();
        Self { program, until }
    }
}

/// What of a run was the program's own, and not the firmware's.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Share {
    /// Its cycles.
    pub cycles: u64,
    /// Its instructions.
    pub instructions: u64,
}

/// Where a counted run goes from the program to somewhere else, and back.
pub(super) struct Territory {
    program: StopMap,
    /// What is not the program's, and where the run ends.
    outside: StopMap,
    /// The program, and where the run ends.
    inside: StopMap,
}

impl Territory {
    /// `None` where there is nothing to tell apart.
    pub fn of(session: &Session, stops: &StopMap) -> Option<Self> {
        let program = session.program.as_ref()?.addresses();
        let firmware = session.firmware.as_ref()?.addresses();
        // Firmware puts jumps into memory by which it is called; of a large memory only its own cells are looked at.
        let last = session.processor().last_address();
        let others: Vec<u32> = match last {
            ..=0xFFFF => (0..=last).collect(),
            _ => firmware.addresses().to_vec(),
        };
        let with =
            |cells: &mut dyn Iterator<Item = u32>| cells.chain(stops.addresses().iter().copied()).collect();
        let outside = with(&mut others.into_iter().filter(|&at| !program.contains(at)));
        let inside = with(&mut program.addresses().iter().copied());
        Some(Self { program, outside, inside })
    }

    pub fn is_own(&self, address: u32) -> bool {
        self.program.contains(address)
    }
}

impl Session {
    /// What of the runs since the program was loaded was its own; `None` where not all of them were counted.
    pub fn share(&self) -> Option<Share> {
        let (share, counted) = self.share?;
        (counted == self.machine.cycles()).then_some(share)
    }

    pub(super) fn count(&mut self, cycles: u64, instructions: u64) {
        let (share, _) = self.share.get_or_insert_default();
        share.cycles += cycles;
        share.instructions += instructions;
    }

    /// The same with what passed meanwhile, whoever's it was.
    pub(super) fn count_all(&mut self, since: u64) {
        let now = self.machine.cycles();
        let (_, counted) = self.share.get_or_insert_default();
        if *counted == since {
            *counted = now;
        }
    }

    /// A slice of a run, the program's part of which is counted.
    pub(super) fn counted_slice(&mut self, territory: &Territory, stops: &StopMap, limit: u64) -> Stop {
        loop {
            let is_own = territory.is_own(self.machine.place());
            let (cycles, instructions) = (self.machine.cycles(), self.machine.instructions());
            let until = if is_own { &territory.outside } else { &territory.inside };
            let stop = self.run_machine(limit, &mut || Watching::Stops(until));
            if is_own {
                self.count(self.machine.cycles() - cycles, self.machine.instructions() - instructions);
            }
            self.count_all(cycles);
            let goes_on = stop == Stop::Breakpoint && !stops.contains(self.machine.place());
            if !goes_on {
                return stop;
            }
        }
    }

    /// True where the firmware's own cells are.
    pub(super) fn is_firmware(&self, address: u32) -> bool {
        [&self.firmware, &self.services].into_iter().flatten().any(|one| one.image.cell(address).is_some())
    }

    /// True where the firmware goes on: in its own cells, or by a jump to them that it has put into memory.
    fn leads_to_firmware(&self, address: u32) -> bool {
        let by_jump = || {
            let jump = self.instruction_at(address).0.filter(|one| one.row.flow == Flow::Jump);
            jump.and_then(|one| one.goes_to()).is_some_and(|to| self.is_firmware(to))
        };
        self.is_firmware(address) || by_jump()
    }

    /// The interrupt that the next instruction calls, where it leads from the program into the firmware.
    pub(super) fn service(&self) -> Option<u8> {
        let place = self.machine.place();
        let is_rom = |address| self.machine.kind(address) == Some(MemoryKind::Rom);
        if !self.processor().is_segmented() || is_rom(place) {
            return None;
        }
        let (instruction, cells) = step::instruction_at(&self.machine, place);
        let number = match (instruction?.row.mnemonic, cells.as_slice()) {
            ("INT", [.., number]) if cells.len() > 1 => *number as u8,
            _ => return None,
        };
        let vector = u32::from(number) * 4;
        let word = |at: u32| (self.machine.cell(at) | self.machine.cell(at + 1) << 8) as u32;
        let leads_to = Window::of_segment(self.processor(), word(vector + 2)).address(word(vector).into());
        is_rom(leads_to).then_some(number)
    }

    /// A step of the program, with all that the firmware does after it.
    pub(super) fn folded_step(&mut self, fold: &Fold, limit: u64) -> Step {
        let began = self.machine.cycles();
        let step = self.step_and_fold(fold, limit);
        if self.firmware.is_some() {
            self.count_all(began);
        }
        step
    }

    fn step_and_fold(&mut self, fold: &Fold, limit: u64) -> Step {
        let service = self.service().map(|number| Called::of(&self.machine, number));
        // A machine without a program is looked at as it is, but for services that are called by their numbers.
        let was_own = service.is_some() || fold.program.contains(self.machine.place());
        let (begin, window, output) =
            (self.machine.cycles(), self.machine.window(), self.machine.output().len());
        let seen = step::Seen::of(&self.machine);
        let first = step::step(&mut self.machine, limit);
        let entry = self.machine.place();
        if was_own && self.firmware.is_some() && first.instruction.is_some() {
            self.count(first.cycles, 1);
        }
        let is_in = |session: &Self| session.leads_to_firmware(session.machine.place());
        if !was_own
            || first.stop.is_some()
            || first.nothing_done()
            || fold.program.contains(entry)
            || !is_in(self)
        {
            return first;
        }
        // A jump to a routine at the end of one's own is as good as a call.
        let flow = first.instruction.map(|one| one.row.flow);
        let is_call = flow.is_some_and(|flow| flow.is_call() || flow == Flow::Jump) && !first.interrupt;
        let routine = (is_call && service.is_none()).then(|| self.routine(entry));
        let behind = first.behind(first.cells.len() as u32);
        let back = if first.interrupt { first.address } else { behind };
        let stop = self.rest_of_firmware(fold, back, limit);
        let has_returned = self.machine.place() == back && stop.is_none();
        let service = match service.filter(|_| !first.interrupt) {
            Some(called) if has_returned || stop.is_some() => Some(called.words(&self.machine)),
            Some(called) => Some(called.asked()),
            None => routine.map(|words| self.with_output(words, output, stop.is_none())),
        };
        let mut changes = seen.changes(&self.machine, self.processor(), &[]);
        changes.retain(|change| !matches!(change, Change::Out { .. } | Change::In { .. }));
        Step {
            window,
            changes,
            reads: Vec::new(),
            next: self.machine.place(),
            went_elsewhere: self.machine.place() != back && stop.is_none(),
            cycles: self.machine.cycles() - begin - first.waited,
            many: service.is_some() && flow != Some(Flow::Jump),
            service,
            stop,
            ..first
        }
    }

    /// Runs on until the program goes on; why the run ends before, where it does.
    fn rest_of_firmware(&mut self, fold: &Fold, back: u32, limit: u64) -> Option<Stop> {
        let alone;
        // Without a program the place after the call is all that is known of it.
        let until = match fold.program.addresses().is_empty() {
            true => {
                alone = fold.until.addresses().iter().copied().chain([back]).collect();
                &alone
            }
            false => &fold.until,
        };
        match self.run_machine(limit, &mut || Watching::Stops(until)) {
            // A breakpoint is told by whoever walks; at the end of time there is nothing to tell.
            Stop::Breakpoint | Stop::Cycles => None,
            other => Some(other),
        }
    }

    /// The same with what was shown meanwhile, where the words do not tell it already.
    fn with_output(&self, words: String, output: usize, has_returned: bool) -> String {
        let shown = self.machine.output().get(output..).unwrap_or_default();
        match shown.is_empty() || words.ends_with('"') || !has_returned {
            true => words,
            false => format!("{words} → {}", quoted(shown)),
        }
    }

    /// A routine of the firmware in words, as it is entered: its name, and the text that it is given.
    fn routine(&self, entry: u32) -> String {
        let call = self.machine.get("C").filter(|_| entry == SYSTEM && self.machine.disk().is_some());
        if let Some(number) = call {
            let name = transient::call_name(number as u8);
            let text = match number {
                2 => format!(" {}", quoted(&[self.machine.get("E").unwrap_or_default() as u8])),
                9 => format!(" {}", self.text_at(self.machine.get("DE"), b'$'.into())),
                _ => String::new(),
            };
            return format!("{number}: {name}{text}");
        }
        // In a table of jumps the routine has the name.
        let led_to = || {
            let jump = self.instruction_at(entry).0.filter(|one| one.row.flow == Flow::Jump);
            self.label(jump?.goes_to()?)
        };
        let name = self.label(entry).or_else(led_to).unwrap_or("firmware");
        let service = self.machine.board().services.iter().find(|service| service.at == entry);
        match service.and_then(|service| service.text.as_ref()) {
            Some(text) => format!("{name} {}", self.text_at(self.machine.get(&text.register), text.end)),
            None => name.to_string(),
        }
    }

    /// The text at an address up to a cell that ends it.
    fn text_at(&self, address: Option<u64>, end: u64) -> String {
        const MOST: u32 = 256;
        let first = address.unwrap_or_default() as u32;
        let cells =
            (0..MOST).map(|at| self.machine.cell(first.wrapping_add(at) & self.processor().last_address()));
        let text: Vec<u8> = cells.take_while(|&cell| cell != end).map(|cell| cell as u8).collect();
        quoted(&text)
    }
}
