//! Checks what hangs on the chips and on the processor: lamps, buttons, digits, keypads, console, keys.

use super::check::Check;
use super::description::{
    ConsoleDescription, DigitsDescription, FrontDescription, JumperDescription, KeyDescription,
    KeyboardDescription, KeyingDescription, KeypadDescription, LightsDescription, NumberDescription,
    PinDescription, RecorderDescription, StepDescription, WireDescription,
};
use super::{
    ChipPlace, Console, DigitsPlace, FrontPlace, InterruptLine, Key, KeyboardPlace, Keying, KeypadPlace,
    LightRow, PinPlace, Shows, Wiring,
};
use crate::machine::chip::PinRow;
use crate::machine::chip::{self, Pin};
use crate::machine::part::{RecorderPlace, Stepper, Wire};
use crate::processor::InstructionSet;
use std::ops::Range;
use toml::Spanned;

/// More rows of lights than this fit no panel.
const MOST_ROWS: usize = 24;

impl Check {
    /// A pin, written `CHIP.PB7`.
    pub(super) fn wire(&mut self, wanted: &str, span: Range<usize>, chips: &[ChipPlace]) -> Option<Wire> {
        let found = wanted.split_once('.').and_then(|(chip, pin)| {
            let chip = chips.iter().position(|place| place.name == chip)?;
            let ports = chip::part(&chips[chip].part)?.ports;
            let (port, bit) = pin.split_at_checked(pin.len().checked_sub(1)?)?;
            let port = ports.iter().position(|row| row.0.eq_ignore_ascii_case(port))?;
            let bit = bit.parse().ok().filter(|bit| ports[port].1.contains(bit))?;
            Some(Wire { chip, pin: Pin { port: port as u8, bit } })
        });
        if found.is_none() {
            let ports = chips.iter().flat_map(|place| {
                let ports = chip::part(&place.part).map_or(&[][..], |part| part.ports);
                ports.iter().map(|PinRow(row, pins)| {
                    format!("{}.{row}{} to {row}{}", place.name, pins.start(), pins.end())
                })
            });
            let list: Vec<String> = ports.collect();
            let help = if list.is_empty() {
                "it has no chip with pins; add a 6522 or a 6532".to_string()
            } else {
                format!("its pins are {}", list.join(", "))
            };
            self.wrong(span, format!("`{wanted}` is not a pin of this board"), help);
        }
        found
    }

    /// Wires from pin to pin; a port without numbers is all of its pins.
    pub(super) fn board_wires(
        &mut self,
        list: Vec<Spanned<WireDescription>>,
        chips: &[ChipPlace],
    ) -> Vec<(Wire, Wire)> {
        let mut wires: Vec<(Wire, Wire)> = Vec::new();
        for entry in list {
            let span = entry.span();
            let WireDescription { from, to } = entry.into_inner();
            let is_port = |name: &Spanned<String>| !name.get_ref().ends_with(|c: char| c.is_ascii_digit());
            let ends: Vec<String> = match (is_port(&from), is_port(&to)) {
                (true, true) => (0..8).map(|bit| bit.to_string()).collect(),
                (false, false) => vec![String::new()],
                _ => {
                    self.wrong(
                        span,
                        "a wire from a whole port to a single pin",
                        "name a pin, or a port, at both ends",
                    );
                    continue;
                }
            };
            for bit in ends {
                let end = |name: &Spanned<String>| format!("{}{bit}", name.get_ref());
                let from_pin = self.wire(&end(&from), from.span(), chips);
                let to_pin = self.wire(&end(&to), to.span(), chips);
                let (Some(one), Some(two)) = (from_pin, to_pin) else { break };
                let is_line = |chip: &ChipPlace| chip.interrupt == Some(InterruptLine::Pin(two));
                if one.chip == two.chip {
                    self.wrong(span.clone(), "a wire from a chip to itself", "wire it to another chip");
                    break;
                }
                if wires.iter().any(|wire| wire.1 == two) || chips.iter().any(is_line) {
                    let message = format!("the pin {} is driven by another chip already", end(&to));
                    self.wrong(to.span(), message, "wire one of them to another pin");
                    break;
                }
                wires.push((one, two));
            }
        }
        wires
    }

