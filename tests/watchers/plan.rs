//! What is tried: a processor, chips around it, a program that sets them up, and an operator who does this and that.

use crate::dialects::{DIALECTS, Dialect, vectors};
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{ChipAt, Event, chip};
use plain_byte::processor;
use plain_byte::session::{Session, find_board};
use proptest::prelude::*;
use std::fmt::Write;

/// Any value, or a small one, in a recipe.
const ANY: u16 = 0x100;
const FEW: u16 = 0x101;

/// Writes to registers, by their offset from the chip's first one.
type Recipe = &'static [(u32, u16)];

/// What sets each part to work, timers, lines and interrupts first. **A new chip comes here first.** On word machines an offset is
/// the device and 8 times it the function: `device << 3 | function`.
pub const RECIPES: &[(&str, &[Recipe])] = &[
    ("8212", &[&[(0, ANY)], &[(0, FEW)]]),
    (
        "6522",
        &[
            &[(11, 0x40), (4, ANY), (5, FEW), (14, 0xC0)],
            &[(14, 0xC0), (4, ANY), (5, FEW)],
            &[(11, 0xC0), (2, 0xFF), (4, ANY), (5, FEW), (14, 0xC0)],
            &[(2, 0x80), (11, 0x80), (4, ANY), (5, 0)],
            &[(14, 0xA0), (8, ANY), (9, FEW)],
            &[(8, ANY), (11, 0x14), (14, 0x84), (10, ANY)],
            &[(11, 0x10), (8, FEW), (10, ANY)],
            &[(11, 0x20), (8, FEW), (9, 0), (14, 0xA0)],
            &[(12, ANY), (14, 0x9F), (0, ANY), (1, ANY)],
            &[(14, 0x7F)],
            &[(11, ANY)],
        ],
    ),
    (
        "6532",
        &[
            &[(0x9C, ANY)],
            &[(0x9D, FEW)],
            &[(0x9E, FEW)],
            &[(0x95, ANY)],
            &[(0x87, 0), (0x81, 0x80), (0x80, 0x80), (0x80, 0)],
            &[(0x81, 0xFF), (0x80, ANY)],
            &[(0, ANY)],
        ],
    ),
    (
        "6850",
        &[
            &[(0, 3), (0, 0x15), (1, ANY)],
            &[(0, 3), (0, 0x94), (1, ANY)],
            &[(0, 3), (0, 0xB4), (1, ANY)],
            &[(0, 3), (0, 0x35), (1, ANY), (1, ANY)],
            &[(0, ANY)],
        ],
    ),
    (
        "16550",
        &[
            &[(3, 0x83), (0, FEW), (1, 0), (3, 0x03), (1, 0x01)],
            &[(3, 0x83), (0, 1), (1, 0), (3, 0x03), (2, 0x41), (1, 0x03), (0, ANY)],
            &[(2, 0x81), (1, 0x0F), (0, ANY), (0, ANY)],
            &[(4, 0x10), (1, 0x05), (0, ANY)],
            &[(1, 0x02), (0, ANY)],
            &[(1, ANY)],
        ],
    ),
    (
        "Z8430",
        &[
            &[(0, 0x10), (0, 0x85), (0, FEW)],
            &[(0, 0x18), (1, 0xA5), (1, FEW)],
            &[(2, 0xD5), (2, FEW)],
            &[(0, 0x20), (3, 0x95), (3, ANY)],
            &[(1, 0x8D), (1, FEW)],
            &[(0, 0x03)],
        ],
    ),
    (
        "Z8440",
        &[
            &[(2, 4), (2, 0x04), (2, 3), (2, 0xC1), (2, 5), (2, 0x68), (2, 1), (2, 0x1A), (0, ANY), (0, ANY)],
            &[(3, 2), (3, 0x20), (3, 1), (3, 0x04), (2, 4), (2, 0x44), (2, 3), (2, 0xC1), (2, 1), (2, 0x10)],
            &[(2, 5), (2, 0x68), (0, ANY)],
            &[(2, 1), (2, ANY)],
            &[(2, 0x18)],
        ],
    ),
    ("text-screen", &[&[(3, 0x81)], &[(3, 0x80)], &[(0, ANY)], &[(5, ANY), (6, 0x80)]]),
    ("tape", &[&[(1, 1)], &[(0, ANY)]]),
    ("disk-link", &[&[(0, FEW)]]),
    (
        "teleprinter",
        &[
            &[(0o14, ANY)],
            &[(0o16, ANY)],
            &[(0o05, 1)],
            &[(0o05, 0)],
            &[(0o12, 0)],
            &[(0o10, 0)],
            &[(0o06, 0)],
        ],
    ),
    ("paper-tape", &[&[(0o04, 0)], &[(0o06, 0)], &[(0o14, ANY)], &[(0o16, ANY)], &[(0o00, 0)], &[(0o10, 0)]]),
    ("teleprinter-36", &[&[(1, 0o7), (0, ANY)], &[(1, 0o3)], &[(1, 0o2405)], &[(0, ANY)]]),
    ("tape-36", &[&[(1, 0o53), (0, ANY)], &[(1, 0o07), (0, ANY)], &[(5, 0o64)], &[(5, 0o27)], &[(0, ANY)]]),
];

