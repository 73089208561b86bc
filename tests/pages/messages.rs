//! Every message the program can print, in one list. Who adds one sees it here beside the others, and reads it once as its
//! reader will: what is wrong, where, what to do.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};

/// What makes a riddle of a message, and what to write.
const RIDDLES: [(&str, &str); 8] = [
    ("behind", "after"),
    (" 1 bytes", "1 byte"),
    ("hardly mean", "is probably a mistake"),
    ("shut out", "disabled"),
    ("taken back\"", "undone, cancelled"),
    (" no more\"", "no longer"),
    ("is no instruction", "is not an instruction"),
    ("is no address", "is not an address"),
];

fn sources(folder: &Path, all: &mut Vec<PathBuf>) {
    let mut entries: Vec<PathBuf> =
        std::fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path()).collect();
    entries.sort();
    for entry in entries {
        if entry.is_dir() {
            sources(&entry, all);
        } else if entry.extension().is_some_and(|ending| ending == "rs") {
            all.push(entry);
        }
    }
}

/// The texts of a source, without those of its comments, of its own tests, and of what cannot happen.
fn texts(source: &str) -> Vec<String> {
    let source = source.split("#[cfg(test)]\nmod ").next().unwrap_or_default();
    let mut found = Vec::new();
    let mut rest = source;
    while let Some(at) = rest.find(['"', '/', '\'', 'r']) {
        let (before, here) = rest.split_at(at);
        let after_name = before.ends_with(|one: char| one.is_alphanumeric() || one == '_');
        rest = if here.starts_with("//") {
            here.find('\n').map_or("", |end| &here[end..])
        } else if let Some(raw) = here.strip_prefix("r#\"").filter(|_| !after_name) {
            let end = raw.find("\"#").expect("an end");
            found.push(raw[..end].to_string());
            &raw[end + 2..]
        } else if here.starts_with('\'') {
            let end = ["'\\''", "'\"'", "'\\\\'", "'/'", "'\\\"'"].iter().find(|one| here.starts_with(**one));
            &here[end.map_or(1, |one| one.len())..]
        } else if let Some(text) = here.strip_prefix('"') {
            let mut end = 0;
            while !text[end..].starts_with('"') {
                end += text[end..].chars().next().map_or(0, char::len_utf8);
                if text[..end].ends_with('\\') {
                    end += text[end..].chars().next().map_or(0, char::len_utf8);
                }
            }
            let asks = ["expect(", "assert!(", "unreachable!(", "concat!("];
            if !asks.iter().any(|ask| before.trim_end().ends_with(ask)) {
                found.push(text[..end].to_string());
            }
            &text[end + 1..]
        } else {
            &here[1..]
        };
    }
    found
}

/// True for what a person reads as words: names, markup and settings are none.
fn is_message(text: &str) -> bool {
    let words = text.split_whitespace().filter(|word| {
        let word = word.trim_matches(['`', ',', ';', ':', '.', '(', ')', '?']);
        word.len() > 1 && word.chars().all(|one| one.is_ascii_lowercase() || one == '\'')
    });
    !text.starts_with(['<', '{']) && words.count() >= 2
}

/// Breaks a text where its source does: without the breaks.
fn on_one_line(text: &str) -> String {
    let mut parts = text.split("\\\n");
    let mut line = parts.next().unwrap_or_default().to_string();
    parts.for_each(|part| line.push_str(part.trim_start()));
    line.replace('\n', "\\n")
}

/// What the instruction sets say about their instructions stands in the charts.
fn has_messages(file: &Path) -> bool {
    let name = file.to_string_lossy();
    !(name.ends_with("hostile.rs") || name.contains("/processor/") && name.contains("table"))
}

#[test]
fn every_message_is_listed_and_none_is_a_riddle() {
    let root = PathBuf::from(env!("CARGO_MANIFEST_DIR"));
    let mut files = Vec::new();
    ["core/src", "src", "cli/src"].iter().for_each(|folder| sources(&root.join(folder), &mut files));
    let (mut list, mut riddles) = (String::new(), String::new());
    for file in files.iter().filter(|file| has_messages(file)) {
        let name = file.strip_prefix(&root).expect("inside").to_string_lossy().replace('\\', "/");
        let source = std::fs::read_to_string(file).expect("a source");
        let messages: Vec<String> =
            texts(&source).iter().map(|text| on_one_line(text)).filter(|text| is_message(text)).collect();
        if messages.is_empty() {
            continue;
        }
        writeln!(list, "{name}").expect("a text");
        for message in messages {
            for (word, better) in RIDDLES {
                if format!("{message}\"").contains(word) {
                    writeln!(riddles, "{name}: {message}\n    `{word}`: write `{better}`").expect("a text");
                }
            }
            writeln!(list, "  {message}").expect("a text");
        }
    }
    assert!(riddles.is_empty(), "{riddles}");
    insta::assert_snapshot!(list);
}
