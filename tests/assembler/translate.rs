//! 8080 source in the words of the Z80: the same bytes, labels and comments in their places.

use plain_byte::assembler::{Assembly, Options, Texts, assemble, translate};
use plain_byte::processor::{InstructionSet, decode, find};
use proptest::prelude::*;

fn set(name: &str) -> &'static InstructionSet {
    find(name).expect("a processor")
}

fn assembled(source: &str) -> Assembly {
    let assembly = assemble("old.asm", &mut Texts::one("old.asm", source), &Options::default());
    assert!(assembly.succeeded(), "{source}\n{:?}", assembly.diagnostics);
    assembly
}

/// Translates, and holds the bytes against those of the original.
fn translated(source: &str) -> String {
    let new = translate(source, set("8085"), set("z80"));
    assert_eq!(new.left, vec![], "{source}");
    assert_eq!(assembled(&new.text).image, assembled(source).image, "{}", new.text);
    new.text
}

#[test]
fn every_instruction_of_the_8080_has_its_counterpart() {
    let i8080 = set("8080");
    let mut source = String::from("        cpu 8080\n        org 100h\n");
    for found in i8080.every_opcode() {
        let cells = [found.value, 0x34, 0x12];
        let decoded = decode(i8080, &cells, 0).expect("it is whole").expect("an instruction");
        source += &format!("        {}\n", decoded.text(i8080, &|_| None));
    }
    let text = translated(&source);
    assert_eq!(text.lines().count(), source.lines().count());
    // What only the 8085 has means something else there.
    let left = translate("        cpu 8085\nhere:   rim\n        sim\n", set("8085"), set("z80")).left;
    assert_eq!(left.iter().map(|(line, _)| *line).collect::<Vec<_>>(), [2, 3]);
    assert_eq!(left[0].1, "`rim` has no counterpart of the same bytes on the z80");
}

#[test]
fn labels_comments_columns_and_cases_stay() {
    let source = "; the lamp        mvi a, 1
        cpu 8080                ; or 8085
flash   equ 10h                 ; mvi in a comment
        org 100h
start:  MVI A, 'x' + flash      ; the quote
again:  lda  set + 1            ; a symbol that is a word there
        call say
        mov m,a
        rst  7
        rst one
        jnz again
        db \"mvi a, 5; \", 'x'
set:    dw set, bit
z:      jz z
one     equ 1
say: bit: ret
";
    let text = translated(source);
    let expected = "; the lamp        mvi a, 1
        cpu z80                 ; or 8085
flash   equ 10h                 ; mvi in a comment
        org 100h
start:  LD A, 'x' + flash       ; the quote
again:  ld a, (set_1 + 1)       ; a symbol that is a word there
        call say
        ld (hl), a
        rst 38h
        rst (one) * 8
        jp nz, again
        db \"mvi a, 5; \", 'x'
set_1:    dw set_1, bit_1
z_1:      jp z, z_1
one     equ 1
say: bit_1: ret
";
    assert_eq!(text, expected);
}

proptest! {
    #[test]
    fn any_text_is_translated_without_harm(source in "[a-zA-Z0-9 ,:;()'\\n.+*-]{0,120}") {
        let new = translate(&source, set("8085"), set("z80"));
        prop_assert_eq!(new.text.lines().count(), source.lines().count());
    }
}
