//! `demo`: a short tour over the programs of Skerrow Rock that travel with the command.

use super::cases;
use super::first_screen::{Entry, overview};
use crate::arguments::DemoArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::cassette::{Signal, compare, gather, listen};
use plain_byte::demos::{tape, text};
use plain_byte::diagnostic::{Diagnostic, Problem};
use plain_byte::image::cassette::of_tape;
use plain_byte::image::{Format, Image, Settings, data_lines};
use plain_byte::machine::services::transient::Volume;
use plain_byte::number::thousands;
use plain_byte::panel::{Files, Panel, Script, screen_text};
use plain_byte::processor::InstructionSet;
use plain_byte::prom::{Chip, Programming, Refusal, RomSet, landing};
use plain_byte::report;
use plain_byte::report::flow::{SourceNames, flow_chart};
use plain_byte::report::{Grouping, card, chart, inspect, position, sizes, source_lines, starts};
use plain_byte::report::{Tracer, final_card, results, why};
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session, Stop, find_board};
use plain_byte::text::{Text, Tone};
use std::io::{IsTerminal, Write};

/// A program of the tour.
struct Chapter {
    name: &'static str,
    title: &'static str,
    source: &'static str,
    cases: &'static str,
    /// Labels of the first and last cell to show.
    show: Option<(&'static str, &'static str)>,
    /// Lines of the listing and of the trace that are shown.
    listed: usize,
    traced: usize,
    /// Where it does not end by itself: how long it runs.
    cycles: Option<u64>,
    /// What else is shown of it.
    tools: bool,
    /// A recording that it comes on, too.
    tape: Option<&'static [u8]>,
    /// The set of chips that it is burnt into.
    set: Option<&'static str>,
}

