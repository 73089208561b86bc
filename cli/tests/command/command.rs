//! The built command as people and scripts use it: help, results, errors, exit statuses, JSON.

use crate::common::Bench;
use assert_cmd::Command;
use serde_json::Value;
use std::fs;
use std::path::Path;

const COMMANDS: [&str; 14] = [
    "build",
    "run",
    "new",
    "monitor",
    "disassemble",
    "inspect",
    "convert",
    "chart",
    "value",
    "card",
    "flow",
    "cases",
    "boards",
    "demo",
];

#[test]
fn help_is_complete_and_has_an_example_each() {
    let bench = Bench::new();
    let mut text = bench.run("--help").all();
    for name in COMMANDS {
        let help = bench.run(&format!("{name} --help"));
        assert_eq!((help.status, help.err.as_str()), (0, ""), "{name}");
        assert!(help.out.contains(&format!("Example:\n  plainbyte {name}")), "{}", help.out);
        text.push_str(&format!("\n=== {name}\n{}", help.out));
    }
    insta::assert_snapshot!(text);
    assert_eq!(bench.run("").status, 2);
    assert!(bench.run("--version").out.starts_with("plainbyte "));
}

#[test]
fn results_at_a_glance() {
    let bench = Bench::new();
    let lines = [
        "build tides",
        "build tides --output hex:tides.hex --output raw:tides.bin --listing tides.lst",
        "inspect tides",
        "inspect tides.bin --at 4000h --cpu 8085",
        "disassemble tides.hex --cpu 8085",
        "run tides --board plover --show heights..heights_+_4",
        "run tides.hex --board plover --until 402Dh",
        "run oil --board plover --trace --set switches=0A5h --show level",
        "run oil --port 11h=7 --set a=1 --set level=9 --until blink",
        "run divide --cpu 8085 --set oil=100,7 --show nights..left",
        "cases divide tides.cases.toml",
        "chart 8085 mvi out 76h",
        "chart 8085 0C0h..0C3h --csv",
        "chart 8080 --map",
        "value 0B7h",
        "value 'A'+1",
        "value -2",
        "boards",
        "boards plover",
        "boards heron",
        "boards bare",
        "demo lamps",
    ];
    let mut text = String::new();
    for line in lines {
        let ran = bench.run(line);
        assert_eq!((ran.status, ran.err.as_str()), (0, ""), "{line}: {}", ran.all());
        text.push_str(&format!("$ plainbyte {}\n{}\n", line.replace('_', " "), ran.out));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn mistakes_are_told_on_standard_error() {
    let bench = Bench::new();
    bench.write(
        "bad.asm",
        "        cpu 8085\nstart:  mvo a, 5\n        lda cuont\n        mvi b, 300\ncount:  db 0\n",
    );
    bench.write("torn.hex", ":0140000076\n:00000001FF\n");
    bench.write("wrong.toml", "version = 1\nname = \"x\"\nprocessor = \"8085\"\nclock = 1\nmemry = []\n");
    bench.write(
        "bad.cases.toml",
        "version = 1\nprogram = \"oil.asm\"\n[[case]]\nname = \"x\"\nexpect.memory = { levl = 1 }\n",
    );
    bench.write("failing.cases.toml", "version = 1\nprogram = \"oil.asm\"\nboard = \"plover\"\n[[case]]\nname = \"dark\"\nexpect.memory = { level = 1 }\n");
    bench.write("spin.asm", "        cpu 8085\nspin:   inx h\n        jmp spin\n");
    bench.write("odd.asm", "        cpu 8085\n        db 8\n");
    let lines = [
        "build bad",
        "build nosuch",
        "build oil --output hex",
        "build oil --output tape:x",
        "build oil --output hex:nowhere/x.hex",
        "build oil --define 2x=1",
        "build oil --define x=",
        "build oil --cpu 8087",
        "run oil --board plovr",
        "run oil --board wrong.toml",
        "run torn.hex --cpu 8085",
        "run oil --board plover --set q=1",
        "run oil --board plover --set a=256",
        "run oil --board plover --set a",
        "run oil --board plover --set 0900h=1",
        "run oil --board plover --set level=256",
        "run oil --board plover --port 11h=",
        "run oil --board plover --port 300=1",
        "run oil --board plover --show 5..1",
        "run oil --board plover --until nowhere",
        "run oil --board plover --until 500ms",
        "run oil --cpu 8085 --input x",
        "run oil.asm --at 90000h --cpu 8085",
        "run lamps --at nowhere",
        "run odd",
        "run spin",
        "cases bad",
        "cases failing",
        "cases nosuch",
        "cases nosuch.asm",
        "disassemble oil --cpu 8085x",
        "disassemble nosuch.hex --cpu 8085",
        "chart 8085 mvu",
        "chart 8085 08h",
        "value 12x",
        "value 1_+",
        "boards plovr",
        "boards bare --toml",
        "demo tide",
        "demo --copy .",
        "steep",
        "run",
        "run oil --sped max",
    ];
    let mut text = String::new();
    for line in lines {
        let ran = bench.run(line);
        assert!((1..=3).contains(&ran.status), "{line}: {}", ran.all());
        assert!(!ran.err.is_empty() || ran.out.contains("FAILED") || ran.out.contains("stopped"), "{line}");
        text.push_str(&format!("$ plainbyte {}  -> {}\n{}\n", line.replace('_', " "), ran.status, ran.err));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn the_forms_that_scripts_rely_on() {
    let bench = Bench::new();
    let built = bench.json("build divide --json");
    assert_eq!(built["cell_bits"], 8);
    assert_eq!(built["entry"], 0x4000);
    assert_eq!(built["segments"][0]["start"], 0x4000);
    assert_eq!(built["segments"][0]["cells"][0], 0x3A);
    assert_eq!(built["segments"][1]["cells"], serde_json::json!([197, 12]));
    assert_eq!(built["symbols"]["nights"], 0x4102);
    assert_eq!(built["diagnostics"], serde_json::json!([]));

    bench.write("bad.asm", "        cpu 8085\n\tmvi a, 300\n");
    let failed = bench.run("build bad --json");
    assert_eq!(failed.status, 1);
    let failed: Value = serde_json::from_str(&failed.out).expect("JSON");
    assert_eq!(failed["segments"], serde_json::json!([]));
    let one = &failed["diagnostics"][0];
    assert_eq!((one["severity"].as_str(), one["code"].as_str()), (Some("error"), Some("value-range")));
    assert_eq!(
        (one["file"].as_str(), one["line"].as_u64(), one["column"].as_u64()),
        (Some("bad.asm"), Some(2), Some(9))
    );
    assert!(one["message"].is_string() && one["help"].is_string());

    let ran = bench.json("run oil --board plover --json --set switches=0Fh --show level --show 4000h..4001h");
    assert_eq!((ran["stop"]["reason"].as_str(), ran["stop"]["at"].as_u64()), (Some("halt"), Some(0x4009)));
    assert_eq!((ran["registers"]["A"].as_u64(), ran["registers"]["PC"].as_u64()), (Some(0xF0), Some(0x400A)));
    assert_eq!((ran["cycles"].as_u64(), ran["instructions"].as_u64()), (Some(74), Some(8)));
    assert_eq!(
        ran["memory"],
        serde_json::json!([{"start": 0x400E, "cells": [0xF0]}, {"start": 0x4000, "cells": [0xDB, 0x11]}])
    );
    assert_eq!(ran["ports"], serde_json::json!([{"port": 0x10, "value": 0xF0}]));
    assert_eq!(ran["output"], "");
}

#[test]
fn more_forms_that_scripts_rely_on() {
    let bench = Bench::new();
    assert_eq!(bench.run("build divide --output raw:d.bin --symbols d.json").status, 0);
    let lines = bench.json("disassemble d.bin --cpu 8085 --at 4000h --json")["lines"].clone();
    assert_eq!((lines[0]["address"].as_u64(), lines[0]["text"].as_str()), (Some(0x4000), Some("lda at4101")));
    let map: Value = serde_json::from_str(&bench.read("d.json")).expect("JSON");
    let nights =
        map["symbols"].as_array().and_then(|all| all.iter().find(|one| one["name"] == "nights")).cloned();
    assert_eq!(
        nights.map(|one| (one["value"].clone(), one["uses"].clone())),
        Some((0x4102.into(), 2.into()))
    );
    assert_eq!(map["lines"][0]["line"], 7);
    let facts = bench.json("inspect d.bin --at 4000h --json");
    assert_eq!((facts["cells"].as_u64(), facts["segments"][0]["last"].as_u64()), (Some(0x102), Some(0x4101)));
    let chart = bench.json("chart 8085 --json")["entries"].clone();
    assert_eq!(chart.as_array().map(Vec::len), Some(246));
    assert_eq!(
        (
            chart[0]["instruction"].as_str(),
            bench.json("chart 8080 --json")["entries"].as_array().map(Vec::len)
        ),
        (Some("NOP"), Some(244))
    );
    let value = bench.json("value 1234h --json");
    assert_eq!(
        (value["unsigned"].as_u64(), value["high"].as_u64(), value["low"].as_u64()),
        (Some(0x1234), Some(0x12), Some(0x34))
    );
    let cases = bench.json("cases divide --json");
    assert_eq!(
        (cases["passed"].as_u64(), cases["failed"].as_u64(), cases["cases"][0]["cycles"].as_u64()),
        (Some(6), Some(0), Some(501))
    );
    assert_eq!(bench.json("boards --json")["boards"][1]["name"], "plover");
    assert_eq!(bench.json("cases divide tides --json")["tables"].as_array().map(Vec::len), Some(2));
}

#[test]
fn bare_runs_from_the_first_address_with_what_the_ports_are_given() {
    let bench = Bench::new();
    bench.write("echo.asm", "        cpu 8080\n        org 200h\n        in 1\n        out 2\n        in 1\n        out 3\n        in 9\n        out 2\n        hlt\n");
    let ran = bench.json("run echo --board bare --port 1=5,6 --json");
    assert_eq!(
        ran["ports"],
        serde_json::json!([{"port": 2, "value": 5}, {"port": 3, "value": 6}, {"port": 2, "value": 255}])
    );
    assert_eq!((ran["cycles"].as_u64(), ran["stop"]["at"].as_u64()), (Some(67), Some(0x20C)));
    let one = bench.json("run echo --board bare --set PC=204h --set F=0FFh --set A=1 --cycles 1 --json");
    assert_eq!(
        (one["registers"]["PC"].as_u64(), one["registers"]["F"].as_u64(), one["instructions"].as_u64()),
        (Some(0x206), Some(0xD7), Some(1))
    );
    assert_eq!(one["stop"]["reason"], "cycles");
}

#[test]
fn a_failed_build_writes_nothing_and_leaves_what_was_there() {
    let bench = Bench::new();
    assert_eq!(bench.run("build oil --output hex:oil.hex").status, 0);
    let before = bench.read("oil.hex");
    bench.write("oil.asm", "        cpu 8085\n        mvo a\n");
    let failed = bench.run("build oil --output hex:oil.hex --output raw:oil.bin --listing oil.lst");
    assert_eq!((failed.status, bench.read("oil.hex")), (1, before));
    assert!(!bench.exists("oil.bin") && !bench.exists("oil.lst"));
    let left: Vec<_> =
        fs::read_dir(&bench.path).expect("the folder").flatten().map(|one| one.file_name()).collect();
    assert!(left.iter().all(|name| !name.to_string_lossy().ends_with(".part")), "{left:?}");
}

#[test]
fn sources_may_come_on_standard_input_and_include_their_neighbours() {
    let bench = Bench::new();
    let ran = bench.run_with("run - --cpu 8085 --json", "        mvi a, 7\n        hlt\n");
    let ran: Value = serde_json::from_str(&ran.out).expect("JSON");
    assert_eq!(ran["registers"]["A"], 7);
    fs::create_dir(bench.path.join("lib")).expect("a folder");
    bench.write("lib/one.asm", "        include \"two.asm\"\n        include \"../lib/one.asm\"\n");
    bench.write("lib/two.asm", "two_:   nop\n");
    bench.write("main.asm", "        cpu 8085\n        include \"lib/one.asm\"\n");
    let circle = bench.run("build main");
    assert!(circle.err.contains("`../lib/one.asm` includes itself"), "{}", circle.all());
    assert_eq!(circle.err.matches("error").count(), 1, "{}", circle.err);
}

#[test]
fn the_monitor_reads_a_script_and_stops_at_the_first_mistake() {
    let bench = Bench::new();
    let script = "step 2 ; to the call\nset a = 5\nrun\nmemory level..level\nquit\nnever";
    let ran = bench.run_with("monitor oil --board plover", script);
    insta::assert_snapshot!(ran.all());
    let wrong = bench.run_with("monitor --cpu 8085", "put 100h = 76h\nrun 100h\nsteep\nregisters\n");
    insta::assert_snapshot!(wrong.all());
}

#[test]
fn the_console_speaks_and_listens() {
    let bench = Bench::new();
    let source = "        cpu 8085\n        org 4000h\nnext:   call 44h\n        cpi 13\n        jz done\n        mov c, a\n        call 40h\n        jmp next\ndone:   hlt\n";
    bench.write("echo.asm", source);
    bench.write("typed.txt", "gale\r");
    for input in ["gale\\r", "@typed.txt"] {
        let ran = bench.run(&format!("run echo --board plover --input {input}"));
        assert!(ran.status == 0 && ran.out.starts_with("gale\nstopped    at 400F"), "{}", ran.all());
        assert_eq!(bench.json(&format!("run echo --board plover --json --input {input}"))["output"], "gale");
    }
    // At the board's own speed: four characters of 10 bits at 1200 baud, there and back, take some 70 ms.
    let begin = std::time::Instant::now();
    let ran = bench.run("run echo --board plover --speed real --input gale\\r");
    assert!(ran.out.starts_with("gale") && begin.elapsed().as_millis() > 60, "{}", ran.all());
}

#[test]
fn a_board_of_ones_own_begins_with_a_shipped_one() {
    let bench = Bench::new();
    let text = bench
        .run("boards plover --toml")
        .out
        .replace("name = \"plover\"", "name = \"mine\"")
        .replace("3_072_000", "6_144_000");
    bench.write("mine.toml", &text);
    fs::copy(
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../boards/plover.asm"),
        bench.path.join("plover.asm"),
    )
    .expect("a copy");
    let ran = bench.run("run lamps --board mine.toml");
    assert!(ran.status == 0 && ran.out.contains("at 6.144 MHz"), "{}", ran.all());
    assert!(bench.run("boards mine.toml").out.starts_with("board      mine"));
}

#[test]
fn the_tour_passes() {
    let bench = Bench::new();
    let first = bench.run("demo");
    assert!(first.status == 0 && first.out.lines().count() <= 45, "{}", first.all());
    for words in ["plover   lamps  divide", "keeper*", "nights     00→10  (16)", "plainbyte demo --all"] {
        assert!(first.out.contains(words), "{words}: {}", first.out);
    }
    let tour = bench.run("demo --all");
    assert_eq!(tour.status, 0, "{}", tour.all());
    let programs =
        ["lamps", "divide", "exchange", "visibility", "tides", "fog", "oil", "blink", "beacon", "log"];
    let worked =
        ["lamp-character.panel", "slips.panel", "unset.panel", "keeper.panel", "border.panel", "bell.panel"];
    let words = ["dusk", "passages-tape", "read-in", "signal", "horn", "paces", "turn", "blocks"];
    let later = [
        "entries",
        "clock",
        "tide-table",
        "dump",
        "fair-copy",
        "sort-boats",
        "meters",
        "watches",
        "character",
        "tonight",
        "new-horn",
    ];
    for name in programs.iter().chain(&later).chain(&["passages", "border"]).chain(&words).chain(&worked) {
        assert!(
            tour.out.contains(&format!("\n{name}: ")) || tour.out.starts_with(&format!("{name}: ")),
            "{name}"
        );
    }
    let tables = tour.out.lines().filter(|line| line.starts_with("  all ") && line.ends_with(" passed"));
    assert_eq!(tables.count(), 37);
    assert!(!tour.out.contains('\u{1b}'), "no colour where nobody sees it");
}

#[test]
fn the_demo_writes_its_programs_and_they_build() {
    let bench = Bench::new();
    assert_eq!(bench.run("demo --copy skerrow").status, 0);
    assert!(bench.exists("skerrow/tides.cases.toml") && bench.exists("skerrow/keeper.panel"));
    assert_eq!(bench.run("demo --copy skerrow").status, 1, "nothing is written over");
    for entry in std::fs::read_dir(bench.path.join("skerrow")).expect("the copy").flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        // That one is there for its mistakes.
        if name.ends_with(".asm") && name != "slips.asm" {
            let built = bench.run(&format!("build skerrow/{name}"));
            assert_eq!((built.status, built.err.as_str()), (0, ""), "{name}: {}", built.all());
        }
    }
    assert_eq!(
        bench
            .run("cases skerrow/lamps skerrow/oil skerrow/blink skerrow/log skerrow/passages skerrow/border")
            .status,
        0
    );
}

#[test]
fn colour_is_there_for_people_and_nowhere_else() {
    let bench = Bench::new();
    let run = |variables: &[(&str, &str)], arguments: &[&str]| {
        let mut command = Command::cargo_bin("plainbyte").expect("it is built");
        command.current_dir(&bench.path).env_remove("NO_COLOR").env_remove("CLICOLOR_FORCE");
        let output = command.envs(variables.iter().copied()).args(arguments).output().expect("it runs");
        String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned()
    };
    let forced = [("CLICOLOR_FORCE", "1")];
    let refused = [("CLICOLOR_FORCE", "1"), ("NO_COLOR", "1")];
    bench.write("bad.asm", "        cpu 8085\n        mvo a\n");
    for arguments in [
        &["run", "lamps", "--board", "plover", "--trace"][..],
        &["build", "bad"],
        &["chart", "8085", "mvi"],
        &["nosuch"],
    ] {
        let coloured = run(&forced, arguments);
        assert!(coloured.contains('\u{1b}'), "{arguments:?}: {coloured}");
        assert!(!run(&[], arguments).contains('\u{1b}'), "{arguments:?} piped");
        assert!(!run(&refused, arguments).contains('\u{1b}'), "{arguments:?} with NO_COLOR");
        // Without colour it says the same.
        let mut plain = String::new();
        let mut rest = coloured.as_str();
        while let Some((before, after)) = rest.split_once('\u{1b}') {
            plain.push_str(before);
            rest = after.split_once('m').map_or("", |(_, rest)| rest);
        }
        plain.push_str(rest);
        let trimmed = |text: &str| text.lines().map(str::trim_end).collect::<Vec<_>>().join("\n");
        assert_eq!(trimmed(&plain), trimmed(&run(&[], arguments)), "{arguments:?}");
    }
}

#[test]
fn a_reader_that_goes_away_is_no_failure() {
    use std::io::Read;
    let bench = Bench::new();
    let binary = assert_cmd::cargo::cargo_bin("plainbyte");
    let mut child = std::process::Command::new(binary)
        .current_dir(&bench.path)
        .args(["run", "divide", "--board", "plover", "--trace", "--set", "oil=255,1"])
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .expect("it runs");
    let mut first = [0; 64];
    child.stdout.take().expect("a pipe").read_exact(&mut first).expect("something to read");
    let output = child.wait_with_output().expect("it ends");
    assert!(output.stderr.is_empty(), "{}", String::from_utf8_lossy(&output.stderr));
    assert_eq!(output.status.code(), Some(0));
}

#[test]
fn odd_files_are_answered_not_stumbled_over() {
    let bench = Bench::new();
    let at = |name: &str| bench.path.join(name);
    bench.write("empty.asm", "");
    bench.write("comment.asm", "; nothing but words");
    fs::write(at("binary.asm"), [0u8, 159, 146, 150, 10, 255]).expect("a file");
    fs::write(at("wide.bin"), vec![0u8; 70_000]).expect("a file");
    fs::write(at("nothing.bin"), []).expect("a file");
    bench.write("far.hex", ":020000040001F9\n:0100000076 89\n:00000001FF\n".replace(' ', "").as_str());
    bench.write("huge.asm", "        cpu 8085\n        ds 0FFFFFFFFh, 1\n        hlt\n");
    bench.write("self.asm", "        cpu 8085\n        include \"self.asm\"\n");
    bench.write("bare.toml", "version = 1\nname = \"x\"\nprocessor = \"8085\"\nclock = 1\n[firmware]\nsource = \"gone.asm\"\n[[memory]]\nkind = \"ram\"\nfirst = 0\nlast = 65535\n");
    fs::create_dir(at("folder.asm")).expect("a folder");
    let rows = [
        ("build empty", 0, "no cells"),
        ("build empty --output raw:x.bin", 1, "there is nothing to write"),
        ("build comment --json", 0, "\"segments\":[]"),
        ("run empty --cpu 8085 --cycles 8", 0, "stopped"),
        ("build binary --cpu 8085", 1, "not UTF-8"),
        ("build folder.asm", 1, "it is a folder"),
        ("build huge", 1, "past the last address"),
        ("build self", 1, "includes itself"),
        ("run wide.bin --cpu 8085", 1, "has no memory"),
        ("run nothing.bin --cpu 8085 --cycles 4", 0, "stopped"),
        ("run far.hex --cpu 8085", 1, "has no memory"),
        ("inspect far.hex", 0, "10000"),
        ("disassemble nothing.bin --cpu 8085", 0, "cpu 8085"),
        ("run lamps --board bare.toml", 1, "gone.asm"),
        ("monitor lamps --board folder.asm", 2, "there is no board"),
        ("cases tides.txt", 1, "tides.txt"),
        ("boards empty.asm", 2, "there is no board"),
    ];
    for (arguments, status, part) in rows {
        let ran = bench.run(arguments);
        assert_eq!(ran.status, status, "{arguments}: {}", ran.all());
        assert!(ran.all().contains(part), "{arguments}: {}", ran.all());
    }
}

#[test]
fn a_case_table_may_bring_its_board_processor_and_symbols() {
    let bench = Bench::new();
    fs::create_dir(bench.path.join("night")).expect("a folder");
    let board = bench.run("boards plover --toml").out;
    bench.write(
        "night/mine.toml",
        &board.replace("[firmware]\nsource = \"plover.asm\"\nready = \"ready\"\n", ""),
    );
    bench.write("night/watch.asm", "        org 4000h\n        mvi a, bells\n        dsub\n        hlt\n");
    bench.write(
        "night/watch.cases.toml",
        "version = 1\nprogram = \"watch.asm\"\nprocessor = \"8085u\"\nboard = \"mine.toml\"\ndefine = { bells = 8 }\n\
         [[case]]\nname = \"eight bells\"\ngiven.registers = { HL = 5, BC = 7 }\nexpect.registers = { A = 8, HL = -2 }\n",
    );
    let ran = bench.run("cases night/watch");
    assert!(ran.status == 0 && ran.out.contains("all 1 passed"), "{}", ran.all());
    // The plain 8085 has no such instruction, and says which processor has.
    let text = bench.read("night/watch.cases.toml").replace("processor = \"8085u\"\n", "");
    bench.write("night/watch.cases.toml", &text);
    let ran = bench.run("cases night/watch");
    assert!(ran.status == 1 && ran.err.contains("write `cpu 8085u` if the machine has one"), "{}", ran.all());
}
