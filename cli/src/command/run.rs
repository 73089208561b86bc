//! `run`: a program to its end, traced if wanted, with a card of what came of it.

use super::live::{close, live, run_live};
use super::{cassette, coverage, offer, print_json, trace};
use crate::arguments::{RunArguments, Speed};
use crate::disk;
use crate::files::{self, Outputs};
use crate::link;
use crate::open;
use crate::paint;
use crate::project;
use crate::record;
use crate::say::Failure;
use crate::signals;
use crate::watch::Watcher;
use plain_byte::image::Cell;
use plain_byte::machine::{Event, PortWrite};
use plain_byte::number::cycles_of;
use plain_byte::number::thousands;
use plain_byte::panel::screen_text;
use plain_byte::processor::Flag;
use plain_byte::report::{self, Measuring, final_card, results};
use plain_byte::session::{Hazard, Limits, PlaceUse, Session, Stop};
use plain_byte::text::{Text, Tone};
use serde::Serialize;
use std::collections::BTreeMap;
use std::io::Write;

/// Where no limit is given, a run that has not ended by then is taken for endless.
const DEFAULT_CYCLES: u64 = 2_000_000_000;

pub fn run(arguments: &RunArguments) -> Result<(), Failure> {
    signals::listen();
    let mut arguments = arguments.clone();
    if arguments.program.is_none()
        && let Some(project) = project::look()?
    {
        project.run(&mut arguments);
    }
    let arguments = &arguments;
    if arguments.watch {
        return watch(arguments);
    }
    if arguments.offer_link.is_some() {
        return offer::run(board_with_link(arguments)?, arguments);
    }
    let mut session = opened(arguments)?;
    let stop = execute(&mut session, arguments, &mut signals::was_stopped)?;
    link::check(&session)?;
    verdict(&mut session, &stop, arguments)
}

/// The board whose debug link is offered, with the program in it where one is named.
fn board_with_link(arguments: &RunArguments) -> Result<Session, Failure> {
    let mut target = arguments.target.clone();
    if arguments.program.is_some() || target.board.is_none() {
        return opened(arguments);
    }
    let board = target.board.take().unwrap_or_default();
    let mut session = open::empty(&board, &target)?;
    prepare(&mut session, arguments)?;
    Ok(session)
}

/// Runs the program again whenever one of its files is saved. One that does not assemble is told, and the last good one
/// runs on.
fn watch(arguments: &RunArguments) -> Result<(), Failure> {
    let mut watcher = Watcher::new()?;
    let mut current: Option<Session> = None;
    let mut running = false;
    loop {
        match opened(arguments) {
            Ok(session) => {
                paint::clear()?;
                current = Some(session);
                running = true;
            }
            Err(failure) => {
                let _ = writeln!(std::io::stdout());
                failure.tell();
                if current.is_some() {
                    let stays = if running {
                        "the last good program runs on"
                    } else {
                        "the last good result is above"
                    };
                    paint::show(&Text::toned(Tone::Faint, stays))?;
                }
            }
        }
        watcher.follow()?;
        let mut changed = false;
        if let Some(session) = current.as_mut().filter(|_| running) {
            let mut stopped = false;
            let mut end = || {
                stopped = signals::was_stopped();
                changed = watcher.changed();
                stopped || changed
            };
            execute(session, arguments, &mut end)?;
            if stopped {
                return Ok(());
            }
            running = changed;
        }
        if !changed && !watcher.wait() {
            return Ok(());
        }
    }
}

/// The session, with everything set that is set before the run.
fn opened(arguments: &RunArguments) -> Result<Session, Failure> {
    let mut target = arguments.target.clone();
    // A board with resident firmware runs by itself.
    if arguments.program.is_none()
        && let (Some(board), None) = (&target.board, project::look()?)
    {
        let mut session = open::empty(board, &target)?;
        if session.machine().board().firmware.is_some() || !target.chip.is_empty() {
            prepare(&mut session, arguments)?;
            return Ok(session);
        }
    }
    let program = project::program(arguments.program.as_ref(), &mut target)?;
    target.disk.words.clone_from(&arguments.words);
    let mut session = match &arguments.link.link {
        Some(place) => link::loaded(&program, &target, place, arguments.link.log.as_deref())?,
        None => open::session(&program, &target)?,
    };
    prepare(&mut session, arguments)?;
    Ok(session)
}

