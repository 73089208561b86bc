//! What an editor is answered: fixes, names, forms, columns, hints.

use plain_byte::assembler::Texts;
use plain_byte::language::{
    Analysis, CompletionKind, Edit, Range, WordKind, code_page, codes, columns, directive_page, edited,
};
use plain_byte::report::Policy;
use plain_byte::workspace::Target;

fn texts(all: &[(&str, &str)]) -> Texts {
    Texts(all.iter().map(|&(name, text)| (name.to_string(), text.as_bytes().to_vec())).collect())
}

fn analysis(all: &[(&str, &str)]) -> Analysis {
    Analysis::of(all[0].0, &Target::default(), &Policy::default(), &mut texts(all)).expect("a target")
}

fn line_range(file: &str, text: &str, line: usize) -> Range {
    let start: usize = text.split_inclusive('\n').take(line - 1).map(str::len).sum();
    let length = text[start..].split('\n').next().map_or(0, str::len);
    Range { file: file.to_string(), start, end: start + length }
}

/// A line of a source, and what may be written in its place.
#[test]
fn a_mistake_is_mended_as_its_help_says() {
    let table: &[(&str, &str, &str, &[&str])] = &[
        ("8085", "call hron", "horn: ret", &["call horn"]),
        ("8085", "ld a, 5", "hlt", &["mvi a, 5"]),
        ("z80", "mov a, b", "halt", &["ld a, b"]),
        ("z80", "jnz here", "here: halt", &["jp nz, here"]),
        ("z80", "hlt", "halt", &["halt"]),
        ("z80", "ldd a", "halt", &["ldd"]),
        ("8086", "mov x, 5", "x: db 1", &["mov [x], 5"]),
        ("6502", "lda nigths", "nights = 5", &["lda nights", "lda nights ; allow near-name"]),
        ("8085", "mvi a, 300", "hlt", &[]),
        ("8085", "lda [nights]", "nights: db 1", &[]),
    ];
    for (cpu, wrong, rest, right) in table {
        let source = format!("        cpu {cpu}\n        org 100h\n        {wrong}\n{rest}\n");
        let program = analysis(&[("a.asm", &source)]);
        let at = line_range("a.asm", &source, 3);
        let fixes = program.fixes(&at, &mut texts(&[("a.asm", &source)]));
        let lines: Vec<String> = fixes
            .iter()
            .filter(|fix| fix.mends.is_some())
            .map(|fix| {
                edited("a.asm", &source, &fix.edits).lines().nth(2).expect("a line").trim().to_string()
            })
            .collect();
        assert!(lines.iter().all(|line| right.contains(&line.as_str())), "{wrong}: {lines:?}");
        assert_eq!(lines.is_empty(), right.is_empty(), "{wrong}: {lines:?}");
    }
}

#[test]
fn a_warning_is_made_quiet_in_its_line() {
    let source = "        cpu 8085\n        org 4000h\n        hlt\nnever:  nop ; one day\n        hlt\n";
    let program = analysis(&[("a.asm", source)]);
    let fixes = program.fixes(&line_range("a.asm", source, 4), &mut texts(&[("a.asm", source)]));
    let mut all: Vec<&str> = fixes.iter().map(|fix| fix.title.as_str()).collect();
    all.sort_unstable();
    assert_eq!(all, ["allow `unreachable` in this line", "allow `unused-label` in this line"]);
    let mut now = source.to_string();
    for fix in &fixes[..1] {
        now = edited("a.asm", &now, &fix.edits);
    }
    assert!(now.contains("nop ; one day, allow u"), "{now}");
    assert_eq!(analysis(&[("a.asm", &now)]).diagnostics().len(), program.diagnostics().len() - 1);
}

const NIGHT: &str = "        cpu 8085
        org 4000h
lamps   equ 3
        macro blink port, times = 2
        mvi a, times
.again: out port
        dcr a
        jnz .again
        endm
        space north
count:  db 7
        endspace
        entry start
start:  lxi sp, 7F00h
        lda north.count
        call horn
        blink 10h, lamps
        mvi b, 12
