//! What the tests of the command begin with.
#![allow(dead_code)]

use assert_cmd::Command;
use serde_json::Value;
use std::fs;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

/// A folder with the demo programs and a few of the tests' own, and the command run in it.
pub struct Bench {
    pub path: PathBuf,
    _folder: Option<TempDir>,
}

/// What a command did.
pub struct Ran {
    pub status: i32,
    pub out: String,
    pub err: String,
}

impl Bench {
    pub fn new() -> Self {
        let folder = TempDir::new().expect("a folder");
        let root = Path::new(env!("CARGO_MANIFEST_DIR"));
        for from in [root.join("../demo"), root.join("tests/programs")] {
            for entry in fs::read_dir(from).expect("the programs").flatten() {
                if entry.path().is_file() {
                    fs::copy(entry.path(), folder.path().join(entry.file_name())).expect("a copy");
                }
            }
        }
        Self { path: folder.path().to_path_buf(), _folder: Some(folder) }
    }

    /// The command in a folder that is there.
    pub fn at(path: PathBuf) -> Self {
        Self { path, _folder: None }
    }

    pub fn run(&self, arguments: &str) -> Ran {
        self.run_with(arguments, "")
    }

    pub fn run_with(&self, arguments: &str, input: &str) -> Ran {
        let mut command = Command::cargo_bin("plainbyte").expect("it is built");
        let output = command
            .current_dir(&self.path)
            .args(arguments.split(' ').filter(|part| !part.is_empty()).map(|part| part.replace('_', " ")))
            .env_remove("COLUMNS")
            .write_stdin(input)
            .output()
            .expect("it runs");
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("text");
        Ran { status: output.status.code().unwrap_or(-1), out: text(output.stdout), err: text(output.stderr) }
    }

    pub fn json(&self, arguments: &str) -> Value {
        let ran = self.run(arguments);
        serde_json::from_str(&ran.out)
            .unwrap_or_else(|error| panic!("{arguments}: {error}\n{}{}", ran.out, ran.err))
    }

    /// The text of a file.
    pub fn text(&self, name: &str) -> String {
        fs::read_to_string(self.path.join(name)).expect("it is written")
    }

    pub fn write(&self, name: &str, text: &str) {
        fs::write(self.path.join(name), text).expect("a file");
    }

    pub fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path.join(name)).expect(name)
    }

    pub fn exists(&self, name: &str) -> bool {
        self.path.join(name).exists()
    }
}

impl Ran {
    /// Everything there is to see.
    pub fn all(&self) -> String {
        format!("exit status {}\n--- output\n{}--- errors\n{}", self.status, self.out, self.err)
    }
}
