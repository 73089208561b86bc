//! `inspect`: the facts of an image.

use super::print_json;
use crate::arguments::InspectArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::report::inspect;

pub fn run(arguments: &InspectArguments) -> Result<(), Failure> {
    let set = open::cpu_option(arguments.cpu.as_deref())?;
    let at = match &arguments.at {
        Some(at) => open::number("--at", at, set, &NoNames)?,
        None => 0,
    };
    let at = u32::try_from(at)
        .map_err(|_| Failure::usage(format!("--at {at} is no address"), "give 0 or more"))?;
    let image = open::image(&files::find(&arguments.image, &["hex", "bin"]), at)?;
    let facts = inspect(&image);
    if arguments.json {
        return print_json(&facts);
    }
    Ok(paint::show(&facts.text(set))?)
}
