//! The serial line for real: pseudo-terminals, TCP, raw terminals, and what becomes of the terminal in the end.
#![cfg(unix)]

use crate::common::Bench;
use rustix::fs::{Mode, OFlags, open};
use rustix::io::{FdFlags, fcntl_setfd};
use rustix::process::{Pid, Signal, kill_process};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Termios, Winsize, tcgetattr, tcsetwinsize};
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::os::fd::OwnedFd;
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

const PATIENCE: Duration = Duration::from_secs(20);

/// Everything that is read from somewhere, as it comes.
struct Heard {
    bytes: Receiver<Vec<u8>>,
    all: String,
}

impl Heard {
    fn from(mut from: impl Read + Send + 'static) -> Self {
        let (sender, bytes) = channel();
        std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(count @ 1..) = from.read(&mut buffer) {
                if sender.send(buffer[..count].to_vec()).is_err() {
                    return;
                }
            }
        });
        Self { bytes, all: String::new() }
    }

    /// Waits until a text has come.
    fn wait_for(&mut self, text: &str) {
        let begin = Instant::now();
        while !self.all.contains(text) {
            assert!(begin.elapsed() < PATIENCE, "no {text:?} in {:?}", self.all);
            if let Ok(bytes) = self.bytes.recv_timeout(Duration::from_millis(50)) {
                self.all.push_str(&String::from_utf8_lossy(&bytes));
            }
        }
    }
}

