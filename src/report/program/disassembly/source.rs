//! A disassembly, and an assembled program, as lines of source.

use super::DisassembledLine;
use super::datum::NUMBERS;
use super::parts::Parts;
use crate::assembler::{Assembly, LineKind, statement};
use crate::image::Image;
use crate::number::{character, push_blanks, push_digits};
use crate::processor::{InstructionSet, decode};
use crate::text::{Text, Tone};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

/// A disassembly as source text that assembles to the same cells, with address, cells and characters in the comments.
pub fn disassembly_source(set: &InstructionSet, image: &Image, lines: &[DisassembledLine]) -> Text {
    let mut text = Text::new();
    text.line().put(format!("        cpu {}", set.name()));
    let parts = Parts::of(set, image, |address| {
        let at = lines.partition_point(|line| line.address <= address).checked_sub(1);
        at.is_some_and(|at| !lines[at].meaning.is_empty())
    });
    let mut next = None;
    let mut mode = set.modes.map(|modes| modes.name);
    let starts = image.segments().iter().map(|segment| segment.start);
    let starts: BTreeSet<u32> = starts.collect();
    for line in lines {
        if let Some(heading) = parts.heading(set, line.address) {
            text.line().line().put(format!("        {heading}"));
        } else if parts.is_empty() && (next != Some(line.address) || starts.contains(&line.address)) {
            text.line()
                .line()
                .put(format!("        org {}", set.habit().literal(line.address.into(), set.address_bits())));
        }
        next = line.address.checked_add(line.cells.len() as u32);
        if line.mode.is_some() && line.mode != mode {
            mode = line.mode;
            text.line().put(format!("        mode {}", mode.unwrap_or_default()));
        }
        text.line();
        // PERF: put together by hand; a 64K image has some thirty thousand lines.
        let mut statement = String::with_capacity(40);
        match &line.label {
            Some(label) if label.len() > 6 => {
                text.tone(Tone::Strong, format!("{label}:")).line();
            }
            Some(label) => {
                text.tone(Tone::Strong, format!("{label}:"));
                push_blanks(&mut statement, 7 - label.len());
            }
            None => {}
        }
        if line.label.as_ref().is_none_or(|label| label.len() > 6) {
            push_blanks(&mut statement, 8);
        }
        statement.push_str(&line.text);
        push_blanks(&mut statement, 23usize.saturating_sub(line.text.len()) + 1);
        text.put(statement);
        // An instruction is shown cell by cell; in data the numbers stand in the line already.
        let radix = set.habit().table_radix();
        let mut comment = String::with_capacity(24);
        comment.push_str("; ");
        match parts.is_empty() {
            true => push_digits(&mut comment, line.address.into(), radix, set.address_bits()),
            false => comment.push_str(&parts.spell(set, line.address)),
        }
        if line.meaning.is_empty() {
            if !line.text.contains('"') {
                let characters = line.cells.iter().take(NUMBERS).map(|&cell| character(cell));
                comment.push_str("  ");
                comment.extend(characters);
            }
        } else {
            comment.push(' ');
            for &cell in &line.cells {
                comment.push(' ');
                push_digits(&mut comment, cell, radix, set.cell_bits());
            }
        }
        text.tone(Tone::Faint, comment);
    }
    for line in parts.behind(set, image) {
        let blank = if line.starts_with("part") { "\n        " } else { "        " };
        text.line().put(format!("{blank}{line}"));
    }
    if let Some(entry) = image.entry() {
        let label = lines.iter().find(|line| line.address == entry).and_then(|line| line.label.clone());
        let label = label.filter(|_| !parts.is_empty());
        let entry = label.unwrap_or_else(|| set.habit().literal(entry.into(), set.address_bits()));
        text.line().line().put(format!("        entry {entry}"));
    }
    text
}

/// The lines of an assembled program in order of address, as its source has them: label, statement and cells.
pub fn source_lines(assembly: &Assembly) -> Vec<DisassembledLine> {
    let labels = assembly.symbols.labels();
    let mut lines: BTreeMap<u32, DisassembledLine> = BTreeMap::new();
    for line in &assembly.lines {
        let Some((count, row)) = line.kind.cells() else { continue };
        let cells = assembly.image.cells_at(line.address, count as usize).to_vec();
        let set = assembly.set_at(line.address);
        let timing = assembly.timing_at(line.address, row);
        let row = row.checked_sub(1).zip(set).and_then(|(row, set)| set.rows().get(usize::from(row)));
        let text = match (line.kind, set) {
            // The line says `when z`; what is keyed in is the branch.
            (LineKind::Generated { .. }, Some(set)) => {
                let name_of = |address: u64| labels.get(&(address as u32)).map(|name| (*name).to_string());
                let decoded = decode(set, &cells, line.address).ok().flatten();
                decoded.map_or(String::new(), |decoded| decoded.text(set, &name_of))
            }
            _ => statement(assembly.sources.line(line.span())),
        };
        lines.insert(
            line.address,
            DisassembledLine {
                address: line.address,
                cells,
                label: labels.get(&line.address).map(|name| (*name).to_string()),
                text,
                meaning: row.map_or(Cow::Borrowed(""), |row| Cow::Borrowed(row.meaning)),
                cycles: timing.map_or(String::new(), |timing| timing.to_string()),
                mode: None,
            },
        );
    }
    // What the assembler put into the pools is keyed in, too.
    for cell in &assembly.pool {
        let literal = || assembly.set.map_or_else(String::new, |set| set.cell(cell.value));
        let name = assembly
            .set
            .and_then(|set| labels.get(&set.window(cell.address).address(cell.value)))
            .filter(|_| cell.link);
        let text = match name {
            Some(name) => format!("link to {name}"),
            None if cell.link => format!("link to {}", literal()),
            None => format!("literal {}", literal()),
        };
        let line = DisassembledLine {
            address: cell.address,
            cells: vec![cell.value],
            label: None,
            text,
            meaning: Cow::Borrowed(""),
            cycles: String::new(),
            mode: None,
        };
        lines.insert(cell.address, line);
    }
    lines.into_values().collect()
}
