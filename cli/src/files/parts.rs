//! Files that are being written: beside the file that they become, under a name that nobody guesses, and gone whatever happens.

use crate::platform;
use crate::signals;
use std::collections::BTreeSet;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

/// The files that exist and are to become others, or nothing.
static PARTS: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());
/// The folders that were swept.
static SWEPT: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

/// The end of their names, after the number of the process and something random.
const ENDING: &str = ".part";

/// Removes them: the command ends.
pub fn remove_all() {
    // Whoever holds the lock may be the thread that panics.
    let parts = PARTS.try_lock().map(|mut parts| std::mem::take(&mut *parts)).unwrap_or_default();
    for part in parts {
        let _ = std::fs::remove_file(part);
    }
}

/// Something that is there as long as the command is.
pub fn goes_with_the_command(path: &str) {
    if let Ok(mut parts) = PARTS.lock() {
        parts.insert(PathBuf::from(path));
    }
}

/// A file on its way.
pub struct Part {
    path: PathBuf,
}

impl Part {
    /// Writes the bytes beside the file that they are for, and has them on the disk.
    /// `private`: nobody else may read them before they get the rights of the file that is there.
    pub fn written(target: &Path, bytes: &[u8], private: bool) -> std::io::Result<Self> {
        let mut options = std::fs::OpenOptions::new();
        options.write(true).create_new(true);
        if private {
            platform::make_private(&mut options);
        }
        let (part, mut file) = Self::beside(target, |path| options.open(path))?;
        file.write_all(bytes)?;
        file.sync_all()?;
        Ok(part)
    }

    /// Another name of a file that is there, to have it back by.
    pub fn kept(target: &Path) -> std::io::Result<Self> {
        Ok(Self::beside(target, |path| std::fs::hard_link(target, path))?.0)
    }

    /// A name in the same folder that nothing has, given to what `make` makes.
    fn beside<T>(target: &Path, make: impl Fn(&Path) -> std::io::Result<T>) -> std::io::Result<(Self, T)> {
        signals::catch();
        let folder = target.parent().filter(|folder| !folder.as_os_str().is_empty());
        let folder = folder.unwrap_or(Path::new("."));
        sweep(folder);
        let made = tempfile::Builder::new()
            .prefix(&format!(".plainbyte-{}-", std::process::id()))
            .suffix(ENDING)
            .rand_bytes(12)
            .make_in(folder, |path| {
                // Before it is there, so that no signal finds it unknown.
                PARTS.lock().map(|mut parts| parts.insert(path.to_path_buf())).unwrap_or_default();
                make(path).inspect_err(|_| _ = forget(path))
            })?;
        // From here on it is ours to remove.
        let (made, path) = made.into_parts();
        let path = path.keep().map_err(|error| error.error)?;
        Ok((Self { path }, made))
    }

    /// The name that it has for now.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Takes the place of a file.
    pub fn becomes(self, target: &Path) -> std::io::Result<()> {
        std::fs::rename(&self.path, target)?;
        forget(&self.path);
        Ok(())
    }
}

impl Drop for Part {
    fn drop(&mut self) {
        if forget(&self.path) {
            let _ = std::fs::remove_file(&self.path);
        }
    }
}

/// True where it was known.
fn forget(path: &Path) -> bool {
    PARTS.lock().is_ok_and(|mut parts| parts.remove(path))
}

/// Removes what a process left in a folder that was ended at once.
fn sweep(folder: &Path) {
    if !SWEPT.lock().is_ok_and(|mut swept| swept.insert(folder.to_path_buf())) {
        return;
    }
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let process = name.to_str().and_then(|name| {
            let rest = name.strip_prefix(".plainbyte-")?.strip_suffix(ENDING)?;
            rest.split_once('-')?.0.parse().ok()
        });
        if process.is_some_and(|process| !platform::is_alive(process)) {
            let _ = std::fs::remove_file(entry.path());
        }
    }
}
