//! What a script relies on: one form of JSON, also where a command fails; messages a line each; exit status; pages for codes.

use crate::common::Bench;
use serde_json::Value;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

const SPIN: &str = "        cpu 8085\nagain:  inx h\n        mov a, h\n        ora l\n        jnz again\n        inr b\n        jmp again\n";

const SAYS: &str = "        cpu 8085\n        org 4000h\n        mvi c, 0FFh\n        call send\n        mvi c, 'x'\n        call send\n        add e\n        hlt\n";

/// Command, exit status, and a field that its document has beside those that all have.
const DOCUMENTS: &[(&str, i32, &str)] = &[
    ("build divide --json", 0, "symbols"),
    ("build slips -j", 1, "diagnostics"),
    ("build nosuch --json", 1, "diagnostics"),
    ("run divide --board plover --json", 0, "registers"),
    ("run slips --json", 1, "diagnostics"),
    ("run divide --board plovr --json", 2, "diagnostics"),
    ("run divide --sped max --json", 2, "diagnostics"),
    ("disassemble d.hex --cpu 8085 --json", 0, "lines"),
    ("disassemble d.hex --json", 2, "diagnostics"),
    ("inspect d.hex --json", 0, "segments"),
    ("inspect divide --moved --json", 0, "runs"),
    ("chart 8085 mov --json", 0, "entries"),
    ("chart 8085 mvu --json", 2, "diagnostics"),
    ("value 12h --json", 0, "unsigned"),
    ("value 12h 13h --json", 0, "values"),
    ("value 12x --json", 2, "diagnostics"),
    ("cases divide --json", 0, "cases"),
    ("cases divide tides --json", 0, "tables"),
    ("boards --json", 0, "boards"),
    ("card divide --json", 0, "rows"),
    ("flow divide --json", 0, "routines"),
    ("panel --board tern --script slips --json", 0, "lines"),
    ("convert d.hex -o raw:d.bin --json", 0, "segments"),
    ("new beam --json", 0, "files"),
    ("explain runs-out --json", 0, "text"),
    ("explain --json", 0, "codes"),
    ("send d.hex --to tcp:1 --json", 1, "diagnostics"),
    ("value --quiz 3 --json", 0, "questions"),
    ("report divide --output page.html --json", 0, "steps"),
    ("cases divide --folder . --json", 1, "programs"),
    ("receive --ports --json", 0, "ports"),
    ("receive --from tcp:1 --range 0..1 -o hex:x.hex --json", 1, "diagnostics"),
    ("build new-horn --board puffin -o hex:new-horn.hex --json", 0, "segments"),
    ("burn set new-horn --folder chips --compare U7=chips/U7.bin --json", 0, "compared"),
    ("boards plover --json", 0, "names"),
    ("boards plovr --json", 2, "diagnostics"),
    ("boards bare --json", 0, "names"),
    ("boards osprey --json", 0, "names"),
    ("build watches --board petrel --json", 0, "symbols"),
    ("build turn --json", 0, "symbols"),
    ("run says --board plover --hazards --coverage --json", 0, "hazards"),
    ("run watches --board petrel --hazards --json", 0, "hazards"),
    ("run turn --board osprey --cycles 1000 --json", 0, "registers"),
    ("run border --board fulmar --cycles 100000 --json", 0, "screen"),
    ("run divide --show 4000h..4007h --json", 0, "memory"),
    ("run spin --cycles 5000 --until 3000h --json", 3, "stop"),
    ("inspect blink --json", 0, "vectors"),
    ("inspect turn --json", 0, "segments"),
    ("inspect parts --json", 0, "regions"),
    ("chart pdp10 --json", 0, "entries"),
    ("value 12 --cpu pdp10 --json", 0, "halves"),
    ("cases blink --hazards --json", 0, "cases"),
    ("cases full --json", 1, "missing"),
    ("card dusk --json", 0, "rows"),
    ("flow tide-table --json", 0, "routines"),
    ("inspect d.wav --json", 0, "tape"),
    ("burn parts --json", 0, "parts"),
    ("burn new fog --part 2764 --json", 0, "blank"),
    ("burn program fog.chip d.hex --base 4000h --json", 0, "done"),
    ("burn identify fog --json", 0, "crc32"),
    ("replay r.jsonl --json", 0, "same"),
    ("replay other.jsonl --json", 1, "differences"),
];

