//! Other ways to write the same, which people bring along.

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::report::{Policy, warn};

fn built(cpu: &str, source: &str) -> Assembly {
    let options = Options::default().cpu(cpu).expect("a processor");
    let mut assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &options);
    warn(&mut assembly, None, &Policy::default().allow("unused-label").expect("a warning"));
    assembly
}

fn cells(assembly: &Assembly) -> Vec<u64> {
    assembly.image.segments().iter().flat_map(|segment| segment.cells.iter().copied()).collect()
}

/// What is written by habit, and how it is written here.
const SAME: &[(&str, &str, &str)] = &[
    // Halves, the location, a single quote.
    (
        "6502",
        " lda #<table+1\n ldx #>table+1\ntable: nop\n",
        " lda #low(table+1)\n ldx #high(table+1)\ntable: nop\n",
    ),
    ("6502", " bne *+4\n *=*+2\n*=$40\n*$50\n nop\n", " bne $+4\n ds 2\n org $40\n org $50\n nop\n"),
    ("6502", " lda #'A ; it's\n cmp #'B\n", " lda #'A'\n cmp #'B'\n"),
    ("6502", "ptr = $10\nlast: = 5\nnext .equ 6\n lda (ptr),y\n db last, next\n", " lda ($10),y\n db 5, 6\n"),
    ("6502", " asl\n rol\n blt x1\n bge x1\nx1: nop\n", " asl a\n rol a\n bcc x1\n bcs x1\nx1: nop\n"),
    ("65c02", " ina\n dea\n inc\n", " inc a\n dec a\n inc a\n"),
    // Data.
    (
        "8080",
        " .byte 1\n defb 2\n dc.b 3\n fcb 4\n defm 'it''s'\n .asciz \"a\"\"b\"\n",
        " db 1, 2, 3, 4, \"it's\", 'a\"b', 0\n",
    ),
    ("8080", " .word 1\n defw 2\n dc.w 3\n .dw 4\n .long 5\n", " dw 1, 2, 3, 4\n dd 5\n"),
    ("8080", " nop\n defs 2\n .res 1\n rmb 1\n nop\n", " nop\n ds 4\n nop\n"),
    // Operators in words.
    (
        "8080",
        " db 7 and 3 or 8, 1 shl 3, 80h shr 1, 7 mod 4, 5 xor 1, not 1 and 0FFh\n",
        " db 11, 8, 40h, 3, 4, 0FEh\n",
    ),
    // Conditions and constants.
    (
        "8080",
        " .if 0\n ifdef x\n nop\n endc\n .else\n inr a\n .endif\nx set 5\n ifdef x\n db x\n endif\n ifndef x\n hlt\n endif\n",
        " inr a\n db 5\n",
    ),
    ("z80", "flags defl 3\nbits: set 3, a\n db flags\n", " set 3, a\n db 3\n"),
    ("8080", " .macro two n\nk = n\n db k, k\n .endm\n two 3\n two 4\n", " db 3, 3, 4, 4\n"),
    // A label of a directive's name, and of a location.
    (
        "8080",
        "text: dw stack\nstack: dw image\nimage: dw note\nnote: dw text\n",
        "x1: dw x2\nx2: dw x3\nx3: dw x4\nx4: dw x1\n",
    ),
    (
        "8080",
        "start: org 200h\n dw start\nlate .org 300h\n dw 300h\n",
        " org 200h\n dw 200h\n org 300h\n dw 300h\n",
    ),
    // Word machines.
    (
        "pdp8",
        "*200\n/ boats\nstart, tad i .+2\n jmp .-1\nx, 7\n -1\n$\n",
        " org 200\n tad i 202\n jmp 200\n dw 7\n dw -1\n",
    ),
    ("pdp8", " cdf cif 10\n cif cdf 20\n rrb rfc\n kcc krs\n", " cdi 10\n cdi 20\n dw 6016\n krb\n"),
    (
        "pdp10",
        " setoi -5\n jrst .+1\n move x\n move @x\n or 1, x\n clearm x\nx: exp 5\n xwd 1, 2\n",
        " setoi 0, -5\n jrst 2\n move 0, x\n move 0, @x\n ior 1, x\n setzm x\nx: dw 5\n halves 1, 2\n",
    ),
    // The maker's other mnemonics.
    ("8086", " sal ax, 1\n xlatb\n retn\n fwait\n", " shl ax, 1\n xlat\n ret\n wait\n"),
];

#[test]
fn what_cannot_mean_anything_else_is_taken() {
    for (cpu, habit, ours) in SAME {
        let wrong = |one: &Assembly| {
            one.diagnostics.iter().any(|one| one.severity == plain_byte::diagnostic::Severity::Error)
        };
        let (one, other) = (built(cpu, habit), built(cpu, ours));
        // A label without its colon is an error, but its line is read all the same.
        assert!(!wrong(&other), "{cpu} {ours}: {:?}", other.diagnostics);
        assert_eq!(wrong(&one), habit.contains("\nlate "), "{cpu} {habit}: {:?}", one.diagnostics);
        let (one, other) = (one.image, other.image);
        if !habit.contains("\nlate ") {
            assert_eq!(one.segments(), other.segments(), "{cpu} {habit}");
        }
    }
}

