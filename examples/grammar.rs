//! Prints the grammar for editors: `cargo run --example grammar > editors/plain-byte.tmLanguage.json`.

fn main() {
    print!("{}", plain_byte::language::grammar());
}
