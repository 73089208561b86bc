//! A large memory as a snapshot keeps it: in pieces, each shared with an earlier snapshot where it is the same.

use std::sync::Arc;

/// Bytes of a piece.
const BYTES: usize = 0x1000;

/// The cells of a memory.
#[derive(Debug, Clone)]
pub(in crate::machine) struct Pieces<T>(Vec<Arc<[T]>>);

impl<T: Copy + PartialEq> Pieces<T> {
    /// Those of a memory, sharing what is the same with an earlier one.
    pub fn of(cells: &[T], like: Option<&Self>) -> Self {
        let pieces = cells.chunks(BYTES / size_of::<T>()).enumerate().map(|(at, piece)| {
            let same = like.and_then(|like| like.0.get(at)).filter(|other| ***other == *piece);
            same.map_or_else(|| Arc::from(piece), Arc::clone)
        });
        Self(pieces.collect())
    }

    /// Bytes that an earlier one does not share.
    pub fn own_bytes(&self, earlier: Option<&Self>) -> usize {
        let shared = |at: usize| earlier.and_then(|one| one.0.get(at));
        let own = |&(at, piece): &(usize, &Arc<[T]>)| shared(at).is_none_or(|one| !Arc::ptr_eq(one, piece));
        let pieces = self.0.iter().enumerate().filter(own).map(|(_, piece)| size_of_val(&**piece));
        pieces.sum::<usize>() + size_of_val(self.0.as_slice())
    }

    /// Puts them where a memory has its cells.
    pub fn copy_to(&self, mut cells: &mut [T]) {
        for piece in &self.0 {
            let Some((first, rest)) = cells.split_at_mut_checked(piece.len()) else { return };
            first.copy_from_slice(piece);
            cells = rest;
        }
    }
}
