//! The serial board: interrupts in the daisy chain, banks, the resident monitor as an operator uses it, programs for the disk
//! system.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::Event;
use plain_byte::machine::services::WhyNot;
use plain_byte::machine::services::transient::{CALLS, FileChange, FileName, Volume, fault};
use plain_byte::session::{Limits, OpenError, Program, Session, Stop, find_board};
use proptest::prelude::*;

fn assembled(source: &str) -> plain_byte::assembler::Assembly {
    let options = Options::default().cpu("z80").expect("a processor").origin(0x100);
    let assembly = assemble("test.asm", &mut Texts::one("test.asm", source), &options);
    assert!(assembly.succeeded(), "{}", crate::common::told(&assembly));
    assembly
}

fn on_curlew(source: &str) -> Session {
    let mut session = Session::shipped("curlew").expect("a board");
    session.load_assembly(&assembled(source)).expect("it fits");
    session
}

#[test]
fn interrupts_come_in_the_order_of_the_daisy_chain_and_end_with_reti() {
    // The serial chip stands before the timers. Each routine notes itself; the timer's lets others in.
    let source = "
        ld sp, 0D000h
        ld a, 90h
        ld i, a
        im 2
        ld hl, serial
        ld (900Ch), hl          ; channel A, a character has come
        ld hl, timer
        ld (9020h), hl          ; channel 0
        ld hl, setting
        ld bc, setting.count << 8 | 22h
        otir
        ld a, 1
        out (23h), a
        ld a, 4
        out (23h), a            ; the status in the vector
        ld a, 20h
        out (28h), a
        ld a, 0A5h
        out (28h), a
        ld a, 100
        out (28h), a            ; every 25600 cycles
        ei
wait:   halt
        jr wait
setting: db 4, 44h, 3, 0C1h, 5, 0EAh, 1, 10h
setting.count equ $ - setting
timer:  push af
        ld a, 't'
        call say
        ei
        ld b, 0                 ; long enough for a character
.on:    djnz .on
        ld a, 'T'
        call say
        pop af
        reti
serial: push af
        in a, (20h)
        call say
        pop af
        ei
        reti
say:    push hl
        ld hl, (place)
        ld (hl), a
        inc hl
        ld (place), hl
        pop hl
        ret
place:  dw notes
notes:  ds 64
";
    let mut session = on_curlew(source);
    session.happen_at(25_600, Event::Typed(b"k".to_vec())).expect("a console");
    session.happen_at(60_000, Event::Typed(b"l".to_vec())).expect("a console");
    session.run(Limits::none().cycles(110_000));
    let notes = session.program().expect("it is loaded").symbols.value("notes").expect("a label") as u32;
    let told: Vec<u8> = (notes..notes + 16).map(|at| session.machine().cell(at) as u8).collect();
    let told: String = told.into_iter().take_while(|&byte| byte > 0).map(char::from).collect();
    // The first character comes inside the timer's routine, the other one between two of them; no timer inside a timer.
    assert_eq!(told, "tkTtTltTtT");
    let asks = |name: &str| {
        session.machine().chips().iter().any(|one| one.place.name == name && one.chip.in_service())
    };
    assert!(!asks("timers") && !asks("serial"));
}

#[test]
fn banks_keep_what_they_hold_and_nothing_else_changes() {
    let source = "
        ld b, 16
fill:   ld a, b
        out (10h), a
        ld (4000h), a
        ld (7FFFh), a
        ld (8000h), a
        djnz fill
        ld hl, found
        ld b, 16
look:   ld a, b
        out (10h), a
        ld a, (4000h)
        ld c, a
        ld a, (7FFFh)
        cp c
        jr nz, bad
        ld (hl), a
        inc hl
        djnz look
bad:    halt
found:  ds 16
";
    let mut session = on_curlew(source);
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    let at = session.program().expect("loaded").symbols.value("found").expect("a label") as u32;
    let found: Vec<u64> = (at..at + 16).map(|at| session.machine().cell(at)).collect();
    // There are sixteen: the seventeenth number is the first one again.
    assert_eq!(found, (1..=16).rev().collect::<Vec<u64>>());
    assert_eq!(session.machine().cell(0x8000), 1);
    // Going back, the bank is the one it was.
    session.back(30);
    session.run(Limits::none());
    assert_eq!(session.machine().cell(at + 15), 1);
}

