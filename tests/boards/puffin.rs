//! The ROM board, as a person uses it: the light with and without RAM, the serial console, what the chips ask for.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::Event;
use plain_byte::report::{Tracer, final_card};
use plain_byte::session::{Change, Limits, Session, Stop, cases::Cases, find_board};

/// A session with the program on the board, with or without RAM.
fn on_puffin(source: &str, ram: bool) -> Session {
    let mut found = find_board("puffin", None, &mut Texts::default()).expect("a board");
    if !ram {
        found.board.leave_out("ram").expect("it can do without");
    }
    let assembly =
        assemble("puffin", &mut Texts::one("puffin", source), &Options::default().set(found.board.set));
    assert!(assembly.succeeded(), "{}", crate::common::told(&assembly));
    let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    session
}

const BLINK: &str = include_str!("../../demo/blink.asm");
const BEACON: &str = include_str!("../../demo/beacon.asm");

/// The cycles between the changes of the lamp, whatever the first change was.
fn spans(session: &Session) -> Vec<u64> {
    let changes = session.machine().lamp_changes();
    changes.windows(2).map(|pair| pair[1].at - pair[0].at).collect()
}

#[test]
fn the_light_blinks_without_ram_in_the_time_that_the_loops_take() {
    let mut session = on_puffin(BLINK, false);
    assert_eq!(session.run(Limits::none().cycles(1_500_000)), Stop::Cycles);
    // Stores at the ends, loads, 200 turns of 256 of 2 + 3 less 1, with 2 + 2 + 3 around, less 1.
    let pause = 4 + 2 + 200 * (2 + 256 * 5 - 1 + 2 + 3) - 1;
    let (lit, dark) = (pause + 2, pause + 2 + 3);
    assert_eq!(spans(&session), [lit, dark, lit, dark, lit][..spans(&session).len()]);
    assert!(spans(&session).len() >= 4);
}

#[test]
fn an_interrupt_without_ram_goes_astray_and_with_ram_comes_back() {
    for (source, ram) in [(BLINK, true), (BLINK, false), (BEACON, true), (BEACON, false)] {
        let mut session = on_puffin(source, ram);
        session.happen_at(300_000, Event::Interrupt("interrupt".into())).expect("a key");
        session.run(Limits::none().cycles(2_000_000));
        let blinks = session.machine().lamp_changes().iter().filter(|change| change.at > 310_000).count();
        assert_eq!(blinks >= 5, ram, "RAM {ram}: {blinks} changes after the key");
        // That it had nowhere to put its way back is a hazard of the moment it was taken.
        let hazards = session.hazards(&mut || true);
        let told =
            hazards.iter().find(|one| one.code == "stack-no-ram" && one.message.starts_with("an interrupt"));
        assert_eq!(told.is_some(), !ram, "{hazards:?}");
        assert!(told.is_none_or(|one| (299_990..300_010).contains(&one.moment.cycle)), "{told:?}");
        if !ram {
            // What was on the bus last is read three times over: flags and address are the byte after RTI, or after RTS.
            let pc = session.machine().place();
            assert!(pc >> 12 == 0xF || pc < 0x8000, "it is lost at {pc:04X}");
        }
        // The reset key brings it back.
        session.happen(Event::Interrupt("reset".into())).expect("a key");
        assert_eq!(session.machine().place(), 0x8000);
    }
}

#[test]
fn the_console_echoes_what_is_typed_by_polling_and_by_interrupt() {
    let common = "
        cpu 65c02
acia    equ $7F80
        org $8000
start:  ldx #$FF
        txs
        lda #3
        sta acia
";
    let polling = "
        lda #$15
        sta acia
get:    lda acia
        lsr a
        bcc get
        ldx acia + 1
put:    lda acia
        and #2
        beq put
        stx acia + 1
        bra get
        org $FFFA
        dw start, start, start
";
    let interrupts = "
        lda #$95
        sta acia
        cli
idle:   wai
        bra idle
serve:  lda acia + 1
        sta acia + 1
        rti
        org $FFFA
        dw start, start, serve
";
    for program in [polling, interrupts] {
        let mut session = on_puffin(&format!("{common}{program}"), true);
        session.happen(Event::Typed(b"fog, 3 boats".to_vec())).expect("a console");
        session.run(Limits::none().cycles(11 * 1042));
        // Ten bits at 9600 baud take 1042 cycles; the echo begins when the character is in.
        assert_eq!(session.machine().output(), b"fog, 3 bo"[..session.machine().output().len()].to_vec());
        assert!((4..=9).contains(&session.machine().output().len()), "{:?}", session.machine().output());
        session.run(Limits::none().cycles(40_000));
        assert_eq!(session.machine().output(), b"fog, 3 boats");
        assert_eq!(session.machine().input_waiting(), 0);
    }
}

