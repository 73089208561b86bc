//! What several test files begin with.
#![allow(dead_code)]

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::session::Session;

/// Assembles a text for the 8085.
pub fn assembled(source: &str) -> Assembly {
    let options = Options::default().cpu("8085").expect("a known processor");
    assemble("test.asm", &mut Texts::one("test.asm", source), &options)
}

/// A session on a shipped board, or on `bare`, with the program loaded.
pub fn session(board: &str, source: &str) -> Session {
    let assembly = assembled(source);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut session = match board {
        "bare" => Session::bare(&plain_byte::processor::i8080::I8085),
        name => Session::shipped(name),
    }
    .expect("the board opens");
    session.load_assembly(&assembly).expect("it fits");
    session
}
