//! The servers with any bytes from the other end, for who looks for mistakes in them. Nothing is read from files that the bytes name, and
//! nothing is written.

use super::debugger::adapter::{Adapter, Goes};
use super::editor::{EditorCan, Server};
use super::frames;
use super::places::Counts;
use super::remote::packets::{self, Incoming};
use super::remote::stub::{self, Stub};
use lsp_server::{Connection, Message};
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{Board, Machine};
use plain_byte::monitor::Monitor;
use plain_byte::processor;
use plain_byte::session::Session;
use serde_json::Value;

/// A program that calls, loops, and keeps something.
const PROGRAM: &str = "        cpu 8085\n        org 4000h\nstart:  lxi sp, 7F00h\n        mvi b, 3\nnext:   call count\n        dcr b\n        jnz next\n        hlt\ncount:  lda boats\n        inr a\n        sta boats\n        ret\nboats:  db 7\n        entry start\n";
/// Slices that a run may go on for.
const SLICES: usize = 3;

fn monitor() -> Option<Monitor> {
    let assembly = assemble("boats.asm", &mut Texts::one("boats.asm", PROGRAM), &Options::default());
    let board = Board::bare(processor::find("8085").ok()?);
    let mut session = Session::from(Machine::new(&board)?);
    session.load_assembly(&assembly).ok()?;
    Some(Monitor::new(session))
}

/// Gives bytes to one of the servers; the first says to which.
pub fn hostile(bytes: &[u8]) {
    let Some((&which, bytes)) = bytes.split_first() else { return };
    match which % 3 {
        0 => language(bytes),
        1 => debugger(bytes),
        _ => remote(bytes),
    }
}

fn messages(mut bytes: &[u8]) -> Vec<Value> {
    let mut all = Vec::new();
    while let Ok(Some(message)) = frames::read(&mut bytes) {
        all.push(message);
    }
    all
}

fn language(bytes: &[u8]) {
    let (near, far) = Connection::memory();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            for message in messages(bytes) {
                if let Ok(message) = serde_json::from_value::<Message>(message)
                    && far.sender.send(message).is_err()
                {
                    break;
                }
            }
            drop(far.sender);
            far.receiver.iter().for_each(drop);
        });
        // How it ends is no matter here.
        let _ = Server::new(Counts::Utf16, EditorCan::default()).serve(&near);
        drop(near);
    });
}

/// What reaches for files or lines is left out.
fn reaches_out(message: &Value) -> bool {
    let command = message["command"].as_str().unwrap_or_default();
    let is_typed = command == "evaluate" && message["arguments"]["context"] != "hover";
    is_typed || ["launch", "attach", "restart"].contains(&command)
}

fn debugger(bytes: &[u8]) {
    let Some(monitor) = monitor() else { return };
    let mut adapter = Adapter::over(monitor, Box::new(std::io::sink()));
    for message in messages(bytes).iter().filter(|message| !reaches_out(message)) {
        if let Goes::Away = adapter.take(message) {
            return;
        }
        for _ in 0..SLICES {
            if adapter.is_running() {
                adapter.run_on();
            }
        }
    }
}

fn remote(mut bytes: &[u8]) {
    // Whatever is said comes back from its packet.
    let packet = packets::packet(bytes);
    let shortened = packet.contains(&b'*');
    if !shortened && bytes.len() <= packets::MOST / 2 {
        assert_eq!(packets::read(&mut packet.as_slice()), Incoming::Packet(bytes.to_vec()));
    }
    let Some(mut monitor) = monitor() else { return };
    let mut stub = Stub::new(&mut monitor, Box::new(std::io::sink()));
    loop {
        let incoming = packets::read(&mut bytes);
        if matches!(&incoming, Incoming::Packet(text) if text.starts_with(b"qRcmd")) {
            continue;
        }
        if let stub::Goes::Away = stub.take(incoming) {
            return;
        }
        for _ in 0..SLICES {
            if stub.is_running() {
                stub.run_on();
            }
        }
    }
}
