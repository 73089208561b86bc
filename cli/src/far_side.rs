//! The far side of a real line: a device, a pseudo-terminal or a TCP port, to which this command is the near side.

use crate::say::Failure;
use std::io::{ErrorKind, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, sync_channel};
use std::time::{Duration, Instant};

/// How long a connection may take.
const CONNECT: Duration = Duration::from_secs(5);

/// An open line. A thread of its own reads, so that a far side that says nothing never holds the command up.
pub struct FarSide {
    title: String,
    to: Box<dyn Write + Send>,
    from: Receiver<Vec<u8>>,
    /// What came and was not taken yet.
    waiting: std::collections::VecDeque<u8>,
    /// The command whose input and output the line is.
    child: Option<Child>,
}

/// Pieces that wait to be taken; a far side that says more has to wait.
const MOST_PIECES: usize = 32;
/// A far side that is never quiet is left to itself.
const NOISY: Duration = Duration::from_secs(2);
/// An answer that has no end is not listened to for longer, nor to more bytes.
const LONGEST: Duration = Duration::from_secs(10);
const MOST_BYTES: usize = 1 << 16;
/// A command has so long to end when its input has.
const GRACE: Duration = Duration::from_secs(1);

impl Drop for FarSide {
    fn drop(&mut self) {
        let Some(mut child) = self.child.take() else { return };
        // Its input ends.
        self.to = Box::new(std::io::sink());
        let begin = Instant::now();
        while begin.elapsed() < GRACE {
            if !matches!(child.try_wait(), Ok(None)) {
                return;
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        let _ = child.kill();
        let _ = child.wait();
    }
}

impl FarSide {
    /// Opens `tcp:HOST:PORT`, `tcp:PORT` of this computer, a socket in the file system, `unix:PATH`, a device by its path, at so many baud, or the standard input and output
    /// of a command, `exec:COMMAND`.
    pub fn open(place: &str, baud: Option<u32>) -> Result<Self, Failure> {
        if let Some(command) = place.strip_prefix("exec:") {
            return Self::command(place, command);
        }
        #[cfg(unix)]
        if let Some(path) = place.strip_prefix("unix:") {
            let wrong = |error: std::io::Error| {
                Failure::input(
                    format!("{place} does not answer: {error}"),
                    "name the socket that the board offers",
                )
            };
            let stream = std::os::unix::net::UnixStream::connect(path).map_err(wrong)?;
            let reader = stream.try_clone()?;
            return Ok(Self::new(place, Box::new(stream), reader));
        }
        match place.strip_prefix("tcp:") {
            Some(address) => Self::tcp(place, address),
            None => Self::device(place, baud),
        }
    }

    /// Words of a command are parted by blanks. It ends when its input does.
    fn command(title: &str, command: &str) -> Result<Self, Failure> {
        let mut words = command.split_whitespace();
        let wrong = |problem: String| {
            let help = "write --link \"exec:plainbyte run --board dunlin --offer-link stdio\"";
            Failure::usage(format!("{title}: {problem}"), help)
        };
        let name = words.next().ok_or_else(|| wrong("no command is named".to_string()))?;
        let begun = Command::new(name).args(words).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn();
        let mut child = begun.map_err(|error| wrong(error.to_string()))?;
        let (Some(to), Some(from)) = (child.stdin.take(), child.stdout.take()) else {
            return Err(wrong("it has no input and output".to_string()));
        };
        let mut line = Self::new(title, Box::new(to), from);
        line.child = Some(child);
        Ok(line)
    }

    fn tcp(title: &str, address: &str) -> Result<Self, Failure> {
        let address =
            if address.contains(':') { address.to_string() } else { format!("127.0.0.1:{address}") };
        let wrong = |problem: String| {
            Failure::input(format!("{title} does not answer: {problem}"), "write tcp:PORT or tcp:HOST:PORT")
        };
        let found = std::net::ToSocketAddrs::to_socket_addrs(&address.as_str());
        let mut found = found.map_err(|error| wrong(error.to_string()))?;
        let address = found.next().ok_or_else(|| wrong("there is no such address".to_string()))?;
        let stream =
            TcpStream::connect_timeout(&address, CONNECT).map_err(|error| wrong(error.to_string()))?;
        let _ = stream.set_nodelay(true);
        let reader = stream.try_clone()?;
        Ok(Self::new(title, Box::new(stream), reader))
    }

    #[cfg(unix)]
    fn device(path: &str, baud: Option<u32>) -> Result<Self, Failure> {
        use rustix::fs::{Mode, OFlags};
        use rustix::termios::{OptionalActions, tcgetattr, tcsetattr};
        let wrong = |error: rustix::io::Errno| {
            let help = "name a serial device such as /dev/ttyUSB0, a pseudo-terminal, or tcp:PORT";
            Failure::input(format!("{path} cannot be opened: {error}"), help)
        };
        let line = rustix::fs::open(path, OFlags::RDWR | OFlags::NOCTTY, Mode::empty()).map_err(wrong)?;
        if !rustix::termios::isatty(&line) {
            return Err(Failure::input(
                format!("{path} is no serial line"),
                "name a device such as /dev/ttyUSB0, a pseudo-terminal, or tcp:PORT",
            ));
        }
        let mut settings = tcgetattr(&line).map_err(wrong)?;
        settings.make_raw();
        if let Some(baud) = baud {
            settings.set_speed(baud).map_err(wrong)?;
        }
        tcsetattr(&line, OptionalActions::Now, &settings).map_err(wrong)?;
        let line = std::fs::File::from(line);
        let reader = line.try_clone()?;
        Ok(Self::new(path, Box::new(line), reader))
    }

    #[cfg(not(unix))]
    fn device(path: &str, _: Option<u32>) -> Result<Self, Failure> {
        Err(Failure::input(format!("{path} cannot be opened here"), "use tcp:PORT"))
    }

    fn new(title: &str, to: Box<dyn Write + Send>, mut reader: impl Read + Send + 'static) -> Self {
        let (sender, from) = sync_channel(MOST_PIECES);
        std::thread::spawn(move || {
            let mut buffer = [0; 1024];
            while let Ok(count @ 1..) = reader.read(&mut buffer) {
                if sender.send(buffer[..count].to_vec()).is_err() {
                    return;
                }
            }
        });
        Self { title: title.to_string(), to, from, waiting: std::collections::VecDeque::new(), child: None }
    }

    /// Puts bytes on the line.
    pub fn write(&mut self, bytes: &[u8]) -> Result<(), Failure> {
        let written = self.to.write_all(bytes).and_then(|()| self.to.flush());
        written.map_err(|error| match error.kind() {
            // Whether the writer or the reader sees it first is a matter of luck.
            ErrorKind::BrokenPipe | ErrorKind::ConnectionReset | ErrorKind::ConnectionAborted => {
                self.closed()
            }
            _ => {
                let message = format!("{} takes nothing more: {error}", self.title);
                Failure::input(message, "look at the far side")
            }
        })
    }

    fn closed(&self) -> Failure {
        Failure::input(format!("{} was closed by the far side", self.title), "open it again")
    }

    /// The next byte; `None` where none comes in that time.
    pub fn take(&mut self, patience: Duration) -> Result<Option<u8>, Failure> {
        if let Some(byte) = self.waiting.pop_front() {
            return Ok(Some(byte));
        }
        match self.from.recv_timeout(patience) {
            Ok(bytes) => {
                self.waiting.extend(bytes);
                Ok(self.waiting.pop_front())
            }
            Err(RecvTimeoutError::Timeout) => Ok(None),
            Err(RecvTimeoutError::Disconnected) => Err(self.closed()),
        }
    }

    /// Throws away what comes, until nothing did for so long. A far side that is never quiet is left to itself in the end.
    pub fn drain(&mut self, quiet: Duration) {
        let begin = Instant::now();
        while begin.elapsed() < NOISY
            && let Ok(Some(_)) = self.take(quiet)
        {}
    }

    /// What the far side says: it has `patience` to begin, and is done when it is quiet, or has said more than anybody wants.
    pub fn answer(&mut self, patience: Duration, quiet: Duration) -> Result<Vec<u8>, Failure> {
        let begin = Instant::now();
        let mut answer = Vec::new();
        loop {
            let left = if answer.is_empty() { patience.saturating_sub(begin.elapsed()) } else { quiet };
            match self.take(left)? {
                Some(byte) if begin.elapsed() < LONGEST && answer.len() < MOST_BYTES => answer.push(byte),
                _ => return Ok(answer),
            }
        }
    }
}
