//! The debug adapter, driven as a debugger's screen drives it: a request, its answer, and what is told unasked.

use crate::common::Bench;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};

/// A client with both ends of a conversation.
struct Client {
    output: Box<dyn Write>,
    input: Box<dyn BufRead>,
    number: u64,
    /// What was told unasked and nobody has looked at.
    told: Vec<Value>,
}

fn message(input: &mut dyn BufRead) -> Option<Value> {
    let mut length = 0;
    loop {
        let mut line = String::new();
        if input.read_line(&mut line).ok()? == 0 {
            return None;
        }
        match line.trim().split_once(": ") {
            Some((_, count)) => length = count.parse().expect("a length"),
            None => break,
        }
    }
    let mut bytes = vec![0; length];
    input.read_exact(&mut bytes).ok()?;
    serde_json::from_slice(&bytes).ok()
}

impl Client {
    fn ask(&mut self, command: &str, arguments: Value) -> Value {
        self.number += 1;
        let text =
            json!({ "seq": self.number, "type": "request", "command": command, "arguments": arguments })
                .to_string();
        write!(self.output, "Content-Length: {}\r\n\r\n{text}", text.len()).expect("it is taken");
        self.output.flush().expect("it is taken");
        loop {
            let message = message(&mut *self.input).expect("an answer");
            if message["request_seq"] == self.number {
                return message;
            }
            self.told.push(message);
        }
    }

    /// The next event of a kind; what was told before it is forgotten.
    fn wait(&mut self, event: &str) -> Value {
        loop {
            let message = match self.told.is_empty() {
                true => message(&mut *self.input).expect("an event"),
                false => self.told.remove(0),
            };
            if message["event"] == event {
                return message["body"].clone();
            }
        }
    }

    /// Moves the machine, and says where it stands then: why, and in which line.
    fn go(&mut self, command: &str, arguments: Value) -> String {
        let answer = self.ask(command, arguments);
        assert_eq!(answer["success"], true, "{command}: {answer}");
        let why = self.wait("stopped");
        let frames = self.ask("stackTrace", json!({ "threadId": 1 }))["body"]["stackFrames"].clone();
        let frames = frames.as_array().expect("frames").iter().map(|frame| {
            format!(
                "{} {}:{}",
                frame["name"].as_str().unwrap_or_default(),
                frame["source"]["name"].as_str().unwrap_or("?"),
                frame["line"]
            )
        });
        format!(
            "{}: {} | {}",
            why["reason"].as_str().unwrap_or_default(),
            why["text"].as_str().unwrap_or_default(),
            frames.collect::<Vec<_>>().join(" < ")
        )
    }
}

fn start(bench: &Bench, more: &[&str]) -> Child {
    Command::new(env!("CARGO_BIN_EXE_plainbyte"))
        .args(["serve", "debugger"])
        .args(more)
        .current_dir(&bench.path)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the command")
}

fn talk(child: &mut Child) -> Client {
    let (output, input) = (child.stdin.take().expect("an end"), child.stdout.take().expect("an end"));
    Client { output: Box::new(output), input: Box::new(BufReader::new(input)), number: 0, told: Vec::new() }
}

const NIGHT: &str = "        cpu 8085\n        org 4000h\nstart:  lxi sp, 7F00h\n        mvi b, 3\nnext:   call count\n        dcr b\n        jnz next\n        add e\n        hlt\n        include \"count.asm\"\n";
const COUNT: &str = "count:  lda boats\n        inr a\n        sta boats\n        ret\nboats:  db 7\n";

