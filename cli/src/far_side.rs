//! The far side of a real line: a device, a pseudo-terminal or a TCP port, to which this command is the near side.

use crate::platform;
use crate::say::Failure;
use crate::serial::device::Device;
use crate::serial::log::{Log, Logged};
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
    is_device: bool,
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
    /// Opens `tcp:HOST:PORT`, `tcp:PORT` of this computer, a socket in the file system, `unix:PATH`, a device by its name and its settings,
    /// at so many baud, or the standard input and output of a command, `exec:COMMAND`.
    pub fn open(place: &str, baud: Option<u32>, log: Option<&Log>) -> Result<Self, Failure> {
        if let Some(command) = place.strip_prefix("exec:") {
            return Self::command(place, command, log);
        }
        if let Some(path) = place.strip_prefix("unix:") {
            let wrong = |error: std::io::Error| {
                Failure::input(
                    format!("{place} does not answer: {error}"),
                    "name the socket that the board offers",
                )
            };
            let stream = platform::connect_to(path).map_err(wrong)?;
            let reader = stream.try_clone()?;
            return Ok(Self::new(place, stream, reader, log));
        }
        match place.strip_prefix("tcp:") {
            Some(address) => Self::tcp(place, address, log),
            None => Self::device(place, baud, log),
        }
    }

    /// Words of a command are parted by blanks. It ends when its input does.
    fn command(title: &str, command: &str, log: Option<&Log>) -> Result<Self, Failure> {
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
        let mut line = Self::new(title, to, from, log);
        line.child = Some(child);
        Ok(line)
    }

    fn tcp(title: &str, address: &str, log: Option<&Log>) -> Result<Self, Failure> {
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
        Ok(Self::new(title, stream, reader, log))
    }

    fn device(text: &str, baud: Option<u32>, log: Option<&Log>) -> Result<Self, Failure> {
        let device: Device = text.parse().map_err(|error| {
            Failure::usage(error, "write the settings after the name: /dev/ttyUSB0,baud=9600,stop=2")
        })?;
        let device = device.at(baud);
        let (reader, writer) = device.open()?;
        let mut line = Self::new(&device.name, writer, reader, log);
        line.is_device = true;
        Ok(line)
    }

    fn new(
        title: &str,
        to: impl Write + Send + 'static,
        reader: impl Read + Send + 'static,
        log: Option<&Log>,
    ) -> Self {
        let (sender, from) = sync_channel(MOST_PIECES);
        let mut reader = Logged::new(reader, log);
        std::thread::spawn(move || {
            let mut buffer = [0; 1024];
            while let Ok(count @ 1..) = reader.read(&mut buffer) {
                if sender.send(buffer[..count].to_vec()).is_err() {
                    return;
                }
            }
        });
        let to = Box::new(Logged::new(to, log));
        let waiting = std::collections::VecDeque::new();
        Self { title: title.to_string(), is_device: false, to, from, waiting, child: None }
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
        if self.is_device {
            let help = "look at its plug, and try again once it is there";
            return Failure::input(format!("{} has gone", self.title), help);
        }
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
