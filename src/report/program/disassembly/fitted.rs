//! Instructions and words of a program in parts, fitted to what a source can say.

use super::parts::Parts;
use super::{Holds, Piece, Vector, comes_back, piece_at};
use crate::image::Image;
use crate::processor::{InstructionSet, Usage};
use std::collections::{BTreeMap, BTreeSet};

/// The same pieces, but for instructions that no source in parts could have: across the end of one, to a place where no label of the
/// same part can stand, or with a number that the loader changes and no label stands for. They become data.
pub(super) fn fitted<'i>(
    set: &'static InstructionSet,
    image: &'i Image,
    mut pieces: Vec<Piece<'i>>,
    parts: &Parts,
) -> Vec<Piece<'i>> {
    let begins: BTreeSet<u32> =
        pieces.iter().filter(|piece| piece.decoded.is_some()).map(|piece| piece.address).collect();
    let data: BTreeMap<u32, u32> = pieces
        .iter()
        .filter(|piece| piece.decoded.is_none())
        .map(|piece| (piece.address, piece.address + piece.cells.len() as u32))
        .collect();
    let halves: BTreeSet<u32> = image.relocations().iter().map(|&at| at + 1).collect();
    let can_be_named = |at: u32| {
        let in_data = || data.range(..=at).next_back().is_some_and(|(_, &end)| at < end);
        !halves.contains(&at) && (begins.contains(&at) || in_data())
    };
    let cut: BTreeSet<u32> = image.relocations().iter().flat_map(|&at| [at, at + 1]).collect();
    for piece in &mut pieces {
        let Some(decoded) = piece.decoded else { continue };
        let end = piece.address + piece.cells.len() as u32;
        let is_across = parts.after(piece.address).is_some_and(|next| next < end);
        let is_changed = cut.range(piece.address..end).next().is_some();
        let text = || decoded.text(set, &|_| None);
        let is_said = || {
            let is_written = decoded.row.usage != Usage::Found && comes_back(&decoded, piece.cells);
            let place = (piece.address, piece.cells);
            is_written && parts.instruction(set, image, place, &text()).is_some()
        };
        let near = decoded.near_target();
        let leads_astray = near.is_some_and(|to| {
            let to = to as u32;
            !can_be_named(to) || !parts.are_one(piece.address, to)
        });
        if is_across || leads_astray || is_changed && !is_said() {
            piece.decoded = None;
        }
    }
    let mut joined: Vec<Piece<'i>> = Vec::with_capacity(pieces.len());
    for piece in pieces {
        match joined.last_mut() {
            Some(last)
                if last.decoded.is_none()
                    && piece.decoded.is_none()
                    && last.address + last.cells.len() as u32 == piece.address =>
            {
                last.cells = image.cells_at(last.address, last.cells.len() + piece.cells.len());
            }
            _ => joined.push(piece),
        }
    }
    joined
}

/// The words among the data that the loader changes.
pub(super) fn relocated(
    set: &InstructionSet,
    image: &Image,
    pieces: &[Piece<'_>],
    parts: &Parts,
) -> Vec<Vector> {
    let in_data = |at: u32| piece_at(pieces, at).is_some_and(|piece| piece.decoded.is_none());
    let words = image.relocations().iter().filter(|&&at| in_data(at));
    words
        .filter_map(|&at| Some(Vector { at, holds: Holds::Segment(parts.word_at(set, image, at)?) }))
        .collect()
}
