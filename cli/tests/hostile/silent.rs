//! What went wrong without a word.

use crate::common::Bench;
use rustix::fs::{Mode, OFlags, open};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use std::fs::File;
use std::io::Read;
use std::process::{Command, Stdio};

const SAYS: &str = "        cpu 6502
        org 200h
        lda #3
        sta 7F80h
        lda #15h
        sta 7F80h
        ldx #0
loop:   lda words, x
        beq stop
        sta 7F81h
wait:   lda 7F80h
        and #2
        beq wait
        inx
        bne loop
stop:   jmp stop
words:  db 27, \"]0;lamp\", 7, 27, \"[31mred\", 9Bh, 10, 0
";

#[test]
fn bytes_that_are_no_text_and_writes_that_are_not_kept_are_told() {
    let bench = Bench::new();
    bench.write("says.asm", SAYS);
    let json = bench.json("run says --board puffin --cpu 6502 --json --cycles 500000");
    let bytes: Vec<u64> =
        json["output_bytes"].as_array().expect("bytes").iter().filter_map(|one| one.as_u64()).collect();
    assert!(bytes.starts_with(&[27, 0x5D, 0x30]) && bytes.contains(&0x9B), "{json}");
    bench.write("ports.asm", "        cpu 8080\n        lxi b, 3\nloop:   lxi d, 0\nnext:   out 10h\n        inr a\n        dcx d\n        mov h, d\n        mov l, e\n        mov a, h\n        ora l\n        jnz next\n        jmp loop\n");
    let json = bench.json("run ports --json --cycles 90000000");
    assert_eq!(json["ports"].as_array().map(Vec::len), Some(1 << 20));
    assert!(json["ports_not_kept"].as_u64() > Some(0), "{}", json["ports_not_kept"]);
}

/// What a program says is shown at a terminal, and not obeyed by it.
#[test]
fn a_terminal_obeys_no_program() {
    let bench = Bench::new();
    bench.write("says.asm", SAYS);
    let near = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).expect("a terminal");
    grantpt(&near).expect("it may be used");
    unlockpt(&near).expect("it is open");
    let far = open(ptsname(&near, Vec::new()).expect("a name"), OFlags::RDWR | OFlags::NOCTTY, Mode::empty())
        .expect("it opens");
    let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
    command.current_dir(&bench.path).args("run says --board puffin --cpu 6502 --cycles 500000".split(' '));
    command.env("NO_COLOR", "1").stdin(Stdio::null()).stderr(Stdio::null()).stdout(Stdio::from(far));
    let mut child = command.spawn().expect("it runs");
    drop(command);
    let reader = std::thread::spawn(move || {
        let mut all = Vec::new();
        let _ = File::from(near).read_to_end(&mut all);
        all
    });
    child.wait().expect("it ends");
    let all = String::from_utf8_lossy(&reader.join().expect("no panic")).into_owned();
    assert!(all.contains("\u{241B}]0;lamp") && all.contains("\u{241B}[31mred"), "{all:?}");
    assert!(!all.contains('\u{1b}'), "{all:?}");
}

/// More chips than a byte can number all answer.
#[test]
fn every_chip_of_a_board_answers() {
    let bench = Bench::new();
    let mut board = String::from(
        "version = 1\nname = \"many\"\ntitle = \"many\"\nprocessor = \"ez80\"\nclock = 1_000_000\n[[memory]]\nkind = \"ram\"\nfirst = 0\nlast = 0xFFFF\n",
    );
    for at in 0..300 {
        board +=
            &format!("[[chip]]\npart = \"8212\"\nname = \"lamps{at}\"\nport = {at}\nwiring = \"lamps\"\n");
    }
    bench.write("many.toml", &board);
    bench.write("many.asm", "        cpu ez80\n        ld bc, 100h\n        ld a, 5Ah\n        out (c), a\n        ld bc, 12Bh\n        ld a, 0A5h\n        out (c), a\n        halt\n");
    bench.write("many.cases.toml", "version = 1\nprogram = \"many.asm\"\nboard = \"many.toml\"\n[[case]]\nname = \"the last\"\nexpect.lamps = { \"lamps256\" = 0x5A, \"lamps299\" = 0xA5, \"lamps0\" = 0 }\n");
    let ran = bench.run("cases many");
    assert_eq!(ran.status, 0, "{}", ran.all());
}

/// A project further up is named, and that of somebody else is not followed.
#[test]
fn a_project_above_is_told() {
    let bench = Bench::new();
    std::fs::create_dir_all(bench.path.join("lamp/notes")).expect("folders");
    bench.write("lamp/plainbyte.toml", "version = 1\nsource = \"lamp.asm\"\n");
    bench.write("lamp/lamp.asm", "        cpu 8080\n        hlt\n");
    let below = Bench::at(bench.path.join("lamp/notes"));
    let ran = below.run("build");
    assert!(
        ran.status == 0 && ran.err.contains("this is the project of ") && ran.err.lines().count() == 1,
        "{}",
        ran.all()
    );
    let ran = Bench::at(bench.path.join("lamp")).run("build");
    assert!(ran.status == 0 && ran.err.is_empty(), "{}", ran.all());
    if rustix::process::geteuid().is_root() {
        std::os::unix::fs::chown(bench.path.join("lamp/plainbyte.toml"), Some(4711), None).expect("root may");
        let ran = below.run("build");
        assert!(ran.status == 2 && ran.err.contains("belongs to somebody else"), "{}", ran.all());
    }
}
