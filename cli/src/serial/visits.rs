//! Far ends that come and go at a port or a socket, one at a time.

use super::Line;
use crate::files::parts;
use crate::platform;
use crate::say::Failure;
use crate::signals;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError};
use std::time::{Duration, Instant};

/// Who comes and goes at a line where far ends are kept apart.
#[derive(Clone, Default)]
pub struct Visits {
    /// How many have come.
    pub come: Arc<AtomicUsize>,
    /// The one that is there says nothing more.
    pub silent: Arc<AtomicBool>,
    /// Another waits for that one to leave.
    pub awaited: Arc<AtomicBool>,
    /// Which one is to go.
    pub hang_up: Arc<AtomicUsize>,
}

/// A socket that nobody but whoever runs the command can open; it goes with the command.
pub fn private(path: &str) -> Result<impl Listener + Send + 'static, Failure> {
    signals::catch();
    platform::listen_at(path, || parts::goes_with_the_command(path)).map_err(|error| {
        let help = "name a path that nothing has, in a folder of your own";
        Failure::input(format!("nothing can listen at {path}: {error}"), help)
    })
}

/// What far ends come to.
pub trait Listener {
    type Stream: Stream;
    /// The next that is there; an error where there is none just now.
    fn next(&self) -> std::io::Result<Self::Stream>;
    fn never_waits(&self) -> std::io::Result<()>;
}

/// A talk with a far end.
pub trait Stream: Read + Write + Send + Sized + 'static {
    /// Another handle of it.
    fn again(&self) -> std::io::Result<Self>;
    fn ready(&self);
    fn close(&self);
}

/// Makes listeners and streams of the standard library's, which have the same methods and no trait in common.
macro_rules! streams {
    ($listener:ty, $stream:ty, $ready:expr) => {
        impl $crate::serial::Listener for $listener {
            type Stream = $stream;
            fn next(&self) -> std::io::Result<$stream> {
                self.accept().map(|(stream, _)| stream)
            }
            fn never_waits(&self) -> std::io::Result<()> {
                self.set_nonblocking(true)
            }
        }
        impl $crate::serial::Stream for $stream {
            fn again(&self) -> std::io::Result<Self> {
                self.try_clone()
            }
            fn ready(&self) {
                let _ = self.set_nonblocking(false);
                // Who takes nothing for so long is gone.
                let _ = self.set_write_timeout(Some($crate::serial::SLOW));
                ($ready)(self);
            }
            fn close(&self) {
                let _ = self.shutdown(std::net::Shutdown::Both);
            }
        }
    };
}

streams!(TcpListener, TcpStream, |stream: &TcpStream| _ = stream.set_nodelay(true));
#[cfg_attr(not(unix), expect(unused_imports, reason = "sockets in the file system have them, too"))]
pub(crate) use streams;

/// A far end that takes nothing for so long is hung up on.
pub const SLOW: Duration = Duration::from_secs(10);
/// One who comes while another is there waits so long for that one to leave.
const MOMENT: Duration = Duration::from_millis(500);
/// So often somebody looks who is there.
const LOOK: Duration = Duration::from_millis(20);

/// One far end at a time; when it goes away, the next one may come.
pub(super) fn serve_all<L: Listener>(line: &Line, sent: &Receiver<Vec<u8>>, listener: &L) {
    let mut left: Option<Vec<u8>> = None;
    let mut next = None;
    let _ = listener.never_waits();
    loop {
        let come = next.take().map(|(stream, _)| stream).map_or_else(|| listener.next(), Ok);
        let Ok(stream) = come else {
            // Nobody is there, and what is said to nobody waits, or is lost.
            if line.apart {
                line.forget(sent, &mut left);
            }
            std::thread::sleep(LOOK);
            continue;
        };
        stream.ready();
        if serve(line, sent, stream, &mut left, (listener, &mut next)).is_none() {
            return;
        }
    }
}

/// Talks to one far end until it goes away. What it did not take is left for the next, unless they are kept apart. `None` when the run
/// is over.
fn serve<L: Listener>(
    line: &Line,
    sent: &Receiver<Vec<u8>>,
    mut stream: L::Stream,
    left: &mut Option<Vec<u8>>,
    (listener, next): (&L, &mut Option<(L::Stream, Instant)>),
) -> Option<()> {
    let gone = Arc::new(AtomicBool::new(false));
    line.visits.silent.store(false, Ordering::Release);
    let number = line.visits.come.fetch_add(1, Ordering::AcqRel) + 1;
    if let Ok(reader) = stream.again() {
        let (line, gone) = (Line { number, ..line.clone() }, Arc::clone(&gone));
        std::thread::spawn(move || {
            line.read(reader, false);
            gone.store(true, Ordering::Release);
        });
    }
    let over = loop {
        let is_gone = gone.load(Ordering::Acquire);
        line.visits.silent.store(is_gone, Ordering::Release);
        look_for_others(line, listener, next, is_gone);
        line.visits.awaited.store(next.is_some(), Ordering::Release);
        let bytes = match left.take().map_or_else(|| sent.recv_timeout(LOOK), Ok) {
            Ok(bytes) => bytes,
            // One of those that are kept apart has its answers first.
            Err(RecvTimeoutError::Timeout)
                if line.apart && line.visits.hang_up.load(Ordering::Acquire) == number =>
            {
                break Some(());
            }
            Err(RecvTimeoutError::Timeout) if !line.apart && is_gone => break Some(()),
            Err(RecvTimeoutError::Timeout) => continue,
            Err(RecvTimeoutError::Disconnected) => break None,
        };
        if !line.apart && is_gone || stream.write_all(&bytes).is_err() {
            *left = Some(bytes);
            break Some(());
        }
        line.waiting.fetch_sub(bytes.len(), Ordering::AcqRel);
    };
    stream.close();
    if line.apart {
        line.visits.silent.store(true, Ordering::Release);
        line.forget(sent, left);
    }
    over
}

/// Who comes while another is there waits a moment, since that one may be about to leave; then it is told.
fn look_for_others<L: Listener>(
    line: &Line,
    listener: &L,
    next: &mut Option<(L::Stream, Instant)>,
    is_gone: bool,
) {
    if let Some((stream, _)) = next.take_if(|(_, since)| !is_gone && since.elapsed() > MOMENT) {
        line.refuse(stream);
    }
    while let Ok(other) = listener.next() {
        other.ready();
        match next {
            None => *next = Some((other, Instant::now())),
            Some(_) => line.refuse(other),
        }
    }
}

impl Line {
    /// Tells somebody that another is there.
    fn refuse(&self, mut other: impl Stream) {
        let words: &[u8] = match self.apart {
            true => b"no somebody else drives this board\n",
            false => b"somebody else is at this console\r\n",
        };
        let _ = other.write_all(words);
        other.close();
    }

    /// What was said to a far end that is gone.
    fn forget(&self, sent: &Receiver<Vec<u8>>, left: &mut Option<Vec<u8>>) {
        for bytes in left.take().into_iter().chain(sent.try_iter()) {
            self.waiting.fetch_sub(bytes.len(), Ordering::AcqRel);
        }
    }
}
