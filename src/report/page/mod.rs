//! A program as a page to hand in or to project: its source with what it assembled to, its recorded run with every step, its cases, its flow
//! chart and its map, all in one file that needs nothing else.

use super::Coverage;
use crate::machine::{Machine, lit_segments, read_segments};
use crate::processor::Role;
use crate::session::cases::Outcome;
use crate::session::{Change, Hazard, Limits, Session, Step};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// The page itself: the data goes in place of [`PLACE`].
pub const PAGE: &str = include_str!("page.html");
/// Where the data stands in the page.
pub const PLACE: &str = "/*DATA*/null";
/// Steps beyond these are counted, and not shown.
pub const MOST_STEPS: usize = 10_000;
/// Cells of data that the program comes with beyond these are left out until they are written.
const MOST_CELLS: usize = 512;

/// Cells of a line beyond these are left out.
const MOST_SHOWN: usize = 6;

/// A line of the source.
#[derive(Debug, Clone, Serialize)]
pub struct PageLine {
    /// Its number in its text.
    pub number: usize,
    /// The addresses of what it laid down, itself or by what it wrote out.
    pub addresses: Vec<u32>,
    /// It has instructions.
    pub code: bool,
    /// Its cells, as the listing has them.
    pub cells: String,
    /// The line.
    pub text: String,
    /// How often it was executed.
    pub hits: u32,
    /// What of it the run did not try: a condition that went one way only.
    pub untried: Vec<String>,
    /// The hazards of the run that stand in it.
    pub hazards: Vec<String>,
}

/// A register: its name and its width.
#[derive(Debug, Clone, Serialize)]
pub struct PageRegister {
    /// The maker's name.
    pub name: &'static str,
    /// Bits.
    pub bits: u8,
    /// It is the program counter, of which every step says where it is.
    pub counts: bool,
    /// What it holds in front of the first step.
    pub value: u64,
}

/// A cell that is shown.
#[derive(Debug, Clone, Serialize)]
pub struct PageCell {
    /// Its address.
    pub address: u32,
    /// Its label, where it has one.
    pub label: Option<String>,
    /// What it holds in front of the first step.
    pub value: u64,
}

/// A step: the address, the cycle after it, registers that changed (place and value by turns), cells that were written (address and value by
/// turns), what went to the console, rows of lamps and lines of the screen that changed, in words what the firmware or an interrupt did, and
/// rows of digits that changed.
pub type PageStep = (
    u32,
    u64,
    Vec<u64>,
    Vec<u64>,
    String,
    Vec<(usize, u64)>,
    Vec<(usize, String)>,
    String,
    Vec<(usize, PageDigits)>,
);

/// What a row of digits shows: the segments of each that are lit, bits 0 to 6 for a to g and bit 7 for the point, and the row as it is read.
pub type PageDigits = (Vec<u8>, String);

/// Everything that the page shows.
#[derive(Debug, Clone, Serialize)]
pub struct Page {
    /// The program's name.
    pub title: String,
    /// The processor's name.
    pub processor: String,
    /// The board's name.
    pub board: String,
    /// What a cycle is called.
    pub cycle: String,
    /// Digits of an address and of a cell, and their radix.
    pub digits: (usize, usize, u32),
    /// Registers.
    pub registers: Vec<PageRegister>,
    /// The place of the register with the flags, and each flag with its bit.
    pub flags: (Option<usize>, Vec<(String, u64)>),
    /// Lines of the source.
    pub lines: Vec<PageLine>,
    /// What each instruction means, by its address: how it is written, and its meaning.
    pub meanings: BTreeMap<u32, (String, String)>,
    /// Cells of data.
    pub cells: Vec<PageCell>,
    /// Rows of lamps, how many each has, and what they show before the first step.
    pub lamps: Vec<(String, u8, u64)>,
    /// Rows of digits, and how many each has.
    pub digit_rows: Vec<(String, usize)>,
    /// The lines of the screen in front of the first step, where the board has one.
    pub screen: Vec<String>,
    /// The steps.
    pub steps: Vec<PageStep>,
    /// Steps that are not kept.
    pub more: u64,
    /// Why the run ended.
    pub ended: String,
    /// How much of the program the run tried, in words.
    pub tried: String,
    /// The cases.
    pub cases: Vec<Outcome>,
    /// The flow chart, as SVG.
    pub flow: String,
    /// The map, sizes and sums, as text.
    pub map: String,
}

