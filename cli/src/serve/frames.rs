//! Messages as the protocols of editors frame them: a length, an empty line, and as many bytes of JSON.

use crate::say::Failure;
use serde_json::Value;
use std::io::{BufRead, Read, Write};

/// A message longer than this is none.
const MOST_BYTES: u64 = 64 << 20;
/// A header line longer than this is none.
const MOST_HEADER: u64 = 4096;

fn wrong(what: &str) -> Failure {
    Failure::input(
        format!("the client: {what}"),
        "a message is `Content-Length: N`, an empty line, and N bytes of JSON",
    )
}

/// The next message; `None` where there is no more.
pub fn read(input: &mut dyn BufRead) -> Result<Option<Value>, Failure> {
    let mut length: Option<u64> = None;
    loop {
        let mut line = Vec::new();
        let mut limited = (&mut *input).take(MOST_HEADER);
        let count = limited.read_until(b'\n', &mut line).map_err(|error| wrong(&error.to_string()))?;
        if count == 0 {
            return if length.is_none() {
                Ok(None)
            } else {
                Err(wrong("it ends in the middle of a message"))
            };
        }
        if !line.ends_with(b"\n") {
            return Err(wrong("a line of a header does not end"));
        }
        let text = String::from_utf8_lossy(&line);
        let text = text.trim();
        if text.is_empty() {
            match length {
                Some(_) => break,
                None => continue,
            }
        }
        let (name, value) =
            text.split_once(':').ok_or_else(|| wrong(&format!("`{text}` is not a header")))?;
        if name.trim().eq_ignore_ascii_case("content-length") {
            let bytes =
                value.trim().parse().map_err(|_| wrong(&format!("`{}` is not a length", value.trim())))?;
            length = Some(bytes);
        }
    }
    let length = length.unwrap_or(0);
    if length > MOST_BYTES {
        return Err(wrong(&format!("a message of {length} bytes is too long")));
    }
    // PERF: room grows with what comes, so that a length alone takes no memory.
    let mut bytes = Vec::new();
    let count = input.take(length).read_to_end(&mut bytes).map_err(|error| wrong(&error.to_string()))?;
    if (count as u64) < length {
        return Err(wrong("it ends in the middle of a message"));
    }
    serde_json::from_slice(&bytes).map(Some).map_err(|error| wrong(&error.to_string()))
}

/// Sends a message.
pub fn write(output: &mut dyn Write, message: &Value) -> std::io::Result<()> {
    let text = message.to_string();
    write!(output, "Content-Length: {}\r\n\r\n{text}", text.len())?;
    output.flush()
}
