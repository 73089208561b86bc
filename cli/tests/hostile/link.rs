//! The debug link and who comes to it, and the lines that are driven from here and who is at their end.

use crate::common::Bench;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::UnixStream;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const PATIENCE: Duration = Duration::from_secs(10);

fn spawn(bench: &Bench, arguments: &[&str]) -> Child {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
    command.current_dir(&bench.path).args(arguments);
    command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("it runs")
}

/// A board that offers its link at a place, and the place that it tells.
fn board(bench: &Bench, place: &str) -> (Child, String) {
    let mut child = spawn(bench, &["run", "--board", "dunlin", "--offer-link", place]);
    let mut line = String::new();
    BufReader::new(child.stderr.take().expect("a pipe")).read_line(&mut line).expect("a line");
    let place = line.trim().strip_prefix("debug link at ").expect("the place").to_string();
    (child, place)
}

fn client(place: &str) -> TcpStream {
    let stream = TcpStream::connect(place).expect("it listens");
    stream.set_read_timeout(Some(PATIENCE)).expect("a time");
    stream.set_write_timeout(Some(PATIENCE / 5)).expect("a time");
    stream
}

/// The next line; empty where the line was hung up.
fn line(from: &mut impl BufRead) -> String {
    let mut line = String::new();
    let _ = from.read_line(&mut line);
    line.trim_end().to_string()
}

/// Asks, and what is answered.
fn ask(stream: &TcpStream, request: &str) -> String {
    (&*stream).write_all(request.as_bytes()).expect("it takes it");
    line(&mut BufReader::new(stream))
}

fn ends(mut child: Child, what: &str) -> i32 {
    let begin = Instant::now();
    loop {
        if let Some(status) = child.try_wait().expect("a child") {
            return status.code().unwrap_or(-1);
        }
        assert!(begin.elapsed() < PATIENCE + PATIENCE, "{what} goes on");
        std::thread::sleep(Duration::from_millis(10));
    }
}

const LOOP: &str = "write 100 18FE\nset PC=100\n";

#[test]
fn a_board_answers_whoever_comes_and_nobody_else() {
    let bench = Bench::new();
    let (mut child, place) = board(&bench, "tcp:0");
    // While it runs, `stop` is seen after whatever came before it, and that is answered then.
    let stream = client(&place);
    let mut answers = BufReader::new(stream.try_clone().expect("another handle"));
    (&stream)
        .write_all(format!("hello 1\n{LOOP}write 100 00C30001\nrun\n\nread 100 2\n").as_bytes())
        .expect("sent");
    for wanted in ["ok link=1", "ok", "ok", "ok"] {
        assert!(line(&mut answers).starts_with(wanted));
    }
    std::thread::sleep(Duration::from_millis(100));
    (&stream).write_all(b"stop\n").expect("sent");
    assert!(line(&mut answers).starts_with("stopped operator"));
    assert_eq!(line(&mut answers), "ok 00C3");
    // A second one is told, and the first goes on.
    let other = client(&place);
    assert_eq!(line(&mut BufReader::new(&other)), "no somebody else drives this board");
    assert_eq!(ask(&stream, "read 100 1\n"), "ok 00");
    // One that says nothing more has its answers; the next has none of them, nor the breakpoints.
    (&stream).write_all(b"break 100\nread 101 3\n").expect("sent");
    stream.shutdown(std::net::Shutdown::Write).expect("it is open");
    let mut rest = String::new();
    answers.read_to_string(&mut rest).expect("text");
    assert_eq!(rest, "ok\nok C30001\n");
    let stream = client(&place);
    let hello = ask(&stream, "hello 1\n");
    assert!(hello.starts_with("ok link=1"), "{hello}");
    // One that goes away in the middle of a run leaves nothing running.
    (&stream).write_all(b"run\n").expect("sent");
    std::thread::sleep(Duration::from_millis(100));
    drop(stream);
    let stream = client(&place);
    assert!(ask(&stream, "hello 1\n").starts_with("ok link=1"));
    let before = ask(&stream, "registers\n");
    std::thread::sleep(Duration::from_millis(100));
    assert_eq!(ask(&stream, "registers\n"), before);
    drop(stream);
    // What is not this language is hung up on, and nothing of it is carried out.
    let stream = client(&place);
    (&stream)
        .write_all(b"POST / HTTP/1.1\r\nContent-Length: 20\r\n\r\nwrite 100 76\nhello 1\n")
        .expect("sent");
    let mut all = String::new();
    BufReader::new(&stream).read_to_string(&mut all).expect("text");
    assert_eq!(all, "no this is a debug link, and begins with `hello 1`; the line is hung up\n");
    let stream = client(&place);
    assert_eq!(ask(&stream, "read 100 1\n"), "ok 00");
    // A flood is hung up on; the board is there for the next.
    (&stream).write_all(b"run\n").expect("sent");
    let flood = b"read 0 1\n".repeat(8000);
    let _ = (&stream).write_all(&flood);
    let mut all = String::new();
    let _ = BufReader::new(&stream).read_to_string(&mut all);
    assert!(all.contains("no more waits than there is room for"), "{}", &all[..all.len().min(300)]);
    let stream = client(&place);
    assert_eq!(ask(&stream, "read 100 1\n"), "ok 00");
    // It ends at once, also while somebody sends without end.
    let sender = std::thread::spawn(move || while (&stream).write_all(&[b'\n'; 4096]).is_ok() {});
    std::thread::sleep(Duration::from_millis(100));
    let begin = Instant::now();
    rustix::process::kill_process(rustix::process::Pid::from_child(&child), rustix::process::Signal::INT)
        .expect("it is there");
    let _ = child.wait();
    assert!(begin.elapsed() < Duration::from_secs(2), "{:?}", begin.elapsed());
    sender.join().expect("it ends");
}

