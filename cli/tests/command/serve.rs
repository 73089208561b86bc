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
    for mut message in told {
        if let Some(list) = message.get_mut("result").and_then(Value::as_array_mut) {
            list.truncate(6);
        }
        text += &message.to_string().replace(&folder, "FOLDER");
        text += "\n";
    }
    insta::assert_snapshot!(text);
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
