//! Panels without operator's switches: lights for registers and ports, and switches that a program reads.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::services::Volume;
use plain_byte::panel::{Action, NoEffect, NoFiles, Panel, Script, View};
use plain_byte::session::{Limits, Program, Session, board_names, find_board};
use plain_byte::workspace::starter;

/// Counts in B, copies the switches to the lamps, and keeps the rest as it is.
const COPIES: &str = "
        ld hl, MARK
        ld de, 0
        ld a, 5Ah
        sub 5Bh                 ; S, H, N and C
copy:   in a, (SWITCHES)
        out (LAMPS), a
        inc e
        dec e
        inc c
        jr copy
";

fn panel(board: &str, constants: &str) -> Panel {
    let mut session = Session::shipped(board).expect("a board");
    let options = Options::default().set(session.processor()).origin(0x100);
    let source = format!("{constants}{COPIES}");
    let assembly = assemble("test.asm", &mut Texts::one("test.asm", source.as_str()), &options);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    session.load_assembly(&assembly).expect("it fits");
    Panel::new(session)
}

fn curlew() -> Panel {
    panel("curlew", "SWITCHES equ 1\nLAMPS equ 0\nMARK equ 1234h\n")
}

fn row<'v>(view: &'v View, name: &str) -> &'v plain_byte::panel::Row {
    view.rows.iter().find(|row| row.name == name).unwrap_or_else(|| panic!("no row {name}"))
}

#[test]
fn registers_glow_while_they_change_and_are_read_where_they_do_not() {
    let mut panel = curlew();
    panel.look();
    let mut share = [0.0; 16];
    for _ in 0..20 {
        let view = panel.look();
        assert!(!view.still);
        assert_eq!((row(&view, "HL").value, row(&view, "SP").lights.len()), (Some(0x1234), 16));
        assert_eq!(row(&view, "HL").digits().as_deref(), Some("1234"));
        assert_eq!((row(&view, "C").lights.len(), row(&view, "lamps").value), (1, Some(0)));
        assert_eq!((row(&view, "PC").value, row(&view, "BC").value), (None, None));
        row(&view, "BC").lights.iter().zip(&mut share).for_each(|(light, sum)| *sum += light / 20.0);
    }
    // C counts, B does not: each bit of C is lit half of the time.
    assert_eq!(share[..8], [0.0; 8]);
    assert!(share[8..].iter().all(|share| (0.4..0.6).contains(share)), "{share:?}");
}

#[test]
fn lights_of_a_machine_that_stands_still_are_its_registers() {
    for (mut panel, registers) in [
        (curlew(), ["PC", "SP", "HL", "IX", "DE", "IY", "BC", "A", "IFF1"].as_slice()),
        (
            panel("dunlin", "SWITCHES equ 11h\nLAMPS equ 10h\nMARK equ 123456h\n        mode adl\n"),
            &["PC", "SP", "HL", "IX", "DE", "IY", "BC", "A", "MB", "IFF1", "ADL"],
        ),
    ] {
        let mut view = panel.look();
        for _ in 0..40 {
            panel.session_mut().step();
            panel.hold(&mut view);
            assert!(view.still);
            let flags = panel.session().get("F").expect("a register");
            let machine = panel.session().machine();
            for name in registers {
                assert_eq!(row(&view, name).value, panel.session().get(name), "{name}");
            }
            for flag in machine.set().flags() {
                let lit = f32::from(u8::from(flags & flag.mask != 0));
                assert_eq!(row(&view, flag.name).lights, [lit], "{}", flag.name);
            }
        }
    }
}

/// A look is a moment: what was lit long before it is not seen any more.
#[test]
fn a_look_does_not_see_what_was_lit_before_it() {
    let mut panel = curlew();
    panel.session_mut().set("HL", 0xFFFF).expect("a register");
    panel.session_mut().set("PC", 0x109).expect("a register");
    panel.pass(3_000_000);
    panel.session_mut().set("HL", 0).expect("a register");
    assert_eq!(row(&panel.look(), "HL").lights, [0.0; 16]);
}

/// A view follows the one before it; what stands still does not fade.
#[test]
fn what_goes_out_fades_and_what_stands_still_is_sharp() {
    let mut panel = curlew();
    let lit = panel.look();
    panel.session_mut().set("HL", 0).expect("a register");
    let mut fading = panel.look().behind(&lit);
    let one = row(&fading, "HL").lights.iter().copied().fold(0.0, f32::max);
    assert!((0.5..1.0).contains(&one), "{one}");
    panel.hold(&mut fading);
    let held = fading.clone().behind(&lit);
    assert_eq!(row(&held, "HL").lights, [0.0; 16]);
}

