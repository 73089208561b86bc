//! What several commands begin with: a source or an image, a processor, a board, a session with the program in it.

use crate::arguments::{ProgramArguments, TargetArguments, WarningArguments};
use crate::chips;
use crate::disk;
use crate::files::{self, Files};
use crate::paint;
use crate::project;
use crate::record;
use crate::say::Failure;
use plain_byte::assembler::{Assembly, Environment, Formula, NoNames, Options, assemble};
use plain_byte::diagnostic::Sources;
use plain_byte::image::{Image, ReadError};
use plain_byte::machine::DiskServices;
use plain_byte::processor::{self, InstructionSet};
use plain_byte::report::{self, Policy, Sizes, UnknownWarning, WARNINGS, sizes};
use plain_byte::session::{
    Found, HAZARDS, OpenError, PROGRAM_FILES, PlaceUse, Program as Loaded, Session, SessionError, find_board,
    firmware_image, is_program_file, starts_from_disk,
};
use plain_byte::workspace::{Prepared, Program, Resolved, Target, TargetError, is_source, read_image};

/// Endings that need not be typed, sources first.
const PROGRAM_ENDINGS: &[&str] = &["asm", "com", "exe", "hex", "bin"];

/// Endings of images that need not be typed.
pub const IMAGE_ENDINGS: &[&str] = &["hex", "bin", "srec", "com", "exe", "bas", "pfx", "wav", "chip"];

/// The processor by its name.
pub fn cpu(name: &str) -> Result<&'static InstructionSet, Failure> {
    processor::find(name).map_err(|error| {
        let near = plain_byte::diagnostic::nearest(name, processor::ALL.iter().map(|set| set.name()));
        Failure::usage(
            error.to_string(),
            near.map(|near| format!("did you mean `{near}`?")).unwrap_or_default(),
        )
    })
}

pub fn cpu_option(name: Option<&str>) -> Result<Option<&'static InstructionSet>, Failure> {
    name.map(cpu).transpose()
}

/// The processor of an image that is of one family alone: by the width of its cells, or as an EXE file.
pub fn told_by(image: &Image) -> Option<&'static InstructionSet> {
    let by_width = processor::ALL
        .iter()
        .copied()
        .find(|set| set.cell_bits() > 8 && set.cell_bits() == image.cell_bits());
    let of_exe = || image.stack().and_then(|_| processor::find("8086").ok());
    by_width.or_else(of_exe)
}

/// An expression on the command line.
pub fn number(
    what: &str,
    text: &str,
    set: Option<&'static InstructionSet>,
    names: &dyn Environment,
) -> Result<i64, Failure> {
    let wrong =
        |diagnostic: Box<plain_byte::diagnostic::Diagnostic>| Failure::in_text(what, text, *diagnostic, 2);
    let value = |text: &str| Formula::parse(text, set)?.value(names);
    value(text).or_else(|error| value(&with_zeros(text, names)).map_err(|_| wrong(error)))
}

/// Hex numbers as people say them: `B7h`, where nothing is called so, is `0B7h`.
fn with_zeros(text: &str, names: &dyn Environment) -> String {
    let is_part = |c: char| c.is_ascii_alphanumeric() || "_.$%?@".contains(c);
    let mut out = String::with_capacity(text.len() + 2);
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        let end = rest.find(|c| !is_part(c)).unwrap_or(rest.len()).max(first.len_utf8());
        let (word, behind) = rest.split_at(end);
        let digits = word.strip_suffix(['h', 'H']).unwrap_or_default();
        let is_hex = first.is_ascii_alphabetic()
            && !digits.is_empty()
            && digits.chars().all(|c| c.is_ascii_hexdigit());
        if is_hex && names.symbol(word).is_none() {
            out.push('0');
        }
        out.push_str(word);
        rest = behind;
    }
    out
}

