//! Programs for the disk system on the files of a folder, and 8080 source rewritten, by the built command.

use crate::common::Bench;
use std::fs;

/// A bench with a folder of files for a disk.
fn with_disk(files: &[(&str, &str)]) -> Bench {
    let bench = Bench::new();
    fs::create_dir(bench.path.join("disk")).expect("a folder");
    for (name, text) in files {
        bench.write(&format!("disk/{name}"), text);
    }
    bench
}

fn names(bench: &Bench) -> Vec<String> {
    let entries = fs::read_dir(bench.path.join("disk")).expect("the folder").flatten();
    let mut names: Vec<String> =
        entries.map(|entry| entry.file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names
}

#[test]
fn a_program_reads_and_changes_a_folder_as_far_as_it_may() {
    let log = "fog from the west  \r\n\r\nfog lifted\r\n";
    for board in ["curlew", "gannet"] {
        let bench = with_disk(&[("Log.txt", log), ("a name that is too long.txt", ""), ("oil.dat", "41")]);
        // By the source, by the image it writes, with and without the ending.
        assert_eq!(bench.run(&format!("build fair-copy --board {board}")).status, 0);
        let line = format!("run faircopy --board {board} --disk disk LOG.TXT");
        let ran = bench.run(&line);
        assert_eq!(ran.status, 1);
        assert!(
            ran.out.contains("call 19 (delete file) changes the disk, which may only be read"),
            "{}",
            ran.all()
        );
        assert!(
            ran.err.contains("`a name that is too long.txt` is not a name of eight characters"),
            "{}",
            ran.err
        );
        assert_eq!(bench.read("disk/Log.txt"), log);
        let ran = bench.run(&format!("{line} --writable"));
        assert_eq!((ran.status, ran.out.lines().next()), (0, Some("copied")), "{}", ran.all());
        assert_eq!(names(&bench), ["a name that is too long.txt", "log.bak", "log.txt", "oil.dat"]);
        let new = bench.read("disk/log.txt");
        assert!(new.starts_with("01 fog from the west\r\n02 fog lifted\r\n\x1A") && new.len() == 128);
        assert!(bench.read("disk/log.bak").starts_with(log));
    }
}

/// A folder full of other files is told in one line.
#[test]
fn files_without_a_name_for_the_disk_are_told_together() {
    let names = ["keeper-log.txt", "lamp.backup", "night-log.txt", "oil levels.txt", "tide.table"];
    let files: Vec<(&str, &str)> =
        names.iter().map(|name| (*name, "")).chain([("log.txt", "fog\r\n")]).collect();
    let bench = with_disk(&files);
    let ran = bench.run("run fair-copy --board curlew --disk disk --writable LOG.TXT");
    assert_eq!(ran.status, 0, "{}", ran.all());
    assert_eq!(
        ran.err,
        "warning: 5 files have no names of eight characters, a point and three; they are not on the disk: \
         `keeper-log.txt`, `lamp.backup`, `night-log.txt`, `oil levels.txt` and others\n"
    );
}

#[test]
fn what_cannot_be_is_answered_and_nothing_leaves_the_folder() {
    let bench = with_disk(&[("boats.dat", "x")]);
    bench.write("secret.txt", "outside");
    for (line, status, told) in [
        ("run dump --board curlew --disk disk ../secret.txt", 0, "dump NAME: which file?"),
        ("run dump --board curlew --disk disk x/../../secret.txt", 0, "there is no such file"),
        ("run dump --board curlew --disk disk", 0, "dump NAME: which file?"),
        ("run dump --board curlew --disk nowhere x", 1, "nowhere"),
        ("run dump x", 1, "the board bare has no disk system"),
        ("run divide --board plover x", 1, "the board plover has no disk system"),
        ("run dump --board curlew --writable", 2, "--disk"),
        ("run entries --board curlew --disk disk", 0, "two boats passed"),
    ] {
        let ran = bench.run(line);
        assert_eq!(ran.status, status, "{line}: {}", ran.all());
        assert!(ran.all().contains(told), "{line}: {}", ran.all());
    }
    // A link out of the folder is not a file of it.
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(bench.path.join("secret.txt"), bench.path.join("disk/link.txt"))
            .expect("a link");
        let ran = bench.run("run dump --board curlew --disk disk link.txt");
        assert!(ran.out.contains("there is no such file"), "{}", ran.all());
    }
    // One that does not fit, and one that begins elsewhere.
    bench.write("large.asm", " cpu z80\n image com, \"large.com\"\n org 100h\n ds 0E000h - 100h, 0\n");
    let ran = bench.run("run large --board curlew");
    assert!(
        ran.err.contains("the program has 57088 bytes, and the transient area of the board curlew has 56064")
    );
    assert_eq!(names(&bench), ["boats.dat", "link.txt"]);
}

#[test]
fn a_source_is_rewritten_and_a_word_that_has_no_counterpart_is_told() {
    let bench = Bench::new();
    let ran = bench.run("convert dump --mnemonics z80 --output new.asm");
    assert_eq!((ran.status, ran.err.as_str()), (0, ""), "{}", ran.all());
    let cells = |source: &str| {
        let built = bench.json(&format!("build {source} --json"));
        built["segments"].clone()
    };
    assert_eq!(cells("dump"), cells("new"));
    let piped = bench.run("convert dump.asm --mnemonics z80");
    assert_eq!(piped.out, bench.read("new.asm"));
    for (source, processor, status, told) in [
        (" cpu 8085\n rim\n", "z80", 1, "line 2: `rim` has no counterpart of the same bytes on the z80"),
        (" cpu 8080\nbit: jmp bit\n", "z80", 0, "`bit` is a word of the z80; the symbol is now `bit_1`"),
        (" cpu 8080\n", "6502", 2, "nothing can be rewritten for the 6502"),
        (" cpu 8080\n", "z81", 2, "there is no processor `z81`"),
    ] {
        bench.write("old.asm", source);
        let ran = bench.run(&format!("convert old --mnemonics {processor}"));
        assert_eq!(ran.status, status, "{}", ran.all());
        assert!(ran.err.contains(told), "{}", ran.err);
    }
}

#[test]
fn the_monitor_writes_back_what_a_program_has_changed() {
    let bench = with_disk(&[("log.txt", "calm\r\n")]);
    let script = "put block + 1 = \"LOG     TXT\"\nrun\nquit\n";
    let ran = bench.run_with("monitor fair-copy --board curlew --disk disk --writable", script);
    assert_eq!((ran.status, names(&bench)), (0, vec!["log.bak".into(), "log.txt".into()]), "{}", ran.all());
    assert!(bench.read("disk/log.txt").starts_with("01 calm\r\n"));
    // A panel script without words goes by the same way, and the program asks for a name.
    bench.write("wait.panel", "wait 2s\n");
    let ran = bench.run("panel fair-copy --board curlew --disk disk --script wait");
    assert_eq!(ran.status, 0, "{}", ran.all());
}
