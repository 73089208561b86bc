//! Traces of a part of a run.

use crate::common::Bench;

const FOG: &str = "
        cpu 8085
        org 4000h
start:  mvi b, 3
again:  mov a, b
        out 10h
        mvi c, 1
        call 4Ch
        dcr b
        jnz again
        hlt
";

/// Options, the first and the last step that is shown, and how many are.
const PARTS: &[(&str, &str, &str, usize)] = &[
    ("--trace", "mvi b, 3", "hlt", 20),
    ("--trace-from again", "mov a, b", "hlt", 19),
    ("--trace-from again --trace-most 4", "mov a, b", "call 4Ch", 4),
    ("--trace-to 4007h", "mvi b, 3", "call 4Ch", 5),
    ("--trace-last 3", "dcr b", "hlt", 3),
    ("--trace-from 4007h --trace-last 1", "hlt", "hlt", 1),
    ("--trace-from 4007h --trace-to 4007h --trace-last 2", "mvi c, 1", "call 4Ch", 2),
];

#[test]
fn a_part_of_a_run_is_traced_and_the_run_is_the_same() {
    let bench = Bench::new();
    bench.write("fog.asm", FOG);
    let plain = bench.run("run fog --board plover");
    let end = |out: &str| out.split_once("stopped ").map(|(_, end)| end.to_string()).expect("the report");
    for (options, first, last, count) in PARTS {
        let ran = bench.run(&format!("run fog --board plover {options}"));
        assert_eq!(ran.status, 0, "{options}: {}", ran.all());
        let is_step = |line: &&str| line.trim_start().starts_with(|c: char| c.is_ascii_digit());
        let head = ran.out.split_once("stopped ").map_or("", |(head, _)| head);
        let steps: Vec<&str> = head.lines().filter(is_step).collect();
        assert_eq!(steps.len(), *count, "{options}: {}", ran.out);
        assert!(steps[0].contains(first) && steps[count - 1].contains(last), "{options}: {}", ran.out);
        // What is the program's own is counted as far as it was looked at; all else is the same.
        let without_own =
            |out: String| out.lines().filter(|line| !line.starts_with("its own")).collect::<String>();
        assert_eq!(without_own(end(&ran.out)), without_own(end(&plain.out)), "{options}");
    }
    let inside = bench.run("run fog --board plover --inside --trace-most 9");
    assert!(inside.out.contains("goes to pause (004C)"), "{}", inside.out);
    let never = bench.run("run fog --board plover --trace-from 5000h --cycles 2s");
    assert!(never.out.starts_with("the run never came to 5000"), "{}", never.out);
    let short = bench.run("run fog --board plover --cycles 2ms");
    assert!(short.out.contains("inside     004C (pause), called at 4007 (line 8"), "{}", short.out);
}

#[test]
fn a_project_says_what_is_set_typed_and_shown_in_a_run() {
    let bench = Bench::new();
    bench.write("fog.asm", FOG);
    bench.write(
        "plainbyte.toml",
        "version = 1\nsource = \"fog.asm\"\nboard = \"plover\"\nset = [\"D=9\", \"E=1\"]\nuntil = \"again\"\nshow = [\"start\"]\n",
    );
    let ran = bench.run("run --set E=2");
    assert_eq!(ran.status, 0, "{}", ran.all());
    assert!(ran.out.contains("hex         00   03   00   09   02"), "{}", ran.out);
    assert!(
        ran.out.contains("stopped    at 4002") && ran.out.contains("memory     4000  06   start"),
        "{}",
        ran.out
    );
    let further = bench.run("run --until 4007h --cycles 1s");
    assert!(further.out.contains("stopped    at 4007"), "{}", further.out);
    // A program that is named is run as the command line says, on the project's board where it is the project's source.
    assert!(bench.run("run fog").out.contains("its own"));
    assert!(!bench.run("run fog --board plover").out.contains("memory"));
}

/// What is typed, and what must stand in the answer.
const NUMBERS: &[(&str, &[&str])] = &[
    ("value B7h", &["hex        0B7h", "decimal    183"]),
    ("value 12h 0FFh -5", &["12h\n", "0FFh\n", "-5\n", "in 16 bits 0FFFBh, decimal 65531"]),
    ("value 1 + 2", &["decimal    3"]),
    ("value 0FF38h", &["octal 377 070"]),
    ("chart 8085 76", &["MOV C, H", "HLT"]),
    ("chart 8085 76h", &["HLT"]),
    (
        "run fog --board plover --until 4007",
        &["--until 4007 is taken as 4007h: decimal 4007 is 0FA7h", "stopped    at 4007"],
    ),
    ("run fog --board plover --set D=C3h --cycles 1", &["00   C3   00"]),
    ("run fog --board plover --show 16384", &["memory     4000  06"]),
];

