//! Disassembly: cells to instructions and data, with labels where instructions go to.

mod datum;
mod fitted;
mod parts;
mod source;

use super::reach::{reach, starts};
use crate::image::{Cell, Image};
use crate::processor::{Decoded, InstructionSet, LONGEST, Shape, Usage, decode};
use datum::{datum, numbers};
use fitted::{fitted, relocated};
use parts::Parts;
use serde::Serialize;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Bound;

pub use source::{disassembly_source, source_lines};

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

/// Disassembles an image. What is not an instruction, or is cut off by the end of a segment, becomes data; nothing fails.
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
    let is_code = |address: u32| piece_at(&pieces, address).is_some_and(|piece| piece.decoded.is_some());
    let parts = Parts::of(set, image, is_code);
    let pieces = if parts.is_empty() { pieces } else { fitted(set, image, pieces, &parts) };
    let mut vectors = match follow {
        Follow::All => Vec::new(),
        Follow::From(_) => vectors(set, image, &pieces),
    };
    let mut names = names(set, &pieces, &vectors, known);
    for base in parts.named() {
        names.extend(parts.label(set, base).map(|label| (base, label)));
    }
    if let (false, Some(start)) = (parts.is_empty(), image.start()) {
        names.entry(start).or_insert_with(|| "start".to_string());
    }
    vectors.extend(relocated(set, image, &pieces, &parts));
    vectors.sort_by_key(|vector| vector.at);
    let mut lines = Vec::with_capacity(pieces.len());
    for piece in &pieces {
        match piece.decoded {
            Some(decoded) => {
                let name_of = |address: u64| {
                    // In a program in segments a number is not a place: only where execution goes is one.
                    let is_place =
                        parts.is_empty() || decoded.goes_to().is_some_and(|to| u64::from(to) == address);
                    let is_named = is_place && !may_leave_page_zero(set, image, piece, address);
                    names.get(&(address as u32)).filter(|_| is_named).cloned()
                };
                let text = match decoded.row.usage {
                    // No source text yields this opcode, so its cells are written.
                    Usage::Found => numbers(set, piece.cells),
                    _ if !comes_back(&decoded, piece.cells) => numbers(set, piece.cells),
                    _ => decoded.text(set, &name_of),
                };
                let is_changed = parts.is_relocated(image, piece.address, piece.cells.len());
                let text = match is_changed.then_some((piece.address, piece.cells)) {
                    Some(place) => parts
                        .instruction(set, image, place, &text)
                        // A name has taken the place of the number.
                        .or_else(|| parts.instruction(set, image, place, &decoded.text(set, &|_| None)))
                        .unwrap_or(text),
                    None => text,
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
            None => data(set, piece, &names, (&vectors, &parts), &mut lines),
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

/// The last piece that begins at an address or in front of it.
fn piece_at<'p, 'i>(pieces: &'p [Piece<'i>], address: u32) -> Option<&'p Piece<'i>> {
    pieces[..pieces.partition_point(|piece| piece.address <= address)].last()
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

/// Two cells that hold more than numbers.
struct Vector {
    at: u32,
    holds: Holds,
}

enum Holds {
    /// An address that the processor finds there: what it is for, where it leads.
    Address(&'static str, u32),
    /// A segment, which the loader puts there, by its label.
    Segment(String),
}

/// The vectors that stand among the data.
fn vectors(set: &'static InstructionSet, image: &Image, pieces: &[Piece<'_>]) -> Vec<Vector> {
    let is_data = |at: u32| {
        piece_at(pieces, at)
            .is_some_and(|one| one.decoded.is_none() && at + 1 - one.address < one.cells.len() as u32)
    };
    let all = set.interrupts.pointers.iter().filter(|&&(_, at)| is_data(at));
    all.filter_map(|&(name, at)| Some(Vector { at, holds: Holds::Address(name, image.pointer_at(at)?) }))
        .collect()
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
        let piece = piece_at(pieces, address)?;
        let inside = ((address - piece.address) as usize) < piece.cells.len();
        (inside && (piece.decoded.is_none() || piece.address == address)).then_some(())
    };
    let mut names = BTreeMap::new();
    for piece in pieces {
        if let Some(name) = known(piece.address) {
            names.insert(piece.address, name);
        }
    }
    for vector in vectors {
        let Holds::Address(name, to) = &vector.holds else { continue };
        if place(*to).is_some() {
            names.entry(*to).or_insert_with(|| name.to_lowercase());
        }
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
    (vectors, parts): (&[Vector], &Parts),
    lines: &mut Vec<DisassembledLine>,
) {
    let mut at = 0;
    while at < piece.cells.len() {
        let address = piece.address + at as u32;
        let end = address + (piece.cells.len() - at) as u32 - 1;
        let label = names.range((Bound::Excluded(address), Bound::Included(end))).next().map(|row| *row.0);
        let next = vectors.iter().map(|vector| vector.at).find(|&vector| vector > address);
        let stop =
            label.into_iter().chain(next).chain(parts.after(address)).filter(|&stop| stop <= end).min();
        let cells = &piece.cells[at..stop.map_or(piece.cells.len(), |stop| (stop - piece.address) as usize)];
        let vector = vectors.iter().find(|vector| vector.at == address).filter(|_| cells.len() >= 2);
        let (length, text) = match vector {
            Some(Vector { holds: Holds::Segment(name), .. }) => (2, format!("dw {name}")),
            Some(Vector { holds: Holds::Address(_, to), .. }) => {
                let name = names.get(to).cloned();
                let name = name.unwrap_or_else(|| set.habit().literal((*to).into(), set.address_bits()));
                (2, format!("dw {name}"))
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
