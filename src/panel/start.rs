//! The program that the panel was opened with, and its start.

use super::Panel;
use super::front::{Action, NoEffect};

impl Panel {
    /// Where the program begins that the panel was opened with; none where it was opened with none.
    pub fn program_start(&self) -> Option<u32> {
        self.fresh.as_ref().map(|fresh| fresh.machine().place())
    }

    /// True as long as nobody has let the machine go on since the panel was opened or the program was put back to its beginning.
    pub fn is_at_start(&self) -> bool {
        let since =
            |fresh: &crate::session::Session| fresh.machine().cycles() == self.session.machine().cycles();
        self.fresh.as_deref().is_some_and(since)
    }

    /// Starts the program: everything is as it was when the panel was opened, and goes on from there. Time begins again, too.
    ///
    /// # Errors
    /// [`NoEffect`] where the panel was opened without a program.
    pub fn start_program(&mut self) -> Result<(), NoEffect> {
        let fresh = self.fresh.as_deref().ok_or(NoEffect::NoProgram)?;
        // A machine that has not gone on keeps what the operator has set.
        if !self.is_at_start() {
            self.session = fresh.clone();
            self.mark();
        }
        if self.front.is_some() {
            self.stopped();
            self.act(Action::Continue)?;
        }
        Ok(())
    }
}