#[test]
fn a_socket_is_for_whoever_runs_the_board() {
    let bench = Bench::new();
    let (child, place) = board(&bench, "unix:link.socket");
    assert_eq!(place, "unix:link.socket");
    let path = bench.path.join("link.socket");
    assert_eq!(std::fs::metadata(&path).expect("it is there").permissions().mode() & 0o777, 0o600);
    let mut stream = UnixStream::connect(&path).expect("it listens");
    stream.write_all(b"hello 1\n").expect("sent");
    assert!(line(&mut BufReader::new(&stream)).starts_with("ok link=1"));
    drop(stream);
    bench.write("nops.asm", "        cpu ez80\n        org 100h\n        nop\n        halt\n");
    let ran = bench.run("run nops --link unix:link.socket");
    assert_eq!(ran.status, 0, "{}", ran.all());
    let taken = bench.run("run --board dunlin --offer-link unix:nops.asm");
    assert!(taken.status == 1 && bench.read("nops.asm").contains("nop"), "{}", taken.all());
    rustix::process::kill_process(rustix::process::Pid::from_child(&child), rustix::process::Signal::TERM)
        .expect("it is there");
    ends(child, "the board");
    assert!(!path.exists(), "it goes with the board");
}

/// Far sides that do what none should: every exchange ends, with a message.
#[test]
fn no_far_side_holds_a_command_up() {
    let bench = Bench::new();
    bench.write("nops.asm", "        cpu ez80\n        org 100h\n        nop\n        halt\n");
    // What the far side says, again and again with so many milliseconds between; without end where there are none.
    type Far = (&'static str, u64);
    let fars: [Far; 4] =
        [("x", 20), ("xxxxxxxxxxxxxxxx", 0), ("ok link=9 board=x cpu=ez80 clock=1\n", 50), ("\n", 20)];
    let bench = &bench;
    std::thread::scope(|scope| {
        // A command at the other end does not stay.
        scope.spawn(move || {
            let marker = bench.path.join("alive");
            let link = format!("exec:sh {}", bench.path.join("far.sh").display());
            bench.write(
                "far.sh",
                &format!("trap '' PIPE\nwhile :; do touch {}; sleep 0.1; done\n", marker.display()),
            );
            let child = spawn(bench, &["run", "nops", "--link", &link]);
            assert_eq!(ends(child, "run"), 1);
            std::thread::sleep(Duration::from_millis(300));
            let _ = std::fs::remove_file(&marker);
            std::thread::sleep(Duration::from_millis(500));
            assert!(!marker.exists(), "the command at the other end goes on");
        });
        for (words, pause) in fars {
            let command = "run nops --link";
            scope.spawn(move || {
                let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
                let port = listener.local_addr().expect("an address").port();
                let far = std::thread::spawn(move || {
                    let Ok((mut stream, _)) = listener.accept() else { return };
                    while stream.write_all(words.as_bytes()).is_ok() {
                        std::thread::sleep(Duration::from_millis(pause));
                    }
                });
                let place = format!("tcp:{port}");
                let arguments: Vec<&str> = command.split(' ').chain([place.as_str()]).collect();
                let begin = Instant::now();
                let status = ends(spawn(bench, &arguments), command);
                assert!(begin.elapsed() < PATIENCE + PATIENCE, "{command} {words:?}");
                assert_eq!(status, 1, "{words:?}");
                far.join().expect("it ends");
            });
        }
    });
}

/// A receiver that says something for ever and takes nothing.
#[test]
fn a_far_side_that_only_chatters_is_given_up() {
    let bench = Bench::new();
    for (by, chatter) in
        [("xmodem", &b"\x15"[..]), ("xmodem", b"~"), ("xmodem --blocks 1024", b"C"), ("hex", b":")]
    {
        let listener = TcpListener::bind(("127.0.0.1", 0)).expect("a port");
        let port = listener.local_addr().expect("an address").port();
        let far = std::thread::spawn(move || {
            let (mut stream, _) = listener.accept().expect("somebody comes");
            stream.set_nonblocking(true).expect("it can be");
            let mut buffer = [0; 4096];
            while stream.write_all(chatter).is_ok() {
                let _ = stream.read(&mut buffer);
                std::thread::sleep(Duration::from_millis(20));
            }
        });
        let begin = Instant::now();
        let ran = bench.run(&format!("send divide.asm --to tcp:{port} --give-up 1 --by {by}"));
        assert!(ran.status == 1 && begin.elapsed() < PATIENCE, "{by} {chatter:?}: {}", ran.all());
        far.join().expect("it is hung up on");
    }
}