.wait:  dcr b
        jnz .wait
        jmp start
        include \"horn.asm\"
";
const HORN: &str = "horn:   mvi a, lamps\n        out 10h\n        call wait\n        ret\nwait:   ret\n";

fn night() -> [(&'static str, &'static str); 2] {
    [("night.asm", NIGHT), ("horn.asm", HORN)]
}

#[test]
fn names_of_every_kind_get_others_everywhere() {
    let program = analysis(&night());
    assert_eq!(program.diagnostics().iter().map(|one| one.code).collect::<Vec<_>>(), [""; 0]);
    let table: &[(&str, &str, usize, &str, usize)] = &[
        ("night.asm", "lamps", 0, "lights", 3),
        ("night.asm", "horn", 0, "klaxon", 2),
        ("horn.asm", "lamps", 0, "lights", 3),
        ("night.asm", ".wait", 1, "pause", 2),
        ("night.asm", ".again", 1, ".more", 2),
        ("night.asm", "blink", 0, "flash", 2),
        ("night.asm", "times", 0, "often", 2),
        ("night.asm", "port", 0, "door", 2),
        ("night.asm", "north", 0, "south", 2),
        ("night.asm", "count", 0, "number", 2),
        ("horn.asm", "wait", 1, "rest", 2),
    ];
    for &(file, name, by, new, places) in table {
        let text = if file == "night.asm" { NIGHT } else { HORN };
        let offset = text.find(name).expect("it is there") + by;
        let edits = program.rename(file, offset, new, &mut texts(&night()));
        let edits: Vec<Edit> = edits.unwrap_or_else(|no| panic!("{name}: {no}"));
        assert_eq!(edits.len(), places, "{name}: {edits:?}");
        let now: Vec<(&str, String)> =
            night().map(|(file, text)| (file, edited(file, text, &edits))).to_vec();
        let now: Vec<(&str, &str)> = now.iter().map(|row| (row.0, row.1.as_str())).collect();
        assert!(analysis(&now).diagnostics().is_empty(), "{name}: {now:?}");
    }
    for (name, new) in [
        ("lamps", "start"),
        ("lamps", "a b"),
        ("lamps", "7up"),
        ("start", "lamps"),
        ("cpu", "x"),
        ("horn", "a"),
    ] {
        let offset = NIGHT.find(name).expect("it is there");
        assert!(program.rename("night.asm", offset, new, &mut texts(&night())).is_err(), "{name} {new}");
    }
}

