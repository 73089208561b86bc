//! The 36-bit machine: devices, interrupts, traps; its panel, its tapes, its notation and what the general commands make of it.

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::boards;
use plain_byte::diagnostic::Problem;
use plain_byte::image::{FORMATS, Image, Settings};
use plain_byte::machine::{Board, Event, Machine, Stopped, Watching};
use plain_byte::panel::{Action, Files, NoFiles, Panel, Script};
use plain_byte::processor::pdp10::PDP10;
use plain_byte::report::{Follow, Grouping, card, disassemble, disassembly_source, source_lines};
use plain_byte::session::Session;
use proptest::prelude::*;

fn built(source: &str) -> Assembly {
    assemble("test", &mut Texts::one("test", source), &Options::default().set(&PDP10))
}

fn cells(source: &str) -> Vec<u64> {
    let assembly = built(source);
    assert!(assembly.succeeded(), "{source}: {:?}", assembly.diagnostics);
    assembly.image.segments().iter().flat_map(|segment| segment.cells.clone()).collect()
}

/// A program in the machine, at its beginning.
fn osprey(source: &str) -> Machine {
    let description = boards::find("osprey").expect("a board").description;
    let assembly = built(source);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut machine = Machine::new(&Board::parse(description).expect("it is right")).expect("a machine");
    machine.load(&assembly.image).expect("it fits");
    machine.set_register(
        PDP10.register("PC").expect("it has one"),
        assembly.image.start().expect("code").into(),
    );
    machine
}

#[test]
fn addresses_are_written_as_the_manual_writes_them() {
    let cases: &[(&str, &[u64])] = &[
        ("move 1, 1000", &[0o200040_001000]),
        ("MOVE 1,@1000(2)", &[0o200062_001000]),
        ("movem 17, (3)", &[0o202743_000000]),
        ("movei 1, -1", &[0o201040_777777]),
        ("move 5, -1(2)", &[0o200242_777777]),
        ("aos 200", &[0o350000_000200]),
        ("aos 1, 200", &[0o350040_000200]),
        ("skipe @17", &[0o332020_000017]),
        ("skipn (4)", &[0o336004_000000]),
        ("setzm 200", &[0o402000_000200]),
        ("jrst 100", &[0o254000_000100]),
        ("jrstf @5", &[0o254120_000005]),
        ("halt", &[0o254200_000000]),
        ("jen @40", &[0o254520_000040]),
        ("jov 100", &[0o255400_000100]),
        ("jfcl 17, 100", &[0o255740_000100]),
        ("popj 17,", &[0o263740_000000]),
        ("pushj 17, 100", &[0o260740_000100]),
        ("cono tty, 200", &[0o712200_000200]),
        ("CONSO 120,10", &[0o712340_000010]),
        ("datao pi, 5", &[0o700540_000005]),
        ("blki 774, 5", &[0o777400_000005]),
        ("uuo 37, 2, 100", &[0o037100_000100]),
        ("xct 1", &[0o256000_000001]),
        ("move later, @table(later)\nlater equ 3\ntable equ 77", &[0o200163_000077]),
        ("halves -5, 1000", &[0o777773_001000]),
        ("halves 1, 2, 3, 4", &[0o000001_000002, 0o000003_000004]),
        ("pointer 7, 1000", &[0o440700_001000]),
        ("pointer 6, @1000(2), 5", &[0o360622_001000]),
        (
            "float 1.0, -1, 0.5, 0, -3.25, 1e3, 1.5e-3",
            &[
                0o201400_000000,
                0o576400_000000,
                0o200400_000000,
                0,
                0o575140_000000,
                0o212764_000000,
                0o167611_156457,
            ],
        ),
        (
            "cycle\n        leave e, 5\n        soj 5,\n        endcycle g, 17",
            &[0o322240_000203, 0o360240_000000, 0o327740_000200],
        ),
        ("when l\n        otherwise\n        endwhen", &[0o325000_000202, 0o254000_000202]),
        ("dd 1, -1", &[0, 1, 0o777777_777777, 0o777777_777777]),
        ("text seven-bit, \"FOG\"", &[0o432370_700000]),
        ("text six-bit, \"FOG\"", &[0o465747_000000]),
    ];
    for (text, expected) in cases {
        assert_eq!(cells(&format!("        org 200\n        {text}\n")), *expected, "{text}");
    }
}