/// The monitor, and what it said since it was last asked.
struct Operator {
    session: Session,
    seen: usize,
}

impl Operator {
    fn new() -> Self {
        let mut operator = Self { session: Session::shipped("curlew").expect("a board"), seen: 0 };
        // What is still on the line.
        operator.says_within(b"", 100_000);
        operator
    }

    /// What comes for something typed, up to the next prompt or until nothing happens for `cycles`.
    fn says_within(&mut self, typed: &[u8], cycles: u64) -> Vec<u8> {
        self.session.happen(Event::Typed(typed.to_vec())).expect("a console");
        self.session.run(Limits::none().cycles(cycles));
        let output = &self.session.machine().output()[self.seen..];
        let said = output.to_vec();
        self.seen += said.len();
        said
    }

    fn says(&mut self, line: &str) -> String {
        let said = self.says_within(format!("{line}\r").as_bytes(), 4_000_000);
        String::from_utf8_lossy(&said).into_owned()
    }
}

#[test]
fn the_monitor_shows_sets_goes_and_stops() {
    let mut operator = Operator::new();
    for (line, expected) in [
        ("put 8000 3e 12 c6 30 47 c9", ""),
        ("memory 8000 8005", "8000  3E 12 C6 30 47 C9        >..0G.\r\n"),
        ("m 8000 7fff", "that is not understood; help lists the words\r\n"),
        ("stop 8002", ""),
        ("stop", "8002 \r\n"),
        (
            "go 8000",
            "\r\nstopped\r\naf=1200 bc=0000 de=0000 hl=0000 ix=0000 iy=0000 sp=DEFE pc=8002 \r\n--------\r\n",
        ),
        ("memory 8002 8002", "8002  C6                       .\r\n"),
        ("set bc 1234", ""),
        ("set qq 1", "that is not understood; help lists the words\r\n"),
        (
            "go",
            "\r\nreturned\r\naf=4200 bc=4234 de=0000 hl=0000 ix=0000 iy=0000 sp=DF00 pc=8002 \r\n--------\r\n",
        ),
        ("out 0 55", ""),
        ("in 1", "00\r\n"),
        ("crc 8000 8005", "6250\r\n"),
        ("5", "that is not understood; help lists the words\r\n"),
        ("sto 1", ""),
        ("forget", ""),
        ("stop", "\r\n"),
        ("", ""),
        ("abd\u{8}\u{8}nk 3", "that is not understood; help lists the words\r\n"),
        ("bax\u{8}nk 3", ""),
    ] {
        let said = operator.says(line);
        let shown = said.rsplit_once('\r').map_or("", |_| said.as_str());
        let answer = shown.split_once("\r\n").map_or("", |(_, answer)| answer);
        assert_eq!(answer.strip_suffix('>'), Some(expected), "{line}: {said:?}");
    }
    assert_eq!(operator.session.machine().lamps_named("lamps"), Some(0x55));
    // Four stops are all.
    for at in ["100", "200", "300", "400"] {
        operator.says(&format!("stop {at}"));
    }
    assert!(operator.says("stop 500").contains("there are four stops already; forget"));
}

#[test]
fn the_monitor_takes_hex_and_tells_what_was_wrong() {
    let mut operator = Operator::new();
    operator.says_within(b"load\r", 200_000);
    let said =
        operator.says_within(b":049000000102030462\n:0290040099AA28\nrubbish :0Z\n:00000001FF\n", 4_000_000);
    let said = String::from_utf8_lossy(&said).into_owned();
    assert!(said.starts_with(":049000000102030462"), "it echoes: {said:?}");
    assert!(said.ends_with("0002 records, 0002 wrong\r\n>"), "{said:?}");
    assert!(operator.says("m 9000 9003").contains("01 02 03 04"));
}

/// CRC-16 as XMODEM has it.
fn crc(bytes: &[u8]) -> u16 {
    bytes.iter().fold(0, |crc, byte| {
        (0..8).fold(
            crc ^ u16::from(*byte) << 8,
            |crc, _| if crc & 0x8000 != 0 { crc << 1 ^ 0x1021 } else { crc << 1 },
        )
    })
}

