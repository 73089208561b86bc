//! A disk's files, in memory: whoever owns the machine fills it from a folder and writes back what has changed.

use super::FileName;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Bytes of a record, the unit in which files are read and written.
pub(crate) const RECORD: usize = 128;

/// What fills the rest of a text's last record.
const END_OF_TEXT: u8 = 0x1A;

/// The first of January 1980, at midnight.
const FIRST_STAMP: (u16, u16) = (0x21, 0);

/// A file.
#[derive(Debug, Clone, PartialEq, Eq)]
struct File {
    /// What it is called outside, where it came from there.
    host: Option<String>,
    bytes: Arc<Vec<u8>>,
    changed: bool,
    /// When it was written last: date and time as a directory keeps them.
    stamp: (u16, u16),
    /// What it held when the program last closed it.
    closed: Option<Arc<Vec<u8>>>,
}

impl File {
    fn of(host: Option<String>, bytes: Vec<u8>) -> Self {
        let changed = host.is_none();
        Self { host, bytes: Arc::new(bytes), changed, stamp: FIRST_STAMP, closed: None }
    }

    /// What the program wrote since it last closed it.
    fn unfinished(&self) -> Option<&Arc<Vec<u8>>> {
        let is_closed = self.closed.as_ref().is_some_and(|closed| Arc::ptr_eq(closed, &self.bytes));
        (self.changed && !is_closed).then_some(&self.bytes)
    }
}

/// What has to be done outside so that a folder has the files of the disk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FileChange {
    /// The file of this name has this content: the program has closed it.
    Write(String, Arc<Vec<u8>>),
    /// The program is writing this, and has not closed it.
    Unfinished(String, Arc<Vec<u8>>),
    /// There is no file of this name any more.
    Remove(String),
}

/// The files of a disk.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Volume {
    files: BTreeMap<FileName, File>,
    /// Files from outside that are gone, by their names there.
    removed: Vec<String>,
    /// Bytes that all files may have together.
    capacity: usize,
    writable: bool,
    /// How often a file was closed.
    closes: u64,
}

/// No room is left on the disk.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Full;

/// Why a file from outside cannot be put onto the disk.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NoPlace {
    /// The disk has no such names.
    #[error("`{0}` is not a name of eight characters, a point and three")]
    Name(String),
    /// Another file has its name there.
    #[error("`{file}` and `{other}` are both {name}")]
    Same {
        /// The file.
        file: String,
        /// The one that is there.
        other: String,
        /// The name that both have.
        name: FileName,
    },
    /// The disk is full.
    #[error("`{file}` has no room on the disk, which holds {capacity} bytes")]
    Room {
        /// The file.
        file: String,
        /// Bytes that the disk holds.
        capacity: usize,
    },
}

/// Bytes of a whole record take room even where a file ends inside it.
fn room(bytes: usize) -> usize {
    bytes.div_ceil(RECORD) * RECORD
}

impl Volume {
    /// What a disk holds where nobody says otherwise.
    pub const CAPACITY: usize = 8 << 20;

    /// An empty disk of so many bytes.
    pub fn new(capacity: usize, writable: bool) -> Self {
        Self { capacity, writable, ..Self::default() }
    }

    /// True where programs may change it.
    pub fn is_writable(&self) -> bool {
        self.writable
    }

    /// Puts a file from outside onto it.
    ///
    /// # Errors
    /// [`NoPlace`], which says why it has none there.
    pub fn add(&mut self, host: &str, bytes: Vec<u8>) -> Result<(), NoPlace> {
        let file = || host.to_string();
        let name = FileName::of_host(host).ok_or_else(|| NoPlace::Name(file()))?;
        if let Some(File { host: Some(other), .. }) = self.files.get(&name) {
            return Err(NoPlace::Same { file: file(), other: other.clone(), name });
        }
        if self.used() + room(bytes.len()) > self.capacity {
            return Err(NoPlace::Room { file: file(), capacity: self.capacity });
        }
        self.files.insert(name, File::of(Some(host.to_string()), bytes));
        Ok(())
    }

    /// Bytes that all files may have together.
    pub fn capacity(&self) -> usize {
        self.capacity
    }

    /// How often the program has closed a file: where it has, there may be something to be written back.
    pub fn closes(&self) -> u64 {
        self.closes
    }

    /// The program closes a file.
    pub(in crate::machine) fn close(&mut self, name: FileName) {
        self.closes += 1;
        if let Some(file) = self.files.get_mut(&name).filter(|file| file.changed) {
            file.closed = Some(Arc::clone(&file.bytes));
        }
    }

    /// What was put onto it from outside: the names there, and the bytes.
    pub fn from_outside(&self) -> impl Iterator<Item = (&str, &Arc<Vec<u8>>)> {
        self.files.values().filter_map(|file| Some((file.host.as_deref()?, &file.bytes)))
    }

    /// The names in order.
    pub fn names(&self) -> impl Iterator<Item = FileName> {
        self.files.keys().copied()
    }

    /// The bytes of a file.
    pub fn bytes(&self, name: FileName) -> Option<&[u8]> {
        self.files.get(&name).map(|file| file.bytes.as_slice())
    }

    /// A file as a text, up to where its last record is only filled up.
    pub fn text(&self, name: FileName) -> Option<String> {
        let bytes = self.bytes(name)?;
        let end = bytes.iter().rposition(|&byte| byte != END_OF_TEXT).map_or(0, |at| at + 1);
        Some(String::from_utf8_lossy(&bytes[..end]).into_owned())
    }

