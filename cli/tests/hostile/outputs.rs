//! Outputs: never over what was read, all or none, through links and into pipes, modes and names kept.

use crate::common::Bench;
use std::fs;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};

const SOURCE: &str = "        cpu 8080\n        org 100h\nbegin:  mvi a, 1\n        jmp begin\n";
const CELLS: [u8; 5] = [0x3E, 0x01, 0xC3, 0x00, 0x01];

fn bench() -> Bench {
    let bench = Bench::new();
    bench.write("lamp.asm", SOURCE);
    bench
}

#[test]
fn what_was_read_is_never_written_over() {
    let bench = bench();
    bench.write("image.asm", &format!("        image raw, \"image.asm\"\n{SOURCE}"));
    bench.write("part.inc", "        nop\n");
    bench.write("whole.asm", &format!("{SOURCE}        include \"part.inc\"\n        embed \"lamp.asm\"\n"));
    fs::hard_link(bench.path.join("lamp.asm"), bench.path.join("other.bin")).expect("a link");
    symlink("lamp.asm", bench.path.join("link.bin")).expect("a link");
    fs::create_dir(bench.path.join("folder")).expect("a folder");
    // The command, and what it says.
    let tries = [
        ("build lamp.asm --output raw:lamp.asm", "lamp.asm was read"),
        ("build lamp.asm --output raw:./folder/../lamp.asm", "was read, which is lamp.asm"),
        ("build lamp.asm --output raw:other.bin", "other.bin was read, which is lamp.asm"),
        ("build lamp.asm --output raw:link.bin", "link.bin was read, which is lamp.asm"),
        ("build lamp.asm --listing lamp.asm", "lamp.asm was read"),
        ("build lamp.asm --symbols lamp.asm", "lamp.asm was read"),
        ("build lamp.asm --output raw:good.bin --listing lamp.asm", "lamp.asm was read"),
        ("build image.asm", "image.asm was read"),
        ("build whole.asm --output raw:part.inc", "part.inc was read"),
        ("build whole.asm --output raw:lamp.asm", "lamp.asm was read"),
        ("convert lamp.asm --mnemonics z80 --output lamp.asm", "lamp.asm was read"),
        ("convert other.bin --output hex:lamp.asm", "lamp.asm was read, which is other.bin"),
        ("flow lamp.asm --output lamp.asm", "neither .svg nor .png"),
        ("run lamp.asm --record lamp.asm", "lamp.asm was read"),
        ("run lamp.asm --record -", "both go to standard output"),
        // Two outputs that are one.
        ("build lamp.asm --output raw:a.bin --output hex:a.bin", "two outputs go to a.bin"),
        ("build lamp.asm --output raw:a.bin --listing ./a.bin", "a.bin and ./a.bin are the same file"),
        ("build lamp.asm --output raw:- --listing -", "two outputs go to standard output"),
        ("build lamp.asm --output raw:- --json", "both go to standard output"),
        ("build lamp.asm --output raw:folder", "it is a folder"),
        ("build lamp.asm --output raw:none/a.bin", "there is no such folder"),
        ("build lamp.asm --output raw:good.bin --output hex:none/a.hex", "there is no such folder"),
    ];
    for (command, said) in tries {
        let ran = bench.run(command);
        assert!(ran.status != 0 && ran.err.contains(said), "{command}\n{}", ran.all());
        assert_eq!(bench.read("lamp.asm"), SOURCE, "{command}");
        assert!(
            bench.read("image.asm").starts_with("        image") && bench.read("part.inc").contains("nop")
        );
        assert!(!bench.exists("good.bin") && !bench.exists("a.bin"), "{command}: all or none");
    }
    // As a project has it.
    bench.write("plainbyte.toml", "version = 1\nsource = \"lamp.asm\"\nlisting = \"lamp.asm\"\n");
    let ran = bench.run("build");
    assert!(ran.err.contains("lamp.asm was read"), "{}", ran.all());
    assert!(ran.status != 0 && bench.read("lamp.asm") == SOURCE, "{}", ran.all());
    assert!(left_over(&bench).is_empty(), "{:?}", left_over(&bench));
}

