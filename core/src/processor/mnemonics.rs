//! Finding the rows of a mnemonic.

use super::{Row, Usage};

/// Mnemonics packed into words and hashed at compile time, so that looking one up costs a multiplication.
pub struct Mnemonics {
    slots: [(u64, u16, u16, u64); SLOTS],
}

impl std::fmt::Debug for Mnemonics {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Mnemonics").finish_non_exhaustive()
    }
}

const SLOTS: usize = 1024;

/// A mnemonic packed into a word: capitals, first letter lowest. `None` where it is longer than eight letters.
#[inline]
pub fn pack(name: &str) -> Option<u64> {
    if name.len() > 8 {
        return None;
    }
    // PERF: a copy of so few bytes would be a call.
    let mut packed = 0;
    for (at, byte) in name.bytes().enumerate() {
        packed |= u64::from(byte.to_ascii_uppercase()) << (8 * at);
    }
    Some(packed)
}

const fn pack_const(name: &str) -> u64 {
    let bytes = name.as_bytes();
    let mut packed = 0;
    let mut at = 0;
    while at < bytes.len() {
        packed |= (bytes[at] as u64) << (8 * at);
        at += 1;
    }
    packed
}

#[inline]
const fn slot(packed: u64) -> usize {
    (packed.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 54) as usize
}

impl Mnemonics {
    /// Builds the look-up for the rows of a model, from a table in which the rows of a mnemonic stand together.
    pub const fn new(rows: &[Row], model: u8) -> Self {
        let mut slots = [(0, 0, 0, 0); SLOTS];
        let mut first = 0;
        while first < rows.len() {
            if matches!(rows[first].usage, Usage::Found | Usage::Combined) {
                first += 1;
                continue;
            }
            let packed = pack_const(rows[first].mnemonic);
            let mut end = first;
            let mut own = 0;
            while end < rows.len()
                && pack_const(rows[end].mnemonic) == packed
                && !matches!(rows[end].usage, Usage::Found | Usage::Combined)
            {
                if rows[end].models & model != 0 {
                    own |= 1u64 << (end - first);
                }
                end += 1;
            }
            if own == 0 {
                first = end;
                continue;
            }
            let mut at = slot(packed);
            while slots[at].0 != 0 {
                assert!(slots[at].0 != packed, "the rows of a mnemonic stand together");
                at = (at + 1) % SLOTS;
            }
            slots[at] = (packed, first as u16, end as u16, own);
            first = end;
        }
        Self { slots }
    }

    /// The range of rows of a mnemonic that was [`pack`]ed, and a bit for each of them that the model has.
    #[inline]
    pub fn rows(&self, packed: u64) -> Option<(std::ops::Range<usize>, u64)> {
        let mut at = slot(packed);
        loop {
            let (found, first, end, own) = self.slots[at];
            if found == packed {
                return Some((usize::from(first)..usize::from(end), own));
            }
            if found == 0 {
                return None;
            }
            at = (at + 1) % SLOTS;
        }
    }
}
