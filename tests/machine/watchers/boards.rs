//! The boards that are tried: the shipped ones, and boards with any chips in any places.

use super::dialects::Dialect;
use super::plan::Plan;
use plain_byte::machine::chip::{self, Needs, Part, PinRow};
use plain_byte::processor;
use std::fmt::Write;

/// The parts that go with bytes, and with words of 12 and 36 bits.
const BYTE_PARTS: &[&str] = &[
    "6522",
    "6532",
    "6850",
    "16550",
    "Z8430",
    "Z8440",
    "text-screen",
    "paper-tape-8",
    "8212",
    "disk-link",
    "8253",
    "8254",
    "8255",
    "8259",
    "text-adapter",
    "scan-keyboard",
    "console-tap",
    "service-link",
];

/// A shipped board, a processor for it, and what leads its interrupts to the program.
pub type Shipped = (&'static str, &'static str, &'static str);

/// The shipped boards that have chips, each with what leads its interrupts to `handler`, and where the program's handler and start
/// find room.
pub const SHIPPED: &[Shipped] = &[
    (
        "plover",
        "8085",
        "        org 0FFDCh\n        jmp handler\n        org 0FFE4h\n        jmp handler\n        jmp handler\n        jmp handler\n        org 4000h\n",
    ),
    ("gannet", "8080", "        org 38h\n        jmp handler\n        org 300h\n"),
    (
        "curlew",
        "z80",
        "        org 38h\n        jp handler\n        org 66h\n        jp nmi\n        org 300h\n",
    ),
    (
        "dunlin",
        "ez80",
        "        org 38h\n        jp handler\n        org 66h\n        jp nmi\n        org 300h\n",
    ),
    ("puffin", "65c02", "        org 0FFFAh\n        dw nmi, start, handler\n        org 8000h\n"),
    ("puffin", "6502", "        org 0FFFAh\n        dw nmi, start, handler\n        org 8000h\n"),
    ("tern", "6502", "        org 300h\n"),
    ("fulmar", "6502", "        org 200h\n        dw handler, nmi\n        org 1000h\n"),
    (
        "petrel",
        "8086",
        "        org 0\n        copies 16, n\n        dw handler, 0\n        endcopies\n        org 600h\n",
    ),
    ("heron", "pdp8", ""),
    ("osprey", "pdp10", ""),
];

/// The memory of a board of one's own: chips come between the two stretches.
fn memory(address_bits: u8) -> &'static [(u32, u32)] {
    match address_bits {
        12..=15 => &[(0, 0o77777)],
        16 => &[(0, 0xEFFF), (0xF800, 0xFFFF)],
        18 => &[(0, 0o777777)],
        _ => &[(0, 0xEFFF), (0xF800, 0x0F_FFFF)],
    }
}

/// Where a chip goes that is the `at`th of its board, in a description.
fn place(cpu: &str, part: &Part, at: usize, among_memory: bool) -> String {
    match cpu {
        // Nothing of it is on the bus.
        _ if part.registers == 0 => String::new(),
        "pdp8" => format!("port = {}", 0o10 + 4 * at),
        "pdp10" => format!("port = {}", 0o200 + 0o10 * at),
        // A chip with as many registers as there are ports has no room among them.
        _ if among_memory || part.registers > 32 => format!("first = {}", 0xF000 + 0x100 * at),
        _ => format!("port = {}", 0x10 + 0x20 * at),
    }
}

impl Plan {
    /// A cassette recorder on the pins of the first chip that has free ones, in three plans of four.
    fn recorder(&self, parts: &[&str], text: &str) -> String {
        let free = |pin: &String| {
            !text.contains(&format!("pin = {pin}")) && !text.contains(&format!("interrupt = {pin}"))
        };
        let rows = self.parts.iter().enumerate().find_map(|(at, &(which, _))| {
            let rows = chip::part(parts[which % parts.len()])?.ports;
            let input = rows.iter().find_map(|PinRow(row, pins)| {
                let pin = format!("\"chip{at}.{row}{}\"", pins.start() + 1);
                Some(pin).filter(|pin| pins.end() > pins.start() && free(pin))
            })?;
            Some((at, rows, input))
        });
        let Some((at, rows, input)) = rows.filter(|_| !self.unmapped.is_multiple_of(4)) else {
            return String::new();
        };
        let (first, last) = (&rows[0], &rows[rows.len() - 1]);
        let motor = match self.unmapped / 4 % 3 {
            0 => String::new(),
            level => format!("motor = \"chip{at}.{}{}\"\nactive = {}\n", last.0, last.1.start(), level - 1),
        };
        format!("[recorder]\nout = \"chip{at}.{}{}\"\nin = {input}\n{motor}", first.0, first.1.end())
    }

