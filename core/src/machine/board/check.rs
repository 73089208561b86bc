//! Checks a description and makes the board of it: clock, memory, chips, firmware services.

use super::description::{
    BankDescription, ChipDescription, Description, DiskDescription, MemoryDescription, PlaceDescription,
    ServiceDescription,
};
use super::{
    Bank, Board, ChipAt, ChipPlace, DiskServices, Firmware, GivenText, Input, InterruptLine, Place, Routine,
    VERSION, set_hex, span_of,
};
use crate::diagnostic::Diagnostic;
use crate::machine::chip::{self, Needs, PARTS, Part};
use crate::machine::cores::memory::Area;
use crate::machine::part::Wire;
use crate::processor::{self, InstructionSet};
use std::ops::Range;
use toml::Spanned;

#[derive(Default)]
pub(super) struct Check {
    pub(super) errors: Vec<Diagnostic>,
}

impl Check {
    pub(super) fn wrong(&mut self, range: Range<usize>, message: impl Into<String>, help: impl Into<String>) {
        self.errors.push(Diagnostic::error("board", span_of(&range), message, help));
    }

    pub(super) fn number(&mut self, value: &Spanned<i64>, last: i64, what: &str) -> u32 {
        let number = *value.get_ref();
        if !(0..=last).contains(&number) {
            let message = format!("{what} {number} is out of range");
            self.wrong(value.span(), message, format!("give 0 to {last} (0x{last:X})"));
            return 0;
        }
        number as u32
    }

    pub(super) fn board(&mut self, description: Description) -> Option<Board> {
        let version = *description.version.get_ref();
        if version != VERSION {
            let message = format!("version {version} of the board description is unknown");
            self.wrong(description.version.span(), message, format!("this is version {VERSION}"));
        }
        let name = description.name.get_ref().clone();
        let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        if name.is_empty() || !name.chars().all(plain) {
            let message = format!("`{name}` is not a name for a board");
            self.wrong(description.name.span(), message, "use small letters, digits and hyphens");
        }
        let set = match processor::find(description.processor.get_ref()) {
            Ok(set) => set,
            Err(error) => {
                self.wrong(description.processor.span(), error.to_string(), "choose one of them");
                return None;
            }
        };
        let clock = *description.clock.get_ref();
        if !(1..=1_000_000_000).contains(&clock) {
            let message = format!("a clock of {clock} Hz");
            self.wrong(description.clock.span(), message, "give the frequency in Hz, such as 3_072_000");
        }
        let last = i64::from(set.last_address());
        let load = description.load.as_ref().map_or(0, |load| self.number(load, last, "the load address"));
        let memory = self.memory(&description.memory, last);
        let chips = self.chips(description.chip, set, &memory);
        let start = description.start.as_ref().map(|start| self.number(start, last, "the start"));
        let bank = description.bank.and_then(|bank| self.bank(&bank, &memory, &chips));
        let wires = self.board_wires(description.wire, &chips);
        let keypads = self.keypads(description.keypad, &chips);
        let jumpers = self.jumpers(description.jumper, &keypads);
        let keyboard = description.keyboard.and_then(|keyboard| self.keyboard(keyboard, &keypads));
        let recorder = description.recorder.and_then(|place| self.recorder(place, &chips, &keypads));
        Some(Board {
            name,
            title: description.title,
            set,
            clock: clock.max(1) as u64,
            unmapped: description.unmapped,
            load,
            power_on: description
                .power_on
                .as_ref()
                .map_or(0, |value| self.number(value, set.last_cell() as i64, "the cell").into()),
            start,
            bank,
            disk: description.disk.and_then(|disk| self.disk(&disk)),
            firmware: description
                .firmware
                .map(|firmware| Firmware { source: firmware.source, ready: firmware.ready }),
            memory,
            wires: wires.clone(),
            lamps: self.pins(description.lamp, &chips, true, &[]),
            buttons: {
                let rows = keypads.iter().flat_map(|pad| pad.rows.clone());
                let lines = chips.iter().filter_map(|chip| match chip.interrupt {
                    Some(InterruptLine::Pin(wire)) => Some(wire),
                    _ => None,
                });
                let tape = recorder.and_then(|place| place.input);
                let driven = rows.chain(lines).chain(wires.iter().map(|wire| wire.1)).chain(tape);
                let driven: Vec<Wire> = driven.collect();
                self.pins(description.button, &chips, false, &driven)
            },
            digits: self.digits(description.digits, &chips),
            keying: description.keying.map(|keying| self.keying(keying, &keypads)),
            keypads,
            keyboard,
            jumpers,
            stepper: description.step.and_then(|step| self.stepper(&step, &chips, set)),
            recorder,
            speaker: description.speaker.map(|speaker| self.wires(&speaker.pins, &chips)),
            front: description.front.as_ref().map(|front| self.front(front, set)),
            lights: self.lights(description.lights, description.front, set, &chips),
            console: description.console.map(|console| self.console(&console, clock, &chips)),
            chips,
            keys: self.keys(description.key, set),
            services: self.services(description.service, set),
            places: self.places(description.place, set),
        })
    }