/// Rows of lamps: those of chips, then single ones.
fn lamps(session: &Session) -> Vec<(String, u8, u64)> {
    let machine = session.machine();
    let chips = machine.chips().iter().filter_map(|one| Some((one.place.name.clone(), 8, one.chip.lamps()?)));
    let single = machine.lamps().iter().map(|lamp| (lamp.name.clone(), 1, u64::from(lamp.lit)));
    chips.chain(single).collect()
}

fn screen(session: &Session) -> Vec<String> {
    session.machine().screen().map(|picture| picture.lines()).unwrap_or_default()
}

/// What the eye sees of digits that a program lights in turn: what was lit for long enough in a fiftieth of a second.
struct Eye {
    since: u64,
    lit: Vec<Vec<[u64; 8]>>,
    shown: Vec<Vec<u8>>,
}

impl Eye {
    fn of(machine: &Machine) -> Self {
        let rows = machine.digits();
        let lit = rows.iter().map(|row| row.all_lit_cycles(machine.cycles())).collect();
        Self { since: machine.cycles(), lit, shown: rows.iter().map(|row| vec![0; row.count()]).collect() }
    }

    /// The rows that look different now.
    fn look(&mut self, machine: &Machine) -> Vec<(usize, PageDigits)> {
        let (now, span) = (machine.cycles(), machine.cycles() - self.since);
        if self.lit.is_empty() || span < machine.board().clock / 50 {
            return Vec::new();
        }
        let rows = machine.digits().iter().zip(&self.lit).zip(&mut self.shown).enumerate();
        let changed = rows.filter_map(|(at, ((row, lit), shown))| {
            let seen: Vec<u8> = row.brightness(lit, span, now).iter().map(lit_segments).collect();
            let is_new = seen != *shown;
            shown.clone_from(&seen);
            let read = seen.iter().map(|&one| read_segments(one).unwrap_or('?')).collect();
            is_new.then_some((at, (seen, read)))
        });
        let changed = changed.collect();
        let shown = std::mem::take(&mut self.shown);
        *self = Self { shown, ..Self::of(machine) };
        changed
    }
}

/// What is seen of a session beside its memory.
struct Seen {
    registers: Vec<u64>,
    lamps: Vec<u64>,
    screen: Vec<String>,
    output: usize,
}

impl Seen {
    fn of(session: &Session, shown: &[usize]) -> Self {
        let machine = session.machine();
        Self {
            registers: shown.iter().map(|&place| machine.register(place)).collect(),
            lamps: lamps(session).into_iter().map(|row| row.2).collect(),
            screen: screen(session),
            output: machine.output().len(),
        }
    }
}

/// What a recorded run comes to: its steps, how many more there were, how often each instruction was executed.
struct Run {
    steps: Vec<PageStep>,
    more: u64,
    hits: BTreeMap<u32, u32>,
    written: BTreeMap<u32, u64>,
    ended: String,
}

