//! Board descriptions and case tables: what is read, and everything that is refused.

use plain_byte::assembler::Texts;
use plain_byte::boards;
use plain_byte::machine::{Board, ChipAt, MemoryKind};
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, OpenError, Session, board_names, find_board};
use plain_byte::workspace::{Program, Target};
use proptest::prelude::*;

const GOOD: &str = r#"version = 1
name = "skua"
title = "a bench board"
processor = "8080"
clock = 2_000_000
load = 0x100

[[memory]]
kind = "ram"
first = 0
last = 0x0FFF

[[chip]]
part = "8212"
name = "lamps"
port = 1
wiring = "lamps"

[[key]]
name = "CALL"
input = "intr"
"#;

fn told(text: &str) -> String {
    match Board::parse(text) {
        Ok(_) => "no error".to_string(),
        Err(errors) => errors
            .iter()
            .map(|one| {
                let at = text.get(one.span.start as usize..one.span.end as usize).unwrap_or("?");
                let more: Vec<&str> = one.labels.iter().map(|label| label.text.as_str()).collect();
                format!(
                    "{} (at `{}`; {}) {}",
                    one.message,
                    at.lines().next().unwrap_or(""),
                    one.help,
                    more.join(", ")
                )
            })
            .collect::<Vec<_>>()
            .join("\n"),
    }
}

#[test]
fn a_description_is_read_whole() {
    let board = Board::parse(GOOD).expect("it is right");
    assert_eq!(
        (board.name.as_str(), board.set.name(), board.clock, board.load),
        ("skua", "8080", 2_000_000, 0x100)
    );
    assert_eq!(
        (board.memory.len(), board.memory[0].kind, board.chips[0].at),
        (1, MemoryKind::Ram, ChipAt::Port(1))
    );
    assert_eq!((board.keys[0].name.as_str(), board.keys[0].input.as_deref()), ("CALL", Some("INTR")));
}

#[test]
fn services_that_take_a_text_are_read() {
    let text = GOOD
        .replace("[[key]]", "[[service]]\nname = \"print\"\nat = 5\ntext = \"de\"\nend = 0x24\n\n[[key]]");
    let board = Board::parse(&text).expect("it is right");
    let service = &board.services[0];
    let given = service.text.as_ref().expect("a text");
    assert_eq!(
        (service.name.as_str(), service.at, given.register.as_str(), given.end),
        ("print", 5, "DE", 0x24)
    );
    let plover = Board::parse(plain_byte::boards::find("plover").expect("shipped").description);
    let given = plover.expect("right").services.iter().filter(|one| one.text.is_some()).count();
    assert_eq!(given, 1);
}

#[test]
fn a_board_gives_its_names_to_what_the_source_does_not_define() {
    // Board, lines, and the same without names.
    let cases = [
        (
            "plover",
            " call print\n out Lamps\n in board.switches\n lxi h, vector.rst7_5\n",
            " call 48h\n out 10h\n in 11h\n lxi h, 0FFECh\n",
        ),
        ("puffin", " lda via.DDRB\n sta acia.tdr\n ldx vector.irq\n", " lda $7F02\n sta $7F81\n ldx $FFFE\n"),
        ("fulmar", " jsr write\n lda screen\n", " jsr $E01B\n lda $7000\n"),
        (
            "curlew",
            " call print_text\n call system\n out (serial.data_a), a\n",
            " call 0E00Ch\n call 5\n out (20h), a\n",
        ),
        ("heron", " iot console, 1\n", " iot 3, 1\n"),
        // What the program defines is the program's, wherever it stands, and in every space.
        (
            "plover",
            " call print\n space fog\n call print\n out lamps\n endspace\nprint: hlt\n",
            " call 4008h\n call 4008h\n out 10h\n hlt\n",
        ),
    ];
    for (name, with, without) in cases {
        let target = Target { board: Some(name.to_string()), ..Target::default() };
        let cells = |source: &str| {
            let mut texts = Texts::one("fog.asm", source);
            match target.resolve("fog.asm", &mut texts).expect("it is looked at").program {
                Program::Assembled(assembly) => {
                    assert!(assembly.succeeded(), "{name} {source}: {:?}", assembly.diagnostics);
                    assembly.image
                }
                Program::Image(_) => panic!("a source"),
            }
        };
        assert_eq!(cells(with), cells(without), "{name}: {with}");
    }
    // A local label is none of the board's, and a slip is answered with the name.
    let target = Target { board: Some("plover".to_string()), ..Target::default() };
    let mut texts = Texts::one("fog.asm", "x1: out .lamps\n out lampz\n jmp x1\n");
    let Program::Assembled(assembly) =
        target.resolve("fog.asm", &mut texts).expect("it is looked at").program
    else {
        panic!("a source")
    };
    let told: Vec<_> = assembly.diagnostics.iter().map(|one| &one.help[..]).collect();
    assert_eq!(told.len(), 2);
    assert_eq!(told[1], "did you mean `lamps`, which the board has?");
    // Every shipped board's names are names, and each stands once.
    for shipped in plain_byte::boards::BOARDS {
        let board = Board::parse(shipped.description).expect("right");
        let names = board.names();
        let all: std::collections::BTreeSet<&str> = names.iter().map(|one| one.name.as_str()).collect();
        assert_eq!(all.len(), names.len(), "{}", shipped.name);
        for one in &names {
            let good = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_' || c == '.';
            assert!(one.name.chars().all(good), "{}: {}", shipped.name, one.name);
        }
        let session = Session::shipped(shipped.name).expect("it opens");
        assert!(names.iter().all(|one| session.evaluate(&one.name).is_ok()), "{}", shipped.name);
    }
}

