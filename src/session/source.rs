//! Where in the source things in memory come from: instructions, lines, labels, texts.

use super::program::LineCode;
use super::{Program, Session, SourceLine, step};
use crate::image::Cell;
use crate::machine::Machine;
use crate::processor::Decoded;
use std::collections::BTreeMap;

impl Session {
    /// The instruction at an address, and its cells: decoded in the mode its source declares; at the program counter, in the
    /// processor's.
    pub fn instruction_at(&self, address: u32) -> (Option<Decoded>, Vec<Cell>) {
        let set = self.processor();
        let known = self.program_at(address).filter(|_| address != self.machine.place());
        let long = known.and_then(|program| program.image.long_mode_at(address));
        let context = match long {
            Some(long) => set.in_mode(long).context(address),
            None => self.machine.context_at(address),
        };
        step::instruction_of(&self.machine, context, address)
    }

    /// The source line of an address, in the program or the firmware, as long as memory still holds what the line
    /// made.
    pub fn source_line(&self, address: u32) -> Option<&SourceLine> {
        self.program_at(address)?.line(address)
    }

    /// Everything in memory whose source is known, the program first.
    pub(super) fn texts(&self) -> impl Iterator<Item = &Program> {
        [&self.program, &self.firmware, &self.services].into_iter().filter_map(|one| one.as_deref())
    }

    /// The program and what else is in memory with its source.
    pub fn texts_and_programs(&self) -> Vec<&Program> {
        self.texts().collect()
    }

    /// The instructions that each line of a text made.
    pub fn code_by_line(&self, text: &str) -> &LineCode {
        static NONE: LineCode = LineCode::new();
        self.texts().find_map(|one| one.code_by_line(text)).unwrap_or(&NONE)
    }

    /// A text that something in memory was assembled from, by its name.
    pub fn text(&self, name: &str) -> Option<&str> {
        self.texts().find_map(|one| one.texts().find(|text| text.0 == name).map(|text| text.1))
    }

    /// True where an address belongs to something whose source is known.
    pub fn has_text_at(&self, address: u32) -> bool {
        self.texts().any(|one| one.texts().next().is_some() && one.image.cell(address).is_some())
    }

    /// The source line of an address, as long as a machine, as it is or was, holds what the line made.
    pub(super) fn line_in(&self, machine: &Machine, address: u32) -> Option<&SourceLine> {
        self.texts().find_map(|one| {
            let line = one.line(address)?;
            let holds = |at: u32| one.image.cell(address + at) == Some(machine.cell(address + at));
            (0..line.cells).all(holds).then_some(line)
        })
    }

    /// The source line whose cells begin at an address, whatever memory holds there now.
    pub fn line_of(&self, address: u32) -> Option<&SourceLine> {
        self.texts().find_map(|one| one.line(address))
    }

    /// The address that a word on the stack leads back to, where a call stands in front of it.
    pub fn return_address(&self, word: u32) -> Option<u32> {
        // The 6502 keeps the last cell of its call.
        let after = word.wrapping_add(u32::from(self.processor().registers.stack_page > 0));
        let is_call = |back: &u32| {
            let at = after.wrapping_sub(*back);
            let is_line = self.line_of(at).is_some_and(|line| line.code && line.cells == *back);
            let decoded = self.instruction_at(at).0.filter(|_| is_line);
            decoded.is_some_and(|one| one.row.flow.is_call() && one.cells() as u32 == *back)
        };
        (1..6).find(is_call).map(|_| after)
    }

    /// The program that memory holds at an address.
    pub(super) fn program_at(&self, address: u32) -> Option<&Program> {
        self.texts().find(|program| {
            program.line(address).is_some_and(|line| {
                (0..line.cells)
                    .all(|at| program.image.cell(address + at) == Some(self.machine.cell(address + at)))
            })
        })
    }

    /// The labels of the program and of the board's firmware, the program's first where two stand at one address.
    pub fn labels(&self) -> BTreeMap<u32, &str> {
        let mut labels = BTreeMap::new();
        for text in self.texts() {
            for (address, name) in text.symbols.labels() {
                labels.entry(address).or_insert(name);
            }
        }
        labels
    }

    /// The label at an address.
    pub fn label(&self, address: u32) -> Option<&str> {
        self.texts().find_map(|program| program.label(address))
    }
}
