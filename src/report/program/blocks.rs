//! The blocks of a program: stretches of instructions that run from their first to their last, and how they are joined.

use super::reach::{Reach, reach};
use crate::image::Image;
use crate::processor::{Decoded, Flow, InstructionSet};
use std::collections::{BTreeMap, BTreeSet};

/// Instructions that are run one after the other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// Address of the first instruction.
    pub first: u32,
    /// Address after the last one.
    pub end: u32,
    /// The instructions with their addresses.
    pub instructions: Vec<(u32, Decoded)>,
    /// Where it goes.
    pub exit: Exit,
    /// A call leads to its beginning.
    pub called: bool,
}

/// How a block ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    /// It goes on with the block at this address.
    On(u32),
    /// It jumps.
    Jump(u32),
    /// It goes to the first where the condition holds, to the second where not.
    Branch {
        /// Where it goes if the condition holds; `None` for a return.
        taken: Option<u32>,
        /// Where it goes if not.
        next: u32,
        /// The condition in words.
        condition: &'static str,
    },
    /// It returns to its caller.
    Return,
    /// It goes where a register says.
    Away,
    /// It ends the program, until an interrupt.
    Halt,
}

impl Block {
    /// The blocks it goes to, by address.
    pub fn followers(&self) -> impl Iterator<Item = u32> {
        let (one, two) = match self.exit {
            Exit::On(at) | Exit::Jump(at) => (Some(at), None),
            Exit::Branch { taken, next, .. } => (taken, Some(next)),
            Exit::Return | Exit::Away | Exit::Halt => (None, None),
        };
        one.into_iter().chain(two)
    }

    /// The time from the first instruction to the last, where every branch is as short and as long as it can be.
    pub fn cycles(&self) -> (u64, u64) {
        self.instructions.iter().fold((0, 0), |(least, most), (_, decoded)| {
            let (shortest, longest) = decoded.timing().range();
            (least + shortest, most + longest)
        })
    }

    /// Cells from the first to the last.
    pub fn cells(&self) -> u32 {
        self.end - self.first
    }
}

/// The blocks of a program, by the address of their first instruction.
pub fn blocks(set: &'static InstructionSet, image: &Image, entries: &[u32]) -> BTreeMap<u32, Block> {
    let reach = reach(set, image, entries);
    blocks_of(&reach, entries)
}

/// The same, where the flow was followed already.
pub fn blocks_of(reach: &Reach<'_>, entries: &[u32]) -> BTreeMap<u32, Block> {
    let mut leaders: BTreeSet<u32> = entries.iter().copied().filter(|&at| reach.is_start(at)).collect();
    let mut behind = None;
    for (at, decoded) in reach.instructions() {
        // After a gap something begins that was reached otherwise, as after HLT by an interrupt.
        if reach.is_target(at) || behind != Some(at) {
            leaders.insert(at);
        }
        let ends = !matches!(decoded.row.flow, Flow::On | Flow::Enable | Flow::Repeat | Flow::Break(_))
            && !decoded.row.flow.is_call();
        behind = (!ends).then(|| at + decoded.cells() as u32);
    }
    let mut found: BTreeMap<u32, Block> = BTreeMap::new();
    let mut current: Option<Block> = None;
    for (at, decoded) in reach.instructions() {
        if leaders.contains(&at)
            && let Some(block) = current.take()
        {
            found.insert(block.first, block);
        }
        let block = current.get_or_insert_with(|| Block {
            first: at,
            end: at,
            instructions: Vec::new(),
            exit: Exit::On(at),
            called: reach.is_called(at),
        });
        block.instructions.push((at, decoded));
        block.end = at + decoded.cells() as u32;
        let (target, condition) = (decoded.goes_to(), decoded.condition().unwrap_or(""));
        block.exit = match decoded.row.flow {
            // Where an accumulator or a cell says, that is not known before it runs.
            Flow::Jump | Flow::SkipAlways => target.map_or(Exit::Away, Exit::Jump),
            Flow::Branch | Flow::Skip => Exit::Branch { taken: target, next: block.end, condition },
            Flow::ReturnIf => Exit::Branch { taken: None, next: block.end, condition },
            Flow::Return => Exit::Return,
            Flow::Indirect => Exit::Away,
            Flow::Halt | Flow::Stop => Exit::Halt,
            Flow::Break(cells) => Exit::On(at + cells),
            _ => Exit::On(block.end),
        };
    }
    found.extend(current.map(|block| (block.first, block)));
    found
}