fn block(number: u8, data: &[u8], by_crc: bool) -> Vec<u8> {
    let head = if data.len() == 1024 { 2 } else { 1 };
    let mut block = vec![head, number, !number];
    block.extend(data);
    match by_crc {
        true => block.extend(crc(data).to_be_bytes()),
        false => block.push(data.iter().fold(0, |sum: u8, byte| sum.wrapping_add(*byte))),
    }
    block
}

/// More than a kilobyte takes at the line's speed, and less than the monitor waits.
const A_BLOCK: u64 = 2_400_000;

#[test]
fn the_monitor_receives_by_xmodem_whatever_happens_on_the_way() {
    let file: Vec<u8> = (0..1024u32).map(|at| (at * 7 + at / 256) as u8).collect();
    for (by_crc, size) in [(true, 128), (true, 1024), (false, 128)] {
        let mut operator = Operator::new();
        operator.says_within(b"receive 8000\r", 300_000);
        // Without an answer it asks for checksums in the end.
        if !by_crc {
            operator.says_within(b"", 70_000_000);
        }
        for (number, data) in file.chunks(size).enumerate() {
            let number = number as u8 + 1;
            let good = block(number, data, by_crc);
            if number == 1 {
                let mut torn = good.clone();
                torn[20] ^= 4;
                // After a damaged block the line has to fall silent.
                let said = operator.says_within(&torn, 3 * A_BLOCK + 4_000_000);
                assert!(said.ends_with(&[0x15]), "{said:?}");
            }
            assert_eq!(operator.says_within(&good, A_BLOCK), [6], "block {number} of {size}");
            // Its answer was lost: it comes again and is not taken twice.
            assert_eq!(operator.says_within(&good, A_BLOCK), [6]);
        }
        let said = operator.says_within(&[4], 8_000_000);
        let said = String::from_utf8_lossy(&said).into_owned();
        assert_eq!(said, "\u{6}\r\n0400 bytes received\r\n>");
        let taken: Vec<u8> = (0x8000..0x8400).map(|at| operator.session.machine().cell(at) as u8).collect();
        assert_eq!(taken, file);
        assert!(operator.says("crc 8000 83FF").contains(&format!("{:04X}", crc(&file))));
    }
    // Cancelled half-way, a block from elsewhere, and nobody at all.
    let mut operator = Operator::new();
    operator.says_within(b"receive 8000\r", 300_000);
    operator.says_within(&block(1, &file[..128], true), A_BLOCK);
    let said = operator.says_within(&[0x18, 0x18], A_BLOCK);
    assert!(String::from_utf8_lossy(&said).contains("the sender has cancelled"), "{said:?}");
    operator.says_within(b"receive 8000\r", 300_000);
    let said = operator.says_within(&block(7, &file[..128], true), A_BLOCK);
    assert!(String::from_utf8_lossy(&said).contains("nothing was received"), "{said:?}");
    operator.says_within(b"receive 8000\r", 300_000);
    let said = operator.says_within(b"", 160_000_000);
    assert!(String::from_utf8_lossy(&said).contains("nothing was received"), "{said:?}");
}

/// A program for the disk system, ready to run.
fn transient(board: &str, program: Program, words: &[&str], volume: Volume) -> Result<Session, OpenError> {
    let found = find_board(board, None, &mut Texts::default()).expect("a board");
    let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
    let words: Vec<String> = words.iter().map(|word| (*word).to_string()).collect();
    session.start_transient(&found, &mut Texts::default(), program, &words, volume)?;
    Ok(session)
}

fn volume(files: &[(&str, &[u8])], writable: bool) -> Volume {
    let mut volume = Volume::new(4096, writable);
    for (name, bytes) in files {
        volume.add(name, bytes.to_vec()).expect("it has room");
    }
    volume
}

/// Runs calls one after the other: their numbers and values; what A was after each.
fn calls(calls: &[(u8, u16)], blocks: &str, volume: Volume) -> (Vec<u8>, Stop, Session) {
    let mut source = String::new();
    for (at, (number, value)) in calls.iter().enumerate() {
        source += &format!(" ld c, {number}\n ld de, {value}\n call 5\n ld (results + {at}), a\n");
    }
    source += " ret\n org 2000h\nresults: ds 256\n";
    source += blocks;
    let mut session =
        transient("curlew", Program::from_assembly(&assembled(&source)), &[], volume).expect("it starts");
    let stop = session.run(Limits::none().cycles(50_000_000));
    let results = (0..calls.len() as u32).map(|at| session.machine().cell(0x2000 + at) as u8).collect();
    (results, stop, session)
}

