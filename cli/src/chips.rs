//! Memory chips in files: read, and put into a board's sockets.

use crate::files;
use crate::open;
use crate::say::Failure;
use plain_byte::image::{Cell, roms};
use plain_byte::prom::Chip;
use plain_byte::session::Session;
use std::path::Path;

/// A chip out of its file.
pub fn load(file: &str) -> Result<Chip, Failure> {
    let text = String::from_utf8(files::must_read(file)?);
    let text = text.map_err(|_| {
        Failure::input(format!("{file} is not a chip: it is not text"), "name a file that `burn new` made")
    })?;
    Chip::from_file(&text).map_err(|error| {
        Failure::input(
            format!("{file}: {error}"),
            "name a file that `burn new` made; a damaged chip is thrown away",
        )
    })
}

/// The bytes of a chip that lives in a file, or was read back: bare bytes, or an image whose addresses begin with the chip's first cell.
pub fn bytes_of(file: &str, size: u32) -> Result<Vec<u8>, Failure> {
    if file.ends_with(".chip") {
        return Ok(load(file)?.cells().to_vec());
    }
    let image = open::image(file, None, 0)?;
    let first = image.bounds().map_or(0, |bounds| bounds.0);
    let begin = first.checked_div(size).map_or(0, |whole| whole * size);
    let end = image.bounds().map_or(0, |bounds| bounds.1 - begin) + 1;
    let has_addresses = Path::new(file).extension().is_none_or(|ending| ending != "bin");
    let mut bytes = vec![0xFF; if has_addresses { end.max(size) } else { end } as usize];
    for segment in image.segments() {
        for (at, &cell) in (segment.start - begin..).zip(&segment.cells) {
            bytes[at as usize] = cell as u8;
        }
    }
    Ok(bytes)
}

/// An option's two sides, with a sign between.
pub fn sides<'t>(option: &str, text: &'t str, example: &str) -> Result<(&'t str, &'t str), Failure> {
    match text.split_once('=') {
        Some((left, right)) if !left.is_empty() && !right.is_empty() => Ok((left, right)),
        _ => Err(Failure::usage(format!("{option} {text} has no file"), format!("write {example}"))),
    }
}

/// Puts a chip, or several side by side, into the socket of a memory that the board names.
pub fn plug(session: &mut Session, text: &str) -> Result<(), Failure> {
    let (memory, list) = sides("--chip", text, "--chip rom=lamp.chip")?;
    let areas = session.machine().areas();
    let Some(area) = areas.iter().find(|area| area.name.as_deref() == Some(memory)).cloned() else {
        let names: Vec<&str> = areas.iter().filter_map(|area| area.name.as_deref()).collect();
        let help = match names.as_slice() {
            [] => "its memories have no names; give one `name` in its description".to_string(),
            names => format!("its sockets are {}", names.join(", ")),
        };
        let board = &session.machine().board().name;
        return Err(Failure::usage(format!("the board {board} has no socket `{memory}`"), help));
    };
    let room = (area.last - area.first + 1) as usize;
    let files: Vec<&str> = list.split(',').collect();
    let each = (room / files.len()) as u32;
    let chips = files.iter().map(|file| bytes_of(file, each)).collect::<Result<Vec<_>, _>>()?;
    let bytes: Vec<u8> = if let [one] = chips.as_slice() {
        one.clone()
    } else {
        let image = roms::join(&chips, files.len(), 0).map_err(|errors| open::unreadable(list, &errors))?;
        image.segments().iter().flat_map(|one| one.cells.iter().map(|&cell| cell as u8)).collect()
    };
    if bytes.len() > room {
        let message = format!("{list} has {} bytes, and the socket `{memory}` has {room}", bytes.len());
        return Err(Failure::input(message, "take a smaller chip, or a board with a larger socket"));
    }
    // A smaller chip comes again and again: the lines that it lacks are not looked at.
    let cells: Vec<Cell> = bytes.iter().cycle().take(room).map(|&byte| Cell::from(byte)).collect();
    session
        .put(area.first, &cells)
        .map_err(|error| Failure::input(error.to_string(), "look at the board's memory"))
}
