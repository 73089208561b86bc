//! `convert`: images from one form to another.

use super::build::{kind_of, parse_output, sums_of};
use super::cassette;
use crate::arguments::ConvertArguments;
use crate::files::{self, Outputs};
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::translate;
use plain_byte::image::{Image, roms};
use plain_byte::processor;
use plain_byte::text::{Text, Tone};

pub fn run(arguments: &ConvertArguments) -> Result<(), Failure> {
    if let Some(processor) = &arguments.mnemonics {
        return mnemonics(arguments, processor);
    }
    let wanted = arguments.output.iter().map(|output| parse_output(output)).collect::<Result<Vec<_>, _>>()?;
    let (image, is_whole) = read(arguments)?;
    let mut files = Vec::new();
    for output in wanted {
        files.extend(output.files(&image)?);
    }
    let mut outputs = Outputs::default();
    files.iter().for_each(|(file, bytes)| outputs.add(file, bytes.as_slice()));
    outputs.write()?;
    // What of a tape could not be read was told.
    let done = if is_whole { Ok(()) } else { Err(Failure::Said(1)) };
    if outputs.prints() {
        return done;
    }
    if arguments.json {
        let files: Vec<&String> = files.iter().map(|row| &row.0).collect();
        super::print_json(&serde_json::json!({ "files": files, "segments": image.segments() }))?;
        return done;
    }
    let mut text = Text::new();
    let places: Vec<String> =
        image.segments().iter().map(|one| format!("{:04X}..{:04X}", one.start, one.end() - 1)).collect();
    text.line().tone(Tone::Strong, arguments.image.join(" "));
    text.put(format!(": {} cells at {}", image.cells(), places.join(", ")));
    for (file, bytes) in &files {
        text.line().tone(Tone::Faint, "  wrote ").put(file).tone(Tone::Faint, sums_of(bytes));
    }
    paint::report(&text)?;
    done
}

/// A source in the mnemonics of another processor, to a file named with `--output FILE` or to standard output. What cannot be
/// rewritten is told, and nothing is written then.
fn mnemonics(arguments: &ConvertArguments, processor: &str) -> Result<(), Failure> {
    let to = open::cpu(processor)?;
    let from = to.identity.ancestors.first().map(|name| open::cpu(name)).transpose()?;
    let Some(from) = from else {
        let help = "z80 takes the programs of the 8080 and 8085";
        return Err(Failure::usage(format!("nothing can be rewritten for the {}", to.name()), help));
    };
    let ([name], [] | [_]) = (arguments.image.as_slice(), arguments.output.as_slice()) else {
        return Err(Failure::usage("--mnemonics rewrites one source into one file", "name them one by one"));
    };
    let name = files::find(name, &["asm"]);
    let source = String::from_utf8(files::must_read(&name)?)
        .map_err(|_| Failure::input(format!("{name} is not UTF-8 text"), "name a source"))?;
    // What only the 8085 has is told as what the other processor lacks.
    let family = processor::find("8085").unwrap_or(from);
    let translation = translate(&source, family, to);
    if !translation.left.is_empty() {
        for (line, problem) in &translation.left {
            paint::complain(&format!("{name}, line {line}: {problem}"), "write it anew for that processor");
        }
        return Err(Failure::Said(1));
    }
    for (old, new) in &translation.renamed {
        paint::warn(&format!("`{old}` is a word of the {}; the symbol is now `{new}`", to.name()));
    }
    match arguments.output.first() {
        Some(file) => {
            files::must_write(file.strip_prefix("asm:").unwrap_or(file), translation.text.as_bytes())
        }
        None => files::must_write("-", translation.text.as_bytes()),
    }
}

/// Every input, put together, and whether that is all of it: a worn tape is read as far as it goes.
fn read(arguments: &ConvertArguments) -> Result<(Image, bool), Failure> {
    let named = open::cpu_option(arguments.cpu.as_deref())?;
    let board =
        arguments.board.as_ref().map(|board| open::board(board, named)).transpose()?.map(|one| one.board);
    let set = named.or(board.as_ref().map(|board| board.set));
    let at = open::origin(arguments.at.as_deref(), set)?.or(board.map(|board| board.load));
    let names: Vec<String> =
        arguments.image.iter().map(|name| files::find(name, open::IMAGE_ENDINGS)).collect();
    if let Some(lanes) = arguments.lanes {
        let chips = names.iter().map(|name| chip_bytes(name)).collect::<Result<Vec<_>, _>>()?;
        return roms::join(&chips, lanes.into(), at.unwrap_or(0))
            .map(|image| (image, true))
            .map_err(|errors| open::unreadable(&names.join(", "), &errors));
    }
    let from = arguments.from.as_deref().map(kind_of).transpose()?;
    let of_tape = |name: &String| match &from {
        Some((format, _)) => format.name == "cassette",
        None => cassette::is_recording(name),
    };
    if names.iter().all(of_tape) {
        let settings = from.map(|row| row.1).unwrap_or_default();
        return cassette::image(&names, &at.map_or(settings.clone(), |at| settings.first(at)));
    }
    let mut pieces = Vec::new();
    let mut entry = None;
    let mut next = at;
    for name in &names {
        let image = match &from {
            Some((format, settings)) => {
                let settings = next.map_or(settings.clone(), |next| settings.clone().first(next));
                format
                    .read(&files::must_read(name)?, &settings)
                    .map_err(|errors| open::unreadable(name, &errors))?
            }
            None => open::image(name, next, 0)?,
        };
        // Files without addresses of their own stand one after the other.
        next = next.and(image.bounds()).and_then(|(_, last)| last.checked_add(1));
        entry = entry.or(image.entry_place());
        pieces.extend(image.segments().iter().cloned());
    }
    let (mut image, overlaps) = Image::from_pieces(8, pieces)
        .map_err(|error| Failure::input(error.to_string(), "the files are joined as bytes"))?;
    if let Some(overlap) = overlaps.first() {
        let help = "for chips side by side or after each other give --lanes, else another --at";
        return Err(Failure::input(format!("the files overlap: {overlap}"), help));
    }
    image.set_entry_place(entry);
    Ok((image, true))
}

/// The bytes of a chip: of one that lives in a file its cells, else the file.
fn chip_bytes(name: &str) -> Result<Vec<u8>, Failure> {
    match name.ends_with(".chip") {
        true => Ok(crate::chips::load(name)?.cells().to_vec()),
        false => files::must_read(name),
    }
}
