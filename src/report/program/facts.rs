//! The facts of a board: what its description says, for a person to read.

use crate::machine::{
    Board, BoardName, ChipAt, Console, DiskServices, InterruptLine, NameKind, Unmapped, Wire, Wiring, chip,
};
use crate::processor::InstructionSet;
use crate::text::{Text, Tone};

/// What a board has.
pub fn board_facts(board: &Board) -> Text {
    let set = board.set;
    let address = |address: u32| set.address(address.into());
    let mut text = Text::new();
    let head = |text: &mut Text, name: &str| {
        text.line().tone(Tone::Faint, format!("{name:10} "));
    };
    head(&mut text, "board");
    text.tone(Tone::Strong, board.name.clone()).put(format!("  {}", board.title));
    head(&mut text, "processor");
    text.put(format!("{} ({})", set.name(), set.title()));
    head(&mut text, "clock");
    text.put(format!("{} Hz", crate::number::thousands(board.clock)));
    for area in &board.memory {
        head(&mut text, "memory");
        let kind = area.kind.title();
        let cells = crate::number::thousands(u64::from(area.last - area.first) + 1);
        text.put(format!("{}..{}  {kind}, {cells} cells", address(area.first), address(area.last)));
        if let Some(name) = &area.name {
            text.put(format!("; `--without {name}` leaves it out"));
        }
    }
    if let Some(bank) = &board.bank {
        head(&mut text, "banks");
        let latch = board.chips.get(bank.chip).map_or("", |chip| chip.name.as_str());
        let (first, last) = (address(bank.first), address(bank.last));
        text.put(format!("{first}..{last}  one of {}, as {latch} says", bank.count));
    }
    head(&mut text, "elsewhere");
    text.put(match board.unmapped {
        Unmapped::Hold => "reads give what was last on the data bus, writes have no effect",
        Unmapped::Float if set.is_word_machine() => "reads give 0, writes have no effect",
        Unmapped::Float => "reads give 0FFh, writes have no effect",
        Unmapped::Stop => "an access stops the run",
    });
    let pin = |wire: Wire| {
        let place = &board.chips[wire.chip];
        let port = chip::part(&place.part).and_then(|part| part.ports.get(usize::from(wire.pin.port)));
        format!("{}.{}{}", place.name, port.map_or("", |row| row.0), wire.pin.bit)
    };
    for place in &board.chips {
        head(&mut text, "chip");
        let what = match place.wiring {
            Some(Wiring::Lamps) => "a lamp on each bit",
            Some(Wiring::Switches) => "a switch on each bit",
            Some(Wiring::Bank) => "chooses a bank of memory",
            None => chip::part(&place.part).map_or("", |part| part.title),
        };
        // What only other chips talk to has no place of its own.
        if chip::part(&place.part).is_none_or(|part| part.registers > 0) {
            text.put(format!("{}  ", chip_place(set, place.at)));
        }
        text.put(format!("{}: {what} ({})", place.name, place.part));
        match place.interrupt {
            Some(InterruptLine::Processor(input)) => {
                text.put(format!(", interrupts by {}", input.name));
            }
            Some(InterruptLine::Pin(wire)) => {
                text.put(format!(", its interrupt line goes to {}", pin(wire)));
            }
            None => {}
        }
    }
    for lamp in &board.lamps {
        head(&mut text, "lamp");
        text.put(format!("{}: lit by a {} on {}", lamp.name, u8::from(lamp.active), pin(lamp.wire)));
    }
    for button in &board.buttons {
        head(&mut text, "button");
        let level = u8::from(button.active);
        text.put(format!("{}: gives a {level} on {} while it is pressed", button.name, pin(button.wire)));
    }
    for digits in &board.digits {
        head(&mut text, "digits");
        let (first, select) = (digits.segments.first(), digits.select.first());
        let port = first.map_or(String::new(), |wire| pin(*wire));
        let line = select.map_or(String::new(), |wire| pin(*wire));
        text.put(format!(
            "{}: {} of them, segments from {port}, selected from {line}",
            digits.name, digits.count
        ));
    }
    for keypad in &board.keypads {
        for row in &keypad.legends {
            head(&mut text, "keys");
            text.put(row.join("  "));
        }
    }
    for (name, closes) in &board.jumpers {
        head(&mut text, "jumper");
        text.put(format!("closes {closes}; `--without {name}` takes it off"));
    }
    if let Some(stepper) = &board.stepper {
        head(&mut text, "step");
        let (level, input) = (u8::from(stepper.active), stepper.input);
        text.put(format!("a {level} on {} pulls {input} at every instruction outside ", pin(stepper.wire)));
        text.put(format!("{}..{}", address(stepper.except.0), address(stepper.except.1)));
    }
    if let Some(front) = board.front {
        head(&mut text, "panel");
        let reads = front.switches.map_or(String::new(), |register| {
            format!("; a program reads the switches in {}", set.registers()[register].name)
        });
        text.put(format!("lights and switches of the processor itself{reads}"));
    }
    if !board.lights.is_empty() {
        head(&mut text, "lights");
        let names: Vec<&str> = board.lights.iter().map(|row| row.name.as_str()).collect();
        text.put(names.join(", "));
    }
    if let Some(pins) = &board.speaker {
        head(&mut text, "speaker");
        let pins: Vec<String> = pins.iter().map(|wire| pin(*wire)).collect();
        text.put(format!("moved by {}", pins.join(" and ")));
    }
    if let Some(place) = board.recorder {
        head(&mut text, "recorder");
        let of = |what: &str, wire: Option<Wire>| wire.map(|wire| format!("{what} {}", pin(wire)));
        let motor = place.motor.map(|(wire, active)| {
            format!("its motor runs while {} is {}", pin(wire), if active { "high" } else { "low" })
        });
        let parts = [of("records", place.out), of("plays to", place.input), motor];
        text.put(parts.into_iter().flatten().collect::<Vec<_>>().join(", "));
    }
    match board.console {
        Some(Console::Line(baud)) => {
            head(&mut text, "console");
            text.put(format!("serial on SID and SOD, {baud} baud, 8 data bits, 1 stop bit"));
        }
        Some(Console::Chip(chip)) => {
            head(&mut text, "console");
            text.put(format!("serial on {}", board.chips[chip].name));
        }
        None => {}
    }
    for key in &board.keys {
        head(&mut text, "key");
        match &key.input {
            Some(input) => text.put(format!("{}: interrupt input {input}", key.name)),
            None => text.put(format!("{}: reset", key.name)),
        };
    }
    head(&mut text, "load");
    text.put(format!("programs without an address of their own go to {}", address(board.load)));
    if let Some(start) = board.start {
        head(&mut text, "start");
        text.put(format!("the reset logic leads the processor to {}", address(start)));
    }
    if let Some(services) = &board.disk {
        head(&mut text, "disk");
        text.put(match services {
            DiskServices::Source(source) => format!("runs programs for a disk system ({source})"),
            DiskServices::Resident => "runs COM and EXE programs by services of its firmware".to_string(),
        });
    }
    if let Some(firmware) = &board.firmware {
        head(&mut text, "firmware");
        text.put(firmware.source.clone());
    }
    names(board, &mut text);
    text
}

