//! The keypad trainer, worked through its keys and digits alone, from panel scripts.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::panel::{NoFiles, Panel, Script};
use plain_byte::session::{Session, find_board};

fn panel(without: &[&str]) -> Panel {
    let mut found = find_board("tern", None, &mut Texts::default()).expect("a board");
    for name in without {
        found.board.leave_out(name).expect("it can do without");
    }
    Panel::new(Session::open(&found, &mut Texts::default()).expect("it opens"))
}

/// Runs a script and tells what was seen otherwise.
fn run(panel: &mut Panel, text: &str) {
    let script = Script::parse(text).expect("a script");
    let ran = script.run(panel, &mut NoFiles).expect("it can be carried out");
    assert_eq!(ran.failed, 0, "{}", ran.text);
}

#[test]
fn the_scripts_of_the_demo_see_what_they_say() {
    run(&mut panel(&[]), include_str!("../../demo/lamp-character.panel"));
    run(&mut panel(&[]), include_str!("../../demo/slips.panel"));
    run(&mut panel(&["vectors"]), include_str!("../../demo/unset.panel"));
}

#[test]
fn a_script_that_makes_no_sense_is_refused_with_every_line_that_does_not() {
    let text =
        "prss LOOK\npress\nwait\nsee digits 12\nsee lamp\ntype fog\n; a remark\nshow\nsee lamp glowing\n";
    let errors = Script::parse(text).expect_err("it is wrong");
    let told: Vec<String> = errors
        .iter()
        .map(|one| {
            let line = text[..one.span.start as usize].matches('\n').count() + 1;
            format!("{line}: {} ({})", one.message, one.help)
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"), @r#"
    1: `prss` is not a word of the panel (did you mean `press`?)
    2: `press` is not complete (write `press KEY KEY …`)
    3: `wait` is not complete (write `wait 500ms`)
    4: `see digits 12` is not complete (write `see digits "A90300", see lamp lit, see output "text", see screen "text", see border lamp`)
    5: `see lamp` is not complete (write `see digits "A90300", see lamp lit, see output "text", see screen "text", see border lamp`)
    6: `type fog` is not complete (write `type "text"`)
    9: `see lamp glowing` is not complete (write `see digits "A90300", see lamp lit, see output "text", see screen "text", see border lamp`)
    "#);
    // What the board does not have.
    for (line, message) in [
        ("press FOG", "the board tern has no key or interrupt input `FOG`; it has STOP, RESET, NMI, IRQ, SO"),
        ("wait soon", "`soon` is not a time"),
        ("see beacon lit", "the board has no lamp `beacon`"),
        ("type \"7\"", "the board tern has no console"),
    ] {
        let script = Script::parse(line).expect("a script");
        assert_eq!(script.run(&mut panel(&[]), &mut NoFiles).expect_err(line).message, message);
    }
}

#[test]
fn a_look_that_sees_something_else_is_told_and_the_panel_is_drawn() {
    let script = Script::parse("see digits \"010200\"\nshow\n").expect("a script");
    let ran = script.run(&mut panel(&[]), &mut NoFiles).expect("it can be carried out");
    assert_eq!(ran.failed, 1);
    insta::assert_snapshot!(ran.text.to_string());
}

/// Keys faster than the scan, several at once, and all of them again: nothing is lost that was held for two passes, and nothing
/// goes astray.
#[test]
fn keys_that_come_too_fast_are_missed_whole_or_seen_once() {
    let mut panel = panel(&[]);
    let see = |panel: &mut Panel| plain_byte::panel::glyphs(&panel.look().digits[0].1);
    for milliseconds in [1u64, 3, 5] {
        for key in ["1", "2", "3"] {
            panel.press(key, true).expect("a key");
            panel.pass(milliseconds * 1000);
            panel.press(key, false).expect("a key");
            panel.pass(30_000);
        }
        assert_eq!(see(&mut panel), "000200", "{milliseconds} ms are less than two passes");
    }
    panel.press("5", true).expect("a key");
    panel.pass(2_000_000);
    panel.press("5", false).expect("a key");
    panel.pass(30_000);
    assert_eq!(see(&mut panel), "= 0005", "held for long it is one digit");
    panel.press("1", true).expect("a key");
    panel.press("7", true).expect("a key");
    panel.pass(60_000);
    panel.press("1", false).expect("a key");
    panel.press("7", false).expect("a key");
    panel.pass(60_000);
    let seen = see(&mut panel);
    assert!(seen == "= 0051" || seen == "= 0057", "two at once are one of them: {seen}");
}

/// A program keyed in from its card is in memory as it was assembled, and runs.
#[test]
fn a_card_is_a_script_that_keys_the_program_in() {
    let source = "
        cpu 6502
        org $300
start:  lda boats
        clc
        adc boats + 1
        sta sum
        brk
        org $380
boats:  db 17, 25
sum:    db 0
";
    let assembly = assemble("boats", &mut Texts::one("boats", source), &Options::default());
    assert!(assembly.succeeded());
    let set = assembly.set.expect("a processor");
    let lines = plain_byte::report::source_lines(&assembly);
    let card = plain_byte::report::card(
        "boats",
        set,
        &lines,
        assembly.image.start(),
        plain_byte::report::Grouping::Fours,
    );
    let mut panel = panel(&[]);
    let keying = panel.session().machine().board().keying.clone().expect("it has a keypad");
    let text = card.keypad_text(&keying).to_string();
    run(&mut panel, &text);
    let machine = panel.session().machine();
    for segment in assembly.image.segments() {
        for (at, cell) in segment.cells.iter().enumerate() {
            let address = segment.start + at as u32;
            let expected = if address == 0x382 { 42 } else { *cell };
            assert_eq!(machine.cell(address), expected, "{address:04X}");
        }
    }
    run(&mut panel, "see digits \"00030C\"");
    insta::assert_snapshot!(text);
}
