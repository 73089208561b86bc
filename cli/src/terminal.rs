//! The terminal, taken for a while and given back as it was: at the end, on a panic, and when a signal ends the command.

use crate::say::Failure;
use crate::signals;
use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

/// The terminal while somebody has it.
pub struct Taken {
    give_back: fn(),
    /// It was given back.
    over: Arc<AtomicBool>,
}

/// So often somebody looks whether the terminal is still there, and so long a command has to end by itself where it is not.
const LOOK: Duration = Duration::from_millis(200);
const GRACE: Duration = Duration::from_millis(600);

/// Ends a command that waits for a terminal which was closed: reading from one gives nothing, again and again, and whoever reads
/// for the command never comes back to see that it is over.
fn end_with_the_terminal(over: &AtomicBool) {
    let had_one = std::io::stdin().is_terminal();
    while !over.load(Ordering::Relaxed) {
        std::thread::sleep(LOOK);
        let is_gone = had_one && !std::io::stdin().is_terminal();
        if is_gone || signals::is_ended() {
            signals::end();
            std::thread::sleep(GRACE);
            if !over.load(Ordering::Relaxed) {
                signals::put_in_order();
                std::process::exit(1);
            }
        }
    }
}

/// How the terminal is given back, and what is shown there.
type Holder = (fn(), Shows);

/// Who has the terminal.
static GIVE_BACK: Mutex<Option<Holder>> = Mutex::new(None);

/// What somebody who has the terminal shows there.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Shows {
    /// Lines, one below the other.
    Lines,
    /// A picture that fills it.
    Picture,
}

/// Gives the terminal back where somebody has it: the command ends.
pub fn give_back() {
    // Whoever holds the lock may be the thread that panics.
    let given = GIVE_BACK.try_lock().ok().and_then(|given| *given);
    if let Some((give_back, _)) = given {
        give_back();
    }
}

/// True while it is a picture: what is said then would stand in the middle of it.
pub fn is_picture() -> bool {
    GIVE_BACK.lock().is_ok_and(|given| matches!(*given, Some((_, Shows::Picture))))
}

impl Taken {
    /// Whoever takes it says how it is given back.
    pub fn new(give_back: fn(), shows: Shows) -> Result<Self, Failure> {
        if let Ok(mut given) = GIVE_BACK.lock() {
            *given = Some((give_back, shows));
        }
        // Where a panic or a signal ends the command at once, nothing is dropped.
        signals::listen();
        let taken = Self { give_back, over: Arc::new(AtomicBool::new(false)) };
        let over = Arc::clone(&taken.over);
        std::thread::spawn(move || end_with_the_terminal(&over));
        Ok(taken)
    }

    /// True once a signal asked the command to end.
    pub fn is_ended(&self) -> bool {
        signals::was_stopped()
    }
}

impl Drop for Taken {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
        if let Ok(mut given) = GIVE_BACK.lock() {
            *given = None;
        }
        (self.give_back)();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::AtomicUsize;

    static GIVEN_BACK: AtomicUsize = AtomicUsize::new(0);

    /// On a panic it is given back before anything is said, so also where nothing is dropped; and once more at the end.
    #[test]
    fn a_panic_gives_the_terminal_back() {
        let taken = Taken::new(|| _ = GIVEN_BACK.fetch_add(1, Ordering::Relaxed), Shows::Lines)
            .expect("signals can be caught");
        assert_eq!(GIVEN_BACK.load(Ordering::Relaxed), 0);
        let ended = std::thread::spawn(|| panic!("on purpose")).join();
        assert!(ended.is_err());
        assert_eq!(GIVEN_BACK.load(Ordering::Relaxed), 1);
        drop(taken);
        assert_eq!(GIVEN_BACK.load(Ordering::Relaxed), 2);
    }
}
