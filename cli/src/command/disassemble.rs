//! `disassemble`: an image to source text.

use super::print_json;
use crate::arguments::DisassembleArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::report::{disassemble, disassembly_source};

pub fn run(arguments: &DisassembleArguments) -> Result<(), Failure> {
    let set = open::cpu(&arguments.cpu)?;
    let at = arguments.at.as_deref().map(|at| open::address("--at", at, set, &NoNames)).transpose()?;
    let name = files::find(&arguments.image, &["hex", "bin"]);
    let image = open::image(&name, at.unwrap_or(0))?;
    let lines = disassemble(set, &image, &|_| None);
    if arguments.json {
        return print_json(&lines);
    }
    Ok(paint::show(&disassembly_source(set, &image, &lines))?)
}
