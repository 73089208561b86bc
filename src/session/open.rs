//! Opening a board: its description is found and read, its firmware assembled, and the machine switched on.

use super::{Act, DiskFiles, Program, Session, Stretch};
use crate::assembler::{Assembly, Loaded, Loader, Options, assemble};
use crate::boards;
use crate::diagnostic::{Diagnostic, Problem, Sources, nearest};
use crate::image::{Cell, Image, Settings, com, exe, raw};
use crate::machine::services::Volume;
use crate::machine::services::dos::Floppy;
use crate::machine::services::{LONGEST_TAIL, transient};
use crate::machine::{Board, DiskServices, Fitting, Machine};
use crate::processor::InstructionSet;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Why a board could not be opened.
#[derive(Debug, Clone, thiserror::Error)]
#[non_exhaustive]
pub enum OpenError {
    /// No board has that name.
    #[error("there is no board `{name}`{}", .near.as_ref().map(|near| format!("; did you mean `{near}`?")).unwrap_or_default())]
    UnknownBoard {
        /// The name.
        name: String,
        /// The nearest that exists.
        near: Option<String>,
    },
    /// The board `bare` needs to be told its processor.
    #[error("the board `bare` exists for every processor; name one with --cpu or `cpu NAME` in the source")]
    NoProcessor,
    /// The description is wrong.
    #[error("the board description {file} has errors")]
    Description {
        /// The description's name.
        file: String,
        /// Its text, for showing the places.
        text: String,
        /// What is wrong.
        diagnostics: Vec<Diagnostic>,
    },
    /// The firmware has errors.
    #[error("the firmware {file} of the board has errors")]
    Firmware {
        /// The source's name.
        file: String,
        /// The texts that were read.
        sources: Sources,
        /// What is wrong.
        diagnostics: Vec<Diagnostic>,
    },
    /// The board has no disk system.
    #[error("the board {0} has no disk system")]
    NoDisk(String),
    /// The program is not a program for the disk system.
    #[error("{0}")]
    Transient(String),
    /// The firmware does not fit, or does not reach the place where it waits.
    #[error("the board {board} does not start: {problem}")]
    Start {
        /// The board.
        board: String,
        /// What is wrong.
        problem: String,
    },
}

/// A board with the loader's name of its description, from which its firmware is found.
#[derive(Debug, Clone)]
pub struct Found {
    /// The board.
    pub board: Board,
    /// Where the description came from; `None` for a shipped one.
    pub file: Option<String>,
}

/// The names of the shipped boards, `bare` first.
pub fn board_names() -> Vec<&'static str> {
    std::iter::once("bare").chain(boards::BOARDS.iter().map(|board| board.name)).collect()
}

/// Finds a board: `bare`, a shipped one by its name, or a description file ending in `.toml`.
///
/// # Errors
/// [`OpenError`] where there is none, or where its description is wrong.
pub fn find_board(
    name: &str,
    set: Option<&'static InstructionSet>,
    loader: &mut dyn Loader,
) -> Result<Found, OpenError> {
    let parse = |file: &str, text: &str| {
        Board::parse(text).map_err(|diagnostics| OpenError::Description {
            file: file.to_string(),
            text: text.to_string(),
            diagnostics,
        })
    };
    if name.eq_ignore_ascii_case("bare") {
        return Ok(Found { board: Board::bare(set.ok_or(OpenError::NoProcessor)?), file: None });
    }
    if let Some(shipped) = boards::find(name) {
        return Ok(Found { board: parse(&format!("{name}.toml"), shipped.description)?, file: None });
    }
    let unknown = || OpenError::UnknownBoard {
        name: name.to_string(),
        near: nearest(name, board_names()).map(String::from),
    };
    if !name.ends_with(".toml") {
        // A description of that name beside is meant.
        let beside = format!("{name}.toml");
        return match loader.load(&beside, None) {
            Ok(loaded) if !name.contains(['/', '\\']) => {
                let text = String::from_utf8_lossy(&loaded.bytes).into_owned();
                Ok(Found { board: parse(&loaded.name, &text)?, file: Some(loaded.name) })
            }
            _ => Err(unknown()),
        };
    }
    let loaded = loader.load(name, None).map_err(|problem| OpenError::Start {
        board: name.to_string(),
        problem: format!("the description cannot be read: {problem}"),
    })?;
    let text = String::from_utf8_lossy(&loaded.bytes).into_owned();
    Ok(Found { board: parse(&loaded.name, &text)?, file: Some(loaded.name) })
}

