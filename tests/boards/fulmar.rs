//! The home computer, worked through its keyboard and its screen alone, and the programs that run on it.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::image::{Settings, data_lines};
use plain_byte::panel::{NoFiles, Panel, Script};
use plain_byte::processor::{decode, mos6502};
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session, Stop};

fn panel() -> Panel {
    Panel::new(Session::shipped("fulmar").expect("it opens"))
}

/// Runs a script and tells what was seen otherwise.
fn run(panel: &mut Panel, text: &str) {
    let script = Script::parse(text).expect("a script");
    let ran = script.run(panel, &mut NoFiles).expect("it can be carried out");
    assert_eq!(ran.failed, 0, "{}", ran.text);
}

fn typed(panel: &mut Panel, text: &str) {
    run(panel, &format!("type {text:?}"));
    panel.pass(200_000);
}

fn screen(panel: &Panel) -> Vec<String> {
    panel.session().machine().screen().expect("a screen").lines()
}

#[test]
fn the_scripts_of_the_demo_see_what_they_say() {
    run(&mut panel(), include_str!("../../demo/keeper.panel"));
    run(&mut panel(), include_str!("../../demo/border.panel"));
}

/// Every character that a key makes comes to the screen as itself, and a character that none makes is refused.
#[test]
fn the_keyboard_makes_every_character() {
    let mut panel = panel();
    let all: String = (b' '..=b'~').map(char::from).collect();
    for part in [&all[..60], &all[60..]] {
        run(&mut panel, "press CLEAR");
        typed(&mut panel, part);
        let seen: String = screen(&panel).concat();
        assert!(seen.contains(part), "{part}: {seen}");
        typed(&mut panel, "\r");
    }
    let script = Script::parse("type \"é\"").expect("a script");
    let error = script.run(&mut panel, &mut NoFiles).expect_err("no key makes it");
    assert_eq!(error.message, "the keyboard of the board fulmar has no key that makes 'é'");
}

/// What `list` says of each opcode is what the table says, in the same words.
#[test]
fn the_firmware_lists_every_instruction_as_the_table_has_it() {
    let set = &mos6502::MOS6502;
    let mut panel = panel();
    for opcode in 0..=255u64 {
        let cells = [opcode, 0x42, 0x13];
        panel.session_mut().put(0x1000, &cells).expect("RAM");
        run(&mut panel, "press CLEAR");
        typed(&mut panel, "list $1000\r");
        let decoded = decode(set, &cells, 0x1000).expect("enough cells");
        let (wanted, count) = match &decoded {
            Some(one) => (one.text(set, &|_| None), one.cells()),
            None => (format!("db ${opcode:02X}"), 1),
        };
        let bytes: Vec<String> = cells[..count].iter().map(|cell| format!("{cell:02X}")).collect();
        let line = format!("1000 {:9}{wanted}", bytes.join(" "));
        let seen = screen(&panel);
        assert!(seen.contains(&line), "wanted {line:?}, seen {seen:#?}");
    }
}

/// The lines that `build` writes for typing in, typed in, are the program in memory.
#[test]
fn data_lines_are_loaded_as_they_were_written() {
    let source = "        cpu 6502\n        org $1234\n        copies 90, n\n        db n * 37 & $FF\n        endcopies\n        \
                  org $2000\n        dw $FFFF, 1\n";
    let assembly = assemble("t", &mut Texts::one("t", source), &Options::default());
    let lines = data_lines::write(&assembly.image, &Settings::default()).expect("it can be written");
    let mut panel = panel();
    for line in String::from_utf8(lines).expect("text").lines() {
        typed(&mut panel, &format!("{line}\r"));
    }
    let sum: u64 = assembly.image.segments().iter().flat_map(|one| one.cells.clone()).sum();
    assert!(screen(&panel).contains(&format!("all there, the sum is {sum}")), "{:#?}", screen(&panel));
    for segment in assembly.image.segments() {
        for (at, &cell) in segment.cells.iter().enumerate() {
            assert_eq!(panel.session().cell(segment.start + at as u32), cell);
        }
    }
}

