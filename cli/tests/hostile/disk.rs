//! A folder as a disk: written back at every close and every end, and never over what is somebody else's.

use crate::common::Bench;
use std::fs;
use std::io::{BufRead, Write};
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Makes the file that its word names, writes a record into it, closes it, says so, and waits for ever.
const KEEPS: &str = "        cpu 8080
        image com, \"keeps.com\"
        org 100h
        lxi d, 5Ch
        mvi c, 19               ; delete
        call 5
        lxi d, 5Ch
        mvi c, 22               ; make
        call 5
        lxi d, line
        mvi c, 26               ; transfer address
        call 5
        lxi d, 5Ch
        mvi c, 21               ; write
        call 5
        lxi d, 5Ch
        mvi c, 16               ; close
        call 5
        lxi d, done
        mvi c, 9
        call 5
        if defined(waits)
loop:   in 0FFh
        jmp loop
        endif
        rst 0
done:   db \"kept\", 13, 10, \"$\"
line:   db \"fog\"
        ds 125, 1Ah
";

fn bench() -> Bench {
    let bench = Bench::new();
    fs::create_dir(bench.path.join("disk")).expect("a folder");
    bench.write("keeps.asm", KEEPS);
    bench
}

fn path(bench: &Bench, name: &str) -> PathBuf {
    bench.path.join("disk").join(name)
}

/// A file that begins with what the program wrote.
fn is_written(bench: &Bench, name: &str) -> bool {
    fs::read(path(bench, name)).is_ok_and(|bytes| bytes.starts_with(b"fog\x1A") && bytes.len() == 128)
}

fn spawn(bench: &Bench, arguments: &str) -> Child {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
    command.current_dir(&bench.path).args(arguments.split(' '));
    command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("it runs")
}

fn until(what: &str, holds: impl Fn() -> bool) {
    let begin = Instant::now();
    while !holds() {
        assert!(begin.elapsed() < Duration::from_secs(10), "{what}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

#[test]
fn what_is_not_the_programs_is_never_lost() {
    let bench = bench();
    let run = |word: &str| bench.run(&format!("run keeps --board gannet --disk disk --writable {word}"));
    // Rights stay, and what is read-only stays what it is.
    for (mode, status) in [(0o640, 0), (0o444, 1)] {
        fs::write(path(&bench, "log.txt"), "old").expect("a file");
        fs::set_permissions(path(&bench, "log.txt"), fs::Permissions::from_mode(mode)).expect("rights");
        let ran = run("log.txt");
        assert_eq!(ran.status, status, "{}", ran.all());
        assert_eq!(fs::metadata(path(&bench, "log.txt")).expect("there").mode() & 0o777, mode);
        assert_eq!(is_written(&bench, "log.txt"), status == 0);
        assert_eq!(
            ran.err.contains("log.txt cannot be written: it is read-only"),
            status == 1,
            "{}",
            ran.all()
        );
        fs::remove_file(path(&bench, "log.txt")).expect("there");
    }
    // What was not on the disk: a link, a file that is too large, one whose name is another's in other letters.
    fs::write(bench.path.join("away.txt"), "mine").expect("a file");
    symlink("../away.txt", path(&bench, "link.txt")).expect("a link");
    fs::File::create(path(&bench, "large.txt")).and_then(|file| file.set_len(9 << 20)).expect("a file");
    fs::write(path(&bench, "BOAT.txt"), "upper").expect("a file");
    fs::write(path(&bench, "boat.txt"), "lower").expect("a file");
    for word in ["link.txt", "large.txt"] {
        let ran = run(word);
        assert!(ran.err.contains(&format!("what the program wrote is in {word}.changed")), "{}", ran.all());
        assert!(is_written(&bench, &format!("{word}.changed")) && !is_written(&bench, word));
    }
    assert_eq!(fs::read_to_string(bench.path.join("away.txt")).expect("there"), "mine");
    assert!(fs::symlink_metadata(path(&bench, "link.txt")).expect("there").is_symlink());
    let ran = run("boat.txt");
    assert!(ran.err.contains("boat.txt was never on the disk"), "{}", ran.all());
    assert_eq!(fs::read_to_string(path(&bench, "boat.txt")).expect("there"), "lower");
    assert!(is_written(&bench, "boat.txt.changed"));
    let closed = bench.run("run keeps --board gannet --disk none --writable log.txt");
    assert!(closed.status == 1 && closed.err.contains("name a folder with --disk"), "{}", closed.all());
    let linked = bench.run("run keeps --link tcp:127.0.0.1:1 --disk disk --writable log.txt");
    assert!(linked.status == 2 && linked.err.contains("has no disk here"), "{}", linked.all());
}

#[test]
fn a_closed_file_is_there_whatever_ends_the_run() {
    use rustix::process::{Pid, Signal, kill_process};
    let bench = bench();
    let run =
        "run keeps --board gannet --define waits=1 --cycles 900000000000 --disk disk --writable log.txt";
    for signal in [Signal::INT, Signal::TERM, Signal::HUP, Signal::KILL] {
        let _ = fs::remove_file(path(&bench, "log.txt"));
        let mut child = spawn(&bench, run);
        until("it is written when it is closed", || is_written(&bench, "log.txt"));
        let _ = kill_process(Pid::from_child(&child), signal);
        child.wait().expect("it ends");
        assert!(is_written(&bench, "log.txt"), "{signal:?}");
    }
    // A script that goes wrong has kept what was closed before.
    let script = "put 5Ch = 0\nput 5Dh = \"LOG     TXT\"\nrun\nnonsense\n";
    let _ = fs::remove_file(path(&bench, "log.txt"));
    let ran = bench.run_with("monitor keeps --board gannet --disk disk --writable", script);
    assert!(ran.status == 1 && is_written(&bench, "log.txt"), "{}", ran.all());
    let _ = fs::remove_file(path(&bench, "log.txt"));
    fs::write(path(&bench, "log.txt"), "old").expect("a file");
    // What somebody saves between the opening and the close stays, and the program's is told.
    let mut child = spawn(&bench, "monitor keeps --board gannet --disk disk --writable");
    let mut typed = child.stdin.take().expect("its input");
    typed.write_all(b"put 5Dh = \"LOG     TXT\"\n").expect("it listens");
    let mut told = String::new();
    std::io::BufReader::new(child.stdout.as_mut().expect("its output")).read_line(&mut told).expect("text");
    fs::write(path(&bench, "log.txt"), "somebody's").expect("a file");
    typed.write_all(b"run\nquit\n").expect("it listens");
    drop(typed);
    let ended = child.wait_with_output().expect("it ends");
    let told = String::from_utf8_lossy(&ended.stderr);
    assert!(told.contains("log.txt was changed by somebody else meanwhile"), "{told}");
    assert_eq!(fs::read_to_string(path(&bench, "log.txt")).expect("there"), "somebody's");
    assert!(is_written(&bench, "log.txt.changed"));
}
