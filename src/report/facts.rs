//! The facts of a board: what its description says, for a person to read.

use super::{Text, Tone};
use crate::machine::{Board, MemoryKind, Unmapped, Wiring};

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
    text.put(format!("{} ({})", set.name, set.title));
    head(&mut text, "clock");
    text.put(format!("{} Hz", crate::number::thousands(board.clock)));
    for area in &board.memory {
        head(&mut text, "memory");
        let kind = if area.kind == MemoryKind::Ram { "RAM" } else { "ROM" };
        let cells = crate::number::thousands(u64::from(area.last - area.first) + 1);
        text.put(format!("{}..{}  {kind}, {cells} cells", address(area.first), address(area.last)));
    }
    head(&mut text, "elsewhere");
    text.put(match board.unmapped {
        Unmapped::Float => "reads give 0FFh, writes have no effect",
        Unmapped::Stop => "an access stops the run",
    });
    for chip in &board.chips {
        head(&mut text, "port");
        let wiring = match chip.wiring {
            Wiring::Lamps => "a lamp on each bit",
            Wiring::Switches => "a switch on each bit",
        };
        text.put(format!("{}  {}: {wiring} ({})", set.cell(chip.port.into()), chip.name, chip.part));
    }
    if let Some(baud) = board.console_baud {
        head(&mut text, "console");
        text.put(format!("serial on SID and SOD, {baud} baud, 8 data bits, 1 stop bit"));
    }
    for (legend, input) in &board.keys {
        head(&mut text, "key");
        text.put(format!("{legend}: interrupt input {input}"));
    }
    head(&mut text, "load");
    text.put(format!("programs without an address of their own go to {}", address(board.load)));
    if let Some(firmware) = &board.firmware {
        head(&mut text, "firmware");
        text.put(firmware.source.clone());
    }
    text
}