/// The parts that go with bytes, and with words of 12 and 36 bits.
const BYTE_PARTS: &[&str] =
    &["6522", "6532", "6850", "16550", "Z8430", "Z8440", "text-screen", "tape", "8212", "disk-link"];

/// Everything that is chosen. Numbers are taken modulo what there is to choose from.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Of all processors, and of the shipped boards behind them.
    pub machine: usize,
    pub parts: Vec<(usize, usize)>,
    pub unmapped: usize,
    /// What the program sets up, and what its interrupt routine does: kind, chip, register, value.
    pub setup: Vec<[u8; 4]>,
    pub handler: Vec<[u8; 4]>,
    pub rest: usize,
    /// The first chip asks for interrupts by a recipe that comes last, and the program waits for them: what was chosen otherwise
    /// gives way to that.
    pub focus: Option<(usize, u8)>,
    /// Cycle, kind, value.
    pub events: Vec<(u64, usize, u8)>,
    pub limit: u64,
    pub cuts: Vec<u64>,
}

pub fn plans() -> impl Strategy<Value = Plan> {
    let acts = |most: usize| prop::collection::vec(any::<[u8; 4]>(), 0..most);
    (
        (any::<usize>(), prop::collection::vec(any::<(usize, usize)>(), 1..4), any::<usize>()),
        (acts(7), acts(4), any::<usize>(), any::<Option<(usize, u8)>>()),
        prop::collection::vec((0..20_000u64, any::<usize>(), any::<u8>()), 0..5),
        prop_oneof![1 => 1..400u64, 1 => 400..4_000u64, 2 => 4_000..40_000u64],
        prop::collection::vec(prop_oneof![1..9u64, 9..300u64, 300..9_000u64], 1..6),
    )
        .prop_map(|((machine, parts, unmapped), (setup, handler, rest, focus), events, limit, cuts)| Plan {
            machine,
            parts,
            unmapped,
            setup,
            handler,
            rest,
            focus,
            events,
            limit,
            cuts,
        })
}

/// The shipped boards that have chips, each with what leads its interrupts to `handler`, and where the program's handler and start
/// find room.
const SHIPPED: &[(&str, &str, &str)] = &[
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
    ("puffin", "65c02", "        org 8000h\n"),
    ("puffin", "6502", "        org 8000h\n"),
    ("tern", "6502", "        org 300h\n"),
    ("fulmar", "6502", "        org 200h\n        dw handler, nmi\n        org 1000h\n"),
    ("heron", "pdp8", ""),
    ("osprey", "pdp10", ""),
];

/// A place at which a chip's registers are.
struct Place {
    part: String,
    at: ChipAt,
}

