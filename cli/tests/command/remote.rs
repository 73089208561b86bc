//! The remote serial protocol, spoken packet by packet, and by a general debugger where one is installed.

use crate::common::Bench;
use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};

struct Client {
    child: Child,
    output: ChildStdin,
    input: BufReader<ChildStdout>,
    /// What came for the console.
    console: String,
}

fn from_hex(text: &str) -> Vec<u8> {
    text.as_bytes()
        .chunks(2)
        .map(|pair| u8::from_str_radix(std::str::from_utf8(pair).expect("digits"), 16).expect("digits"))
        .collect()
}

fn hex(text: &str) -> String {
    text.bytes().map(|byte| format!("{byte:02x}")).collect()
}

impl Client {
    fn start(bench: &Bench, arguments: &str) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_plainbyte"))
            .args(["serve", "remote"])
            .args(arguments.split(' '))
            .current_dir(&bench.path)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("the command");
        let (output, input) = (child.stdin.take().expect("an end"), child.stdout.take().expect("an end"));
        Self { child, output, input: BufReader::new(input), console: String::new() }
    }

    fn raw(&mut self, text: &str) {
        self.output.write_all(text.as_bytes()).expect("it is taken");
        self.output.flush().expect("it is taken");
    }

    fn send(&mut self, text: &str) {
        let sum = text.bytes().fold(0u8, |sum, byte| sum.wrapping_add(byte));
        self.raw(&format!("${text}#{sum:02x}"));
    }

    /// The next packet, runs made long again and escapes undone.
    fn packet(&mut self) -> String {
        let mut skipped = Vec::new();
        self.input.read_until(b'$', &mut skipped).expect("a packet");
        let mut body = Vec::new();
        self.input.read_until(b'#', &mut body).expect("a packet");
        body.pop();
        let mut sum = [0; 2];
        self.input.read_exact(&mut sum).expect("a sum");
        let own = body.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte));
        assert_eq!(format!("{own:02x}").as_bytes(), sum);
        let (mut out, mut bytes) = (Vec::new(), body.into_iter());
        while let Some(byte) = bytes.next() {
            match byte {
                b'}' => out.push(bytes.next().expect("a sign") ^ 0x20),
                b'*' => {
                    let more = bytes.next().expect("a count") - 29;
                    let last = *out.last().expect("a sign");
                    out.extend(std::iter::repeat_n(last, more.into()));
                }
                byte => out.push(byte),
            }
        }
        String::from_utf8(out).expect("text")
    }

    fn ask(&mut self, text: &str) -> String {
        self.send(text);
        loop {
            let said = self.packet();
            match said.strip_prefix('O').filter(|_| said != "OK") {
                Some(text) => self.console += &String::from_utf8_lossy(&from_hex(text)),
                None => return said,
            }
        }
    }

    /// A document that comes in parts.
    fn document(&mut self, what: &str) -> String {
        let mut whole = String::new();
        loop {
            let part = self.ask(&format!("{what}:{:x},80", whole.len()));
            whole += &part[1..];
            if part.starts_with('l') {
                return whole;
            }
        }
    }
}

/// A program for every processor, and a register of it.
const PROGRAMS: [(&str, &str); 7] = [
    ("tides --board plover", "a"),
    ("passages --board fulmar", "a"),
    ("tide-table --board curlew", "a"),
    ("night-log --board dunlin", "a"),
    ("dusk --board heron", "ac"),
    ("turn --board osprey", "ac1"),
    ("watches --board petrel", "eax"),
];