#[test]
fn mistakes_are_told_with_the_reason() {
    let cases = [
        ("move 20, 5", "does not fit where an accumulator from 0 to 17", "octal 0 to 17"),
        ("move 1, 1000(0)", "does not fit where a number from 1 to 17", ""),
        ("move 1, 1000(20)", "does not fit where a number from 1 to 17", ""),
        ("move 1, 1000(2", "a closing parenthesis is missing", "an index is an accumulator"),
        ("move 1, 1000000", "does not fit where an address", ""),
        ("movei 1, -400001", "does not fit where an address", ""),
        ("cono 121, 5", "does not fit where a device", ""),
        ("cono 1000, 5", "does not fit where a device", ""),
        ("uuo 0, 1, 5", "does not fit where a number from 1 to 77", ""),
        ("dw 1000000000000", "68719476736 (octal 1000000000000) does not fit where a word is wanted", ""),
        ("halves 1000000, 1", "does not fit where half a word", ""),
        ("halves 1", "wants its numbers in pairs", "LEFT, RIGHT"),
        ("pointer 45, 100", "does not fit where the size of a byte", ""),
        ("pointer 7, 100, 44", "does not fit where the number of a bit", ""),
        ("float fog", "`fog` is not a decimal number", "such as 3.25"),
        ("float 1e40", "1e40 has no 36-bit word", ""),
        ("org 1000000", "262144 is not an address", "777777"),
        ("cla", "`cla` is an instruction of the pdp8", "write `cpu pdp8`"),
    ];
    for (text, message, help) in cases {
        let assembly = built(&format!("        org 200\n        {text}\n"));
        let found = assembly.diagnostics.iter().find(|one| one.message.contains(message));
        let found = found.unwrap_or_else(|| panic!("{text}: {:?}", assembly.diagnostics));
        assert!(found.help.contains(help), "{text}: {}", found.help);
    }
    let strange = assemble(
        "test",
        &mut Texts::one("test", "        cpu pdp8\n        halves 1, 2\n"),
        &Options::default(),
    );
    assert!(
        strange.diagnostics.iter().any(|one| one.message.contains("words of 36 bits")),
        "{:?}",
        strange.diagnostics
    );
}

/// Characters are echoed with the console's interrupts, at the line's pace; the other channels wait.
#[test]
fn the_console_echoes_by_interrupts() {
    let source = "
        org 52                  ; channel 5
        jsr served
        org 100
start:  cono pi, 12204          ; reset, all on, channel 5 on
        cono tty, 5
wait:   sojg 2, wait
        jrst wait
served: dw 0
        conso tty, 40           ; a character is there
        jrst sent
        datai tty, 1
        datao tty, 1
        aos seen
        jen @served
sent:   cono tty, 205           ; it is printed: output done is cleared
        jen @served
seen:   dw 0
        entry start
";
    let mut machine = osprey(source);
    assert!(machine.happen(1000, Event::Typed(b"fog".to_vec())));
    machine.run(1_000_000 * 12, Watching::Nothing);
    assert_eq!(machine.output(), b"fog");
    let seen = built(source).symbols.value("seen").expect("a label") as u32;
    assert_eq!(machine.cell(seen), 3);
    assert_eq!(machine.register(PDP10.register("PIH").expect("it is there")), 0, "every interrupt was ended");
}

#[test]
fn the_interrupt_system_takes_channels_in_their_order() {
    // Both are asked for at once; the second is served while the first is held only where it comes in front.
    let source = |first: u32, second: u32| {
        format!(
            "
        org {0:o}
        jsr one
        org {1:o}
        jsr two
        org 100
start:  cono pi, 12377          ; reset, on, every channel on
        move 1, orders
        cono pi, {2:o}
        halt
one:    dw 0
        idpb 5, 1
        cono pi, {3:o}
        move 5, mark
        idpb 5, 1
        jen @one
two:    dw 0
        idpb 6, 1
        jen @two
mark:   dw 7
orders: pointer 6, log
log:    dw 0
        entry start
",
            0o40 + 2 * first,
            0o40 + 2 * second,
            0o4000 | 0o200 >> first,
            0o4000 | 0o200 >> second
        )
    };
    for (first, second, expected) in [(3, 5, 0o010702), (5, 3, 0o010207)] {
        let text = source(first, second);
        let mut machine = osprey(&text);
        machine.set_register(5, 1);
        machine.set_register(6, 2);
        assert_eq!(machine.run(100_000, Watching::Nothing), Stopped::Stop, "{first} {second}");
        let log = built(&text).symbols.value("log").expect("a label") as u32;
        assert_eq!(machine.cell(log) >> 18, expected, "{first} and {second}: {:012o}", machine.cell(log));
    }
}