macro_rules! chapter {
    ($name:literal, $title:literal, $show:expr, $traced:literal) => {
        Chapter {
            name: $name,
            title: $title,
            source: text(concat!($name, ".asm")),
            cases: text(concat!($name, ".cases.toml")),
            show: $show,
            listed: usize::MAX,
            traced: $traced,
            cycles: None,
            tools: false,
            tape: None,
            set: None,
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
    Chapter {
        listed: 34,
        tape: Some(CHARACTER),
        ..chapter!("character", "the keeper's tape of lamp characters, worn as it is", None, 8)
    },
    Chapter {
        listed: 34,
        ..chapter!(
            "oil",
            "a page of the oil book, with routines to carry along",
            Some(("tanks", "tanks + 3")),
            8
        )
    },
    Chapter {
        cycles: Some(2_000_000),
        ..chapter!("blink", "a ROM board without RAM: the light, and how long it really is on", None, 10)
    },
    Chapter {
        cycles: Some(1_000_000),
        set: Some(NEW_HORN),
        ..chapter!("new-horn", "the fog horn's new PROM, burnt and put into its socket", None, 8)
    },
    Chapter {
        cycles: Some(1_000_000),
        ..chapter!("beacon", "the same with a subroutine and an interrupt key, which need RAM", None, 10)
    },
    Chapter {
        listed: 34,
        cycles: Some(200_000),
        ..chapter!("log", "the keeper's log on the serial console of that board", None, 8)
    },
    Chapter {
        listed: 40,
        tape: Some(TONIGHT),
        ..chapter!("tonight", "the lights of the night, from a cassette at the home computer", None, 8)
    },
    Chapter { listed: 50, ..chapter!("passages", "boat passages on the screen of a home computer", None, 8) },
    Chapter {
        cycles: Some(100_000),
        ..chapter!("border", "a routine that runs anywhere, in the memory of the screen, too", None, 8)
    },
    Chapter {
        listed: 34,
        cycles: Some(100_000),
        ..chapter!("read-in", "a loader for paper tape, short enough to be keyed in", None, 8)
    },
    chapter!("dusk", "five words for a 12-bit machine: the link lights, and it stops", None, 8),
    Chapter {
        listed: 60,
        ..chapter!("passages-tape", "boats counted from paper tape, printed on a teleprinter", None, 8)
    },
    Chapter {
        cycles: Some(20_000),
        ..chapter!("signal", "an 8080 with a front panel: from its switches to its lights", None, 8)
    },
    Chapter {
        cycles: Some(1_000_000),
        ..chapter!("horn", "the fog horn's pattern, turned round on the lights", None, 8)
    },
    Chapter {
        cycles: Some(1_000_000),
        ..chapter!("paces", "two words for a 36-bit machine: a counter without end", None, 8)
    },
    Chapter {
        listed: 34,
        cycles: Some(10_000_000),
        ..chapter!("turn", "the lamp's character, turned round on 36 lights", None, 8)
    },
    Chapter {
        listed: 40,
        cycles: Some(1_000_000),
        ..chapter!("blocks", "a loader for paper tape of 36-bit words", None, 8)
    },
    Chapter {
        listed: 34,
        ..chapter!("entries", "the keeper's log on a serial line, by the status bit", None, 8)
    },
    Chapter {
        listed: 44,
        cycles: Some(866_000),
        ..chapter!(
            "night-log",
            "a 24-bit board: the log of a night, through ports with 16-bit addresses",
            None,
            14
        )
    },
    Chapter {
        listed: 40,
        cycles: Some(8_000_000),
        ..chapter!("clock", "a clock by interrupts in mode 2", None, 14)
    },
    Chapter {
        listed: 40,
        ..chapter!("tide-table", "a program for a disk system reads the heights of a day", None, 8)
    },
    Chapter {
        listed: 40,
        ..chapter!("dump", "the bytes of a file, on anything that runs 8080 code", None, 8)
    },
    Chapter { listed: 40, ..chapter!("fair-copy", "a text filter: the log in a fair copy", None, 8) },
    Chapter { listed: 40, ..chapter!("sort-boats", "records of a file sorted where they lie", None, 8) },
    chapter!("first-light", "a PC-style board: a boot sector that shows a line", None, 14),
    chapter!("notice", "a COM program: a text up to its marker, traced to the end", None, 12),
    chapter!("lamp-sign", "straight into the memory of the screen", None, 20),
    Chapter {
        listed: 40,
        ..chapter!(
            "station-book",
            "an EXE program in three parts, with dumps of its registers and data",
            None,
            8
        )
    },
    chapter!("horn-key", "a digit is typed, and the horn sounds so often", None, 24),
    Chapter {
        listed: 40,
        ..chapter!("watches", "a factorial and a running sum in one LOOP", Some(("ways", "sum + 1")), 24)
    },
    Chapter {
        listed: 44,
        ..chapter!(
            "meters",
            "numbers of 32 bits added in halves, then printed",
            Some(("total", "burnt + 3")),
            14
        )
    },
];

/// A cassette that has been in the sea air for years: too fast, wavering, noisy, with hum, a click and a weak stretch.
const CHARACTER: &[u8] = tape("character.wav");

/// The chips of the fog horn's board.
const NEW_HORN: &str = text("new-horn.roms.toml");

/// A copy of the keeper's cassette for the night: it runs 3 % too fast, wavers, hums and clicks, and the firmware still reads it.
const TONIGHT: &[u8] = tape("tonight.wav");

/// What the programs of the tour read, and what else the documentation names.
const FILES: &[(&str, &[u8])] = &[
    ("character.wav", CHARACTER),
    ("tonight.wav", TONIGHT),
    ("new-horn.roms.toml", NEW_HORN.as_bytes()),
    ("tides.txt", text("tides.txt").as_bytes()),
    ("papers/tides.txt", text("papers/tides.txt").as_bytes()),
    ("papers/log.txt", text("papers/log.txt").as_bytes()),
    ("boats.tape", tape("boats.tape")),
    ("slips.asm", text("slips.asm").as_bytes()),
    ("older.asm", text("older.asm").as_bytes()),
];

/// A board worked by hand, from a script.
struct Sitting {
    name: &'static str,
    title: &'static str,
    board: &'static str,
    without: &'static [&'static str],
    script: &'static str,
}

macro_rules! sitting {
    ($name:literal, $board:literal, $without:expr, $title:literal) => {
        Sitting {
            name: $name,
            title: $title,
            board: $board,
            without: $without,
            script: text(concat!($name, ".panel")),
        }
    };
}

const SITTINGS: &[Sitting] = &[
    sitting!("lamp-character", "tern", &[], "a program keyed in, checked, run, changed and stepped"),
    sitting!("slips", "tern", &[], "what goes wrong at a keypad, and how one sees it"),
    sitting!("unset", "tern", &["vectors"], "vectors that nobody set"),
    sitting!("keeper", "fulmar", &[], "opcodes typed, listed and called; numbers converted"),
    sitting!("border", "fulmar", &[], "DATA lines with a loader, and the same bytes at three addresses"),
    sitting!(
        "tonight",
        "fulmar",
        &[],
        "a worn cassette loaded by the monitor's words, run, and saved on a new one"
    ),
    sitting!("read-in", "heron", &[], "a loader keyed in, which then reads a program from paper tape"),
    sitting!("dusk", "heron", &[], "five words keyed in at switches, examined, stepped, run and continued"),
    sitting!("signal", "gannet", &[], "a pair of instructions, then a loop, keyed in at the switches"),
    sitting!("paces", "osprey", &[], "two words keyed in, run singly, slowly and at full speed"),
    sitting!(
        "bell",
        "curlew",
        &[],
        "a program given to the monitor, and what its registers do while it runs"
    ),
    sitting!(
        "prompt",
        "petrel",
        &[],
        "the resident prompt of a PC-style board: its words, and a name it does not know"
    ),
    sitting!("blocks", "osprey", &[], "a loader keyed in, which then reads a program from paper tape"),
];

pub fn run(arguments: &DemoArguments) -> Result<(), Failure> {
    if let Some(folder) = &arguments.copy {
        return copy(folder);
    }
    let is_chosen = |name: &str| arguments.name.as_ref().is_none_or(|wanted| wanted == name);
    let chapters: Vec<&Chapter> = CHAPTERS.iter().filter(|chapter| is_chosen(chapter.name)).collect();
    let sittings: Vec<&Sitting> = SITTINGS.iter().filter(|sitting| is_chosen(sitting.name)).collect();
    if let (Some(name), true) = (&arguments.name, chapters.is_empty() && sittings.is_empty()) {
        let mut names: Vec<&str> = CHAPTERS.iter().map(|chapter| chapter.name).collect();
        let programs = names.clone();
        names.extend(SITTINGS.iter().map(|sitting| sitting.name).filter(|name| !programs.contains(name)));
        let help = format!("it has {}", names.join(", "));
        return Err(Failure::usage(format!("the tour has no program `{name}`"), help));
    }
    let mut out = paint::out();
    if arguments.name.is_none() && !arguments.all {
        glance(&mut out)?;
    } else {
        for (at, chapter) in chapters.iter().enumerate() {
            if at > 0 && !goes_on(&mut out)? {
                return Ok(());
            }
            tell(chapter, &mut out)?;
        }
        for sitting in &sittings {
            if !chapters.is_empty() && !goes_on(&mut out)? {
                return Ok(());
            }
            sit(sitting, &mut out)?;
        }
    }
    let mut text = Text::new();
    text.line().put("Try it yourself: ").tone(Tone::Strong, "plainbyte demo --copy skerrow");
    text.put(" writes these programs into a folder; then");
    text.line().tone(Tone::Strong, "  plainbyte run skerrow/divide --board plover --trace").put("  or  ");
    text.tone(Tone::Strong, "plainbyte panel skerrow/border --board fulmar");
    paint::write(&text, &mut out)?;
    out.flush()?;
    Ok(())
}

/// The first screen: what there is, and one program run.
fn glance(out: &mut paint::Out) -> Result<(), Failure> {
    const LINES: usize = 6;
    let board = |chapter: &Chapter| Cases::parse(chapter.cases).ok().and_then(|table| table.board);
    let programs = CHAPTERS.iter().map(|chapter| Entry {
        board: board(chapter).unwrap_or_else(|| "bare".to_string()),
        name: chapter.name,
        at_panel: false,
    });
    let sittings = SITTINGS.iter().map(|sitting| Entry {
        board: sitting.board.to_string(),
        name: sitting.name,
        at_panel: true,
    });
    let mut text = overview(&programs.chain(sittings).collect::<Vec<_>>());
    let first = &CHAPTERS[1];
    let file = format!("{}.asm", first.name);
    let assembly = assemble(&file, &mut Texts::one(&file, first.source), &Options::default());
    let mut session = opened(board(first).as_deref().unwrap_or("bare"), assembly.set, &[] as &[&str])?;
    let broken = |error: String| {
        Failure::input(format!("{file}: {error}"), "this is a fault of Plain Byte; please report it")
    };
    session.load_assembly(&assembly).map_err(|error| broken(error.to_string()))?;
    heading(&mut text, &format!("{}: {}", first.name, first.title));
    let before = session.machine().clone();
    let stop = traced(&mut session, &Chapter { traced: LINES, ..*first }, &mut text);
    text.append(final_card(&session, &stop, &[]));
    text.append(results(&session, &before));
    text.line().line().put("More of it: ").tone(Tone::Strong, "plainbyte demo NAME");
    text.put(", all of it: ").tone(Tone::Strong, "plainbyte demo --all");
    Ok(paint::write(&text, out)?)
}

/// At a terminal, whether somebody wants the next page.
fn goes_on(out: &mut paint::Out) -> Result<bool, Failure> {
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Ok(true);
    }
    paint::write(&Text::toned(Tone::Faint, "Enter goes on, q and Enter end"), out)?;
    out.flush()?;
    let mut line = String::new();
    let read = std::io::stdin().read_line(&mut line)?;
    Ok(read > 0 && !line.trim().eq_ignore_ascii_case("q"))
}

