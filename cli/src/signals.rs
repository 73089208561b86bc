//! Signals that ask the command to end: Ctrl-C, SIGTERM and SIGHUP, in one place.
//!
//! A command that listens is told and ends by itself, so that it can write back what it has; one that does not is ended here. Either way
//! what is half-written is removed and the terminal is given back first.

use crate::files::parts;
use crate::platform::{self, Asked};
use crate::terminal;
use std::sync::Once;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// So long a command has to listen.
const PATIENCE: Duration = Duration::from_secs(1);

/// Ctrl-C was pressed, and nobody has looked yet.
static STOPPED: AtomicBool = AtomicBool::new(false);
/// SIGTERM or SIGHUP: whoever started the command wants it to end.
static ENDED: AtomicBool = AtomicBool::new(false);
/// Somebody looks now and then.
static LISTENED: AtomicBool = AtomicBool::new(false);

/// Has signals caught from here on; one that comes ends the command with nothing left half-written.
pub fn catch() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            put_in_order();
            hook(info);
        }));
        wait_for_signals();
    });
}

/// The same for a command that looks at [`was_stopped`] and [`is_ended`] itself.
pub fn listen() {
    LISTENED.store(true, Ordering::Relaxed);
    catch();
}

/// True once after Ctrl-C.
pub fn was_stopped() -> bool {
    STOPPED.swap(false, Ordering::Relaxed) || is_ended()
}

/// True after a signal that asks the command to end.
pub fn is_ended() -> bool {
    ENDED.load(Ordering::Relaxed)
}

/// Somebody else found that it is over: the terminal is gone.
pub fn end() {
    ENDED.store(true, Ordering::Relaxed);
}

/// Gives the terminal back and removes what is half-written.
pub fn put_in_order() {
    terminal::give_back();
    parts::remove_all();
}

fn wait_for_signals() {
    let mut first: Option<Instant> = None;
    platform::on_signals(move |asked, status| {
        let flag = if asked == Asked::Stop { &STOPPED } else { &ENDED };
        let is_new = !flag.swap(true, Ordering::Relaxed);
        let begin = *first.get_or_insert_with(Instant::now);
        // One that came before, some time ago, was not listened to. A burst is one.
        let unheard = !is_new && begin.elapsed() > PATIENCE;
        if unheard || !LISTENED.load(Ordering::Relaxed) {
            put_in_order();
            std::process::exit(status);
        }
        if is_new {
            first = Some(Instant::now());
        }
    });
}