#[test]
fn a_program_of_two_texts_is_debugged_in_both_directions() {
    let bench = Bench::new();
    bench.write("night.asm", NIGHT);
    bench.write("count.asm", COUNT);
    let mut child = start(&bench, &[]);
    let mut client = talk(&mut child);
    let path = |name: &str| json!({ "path": bench.path.join(name) });
    let mut out = String::new();
    let can = client.ask("initialize", json!({ "adapterID": "plainbyte" }));
    assert_eq!(
        (
            &can["body"]["supportsStepBack"],
            can["body"]["exceptionBreakpointFilters"].as_array().map(Vec::len)
        ),
        (&json!(true), Some(18))
    );
    assert_eq!(client.ask("stackTrace", json!({}))["message"], "no program is launched");
    // A breakpoint may be set before there is a program.
    let early = client.ask(
        "setBreakpoints",
        json!({ "source": path("count.asm"), "breakpoints": [{ "line": 2, "condition": "b == 2" }] }),
    );
    assert_eq!(early["body"]["breakpoints"][0]["verified"], false);
    assert_eq!(client.ask("launch", json!({ "program": "nowhere.asm" }))["success"], false);
    let launched =
        client.ask("launch", json!({ "program": "night.asm", "board": "plover", "stopOnEntry": true }));
    assert_eq!(launched["success"], true, "{launched}");
    client.wait("initialized");
    let verified = client.ask(
        "setBreakpoints",
        json!({ "source": path("count.asm"), "breakpoints": [{ "line": 2, "condition": "b == 2" }] }),
    );
    out += &format!("{}\n", verified["body"]);
    let mut go = |client: &mut Client, command: &str, arguments: Value| {
        out += &format!("{command}\n    {}\n", client.go(command, arguments));
    };
    go(&mut client, "configurationDone", json!({}));
    go(&mut client, "continue", json!({}));
    go(&mut client, "stepOut", json!({}));
    go(&mut client, "next", json!({}));
    go(&mut client, "stepIn", json!({}));
    go(&mut client, "stepBack", json!({}));
    go(&mut client, "reverseContinue", json!({}));
    client.ask("setBreakpoints", json!({ "source": path("count.asm"), "breakpoints": [] }));
    let data = client.ask("dataBreakpointInfo", json!({ "name": "boats" }))["body"]["dataId"].clone();
    client.ask("setDataBreakpoints", json!({ "breakpoints": [{ "dataId": data, "accessType": "write" }] }));
    go(&mut client, "continue", json!({}));
    client.ask("setDataBreakpoints", json!({ "breakpoints": [{ "dataId": data, "accessType": "read" }] }));
    go(&mut client, "continue", json!({}));
    client.ask("setDataBreakpoints", json!({ "breakpoints": [] }));
    client.ask("setExceptionBreakpoints", json!({ "filters": ["unset-register"] }));
    go(&mut client, "continue", json!({}));
    let hazard = client.ask("exceptionInfo", json!({}))["body"].clone();
    assert_eq!(hazard["exceptionId"], "unset-register", "{hazard}");
    go(&mut client, "reverseContinue", json!({}));
    // A register, and a flag that an instruction asks.
    for (name, access) in [("b", "write"), ("flag z", "read"), ("a", "readWrite")] {
        let data = client.ask("dataBreakpointInfo", json!({ "name": name }))["body"]["dataId"].clone();
        client
            .ask("setDataBreakpoints", json!({ "breakpoints": [{ "dataId": data, "accessType": access }] }));
        go(&mut client, "continue", json!({}));
    }
    client.ask("setDataBreakpoints", json!({ "breakpoints": [] }));
    go(&mut client, "reverseContinue", json!({}));
    client.ask(
        "setFunctionBreakpoints",
        json!({ "breakpoints": [{ "name": "count", "hitCondition": "2" }, { "name": "nowhere" }] }),
    );
    go(&mut client, "continue", json!({}));
    client.ask("setFunctionBreakpoints", json!({ "breakpoints": [] }));
    client.ask(
        "setInstructionBreakpoints",
        json!({ "breakpoints": [{ "instructionReference": "0x4000", "offset": 8 }] }),
    );
    go(&mut client, "continue", json!({}));
    client.ask("setInstructionBreakpoints", json!({ "breakpoints": [] }));
    let target = client.ask("gotoTargets", json!({ "source": path("night.asm"), "line": 3 }))["body"]["targets"][0]["id"].clone();
    go(&mut client, "goto", json!({ "threadId": 1, "targetId": target }));
    go(&mut client, "restart", json!({}));
    // What is asked of the machine where it stands.
    let table: &[(&str, Value)] = &[
        ("variables", json!({ "variablesReference": 1, "count": 3 })),
        ("variables", json!({ "variablesReference": 3 })),
        ("variables", json!({ "variablesReference": 5 })),
        ("variables", json!({ "variablesReference": 6, "count": 12 })),
        ("setVariable", json!({ "variablesReference": 1, "name": "B", "value": "2 + 3" })),
        ("setVariable", json!({ "variablesReference": 4, "name": "7F00", "value": "1" })),
        ("setExpression", json!({ "expression": "cell boats", "value": "300" })),
        ("evaluate", json!({ "expression": "boats", "context": "hover" })),
        ("evaluate", json!({ "expression": "b * 2", "context": "watch" })),
        ("evaluate", json!({ "expression": "value boats", "context": "repl" })),
        ("evaluate", json!({ "expression": "frobnicate", "context": "repl" })),
        ("completions", json!({ "text": "his", "column": 4 })),
        ("readMemory", json!({ "memoryReference": "0x4000", "count": 4 })),
        ("writeMemory", json!({ "memoryReference": "0x4016", "data": "CQ==" })),
        (
            "disassemble",
            json!({ "memoryReference": "0x4005", "instructionOffset": -1, "instructionCount": 3 }),
        ),
        ("loadedSources", json!({})),
        ("breakpointLocations", json!({ "source": path("night.asm"), "line": 1 })),
        ("exceptionInfo", json!({})),
        ("scopes", json!({ "frameId": 1 })),
    ];
    let folder = bench.path.display().to_string();
    for (command, arguments) in table {
        let answer = client.ask(command, arguments.clone());
        let said = if answer["success"] == true { &answer["body"] } else { &answer["message"] };
        out += &format!("{command} {arguments}\n    {said}\n");
    }
    insta::assert_snapshot!(out.replace(&folder, "FOLDER"));
    // A log goes by, and the program's end is told.
    client.ask("setBreakpoints", json!({ "source": path("count.asm"), "breakpoints": [{ "line": 3, "logMessage": "boats {a} of {nothing}" }] }));
    client.ask("setExceptionBreakpoints", json!({ "filters": [] }));
    client.ask("continue", json!({}));
    let logged = client.wait("output")["output"].clone();
    assert!(logged.as_str().is_some_and(|text| text.starts_with("boats 10 of {")), "{logged}");
    assert_eq!(client.wait("stopped")["reason"], "end");
    client.ask("disconnect", json!({}));
    assert!(child.wait().expect("it ends").success());
}