/// An address on the command line.
pub fn address(
    what: &str,
    text: &str,
    set: &'static InstructionSet,
    names: &dyn Environment,
) -> Result<u32, Failure> {
    let value = number(what, text, Some(set), names)?;
    let last = set.last_address();
    u32::try_from(value).ok().filter(|&value| value <= last).ok_or_else(|| {
        let help = format!("addresses go from 0 to {}", set.habit().literal(last.into(), set.address_bits()));
        Failure::usage(format!("{what} {text}: {value} is not an address"), help)
    })
}

/// An address in a session. Digits that can only be meant in hex are taken so, and that is said.
pub fn place(what: &str, text: &str, session: &Session) -> Result<u32, Failure> {
    let set = session.processor();
    let Some(meant) = session.meant_in_hex(text) else { return address(what, text, set, session) };
    let plain = address(what, text, set, session)?;
    let (meant_text, plain_text) =
        (set.habit().literal(meant.into(), 16), set.habit().literal(plain.into(), 16));
    paint::note(&format!(
        "{what} {text} is taken as {meant_text}: decimal {text} is {plain_text}, where nothing of the program stands"
    ));
    Ok(meant)
}

/// A place that is hardly meant is told; one that cannot be meant is an error.
pub fn check_place(
    what: &str,
    text: &str,
    session: &Session,
    (at, used): (u32, PlaceUse),
) -> Result<(), Failure> {
    let Some(doubt) = session.doubt(text, at, used) else { return Ok(()) };
    let message = format!("{what} {text}: {}", doubt.message);
    if doubt.is_wrong {
        return Err(Failure::usage(message, doubt.help));
    }
    paint::warn(&format!("{message}; {}", doubt.help));
    Ok(())
}

/// `FIRST..LAST`, or a single address.
pub fn range(what: &str, text: &str, session: &Session) -> Result<(u32, u32), Failure> {
    let (first, last) = match text.split_once("..") {
        Some((first, last)) => (place(what, first, session)?, place(what, last, session)?),
        None => {
            let address = place(what, text, session)?;
            (address, address)
        }
    };
    if last < first {
        let help = "write FIRST..LAST, the lower address first";
        return Err(Failure::usage(format!("{what} {text} ends before it begins"), help));
    }
    Ok((first, last))
}

/// `NAME=VALUE` definitions.
pub fn defines(list: &[String]) -> Result<Vec<(String, i64)>, Failure> {
    list.iter()
        .map(|define| {
            let (name, value) = define.split_once('=').unwrap_or((define, "1"));
            let plain = |c: char| c.is_ascii_alphanumeric() || "_?@.".contains(c);
            if name.is_empty() || name.starts_with(|c: char| c.is_ascii_digit()) || !name.chars().all(plain) {
                return Err(Failure::usage(
                    format!("`{name}` is not a name for a symbol"),
                    "write --define NAME=VALUE",
                ));
            }
            Ok((name.to_string(), number("--define", value, None, &NoNames)?))
        })
        .collect()
}

/// Reads an image file. One without addresses stands at `at` where that is given, a raw one else at `place`.
pub fn image(name: &str, at: Option<u32>, place: u32) -> Result<Image, Failure> {
    read_image(name, &files::must_read(name)?, at, place).map_err(|errors| unreadable(name, &errors))
}

/// Says what is wrong in a file.
pub fn unreadable(name: &str, errors: &[ReadError]) -> Failure {
    for error in errors {
        paint::complain(&format!("{name}, {}: {}", error.place, error.problem), &error.help);
    }
    Failure::Said(1)
}

/// What to do with warnings, as the arguments say.
pub fn policy(arguments: &WarningArguments) -> Result<Policy, Failure> {
    let unknown = |error: UnknownWarning| {
        let list = || WARNINGS.iter().chain(HAZARDS).map(|row| row.0).collect::<Vec<_>>().join(", ");
        let help = match error.near {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("there are all, {}", list()),
        };
        Failure::usage(error.to_string(), help)
    };
    let mut policy = Policy::default();
    for code in &arguments.allow {
        policy = policy.allow(code).map_err(unknown)?;
    }
    for code in &arguments.deny {
        policy = policy.deny(code).map_err(unknown)?;
    }
    Ok(policy)
}

