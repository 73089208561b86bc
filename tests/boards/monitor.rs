//! The monitor: whole evenings as conversations, every word, every complaint, completion.

use crate::common::session;
use plain_byte::assembler::{Loaded, Loader};
use plain_byte::diagnostic::Problem;
use plain_byte::monitor::{Host, Monitor, Reply, WORDS};
use plain_byte::session::Session;
use proptest::prelude::*;
use std::collections::HashMap;

/// Files in memory; a run may go on for so many questions.
struct Shelf {
    files: HashMap<String, Vec<u8>>,
    patience: u32,
}

impl Loader for Shelf {
    fn resolve(&self, name: &str, _: Option<&str>) -> String {
        name.to_string()
    }

    fn load(&mut self, name: &str, _: Option<&str>) -> Result<Loaded, Problem> {
        let bytes = self.files.get(name).cloned().ok_or("there is no such file")?;
        Ok(Loaded { name: name.to_string(), bytes })
    }
}

impl Host for Shelf {
    fn write(&mut self, name: &str, bytes: &[u8]) -> Result<(), Problem> {
        if name.contains('/') {
            return Err("there is no such folder".into());
        }
        self.files.insert(name.to_string(), bytes.to_vec());
        Ok(())
    }

    fn go_on(&mut self) -> bool {
        self.patience = self.patience.saturating_sub(1);
        self.patience > 0
    }
}

const PROGRAM: &str = "        cpu 8085
        org 4000h
start:  lxi sp, 8000h
        mvi b, 3
loop:   call blink
        dcr b
        jnz loop
done:   hlt
blink:  mvi a, 0FFh
        out 10h
        xra a
        out 10h
        ret
count:  db 7, 8
name:   db \"fog\", 0
";

fn monitor() -> (Monitor, Shelf) {
    let files = HashMap::from([
        ("blink.asm".to_string(), PROGRAM.as_bytes().to_vec()),
        ("bad.asm".to_string(), b"        mvo a\n".to_vec()),
        ("two.bin".to_string(), vec![0x3C, 0x76]),
        ("torn.hex".to_string(), b":0140000076\n".to_vec()),
    ]);
    (Monitor::new(session("plover", PROGRAM)), Shelf { files, patience: u32::MAX })
}

/// What a person sees who types these lines.
fn conversation(lines: &str) -> String {
    let (monitor, shelf) = monitor();
    conversation_with(monitor, shelf, lines)
}

fn conversation_with(mut monitor: Monitor, mut shelf: Shelf, lines: &str) -> String {
    let mut text = monitor.greeting().to_string();
    for line in lines.lines() {
        text.push_str(&format!("{}{line}\n", monitor.prompt()));
        match monitor.line(line, &mut shelf) {
            Ok(Reply::Done(reply)) => text.push_str(&reply.to_string()),
            Ok(Reply::Quit) => text.push_str("(left)\n"),
            Err(complaint) => text.push_str(&format!("! {} ({})\n", complaint.message, complaint.help)),
        }
    }
    text
}

#[test]
fn an_evening_of_stepping() {
    insta::assert_snapshot!(conversation(
        "registers\nlist\nstep\nstep 2\nout\nover\nback 2\nhistory 4\nexplain\nstop at done\nwatch b\nrun\nstep\nstep\nreset\nquit"
    ));
}

/// Words of twelve bits, in octal throughout.
#[test]
fn an_evening_at_a_word_machine() {
    let machine = Monitor::new(session("heron", include_str!("../../demo/dusk.asm")));
    let shelf = Shelf { files: HashMap::new(), patience: u32::MAX };
    insta::assert_snapshot!(conversation_with(
        machine,
        shelf,
        "registers\nlist 200..204\nmemory 200..207\nset ac = 7776, l = 1\nstep\nstep 2\nput 300 = 7200, 12., -1\nput 300 = 10000\nput 77777 = 1\ncode 310 tad i 20\ncode 311\ncla cll iac\ntad #5\n\nmemory 310..312 binary\nfind 200..210 = 7402\nstop at 203\nrun\nexplain\nback 2\nhistory 2\nvalue 4142\nset ac = 10000\nset sr = 1234\nset port 33 = 1, 2\nrun\nquit"
    ));
}

#[test]
fn an_evening_of_memory() {
    insta::assert_snapshot!(conversation(
        "memory start..start+10\nmemory name characters\nmemory count..name binary\nmemory count..count+3 decimal\nmemory 4000h..4003h octal\nput 5000h = 1, 0FFh, 'A', \"fog\"\nfill 5010h..5017h = 1, 2\ncopy 5010h..5017h to 5012h\nmemory 5010h..501Fh\nfind 4000h..5020h = \"fog\"\nfind 4000h..4020h = 0D3h, 10h\nfind 4000h..4020h = 99h\ncompare 5000h..5005h with 5010h\ncompare 4000h..4003h with 4000h\nset a = 12h, cy = 1, hl = count\nset switches = 0A5h\nset port 30h = 1, 2\nvalue hl\nvalue cell count + high hl\nregisters"
    ));
}