    fn disk(&mut self, disk: &Spanned<DiskDescription>) -> Option<DiskServices> {
        let DiskDescription { services, resident } = disk.get_ref();
        match (services, resident) {
            (Some(source), false) => Some(DiskServices::Source(source.clone())),
            (None, true) => Some(DiskServices::Resident),
            _ => {
                let help = "write services = \"FILE.asm\", or resident = true where the firmware has them";
                self.wrong(
                    disk.span(),
                    "the disk services stand either in a source or in the firmware",
                    help,
                );
                None
            }
        }
    }

    pub(super) fn memory(&mut self, list: &[Spanned<MemoryDescription>], last_address: i64) -> Vec<Area> {
        let mut areas: Vec<(Area, Range<usize>)> = Vec::new();
        for entry in list {
            let MemoryDescription { kind, first, last, ref name } = *entry.get_ref();
            if first < 0 || last > last_address || first > last {
                let message = format!("memory from {first} to {last} is not a stretch of addresses");
                let help = format!("`first` is the lower one, and the last address is 0x{last_address:X}");
                self.wrong(entry.span(), message, help);
                continue;
            }
            let name = name.clone();
            let area = Area { kind, first: first as u32, last: last as u32, name };
            let clash = areas.iter().find(|(other, _)| other.first <= area.last && area.first <= other.last);
            if let Some((other, place)) = clash {
                let first = area.first.max(other.first);
                let message = format!("two memories claim the address {}", set_hex(first));
                let error =
                    Diagnostic::error("board", span_of(&entry.span()), message, "shorten one of them");
                self.errors.push(error.with_label(span_of(place), "the other one"));
                continue;
            }
            areas.push((area, entry.span()));
        }
        if list.is_empty() {
            self.wrong(0..0, "the board has no memory", "add a [[memory]] entry");
        }
        areas.into_iter().map(|(area, _)| area).collect()
    }

    /// Banks: a stretch of RAM, and the latch that chooses one of them.
    fn bank(
        &mut self,
        entry: &Spanned<BankDescription>,
        memory: &[Area],
        chips: &[ChipPlace],
    ) -> Option<Bank> {
        let BankDescription { first, last, ref count, ref latch } = *entry.get_ref();
        let inside = |area: &&Area| i64::from(area.first) <= first && last <= i64::from(area.last);
        let area = memory.iter().find(inside).filter(|area| area.kind.is_writable());
        if area.is_none() || first > last {
            let message = format!("banks from {first} to {last} do not lie in a stretch of RAM");
            self.wrong(entry.span(), message, "describe that RAM first, in one piece, as [[memory]]");
            return None;
        }
        let known = chips.iter().position(|chip| &chip.name == latch.get_ref());
        let chip = known.filter(|&at| chips[at].wiring == Some(super::Wiring::Bank));
        if chip.is_none() {
            let message = format!("no latch `{}` chooses a bank", latch.get_ref());
            let help = "name a chip 8212 whose `wiring` is \"bank\"";
            self.wrong(latch.span(), message, help);
        }
        let most = 256;
        if !(2..=most).contains(count.get_ref()) {
            let message = format!("{} banks", count.get_ref());
            self.wrong(
                count.span(),
                message,
                format!("give 2 to {most}, as many as the latch has numbers for"),
            );
            return None;
        }
        Some(Bank { first: first as u32, last: last as u32, count: *count.get_ref() as u32, chip: chip? })
    }

