//! Routines that travel with the library, for programs to `include`: printing, numbers, dumps.
//!
//! To add a routine: a file in `routines/` and a row in [`ROUTINES`].

/// Name and text of each; an `include` that finds no file of the name finds these.
pub const ROUTINES: &[(&str, &str)] = &[
    ("routines/8080/print.asm", include_str!("../routines/8080/print.asm")),
    ("routines/8080/dump.asm", include_str!("../routines/8080/dump.asm")),
    ("routines/z80/print.asm", include_str!("../routines/z80/print.asm")),
    ("routines/z80/dump.asm", include_str!("../routines/z80/dump.asm")),
    ("routines/6502/print.asm", include_str!("../routines/6502/print.asm")),
    ("routines/6502/dump.asm", include_str!("../routines/6502/dump.asm")),
    ("routines/8086/print.asm", include_str!("../routines/8086/print.asm")),
    ("routines/8086/dump.asm", include_str!("../routines/8086/dump.asm")),
];

/// The text of a routine by its name.
pub fn find(name: &str) -> Option<&'static str> {
    ROUTINES.iter().find(|row| row.0 == name).map(|row| row.1)
}