#[test]
fn overflow_and_a_full_stack_ask_on_the_processors_channel() {
    let source = "
        org 42                  ; channel 1
        jsr caught
        org 100
start:  cono pi, 12300
        cono apr, 31            ; overflow asks on channel 1; the flag is cleared
        hrloi 1, 377777
        add 1, 1
        halt
stack:  move 17, full
        push 17, 1
        halt
full:   halves -1, 200
caught: dw 0
        coni apr, 3
        cono apr, 400011        ; both flags cleared
        movsi 4, 400000
        andcam 4, caught        ; and in what is taken back
        jen @caught
        entry start
";
    for (label, bit) in [("start", 0o10), ("stack", 0o200000)] {
        let mut machine = osprey(source);
        if label == "stack" {
            for (name, value) in [("PION", 1), ("PIA", 0o177), ("APR", 0o21)] {
                machine.set_register(PDP10.register(name).expect("it is there"), value);
            }
        }
        let at = built(source).symbols.value(label).expect("a label");
        machine.set_register(PDP10.register("PC").expect("it has one"), at as u64);
        assert_eq!(machine.run(100_000, Watching::Nothing), Stopped::Stop);
        assert_eq!(machine.cell(3) & bit, bit, "{label}: {:o}", machine.cell(3));
    }
}

#[test]
fn operations_of_ones_own_are_trapped_and_those_that_lead_nowhere_are_told() {
    let mut machine = osprey(
        "
        org 41
        pushj 17, own
        org 100
start:  move 17, pd
        uuo 12, 3, @where
        halt
own:    hrrz 1, 40
        ldb 2, code
        popj 17,
code:   pointer 11, 40, 10
where:  dw 1234
pd:     halves -10, 300
        entry start
",
    );
    assert_eq!(machine.run(10_000, Watching::Nothing), Stopped::Stop);
    assert_eq!((machine.cell(1), machine.cell(2), machine.cell(0o40)), (0o1234, 0o12, 0o012140_001234));
    for (source, stopped) in [
        ("start: uuo 1, 1, 5", Stopped::Undefined),
        ("start: dw 0", Stopped::Undefined),
        ("start: move 1, @$", Stopped::Chain),
        ("start: xct $", Stopped::Chain),
        ("start: ldb 1, next\nnext: pointer 6, @$, 5", Stopped::Chain),
        ("start: jrst $", Stopped::Endless),
        ("start: jrst 777777", Stopped::Undefined),
    ] {
        let mut machine = osprey(&format!("        org 100\n{source}\n        entry start\n"));
        assert_eq!(machine.run(10_000_000, Watching::Nothing), stopped, "{source}");
        let pc = machine.place();
        assert!(pc == 0o100 || source.contains("777777"), "{source} stays the next one: {pc:o}");
    }
}

fn format(name: &str) -> &'static plain_byte::image::Format {
    FORMATS.iter().copied().find(|one| one.name == name).expect("a format")
}

fn tape_of(image: &Image) -> Vec<u8> {
    format("block-tape").write(image, &Settings::default()).expect("it can be written").remove(0).bytes
}