impl Plan {
    fn dialect(cpu: &str) -> &'static Dialect {
        DIALECTS.iter().find(|one| one.cpus.contains(&cpu)).expect("each processor has a family")
    }

    /// Its processor, and the shipped board where it is not a board of the plan's own.
    fn choice(&self) -> (&'static str, Option<&'static (&'static str, &'static str, &'static str)>) {
        let cpus: Vec<&str> = DIALECTS.iter().flat_map(|one| one.cpus).copied().collect();
        match self.machine % (2 * cpus.len() + SHIPPED.len()) {
            own if own < 2 * cpus.len() => (cpus[own % cpus.len()], None),
            shipped => {
                let row = &SHIPPED[shipped - 2 * cpus.len()];
                (row.1, Some(row))
            }
        }
    }

    /// The description of a board with the plan's chips.
    fn description(&self, cpu: &str) -> String {
        let set = processor::find(cpu).expect("a processor");
        let mut text = format!("version = 1\nname = \"tried\"\ntitle = \"tried\"\nprocessor = \"{cpu}\"\n");
        let dialect = Self::dialect(cpu);
        let unmapped =
            if set.cell_bits == 8 { ["float", "hold", "stop"][self.unmapped % 3] } else { "float" };
        let clock = if set.cell_bits == 8 { 1_000_000 } else { 200_000 };
        let _ = writeln!(text, "clock = {clock}\nunmapped = \"{unmapped}\"");
        let memory: &[(u32, u32)] = match set.address_bits {
            16 => &[(0, 0xEFFF), (0xF800, 0xFFFF)],
            24 => &[(0, 0xEFFF), (0xF800, 0x0F_FFFF)],
            bits => &[(0, (1 << bits) - 1)],
        };
        for (first, last) in memory {
            let _ = writeln!(text, "[[memory]]\nkind = \"ram\"\nfirst = {first}\nlast = {last}");
        }
        let parts: &[&str] = match cpu {
            "pdp8" => &["teleprinter", "paper-tape"],
            "pdp10" => &["teleprinter-36", "tape-36"],
            _ => BYTE_PARTS,
        };
        let mut console = None;
        for (at, &(which, how)) in self.parts.iter().enumerate() {
            let part = chip::part(parts[which % parts.len()]).expect("a part");
            let _ = writeln!(text, "[[chip]]\npart = \"{}\"\nname = \"chip{at}\"", part.name);
            let memory = dialect.port.is_none() || dialect.memory.is_some() && how & 1 == 0;
            let place = match (memory, cpu) {
                (true, _) => format!("first = {}\nlast = {}", 0xF000 + 0x100 * at, 0xF0FF + 0x100 * at),
                (false, "pdp8") => format!("port = {}", 0o10 + 4 * at),
                (false, "pdp10") => format!("port = {}", 0o200 + 0o10 * at),
                // A chip with as many registers as there are ports has no room among them.
                (false, _) if part.registers > 32 => format!("first = {}", 0xF000 + 0x100 * at),
                (false, _) => format!("port = {}", 0x10 + 0x20 * at),
            };
            let _ = writeln!(text, "{place}");
            if part.name == "8212" {
                let _ = writeln!(text, "wiring = \"{}\"", ["switches", "lamps"][how >> 1 & 1]);
            }
            if part.console {
                let clock = if part.name == "16550" {
                    16_000_000
                } else {
                    [9600, 1_000_000][set.cell_bits as usize / 8 % 2]
                };
                let _ = writeln!(
                    text,
                    "clock = {}",
                    if set.cell_bits == 8 && part.name != "16550" { 1_000_000 } else { clock }
                );
                console = Some(at);
            }
            let input = if at == 0 && self.focus.is_some() { 0 } else { how >> 2 };
            if let Some(level) = set.level_input.filter(|_| input % 4 != 3) {
                let inputs: Vec<&str> = set.inputs.iter().copied().filter(|one| one.len() > 1).collect();
                let input = if input & 1 == 0 { level } else { inputs[(input >> 3) % inputs.len()] };
                let _ = writeln!(text, "interrupt = \"{input}\"");
            }
            for port in part.ports {
                if *port == "TRG" {
                    let _ =
                        writeln!(text, "[[button]]\nname = \"button{at}{port}\"\npin = \"chip{at}.{port}1\"");
                    continue;
                }
                let _ = writeln!(text, "[[lamp]]\nname = \"lamp{at}{port}\"\npin = \"chip{at}.{port}7\"");
                let _ = writeln!(text, "[[button]]\nname = \"button{at}{port}\"\npin = \"chip{at}.{port}6\"");
            }
        }
        if let Some(at) = console {
            let _ = writeln!(text, "[console]\nline = \"chip{at}\"");
        } else if cpu.starts_with("8085") {
            let _ = writeln!(text, "[console]\nline = \"sid-sod\"\nbaud = 9600");
        }
        text
    }

    /// What an act is in the source: a recipe, a write, a read or something of the processor's own.
    fn act(&self, dialect: &Dialect, places: &[Place], [kind, chip, register, value]: [u8; 4]) -> String {
        if kind % 8 >= 6 || places.is_empty() {
            return dialect.own[usize::from(register) % dialect.own.len()].to_string();
        }
        let place = &places[usize::from(chip) % places.len()];
        let seen = usize::from(kind >> 4 & 3);
        match kind % 8 {
            0..=3 => {
                let recipes = RECIPES.iter().find(|row| row.0 == place.part).map_or(&[][..], |row| row.1);
                let recipe = recipes[usize::from(register) % recipes.len()];
                let value = |wanted: u16| match wanted {
                    ANY => value.into(),
                    FEW => u16::from(value & 7) + 1,
                    fixed => fixed,
                };
                recipe.iter().map(|&(offset, wanted)| write(dialect, place, offset, value(wanted))).collect()
            }
            4 => write(dialect, place, register.into(), value.into()),
            _ => read(dialect, place, register.into(), seen),
        }
    }

    fn source(&self, cpu: &str, places: &[Place], shipped: Option<&str>) -> String {
        let dialect = Self::dialect(cpu);
        let acts =
            |acts: &[[u8; 4]]| -> String { acts.iter().map(|&act| self.act(dialect, places, act)).collect() };
        let frame = match shipped {
            // Where a board has its own place for code, everything comes there.
            Some(places) if !places.is_empty() => {
                let from = dialect.frame.find("handler:").expect("a handler");
                let code = dialect.frame[from..].replace("        org 900h\n", "");
                let code = code.replace(
                    "        org 700h\n        ds 257, 8\n        org 808h\n        jp handler\n",
                    "",
                );
                format!(
                    "{places}{}",
                    code.replace("        ld sp, 0F00h\n", "").replace("        lxi sp, 0F00h\n", "")
                )
            }
            _ => dialect.frame.to_string(),
        };
        let frame = if matches!(shipped, Some(places) if !places.contains("8000h")) && cpu.contains("6502") {
            frame.replace("        org 0FFFAh\n        dw nmi, start, handler\n", "")
        } else {
            frame
        };
        let enables = if self.rest % 4 == 0 && self.focus.is_none() { "" } else { dialect.own[0] };
        // The first rests only wait.
        let rest = self.rest / 4 % if self.focus.is_some() { 4 } else { dialect.rests.len() };
        let last = self.focus.map_or(String::new(), |(recipe, value)| {
            self.act(dialect, places, [0, 0, (recipe % 0x100) as u8, value])
        });
        let body = frame
            .replace("{vectors}", &vectors(cpu))
            .replace("{setup}", &acts(&self.setup))
            .replace("{handler}", &acts(&self.handler))
            .replace("{rest}", &format!("{last}{enables}{}", dialect.rests[rest]));
        format!("        cpu {cpu}\n{body}")
    }

    /// The machine with its program, and the source, for whoever reads of a difference.
    pub fn session(&self) -> (Session, String) {
        let (cpu, shipped) = self.choice();
        let set = processor::find(cpu).expect("a processor");
        let mut texts = Texts::default();
        let description = self.description(cpu);
        texts.0.insert("tried.toml".to_string(), description.as_str().into());
        let name = shipped.map_or("tried.toml", |row| row.0);
        let mut found =
            find_board(name, None, &mut texts).unwrap_or_else(|error| panic!("{error}\n{description}"));
        if found.board.set.runs(set) || found.board.set.cell_bits == set.cell_bits {
            found.board.set = set;
        }
        let mut session = Session::open(&found, &mut texts).expect("the board opens");
        let places: Vec<Place> = session
            .machine()
            .chips()
            .iter()
            .map(|one| Place { part: one.place.part.clone(), at: one.place.at })
            .collect();
        let source = self.source(cpu, &places, shipped.map(|row| row.2));
        texts.0.insert("tried.asm".to_string(), source.as_str().into());
        let assembly = assemble("tried.asm", &mut texts, &Options::default());
        assert!(assembly.succeeded(), "{source}\n{:?}", assembly.diagnostics);
        session.load_assembly(&assembly).unwrap_or_else(|error| panic!("{error}\n{source}"));
        let typed = self.focus.map(|(recipe, value)| (recipe as u64 / 0x100 % 3000, 2, value));
        for &(cycle, kind, value) in self.events.iter().chain(&typed) {
            if let Some(event) = self.event(&session, kind, value) {
                session.happen_at(cycle, event).expect("it is possible");
            }
        }
        (session, format!("{description}\n{source}"))
    }

    fn event(&self, session: &Session, kind: usize, value: u8) -> Option<Event> {
        let machine = session.machine();
        let board = machine.board();
        let which = kind / 8;
        match kind % 8 {
            0 | 1 => {
                let inputs = session.processor().inputs;
                Some(Event::Interrupt(inputs[which % inputs.len()].to_string()))
            }
            2 | 3 => machine
                .takes_typing()
                .then(|| Event::Typed(vec![b'A' + value % 26; usize::from(value) % 4 + 1])),
            4 => {
                let names = board.buttons.iter().map(|one| &one.name);
                let chips = machine.chips().iter().filter(|one| one.chip.switches().is_some());
                let names: Vec<&String> = names.chain(chips.map(|one| &one.place.name)).collect();
                let name = names.get(which % names.len().max(1))?;
                Some(Event::Switches((*name).clone(), value.into()))
            }
            5 => machine.tape_left().map(|_| Event::Tape(vec![value, 0x81, value, 0xBF, 0x80])),
            6 => {
                let legends = machine.keypads().iter().flat_map(|pad| pad.legends.iter().flatten());
                let legends: Vec<&String> = legends.filter(|one| !one.is_empty()).collect();
                let legend = legends.get(which % legends.len().max(1))?;
                Some(Event::Press((*legend).clone(), value & 1 == 0))
            }
            _ => Some(Event::Port(0xF0 + u32::from(value & 3), vec![value.into()])),
        }
    }
}

