//! The far end of a board's serial line: this terminal, a pseudo-terminal that a terminal program opens, or a TCP port of this
//! computer.
//!
//! Reading and writing are threads of their own, so that a far end that does not read never holds the machine up. What it has
//! not read waits for it, also while nobody is there.

use crate::say::Failure;
use crate::terminal::{Shows, Taken};
use plain_byte::machine::Machine;
use std::io::{IsTerminal, Read, Write};
use std::net::{Ipv4Addr, TcpListener, TcpStream};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};

/// Where the far end is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// Standard input and output, each key as it is pressed.
    Stdio,
    /// A pseudo-terminal.
    Pty,
    /// A TCP port of this computer; 0 for any that is free.
    Tcp(u16),
}

impl std::str::FromStr for Place {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text.split_once(':') {
            None if text == "stdio" => Ok(Self::Stdio),
            None if text == "pty" => Ok(Self::Pty),
            Some(("tcp", port)) => match port.parse() {
                Ok(port) => Ok(Self::Tcp(port)),
                Err(_) => Err(format!("`{port}` is no port; give 1 to 65535, or 0 for one that is free")),
            },
            _ => Err("write stdio, pty or tcp:PORT".to_string()),
        }
    }
}

/// The key that ends a run at this terminal: Ctrl and backslash.
const END: u8 = 0x1C;

/// More than this is not kept for a far end that does not read.
const MOST_WAITING: usize = 1 << 20;

/// How long the end of the command waits for a far end to take what is left.
const PATIENCE: Duration = Duration::from_millis(500);

/// What was written to a pseudo-terminal is on its other side a moment later.
const SETTLE: Duration = Duration::from_millis(30);

/// The far end.
pub struct Far {
    /// What it is, to be told.
    pub title: String,
    typed: Receiver<Vec<u8>>,
    sent: Sender<Vec<u8>>,
    waiting: Arc<AtomicUsize>,
    /// It wants the run to end: the key for it was pressed, or the terminal is gone.
    ended: Arc<AtomicBool>,
    /// Standard input was read to its end.
    read_out: Arc<AtomicBool>,
    lost: usize,
    taken: Option<Taken>,
    /// The far side of a pseudo-terminal: what was not read there goes when the near side is closed.
    #[cfg(unix)]
    far_side: Option<std::os::fd::OwnedFd>,
}

/// What the threads of a far end work with.
#[derive(Clone)]
struct Line {
    typed: Sender<Vec<u8>>,
    waiting: Arc<AtomicUsize>,
    ended: Arc<AtomicBool>,
}

impl Far {
    /// Opens a line on which lines of text go, so that a terminal keeps its ways.
    pub fn open_for_lines(place: Place) -> Result<Self, Failure> {
        Self::open(place, false)
    }

    fn open(place: Place, raw: bool) -> Result<Self, Failure> {
        let (typed_in, typed) = channel();
        let (sent, to_send) = channel();
        let line = Line { typed: typed_in, waiting: Arc::default(), ended: Arc::default() };
        let mut far = Self {
            title: String::new(),
            typed,
            sent,
            waiting: Arc::clone(&line.waiting),
            ended: Arc::clone(&line.ended),
            read_out: Arc::default(),
            lost: 0,
            taken: None,
            #[cfg(unix)]
            far_side: None,
        };
        match place {
            Place::Stdio => {
                if raw && std::io::stdin().is_terminal() {
                    crossterm::terminal::enable_raw_mode()?;
                    far.taken =
                        Some(Taken::new(|| _ = crossterm::terminal::disable_raw_mode(), Shows::Lines)?);
                    far.title = "this terminal; Ctrl+\\ ends".to_string();
                } else {
                    far.title = "standard input and output".to_string();
                }
                let keys = line.clone();
                let is_terminal = far.taken.is_some();
                let read_out = Arc::clone(&far.read_out);
                std::thread::spawn(move || {
                    keys.read(std::io::stdin(), is_terminal);
                    read_out.store(true, Ordering::Release);
                });
                std::thread::spawn(move || line.write(&to_send, std::io::stdout()));
            }
            #[cfg(unix)]
            Place::Pty => {
                let (title, far_side) = pty(line, to_send)?;
                (far.title, far.far_side) = (title, Some(far_side));
            }
            #[cfg(not(unix))]
            Place::Pty => {
                let help = "use --console stdio or --console tcp:0";
                return Err(Failure::input("there are no pseudo-terminals here", help));
            }
            Place::Tcp(port) => far.title = tcp(line, to_send, port)?,
        }
        Ok(far)
    }

