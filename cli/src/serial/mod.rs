//! The far end of a board's serial line: this terminal, a pseudo-terminal that a terminal program opens, a serial device, or a TCP
//! port of this computer.
//!
//! Reading and writing are threads of their own, so that a far end that does not read never holds the machine up. What it has
//! not read waits for it, also while nobody is there.

pub mod device;
pub mod log;
pub(crate) mod visits;

use crate::platform::{self, Pty, PtyFar};
use crate::say::Failure;
use crate::terminal::{Shows, Taken};
use log::{Log, Logged};
use plain_byte::machine::Machine;
use std::io::{IsTerminal, Read, Write};
use std::net::{Ipv4Addr, TcpListener};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, SyncSender, channel, sync_channel};
use std::time::{Duration, Instant};
pub use visits::{Listener, SLOW, Stream};
use visits::{Visits, serve_all};

/// Where the far end is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// Standard input and output, each key as it is pressed.
    Stdio,
    /// A pseudo-terminal.
    Pty,
    /// A TCP port of this computer; 0 for any that is free.
    Tcp(u16),
    /// A socket in the file system, for whoever runs the command alone.
    Unix(&'static str),
    /// A serial device with its settings.
    Device(&'static str),
}

impl std::str::FromStr for Place {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text.split_once(':') {
            None if text == "stdio" => Ok(Self::Stdio),
            None if text == "pty" => Ok(Self::Pty),
            Some(("tcp", port)) => match port.parse() {
                Ok(port) => Ok(Self::Tcp(port)),
                Err(_) => Err(format!("`{port}` is not a port; give 1 to 65535, or 0 for one that is free")),
            },
            // The command line is read once.
            Some(("unix", path)) if !path.is_empty() && cfg!(unix) => Ok(Self::Unix(path.to_string().leak())),
            None if text.starts_with('/') || cfg!(windows) && text.to_uppercase().starts_with("COM") => {
                text.parse::<device::Device>()?;
                Ok(Self::Device(text.to_string().leak()))
            }
            _ => {
                Err("write stdio, pty, tcp:PORT, or a serial device such as /dev/ttyUSB0,baud=9600"
                    .to_string())
            }
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
    typed: Receiver<(usize, Vec<u8>)>,
    sent: Sender<Vec<u8>>,
    waiting: Arc<AtomicUsize>,
    /// Who comes and goes.
    visits: Visits,
    /// Far ends are kept apart.
    apart: bool,
    /// The board stays when its program has ended.
    stays: bool,
    /// It wants the run to end: the key for it was pressed, or the terminal is gone.
    ended: Arc<AtomicBool>,
    /// Standard input was read to its end.
    read_out: Arc<AtomicBool>,
    lost: usize,
    taken: Option<Taken>,
    /// The far side of a pseudo-terminal: what was not read there goes when the near side is closed.
    far_side: Option<PtyFar>,
}

/// What the threads of a far end work with.
#[derive(Clone)]
struct Line {
    typed: SyncSender<(usize, Vec<u8>)>,
    /// Which far end it is for; 0 where there is one for ever.
    number: usize,
    waiting: Arc<AtomicUsize>,
    ended: Arc<AtomicBool>,
    visits: Visits,
    /// A far end that goes away leaves nothing for the next.
    apart: bool,
    log: Option<Log>,
}

/// Pieces that wait to be taken; after them the far end has to wait.
const MOST_PIECES: usize = 32;

impl Far {
    /// Opens a line on which lines of text go, so that a terminal keeps its ways.
    pub fn open_for_lines(place: Place) -> Result<Self, Failure> {
        Self::open(place, false, None)
    }

    fn open(place: Place, raw: bool, log: Option<&Log>) -> Result<Self, Failure> {
        let (typed_in, typed) = sync_channel(MOST_PIECES);
        let (sent, to_send) = channel();
        let visits = Visits::default();
        let line = Line {
            typed: typed_in,
            number: 0,
            waiting: Arc::default(),
            ended: Arc::default(),
            visits: visits.clone(),
            apart: !raw,
            log: log.cloned(),
        };
        let mut far = Self {
            stays: !matches!(place, Place::Stdio),
            title: String::new(),
            typed,
            sent,
            waiting: Arc::clone(&line.waiting),
            visits,
            apart: !raw,
            ended: Arc::clone(&line.ended),
            read_out: Arc::default(),
            lost: 0,
            taken: None,
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
            Place::Pty => {
                let (title, far_side) = pty(line, to_send)?;
                (far.title, far.far_side) = (title, Some(far_side));
            }
            Place::Tcp(port) => {
                let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).map_err(|error| {
                    let help = "choose another port, or tcp:0 for one that is free";
                    Failure::input(format!("nothing can listen at port {port}: {error}"), help)
                })?;
                far.title = listener.local_addr()?.to_string();
                std::thread::spawn(move || serve_all(&line, &to_send, &listener));
            }
            Place::Unix(path) => {
                let listener = visits::private(path)?;
                far.title = format!("unix:{path}");
                std::thread::spawn(move || serve_all(&line, &to_send, &listener));
            }
            Place::Device(text) => {
                let device: device::Device = text.parse().map_err(|error| {
                    Failure::usage(error, "write the settings after the name: /dev/ttyUSB0,baud=9600,stop=2")
                })?;
                let (reader, writer) = device.open()?;
                far.title = device.name;
                let keys = line.clone();
                std::thread::spawn(move || keys.read(reader, true));
                std::thread::spawn(move || line.write(&to_send, writer));
            }
        }
        Ok(far)
    }

    /// This terminal, or standard input and output: every key as it is pressed.
    pub fn here() -> Result<Self, Failure> {
        Self::open(Place::Stdio, true, None)
    }

    /// True where a board stays on the line when its program has ended: a terminal elsewhere goes on being attached to it.
    pub fn stays(&self) -> bool {
        self.stays
    }

    /// Opens it for the serial line of a machine.
    pub fn open_for(machine: &Machine, place: Place, log: Option<&Log>) -> Result<Self, Failure> {
        if machine.board().console.is_some() {
            return Self::open(place, true, log);
        }
        let message = format!("the board {} has no serial line", machine.board().name);
        let help = if machine.has_keyboard() {
            "type at its keyboard: plainbyte panel"
        } else {
            "`plainbyte boards` shows those that have one"
        };
        Err(Failure::usage(message, help))
    }

    /// What was typed since somebody last asked.
    pub fn typed(&self) -> Vec<u8> {
        self.typed.try_iter().filter_map(|piece| self.of_who_is_there(piece)).flatten().collect()
    }

    /// What somebody said who is gone is said no more, where far ends are kept apart.
    fn of_who_is_there(&self, (number, bytes): (usize, Vec<u8>)) -> Option<Vec<u8>> {
        (number == 0 || !self.apart || number == self.visitor()).then_some(bytes)
    }

    /// What is typed within that time; `None` where nobody will type any more.
    pub fn typed_within(&self, patience: Duration) -> Option<Vec<u8>> {
        let read_out = self.read_out.load(Ordering::Acquire);
        match self.typed.recv_timeout(if read_out { Duration::ZERO } else { patience }) {
            Ok(piece) => {
                let mut bytes = self.of_who_is_there(piece).unwrap_or_default();
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

    /// Who is there, by number; another number is another far end.
    pub fn visitor(&self) -> usize {
        self.visits.come.load(Ordering::Acquire)
    }

    /// True where the far end will say nothing more, and waits for its answers.
    pub fn is_silent(&self) -> bool {
        self.visits.silent.load(Ordering::Acquire)
    }

    /// True where another far end waits for this one to leave.
    pub fn is_awaited(&self) -> bool {
        self.visits.awaited.load(Ordering::Acquire)
    }

    /// True where everything that was sent is on its way.
    pub fn is_sent(&self) -> bool {
        self.waiting.load(Ordering::Acquire) == 0
    }

    /// Ends the talk with a far end, by its number, once it has what was sent; another may come.
    pub fn hang_up(&self, visitor: usize) {
        self.visits.hang_up.store(visitor, Ordering::Release);
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
        self.far_side.is_some()
    }

    /// How many characters the far end has not read yet.
    fn unread(&self) -> usize {
        self.waiting.load(Ordering::Relaxed) + self.far_side.as_ref().map_or(0, PtyFar::unread)
    }
}

impl Line {
    /// Reads keys until the far end goes away. At a terminal one of them ends the run.
    fn read(&self, from: impl Read, ends: bool) {
        let mut from = Logged::new(from, self.log.as_ref());
        let mut buffer = [0; 1024];
        loop {
            match from.read(&mut buffer) {
                Ok(0) => break,
                Ok(count) => {
                    let keys = &buffer[..count];
                    let end = if ends { keys.iter().position(|&key| key == END) } else { None };
                    let before = &keys[..end.unwrap_or(count)];
                    if !before.is_empty() && self.typed.send((self.number, before.to_vec())).is_err() {
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
    fn write(&self, sent: &Receiver<Vec<u8>>, to: impl Write) {
        let mut to = Logged::new(to, self.log.as_ref());
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
fn pty(line: Line, sent: Receiver<Vec<u8>>) -> Result<(String, PtyFar), Failure> {
    let Pty { name, near, far } = platform::open_pty().map_err(|error| {
        let help = "use --console stdio or --console tcp:0 instead";
        Failure::input(format!("no pseudo-terminal can be opened: {error}"), help)
    })?;
    let (reader, keys) = (near.try_clone()?, line.clone());
    std::thread::spawn(move || keys.read(reader, false));
    std::thread::spawn(move || line.write(&sent, near));
    Ok((name, far))
}
