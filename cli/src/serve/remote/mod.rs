//! `serve remote`: the remote serial protocol of general debuggers, over standard input and output or a loopback port.

pub mod packets;
pub mod stub;
mod target;

use super::loopback;
use crate::arguments::{ServeArguments, TargetArguments};
use crate::open;
use crate::project;
use crate::say::Failure;
use packets::Incoming;
use plain_byte::monitor::Monitor;
use std::io::{BufReader, Read, Write};
use std::sync::mpsc::{Receiver, channel};
use stub::{Goes, Stub};

pub fn run(arguments: &ServeArguments) -> Result<(), Failure> {
    let mut target: TargetArguments = arguments.target.clone();
    let program = project::program(arguments.program.as_ref(), &mut target)?;
    let session = open::session(&program, &target)?;
    let mut monitor = Monitor::new(session);
    let Some(place) = &arguments.listen else {
        serve(Stub::new(&mut monitor, Box::new(std::io::stdout())), std::io::stdin());
        return Ok(());
    };
    let listener = loopback(place)?;
    // One after the other; what the last one did to the machine stays.
    for client in listener.incoming().flatten() {
        if let Ok(input) = client.try_clone() {
            serve(Stub::new(&mut monitor, Box::new(client)), input);
        }
    }
    Ok(())
}

/// Answers until the other end goes; while the machine runs, between its slices.
fn serve(mut stub: Stub<'_>, input: impl Read + Send + 'static) {
    let (sender, receiver): (_, Receiver<Incoming>) = channel();
    std::thread::spawn(move || {
        let mut input = BufReader::new(input);
        loop {
            let incoming = packets::read(&mut input);
            let is_end = incoming == Incoming::End;
            if sender.send(incoming).is_err() || is_end {
                return;
            }
        }
    });
    loop {
        let next = if stub.is_running() { receiver.try_recv().ok() } else { receiver.recv().ok() };
        let goes = match next {
            Some(incoming) => stub.take(incoming),
            None if stub.is_running() => stub.run_on(),
            None => Goes::Away,
        };
        if let Goes::Away = goes {
            return;
        }
    }
}

/// What a stub writes to.
pub type Line = Box<dyn Write>;