/// A session that an operator works with heeds what is said of hazards.
pub fn heed(session: &mut Session, arguments: &WarningArguments) {
    session.allow_hazards(&arguments.allow);
    session.deny_hazards(&arguments.deny);
}

/// For commands that look at a program which was built before.
pub fn no_warnings() -> WarningArguments {
    WarningArguments { allow: vec!["all".to_string()], ..WarningArguments::default() }
}

/// Adds the warnings, as far as the board is known. One of another processor has nothing to do with the program.
pub fn warn(assembly: &mut Assembly, found: Option<&Found>, policy: &Policy) {
    let found = found.filter(|found| assembly.set.is_none_or(|set| found.board.set.runs(set)));
    let firmware = found.and_then(|found| firmware_image(found, &mut Files));
    report::warn(assembly, found.map(|found| (&found.board, firmware.as_ref())), policy);
}

/// Assembles a source; where it has errors they are drawn and there is no program.
pub fn source(
    name: &str,
    options: &Options,
    found: Option<&Found>,
    warnings: &WarningArguments,
) -> Result<Assembly, Failure> {
    let policy = policy(warnings)?;
    let mut assembly = assemble(name, &mut Files, options);
    warn(&mut assembly, found, &policy);
    tell(&assembly);
    if assembly.succeeded() { Ok(assembly) } else { Err(Failure::Said(1)) }
}

/// Draws what there is to tell about an assembly.
pub fn tell(assembly: &Assembly) {
    if !assembly.diagnostics.is_empty() {
        paint::diagnostics(&assembly.sources, &assembly.diagnostics, assembly.more_errors);
    }
}

/// The board, and a failure drawn in its description where that is wrong.
pub fn board(name: &str, set: Option<&'static InstructionSet>) -> Result<Found, Failure> {
    find_board(name, set, &mut Files).map_err(open_failure)
}

/// Takes the memories out of a board that are left out.
pub fn leave_out(found: Option<&mut Found>, without: &[String]) -> Result<(), Failure> {
    let target = Target { without: without.to_vec(), ..Target::default() };
    target.leave_out(found).map_err(target_failure)
}

pub fn target_failure(error: TargetError) -> Failure {
    let message = error.to_string();
    match error {
        TargetError::Board(error) => open_failure(error),
        TargetError::Without(_) => Failure::usage(message, "`plainbyte boards NAME` shows its memory"),
        TargetError::WithoutBoard => Failure::usage(message, "name it with --board"),
        TargetError::Expression { text, wrong } => Failure::in_text("--at", &text, *wrong, 2),
        TargetError::Address { processor: Some(set), .. } => {
            let last = set.habit().literal(set.last_address().into(), set.address_bits());
            Failure::usage(format!("--at {message}"), format!("addresses go from 0 to {last}"))
        }
        TargetError::Address { text, .. } => {
            Failure::usage(format!("--at {text} is not an address"), "give an address such as 4000h")
        }
        TargetError::Damaged { name, errors } => unreadable(&name, &errors),
        TargetError::Unreadable { .. } => Failure::input(message, "check the name and the folder"),
        _ => Failure::usage(message, "leave --cpu out, or choose another board"),
    }
}

pub fn open_failure(error: OpenError) -> Failure {
    let message = error.to_string();
    match error {
        OpenError::Description { file, text, diagnostics } => {
            let mut sources = Sources::default();
            sources.add(&file, &text, None);
            Failure::Places { sources, diagnostics, more: 0, status: 1 }
        }
        OpenError::Firmware { sources, diagnostics, .. } => {
            paint::complain(&message, "mend the firmware named in the board description");
            Failure::Places { sources, diagnostics, more: 0, status: 1 }
        }
        OpenError::UnknownBoard { .. } => Failure::usage(
            message,
            "`plainbyte boards` lists them; a description of your own is named with its .toml",
        ),
        OpenError::NoDisk(_) => Failure::input(
            message,
            "words and a disk are for programs of a disk system: name a board that has one, such as --board curlew",
        ),
        OpenError::Transient(_) => {
            Failure::input(message, "give it an origin of 100h, and make it shorter where it is too long")
        }
        OpenError::NoProcessor => Failure::usage(message, "for example --cpu 8085"),
        _ => Failure::input(message, "`plainbyte boards NAME` shows what the board has"),
    }
}

