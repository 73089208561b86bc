//! The texts that an editor holds, over the files.

use crate::files::{Files, may_name_files};
use plain_byte::assembler::{Loaded, Loader};
use plain_byte::diagnostic::Problem;
use std::collections::HashMap;
use std::path::Path;

/// Texts as they stand in the editor, by the names of their files; everything else comes from its file.
#[derive(Debug, Clone, Default)]
pub struct Texts {
    pub open: HashMap<String, String>,
}

impl Loader for Texts {
    fn resolve(&self, name: &str, from: Option<&str>) -> String {
        Files.resolve(name, from)
    }

    fn load(&mut self, name: &str, from: Option<&str>) -> Result<Loaded, Problem> {
        let full = self.resolve(name, from);
        match self.open.get(&full) {
            Some(text) => {
                // Somebody has opened it, as if he had named it at the command line.
                if from.is_none() {
                    may_name_files(Path::new(&full));
                }
                Ok(Loaded { name: full, bytes: text.clone().into_bytes() })
            }
            None => Files.load(name, from),
        }
    }
}