#[test]
fn what_is_wrong_in_a_description_is_told() {
    let changes: &[(&str, &str)] = &[
        ("version = 1", "version = 2"),
        ("version = 1\n", ""),
        ("name = \"skua\"", "name = \"Great Skua\""),
        ("title =", "titel ="),
        ("\"8080\"", "\"8081\""),
        ("2_000_000", "0"),
        ("2_000_000", "\"fast\""),
        ("load = 0x100", "load = 0x10000"),
        ("kind = \"ram\"", "kind = \"drum\""),
        ("last = 0x0FFF", "last = 0xFFFFF"),
        ("first = 0\n", "first = 0x2000\n"),
        ("part = \"8212\"", "part = \"8213\""),
        ("port = 1\n", "port = 256\n"),
        ("wiring = \"lamps\"", "wiring = \"bells\""),
        ("input = \"intr\"", "input = \"trap\""),
        ("[[key]]", "[[memory]]\nkind = \"rom\"\nfirst = 0x0800\nlast = 0x2000\n\n[[key]]"),
        ("[[key]]", "[[chip]]\npart = \"8212\"\nname = \"lamps\"\nport = 2\nwiring = \"lamps\"\n\n[[key]]"),
        ("[[key]]", "[[chip]]\npart = \"8212\"\nname = \"more\"\nport = 1\nwiring = \"lamps\"\n\n[[key]]"),
        ("[[key]]", "[console]\nline = \"wire\"\nbaud = 9_000_000\n\n[[key]]"),
        ("[[memory]]\nkind = \"ram\"\nfirst = 0\nlast = 0x0FFF\n", "memory = []\n"),
        ("name = \"skua\"", "name = \"skua"),
        ("[[key]]", "[[service]]\nname = \"print\"\nat = 0x10000\ntext = \"HX\"\nend = 0\n\n[[key]]"),
        ("[[key]]", "[[service]]\nname = \"print\"\nat = 5\n\n[[key]]"),
    ];
    let mut lines = Vec::new();
    for (from, to) in changes {
        let text = GOOD.replacen(from, to, 1);
        assert_ne!(text, GOOD, "{from}");
        lines.push(format!("{} -> {}\n  {}", from.trim(), to.trim().replace('\n', " / "), told(&text)));
    }
    insta::assert_snapshot!(lines.join("\n"));
}

