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

use std::process::ExitCode;

/// Does what the command line says.
pub fn main() -> ExitCode {
    let matches = match arguments::command().try_get_matches() {
        Ok(matches) => matches,
        Err(error) => {
            // Help and version go to standard output, everything else to standard error.
            let status = u8::try_from(error.exit_code()).unwrap_or(2);
            let _ = error.print();
            return ExitCode::from(status);
        }
    };
    let status = match arguments::run(&matches) {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => ExitCode::from(failure.tell()),
    };
    files::parts::remove_all();
    status
}