/// Control blocks from 3000h on, 40h apart.
fn blocks(names: &[&str]) -> String {
    let mut source = String::new();
    for (at, name) in names.iter().enumerate() {
        let (first, second) = name.split_once('>').unwrap_or((name, ""));
        source += &format!(
            " org {}\n db 0, \"{first:11}\", 0, 0, 0, 0, 0, \"{second:11}\"\n ds 12, 0\n",
            0x3000 + 0x40 * at
        );
    }
    source
}

const B: [u16; 5] = [0x3000, 0x3040, 0x3080, 0x30C0, 0x3100];

#[test]
fn files_are_made_written_read_renamed_found_and_deleted() {
    let names =
        blocks(&["TIDES   TXT", "LOG     TXT", "LOG     TXT>OIL     TXT", "????????TXT", "OIL     TXT"]);
    let begin = [
        (13, 0),
        (15, B[1]), // not there
        (22, B[1]),
        (26, 0x4000),
        (15, B[0]),
        (20, B[0]), // 4000h gets a record
        (20, B[0]), // the end
        (21, B[1]),
        (21, B[1]),
        (16, B[1]),
        (23, B[2]), // LOG becomes OIL
        (17, B[3]),
        (18, 0),
        (18, 0), // no third one
        (35, B[4]),
    ];
    let (results, stop, session) = calls(&begin, &names, volume(&[("tides.txt", b"high water")], true));
    assert_eq!((results, stop), (vec![0, 255, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 255, 0], Stop::Ended));
    let machine = session.machine();
    let entry: Vec<u8> = (0x4000..0x4010).map(|at| machine.cell(at) as u8).collect();
    assert_eq!(entry, *b"\0TIDES   TXT\0\0\0\x01", "the search's last entry");
    assert_eq!(machine.cell(B[4] as u32 + 33), 2, "two records");
    let disk = machine.disk().expect("a disk");
    assert_eq!(disk.names().map(|name| name.to_string()).collect::<Vec<_>>(), ["OIL.TXT", "TIDES.TXT"]);
    let oil = disk.bytes(FileName::of_host("oil.txt").expect("a name")).expect("a file");
    assert_eq!((oil.len(), &oil[..11], oil[127]), (256, &b"high water\x1A"[..], 0x1A));
    let changes = disk.changes();
    assert!(
        matches!(&changes[..], [FileChange::Write(name, bytes)] if name == "oil.txt" && bytes.len() == 256)
    );
    // What came from outside and is renamed or deleted is gone there.
    let gone = [(23, B[2]), (19, B[0])];
    let files: [(&str, &[u8]); 2] = [("Log.txt", b"calm"), ("tides.txt", b"")];
    let (_, _, session) = calls(&gone, &names, volume(&files, true));
    let changes = session.machine().disk().expect("a disk").changes();
    let told: Vec<String> = changes
        .iter()
        .map(|change| match change {
            FileChange::Write(name, bytes) => format!("{name} {}", bytes.len()),
            FileChange::Unfinished(name, bytes) => format!("{name} {}…", bytes.len()),
            FileChange::Remove(name) => format!("- {name}"),
        })
        .collect();
    assert_eq!(told, ["oil.txt 4", "- Log.txt", "- tides.txt"]);
}

