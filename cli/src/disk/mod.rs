//! A folder as the disk of a machine: its files are read before the run, and what the program has changed is written back when it closes
//! a file and at the end, each file whole or not at all.
//!
//! What somebody else wrote meanwhile is never lost: then the program's file is kept beside it. Nor is a file that was not on the disk.

pub mod floppy;
mod folder;

use crate::arguments::DiskArguments;
use crate::paint;
use crate::say::Failure;
use crate::terminal;
use folder::Folder;
use plain_byte::machine::services::transient::{FileChange, FileName, Volume};
use plain_byte::session::Session;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

/// The folder of a disk that programs may change, and what is known of its files.
struct Back {
    folder: Folder,
    /// The files by name as they were when last looked at; `None` for one that is not on the disk.
    known: BTreeMap<String, Option<Arc<Vec<u8>>>>,
    /// The files that were written.
    written: BTreeSet<String>,
    /// What was said to have failed already, and with what.
    failed: BTreeMap<String, Arc<Vec<u8>>>,
}

/// There is one machine with a disk at a time.
static BACK: Mutex<Option<Back>> = Mutex::new(None);
/// What could not be said because the terminal shows a picture: a warning, or what is wrong.
static UNSAID: Mutex<Vec<(bool, String)>> = Mutex::new(Vec::new());
/// Files closed when somebody last looked.
static CLOSES: AtomicU64 = AtomicU64::new(0);

/// Larger folders are somebody's home, not a disk.
const MOST_FILES: usize = 4096;

/// Says it, at once or once the terminal is free.
fn say(is_wrong: bool, text: String) {
    let Ok(mut unsaid) = UNSAID.lock() else { return };
    unsaid.push((is_wrong, text));
    if !terminal::is_picture() {
        for (is_wrong, text) in unsaid.drain(..) {
            if is_wrong {
                paint::complain(&text, "check the folder");
            } else {
                paint::warn(&text);
            }
        }
    }
}

/// The disk that the arguments ask for; an empty one that may not be written without a folder.
pub fn open(arguments: &DiskArguments) -> Result<Volume, Failure> {
    let mut volume = Volume::new(Volume::CAPACITY, arguments.writable);
    let Some(name) = &arguments.disk else { return Ok(volume) };
    let unreadable =
        |error: std::io::Error| Failure::input(format!("{name}: {error}"), "name a folder with --disk");
    let folder = Folder::open(name).map_err(unreadable)?;
    let names = folder.names(MOST_FILES).map_err(unreadable)?;
    if names.len() > MOST_FILES {
        let message = format!("{name} has more than {MOST_FILES} files");
        return Err(Failure::input(message, "give the disk a folder of its own"));
    }
    let mut known = BTreeMap::new();
    let mut others = Vec::new();
    for file in names {
        let file = match file.into_string() {
            Ok(file) if FileName::of_host(&file).is_some() => file,
            Ok(file) => {
                others.push(file);
                continue;
            }
            Err(file) => {
                others.push(file.to_string_lossy().into_owned());
                continue;
            }
        };
        // One byte more than there is room for is too much as well.
        let read = folder.read(&file, Volume::CAPACITY + 1);
        known.insert(file.clone(), None);
        match read {
            Ok(Some(bytes)) => {
                if let Err(problem) = volume.add(&file, bytes) {
                    paint::warn(&format!("{problem}; it is not on the disk"));
                }
            }
            // What is not a file of the folder itself, a link out of it among them, is not on the disk.
            Ok(None) => {}
            Err(error) => {
                paint::warn(&format!("`{file}` cannot be read: {error}; it is not on the disk"));
            }
        }
    }
    not_on_it(&others);
    for (file, bytes) in volume.from_outside() {
        known.insert(file.to_string(), Some(Arc::clone(bytes)));
    }
    CLOSES.store(0, Ordering::Relaxed);
    if let Ok(mut back) = BACK.lock() {
        *back = arguments.writable.then(|| Back {
            folder,
            known,
            written: BTreeSet::new(),
            failed: BTreeMap::new(),
        });
    }
    Ok(volume)
}

/// Tells which files are not on the disk because of their names; in a folder full of others only the first few.
fn not_on_it(names: &[String]) {
    const NAMED: usize = 4;
    let quoted: Vec<String> = names.iter().take(NAMED).map(|name| format!("`{name}`")).collect();
    let list = quoted.join(", ");
    match names.len() {
        0 => {}
        1 => paint::warn(&format!(
            "{list} is not a name of eight characters, a point and three; it is not on the disk"
        )),
        count => {
            let more = if count > NAMED { " and others" } else { "" };
            let why = "have no names of eight characters, a point and three; they are not on the disk";
            paint::warn(&format!("{count} files {why}: {list}{more}"));
        }
    }
}

/// Writes back what has changed where the program has closed a file since somebody last looked. What fails is told, and tried again at
/// the end.
pub fn look(session: &Session) {
    let closes = session.machine().disk().map_or(0, Volume::closes);
    if CLOSES.swap(closes, Ordering::Relaxed) != closes {
        let _ = write_back(session, false);
    }
}

/// Writes back what the program has changed, at the end. Where a file cannot be written the others are all the same.
///
/// # Errors
/// Everything is said already.
pub fn save(session: &Session) -> Result<(), Failure> {
    let files = write_back(session, true);
    files.and(floppy::save(session))
}

