//! Where a run went, as `run` and `cases` show it and write it into files.

use super::drawing;
use crate::arguments::CoverageArguments;
use crate::files;
use crate::paint;
use crate::say::Failure;
use plain_byte::report::{Coverage, Ground, flame, folded};
use plain_byte::session::{Profile, Session};

/// Shows what is wanted, and writes the files that are named.
pub fn show(
    session: &Session,
    profile: &Profile,
    arguments: &CoverageArguments,
    is_json: bool,
) -> Result<(), Failure> {
    let program = session.program().filter(|program| program.texts().next().is_some());
    let coverage = program.map(|program| Coverage::of(program, profile));
    if (arguments.coverage || arguments.lcov.is_some()) && coverage.is_none() {
        let help = "name its source; of an image there are --stacks and --flame";
        return Err(Failure::usage("coverage wants a program that is assembled", help));
    }
    if let (Some(file), Some(coverage)) = (&arguments.lcov, &coverage) {
        files::must_write(file, coverage.lcov().as_bytes())?;
    }
    if let Some(file) = &arguments.stacks {
        files::must_write(file, folded(profile).as_bytes())?;
    }
    if let Some(file) = &arguments.flame {
        let name = program.and_then(|program| program.texts().next()).map_or("program", |text| text.0);
        let cycles = session.processor().identity.cycle_name;
        drawing::save(file, &flame(name, cycles, profile, Ground::Print))?;
    }
    if let Some(coverage) = coverage.filter(|_| arguments.coverage && !is_json) {
        paint::show(&coverage.text())?;
    }
    Ok(())
}

/// The same for scripts: every instruction, and the chains of calls.
pub fn json(session: &Session, profile: &Profile) -> serde_json::Value {
    let counted = profile.counted.iter().map(|(&address, counted)| {
        let line = session.source_line(address);
        serde_json::json!({
            "address": address,
            "file": line.map(|line| &line.file),
            "line": line.map(|line| line.number),
            "times": counted.times,
            "cycles": counted.cycles,
            "ways": counted.ways,
        })
    });
    serde_json::json!({ "instructions": counted.collect::<Vec<_>>(), "stacks": profile.stacks })
}
