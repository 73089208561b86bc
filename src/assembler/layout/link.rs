//! Linking: where each part begins, now that it is known how long they all are.

use super::parts::{Part, aligned};
use crate::assembler::read::parser::Parser;

/// Where each part begins when they stand one after the other from `home` on.
fn bases(home: u64, parts: &[Part], segment_shift: u8) -> Vec<u32> {
    let mut next = home;
    let place = |part: &Part| {
        let base = aligned(next, segment_shift);
        next = base + u64::from(part.cells);
        u32::try_from(base).unwrap_or(u32::MAX)
    };
    parts.iter().map(place).collect()
}

impl Parser<'_> {
    /// Gives every part its base. Where one comes out elsewhere than this walk took it to be, another walk is needed.
    pub(in crate::assembler) fn link(&mut self) {
        self.leave_part();
        let parts = &self.layout.parts;
        let shift = self.part_shift();
        let bases = bases(parts.home, &parts.list, shift);
        for (part, &base) in parts.list.iter().zip(&bases) {
            if part.base != base {
                let what = format!("the part `{}`", part.title());
                self.layout.settling.disagrees((part.defined, what, part.base.into(), base.into()));
            }
        }
        self.layout.settling.bases = bases;
    }
}
