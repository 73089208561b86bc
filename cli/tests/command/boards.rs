//! The ROM board and the keypad trainer from the command line, as people use them.

use crate::common::Bench;

#[test]
fn panel_scripts_run_and_say_what_they_see() {
    let bench = Bench::new();
    for arguments in [
        "panel --board tern --script lamp-character",
        "panel --board tern --script slips.panel",
        "panel --board tern --without vectors --script unset",
    ] {
        let ran = bench.run(arguments);
        assert_eq!((ran.status, ran.err.as_str()), (0, ""), "{arguments}: {}", ran.all());
        assert!(ran.out.contains("it is so"), "{arguments}");
    }
    // With the jumper the vectors are set, and the script that expects the trap sees something else.
    let ran = bench.run("panel --board tern --script unset");
    assert_eq!(ran.status, 1);
    assert!(ran.err.contains("saw something else"), "{}", ran.all());
    // A program that is named runs from its start; after a reset it waits in memory for the operator. The script comes on standard
    // input.
    bench.write("boats.asm", "        cpu 6502\n        org $300\n        lda #$2A\n        brk\n");
    let ran = bench.run_with(
        "panel boats --board tern --script -",
        "wait 50ms\npress REGS UP\nsee digits \"rA  2A\"\npress RESET\nsee digits \"000200\"\npress 3 0 0 RUN\nsee digits \"000304\"\nstart program\n",
    );
    assert_eq!(ran.status, 0, "{}", ran.all());
}

#[test]
fn a_card_keys_a_program_in_through_the_panel() {
    let bench = Bench::new();
    bench.write(
        "boats.asm",
        "        cpu 6502\n        org $300\nstart:  lda #17\n        clc\n        adc #25\n        brk\n",
    );
    let card = bench.run("card boats --board tern");
    assert_eq!(card.status, 0, "{}", card.all());
    let script = format!("{}press REGS UP\nsee digits \"rA  2A\"\n", card.out);
    let ran = bench.run_with("panel --board tern --script -", &script);
    assert_eq!(ran.status, 0, "{}", ran.all());
}

#[test]
fn mistakes_at_the_boards_are_answered() {
    let bench = Bench::new();
    bench.write("wrong.panel", "press LOOK 0 3\nprss RUN\nwait soon\n");
    bench.write("nokey.panel", "press LOOK\npress HORN\n");
    let lines = [
        "panel",
        "panel --board tern",
        "panel --board tern --script none",
        "panel --board tern --script wrong",
        "panel --board tern --script nokey",
        "panel --board tern --without ram --script slips",
        "run blink --board puffin --without rom",
        "run blink --without ram",
        "run blink --board puffin --press horn@1s",
        "run blink --board puffin --press interrupt@soon",
        "card blink --board tern",
        "run blink --board tern",
        "panel divide --board tern --script slips",
        "panel slips.panel --board tern",
        "panel --board heron --script read-in",
        "build beacon --board puffin --without ram",
    ];
    let told: Vec<String> =
        lines.iter().map(|line| format!("$ plainbyte {line}\n{}", bench.run(line).all())).collect();
    insta::assert_snapshot!(told.join("\n"));
}

#[test]
fn the_light_is_measured_and_the_interrupt_pressed() {
    let bench = Bench::new();
    let blink = bench.run("run blink --board puffin --without ram --cycles 2000000");
    assert!(blink.out.contains("lit 4 times for 257.2 ms; dark 3 times for 257.2 ms"), "{}", blink.all());
    let lost = bench.run("run blink --board puffin --without ram --cycles 2000000 --press interrupt@300ms");
    assert!(lost.out.contains("lit once"), "{}", lost.all());
    let counted = bench.json("run beacon --board puffin --cycles 2000000 --press interrupt@300ms --press interrupt@1.2s --show 10h --json");
    assert_eq!(counted["memory"][0]["cells"], serde_json::json!([2]));
    let held = bench.run("run blink --board puffin --cycles 1000 --press button@100..500");
    assert_eq!(held.status, 0, "{}", held.all());
    let ran = bench.run("cases blink beacon log");
    assert_eq!(ran.status, 0, "{}", ran.all());
    let image = bench.run("build blink --board puffin --output raw:blink.bin");
    assert_eq!(image.status, 0, "{}", image.all());
    let facts = bench.json("inspect blink.bin --cpu 6502 --at 8000h --json");
    assert_eq!(facts["segments"][0]["cells"], serde_json::json!(32768));
}

