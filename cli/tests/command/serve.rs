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

/// A text that is open may name files that are not, in its own folder and, where there is a project, in the project's.
#[test]
fn files_that_are_not_open_belong_to_the_program() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path.join("parts")).expect("a folder");
    bench.write("parts/horn.asm", "horn:   ret\n");
    bench.write("lamp.asm", "lamp:   ret\n");
    for (name, text, is_wrong) in [
        (
            "night.asm",
            "        cpu 8085\n        org 4000h\n        call horn\n        hlt\n        include \"parts/horn.asm\"\n",
            false,
        ),
        (
            "parts/dusk.asm",
            "        cpu 8085\n        org 4000h\n        call lamp\n        hlt\n        include \"../lamp.asm\"\n",
            true,
        ),
    ] {
        let open = |text: &str| {
            let uri = format!("file://{}", bench.path.join(name).display());
            note(
                "textDocument/didOpen",
                json!({ "textDocument": { "uri": uri, "languageId": "asm", "version": 1, "text": text } }),
            )
        };
        let told = talk(&bench, json!({}), &[open(text), ask(1, "workspace/symbol", json!({ "query": "" }))]);
        assert_eq!(json!(told).to_string().contains("lies outside the folder"), is_wrong, "{name}");
        bench.write("plainbyte.toml", "version = 1\nsource = \"night.asm\"\n");
        let told = talk(&bench, json!({}), &[open(text), ask(1, "workspace/symbol", json!({ "query": "" }))]);
        let told: Vec<&Value> =
            told.iter().filter(|one| one["method"] == "textDocument/publishDiagnostics").collect();
        assert!(!json!(told).to_string().contains("lies outside the folder"), "{name}: {told:?}");
        std::fs::remove_file(bench.path.join("plainbyte.toml")).expect("it was written");
    }
}