    pub(super) fn chips(
        &mut self,
        list: Vec<Spanned<ChipDescription>>,
        set: &'static InstructionSet,
        memory: &[Area],
    ) -> Vec<ChipPlace> {
        let mut places: Vec<ChipPlace> = Vec::new();
        let mut lines: Vec<(usize, Spanned<String>)> = Vec::new();
        for entry in list {
            let span = entry.span();
            let chip = entry.into_inner();
            let part = chip.part.get_ref().clone();
            let Some(known) = chip::part(&part) else {
                let names: Vec<&str> = PARTS.iter().map(|part| part.name).collect();
                let help = format!("the parts are {}", names.join(", "));
                self.wrong(chip.part.span(), format!("there is no chip `{part}` here"), help);
                continue;
            };
            self.needs(known, &chip, &span);
            let at = self.chip_place(known, &chip, span.clone(), set, memory);
            let overlaps = |other: &&ChipPlace| match (at, other.at) {
                (ChipAt::Port(one), ChipAt::Port(two)) => {
                    let registers = |part: &str| chip::part(part).map_or(1, |part| part.registers);
                    one < two + registers(&other.part) && two < one + known.registers
                }
                (ChipAt::Memory { first, last }, ChipAt::Memory { first: from, last: to }) => {
                    first <= to && from <= last
                }
                _ => false,
            };
            let name = chip.name.get_ref().clone();
            if let Some(other) = places.iter().find(overlaps) {
                let what = if matches!(at, ChipAt::Port(_)) { "port" } else { "address" };
                let first = at.first().max(other.at.first());
                let message = format!("the {what} {} belongs to `{}` already", set_hex(first), other.name);
                self.wrong(span, message, format!("give one of them another {what}"));
            } else if places.iter().any(|other| other.name == name) {
                self.wrong(span, format!("there are two chips `{name}`"), "give one another name");
            }
            lines.extend(chip.interrupt.map(|wanted| (places.len(), wanted)));
            let clock = chip.clock.as_ref().map(|clock| match *clock.get_ref() {
                hz @ 1..=1_000_000_000 => hz as u64,
                hz => {
                    self.wrong(clock.span(), format!("a clock of {hz} Hz"), "give the frequency in Hz");
                    1
                }
            });
            places.push(ChipPlace { part, name, at, wiring: chip.wiring, interrupt: None, clock });
        }
        // A line may go to a chip further down.
        for (from, wanted) in lines {
            places[from].interrupt = self.interrupt_line(from, &wanted, set, &places);
        }
        places
    }

    /// What the part must have, and what it has no use for.
    pub(super) fn needs(&mut self, part: &Part, chip: &ChipDescription, span: &Range<usize>) {
        let wanted = [
            (part.needs == Needs::Wiring, chip.wiring.is_some(), "wiring", "wiring = \"lamps\""),
            (part.needs == Needs::Clock, chip.clock.is_some(), "clock", "clock = 153_600"),
        ];
        for (needs, has, field, example) in wanted {
            if needs && !has {
                let message = format!("the chip {} needs the field `{field}`", part.name);
                self.wrong(span.clone(), message, format!("add a line such as {example}"));
            } else if has && !needs {
                let message = format!("the chip {} has no use for the field `{field}`", part.name);
                self.wrong(span.clone(), message, "remove it");
            }
        }
    }

    pub(super) fn chip_place(
        &mut self,
        part: &Part,
        chip: &ChipDescription,
        span: Range<usize>,
        set: &InstructionSet,
        memory: &[Area],
    ) -> ChipAt {
        match (&chip.port, &chip.first, &chip.last) {
            (None, None, None) if part.registers == 0 => ChipAt::Port(0),
            (Some(port), None, None) => {
                ChipAt::Port(self.number(port, set.cells.last_port.into(), "the port"))
            }
            (None, Some(from), to) => {
                let top = i64::from(set.last_address());
                let first = self.number(from, top, "the address");
                let own = (first + part.registers - 1).min(set.last_address());
                let last = to.as_ref().map_or(own, |to| self.number(to, top, "the address"));
                if !(0..=top).contains(from.get_ref()) {
                    // That was told, and where it would be is not known.
                    return ChipAt::Memory { first: u32::MAX, last: u32::MAX };
                }
                if last < first {
                    self.wrong(span, "`last` is below `first`", "exchange them");
                } else if let Some(area) = memory.iter().find(|area| area.first <= last && first <= area.last)
                {
                    let address = set_hex(first.max(area.first));
                    let message = format!("memory and a chip claim the address {address}");
                    self.wrong(span, message, "end the memory before the chip, or begin it after");
                }
                ChipAt::Memory { first, last: last.max(first) }
            }
            _ => {
                let help = "write `port = 0x10`, or `first = 0x7F00` and `last` for a stretch of memory";
                self.wrong(span, "the chip wants either a port or memory addresses", help);
                ChipAt::Port(0)
            }
        }
    }

