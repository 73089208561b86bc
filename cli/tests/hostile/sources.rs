//! Sources that name files: below the folder of their project, or below their own, and elsewhere only where it is allowed.

use crate::common::Bench;
use std::fs;
use std::os::unix::fs::symlink;

#[test]
fn a_source_reaches_what_lies_below_its_folder() {
    let bench = Bench::new();
    let outside = tempfile::TempDir::new().expect("a folder");
    fs::write(outside.path().join("keys.txt"), "7").expect("a file");
    fs::create_dir_all(bench.path.join("lamp/parts")).expect("folders");
    bench.write("beside.inc", "        nop\n");
    bench.write("lamp/parts/near.inc", "        nop\n        include \"../deep.inc\"\n");
    bench.write("lamp/deep.inc", "        nop\n");
    symlink(outside.path(), bench.path.join("lamp/away")).expect("a link");
    let keys = outside.path().join("keys.txt");
    let image = outside.path().join("made.bin");
    let source = |line: &str| format!("        cpu 8080\n{line}\n        nop\n");
    // What the source says, whether it may, and whether it may in a project around both folders.
    let tries = [
        ("        include \"parts/near.inc\"".to_string(), true, true),
        ("        include \"print.asm\"".to_string(), true, true),
        ("        include \"../beside.inc\"".to_string(), false, true),
        ("        embed \"../beside.inc\"".to_string(), false, true),
        ("        embed \"away/keys.txt\"".to_string(), false, false),
        (format!("        embed \"{}\"", keys.display()), false, false),
        (format!("        include \"{}\"", keys.display()), false, false),
        (format!("        image raw, \"{}\"", image.display()), false, false),
        ("        image raw, \"../made.bin\"".to_string(), false, true),
        ("        image raw, \"away/made.bin\"".to_string(), false, false),
        ("        image raw, \"parts/made.bin\"".to_string(), true, true),
    ];
    for project in [false, true] {
        if project {
            bench.write("plainbyte.toml", "version = 1\nsource = \"lamp/lamp.asm\"\n");
        }
        for (line, alone, in_project) in &tries {
            bench.write("lamp/lamp.asm", &source(line));
            let may = if project { *in_project } else { *alone };
            let ran = bench.run("build lamp/lamp.asm");
            let refused = ran.err.contains("--outside allows that");
            assert!(refused != may, "{line}, project {project}\n{}", ran.all());
            assert!(!image.exists() && !outside.path().join("made.bin").exists(), "{line}");
            // Where it is allowed, nothing is said about that.
            let ran = bench.run("build lamp/lamp.asm --outside");
            assert!(!ran.err.contains("--outside"), "{line}\n{}", ran.all());
            for made in [image.clone(), bench.path.join("made.bin")] {
                let _ = fs::remove_file(made);
            }
        }
    }
}

/// What the fuzzer kept of files for the command: the first byte of each chooses the words.
#[test]
fn every_file_that_the_fuzzer_kept_ends_with_a_status() {
    let words: &[(&str, &str)] = &include!("../../../fuzz/src/words.rs");
    let bench = Bench::new();
    let seeds = std::fs::read_dir("../fuzz/seeds/command").expect("the seeds").flatten();
    let mut count = 0;
    for seed in seeds {
        let bytes = std::fs::read(seed.path()).expect("a seed");
        let Some((&choice, text)) = bytes.split_first() else { continue };
        let (words, name) = words[usize::from(choice) % words.len()];
        std::fs::write(bench.path.join(name), text).expect("the file");
        let ran = bench.run(&format!("{words} {name}"));
        assert!((0..=2).contains(&ran.status), "{}: {words} {name}\n{}", seed.path().display(), ran.all());
        assert_eq!(
            std::fs::read(bench.path.join(name)).expect("it is there"),
            text,
            "what was read is as it was"
        );
        count += 1;
    }
    assert!(count > 10, "there are seeds");
}

/// What the fuzzer kept of bytes for the servers, each whole and cut in every place.
#[test]
fn the_servers_take_whatever_comes_from_the_other_end() {
    let seeds = std::fs::read_dir("../fuzz/seeds/servers").expect("the seeds").flatten();
    let mut count = 0;
    for seed in seeds {
        let bytes = std::fs::read(seed.path()).expect("a seed");
        plainbyte_command::hostile(&bytes);
        for cut in (0..bytes.len()).step_by(bytes.len() / 40 + 1) {
            plainbyte_command::hostile(&bytes[..cut]);
            let mut other = bytes.clone();
            other[cut] ^= 1 << (cut % 8);
            plainbyte_command::hostile(&other);
        }
        count += 1;
    }
    assert!(count >= 3, "there are seeds");
}