#[test]
fn a_text_is_turned_into_another_that_is_the_same_program() {
    let source = "        cpu 8085\n        org 4000h\n        mvi a, 12\n        out 10h\n        mvi a, 12\n        out 10h\n        mvi b, 12\n        hlt\n";
    let program = analysis(&[("a.asm", source)]);
    let at = source.find("12").expect("a number");
    let told = |start: usize, end: usize| {
        let range = Range { file: "a.asm".to_string(), start, end };
        program.refactorings(&range, &mut texts(&[("a.asm", source)]))
    };
    let titles: Vec<String> = told(at, at).into_iter().map(|fix| fix.title).collect();
    insta::assert_snapshot!(titles.join("\n"), @r"
    write 12 as 0Ch
    write 12 as 0xc
    write 12 as 0b1100
    write 12 as 0o14
    give 12 a name in its 3 places: `number_12`
    ");
    let lines = line_range("a.asm", source, 3).start..line_range("a.asm", source, 4).end;
    let fix = told(lines.start, lines.end).pop().expect("a macro");
    insta::assert_snapshot!(edited("a.asm", source, &fix.edits), @r"
            cpu 8085
            macro steps_1
            mvi a, 12
            out 10h
            endm
            org 4000h
            steps_1
            steps_1
            mvi b, 12
            hlt
    ");
    // Lines that do not stand alone are no macro.
    let labelled = source.replace("        out 10h\n        mvi b", "here:   out 10h\n        mvi b");
    let program = analysis(&[("a.asm", &labelled)]);
    let range = Range {
        file: "a.asm".to_string(),
        start: line_range("a.asm", &labelled, 5).start,
        end: line_range("a.asm", &labelled, 6).end,
    };
    let all = program.refactorings(&range, &mut texts(&[("a.asm", &labelled)]));
    assert!(all.iter().all(|fix| !fix.title.contains("macro")), "{all:?}");
}

#[test]
fn a_text_is_seen_as_words_lines_and_routines() {
    let program = analysis(&night());
    let mut out = String::new();
    for word in program.words("night.asm") {
        let mark = if word.is_definition { "*" } else { "" };
        out += &format!("{:?}{mark} {}\n", word.kind, &NIGHT[word.start..word.end]);
    }
    for hint in program.line_hints("night.asm", 0..NIGHT.len()) {
        let line = NIGHT[..hint.at].rsplit('\n').next().unwrap_or_default();
        out += &format!("{line:<32}{}\n", hint.text);
    }
    for file in ["night.asm", "horn.asm"] {
        let text = if file == "night.asm" { NIGHT } else { HORN };
        let line = |at: usize| text[..at].matches('\n').count() + 1;
        program
            .routine_hints(file)
            .iter()
            .for_each(|one| out += &format!("{file} {}: {}\n", one.name, one.text));
        program
            .folds(file)
            .iter()
            .for_each(|one| out += &format!("{file} folds {} to {}\n", line(one.start), line(one.end)));
        program.links(file).iter().for_each(|one| out += &format!("{file} reads {}\n", one.1));
    }
    fn tree(all: &[plain_byte::language::Branch], depth: usize, out: &mut String) {
        for one in all {
            *out += &format!(
                "{}{:?} {} {}\n",
                "  ".repeat(depth),
                one.named.kind,
                one.named.name,
                one.named.value
            );
            tree(&one.inside, depth + 1, out);
        }
    }
    tree(&program.outline("night.asm"), 0, &mut out);
    for name in ["horn", "wait", "start"] {
        let calls = |all: Vec<plain_byte::language::Call>| {
            all.iter()
                .map(|one| format!("{} {}x", one.routine.0, one.places.len()))
                .collect::<Vec<_>>()
                .join(", ")
        };
        out += &format!(
            "{name}: called by {}; calls {}\n",
            calls(program.callers(name)),
            calls(program.callees(name))
        );
    }
    insta::assert_snapshot!(out);
    let at = NIGHT.find("dcr b").expect("it is there") + 4;
    let grown = program.selections("night.asm", at);
    let texts: Vec<&str> = grown.iter().map(|one| &NIGHT[one.start..one.end]).collect();
    assert_eq!(&texts[..3], ["b", "dcr b", ".wait:  dcr b"]);
    assert_eq!(texts.last(), Some(&NIGHT));
}

#[test]
fn the_forms_of_what_is_typed_are_shown() {
    let table: &[(&str, &str, &str, &str, usize)] = &[
        ("8085", "mvi b, ", "mvi b", "b", 1),
        ("8085", "mov ", "mov ", "b", 0),
        ("z80", "ld a, ", "ld a", "a", 1),
        ("6502", "lda ", "lda ", "", 0),
        ("pdp10", "movei 1, ", "movei", "", 1),
    ];
    for &(cpu, typed, form, _, operand) in table {
        let source = format!("        cpu {cpu}\n        org 100\n        {typed}\n");
        let program = analysis(&[("a.asm", &source)]);
        let forms = program.forms("a.asm", source.len() - 1).unwrap_or_else(|| panic!("{cpu} {typed}"));
        assert_eq!(forms.operand, operand, "{cpu} {typed}");
        assert!(
            forms.forms[forms.fits].text.starts_with(form.trim_end()),
            "{cpu} {typed}: {:?}",
            forms.forms[forms.fits]
        );
    }
    let program = analysis(&night());
    let at = NIGHT.find("10h, lamps").expect("a call") + 5;
    let forms = program.forms("night.asm", at).expect("a macro");
    assert_eq!((forms.forms[0].text.as_str(), forms.operand), ("blink port, times = 2", 1));
}

#[test]
fn what_may_be_typed_fits_its_place() {
    let target = Target { board: Some("plover".to_string()), ..Target::default() };
    // What is typed, what comes first, and what does not come.
    let table: &[(&str, &str, &str)] = &[
        ("        mvi ", "a b c", ".wait start"),
        ("        mvi a, ", ".wait start lamps", "b sp"),
        ("        mov b, ", "a b c", "start lamps .wait"),
        ("        push ", "b d h", "start a"),
        ("        jmp ", ".wait start", "b .other other.other"),
        ("        db ", ".wait start", "b"),
        ("        ", "aci add adi", "start b"),
        ("        ; ", "", "start aci"),
    ];
    for &(typed, first, never) in table {
        let source = format!(
            "        cpu 8085\n        org 4000h\nother:  nop\n.other: nop\nstart:  nop\n.wait:  nop\n{typed}\n        hlt\nlamps   equ 10h\n"
        );
        let mut texts = Texts::one("a.asm", source.as_str());
        let program = Analysis::of("a.asm", &target, &Policy::default(), &mut texts).expect("a target");
        let at = source.find(&format!("{typed}\n        hlt")).expect("it is there") + typed.len();
        let all = program.complete("a.asm", at);
        let texts: Vec<&str> = all.iter().map(|one| one.text.as_str()).collect();
        let mut from = 0;
        for word in first.split_whitespace() {
            let found = texts.iter().skip(from).position(|text| *text == word);
            from += found.unwrap_or_else(|| panic!("{typed:?}: no {word} in its place: {texts:?}"));
        }
        for word in never.split_whitespace() {
            assert!(!texts.contains(&word), "{typed:?}: {word}");
        }
        if typed.trim() == "jmp" {
            let print = all.iter().find(|one| one.detail.contains(": ") && one.kind == CompletionKind::Board);
            assert!(print.is_some(), "{all:?}");
        }
    }
    let source =
        "        cpu 8085\n        org 4000h ; org\n        mov a, b\n        jc print\n        hlt\n";
    let mut texts = Texts::one("a.asm", source);
    let program = Analysis::of("a.asm", &target, &Policy::default(), &mut texts).expect("a target");
    for (word, words) in [
        ("org", "sets the location"),
        ("cpu", "chooses the instruction set"),
        ("b\n", "register of 8 bits"),
        ("mov", "| `mov b, c` |"),
        ("print", "of the board"),
    ] {
        let at = source.find(word).expect("it is there");
        let told = program.hover("a.asm", at).map(|row| row.1).unwrap_or_default();
        assert!(told.contains(words), "{word}: {told}");
    }
}

#[test]
fn forms_come_with_their_operands_and_what_is_still_open_in_them() {
    let source = "        cpu 8085\n        org 4000h\n        macro blink port, times = 2\n        out port\n        endm\n        mv\n        bl\n        hlt\n";
    let program = analysis(&[("a.asm", source)]);
    let forms = |word: &str| {
        let offset = source.find(&format!("{word}\n")).expect("a word") + word.len();
        let all = program.complete("a.asm", offset).into_iter();
        let forms = all.filter(|one| one.kind == CompletionKind::Form && one.text.starts_with(word));
        forms
            .map(|one| {
                let holes = one.holes.iter().map(|&(start, end)| one.text[start..end].to_string());
                (one.text.clone(), holes.collect::<Vec<_>>())
            })
            .collect::<Vec<_>>()
    };
    let all = forms("mv");
    assert_eq!(all.len(), 8, "{all:?}");
    assert!(all.iter().all(|row| row.1 == ["data8"]), "{all:?}");
    assert_eq!(all[0].0, "mvi b, data8");
    let blink: (String, Vec<String>) =
        ("blink port, times = 2".to_string(), vec!["port".into(), "times = 2".into()]);
    assert_eq!(forms("bl"), [blink]);
    // Where nothing is typed yet there would be too many.
    let all = program.complete("a.asm", source.find("mv\n").expect("a word"));
    assert!(all.iter().all(|one| one.kind != CompletionKind::Form));
}

#[test]
fn a_program_is_run_and_its_cases_with_what_its_texts_say_now() {
    let source = "        cpu 8085\n        org 4000h\n        macro twice what\n        what\n        what\n        endm\n        macro four what\n        twice what\n        twice what\n        endm\nstart:  lda boats\n        four inr a\n        add e\n        sta boats\n        hlt\nboats:  db 7\n";
    let all = [("a.asm", source)];
    let program = analysis(&all);
    let trial = program.run(&mut texts(&all), 1_000, &mut || true).expect("a run");
    let kinds: Vec<&str> = trial.hazards.iter().map(|one| one.code).collect();
    assert_eq!((trial.is_end, trial.instructions, kinds), (true, 8, vec!["unset-register"]), "{trial:?}");
    let endless = source.replace("        hlt", "        jmp start");
    let all = [("a.asm", endless.as_str())];
    let trial = analysis(&all).run(&mut texts(&all), 1_000, &mut || true).expect("a run");
    assert_eq!((trial.is_end, trial.stop.as_str()), (false, "it still ran when its time was over"));
    let wrong = [("a.asm", "        cpu 8085\n        org 4000h\n        mvo a, 1\n")];
    let refused = analysis(&wrong).run(&mut texts(&wrong), 1_000, &mut || true);
    assert_eq!(refused.err().as_deref(), Some("the program has mistakes; mend them first"));

    let all = [("a.asm", source)];
    let table = "version = 1\nprogram = \"a.asm\"\n[[case]]\nname = \"eleven\"\nexpect.memory = { boats = 11 }\n[[case]]\nname = \"one\"\ngiven.memory = { boats = 0 }\nexpect.memory = { boats = 1 }\n";
    let outcomes = program.run_cases(table, &mut texts(&all)).expect("a table");
    let passed: Vec<bool> = outcomes.iter().map(|one| one.passed).collect();
    assert_eq!(passed, [true, false]);
    let refused = program.run_cases("version = 9\nprogram = \"a.asm\"\n", &mut texts(&all));
    assert!(refused.is_err());

    // What macros wrote, the inner one below its call.
    let written = program.written_out("a.asm");
    let lines: Vec<&str> = written.iter().flat_map(|one| one.text.lines()).map(str::trim).collect();
    assert_eq!(lines, ["twice inr a", "inr a", "inr a", "twice inr a", "inr a", "inr a"]);
    let call = source.find("four inr").expect("a call");
    let (_, hover) = program.hover("a.asm", call).expect("a macro");
    assert!(hover.contains("wrote here") && hover.contains("            inr a"), "{hover}");
    assert_eq!(program.written_at("a.asm", call + 3), written.into_iter().next());
    assert_eq!(program.written_at("a.asm", 0), None);
    assert_eq!(program.entry().map(|at| source[at.start..].starts_with("lda boats") || source[at.start..].starts_with("start:")), Some(true));
}

#[test]
fn every_directive_and_every_code_has_a_page_for_editors() {
    for name in plain_byte::assembler::directive_names() {
        let page = directive_page(name).unwrap_or_default();
        let body = page.strip_prefix(&format!("# {name}\n\n"));
        assert!(body.is_some_and(|body| body.contains(&format!("`{name}"))), "{name}: {page}");
    }
    assert!(directive_page("macro").is_some_and(|page| page.contains("## Macros")));
    assert_eq!(directive_page("mov"), None);
    assert!(codes().all(|(code, text)| code_page(code).is_some_and(|page| page.contains(text))));
    assert_eq!(code_page("nothing"), None);
}

#[test]
fn columns_keep_the_program_and_every_demo_stands_in_them() {
    let wild = "  cpu   8085\n\torg 4000h ;here\nstart:mvi a,5;five\nlongest_name: hlt\n; alone  \n   ; indented\nx equ 5+ 3\n db \"a , b\",1 ,2\nhere: there: nop\n";
    let now = edited("a.asm", wild, &columns("a.asm", wild, 0..wild.len()));
    insta::assert_snapshot!(now, @r#"
            cpu 8085
            org 4000h               ;here
    start:  mvi a, 5                ;five
    longest_name: hlt
    ; alone
       ; indented
    x equ 5+ 3
            db "a , b", 1, 2
    here: there: nop
    "#);
    for entry in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/demo")).expect("the demo programs") {
        let path = entry.expect("a file").path();
        if path.extension().is_none_or(|one| one != "asm") {
            continue;
        }
        let text = std::fs::read_to_string(&path).expect("a text");
        let once = edited("a", &text, &columns("a", &text, 0..text.len()));
        assert_eq!(columns("a", &once, 0..once.len()), [], "{}: twice is once", path.display());
        let cells = |text: &str| {
            let mut texts = Texts::one("a", text);
            let one =
                Analysis::of("a", &Target::default(), &Policy::default(), &mut texts).expect("a target");
            (
                format!(
                    "{:?}",
                    one.line_hints("a", 0..text.len()).iter().map(|one| &one.text).collect::<Vec<_>>()
                ),
                one.diagnostics().len(),
            )
        };
        assert_eq!(cells(&once), cells(&text), "{}", path.display());
    }
}

/// Texts that are no programs, and offsets that are no places.
#[test]
fn nothing_that_is_asked_of_a_broken_text_panics() {
    let pieces = [
        "mvi a", ",", "\"", "macro", "é𝄞", "start:", "\t", ";", "= 5", "'", "$", "(", "endm", "\n",
        "space x", ".l:", "if 1", "\r\n",
    ];
    let mut seed = 7u64;
    for _ in 0..300 {
        let mut text = "        cpu 8085\n".to_string();
        for _ in 0..12 {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            text += pieces[(seed >> 33) as usize % pieces.len()];
            text.push(if seed >> 60 & 1 == 0 { ' ' } else { '\n' });
        }
        let program = analysis(&[("a.asm", &text)]);
        let mut files = texts(&[("a.asm", &text)]);
        for offset in (0..text.len() + 3).step_by(5) {
            let range = Range { file: "a.asm".to_string(), start: offset.min(text.len()), end: text.len() };
            _ = (
                program.hover("a.asm", offset),
                program.complete("a.asm", offset),
                program.forms("a.asm", offset),
            );
            _ = (
                program.selections("a.asm", offset),
                program.renamable("a.asm", offset),
                program.routine_at("a.asm", offset),
            );
            if text.is_char_boundary(range.start) {
                _ = program.rename("a.asm", offset, "other", &mut files);
            }
        }
        let words = program.words("a.asm");
        assert!(words.windows(2).all(|pair| pair[0].end <= pair[1].start), "{text:?}: {words:?}");
        assert!(
            words.iter().all(|word| text.get(word.start..word.end).is_some() && word.kind != WordKind::Board)
        );
        _ = (program.folds("a.asm"), program.outline("a.asm"), program.line_hints("a.asm", 0..text.len()));
        let once = edited("a.asm", &text, &columns("a.asm", &text, 0..text.len()));
        assert_eq!(columns("a.asm", &once, 0..once.len()), [], "{text:?}");
    }
}

#[test]
fn the_grammar_for_editors_is_current() {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/editors/plain-byte.tmLanguage.json");
    let kept = std::fs::read_to_string(file).expect("it is kept");
    let now = plain_byte::language::grammar();
    let parsed: serde_json::Value = serde_json::from_str(&now).expect("it is JSON");
    assert_eq!(parsed["patterns"].as_array().map(Vec::len), Some(9));
    assert!(kept == now, "make it again: cargo run --example grammar > editors/plain-byte.tmLanguage.json");
    for word in ["|mvi|", "|movem|", "|ldir|", "|org|", "|dca|"] {
        assert!(now.contains(word), "{word}");
    }
    let folder: serde_json::Value =
        serde_json::from_str(include_str!("../../editors/package.json")).expect("it is JSON");
    assert_eq!(folder["contributes"]["grammars"][0]["path"], "./plain-byte.tmLanguage.json");
}
