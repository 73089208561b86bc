//! One program being run and watched: state by name, steps with everything they changed, runs to a stop, going back.
//!
//! ```
//! use plain_byte::assembler::{Options, Texts, assemble};
//! use plain_byte::session::{Limits, Session, Stop};
//!
//! let source = "        org 4000h\n        mvi a, 9\n        adi 3\n        hlt\n";
//! let options = Options::default().cpu("8085")?;
//! let assembly = assemble("oil.asm", &mut Texts::one("oil.asm", source), &options);
//! let mut session = Session::shipped("plover")?;
//! session.load_assembly(&assembly)?;
//! assert_eq!(session.get("PC"), Some(0x4000));
//! let stop = session.run(Limits::none());
//! assert_eq!((stop, session.get("A")), (Stop::Halt, Some(12)));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod case_compare;
mod case_screen;
pub mod cases;
mod cause;
mod doubt;
mod fold;
mod guard;
mod hazard;
mod open;
mod profile;
mod program;
mod record;
mod rounds;
mod services;
mod source;
mod step;
mod stop;
mod time;
mod walk;

pub use cause::{Origin, Whereabouts, Why, WriteKind, Written};
pub use doubt::{Doubt, PlaceUse};
pub use fold::Share;
pub use guard::Guard;
pub use hazard::{HAZARDS, Hazard};
pub use open::{Found, OpenError, board_names, find_board, firmware_image, is_program_file};
pub use profile::{Counted, Profile};
pub use program::{LineCode, Program, SourceLine};
pub use record::{Begin, Difference, Line, RECORD_VERSION, Replayed};
pub use rounds::{Circle, Round};
pub use step::{Change, Step, instruction_at};
pub use stop::{Limits, Stop};
pub use time::{Act, Departure, DiskFiles, Moment, NoMoment, Stretch};

use crate::assembler::{Assembly, Environment, Formula, SymbolKind};
use crate::diagnostic::Problem;
use crate::image::{Cell, Image};
use crate::machine::{Event, LoadError, Machine, StopMap};
use crate::processor::{InstructionSet, Named, Role};
use guard::Guards;
use rounds::Looks;
use time::{Timeline, puts};

/// A machine with a program in it.
#[derive(Debug, Clone)]
pub struct Session {
    machine: Machine,
    program: Option<Program>,
    firmware: Option<Program>,
    /// The services of a disk system, where they were put into memory beside the firmware.
    services: Option<Program>,
    /// The program's own share, and the cycle up to which everything was counted.
    share: Option<(Share, u64)>,
    looks: Option<Looks>,
    stops: StopMap,
    conditions: Vec<Formula>,
    /// What breakpoints ask before they stop a run.
    guards: Guards,
    /// Kinds of hazards that are not told, and those in front of which an operator's run stops.
    allowed: Vec<String>,
    denied: Vec<String>,
    timeline: Timeline,
    recording: Option<Box<record::Recording>>,
    /// What looks for hazards, where somebody has asked for them.
    watcher: Option<Box<hazard::Watcher>>,
    /// The file and the name of a program that the services of the machine have started.
    started: Option<(Vec<u8>, String)>,
}

/// Why a program was not loaded.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SessionError {
    /// It does not fit the board.
    #[error(transparent)]
    Load(#[from] LoadError),
    /// It is for another processor.
    #[error("the program is for the {program}; the processor of the board {board} is the {processor}")]
    Processor {
        /// The program's.
        program: &'static str,
        /// The board.
        board: String,
        /// The board's.
        processor: &'static str,
    },
    /// It has errors.
    #[error("the program has errors and cannot be run")]
    Errors,
}

/// No register, flag, cell or port of that name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum StateError {
    /// Unknown name.
    #[error("the {processor} has no register or flag `{name}`; it has {known}")]
    Unknown {
        /// The name.
        name: String,
        /// The processor.
        processor: &'static str,
        /// Registers and flags.
        known: String,
    },
    /// The value does not fit.
    #[error("{value} does not fit in {name}, which has {bits} bits")]
    Range {
        /// The register or flag.
        name: String,
        /// The value.
        value: i64,
        /// Its width.
        bits: u8,
    },
    /// A value that a cell cannot hold.
    #[error("{value} does not fit in a cell, which has {bits} bits")]
    Value {
        /// The value.
        value: Cell,
        /// Bits in a cell.
        bits: u8,
    },
    /// No memory at the address.
    #[error("the board has no memory at {0}")]
    NoMemory(String),
    /// The board has no such thing.
    #[error("{0}")]
    NoSuch(String),
}

