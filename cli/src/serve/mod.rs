//! Servers for editors, over open protocols.

mod answers;
mod can;
mod debugger;
mod editor;
mod frames;
pub mod hostile;
mod pages;
mod places;
mod remote;
mod texts;
mod trials;

use crate::arguments::{ServeArguments, Server};
use crate::say::Failure;
use std::net::{SocketAddr, TcpListener};

/// Listens at a port of this machine, and says at which.
fn loopback(place: &str) -> Result<TcpListener, Failure> {
    let refused = |error: &dyn std::fmt::Display| {
        Failure::input(
            format!("`{place}`: {error}"),
            "name a port of this machine: `--listen 127.0.0.1:4711`",
        )
    };
    let address: SocketAddr = place.parse().map_err(|error: std::net::AddrParseError| refused(&error))?;
    if !address.ip().is_loopback() {
        return Err(refused(&"the server answers clients of this machine alone"));
    }
    let listener = TcpListener::bind(address).map_err(|error| refused(&error))?;
    let own = listener.local_addr().map_err(|error| refused(&error))?;
    eprintln!("listening at {own}");
    Ok(listener)
}

pub fn run(arguments: &ServeArguments) -> Result<(), Failure> {
    if arguments.program.is_some() && !matches!(arguments.server, Server::Remote) {
        return Err(Failure::usage(
            "the client names the program",
            "leave it out here; `serve remote` alone takes one",
        ));
    }
    match arguments.server {
        Server::Language => match &arguments.listen {
            Some(_) => Err(Failure::usage(
                "`serve language` talks over standard input and output",
                "leave `--listen` out; the editor starts the server",
            )),
            None => editor::run(),
        },
        Server::Debugger => debugger::run(arguments.listen.as_deref()),
        Server::Remote => remote::run(arguments),
    }
}
