//! A folder as the disk of a machine: its files are read before the run, and what has changed is written back behind it, each file
//! whole or not at all.

use crate::arguments::DiskArguments;
use crate::files;
use crate::paint;
use crate::say::Failure;
use plain_byte::machine::services::transient::{FileChange, FileName, Volume};
use plain_byte::session::Session;
use std::path::Path;

/// The disk that the arguments ask for; an empty one that may not be written without a folder.
pub fn open(arguments: &DiskArguments) -> Result<Volume, Failure> {
    let mut volume = Volume::new(Volume::CAPACITY, arguments.writable);
    let Some(folder) = &arguments.disk else { return Ok(volume) };
    let unreadable =
        |error: std::io::Error| Failure::input(format!("{folder}: {error}"), "name a folder with --disk");
    let mut names = Vec::new();
    for entry in std::fs::read_dir(folder).map_err(unreadable)? {
        let entry = entry.map_err(unreadable)?;
        // What is no file of the folder itself, a link out of it among them, is not on the disk.
        if entry.file_type().map_err(unreadable)?.is_file() {
            names.push(entry.file_name());
        }
    }
    names.sort();
    let mut others = Vec::new();
    for name in names {
        let path = Path::new(folder).join(&name);
        let Some(name) = name.to_str().filter(|name| FileName::of_host(name).is_some()) else {
            others.push(name.to_string_lossy().into_owned());
            continue;
        };
        let size = std::fs::metadata(&path).map_err(unreadable)?.len();
        let bytes = if size > Volume::CAPACITY as u64 {
            vec![0; Volume::CAPACITY + 1]
        } else {
            std::fs::read(&path).map_err(unreadable)?
        };
        if let Err(problem) = volume.add(name, bytes) {
            paint::warn(&format!("{problem}; it is not on the disk"));
        }
    }
    not_on_it(&others);
    Ok(volume)
}

/// Tells which files are not on the disk because of their names; in a folder full of others only the first few.
fn not_on_it(names: &[String]) {
    const NAMED: usize = 4;
    let quoted: Vec<String> = names.iter().take(NAMED).map(|name| format!("`{name}`")).collect();
    let list = quoted.join(", ");
    match names.len() {
        0 => {}
        1 => paint::warn(&format!(
            "{list} is no name of eight characters, a point and three; it is not on the disk"
        )),
        count => {
            let more = if count > NAMED { " and others" } else { "" };
            let why = "have no names of eight characters, a point and three; they are not on the disk";
            paint::warn(&format!("{count} files {why}: {list}{more}"));
        }
    }
}

/// Writes back what the program has changed.
pub fn save(session: &Session, arguments: &DiskArguments) -> Result<(), Failure> {
    let (Some(folder), Some(volume)) = (&arguments.disk, session.machine().disk()) else { return Ok(()) };
    for change in volume.changes() {
        match change {
            FileChange::Write(name, bytes) => {
                files::must_write(&Path::new(folder).join(name).to_string_lossy(), &bytes)?;
            }
            FileChange::Remove(name) => {
                let path = Path::new(folder).join(name);
                std::fs::remove_file(&path).map_err(|error| {
                    Failure::input(
                        format!("{} cannot be removed: {error}", path.display()),
                        "check the folder",
                    )
                })?;
            }
        }
    }
    Ok(())
}
