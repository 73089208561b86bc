//! `chart`: the opcode chart.

use super::print_json;
use crate::arguments::ChartArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::report::chart;
use plain_byte::text::Text;
use std::io::Write;

pub fn run(arguments: &ChartArguments) -> Result<(), Failure> {
    let set = open::cpu(&arguments.cpu)?;
    let mut entries = Vec::new();
    for what in &arguments.what {
        let found = chart::select(set, what).map_err(|problem| {
            Failure::usage(problem.to_string(), format!("`plainbyte chart {}` shows them all", set.name()))
        })?;
        entries.extend(found);
    }
    if arguments.what.is_empty() {
        entries = chart::entries(set);
    }
    if arguments.json {
        return print_json(&entries);
    }
    if arguments.csv {
        let mut out = std::io::stdout().lock();
        return Ok(out.write_all(chart::csv(set, &entries).as_bytes())?);
    }
    if arguments.map && set.is_word_machine() {
        let problem =
            format!("a map shows 256 opcodes, and the {} has words of {} bits", set.name(), set.cell_bits());
        return Err(Failure::usage(
            problem,
            format!("`plainbyte chart {}` shows its instructions", set.name()),
        ));
    }
    let text: Text = if arguments.map { chart::map(set) } else { chart::table(set, &entries) };
    paint::show(&text)?;
    if let Some(tables) = chart::operand_byte(set).filter(|_| arguments.what.is_empty()) {
        paint::show(&tables)?;
    }
    Ok(())
}
