//! A board of one's own from a description: `cargo run --example board`.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::Event;
use plain_byte::session::{Limits, Session, find_board};
use std::error::Error;

const BENCH: &str = r#"
version = 1
name = "bench"
title = "a board on the workshop bench"
processor = "8080"
clock = 2_000_000
unmapped = "stop"

[[memory]]
kind = "ram"
first = 0x0000
last = 0x03FF

[[chip]]
part = "8212"
name = "dial"
port = 0x20
wiring = "switches"

[[chip]]
part = "8212"
name = "row"
port = 0x21
wiring = "lamps"
"#;

const SOURCE: &str = "\
        cpu 8080
start:  in 20h                  ; the dial
        cma
        out 21h                 ; its complement on the lamps
        hlt
";

pub(crate) fn example() -> Result<String, Box<dyn Error>> {
    let mut texts = Texts::one("bench.toml", BENCH);
    texts.0.insert("dial.asm".to_string(), SOURCE.into());
    let found = find_board("bench.toml", None, &mut texts)?;
    let mut session = Session::open(&found, &mut texts)?;
    session.load_assembly(&assemble("dial.asm", &mut texts, &Options::default()))?;
    session.happen(Event::Switches("dial".to_string(), 0b1010_0011))?;
    session.run(Limits::none());
    let mut text = plain_byte::report::board_facts(&found.board).to_string();
    let row = session.machine().chips().iter().find(|fitted| fitted.place.name == "row");
    let lamps = row.and_then(|fitted| fitted.chip.lamps()).ok_or("there are no lamps")?;
    text.push_str(&format!("the lamps show {lamps:08b}\n"));
    Ok(text)
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
