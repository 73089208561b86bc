//! What a command writes: all of it or nothing, and never over what it has read.

use super::parts::Part;
use super::{problem, was_read};
use crate::platform::{self, FileNumber};
use crate::say::Failure;
use std::fs::Metadata;
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};

/// Files that a command is going to write.
#[derive(Default)]
pub struct Outputs {
    list: Vec<(String, Vec<u8>)>,
    /// What was read may be written over.
    replaces: bool,
}

/// Where the bytes of an output go.
enum Place {
    /// To standard output.
    Standard,
    /// To a pipe or a device, as they come.
    Stream(PathBuf),
    /// Into a file, after any links; what is there now.
    File(PathBuf, Option<Metadata>),
}

/// What an output is told apart by.
#[derive(Debug, PartialEq, Eq)]
pub enum Identity {
    /// Of something that is there.
    Number(FileNumber),
    /// Of a file that is not there yet, or where files have no numbers.
    Path(PathBuf),
}

impl Identity {
    /// Of an existing file.
    pub fn of(facts: &Metadata, path: &Path) -> Self {
        let path = || Self::Path(path.canonicalize().unwrap_or_else(|_| path.to_path_buf()));
        platform::file_number(facts).map_or_else(path, Self::Number)
    }
}

/// Links that lead to links are followed so often.
const MOST_LINKS: usize = 40;

/// The file that a name leads to, which need not be there.
fn behind_links(name: &str) -> std::io::Result<PathBuf> {
    let mut path = PathBuf::from(name);
    for _ in 0..MOST_LINKS {
        match std::fs::read_link(&path) {
            Ok(target) => path = path.parent().unwrap_or(Path::new("")).join(target),
            Err(_) => return Ok(path),
        }
    }
    Err(std::io::Error::other("its links lead round in a circle"))
}

impl Place {
    fn of(name: &str) -> std::io::Result<Self> {
        if name == "-" {
            return Ok(Self::Standard);
        }
        // A link of the system to an open file leads nowhere by name; what is after it can be opened all the same.
        let path = match std::fs::metadata(name) {
            Ok(facts) if facts.is_dir() => return Err(ErrorKind::IsADirectory.into()),
            Ok(facts) if !facts.is_file() => return Ok(Self::Stream(PathBuf::from(name))),
            _ => behind_links(name)?,
        };
        if path.file_name().is_none() {
            return Err(std::io::Error::other("the name has no file in it"));
        }
        match std::fs::metadata(&path) {
            Ok(facts) if facts.permissions().readonly() => {
                Err(std::io::Error::new(ErrorKind::PermissionDenied, "it is read-only"))
            }
            Ok(facts) => Ok(Self::File(path, Some(facts))),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(Self::File(path, None)),
            Err(error) => Err(error),
        }
    }

    /// What makes two outputs the same; a stream takes any number.
    fn identity(&self) -> Option<Identity> {
        match self {
            Self::Standard => Some(Identity::Path(PathBuf::from("-"))),
            Self::Stream(_) => None,
            Self::File(path, Some(facts)) => Some(Identity::of(facts, path)),
            Self::File(path, None) => {
                let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
                let folder = folder.unwrap_or(Path::new(".")).canonicalize().unwrap_or_default();
                Some(Identity::Path(folder.join(path.file_name().unwrap_or_default())))
            }
        }
    }
}

/// A file that is written and not yet in its place.
struct Ready<'o> {
    name: &'o str,
    path: PathBuf,
    /// Its bytes, where the file that is there has to keep its place because others name it, too.
    into: Option<&'o [u8]>,
    part: Part,
}

fn failed(name: &str, error: &std::io::Error) -> Failure {
    let problem = match error.kind() {
        ErrorKind::NotFound => "there is no such folder".to_string(),
        ErrorKind::Other => error.to_string(),
        ErrorKind::PermissionDenied if error.get_ref().is_some() => error.to_string(),
        _ => problem(error),
    };
    let help = match problem.as_str() {
        "it is read-only" => "give another name, or make it writable",
        _ => "check the folder",
    };
    Failure::input(format!("{name} cannot be written: {problem}"), help)
}

impl Outputs {
    /// One more.
    pub fn add(&mut self, name: impl Into<String>, bytes: impl Into<Vec<u8>>) {
        self.list.push((name.into(), bytes.into()));
    }

    /// Writes a file over one that was read, because somebody says so.
    pub fn replacing(name: &str, bytes: &[u8]) -> Result<(), Failure> {
        let outputs = Self { list: vec![(name.to_string(), bytes.to_vec())], replaces: true };
        outputs.write()
    }

