//! `report`: a program as a page to hand in or to project.

use super::cases::beside as beside_table;
use crate::arguments::ReportArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::project;
use crate::say::Failure;
use crate::signals;
use plain_byte::machine::Event;
use plain_byte::number::{cycles_of, thousands};
use plain_byte::report::flow::{SourceNames, flow_chart};
use plain_byte::report::page::{Beside, PAGE, PLACE, page};
use plain_byte::report::{Ground, inspect, starts};
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session};
use plain_byte::text::{Text, Tone};
use plain_byte::workspace::{Program, is_source};
use std::path::Path;

/// A run that does not end by itself is recorded for so many cycles.
const DEFAULT_CYCLES: u64 = 10_000_000;

pub fn run(arguments: &ReportArguments) -> Result<(), Failure> {
    signals::listen();
    let mut target = arguments.target.clone();
    let named = project::program(arguments.program.as_ref(), &mut target)?;
    let name = files::find(&named, &["asm"]);
    let stem = Path::new(&name).file_stem().map_or(name.clone(), |stem| stem.to_string_lossy().into_owned());
    let table = table(arguments, &name)?;
    if let Some((_, cases)) = &table {
        // The board that the program is proved on is the one that it is shown on.
        target.board = target.board.or_else(|| {
            cases.board.as_ref().map(|board| match board.ends_with(".toml") {
                true => beside_table(&name, board),
                false => board.clone(),
            })
        });
        target.cpu = target.cpu.or_else(|| cases.processor.clone());
        let defines = cases.defines.iter().map(|(name, value)| format!("{name}={value}"));
        target.define.extend(defines);
        target.without.extend(cases.without.iter().cloned());
    }
    let session = open::session(&name, &target)?;
    let mut beside = Beside::default();
    if is_source(&name) {
        (beside.flow, beside.map) = drawn(&name, &target)?;
    }
    let (session, limits) = begun(session, table, arguments, &mut beside)?;
    let page = page(&stem, &session, limits, beside, &mut || !signals::was_stopped());
    if signals::was_stopped() {
        return Err(Failure::input("the run was not recorded to its end", "nothing was written"));
    }
    let data = serde_json::to_string(&page).map_err(|error| {
        Failure::input(error.to_string(), "this is a fault of Plain Byte; please report it")
    })?;
    // What is in a script must not look like its end.
    let data = data
        .replace("</", "<\\/")
        .replace("<!--", "<\\!--")
        .replace('\u{2028}', "\\u2028")
        .replace('\u{2029}', "\\u2029");
    let html = PAGE.replacen(PLACE, &data, 1);
    let file = arguments.output.clone().unwrap_or_else(|| format!("{stem}.html"));
    files::must_write(&file, html.as_bytes())?;
    if file == "-" {
        return Ok(());
    }
    if arguments.json {
        return super::print_json(&serde_json::json!({
            "file": file, "bytes": html.len(), "steps": page.steps.len(), "more": page.more, "cases": page.cases.len(),
        }));
    }
    let mut text = Text::new();
    text.line().tone(Tone::Faint, "wrote ").put(&file).tone(
        Tone::Faint,
        format!(
            ", {} bytes: {} steps, {} cases",
            thousands(html.len() as u64),
            thousands(page.steps.len() as u64),
            page.cases.len()
        ),
    );
    if page.more > 0 {
        text.tone(Tone::Faint, format!("; {} more steps are counted, and not in it", thousands(page.more)));
    }
    Ok(paint::report(&text)?)
}

/// The case table: the one that is named, or the one beside the program.
fn table(arguments: &ReportArguments, program: &str) -> Result<Option<(String, Cases)>, Failure> {
    let name = match &arguments.cases {
        Some(name) => files::find_table(name),
        None => match files::table_beside(program) {
            name if Path::new(&name).exists() => name,
            _ => return Ok(None),
        },
    };
    let text = String::from_utf8_lossy(&files::must_read(&name)?).into_owned();
    let cases = Cases::parse(&text).map_err(|wrong| Failure::in_text(&name, &text, *wrong, 1))?;
    Ok(Some((name, cases)))
}

/// The session as its run begins: as a case says, where there is one and nothing else is said.
fn begun(
    mut session: Session,
    table: Option<(String, Cases)>,
    arguments: &ReportArguments,
    beside: &mut Beside,
) -> Result<(Session, Limits), Failure> {
    let clock = session.machine().board().clock;
    let cycles = arguments.cycles.as_ref().map(|text| {
        cycles_of(text, clock).ok_or_else(|| {
            Failure::usage(format!("`{text}` is not a time"), "write cycles, or a time such as 20ms or 1.5s")
        })
    });
    let cycles = cycles.transpose()?;
    let mut limits = Limits::none().cycles(cycles.unwrap_or(DEFAULT_CYCLES)).back().rest();
    if let Some((name, cases)) = table {
        let wrong = |wrong: Box<plain_byte::diagnostic::Diagnostic>| {
            Failure::input(
                format!("{name}: {}", wrong.message),
                "docs/cases.md lists what a case can set and state",
            )
        };
        beside.cases = cases
            .run(&session)
            .map_err(wrong)?
            .into_iter()
            .map(plain_byte::session::cases::Outcome::told)
            .collect();
        if arguments.input.is_none() {
            let chosen = match &arguments.case {
                Some(case) => cases.only(case).map_err(|names| {
                    Failure::usage(
                        format!("{name} has no case `{case}`"),
                        format!("there are {}", names.join(", ")),
                    )
                })?,
                None => cases,
            };
            let (given, of_case) = chosen.begin_first(session).map_err(wrong)?;
            session = given;
            if cycles.is_none() {
                limits = of_case;
            }
        }
    } else if arguments.case.is_some() {
        return Err(Failure::usage(
            "there is no case table beside the program",
            "name one with --cases FILE",
        ));
    }
    if let Some(input) = &arguments.input {
        let bytes = input.replace("\\r", "\r").replace("\\n", "\n").into_bytes();
        session.happen(Event::Typed(bytes)).map_err(|error| {
            Failure::usage(error.to_string(), "`plainbyte boards NAME` shows what the board has")
        })?;
    }
    Ok((session, limits))
}

/// The flow chart and the map of a source.
fn drawn(name: &str, target: &crate::arguments::TargetArguments) -> Result<(String, String), Failure> {
    let resolved = open::assembled(name, target)?;
    let Program::Assembled(assembly) = resolved.program else { return Ok((String::new(), String::new())) };
    let map = inspect(&assembly.image, assembly.set, &assembly.regions).text(assembly.set).to_string();
    let Some(set) = assembly.set else { return Ok((String::new(), map)) };
    let chart =
        flow_chart(name, set, &assembly.image, &starts(set, &assembly.image), &SourceNames::new(&assembly));
    Ok((chart.svg(Ground::Print), map))
}
