//! Disassembly: cells to instructions and data, with labels where instructions go to.

use super::reach::{reach, starts};
use crate::assembler::{Assembly, LineKind, statement};
use crate::image::{Cell, Image};
use crate::number::{character, push_blanks, push_digits};
use crate::processor::{Decoded, InstructionSet, LONGEST, Shape, Usage, decode};
use crate::text::{Text, Tone};
use serde::Serialize;
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Bound;

/// One line of a disassembly.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct DisassembledLine {
    /// Address of the first cell.
    pub address: u32,
    /// The cells.
    pub cells: Vec<Cell>,
    /// The label that stands here, where something goes to it.
    pub label: Option<String>,
    /// The instruction, or `db` or `dw` with the cells.
    pub text: String,
    /// What it does; empty for data.
    pub meaning: Cow<'static, str>,
    /// Cycles; empty for data.
    pub cycles: String,
    /// The mode of the instruction, where the processor has several.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mode: Option<&'static str>,
}

/// Which cells are taken for instructions.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Follow<'a> {
    /// Every one, from the first on.
    All,
    /// Those that execution reaches from the image's start, from vectors that hold a jump, and from these addresses.
    From(&'a [u32]),
}

/// The most characters and the most numbers in a line of data.
const TEXT: usize = 40;
const NUMBERS: usize = 8;
/// So many printable characters in a row are taken for a text.
const LEAST_TEXT: usize = 4;
/// So many equal cells in a row are written as `ds`.
const LEAST_RUN: usize = 16;

/// Disassembles an image. What is no instruction, or is cut off by the end of a segment, becomes data; nothing fails.
///
/// `known` may name addresses; every other address that an instruction of the image goes to or takes its data from gets a
/// label such as `at4000`.
pub fn disassemble(
    set: &'static InstructionSet,
    image: &Image,
    follow: Follow<'_>,
    known: &dyn Fn(u32) -> Option<String>,
) -> Vec<DisassembledLine> {
    let pieces = match follow {
        Follow::All => all(set, image),
        Follow::From(entries) => followed(set, image, entries),
    };
    let vectors = match follow {
        Follow::All => Vec::new(),
        Follow::From(_) => vectors(set, image, &pieces),
    };
    let names = names(set, &pieces, &vectors, known);
    let mut lines = Vec::with_capacity(pieces.len());
    for piece in &pieces {
        match piece.decoded {
            Some(decoded) => {
                let name_of = |address: u64| {
                    let is_named = !may_leave_page_zero(set, image, piece, address);
                    names.get(&(address as u32)).filter(|_| is_named).cloned()
                };
                let text = match decoded.row.usage {
                    // No source text yields this opcode, so its cells are written.
                    Usage::Found => numbers(set, piece.cells),
                    _ if !comes_back(&decoded, piece.cells) => numbers(set, piece.cells),
                    _ => decoded.text(set, &name_of),
                };
                lines.push(DisassembledLine {
                    address: piece.address,
                    cells: piece.cells.to_vec(),
                    label: names.get(&piece.address).cloned(),
                    text,
                    meaning: decoded.meaning(),
                    cycles: decoded.timing().to_string(),
                    mode: decoded.set.modes.map(|modes| modes.name),
                });
            }
            None => data(set, piece, &names, &vectors, &mut lines),
        }
    }
    lines
}

/// True where a name would not do for an operand in page zero: the image goes on past its end, so that the assembler, which takes the long
/// form of what stands further down at first, may find it there and stay with that.
fn may_leave_page_zero(set: &InstructionSet, image: &Image, piece: &Piece<'_>, address: u64) -> bool {
    let holds =
        |segment: &crate::image::Segment, at: u64| (u64::from(segment.start)..segment.end()).contains(&at);
    set.table.zero_page_forms
        && piece.cells.len() == 2
        && address <= 0xFF
        && image.segments().iter().any(|segment| holds(segment, address) && holds(segment, 0x100))
}

/// An instruction, or cells that are none.
struct Piece<'i> {
    address: u32,
    cells: &'i [Cell],
    decoded: Option<Decoded>,
}

/// Every cell taken for an instruction where it is one.
fn all<'i>(set: &'static InstructionSet, image: &'i Image) -> Vec<Piece<'i>> {
    let mut pieces = Vec::new();
    for segment in image.segments() {
        let mut at = 0;
        while at < segment.cells.len() {
            let rest = &segment.cells[at..];
            let decoded = decode(set, rest, segment.start + at as u32).ok().flatten();
            let cells = &rest[..decoded.map_or(1, |decoded| decoded.cells())];
            pieces.push(Piece { address: segment.start + at as u32, cells, decoded });
            at += cells.len();
        }
    }
    pieces
}

