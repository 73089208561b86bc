//! `demo`: a short tour over the programs of Skerrow Rock that travel with the command.

use super::cases;
use crate::arguments::DemoArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::image::{Settings, data_lines};
use plain_byte::report::flow::{SourceNames, flow_chart};
use plain_byte::report::{Grouping, Text, Tone, card, chart, inspect, position, sizes, source_lines, starts};
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session, Stop, Tracer, final_card};
use std::io::Write;

/// A program of the tour.
struct Chapter {
    name: &'static str,
    title: &'static str,
    source: &'static str,
    cases: &'static str,
    /// Labels of the first and last cell to show.
    show: Option<(&'static str, &'static str)>,
    /// Lines of the trace that are shown.
    traced: usize,
    /// What else is shown of it.
    tools: bool,
}

macro_rules! chapter {
    ($name:literal, $title:literal, $show:expr, $traced:literal) => {
        Chapter {
            name: $name,
            title: $title,
            source: include_str!(concat!("../../../demo/", $name, ".asm")),
            cases: include_str!(concat!("../../../demo/", $name, ".cases.toml")),
            show: $show,
            traced: $traced,
            tools: false,
        }
    };
}

const CHAPTERS: &[Chapter] = &[
    chapter!("lamps", "four instructions, one look", None, 12),
    chapter!("divide", "two bytes divided by repeated subtraction", Some(("nights", "left")), 14),
    chapter!("exchange", "two cells exchanged through registers", Some(("east", "hour")), 14),
    chapter!("visibility", "the sum of the readings that have a bit set", Some(("sum", "nights")), 14),
    chapter!("tides", "five heights sorted, with an early end", Some(("heights", "heights + 4")), 14),
    Chapter {
        tools: true,
        ..chapter!(
            "fog",
            "the fog signal, with macros, spaces and blocks",
            Some(("horn.blasts", "horn.blasts")),
            8
        )
    },
];

pub fn run(arguments: &DemoArguments) -> Result<(), Failure> {
    if let Some(folder) = &arguments.copy {
        return copy(folder);
    }
    let chosen: Vec<&Chapter> = match &arguments.name {
        None => CHAPTERS.iter().collect(),
        Some(name) => {
            let names = CHAPTERS.iter().map(|chapter| chapter.name).collect::<Vec<_>>().join(", ");
            let found = CHAPTERS.iter().find(|chapter| chapter.name == name);
            vec![found.ok_or_else(|| {
                Failure::usage(format!("the tour has no program `{name}`"), format!("it has {names}"))
            })?]
        }
    };
    let mut out = paint::out();
    for chapter in &chosen {
        tell(chapter, &mut out)?;
    }
    let mut text = Text::new();
    text.line().put("Try it yourself: ").tone(Tone::Strong, "plainbyte demo --copy skerrow");
    text.put(" writes these programs into a folder; then");
    text.line().tone(Tone::Strong, "  plainbyte run skerrow/divide --board plover --trace").put("  or  ");
    text.tone(Tone::Strong, "plainbyte monitor skerrow/tides --board plover");
    paint::write(&text, &mut out)?;
    out.flush()?;
    Ok(())
}

fn copy(folder: &str) -> Result<(), Failure> {
    std::fs::create_dir_all(folder).map_err(|error| {
        Failure::input(format!("the folder {folder} cannot be made: {error}"), "choose another")
    })?;
    let path = |file: String| std::path::Path::new(folder).join(file).to_string_lossy().into_owned();
    let files: Vec<(String, &str)> = CHAPTERS
        .iter()
        .flat_map(|one| {
            [
                (path(format!("{}.asm", one.name)), one.source),
                (path(format!("{}.cases.toml", one.name)), one.cases),
            ]
        })
        .collect();
    if let Some((file, _)) = files.iter().find(|(file, _)| std::path::Path::new(file).exists()) {
        return Err(Failure::input(
            format!("{file} is there already"),
            "nothing was written; choose another folder",
        ));
    }
    for (file, text) in &files {
        files::must_write(file, text.as_bytes())?;
    }
    Ok(paint::show(&Text::plain(format!("{} files written into {folder}", files.len())))?)
}

fn heading(text: &mut Text, words: &str) {
    text.line().line().tone(Tone::Faint, format!("-- {words}")).line();
}

