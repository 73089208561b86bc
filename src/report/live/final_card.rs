//! The card after a run: why it stopped, where the program was left or goes round, registers, time, lamps, cells that were asked for.

use super::trace::{Radix, flags_text, memory_text};
use crate::machine::Machine;
use crate::number::{clock_text, digits, thousands, time_text};
use crate::processor::Role;
use crate::session::{Circle, Departure, Round, Session, Stop, instruction_at};
use crate::text::{Text, Tone};

/// What a person reads after a run: where and why it stopped, registers in hex and decimal, flags by name, time, and
/// the cells asked for.
pub fn final_card(session: &Session, stop: &Stop, show: &[(u32, u32)]) -> Text {
    let machine = session.machine();
    let set = machine.set();
    let mut text = Text::new();
    let departure = session.departure(stop);
    if let Some(departure) = &departure {
        text.append(departure_line(session, departure));
    }
    let place = place_text(session, session.stopped_at(stop));
    text.line()
        .tone(Tone::Faint, "stopped    ")
        .tone(Tone::Strong, format!("at {place}"))
        .put(format!(": {}", stop.words(set)));
    if let Stop::Polls(round) = stop {
        text.put(format!("; {}", advice(session, round)));
    }
    if matches!(stop, Stop::Repeats(_) | Stop::Polls(_) | Stop::Cycles | Stop::Operator)
        && let Some(circle) = session.circle()
    {
        text.append(circle_line(session, &circle));
    }
    let left = departure.as_ref().filter(|departure| !departure.is_call);
    text.append(registers_card(left.map_or(machine, |left| &left.machine), usize::MAX));
    let (cycles, clock) = (machine.cycles(), machine.board().clock);
    text.line().tone(Tone::Faint, "time       ").put(format!(
        "{} {} in {} instructions: {} at {}",
        thousands(cycles),
        set.identity.cycle_name,
        thousands(machine.instructions()),
        time_text(cycles, clock),
        clock_text(clock),
    ));
    if let Some(own) = session.share().filter(|own| own.instructions < machine.instructions()) {
        text.line().tone(Tone::Faint, "its own    ").put(format!(
            "{} {} in {} instructions; the others are the firmware's",
            thousands(own.cycles),
            set.identity.cycle_name,
            thousands(own.instructions),
        ));
    }
    if let Some(code) = machine.exit_code() {
        text.line().tone(Tone::Faint, "exit code  ").put(format!("{code}  ({code:02X}h)"));
    }
    if let Some(tones) = tones_line(machine) {
        text.append(tones);
    }
    if let Some(lamps) = lamps_line(machine) {
        text.append(lamps);
    }
    for &(first, last) in show {
        text.append(shown_cells(session, first, last));
    }
    text
}

/// What the speaker sounded: tones of the same pitch together.
fn tones_line(machine: &Machine) -> Option<Text> {
    const MOST: usize = 4;
    let clock = machine.board().clock;
    let tones = machine.speaker()?.tones(clock);
    let mut text = Text::new();
    let alike: Vec<_> =
        tones.chunk_by(|one, next| one.hertz.abs_diff(next.hertz) * 50 <= one.hertz).collect();
    for (at, tones) in alike.iter().enumerate().take(MOST) {
        let times = if tones.len() == 1 { String::new() } else { format!(", {} times", tones.len()) };
        let time = time_text(tones[0].to - tones[0].from, clock);
        text.line().tone(Tone::Faint, if at == 0 { "speaker    " } else { "           " });
        text.put(format!("{} Hz for {time}{times}", tones[0].hertz));
    }
    if alike.len() > MOST {
        text.tone(Tone::Faint, "; and others");
    }
    (!text.is_empty()).then_some(text)
}

/// Cells asked for: a short range as a row with the decimal values below, a longer one as a table.
fn shown_cells(session: &Session, first: u32, last: u32) -> Text {
    let machine = session.machine();
    let set = machine.set();
    let label = session.label(first).unwrap_or_default();
    let mut text = Text::new();
    text.line().tone(Tone::Faint, "memory     ").tone(Tone::Strong, machine.spell(first));
    if last - first >= 16 {
        text.put(format!("..{}  {label}", machine.spell(last)));
        text.append(memory_text(machine, first, last, Radix::Habit));
        return text;
    }
    let width = set.last_cell().to_string().len().max(set.cell(0).len());
    let row = |show: &dyn Fn(u64) -> String| -> String {
        (first..=last).map(|at| format!(" {:>width$}", show(machine.cell(at)))).collect()
    };
    text.put(row(&|cell| set.cell(cell))).tone(Tone::Faint, format!("   {label}"));
    let indent = set.address(0).len();
    text.line().tone(Tone::Faint, "decimal    ").put(format!(
        "{:indent$}{}",
        "",
        row(&|cell| cell.to_string())
    ));
    text
}

