//! Where cells go: pieces, regions, parts, patches, and the passes that settle what depends on itself.

pub(super) mod emit;
mod link;
pub(super) mod parts;
pub(super) mod region;
pub(super) mod settle;

use emit::{Fixup, Output};
use parts::Parts;
use region::Regions;
use settle::Settling;

/// Where cells go.
#[derive(Default)]
pub(super) struct Layout {
    pub location: u64,
    /// Cells that wait for a value.
    pub fixups: Vec<Fixup>,
    pub output: Output,
    pub regions: Regions,
    pub parts: Parts,
    pub settling: Settling,
}