    /// Opens it for the serial line of a machine.
    pub fn open_for(machine: &Machine, place: Place) -> Result<Self, Failure> {
        if machine.board().console.is_some() {
            return Self::open(place, true);
        }
        let message = format!("the board {} has no serial line", machine.board().name);
        let help = if machine.keyboard().is_some() {
            "type at its keyboard: plainbyte panel"
        } else {
            "`plainbyte boards` shows those that have one"
        };
        Err(Failure::usage(message, help))
    }

    /// What was typed since somebody last asked.
    pub fn typed(&self) -> Vec<u8> {
        self.typed.try_iter().flatten().collect()
    }

    /// What is typed within that time; `None` where nobody will type any more.
    pub fn typed_within(&self, patience: Duration) -> Option<Vec<u8>> {
        let read_out = self.read_out.load(Ordering::Acquire);
        match self.typed.recv_timeout(if read_out { Duration::ZERO } else { patience }) {
            Ok(mut bytes) => {
                bytes.extend(self.typed());
                Some(bytes)
            }
            Err(RecvTimeoutError::Timeout) if !read_out => Some(Vec::new()),
            Err(_) => None,
        }
    }

    /// Sends what the machine said.
    pub fn send(&mut self, bytes: &[u8]) {
        if bytes.is_empty() {
            return;
        }
        if self.waiting.load(Ordering::Relaxed) + bytes.len() > MOST_WAITING {
            self.lost += bytes.len();
            return;
        }
        self.waiting.fetch_add(bytes.len(), Ordering::Relaxed);
        // The thread that sends lives as long as this.
        let _ = self.sent.send(bytes.to_vec());
    }

    /// True where the far end, or a signal, asks the run to end.
    pub fn is_ended(&self) -> bool {
        self.ended.load(Ordering::Relaxed) || self.taken.as_ref().is_some_and(Taken::is_ended)
    }

    /// Gives the terminal back, and lets the far end take what is left; tells how many characters it never took.
    pub fn close(self) -> usize {
        let begin = Instant::now();
        let settle = if self.is_pty() { SETTLE } else { Duration::ZERO };
        while begin.elapsed() < settle || self.unread() > 0 && begin.elapsed() < PATIENCE {
            std::thread::sleep(Duration::from_millis(5));
        }
        self.lost + self.unread()
    }

    fn is_pty(&self) -> bool {
        #[cfg(unix)]
        return self.far_side.is_some();
        #[cfg(not(unix))]
        false
    }

    /// How many characters the far end has not read yet.
    fn unread(&self) -> usize {
        let waiting = self.waiting.load(Ordering::Relaxed);
        #[cfg(unix)]
        if let Some(far_side) = &self.far_side {
            let unread = rustix::io::ioctl_fionread(far_side).unwrap_or(0);
            return waiting + unread as usize;
        }
        waiting
    }
}

impl Line {
    /// Reads keys until the far end goes away. At a terminal one of them ends the run.
    fn read(&self, mut from: impl Read, ends: bool) {
        let mut buffer = [0; 1024];
        loop {
            match from.read(&mut buffer) {
                Ok(0) => break,
                Ok(count) => {
                    let keys = &buffer[..count];
                    let end = if ends { keys.iter().position(|&key| key == END) } else { None };
                    let before = &keys[..end.unwrap_or(count)];
                    if !before.is_empty() && self.typed.send(before.to_vec()).is_err() {
                        return;
                    }
                    if end.is_some() {
                        self.ended.store(true, Ordering::Relaxed);
                        return;
                    }
                }
                Err(error) if error.kind() == std::io::ErrorKind::Interrupted => {}
                Err(_) => break,
            }
        }
        // A terminal that is gone ends the run; a file or pipe that is read to its end does not.
        if ends {
            self.ended.store(true, Ordering::Relaxed);
        }
    }

