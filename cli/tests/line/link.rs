//! The debug link as a person uses it: a board in one window, the program and the monitor in another.
#![cfg(unix)]

use crate::common::Bench;
use rustix::process::{Pid, Signal, kill_process};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

const PATIENCE: Duration = Duration::from_secs(20);

/// A board that offers its link, with its console.
struct Board {
    child: Child,
    link: String,
    said: Receiver<Vec<u8>>,
    console: TcpStream,
    all: String,
}

impl Board {
    fn new(bench: &Bench, link: &str) -> Self {
        let mut command =
            plainbyte(bench, &["run", "--board", "dunlin", "--offer-link", link, "--console", "tcp:0"]);
        let mut child = command.stdin(Stdio::null()).stderr(Stdio::piped()).spawn().expect("it runs");
        let mut told = BufReader::new(child.stderr.take().expect("a pipe"));
        let mut place = |what: &str| {
            let mut line = String::new();
            told.read_line(&mut line).expect("a line");
            line.trim().strip_prefix(what).unwrap_or_else(|| panic!("{line}")).to_string()
        };
        let console = TcpStream::connect(place("console at ")).expect("it listens");
        let link = place("debug link at ");
        let link = if link.starts_with('/') { link } else { format!("tcp:{link}") };
        let (sender, said) = channel();
        let mut from = console.try_clone().expect("another handle");
        std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(count @ 1..) = from.read(&mut buffer) {
                if sender.send(buffer[..count].to_vec()).is_err() {
                    return;
                }
            }
        });
        Self { child, link, said, console, all: String::new() }
    }

    /// What the console still says of the last run is not taken for the next one's.
    fn quiet(&mut self) {
        while self.said.recv_timeout(Duration::from_millis(500)).is_ok() {}
        self.all.clear();
    }

    fn wait_for(&mut self, text: &str) {
        let begin = Instant::now();
        while !self.all.contains(text) {
            assert!(begin.elapsed() < PATIENCE, "no {text:?} in {:?}", self.all);
            if let Ok(bytes) = self.said.recv_timeout(Duration::from_millis(50)) {
                self.all.push_str(&String::from_utf8_lossy(&bytes));
            }
        }
    }
}

impl Drop for Board {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn plainbyte(bench: &Bench, arguments: &[&str]) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
    command.current_dir(&bench.path).args(arguments).stdout(Stdio::piped());
    command
}