/// Lenses run the program and its cases, and tell what came of it; pages that have no file are opened.
#[test]
fn lenses_run_and_pages_without_files_open() {
    let bench = Bench::new();
    let uri = format!("file://{}", bench.path.join("boats.asm").display());
    let source = "        cpu 8085\n        org 4000h\n        macro twice what\n        what\n        what\n        endm\nstart:  lda boats\n        twice inr a\n        add e\n        sta boats\n        hlt\nboats:  db 7\n";
    bench.write("boats.asm", source);
    bench.write("boats.cases.toml", "version = 1\nprogram = \"boats.asm\"\n[[case]]\nname = \"nine\"\nexpect.memory = { boats = 9 }\n[[case]]\nname = \"none\"\nexpect.memory = { boats = 0 }\n");
    let text = json!({ "uri": uri });
    let lenses = |id: u32| ask(id, "textDocument/codeLens", json!({ "textDocument": text }));
    let run = |id: u32, command: &str, more: &[Value]| {
        let arguments: Vec<Value> = std::iter::once(json!(uri)).chain(more.iter().cloned()).collect();
        ask(id, "workspace/executeCommand", json!({ "command": command, "arguments": arguments }))
    };
    let page = |id: u32, uri: &str| ask(id, "workspace/textDocumentContent", json!({ "uri": uri }));
    let hover = |id: u32, line: u32| {
        ask(
            id,
            "textDocument/hover",
            json!({ "textDocument": text, "position": { "line": line, "character": 9 } }),
        )
    };
    let written = format!("plain-byte:///written/7{}", uri.trim_start_matches("file://"));
    let can = json!({
        "workspace": { "textDocumentContent": {}, "codeLens": { "refreshSupport": true } },
        "window": { "showDocument": { "support": true } },
        "textDocument": { "completion": { "completionItem": { "snippetSupport": true } } },
    });
    let told = talk(
        &bench,
        can,
        &[
            note(
                "textDocument/didOpen",
                json!({ "textDocument": { "uri": uri, "languageId": "asm", "version": 1, "text": source } }),
            ),
            lenses(1),
            run(2, "plain-byte.run", &[]),
            run(3, "plain-byte.cases", &[]),
            lenses(4),
            run(5, "plain-byte.written", &[json!(7)]),
            page(6, &written),
            page(7, "plain-byte:///codes/unset-register.md"),
            page(8, "plain-byte:///directives/macro.md"),
            page(9, "plain-byte:///nothing"),
            hover(10, 2),
            hover(11, 7),
            // A change makes the last run another program's; a save runs the cases that were run before.
            note(
                "textDocument/didChange",
                json!({ "textDocument": { "uri": uri, "version": 2 }, "contentChanges": [
                { "range": { "start": { "line": 8, "character": 8 }, "end": { "line": 8, "character": 13 } }, "text": "mov a, a" }] }),
            ),
            lenses(12),
            note("textDocument/didSave", json!({ "textDocument": text })),
            lenses(13),
            run(14, "plain-byte.fly", &[]),
            ask(
                15,
                "workspace/executeCommand",
                json!({ "command": "plain-byte.run", "arguments": ["file:///nowhere.asm"] }),
            ),
            ask(
                16,
                "textDocument/completion",
                json!({ "textDocument": text, "position": { "line": 6, "character": 10 } }),
            ),
            run(17, "plain-byte.hazard", &[]),
        ],
    );
    let mut out = String::new();
    for one in &told {
        let id = one["id"].as_u64().unwrap_or(0);
        out += &match one["method"].as_str() {
            Some("textDocument/publishDiagnostics") => continue,
            Some(method) => format!("{method}: {}\n", one["params"]),
            None if [1, 4, 12, 13].contains(&id) => {
                let lenses = one["result"].as_array().expect("lenses").iter();
                let lenses = lenses.map(|lens| {
                    format!(
                        "    line {}: {} [{}]\n",
                        lens["range"]["start"]["line"],
                        lens["command"]["title"].as_str().unwrap_or_default(),
                        lens["command"]["command"].as_str().unwrap_or_default()
                    )
                });
                format!("lenses\n{}", lenses.collect::<String>())
            }
            None if id == 16 => {
                let forms = one["result"]
                    .as_array()
                    .expect("completions")
                    .iter()
                    .filter(|one| one["insertTextFormat"] == 2);
                format!(
                    "{}\n",
                    forms.take(2).map(|one| one["insertText"].to_string()).collect::<Vec<_>>().join(" ")
                )
            }
            None => {
                let answer = if one["result"].is_null() { &one["error"] } else { &one["result"] };
                format!("{id}: {}\n", answer.to_string().chars().take(400).collect::<String>())
            }
        };
    }
    insta::assert_snapshot!(out.replace(&bench.path.display().to_string(), "FOLDER"));
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
/// An editor with the settings that `editors/` has for it, and what its script says; `None` where it is not installed.
fn editor(settings: &str, command: &str, arguments: &[&str]) -> Option<String> {
    let bench = Bench::new();
    bench.write(
        "boats.asm",
        "        cpu 8085\n        org 4000h\nstart:  call hron\n        mvi a,12\n        hlt\nhorn:   ret\n",
    );
    let exe = std::path::Path::new(env!("CARGO_BIN_EXE_plainbyte")).parent().expect("a folder");
    let path = format!("{}:{}", exe.display(), std::env::var("PATH").unwrap_or_default());
    let settings = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../editors").join(settings);
    let mut child = std::process::Command::new(command)
        .args(arguments)
        .env("PATH", path)
        .env("SETTINGS", settings)
        .current_dir(&bench.path)
        .stdin(std::process::Stdio::null())
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .ok()?;
    for _ in 0..600 {
        if child.try_wait().ok()?.is_some() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    // Where it waits for a person, it waits no longer.
    let _ = child.kill();
    let done = child.wait_with_output().ok()?;
    let said = bench.path.join("said");
    let said = std::fs::read_to_string(said).unwrap_or(String::from_utf8_lossy(&done.stdout).into_owned());
    Some(said.replace('\r', ""))
}

#[test]
fn a_terminal_editor_works_with_the_server() {
    let arguments = ["--headless", "-u", "NONE", "-i", "NONE", "-n", "-c", "luafile client.lua"];
    match editor("neovim.lua", "nvim", &arguments) {
        Some(said) => insta::assert_snapshot!(said),
        None => eprintln!("there is no Neovim here: it is not tried"),
    }
}

#[test]
fn other_editors_work_with_the_server() {
    let is_there = |path: &str| std::path::Path::new(path).exists();
    let source = "/usr/share/emacs/site-lisp/elpa-src";
    let eglot = std::fs::read_dir(source).into_iter().flatten().flatten();
    let eglot = eglot.map(|one| one.path()).find(|path| path.display().to_string().contains("eglot"));
    match eglot.and_then(|path| {
        editor(
            "emacs.el",
            "emacs",
            &[
                "--batch",
                "-q",
                "-L",
                path.to_str()?,
                "-l",
                "package",
                "-f",
                "package-initialize",
                "-l",
                "client.el",
            ],
        )
    }) {
        Some(said) => insta::assert_snapshot!("emacs", said),
        None => eprintln!("there is no Emacs with eglot here: it is not tried"),
    }
    let vim = ["-N", "-u", "client.vim", "-i", "NONE", "-n", "--not-a-term"];
    match is_there("/usr/share/vim-ale").then(|| editor("vim.vim", "vim", &vim)).flatten() {
        Some(said) => insta::assert_snapshot!("vim", said),
        None => eprintln!("there is no Vim with ALE here: it is not tried"),
    }
}

/// What the page for editors shows is what was tried.
#[test]
fn the_settings_in_the_documentation_are_those_of_the_files() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let read = |name: &str| {
        std::fs::read_to_string(root.join(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    };
    let page = read("docs/editors.md");
    for name in ["neovim.lua", "emacs.el", "vim.vim"] {
        assert!(page.contains(&read(&format!("editors/{name}"))), "{name}");
    }
    // The launch settings of the extension are those that the page lists.
    let package: Value = serde_json::from_str(&read("editors/package.json")).expect("JSON");
    let settings = &package["contributes"]["debuggers"][0]["configurationAttributes"]["launch"]["properties"];
    for name in settings.as_object().expect("settings").keys() {
        assert!(page.contains(&format!("`{name}`")), "{name}");
    }
}
