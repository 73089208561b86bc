//! The server for editors, driven as an editor does: messages in, messages out.

use crate::common::Bench;
use serde_json::{Value, json};

fn frames(messages: &[Value]) -> String {
    let frame = |message: &Value| {
        let text = message.to_string();
        format!("Content-Length: {}\r\n\r\n{text}", text.len())
    };
    messages.iter().map(frame).collect()
}

fn messages(mut out: &str) -> Vec<Value> {
    let mut all = Vec::new();
    while let Some((head, rest)) = out.split_once("\r\n\r\n") {
        let length: usize = head.rsplit(' ').next().and_then(|text| text.parse().ok()).expect("a length");
        all.push(serde_json::from_str(&rest[..length]).expect("a message"));
        out = &rest[length..];
    }
    all
}

fn ask(id: u32, method: &str, params: Value) -> Value {
    json!({ "jsonrpc": "2.0", "id": id, "method": method, "params": params })
}

fn note(method: &str, params: Value) -> Value {
    json!({ "jsonrpc": "2.0", "method": method, "params": params })
}

/// A conversation from the beginning to the end, and what was answered.
fn talk(bench: &Bench, capabilities: Value, middle: &[Value]) -> Vec<Value> {
    let mut all =
        vec![ask(0, "initialize", json!({ "capabilities": capabilities })), note("initialized", json!({}))];
    all.extend_from_slice(middle);
    all.extend([ask(99, "shutdown", Value::Null), note("exit", Value::Null)]);
    let ran = bench.run_with("serve language", &frames(&all));
    assert_eq!((ran.status, ran.err.as_str()), (0, ""), "{}", ran.err);
    messages(&ran.out)
}

#[test]
fn an_editor_is_told_what_is_wrong_what_names_mean_and_what_may_come_next() {
    let bench = Bench::new();
    let uri = |name: &str| format!("file://{}", bench.path.join(name).display());
    let main = "        cpu 8085\n        org 4000h\nstart:  lda nights ; é é: how many\n        call hørn\n        hlt\n        include \"horn.asm\"\nnights: db 12\n";
    let part = "horn:   mvi a, 1\n        out 10h\n        ret\n";
    bench.write("night.asm", main);
    bench.write("horn.asm", "horn:   ret\n");
    let open = |name: &str, text: &str| {
        note(
            "textDocument/didOpen",
            json!({ "textDocument": { "uri": uri(name), "languageId": "asm", "version": 1, "text": text } }),
        )
    };
    let at = |line: u32, character: u32| json!({ "textDocument": { "uri": uri("night.asm") }, "position": { "line": line, "character": character } });
    let change = |range: Value, text: &str| {
        note(
            "textDocument/didChange",
            json!({ "textDocument": { "uri": uri("night.asm"), "version": 2 }, "contentChanges": [{ "range": range, "text": text }] }),
        )
    };
    let told = talk(
        &bench,
        json!({}),
        &[
            open("night.asm", main),
            // It is not saved: the file has another text.
            open("horn.asm", part),
            ask(1, "textDocument/hover", at(2, 13)),
            change(
                json!({ "start": { "line": 3, "character": 14 }, "end": { "line": 3, "character": 15 } }),
                "o",
            ),
            ask(2, "textDocument/hover", at(3, 9)),
            ask(3, "textDocument/definition", at(3, 14)),
            ask(
                4,
                "textDocument/references",
                json!({ "textDocument": { "uri": uri("night.asm") }, "position": { "line": 6, "character": 2 }, "context": { "includeDeclaration": true } }),
            ),
            ask(5, "textDocument/documentSymbol", json!({ "textDocument": { "uri": uri("horn.asm") } })),
            ask(6, "textDocument/completion", at(2, 13)),
            ask(7, "textDocument/completion", at(2, 22)),
            ask(8, "textDocument/rename", json!({})),
            ask(9, "textDocument/hover", json!({ "nothing": 1 })),
        ],
    );
    let folder = bench.path.display().to_string();
    let mut text = String::new();
    // How often mistakes are told is a matter of how fast one types: what was told last of each text counts.
    let is_last = |at: usize| {
        let of = |message: &Value| message["params"]["uri"].clone();
        told[at]["method"].is_null() || told[at + 1..].iter().all(|later| of(later) != of(&told[at]))
    };
    for mut message in (0..told.len()).filter(|&at| is_last(at)).map(|at| told[at].clone()) {
        if let Some(list) = message.get_mut("result").and_then(Value::as_array_mut) {
            list.truncate(6);
        }
        text += &message.to_string().replace(&folder, "FOLDER");
        text += "\n";
    }
    insta::assert_snapshot!(text);
}