/// Runs until the program ends or `end` says so, and shows what came of it.
fn execute(
    session: &mut Session,
    arguments: &RunArguments,
    end: &mut dyn FnMut() -> bool,
) -> Result<Stop, Failure> {
    let show = arguments
        .show
        .iter()
        .map(|text| {
            let range = open::range("--show", text, session)?;
            let first = text.split("..").next().unwrap_or(text);
            open::check_place("--show", first, session, (range.0, PlaceUse::Look))?;
            Ok(range)
        })
        .collect::<Result<Vec<_>, Failure>>()?;
    let speed = match arguments.console {
        Some(_) => arguments.speed.unwrap_or(Speed::Real),
        None => arguments.speed.unwrap_or(Speed::Max),
    };
    let mut live = live(session, arguments, speed)?;
    let open_end = live.is_some() || arguments.link.link.is_some();
    let clock = session.machine().board().clock;
    let asked = arguments.cycles.as_ref().map(|text| cycles(text, clock)).transpose()?;
    let limit = asked.unwrap_or(if open_end { u64::MAX / 2 } else { DEFAULT_CYCLES });
    let mut limits = Limits::none().cycles(limit);
    if session.program().is_some() {
        limits = limits.back().counted();
    }
    if !open_end {
        limits = limits.rest();
    }
    if arguments.trace.inside {
        limits = limits.inside();
    }
    if let Some(until) = &arguments.until {
        let is_time = until.starts_with(|c: char| c.is_ascii_digit()) && until.ends_with('s');
        if is_time && cycles(until, clock).is_ok() {
            let message = format!("--until wants a label or an address, and `{until}` is a time");
            return Err(Failure::usage(message, format!("`--cycles {until}` stops after it")));
        }
        let address = open::place("--until", until, session)?;
        open::check_place("--until", until, session, (address, PlaceUse::Stop))?;
        limits = limits.until(address);
    }
    let before = session.machine().clone();
    let mut ended = false;
    let mut end = || {
        ended = end();
        ended
    };
    let mut measuring = Measuring::default();
    let stop = match &mut live {
        _ if arguments.sizes => Ok(session.trace(limits, &mut |_, step| {
            measuring.take(step);
            !end()
        })),
        _ if arguments.trace.is_wanted() => trace::run(session, limits, &arguments.trace, &mut end),
        None => Ok(session.run_while(limits, &mut |session| {
            disk::look(session);
            !end()
        })),
        Some(live) => run_live(session, limits, speed, live, &mut end),
    };
    let was_live = live.is_some();
    close(live, session, arguments.console);
    // Whatever ended it, what the program has changed is written back.
    let mut outputs = Outputs::default();
    if let (Some(file), Some(tape)) = (&arguments.punch, session.machine().punched()) {
        outputs.add(file, tape);
    }
    if let (Some(file), Some(wav)) = (&arguments.cassette, cassette::recorded(session.machine())) {
        outputs.add(cassette::kept_as(file), wav);
    }
    if let Some(file) = &arguments.sound {
        outputs.add(file, sound(session)?);
    }
    let kept = record::keep_with(session, &arguments.target.record, outputs);
    let stop = stop?;
    kept?;
    if ended && arguments.watch {
        return Ok(stop);
    }
    let hazards = hazards(session, arguments)?;
    if arguments.json {
        let profile = arguments.coverage.coverage.then(|| session.profile(&mut || !signals::was_stopped()));
        let coverage = profile.as_ref().map(|profile| coverage::json(session, profile));
        print_json(&Ran { hazards: hazards.clone(), coverage, ..Ran::of(session, &stop, &show) })?;
    } else {
        let mut out = paint::out();
        if !was_live && !arguments.trace.is_wanted() {
            // As it was said: nothing of it is taken for colours.
            write_console(&mut std::io::stdout().lock(), session.machine().output())?;
        }
        if let Some(picture) = session.machine().screen() {
            paint::write(&screen_text(&picture), &mut out)?;
        }
        let mut card = final_card(session, &stop, &show);
        card.append(results(session, &before));
        if arguments.sizes {
            card.line().line().append(measured(arguments, &measuring)?);
        }
        if !paint::is_quiet() {
            paint::write(&card, &mut out)?;
        }
        out.flush()?;
    }
    if arguments.coverage.is_wanted() {
        let profile = session.profile(&mut || !signals::was_stopped());
        coverage::show(session, &profile, &arguments.coverage, arguments.json)?;
    }
    if let Some(hazards) = hazards.filter(|_| !arguments.json) {
        paint::tell(&report::hazards(session, &hazards));
        if hazards.is_empty() {
            paint::tell(&Text::toned(Tone::Faint, "no hazards"));
        }
    }
    Ok(stop)
}

