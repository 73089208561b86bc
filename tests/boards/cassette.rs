//! Programs on cassette, saved and loaded by the boards' own firmware, with the recorder's keys pressed as a person presses them.

use plain_byte::cassette::{Baud, Comparator, Signal, Stretch, Writing, read, write};
use plain_byte::machine::services::Volume;
use plain_byte::machine::{Deck, Event};
use plain_byte::panel::{NoFiles, Panel, Script, glyphs};
use plain_byte::session::Session;
use proptest::prelude::*;
use std::collections::BTreeSet;

fn panel(board: &str) -> Panel {
    Panel::new(Session::shipped(board).expect("it opens"))
}

fn run(panel: &mut Panel, text: &str) {
    let ran = Script::parse(text).expect("a script").run(panel, &mut NoFiles).expect("it can be carried out");
    assert_eq!(ran.failed, 0, "{}", ran.text);
}

/// Bytes that are no pattern.
fn bytes(count: usize) -> Vec<u8> {
    (0..count as u32).map(|at| (at.wrapping_mul(2_654_435_761) >> 13) as u8).collect()
}

/// A recording that runs so much faster, wavers by so much, and is so noisy.
fn recording(
    name: &str,
    first: u32,
    bytes: &[u8],
    baud: Baud,
    (speed, wow, noise): (f64, f64, f32),
) -> Vec<f32> {
    let usual = Writing::default();
    let writing =
        Writing { tones: plain_byte::cassette::Tones { baud, ..usual.tones }, leader: 2.0, ..usual };
    let clean = write(name, &[Stretch { first, bytes: bytes.to_vec() }], Some(first + 1), &writing);
    let (mut at, mut worn, mut random) = (0.0f64, Vec::new(), 1u32);
    while (at as usize) + 1 < clean.len() {
        let (whole, part) = (at as usize, at.fract() as f32);
        random = random.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let hiss = ((random >> 16) as f32 / 32_768.0 - 1.0) * noise;
        worn.push(clean[whole] * (1.0 - part) + clean[whole + 1] * part + hiss);
        // Half a turn of the capstan in a second.
        at += speed * (1.0 + wow * (worn.len() as f64 / 44_100.0 * std::f64::consts::PI).sin());
    }
    worn
}

fn signal(samples: &[f32]) -> Signal {
    let mut comparator = Comparator::new(44_100);
    samples.chunks(1000).for_each(|piece| comparator.hear(piece));
    comparator.finish()
}

fn insert(panel: &mut Panel, tape: Signal, key: Deck) {
    panel.session_mut().happen(Event::Cassette(tape)).expect("it has a recorder");
    panel.press_recorder(key).expect("a cassette is in it");
}

/// How each board loads the next program, where programs may lie, and what it is asked for to save from `first` to `last`.
const BOARDS: [(&str, &str, u32, &str); 3] = [
    ("fulmar", "type \"load\\r\"", 0x1234, "type \"save lamp $1234 $1352 $1235\\r\"\nwait 2s\ntype \" \""),
    ("curlew", "type \"play\\r\"", 0x1234, "type \"save lamp 1234 1352 1235\\r\"\nwait 2s\ntype \" \""),
    ("tern", "press LOAD", 0x0234, "press 0 2 3 4 LOOK 0 3 5 2 SAVE"),
];

fn memory(panel: &Panel, first: u32, count: usize) -> Vec<u8> {
    (first..).take(count).map(|at| panel.session().machine().cell(at) as u8).collect()
}

/// At both speeds, from recorders that are 5 % off or waver, and with noise, every board loads what is on the tape to where it belongs.
#[test]
fn the_firmware_reads_tapes_that_run_too_fast_or_too_slowly() {
    let worn = [(1.0, 0.0, 0.0), (0.95, 0.0, 0.02), (1.05, 0.0, 0.02), (1.0, 0.03, 0.05)];
    let bytes = bytes(140);
    for (board, load, first, _) in BOARDS {
        for baud in Baud::ALL {
            for worn in worn {
                let tape = signal(&recording("LAMP", first, &bytes, baud, worn));
                let mut panel = panel(board);
                insert(&mut panel, tape, Deck::Play);
                run(&mut panel, &format!("{load}\nwait {}s", if baud == Baud::B300 { 14 } else { 6 }));
                assert_eq!(memory(&panel, first, 140), bytes, "{board}, {baud:?}, {worn:?}");
            }
        }
    }
}