#[test]
fn every_processor_is_described_stepped_and_taken_back() {
    let bench = Bench::new();
    for (program, register) in PROGRAMS {
        let mut client = Client::start(&bench, program);
        assert!(client.ask("qSupported:xmlRegisters=i386").contains("ReverseContinue+"), "{program}");
        assert_eq!(client.ask("QStartNoAckMode"), "OK");
        let xml = client.document("qXfer:features:read:target.xml");
        let sizes: Vec<usize> = xml
            .split("bitsize=\"")
            .skip(1)
            .map(|rest| rest.split('"').next().expect("a size").parse().expect("a size"))
            .collect();
        assert!(xml.contains(&format!("name=\"{register}\"")), "{program}: {xml}");
        assert!(client.document("qXfer:memory-map:read:").contains("type=\"ram\""), "{program}");
        let all = client.ask("g");
        assert_eq!(all.len() * 4, sizes.iter().sum::<usize>(), "{program}");
        // Each alone is its part of all.
        let mut alone = String::new();
        (0..sizes.len()).for_each(|at| alone += &client.ask(&format!("p{at:x}")));
        assert_eq!(alone, all, "{program}");
        for round in 0..20 {
            assert!(client.ask("s").starts_with("T05"), "{program}: {round}");
        }
        let later = client.ask("g");
        assert_ne!(later, all, "{program}");
        (0..20).for_each(|_| _ = client.ask("bs"));
        assert_eq!(client.ask("g"), all, "{program}");
        assert_eq!(client.ask("bs"), "T05replaylog:begin;thread:1;", "{program}");
        (0..20).for_each(|_| _ = client.ask("vCont;s:1"));
        assert_eq!(client.ask("g"), later, "{program}");
        // What is set is there, and nothing else is changed.
        assert_eq!(client.ask(&format!("G{later}")), "OK");
        assert_eq!(client.ask("g"), later, "{program}");
        assert!(client.ask("qRegisterInfo0").contains("bitsize"), "{program}");
        assert_eq!(client.ask(&format!("qRegisterInfo{:x}", sizes.len())), "E45");
        client.send("k");
        assert!(client.child.wait().expect("it ends").success(), "{program}");
    }
}

#[test]
fn stops_memory_words_and_an_interrupt() {
    let bench = Bench::new();
    bench.write("boats.asm", "        cpu 8085\n        org 4000h\nstart:  lxi sp, 7F00h\nagain:  lda boats\n        inr a\n        sta boats\n        jmp again\nboats:  db 7\n");
    let mut client = Client::start(&bench, "boats.asm --board plover");
    assert_eq!(client.ask("?"), "T05thread:1;");
    assert_eq!(client.ask("m4003,3"), "3a0d40");
    assert_eq!(client.ask("Z0,4006,1"), "OK");
    assert_eq!(client.ask("c"), "T05swbreak:;thread:1;");
    assert_eq!(client.ask("z0,4006,1"), "OK");
    for (stop, why) in [
        ("Z2,400d,1", "T05watch:400d;thread:1;"),
        ("Z3,400d,1", "T05rwatch:400d;thread:1;"),
        ("Z4,400d,1", "T05awatch:400d;thread:1;"),
    ] {
        assert_eq!(client.ask(stop), "OK");
        assert_eq!(client.ask("vCont;c"), why);
        assert_eq!(client.ask(&stop.replace('Z', "z")), "OK");
    }
    assert_eq!(client.ask("M400d,1:2a"), "OK");
    assert_eq!(client.ask("X400d,2:}\u{5}"), "E01", "a byte is missing");
    assert_eq!(client.ask("m400d,1"), "2a");
    assert_eq!(client.ask(&format!("qRcmd,{}", hex("value cell boats"))), "OK");
    assert!(client.console.contains("2Ah"), "{}", client.console);
    client.console.clear();
    assert_eq!(client.ask(&format!("qRcmd,{}", hex("frobnicate"))), "OK");
    assert!(client.console.contains("no word"), "{}", client.console);
    client.send("c");
    client.raw("\u{3}");
    assert_eq!(client.packet(), "T02thread:1;");
    assert_eq!(client.ask("bc"), "T05replaylog:begin;thread:1;");
    // What is not a request has an empty answer; what is wrong in one has an error; what is broken is asked for again.
    for (asked, said) in [
        ("", ""),
        ("y", ""),
        ("qNothing", ""),
        ("vNothing", ""),
        ("mx,1", "E01"),
        ("m4000", "E01"),
        ("p99", "E01"),
        ("P0", "E01"),
        ("P0=x", "E01"),
        ("G00", "E01"),
        ("M4000,9:00", "E01"),
        ("Z0,x,1", "E01"),
        ("Z9,0,1", ""),
        ("Z", "E01"),
        ("qRcmd,0", "E01"),
        ("qMemoryRegionInfo:4000", "start:4000;size:4000;permissions:rwx;"),
        ("qMemoryRegionInfo:x", "E01"),
        ("qXfer:features:read:target.xml:x", "E01"),
    ] {
        assert_eq!(client.ask(asked), said, "{asked}");
    }
    client.raw("$g#00");
    let mut sign = [0];
    client.input.read_exact(&mut sign).expect("a sign");
    assert_eq!(sign, *b"-");
    client.raw("$m4000,1");
    assert_eq!(client.ask("m4000,1"), "31", "a packet that was cut goes by");
    assert_eq!(client.ask("D"), "OK");
    assert!(client.child.wait().expect("it ends").success());
    assert_eq!(bench.run("serve debugger boats.asm").status, 2);
    assert_eq!(bench.run("serve remote nowhere.asm").status, 1);
}

