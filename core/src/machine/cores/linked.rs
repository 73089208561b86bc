//! A processor at the other end of a debug link: registers, memory and runs are asked for, a line each.
//!
//! The language is that of docs/debug-link.md. A machine over such a processor is like any other but for its past: what the board has
//! done it cannot take back, and what is on the board beside processor and memory is not seen here.

use super::Core;
use super::bus::{Access, Missing, Noted};
use super::memory::{Area, MemoryKind};
use super::observe::Watching;
use crate::diagnostic::Problem;
use crate::machine::io::Io;
use crate::machine::{Board, Machine};
use crate::processor::{self, Exit, InstructionSet, Requests};
use std::collections::BTreeMap;
use std::fmt::{Debug, Write};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The version of the language.
pub const LINK_VERSION: u32 = 1;

/// Most cells in a request.
pub const MOST_CELLS: usize = 0x100;

/// Cells that are asked for at once.
const PAGE: u32 = MOST_CELLS as u32;

/// A line to a board.
pub trait Link: Send + Debug {
    /// Puts a request on the line and waits for its answer. The line ends are not part of them.
    ///
    /// # Errors
    /// A sentence that says why no answer came.
    fn ask(&mut self, request: &str) -> Result<String, Problem>;
}

/// What is known of the board.
#[derive(Debug)]
struct Far {
    link: Box<dyn Link>,
    set: &'static InstructionSet,
    /// Registers by their places; `None` where they have to be asked for.
    registers: Option<Vec<u64>>,
    /// The board's own counters, and what they stood at when ours were 0, more or less.
    counters: (u64, u64),
    begin: (i128, i128),
    pages: BTreeMap<u32, Vec<u64>>,
    /// Cells that were put and are still to be sent: the address of the first, and all of them.
    unsent: (u32, Vec<u64>),
    /// Breakpoints that the board has.
    stops: Vec<u32>,
    halted: Option<u32>,
    failure: Option<String>,
}

/// The processor.
#[derive(Debug, Clone)]
pub(in crate::machine) struct Linked {
    set: &'static InstructionSet,
    areas: Vec<Area>,
    far: Arc<Mutex<Far>>,
}

impl Machine {
    /// The machine at the other end of a line.
    ///
    /// # Errors
    /// A sentence: the board does not answer, or not in this language.
    pub fn linked(mut link: Box<dyn Link>) -> Result<Self, Problem> {
        let hello = checked(&mut *link, &format!("hello {LINK_VERSION}"))?;
        let facts = facts(&hello);
        let fact = |name: &str| {
            let found = facts.iter().find(|fact| fact.0 == name).map(|fact| fact.1);
            found.ok_or_else(|| Problem::from(format!("the board does not say its {name}: `{hello}`")))
        };
        if fact("link")? != LINK_VERSION.to_string() {
            let version = shortened(fact("link")?);
            let why = format!(
                "the board speaks version {version} of the link's language, and this is version {LINK_VERSION}"
            );
            return Err(why.into());
        }
        let set = processor::find(fact("cpu")?).map_err(|error| Problem::from(error.to_string()))?;
        let clock = fact("clock")?.parse().map_err(|_| Problem::from(format!("`{hello}` has no clock")))?;
        let map = checked(&mut *link, "map")?;
        let areas: Vec<Area> =
            map.split_whitespace().map(|word| area(word, set)).collect::<Result<_, _>>()?;
        let mut board = Board::bare(set);
        board.name = fact("board")?.to_string();
        board.title = "a board at the other end of a debug link".to_string();
        (board.clock, board.memory) = (clock, areas.clone());
        let far = Far {
            link,
            set,
            registers: None,
            counters: (0, 0),
            begin: (0, 0),
            pages: BTreeMap::new(),
            unsent: (0, Vec::new()),
            stops: Vec::new(),
            halted: None,
            failure: None,
        };
        let core = Linked { set, areas, far: Arc::new(Mutex::new(far)) };
        core.far().read_registers();
        if let Some(failure) = core.link_failure() {
            return Err(failure.into());
        }
        // Breakpoints of whoever was here before.
        core.far().tell("forget all");
        Ok(Self::with_core(&board, Box::new(core)))
    }

