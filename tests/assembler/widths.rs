//! Operands of the 6502: the maker's notation, and the choice between page zero and absolute.

use crate::common::{assembled, told};
use proptest::prelude::*;

/// A statement on the 65C02, and its cells.
const NOTATION: &[(&str, &[u64])] = &[
    ("lda #$12", &[0xA9, 0x12]),
    ("lda #-1", &[0xA9, 0xFF]),
    ("lda #'A'", &[0xA9, 0x41]),
    ("lda #(1 + 2) * 3", &[0xA9, 9]),
    ("LDA # high near + 1", &[0xA9, 3]),
    ("lda $12", &[0xA5, 0x12]),
    ("lda $0012", &[0xA5, 0x12]),
    ("lda $112", &[0xAD, 0x12, 0x01]),
    ("lda absolute $12", &[0xAD, 0x12, 0]),
    ("lda ZeroPage $12 + 1", &[0xA5, 0x13]),
    ("lda $12,x", &[0xB5, 0x12]),
    ("lda $12, Y", &[0xB9, 0x12, 0]),
    ("ldx $12,y", &[0xB6, 0x12]),
    ("lda absolute $12, x", &[0xBD, 0x12, 0]),
    ("lda ($12)", &[0xB2, 0x12]),
    ("lda ($12),y", &[0xB1, 0x12]),
    ("lda ($12 , X )", &[0xA1, 0x12]),
    ("lda ((3 + 4) * 2),y", &[0xB1, 14]),
    ("lda (3 + 4) * 2", &[0xA5, 14]),
    ("lda (3 + 4) * 2, x", &[0xB5, 14]),
    ("jmp (near)", &[0x6C, 0, 2]),
    ("jmp (near, x)", &[0x7C, 0, 2]),
    ("jmp near", &[0x4C, 0, 2]),
    ("asl a", &[0x0A]),
    ("asl $12", &[0x06, 0x12]),
    ("bne near", &[0xD0, 0xFE]),
    ("bra near + 100", &[0x80, 98]),
    ("bbr3 $12, near", &[0x3F, 0x12, 0xFD]),
    ("smb7 $12", &[0xF7, 0x12]),
    ("brk", &[0x00]),
    ("brk #$EA", &[0x00, 0xEA]),
    ("inc a", &[0x1A]),
    // What is defined further down is chosen by its value all the same.
    ("lda below", &[0xA5, 0x20]),
    ("lda beyond", &[0xAD, 0x20, 0x03]),
    ("sta below + 224, x", &[0x9D, 0x00, 0x01]),
    ("lda absolute below", &[0xAD, 0x20, 0]),
    ("lda (below),y", &[0xB1, 0x20]),
    ("lda #below", &[0xA9, 0x20]),
];

#[test]
fn operands_are_written_as_the_maker_writes_them() {
    for (statement, cells) in NOTATION {
        let source = format!(" cpu 65c02\n org $200\nnear: {statement}\nbelow equ $20\nbeyond equ $320\n");
        let assembly = assembled(&source);
        assert!(assembly.succeeded(), "{statement}: {}", told(&assembly));
        assert_eq!(assembly.image.segments()[0].cells, *cells, "{statement}");
    }
}

#[test]
fn what_cannot_be_written_is_told_with_what_can() {
    let statements = [
        "lda",
        "lda #",
        "lda #256",
        "lda ($1234),y",
        "lda ($12",
        "lda ($12,y)",
        "lda $12345",
        "lda zeropage $123",
        "ldx ($12)",
        "stx $1234,y",
        "lda x",
        "lda #x",
        "asl",
        "jmp #5",
        "jmp ($12),y",
        "bne near + 200",
        "bne near - 200",
        "bne far",
        "bbr3 $12",
        "bbr3 $123, near",
        "lda $12 $34",
        "inc a, x",
        "mov a, b",
        "push a",
    ];
    let mut text = String::new();
    for statement in statements {
        for cpu in ["6502", "65c02"] {
            let assembly = assembled(&format!(
                " cpu {cpu}\n org $200\nnear: {statement}\nback: rts\n ds 200\nfar: rts\n"
            ));
            let line = if assembly.succeeded() { "fine\n".to_string() } else { told(&assembly) };
            if cpu == "65c02" && text.ends_with(&line.replace("65c02", "6502")) {
                continue;
            }
            text += &format!("{statement} on the {cpu}\n{line}");
            assert!(assembly.errors() <= 1, "{statement} on the {cpu} is told once");
        }
    }
    insta::assert_snapshot!(text);
}

#[test]
fn a_program_whose_forms_depend_on_each_other_settles() {
    // The shorter the first is, the lower the second's address, and so round about page zero's end.
    for filler in 230..260 {
        let source = format!(" cpu 6502\n org 0\n lda two\n lda one\n ds {filler}\none: lda two\ntwo: rts\n");
        let assembly = assembled(&source);
        assert!(assembly.succeeded(), "{filler}: {}", told(&assembly));
        for (name, at) in [("two", 0), ("one", if assembly.image.cell(0) == Some(0xA5) { 2 } else { 3 })] {
            let value = assembly.symbols.value(name).expect(name) as u64;
            match assembly.image.cell(at) {
                Some(0xA5) => assert_eq!(assembly.image.cell(at + 1), Some(value), "{filler} {name}"),
                Some(0xAD) => assert_eq!(
                    (assembly.image.cell(at + 1), assembly.image.cell(at + 2)),
                    (Some(value & 0xFF), Some(value >> 8)),
                    "{filler} {name}"
                ),
                other => panic!("{other:?}"),
            }
        }
    }
}

proptest! {
    /// Labels in and after page zero, used before and after: every operand holds its label's address, in two cells where one
    /// is not enough and never the other way about.
    #[test]
    fn every_operand_holds_the_address_of_its_label(
        parts in proptest::collection::vec((0usize..12, 0u64..40), 1..30),
        origin in 150u64..256,
    ) {
        let labels = parts.len();
        let mut source = format!(" cpu 6502\n org {origin}\n");
        for (at, (label, room)) in parts.iter().enumerate() {
            source += &format!("l{at}: lda l{}\n ds {room}\n", label % labels);
        }
        let assembly = assembled(&source);
        prop_assert!(assembly.succeeded(), "{}", told(&assembly));
        for (at, (label, _)) in parts.iter().enumerate() {
            let own = assembly.symbols.value(&format!("l{at}")).expect("a label") as u32;
            let wanted = assembly.symbols.value(&format!("l{}", label % labels)).expect("a label") as u64;
            let cells = assembly.image.cells_at(own, 3).to_vec();
            let (value, wide) = match cells[0] {
                0xA5 => (cells[1], false),
                _ => (cells[1] | cells[2] << 8, true),
            };
            prop_assert_eq!(value, wanted);
            prop_assert!(wide || wanted < 0x100);
        }
    }
}