/// A whole conversation as it goes over the line, for each cell width.
#[test]
fn conversations_are_as_they_were() {
    let bench = Bench::new();
    let mut out = String::new();
    for program in ["divide --board plover", "dusk --board heron", "watches --board petrel"] {
        let mut client = Client::start(&bench, program);
        out += &format!("{program}\n");
        for asked in [
            "qSupported:multiprocess+;swbreak+",
            "QStartNoAckMode",
            "vCont?",
            "?",
            "qC",
            "qfThreadInfo",
            "qsThreadInfo",
            "Hg1",
            "g",
            "s",
            "p1",
            "m100,8",
            "P0=2a",
            "p0",
            "Z0,4010,1",
            "Z2,4100,2",
            "z0,4010,1",
            "z2,4100,2",
            "bs",
            "g",
            "qRegisterInfo0",
            "qMemoryRegionInfo:0",
            "qHostInfo",
            "g",
            "bc",
            "vKill;1",
        ] {
            let said = client.ask(asked);
            out += &format!("    {asked:36} {said}\n");
        }
        assert!(client.child.wait().expect("it ends").success());
    }
    insta::assert_snapshot!(out);
}

/// A general debugger that knows the 8086, where it is installed.
#[test]
fn a_general_debugger_drives_the_8086_in_both_directions() {
    let bench = Bench::new();
    bench.write("boats.asm", "        cpu 8086\n        org 100h\nstart:  mov ax, 5\n        add ax, 7\n        mov [boats], ax\n        inc ax\nend:    jmp end\nboats:  dw 0\n        entry start\n");
    let exe = env!("CARGO_BIN_EXE_plainbyte");
    let script = [
        "set confirm off",
        "set pagination off",
        &format!("target remote | {exe} serve remote boats.asm --board petrel 2>/dev/null"),
        "stepi",
        "stepi",
        "printf \"ax %d\\n\", $eax & 0xffff",
        "reverse-stepi",
        "printf \"back ax %d\\n\", $eax & 0xffff",
        "monitor value 2 + 3",
        "detach",
    ];
    let mut command = Command::new("gdb");
    command.args(["-nx", "-batch"]).current_dir(&bench.path);
    script.iter().for_each(|line| _ = command.args(["-ex", line]));
    let Ok(done) = command.output() else {
        eprintln!("there is no gdb here: it is not tried");
        return;
    };
    let said = format!("{}{}", String::from_utf8_lossy(&done.stdout), String::from_utf8_lossy(&done.stderr));
    assert!(
        said.contains("\nax 12\n") && said.contains("back ax 5\n") && said.contains("decimal    5"),
        "{said}"
    );
}

/// A second debugger is told why it is let go; when the first one has gone, the next one is answered.
#[test]
fn a_second_debugger_is_turned_away() {
    let bench = Bench::new();
    let mut server = Command::new(env!("CARGO_BIN_EXE_plainbyte"))
        .args(["serve", "remote", "divide", "--board", "plover", "--listen", "127.0.0.1:0"])
        .current_dir(&bench.path)
        .stderr(Stdio::piped())
        .spawn()
        .expect("the command");
    let mut told = String::new();
    BufReader::new(server.stderr.take().expect("an end")).read_line(&mut told).expect("where it listens");
    let place = told.trim().rsplit(' ').next().expect("an address").to_string();
    let connect = || std::net::TcpStream::connect(&place).expect("it listens");
    let ask = |client: &mut std::net::TcpStream| {
        client.write_all(b"$?#3f").expect("it is taken");
        let mut answer = [0; 2];
        client.read_exact(&mut answer).expect("an answer");
        answer
    };
    let mut first = connect();
    assert_eq!(ask(&mut first), *b"+$");
    let mut refused = String::new();
    connect().read_to_string(&mut refused).expect("why, and the end");
    assert!(refused.contains(&hex("has a debugger already")), "{refused}");
    drop(first);
    assert_eq!(ask(&mut connect()), *b"+$");
    server.kill().expect("it runs");
    server.wait().expect("it ends");
}