#[test]
fn a_run_is_paused_and_a_console_is_typed_at() {
    let bench = Bench::new();
    bench.write(
        "echo.asm",
        "        cpu 8085\n        org 4000h\nstart:  lxi h, 4100h\nagain:  inx d\n        mov a, d\n        ora e\n        jnz again\n        inr m\n        jnz again\n        inx h\n        jmp again\n",
    );
    let mut child = start(&bench, &[]);
    let mut client = talk(&mut child);
    client.ask("initialize", json!({ "linesStartAt1": false, "supportsProgressReporting": true }));
    client.ask("launch", json!({ "program": "echo.asm" }));
    client.ask("configurationDone", json!({}));
    std::thread::sleep(std::time::Duration::from_millis(500));
    let paused = client.ask("pause", json!({}));
    assert_eq!((&paused["success"], &client.wait("stopped")["reason"]), (&json!(true), &json!("pause")));
    let line = client.ask("stackTrace", json!({}))["body"]["stackFrames"][0]["line"].clone();
    assert!((2..=10).contains(&line.as_u64().expect("a line")), "lines count from 0 here: {line}");
    for (command, arguments) in [
        ("variables", json!({ "variablesReference": 99 })),
        ("disassemble", json!({ "memoryReference": "x" })),
        ("readMemory", json!({})),
        ("source", json!({ "sourceReference": 99 })),
        ("next", json!("x")),
        ("setBreakpoints", json!({ "breakpoints": 3 })),
        ("fly", json!({})),
    ] {
        let answer = client.ask(command, arguments);
        assert_eq!(answer["success"], false, "{command}: {answer}");
    }
    // A breakpoint that the run never came to: the whole of it is looked through, and that takes a while.
    client.ask("setInstructionBreakpoints", json!({ "breakpoints": [{ "instructionReference": "0x4100" }] }));
    client.ask("reverseContinue", json!({}));
    let begun = client.wait("progressStart")["progressId"].clone();
    assert_eq!(client.wait("progressEnd")["progressId"], begun);
    assert_eq!(client.wait("stopped")["text"], "back at the beginning of what is known");
    drop(client);
    assert!(child.wait().expect("it ends with its client").success());
}

