//! What a person reads about a program as it stands, and what is found out for it.

mod blocks;
mod board_warnings;
mod card;
pub mod chart;
mod disassembly;
mod exe_facts;
mod facts;
pub mod flow;
mod holes;
mod inspection;
mod map;
mod notations;
mod operand_byte;
mod picture;
mod policy;
mod position;
mod program_end;
mod reach;
mod segmented_warnings;
mod sizes;
mod warnings;

pub use blocks::{Block, Exit, blocks, blocks_of};
pub use card::{Card, CardRow, Grouping, TooLong, card};
pub use disassembly::{DisassembledLine, Follow, disassemble, disassembly_source, source_lines};
pub use exe_facts::exe_header;
pub use facts::{board_facts, chip_place};
pub use holes::holes;
pub use inspection::{Inspection, RegionFacts, SegmentFacts, VectorFacts, inspect};
pub use map::Content;
pub use notations::notations;
pub use picture::{Ground, escaped};
pub use policy::{Policy, UnknownWarning, WARNINGS};
pub use position::{Dependent, NotMoved, Position, Runs, position};
pub use reach::{Lost, LostTo, Reach, reach, starts};
pub use sizes::{LabelSize, LoopSize, NO_LABEL, PADDING, Sizes, sizes};
pub use warnings::warn;
