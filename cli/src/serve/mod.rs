//! Servers for editors, over open protocols.

mod answers;
mod editor;
mod places;
mod texts;

use crate::arguments::{ServeArguments, Server};
use crate::say::Failure;

pub fn run(arguments: &ServeArguments) -> Result<(), Failure> {
    match arguments.server {
        Server::Language => editor::run(),
    }
}