/// The part of JSON Schema that `docs/schema.json` is written in: what of a value is not as a schema says. What has properties has no
/// others. A whole validator would bring forty crates into the build of every test.
fn unlike(value: &Value, schema: &Value, whole: &Value, place: &str) -> Vec<String> {
    if let Some(name) = schema["$ref"].as_str() {
        let named = whole.pointer(name.trim_start_matches('#')).unwrap_or_else(|| panic!("{name}"));
        return unlike(value, named, whole, place);
    }
    if let Some(ways) = schema["anyOf"].as_array() {
        let all: Vec<Vec<String>> = ways.iter().map(|one| unlike(value, one, whole, place)).collect();
        return all.into_iter().min_by_key(Vec::len).unwrap_or_default();
    }
    let mut wrong = Vec::new();
    let mut check = |holds: bool, what: &str| {
        if !holds {
            let text: String = value.to_string().chars().take(80).collect();
            wrong.push(format!("{place}: {what}: {text}"));
        }
    };
    let kind = match value {
        Value::Null => "null",
        Value::Bool(_) => "boolean",
        Value::Number(number) if number.is_f64() => "number",
        Value::Number(_) => "integer",
        Value::String(_) => "string",
        Value::Array(_) => "array",
        Value::Object(_) => "object",
    };
    let is_of = |wanted: &Value| wanted == kind || wanted == "number" && kind == "integer";
    check(
        match &schema["type"] {
            Value::Null => true,
            Value::Array(all) => all.iter().any(is_of),
            one => is_of(one),
        },
        "another type",
    );
    check(schema["const"].is_null() || schema["const"] == *value, "another value");
    check(schema["enum"].as_array().is_none_or(|all| all.contains(value)), "none of its values");
    for name in schema["required"].as_array().into_iter().flatten().filter_map(Value::as_str) {
        check(value.get(name).is_some(), &format!("`{name}` is missing"));
    }
    for (name, inner) in value.as_object().into_iter().flatten() {
        let place = format!("{place}.{name}");
        match (schema["properties"].get(name), schema.get("additionalProperties")) {
            (Some(own), _) | (None, Some(own)) => wrong.extend(unlike(inner, own, whole, &place)),
            (None, None) => wrong.push(format!("{place}: the schema does not have it")),
        }
    }
    for inner in value.as_array().into_iter().flatten().filter(|_| schema.get("items").is_some()) {
        wrong.extend(unlike(inner, &schema["items"], whole, &format!("{place}[]")));
    }
    wrong
}

#[test]
fn every_command_has_one_form_also_where_it_fails() {
    let bench = Bench::new();
    bench.write("slips.asm", "        cpu 8085\n        mvo b, a\nx1:     equ 5\nx1:     equ 6\n");
    assert_eq!(bench.run("build divide -o hex:d.hex -o cassette,baud=1200,leader=5:d.wav").status, 0);
    bench.write("spin.asm", SPIN);
    bench.write("says.asm", SAYS);
    bench.write("parts.asm", "        cpu 8085\n        region rom, 0, 0FFh, 0FFh\n        region ram, 4000h, 40FFh, 0\n        org 0\n        hlt\n");
    bench.write("full.cases.toml", "version = 1\nprogram = \"divide.asm\"\nboard = \"plover\"\ncoverage = \"full\"\n[[case]]\nname = \"one\"\nexpect.registers = { b = 7 }\n");
    assert_eq!(bench.run("run divide --board plover --record r.jsonl").status, 0);
    bench.write("other.jsonl", &bench.text("r.jsonl").replace("[197,12]", "[197,13]"));
    let text = std::fs::read_to_string(root().join("docs/schema.json")).expect("the schema");
    let schema: Value = serde_json::from_str(&text).expect("JSON");
    for (line, status, field) in DOCUMENTS {
        let ran = bench.run(line);
        assert_eq!(ran.status, *status, "{line}: {}", ran.all());
        let document: Value =
            serde_json::from_str(&ran.out).unwrap_or_else(|error| panic!("{line}: {error} {}", ran.all()));
        assert_eq!(document["version"], 1, "{line}");
        let command = line.split(' ').next();
        assert!(document["command"].as_str() == command || document["command"] == "", "{line}");
        assert!(document.get(field).is_some(), "{line}: {document}");
        let wrong = unlike(&document, &schema, &schema, "");
        assert!(wrong.is_empty(), "{line}: {wrong:?}");
        let empty = serde_json::json!({});
        assert!(!unlike(&empty, &schema, &schema, "").is_empty());
        if *status == 2 || *field == "diagnostics" {
            let first = &document["diagnostics"][0];
            assert!(
                first["message"].is_string() && first["severity"] == "error" && !ran.err.is_empty(),
                "{line}: {document}"
            );
        }
    }
    let slips = bench.json("build slips --json")["diagnostics"].clone();
    let place = |one: &Value| ["line", "column", "end_line", "end_column"].map(|field| one[field].as_u64());
    assert_eq!(place(&slips[0]), [2, 9, 2, 12].map(Some));
    assert_eq!(place(&slips[1]["labels"][0]), [3, 1, 3, 3].map(Some));
    // What is not text is there byte by byte.
    let ran = bench.json("run says --board plover --json");
    assert_eq!(ran["output_bytes"], serde_json::json!([255, 120]));
}

