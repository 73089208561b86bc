//! Names of files: eight characters, a point, three characters.

use std::fmt;

/// A name as the directory holds it: eight characters and three, filled with blanks.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileName([u8; 11]);

/// True for what may stand in a name: nothing that means a folder, a drive, a list or a pattern.
fn is_allowed(byte: u8) -> bool {
    byte.is_ascii_uppercase() || byte.is_ascii_digit() || b"!#$%&'()-@^_`{}~+".contains(&byte)
}

impl FileName {
    /// The name of a file of the computer around: `None` where it is not eight characters and three at most, or has others.
    pub fn of_host(name: &str) -> Option<Self> {
        let upper = name.to_ascii_uppercase();
        let (stem, ending) = upper.rsplit_once('.').unwrap_or((&upper, ""));
        if stem.is_empty() || stem.len() > 8 || ending.len() > 3 || name.ends_with('.') {
            return None;
        }
        let mut bytes = [b' '; 11];
        for (part, place) in [(stem, 0), (ending, 8)] {
            for (at, byte) in part.bytes().enumerate() {
                bytes[place + at] = Some(byte).filter(|&byte| is_allowed(byte))?;
            }
        }
        Some(Self(bytes))
    }

    /// The eleven bytes of a file control block, attributes taken off. `None` where they are no name of a single file.
    pub fn of_block(bytes: [u8; 11]) -> Option<Self> {
        let bytes = bytes.map(|byte| (byte & 0x7F).to_ascii_uppercase());
        let part = |bytes: &[u8]| {
            let end = bytes.iter().position(|&byte| byte == b' ').unwrap_or(bytes.len());
            bytes[..end].iter().all(|&byte| is_allowed(byte)) && bytes[end..].iter().all(|&byte| byte == b' ')
        };
        (bytes[0] != b' ' && part(&bytes[..8]) && part(&bytes[8..])).then_some(Self(bytes))
    }

    /// The eleven bytes.
    pub fn bytes(self) -> [u8; 11] {
        self.0
    }

    /// True where a pattern fits, in which `?` stands for any character.
    pub fn fits(self, pattern: [u8; 11]) -> bool {
        self.0.iter().zip(pattern).all(|(&own, wanted)| {
            let wanted = (wanted & 0x7F).to_ascii_uppercase();
            wanted == b'?' || wanted == own
        })
    }

    /// The name of a new file of the computer around.
    pub fn host_name(self) -> String {
        self.to_string().to_ascii_lowercase()
    }
}

impl fmt::Display for FileName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = String::from_utf8_lossy(&self.0).into_owned();
        let (stem, ending) = (text[..8].trim_end(), text[8..].trim_end());
        f.write_str(stem)?;
        if ending.is_empty() { Ok(()) } else { write!(f, ".{ending}") }
    }
}

impl fmt::Debug for FileName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{self}")
    }
}
