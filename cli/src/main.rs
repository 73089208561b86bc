//! The `plainbyte` command.

use std::process::ExitCode;

fn main() -> ExitCode {
    plainbyte_command::main()
}
