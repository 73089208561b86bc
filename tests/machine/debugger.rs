//! The debugger by what its keys do: panes, changes in place, what lines wrote out, cases, and another build in its place.

use super::past::Nobody;
use crate::common::session_for;
use plain_byte::debug::{Debugger, Deed, MarkKind, Pane};
use plain_byte::machine::Event;
use plain_byte::session::Session;
use plain_byte::session::cases::Cases;

const FLASH: &str = "        cpu 8085\n        org 4000h\n        macro flash count\n        mvi a, count\n        out 10h\n        endm
start:  mvi b, 9\nagain:  flash 5\n        flash 0\n        dcr b\n        when nz\n        jmp again\n        endwhen\n        hlt\nnights: db 4\n";

fn session(source: &str) -> Session {
    session_for("plover", "8085", source)
}

fn act(debugger: &mut Debugger, deeds: &[Deed]) -> String {
    deeds.iter().for_each(|deed| debugger.act(deed, &mut Nobody));
    debugger.said().to_string().trim().to_string()
}

fn line(text: &str) -> Deed {
    Deed::Line(text.to_string())
}

fn value(text: &str) -> Deed {
    Deed::Change(text.to_string())
}

/// The rows that are shown: the number, the text, and marks for what comes next, for the cursor and for a breakpoint.
fn rows(debugger: &Debugger) -> Vec<String> {
    let view = debugger.view(40, 4, 4);
    let mark = |is: bool, sign: &str| if is { sign.to_string() } else { String::new() };
    let row = |row: &plain_byte::debug::SourceRow| {
        let marks =
            mark(row.is_next, "next ") + &mark(row.is_cursor, "cursor ") + &mark(row.has_stop, "stop ");
        format!("{marks}{} {} {}", row.number, row.text.trim(), row.folds)
    };
    view.source.iter().map(row).collect()
}

#[test]
fn what_a_macro_and_a_block_wrote_out_is_shown_when_it_is_asked_for() {
    let mut debugger = Debugger::new(session(FLASH));
    act(&mut debugger, &[Deed::Step]);
    assert_eq!(rows(&debugger)[7], "next cursor 8 again:  flash 5 2");
    act(&mut debugger, &[Deed::Unfold, Deed::Step]);
    let shown = rows(&debugger);
    assert_eq!(
        shown[7..11],
        ["8 again:  flash 5 2", "4002 mvi a, 5 0", "next cursor 4004 out 10h 0", "9 flash 0 2"]
    );
    // A breakpoint in the middle of it, and the cursor over the rows.
    act(&mut debugger, &[Deed::Breakpoint, Deed::Run]);
    assert_eq!(debugger.session().get("PC"), Some(0x4004));
    assert_eq!(rows(&debugger)[9], "next cursor stop 4004 out 10h 0");
    act(&mut debugger, &[Deed::Cursor(-1), Deed::ToCursor]);
    assert_eq!(debugger.session().get("PC"), Some(0x4002));
    act(&mut debugger, &[Deed::Unfold]);
    assert_eq!(rows(&debugger)[7], "next cursor stop 8 again:  flash 5 2");
    act(&mut debugger, &[Deed::Cursor(3), Deed::Unfold]);
    assert_eq!(
        rows(&debugger)[10..12],
        ["11 when nz 1", "cursor 400B jz 4011h 0"]
            .map(|row| row.replace("11 when", "cursor 11 when").replace("cursor 400B", "400B"))[..]
    );
    let said = act(&mut debugger, &[Deed::Cursor(-99), Deed::Unfold]);
    assert!(said.contains("line 1 wrote out nothing else"), "{said}");
}

