//! `disassemble`: an image to source text.

use super::print_json;
use crate::arguments::DisassembleArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::report::{Follow, disassemble, disassembly_source};

pub fn run(arguments: &DisassembleArguments) -> Result<(), Failure> {
    let looked = open::look(&arguments.what, open::Plain::Image)?;
    let (set, image) = (looked.set()?, looked.image());
    let entries = arguments
        .entry
        .iter()
        .map(|entry| open::address("--entry", entry, set, &NoNames))
        .collect::<Result<Vec<_>, _>>()?;
    let follow = if arguments.all { Follow::All } else { Follow::From(&entries) };
    let lines = disassemble(set, image, follow, &|_| None);
    if arguments.json {
        return print_json(&serde_json::json!({ "processor": set.name(), "lines": lines }));
    }
    Ok(paint::show(&disassembly_source(set, image, &lines))?)
}
