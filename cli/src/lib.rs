//! The `plainbyte` command. It parses arguments, reads and writes files and paints what the library says.
//!
//! It is a library with a `main` of three lines so that it is compiled while the one below is: a program waits for the code of all that
//! it is linked with, a library only for their signatures.

mod arguments;
mod chips;
mod command;
mod disk;
mod far_side;
mod files;
mod json;
mod link;
mod open;
mod paint;
mod platform;
mod project;
mod record;
mod say;
mod serial;
mod serve;
mod signals;
mod terminal;
mod watch;

pub use serve::hostile::hostile;

use plain_byte::diagnostic::Severity;
use std::ffi::OsString;
use std::process::ExitCode;

/// Does what the command line says.
pub fn main() -> ExitCode {
    ExitCode::from(run(std::env::args_os()))
}

/// Does what a command line says, the command's own name first, and gives the exit status.
pub fn run(line: impl IntoIterator<Item = impl Into<OsString> + Clone>) -> u8 {
    let line = arguments::with_help(line.into_iter().map(Into::into).collect());
    let wants_json = line.iter().any(|word| word == "--json" || word == "-j");
    let matches = match arguments::command().try_get_matches_from(line) {
        Ok(matches) => matches,
        Err(error) => {
            if wants_json && error.use_stderr() {
                json::begin("", true);
                let sentence = error.render().to_string();
                let sentence =
                    sentence.lines().next().unwrap_or_default().trim_start_matches("error: ").to_string();
                json::keep(json::Told::sentence(Severity::Error, "usage", &sentence, ""));
                json::print_failure();
            }
            // Help and version go to standard output, everything else to standard error.
            let status = u8::try_from(error.exit_code()).unwrap_or(2);
            let _ = error.print();
            if let Some(why) = arguments::why_not_together(&error) {
                paint::note(why);
            }
            return status;
        }
    };
    let status = match arguments::run(&matches) {
        Ok(()) => 0,
        Err(failure) => failure.tell(),
    };
    if status != 0 {
        json::print_failure();
    }
    files::parts::remove_all();
    status
}
