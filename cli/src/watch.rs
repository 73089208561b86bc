//! Watching files: everything that was read is watched, and a save is told within a few milliseconds.

use crate::files;
use crate::say::Failure;
use crate::signals;
use notify::event::{AccessKind, AccessMode};
use notify::{EventKind, RecommendedWatcher, RecursiveMode, Watcher as _};
use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, TryRecvError};
use std::time::Duration;

/// A save is over when nothing more was written for so long.
const QUIET: Duration = Duration::from_millis(12);
/// How long a program that waits for a change goes without looking for Ctrl-C.
const LOOK: Duration = Duration::from_millis(50);

/// The files that are watched. Folders are watched, since editors put new files in the place of old ones.
pub struct Watcher {
    watcher: RecommendedWatcher,
    events: Receiver<notify::Result<notify::Event>>,
    files: HashSet<PathBuf>,
    folders: HashSet<PathBuf>,
    /// A file was saved before its folder was watched.
    missed: bool,
}

fn refused(error: &notify::Error) -> Failure {
    Failure::input(format!("the files cannot be watched: {error}"), "build without --watch")
}

fn whole(path: &Path) -> PathBuf {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let folder = folder.canonicalize().unwrap_or(folder.to_path_buf());
    folder.join(path.file_name().unwrap_or_default())
}

impl Watcher {
    pub fn new() -> Result<Self, Failure> {
        let (sender, events) = std::sync::mpsc::channel();
        let watcher = notify::recommended_watcher(sender).map_err(|error| refused(&error))?;
        Ok(Self { watcher, events, files: HashSet::new(), folders: HashSet::new(), missed: false })
    }

    /// Watches every file that was asked for since the last time, also those that were not there.
    pub fn follow(&mut self) -> Result<(), Failure> {
        let watched_before = self.folders.clone();
        for noted in files::noted() {
            let file = whole(&noted.file);
            let folder = file.parent().map(Path::to_path_buf).unwrap_or_default();
            if folder.is_dir() && self.folders.insert(folder.clone()) {
                self.watcher.watch(&folder, RecursiveMode::NonRecursive).map_err(|error| refused(&error))?;
            }
            // A save between the reading and the watching would go unseen.
            self.missed |= !watched_before.contains(&folder) && noted.may_have_changed();
            self.files.insert(file);
        }
        Ok(())
    }

    fn is_change(&self, event: &notify::Result<notify::Event>) -> bool {
        let Ok(event) = event else { return false };
        let writes = match event.kind {
            EventKind::Access(kind) => kind == AccessKind::Close(AccessMode::Write),
            EventKind::Create(_) | EventKind::Modify(_) | EventKind::Remove(_) => true,
            EventKind::Any | EventKind::Other => false,
        };
        writes && event.paths.iter().any(|path| self.files.contains(&whole(path)))
    }

    /// True where a file changed; the save is over then.
    pub fn changed(&mut self) -> bool {
        if std::mem::take(&mut self.missed) {
            return true;
        }
        loop {
            match self.events.try_recv() {
                Ok(event) if self.is_change(&event) => {
                    self.settle();
                    return true;
                }
                Ok(_) => {}
                Err(TryRecvError::Empty | TryRecvError::Disconnected) => return false,
            }
        }
    }

    /// Waits for a change; false where the person wants to end.
    pub fn wait(&mut self) -> bool {
        if std::mem::take(&mut self.missed) {
            return true;
        }
        while !signals::was_stopped() {
            match self.events.recv_timeout(LOOK) {
                Ok(event) if self.is_change(&event) => {
                    self.settle();
                    return true;
                }
                Ok(_) | Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return false,
            }
        }
        false
    }

    fn settle(&self) {
        // A save that goes on longer is read again when it is over.
        for _ in 0..4 {
            match self.events.recv_timeout(QUIET) {
                Ok(_) => {}
                Err(_) => return,
            }
        }
    }
}
