//! The pages say what is so: their programs assemble, their tables name everything there is, their links lead somewhere.

use crate::common::assembled;
use plain_byte::machine::Board;
use plain_byte::monitor::WORDS;
use plain_byte::session::cases::Cases;
use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR"))
}

fn page(name: &str) -> String {
    std::fs::read_to_string(root().join(name)).expect(name)
}

/// The fenced blocks of a page.
fn blocks(text: &str) -> Vec<&str> {
    text.split("```")
        .skip(1)
        .step_by(2)
        .map(|block| block.split_once('\n').map_or("", |(_, body)| body))
        .collect()
}

#[test]
fn every_example_of_the_language_page_assembles() {
    let text = page("docs/language.md");
    let directives = text.split("### Macros").next().unwrap_or_default();
    let rows = directives.lines().filter(|line| line.starts_with("| `")).filter_map(|line| {
        let cells: Vec<&str> = line.split(" | ").collect();
        (cells.len() == 3).then(|| (cells[0].to_string(), cells[2].trim_matches(['|', ' ', '`']).to_string()))
    });
    let mut seen = 0;
    for (directive, example) in rows {
        seen += 1;
        // What the example speaks of is there already.
        let cpu = if example.starts_with("mode ") { "        cpu ez80\n" } else { "" };
        let around = "lamps_ equ 1\ntable equ 2\nstart equ 3\nbench equ 4\ncount let 5\n";
        let line = if example.contains(" equ ") || example.contains(" let ") || example.contains(": ") {
            example.clone()
        } else {
            format!("        {example}")
        };
        let closes = [
            ("if ", "endif"),
            ("macro", "endm"),
            ("copies", "endcopies"),
            ("space", "endspace"),
            ("cycle", "endcycle"),
            ("when", "endwhen"),
        ];
        let close = closes.iter().find(|(open, _)| example.starts_with(open)).map_or("", |(_, close)| close);
        let assembly = assembled(&format!("{cpu}{around}{line}\n        {close}\n"));
        let missing_file =
            |code: &str| code == "file" && (example.starts_with("include") || example.starts_with("embed"));
        let errors: Vec<_> =
            assembly.diagnostics.iter().filter(|one| one.code != "note" && !missing_file(one.code)).collect();
        assert!(errors.is_empty(), "{directive}: `{example}`: {errors:?}");
    }
    assert!(seen >= 25, "{seen} examples");
    let outside =
        blocks(&text).into_iter().find(|block| block.contains("defined(nights)")).expect("the example");
    assert!(assembled(&format!("{outside}        db nights\n")).succeeded());
}

#[test]
fn the_longer_examples_make_the_cells_they_say() {
    let mut seen = 0;
    for name in ["docs/language.md"] {
        let text = page(name);
        for block in blocks(&text).into_iter().filter(|block| block.starts_with("; makes")) {
            seen += 1;
            let line = block.lines().next().unwrap_or_default();
            let (_, cells) = line.split_once(": ").expect("cells");
            let radix = if line.contains("in octal") { 8 } else { 16 };
            let expected: Vec<u64> =
                cells.split(' ').map(|digits| u64::from_str_radix(digits, radix).expect("digits")).collect();
            let assembly = assembled(block);
            assert!(assembly.succeeded(), "{block}\n{:?}", assembly.diagnostics);
            let cells: Vec<u64> =
                assembly.image.segments().iter().flat_map(|one| one.cells.iter().copied()).collect();
            assert_eq!(cells, expected, "{block}");
        }
    }
    assert!(seen >= 9, "{seen} examples");
    // Every kind of image and every encoding has its row.
    let language = page("docs/language.md");
    for format in plain_byte::image::FORMATS {
        let settings: Vec<String> = format.settings.iter().map(|name| format!("`{name}`")).collect();
        let row = language.lines().find(|line| line.starts_with(&format!("| `{}` |", format.name)));
        assert!(
            row.is_some_and(|row| row.ends_with(&format!("| {} |", settings.join(", ")))),
            "{}",
            format.name
        );
    }
}

#[test]
fn the_project_file_of_the_page_is_read() {
    let projects = page("docs/projects.md");
    let example =
        blocks(&projects).into_iter().find(|block| block.contains("version = 1")).expect("the example");
    let project = plain_byte::workspace::Project::parse(example).expect("it is right");
    assert_eq!(
        (project.source.as_str(), project.outputs.len(), project.define["nights"]),
        ("beacon.asm", 2, 7)
    );
}

