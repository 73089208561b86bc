//! The project file: everything a bare `plainbyte build` or `plainbyte run` needs to know; and the files of a new one.

use crate::diagnostic::{Diagnostic, Span};
use crate::machine::board::toml_error;
use crate::machine::{Board, shipped};
use serde::Deserialize;
use std::collections::BTreeMap;

/// The name of the file.
pub const FILE: &str = "plainbyte.toml";

/// The version of the project file that is read here.
pub const VERSION: i64 = 1;

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
    /// Warnings that are errors.
    #[serde(default)]
    pub deny: Vec<String>,
    /// Warnings that are left out.
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
            let mut wrong = toml_error(&error);
            wrong.help = wrong.help.replace("docs/boards.md", "docs/projects.md");
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

/// The files of a new project, by name: the project file, a small program for the board, and its cases.
///
/// `board_name` is the board as it is named in the project; a board of one's own gets the program of `bare`.
///
/// ```
/// use plain_byte::session::{find_board, project};
///
/// let found = find_board("plover", None, &mut plain_byte::assembler::Texts::default())?;
/// let files = project::starter("beacon", "plover", &found.board);
/// assert_eq!(files[1].0, "beacon.asm");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn starter(name: &str, board_name: &str, board: &Board) -> Vec<(String, String)> {
    let (source, cases) =
        shipped::find(board_name).map_or_else(|| shipped::bare_starter(board.set), |shipped| shipped.starter);
    let is_bare = board_name.eq_ignore_ascii_case("bare");
    let fill = |text: &str| {
        text.replace("{name}", name).replace("{board}", board_name).replace("{processor}", board.set.name)
    };
    // Where a board of one's own has its RAM, the program goes.
    let source = match is_bare || shipped::find(board_name).is_some() {
        true => fill(source),
        false => fill(source).replace(
            if board.set.two_widths { "org $200" } else { "org 100h" },
            &format!("org {}", board.set.habit.literal(board.load.into(), board.set.address_bits)),
        ),
    };
    let project = format!(
        "version = {VERSION}\nsource = \"{name}.asm\"\nboard = \"{board_name}\"\noutputs = [\"hex:{name}.hex\"]\nlisting = \"{name}.lst\"\ncases = [\"{name}.cases.toml\"]\n"
    );
    vec![
        (FILE.to_string(), project),
        (format!("{name}.asm"), source),
        (format!("{name}.cases.toml"), fill(cases)),
    ]
}
