//! A file as the floppy disk in the drive: read before the run, and written back whole where a program has changed it and may.

use crate::arguments::DiskArguments;
use crate::files::{self, Outputs};
use crate::paint;
use crate::say::Failure;
use plain_byte::machine::services::dos::Floppy;
use plain_byte::session::Session;
use std::sync::Mutex;

/// The file of the disk in the drive, and how many bytes it had. There is one machine at a time.
static IN_DRIVE: Mutex<Option<(String, usize)>> = Mutex::new(None);

/// Puts the disk of `--drive` into the drive.
pub fn insert(session: &mut Session, arguments: &DiskArguments) -> Result<(), Failure> {
    if arguments.writable && arguments.disk.is_none() && arguments.drive.is_none() {
        let message = "--writable lets a program change files, and there are none";
        return Err(Failure::usage(message, "add --disk FOLDER or --drive FILE"));
    }
    let Some(file) = &arguments.drive else { return Ok(()) };
    let bytes = files::must_read(file)?;
    let length = bytes.len();
    let help = "give the image of a whole disk, or a boot sector: --drive boot.img";
    let floppy = Floppy::new(bytes, arguments.writable)
        .map_err(|error| Failure::input(format!("{file}: {error}"), help))?;
    if !session.insert_floppy(&floppy) {
        let message = format!("the board {} has no drive for it", session.machine().board().name);
        return Err(Failure::usage(message, "`plainbyte boards` shows what the boards have"));
    }
    if let Ok(mut in_drive) = IN_DRIVE.lock() {
        *in_drive = Some((file.clone(), length));
    }
    Ok(())
}

/// Writes the disk back, where a program has changed it.
///
/// # Errors
/// Where its file cannot be written.
pub fn save(session: &Session) -> Result<(), Failure> {
    let Ok(in_drive) = IN_DRIVE.lock() else { return Ok(()) };
    let (Some((file, length)), Some(floppy)) = (in_drive.as_ref(), session.machine().floppy()) else {
        return Ok(());
    };
    if !floppy.is_changed() || !floppy.is_writable() {
        return Ok(());
    }
    // A file that had its first sector only keeps that form as long as no other was written.
    let bytes = floppy.bytes();
    let kept = if bytes[*length..].iter().all(|&byte| byte == 0) { *length } else { bytes.len() };
    Outputs::replacing(file, &bytes[..kept])?;
    paint::show(&plain_byte::text::Text::plain(format!("the disk is written back to {file}")))?;
    Ok(())
}
