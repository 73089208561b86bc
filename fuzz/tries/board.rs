//! Any text as a board description or a case table: it is refused with places, or opened and run for a while.

use plain_byte::assembler::Texts;
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session, find_board};

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let mut texts = Texts::one("fuzz.toml", text);
    texts.0.insert("fuzz.asm".to_string(), b"ready:  hlt\n".to_vec());
    if let Ok(found) = find_board("fuzz.toml", None, &mut texts)
        && let Ok(mut session) = Session::open(&found, &mut texts)
    {
        session.run(Limits::none().cycles(2_000));
    }
    if let Ok(cases) = Cases::parse(text) {
        let session = Session::shipped("plover").expect("it opens");
        if cases.len() < 4 {
            let _ = cases.run(&session);
        }
    }
}
