//! Programs and the firmware of their boards: what is whose, and how execution leaves a program.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::services::Volume;
use plain_byte::report::final_card;
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, PlaceUse, Program, Session, Stop, find_board};

/// A board, a program, the instruction of it that comes last, whether that is a call that does not return, and a register then.
type Leaving = (&'static str, &'static str, u32, bool, (&'static str, u64));

const LEAVING: &[Leaving] = &[
    // Back to the firmware: by a return, by running on, by the processor's break.
    ("plover", " cpu 8085\n org 4000h\n mvi a, 3Ch\n ret\n", 0x4002, false, ("A", 0x3C)),
    ("plover", " cpu 8085\n org 4000h\n mvi a, 3Ch\n mov b, a\n", 0x4002, false, ("B", 0x3C)),
    ("tern", " cpu 6502\n org $300\n lda #$3C\n ldx #7\n brk\n", 0x304, false, ("A", 0x3C)),
    ("tern", " cpu 6502\n org $300\n lda #$3C\n rts\n", 0x302, false, ("A", 0x3C)),
    ("fulmar", " cpu 6502\n org $1000\n lda #7\n rts\n", 0x1002, false, ("A", 7)),
    // Astray: a return after a push that was not taken back.
    ("plover", " cpu 8085\n org 4000h\n mvi a, 20h\n push psw\n ret\n", 0x4003, false, ("A", 0x20)),
    // Many services in between are not the end; the last one waits for a key.
    (
        "petrel",
        " cpu 8086\n org 7C00h\na: mov ax, 0E41h\n int 10h\n inc bx\n cmp bx, 9\n jne a\n mov ah, 0\n int 16h\n",
        0x7C0D,
        true,
        ("BX", 9),
    ),
];

#[test]
fn what_a_program_left_is_told_and_how() {
    for &(board, source, from, is_call, (register, value)) in LEAVING {
        let mut session = Session::shipped(board).expect("a board");
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
        session.load_assembly(&assembly).expect("it fits");
        let mut traced = session.clone();
        let limits = Limits::none().back().rest().cycles(5_000_000);
        let stop = session.run(limits);
        let (before, departure) = (session.machine().mark(), session.departure(&stop).expect("it left"));
        assert_eq!((departure.from, departure.is_call), (from, is_call), "{source}");
        assert_eq!(departure.machine.get(register), Some(value), "{source}");
        assert_eq!(session.machine().mark(), before, "whoever asks changes nothing");
        // A trace saw the same instruction last.
        let (first, end) = assembly.image.bounds().expect("cells");
        let mut last = None;
        traced.trace(limits.inside(), &mut |_, step| {
            if (first..=end).contains(&step.address) {
                last = Some((step.address, step.next));
            }
            true
        });
        assert_eq!(last, Some((departure.from, departure.to)), "{source}");
        let card = final_card(&session, &stop, &[]).to_string();
        let first = card.lines().next().unwrap_or_default();
        assert!(first.starts_with(if is_call { "inside " } else { "left " }), "{first}");
        let line = source.trim_end().lines().count();
        assert!(first.contains(&format!("(line {line} of fog.asm: ")), "{first}");
    }
}

#[test]
fn a_program_that_ends_in_itself_has_not_left_and_cases_see_what_it_left() {
    for (board, source) in [
        ("plover", " cpu 8085\n org 4000h\n mvi c, 1\n call 4Ch\n hlt\n"),
        ("puffin", " cpu 6502\n org $8000\nstart: jmp start\n org $FFFA\n dw start, start, start\n"),
    ] {
        let mut session = Session::shipped(board).expect("a board");
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
        session.load_assembly(&assembly).expect("it fits");
        let stop = session.run(Limits::none().back().cycles(5_000_000));
        assert!(matches!(stop, Stop::Halt | Stop::Endless) && session.departure(&stop).is_none(), "{board}");
    }
    let table = "version = 1\nprogram = \"fog.asm\"\n[[case]]\nname = \"left\"\nexpect.registers = { A = \"$3C\", X = 7, Z = 0 }\n";
    let mut session = Session::shipped("tern").expect("a board");
    let source = " cpu 6502\n org $300\n lda #$3C\n ldx #7\n brk\n";
    let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
    session.load_assembly(&assembly).expect("it fits");
    let outcomes = Cases::parse(table).expect("a table").run(&session).expect("it runs");
    assert!(outcomes[0].passed, "{:?}", outcomes[0]);
}

/// A board, a program, and its trace: the instructions, with what the firmware did.
const FOLDED: &[(&str, &str, &[&str])] = &[
    (
        "plover",
        " cpu 8085\n org 4000h\n lxi h, t\n call 48h\n call hush\n hlt\nhush: mvi c, 1\n jmp 4Ch\nt: db \"fog\", 0\n",
        &["", "print \"fog\"", "", "", "pause", ""],
    ),
    // A routine by a table of jumps, and a monitor that is gone back to.
    ("fulmar", " cpu 6502\n org $1000\n lda #2\n jsr $E00F\n rts\n", &["", "border", ""]),
    // An interrupt that the program answers itself, by way of the firmware's vectors, is in the trace.
    (
        "plover",
        " cpu 8085\n org 4000h\n mvi a, 0C3h\n sta 0FFDCh\n lxi h, own\n shld 0FFDDh\n rst 7\n hlt\nown: inr b\n ret\n",
        &["", "", "", "", "firmware", "", "", ""],
    ),
    (
        "curlew",
        " cpu z80\n org 100h\n ld c, 9\n ld de, t\n call 5\n jp 0\nt: db \"lit$\"\n",
        &["", "", "9: print string \"lit\"", "warm_start"],
    ),
];

#[test]
fn what_the_firmware_does_is_one_step_and_is_counted_apart() {
    for &(board, source, wanted) in FOLDED {
        let found = find_board(board, None, &mut Texts::default()).expect("a board");
        let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
        if board == "curlew" {
            let (program, volume) = (Program::from_assembly(&assembly), Volume::new(Volume::CAPACITY, false));
            session.start_transient(&found, &mut Texts::default(), program, &[], volume).expect("it starts");
        } else {
            session.load_assembly(&assembly).expect("it fits");
        }
        let limits = Limits::none().back().rest().cycles(5_000_000);
        let begun = session.clone();
        let (mut counted, mut plain) = (session.clone(), session.clone());
        let mut steps = Vec::new();
        let stop = session.trace(limits, &mut |_, step| {
            steps.push(step.service.clone().unwrap_or_default());
            true
        });
        assert_eq!(steps, wanted, "{source}");
        assert_eq!((counted.run(limits.counted()), plain.run(limits)), (stop.clone(), stop), "{source}");
        assert_eq!(counted.machine().mark(), plain.machine().mark(), "{source}");
        assert_eq!(session.machine().mark(), plain.machine().mark(), "{source}");
        let share = counted.share().expect("it was counted");
        assert_eq!((Some(share), share.instructions), (session.share(), wanted.len() as u64), "{source}");
        assert!(share.cycles < counted.machine().cycles() && plain.share().is_none(), "{source}");
        // Steps of the monitor are the same ones, and each is taken back as one.
        let mut stepped = begun.clone();
        let mut marks = Vec::new();
        for wanted in wanted {
            marks.push(stepped.machine().mark());
            let step = stepped.step_whole();
            assert_eq!(step.service.unwrap_or_default(), *wanted, "{source}");
            if step.stop.is_some() {
                break;
            }
        }
        for mark in marks.iter().rev() {
            assert_eq!((stepped.back(1), stepped.machine().mark()), (1, mark.clone()), "{source}");
        }
    }
}

/// A board, a program that never ends, what it waits for, and what it is told to give; nothing where it waits for nothing.
const ENDLESS: &[(&str, &str, &str, &str)] = &[
    (
        "plover",
        " cpu 8085\n org 4000h\ngo: in 11h\n ora a\n jz go\n hlt\n",
        "switches",
        "--set switches=VALUE",
    ),
    ("plover", " cpu 8085\n org 4000h\ngo: call 44h\n jmp go\n", "the console", "--input TEXT"),
    (
        "puffin",
        " cpu 65c02\n org $8000\ngo: lda $7F20\n and #1\n beq go\n jmp go\n org $FFFA\n dw go, go, go\n",
        "",
        "",
    ),
    (
        "curlew",
        " cpu z80\n org 1000h\ngo: in a, (20h)\n and 1\n jr z, go\n halt\n",
        "the console",
        "--input TEXT",
    ),
    (
        "plover",
        " cpu 8085\n org 4000h\ngo: mvi b, 5\non: call count\n jnz on\n jmp go\ncount: dcr b\n ret\n",
        "",
        "",
    ),
    ("heron", " cpu pdp8\n org 200\ngo: ksf\n jmp go\n hlt\n", "the console", "--input TEXT"),
    ("plover", " cpu 8085\n org 4000h\ngo: lxi h, 5000h\n inr m\n jmp go\n", "", ""),
];

/// Programs that go on: they count, send, wait for a timer, or take their time.
const BUSY: &[(&str, &str)] = &[
    ("plover", " cpu 8085\n org 4000h\ngo: mvi a, 1\n out 10h\n jmp go\n"),
    ("fulmar", " cpu 6502\n org $1000\ngo: lda $DF14\n beq go\n jmp go\n"),
    ("curlew", " cpu z80\n org 1000h\ngo: inc hl\n jr go\n"),
];

#[test]
fn a_loop_that_never_ends_is_found_whoever_watches() {
    let session = |board: &str, source: &str| {
        let mut session = Session::shipped(board).expect("a board");
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
        session.load_assembly(&assembly).expect("it fits");
        session
    };
    let limits = Limits::none().back().rest().cycles(20_000_000);
    for &(board, source, reads, advice) in ENDLESS {
        let begin = session(board, source);
        let mut plain = begin.clone();
        let stop = plain.run(limits);
        let found = match &stop {
            Stop::Polls(round) => round.reads.join(", "),
            Stop::Repeats(_) => String::new(),
            other => format!("{other:?}"),
        };
        assert!(found == reads || reads.is_empty(), "{source}: {found}");
        assert!(plain.machine().cycles() < 3_000_000, "{source}");
        let card = final_card(&plain, &stop, &[]).to_string();
        assert!(card.contains(advice), "{source}: {card}");
        type Way = fn(&mut Session, Limits) -> Stop;
        let ways: [Way; 3] = [
            |session, limits| session.run(limits.counted()),
            |session, limits| session.trace(limits, &mut |_, _| true),
            |session, limits| session.trace(limits.inside(), &mut |_, _| true),
        ];
        for way in ways {
            let mut other = begin.clone();
            assert_eq!(way(&mut other, limits), stop, "{source}");
            assert_eq!(other.machine().mark(), plain.machine().mark(), "{source}");
        }
    }
    for &(board, source) in BUSY {
        let mut session = session(board, source);
        assert_eq!(session.run(limits), Stop::Cycles, "{source}");
    }
}

/// A place of a program on `plover` as somebody writes it, what is to be done there, and what is told; nothing where it is meant so.
type Place = (&'static str, PlaceUse, Option<(bool, &'static str)>);
const PLACES: &[Place] = &[
    ("nights", PlaceUse::Set(1), None),
    ("nights", PlaceUse::Set(2), None),
    ("nights", PlaceUse::Set(3), Some((false, "the program has 2 of data from `nights` on"))),
    ("nights", PlaceUse::Look, None),
    ("result", PlaceUse::Set(1), None),
    (
        "lamps",
        PlaceUse::Set(1),
        Some((true, "`lamps` is a constant (`equ`), and at 0010 the board's firmware stands")),
    ),
    ("lamps", PlaceUse::Look, Some((false, "`lamps` is a constant"))),
    ("0900h", PlaceUse::Look, Some((false, "at 0900 the board has no memory"))),
    ("0900h", PlaceUse::Set(1), Some((true, "the board has no memory"))),
    ("4001h", PlaceUse::Stop, Some((false, "at 4001 an instruction does not begin"))),
    ("nights", PlaceUse::Stop, Some((false, "data stand"))),
    ("again", PlaceUse::Stop, None),
    ("4Ch", PlaceUse::Stop, None),
    ("0900h", PlaceUse::Stop, Some((true, "no memory"))),
];

#[test]
fn places_that_are_hardly_meant_are_told() {
    let source = " cpu 8085\nlamps equ 10h\nresult equ 5000h\n org 4000h\nagain: out lamps\n jmp again\nnights: db 1\nleft: ds 1\n";
    let mut session = Session::shipped("plover").expect("a board");
    let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
    session.load_assembly(&assembly).expect("it fits");
    for &(text, used, told) in PLACES {
        let address = session.evaluate(text).expect("a place") as u32;
        let doubt = session.doubt(text, address, used);
        match (&doubt, told) {
            (None, None) => {}
            (Some(doubt), Some((is_wrong, words))) => {
                assert!(doubt.is_wrong == is_wrong && doubt.message.contains(words), "{text}: {doubt:?}");
            }
            _ => panic!("{text}: {doubt:?}"),
        }
    }
}

#[test]
fn an_interrupt_is_told_by_the_chip_that_asked() {
    let source = include_str!("../../demo/clock.asm");
    let mut session = Session::shipped("curlew").expect("a board");
    let assembly = assemble("clock.asm", &mut Texts::one("clock.asm", source), &Options::default());
    session.load_assembly(&assembly).expect("it fits");
    let mut causes = Vec::new();
    session.trace(Limits::none().cycles(4_000_000), &mut |session, step| {
        if step.interrupt {
            causes.push((step.causes.join(", "), plain_byte::report::describe(session, step)));
        }
        causes.len() < 3
    });
    assert_eq!(causes.len(), 3);
    let wanted = ("timers".to_string(), "(interrupt: timers)".to_string());
    assert!(causes.iter().all(|cause| *cause == wanted), "{causes:?}");
}