fn copy(folder: &str) -> Result<(), Failure> {
    std::fs::create_dir_all(std::path::Path::new(folder).join("papers")).map_err(|error| {
        Failure::input(format!("the folder {folder} cannot be made: {error}"), "choose another")
    })?;
    let path = |file: String| std::path::Path::new(folder).join(file).to_string_lossy().into_owned();
    let files: Vec<(String, &[u8])> = CHAPTERS
        .iter()
        .flat_map(|one| {
            [
                (path(format!("{}.asm", one.name)), one.source.as_bytes()),
                (path(format!("{}.cases.toml", one.name)), one.cases.as_bytes()),
            ]
        })
        .chain(SITTINGS.iter().map(|one| (path(format!("{}.panel", one.name)), one.script.as_bytes())))
        .chain(FILES.iter().map(|&(name, text)| (path(name.to_string()), text)))
        .collect();
    if let Some((file, _)) = files.iter().find(|(file, _)| std::path::Path::new(file).exists()) {
        return Err(Failure::input(
            format!("{file} exists already"),
            "nothing was written; choose another folder",
        ));
    }
    let mut outputs = files::Outputs::default();
    files.iter().for_each(|(file, text)| outputs.add(file, *text));
    outputs.write()?;
    let mut text = Text::plain(format!("{} files written into {folder}", files.len()));
    text.line().put("now: ").tone(Tone::Strong, format!("cd {folder}"));
    text.put(", then ").tone(Tone::Strong, "plainbyte run oil --board plover");
    Ok(paint::report(&text)?)
}

