//! Servers for editors, over open protocols.

mod answers;
mod debugger;
mod editor;
mod frames;
mod places;
mod texts;

use crate::arguments::{ServeArguments, Server};
use crate::say::Failure;

pub fn run(arguments: &ServeArguments) -> Result<(), Failure> {
    match arguments.server {
        Server::Language => match &arguments.listen {
            Some(_) => Err(Failure::usage(
                "`serve language` talks over standard input and output",
                "leave `--listen` out; the editor starts the server",
            )),
            None => editor::run(),
        },
        Server::Debugger => debugger::run(arguments.listen.as_deref()),
    }
}
