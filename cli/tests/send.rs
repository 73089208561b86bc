//! `send` by the built command: to a board that runs in another one, over TCP and a pseudo-terminal, and to far sides that fail.
#![cfg(unix)]

mod common;

use common::Bench;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpListener;
use std::process::{Child, Command, Stdio};

/// A board with its resident monitor, in the background; where its console is.
fn board(bench: &Bench, console: &str) -> (Child, String) {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
    let arguments = format!("run --board curlew --console {console}");
    command.current_dir(&bench.path).args(arguments.split(' '));
    let command = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped());
    let mut child = command.spawn().expect("it runs");
    let mut line = String::new();
    BufReader::new(child.stderr.take().expect("a pipe")).read_line(&mut line).expect("a line");
    let place = line.trim().strip_prefix("console at ").expect("it tells the place").to_string();
    (child, if place.starts_with('/') { place } else { format!("tcp:{place}") })
}

#[test]
fn images_go_to_a_board_and_are_read_back() {
    let bench = Bench::new();
    for (console, arguments) in [
        ("tcp:0", "--verify"),
        ("pty", "--baud 38400 --by xmodem --verify"),
        ("tcp:0", "--by xmodem --blocks 1024 --verify --go"),
    ] {
        let (mut child, place) = board(&bench, console);
        // A path may have blanks in the harness's own notation.
        let ran = bench.run(&format!("send entries --to {} {arguments}", place.replace('_', " ")));
        let _ = child.kill();
        let _ = child.wait();
        let told = "entries.asm: 166 bytes sent, 0100..01A5, and read back the same\n";
        assert_eq!((ran.status, ran.out.as_str()), (0, told), "{arguments}: {}", ran.all());
    }
}

/// A far side of our own: it says each of these in turn, whenever something has come, and then goes away.
fn far_side(answers: Vec<Vec<u8>>) -> (String, std::thread::JoinHandle<Vec<u8>>) {
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    let place = format!("tcp:{}", listener.local_addr().expect("an address").port());
    let thread = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().expect("somebody comes");
        let (mut all, mut buffer) = (Vec::new(), [0; 4096]);
        for answer in answers {
            let Ok(count @ 1..) = stream.read(&mut buffer) else { break };
            all.extend(&buffer[..count]);
            if stream.write_all(&answer).is_err() {
                break;
            }
        }
        all
    });
    (place, thread)
}

#[test]
fn what_breaks_off_is_told_and_gone_on_with() {
    let bench = Bench::new();
    bench.write("long.asm", " cpu z80\n org 8000h\n copies 100, n\n dw n * 77\n endcopies\n");
    // Cancelled behind the first of two blocks.
    let (place, far) = far_side(vec![b"C".to_vec(), vec![6], vec![0x18, 0x18]]);
    let ran = bench.run(&format!("send long --to {place} --by xmodem"));
    assert_eq!(ran.status, 1);
    assert!(
        ran.err.contains("long.asm: the far side has cancelled") && ran.err.contains("--resume"),
        "{}",
        ran.err
    );
    assert!(far.join().expect("it ends").starts_with(b"receive 8000\r"));
    assert!(bench.exists("long.asm.unsent"));
    // It goes on with the second one, and with nothing else.
    for (arguments, told) in
        [("--by hex", "it was sent with --by xmodem"), ("--by xmodem --type get", "begins at the beginning")]
    {
        let (place, _) = far_side(vec![]);
        let ran = bench.run(&format!("send long --to {place} --resume {arguments}"));
        assert!(ran.status == 1 && ran.err.contains(told), "{}", ran.all());
    }
    let (place, far) = far_side(vec![b"C".to_vec(), vec![6], vec![6]]);
    let ran = bench.run(&format!("send long --to {place} --by xmodem --resume"));
    assert_eq!(ran.status, 0, "{}", ran.all());
    let sent = far.join().expect("it ends");
    assert!(sent.starts_with(b"receive 8080\r\x01\x01\xFE"), "{sent:?}");
    assert!(!bench.exists("long.asm.unsent"));
    assert!(bench.run(&format!("send long --to {place} --resume")).err.contains("no attempt was broken off"));
    // An echo that is wrong in the second line.
    let first = ":2080000000004D009A00E70034018101CE011B026802B50202034F039C03E9033604830497";
    let (place, _) =
        far_side(vec![b"load\r\n".to_vec(), format!("{first}\r\n").into_bytes(), b":20802x".to_vec()]);
    let ran = bench.run(&format!("send long --to {place}"));
    assert!(ran.status == 1 && ran.err.contains("came back as"), "{}", ran.all());
}

#[test]
fn far_sides_that_are_none_are_told() {
    let bench = Bench::new();
    bench.write("file", "x");
    for (line, status, told) in [
        ("send entries --to tcp:1", 1, "tcp:1 does not answer"),
        ("send entries --to tcp:nowhere.invalid:9", 1, "does not answer"),
        ("send entries --to /dev/nothing-there", 1, "/dev/nothing-there cannot be opened"),
        ("send entries --to file", 1, "file is no serial line"),
        ("send entries", 2, "--to"),
        ("send entries --to tcp:1 --blocks 512", 2, "512"),
        ("send nothing --to tcp:1", 1, "nothing"),
        ("send dusk --to tcp:1", 1, "has no bytes to send"),
    ] {
        let ran = bench.run(line);
        assert_eq!(ran.status, status, "{line}: {}", ran.all());
        assert!(ran.err.contains(told), "{line}: {}", ran.err);
    }
    // One that goes away at once, and one that says nothing that anybody asked for.
    let (place, _) = far_side(vec![vec![]]);
    let ran = bench.run(&format!("send entries --to {place}"));
    assert!(ran.status == 1 && ran.err.contains("was closed by the far side"), "{}", ran.all());
    let (place, _) = far_side(vec![vec![0xFF; 3000]]);
    let ran = bench.run(&format!("send entries --to {place} --by xmodem"));
    assert!(ran.status == 1 && ran.err.contains("was closed by the far side"), "{}", ran.all());
}
