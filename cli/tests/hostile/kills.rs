//! Commands that are ended while they write.

use super::outputs::left_over;
use crate::common::Bench;
use std::fs;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Ended at any moment, by any signal, the file is what it was or what it was to become, and nothing is left beside it that the next
/// run does not remove.
#[test]
fn an_output_is_old_or_new_whenever_it_is_ended() {
    let bench = Bench::new();
    bench.write("big.asm", "        cpu ez80adl\n        ds 200000h, 5Ah\n");
    bench.write("small.asm", "        cpu 8080\n        nop\n");
    let (old, new) = (b"old".to_vec(), vec![0x5A; 0x20_0000]);
    let path = bench.path.join("big.bin");
    let build = || {
        let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
        command.current_dir(&bench.path).args(["build", "big.asm", "--output", "raw:big.bin"]);
        command.stdout(Stdio::null()).stderr(Stdio::null());
        command
    };
    let begin = Instant::now();
    assert!(build().status().expect("it runs").success());
    let whole = begin.elapsed();
    assert!(fs::read(&path).expect("there") == new);
    let signals = [
        rustix::process::Signal::INT,
        rustix::process::Signal::TERM,
        rustix::process::Signal::HUP,
        rustix::process::Signal::KILL,
    ];
    let mut survived = [0; 2];
    for turn in 0..16u32 {
        fs::write(&path, &old).expect("a file");
        let mut child = build().spawn().expect("it runs");
        std::thread::sleep(whole * (turn + 1) / 18 + Duration::from_micros(u64::from(turn) * 137 % 900));
        let pid = rustix::process::Pid::from_child(&child);
        let signal = signals[turn as usize % signals.len()];
        let _ = rustix::process::kill_process(pid, signal);
        child.wait().expect("it ends");
        let found = fs::read(&path).expect("it is there");
        assert!(found == old || found == new, "{} bytes", found.len());
        survived[usize::from(found == new)] += 1;
        if signal != rustix::process::Signal::KILL {
            assert!(left_over(&bench).is_empty(), "{signal:?}: {:?}", left_over(&bench));
        }
    }
    assert!(survived[0] > 0, "no run was ended in time");
    // What was ended at once left something; the next who writes there takes it away.
    assert_eq!(bench.run("build small.asm --output raw:small.bin").status, 0);
    assert!(left_over(&bench).is_empty(), "{:?}", left_over(&bench));
}

/// Writes a file of 64 records, all of one letter, closes it, and goes on with the next letter for ever.
const MANY: &str = "        cpu z80
        org 100h
        image com, \"many.com\"
start:  ld a, (letter)
        ld hl, 80h
        ld b, 128
fill:   ld (hl), a
        inc hl
        djnz fill
        ld c, 19
        call file
        xor a
        ld (block + 12), a
        ld (block + 32), a
        ld c, 22
        call file
        ld b, 64
write:  push bc
        ld c, 21
        call file
        pop bc
        djnz write
        ld c, 16
        call file
        ld hl, letter
        inc (hl)
        ld a, (hl)
        cp 'Z' + 1
        jr nz, start
        ld (hl), 'A'
        jr start
file:   ld de, block
        jp 5
letter: db \"A\"
block:  db 0, \"LOG     TXT\"
        ds 24, 0
";

/// Ended at any moment, a file of the disk's folder is one that the program has closed, whole, or the one that was there.
#[test]
fn a_file_of_the_disk_is_whole_whenever_the_run_is_ended() {
    let bench = Bench::new();
    bench.write("many.asm", MANY);
    fs::create_dir(bench.path.join("disk")).expect("a folder");
    let path = bench.path.join("disk/log.txt");
    let old = b"the keeper's log".to_vec();
    let mut changed = 0;
    for turn in 0..12u64 {
        fs::write(&path, &old).expect("a file");
        let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
        command
            .current_dir(&bench.path)
            .args("run many.asm --board curlew --disk disk --writable".split(' '));
        let mut child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("it runs");
        std::thread::sleep(Duration::from_micros(20_000 + turn * 17_431));
        let pid = rustix::process::Pid::from_child(&child);
        let signal =
            if turn % 3 == 0 { rustix::process::Signal::TERM } else { rustix::process::Signal::KILL };
        let _ = rustix::process::kill_process(pid, signal);
        child.wait().expect("it ends");
        let found = fs::read(&path).expect("it is there");
        let whole = found.len() == 64 * 128 && found.iter().all(|byte| *byte == found[0]);
        assert!(found == old || whole, "{} bytes", found.len());
        changed += u32::from(whole);
    }
    assert!(changed > 0, "no run was ended late enough");
    // What was ended at once left something; the next run takes it away.
    fs::write(&path, &old).expect("a file");
    let ran = bench.run("run many.asm --board curlew --disk disk --writable --cycles 20000000");
    assert_eq!(ran.status, 0, "{}", ran.all());
    let names = fs::read_dir(bench.path.join("disk")).expect("the folder").flatten();
    for name in names.map(|one| one.file_name().to_string_lossy().into_owned()) {
        // What the program was still writing is kept beside.
        assert!(name == "log.txt" || name.starts_with("log.txt.changed"), "{name}");
    }
}
