//! The `plainbyte` command. It parses arguments, reads and writes files and paints what the library says.
//!
//! It is a library with a `main` of three lines so that it is compiled while the one below is: a program waits for the code of all that
//! it is linked with, a library only for their signatures.

mod arguments;
mod command;
mod disk;
mod far_side;
mod files;
mod link;
mod open;
mod paint;
mod project;
mod record;
mod say;
mod serial;
mod signals;
mod terminal;
mod watch;

use std::ffi::OsString;
use std::process::ExitCode;

/// Does what the command line says.
pub fn main() -> ExitCode {
    ExitCode::from(run(std::env::args_os()))
}

/// Does what a command line says, the command's own name first, and gives the exit status.
pub fn run(line: impl IntoIterator<Item = impl Into<OsString> + Clone>) -> u8 {
    let matches = match arguments::command().try_get_matches_from(line) {
        Ok(matches) => matches,
        Err(error) => {
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
    files::parts::remove_all();
    status
}
