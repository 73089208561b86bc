//! The segments of an EXE program, as its disassembly writes them: parts, their labels, and the words that the loader changes.

use crate::image::{Cell, Image};
use crate::processor::{InstructionSet, Window};
use std::collections::{BTreeMap, BTreeSet};

/// What a segment holds, by the word after `part`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Holds {
    Code,
    Data,
    Stack,
}

impl Holds {
    fn word(self) -> &'static str {
        match self {
            Holds::Code => "code",
            Holds::Data => "data",
            Holds::Stack => "stack",
        }
    }
}

/// The relocated words that begin from one address on up to another, which is none of them.
fn relocations(image: &Image, first: u32, end: u32) -> &[u32] {
    let all = image.relocations();
    &all[all.partition_point(|&at| at < first)..all.partition_point(|&at| at < end)]
}

/// The segments of a program that its file tells; none where it is not a segmented one.
#[derive(Debug, Default)]
pub(super) struct Parts {
    /// By their linear addresses.
    parts: BTreeMap<u32, Holds>,
    /// Those that relocated words lead to.
    named: BTreeSet<u32>,
}

impl Parts {
    /// Those of an image: where CS and SS lead at the start, and what its relocated words hold.
    pub fn of(set: &InstructionSet, image: &Image, is_code: impl Fn(u32) -> bool) -> Self {
        let shift = set.cells.segment_shift;
        let (Some((first, last)), true) = (image.bounds(), shift > 0) else { return Self::default() };
        if image.stack().is_none() && image.relocations().is_empty() {
            return Self::default();
        }
        let relocated = image.relocations().iter().filter_map(|&at| image.pointer_at(at));
        let code = image.entry_place().map(|start| start.base);
        let named: BTreeSet<u32> = relocated.map(|segment| segment << shift).collect();
        let mut bases: Vec<u32> = named.iter().copied().chain(code).collect();
        let stack = image.stack().filter(|stack| stack.offset > 0 && stack.offset & ((1 << shift) - 1) == 0);
        // What stands above the stack's end is another part.
        bases.extend(stack.iter().flat_map(|stack| [stack.base, stack.base + stack.offset]));
        bases.push(first);
        bases.retain(|&base| (first..=last).contains(&base));
        bases.extend(stack.map(|stack| stack.base).filter(|&base| base > last));
        bases.sort_unstable();
        bases.dedup();
        let ends = bases.iter().copied().skip(1).chain([u32::MAX]);
        let holds = bases.iter().zip(ends).map(|(&base, end)| {
            let holds = match stack {
                Some(stack) if stack.base == base => Holds::Stack,
                _ if (base..end.min(last + 1)).any(&is_code) => Holds::Code,
                _ => Holds::Data,
            };
            (base, holds)
        });
        Self { parts: holds.collect(), named }
    }

    pub fn is_empty(&self) -> bool {
        self.parts.is_empty()
    }

    /// The label of the segment that begins at an address.
    pub fn label(&self, set: &InstructionSet, address: u32) -> Option<String> {
        let segment = u64::from(address >> set.cells.segment_shift);
        Some(format!("{}{}", self.parts.get(&address)?.word(), set.habit().plain(segment, 16)))
    }

    /// The addresses of those that are spoken of.
    pub fn named(&self) -> impl Iterator<Item = u32> {
        self.named.iter().copied()
    }

    /// The next one after an address.
    pub fn after(&self, address: u32) -> Option<u32> {
        self.parts.range(address + 1..).next().map(|part| *part.0)
    }

    /// The line that begins the part at an address; with a name, where there are several of its kind.
    pub fn heading(&self, set: &InstructionSet, address: u32) -> Option<String> {
        let holds = *self.parts.get(&address)?;
        let alike = self.parts.values().filter(|other| **other == holds).count();
        let segment = u64::from(address >> set.cells.segment_shift);
        let name = if alike > 1 { format!(" at{}", set.habit().plain(segment, 16)) } else { String::new() };
        Some(format!("part {}{name}", holds.word()))
    }

    /// True where two addresses stand in the same part.
    pub fn are_one(&self, one: u32, other: u32) -> bool {
        let part = |at: u32| self.parts.range(..=at).next_back().map(|part| *part.0);
        part(one) == part(other)
    }

    /// An address as it is written, in its segment.
    pub fn spell(&self, set: &InstructionSet, address: u32) -> String {
        let base = self.parts.range(..=address).next_back().map_or(0, |part| *part.0);
        set.spell(address, Window::of_segment(set, base >> set.cells.segment_shift))
    }

    /// A word that the loader changes, by its label; `None` where no such segment is known.
    pub fn word_at(&self, set: &InstructionSet, image: &Image, at: u32) -> Option<String> {
        let segment = image.pointer_at(at)?;
        Some(format!("seg {}", self.label(set, segment << set.cells.segment_shift)?))
    }

    /// An instruction's text with the label of a segment in place of its number; `None` where it cannot be told which number that is.
    pub fn instruction(
        &self,
        set: &InstructionSet,
        image: &Image,
        (address, cells): (u32, &[Cell]),
        text: &str,
    ) -> Option<String> {
        // The whole word is one of the instruction's, after its opcode.
        let end = address + cells.len() as u32;
        let &[at] = relocations(image, address.saturating_sub(1), end) else { return None };
        if at <= address || at + 2 > end {
            return None;
        }
        let number = set.habit().literal(image.pointer_at(at)?.into(), 16);
        let mut found = text.match_indices(&number);
        let (Some((place, _)), None) = (found.next(), found.next()) else { return None };
        let name = self.word_at(set, image, at)?;
        Some(format!("{}{name}{}", &text[..place], &text[place + number.len()..]))
    }

    /// True where a word between two addresses is changed by the loader.
    pub fn is_relocated(&self, image: &Image, first: u32, cells: usize) -> bool {
        !relocations(image, first, first + cells as u32).is_empty()
    }

    /// Lines for what a program wants after its last cell: cells that are reserved, and the stack.
    pub fn behind(&self, set: &InstructionSet, image: &Image) -> Vec<String> {
        let Some((_, last)) = image.bounds() else { return Vec::new() };
        let stack = image.stack().filter(|stack| self.parts.contains_key(&stack.base) && stack.base > last);
        let mut lines = Vec::new();
        let mut end = last + 1;
        if let Some(stack) = stack {
            if stack.base - end >= 1 << set.cells.segment_shift {
                lines.push(format!("ds {}", stack.base - end));
            }
            lines.push("part stack".to_string());
            lines.push(format!("ds {}", stack.offset));
            end = stack.base + stack.offset;
        }
        // The file counts what it wants after its cells in paragraphs.
        if image.extent() >= end + (1 << set.cells.segment_shift) {
            lines.push("part data after".to_string());
            lines.push(format!("ds {}", image.extent() - end));
        }
        lines
    }
}
