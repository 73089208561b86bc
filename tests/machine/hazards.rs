//! Every kind of hazard: a mistake on Skerrow Rock that has it, and the nearest program without.

use super::past::said;
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
        code: "code-changed",
        on: ("bare", "6502"),
        source: "        org $0400\n        ldx #5\nagain:  lda #0\n        sta boats,x\n        dex\n        bpl again\n        brk\nboats:  ds 4\n        lda #1\n        rts\n",
        line: (5, "`boats + 5`"),
        right: &[("ldx #5", "ldx #3"), ("ds 4", "ds 6")],
    },
    Mistake {
        code: "constant-written",
        on: ("plover", "8085"),
        source: "        org 4000h\n        mvi a, 5\n        sta lamps + 1\n        sta now\n        hlt\nnow:    db 0\n; constant from here\nlamps:  db 1, 2, 4, 8\n; constant to here\n",
        line: (4, "`lamps + 1` (400B), which the source calls constant"),
        right: &[("sta lamps + 1", "lda lamps + 1"), ("; constant from here", ";")],
    },
    Mistake {
        code: "constant-written",
        on: ("heron", "pdp8"),
        source: "        org 200\nstart:  cla cll\n        dca boats\n        hlt\n        entry start\nboats:  dw 7     ; constant, for now\n",
        line: (4, "`boats` (00203)"),
        right: &[("; constant, for now", "; no constant"), ("dca boats", "tad boats")],
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
        code: "region-left",
        on: ("plover", "8085"),
        source: "        region program, 4000h, 40FFh\n        lxi h, heights\n        mvi b, 5\nagain:  mvi m, 0\n        inx h\n        dcr b\n        jnz again\n        hlt\n        region tides, 4100h, 4103h\nheights: ds 4\n        region log, 4104h, 4110h\nlast:   db 1\n",
        line: (5, "past the end of the region `tides` (4100 to 4103) to `last` (4104), in the region `log`"),
        right: &[("mvi b, 5", "mvi b, 4"), ("again:  mvi m, 0", "again:  mov a, m")],
    },
    Mistake {
        code: "stack-too-deep",
        on: ("plover", "8085"),
        source: "        org 4000h\n        lxi sp, stack\n        mvi b, 5\nagain:  push b\n        dcr b\n        jnz again\n        hlt\nboats:  db 0\nroom:   ds 8\nstack:\n",
        line: (5, "below `room` (400C to 4013)"),
        right: &[("mvi b, 5", "mvi b, 4"), ("ds 8", "ds 10")],
    },
    Mistake {
        code: "stack-too-deep",
        on: ("bare", "z80"),
        source: "        region program, 100h, 1FFh\n        ld sp, 304h\nagain:  call again\n        region stack, 300h, 303h\n        org 300h\nroom:   ds 4\n",
        line: (4, "below the region `stack` (0300 to 0303)"),
        right: &[("call again", "call 300h")],
    },
    Mistake {
        code: "stack-in-program",
        on: ("plover", "8085"),
        source: "        org 4000h\n        lxi sp, boats + 4\n        push b\n        push b\n        hlt\n        org 4100h\nboats:  ds 2\n",
        line: (5, "at `boats + 1`"),
        right: &[("boats + 4", "boats + 6"), ("        push b\n        push b\n", "        push b\n")],
    },
    Mistake {
        code: "chip-misused",
        on: ("puffin", "65c02"),
        source: "        org $8000\nstart:  lda #3\n        sta $7F80\n        lda #$15\n        sta $7F80\n        lda #'f'\n        sta $7F81\n        sta $7F81\n        sta $7F81\nhere:   jmp here\n        org $FFFA\n        dw start, start, start\n",
        line: (
            10,
            "`sta $7F81` writes a character while the one before still waits: one of them is lost (6850, `acia`)",
        ),
        right: &[(
            "        sta $7F81\n        sta $7F81\n        sta $7F81\n",
            "        sta $7F81\n        sta $7F81\n",
        )],
    },
    Mistake {
        code: "chip-misused",
        on: ("puffin", "65c02"),
        source: "        org $8000\nstart:  lda #'f'\n        sta $7F81\nhere:   jmp here\n        org $FFFA\n        dw start, start, start\n",
        line: (4, "before the chip is set up: nothing is sent (6850, `acia`)"),
        right: &[("        sta $7F81\n", "        ldx #$15\n        stx $7F80\n        sta $7F81\n")],
    },
    Mistake {
        code: "chip-misused",
        on: ("dunlin", "ez80"),
        source: "        org 40000h\n        ld bc, 8100h\n        ld a, 66h\n        out (bc), a\n        out (bc), a\n        out (bc), a\n        halt\n",
        line: (7, "(16550, `serial`)"),
        right: &[(
            "        out (bc), a\n        out (bc), a\n        out (bc), a\n",
            "        out (bc), a\n        out (bc), a\n",
        )],
    },
    Mistake {
        code: "chip-misused",
        on: ("curlew", "z80"),
        source: "        org 8000h\n        ld a, 66h\n        out (20h), a\n        out (20h), a\n        out (20h), a\n        halt\n",
        line: (6, "(Z8440, `serial`)"),
        right: &[(
            "        out (20h), a\n        out (20h), a\n        out (20h), a\n",
            "        out (20h), a\n",
        )],
    },
    Mistake {
        code: "chip-misused",
        on: ("gannet", "8080"),
        source: "        org 100h\n        mvi a, 5\n        out 24h\n        out 24h\n        hlt\n",
        line: (
            5,
            "punches a frame while the one before is still being punched: it is spoilt (paper-tape-8, `tape`)",
        ),
        right: &[(
            "        out 24h\n        out 24h\n",
            "        out 24h\nwait:   in 25h\n        ani 2\n        jz wait\n        mvi a, 5\n        out 24h\n",
        )],
    },
    Mistake {
        code: "chip-misused",
        on: ("heron", "pdp8"),
        source: "        org 200\nstart:  cla cll\n        tls\n        tls\n        hlt\n        entry start\n",
        line: (
            5,
            "`tls` prints a character while the one before is still being printed: it is spoilt (teleprinter, `console`)",
        ),
        right: &[("        tls\n        tls\n", "        tls\nwait:   tsf\n        jmp wait\n        tls\n")],
    },
    Mistake {
        code: "chip-misused",
        on: ("osprey", "pdp10"),
        source: "        org 200\nstart:  movei 1, 101\n        datao 120, 1\n        datao 120, 1\n        jrst 4, start\n        entry start\n",
        line: (5, "(teleprinter-36, `console`)"),
        right: &[(
            "        datao 120, 1\n        datao 120, 1\n",
            "        datao 120, 1\nwait:   conso 120, 10\n        jrst wait\n        datao 120, 1\n",
        )],
    },
    Mistake {
        code: "chip-misused",
        on: ("petrel", "8086"),
        source: "        org 100h\n        mov al, 34h\n        out 43h, al\n        mov al, 0\n        out 40h, al\n        out 40h, al\n        in al, 40h\n        mov ah, al\n        mov cx, 200\nagain:  loop again\n        in al, 40h\n        int 20h\n",
        line: (
            12,
            "reads the high half of a count that has gone on since its low half was read (8253, `timer`)",
        ),
        right: &[(
            "        in al, 40h\n        mov ah, al\n",
            "        mov al, 0\n        out 43h, al\n        in al, 40h\n        mov ah, al\n",
        )],
    },
    Mistake {
        code: "chip-misused",
        on: ("petrel", "8086"),
        source: "        org 100h\n        mov al, 0\n        out 43h, al\n        in al, 40h\n        mov ah, al\n        mov al, 0\n        out 43h, al\n        int 20h\n",
        line: (
            8,
            "latches a count while half of the last one is not read: the old one stays (8253, `timer`)",
        ),
        right: &[("        mov ah, al\n", "        mov ah, al\n        in al, 40h\n")],
    },
    Mistake {
        code: "chip-misused",
        on: ("petrel", "8086"),
        source: "        org 100h\n        mov al, 5\n        out 60h, al\n        int 20h\n",
        line: (4, "writes to a port whose pins are inputs: nothing comes out (8255, `ports`)"),
        right: &[("out 60h, al", "out 61h, al")],
    },
    Mistake {
        code: "chip-misused",
        on: ("puffin", "65c02"),
        source: "        org $8000\nstart:  lda #$FF\n        sta $7F04\n        lda #2\n        sta $7F05\n        ldx #49\nagain:  dex\n        bne again\n        lda $7F04\n        nop\n        nop\n        nop\n        nop\n        lda $7F05\nhere:   jmp here\n        org $FFFA\n        dw start, start, start\n",
        line: (15, "(6522, `via`)"),
        right: &[("        nop\n        nop\n        nop\n        nop\n", "")],
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

#[test]
fn a_run_goes_on_to_the_next_hazard_and_allowed_kinds_are_not_told() {
    let source = "        cpu 8085\n        org 4000h\n        nop\n        lda boats\n        add b\n        sta boats\n        hlt\nboats:  ds 1\n";
    let session = session_for("plover", "8085", source);
    let lines = ["until hazard", "until hazard", "until hazard", "moment"];
    let told = said(session.clone(), &lines);
    let stops: Vec<&str> =
        told.lines().filter(|line| line.contains("hazard[") || line.contains('▸')).collect();
    assert!(stops[0].contains("unset-cell") && stops[1].contains("lda boats"), "{told}");
    assert!(stops[2].contains("unset-register") && stops[3].contains("add b"), "{told}");
    assert!(
        told.contains("there was no hazard on the way") && told.contains("after instruction 5"),
        "{told}"
    );
    let mut session = session;
    session.allow_hazards(&["unset-cell".to_string()]);
    session.run(Limits::none());
    let codes =
        |session: &mut Session| session.hazards(&mut || true).iter().map(|one| one.code).collect::<Vec<_>>();
    assert_eq!(codes(&mut session), ["unset-register"]);
    session.allow_hazards(&["all".to_string()]);
    assert!(codes(&mut session).is_empty());
}

#[test]
fn a_run_stops_in_front_of_what_is_denied() {
    let source = "        cpu 8085\n        org 4000h\n        nop\n        lda boats\n        add b\n        sta boats\n        hlt\nboats:  ds 1\n";
    let mut session = session_for("plover", "8085", source);
    session.deny_hazards(&["unset-register".to_string()]);
    let told = said(session.clone(), &["run", "step", "run"]);
    assert!(told.contains("hazard[unset-register]") && told.contains("▸ 4004"), "{told}");
    assert!(!told.contains("unset-cell") && told.contains("stopped at 4008"), "{told}");
    session.deny_hazards(&["all".to_string()]);
    let told = said(session, &["until 4007h", "until 4007h", "over", "run"]);
    assert_eq!(told.matches("hazard[").count(), 2, "{told}");
}