    /// Where an interrupt line goes: to an input of the processor, or to a pin of another chip.
    fn interrupt_line(
        &mut self,
        from: usize,
        wanted: &Spanned<String>,
        set: &'static InstructionSet,
        chips: &[ChipPlace],
    ) -> Option<InterruptLine> {
        let chip = wanted.get_ref().split_once('.').map(|(chip, _)| chip);
        if !chip.is_some_and(|chip| chips.iter().any(|place| place.name == chip)) {
            return self.input(wanted, set).map(InterruptLine::Processor);
        }
        let wire = self.wire(wanted.get_ref(), wanted.span(), chips)?;
        let others = chips.iter().filter(|place| place.interrupt == Some(InterruptLine::Pin(wire)));
        if wire.chip == from {
            let message = format!("the interrupt line of `{}` goes to the chip itself", chips[from].name);
            self.wrong(wanted.span(), message, "wire it to the processor or to another chip");
        } else if others.count() > 0 {
            let message = format!("the pin {} is driven by another chip already", wanted.get_ref());
            self.wrong(wanted.span(), message, "wire one of them to another pin");
        }
        Some(InterruptLine::Pin(wire))
    }

    /// An interrupt input by its name.
    pub(super) fn input(&mut self, wanted: &Spanned<String>, set: &'static InstructionSet) -> Option<Input> {
        let name = wanted.get_ref().to_uppercase().replace(' ', "");
        let found = set.interrupts.inputs.iter().find(|input| **input == name);
        if found.is_none() {
            let message = format!("the {} has no interrupt input `{name}`", set.name());
            self.wrong(
                wanted.span(),
                message,
                format!(
                    "its inputs are {}; a pin of another chip is written CHIP.PA0",
                    set.interrupts.inputs.join(", ")
                ),
            );
        }
        found.map(|name| Input { name, level: set.interrupts.level_input == Some(*name) })
    }

    pub(super) fn services(
        &mut self,
        list: Vec<Spanned<ServiceDescription>>,
        set: &InstructionSet,
    ) -> Vec<Routine> {
        let mut services = Vec::new();
        for entry in list {
            let service = entry.into_inner();
            let text = service.text.map(|text| {
                let register = text.get_ref().to_uppercase();
                if set.register(&register).is_none() {
                    let message = format!("the {} has no register `{register}`", set.name());
                    self.wrong(text.span(), message, "name the one that holds the text's address");
                }
                GivenText { register, end: service.end as u64 & set.last_cell() }
            });
            let at = self.number(&service.at, i64::from(set.last_address()), "the address");
            services.push(Routine { name: service.name, at, does: service.does, text });
        }
        services
    }

    pub(super) fn places(
        &mut self,
        list: Vec<Spanned<PlaceDescription>>,
        set: &InstructionSet,
    ) -> Vec<Place> {
        let is_part = |part: &str| {
            part.starts_with(|c: char| c.is_ascii_alphabetic())
                && part.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        };
        let mut places = Vec::new();
        for entry in list {
            let place = entry.into_inner();
            let name = place.name.get_ref().clone();
            if !name.split('.').all(is_part) {
                let message = format!("`{name}` is not a name for a place");
                self.wrong(
                    place.name.span(),
                    message,
                    "use letters, digits and `_`, with points between: `vector.rst1`",
                );
            }
            let at = self.number(&place.at, i64::from(set.last_address()), "the address");
            places.push(Place { name, at, does: place.does });
        }
        places
    }
}