/// The instructions that are reached, and what lies between them in one piece.
fn followed<'i>(set: &'static InstructionSet, image: &'i Image, entries: &[u32]) -> Vec<Piece<'i>> {
    let entries: Vec<u32> = starts(set, image).into_iter().chain(entries.iter().copied()).collect();
    let reach = reach(set, image, &entries);
    let mut instructions = reach.instructions().peekable();
    let mut pieces = Vec::new();
    for segment in image.segments() {
        let mut at = 0;
        while at < segment.cells.len() {
            let address = segment.start + at as u32;
            let next = instructions.peek().filter(|(next, _)| u64::from(*next) < segment.end());
            let (length, decoded) = match next {
                Some(&(next, decoded)) if next == address => {
                    instructions.next();
                    (decoded.cells(), Some(decoded))
                }
                Some(&(next, _)) => ((next - address) as usize, None),
                None => (segment.cells.len() - at, None),
            };
            pieces.push(Piece { address, cells: &segment.cells[at..at + length], decoded });
            at += length;
        }
    }
    pieces
}

/// Two cells that hold an address: where the processor finds it, what it is for, where it leads.
struct Vector {
    at: u32,
    name: &'static str,
    to: u32,
}

/// The vectors that stand among the data.
fn vectors(set: &'static InstructionSet, image: &Image, pieces: &[Piece<'_>]) -> Vec<Vector> {
    let is_data = |at: u32| {
        let piece = pieces.partition_point(|piece| piece.address <= at).checked_sub(1).map(|at| &pieces[at]);
        piece.is_some_and(|one| one.decoded.is_none() && (at - one.address + 1) < one.cells.len() as u32)
    };
    let all = set.interrupts.pointers.iter().filter(|&&(_, at)| is_data(at));
    let mut vectors: Vec<Vector> =
        all.filter_map(|&(name, at)| Some(Vector { at, name, to: image.pointer_at(at)? })).collect();
    vectors.sort_by_key(|vector| vector.at);
    vectors
}

