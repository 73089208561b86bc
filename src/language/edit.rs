//! Changes of texts, and the program as it would be with them: whoever offers one has assembled it before.

use super::{Analysis, Range};
use crate::assembler::{Loaded, Loader};
use crate::diagnostic::{Problem, Severity};
use std::collections::BTreeMap;

/// Another text in place of a stretch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edit {
    /// What goes.
    pub range: Range,
    /// What comes in its place.
    pub text: String,
}

impl Edit {
    pub(super) fn of(file: &str, stretch: super::line::Stretch, text: impl Into<String>) -> Self {
        let range = Range { file: file.to_string(), start: stretch.start, end: stretch.end };
        Self { range, text: text.into() }
    }
}

/// A text with the changes that are of it, none of which overlap.
pub fn edited(file: &str, text: &str, edits: &[Edit]) -> String {
    let mut own: Vec<&Edit> = edits.iter().filter(|edit| edit.range.file == file).collect();
    own.sort_by_key(|edit| (edit.range.start, edit.range.end));
    let (mut out, mut at) = (String::with_capacity(text.len()), 0);
    for Edit { range, text: new } in own {
        out += text.get(at..range.start.max(at)).unwrap_or_default();
        out += new;
        at = range.end.max(at);
    }
    out + text.get(at..).unwrap_or_default()
}

/// Texts of which some are other ones.
struct Edited<'l> {
    under: &'l mut dyn Loader,
    texts: BTreeMap<String, String>,
}

impl Loader for Edited<'_> {
    fn resolve(&self, name: &str, from: Option<&str>) -> String {
        self.under.resolve(name, from)
    }

    fn load(&mut self, name: &str, from: Option<&str>) -> Result<Loaded, Problem> {
        let full = self.resolve(name, from);
        match self.texts.get(&full) {
            Some(text) => Ok(Loaded { name: full, bytes: text.clone().into_bytes() }),
            None => self.under.load(name, from),
        }
    }
}

impl Analysis {
    /// The program as it would be with changes.
    pub fn with(&self, edits: &[Edit], loader: &mut dyn Loader) -> Option<Self> {
        let files: std::collections::BTreeSet<&str> =
            edits.iter().map(|edit| edit.range.file.as_str()).collect();
        let texts = files.into_iter().filter_map(|file| {
            let text = edited(file, self.text(file)?.1, edits);
            Some((file.to_string(), text))
        });
        let mut loader = Edited { under: loader, texts: texts.collect() };
        Self::of(&self.name, &self.target, &self.policy, &mut loader).ok()
    }

    /// True where the program is the same with changes, to the last cell, and there is nothing else to tell of it.
    pub(super) fn stays(&self, edits: &[Edit], loader: &mut dyn Loader) -> bool {
        let kinds = |one: &Self| one.assembly.diagnostics.iter().map(|told| told.code).collect::<Vec<_>>();
        let same = |other: &Self| {
            other.assembly.image == self.assembly.image
                && other.errors() == self.errors()
                && kinds(other) == kinds(self)
        };
        self.with(edits, loader).is_some_and(|other| same(&other))
    }

    /// True where, with changes, something that is told here is told once less, and no error comes instead.
    pub(super) fn mends(&self, told: &super::Told, edits: &[Edit], loader: &mut dyn Loader) -> bool {
        let count = |one: &Self| {
            let is_it = |other: &&super::Told| other.code == told.code && other.message == told.message;
            one.diagnostics().iter().filter(is_it).count()
        };
        let errors = usize::from(told.severity == Severity::Error);
        self.with(edits, loader)
            .is_some_and(|other| count(&other) < count(self) && other.errors() + errors <= self.errors())
    }

    fn errors(&self) -> usize {
        self.assembly.errors()
    }
}