fn heading(text: &mut Text, words: &str) {
    text.line().line().tone(Tone::Faint, format!("-- {words}")).line();
}

fn tell(chapter: &Chapter, out: &mut paint::Out) -> Result<(), Failure> {
    let file = format!("{}.asm", chapter.name);
    let broken = |what: &str| {
        Failure::input(
            format!("the demo program {file} {what}"),
            "this is a fault of Plain Byte; please report it",
        )
    };
    let table = Cases::parse(chapter.cases).map_err(|wrong| broken(&wrong.message))?;
    let mut options = Options::default();
    for (name, value) in &table.defines {
        options = options.define(name, *value);
    }
    let assembly = assemble(&file, &mut Texts::one(&file, chapter.source), &options);
    let board = table.board.as_deref().unwrap_or("bare");
    let mut session = opened(board, assembly.set, &table.without)?;
    let is_transient = assembly.images.iter().any(|one| matches!(one.format.name, "com" | "exe"));
    if is_transient {
        let none = &mut Texts::default();
        let found = find_board(board, None, none).map_err(open::open_failure)?;
        let program = session.program_of(&assembly).map_err(|error| broken(&error.to_string()))?;
        let volume = Volume::new(Volume::CAPACITY, false);
        session.start_transient(&found, none, program, &[], volume).map_err(open::open_failure)?;
    } else {
        session.load_assembly(&assembly).map_err(|error| broken(&error.to_string()))?;
    }

    let mut text = Text::new();
    text.line().tone(Tone::Live, format!("{}: {}", chapter.name, chapter.title));
    if chapter.tools {
        tools(&file, chapter, &assembly, &mut text);
    } else {
        heading(
            &mut text,
            &format!("the listing: address, cells, {}, source", session.processor().identity.cycle_name),
        );
        part(&mut text, &assembly.listing(), "", chapter.listed);
    }
    if let Some(tape) = chapter.tape {
        heading(&mut text, "the tape that it comes on, block by block");
        let (recording, hearings) =
            listen(tape, &mut |_| true).map_err(|error| broken(&error.to_string()))?;
        let tape = gather(&hearings);
        text.append(report::cassette(&recording, &tape));
        // The tour runs it faster; the tape has it as it is.
        let own = image_of_source(chapter);
        match of_tape(&tape, &Settings::default()) {
            Ok(image) if image.segments() == own.segments() => {
                text.line().put("it holds what the source says, to the last cell");
            }
            _ => return Err(broken("is not what its tape holds")),
        }
    }
    if let Some(set) = chapter.set {
        heading(&mut text, "its chip: where it lands, and what is burnt");
        text.append(burnt(set, &image_of_source(chapter)).map_err(|refusal| broken(&refusal.problem))?);
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
    if is_transient {
        table.give_first(&mut session).map_err(|wrong| broken(&wrong.message))?;
    }
    heading(&mut text, "the run, an instruction a line");
    let stop = traced(&mut session, chapter, &mut text);
    heading(&mut text, "the result");
    text.append(Text::plain(String::from_utf8_lossy(session.machine().output()).replace('\r', "")));
    if let Some(picture) = session.machine().screen() {
        text.append(screen_text(&picture));
    }
    let show = chapter.show.map(|(first, last)| {
        let address = |name: &str| session.evaluate(name).map_or(0, |value| value as u32);
        (address(first), address(last))
    });
    text.append(final_card(&session, &stop, show.as_slice()));
    if let Some((first, _)) = chapter.show.filter(|_| !session.machine().is_linked()) {
        const LINKS: usize = 5;
        heading(&mut text, &format!("why {first}"));
        if let Ok(place) = session.whereabouts(first) {
            let chains = session.why(&place, LINKS, &mut || true);
            text.append(why(&session, &chains));
        }
    }
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

/// A board without some of its parts, switched on.
/// A board; `bare` has the processor of the program.
fn opened(
    board: &str,
    set: Option<&'static InstructionSet>,
    without: &[impl AsRef<str>],
) -> Result<Session, Failure> {
    let mut found = find_board(board, set, &mut Texts::default()).map_err(open::open_failure)?;
    for name in without {
        found.board.leave_out(name.as_ref()).map_err(|wrong| {
            Failure::input(wrong.to_string(), "this is a fault of Plain Byte; please report it")
        })?;
    }
    Session::open(&found, &mut Texts::default()).map_err(open::open_failure)
}

/// Tapes of the tour's own programs; what is drawn and punched is not kept.
struct Shelf;

impl Files for Shelf {
    fn picture(&mut self, _: &mut Panel, _: &str) -> Result<(), Problem> {
        Ok(())
    }

    fn tape(&mut self, file: &str) -> Result<Vec<u8>, Problem> {
        let (name, ending) = file.rsplit_once('.').unwrap_or((file, ""));
        let chapter = CHAPTERS.iter().find(|one| one.name == name);
        let format = Format::of_ending(ending);
        let (chapter, format) = chapter.zip(format).ok_or_else(|| format!("there is no `{file}` here"))?;
        let mut texts = Texts::one(name, chapter.source);
        let image = assemble(name, &mut texts, &Options::default()).image;
        let mut written = format.write(&image, &Settings::default()).map_err(|error| error.to_string())?;
        Ok(written.remove(0).bytes)
    }

    fn punched(&mut self, _: &str, _: &[u8]) -> Result<(), Problem> {
        Ok(())
    }

    fn cassette(&mut self, file: &str) -> Result<Signal, Problem> {
        let tape = SHIPPED_TAPES.iter().find(|row| row.0 == file);
        let (_, bytes) = tape.ok_or_else(|| format!("there is no `{file}` here"))?;
        compare(*bytes, &mut |_| true).map_err(|error| error.to_string().into())
    }

    fn recorded(&mut self, _: &str, _: &Signal) -> Result<(), Problem> {
        Ok(())
    }
}

/// The recordings that a script of the tour can put into a recorder.
const SHIPPED_TAPES: &[(&str, &[u8])] = &[("character.wav", CHARACTER), ("tonight.wav", TONIGHT)];

/// A board worked by hand: what is pressed and what is seen, and the panel in the end.
fn sit(sitting: &Sitting, out: &mut paint::Out) -> Result<(), Failure> {
    let broken = |what: String| {
        Failure::input(
            format!("the script {}.panel {what}", sitting.name),
            "this is a fault of Plain Byte; please report it",
        )
    };
    let mut panel = Panel::new(opened(sitting.board, None, sitting.without)?);
    let first =
        |wrong: Vec<Diagnostic>| broken(wrong.first().map_or(String::new(), |one| one.message.clone()));
    let script = Script::parse(sitting.script).map_err(first)?;
    let ran = script.run(&mut panel, &mut Shelf).map_err(|wrong| broken(wrong.message.clone()))?;
    let mut text = Text::new();
    text.line().tone(Tone::Live, format!("{}.panel: {}", sitting.name, sitting.title));
    let without: String = sitting.without.iter().map(|name| format!(" --without {name}")).collect();
    let command =
        format!("plainbyte panel --board {}{without} --script {}.panel", sitting.board, sitting.name);
    heading(&mut text, &command);
    text.append(ran.text);
    heading(&mut text, "the panel in the end");
    text.append(panel.look().text());
    text.line();
    paint::write(&text, out)?;
    if ran.failed == 0 { Ok(()) } else { Err(broken("sees something else than it says".to_string())) }
}

/// The program of a chapter as its source says it.
fn image_of_source(chapter: &Chapter) -> Image {
    let file = format!("{}.asm", chapter.name);
    assemble(&file, &mut Texts::one(&file, chapter.source), &Options::default()).image
}

/// The chips of a set, and what a programmer says when an image is burnt into the first of them.
fn burnt(set: &str, image: &Image) -> Result<Text, Refusal> {
    let set = RomSet::read(set, &mut |_| Ok(image.clone()))?;
    let mut text = report::rom_set(&set);
    let Some(first) = set.chips.first() else { return Ok(text) };
    let mut chip = Chip::new(first.part);
    let base = first.banks.first().map(|bank| bank.addresses.0);
    let landing = landing(image, first.part.bytes, base)?;
    let plan = Programming::plan(&chip, &landing.bytes)?;
    plan.run(&mut chip, &mut |_| true)?;
    text.line().put(format!(
        "{} of {} bytes change in the {} of {}; read back, it is the same",
        thousands(plan.changes as u64),
        thousands(landing.bytes.len() as u64),
        first.part.name,
        first.socket
    ));
    // A bit that is 0 does not come back: the usual mistake is burning over what is there.
    if let Err(refusal) = Programming::plan(&chip, &[(0, 0xFF)]) {
        text.line().tone(Tone::Faint, format!("burnt once more with another program: {}", refusal.problem));
    }
    Ok(text)
}

/// Lines of a report, from one that begins a part that is worth seeing; the rest is counted.
fn part(text: &mut Text, whole: &str, from: &str, most: usize) {
    let lines: Vec<&str> = whole.lines().collect();
    let first = lines.iter().position(|line| line.contains(from)).unwrap_or(0);
    let shown = &lines[first..lines.len().min(first.saturating_add(most))];
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

/// The first lines of the trace and how many more there would be; what nobody sees runs without being told.
fn traced(session: &mut Session, chapter: &Chapter, text: &mut Text) -> Stop {
    let end = chapter.cycles.map(|cycles| session.machine().cycles() + cycles);
    let limits = |now: u64| {
        end.map_or(Limits::none(), |end| Limits::none().cycles(end.saturating_sub(now))).back().rest()
    };
    let mut tracer = Tracer::default();
    text.append(tracer.head(session));
    let mut left = chapter.traced;
    let stop = session.trace(limits(session.machine().cycles()), &mut |session, step| {
        text.append(tracer.line(session, step));
        left -= 1;
        left > 0
    });
    if left > 0 {
        return stop;
    }
    let before = session.machine().instructions();
    let stop = session.run(limits(session.machine().cycles()));
    let more = session.machine().instructions() - before;
    if more > 0 {
        text.line().tone(Tone::Faint, format!("       … and {} more", thousands(more)));
    }
    stop
}