/// What brings what a program waits for.
fn advice(session: &Session, round: &Round) -> String {
    let machine = session.machine();
    let source = round.reads.first().map_or("", String::as_str);
    if source == "the console" {
        "give it with --input TEXT".to_string()
    } else if machine.has_switches(source) {
        format!("set them with --set {source}=VALUE")
    } else if machine.board().chips.is_empty() {
        "give values with --port PORT=VALUES".to_string()
    } else {
        "give --press KEY@TIME or --input TEXT".to_string()
    }
}

/// Where a program goes round: its lines, the labels there, and what stays the same.
fn circle_line(session: &Session, circle: &Circle) -> Text {
    const MOST: usize = 4;
    let mut text = Text::new();
    let program = session.program();
    let lines: Vec<(&str, usize)> = circle
        .places
        .iter()
        .filter_map(|&at| program?.line(at))
        .map(|line| (line.file.as_str(), line.number))
        .collect();
    let numbers = || lines.iter().map(|line| line.1);
    let place = match (lines.first(), numbers().min(), numbers().max()) {
        (Some((file, _)), Some(first), Some(last)) if first == last => format!("line {first} of {file}"),
        (Some((file, _)), Some(first), Some(last)) => format!("lines {first} to {last} of {file}"),
        _ => {
            let spell = |at: Option<&u32>| session.machine().spell(at.copied().unwrap_or_default());
            format!("{} to {}", spell(circle.places.first()), spell(circle.places.last()))
        }
    };
    text.line().tone(Tone::Faint, "goes round ").put(place);
    let labels: Vec<&str> = circle.places.iter().filter_map(|&at| session.label(at)).collect();
    if !labels.is_empty() {
        let more = if labels.len() > MOST { " …" } else { "" };
        text.put(format!(" ({}{more})", labels[..labels.len().min(MOST)].join(", ")));
    }
    if !circle.unchanged.is_empty() && circle.unchanged.len() <= 16 {
        let does = if circle.unchanged.len() == 1 { "does" } else { "do" };
        text.tone(Tone::Faint, format!("; {} {does} not change there", circle.unchanged.join(" ")));
    }
    text
}

/// How execution went out of the program.
fn departure_line(session: &Session, departure: &Departure) -> Text {
    let mut text = Text::new();
    let to = session.machine().spell(departure.to);
    let from = place_text(session, departure.from);
    match departure {
        Departure { is_call: true, .. } => {
            let name = session.label(departure.to).map_or(String::new(), |label| format!(" ({label})"));
            text.line().tone(Tone::Faint, "inside     ").tone(Tone::Strong, format!("{to}{name}"));
            text.put(", called at ").tone(Tone::Strong, from);
        }
        Departure { by_interrupt, .. } => {
            text.line().tone(Tone::Faint, "left       ").put("the program at ").tone(Tone::Strong, from);
            text.put(if *by_interrupt { " by an interrupt to " } else { " to " }).tone(Tone::Strong, to);
            text.put("; the registers are as it left them");
        }
    }
    text
}

/// An address and what stands there.
fn place_text(session: &Session, shown: u32) -> String {
    let machine = session.machine();
    let program = session.program();
    let line = program.and_then(|program| program.line(shown));
    let mut place = machine.spell(shown);
    match line {
        Some(line) => place.push_str(&format!(" (line {} of {}: {})", line.number, line.file, line.text)),
        None if machine.kind(shown).is_none() => place.push_str(" (no memory there)"),
        None => {
            if let (Some(decoded), _) = instruction_at(machine, shown) {
                place.push_str(&format!(" ({})", decoded.text(machine.set(), &|_| None)));
            }
        }
    }
    place
}

/// Columns of what stands before the registers.
const HEAD: usize = 11;