impl Session {
    fn with_machine(machine: Machine, firmware: Option<Program>) -> Self {
        Self {
            machine,
            program: None,
            firmware,
            services: None,
            share: None,
            looks: None,
            stops: StopMap::default(),
            conditions: Vec::new(),
            guards: Guards::default(),
            allowed: Vec::new(),
            denied: Vec::new(),
            timeline: Timeline::default(),
            recording: None,
            watcher: None,
            started: None,
        }
    }

    /// The machine.
    pub fn machine(&self) -> &Machine {
        &self.machine
    }

    /// Its instruction set.
    pub fn processor(&self) -> &'static InstructionSet {
        self.machine.set()
    }

    /// The loaded program.
    pub fn program(&self) -> Option<&Program> {
        self.program.as_ref()
    }

    /// Loads an image and puts the program counter to its start. Counters begin at 0.
    ///
    /// # Errors
    /// [`SessionError`] where it does not fit; nothing is changed then.
    pub fn load(&mut self, image: Image) -> Result<(), SessionError> {
        self.load_program(Program::from_image(image))
    }

    /// The same with the symbols of the program before, as for another build of it.
    ///
    /// # Errors
    /// [`SessionError`] where it does not fit; nothing is changed then.
    pub fn load_with_symbols(&mut self, image: Image) -> Result<(), SessionError> {
        match self.program.clone() {
            Some(before) => self.load_program(before.with_image(image)),
            None => self.load(image),
        }
    }

    /// Loads what was assembled, with its source and symbols.
    ///
    /// # Errors
    /// [`SessionError`] where it has errors or does not fit.
    pub fn load_assembly(&mut self, assembly: &Assembly) -> Result<(), SessionError> {
        let program = self.program_of(assembly)?;
        self.load_program(program)
    }

    /// What was assembled, as a program for this machine's processor.
    ///
    /// # Errors
    /// [`SessionError`] where it has errors or is for another processor.
    pub fn program_of(&self, assembly: &Assembly) -> Result<Program, SessionError> {
        if !assembly.succeeded() {
            return Err(SessionError::Errors);
        }
        let own = self.processor();
        if let Some(set) = assembly.set
            && !own.runs(set)
        {
            let board = self.machine.board().name.clone();
            return Err(SessionError::Processor { program: set.name(), board, processor: own.name() });
        }
        Ok(Program::from_assembly(assembly))
    }

    /// Puts a program into memory while the machine stays where it is, as somebody who keyed it in would have done.
    ///
    /// # Errors
    /// [`SessionError`] where it does not fit.
    pub fn place(&mut self, program: Program) -> Result<(), SessionError> {
        self.machine.can_hold(&program.image)?;
        self.put_image(&program.image);
        self.program = Some(program);
        Ok(())
    }

    /// A program that the services of the machine start: with its file and its name, so that it can be started anew.
    fn begin_program(&mut self, program: Program, file: (Vec<u8>, String)) {
        self.program = Some(program);
        self.started = Some(file);
    }

    /// Starts that program with these words behind its name. False where there is none.
    fn act_program(&mut self, words: &[String]) -> bool {
        let Some((file, name)) = self.started.clone() else { return false };
        self.act(Act::Program { file, name, words: words.to_vec() })
    }

    /// Puts an image into memory that has room for it.
    fn put_image(&mut self, image: &Image) {
        for segment in image.segments() {
            puts(segment.start, &segment.cells).into_iter().for_each(|act| _ = self.act(act));
        }
    }

    fn load_program(&mut self, program: Program) -> Result<(), SessionError> {
        self.machine.can_hold(&program.image)?;
        self.timeline.clear();
        self.share = None;
        let place = program.image.start_for(self.processor());
        // A program for a processor without modes is one of the short mode.
        let short = || program.set.filter(|set| set.modes.is_none()).map(|_| false);
        let long = place.and_then(|start| program.image.long_mode_at(start).or_else(short));
        self.put_image(&program.image);
        self.act(Act::Anew);
        long.into_iter().for_each(|long| _ = self.act(Act::Mode(long)));
        place.into_iter().for_each(|place| _ = self.act(Act::Place(place)));
        self.enter_segments(&program.image);
        self.program = Some(program);
        self.timeline.begin();
        Ok(())
    }

    /// A program in segments has its own code segment and stack.
    fn enter_segments(&mut self, image: &Image) {
        let shift = self.processor().cells.segment_shift;
        let set = |name: &str, value: u32| Act::Register { name: name.to_string(), value: value.into() };
        if let Some(start) = image.entry_place().filter(|start| shift > 0 && start.base > 0) {
            self.act(set("CS", start.base >> shift));
            self.act(set("IP", start.offset));
        }
        if let Some(stack) = image.stack().filter(|_| shift > 0) {
            self.act(set("SS", stack.base >> shift));
            self.act(set("SP", stack.offset));
        }
    }

    /// The value of a register or flag, by its name in any case: see [`InstructionSet::named`].
    pub fn get(&self, name: &str) -> Option<u64> {
        self.machine.get(name)
    }

    fn flags(&self) -> u64 {
        let set = self.processor();
        set.flags_register().map_or(0, |place| self.machine.register(place))
    }

    /// Sets a register or flag by its name. Negative values are taken as two's complement.
    ///
    /// # Errors
    /// [`StateError`] for an unknown name or a value that does not fit.
    pub fn set(&mut self, name: &str, value: i64) -> Result<(), StateError> {
        let (place, value) = self.setting(name, value)?;
        self.set_register(place, value);
        Ok(())
    }

    /// Looks whether a register or flag of that name can be set to a value, and changes nothing.
    ///
    /// # Errors
    /// As [`set`](Self::set).
    pub fn can_set(&self, name: &str, value: i64) -> Result<(), StateError> {
        self.setting(name, value).map(|_| ())
    }

    /// The place of the register that is set, and what it gets.
    fn setting(&self, name: &str, value: i64) -> Result<(usize, u64), StateError> {
        let set = self.processor();
        let range = |name: String, bits: u8| StateError::Range { name, value, bits };
        match set.named(name) {
            Some(Named::Register(place)) => {
                let bits = set.registers()[place].bits;
                if value < -(1i64 << (bits - 1)) || value >= 1i64 << bits {
                    return Err(range(set.registers()[place].name.to_string(), bits));
                }
                Ok((place, value as u64 & ((1 << bits) - 1)))
            }
            Some(Named::Flag(flag)) => {
                let flags = match value {
                    0 => self.flags() & !flag.mask,
                    1 => self.flags() | flag.mask,
                    _ => return Err(range(set.flag_name(flag), 1)),
                };
                Ok((set.flags_register().unwrap_or_default(), flags))
            }
            None => {
                let known: Vec<_> = set.state_names().collect();
                Err(StateError::Unknown {
                    name: name.to_string(),
                    processor: set.name(),
                    known: known.join(", "),
                })
            }
        }
    }

    /// The cell at an address.
    pub fn cell(&self, address: u32) -> Cell {
        self.machine.cell(address)
    }

    /// Sets cells from an address on, ROM included, as an operator does with the machine stopped.
    ///
    /// # Errors
    /// [`StateError::NoMemory`] names the first address without memory, [`StateError::Value`] the first value that does not fit;
    /// nothing is changed then.
    pub fn put(&mut self, address: u32, cells: &[Cell]) -> Result<(), StateError> {
        let set = self.processor();
        let missing = (0..cells.len() as u64).map(|at| u64::from(address) + at).find(|&at| {
            u32::try_from(at).map_or(true, |at| at > set.last_address() || self.machine.kind(at).is_none())
        });
        if let Some(missing) = missing {
            return Err(StateError::NoMemory(set.address(missing)));
        }
        self.fit(cells)?;
        self.act(Act::Cells(Stretch { start: address, cells: cells.to_vec() }));
        Ok(())
    }

    /// A number as a cell holds it, negative ones in two's complement.
    ///
    /// # Errors
    /// [`StateError::Value`].
    pub fn cell_of(&self, value: i64) -> Result<Cell, StateError> {
        let bits = self.processor().cell_bits();
        if value < -(1 << (bits - 1)) {
            return Err(StateError::Range { name: "a cell".to_string(), value, bits });
        }
        let cell = if value < 0 { value as Cell & self.processor().last_cell() } else { value as Cell };
        self.fit(&[cell]).map(|()| cell)
    }

    /// Looks whether values fit in cells.
    fn fit(&self, values: &[Cell]) -> Result<(), StateError> {
        let set = self.processor();
        let wide = values.iter().find(|&&value| value > set.last_cell());
        wide.map_or(Ok(()), |&value| Err(StateError::Value { value, bits: set.cell_bits() }))
    }

    /// Lets something happen to the machine: a key, switches, typed characters, values at a port.
    ///
    /// # Errors
    /// [`StateError::NoSuch`] where the board has nothing of the kind, [`StateError::Value`] where a value does not fit in a cell.
    pub fn happen(&mut self, event: Event) -> Result<(), StateError> {
        self.happen_at(self.machine.cycles(), event)
    }

    /// The same at a later cycle.
    ///
    /// # Errors
    /// As [`happen`](Self::happen).
    pub fn happen_at(&mut self, cycle: u64, event: Event) -> Result<(), StateError> {
        match &event {
            Event::Switches(_, value) => self.fit(&[*value])?,
            Event::Port(_, values) => self.fit(values)?,
            _ => {}
        }
        let board = self.machine.board().name.clone();
        let problem = match &event {
            Event::Interrupt(name) => {
                let keys = self.machine.board().keys.iter().map(|key| key.name.as_str());
                let keys: Vec<&str> =
                    keys.chain(self.processor().interrupts.inputs.iter().copied()).collect();
                format!(
                    "the board {board} has no key or interrupt input `{name}`; it has {}",
                    keys.join(", ")
                )
            }
            Event::Switches(name, _) => format!("the board {board} has no switches or button `{name}`"),
            Event::Press(legend, _) => format!("the board {board} has no key `{legend}`"),
            Event::Typed(bytes) if self.machine.has_keyboard() => {
                let text = String::from_utf8_lossy(bytes);
                let none = |one: &char| u8::try_from(*one).map_or(true, |one| !self.machine.can_type(one));
                let missing = text.chars().find(none).unwrap_or('?');
                format!("the keyboard of the board {board} has no key that makes {missing:?}")
            }
            Event::Typed(_) => format!("the board {board} has no console"),
            Event::Port(port, _) => format!("the processor has no port {port}"),
            Event::Tape(_) => format!("the board {board} has no tape reader"),
            other => format!("the board {board} knows nothing of {other:?}"),
        };
        if self.act(Act::Event { at: cycle, event }) { Ok(()) } else { Err(StateError::NoSuch(problem)) }
    }

    /// The reset key: the processor starts again, memory stays.
    pub fn reset(&mut self) {
        self.act(Act::Reset);
    }

    /// The power is switched off and on again.
    pub fn power(&mut self) {
        self.act(Act::Power);
    }

    /// Sets a register by its place in the set's list; bits that do not exist are dropped.
    pub fn set_register(&mut self, place: usize, value: u64) {
        let Some(register) = self.processor().registers().get(place) else { return };
        self.act(Act::Register { name: register.name.to_string(), value });
    }

    /// Goes on at an address.
    ///
    /// # Errors
    /// [`StateError::Range`] where there is no such address.
    pub fn go_to(&mut self, address: i64) -> Result<(), StateError> {
        let set = self.processor();
        let Some(place) = u32::try_from(address).ok().filter(|&place| place <= set.last_address()) else {
            let name = set.place_of(Role::Program).map_or("PC", |place| set.registers()[place].name);
            let bits = set.address_bits();
            return Err(StateError::Range { name: name.to_string(), value: address, bits });
        };
        self.set_place(place);
        Ok(())
    }

    /// Goes on at an address, as far as there are such addresses.
    pub fn set_place(&mut self, address: u32) {
        self.act(Act::Place(address));
    }

    /// The board at the other end of a debug link.
    ///
    /// # Errors
    /// A sentence: the board does not answer, or not in the language of the link.
    pub fn linked(link: Box<dyn crate::machine::Link>) -> Result<Self, Problem> {
        Ok(Self::with_machine(Machine::linked(link)?, None))
    }

    /// An expression with the session's registers, flags, symbols, `$` for the program counter and `cell ADDRESS`.
    ///
    /// # Errors
    /// The diagnostic says what is wrong; its span points into `text`.
    pub fn evaluate(&self, text: &str) -> Result<i64, Box<crate::diagnostic::Diagnostic>> {
        Formula::parse(text, Some(self.processor()))?.value(self)
    }
}