    /// Writes what is sent; where the far end refuses it, the run ends.
    fn write(&self, sent: &Receiver<Vec<u8>>, mut to: impl Write) {
        for bytes in sent {
            if to.write_all(&bytes).and_then(|()| to.flush()).is_err() {
                self.ended.store(true, Ordering::Relaxed);
                return;
            }
            self.waiting.fetch_sub(bytes.len(), Ordering::Relaxed);
        }
    }
}

/// A pseudo-terminal. The near side keeps the far one open, so that a terminal program may come and go.
#[cfg(unix)]
fn pty(line: Line, sent: Receiver<Vec<u8>>) -> Result<(String, std::os::fd::OwnedFd), Failure> {
    use rustix::fs::{Mode, OFlags};
    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
    use rustix::termios::{OptionalActions, tcgetattr, tcsetattr};
    let open = || -> rustix::io::Result<_> {
        let near = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY)?;
        grantpt(&near)?;
        unlockpt(&near)?;
        let name = ptsname(&near, Vec::new())?;
        let far = rustix::fs::open(&name, OFlags::RDWR | OFlags::NOCTTY, Mode::empty())?;
        // Every character goes through as it is, and nothing is echoed.
        let mut settings = tcgetattr(&far)?;
        settings.make_raw();
        tcsetattr(&far, OptionalActions::Now, &settings)?;
        Ok((near, far, name))
    };
    let (near, far, name) = open().map_err(|error| {
        let help = "use --console stdio or --console tcp:0 instead";
        Failure::input(format!("no pseudo-terminal can be opened: {error}"), help)
    })?;
    let near = std::fs::File::from(near);
    let (reader, keys) = (near.try_clone()?, line.clone());
    std::thread::spawn(move || keys.read(reader, false));
    std::thread::spawn(move || line.write(&sent, near));
    Ok((name.to_string_lossy().into_owned(), far))
}

/// A TCP port of this computer. One far end at a time; when it goes away, the next one may come.
fn tcp(line: Line, sent: Receiver<Vec<u8>>, port: u16) -> Result<String, Failure> {
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).map_err(|error| {
        let help = "choose another port, or tcp:0 for one that is free";
        Failure::input(format!("nothing can listen at port {port}: {error}"), help)
    })?;
    let title = listener.local_addr()?.to_string();
    std::thread::spawn(move || {
        let mut left: Option<Vec<u8>> = None;
        for stream in listener.incoming() {
            let Ok(stream) = stream else { continue };
            if serve(&line, &sent, stream, &mut left).is_none() {
                return;
            }
        }
    });
    Ok(title)
}

/// Talks to one far end until it goes away; what it did not take is left for the next. `None` when the run is over.
fn serve(
    line: &Line,
    sent: &Receiver<Vec<u8>>,
    mut stream: TcpStream,
    left: &mut Option<Vec<u8>>,
) -> Option<()> {
    let _ = stream.set_nodelay(true);
    let gone = Arc::new(AtomicBool::new(false));
    if let Ok(reader) = stream.try_clone() {
        let (line, gone) = (line.clone(), Arc::clone(&gone));
        std::thread::spawn(move || {
            line.read(reader, false);
            gone.store(true, Ordering::Relaxed);
        });
    }
    loop {
        let bytes = match left.take().map_or_else(|| sent.recv_timeout(Duration::from_millis(20)), Ok) {
            Ok(bytes) => bytes,
            Err(RecvTimeoutError::Timeout) if gone.load(Ordering::Relaxed) => return Some(()),
            Err(RecvTimeoutError::Timeout) => continue,
            Err(RecvTimeoutError::Disconnected) => return None,
        };
        if gone.load(Ordering::Relaxed) || stream.write_all(&bytes).is_err() {
            *left = Some(bytes);
            return Some(());
        }
        line.waiting.fetch_sub(bytes.len(), Ordering::Relaxed);
    }
}
