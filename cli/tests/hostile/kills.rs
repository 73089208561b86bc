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