/// A debugger of the other family, where it is installed: it asks for registers one by one, and takes them with the high byte first.
#[test]
fn another_general_debugger_drives_every_processor() {
    let bench = Bench::new();
    let works = |name: &&str| Command::new(name).arg("--version").output().is_ok();
    let Some(debugger) = ["lldb-19", "lldb"].into_iter().find(works) else {
        eprintln!("there is no lldb here: it is not tried");
        return;
    };
    for (program, _) in PROGRAMS {
        // What it should see: the place after two instructions, and the two cells there.
        let mut client = Client::start(&bench, program);
        assert_eq!(client.ask("QStartNoAckMode"), "OK");
        let xml = client.document("qXfer:features:read:target.xml");
        let names = xml.split("<reg name=\"").skip(1).map(|rest| rest.split('"').next().expect("a name"));
        let at = names.clone().position(|name| ["pc", "eip"].contains(&name)).expect("a program counter");
        (0..2).for_each(|_| _ = client.ask("s"));
        let place = from_hex(&client.ask(&format!("p{at:x}")))
            .iter()
            .rev()
            .fold(0u64, |all, &byte| all << 8 | u64::from(byte));
        let cells = from_hex(&client.ask(&format!("m{place:x},2")));
        client.send("k");
        client.child.wait().expect("it ends");

        let mut server = Command::new(env!("CARGO_BIN_EXE_plainbyte"))
            .args(["serve", "remote"])
            .args(program.split(' '))
            .args(["--listen", "127.0.0.1:0"])
            .current_dir(&bench.path)
            .stderr(Stdio::piped())
            .spawn()
            .expect("the command");
        let mut told = String::new();
        let mut errors = BufReader::new(server.stderr.take().expect("an end"));
        errors.read_line(&mut told).expect("where it listens");
        let port =
            told.split("127.0.0.1:").nth(1).and_then(|rest| rest.split(|c: char| !c.is_ascii_digit()).next());
        let port = port.unwrap_or_else(|| panic!("{told}"));
        // Debuggers come one after the other; the second one steps on.
        let script = |steps: usize, last: String| {
            let mut command = Command::new(debugger);
            command.args(["--no-lldbinit", "--batch", "-o", &format!("gdb-remote 127.0.0.1:{port}")]);
            (0..steps).for_each(|_| _ = command.args(["-o", "thread step-inst"]));
            command.args(["-o", "register read pc", "-o", &last, "-o", "process detach"]);
            let done = command.output().expect("the debugger");
            format!("{}{}", String::from_utf8_lossy(&done.stdout), String::from_utf8_lossy(&done.stderr))
        };
        let first = script(1, "process plugin packet monitor value 2 + 3".to_string());
        if first.contains("embedded_interpreter") {
            eprintln!("this {debugger} lacks its own Python module: it is not tried");
            let _ = server.kill();
            let _ = server.wait();
            return;
        }
        assert!(first.contains("decimal    5"), "{program}: {first}");
        let second = script(1, format!("memory read {place:#x} --count 2"));
        let spelt: Vec<String> = second
            .lines()
            .filter_map(|line| {
                line.trim().split("pc = 0x").nth(1).or(line.trim().split("eip = 0x").nth(1)).map(String::from)
            })
            .collect();
        assert_eq!(
            spelt.first().and_then(|hex| u64::from_str_radix(hex, 16).ok()),
            Some(place),
            "{program}: {second}"
        );
        let cells: Vec<String> = cells.iter().map(|byte| format!("{byte:02x}")).collect();
        assert!(second.contains(&format!("{place:08x}: {}", cells.join(" "))), "{program}: {second}");
        let _ = server.kill();
        let _ = server.wait();
    }
}
