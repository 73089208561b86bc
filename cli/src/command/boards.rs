//! `boards`: what boards there are and what they have.

use super::print_json;
use crate::arguments::BoardsArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::boards;
use plain_byte::report::board_facts;
use plain_byte::session::board_names;
use plain_byte::text::{Text, Tone};
use std::io::Write;

pub fn run(arguments: &BoardsArguments) -> Result<(), Failure> {
    let Some(name) = &arguments.name else { return list(arguments.json) };
    if arguments.toml {
        let text = match boards::find(name) {
            Some(board) => board.description.as_bytes().to_vec(),
            None if name.ends_with(".toml") => files::must_read(name)?,
            None => {
                let help = "the boards with a description are in `plainbyte boards`";
                return Err(Failure::usage(format!("`{name}` has no description to print"), help));
            }
        };
        return Ok(std::io::stdout().lock().write_all(&text)?);
    }
    if name.eq_ignore_ascii_case("bare") {
        let text = "bare: all memory is RAM, no chips, for every processor. A port reads the values given with --port in\n\
                    turn, then the last one again and again, 0FFh where none was given, and records what is written.\n\
                    A program starts at its entry or its first address.";
        if arguments.json {
            return print_json(&serde_json::json!({
                "name": "bare", "title": "all memory is RAM, no chips", "processor": "any", "clock": null, "load": null, "names": [],
            }));
        }
        return Ok(paint::show(&Text::plain(text))?);
    }
    let found = open::board(name, None)?;
    if arguments.json {
        return print_json(&serde_json::json!({
            "name": found.board.name, "title": found.board.title, "processor": found.board.set.name(),
            "clock": found.board.clock, "load": found.board.load,
            "names": found.board.names(),
        }));
    }
    Ok(paint::show(&board_facts(&found.board))?)
}

fn list(json: bool) -> Result<(), Failure> {
    let mut text = Text::new();
    let mut names = Vec::new();
    for name in board_names() {
        let (processor, title) = if name == "bare" {
            ("any".to_string(), "all memory is RAM, no chips".to_string())
        } else {
            let board = open::board(name, None)?.board;
            (board.set.name().to_string(), board.title)
        };
        text.line().tone(Tone::Strong, format!("{name:8} ")).put(format!("{processor:6} {title}"));
        names.push(serde_json::json!({ "name": name, "processor": processor, "title": title }));
    }
    text.line().tone(
        Tone::Faint,
        "a board of your own is a .toml file; begin with `plainbyte boards plover --toml > mine.toml`",
    );
    if json { print_json(&serde_json::json!({ "boards": names })) } else { Ok(paint::show(&text)?) }
}
