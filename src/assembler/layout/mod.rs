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
    /// Where the next cells stand: an address, or where the program has segments the number in its segment.
    pub location: u64,
    /// The address of that segment's first cell; 0 where there are no segments.
    pub base: u32,
    /// The source has said where it stands: its parts are no segments of their own.
    pub has_origin: bool,
    /// Cells that wait for a value.
    pub fixups: Vec<Fixup>,
    pub output: Output,
    /// Cells that hold the number of a segment, by piece and offset.
    pub relocations: Vec<(u32, u32)>,
    pub regions: Regions,
    pub parts: Parts,
    pub settling: Settling,
}
