//! `completions` and `manuals`: what shells and manual readers need to know, made from the definitions of the arguments.

use crate::arguments::{CompletionsArguments, ManualsArguments, command};
use crate::say::Failure;
use clap::builder::PossibleValuesParser;
use clap::{Arg, Command, ValueHint};
use plain_byte::processor;
use plain_byte::report::WARNINGS;
use plain_byte::session::{HAZARDS, board_names};
use std::io::Write;

/// The whole command line with every option made.
fn whole(with: fn(Arg) -> Arg) -> Command {
    let mut all = command();
    let names: Vec<String> = all.get_subcommands().map(|one| one.get_name().to_string()).collect();
    all.build();
    for name in names {
        all = all.mut_subcommand(name, |one| one.mut_args(with));
    }
    all
}

/// What completes the value of an argument. Other values are taken all the same when the command runs.
fn with_values(argument: Arg) -> Arg {
    let names = argument.get_value_names().unwrap_or_default();
    let name = names.first().map(|name| name.to_string()).unwrap_or_default();
    let id = argument.get_id().as_str().to_string();
    let words: Vec<&'static str> = match (id.as_str(), name.as_str()) {
        ("board", _) => board_names(),
        ("cpu" | "to" | "from", "NAME") => processor::ALL.iter().map(|set| set.name()).collect(),
        (_, "CODE") => WARNINGS.iter().chain(HAZARDS).map(|row| row.0).chain(["all"]).collect(),
        _ => Vec::new(),
    };
    if !words.is_empty() {
        return argument.value_parser(PossibleValuesParser::new(words));
    }
    match name.as_str() {
        "FOLDER" => argument.value_hint(ValueHint::DirPath),
        "FILE" | "SOURCE" | "IMAGE" | "SOURCE|IMAGE" => argument.value_hint(ValueHint::FilePath),
        _ => argument,
    }
}

/// Prints the completions of a shell.
pub fn completions(arguments: &CompletionsArguments) -> Result<(), Failure> {
    let mut text = Vec::new();
    clap_complete::generate(arguments.shell, &mut whole(with_values), "plainbyte", &mut text);
    match std::io::stdout().write_all(&text) {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => {
            Err(Failure::input(format!("standard output: {error}"), "give it a place to go"))
        }
        _ => Ok(()),
    }
}

/// Writes a manual page for the whole and one for each command.
pub fn manuals(arguments: &ManualsArguments) -> Result<(), Failure> {
    let folder = &arguments.folder;
    let wrong = |error: std::io::Error| {
        Failure::input(format!("`{}`: {error}", folder.display()), "name a folder that can be written to")
    };
    std::fs::create_dir_all(folder).map_err(wrong)?;
    clap_mangen::generate_to(whole(|argument| argument), folder).map_err(wrong)
}