#[test]
fn a_broken_tape_tells_the_frame_where_it_broke() {
    let mut image = Image::from_cells(36, 0o100, vec![0o350000_000200, 0o254000_000100]).expect("it fits");
    image.set_entry(Some(0o100));
    let whole = tape_of(&image);
    assert_eq!(&whole[58..67], [0, 0, 0o277, 0o277, 0o276, 0o200, 0o200, 0o277, 0o235]);
    assert_eq!(format("block-tape").read(&whole, &Settings::default()).expect("it reads"), image);
    let change = |at: usize, frame: u8| {
        let mut tape = whole.clone();
        tape[at] = frame;
        tape
    };
    let cases = [
        (whole[..70].to_vec(), 70, "the tape ends after 4 of the six frames of a word"),
        (whole[..72].to_vec(), 72, "the tape ends where a word of a block would stand"),
        (whole[..78].to_vec(), 78, "where the sum of a block would stand"),
        (whole[..90].to_vec(), 90, "where a block, or the jump at the end, would stand"),
        (change(70, 0o201), 78, "the sum on the tape is"),
        (change(70, 0o300), 70, "the frame 300 has channel 7 punched"),
        (vec![], 0, "where a block, or the jump"),
    ];
    for (tape, frame, problem) in cases {
        let errors = format("block-tape").read(&tape, &Settings::default()).expect_err(problem);
        let told = errors[0].to_string();
        assert!(told.contains(problem) && told.contains(&frame.to_string()), "{told}; {frame} {problem}");
    }
    assert!(
        format("block-tape")
            .write(&Image::from_cells(12, 0, vec![1]).expect("it fits"), &Settings::default())
            .is_err()
    );
}

/// A program punches a block of its own cells with its sum and a jump; what lies in the tray reads as a tape, and is what stood
/// there.
#[test]
fn a_tape_that_a_program_punched_is_read_back() {
    let source = "
        org 100
start:  cono ptp, 40            ; binary
        move 2, head
        move 1, head
        pushj 17, punch
next:   move 1, 1(2)            ; the pointer stands before the word
        pushj 17, punch
        add 3, 1
        aobjn 2, next
        add 3, head
        move 1, 3
        pushj 17, punch
        move 1, ending
        pushj 17, punch
        halt start
punch:  datao ptp, 1
        conso ptp, 10
        jrst punch + 1
        popj 17,
head:   halves start - head, start - 1
ending: jrst start
        entry start
";
    let mut machine = osprey(source);
    machine.set_register(15, (0o777760 << 18) | 0o1000);
    assert_eq!(machine.run(200_000_000, Watching::Nothing), Stopped::Stop);
    let read =
        format("block-tape").read(machine.punched().expect("a punch"), &Settings::default()).expect("a tape");
    let whole = built(source).image;
    let head = built(source).symbols.value("head").expect("a label") as u32;
    assert_eq!(read.start(), Some(0o100));
    assert_eq!(read.segments()[0].cells, whole.cells_at(0o100, (head - 0o100) as usize));
    // Six frames a word, fifty a second.
    let seconds = machine.cycles() as f64 / 1e7;
    let frames = machine.punched().expect("a punch").len() as f64;
    assert!((seconds - frames / 50.0).abs() < 0.1, "{frames} frames in {seconds} s");
}

