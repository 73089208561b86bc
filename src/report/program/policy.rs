//! The kinds of warnings and hazards, and what is done with each: told, left out, made an error, silenced in a line.

use crate::diagnostic::{Diagnostic, Severity, Sources, Span, nearest};
use crate::session::HAZARDS;

/// Every warning: its code and what it says, in a few words.
pub const WARNINGS: &[(&str, &str)] = &[
    ("address-as-number", "a label where an 8-bit number is wanted, without `low` or `high`"),
    ("after-end", "lines after `end`, which are not read"),
    ("boot-origin", "a boot image whose program is not assembled for 7C00h"),
    ("boot-size", "a boot image without room for its signature"),
    ("com-origin", "a COM image whose program is not assembled for 100h"),
    ("constant-as-address", "a small constant where an instruction takes the address of a cell"),
    ("data-segment", "data of an EXE program read before DS leads to it"),
    ("deaf-waiting", "a loop that waits for an interrupt while they are disabled"),
    ("decimal-interrupt", "an interrupt with a decimal number that is meant in hex"),
    ("loop-counter", "the counter of a LOOP changed inside it"),
    ("near-name", "a name that is never used, one letter away from one that is"),
    ("no-memory", "cells where the board has no memory; an error"),
    ("no-vector", "an interrupt key whose vector holds nothing"),
    ("operand-size", "a label of bytes taken for a word, or the reverse"),
    ("processor-trap", "an instruction that does otherwise than it reads, on this processor"),
    ("runs-into-data", "execution reaches cells that the source declares as data"),
    ("runs-out", "execution goes on past the last instruction"),
    ("stack-outside", "a stack where the board has no RAM"),
    ("text-end", "a text without the end that the firmware looks for"),
    ("unreachable", "instructions that nothing leads to"),
    ("unused-label", "a label that is never used"),
];

/// What to do with each kind of warning.
#[derive(Debug, Clone, Default)]
pub struct Policy {
    pub(super) allowed: Vec<String>,
    pub(super) denied: Vec<String>,
}

/// There is no warning of that code.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("there is no warning and no hazard `{code}`")]
pub struct UnknownWarning {
    /// The code that was given.
    pub code: String,
    /// The nearest there is.
    pub near: Option<&'static str>,
}

pub(super) fn known(code: &str) -> Result<(), UnknownWarning> {
    let all = || WARNINGS.iter().chain(HAZARDS).map(|row| row.0);
    if code == "all" || all().any(|known| known == code) {
        return Ok(());
    }
    Err(UnknownWarning { code: code.to_string(), near: nearest(code, all()) })
}

impl Policy {
    /// Leaves a kind out; `all` leaves every one out.
    ///
    /// # Errors
    /// [`UnknownWarning`] with the nearest code.
    pub fn allow(mut self, code: &str) -> Result<Self, UnknownWarning> {
        known(code)?;
        self.allowed.push(code.to_string());
        Ok(self)
    }

    /// Makes a kind an error; `all` makes every one an error.
    ///
    /// # Errors
    /// [`UnknownWarning`] with the nearest code.
    pub fn deny(mut self, code: &str) -> Result<Self, UnknownWarning> {
        known(code)?;
        self.denied.push(code.to_string());
        Ok(self)
    }

    /// True where a kind of warning or hazard is left out.
    pub fn allows(&self, code: &str) -> bool {
        Self::has(&self.allowed, code)
    }

    /// True where a kind of warning or hazard is an error.
    pub fn denies(&self, code: &str) -> bool {
        Self::has(&self.denied, code)
    }

    /// True where a kind of hazard is made an error, so that somebody has to look for it.
    pub fn denies_hazards(&self) -> bool {
        HAZARDS.iter().any(|row| self.denied.iter().any(|one| one == row.0))
    }

    /// Leaves out what is allowed of warnings that were told already, and makes errors of what is denied.
    pub(super) fn settle(&self, told: &mut Vec<Diagnostic>, sources: &Sources) {
        let is_warning = |one: &Diagnostic| one.severity == Severity::Warning && known(one.code).is_ok();
        told.retain(|one| {
            let allowed = Self::has(&self.allowed, one.code) || is_silenced(sources, one.span, one.code);
            !is_warning(one) || !allowed
        });
        for one in told.iter_mut().filter(|one| is_warning(one) && Self::has(&self.denied, one.code)) {
            one.severity = Severity::Error;
        }
    }

    pub(super) fn has(list: &[String], code: &str) -> bool {
        list.iter().any(|one| one == code || one == "all")
    }
}

/// True where the comment of the line says `allow CODE`.
pub(super) fn is_silenced(sources: &Sources, span: Span, code: &str) -> bool {
    let Some(source) = sources.get(span.source) else { return false };
    let start = (span.start as usize).min(source.text.len());
    let rest = source.text.get(start..).unwrap_or_default();
    let line = rest.lines().next().unwrap_or_default();
    let Some((_, comment)) = line.split_once(';') else { return false };
    let words: Vec<&str> = comment.split([' ', ',', '\t']).filter(|word| !word.is_empty()).collect();
    words.windows(2).any(|pair| pair[0] == "allow" && pair[1] == code)
}