    pub(super) fn wires(&mut self, wanted: &Spanned<Vec<String>>, chips: &[ChipPlace]) -> Vec<Wire> {
        wanted.get_ref().iter().filter_map(|pin| self.wire(pin, wanted.span(), chips)).collect()
    }

    pub(super) fn digits(&mut self, list: Vec<DigitsDescription>, chips: &[ChipPlace]) -> Vec<DigitsPlace> {
        let mut places = Vec::new();
        for DigitsDescription { name, segments, select, count } in list {
            // A whole port: `CHIP.PA` stands for its eight pins.
            let first = self.wire(&format!("{}0", segments.get_ref()), segments.span(), chips);
            let pin = |wire: Wire, bit| Wire { pin: Pin { bit, ..wire.pin }, ..wire };
            let wires = first.map_or(Vec::new(), |wire| (0..8).map(|bit| pin(wire, bit)).collect());
            let select = self.wires(&select, chips);
            let most = 1 << select.len().min(4);
            if !(1..=most).contains(count.get_ref()) {
                let message =
                    format!("{} digits cannot be selected by {} pins", count.get_ref(), select.len());
                self.wrong(count.span(), message, format!("give 1 to {most}"));
            }
            places.push(DigitsPlace {
                name,
                segments: wires,
                select,
                count: (*count.get_ref()).clamp(1, 16) as usize,
            });
        }
        places
    }

    pub(super) fn keypads(&mut self, list: Vec<KeypadDescription>, chips: &[ChipPlace]) -> Vec<KeypadPlace> {
        let mut places: Vec<KeypadPlace> = Vec::new();
        for KeypadDescription { name, select, rows, legends } in list {
            let (select, wires) = (self.wires(&select, chips), self.wires(&rows, chips));
            let lines = 1usize << select.len().min(8);
            if legends.get_ref().len() != wires.len() || wires.len() > 64 {
                let message = format!("{} rows of legends on {} pins", legends.get_ref().len(), wires.len());
                self.wrong(legends.span(), message, "give each row a pin, and each pin a row");
            } else if legends.get_ref().iter().any(|row| row.len() > lines) {
                let message = format!("a row has more keys than the {lines} lines of the decoder");
                self.wrong(legends.span(), message, "begin another row, or select by more pins");
            }
            let all: Vec<&String> =
                legends.get_ref().iter().flatten().filter(|legend| !legend.is_empty()).collect();
            let twice = all
                .iter()
                .enumerate()
                .find(|(at, one)| all[..*at].iter().any(|two| two.eq_ignore_ascii_case(one)));
            if let Some((_, legend)) = twice {
                self.wrong(
                    legends.span(),
                    format!("there are two keys `{legend}`"),
                    "give one another legend",
                );
            }
            let before = places.iter().flat_map(|place| &place.rows).chain(&select);
            let before: Vec<&Wire> = before.collect();
            let again = wires
                .iter()
                .enumerate()
                .position(|(at, wire)| before.contains(&wire) || wires[..at].contains(wire));
            if let Some(at) = again {
                let message = format!("the pin {} is wired twice", rows.get_ref()[at]);
                self.wrong(rows.span(), message, "give each row a pin of its own");
            }
            places.push(KeypadPlace { name, select, rows: wires, legends: legends.into_inner() });
        }
        places
    }

    pub(super) fn keying(&mut self, keying: KeyingDescription, keypads: &[KeypadPlace]) -> Keying {
        let KeyingDescription { address, data, next, up, start, number } = keying;
        let mut known = |legend: Spanned<String>| {
            if !keypads
                .iter()
                .any(|keypad| keypad.legends.iter().flatten().any(|one| one == legend.get_ref()))
            {
                let message = format!("no keypad has a key `{}`", legend.get_ref());
                self.wrong(legend.span(), message, "name a legend that stands in `legends`");
            }
            legend.into_inner()
        };
        Keying {
            address: known(address),
            data: known(data),
            next: next.map(&mut known),
            up: up.map(&mut known),
            start: known(start),
            number_first: number == NumberDescription::First,
        }
    }

