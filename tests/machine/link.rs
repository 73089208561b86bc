//! The debug link: the board's end by its language, and sessions whose processor is at its other end.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::diagnostic::Problem;
use plain_byte::link::LinkServer;
use plain_byte::machine::Link;
use plain_byte::session::{Limits, Session, Stop};
use std::fmt::Write;
use std::sync::{Arc, Mutex};

/// A program in both modes, with a word of its own for each.
const PROGRAM: &str = "
        cpu ez80
        org 0
        jp.lil start
        org 10000h
        mode adl
start:  ld hl, 0
        ld b, 5
next:   call more
        djnz next
        out0 (10h), a
        halt
more:   lea ix, ix+1
        ld de, 010203h
        add hl, de
        ret
";

fn assembled(source: &str) -> plain_byte::assembler::Assembly {
    let assembly = assemble("sums.asm", &mut Texts::one("sums.asm", source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    assembly
}

/// A board with its end of the link.
struct Board {
    session: Session,
    server: LinkServer,
}

impl Board {
    fn new(name: &str) -> Self {
        Self { session: Session::shipped(name).expect("a board"), server: LinkServer::default() }
    }

    /// What is said to some bytes, runs included.
    fn say(&mut self, bytes: &[u8]) -> String {
        let mut said = self.server.feed(&mut self.session, bytes);
        for _ in 0..1000 {
            if !self.server.is_running() {
                break;
            }
            if let Some(answer) = self.server.go_on(&mut self.session, 100_000) {
                said.push_str(&answer);
                // What came meanwhile.
                said.push_str(&self.server.feed(&mut self.session, b""));
            }
        }
        said
    }
}

/// What the way makes of an answer.
type Spoil = fn(String) -> Result<String, String>;

/// A line inside this program. Answers may be spoilt on the way.
#[derive(Clone)]
struct Wire {
    board: Arc<Mutex<Board>>,
    spoil: Spoil,
}

impl std::fmt::Debug for Wire {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a wire")
    }
}

impl Link for Wire {
    fn ask(&mut self, request: &str) -> Result<String, Problem> {
        let said = self.board.lock().expect("one thread").say(format!("{request}\n").as_bytes());
        Ok((self.spoil)(said.trim_end_matches('\n').to_string())?)
    }
}

fn wire(name: &str) -> Wire {
    Wire { board: Arc::new(Mutex::new(Board::new(name))), spoil: Ok }
}

#[test]
fn the_language_is_what_the_page_says() {
    let mut board = Board::new("dunlin");
    let mut text = String::new();
    let requests = [
        "hello 1",
        "hello 2",
        "hello",
        "map",
        "registers",
        "set HL=123456",
        "set ADL=1",
        "set Q=1",
        "set A=100",
        "set A",
        "write 10000 3E07C60076FF",
        "read 10000 6",
        "read FFFFFF 2",
        "read 0 0",
        "read 0 101",
        "read 1000000 1",
        "read zz 1",
        "write 7FFFF 0102",
        "write 0 123",
        "write 0 0G",
        "write 0",
        "break 10002",
        "break 1000000",
        "set PC=10000",
        "run",
        "run",
        "forget 10002",
        "set PC=10000",
        "step",
        "run 5",
        "run",
        "run",
        "interrupt NMI",
        "step",
        "interrupt IRQ",
        "reset",
        "stop",
        "forget all",
        "Run",
        "",
        "run -1",
        "run 1 2",
    ];
    for request in requests {
        let said = board.say(format!("{request}\r\n").as_bytes());
        let _ = writeln!(text, "> {request}\n{}", said.trim_end());
    }
    insta::assert_snapshot!(text);
}

#[test]
fn lines_come_in_any_pieces_and_garbage_is_refused() {
    let mut board = Board::new("dunlin");
    let whole = board.say(b"write 100 010203\nread 100 3\nread 200 1\n");
    let mut pieces = Board::new("dunlin");
    let mut said = String::new();
    for byte in b"write 100 010203\nread 100 3\nread 200 1\n" {
        said.push_str(&pieces.say(&[*byte]));
    }
    assert_eq!((whole.as_str(), said.as_str()), ("ok\nok 010203\nok FF\n", whole.as_str()));
    for garbage in [&[0xFF, 0x00, b'\n'][..], b"\x1b[2J\n", "Skerrow \u{e9}\n".as_bytes()] {
        assert_eq!(board.say(garbage), "no the line has characters that are no plain text\n");
    }
    // A line without an end takes no room, and what follows it is read again.
    for _ in 0..200 {
        assert_eq!(board.say(&[b'x'; 1000]), "");
    }
    assert_eq!(board.say(b"\nread 100 1\n"), "no the line is longer than 4096 characters\nok 01\n");
    let long = format!("write 0 {}\n", "00".repeat(0x900));
    assert_eq!(board.say(long.as_bytes()), "no the line is longer than 4096 characters\n");
}

#[test]
fn a_run_is_stopped_and_what_comes_meanwhile_waits() {
    let mut board = Board::new("dunlin");
    // JR to itself after an INC: it never ends.
    assert_eq!(board.say(b"write 100 3C18FD\nset PC=100\n"), "ok\nok\n");
    let Board { session, server } = &mut board;
    assert_eq!(server.feed(session, b"run\nread 100 1\n"), "");
    assert_eq!((server.is_running(), server.go_on(session, 1000)), (true, None));
    assert_eq!(server.feed(session, b""), "");
    assert!(server.is_running());
    // What waits has its answer when the run is over.
    let Board { session, server } = &mut Board::new("dunlin");
    server.feed(session, b"write 100 3C18FD\nset PC=100\nrun\n");
    server.go_on(session, 1000);
    let said = server.feed(session, b"stop\nread 100 1\n");
    assert!(said.starts_with("stopped operator 10") && said.ends_with("\nok 3C\n"), "{said}");
    // After the run it says nothing.
    assert_eq!(server.feed(session, b"stop\nread 101 1\n"), "ok 18\n");
}

/// Everything a session can do over a link comes out as on the board itself.
#[test]
fn a_session_over_a_link_is_the_session_on_the_board() {
    let assembly = assembled(PROGRAM);
    let mut near = Session::shipped("dunlin").expect("a board");
    near.load_assembly(&assembly).expect("it fits");
    let wire = wire("dunlin");
    let mut far = Session::linked(Box::new(wire.clone())).expect("it answers");
    far.load_assembly(&assembly).expect("it fits");
    assert_eq!(far.machine().board().name, "dunlin");
    for session in [&mut near, &mut far] {
        // The reset state of the part is not that of memory.
        for (name, value) in [("IX", 0), ("SP", 0), ("SPL", 0x8_0000), ("A", 7), ("F", 0)] {
            session.set(name, value).expect("a register");
        }
    }
    let mut steps = 0;
    loop {
        let (one, other) = (near.step(), far.step());
        assert_eq!((one.address, &one.cells, one.next), (other.address, &other.cells, other.next));
        assert_eq!((&one.changes, one.cycles), (&other.changes, other.cycles), "step {steps}");
        assert_eq!(one.stop, other.stop);
        steps += 1;
        if one.stop.is_some() {
            break;
        }
    }
    assert!(steps > 20);
    let registers = |session: &Session| -> Vec<u64> {
        (0..session.processor().registers().len()).map(|place| session.machine().register(place)).collect()
    };
    assert_eq!(registers(&near), registers(&far));
    assert_eq!(near.get("HL"), Some(5 * 0x010203));
    // Breakpoints, runs, a reset, and once more.
    let (start, add) = (0x1_0000, 0x1_0010);
    for session in [&mut near, &mut far] {
        session.reset();
        assert_eq!(session.get("PC"), Some(0));
        session.add_breakpoint(add);
        assert_eq!(session.run(Limits::none()), Stop::Breakpoint);
        assert_eq!((session.get("PC"), session.get("B")), (Some(add.into()), Some(5)));
        assert_eq!(session.run(Limits::none()), Stop::Breakpoint);
        session.remove_breakpoint(add);
        session.put(start + 5, &[2]).expect("RAM");
        assert_eq!(session.run(Limits::none().until(start + 0xC)), Stop::Until);
        assert_eq!(session.run(Limits::none()), Stop::Halt);
        assert_eq!(session.machine().halted_at(), Some(start + 0xF));
    }
    assert_eq!(registers(&near), registers(&far));
    assert_eq!(far.machine().link_failure(), None);
    // The board itself holds what was sent.
    let board = wire.board.lock().expect("one thread");
    let image = &assembly.image;
    for segment in image.segments().iter().skip(1) {
        let held: Vec<u64> =
            (segment.start..).take(segment.cells.len()).map(|at| board.session.cell(at)).collect();
        assert_eq!(held[6..], segment.cells[6..]);
    }
    assert_eq!(far.back(3), 0);
}

/// Any board will do: cells of bytes, words of twelve and of 36 bits.
#[test]
fn every_board_has_a_link() {
    for name in ["plover", "gannet", "puffin", "curlew", "heron", "osprey", "dunlin"] {
        let wire = wire(name);
        let own = Session::shipped(name).expect("a board");
        let mut far = Session::linked(Box::new(wire.clone())).unwrap_or_else(|why| panic!("{name}: {why}"));
        let places = 0..own.processor().registers().len();
        let values = |session: &Session| -> Vec<u64> {
            places.clone().map(|place| session.machine().register(place)).collect()
        };
        assert_eq!(values(&own), values(&far), "{name}");
        let area = own.machine().areas().iter().find(|area| area.kind.is_writable()).expect("RAM").clone();
        let last = own.processor().last_cell();
        let cells: Vec<u64> = (0..0x500)
            .map(|at| (at as u64).wrapping_mul(0x1234_5678_9ABC_DEF1) & last)
            .take((area.last - area.first) as usize)
            .collect();
        far.put(area.first, &cells).expect("RAM");
        let back: Vec<u64> = (area.first..).take(cells.len()).map(|at| far.cell(at)).collect();
        assert_eq!(back, cells, "{name}");
        assert_eq!(far.machine().link_failure(), None, "{name}");
        let board = wire.board.lock().expect("one thread");
        assert_eq!(
            (area.first..).take(cells.len()).map(|at| board.session.cell(at)).collect::<Vec<_>>(),
            cells
        );
    }
}

#[test]
fn a_board_that_answers_wrongly_is_told_and_nothing_hangs() {
    let spoils: [(Spoil, &str); 6] = [
        (|said| Ok(said.replace("link=1", "link=2")), "speaks version 2"),
        (|_| Err("the board does not answer".to_string()), "does not answer"),
        (|_| Ok(String::new()), "answers"),
        (|said| Ok(said.replace("cpu=ez80", "cpu=ez90")), "no processor"),
        (|said| Ok(said.replace("ram:0-7FFFF", "ram:7-0")), "makes no sense"),
        (|said| Ok(said.replace("cycles=", "laps=")), "make no sense"),
    ];
    for (spoil, told) in spoils {
        let why = Session::linked(Box::new(Wire { spoil, ..wire("dunlin") })).expect_err("it is spoilt");
        assert!(why.phrase().contains(told), "{why}");
    }
    // A line that fails later: everything ends, and the first failure is kept.
    let spoils: [(Spoil, &str); 4] = [
        // It reached for what does not exist, and does not say for what.
        (
            |said| Ok(if said.starts_with("stopped") { "stopped unmapped 100".to_string() } else { said }),
            "stopped unmapped",
        ),
        (
            |said| if said.starts_with("stopped") { Err("the line is gone".to_string()) } else { Ok(said) },
            "the line is gone",
        ),
        (|said| Ok(said.replace("stopped", "begun")), "answers"),
        (|said| if said.len() > 500 { Ok(said[..100].to_string()) } else { Ok(said) }, "make no sense"),
    ];
    for (spoil, told) in spoils {
        let Ok(mut far) = Session::linked(Box::new(Wire { spoil, ..wire("dunlin") })) else { continue };
        let _ = far.load_assembly(&assembled(PROGRAM));
        let _ = (far.cell(0x1_0000), far.step(), far.run(Limits::none().cycles(1000)));
        let why = far.machine().link_failure().expect("it failed");
        assert!(why.contains(told), "{why}");
    }
}
