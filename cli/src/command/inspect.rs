//! `inspect`: the facts of an image.

use super::print_json;
use crate::arguments::InspectArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::report::inspect;

pub fn run(arguments: &InspectArguments) -> Result<(), Failure> {
    let set = open::cpu_option(arguments.cpu.as_deref())?;
    let at = open::origin(arguments.at.as_deref(), set)?;
    let image = open::image(&files::find(&arguments.image, &["hex", "bin"]), at, 0)?;
    let facts = inspect(&image);
    if arguments.json {
        return print_json(&facts);
    }
    Ok(paint::show(&facts.text(set))?)
}