/// On every board, whatever was done before, the program starts the same: as a plain run of it does.
#[test]
fn a_program_starts_the_same_on_every_board_and_starts_again() {
    for name in board_names().into_iter().filter(|name| *name != "bare") {
        let found = find_board(name, None, &mut Texts::default()).expect("a board");
        let files = starter("fog", name, &found.board, found.board.set, None);
        let mut texts = Texts::one("fog.asm", files[1].1.as_str());
        let assembly = assemble(
            "fog.asm",
            &mut texts,
            &Options::default().set(found.board.set).names(found.board.symbols()),
        );
        let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
        match plain_byte::session::is_program_file(&assembly.image) && found.board.disk.is_some() {
            true => {
                let program = Program::from_assembly(&assembly);
                let volume = Volume::new(Volume::CAPACITY, false);
                session
                    .start_transient(&found, &mut Texts::default(), program, &[], volume)
                    .expect("it starts");
            }
            false => session.load_assembly(&assembly).expect("it fits"),
        }
        let mut plain = session.clone();
        let mut panel = Panel::new(session);
        assert_eq!(panel.program_start(), Some(plain.machine().place()), "{name}");
        plain.run(Limits::none().cycles(200_000));
        let marks = [3, 0, 70_000].map(|before| {
            // Somebody has looked around, and pressed what there is.
            panel.pass(before);
            if before > 3 {
                panel.keys().iter().for_each(|key| _ = panel.tap(key));
            }
            panel.start_program().expect("a program");
            assert!(panel.is_running(), "{name}");
            panel.session_mut().run(Limits::none().cycles(200_000));
            panel.session().machine().mark()
        });
        assert!(marks.iter().all(|mark| *mark == plain.machine().mark()), "{name}");
    }
    let mut empty = Panel::new(Session::shipped("tern").expect("a board"));
    assert_eq!((empty.program_start(), empty.start_program()), (None, Err(NoEffect::NoProgram)));
    assert!(worked(&mut empty, "start program").contains("there is no program to start"));
}

fn worked(panel: &mut Panel, script: &str) -> String {
    let script = match Script::parse(script) {
        Ok(script) => script,
        Err(wrong) => return format!("{}: {}", wrong[0].message, wrong[0].help),
    };
    match script.run(panel, &mut NoFiles) {
        Ok(ran) => format!("{}{} wrong\n", ran.text, ran.failed),
        Err(wrong) => format!("{}: {}\n", wrong.message, wrong.help),
    }
}

#[test]
fn scripts_set_a_boards_own_switches_and_look_at_its_lights() {
    let mut told = String::new();
    for (board, script) in [
        (
            "curlew",
            "switches A5\nsee lamps A5\nsee A A5\nsee HL 1234\nsee C lit\nsee Z dark\nsee HL 1235\nsee S dark",
        ),
        ("curlew", "switches switches 0F\nsee lamps 0F\nshow"),
        ("curlew", "see Q lit"),
        ("curlew", "see AF 0000"),
        ("curlew", "switches 100"),
        ("curlew", "switches lamps 1"),
        ("curlew", "switches 1G"),
        ("curlew", "examine"),
        ("plover", "switches 3\nsee lamps 00"),
        ("tern", "switches 3"),
        ("gannet", "switches 1234\nswitches program switches 0F\nsee program lights 00"),
    ] {
        let mut panel = match board {
            "curlew" => curlew(),
            other => Panel::new(Session::shipped(other).expect("a board")),
        };
        told += &format!("{board}\n{}\n", worked(&mut panel, script));
    }
    insta::assert_snapshot!(told);
}

/// A row of lights can be the pins of a port, and `examine` of a panel whose addresses are apart leaves where the program goes on.
#[test]
fn lights_are_pins_and_looking_leaves_the_program_where_it_is() {
    let puffin = plain_byte::boards::find("puffin").expect("shipped").description;
    let at = puffin.find("# 32K in the socket").expect("the head ends there");
    let row = "lights = [{ name = \"port B\", shows = \"via.PB\" }]\n\n";
    let text = format!("{}{row}{}", &puffin[..at], &puffin[at..]);
    let mut texts = Texts::one("mine.toml", text.as_str());
    let found = find_board("mine.toml", None, &mut texts).expect("a board");
    // By its name alone it is found, too.
    assert_eq!(find_board("mine", None, &mut texts).expect("beside").board.lights, found.board.lights);
    let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
    let source = " cpu 65c02\n org $8000\nstart: lda #$FF\n sta $7F02\n lda #$A5\n sta $7F00\nx1: jmp x1\n org $FFFA\n dw start, start, start\n";
    let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
    session.load_assembly(&assembly).expect("it fits");
    session.run(Limits::none().cycles(200));
    let mut panel = Panel::new(session);
    let view = panel.look();
    let row = view.rows.iter().find(|row| row.name == "port B").expect("a row");
    let lit: String = row.lights.iter().map(|&bright| if bright > 0.5 { '1' } else { '0' }).collect();
    assert_eq!(lit, "10100101");
    // On osprey a cell is looked at by the switches alone.
    let mut osprey = Panel::new(Session::shipped("osprey").expect("a board"));
    osprey.set_switches(0o100);
    osprey.act(Action::Load).expect("it loads");
    osprey.set_switches(0o200);
    osprey.act(Action::Examine).expect("it looks");
    assert_eq!((osprey.shown_address(), osprey.session().machine().place()), (0o200, 0o100));
}