/// The hazards of the run, where somebody wants to know of them, but for those that are allowed.
fn hazards(session: &mut Session, arguments: &RunArguments) -> Result<Option<Vec<Hazard>>, Failure> {
    let policy = open::policy(&arguments.target.warnings)?;
    if !arguments.hazards && !policy.denies_hazards() {
        return Ok(None);
    }
    let mut found = session.hazards(&mut || !signals::was_stopped());
    found.retain(|one| !policy.allows(one.code));
    Ok(Some(found))
}

/// Sizes and times of the program's labels, with what the run took.
fn measured(arguments: &RunArguments, run: &Measuring) -> Result<Text, Failure> {
    let mut target = arguments.target.clone();
    let program = project::program(arguments.program.as_ref(), &mut target)?;
    let Some(sizes) = open::sizes_of(&program, &target)? else {
        let help = "name its source; an image has no labels";
        return Err(Failure::usage("--sizes wants a program that is assembled", help));
    };
    Ok(sizes.with(run).text(None))
}

/// What the speaker played, as the bytes of a WAV file.
fn sound(session: &Session) -> Result<Vec<u8>, Failure> {
    const RATE: u32 = 44_100;
    let machine = session.machine();
    let Some(speaker) = machine.speaker() else {
        let message = format!("the board {} has no speaker", machine.board().name);
        return Err(Failure::usage(message, "`plainbyte boards NAME` shows what a board has"));
    };
    let samples = plain_byte::sound::samples(speaker, machine.board().clock, machine.cycles(), RATE);
    let form = hound::WavSpec {
        channels: 1,
        sample_rate: RATE,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut file = std::io::Cursor::new(Vec::new());
    let wrong = |error: hound::Error| {
        Failure::input(format!("the sound cannot be written: {error}"), "run it shorter")
    };
    let mut writer = hound::WavWriter::new(&mut file, form).map_err(wrong)?;
    for sample in samples {
        writer.write_sample(sample).map_err(wrong)?;
    }
    writer.finalize().map_err(wrong)?;
    Ok(file.into_inner())
}

/// Everything that is set by hand before the run.
fn prepare(session: &mut Session, arguments: &RunArguments) -> Result<(), Failure> {
    let set = session.processor();
    let state = |error: plain_byte::session::StateError| {
        Failure::usage(error.to_string(), "see `plainbyte run --help`")
    };
    for setting in &arguments.set {
        let (name, values) = sides("--set", setting, "--set A=12h or --set 4100h=1,2,3")?;
        if session.machine().has_switches(name) {
            let value = open::number("--set", values, Some(set), &*session)?;
            let value = session.cell_of(value).map_err(state)?;
            session.happen(Event::Switches(name.to_string(), value)).map_err(state)?;
        } else if session.get(name).is_some() {
            let value = open::number("--set", values, Some(set), &*session)?;
            session.set(name, value).map_err(state)?;
        } else {
            let address = open::place("--set", name, session)?;
            let cells = cells(session, "--set", values)?;
            let used = PlaceUse::Set(cells.len() as u32);
            open::check_place("--set", name, session, (address, used))?;
            session.put(address, &cells).map_err(state)?;
        }
    }
    for press in &arguments.press {
        let clock = session.machine().board().clock;
        let (name, when) = press.split_once('@').unwrap_or((press, "0"));
        let (from, to) = when.split_once("..").map_or((when, None), |(from, to)| (from, Some(to)));
        let from = cycles(from, clock)?;
        let to = to.map(|to| cycles(to, clock)).transpose()?;
        // What is pressed without an end stays down.
        for (at, down) in std::iter::once((from, true)).chain(to.map(|to| (to, false))) {
            if let Some(event) = session.machine().key_event(name, down) {
                session.happen_at(at, event).map_err(state)?;
            }
        }
    }
    for port in &arguments.port {
        let (port, values) = sides("--port", port, "--port 20h=1,2,3")?;
        let number = open::number("--port", port, Some(set), &*session)?;
        let values = cells(session, "--port", values)?;
        session.happen(Event::Port(u32::try_from(number).unwrap_or(u32::MAX), values)).map_err(state)?;
    }
    if let Some(input) = &arguments.input {
        let bytes = match input.strip_prefix('@') {
            Some(file) => files::must_read(file)?,
            None => input.replace("\\r", "\r").replace("\\n", "\n").into_bytes(),
        };
        session.happen(Event::Typed(bytes)).map_err(state)?;
    }
    if let Some(file) = &arguments.cassette {
        cassette::insert(session, file)?;
    }
    if let Some(tape) = &arguments.tape {
        session.happen(Event::Tape(files::must_read(tape)?)).map_err(state)?;
    }
    if arguments.punch.is_some() && session.machine().punched().is_none() {
        let problem = format!("the board {} has no tape punch", session.machine().board().name);
        return Err(Failure::usage(problem, "`plainbyte boards NAME` shows what a board has"));
    }
    Ok(())
}

fn cycles(text: &str, clock: u64) -> Result<u64, Failure> {
    cycles_of(text, clock).ok_or_else(|| {
        Failure::usage(format!("`{text}` is not a time"), "write cycles, or a time such as 20ms or 1.5s")
    })
}

fn sides<'t>(option: &str, text: &'t str, example: &str) -> Result<(&'t str, &'t str), Failure> {
    match text.split_once('=') {
        Some((left, right)) if !left.trim().is_empty() && !right.trim().is_empty() => {
            Ok((left.trim(), right.trim()))
        }
        _ => Err(Failure::usage(format!("{option} {text} has no value"), format!("write {example}"))),
    }
}