/// Every request once, at places where there is an answer, each with its part of it.
#[test]
fn every_request_of_an_editor_has_its_answer() {
    let bench = Bench::new();
    let uri = format!("file://{}", bench.path.join("lamps.asm").display());
    let source = "        cpu 8085\n        org 4000h\nstart:  call hron\n        mvi a,12\n        out 12h\n        hlt\nhorn:   mvi b, 12\n        ret\n";
    let text = json!({ "uri": uri });
    let at = |line: u32, character: u32| json!({ "textDocument": text, "position": { "line": line, "character": character } });
    let span = |line: u32, character: u32| json!({ "start": { "line": line, "character": character }, "end": { "line": line, "character": character } });
    let item =
        json!({ "name": "horn", "kind": 12, "uri": uri, "range": span(6, 0), "selectionRange": span(6, 0) });
    let options = json!({ "tabSize": 8, "insertSpaces": true });
    let mended = "hron";
    let table: Vec<(&str, Value, &str)> = vec![
        ("textDocument/hover", at(3, 9), "**mvi**"),
        (
            "textDocument/codeAction",
            json!({ "textDocument": text, "range": span(2, 14), "context": { "diagnostics": [] } }),
            "write `horn`",
        ),
        (
            "textDocument/codeAction",
            json!({ "textDocument": text, "range": span(3, 15), "context": { "diagnostics": [], "only": ["refactor"] } }),
            "write 12 as 0Ch",
        ),
        ("textDocument/prepareRename", at(6, 1), "\"line\":6"),
        ("textDocument/documentHighlight", at(6, 1), "\"line\":6"),
        ("textDocument/signatureHelp", at(3, 14), "mvi a, data8"),
        ("textDocument/completion", at(3, 9), "mvi"),
        ("textDocument/formatting", json!({ "textDocument": text, "options": options }), "mvi a, 12"),
        (
            "textDocument/rangeFormatting",
            json!({ "textDocument": text, "range": span(3, 0), "options": options }),
            "mvi a, 12",
        ),
        (
            "textDocument/onTypeFormatting",
            json!({ "textDocument": text, "position": { "line": 4, "character": 0 }, "ch": "\n", "options": options }),
            "mvi a, 12",
        ),
        ("textDocument/foldingRange", json!({ "textDocument": text }), "\"startLine\":6"),
        (
            "textDocument/selectionRange",
            json!({ "textDocument": text, "positions": [{ "line": 3, "character": 9 }] }),
            "parent",
        ),
        (
            "textDocument/inlayHint",
            json!({ "textDocument": text, "range": { "start": { "line": 0, "character": 0 }, "end": { "line": 9, "character": 0 } } }),
            "2 cells · 7 T-states",
        ),
        ("textDocument/codeLens", json!({ "textDocument": text }), "3 cells · 17 T-states"),
        ("textDocument/semanticTokens/full", json!({ "textDocument": text }), "\"data\":[0,8,3,1,0"),
        ("textDocument/documentLink", json!({ "textDocument": text }), "[]"),
        ("textDocument/documentSymbol", json!({ "textDocument": text }), "horn"),
        ("workspace/symbol", json!({ "query": "HO" }), "horn"),
        ("textDocument/prepareCallHierarchy", at(6, 1), "horn"),
        ("callHierarchy/incomingCalls", json!({ "item": item }), "start"),
        ("callHierarchy/outgoingCalls", json!({ "item": item }), "[]"),
        (
            "textDocument/rename",
            json!({ "textDocument": text, "position": { "line": 6, "character": 1 }, "newName": "start" }),
            "cannot be `start`",
        ),
        (
            "textDocument/rename",
            json!({ "textDocument": text, "position": { "line": 6, "character": 1 }, "newName": "klaxon" }),
            "klaxon",
        ),
    ];
    let open = |text: &str| {
        note(
            "textDocument/didOpen",
            json!({ "textDocument": { "uri": uri, "languageId": "asm", "version": 1, "text": text } }),
        )
    };
    let mut middle = vec![open(source)];
    for (number, (method, params, _)) in table.iter().enumerate() {
        // With the mistake mended there are calls.
        if *method == "textDocument/prepareRename" {
            middle.push(note("textDocument/didChange", json!({ "textDocument": { "uri": uri, "version": 2 }, "contentChanges": [{ "text": source.replace(mended, "horn") }] })));
        }
        middle.push(ask(number as u32 + 1, method, params.clone()));
    }
    let told = talk(&bench, json!({}), &middle);
    for (number, (method, _, expected)) in table.iter().enumerate() {
        let answer = told.iter().find(|one| one["id"] == number + 1).unwrap_or_else(|| panic!("{method}"));
        let text = answer.to_string();
        assert!(text.contains(expected), "{method}: {text}");
    }
}

