//! Warnings: each kind where it is meant and nowhere else, with its place; allowed, denied and silenced line by line.

use crate::common::{assembled, told};
use plain_byte::assembler::{Assembly, Texts};
use plain_byte::image::Image;
use plain_byte::machine::Board;
use plain_byte::report::{Policy, WARNINGS, warn};
use plain_byte::session::{find_board, firmware_image};
use std::fmt::Write;

/// The program with its warnings, for `plover` or for no board.
fn warned(source: &str, board: Option<&str>, policy: &Policy) -> Assembly {
    let mut assembly = assembled(source);
    assert!(assembly.succeeded(), "{source}: {}", told(&assembly));
    let found = board.map(|name| find_board(name, None, &mut Texts::default()).expect("a board"));
    let firmware: Option<Image> =
        found.as_ref().and_then(|found| firmware_image(found, &mut Texts::default()));
    warn(&mut assembly, found.as_ref().map(|found| (&found.board, firmware.as_ref())), policy);
    assembly
}

/// Codes with the lines they are told for.
fn codes(source: &str, board: Option<&str>) -> Vec<(usize, &'static str)> {
    let assembly = warned(source, board, &Policy::default());
    assembly.diagnostics.iter().map(|one| (assembly.sources.place(one.span).line, one.code)).collect()
}

/// Sources without a board, and what is told about them.
const PLAIN: &[(&str, &[(usize, &str)])] = &[
    // Nothing wrong.
    (" mvi a, 1\n hlt\n", &[]),
    ("x: jmp x\n", &[]),
    (" call s\n hlt\ns: ret\n", &[]),
    (" lxi h, t\n mov a, m\n hlt\nt: db 1\n", &[]),
    (" jz x\n hlt\nx: hlt\n", &[]),
    (" ei\n hlt\n mvi a, 1\n hlt\n", &[]),
    // What is kept as a value may be reached through a register or a vector.
    (" lxi h, s\n pchl\ns: hlt\n", &[]),
    (" lhld v\n pchl\nv: dw s\ns: hlt\n", &[]),
    // What stands apart was put there for others.
    (" org 0\n jmp x\n org 8\n ret\n org 40h\nx: hlt\n", &[]),
    // Unreachable.
    ("x: jmp x\n nop\n nop\n", &[(2, "unreachable")]),
    (" hlt\n nop\n hlt\n", &[(2, "unreachable")]),
    (" ret\n nop\n ret\n", &[(2, "unreachable")]),
    (" jmp x\n nop\nx: hlt\n nop\n ret\n", &[(2, "unreachable"), (4, "unreachable")]),
    (" pchl\n hlt\n", &[(2, "unreachable")]),
    // Into data, and out of the program.
    (" mvi a, 1\n db 5\n hlt\n", &[(1, "runs-into-data")]),
    (" jmp x\nx: db 0\n hlt\n", &[(2, "runs-into-data")]),
    (" mvi a, 1\n db 1\n", &[(1, "runs-into-data")]),
    (" sta v\nv: db 1, 0\n db 2\n", &[(1, "runs-into-data")]),
    (" mvi a, 1\n", &[(1, "runs-out")]),
    (" jz x\nx: inr a\n", &[(2, "runs-out")]),
    (" call 40h\n", &[(1, "runs-out")]),
    (" jmp 40h\n", &[]),
    // On its processor.
    (" cpu 6502\n jmp ($10ff)\n", &[(2, "processor-trap")]),
    (" hlt\n end\n nop\n", &[(3, "after-end")]),
    // Names.
    (" hlt\nt: db 1\n", &[(2, "unused-label")]),
    (" lda count\n hlt\ncount: db 1\ncounr: db 2\n", &[(4, "near-name")]),
    (" lda Count\n hlt\nCount: db 1\ncount: db 2\n", &[(4, "near-name")]),
    (" lda part1\n hlt\npart1: db 1\npart2: db 2\n", &[(4, "unused-label")]),
    ("first: hlt\n", &[]),
    (" macro mm\nx: jmp x\n endm\n mm\n", &[]),
    // Constants and addresses.
    ("p equ 10h\n lda p\n hlt\n", &[(2, "constant-as-address")]),
    ("p equ 10h\n sta p + 0\n hlt\n", &[]),
    ("p equ 10h\n in p\n hlt\n", &[]),
    ("p equ 4000h\n lda p\n hlt\n", &[]),
    (" org 10h\nt: mvi a, t\n hlt\n", &[(2, "address-as-number")]),
    (" org 10h\nt: mvi a, low t\n hlt\n", &[]),
    (" org 10h\nt: cpi t\n hlt\n", &[(2, "address-as-number")]),
    // Outputs.
    (" hlt\n image com, \"x\"\n", &[(2, "com-origin")]),
    (" org 100h\n hlt\n image com, \"x\"\n", &[]),
    (" org 7C00h\n hlt\n ds 509, 0\n image boot, \"x\"\n", &[]),
    (" org 7C01h\n hlt\n image boot, \"x\"\n", &[(3, "boot-origin")]),
    (" org 100h\n hlt\n image boot, \"x\", first=100h\n", &[]),
    (" org 7C00h\n hlt\n ds 510, 0\n image boot, \"x\"\n", &[(4, "boot-size")]),
    (" org 7C00h\n hlt\n pad 7DFEh\n db 55h, 0AAh\n image boot, \"x\"\n", &[]),
    // Without a board nothing is known about its memory and firmware.
    (" lxi sp, 0\n lxi h, t\n call 48h\n hlt\nt: db \"fog\"\n db 0\n", &[]),
];

