//! A folder that is held open: its files are reached beneath it only, whatever links anybody puts there meanwhile.

use crate::files::parts::Part;
use crate::platform::OpenFolder;
use std::ffi::OsString;
use std::io::{ErrorKind, Read};
use std::path::PathBuf;

/// The folder.
pub struct Folder {
    folder: OpenFolder,
}

impl Folder {
    /// Opens it.
    pub fn open(name: &str) -> std::io::Result<Self> {
        Ok(Self { folder: OpenFolder::open(PathBuf::from(name))? })
    }

    /// The names of what may be files, in order; one more than `most` where there are more.
    pub fn names(&self, most: usize) -> std::io::Result<Vec<OsString>> {
        let mut names = Vec::new();
        for entry in std::fs::read_dir(self.folder.path())?.take(4 * most) {
            let entry = entry?;
            if entry.file_type()?.is_file() {
                names.push(entry.file_name());
            }
            if names.len() > most {
                break;
            }
        }
        names.sort();
        Ok(names)
    }

    /// At most so many bytes of a file; `None` where no file of the folder itself has that name.
    pub fn read(&self, name: &str, most: usize) -> std::io::Result<Option<Vec<u8>>> {
        let Some(file) = self.file(name)? else { return Ok(None) };
        let mut bytes = Vec::new();
        file.take(most as u64).read_to_end(&mut bytes)?;
        Ok(Some(bytes))
    }

    /// Writes a file, whole or not at all, with the rights that it has; one that is read-only stays what it is.
    pub fn write(&self, name: &str, bytes: &[u8]) -> std::io::Result<()> {
        let before = self.file(name)?.map(|file| file.metadata()).transpose()?;
        if before.as_ref().is_some_and(|facts| facts.permissions().readonly()) {
            return Err(ErrorKind::PermissionDenied.into());
        }
        let part = self.part(bytes, before.is_some())?;
        if let Some(facts) = before {
            std::fs::set_permissions(part.path(), facts.permissions())?;
        }
        self.place(part, name)
    }

    /// Writes it under a name like it that nothing has, and tells that name.
    pub fn write_beside(&self, name: &str, bytes: &[u8]) -> std::io::Result<String> {
        let numbers = std::iter::once(String::new()).chain((2..1000).map(|number| format!("-{number}")));
        for number in numbers {
            let beside = format!("{name}.changed{number}");
            match self.file(&beside) {
                Ok(None) => {
                    self.place(self.part(bytes, true)?, &beside)?;
                    return Ok(beside);
                }
                // What the program wrote before is there already.
                Ok(Some(mut file)) => {
                    let mut there = Vec::new();
                    file.read_to_end(&mut there)?;
                    if there == bytes {
                        return Ok(beside);
                    }
                }
                Err(_) => {}
            }
        }
        Err(std::io::Error::other("there are a thousand changed ones already"))
    }
}

impl Folder {
    fn file(&self, name: &str) -> std::io::Result<Option<std::fs::File>> {
        self.folder.file(name)
    }

    /// The bytes in a file of the folder that is to become another; `private` until it has the other's rights.
    fn part(&self, bytes: &[u8], private: bool) -> std::io::Result<Part> {
        Part::written(&self.folder.here().join("part"), bytes, private)
    }

    fn place(&self, part: Part, name: &str) -> std::io::Result<()> {
        part.becomes(&self.folder.here().join(name))
    }

    /// Removes a file.
    pub fn remove(&self, name: &str) -> std::io::Result<()> {
        self.folder.remove(name)
    }
}