#[test]
fn an_evening_of_programs() {
    insta::assert_snapshot!(conversation(
        "code 5000h mvi a, 5\ncode 5002h\nadi 3\nsta count\njmp done\n\nlist 5000h..5008h\nrun 5000h\nmemory count..count\nsave evening.hex 5000h..5009h\nfill 5000h..5009h = 0\nload evening.hex\nlist 5000h\nload two.bin at 6000h\nrun\nload blink.asm\nuntil done\nstop when b == 2 && $ == loop\nrun\nstop\nforget all\nstop\nrun\ninterrupt rst 7.5\nhelp set\nhelp"
    ));
}

#[test]
fn what_cannot_be_done_is_said_and_changes_nothing() {
    insta::assert_snapshot!(conversation(
        "steep\nr\ns\nset\nset q = 1\nset a = 256, b = 1\nset b = 1, a = 256\nregisters\nmemory 4010h..4000h\nmemory zz\nmemory 0FFh..bb\nput 0 = 1\nput 3FFFh = 1, 2\nput 800h = 1\nput 4000h = 256\nput 4000h\nfill 4000h = \ncopy 1..2\ncompare 1..2\nfind 1\ncode 4000h mvo a\ncode 0F000000h\ncode 4000h\nmvi a\n\nload\nload nosuch.asm\nload bad.asm\nload torn.hex\nload two.bin at 7FFFFh\nsave x\nsave x.doc 1..2\nsave away/x.hex 4000h..4001h\nstop 4000h\nstop at\nstop when\nstop when zz\nforget 4000h\nforget\nwatch 1 +\ntype fog\ninterrupt nmi\nstep 0\nstep -1\nback 5\nuntil\nvalue\nhelp nothing\nlist start..start"
    ));
}

#[test]
fn a_run_ends_when_the_person_wants_it_to() {
    let (mut monitor, mut shelf) = monitor();
    shelf.patience = 3;
    let endless = "        org 6000h\nspin:   inr a\n        jmp spin\n";
    shelf.files.insert("spin.asm".to_string(), endless.as_bytes().to_vec());
    assert!(monitor.line("load spin.asm", &mut shelf).is_ok());
    match monitor.line("run", &mut shelf) {
        Ok(Reply::Done(text)) => assert!(text.to_string().contains("the operator stopped it"), "{text}"),
        other => panic!("{other:?}"),
    }
    assert!(monitor.session().machine().instructions() > 100_000);
    shelf.patience = 3;
    assert!(
        matches!(monitor.line("out", &mut shelf), Ok(Reply::Done(text)) if text.to_string().contains("operator"))
    );
}

#[test]
fn the_console_is_shown_as_it_speaks() {
    let (mut monitor, mut shelf) = monitor();
    let hello = "        org 6000h\n        lxi h, text_\n        call 48h\nagain:  call 44h\n        mov c, a\n        call 40h\n        hlt\ntext_:  db \"ready\\n\", 0\n";
    shelf.files.insert("hello.asm".to_string(), hello.as_bytes().to_vec());
    let mut replies = Vec::new();
    for line in ["load hello.asm", "type \"k\\r\"", "run"] {
        match monitor.line(line, &mut shelf) {
            Ok(Reply::Done(text)) => replies.push(text.to_string()),
            other => panic!("{line}: {other:?}"),
        }
    }
    assert!(replies[2].starts_with("ready\nk\nstopped at"), "{}", replies[2]);
}

#[test]
fn every_word_has_help_with_examples_that_are_understood() {
    let boards = ["plover", "tern", "curlew", "petrel", "heron", "osprey"];
    for (board, word) in boards.iter().flat_map(|board| WORDS.iter().map(move |word| (board, word))) {
        let (_, mut shelf) = monitor();
        shelf.patience = 5;
        let mut monitor = Monitor::new(Session::shipped(board).expect("a board"));
        let Ok(Reply::Done(help)) = monitor.line(&format!("help {}", word.name), &mut shelf) else {
            panic!("{}", word.name)
        };
        let help = help.to_string();
        assert!(help.contains(word.form) && help.contains(&monitor.example(word.examples[0])), "{help}");
        assert!(word.form.starts_with(word.name) || word.form.contains(word.name), "{}", word.name);
        for example in word.examples {
            let example = &monitor.example(example);
            assert!(!example.contains('{'), "{example}");
            // The examples speak of programs of their own; they must be read right even where nothing is found.
            if let Err(complaint) = monitor.line(example, &mut shelf) {
                let about_names = [
                    "there is no `",
                    "cannot be read",
                    "has no memory",
                    "no breakpoint at",
                    "there is no cell at",
                    "has no",
                    "there is no symbol",
                    "nothing has",
                    "nothing was",
                    "there are no breakpoints",
                    "and no further",
                    "has always been so",
                ];
                assert!(
                    about_names.iter().any(|part| complaint.message.contains(part)),
                    "{example}: {complaint}"
                );
            }
        }
    }
}