/// Registers in hex and decimal, flags by name, in so many columns.
pub fn registers_card(machine: &Machine, columns: usize) -> Text {
    let set = machine.set();
    let mut text = Text::new();
    let radix = set.habit().table_radix();
    let shown: Vec<[String; 3]> = set
        .registers()
        .iter()
        .enumerate()
        .filter(|(_, one)| matches!(one.role, Role::Data | Role::Stack | Role::Program))
        .map(|(place, one)| {
            let value = machine.register(place);
            [one.name.to_string(), digits(value, radix, one.bits), value.to_string()]
        })
        .collect();
    let width = |entry: &[String; 3]| entry[1].len().max(entry[2].len()).max(3);
    let heads = ["register", if radix == 8 { "octal" } else { "hex" }, "decimal"];
    let mut left = shown.as_slice();
    while !left.is_empty() {
        let mut room = columns.saturating_sub(HEAD);
        let fitting = left.iter().take_while(|entry| {
            let fits = width(entry) <= room;
            room = room.saturating_sub(width(entry) + 2);
            fits
        });
        let (part, others) = left.split_at(fitting.count().max(1));
        for (line, head) in heads.into_iter().enumerate() {
            let tone = if line == 0 { Tone::Strong } else { Tone::Plain };
            text.line().tone(Tone::Faint, format!("{head:HEAD$}"));
            for entry in part {
                text.tone(tone, format!("{:>1$}  ", entry[line], width(entry)));
            }
        }
        left = others;
    }
    text.line().tone(Tone::Faint, "flags      ").put(flags_text(machine).replace(' ', "  "));
    if let Some(modes) = set.modes {
        let base = set.register("MB").map_or(0, |place| machine.register(place));
        let addresses =
            if !modes.long { format!(", addresses begin with {}", set.cell(base)) } else { String::new() };
        text.line().tone(Tone::Faint, "mode       ").put(format!("{}{addresses}", modes.name));
    }
    accumulators(machine, &mut text);
    text
}

/// Registers that are cells, as far as they hold something: four to a line.
fn accumulators(machine: &Machine, text: &mut Text) {
    let set = machine.set();
    let cells = set.registers().iter().enumerate().filter(|(_, one)| one.role == Role::Cell);
    let held: Vec<_> = cells.clone().filter(|&(place, _)| machine.register(place) != 0).collect();
    for (row, part) in held.chunks(4).enumerate() {
        text.line().tone(Tone::Faint, format!("{:11}", if row == 0 { "in use" } else { "" }));
        for &(place, one) in part {
            let value = machine.register(place);
            text.tone(Tone::Strong, format!("{:>4} ", one.name)).put(format!("{}  ", set.cell(value)));
        }
    }
    if cells.count() > held.len() && !held.is_empty() {
        text.tone(Tone::Faint, "the others are 0");
    }
}

fn lamps_line(machine: &Machine) -> Option<Text> {
    let mut text = Text::new();
    for fitted in machine.chips() {
        let Some(lamps) = fitted.chip.lamps() else { continue };
        text.line().tone(Tone::Faint, format!("{:10} ", fitted.place.name));
        for bit in (0..8).rev() {
            let lit = lamps >> bit & 1 != 0;
            text.tone(if lit { Tone::Live } else { Tone::Faint }, if lit { "● " } else { "○ " });
        }
        text.put(format!("  {}  {}", machine.set().cell(lamps), lamps));
    }
    let (now, clock) = (machine.cycles(), machine.board().clock);
    for (number, lamp) in machine.lamps().iter().enumerate() {
        text.line().tone(Tone::Faint, format!("{:10} ", lamp.name));
        let (tone, words) = if lamp.lit { (Tone::Live, "● lit") } else { (Tone::Faint, "○ dark") };
        text.tone(tone, words).put(format!(", lit for {} in all", time_text(lamp.lit_cycles(now), clock)));
        let changes: Vec<_> = machine.lamp_changes().iter().filter(|change| change.lamp == number).collect();
        // How long it stays lit and dark: what a person measures with a watch.
        let spans = changes.windows(2).map(|pair| (pair[0].lit, pair[1].at - pair[0].at));
        let spans: Vec<(bool, u64)> = spans.collect();
        for (lit, word) in [(true, "lit"), (false, "dark")] {
            let own = || spans.iter().filter(|span| span.0 == lit).map(|span| span.1);
            if let (Some(least), Some(most)) = (own().min(), own().max()) {
                // A few cycles more or less are the same on a watch.
                let (least, most) = (time_text(least, clock), time_text(most, clock));
                let range = if least == most { least } else { format!("{least} to {most}") };
                let times = match own().count() {
                    1 => "once".to_string(),
                    count => format!("{count} times"),
                };
                text.put(format!("; {word} {times} for {range}"));
            }
        }
    }
    (!text.is_empty()).then_some(text)
}
