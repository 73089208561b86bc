//! `chart`: the opcode chart.

use super::print_json;
use crate::arguments::{ChartArguments, TargetArguments};
use crate::open;
use crate::paint;
use crate::project;
use crate::say::Failure;
use plain_byte::processor::{self, InstructionSet};
use plain_byte::report::chart;
use std::io::Write;

/// The processor: as an option says, the first word, or the project; and what is asked of its chart.
fn asked(arguments: &ChartArguments) -> Result<(&'static InstructionSet, &[String]), Failure> {
    let words = arguments.what.as_slice();
    if let Some(set) = open::cpu_option(arguments.cpu.as_deref())? {
        return Ok((set, words));
    }
    if let Some(board) = &arguments.board {
        return Ok((open::board(board, None)?.board.set, words));
    }
    if let Some((first, rest)) = words.split_first()
        && let Ok(set) = processor::find(first)
    {
        return Ok((set, rest));
    }
    let mut target = TargetArguments::default();
    if let Some(found) = project::look()? {
        found.target(&mut target);
        if let Some(set) = open::cpu_option(target.cpu.as_deref())? {
            return Ok((set, words));
        }
        if let Some(board) = &target.board {
            return Ok((open::board(board, None)?.board.set, words));
        }
    }
    match words.first() {
        Some(first) => open::cpu(first).map(|set| (set, &words[1..])),
        None => {
            Err(Failure::usage("no processor is named", "write `plainbyte chart 8085`, or give --board NAME"))
        }
    }
}

pub fn run(arguments: &ChartArguments) -> Result<(), Failure> {
    let (set, what) = asked(arguments)?;
    let no_such = |problem: chart::NotInChart| {
        Failure::usage(problem.to_string(), format!("`plainbyte chart {}` shows them all", set.name()))
    };
    if arguments.map && set.is_word_machine() {
        let problem =
            format!("a map shows 256 opcodes, and the {} has words of {} bits", set.name(), set.cell_bits());
        return Err(Failure::usage(
            problem,
            format!("`plainbyte chart {}` shows its instructions", set.name()),
        ));
    }
    if arguments.map {
        let prefix = match what {
            [] => None,
            words => Some(chart::prefix(set, &words.join("")).ok_or_else(|| {
                let help = chart::prefixes(set);
                let help = match help.as_str() {
                    "" => format!("the {} has no prefixes: leave it out", set.name()),
                    list => format!("its prefixes are {list}"),
                };
                Failure::usage(format!("`{}` is not a prefix of the {}", words.join(" "), set.name()), help)
            })?),
        };
        paint::show(&chart::map(set, prefix))?;
    } else {
        let entries = match what {
            [] => chart::entries(set),
            words => chart::select_all(set, words).map_err(no_such)?,
        };
        if arguments.json {
            return print_json(&serde_json::json!({ "processor": set.name(), "entries": entries }));
        }
        if arguments.csv {
            let mut out = std::io::stdout().lock();
            return Ok(out.write_all(chart::csv(set, &entries).as_bytes())?);
        }
        paint::show(&chart::table(set, &entries))?;
    }
    if let Some(tables) = chart::operand_byte(set).filter(|_| what.is_empty()) {
        paint::show(&tables)?;
    }
    Ok(())
}