#[test]
fn messages_and_status_are_what_a_script_asks_for() {
    let bench = Bench::new();
    bench.write("slips.asm", "        cpu 8085\n        mvo b, a\n        db 1\n        jmp nowhere\n");
    bench.write("spin.asm", SPIN);
    let lines = bench.run("build slips --one-line");
    let told: Vec<&str> = lines.err.lines().collect();
    assert_eq!(
        told[0],
        "slips.asm:2:9: error[unknown-instruction]: `mvo` is not an instruction of the 8085; did you mean `mov`?"
    );
    assert!(told.len() == 2 && told[1].starts_with("slips.asm:4:13: error[undefined-symbol]: "), "{told:?}");
    assert_eq!(bench.run("run nosuch.hex --cpu 8085 --one-line").err.lines().count(), 1);
    // Quiet: nothing but results and errors.
    let quiet = bench.run("build divide -q -o hex:d.hex");
    assert_eq!((quiet.status, quiet.all().contains("wrote"), bench.exists("d.hex")), (0, false, true));
    assert_eq!(bench.run("run divide -b plover -q").out, "");
    // A limit has a status of its own where something else was wanted.
    let status = |line: &str| bench.run(line).status;
    assert_eq!(status("run spin --cycles 5000"), 0);
    assert_eq!(status("run spin --cycles 5000 --until 3000h"), 3);
    assert_eq!(status("run spin --cycles 5000 --until 1"), 0);
    assert_eq!(status("run spin --cycles 5000 --until nowhere"), 2);
    // Colours.
    let colours = |line: &str| bench.run(line).all().contains('\u{1b}');
    assert!(colours("boards --color always") && !colours("boards") && !colours("boards --color never"));
    // Help, as people ask for it.
    assert_eq!(bench.run("help run").out, bench.run("run --help").out);
    assert!(bench.run("help").out.contains("Commands:"));
    assert_eq!(status("help nosuch"), 2);
}

/// The repository's root.
fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

fn texts_below(folder: &Path, ending: &str, found: &mut Vec<String>) {
    for entry in std::fs::read_dir(folder).expect("a folder").flatten() {
        let path = entry.path();
        if path.is_dir() {
            texts_below(&path, ending, found);
        } else if path.to_string_lossy().ends_with(ending) {
            found.push(std::fs::read_to_string(&path).expect("a text"));
        }
    }
}

/// Every code that a diagnostic is made with has a section, and `explain` prints it.
#[test]
fn every_code_has_its_page() {
    let mut sources = Vec::new();
    for folder in ["src", "core/src", "cli/src"] {
        texts_below(&root().join(folder), ".rs", &mut sources);
    }
    let mut codes: BTreeSet<String> = BTreeSet::new();
    for text in &sources {
        for begin in
            ["Diagnostic::error(", "Diagnostic::warning(", "self.warn(", "self.warn_with(", "refuse("]
        {
            for part in text.split(begin).skip(1) {
                // The first text among the first two arguments.
                let head: String = part.chars().take(80).collect();
                let Some(code) = head
                    .split('"')
                    .nth(1)
                    .filter(|_| head.split('"').next().is_some_and(|front| front.matches(',').count() < 2))
                else {
                    continue;
                };
                if !code.is_empty()
                    && code.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-')
                {
                    codes.insert(code.to_string());
                }
            }
        }
    }
    codes.extend(["too-large", "divide-by-zero", "shift", "no-cell"].map(String::from));
    assert!(codes.len() > 80, "{codes:?}");
    let bench = Bench::new();
    let list = bench.run("explain").out;
    for code in &codes {
        assert!(list.lines().any(|line| line.split(' ').next() == Some(code)), "`{code}` has no page");
    }
    for line in list.lines().skip(1) {
        let code = line.split(' ').next().expect("a code");
        let said = bench.run(&format!("explain {code}"));
        assert!(said.status == 0 && said.out.lines().count() >= 3, "{code}: {}", said.all());
    }
    assert_eq!(bench.run("explain error[no-vectr]").status, 2);
}