#[test]
fn every_directive_and_every_word_has_its_line() {
    let language = page("docs/language.md");
    for name in [
        "cpu",
        "org",
        "db",
        "dw",
        "dd",
        "ds",
        "text",
        "embed",
        "equ",
        "let",
        "include",
        "pad",
        "align",
        "if",
        "else",
        "endif",
        "macro",
        "endm",
        "copies",
        "endcopies",
        "space",
        "endspace",
        "cycle",
        "leave",
        "endcycle",
        "when",
        "otherwise",
        "endwhen",
        "region",
        "image",
        "entry",
        "demand",
        "note",
    ] {
        assert!(
            language.contains(&format!("`{name}")) || language.contains(&format!("NAME {name} ")),
            "{name}"
        );
    }
    let monitor = page("docs/monitor.md");
    for word in WORDS {
        assert!(monitor.contains(&format!("`{}", word.name)), "{}", word.name);
    }
}

#[test]
fn the_board_and_the_case_table_of_the_pages_are_read() {
    let boards = page("docs/boards.md");
    let example =
        blocks(&boards).into_iter().find(|block| block.contains("version = 1")).expect("the example");
    let board = Board::parse(example).expect("it is right");
    assert_eq!((board.name.as_str(), board.chips.len(), board.keys.len()), ("bench", 4, 1));
    let cases = page("docs/cases.md");
    assert_eq!(Cases::parse(blocks(&cases)[0]).expect("it is right").len(), 1);
}

#[test]
fn the_first_program_of_the_readme_does_what_the_readme_shows() {
    let readme = page("README.md");
    let all = blocks(&readme);
    let source = all.iter().find(|block| block.contains("; Skerrow Rock")).expect("the program");
    let mut session = crate::common::session("plover", source);
    let mut tracer = plain_byte::report::Tracer::default();
    let mut shown = tracer.head(&session).to_string();
    let before = session.machine().clone();
    let stop = session.trace(plain_byte::session::Limits::none(), &mut |session, step| {
        shown.push_str(&tracer.line(session, step).to_string());
        true
    });
    shown.push_str(&plain_byte::report::final_card(&session, &stop, &[]).to_string());
    shown.push_str(&plain_byte::report::results(&session, &before).to_string());
    let shown = shown.replace("test.asm", "oil.asm");
    let promised = all.iter().find(|block| block.starts_with("$ plainbyte run oil")).expect("the run");
    for line in promised.lines().skip(1).filter(|line| *line != "…") {
        assert!(
            shown.lines().any(|real| real == line.trim_end()),
            "the README shows `{line}`, the run\n{shown}"
        );
    }
}

#[test]
fn links_lead_somewhere() {
    for name in [
        "README.md",
        "ARCHITECTURE.md",
        "docs/language.md",
        "docs/boards.md",
        "docs/monitor.md",
        "docs/panel.md",
        "docs/cases.md",
        "docs/projects.md",
        "docs/warnings.md",
        "docs/debug.md",
        "docs/performance.md",
        "docs/fuzzing.md",
    ] {
        let text = page(name);
        let folder = root().join(name).parent().map(Path::to_path_buf).unwrap_or_default();
        for part in text.split("](").skip(1) {
            let target = part.split(')').next().unwrap_or_default();
            let target = target.split('#').next().unwrap_or_default();
            if !target.contains("://") && !target.is_empty() {
                assert!(folder.join(target).exists(), "{name} links to {target}");
            }
        }
    }
}

/// The book has every page, once.
#[test]
fn the_book_has_every_page() {
    let summary = page("docs/SUMMARY.md");
    for folder in ["", "guide/"] {
        for entry in std::fs::read_dir(root().join("docs").join(folder)).expect("the pages").flatten() {
            let name = format!("{folder}{}", entry.file_name().to_string_lossy());
            if name.ends_with(".md") && name != "SUMMARY.md" {
                assert_eq!(summary.matches(&format!("]({name})")).count(), 1, "{name}");
            }
        }
    }
}

/// The registers on the page of the chips are those that the chips' own sources tell.
#[test]
fn every_chip_stands_on_its_page_as_it_is_built() {
    let page = page("docs/chips.md");
    let mut folders = vec![root().join("core/src/machine/chip")];
    let mut blocks = 0;
    while let Some(folder) = folders.pop() {
        for path in std::fs::read_dir(folder).expect("the chips").flatten().map(|entry| entry.path()) {
            if path.is_dir() {
                folders.push(path);
                continue;
            }
            let source = std::fs::read_to_string(&path).expect("a chip");
            let head: String = source
                .lines()
                .map_while(|line| line.strip_prefix("//!"))
                .map(|line| format!("{}\n", line.strip_prefix(' ').unwrap_or(line)))
                .collect();
            for block in head.split("```text\n").skip(1).filter_map(|rest| rest.split("```").next()) {
                assert!(page.contains(block), "{}:\n{block}", path.display());
                blocks += 1;
            }
        }
    }
    assert!(blocks >= 18, "{blocks} blocks");
    for shipped in plain_byte::boards::BOARDS {
        let board = Board::parse(shipped.description).expect("a board");
        for chip in &board.chips {
            let part = &chip.part;
            assert!(page.contains(&format!("\n### {part}\n")), "{part} of {}", board.name);
        }
    }
}
