//! `serve debugger`: the Debug Adapter Protocol over standard input and output, or to one client after the other on a loopback port.

pub mod adapter;
mod asked;
mod breaks;
mod moves;
mod places;
mod values;

use super::{frames, loopback};
use crate::say::Failure;
use adapter::{Adapter, Goes};
use serde_json::Value;
use std::io::{BufReader, Read, Write};
use std::net::TcpStream;
use std::sync::mpsc::{Receiver, Sender, channel};

/// What comes from a client.
pub enum Incoming {
    Message(Value),
    /// It is gone, or sent what is not a message.
    End(Option<Failure>),
}

pub fn run(listen: Option<&str>) -> Result<(), Failure> {
    match listen {
        None => converse(std::io::stdin(), std::io::stdout()),
        Some(place) => listen_at(place),
    }
}

/// Reads messages until there are no more.
fn read_all(input: impl Read, sender: &Sender<Incoming>) {
    let mut input = BufReader::new(input);
    loop {
        let incoming = match frames::read(&mut input) {
            Ok(Some(message)) => Incoming::Message(message),
            Ok(None) => Incoming::End(None),
            Err(failure) => Incoming::End(Some(failure)),
        };
        let is_end = matches!(incoming, Incoming::End(_));
        if sender.send(incoming).is_err() || is_end {
            return;
        }
    }
}

fn converse(input: impl Read + Send + 'static, output: impl Write + 'static) -> Result<(), Failure> {
    let (sender, receiver): (Sender<Incoming>, Receiver<Incoming>) = channel();
    std::thread::spawn(move || read_all(input, &sender));
    serve(Adapter::new(Box::new(output)), &receiver)
}

/// Answers until the client goes; while the machine runs, between its slices.
fn serve(mut adapter: Adapter, incoming: &Receiver<Incoming>) -> Result<(), Failure> {
    loop {
        let next = if adapter.is_running() { incoming.try_recv().ok() } else { incoming.recv().ok() };
        match next {
            Some(Incoming::Message(message)) => {
                if let Goes::Away = adapter.take(&message) {
                    return Ok(());
                }
            }
            Some(Incoming::End(failure)) => return failure.map_or(Ok(()), Err),
            None if adapter.is_running() => adapter.run_on(),
            None => return Ok(()),
        }
        if adapter.is_gone() {
            return Ok(());
        }
    }
}

/// A client at a time; another one meanwhile is told so.
fn listen_at(place: &str) -> Result<(), Failure> {
    let listener = loopback(place)?;
    let busy = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    for client in listener.incoming() {
        let Ok(client) = client else { continue };
        if busy.swap(true, std::sync::atomic::Ordering::SeqCst) {
            turn_away(client);
            continue;
        }
        let busy = std::sync::Arc::clone(&busy);
        std::thread::spawn(move || {
            if let Ok(input) = client.try_clone()
                && let Err(failure) = converse(input, client)
            {
                eprintln!("{}", failure.sentence());
            }
            busy.store(false, std::sync::atomic::Ordering::SeqCst);
        });
    }
    Ok(())
}

fn turn_away(mut client: TcpStream) {
    let message = serde_json::json!({ "seq": 1, "type": "event", "event": "output", "body": {
        "category": "important", "output": "the server has a client already; end that one first\n" } });
    // Who was refused may be gone already.
    let _ = frames::write(&mut client, &message);
}