#[test]
fn each_kind_is_told_where_it_is_meant_and_nowhere_else() {
    for (source, expected) in PLAIN {
        assert_eq!(codes(source, None), *expected, "{source}");
    }
}

/// Sources for `plover`.
const ON_PLOVER: &[(&str, &[(usize, &str)])] = &[
    (" org 4000h\n lxi sp, 0FFC0h\n hlt\n", &[]),
    (" org 4000h\n lxi sp, 4000h\n hlt\n", &[(2, "stack-outside")]),
    (" org 4000h\n lxi sp, 800h\n hlt\n", &[(2, "stack-outside")]),
    (" org 4000h\n lxi sp, 0\n hlt\n", &[]),
    (" org 4000h\n lxi h, t\n call 48h\n hlt\nt: db \"fog\", 0\n", &[]),
    (" org 4000h\n lxi h, t\n call 48h\n hlt\nt: db \"fog\"\n db 0\n", &[]),
    (
        " org 4000h\n lxi h, t\n call 48h\n hlt\nt: db \"fog\"\nu: db 0\n lda u\n",
        &[(5, "text-end"), (7, "unreachable")],
    ),
    (" org 4000h\n lxi h, t\n call 48h\n hlt\nt: db \"fog\"\n", &[(5, "text-end")]),
    (" org 4000h\n lxi d, t\n call 48h\n hlt\nt: db \"fog\"\n", &[]),
    (" org 4000h\n lxi h, 5000h\n call 48h\n hlt\n", &[]),
    (" org 4000h\n ei\n hlt\n", &[]),
    (" org 4000\n mvi a, 1\n hlt\n", &[(2, "no-memory")]),
    (" org 4000h\n jmp s\n org 0800h\ns: hlt\n", &[(4, "no-memory")]),
];

#[test]
fn what_the_board_has_is_looked_at() {
    for (source, expected) in ON_PLOVER {
        assert_eq!(codes(source, Some("plover")), *expected, "{source}");
    }
    // An origin in decimal is told as what it is; another one is not.
    let help = |source: &str| warned(source, Some("plover"), &Policy::default()).diagnostics.remove(0).help;
    assert_eq!(help(" org 4000\n hlt\n"), "write `org 4000h`: `4000` is decimal");
    assert_eq!(help(" org 3000\n hlt\n"), "choose another origin, or another board");
}

