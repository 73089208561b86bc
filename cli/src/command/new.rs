//! `new`: a small complete project.

use crate::arguments::NewArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::report::{Text, Tone};
use plain_byte::session::project;
use std::path::Path;

pub fn run(arguments: &NewArguments) -> Result<(), Failure> {
    let folder = Path::new(&arguments.name);
    let name = folder.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let fits = |c: char| c.is_ascii_alphanumeric() || "_-".contains(c);
    if name.is_empty() || !name.chars().all(fits) {
        let help = "use letters, digits, `-` and `_`; the program gets this name";
        return Err(Failure::usage(format!("`{}` is no name for a project", arguments.name), help));
    }
    let asked = open::cpu_option(Some(arguments.cpu.as_deref().unwrap_or("8085")))?;
    let mut found = open::board(&arguments.board, asked)?;
    if let Some(cpu) = arguments.cpu.as_deref() {
        found.board.set = open::cpu(cpu)?;
    }
    // A description of one's own is named as the project's folder sees it.
    let board = match Path::new(&arguments.board).is_relative() && arguments.board.ends_with(".toml") {
        true => format!("{}{}", "../".repeat(folder.components().count()), arguments.board),
        false => arguments.board.clone(),
    };
    let files: Vec<(String, String)> = project::starter(&name, &board, &found.board)
        .into_iter()
        .map(|(file, text)| (folder.join(file).to_string_lossy().into_owned(), text))
        .collect();
    if let Some((file, _)) = files.iter().find(|(file, _)| Path::new(file).exists()) {
        return Err(Failure::input(
            format!("{file} is there already"),
            "nothing was written; choose another name",
        ));
    }
    std::fs::create_dir_all(folder).map_err(|error| {
        Failure::input(format!("the folder {} cannot be made: {error}", folder.display()), "choose another")
    })?;
    let mut text = Text::new();
    for (file, contents) in &files {
        files::must_write(file, contents.as_bytes())?;
        text.line().tone(Tone::Faint, "wrote ").put(file);
    }
    text.line().put("now: ").tone(Tone::Strong, format!("cd {}", arguments.name));
    text.put(", then ").tone(Tone::Strong, "plainbyte run");
    text.put(", ")
        .tone(Tone::Strong, "plainbyte cases")
        .put(", ")
        .tone(Tone::Strong, "plainbyte run --watch");
    Ok(paint::show(&text)?)
}
