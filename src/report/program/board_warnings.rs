//! Warnings about a program on its board: its stack, its interrupt vectors, the texts it gives to the firmware.

use super::blocks::blocks_of;
use super::warnings::Finder;
use crate::assembler::SymbolKind;
use crate::machine::Area;
use crate::processor::{Decoded, Flow, Role, Shape, Window};
use std::collections::HashMap;

/// The address below one that an instruction at `at` puts into the stack pointer. A word of 16 bits goes round in them; where
/// addresses are longer, the rest of it is that of the program.
fn below(at: u32, decoded: &Decoded, value: u32) -> u32 {
    let bits = if decoded.row.operands.contains(&Shape::DATA24) { 24 } else { 16 };
    Window::around(at, bits).address(u64::from(value).wrapping_sub(1))
}

impl Finder<'_> {
    /// The constant that an instruction puts into a register.
    fn constant(&self, decoded: &Decoded) -> Option<(&'static str, u32)> {
        match decoded.row.operands {
            [Shape::Name { names, .. }, Shape::DATA16 | Shape::DATA24] => {
                let own = *names.list.get(decoded.operands[0] as usize)?;
                // `H` names the pair HL.
                let pair = self
                    .set
                    .hints
                    .register_aliases
                    .iter()
                    .find(|(other, name)| *name == own && other.len() == 2);
                Some((pair.map_or(own, |(other, _)| other), decoded.operands[1] as u32))
            }
            _ => None,
        }
    }

    pub(super) fn stack_and_texts(&mut self) {
        let Some((board, _)) = self.board else { return };
        let is_ram = |address: u32| {
            board
                .memory
                .iter()
                .any(|area| area.kind.is_writable() && (area.first..=area.last).contains(&address))
        };
        let stack = self.set.registers().iter().find(|register| register.role == Role::Stack);
        for block in blocks_of(&self.reach, &self.entries).into_values() {
            let mut constants: HashMap<&str, u32> = HashMap::new();
            for (address, decoded) in &block.instructions {
                if let Some((register, value)) = self.constant(decoded) {
                    constants.insert(register, value);
                    let below = below(*address, decoded, value);
                    if stack.is_some_and(|stack| stack.name == register)
                        && !is_ram(below)
                        && let Some(line) = self.line_at(*address)
                    {
                        let message = format!(
                            "the stack would grow down from {}, where {} has no RAM",
                            self.set.address(below.into()),
                            board.name
                        );
                        self.warn(
                            "stack-outside",
                            self.statement(line),
                            message,
                            "choose the end of a stretch of RAM; `plainbyte boards` shows them",
                        );
                    }
                }
                let service = board.services.iter().find(|one| Some(one.at) == decoded.goes_to());
                if let Some(service) = service
                    && let Some(given) = &service.text
                    && let Some(&text) = constants.get(given.register.as_str())
                    && let (Some(call), Some(line)) = (self.line_at(*address), self.line_at(text))
                    && !self.has_end(text, given.end)
                {
                    let message = format!(
                        "this text has no {} at its end, and `{}` goes on until it meets one",
                        self.set.habit().literal(given.end, 8),
                        service.name
                    );
                    let label = Some((self.statement(call), "it is given to the firmware here"));
                    self.warn_with(
                        "text-end",
                        self.statement(line),
                        message,
                        format!("add `, {}` after it", given.end),
                        label,
                    );
                }
            }
        }
    }

    /// True where the end stands before the next label or instruction.
    fn has_end(&self, text: u32, end: u64) -> bool {
        let labels = self.assembly.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Label);
        let next = labels.map(|symbol| symbol.value).filter(|&value| value > i64::from(text)).min();
        (text..)
            .take_while(|&at| next.is_none_or(|next| i64::from(at) < next) && !self.reach.is_code(at))
            .map_while(|at| self.assembly.image.cell(at))
            .any(|cell| cell == end)
    }

    /// A stack in a page of its own needs RAM there, whoever uses it.
    pub(super) fn fixed_stack(&mut self) {
        let Some((board, _)) = self.board.filter(|_| self.set.registers.stack_page > 0) else { return };
        let (first, last) = (self.set.registers.stack_page, self.set.registers.stack_page + 0xFF);
        let is_ram = |area: &&Area| area.kind.is_writable();
        if board.memory.iter().filter(is_ram).any(|area| area.first <= first && last <= area.last) {
            return;
        }
        // A return alone may be an interrupt's, which the author may mean to show.
        let uses = |one: &Decoded| {
            matches!(one.row.flow, Flow::Call | Flow::CallIf | Flow::Break(_))
                || self.set.table.stack_users.contains(&one.row.mnemonic)
        };
        let found = self.reach.instructions().find(|(_, one)| uses(one));
        let Some(line) = found.and_then(|(address, _)| self.line_at(address)) else { return };
        let message = format!(
            "this uses the stack, which lies from {} to {}, and {} has no RAM there",
            self.set.address(first.into()),
            self.set.address(last.into()),
            board.name
        );
        let help = "what is pushed is lost, and a return goes astray; keep to registers, or fit the RAM";
        self.warn("stack-outside", self.statement(line), message, help);
    }

    pub(super) fn vectors(&mut self) {
        let Some((board, firmware)) = self.board else { return };
        // What a region is filled with leads nowhere, so a line has to put something there.
        let has =
            |at: u32| self.line_at(at).is_some() || firmware.is_some_and(|image| image.cell(at).is_some());
        let keys = board
            .keys
            .iter()
            .filter_map(|key| Some((format!("the key {}", key.name), key.input.as_deref()?)));
        let chips = board
            .chips
            .iter()
            .filter_map(|chip| Some((format!("the chip {}", chip.name), chip.input()?.name)));
        let reset = std::iter::once(("the reset".to_string(), "RESET"));
        let mut missing: Vec<(String, u32, bool)> = Vec::new();
        for (who, input) in reset.chain(keys).chain(chips) {
            // After a pointer that can be kept away, and at any vector, only what lets interrupts through matters.
            let always =
                self.set.interrupts.level_input != Some(input) && !self.set.interrupts.pointers.is_empty();
            let place = self
                .set
                .interrupts
                .vectors
                .iter()
                .chain(self.set.interrupts.pointers)
                .find(|(name, _)| *name == input);
            if let Some(&(_, at)) = place
                && !has(at)
                && !missing.iter().any(|other| other.1 == at)
            {
                missing.push((who, at, always));
            }
        }
        let enables = self.reach.instructions().find(|(_, one)| one.row.flow == Flow::Enable);
        let enables = enables.map(|(address, _)| address);
        let first = self.assembly.image.start();
        for (who, vector, always) in missing {
            let Some(line) = enables.or(first.filter(|_| always)).and_then(|at| self.line_at(at)) else {
                continue;
            };
            let place = self.set.address(vector.into());
            let (message, help) = match (
                self.set.interrupts.pointers.is_empty(),
                enables.is_some() && !always,
            ) {
                (true, _) => (
                    format!("interrupts are allowed here, and {who} goes to {place}, where nothing stands"),
                    "put a jump to its routine there".to_string(),
                ),
                (false, true) => (
                    format!(
                        "interrupts are allowed here, and {who} goes where {place} says, where nothing stands"
                    ),
                    format!(
                        "write `org {}` and `dw` with the routine's label",
                        self.set.habit().literal(vector.into(), 16)
                    ),
                ),
                (false, false) => (
                    format!("{who} goes where {place} says, and nothing stands there"),
                    format!(
                        "write `org {}` and `dw` with the label it goes to",
                        self.set.habit().literal(vector.into(), 16)
                    ),
                ),
            };
            self.warn("no-vector", self.statement(line), message, &help);
        }
    }
}