/// The address given with `--at`.
pub fn origin(at: Option<&str>, set: Option<&'static InstructionSet>) -> Result<Option<u32>, Failure> {
    let target = Target { at: at.map(String::from), ..Target::default() };
    target.address(set).map_err(target_failure)
}

/// What is known of a program before it is looked at.
pub fn prepare(target: &Target) -> Result<Prepared, Failure> {
    target.prepare(&mut Files).map_err(target_failure)
}

/// A program as it is named, with its warnings told; where it has errors there is none.
pub fn resolve(name: &str, target: &Target, warnings: &WarningArguments) -> Result<Resolved, Failure> {
    let resolved = match name == "-" && !files::is_source_typed() {
        true => prepare(target)?.read(name, &mut Files),
        false => target.resolve(name, &mut Files),
    };
    checked(resolved.map_err(target_failure)?, warnings)
}

/// The same for one that was resolved.
pub fn checked(mut resolved: Resolved, warnings: &WarningArguments) -> Result<Resolved, Failure> {
    let policy = policy(warnings)?;
    if let Program::Assembled(assembly) = &mut resolved.program {
        warn(assembly, resolved.board.as_ref(), &policy);
        tell(assembly);
        if !assembly.succeeded() {
            return Err(Failure::Said(1));
        }
    }
    Ok(resolved)
}

/// A session with the program loaded, as the arguments say, and the program counter at its start.
pub fn session(program: &str, arguments: &TargetArguments) -> Result<Session, Failure> {
    let named = named(program, arguments)?;
    if is_transient(&named, arguments) { transient(named, arguments) } else { opened(named, arguments, load) }
}

/// The same once more, after somebody changed its texts: nothing is said but what comes back.
pub fn again(program: &str, arguments: &TargetArguments) -> Result<Session, Failure> {
    let quiet = TargetArguments { warnings: no_warnings(), ..arguments.clone() };
    let target = target(&quiet)?;
    let name = files::find(program, PROGRAM_ENDINGS);
    let resolved = target.resolve(&name, &mut Files).map_err(target_failure)?;
    match resolved.program {
        Program::Assembled(assembly) if !assembly.succeeded() => Err(Failure::Places {
            sources: assembly.sources,
            diagnostics: assembly.diagnostics,
            more: assembly.more_errors,
            status: 1,
        }),
        _ => session(program, &quiet),
    }
}

/// A program with what it was made from, without a machine.
pub fn assembled(program: &str, arguments: &TargetArguments) -> Result<Resolved, Failure> {
    target(arguments)?.resolve(&files::find(program, PROGRAM_ENDINGS), &mut Files).map_err(target_failure)
}

/// Puts a program into a machine that is there already.
pub fn put(session: &mut Session, program: &str, arguments: &TargetArguments) -> Result<(), Failure> {
    let named = named(program, arguments)?;
    load(session, &named.program).map_err(|error| not_fitting(&named.name, &error))
}

/// A program that is looked at and not run, and what is known of it.
pub struct Looked {
    pub name: String,
    pub program: Program,
    /// The processor, as far as somebody says it: the source, the image or the arguments.
    pub set: Option<&'static InstructionSet>,
    pub board: Option<Found>,
    /// What the assembler was told.
    pub target: Target,
}

