//! `inspect`: the facts of an image.

use super::print_json;
use crate::arguments::InspectArguments;
use crate::files::{self, Files};
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::Options;
use plain_byte::image::Format;
use plain_byte::processor::ALL;
use plain_byte::report::{holes, inspect, position};

pub fn run(arguments: &InspectArguments) -> Result<(), Failure> {
    let asked = open::cpu_option(arguments.cpu.as_deref())?;
    let at = open::origin(arguments.at.as_deref(), asked)?;
    let name = files::find(&arguments.image, &[&["asm"], open::IMAGE_ENDINGS].concat());
    if arguments.moved && !name.ends_with(".asm") {
        return Err(Failure::usage(
            "--moved needs a source, since an image cannot be assembled again",
            "name the .asm file",
        ));
    }
    let (facts, set) = if name.ends_with(".asm") {
        let mut options = Options::default().origin(at.unwrap_or(0));
        if let Some(set) = asked {
            options = options.set(set);
        }
        let assembly = open::source(&name, &options, None, &arguments.warnings)?;
        if arguments.moved {
            let position = position(&name, &mut Files, &options, &assembly).map_err(|error| {
                Failure::input(error.to_string(), "look for `align`, and for addresses that must not move")
            })?;
            if arguments.json {
                return print_json(&position);
            }
            let show = |address: u32| {
                assembly.set.map_or_else(|| format!("{address:04X}"), |set| set.address(address.into()))
            };
            return Ok(paint::show(&position.text(&show))?);
        }
        (inspect(&assembly.image, assembly.set, &assembly.regions), assembly.set)
    } else {
        let image = open::image(&name, at, 0)?;
        // A word has the width of one processor's cells.
        let by_width =
            || ALL.iter().copied().find(|set| set.cell_bits() > 8 && set.cell_bits() == image.cell_bits());
        let set = asked.or_else(by_width);
        (inspect(&image, set, &[]), set)
    };
    if arguments.json {
        return print_json(&facts);
    }
    let mut text = facts.text(set);
    let ending = std::path::Path::new(&name).extension().map(|ending| ending.to_string_lossy().into_owned());
    let is_tape = ending.as_deref().and_then(Format::of_ending).is_some_and(|format| format.tape);
    if is_tape || arguments.holes {
        let most = if arguments.holes { usize::MAX } else { FRAMES };
        text.append(holes(&files::must_read(&name)?, most));
    }
    Ok(paint::show(&text)?)
}

/// Frames of a tape that are drawn unasked.
const FRAMES: usize = 128;