#[test]
fn beginnings_of_words_will_do_where_they_fit_only_one_or_mean_the_usual_one() {
    let usual = [
        ("s", "step"),
        ("st", "step"),
        ("r", "run"),
        ("l", "list"),
        ("o", "over"),
        ("h", "help"),
        ("m", "memory"),
        ("w", "watch"),
        ("fo", "forget"),
        ("for", "forget"),
    ];
    for word in WORDS {
        for length in 1..=word.name.len() {
            let begun = &word.name[..length];
            let fitting: Vec<_> = WORDS.iter().filter(|other| other.name.starts_with(begun)).collect();
            let (mut monitor, mut shelf) = monitor();
            let answer = monitor.line(&format!("help {begun}"), &mut shelf);
            let exact = WORDS.iter().any(|other| other.name == begun);
            let meant = usual.iter().find(|row| row.0 == begun).map(|row| row.1);
            assert_eq!(answer.is_ok(), fitting.len() == 1 || exact || meant.is_some(), "{begun}");
            if let (Some(meant), Ok(Reply::Done(help))) = (meant, answer) {
                assert!(help.to_string().starts_with(meant), "{begun}: {help}");
            }
        }
    }
    let (mut monitor, mut shelf) = monitor();
    assert!(
        matches!(monitor.line("?", &mut shelf), Ok(Reply::Done(help)) if help.to_string().contains("radix"))
    );
    assert_eq!(monitor.line("exit", &mut shelf), Ok(Reply::Quit));
}

/// Lines, and what must stand in the answers to them, one after the other on the same monitor.
const HABITS: &[(&str, &str)] = &[
    ("over there", "`over` takes nothing after it, and `there` stands there"),
    ("s", "    1  4000"),
    ("", "    2  "),
    ("step 2", "    4  "),
    ("", "    6  "),
    ("history 2", "    5  "),
    ("watch a", "  a hex "),
    ("registers", "register"),
    ("", ""),
    ("stop when a == 77h", "the run will stop when a == 77h holds"),
    ("forget a == 77h", "the run no longer stops"),
    ("forget a", "a is no longer watched"),
    ("forget a", "there is no breakpoint"),
    ("memory 4000", "4000 is taken as 4000h"),
    ("radix hex", "numbers without a mark are hex"),
    ("set b = 10, c = 1A", ""),
    ("value b + 1", "decimal    17"),
    ("value c", "decimal    26"),
    ("radix octal", "are octal"),
    ("value 17", "decimal    15"),
    ("radix habit", "are decimal"),
    ("radix roman", "is not a radix"),
];

#[test]
fn the_habits_of_an_evening_are_understood() {
    let (mut monitor, mut shelf) = monitor();
    for (line, wanted) in HABITS {
        let answer = match line.is_empty() {
            true => monitor.again(&mut shelf),
            false => monitor.line(line, &mut shelf),
        };
        let text = match answer {
            Ok(Reply::Done(text)) => text.to_string(),
            Ok(Reply::Quit) => "quit".to_string(),
            Err(complaint) => complaint.message,
        };
        assert!(text.contains(wanted) && (!wanted.is_empty() || text.is_empty()), "{line}: {text}");
    }
    // Another build of the program keeps what is known of it.
    let before = monitor.session().label(0x4000).map(String::from);
    assert!(before.is_some());
    shelf.files.insert("again.bin".to_string(), vec![0x3E, 5, 0x76]);
    monitor.line("load again.bin at 4000h", &mut shelf).expect("it loads");
    assert_eq!(monitor.session().label(0x4000).map(String::from), before);
}

#[test]
fn names_are_completed() {
    let (monitor, _) = monitor();
    let rows: &[(&str, usize, &[&str])] = &[
        ("st", 0, &["step", "stop"]),
        ("help f", 5, &["fill", "find", "forget", "forth"]),
        ("list l", 5, &["L", "lamps", "loop"]),
        ("memory st", 7, &["stack", "start"]),
        ("stop w", 5, &["when"]),
        ("memory count de", 13, &["DE", "decimal", "delay"]),
        ("set a = co", 8, &["count"]),
        ("interrupt rst", 10, &["RST5.5", "RST6.5", "RST7.5"]),
        ("set sw", 4, &["switches"]),
        ("value zzz", 6, &[]),
    ];
    for (line, start, names) in rows {
        let (at, found) = monitor.complete(line);
        let found: Vec<&str> = found.iter().map(String::as_str).collect();
        assert_eq!((at, found.as_slice()), (*start, *names), "{line}");
    }
}

proptest! {
    /// Whatever is typed, the monitor answers.
    #[test]
    fn anything_typed_is_answered(lines in proptest::collection::vec(proptest::sample::subsequence(vec![
        "step", "memory", "set", "put", "list", "code", "run", "stop", "at", "when", "fill", "copy", "to", "find", "compare", "with",
        "value", "back", "history", "4000h", "..", "start", "=", "1", ",", "\"x\"", "-", "cell", "a", "(", "0FFFFh", "decimal", ";", "é",
    ], 0..7), 1..6)) {
        let (mut monitor, mut shelf) = monitor();
        shelf.patience = 5;
        for words in lines {
            if let Err(complaint) = monitor.line(&words.join(" "), &mut shelf) {
                prop_assert!(!complaint.message.is_empty());
            }
        }
    }
}