/// What a board has saved can be read by ear, so to speak, and by the board itself; what was recorded before is gone.
#[test]
fn what_the_firmware_saves_comes_back() {
    let bytes = bytes(0x11F);
    for (board, load, first, save) in BOARDS {
        let mut panel = panel(board);
        let cells: Vec<u64> = bytes.iter().map(|&byte| byte.into()).collect();
        panel.session_mut().put(first, &cells).expect("RAM");
        // Something is there already, and is recorded over.
        insert(
            &mut panel,
            signal(&recording("OLD", 0x3000, &[1; 700], Baud::B300, (1.0, 0.0, 0.0))),
            Deck::Record,
        );
        run(&mut panel, &format!("{save}\nwait 14s\nrecorder stop"));
        let machine = panel.session().machine();
        let recorder = machine.recorder().expect("it has one");
        assert!(recorder.has_recorded());
        let tape = recorder.tape(machine.cycles()).expect("a cassette");
        let heard = read(&[(44_100, &tape.samples(44_100))]);
        let record = &heard.records[0];
        let name = record.header.as_ref().map(|header| (header.name.to_lowercase(), header.start));
        let wanted = if board == "tern" {
            ("0234".to_string(), Some(first))
        } else {
            ("lamp".to_string(), Some(first + 1))
        };
        assert_eq!(name, Some(wanted), "{board}");
        // On tern nothing holds the motor, and the end of the old program stays.
        assert_eq!(record.stretches.first(), Some(&Stretch { first, bytes: bytes.clone() }), "{board}");
        // Whatever was loaded wrongly would be seen.
        panel.session_mut().put(first, &[0; 0x11F]).expect("RAM");
        run(
            &mut panel,
            &format!("recorder rewind\nwait 3s\nsee counter \"0:00.0\"\nrecorder play\n{load}\nwait 12s"),
        );
        assert_eq!(memory(&panel, first, 0x11F), bytes, "{board}");
    }
}

/// A block that is broken is told by its number, and the others are there; another name is passed by; a key ends the waiting.
#[test]
fn a_broken_block_is_told_and_the_rest_is_loaded() {
    let bytes = bytes(300);
    let broken = |first: u32| {
        let mut samples = recording("HORN", first, &bytes, Baud::B1200, (1.0, 0.0, 0.0));
        // Into the second block.
        samples[44_100 * 59 / 10..44_100 * 6].fill(0.0);
        signal(&samples)
    };
    for (board, load, first, _) in BOARDS {
        let mut panel = panel(board);
        insert(&mut panel, broken(first), Deck::Play);
        run(&mut panel, &format!("{load}\nwait 10s"));
        assert_eq!(memory(&panel, first, 128), bytes[..128], "{board}");
        assert_eq!(memory(&panel, first + 256, 44), bytes[256..], "{board}");
        match board {
            "fulmar" => run(
                &mut panel,
                "see screen \"block 2 cannot be read\"\nsee screen \"blocks that are missing: 1\"",
            ),
            "curlew" => {
                let seen = String::from_utf8_lossy(panel.session().machine().output()).into_owned();
                assert!(seen.contains("block 0002 cannot be read\r\nblocks that are missing: 01"), "{seen}");
            }
            _ => assert_eq!(glyphs(&panel.look().digits[0].1), "bAd 01"),
        }
    }
    let mut fulmar = panel("fulmar");
    insert(&mut fulmar, broken(0x1000), Deck::Play);
    run(
        &mut fulmar,
        "type \"load lamp\\r\"\nwait 5s\nsee screen \"HORN $1000 300 bytes, passed by\"\nsee motor lit",
    );
    run(&mut fulmar, "press STOP\nsee screen \"stopped\"\nsee motor dark");
}

/// The recorder's keys: the motor line holds the tape, winding does not ask it, the counter has a zero of its own, and the ends stop it.
#[test]
fn the_recorder_does_what_its_keys_say() {
    let mut panel = panel("fulmar");
    let error = panel.press_recorder(Deck::Play).expect_err("there is none").to_string();
    assert_eq!(error, "no cassette is in the recorder");
    insert(&mut panel, Signal::blank(60), Deck::Play);
    run(&mut panel, "wait 2s\nsee counter \"0:00.0\"\nsee motor dark\nrecorder wind\nwait 1s\nrecorder stop");
    run(
        &mut panel,
        "see counter \"0:20.0\"\nrecorder zero\nsee counter \"0:00.0\"\nrecorder rewind\nwait 500ms\nrecorder stop",
    );
    run(&mut panel, "see counter \"-0:10.0\"\nrecorder wind\nwait 10s\nsee counter \"0:40.0\"");
    let machine = panel.session().machine();
    assert_eq!(
        machine.recorder().map(|recorder| (recorder.deck(), recorder.moves())),
        Some((Deck::Stop, false))
    );
    run(&mut panel, "recorder rewind\nwait 9s\nsee counter \"-0:20.0\"");
    let mut curlew = self::panel("puffin");
    let error =
        curlew.session_mut().happen(Event::Recorder(Deck::Play)).expect_err("it has none").to_string();
    assert_eq!(error, "the board puffin has no interface for a cassette recorder");
}

