//! Any file given to the command: it ends with a status, whatever stands in it.

use std::path::PathBuf;
use std::sync::OnceLock;

/// Words of the command, behind them the file that it reads.
const WORDS: &[(&str, &str)] = &include!("words.rs");

/// An empty folder for this process, which is where it stands.
fn folder() -> &'static PathBuf {
    static FOLDER: OnceLock<PathBuf> = OnceLock::new();
    FOLDER.get_or_init(|| {
        let folder = std::env::temp_dir().join(format!("plain-byte-fuzz-{}", std::process::id()));
        std::fs::create_dir_all(&folder).expect("a folder");
        std::env::set_current_dir(&folder).expect("the folder");
        folder
    })
}

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Some((&choice, text)) = bytes.split_first() else { return };
    let (words, name) = WORDS[usize::from(choice) % WORDS.len()];
    for entry in std::fs::read_dir(folder()).expect("the folder").flatten() {
        let _ = std::fs::remove_file(entry.path());
    }
    std::fs::write(name, text).expect("the file");
    let words = std::iter::once("plainbyte").chain(words.split(' ')).chain([name]);
    assert!(plainbyte_command::run(words) <= 2);
    assert_eq!(std::fs::read(name).expect("it is there"), text, "what was read is as it was");
}
