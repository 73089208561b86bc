//! `card`: the sheet to key a program in from.

use super::drawing::{self, ground};
use crate::arguments::CardArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::machine::Area;
use plain_byte::number::thousands;
use plain_byte::processor::InstructionSet;
use plain_byte::report::{BlankCard, Follow, Grouping, card, disassemble, source_lines};
use plain_byte::text::Text;

/// More cells than this are keyed in by nobody.
const MOST_CELLS: usize = 1 << 16;

pub fn run(arguments: &CardArguments) -> Result<(), Failure> {
    if let Some(cells) = arguments.blank {
        return blank(arguments, cells);
    }
    let program = drawing::program(&arguments.drawing)?;
    let cells = program.image.cells();
    if cells > MOST_CELLS {
        let message = format!("{} has {} cells", program.name, thousands(cells as u64));
        let help = format!(
            "a card has room for {}, which is more than anybody keys in",
            thousands(MOST_CELLS as u64)
        );
        return Err(Failure::input(message, help));
    }
    let lines = match &program.assembly {
        Some(assembly) => source_lines(assembly),
        None => disassemble(program.set, &program.image, Follow::From(&[]), &|_| None),
    };
    let grouping = grouping(arguments, program.set);
    let card = card(&program.name, program.set, &lines, program.image.start_for(program.set), grouping);
    if arguments.json {
        let rows: Vec<_> = card
            .rows()
            .iter()
            .map(|row| {
                serde_json::json!({ "address": row.address, "cell": row.cell, "label": row.label, "text": row.text })
            })
            .collect();
        let start = program.image.start_for(program.set);
        return super::print_json(
            &serde_json::json!({ "processor": program.set.name(), "start": start, "rows": rows }),
        );
    }
    let output = arguments.drawing.output.as_deref();
    let kept = output.filter(|file| is_text(file));
    let is_drawn = output.is_some() && kept.is_none();
    let wants_switches = arguments.switches || arguments.octal || is_drawn;
    if let Some(found) = program.board.filter(|_| !wants_switches)
        && (found.board.keying.is_some() || found.board.front.is_some())
    {
        let found = found.board;
        let is_ram = |address: u32| {
            let holds = |area: &&Area| (area.first..=area.last).contains(&address);
            found.memory.iter().find(holds).is_some_and(|area| area.kind.is_writable())
        };
        if let Some(row) = card.rows().iter().find(|row| !is_ram(row.address)) {
            let place = program.set.address(row.address.into());
            let help = "choose another origin; `plainbyte boards NAME` shows its memory";
            return Err(Failure::input(format!("the board {} has no RAM at {place}", found.name), help));
        }
        let text = match &found.keying {
            Some(keying) => card.keypad_text(keying),
            None => card.front_text(),
        };
        return show(&text, kept);
    }
    match output.filter(|_| is_drawn) {
        None => show(&card.text(), kept),
        Some(file) => {
            let svg = card.svg(ground(&arguments.drawing)).map_err(|error| {
                Failure::input(error.to_string(), "print the text, or take a part of the program")
            })?;
            drawing::write(file, &svg)
        }
    }
}

/// An empty card, to write on.
fn blank(arguments: &CardArguments, cells: u32) -> Result<(), Failure> {
    let what = &arguments.drawing.what;
    let asked = open::cpu_option(what.cpu.as_deref())?;
    let board =
        what.board.as_deref().map(|name| open::board(name, asked)).transpose()?.map(|found| found.board);
    let Some(set) = asked.or(board.as_ref().map(|board| board.set)) else {
        let help = "name it with --cpu, or the board with --board";
        return Err(Failure::usage("an empty card is for a processor, and none is named", help));
    };
    let first = match &what.at {
        Some(at) => open::address("--at", at, set, &NoNames)?,
        None => board.map_or(0, |board| board.load),
    };
    let card = BlankCard::new(set, first, cells, grouping(arguments, set));
    match arguments.drawing.output.as_deref() {
        Some(file) if !is_text(file) => {
            let svg = card
                .svg(ground(&arguments.drawing))
                .map_err(|error| Failure::input(error.to_string(), "ask for fewer cells"))?;
            drawing::write(file, &svg)
        }
        file => show(&card.text(), file),
    }
}

fn grouping(arguments: &CardArguments, set: &InstructionSet) -> Grouping {
    let octal = arguments.octal || set.habit().table_radix() == 8;
    if octal { Grouping::Threes } else { Grouping::Fours }
}

/// A card that is kept as a script or as a text is what is printed otherwise.
fn is_text(file: &str) -> bool {
    [".panel", ".txt"].iter().any(|ending| file.ends_with(ending))
}

/// Prints the card, or keeps it in a file.
fn show(text: &Text, file: Option<&str>) -> Result<(), Failure> {
    let Some(file) = file else { return Ok(paint::show(text)?) };
    files::must_write(file, text.to_string().as_bytes())?;
    drawing::tell_written(file)
}
