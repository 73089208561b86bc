//! Pages of the documentation that an editor opens: one for each directive and for each code.

use super::Analysis;
use crate::assembler::directive_names;

/// The page of the language, whose tables say what each directive does.
pub(super) const LANGUAGE: &str = include_str!("../../docs/language.md");

/// The pages with a section for each code of an error or a warning.
const CODES: [&str; 2] = [include_str!("../../docs/errors.md"), include_str!("../../docs/warnings.md")];

/// The codes of errors, warnings and hazards with what their pages say.
pub fn codes() -> impl Iterator<Item = (&'static str, &'static str)> {
    CODES.iter().flat_map(|page| page.split("\n## ").skip(1)).map(|section| {
        let (code, text) = section.split_once('\n').unwrap_or((section, ""));
        (code.trim(), text.trim())
    })
}

/// The rows of the language's tables that are about a directive.
pub(super) fn directive_rows(word: &str) -> Vec<(&'static str, &'static str, &'static str)> {
    let word = word.trim_start_matches('.');
    if !directive_names().any(|name| name.eq_ignore_ascii_case(word)) {
        return Vec::new();
    }
    let rows = LANGUAGE.lines().filter_map(|line| {
        let mut cells = line.strip_prefix("| ")?.split(" | ");
        let form = cells.next().filter(|form| form.starts_with('`'))?;
        let mut parts = form.split(|c: char| !c.is_ascii_alphanumeric());
        let (does, example) = (cells.next()?, cells.next()?.trim_end_matches(" |"));
        parts.any(|part| part.eq_ignore_ascii_case(word)).then_some((form, does, example))
    });
    rows.take(2).collect()
}

/// The page of a directive: its form, what it does, and the sections that use it.
pub fn directive_page(word: &str) -> Option<String> {
    let word = word.trim_start_matches('.').to_ascii_lowercase();
    if !directive_names().any(|name| name == word) {
        return None;
    }
    let rows = directive_rows(&word);
    let mut page = format!("# {word}\n\n");
    if rows.is_empty() {
        // One that belongs to a processor stands in the text about that.
        let names = |paragraph: &&str| {
            paragraph.contains(&format!("`{word} ")) || paragraph.contains(&format!("`{word}`"))
        };
        LANGUAGE
            .split("\n\n")
            .filter(names)
            .for_each(|paragraph| page += &format!("{}\n\n", paragraph.trim()));
    }
    for (form, does, example) in rows {
        page += &format!("{form}: {does}; {example}\n\n");
    }
    // A section is about what stands in its examples or is named in it.
    let sections =
        LANGUAGE.split("\n### ").skip(1).map(|section| section.split("\n## ").next().unwrap_or(section));
    let uses = |section: &&str| {
        let mut words = section.split(|c: char| !c.is_ascii_alphanumeric());
        section.contains(&format!("`{word}")) && words.any(|one| one == word)
    };
    for section in sections.filter(uses) {
        page += &format!("## {}\n\n", section.trim());
    }
    Some(page)
}

/// The page of a code.
pub fn code_page(code: &str) -> Option<String> {
    let found: Vec<String> =
        codes().filter(|row| row.0 == code).map(|(code, text)| format!("# {code}\n\n{text}\n")).collect();
    (!found.is_empty()).then(|| found.join("\n"))
}

impl Analysis {
    /// The directive that the word at an offset is, in small letters.
    pub fn directive_at(&self, file: &str, offset: usize) -> Option<String> {
        let (_, text) = self.text(file)?;
        let (start, end) = super::word_at(text, offset)?;
        let word = text[start..end].trim_start_matches('.').to_ascii_lowercase();
        directive_names().any(|name| name == word).then_some(word)
    }
}
