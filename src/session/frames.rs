//! Who called whom, as far as memory tells: words on the stack that lead back after a call, and on machines without a stack the word in
//! front of a routine.

use super::Session;
use crate::processor::{Flow, Role};

/// Cells or a word on the stack.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StackWord {
    /// The first cell.
    pub address: u32,
    /// How many.
    pub cells: u32,
    /// The value, of several cells the low one first.
    pub value: u64,
    /// Where it leads back to, where a call stands in front of that.
    pub back: Option<u32>,
    /// The instruction that put it there, where hazards were looked for.
    pub by: Option<u32>,
}

/// A routine that is being executed, or that has called the one before it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Frame {
    /// Where it goes on.
    pub place: u32,
    /// The call that it waits for; `None` for the first one.
    pub call: Option<u32>,
    /// The cell that holds the way back.
    pub kept_at: Option<u32>,
}

/// Routines that call each other in a machine without a stack, more than which nobody nests.
const MOST_WITHOUT_STACK: usize = 16;

impl Session {
    /// What is on the stack, its top first, at most so many.
    pub fn stack_words(&self, most: usize) -> Vec<StackWord> {
        let Some(top) = self.stack_top() else { return Vec::new() };
        let (machine, set) = (self.machine(), self.processor());
        let page = set.registers.stack_page;
        // A page of its own ends where it begins anew.
        let next = |at: u32, by: u32| {
            if page > 0 { page | (at + by) & 0xFF } else { (at + by) & set.last_address() }
        };
        let wide =
            usize::from(set.address_bits().min(if set.is_segmented() { 16 } else { 24 })).div_ceil(8) as u32;
        // A segment ends, too.
        let pointer = set.place_of(Role::Stack).map_or(0, |place| machine.register(place));
        let mut left = if set.is_segmented() { 0x1_0000 - pointer } else { u64::MAX };
        let (mut at, mut found) = (top, Vec::new());
        while found.len() < most && left > 0 {
            let bytes = (0..wide).map(|by| machine.cell(next(at, by)));
            let word = bytes.enumerate().fold(0, |word, (by, cell)| word | cell << (8 * by));
            let back = self.return_address(word as u32);
            let by = self.pushed_by(at).filter(|_| back.is_none());
            // The cells that one instruction has put there belong together.
            let is_whole = || by.is_some() && (1..wide).all(|on| self.pushed_by(next(at, on)) == by);
            let cells = if back.is_some() || is_whole() { wide } else { 1 };
            let value = if cells == 1 { machine.cell(at) } else { word };
            found.push(StackWord { address: at, cells, value, back, by });
            at = next(at, cells);
            left = left.saturating_sub(cells.into());
            if at == 0 || page > 0 && at & 0xFF == 0 {
                break;
            }
        }
        found
    }

    /// The routine that is being executed, and those that wait for it, at most so many.
    pub fn frames(&self, most: usize) -> Vec<Frame> {
        let place = self.machine().halted_at().unwrap_or(self.machine().place());
        let mut all = vec![Frame { place, call: None, kept_at: None }];
        let stack = self.stack_words(256);
        let backs = stack.iter().filter_map(|one| Some((one.back?, one.address)));
        all.extend(backs.map(|(back, at)| Frame {
            place: back,
            call: self.call_before(back),
            kept_at: Some(at),
        }));
        if stack.is_empty() {
            self.frames_in_routines(&mut all);
        }
        all.truncate(most);
        all
    }

    /// The call that stands in front of an address.
    fn call_before(&self, back: u32) -> Option<u32> {
        (1..6).map(|by| back.wrapping_sub(by)).find(|&at| {
            let decoded = self.instruction_at(at).0;
            decoded.is_some_and(|one| one.row.flow.is_call() && at.wrapping_add(one.cells() as u32) == back)
        })
    }

    /// Calls that keep the way back in the first cell of what they call.
    fn frames_in_routines(&self, all: &mut Vec<Frame>) {
        let keeps = |at: u32| {
            let row = self.instruction_at(at).0.map(|one| one.row);
            row.is_some_and(|row| matches!(row.flow, Flow::CallStoring))
        };
        let labels = self.labels();
        while all.len() < MOST_WITHOUT_STACK
            && let Some(last) = all.last()
            && let Some((&routine, _)) = labels.range(..=last.place).next_back()
        {
            let back = self.cell(routine) as u32;
            let call = back.wrapping_sub(1);
            let is_known = all.iter().any(|one| one.kept_at == Some(routine));
            if back == 0 || !keeps(call) || is_known {
                return;
            }
            all.push(Frame { place: back, call: Some(call), kept_at: Some(routine) });
        }
    }
}