/// Programs for the ROM board with and without RAM: the source, and the warnings each way.
const ON_PUFFIN: &[(&str, &[&str], &[&str])] = &[
    // The stack, and pointers that are not there.
    (
        "s: jsr p\nw: jmp w\np: rts\n",
        &[
            "no-vector: the reset goes where FFFC says, and nothing stands there",
            "no-vector: the key interrupt goes where FFFA says, and nothing stands there",
        ],
        &["stack-outside: this uses the stack, which lies from 0100 to 01FF, and puffin has no RAM there"],
    ),
    (
        "s: pha\nw: bra w\n org $FFFA\n dw w, s, w\n",
        &[],
        &["stack-outside: this uses the stack, which lies from 0100 to 01FF, and puffin has no RAM there"],
    ),
    // A return that nobody calls is the author's own affair.
    ("s: jmp s\nk: rti\n org $FFFA\n dw k, s, k\n", &[], &[]),
    // What fills a ROM is no vector.
    (
        " region rom, $8000, $FFFF, $FF\ns: jmp s\n org $FFFC\n dw s\n",
        &["no-vector: the key interrupt goes where FFFA says, and nothing stands there"],
        &[],
    ),
    // IRQ matters where it is let through.
    (
        "s: cli\nw: jmp w\n org $FFFA\n dw w, s\n",
        &[
            "no-vector: interrupts are allowed here, and the chip via goes where FFFE says, where nothing stands",
        ],
        &[],
    ),
    ("s: sei\nw: jmp w\n org $FFFA\n dw w, s\n", &[], &[]),
];

#[test]
fn a_board_with_pointers_wants_them_and_a_fixed_stack_wants_ram() {
    for (source, always, without_ram) in ON_PUFFIN {
        for without in [false, true] {
            let mut board = find_board("puffin", None, &mut Texts::default()).expect("a board").board;
            if without {
                board.leave_out("ram").expect("it can");
            }
            let mut assembly = assembled(&format!(" cpu 65c02\n org $8000\n{source}"));
            warn(&mut assembly, Some((&board, None)), &Policy::default());
            let told: Vec<String> =
                assembly.diagnostics.iter().map(|one| format!("{}: {}", one.code, one.message)).collect();
            let mut expected: Vec<&str> = always.to_vec();
            expected.extend(without_ram.iter().filter(|_| without));
            expected.sort_unstable();
            let mut sorted: Vec<&str> = told.iter().map(String::as_str).collect();
            sorted.sort_unstable();
            assert_eq!(sorted, expected, "{source} without RAM: {without}");
        }
    }
}

#[test]
fn keys_without_a_vector_are_told_where_interrupts_are_allowed() {
    let text = "version = 1\nname = \"bench\"\nprocessor = \"8085\"\nclock = 1000000\n[[memory]]\nkind = \"ram\"\nfirst = 0\nlast = 0xFFFF\n[[key]]\nname = \"FOG\"\ninput = \"RST7.5\"\n";
    let board = Board::parse(text).expect("a board");
    let tell = |source: &str| {
        let mut assembly = assembled(source);
        warn(&mut assembly, Some((&board, None)), &Policy::default());
        assembly.diagnostics.iter().map(|one| one.message.clone()).collect::<Vec<_>>()
    };
    let expected = "interrupts are allowed here, and the key FOG goes to 003C, where nothing stands";
    assert_eq!(tell(" org 100h\n ei\nx: jmp x\n"), [expected]);
    assert!(tell(" org 100h\nx: jmp x\n").is_empty());
    assert!(tell(" org 3Ch\n ret\n org 100h\n ei\nx: jmp x\n entry x\n").is_empty());
}

#[test]
fn warnings_are_whole_sentences_with_places() {
    let source = include_str!("../sources/warnings.asm");
    insta::assert_snapshot!(told(&warned(source, Some("plover"), &Policy::default())));
}

