//! Where cells go: pieces, regions, patches, and the passes that settle what depends on itself.

pub(super) mod emit;
pub(super) mod region;
pub(super) mod settle;