/// Reads from a far end that does not wait until a text has come.
fn hear(from: &mut impl Read, text: &str) {
    let (begin, mut all, mut buffer) = (Instant::now(), String::new(), [0; 4096]);
    while !all.contains(text) {
        assert!(begin.elapsed() < PATIENCE, "no {text:?} in {all:?}");
        match from.read(&mut buffer) {
            Ok(count) => all.push_str(&String::from_utf8_lossy(&buffer[..count])),
            Err(error) => assert_eq!(error.kind(), std::io::ErrorKind::WouldBlock),
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}

fn plainbyte(bench: &Bench, arguments: &str) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
    command.current_dir(&bench.path).args(arguments.split(' ')).env("TERM", "xterm-256color");
    command
}

/// The command in the background, with the place of its console.
fn attached(bench: &Bench, console: &str) -> (Child, String) {
    let arguments = format!("run echo --board puffin --console {console}");
    let mut command = plainbyte(bench, &arguments);
    let mut child =
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("it runs");
    let mut line = String::new();
    BufReader::new(child.stderr.take().expect("a pipe")).read_line(&mut line).expect("a line");
    let place = line.trim().strip_prefix("console at ").expect("it tells the place").to_string();
    (child, place)
}

fn ended(child: &mut Child) -> Option<i32> {
    let begin = Instant::now();
    loop {
        if let Some(status) = child.try_wait().expect("a child") {
            assert_eq!(status.signal(), None);
            return status.code();
        }
        if begin.elapsed() > PATIENCE {
            let _ = child.kill();
            return None;
        }
        std::thread::sleep(Duration::from_millis(10));
    }
}

#[test]
fn a_terminal_program_may_come_and_go_at_a_pseudo_terminal() {
    let bench = Bench::new();
    let (mut child, name) = attached(&bench, "pty");
    let flags = OFlags::RDWR | OFlags::NOCTTY | OFlags::NONBLOCK;
    for (typed, answer) in [("horn", "fog bell \r\nhorn"), ("oil", "oil"), ("lampq", "lamp")] {
        let mut far = File::from(open(&name, flags, Mode::empty()).expect("the pseudo-terminal"));
        far.write_all(typed.as_bytes()).expect("it is typed");
        hear(&mut far, answer);
    }
    assert_eq!(stays_until_interrupted(&mut child), Some(0));
}

#[test]
fn a_far_end_may_come_and_go_at_a_tcp_port() {
    let bench = Bench::new();
    let (mut child, address) = attached(&bench, "tcp:0");
    assert!(address.starts_with("127.0.0.1:"), "{address} is of this computer alone");
    for (typed, answer) in [("horn", "fog bell \r\nhorn"), ("lampq", "lamp")] {
        let mut far = TcpStream::connect(&address).expect("it listens");
        far.set_nonblocking(true).expect("it need not wait");
        far.write_all(typed.as_bytes()).expect("it is typed");
        hear(&mut far, answer);
    }
    assert_eq!(stays_until_interrupted(&mut child), Some(0));
}

/// The board stays on its line when its program has ended, until Ctrl-C.
fn stays_until_interrupted(child: &mut Child) -> Option<i32> {
    std::thread::sleep(std::time::Duration::from_millis(300));
    assert!(child.try_wait().expect("it is ours").is_none(), "it stays");
    let process = rustix::process::Pid::from_child(child);
    rustix::process::kill_process(process, rustix::process::Signal::INT).expect("it is interrupted");
    ended(child)
}

#[test]
fn keys_come_from_a_pipe_and_what_is_wrong_is_told() {
    let bench = Bench::new();
    let ran = bench.run_with("run echo --board puffin --console stdio", "hornq");
    assert_eq!((ran.status, ran.err.as_str()), (0, "console at standard input and output\n"));
    assert!(ran.out.starts_with("fog bell \r\nhorn\nstopped"), "{}", ran.out);
    let taken = std::net::TcpListener::bind("127.0.0.1:0").expect("a port");
    let port = taken.local_addr().expect("an address").port();
    for (arguments, status, message) in [
        ("run echo --board puffin --console com1", 2, "write stdio, pty, tcp:PORT, or a serial device"),
        ("run echo --board puffin --console tcp:70000", 2, "`70000` is not a port"),
        ("run echo --board puffin --console stdio --json", 2, "would both go to standard output"),
        ("run echo --board puffin --console pty --trace", 2, "cannot be used with"),
        ("run echo --board bare --console pty", 2, "the board bare has no serial line"),
        ("run passages --board fulmar --console pty", 2, "the board fulmar has no serial line"),
        (&format!("run echo --board puffin --console tcp:{port}"), 1, "nothing can listen at port"),
    ] {
        let ran = bench.run(arguments);
        assert_eq!(ran.status, status, "{arguments}: {}", ran.err);
        assert!(ran.err.contains(message), "{arguments}: {}", ran.err);
    }
}

/// A terminal for a command: the side that a person has, and the other one.
fn terminal() -> (OwnedFd, OwnedFd) {
    let near = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).expect("a terminal");
    // A command that had it, too, would keep its own terminal open.
    fcntl_setfd(&near, FdFlags::CLOEXEC).expect("it is ours");
    grantpt(&near).expect("it may be used");
    unlockpt(&near).expect("it is open");
    let name = ptsname(&near, Vec::new()).expect("a name");
    let far = open(&name, OFlags::RDWR | OFlags::NOCTTY, Mode::empty()).expect("the other side");
    tcsetwinsize(&near, Winsize { ws_row: 40, ws_col: 128, ws_xpixel: 0, ws_ypixel: 0 }).expect("a size");
    (near, far)
}

fn on(far: &OwnedFd) -> Stdio {
    Stdio::from(far.try_clone().expect("a copy"))
}

/// The command with that terminal as its own.
fn at_terminal(bench: &Bench, arguments: &str, far: &OwnedFd) -> Child {
    let mut command = plainbyte(bench, arguments);
    command.stdin(on(far)).stdout(on(far)).stderr(on(far)).spawn().expect("it runs")
}

fn settings(far: &OwnedFd) -> String {
    let Termios { input_modes, output_modes, control_modes, local_modes, .. } =
        tcgetattr(far).expect("settings");
    format!("{input_modes:?} {output_modes:?} {control_modes:?} {local_modes:?}")
}

