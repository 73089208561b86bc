//! Systems with signals, pseudo-terminals and file numbers.

use super::{Asked, Pty};
use crate::serial::visits::streams;
use rustix::fs::{AtFlags, Mode, OFlags};
use rustix::termios::{OptionalActions, Termios, tcgetattr, tcsetattr};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use std::fs::{File, Metadata, OpenOptions, Permissions};
use std::os::fd::{AsRawFd, OwnedFd};
use std::os::unix::fs::{MetadataExt, OpenOptionsExt, PermissionsExt};
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

/// Calls `each` for every signal that asks for an end, with the exit status that belongs to it.
pub fn on_signals(mut each: impl FnMut(Asked, i32) + Send + 'static) {
    let Ok(mut signals) = signal_hook::iterator::Signals::new([SIGINT, SIGTERM, SIGHUP]) else { return };
    std::thread::spawn(move || {
        for signal in signals.forever() {
            each(if signal == SIGINT { Asked::Stop } else { Asked::End }, 128 + signal);
        }
    });
}

/// The far end of a pseudo-terminal: what was not read there goes when the near end is closed.
pub struct PtyFar(OwnedFd);

impl PtyFar {
    /// How many characters nobody has read there yet.
    pub fn unread(&self) -> usize {
        rustix::io::ioctl_fionread(&self.0).unwrap_or(0) as usize
    }
}

/// Opens a pseudo-terminal: every character goes through as it is, and nothing is echoed.
pub fn open_pty() -> std::io::Result<Pty> {
    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
    let near = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY)?;
    grantpt(&near)?;
    unlockpt(&near)?;
    let name = ptsname(&near, Vec::new())?;
    let far = rustix::fs::open(&name, OFlags::RDWR | OFlags::NOCTTY, Mode::empty())?;
    let mut settings = tcgetattr(&far)?;
    settings.make_raw();
    tcsetattr(&far, OptionalActions::Now, &settings)?;
    Ok(Pty { name: name.to_string_lossy().into_owned(), near: File::from(near), far: PtyFar(far) })
}

streams!(UnixListener, UnixStream, |_| ());

/// A socket in the file system that nobody but whoever runs the command can open. `made` is called once it is there.
pub fn listen_at(path: &str, made: impl FnOnce()) -> std::io::Result<UnixListener> {
    let listener = UnixListener::bind(path)?;
    made();
    std::fs::set_permissions(path, Permissions::from_mode(0o600))?;
    Ok(listener)
}

/// Goes to a socket in the file system.
pub fn connect_to(path: &str) -> std::io::Result<UnixStream> {
    UnixStream::connect(path)
}

/// True where a process runs.
pub fn is_alive(process: i32) -> bool {
    let known = rustix::process::Pid::from_raw(process);
    known.is_some_and(|pid| rustix::process::test_kill_process(pid) != Err(rustix::io::Errno::SRCH))
}

/// Nobody else may read a file that is made with these.
pub fn make_private(options: &mut OpenOptions) {
    options.mode(0o600);
}

/// What tells a file apart from all others, whatever its names.
#[derive(Debug, PartialEq, Eq)]
pub struct FileNumber(u64, u64);

/// The number of an existing file.
pub fn file_number(facts: &Metadata) -> Option<FileNumber> {
    Some(FileNumber(facts.dev(), facts.ino()))
}

/// True where another file may take the place of one: it has no other names, and belongs to whom it belonged.
pub fn takes_over(facts: &Metadata, part: &Path) -> bool {
    let new = std::fs::metadata(part);
    facts.nlink() == 1 && new.is_ok_and(|new| (new.uid(), new.gid()) == (facts.uid(), facts.gid()))
}

/// True for a file that is there and belongs to whoever runs the command, or to the system.
pub fn is_own(path: &Path) -> bool {
    let own = rustix::process::geteuid().as_raw();
    std::fs::metadata(path).is_ok_and(|facts| facts.is_file() && (facts.uid() == own || facts.uid() == 0))
}

static TERMINAL: OnceLock<Termios> = OnceLock::new();

/// Remembers how the terminal is set.
pub fn keep_terminal() {
    if let Ok(before) = tcgetattr(std::io::stdin()) {
        let _ = TERMINAL.set(before);
    }
}

/// Sets the terminal as it was when it was remembered.
pub fn give_terminal_back() {
    if let Some(before) = TERMINAL.get() {
        let _ = tcsetattr(std::io::stdin(), OptionalActions::Now, before);
    }
}

/// A folder that is held open: its files are reached in it, whatever links anybody puts in its place meanwhile.
pub struct OpenFolder {
    path: PathBuf,
    handle: OwnedFd,
}

impl OpenFolder {
    /// Opens it.
    pub fn open(path: PathBuf) -> std::io::Result<Self> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let handle = rustix::fs::open(&path, flags, Mode::empty())?;
        Ok(Self { path, handle })
    }

    /// The name that it was opened by.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where it is now, wherever it was moved to.
    pub fn here(&self) -> PathBuf {
        let here = PathBuf::from(format!("/proc/self/fd/{}", self.handle.as_raw_fd()));
        if here.exists() { here } else { self.path.clone() }
    }

    /// A file of the folder itself; links are not followed, and nothing waits for a pipe.
    pub fn file(&self, name: &str) -> std::io::Result<Option<File>> {
        let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC;
        match rustix::fs::openat(&self.handle, name, flags, Mode::empty()) {
            Ok(file) => {
                let file = File::from(file);
                Ok(file.metadata()?.is_file().then_some(file))
            }
            Err(rustix::io::Errno::NOENT) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// Removes a file.
    pub fn remove(&self, name: &str) -> std::io::Result<()> {
        Ok(rustix::fs::unlinkat(&self.handle, name, AtFlags::empty())?)
    }
}
