//! What the fuzzer tries, with the inputs that it kept: every one, in the ordinary tests.

#[path = "../../fuzz/tries/mod.rs"]
mod tries;

use std::path::Path;

type Try = fn(&[u8]);

const TRIES: &[(&str, Try)] = &[
    ("analysis", tries::analysis::run),
    ("board", tries::board::run),
    ("chips", tries::chips::run),
    ("disk", tries::disk::run),
    ("formats", tries::formats::run),
    ("hex", tries::hex::run),
    ("link", tries::link::run),
    ("monitor", tries::monitor::run),
    ("panel", tries::panel::run),
    ("project", tries::project::run),
    ("record", tries::record::run),
    ("services", tries::services::run),
    ("several", tries::several::run),
    ("source", tries::source::run),
    ("tape", tries::tape::run),
];

#[test]
fn what_the_fuzzer_kept_is_tried() {
    let seeds = Path::new(env!("CARGO_MANIFEST_DIR")).join("fuzz/seeds");
    let mut known: Vec<&str> = TRIES.iter().map(|one| one.0).chain(["command", "servers"]).collect();
    known.sort_unstable();
    let mut folders: Vec<String> = std::fs::read_dir(&seeds)
        .expect("the seeds")
        .flatten()
        .map(|entry| entry.file_name().to_string_lossy().into_owned())
        .collect();
    folders.sort_unstable();
    assert_eq!(folders, known, "every folder of seeds has its try");
    std::thread::scope(|scope| {
        for (name, run) in TRIES {
            let folder = seeds.join(name);
            scope.spawn(move || {
                let files = std::fs::read_dir(&folder).expect("the seeds").flatten();
                let files: Vec<_> = files.map(|entry| entry.path()).collect();
                assert!(files.len() > 10, "{name} has seeds");
                for file in files {
                    run(&std::fs::read(&file).unwrap_or_else(|error| panic!("{}: {error}", file.display())));
                }
            });
        }
    });
}