/// Longest line of names, in characters.
const NAMES_WIDTH: usize = 100;

/// The names that programs may use on the board.
fn names(board: &Board, text: &mut Text) {
    let set = board.set;
    let names = board.names();
    let told: Vec<&BoardName> = names.iter().filter(|one| is_told_by_line(one.what)).collect();
    let width = told.iter().map(|one| one.name.len()).max().unwrap_or(0);
    for one in told {
        text.line().tone(Tone::Faint, format!("{:10} ", one.what.word()));
        text.put(format!("{}  {:width$}  {}", set.address(one.value.into()), one.name, one.does));
    }
    let mut used = usize::MAX;
    for one in names.iter().filter(|one| !is_told_by_line(one.what)) {
        let place = match one.what {
            NameKind::Port => set.port(one.value),
            _ => set.address(one.value.into()),
        };
        let word = format!("{} {place}", one.name);
        let is_chip = !one.name.contains('.');
        if is_chip || used.saturating_add(word.len() + 3) > NAMES_WIDTH {
            text.line().tone(Tone::Faint, format!("{:10} ", if is_chip { "names" } else { "" }));
            used = 0;
        } else {
            text.put("   ");
        }
        used += word.len() + 3;
        text.put(word);
    }
}

/// Registers and ports of a chip stand one after the other; anything else has its own line.
fn is_told_by_line(what: NameKind) -> bool {
    !matches!(what, NameKind::Register | NameKind::Port)
}

/// Where a chip is, for a person: `port 10`, `7F00..7F7F`.
pub fn chip_place(set: &InstructionSet, at: ChipAt) -> String {
    match at {
        ChipAt::Port(port) => {
            format!("{} {}", set.port_word(), set.port(port))
        }
        ChipAt::Memory { first, last } => {
            format!("{}..{}", set.address(first.into()), set.address(last.into()))
        }
    }
}