fn tell(chapter: &Chapter, out: &mut impl Write) -> Result<(), Failure> {
    let file = format!("{}.asm", chapter.name);
    let broken =
        |what: &str| Failure::input(format!("the demo program {file} {what}"), "this is a mistake of ours");
    let mut options = Options::default();
    for (name, value) in Cases::parse(chapter.cases).map_err(|wrong| broken(&wrong.message))?.defines {
        options = options.define(&name, value);
    }
    let assembly = assemble(&file, &mut Texts::one(&file, chapter.source), &options);
    let table = Cases::parse(chapter.cases).map_err(|wrong| broken(&wrong.message))?;
    let mut session = Session::shipped("plover").map_err(open::open_failure)?;
    session.load_assembly(&assembly).map_err(|error| broken(&error.to_string()))?;

    let mut text = Text::new();
    text.line().tone(Tone::Live, format!("{}: {}", chapter.name, chapter.title));
    if chapter.tools {
        tools(&file, chapter, &assembly, &mut text);
    } else {
        heading(&mut text, "the listing: address, cells, T-states, source");
        text.append(Text::plain(assembly.listing()));
    }
    if chapter.name == CHAPTERS[0].name {
        heading(&mut text, "its opcodes in the chart");
        let opcodes = ["mvi", "cma", "out", "hlt"].map(|name| chart::select(session.processor(), name));
        let mut entries: Vec<_> = opcodes.into_iter().flatten().flatten().collect();
        entries
            .retain(|entry| !entry.instruction.starts_with("MVI") || entry.instruction.starts_with("MVI A"));
        text.append(chart::table(session.processor(), &entries));
    }
    let fresh = session.clone();
    heading(&mut text, "the run, an instruction a line");
    let stop = traced(&mut session, chapter.traced, &mut text);
    heading(&mut text, "what came of it");
    let show = chapter.show.map(|(first, last)| {
        let address = |name: &str| session.evaluate(name).map_or(0, |value| value as u32);
        (address(first), address(last))
    });
    text.append(final_card(&session, &stop, show.as_slice()));
    heading(&mut text, "its case table");
    let outcomes = table.run(&fresh).map_err(|wrong| broken(&wrong.message))?;
    text.append(cases::text(&format!("{}.cases.toml", chapter.name), &outcomes));
    text.line();
    paint::write(&text, out)?;
    if outcomes.iter().all(|outcome| outcome.passed) {
        Ok(())
    } else {
        Err(broken("does not pass its cases"))
    }
}

/// Lines of a report, from one that begins a part that is worth seeing; the rest is counted.
fn part(text: &mut Text, whole: &str, from: &str, most: usize) {
    let lines: Vec<&str> = whole.lines().collect();
    let first = lines.iter().position(|line| line.contains(from)).unwrap_or(0);
    let shown = &lines[first..lines.len().min(first + most)];
    text.append(Text::plain(shown.join("\n")));
    if shown.len() < lines.len() {
        text.line().tone(Tone::Faint, format!("       … {} lines of {}", shown.len(), lines.len()));
    }
}

/// What can be made of a program besides running it.
fn tools(file: &str, chapter: &Chapter, assembly: &Assembly, text: &mut Text) {
    let Some(set) = assembly.set else { return };
    heading(text, "blocks and macros in the listing; `>` marks what was written out");
    part(text, &assembly.listing(), "find:", 26);
    heading(text, "sizes and times: plainbyte build fog --sizes --board plover");
    text.append(sizes(assembly).text(Some(3_072_000)));
    heading(text, "the image: plainbyte inspect fog");
    text.append(inspect(&assembly.image, assembly.set, &assembly.regions).text(assembly.set));
    heading(text, "can it run elsewhere? plainbyte inspect fog --moved");
    let options = Options::default().define("tenth", 1);
    if let Ok(position) = position(file, &mut Texts::one(file, chapter.source), &options, assembly) {
        part(text, &position.text(&|address| set.address(address.into())).to_string(), "", 6);
    }
    heading(text, "to key it in: plainbyte card fog");
    let lines = source_lines(assembly);
    let sheet = card(file, set, &lines, assembly.image.start(), Grouping::Fours);
    part(text, &sheet.text().to_string(), "", 15);
    heading(text, "its flow chart: plainbyte flow fog --output fog.svg");
    let names = SourceNames::new(assembly);
    let chart = flow_chart(file, set, &assembly.image, &starts(set, &assembly.image), &names);
    part(text, &chart.text().to_string(), "find", 34);
    heading(text, "as DATA lines: plainbyte build fog --output data-lines:fog.bas");
    let written = data_lines::FORMAT.write(&assembly.image, &Settings::default());
    let listing = written.ok().and_then(|files| String::from_utf8(files.into_iter().next()?.bytes).ok());
    part(text, &listing.unwrap_or_default(), "", 9);
}

/// The first lines of the trace and how many there were in all.
fn traced(session: &mut Session, most: usize, text: &mut Text) -> Stop {
    let mut tracer = Tracer::default();
    text.append(tracer.head(session));
    let mut count = 0;
    let stop = session.trace(Limits::none(), &mut |session, step| {
        count += 1;
        if count <= most {
            text.append(tracer.line(session, step));
        }
        true
    });
    if count > most {
        text.line().tone(Tone::Faint, format!("       … and {} more", count - most));
    }
    stop
}
