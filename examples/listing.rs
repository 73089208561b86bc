//! Assembles a text and prints its listing: `cargo run --example listing`.

use plain_byte::assembler::{Options, Texts, assemble};

const SOURCE: &str = "\
; Skerrow Rock: twice the visibility of the morning, for the log.
        cpu 8085
        org 4000h
start:  lda morning
        add a
        sta twice
        hlt
morning: db 21                  ; cables
twice:  ds 1
";

pub(crate) fn example() -> Result<String, String> {
    let assembly = assemble("visibility.asm", &mut Texts::one("visibility.asm", SOURCE), &Options::default());
    match assembly.diagnostics.first() {
        Some(first) => Err(format!("{} ({})", first.message, first.help)),
        None => Ok(assembly.listing()),
    }
}

#[allow(dead_code)]
fn main() -> Result<(), String> {
    print!("{}", example()?);
    Ok(())
}
