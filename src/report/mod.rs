//! What a person reads about a program or a processor: the opcode chart, disassembly, the facts of an image.

pub mod chart;
mod disassembly;
mod facts;
mod inspection;
mod notations;
mod text;

pub use disassembly::{DisassembledLine, disassemble, disassembly_source};
pub use facts::board_facts;
pub use inspection::{Inspection, SegmentFacts, inspect};
pub use notations::notations;
pub use text::{Text, Tone};