    /// A single letter makes its small and its capital form, any other single character itself; `makes` says the rest.
    pub(super) fn keyboard(
        &mut self,
        keyboard: KeyboardDescription,
        keypads: &[KeypadPlace],
    ) -> Option<KeyboardPlace> {
        let KeyboardDescription { keypad: name, shift, makes } = keyboard;
        let Some(keypad) = keypads.iter().position(|keypad| keypad.name == *name.get_ref()) else {
            let message = format!("the board has no keypad `{}`", name.get_ref());
            self.wrong(name.span(), message, "give the `name` of a [[keypad]]");
            return None;
        };
        let legends: Vec<&String> = keypads[keypad].legends.iter().flatten().collect();
        let said = makes.iter().map(|(legend, makes)| (legend, makes.span()));
        for (legend, span) in said.chain([(shift.get_ref(), shift.span())]) {
            if !legends.contains(&legend) {
                let message = format!("the keypad has no key `{legend}`");
                self.wrong(span, message, "name a legend that stands in its `legends`");
            }
        }
        let characters = |legend: &String| match (makes.get(legend), legend.as_bytes()) {
            (Some(makes), _) => makes.get_ref().clone().into_bytes(),
            (None, &[letter]) if letter.is_ascii_alphabetic() => {
                vec![letter.to_ascii_lowercase(), letter.to_ascii_uppercase()]
            }
            (None, &[other]) => vec![other],
            _ => vec![],
        };
        for (legend, makes) in makes.iter().filter(|(_, makes)| makes.get_ref().len() > 2) {
            let message = format!("the key `{legend}` makes more than two characters");
            self.wrong(
                makes.span(),
                message,
                "give the one that it makes alone, and the one with the shift key",
            );
        }
        let makes = legends.iter().map(|legend| ((*legend).clone(), characters(legend)));
        let makes = makes.filter(|row| !row.1.is_empty()).collect();
        Some(KeyboardPlace { keypad, shift: shift.into_inner(), makes })
    }

    pub(super) fn jumpers(
        &mut self,
        list: Vec<JumperDescription>,
        keypads: &[KeypadPlace],
    ) -> Vec<(String, String)> {
        let mut jumpers = Vec::new();
        for JumperDescription { name, closes } in list {
            let legends = || keypads.iter().flat_map(|keypad| keypad.legends.iter().flatten());
            if !legends().any(|legend| legend == closes.get_ref()) {
                let message = format!("no keypad has a place `{}`", closes.get_ref());
                self.wrong(closes.span(), message, "name a legend that stands in `legends`");
            }
            jumpers.push((name, closes.into_inner()));
        }
        jumpers
    }

    pub(super) fn stepper(
        &mut self,
        step: &StepDescription,
        chips: &[ChipPlace],
        set: &'static InstructionSet,
    ) -> Option<Stepper> {
        let wire = self.wire(step.pin.get_ref(), step.pin.span(), chips)?;
        let input = self.input(&step.input, set)?.name;
        let last = i64::from(set.last_address());
        let [from, to] = step.except.map(|address| address.clamp(0, last) as u32);
        Some(Stepper { wire, active: step.active != Some(0), input, except: (from, to) })
    }

    /// The interface of a cassette recorder.
    pub(super) fn recorder(
        &mut self,
        entry: Spanned<RecorderDescription>,
        chips: &[ChipPlace],
        keypads: &[KeypadPlace],
    ) -> Option<RecorderPlace> {
        let span = entry.span();
        let RecorderDescription { out, input, motor, active } = entry.into_inner();
        if out.is_none() && input.is_none() {
            let help = "give out = \"CHIP.PIN\", in = \"CHIP.PIN\", or both";
            self.wrong(span, "a recorder without a pin", help);
            return None;
        }
        if let Some(active) = active.as_ref().filter(|level| !(0..=1).contains(level.get_ref())) {
            let help = "write `active = 0` or `active = 1`";
            self.wrong(active.span(), "`active` is a level of the motor line, 0 or 1", help);
        }
        let mut wire = |pin: &Spanned<String>| self.wire(pin.get_ref(), pin.span(), chips);
        let (out, driven) = (out.as_ref().and_then(&mut wire), input.as_ref().and_then(&mut wire));
        let motor = motor.as_ref().and_then(&mut wire);
        if let Some(pin) = &input
            && driven.is_some_and(|wire| keypads.iter().any(|pad| pad.rows.contains(&wire)))
        {
            let message = format!("the pin {} is a row of a keypad", pin.get_ref());
            self.wrong(pin.span(), message, "give the comparator a pin of its own");
        }
        let active = active.is_none_or(|level| *level.get_ref() == 1);
        Some(RecorderPlace { out, input: driven, motor: motor.map(|wire| (wire, active)) })
    }

