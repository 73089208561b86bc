//! The project file: everything a bare `plainbyte build` or `plainbyte run` needs to know.

use crate::diagnostic::{Diagnostic, Span};
use crate::machine::board::toml_error;
use serde::Deserialize;
use std::collections::BTreeMap;

/// The name of the file.
pub const FILE: &str = "plainbyte.toml";

/// The version of the project file that is read here.
pub(crate) const VERSION: i64 = 1;

/// A project file. Names of files are as seen from it.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Project {
    version: toml::Spanned<i64>,
    /// The source.
    pub source: String,
    /// The processor, where neither source nor board names it.
    pub processor: Option<String>,
    /// The board; `bare` where none is given.
    pub board: Option<String>,
    /// The images to write, each as `KIND:FILE`.
    #[serde(default)]
    pub outputs: Vec<String>,
    /// The listing to write.
    pub listing: Option<String>,
    /// Symbols and line map to write.
    pub symbols: Option<String>,
    /// The case tables.
    #[serde(default)]
    pub cases: Vec<String>,
    /// Memories of the board that are left out.
    #[serde(default)]
    pub without: Vec<String>,
    /// Symbols to define.
    #[serde(default)]
    pub define: BTreeMap<String, i64>,
    /// What is set before a run: `NAME=VALUE` or `ADDRESS=CELLS`, as `run --set` takes it.
    #[serde(default)]
    pub set: Vec<String>,
    /// What ports give in a run, as `run --port` takes it.
    #[serde(default)]
    pub port: Vec<String>,
    /// Keys that are pressed in a run, as `run --press` takes them.
    #[serde(default)]
    pub press: Vec<String>,
    /// What is typed in a run.
    pub input: Option<String>,
    /// Where a run stops.
    pub until: Option<String>,
    /// How long a run goes on at most: cycles or a time.
    pub cycles: Option<String>,
    /// Cells that are shown after a run.
    #[serde(default)]
    pub show: Vec<String>,
    /// Every run tells its hazards.
    #[serde(default)]
    pub hazards: bool,
    /// Warnings and hazards that are errors.
    #[serde(default)]
    pub deny: Vec<String>,
    /// Warnings and hazards that are left out.
    #[serde(default)]
    pub allow: Vec<String>,
}

impl Project {
    /// Reads a project file.
    ///
    /// # Errors
    /// What is wrong with it, with its place in `text`.
    pub fn parse(text: &str) -> Result<Self, Box<Diagnostic>> {
        let project: Self = toml::from_str(text).map_err(|error| {
            let wrong = toml_error(&error, "projects");
            Box::new(wrong)
        })?;
        let version = *project.version.get_ref();
        if version != VERSION {
            let range = project.version.span();
            let span = Span { source: 0, start: range.start as u32, end: range.end as u32 };
            let message = format!("version {version} of the project file is unknown");
            return Err(Box::new(Diagnostic::error(
                "project",
                span,
                message,
                format!("this is version {VERSION}"),
            )));
        }
        Ok(project)
    }
}