#[test]
fn projects_begin_for_every_board_and_their_cases_pass() {
    for (board, cpu) in
        [("puffin", None), ("tern", None), ("fulmar", None), ("bare", Some("6502")), ("bare", Some("65c02"))]
    {
        let bench = Bench::new();
        let cpu = cpu.map(|cpu| format!(" --cpu {cpu}")).unwrap_or_default();
        let made = bench.run(&format!("new beam --board {board}{cpu}"));
        assert_eq!(made.status, 0, "{board}: {}", made.all());
        let inside = Bench::at(bench.path.join("beam"));
        let built = inside.run("build");
        assert_eq!((built.status, built.err.as_str()), (0, ""), "{board}: {}", built.all());
        let cases = inside.run("cases");
        assert_eq!(cases.status, 0, "{board}: {}", cases.all());
    }
}

#[test]
fn a_screen_is_part_of_what_came_of_a_run() {
    let bench = Bench::new();
    let ran = bench.json("run passages --board fulmar --json");
    assert_eq!(ran["stop"]["reason"], "back");
    assert_eq!(ran["screen"].as_array().map(Vec::len), Some(24));
    assert_eq!(ran["screen"][5], "  T ███████ 7");
    let shown = bench.run("run passages --board fulmar");
    assert!(shown.status == 0 && shown.out.contains("│  T ███████ 7 "), "{}", shown.all());
    // A key of the keyboard, pressed at a time, ends a program that waits for one.
    let pressed = bench.json("run border --board fulmar --press X@100ms..150ms --json");
    assert!(
        pressed["screen"]
            .as_array()
            .is_some_and(|lines| lines.contains(&"a $78 120 x $00 0 y $00 0 s $FF".into()))
    );
    // A board without one says nothing of it, and a program that ends by BRK is back in the trainer's monitor.
    bench.write("boat.asm", "        cpu 6502\n        org $200\n        lda #3\n        brk\n");
    let ran = bench.json("run boat --board tern --json");
    assert_eq!((&ran["stop"]["reason"], ran.get("screen")), (&serde_json::json!("back"), None));
}

#[test]
fn the_panel_is_drawn_into_files() {
    let bench = Bench::new();
    let drawn = bench.run("panel passages --board fulmar --picture fulmar.svg --size 90x30");
    assert_eq!((drawn.status, drawn.out.as_str()), (0, "wrote fulmar.svg\n"), "{}", drawn.all());
    let svg = bench.read("fulmar.svg");
    assert!(svg.starts_with("<svg ") && svg.contains("width=\"900\" height=\"600\""));
    // The border is deep, the characters chalk on slate.
    for part in ["#1f4e8c", "#2b3542", "fill=\"#f2f0e8\"", "font-family", ">Tab</text>"] {
        assert!(svg.contains(part), "{part}");
    }
    bench.write("look.panel", "press 0 3\npicture \"tern.png\"\nsee digits \"= 0003\"\n");
    let ran = bench.run("panel --board tern --script look.panel --picture end.png");
    assert_eq!(ran.status, 0, "{}", ran.all());
    for file in ["tern.png", "end.png"] {
        let head = std::fs::read(bench.path.join(file)).expect("a picture");
        assert!(head.starts_with(b"\x89PNG") && head.len() > 10_000, "{file}");
    }
    bench.write("gif.panel", "picture \"tern.gif\"\n");
    for (arguments, message) in [
        ("panel --board tern --script gif.panel", "tern.gif ends in neither .svg nor .png"),
        ("panel --board tern --picture tern.gif", "tern.gif ends in neither .svg nor .png"),
        ("panel --board tern --picture no/such/tern.png", "no/such/tern.png"),
        ("panel --board tern --picture tern.png --size 3x400", "`3x400` is not a size of a panel"),
        ("panel --board tern --picture tern.png --size wide", "`wide` is not a size of a panel"),
    ] {
        let ran = bench.run(arguments);
        assert!(ran.status != 0 && ran.err.contains(message), "{arguments}: {}", ran.all());
    }
    assert!(!bench.exists("tern.gif"));
}