/// A plain byte tape is copied by a program of the 8080 machine, frame by frame, at the punch's pace.
#[test]
fn a_byte_tape_is_copied_frame_by_frame() {
    let source = "
        cpu 8080
        org 0
start:  mvi a, 1
        out 25h                 ; the first frame
again:  in 25h
        mov b, a
        ani 1
        jz last
        in 24h                  ; and the next one is fetched
        mov c, a
ready:  in 25h
        ani 2
        jz ready
        mov a, c
        out 24h
        jmp again
last:   mov a, b                ; none there: is one to come?
        ani 80h
        jnz again
        lxi d, 2000             ; the one that is being fetched has left the tape already
wait:   dcx d
        mov a, d
        ora e
        jnz wait
        in 25h
        ani 1
        jnz again
        hlt
        entry start
";
    let description = boards::find("gannet").expect("a board").description;
    let assembly = assemble("copy", &mut Texts::one("copy", source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut machine = Machine::new(&Board::parse(description).expect("it is right")).expect("a machine");
    machine.load(&assembly.image).expect("it fits");
    let tape: Vec<u8> = b"FOG AT NIGHT\0\xFF\x01".to_vec();
    assert!(machine.happen(0, Event::Tape(tape.clone())));
    assert_eq!(machine.run(20_000_000, Watching::Nothing), Stopped::Halt);
    machine.run(machine.cycles() + 100_000, Watching::Nothing);
    assert_eq!(machine.punched(), Some(&tape[..]));
    assert_eq!(machine.tape_left(), Some(0));
}

/// The tape that a script asks for.
struct Shelf(Vec<u8>);

impl Files for Shelf {
    fn picture(&mut self, _: &mut Panel, _: &str) -> Result<(), Problem> {
        Ok(())
    }
    fn tape(&mut self, _: &str) -> Result<Vec<u8>, Problem> {
        Ok(self.0.clone())
    }
    fn punched(&mut self, _: &str, _: &[u8]) -> Result<(), Problem> {
        Ok(())
    }
}

fn worked(board: &str, script: &str, files: &mut dyn Files) {
    let mut panel = Panel::new(Session::shipped(board).expect("it opens"));
    let ran = Script::parse(script).expect("it reads").run(&mut panel, files).expect("it can be carried out");
    assert_eq!(ran.failed, 0, "{}", ran.text);
}

#[test]
fn the_programs_keyed_in_at_the_panels_do_what_they_should() {
    worked("osprey", include_str!("../../demo/paces.panel"), &mut NoFiles);
    worked("gannet", include_str!("../../demo/signal.panel"), &mut NoFiles);
    let turn =
        assemble("turn", &mut Texts::one("turn", include_str!("../../demo/turn.asm")), &Options::default());
    worked("osprey", include_str!("../../demo/blocks.panel"), &mut Shelf(tape_of(&turn.image)));
}

/// The card for a front panel is a script that keys the program in and looks it through, in every memory field.
#[test]
fn a_card_keys_the_program_in_at_every_panel() {
    let fields = "        cpu pdp8\n        org 7776\n        dw 1, 2\n        org 10200\n        dw 3\n        org 20\n        dw 4\n";
    for (board, source) in [
        ("osprey", include_str!("../../demo/blocks.asm")),
        ("gannet", include_str!("../../demo/horn.asm")),
        ("heron", include_str!("../../demo/passages-tape.asm")),
        ("heron", fields),
    ] {
        let assembly = assemble("card", &mut Texts::one("card", source), &Options::default());
        let set = assembly.set.expect("it names one");
        let sheet = card("card", set, &source_lines(&assembly), assembly.image.start(), Grouping::Threes);
        let script = sheet.front_text().to_string();
        let mut panel = Panel::new(Session::shipped(board).expect("it opens"));
        let ran = Script::parse(&script).expect("it reads").run(&mut panel, &mut NoFiles).expect("it works");
        assert_eq!(ran.failed, 0, "{}", ran.text);
        for segment in assembly.image.segments() {
            for (address, cell) in (segment.start..).zip(&segment.cells) {
                assert_eq!(panel.session().machine().cell(address), *cell, "{address:o} on {board}");
            }
        }
        assert_eq!(script.matches("see data").count(), assembly.image.cells(), "every cell is looked at");
    }
}

#[test]
fn an_action_is_repeated_until_it_is_ended() {
    let mut panel = Panel::new(Session::shipped("osprey").expect("it opens"));
    assert!(
        panel.act(Action::Repeat).expect_err("nothing was done").to_string().contains("nothing to repeat")
    );
    panel.act(Action::ExamineNext).expect("it stands still");
    panel.act(Action::Repeat).expect("it can be");
    for _ in 0..5 {
        panel.repeat_once().expect("it can be");
    }
    assert_eq!((panel.repeats(), panel.shown_address()), (Some(Action::ExamineNext), 6));
    panel.act(Action::Repeat).expect("it ends");
    panel.repeat_once().expect("nothing happens");
    assert_eq!((panel.repeats(), panel.shown_address()), (None, 6));
    panel.act(Action::Repeat).expect("once more");
    panel.act(Action::Stop).expect("always");
    assert_eq!(panel.repeats(), None, "`stop` ends it");
    assert!(panel.act(Action::Repeat).is_err(), "and cannot be repeated");
}

/// An instruction's name and cells, and the share of each light.
type StatusCase = (&'static str, &'static [u8], &'static [(&'static str, f32)]);