/// Every routine of the jump table, called as a program would.
#[test]
fn programs_call_the_firmware_through_its_table() {
    let source = "
        cpu 6502
        org $1000
        lda #$1C
        jsr $E00C       ; colour
        jsr $E009       ; clear
        lda #5
        jsr $E00F       ; border
        lda #low text_
        ldx #high text_
        jsr $E01B       ; write
        ldx #30
        ldy #10
        jsr $E01E       ; place
        lda #250
        jsr $E012       ; number
        lda #13
        jsr $E000       ; print
        lda #low 40000
        ldx #high 40000
        jsr $E015       ; word
        lda #$A7
        jsr $E018       ; hex
        jsr $E006       ; look: nobody pressed a key
        php
        jsr $E003       ; key
        sta $20
        pla
        and #2
        sta $21
        jsr $E021       ; line
        sta $22
        jmp $E024       ; monitor
text_:  text zero, \"oil low\", 13, \"wind SW\"
";
    let assembly = assemble("t", &mut Texts::one("t", source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut session = Session::shipped("fulmar").expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    let typed = plain_byte::machine::Event::Typed(b"kfog horn\x08\x08e\r".to_vec());
    session.happen_at(500_000, typed).expect("a keyboard");
    let stop = session.run(Limits::none().back().cycles(5_000_000));
    assert_eq!(stop, Stop::ToFirmware);
    let picture = session.machine().screen().expect("a screen");
    let lines = picture.lines();
    assert_eq!((lines[0].as_str(), lines[1].as_str()), ("oil low", "wind SW"));
    assert_eq!((lines[10].trim(), lines[11].as_str()), ("250", "40000A7fog hoe"));
    assert_eq!(lines[10].len(), 33, "it stands in column 30");
    assert_eq!((session.cell(0x20), session.cell(0x21), session.cell(0x22)), (b'k'.into(), 2, 7));
    let text: Vec<u64> = (0x210..0x218).map(|at| session.cell(at)).collect();
    assert_eq!(text, b"fog hoe\0".iter().map(|&one| one.into()).collect::<Vec<u64>>());
    assert_eq!((picture.border[128], picture.glyphs[0].ink, picture.glyphs[0].ground), (5, 12, 1));
}

/// STOP ends what lets the picture's interrupt through, BREAK ends anything, and BRK tells where it stands.
#[test]
fn a_program_that_never_ends_is_stopped() {
    let mut panel = panel();
    let put = |panel: &mut Panel, cells: &[u64]| panel.session_mut().put(0x1000, cells).expect("RAM");
    put(&mut panel, &[0xA9, 7, 0x4C, 0, 0x10]);
    typed(&mut panel, "go $1000\r");
    run(&mut panel, "press STOP\nwait 100ms\nsee screen \"stopped at $100\"\nsee screen \"a $07 7 x\"");
    put(&mut panel, &[0x78, 0xA9, 9, 0x4C, 1, 0x10]);
    typed(&mut panel, "clear\rgo $1000\r");
    run(&mut panel, "press STOP\nwait 100ms");
    assert_eq!(
        screen(&panel).iter().filter(|line| line.starts_with("stopped")).count(),
        0,
        "SEI keeps it away"
    );
    run(&mut panel, "press BREAK\nwait 100ms\nsee screen \"stopped at $100\"\nsee screen \"a $09 9 x\"");
    put(&mut panel, &[0xEA, 0x00]);
    typed(&mut panel, "clear\rgo $1000\r");
    run(&mut panel, "see screen \"break at $1001\"");
    // In the firmware itself: a program that prints for ever, and one that waits for a key.
    put(&mut panel, &[0x20, 0, 0xE0, 0x4C, 0, 0x10]);
    typed(&mut panel, "clear\rgo $1000\r");
    run(
        &mut panel,
        "press STOP\nwait 100ms\ntype \"clear\\r\"\nwait 100ms\ntype \"value 7\\r\"\nwait 100ms\nsee screen \"$07  7\"",
    );
    put(&mut panel, &[0x20, 3, 0xE0]);
    typed(&mut panel, "go $1000\r");
    run(&mut panel, "press STOP\nwait 100ms\ntype \"value 8\\r\"\nwait 100ms\nsee screen \"$08  8\"");
}

/// A key that stays down comes again after half a second; one that is down for less than a picture may be missed, never doubled.
#[test]
fn keys_repeat_while_they_are_held() {
    let mut panel = panel();
    run(&mut panel, "hold A\nwait 400ms\nrelease A\nwait 100ms");
    assert_eq!(screen(&panel)[3], "● a");
    run(&mut panel, "hold SHIFT\nhold B\nwait 900ms\nrelease B\nrelease SHIFT\nwait 100ms");
    let line = screen(&panel)[3].clone();
    assert!((4..9).contains(&line.matches('B').count()), "{line}");
    for milliseconds in [1, 5, 12] {
        run(&mut panel, &format!("hold C\nwait {milliseconds}ms\nrelease C\nwait 100ms"));
    }
    assert!(screen(&panel)[3].matches('c').count() <= 3);
}

/// Lines that run into each other at the screen's end move up with their colours.
#[test]
fn the_screen_scrolls_with_its_colours() {
    let mut panel = panel();
    typed(&mut panel, "colour 5 1\r");
    for _ in 0..12 {
        typed(&mut panel, "value 1\r");
    }
    let picture = panel.session().machine().screen().expect("a screen");
    let lines = picture.lines();
    let first = lines.iter().position(|line| line.starts_with("● value")).expect("it is there");
    assert!(lines[23].starts_with('●') && first < 2, "{lines:#?}");
    let inks: Vec<u8> = picture.glyphs.chunks(40).map(|line| line[0].ink).collect();
    assert!(inks[first + 1..].iter().all(|&ink| ink == 5), "{inks:?}");
}

#[test]
fn what_the_monitor_does_not_take_it_says() {
    for (line, answer) in [
        ("put", ""),
        ("put $1000 1 2x", "a number is wanted there"),
        ("put fog", "a number is wanted there"),
        ("go $10000", "that number is too large"),
        ("value 99999999999", "that number is too large"),
        ("value %2", "a number is wanted there"),
        ("border 300", "a cell takes 0 to 255"),
        ("listing", "no such word; help shows them"),
        ("10 print", "no data; the loader begins anew"),
        ("20 data 40960,1,7", "no memory takes it at $A000"),
    ] {
        let mut panel = panel();
        typed(&mut panel, &format!("{line}\r"));
        let lines = screen(&panel);
        assert_eq!(
            (lines[3].as_str(), lines[4].as_str()),
            (format!("● {line}").as_str(), if answer.is_empty() { "●" } else { answer })
        );
        // It goes on all the same.
        typed(&mut panel, "value 65\r");
        assert!(screen(&panel).iter().any(|line| line == "$41  65  %01000001  A"));
    }
}

/// Memory, screen and what was typed come back with a snapshot; the same keys at the same cycles give the same picture.
#[test]
fn a_run_is_the_same_again() {
    let once = || {
        let mut panel = panel();
        typed(&mut panel, "show $E000\rborder 9\r");
        (panel.session().machine().cycles(), panel.session().machine().screen())
    };
    assert_eq!(once(), once());
}

#[test]
fn the_demo_program_passes_its_cases() {
    let cases = Cases::parse(include_str!("../../demo/passages.cases.toml")).expect("cases");
    let source = include_str!("../../demo/passages.asm");
    let assembly = assemble("passages.asm", &mut Texts::one("passages.asm", source), &Options::default());
    let mut session = Session::shipped("fulmar").expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    let outcomes = cases.run(&session).expect("they can be run");
    assert!(outcomes.iter().all(|outcome| outcome.passed), "{outcomes:?}");
}
