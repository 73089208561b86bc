//! Files: sources for the assembler, images for the monitor, results written whole or not at all.

mod outputs;
pub mod parts;

pub use outputs::Outputs;

use crate::platform;
use crate::say::Failure;
use crate::signals;
use outputs::Identity;
use plain_byte::assembler::{Loaded, Loader};
use plain_byte::diagnostic::Problem;
use plain_byte::monitor::Host;
use plain_byte::workspace::FILE;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, SystemTime};

/// Every file that was asked for, for those who wait for changes.
static NOTED: Mutex<Vec<Noted>> = Mutex::new(Vec::new());

/// Times of files advance in steps of up to so much: what is written within the same step cannot be told by them.
const STEP: Duration = Duration::from_millis(20);

/// A file that was asked for.
#[derive(Clone)]
pub struct Noted {
    pub file: PathBuf,
    /// When it had been written.
    then: Option<SystemTime>,
    /// It was written only just before.
    fresh: bool,
}

impl Noted {
    /// It may have been written since.
    pub fn may_have_changed(&self) -> bool {
        self.fresh || changed_at(&self.file) != self.then
    }
}

/// Remembers a file that is going to be read.
pub fn note(name: &str) {
    if let Ok(mut noted) = NOTED.lock() {
        let file = PathBuf::from(name);
        let then = changed_at(&file);
        let fresh = then.and_then(|then| then.elapsed().ok()).is_some_and(|ago| ago < STEP);
        noted.push(Noted { file, then, fresh });
    }
}

/// When a file was last written.
fn changed_at(path: &Path) -> Option<SystemTime> {
    std::fs::metadata(path).and_then(|facts| facts.modified()).ok()
}

/// The names of the files that were read, each once, as seen from this folder.
pub fn read_so_far() -> Vec<String> {
    let here = std::env::current_dir().and_then(|folder| folder.canonicalize()).unwrap_or_default();
    let mut all: Vec<String> = Vec::new();
    for one in NOTED.lock().map(|noted| noted.clone()).unwrap_or_default() {
        let Ok(whole) = one.file.canonicalize() else { continue };
        let name = whole.strip_prefix(&here).unwrap_or(&whole).to_string_lossy().into_owned();
        if whole.is_file() && !all.contains(&name) {
            all.push(name);
        }
    }
    all
}

/// The files that were asked for since the last time.
pub fn noted() -> Vec<Noted> {
    NOTED.lock().map(|mut noted| std::mem::take(&mut *noted)).unwrap_or_default()
}

/// The file system as the library sees it. Included files are looked for beside the file that names them.
#[derive(Debug, Clone, Copy, Default)]
pub struct Files;

/// The problem in words, without the number of the operating system.
fn problem(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::NotFound => "there is no such file".to_string(),
        std::io::ErrorKind::PermissionDenied => "it may not be opened".to_string(),
        std::io::ErrorKind::IsADirectory => "it is a folder".to_string(),
        _ => error.to_string(),
    }
}

impl Loader for Files {
    fn resolve(&self, name: &str, from: Option<&str>) -> String {
        let beside = from.and_then(|from| Path::new(from).parent()).unwrap_or(Path::new(""));
        let path = beside.join(name);
        // Two names of one file must be found to be the same.
        path.canonicalize().unwrap_or(path).to_string_lossy().into_owned()
    }

    fn load(&mut self, name: &str, from: Option<&str>) -> Result<Loaded, Problem> {
        let path = match from.and_then(|from| Path::new(from).parent()) {
            Some(beside) => beside.join(name),
            None => PathBuf::from(name),
        };
        match from {
            None => may_name_files(&path),
            Some(_) => must_lie_below(&path)?,
        }
        note(&path.to_string_lossy());
        let bytes = read(&path.to_string_lossy())?;
        Ok(Loaded { name: path.to_string_lossy().into_owned(), bytes })
    }
}

impl Host for Files {
    fn write(&mut self, name: &str, bytes: &[u8]) -> Result<(), Problem> {
        // What was loaded may be saved where it came from: somebody says so.
        let written = Outputs::replacing(name, bytes);
        written.map_err(|failure| failure.sentence().into())
    }

    fn go_on(&mut self) -> bool {
        !signals::was_stopped()
    }
}

/// Reads a file; `-` is standard input.
pub fn read(name: &str) -> Result<Vec<u8>, String> {
    if name == "-" {
        return standard_input();
    }
    let file = std::fs::File::open(name).map_err(|error| problem(&error))?;
    if let Ok(facts) = file.metadata()
        && let Ok(mut read) = READ.lock()
    {
        read.push((Identity::of(&facts, Path::new(name)), name.to_string()));
    }
    whole(file)
}

/// Everything that is there; a device may have no end.
fn whole(from: impl Read) -> Result<Vec<u8>, String> {
    let mut bytes = Vec::new();
    let read = from.take(LARGEST + 1).read_to_end(&mut bytes).map_err(|error| problem(&error))?;
    if read as u64 > LARGEST { Err(format!("it is larger than {} MiB", LARGEST >> 20)) } else { Ok(bytes) }
}

/// The files that were read, and by which name.
static READ: Mutex<Vec<(Identity, String)>> = Mutex::new(Vec::new());

