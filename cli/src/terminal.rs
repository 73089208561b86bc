//! The terminal, taken for a while and given back as it was: at the end, on a panic, and when a signal ends the command.

use crate::files;
use crate::say::Failure;
use std::io::IsTerminal;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// The terminal while somebody has it.
pub struct Taken {
    give_back: fn(),
    /// A signal asks the command to end.
    ended: Arc<AtomicBool>,
    /// It was given back.
    over: Arc<AtomicBool>,
}

/// So often somebody looks whether the terminal is still there, and so long a command has to end by itself where it is not.
const LOOK: Duration = Duration::from_millis(200);
const GRACE: Duration = Duration::from_millis(600);

/// Ends a command that waits for a terminal which was closed: reading from one gives nothing, again and again, and whoever reads
/// for the command never comes back to see that it is over.
fn end_with_the_terminal(give_back: fn(), ended: &AtomicBool, over: &AtomicBool) {
    let had_one = std::io::stdin().is_terminal();
    while !over.load(Ordering::Relaxed) {
        std::thread::sleep(LOOK);
        let is_gone = had_one && !std::io::stdin().is_terminal();
        if is_gone || ended.load(Ordering::Relaxed) {
            ended.store(true, Ordering::Relaxed);
            std::thread::sleep(GRACE);
            if !over.load(Ordering::Relaxed) {
                give_back();
                std::process::exit(1);
            }
        }
    }
}

impl Taken {
    /// Whoever takes it says how it is given back.
    pub fn new(give_back: fn()) -> Result<Self, Failure> {
        // Where a panic ends the command at once, nothing is dropped.
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            give_back();
            hook(info);
        }));
        files::catch_interrupt();
        let ended = Arc::new(AtomicBool::new(false));
        let taken = Self { give_back, ended, over: Arc::new(AtomicBool::new(false)) };
        let (ended, over) = (Arc::clone(&taken.ended), Arc::clone(&taken.over));
        std::thread::spawn(move || end_with_the_terminal(give_back, &ended, &over));
        #[cfg(unix)]
        for signal in [signal_hook::consts::SIGTERM, signal_hook::consts::SIGHUP] {
            signal_hook::flag::register(signal, Arc::clone(&taken.ended))?;
        }
        Ok(taken)
    }

    /// True once a signal asked the command to end.
    pub fn is_ended(&self) -> bool {
        files::was_stopped() || self.ended.load(Ordering::Relaxed)
    }
}

impl Drop for Taken {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
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
        let taken =
            Taken::new(|| _ = GIVEN_BACK.fetch_add(1, Ordering::Relaxed)).expect("signals can be caught");
        assert_eq!(GIVEN_BACK.load(Ordering::Relaxed), 0);
        let ended = std::thread::spawn(|| panic!("on purpose")).join();
        assert!(ended.is_err());
        assert_eq!(GIVEN_BACK.load(Ordering::Relaxed), 1);
        drop(taken);
        assert_eq!(GIVEN_BACK.load(Ordering::Relaxed), 2);
    }
}
