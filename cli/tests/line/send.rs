//! `send` by the built command: to a board that runs in another one, over TCP and a pseudo-terminal, and to far sides that fail.
#![cfg(unix)]

use crate::common::Bench;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::os::fd::OwnedFd;
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
    let sent = |(console, arguments): (&str, &str)| {
        let (mut child, place) = board(&bench, console);
        // A path may have blanks in the harness's own notation.
        let ran = bench.run(&format!("send entries --to {} {arguments}", place.replace('_', " ")));
        let _ = child.kill();
        let _ = child.wait();
        let told = "entries.asm: 166 bytes sent, 0100..01A5, and read back the same\n";
        assert_eq!((ran.status, ran.out.as_str()), (0, told), "{arguments}: {}", ran.all());
    };
    // Each board takes as long as its line does.
    std::thread::scope(|scope| {
        for way in [
            ("tcp:0", "--verify"),
            ("pty", "--baud 38400 --by xmodem --verify"),
            ("tcp:0", "--by xmodem --blocks 1024 --verify --go"),
        ] {
            let sent = &sent;
            scope.spawn(move || sent(way));
        }
    });
}

/// With `--stay` the command is the far side's terminal once the program is sent.
#[test]
fn whoever_stays_is_the_terminal_of_the_far_side() {
    let bench = Bench::new();
    bench.write("bell.hex", ":0100000076 89\n:00000001FF\n".replace(' ', "").as_str());
    // The echo of two lines, then what its monitor and its program say.
    let (place, far) = far_side(vec![
        b":010000007689\r\n".to_vec(),
        b":00000001FF\r\nok\r\n".to_vec(),
        b"go 0000\r\nfog bell\r\n".to_vec(),
        b"horn\r\n".to_vec(),
    ]);
    let ran = bench.run_with(
        &format!("send bell.hex --cpu 8085 --type load --no-echo --go --stay --to {place}"),
        "toot\r",
    );
    drop(far);
    assert!(ran.err.contains("this is the far side's terminal now"), "{}", ran.all());
    // What was typed went there, and what came back is here.
    assert!(ran.out.ends_with("horn\r\n") || ran.out.ends_with("horn\n"), "{}", ran.all());
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
    // Cancelled after the first of two blocks.
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
        ("send entries --to /dev/nothing-there", 1, "there is no /dev/nothing-there; is it plugged in?"),
        ("send entries --to file", 1, "file is not a serial line"),
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

/// True where a program for XMODEM of somebody else's is installed; without it there is nobody to speak to.
fn is_installed(name: &str) -> bool {
    let asked = Command::new(name).arg("--version").stdin(Stdio::null()).output();
    asked.is_ok_and(|output| output.status.success())
}

/// Somebody who comes within a while.
fn accepted(listener: &TcpListener) -> TcpStream {
    listener.set_nonblocking(true).expect("a port");
    for _ in 0..500 {
        if let Ok((line, _)) = listener.accept() {
            line.set_nonblocking(false).expect("a line");
            return line;
        }
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
    panic!("nobody comes");
}

/// A program whose standard input and output are a line.
fn at_line(name: &str, arguments: &[&str], folder: &std::path::Path, line: &TcpStream) -> Child {
    let end = || Stdio::from(OwnedFd::from(line.try_clone().expect("another handle")));
    let mut command = Command::new(name);
    command.args(arguments).current_dir(folder).stdin(end()).stdout(end()).stderr(Stdio::null());
    command.spawn().expect("it is installed")
}

#[test]
fn a_receiver_of_somebody_elses_gets_the_image() {
    if !is_installed("rx") {
        eprintln!("rx is not installed: left out");
        return;
    }
    let bench = Bench::new();
    bench.write("long.asm", " cpu z80\n org 8000h\n copies 800, n\n dw n * 77\n endcopies\n");
    let whole: Vec<u8> = (0..800u32).flat_map(|n| ((n * 77) as u16).to_le_bytes()).collect();
    for (receiver, sender) in [(&["-c"][..], &[][..]), (&["-c"], &["--blocks", "1024"]), (&[], &[])] {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let to = format!("tcp:{}", listener.local_addr().expect("an address").port());
        let mut command = Command::new(assert_cmd::cargo::cargo_bin("plainbyte"));
        command.current_dir(&bench.path).args(["send", "long", "--to", &to, "--by", "xmodem", "--type", ""]);
        let sending =
            command.args(sender).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("it runs");
        let line = accepted(&listener);
        let mut receiving = at_line("rx", &[receiver, &["got"]].concat(), &bench.path, &line);
        let sent = sending.wait_with_output().expect("it ends");
        assert_eq!(
            sent.status.code(),
            Some(0),
            "{receiver:?} {sender:?}: {}",
            String::from_utf8_lossy(&sent.stderr)
        );
        assert!(receiving.wait().expect("it ends").success());
        let got = std::fs::read(bench.path.join("got")).expect("a file");
        assert_eq!(got[..whole.len()], whole, "{receiver:?} {sender:?}");
        assert!(got[whole.len()..].iter().all(|&byte| byte == 0x1A));
    }
}

#[test]
fn the_resident_monitor_takes_what_a_sender_of_somebody_elses_sends() {
    if !is_installed("sx") {
        eprintln!("sx is not installed: left out");
        return;
    }
    let bench = Bench::new();
    let built = bench.run("build entries --output raw:entries.bin");
    assert_eq!(built.status, 0, "{}", built.all());
    let whole = std::fs::read(bench.path.join("entries.bin")).expect("a file");
    for arguments in [&["entries.bin"][..], &["-k", "entries.bin"]] {
        let (mut board, place) = board(&bench, "tcp:0");
        let mut line = TcpStream::connect(place.trim_start_matches("tcp:")).expect("it listens");
        let hear = |line: &mut TcpStream, until: &str| {
            let (mut all, mut one) = (String::new(), [0]);
            while !all.ends_with(until) {
                line.read_exact(&mut one).expect("the board speaks");
                all.push(char::from(one[0]));
            }
            all
        };
        line.set_read_timeout(Some(std::time::Duration::from_secs(20))).expect("a line");
        line.write_all(b"receive 0100\r").expect("it listens");
        hear(&mut line, "receive 0100\r\n");
        assert!(
            at_line("sx", arguments, &bench.path, &line).wait().expect("it ends").success(),
            "{arguments:?}"
        );
        // The board holds it.
        hear(&mut line, "received\r\n>");
        line.write_all(b"memory 0100 0107\r").expect("it listens");
        hear(&mut line, "memory 0100 0107\r\n");
        let shown = hear(&mut line, "\r\n");
        let wanted: Vec<String> = whole[..8].iter().map(|byte| format!("{byte:02X}")).collect();
        assert!(shown.to_uppercase().contains(&wanted.join(" ")), "{shown}");
        let _ = board.kill();
        let _ = board.wait();
    }
}

/// What a board has comes back: by XMODEM and as HEX, over a port and a pseudo-terminal with settings, with a log of the line.
#[test]
fn a_stretch_of_a_board_comes_back() {
    let bench = Bench::new();
    for (console, by, settings) in [
        ("tcp:0", "xmodem", ""),
        ("pty", "hex", ",baud=38400,stop=2"),
        ("pty", "xmodem", ",flow=none,parity=none"),
    ] {
        let (mut child, place) = board(&bench, console);
        let ran = bench.run(&format!(
            "receive --from {place}{settings} --by {by} --range 0E000h..0E02Ah -o hex:back.hex --log line.log"
        ));
        let _ = child.kill();
        let _ = child.wait();
        assert_eq!(ran.status, 0, "{by}: {}", ran.all());
        assert!(ran.out.contains(": 43 bytes received, E000..E02A\n"), "{}", ran.out);
        assert!(bench.text("back.hex").starts_with(":10E00000C3"), "{}", bench.text("back.hex"));
        let log = bench.text("line.log");
        assert!(log.contains(" > ") && log.contains(" < ") && log.starts_with("# seconds"), "{log}");
    }
}

/// A device that goes away, one that is none, settings that are none.
#[test]
fn devices_that_vanish_are_told() {
    let bench = Bench::new();
    let (mut child, place) = board(&bench, "pty");
    let gone = std::thread::spawn(move || {
        std::thread::sleep(std::time::Duration::from_millis(700));
        let _ = child.kill();
        let _ = child.wait();
    });
    // It waits for records that nobody sends.
    let ran = bench.run(&format!("receive --from {place} --by srec --type help -o hex:x.hex"));
    gone.join().expect("it ends");
    assert_eq!(ran.status, 1, "{}", ran.all());
    assert!(
        ran.err.contains(&format!("{place} has gone")) && ran.err.contains("nothing was written"),
        "{}",
        ran.err
    );
    bench.write("plain", "x");
    for (line, status, words) in [
        ("receive --from /dev/none -o hex:x.hex --range 0..1", 1, "there is no /dev/none; is it plugged in?"),
        ("receive --from ./plain -o hex:x.hex --range 0..1", 1, "./plain is not a serial line"),
        (
            "receive --from /dev/none,baud=fast -o hex:x.hex --range 0..1",
            2,
            "`baud=fast` is not a setting of a serial line",
        ),
        ("receive --from /dev/none -o hex:x.hex", 2, "no addresses are given"),
        ("receive --from /dev/none -o hex:x.hex --range 5..1", 2, "--range 5..1 is not a stretch"),
        ("send entries --to /dev/none,stop=3", 2, "`stop=3` is not a setting"),
        ("run --board curlew --console /dev/none,baud=1200", 1, "there is no /dev/none"),
        ("run --board curlew --console /dev/none,parity=mark", 2, "`parity=mark` is not a setting"),
        ("receive", 2, "--from"),
    ] {
        let ran = bench.run(line);
        assert!(ran.status == status && ran.err.contains(words), "{line}: {} {}", ran.status, ran.err);
    }
    assert_eq!(bench.run("receive --ports").status, 0);
    assert!(bench.run("receive --ports --json").out.contains("\"ports\""));
}