    /// True where the processor is at the other end of a line.
    pub fn is_linked(&self) -> bool {
        self.core.is_linked()
    }

    /// Why the line to the board is of no use any more.
    pub fn link_failure(&self) -> Option<String> {
        self.core.link_failure()
    }
}

/// `name=value` pairs of an answer.
fn facts(answer: &str) -> Vec<(&str, &str)> {
    answer.split_whitespace().filter_map(|word| word.split_once('=')).collect()
}

/// The answer to a request without the `ok` in front.
fn checked(link: &mut dyn Link, request: &str) -> Result<String, Problem> {
    let answer = link.ask(request)?;
    let answer = answer.trim();
    match answer.split_once(' ').unwrap_or((answer, "")) {
        ("ok", rest) => Ok(rest.to_string()),
        ("stopped", _) => Ok(answer.to_string()),
        ("no", why) => Err(format!("the board refuses `{}`: {why}", shortened(request)).into()),
        _ => Err(format!("the board answers `{}` with `{}`", shortened(request), shortened(answer)).into()),
    }
}

fn shortened(text: &str) -> String {
    let text = &text.replace(|c: char| c.is_control(), "?");
    let end = text.char_indices().nth(60).map_or(text.len(), |(at, _)| at);
    if end < text.len() { format!("{}…", &text[..end]) } else { text.to_string() }
}

/// `ram:000000-01FFFF`.
fn area(word: &str, set: &InstructionSet) -> Result<Area, Problem> {
    let wrong = || Problem::from(format!("the board's memory `{word}` makes no sense"));
    let (kind, range) = word.split_once(':').ok_or_else(wrong)?;
    let kind = match kind {
        "ram" => MemoryKind::Ram,
        "rom" => MemoryKind::Rom,
        "core" => MemoryKind::Core,
        _ => return Err(wrong()),
    };
    let (first, last) = range.split_once('-').ok_or_else(wrong)?;
    let number = |text: &str| u32::from_str_radix(text, 16).ok().filter(|&at| at <= set.last_address());
    let (first, last) =
        number(first).zip(number(last)).filter(|(first, last)| first <= last).ok_or_else(wrong)?;
    Ok(Area { kind, first, last, name: None })
}

fn hex(text: &str) -> Option<u64> {
    u64::from_str_radix(text, 16).ok()
}

impl Far {
    /// Asks, unless the line has failed already; the first failure is kept.
    fn tell(&mut self, request: &str) -> Option<String> {
        if self.failure.is_some() {
            return None;
        }
        match checked(&mut *self.link, request) {
            Ok(answer) => Some(answer),
            Err(why) => {
                self.failure = Some(why.to_string());
                None
            }
        }
    }

    fn fail(&mut self, why: String) {
        self.failure.get_or_insert(why);
    }

    /// Sends what was put.
    fn flush(&mut self) {
        let (first, cells) = std::mem::take(&mut self.unsent);
        let width = usize::from(self.set.cell_bits().div_ceil(4));
        for (chunk, at) in cells.chunks(MOST_CELLS).zip((first..).step_by(MOST_CELLS)) {
            let mut request = format!("write {at:X} ");
            for cell in chunk {
                let _ = write!(request, "{cell:0width$X}");
            }
            self.tell(&request);
        }
    }

    fn read_registers(&mut self) -> &[u64] {
        if self.registers.is_none() {
            let answer = self.tell("registers").unwrap_or_default();
            let told = facts(&answer);
            let value = |name: &str| told.iter().find(|fact| fact.0 == name).and_then(|fact| hex(fact.1));
            let registers: Vec<u64> =
                self.set.registers().iter().map(|one| value(one.name).unwrap_or(0)).collect();
            if let (Some(cycles), Some(instructions)) = (value("cycles"), value("instructions")) {
                self.counters = (cycles, instructions);
            } else if self.failure.is_none() {
                self.fail(format!("the board's registers make no sense: `{}`", shortened(&answer)));
            }
            self.registers = Some(registers);
        }
        self.registers.as_deref().unwrap_or_default()
    }