    /// The description of a board with the plan's chips, a lamp and a button on every port of theirs.
    pub fn description(&self, cpu: &str) -> String {
        let set = processor::find(cpu).expect("a processor");
        let dialect = Dialect::of(cpu);
        let bytes = set.cell_bits() == 8;
        let unmapped = if bytes { ["float", "hold", "stop"][self.unmapped % 3] } else { "float" };
        let clock = if bytes { 1_000_000 } else { 200_000 };
        let mut text = format!(
            "version = 1\nname = \"tried\"\ntitle = \"tried\"\nprocessor = \"{cpu}\"\nclock = {clock}\nunmapped = \"{unmapped}\"\n"
        );
        for (first, last) in memory(set.address_bits()) {
            let _ = writeln!(text, "[[memory]]\nkind = \"ram\"\nfirst = {first}\nlast = {last}");
        }
        let parts: &[&str] = match cpu {
            "pdp8" => &["teleprinter", "paper-tape"],
            "pdp10" => &["teleprinter-36", "paper-tape-36"],
            _ => BYTE_PARTS,
        };
        let mut console = None;
        for (at, &(which, how)) in self.parts.iter().enumerate() {
            let part = chip::part(parts[which % parts.len()]).expect("a part");
            let among_memory = dialect.port.is_none() || dialect.memory.is_some() && how & 1 == 0;
            let _ = writeln!(
                text,
                "[[chip]]\npart = \"{}\"\nname = \"chip{at}\"\n{}",
                part.name,
                place(cpu, part, at, among_memory)
            );
            match part.needs {
                Needs::Wiring => {
                    let _ = writeln!(text, "wiring = \"{}\"", ["switches", "lamps"][how >> 1 & 1]);
                }
                // So that a character takes some hundred cycles.
                Needs::Clock => {
                    let clock =
                        if part.name == "16550" { 16_000_000 } else { [9600, 1_000_000][usize::from(bytes)] };
                    let _ = writeln!(text, "clock = {clock}");
                }
                Needs::Nothing => {}
            }
            if part.console {
                console = Some(at);
            }
            let how = if at == 0 && self.focus.is_some() { 0 } else { how >> 2 };
            // The line goes to a pin of a chip before it, where that has one.
            let before = self.parts[..at].iter().enumerate().find_map(|(before, &(which, _))| {
                let ports = chip::part(parts[which % parts.len()])?.ports;
                // A port with an edge of its own, or the control lines.
                let ports = [ports.last()?, ports.first()?];
                let row = &ports[how >> 4 & 1 & (ports.len() - 1)];
                Some(format!("chip{before}.{}{}", row.0, (*row.1.end()).min(5)))
            });
            if let Some(pin) = before.filter(|pin| how % 4 == 3 && !text.contains(&format!("\"{pin}\""))) {
                let _ = writeln!(text, "interrupt = \"{pin}\"");
            } else if let Some(level) = set.interrupts.level_input.filter(|_| how % 4 != 3) {
                let inputs: Vec<&str> =
                    set.interrupts.inputs.iter().copied().filter(|one| one.len() > 1).collect();
                let input = if how & 1 == 0 { level } else { inputs[(how >> 3) % inputs.len()] };
                let _ = writeln!(text, "interrupt = \"{input}\"");
            }
            for PinRow(port, pins) in part.ports {
                let button = if *pins.end() < 6 { *pins.start() } else { 6 };
                let _ = writeln!(
                    text,
                    "[[button]]\nname = \"button{at}{port}\"\npin = \"chip{at}.{port}{button}\""
                );
                let _ = writeln!(
                    text,
                    "[[lamp]]\nname = \"lamp{at}{port}\"\npin = \"chip{at}.{port}{}\"",
                    pins.end()
                );
            }
        }
        text.push_str(&self.recorder(parts, &text));
        match console {
            Some(at) => text.push_str(&format!("[console]\nline = \"chip{at}\"\n")),
            None if cpu.starts_with("8085") => text.push_str("[console]\nline = \"sid-sod\"\nbaud = 9600\n"),
            None => {}
        }
        text
    }
}