/// Writes a register. What does not exist is another register of the same chip.
fn write(dialect: &Dialect, place: &Place, offset: u32, value: u16) -> String {
    let registers = chip::part(&place.part).map_or(1, |part| part.registers);
    match (place.at, dialect.cpus[0]) {
        (ChipAt::Memory { first, .. }, _) => {
            let [write, _] = dialect.memory.expect("it reaches memory");
            fill(write, &hex(first + offset % registers), value, "", "h")
        }
        (ChipAt::Port(port), "pdp8") => {
            let transfer = 0o6000 | (port + (offset >> 3) % registers) << 3 | offset & 7;
            let [write, _] = dialect.port.expect("it has ports");
            fill(write, &format!("{transfer:o}"), value & 0o377, "", "")
        }
        (ChipAt::Port(port), "pdp10") => {
            let device = port + (offset % registers & !3);
            let instruction = match offset & 1 {
                0 => format!("datao {device:o}, 1"),
                _ => format!("cono {device:o}, {value:o}"),
            };
            let [write, _] = dialect.port.expect("it has ports");
            fill(write, &instruction, value, "", "")
        }
        (ChipAt::Port(port), _) => {
            let [write, _] = dialect.port.expect("it has ports");
            fill(write, &hex(port + offset % registers), value, "", "h")
        }
    }
}

