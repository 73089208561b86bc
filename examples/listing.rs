//! x
fn main() {
    use plain_byte::assembler::{Options, Texts, assemble};
    let text = std::fs::read(std::env::args().nth(1).unwrap()).unwrap();
    let a = assemble("t.asm", &mut Texts::one("t.asm", text), &Options::default());
    print!("{}", a.listing());
    for d in &a.diagnostics { println!("{d:?}"); }
}
