//! `disassemble`: an image to source text.

use super::print_json;
use crate::arguments::DisassembleArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::report::{Follow, disassemble, disassembly_source};

pub fn run(arguments: &DisassembleArguments) -> Result<(), Failure> {
    let named = open::cpu_option(arguments.cpu.as_deref())?;
    let at = open::origin(arguments.at.as_deref(), named)?;
    let name = files::find(&arguments.image, open::IMAGE_ENDINGS);
    let image = open::image(&name, at, 0)?;
    let set = named.or_else(|| open::told_by(&image)).ok_or_else(|| {
        Failure::usage(
            format!("{name} does not say for which processor it is"),
            format!("say so: `plainbyte disassemble {} --cpu 8085`", arguments.image),
        )
    })?;
    let entries = arguments
        .entry
        .iter()
        .map(|entry| open::address("--entry", entry, set, &NoNames))
        .collect::<Result<Vec<_>, _>>()?;
    let follow = if arguments.all { Follow::All } else { Follow::From(&entries) };
    let lines = disassemble(set, &image, follow, &|_| None);
    if arguments.json {
        return print_json(&lines);
    }
    Ok(paint::show(&disassembly_source(set, &image, &lines))?)
}