#[test]
fn what_is_taken_back_is_not_done_and_a_flood_is_answered() {
    let bench = Bench::new();
    let uri = format!("file://{}", bench.path.join("flood.asm").display());
    let mut middle = vec![note(
        "textDocument/didOpen",
        json!({ "textDocument": { "uri": uri, "languageId": "asm", "version": 1, "text": "        cpu 8085\n        nop\n" } }),
    )];
    for number in 1001..=1200 {
        middle.push(ask(
            number,
            "textDocument/hover",
            json!({ "textDocument": { "uri": uri }, "position": { "line": 1, "character": 9 } }),
        ));
        middle.push(note("textDocument/didChange", json!({ "textDocument": { "uri": uri, "version": 2 }, "contentChanges": [{ "range": { "start": { "line": 1, "character": 0 }, "end": { "line": 1, "character": 0 } }, "text": "" }] })));
    }
    middle.extend((1001..=1200).map(|number| note("$/cancelRequest", json!({ "id": number }))));
    let told = talk(&bench, json!({}), &middle);
    let answers: Vec<&Value> =
        told.iter().filter(|one| one["id"].as_u64().is_some_and(|id| (1001..=1200).contains(&id))).collect();
    assert_eq!(answers.len(), 200);
    // How many had come when they were taken back is a matter of time; each is answered once, with one or the other.
    assert!(
        answers.iter().all(|one| one["result"].is_object() || one["error"]["code"] == -32800),
        "{:?}",
        answers.last()
    );
}

#[test]
fn positions_are_counted_as_the_editor_wants() {
    let bench = Bench::new();
    let uri = format!("file://{}", bench.path.join("boats.asm").display());
    let open = json!({ "textDocument": { "uri": uri, "languageId": "asm", "version": 1, "text": "        cpu 8085\n; ééé\n        db \"é𝄞\", nowhere\n" } });
    for (capabilities, character) in
        [(json!({}), 18), (json!({ "general": { "positionEncodings": ["utf-8", "utf-16"] } }), 21)]
    {
        let names = ask(1, "textDocument/documentSymbol", json!({ "textDocument": { "uri": uri } }));
        let told = talk(&bench, capabilities, &[note("textDocument/didOpen", open.clone()), names]);
        let published =
            told.iter().find(|one| one["method"] == "textDocument/publishDiagnostics").expect("it is");
        let range = &published["params"]["diagnostics"][1]["range"];
        assert_eq!(
            (&range["start"]["line"], &range["start"]["character"]),
            (&json!(2), &json!(character)),
            "{published}"
        );
    }
}

#[test]
fn what_is_no_conversation_ends_with_a_sentence() {
    let bench = Bench::new();
    for input in [
        "",
        "hello\r\n\r\n",
        "Content-Length: -1\r\n\r\n{}",
        "Content-Length: 5\r\n\r\n{\"a\"",
        "Content-Length: 2\r\n\r\n{}",
        "Content-Length: 99999999999999999999\r\n\r\n",
        &frames(&[note("textDocument/didOpen", json!({}))]),
        &frames(&[ask(1, "textDocument/hover", json!({}))]),
        &frames(&[ask(1, "initialize", json!(7))]),
    ] {
        let ran = bench.run_with("serve language", input);
        assert!(ran.status == 1 || ran.status == 0, "{input:?}: {} {}", ran.status, ran.err);
        assert!(!ran.err.contains("panicked"), "{input:?}: {}", ran.err);
    }
    assert_eq!(bench.run("serve").status, 2);
    assert_eq!(bench.run("serve radio").status, 2);
}

/// A terminal editor, where one is installed: it is told of a mistake, mends it, renames, formats and asks.
#[test]
fn a_terminal_editor_works_with_the_server() {
    let bench = Bench::new();
    bench.write(
        "boats.asm",
        "        cpu 8085\n        org 4000h\nstart:  call hron\n        mvi a,12\n        hlt\nhorn:   ret\n",
    );
    let done = std::process::Command::new("nvim")
        .args(["--headless", "-u", "NONE", "-i", "NONE", "-n", "-c", "luafile client.lua"])
        .env("PLAINBYTE", env!("CARGO_BIN_EXE_plainbyte"))
        .current_dir(&bench.path)
        .stdin(std::process::Stdio::null())
        .output();
    let Ok(done) = done else {
        eprintln!("there is no editor here: it is not tried");
        return;
    };
    insta::assert_snapshot!(String::from_utf8_lossy(&done.stdout).replace('\r', ""));
}