/// What is wrong with chips among the memory and with what hangs on their pins.
#[test]
fn what_is_wrong_with_chips_and_pins_is_told() {
    let tern = plain_byte::boards::find("tern").expect("shipped").description;
    let puffin = plain_byte::boards::find("puffin").expect("shipped").description;
    let fulmar = plain_byte::boards::find("fulmar").expect("shipped").description;
    let curlew = plain_byte::boards::find("curlew").expect("shipped").description;
    let gannet = plain_byte::boards::find("gannet").expect("shipped").description;
    let many = format!("lights = [{}", "{ name = \"A\", shows = \"A\" }, ".repeat(10));
    let changes: &[(&str, &str, &str)] = &[
        (fulmar, "keypad = \"keys\"", "keypad = \"keyz\""),
        (fulmar, "shift = \"SHIFT\"", "shift = \"UPPER\""),
        (fulmar, "RETURN = \"\\r\"", "RETURN = \"\\r\\n!\""),
        (fulmar, "RETURN = \"\\r\"", "ENTER = \"\\r\""),
        (fulmar, "\"via.PB7\"]", "\"via.PB6\"]"),
        (fulmar, "\"via.PB7\"]", "\"via.PA2\"]"),
        (fulmar, "first = 0xDF00", "first = 0xFFF8"),
        (fulmar, "first = 0xDF00", "first = 0x10000"),
        (
            fulmar,
            "[[key]]\nname = \"BREAK\"",
            "[[button]]\nname = \"horn\"\npin = \"via.PB0\"\n\n[[key]]\nname = \"BREAK\"",
        ),
        (curlew, "shows = \"flag C\"", "shows = \"flag Q\""),
        (curlew, "shows = \"PC\"", "shows = \"switches\""),
        (curlew, "lights = [", &many),
        (gannet, "load = 0x0000", "lights = []"),
        (tern, "first = 0x9E00\nlast = 0x9EFF", "first = 0x0700\nlast = 0x07FF"),
        (tern, "first = 0x9E00\nlast = 0x9EFF", "first = 0x9E00\nlast = 0x9D00"),
        (tern, "first = 0x9E00\nlast = 0x9EFF", "port = 1\nfirst = 0x9E00"),
        (tern, "segments = \"riot.PA\"", "segments = \"riot.PC\""),
        (tern, "segments = \"riot.PA\"", "segments = \"via.PA\""),
        (tern, "count = 6", "count = 9"),
        (tern, "\"riot.PB3\", ", ""),
        (tern, "\"4\", ", "\"C\", "),
        (tern, "\"3\", \"VECTORS\"", "\"3\", \"VECTORS\", \"x\", \"y\""),
        (tern, "closes = \"VECTORS\"", "closes = \"FOG\""),
        (tern, "pin = \"riot.PB7\"", "pin = \"riot.PB8\""),
        (tern, "input = \"NMI\"\nexcept", "input = \"INTR\"\nexcept"),
        (puffin, "name = \"acia\"\nfirst = 0x7F80", "name = \"acia\"\nfirst = 0x7F70"),
        (puffin, "name = \"acia\"\nfirst", "name = \"via\"\nfirst"),
        (puffin, "clock = 153_600 ", "# no clock "),
        (puffin, "name = \"via\"\n", "name = \"via\"\nwiring = \"lamps\"\n"),
        (puffin, "interrupt = \"IRQ\"\n\n[[chip]]", "interrupt = \"TRAP\"\n\n[[chip]]"),
        (puffin, "interrupt = \"IRQ\"\nclock", "interrupt = \"via.CA3\"\nclock"),
        (puffin, "interrupt = \"IRQ\"\n\n[[chip]]", "interrupt = \"via.CA1\"\n\n[[chip]]"),
        (puffin, "interrupt = \"IRQ\"\nclock", "interrupt = \"via.PA0\"\nclock"),
        (puffin, "pin = \"via.PB7\"", "pin = \"acia.PA0\""),
        (puffin, "pin = \"via.PA0\"", "pin = \"via.PA0\"\nactive = 2"),
        (puffin, "line = \"acia\"", "line = \"acia\"\nbaud = 300"),
        (puffin, "line = \"acia\"", "line = \"via\""),
        (
            puffin,
            "[[key]]\nname = \"interrupt\"",
            "[[lamp]]\nname = \"lamp\"\npin = \"via.PB6\"\n\n[[key]]\nname = \"interrupt\"",
        ),
    ];
    let mut lines = Vec::new();
    for (board, from, to) in changes {
        let text = board.replacen(from, to, 1);
        assert_ne!(text, *board, "{from}");
        lines.push(format!(
            "{} -> {}\n  {}",
            from.replace('\n', " / "),
            to.replace('\n', " / "),
            told(&text)
        ));
    }
    insta::assert_snapshot!(lines.join("\n"));
    let mut board = Board::parse(tern).expect("right");
    let refused = board.leave_out("ram").expect_err("it has none of that name");
    assert_eq!(refused.to_string(), "the board tern has no `ram` to leave out; it can do without vectors");
}

#[test]
fn every_shipped_board_opens_and_waits() {
    for name in board_names().into_iter().filter(|name| *name != "bare") {
        let session = Session::shipped(name).expect(name);
        assert_eq!(session.machine().cycles(), 0, "cycles count from where the firmware waits");
        assert!(session.machine().output().is_empty());
    }
    assert_eq!(boards::find("PLOVER").map(|board| board.name), Some("plover"));
}