    /// The names, in order.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.list.iter().map(|(name, _)| name.as_str())
    }

    /// True where something goes to standard output.
    pub fn prints(&self) -> bool {
        self.names().any(|name| name == "-")
    }

    /// Looks at where everything goes, before the first byte.
    fn places(&self) -> Result<Vec<Place>, Failure> {
        let mut places: Vec<(Option<Identity>, Place)> = Vec::new();
        for name in self.names() {
            let place = Place::of(name).map_err(|error| failed(name, &error))?;
            let identity = place.identity();
            let other = places.iter().position(|one| one.0.is_some() && one.0 == identity);
            if let Some(other) = other {
                let other = &self.list[other].0;
                let message = match name {
                    "-" => "two outputs go to standard output".to_string(),
                    name if name == other => format!("two outputs go to {name}"),
                    name => format!("{other} and {name} are the same file"),
                };
                return Err(Failure::usage(message, "nothing was written; give each a name of its own"));
            }
            if let (Some(identity), Place::File(..), false) = (&identity, &place, self.replaces)
                && let Some(read) = was_read(identity)
            {
                let what = if read == name { String::new() } else { format!(", which is {read}") };
                let message = format!("{name} was read{what}, and is not written over");
                return Err(Failure::usage(message, "nothing was written; give the output another name"));
            }
            places.push((identity, place));
        }
        Ok(places.into_iter().map(|one| one.1).collect())
    }

    /// Looks whether everything may go where it is to, before somebody works for hours at what goes there.
    pub fn check(&self) -> Result<(), Failure> {
        self.places().map(|_| ())
    }

    /// Writes everything, or nothing: files appear whole and together once all of them are on the disk.
    pub fn write(&self) -> Result<(), Failure> {
        let places = self.places()?;
        let all = self.list.iter().zip(&places);
        let mut ready = Vec::new();
        for ((name, bytes), place) in all.clone() {
            if let Place::File(path, facts) = place {
                ready.extend(
                    prepared(name, path, facts.as_ref(), bytes).map_err(|error| failed(name, &error))?,
                );
            }
        }
        // What cannot be taken back comes first.
        for ((name, bytes), place) in all {
            let written = match place {
                Place::Standard => print(bytes),
                Place::Stream(path) => stream(path, bytes),
                Place::File(..) => Ok(()),
            };
            written.map_err(|error| match error.kind() {
                ErrorKind::BrokenPipe => Failure::Closed,
                _ => failed(name, &error),
            })?;
        }
        appear(ready)
    }
}

fn print(bytes: &[u8]) -> std::io::Result<()> {
    let mut out = std::io::stdout().lock();
    out.write_all(bytes).and_then(|()| out.flush())
}

fn stream(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
    std::fs::OpenOptions::new().write(true).open(path)?.write_all(bytes)
}

/// The file with its new bytes, beside its place; none where it has them already.
fn prepared<'o>(
    name: &'o str,
    path: &Path,
    facts: Option<&Metadata>,
    bytes: &'o [u8],
) -> std::io::Result<Option<Ready<'o>>> {
    let Some(facts) = facts else {
        let part = Part::written(path, bytes, false)?;
        return Ok(Some(Ready { name, path: path.to_path_buf(), into: None, part }));
    };
    if facts.len() == bytes.len() as u64 && std::fs::read(path).is_ok_and(|old| old == bytes) {
        return Ok(None);
    }
    let part = Part::written(path, bytes, true)?;
    std::fs::set_permissions(part.path(), facts.permissions())?;
    let into = (!platform::takes_over(facts, part.path())).then_some(bytes);
    Ok(Some(Ready { name, path: path.to_path_buf(), into, part }))
}

/// Puts every file into its place; where one cannot be, those before it are what they were.
fn appear(ready: Vec<Ready<'_>>) -> Result<(), Failure> {
    let mut done: Vec<(PathBuf, Option<Part>, Option<Vec<u8>>)> = Vec::new();
    for Ready { name, path, into, part } in ready {
        let placed = match into {
            // The other names stay names of it.
            Some(bytes) => std::fs::read(&path).and_then(|old| {
                done.push((path.clone(), None, Some(old)));
                std::fs::write(&path, bytes)
            }),
            None => {
                let is_new = !path.exists();
                // Where files have no second names, what was there cannot be had back.
                let before = if is_new { None } else { Part::kept(&path).ok() };
                part.becomes(&path).map(|()| {
                    if is_new || before.is_some() {
                        done.push((path.clone(), before, None));
                    }
                })
            }
        };
        if let Err(error) = placed {
            for (path, before, old) in done.into_iter().rev() {
                let _ = match (before, old) {
                    (_, Some(old)) => std::fs::write(&path, old),
                    (Some(before), None) => before.becomes(&path),
                    (None, None) => std::fs::remove_file(&path),
                };
            }
            return Err(failed(name, &error));
        }
    }
    Ok(())
}
