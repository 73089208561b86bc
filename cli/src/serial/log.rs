//! What goes over a line, kept in a file: when, in which direction, in hex and as characters.

use crate::say::Failure;
use std::fs::File;
use std::io::{BufWriter, Read, Write};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;

/// Bytes of a line of the log.
const IN_A_LINE: usize = 16;

/// A log that both directions of a line write to.
#[derive(Clone)]
pub struct Log(Arc<Mutex<(BufWriter<File>, Instant)>>);

impl Log {
    /// Begins one.
    pub fn open(name: &str) -> Result<Self, Failure> {
        let file = File::create(name).map_err(|error| {
            Failure::input(format!("{name} cannot be written: {error}"), "name a file that can be")
        })?;
        let log = Self(Arc::new(Mutex::new((BufWriter::new(file), Instant::now()))));
        log.line("# seconds, > sent or < received, bytes, characters\n");
        Ok(log)
    }

    fn line(&self, text: &str) {
        let mut inner = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        // What is seen of a line that hangs is the end of its log: nothing is kept back. A full disk does not stop a transfer.
        let _ = inner.0.write_all(text.as_bytes()).and_then(|()| inner.0.flush());
    }

    fn take(&self, direction: char, bytes: &[u8]) {
        let seconds = self.0.lock().unwrap_or_else(PoisonError::into_inner).1.elapsed().as_secs_f64();
        for bytes in bytes.chunks(IN_A_LINE) {
            let hex: Vec<String> = bytes.iter().map(|byte| format!("{byte:02X}")).collect();
            let sign = |&byte: &u8| if (b' '..=b'~').contains(&byte) { char::from(byte) } else { '.' };
            let signs: String = bytes.iter().map(sign).collect();
            self.line(&format!("{seconds:10.3} {direction} {:47}  {signs}\n", hex.join(" ")));
        }
    }
}

/// One direction of a line, with the log where there is one.
pub struct Logged<T> {
    line: T,
    log: Option<Log>,
}

impl<T> Logged<T> {
    /// A line, with or without a log.
    pub fn new(line: T, log: Option<&Log>) -> Self {
        Self { line, log: log.cloned() }
    }
}

impl<T: Read> Read for Logged<T> {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        let count = self.line.read(bytes)?;
        self.log.iter().for_each(|log| log.take('<', &bytes[..count]));
        Ok(count)
    }
}

impl<T: Write> Write for Logged<T> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let count = self.line.write(bytes)?;
        self.log.iter().for_each(|log| log.take('>', &bytes[..count]));
        Ok(count)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.line.flush()
    }
}