/// Commands in the blocks of the README and of the pages, one after the other as they stand, each with its file and line.
fn documented() -> Vec<(String, String)> {
    let mut pages = vec![root().join("README.md")];
    let folder = std::fs::read_dir(root().join("docs")).expect("the pages");
    pages.extend(
        folder
            .flatten()
            .map(|entry| entry.path())
            .filter(|path| path.extension().is_some_and(|ending| ending == "md")),
    );
    pages.sort();
    let mut found = Vec::new();
    for page in pages {
        let text = std::fs::read_to_string(&page).expect("a page");
        let mut in_block = false;
        for (number, line) in text.lines().enumerate() {
            if line.starts_with("```") {
                in_block = !in_block;
            }
            let command = line.strip_prefix("$ ").unwrap_or(line);
            if in_block && command.starts_with("plainbyte ") {
                let command = command.split(" #").next().unwrap_or(command).trim();
                let place =
                    format!("{}:{}", page.file_name().unwrap_or_default().to_string_lossy(), number + 1);
                found.extend(command.split(" && ").map(|one| (place.clone(), one.to_string())));
            }
        }
    }
    found
}

/// What is tried elsewhere, since it waits for a person, a terminal or the other end of a line.
fn waits(command: &str) -> bool {
    [
        "--console",
        "--offer-link",
        "--link ",
        "--to ",
        "receive --from",
        "--watch",
        " WHERE",
        "PROGRAM",
        "NAME",
    ]
    .iter()
    .any(|part| command.contains(part))
}

/// Every command that the README and the pages show works in the folder that `demo --copy` writes.
#[test]
fn every_documented_command_works_in_a_copied_folder() {
    let bench = Bench::new();
    assert_eq!(bench.run("demo --copy skerrow").status, 0);
    let folder = Bench::at(bench.path.join("skerrow"));
    let mut count = 0;
    for (place, command) in documented() {
        let words = command.strip_prefix("plainbyte ").unwrap_or(&command);
        if waits(words) {
            continue;
        }
        // A panel is drawn, and a monitor is left again.
        let is_drawn = words.starts_with("debug") && !words.contains("--keys");
        let is_panel = is_drawn || words.starts_with("panel") && !words.contains("--script");
        let words = if is_panel { format!("{words} --picture seen.svg") } else { words.to_string() };
        let in_project = matches!(words.as_str(), "run" | "cases" | "build");
        let bench =
            if in_project { Bench::at(folder.path.join("beacon")) } else { Bench::at(folder.path.clone()) };
        let ran = bench.run_with(&words, "quit\n");
        let wrong = words.contains("slips");
        assert_eq!(ran.status, i32::from(wrong), "{place}: {command}\n{}", ran.all());
        count += 1;
    }
    assert!(count > 40, "{count} commands were tried");
}

/// Every file that a page links to is there.
#[test]
fn every_link_leads_to_a_file() {
    for page in
        ["README.md", "ARCHITECTURE.md", "SECURITY.md"].map(|page| root().join(page)).into_iter().chain(
            [root().join("docs"), root().join("docs/guide")]
                .iter()
                .flat_map(|folder| std::fs::read_dir(folder).expect("the pages"))
                .flatten()
                .map(|entry| entry.path())
                .filter(|path| path.is_file()),
        )
    {
        let text = std::fs::read_to_string(&page).expect("a page");
        for link in text.split("](").skip(1).filter_map(|rest| rest.split(')').next()) {
            let file = link.split('#').next().unwrap_or(link);
            if file.is_empty() || file.contains("://") || file.contains(' ') {
                continue;
            }
            let beside = page.parent().expect("a folder").join(file);
            assert!(beside.exists(), "{}: {link}", page.display());
        }
    }
}

/// What is taken from a file is taken from standard input, too: a source, or an image by its records.
#[test]
fn every_command_reads_standard_input() {
    let bench = Bench::new();
    let source = "        cpu 8085\n        org 4000h\nstart:  mvi a, 1\n        hlt\n";
    assert_eq!(bench.run_with("build - -o hex:d.hex", source).status, 0);
    let image = bench.read("d.hex");
    for (line, input, part) in [
        ("build -", source, "3 cells"),
        ("run - --board plover", source, "stopped    at 4002"),
        ("inspect -", source, "4000..4002"),
        ("inspect - --cpu 8085", image.as_str(), "4000..4002"),
        ("disassemble - --cpu 8085", image.as_str(), "mvi a, 01h"),
        ("flow -", source, "mvi a, 1"),
        ("flow - --cpu 8085", image.as_str(), "mvi a, 01h"),
        ("card - --board plover", source, "set address"),
        ("run - --cpu 8085", image.as_str(), "stopped    at 4002"),
    ] {
        let ran = bench.run_with(line, input);
        assert!(ran.status == 0 && ran.out.contains(part), "{line}: {}", ran.all());
    }
}
