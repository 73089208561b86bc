//! What came of a case beside what was expected: the values in the radixes that people read, how far they are apart, and what wrote them last.

use super::cases::{Expected, RunTable, address, cells, number, wrong_at};
use super::{Change, Limits, Session, Step, Stop};
use crate::diagnostic::Diagnostic;
use crate::image::Cell;
use crate::machine::services::transient::FileName;
use crate::number::Habit;
use crate::processor::Named;
use std::collections::HashMap;

/// More cells of a list that differ than this are counted and not told.
const MOST_CELLS: usize = 4;

/// A case of more instructions than this is not carried out again to find out what wrote a value.
const MOST_INSTRUCTIONS: u64 = 3_000_000;

/// A value that was not as expected, by what holds it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) enum Held {
    Cell(u32),
    Register(String),
    Port(u32),
}

/// Something that was not as expected.
#[derive(Debug, Clone)]
pub(super) struct Difference {
    /// A sentence.
    pub text: String,
    /// What holds the value, where something in the machine does.
    pub held: Option<Held>,
}

impl From<String> for Difference {
    fn from(text: String) -> Self {
        Self { text, held: None }
    }
}

/// The instructions that wrote values last.
#[derive(Debug, Default)]
struct Writers {
    last: HashMap<Held, u32>,
}

impl Writers {
    fn take(&mut self, step: &Step) {
        for change in &step.changes {
            let held = match *change {
                Change::Cell { address, .. } | Change::Chip { address, written: true, .. } => {
                    Held::Cell(address)
                }
                Change::Register { name, .. } | Change::Flag { name, .. } => {
                    Held::Register(name.to_uppercase())
                }
                Change::Out { port, .. } => Held::Port(port),
                _ => continue,
            };
            self.last.insert(held, step.address);
        }
    }
}

/// Adds to what was not as expected which instruction wrote it last: the case is carried out again, from `start` on.
pub(super) fn add_writers(mut start: Session, limits: Limits, instructions: u64, found: &mut [Difference]) {
    if found.iter().all(|one| one.held.is_none()) || instructions > MOST_INSTRUCTIONS {
        return;
    }
    let mut writers = Writers::default();
    start.trace(limits, &mut |_, step| {
        writers.take(step);
        true
    });
    for one in found {
        let Some(held) = &one.held else { continue };
        let said = match writers.last.get(held) {
            Some(&at) => match start.source_line(at) {
                Some(line) => format!("; written last in line {} ({})", line.number, line.text),
                None => format!("; written last at {}", start.machine().spell(at)),
            },
            None => "; the program never wrote it".to_string(),
        };
        one.text.push_str(&said);
    }
}

impl Expected {
    pub(super) fn compare(
        &self,
        session: &Session,
        stop: &Stop,
        run: &RunTable,
    ) -> Result<Vec<Difference>, Box<Diagnostic>> {
        let set = session.processor();
        let mut differences: Vec<Difference> = Vec::new();
        // A case that states no stop must at least have come to its end, or to the place or time it names.
        let arrived = stop.is_end() || *stop == Stop::Until || *stop == Stop::Cycles && run.cycles.is_some();
        match &self.stop {
            Some(wanted) if wanted != stop.reason() => {
                differences.push(format!("it stopped because of {}, wanted {wanted}", stop.reason()).into());
            }
            None if !arrived => {
                let pc = session.machine().spell(session.machine().place());
                differences.push(format!("it stopped at {pc}: {}", stop.words(set)).into());
            }
            _ => {}
        }
        // Firmware that the program went back to has registers of its own.
        let left = session.as_left(stop).filter(|_| !self.registers.is_empty());
        let machine = left.as_ref().map_or(session.machine(), |left| &left.machine);
        for (name, value) in &self.registers {
            let wanted = number(session, value.get_ref(), &value.span())?;
            let Some(is) = machine.get(name) else {
                let message = format!("the {} has no register or flag `{name}`", set.name());
                return Err(wrong_at(
                    &value.span(),
                    message,
                    "`plainbyte chart` shows the registers and flags",
                ));
            };
            let bits = match set.named(name) {
                Some(Named::Register(place)) => set.registers()[place].bits,
                _ => 1,
            };
            let wanted = wanted as u64 & ((1 << bits) - 1);
            if is != wanted {
                let held = Some(Held::Register(name.to_uppercase()));
                differences.push(Difference { text: apart(session, name, is, wanted), held });
            }
        }
        for (place, value) in &self.memory {
            let range = value.span();
            let first = address(session, place, &range)?;
            let wanted = cells(session, value.get_ref(), &range)?;
            let is: Vec<Cell> = (0..wanted.len() as u32).map(|at| session.cell(first + at)).collect();
            let differ: Vec<usize> = (0..wanted.len()).filter(|&at| is[at] != wanted[at]).collect();
            for &at in differ.iter().take(MOST_CELLS) {
                let name = if at == 0 { place.clone() } else { format!("{place} + {at}") };
                let held = Some(Held::Cell(first + at as u32));
                differences.push(Difference { text: apart(session, &name, is[at], wanted[at]), held });
            }
            if differ.len() > MOST_CELLS {
                let more = differ.len() - MOST_CELLS;
                differences.push(format!("and {more} more cells from {place} on differ").into());
            }
        }
        for (port, value) in &self.ports {
            let range = value.span();
            let number = address(session, port, &range)?;
            let wanted = cells(session, value.get_ref(), &range)?;
            let writes = session.machine().port_writes().iter();
            let is: Vec<Cell> =
                writes.filter(|write| write.port == number).map(|write| write.value).collect();
            if is != wanted {
                let first = (0..).find(|&at| is.get(at) != wanted.get(at)).unwrap_or(0);
                let at = match (is.get(first), wanted.get(first)) {
                    (Some(&is), Some(&wanted)) => {
                        format!(
                            "value {} is {}, wanted {}",
                            first + 1,
                            radixes(session, is),
                            radixes(session, wanted)
                        )
                    }
                    (None, Some(&wanted)) => {
                        format!("value {}, {}, never came", first + 1, radixes(session, wanted))
                    }
                    (Some(&is), _) => {
                        format!("value {}, {}, was not wanted", first + 1, radixes(session, is))
                    }
                    _ => String::new(),
                };
                let text = format!(
                    "port {port} got {}, wanted {}; {at}",
                    list(session, &is),
                    list(session, &wanted)
                );
                differences.push(Difference { text, held: Some(Held::Port(number)) });
            }
        }
        self.compare_outside(session, &mut differences)?;
        Ok(differences)
    }