/// Looks in the shipped firmware first, then where the board's description came from.
struct FirmwareLoader<'a> {
    shipped: &'static [(&'static str, &'static str)],
    beside: Option<String>,
    other: &'a mut dyn Loader,
}

impl Loader for FirmwareLoader<'_> {
    fn resolve(&self, name: &str, from: Option<&str>) -> String {
        self.other.resolve(name, from.or(self.beside.as_deref()))
    }

    fn load(&mut self, name: &str, from: Option<&str>) -> Result<Loaded, Problem> {
        if let Some((_, text)) = self.shipped.iter().find(|(shipped, _)| *shipped == name) {
            return Ok(Loaded { name: name.to_string(), bytes: text.as_bytes().into() });
        }
        self.other.load(name, from.or(self.beside.as_deref()))
    }
}

/// The firmware has this many cycles to reach the place where it waits.
const START_CYCLES: u64 = 50_000_000;

impl Session {
    /// Switches a board on: its firmware is assembled and runs until it waits for the operator. Cycles count from
    /// there.
    ///
    /// # Errors
    /// [`OpenError`] where the firmware is wrong or does not get there.
    pub fn open(found: &Found, loader: &mut dyn Loader) -> Result<Self, OpenError> {
        Self::open_fitted(found, loader, Vec::new())
    }

    /// The same with chips of one's own beside those of the board.
    ///
    /// # Errors
    /// As [`open`](Self::open).
    pub(crate) fn open_fitted(
        found: &Found,
        loader: &mut dyn Loader,
        fittings: Vec<Fitting>,
    ) -> Result<Self, OpenError> {
        let board = &found.board;
        let start_error = |problem: String| OpenError::Start { board: board.name.clone(), problem };
        let mut machine = Machine::fitted(board, fittings)
            .ok_or_else(|| start_error(format!("the processor {} cannot be run yet", board.set.name())))?;
        let firmware = match &board.firmware {
            None => None,
            Some(firmware) => {
                let program = assemble_firmware(found, &firmware.source, loader)?;
                machine.load(&program.image).map_err(|error| start_error(error.to_string()))?;
                machine.reset();
                if let Some(ready) = &firmware.ready {
                    let address = program.symbols.value(ready).ok_or_else(|| {
                        start_error(format!(
                            "its firmware has no label `{ready}`, where it would wait for a program"
                        ))
                    })?;
                    run_to_ready(&mut machine, address as u32).map_err(start_error)?;
                }
                Some(program)
            }
        };
        machine.clear_record();
        Ok(Self::with_machine(machine, firmware))
    }

    /// The board `bare` of a processor: all memory is RAM, no chips.
    ///
    /// # Errors
    /// [`OpenError`] where the processor cannot be run yet.
    pub fn bare(set: &'static InstructionSet) -> Result<Self, OpenError> {
        let found = Found { board: Board::bare(set), file: None };
        Self::open(&found, &mut crate::assembler::Texts::default())
    }

    /// A shipped board by its name.
    ///
    /// # Errors
    /// [`OpenError`] where there is none of that name.
    pub fn shipped(name: &str) -> Result<Self, OpenError> {
        let mut no_files = crate::assembler::Texts::default();
        Self::open(&find_board(name, None, &mut no_files)?, &mut no_files)
    }
}