/// Runs a copy of the session to its end, step by step.
fn record(session: &Session, shown: &[usize], limits: Limits, go_on: &mut dyn FnMut() -> bool) -> Run {
    let mut run = Run {
        steps: Vec::new(),
        more: 0,
        hits: BTreeMap::new(),
        written: BTreeMap::new(),
        ended: String::new(),
    };
    let mut before = Seen::of(session, shown);
    let has_screen = !before.screen.is_empty();
    let mut eye = Eye::of(session.machine());
    let mut session = session.clone();
    let stop = session.trace(limits, &mut |session, step| {
        if step.nothing_done() {
            return go_on();
        }
        if !step.interrupt {
            *run.hits.entry(step.address).or_default() += 1;
        }
        if run.steps.len() >= MOST_STEPS {
            run.more += 1;
            return go_on();
        }
        let mut cells = Vec::new();
        for change in &step.changes {
            if let Change::Cell { address, before, after, took_effect: true } = change {
                run.written.entry(*address).or_insert(*before);
                cells.extend([u64::from(*address), *after]);
            }
        }
        let wrote = !cells.is_empty() || step.service.is_some() || step.many;
        let mut now = Seen::of_kept(session, shown, &before, has_screen && wrote);
        let digits = eye.look(session.machine());
        run.steps.push(page_step(session, step, (&before, &now), cells, digits));
        std::mem::swap(&mut before, &mut now);
        go_on()
    });
    run.ended = stop.words(session.processor());
    run
}

impl Seen {
    /// The same without looking at the screen where nothing can have changed in it.
    fn of_kept(session: &Session, shown: &[usize], before: &Self, looks: bool) -> Self {
        let machine = session.machine();
        Self {
            registers: shown.iter().map(|&place| machine.register(place)).collect(),
            lamps: lamps(session).into_iter().map(|row| row.2).collect(),
            screen: if looks { screen(session) } else { before.screen.clone() },
            output: machine.output().len(),
        }
    }
}

fn page_step(
    session: &Session,
    step: &Step,
    (before, now): (&Seen, &Seen),
    cells: Vec<u64>,
    digits: Vec<(usize, PageDigits)>,
) -> PageStep {
    let machine = session.machine();
    let changed = |one: &[u64], other: &[u64]| -> Vec<(usize, u64)> {
        one.iter().zip(other).enumerate().filter(|(_, (a, b))| a != b).map(|(at, (_, b))| (at, *b)).collect()
    };
    let registers = changed(&before.registers, &now.registers).into_iter();
    let lines = before.screen.iter().zip(&now.screen).enumerate().filter(|(_, (a, b))| a != b);
    let output = machine.output().get(before.output..).unwrap_or_default();
    let words = match (&step.service, step.interrupt) {
        (Some(service), _) => service.clone(),
        (None, true) => super::describe(session, step),
        (None, false) => String::new(),
    };
    (
        step.address,
        machine.cycles(),
        registers.flat_map(|(at, value)| [at as u64, value]).collect(),
        cells,
        String::from_utf8_lossy(output).into_owned(),
        changed(&before.lamps, &now.lamps),
        lines.map(|(at, (_, line))| (at, line.clone())).collect(),
        words,
        digits,
    )
}

/// What beside the program goes into a page.
#[derive(Debug, Clone, Default)]
pub struct Beside {
    /// The outcomes of its cases.
    pub cases: Vec<Outcome>,
    /// Its flow chart, as SVG.
    pub flow: String,
    /// Its map, as text.
    pub map: String,
}

