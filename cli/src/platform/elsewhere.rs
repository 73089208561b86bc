//! Systems without them: what cannot be had is an error, and what cannot be asked is taken for good.

use super::{Asked, Pty};
use std::fs::{File, Metadata, OpenOptions};
use std::io::{Error, ErrorKind, Result};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};

/// Calls `each` for every Ctrl-C, with the exit status that belongs to it.
pub fn on_signals(mut each: impl FnMut(Asked, i32) + Send + 'static) {
    let _ = ctrlc::set_handler(move || each(Asked::Stop, 130));
}

/// There are no pseudo-terminals.
pub enum PtyFar {}

impl PtyFar {
    /// How many characters nobody has read there yet.
    pub fn unread(&self) -> usize {
        match *self {}
    }
}

fn missing<T>(what: &str) -> Result<T> {
    Err(Error::new(ErrorKind::Unsupported, format!("this system has no {what}")))
}

/// There are no pseudo-terminals.
pub fn open_pty() -> Result<Pty> {
    missing("pseudo-terminals")
}

/// There are no sockets in the file system.
pub fn listen_at(_: &str, _: impl FnOnce()) -> Result<TcpListener> {
    missing("sockets in the file system")
}

/// There are no sockets in the file system.
pub fn connect_to(_: &str) -> Result<TcpStream> {
    missing("sockets in the file system")
}

/// Nobody can be asked.
pub fn is_alive(_: i32) -> bool {
    true
}

/// A new file has the rights of its folder.
pub fn make_private(_: &mut OpenOptions) {}

/// Files have no numbers.
#[derive(Debug, PartialEq, Eq)]
pub enum FileNumber {}

/// Files have no numbers.
pub fn file_number(_: &Metadata) -> Option<FileNumber> {
    None
}

/// Another file may always take the place of one.
pub fn takes_over(_: &Metadata, _: &Path) -> bool {
    true
}

/// True for a file that is there.
pub fn is_own(path: &Path) -> bool {
    path.is_file()
}

/// The terminal library gives it back itself.
pub fn keep_terminal() {}

/// The terminal library gives it back itself.
pub fn give_terminal_back() {}

/// A folder by its name.
pub struct OpenFolder {
    path: PathBuf,
}

impl OpenFolder {
    /// Opens it.
    pub fn open(path: PathBuf) -> Result<Self> {
        Ok(Self { path })
    }

    /// The name that it was opened by.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where it is.
    pub fn here(&self) -> PathBuf {
        self.path.clone()
    }

    /// A file of the folder.
    pub fn file(&self, name: &str) -> Result<Option<File>> {
        match File::open(self.path.join(name)) {
            Ok(file) => Ok(Some(file)),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// Removes a file.
    pub fn remove(&self, name: &str) -> Result<()> {
        std::fs::remove_file(self.path.join(name))
    }
}