/// Output, messages and status of a command with a script.
fn ran(bench: &Bench, arguments: &[&str], script: &str) -> (String, String, Option<i32>) {
    let mut command = plainbyte(bench, arguments);
    let mut child = command.stdin(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("it runs");
    child.stdin.take().expect("a pipe").write_all(script.as_bytes()).expect("it reads");
    let output = child.wait_with_output().expect("it ends");
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("text");
    (text(output.stdout), text(output.stderr), output.status.code())
}

/// Assemble, send and run with one command; break, reset, run again; registers and memory; the console on its own line.
#[test]
fn a_program_is_sent_run_broken_reset_and_run_again() {
    let bench = Bench::new();
    for place in ["tcp:0", "pty"] {
        let mut board = Board::new(&bench, place);
        let link = board.link.clone();
        // Nothing is in memory.
        let (out, err, status) =
            ran(&bench, &["monitor", "--link", &link], "memory 0..7\nlist 0..0\nregisters\n");
        assert_eq!((status, err.as_str()), (Some(0), ""));
        assert!(out.contains("000000  FF FF FF FF FF FF FF FF") && out.contains("rst 38h"), "{out}");
        // One command.
        let (out, err, status) =
            ran(&bench, &["run", "night-log", "--link", &link, "--cycles", "900000"], "");
        assert_eq!((status, err.as_str()), (Some(0), ""), "{out}");
        assert!(out.contains("the limit of cycles was reached") && out.contains("mode       adl"), "{out}");
        // Nobody tries on the board itself how it would go on.
        assert!(!out.contains("goes round"), "{out}");
        board.wait_for("05:30 wind 6, a boat made the harbour\r\n");
        // Break, look, reset, run again.
        let script = "stop at print\nreset\nset DE = 0\nrun\nregisters\nlist print..put\nmemory log..log+15\nset HL = log + 37\nforget all\nstop at open\nreset\nrun\nstep 2\n";
        let (out, err, status) = ran(&bench, &["monitor", "night-log", "--link", &link], script);
        assert_eq!((status, err.as_str()), (Some(0), ""), "{out}");
        if place == "pty" {
            insta::assert_snapshot!("monitor_over_a_link", out);
        }
        // What a script takes.
        let (out, _, _) = ran(&bench, &["run", "night-log", "--link", &link, "--until", "put", "--json"], "");
        let json: serde_json::Value = serde_json::from_str(&out).expect("JSON");
        assert_eq!(json["stop"]["reason"], "until");
        assert_eq!((&json["registers"]["A"], &json["registers"]["ADL"]), (&b'S'.into(), &1.into()));
        // Typing at the console is the board's own affair.
        board.console.write_all(b"x").expect("it is open");
    }
}

#[test]
fn an_operator_stops_the_board_and_it_can_be_run_again() {
    let bench = Bench::new();
    let mut board = Board::new(&bench, "tcp:0");
    let link = board.link.clone();
    for _ in 0..2 {
        let mut command = plainbyte(&bench, &["run", "night-log", "--link", &link]);
        let child = command.stdin(Stdio::null()).spawn().expect("it runs");
        board.wait_for("harbour\r\n");
        kill_process(Pid::from_child(&child), Signal::INT).expect("it is there");
        let output = child.wait_with_output().expect("it ends");
        let out = String::from_utf8_lossy(&output.stdout).into_owned();
        assert_eq!(output.status.code(), Some(1), "{out}");
        assert!(out.contains("the operator stopped it"), "{out}");
        board.quiet();
    }
    // A command that is killed leaves a board that runs; the next one stops it.
    let mut child = plainbyte(&bench, &["run", "night-log", "--link", &link])
        .stdin(Stdio::null())
        .spawn()
        .expect("it runs");
    board.wait_for("lamp lit");
    child.kill().expect("it is there");
    let _ = child.wait();
    let (out, err, status) = ran(&bench, &["monitor", "--link", &link], "reset\nregisters\n");
    assert_eq!((status, err.as_str()), (Some(0), ""), "{out}");
    assert!(out.contains("mode       z80, addresses begin with 00"), "{out}");
}

#[test]
fn a_command_can_be_the_board() {
    let bench = Bench::new();
    let own = assert_cmd::cargo::cargo_bin("plainbyte");
    let link = format!("exec:{} run --board dunlin --offer-link stdio", own.display());
    let (out, err, status) = ran(&bench, &["run", "night-log", "--link", &link, "--until", "print"], "");
    assert_eq!((status, err.as_str()), (Some(0), "debug link at standard input and output\n"), "{out}");
    assert!(out.contains("the run reached the place where it was to stop"), "{out}");
    // The language itself, at standard input and output.
    let (out, _, status) = ran(
        &bench,
        &["run", "--board", "dunlin", "--offer-link", "stdio"],
        "hello 1\nwrite 100 3E2A76\nset PC=100\nrun\nregisters\n",
    );
    assert_eq!(status, Some(0));
    let lines: Vec<&str> = out.lines().collect();
    assert_eq!(
        lines[..4],
        ["ok link=1 board=dunlin cpu=ez80 clock=18432000", "ok", "ok", "stopped halt 102"]
    );
    assert!(lines[4].starts_with("ok A=2A "), "{out}");
}

#[test]
fn far_sides_that_are_none_are_told() {
    let bench = Bench::new();
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    let address = listener.local_addr().expect("an address");
    // Somebody says nothing, then somebody else says nonsense, then somebody never ends a line.
    std::thread::spawn(move || {
        for (at, stream) in listener.incoming().flatten().enumerate() {
            std::thread::spawn(move || {
                let mut stream = stream;
                let mut buffer = [0; 100];
                while let Ok(1..) = stream.read(&mut buffer) {
                    let answer: &[u8] = match at {
                        0 => b"",
                        1 => b"\x1b[2J what?\n",
                        _ => &[b'x'; 100_000],
                    };
                    if stream.write_all(answer).is_err() {
                        return;
                    }
                }
            });
        }
    });
    let link = format!("tcp:{address}");
    let mut told = String::new();
    for arguments in [
        vec!["monitor", "--link", &link],
        vec!["monitor", "--link", &link],
        vec!["monitor", "--link", &link],
        vec!["run", "night-log", "--link", "tcp:1"],
        vec!["run", "night-log", "--link", "tcp:nowhere"],
        vec!["run", "night-log", "--link", "/dev/null"],
        vec!["run", "night-log", "--link", "exec:"],
        vec!["run", "night-log", "--link", "exec:no-such-command"],
        vec!["run", "night-log", "--link", "exec:true"],
        vec!["run", "--board", "dunlin", "--offer-link", "stdio", "--console", "stdio"],
        vec!["run", "--board", "dunlin", "--offer-link", "lamp"],
    ] {
        let (out, err, status) = ran(&bench, &arguments, "");
        assert_eq!(out, "");
        told +=
            &format!("{} -> {status:?}\n{}\n", arguments[1..].join(" ").replace(&link, "tcp:ADDRESS"), err);
    }
    let own = assert_cmd::cargo::cargo_bin("plainbyte");
    std::fs::write(
        bench.path.join("high.asm"),
        "        cpu ez80\n        org 90000h\n        mode adl\n        halt\n",
    )
    .expect("a file");
    let board = format!("exec:{} run --board dunlin --offer-link stdio", own.display());
    for (program, board) in [("high", board.clone()), ("divide", board)] {
        let (_, err, status) = ran(&bench, &["run", program, "--link", &board], "");
        told += &format!("{program} -> {status:?}\n{err}\n");
    }
    // Which devices there are is a matter of the computer.
    let devices =
        |line: &str| line.contains("help: there are /dev/") || line.contains("help: no serial device is");
    let told: Vec<&str> =
        told.lines().map(|line| if devices(line) { "  help: those that there are" } else { line }).collect();
    insta::assert_snapshot!(told.join("\n"));
}
