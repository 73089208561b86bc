//! Pages that have no file: what a line wrote out, what a directive or a code means. The editor asks for their texts by their URIs.

use super::editor::Server;
use super::places::{file_of, uri_of};
use lsp_types::Uri;
use plain_byte::language::{code_page, directive_page};
use serde::{Deserialize, Serialize};
use std::str::FromStr;

/// How the URIs of these pages begin.
pub const SCHEME: &str = "plain-byte";

/// The page of a code.
pub fn code_uri(code: &str) -> String {
    format!("{SCHEME}:///codes/{code}.md")
}

/// The page of a directive.
pub fn directive_uri(word: &str) -> String {
    format!("{SCHEME}:///directives/{word}.md")
}

/// What a line of a text wrote out; lines count from 0.
pub fn written_uri(file: &str, line: u32) -> String {
    let path =
        uri_of(file).map_or(String::new(), |uri| uri.as_str().trim_start_matches("file://").to_string());
    format!("{SCHEME}:///written/{line}{path}")
}

#[derive(Deserialize)]
pub struct TextAsked {
    pub uri: String,
}

#[derive(Serialize)]
pub struct TextGiven {
    pub text: String,
}

impl Server {
    /// The text of a page; `None` where there is no such page.
    pub(super) fn page(&mut self, asked: TextAsked) -> Option<TextGiven> {
        let path = asked.uri.strip_prefix(SCHEME)?.strip_prefix(":")?.trim_start_matches('/');
        let (kind, rest) = path.split_once('/')?;
        let name = rest.strip_suffix(".md").unwrap_or(rest);
        let text = match kind {
            "codes" => code_page(name),
            "directives" => directive_page(name),
            "written" => {
                let (line, path) = rest.split_once('/')?;
                let file = file_of(&Uri::from_str(&format!("file:///{path}")).ok()?)?;
                let place = lsp_types::Position { line: line.parse().ok()?, character: 0 };
                let offset = self.counts.offset(&self.text(&file), place);
                let written = self.program_of(&file)?.written_at(&file, offset)?;
                Some(format!("; {} wrote this\n{}", written.of, written.text))
            }
            _ => None,
        };
        Some(TextGiven { text: text? })
    }
}
