//! Words of the monitor that find out why, as a person types them, and where a run went.

use crate::common::session_for;
use plain_byte::assembler::{Formula, Loaded, Loader};
use plain_byte::diagnostic::Problem;
use plain_byte::machine::Event;
use plain_byte::monitor::{Host, Monitor, Reply};
use plain_byte::report::{Coverage, Ground, flame, folded};
use plain_byte::session::{Guard, Limits, Session, Whereabouts};

pub struct Nobody;

impl Loader for Nobody {
    fn resolve(&self, name: &str, _: Option<&str>) -> String {
        name.to_string()
    }

    fn load(&mut self, _: &str, _: Option<&str>) -> Result<Loaded, Problem> {
        Err("there is no such file".into())
    }
}

impl Host for Nobody {
    fn write(&mut self, _: &str, _: &[u8]) -> Result<(), Problem> {
        Ok(())
    }
}

/// What the monitor answers to each line.
pub fn said(session: Session, lines: &[&str]) -> String {
    let mut monitor = Monitor::new(session);
    let mut out = String::new();
    for line in lines {
        out += &format!("> {line}\n");
        out += &match monitor.line(line, &mut Nobody) {
            Ok(Reply::Done(text)) => text.to_string(),
            Ok(Reply::Quit) => "quit\n".to_string(),
            Err(complaint) => format!("error: {complaint}\n  help: {}\n", complaint.help),
        };
    }
    out
}

const NIGHTS: &str = "        cpu 8085\n        org 4000h\n        mvi c, 0\n        lda oil\nagain:  sui 12\n        jc done
        inr c\n        jmp again\ndone:   mov a, c\n        sta nights\n        hlt\noil:    db 100\nnights: ds 1\n";

#[test]
fn a_value_is_explained_to_its_beginning() {
    let lines = [
        "run",
        "why nights",
        "why flag cy",
        "why a deep 2",
        "why b",
        "writers c last 3",
        "back to nights",
        "moment",
        "forth",
        "moment 5",
        "back to c",
        "moment end",
        "back to change cell nights",
        "back to b",
        "moment 99",
        "moment x",
        "stop at again",
        "moment end",
        "back to stop",
        "hazards",
        "back to hazard",
        "back to interrupt",
        "back to input",
        "why",
        "why fog",
        "why screen 1 1",
        "set a = 5",
        "forth",
        "why a",
    ];
    insta::assert_snapshot!(said(session_for("plover", "8085", NIGHTS), &lines));
}

#[test]
fn chains_go_through_stack_ports_memory_and_hands() {
    let source = "        cpu 8085\n        org 4000h\n        lxi sp, 7F00h\n        in 11h\n        mov b, a\n        push b
        lxi b, 0\n        pop d\n        lxi h, heights\n        mov a, m\n        add d\n        mov m, a\n        out 10h\n        hlt\nheights: db 7\n";
    let mut session = session_for("plover", "8085", source);
    session.happen(Event::Switches("switches".into(), 9)).expect("it has them");
    session.set("C", 3).expect("a register");
    let lines = ["run", "why heights", "why e", "why port 10h", "why stack"];
    insta::assert_snapshot!(said(session, &lines));
}

#[test]
fn every_processor_tells_why() {
    let programs = [
        (
            "fulmar",
            "6502",
            "        org $0400\n        ldx #3\nagain:  txa\n        clc\n        adc sum\n        sta sum\n        dex\n        bne again\n        rts\nsum:    db 0\n",
            "sum",
        ),
        (
            "curlew",
            "z80",
            "        org 0C000h\n        ld b, 3\n        ld hl, sum\nagain:  inc (hl)\n        djnz again\n        halt\nsum:    db 4\n",
            "sum",
        ),
        (
            "petrel",
            "8086",
            "        org 100h\n        mov cx, 3\n        xor ax, ax\nagain:  add ax, cx\n        loop again\n        mov [sum], ax\n        int 20h\nsum:    dw 0\n        image com, \"sum.com\"\n",
            "sum",
        ),
        (
            "heron",
            "pdp8",
            "        org 200\nstart:  cla cll\n        tad boats\n        tad boats\n        dca sum\n        hlt\nboats:  dw 5\nsum:    dw 0\n        entry start\n",
            "sum",
        ),
        (
            "osprey",
            "pdp10",
            "        org 200\nstart:  movei 1, 3\nagain:  addm 1, sum\n        sojg 1, again\n        jrst 4, start\nsum:    dw 0\n        entry start\n",
            "sum",
        ),
        (
            "dunlin",
            "ez80",
            "        org 40000h\n        ld hl, 1234h\n        inc hl\n        ld (sum), hl\n        halt\nsum:    ds 3\n",
            "sum",
        ),
    ];
    let mut out = String::new();
    for (board, cpu, source, place) in programs {
        let mut session = session_for(board, cpu, &format!("        cpu {cpu}\n{source}"));
        session.run(Limits::none().back().cycles(200_000));
        out += &format!("{cpu}\n{}", said(session, &[&format!("why {place}")]));
    }
    insta::assert_snapshot!(out);
}