#[test]
fn numbers_are_taken_as_people_type_them() {
    let bench = Bench::new();
    bench.write("fog.asm", FOG);
    for (line, wanted) in NUMBERS {
        let ran = bench.run(line);
        let all = ran.all();
        assert_eq!(ran.status, 0, "{line}: {all}");
        for words in *wanted {
            assert!(all.contains(words), "{line}: no `{words}` in\n{all}");
        }
    }
    assert!(!bench.run("chart 8085 76h").out.contains("MOV C, H"));
}

#[test]
fn a_case_that_fails_leads_to_what_it_did() {
    let bench = Bench::new();
    bench.write("fog.asm", FOG);
    bench.write("other.asm", &FOG.replace("mvi b, 3", "mvi b, 2"));
    let cases = "version = 1\nprogram = \"fog.asm\"\nboard = \"plover\"\n\n[[case]]\nname = \"two turns\"\n\
                 expect.registers = { B = 0, D = 5, A = 2 }\nexpect.ports = { lamps = [2, 1] }\n\n\
                 [[case]]\nname = \"it ends\"\nexpect.stop = \"halt\"\n";
    bench.write("fog.cases.toml", cases);
    let ran = bench.run("cases fog");
    assert_eq!(ran.status, 1);
    for part in [
        "A is 0 (00h), wanted 2 (02h): 2 less; written last in line 8 (call 4Ch)",
        "D is 0 (00h), wanted 5 (05h): 5 less; the program never wrote it",
        "value 1 is 3 (03h), wanted 2 (02h); written last in line 6 (out 10h)",
        "1 passed, 1 failed",
        "to look closer: plainbyte cases fog --only \"two turns\" --trace-last 20",
    ] {
        assert!(ran.out.contains(part), "{part}: {}", ran.out);
    }
    // The command that it names works, and another program with the same table is another matter.
    let closer = bench.run("cases fog --only two_turns --trace-last 20");
    assert!(
        closer.out.contains("hlt                       waits") && closer.out.contains("0 passed, 1 failed"),
        "{}",
        closer.all()
    );
    let other = bench.run("cases fog --program other.asm");
    assert!(other.out.contains("D is 0") && !other.out.contains("port lamps"), "{}", other.all());
    for (command, part) in
        [("cases fog --only turns", "has no case `turns`"), ("cases fog --trace", "name it with --only NAME")]
    {
        let ran = bench.run(command);
        assert!(ran.status == 2 && ran.err.contains(part), "{}", ran.all());
    }
}

/// In large figures a step has a page, with all registers, and a mark at what it changed.
#[test]
fn a_trace_for_a_wall_has_large_figures() {
    let bench = Bench::new();
    bench.write("fog.asm", FOG);
    let ran = bench.run("run fog --board plover --trace-large --trace-most 2");
    assert_eq!(ran.status, 0, "{}", ran.all());
    let pages: Vec<&str> = ran.out.split("step ").skip(1).collect();
    let head = |page: &str| page.lines().take(4).map(str::trim).collect::<Vec<_>>().join("|");
    assert_eq!(head(pages[0]), "1   4000  start||mvi b, 3|puts the number into a register");
    let names = |page: &str| {
        page.lines()
            .find(|line| line.contains(" C "))
            .unwrap_or_default()
            .split_whitespace()
            .map(String::from)
            .collect::<Vec<_>>()
            .join(" ")
    };
    assert_eq!(names(pages[0]), "A ▸ B C D E H L SP");
    assert_eq!(names(pages[1]), "▸ A B C D E H L SP");
    // B is 03: the lower figure of the third column from the left on.
    assert!(
        pages[0].contains("███ ███    ███ ███    ███ ███") && pages[1].contains("mov a, b"),
        "{}",
        ran.out
    );
    // The end of the run is the same.
    let end = |out: &str| out.split_once("stopped ").map(|(_, end)| end.to_string()).expect("the report");
    assert_eq!(end(&ran.out), end(&bench.run("run fog --board plover").out));
}