#[test]
fn clients_come_to_a_port_of_this_machine_one_after_the_other() {
    let bench = Bench::new();
    for (place, words) in
        [("0.0.0.0:0", "this machine alone"), ("nowhere", "invalid"), ("127.0.0.1", "invalid")]
    {
        let ran = bench.run(&format!("serve debugger --listen {place}"));
        assert!(ran.status == 1 && ran.err.contains(words), "{place}: {}", ran.err);
    }
    assert_eq!(bench.run("serve language --listen 127.0.0.1:0").status, 2);
    let mut child = start(&bench, &["--listen", "127.0.0.1:0"]);
    let mut said = String::new();
    BufReader::new(child.stderr.take().expect("an end")).read_line(&mut said).expect("a line");
    let place = said.trim().rsplit(' ').next().expect("an address").to_string();
    let client = || {
        let stream = TcpStream::connect(&place).expect("it listens");
        let input = stream.try_clone().expect("two ends");
        Client {
            output: Box::new(stream),
            input: Box::new(BufReader::new(input)),
            number: 0,
            told: Vec::new(),
        }
    };
    let mut first = client();
    assert_eq!(first.ask("initialize", json!({}))["success"], true);
    let refused = client().wait("output");
    assert!(
        refused["output"].as_str().is_some_and(|text| text.contains("has a client already")),
        "{refused}"
    );
    first.ask("disconnect", json!({}));
    drop(first);
    // The next one is taken as soon as the first is gone.
    let is_taken = (0..100).any(|_| {
        std::thread::sleep(std::time::Duration::from_millis(20));
        let mut next = client();
        let text = json!({ "seq": 1, "type": "request", "command": "initialize" }).to_string();
        let sent = write!(next.output, "Content-Length: {}\r\n\r\n{text}", text.len());
        sent.is_ok() && message(&mut *next.input).is_some_and(|one| one["command"] == "initialize")
    });
    assert!(is_taken);
    child.kill().expect("it runs");
    child.wait().expect("it ends");
}

/// The client that adapters are commonly tested with, where it is installed.
#[test]
fn a_debug_client_of_others_drives_a_program_of_two_texts() {
    let bench = Bench::new();
    bench.write("night.asm", NIGHT);
    bench.write("count.asm", COUNT);
    let modules = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("../peers/node_modules");
    if !modules.join("@vscode/debugadapter-testsupport").is_dir() {
        eprintln!("the package of debug-adapter tests is not installed: it is not tried");
        return;
    }
    let mut child = start(&bench, &["--listen", "127.0.0.1:0"]);
    let mut said = String::new();
    BufReader::new(child.stderr.take().expect("an end")).read_line(&mut said).expect("a line");
    let port = said.trim().rsplit(':').next().expect("a port");
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/programs/client.js");
    let ran = Command::new("node")
        .args([script, port])
        .env("NODE_PATH", &modules)
        .current_dir(&bench.path)
        .output()
        .expect("node, which the package came with");
    child.kill().expect("it runs");
    child.wait().expect("it ends");
    insta::assert_snapshot!(String::from_utf8_lossy(&ran.stdout));
}

#[test]
fn what_is_no_message_ends_the_conversation_with_a_sentence() {
    let bench = Bench::new();
    for input in [
        "",
        "hello\n",
        "Content-Length: x\r\n\r\n",
        "Content-Length: 9\r\n\r\n{}",
        "Content-Length: 2\r\n\r\n[]",
        "Content-Length: 99999999999\r\n\r\n{}",
        "Content-Length: 4\r\n\r\n{\"a\"",
        &"x".repeat(9000),
    ] {
        let ran = bench.run_with("serve debugger", input);
        assert!(ran.status <= 1 && !ran.err.contains("panicked"), "{input:?}: {} {}", ran.status, ran.err);
        assert_eq!(ran.status == 0, input.is_empty() || input.ends_with("[]"), "{input:?}: {}", ran.err);
    }
}
