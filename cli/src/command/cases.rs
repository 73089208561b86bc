//! `cases`: case tables, run and told.

use super::{coverage, grade, print_json, trace};
use crate::arguments::{CasesArguments, DiskArguments, RecordArguments, TargetArguments, WarningArguments};
use crate::files::{self, Outputs};
use crate::open;
use crate::paint;
use crate::project;
use crate::say::Failure;
use crate::signals;
use plain_byte::diagnostic::{Diagnostic, nearest};
use plain_byte::report::{Coverage, Policy, Suite, junit, tap};
use plain_byte::session::cases::{Cases, Outcome};
use plain_byte::session::{Hazard, Profile, Session};
use plain_byte::text::{Text, Tone};
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct Table {
    file: String,
    passed: usize,
    failed: usize,
    cases: Vec<Outcome>,
    /// What no case reaches, where the table demands full coverage.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    missing: Vec<String>,
}

pub fn run(arguments: &CasesArguments) -> Result<(), Failure> {
    if let Some(folder) = &arguments.folder {
        return grade::run(folder, arguments);
    }
    let mut tables = Vec::new();
    let mut files = arguments.files.clone();
    if files.is_empty() {
        let found = project::find()?;
        files = found.project.cases.iter().map(|name| found.path(name)).collect();
        if files.is_empty() {
            return Err(Failure::input(
                "the project names no case tables",
                "add `cases = [\"NAME.cases.toml\"]`",
            ));
        }
    }
    // Whoever reads the outcomes on standard output reads nothing else there.
    let prints = [&arguments.junit, &arguments.tap].into_iter().flatten().any(|file| file == "-");
    if prints && (arguments.json || arguments.junit == arguments.tap) {
        let help = "give one of them a file";
        return Err(Failure::usage("two results would both go to standard output", help));
    }
    for name in &files {
        let (cases, profiled) = run_table(&files::find_table(name), arguments)?;
        if !arguments.json && !prints {
            paint::show(&text(&cases.file, &cases.cases))?;
            for missing in &cases.missing {
                paint::show(&Text::toned(Tone::Wrong, format!("  not covered: {missing}")))?;
            }
            if let Some(closer) = closer(&cases, arguments) {
                paint::show(&closer)?;
            }
        }
        if profiled.wanted {
            coverage::show(&profiled.session, &profiled.profile, &arguments.coverage, arguments.json)?;
        }
        tables.push(cases);
    }
    if arguments.json {
        // One table is one document; several are a list.
        match &tables[..] {
            [one] => print_json(one)?,
            several => print_json(&serde_json::json!({ "tables": several }))?,
        }
    }
    keep(&tables, arguments)?;
    let failed: usize = tables.iter().map(|table| table.failed + table.missing.len()).sum();
    if failed > 0 { Err(Failure::Said(1)) } else { Ok(()) }
}

/// Writes the outcomes for whoever collects results.
fn keep(tables: &[Table], arguments: &CasesArguments) -> Result<(), Failure> {
    let suites: Vec<Suite<'_>> = tables
        .iter()
        .map(|one| Suite { name: &one.file, cases: &one.cases, missing: &one.missing })
        .collect();
    let mut files = Outputs::default();
    if let Some(file) = &arguments.junit {
        files.add(file, junit(&suites));
    }
    if let Some(file) = &arguments.tap {
        files.add(file, tap(&suites));
    }
    files.write()
}

/// The command that shows what the first case that failed did.
fn closer(table: &Table, arguments: &CasesArguments) -> Option<Text> {
    if arguments.trace.is_wanted() {
        return None;
    }
    let case = table.cases.iter().find(|case| !case.passed)?;
    let program = arguments.program.as_ref().map_or(String::new(), |program| format!(" --program {program}"));
    let file = table.file.strip_suffix(".cases.toml").unwrap_or(&table.file);
    let command = format!("plainbyte cases {file}{program} --only {:?} --trace-last 20", case.name);
    let mut text = Text::new();
    text.line().tone(Tone::Faint, "  to look closer: ").put(command);
    Some(text)
}

/// Shows what one case does, instruction by instruction.
fn trace_case(
    cases: &Cases,
    session: &Session,
    arguments: &CasesArguments,
) -> Result<Result<(), Failure>, Box<Diagnostic>> {
    let (mut session, limits) = cases.begin_first(session.clone())?;
    Ok(trace::run(&mut session, limits, &arguments.trace, &mut signals::was_stopped).map(|_| ()))
}

/// The program of a table, and where all its cases together went.
struct Profiled {
    session: Session,
    profile: Profile,
    wanted: bool,
}

/// A file that a table names, as seen from where the command runs.
pub fn beside(table: &str, name: &str) -> String {
    Path::new(table).parent().unwrap_or(Path::new("")).join(name).to_string_lossy().into_owned()
}

/// What a table says its program is for.
pub fn target(table: &str, cases: &Cases, arguments: &CasesArguments) -> TargetArguments {
    let board = cases.board.as_ref().map(|board| match board.ends_with(".toml") {
        true => beside(table, board),
        false => board.clone(),
    });
    TargetArguments {
        cpu: arguments.cpu.clone().or(cases.processor.clone()),
        board: arguments.board.clone().or(board),
        without: cases.without.clone(),
        chip: Vec::new(),
        at: None,
        define: cases.defines.iter().map(|(name, value)| format!("{name}={value}")).collect(),
        disk: DiskArguments::default(),
        record: RecordArguments::default(),
        // Whoever runs the cases wants to know about them.
        warnings: open::no_warnings(),
    }
}

