//! The trace of a run: all of it, or from a label to a label, so many lines, the last ones.

use crate::arguments::TraceArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::number::thousands;
use plain_byte::report::{Tracer, wall};
use plain_byte::session::{Limits, Session, Step, Stop};
use plain_byte::text::{Text, Tone};
use std::collections::VecDeque;
use std::io::{IsTerminal, Write};

/// Which part of a run is written down.
struct Part {
    from: Option<u32>,
    to: Option<u32>,
    most: Option<usize>,
    last: Option<usize>,
    /// In figures so large that a class can read them.
    large: bool,
}

impl Part {
    fn of(session: &Session, arguments: &TraceArguments) -> Result<Self, Failure> {
        let address = |option: &str, text: &Option<String>| {
            let text = text.as_ref();
            text.map(|text| open::place(option, text, session)).transpose()
        };
        Ok(Self {
            from: address("--trace-from", &arguments.trace_from)?,
            to: address("--trace-to", &arguments.trace_to)?,
            most: arguments.trace_most,
            last: arguments.trace_last,
            large: arguments.trace_large,
        })
    }
}

/// Runs and writes the trace as it goes. `end` is asked whether somebody wants it to end.
pub fn run(
    session: &mut Session,
    limits: Limits,
    arguments: &TraceArguments,
    end: &mut dyn FnMut() -> bool,
) -> Result<Stop, Failure> {
    let part = Part::of(session, arguments)?;
    let began = session.machine().cycles();
    if let Some(from) = part.from.filter(|&from| session.machine().place() != from) {
        let stop = session.run_while(limits.until(from), &mut |_| !end());
        if session.machine().place() != from || !matches!(stop, Stop::Until | Stop::Breakpoint) {
            let place = session.machine().spell(from);
            paint::show(&Text::toned(
                Tone::Faint,
                format!("the run never came to {place}, where the trace begins"),
            ))?;
            return Ok(stop);
        }
    }
    let rest = |session: &Session| limits.within(began, u64::MAX, session.machine().cycles());
    let mut writer = Writer::begin(session, &part)?;
    let stop =
        session.trace(rest(session), &mut |session, step| writer.takes(session, step, &part) && !end());
    let (lines, is_over) = (writer.lines, writer.is_over);
    writer.finish(&part)?;
    if !is_over || stop != Stop::Operator {
        return Ok(stop);
    }
    // The rest is run without being looked at.
    let said = format!("the trace ends here, after {} lines; the run goes on", thousands(lines as u64));
    paint::show(&Text::toned(Tone::Faint, said))?;
    Ok(session.run_while(rest(session), &mut |_| !end()))
}

/// Writes lines, or keeps the last ones.
struct Writer {
    tracer: Tracer,
    out: paint::Out,
    kept: VecDeque<Text>,
    lines: usize,
    /// The part that was asked for is over.
    is_over: bool,
    failed: Option<std::io::Error>,
}

impl Writer {
    fn begin(session: &Session, part: &Part) -> Result<Self, Failure> {
        let (tracer, mut out) = (Tracer::default(), paint::out());
        if !part.large {
            paint::write(&tracer.head(session), &mut out)?;
        }
        let kept = VecDeque::with_capacity(part.last.unwrap_or(0).min(1 << 16));
        Ok(Self { tracer, out, kept, lines: 0, is_over: false, failed: None })
    }

    /// Takes a step. False where the trace is over after it, or cannot be written.
    fn takes(&mut self, session: &Session, step: &Step, part: &Part) -> bool {
        // The instruction at the end is not executed in a trace, as in a run.
        if self.lines > 0 && part.to == Some(step.address) {
            self.is_over = true;
        }
        let line = match part.large {
            true => wall(session, step, self.lines as u64 + 1, paint::width()),
            false => self.tracer.line(session, step),
        };
        self.lines += 1;
        match part.last {
            Some(most) => {
                if self.kept.len() >= most {
                    self.kept.pop_front();
                }
                self.kept.push_back(line);
            }
            None => {
                let shown = if part.large { self.page(&line) } else { paint::write(&line, &mut self.out) };
                if let Err(error) = shown {
                    self.failed = Some(error);
                }
            }
        }
        self.is_over |= part.most.is_some_and(|most| self.lines >= most);
        self.failed.is_none() && !self.is_over
    }

    /// A step on a page of its own; at a terminal the next one waits for Enter.
    fn page(&mut self, text: &Text) -> std::io::Result<()> {
        let asks = std::io::stdin().is_terminal() && std::io::stdout().is_terminal();
        if asks {
            paint::clear()?;
        }
        paint::write(text, &mut self.out)?;
        writeln!(self.out)?;
        self.out.flush()?;
        if asks {
            let mut answer = String::new();
            let read = std::io::stdin().read_line(&mut answer)?;
            self.is_over |= read == 0 || answer.trim().eq_ignore_ascii_case("q");
        }
        Ok(())
    }

    fn finish(mut self, part: &Part) -> Result<(), Failure> {
        if let Some(error) = self.failed {
            return Err(error.into());
        }
        if part.last.is_some() && self.lines > self.kept.len() {
            let before = thousands((self.lines - self.kept.len()) as u64);
            let mut text = Text::new();
            text.line().tone(Tone::Faint, format!("    … {before} steps before these"));
            paint::write(&text, &mut self.out)?;
        }
        for line in &self.kept {
            paint::write(line, &mut self.out)?;
        }
        writeln!(self.out)?;
        Ok(self.out.flush()?)
    }
}