fn read(dialect: &Dialect, place: &Place, offset: u32, seen: usize) -> String {
    let registers = chip::part(&place.part).map_or(1, |part| part.registers);
    match (place.at, dialect.cpus[0]) {
        (ChipAt::Memory { first, .. }, _) => {
            let [_, read] = dialect.memory.expect("it reaches memory");
            fill(read, &hex(first + offset % registers), 0, &hex(0xA2 + seen as u32), "h")
        }
        (ChipAt::Port(port), "pdp8") => {
            let transfer = 0o6000 | (port + (offset >> 3) % registers) << 3 | offset & 7;
            let [_, read] = dialect.port.expect("it has ports");
            fill(read, &format!("{transfer:o}"), 0, &format!("{:o}", 0o25 + seen), "")
        }
        (ChipAt::Port(port), "pdp10") => {
            let device = port + (offset % registers & !3);
            let instruction = if offset & 1 == 0 { "datai" } else { "coni" };
            let [_, read] = dialect.port.expect("it has ports");
            fill(read, &format!("{instruction} {device:o}, 1"), 0, &format!("{:o}", 0o25 + seen), "")
        }
        (ChipAt::Port(port), _) => {
            let [_, read] = dialect.port.expect("it has ports");
            fill(read, &hex(port + offset % registers), 0, &hex(0xA2 + seen as u32), "h")
        }
    }
}

fn hex(value: u32) -> String {
    format!("0{value:X}h")
}

fn fill(template: &str, address: &str, value: u16, seen: &str, hexes: &str) -> String {
    let value = if hexes.is_empty() { format!("{value:o}") } else { format!("0{value:X}{hexes}") };
    template.replace("{a}", address).replace("{v}", &value).replace("{s}", seen)
}
