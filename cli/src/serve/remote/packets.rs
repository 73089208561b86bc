//! Packets of the remote serial protocol: `$`, what is said, `#`, a sum in two hex digits; with escapes, and runs shortened.

use std::io::{BufRead, Write};

/// A packet longer than this is none.
pub const MOST: usize = 0x1_0000;

/// What comes over the line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Incoming {
    /// A packet, its escapes undone.
    Packet(Vec<u8>),
    /// A packet whose sum is wrong, or that is too long.
    Broken,
    /// The other end wants the machine to stop.
    Interrupt,
    /// The last packet was not understood.
    Again,
    /// There is no more.
    End,
}

fn digit(byte: u8) -> Option<u8> {
    (byte as char).to_digit(16).map(|digit| digit as u8)
}

/// The next of it; what is no packet goes by.
pub fn read(input: &mut dyn BufRead) -> Incoming {
    let mut next = || {
        let mut byte = [0];
        input.read_exact(&mut byte).ok().map(|()| byte[0])
    };
    loop {
        match next() {
            None => return Incoming::End,
            Some(3) => return Incoming::Interrupt,
            Some(b'-') => return Incoming::Again,
            Some(b'$') => break,
            Some(_) => {}
        }
    }
    let (mut text, mut sum) = (Vec::new(), 0u8);
    loop {
        match next() {
            None => return Incoming::End,
            Some(b'#') => break,
            // Another one begins: the one before was cut.
            Some(b'$') => (text, sum) = (Vec::new(), 0),
            Some(byte) => {
                sum = sum.wrapping_add(byte);
                text.push(byte);
            }
        }
        if text.len() > MOST {
            return Incoming::Broken;
        }
    }
    let (Some(high), Some(low)) = (next(), next()) else { return Incoming::End };
    match (digit(high), digit(low)) {
        (Some(high), Some(low)) if high << 4 | low == sum => Incoming::Packet(without_escapes(&text)),
        _ => Incoming::Broken,
    }
}

fn without_escapes(text: &[u8]) -> Vec<u8> {
    let mut bytes = text.iter().copied();
    let mut out = Vec::with_capacity(text.len());
    while let Some(byte) = bytes.next() {
        match byte {
            b'}' => out.extend(bytes.next().map(|byte| byte ^ 0x20)),
            byte => out.push(byte),
        }
    }
    out
}

/// A packet around what is said.
pub fn packet(text: &[u8]) -> Vec<u8> {
    let mut body = Vec::with_capacity(text.len() + 8);
    let mut rest = text;
    while let [byte, ..] = rest {
        let same = rest.iter().take_while(|one| *one == byte).count().min(98);
        match byte {
            b'#' | b'$' | b'}' | b'*' => {
                body.extend([b'}', byte ^ 0x20]);
                rest = &rest[1..];
            }
            _ => {
                // The count is a sign from `"` on, and may be none that means something else.
                let more = (3..same).rev().find(|more| !matches!(more + 29, 35 | 36 | 42 | 125));
                body.push(*byte);
                if let Some(more) = more {
                    body.extend([b'*', more as u8 + 29]);
                }
                rest = &rest[1 + more.unwrap_or(0)..];
            }
        }
    }
    let sum = body.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte));
    let mut out = vec![b'$'];
    out.extend(body);
    out.extend(format!("#{sum:02x}").bytes());
    out
}

/// Sends a packet.
pub fn write(output: &mut dyn Write, text: &[u8]) -> std::io::Result<()> {
    output.write_all(&packet(text))?;
    output.flush()
}

/// Bytes as hex digits.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Hex digits as bytes; `None` where there are others.
pub fn bytes(text: &str) -> Option<Vec<u8>> {
    let pairs = text.as_bytes().chunks(2);
    pairs.map(|pair| Some(digit(*pair.first()?)? << 4 | digit(*pair.get(1)?)?)).collect()
}