/// The cases of a table that are asked for, and its text.
pub fn asked(name: &str, arguments: &CasesArguments) -> Result<(Cases, String), Failure> {
    let text = String::from_utf8_lossy(&files::must_read(name)?).into_owned();
    let mut cases = Cases::parse(&text).map_err(|wrong| Failure::in_text(name, &text, *wrong, 1))?;
    if let Some(only) = &arguments.only {
        cases = cases.only(only).map_err(|names| {
            let near = nearest(only, names.iter().map(String::as_str));
            let help = near.map_or_else(
                || format!("there are {}", names.join(", ")),
                |near| format!("did you mean `{near}`?"),
            );
            Failure::usage(format!("{name} has no case `{only}`"), help)
        })?;
    }
    Ok((cases, text))
}

/// What is allowed and denied of hazards, where they are looked for at all.
pub fn hazard_policy(arguments: &CasesArguments) -> Result<Option<Policy>, Failure> {
    let warnings = WarningArguments {
        allow: arguments.allow.clone(),
        deny: arguments.deny.clone(),
        ..WarningArguments::default()
    };
    let policy = open::policy(&warnings)?;
    Ok((arguments.hazards || !arguments.deny.is_empty()).then_some(policy))
}

fn run_table(name: &str, arguments: &CasesArguments) -> Result<(Table, Profiled), Failure> {
    let (cases, text) = asked(name, arguments)?;
    let drawn = |wrong: Box<plain_byte::diagnostic::Diagnostic>| Failure::in_text(name, &text, *wrong, 1);
    let program = arguments.program.clone().unwrap_or_else(|| beside(name, &cases.program));
    let target = target(name, &cases, arguments);
    let session = open::session(&program, &target)?;
    if arguments.trace.is_wanted() {
        if cases.len() > 1 {
            let help = "name it with --only NAME";
            return Err(Failure::usage("a trace is of one case, and the table has several", help));
        }
        trace_case(&cases, &session, arguments).map_err(drawn)??;
    }
    let played = cases.play(&session).map_err(drawn)?;
    let policy = hazard_policy(arguments)?;
    let wants_profile = arguments.coverage.is_wanted() || cases.wants_coverage();
    let mut profile = Profile::default();
    let outcomes = played.into_iter().map(|(mut outcome, mut session)| {
        if wants_profile {
            profile.add(&session.profile(&mut || !signals::was_stopped()));
        }
        if let Some(policy) = &policy {
            judge(&mut outcome, &mut session, policy);
        }
        // Whoever tries a program of his own sees of a hidden case what kind it is.
        outcome.told()
    });
    let outcomes: Vec<Outcome> = outcomes.collect();
    let mut missing = Vec::new();
    if let Some(program) = session.program().filter(|_| cases.wants_coverage()) {
        missing = Coverage::of(program, &profile).missing();
    }
    let shown = Profiled { session, profile, wanted: wants_profile };
    let passed = outcomes.iter().filter(|outcome| outcome.passed).count();
    let table =
        Table { file: name.to_string(), passed, failed: outcomes.len() - passed, cases: outcomes, missing };
    Ok((table, shown))
}

/// Adds the hazards of a case that are not allowed; those that are denied make it fail.
pub fn judge(outcome: &mut Outcome, session: &mut Session, policy: &Policy) {
    let mut found = session.hazards(&mut || !signals::was_stopped());
    found.retain(|one| !policy.allows(one.code));
    let is_meant = |one: &&Hazard| outcome.expected_hazards.iter().any(|code| code == one.code);
    for one in found.iter().filter(|one| policy.denies(one.code) && !is_meant(one)).collect::<Vec<_>>() {
        outcome.passed = false;
        outcome.differences.push(format!("hazard {}: {}", one.code, one.message));
    }
    outcome.hazards = found;
}

/// The outcomes as a table: a line a case, and below it what was not as expected.
pub fn text(file: &str, outcomes: &[Outcome]) -> Text {
    let mut text = Text::new();
    let passed = outcomes.iter().filter(|outcome| outcome.passed).count();
    let width = outcomes.iter().map(|outcome| outcome.name.chars().count()).max().unwrap_or(0).max(4);
    text.line().tone(Tone::Strong, file);
    text.line().tone(
        Tone::Faint,
        format!("  {:6}  {:width$}  {:>9}  {:>12}", "result", "case", "cycles", "instructions"),
    );
    for outcome in outcomes {
        text.line();
        if outcome.passed {
            text.put("  passed")
        } else {
            text.tone(Tone::Wrong, "  FAILED")
        };
        let Outcome { name, cycles, instructions, .. } = outcome;
        text.put(format!("  {name:width$}  {cycles:>9}  {instructions:>12}"));
        for difference in &outcome.differences {
            text.line().tone(Tone::Wrong, format!("          {difference}"));
        }
        let told = |one: &&Hazard| !outcome.differences.iter().any(|text| text.contains(&one.message));
        for Hazard { code, message, line, .. } in outcome.hazards.iter().filter(told) {
            let line = line.map_or(String::new(), |line| format!("line {line}: "));
            text.line().tone(Tone::Faint, format!("          hazard {code}: {line}{message}"));
        }
    }
    let failed = outcomes.len() - passed;
    let words = if failed == 0 {
        format!("  all {passed} passed")
    } else {
        format!("  {passed} passed, {failed} failed")
    };
    text.line().tone(if failed == 0 { Tone::Faint } else { Tone::Wrong }, words);
    text
}
