//! Prints a range of the opcode chart: `cargo run --example chart`.

use plain_byte::processor;
use plain_byte::report::chart;
use std::error::Error;

pub(crate) fn example() -> Result<String, Box<dyn Error>> {
    let set = processor::find("8085")?;
    let entries = chart::select(set, "0C0h..0CFh")?;
    Ok(chart::table(set, &entries).to_string())
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