/// However a command ends that has the terminal, the terminal is as it was.
#[test]
fn the_terminal_is_given_back() {
    let bench = Bench::new();
    let console = "run echo --board puffin --console stdio";
    let panel = "panel --board tern";
    let monitor = "monitor --board bare --cpu 8080";
    for (arguments, ready, key, signal, status) in [
        (console, "fog bell", "q", None, 0),
        (console, "fog bell", "\x1c", None, 1),
        (console, "fog bell", "", Some(Signal::TERM), 1),
        (console, "fog bell", "", Some(Signal::HUP), 1),
        (panel, "running", "\x1b", None, 0),
        (panel, "running", "", Some(Signal::TERM), 0),
        (panel, "running", "", Some(Signal::HUP), 0),
        (panel, "running", "", Some(Signal::INT), 0),
        (monitor, ">", "quit\r", None, 0),
        (monitor, ">", "put 0 =", Some(Signal::TERM), 1),
        (monitor, ">", "put 0 =", Some(Signal::HUP), 1),
    ] {
        let (near, far) = terminal();
        let before = settings(&far);
        let mut child = at_terminal(&bench, arguments, &far);
        let mut near = File::from(near);
        let mut heard = Heard::from(near.try_clone().expect("a copy"));
        heard.wait_for(ready);
        assert_ne!(settings(&far), before, "{arguments} takes every key as it is pressed");
        near.write_all(key.as_bytes()).expect("it is pressed");
        if let Some(signal) = signal {
            // A burst is no reason to leave anything as it is.
            for _ in 0..5 {
                let _ = kill_process(Pid::from_child(&child), signal);
            }
        }
        assert_eq!(ended(&mut child), Some(status), "{arguments} {key:?} {signal:?}");
        assert_eq!(settings(&far), before, "{arguments} {key:?} {signal:?}");
        if arguments == panel {
            // The screen of before, the cursor, and no mouse.
            for end in ["\x1b[?1049l", "\x1b[?25h", "\x1b[?1000l"] {
                heard.wait_for(end);
            }
        }
    }
}

/// A terminal that is closed takes the command with it, though nothing tells the command.
#[test]
fn a_command_ends_with_its_terminal() {
    let bench = Bench::new();
    for (arguments, ready) in
        [("run echo --board puffin --console stdio", "fog bell"), ("panel --board tern", "running")]
    {
        let (near, far) = terminal();
        let mut child = at_terminal(&bench, arguments, &far);
        drop(far);
        let mut near = File::from(near);
        hear(&mut near, ready);
        drop(near);
        assert!(ended(&mut child).is_some(), "{arguments} goes on without a terminal");
    }
}

/// Lines that come faster than they are carried out, and several that are pasted at once, are all carried out.
#[test]
fn every_line_that_is_typed_or_pasted_is_carried_out() {
    let bench = Bench::new();
    let quick: String = (0..40).map(|at| format!("put {at} = {}\r", at + 0x40)).collect();
    let pasted: String = (40..50).map(|at| format!("put {at} = {}\n", at + 0x40)).collect();
    let (near, far) = terminal();
    let mut child = at_terminal(&bench, "monitor --board bare --cpu 8080", &far);
    let mut near = File::from(near);
    let mut heard = Heard::from(near.try_clone().expect("a copy"));
    heard.wait_for(">");
    near.write_all(quick.as_bytes()).expect("it is typed");
    near.write_all(format!("\x1b[200~{pasted}\x1b[201~\r").as_bytes()).expect("it is pasted");
    near.write_all(b"save typed.bin 0..49\rquit\r").expect("it is typed");
    assert_eq!(ended(&mut child), Some(0));
    let expected: Vec<u8> = (0x40..0x40 + 50).collect();
    assert_eq!(std::fs::read(bench.path.join("typed.bin")).expect("it was saved"), expected, "{}", heard.all);
}