/// What the 8080 puts out in each machine cycle, as its lights show it: so many of its T-states each.
#[test]
fn status_lights_glow_by_the_share_of_their_machine_cycles() {
    let cases: &[StatusCase] = &[
        ("nop", &[0], &[("M1", 1.0), ("MEMR", 1.0), ("WO", 1.0), ("OUT", 0.0)]),
        ("sta", &[0x32, 0, 0x10], &[("M1", 4.0 / 13.0), ("MEMR", 10.0 / 13.0), ("WO", 10.0 / 13.0)]),
        ("push", &[0xC5], &[("STACK", 6.0 / 11.0), ("M1", 5.0 / 11.0)]),
        ("pop", &[0xC1], &[("STACK", 0.6), ("MEMR", 1.0)]),
        ("in", &[0xDB, 0x10], &[("INP", 0.3), ("M1", 0.4), ("MEMR", 0.7)]),
        ("out", &[0xD3, 0x11], &[("OUT", 0.3), ("WO", 0.7)]),
        ("inr m", &[0x34], &[("WO", 0.7), ("MEMR", 0.7)]),
    ];
    for (name, code, expected) in cases {
        let mut panel = Panel::new(Session::shipped("gannet").expect("it opens"));
        // The whole memory is this instruction.
        let filled: Vec<u64> =
            code.iter().cycle().take(0x1FF8 / code.len() * code.len()).map(|&cell| cell.into()).collect();
        panel.session_mut().put(0, &filled).expect("core");
        panel.session_mut().put(0x1FF8, &[0xC3, 0, 0]).expect("core");
        panel.session_mut().set("SP", 0x1000).expect("a register");
        panel.session_mut().set("HL", 0x1FFF).expect("a register");
        // What is pushed is the instruction itself.
        panel.session_mut().set("BC", 0xC5C5).expect("a register");
        panel.act(Action::Continue).expect("it goes");
        let mut sums = vec![0.0; expected.len()];
        for _ in 0..24 {
            panel.pass(100);
            let view = panel.look();
            for (sum, (light, _)) in sums.iter_mut().zip(*expected) {
                *sum += view.rows.iter().find(|row| row.name == *light).expect("a light").lights[0] / 24.0;
            }
            panel.session_mut().put(0, &filled).expect("core");
            panel.session_mut().set("SP", 0x1000).expect("a register");
        }
        for (sum, (light, share)) in sums.iter().zip(*expected) {
            assert!((sum - share).abs() < 0.06, "{light} of {name}: {sum} where {share} is right");
        }
    }
    let mut panel = Panel::new(Session::shipped("gannet").expect("it opens"));
    panel.session_mut().put(0, &[0x76]).expect("core");
    panel.act(Action::Continue).expect("it goes");
    let view = panel.look();
    let lit: Vec<&str> =
        view.rows.iter().filter(|row| row.lights == [1.0]).map(|row| row.name.as_str()).collect();
    assert_eq!(lit, ["MEMR", "HLTA", "WO", "run"], "while it waits in a halt");
}

proptest! {
    /// Anything that is written on a tape comes back from it, and so does a disassembly.
    #[test]
    fn any_words_come_back(
        words in proptest::collection::vec(0u64..1 << 36, 1..200),
        start in 0u32..0o700000,
        entry in any::<bool>(),
    ) {
        let mut image = Image::from_cells(36, start, words).expect("it fits");
        image.set_entry(entry.then_some(start));
        let read = format("block-tape").read(&tape_of(&image), &Settings::default()).expect("it reads");
        prop_assert_eq!(read.segments(), image.segments());
        prop_assert_eq!(read.start(), image.start());
        let lines = disassemble(&PDP10, &image, Follow::All, &|_| None);
        let text = disassembly_source(&PDP10, &image, &lines).to_string();
        let again = assemble("again", &mut Texts::one("again", text.as_str()), &Options::default());
        prop_assert!(again.succeeded(), "{}", text);
        prop_assert_eq!(again.image.segments(), image.segments());
    }

    /// Whatever frames a tape has, reading it ends.
    #[test]
    fn any_tape_is_read_to_its_end(frames in proptest::collection::vec(any::<u8>(), 0..300)) {
        let _ = format("block-tape").read(&frames, &Settings::default());
    }

    /// The nearest word to a number is no further away than half of its last bit.
    #[test]
    fn floating_point_words_are_near(value in prop_oneof![-1e30f64..1e30, -1.0f64..1.0, Just(0.75), Just(-0.5)]) {
        use plain_byte::number::floating;
        if let Some(word) = floating::word(value) {
            let back = floating::value(word);
            prop_assert!((back - value).abs() <= value.abs() * 2f64.powi(-27), "{} {}", back, value);
            prop_assert_eq!(floating::word(back), Some(word));
        }
    }
}