/// What may happen to a tape: the level turns over, or a stretch is erased.
fn changes() -> impl Strategy<Value = Vec<(bool, u64, u64)>> {
    prop::collection::vec((any::<bool>(), 0..3_500_000u64, 0..1_200_000u64), 0..60)
}

proptest! {
    /// A tape in seconds is a set of moments, and comes back from the numbers that a record keeps.
    #[test]
    fn a_tape_is_a_set_of_moments(changes in changes(), behind in 0..4_000_000u64) {
        let (mut tape, mut model) = (Signal::blank(3), BTreeSet::new());
        for (turns, at, long) in changes {
            if turns {
                tape.turn(at);
                // After its end nothing is kept.
                model.extend((at <= 3_000_000).then_some(at));
            } else {
                tape.erase(at, at + long);
                model.retain(|turn| !(at..at + long).contains(turn));
            }
        }
        prop_assert_eq!(tape.turns().collect::<Vec<_>>(), model.iter().copied().collect::<Vec<_>>());
        prop_assert_eq!(tape.next_turn(behind), model.range(behind + 1..).next().copied());
        prop_assert_eq!(tape.used(), model.last().copied());
        let kept = serde_json::to_string(&tape).expect("it is numbers");
        prop_assert_eq!(serde_json::from_str::<Signal>(&kept).expect("the same"), tape);
    }
}

#[test]
fn a_tape_longer_than_any_is_refused() {
    for numbers in ["[20000000000]", "[18446744073709551615,2]"] {
        let error = serde_json::from_str::<Signal>(numbers).expect_err("too long").to_string();
        assert_eq!(error, "a tape is at most 4 hours long");
    }
}

/// On petrel a file of the disk goes to the tape, and comes back from it to another disk as a program.
#[test]
fn files_of_a_disk_go_to_a_cassette() {
    let bytes = bytes(300);
    let with = |files: &[(&str, &[u8])]| {
        let mut volume = Volume::new(Volume::CAPACITY, true);
        files.iter().for_each(|(name, bytes)| volume.add(name, bytes.to_vec()).expect("it has room"));
        let mut session = Session::shipped("petrel").expect("it opens");
        session.put_disk(&volume);
        Panel::new(session)
    };
    let mut panel = with(&[("rock.com", &bytes)]);
    insert(&mut panel, Signal::blank(60), Deck::Record);
    run(&mut panel, "type \"save none.com\\r\"\nwait 500ms\nsee screen \"There is no such file.\"");
    run(
        &mut panel,
        "type \"save rock.com\\r\"\nwait 1s\ntype \" \"\nwait 10s\nsee screen \"It is on the tape.\"",
    );
    let machine = panel.session().machine();
    let tape = machine.recorder().and_then(|recorder| recorder.tape(machine.cycles())).expect("a cassette");
    let heard = read(&[(44_100, &tape.samples(44_100))]);
    assert_eq!(heard.records[0].stretches, [Stretch { first: 0x100, bytes: bytes.clone() }]);
    // A recording of the computer's own, too, at both speeds.
    let made = |baud| signal(&recording("LIGHT", 0x100, &bytes, baud, (0.95, 0.02, 0.02)));
    for (tape, name) in
        [(tape.clone(), "ROCK.COM"), (made(Baud::B300), "LIGHT.COM"), (made(Baud::B1200), "LIGHT.COM")]
    {
        let mut panel = with(&[]);
        insert(&mut panel, tape, Deck::Play);
        run(&mut panel, &format!("type \"load\\r\"\nwait 22s\nsee screen \"It is on the disk as {name}\""));
        let disk = panel.session().machine().disk().expect("a disk");
        let file = disk.names().next().and_then(|name| disk.bytes(name));
        assert_eq!(file, Some(&bytes[..]), "{name}");
    }
    // Another name is passed by, and a key ends the waiting.
    let mut panel = with(&[]);
    insert(&mut panel, tape, Deck::Play);
    run(
        &mut panel,
        "type \"load horn\\r\"\nwait 5s\nsee screen \"ROCK.COM, bytes 300, passed by\"\ntype \"x\"\nwait 300ms",
    );
    run(&mut panel, "see screen \"Stopped.\"\nsee motor dark");
}
