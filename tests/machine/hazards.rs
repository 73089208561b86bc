//! Every kind of hazard: a mistake on Skerrow Rock that has it, and the nearest program without.

use crate::common::session_for;
use plain_byte::machine::Event;
use plain_byte::session::{HAZARDS, Hazard, Limits, Session};

/// A mistake, and what an innocent program has in place of one of its lines.
struct Mistake {
    code: &'static str,
    /// The board and the processor.
    on: (&'static str, &'static str),
    source: &'static str,
    /// The line that is wrong, and what it says.
    line: (usize, &'static str),
    /// What stands there where the program is right.
    right: &'static [(&'static str, &'static str)],
}

const MISTAKES: &[Mistake] = &[
    Mistake {
        code: "unset-register",
        on: ("plover", "8085"),
        source: "        org 4000h\n        mvi a, 5\n        add b\n        hlt\n",
        line: (4, "uses B"),
        right: &[
            ("        mvi a, 5\n", "        mvi a, 5\n        mvi b, 1\n"),
            ("add b", "push b"),
            ("add b", "mov b, a"),
        ],
    },
    Mistake {
        code: "unset-register",
        on: ("bare", "z80"),
        source: "        org 100h\n        xor a\n        push af\n        ld a, 7\n        add a, (hl)\n        halt\n",
        line: (6, "uses H"),
        right: &[
            ("ld a, 7", "ld hl, 100h"),
            ("add a, (hl)", "add a, 3"),
            ("add a, (hl)", "ex de, hl"),
            ("add a, (hl)", "sbc hl, hl"),
        ],
    },
    Mistake {
        code: "unset-register",
        on: ("puffin", "6502"),
        source: "        org $8000\nstart:  ldx #$FF\n        txs\n        tya\n        pha\n        sty $40\nhere:   jmp here\n        org $FFFA\n        dw start, start, start\n",
        line: (7, "uses Y"),
        right: &[("sty $40", "stx $40"), ("tya", "ldy #1")],
    },
    Mistake {
        code: "unset-register",
        on: ("bare", "8086"),
        source: "        org 100h\n        mov al, 5\n        xor bx, bx\n        add al, cl\n        hlt\n",
        line: (5, "uses CL"),
        right: &[("add al, cl", "add al, bl"), ("xor bx, bx", "mov cx, 3")],
    },
    Mistake {
        code: "unset-register",
        on: ("bare", "pdp10"),
        source: "        org 200\nstart:  movei 1, 3\n        add 1, 2\n        jrst 4, start\n        entry start\n",
        line: (4, "uses AC2"),
        right: &[("add 1, 2", "add 1, 1"), ("movei 1, 3", "movei 2, 3\n        movei 1, 3")],
    },
    Mistake {
        code: "unset-cell",
        on: ("plover", "8085"),
        source: "        org 4000h\n        lda boats\n        inr a\n        sta boats\n        hlt\nboats:  ds 1\n",
        line: (3, "`boats` (4008)"),
        right: &[
            ("ds 1", "db 0"),
            ("        lda boats", "        xra a\n        sta boats\n        lda boats"),
        ],
    },
    Mistake {
        code: "unset-cell",
        on: ("heron", "pdp8"),
        source: "        org 200\nstart:  cla cll\n        tad boats\n        hlt\n        entry start\n        org 300\nboats:  ds 1\n",
        line: (4, "`boats` (00300)"),
        right: &[
            ("boats:  ds 1", "boats:  dw 0"),
            ("        tad boats", "        dca boats\n        tad boats"),
        ],
    },
    Mistake {
        code: "not-loaded",
        on: ("bare", "8085"),
        source: "        org 4000h\n        mvi a, 5\n        jmp 5000h\n",
        line: (0, "execution came to 5000"),
        right: &[("jmp 5000h", "hlt")],
    },
    Mistake {
        code: "code-changed",
        on: ("plover", "8085"),
        source: "        org 4000h\n        mvi c, 3\nagain:  mvi a, 1\n        lda again + 1\n        sta again + 1\n        dcr c\n        jnz again\n        hlt\n",
        line: (6, "`again + 1` (4003)"),
        right: &[("sta again + 1", "sta 4100h"), ("sta again + 1", "sta again + 1 ; allow code-changed")],
    },
    Mistake {
        code: "text-written",
        on: ("plover", "8085"),
        source: "        org 4000h\n        lxi h, title\n        mvi m, 'x'\n        hlt\ntitle:  db \"fog\"\n",
        line: (4, "text at `title` (4006)"),
        right: &[("\"fog\"", "0, 0, 0"), ("lxi h, title", "lxi h, 4100h")],
    },
    Mistake {
        code: "rom-written",
        on: ("plover", "8085"),
        source: "        org 4000h\n        mvi a, 1\n        sta 0100h\n        hlt\n",
        line: (4, "0100, which is ROM"),
        right: &[("0100h", "4100h")],
    },
    Mistake {
        code: "nothing-there",
        on: ("plover", "8085"),
        source: "        org 4000h\n        mvi a, 1\n        sta 1000h\n        out 77h\n        hlt\n",
        line: (4, "1000, where the board has nothing"),
        right: &[("        sta 1000h\n        out 77h", "        sta 4100h\n        out 10h")],
    },
    Mistake {
        code: "stack-no-ram",
        on: ("plover", "8085"),
        source: "        org 4000h\n        lxi sp, 0800h\n        call lamp\n        hlt\nlamp:   ret\n",
        line: (4, "where there is no RAM"),
        right: &[("0800h", "7F00h")],
    },
    Mistake {
        code: "stack-in-program",
        on: ("plover", "8085"),
        source: "        org 4000h\n        lxi sp, 4010h\n        call lamp\n        hlt\n        ds 7\nlamp:   nop\n        ret\n",
        line: (4, "in the program"),
        right: &[("4010h", "7F00h")],
    },
    Mistake {
        code: "return-astray",
        on: ("bare", "8085"),
        source: "        org 4000h\n        lxi sp, 7F00h\n        call lamp\n        hlt\nlamp:   lxi h, 5000h\n        xthl\n        ret\n",
        line: (8, "not to the instruction after `call lamp` in line 4"),
        right: &[("        xthl\n", "        xthl\n        xthl\n"), ("lxi h, 5000h", "lxi h, 4006h")],
    },
    Mistake {
        code: "stack-not-level",
        on: ("bare", "8085"),
        source: "        org 4000h\n        lxi sp, 7F00h\n        lxi b, 5000h\n        call lamp\n        hlt\nlamp:   push b\n        mvi a, 3\n        ret\n",
        line: (9, "the stack is not as `call lamp` in line 5 has left it"),
        right: &[("        mvi a, 3\n", "        pop b\n"), ("lxi b, 5000h", "lxi b, 4009h")],
    },
    Mistake {
        code: "stack-not-level",
        on: ("fulmar", "6502"),
        source: "        org $0400\n        jsr lamp\n        rts\nlamp:   lda #3\n        pha\n        rts\n",
        line: (7, "`jsr lamp` in line 3"),
        right: &[("        pha\n", "        pha\n        pla\n")],
    },
    Mistake {
        code: "inside-instruction",
        on: ("bare", "8085"),
        source: "        org 4000h\n        jmp inside + 1\ninside: lxi h, 0076h\n        hlt\n",
        line: (0, "in the middle of the instruction `lxi h, 0076h` (line 4)"),
        right: &[("inside + 1", "inside")],
    },
    Mistake {
        code: "unset-vector",
        on: ("bare", "6502"),
        source: "        org $0400\nstart:  cli\n        nop\n        nop\nhere:   jmp here\n        entry start\n",
        line: (0, "an interrupt comes through"),
        right: &[("        entry start\n", "        org $FFFE\n        dw here\n        entry start\n")],
    },
];

fn hazards(on: (&str, &str), source: &str, interrupts: bool) -> (Vec<Hazard>, Session) {
    let mut session = session_for(on.0, on.1, &format!("        cpu {}\n{source}", on.1));
    if interrupts {
        session.happen_at(6, Event::Interrupt("IRQ".into())).expect("an input");
    }
    session.run(Limits::none().back().cycles(20_000));
    let found = session.hazards(&mut || true);
    (found, session)
}

#[test]
fn every_mistake_is_found_and_the_nearest_innocent_program_is_not() {
    for Mistake { code, on, source, line, right } in MISTAKES {
        let interrupts = *code == "unset-vector";
        let (found, _) = hazards(*on, source, interrupts);
        let hazard = found.iter().find(|one| one.code == *code);
        let hazard = hazard.unwrap_or_else(|| panic!("{code} is not found in\n{source}{found:#?}"));
        assert!(hazard.message.contains(line.1), "{code}: {}", hazard.message);
        assert!(!hazard.help.is_empty() && hazard.count > 0);
        if line.0 > 0 {
            assert_eq!(hazard.line, Some(line.0), "{code}: {}", hazard.message);
        }
        for (wrong, right) in *right {
            let innocent = source.replacen(wrong, right, 1);
            assert_ne!(innocent, *source);
            let (found, _) = hazards(*on, &innocent, interrupts);
            let same: Vec<_> = found.iter().filter(|one| one.code == *code).collect();
            assert!(same.is_empty(), "{code} is found in\n{innocent}{same:#?}");
        }
    }
    let page = include_str!("../../docs/warnings.md");
    assert!(HAZARDS.is_sorted_by_key(|row| row.0), "they stand in order");
    for (code, about) in HAZARDS {
        assert!(page.contains(&format!("\n## {code}\n")) && !about.is_empty(), "{code} has no page");
        assert!(MISTAKES.iter().any(|one| one.code == *code), "{code} has no mistake");
    }
}

#[test]
fn a_hazard_is_counted_gone_back_to_and_known_however_the_run_went() {
    let source = "        org 4000h\n        mvi c, 9\nagain:  lda boats\n        dcr c\n        jnz again\n        hlt\nboats:  ds 1\n";
    let (found, mut session) = hazards(("plover", "8085"), source, false);
    assert_eq!((found.len(), found[0].count, found[0].moment.instructions), (1, 9, 1));
    let there = session.back_to_hazard(&mut || true).expect("there is one");
    assert_eq!((session.moment(), session.machine().place()), (there.moment, 0x4002));
    // Stepping there and back, and what is set by hand, tell the same.
    session.go_to_instruction(0).expect("the beginning");
    assert!(session.hazards(&mut || true).is_empty());
    (0..8).for_each(|_| _ = session.step());
    session.back(2);
    session.step();
    assert_eq!(session.hazards(&mut || true)[0].count, 2);
    session.go_to_instruction(0).expect("the beginning");
    session.put(session.evaluate("boats").expect("a label") as u32, &[7]).expect("RAM");
    session.run(Limits::none());
    assert!(session.hazards(&mut || true).is_empty());
}