fn write_back(session: &Session, ends: bool) -> Result<(), Failure> {
    let Ok(mut back) = BACK.lock() else { return Ok(()) };
    let (Some(back), Some(volume)) = (back.as_mut(), session.machine().disk()) else { return Ok(()) };
    let mut failed = false;
    let changes = volume.changes();
    // What was written back when it was closed, and was removed or renamed since.
    let stays = |name: &str| {
        let written = |change: &FileChange| matches!(change, FileChange::Write(other, _) | FileChange::Unfinished(other, _) if other == name);
        changes.iter().any(written) || volume.from_outside().any(|(other, _)| other == name)
    };
    for name in std::mem::take(&mut back.written) {
        if stays(&name) {
            back.written.insert(name);
        } else {
            failed |= !back.remove(&name);
        }
    }
    for change in changes {
        failed |= match change {
            FileChange::Write(name, bytes) => !back.write(&name, &bytes),
            // While the program runs it may still finish it.
            FileChange::Unfinished(name, bytes) => ends && !back.write_unfinished(&name, &bytes),
            FileChange::Remove(name) => !back.remove(&name),
        };
    }
    // What waited for the terminal.
    if !terminal::is_picture()
        && let Ok(mut unsaid) = UNSAID.lock()
    {
        unsaid.drain(..).for_each(|(_, text)| paint::warn(&text));
    }
    if failed { Err(Failure::Said(1)) } else { Ok(()) }
}

impl Back {
    /// True where somebody wrote the file since it was looked at, or it never was on the disk.
    fn is_others(&self, name: &str) -> std::io::Result<bool> {
        let now = self.folder.read(name, usize::MAX);
        Ok(match self.known.get(name) {
            Some(None) => true,
            // What was taken away is missed by nobody.
            Some(Some(bytes)) => now?.is_some_and(|now| now != **bytes),
            None => now.map_or(true, |now| now.is_some()),
        })
    }

    /// Writes a file; false where it cannot be.
    fn write(&mut self, name: &str, bytes: &Arc<Vec<u8>>) -> bool {
        if matches!(self.known.get(name), Some(Some(known)) if known == bytes) {
            return true;
        }
        let written = self.is_others(name).and_then(|others| match others {
            false => self.folder.write(name, bytes).map(|()| name.to_string()),
            true => self.folder.write_beside(name, bytes),
        });
        match written {
            Ok(file) => {
                if file != name && self.failed.get(name) != Some(bytes) {
                    let why = match self.known.get(name) {
                        Some(None) => "was never on the disk",
                        _ => "was changed by somebody else meanwhile",
                    };
                    say(false, format!("{name} {why}; what the program wrote is in {file}"));
                }
                // From here on only what is new again has to be written.
                self.written.insert(file.clone());
                self.known.insert(file, Some(Arc::clone(bytes)));
                if self.known.get(name).is_none_or(|known| known.as_ref() != Some(bytes)) {
                    self.failed.insert(name.to_string(), Arc::clone(bytes));
                    self.known.entry(name.to_string()).or_insert(None);
                }
                true
            }
            Err(error) => {
                self.complain(name, "written", bytes, &error);
                false
            }
        }
    }

    /// Writes what the program never finished: beside the file that is there, where one is. False where it cannot be.
    fn write_unfinished(&mut self, name: &str, bytes: &Arc<Vec<u8>>) -> bool {
        let written = self.folder.read(name, usize::MAX).and_then(|there| match there {
            None => self.folder.write(name, bytes).map(|()| name.to_string()),
            Some(there) if there == **bytes => Ok(name.to_string()),
            Some(_) => self.folder.write_beside(name, bytes),
        });
        match written {
            Ok(file) => {
                if file != name {
                    say(false, format!("the program has not closed {name}; what it wrote is in {file}"));
                }
                true
            }
            Err(error) => {
                self.complain(name, "written", bytes, &error);
                false
            }
        }
    }

    /// Removes a file; false where it cannot be.
    fn remove(&mut self, name: &str) -> bool {
        if !matches!(self.known.get(name), Some(Some(_))) {
            return true;
        }
        match self.is_others(name) {
            Ok(true) => {
                say(false, format!("{name} was changed by somebody else meanwhile; it is not removed"));
                self.known.insert(name.to_string(), None);
                true
            }
            Ok(false) => match self.folder.remove(name) {
                Ok(()) => {
                    self.known.remove(name);
                    true
                }
                Err(error) => {
                    self.complain(name, "removed", &Arc::default(), &error);
                    false
                }
            },
            Err(error) => {
                self.complain(name, "removed", &Arc::default(), &error);
                false
            }
        }
    }

    /// Tells once what cannot be done.
    fn complain(&mut self, name: &str, done: &str, bytes: &Arc<Vec<u8>>, error: &std::io::Error) {
        if self.failed.insert(name.to_string(), Arc::clone(bytes)).as_ref() != Some(bytes) {
            let problem = match error.kind() {
                std::io::ErrorKind::PermissionDenied => "it is read-only".to_string(),
                _ => error.to_string(),
            };
            say(true, format!("{name} cannot be {done}: {problem}"));
        }
    }
}