    /// Lamps or buttons on pins. Buttons drive theirs, as the rows of keypads do, so that no two may hang on the same.
    pub(super) fn pins(
        &mut self,
        list: Vec<Spanned<PinDescription>>,
        chips: &[ChipPlace],
        lamps: bool,
        driven: &[Wire],
    ) -> Vec<PinPlace> {
        let mut places: Vec<PinPlace> = Vec::new();
        for entry in list {
            let span = entry.span();
            let PinDescription { name, pin: wanted, active } = entry.into_inner();
            let Some(wire) = self.wire(wanted.get_ref(), wanted.span(), chips) else { continue };
            if places.iter().any(|other| other.name == name) {
                let what = if lamps { "lamps" } else { "buttons" };
                self.wrong(span, format!("there are two {what} `{name}`"), "give one another name");
            } else if !lamps && (driven.contains(&wire) || places.iter().any(|other| other.wire == wire)) {
                let message = format!("the pin {} is driven already", wanted.get_ref());
                self.wrong(wanted.span(), message, "wire one of them to another pin");
            } else if active.is_some_and(|level| !(0..=1).contains(&level)) {
                self.wrong(span, "`active` is a level, 0 or 1", "write `active = 0` or `active = 1`");
            }
            // A lamp is lit by a 1, a button gives a 0, unless the description says otherwise.
            let active = active.map_or(lamps, |level| level == 1);
            places.push(PinPlace { name, wire, active });
        }
        places
    }

    pub(super) fn console(
        &mut self,
        console: &ConsoleDescription,
        clock: i64,
        chips: &[ChipPlace],
    ) -> Console {
        let line = console.line.get_ref();
        let takes_console = |place: &ChipPlace| chip::part(&place.part).is_some_and(|part| part.console);
        if let Some(chip) = chips.iter().position(|place| place.name == *line && takes_console(place)) {
            if let Some(baud) = &console.baud {
                self.wrong(baud.span(), "the chip's clock and program set the speed", "remove `baud`");
            }
            return Console::Chip(chip);
        }
        if line != "sid-sod" {
            let message = format!("`{line}` is not a line for a console");
            self.wrong(
                console.line.span(),
                message,
                "write line = \"sid-sod\", or the name of a serial chip",
            );
        }
        let most = (clock / 8).max(1);
        let Some(baud) = &console.baud else {
            self.wrong(console.line.span(), "this line wants a speed", "add baud = 1200");
            return Console::Line(1);
        };
        if !(1..=most).contains(baud.get_ref()) {
            let message = format!("{} baud cannot be made at this clock", baud.get_ref());
            self.wrong(baud.span(), message, format!("give 1 to {most}"));
        }
        Console::Line((*baud.get_ref()).max(1) as u64)
    }

    pub(super) fn front(&mut self, front: &FrontDescription, set: &'static InstructionSet) -> FrontPlace {
        let switches = front.switches.as_ref().and_then(|name| {
            let place = set.register(name.get_ref());
            if place.is_none() {
                let message = format!("the {} has no register `{}`", set.name(), name.get_ref());
                self.wrong(name.span(), message, format!("its registers are {}", register_names(set)));
            }
            place
        });
        FrontPlace { switches, looks_apart: front.looks_apart }
    }