/// The name by which a file was read.
fn was_read(file: &Identity) -> Option<String> {
    // A file system gives the number of a file that is gone to the next one.
    let is_still = |name: &str| {
        std::fs::metadata(name).is_ok_and(|facts| Identity::of(&facts, Path::new(name)) == *file)
    };
    let read = READ.lock().ok()?;
    read.iter().find(|read| read.0 == *file && is_still(&read.1)).map(|read| read.1.clone())
}

/// The folders below which sources may name files.
static ROOTS: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());
/// Sources may name any file.
static OUTSIDE: AtomicBool = AtomicBool::new(false);

thread_local! {
    /// The only folder below which sources may name files, where somebody else's program is tried.
    static ONLY: std::cell::RefCell<Option<PathBuf>> = const { std::cell::RefCell::new(None) };
}

/// Does something while sources of this thread may name files below one folder alone, whatever else is allowed.
pub fn only_below<T>(folder: &Path, act: impl FnOnce() -> T) -> T {
    let folder = folder.canonicalize().unwrap_or_else(|_| folder.to_path_buf());
    let before = ONLY.replace(Some(folder));
    let done = act();
    ONLY.set(before);
    done
}

/// Lets sources name any file, as `--outside` says.
pub fn allow_outside() {
    OUTSIDE.store(true, Ordering::Relaxed);
}

/// Standard input, which may be asked for more than once.
fn standard_input() -> Result<Vec<u8>, String> {
    static INPUT: std::sync::OnceLock<Result<Vec<u8>, String>> = std::sync::OnceLock::new();
    INPUT.get_or_init(|| whole(std::io::stdin().lock())).clone()
}

/// True where standard input is a source, and no image: a text that does not begin as the records of one do.
pub fn is_source_typed() -> bool {
    standard_input().is_ok_and(|bytes| {
        let begins = bytes.trim_ascii_start();
        let is_record = begins.starts_with(b":")
            || begins.first() == Some(&b'S') && begins.get(1).is_some_and(u8::is_ascii_digit);
        std::str::from_utf8(&bytes).is_ok_and(|text| !text.contains('\0')) && !is_record
    })
}

/// A file that somebody names at the command line: what lies below the folder of its project, or else below its own, may be named in it.
pub fn may_name_files(path: &Path) {
    if ONLY.with_borrow(Option::is_some) {
        return;
    }
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let Ok(folder) = folder.canonicalize() else { return };
    let of_project = folder.ancestors().find(|above| platform::is_own(&above.join(FILE)));
    let root = of_project.unwrap_or(&folder).to_path_buf();
    if let Ok(mut roots) = ROOTS.lock()
        && !roots.contains(&root)
    {
        roots.push(root);
    }
}

/// A file that a source names must lie below a folder of those.
///
/// # Errors
/// The phrase names the option that allows it.
pub fn must_lie_below(path: &Path) -> Result<(), Problem> {
    let only = ONLY.with_borrow(Clone::clone);
    if only.is_none() && OUTSIDE.load(Ordering::Relaxed) {
        return Ok(());
    }
    // A link leads where it leads; of what is not there yet, or never will be, the folder counts.
    let real = path.canonicalize().or_else(|_| {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        folder.unwrap_or(Path::new(".")).canonicalize()
    });
    let Ok(real) = real else { return Ok(()) };
    if let Some(only) = only {
        let outside = "it lies outside the folder of the program";
        return if real.starts_with(&only) { Ok(()) } else { Err(outside.into()) };
    }
    let roots = ROOTS.lock().map(|roots| roots.clone()).unwrap_or_default();
    if roots.iter().any(|root| real.starts_with(root)) {
        return Ok(());
    }
    let folder = roots.first().map(|root| root.display().to_string()).unwrap_or_default();
    Err(format!("it lies outside the folder {folder}; --outside allows that").into())
}

/// Larger files are no sources and no images.
const LARGEST: u64 = 512 << 20;

/// Reads a file or fails with its name.
pub fn must_read(name: &str) -> Result<Vec<u8>, Failure> {
    note(name);
    read(name).map_err(|problem| {
        Failure::input(format!("{name} cannot be read: {problem}"), "check the name and the folder")
    })
}

/// Writes a file, whole or not at all, or fails with its name. `-` is standard output.
pub fn must_write(name: &str, bytes: &[u8]) -> Result<(), Failure> {
    let mut outputs = Outputs::default();
    outputs.add(name, bytes);
    outputs.write()
}

/// The file that is meant: as it is named, or with one of the endings added.
pub fn find(name: &str, endings: &[&str]) -> String {
    if name == "-" || Path::new(name).is_file() {
        return name.to_string();
    }
    let with = endings.iter().map(|ending| format!("{name}.{ending}"));
    with.clone().find(|name| Path::new(name).is_file()).unwrap_or_else(|| name.to_string())
}

/// The name of the case table beside a program.
pub fn table_beside(program: &str) -> String {
    format!("{}.cases.toml", program.strip_suffix(".asm").unwrap_or(program))
}

/// The case table that is meant: itself, with or without its ending, or its program.
pub fn find_table(name: &str) -> String {
    if name.ends_with(".asm") { table_beside(name) } else { find(name, &["cases.toml"]) }
}
