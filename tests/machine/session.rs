//! Sessions: state by name, steps with their changes, stops, going back, interrupts, the console.

use crate::common::session;
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::image::Image;
use plain_byte::machine::Event;
use plain_byte::processor::{ALL, Register, Role, find, i8080};
use plain_byte::report::{Tracer, explain, final_card};
use plain_byte::session::{Change, Limits, Session, SessionError, Step, Stop};
use proptest::prelude::*;

/// The changes of a step as a person reads them.
fn told(session: &Session, step: &Step) -> String {
    let line = Tracer::default().line(session, step).to_string();
    line.trim_end().rsplit_once("  ").map_or(String::new(), |_| {
        let cells =
            line.find(step_text(session, step).as_str()).unwrap_or(0) + step_text(session, step).len();
        line[cells..].trim().to_string()
    })
}

fn step_text(session: &Session, step: &Step) -> String {
    plain_byte::report::describe(session, step)
}

/// The serial chip asks a port chip, and the port chip the processor: a chain of interrupt lines.
#[test]
fn an_interrupt_line_may_go_to_a_pin_of_another_chip() {
    let puffin = plain_byte::boards::find("puffin").expect("shipped").description;
    let wired = puffin.replacen("interrupt = \"IRQ\"\nclock", "interrupt = \"via.CA1\"\nclock", 1);
    // Each falling edge of CA1 asks; the handler reads ORA, which takes the flag away, and leaves the character where it is.
    let source = "        cpu 65c02
        org 8000h
start:  ldx #0FFh
        txs
        lda #82h
        sta 7F0Eh
        lda #3
        sta 7F80h
        lda #95h
        sta 7F80h
        cli
loop:   jmp loop
handler: inc count
        lda 7F01h
        rti
count   equ 10h
        org 0FFFAh
        dw start, start, handler
";
    let mut texts = Texts::default();
    texts.0.insert("wired.toml".to_string(), wired.into());
    let found = plain_byte::session::find_board("wired.toml", None, &mut texts).expect("it is right");
    texts.0.insert("fog.asm".to_string(), source.into());
    let assembly = assemble("fog.asm", &mut texts, &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut session = Session::open(&found, &mut texts).expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    session.run(Limits::none().cycles(2_000));
    assert_eq!(session.machine().cell(0x10), 0, "a line at rest asks for nothing");
    session.happen(Event::Typed(b"a".to_vec())).expect("there is a console");
    session.run(Limits::none().cycles(20_000));
    assert_eq!(session.machine().cell(0x10), 1, "the line stays low: there is one edge");
    assert!(
        plain_byte::report::board_facts(&found.board)
            .to_string()
            .contains("its interrupt line goes to via.CA1")
    );
}

#[test]
fn a_step_tells_exactly_what_changed() {
    // Source, what is set before, what the step tells, T-states.
    type Case = (&'static str, &'static [(&'static str, i64)], &'static str, u64);
    let cases: &[Case] = &[
        ("mvi a, 12h", &[], "A 00→12", 7),
        ("mvi a, 0", &[], "", 7),
        ("mvi m, 7", &[("hl", 0x8000)], "[8000] 00→07", 10),
        ("mvi m, 0", &[("hl", 0x8000)], "[8000] 00→00", 10),
        ("mvi m, 7", &[("hl", 0x0100)], "[0100] FF→FF (no RAM there)", 10),
        ("add b", &[("a", 0x0F), ("b", 1), ("z", 0), ("p", 1)], "A 0F→10  AC 0→1  P 1→0", 4),
        ("sub a", &[("a", 5), ("z", 0), ("p", 0), ("ac", 0)], "A 05→00  Z 0→1  AC 0→1  P 0→1", 4),
        ("stc", &[], "CY 0→1", 4),
        ("lxi h, 1234h", &[], "HL 0000→1234", 10),
        ("inx h", &[("hl", 0x20FF)], "HL 20FF→2100", 6),
        ("mvi l, 5", &[], "L 00→05", 7),
        ("mov a, m", &[("hl", 0x8000)], "[8000] is 00", 7),
        ("pop h", &[("sp", 0x9000), ("hl", 7)], "HL 0007→0000  SP 9000→9002", 10),
        ("push b", &[("bc", 0x1234), ("sp", 0x9000)], "SP 9000→8FFE  [8FFF] 00→12  [8FFE] 00→34", 12),
        ("out 10h", &[("a", 0x55)], "port 10 (lamps) gets 55", 10),
        ("in 11h", &[("a", 0x55)], "A 55→00  port 11 (switches) gives 00", 10),
        ("jmp 5000h", &[], "goes to 5000", 10),
        ("jz 5000h", &[("z", 0)], "goes on", 7),
        ("jz 5000h", &[("z", 1)], "goes to 5000", 10),
        ("ei", &[], "IE 0→1", 4),
        ("hlt", &[], "waits", 5),
    ];
    for (source, settings, expected, cycles) in cases {
        let mut session = session("plover", &format!("        org 4000h\n        {source}\n"));
        for &(name, value) in *settings {
            session.set(name, value).expect(name);
        }
        let step = session.step();
        assert_eq!(told(&session, &step), *expected, "{source}");
        assert_eq!(step.cycles, *cycles, "{source}");
        assert_eq!((step.address, step_text(&session, &step).as_str()), (0x4000, *source));
    }
}

#[test]
fn any_state_can_be_set_and_read_back_by_name() {
    for set in ALL {
        let mut session = Session::bare(set).expect("it opens");
        for (at, register) in set.registers().iter().enumerate() {
            let value = (0x5AA5_u64 >> (at % 3)) & ((1 << register.bits) - 1);
            session.set(&register.name.to_lowercase(), value as i64).expect(register.name);
            let is = session.get(register.name).expect(register.name);
            // Flag bits that do not exist stay as the chip fixes them.
            let real = match register.name {
                "F" | "PSW" => 0xFFD5,
                "P" => 0xCF,
                "FLAGS" if set.cell_bits() == 8 => 0x0FD5,
                "FLAGS" => 0o17403,
                _ => u64::MAX,
            };
            assert_eq!(is & real, value & real, "{} of the {}", register.name, set.name());
        }
        for flag in set.flags() {
            for value in [1, 0, 1] {
                session.set(flag.name, value).expect(flag.name);
                assert_eq!(session.get(flag.name), Some(value as u64), "{} of the {}", flag.name, set.name());
            }
        }
        session.put(set.last_address(), &[set.last_cell() - 8]).expect("the last cell");
        assert_eq!(session.cell(set.last_address()), set.last_cell() - 8);
    }
}

#[test]
fn what_cannot_be_set_is_refused_and_changes_nothing() {
    let mut session = session("plover", "        org 4000h\n        hlt\n");
    let refused =
        |result: Result<(), plain_byte::session::StateError>| result.expect_err("refused").to_string();
    let lines = [
        refused(session.set("Q", 1)),
        refused(session.set("a", 256)),
        refused(session.set("a", -129)),
        refused(session.set("cy", 2)),
        refused(session.set("sp", 0x1_0000)),
        refused(session.put(0x0800, &[1])),
        refused(session.put(0x3FFF, &[1, 2])),
        refused(session.put(0xFFFF, &[1, 2])),
        refused(session.happen(Event::Interrupt("NMI".into()))),
        refused(session.happen(Event::Switches("lamps".into(), 1))),
        refused(session.happen(Event::Port(256, vec![1]))),
    ];
    insta::assert_snapshot!(lines.join("\n"), @r"
    the 8085 has no register or flag `Q`; it has A, F, B, C, D, E, H, L, SP, PC, BC, DE, HL, PSW, IE, EID, HLTA, INTA, IM, IP, SID, S, Z, AC, P, CY
    256 does not fit in A, which has 8 bits
    -129 does not fit in A, which has 8 bits
    2 does not fit in CY, which has 1 bits
    65536 does not fit in SP, which has 16 bits
    the board has no memory at 0800
    the board has no memory at 3FFF
    the board has no memory at 10000
    the board plover has no key or interrupt input `NMI`; it has TRAP, RST 5.5, RST 6.5, RST 7.5, TRAP, RST7.5, RST6.5, RST5.5, INTR
    the board plover has no switches or button `lamps`
    the processor has no port 256
    ");
    assert_eq!((session.get("A"), session.cell(0x4000)), (Some(0), 0x76));
}

#[test]
fn runs_stop_where_and_why_they_should() {
    let source = "        org 4000h
start:  mvi b, 3
loop:   dcr b
        jnz loop
done:   hlt
spin:   jmp spin
odd:    db 08h
away:   lda 1000h
port:   in 77h
";
    // From, limits, breakpoint; reason, where.
    type Row = (&'static str, Limits, Option<u32>, &'static str, u32);
    let rows: &[Row] = &[
        ("start", Limits::none(), None, "halt", 0x4006),
        ("start", Limits::none().until(0x4006), None, "until", 0x4006),
        ("start", Limits::none().until(0x4002), Some(0x4002), "breakpoint", 0x4002),
        ("start", Limits::none(), Some(0x4002), "breakpoint", 0x4002),
        ("start", Limits::none().cycles(8), None, "cycles", 0x4003),
        ("start", Limits::none().cycles(0), None, "cycles", 0x4000),
        ("spin", Limits::none(), None, "endless", 0x4007),
        ("spin", Limits::none().cycles(1_000_000), None, "endless", 0x4007),
        ("odd", Limits::none(), None, "undefined", 0x400A),
        ("away", Limits::none(), None, "unmapped", 0x400E),
        ("port", Limits::none(), None, "unmapped", 0x4010),
    ];
    for &(from, limits, breakpoint, reason, at) in rows {
        for traced in [false, true] {
            let mut session = session("plover", source);
            let start = session.evaluate(from).expect(from);
            session.set("PC", start).expect("PC");
            if let Some(address) = breakpoint {
                assert!(session.add_breakpoint(address));
                assert!(!session.add_breakpoint(address));
            }
            let stop = if traced { session.trace(limits, &mut |_, _| true) } else { session.run(limits) };
            assert_eq!(
                (stop.reason(), session.stopped_at(&stop)),
                (reason, at),
                "from {from}, traced: {traced}"
            );
        }
    }
}

#[test]
fn a_run_that_begins_at_a_breakpoint_goes_on() {
    let mut session = session("bare", "        org 100h\nagain:  inr a\n        jmp again\n");
    session.add_breakpoint(0x100);
    for turn in 1..=5 {
        assert_eq!(session.run(Limits::none()), Stop::Breakpoint);
        assert_eq!(session.get("A"), Some(turn));
    }
    assert!(session.remove_breakpoint(0x100));
    assert_eq!(session.run(Limits::none().cycles(1000)), Stop::Cycles);
}

#[test]
fn conditions_stop_a_run_behind_the_instruction_that_makes_them_true() {
    let mut session =
        session("bare", "        org 100h\nagain:  inr a\n        sta 2000h\n        jmp again\n");
    let condition = |text: &str| plain_byte::assembler::Formula::parse(text, None).expect(text);
    session.add_condition(condition("cell 2000h == 7 && $ == again + 4"));
    assert_eq!(session.run(Limits::none()).reason(), "condition");
    assert_eq!((session.get("A"), session.get("PC")), (Some(7), Some(0x104)));
}

#[test]
fn ports_of_bare_read_what_is_given_in_turn_and_record_what_is_written() {
    let source = "        org 0\nnext:   in 20h\n        out 30h\n        jmp next\n";
    let mut session = session("bare", source);
    session.happen(Event::Port(0x20, vec![1, 2, 3])).expect("a port");
    session.run(Limits::none().cycles(30 * 5));
    let written: Vec<u64> = session.machine().port_writes().iter().map(|write| write.value).collect();
    assert_eq!(written, [1, 2, 3, 3, 3]);
    session.happen(Event::Port(0x20, vec![])).expect("a port");
    session.run(Limits::none().cycles(30));
    assert_eq!(
        session.machine().port_writes().last().map(|write| (write.port, write.value)),
        Some((0x30, 0xFF))
    );
}

#[test]
fn interrupts_are_taken_in_order_and_behind_ei() {
    // Each vector notes its number; the program waits in a loop.
    let source = "        org 24h\n        jmp trap\n        org 2Ch\n        jmp five\n        org 34h\n        jmp six
        org 38h\n        jmp intr\n        org 3Ch\n        jmp seven
        org 100h\nstart:  lxi sp, 1000h\n        mvi a, 8\n        sim\n        ei\n        mvi b, 9\nwait:   jmp wait
trap:   mvi a, 1\n        jmp log\nfive:   mvi a, 5\n        jmp log\nsix:    mvi a, 6\n        jmp log
intr:   mvi a, 8\n        jmp log\nseven:  mvi a, 7
log:    out 1\n        ei\n        ret\n        entry start\n";
    let all = ["INTR", "RST5.5", "RST6.5", "RST7.5", "TRAP"];
    let mut session = session("bare", source);
    for name in all {
        session.happen(Event::Interrupt(name.into())).expect(name);
    }
    // TRAP needs no EI: it comes before the first instruction.
    assert!(session.step().interrupt);
    assert_eq!(session.get("PC"), Some(0x24));
    let stop = session.run(Limits::none());
    let order: Vec<u64> = session.machine().port_writes().iter().map(|write| write.value).collect();
    // TRAP's EI lets INTR in, which no mask keeps out; the others wait until SIM has cleared theirs.
    assert_eq!((stop, order), (Stop::Endless, vec![1, 8, 7, 6, 5]));
    assert_eq!(session.get("B"), Some(9), "the instruction after EI is executed first");
}

#[test]
fn a_halt_ends_with_an_interrupt_that_comes_later() {
    let source = "        org 2Ch\n        inr b\n        ret\n        org 100h
start:  lxi sp, 1000h\n        mvi a, 0Eh\n        sim\n        ei\n        hlt\n        inr c\n        hlt\n        entry start\n";
    for traced in [false, true] {
        let mut session = session("bare", source);
        session.happen_at(5000, Event::Interrupt("RST5.5".into())).expect("an input");
        let stop = match traced {
            false => session.run(Limits::none()),
            true => session.trace(Limits::none(), &mut |_, _| true),
        };
        assert_eq!(stop, Stop::Halt);
        assert_eq!((session.get("B"), session.get("C")), (Some(1), Some(1)));
        // 5000, then 12 to take it, 4 and 10, 4 and 5.
        assert_eq!(session.machine().cycles(), 5000 + 12 + 4 + 10 + 4 + 5, "traced: {traced}");
    }
}

#[test]
fn masks_and_pending_requests_are_read_by_rim() {
    let cases: &[(&str, &str, u64)] = &[
        ("rim", "", 0x87),
        ("ei\n        rim", "", 0x8F),
        ("mvi a, 0Dh\n        sim\n        rim", "", 0x85),
        ("rim", "RST7.5", 0xC7),
        ("rim", "RST6.5", 0xA7),
        ("rim", "RST5.5", 0x97),
        ("mvi a, 10h\n        sim\n        rim", "RST7.5", 0x87),
        ("mvi a, 05h\n        sim\n        rim", "", 0x87),
    ];
    for (source, request, expected) in cases {
        let mut session = session("bare", &format!("        org 100h\n        {source}\n        hlt\n"));
        if !request.is_empty() {
            session.happen(Event::Interrupt((*request).into())).expect(request);
        }
        session.run(Limits::none());
        assert_eq!(session.get("A"), Some(*expected), "{source} with {request}");
    }
}

#[test]
fn rim_behind_a_trap_tells_the_enable_flag_from_before_it() {
    let source = "        org 24h\n        rim\n        mov b, a\n        rim\n        hlt\n        org 100h
start:  lxi sp, 1000h\n        ei\n        nop\n        nop\n        hlt\n        entry start\n";
    let mut session = session("bare", source);
    session.run(Limits::none().until(0x105));
    session.happen(Event::Interrupt("TRAP".into())).expect("an input");
    session.run(Limits::none());
    let enabled = |register: &str| session.get(register).expect("a register") >> 3 & 1;
    assert_eq!((enabled("B"), enabled("A")), (1, 0));
}

#[test]
fn the_console_of_plover_speaks_both_ways_through_its_firmware() {
    let source = "        org 4000h
start:  lxi h, hello
        call 48h                ; print
again:  call 44h                ; receive
        cpi 13
        jz done
        adi 1
        mov c, a
        call 40h                ; send
        jmp again
done:   mvi c, 2
        call 4Ch                ; pause
        hlt
hello:  db \"Fog \", 0
";
    let mut session = session("plover", source);
    session.happen(Event::Typed(b"GdmV\r".to_vec())).expect("a console");
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    assert_eq!(String::from_utf8_lossy(session.machine().output()), "Fog HenW");
    // Twelve characters of ten bits at 1200 baud and two milliseconds, and little more.
    let ms = session.machine().cycles() as f64 / 3072.0;
    assert!((95.0..125.0).contains(&ms), "{ms} ms");
}

#[test]
fn the_interrupt_keys_of_plover_reach_a_program_through_ram() {
    let source = "        org 4000h
start:  lxi h, key
        shld 0FFECh + 1         ; RST 7.5
        mvi a, 1Bh
        sim
        ei
        hlt
        hlt
key:    mvi a, 0A5h
        out 10h
        ret
";
    let mut session = session("plover", source);
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    session.happen(Event::Interrupt("RST6.5".into())).expect("a masked key");
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    assert_eq!(session.machine().chips()[0].chip.lamps(), Some(0));
    session.happen(Event::Interrupt("RST7.5".into())).expect("a key");
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    assert_eq!(session.machine().chips()[0].chip.lamps(), Some(0xA5));
}

#[test]
fn back_undoes_instructions_and_what_was_changed_by_hand() {
    let mut session = session(
        "plover",
        "        org 4000h\nloop:   inr a\n        sta 5000h\n        out 10h\n        jmp loop\n",
    );
    session.run(Limits::none().cycles(10_000_000));
    let there = (session.get("A"), session.machine().cycles(), session.machine().port_writes().len());
    for _ in 0..9 {
        session.step();
    }
    assert_eq!(session.back(9), 9);
    assert_eq!((session.get("A"), session.machine().cycles(), session.machine().port_writes().len()), there);
    session.set("A", 0x42).expect("A");
    session.put(0x6000, &[1, 2, 3]).expect("RAM");
    session.step();
    assert_eq!(session.back(1), 1);
    assert_eq!((session.get("A"), session.cell(0x6000)), (Some(0x42), 1), "the change by hand stays");
    assert_eq!(session.back(1), 1);
    assert_eq!(
        (session.cell(0x6000), session.get("A") == Some(0x42)),
        (0, false),
        "and goes with the step before it"
    );
    let steps = session.history(5);
    assert_eq!(steps.len(), 5);
    assert!(steps.windows(2).all(|pair| pair[0].next == pair[1].address), "history is unbroken");
    assert_eq!(steps.last().map(|step| step.next), Some(session.machine().place()));
}

#[test]
fn back_at_the_beginning_goes_nowhere() {
    let mut session = session("bare", "        org 100h\n        nop\n        hlt\n");
    assert_eq!(session.back(3), 0);
    session.step();
    assert_eq!(session.back(3), 1);
    assert_eq!(session.get("PC"), Some(0x100));
    assert!(session.history(4).is_empty());
}

#[test]
fn programs_that_do_not_fit_are_refused_whole() {
    let mut plover = Session::shipped("plover").expect("it opens");
    let image = |start, count| Image::from_cells(8, start, vec![0xAA; count]).expect("it fits");
    let error = |result: Result<(), SessionError>| result.expect_err("refused").to_string();
    insta::assert_snapshot!([
        error(plover.load(image(0x3FF0, 32))),
        error(plover.load(image(0x0900, 1))),
        error(plover.load(Image::from_cells(12, 0x4000, vec![0o7777]).expect("it fits"))),
    ].join("\n"), @r"
    the program has cells from 3FF0 to 400F, where the board plover has no memory; it has ROM 0000 to 07FF, RAM 4000 to 7FFF, RAM 8000 to FFFF
    the program has cells from 0900 to 0900, where the board plover has no memory; it has ROM 0000 to 07FF, RAM 4000 to 7FFF, RAM 8000 to FFFF
    the program has cells of 12 bits, and the board plover has cells of 8
    ");
    assert_eq!(plover.cell(0x4000), 0, "nothing was loaded in part");
    let mut on_8080 = Session::bare(&i8080::I8080).expect("it opens");
    let wrong = error(on_8080.load_assembly(&crate::common::assembled("        rim\n        hlt\n")));
    assert_eq!(wrong, "the program is for the 8085; the processor of the board bare is the 8080");
    let broken = error(on_8080.load_assembly(&crate::common::assembled("        mvo a\n")));
    assert_eq!(broken, "the program has errors and cannot be run");
    assert!(
        find("8085").expect("known").runs(&i8080::I8080) && !i8080::I8080.runs(find("8085").expect("known"))
    );
}

#[test]
fn a_cell_that_was_overwritten_is_shown_as_what_it_is_now() {
    let mut session = session(
        "bare",
        "        org 100h\nstart:  mvi a, 3Ch\n        sta place\nplace:  nop\n        hlt\n",
    );
    session.run(Limits::none().until(0x105));
    let step = session.step();
    assert_eq!((step_text(&session, &step).as_str(), session.get("A")), ("inr a", Some(0x3D)));
}

#[test]
fn explanations_say_what_would_happen_now() {
    let session = session("plover", "        org 4000h\nstart:  jz done\n        ana m\ndone:   hlt\n");
    let text = [0x4000, 0x4003, 0x4004].map(|address| explain(&session, address).to_string()).join("\n");
    insta::assert_snapshot!(text, @r"
    4000  CA 04 40  jz done
      JZ label: goes to the label if the result was zero
      3 cells, 7 T-states, 10 where it goes elsewhere
      flags: unchanged
      now it would  go to 4004 (done)

    4003  A6  ana m
      ANA M: keeps the bits of A that are also set in the cell at HL
      1 cell, 7 T-states
      flags: S Z P by the result, CY cleared, AC set

    4004  76  hlt
      HLT: stops until an interrupt
      1 cell, 5 T-states
      flags: unchanged
    ");
}

#[test]
fn the_final_card_shows_registers_flags_time_and_cells() {
    let source = "        org 4000h\nstart:  mvi a, 0C8h\n        sta tide\n        out 10h\n        hlt\ntide:   ds 1\n";
    let mut session = session("plover", source);
    let stop = session.run(Limits::none());
    insta::assert_snapshot!(final_card(&session, &stop, &[(0x4008, 0x4008), (0x3FFE, 0x4011)]).to_string());
}

proptest! {
    /// Whatever the cells are, a step says exactly how the state before became the state after.
    #[test]
    fn the_changes_of_a_step_are_the_difference_of_the_states(
        cells in proptest::collection::vec(0u64..=255, 3),
        values in proptest::collection::vec(any::<u16>(), 4),
        flags in any::<u8>(),
    ) {
        let mut session = Session::bare(&i8080::I8085U).expect("it opens");
        session.load(Image::from_cells(8, 0x100, cells).expect("it fits")).expect("it fits");
        for (name, value) in ["BC", "DE", "HL", "SP"].iter().zip(&values) {
            session.set(name, i64::from(*value)).expect(name);
        }
        session.set("F", i64::from(flags)).expect("F");
        let before = session.clone();
        let step = session.step();
        let mut replayed = before.clone();
        for change in &step.changes {
            match change {
                Change::Register { name, after, before: was, .. } => {
                    prop_assert_eq!(before.get(name), Some(*was));
                    replayed.set(name, *after as i64).expect("a register");
                }
                Change::Flag { name, after } => replayed.set(name, i64::from(*after)).expect("a flag"),
                Change::Cell { address, after, .. } => replayed.put(*address, &[*after]).expect("a cell"),
                _ => {}
            }
        }
        let told = |one: &&Register| one.name != "PC" && one.role != Role::Internal;
        for register in session.processor().registers().iter().filter(told) {
            prop_assert_eq!(session.get(register.name), replayed.get(register.name), "{}", register.name);
        }
        for address in 0..=0xFFFF {
            prop_assert_eq!(session.cell(address), replayed.cell(address));
        }
        prop_assert_eq!(u64::from(step.next), session.get("PC").expect("PC"));
        prop_assert_eq!(session.machine().cycles(), step.cycles);
    }

    /// Running and stepping end in the same state, and going back and forth again does too.
    #[test]
    fn running_stepping_and_replaying_agree(cells in proptest::collection::vec(0u64..=255, 1..200), cycles in 1u64..3000) {
        let mut run = Session::bare(&i8080::I8085).expect("it opens");
        run.load(Image::from_cells(8, 0x100, cells).expect("it fits")).expect("it fits");
        run.set("SP", 0xF000).expect("SP");
        let mut stepped = run.clone();
        let by_run = run.run(Limits::none().cycles(cycles));
        let by_step = stepped.trace(Limits::none().cycles(cycles), &mut |_, _| true);
        prop_assert_eq!(by_run, by_step);
        let state = |session: &Session| {
            let registers: Vec<u64> = (0..17).map(|place| session.machine().register(place)).collect();
            let memory: Vec<u64> = (0..0x1_0000).map(|address| session.cell(address)).collect();
            (registers, memory, session.machine().cycles(), session.machine().instructions(), session.machine().port_writes().to_vec())
        };
        prop_assert!(state(&run) == state(&stepped));
        let steps = stepped.history(7).len();
        let back = stepped.back(7);
        prop_assert_eq!(back, steps);
        for _ in 0..back {
            stepped.step();
        }
        prop_assert!(state(&run) == state(&stepped), "back {} and forth", back);
    }
}

#[test]
fn a_halt_at_the_very_limit_is_a_halt_for_runs_and_traces() {
    // NOP and HLT take 4 and 5 T-states.
    for (cycles, expected) in [(4, Stop::Cycles), (5, Stop::Halt), (9, Stop::Halt), (10, Stop::Halt)] {
        let mut run = session("bare", "        org 100h\n        nop\n        hlt\n");
        let mut traced = run.clone();
        assert_eq!(run.run(Limits::none().cycles(cycles)), expected, "{cycles}");
        assert_eq!(
            traced.trace(Limits::none().cycles(cycles), &mut |_, _| true),
            expected,
            "{cycles}, traced"
        );
    }
}

#[test]
fn a_trace_shows_interrupts_jumps_and_instructions_without_source() {
    let source = "        org 4000h
start:  mvi a, 1Bh
        sim
        ei
        nop
        call 4010h
        hlt
        org 4010h
        db 3Ch, 0C0h, 0C9h
";
    let mut session = session("plover", source);
    session.happen_at(20, Event::Interrupt("RST7.5".into())).expect("a key");
    let mut tracer = Tracer::default();
    let mut text = tracer.head(&session).to_string();
    let stop = session.trace(Limits::none(), &mut |session, step| {
        text.push_str(&tracer.line(session, step).to_string());
        true
    });
    assert_eq!(stop, Stop::Halt);
    insta::assert_snapshot!(text);
}

#[test]
fn a_trace_ends_when_whoever_watches_has_seen_enough() {
    let mut session = session("bare", "        org 100h\nagain:  inr a\n        jmp again\n");
    let mut seen = 0;
    let stop = session.trace(Limits::none(), &mut |_, _| {
        seen += 1;
        seen < 5
    });
    assert_eq!((stop, seen, session.get("A")), (Stop::Operator, 5, Some(3)));
    let mut asked = 0;
    let stop = session.run_while(Limits::none(), &mut |_| {
        asked += 1;
        asked < 3
    });
    assert_eq!((stop, asked), (Stop::Operator, 3));
}

#[test]
fn limits_are_cut_into_slices_that_add_up() {
    let limits = Limits::none().cycles(1000);
    assert_eq!(limits.within(500, 300, 600), Limits::none().cycles(300));
    assert_eq!(limits.within(500, 300, 1400), Limits::none().cycles(100));
    assert_eq!(limits.within(500, 300, 2000), Limits::none().cycles(0));
    assert_eq!(Limits::none().within(500, 300, 2000), Limits::none().cycles(300));
    assert_eq!([1499, 1500, 1501].map(|now| limits.reached(500, now)), [false, true, true]);
    assert!(!Limits::none().reached(0, u64::MAX));
}

#[test]
fn every_reason_to_stop_has_a_name_and_words() {
    use plain_byte::machine::{Access, Missing};
    let missing = |access| Stop::Unmapped(Missing { access, address: 0x12 });
    let all = [
        Stop::Halt,
        Stop::Endless,
        Stop::Breakpoint,
        Stop::Until,
        Stop::Condition("a == 1".to_string()),
        Stop::Cycles,
        Stop::Undefined,
        missing(Access::Read),
        missing(Access::Write),
        missing(Access::Fetch),
        missing(Access::In),
        missing(Access::Out),
        Stop::Operator,
    ];
    let told: Vec<String> =
        all.iter().map(|stop| format!("{}: {}", stop.reason(), stop.words(&i8080::I8085))).collect();
    insta::assert_snapshot!(told.join("\n"), @r"
    halt: the processor waits for an interrupt, and none is coming
    endless: the program jumps to itself for ever
    breakpoint: a breakpoint stands here
    until: the run reached the place where it was to stop
    condition: the condition a == 1 holds
    cycles: the limit of T-states was reached
    undefined: the cell here is not an instruction of the 8085
    unmapped: the instruction before this one read 0012, where there is no memory
    unmapped: the instruction before this one wrote to 0012, where there is no memory
    unmapped: the processor fetched from 0012, where there is no memory
    unmapped: the instruction before this one read port 12, where nothing is
    unmapped: the instruction before this one wrote to port 12, where nothing is
    operator: the operator stopped it
    ");
    assert_eq!(all.iter().filter(|stop| stop.is_end()).count(), 2);
}

#[test]
fn expressions_know_registers_flags_symbols_and_cells() {
    let mut session = session("plover", "        org 4000h\nstart:  hlt\n.here:  db 7\ntable:  db 1, 2, 3\n");
    session.set("HL", 0x4001).expect("HL");
    session.set("CY", 1).expect("CY");
    let rows: &[(&str, Result<i64, &str>)] = &[
        ("hl", Ok(0x4001)),
        ("HL + cy", Ok(0x4002)),
        ("$", Ok(0x4000)),
        ("table - start", Ok(2)),
        ("start.here", Ok(0x4001)),
        ("cell hl", Ok(7)),
        ("cell(table + 1) * 10", Ok(20)),
        ("ready > 0", Ok(1)),
        ("cell 3000h", Err("there is no cell at 12288")),
        ("cell -1", Err("there is no cell at -1")),
        ("tabel", Err("there is no `tabel`")),
        ("START", Err("there is no `START`")),
        ("hl +", Err("an operand is missing at the end of the line")),
    ];
    for &(text, expected) in rows {
        let value = session.evaluate(text).map_err(|wrong| wrong.message);
        assert_eq!(value, expected.map_err(String::from), "{text}");
    }
    let near = session.evaluate("tabel").expect_err("misspelt");
    assert_eq!((near.help.as_str(), near.span.start, near.span.end), ("did you mean `table`?", 0, 5));
    assert_eq!(
        session.evaluate("0 + FFh").expect_err("no digit").help,
        "a hex number begins with a digit: 0FFh"
    );
}

/// Whatever mode the machine is in, a program begins in its own.
#[test]
fn a_program_begins_in_the_mode_it_was_assembled_for() {
    let mut session = Session::bare(find("ez80").expect("a processor")).expect("it runs");
    for (cpu, line, adl) in [
        ("ez80adl", "ld hl, 123456h", 1),
        ("z80", "ld hl, 3456h", 0),
        ("ez80adl", "ld.sis hl, 3456h", 1),
        ("ez80", "ld.lil hl, 123456h", 0),
        ("8080", "lxi h, 3456h", 0),
    ] {
        let source = format!("        cpu {cpu}\n        org 100h\n        {line}\n        inc_it\n");
        let step = if cpu == "8080" { "inx h" } else { "inc hl" };
        let source = source.replace("inc_it", step);
        let assembly = assemble("mode.asm", &mut Texts::one("mode.asm", source), &Options::default());
        session.load_assembly(&assembly).expect("it runs there");
        assert_eq!(session.get("ADL"), Some(adl), "{cpu}");
        session.step();
        assert_eq!(session.get("HL").map(|hl| hl & 0xFFFF), Some(0x3456), "{cpu}: {line}");
        assert_eq!(session.step().cells.len(), 1, "{cpu}");
    }
}

/// Where there are more addresses than marks several share one, and only the right one stops the run.
#[test]
fn a_breakpoint_far_up_stops_there_alone() {
    let source = "
        cpu ez80adl
        org 10000h
start:  jp far
        org 50000h
far:    jp further
        org 90000h
further: inc a
        jp start
";
    let mut session = Session::bare(find("ez80").expect("a processor")).expect("it runs");
    let assembly = assemble("far.asm", &mut Texts::one("far.asm", source), &Options::default());
    session.load_assembly(&assembly).expect("it fits");
    for (stop, turns) in [(0x9_0000, 1), (0x1_0000, 2), (0x5_0000, 2)] {
        session.add_breakpoint(stop);
        assert_eq!(session.run(Limits::none()), Stop::Breakpoint);
        assert_eq!((session.get("PC"), session.get("A")), (Some(stop.into()), Some(turns - 1)));
        session.remove_breakpoint(stop);
    }
}

#[test]
fn what_a_cell_cannot_hold_is_refused_whoever_brings_it() {
    let mut session = session("plover", "        org 4000h\n        in 11h\n        hlt\n");
    let before = session.cell(0x4010);
    let wrong = [
        session.put(0x4010, &[1, 0x1FF]),
        session.happen(Event::Switches("switches".into(), 0x100)),
        session.happen(Event::Port(0x11, vec![0, 0x1000])),
        session.cell_of(-129).map(|_| ()),
    ];
    let told: Vec<String> =
        wrong.into_iter().map(|one| one.expect_err("it is too wide").to_string()).collect();
    insta::assert_snapshot!(told.join("\n"), @r"
    511 does not fit in a cell, which has 8 bits
    256 does not fit in a cell, which has 8 bits
    4096 does not fit in a cell, which has 8 bits
    -129 does not fit in a cell, which has 8 bits
    ");
    assert_eq!((session.cell(0x4010), session.cell_of(-1)), (before, Ok(0xFF)));
    let mut machine = session.machine().clone();
    assert!(!machine.put(0x4010, 0x100) && machine.put(0x4010, 0xFF));
}

#[test]
fn a_flag_and_a_register_of_one_name_are_told_apart() {
    let source =
        "        cpu z80\n        org 100h\n        ld c, 5\n        inc c\n        cp 0FFh\n        halt\n";
    let assembly = assemble("test.asm", &mut Texts::one("test.asm", source), &Options::default());
    let mut session = Session::bare(find("z80").expect("a processor")).expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    session.set("a", 0).expect("a register");
    session.set("c", 0x33).expect("a register");
    session.set("FLAG  c", 0).expect("a flag");
    session.set("flag h", 1).expect("a flag");
    assert_eq!(
        ["C", "flag C", "flag H", "H", "z"].map(|name| session.get(name)),
        [Some(0x33), Some(0), Some(1), Some(0), Some(1)]
    );
    let all = ["c == 33h", "flag c == 0 && flag h", "flag z", "(flag C) + c"];
    assert_eq!(all.map(|text| session.evaluate(text)), [Ok(1), Ok(1), Ok(1), Ok(0x33)]);
    assert!(session.evaluate("flag q").expect_err("none").message.contains("flag q"));
    let mut tracer = Tracer::default();
    let mut lines = vec![tracer.head(&session).to_string()];
    session.trace(Limits::none(), &mut |session, step| {
        lines.push(tracer.line(session, step).to_string());
        true
    });
    insta::assert_snapshot!(lines.join(""));
    assert_eq!(
        session.set("flag c", 2).expect_err("too wide").to_string(),
        "2 does not fit in flag C, which has 1 bits"
    );
}

#[test]
fn the_state_of_interrupts_and_lines_can_be_told_and_set() {
    // Processor, program at 100h, what is set, how many cycles run, what is there then.
    type Case =
        (&'static str, &'static [u64], &'static [(&'static str, i64)], u64, &'static [(&'static str, u64)]);
    let cases: &[Case] = &[
        ("8085", &[0xFB, 0x00], &[], 4, &[("EID", 1), ("IE", 1)]),
        ("8085", &[0x76], &[], 100, &[("HLTA", 1), ("PC", 0x101)]),
        ("8085", &[0x00, 0x00], &[("HLTA", 1)], 100, &[("PC", 0x100), ("HLTA", 1)]),
        ("8085", &[0x20], &[("SID", 0)], 4, &[("A", 0x07)]),
        ("8085", &[0x20], &[], 4, &[("A", 0x87)]),
        ("z80", &[0xFB], &[], 4, &[("EID", 1), ("HLTA", 0)]),
        ("z80", &[0x00], &[("HLTA", 1)], 50, &[("PC", 0x100)]),
        ("ez80", &[0x76], &[], 50, &[("HLTA", 1)]),
        ("65c02", &[0xCB], &[], 50, &[("HLTA", 1)]),
        ("65c02", &[0xDB], &[], 50, &[("HLTA", 2)]),
        ("65c02", &[0x58], &[("IRQ", 1)], 2, &[("EID", 1), ("PC", 0x101)]),
        ("pdp8", &[0o6001], &[], 12, &[("EID", 1), ("ION", 1)]),
    ];
    for (cpu, cells, settings, cycles, expected) in cases {
        let set = find(cpu).expect("a processor");
        let mut session = Session::bare(set).expect("it opens");
        let image = Image::from_cells(set.cell_bits(), 0x100, cells.to_vec()).expect("it fits");
        session.load(image).expect("it fits");
        settings.iter().for_each(|&(name, value)| session.set(name, value).expect(name));
        session.run(Limits::none().cycles(*cycles));
        for &(name, value) in *expected {
            assert_eq!(session.get(name), Some(value), "{name} of the {cpu} after {cells:X?}");
        }
    }
    // The byte at the acknowledgement: RST 2 here, and the vector in the Z80's mode 2.
    for (cpu, given, target) in
        [("8080", 0xD7, 0x10), ("8085", 0xD7, 0x10), ("z80", 0xEF, 0x28), ("z80", 0x40, 0x1234)]
    {
        let mut session = Session::bare(find(cpu).expect("a processor")).expect("it opens");
        session.put(0x40, &[0x34, 0x12]).expect("memory");
        for (name, value) in [("PC", 0x100), ("SP", 0x1000), ("INTA", given)] {
            session.set(name, value).expect(name);
        }
        if cpu == "z80" {
            session.set("IFF1", 1).expect("it has one");
            session.set("IM", if target == 0x1234 { 2 } else { 0 }).expect("it has one");
        } else {
            session.set("IE", 1).expect("it has one");
        }
        session
            .happen(Event::Interrupt(session.processor().interrupts.level_input.expect("one").into()))
            .expect("an input");
        let step = session.step();
        assert!(step.interrupt && session.get("PC") == Some(target), "{cpu}: {:X?}", session.get("PC"));
    }
}

#[test]
fn a_halt_for_the_operator_is_no_wait_for_an_interrupt() {
    let mut ends = Vec::new();
    for (cpu, cells) in [("pdp8", 0o7402), ("pdp10", 0o254200_000000), ("z80", 0x76)] {
        let set = find(cpu).expect("a processor");
        let mut session = Session::bare(set).expect("it opens");
        session
            .load(Image::from_cells(set.cell_bits(), 0x100, vec![cells]).expect("it fits"))
            .expect("it fits");
        let stop = session.run(Limits::none());
        ends.push((stop.reason(), stop.is_halt() && stop.is_end(), stop));
    }
    assert_eq!(
        ends,
        [
            ("halt", true, Stop::HaltForOperator),
            ("halt", true, Stop::HaltForOperator),
            ("halt", true, Stop::Halt)
        ]
    );
}

#[test]
fn tables_are_short_where_they_are_printed_for_debugging() {
    let mut session = session("plover", "        org 4000h\n        mvi a, 1\n        hlt\n");
    let (decoded, _) = session.instruction_at(0x4000);
    let step = session.step();
    let assembly = crate::common::assembled("        mvi a, 1\n");
    let texts =
        [format!("{decoded:?}"), format!("{step:?}"), format!("{assembly:?}"), format!("{session:?}")];
    let lengths = texts.map(|text| text.len());
    let most = [1_000, 2_000, 8_000, 60_000];
    assert!(lengths.iter().zip(most).all(|(length, most)| *length < most), "{lengths:?}");
}
