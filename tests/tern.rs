//! The keypad trainer, worked through its keys and digits alone, from panel scripts.

mod common;

use plain_byte::assembler::Texts;
use plain_byte::panel::{Panel, Script, drawn, glyphs};
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
    let ran = script.run(panel).expect("it can be carried out");
    assert_eq!(ran.failed, 0, "{}", ran.text);
}

#[test]
fn the_scripts_of_the_demo_see_what_they_say() {
    run(&mut panel(&[]), include_str!("../demo/lamp-character.panel"));
    run(&mut panel(&[]), include_str!("../demo/slips.panel"));
    run(&mut panel(&["vectors"]), include_str!("../demo/unset.panel"));
}
