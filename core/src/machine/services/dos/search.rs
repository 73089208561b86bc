//! Searching the disk by a pattern.

use super::{Answer, Dos, FileName, Frame, Refused, root_name};

/// Where what was found goes in the transfer area; what is in front is the services'.
const FOUND: u16 = 0x15;

/// Searches that are remembered.
const MOST: usize = 64;

/// A search: the pattern, and the name that was told last.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Search {
    pub pattern: [u8; 11],
    pub last: Option<FileName>,
}

/// The eleven characters of a pattern, stars spread out.
pub(super) fn pattern_of(name: &[u8]) -> [u8; 11] {
    let mut pattern = [b' '; 11];
    let (stem, ending) = match name.iter().rposition(|&byte| byte == b'.') {
        Some(at) => (&name[..at], &name[at + 1..]),
        None => (name, &[][..]),
    };
    for (part, place, width) in [(stem, 0, 8), (ending, 8, 3)] {
        for (at, &byte) in part.iter().take(width).enumerate() {
            if byte == b'*' {
                pattern[place + at..place + width].fill(b'?');
                break;
            }
            pattern[place + at] = byte.to_ascii_uppercase();
        }
    }
    pattern
}

impl Dos {
    /// The next file that a search finds.
    pub(super) fn next_of(&self, search: &Search) -> Option<FileName> {
        let fits = |name: &FileName| name.fits(search.pattern) && search.last.is_none_or(|last| *name > last);
        self.volume.names().find(fits)
    }

    pub(super) fn find_first(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let path = frame.text("DS", "DX");
        let pattern = pattern_of(root_name(&path)?);
        if self.searches.len() >= MOST {
            self.searches.remove(0);
        }
        self.searches.push(Search { pattern, last: None });
        let number = self.searches.len() - 1;
        self.tell(frame, number).map_err(|_| Refused::NoMoreFiles.into())
    }

    pub(super) fn find_next(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        // The pattern and the name stand in the transfer area, so that several searches may go on by turns.
        let (segment, offset) = self.process().transfer;
        let kept = frame.bytes(segment, offset, FOUND);
        let pattern: [u8; 11] = std::array::from_fn(|at| kept[at]);
        let number = usize::from(kept[11]);
        match self.searches.get(number).filter(|search| search.pattern == pattern) {
            Some(_) => self.tell(frame, number).map_err(|_| Refused::NoMoreFiles.into()),
            None => Err(Refused::NoMoreFiles.into()),
        }
    }

    /// Puts what a search finds next into the transfer area.
    fn tell(&mut self, frame: &mut Frame<'_, '_>, number: usize) -> Result<(), ()> {
        let search = self.searches[number].clone();
        let name = self.next_of(&search).ok_or(())?;
        self.searches[number].last = Some(name);
        let (segment, offset) = self.process().transfer;
        let size = self.volume.bytes(name).map_or(0, <[u8]>::len) as u32;
        let (date, time) = self.volume.stamp(name);
        let mut entry = search.pattern.to_vec();
        entry.push(number as u8);
        entry.resize(usize::from(FOUND), 0);
        entry.push(0x20);
        entry.extend(time.to_le_bytes());
        entry.extend(date.to_le_bytes());
        entry.extend(size.to_le_bytes());
        let mut text = name.to_string().into_bytes();
        text.resize(13, 0);
        entry.extend(text);
        frame.put_bytes(segment, offset, &entry);
        Ok(())
    }
}
