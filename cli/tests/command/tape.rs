//! Programs that leave as sound and as burnt chips: the built command, worn copies, and other programs that speak the same tones.

use crate::common::Bench;
use std::process::Command;

/// A program without gaps, so that bytes alone are its image.
const LAMP: &str = "        cpu 8085\n        org 4000h\nstart:  lxi h, text\nnext:   mov a, m\n        ora a\n        jz done\n        out 10h\n        inx h\n        jmp next\ndone:   hlt\ntext:   db \"Skerrow Rock, the keeper's tape of lamp characters: flash 3, dark 7, flash 2\", 0\n";

/// Samples of a file of 16 bits, and what they become.
fn worn(bench: &Bench, from: &str, to: &str, change: impl Fn(usize, i16) -> i16) {
    let mut reader = hound::WavReader::open(bench.path.join(from)).expect("a recording");
    let mut writer = hound::WavWriter::create(bench.path.join(to), reader.spec()).expect("a file");
    for (at, sample) in reader.samples::<i16>().enumerate() {
        writer.write_sample(change(at, sample.expect("a sample"))).expect("it is taken");
    }
    writer.finalize().expect("a file");
}

#[test]
fn a_program_goes_to_tape_and_comes_back_from_worn_copies() {
    let bench = Bench::new();
    bench.write("lamp.asm", LAMP);
    let built = bench.run("build lamp -o cassette,record=16,leader=10:lamp.wav -o hex:lamp.hex");
    assert_eq!(built.status, 0, "{}", built.err);
    let inspected = bench.run("inspect lamp.wav");
    insta::assert_snapshot!(inspected.out);
    assert!(bench.run("disassemble lamp.wav --cpu 8085").out.contains("mov a, m"));
    let ran = bench.run("run lamp.wav --board plover -q");
    assert_eq!(ran.status, 0, "{}", ran.all());
    assert_eq!(bench.run("convert lamp.wav -o hex:back.hex").status, 0);
    assert_eq!(bench.text("back.hex"), bench.text("lamp.hex"));
    // Two copies, each with a piece missing: what one lacks is told with its time, and the rest is saved.
    let second = |from: f64, to: f64| {
        move |at: usize, sample: i16| if (from..to).contains(&(at as f64 / 44_100.0)) { 0 } else { sample }
    };
    worn(&bench, "lamp.wav", "one.wav", second(5.0, 5.1));
    worn(&bench, "lamp.wav", "two.wav", second(6.6, 6.7));
    let alone = bench.run("convert one.wav -o hex:part.hex");
    assert_eq!(alone.status, 1);
    assert!(
        alone.err.contains("one.wav, 0:04.")
            && alone.err.contains("block 2 cannot be read")
            && alone.err.contains("the rest is saved"),
        "{}",
        alone.err
    );
    assert!(bench.text("part.hex").len() < bench.text("lamp.hex").len());
    let ran = bench.run("run one.wav --board plover");
    assert!(ran.status == 1 && ran.err.contains("block 2 cannot be read"), "{}", ran.err);
    assert!(bench.run("inspect one.wav").out.contains("not everything could be read"));
    // The wave is drawn round the damage, or where somebody wants to look.
    assert_eq!(bench.run("inspect one.wav --wave one.svg").status, 0);
    assert!(
        bench.text("one.svg").contains("the wave from 0:0") && bench.text("one.svg").contains("?</text>")
    );
    assert_eq!(bench.run("inspect lamp.wav --wave lamp.png --time 0:02.5").status, 0);
    assert!(std::fs::read(bench.path.join("lamp.png")).is_ok_and(|png| png.starts_with(b"\x89PNG")));
    assert_eq!(bench.run("inspect lamp.wav --wave late.svg --time 99:00").status, 0);
    assert!(bench.text("late.svg").contains("has ended"));
    assert_eq!(bench.run("convert one.wav two.wav -o hex:both.hex").status, 0);
    assert_eq!(bench.text("both.hex"), bench.text("lamp.hex"));
    // What is not a recording, and settings that are none.
    bench.write("none.wav", "RIFF\u{1}\u{1}\u{1}\u{1}WAVEnothing");
    for (line, status, words) in [
        ("inspect none.wav", 1, "usable WAV recording"),
        ("inspect lamp.wav --wave lamp.svg --time soon", 2, "is not a time"),
        ("inspect lamp.wav --wave lamp.gif", 2, "neither"),
        ("inspect lamp.hex --wave lamp.svg", 2, "only a recording"),
        ("convert none.wav -o hex:x.hex", 1, "usable WAV recording"),
        ("run none.wav --board plover", 1, "usable WAV recording"),
        ("build lamp -o cassette,baud=600:x.wav", 1, "300 or 1200"),
        ("build lamp -o cassette,speed=1:x.wav", 2, "no setting `speed`"),
        ("convert lamp.wav --from cassette,program=2 -o hex:x.hex", 1, "no program 2"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
}

/// Runs a program of somebody else's; `None` where it is not installed.
fn other(bench: &Bench, line: &str, input: &[u8]) -> Option<Vec<u8>> {
    use std::io::Write;
    let mut words = line.split(' ');
    let mut child = Command::new(words.next()?)
        .args(words)
        .current_dir(&bench.path)
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::null())
        .spawn()
        .ok()?;
    let _ = child.stdin.take()?.write_all(input);
    let done = child.wait_with_output().ok()?;
    assert!(done.status.success(), "{line}");
    Some(done.stdout)
}

#[test]
fn other_programs_hear_the_same_bytes_and_make_tapes_worse() {
    let bench = Bench::new();
    bench.write("lamp.asm", LAMP);
    assert_eq!(bench.run("build lamp -o raw:lamp.bin -o cassette,record=16:lamp.wav").status, 0);
    let bytes = std::fs::read(bench.path.join("lamp.bin")).expect("the image");
    for baud in [300, 1200] {
        let built = bench.run(&format!("build lamp -o cassette,bare=1,baud={baud}:bare.wav"));
        assert_eq!(built.status, 0, "{}", built.err);
        let tones = format!("-M 2400 -S 1200 --startbits 1 --stopbits 2 {baud}");
        let Some(heard) = other(&bench, &format!("minimodem --rx -q -f bare.wav {tones}"), b"") else {
            eprintln!("there is no minimodem here: it is not tried");
            break;
        };
        assert_eq!(heard, bytes, "{baud}");
        other(&bench, &format!("minimodem --tx -q -f theirs.wav {tones}"), &bytes);
        let is_there =
            other(&bench, "sox -n -r 48000 -b 16 lead.wav synth 1 sine 2400 gain -6", b"").is_some();
        if is_there && other(&bench, "sox lead.wav theirs.wav whole.wav", b"").is_some() {
            let ran = bench.run("convert whole.wav --at 4000h -o raw:back.bin");
            assert_eq!(ran.status, 0, "{baud}: {}", ran.err);
            assert_eq!(std::fs::read(bench.path.join("back.bin")).expect("an image"), bytes, "{baud}");
        }
    }
    for effects in [
        "-r 11025 -b 8 worse.wav speed 1.1",
        "worse.wav speed 0.9 lowpass 2500 gain -30",
        "-c 2 worse.wav highpass 900 gain 12 bass -6 treble +4",
        "-r 22050 worse.wav tremolo 3 70 overdrive 20",
        "worse.wav gain -6 reverb 30 echo 0.8 0.7 6 0.3",
    ] {
        if other(&bench, &format!("sox lamp.wav {effects}"), b"").is_none() {
            eprintln!("there is no sox here: it is not tried");
            break;
        }
        let ran = bench.run("convert worse.wav -o raw:back.bin");
        assert_eq!(ran.status, 0, "{effects}: {}", ran.err);
        assert_eq!(std::fs::read(bench.path.join("back.bin")).expect("an image"), bytes, "{effects}");
    }
}

#[test]
fn a_chip_is_burnt_with_the_mistakes_that_people_make() {
    let bench = Bench::new();
    bench.write("horn.asm", "        cpu 6502\n        org 0FF00h\nstart:  lda #1\n        sta 6000h\nend:    jmp end\n        pad 0FFFAh, 0FFh\n        dw start, start, start\n");
    assert_eq!(bench.run("build horn -o hex:horn.hex -o raw:horn.bin").status, 0);
    let mut out = String::new();
    for line in [
        "burn new horn",
        "burn new horn --part 27265",
        "burn new horn --part 27256 --label FOG-HORN",
        "burn new horn --part 2764",
        "burn blank horn",
        // A raw file has no address; a chip of the wrong size; the beginning forgotten.
        "burn program horn horn.bin",
        "burn program horn horn.bin --sure",
        "burn program horn horn.hex --base 4000h",
        "burn program horn horn.hex",
        "burn program horn horn.hex --base 8000h --cpu 6502",
        "burn blank horn",
        "burn program horn horn.hex --base 8000h --cpu 6502 -q",
        "burn verify horn horn.hex --base 8000h",
        "burn verify horn horn.bin --at 0FF01h --base 8000h",
        "burn lock horn",
        "burn read horn",
        "burn read horn --base 8000h -o raw:back.bin",
        "burn erase horn --sector 0",
        "burn erase horn --minutes 5",
        "burn erase horn",
        "burn identify horn",
        "burn fly horn",
        "burn program horn",
        "burn identify horn horn.hex",
        "burn identify",
        "burn identify horn.hex",
    ] {
        let ran = bench.run(line);
        out += &format!("$ {line}\n{}({})\n", ran.all(), ran.status);
    }
    let digits = |c: char| c.is_ascii_digit();
    let dated: Vec<String> = out
        .lines()
        .map(|line| match line.trim_start() {
            text if text.starts_with("20") && text.contains(':') => {
                format!("  WHEN{}", text.trim_start_matches(|c| digits(c) || "- :".contains(c)))
            }
            _ => line.to_string(),
        })
        .collect();
    insta::assert_snapshot!(dated.join("\n"));
    // The last cells are where they belong.
    let back = std::fs::read(bench.path.join("back.bin")).expect("the image");
    assert_eq!((back.len(), &back[0x7FFC..]), (0x8000, &[0x00, 0xFF, 0x00, 0xFF][..]));
}

#[test]
fn chips_go_into_boards_and_come_in_pairs() {
    let bench = Bench::new();
    for line in [
        "build blink --board puffin -o hex:blink.hex -o roms,first=8000h,size=4000h,lanes=2:pair.bin",
        "burn new lamp --part 27256",
        "burn program lamp blink.hex --base 8000h",
        "burn new even --part 27128",
        "burn new odd --part 27128",
    ] {
        let ran = bench.run(line);
        assert_eq!(ran.status, 0, "{line}: {}", ran.all());
    }
    let run = |what: &str| bench.json(&format!("run {what} --board puffin --cycles 300000 --json"));
    let (source, chip) = (run("blink"), run("lamp.chip"));
    assert_eq!((&chip["registers"], &chip["cycles"]), (&source["registers"], &source["cycles"]));
    assert!(bench.run("disassemble lamp.chip --cpu 6502 --at 8000h").out.contains("sta"));
    // Even and odd bytes apart, burnt one by one, and put together again.
    let files: Vec<String> = std::fs::read_dir(&bench.path)
        .expect("the folder")
        .flatten()
        .map(|one| one.file_name().to_string_lossy().into_owned())
        .filter(|name| name.starts_with("pair"))
        .collect();
    let mut files: Vec<&String> = files.iter().collect();
    files.sort();
    let [even, odd] = files[..] else { panic!("{files:?}") };
    for (chip, file) in [("even", even), ("odd", odd)] {
        let ran = bench.run(&format!("burn program {chip} {file} --at 0 --base 0"));
        assert_eq!(ran.status, 0, "{}", ran.all());
    }
    assert_eq!(
        bench
            .run("convert even.chip odd.chip --lanes 2 --at 8000h -o raw,first=8000h,length=8000h:both.bin")
            .status,
        0
    );
    assert_eq!(bench.run("build blink --board puffin -o raw,first=8000h,length=8000h:whole.bin").status, 0);
    let read = |name: &str| std::fs::read(bench.path.join(name)).expect("a file");
    assert_eq!(read("both.bin"), read("whole.bin"));
    bench.write("no.chip", "chip = 1\n");
    assert_eq!(bench.run("run no.chip --board puffin").status, 1);
}

/// A cassette goes into a board by the command: a recording is played, a new one is recorded, and none is ever written over.
#[test]
fn a_board_plays_and_records_cassettes() {
    let bench = Bench::new();
    bench.write("page.asm", "        cpu z80\n        org 200h\nstart:  ld a, 'k'\n        jp 0E003h\n");
    assert_eq!(bench.run("build page -o cassette,baud=1200,leader=20:page.wav").status, 0);
    let ran = bench.run("run --board curlew --cassette page.wav --input play_page\\r --cycles 6s -q");
    let said = ran.out.replace('\r', "");
    assert!(said.contains("PAGE 0200, bytes 0005\nall there; go starts it"), "{}", ran.all());
    // Nothing was recorded, and nothing is written.
    assert!(!bench.exists("page-recorded.wav"));
    let save = "run --board curlew --cassette new.wav --input save_lamp_0E000_0E02A_0E000\\r_ --cycles 8s -q";
    let ran = bench.run(save);
    assert!(bench.exists("new.wav"), "{}", ran.all());
    let first = std::fs::read(bench.path.join("new.wav")).expect("it is there");
    // A tape that is there is played, over which nothing is recorded; where somebody presses record, that goes beside it.
    bench.run(save);
    assert!(!bench.exists("new-recorded.wav"));
    bench.write(
        "over.panel",
        "recorder record\ntype \"save horn 0E000 0E00F\\r\"\nwait 1s\ntype \" \"\nwait 6s\n",
    );
    let ran = bench.run("panel --board curlew --cassette new.wav --script over");
    assert!(ran.err.contains("what was recorded is in new-recorded.wav"), "{}", ran.all());
    assert!(bench.run("inspect new-recorded.wav").out.contains("horn  16 bytes at E000..E00F"));
    assert_eq!(std::fs::read(bench.path.join("new.wav")).expect("it is there"), first);
    let inspected = bench.run("inspect new.wav");
    assert!(inspected.out.contains("lamp  43 bytes at E000..E02A, start E000"), "{}", inspected.out);
    for (line, status, words) in [
        (
            "run --board plover --cassette page.wav",
            2,
            "the board plover has no interface for a cassette recorder",
        ),
        ("panel --board curlew --cassette page.asm --picture x.svg", 1, "page.asm cannot be read"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
}

/// Chips in a board's socket: one that was burnt, a pair side by side, one that is too small, and sockets that are none.
#[test]
fn a_board_takes_chips() {
    let bench = Bench::new();
    bench.write("blink.asm", "        cpu 6502\n        org 8000h\nstart:  lda #1\n        sta 0\nhere:   jmp here\n        org 0FFFAh\n        dw start, start, start\n");
    for line in [
        "build blink -o hex:blink.hex -o raw,first=8000h,length=8000h:blink.bin",
        "burn new lamp --part 27256",
        "burn program lamp blink.hex --base 8000h",
        "build blink -o roms,lanes=2,size=4000h,first=8000h:pair.bin",
    ] {
        let ran = bench.run(line);
        assert_eq!(ran.status, 0, "{line}: {}", ran.all());
    }
    let parts: Vec<String> = std::fs::read_dir(&bench.path)
        .expect("a folder")
        .flatten()
        .map(|one| one.file_name().to_string_lossy().into_owned())
        .filter(|name| name.starts_with("pair"))
        .collect();
    let mut pair = parts.clone();
    pair.sort();
    assert_eq!(pair.len(), 2, "{parts:?}");
    for chips in ["lamp.chip".to_string(), "blink.bin".to_string(), pair.join(",")] {
        let ran =
            bench.run(&format!("run --board puffin --chip rom={chips} --cycles 100 --show 0..0 --json"));
        assert!(ran.status == 0 && ran.out.contains("\"cells\":[1]"), "{chips}: {}", ran.all());
    }
    for (line, status, words) in [
        ("run --board puffin --chip roof=blink.bin", 2, "has no socket `roof`"),
        ("run --board plover --chip rom=blink.bin", 2, "has no socket `rom`"),
        ("run --board puffin --chip rom", 2, "--chip rom has no file"),
        ("run --board puffin --chip ram=blink.bin", 1, "ram` has 32"),
        ("run --board puffin --chip rom=none.chip", 1, "none.chip"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
}

/// A whole set from its file: order and sums, a file for each chip, labels, and chips that were read back.
#[test]
fn a_set_of_chips_is_made_and_checked() {
    let bench = Bench::new();
    bench.write("horn.asm", "        cpu 6502\n        org 0F000h\n        copies 1024, n\n        db n & 255, n >> 8, 7, 9\n        endcopies\n");
    bench.write("horn.roms.toml", "version = 1\nname = \"fog horn\"\npart = \"2716\"\n[[chip]]\nsocket = \"U4\"\nimage = \"horn.hex\"\nbase = 0xF000\n[[chip]]\nsocket = \"U5\"\nimage = \"horn.hex\"\nbase = 0xF800\n");
    assert_eq!(bench.run("build horn -o hex:horn.hex").status, 0);
    let ran = bench.run("burn set horn --folder out --labels labels.svg");
    assert_eq!(ran.status, 0, "{}", ran.all());
    insta::assert_snapshot!(ran.out.replace('\\', "/"));
    assert!(bench.text("labels.svg").contains(">U5<"));
    let right = bench.run("burn set horn --compare U4=out/U4.bin --compare U5=out/U5.bin");
    assert!(right.status == 0 && right.out.contains("U5  holds what it should"), "{}", right.all());
    let swapped = bench.run("burn set horn --compare U4=out/U5.bin");
    assert!(
        swapped.status == 1 && swapped.out.contains("U4  holds what belongs into U5"),
        "{}",
        swapped.all()
    );
    bench.run("burn new u4 --part 2716");
    let blank = bench.run("burn set horn --compare U4=u4.chip --json");
    assert!(blank.status == 1 && blank.out.contains("\"found\":\"blank\""), "{}", blank.all());
    for (line, status, words) in [
        ("burn set horn --compare U9=out/U4.bin", 2, "the set has no socket `U9`"),
        ("burn set horn --labels sheet.gif", 2, "neither .svg nor .png"),
        ("burn set", 2, "no set is named"),
        ("burn set horn.asm", 1, "horn.asm"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
}
