//! Which cells of an image are instructions: the flow is followed from the entries through every jump, branch and call.

use super::program_end::KnownCall;
use crate::image::Image;
use crate::processor::{Context, Decoded, Flow, InstructionSet, decode, decode_in};

/// An instruction begins in the cell.
const START: u8 = 1;
/// An instruction that began further up goes on in the cell.
const INSIDE: u8 = 2;
/// A jump, a branch or a call leads to the cell.
const TARGET: u8 = 4;
/// A call leads to the cell.
const CALLED: u8 = 8;
/// Above this bit: by which set the instruction was read, as a number.
const SET: u32 = 4;
/// More sets than there are numbers are in no program.
const MOST_SETS: usize = 16;

/// The cells that execution reaches.
#[derive(Debug)]
pub struct Reach<'i> {
    set: &'static InstructionSet,
    /// The sets by which instructions were read.
    sets: Vec<&'static InstructionSet>,
    image: &'i Image,
    /// A mark a cell, segment by segment.
    marks: Vec<Vec<u8>>,
    /// Where an entry, a jump or the instruction before led to something that is not an instruction of the image.
    pub lost: Vec<Lost>,
}

/// A way that has still to be followed.
#[derive(Clone, Copy)]
struct Way {
    from: Option<u32>,
    at: u32,
    /// A jump leads there, and not perhaps a return.
    certain: bool,
    /// How the instruction there is read.
    context: Context,
}

/// A way that leads out of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lost {
    /// The instruction that leads there; `None` for an entry.
    pub from: Option<u32>,
    /// Where it leads.
    pub at: u32,
    /// What is there.
    pub what: LostTo,
}

/// What a lost way meets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum LostTo {
    /// No cell of the image.
    Outside,
    /// A cell that is not an instruction, or one that the image cuts off.
    NoInstruction,
    /// The middle of another instruction.
    Middle,
}

/// Where execution of an image may begin: its start, the vectors that hold a jump, and where the others lead.
pub fn starts(set: &'static InstructionSet, image: &Image) -> Vec<u32> {
    let jumps = |address: &u32| {
        let cells = image.cells_at(*address, crate::processor::LONGEST);
        decode(set, cells, *address).ok().flatten().is_some_and(|one| one.row.flow == Flow::Jump)
    };
    let vectors = set.interrupts.restarts.iter().chain(set.interrupts.vectors).map(|row| row.1);
    let pointed = set.interrupts.pointers.iter().filter_map(|&(_, at)| image.pointer_at(at));
    let pointed = pointed.filter(|&address| image.cell(address).is_some());
    let start = image.start_for(set);
    start.into_iter().chain(vectors.filter(jumps)).chain(pointed).collect()
}

fn has_modes(set: &InstructionSet) -> bool {
    set.modes.is_some()
}

/// Follows the flow from the entries.
pub fn reach<'i>(set: &'static InstructionSet, image: &'i Image, entries: &[u32]) -> Reach<'i> {
    let marks = image.segments().iter().map(|segment| vec![0; segment.cells.len()]).collect();
    let mut reach = Reach { set, sets: vec![set], image, marks, lost: Vec::new() };
    let mut halts = Vec::new();
    let mut enabled = false;
    let of = |at: u32| image.set_at(at).unwrap_or(set);
    let mut open: Vec<Way> = entries
        .iter()
        .rev()
        .map(|&at| Way { from: None, at, certain: true, context: of(at).context(at) })
        .collect();
    loop {
        while let Some(way) = open.pop() {
            reach.follow(way, &mut open, &mut halts, &mut enabled);
        }
        // After HLT execution goes on where an interrupt may come.
        if !enabled || halts.is_empty() {
            return reach;
        }
        open.append(&mut halts);
    }
}

impl<'i> Reach<'i> {
    /// Segment and place in it.
    fn place(&self, address: u32) -> Option<(usize, usize)> {
        let segments = self.image.segments();
        let at = segments.partition_point(|segment| segment.start <= address).checked_sub(1)?;
        let offset = (address - segments[at].start) as usize;
        (offset < segments[at].cells.len()).then_some((at, offset))
    }

    /// The instruction whose first cell is there, reached or not.
    pub fn decode(&self, address: u32) -> Option<Decoded> {
        let (segment, offset) = self.place(address)?;
        let set = self.set_of(self.marks[segment][offset], address);
        decode(set, &self.image.segments()[segment].cells[offset..], address).ok().flatten()
    }