/// A timer's interrupt comes exactly when it should, whether the run is plain, stepped, or stopped on the way.
#[test]
fn every_way_of_running_sees_the_same_interrupts() {
    let source = "
        cpu 65c02
via     equ $7F00
        org $8000
start:  ldx #$FF
        txs
        lda #$C0
        sta via + 11            ; timer 1 again and again, on PB7
        sta via + 14
        lda #237
        sta via + 4
        lda #0
        sta via + 5
        cli
        cycle
        inc $20
        inc $300,x
        lda via + 8
        adc $20
        sta $21
        endcycle
tick:   inc $22
        bit via + 4
        rti
        org $FFFA
        dw start, start, tick
";
    let limit = 100_000;
    let mut plain = on_puffin(source, true);
    plain.run(Limits::none().cycles(limit));
    let state = |session: &Session| {
        let machine = session.machine();
        let registers: Vec<u64> = (0..6).map(|place| machine.register(place)).collect();
        let cells: Vec<u64> = (0..0x400).map(|at| machine.cell(at)).collect();
        (machine.cycles(), machine.instructions(), registers, cells, machine.lamp_changes().to_vec())
    };
    assert!(plain.cell(0x22) > 100 && plain.machine().lamp_changes().len() > 400);
    let mut stepped = on_puffin(source, true);
    while stepped.machine().cycles() < limit {
        stepped.step();
    }
    assert!(state(&plain) == state(&stepped), "stepped");
    let mut pieces = on_puffin(source, true);
    while pieces.machine().cycles() < limit {
        pieces.run(Limits::none().cycles(37.min(limit - pieces.machine().cycles())));
    }
    assert!(state(&plain) == state(&pieces), "in pieces");
    // Going back is exact, too.
    let before = stepped.machine().cycles();
    assert_eq!(stepped.back(500), 500);
    assert!(stepped.machine().cycles() < before);
    while stepped.machine().cycles() < limit {
        stepped.step();
    }
    assert!(state(&plain) == state(&stepped), "back and forth");
}

/// What a chip gives and gets is told as that, not as a cell that lies under it.
#[test]
fn a_step_tells_what_a_chip_gives_and_gets() {
    let mut session =
        on_puffin(" org $8000\n lda #$80\n sta $7F02\n lda $7F02\n org $FFFC\n dw $8000\n", true);
    let told: Vec<Vec<Change>> = (0..3).map(|_| session.step().changes).collect();
    assert_eq!(told[1], [Change::Chip { address: 0x7F02, value: 0x80, written: true }]);
    assert_eq!(told[2], [Change::Chip { address: 0x7F02, value: 0x80, written: false }]);
}

#[test]
fn the_button_is_read_at_its_pin() {
    let source = "
        cpu 65c02
        org $8000
start:  lda $7F01
        sta $10
        bra start
        org $FFFA
        dw start, start, start
";
    let mut session = on_puffin(source, true);
    for (position, expected) in [(0u64, 0xFF), (1, 0xFE), (0, 0xFF)] {
        session.happen(Event::Switches("button".into(), position)).expect("a button");
        session.run(Limits::none().cycles(100));
        assert_eq!(session.cell(0x10), expected);
    }
}

#[test]
fn the_case_tables_of_the_demo_pass() {
    for (table, source) in [
        (include_str!("../../demo/blink.cases.toml"), BLINK),
        (include_str!("../../demo/beacon.cases.toml"), BEACON),
        (include_str!("../../demo/log.cases.toml"), include_str!("../../demo/log.asm")),
    ] {
        let cases = Cases::parse(table).expect("a table");
        let session = on_puffin(source, cases.without.is_empty());
        for outcome in cases.run(&session).expect("it makes sense") {
            assert!(outcome.passed, "{}: {:?}", outcome.name, outcome.differences);
        }
    }
}

#[test]
fn what_is_executed_where_no_memory_is_is_what_the_bus_held() {
    // The jump leaves 40h on the bus, an RTI, which is fetched at 4040h, where the socket is empty.
    let source = "        org 8000h\nstart:  jmp 4040h\n        org 0FFFCh\n        dw start\n";
    let mut session = on_puffin(source, false);
    session.step();
    let step = session.step();
    assert_eq!((step.address, step.cells.as_slice(), step.no_memory), (0x4040, &[0x40][..], true));
    let line = Tracer::default().line(&session, &step).to_string();
    assert!(line.contains("40        rti") && line.contains("fetched where no memory is"), "{line}");
    session.set_place(0x4040);
    let stop = session.run(Limits::none().cycles(0));
    assert!(final_card(&session, &stop, &[]).to_string().contains("at 4040 (no memory there)"));
}

#[test]
fn an_interrupt_that_is_asked_for_ends_a_jump_to_itself() {
    // Timer 1 runs freely, a period of 25000 cycles; the routine does what has the flag cleared.
    let program = |work: &str| {
        format!(
            "via equ 7F00h\n org 8000h\nstart: lda #40h\n sta via+11\n lda #0C0h\n sta via+14\n lda #low 24998\n sta via+4
 lda #high 24998\n sta via+5\n cli\nidle: jmp idle\nhandler: pha\n {work}\n inc 20h\n pla\n rti\n org 0FFFAh\n dw handler, start, handler\n"
        )
    };
    for work in ["lda via+4", "lda via+13\n sta via+13"] {
        let mut run = on_puffin(&program(work), true);
        let mut traced = run.clone();
        assert_eq!(run.run(Limits::none().cycles(25_000)), Stop::Cycles, "an interrupt is due");
        assert_eq!(run.run(Limits::none().cycles(975_050)), Stop::Cycles);
        assert_eq!(traced.trace(Limits::none().cycles(1_000_050), &mut |_, _| true), Stop::Cycles);
        let seen = |session: &Session| {
            (session.cell(0x20), session.machine().cycles(), session.machine().instructions())
        };
        assert_eq!((seen(&run).0, seen(&run)), (40, seen(&traced)), "{work}");
        let table = "version = 1\nprogram = \"timer.asm\"\n[[case]]\nname = \"a second\"\nrun.cycles = 1_000_050\nexpect.memory = { \"20h\" = 40 }\n";
        let outcomes = Cases::parse(table)
            .expect("a table")
            .run(&on_puffin(&program(work), true))
            .expect("it makes sense");
        assert!(outcomes[0].passed, "{:?}", outcomes[0].differences);
    }
}
