//! What other programs read: results, rules for make, completions of shells, manual pages.

use crate::common::Bench;
use std::process::Command;

#[test]
fn results_are_written_for_whoever_collects_them() {
    let bench = Bench::new();
    bench.write("night.asm", "        cpu 8085\n        org 4000h\n        lda boats\n        inr a\n        sta boats\n        hlt\nboats:  db 0\n");
    bench.write(
        "night.cases.toml",
        "version = 1\nprogram = \"night.asm\"\nboard = \"plover\"\n[[case]]\nname = \"one & <all>\"\ngiven.memory = { boats = 1 }\nexpect.memory = { boats = 2 }\n[[case]]\nname = \"seven # of them\"\ngiven.memory = { boats = 7 }\nexpect.memory = { boats = 9 }\n",
    );
    let ran = bench.run("cases night --junit out.xml --tap out.tap");
    assert_eq!(ran.status, 1, "{}", ran.err);
    insta::assert_snapshot!(format!("{}\n{}", bench.text("out.xml"), bench.text("out.tap")));
    let alone = bench.run("cases night --tap -");
    assert!(alone.out.starts_with("TAP version 14\n1..2\n") && alone.status == 1, "{}", alone.out);
    for line in ["cases night --tap - --junit -", "cases night --tap - --json"] {
        assert_eq!(bench.run(line).status, 2, "{line}");
    }
}

#[test]
fn a_rule_for_make_names_every_file_that_was_read() {
    let bench = Bench::new();
    bench.write("night.asm", "        cpu 8085\n        org 4000h\n        include \"parts/horn.asm\"\n        embed \"chart.bin\"\n");
    std::fs::create_dir(bench.path.join("parts")).expect("a folder");
    bench.write("parts/horn.asm", "        nop\n");
    bench.write("chart.bin", "x");
    let ran = bench.run("build night -o hex:night.hex --listing night.lst --depends night.d");
    assert_eq!(ran.status, 0, "{}", ran.err);
    let rule = bench.text("night.d");
    assert_eq!(
        rule,
        "night.hex night.lst: night.asm parts/horn.asm chart.bin\n\nparts/horn.asm:\n\nchart.bin:\n"
    );
    let ran = bench.run("build night --depends -");
    assert!(ran.out.starts_with("night: night.asm parts/horn.asm"), "{}", ran.out);
}

#[test]
fn a_shell_completes_commands_boards_and_codes() {
    let bench = Bench::new();
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let ran = bench.run(&format!("completions {shell}"));
        assert!(ran.status == 0 && ran.out.contains("monitor"), "{shell}");
        // Values are completed where the shell's completions have room for them.
        let has_values = ran.out.contains("plover") && ran.out.contains("unset-cell");
        assert_eq!(has_values, ["bash", "zsh", "fish"].contains(&shell), "{shell}");
    }
    assert_eq!(bench.run("completions nutshell").status, 2);
    bench.write("completions.bash", &bench.run("completions bash").out);
    let complete = |words: &str, last: &str, before: &str| {
        let count = words.split(' ').count();
        let script = format!(
            "source completions.bash; COMP_WORDS=({words} {last}); COMP_CWORD={count}; _plainbyte plainbyte '{last}' '{before}'; echo \"${{COMPREPLY[@]}}\""
        );
        let done = Command::new("bash").arg("-c").arg(script).current_dir(&bench.path).output();
        done.ok().map(|done| String::from_utf8_lossy(&done.stdout).trim().to_string())
    };
    let Some(first) = complete("plainbyte", "mon", "plainbyte") else {
        eprintln!("there is no bash here: its completions are not tried");
        return;
    };
    assert_eq!(first, "monitor");
    assert_eq!(complete("plainbyte run --board", "plo", "--board").as_deref(), Some("plover"));
    assert_eq!(complete("plainbyte explain", "unset-r", "explain").as_deref(), Some("unset-register"));
}

#[test]
fn every_command_has_a_manual_page() {
    let bench = Bench::new();
    assert_eq!(bench.run("manuals pages").status, 0);
    for line in bench
        .run("--help")
        .out
        .lines()
        .skip_while(|line| *line != "Commands:")
        .skip(1)
        .take_while(|line| !line.is_empty())
    {
        let (name, about) = line.trim().split_once(' ').expect("a name and words");
        let page = bench.text(&format!("pages/plainbyte-{name}.1"));
        let plain = page.replace("\\*(Aq", "'").replace('\\', "");
        assert!(page.contains(".TH plainbyte") && plain.contains(about.trim()), "{name}: {about}");
    }
    bench.write("file", "");
    assert_eq!(bench.run("manuals file").status, 1);
}