    fn cell(&mut self, address: u32) -> u64 {
        self.flush();
        let page = address / PAGE;
        if !self.pages.contains_key(&page) {
            let first = page * PAGE;
            let answer = self.tell(&format!("read {first:X} {PAGE:X}")).unwrap_or_default();
            let width = usize::from(self.set.cell_bits().div_ceil(4));
            let digits = answer.as_bytes().chunks(width);
            let cells: Vec<u64> =
                digits.filter_map(|digits| hex(std::str::from_utf8(digits).ok()?)).collect();
            if cells.len() != PAGE as usize {
                self.fail(format!("the board's cells make no sense: `{}`", shortened(&answer)));
                return 0;
            }
            self.pages.insert(page, cells);
        }
        self.pages.get(&page).map_or(0, |cells| cells[(address % PAGE) as usize])
    }

    fn put(&mut self, address: u32, value: u64) {
        if let Some(cells) = self.pages.get_mut(&(address / PAGE)) {
            cells[(address % PAGE) as usize] = value;
        }
        let (first, cells) = &mut self.unsent;
        if !cells.is_empty() && *first + cells.len() as u32 != address {
            self.flush();
        }
        let (first, cells) = &mut self.unsent;
        if cells.is_empty() {
            *first = address;
        }
        cells.push(value);
    }

    /// Counters as seen from here.
    fn own_counters(&mut self) -> (u64, u64) {
        self.read_registers();
        let own = |counter: u64, begin: i128| (i128::from(counter) - begin).max(0) as u64;
        (own(self.counters.0, self.begin.0), own(self.counters.1, self.begin.1))
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        self.read_registers();
        self.begin = (
            i128::from(self.counters.0) - i128::from(now),
            i128::from(self.counters.1) - i128::from(instructions),
        );
    }

    /// Lets the board have the same breakpoints.
    fn set_stops(&mut self, wanted: &[u32]) {
        for gone in self.stops.clone().into_iter().filter(|at| !wanted.contains(at)) {
            self.tell(&format!("forget {gone:X}"));
        }
        for &new in wanted {
            if !self.stops.contains(&new) {
                self.tell(&format!("break {new:X}"));
            }
        }
        self.stops = wanted.to_vec();
    }

    /// Lets the board go, and waits until it has stopped.
    fn go(&mut self, request: &str, io: &mut Io, notes: &mut Vec<Noted>, limit: u64) -> Exit {
        self.flush();
        let before = self.own_counters();
        let answer = self.tell(request);
        (self.registers, self.halted) = (None, None);
        self.pages.clear();
        let Some(answer) = answer else { return Exit::Halt };
        let mut words = answer.split(' ').skip(1);
        let reason = words.next().unwrap_or_default();
        let at = words.next().and_then(hex).unwrap_or(0) as u32;
        notes.extend(words.filter_map(noted));
        let after = self.own_counters();
        match reason {
            "breakpoint" => Exit::Watched,
            "halt" => {
                self.halted = Some(at);
                Exit::Halt
            }
            "endless" => Exit::Idle,
            "undefined" => Exit::Undefined,
            "chain" => Exit::Chain,
            // It reached for something that does not exist: the only access that is told.
            "unmapped" if !notes.is_empty() => {
                io.missing = notes.pop().map(|note| Missing { access: note.access, address: note.address });
                Exit::Attention
            }
            // It waits for what comes from outside, and its time stands still there; here it goes on.
            "waiting" => {
                self.set_counters(limit, after.1);
                Exit::Limit
            }
            // Time that does not go on would be asked for without end.
            "step" if after.0 > before.0 => Exit::Limit,
            "cycles" if after.0 >= limit => Exit::Limit,
            _ => {
                self.fail(format!("the board answers `{request}` with `{}`", shortened(&answer)));
                Exit::Halt
            }
        }
    }
}

