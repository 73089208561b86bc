//! `inspect`: the facts of an image.

use super::print_json;
use crate::arguments::InspectArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::Options;
use plain_byte::report::inspect;

pub fn run(arguments: &InspectArguments) -> Result<(), Failure> {
    let asked = open::cpu_option(arguments.cpu.as_deref())?;
    let at = open::origin(arguments.at.as_deref(), asked)?;
    let name = files::find(&arguments.image, &[&["asm"], open::IMAGE_ENDINGS].concat());
    let (facts, set) = if name.ends_with(".asm") {
        let mut options = Options::default().origin(at.unwrap_or(0));
        if let Some(set) = asked {
            options = options.set(set);
        }
        let assembly = open::source(&name, &options, None, &arguments.warnings)?;
        (inspect(&assembly.image, assembly.set, &assembly.regions), assembly.set)
    } else {
        (inspect(&open::image(&name, at, 0)?, asked, &[]), asked)
    };
    if arguments.json {
        return print_json(&facts);
    }
    Ok(paint::show(&facts.text(set))?)
}