impl Looked {
    /// Its processor, which is needed.
    pub fn set(&self) -> Result<&'static InstructionSet, Failure> {
        self.set.ok_or_else(|| {
            let message = format!("{} does not say which processor it is for", self.name);
            Failure::usage(message, "give --cpu 8085 or the like, or --board NAME")
        })
    }

    /// Its image.
    pub fn image(&self) -> &Image {
        match &self.program {
            Program::Assembled(assembly) => &assembly.image,
            Program::Image(image) => image,
        }
    }
}

/// What a name without an ending is.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Plain {
    /// A source, where there is one of that name.
    Source,
    /// A source where `.asm` is its ending, else an image.
    SourceByEnding,
    /// An image, where there is one of that name.
    Image,
}

/// The program that is named, or the project's.
pub fn look(arguments: &ProgramArguments, plain: Plain) -> Result<Looked, Failure> {
    let mut said = TargetArguments {
        cpu: arguments.cpu.clone(),
        board: arguments.board.clone(),
        at: arguments.at.clone(),
        define: arguments.define.clone(),
        ..TargetArguments::default()
    };
    let named = project::program(arguments.program.as_ref(), &mut said)?;
    let endings = match plain {
        Plain::Image => [IMAGE_ENDINGS, &["asm"]].concat(),
        _ => [&["asm"], IMAGE_ENDINGS].concat(),
    };
    let name = files::find(&named, &endings);
    let target = Target {
        processor: cpu_option(said.cpu.as_deref())?,
        board: said.board,
        without: said.without,
        at: said.at,
        define: defines(&said.define)?,
    };
    let prepared = prepare(&target)?;
    let is_source = match plain {
        Plain::Image if name == "-" => false,
        _ if name == "-" => files::is_source_typed(),
        Plain::Source => is_source(&name),
        _ => name.ends_with(".asm"),
    };
    let resolved = match is_source {
        true => checked(prepared.assembled(&name, &mut Files), &no_warnings())?,
        false => prepared.read(&name, &mut Files).map_err(target_failure)?,
    };
    let set = match &resolved.program {
        Program::Assembled(assembly) => assembly.set.or(resolved.processor),
        Program::Image(image) => resolved.processor.or_else(|| told_by(image)),
    };
    if let (Some(set), Some(found)) = (set, &resolved.board)
        && found.board.set.cell_bits() != set.cell_bits()
    {
        let (own, other, board) = (set.name(), found.board.set.name(), &found.board.name);
        let message = format!("the program is for the {own}, and the board {board} has the {other}");
        return Err(Failure::usage(
            message,
            format!("name one of its boards: {}", boards_of(own).join(", ")),
        ));
    }
    Ok(Looked { name, program: resolved.program, set, board: resolved.board, target })
}

/// Sizes and times of a program that is assembled; none of an image, whose labels are not known.
pub fn sizes_of(program: &str, arguments: &TargetArguments) -> Result<Option<Sizes>, Failure> {
    let mut quiet = arguments.clone();
    quiet.warnings = no_warnings();
    Ok(match named(program, &quiet)?.program {
        Program::Assembled(assembly) => Some(sizes(&assembly)),
        Program::Image(_) => None,
    })
}

/// True where the program is one for the disk system: by its format, or because somebody gives it a disk or words.
fn is_transient(named: &Named, arguments: &TargetArguments) -> bool {
    let (disk, board) = (&arguments.disk, &named.found.board);
    let ending = named.name.rsplit_once('.').map(|(_, ending)| ending.to_ascii_lowercase());
    let is_file = || ending.is_some_and(|ending| PROGRAM_FILES.contains(&ending.as_str()));
    let starts = match (&named.program, &board.disk) {
        (Program::Assembled(assembly), _) => starts_from_disk(board, assembly),
        (Program::Image(image), Some(DiskServices::Resident)) => is_file() || is_program_file(image),
        (Program::Image(_), Some(DiskServices::Source(_))) => is_file(),
        (Program::Image(_), None) => false,
    };
    starts || disk.disk.is_some() || !disk.words.is_empty()
}