#[test]
fn kinds_are_allowed_denied_and_silenced() {
    let source = "x: jmp x\n nop\nt: db 1\n";
    let all = [(2, "unreachable"), (3, "unused-label")];
    assert_eq!(codes(source, None), all);
    let with = |policy: Policy| {
        let assembly = warned(source, None, &policy);
        (assembly.diagnostics.len(), assembly.errors(), assembly.succeeded())
    };
    let none = Policy::default;
    assert_eq!(with(none()), (2, 0, true));
    assert_eq!(with(none().allow("unreachable").expect("a code")), (1, 0, true));
    assert_eq!(with(none().allow("all").expect("a code")), (0, 0, true));
    assert_eq!(with(none().deny("unreachable").expect("a code")), (2, 1, false));
    assert_eq!(with(none().deny("all").expect("a code")), (2, 2, false));
    assert_eq!(
        with(none().deny("all").and_then(|one| one.allow("unreachable")).expect("codes")),
        (1, 1, false)
    );
    assert_eq!(none().allow("unreachible").expect_err("a slip").near, Some("unreachable"));
    assert_eq!(
        none().deny("weather").expect_err("none such").to_string(),
        "there is no warning and no hazard `weather`"
    );
    for (comment, expected) in [
        ("; allow unreachable", &all[1..]),
        ("; it is so: allow unreachable, allow unused-label", &all[1..]),
        ("; allow unused-label", &all[..]),
        ("; allow", &all[..]),
        ("; unreachable", &all[..]),
    ] {
        let silenced = source.replace(" nop", &format!(" nop {comment}"));
        assert_eq!(codes(&silenced, None), expected, "{comment}");
    }
}

#[test]
fn a_program_with_errors_gets_no_warnings_and_texts_included_keep_theirs() {
    let mut broken = assembled("x: jmp x\n nop\n mvo\n");
    warn(&mut broken, None, &Policy::default());
    assert_eq!(broken.diagnostics.len(), 1);
    let mut files = std::collections::HashMap::new();
    files.insert("main.asm".to_string(), b" cpu 8085\n call print\n hlt\n include \"lib.asm\"\n".to_vec());
    files.insert("lib.asm".to_string(), b"print: ret\nspare: ret\nlines: db 1\n".to_vec());
    let mut assembly = plain_byte::assembler::assemble(
        "main.asm",
        &mut Texts(files),
        &plain_byte::assembler::Options::default(),
    );
    warn(&mut assembly, None, &Policy::default());
    assert!(assembly.diagnostics.is_empty(), "{}", told(&assembly));
}