/// Files that a command was to remove.
pub fn left_over(bench: &Bench) -> Vec<String> {
    let names = fs::read_dir(&bench.path).expect("the folder").flatten();
    let names = names.map(|entry| entry.file_name().to_string_lossy().into_owned());
    names.filter(|name| name.ends_with(".part")).collect()
}

#[test]
fn what_is_there_keeps_its_links_its_names_and_its_rights() {
    let bench = bench();
    let path = |name: &str| bench.path.join(name);
    let built = |output: &str| {
        let ran = bench.run(&format!("build lamp.asm --output raw:{output}"));
        assert_eq!(ran.status, 0, "{}", ran.all());
    };
    // A link stays one, also where what it leads to is not there yet.
    bench.write("real.bin", "old");
    symlink("real.bin", path("link.bin")).expect("a link");
    symlink("new.bin", path("dangling.bin")).expect("a link");
    for (link, file) in [("link.bin", "real.bin"), ("dangling.bin", "new.bin")] {
        built(link);
        assert!(fs::symlink_metadata(path(link)).expect("there").is_symlink());
        assert_eq!(fs::read(path(file)).expect("there"), CELLS);
    }
    // Rights and further names.
    bench.write("secret.bin", "old");
    fs::set_permissions(path("secret.bin"), fs::Permissions::from_mode(0o600)).expect("rights");
    built("secret.bin");
    assert_eq!(fs::metadata(path("secret.bin")).expect("there").mode() & 0o777, 0o600);
    bench.write("one.bin", "old");
    fs::hard_link(path("one.bin"), path("two.bin")).expect("a link");
    built("one.bin");
    assert_eq!(fs::read(path("two.bin")).expect("there"), CELLS, "both names are of the same file");
    // What has the bytes already is left alone.
    let before = fs::metadata(path("real.bin")).expect("there");
    built("real.bin");
    let after = fs::metadata(path("real.bin")).expect("there");
    assert_eq!((before.ino(), before.mtime_nsec()), (after.ino(), after.mtime_nsec()));
    // What is read-only stays what it is.
    bench.write("kept.bin", "old");
    fs::set_permissions(path("kept.bin"), fs::Permissions::from_mode(0o444)).expect("rights");
    let ran = bench.run("build lamp.asm --output raw:kept.bin --output hex:lamp.hex");
    assert!(
        ran.status == 1 && ran.err.contains("kept.bin cannot be written: it is read-only"),
        "{}",
        ran.all()
    );
    assert!(bench.read("kept.bin") == "old" && !bench.exists("lamp.hex"));
    let circle = [("a", "b"), ("b", "a")].map(|(one, two)| symlink(two, path(one)));
    assert!(circle.iter().all(Result::is_ok));
    let ran = bench.run("build lamp.asm --output raw:a");
    assert!(ran.status == 1 && !ran.err.contains("panicked"), "{}", ran.all());
    assert!(left_over(&bench).is_empty(), "{:?}", left_over(&bench));
}

#[test]
fn pipes_and_devices_are_written_as_they_are() {
    let bench = bench();
    assert_eq!(bench.run("build lamp.asm --output raw:/dev/null --listing /dev/null").status, 0);
    assert!(!fs::metadata("/dev/null").expect("there").is_file());
    let pipe = bench.path.join("pipe");
    rustix::fs::mknodat(
        rustix::fs::CWD,
        &pipe,
        rustix::fs::FileType::Fifo,
        rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR,
        0,
    )
    .expect("a pipe");
    let reader = {
        let pipe = pipe.clone();
        std::thread::spawn(move || fs::read(pipe))
    };
    let ran = bench.run("build lamp.asm --output raw:pipe");
    assert_eq!(ran.status, 0, "{}", ran.all());
    assert_eq!(reader.join().expect("no panic").expect("its bytes"), CELLS);
    assert!(!fs::metadata(&pipe).expect("there").is_file(), "it is a pipe still");
    // The disk is full: nobody is told that it went well.
    for command in [
        "convert lamp.asm --mnemonics z80 --output /dev/full",
        "build lamp.asm --listing /dev/full",
        "build lamp.asm --output raw:lamp.bin --symbols /dev/full",
    ] {
        let ran = bench.run(command);
        assert!(ran.status == 1 && ran.err.contains("/dev/full cannot be written"), "{}", ran.all());
        assert!(!bench.exists("lamp.bin"), "all or none");
    }
}
