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
use std::net::TcpStream;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;
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
    let busy = Arc::new(AtomicBool::new(false));
    let (sender, clients) = channel();
    let taken = Arc::clone(&busy);
    std::thread::spawn(move || {
        for client in listener.incoming().flatten() {
            if !is_free(&taken) {
                turn_away(client);
            } else if sender.send(client).is_err() {
                return;
            }
        }
    });
    for client in clients {
        if let Ok(input) = client.try_clone() {
            serve(Stub::new(&mut monitor, Box::new(client)), input);
        }
        busy.store(false, Ordering::SeqCst);
    }
    Ok(())
}

/// Takes the place of the one client, where it is free, or becomes so at once: the last one may be about to go.
fn is_free(busy: &AtomicBool) -> bool {
    const TRIES: u32 = 40;
    (0..TRIES).any(|_| {
        let is_free = !busy.swap(true, Ordering::SeqCst);
        if !is_free {
            std::thread::sleep(Duration::from_millis(25));
        }
        is_free
    })
}

/// Text for the console of a debugger that comes second, and no more.
fn turn_away(mut client: TcpStream) {
    let text = "the server has a debugger already; end that one first\n";
    // Who was refused may be gone already.
    let _ = packets::write(&mut client, format!("O{}", packets::hex(text.as_bytes())).as_bytes());
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
