//! The 12-bit panel machine: teleprinter, paper tape and their times; tapes as files.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::boards;
use plain_byte::diagnostic::Problem;
use plain_byte::image::{Format, Image, Segment, Settings};
use plain_byte::machine::{Board, Event, Machine, Stopped, Watching};
use plain_byte::panel::{ACTIONS, Action, Files, NoFiles, Panel, Script};
use plain_byte::processor::pdp8::PDP8;
use plain_byte::session::Session;
use proptest::prelude::*;

fn heron(source: &str) -> Machine {
    let assembly = assemble("test", &mut Texts::one("test", source), &Options::default().set(&PDP8));
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let board = Board::parse(boards::find("heron").expect("a board").description).expect("it is right");
    let mut machine = Machine::new(&board).expect("it can be run");
    machine.load(&assembly.image).expect("it fits");
    machine.set_register(PDP8.register("PC").expect("it has one"), 0o200);
    machine
}

fn value(machine: &Machine, name: &str) -> u64 {
    machine.register(PDP8.register(name).expect("it has one"))
}

/// Milliseconds of the board's time.
fn milliseconds(machine: &Machine) -> u64 {
    machine.cycles() / 10_000
}

#[test]
fn the_teleprinter_takes_a_tenth_of_a_second_a_character_each_way() {
    let echo = "        org 200\nnext:   ksf\n        jmp $-1\n        krb\n        tls\n        tsf\n        jmp $-1\n        tad #-212\n        sza cla\n        jmp next\n        hlt\n";
    let mut machine = heron(echo);
    assert!(machine.happen(0, Event::Typed(b"FOG\n".to_vec())));
    assert_eq!(machine.run(100_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!(machine.output(), b"FOG\n");
    // The next character is sent while the one before is printed.
    assert!((500..520).contains(&milliseconds(&machine)), "{} ms", milliseconds(&machine));
    assert_eq!(machine.input_waiting(), 0);
}

#[test]
fn every_function_of_the_teleprinter_does_what_the_handbook_says() {
    // What is done before, the function, the accumulator after it, whether it skips.
    let cases = [
        ("", "ksf", 0o7777, false),
        ("", "tsf", 0o7777, false),
        ("        tfl\n", "tsf", 0o7777, true),
        ("        tfl\n        tcf\n", "tsf", 0o7777, false),
        ("        tfl\n", "tsk", 0o7777, true),
        ("        tfl\n        cla\n        kie\n", "tsk", 0, false),
        ("", "kcc", 0, false),
        ("", "krs", 0o7777, false),
        ("", "krb", 0, false),
        ("        tls\n        tsf\n        jmp $-1\n", "tsf", 0o7777, true),
        ("        tls\n        tsf\n        jmp $-1\n        caf\n", "tsf", 0, false),
    ];
    for (before, function, accumulator, skips) in cases {
        let mut machine = heron(&format!(
            "        org 200\n        sta\n{before}        {function}\n        hlt\n        hlt\n"
        ));
        assert_eq!(machine.run(100_000_000, Watching::Nothing), Stopped::Stop);
        let at = 0o202 + before.lines().count() as u32 + u32::from(skips);
        let found = (value(&machine, "AC"), machine.halted_at());
        assert_eq!(found, (accumulator, Some(at)), "{before}{function}");
    }
}

#[test]
fn a_character_asks_for_an_interrupt_where_that_is_allowed() {
    let routine = "        org 0\nback:   dw 0\n        dca kept\n        krb\n        dca typed\n        tad kept\n        ion\n        jmp i back\n        org 20\nkept:   dw 0\ntyped:  dw 0\n";
    let source = format!(
        "{routine}        org 200\n        cla\n        ion\nspin:   isz 100\n        nop\n        tad typed\n        sna cla\n        jmp spin\n        iof\n        tad typed\n        hlt\n"
    );
    let mut machine = heron(&source);
    assert!(machine.happen(1_000_000, Event::Typed(b"K".to_vec())));
    assert_eq!(machine.run(100_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!(value(&machine, "AC"), 0o313, "K, and the eighth bit that teleprinters send");
    assert_eq!(milliseconds(&machine), 200, "typed at 100 ms, there 100 ms later");
}

#[test]
fn a_tape_is_read_at_300_frames_a_second_and_punched_at_50() {
    let copy = "        org 200\n        rfc\nnext:   rsf\n        jmp $-1\n        rrb rfc\n        ppc\n        psf\n        jmp $-1\n        pcf\n        cla\n        isz count\n        jmp next\n        hlt\ncount:  dw -6\n";
    let copy = copy.replace("rrb rfc", "iot 1, 6");
    let mut machine = heron(&copy);
    let tape = [0o200, 0o101, 0o77, 0, 0o377, 0o25];
    assert!(machine.happen(0, Event::Tape(tape.to_vec())));
    assert_eq!(machine.run(100_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!(machine.punched(), Some(&tape[..]));
    assert_eq!(machine.tape_left(), Some(0));
    // The next frame is read while one is punched.
    assert!((123..125).contains(&milliseconds(&machine)), "{} ms", milliseconds(&machine));
    // At the end of the tape the reader waits, and so does who asks it.
    let mut waits = heron("        org 200\n        rfc\n        rsf\n        jmp $-1\n        hlt\n");
    assert_eq!(waits.run(10_000_000, Watching::Nothing), Stopped::Cycles);
    assert!(!Machine::new(&Board::bare(&PDP8)).expect("a machine").happen(0, Event::Tape(vec![1])));
}

#[test]
fn what_is_being_printed_at_a_stop_is_printed_all_the_same() {
    let mut machine = heron("        org 200\n        tad #101\n        tls\n        hlt\n        hlt\n");
    assert_eq!(machine.run(100_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!((machine.output(), machine.halted_at()), (&b"A"[..], Some(0o202)));
    assert_eq!(machine.run(200_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!(machine.halted_at(), Some(0o203));
}

#[test]
fn cells_that_are_not_fitted_read_as_zero_and_keep_nothing() {
    let source = "        org 200\n        cdf 70\n        tad #-1\n        dca i #300\n        tad i #300\n        cll iac\n        cdf 0\n        dca i #300\n        tad i #300\n        hlt\n";
    let mut machine = heron(
        &source
            .replace("i #300", "i z 20")
            .replace("        org 200\n", "        org 20\n        dw 300\n        org 200\n"),
    );
    assert_eq!(machine.run(1_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!((value(&machine, "AC"), machine.cell(0o300), machine.cell(0o70300)), (1, 1, 0));
}

fn format(name: &str) -> &'static Format {
    Format::named(name).expect("a format")
}

fn tape_of(name: &str, image: &Image) -> Vec<u8> {
    format(name).write(image, &Settings::default()).expect("it can be written").remove(0).bytes
}

#[test]
fn a_broken_tape_tells_the_frame_where_it_broke() {
    let image = Image::from_cells(12, 0o200, vec![0o7300, 0o1205, 0o7402]).expect("it fits");
    let whole = tape_of("ptape", &image);
    // 60 of leader, a field, an address, three words, the sum.
    assert_eq!(
        &whole[58..72],
        [0o200, 0o200, 0o300, 0o102, 0, 0o73, 0, 0o12, 0o05, 0o74, 0o02, 0o03, 0o12, 0o200]
    );
    let read_in = tape_of("read-in", &image);
    let change = |tape: &[u8], at: usize, frame: u8| {
        let mut tape = tape.to_vec();
        tape[at] = frame;
        tape
    };
    let cases = [
        (
            "ptape",
            whole[..66].to_vec(),
            "frame 66: the tape ends where the second half of a word would stand",
        ),
        ("ptape", whole[..67].to_vec(), "frame 67: the tape ends where the trailer would stand"),
        ("ptape", whole[..69].to_vec(), "frame 69: the tape ends"),
        (
            "ptape",
            change(&whole, 65, 0o1),
            "frame 69: the sum on the tape is 0312, and its frames come to 0301",
        ),
        ("ptape", change(&whole, 64, 0o177), "frame 64: the frame 177 stands where the second half"),
        ("ptape", change(&whole, 60, 0o301), "frame 60: the frame 301 is not a memory field"),
        ("ptape", change(&whole, 63, 0o240), "frame 63: the frame 240 has channel 8 punched"),
        ("ptape", vec![0; 100], "frame 0: there is no leader"),
        ("ptape", vec![], "frame 0: there is no leader"),
        ("ptape", vec![0o200; 80], "frame 80: the tape ends where the trailer"),
        ("ptape", vec![0o200, 0o1, 0o1, 0o1, 0o1, 0o200], "frame 3: a word without an address"),
        ("ptape", vec![0o200, 0o101, 0o1, 0o200], "frame 4: the tape ends without a sum"),
        ("read-in", read_in[..62].to_vec(), "frame 62: the tape ends where a word would stand"),
        ("read-in", whole.clone(), "frame 60: the frame 300 stands where an address would"),
        ("read-in", change(&read_in, 62, 0o100), "frame 62: the frame 100 stands where a word would"),
    ];
    for (name, tape, message) in cases {
        let errors = format(name).read(&tape, &Settings::default()).expect_err(message);
        assert!(errors[0].to_string().starts_with(message), "{} is not {message}", errors[0]);
        assert!(!errors[0].help.is_empty());
    }
    // What was punched wrongly is struck out: the frames between two with all channels do not count.
    let mut struck = whole.clone();
    struck.splice(65..65, [0o377, 0o12, 0o34, 0o377]);
    assert_eq!(format("ptape").read(&struck, &Settings::default()).expect("it is whole"), image);
    let far = Image::from_cells(12, 0o10000, vec![1]).expect("it fits");
    let error = format("read-in").write(&far, &Settings::default()).expect_err("it has no fields");
    assert!(error.to_string().contains("10000"), "{error}");
    let bytes = Image::from_cells(8, 0, vec![1]).expect("it fits");
    let error = format("ptape").write(&bytes, &Settings::default()).expect_err("bytes");
    assert_eq!(error.to_string(), "the format holds words of 12 bits, and the program has cells of 8");
}

#[test]
fn a_session_knows_the_machine_by_name() {
    let mut session = Session::shipped("heron").expect("it opens");
    session.set("sr", 0o1234).expect("the switches");
    assert_eq!(session.get("SR"), Some(0o1234));
    assert_eq!(session.machine().areas()[0].kind.title(), "core");
}

fn worked(script: &str) -> (String, usize) {
    let mut panel = Panel::new(Session::shipped("heron").expect("it opens"));
    let script = Script::parse(script).expect("it reads");
    let ran = script.run(&mut panel, &mut NoFiles).expect("it can be carried out");
    (ran.text.to_string(), ran.failed)
}

#[test]
fn the_program_keyed_in_at_the_panel_halts_on_the_link() {
    let (text, failed) = worked(include_str!("../../demo/dusk.panel"));
    assert_eq!(failed, 0, "{text}");
}

/// The tape that a script asks for, and what is punched.
struct Shelf {
    tape: Vec<u8>,
    punched: Vec<(String, Vec<u8>)>,
}

impl Files for Shelf {
    fn picture(&mut self, _: &mut Panel, _: &str) -> Result<(), Problem> {
        Ok(())
    }
    fn tape(&mut self, _: &str) -> Result<Vec<u8>, Problem> {
        Ok(self.tape.clone())
    }
    fn punched(&mut self, file: &str, tape: &[u8]) -> Result<(), Problem> {
        self.punched.push((file.to_string(), tape.to_vec()));
        Ok(())
    }
}

/// Keyed in word by word, the loader reads the other program from its tape.
#[test]
fn a_loader_keyed_in_at_the_panel_reads_a_tape() {
    let source = include_str!("../../demo/dusk.asm");
    let dusk = assemble("dusk", &mut Texts::one("dusk", source), &Options::default()).image;
    let mut shelf = Shelf { tape: tape_of("read-in", &dusk), punched: vec![] };
    let mut panel = Panel::new(Session::shipped("heron").expect("it opens"));
    let script = Script::parse(include_str!("../../demo/read-in.panel")).expect("it reads");
    let ran = script.run(&mut panel, &mut shelf).expect("it can be carried out");
    assert_eq!(ran.failed, 0, "{}", ran.text);
    // The script keys in what the source says.
    let loader = include_str!("../../demo/read-in.asm");
    let loader = assemble("read-in", &mut Texts::one("read-in", loader), &Options::default()).image;
    for (at, cell) in loader.segments().iter().flat_map(|one| (one.start..).zip(&one.cells)).take(20) {
        let is_kept = [0o7763, 0o7772, 0o7773].contains(&at);
        assert!(is_kept || panel.session().cell(at) == *cell, "{at:05o}");
    }
}

/// A program that punches itself as a tape for the loader: what comes out can be read back.
#[test]
fn a_tape_that_a_program_punched_is_read_back() {
    let source = "        org 200\nstart:  tad #200\n        jms punch\nnext:   tad at\n        jms upper\n        tad #100\n        jms punch\n        tad at\n        and #77\n        jms punch\n        tad i at\n        jms upper\n        jms punch\n        tad i at\n        and #77\n        jms punch\n        isz at\n        tad at\n        tad #-240\n        sza cla\n        jmp next\n        tad #200\n        jms punch\n        hlt\nupper:  dw 0\n        bsw\n        and #77\n        jmp i upper\npunch:  dw 0\n        pls\n        psf\n        jmp $-1\n        cla\n        jmp i punch\nat:     dw start\n";
    let mut machine = heron(source);
    assert_eq!(machine.run(1_000_000_000, Watching::Nothing), Stopped::Stop);
    let tape = machine.punched().expect("a punch").to_vec();
    let image = format("read-in").read(&tape, &Settings::default()).expect("it is whole");
    let again: Vec<u64> = image.cells_at(0o200, 0o27).to_vec();
    let program = assemble("test", &mut Texts::one("test", source), &Options::default().set(&PDP8)).image;
    assert_eq!(again, program.cells_at(0o200, 0o27));
}

#[test]
fn the_lights_of_a_running_machine_glow_by_how_often_they_are_lit() {
    let mut panel = Panel::new(Session::shipped("heron").expect("it opens"));
    // The lowest bit of the accumulator changes every second instruction, the highest seldom; the link stays dark.
    for (at, word) in [0o7101, 0o5200].into_iter().enumerate() {
        panel.session_mut().put(0o200 + at as u32, &[word]).expect("core");
    }
    assert!(panel.set_switches(0o200));
    panel.act(Action::Load).expect("it stands still");
    panel.act(Action::Start).expect("it starts");
    let mut lowest = 0.0;
    for _ in 0..20 {
        let view = panel.look();
        let row = |name: &str| view.rows.iter().find(|row| row.name == name).expect("a row").clone();
        // What stays the same can be read all the while.
        let values = ["run", "link", "address"].map(|name| row(name).value);
        assert_eq!((row("run").lights, values), (vec![1.0], [Some(1), Some(0), None]));
        let address = row("address").lights;
        assert_eq!((address[7], address[..7].iter().sum::<f32>()), (1.0, 0.0), "always in the same page");
        assert!((0.2..0.8).contains(&address[14]), "half the time at each of two words: {address:?}");
        lowest += row("accumulator").lights[11] / 20.0;
    }
    assert!((0.4..0.6).contains(&lowest), "{lowest}");
}

#[test]
fn what_an_operator_may_do_while_the_machine_runs() {
    let mut panel = Panel::new(Session::shipped("heron").expect("it opens"));
    panel.session_mut().put(0o200, &[0o7000, 0o5200]).expect("core");
    assert!(panel.set_switches(0o200) && !panel.set_switches(0o10000));
    panel.act(Action::Load).expect("it stands still");
    for &(words, action, what) in ACTIONS {
        assert!(!what.is_empty());
        assert_eq!(Action::named(&words.to_uppercase()), Some(action));
        if action == Action::Repeat {
            continue;
        }
        panel.act(Action::Start).or_else(|_| panel.act(Action::Continue)).expect("it goes");
        let allowed =
            [Action::Continue, Action::Stop, Action::Single, Action::Reset, Action::Power].contains(&action);
        let done = panel.act(action);
        assert_eq!(done.is_ok(), allowed, "{words}");
        if let Err(problem) = done {
            assert!(problem.to_string().contains("waits for `stop`"), "{problem}");
        }
        panel.act(Action::Stop).expect("always");
        panel.act(Action::Load).expect("it stands still");
    }
    let mut other = Panel::new(Session::shipped("plover").expect("it opens"));
    assert!(other.act(Action::Load).is_err() && !other.set_switches(1) && !other.has_front());
}

#[test]
fn fields_are_loaded_from_the_switches_and_the_next_address_stays_in_them() {
    let (text, failed) = worked(
        "switches 0012\nload fields\nswitches 7777\nload\nsee address 17777\nswitches 1234\ndeposit\nexamine next\nsee address 10000\ndeposit next\nsee address 10001\nsee data 1234\nsee data field 2\nswitches 0000\nload\nstart\nwait 1ms\nstop\nsee data field 2\n",
    );
    assert_eq!(failed, 0, "{text}");
}

#[test]
fn mistakes_in_a_script_for_a_front_panel_are_told() {
    let parsed = [
        ("repeat examine", "is not complete"),
        ("repeat 0 examine", "`0` is not a number of times"),
        ("repeat 3 lift", "is not complete"),
        ("examin next", "is not a word of the panel"),
        ("switches", "is not complete"),
    ];
    for (line, problem) in parsed {
        let errors = Script::parse(line).expect_err(line);
        assert!(errors[0].message.contains(problem), "{line}: {}", errors[0].message);
    }
    assert!(
        Script::parse("deposit nxt").expect_err("a slip")[0].help.contains("did you mean `deposit next`?")
    );
    let carried_out = [
        ("switches 17777", "the switches cannot say 17777", "there are 12 of them: give 0 to 7777"),
        ("switches 8", "`8` is not a position of switches", "give 0 to 7777"),
        ("tape \"none\"", "there is no `none` here", "read-in:FILE"),
        ("see lamp 7", "the board has no row of lights `lamp`", "address, data"),
        ("see dusk lit", "the board has no lamp `dusk`", "link"),
        (
            "switches 3000\nload fields\nswitches 4\nload\nstart\nload",
            "the machine runs, and `load` waits for `stop`",
            "",
        ),
    ];
    for (script, problem, help) in carried_out {
        let mut panel = Panel::new(Session::shipped("heron").expect("it opens"));
        let script = Script::parse(script).expect("it reads");
        let error = script.run(&mut panel, &mut NoFiles).expect_err(problem);
        assert!(
            error.message.contains(problem) && error.help.contains(help),
            "{} {}",
            error.message,
            error.help
        );
    }
}

proptest! {
    /// A tape is read back to the program that was punched, in whatever pieces and fields.
    #[test]
    fn tapes_come_back(pieces in proptest::collection::vec((0u32..0o77000, proptest::collection::vec(0u64..0o10000, 1..40)), 1..5)) {
        let pieces = pieces.into_iter().map(|(start, cells)| Segment { start, cells }).collect();
        let (image, _) = Image::from_pieces(12, pieces).expect("it fits");
        let again = format("ptape").read(&tape_of("ptape", &image), &Settings::default());
        prop_assert_eq!(again.expect("it is whole"), image.clone());
        let low = Image::from_cells(12, image.start().unwrap_or(0) & 0o3777, image.segments()[0].cells.clone()).expect("it fits");
        let again = format("read-in").read(&tape_of("read-in", &low), &Settings::default());
        prop_assert_eq!(again.expect("it is whole"), low);
    }

    /// Whatever is on a tape, it is read or told, and one that is read is punched and read to the same.
    #[test]
    fn any_tape_is_read_or_refused(tape in proptest::collection::vec(prop_oneof![0u8..=0o77, any::<u8>(), Just(0o200), Just(0o377)], 0..60)) {
        for name in ["ptape", "read-in"] {
            if let Ok(image) = format(name).read(&tape, &Settings::default())
                && image.cells() > 0
            {
                let again = format(name).read(&tape_of(name, &image), &Settings::default());
                prop_assert_eq!(again.expect("it was written here"), image);
            }
        }
    }
}