impl Session {
    /// Puts a program for the disk system into memory with its command line, and a disk into the drive. The machine stands at the
    /// program's first instruction.
    ///
    /// # Errors
    /// [`OpenError`] where the board has no disk system, the words are too long, or the program does not begin at 100h or has no room
    /// there.
    pub fn start_transient(
        &mut self,
        found: &Found,
        loader: &mut dyn Loader,
        program: Program,
        arguments: &[String],
        volume: Volume,
    ) -> Result<(), OpenError> {
        let typed: usize = arguments.iter().map(|word| word.len() + 1).sum();
        if typed > LONGEST_TAIL {
            return Err(OpenError::Transient(format!(
                "the words after the program's name take {typed} characters with their blanks; a program takes {LONGEST_TAIL}"
            )));
        }
        let board = found.board.name.clone();
        let source = match &found.board.disk {
            Some(DiskServices::Source(source)) => source,
            Some(DiskServices::Resident) => return self.start_resident(program, arguments, volume),
            None => return Err(OpenError::NoDisk(board)),
        };
        let services = assemble_firmware(found, source, loader)?;
        let problem = |problem: &str| OpenError::Start { board: board.clone(), problem: problem.to_string() };
        let label = |name: &str| {
            let address = services.symbols.value(name).map(|value| value as u32);
            address.ok_or_else(|| problem(&format!("its disk services have no label `{name}`")))
        };
        let (top, start) = (label("top")?, label("start")?);
        let segments = program.image.segments();
        let (first, end) =
            (segments.first().map_or(0, |one| one.start), segments.last().map_or(0, |one| one.end()));
        if first != transient::PROGRAM {
            return Err(OpenError::Transient(format!(
                "a program for the disk system begins at 0100h, this one at {first:04X}h"
            )));
        }
        if end > u64::from(top) {
            return Err(OpenError::Transient(format!(
                "the program has {} bytes, and the transient area of the board {board} has {}",
                end - u64::from(first),
                top - transient::PROGRAM
            )));
        }
        self.machine.can_hold(&services.image).map_err(|error| problem(&error.to_string()))?;
        self.put_image(&services.image);
        self.load_program(program).map_err(|error| problem(&error.to_string()))?;
        self.act(Act::Place(start));
        let start = run_to(&mut self.machine, transient::PROGRAM);
        start.map_err(|at| {
            problem(&format!("its disk services do not reach the program; they stand at {at}"))
        })?;
        self.services = Some(services);
        self.insert_disk(volume, arguments);
        self.act(Act::Anew);
        Ok(())
    }

    /// The same where the services are part of the firmware: they put the program where there is room.
    fn start_resident(
        &mut self,
        program: Program,
        words: &[String],
        volume: Volume,
    ) -> Result<(), OpenError> {
        let image = &program.image;
        let is_exe = image.extent() > 0;
        let settings = Settings::default();
        let first = image.bounds().map_or(com::ORIGIN, |(first, _)| first);
        let file = match is_exe {
            true => exe::write(image, &settings),
            // What was assembled for another place is loaded to the same one all the same.
            false if image.start() != Some(com::ORIGIN) => raw::write(image, &settings),
            false => com::write(image, &settings),
        };
        let file = file.map_err(|error| OpenError::Transient(error.to_string()))?;
        let name = if is_exe { "PROGRAM.EXE" } else { "PROGRAM.COM" };
        self.act(Act::Disk(DiskFiles::of(&volume)));
        // What it comes to is asked beside the machine, so that it is told.
        let started = self.machine.clone().start_program(&file, name, words);
        let start = match started {
            Some(Ok(start)) => start,
            Some(Err(fault)) => return Err(OpenError::Transient(fault.to_string())),
            None => return Err(OpenError::NoDisk(self.machine.board().name.clone())),
        };
        let shift = self.processor().cells.segment_shift;
        let base = u32::from(start.base) << shift;
        let by = match is_exe {
            true => base.wrapping_sub(exe::first_segment(image)),
            false if image.start() != Some(com::ORIGIN) => base + com::ORIGIN - first,
            false => base,
        };
        self.begin_program(program.moved(by, shift), (file, name.to_string()));
        self.act_program(words);
        self.act(Act::Anew);
        Ok(())
    }

    /// Puts a disk into a machine whose firmware has the services for it.
    pub fn put_disk(&mut self, volume: &Volume) {
        self.act(Act::Disk(DiskFiles::of(volume)));
    }

    /// Puts a floppy disk into the drive. False where the machine has none.
    pub fn insert_floppy(&mut self, floppy: &Floppy) -> bool {
        self.act(Act::Floppy { bytes: floppy.bytes().to_vec(), writable: floppy.is_writable() })
    }

