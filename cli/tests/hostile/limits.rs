//! The limits of docs/limits.md: just below them everything works, above them a clear message, within stated time and memory.

use crate::common::Bench;
use std::fmt::Write;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Longer than this nothing takes here, on a slow machine and unoptimised.
const TIME: Duration = Duration::from_secs(20);
/// More memory than this nothing takes, in KiB.
const MEMORY: u64 = 1 << 20;

/// The command under a limit of address space; its status and what it says is wrong.
fn limited(bench: &Bench, arguments: &str, input: &str) -> (i32, String) {
    let command = assert_cmd::cargo::cargo_bin("plainbyte");
    bench.write("input", input);
    let line = format!("ulimit -v {MEMORY}; exec {} {arguments} < input > output", command.display());
    let begin = Instant::now();
    let mut shell = Command::new("sh");
    shell.args(["-c", &line]).current_dir(&bench.path).stdin(Stdio::null());
    let ran = shell.output().expect("it runs");
    assert!(begin.elapsed() < TIME, "{arguments}: {:?}", begin.elapsed());
    (ran.status.code().unwrap_or(-1), String::from_utf8_lossy(&ran.stderr).into_owned())
}

#[test]
fn what_is_too_much_is_told_in_time() {
    let bench = Bench::new();
    let jumps = |count: usize| {
        let mut text = String::from("        cpu 8080\n        org 100h\n");
        (0..count).for_each(|at| _ = writeln!(text, "at{at}: jz at{}", at * 7919 % count));
        text + "        hlt\n"
    };
    bench.write("few.asm", &jumps(200));
    bench.write("many.asm", &jumps(5000));
    bench.write("copies.asm", "        cpu 8080\n        copies 0FFFFFFFFh\n\n        endcopies\n");
    bench.write("wrong.asm", &format!("        cpu 8080\n{}", "        mvo a\n".repeat(1_000_000)));
    std::fs::write(bench.path.join("large.bin"), vec![0; 20 << 20]).expect("a file");
    std::fs::write(bench.path.join("card.bin"), vec![0x76; 1 << 16]).expect("a file");
    bench.write("endless.asm", "        cpu 8080\nloop:   inr a\n        jmp loop\n");
    std::fs::create_dir(bench.path.join("disk")).expect("a folder");
    for at in 0..4100 {
        bench.write(&format!("disk/f{at}"), "");
    }
    // The command, what is typed, how it ends, and what is said.
    let tries = [
        ("flow few.asm", "", 0, ""),
        ("flow many.asm", "", 1, "draw it with --output FILE.svg"),
        ("flow many.asm --output many.svg", "", 0, ""),
        ("build many.asm --sizes", "", 0, ""),
        ("build copies.asm", "", 1, "4194304 pieces at once"),
        ("build wrong.asm", "", 1, "more than 10000 errors, and the rest is not read"),
        ("card card.bin --cpu z80", "", 0, ""),
        ("card large.bin --cpu ez80", "", 1, "more than anybody keys in"),
        ("monitor --board bare --cpu 8080", "step 65536\n", 0, ""),
        ("monitor --board bare --cpu 8080", "step 65537\n", 1, "give a count from 1 to 65536"),
        ("monitor endless.asm", "run\n", 1, "does not end within 500 turns"),
        ("run faircopy.asm --board gannet --disk disk", "", 1, "more than 4096 files"),
    ];
    bench.write(
        "faircopy.asm",
        "        cpu 8080\n        image com, \"faircopy.com\"\n        org 100h\n        rst 0\n",
    );
    for (command, input, status, said) in tries {
        let (ended, told) = limited(&bench, command, input);
        assert!(
            ended == status && told.contains(said),
            "{command}: {ended}\n{}",
            &told[..told.len().min(2000)]
        );
        assert!(!told.contains("panicked"), "{command}\n{told}");
    }
}