#[test]
fn what_is_written_on_the_screen_is_found() {
    let source = "        cpu 6502\n        org $0400\n        lda #'F'\n        jsr $E000\n        rts\n";
    let mut session = session_for("fulmar", "6502", source);
    session.run(Limits::none().back());
    let screen = session.machine().screen().expect("a screen");
    let (columns, _) = screen.size;
    let at = screen.glyphs.iter().position(|glyph| glyph.sign == 'F');
    let at = at.expect("it is on the screen");
    let place = format!("screen {} {}", at / columns + 1, at % columns + 1);
    let Ok(Whereabouts::Cell(cell)) = session.whereabouts(&place) else { panic!("a cell") };
    assert_eq!(session.cell(cell) as u8, screen.glyphs[at].code);
    let written = session.back_to_writer(&Whereabouts::Cell(cell), &mut || true).expect("somebody wrote it");
    assert_eq!(written.value as u8, screen.glyphs[at].code);
    assert!(session.machine().cycles() == written.moment.cycle);
    let step = session.step();
    assert!(
        step.changes
            .iter()
            .any(|one| matches!(one, plain_byte::session::Change::Cell { address, .. } if *address == cell))
    );
    // A condition that began to hold is gone back to, too.
    session.go_to_instruction(0).expect("the beginning");
    session.run(Limits::none().back());
    session.add_condition(Formula::parse("$ == 0E000h", None).expect("a formula"));
    assert!(session.back_to_stop(&mut || true));
    assert_eq!(session.machine().place(), 0xE000);
    session.clear_conditions();
    session.add_condition(Formula::parse("$ == 0F00h", None).expect("a formula"));
    assert!(!session.back_to_stop(&mut || true));
}

#[test]
fn a_guard_counts_on_the_way_back_as_on_the_way_forth() {
    let mut session = session_for("bare", "8085", NIGHTS);
    session.run(Limits::none());
    let end = session.moment();
    let again = session.evaluate("again").expect("a label") as u32;
    // Every arrival with an even count, one by one.
    let mut arrivals = Vec::new();
    session.go_to_instruction(0).expect("the beginning");
    while session.moment() < end {
        if session.machine().place() == again && session.get("C").is_some_and(|c| c % 2 == 0) {
            arrivals.push(session.moment());
        }
        session.step();
    }
    assert!(arrivals.len() > 3);
    let even = Formula::parse("(c & 1) == 0", Some(session.processor())).expect("a condition");
    for passes in 0..=arrivals.len() {
        session.go_to_cycle(end.cycle).expect("the end");
        let guard = Guard { condition: Some(even.clone()), passes: passes as u32 };
        session.guard_breakpoint(again, guard);
        let expected = arrivals.iter().rev().nth(passes);
        assert_eq!(session.back_to_stop(&mut || true), expected.is_some(), "{passes}");
        assert_eq!(session.moment(), *expected.unwrap_or(&end), "{passes}");
    }
}

#[test]
fn lines_conditions_and_chains_of_calls_are_counted() {
    let source = "        cpu 8085\n        org 4000h\nstart:  lxi sp, 7F00h\n        mvi b, 3\nagain:  call lamp\n        dcr b\n        jnz again
        jc never\n        hlt\nnever:  nop\n        hlt\nlamp:   call wait\n        ret\nwait:   nop\n        ret\n";
    let mut session = session_for("bare", "8085", source);
    session.run(Limits::none());
    let profile = session.profile(&mut || true);
    assert_eq!(profile.cycles(), session.machine().cycles());
    assert_eq!(profile.stacks.values().sum::<u64>(), session.machine().cycles());
    let program = session.program().expect("a program");
    let coverage = Coverage::of(program, &profile);
    assert_eq!((coverage.lines(), coverage.branches(), coverage.is_full()), ((11, 13), (1, 2), false));
    let text =
        [coverage.text().to_string(), coverage.missing().join("\n"), coverage.lcov(), folded(&profile)]
            .join("\n");
    insta::assert_snapshot!(text);
    let picture = flame("lamp.asm", "T-states", &profile, Ground::Print);
    assert!(picture.starts_with("<svg") && picture.contains(">lamp"));
    // Runs are added up, and a run that is cut and stepped counts the same.
    let mut twice = profile.clone();
    twice.add(&profile);
    assert_eq!(twice.cycles(), 2 * profile.cycles());
    let mut stepped = session_for("bare", "8085", source);
    (0..20).for_each(|_| _ = stepped.step());
    stepped.back(5);
    stepped.run(Limits::none());
    assert_eq!(stepped.profile(&mut || true), profile);
}
