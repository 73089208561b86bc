//! `disassemble`: an image to source text.

use super::print_json;
use crate::arguments::DisassembleArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::report::{disassemble, disassembly_source};

pub fn run(arguments: &DisassembleArguments) -> Result<(), Failure> {
    let set = open::cpu(&arguments.cpu)?;
    let at = open::origin(arguments.at.as_deref(), Some(set))?;
    let name = files::find(&arguments.image, &["hex", "bin"]);
    let image = open::image(&name, at, 0)?;
    let lines = disassemble(set, &image, &|_| None);
    if arguments.json {
        return print_json(&lines);
    }
    Ok(paint::show(&disassembly_source(set, &image, &lines))?)
}