/// A machine that was built by hand, without firmware and as it stands.
impl From<Machine> for Session {
    fn from(machine: Machine) -> Self {
        Self::with_machine(machine, None)
    }
}

impl Environment for Session {
    fn symbol(&self, name: &str) -> Option<i64> {
        if name == "$" {
            return Some(self.machine.place().into());
        }
        let symbol = self.texts().find_map(|one| one.symbols.value(name));
        let board = || {
            let own = name.strip_prefix("board.").unwrap_or(name);
            let names = self.machine.board().symbols();
            names.into_iter().find(|row| row.0.eq_ignore_ascii_case(own)).map(|row| row.1)
        };
        symbol.or_else(|| self.get(name).map(|value| value as i64)).or_else(board)
    }

    fn cell(&self, address: i64) -> Option<i64> {
        let address = u32::try_from(address).ok()?;
        self.machine.kind(address)?;
        Some(self.machine.cell(address) as i64)
    }

    fn names(&self) -> Vec<String> {
        let set = self.processor();
        let symbols = self.texts().flat_map(|one| {
            one.symbols.iter().filter(|one| one.kind != SymbolKind::Broken).map(|one| one.name.to_string())
        });
        let board = self.machine.board().symbols().into_iter().map(|row| row.0);
        symbols.chain(set.state_names()).chain(board).collect()
    }
}
