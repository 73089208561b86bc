//! Calls that are open, and whether returns go where they came from.

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