#[test]
fn what_is_wrong_with_a_disk_or_a_block_is_answered_and_never_leads_out_of_it() {
    let wrong = blocks(&["../SECRETXT", "A/B     TXT", "        TXT", "TWO  WORTXT", "FILE:   ?/?"]);
    let each: Vec<(u8, u16)> =
        B.iter().flat_map(|&at| [15, 22, 19, 23, 20, 21, 33, 35].map(|call| (call, at))).collect();
    let (results, stop, session) = calls(&each, &wrong, volume(&[("a.txt", b"x")], true));
    assert!(results.iter().all(|&result| result == 255), "{results:?}");
    assert_eq!((stop, session.machine().disk().expect("a disk").changes()), (Stop::Ended, vec![]));
    // A block that reaches round the end of memory.
    let (results, stop, _) =
        calls(&[(15, 0xFFF8), (20, 0xFFFF), (35, 0xFFFF)], "", volume(&[("a", b"")], true));
    assert_eq!((results, stop), (vec![255, 255, 255], Stop::Ended));
    // Full, at a record far after the end, and beyond what there is.
    let names = blocks(&["A          ", "A          ", "A          "]);
    let random = |at: usize, record: u32| {
        let bytes = record.to_le_bytes();
        format!(" org {}\n db {}, {}, {}\n", B[at] + 33, bytes[0], bytes[1], bytes[2])
    };
    let source = format!("{names}{}{}{}", random(0, 40), random(1, 31), random(2, 0x1_0000));
    let source = source.replace(" ds 12, 0\n", "");
    let (results, stop, session) =
        calls(&[(22, B[0]), (34, B[0]), (34, B[1]), (33, B[2]), (35, B[1])], &source, volume(&[], true));
    assert_eq!((results, stop), (vec![0, 2, 0, 6, 0], Stop::Ended));
    assert_eq!(session.machine().cell(u32::from(B[1]) + 33), 32);
}

#[test]
fn a_call_that_cannot_be_done_ends_the_run_and_says_which() {
    let file = blocks(&["A          "]);
    for (number, writable, expected) in [
        (27, true, Some(WhyNot::NotCovered)),
        (31, true, Some(WhyNot::NotCovered)),
        (5, true, Some(WhyNot::NotCovered)),
        (99, true, Some(WhyNot::NotCovered)),
        (19, false, Some(WhyNot::ReadOnly)),
        (22, false, Some(WhyNot::ReadOnly)),
        (15, false, None),
        (24, false, None),
    ] {
        let (_, stop, session) = calls(&[(number, B[0])], &file, volume(&[("a", b"1")], writable));
        match expected {
            Some(why) => {
                assert_eq!(stop, Stop::Service(fault(number, why)));
                let name = CALLS.iter().find(|row| row.0 == number).map_or("unknown", |row| row.1);
                let words = stop.words(session.processor());
                assert!(words.contains(&format!("call {number} ({name})")), "{words}");
            }
            None => assert_eq!(stop, Stop::Ended),
        }
    }
    // Past the calls, by the table of jumps.
    let program = assembled(" ld hl, (1)\n ld l, 15\n jp (hl)\n");
    let mut session =
        transient("curlew", Program::from_assembly(&program), &[], volume(&[], true)).expect("it starts");
    assert_eq!(session.run(Limits::none()), Stop::Service(fault(0, WhyNot::Direct)));
    // Programs that are none for it.
    let told = |source: &str| match transient(
        "curlew",
        Program::from_assembly(&assembled(source)),
        &[],
        volume(&[], false),
    ) {
        Err(error) => error.to_string(),
        Ok(_) => panic!("it starts"),
    };
    assert_eq!(told(" org 200h\n nop\n"), "a program for the disk system begins at 0100h, this one at 0200h");
    let long = told(" ds 0DB01h, 0\n");
    assert_eq!(long, "the program has 56065 bytes, and the transient area of the board curlew has 56064");
}

#[test]
fn console_calls_do_what_programs_expect_of_them() {
    let source = "
        ld de, ask
        ld c, 9
        call 5
        ld de, buffer
        ld c, 10
        call 5
        ld c, 11                ; one more character is there
        call 5
        ld (ready), a
        ld c, 1
        call 5
        ld (got), a
        ld e, 0FFh
        ld c, 6
        call 5
        ld (none), a
        ld c, 12
        call 5
        ld (kind), hl
        ret
ask:    db 'a', 9, \"name? $\"
buffer: db 5, 0
read_in: ds 8
ready:  ds 1
got:    ds 1
none:   ds 1
kind:   ds 2
";
    for board in ["curlew", "gannet"] {
        let program = Program::from_assembly(&assembled(source));
        let mut session = transient(board, program, &[], volume(&[], false)).expect("it starts");
        session.happen(Event::Typed(b"roc\x08ck\r\t".to_vec())).expect("a console");
        let stop = session.run(Limits::none().cycles(100_000_000));
        let at =
            |name: &str| session.program().and_then(|one| one.symbols.value(name)).expect("a label") as u32;
        let cells = |name: &str, count: u32| -> Vec<u64> {
            (at(name)..at(name) + count).map(|at| session.machine().cell(at)).collect()
        };
        assert_eq!(stop, Stop::Ended, "{board}");
        assert_eq!(
            cells("buffer", 6)[1..],
            [4, u64::from(b'r'), u64::from(b'o'), u64::from(b'c'), u64::from(b'k')]
        );
        assert_eq!((cells("ready", 3), cells("kind", 2)), (vec![0xFF, 9, 0], vec![0x22, 0]), "{board}");
        let output = String::from_utf8_lossy(session.machine().output()).into_owned();
        assert_eq!(output, "a       name? roc\u{8} \u{8}ck\r        ", "{board}");
    }
}