fn transient(named: Named, arguments: &TargetArguments) -> Result<Session, Failure> {
    let Named { name, program, found } = named;
    let mut session = switched_on(&found, arguments)?;
    let loaded = match &program {
        Program::Assembled(assembly) => session.program_of(assembly),
        Program::Image(image) => Ok(Loaded::from_image(image.clone())),
    };
    let loaded = loaded.map_err(|error| not_fitting(&name, &error))?;
    let volume = disk::open(&arguments.disk)?;
    session
        .start_transient(&found, &mut Files, loaded, &arguments.disk.words, volume)
        .map_err(open_failure)?;
    Ok(session)
}

fn not_fitting(name: &str, error: &SessionError) -> Failure {
    let help = match error {
        SessionError::Processor { program, .. } => {
            let boards = boards_of(program);
            format!("choose one of its boards with --board: {}", boards.join(", "))
        }
        _ => "choose another origin, or another board with --board".to_string(),
    };
    Failure::input(format!("{name}: {error}"), help)
}

/// The boards that run programs for a processor.
pub fn boards_of(processor: &str) -> Vec<&'static str> {
    let runs = |name: &&str| match (board(name, None), processor::find(processor)) {
        (Ok(found), Ok(set)) => *name == "bare" || found.board.set.runs(set),
        _ => *name == "bare",
    };
    plain_byte::session::board_names().into_iter().filter(runs).collect()
}

fn load(session: &mut Session, program: &Program) -> Result<(), SessionError> {
    match program {
        Program::Assembled(assembly) => session.load_assembly(assembly),
        Program::Image(image) => session.load(image.clone()),
    }
}

/// A board without a program.
pub fn empty(board_name: &str, arguments: &TargetArguments) -> Result<Session, Failure> {
    let mut found = board(board_name, cpu_option(arguments.cpu.as_deref())?)?;
    leave_out(Some(&mut found), &arguments.without)?;
    let mut session = switched_on(&found, arguments)?;
    if found.board.disk == Some(DiskServices::Resident) && arguments.disk.disk.is_some() {
        session.put_disk(&disk::open(&arguments.disk)?);
    }
    Ok(session)
}

/// The board, switched on; from here on everything is recorded, where that was asked for.
fn switched_on(found: &Found, arguments: &TargetArguments) -> Result<Session, Failure> {
    let mut session = Session::open(found, &mut Files).map_err(open_failure)?;
    let board = found.file.as_ref().unwrap_or(&found.board.name);
    record::begin(&mut session, board, arguments)?;
    disk::floppy::insert(&mut session, &arguments.disk)?;
    for chip in &arguments.chip {
        chips::plug(&mut session, chip)?;
    }
    if !arguments.chip.is_empty() {
        // The processor begins with what the chips hold.
        session.begin_with_power();
    }
    Ok(session)
}

/// A program as the arguments name it, and the board it is for.
struct Named {
    name: String,
    program: Program,
    found: Found,
}

fn opened(
    named: Named,
    arguments: &TargetArguments,
    put: impl Fn(&mut Session, &Program) -> Result<(), SessionError>,
) -> Result<Session, Failure> {
    let mut session = switched_on(&named.found, arguments)?;
    put(&mut session, &named.program).map_err(|error| not_fitting(&named.name, &error))?;
    Ok(session)
}

pub fn target(arguments: &TargetArguments) -> Result<Target, Failure> {
    Ok(Target {
        processor: cpu_option(arguments.cpu.as_deref())?,
        board: arguments.board.clone(),
        without: arguments.without.clone(),
        at: arguments.at.clone(),
        define: defines(&arguments.define)?,
    })
}

fn named(program: &str, arguments: &TargetArguments) -> Result<Named, Failure> {
    let target = target(arguments)?;
    let name = files::find(program, PROGRAM_ENDINGS);
    let mut resolved = resolve(&name, &target, &arguments.warnings)?;
    let found = target.board_for(&mut resolved, &mut Files).map_err(target_failure)?;
    Ok(Named { name, program: resolved.program, found })
}
