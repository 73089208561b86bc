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

mod access;
mod by_hand;
mod case_compare;
mod case_screen;
pub mod cases;
mod cause;
mod doubt;
mod fold;
mod frames;
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

pub use access::{AccessStop, Accessed, RegisterStop, RegisterUsed};
pub use by_hand::StateError;
pub use cause::{Origin, Whereabouts, Why, WriteKind, Written};
pub use doubt::{Doubt, PlaceUse};
pub use fold::Share;
pub use frames::{Frame, StackWord};
pub use guard::Guard;
pub use hazard::{HAZARDS, Hazard};
pub use open::{
    Found, OpenError, PROGRAM_FILES, board_names, find_board, firmware_image, is_program_file,
    starts_from_disk,
};
pub use profile::{Counted, Profile};
pub use program::{LineCode, Program, SourceLine};
pub use record::{Begin, Difference, Line, RECORD_VERSION, Replayed};
pub use rounds::{Circle, Round};
pub use step::{Change, Step, instruction_at};
pub use stop::{Limits, Stop};
pub use time::{Act, Departure, DiskFiles, Moment, NoMoment, Stretch};

use crate::assembler::{Assembly, Environment, Formula, SymbolKind};
use crate::diagnostic::Problem;
use crate::image::Image;
use crate::machine::{LoadError, Machine, StopMap};
use crate::processor::InstructionSet;
use guard::Guards;
use rounds::Looks;
use std::sync::Arc;
use time::{Timeline, puts};

/// A machine with a program in it.
#[derive(Debug, Clone)]
pub struct Session {
    machine: Machine,
    // PERF: what is known of programs is shared by copies of a session: cases, previews, causes.
    program: Option<Arc<Program>>,
    firmware: Option<Arc<Program>>,
    /// The services of a disk system, where they were put into memory beside the firmware.
    services: Option<Arc<Program>>,
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

impl Session {
    fn with_machine(machine: Machine, firmware: Option<Arc<Program>>) -> Self {
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
        self.program.as_deref()
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
        match self.program.as_deref().cloned() {
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
        self.program = Some(Arc::new(program));
        Ok(())
    }

    /// A program that the services of the machine start: with its file and its name, so that it can be started anew.
    fn begin_program(&mut self, program: Program, file: (Vec<u8>, String)) {
        self.program = Some(Arc::new(program));
        self.started = Some(file);
    }

    /// Starts that program with these words after its name. False where there is none.
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
        self.program = Some(Arc::new(program));
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
