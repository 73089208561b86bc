//! `new`: a small complete project.

use crate::arguments::NewArguments;
use crate::files::Outputs;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::boards::{self, BOARDS};
use plain_byte::processor::InstructionSet;
use plain_byte::processor::i8080::I8085;
use plain_byte::text::{Text, Tone};
use plain_byte::workspace;
use std::path::Path;

/// The board where none is named: the learner's trainer where it runs such programs, else the first with that processor, else
/// `bare`.
fn board_for(asked: Option<&'static InstructionSet>) -> String {
    let Some(set) = asked else { return BOARDS[0].name.to_string() };
    let own = |name: &str| open::board(name, None).ok().map(|found| found.board.set);
    let runs = BOARDS.iter().find(|board| own(board.name).is_some_and(|own| own.runs(set)));
    let exact = BOARDS.iter().find(|board| own(board.name).is_some_and(|own| std::ptr::eq(own, set)));
    let first = runs.filter(|board| board.name == BOARDS[0].name);
    first.or(exact).or(runs).map_or("bare", |board| board.name).to_string()
}

pub fn run(arguments: &NewArguments) -> Result<(), Failure> {
    let folder = Path::new(&arguments.name);
    let name = folder.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let fits = |c: char| c.is_ascii_alphanumeric() || "_-".contains(c);
    if name.is_empty() || !name.chars().all(fits) {
        let help = "use letters, digits, `-` and `_`; the program gets this name";
        return Err(Failure::usage(format!("`{}` is not a name for a project", arguments.name), help));
    }
    let asked = open::cpu_option(arguments.cpu.as_deref())?;
    let chosen = arguments.board.clone().unwrap_or_else(|| board_for(asked));
    let found = open::board(&chosen, asked.or(Some(&I8085)))?;
    let set = asked.unwrap_or(found.board.set);
    if !found.board.set.runs(set) && !workspace::fits(found.board.set, set) {
        let own = found.board.set.name();
        let message =
            format!("the board {chosen} has the {own}, which does not run programs for the {}", set.name());
        let help =
            format!("choose one of its boards with --board: {}", open::boards_of(set.name()).join(", "));
        return Err(Failure::usage(message, help));
    }
    let kinds: Vec<&str> =
        boards::find(&chosen).map_or(&[][..], |one| one.starters).iter().map(|one| one.kind).collect();
    if let Some(kind) = arguments.kind.as_deref().filter(|kind| !kinds.contains(kind)) {
        let known: Vec<&str> = kinds.into_iter().filter(|kind| !kind.is_empty()).collect();
        let help = match known.is_empty() {
            true => "leave --kind out".to_string(),
            false => format!("its kinds are {}", known.join(", ")),
        };
        return Err(Failure::usage(format!("the board {chosen} has no programs of the kind `{kind}`"), help));
    }
    // A description of one's own is named as the project's folder sees it.
    let board = match Path::new(&chosen).is_relative() && chosen.ends_with(".toml") {
        true => format!("{}{}", "../".repeat(folder.components().count()), chosen),
        false => chosen,
    };
    let files: Vec<(String, String)> =
        workspace::starter(&name, &board, &found.board, set, arguments.kind.as_deref())
            .into_iter()
            .map(|(file, text)| (folder.join(file).to_string_lossy().into_owned(), text))
            .collect();
    if let Some((file, _)) = files.iter().find(|(file, _)| Path::new(file).exists()) {
        return Err(Failure::input(
            format!("{file} exists already"),
            "nothing was written; choose another name",
        ));
    }
    std::fs::create_dir_all(folder).map_err(|error| {
        Failure::input(format!("the folder {} cannot be made: {error}", folder.display()), "choose another")
    })?;
    let mut text = Text::new();
    let mut outputs = Outputs::default();
    files.iter().for_each(|(file, contents)| outputs.add(file, contents.as_str()));
    outputs.write()?;
    if arguments.json {
        let files: Vec<&String> = files.iter().map(|row| &row.0).collect();
        return super::print_json(&serde_json::json!({ "files": files }));
    }
    for (file, _) in &files {
        text.line().tone(Tone::Faint, "wrote ").put(file);
    }
    text.line().put("now: ").tone(Tone::Strong, format!("cd {}", arguments.name));
    text.put(", then ").tone(Tone::Strong, "plainbyte run");
    text.put(", ")
        .tone(Tone::Strong, "plainbyte cases")
        .put(", ")
        .tone(Tone::Strong, "plainbyte run --watch");
    Ok(paint::report(&text)?)
}
