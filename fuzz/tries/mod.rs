//! What is tried with any bytes, a file each: none of it panics, hangs or disagrees with itself. The fuzzer makes the bytes up; the
//! ordinary tests take those in `fuzz/seeds`.

pub mod analysis;
pub mod board;
pub mod chips;
pub mod disk;
pub mod formats;
pub mod hex;
pub mod link;
pub mod monitor;
pub mod panel;
pub mod project;
pub mod record;
pub mod services;
pub mod several;
pub mod source;
pub mod tape;

/// Bytes and a text: the first byte says how many of the rest are bytes.
fn two(bytes: &[u8]) -> Option<(&[u8], String)> {
    let (&count, rest) = bytes.split_first()?;
    let (cells, text) = rest.split_at(usize::from(count).min(rest.len()));
    Some((cells, String::from_utf8_lossy(text).into_owned()))
}
