//! The demo programs' first cases as records: each is played on its board, and every mark is met.
//!
//! Where one is meant to differ from now on, `PLAIN_BYTE_RECORD=1` writes them anew.

use plain_byte::assembler::Texts;
use plain_byte::machine::services::transient::Volume;
use plain_byte::processor;
use plain_byte::session::cases::Cases;
use plain_byte::session::{Begin, Line, Program, Replayed, Session, find_board};
use plain_byte::workspace::{self, Target};
use std::path::{Path, PathBuf};

/// Marks of a record, about.
const MARKS: u64 = 9;

fn folder(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join(name)
}

/// The demo sources by their names.
fn texts() -> Texts {
    let mut texts = Texts::default();
    for entry in
        std::fs::read_dir(folder("demo")).expect("the demo").flatten().filter(|one| one.path().is_file())
    {
        let name = entry.file_name().into_string().expect("a name");
        texts.0.insert(name, std::fs::read(entry.path()).expect("a file"));
    }
    texts
}

/// The board of a target and the program of a table, which may be an image.
fn target(cases: &Cases) -> Target {
    Target {
        processor: cases.processor.as_deref().map(|name| processor::find(name).expect("a processor")),
        board: cases.board.clone(),
        without: cases.without.clone(),
        define: cases.defines.clone(),
        ..Target::default()
    }
}

/// The first case of a table with marks every so many cycles, and the cycles that it took.
fn recorded(table: &str, every: u64) -> (Vec<Line>, u64) {
    let cases = Cases::parse(table).expect("a table");
    let (target, mut texts) = (target(&cases), texts());
    let mut resolved = target.resolve(&cases.program, &mut texts).expect("a program");
    let found = target.board_for(&mut resolved, &mut texts).expect("a board");
    let workspace::Program::Assembled(assembly) = &resolved.program else { panic!("a source") };
    assert!(assembly.succeeded(), "{} assembles", cases.program);
    let mut session = Session::open(&found, &mut texts).expect("it opens");
    session.record(&found.board.name, &cases.without, every);
    if found.board.disk.is_some()
        && assembly.images.iter().any(|one| matches!(one.format.name, "com" | "exe"))
    {
        let (program, volume) = (Program::from_assembly(assembly), Volume::new(Volume::CAPACITY, true));
        session.start_transient(&found, &mut texts, program, &[], volume).expect("it starts");
    } else {
        session.load_assembly(assembly).expect("it fits");
    }
    let played = cases.play(&session).expect("cases");
    let (outcome, session) = &played[0];
    assert!(outcome.passed, "{}: {:?}", cases.program, outcome.differences);
    (session.recorded(), outcome.cycles)
}

/// The board that a record names, switched on.
fn board(begin: &Begin) -> Session {
    let set = processor::find(&begin.processor).expect("a processor");
    let mut found = find_board(&begin.board, Some(set), &mut Texts::default()).expect("a board");
    begin.without.iter().for_each(|name| found.board.leave_out(name).expect("it has a socket"));
    found.board.set = set;
    Session::open(&found, &mut Texts::default()).expect("it opens")
}

#[test]
fn the_demo_runs_are_what_they_were() {
    let writes = std::env::var_os("PLAIN_BYTE_RECORD").is_some();
    let mut count = 0;
    for (name, table) in &texts().0 {
        let Some(name) = name.strip_suffix(".cases.toml") else { continue };
        let file = folder("tests/records").join(format!("{name}.jsonl"));
        if writes {
            let table = String::from_utf8_lossy(table);
            let (_, cycles) = recorded(&table, u64::MAX);
            let (lines, _) = recorded(&table, cycles / MARKS);
            let lines = lines.iter().map(|line| serde_json::to_string(line).expect("a line") + "\n");
            std::fs::write(&file, lines.collect::<String>()).expect("it can be written");
        }
        let text = std::fs::read_to_string(&file).unwrap_or_else(|error| panic!("{name}: {error}"));
        let lines: Vec<Line> =
            text.lines().map(|line| serde_json::from_str(line).expect("a line of a record")).collect();
        let Some(Line::Begin(begin)) = lines.first() else { panic!("{name} begins somewhere") };
        let replayed = board(begin).replay(&lines, &mut || true);
        assert!(matches!(replayed, Replayed::Same { marks: 3.., .. }), "{name}: {replayed:?}");
        count += 1;
    }
    let records = std::fs::read_dir(folder("tests/records")).expect("the records").count();
    assert_eq!(count, records, "every record is of a demo program");
}

#[test]
fn the_first_difference_is_found() {
    let text = std::fs::read_to_string(folder("tests/records/tides.jsonl")).expect("a record");
    let mut lines: Vec<Line> =
        text.lines().map(|line| serde_json::from_str(line).expect("a line of a record")).collect();
    let marks = lines.iter_mut().filter_map(|line| match line {
        Line::Mark(mark) => Some(mark),
        _ => None,
    });
    // What follows would differ, too; the first one is told.
    let mut met = 0;
    for (at, mark) in marks.enumerate() {
        if at < 3 {
            met = mark.cycle;
        } else {
            mark.registers.entry("B".to_string()).and_modify(|value| *value ^= 1);
        }
    }
    let Some(Line::Begin(begin)) = lines.first() else { panic!("it begins somewhere") };
    let replayed = board(begin).replay(&lines, &mut || true);
    let Replayed::Differs(difference) = replayed else { panic!("{replayed:?}") };
    assert_eq!(difference.same, Some(met));
    assert!(matches!(&difference.what[..], [what] if what.starts_with("B is ")), "{:?}", difference.what);
    // A record of another processor, and one that begins nowhere.
    let other = board(&Begin { board: "heron".into(), processor: "pdp8".into(), ..begin.clone() });
    for (mut session, lines, why) in [
        (other, &lines[..], "it was recorded on the 8085, and the board has the pdp8"),
        (board(begin), &lines[1..], "the first line does not say where it began"),
    ] {
        let Replayed::Impossible { line: 0, why: told } = session.replay(lines, &mut || true) else {
            panic!("it is impossible: {why}")
        };
        assert_eq!(told, why);
    }
}
