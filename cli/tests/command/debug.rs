//! The debugger by its keys: what its screen shows, and that the cause of a mistake is a few of them away.

use crate::common::Bench;
use std::fs;

/// A program with a mistake, the keys that find its cause, and what the screen says then.
const CAUSES: &[(&str, &str, &[&str])] = &[
    ("bug-register", "rh", &["uses A, which nothing has set", "bug-register.asm:6"]),
    ("bug-loop", "r{Up}w", &["boats = 09", "by add m", "the 4th time"]),
    ("bug-stack", "rh", &["hazard[stack-not-level]", "the stack is not as `call show` in line 7"]),
    ("bug-code", "rh", &["hazard[code-changed]", "`mov m, a` writes"]),
    ("bug-swapped", "rh", &["hazard[nothing-there]", "`mov a, m` reaches for 0A40"]),
];

#[test]
fn the_cause_of_a_mistake_is_a_few_keys_away() {
    let bench = Bench::new();
    for (program, keys, wanted) in CAUSES {
        let ran = bench.run(&format!("debug {program} --board plover --keys {keys} --size 128x40"));
        assert_eq!(ran.status, 0, "{}", ran.err);
        for part in *wanted {
            assert!(ran.out.contains(part), "{program} {keys}: {part}\n{}", ran.out);
        }
        assert!(keys.replace("{Up}", "U").len() < 10);
    }
}

/// A macro, and a block.
const BOATS: &str = "        cpu 8085\n        org 4000h\n        macro count_boat cell\n        lda cell\n        inr a\n        sta cell\n        endm
start:  lxi sp, 7F00h\n        count_boat north\n        count_boat south\n        cpi 3\n        when c\n        count_boat south\n        endwhen\n        push psw\n        hlt\nnorth:  db 1\nsouth:  db 1\n";

#[test]
fn every_board_and_size_has_its_screen() {
    let bench = Bench::new();
    fs::write(bench.path.join("boats.asm"), BOATS).expect("a program");
    let mut all = String::new();
    for (program, board, keys, size) in [
        ("tides", "plover", "sss{Down}{Down}pr", "80x24"),
        ("tides", "plover", "r{Home}fff{End}R", "128x40"),
        ("passages", "fulmar", "so", "80x24"),
        ("watches", "petrel", "sssw", "80x24"),
        ("turn", "osprey", "ss", "80x24"),
        ("dusk", "heron", "ss:why_ac{Enter}", "80x24"),
        ("tides", "plover", "?", "80x24"),
        ("divide", "plover", ":cases{Enter}", "80x24"),
        ("divide", "plover", "l{Enter}s{Tab}{Down}{Enter}1f{Enter}e", "80x24"),
        ("blink", "puffin", "gv", "80x24"),
        ("watches", "petrel", "rv{Tab}{Tab}{Right}xe", "128x40"),
        ("boats", "plover", "sm{Down}s", "80x24"),
        ("tides", "plover", ":set_a_=_5{Enter}:mem{Tab}", "80x24"),
    ] {
        let ran = bench.run(&format!("debug {program} --board {board} --keys {keys} --size {size}"));
        assert_eq!((ran.status, ran.err.as_str()), (0, ""), "{program}: {}", ran.err);
        let (columns, lines) = size.split_once('x').expect("a size");
        assert_eq!(ran.out.lines().count().to_string(), lines);
        assert!(ran.out.lines().all(|line| line.chars().count() <= columns.parse().expect("a number")));
        all += &format!("== {program} on {board}: {keys}\n{}", ran.out);
    }
    insta::assert_snapshot!(all);
}

#[test]
fn pictures_and_wrong_keys() {
    let bench = Bench::new();
    let ran = bench.run("debug tides --board plover --keys rb --picture tides.svg --size 100x30");
    assert_eq!(ran.status, 0, "{}", ran.err);
    let picture = fs::read_to_string(bench.path.join("tides.svg")).expect("it was written");
    assert!(picture.starts_with("<svg") && picture.contains("registers"));
    // What was done is a record, as far as the machine stands in it.
    let ran = bench.run("debug tides --board plover --keys s:set_b_=_5{Enter}rbb{Home}f:set_c_=_7{Enter}srb --record way.jsonl");
    assert_eq!(ran.status, 0, "{}", ran.err);
    let replayed = bench.run("replay way.jsonl");
    assert!(replayed.status == 0 && replayed.out.contains("the same run"), "{}", replayed.all());
    for (arguments, wanted) in [
        ("debug tides --board plover", "needs a terminal"),
        ("debug tides --board plover --keys {Sun}", "there is no key {Sun}"),
        ("debug tides --board plover --keys r --size 3x3", "not a size"),
        ("debug fogg --keys r", "fogg"),
    ] {
        let ran = bench.run(arguments);
        assert!(ran.status > 0 && ran.err.contains(wanted), "{arguments}: {}", ran.err);
    }
}

/// On the programs of Skerrow Rock there are no hazards, or a case means them and says so.
#[test]
fn the_demo_programs_have_no_hazards_that_nobody_means() {
    let bench = Bench::new();
    let tables = fs::read_dir(&bench.path).expect("the folder").flatten();
    let names = tables.filter_map(|entry| entry.file_name().into_string().ok());
    let tables: Vec<String> =
        names.filter(|name| name.ends_with(".cases.toml") && !name.starts_with("bug-")).collect();
    assert!(tables.len() >= 34);
    for name in tables {
        let ran = bench.run(&format!("cases {name} --deny all"));
        assert!(ran.status == 0 || !ran.out.contains("hazard"), "{name}: {}", ran.all());
    }
}

#[test]
fn a_run_and_a_table_tell_hazards_and_coverage() {
    let bench = Bench::new();
    let ran = bench.run("run bug-register --board plover --hazards");
    assert!(ran.status == 0 && ran.err.contains("hazard[unset-register]: `add m` uses A"), "{}", ran.err);
    assert_eq!(bench.run("run bug-register --board plover --deny unset-register").status, 1);
    let ran = bench.run("run bug-register --board plover --hazards --allow all");
    assert!(ran.err.contains("no hazards"), "{}", ran.err);
    let json = bench.json("run bug-register --board plover --hazards --coverage --json");
    assert_eq!(json["hazards"][0]["code"], "unset-register");
    assert_eq!(json["coverage"]["instructions"][0]["times"], 1);
    let ran = bench.run("run tides --board plover --coverage --lcov t.lcov --stacks t.txt --flame t.svg");
    assert!(ran.out.contains("27 of 27 lines with instructions were executed"), "{}", ran.out);
    let file = |name: &str| fs::read_to_string(bench.path.join(name)).expect("it was written");
    assert!(
        file("t.lcov").contains("DA:33,1")
            && file("t.txt").starts_with("start ")
            && file("t.svg").starts_with("<svg")
    );
    let table = "version = 1\ncoverage = \"full\"\nprogram = \"bug-loop.asm\"\nboard = \"plover\"\n[[case]]\nname = \"week\"\nexpect.hazards = []\n";
    fs::write(bench.path.join("full.cases.toml"), table).expect("a table");
    assert_eq!(bench.run("cases full").status, 0);
    fs::write(
        bench.path.join("part.cases.toml"),
        table.replace("name = \"week\"", "name = \"week\"\nrun.until = \"again\""),
    )
    .expect("a table");
    let ran = bench.run("cases part");
    assert!(ran.status == 1 && ran.out.contains("not covered: line 9"), "{}", ran.out);
    let ran = bench.run("explain unset-cell");
    assert!(ran.status == 0 && ran.out.contains("nothing has loaded or written"), "{}", ran.out);
}