#[test]
fn the_end_of_a_source_is_its_entry() {
    let assembly = built("8080", " org 100h\n db 5\nstart: hlt\n end start\n foo bar\n");
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    assert_eq!((cells(&assembly), assembly.image.start()), (vec![5, 0x76], Some(0x101)));
    let told: Vec<_> = assembly.diagnostics.iter().map(|one| (one.code, &one.message[..])).collect();
    assert_eq!(told, [("after-end", "what stands after `end` is not read")]);
}

/// Processor, source, and each error or warning: its line, a part of its message and of its help.
type Answer = (&'static str, &'static str, &'static [(usize, &'static str, &'static str)]);

const ANSWERS: &[Answer] = &[
    (
        "8080",
        "loop\n jnz loop\n hlt\n",
        &[(1, "`loop` is an instruction of the 8086", "end it with a colon: `loop:`")],
    ),
    (
        "8080",
        "start mvi a, 1\nagain dcr a\n jnz again\n jmp start\n",
        &[(1, "`start` is neither", "`start:`"), (2, "`again` is neither", "`again:`")],
    ),
    ("8080", "mov: nop\n", &[(1, "`mov` is an instruction of the 8080 and cannot be a symbol", "mov_1")]),
    ("8080", "low: nop\n", &[(1, "`low` is an operator", "low_1")]),
    ("8080", "text equ 5\n", &[(1, "`text` is a directive", "text_1")]),
    (
        "8080",
        "flash macro p\n out p\n endm\n hlt\n",
        &[(1, "`macro` does not stand after a name", "write `macro flash")],
    ),
    ("8080", " db 10 dup (0)\n", &[(1, "`dup` does not repeat data", "ds COUNT, VALUE")]),
    ("8080", " rept 3\n", &[(1, "`rept` is not a directive", "copies N")]),
    (
        "8086",
        "main proc\n jmp main\nmain endp\n assume cs:code\n",
        &[(1, "`proc`", "`main:`"), (3, "`endp`", "ends with its `ret`"), (4, "`assume`", "DS is loaded")],
    ),
    (
        "pdp8",
        " tad (5)\n tad (5\n tad [5]\n",
        &[(1, "parentheses", "`#5`"), (2, "parentheses", "`#5`"), (3, "parentheses", "`#5`")],
    ),
    ("pdp8", " tad x /add it\nx, 5\n", &[(1, "`/` does not begin a comment", "`;` before a comment")]),
    ("pdp8", " rrb kcc\n", &[(1, "KCC and RRB are of different devices", "two instructions")]),
    ("pdp8", " decimal\n", &[(1, "`decimal`", "`10.`")]),
    (
        "6502",
        " lda 'A'\n jmp $\n",
        &[(1, "'A' is a character, and LDA takes the address of a cell", "`lda #'A'`")],
    ),
    ("8080", "x1: lda 'A'\n jmp x1\n", &[(1, "'A' is a character", "`mvi a, 'A'`")]),
    (
        "6502",
        " jmp ($10ff)\n",
        &[(1, "takes the high byte of the address from $1000, not from $1100", "the 65c02")],
    ),
    ("65c02", " jmp ($10ff)\n", &[]),
    (
        "6502",
        " org $8000\nstart: jmp start\n org $fffc\n db $80, 0\n",
        &[(4, "the vector of RESET leads to 0080, where nothing stands; 8000 is `start`", "`dw LABEL`")],
    ),
    ("6502", " org $8000\nstart: jmp start\n org $fffc\n dw start\n", &[]),
    ("pdp8", " org 200\n jms sub\n hlt\nsub: 0\n jmp i sub\n", &[]),
    (
        "8080",
        " mvi a, 1\n db 5\n",
        &[(1, "execution goes on after this instruction, into data", "put the data elsewhere")],
    ),
    (
        "8080",
        " jmp x\nx: db 5\n",
        &[(2, "execution comes to this data", "let the jump lead to instructions")],
    ),
    ("8080", " mvi a, 1\n db 5 ; allow runs-into-data\n", &[]),
];

#[test]
fn what_can_mean_something_else_is_answered_once() {
    for (cpu, source, expected) in ANSWERS {
        let assembly = built(cpu, source);
        let told: Vec<_> = assembly
            .diagnostics
            .iter()
            .map(|one| (assembly.sources.place(one.span).line, &one.message[..], &one.help[..]))
            .collect();
        assert_eq!(told.len(), expected.len(), "{cpu} {source}: {told:?}");
        for ((line, message, help), told) in expected.iter().zip(&told) {
            assert!(
                told.0 == *line && told.1.contains(message) && told.2.contains(help),
                "{source}: {told:?}"
            );
        }
    }
}

#[test]
fn warnings_told_while_reading_are_allowed_and_denied_like_others() {
    let told = |policy: Policy| {
        let options = Options::default().cpu("8080").expect("a processor");
        let mut assembly = assemble("fog.asm", &mut Texts::one("fog.asm", " hlt\n end\n nop\n"), &options);
        warn(&mut assembly, None, &policy);
        (assembly.succeeded(), assembly.diagnostics.len())
    };
    assert_eq!(told(Policy::default()), (true, 1));
    assert_eq!(told(Policy::default().allow("after-end").expect("a warning")), (true, 0));
    assert_eq!(told(Policy::default().deny("after-end").expect("a warning")), (false, 1));
}
