//! What a person reads about a program or a processor: the opcode chart, disassembly, the facts of an image.

mod blocks;
pub mod chart;
mod disassembly;
mod facts;
mod inspection;
mod map;
mod notations;
mod reach;
mod text;
mod warnings;

pub use blocks::{Block, Exit, blocks, blocks_of};
pub use disassembly::{DisassembledLine, Follow, disassemble, disassembly_source};
pub use facts::board_facts;
pub use inspection::{Inspection, RegionFacts, SegmentFacts, VectorFacts, inspect};
pub use map::Content;
pub use notations::notations;
pub use reach::{Lost, LostTo, Reach, reach, starts};
pub use text::{Text, Tone};
pub use warnings::{Policy, UnknownWarning, WARNINGS, warn};
