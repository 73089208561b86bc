//! `inspect`: the facts of an image.

use super::print_json;
use crate::arguments::InspectArguments;
use crate::files::{self, Files};
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::Options;
use plain_byte::report::{inspect, position};

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
        (inspect(&open::image(&name, at, 0)?, asked, &[]), asked)
    };
    if arguments.json {
        return print_json(&facts);
    }
    Ok(paint::show(&facts.text(set))?)
}
