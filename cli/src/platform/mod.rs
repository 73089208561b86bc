//! What one kind of system does otherwise than another: signals, pseudo-terminals, sockets in the file system, folders held open, owners of
//! files, the settings of a terminal. Each kind has a file with the same names in it, so that whoever uses them has no conditions.

#[cfg(not(unix))]
mod elsewhere;
#[cfg(unix)]
mod unix;

#[cfg(not(unix))]
pub use elsewhere::*;
#[cfg(unix)]
pub use unix::*;

/// What a signal asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Asked {
    /// Ctrl-C: stop what is being done.
    Stop,
    /// Whoever started the command wants it to end.
    #[cfg_attr(not(unix), expect(dead_code, reason = "only Ctrl-C comes there"))]
    End,
}

/// A pseudo-terminal.
pub struct Pty {
    /// Its name, for a terminal program.
    pub name: String,
    /// The end that the command reads and writes.
    pub near: std::fs::File,
    /// The other end, held open so that a terminal program may come and go.
    pub far: PtyFar,
}
