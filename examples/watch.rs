//! Steps through a program with a closure that watches for changes: `cargo run --example watch`.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::session::{Change, Limits, Session};
use std::error::Error;

const SOURCE: &str = "\
        org 4000h
        mvi b, 5                ; minutes to high water
wait:   dcr b
        jz turn
        jmp wait
turn:   mvi a, 1
        sta turned
        hlt
turned: ds 1
";

pub(crate) fn example() -> Result<String, Box<dyn Error>> {
    let assembly =
        assemble("turn.asm", &mut Texts::one("turn.asm", SOURCE), &Options::default().cpu("8085")?);
    let mut session = Session::shipped("plover")?;
    session.load_assembly(&assembly)?;
    let mut text = String::new();
    let stop = session.trace(Limits::none(), &mut |session, step| {
        for change in &step.changes {
            match change {
                Change::Register { name: "B", before, after, .. } => {
                    text.push_str(&format!("{:04X}  B goes from {before} to {after}\n", step.address));
                }
                Change::Cell { address, after, .. } => {
                    let name = session.label(*address).unwrap_or("a cell");
                    text.push_str(&format!("{:04X}  {name} becomes {after}\n", step.address));
                }
                _ => {}
            }
        }
        true
    });
    text.push_str(&format!("stopped: {}\n", stop.words(session.processor())));
    Ok(text)
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