    /// What has to be done outside.
    pub fn changes(&self) -> Vec<FileChange> {
        let mut changes = Vec::new();
        for (name, file) in &self.files {
            let host = || file.host.clone().unwrap_or_else(|| name.host_name());
            let closed = file.closed.iter().map(|bytes| FileChange::Write(host(), Arc::clone(bytes)));
            let unfinished = file.unfinished().map(|bytes| FileChange::Unfinished(host(), Arc::clone(bytes)));
            changes.extend(closed.chain(unfinished));
        }
        // What is written first loses nothing where it cannot be, and what is not finished takes nothing away.
        let is_taken = |gone: &String| {
            self.files.iter().any(|(name, file)| {
                let is_begun = file.closed.is_none() && FileName::of_host(gone) == Some(*name);
                is_begun || file.host.as_ref().unwrap_or(&name.host_name()) == gone
            })
        };
        let removed = self.removed.iter().filter(|name| !is_taken(name));
        changes.extend(removed.map(|name| FileChange::Remove(name.clone())));
        changes
    }

    /// Bytes that its files have together.
    pub fn used(&self) -> usize {
        self.files.values().map(|file| room(file.bytes.len())).sum()
    }

    /// A file without content, in the place of one of that name.
    pub(in crate::machine) fn make(&mut self, name: FileName) {
        let host = self.files.remove(&name).and_then(|file| file.host);
        self.files.insert(name, File { changed: true, ..File::of(host, Vec::new()) });
    }

    pub(in crate::machine) fn remove(&mut self, name: FileName) {
        if let Some(host) = self.files.remove(&name).and_then(|file| file.host) {
            self.removed.push(host);
        }
    }

    /// False where there is no such file, or one of the new name.
    pub(in crate::machine) fn rename(&mut self, from: FileName, to: FileName) -> bool {
        if self.files.contains_key(&to) {
            return false;
        }
        let Some(file) = self.files.remove(&from) else { return false };
        self.removed.extend(file.host);
        // What came from outside is whole.
        let closed = file.closed.or_else(|| (!file.changed).then(|| Arc::clone(&file.bytes)));
        self.files
            .insert(to, File { host: None, bytes: file.bytes, changed: true, stamp: file.stamp, closed });
        true
    }

    /// How many records a file has.
    pub(in crate::machine) fn records(&self, name: FileName) -> Option<usize> {
        self.bytes(name).map(|bytes| bytes.len().div_ceil(RECORD))
    }

    /// A record of a file; what is missing of the last one is filled up.
    pub(in crate::machine) fn read(&self, name: FileName, record: usize) -> Option<[u8; RECORD]> {
        let bytes = self.bytes(name)?.get(record * RECORD..).filter(|bytes| !bytes.is_empty())?;
        let mut read = [END_OF_TEXT; RECORD];
        let count = bytes.len().min(RECORD);
        read[..count].copy_from_slice(&bytes[..count]);
        Some(read)
    }

    /// When a file was written last: date and time as a directory keeps them.
    pub(in crate::machine) fn stamp(&self, name: FileName) -> (u16, u16) {
        self.files.get(&name).map_or(FIRST_STAMP, |file| file.stamp)
    }

    /// Says when a file was written.
    pub(in crate::machine) fn set_stamp(&mut self, name: FileName, stamp: (u16, u16)) {
        if let Some(file) = self.files.get_mut(&name) {
            file.stamp = stamp;
        }
    }

    /// Makes a file so long; what comes is 0. `Ok(false)` where there is no such file.
    pub(in crate::machine) fn resize(&mut self, name: FileName, size: usize) -> Result<bool, Full> {
        let used = self.used();
        let Some(file) = self.files.get_mut(&name) else { return Ok(false) };
        let old = room(file.bytes.len());
        if room(size) > old && used - old + room(size) > self.capacity {
            return Err(Full);
        }
        Arc::make_mut(&mut file.bytes).resize(size, 0);
        file.changed = true;
        Ok(true)
    }

    /// Writes bytes at a place of a file; what lies between it and the end of the file is 0. `Ok(false)` where there is no such file.
    pub(in crate::machine) fn write_at(
        &mut self,
        name: FileName,
        at: usize,
        data: &[u8],
    ) -> Result<bool, Full> {
        let Some(end) = at.checked_add(data.len()).filter(|&end| end <= self.capacity) else {
            return Err(Full);
        };
        let length = self.bytes(name).map_or(0, <[u8]>::len);
        if !self.resize(name, length.max(end))? {
            return Ok(false);
        }
        if let Some(file) = self.files.get_mut(&name) {
            Arc::make_mut(&mut file.bytes)[at..end].copy_from_slice(data);
        }
        Ok(true)
    }

    /// Writes a record; what lies between it and the end of the file is 0. `Ok(false)` where there is no such file.
    pub(in crate::machine) fn write(
        &mut self,
        name: FileName,
        record: usize,
        data: &[u8; RECORD],
    ) -> Result<bool, Full> {
        let used = self.used();
        let Some(file) = self.files.get_mut(&name) else { return Ok(false) };
        let end = (record + 1) * RECORD;
        let old = room(file.bytes.len());
        if end > old && used - old + end > self.capacity {
            return Err(Full);
        }
        let bytes = Arc::make_mut(&mut file.bytes);
        if bytes.len() < end {
            if bytes.len() % RECORD != 0 {
                // The last record of a text from outside.
                bytes.resize(old, END_OF_TEXT);
            }
            bytes.resize(end, 0);
        }
        bytes[record * RECORD..end].copy_from_slice(data);
        file.changed = true;
        Ok(true)
    }
}