/// Cells with commas between.
fn cells(session: &Session, option: &str, text: &str) -> Result<Vec<Cell>, Failure> {
    let set = session.processor();
    text.split(',')
        .map(|part| {
            let value = open::number(option, part, Some(set), session)?;
            if value < -(1i64 << (set.cell_bits() - 1)) || value > set.last_cell() as i64 {
                let bytes = if set.is_word_machine() {
                    ""
                } else {
                    "; write the low byte and the high byte with a comma"
                };
                let help = format!("a cell has {} bits{bytes}", set.cell_bits());
                return Err(Failure::usage(format!("{option}: {value} does not fit in a cell"), help));
            }
            Ok(value as u64 & set.last_cell())
        })
        .collect()
}

fn write_console(out: &mut impl Write, output: &[u8]) -> Result<(), Failure> {
    if !output.is_empty() {
        out.write_all(&paint::harmless(output))?;
        if output.last() != Some(&b'\n') {
            writeln!(out)?;
        }
    }
    Ok(())
}

/// The exit status, and what to do where the run did not come to an end.
fn verdict(session: &mut Session, stop: &Stop, arguments: &RunArguments) -> Result<(), Failure> {
    let policy = open::policy(&arguments.target.warnings)?;
    let denied =
        hazards(session, arguments)?.unwrap_or_default().iter().filter(|one| policy.denies(one.code)).count();
    match stop {
        _ if denied > 0 => Err(Failure::Said(1)),
        Stop::Undefined | Stop::Unmapped(_) | Stop::Service(_) => Err(Failure::Said(1)),
        Stop::Cycles if arguments.cycles.is_none() => {
            let name = session.processor().identity.cycle_name;
            let message = format!("the program did not end within {} {name}", thousands(DEFAULT_CYCLES));
            Err(Failure::limit(message, "give --until or --cycles, or look at its loops with --trace"))
        }
        Stop::Cycles if arguments.until.is_some() => {
            let until = arguments.until.as_deref().unwrap_or_default();
            Err(Failure::limit(
                format!("the run did not come to {until} within its limit"),
                "give it more with --cycles",
            ))
        }
        Stop::Operator => Err(Failure::Said(1)),
        _ => Ok(()),
    }
}

