//! Assembles a program, runs it on the trainer and reads a cell: `cargo run --example run`.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::session::{Limits, Session};
use std::error::Error;

const SOURCE: &str = "\
        org 4000h
        lxi h, flashes          ; the flashes of a week of nights
        mvi b, 7
        xra a
next:   add m
        inx h
        dcr b
        jnz next
        sta sum
        hlt
flashes: db 12, 14, 9, 20, 11, 13, 16
sum:    ds 1
";

pub(crate) fn example() -> Result<String, Box<dyn Error>> {
    let assembly = assemble("sum.asm", &mut Texts::one("sum.asm", SOURCE), &Options::default().cpu("8085")?);
    let mut session = Session::shipped("plover")?;
    session.load_assembly(&assembly)?;
    let stop = session.run(Limits::none().cycles(10_000));
    let sum = session.evaluate("cell sum").map_err(|wrong| wrong.message)?;
    let (cycles, clock) = (session.machine().cycles(), session.machine().board().clock);
    let time = plain_byte::number::time_text(cycles, clock);
    Ok(format!("{}: the sum is {sum}, found in {cycles} T-states, {time}\n", stop.reason()))
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