#[test]
fn values_are_changed_in_place_and_taken_back() {
    let mut debugger = Debugger::new(session(FLASH));
    act(&mut debugger, &[Deed::Step, Deed::NextPane]);
    assert_eq!(debugger.pane(), Pane::Registers);
    // Digits alone are in the pane's own radix, anything else is an expression.
    assert_eq!(act(&mut debugger, &[Deed::Cursor(1), value("1f")]), "B = 1F; it was 09");
    assert_eq!(act(&mut debugger, &[value("'A' + 1")]), "B = 42; it was 1F");
    assert!(debugger.view(9, 9, 9).registers[1].changed && debugger.view(9, 9, 9).registers[1].is_cursor);
    assert_eq!(act(&mut debugger, &[Deed::Undo]), "B = 1F again");
    // Flags follow the registers; the cells are the next pane.
    assert_eq!(act(&mut debugger, &[Deed::Sideways(-2), value("1")]), "CY = 1; it was 0");
    let said = act(&mut debugger, &[Deed::NextPane, Deed::Cursor(1), Deed::Sideways(1), value("77")]);
    assert_eq!(said, "nights + 9 = 77; it was 00");
    let cell = debugger.session().evaluate("nights + 9").expect("a label") as u32;
    assert_eq!(debugger.session().machine().cell(cell), 0x77);
    assert!(act(&mut debugger, &[Deed::Why]).contains("set by hand"));
    assert!(act(&mut debugger, &[Deed::Watch]).contains("is watched"));
    assert_eq!(debugger.view(9, 9, 9).watched[0].value, "77");
    let said = act(&mut debugger, &[Deed::Step, Deed::Undo]);
    assert!(said.contains("does not stand where nights + 9 was changed; `moment 1` goes there"), "{said}");
    assert_eq!(act(&mut debugger, &[line("moment 1"), Deed::Undo, Deed::Undo, Deed::Undo]), "B = 09 again");
    assert!(act(&mut debugger, &[Deed::Undo]).contains("nothing was changed in place"));
    // Past the end of what is shown the pane goes on; without a value nothing happens.
    act(&mut debugger, &[Deed::Cursor(20)]);
    let shown = debugger.view(9, 16, 9).memory;
    assert!(shown.iter().flat_map(|row| &row.1).any(|cell| cell.is_cursor), "{shown:?}");
    assert!(act(&mut debugger, &[value("nosuch")]).contains("nosuch"));
    assert!(act(&mut debugger, &[Deed::NextPane, value("1")]).contains("the cursor stands on no value"));
}

#[test]
fn the_stack_says_what_each_cell_is() {
    let source = "        cpu 8085\n        org 4000h\n        lxi sp, 7F00h\n        lxi b, 1234h\n        push b\n        call lamp\n        hlt
lamp:   push psw\n        nop\n        pop psw\n        ret\n";
    let mut debugger = Debugger::new(session(source));
    act(&mut debugger, &[line("until lamp + 1")]);
    let rows = debugger.view(9, 9, 3).stack;
    let told: Vec<_> =
        rows.iter().map(|row| (row.address.as_str(), row.value.as_str(), row.what.as_str())).collect();
    assert_eq!(told[0], ("7EFA", "0044", "push psw, line 8"));
    assert_eq!(told[1], ("7EFC", "400A", "return to [400A]"));
    assert_eq!(told[2], ("7EFE", "1234", "push b, line 5"));
    // In another radix cells are as wide as they need to be, one below the other.
    let said = act(&mut debugger, &[Deed::Radix]);
    let shown = debugger.view(9, 9, 9).memory;
    assert_eq!((said.as_str(), shown[0].1[0].value.len()), ("memory in decimal", 3));
    act(&mut debugger, &[Deed::Radix, Deed::Radix]);
    assert_eq!(debugger.view(9, 9, 9).memory[0].1.len(), 4, "binary takes more room");
}

#[test]
fn breakpoints_ask_for_conditions_and_counts() {
    let mut debugger = Debugger::new(session(FLASH));
    let said = act(&mut debugger, &[line("stop at again when b < 7 after 2"), line("stop")]);
    assert_eq!(said, "at 4002  again when b < 7 after 2");
    // B is 6 and 5 when it is passed, and 4 when it stops.
    let stands = |debugger: &Debugger| (debugger.session().get("PC"), debugger.session().get("B"));
    act(&mut debugger, &[Deed::Run]);
    assert_eq!(stands(&debugger), (Some(0x4002), Some(4)));
    // A run that somebody watches is one run, in however many pieces.
    let mut watched = Debugger::new(session(FLASH));
    act(&mut watched, &[line("stop at again when b < 7 after 2")]);
    while watched.run_for(31, &mut Nobody) {}
    assert_eq!(stands(&watched), stands(&debugger));
    assert_eq!(watched.session().moment(), debugger.session().moment());
    // The next run lets two pass again, and going back lets pass as many: it comes to where the first run stopped.
    act(&mut debugger, &[Deed::Run]);
    assert_eq!(stands(&debugger), (Some(0x4002), Some(1)));
    act(&mut debugger, &[Deed::RunBack]);
    assert_eq!(stands(&debugger), (Some(0x4002), Some(4)));
    act(&mut debugger, &[Deed::RunBack]);
    assert_eq!(debugger.session().moment().instructions, 0, "no time before that");
    for (text, wrong) in
        [("stop at again when b <", "an operand"), ("stop at again after -1", "is not a count")]
    {
        let said = act(&mut debugger, &[line(text)]);
        assert!(said.contains(wrong) || said.contains("missing"), "{text}: {said}");
    }
}

