//! `debug`: a program at the full screen, source, registers, memory and the whole run as a strip of time; or its keys from a script.

mod board;
mod keys;
mod live;
mod overlay;
mod screen;
mod work;

use super::drawing;
use super::panel::{buffer_svg, size};
use crate::arguments::DebugArguments;
use crate::say::Failure;
use crate::{paint, project, record};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use screen::{Screen, memory_width};
use std::io::{IsTerminal, Write};
use work::Work;

pub fn run(arguments: &DebugArguments) -> Result<(), Failure> {
    let size = size(&arguments.size)?;
    let mut target = arguments.target.clone();
    let program = project::program(arguments.program.as_ref(), &mut target)?;
    let is_live = arguments.keys.is_none() && arguments.picture.is_none();
    let mut work = Work::new(program, target.clone(), arguments.cases.clone(), is_live)?;
    if is_live {
        if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
            let help = "open it at a terminal, or give it keys with --keys";
            return Err(Failure::usage("the debugger needs a terminal", help));
        }
        let left = live::operate(&mut work);
        // Whatever ended it, what the program has changed is written back.
        let kept = record::keep(work.debugger.session(), &target.record);
        return left.and(kept);
    }
    work.debugger.fit(memory_width(size.0), screen::LEAST_MEMORY);
    for key in keys::script(arguments.keys.as_deref().unwrap_or_default())? {
        work.press(key);
    }
    record::keep(work.debugger.session(), &target.record)?;
    // Drawing into memory cannot fail.
    let Ok(mut terminal) = Terminal::new(TestBackend::new(size.0, size.1));
    let Ok(_) = terminal.draw(|frame| Screen::default().draw(frame, &work));
    match &arguments.picture {
        Some(file) => drawing::write(file, &buffer_svg(terminal.backend().buffer())),
        None => {
            let buffer = terminal.backend().buffer();
            let mut out = paint::out();
            for y in 0..buffer.area.height {
                let line: String = (0..buffer.area.width).map(|x| buffer[(x, y)].symbol()).collect();
                writeln!(out, "{}", line.trim_end())?;
            }
            Ok(())
        }
    }
}
