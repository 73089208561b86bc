//! The chapters of the guide: their programs are written, their commands are run, and what comes back is what they show.
//!
//! With `PLAIN_BYTE_RECORD` set, the outputs in the pages are written anew.

use crate::common::Bench;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

/// A line that stands for any number of lines.
const ANY: &str = "…";

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../docs/guide")
}

/// True where the output is what the page shows.
fn is_shown(shown: &[&str], output: &[&str]) -> bool {
    match shown.split_first() {
        None => output.is_empty(),
        Some((&ANY, rest)) => (0..=output.len()).any(|from| is_shown(rest, &output[from..])),
        Some((line, rest)) => output
            .split_first()
            .is_some_and(|(first, others)| first.trim_end() == *line && is_shown(rest, others)),
    }
}

/// Carries out a chapter from its first line to its last in a folder with nothing in it, and brings the page as it ought to be.
fn carried_out(name: &str, page: &str) -> String {
    let folder = TempDir::new().expect("a folder");
    let bench = Bench::at(folder.path().to_path_buf());
    let mut fresh = String::new();
    for (index, block) in page.split("```").enumerate() {
        fresh.push_str(if index > 0 { "```" } else { "" });
        let (head, body) = block.split_once('\n').unwrap_or((block, ""));
        let words: Vec<&str> = head.split(' ').collect();
        match (index % 2, &words[..]) {
            (1, ["console", rest @ ..]) => {
                fresh.push_str(&format!("{head}\n{}", console(name, &bench, body, !rest.is_empty())));
            }
            (1, [_, file]) => {
                bench.write(file, body);
                fresh.push_str(block);
            }
            _ => fresh.push_str(block),
        }
    }
    fresh
}

/// The commands of a block, each with what it puts out now.
fn console(name: &str, bench: &Bench, body: &str, fails: bool) -> String {
    let mut fresh = String::new();
    for one in body.split("$ plainbyte ").skip(1) {
        let (command, shown) = one.split_once('\n').expect("a line");
        let (words, input) = command.split_once(" < ").unwrap_or((command, ""));
        let input = if input.is_empty() { String::new() } else { bench.read(input) };
        let words = words.split('"').enumerate().map(|(index, part)| match index % 2 {
            1 => part.replace(' ', "_"),
            _ => part.to_string(),
        });
        let ran = bench.run_with(&words.collect::<String>(), &input);
        assert_eq!(ran.status != 0, fails, "{name}: {command}\n{}", ran.all());
        let output = format!("{}{}", ran.out, ran.err);
        let output: Vec<&str> = output.lines().map(str::trim_end).collect();
        let shown: Vec<&str> = shown.lines().collect();
        let is_so = is_shown(&shown, &output);
        let is_short = shown.contains(&ANY);
        assert!(is_so || !is_short, "{name}: {command}\n{}", ran.all());
        fresh.push_str(&format!("$ plainbyte {command}\n"));
        for line in if is_short { shown } else { output } {
            fresh.push_str(line);
            fresh.push('\n');
        }
    }
    fresh
}

#[test]
fn every_chapter_shows_what_comes_back() {
    let mut pages: Vec<PathBuf> =
        std::fs::read_dir(folder()).expect("the guide").flatten().map(|entry| entry.path()).collect();
    pages.sort();
    assert!(pages.len() >= 7, "{} chapters", pages.len());
    for path in pages {
        let page = std::fs::read_to_string(&path).expect("a chapter");
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        let fresh = carried_out(&name, &page);
        if std::env::var_os("PLAIN_BYTE_RECORD").is_some() {
            std::fs::write(&path, &fresh).expect("it is written");
        } else {
            same(&name, &page, &fresh);
        }
    }
}

/// Tells the first line that differs.
fn same(name: &str, page: &str, fresh: &str) {
    let differs = page.lines().zip(fresh.lines()).enumerate().find(|(_, (old, new))| old != new);
    if let Some((line, (old, new))) = differs {
        panic!(
            "{name}:{}: the page shows `{old}`, and it is `{new}`; PLAIN_BYTE_RECORD=1 writes it anew",
            line + 1
        );
    }
    assert_eq!(page, fresh, "{name}");
}