#[test]
fn another_build_keeps_what_was_set_up() {
    let mut debugger = Debugger::new(session(FLASH));
    act(&mut debugger, &[line("stop at again when b == 3"), line("watch b"), line("stop when a == 77h")]);
    act(&mut debugger, &[Deed::Cursor(7), Deed::Breakpoint, Deed::Run]);
    assert_eq!(debugger.session().get("B"), Some(3));
    // A line more above them: the breakpoints stand where the same is said.
    debugger.exchange(session(&FLASH.replace(
        "start:",
        "        nop
start:",
    )));
    assert!(debugger.said().to_string().contains("built again"));
    assert_eq!((debugger.session().moment().cycle, debugger.view(9, 9, 9).watched.len()), (0, 1));
    assert_eq!(
        (debugger.session().breakpoints(), debugger.session().conditions().len()),
        (&[0x4003, 0x4012][..], 1)
    );
    assert!(debugger.session().guard(0x4003).is_some());
    // Lines that are gone lose theirs.
    debugger.exchange(session("        cpu 8085\n        org 4000h\nagain:  nop\n        hlt\n"));
    assert!(debugger.said().to_string().contains("1 breakpoint stood in a line"), "{}", debugger.said());
}

#[test]
fn a_case_of_the_table_is_prepared_and_the_failing_ones_come_first() {
    let source = "        cpu 8085\n        org 4000h\n        lda nights\n        inr a\n        sta nights\n        hlt\nnights: db 0\n";
    let table = "version = 1\nprogram = \"test.asm\"\nboard = \"plover\"
[[case]]\nname = \"one\"\ngiven.memory = { nights = 1 }\nexpect.memory = { nights = 2 }
[[case]]\nname = \"seven\"\ngiven.memory = { nights = 7 }\nexpect.memory = { nights = 9 }\n";
    let mut debugger = Debugger::new(session(source));
    assert!(debugger.case_rows().is_err());
    debugger.set_cases(Cases::parse(table).expect("a table"), session(source));
    let rows = debugger.case_rows().expect("they run");
    let told: Vec<_> = rows.iter().map(|row| (row.name.as_str(), row.passed)).collect();
    assert_eq!(told, [("seven", false), ("one", true)]);
    let said = act(&mut debugger, &[Deed::Case(0)]);
    assert!(said.contains("case `seven`") && said.contains("nights"), "{said}");
    assert_eq!((debugger.chosen_case(), debugger.session().moment().instructions), (Some("seven"), 0));
    act(&mut debugger, &[Deed::Run]);
    let nights = debugger.session().evaluate("cell nights").expect("a cell");
    assert_eq!(nights, 8);
    assert!(act(&mut debugger, &[Deed::Case(5)]).contains("no such case"));
}

#[test]
fn interrupts_are_marks_of_the_strip_and_lamps_as_bright_as_they_were() {
    let mut session = session_for(
        "puffin",
        "65c02",
        "        cpu 65c02\n        org $8000\nstart:  lda #$FF\n        sta $7F02\n        cli\nagain:  inc $7F00\n        jmp again\nend:    rti\n        org $FFFA\n        dw end, start, end\n",
    );
    session.happen_at(2000, Event::Interrupt("NMI".into())).expect("an input");
    let mut debugger = Debugger::new(session);
    while debugger.session().machine().cycles() < 100_000 && debugger.run_for(9_000, &mut Nobody) {}
    debugger.end_run(&mut Nobody);
    let view = debugger.view(9, 9, 9);
    let interrupts = view.strip.marks.iter().filter(|mark| mark.kind == MarkKind::Interrupt);
    assert_eq!(interrupts.filter(|mark| (1990..2010).contains(&mark.cycle)).count(), 1);
    let lamp = debugger.board().lamps[0].1;
    assert!((0.4..0.6).contains(&lamp), "half of the time, not {lamp}");
}

#[test]
fn every_register_and_flag_of_every_processor_can_be_changed_in_place() {
    for set in plain_byte::processor::ALL {
        let source =
            format!("        cpu {}\n        org 100h\nstart:  dw 0\n        entry start\n", set.name());
        let source = if set.cell_bits() > 8 { source.replace("100h", "100") } else { source };
        let mut debugger = Debugger::new(session_for("bare", set.name(), &source));
        act(&mut debugger, &[Deed::NextPane]);
        let view = debugger.view(9, 9, 9);
        let count = view.registers.len() + view.flags.len();
        assert!(count > 3, "{}", set.name());
        for _ in 0..count {
            let told = |debugger: &Debugger| {
                let view = debugger.view(9, 9, 9);
                let all = view.registers.into_iter().chain(view.flags);
                all.filter(|one| one.is_cursor).map(|one| (one.name, one.value)).collect::<Vec<_>>()
            };
            let before = told(&debugger);
            assert_eq!(before.len(), 1, "{}: {before:?}", set.name());
            let said = act(&mut debugger, &[value("1")]);
            assert!(
                said.ends_with(&format!("1; it was {}", before[0].1)),
                "{} {before:?}: {said}",
                set.name()
            );
            assert!(told(&debugger)[0].1.ends_with('1'), "{} {before:?}", set.name());
            act(&mut debugger, &[Deed::Undo]);
            assert_eq!(told(&debugger), before, "{}", set.name());
            act(&mut debugger, &[Deed::Sideways(1)]);
        }
    }
}