#[test]
fn boards_that_cannot_be_opened() {
    let firmware = |source: &str| {
        let text =
            GOOD.replace("[[memory]]", "[firmware]\nsource = \"skua.asm\"\nready = \"ready\"\n\n[[memory]]");
        let mut texts = Texts::one("skua.toml", text);
        texts.0.insert("skua.asm".to_string(), source.into());
        let found = find_board("skua.toml", None, &mut texts).expect("the description is right");
        Session::open(&found, &mut texts).map(|_| ())
    };
    assert!(firmware("        cpu 8080\n        org 0\nready:  jmp ready\n").is_ok());
    let errors = [
        firmware("        mvo a\n"),
        firmware("        org 0\n        hlt\n"),
        firmware("        org 0\nspin:   jmp spin\nready:  hlt\n"),
        firmware("        org 8000h\nready:  hlt\n"),
        Session::shipped("plovr").map(|_| ()),
        Session::shipped("bare").map(|_| ()),
        find_board("none.toml", None, &mut Texts::default()).map(|_| ()),
        find_board("bad.toml", None, &mut Texts::one("bad.toml", "version = 7")).map(|_| ()),
    ];
    let text: Vec<String> =
        errors.into_iter().map(|error| error.expect_err("it must not open").to_string()).collect();
    insta::assert_snapshot!(text.join("\n"), @r"
    the firmware skua.asm of the board has errors
    the board skua does not start: its firmware has no label `ready`, where it would wait for a program
    the board skua does not start: its firmware does not reach the label where it waits; it stands at 0000
    the board skua does not start: the program has cells from 8000 to 8000, where the board skua has no memory; it has RAM 0000 to 0FFF
    there is no board `plovr`; did you mean `plover`?
    the board `bare` exists for every processor; name one with --cpu or `cpu NAME` in the source
    the board none.toml does not start: the description cannot be read: there is no such text
    the board description bad.toml has errors
    ");
    assert!(matches!(
        find_board("x", None, &mut Texts::default()),
        Err(OpenError::UnknownBoard { near: None, .. })
    ));
}

#[test]
fn floating_places_read_as_ffh_and_stopping_ones_stop() {
    for (unmapped, expected) in [("float", "halt"), ("stop", "unmapped")] {
        let text = GOOD.replace("clock =", &format!("unmapped = \"{unmapped}\"\nclock ="));
        let mut texts = Texts::one("skua.toml", text);
        let found = find_board("skua.toml", None, &mut texts).expect("it is right");
        let mut session = Session::open(&found, &mut texts).expect("it opens");
        let source = "        cpu 8080\n        lda 2000h\n        sta 3000h\n        in 9\n        out 9\n        hlt\n";
        let mut source = Texts::one("t", source);
        let options = plain_byte::assembler::Options::default().origin(0x100);
        session.load_assembly(&plain_byte::assembler::assemble("t", &mut source, &options)).expect("it fits");
        assert_eq!(session.run(Limits::none()).reason(), expected);
        assert_eq!(session.get("A"), Some(0xFF), "an empty place reads as 0FFh");
    }
}

fn case_told(text: &str) -> String {
    let session = crate::common::session(
        "plover",
        "        org 4000h\nstart:  lda in_\n        sta out_\n        out 10h\n        hlt\n        org 4100h\nin_:    db 5\nout_:   ds 1\n",
    );
    let outcome = Cases::parse(text).and_then(|cases| cases.run(&session));
    match outcome {
        Ok(outcomes) => outcomes
            .iter()
            .map(|one| if one.passed { "passed".to_string() } else { one.differences.join("; ") })
            .collect::<Vec<_>>()
            .join("\n"),
        Err(wrong) => format!(
            "{} ({}) at `{}`",
            wrong.message,
            wrong.help,
            text.get(wrong.span.start as usize..wrong.span.end as usize).unwrap_or("?")
        ),
    }
}

#[test]
fn cases_say_what_differs_and_what_makes_no_sense() {
    let rows = [
        "expect.memory = { out_ = 5 }",
        "given.memory = { in_ = [7, 1] }\nexpect.memory = { \"in_ + 1\" = 7 }",
        "given.registers = { b = \"in_ & 0FFh\", cy = true }\nexpect.registers = { B = 0, CY = 1 }",
        "given.registers = { hl = -2 }\nexpect.registers = { HL = 0xFFFE, H = -1 }",
        "expect.memory = { out_ = 6 }",
        "expect.memory = { out_ = [5, 1] }",
        "expect.registers = { A = \"'A'\", Z = 0 }",
        "expect.lamps = { lamps = 6 }",
        "expect.ports = { 10h = [5] }",
        "expect.ports = { \"10h\" = [5, 5] }",
        "expect.output = \"fog\"",
        "expect.stop = \"cycles\"",
        "expect.cycles = 41",
        "expect.most_cycles = 40",
        "run.cycles = 5\nexpect.registers = { A = 5 }",
        "run.until = \"start + 6\"\nexpect.ports = {}",
        "run.until = \"nowhere\"\nexpect.stop = \"until\"",
        "run.from = \"start + 3\"\nexpect.memory = { out_ = 0 }",
        "given.registers = { Q = 1 }\nexpect.stop = \"halt\"",
        "given.registers = { A = 256 }\nexpect.stop = \"halt\"",
        "given.memory = { in_ = 256 }\nexpect.stop = \"halt\"",
        "given.memory = { \"0\" = 1, \"1000h\" = 1 }\nexpect.stop = \"halt\"",
        "given.memory = { tide = 1 }\nexpect.stop = \"halt\"",
        "given.switches = { dials = 1 }\nexpect.stop = \"halt\"",
        "given.interrupts = { NMI = 1 }\nexpect.stop = \"halt\"",
        "expect.lamps = { horn = 1 }",
        "expect.registers = { Q = 1 }",
        "expect.registers = { A = [1, 2] }",
        "expected.stop = \"halt\"",
        "given.memry = { in_ = 1 }\nexpect.stop = \"halt\"",
    ];
    let lines: Vec<String> = rows
        .iter()
        .map(|row| {
            let text = format!("version = 1\nprogram = \"t\"\n[[case]]\nname = \"one\"\n{row}\n");
            format!("{}\n  {}", row.replace('\n', " / "), case_told(&text))
        })
        .collect();
    insta::assert_snapshot!(lines.join("\n"));
    assert!(case_told("version = 1\nprogram = \"t\"\n").contains("there are no cases"));
    assert!(case_told("version = 2\nprogram = \"t\"\n").contains("version 2 of the case table is unknown"));
}

proptest! {
    #[test]
    fn any_description_is_read_or_refused(cut in 0usize..400, junk in "[ -~\n]{0,40}", at in 0usize..400) {
        let mut text = GOOD[..cut.min(GOOD.len())].to_string();
        text.insert_str(at.min(text.len()), &junk);
        if let Err(errors) = Board::parse(&text) {
            prop_assert!(!errors.is_empty() && errors.iter().all(|one| !one.message.is_empty() && !one.help.is_empty()));
        }
    }

    /// Memory described by any stretches behaves as their list says, cell by cell.
    #[test]
    fn memory_is_where_the_description_says(stretches in proptest::collection::vec((0u32..0x1_0000, 1u32..0x900, any::<bool>()), 1..6)) {
        let mut text = "version = 1\nname = \"m\"\nprocessor = \"8085\"\nclock = 1\n".to_string();
        let mut kinds = vec![None; 0x1_0000];
        for (first, length, ram) in stretches {
            let last = (first + length - 1).min(0xFFFF);
            if kinds[first as usize..=last as usize].iter().any(Option::is_some) {
                continue;
            }
            kinds[first as usize..=last as usize].fill(Some(ram));
            text += &format!("[[memory]]\nkind = \"{}\"\nfirst = {first}\nlast = {last}\n", if ram { "ram" } else { "rom" });
        }
        let mut texts = Texts::one("m.toml", text);
        let found = find_board("m.toml", None, &mut texts).expect("it is right");
        let mut session = Session::open(&found, &mut texts).expect("it opens");
        for at in (0..0x1_0000u32).step_by(61).chain([0xFFFF]) {
            prop_assert_eq!(session.put(at, &[0x5A]).is_ok(), kinds[at as usize].is_some());
        }
        // A program in memory of its own writes everywhere; only RAM takes it.
        let Some(home) = (0..0xFFF0).find(|&at| (at..at + 16).all(|at| kinds[at] == Some(true))) else { return Ok(()) };
        for target in (0..0x1_0000u32).step_by(977) {
            let program = [0x3E, 0xC3, 0x32, u64::from(target & 0xFF), u64::from(target >> 8), 0x76];
            if (home as u32..home as u32 + 6).contains(&target) {
                continue;
            }
            session.put(home as u32, &program).expect("RAM");
            session.set("PC", home as i64).expect("PC");
            let before = session.cell(target);
            prop_assert_eq!(session.run(Limits::none()).reason(), "halt");
            prop_assert_eq!(session.cell(target), if kinds[target as usize] == Some(true) { 0xC3 } else { before });
        }
    }
}
