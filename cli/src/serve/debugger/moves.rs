//! Steps by lines and by instructions, forwards and backwards.

use super::adapter::Adapter;
use plain_byte::session::{Session, Stop};
use serde_json::json;
use std::time::{Duration, Instant};

impl Adapter {
    pub(super) fn run_back(&mut self) {
        let Some(mut monitor) = self.monitor.take() else { return };
        let session = monitor.session_mut();
        let has_stops = !session.breakpoints().is_empty() || !session.conditions().is_empty();
        let mut progress = Progress::begin("looking back through the run");
        let is_found = has_stops
            && session.back_to_stop(&mut || {
                progress.goes_on(self);
                true
            });
        let words = match is_found {
            true => "back at a breakpoint",
            false => {
                let first = session.known().map_or(0, |known| known.0.cycle);
                // The beginning is always known where anything is.
                let _ = session.go_to_cycle(first);
                "back at the beginning of what is known"
            }
        };
        self.monitor = Some(monitor);
        progress.end(self);
        self.stopped("breakpoint", words, None);
    }

    /// The text and the line that is executed next.
    fn line_now(session: &Session) -> Option<(String, usize)> {
        let (file, number) = session.source_line(session.machine().place())?.written_at();
        Some((file.to_string(), number))
    }

    pub(super) fn step(&mut self, command: &str, by_line: bool) {
        /// A line that goes round in a loop of its own is left to itself after so many steps.
        const MOST: usize = 10_000;
        let Ok(session) = self.session() else { return };
        let (begin, line) = (session.moment(), Self::line_now(session));
        let mut stop = None;
        for _ in 0..MOST {
            let step = match command {
                "next" => session.over(&mut |_| true),
                "stepOut" => session.out(&mut |_| true),
                _ => session.step(),
            };
            stop = step.stop;
            let is_there =
                !by_line || command == "stepOut" || line.is_none() || Self::line_now(session) != line;
            if is_there || stop.is_some() {
                break;
            }
        }
        if self.stopped_on_the_way(begin) {
            return;
        }
        match stop {
            Some(stop) if stop != Stop::Operator && stop != Stop::Breakpoint => self.ended(&stop),
            _ => self.stopped("step", "one step", None),
        }
    }

    pub(super) fn step_back(&mut self, by_line: bool) {
        let Ok(session) = self.session() else { return };
        let gone = session.back(1);
        if by_line && let Some(line) = Self::line_now(session) {
            // To the first instruction of the line.
            while session.back(1) == 1 {
                if Self::line_now(session).as_ref() != Some(&line) {
                    session.forth(1);
                    break;
                }
            }
        }
        let words = if gone == 0 { "this is the beginning of what is known" } else { "one step back" };
        self.stopped("step", words, None);
    }
}

/// Something takes long, and the client is told so.
pub struct Progress {
    title: &'static str,
    began: Instant,
    /// The seconds that were told; `None` where nothing was yet.
    told: Option<u64>,
}

/// What takes less than this is not told of.
const SHORT: Duration = Duration::from_millis(250);

impl Progress {
    pub fn begin(title: &'static str) -> Self {
        Self { title, began: Instant::now(), told: None }
    }

    pub fn goes_on(&mut self, adapter: &mut Adapter) {
        let (passed, id) = (self.began.elapsed(), self.title);
        if !adapter.wants_progress || passed < SHORT {
            return;
        }
        if self.told.is_none() {
            adapter.tell("progressStart", json!({ "progressId": id, "title": self.title }));
        }
        if self.told != Some(passed.as_secs()) {
            self.told = Some(passed.as_secs());
            let message = format!("{} s", passed.as_secs());
            adapter.tell("progressUpdate", json!({ "progressId": id, "message": message }));
        }
    }

    pub fn end(self, adapter: &mut Adapter) {
        if self.told.is_some() {
            adapter.tell("progressEnd", json!({ "progressId": self.title }));
        }
    }
}
