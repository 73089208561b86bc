//! Calls that are open, and whether returns go where they came from.

use super::Session;
use super::shadow::{BEGINS, FIRMWARE, KNOWN, QUIET, RETURNS, holds_something};
use super::told::About;
use super::watch::Looking;
use crate::machine::{Done, What};
use crate::processor::Flow;
use crate::session::cause::effect::Effect;

/// A call that has not come back.
#[derive(Debug, Clone, Copy)]
pub(super) struct Frame {
    /// The lowest cell of its return address.
    pub place: u32,
    /// Where it returns to; `None` for an interrupt.
    pub back: Option<u32>,
    /// The address of the call.
    pub call: u32,
}

/// How a return fits the calls.
#[derive(Debug, Clone, Copy)]
pub(super) enum Return {
    /// To the cell where a call has put its address: there it should go.
    To(Option<Frame>),
    /// From a cell so far below that of the last call: something was left on the stack.
    Below(Frame),
    /// From a cell above it: something was taken that was not there.
    Above(Frame),
}

/// A return that has been executed: where it goes shows with the next instruction.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pending {
    pub address: u32,
    pub cycle: u64,
    pub how: Return,
}

/// More interrupts are not kept.
const MOST_INTERRUPTS: usize = 4096;
/// More open calls than these are a recursion without end.
const MOST: usize = 100_000;

/// The calls that are open, the first one at the beginning.
#[derive(Debug, Clone, Default)]
pub(super) struct Frames {
    open: Vec<Frame>,
}

impl Frames {
    pub fn call(&mut self, frame: Frame) {
        // What lies below has been left.
        while self.open.last().is_some_and(|last| last.place <= frame.place) {
            self.open.pop();
        }
        if self.open.len() < MOST {
            self.open.push(frame);
        }
    }

    /// A return takes its address from a cell.
    pub fn leave(&mut self, place: u32) -> Return {
        let Some(&top) = self.open.last() else { return Return::To(None) };
        if place < top.place {
            return Return::Below(top);
        }
        while let Some(&last) = self.open.last() {
            if last.place > place {
                self.open.pop();
                continue;
            }
            if last.place == place {
                self.open.pop();
                return Return::To(Some(last));
            }
            return Return::Above(top);
        }
        // All calls are left: to whoever called the program.
        Return::To(None)
    }
}

impl Looking {
    pub(super) fn calls(&mut self, effect: &Effect, accesses: &[Done]) {
        let Some(flow) = effect.flow else { return };
        match flow {
            Flow::Call | Flow::CallIf | Flow::Restart(_) | Flow::RestartIf(_) | Flow::Break(_) => {
                let lowest =
                    accesses.iter().filter(|done| done.what == What::Write).map(|done| done.address).min();
                if let Some(place) = lowest {
                    let length = if let Flow::Break(cells) = flow { cells } else { effect.cells };
                    let back = self.at.wrapping_add(length);
                    self.cells.change(back, RETURNS, QUIET);
                    let back = Some(back);
                    self.frames.call(Frame { place, back, call: self.at });
                }
            }
            Flow::Return | Flow::ReturnIf if effect.moves_stack => {
                let lowest =
                    accesses.iter().filter(|done| done.what == What::Read).map(|done| done.address).min();
                if let Some(place) = lowest {
                    let how = self.frames.leave(place);
                    self.pending = Some(Pending { address: self.at, cycle: self.cycle, how });
                }
            }
            _ => {}
        }
    }

    /// Where a return went is known now.
    pub(super) fn returned(&mut self, next: u32, flags: u16) {
        let Some(Pending { address, cycle, how }) = self.pending.take() else { return };
        // To the beginning of an instruction of the program somebody may well mean to go.
        let is_fair = flags & BEGINS != 0 && flags & FIRMWARE == 0;
        if is_fair || self.flags(address) & FIRMWARE != 0 {
            return;
        }
        match how {
            Return::To(Some(frame)) if frame.back.is_some_and(|back| back != next) => {
                self.note_at("return-astray", address, cycle, About::Frame(frame, next));
            }
            Return::Below(frame) | Return::Above(frame) => {
                self.note_at("stack-not-level", address, cycle, About::Frame(frame, next));
            }
            Return::To(_) => {}
        }
    }

    pub(super) fn interrupt(&mut self, session: &Session, accesses: &[Done]) {
        self.pending = None;
        if self.interrupts.len() < MOST_INTERRUPTS {
            self.interrupts.push(self.cycle);
        }
        let writes = accesses.iter().filter(|done| done.what == What::Write);
        if let Some(place) = writes.clone().map(|done| done.address).min() {
            self.frames.call(Frame { place, back: None, call: self.at });
        }
        for done in writes {
            match done.took_effect {
                true => self.set(done.address, 1),
                false => self.note("stack-no-ram", About::Interrupt(done.address)),
            }
        }
        for done in accesses.iter().filter(|done| done.what == What::Read) {
            let is_set =
                self.flags(done.address) & KNOWN != 0 || holds_something(session, done.address, done.value);
            if !is_set {
                let about = About::Cell { address: done.address, value: done.value };
                self.note("unset-vector", about);
            }
        }
    }
}
