//! `flow`: the flow chart of a program.

use super::drawing::{self, ground};
use crate::arguments::FlowArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::{Assembly, NoNames};
use plain_byte::number::thousands;
use plain_byte::processor::{Decoded, InstructionSet};
use plain_byte::report::flow::{Names, SourceNames, Words, flow_chart};
use plain_byte::report::starts;

/// An image knows no names.
struct Bare(&'static InstructionSet);

impl Names for Bare {
    fn label(&self, _: u32) -> Option<String> {
        None
    }

    fn words(&self, _: u32, decoded: &Decoded) -> Words {
        Words { text: decoded.text(self.0, &|_| None), comment: String::new() }
    }
}

/// A larger chart is not read at a terminal, and takes much room on its way there.
const MOST_LETTERS: usize = 4 << 20;

pub fn run(arguments: &FlowArguments) -> Result<(), Failure> {
    let program = drawing::program(&arguments.drawing)?;
    let assembly: Option<&Assembly> = program.assembly.as_deref();
    let names: Box<dyn Names> = match assembly {
        Some(assembly) => Box::new(SourceNames::new(assembly)),
        None => Box::new(Bare(program.set)),
    };
    let mut entries = starts(program.set, &program.image);
    for entry in &arguments.entry {
        entries.push(match assembly {
            Some(assembly) => open::address("--entry", entry, program.set, &assembly.symbols)?,
            None => open::address("--entry", entry, program.set, &NoNames)?,
        });
    }
    let chart = flow_chart(&program.name, program.set, &program.image, &entries, &*names);
    if arguments.json {
        return super::print_json(&chart);
    }
    match &arguments.drawing.output {
        None if chart.letters() > MOST_LETTERS => {
            let letters = thousands(chart.letters() as u64);
            let message = format!("the chart of {} would have {letters} characters", program.name);
            Err(Failure::input(message, "draw it with --output FILE.svg, or chart a smaller program"))
        }
        None => Ok(paint::show(&chart.text())?),
        Some(file) => drawing::write(file, &chart.svg(ground(&arguments.drawing))),
    }
}
