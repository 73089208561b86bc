//! `replay`: a recorded run once more, every mark of it compared.

use super::print_json;
use crate::arguments::{ReplayArguments, TargetArguments};
use crate::open;
use crate::paint;
use crate::record;
use crate::say::Failure;
use crate::signals;
use plain_byte::number::thousands;
use plain_byte::processor::InstructionSet;
use plain_byte::session::{Difference, Replayed};
use plain_byte::text::Text;
use serde::Serialize;

#[derive(Serialize)]
struct Played<'a> {
    same: bool,
    marks: Option<usize>,
    cycle: u64,
    /// The cycle of the last mark that was met, where one was not.
    last_same: Option<u64>,
    differences: &'a [String],
}

pub fn run(arguments: &ReplayArguments) -> Result<(), Failure> {
    signals::listen();
    let (begin, lines) = record::read(&arguments.record)?;
    let target = TargetArguments {
        cpu: Some(begin.processor.to_lowercase()),
        without: begin.without.clone(),
        ..TargetArguments::default()
    };
    let mut session = open::empty(arguments.board.as_deref().unwrap_or(&begin.board), &target)?;
    let set = session.processor();
    let replayed = session.replay(&lines, &mut || !signals::was_stopped());
    if arguments.json {
        print(&replayed)?;
    }
    match replayed {
        Replayed::Same { marks, cycle } if !arguments.json => {
            let (marks, cycles) = (thousands(marks as u64), thousands(cycle));
            let cycle_name = set.identity.cycle_name;
            let text = format!("the same run: {marks} marks met, the last after {cycles} {cycle_name}");
            Ok(paint::show(&Text::plain(text))?)
        }
        Replayed::Same { .. } => Ok(()),
        Replayed::Differs(_) if arguments.json => Err(Failure::Said(1)),
        Replayed::Differs(difference) => Err(differs(&difference, set, &arguments.record)),
        Replayed::Impossible { line, why } => {
            let place = format!("{}, line {}", arguments.record, line + 1);
            Err(Failure::input(format!("{place}: {why}"), "replay it on the board it was recorded on"))
        }
        Replayed::Ended(_) => Err(Failure::Said(1)),
        _ => Err(Failure::Said(1)),
    }
}

fn print(replayed: &Replayed) -> Result<(), Failure> {
    match replayed {
        Replayed::Same { marks, cycle } => print_json(&Played {
            same: true,
            marks: Some(*marks),
            cycle: *cycle,
            last_same: Some(*cycle),
            differences: &[],
        }),
        Replayed::Differs(Difference { same, cycle, what, .. }) => print_json(&Played {
            same: false,
            marks: None,
            cycle: *cycle,
            last_same: *same,
            differences: what,
        }),
        _ => Ok(()),
    }
}

/// The first difference, and how to come closer to it.
fn differs(difference: &Difference, set: &InstructionSet, file: &str) -> Failure {
    let cycle_name = set.identity.cycle_name;
    let from = difference
        .same
        .map_or("at the beginning".to_string(), |same| format!("after {} {cycle_name}", thousands(same)));
    let what = difference.what.join("; ");
    let message = format!(
        "another run: it was the same {from}, and is not after {}: {what}",
        thousands(difference.cycle)
    );
    let span = difference.cycle.saturating_sub(difference.same.unwrap_or(0));
    let help = match difference.same {
        None => "the board, its firmware or its description is not that of the record".to_string(),
        Some(_) => format!(
            "to find the place more exactly, record it again with --record-every {}; the mark is line {} of {file}",
            (span / 100).max(1),
            difference.line + 1
        ),
    };
    Failure::input(message, help)
}