    /// The set by which a cell is read.
    fn set_of(&self, mark: u8, address: u32) -> &'static InstructionSet {
        match mark & START {
            0 => self.image.set_at(address).unwrap_or(self.set),
            // The mode is that of whoever leads there, whatever the source says.
            _ => self.sets[usize::from(mark >> SET)],
        }
    }

    /// The number of a set, which is given one where it has none.
    fn number_of(&mut self, set: &'static InstructionSet) -> u8 {
        let known = self.sets.iter().position(|known| std::ptr::eq(*known, set));
        let number = known.unwrap_or(self.sets.len()).min(MOST_SETS - 1);
        if number == self.sets.len() {
            self.sets.push(set);
        }
        number as u8
    }

    fn mark(&self, address: u32) -> u8 {
        self.place(address).map_or(0, |(segment, offset)| self.marks[segment][offset])
    }

    /// True where a reached instruction begins.
    pub fn is_start(&self, address: u32) -> bool {
        self.mark(address) & START != 0
    }

    /// True where the cell belongs to a reached instruction.
    pub fn is_code(&self, address: u32) -> bool {
        self.mark(address) & (START | INSIDE) != 0
    }

    /// True where a jump, a branch or a call leads.
    pub fn is_target(&self, address: u32) -> bool {
        self.mark(address) & TARGET != 0
    }

    /// True where a call leads.
    pub fn is_called(&self, address: u32) -> bool {
        self.mark(address) & CALLED != 0
    }

    /// The reached instructions in order of address.
    pub fn instructions(&self) -> impl Iterator<Item = (u32, Decoded)> {
        self.image.segments().iter().zip(&self.marks).flat_map(move |(segment, marks)| {
            let starts = marks.iter().enumerate().filter(|(_, mark)| *mark & START != 0);
            starts.filter_map(move |(offset, mark)| {
                let address = segment.start + offset as u32;
                let set = self.set_of(*mark, address);
                Some((address, decode(set, &segment.cells[offset..], address).ok().flatten()?))
            })
        })
    }

    /// Where an instruction goes to through a cell that has an address of the program, and not the 0 that a return address will
    /// replace.
    fn pointed(&self, decoded: &Decoded) -> Option<u32> {
        let pointer = decoded.pointer()?;
        let (segment, offset) = self.place(pointer)?;
        let cell = self.image.segments()[segment].cells[offset];
        let behind = u32::from(decoded.row.flow == Flow::CallStoring);
        let target = decoded.window.address(cell);
        (cell != 0).then(|| self.place(target + behind).map(|_| target + behind)).flatten()
    }

    /// Follows a straight line until it ends, or meets what was followed already.
    fn follow(
        &mut self,
        Way { mut from, mut at, certain, mut context }: Way,
        open: &mut Vec<Way>,
        halts: &mut Vec<Way>,
        enabled: &mut bool,
    ) {
        let mut first = from.is_some() && certain;
        let mut call = KnownCall::default();
        loop {
            let Some((segment, offset)) = self.place(at) else {
                self.lost.push(Lost { from, at, what: LostTo::Outside });
                return;
            };
            if std::mem::take(&mut first) {
                self.marks[segment][offset] |= TARGET;
            }
            let mark = self.marks[segment][offset];
            if mark & START != 0 {
                return;
            }
            // What was assembled for another processor is read as that; a mode is the program's own affair.
            if let Some(set) = self.image.set_at(at)
                && *set != *context.set
                && !(has_modes(set) && has_modes(context.set))
            {
                context = set.context(at);
            }
            let cells = &self.image.segments()[segment].cells[offset..];
            let decoded = decode_in(context, cells, at).ok().flatten();
            let what = match decoded {
                _ if mark & INSIDE != 0 => Some(LostTo::Middle),
                None => Some(LostTo::NoInstruction),
                // It would begin in the middle of another: the one that was reached first stays.
                Some(decoded) => {
                    let rest = &self.marks[segment][offset + 1..offset + decoded.cells()];
                    rest.iter().any(|mark| mark & START != 0).then_some(LostTo::Middle)
                }
            };
            let Some(decoded) = decoded.filter(|_| what.is_none()) else {
                self.lost.push(Lost { from, at, what: what.unwrap_or(LostTo::NoInstruction) });
                return;
            };
            self.marks[segment][offset] |= START | self.number_of(context.set) << SET;
            for mark in &mut self.marks[segment][offset + 1..offset + decoded.cells()] {
                *mark |= INSIDE;
            }
            let behind = match decoded.row.flow {
                Flow::Break(cells) => cells,
                _ => decoded.cells() as u32,
            };
            let next = decoded.window.behind(at, behind);
            let target = decoded.goes_to().or_else(|| self.pointed(&decoded));
            if let Some(target) = target {
                let context = decoded.leads_to().context(target);
                open.push(Way { from: Some(at), at: target, certain: true, context });
                if decoded.row.flow.is_call()
                    && let Some((segment, offset)) = self.place(target)
                {
                    self.marks[segment][offset] |= CALLED;
                }
            }
            if call.ends(&decoded) {
                return;
            }
            call.follow(&decoded);
            match decoded.row.flow {
                Flow::Jump | Flow::SkipAlways | Flow::Return | Flow::Indirect => return,
                Flow::Stop if target.is_some() => return,
                Flow::Halt => {
                    halts.push(Way { from: Some(at), at: next, certain: true, context });
                    return;
                }
                Flow::Enable => *enabled = true,
                _ => {}
            }
            // A routine may come back one further, as a skip does.
            if decoded.row.flow == Flow::CallStoring {
                let at = decoded.window.behind(next, 1);
                open.push(Way { from: Some(at), at, certain: false, context });
            }
            (from, at) = (Some(at), next);
        }
    }
}