/// The names of addresses: those that are known, labels for what instructions speak of, and for where vectors lead.
fn names(
    set: &InstructionSet,
    pieces: &[Piece<'_>],
    vectors: &[Vector],
    known: &dyn Fn(u32) -> Option<String>,
) -> BTreeMap<u32, String> {
    // Sorted addresses that a label can stand at: every instruction, and every cell of data.
    let place = |address: u32| {
        let at = pieces.partition_point(|piece| piece.address <= address).checked_sub(1)?;
        let piece = &pieces[at];
        let inside = ((address - piece.address) as usize) < piece.cells.len();
        (inside && (piece.decoded.is_none() || piece.address == address)).then_some(())
    };
    let mut names = BTreeMap::new();
    for piece in pieces {
        if let Some(name) = known(piece.address) {
            names.insert(piece.address, name);
        }
    }
    for vector in vectors.iter().filter(|vector| place(vector.to).is_some()) {
        names.entry(vector.to).or_insert_with(|| vector.name.to_lowercase());
    }
    for piece in pieces {
        let Some(decoded) = piece.decoded else { continue };
        for (shape, &operand) in decoded.row.operands.iter().zip(&decoded.operands) {
            let address = operand as u32;
            if shape.is_address() && place(address).is_some() {
                names
                    .entry(address)
                    .or_insert_with(|| format!("at{}", set.habit().plain(operand, set.address_bits())));
            }
        }
    }
    names
}

/// Cells that are no instructions: vectors, texts, runs and numbers, broken where a label or a vector stands.
fn data(
    set: &InstructionSet,
    piece: &Piece<'_>,
    names: &BTreeMap<u32, String>,
    vectors: &[Vector],
    lines: &mut Vec<DisassembledLine>,
) {
    let mut at = 0;
    while at < piece.cells.len() {
        let address = piece.address + at as u32;
        let end = address + (piece.cells.len() - at) as u32 - 1;
        let label = names.range((Bound::Excluded(address), Bound::Included(end))).next().map(|row| *row.0);
        let next = vectors.iter().map(|vector| vector.at).find(|&vector| vector > address);
        let stop = label.into_iter().chain(next.filter(|&next| next <= end)).min();
        let cells = &piece.cells[at..stop.map_or(piece.cells.len(), |stop| (stop - piece.address) as usize)];
        let vector = vectors.iter().find(|vector| vector.at == address).filter(|_| cells.len() >= 2);
        let (length, text) = match vector {
            Some(vector) => {
                let to = names.get(&vector.to).cloned();
                let to = to.unwrap_or_else(|| set.habit().literal(vector.to.into(), set.address_bits()));
                (2, format!("dw {to}"))
            }
            None => datum(set, cells),
        };
        lines.push(DisassembledLine {
            address,
            cells: cells[..length].to_vec(),
            label: names.get(&address).cloned(),
            text,
            meaning: Cow::Borrowed(""),
            cycles: String::new(),
            mode: None,
        });
        at += length;
    }
}

/// The character that ends a text for many services.
const MARKER: Cell = b'$' as Cell;

/// What the first cells are best written as, and how many they are.
fn datum(set: &InstructionSet, cells: &[Cell]) -> (usize, String) {
    let literal = |cell: Cell| set.habit().literal(cell, set.cell_bits());
    let run = cells.iter().take_while(|&&cell| cell == cells[0]).count();
    if run >= LEAST_RUN {
        let count = if set.is_word_machine() { format!("{run}.") } else { run.to_string() };
        return (run, format!("ds {count}, {}", literal(cells[0])));
    }
    let printable = text_length(cells);
    if printable >= LEAST_TEXT {
        let mut text = String::from("db \"");
        for &cell in &cells[..printable] {
            if matches!(cell as u8, b'"' | b'\\') {
                text.push('\\');
            }
            text.push(char::from(cell as u8));
        }
        text.push('"');
        // What ends a text, or goes with its end, stands in the same line.
        let tail = cells[printable..].iter().take(3).take_while(|&&cell| matches!(cell, 0 | 0x0A | 0x0D));
        let tail: Vec<Cell> = tail.copied().collect();
        for &cell in &tail {
            text.push_str(", ");
            text.push_str(&literal(cell));
        }
        let mut length = printable + tail.len();
        if !tail.is_empty() && cells.get(length) == Some(&MARKER) {
            text.push_str(", \"$\"");
            length += 1;
        }
        return (length, text);
    }
    let mut length = 1;
    while length < cells.len().min(NUMBERS) && !begins_other(&cells[length..]) {
        length += 1;
    }
    (length, numbers(set, &cells[..length]))
}

/// True where the instruction is encoded to the same cells again. In page zero the bit for the own page says nothing new, and the
/// assembler leaves it out.
fn comes_back(decoded: &Decoded, cells: &[Cell]) -> bool {
    // A branch of a mode may go round in its window, which its address alone does not tell.
    let goes_round = decoded.set.modes.is_some()
        && decoded.row.operands.iter().zip(decoded.operands).any(|(shape, target)| {
            let end = i64::from(decoded.at) + decoded.cells() as i64;
            *shape == Shape::Relative && !(-128..=127).contains(&(target as i64 - end))
        });
    let mut room = [0; LONGEST];
    !goes_round && decoded.encoded(&mut room) == cells
}

/// Cells as numbers behind `db`, or `dw` where a cell is a word.
fn numbers(set: &InstructionSet, cells: &[Cell]) -> String {
    let numbers: Vec<String> = cells.iter().map(|&cell| set.habit().literal(cell, set.cell_bits())).collect();
    let directive = if set.is_word_machine() { "dw" } else { "db" };
    format!("{directive} {}", numbers.join(", "))
}

fn begins_other(cells: &[Cell]) -> bool {
    let run = || cells.iter().take(LEAST_RUN).take_while(|&&cell| cell == cells[0]).count();
    text_length(cells) >= LEAST_TEXT || run() >= LEAST_RUN
}

fn text_length(cells: &[Cell]) -> usize {
    let printable = cells.iter().take(TEXT).take_while(|cell| (0x20..0x7F).contains(*cell)).count();
    // A marker ends a text, where what stands in front of it is one.
    let marker = cells[..printable].iter().position(|&cell| cell == MARKER).map(|at| at + 1);
    marker.filter(|&length| length >= LEAST_TEXT).unwrap_or(printable)
}

/// A disassembly as source text that assembles to the same cells, with address, cells and characters in the comments.
pub fn disassembly_source(set: &InstructionSet, image: &Image, lines: &[DisassembledLine]) -> Text {
    let mut text = Text::new();
    text.line().put(format!("        cpu {}", set.name()));
    let mut next = None;
    let mut mode = set.modes.map(|modes| modes.name);
    let starts = image.segments().iter().map(|segment| segment.start);
    let starts: BTreeSet<u32> = starts.collect();
    for line in lines {
        if next != Some(line.address) || starts.contains(&line.address) {
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
        push_digits(&mut comment, line.address.into(), radix, set.address_bits());
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
    if let Some(entry) = image.entry() {
        text.line()
            .line()
            .put(format!("        entry {}", set.habit().literal(entry.into(), set.address_bits())));
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