    fn compare_outside(
        &self,
        session: &Session,
        differences: &mut Vec<Difference>,
    ) -> Result<(), Box<Diagnostic>> {
        for (name, value) in &self.lamps {
            let wanted = number(session, value.get_ref(), &value.span())? as u64;
            let Some(is) = session.machine().lamps_named(name) else {
                let message = format!("the board {} has no lamps `{name}`", session.machine().board().name);
                return Err(wrong_at(&value.span(), message, "`plainbyte boards NAME` shows its chips"));
            };
            if is != wanted {
                differences.push(apart(session, &format!("the row of lamps {name}"), is, wanted).into());
            }
        }
        if let Some(wanted) = &self.output {
            let is = String::from_utf8_lossy(session.machine().output());
            if is != *wanted {
                differences.push(
                    format!("the console shows {is:?}, wanted {wanted:?}{}", first_apart(&is, wanted)).into(),
                );
            }
        }
        let picture = session.machine().screen();
        differences.extend(
            self.screen.iter().filter_map(|wanted| wanted.difference(picture.as_ref())).map(Difference::from),
        );
        let exit = session.machine().exit_code();
        if let Some(wanted) = self.exit.filter(|&wanted| Some(wanted) != exit) {
            let is = exit
                .map_or_else(|| "it did not end with a code".to_string(), |is| format!("it ended with {is}"));
            differences.push(format!("{is}, wanted {wanted}").into());
        }
        for (name, wanted) in &self.files {
            let file = FileName::of_host(name).zip(session.machine().disk());
            let is = file.and_then(|(name, disk)| disk.text(name));
            if is.as_ref() != Some(wanted) {
                let is = is.map_or_else(|| "is not there".to_string(), |is| format!("is {is:?}"));
                differences.push(format!("the file {name} {is}, wanted {wanted:?}").into());
            }
        }
        let cycles = session.machine().cycles();
        let name = session.processor().identity.cycle_name;
        if let Some(wanted) = self.cycles.filter(|&wanted| wanted != cycles) {
            differences.push(
                format!("it took {cycles} {name}, wanted {wanted}: {}", more_or_less(cycles, wanted)).into(),
            );
        }
        if let Some(most) = self.most_cycles.filter(|&most| most < cycles) {
            differences.push(
                format!("it took {cycles} {name}, wanted {most} at most: {}", more_or_less(cycles, most))
                    .into(),
            );
        }
        Ok(())
    }
}

/// A value that is another than the one that was wanted.
fn apart(session: &Session, name: &str, is: u64, wanted: u64) -> String {
    let (shown, other) = (radixes(session, is), radixes(session, wanted));
    let (apart, side) = if is > wanted { (is - wanted, "more") } else { (wanted - is, "less") };
    let apart = match session.processor().habit() {
        Habit::Octal => format!("{apart:o}"),
        _ => apart.to_string(),
    };
    format!("{name} is {shown}, wanted {other}: {apart} {side}")
}

fn more_or_less(is: u64, wanted: u64) -> String {
    if is > wanted { format!("{} more", is - wanted) } else { format!("{} less", wanted - is) }
}

/// Where two texts begin to differ.
fn first_apart(is: &str, wanted: &str) -> String {
    let at = is.chars().zip(wanted.chars()).take_while(|(one, other)| one == other).count();
    match (is.chars().nth(at), wanted.chars().nth(at)) {
        (Some(one), Some(other)) => format!("; character {} is {one:?}, not {other:?}", at + 1),
        (None, Some(_)) => format!("; it ends after {at} characters"),
        (Some(_), None) => format!("; it goes on after {at} characters"),
        (None, None) => String::new(),
    }
}

/// A value in the radixes that the processor's people read, their usual one first; as a character, too, where it is one.
fn radixes(session: &Session, value: u64) -> String {
    let character = u8::try_from(value).ok().filter(|byte| (0x21..0x7F).contains(byte));
    let character = character.map_or(String::new(), |byte| format!(", '{}'", char::from(byte)));
    match session.processor().habit() {
        Habit::Octal => format!("{value:o} ({value}.{character})"),
        Habit::DollarHex => format!("{value} (${value:02X}{character})"),
        Habit::IntelHex => {
            let zero = if format!("{value:02X}").starts_with(|digit: char| digit.is_ascii_alphabetic()) {
                "0"
            } else {
                ""
            };
            format!("{value} ({zero}{value:02X}h{character})")
        }
    }
}

fn list(session: &Session, values: &[u64]) -> String {
    let octal = session.processor().habit() == Habit::Octal;
    let value = |value: &u64| if octal { format!("{value:o}") } else { value.to_string() };
    let values: Vec<String> = values.iter().map(value).collect();
    format!("[{}]", values.join(" "))
}