#[test]
fn the_command_line_is_where_programs_look_for_it() {
    let program = Program::from_assembly(&assembled(" ret\n"));
    let session =
        transient("curlew", program, &["b:*.txt", "lamp?.c"], volume(&[], false)).expect("it starts");
    let bytes = |at: u32, count: u32| -> Vec<u8> {
        (at..at + count).map(|at| session.machine().cell(at) as u8).collect()
    };
    assert_eq!(bytes(0x5C, 12), *b"\x02????????TXT");
    assert_eq!(bytes(0x6C, 12), *b"\x00LAMP?   C  ");
    assert_eq!(bytes(0x80, 18), *b"\x10 B:*.TXT LAMP?.C\x00");
    assert_eq!(session.get("PC"), Some(0x100));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Sequential writing and reading, record by record and at random, against a plain row of bytes.
    #[test]
    fn records_come_back_as_they_were_written(order in proptest::collection::vec(0usize..20, 1..20)) {
        let mut source = String::from(" ld c, 22\n ld de, block\n call 5\n");
        let mut expected: Vec<[u8; 128]> = Vec::new();
        for (value, &record) in order.iter().enumerate() {
            source += &format!(" ld a, {value}\n ld b, {record}\n call put\n");
            if expected.len() <= record {
                expected.resize(record + 1, [0; 128]);
            }
            expected[record] = [value as u8 + 1; 128];
        }
        source += "
        xor a                   ; all of it, one after the other
        ld (block + 12), a
        ld (block + 32), a
        ld hl, 4000h
read:   push hl
        ex de, hl
        ld c, 26
        call 5
        ld de, block
        ld c, 20
        call 5
        pop hl
        ld de, 128
        add hl, de
        or a
        jr z, read
        ret
put:    inc a
        ld hl, 80h
.fill:  ld (hl), a
        inc l
        jr nz, .fill
        ld a, b
        ld (block + 33), a
        xor a
        ld (block + 34), a
        ld (block + 35), a
        ld de, block
        ld c, 34
        jp 5
block:  db 0, \"LOG        \"
        ds 24, 0
";
        let program = Program::from_assembly(&assembled(&source));
        let mut session = transient("curlew", program, &[], volume(&[], true)).expect("it starts");
        prop_assert_eq!(session.run(Limits::none()), Stop::Ended);
        let all: Vec<u8> = expected.concat();
        let read: Vec<u8> = (0..all.len() as u32).map(|at| session.machine().cell(0x4000 + at) as u8).collect();
        prop_assert_eq!(&read, &all);
        let name = FileName::of_host("log").expect("a name");
        prop_assert_eq!(session.machine().disk().expect("a disk").bytes(name), Some(&all[..]));
    }

    #[test]
    fn names_go_out_and_come_back(name in "[A-Z0-9$#-]{1,8}(\\.[A-Z0-9]{1,3})?", other in ".{0,14}") {
        let known = FileName::of_host(&name).expect("a good name");
        prop_assert_eq!(known.to_string(), name.clone());
        prop_assert_eq!(FileName::of_host(&known.host_name()), Some(known));
        prop_assert_eq!(FileName::of_block(known.bytes()), Some(known));
        if let Some(known) = FileName::of_host(&other) {
            let host = known.host_name();
            prop_assert!(!host.contains(['/', '\\', ':', '*', '?']) && !host.starts_with('.'), "{}", host);
        }
    }
}