    /// Puts a disk into the drive of a machine with a program for the disk system, and what is typed after the program's name to
    /// where it looks for that.
    pub(crate) fn insert_disk(&mut self, volume: Volume, words: &[String]) {
        self.act(Act::Disk(DiskFiles::of(&volume)));
        let is_resident = self.machine.board().disk == Some(DiskServices::Resident);
        if self.act_program(words) || is_resident {
            return;
        }
        for (start, cells) in transient::command_line(words) {
            self.act(Act::Cells(Stretch { start, cells: cells.into_iter().map(Cell::from).collect() }));
        }
    }
}

/// True for a program that services in a board's firmware start: it has segments of its own, or begins at 100h as a COM program does.
pub fn is_program_file(image: &Image) -> bool {
    image.extent() > 0 || image.start() == Some(com::ORIGIN)
}

/// Formats of programs that services of a board start.
pub const PROGRAM_FILES: &[&str] = &["com", "exe"];

/// True for a program that the disk services of a board start: it says that it is a file of theirs, or services in the firmware start
/// what looks like one.
pub fn starts_from_disk(board: &Board, assembly: &Assembly) -> bool {
    let is_file = assembly.images.iter().any(|one| PROGRAM_FILES.contains(&one.format.name));
    match board.disk {
        Some(DiskServices::Resident) => is_file || is_program_file(&assembly.image),
        Some(DiskServices::Source(_)) => is_file,
        None => false,
    }
}

/// The image of a board's resident firmware, where it has one that assembles.
pub fn firmware_image(found: &Found, loader: &mut dyn Loader) -> Option<Image> {
    let firmware = found.board.firmware.as_ref()?;
    assemble_firmware(found, &firmware.source, loader).ok().map(|program| program.image.clone())
}

/// A board, its processor, a source.
type FirmwareKey = (String, &'static str, String);

/// Firmware of the shipped boards: it is the same each time, and editors look at it with every key.
static ASSEMBLED: Mutex<BTreeMap<FirmwareKey, Arc<Program>>> = Mutex::new(BTreeMap::new());

fn assemble_firmware(
    found: &Found,
    source: &str,
    loader: &mut dyn Loader,
) -> Result<Arc<Program>, OpenError> {
    let shipped = match &found.file {
        None => boards::find(&found.board.name).map_or(&[][..], |shipped| shipped.sources),
        Some(_) => &[],
    };
    let key = (found.board.name.clone(), found.board.set.name(), source.to_string());
    // Whoever panicked while he held it has put nothing wrong into it.
    let assembled = || ASSEMBLED.lock().unwrap_or_else(PoisonError::into_inner);
    let is_shipped = shipped.iter().any(|row| row.0 == source);
    if is_shipped && let Some(known) = assembled().get(&key) {
        return Ok(Arc::clone(known));
    }
    let mut loader = FirmwareLoader { shipped, beside: found.file.clone(), other: loader };
    let options = Options::default().set(found.board.set);
    let assembly = assemble(source, &mut loader, &options);
    if assembly.succeeded() {
        let program = Arc::new(Program::from_assembly(&assembly));
        if is_shipped {
            assembled().insert(key, Arc::clone(&program));
        }
        return Ok(program);
    }
    let Assembly { sources, diagnostics, .. } = assembly;
    Err(OpenError::Firmware { file: source.to_string(), sources, diagnostics })
}

fn run_to_ready(machine: &mut Machine, ready: u32) -> Result<(), String> {
    let stands = |at| format!("its firmware does not reach the label where it waits; it stands at {at}");
    run_to(machine, ready).map_err(stands)
}

/// Runs to an address; where it stands instead, as an address is written.
fn run_to(machine: &mut Machine, address: u32) -> Result<(), String> {
    use crate::machine::{StopMap, Stopped, Watching};
    let stops: StopMap = [address].into_iter().collect();
    match machine.run(machine.cycles() + START_CYCLES, Watching::Stops(&stops)) {
        Stopped::Watched => Ok(()),
        _ => Err(machine.spell(machine.place())),
    }
}