/// An access as a step tells it: `w:ADDRESS:BEFORE:VALUE`, `r:ADDRESS:VALUE`, `o:PORT:VALUE`, `i:PORT:VALUE`, `f:ADDRESS`.
fn noted(word: &str) -> Option<Noted> {
    let parts: Vec<&str> = word.split(':').collect();
    let number = |at: usize| parts.get(at).copied().map_or(Some(0), hex);
    let access = match parts[0] {
        "w" => Access::Write,
        "r" => Access::Read,
        "o" => Access::Out,
        "i" => Access::In,
        "f" => Access::Fetch,
        _ => return None,
    };
    let (address, first, second) = (number(1)? as u32, number(2)?, number(3)?);
    let (before, value) = if access == Access::Write { (first, second) } else { (first, first) };
    Some(Noted { access, address, before, value, took_effect: true })
}

impl Linked {
    fn far(&self) -> MutexGuard<'_, Far> {
        self.far.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Core for Linked {
    fn set(&self) -> &'static InstructionSet {
        let Some(modes) = self.set.modes else { return self.set };
        let place = self.set.register(modes.register.0).unwrap_or(0);
        self.set.in_mode(self.register(place) != 0)
    }

    fn register(&self, place: usize) -> u64 {
        self.far().read_registers().get(place).copied().unwrap_or(0)
    }

    fn set_register(&mut self, place: usize, value: u64) {
        let name = self.set.registers()[place].name;
        let mut far = self.far();
        far.flush();
        far.tell(&format!("set {name}={value:X}"));
        far.registers = None;
    }

    fn reset(&mut self) {
        let mut far = self.far();
        far.flush();
        far.tell("reset");
        (far.registers, far.halted) = (None, None);
    }

    fn request(&mut self, input: &str) -> bool {
        let known = self.set.interrupts.inputs.contains(&input);
        if known {
            self.far().tell(&format!("interrupt {input}"));
        }
        known
    }

    fn requested(&mut self, _: Requests) {}

    fn cell(&self, address: u32) -> u64 {
        self.far().cell(address)
    }

    fn areas(&self) -> &[Area] {
        &self.areas
    }

    fn put(&mut self, address: u32, value: u64) -> bool {
        let exists = super::memory::kind(&self.areas, address).is_some();
        if exists {
            self.far().put(address, value);
        }
        exists
    }

    fn halted_at(&self) -> Option<u32> {
        self.far().halted
    }

    fn counters(&self) -> (u64, u64) {
        self.far().own_counters()
    }

    fn restart(&mut self) {
        self.far().set_counters(0, 0);
    }

    fn pass(&mut self, now: u64) {
        let instructions = self.instructions();
        self.far().set_counters(now, instructions);
    }

    /// The board has told that nothing changes.
    fn idle(&mut self, _: &mut Io, until: u64) {
        self.pass(until);
    }

    fn run(&mut self, io: &mut Io, watching: &mut Watching<'_>, limit: u64) -> Exit {
        let mut far = self.far();
        let left = limit.saturating_sub(far.own_counters().0).max(1);
        let run = format!("run {left:X}");
        let none = &mut Vec::new();
        match watching {
            Watching::Step(notes) => far.go("step", io, notes, limit),
            // The board at the other end leaves none.
            Watching::Nothing | Watching::Trail(..) => {
                far.set_stops(&[]);
                far.go(&run, io, none, limit)
            }
            Watching::Stops(stops) => {
                far.set_stops(stops.addresses());
                far.go(&run, io, none, limit)
            }
            // Every instruction is told, which takes a question each.
            Watching::Each(callback) => {
                let address = far.set.registers().iter().position(|one| one.role == processor::Role::Program);
                loop {
                    let cycle = far.own_counters().0;
                    let at = far.read_registers()[address.unwrap_or(0)] as u32;
                    crate::machine::Seen { address: at, cycle }.tell(callback);
                    match far.go("step", io, none, limit) {
                        Exit::Limit if far.own_counters().0 < limit => {}
                        exit => return exit,
                    }
                }
            }
        }
    }

    /// There is one board; both copies speak to it.
    fn copy(&self) -> Box<dyn Core> {
        Box::new(self.clone())
    }

    fn is_linked(&self) -> bool {
        true
    }

    fn link_failure(&self) -> Option<String> {
        let mut far = self.far();
        far.flush();
        far.failure.clone()
    }
}