/// The page of a program that stands at its beginning in a session. Its run is recorded on a copy.
pub fn page(
    title: &str,
    session: &Session,
    limits: Limits,
    beside: Beside,
    go_on: &mut dyn FnMut() -> bool,
) -> Page {
    let machine = session.machine();
    let set = machine.set();
    let shown: Vec<usize> = (0..set.registers().len())
        .filter(|&at| {
            matches!(
                set.registers()[at].role,
                Role::Data | Role::Stack | Role::Program | Role::Flags | Role::Cell
            )
        })
        .collect();
    let flags = set.flags_register().and_then(|place| shown.iter().position(|&one| one == place));
    let run = record(session, &shown, limits, go_on);
    let mut ran = session.clone();
    ran.run(limits);
    let hazards = ran.hazards(&mut *go_on);
    let profile = ran.profile(&mut *go_on);
    let coverage = session.program().map(|program| Coverage::of(program, &profile));
    let lines = lines(session, &run, coverage.as_ref(), &hazards);
    let mut meanings = BTreeMap::new();
    for &address in run.hits.keys() {
        if let (Some(decoded), _) = session.instruction_at(address) {
            let text = decoded.text(set, &|address| session.label(address as u32).map(String::from));
            meanings.insert(address, (text, decoded.meaning().to_string()));
        }
    }
    Page {
        title: title.to_string(),
        processor: set.name().to_string(),
        board: machine.board().name.clone(),
        cycle: set.identity.cycle_name.to_string(),
        digits: (set.address(0).len(), set.cell(0).len(), set.habit().table_radix()),
        registers: shown
            .iter()
            .map(|&at| {
                let register = &set.registers()[at];
                PageRegister {
                    name: register.name,
                    bits: register.bits,
                    counts: register.role == Role::Program,
                    value: machine.register(at),
                }
            })
            .collect(),
        flags: (flags, set.flags().iter().map(|flag| (flag.name.to_string(), flag.mask)).collect()),
        lines,
        meanings,
        cells: cells(session, &run),
        lamps: lamps(session),
        digit_rows: machine.digits().iter().map(|row| (row.name.clone(), row.count())).collect(),
        screen: screen(session),
        steps: run.steps,
        more: run.more,
        ended: run.ended,
        tried: coverage.map(|one| one.summary().to_string().trim_end().to_string()).unwrap_or_default(),
        cases: beside.cases,
        flow: beside.flow,
        map: beside.map,
    }
}

/// The lines of the program's source, with what each came to.
fn lines(session: &Session, run: &Run, coverage: Option<&Coverage>, hazards: &[Hazard]) -> Vec<PageLine> {
    let Some(program) = session.program() else { return Vec::new() };
    let set = session.processor();
    let Some((name, text)) = program.texts().next() else { return Vec::new() };
    // What a macro wrote out stands in the line of its call.
    let mut by_line: BTreeMap<usize, Vec<(u32, u32, bool)>> = BTreeMap::new();
    for (address, line) in program.lines() {
        let (file, number) = line.written_at();
        if file == name {
            by_line.entry(number).or_default().push((address, line.cells, line.code));
        }
    }
    let line_of = |(at, text): (usize, &str)| {
        let number = at + 1;
        let places = by_line.get(&number).map_or(&[][..], Vec::as_slice);
        let all = places.iter().flat_map(|&(address, count, _)| (address..).take(count as usize));
        let count: u32 = places.iter().map(|row| row.1).sum();
        let cells: Vec<String> =
            all.take(MOST_SHOWN).map(|at| set.cell(session.machine().cell(at))).collect();
        let hits = places.iter().filter_map(|row| run.hits.get(&row.0)).max().copied().unwrap_or(0);
        let hazards = hazards.iter().filter(|one| one.line == Some(number));
        PageLine {
            number,
            addresses: places.iter().map(|row| row.0).collect(),
            code: places.iter().any(|row| row.2),
            cells: cells.join(" ") + if count as usize > MOST_SHOWN { " …" } else { "" },
            text: text.to_string(),
            hits,
            untried: coverage.map(|one| one.untried(name, number)).unwrap_or_default(),
            hazards: hazards.map(|one| format!("{}: {}", one.code, one.message)).collect(),
        }
    };
    text.lines().enumerate().map(line_of).collect()
}

/// The cells that are worth seeing: data of the program, and whatever was written.
fn cells(session: &Session, run: &Run) -> Vec<PageCell> {
    let machine = session.machine();
    let mut addresses: BTreeSet<u32> = run.written.keys().copied().take(4 * MOST_CELLS).collect();
    if let Some(program) = session.program() {
        let data = program.lines().filter(|(_, line)| !line.code).map(|row| row.0);
        addresses.extend(data.filter(|&at| program.label(at).is_some()).take(MOST_CELLS));
    }
    let cell = |address: u32| PageCell {
        address,
        label: session.program().and_then(|program| program.label(address)).map(String::from),
        value: run.written.get(&address).copied().unwrap_or_else(|| machine.cell(address)),
    };
    addresses.into_iter().map(cell).collect()
}
