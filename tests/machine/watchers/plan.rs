//! What is tried: a processor, chips around it, a program that sets them up, and an operator who does this and that.

use super::boards::{SHIPPED, Shipped};
use super::dialects::{DIALECTS, Dialect};
use super::recipes::{ANY, FEW, RECIPES};
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::cassette::Signal;
use plain_byte::machine::{ChipAt, Deck, Event, Fitted, chip};
use plain_byte::processor;
use plain_byte::session::{Session, find_board};
use proptest::prelude::*;

/// Everything that is chosen. Numbers are taken modulo what there is to choose from.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Of all processors, and of the shipped boards after them.
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
        .prop_map(|((machine, parts, unmapped), (setup, handler, rest, focus), events, limit, cuts)| {
            Plan { machine, parts, unmapped, setup, handler, rest, focus, events, limit, cuts }
        })
}

/// A place at which a chip's registers are.
struct Place {
    part: String,
    at: ChipAt,
}

impl Plan {
    /// Its processor, and the shipped board where it is not a board of the plan's own.
    fn choice(&self) -> (&'static str, Option<&'static Shipped>) {
        let cpus: Vec<&str> = DIALECTS.iter().flat_map(|one| one.cpus).copied().collect();
        match self.machine % (2 * cpus.len() + SHIPPED.len()) {
            own if own < 2 * cpus.len() => (cpus[own % cpus.len()], None),
            shipped => {
                let row = &SHIPPED[shipped - 2 * cpus.len()];
                (row.1, Some(row))
            }
        }
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
        let dialect = Dialect::of(cpu);
        let acts =
            |acts: &[[u8; 4]]| -> String { acts.iter().map(|&act| self.act(dialect, places, act)).collect() };
        let (head, stack) = shipped.map_or((dialect.head, dialect.stack), |head| (head, ""));
        let enables = if self.rest.is_multiple_of(4) && self.focus.is_none() { "" } else { dialect.own[0] };
        // The first rests only wait.
        let rest = self.rest / 4 % if self.focus.is_some() { 4 } else { dialect.rests.len() };
        let last = self.focus.map_or(String::new(), |(recipe, value)| {
            self.act(dialect, places, [0, 0, (recipe % 0x100) as u8, value])
        });
        let head = head.replace("{vectors}", &dialect.vectors());
        let code = dialect
            .code
            .replace("{stack}", stack)
            .replace("{setup}", &acts(&self.setup))
            .replace("{handler}", &acts(&self.handler))
            .replace("{rest}", &format!("{last}{enables}{}", dialect.rests[rest]));
        format!("        cpu {cpu}\n{head}{code}")
    }

    /// The board, switched on, with its description.
    pub fn board(&self) -> (Session, String) {
        let (cpu, shipped) = self.choice();
        let mut texts = Texts::default();
        let description = self.description(cpu);
        texts.0.insert("tried.toml".to_string(), description.as_str().into());
        let name = shipped.map_or("tried.toml", |row| row.0);
        let mut found =
            find_board(name, None, &mut texts).unwrap_or_else(|error| panic!("{error}\n{description}"));
        found.board.set = processor::find(cpu).expect("a processor");
        (Session::open(&found, &mut texts).expect("the board opens"), description)
    }

    /// The machine with its program, and the source, for whoever reads of a difference. It is recorded where marks are wanted every so
    /// many cycles.
    pub fn session(&self, every: Option<u64>) -> (Session, String) {
        let (cpu, shipped) = self.choice();
        let (mut session, description) = self.board();
        every.into_iter().for_each(|every| session.record("tried.toml", &[], every));
        let place = |one: &Fitted| Place { part: one.place.part.clone(), at: one.place.at };
        // A program reaches what is on the bus.
        let on_bus = |one: &&Fitted| chip::part(&one.place.part).is_none_or(|part| part.registers > 0);
        let places: Vec<Place> = session.machine().chips().iter().filter(on_bus).map(place).collect();
        let source = self.source(cpu, &places, shipped.map(|row| row.2));
        let mut texts = Texts::one("tried.asm", source.as_str());
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
        let which = kind / 10;
        match kind % 10 {
            0 | 1 => {
                let inputs = session.processor().interrupts.inputs;
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
            8 | 9 => machine.recorder().map(|_| match value % 3 {
                0 => Event::Cassette(tape(which, value)),
                _ => Event::Recorder(Deck::ALL[which % Deck::ALL.len()].0),
            }),
            _ => Some(Event::Port(0xF0 + u32::from(value & 3), vec![value.into()])),
        }
    }
}

/// A cassette of a fraction of a second, on which the level turns over at times that are not regular.
fn tape(which: usize, value: u8) -> Signal {
    let first = 20 + which as u64 % 400;
    let turns = (0..u64::from(value)).map(|at| first + at * at % 97 * 7);
    Signal::try_from(turns.chain([first * 50]).collect::<Vec<u64>>()).expect("it is short enough")
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
            let device = port + ((offset % registers) & !3);
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
            let device = port + ((offset % registers) & !3);
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
