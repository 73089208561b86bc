//! Disassembly: cells to instructions, one behind the other, with labels where instructions go to.

use super::{Text, Tone};
use crate::image::{Cell, Image};
use crate::number::character;
use crate::processor::{Decoded, InstructionSet, decode};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// One line of a disassembly.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct DisassembledLine {
    /// Address of the first cell.
    pub address: u32,
    /// The cells.
    pub cells: Vec<Cell>,
    /// The label that stands here, where something goes to it.
    pub label: Option<String>,
    /// The instruction, or `db` with the cell.
    pub text: String,
    /// What it does; empty for data.
    pub meaning: &'static str,
    /// Cycles; empty for data.
    pub cycles: String,
}

/// Disassembles an image from its first cell on. What is no instruction, or is cut off by the end of a segment,
/// becomes data; nothing fails.
///
/// `known` may name addresses; every other address that an instruction of the image goes to gets a label such as `at4000`.
pub fn disassemble(
    set: &'static InstructionSet,
    image: &Image,
    known: &dyn Fn(u32) -> Option<String>,
) -> Vec<DisassembledLine> {
    let mut starts = BTreeSet::new();
    let mut targets = BTreeSet::new();
    walk(set, image, &mut |address, _, decoded| {
        starts.insert(address);
        targets.extend(decoded.and_then(|decoded| decoded.target()).map(|target| target as u32));
    });
    let names: BTreeMap<u32, String> = starts
        .iter()
        .filter_map(|&at| {
            let made = || targets.contains(&at).then(|| format!("at{}", set.address(at.into())));
            Some((at, known(at).or_else(made)?))
        })
        .collect();
    let mut lines = Vec::new();
    walk(set, image, &mut |address, cells, decoded| {
        let name_of = |address: u64| names.get(&(address as u32)).cloned();
        lines.push(DisassembledLine {
            address,
            cells: cells.to_vec(),
            label: names.get(&address).cloned(),
            text: match decoded {
                Some(decoded) => decoded.text(set, &name_of),
                None => format!("db {}", set.habit.literal(cells[0], set.cell_bits)),
            },
            meaning: decoded.map_or("", |decoded| decoded.row.meaning),
            cycles: decoded.map_or(String::new(), |decoded| set.timing(decoded.row).to_string()),
        });
    });
    lines
}

/// Sees each stretch: its address, its cells, and the instruction if it is one.
type Seer<'a> = &'a mut dyn FnMut(u32, &[Cell], Option<Decoded>);

fn walk(set: &'static InstructionSet, image: &Image, see: Seer<'_>) {
    for segment in image.segments() {
        let mut at = 0;
        while at < segment.cells.len() {
            let rest = &segment.cells[at..];
            let decoded = decode(set, rest).ok().flatten();
            let length = decoded.map_or(1, |decoded| decoded.cells());
            see(segment.start + at as u32, &rest[..length], decoded);
            at += length;
        }
    }
}

/// A disassembly as source text that assembles to the same cells, with address, cells and characters in the comments.
pub fn disassembly_source(set: &InstructionSet, image: &Image, lines: &[DisassembledLine]) -> Text {
    let mut text = Text::new();
    text.line().put(format!("        cpu {}", set.name));
    let mut next = None;
    let starts = image.segments().iter().map(|segment| segment.start);
    let starts: BTreeSet<u32> = starts.collect();
    for line in lines {
        if next != Some(line.address) || starts.contains(&line.address) {
            text.line()
                .line()
                .put(format!("        org {}", set.habit.literal(line.address.into(), set.address_bits)));
        }
        next = line.address.checked_add(line.cells.len() as u32);
        text.line();
        let label = line.label.as_ref().map(|label| format!("{label}:")).unwrap_or_default();
        if label.len() > 7 {
            text.tone(Tone::Strong, label).line();
            text.put("        ");
        } else {
            text.tone(Tone::Strong, format!("{label:8}"));
        }
        text.put(format!("{:24}", line.text));
        let cells: Vec<String> = line.cells.iter().map(|&cell| set.cell(cell)).collect();
        let characters: String = line.cells.iter().map(|&cell| character(cell)).collect();
        let comment = format!("; {}  {:8}  {characters}", set.address(line.address.into()), cells.join(" "));
        text.tone(Tone::Faint, comment);
    }
    if let Some(entry) = image.entry {
        text.line()
            .line()
            .put(format!("        entry {}", set.habit.literal(entry.into(), set.address_bits)));
    }
    text
}