/// Programs for a processor with segments, and what is told about them.
const SEGMENTED: &[(&str, &[(usize, &str)])] = &[
    // Nothing wrong.
    (" org 100h\n mov dx, t\n mov ah, 9\n int 21h\n ret\nt: db \"lit$\"\n", &[]),
    (" org 100h\n mov cx, 3\na: push cx\n mov cx, 9\n pop cx\n loop a\n mov ax, 4C00h\n int 21h\n", &[]),
    (" org 100h\n cli\na: mov ah, 1\n int 16h\n jz a\n ret\n", &[]),
    (" org 100h\n cli\n sti\na: cmp byte ptr [k], 0\n je a\n ret\nk: db 0\n", &[]),
    (" org 100h\n cli\na: in al, 60h\n cmp al, [k]\n je a\n ret\nk: db 0\n", &[]),
    (" org 100h\n cli\na: dec byte ptr [k]\n cmp byte ptr [k], 0\n jne a\n ret\nk: db 0\n", &[]),
    (" part data\nd: db 1\n part code\n mov ax, seg d\n mov ds, ax\n mov al, [d]\n int 20h\n", &[]),
    (" org 100h\n mov ax, word ptr [f]\n mov al, [f]\n mov bx, f\n ret\nf: db 1, 2\n", &[]),
    (" org 100h\n int 3\n int 15\n int 10h\n ret\n", &[]),
    // What ends the program ends the flow.
    (" org 100h\n mov ax, 4C00h\n int 21h\n nop\n ret\n", &[(4, "unreachable")]),
    (" org 100h\n mov ah, 4Ch\n mov al, 1\n int 21h\n db 1\n", &[]),
    (" org 100h\n mov ah, 2\n int 21h\n db 1\n", &[(3, "runs-into-data")]),
    // Mistakes.
    (
        " org 100h\n mov dx, t\n mov ah, 9\n int 21h\n ret\nt: db \"lit\"\nu: db \"$\"\n",
        &[(4, "text-end"), (7, "unused-label")],
    ),
    (" org 100h\n mov cx, 3\na: mov cl, 9\n loop a\n ret\n", &[(3, "loop-counter")]),
    (" org 100h\n mov ah, 9\n int 21\n ret\n", &[(3, "decimal-interrupt")]),
    (" org 100h\n cli\na: cmp byte ptr [k], 0\n je a\n ret\nk: db 0\n", &[(3, "deaf-waiting")]),
    (
        " org 100h\n cli\na: mov al, [k]\n or al, al\n jne b\n jmp a\nb: ret\nk: db 0\n",
        &[(3, "deaf-waiting")],
    ),
    (" part data\nd: db 1\n part code\n mov al, [d]\n int 20h\n", &[(4, "data-segment")]),
    (
        " org 100h\n mov ax, [f]\n mov bl, [g]\n ret\nf: db 1, 2\ng: dw 3\n",
        &[(2, "operand-size"), (3, "operand-size")],
    ),
];

#[test]
fn programs_with_segments_have_mistakes_of_their_own() {
    for (source, expected) in SEGMENTED {
        assert_eq!(
            codes(&format!(" cpu 8086\n{source}"), None)
                .iter()
                .map(|one| (one.0 - 1, one.1))
                .collect::<Vec<_>>(),
            *expected,
            "{source}"
        );
    }
}

#[test]
fn every_kind_is_met_here_and_on_its_page() {
    let page =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/docs/warnings.md")).expect("the page");
    let mut met = String::new();
    for (source, _) in PLAIN {
        let _ = write!(met, "{:?}", codes(source, None));
    }
    for (source, _) in SEGMENTED {
        let _ = write!(met, "{:?}", codes(&format!(" cpu 8086\n{source}"), None));
    }
    for (source, _) in ON_PLOVER {
        let _ = write!(met, "{:?}", codes(source, Some("plover")));
    }
    for (code, about) in WARNINGS {
        assert!(met.contains(code) || *code == "no-vector", "{code} is told nowhere");
        assert!(page.contains(&format!("## {code}\n")), "{code} has no place on the page");
        assert!(!about.is_empty());
    }
    let mut sorted: Vec<_> = WARNINGS.iter().map(|row| row.0).collect();
    sorted.sort_unstable();
    assert!(sorted.iter().eq(WARNINGS.iter().map(|row| &row.0)), "they stand in order");
}

#[test]
fn a_stack_goes_round_in_the_words_of_its_mode() {
    let board = find_board("dunlin", None, &mut Texts::default()).expect("a board").board;
    for (source, expected) in [
        (" cpu ez80\n org 0\n ld sp, 0\n halt\n", None),
        (" cpu ez80\n org 0\n ld sp, 8000h\n halt\n", None),
        (" cpu ez80adl\n org 0\n ld sp, 80000h\n halt\n", None),
        (
            " cpu ez80adl\n org 0\n ld sp, 0\n halt\n",
            Some("the stack would grow down from FFFFFF, where dunlin has no RAM"),
        ),
    ] {
        let mut assembly = assembled(source);
        warn(&mut assembly, Some((&board, None)), &Policy::default());
        let told: Vec<&str> = assembly.diagnostics.iter().map(|one| one.message.as_str()).collect();
        assert_eq!(told, expected.into_iter().collect::<Vec<_>>(), "{source}");
    }
}