    /// Rows of lights: those of the front panel, or those that a board without one names, and the lamps of its ports.
    pub(super) fn lights(
        &mut self,
        own: Option<Spanned<Vec<LightsDescription>>>,
        front: Option<FrontDescription>,
        set: &'static InstructionSet,
        chips: &[ChipPlace],
    ) -> Vec<LightRow> {
        let has_front = front.is_some();
        let list = match (own, front) {
            (Some(own), Some(_)) => {
                self.wrong(own.span(), "lights beside those of the front panel", "add them to [front]");
                return Vec::new();
            }
            (own, front) => own.or(front.map(|front| front.lights)),
        };
        let Some(list) = list else { return port_lamps(chips, &[]) };
        if list.get_ref().len() > MOST_ROWS {
            self.wrong(list.span(), format!("more than {MOST_ROWS} rows of lights"), "leave some out");
        }
        let mut rows = Vec::new();
        for LightsDescription { name, shows } in list.into_inner() {
            let found = match shows.get_ref().as_str() {
                "address" => Some(Shows::Address),
                "data" => Some(Shows::Data),
                "run" => Some(Shows::Run),
                name => shown_by_name(name, set, chips),
            };
            match found {
                Some(shows) => rows.push(LightRow { name, shows }),
                None => {
                    let message = format!("no lights can show `{}`", shows.get_ref());
                    let help = format!(
                        "give address, data, run, flag NAME, a chip with lamps, the pins of a chip such as via.PB, or a register: {}",
                        register_names(set)
                    );
                    self.wrong(shows.span(), message, help);
                }
            }
        }
        if !has_front {
            rows.extend(port_lamps(chips, &rows));
        }
        rows
    }

    pub(super) fn keys(
        &mut self,
        list: Vec<Spanned<KeyDescription>>,
        set: &'static InstructionSet,
    ) -> Vec<Key> {
        let mut keys = Vec::new();
        for entry in list {
            let KeyDescription { name, input } = entry.into_inner();
            let resets = input.get_ref().eq_ignore_ascii_case("reset");
            let input =
                if resets { None } else { self.input(&input, set).map(|input| input.name.to_string()) };
            keys.push(Key { name, input });
        }
        keys
    }
}

fn register_names(set: &InstructionSet) -> String {
    set.registers().iter().map(|one| one.name).collect::<Vec<_>>().join(", ")
}

/// The rows of lamps that ports drive and that are not among the others.
fn port_lamps(chips: &[ChipPlace], others: &[LightRow]) -> Vec<LightRow> {
    let lamps = chips.iter().enumerate().filter(|(_, chip)| chip.wiring == Some(Wiring::Lamps));
    let rows = lamps.map(|(at, chip)| LightRow { name: chip.name.clone(), shows: Shows::Lamps(at) });
    rows.filter(|row| others.iter().all(|other| other.shows != row.shows)).collect()
}

/// A row of lights by the name of a register, a flag, a status or a chip. Where a flag has a register's name, `flag` stands before it.
fn shown_by_name(name: &str, set: &'static InstructionSet, chips: &[ChipPlace]) -> Option<Shows> {
    let is = |known: &str| known.eq_ignore_ascii_case(name);
    let register = || set.register(name).map(Shows::Register);
    let flag = |name: &str| {
        set.flags().iter().position(|flag| flag.name.eq_ignore_ascii_case(name)).map(Shows::Flag)
    };
    if let Some(found) = name.strip_prefix("flag ").and_then(|name| flag(name.trim())) {
        return Some(found);
    }
    let status = || {
        let names = set.status?.names;
        names.iter().position(|known| is(known)).map(|bit| Shows::Status(bit as u8))
    };
    let lamps = || {
        let found = chips.iter().position(|chip| chip.name == name && chip.wiring == Some(Wiring::Lamps));
        found.map(Shows::Lamps)
    };
    let pins = || {
        let (chip, row) = name.split_once('.')?;
        let at = chips.iter().position(|one| one.name == chip)?;
        let rows = chip::part(&chips[at].part)?.ports;
        let row = rows.iter().position(|one| one.0.eq_ignore_ascii_case(row))?;
        Some(Shows::Pins(at, row as u8))
    };
    register().or_else(|| flag(name)).or_else(status).or_else(lamps).or_else(pins)
}