#[derive(Serialize)]
struct Ran {
    stop: RanStop,
    /// Where execution left the program; the registers are as they were then.
    #[serde(skip_serializing_if = "Option::is_none")]
    left: Option<RanLeft>,
    registers: BTreeMap<&'static str, u64>,
    /// Apart from the registers, since a name may be both.
    flags: BTreeMap<&'static str, u64>,
    cycles: u64,
    instructions: u64,
    /// What of these was the program's own, where the board has firmware.
    #[serde(skip_serializing_if = "Option::is_none")]
    own: Option<RanOwn>,
    output: String,
    /// Every byte of the output, where not all of it is text.
    #[serde(skip_serializing_if = "Option::is_none")]
    output_bytes: Option<Vec<u8>>,
    /// What the program ended with, where it told a service.
    #[serde(skip_serializing_if = "Option::is_none")]
    exit_code: Option<u8>,
    #[serde(skip_serializing_if = "Option::is_none")]
    screen: Option<Vec<String>>,
    memory: Vec<RanMemory>,
    ports: Vec<PortWrite>,
    /// How many writes came after those, where there were too many to keep.
    #[serde(skip_serializing_if = "Option::is_none")]
    ports_not_kept: Option<u64>,
    /// Where somebody asked for them.
    #[serde(skip_serializing_if = "Option::is_none")]
    hazards: Option<Vec<Hazard>>,
    /// The same.
    #[serde(skip_serializing_if = "Option::is_none")]
    coverage: Option<serde_json::Value>,
}

#[derive(Serialize)]
struct RanStop {
    reason: &'static str,
    at: u32,
    /// Segment and offset, where there are segments.
    #[serde(skip_serializing_if = "Option::is_none")]
    place: Option<String>,
}

#[derive(Serialize)]
struct RanOwn {
    cycles: u64,
    instructions: u64,
}

/// Where execution left the program.
#[derive(Serialize)]
struct RanLeft {
    from: u32,
    to: u32,
}

#[derive(Serialize)]
struct RanMemory {
    start: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    place: Option<String>,
    cells: Vec<Cell>,
}

impl Ran {
    fn of(session: &Session, stop: &Stop, show: &[(u32, u32)]) -> Self {
        let machine = session.machine();
        let left = session.as_left(stop);
        let held = left.as_ref().map_or(machine, |left| &left.machine);
        let registers = machine.set().registers().iter().enumerate();
        let flag = |flag: &Flag| held.get(&machine.set().flag_name(flag)).unwrap_or(0);
        let flags = machine.set().flags().iter().map(|one| (one.name, flag(one)));
        let place = |address| machine.set().is_segmented().then(|| machine.spell(address));
        let memory = show.iter().map(|&(first, last)| RanMemory {
            start: first,
            place: place(first),
            cells: (first..=last).map(|at| machine.cell(at)).collect(),
        });
        Self {
            stop: RanStop {
                reason: stop.reason(),
                at: session.stopped_at(stop),
                place: place(session.stopped_at(stop)),
            },
            left: left.as_ref().map(|left| RanLeft { from: left.from, to: left.to }),
            registers: registers.map(|(place, one)| (one.name, held.register(place))).collect(),
            flags: flags.collect(),
            cycles: machine.cycles(),
            instructions: machine.instructions(),
            own: session.share().map(|own| RanOwn { cycles: own.cycles, instructions: own.instructions }),
            output: String::from_utf8_lossy(machine.output()).into_owned(),
            output_bytes: std::str::from_utf8(machine.output()).is_err().then(|| machine.output().to_vec()),
            exit_code: machine.exit_code(),
            screen: machine.screen().map(|picture| picture.lines()),
            memory: memory.collect(),
            ports: machine.port_writes().to_vec(),
            hazards: None,
            coverage: None,
            ports_not_kept: Some(machine.port_writes_not_kept()).filter(|&count| count > 0),
        }
    }
}
