//! Files: sources for the assembler, images for the monitor, results written whole or not at all.

use crate::say::Failure;
use plain_byte::assembler::{Loaded, Loader};
use plain_byte::diagnostic::Problem;
use plain_byte::monitor::Host;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, SystemTime};

/// Set when the person pressed Ctrl-C.
pub static STOPPED: AtomicBool = AtomicBool::new(false);

/// Lets Ctrl-C end a run instead of the command.
pub fn catch_interrupt() {
    let _ = ctrlc::set_handler(|| {
        if STOPPED.swap(true, Ordering::Relaxed) {
            // The second time nobody listened to the first.
            std::process::exit(130);
        }
    });
}

/// True once behind Ctrl-C.
pub fn was_stopped() -> bool {
    STOPPED.swap(false, Ordering::Relaxed)
}

/// Every file that was asked for, for those who wait for changes.
static NOTED: Mutex<Vec<Noted>> = Mutex::new(Vec::new());

/// Times of files advance in steps of up to so much: what is written within the same step cannot be told by them.
const STEP: Duration = Duration::from_millis(20);

/// A file that was asked for.
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
        note(&path.to_string_lossy());
        let bytes = read(&path.to_string_lossy())?;
        Ok(Loaded { name: path.to_string_lossy().into_owned(), bytes })
    }
}

impl Host for Files {
    fn write(&mut self, name: &str, bytes: &[u8]) -> Result<(), Problem> {
        Ok(write_whole(name, bytes)?)
    }

    fn go_on(&mut self) -> bool {
        !was_stopped()
    }
}

/// Reads a file; `-` is standard input.
pub fn read(name: &str) -> Result<Vec<u8>, String> {
    if name == "-" {
        let mut bytes = Vec::new();
        std::io::stdin().lock().read_to_end(&mut bytes).map_err(|error| problem(&error))?;
        return Ok(bytes);
    }
    let file = std::fs::File::open(name).map_err(|error| problem(&error))?;
    let mut bytes = Vec::new();
    // A device may have no end.
    let read = file.take(LARGEST + 1).read_to_end(&mut bytes).map_err(|error| problem(&error))?;
    if read as u64 > LARGEST { Err(format!("it is larger than {} MiB", LARGEST >> 20)) } else { Ok(bytes) }
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

/// Writes a file beside its place and moves it there, so that nobody ever finds half of it. `-` is standard output.
pub fn write_whole(name: &str, bytes: &[u8]) -> Result<(), String> {
    if name == "-" {
        let mut out = std::io::stdout().lock();
        return out.write_all(bytes).and_then(|()| out.flush()).map_err(|error| problem(&error));
    }
    let path = Path::new(name);
    let file = path.file_name().ok_or("the name has no file in it")?.to_string_lossy().into_owned();
    let beside = path.with_file_name(format!(".{file}.{}.part", std::process::id()));
    let written = std::fs::write(&beside, bytes).and_then(|()| std::fs::rename(&beside, path));
    written.map_err(|error| {
        let _ = std::fs::remove_file(&beside);
        if error.kind() == std::io::ErrorKind::NotFound {
            "there is no such folder".to_string()
        } else {
            problem(&error)
        }
    })
}

/// Writes a file or fails with its name.
pub fn must_write(name: &str, bytes: &[u8]) -> Result<(), Failure> {
    write_whole(name, bytes)
        .map_err(|problem| Failure::input(format!("{name} cannot be written: {problem}"), "check the folder"))
}

/// The file that is meant: as it is named, or with one of the endings added.
pub fn find(name: &str, endings: &[&str]) -> String {
    if name == "-" || Path::new(name).is_file() {
        return name.to_string();
    }
    let with = endings.iter().map(|ending| format!("{name}.{ending}"));
    with.clone().find(|name| Path::new(name).is_file()).unwrap_or_else(|| name.to_string())
}
